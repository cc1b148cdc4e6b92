//! How much happened in which ticks: what an overview of a whole flight shows.
//!
//! Not here: what happened ([`crate::record`]).
//!
//! Invariant: at most [`MAX_BUCKETS`] numbers pairs are kept, however long a flight is; a tick in which nothing
//! fired and nothing was faulty takes no room.

use std::collections::BTreeMap;

/// Pairs of numbers that are kept.
pub const MAX_BUCKETS: usize = 200_000;

/// Rules that fired, and faults.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Summary {
    pub fired: u32,
    pub faults: u32,
}

impl Summary {
    fn add(&mut self, other: Self) {
        self.fired = self.fired.saturating_add(other.fired);
        self.faults = self.faults.saturating_add(other.faults);
    }
}

/// The summaries of a flight. Each bucket holds so many ticks, more of them the longer the flight is.
#[derive(Clone, Debug)]
pub struct Summaries {
    buckets: BTreeMap<u64, Summary>,
    ticks: u64,
}

impl Default for Summaries {
    fn default() -> Self {
        Self { buckets: BTreeMap::new(), ticks: 1 }
    }
}

impl Summaries {
    /// Adds what happened in one tick.
    pub fn add(&mut self, tick: u64, s: Summary) {
        if s == Summary::default() {
            return;
        }
        self.buckets.entry(tick / self.ticks).or_default().add(s);
        if self.buckets.len() > MAX_BUCKETS {
            self.ticks *= 2;
            for (at, s) in std::mem::take(&mut self.buckets) {
                self.buckets.entry(at / 2).or_default().add(s);
            }
        }
    }

    /// How many buckets there are: at most [`MAX_BUCKETS`].
    pub fn buckets(&self) -> usize {
        self.buckets.len()
    }

    /// What happened in the ticks `from..to`; at the ends as exact as the buckets are.
    pub fn between(&self, from: u64, to: u64) -> Summary {
        let mut all = Summary::default();
        if from < to {
            self.buckets.range(from / self.ticks..to.div_ceil(self.ticks)).for_each(|(_, s)| all.add(*s));
        }
        all
    }

    /// Forgets everything from that tick on.
    pub fn cut(&mut self, tick: u64) {
        self.buckets.split_off(&tick.div_ceil(self.ticks));
    }
}
