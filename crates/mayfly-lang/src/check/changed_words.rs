//! The words by which others know what was changed: whoever names none of them means what he meant.
//!
//! Not here: who names them ([`super::unchanged`]); a change that means nothing for others ([`super::again`]).
//!
//! Invariant: where a change may mean something for who does not name it, no words come out, and all rules are read.

use super::again::grown;
use super::again_declaration::names_in;
use super::{Before, Checker};
use crate::syntax::{Kind as K, Node, Token};
use mayfly_base::Span;
use rustc_hash::FxHashSet;
use std::ops::Range;

/// Stands before a word where only those are meant that a number follows: `lamp#2`.
pub(super) const NUMBERED: char = '#';

/// More words than these are not looked for.
const MAX_WORDS: usize = 256;

/// The words by which others know what was changed, before and after; none where it means more than its words tell.
pub(super) fn changed_words(c: &Checker, before: &Before, root: &Node) -> Option<Vec<String>> {
    let (edited, file) = (&before.edited, before.file);
    let part = c.project.parts.iter().find(|p| p.file == file)?.start;
    let old = edited.declaration.clone();
    let new = grown(Span::new(file, old.start, old.end), before).range();
    let inside = |tree: &Node, at: Range<usize>| -> Vec<Node> {
        let nodes = tree.children().filter(|n| n.range().end > at.start);
        nodes.take_while(|n| n.range().start < at.end).collect()
    };
    let (was, now) = (inside(&before.tree, old), inside(root, new.start + part..new.end + part));
    let end = (edited.old.end as i64 + edited.by) as usize;
    let errors = |at: usize| before.errors.iter().map(move |e| e.start + at);
    let old = Side { errors: errors(0).collect(), change: edited.old.clone() };
    let new = &c.project.parses[file as usize].errors;
    let new =
        Side { errors: new.iter().map(|e| e.start + part).collect(), change: edited.old.start + part..end + part };
    let words = of_pieces((&old, &was), (&new, &now))?;
    (words.len() <= MAX_WORDS).then_some(words)
}

/// The text before, or after.
struct Side {
    /// Where errors of grammar lie.
    errors: Vec<usize>,
    /// Where it was changed.
    change: Range<usize>,
}

impl Side {
    /// True where nothing is wrong with a piece, and nothing was left behind it that may have been meant as part of it.
    fn is_sound(&self, all: &[Node], i: usize) -> bool {
        let at = all[i].bytes();
        all[i].kind() != K::BROKEN
            && all.get(i + 1).is_none_or(|next| next.kind() != K::BROKEN)
            && !self.errors.iter().any(|e| at.start <= *e && *e <= at.end)
    }
}

/// The words of those pieces that are not as they were.
fn of_pieces((old, was): (&Side, &[Node]), (new, now): (&Side, &[Node])) -> Option<Vec<String>> {
    let is_same = |i: usize, j: usize| was[i].is_like(&now[j]) && old.is_sound(was, i) && new.is_sound(now, j);
    let front = (0..was.len().min(now.len())).take_while(|i| is_same(*i, *i)).count();
    let rest = was.len().min(now.len()) - front;
    let back = (1..=rest).take_while(|n| is_same(was.len() - n, now.len() - n)).count();
    match (&was[front..was.len() - back], &now[front..now.len() - back]) {
        ([a], [b]) if a.kind() == b.kind() => of_one((old, a), (new, b)),
        (a, b) => a.iter().chain(b).map(known_by).collect::<Option<Vec<_>>>().map(|all| all.concat()),
    }
}

/// The words of one piece that is still one of its sort.
fn of_one((old, was): (&Side, &Node), (new, now): (&Side, &Node)) -> Option<Vec<String>> {
    match was.kind() {
        K::KIND_DECL if head(was) == head(now) => {
            let items = |n: &Node| n.child(K::BODY).map(|b| b.children().collect::<Vec<_>>()).unwrap_or_default();
            of_pieces((old, &items(was)), (new, &items(now)))
        }
        K::MACHINE_DECL | K::KIND_DECL => {
            let mut words = touched_names(was, &old.change)?;
            words.extend(touched_names(now, &new.change)?);
            Some(words)
        }
        K::ENUM_DECL | K::TAG_DECL => {
            let (was, now) = (known_by(was)?, known_by(now)?);
            if was.len() == now.len() {
                // Of many names those that are others.
                let both = was.iter().zip(&now).filter(|(a, b)| a != b);
                return Some(both.flat_map(|(a, b)| [a.clone(), b.clone()]).collect());
            }
            let (before, after): (FxHashSet<_>, FxHashSet<_>) = (was.iter().collect(), now.iter().collect());
            Some(before.symmetric_difference(&after).map(|w| w.to_string()).collect())
        }
        _ => Some([known_by(was)?, known_by(now)?].concat()),
    }
}

