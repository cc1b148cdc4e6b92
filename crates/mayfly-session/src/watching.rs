//! What is watched in a session: lines put and taken away, their history, and what each shows at the moment.
//!
//! Not here: what one watched line keeps ([`crate::watch`]).
//!
//! Invariant: watching changes nothing of the flight.

use crate::index::Index;
use crate::moment::At;
use crate::session::Session;
use crate::values::{Needs, target_of};
use crate::watch::{Seen, Watch};
use mayfly_base::code::{Attr, Expr, ExprKind};
use mayfly_base::*;
use mayfly_engine::names::Named;
use mayfly_engine::world::World;
use mayfly_engine::{Engine, Target, TraceEvent};
use mayfly_lang::diagnostic::Diagnostic;

/// Ticks of the flight that are run again for a new watch's history.
const LOOK_BACK: u64 = 20_000;
/// What is watched unasked: lines in all, and machines among them.
const MAX_DEFAULTS: usize = 32;
const MAX_MACHINES: usize = 6;

fn value(engine: &Engine, world: &World, w: &Watch) -> Value {
    crate::values::by_needs(engine, world, &w.expr, w.needs, None, &[]).unwrap_or(Value::None)
}

impl Session {
    /// What is watched at first, in groups: the level's variables and defines, what the steered have, timers and clocks, and
    /// machines. Where a level has none of these, where its actors are.
    pub fn watch_defaults(&mut self) {
        use mayfly_lang::level::Listed;
        let l = &self.level;
        let name = |listed: &Listed| match listed {
            Listed::Var(v) => l.vars[v.index()].name.clone(),
            Listed::Define(d) => l.defines[d.index()].name.clone(),
        };
        let mut groups: Vec<(String, Vec<String>)> = vec![(String::new(), l.listed.iter().map(name).collect())];
        for a in l.actors.iter().filter(|a| l.kinds[a.kind.index()].steered) {
            let fields = l.kinds[a.kind.index()].fields.iter().map(|f| format!("{}.{}", a.name, f.name));
            groups.push((a.name.clone(), fields.collect()));
        }
        let timers = l.timers.iter().map(|t| format!("{}.left", t.name));
        let clocks = l.clocks.iter().flat_map(|c| {
            let units = c.units.len();
            c.units.iter().skip(units.saturating_sub(2)).rev().map(move |u| format!("{}.{}", c.name, u.name))
        });
        groups.push(("timers and clocks".into(), timers.chain(clocks).collect()));
        let mut machines: Vec<String> = vec![];
        for (m, of) in self.machine_keys() {
            let name = &self.engine.program.machines[m.index()].name;
            let of = of.and_then(|a| self.now.world.actor(a)).map(|a| format!("{}.{name}", a.name));
            machines.push(of.unwrap_or_else(|| name.clone()));
        }
        machines.truncate(MAX_MACHINES);
        groups.push(("machines".into(), machines));
        groups.retain(|(_, g)| !g.is_empty());
        if groups.is_empty() {
            groups.push(("actors".into(), l.actors.iter().take(6).map(|a| format!("{}.at", a.name)).collect()));
        }
        // One group alone needs no heading.
        let headed = groups.len() > 1;
        let mut texts: Vec<String> = vec![];
        for (title, group) in groups {
            if headed && !title.is_empty() {
                texts.push(format!("// {title}"));
            }
            texts.extend(group);
        }
        texts.truncate(MAX_DEFAULTS);
        for t in texts {
            let _ = self.watch(&t);
        }
    }

    /// Watches an expression; gives its place in the list.
    ///
    /// # Errors
    /// What is wrong with it.
    pub fn watch(&mut self, text: &str) -> Result<usize, Box<Diagnostic>> {
        let known = self.watches.iter().position(|w| w.text == text.trim());
        if let Some(i) = known {
            return Ok(i);
        }
        let mut new = [self.to_watch(text)?];
        self.fill_series(&mut new);
        self.watches.extend(new);
        Ok(self.watches.len() - 1)
    }

