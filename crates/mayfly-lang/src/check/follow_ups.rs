//! What is not told, since it only follows from a mistake that is: one mistake is one error.
//!
//! A line whose grammar is wrong is read as it was not meant. So its first error of grammar stands for the line, the names
//! on it count as declared, and of the declaration round it nothing is said to be missing.
//!
//! Invariant: an error is left out only where an error of grammar is told, and where that is mended it is told.

use super::files::Project;
use crate::diagnostic::{Diagnostic, Severity};
use crate::lexer::Lexeme;
use crate::parser::Breaks;
use crate::syntax::{Kind as K, Node, NodeExt};
use rustc_hash::{FxHashMap, FxHashSet};
use std::ops::Range;

/// What is said of names that nothing declares.
const UNKNOWN: [&str; 6] = ["unknown-name", "unknown-state", "no-kind", "kind-for-actor", "no-type", "no-value"];
/// What is said of something that lacks a part.
const LACKS: [&str; 7] = ["no-when", "no-then", "no-start", "no-return", "empty", "unknown-state", "no-self"];

/// Bytes of a line before and behind a place that are read.
const AROUND: usize = 2000;

/// How many further places one mistake shows.
const MAX_PLACES: usize = 3;

/// One mistake is told once: a name that is declared twice, or that is a word of the language, takes what is said about its
/// uses with it, and a name that is unknown at many places is one diagnostic that shows the first of them.
pub(super) fn once_each(all: &mut Vec<Diagnostic>, project: &Project) {
    let text = |d: &Diagnostic| {
        project.sources.get(d.span.file as usize).and_then(|f| f.text.get(d.span.range())).unwrap_or("").to_string()
    };
    // Whatever is said of a line in which such a name is used may be said because of it.
    let names_one = |d: &Diagnostic, names: &FxHashSet<String>| {
        let Some(source) = project.sources.get(d.span.file as usize) else { return false };
        let (_, begin) = source.line_of(d.span.start as usize);
        // Of a line without end the words right round the place.
        let near = |at: usize| (0..=at.min(source.text.len())).rev().find(|i| source.text.is_char_boundary(*i));
        let from = near((d.span.start as usize).saturating_sub(AROUND)).unwrap_or(0).max(begin);
        let to = near(d.span.end as usize + AROUND).unwrap_or(0).max(from);
        let line = source.text[from..to].lines().next().unwrap_or("");
        line.split(|c: char| !(c.is_alphanumeric() || c == '_')).any(|w| names.contains(w))
    };
    let twice: FxHashSet<String> = all.iter().filter(|d| d.twice).map(text).collect();
    if !twice.is_empty() {
        all.retain(|d| d.code == "name-taken" || !names_one(d, &twice));
    }
    let reserved: FxHashSet<String> = all.iter().filter(|d| d.code == "reserved-word").map(text).collect();
    if !reserved.is_empty() {
        all.retain(|d| d.code == "reserved-word" || !names_one(d, &reserved));
    }
    let mut first: FxHashMap<String, usize> = FxHashMap::default();
    let mut kept: Vec<Diagnostic> = Vec::with_capacity(all.len());
    for d in all.drain(..) {
        if d.code != "unknown-name" {
            kept.push(d);
            continue;
        }
        let at = *first.entry(d.message.clone()).or_insert(kept.len());
        match kept.get_mut(at) {
            None => kept.push(d),
            Some(k) if k.also.len() < MAX_PLACES && k.span.file == d.span.file && k.span != d.span => {
                k.also.push((d.span, "and here".into()));
            }
            Some(_) => {}
        }
    }
    *all = kept;
}

