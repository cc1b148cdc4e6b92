//! The names of a level, and those that one file keeps to itself.
//!
//! Invariant: what is declared `private` is found in its own file alone, before what all files share; two files may
//! each have one of a name.

use super::names::Def;
use crate::moved::Shift;
use mayfly_base::Span;
use rustc_hash::{FxHashMap, FxHashSet};
use std::sync::atomic::{AtomicU16, Ordering};

#[derive(Debug, Default)]
pub(crate) struct Scope {
    all: FxHashMap<String, (Def, Span)>,
    own: FxHashMap<(u16, String), (Def, Span)>,
    /// Where private names are declared.
    private: FxHashSet<Span>,
    /// The file of the place that was looked at last.
    here: AtomicU16,
}

impl Scope {
    /// What is read from now on stands in that file.
    pub fn at(&self, file: u16) {
        self.here.store(file, Ordering::Relaxed);
    }

    /// A name that is declared there is private.
    pub fn keep_private(&mut self, at: Span) {
        self.private.insert(at);
    }

    /// What a name stands for where one reads now.
    pub fn get(&self, name: &str) -> Option<&(Def, Span)> {
        if !self.own.is_empty()
            && let Some(found) = self.own.get(&(self.here.load(Ordering::Relaxed), name.to_string()))
        {
            return Some(found);
        }
        self.all.get(name)
    }

    pub fn contains_key(&self, name: &str) -> bool {
        self.get(name).is_some()
    }

    /// What a declaration at a place collides with.
    pub fn taken(&self, name: &str, at: Span) -> Option<(Def, Span)> {
        let own = self.own.get(&(at.file, name.to_string()));
        let shared = self.all.get(name).filter(|(_, other)| !self.private.contains(&at) || other.file == at.file);
        own.or(shared).copied()
    }

    pub fn insert(&mut self, name: String, entry: (Def, Span)) {
        if self.private.contains(&entry.1) {
            self.own.insert((entry.1.file, name), entry);
        } else {
            self.all.insert(name, entry);
        }
    }

    /// The same names after an edit.
    pub fn moved(&self, by: &Shift) -> Self {
        Self {
            all: self.all.iter().map(|(n, (d, at))| (n.clone(), (*d, by.of(*at)))).collect(),
            own: self.own.iter().map(|(k, (d, at))| (k.clone(), (*d, by.of(*at)))).collect(),
            private: self.private.iter().map(|at| by.of(*at)).collect(),
            here: AtomicU16::new(0),
        }
    }

    /// All names that all files share.
    pub fn iter(&self) -> impl Iterator<Item = (&String, &(Def, Span))> {
        self.all.iter()
    }

    pub fn keys(&self) -> impl Iterator<Item = &String> {
        self.all.keys()
    }
}
