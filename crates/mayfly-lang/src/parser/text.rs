//! Texts with expressions in their braces: each expression is part of the tree, as code anywhere else.
//!
//! Not here: what stands between them, escapes and lone braces, which [`crate::check`] reads.
//!
//! Invariant: texts inside each other are taken apart down to [`MAX_TEXTS`]; one that lies deeper stays one token.

use super::{Parser, SyntaxError, expr};
use crate::lexer;
use crate::syntax::Kind::{self, *};
use std::ops::Range;

/// Texts inside the braces of each other.
pub(crate) const MAX_TEXTS: usize = 8;

/// Reads the text that comes next.
pub(super) fn text(p: &mut Parser) {
    p.start(TEXT_EXPR);
    let at = p.bytes_of(1);
    let token = &p.text[at.clone()];
    let braced = if lexer::is_closed(TEXT, token) && p.texts < MAX_TEXTS { lexer::braced(token) } else { vec![] };
    if braced.is_empty() {
        p.bump();
    } else {
        let mut from = 0;
        for inside in braced {
            piece(p, TEXT_PART, &token[from..inside.start - 1]);
            interpolation(p, token, &inside, at.start);
            from = inside.end + 1;
        }
        piece(p, TEXT_PART, &token[from..]);
        p.taken();
    }
    p.finish();
}

fn piece(p: &mut Parser, kind: Kind, text: &str) {
    if !text.is_empty() {
        p.builder.take(kind, text.len());
    }
}

/// `{lamps_lit}` or `{warmth:1}`: the expression is read by a parser of its own that goes on in the same tree.
fn interpolation(p: &mut Parser, token: &str, inside: &Range<usize>, start: usize) {
    let (code, decimals) = split(&token[inside.clone()]);
    p.builder.begin(INTERPOLATION);
    piece(p, L_BRACE, "{");
    let mut inner = Parser::new(code);
    inner.texts = p.texts + 1;
    inner.builder = std::mem::take(&mut p.builder);
    inner.only(|p| {
        expr::expr(p);
    });
    p.builder = inner.builder;
    let by = start + inside.start;
    p.errors.extend(inner.errors.into_iter().map(|e| SyntaxError {
        start: e.start + by,
        end: e.end + by,
        message: match e.message.strip_prefix(IN_TEXT) {
            Some(_) => e.message,
            None => format!("{IN_TEXT}{}", e.message),
        },
        fix: e.fix.map(|(r, text)| (r.start + by..r.end + by, text)),
        ..e
    }));
    piece(p, DECIMALS, decimals);
    piece(p, R_BRACE, "}");
    p.finish();
}

/// Begins what is said of an expression in braces.
const IN_TEXT: &str = "in this text's braces: ";

/// The expression, and its decimals with their colon where they are asked for.
fn split(inside: &str) -> (&str, &str) {
    let digits = |d: &str| !d.trim().is_empty() && d.trim().chars().all(|c| c.is_ascii_digit());
    match inside.rsplit_once(':') {
        Some((code, d)) if digits(d) && !code.trim().is_empty() => inside.split_at(code.len()),
        _ => (inside, ""),
    }
}

#[cfg(test)]
mod tests {
    use crate::parser::parse_expression;
    use crate::syntax::Kind::*;

    #[test]
    fn what_stands_in_the_braces_of_a_text_is_code() {
        let text = "\"a {{ {n + 1:2} b {\"{f(\"}\")}\"}\"";
        let parsed = parse_expression(text);
        assert_eq!(parsed.errors, vec![]);
        assert_eq!(parsed.tree().to_string(), text);
        let whole = parsed.tree().exprs().remove(0);
        let parts: Vec<String> = whole.children_with_tokens().map(|e| e.to_string()).collect();
        assert_eq!(parts, ["\"a {{ ", "{n + 1:2}", " b ", "{\"{f(\"}\")}\"}", "\""]);
        let first = whole.child(INTERPOLATION).expect("it is there");
        assert_eq!(
            (first.exprs()[0].kind(), first.tok(DECIMALS).map(|t| t.text().to_string())),
            (BINARY_EXPR, Some(":2".into()))
        );
        assert_eq!(whole.descendants().filter(|n| n.kind() == CALL_EXPR).count(), 1);
    }

    #[test]
    fn a_mistake_in_them_is_told_once_at_its_place() {
        let text = "\"{\"{1 +}\"} {}\"";
        let parsed = parse_expression(text);
        let told: Vec<(usize, bool)> =
            parsed.errors.iter().map(|e| (e.start, e.message.starts_with("in this text's"))).collect();
        assert_eq!(told, [(7, true), (12, true)], "{:?}", parsed.errors);
        assert!(parsed.errors.iter().all(|e| e.message.matches("braces").count() == 1), "{:?}", parsed.errors);
        assert_eq!(parsed.tree().to_string(), text);
    }
}
