//! A text parsed again after a change inside one declaration or a few, or inside a comment between two: that alone is read,
//! all else keeps its tree.
//!
//! Not here: what the change means ([`crate::check`]).
//!
//! Invariant: what comes out is what [`super::parse`] makes of the whole text; where that is not sure, nothing comes out.
//! A property test holds the two against each other.

use super::{Breaks, Parse, SyntaxError, parse};
use crate::lexer::Lexeme;
use crate::moved::Shift;
use crate::syntax::Kind;
use crate::syntax::Kind::*;
use crate::syntax::tree::{Branch, Tree};
use std::ops::Range;
use std::sync::Arc;

/// Where a text was changed.
#[derive(Clone, Debug)]
pub(crate) struct Edited {
    /// What was replaced, in the text before.
    pub old: Range<usize>,
    /// The declaration in which it lies, or some whole ones, in the text before.
    pub declaration: Range<usize>,
    /// By how many bytes the text grew.
    pub by: i64,
    /// Only the words of a comment were changed.
    pub in_comment: bool,
    /// It lies in one declaration that has the same braces as before: nothing round the change is read otherwise.
    pub in_one: bool,
}

impl Edited {
    /// What stands behind the change, moved along.
    pub fn shift(&self, file: u16) -> Shift {
        Shift { file, start: self.old.start as u32, end: self.old.end as u32, by: self.by }
    }

    /// A stretch of the text before that holds the change, in the new text.
    pub fn grown(&self, around: Range<usize>) -> Range<usize> {
        around.start..(around.end as i64 + self.by) as usize
    }
}

/// Declarations that end with a brace of their own: nothing that follows one can belong to it.
fn is_braced(kind: Kind) -> bool {
    matches!(kind, RULE | FIRST_OF | KIND_DECL | MACHINE_DECL | ROUTINE_DECL)
}

/// The one stretch in which two texts differ: what is replaced, and how much longer the new text is.
fn difference(old: &str, new: &str) -> (Range<usize>, i64) {
    let same = |(a, b): &(u8, u8)| a == b;
    let mut front = old.bytes().zip(new.bytes()).take_while(same).count();
    while !old.is_char_boundary(front) {
        front -= 1;
    }
    let (a, b) = (&old.as_bytes()[front..], &new.as_bytes()[front..]);
    let mut back = a.iter().rev().copied().zip(b.iter().rev().copied()).take_while(same).count();
    while !old.is_char_boundary(old.len() - back) {
        back -= 1;
    }
    (front..old.len() - back, new.len() as i64 - old.len() as i64)
}

/// Parses `new`, of which `old` was the text before with the tree `before`. None where the change does not lie inside one
/// declaration whose end is certain, now as before, or inside one comment, or in some that can be parsed apart.
pub(crate) fn again(before: &Parse, old: &str, new: &str) -> Option<(Parse, Edited)> {
    let (changed, by) = difference(old, new);
    inside_one(before, new, changed.clone(), by).or_else(|| on_pieces(before, new, changed, by))
}

/// The change lies inside one declaration whose end is certain, or inside one comment.
fn inside_one(before: &Parse, new: &str, changed: Range<usize>, by: i64) -> Option<(Parse, Edited)> {
    let mut at = 0;
    let (index, around, kind) = before.branches().enumerate().find_map(|(i, b)| {
        let start = at;
        at += b.len();
        (start < changed.start && changed.end <= at).then_some((i, start..at, b.kind()))
    })?;
    if hangs_on_next(before, index, around.start) {
        return None;
    }
    let first = before.tokens.partition_point(|t| t.start < around.start);
    let last = before.tokens.partition_point(|t| t.start < around.end);
    let is_comment = |t: &Lexeme| t.kind == COMMENT && t.start < changed.start && changed.end <= t.end;
    let comment = before.tokens[first..last].iter().find(|t| is_comment(t)).copied();
    let mut edited = Edited { old: changed.clone(), declaration: around.clone(), by, in_comment: false, in_one: true };
    let alone = parse(new.get(edited.grown(around.clone()))?);
    let part = alone.branches().next().filter(|_| alone.branches().len() == 1)?;
    let is_same_kind = part.kind() == kind;
    edited.in_comment = comment.is_some_and(|c| {
        let start = c.start - around.start;
        let same = alone.tokens.iter().find(|t| t.start == start);
        same.is_some_and(|t| t.kind == COMMENT && t.end as i64 == (c.end - around.start) as i64 + by)
    });
    let is_alone = match part.is_token() {
        true => edited.in_comment,
        false => {
            let begins =
                before.tokens[..first].iter().rev().find(|t| t.kind != SPACE).is_none_or(|t| t.kind == NEWLINE);
            let ends = match is_braced(kind) {
                true => {
                    changed.end < around.end
                        && ends_with_its_brace(&before.tokens[first..last])
                        && ends_with_its_brace(&alone.tokens)
                }
                false => alone.errors.is_empty() && ends_with_its_line(before, index, &around, last),
            };
            begins && ends
        }
    };
    // Where it is not known where something ends, what follows may have been read as part of it.
    let breaks = |e: &SyntaxError| matches!(e.breaks, Breaks::Structure | Breaks::Stray);
    let (start, end) = (around.start, around.end);
    let wrong = before.errors.iter().filter(|e| (start..=end).contains(&e.start));
    let is_broken = wrong.into_iter().any(|e| e.start == end || breaks(e)) || alone.errors.iter().any(breaks);
    if !is_same_kind || !is_alone || is_broken {
        return None;
    }
    let tree = with_others(before, index..index + 1, [part.clone()]);
    let tokens = joined(before, first, last, &alone.tokens, start, by);
    let mut errors: Vec<SyntaxError> = before.errors.iter().filter(|e| e.start < start).cloned().collect();
    errors.extend(alone.errors.iter().map(|e| moved_error(e, start as i64)));
    errors.extend(before.errors.iter().filter(|e| e.start >= end).map(|e| moved_error(e, by)));
    Some((Parse { tree, errors, tokens }, edited))
}

