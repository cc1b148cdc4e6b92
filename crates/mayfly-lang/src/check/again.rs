//! A level read again after a change inside one rule, one part of a machine, one declaration ([`super::again_declaration`])
//! or one comment: that one alone is read, all else is kept.
//!
//! The level is looked over as a whole all the same, so findings are those of the new text.
//!
//! Not here: the tree of the new text ([`crate::parser`]); what is kept ([`super::kept`]).
//!
//! Invariant: what comes out is what reading the whole text gives. Wherever the rule's own words could mean something for
//! others (its title, the states that it leads to, another number of draws or waits), nothing comes out, and the whole is
//! read.

use super::again_declaration::stands_alone;
use super::kept::{Kept, Patch, Pools, Unit};
use super::machines::PartNode;
use super::todo::Todo;
use super::{Before, Checker, Found, files, tell};
use crate::ast::{self, AstNode};
use crate::diagnostic::Diagnostic;
use crate::level::{DrawForm, Level, Range, Rule, Watch};
use crate::moved::{Change, Moves, Shift};
use crate::syntax::{Kind as K, Node};
use mayfly_base::{RuleId, Span};
use std::sync::Arc;

/// What of a text was changed, where that may be read alone.
enum Piece<'k> {
    Comment,
    /// The rule, or the part of a machine, of that number: as it was, and as it is.
    Unit(usize, &'k Unit, Node, Node),
    /// What a declaration, or an item of a kind, says of itself.
    Declaration(Node),
}

/// Reads what was changed; none where that does not stand in one piece alone that means nothing else for others.
pub(super) fn read(project: &Arc<files::Project>, before: &Before) -> Option<(Vec<Diagnostic>, Found, Patch)> {
    let kept = before.found.kept.as_ref()?;
    if !project.diagnostics.is_empty() {
        return None;
    }
    let tree = project.tree();
    let (piece, old) = piece(project, before, kept, &tree)?;
    let (shift, is_comment) = (before.edited.shift(before.file), matches!(piece, Piece::Comment));
    let patch = Patch { is_comment, old, new: grown(old, before), shift };
    let mut c = Checker::of_kept(before.found, kept, &shift, if is_comment { NOWHERE } else { old });
    if c.begin(project) {
        return None;
    }
    match piece {
        Piece::Comment => c.take_told(kept, &shift),
        Piece::Unit(index, unit, was, node) => {
            c.retitle(kept, index, unit, &was, &node)?;
            c.put_in(kept, index, unit, node, &shift)?;
            c.rules_read = 1;
        }
        Piece::Declaration(node) => {
            c.take_told(kept, &shift);
            c.put_declaration(&node, before.found, &patch)?;
        }
    }
    let read = c.diagnostics.len();
    c.look_over(&tree);
    let mut all = std::mem::take(&mut c.diagnostics);
    let mut diagnostics = tell(&all, project, &tree);
    c.name_rules(&tree, &mut diagnostics);
    all.truncate(read);
    Some((diagnostics, c.found(Some(all)), patch))
}

/// Where a stretch of the text before that holds the change lies now.
pub(super) fn grown(at: Span, before: &Before) -> Span {
    Span { end: (i64::from(at.end) + before.edited.by) as u32, ..at }
}

