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
    for word in text.split_inclusive(' ') {
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
    let room = width.saturating_sub(indent).max(8);
    let mut piece = String::new();
    for word in last.split(' ') {
        if !piece.is_empty() && piece.width() + 1 + word.width() > room {
            row.push((std::mem::take(&mut piece), *role));
            out.push(std::mem::take(&mut row));
            row.push((" ".repeat(indent), *role));
        }
        if !piece.is_empty() {
            piece.push(' ');
        }
        piece.push_str(word);
    }
    row.push((piece, *role));
    out.push(row);
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_text_is_parted_between_words_and_a_long_word_in_itself() {
        assert_eq!(wrapped("Mind the boards.", 9), ["Mind the", "boards."]);
        assert_eq!(wrapped("abcdefghij kl", 4), ["abcd", "efgh", "ij", "kl"]);
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
    }
}
