//! The one layout of a text: indentation, and the spaces between two words of a line.
//!
//! Not here: where lines end; that stays the writer's. Comments, texts, maps and the sort of line ends stay as they are.
//!
//! Invariants: only spaces, and empty lines beside others, differ from the text that was given; formatting what is formatted
//! changes nothing; a level means the same afterwards (all three held by property tests).

use crate::edit::{Change, TextEdit};
use crate::parser::{self, SyntaxError};
use crate::syntax::{Kind as K, Token};

/// Spaces of one step of indentation.
const STEP: usize = 2;

/// The text does not parse: every mistake, in order.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("the text does not parse")]
pub struct Unreadable(pub Vec<SyntaxError>);

/// What formatting changes, as small edits: one for each gap that is not as it should be.
///
/// # Errors
/// A text that does not parse: its braces may stand anywhere.
pub fn format(text: &str) -> Result<Change, Unreadable> {
    let parsed = parser::parse(text);
    if !parsed.errors.is_empty() {
        return Err(Unreadable(parsed.errors));
    }
    let root = parsed.tree();
    let tokens: Vec<Token> = root.tokens().collect();
    let mut layout = Layout::default();
    let mut edits = vec![];
    let mut gap: Vec<&Token> = vec![];
    // A text with expressions in it stays as it is, up to its end.
    let mut text_end = 0;
    for t in &tokens {
        if t.range().start < text_end {
            layout.last = Some(t.clone());
            continue;
        }
        if t.kind() == K::TEXT_PART {
            text_end = t.parent().map_or(0, |p| p.range().end);
        }
        if matches!(t.kind(), K::SPACE | K::NEWLINE) {
            gap.push(t);
            continue;
        }
        let (old, new) = layout.gap(&gap, t);
        edits.extend(edit(t.range().start, &old, new));
        if is_comment(t) {
            let range = t.range().start..t.range().end;
            edits.push(TextEdit::delete(range.start + t.text().trim_end().len()..range.end));
        }
        layout.take(t);
        gap.clear();
    }
    // The last line ends once; of nothing but spaces nothing is left.
    let old: String = gap.iter().map(|t| t.text()).collect();
    let end = gap.iter().find(|t| t.kind() == K::NEWLINE).map_or("\n", |t| t.text());
    edits.extend(edit(text.len(), &old, if layout.last.is_some() { end.to_string() } else { String::new() }));
    Ok(Change::new(edits).expect("gaps lie apart"))
}

/// The gap that ends at a byte, where it is not yet as it should be.
fn edit(end: usize, old: &str, new: String) -> Option<TextEdit> {
    (old != new).then(|| TextEdit { range: end - old.len()..end, text: new })
}

/// What has been read of the text.
#[derive(Default)]
struct Layout {
    last: Option<Token>,
    open: Vec<Open>,
    /// How many brackets were open where the line under way began, and its indentation.
    at_line: usize,
    indent: usize,
}

/// A bracket that is not closed yet.
struct Open {
    brace: bool,
    /// It indents the lines in it.
    indents: bool,
    /// The indentation of the line on which it stands.
    line: usize,
}

impl Layout {
    /// The gap before a token as it is and as it should be.
    fn gap(&mut self, gap: &[&Token], next: &Token) -> (String, String) {
        let old: String = gap.iter().map(|t| t.text()).collect();
        let ends: Vec<&str> = gap.iter().filter(|t| t.kind() == K::NEWLINE).map(|t| t.text()).collect();
        // A mark of the encoding before the first word stays.
        let mark = if old.starts_with('\u{feff}') { "\u{feff}" } else { "" };
        let Some(last) = self.last.clone() else { return (old, mark.to_string()) };
        if ends.is_empty() {
            let new = if spaced(&last, next, !old.is_empty()) { comment_gap(&old, next) } else { String::new() };
            return (old, new);
        }
        // One empty line parts, more do not part better.
        let lines: String = ends.iter().take(2).copied().collect();
        self.end_line();
        let indent = self.indent(&last, next);
        (old, lines + &" ".repeat(indent * STEP))
    }

    /// Of the brackets that a line opened and left open one indents what follows.
    fn end_line(&mut self) {
        let from = self.at_line.min(self.open.len());
        for (n, bracket) in self.open[from..].iter_mut().enumerate() {
            bracket.indents = n == 0;
        }
        self.at_line = self.open.len();
    }

    /// The indentation of a line that begins with `next`, in steps: what closes stands under what it closes.
    fn indent(&mut self, last: &Token, next: &Token) -> usize {
        let mut open = self.open.len();
        let mut t = Some(next.clone());
        while let Some(x) = t.filter(|x| closes(x.kind()) || x.kind() == K::SPACE) {
            open -= usize::from(closes(x.kind()) && open > 0);
            t = x.next_token();
        }
        let steps = self.open.iter().filter(|o| o.indents).count();
        let in_braces = self.open.last().is_none_or(|o| o.brace);
        if let Some(closed) = self.open.get(open) {
            self.indent = closed.line;
            return self.indent;
        }
        // What opens on a line that goes on belongs to the statement, not to its last line.
        self.indent = steps;
        steps + usize::from(in_braces && goes_on(last, next))
    }