    /// Watches these from the flight's beginning on, before anything of it is flown; what is not understood
    /// is left out.
    pub(crate) fn watch_from_the_start<'t>(&mut self, texts: impl IntoIterator<Item = &'t str>) {
        self.watches.clear();
        for t in texts {
            if self.watches.iter().any(|w| w.text == t) {
                continue;
            }
            match self.to_watch(t) {
                Ok(w) => self.watches.push(w),
                Err(_) if self.unfit_watches.iter().any(|u| u == t) => {}
                Err(_) => self.unfit_watches.push(t.into()),
            }
        }
    }

    fn to_watch(&self, text: &str) -> Result<Watch, Box<Diagnostic>> {
        let text = text.trim();
        if text.starts_with("//") {
            let expr = Expr::constant(Value::None);
            let needs = Needs::of(&expr);
            let (text, doc) = (text.to_string(), String::new());
            return Ok(Watch { text, expr, needs, doc, target: None, series: vec![], heading: true, flows: true });
        }
        let (expr, _) = mayfly_lang::check::expression(&self.level, text)?;
        let target = target_of(&expr);
        let mut flows = false;
        expr.walk(&mut |e| flows |= matches!(e.kind, ExprKind::TimerLeft(_) | ExprKind::Time | ExprKind::Tick));
        let doc = match target {
            Some(Target::Var(v)) => self.level.vars[v.index()].doc.clone(),
            _ => String::new(),
        };
        let needs = Needs::of(&expr);
        Ok(Watch { text: text.to_string(), needs, expr, doc, target, series: vec![], heading: false, flows })
    }

    /// Takes watches over from text, one a line; gives what is not understood any more.
    pub fn read_watches(&mut self, text: &str) -> Vec<String> {
        let (mut new, mut lost) = (vec![], vec![]);
        self.unfit_watches.clear();
        for line in text.lines().map(str::trim).filter(|l| !l.is_empty()) {
            match self.to_watch(line) {
                Ok(w) if !new.iter().any(|n: &Watch| n.text == w.text) => new.push(w),
                Ok(_) => {}
                Err(why) => {
                    self.unfit_watches.push(line.into());
                    lost.push(format!("{line}: {why}"));
                }
            }
        }
        self.fill_series(&mut new);
        self.watches = new;
        lost
    }

    /// Moves a watch up or down in the list; gives its place then.
    pub fn move_watch(&mut self, i: usize, down: bool) -> usize {
        let to = if down { i + 1 } else { i.wrapping_sub(1) };
        if i >= self.watches.len() || to >= self.watches.len() {
            return i;
        }
        self.watches.swap(i, to);
        to
    }

    pub fn unwatch(&mut self, i: usize) {
        if i < self.watches.len() {
            self.watches.remove(i);
        }
    }

    /// The history of these, in one look back over the flight.
    fn fill_series(&mut self, watches: &mut [Watch]) {
        watches.iter_mut().for_each(|w| w.series.clear());
        let to = self.history.live_tick();
        let from = to.saturating_sub(LOOK_BACK);
        let engine = self.engine.clone();
        self.history.scan_worlds(&engine, from, to, |tick, world| {
            for w in watches.iter_mut() {
                w.sample(tick, value(&engine, world, w));
            }
        });
    }

    /// The series of every watch, made again.
    pub fn resample_watches(&mut self) {
        let mut watches = std::mem::take(&mut self.watches);
        self.fill_series(&mut watches);
        self.watches = watches;
    }

    /// After a tick at the live edge.
    pub fn sample_watches(&mut self) {
        let tick = self.last_tick();
        let world = self.history.live();
        for w in &mut self.watches {
            // A variable that stands as it stood is not even copied.
            let stored = match w.target {
                Some(Target::Var(v)) => world.vars.get(v.index()),
                Some(Target::Field(a, f)) => world.actor(a).and_then(|a| a.fields.get(f.index())),
                _ => None,
            };
            if let (Some(v), Some((_, last))) = (stored, w.series.last())
                && v.same(last)
            {
                continue;
            }
            let v = value(&self.engine, world, w);
            w.sample(tick, v);
        }
    }

    /// Every watch as it is at the moment.
    pub fn seen(&self) -> Vec<Seen> {
        self.watches.iter().map(|w| self.see(w)).collect()
    }

    fn see(&self, w: &Watch) -> Seen {
        let was = |world: &World| value(&self.engine, world, w);
        let (before, now) = (was(&self.now.before), was(&self.now.world));
        let names = Named(&self.engine.program, &self.now.world);
        let show = |v: &Value| match v {
            Value::Text(t) => format!("\"{t}\""),
            v @ Value::Duration(_) => v.show(&names, Some(1)),
            v => v.show(&names, None),
        };
        let had = w.target.map(|t| self.values_here(t)).unwrap_or_default();
        // What was written and written back changed too.
        let changed = !w.flows && (!before.same(&now) || had.iter().any(|v| !v.same(&before)));
        let steps = if had.len() > 1 { had.iter().map(show).collect() } else { vec![] };
        Seen {
            text: w.text.clone(),
            shown_before: show(&before),
            shown: show(&now),
            changed,
            steps,
            before,
            now,
            writer: w.target.and_then(|t| self.writer_of(w, t)),
            target: w.target,
        }
    }

    /// The values that were written to a place in this tick, up to the moment, in order.
    fn values_here(&self, target: Target) -> Vec<Value> {
        let until = match self.moment.at {
            At::Start => return vec![],
            At::Record(i) => i as usize,
            At::End => usize::MAX,
        };
        let records = self.now.records.iter().take(until.saturating_add(1));
        let new = |r: &TraceEvent| match r {
            TraceEvent::Wrote { target: t, new, .. } if *t == target => Some(new.clone()),
            _ => None,
        };
        records.filter_map(new).collect()
    }

    /// Who wrote it last, at the moment or before: the rule, and the tick.
    pub fn writer(&self, target: Target) -> Option<(String, u64)> {
        if let Some(name) = self.writer_here(target) {
            return Some((name, self.moment.tick));
        }
        let before = self.moment.tick.checked_sub(1)?;
        let tick = written_with(target).filter_map(|t| Index::last(self.index.written.get(&t), before)).max()?;
        Some((String::new(), tick))
    }

    /// Who wrote what is watched. A place or a facing changes by motion, too, which is no write: the tick in which it did so
    /// last is known by what the watch saw.
    fn writer_of(&self, w: &Watch, target: Target) -> Option<(String, u64)> {
        let upto = w.series.partition_point(|(tick, _)| *tick < self.moment.tick);
        let seen = w.series.get(1..upto).and_then(<[_]>::last).filter(|_| is_moved(target));
        let here = self.writer_here(target).map(|name| (name, self.moment.tick));
        here.or_else(|| seen.map(|(tick, _)| (String::new(), *tick))).or_else(|| self.writer(target))
    }

    /// The rung of this tick that wrote it last, up to the moment.
    fn writer_here(&self, target: Target) -> Option<String> {
        let until = match self.moment.at {
            At::Start => return None,
            At::Record(i) => i,
            At::End => u32::MAX,
        };
        let whose = |a: &ActorId| is_moved(target) && target.owner() == Some(*a);
        let is_facing = matches!(target, Target::Attr(_, Attr::Facing));
        let wrote = |(i, r): (usize, &TraceEvent)| {
            let by = match r {
                TraceEvent::Wrote { target: t, .. } if t.meets(target) => "a poke",
                TraceEvent::Put { actor, .. } if !is_facing && whose(actor) => "a poke",
                TraceEvent::Moved { actor, .. } if !is_facing && whose(actor) => "its motion",
                TraceEvent::Turned { actor, .. } if is_facing && whose(actor) => "its motion",
                _ => return None,
            };
            Some((i as u32, by))
        };
        let records = self.now.records.iter().enumerate().take_while(|(i, _)| *i as u32 <= until);
        let (at, by) = records.filter_map(wrote).last()?;
        Some(self.now.cascade.rung_of(at).map_or(by.into(), |r| r.title.clone()))
    }
}

/// What is said of a value that nobody wrote yet.
pub fn unwritten(target: Target) -> &'static str {
    if is_moved(target) {
        "by no rule yet in this flight: orders and keys move it"
    } else {
        "not yet in this flight: it has its first value"
    }
}

/// What is written with it, itself included: a write to a place writes its `x`, and the other way round.
pub(crate) fn written_with(target: Target) -> impl Iterator<Item = Target> {
    let parts = [Attr::At, Attr::X, Attr::Y].into_iter().filter_map(move |x| Some(Target::Attr(target.owner()?, x)));
    parts.filter(move |t| *t != target && t.meets(target)).chain([target])
}

/// True of what motion changes without a write.
fn is_moved(target: Target) -> bool {
    matches!(target, Target::Attr(_, Attr::At | Attr::X | Attr::Y | Attr::Facing))
}
