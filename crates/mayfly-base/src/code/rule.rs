//! The limits of a rule, and the parts of its lines.
//!
//! Not here: what a form does (`mayfly_engine`).
//!
//! Invariant: as in [`crate::code`], every id stands in its table and every local in its frame.

use super::*;

/// What a rule is where it is a part of a machine.
#[derive(Clone, Debug, PartialEq)]
pub enum Part {
    /// Out of a state, or out of every one.
    Transition {
        machine: MachineId,
        from: Option<StateId>,
        to: Goal,
    },
    Enter(StateId),
    Leave(StateId),
    Loop(StateId),
    /// A rule that is awake in that state alone.
    In(StateId),
    /// An event for which runs wait.
    Wait,
}

/// Where a transition leads.
#[derive(Clone, Debug, PartialEq)]
pub enum Goal {
    State(StateId),
    Previous,
    /// Drawn by weight among those whose test is true.
    OneOf(DrawId, Vec<(StateId, Expr, Option<Expr>)>),
}

/// How a rule holds itself back.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Limits {
    pub at_most: Vec<(u64, Per)>,
    /// Which of `at_most` also counts across runs.
    pub keep: Option<usize>,
    pub cooldown: Vec<(Period, Per)>,
    pub awake: Option<Expr>,
    pub off: bool,
    pub priority: f64,
    pub again: Again,
}

/// For whom a limit counts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Per {
    Rule,
    Slot(Slot),
}

/// What an event does while an earlier run of its rule waits.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Again {
    #[default]
    Skip,
    Anew,
    Later,
    Beside,
}
