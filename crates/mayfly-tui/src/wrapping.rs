//! Texts and lines of pieces in as many rows as they need.
//!
//! Invariant: no row is wider than it may be, and nothing but spaces between words is lost.

use crate::theme::Role;
use unicode_width::UnicodeWidthStr;

/// A line of pieces, each with its role.
pub type Pieces = Vec<(String, Role)>;

/// A text in lines of at most `width` columns, parted between words; a word that is longer is parted itself.
pub fn wrapped(text: &str, width: usize) -> Vec<String> {
    let width = width.max(4);
    let mut out = vec![];
    let mut line = String::new();
    for word in text.split_inclusive(' ').flat_map(|w| parts(w, width)) {
        if !line.is_empty() && line.width() + word.trim_end().width() > width {
            out.push(std::mem::take(&mut line).trim_end().to_string());
        }
        for c in word.chars() {
            let wide = unicode_width::UnicodeWidthChar::width(c).unwrap_or(0);
            if line.width() + wide > width && c != ' ' {
                out.push(std::mem::take(&mut line));
            }
            line.push(c);
        }
    }
    let last = line.trim_end();
    if !last.is_empty() || out.is_empty() {
        out.push(last.to_string());
    }
    out
}

/// One line as several, the last piece wrapped under itself.
pub fn wrap(line: &[(String, Role)], width: usize, out: &mut Vec<Pieces>) {
    let total: usize = line.iter().map(|(t, _)| t.width()).sum();
    let Some(((last, role), before)) = line.split_last().filter(|_| total > width) else {
        out.push(line.to_vec());
        return;
    };
    // A description stands behind its name, or, where the name takes most of the room, under it.
    let mut indent: usize = before.iter().map(|(t, _)| t.width()).sum();
    let mut row = before.to_vec();
    if indent > 0 && width.saturating_sub(indent) < 24 {
        out.push(std::mem::take(&mut row));
        indent = 6.min(width / 4);
        row.push((" ".repeat(indent), *role));
    }
    for (i, text) in wrapped(last, width.saturating_sub(indent).max(8)).into_iter().enumerate() {
        if i > 0 {
            out.push(std::mem::replace(&mut row, vec![(" ".repeat(indent), *role)]));
        }
        row.push((text, *role));
    }
    out.push(row);
}

/// Pieces one behind the other in rows of at most `width` columns, parted between words wherever they stand; a word that is
/// longer is parted itself. Rows behind the first begin `indent` columns further on.
pub fn flow(line: &[(&str, Role)], width: usize, indent: usize) -> Vec<Pieces> {
    let width = width.max(indent + 4);
    let mut out: Vec<Pieces> = vec![];
    let (mut row, mut used): (Pieces, usize) = (vec![], 0);
    let mut begin = |row: &mut Pieces, used: &mut usize| {
        trim(row);
        out.push(std::mem::take(row));
        if indent > 0 {
            row.push((" ".repeat(indent), Role::Text));
        }
        *used = indent;
    };
    for (i, (text, role)) in line.iter().enumerate() {
        for word in text.split_inclusive(' ').flat_map(|w| parts(w, width - indent)) {
            // What the next piece begins with belongs to a word that does not end.
            let is_last = !word.ends_with([' ', '(', '.']) && text.ends_with(word);
            let rest = if is_last { rest_of_word(&line[i + 1..]) } else { 0 };
            let begins = row.last().is_none_or(|(t, _)| t.ends_with([' ', '(', '.']));
            let wide = word.trim_end().width();
            if begins && used > indent && used + wide + rest > width && wide <= width - indent {
                begin(&mut row, &mut used);
            }
            let mut piece = String::new();
            for c in word.chars() {
                let wide = unicode_width::UnicodeWidthChar::width(c).unwrap_or(0);
                if used + wide > width && c != ' ' {
                    row.push((std::mem::take(&mut piece), *role));
                    begin(&mut row, &mut used);
                }
                piece.push(c);
                used += wide;
            }
            row.push((piece, *role));
        }
    }
    trim(&mut row);
    if !row.is_empty() || out.is_empty() {
        out.push(row);
    }
    out
}

/// A word, or of one that is wider than a row what ends in a bracket or a dot.
fn parts(word: &str, room: usize) -> impl Iterator<Item = &str> {
    let by = move |c: char| matches!(c, '(' | '.') && word.trim_end().width() > room;
    word.split_inclusive(by)
}

/// How wide that is with which pieces begin, up to their first space.
fn rest_of_word(line: &[(&str, Role)]) -> usize {
    let mut wide = 0;
    for (text, _) in line {
        let word = text.split(' ').next().unwrap_or_default();
        wide += word.width();
        if word.len() < text.len() {
            break;
        }
    }
    wide
}

/// Takes the spaces away with which a row ends.
fn trim(row: &mut Pieces) {
    while let Some((text, _)) = row.last_mut() {
        text.truncate(text.trim_end().len());
        if !text.is_empty() {
            return;
        }
        row.pop();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_text_is_parted_between_words_and_a_long_word_in_itself() {
        assert_eq!(wrapped("Mind the boards.", 9), ["Mind the", "boards."]);
        assert_eq!(wrapped("abcdefghij kl", 4), ["abcd", "efgh", "ij", "kl"]);
        assert_eq!(wrapped("a bell(lamp, 3)", 7), ["a bell(", "lamp,", "3)"]);
        assert_eq!(wrapped("keeper.oil", 8), ["keeper.", "oil"]);
        assert_eq!(wrapped("", 9), [""]);
        assert!(wrapped("水門 水門 水門", 5).iter().all(|l| l.width() <= 5));
    }

    #[test]
    fn a_line_goes_on_under_its_last_piece() {
        let line = vec![("when     ".to_string(), Role::Dim), ("one two three four five six".to_string(), Role::Text)];
        let mut out = vec![];
        wrap(&line, 34, &mut out);
        let text = |l: &Pieces| l.iter().map(|(t, _)| t.as_str()).collect::<String>();
        assert_eq!(out.iter().map(text).collect::<Vec<_>>(), ["when     one two three four five", "         six"]);
        let long = vec![
            ("when     ".to_string(), Role::Dim),
            ("a_word_that_fills_more_than_the_room".to_string(), Role::Text),
        ];
        out.clear();
        wrap(&long, 34, &mut out);
        assert!(out.len() > 1 && out.iter().all(|l| text(l).width() <= 34), "{out:?}");
    }

    #[test]
    fn pieces_flow_one_behind_the_other_and_lose_nothing_but_spaces() {
        let text = |rows: &[Pieces]| -> Vec<String> {
            rows.iter().map(|l| l.iter().map(|(t, _)| t.as_str()).collect()).collect()
        };
        let line = [
            ("lamps_lit", Role::Written),
            (" ", Role::Dim),
            ("0", Role::Dim),
            (" → ", Role::Line),
            ("1", Role::Strong),
        ];
        assert_eq!(text(&flow(&line, 80, 2)), ["lamps_lit 0 → 1"]);
        assert_eq!(text(&flow(&line, 12, 2)), ["lamps_lit 0", "  → 1"]);
        assert_eq!(text(&flow(&line, 6, 2)), ["lamps_", "  lit", "  0 →", "  1"]);
        for width in 1..40 {
            let rows = text(&flow(&line, width, 3));
            assert!(rows.iter().all(|r| r.width() <= width.max(7)), "{width}: {rows:?}");
            assert_eq!(rows.concat().replace(' ', ""), "lamps_lit0→1", "{width}");
        }
    }
}