/// The piece that was changed, with its place in the text before. Whatever can be seen without a checker is seen here: a
/// level is copied only where there is hope.
fn piece<'k>(project: &files::Project, before: &Before, kept: &'k Kept, tree: &Node) -> Option<(Piece<'k>, Span)> {
    let (edited, file) = (&before.edited, before.file);
    let whole = Span::new(file, edited.declaration.start, edited.declaration.end);
    let declaration = before.tree.node_at(whole.range());
    let holds = |u: &Unit| {
        let (at, old) = (u.at.range(), &edited.old);
        u.at.file == file && at.start < old.start && old.end < at.end
    };
    let unit = kept.units.iter().enumerate().find(|(_, u)| holds(u)).filter(|_| !edited.in_comment);
    let kind = declaration.as_ref().filter(|n| n.kind() == K::KIND_DECL);
    // Of a kind whose grammar is wrong less is said, wherever it is named.
    let now = grown(whole, before);
    let is_wrong = project.parses[file as usize].errors.iter().any(|e| now.range().contains(&e.start));
    let was_wrong = unit.and_then(|(_, u)| u.owner).is_some_and(|k| kept.gaps.kinds.contains(&k));
    if kind.is_some() && is_wrong != was_wrong {
        return None;
    }
    if edited.in_comment {
        return Some((Piece::Comment, whole));
    }
    if !edited.in_one {
        return None;
    }
    let old = match (unit, kind) {
        (Some((_, unit)), _) => unit.at,
        (None, Some(kind)) => item_of(kind, &edited.old).map(|n| Span::new(file, n.bytes().start, n.bytes().end))?,
        (None, None) => whole,
    };
    let start = project.parts.iter().find(|p| p.file == file)?.start;
    let new = grown(old, before).range();
    let was = before.tree.node_at(old.range())?;
    let node = tree.node_at(new.start + start..new.end + start).filter(|n| n.kind() == was.kind())?;
    let told = |d: &Diagnostic| d.span.file == file && old.start <= d.span.start && d.span.start <= old.end;
    if let Some((index, unit)) = unit {
        // A mistake in its title was told before the rule was read.
        let told_by_it = kept.told_by(unit).iter().filter(|d| told(d)).count();
        let same = meant_elsewhere(&was) == meant_elsewhere(&node)
            && kept.told.iter().filter(|d| told(d)).count() == told_by_it;
        return same.then_some((Piece::Unit(index, unit, was, node), old));
    }
    // What declarations added to the tables is not known apart; of sound ones it is nothing.
    let all = Pools::of(&before.found.draft);
    let (first, last) = (kept.units.first().map_or(all, |u| u.from), kept.units.last().map_or(all, |u| u.to));
    let added = (first.draws, first.watches, first.ranges) != (0, 0, 0) || last != all;
    let alone = !added && !kept.told.iter().any(told) && stands_alone(&was, &node);
    alone.then_some((Piece::Declaration(node), old))
}

/// What stands in a kind round a change.
pub(super) fn item_of(kind: &Node, change: &std::ops::Range<usize>) -> Option<Node> {
    let holds = |n: &Node| n.bytes().start < change.start && change.end <= n.bytes().end;
    kind.child(K::BODY)?.children().find(holds)
}

/// A stretch in which nothing lies.
const NOWHERE: Span = Span { file: u16::MAX, start: 0, end: 0 };

/// What others read of a rule: whether it has a title, what it is, the states to which it leads.
fn meant_elsewhere(n: &Node) -> Vec<String> {
    let title = n.tok(K::TEXT).map(|_| "titled".to_string());
    let leads = n.descendants().filter_map(|d| match d.kind() {
        K::TRANSITION | K::ONE_OF_ROW => d.child(K::NAME).map(|name| name.word().to_string()),
        K::STMT if d.word() == "go" => ast::Go::cast(&d).and_then(|g| g.to()).map(|e| Checker::text_of(&e)),
        _ => None,
    });
    title.into_iter().chain([format!("{:?}", n.kind())]).chain(leads).collect()
}

impl Checker {
    /// Gives a rule the title that it has now; none where another rule has, or had, the same one, or a text names it.
    fn retitle(&mut self, kept: &Kept, index: usize, unit: &Unit, was: &Node, n: &Node) -> Option<()> {
        let Some(token) = n.tok(K::TEXT).filter(|_| n.kind() == K::RULE) else { return Some(()) };
        // What was replaced may begin inside the title and end behind it.
        self.level.rules[index].span = self.token_span(&token);
        if was.tok(K::TEXT)?.text() == token.text() {
            return Some(());
        }
        let (told, old) = (self.diagnostics.len(), self.level.rules[index].title.clone());
        let new = self.plain_text(&token);
        if self.diagnostics.len() > told {
            return None;
        }
        let is_named = |title: &String| kept.titles_named.contains(title);
        let with = |title: &String| self.level.rules.iter().filter(|r| r.title == *title).count();
        if unit.part.is_some() || is_named(&old) || is_named(&new) || with(&old) != 1 || with(&new) != 0 {
            return None;
        }
        self.level.rules[index].title = new;
        Some(())
    }