/// Takes away what follows from errors of grammar.
pub(super) fn leave_out(diagnostics: &mut Vec<Diagnostic>, project: &Project, tree: &Node) {
    if diagnostics.iter().all(|d| d.code != "syntax") {
        return;
    }
    let b = Broken::of(diagnostics, project, tree);
    let text = |d: &Diagnostic| project.sources.get(d.span.file as usize).and_then(|s| s.text.get(d.span.range()));
    diagnostics.retain(|d| {
        let line = line(d, project);
        let first = b.lines.get(&line);
        match (d.code, first) {
            ("reserved-word", _) => true,
            ("syntax", _) if b.reserved.contains(&line) || b.names_reserved(at(d), project) => false,
            ("syntax", first) => first == Some(&d.span.start) && !b.later.contains(&at(d)),
            _ if d.severity != Severity::Error => true,
            (_, Some(_)) => false,
            ("unknown-tile", _) if b.signs => false,
            ("self-outside", _) if b.structure => false,
            (code, _) if LACKS.contains(&code) && b.declaration(at(d)).is_some() => false,
            (code, _) if UNKNOWN.contains(&code) => {
                let mut named = text(d).unwrap_or_default().split(|c: char| !(c.is_alphanumeric() || c == '_'));
                !(b.nameless || named.any(|w| b.names.contains(w)))
            }
            _ => true,
        }
    });
}

/// A place of a file: its number and a byte.
type At = (u16, u32);

fn at(d: &Diagnostic) -> At {
    (d.span.file, d.span.start)
}

/// The file and the byte at which its line begins.
fn line(d: &Diagnostic, project: &Project) -> At {
    let begin = project.sources.get(d.span.file as usize).map_or(0, |s| s.line_of(d.span.start as usize).1);
    (d.span.file, begin as u32)
}

/// What is broken where the grammar is wrong.
#[derive(Default)]
struct Broken<'p> {
    /// Lines, each with the place of its first error.
    lines: FxHashMap<At, u32>,
    /// Lines on which a word of the language is taken as a name: that breaks what names it.
    reserved: FxHashSet<At>,
    /// Those words.
    reserved_words: FxHashSet<&'p str>,
    /// The names on broken lines, and whether signs of tiles stand there.
    names: FxHashSet<&'p str>,
    signs: bool,
    /// Some name is missing where it is declared.
    nameless: bool,
    /// Somewhere it is not known where something begins or ends.
    structure: bool,
    /// Declarations with an error of grammar in them, in order.
    declarations: Vec<(u16, Range<u32>)>,
    /// Errors of structure that follow another such in the same declaration, or in the pieces that are left behind it.
    later: FxHashSet<At>,
}

impl<'p> Broken<'p> {
    fn of(diagnostics: &[Diagnostic], project: &'p Project, tree: &Node) -> Self {
        let mut kinds: FxHashMap<At, Breaks> = FxHashMap::default();
        for (file, parse) in project.parses.iter().enumerate() {
            for e in &parse.errors {
                kinds.entry((file as u16, e.start as u32)).or_insert(e.breaks);
            }
        }
        let mut b = Self::default();
        let mut errors: Vec<At> = vec![];
        for d in diagnostics {
            match d.code {
                "reserved-word" => {
                    b.reserved.insert(line(d, project));
                    let source = project.sources.get(d.span.file as usize);
                    b.reserved_words.extend(source.and_then(|s| s.text.get(d.span.range())));
                }
                "syntax" => {
                    let first = b.lines.entry(line(d, project)).or_insert(d.span.start);
                    *first = (*first).min(d.span.start);
                    errors.push(at(d));
                }
                _ => {}
            }
        }
        errors.sort_unstable();
        let kind = |at: &At| kinds.get(at).copied().unwrap_or_default();
        b.nameless = errors.iter().any(|at| kind(at) == Breaks::Name);
        b.read_lines(project);
        b.find_declarations(&errors, project, tree);
        let structure: Vec<(At, bool)> = errors
            .iter()
            .filter_map(|at| match kind(at) {
                Breaks::Structure => Some((*at, false)),
                Breaks::Stray => Some((*at, is_piece(project, *at))),
                Breaks::Line | Breaks::Name => None,
            })
            .collect();
        b.structure = !structure.is_empty();
        let mut before: Option<At> = None;
        for (at, is_piece) in structure {
            let same = |before: At| {
                let (x, y) = (b.declaration(before), b.declaration(at));
                before.0 == at.0 && (is_piece || x.is_some() && x == y)
            };
            if before.is_some_and(same) {
                b.later.insert(at);
            } else {
                before = Some(at);
            }
        }
        b
    }

