//! Everything of a level that has a name, or words that a person sees, so that it can be found and asked about.
//!
//! What is said of each is in [`crate::about`] and [`crate::about_level`].
//!
//! Invariant: whatever stands in the list can be asked about at any moment.

use crate::session::Session;
use crate::words::Words;
use mayfly_base::code::Action;
use mayfly_base::*;
use mayfly_engine::Target;
use mayfly_engine::world::{MachineKey, ZoneKey};
use mayfly_lang::level::StmtKind;

/// Something that can be asked about.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Thing {
    Rule(RuleId),
    /// A variable of the level, or of an actor.
    Value(Target),
    Define(DefineId),
    Timer(TimerId),
    Clock(ClockId),
    Message(MessageId),
    Zone(ZoneKey),
    Actor(ActorId),
    Machine(MachineKey),
    Tile(TileId),
}

impl Thing {
    /// What sort of thing it is, in a word.
    pub fn sort(self) -> &'static str {
        match self {
            Self::Rule(_) => "rule",
            Self::Value(_) => "variable",
            Self::Define(_) => "computed",
            Self::Timer(_) => "timer",
            Self::Clock(_) => "clock",
            Self::Message(_) => "message",
            Self::Zone(_) => "zone",
            Self::Actor(_) => "actor",
            Self::Machine(_) => "machine",
            Self::Tile(_) => "tile",
        }
    }
}

/// One that was found: by what one finds it, its value or its sort, and what it leads to.
#[derive(Clone, Debug, PartialEq)]
pub struct Found {
    pub name: String,
    pub note: String,
    pub thing: Thing,
}

/// Actors that are listed at most.
const MAX_ACTORS: usize = 2_000;

impl Session {
    /// All that has a name at the moment, and what each is: what is asked for most comes first.
    pub fn things(&self) -> Vec<Found> {
        let (p, w) = (&self.engine.program, &self.now.world);
        let words = Words::new(p, w);
        let mut out = vec![];
        let mut add = |name: String, note: String, thing: Thing| out.push(Found { name, note, thing });
        for (i, v) in p.vars.iter().enumerate() {
            let value = w.vars.get(i).map_or(String::new(), |v| words.value(v));
            add(v.name.clone(), format!("variable  {value}"), Thing::Value(Target::Var(VarId::at(i))));
        }
        for (i, d) in self.level.defines.iter().enumerate().filter(|(_, d)| !d.name.is_empty()) {
            let value = crate::values::define(&self.engine, w, DefineId::at(i));
            let value = value.map_or(String::new(), |v| words.value(&v));
            add(d.name.clone(), format!("computed  {value}"), Thing::Define(DefineId::at(i)));
        }
        for (i, t) in p.timers.iter().enumerate() {
            add(t.name.clone(), self.timer_word(TimerId::at(i)), Thing::Timer(TimerId::at(i)));
        }
        for (i, c) in p.clocks.iter().enumerate() {
            add(c.name.clone(), "clock".into(), Thing::Clock(ClockId::at(i)));
        }
        for (i, z) in p.zones.iter().enumerate().filter(|(_, z)| z.of.is_none()) {
            let inside = w.living().filter(|(_, a)| a.inside.iter().any(|(k, _)| *k == (ZoneId::at(i), None))).count();
            let note = if inside > 0 { format!("zone  {inside} inside") } else { "zone".into() };
            add(z.name.clone(), note, Thing::Zone((ZoneId::at(i), None)));
        }
        for (i, m) in p.messages.iter().enumerate() {
            add(m.name.clone(), "message".into(), Thing::Message(MessageId::at(i)));
        }
        for key in self.machine_keys() {
            if let Some(now) = w.machines.get(&key) {
                let state = p.states[now.state.index()].name.clone();
                add(words.machine(key.1, now.state), format!("machine  {state}"), Thing::Machine(key));
            }
        }
        for (id, a) in w.living().take(MAX_ACTORS) {
            let at = words.value(&Value::Point(a.at));
            let off = match (a.enabled, a.visible) {
                (false, _) => "  disabled",
                (true, false) => "  hidden",
                _ => "",
            };
            add(a.name.to_string(), format!("{}  {at}{off}", p.kinds[a.kind.index()].name), Thing::Actor(id));
            let kind = &p.kinds[a.kind.index()];
            for (f, field) in kind.fields.iter().enumerate() {
                let value = a.fields.get(f).map_or(String::new(), |v| words.value(v));
                let target = Target::Field(id, FieldId::at(f));
                add(format!("{}.{}", a.name, field.name), format!("variable  {value}"), Thing::Value(target));
            }
        }
        for (i, t) in p.tiles.iter().enumerate() {
            add(t.name.clone(), "tile".into(), Thing::Tile(TileId::at(i)));
        }
        for (i, _) in p.rules.iter().enumerate().filter(|(_, r)| !r.is_by_hand()) {
            add(p.rule_in_full(RuleId::at(i)), "rule".into(), Thing::Rule(RuleId::at(i)));
        }
        self.add_states(&mut out);
        self.add_texts(&mut out);
        out
    }

