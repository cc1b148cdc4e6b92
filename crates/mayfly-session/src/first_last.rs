//! A list that keeps the first and the last of what may be without end: a log, a list of faults.
//!
//! Invariant: it holds at most [`MAX`] of the first and about [`MAX`] of the last, and no more than [`MAX_BYTES`]
//! of each; how many were left out between is counted.

/// Items that are kept at each end.
pub const MAX: usize = 10_000;
/// Bytes that are kept at each end.
const MAX_BYTES: usize = 32 << 20;
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

#[cfg(test)]
mod tests {
    use super::*;

    impl Bytes for (u64, usize) {
        fn bytes(&self) -> usize {
            self.1
        }
    }

    #[test]
    fn a_flood_keeps_both_ends_and_counts_the_rest() {
        let mut list = FirstLast::default();
        (0..100_000).for_each(|i| list.push((i, 10)));
        list.finish();
        assert_eq!((list.len(), list.left_out()), (2 * MAX, 80_000));
        assert_eq!((list[0].0, list[MAX - 1].0, list[MAX].0, list[2 * MAX - 1].0), (0, 9_999, 90_000, 99_999));
        list.cut(|x| x.0 < 95_000);
        assert_eq!((list.len(), list.left_out()), (15_000, 80_000));
        list.cut(|x| x.0 < 5_000);
        assert_eq!((list.len(), list.left_out()), (5_000, 0));
    }

    #[test]
    fn large_items_take_bounded_room() {
        let mut list = FirstLast::default();
        (0..1000).for_each(|i| list.push((i, 1 << 20)));
        assert!(list.iter().map(|x| x.1).sum::<usize>() <= 3 * MAX_BYTES);
        assert_eq!(list.left_out() + list.len() as u64, 1000);
        assert_eq!(list.last().map(|x| x.0), Some(999));
    }
}