    fn take(&mut self, t: &Token) {
        match t.kind() {
            K::L_BRACE | K::L_PAREN | K::L_BRACKET => {
                self.open.push(Open { brace: t.kind() == K::L_BRACE, indents: false, line: self.indent });
            }
            k if closes(k) => {
                self.open.pop();
                self.at_line = self.at_line.min(self.open.len());
            }
            _ => {}
        }
        self.last = Some(t.clone());
    }
}

fn closes(k: K) -> bool {
    matches!(k, K::R_BRACE | K::R_PAREN | K::R_BRACKET)
}

fn is_comment(t: &Token) -> bool {
    matches!(t.kind(), K::COMMENT | K::DOC)
}

/// Comments behind a line may stand in a column of their own.
fn comment_gap(old: &str, next: &Token) -> String {
    if is_comment(next) && !old.is_empty() { old.replace('\t', " ") } else { " ".into() }
}

/// True where a line goes on the statement of the line before.
fn goes_on(last: &Token, next: &Token) -> bool {
    let joins = |t: &Token| t.kind() == K::IDENT && matches!(t.text(), "and" | "or");
    // Items of a list in braces stand side by side.
    let item = || {
        let of = last.parent().map(|p| p.kind());
        matches!(of, Some(K::ENUM_DECL | K::BRACES_EXPR | K::CLOCK_ITEM | K::BODY | K::MATCH_ARM))
    };
    joins(next)
        || joins(last)
        || is_operator(last)
        || matches!(last.kind(), K::EQ | K::FAT_ARROW | K::ARROW)
        || last.kind() == K::COMMA && !item()
}

fn is_operator(t: &Token) -> bool {
    use K::*;
    let sign = matches!(t.kind(), PLUS | MINUS | STAR | SLASH) && !is_sign_of_number(t);
    sign || matches!(t.kind(), EQ_EQ | NOT_EQ | LESS | LESS_EQ | GREATER | GREATER_EQ)
        || matches!(t.kind(), PLUS_EQ | MINUS_EQ | STAR_EQ | SLASH_EQ)
}

/// The minus of `-3`, not that of `a - 3`.
fn is_sign_of_number(t: &Token) -> bool {
    t.kind() == K::MINUS && t.parent().is_some_and(|p| !matches!(p.kind(), K::BINARY_EXPR | K::SHAPE_LESS))
}

/// True where a space parts two words of one line; `was` where one does.
fn spaced(last: &Token, next: &Token, was: bool) -> bool {
    use K::*;
    match (last.kind(), next.kind()) {
        (_, COMMENT | DOC) => was || last.kind() != L_BRACE,
        (_, COMMA | SEMI | R_PAREN | R_BRACKET | DOT | DOT_DOT | COLON) => false,
        (L_PAREN | L_BRACKET | DOT | DOT_DOT, _) => false,
        (L_BRACE, R_BRACE) => was,
        (L_BRACE, _) | (_, L_BRACE | R_BRACE) => true,
        (COMMA | SEMI | COLON, _) => true,
        _ if is_sign_of_number(last) => false,
        _ if is_operator(last) || is_operator(next) => true,
        (EQ | FAT_ARROW | ARROW, _) | (_, EQ | FAT_ARROW | ARROW) => true,
        (R_BRACE, _) => true,
        _ => was,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn formatted(text: &str) -> String {
        format(text).expect("it parses").apply(text).expect("it lies in the text").0
    }

    #[test]
    fn words_and_lines_get_their_spaces_and_comments_keep_theirs() {
        let text = "\n\n\nvar n=1   // one\nrule \"a\"{when start;then{\n     n+=1 ;  n = n*-2\n  if n>2\nand n<9{\nlog ( n ,2)\n} // end\n\n\n\n   // alone\n      }\n  }\nenum fish{ eel,\n perch }\nzone z=rect( 1,2 )3 x 4-disc (0,0) 1\n\n";
        let want = "var n = 1   // one\nrule \"a\" { when start; then {\n  n += 1; n = n * -2\n  if n > 2\n    and n < 9 {\n    log (n, 2)\n  } // end\n\n  // alone\n}\n}\nenum fish { eel,\n  perch }\nzone z = rect(1, 2)3 x 4 - disc (0, 0) 1\n";
        assert_eq!(formatted(text), want);
        assert_eq!(formatted(want), want);
    }

    #[test]
    fn what_does_not_parse_is_left_and_line_ends_stay() {
        let e = format("rule \"a\" { when start; then { n = } }").expect_err("a value is missing");
        assert!(e.0.len() == 1 && e.0[0].start > 20, "{e:?}");
        assert_eq!(formatted("var a=1\r\n\r\n\r\n\r\nvar b =2\r\n"), "var a = 1\r\n\r\nvar b = 2\r\n");
        assert_eq!(formatted(""), "");
        assert_eq!(formatted("  \n \n"), "");
        assert_eq!(formatted("// a"), "// a\n");
        assert_eq!(formatted("\u{feff}\n var a=1\n"), "\u{feff}var a = 1\n");
    }
}
