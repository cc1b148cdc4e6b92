//! A run from its first tick to its end, with nothing kept but what the recorder takes.
//!
//! Not here: going back ([`crate::history`]). Invariant: a run is the flight that a history of the same seed, kept values
//! and inputs would hold, and the same on every thread: an engine is shared and never changed.

use crate::record::Recorder;
use crate::renew::Kept;
use crate::tick::{Engine, Input, TickOutcome};
use crate::world::World;
use std::collections::BTreeMap;

/// What a run is given.
#[derive(Clone, Copy, Debug)]
pub struct RunSpec<'a> {
    pub seed: u64,
    pub kept: &'a Kept,
    /// What comes from outside, by its tick.
    pub inputs: &'a BTreeMap<u64, Vec<Input>>,
    /// How many ticks it has at most.
    pub ticks: u64,
}

/// What came of it.
#[derive(Debug)]
pub struct Outcome {
    /// The world behind the last tick.
    pub world: World,
    /// It was won or lost.
    pub ended: bool,
}

/// Runs a level until it ends or its ticks are over; ticks in which nothing is due are passed over.
///
/// ```
/// use mayfly_engine::record::Nothing;
/// use mayfly_engine::renew::Kept;
/// use mayfly_engine::run::{RunSpec, run};
/// use mayfly_engine::{Engine, program::Program};
/// # fn outcome(program: Program) {
/// let engine = Engine::new(program);
/// let spec = RunSpec { seed: 7, kept: &Kept::default(), inputs: &Default::default(), ticks: 1200 };
/// let outcome = run(&engine, &spec, &mut Nothing);
/// assert!(outcome.ended || outcome.world.next == 1200);
/// # }
/// ```
pub fn run<R: Recorder>(engine: &Engine, spec: &RunSpec, recorder: &mut R) -> Outcome {
    let (mut world, first) = engine.start(spec.seed, spec.kept);
    let mut coming = spec.inputs.range(..spec.ticks).peekable();
    while world.next < spec.ticks {
        let until = coming.peek().map_or(spec.ticks, |(t, _)| **t);
        if engine.skip(&mut world, until) > 0 {
            continue;
        }
        let inputs = coming.next_if(|(t, _)| **t == world.next).map_or(&[][..], |(_, list)| list);
        let faults = if world.next == 0 { first.as_slice() } else { &[] };
        recorder.begins(world.next);
        let held = engine.tick(&mut world, inputs, faults, recorder);
        if held == TickOutcome::Ended || world.ended.is_some() {
            break;
        }
    }
    let ended = world.ended.is_some();
    Outcome { world, ended }
}

/// An engine is shared between threads as it is.
const _: fn() = || {
    fn shared<T: Send + Sync>() {}
    shared::<Engine>();
};
