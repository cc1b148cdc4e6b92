//! A flight without a screen: inputs by tick, what was told, cued and logged, and every fault.
//!
//! Invariant: the run is the one that the application would show for the same level, seed and inputs.

use crate::script::{self, Script};
use mayfly_base::*;
use mayfly_engine::fault::Fault;
use mayfly_engine::history::History;
use mayfly_engine::record::{Rec, Recorder};
use mayfly_engine::{Engine, Held, World};
use mayfly_lang::level::Level;

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
    pub log: Vec<Line>,
    pub faults: Vec<FaultAt>,
}

/// Keeps what is told and what fails.
#[derive(Default)]
pub struct Listener {
    pub log: Vec<Line>,
    pub faults: Vec<FaultAt>,
    count: u32,
}

impl Recorder for Listener {
    const ON: bool = true;

    fn take(&mut self, world: &World, rec: impl FnOnce() -> Rec) -> u32 {
        self.listen(world.tick, self.count, rec());
        self.count += 1;
        self.count - 1
    }
}

impl Listener {
    /// A tick begins: its records count from 0.
    pub fn begin(&mut self) {
        self.count = 0;
    }

    /// Takes what belongs into the log.
    pub fn listen(&mut self, tick: u64, at: u32, rec: Rec) {
        let (what, text, pc) = match rec {
            Rec::Told { text, pc, .. } => ("tell", text, pc),
            Rec::Cued { text, pc } => ("cue", text, pc),
            Rec::Logged { text, pc } => ("log", text, pc),
            Rec::Faulted { rule, fault } => {
                self.faults.push(FaultAt { tick, rule, fault: *fault });
                return;
            }
            _ => return,
        };
        self.log.push(Line { tick, what, text, pc, at });
    }
}

/// Runs a level for `ticks` ticks, or until it ends.
///
/// # Errors
/// A line of the script that the level does not understand.
pub fn fly(level: &Level, seed: Option<u64>, script: &Script, ticks: u64) -> Result<Flown, script::BadInput> {
    let mut program = crate::lower::lower(level);
    let inputs = script.resolve(level, &mut program)?;
    let seed = seed.unwrap_or(level.seed);
    let engine = Engine::new(program);
    let mut history = History::new(&engine, seed);
    let mut listener = Listener::default();
    for tick in 0..ticks {
        let now = inputs.get(&tick).cloned().unwrap_or_default();
        listener.begin();
        if history.advance(&engine, now, &mut listener) == Held::Ended || history.live().ended.is_some() {
            break;
        }
    }
    Ok(Flown { engine, history, log: listener.log, faults: listener.faults })
}
