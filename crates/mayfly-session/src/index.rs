//! What is kept of a whole flight so that it can be asked at once: who was evaluated when, what was
//! written when, what was sent, told and cued.
//!
//! Invariant: a tick stands at most once in a list, and lists are in order. The index never grows past
//! [`MAX`] entries; past that, the oldest of a list are given up, and the flight itself is asked.

use crate::bounded::{MAX, bounded, forget_old};
use crate::digest::{self, Names};
use crate::first_last::FirstLast;
use crate::headless::{FaultAt, Line, Listener};
use crate::stops::Stops;
use crate::writer::{Writer, Writers};
use mayfly_base::code::Attr;
use mayfly_base::*;
use mayfly_engine::EventInstance;
use mayfly_engine::program::Program;
use mayfly_engine::record::{Motion, Recorder, SwitchedWhat, Target, TraceEvent};
use mayfly_engine::world::{MachineKey, World, ZoneKey};
use rustc_hash::FxHashMap;
use std::collections::BTreeMap;

/// Ticks, in order, each once.
pub type Ticks = Vec<u64>;

/// Ticks of each rule.
#[derive(Clone, Debug, Default)]
pub struct ByRule(Vec<Ticks>);

impl ByRule {
    pub fn get(&self, rule: &RuleId) -> Option<&Ticks> {
        self.0.get(rule.index())
    }

    pub fn values(&self) -> impl Iterator<Item = &Ticks> {
        self.0.iter()
    }

    fn add(&mut self, rule: RuleId, tick: u64) {
        if rule.index() >= self.0.len() {
            self.0.resize(rule.index() + 1, vec![]);
        }
        add(&mut self.0[rule.index()], tick);
    }
}

#[derive(Clone, Debug, Default)]
pub struct Index {
    pub evaluated: ByRule,
    pub fired: ByRule,
    /// Where a run of it went on after a wait.
    pub went_on: ByRule,
    pub written: FxHashMap<Target, Ticks>,
    pub writers: Writers,
    /// Whose the code is at places where something was written in the midst of no rule.
    owners: FxHashMap<u32, Writer>,
    pub sent: FxHashMap<MessageId, Ticks>,
    /// Judgements so far.
    pub evaluated_count: u64,
    /// A `save` was carried out since that was last asked.
    pub saved: bool,
    /// One number for what happened in each tick in which anything did.
    pub digests: Vec<(u64, u64)>,
    /// The sum of the motions of the tick under way.
    moves: u64,
    /// Every change of state of each machine.
    pub went: FxHashMap<MachineKey, Vec<Went>>,
    /// Whoever was spawned: when, and by which rule.
    pub spawned: BTreeMap<ActorId, (u64, Option<RuleId>)>,
    /// When somebody came into a zone, or left it, where a rule waits for that.
    pub crossed: FxHashMap<ZoneKey, Ticks>,
    /// What became of each timer, in order.
    pub timers: FxHashMap<TimerId, Vec<TimerStep>>,
    /// What was switched on and off, in order.
    pub switched: Vec<Switching>,
    /// The rule that is being carried out.
    acting: Option<RuleId>,
    pub log: FirstLast<Line>,
    pub faults: FirstLast<FaultAt>,
}

fn add(list: &mut Ticks, tick: u64) {
    if list.last() != Some(&tick) {
        bounded(list, tick);
    }
}

/// One change of a machine's state.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Went {
    pub tick: u64,
    /// The record of it.
    pub at: u32,
    pub from: StateId,
    pub to: StateId,
    /// The transition that was taken, or the rule that said `go`.
    pub rule: Option<RuleId>,
}

/// Something that became of a timer.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct TimerStep {
    pub tick: u64,
    pub at: u32,
    pub what: TimerDid,
    /// Ticks that were left before it, and are after it.
    pub left: (u64, u64),
    /// The rule that did it; by hand where there is none, or in its own time where it ended.
    pub rule: Option<RuleId>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TimerDid {
    Started,
    /// Started while it ran.
    Restarted,
    Stopped,
    Ended,
}

