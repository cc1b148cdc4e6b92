//! What is not told, since it only follows from a mistake that is: one mistake is one error.
//!
//! A line whose grammar is wrong is read as it was not meant. So its first error of grammar stands for the line, the names
//! on it count as declared, and of the declaration round it nothing is said to be missing.
//!
//! Invariant: an error is left out only where an error of grammar is told, and where that is mended it is told.

use super::files::Project;
use crate::diagnostic::{Diagnostic, Severity};
use crate::lexer::Lexeme;
use crate::syntax::{Kind as K, Node, NodeExt};
use rustc_hash::{FxHashMap, FxHashSet};
use std::ops::Range;

/// What is said of names that nothing declares.
const UNKNOWN: [&str; 6] = ["unknown-name", "unknown-state", "no-kind", "kind-for-actor", "no-type", "no-value"];
/// What is said of something that lacks a part.
const LACKS: [&str; 7] = ["no-when", "no-then", "no-start", "no-return", "empty", "unknown-state", "no-self"];

/// Takes away what follows from errors of grammar.
pub(super) fn leave_out(diagnostics: &mut Vec<Diagnostic>, project: &Project, tree: &Node) {
    let line = |d: &Diagnostic| (d.span.file, d.place(&project.sources).0);
    let mut broken: FxHashMap<(u16, usize), u32> = FxHashMap::default();
    let mut nameless = false;
    for d in diagnostics.iter().filter(|d| d.code == "syntax") {
        let first = broken.entry(line(d)).or_insert(d.span.start);
        *first = (*first).min(d.span.start);
        nameless |= d.message.starts_with("the name of ");
    }
    if broken.is_empty() {
        return;
    }
    let words = Words::of(project, broken.keys().copied());
    let decls = broken_declarations(diagnostics, project, tree);
    let later = later_of_structure(diagnostics, &decls, project);
    let loses_its_round = diagnostics.iter().any(|d| d.code == "syntax" && is_of_structure(&d.message));
    let text = |d: &Diagnostic| project.sources.get(d.span.file as usize).and_then(|s| s.text.get(d.span.range()));
    diagnostics.retain(|d| {
        let first = broken.get(&line(d));
        let inside = || decls.iter().any(|(file, at)| *file == d.span.file && at.contains(&(d.span.start as usize)));
        match (d.code, first) {
            ("syntax", first) => first == Some(&d.span.start) && !later.contains(&(d.span.file, d.span.start)),
            _ if d.severity != Severity::Error => true,
            (_, Some(_)) => false,
            ("unknown-tile", _) if words.signs => false,
            ("self-outside", _) if loses_its_round => false,
            (code, _) if LACKS.contains(&code) && inside() => false,
            (code, _) if UNKNOWN.contains(&code) => {
                let mut named = text(d).unwrap_or_default().split(|c: char| !(c.is_alphanumeric() || c == '_'));
                !(nameless || named.any(|w| words.names.contains(w)))
            }
            _ => true,
        }
    });
}

/// True of an error about where something begins or ends.
fn is_of_structure(message: &str) -> bool {
    let says = [
        "has no such line",
        "begins no action",
        "begins no declaration",
        "should end here",
        "with which",
        "the closing",
    ];
    says.iter().any(|s| message.contains(s))
}

/// Errors about where something begins or ends that follow another such in the same declaration, or in the pieces that are
/// left behind it.
fn later_of_structure(
    diagnostics: &[Diagnostic],
    decls: &[(u16, Range<usize>)],
    project: &Project,
) -> FxHashSet<(u16, u32)> {
    let mut all: Vec<&Diagnostic> =
        diagnostics.iter().filter(|d| d.code == "syntax" && is_of_structure(&d.message)).collect();
    all.sort_by_key(|d| (d.span.file, d.span.start));
    let decl = |d: &Diagnostic| {
        decls.iter().position(|(f, at)| {
            *f == d.span.file && at.start <= d.span.start as usize && d.span.start as usize <= at.end
        })
    };
    // A piece: a brace, or what stands indented.
    let is_piece = |d: &Diagnostic| {
        let text = &project.sources[d.span.file as usize].text;
        let at = (d.span.start as usize).min(text.len());
        let begins_line = at == 0 || text.as_bytes()[at - 1] == b'\n';
        let is_word = text[at..].starts_with(|c: char| c.is_alphabetic());
        d.message.contains("begins no declaration") && !(begins_line && is_word)
    };
    let mut out = FxHashSet::default();
    let mut before: Option<&Diagnostic> = None;
    for d in all {
        let follows = before
            .is_some_and(|b| b.span.file == d.span.file && (is_piece(d) || decl(b).is_some() && decl(b) == decl(d)));
        if follows {
            out.insert((d.span.file, d.span.start));
        } else {
            before = Some(d);
        }
    }
    out
}

/// The names that stand on lines, and whether signs of tiles do.
#[derive(Default)]
struct Words<'t> {
    names: FxHashSet<&'t str>,
    signs: bool,
}

impl<'t> Words<'t> {
    fn of(project: &'t Project, lines: impl Iterator<Item = (u16, usize)>) -> Self {
        let mut out = Self::default();
        for (file, n) in lines {
            let (Some(source), Some(parse)) = (project.sources.get(file as usize), project.parses.get(file as usize))
            else {
                continue;
            };
            let start: usize = source.text.split_inclusive('\n').take(n.saturating_sub(1)).map(str::len).sum();
            let end = source.text[start..].find('\n').map_or(source.text.len(), |i| start + i);
            let from = parse.tokens.partition_point(|t: &Lexeme| t.start < start);
            for t in parse.tokens[from..].iter().take_while(|t| t.start < end) {
                match t.kind {
                    K::IDENT => drop(out.names.insert(&source.text[t.start..t.end])),
                    K::CHAR => out.signs = true,
                    _ => {}
                }
            }
        }
        out
    }
}

/// Where the declarations lie in which an error of grammar stands.
fn broken_declarations(diagnostics: &[Diagnostic], project: &Project, tree: &Node) -> Vec<(u16, Range<usize>)> {
    let at: Vec<(u16, usize)> =
        diagnostics.iter().filter(|d| d.code == "syntax").map(|d| (d.span.file, d.span.start as usize)).collect();
    let place = |n: &Node| {
        let bytes = n.bytes();
        let i = project.parts.partition_point(|p| p.start <= bytes.start).checked_sub(1)?;
        let part = project.parts[i];
        Some((part.file, bytes.start - part.start..bytes.end - part.start))
    };
    let all = tree.children().filter_map(|n| place(&n));
    all.filter(|(file, range)| at.iter().any(|(f, s)| f == file && range.start <= *s && *s <= range.end)).collect()
}
