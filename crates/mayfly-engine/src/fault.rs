//! What goes wrong while a level runs (language.md §9), as values.
//!
//! Invariant: a fault ends the run in which it comes and nothing else; it is never a panic.

use mayfly_base::{ArithError, Span};

/// The sorts of faults, as they are named in reports.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FaultKind {
    NotANumber,
    DivisionByZero,
    None,
    Gone,
    /// What a hand names is not there at that tick: no fault of the level.
    Absent,
    /// What is only asked, and would have to be drawn.
    Drawn,
    Index,
    RunawayLoop,
    Rounds,
    Recursion,
    Limit,
}

impl FaultKind {
    /// Its name in a headless run's report.
    pub fn name(self) -> &'static str {
        match self {
            Self::NotANumber => "not_a_number",
            Self::DivisionByZero => "division_by_zero",
            Self::None | Self::Drawn => "none",
            Self::Gone | Self::Absent => "gone",
            Self::Index => "index",
            Self::RunawayLoop => "runaway_loop",
            Self::Rounds => "rounds",
            Self::Recursion => "recursion",
            Self::Limit => "limit",
        }
    }
}

/// One fault: its sort, what happened in words, and where.
#[derive(Clone, Debug, PartialEq)]
pub struct Fault {
    pub kind: FaultKind,
    pub text: String,
    pub span: Span,
}

impl Fault {
    pub fn new(kind: FaultKind, text: impl Into<String>, span: Span) -> Self {
        Self { kind, text: text.into(), span }
    }

    /// The fault of arithmetic that has no result.
    pub fn of(wrong: ArithError, span: Span) -> Self {
        match wrong {
            ArithError::DivisionByZero => Self::new(FaultKind::DivisionByZero, "division by zero", span),
            ArithError::NotANumber => Self::new(FaultKind::NotANumber, "the result is too large to be a number", span),
            ArithError::NoneUsed => Self::new(FaultKind::None, "there is none here, and none has no value", span),
            ArithError::Types => Self::new(FaultKind::NotANumber, "these values do not go together", span),
        }
    }
}

/// Actors alive at once.
pub const MAX_ACTORS: usize = 10_000;
/// Waiting runs at once.
pub const MAX_RUNS: usize = 10_000;
/// Items in one list.
pub const MAX_ITEMS: usize = 100_000;
/// Bytes in one text.
pub const MAX_TEXT: usize = 1 << 20;
/// Bytes of all values.
pub const MAX_VALUES: usize = 256 << 20;
/// Turns of a `while` in one run without a wait.
pub const MAX_TURNS: u64 = 10_000;
/// Steps of any sort in one run without a wait.
pub const MAX_STEPS: u64 = 1_000_000;
/// Steps of all runs of one tick: what lies beyond would hold the whole application up.
pub const MAX_TICK_STEPS: u64 = 4_000_000;
/// Records of one tick.
pub const MAX_RECORDS: u32 = 1_000_000;
/// Pairs that are near, in sight or in contact at once.
pub const MAX_PAIRS: usize = 200_000;
/// Pairs that sensing looks at in one tick.
pub const MAX_PAIRS_LOOKED_AT: u64 = 1_000_000;
/// Prompts and boards at once.
pub const MAX_SIGNS: usize = 1000;
/// Messages under way.
pub const MAX_MAIL: usize = 10_000;
/// Bytes of a text that one step copies or compares.
pub const TEXT_STEP: usize = 16;
/// Items of a list that one step copies or compares.
pub const ITEM_STEP: usize = 16;
/// Routines inside each other.
pub const MAX_DEEP: u32 = 64;
/// Rounds in one tick.
pub const MAX_ROUNDS: u32 = 100;
/// Events in one tick.
pub const MAX_EVENTS: u32 = 100_000;
