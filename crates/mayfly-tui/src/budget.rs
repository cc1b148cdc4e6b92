//! How long work may go on before the next frame is drawn: up to an instant, or so often asked.
//!
//! Invariant: with a budget of asks the same keys give the same screens, on whatever machine.

use std::cell::Cell;
use std::time::{Duration, Instant};

/// What is left for one piece of work.
#[derive(Clone, Debug)]
pub enum Budget {
    Until(Instant),
    /// It may be asked that often whether it may go on.
    Asks(Cell<u32>),
}

impl Budget {
    /// True where the work may go on.
    pub fn is_left(&self) -> bool {
        match self {
            Self::Until(end) => Instant::now() < *end,
            Self::Asks(left) => left.replace(left.get().saturating_sub(1)) > 0,
        }
    }
}

impl From<Instant> for Budget {
    fn from(end: Instant) -> Self {
        Self::Until(end)
    }
}

/// How budgets are measured.
#[derive(Clone, Copy, Debug, Default)]
pub enum Patience {
    /// By the clock.
    #[default]
    Clock,
    /// Each piece of work may ask that often, whatever the clock says: for tests.
    Asks(u32),
}

impl Patience {
    /// A budget for work that begins now.
    pub fn within(self, time: Duration) -> Budget {
        match self {
            Self::Clock => Budget::Until(Instant::now() + time),
            Self::Asks(n) => Budget::Asks(Cell::new(n)),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_budget_ends() {
        let asks = Patience::Asks(2).within(Duration::ZERO);
        assert_eq!([asks.is_left(), asks.is_left(), asks.is_left()], [true, true, false]);
        assert!(!Patience::Clock.within(Duration::ZERO).is_left());
        assert!(Patience::Clock.within(Duration::from_secs(60)).is_left());
    }
}