/// Something that was switched.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Switching {
    pub tick: u64,
    pub at: u32,
    pub what: SwitchedWhat,
    pub on: bool,
    pub rule: Option<RuleId>,
}

/// Fills the index while the flight runs.
pub struct Indexing<'a> {
    pub index: &'a mut Index,
    pub count: u32,
    /// Looks at every record as it comes, but those of motion.
    pub stops: Option<&'a mut Stops>,
    /// What is needed to keep one number for each tick.
    pub names: Option<(&'a Names, &'a Program)>,
}

impl Recorder for Indexing<'_> {
    const ON: bool = true;
    const KEEPS_LOCALS: bool = false;

    fn take(&mut self, world: &World, rec: impl FnOnce() -> TraceEvent) -> u32 {
        let r = rec();
        self.count += 1;
        self.keep(world, r);
        self.count - 1
    }

    /// Nothing of it is kept but its number.
    #[inline]
    fn moved(&mut self, _: &World, m: Motion) -> u32 {
        let at = self.count;
        self.count += 1;
        self.index.moves = self.index.moves.wrapping_add(digest::of_move(m.name_hash, m.to));
        at
    }
}

impl Indexing<'_> {
    fn keep(&mut self, world: &World, r: TraceEvent) {
        let (tick, at) = (world.tick, self.count - 1);
        if let (Some(s), Some((_, program))) = (&mut self.stops, self.names) {
            s.see(at, &r, world, program);
        }
        // The motions of a tick are one number, whatever their order.
        if matches!(r, TraceEvent::Closed) {
            let moves = std::mem::take(&mut self.index.moves);
            if moves != 0 && self.names.is_some() {
                digest::add(&mut self.index.digests, tick, moves);
            }
        }
        if let Some((names, program)) = self.names
            && let Some(d) = names.digest(program, world, &r)
        {
            digest::add(&mut self.index.digests, tick, d);
        }
        if matches!(r, TraceEvent::Evaluated { .. } | TraceEvent::GoesOn { .. }) {
            self.index.evaluated_count += 1;
        }
        match &r {
            TraceEvent::Event { what: EventInstance::TimerEnds(t), .. } => {
                self.index.acting = None;
                // A repeating one has begun again by then.
                let left = if world.timers[t.index()].running { world.timer_left(*t) } else { 0 };
                let step = TimerStep { tick, at, what: TimerDid::Ended, left: (0, left), rule: None };
                bounded(self.index.timers.entry(*t).or_default(), step);
            }
            TraceEvent::Round(_) | TraceEvent::Event { .. } | TraceEvent::Poked(_) | TraceEvent::Closed => {
                self.index.acting = None
            }
            TraceEvent::Evaluated { rule, .. } | TraceEvent::GoesOn { rule, .. } => self.index.acting = Some(*rule),
            TraceEvent::WentTo { machine, of, from, to } => {
                forget_old(&mut self.index.went, |l| l.last().map_or(0, |w| w.tick));
                let list = self.index.went.entry((*machine, *of)).or_default();
                if list.len() < MAX {
                    list.push(Went { tick, at, from: *from, to: *to, rule: self.index.acting });
                }
            }
            TraceEvent::TimerSet { timer, was: (ran, was), running, left, .. } => {
                let what = match (running, ran) {
                    (true, true) => TimerDid::Restarted,
                    (true, false) => TimerDid::Started,
                    (false, _) => TimerDid::Stopped,
                };
                let step = TimerStep { tick, at, what, left: (*was, *left), rule: self.index.acting };
                bounded(self.index.timers.entry(*timer).or_default(), step);
            }
            TraceEvent::Switched { what, on, .. } => {
                let step = Switching { tick, at, what: *what, on: *on, rule: self.index.acting };
                bounded(&mut self.index.switched, step);
            }
            TraceEvent::Spawned { actor, .. } => {
                let spawned = &mut self.index.spawned;
                spawned.insert(*actor, (tick, self.index.acting));
                if spawned.len() > MAX {
                    spawned.pop_first();
                }
            }
            _ => {}
        }
        match &r {
            TraceEvent::Evaluated { rule, verdict, .. } => {
                self.index.evaluated.add(*rule, tick);
                if *verdict == mayfly_engine::Verdict::Fired {
                    self.index.fired.add(*rule, tick);
                }
            }
            TraceEvent::GoesOn { rule, .. } => {
                self.index.evaluated.add(*rule, tick);
                self.index.went_on.add(*rule, tick);
            }
            TraceEvent::Wrote { target, old, new, pc, .. } if !matches!(target, Target::Local(_)) => {
                self.note_write(tick, *target, (old, new), *pc);
            }
            // Who puts somebody elsewhere writes its place.
            TraceEvent::Put { actor, from, to, pc } => {
                let place = Target::Attr(*actor, Attr::At);
                self.note_write(tick, place, (&Value::Point(*from), &Value::Point(*to)), *pc);
            }
            TraceEvent::Saved { .. } => self.index.saved = true,
            TraceEvent::Event { what: EventInstance::Enters(_, z, of) | EventInstance::Leaves(_, z, of), .. } => {
                forget_old(&mut self.index.crossed, |l| l.last().copied().unwrap_or(0));
                add(self.index.crossed.entry((*z, *of)).or_default(), tick);
            }
            TraceEvent::Sent { message, .. } => add(self.index.sent.entry(*message).or_default(), tick),
            _ => {}
        }
        // The end of a level stands in the log as well.
        if let TraceEvent::Ended { win, text, pc } = &r {
            let what = if *win { "win" } else { "lose" };
            self.index.log.push(Line { tick, what, text: text.clone(), pc: *pc, at });
        }
        if matches!(
            r,
            TraceEvent::Told { .. } | TraceEvent::Cued { .. } | TraceEvent::Logged { .. } | TraceEvent::Faulted { .. }
        ) {
            let mut listener = Listener::default();
            listener.listen(tick, at, r);
            listener.log.into_iter().for_each(|l| self.index.log.push(l));
            listener.faults.into_iter().for_each(|f| self.index.faults.push(f));
        }
    }

    fn note_write(&mut self, tick: u64, target: Target, (old, new): (&Value, &Value), pc: u32) {
        forget_old(&mut self.index.written, |l| l.last().copied().unwrap_or(0));
        add(self.index.written.entry(target).or_default(), tick);
        let Some((_, p)) = self.names else { return };
        // What is written in the midst of no rule, by a ramp, is known by its code; found once.
        let by = match self.index.acting {
            Some(r) => Writer::of_rule(p, r),
            None => *self.index.owners.entry(pc).or_insert_with(|| Writer::at(p, pc)),
        };
        self.index.writers.add(target, by, tick, old, new);
    }
}

