//! Changes of a text: small replacements that leave everything else byte for byte as it is, and how to take them back.
//!
//! Not here: which change means what in a level ([`facts`], [`maps`]).
//!
//! Invariant: the edits of one change lie in order and do not overlap; a change and then its inverse give the first text
//! exactly (held by a property test).

pub mod facts;
pub mod laying;
pub mod maps;

use crate::naming::NameError;
use std::ops::Range;

/// What stands at `range` is replaced by `text`. Bytes of the text before the change.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TextEdit {
    pub range: Range<usize>,
    pub text: String,
}

impl TextEdit {
    /// Puts a text in.
    pub fn insert(at: usize, text: impl Into<String>) -> Self {
        Self { range: at..at, text: text.into() }
    }

    /// Takes a range out.
    pub fn delete(range: Range<usize>) -> Self {
        Self { range, text: String::new() }
    }
}

/// Why a change cannot be made.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum EditError {
    /// Two edits of one change touch the same bytes.
    #[error("two edits overlap at byte {at}")]
    Overlap { at: usize },
    /// An edit goes past the text's end, or through a character.
    #[error("no character begins or ends at byte {at}")]
    OffText { at: usize },
    /// What is to be changed is not in the text.
    #[error("there is no {what} `{name}` in this text")]
    Missing { what: &'static str, name: String },
    /// What cannot be a name.
    #[error(transparent)]
    Name(#[from] NameError),
    #[error("`{0}` is taken")]
    Taken(String),
    /// A value that the text cannot hold there.
    #[error("{why}")]
    Refused { why: String },
}

/// One change of one text: edits in order of place.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Change {
    edits: Vec<TextEdit>,
}

impl Change {
    /// Edits in any order; of two at one place the first given stands first.
    ///
    /// # Errors
    /// Edits that overlap.
    pub fn new(mut edits: Vec<TextEdit>) -> Result<Self, EditError> {
        edits.retain(|e| !(e.range.is_empty() && e.text.is_empty()));
        edits.sort_by_key(|e| (e.range.start, e.range.end));
        if let Some(w) = edits.windows(2).find(|w| w[0].range.end > w[1].range.start) {
            return Err(EditError::Overlap { at: w[1].range.start });
        }
        Ok(Self { edits })
    }

    /// A change of one edit.
    pub fn one(edit: TextEdit) -> Self {
        Self { edits: vec![edit] }
    }

    pub fn edits(&self) -> &[TextEdit] {
        &self.edits
    }

    pub fn is_empty(&self) -> bool {
        self.edits.is_empty()
    }

    /// The changed text, and the change that takes it back.
    ///
    /// # Errors
    /// An edit that does not lie on characters of this text.
    pub fn apply(&self, text: &str) -> Result<(String, Self), EditError> {
        let mut out = String::with_capacity(text.len() + self.edits.iter().map(|e| e.text.len()).sum::<usize>());
        let mut inverse = Vec::with_capacity(self.edits.len());
        let mut done = 0;
        for e in &self.edits {
            let off = [e.range.start, e.range.end].into_iter().find(|at| !text.is_char_boundary(*at));
            if let Some(at) = off.or((e.range.start > e.range.end).then_some(e.range.start)) {
                return Err(EditError::OffText { at });
            }
            out.push_str(&text[done..e.range.start]);
            let start = out.len();
            out.push_str(&e.text);
            inverse.push(TextEdit { range: start..out.len(), text: text[e.range.clone()].to_string() });
            done = e.range.end;
        }
        out.push_str(&text[done..]);
        Ok((out, Self { edits: inverse }))
    }

    /// Where what stands at a byte of the old text stands in the new one; for what was replaced, the end of what replaces it.
    pub fn moved(&self, at: usize) -> usize {
        let mut shift = 0isize;
        for e in &self.edits {
            if e.range.end <= at {
                shift += e.text.len() as isize - e.range.len() as isize;
            } else if e.range.start < at {
                return (e.range.start as isize + shift) as usize + e.text.len();
            } else {
                break;
            }
        }
        (at as isize + shift) as usize
    }

    /// The same change for the text that `other` left, where both were made for one text; none where they touch the same
    /// place.
    pub fn over(&self, other: &Self) -> Option<Self> {
        let mut edits = Vec::with_capacity(self.edits.len());
        for e in &self.edits {
            let (mut shift, r) = (0isize, &e.range);
            for o in &other.edits {
                let inside = |at: usize, r: &Range<usize>| r.start < at && at < r.end;
                let meets = r.start.max(o.range.start) < r.end.min(o.range.end)
                    || inside(r.start, &o.range) && r.is_empty()
                    || inside(o.range.start, r) && o.range.is_empty()
                    || r.is_empty() && o.range == *r;
                if meets {
                    return None;
                }
                if o.range.end <= r.start {
                    shift += o.text.len() as isize - o.range.len() as isize;
                }
            }
            let moved = |at: usize| (at as isize + shift) as usize;
            edits.push(TextEdit { range: moved(r.start)..moved(r.end), text: e.text.clone() });
        }
        Some(Self { edits })
    }

