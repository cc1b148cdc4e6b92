//! A flight without a screen: inputs by tick, what was told, cued and logged, and every fault.
//!
//! Invariant: the run is the one that the application would show for the same level, seed and inputs.

use crate::first_last::{Bytes, FirstLast};
use crate::flight::Flight;
use crate::script::{self, Script};
use mayfly_base::*;
use mayfly_engine::fault::Fault;
use mayfly_engine::history::History;
use mayfly_engine::record::{Recorder, TraceEvent};
use mayfly_engine::renew::Kept;
use mayfly_engine::run::RunSpec;
use mayfly_engine::{Engine, Input, TickOutcome, World};
use mayfly_lang::level::Level;
use std::collections::BTreeMap;

/// One line of the log.
#[derive(Clone, Debug, PartialEq)]
pub struct Line {
    pub tick: u64,
    pub what: &'static str,
    pub text: String,
    /// Where its action stands in the code.
    pub pc: u32,
    /// Which record of its tick it is.
    pub at: u32,
}

/// A fault, when and in which rule.
#[derive(Clone, Debug, PartialEq)]
pub struct FaultAt {
    pub tick: u64,
    pub rule: Option<RuleId>,
    pub fault: Fault,
}

/// A run that was flown.
pub struct Flown {
    pub engine: Engine,
    pub history: History,
    pub log: FirstLast<Line>,
    pub faults: FirstLast<FaultAt>,
    /// What was kept at the last `save`.
    pub saved: Option<World>,
    /// What of a replayed flight no longer exists, line by line.
    pub lost: Vec<String>,
}

/// A run of which nothing is kept but its end and what it said.
pub struct Ran {
    pub engine: Engine,
    pub seed: u64,
    pub kept: Kept,
    pub inputs: BTreeMap<u64, Vec<Input>>,
    /// The world behind the last tick.
    pub world: World,
    pub log: FirstLast<Line>,
    pub faults: FirstLast<FaultAt>,
    /// What of a replayed flight no longer exists, line by line.
    pub lost: Vec<String>,
}

/// What a report tells of a run, however it was run.
#[derive(Clone, Copy)]
pub struct Facts<'a> {
    pub engine: &'a Engine,
    pub seed: u64,
    pub world: &'a World,
    pub log: &'a FirstLast<Line>,
    pub faults: &'a FirstLast<FaultAt>,
}

impl Flown {
    pub fn facts(&self) -> Facts<'_> {
        let (world, seed) = (self.history.live(), self.history.seed);
        Facts { engine: &self.engine, seed, world, log: &self.log, faults: &self.faults }
    }
}

impl Ran {
    pub fn facts(&self) -> Facts<'_> {
        Facts { engine: &self.engine, seed: self.seed, world: &self.world, log: &self.log, faults: &self.faults }
    }
}

impl Bytes for Line {
    fn bytes(&self) -> usize {
        self.text.len()
    }
}

impl Bytes for FaultAt {
    fn bytes(&self) -> usize {
        self.fault.text.len()
    }
}

/// Keeps what is told and what fails.
#[derive(Default)]
pub struct Listener {
    pub log: FirstLast<Line>,
    pub faults: FirstLast<FaultAt>,
    pub saved: Option<World>,
    count: u32,
}

impl Recorder for Listener {
    const ON: bool = true;
    const KEEPS_LOCALS: bool = false;

    fn take(&mut self, world: &World, rec: impl FnOnce() -> TraceEvent) -> u32 {
        let rec = rec();
        if matches!(rec, TraceEvent::Saved { .. }) {
            self.saved = Some(world.clone());
        }
        self.listen(world.tick, self.count, rec);
        self.count += 1;
        self.count - 1
    }

    fn begins(&mut self, _: u64) {
        self.count = 0;
    }
}

