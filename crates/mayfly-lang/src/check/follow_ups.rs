//! What is not told, since it only follows from a mistake that is: one mistake is one error.
//!
//! A line whose grammar is wrong is read as it was not meant. So its first error of grammar stands for the line, the names
//! on it count as declared, and of the declaration round it nothing is said to be missing or never reached. Behind a brace too few or too
//! many the rest of a declaration is read anyhow, so nothing more is said of its grammar. What is wrong with tiles, messages,
//! clocks and their like makes what names them doubtful too.
//!
//! Not here: what is broken where ([`super::broken`]).
//!
//! Invariant: an error is left out only where another is told, and where that is mended it is told.

use super::Told;
use super::broken::{At, Broken, at, line};
use super::files::Project;
use crate::diagnostic::{Diagnostic, Severity};
use crate::syntax::Node;
use mayfly_base::Span;
use rustc_hash::{FxHashMap, FxHashSet};

/// What is said of names that nothing declares, or that stand for something else.
const UNKNOWN: [&str; 24] = [
    "unknown-name",
    "unknown-state",
    "unknown-kind",
    "unknown-word",
    "unknown-tile",
    "kind-for-actor",
    "bad-unit",
    "no-kind",
    "no-type",
    "no-value",
    "no-timer",
    "no-message",
    "no-machine",
    "no-tile",
    "no-area",
    "no-path",
    "no-clock",
    "no-routine",
    "no-function",
    "no-input",
    "no-zone",
    "no-tag",
    "no-pass",
    "no-variable",
];
/// Of those, what is said of a word that nothing at all declares: the same word elsewhere is the same mistake.
const UNKNOWN_ANYWHERE: [&str; 8] =
    ["unknown-name", "unknown-state", "no-kind", "no-message", "no-tile", "no-area", "no-clock", "no-timer"];
/// What is said of something that lacks a part.
const LACKS: [&str; 8] =
    ["no-when", "no-then", "no-start", "no-return", "empty", "unknown-state", "no-self", "name-hidden"];

/// Bytes of a line before and behind a place that are read.
const AROUND: usize = 300;

/// How many further places one mistake shows.
const MAX_PLACES: usize = 3;

/// One mistake is told once: a name that is declared twice, or that is a word of the language, takes what is said about its
/// uses with it, and a name that is unknown at many places is one diagnostic that shows the first of them.
pub(super) fn once_each(all: &mut Vec<Told>, project: &Project) {
    let text =
        |d: &Told| project.sources.get(d.span.file as usize).and_then(|f| f.text.get(d.span.range())).unwrap_or("");
    let twice: FxHashSet<&str> = all.iter().filter(|d| d.twice).map(text).collect();
    if !twice.is_empty() {
        all.retain(|d| d.code == "name-taken" || !names_one(d, &twice, project));
    }
    let reserved: FxHashSet<&str> = all.iter().filter(|d| d.code == "reserved-word").map(text).collect();
    if !reserved.is_empty() {
        all.retain(|d| d.code == "reserved-word" || !names_one(d, &reserved, project));
    }
    let mut first: FxHashMap<&str, usize> = FxHashMap::default();
    let mut kept: Vec<Told> = Vec::with_capacity(all.len());
    for d in all.drain(..) {
        if !UNKNOWN_ANYWHERE.contains(&d.code) {
            kept.push(d);
            continue;
        }
        let is_sign = |c: char| !(c.is_alphanumeric() || c == '_' || c == '#');
        let word = text(&d).split(is_sign).find(|w| !w.is_empty()).unwrap_or_else(|| text(&d));
        let at = *first.entry(word).or_insert(kept.len());
        match kept.get_mut(at) {
            None => kept.push(d),
            Some(k) if k.also.len() < MAX_PLACES && k.span.file == d.span.file && k.span != d.span => {
                k.to_mut().also.push((d.span, "and here".into()));
            }
            Some(_) => {}
        }
    }
    *all = kept;
}

/// True where the line of a place holds one of these names: whatever is said of it may be said because of that name.
fn names_one(d: &Diagnostic, names: &FxHashSet<&str>, project: &Project) -> bool {
    let Some(source) = project.sources.get(d.span.file as usize) else { return false };
    // Mostly it is what the error itself stands at.
    if source.text.get(d.span.range()).is_some_and(|word| names.contains(word)) {
        return true;
    }
    let (_, begin) = source.line_of(d.span.start as usize);
    // Of a line without end the words right round the place.
    let near = |at: usize| (0..=at.min(source.text.len())).rev().find(|i| source.text.is_char_boundary(*i));
    let from = near((d.span.start as usize).saturating_sub(AROUND)).unwrap_or(0).max(begin);
    let to = near(d.span.end as usize + AROUND).unwrap_or(0).max(from);
    let line = source.text[from..to].lines().next().unwrap_or("");
    line.split(|c: char| !(c.is_alphanumeric() || c == '_')).any(|w| names.contains(w))
}

/// That a name which is private to another file is not found is the same mistake.
pub(super) fn leave_out_private(diagnostics: &mut Vec<Told>) {
    let private: FxHashSet<Span> = diagnostics.iter().filter(|d| d.code == "private").map(|d| d.span).collect();
    if !private.is_empty() {
        diagnostics.retain(|d| d.code == "private" || !private.contains(&d.span));
    }
}

/// Takes away what follows from errors of grammar.
pub(super) fn leave_out(diagnostics: &mut Vec<Told>, project: &Project, tree: &Node) {
    if diagnostics.iter().all(|d| d.severity != Severity::Error) {
        return;
    }
    let b = Broken::of(diagnostics, project, tree);
    if b.lines.is_empty() && b.ground.is_empty() {
        return;
    }
    let text = |d: &Diagnostic| project.sources.get(d.span.file as usize).and_then(|s| s.text.get(d.span.range()));
    let mut told: FxHashSet<At> = FxHashSet::default();
    diagnostics.retain(|d| {
        let line = line(d, project);
        let first = b.lines.get(&line);
        match (d.code, first) {
            ("reserved-word", _) => true,
            ("syntax", _) if b.reserved.contains(&line) || b.names_reserved(at(d), project) => false,
            ("syntax", first) => first == Some(&d.span.start) && !b.later.contains(&at(d)),
            ("unreachable-state", _) => b.declaration(at(d)).is_none(),
            _ if d.severity != Severity::Error => true,
            (_, Some(_)) => false,
            ("unknown-tile", _) if b.signs => false,
            ("off-the-map", _) if b.structure => false,
            _ if b.structure && text(d).is_some_and(|t| t.starts_with('"')) && d.code == "unknown-name" => false,
            ("self-outside", _) if b.structure => false,
            _ if !b.ground.contains_key(&line) && names_one(d, &b.declared, project) => false,
            (code, _) if LACKS.contains(&code) && b.declaration(at(d)).is_some() => false,
            (code, _) if UNKNOWN.contains(&code) && b.is_told(text(d).unwrap_or_default(), line) => false,
            _ if b.ground.contains_key(&line) => b.ground[&line] == at(d) && told.insert(at(d)),
            _ => true,
        }
    });
}
