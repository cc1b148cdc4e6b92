//! Text to tokens. Every byte of the text lies in exactly one token, whatever the text is.
//!
//! It does not judge: an unclosed text or a strange character is a token too; [`crate::parser`] says
//! what is wrong with it.

use crate::syntax::Kind::{self, *};
use std::ops::Range;

/// A token: its kind and where it ends (it begins where the one before ended).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Lexeme {
    pub kind: Kind,
    pub start: usize,
    pub end: usize,
}

/// The tokens of `text`, in order, without gaps.
pub fn lex(text: &str) -> Vec<Lexeme> {
    let mut out = Vec::with_capacity(text.len() / 4);
    let mut at = 0;
    while at < text.len() {
        let (kind, len) = next(&text[at..]);
        assert!(len > 0, "each token has a length");
        out.push(Lexeme { kind, start: at, end: at + len });
        at += len;
    }
    out
}

/// The end of the declaration that begins at a byte: behind the brace that closes its block, or at the end of its line where
/// no block begins in it.
pub fn declaration_end(text: &str, start: usize) -> usize {
    let (mut at, mut depth) = (start, 0u32);
    while at < text.len() {
        let (kind, len) = next(&text[at..]);
        match (kind, depth) {
            (NEWLINE, 0) => return at,
            (L_BRACE, _) => depth += 1,
            (R_BRACE, 0) => return at,
            (R_BRACE, 1) => return at + len,
            (R_BRACE, _) => depth -= 1,
            _ => {}
        }
        at += len;
    }
    text.len()
}

/// True where a text token has its closing quotes.
pub fn is_closed(kind: Kind, token: &str) -> bool {
    match kind {
        RAW_TEXT => token.len() >= 6 && token.ends_with("\"\"\""),
        TEXT => token.len() >= 2 && text_len(token) == token.len() && token.ends_with('"') && ends_unescaped(token),
        CHAR => token.len() >= 3 && token.ends_with('\''),
        _ => true,
    }
}

fn ends_unescaped(token: &str) -> bool {
    let body = &token[..token.len() - 1];
    !body.is_empty() && (body.len() - body.trim_end_matches('\\').len()).is_multiple_of(2)
}

fn next(s: &str) -> (Kind, usize) {
    let c = s.chars().next().unwrap_or(' ');
    let b = s.as_bytes();
    match c {
        '\n' => (NEWLINE, 1),
        '\r' if b.get(1) == Some(&b'\n') => (NEWLINE, 2),
        '"' if s.starts_with("\"\"\"") => (RAW_TEXT, s[3..].find("\"\"\"").map_or(s.len(), |i| i + 6)),
        '"' => (TEXT, text_len(s)),
        '\'' => char_len(s),
        '/' if s.starts_with("//") => {
            let len = s.find('\n').unwrap_or(s.len());
            let len = if s[..len].ends_with('\r') { len - 1 } else { len };
            let doc = s.starts_with("///") && !s.starts_with("////");
            (if doc { DOC } else { COMMENT }, len)
        }
        c if c.is_whitespace() || c == '\u{feff}' => {
            let len = s
                .char_indices()
                .find(|(_, c)| !(c.is_whitespace() || *c == '\u{feff}') || *c == '\n' || *c == '\r')
                .map_or(s.len(), |(i, _)| i);
            (SPACE, len.max(c.len_utf8()))
        }
        c if c.is_ascii_digit() => number(s),
        c if c == '_' || c.is_alphabetic() => {
            let len = word_len(s);
            let digits = s[len..].strip_prefix('#').map_or(0, |r| r.bytes().take_while(u8::is_ascii_digit).count());
            if digits > 0 { (ACTOR_REF, len + 1 + digits) } else { (IDENT, len) }
        }
        _ => sign(s),
    }
}

fn sign(s: &str) -> (Kind, usize) {
    const TWO: [(&str, Kind); 11] = [
        ("..", DOT_DOT),
        ("==", EQ_EQ),
        ("!=", NOT_EQ),
        ("<=", LESS_EQ),
        (">=", GREATER_EQ),
        ("+=", PLUS_EQ),
        ("-=", MINUS_EQ),
        ("*=", STAR_EQ),
        ("/=", SLASH_EQ),
        ("=>", FAT_ARROW),
        ("->", ARROW),
    ];
    if let Some((_, kind)) = TWO.iter().find(|(t, _)| s.starts_with(t)) {
        return (*kind, 2);
    }
    let c = s.chars().next().unwrap_or(' ');
    let kind = match c {
        '{' => L_BRACE,
        '}' => R_BRACE,
        '(' => L_PAREN,
        ')' => R_PAREN,
        '[' => L_BRACKET,
        ']' => R_BRACKET,
        ',' => COMMA,
        ';' => SEMI,
        ':' => COLON,
        '.' => DOT,
        '+' => PLUS,
        '-' => MINUS,
        '*' => STAR,
        '/' => SLASH,
        '=' => EQ,
        '<' => LESS,
        '>' => GREATER,
        _ => ERROR,
    };
    (kind, c.len_utf8())
}

/// True of a mark that stands on the letter before it. A name has none, but one that is typed so is still one name.
pub fn is_mark(c: char) -> bool {
    matches!(
        c,
        '\u{300}'..='\u{36f}' | '\u{1ab0}'..='\u{1aff}' | '\u{1dc0}'..='\u{1dff}' | '\u{20d0}'..='\u{20ff}' | '\u{fe20}'..='\u{fe2f}'
    )
}

