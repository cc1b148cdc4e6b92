//! What is known of places in the text, put down in the order of reading and looked up once all is read.
//!
//! Not here: what is known ([`crate::check`]).
//!
//! Invariant: of each place the last thing that was put down holds; it is looked up only where [`Placed::settle`] was called
//! since.

use crate::moved::{Change, Moves};
use mayfly_base::Span;
use std::cell::Cell;

/// Where something lies, with what tells it from others there.
pub(crate) trait Key: Ord + Copy + Moves {
    fn at(&self) -> Span;
}

impl Key for Span {
    fn at(&self) -> Span {
        *self
    }
}

impl<T: Ord + Copy + Moves> Key for (Span, T) {
    fn at(&self) -> Span {
        self.0
    }
}

/// How far something is moved back before all is sorted at large, and looked for before it is looked for everywhere.
const MAX_MOVES: usize = 16;

/// Values by their places.
#[derive(Clone, Debug)]
pub(crate) struct Placed<K, V> {
    all: Vec<(K, V)>,
    settled: bool,
}

impl<K, V> Default for Placed<K, V> {
    fn default() -> Self {
        Self { all: vec![], settled: true }
    }
}

impl<K: Key, V: Clone + Moves> Placed<K, V> {
    pub fn put(&mut self, key: K, value: V) {
        self.all.push((key, value));
        self.settled = false;
    }

    /// Makes ready to be looked up.
    pub fn settle(&mut self) {
        if std::mem::replace(&mut self.settled, true) {
            return;
        }
        self.sort();
        self.all.dedup_by(|later, kept| {
            let same = later.0 == kept.0;
            if same {
                std::mem::swap(later, kept);
            }
            same
        });
    }

    /// Sorts by place; of one place the last stays last. Declarations are read first, then rules, and an expression is put
    /// down behind its parts: so all is first made into few runs, each of which lies in order.
    fn sort(&mut self) {
        let mut run = 0;
        for i in 1..self.all.len() {
            let key = self.all[i].0;
            let before = &self.all[run.max(i.saturating_sub(MAX_MOVES))..i];
            let moves = before.iter().rev().take_while(|(k, _)| *k > key).count();
            match moves {
                MAX_MOVES => run = i,
                _ => self.all[i - moves..=i].rotate_right(1),
            }
        }
        self.all.sort_by_key(|(k, _)| *k);
    }

    pub fn get(&self, key: &K) -> Option<&V> {
        assert!(self.settled, "it is looked up before all was put in order");
        self.all.binary_search_by_key(key, |(k, _)| *k).ok().map(|i| &self.all[i].1)
    }

    /// As [`Self::get`], for whoever asks mostly in order of place: `last` is where the thing stood for which was asked before.
    pub fn get_near(&self, key: &K, last: &Cell<usize>) -> Option<&V> {
        assert!(self.settled, "it is looked up before all was put in order");
        let from = last.get().min(self.all.len());
        let near = &self.all[from..(from + MAX_MOVES).min(self.all.len())];
        let is_near = near.first().is_some_and(|(k, _)| k <= key) && near.last().is_some_and(|(k, _)| key <= k);
        if !is_near {
            let at = self.all.partition_point(|(k, _)| k < key);
            last.set(at);
            return self.all.get(at).filter(|(k, _)| k == key).map(|(_, v)| v);
        }
        let at = near.iter().position(|(k, _)| k >= key)?;
        last.set(from + at);
        (near[at].0 == *key).then_some(&near[at].1)
    }

    pub fn contains(&self, key: &K) -> bool {
        self.get(key).is_some()
    }

    pub fn iter(&self) -> impl Iterator<Item = &(K, V)> {
        self.all.iter()
    }

    /// Takes those of another whose places are kept, as they are after a change.
    pub fn take(&mut self, from: &Self, by: &Change, mut keep: impl FnMut(&Span) -> bool) {
        self.all.reserve(from.all.len());
        for (key, value) in from.all.iter().filter(|(k, _)| keep(&k.at())) {
            let (mut key, mut value) = (*key, value.clone());
            key.moves(by);
            value.moves(by);
            self.put(key, value);
        }
    }
}

/// Some stretches of the text that lie apart, in order.
pub(crate) struct Stretches {
    all: Vec<Span>,
    /// The last in which something was found: most is asked for in order.
    last: usize,
}

impl Stretches {
    pub fn of(mut all: Vec<Span>) -> Self {
        all.sort_unstable_by_key(|s| (s.file, s.start));
        Self { all, last: 0 }
    }

    /// True where a stretch lies in one of them.
    pub fn hold(&mut self, at: &Span) -> bool {
        let begins = |s: Option<&Span>| s.is_some_and(|s| (s.file, s.start) <= (at.file, at.start));
        if !begins(self.all.get(self.last)) {
            self.last = self.all.partition_point(|s| begins(Some(s))).saturating_sub(1);
        }
        while begins(self.all.get(self.last + 1)) {
            self.last += 1;
        }
        let last = self.all.get(self.last);
        begins(last) && last.is_some_and(|s| s.file == at.file && at.end <= s.end)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn of_one_place_the_last_holds() {
        let mut p: Placed<Span, u16> = Placed::default();
        let at = |n: usize| Span::new(0, n, n + 2);
        for (n, value) in [(5, 1), (3, 2), (5, 3), (4, 4), (3, 5), (5, 6)] {
            p.put(at(n), value);
        }
        p.settle();
        assert_eq!(p.iter().map(|(k, v)| (k.start, *v)).collect::<Vec<_>>(), [(3, 5), (4, 4), (5, 6)]);
        assert_eq!((p.get(&at(4)), p.get(&at(6))), (Some(&4), None));
        for from in 0..5 {
            let last = Cell::new(from);
            for n in [3, 4, 5, 6, 2, 5, 3, 9] {
                assert_eq!(p.get_near(&at(n), &last), p.get(&at(n)), "{n} from {from}");
            }
        }
    }

    #[test]
    fn many_are_sorted_however_far_they_are_out_of_order() {
        for put in [|i: usize| i ^ 3, |i: usize| 999 - i, |i: usize| i * 7 % 1000, |i: usize| i / 5 * 7 % 200] {
            let mut p: Placed<Span, u16> = Placed::default();
            let mut wanted = std::collections::BTreeMap::new();
            for i in 0..1000 {
                let at = Span::new(0, put(i), put(i));
                p.put(at, i as u16);
                wanted.insert(at, i as u16);
            }
            p.settle();
            let last = Cell::new(0);
            for i in (0..1000).chain((0..1000).rev()) {
                let at = Span::new(0, i, i);
                assert_eq!(p.get_near(&at, &last), wanted.get(&at));
            }
            assert!(p.iter().map(|(k, v)| (*k, *v)).eq(wanted));
        }
    }

    #[test]
    fn stretches_hold_what_lies_in_them_in_any_order() {
        let mut s = Stretches::of(vec![Span::new(0, 10, 20), Span::new(1, 5, 9), Span::new(0, 30, 40)]);
        for (at, holds) in [
            (Span::new(0, 32, 34), true),
            (Span::new(0, 10, 20), true),
            (Span::new(0, 9, 11), false),
            (Span::new(0, 18, 21), false),
            (Span::new(1, 5, 6), true),
            (Span::new(1, 12, 13), false),
            (Span::new(0, 22, 23), false),
            (Span::new(2, 5, 6), false),
        ] {
            assert_eq!(s.hold(&at), holds, "{at:?}");
        }
    }
}
