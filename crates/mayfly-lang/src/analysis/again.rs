//! What each name stands for after a change inside one rule or declaration: the names in it alone are looked up.
//!
//! Not here: what it means ([`crate::check`]).
//!
//! Invariant: symbols and uses are those of a text that is read for the first time; a property test holds them against each other.

use super::symbols::{SymbolId, Symbols};
use super::uses::{self, Use, in_order};
use super::{Analysis, File};
use crate::check::{Before, Found, Patch, Project};
use crate::parser::{self, Edited, Parse};
use crate::syntax::Node;
use mayfly_base::Span;
use rustc_hash::FxHashMap;
use std::cell::RefCell;
use std::ops::Range;
use std::sync::Arc;

/// The files that were parsed again for a change inside one declaration, each by its name.
#[derive(Default)]
pub(super) struct Edits(RefCell<Vec<(String, Edited)>>);

impl Edits {
    /// A file's tree: that of the same text before, one in which one declaration is new, or a new one.
    pub fn tree(&self, known: &[File], name: &str, text: &str) -> Arc<Parse> {
        let Some(before) = known.iter().find(|f| f.name == name) else { return Arc::new(parser::parse(text)) };
        if *before.text == *text {
            return before.parse.clone();
        }
        let again = parser::again(&before.parse, &before.text, text);
        Arc::new(again.map_or_else(
            || parser::parse(text),
            |(parse, edited)| {
                self.0.borrow_mut().push((name.to_string(), edited));
                parse
            },
        ))
    }

    /// What was known before, where the same files are there and one of them alone was changed in one declaration.
    pub fn only_one<'a>(&self, before: &'a Analysis, project: &Project) -> Option<Before<'a>> {
        let edits = self.0.borrow();
        let [(name, edited)] = edits.as_slice() else { return None };
        let files = &before.files;
        if files.len() != project.sources.len() {
            return None;
        }
        let is_same = |(f, s): (&File, &crate::diagnostic::Source)| f.name == s.name && *f.text == *s.text;
        let same = files.iter().zip(&project.sources).filter(|(f, s)| is_same((f, s))).count();
        let file = project.sources.iter().position(|s| s.name == *name)?;
        let is_it = files[file].name == *name && same + 1 == files.len();
        is_it.then(|| Before {
            found: &before.found,
            file: file as u16,
            tree: files[file].tree(),
            errors: &files[file].parse.errors,
            edited: edited.clone(),
        })
    }
}

/// The symbols and uses of the new text.
pub(super) fn uses(before: &Analysis, files: &[File], found: &Found, patch: &Patch) -> Option<(Symbols, Vec<Use>)> {
    let file = patch.new.file;
    let mut symbols = before.symbols.moved(patch);
    if patch.is_comment {
        let uses = before.uses.iter().map(|u| Use { at: patch.shift.of(u.at), ..*u }).collect();
        return Some((symbols, uses));
    }
    let node = files.get(file as usize)?.tree().node_at(patch.new.range())?;
    symbols.retitle(file, &node)?;
    let ids = symbols.replace_locals(file, &node, patch.new);
    let shift = &patch.shift;
    let inside = |at: Span| at.file == file && patch.old.start <= at.start && at.end <= patch.old.end;
    let kept = before.uses.iter().filter(|u| !inside(u.at));
    let mut all: Vec<Use> = kept.map(|u| Use { at: shift.of(u.at), symbol: ids.of(u.symbol), ..*u }).collect();
    let new = |at: Span| at.file == file && patch.new.start <= at.start && at.end <= patch.new.end;
    let declared: FxHashMap<Span, SymbolId> = symbols.declared.iter().filter(|(at, _)| new(*at)).copied().collect();
    all.extend(declared.iter().map(|(at, symbol)| Use { at: *at, symbol: *symbol, declares: true }));
    all.extend(uses::read(file, &node, &symbols, found, &declared));
    Some((symbols, in_order(all)))
}

/// Which numbers locals have after some of them were replaced.
struct Ids {
    old: Range<usize>,
    new: usize,
}

impl Ids {
    fn of(&self, id: SymbolId) -> SymbolId {
        let at = id.0 as usize;
        if at < self.old.end { id } else { SymbolId((at - self.old.len() + self.new) as u32) }
    }
}

impl Symbols {
    /// The same symbols after an edit.
    fn moved(&self, patch: &Patch) -> Self {
        let by = &patch.shift;
        // What was put in at the end of a declaration belongs to it.
        let around = |at: Span| if at == patch.old && !patch.is_comment { patch.new } else { by.of(at) };
        let mut new = self.clone();
        for s in &mut new.all {
            s.at = by.of(s.at);
            s.whole = around(s.whole);
        }
        new.declared.iter_mut().for_each(|(at, _)| *at = by.of(*at));
        new.owners = self.owners.iter().map(|(at, id)| (around(*at), *id)).collect();
        new.locals = self.locals.iter().map(|(at, all)| (around(*at), all.clone())).collect();
        new
    }

    /// Reads the locals of one rule again; those of others get other numbers, if there are more of them now or fewer.
    fn replace_locals(&mut self, file: u16, node: &Node, owner: Span) -> Ids {
        let before = |s: &super::Symbol| (s.whole.file, s.whole.start) < (owner.file, owner.start);
        let start = self.lasting + self.all[self.lasting..].partition_point(before);
        let count = self.all[start..].iter().take_while(|s| s.whole == owner).count();
        let old = start..start + count;
        let tail = self.all.split_off(old.end);
        self.all.truncate(old.start);
        self.locals.remove(&owner);
        let lasting = self.lasting_declared;
        let mut declared = self.declared.split_off(lasting);
        declared.retain(|(_, id)| !old.contains(&(id.0 as usize)));
        let others = std::mem::take(&mut self.locals);
        uses::locals(file, node, self);
        let ids = Ids { new: self.all.len() - old.start, old };
        let numbered = |(at, all): (Span, Vec<(String, SymbolId)>)| {
            (at, all.into_iter().map(|(name, id)| (name, ids.of(id))).collect())
        };
        self.locals.extend(others.into_iter().map(numbered));
        self.declared.extend(declared.into_iter().map(|(at, id)| (at, ids.of(id))));
        self.declared[lasting..].sort_unstable_by_key(|(at, _)| *at);
        self.all.extend(tail);
        ids
    }
}
