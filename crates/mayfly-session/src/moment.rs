//! Where in a flight one stands: a tick, and a place inside it.
//!
//! Invariant: moments compare as they follow each other.

/// A place inside a tick.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum At {
    /// Before its inputs.
    Start,
    /// Right after that record.
    Record(u32),
    /// Closed.
    End,
}

/// One moment of a flight.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Moment {
    pub tick: u64,
    pub at: At,
}
