//! What changed of what stops actors, by number.
//!
//! Not here: who stands where ([`crate::ground`]).
//!
//! Invariant: at most [`MAX_CHANGES`] changes are kept, the last ones, and it is known how many there were.

use mayfly_base::*;
use std::collections::VecDeque;

/// Changes that are kept.
pub const MAX_CHANGES: usize = 256;
/// One change of what stops actors.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Change {
    /// Whose it is: it does not stop itself.
    pub by: Option<ActorId>,
    pub area: AreaId,
    /// Centre and size of what is in the way now, or was.
    pub at: (f64, f64),
    pub size: (f64, f64),
    /// It is in the way from now on; otherwise it was.
    pub closes: bool,
}

/// Cells whose centres a box holds: the area, the first column and row, the last.
pub type Covered = (AreaId, (i64, i64), (i64, i64));

/// What changed, and how often.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Changes {
    /// How many there were.
    pub count: u64,
    last: VecDeque<Change>,
    /// The number of the last change that concerns every way.
    pub all: u64,
}

impl Changes {
    pub fn add(&mut self, change: Change) {
        self.count += 1;
        if self.last.len() == MAX_CHANGES {
            self.last.pop_front();
        }
        self.last.push_back(change);
    }

    /// Something changed that concerns every way.
    pub fn add_all(&mut self) {
        self.count += 1;
        self.all = self.count;
        self.last.clear();
    }

    /// The changes after that number; none where too many came since to be known.
    pub fn since(&self, number: u64) -> Option<impl Iterator<Item = &Change>> {
        let new = usize::try_from(self.count - number.min(self.count)).ok().filter(|n| *n <= self.last.len())?;
        Some(self.last.range(self.last.len() - new..))
    }
}