    /// True where a word of the language that is taken as a name stands on that line, or begins the next: its use is read
    /// as the language's.
    fn names_reserved(&self, (file, start): At, project: &Project) -> bool {
        let (Some(source), Some(parse)) = (project.sources.get(file as usize), project.parses.get(file as usize))
        else {
            return false;
        };
        if self.reserved_words.is_empty() {
            return false;
        }
        let begin = source.line_of(start as usize).1;
        let end = source.text[begin..].find('\n').map_or(source.text.len(), |i| begin + i);
        let from = parse.tokens.partition_point(|t: &Lexeme| t.start < begin);
        let until = from + parse.tokens[from..].partition_point(|t: &Lexeme| t.start < end);
        let next = parse.tokens[until..].iter().find(|t| !t.kind.is_trivia());
        let mut near = parse.tokens[from..until].iter().chain(next);
        near.any(|t| self.reserved_words.contains(&source.text[t.start..t.end]))
    }

    /// What stands on the broken lines.
    fn read_lines(&mut self, project: &'p Project) {
        for (file, begin) in self.lines.keys() {
            let (Some(source), Some(parse)) = (project.sources.get(*file as usize), project.parses.get(*file as usize))
            else {
                continue;
            };
            let begin = *begin as usize;
            let end = source.text[begin..].find('\n').map_or(source.text.len(), |i| begin + i);
            let from = parse.tokens.partition_point(|t: &Lexeme| t.start < begin);
            for t in parse.tokens[from..].iter().take_while(|t| t.start < end) {
                match t.kind {
                    K::IDENT => drop(self.names.insert(&source.text[t.start..t.end])),
                    K::CHAR => self.signs = true,
                    _ => {}
                }
            }
        }
    }

    /// Which of the declarations hold an error.
    fn find_declarations(&mut self, errors: &[At], project: &Project, tree: &Node) {
        let place = |n: &Node| {
            let bytes = n.bytes();
            let i = project.parts.partition_point(|p| p.start <= bytes.start).checked_sub(1)?;
            let part = project.parts[i];
            Some((part.file, (bytes.start - part.start) as u32..(bytes.end - part.start) as u32))
        };
        let holds = |(file, range): &(u16, Range<u32>)| {
            let i = errors.partition_point(|e| *e < (*file, range.start));
            errors.get(i).is_some_and(|e| e.0 == *file && e.1 <= range.end)
        };
        self.declarations = tree.children().filter_map(|n| place(&n)).filter(holds).collect();
        self.declarations.sort_unstable_by_key(|(file, range)| (*file, range.start));
    }

    /// The broken declaration in which a place lies.
    fn declaration(&self, (file, start): At) -> Option<usize> {
        let i = self.declarations.partition_point(|(f, at)| (*f, at.start) <= (file, start)).checked_sub(1)?;
        let (f, at) = &self.declarations[i];
        (*f == file && start <= at.end).then_some(i)
    }
}

/// A piece that may be left behind a broken declaration: a brace, or what stands in a line.
fn is_piece(project: &Project, (file, start): At) -> bool {
    let Some(source) = project.sources.get(file as usize) else { return false };
    let start = (start as usize).min(source.text.len());
    let begins_line = source.line_of(start).1 == start;
    let is_word = source.text[start..].starts_with(|c: char| c.is_alphabetic());
    !(begins_line && is_word)
}
