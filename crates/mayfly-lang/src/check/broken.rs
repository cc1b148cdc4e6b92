//! What is broken where a text has errors: lines, declarations, and the names that may be meant by them.
//!
//! Not here: what is left out because of it ([`super::follow_ups`]).
//!
//! Invariant: the first error of a broken stretch follows from nothing.

use super::Told;
use super::files::Project;
use crate::diagnostic::{Diagnostic, Severity};
use crate::lexer::Lexeme;
use crate::parser::Breaks;
use crate::syntax::{Kind as K, Node};
use rustc_hash::{FxHashMap, FxHashSet};
use std::ops::Range;

/// Declarations on which all others rest: where one is wrong, what it declares is not known for sure.
const GROUND: [K; 7] =
    [K::LEVEL_DECL, K::TILES_DECL, K::AREA_DECL, K::ENUM_DECL, K::MESSAGE_DECL, K::CLOCK_DECL, K::ROUTINE_DECL];

/// Tokens of a stray piece that are looked at.
const MAX_STRAY: usize = 200;

/// A place of a file: its number and a byte.
pub(super) type At = (u16, u32);

pub(super) fn at(d: &Diagnostic) -> At {
    (d.span.file, d.span.start)
}

/// The file and the byte at which its line begins.
pub(super) fn line(d: &Diagnostic, project: &Project) -> At {
    let begin = project.sources.get(d.span.file as usize).map_or(0, |s| s.line_of(d.span.start as usize).1);
    (d.span.file, begin as u32)
}

/// What is broken where the grammar is wrong.
#[derive(Default)]
pub(super) struct Broken<'p> {
    /// Lines, each with the place of its first error.
    pub lines: FxHashMap<At, u32>,
    /// Lines of tiles, messages, clocks and their like with another error, each with the place of the first that stands for
    /// it: what they declare is not known for sure.
    pub ground: FxHashMap<At, At>,
    /// Lines on which a word of the language is taken as a name: that breaks what names it.
    pub reserved: FxHashSet<At>,
    /// Those words.
    reserved_words: FxHashSet<&'p str>,
    /// The names on broken lines, and whether the signs of tiles are not known for sure.
    names: FxHashSet<&'p str>,
    pub signs: bool,
    /// The names on the lines of [`Self::ground`].
    ground_names: FxHashSet<&'p str>,
    /// The names that a broken declaration declares, as far as it is known.
    pub declared: FxHashSet<&'p str>,
    /// Some name is missing where it is declared.
    nameless: bool,
    /// Somewhere it is not known where something begins or ends.
    pub structure: bool,
    /// Declarations with an error of grammar in them, in order.
    declarations: Vec<(u16, Range<u32>)>,
    /// Where each declaration begins, broken or not, in order.
    begins: Vec<At>,
    /// Errors that only follow from another.
    pub later: FxHashSet<At>,
}

impl<'p> Broken<'p> {
    pub fn of(diagnostics: &[Told], project: &'p Project, tree: &Node) -> Self {
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
        b.find_ground(diagnostics, project, tree);
        b.nameless = errors.iter().any(|at| kind(at) == Breaks::Name);
        b.read_lines(project);
        b.find_declarations(&errors, project, tree);
        let strays = errors.iter().filter(|at| kind(at) == Breaks::Stray);
        strays.for_each(|at| b.take_stray(*at, project));
        b.structure = errors.iter().any(|at| matches!(kind(at), Breaks::Structure | Breaks::Stray));
        b.find_later(&errors, kind, project);
        b
    }

    /// Which errors only follow from another: all behind one of structure in the same declaration, and the pieces that are
    /// left behind a broken one.
    fn find_later(&mut self, errors: &[At], kind: impl Fn(&At) -> Breaks, project: &Project) {
        let mut structure: Option<At> = None;
        let mut last: Option<At> = None;
        for at in errors {
            let inside = self.declaration(*at);
            let same = structure.is_some_and(|s| s.0 == at.0 && inside.is_some() && self.declaration(s) == inside);
            // A brace may close what was broken far before; any other piece follows what is broken directly.
            let closes = is_brace(project, *at);
            let behind = |last: At| last.0 == at.0 && (closes || self.begun(last) == self.begun(*at));
            if same || kind(at) == Breaks::Stray && is_piece(project, *at) && last.is_some_and(behind) {
                self.later.insert(*at);
            } else if matches!(kind(at), Breaks::Structure | Breaks::Stray) {
                structure = Some(*at);
            }
            last = Some(*at);
        }
    }

