//! A recorded flight: its inputs, keyframes of its world, and the way to any tick and any record.
//!
//! Going anywhere is: take the keyframe before it, run from there with the same inputs. Since a tick
//! is the same whoever records, the records of any tick can be made again when they are asked for, and
//! forward and back cost the same.
//!
//! Not here: what the records mean (`mayfly-session`).
//!
//! Invariant: `world_at(t)` is the world before tick `t`, whatever was asked before; keyframes never
//! take more than [`MAX_BYTES`].

use crate::fault::Fault;
use crate::record::{Motion, Nothing, Recorder, Snapshot, Trace, TraceEvent};
use crate::renew::Kept;
use crate::summaries::{Summaries, Summary};
use crate::tick::{Engine, Input, TickOutcome};
use crate::world::World;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex};

/// Bytes that all keyframes may take, about.
pub const MAX_BYTES: usize = 160 << 20;
/// Keyframes kept at most.
const MAX_FRAMES: usize = 4096;

/// A world that is kept. The lock only lets it be shared and sent: nobody ever changes it.
#[derive(Clone, Debug)]
struct Frame(Arc<Mutex<World>>);

impl Frame {
    fn of(world: &World) -> Self {
        Self(Arc::new(Mutex::new(world.clone())))
    }

    fn world(&self) -> World {
        self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner).clone()
    }
}

/// A flight from its first tick to its live edge.
#[derive(Clone, Debug)]
pub struct History {
    pub seed: u64,
    /// What was kept from earlier runs when it began.
    pub kept: Kept,
    inputs: BTreeMap<u64, Vec<Input>>,
    /// Branches of one flight share them.
    frames: Vec<(u64, Frame)>,
    /// How many actors had been made at each of them: of those that were removed since the frame before, the tombstones are
    /// its own.
    made: Vec<usize>,
    /// A keyframe each so many ticks.
    spacing: u64,
    live: World,
    first: Vec<Fault>,
    pub summaries: Summaries,
    /// A world near the moment, so that the next look starts close by.
    near: Option<(u64, World)>,
}

/// Counts while it passes every record on.
struct Counting<'r, R: Recorder> {
    inner: &'r mut R,
    summary: Summary,
}

impl<R: Recorder> Recorder for Counting<'_, R> {
    const ON: bool = true;
    const KEEPS_LOCALS: bool = R::KEEPS_LOCALS;

    fn take(&mut self, world: &World, rec: impl FnOnce() -> TraceEvent) -> u32 {
        let r = rec();
        match &r {
            TraceEvent::Evaluated { verdict: crate::record::Verdict::Fired, .. } => {
                self.summary.fired = self.summary.fired.saturating_add(1)
            }
            TraceEvent::Faulted { .. } => self.summary.faults = self.summary.faults.saturating_add(1),
            _ => {}
        }
        self.inner.take(world, || r)
    }

    #[inline]
    fn moved(&mut self, world: &World, m: Motion) -> u32 {
        self.inner.moved(world, m)
    }
}

impl History {
    /// A flight before its first tick.
    pub fn new(engine: &Engine, seed: u64, kept: Kept) -> Self {
        let (world, first) = engine.start(seed, &kept);
        Self {
            seed,
            kept,
            inputs: BTreeMap::new(),
            frames: vec![(0, Frame::of(&world))],
            made: vec![world.actors.made()],
            spacing: 256,
            live: world,
            first,
            summaries: Summaries::default(),
            near: None,
        }
    }

    /// The tick that is run next.
    pub fn live_tick(&self) -> u64 {
        self.live.next
    }

    /// The world at the live edge.
    pub fn live(&self) -> &World {
        &self.live
    }

    /// The inputs of every tick that had any.
    pub fn inputs(&self) -> &BTreeMap<u64, Vec<Input>> {
        &self.inputs
    }

    /// Runs the next tick with these inputs. The recorder takes what happens.
    pub fn advance<R: Recorder>(&mut self, engine: &Engine, inputs: Vec<Input>, recorder: &mut R) -> TickOutcome {
        let tick = self.live.next;
        if self.live.ended.is_some() {
            return TickOutcome::Ended;
        }
        let first = if tick == 0 { self.first.as_slice() } else { &[] };
        let mut counting = Counting { inner: recorder, summary: Summary::default() };
        let held = engine.tick(&mut self.live, &inputs, first, &mut counting);
        self.summaries.add(tick, counting.summary);
        if !inputs.is_empty() {
            self.inputs.insert(tick, inputs);
        }
        if self.live.next.is_multiple_of(self.spacing) {
            self.keep_frame();
        }
        held
    }

    fn keep_frame(&mut self) {
        self.frames.push((self.live.next, Frame::of(&self.live)));
        self.made.push(self.live.actors.made());
        let own: usize = self.made.windows(2).map(|m| crate::actors::Actors::tombstones_between(m[0], m[1])).sum();
        let bytes = weight(&self.live) * self.frames.len() + own;
        if self.frames.len() > MAX_FRAMES || bytes > MAX_BYTES && self.frames.len() > 2 {
            self.spacing *= 2;
            let spacing = self.spacing;
            let kept: Vec<bool> = self.frames.iter().map(|(t, _)| t.is_multiple_of(spacing)).collect();
            let mut keep = kept.iter();
            self.frames.retain(|_| keep.next() == Some(&true));
            let mut keep = kept.iter();
            self.made.retain(|_| keep.next() == Some(&true));
        }
    }

    /// Passes over ticks in which nothing is due, to before tick `to` at most. Gives how many.
    pub fn skip(&mut self, engine: &Engine, to: u64) -> u64 {
        engine.skip(&mut self.live, to)
    }

