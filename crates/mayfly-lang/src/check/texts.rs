//! Literals: numbers, durations, and texts with the expressions in their braces.
//!
//! Invariant: a text's pieces in order give the text as written; an expression in braces keeps its
//! place in the file.

use super::{Checker, Frame};
use crate::lexer;
use crate::parser::MAX_TEXTS;
use crate::syntax::{Element, Kind as K, Node, Token};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;
use std::borrow::Cow;

/// Decimals with which a number can be shown.
const MAX_DECIMALS: usize = 6;

impl Checker {
    pub fn number_of(text: &str) -> f64 {
        let plain = match text.contains('_') {
            true => Cow::Owned(text.replace('_', "")),
            false => Cow::Borrowed(text),
        };
        match plain.strip_suffix('%') {
            Some(p) => p.parse::<f64>().unwrap_or(0.0) / 100.0,
            None => plain.parse().unwrap_or(0.0),
        }
    }

    /// The microseconds of a duration as written.
    pub fn duration_of(&mut self, n: &Node) -> Micros {
        let words = n.words();
        let mut total = 0f64;
        let mut ticks = 0f64;
        for (i, w) in words.iter().enumerate() {
            if matches!(*w, "ticks" | "tick") {
                continue;
            }
            if words.get(i + 1).is_some_and(|n| matches!(*n, "ticks" | "tick")) {
                ticks += Self::number_of(w);
                continue;
            }
            let unit_at = w.find(|c: char| c.is_alphabetic()).unwrap_or(w.len());
            let number = Self::number_of(&w[..unit_at]);
            total += number
                * match &w[unit_at..] {
                    "ms" => 1e3,
                    "s" => 1e6,
                    "m" => 6e7,
                    _ => 3.6e9,
                };
        }
        let micros = total.round() + ticks * 1e6 / f64::from(self.level.rate.0);
        if micros > 9e15 {
            let span = self.span(n);
            self.error("bad-duration", span, "this duration is too long", "a duration is shorter than 285 years");
            return 0;
        }
        micros.round() as Micros
    }

    /// A text without expressions, such as a title.
    pub fn plain_text(&mut self, t: &Token) -> String {
        if t.kind() == K::TEXT && !lexer::braced(t.text()).is_empty() {
            let span = self.token_span(t);
            self.error("plain-text", span, "a title holds no expressions", "write `{{` for a brace");
            return String::new();
        }
        self.words_of(t)
    }

    pub fn text_expr(&mut self, n: &Node, f: &mut Frame) -> (Expr, Ty) {
        let span = self.span(n);
        if let Some(t) = n.tok(K::RAW_TEXT) {
            let body = t.text().trim_start_matches("\"\"\"");
            let body = body.strip_suffix("\"\"\"").unwrap_or(body);
            return (Expr { kind: ExprKind::Const(Value::text(body)), span }, Ty::Text);
        }
        let mut pieces = vec![];
        let mut words = String::new();
        for e in n.children_with_tokens() {
            match e {
                Element::Token(t) if matches!(t.kind(), K::TEXT | K::TEXT_PART) => {
                    if t.kind() == K::TEXT && !lexer::braced(t.text()).is_empty() {
                        let span = self.token_span(&t);
                        self.error(
                            "too-deep",
                            span,
                            format!("more than {MAX_TEXTS} texts stand inside each other here"),
                            "put an inner one into a `define` or a `let`, and name that in the braces",
                        );
                        return self.broken(span);
                    }
                    words.push_str(&self.words_of(&t));
                }
                Element::Node(n) if n.kind() == K::INTERPOLATION => {
                    if !words.is_empty() {
                        pieces.push(Piece::Words(std::mem::take(&mut words)));
                    }
                    pieces.push(self.interpolation(&n, f));
                }
                _ => {}
            }
        }
        if !words.is_empty() {
            pieces.push(Piece::Words(words));
        }
        let kind = match pieces.as_slice() {
            [] => ExprKind::Const(Value::text("")),
            [Piece::Words(w)] => ExprKind::Const(Value::text(w)),
            _ => ExprKind::Text(pieces),
        };
        (Expr { kind, span }, Ty::Text)
    }

