//! What the firing order of one tick is made of: rounds, what was taken up, every evaluation, and the lines of what it did.
//!
//! Not here: how it is read from a trace ([`crate::cascade`]).
//!
//! Invariant: a mark has one sign, one plain sign and one word.

use crate::explain::ClauseSeen;
use mayfly_base::*;
use mayfly_engine::record::{Cause, Target};

/// A tick's ladder.
#[derive(Clone, Debug, Default)]
pub struct Cascade {
    pub tick: u64,
    pub groups: Vec<Group>,
    pub rounds: u32,
    pub fired: usize,
    pub held: usize,
    pub spent: usize,
    /// What came before the first round: keys, motion.
    pub before: Vec<Line>,
    /// How many records the tick has.
    pub records: u32,
}

/// One event and the rungs that it was evaluated by.
#[derive(Clone, Debug)]
pub struct Group {
    pub round: u32,
    pub at: u32,
    pub title: String,
    pub cause: Cause,
    pub source: Origin,
    pub rungs: Vec<Rung>,
    /// A message that nobody awaits, or an event about one who is gone.
    pub unheard: bool,
    pub dropped: bool,
}

/// Where an event came from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Origin {
    Sensed,
    /// An expression that is watched, with nothing written that it reads.
    Noticed,
    Key,
    Clock,
    Start,
    Hand,
    /// A rung of this tick.
    Rung(u32, u32),
    /// A record of an earlier tick.
    Earlier(u64),
}

/// One evaluation, or a run that goes on.
#[derive(Clone, Debug)]
pub struct Rung {
    pub number: u32,
    pub round: u32,
    /// Its record, and its last one.
    pub at: u32,
    pub end: u32,
    pub rule: RuleId,
    pub when: u16,
    pub me: Option<ActorId>,
    pub title: String,
    pub mark: Mark,
    /// Why it did not fire, or what else is to be said at its end.
    pub note: String,
    pub clauses: Vec<ClauseSeen>,
    pub locals: Vec<Value>,
    pub lines: Vec<Line>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Mark {
    Fired,
    Held,
    Spent,
    Passed,
    Asleep,
    GoesOn,
    Fault,
}

impl Mark {
    /// Its sign: a shape for each, so that it reads without colour.
    pub fn sign(self) -> char {
        match self {
            Self::Fired => '◆',
            Self::Held => '◇',
            Self::Spent | Self::Passed => '◌',
            Self::Asleep => '·',
            Self::GoesOn => '▸',
            Self::Fault => '✶',
        }
    }

    /// Its sign without other than plain characters.
    pub fn plain(self) -> char {
        match self {
            Self::Fired => '*',
            Self::Held => '-',
            Self::Spent | Self::Passed => '.',
            Self::Asleep => '\'',
            Self::GoesOn => '>',
            Self::Fault => '!',
        }
    }

    /// In a word.
    pub fn word(self) -> &'static str {
        match self {
            Self::Fired => "fired",
            Self::Held => "held",
            Self::Spent => "spent",
            Self::Passed => "passed over",
            Self::Asleep => "asleep",
            Self::GoesOn => "goes on",
            Self::Fault => "fault",
        }
    }
}

/// Something that was done.
#[derive(Clone, Debug, PartialEq)]
pub struct Line {
    pub at: u32,
    pub what: Done,
}

#[derive(Clone, Debug, PartialEq)]
pub enum Done {
    Wrote {
        target: Target,
        name: String,
        old: String,
        new: String,
        kept_in: bool,
        overwritten_by: Option<(u32, u32)>,
        undoes: Option<(u32, u32)>,
    },
    /// What was sent, and how many ticks later.
    Sent {
        text: String,
        after: u64,
    },
    Said {
        verb: &'static str,
        text: String,
    },
    Drew {
        text: String,
        odds: String,
    },
    Turns {
        pc: u32,
        count: u64,
    },
    Other(String),
    Fault(String),
}

impl Cascade {
    /// All rungs in order.
    pub fn rungs(&self) -> impl Iterator<Item = &Rung> {
        self.groups.iter().flat_map(|g| &g.rungs)
    }

    /// The rung of that number.
    pub fn rung(&self, number: u32) -> Option<&Rung> {
        self.rungs().find(|r| r.number == number)
    }

    /// The rung that a record belongs to.
    pub fn rung_of(&self, at: u32) -> Option<&Rung> {
        self.rungs().take_while(|r| r.at <= at).last().filter(|r| at <= r.end)
    }
}