    /// The next tick from `from` on that has inputs, `to` at most.
    fn next_input(&self, from: u64, to: u64) -> u64 {
        if from >= to {
            return to;
        }
        self.inputs.range(from..to).next().map_or(to, |(t, _)| *t)
    }

    fn run_from(&self, engine: &Engine, mut world: World, to: u64) -> World {
        while world.next < to && world.ended.is_none() {
            let until = self.next_input(world.next, to);
            if engine.skip(&mut world, until) > 0 {
                continue;
            }
            self.one(engine, &mut world, &mut Snapshot::at(u32::MAX));
        }
        world
    }

    fn one<R: Recorder>(&self, engine: &Engine, world: &mut World, recorder: &mut R) {
        let tick = world.next;
        let none = vec![];
        let inputs = self.inputs.get(&tick).unwrap_or(&none);
        let first = if tick == 0 { self.first.as_slice() } else { &[] };
        engine.tick(world, inputs, first, recorder);
    }

    /// The world before tick `tick`, or at the live edge where that lies before.
    pub fn world_at(&mut self, engine: &Engine, tick: u64) -> World {
        let tick = tick.min(self.live.next);
        if tick == self.live.next {
            return self.live.clone();
        }
        let at = self.frames.partition_point(|(t, _)| *t <= tick) - 1;
        let frame = &self.frames[at];
        let from = match &self.near {
            Some((t, w)) if *t <= tick && *t > frame.0 => w.clone(),
            _ => frame.1.world(),
        };
        let world = self.run_from(engine, from, tick);
        // A little before the moment, so that steps back find it too.
        let early = tick.saturating_sub(8);
        if self.near.as_ref().is_none_or(|(t, _)| *t > tick || tick - *t > 16) && early > frame.0 {
            let w = self.run_from(engine, self.frames[at].1.world(), early);
            self.near = Some((early, w));
        }
        world
    }

    /// Runs a closed tick once more for another recorder; gives the world after it.
    pub fn again<R: Recorder>(&mut self, engine: &Engine, tick: u64, recorder: &mut R) -> World {
        let mut world = self.world_at(engine, tick);
        if tick < self.live.next {
            self.one(engine, &mut world, recorder);
        }
        world
    }

    /// All records of a closed tick.
    pub fn trace(&mut self, engine: &Engine, tick: u64) -> Trace {
        let mut trace = Trace::default();
        if tick < self.live.next {
            let mut world = self.world_at(engine, tick);
            self.one(engine, &mut world, &mut trace);
        }
        trace
    }

    /// The world of a closed tick right after the record `at`; the closed tick's world where there are
    /// fewer records.
    pub fn world_within(&mut self, engine: &Engine, tick: u64, at: u32) -> World {
        let mut world = self.world_at(engine, tick);
        let mut snapshot = Snapshot::at(at);
        self.one(engine, &mut world, &mut snapshot);
        snapshot.world.map_or(world, |w| *w)
    }

    /// Passes every record of the closed ticks `from..to` by, in order, until `see` has seen enough.
    pub fn scan(&mut self, engine: &Engine, from: u64, to: u64, mut see: impl FnMut(u64, &Trace, &World) -> bool) {
        let to = to.min(self.live.next);
        if from >= to {
            return;
        }
        let mut world = self.world_at(engine, from);
        while world.next < to && world.ended.is_none() {
            let tick = world.next;
            let mut trace = Trace::default();
            self.one(engine, &mut world, &mut trace);
            if see(tick, &trace, &world) {
                return;
            }
        }
    }

    /// Passes the world after each of the closed ticks `from..to` by, in order; faster than [`Self::scan`].
    pub fn scan_worlds(&mut self, engine: &Engine, from: u64, to: u64, mut see: impl FnMut(u64, &World)) {
        let to = to.min(self.live.next);
        if from >= to {
            return;
        }
        let mut world = self.world_at(engine, from);
        while world.next < to && world.ended.is_none() {
            let tick = world.next;
            self.one(engine, &mut world, &mut Nothing);
            see(tick, &world);
        }
    }

    /// Forgets everything from tick `tick` on; the flight goes on from there.
    pub fn cut(&mut self, engine: &Engine, tick: u64) {
        self.live = self.world_at(engine, tick);
        self.inputs.split_off(&tick);
        self.frames.retain(|(t, _)| *t <= tick);
        self.made.truncate(self.frames.len());
        self.summaries.cut(tick);
        self.near = None;
    }
}

/// Bytes of an actor and its order.
const ACTOR: usize = std::mem::size_of::<crate::world::Actor>() + std::mem::size_of::<crate::world::Order>();

/// Bytes of a world, about.
pub fn weight(w: &World) -> usize {
    let values = |l: &[mayfly_base::Value]| l.iter().map(|v| 24 + v.weight()).sum::<usize>();
    values(&w.vars)
        + w.actors.iter().map(|(_, a)| ACTOR + values(&a.fields)).sum::<usize>()
        + w.actors.shared_weight()
        + w.origins.len() * 40
        + w.machines.len() * 120
        + w.laid.len() * 40
        + w.random.borrow().streams.len() * 80
        + w.runs.iter().map(|r| 96 + values(&r.locals)).sum::<usize>()
        + w.rules.len() * 32
        + w.watched.iter().map(|l| 24 + l.len() * 56).sum::<usize>()
        + (w.contacts.len() + w.near.len() + w.uses.len() + w.rests.len()) * 64
        + w.mail.len() * 96
}
