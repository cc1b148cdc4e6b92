//! The one kept result of reading a project's text: its files with their trees and lines, what they declare, where each
//! name is used, the type of each expression, what is wrong, and the level.
//!
//! Start with [`Analysis::of`]. What an editor asks is in [`crate::services`]; what a level means is in [`crate::level`].
//!
//! Invariants: an analysis changes nothing and is never changed: another text has another one; a file whose text is as it
//! was keeps its tree ([`Analysis::again`]); every use lies in a file's text, and is that symbol's name there.

mod again;
mod lines;
mod symbols;
mod uses;

use again::Edits;
pub use lines::{LineColumn, LineIndex};
pub use symbols::{Symbol, SymbolId, SymbolKind, Symbols};
pub use uses::Use;

use crate::check::{self, Checked, Found, Load};
use crate::diagnostic::Diagnostic;
use crate::level::Level;
use crate::parser::Parse;
use crate::syntax::Node;
use mayfly_base::Span;
use std::sync::Arc;

/// One file of a project.
#[derive(Clone, Debug)]
pub struct File {
    pub name: String,
    pub text: Arc<str>,
    pub lines: LineIndex,
    parse: Arc<Parse>,
}

impl File {
    fn new(name: &str, text: &str, parse: Arc<Parse>, before: &[File]) -> Self {
        match before.iter().find(|f| Arc::ptr_eq(&f.parse, &parse) && f.name == name) {
            Some(same) => same.clone(),
            None => Self { name: name.into(), text: text.into(), lines: LineIndex::new(text), parse },
        }
    }

    /// The place of a node of this file, whose number is `file`.
    pub fn span(&self, file: u16, n: &Node) -> Span {
        symbols::span(file, n)
    }

    /// Where the declaration begins in which the first error of its grammar stands: what is written behind it may be read
    /// as part of it.
    pub fn broken_from(&self) -> Option<usize> {
        let first = self.parse.errors.iter().map(|e| e.start).min()?;
        let mut decls = self.tree().children();
        let broken = decls.find(|n| n.range().end >= first.min(self.text.trim_end().len()));
        Some(broken.map_or(first, |n| n.bytes().start))
    }

    /// Its lossless tree.
    pub fn tree(&self) -> Node {
        self.parse.tree()
    }
}

/// Everything known about the text of a level.
#[derive(Debug)]
pub struct Analysis {
    /// The level's own file first, then those that it uses.
    pub files: Vec<File>,
    pub checked: Checked,
    pub symbols: Symbols,
    uses: Vec<Use>,
    found: Found,
    only: Option<Span>,
}

impl Analysis {
    /// Reads a level and the files that it uses; `load` as in [`check::check_with`].
    pub fn of(name: &str, text: &str, load: Load) -> Self {
        Self::read(name, text, load, None, &mut |_| {})
    }

    /// Reads it again after a change: files with the same text keep their trees, and where one rule alone was changed, or what
    /// one declaration says of itself, that alone is read.
    #[must_use]
    pub fn again(&self, name: &str, text: &str, load: Load) -> Self {
        Self::read(name, text, load, Some(self), &mut |_| {})
    }

    /// As [`Analysis::of`], or as [`Analysis::again`] of `before`. What is wrong is told to `checked` as soon as it is known,
    /// well before every use of every name is.
    pub fn telling(
        name: &str,
        text: &str,
        load: Load,
        before: Option<&Self>,
        checked: &mut dyn FnMut(&Checked),
    ) -> Self {
        Self::read(name, text, load, before, checked)
    }

    fn read(name: &str, text: &str, load: Load, before: Option<&Self>, tell: &mut dyn FnMut(&Checked)) -> Self {
        let known = before.map_or(&[][..], |a| &a.files);
        let edits = Edits::default();
        let mut trees = |name: &str, text: &str| edits.tree(known, name, text);
        let whole = check::check_whole(name, text, load, &mut trees, |p| edits.only_one(before?, p));
        let check::Whole { checked, found, parses, patch } = whole;
        tell(&checked);
        let files = checked.sources.iter().zip(parses).map(|(s, p)| File::new(&s.name, &s.text, p, known));
        let files: Vec<File> = files.collect();
        let patched = before.zip(patch).and_then(|(a, patch)| again::uses(a, &files, &found, &patch));
        let (symbols, uses) = patched.unwrap_or_else(|| {
            let mut symbols = Symbols::of(&files);
            let uses = uses::all(&files, &mut symbols, &found);
            (symbols, uses)
        });
        Self { files, checked, symbols, uses, found, only: patch.map(|p| p.new) }
    }

    /// The piece of the text that alone was read, because all else was as before.
    pub fn only_read(&self) -> Option<Span> {
        self.only
    }

    /// How many rules and parts of machines were read: the others mean what they meant before.
    pub fn rules_read(&self) -> usize {
        self.found.rules_read
    }

    /// The level; none where the text has errors.
    pub fn level(&self) -> Option<&Level> {
        self.checked.level.as_deref()
    }

    /// The level as far as it could be read, for its names.
    pub fn draft(&self) -> &Level {
        &self.found.draft
    }

    pub fn diagnostics(&self) -> &[Diagnostic] {
        &self.checked.diagnostics
    }

    /// All uses, in order of file and place.
    pub fn uses(&self) -> &[Use] {
        &self.uses
    }

    /// The use at a byte of a file: of two names that meet there the later.
    pub fn use_at(&self, file: u16, at: usize) -> Option<&Use> {
        let after = self.uses.partition_point(|u| (u.at.file, u.at.start as usize) <= (file, at));
        self.uses[..after].last().filter(|u| u.at.file == file && at <= u.at.end as usize)
    }

    /// The uses of one symbol, its declaration among them.
    pub fn uses_of(&self, symbol: SymbolId) -> impl Iterator<Item = &Use> {
        self.uses.iter().filter(move |u| u.symbol == symbol)
    }

    /// The type of the expression that lies exactly there, in words.
    pub fn type_at(&self, at: Span) -> Option<String> {
        self.found.types.get(&at).map(|t| t.show(&*self.found.draft))
    }

    /// The text at a place.
    pub fn text(&self, at: Span) -> &str {
        self.files.get(at.file as usize).and_then(|f| f.text.get(at.range())).unwrap_or("")
    }
}