    /// Reads the rule of that number again; none where it adds other things than before.
    fn put_in(&mut self, kept: &Kept, index: usize, unit: &Unit, node: Node, shift: &Shift) -> Option<()> {
        let id = RuleId::at(index);
        let group = self.level.rules[index].group;
        let todo = match (&unit.part, group) {
            (Some((title, part)), _) => {
                Todo::Part(PartNode { node, owner: unit.owner, title: title.clone(), part: *part })
            }
            (None, Some(group)) => Todo::Grouped(node, unit.owner, group),
            (None, None) => Todo::Rule(node, unit.owner),
        };
        // What was told before this rule, and what after it.
        let grammar = self.diagnostics.len();
        let first = unit.told.start.checked_sub(kept.syntax_told)?;
        let last = unit.told.end.checked_sub(kept.syntax_told)?;
        let moved = |d: &Diagnostic| {
            let mut d = d.clone();
            d.moves(&Change::of(shift));
            d
        };
        self.diagnostics.extend(kept.told.get(..first)?.iter().map(moved));
        // The tables as they were when it was read first: what stands behind is put back.
        let tail = self.cut_tables(unit);
        let old = &self.level.rules[index];
        let unread = Rule::unread(old.title.clone(), old.owner, old.span);
        self.level.rules[index] = Rule { group, doc: old.doc.clone(), ..unread };
        let told = self.diagnostics.len();
        let new = self.unit(id, &todo);
        let is_same = (new.to == unit.to) && tail.fits(&self.level, unit);
        if !is_same {
            return None;
        }
        self.join_tables(tail, unit);
        self.watch_keys = kept.watch_keys.clone();
        let grown = self.diagnostics.len() as i64 - told as i64 - (last - first) as i64;
        self.diagnostics.extend(kept.told.get(last..)?.iter().map(moved));
        let by = grown + grammar as i64 - kept.syntax_told as i64;
        let behind = |at: usize, grown: i64| (at as i64 + grown) as usize;
        self.units = kept.units.clone();
        for (i, u) in self.units.iter_mut().enumerate() {
            u.at = shift.of(u.at);
            let start = if i <= index { grammar as i64 - kept.syntax_told as i64 } else { by };
            let end = if i < index { grammar as i64 - kept.syntax_told as i64 } else { by };
            u.told = behind(u.told.start, start)..behind(u.told.end, end);
        }
        Some(())
    }

    /// Takes all that was told before the level was looked over, behind the errors of grammar.
    fn take_told(&mut self, kept: &Kept, shift: &Shift) {
        let by = self.diagnostics.len() as i64 - kept.syntax_told as i64;
        let moved = |d: &Diagnostic| {
            let mut d = d.clone();
            d.moves(&Change::of(shift));
            d
        };
        self.diagnostics.extend(kept.told.iter().map(moved));
        self.units = kept.units.clone();
        let behind = |at: usize| (at as i64 + by) as usize;
        for u in &mut self.units {
            u.at = shift.of(u.at);
            u.told = behind(u.told.start)..behind(u.told.end);
        }
    }

    /// Takes away what the tables got by the unit and after it.
    fn cut_tables(&mut self, unit: &Unit) -> Tail {
        let (from, level) = (unit.from, &mut self.level);
        let watches = level.watches.split_off(from.watches);
        for w in &watches {
            self.watch_keys.remove(&(w.text.clone(), w.over));
        }
        Tail {
            draws: level.draws.split_off(from.draws),
            shared_draws: level.shared_draws.split_off(from.draws),
            draw_forms: level.draw_forms.split_off(from.draws),
            watches,
            ranges: level.ranges.split_off(from.ranges),
            rules: level.rules.split_off(from.rules),
        }
    }

    /// Puts back what the tables got after the unit.
    fn join_tables(&mut self, mut tail: Tail, unit: &Unit) {
        let level = &mut self.level;
        level.draws.extend(tail.draws.drain(unit.to.draws - unit.from.draws..));
        level.shared_draws.extend(tail.shared_draws.drain(unit.to.draws - unit.from.draws..));
        level.draw_forms.extend(tail.draw_forms.drain(unit.to.draws - unit.from.draws..));
        level.watches.extend(tail.watches.drain(unit.to.watches - unit.from.watches..));
        level.ranges.extend(tail.ranges.drain(unit.to.ranges - unit.from.ranges..));
        level.rules.extend(tail.rules.drain(unit.to.rules - unit.from.rules..));
    }
}

/// What the tables got by a unit and after it.
struct Tail {
    draws: Vec<String>,
    shared_draws: Vec<bool>,
    draw_forms: Vec<Option<DrawForm>>,
    watches: Vec<Watch>,
    ranges: Vec<Range>,
    rules: Vec<Rule>,
}

impl Tail {
    /// True where the unit added again what it had added: others speak of it by its number.
    fn fits(&self, level: &Level, unit: &Unit) -> bool {
        let same_watch = |a: &Watch, b: &Watch| a.text == b.text && a.over == b.over;
        let watches = level.watches[unit.from.watches..].iter().zip(&self.watches);
        let ranges = level.ranges[unit.from.ranges..].iter().zip(&self.ranges);
        let draws = level.shared_draws[unit.from.draws..].iter().zip(&self.shared_draws);
        watches.into_iter().all(|(a, b)| same_watch(a, b)) && ranges.into_iter().all(|(a, b)| a == b) && {
            draws.into_iter().all(|(a, b)| a == b)
        }
    }
}
