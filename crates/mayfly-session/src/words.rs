//! What happened, in words: events, places that are written, values, causes.
//!
//! Invariant: a name stands as the level has it; what is said is short enough for one line.

use mayfly_base::*;
use mayfly_engine::names::Named;
use mayfly_engine::program::Program;
use mayfly_engine::world::{Destination, World};
use mayfly_engine::{EndWhy, EventInstance, Target, TraceEvent};

/// Words for a program and a world.
#[derive(Clone, Copy)]
pub struct Words<'a> {
    pub program: &'a Program,
    pub world: &'a World,
}

impl<'a> Words<'a> {
    pub fn new(program: &'a Program, world: &'a World) -> Self {
        Self { program, world }
    }

    fn names(&self) -> Named<'a> {
        Named(self.program, self.world)
    }

    pub fn actor(&self, a: ActorId) -> String {
        self.names().actor(a)
    }

    pub fn zone(&self, z: ZoneId, of: Option<ActorId>) -> String {
        self.names().zone(z, of)
    }

    /// Whom an event or a zone is about: `person`, `tagged cover`.
    pub fn set(&self, set: &mayfly_base::code::WhoSet) -> String {
        use mayfly_base::code::WhoSet as W;
        match set {
            W::Any => "any actor".into(),
            W::Myself => "itself".into(),
            W::Actor(a) => self.actor(*a),
            W::Kind(k) => self.program.kinds[k.index()].name.clone(),
            W::Tag(t) => format!("tagged {}", self.program.tags[t.index()]),
            W::Held(_) => "whom a variable names".into(),
        }
    }

    /// A value, texts in quotes.
    pub fn value(&self, v: &Value) -> String {
        match v {
            Value::Text(t) => format!("\"{t}\""),
            v => v.show(&self.names(), None),
        }
    }

    /// What was written.
    pub fn target(&self, t: Target, locals: &[String]) -> String {
        match t {
            Target::Var(v) => self.program.vars[v.index()].name.clone(),
            Target::Field(a, f) => {
                let kind = self.world.actors[a.index()].kind;
                let field = self.program.kinds.get(kind.index()).and_then(|k| k.fields.get(f.index()));
                format!("{}.{}", self.actor(a), field.map_or("?", |f| f.name.as_str()))
            }
            Target::Attr(a, attr) => format!("{}.{}", self.actor(a), attr.name()),
            Target::ClockSpeed(c) => format!("{}.speed", self.program.clocks[c.index()].name),
            Target::Local(s) => locals.get(s as usize).cloned().unwrap_or_else(|| "a local".into()),
        }
    }

    /// A machine by one of its states: `sluice.gate`, or `night`.
    pub fn machine(&self, of: Option<ActorId>, state: StateId) -> String {
        let name = &self.program.machines[self.program.states[state.index()].machine.index()].name;
        of.map_or(name.clone(), |a| format!("{}.{name}", self.actor(a)))
    }

    fn pair(&self, a: ActorId, b: ActorId) -> (String, String) {
        // Whoever is steered is named first: it is the one that came.
        let steered = |x: ActorId| self.program.kinds[self.world.actors[x.index()].kind.index()].steered;
        if steered(b) && !steered(a) { (self.actor(b), self.actor(a)) } else { (self.actor(a), self.actor(b)) }
    }

    /// Where an order leads.
    pub fn destination(&self, d: Destination) -> String {
        let point = |p: Point| self.value(&Value::Point(p));
        match d {
            Destination::To(p) => format!("to {}", point(p)),
            Destination::Along(p, ..) => format!("along {}", self.program.paths[p.index()].name),
            Destination::After(a) => format!("after {}", self.actor(a)),
            Destination::AwayFrom(Some(a), _) => format!("away from {}", self.actor(a)),
            Destination::AwayFrom(None, p) => format!("away from {}", point(p)),
        }
    }

    /// What happened.
    pub fn event(&self, what: &EventInstance) -> String {
        let two = |a: &ActorId, verb: &str, b: &ActorId| {
            let (x, y) = self.pair(*a, *b);
            format!("{x} {verb} {y}")
        };
        match what {
            EventInstance::Start => "start".into(),
            EventInstance::Time => "time".into(),
            EventInstance::Enters(a, z, o) => format!("{} enters {}", self.actor(*a), self.zone(*z, *o)),
            EventInstance::Leaves(a, z, o) => format!("{} leaves {}", self.actor(*a), self.zone(*z, *o)),
            EventInstance::In(a, z, o, _) => format!("{} in {}", self.actor(*a), self.zone(*z, *o)),
            EventInstance::MovesIn(a, z, o) => format!("{} moves in {}", self.actor(*a), self.zone(*z, *o)),
            EventInstance::Touches(a, b) => two(a, "touches", b),
            EventInstance::Parts(a, b) => two(a, "parts from", b),
            EventInstance::Touching(a, b, _) => two(a, "touching", b),
            EventInstance::Nears(_, a, b) => two(a, "nears", b),
            EventInstance::Strays(_, a, b) => two(a, "strays from", b),
            EventInstance::Near(_, a, b, _) => two(a, "near", b),
            EventInstance::Press(a, i) => format!("{} presses {}", self.actor(*a), self.program.inputs[i.index()]),
            EventInstance::Pressing(a, i, _) => {
                format!("{} pressing {}", self.actor(*a), self.program.inputs[i.index()])
            }
            EventInstance::Watched { watch, actor, old, new, .. } => {
                let text = &self.program.watches[watch.index()].text;
                let text = match actor {
                    Some(a) => text.replace("self", &self.actor(*a)),
                    None => text.clone(),
                };
                match new {
                    Value::Flag(b) if matches!(old, Value::Flag(_)) => format!("{text} turns {b}"),
                    _ => format!("{text} {} → {}", self.value(old), self.value(new)),
                }
            }
            EventInstance::Message { message, args, to } => {
                let name = &self.program.messages[message.index()].name;
                let args: Vec<String> = args.iter().map(|v| self.value(v)).collect();
                let to = match to.as_deref() {
                    None => String::new(),
                    Some([one]) => format!(" to {}", self.actor(*one)),
                    Some(many) => format!(" to {}", mayfly_base::number::counted(many.len(), "actor")),
                };
                if args.is_empty() { format!("{name}{to}") } else { format!("{name}({}){to}", args.join(", ")) }
            }
            EventInstance::TimerEnds(t) => format!("{} ends", self.program.timers[t.index()].name),
            EventInstance::Sees(a, b) => format!("{} sees {}", self.actor(*a), self.actor(*b)),
            EventInstance::Loses(a, b) => format!("{} loses {}", self.actor(*a), self.actor(*b)),
            EventInstance::Seeing(a, b, _) => format!("{} seeing {}", self.actor(*a), self.actor(*b)),
            EventInstance::Treads(a, t) => format!("{} treads {}", self.actor(*a), self.program.tiles[t.index()].name),
            EventInstance::Arrives(a, p, _) => {
                format!("{} arrives at {}", self.actor(*a), self.value(&Value::Point(*p)))
            }
            EventInstance::Stuck(a) => format!("{} is stuck", self.actor(*a)),
            EventInstance::Comes(a, area) => {
                format!("{} comes to {}", self.actor(*a), self.program.maps[area.index()].name)
            }
            EventInstance::Passes(c, unit, v) => {
                let clock = &self.program.clocks[c.index()];
                let (name, _, named) = &clock.units[*unit as usize];
                let value = named.and_then(|e| self.program.enums[e.index()].1.get(*v as usize).cloned());
                format!("{} passes {name} {}", clock.name, value.unwrap_or_else(|| v.to_string()))
            }
            EventInstance::MachinesBegin(None) => "machines start".into(),
            EventInstance::MachinesBegin(Some(a)) => format!("{}'s machines start", self.actor(*a)),
            EventInstance::MachineEnters(of, s) => {
                format!("{} enters {}", self.machine(*of, *s), self.program.states[s.index()].name)
            }
            EventInstance::MachineLeaves(of, s) => {
                format!("{} leaves {}", self.machine(*of, *s), self.program.states[s.index()].name)
            }
            EventInstance::Transits(rule, of) => {
                let who = of.map_or(String::new(), |a| format!("{}: ", self.actor(a)));
                format!("{who}{} can be taken", self.program.rules[rule.index()].title)
            }
            EventInstance::Spawns(a) => format!("{} spawns", self.actor(*a)),
            EventInstance::Removed(a) => format!("{} is removed", self.actor(*a)),
            EventInstance::BumpsActor(a, b) => format!("{} bumps {}", self.actor(*a), self.actor(*b)),
            EventInstance::BumpsTile(a, t) => {
                format!("{} bumps {}", self.actor(*a), self.program.tiles[t.index()].name)
            }
            EventInstance::BumpsEdge(a) => format!("{} bumps the edge", self.actor(*a)),
            EventInstance::Resumes(_) => "a wait is over".into(),
            EventInstance::Later(_) => "a kept event".into(),
        }
    }

    /// A record as a link of a chain of causes.
    pub fn record(&self, rec: &TraceEvent) -> String {
        let point = |p: &Point| self.value(&Value::Point(*p));
        match rec {
            TraceEvent::Pressed(a, i) => {
                let name = &self.program.inputs[i.index()];
                let arrow = ["↑", "→", "↓", "←"].get(i.index()).copied();
                format!("{} pressed {}", self.actor(*a), arrow.map_or(name.clone(), |s| format!("{name} {s}")))
            }
            TraceEvent::Poked(_) => "a poke".into(),
            TraceEvent::Moved { actor, to, .. } => format!("{} moved to {}", self.actor(*actor), point(to)),
            TraceEvent::Turned { actor, to, .. } => {
                format!("{} turned {}", self.actor(*actor), DIRECTIONS[*to as usize % 4])
            }
            TraceEvent::Event { what, .. } => self.event(what),
            TraceEvent::Evaluated { rule, .. } | TraceEvent::GoesOn { rule, .. } => self.program.rule_name(*rule),
            TraceEvent::Wrote { target, old, new, .. } => {
                format!("{} {} → {}", self.target(*target, &[]), self.value(old), self.value(new))
            }
            TraceEvent::Sent { message, args, .. } => format!(
                "sent {}",
                self.event(&EventInstance::Message { message: *message, args: args.clone(), to: None })
            ),
            TraceEvent::RampSet { target, to, ticks, .. } => {
                format!("{} goes to {} over {}", self.target(*target, &[]), self.value(to), self::ticks(*ticks))
            }
            TraceEvent::WentTo { of, from, to, .. } => {
                let name = |s: &StateId| self.program.states[s.index()].name.clone();
                format!("{} {} → {}", self.machine(*of, *to), name(from), name(to))
            }
            TraceEvent::Spawned { actor, .. } => format!("spawned {}", self.actor(*actor)),
            TraceEvent::Removed { actor, .. } => format!("removed {}", self.actor(*actor)),
            TraceEvent::ClockSet { clock, from, to, paused, .. } => {
                let name = &self.program.clocks[clock.index()].name;
                let show = |n: u64| mayfly_engine::clock::show(self.program, *clock, n);
                match (from == to, paused) {
                    (false, _) => format!("{name} {} → {}", show(*from), show(*to)),
                    (true, true) => format!("{name} is paused at {}", show(*to)),
                    (true, false) => format!("{name} shows {}", show(*to)),
                }
            }
            TraceEvent::Laid { at, from, to, .. } => {
                let name = |t: &TileId| self.program.tiles[t.index()].name.clone();
                format!("{} → {} at {}", from.as_ref().map_or("nothing".into(), name), name(to), point(at))
            }
            TraceEvent::Ordered { actor, goal, .. } => {
                format!("{} walks {}", self.actor(*actor), self.destination(*goal))
            }
            TraceEvent::OrderEnds { actor, goal, why: EndWhy::Halted } => {
                format!("{} halts, and no longer walks {}", self.actor(*actor), self.destination(*goal))
            }
            TraceEvent::OrderEnds { actor, goal, why } => {
                format!("{} no longer walks {}: {}", self.actor(*actor), self.destination(*goal), end_why(*why))
            }
            TraceEvent::RampEnds { target, to, why } => {
                format!("{} no longer goes to {}: {}", self.target(*target, &[]), self.value(to), end_why(*why))
            }
            TraceEvent::Remembered { actor, .. } => {
                let a = &self.world.actors[actor.index()];
                format!("{} remembers {} as its checkpoint", self.actor(*actor), point(&a.checkpoint.0))
            }
            TraceEvent::Reset { actor, .. } => format!("{} is as at first", self.actor(*actor)),
            TraceEvent::Saved { .. } => "saves what is kept".into(),
            TraceEvent::Restarts { .. } => "the level starts over with the next tick".into(),
            TraceEvent::Called { routine, args, .. } => {
                let args: Vec<String> = args.iter().map(|v| self.value(v)).collect();
                format!("calls {}({})", self.program.routines[routine.index()].name, args.join(", "))
            }
            TraceEvent::Put { actor, to, .. } => format!("{} was put at {}", self.actor(*actor), point(to)),
            TraceEvent::TimerSet { timer, was, running, left, .. } => {
                let rate = self.program.rate;
                let left_of = |ticks: u64| mayfly_base::time::show(rate.micros(ticks), None);
                let did = match (*was, *running, *left) {
                    ((false, was), true, left) if was == left => format!("goes on with {} left", left_of(left)),
                    (_, true, _) => "was started".into(),
                    ((true, _), false, 1..) => format!("was paused with {} left", left_of(*left)),
                    ((false, _), false, 1..) => format!("is paused already, with {} left", left_of(*left)),
                    ((false, 0), false, 0) => "is at rest already".into(),
                    (_, false, 0) => "was stopped".into(),
                };
                format!("{} {did}", self.program.timers[timer.index()].name)
            }
            _ => String::new(),
        }
    }
}

/// What ended an order or a ramp before its goal.
fn end_why(why: EndWhy) -> &'static str {
    match why {
        EndWhy::Halted => "it was halted",
        EndWhy::Replaced => "a newer one takes its place",
        EndWhy::Written => "something else was written",
        EndWhy::Key => "a key steers it",
        EndWhy::Left => "the state that began it was left",
        EndWhy::Reset => "it is as at first",
        EndWhy::Removed => "it was removed",
        EndWhy::Stopped => "something solid or out of bounds stopped it",
    }
}

/// So many ticks, in words.
pub fn ticks(n: u64) -> String {
    if n == 1 { "1 tick".into() } else { format!("{n} ticks") }
}