    /// What makes one text of another: whole lines that differ, and of each stretch the piece that differs alone.
    pub fn between(old: &str, new: &str) -> Self {
        // Whole lines first: a line that is in both is found though what is around it was changed.
        let head = common(old.bytes().zip(new.bytes()));
        let head = old.as_bytes()[..head].iter().rposition(|b| *b == b'\n').map_or(0, |i| i + 1);
        let (a, b) = (&old[head..], &new[head..]);
        let tail = common(a.bytes().rev().zip(b.bytes().rev()));
        let begins = |t: &str, tail: usize| tail == t.len() || t.as_bytes()[t.len() - tail - 1] == b'\n';
        let tail = if begins(a, tail) && begins(b, tail) {
            tail
        } else {
            a.as_bytes()[a.len() - tail..].iter().position(|b| *b == b'\n').map_or(0, |i| tail - i - 1)
        };
        let (a, b) = (&a[..a.len() - tail], &b[..b.len() - tail]);
        if a.is_empty() && b.is_empty() {
            return Self::default();
        }
        // A long stretch is one change: what differs in it is then a matter of taste.
        if a.len().saturating_add(b.len()) > MAX_COMPARED {
            return Self::one(piece(head, a, b));
        }
        let (lines_a, lines_b) =
            (a.split_inclusive('\n').collect::<Vec<_>>(), b.split_inclusive('\n').collect::<Vec<_>>());
        let starts = |lines: &[&str]| {
            let mut at = 0;
            let mut all = vec![0];
            all.extend(lines.iter().map(|l| {
                at += l.len();
                at
            }));
            all
        };
        let (at_a, at_b) = (starts(&lines_a), starts(&lines_b));
        let ops = similar::capture_diff_slices(similar::Algorithm::Myers, &lines_a, &lines_b);
        // What lies between the lines that both have differs.
        let end = (lines_a.len()..lines_a.len(), lines_b.len()..lines_b.len());
        let same =
            ops.iter().filter(|op| op.tag() == similar::DiffTag::Equal).map(|op| (op.old_range(), op.new_range()));
        let (mut edits, mut x, mut y) = (vec![], 0, 0);
        for (old, new) in same.chain([end]) {
            if x < old.start || y < new.start {
                edits.push(piece(head + at_a[x], &a[at_a[x]..at_a[old.start]], &b[at_b[y]..at_b[new.start]]));
            }
            (x, y) = (old.end, new.end);
        }
        Self { edits }
    }
}

/// Bytes that are compared line by line at most.
const MAX_COMPARED: usize = 400_000;

/// What makes one stretch of another, as small as it can be.
fn piece(at: usize, old: &str, new: &str) -> TextEdit {
    let head = common(old.bytes().zip(new.bytes()));
    let head = (0..=head).rev().find(|i| old.is_char_boundary(*i) && new.is_char_boundary(*i)).unwrap_or(0);
    let (a, b) = (&old[head..], &new[head..]);
    let tail = common(a.bytes().rev().zip(b.bytes().rev()));
    let bound = |t: &usize| a.is_char_boundary(a.len() - t) && b.is_char_boundary(b.len() - t);
    let tail = (0..=tail).rev().find(bound).unwrap_or(0);
    TextEdit { range: at + head..at + old.len() - tail, text: b[..b.len() - tail].into() }
}

fn common(pairs: impl Iterator<Item = (u8, u8)>) -> usize {
    pairs.take_while(|(a, b)| a == b).count()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn edits_that_overlap_or_cut_a_character_are_refused() {
        let two = vec![TextEdit::delete(0..3), TextEdit::delete(2..4)];
        assert_eq!(Change::new(two), Err(EditError::Overlap { at: 2 }));
        let inside = Change::one(TextEdit::insert(1, "x"));
        assert_eq!(inside.apply("é"), Err(EditError::OffText { at: 1 }));
        assert_eq!(Change::one(TextEdit::insert(9, "x")).apply("abc"), Err(EditError::OffText { at: 9 }));
    }

    proptest! {
        /// What lies between two texts makes one of the other; and two changes that do not touch give the same text in
        /// either order.
        #[test]
        fn changes_go_over_each_other(
            old in "[abé\n]{0,30}", new in "[abé\n]{0,30}", at in 0usize..40, len in 0usize..4, put in "[xy\n]{0,4}",
        ) {
            let theirs = Change::between(&old, &new);
            prop_assert_eq!(&theirs.apply(&old).expect("it lies on characters").0, &new);
            let floor = |mut i: usize| {
                i = i.min(old.len());
                while !old.is_char_boundary(i) {
                    i -= 1;
                }
                i
            };
            let mine = Change::one(TextEdit { range: floor(at)..floor(at + len), text: put });
            if let (Some(m), Some(t)) = (mine.over(&theirs), theirs.over(&mine)) {
                let (after_mine, _) = mine.apply(&old).expect("it fits");
                let first = m.apply(&new).expect("it fits").0;
                prop_assert_eq!(first, t.apply(&after_mine).expect("it fits").0);
            }
        }

        /// A change and its inverse give the first text; places that were not touched move along with their text.
        #[test]
        fn an_inverse_takes_a_change_back(
            text in "[a-zé \n]{0,60}",
            cuts in prop::collection::vec((0usize..70, 0usize..8, "[a-zö\n]{0,5}"), 0..6),
        ) {
            let floor = |mut at: usize| {
                at = at.min(text.len());
                while !text.is_char_boundary(at) {
                    at -= 1;
                }
                at
            };
            let edits = cuts.iter().map(|(at, len, t)| TextEdit { range: floor(*at)..floor(at + len), text: t.clone() });
            let Ok(change) = Change::new(edits.collect()) else { return Ok(()) };
            let (after, back) = change.apply(&text).expect("it lies on characters");
            let (again, forth) = back.apply(&after).expect("its inverse does too");
            prop_assert_eq!(&again, &text);
            prop_assert_eq!(forth.apply(&text).expect("and its inverse").0, after.clone());
            for (at, c) in text.char_indices() {
                if change.edits().iter().all(|e| at < e.range.start || at >= e.range.end) {
                    prop_assert!(after[change.moved(at)..].starts_with(c), "byte {} of {:?} in {:?}", at, text, after);
                }
            }
        }
    }
}
