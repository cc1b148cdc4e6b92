//! One declaration laid out: its nodes and tokens in the order of its text, each with its place.
//!
//! Not here: the ways from one to another ([`super`]), and how they are laid ([`super::builder`]).
//!
//! Invariant: an entry lies between its parent and the entry behind its parent's last; places are bytes of the branch's own text.

use crate::syntax::kind::Kind;
use std::ops::Range;

/// A node or token of a branch. Places are bytes of the branch.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) struct Entry {
    pub kind: Kind,
    /// The node in which it lies.
    pub parent: u32,
    /// The entry behind its last.
    pub next: u32,
    pub start: u32,
    pub end: u32,
    /// From its first token that is no trivia, to its last; its start twice where it has none.
    pub solid: (u32, u32),
}

impl Entry {
    /// True where something other than trivia lies in it.
    pub fn is_solid(&self) -> bool {
        self.solid.0 < self.solid.1
    }
}

/// One declaration, or one token between two.
#[derive(PartialEq, Eq, Debug)]
pub(crate) struct Branch {
    pub(super) text: Box<str>,
    /// In the order of the text, a node before what lies in it; the first is the declaration itself.
    pub(super) entries: Box<[Entry]>,
}

impl Branch {
    /// A token without text, between two files.
    pub fn end() -> Self {
        let end = Entry { kind: Kind::EOF, parent: 0, next: 1, start: 0, end: 0, solid: (0, 0) };
        Self { text: "".into(), entries: [end].into() }
    }

    pub fn kind(&self) -> Kind {
        self.entries[0].kind
    }

    pub fn is_token(&self) -> bool {
        self.kind().is_token()
    }

    /// How many bytes of text it has.
    pub fn len(&self) -> usize {
        self.text.len()
    }

    /// True where a node of that kind lies right under its own, and a token of the other right in that.
    pub fn has(&self, kind: Kind, token: Kind) -> bool {
        let is_under = |at: u32| self.entries[at as usize].kind == kind && self.entries[at as usize].parent == 0;
        self.entries.iter().skip(1).any(|e| e.kind == token && e.parent > 0 && is_under(e.parent))
    }

    fn inside(&self, at: u32) -> (&str, &[Entry]) {
        let Entry { start, end, next, .. } = self.entries[at as usize];
        (&self.text[start as usize..end as usize], &self.entries[at as usize..next as usize])
    }

    /// True where what lies at `at` is made of the same text in the same way as what lies at `bt` in another branch.
    pub fn is_like(&self, at: u32, other: &Self, bt: u32) -> bool {
        let ((a, these), (b, those)) = (self.inside(at), other.inside(bt));
        let shape = |e: &Entry, first: &Entry, at: u32| -> (Kind, u32, Range<u32>) {
            (e.kind, e.next - at, e.start - first.start..e.end - first.start)
        };
        let same = |(a, b): (&Entry, &Entry)| shape(a, &these[0], at) == shape(b, &those[0], bt);
        a == b && these.len() == those.len() && these.iter().zip(those).all(same)
    }
}