    /// True where a name on a line may be unknown only because of what is broken elsewhere.
    pub fn is_told(&self, name: &str, line: At) -> bool {
        let mut words = name.split(|c: char| !(c.is_alphanumeric() || c == '_'));
        let elsewhere = !self.ground.contains_key(&line);
        self.nameless || words.any(|w| self.names.contains(w) || elsewhere && self.ground_names.contains(w))
    }

    /// How many declarations begin before a place, of all files.
    fn begun(&self, at: At) -> usize {
        self.begins.partition_point(|begin| *begin <= at)
    }

    /// True where a word of the language that is taken as a name stands on that line, or begins the next: its use is read
    /// as the language's.
    pub fn names_reserved(&self, (file, start): At, project: &Project) -> bool {
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
        let broken = self.lines.keys().map(|at| (at, true));
        for ((file, begin), is_grammar) in broken.chain(self.ground.keys().map(|at| (at, false))) {
            let (Some(source), Some(parse)) = (project.sources.get(*file as usize), project.parses.get(*file as usize))
            else {
                continue;
            };
            let begin = *begin as usize;
            let end = source.text[begin..].find('\n').map_or(source.text.len(), |i| begin + i);
            let from = parse.tokens.partition_point(|t: &Lexeme| t.start < begin);
            for t in parse.tokens[from..].iter().take_while(|t| t.start < end) {
                match t.kind {
                    K::IDENT if is_grammar => drop(self.names.insert(&source.text[t.start..t.end])),
                    K::IDENT => drop(self.ground_names.insert(&source.text[t.start..t.end])),
                    K::CHAR => self.signs = true,
                    _ => {}
                }
            }
        }
    }

    /// Where what all else rests on has an error other than of grammar.
    fn find_ground(&mut self, diagnostics: &[Told], project: &'p Project, tree: &Node) {
        let is_of_maps = |d: &Diagnostic| matches!(d.code, "syntax" | "unknown-tile");
        let is_error = |d: &&Diagnostic| d.severity == Severity::Error && !is_of_maps(d) && !d.twice;
        let mut wrong: Vec<&Diagnostic> = diagnostics.iter().map(|d| &**d).filter(is_error).collect();
        if wrong.is_empty() {
            return;
        }
        wrong.sort_by_key(|d| at(d));
        for n in tree.children().filter(|n| GROUND.contains(&n.kind())) {
            // Of a routine that is what it takes.
            let part = if n.kind() == K::ROUTINE_DECL { n.child(K::PARAMS) } else { Some(n.clone()) };
            let Some((file, range)) = part.and_then(|p| place(project, &p)) else { continue };
            let from = wrong.partition_point(|d| at(d) < (file, range.start));
            let inside = &wrong[from..];
            let inside = &inside[..inside.partition_point(|d| at(d) < (file, range.end))];
            let Some(first) = inside.first().map(|d| at(d)) else { continue };
            for d in inside {
                // The lines of a clock name each other.
                let first = if n.kind() == K::CLOCK_DECL { first } else { at(d) };
                self.ground.entry(line(d, project)).or_insert(first);
            }
            self.take_names(&n, project);
        }
    }

    /// Which of the declarations hold an error.
    fn find_declarations(&mut self, errors: &[At], project: &'p Project, tree: &Node) {
        if errors.is_empty() {
            return;
        }
        let holds = |(file, range): &(u16, Range<u32>)| {
            let i = errors.partition_point(|e| *e < (*file, range.start));
            errors.get(i).is_some_and(|e| e.0 == *file && e.1 <= range.end)
        };
        let mut last: Option<(Node, (u16, Range<u32>))> = None;
        for n in tree.children() {
            let Some(at) = place(project, &n) else { continue };
            if n.kind() == K::BROKEN {
                // What is left behind a declaration may be a piece of it.
                if let Some((last, at)) = last.take().filter(|_| holds(&at)) {
                    self.declarations.push(at);
                    self.take_names(&last, project);
                }
                continue;
            }
            self.begins.push((at.0, at.1.start));
            if holds(&at) {
                self.declarations.push(at);
                self.take_names(&n, project);
                self.take_members(&n, project, holds);
                last = None;
            } else {
                last = Some((n, at));
            }
        }
        self.begins.sort_unstable();
        self.declarations.sort_unstable_by_key(|(file, range)| (*file, range.start));
    }

