//! What a made-up level consists of while it is played: what happens, who waits, and how things stand.
//!
//! Not here: what becomes of it ([`super::play`], [`super::act`]).
//!
//! Invariant: everything here is plain data; nothing of the engine is used.

use super::form::*;

#[derive(Clone, Debug, PartialEq)]
pub enum Happens {
    /// Of all, or of one actor.
    MachinesBegin(Option<usize>),
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
    Spawns(usize),
    Removed(usize),
}

/// A rule of the level, one of the kind, one of a state, or a block of a machine.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Of {
    Own(usize),
    Level(usize),
    Night(usize, usize),
    Glow(usize, usize),
    Machine,
}

impl Of {
    /// True of a rule that is there once for each actor.
    pub fn is_own(self) -> bool {
        matches!(self, Self::Own(_) | Self::Glow(..))
    }
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
    /// A routine: the locals of who called it, and whether that was in a routine too.
    Call {
        locals: Vec<f64>,
        in_routine: bool,
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
    /// A routine has no `self`: the first actor stands for it.
    pub in_routine: bool,
}

impl Run {
    /// Whose `w` is meant.
    pub fn own(&self) -> Option<usize> {
        if self.in_routine { None } else { self.me.or(self.bound) }
    }
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
    pub extra: bool,
    pub gone: bool,
    /// How it was at first.
    pub first: (f64, (i64, i64)),
}

impl Actor {
    pub fn new(w: f64, at: (i64, i64), created: u64, extra: bool) -> Self {
        let (inside, first) = ([false; ZONES.len()], (w, at));
        Self { w, at, enabled: true, disabled_at: created, created, inside, extra, gone: false, first }
    }

    pub fn is_there(&self) -> bool {
        self.enabled && !self.gone
    }
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

/// The level's machine, before those of the actors.
pub const NIGHT: usize = 0;

/// Whose machine it is; none for the level's.
pub fn owner(machine: usize) -> Option<usize> {
    machine.checked_sub(1)
}

/// One state in which a machine is, since when, and which stay it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Stay {
    pub state: usize,
    pub since: u64,
    pub id: u64,
}

#[derive(Clone, Debug)]
pub struct Machine {
    /// Outermost first.
    pub stays: Vec<Stay>,
    pub before: Option<usize>,
    pub count: u64,
}

impl Machine {
    /// In its first state.
    pub fn new(since: u64) -> Self {
        Self { stays: vec![Stay { state: 0, since, id: 1 }], before: None, count: 1 }
    }

    pub fn state(&self) -> usize {
        self.stays.last().map_or(0, |s| s.state)
    }

    pub fn is_in(&self, state: usize) -> bool {
        self.stay(state).is_some()
    }

    pub fn stay(&self, state: usize) -> Option<Stay> {
        self.stays.iter().find(|s| s.state == state).copied()
    }

    pub fn lasts(&self, id: u64) -> bool {
        self.stays.iter().any(|s| s.id == id)
    }
}

/// How an event found the machines when it was taken up.
#[derive(Clone, Debug)]
pub struct Before {
    pub machines: Vec<Machine>,
    /// By which of them a transition was taken for it.
    pub taken: Vec<bool>,
    /// What had begun to wait before.
    pub begun: u64,
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
pub enum Fault {
    Division,
    Recursion,
}
