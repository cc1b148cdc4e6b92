//! The items of a list, a set or a tally, with parts that values share: a copy costs next to nothing, and
//! a copy with one item more, less or changed costs no more than one part of it.
//!
//! Not here: which items a set holds and in which order ([`crate::value::Value::total`]).
//!
//! Invariant: [`Items::weight`] is the sum of its items' weights, kept with every change, so that it is
//! never counted again.

use imbl::Vector;
use std::ops::Deref;

/// The weight of an item, in bytes, with its own place in the list.
pub trait Weight: Clone {
    fn weight_of(&self) -> usize;
}

/// Items in order. Reading is a [`Vector`]'s.
#[derive(Clone, Debug, PartialEq)]
pub struct Items<T: Weight> {
    items: Vector<T>,
    weight: usize,
}

impl<T: Weight> Default for Items<T> {
    fn default() -> Self {
        Self { items: Vector::new(), weight: 0 }
    }
}

impl<T: Weight> Deref for Items<T> {
    type Target = Vector<T>;

    fn deref(&self) -> &Vector<T> {
        &self.items
    }
}

impl<T: Weight> FromIterator<T> for Items<T> {
    fn from_iter<I: IntoIterator<Item = T>>(items: I) -> Self {
        let mut weight = 0usize;
        let items = items.into_iter().inspect(|i| weight = weight.saturating_add(i.weight_of())).collect();
        Self { items, weight }
    }
}

impl<T: Weight> Items<T> {
    /// Bytes that all items take, those inside them included.
    pub fn weight(&self) -> usize {
        self.weight
    }

    /// Puts one more at the end.
    pub fn push(&mut self, item: T) {
        self.insert(self.items.len(), item);
    }

    /// Puts one in at a place, which is at most the length.
    pub fn insert(&mut self, at: usize, item: T) {
        self.weight = self.weight.saturating_add(item.weight_of());
        if at >= self.items.len() { self.items.push_back(item) } else { self.items.insert(at, item) }
    }

    /// Takes out the one at a place, where there is one.
    pub fn remove(&mut self, at: usize) {
        if at < self.items.len() {
            let old = self.items.remove(at);
            self.weight = self.weight.saturating_sub(old.weight_of());
        }
    }

    /// Puts another in the place of one, where there is one.
    pub fn set(&mut self, at: usize, item: T) {
        if at < self.items.len() {
            let new = item.weight_of();
            let old = self.items.set(at, item);
            self.weight = self.weight.saturating_sub(old.weight_of()).saturating_add(new);
        }
    }
}