/// The change lies in some declarations and what was left behind them: they are parsed together with the one that follows,
/// which has to be as it was. Braces that do not match move what stands behind them, so they have to match everywhere else.
fn on_pieces(before: &Parse, new: &str, changed: Range<usize>, by: i64) -> Option<(Parse, Edited)> {
    let mut at = 0;
    let pieces: Vec<(Range<usize>, &Branch)> = before
        .branches()
        .map(|b| {
            let start = at;
            at += b.len();
            (start..at, &**b)
        })
        .collect();
    let is_whole = |(_, b): &&(Range<usize>, &Branch)| is_whole(b);
    let last = pieces.partition_point(|(r, _)| r.start < changed.start);
    let mut index = pieces[..last].iter().rposition(|p| is_whole(&p)).unwrap_or(0);
    while hangs_on_next(before, index, pieces.get(index)?.0.start) {
        index = pieces[..index].iter().rposition(|p| is_whole(&p)).unwrap_or(0);
    }
    let next = pieces.iter().enumerate().skip(index + 1);
    let next = next.filter(|(_, p)| is_whole(p)).map(|(i, _)| i).find(|i| changed.end < pieces[*i].0.start);
    let behind = next.unwrap_or(pieces.len());
    let (start, end) = (pieces.get(index)?.0.start, next.map_or(at, |n| pieces[n].0.start));
    let until = next.map_or(at, |n| pieces[n].0.end);
    let first = before.tokens.partition_point(|t| t.start < start);
    let last = before.tokens.partition_point(|t| t.start < end);
    let begins = before.tokens[..first].iter().rev().find(|t| t.kind != SPACE).is_none_or(|t| t.kind == NEWLINE);
    if !begins {
        return None;
    }
    let moved = |n: usize| (n as i64 + by) as usize;
    let alone = parse(new.get(start..moved(until))?);
    let cut = moved(end) - start;
    let mut at = 0;
    let mut children: Vec<Arc<Branch>> = alone.branches().cloned().collect();
    let lines = children
        .iter()
        .position(|c| {
            let is_there = at == cut;
            at += c.len();
            is_there
        })
        .unwrap_or(children.len());
    let is_same =
        children.get(lines) == before.branches().nth(behind) && children.len() == lines + usize::from(next.is_some());
    let new_last = alone.tokens.partition_point(|t| t.start < cut);
    let is_sound = alone.errors.iter().all(|e| e.start <= cut)
        && !before.errors.iter().any(|e| e.start == start && start > 0 || end < e.start && e.start <= until);
    if !is_same || !is_sound {
        return None;
    }
    let tokens = joined(before, first, last, &alone.tokens[..new_last], start, by);
    // The same ones as where all is read.
    let (old_lone, new_lone) = (lone_braces(&before.tokens), lone_braces(&tokens));
    let mut alone_lone = lone_braces(&alone.tokens[..new_last]);
    let follows_whole = lone_braces(&alone.tokens) == alone_lone;
    alone_lone.iter_mut().for_each(|at| *at += start);
    let own_lone = lone_braces(&before.tokens[first..last]);
    let matches_elsewhere = follows_whole && old_lone == own_lone && new_lone == alone_lone;
    // A kind without braces is read on where a brace behind it closes nothing.
    let some_are_bare = || before.branches().any(|b| b.kind() == KIND_DECL && !b.has(BODY, L_BRACE));
    if !matches_elsewhere || (!old_lone.is_empty() || !new_lone.is_empty()) && some_are_bare() {
        return None;
    }
    children.truncate(lines);
    let tree = with_others(before, index..behind, children);
    let mut errors: Vec<SyntaxError> = before.errors.iter().filter(|e| e.start < start).cloned().collect();
    errors.extend(alone.errors.iter().map(|e| moved_error(e, start as i64)));
    errors.extend(before.errors.iter().filter(|e| e.start > end).map(|e| moved_error(e, by)));
    let edited = Edited { old: changed, declaration: start..end, by, in_comment: false, in_one: false };
    Some((Parse { tree, errors, tokens }, edited))
}

