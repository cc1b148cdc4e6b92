//! The state of a level at one moment. Everything that the next tick depends on is here, and nothing
//! else: a world and the inputs that follow give the rest of the flight.
//!
//! Not here: what happened ([`crate::record`]), what is declared ([`crate::program::Program`]).
//!
//! Invariant: actors stand in order of creation and keep their place for ever; a removed one stays as
//! a stand-in that nothing finds. Collections are ordered; nothing here depends on where memory lies.

pub use crate::actor::*;
use crate::actors::Actors;
use crate::cause::{Cause, Target};
use crate::ground_changes::{Changes, Covered};
pub use crate::machine_state::*;
pub use crate::order::*;
use crate::program::Program;
use mayfly_base::code::{Shape, Slot, WhoSet};
use mayfly_base::*;
use std::cell::RefCell;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

#[derive(Clone, Debug)]
pub struct World {
    /// The tick that is being run, or that was run last.
    pub tick: u64,
    /// The tick that is run next: how many were closed.
    pub next: u64,
    /// The tick in which the level began, or began again by `restart`.
    pub base: u64,
    pub seed: u64,
    pub vars: Vec<Value>,
    /// The values with which the variables began.
    pub first_vars: Arc<[Value]>,
    pub actors: Actors,
    /// How many actors of each kind had no name of their own.
    pub numbered: Vec<u32>,
    pub zone_off: Vec<bool>,
    pub timers: Vec<TimerState>,
    pub clocks: Vec<ClockState>,
    /// Tiles that were laid since the beginning.
    pub laid: BTreeMap<(AreaId, i64, i64), TileId>,
    /// Cells whose tile is to be sensed.
    pub fresh: Vec<((AreaId, i64, i64), Cause)>,
    /// Something that hides others changed since sight was sensed; what did it, where that is known.
    pub sight_changed: bool,
    pub sight_cause: Cause,
    /// The shapes of zones that follow tiles, where a tile was laid.
    pub shapes: BTreeMap<ZoneId, Arc<Shape>>,
    /// What changed of what stops actors.
    pub changes: Changes,
    /// Where each actor stands that stops others.
    pub stood: BTreeMap<ActorId, (Point, (f64, f64))>,
    /// The cells that those who carry others, and stop nobody, made free ground when what stops others was last looked at.
    pub covered: BTreeMap<ActorId, Covered>,
    /// Rules whose eventless clauses, and signs whose tests, are faulty: each is told once.
    pub faulty: BTreeSet<(RuleId, Option<ActorId>)>,
    /// Actors that are solid and there, in order: a list made again where that changed.
    pub solids: Vec<ActorId>,
    /// Who sees whom, and since when.
    pub seen: BTreeMap<(ActorId, ActorId), u64>,
    /// How many unnamed actors of a kind were first placed at a point.
    pub origins: BTreeMap<(KindId, AreaId, u64, u64), u32>,
    /// Some actor was removed in this tick.
    pub removed: bool,
    /// Bytes that all variables hold outside themselves.
    pub bytes: usize,
    pub rules: Vec<RuleState>,
    /// Uses of `once` and `at most`: rule, which limit, `self`, and for whom it counts.
    pub uses: BTreeMap<LimitKey, u64>,
    /// The tick from which a rule may fire again.
    pub rests: BTreeMap<LimitKey, u64>,
    /// Runs that wait, in the order in which they were begun.
    pub runs: Vec<Run>,
    /// Whoever was stopped by something, while that contact lasts.
    pub stopped: Vec<ActorId>,
    /// Events kept by `again later`.
    pub later: Vec<Later>,
    /// Messages under way, in the order in which they were sent.
    pub mail: Vec<Mail>,
    pub watched: Vec<Vec<WatchState>>,
    /// Watches to compare at the next notice: whose actor (none: all), and what made it so.
    pub stale: Vec<(WatchId, Option<ActorId>, Cause)>,
    /// Pairs in contact, the older actor first.
    pub contacts: BTreeMap<(ActorId, ActorId), Contact>,
    /// Pairs that are near, by their range.
    pub near: BTreeMap<(u32, ActorId, ActorId), u64>,
    /// The state of every machine: the level's, and those of actors.
    pub machines: BTreeMap<MachineKey, MachineState>,
    /// Values that move over ticks, in the order in which they were begun.
    pub ramps: Vec<Ramp>,
    pub signs: Vec<Sign>,
    pub random: RefCell<RandomStreams>,
    /// Inputs that are down, with the tick since which they are.
    pub down: BTreeMap<(ActorId, InputId), u64>,
    /// Counts what is begun, so that what was begun first ends first.
    pub begun: u64,
    pub ended: Option<Ended>,
    /// What `win`, `lose` or `restart` said first in this tick.
    pub ending: Option<Ending>,
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ClockState {
    pub shows: u64,
    pub run: u64,
    /// What has run of the next unit, in parts of which [`crate::clock`] knows the size.
    pub part: u128,
    pub speed: f64,
    pub paused: bool,
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Contact {
    pub since: u64,
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub struct TimerState {
    pub running: bool,
    /// The tick in which it ends, while it runs.
    pub due: u64,
    /// What is left, while it is paused; 0 at rest.
    pub left: u64,
    /// Ticks of this start.
    pub length: u64,
    pub order: u64,
    pub cause: Cause,
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub struct RuleState {
    pub on: bool,
    pub fired: u64,
    pub held: u64,
    pub spent: u64,
}

/// Rule, which of its limits, `self`, for whom.
pub type LimitKey = (RuleId, u8, Option<ActorId>, Option<ActorId>);

/// A rule's actions under way.
#[derive(Clone, Debug)]
pub struct Run {
    pub id: u64,
    pub rule: RuleId,
    pub me: Option<ActorId>,
    pub locals: Vec<Value>,
    /// Frames of what called the routine in which it is, outermost first.
    pub stack: Vec<Frame>,
    /// How many of them it found when it began: what runs beside a routine ends there.
    pub floor: usize,
    pub pc: u32,
    pub wait: Wait,
    /// The stay in a state with which it ends.
    pub home: Option<Home>,
    /// The evaluation that began it.
    pub cause: Cause,
}

/// Where a routine was called.
#[derive(Clone, Debug, PartialEq)]
pub struct Frame {
    pub pc: u32,
    pub locals: Vec<Value>,
    /// Where its result goes.
    pub into: Option<Slot>,
}

impl Run {
    /// A run that begins.
    pub fn new(
        rule: RuleId,
        me: Option<ActorId>,
        locals: Vec<Value>,
        pc: u32,
        home: Option<Home>,
        cause: Cause,
    ) -> Self {
        Self { id: 0, rule, me, locals, stack: vec![], floor: 0, pc, wait: Wait::Until(0), home, cause }
    }

    /// The frame of its rule.
    pub fn own(&self) -> &[Value] {
        self.stack.first().map_or(&self.locals, |f| &f.locals)
    }
}

#[derive(Clone, Debug, PartialEq)]
pub enum Wait {
    /// Goes on in that tick.
    Until(u64),
    /// Goes on at the first notice that finds the test of its op true, or in that tick.
    Test(Option<u64>),
    /// Goes on at that event, or in that tick.
    Event(RuleId, Option<u64>),
    /// Goes on when that actor's order ends.
    Walk(ActorId, u64),
    /// Goes on when that ramp ends.
    Ramp(u64),
}

#[derive(Clone, Debug)]
pub struct Later {
    pub id: u64,
    pub rule: RuleId,
    pub when: u16,
    pub me: Option<ActorId>,
    pub locals: Vec<Value>,
    pub cause: Cause,
}

#[derive(Clone, Debug)]
pub struct Mail {
    pub due: u64,
    pub order: u64,
    pub message: MessageId,
    pub args: Vec<Value>,
    pub to: Option<Vec<ActorId>>,
    pub cause: Cause,
}

/// What one watched expression was at the last notice.
#[derive(Clone, Debug)]
pub struct WatchState {
    pub actor: Option<ActorId>,
    pub last: Value,
    pub truth: bool,
    /// For each form, whether the last value lay before its bound.
    pub before: u64,
    pub faulty: bool,
}

/// A value on its way: the k-th of n values stands after k ticks.
#[derive(Clone, Debug)]
pub struct Ramp {
    /// In the order in which they were begun.
    pub id: u64,
    pub target: Target,
    pub from: Value,
    pub to: Value,
    pub ticks: u64,
    pub done: u64,
    pub smooth: bool,
    pub slide: bool,
    pub pc: u32,
    pub home: Option<Home>,
    pub cause: Cause,
}

/// A text that stands while its test is true: a prompt or the board.
#[derive(Clone, Debug)]
pub struct Sign {
    pub pc: u32,
    pub me: Option<ActorId>,
    pub on: Option<ActorId>,
    pub locals: Vec<Value>,
    pub board: bool,
    pub home: Option<Home>,
    pub rule: RuleId,
    /// The tick in which it goes at the latest.
    pub until: Option<u64>,
    /// Its test was faulty when it was last asked.
    pub faulty: bool,
}

/// The streams that were drawn from so far.
#[derive(Clone, Debug, Default)]
pub struct RandomStreams {
    pub streams: BTreeMap<StreamKey, Stream>,
    /// What the next draws of a place give: set by hand.
    pub fixed: BTreeMap<DrawId, Vec<Value>>,
}

/// A place that draws, `self`, and the rule that called the routine in which it stands.
pub type StreamKey = (DrawId, Option<ActorId>, Option<RuleId>);

/// What takes effect when the tick settles.
#[derive(Clone, Debug, PartialEq)]
pub enum Ending {
    End(Ended),
    Restart,
}

#[derive(Clone, Debug, PartialEq)]
pub struct Ended {
    pub tick: u64,
    pub win: bool,
    pub text: String,
}

impl World {
    /// The actor, where it is there (also while it is disabled).
    pub fn actor(&self, id: ActorId) -> Option<&Actor> {
        self.actors.get(id.index()).filter(|a| !a.gone)
    }

    /// All actors that are there, in order of creation.
    pub fn living(&self) -> impl Iterator<Item = (ActorId, &Actor)> {
        self.ones().filter(|(_, a)| !a.is_zone)
    }

    /// All actors that are there, and the stand-ins of zones with a kind.
    pub fn ones(&self) -> impl Iterator<Item = (ActorId, &Actor)> {
        self.actors.iter().filter(|(_, a)| !a.gone)
    }

    /// An actor as a value; of a stand-in, its zone.
    pub fn as_value(&self, id: ActorId) -> Value {
        match self.actors[id.index()].zone {
            Some(z) => Value::Zone(z, None),
            None => Value::Actor(id),
        }
    }

    /// The tile at a cell of an area now.
    pub fn tile(&self, program: &Program, area: AreaId, cell: (i64, i64)) -> Option<TileId> {
        if !self.laid.is_empty()
            && let Some(t) = self.laid.get(&(area, cell.0, cell.1))
        {
            return Some(*t);
        }
        program.maps[area.index()].tile(cell)
    }

    /// The shape of a zone now: one that follows tiles follows what was laid.
    pub fn shape<'s>(&'s self, program: &'s Program, zone: ZoneId) -> &'s Shape {
        if !self.shapes.is_empty()
            && let Some(shape) = self.shapes.get(&zone)
        {
            return shape;
        }
        &program.zones[zone.index()].shape
    }

    /// Ticks since the level began, or began again: at the end of a tick that restarts it that lies one tick ahead.
    pub fn age(&self) -> u64 {
        self.tick.saturating_sub(self.base)
    }

    /// Ticks that a timer has left; 0 at rest.
    pub fn timer_left(&self, id: TimerId) -> u64 {
        let t = &self.timers[id.index()];
        if t.running { t.due.saturating_sub(self.tick) } else { t.left }
    }

    /// The pair in the order of creation.
    pub fn pair(a: ActorId, b: ActorId) -> (ActorId, ActorId) {
        if a <= b { (a, b) } else { (b, a) }
    }

    /// The tick from which what begins now counts: of a disabled actor, that in which it was disabled, since all that it has
    /// moves on by its absence when it is enabled.
    pub fn counts_from(&self, of: Option<ActorId>) -> u64 {
        let actor = of.map(|a| &self.actors[a.index()]);
        actor.filter(|a| !a.enabled).map_or(self.tick, |a| a.disabled_at)
    }

    /// All that there are of a machine, by whose they are.
    pub fn keys_of(&self, machine: MachineId) -> impl Iterator<Item = &MachineKey> {
        self.machines_of(machine).map(|(key, _)| key)
    }

    /// All that there are of a machine, each with how it stands.
    pub fn machines_of(&self, machine: MachineId) -> impl Iterator<Item = (&MachineKey, &MachineState)> {
        self.machines.range((machine, None)..).take_while(move |((m, _), _)| *m == machine)
    }

    /// Puts a machine into a state, before anything runs.
    pub fn put_machine(&mut self, program: &Program, key: MachineKey, leaf: StateId) {
        let since = self.counts_from(key.1);
        // Of one that begins again the stays are new ones: what the old ones began has ended.
        let first = self.machines.get(&key).map_or(0, |m| m.count + 1);
        let path = &program.states[leaf.index()].path;
        let stays = (first..).zip(path).map(|(stay, s)| (*s, since, stay)).collect();
        let count = first + path.len() as u64;
        self.machines.insert(key, MachineState { state: leaf, previous: None, stays, count });
    }

    /// True while that stay lasts.
    pub fn stays(&self, h: &Home) -> bool {
        self.machines.get(&h.machine).is_some_and(|m| m.stays.iter().any(|(s, _, n)| *s == h.state && *n == h.stay))
    }

    /// True where `a` was stopped by `b`, and neither has moved or turned since.
    pub fn stopped_by(&self, a: ActorId, b: ActorId) -> bool {
        let bump = self.actors[a.index()].bump.as_deref();
        bump.is_some_and(|s| s.into == BumpInto::Actor(b)) && self.is_still_stopped(a)
    }

    /// True where an actor was stopped by something, and neither of the two has moved or turned since.
    pub fn is_still_stopped(&self, a: ActorId) -> bool {
        let a = &self.actors[a.index()];
        let Some(s) = a.bump.as_deref() else { return false };
        let mut now = Bump { at: a.at, facing: a.facing, ..*s };
        // Who is disabled is left by everything, who is not tangible touches nobody: after that it has to be stopped again.
        if let BumpInto::Actor(b) = s.into {
            let b = &self.actors[b.index()];
            if !b.enabled || !b.tangible {
                return false;
            }
            (now.other_at, now.other_facing) = (b.at, b.facing);
        }
        a.enabled && s.is_same(&now)
    }

    /// The zones that an actor is in.
    pub fn is_inside(&self, actor: ActorId, zone: ZoneKey) -> bool {
        self.actors[actor.index()].inside.iter().any(|(z, _)| *z == zone)
    }

    /// True for an actor that has that tag.
    pub fn is_tagged(&self, actor: ActorId, tag: TagId) -> bool {
        self.actors[actor.index()].tags.contains(&tag)
    }

    /// True where the actor is one of the set; `me` is the `self` of the rule.
    pub fn is_one_of(&self, program: &Program, actor: ActorId, set: &WhoSet, me: Option<ActorId>) -> bool {
        match set {
            WhoSet::Any => true,
            WhoSet::Myself => me == Some(actor),
            WhoSet::Actor(a) => *a == actor,
            WhoSet::Kind(k) => program.is_kind(self.actors[actor.index()].kind, *k),
            WhoSet::Tag(t) => self.is_tagged(actor, *t),
            WhoSet::Held(_) => true,
        }
    }
}