/// What stands before what is in a kind, and behind it.
fn head(kind: &Node) -> Vec<String> {
    let body = kind.child(K::BODY).map(|b| b.range());
    let tokens = kind.tokens();
    let own = tokens.filter(|t| {
        !t.kind().is_trivia() && body.as_ref().is_none_or(|b| !(b.start <= t.range().start && t.range().end <= b.end))
    });
    own.map(|t| t.text().to_string()).collect()
}

/// The names of a kind, a machine or a state that a change touches; none where it touches another word of it.
fn touched_names(n: &Node, change: &Range<usize>) -> Option<Vec<String>> {
    let is_touched = |t: &Token| {
        let at = t.range();
        at.start <= change.end && change.start <= at.end && !t.kind().is_trivia()
    };
    let declares = |p: &Node| matches!(p.kind(), K::MACHINE_DECL | K::STATE_DECL | K::KIND_DECL);
    let is_name = |t: &Token| {
        let name = t.parent().filter(|p| p.kind() == K::NAME);
        name.and_then(|p| p.parent()).is_some_and(|p| declares(&p))
    };
    let tokens = n.tokens();
    tokens.filter(is_touched).map(|t| is_name(&t).then(|| t.text().to_string())).collect()
}

/// The words by which others know a declaration, or an item of a kind; none where it means more than its words tell.
fn known_by(n: &Node) -> Option<Vec<String>> {
    let names = |n: &Node| n.all(K::NAME).iter().map(|n| n.word().to_string()).collect::<Vec<_>>();
    match n.kind() {
        K::VAR_DECL | K::CONST_DECL | K::DEFINE_DECL | K::ROUTINE_DECL | K::TABLE_DECL | K::MESSAGE_DECL => {
            Some(names(n))
        }
        K::INPUT_DECL | K::ZONE_DECL | K::PATH_DECL | K::TIMER_DECL | K::ENUM_DECL | K::TAG_DECL => Some(names(n)),
        // Who has no name of its own is called by its kind, with a number.
        K::PLACE_DECL if n.child(K::NAME).is_none() => {
            Some(n.exprs().iter().flat_map(names_in).map(|kind| format!("{NUMBERED}{kind}")).collect())
        }
        K::PLACE_DECL => Some(names(n)),
        K::RECORDS_DECL => {
            let columns = n.child(K::PARAMS).map(|p| p.all(K::PARAM)).unwrap_or_default();
            Some(columns.iter().chain([n]).flat_map(names).collect())
        }
        K::AREA_DECL => Some(names(n)),
        // A clock is asked by its own name, its units by theirs.
        K::TILES_DECL | K::CLOCK_DECL => Some(names_in(n)),
        // It declares nothing; what is not told because of it is left out once all was read.
        K::BROKEN => Some(vec![]),
        // What else others know of a rule, its title, is looked at for all rules together.
        K::RULE | K::FIRST_OF => Some(vec![]),
        // How large maps are and how long a tick lasts is told with the numbers.
        K::MAP_DECL | K::LEVEL_DECL => Some(vec![]),
        K::ATTRIBUTE | K::SIGHT_ITEM | K::TAGS_ITEM => Some(vec![]),
        _ => None,
    }
}

/// True where what a declaration is may hang on a word in it that is not its name: where it lies, whom it notices and what it
/// holds at first is no matter for others.
fn hangs_on_others(n: &Node) -> bool {
    !matches!(
        n.kind(),
        K::ZONE_DECL
            | K::PLACE_DECL
            | K::PATH_DECL
            | K::TIMER_DECL
            | K::TILES_DECL
            | K::ATTRIBUTE
            | K::SIGHT_ITEM
            | K::TAGS_ITEM
    )
}

/// The words by which others know what stands at a word, where what it means for them may hang on that word; none where it
/// means more than its words tell.
pub(super) fn known_through(c: &Checker, root: &Node, at: Span) -> Option<Vec<String>> {
    let start = c.project.parts.iter().find(|p| p.file == at.file)?.start;
    let (start, end) = (at.start as usize + start, at.end as usize + start);
    let name = root.token_at(start).filter(|t| end <= t.range().end)?.parent()?;
    // The item of a kind, or the declaration.
    let is_item = |n: &Node| {
        let of = n.parent().filter(|p| p.kind() == K::BODY).and_then(|b| b.parent());
        of.is_some_and(|of| of.kind() == K::KIND_DECL)
    };
    let is_declaration = |n: &Node| n.parent().is_some_and(|p| p.kind() == K::ROOT);
    let n = name.ancestors().find(|n| is_item(n) || is_declaration(n))?;
    let of = name.parent();
    let is_declared = name.kind() == K::NAME
        && n.kind() != K::TAGS_ITEM
        && of.is_some_and(|of| of == n || of.kind() == K::PARAM || n.kind() == K::MACHINE_DECL);
    // What declares that word is what it was; which of several of one name counts, is told by who names it.
    if is_declared || known_by(&n).is_some() && !hangs_on_others(&n) {
        return Some(vec![]);
    }
    known_by(&n)
}