    /// An expression in braces, and its decimals where they are asked for.
    fn interpolation(&mut self, n: &Node, f: &mut Frame) -> Piece {
        let decimals = n.tok(K::DECIMALS).map(|t| {
            let decimals = t.text().trim_start_matches(':').trim().parse().unwrap_or(usize::MAX);
            if decimals > MAX_DECIMALS {
                let span = self.token_span(&t);
                let span = Span::new(span.file, span.start as usize + 1, span.end as usize);
                let help = "write `{x:6}`, or fewer";
                self.error("bad-decimals", span, "a number is shown with at most 6 decimals", help);
            }
            decimals.min(MAX_DECIMALS)
        });
        match n.exprs().first() {
            Some(e) => Piece::Value(self.expr(e, None, f).0, decimals),
            None => Piece::Words(String::new()),
        }
    }

    /// What a token of a text says: its quotes are left out, escapes and doubled braces stand for their characters.
    fn words_of(&mut self, t: &Token) -> String {
        let whole = t.text();
        let start = t.range().start;
        let i = usize::from(t.previous().is_none_or(|e| e.kind() != K::INTERPOLATION));
        let is_last = t.next().is_none_or(|e| e.kind() != K::INTERPOLATION);
        let end = if is_last && whole.len() > i && whole.ends_with('"') { whole.len() - 1 } else { whole.len() };
        let mut words = String::new();
        let mut i = i;
        while i < end {
            let Some(c) = whole[i..].chars().next() else { break };
            match c {
                '\\' => {
                    let (text, len) = self.escape(&whole[i..end], start + i);
                    words.push_str(&text);
                    i += len;
                }
                c @ ('{' | '}') => {
                    words.push(c);
                    let double = whole[i + 1..end].starts_with(c);
                    if !double {
                        let at = self.span_at(start + i, start + i + 1);
                        match c {
                            '}' => self.error(
                                "lone-brace",
                                at,
                                "this `}` closes nothing",
                                "write `}}` for a brace in a text",
                            ),
                            _ => self.error(
                                "lone-brace",
                                at,
                                "this `{` is not closed",
                                "close it with `}`, or write `{{` for a brace in a text",
                            ),
                        }
                        if c == '{' {
                            break;
                        }
                    }
                    i += if double { 2 } else { 1 };
                }
                c => {
                    words.push(c);
                    i += c.len_utf8();
                }
            }
        }
        words
    }

    fn escape(&mut self, s: &str, at: usize) -> (String, usize) {
        match s[1..].chars().next() {
            Some('n') => ("\n".into(), 2),
            Some('t') => ("\t".into(), 2),
            Some(c @ ('"' | '\\')) => (c.to_string(), 2),
            Some('u') if s[2..].starts_with('{') => {
                let end = s.find('}').unwrap_or(s.len() - 1);
                let c = u32::from_str_radix(&s[3..end.max(3)], 16).ok().and_then(char::from_u32);
                if c.is_none() {
                    self.bad_escape(&s[..=end.min(s.len() - 1)], at);
                }
                (c.map_or(String::new(), |c| c.to_string()), end + 1)
            }
            other => {
                let len = 1 + other.map_or(0, char::len_utf8);
                self.bad_escape(&s[..len], at);
                (String::new(), len)
            }
        }
    }

    fn bad_escape(&mut self, s: &str, at: usize) {
        let span = self.span_at(at, at + s.len());
        self.error(
            "bad-escape",
            span,
            format!("`{s}` means nothing in a text"),
            "there are \\n, \\t, \\\", \\\\ and \\u{…} with a character's number in hexadecimal",
        );
    }
}
