//! Literals: numbers, durations, and texts with the expressions in their braces.
//!
//! Invariant: a text's pieces in order give the text as written; an expression in braces keeps its
//! place in the file.

use super::{Checker, Frame};
use crate::parser;
use crate::syntax::{Kind as K, Node, NodeExt, Token};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;

/// Texts inside the braces of each other.
const MAX_TEXTS: u32 = 8;
/// Decimals with which a number can be shown.
const MAX_DECIMALS: usize = 6;

impl Checker {
    pub fn number_of(text: &str) -> f64 {
        let t = text.replace('_', "");
        match t.strip_suffix('%') {
            Some(p) => p.parse::<f64>().unwrap_or(0.0) / 100.0,
            None => t.parse().unwrap_or(0.0),
        }
    }

    /// The microseconds of a duration as written.
    pub fn duration_of(&mut self, n: &Node) -> Micros {
        let words = n.words();
        let mut total = 0f64;
        let mut ticks = 0f64;
        for (i, w) in words.iter().enumerate() {
            if matches!(w.as_str(), "ticks" | "tick") {
                continue;
            }
            if words.get(i + 1).is_some_and(|n| matches!(n.as_str(), "ticks" | "tick")) {
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
        let mut f = Frame::default();
        match self.text_pieces(t, &mut f).as_slice() {
            [] => String::new(),
            [Piece::Words(w)] => w.clone(),
            _ => {
                let span = self.token_span(t);
                self.error("plain-text", span, "a title holds no expressions", "write `{{` for a brace");
                String::new()
            }
        }
    }

    pub fn text_expr(&mut self, n: &Node, f: &mut Frame) -> (Expr, Ty) {
        let span = self.span(n);
        if let Some(t) = n.tok(K::RAW_TEXT) {
            let body = t.text().trim_start_matches("\"\"\"");
            let body = body.strip_suffix("\"\"\"").unwrap_or(body);
            return (Expr { kind: ExprKind::Const(Value::text(body)), span }, Ty::Text);
        }
        let Some(t) = n.tok(K::TEXT) else { return self.broken(span) };
        let pieces = self.text_pieces(&t, f);
        let kind = match pieces.as_slice() {
            [] => ExprKind::Const(Value::text("")),
            [Piece::Words(w)] => ExprKind::Const(Value::text(w)),
            _ => ExprKind::Text(pieces),
        };
        (Expr { kind, span }, Ty::Text)
    }

    fn text_pieces(&mut self, t: &Token, f: &mut Frame) -> Vec<Piece> {
        let whole = t.text();
        let start = usize::from(t.text_range().start());
        let inner_end = if whole.len() >= 2 && whole.ends_with('"') { whole.len() - 1 } else { whole.len() };
        let mut pieces = vec![];
        let mut words = String::new();
        let mut i = 1;
        while i < inner_end {
            let Some(c) = whole[i..].chars().next() else { break };
            match c {
                '\\' => {
                    let (text, len) = self.escape(&whole[i..inner_end], start + i);
                    words.push_str(&text);
                    i += len;
                }
                '{' if whole[i + 1..].starts_with('{') => {
                    words.push('{');
                    i += 2;
                }
                '}' => {
                    words.push('}');
                    let double = whole[i + 1..inner_end].starts_with('}');
                    if !double {
                        let at = self.span_at(start + i + self.base, start + i + 1 + self.base);
                        self.error("lone-brace", at, "this `}` closes nothing", "write `}}` for a brace in a text");
                    }
                    i += if double { 2 } else { 1 };
                }
                '{' => {
                    let Some(end) = closing_brace(&whole[i..inner_end]) else {
                        let at = self.span_at(start + i + self.base, start + i + 1 + self.base);
                        self.error(
                            "lone-brace",
                            at,
                            "this `{` is not closed",
                            "close it with `}`, or write `{{` for a brace in a text",
                        );
                        break;
                    };
                    if !words.is_empty() {
                        pieces.push(Piece::Words(std::mem::take(&mut words)));
                    }
                    let inside = &whole[i + 1..i + end];
                    let piece = self.braced(inside, start + i + 1, f);
                    pieces.push(piece);
                    i += end + 1;
                }
                c => {
                    words.push(c);
                    i += c.len_utf8();
                }
            }
        }
        if !words.is_empty() {
            pieces.push(Piece::Words(words));
        }
        pieces
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
        let span = self.span_at(at + self.base, at + s.len() + self.base);
        self.error(
            "bad-escape",
            span,
            format!("`{s}` means nothing in a text"),
            "there are \\n, \\t, \\\", \\\\ and \\u{…} with a character's number in hexadecimal",
        );
    }

    /// What stands between braces: an expression, and its decimals where they are asked for.
    fn braced(&mut self, inside: &str, at: usize, f: &mut Frame) -> Piece {
        let (text, decimals) = match inside.rsplit_once(':') {
            Some((e, d))
                if !d.trim().is_empty() && d.trim().chars().all(|c| c.is_ascii_digit()) && !e.trim().is_empty() =>
            {
                let decimals = d.trim().parse().unwrap_or(usize::MAX);
                if decimals > MAX_DECIMALS {
                    let from = at + e.len() + 1;
                    let span = self.span_at(from + self.base, from + d.len() + self.base);
                    self.error(
                        "bad-decimals",
                        span,
                        "a number is shown with at most 6 decimals",
                        "write `{x:6}`, or fewer",
                    );
                }
                (e, Some(decimals.min(MAX_DECIMALS)))
            }
            _ => (inside, None),
        };
        if self.text_depth >= MAX_TEXTS {
            let span = self.span_at(at + self.base, at + inside.len() + self.base);
            self.error(
                "too-deep",
                span,
                format!("more than {MAX_TEXTS} texts stand inside each other here"),
                "put an inner one into a `define` or a `let`, and name that in the braces",
            );
            return Piece::Words(String::new());
        }
        let base = self.base;
        self.base += at;
        self.text_depth += 1;
        let parsed = parser::parse_expression(text);
        for e in &parsed.errors {
            let span = self.span_at(e.start + self.base, e.end + self.base);
            self.error("syntax", span, format!("in this text's braces: {}", e.message), e.help.clone());
        }
        let piece = match parsed.tree().exprs().first() {
            Some(e) if parsed.errors.is_empty() => {
                let (e, _) = self.expr(e, None, f);
                Piece::Value(e, decimals)
            }
            _ => Piece::Words(String::new()),
        };
        self.base = base;
        self.text_depth -= 1;
        piece
    }
}

/// The expressions in the braces of a text token, each with the byte of the token at which it begins.
pub fn braced_expressions(token: &str) -> Vec<(usize, &str)> {
    let mut out = vec![];
    let mut i = 1;
    while let Some(c) = token.get(i..).and_then(|s| s.chars().next()) {
        match c {
            '\\' => i += 1 + token[i + 1..].chars().next().map_or(0, char::len_utf8),
            '{' if token[i + 1..].starts_with('{') => i += 2,
            '{' => {
                let Some(end) = closing_brace(&token[i..]) else { break };
                let inside = &token[i + 1..i + end];
                let decimals = |d: &str| !d.trim().is_empty() && d.trim().chars().all(|c| c.is_ascii_digit());
                let shown = inside.rsplit_once(':').filter(|(e, d)| decimals(d) && !e.trim().is_empty());
                out.push((i + 1, shown.map_or(inside, |(e, _)| e)));
                i += end + 1;
            }
            c => i += c.len_utf8(),
        }
    }
    out
}

/// Where the brace that opens `s` is closed; braces in texts inside do not count.
fn closing_brace(s: &str) -> Option<usize> {
    let (mut depth, mut in_text) = (0usize, false);
    let mut chars = s.char_indices();
    while let Some((i, c)) = chars.next() {
        match c {
            '"' => in_text = !in_text,
            '\\' if in_text => {
                chars.next();
            }
            '{' if !in_text => depth += 1,
            '}' if !in_text => {
                depth -= 1;
                if depth == 0 {
                    return Some(i);
                }
            }
            _ => {}
        }
    }
    None
}
