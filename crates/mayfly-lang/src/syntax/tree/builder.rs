//! Grows a tree from what a parser does, in the order of the text: nodes begin and end, tokens are taken.
//!
//! Not here: which nodes there are ([`crate::parser`]).
//!
//! Invariant: the tokens lie in the tree in the order in which they were taken, each with the next stretch of the text.

use super::Tree;
use super::branch::{Branch, Entry};
use crate::syntax::kind::Kind;
use std::sync::Arc;

/// What a parser did.
#[derive(Clone, Copy)]
enum Step {
    Begin(Kind),
    /// A token, and how many bytes it has.
    Take(Kind, u32),
    End,
}

/// A place before which a node may begin later.
#[derive(Clone, Copy)]
pub(crate) struct Checkpoint(u32);

/// A node that begins before a step that was done already.
struct Around {
    kind: Kind,
    /// The one that lies right in it, before the same step.
    inner: u32,
}

/// Stands for no node round a step.
const NONE: u32 = u32::MAX;

/// What a parser did so far.
#[derive(Default)]
pub(crate) struct Builder {
    /// Each step, with the outermost node that begins before it.
    steps: Vec<(Step, u32)>,
    around: Vec<Around>,
}

impl Builder {
    pub fn begin(&mut self, kind: Kind) {
        self.steps.push((Step::Begin(kind), NONE));
    }

    /// Begins a node round all that was done since a checkpoint in the node that is open.
    pub fn begin_at(&mut self, Checkpoint(at): Checkpoint, kind: Kind) {
        match self.steps.get_mut(at as usize) {
            Some((_, outermost)) => {
                let inner = std::mem::replace(outermost, self.around.len() as u32);
                self.around.push(Around { kind, inner });
            }
            None => self.begin(kind),
        }
    }

    pub fn checkpoint(&self) -> Checkpoint {
        Checkpoint(self.steps.len() as u32)
    }

    pub fn take(&mut self, kind: Kind, len: usize) {
        self.steps.push((Step::Take(kind, len as u32), NONE));
    }

    pub fn end(&mut self) {
        self.steps.push((Step::End, NONE));
    }

    /// The tree of all that was done, of that text; what lies under its root is laid out by itself.
    pub fn finish(self, text: &str) -> Tree {
        let mut tree = Laying { text, at: 0, begun: 0, open: vec![], entries: vec![], branches: vec![], blank: None };
        // The first step begins the root, and the last ends it.
        for (step, outermost) in &self.steps[1..self.steps.len() - 1] {
            let mut around = *outermost;
            while let Some(a) = self.around.get(around as usize) {
                tree.begin(a.kind);
                around = a.inner;
            }
            match *step {
                Step::Begin(kind) => tree.begin(kind),
                Step::Take(kind, len) => tree.take(kind, len),
                Step::End => tree.end(),
            }
        }
        Tree::of(tree.branches)
    }
}

/// The branches of a text, as they are laid out one behind the other.
struct Laying<'t> {
    text: &'t str,
    /// The byte of the text that comes next, and the one at which the branch began.
    at: u32,
    begun: u32,
    /// The nodes that have begun and not ended, by their entries.
    open: Vec<u32>,
    entries: Vec<Entry>,
    branches: Vec<Arc<Branch>>,
    /// The last token that was a branch by itself: they are mostly alike.
    blank: Option<Arc<Branch>>,
}

impl Laying<'_> {
    fn begin(&mut self, kind: Kind) {
        let start = self.at - self.begun;
        let parent = self.open.last().copied().unwrap_or(0);
        self.open.push(self.entries.len() as u32);
        self.entries.push(Entry { kind, parent, next: 0, start, end: start, solid: (start, start) });
    }

    fn take(&mut self, kind: Kind, len: u32) {
        let start = self.at - self.begun;
        let end = start + len;
        self.at += len;
        let solid = if kind.is_trivia() { (start, start) } else { (start, end) };
        let (parent, next) = (self.open.last().copied().unwrap_or(0), self.entries.len() as u32 + 1);
        self.entries.push(Entry { kind, parent, next, start, end, solid });
        match self.open.last() {
            Some(parent) if !kind.is_trivia() => widen(&mut self.entries[*parent as usize], solid),
            Some(_) => {}
            None => self.token_alone(),
        }
    }

    fn end(&mut self) {
        let Some(at) = self.open.pop() else { return };
        let (next, end) = (self.entries.len() as u32, self.at - self.begun);
        let e = &mut self.entries[at as usize];
        (e.next, e.end) = (next, end);
        let (solid, is_solid) = (e.solid, e.is_solid());
        match self.open.last() {
            Some(parent) if is_solid => widen(&mut self.entries[*parent as usize], solid),
            Some(_) => {}
            None => {
                let branch = self.branch();
                self.branches.push(branch);
            }
        }
    }

    fn token_alone(&mut self) {
        let text = &self.text[self.begun as usize..self.at as usize];
        let same = |b: &&Arc<Branch>| b.kind() == self.entries[0].kind && *b.text == *text;
        match self.blank.as_ref().filter(same).cloned() {
            Some(same) => {
                self.branches.push(same);
                self.entries.clear();
                self.begun = self.at;
            }
            None => {
                let branch = self.branch();
                self.blank = Some(branch.clone());
                self.branches.push(branch);
            }
        }
    }

    fn branch(&mut self) -> Arc<Branch> {
        let text = &self.text[self.begun as usize..self.at as usize];
        let branch = Arc::new(Branch { text: text.into(), entries: self.entries.as_slice().into() });
        self.entries.clear();
        self.begun = self.at;
        branch
    }
}

fn widen(e: &mut Entry, by: (u32, u32)) {
    e.solid = if e.is_solid() { (e.solid.0, by.1) } else { by };
}