    /// States by their own names: each leads to its machine.
    fn add_states(&self, out: &mut Vec<Found>) {
        let p = &self.engine.program;
        for key in self.machine_keys() {
            for s in p.states.iter().filter(|s| s.machine == key.0) {
                let words = Words::new(p, &self.now.world);
                let now = self.now.world.machines.get(&key).map(|m| words.machine(key.1, m.state));
                let note = format!("state of {}", now.unwrap_or_default());
                out.push(Found { name: s.name.clone(), note, thing: Thing::Machine(key) });
            }
        }
    }

    /// Texts that are told, cued, logged or shown: each leads to its rule.
    fn add_texts(&self, out: &mut Vec<Found>) {
        for (i, r) in self.level.rules.iter().enumerate() {
            for b in r.elses.iter().chain([&r.then]).chain(&r.otherwise) {
                mayfly_lang::visit::stmts(b, &mut |s| {
                    let StmtKind::Do(a) = &s.kind else { return };
                    let (verb, e) = match a {
                        Action::Tell { text, .. } => ("told", text),
                        Action::Cue(text) => ("cued", text),
                        Action::Log(_, text) => ("logged", text),
                        Action::Prompt { text, .. } => ("prompt", text),
                        Action::Board { text, .. } => ("board", text),
                        _ => return,
                    };
                    let name = crate::explain::source(&self.sources, e.span);
                    let by = self.engine.program.rule_name(RuleId::at(i));
                    out.push(Found { name, note: format!("{verb} by {by}"), thing: Thing::Rule(RuleId::at(i)) });
                });
            }
        }
    }

    /// A timer and how it stands: `timer  12.5s left`.
    pub(crate) fn timer_word(&self, t: TimerId) -> String {
        let (w, rate) = (&self.now.world, self.level.rate);
        let Some(state) = w.timers.get(t.index()) else { return "timer".into() };
        let show = |ticks: u64| time::show(rate.micros(ticks), None);
        match (state.running, state.left) {
            (true, _) => format!("timer  {} left", show(w.timer_left(t))),
            (false, 0) => "timer  at rest".into(),
            (false, left) => format!("timer  paused with {} left", show(left)),
        }
    }

    /// What a thing is called at the moment.
    pub fn thing_name(&self, thing: Thing) -> String {
        let (p, w) = (&self.engine.program, &self.now.world);
        let words = Words::new(p, w);
        match thing {
            Thing::Rule(r) => p.rule_name(r),
            Thing::Value(t) => words.target(t, &[]),
            Thing::Define(d) => self.level.defines.get(d.index()).map_or(String::new(), |d| d.name.clone()),
            Thing::Timer(t) => p.timers[t.index()].name.clone(),
            Thing::Clock(c) => p.clocks[c.index()].name.clone(),
            Thing::Message(m) => p.messages[m.index()].name.clone(),
            Thing::Zone((z, of)) => words.zone(z, of),
            Thing::Actor(a) => w.actors.get(a.index()).map_or("gone".into(), |a| a.name.to_string()),
            Thing::Machine(key) => w.machines.get(&key).map_or("gone".into(), |m| words.machine(key.1, m.state)),
            Thing::Tile(t) => p.tiles[t.index()].name.clone(),
        }
    }
}