impl Listener {
    /// Takes what belongs into the log.
    pub fn listen(&mut self, tick: u64, at: u32, rec: TraceEvent) {
        let (what, text, pc) = match rec {
            TraceEvent::Told { text, pc, .. } => ("tell", text, pc),
            TraceEvent::Cued { text, pc } => ("cue", text, pc),
            TraceEvent::Logged { text, pc } => ("log", text, pc),
            TraceEvent::Faulted { rule, fault, .. } => {
                self.faults.push(FaultAt { tick, rule, fault: *fault });
                return;
            }
            _ => return,
        };
        self.log.push(Line { tick, what, text: text.to_string(), pc, at });
    }
}

/// What a flight without a screen is given.
#[derive(Clone, Debug, Default)]
pub struct Order {
    pub seed: Option<u64>,
    pub script: Script,
    /// A recorded flight, replayed with its seed and kept values.
    pub flight: Option<Flight>,
    pub kept: Kept,
    pub ticks: u64,
}

impl Order {
    /// So many ticks, with nothing from outside.
    pub fn ticks(ticks: u64) -> Self {
        Self { ticks, ..Self::default() }
    }
}

/// A level ready to run: its engine, and what comes from outside.
struct Ready {
    engine: Engine,
    seed: u64,
    kept: Kept,
    inputs: BTreeMap<u64, Vec<Input>>,
    lost: Vec<String>,
}

fn ready(level: &Level, order: &Order) -> Result<Ready, script::BadInput> {
    let mut program = crate::lower::lower(level);
    let (mut inputs, mut lost) = (BTreeMap::new(), vec![]);
    let mut kept = order.kept.clone();
    let mut seed = order.seed.unwrap_or(level.seed);
    if let Some(f) = &order.flight {
        (inputs, lost) = f.resolve(level, &mut program);
        seed = order.seed.unwrap_or(f.seed);
        if f.kept.is_object() {
            match crate::kept::from_json(level, &program, &f.kept) {
                Ok((k, left)) => {
                    kept = k;
                    lost.extend(left);
                }
                Err(why) => lost.push(why.to_string()),
            }
        }
    }
    for (tick, list) in order.script.resolve(level, &mut program)? {
        inputs.entry(tick).or_default().extend(list);
    }
    Ok(Ready { engine: Engine::new(program), seed, kept, inputs, lost })
}

/// Runs a level, until it ends or for so many ticks, and keeps the whole flight. What of a replayed flight no longer exists
/// is told.
///
/// # Errors
/// A line of the script that the level does not understand.
pub fn fly(level: &Level, order: &Order) -> Result<Flown, script::BadInput> {
    let Ready { engine, seed, kept, mut inputs, lost } = ready(level, order)?;
    let mut history = History::new(&engine, seed, kept);
    let mut listener = Listener::default();
    while history.live_tick() < order.ticks {
        let tick = history.live_tick();
        let until = inputs.keys().next().map_or(order.ticks, |t| (*t).min(order.ticks));
        if history.skip(&engine, until) > 0 {
            continue;
        }
        let now = inputs.remove(&tick).unwrap_or_default();
        listener.begins(tick);
        if history.advance(&engine, now, &mut listener) == TickOutcome::Ended || history.live().ended.is_some() {
            break;
        }
    }
    let Listener { mut log, mut faults, saved, .. } = listener;
    log.finish();
    faults.finish();
    Ok(Flown { engine, history, log, faults, saved, lost })
}

/// As [`fly`], with nothing kept to go back by.
///
/// # Errors
/// As [`fly`].
pub fn run(level: &Level, order: &Order) -> Result<Ran, script::BadInput> {
    let Ready { engine, seed, kept, mut inputs, lost } = ready(level, order)?;
    let mut listener = Listener::default();
    let spec = RunSpec { seed, kept: &kept, inputs: &inputs, ticks: order.ticks };
    let world = mayfly_engine::run::run(&engine, &spec, &mut listener).world;
    // What came too late came not.
    inputs.retain(|tick, _| *tick < world.next);
    let Listener { mut log, mut faults, .. } = listener;
    log.finish();
    faults.finish();
    Ok(Ran { engine, seed, kept, inputs, world, log, faults, lost })
}
