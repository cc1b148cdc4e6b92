//! What a made-up level consists of while it is played: what happens, who waits, and how things stand.
//!
//! Not here: what becomes of it ([`super::play`], [`super::act`]).
//!
//! Invariant: everything here is plain data; nothing of the engine is used.

use super::form::*;

#[derive(Clone, Debug, PartialEq)]
pub enum Happens {
    MachinesBegin,
    Start,
    Time,
    Enters(usize, usize),
    Leaves(usize, usize),
    /// An awaited expression, of an actor where it reads its own; which of its forms came.
    Watched {
        watch: usize,
        of: Option<usize>,
        forms: Vec<bool>,
    },
    Hears(usize, f64),
    TimerEnds(usize),
    NightEnters(usize),
    NightLeaves(usize),
    Resumes(u64),
    Later(u64),
    GlowEnters(usize, usize),
    GlowLeaves(usize, usize),
    /// A transition without an event: whose machine's, and its place.
    Transits(usize, u32),
}

/// A rule of the level, one of the kind, or a block of the machine.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Of {
    Own(usize),
    Level(usize),
    Machine,
}

#[derive(Clone, Debug)]
pub enum Turns {
    Once,
    Repeat(u32),
    /// The loop of a state.
    Ever,
    For {
        next: i64,
        last: i64,
    },
}

#[derive(Clone, Debug)]
pub struct Frame {
    pub block: Block,
    pub at: usize,
    pub turns: Turns,
    /// Locals that it found.
    pub floor: usize,
}

#[derive(Clone, Debug, PartialEq)]
pub enum Waits {
    Ticks(u64),
    Test { test: Box<Wanted>, due: Option<u64> },
    Message { message: usize, place: u32, due: Option<u64> },
    Ramp(u64),
}

/// A test that is waited for, and where it stands.
#[derive(Clone, Debug)]
pub struct Wanted {
    pub test: Test,
    pub place: u32,
}

impl PartialEq for Wanted {
    fn eq(&self, other: &Self) -> bool {
        self.place == other.place
    }
}

#[derive(Clone, Debug)]
pub struct Run {
    pub id: u64,
    pub of: Of,
    pub me: Option<usize>,
    pub bound: Option<usize>,
    pub locals: Vec<f64>,
    pub frames: Vec<Frame>,
    pub waits: Waits,
    /// The machine and its stay with which it ends.
    pub home: Option<(usize, u64)>,
    /// It is an `enter`: the loop of its state begins after it.
    pub enters: bool,
}

#[derive(Clone, Debug, Default)]
pub struct Timer {
    pub running: bool,
    pub due: u64,
    pub left: u64,
    pub order: u64,
}

#[derive(Clone, Debug)]
pub struct Actor {
    pub w: f64,
    pub at: (i64, i64),
    pub enabled: bool,
    pub disabled_at: u64,
    pub created: u64,
    pub inside: [bool; ZONES.len()],
}

#[derive(Clone, Debug)]
pub struct Ramp {
    pub id: u64,
    pub from: f64,
    pub to: f64,
    pub begun: u64,
    pub ticks: u64,
    /// The machine and its stay with which it ends.
    pub home: Option<(usize, u64)>,
}

/// The level's machine, behind those of the actors.
pub const NIGHT: usize = ACTORS;

#[derive(Clone, Copy, Debug)]
pub struct Machine {
    pub state: usize,
    pub entered: u64,
    pub stay: u64,
}

/// An event that `again later` keeps.
#[derive(Clone, Debug)]
pub struct Kept {
    pub id: u64,
    pub of: Of,
    pub me: Option<usize>,
    pub bound: Option<usize>,
    pub locals: Vec<f64>,
}

/// Why a run ends where it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Division;