    /// The names that a broken declaration declares; a rule declares nothing that others name.
    fn take_names(&mut self, n: &Node, project: &'p Project) {
        if matches!(n.kind(), K::RULE | K::FIRST_OF) {
            return;
        }
        self.signs |= n.kind() == K::TILES_DECL;
        let names = n.all(K::NAME).into_iter().filter_map(|n| place(project, &n));
        let text = |(f, r): (u16, Range<u32>)| project.sources[f as usize].text.get(r.start as usize..r.end as usize);
        self.declared.extend(names.filter_map(text));
    }

    /// The names of a kind's variables and their like that are broken.
    fn take_members(&mut self, kind: &Node, project: &'p Project, holds: impl Fn(&(u16, Range<u32>)) -> bool) {
        let Some(body) = kind.child(K::BODY) else { return };
        let mut last: Option<Node> = None;
        for item in body.children() {
            let broken = place(project, &item).is_some_and(|at| holds(&at));
            if broken {
                let whose = if item.kind() == K::BROKEN { last.as_ref() } else { Some(&item) };
                whose.into_iter().for_each(|item| self.take_names(item, project));
            }
            last = Some(item);
        }
    }

    /// A stray piece: what it was to declare is one of its first two words, or stands in it.
    fn take_stray(&mut self, (file, start): At, project: &'p Project) {
        let (Some(source), Some(parse)) = (project.sources.get(file as usize), project.parses.get(file as usize))
        else {
            return;
        };
        let from = parse.tokens.partition_point(|t: &Lexeme| t.start < start as usize);
        let text = |t: &Lexeme| &source.text[t.start..t.end];
        let is_word = |t: &Lexeme| t.kind == K::IDENT;
        let line = parse.tokens[from..].iter().take_while(|t| t.kind != K::NEWLINE);
        let line: Vec<&Lexeme> = line.filter(|t| !t.kind.is_trivia()).take(4).collect();
        for (i, t) in line.iter().enumerate().take(2).filter(|(_, t)| is_word(t)) {
            let is_named = line.get(i + 1).is_none_or(|next| match next.kind {
                K::EQ | K::L_BRACE | K::L_PAREN | K::COLON => true,
                K::IDENT => matches!(text(next), "like" | "of" | "for" | "in" | "map"),
                _ => false,
            });
            if is_named {
                self.declared.insert(text(t));
            }
        }
        let block = parse.tokens[from..].iter().take(MAX_STRAY).take_while(|t| t.kind != K::R_BRACE);
        for t in block {
            self.signs |= t.kind == K::CHAR;
            if is_word(t) {
                self.names.insert(text(t));
            }
        }
    }

    /// The broken declaration in which a place lies.
    pub fn declaration(&self, (file, start): At) -> Option<usize> {
        let i = self.declarations.partition_point(|(f, at)| (*f, at.start) <= (file, start)).checked_sub(1)?;
        let (f, at) = &self.declarations[i];
        (*f == file && start <= at.end).then_some(i)
    }
}

/// Where a node of the tree of all files stands.
fn place(project: &Project, n: &Node) -> Option<(u16, Range<u32>)> {
    let bytes = n.bytes();
    let i = project.parts.partition_point(|p| p.start <= bytes.start).checked_sub(1)?;
    let part = project.parts[i];
    Some((part.file, (bytes.start - part.start) as u32..(bytes.end - part.start) as u32))
}

/// A brace that closes nothing.
fn is_brace(project: &Project, (file, start): At) -> bool {
    project.sources.get(file as usize).is_some_and(|s| s.text[start as usize..].starts_with('}'))
}

/// A piece that may be left behind a broken declaration: a brace, or what stands in a line.
fn is_piece(project: &Project, (file, start): At) -> bool {
    let Some(source) = project.sources.get(file as usize) else { return false };
    let start = (start as usize).min(source.text.len());
    let begins_line = source.line_of(start).1 == start;
    let is_word = source.text[start..].starts_with(|c: char| c.is_alphabetic());
    !(begins_line && is_word)
}
