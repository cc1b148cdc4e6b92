//! A list that keeps the first and the last of what may be without end: a log, a list of faults.
//!
//! Invariant: it holds at most [`MAX`] of the first and about [`MAX`] of the last, and no more than [`MAX_BYTES`]
//! of each; how many were left out between is counted.

/// Items that are kept at each end.
pub const MAX: usize = 10_000;
/// Bytes that are kept at each end.
pub const MAX_BYTES: usize = 32 << 20;
/// Items that may be too many for a while, so that few are moved often.
const SLACK: usize = 2000;

/// What takes room outside itself.
pub trait Bytes {
    fn bytes(&self) -> usize;
}

#[derive(Clone, Debug)]
pub struct FirstLast<T> {
    items: Vec<T>,
    /// How many are the first ones, once that is settled.
    first: Option<usize>,
    bytes: usize,
    left_out: u64,
}

impl<T> Default for FirstLast<T> {
    fn default() -> Self {
        Self { items: vec![], first: None, bytes: 0, left_out: 0 }
    }
}

impl<T> std::ops::Deref for FirstLast<T> {
    type Target = [T];

    fn deref(&self) -> &[T] {
        &self.items
    }
}

impl<T> IntoIterator for FirstLast<T> {
    type Item = T;
    type IntoIter = std::vec::IntoIter<T>;

    fn into_iter(self) -> Self::IntoIter {
        self.items.into_iter()
    }
}

impl<T: Bytes> FirstLast<T> {
    pub fn push(&mut self, item: T) {
        self.bytes += item.bytes();
        self.items.push(item);
        let Some(first) = self.first else {
            if self.items.len() >= MAX || self.bytes > MAX_BYTES {
                (self.first, self.bytes) = (Some(self.items.len()), 0);
            }
            return;
        };
        if self.items.len() - first > MAX + SLACK {
            self.leave_out(self.items.len() - first - MAX);
        } else if self.bytes > MAX_BYTES {
            self.leave_out((self.items.len() - first).div_ceil(2));
        }
    }

    /// Leaves so many out after the first ones.
    fn leave_out(&mut self, count: usize) {
        let first = self.first.unwrap_or(0);
        let gone: usize = self.items.drain(first..first + count).map(|x| x.bytes()).sum();
        self.bytes = self.bytes.saturating_sub(gone);
        self.left_out += count as u64;
    }

    /// How many were left out.
    pub fn left_out(&self) -> u64 {
        self.left_out
    }

    /// Keeps no more than exactly so many.
    pub fn finish(&mut self) {
        if let Some(first) = self.first {
            self.leave_out((self.items.len() - first).saturating_sub(MAX));
        }
    }

    /// Forgets those for which `keep` is false: the newest ones, as they are in order.
    pub fn cut(&mut self, keep: impl Fn(&T) -> bool) {
        self.items.truncate(self.items.partition_point(keep));
        if let Some(first) = self.first {
            if self.items.len() <= first {
                // Cut before or into what was left out.
                self.left_out = 0;
            }
            if self.items.len() < first {
                self.first = None;
            }
            self.bytes = self.items[self.first.unwrap_or(0)..].iter().map(T::bytes).sum();
        } else {
            self.bytes = self.items.iter().map(T::bytes).sum();
        }
    }
}
