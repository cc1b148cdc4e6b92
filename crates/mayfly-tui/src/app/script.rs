//! Where one is in the texts, and what is kept of them between frames.
//!
//! Not here: what is done with it ([`crate::script`]).
//!
//! Invariant: as in [`super`].

use crate::theme::Role;
use crate::wrapping::Pieces;
use mayfly_draw::machine::Listed;
use mayfly_draw::scene::Scene;
use mayfly_lang::edit::Change;
use mayfly_lang::services::complete::Proposal;
use mayfly_session::cascade::Mark;
use mayfly_session::moment::Moment;
use std::collections::BTreeMap;
use std::ops::Range;

/// Where one is in the texts.
#[derive(Default)]
pub struct ScriptView {
    /// The file by its number among the texts.
    pub file: usize,
    /// A byte of its text.
    pub caret: usize,
    /// Where the selection began; none: nothing is selected.
    pub anchor: Option<usize>,
    /// The column that going up and down keeps to.
    pub(crate) goal: Option<usize>,
    /// The first line and column that are shown.
    pub top: usize,
    pub left: usize,
    pub typing: bool,
    /// Places that were left by a jump, the last one last.
    pub(crate) back: Vec<(usize, usize)>,
    /// What was cut or copied last.
    pub clip: String,
    /// What is looked for.
    pub find: String,
    /// What can stand at the caret, for which version of the texts and where.
    pub(crate) next: Next,
    /// What is said of the word under the caret.
    pub(crate) about: About,
    /// Signs and counts beside the lines, for which moment and version of the texts.
    pub(crate) margins: Margins,
}

/// What can stand at the caret.
#[derive(Default)]
pub struct Next {
    pub(crate) of: Option<(u64, usize, usize)>,
    pub(crate) all: Vec<Proposal>,
    pub(crate) range: Range<usize>,
    pub(crate) at: usize,
}

/// What is said of the word under the caret, kept until the caret, the texts or the moment change.
#[derive(Default)]
pub(crate) struct About {
    pub(crate) of: Option<(u64, usize, usize, Moment)>,
    pub(crate) lines: Vec<Pieces>,
    /// The machine that it is.
    pub(crate) machine: Option<Narrow>,
}

/// What stands beside one line.
#[derive(Clone, Debug, Default)]
pub struct Beside {
    /// Fired and held, of the rule that begins here.
    pub counts: Option<(u64, u64)>,
    /// The sign of the last evaluation at the moment's tick.
    pub mark: Option<Mark>,
    pub stop: bool,
    /// What it saw and wrote, in the order of the cascade.
    pub values: Vec<(String, Role)>,
    /// The moment stands in this line.
    pub here: bool,
}

/// What was found for a file, and for which moment and version of the texts.
#[derive(Default)]
pub struct Margins {
    pub(crate) of: Option<(usize, u64, Moment, usize, u64, bool)>,
    pub lines: BTreeMap<usize, Beside>,
    pub changed: Vec<usize>,
    /// Lines in which something is wrong: true where an error is.
    pub wrong: BTreeMap<usize, bool>,
    /// The most that a rule fired.
    pub most: u64,
}

/// A rename that waits to be confirmed.
#[derive(Clone, Debug, PartialEq)]
pub struct Renaming {
    pub old: String,
    pub new: String,
    pub changes: Vec<(usize, Change)>,
    /// The version of the texts for which it was made.
    pub version: u64,
}

/// A machine for a narrow pane: drawn across or from above down where it fits, else its states one under the other.
#[derive(Clone, Debug)]
pub struct Narrow {
    pub(crate) across: (Scene, Vec<Listed>),
    pub(crate) down: (Scene, Vec<Listed>),
    pub(crate) listing: Vec<Pieces>,
}
