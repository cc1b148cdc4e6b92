//! The rows of a map in the text.
//!
//! Not here: what their signs mean ([`crate::check`]), and how cells are painted ([`crate::edit::maps`]).
//!
//! Invariant: rows are in order and lie in the token.

use std::ops::Range;

/// The rows of a map's token, as ranges of the token, and their indentation: where the closing quotes stand indented, so
/// does the map.
pub fn rows_of(token: &str) -> (Vec<Range<usize>>, usize) {
    let body = token.strip_prefix("\"\"\"").unwrap_or(token);
    let body = body.strip_suffix("\"\"\"").unwrap_or(body);
    let mut rows = vec![];
    let mut at = 3;
    for line in body.split('\n') {
        rows.push(at..at + line.trim_end_matches('\r').len());
        at += line.len() + 1;
    }
    let blank = |r: &Range<usize>| token[r.clone()].trim().is_empty();
    if rows.first().is_some_and(blank) {
        rows.remove(0);
    }
    let mut indent = 0;
    if let Some(last) = rows.last().filter(|r| blank(r)) {
        indent = last.len();
        rows.pop();
    }
    let deep = |r: &Range<usize>| token[r.clone()].bytes().take_while(|b| *b == b' ').count() >= indent;
    if !rows.iter().all(|r| blank(r) || deep(r)) {
        indent = 0;
    }
    let cut = |r: Range<usize>| (r.start + indent).min(r.end)..r.end;
    (rows.into_iter().map(cut).collect(), indent)
}