fn word_len(s: &str) -> usize {
    s.char_indices().find(|(_, c)| !(c.is_alphanumeric() || *c == '_' || is_mark(*c))).map_or(s.len(), |(i, _)| i)
}

fn number(s: &str) -> (Kind, usize) {
    let b = s.as_bytes();
    let digits = |mut i: usize| {
        while b.get(i).is_some_and(|c| c.is_ascii_digit() || *c == b'_') {
            i += 1;
        }
        i
    };
    let mut end = digits(0);
    if b.get(end) == Some(&b'.') && b.get(end + 1).is_some_and(u8::is_ascii_digit) {
        end = digits(end + 1);
    }
    if b.get(end) == Some(&b'%') {
        return (PERCENT, end + 1);
    }
    let suffix = &s[end..end + word_len(&s[end..])];
    if matches!(suffix, "ms" | "s" | "m" | "h") {
        return (DURATION, end + suffix.len());
    }
    (NUMBER, end)
}

fn char_len(s: &str) -> (Kind, usize) {
    let mut chars = s.char_indices().skip(1);
    match (chars.next(), chars.next()) {
        (Some((_, c)), Some((i, '\''))) if c != '\n' => (CHAR, i + 1),
        _ => (ERROR, 1),
    }
}

/// The length of a text that begins with a quote: to its closing quote, or to the line's end. Quotes
/// inside braces belong to the expression there.
fn text_len(s: &str) -> usize {
    walk_text(s, &mut |_, _| {})
}

/// The bytes between the outermost braces of a text that is closed, in order: where its expressions stand.
pub(crate) fn braced(text: &str) -> Vec<Range<usize>> {
    let mut open = None;
    let mut out = vec![];
    walk_text(text, &mut |at, opens| match (opens, open.take()) {
        (true, _) => open = Some(at),
        (false, Some(from)) => out.push(from..at),
        (false, None) => {}
    });
    out
}

/// Goes through a text that begins with `"`; gives its length, and tells `see` the byte behind each outermost brace that
/// opens, and that of each that closes.
fn walk_text(s: &str, see: &mut dyn FnMut(usize, bool)) -> usize {
    let mut depths: Vec<usize> = vec![0];
    let mut chars = s.char_indices().skip(1).peekable();
    while let Some((i, c)) = chars.next() {
        let outer = depths.len() == 1;
        let depth = depths.last_mut().expect("the outer text is never popped");
        let in_text = *depth == 0;
        match c {
            '\n' => return i,
            '\\' if in_text && chars.peek().is_some_and(|(_, c)| *c != '\n') => {
                chars.next();
                // The braces of `\u{e9}` hold a character's number.
                let number = s[i + 1..].strip_prefix("u{").and_then(|r| r.find(['}', '"', '\n']).map(|n| &r[..=n]));
                if number.is_some_and(|n| n.ends_with('}')) {
                    chars.by_ref().find(|(_, c)| *c == '}');
                }
            }
            '"' if in_text => {
                depths.pop();
                if depths.is_empty() {
                    return i + 1;
                }
            }
            '"' => depths.push(0),
            '{' if in_text && chars.peek().is_some_and(|(_, c)| *c == '{') => {
                chars.next();
            }
            '{' => {
                *depth += 1;
                if outer && *depth == 1 {
                    see(i + 1, true);
                }
            }
            '}' if !in_text => {
                *depth -= 1;
                if outer && *depth == 0 {
                    see(i, false);
                }
            }
            _ => {}
        }
    }
    s.len()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn kinds(text: &str) -> Vec<(Kind, &str)> {
        lex(text).into_iter().filter(|t| t.kind != SPACE).map(|t| (t.kind, &text[t.start..t.end])).collect()
    }

    #[test]
    fn numbers_durations_and_ranges() {
        assert_eq!(
            kinds("3..8 0.25 15% 2.4s 250ms 1_000 3x 2h"),
            [
                (NUMBER, "3"),
                (DOT_DOT, ".."),
                (NUMBER, "8"),
                (NUMBER, "0.25"),
                (PERCENT, "15%"),
                (DURATION, "2.4s"),
                (DURATION, "250ms"),
                (NUMBER, "1_000"),
                (NUMBER, "3"),
                (IDENT, "x"),
                (DURATION, "2h"),
            ]
        );
    }

    #[test]
    fn a_text_holds_the_quotes_of_its_expressions() {
        let t = r#""{if lit then "on" else "off"} {{x" + lamp#2"#;
        assert_eq!(kinds(t)[0], (TEXT, r#""{if lit then "on" else "off"} {{x""#));
        assert_eq!(kinds(t)[2], (ACTOR_REF, "lamp#2"));
    }

    #[test]
    fn what_is_not_closed_ends_with_its_line() {
        let t = "\"open\nnext";
        assert_eq!(braced(r#""\u{e9} {a} {b} \u{ {c}""#), [9..10, 13..14]);
        assert_eq!(kinds(t)[0], (TEXT, "\"open"));
        assert!(!is_closed(TEXT, "\"open") && is_closed(TEXT, "\"shut\"") && !is_closed(TEXT, "\"x\\\""));
        assert!(is_closed(TEXT, "\"\""));
    }
}
