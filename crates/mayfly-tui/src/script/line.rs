//! One line of text as it is shown: which column each character takes, wide and combining ones too.
//!
//! Invariant: columns grow with bytes, and a byte at which a character begins leads to a column that leads back to it (held
//! by a property test).

use mayfly_lang::diagnostic::{is_unsafe, safe};
use std::ops::Range;
use unicode_segmentation::{GraphemeCursor, UnicodeSegmentation};
use unicode_width::UnicodeWidthStr;

/// Columns from one tab stop to the next.
const TAB: usize = 4;

/// A line without its end.
pub fn trimmed(line: &str) -> &str {
    line.strip_suffix('\n').map_or(line, |l| l.strip_suffix('\r').unwrap_or(l))
}

/// True of a line in which each byte takes one column.
fn is_plain(line: &str) -> bool {
    line.bytes().all(|b| (0x20..0x7f).contains(&b))
}

/// What a character shows at a column, where that is not itself.
fn shown(g: &str, column: usize) -> String {
    match g {
        "\t" => " ".repeat(TAB - column % TAB),
        g if g.chars().any(is_unsafe) || g.width() == 0 => {
            let safe = safe(g);
            if safe.width() == 0 { format!("\\u{{{:x}}}", g.chars().next().map_or(0, u32::from)) } else { safe }
        }
        g => g.to_string(),
    }
}

/// The pieces of a line that lie in the columns asked for: byte, column, what is shown.
pub fn pieces(line: &str, columns: Range<usize>) -> Vec<(usize, usize, String)> {
    if is_plain(line) {
        let (from, to) = (columns.start.min(line.len()), columns.end.min(line.len()));
        return line[from..to].char_indices().map(|(i, c)| (from + i, from + i, c.to_string())).collect();
    }
    let (mut out, mut column) = (vec![], 0);
    for (at, g) in line.grapheme_indices(true) {
        if column >= columns.end {
            break;
        }
        let text = shown(g, column);
        let width = text.width();
        if column + width > columns.start {
            out.push((at, column, text));
        }
        column += width;
    }
    out
}

/// The column of a byte of a line.
pub fn column_of(line: &str, at: usize) -> usize {
    if is_plain(line) {
        return at.min(line.len());
    }
    let mut column = 0;
    for (i, g) in line.grapheme_indices(true) {
        if i >= at {
            break;
        }
        column += shown(g, column).width();
    }
    column
}

/// The byte at which the character begins that covers a column; the line's end past it.
pub fn byte_at(line: &str, column: usize) -> usize {
    if is_plain(line) {
        return column.min(line.len());
    }
    let mut at = 0;
    for (i, g) in line.grapheme_indices(true) {
        let width = shown(g, at).width();
        if at + width > column {
            return i;
        }
        at += width;
    }
    line.len()
}

/// The place before, or after, a place of a text: one character as a person counts them.
pub fn beside(text: &str, at: usize, forward: bool) -> usize {
    let mut cursor = GraphemeCursor::new(at, text.len(), true);
    let next = if forward { cursor.next_boundary(text, 0) } else { cursor.prev_boundary(text, 0) };
    next.ok().flatten().unwrap_or(if forward { text.len() } else { 0 })
}

#[derive(PartialEq, Eq, Clone, Copy)]
enum Sort {
    Blank,
    Word,
    Sign,
}

fn sort(c: char) -> Sort {
    match c {
        c if c.is_whitespace() => Sort::Blank,
        c if c.is_alphanumeric() || c == '_' => Sort::Word,
        _ => Sort::Sign,
    }
}

/// Where the next word begins, or the one before: a stretch of letters, or of signs. A line's end is a stop of its own.
pub fn word_beside(text: &str, at: usize, forward: bool) -> usize {
    if forward {
        let mut rest = text[at..].char_indices().peekable();
        let Some((_, first)) = rest.peek().copied() else { return at };
        if first == '\n' {
            return at + 1;
        }
        let of = sort(first);
        let after = |(i, c): (usize, char)| (c == '\n' || sort(c) != of).then_some(at + i);
        let end = text[at..].char_indices().find_map(after).unwrap_or(text.len());
        let blank = |(i, c): (usize, char)| (c == '\n' || sort(c) != Sort::Blank).then_some(end + i);
        return text[end..].char_indices().find_map(blank).unwrap_or(text.len());
    }
    let mut back = text[..at].char_indices().rev().peekable();
    if back.peek().is_some_and(|(_, c)| *c == '\n') {
        return beside(text, at, false);
    }
    let mut from = at;
    while let Some((i, _)) = back.next_if(|(_, c)| *c != '\n' && sort(*c) == Sort::Blank) {
        from = i;
    }
    let Some((_, c)) = back.peek().copied().filter(|(_, c)| *c != '\n') else { return from };
    while let Some((i, _)) = back.next_if(|(_, d)| sort(*d) == sort(c)) {
        from = i;
    }
    from
}

/// The word round a place of a text: letters, digits and `_`; nothing where there is none.
pub fn word_round(text: &str, at: usize) -> Range<usize> {
    let is = |c: &char| sort(*c) == Sort::Word;
    let back: usize = text[..at].chars().rev().take_while(is).map(char::len_utf8).sum();
    let on: usize = text[at..].chars().take_while(is).map(char::len_utf8).sum();
    at - back..at + on
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn wide_and_combining_characters_take_their_columns() {
        let line = "a水é\u{301}b\tc";
        let columns: Vec<usize> = line.grapheme_indices(true).map(|(i, _)| column_of(line, i)).collect();
        assert_eq!(columns, [0, 1, 3, 4, 5, 8]);
        assert_eq!(byte_at(line, 2), 1, "the second half of a wide one is still it");
        assert_eq!(beside(line, 4, true), 8, "a letter with its mark is one step");
        let shown: String = pieces("x\u{202e}y", 0..40).into_iter().map(|p| p.2).collect();
        assert_eq!(shown, "x\\u{202e}y");
        assert_eq!((word_beside("ab  cd", 0, true), word_beside("ab  cd", 6, false)), (4, 4));
        assert_eq!(word_round("let x_1 = 2", 5), 4..7);
        assert_eq!(trimmed("a\r\n"), "a");
    }

    proptest! {
        #[test]
        fn a_byte_leads_to_a_column_and_back(line in "[a-c水é\t\u{301}\u{200b} ]{0,20}") {
            for (i, _) in line.grapheme_indices(true) {
                prop_assert_eq!(byte_at(&line, column_of(&line, i)), i);
            }
            let all: String = pieces(&line, 0..1000).into_iter().map(|p| p.2).collect();
            prop_assert_eq!(all.width(), column_of(&line, line.len()));
            let mut at = 0;
            while at < line.len() {
                let next = word_beside(&line, at, true);
                prop_assert!(next > at && line.is_char_boundary(next));
                at = next;
            }
        }
    }
}
