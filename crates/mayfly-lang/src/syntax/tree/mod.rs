//! The tree of a text, laid out for whoever reads it: nodes and tokens with their places, and the ways from one to another.
//!
//! Each declaration is laid out by itself ([`branch`]), and kept as long as its text is the same, wherever it moves; a step
//! through it makes nothing new.
//!
//! Not here: how text becomes a tree ([`crate::parser`]), and what one means ([`crate::check`]).
//!
//! Invariant: the text of a tree is the text it was made from, byte for byte.

mod branch;
mod builder;
mod node;

pub(crate) use branch::Branch;
pub(crate) use builder::{Builder, Checkpoint};
pub use node::{Element, Node, Token};

use crate::syntax::kind::Kind;
use branch::Entry;
use std::ops::Range;
use std::sync::Arc;

/// Branches side by side.
#[derive(Clone, Debug)]
pub(crate) struct Tree {
    branches: Vec<Placed>,
    len: u32,
}

/// A branch with the byte at which it begins. Its kind and its places are told here too, so that whoever looks for one declaration
/// need not look into each.
#[derive(Clone, Debug)]
struct Placed {
    start: u32,
    kind: Kind,
    /// As that of its first entry, in bytes of the tree.
    solid: (u32, u32),
    branch: Arc<Branch>,
}

/// Stands for the root, where a branch is told.
const ROOT: u32 = u32::MAX;

/// Where something lies in a tree. The root's `at` is 0.
#[derive(Clone, Copy, PartialEq, Eq)]
struct At {
    branch: u32,
    at: u32,
}

impl Tree {
    /// A tree of those branches, side by side.
    pub fn of(branches: impl IntoIterator<Item = Arc<Branch>>) -> Self {
        let mut len = 0;
        let place = |branch: Arc<Branch>| {
            let start = len;
            len += branch.len() as u32;
            let Entry { kind, solid: (from, to), .. } = branch.entries[0];
            Placed { start, kind, solid: (start + from, start + to), branch }
        };
        let branches = branches.into_iter().map(place).collect();
        Self { branches, len }
    }

    /// Its branches, in order.
    pub fn branches(&self) -> impl DoubleEndedIterator<Item = &Arc<Branch>> + ExactSizeIterator {
        self.branches.iter().map(|p| &p.branch)
    }

    fn entry(&self, at: At) -> Option<&Entry> {
        self.branches.get(at.branch as usize).map(|p| &p.branch.entries[at.at as usize])
    }

    fn kind(&self, at: At) -> Kind {
        self.entry(at).map_or(Kind::ROOT, |e| e.kind)
    }

    fn range(&self, at: At) -> Range<usize> {
        let Some(p) = self.branches.get(at.branch as usize) else { return 0..self.len as usize };
        let e = &p.branch.entries[at.at as usize];
        (p.start + e.start) as usize..(p.start + e.end) as usize
    }

    /// The first entry at or behind a byte that ends behind it: a branch with something in it.
    fn branch_at(&self, byte: usize) -> Option<u32> {
        let behind = self.branches.partition_point(|p| p.start as usize <= byte);
        let at = self.branches[..behind].iter().rposition(|p| p.branch.len() > 0)?;
        Some(at as u32)
    }

    fn parent(&self, at: At) -> Option<At> {
        let e = self.entry(at)?;
        Some(if at.at == 0 { At { branch: ROOT, at: 0 } } else { At { at: e.parent, ..at } })
    }

    fn next(&self, at: At) -> Option<At> {
        let next = match self.entry(at)? {
            _ if at.at == 0 => At { branch: at.branch + 1, at: 0 },
            e => {
                let end = self.entry(At { at: e.parent, ..at })?.next;
                return (e.next < end).then_some(At { at: e.next, ..at });
            }
        };
        self.entry(next).map(|_| next)
    }

    fn previous(&self, at: At) -> Option<At> {
        if at.at == 0 {
            return Some(At { branch: at.branch.checked_sub(1).filter(|_| at.branch != ROOT)?, at: 0 });
        }
        // Before it in the text ends what stands before it in the same node.
        let parent = self.entry(at)?.parent;
        let mut before = At { at: at.at - 1, ..at };
        while before.at > parent && self.entry(before)?.parent != parent {
            before.at = self.entry(before)?.parent;
        }
        (before.at > parent).then_some(before)
    }
}

/// The way through what lies right in a node.
struct Within {
    next: At,
    /// The entry behind the last, of a node that is not the root.
    end: Option<u32>,
}

impl Within {
    fn of(tree: &Tree, at: At) -> Self {
        match tree.entry(at) {
            Some(e) => Self { next: At { at: at.at + 1, ..at }, end: Some(e.next) },
            None => Self { next: At { branch: 0, at: 0 }, end: None },
        }
    }

    fn next(&mut self, tree: &Tree) -> Option<(At, Kind)> {
        let at = self.next;
        let p = tree.branches.get(at.branch as usize)?;
        match self.end {
            Some(end) if at.at >= end => None,
            Some(_) => {
                let e = &p.branch.entries[at.at as usize];
                self.next.at = e.next;
                Some((at, e.kind))
            }
            None => {
                self.next.branch += 1;
                Some((at, p.kind))
            }
        }
    }
}

/// The way through a node and all that lies in it, in the order of the text.
struct Through {
    next: Option<At>,
    /// The branch and entry behind the last, of a node that is not the root.
    end: Option<u32>,
}

impl Through {
    fn of(tree: &Tree, at: At) -> Self {
        Self { next: Some(at), end: tree.entry(at).map(|e| e.next) }
    }

    fn next(&mut self, tree: &Tree) -> Option<At> {
        let at = self.next?;
        let is_last =
            |b: u32, n: u32| tree.branches.get(b as usize).is_none_or(|p| n as usize >= p.branch.entries.len());
        self.next = match (at.branch, self.end) {
            (ROOT, _) => Some(At { branch: 0, at: 0 }),
            (branch, None) if is_last(branch, at.at + 1) => Some(At { branch: branch + 1, at: 0 }),
            (branch, _) => Some(At { branch, at: at.at + 1 }),
        };
        let is_there = |next: &At| match self.end {
            Some(end) => next.at < end,
            None => (next.branch as usize) < tree.branches.len(),
        };
        self.next = self.next.filter(is_there);
        Some(at)
    }
}