/// The tree of the text before, of which some branches are replaced.
fn with_others(before: &Parse, replaced: Range<usize>, new: impl IntoIterator<Item = Arc<Branch>>) -> Arc<Tree> {
    let (front, back) = (before.branches().take(replaced.start), before.branches().skip(replaced.end));
    Arc::new(Tree::of(front.cloned().chain(new).chain(back.cloned())))
}

/// True where the declaration before the `index`th piece, which begins at `start`, ends only because that one begins: a brace
/// is missing in it.
fn hangs_on_next(before: &Parse, index: usize, start: usize) -> bool {
    let structure = |e: &&SyntaxError| e.breaks == Breaks::Structure && e.start <= start;
    if !before.errors.iter().any(|e| structure(&e)) {
        return false;
    }
    let mut at = 0;
    let mut last = None;
    for b in before.branches().take(index) {
        last = if is_whole(b) { Some(at) } else { last };
        at += b.len();
    }
    last.is_some_and(|last| before.errors.iter().filter(structure).any(|e| last <= e.start))
}

/// Where each brace stands that has no other.
fn lone_braces(tokens: &[Lexeme]) -> Vec<usize> {
    let (mut unclosed, unopened) = super::unmatched(tokens);
    unclosed.extend(unopened);
    unclosed
}

/// The tokens of the text before, of which those from `first` to `last` are replaced by others that begin at `start`.
fn joined(before: &Parse, first: usize, last: usize, new: &[Lexeme], start: usize, by: i64) -> Vec<Lexeme> {
    let moved =
        |t: &Lexeme, by: i64| Lexeme { start: (t.start as i64 + by) as usize, end: (t.end as i64 + by) as usize, ..*t };
    let mut tokens = Vec::with_capacity(before.tokens.len() - (last - first) + new.len());
    tokens.extend_from_slice(&before.tokens[..first]);
    tokens.extend(new.iter().map(|t| moved(t, start as i64)));
    tokens.extend(before.tokens[last..].iter().map(|t| moved(t, by)));
    tokens
}

/// True where a sound declaration of the text before, the `index`th piece of it, stands at the end of its line, and no piece
/// of it was left behind: it would go on only where something is missing. `next` is the first token behind it.
fn ends_with_its_line(before: &Parse, index: usize, around: &Range<usize>, next: usize) -> bool {
    let behind = before.tokens[next..].iter().find(|t| !matches!(t.kind, SPACE | COMMENT));
    let following = before.branches().skip(index + 1).find(|b| !b.is_token());
    behind.is_none_or(|t| t.kind == NEWLINE)
        && !before.errors.iter().any(|e| (around.start..=around.end).contains(&e.start))
        && following.is_none_or(|b| b.kind() != BROKEN)
}

/// True of a declaration that was not left behind.
fn is_whole(b: &Branch) -> bool {
    !b.is_token() && b.kind() != BROKEN
}

/// True where the last token is a brace that closes the first one that was opened.
fn ends_with_its_brace(tokens: &[Lexeme]) -> bool {
    let mut open = 0i64;
    let mut closed = 0;
    for t in tokens.iter().filter(|t| !t.kind.is_trivia()) {
        closed += i32::from(closed > 0);
        open += i64::from(t.kind == L_BRACE) - i64::from(t.kind == R_BRACE);
        closed += i32::from(open == 0 && t.kind == R_BRACE);
    }
    open == 0 && closed == 1
}

fn moved_error(e: &SyntaxError, by: i64) -> SyntaxError {
    let at = |n: usize| (n as i64 + by) as usize;
    let fix = e.fix.as_ref().map(|(r, text)| (at(r.start)..at(r.end), text.clone()));
    SyntaxError { start: at(e.start), end: at(e.end), fix, ..e.clone() }
}