impl Index {
    /// Forgets everything from `tick` on.
    pub fn cut(&mut self, tick: u64) {
        let by_rule = self.evaluated.0.iter_mut().chain(&mut self.fired.0).chain(&mut self.went_on.0);
        let lists = by_rule.chain(self.written.values_mut()).chain(self.sent.values_mut());
        let lists = lists.chain(self.crossed.values_mut());
        for list in lists {
            list.truncate(list.partition_point(|t| *t < tick));
        }
        self.writers.cut(tick);
        self.went.values_mut().for_each(|l| l.truncate(l.partition_point(|w| w.tick < tick)));
        self.timers.values_mut().for_each(|l| l.truncate(l.partition_point(|s| s.tick < tick)));
        self.switched.truncate(self.switched.partition_point(|s| s.tick < tick));
        self.spawned.retain(|_, (t, _)| *t < tick);
        self.digests.truncate(self.digests.partition_point(|(t, _)| *t < tick));
        self.log.cut(|l| l.tick < tick);
        self.faults.cut(|f| f.tick < tick);
    }

    /// The last tick of a list at or before `tick`.
    pub fn last(list: Option<&Ticks>, tick: u64) -> Option<u64> {
        let list = list?;
        list[..list.partition_point(|t| *t <= tick)].last().copied()
    }

    /// The first tick of a list after `tick`.
    pub fn next(list: Option<&Ticks>, tick: u64) -> Option<u64> {
        let list = list?;
        list.get(list.partition_point(|t| *t <= tick)).copied()
    }
}
