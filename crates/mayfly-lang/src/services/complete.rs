//! What can stand at a place of a text: the language's words and the level's names, each with one line about it and an
//! example.
//!
//! Invariant: every word that stands in a sound level is among what is proposed at its place (held over every word of every
//! example).

use super::context::{Block, Context, ValueSort, Want, context};
use super::words;
use crate::analysis::{Analysis, Symbol, SymbolId, SymbolKind};
use crate::types::Ty;
use mayfly_base::code::Attr;
use rustc_hash::FxHashSet;

/// One proposal.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Proposal {
    /// What is written.
    pub text: String,
    /// A symbol's kind; none for a word of the language.
    pub kind: Option<SymbolKind>,
    /// One line about it.
    pub about: String,
    /// How it is used; a symbol's declaration.
    pub example: String,
}

/// What can stand at a byte of a file, and from where to there the word under way begins. What fits best comes first.
pub fn complete(a: &Analysis, file: u16, at: usize) -> (Vec<Proposal>, std::ops::Range<usize>) {
    complete_text(a, file, &a.files[file as usize].text, at)
}

/// What can stand at a byte of another text, with the names of a level: of a prompt, or of a file that was changed since.
pub fn complete_text(a: &Analysis, file: u16, text: &str, at: usize) -> (Vec<Proposal>, std::ops::Range<usize>) {
    // What stands before the declaration under way says nothing of it: a long text is read from there alone.
    let from = begun_before(a, file, text, at);
    let c = context(&text[from..], at - from);
    let mut all = Gathered { a, file, at, c: &c, out: vec![], seen: FxHashSet::default() };
    c.wants.iter().for_each(|w| all.want(w));
    let mut out = all.out;
    let prefix = c.prefix.to_lowercase();
    out.retain(|p| fits(&prefix, &p.text.to_lowercase()));
    // What begins so comes before what only holds the letters.
    out.sort_by_key(|p| !p.text.to_lowercase().starts_with(&prefix));
    (out, at - c.prefix.len()..at)
}

/// The end of the last declaration that the text and the one that was read have in common before a place.
fn begun_before(a: &Analysis, file: u16, text: &str, at: usize) -> usize {
    let Some(f) = a.files.get(file as usize) else { return 0 };
    let same = f.text.bytes().zip(text[..at].bytes()).take_while(|(x, y)| x == y).count();
    let ends = f.tree().children().map(|n| n.range().end);
    // A declaration that ends where the texts part may go on in the other; of one that is broken nobody knows where it ends.
    let same = same.min(f.broken_from().unwrap_or(same));
    let end = ends.take_while(|e| *e < same).last().unwrap_or(0);
    if text.is_char_boundary(end) { end } else { 0 }
}

/// True where a value of that type is such a thing.
fn holds(ty: &Ty, held: ValueSort) -> bool {
    match held {
        ValueSort::Actor => matches!(ty, Ty::Actor(_)),
        ValueSort::Zone => matches!(ty, Ty::Zone(_)),
        ValueSort::Message => matches!(ty, Ty::Message(_)),
        ValueSort::Timer => *ty == Ty::Timer,
        ValueSort::Kind => *ty == Ty::Kind,
        ValueSort::Path => *ty == Ty::Path,
        ValueSort::Tile => *ty == Ty::Tile,
        ValueSort::Tag => *ty == Ty::Tag,
    }
}

/// True where the letters stand in a word, in order.
fn fits(letters: &str, word: &str) -> bool {
    let mut rest = word.chars();
    letters.chars().all(|l| rest.any(|c| c == l))
}

struct Gathered<'a> {
    a: &'a Analysis,
    file: u16,
    at: usize,
    c: &'a Context,
    out: Vec<Proposal>,
    seen: FxHashSet<String>,
}

impl Gathered<'_> {
    fn push(&mut self, text: &str, kind: Option<SymbolKind>, about: &str, example: &str) {
        if self.seen.insert(text.to_string()) {
            let (about, example) = (about.to_string(), example.to_string());
            self.out.push(Proposal { text: text.into(), kind, about, example });
        }
    }

    fn symbol(&mut self, s: &Symbol) {
        let declaration = self.a.text(s.whole).lines().next().unwrap_or("").trim_end();
        let about = if s.doc.is_empty() { s.kind.word() } else { &s.doc };
        self.push(&s.name, Some(s.kind), about, declaration);
    }

    fn symbols(&mut self, fits: impl Fn(&Symbol) -> bool) {
        let a = self.a;
        let mut found: Vec<&Symbol> = a.symbols.iter().map(|(_, s)| s).filter(|s| fits(s)).collect();
        found.sort_by(|x, y| x.name.cmp(&y.name));
        found.into_iter().for_each(|s| self.symbol(s));
    }

    fn want(&mut self, w: &Want) {
        match w {
            Want::Words(place) => words::at(*place).for_each(|w| self.push(w.word, None, w.about, w.example)),
            Want::Plain(list) => list.iter().for_each(|w| self.push(w, None, "", "")),
            Want::Names(kinds) => {
                let file = self.file;
                // Members are named by their kind; a state and an enum's value may stand alone.
                self.symbols(|s| {
                    let alone = s.of.is_none() || matches!(s.kind, SymbolKind::EnumValue | SymbolKind::Unit);
                    kinds.contains(&s.kind) && alone && (!s.private || s.at.file == file)
                });
                if kinds.contains(&SymbolKind::Actor) {
                    self.unnamed();
                }
                if kinds.contains(&SymbolKind::Area) && self.a.symbols.iter().any(|(_, s)| s.kind == SymbolKind::Area) {
                    self.push("main", None, "the main map", "main (3, 4)");
                }
                if *kinds == [SymbolKind::Variable] && matches!(self.c.blocks.last(), Some(Block::Machine(..))) {
                    self.own_kind().into_iter().for_each(|k| self.members(k));
                }
            }
            Want::Holding(held) => {
                let level = self.a.draft();
                let vars = level.vars.iter().map(|v| (&v.name, &v.ty));
                let fits: FxHashSet<&String> = vars
                    .chain(level.defines.iter().filter(|d| d.of.is_none()).map(|d| (&d.name, &d.ty)))
                    .filter(|(_, ty)| holds(ty.inner(), *held))
                    .map(|(name, _)| name)
                    .collect();
                self.symbols(|s| {
                    let value = matches!(s.kind, SymbolKind::Variable | SymbolKind::Define);
                    value && s.of.is_none() && fits.contains(&s.name)
                });
            }
            Want::Locals => {
                let (file, at) = (self.file, self.at);
                self.symbols(|s| {
                    let inside =
                        s.whole.file == file && (s.whole.start as usize) < at && at <= s.whole.end as usize + 1;
                    s.kind == SymbolKind::Local && inside && s.at.start as usize <= at
                });
            }
            Want::Fields(kind) => {
                let kind = self.a.symbols.global(self.file, kind);
                kind.into_iter().for_each(|k| self.members(k));
            }
            Want::States(of) => {
                let machine = match of {
                    None => self.machine_round(),
                    Some(chain) => self.thing(chain),
                };
                let machine = machine.filter(|m| self.a.symbols.get(*m).kind == SymbolKind::Machine);
                match (machine, of) {
                    (Some(m), _) => self.states_of(m),
                    // Whose machine it is, is not known: a state of any.
                    (None, Some(chain)) if chain.len() > 1 => self.symbols(|s| s.kind == SymbolKind::State),
                    _ => {}
                }
            }
            Want::Units(clock) => {
                let clock = self.a.symbols.global(self.file, clock);
                clock.into_iter().for_each(|c| self.members(c));
            }
            Want::Bases(own) => self.symbols(|s| s.kind == SymbolKind::Kind && s.name != *own),
            Want::Functions => crate::check::functions().for_each(|f| self.push(f, None, "a function", "")),
            Want::Members(chain) => self.after_dot(chain),
        }
    }

    /// `lamp#1` … of actors without names of their own.
    fn unnamed(&mut self) {
        let a = self.a;
        for actor in a.draft().actors.iter().filter(|x| x.name.contains('#')) {
            let kind = a.draft().kinds.get(actor.kind.index()).map_or("", |k| k.name.as_str());
            self.push(&actor.name, Some(SymbolKind::Actor), &format!("one {kind}"), "");
        }
    }

    /// What belongs to a symbol, and to those from which it derives.
    fn members(&mut self, of: SymbolId) {
        let a = self.a;
        let mut at = Some(of);
        for _ in 0..100 {
            let Some(id) = at else { return };
            self.symbols(|s| s.of == Some(id) && !matches!(s.kind, SymbolKind::Rule | SymbolKind::Local));
            at = a.symbols.base(id);
        }
    }

    fn states_of(&mut self, machine: SymbolId) {
        let a = self.a;
        let inside =
            |s: &Symbol| std::iter::successors(s.of, |of| a.symbols.get(*of).of).take(100).any(|of| of == machine);
        self.symbols(|s| s.kind == SymbolKind::State && inside(s));
    }

    /// The kind in whose braces, or for whose machine, the place is.
    fn own_kind(&self) -> Option<SymbolId> {
        let name = self.c.blocks.iter().rev().find_map(|b| match b {
            Block::Kind(k) => Some(k.clone()),
            Block::Machine(_, of) => of.clone(),
            _ => None,
        })?;
        self.a.symbols.global(self.file, &name)
    }

    fn machine_round(&self) -> Option<SymbolId> {
        let name = self.c.blocks.iter().rev().find_map(|b| match b {
            Block::Machine(name, _) => Some(name.clone()),
            _ => None,
        })?;
        let own = self.own_kind().and_then(|k| self.a.symbols.member(k, &name));
        own.or_else(|| self.a.symbols.global(self.file, &name))
    }

    /// The kind of whoever a name stands for.
    fn kind_of(&self, name: &str) -> Option<SymbolId> {
        let a = self.a;
        if name == "self" {
            return self.own_kind();
        }
        if let Some((kind, _)) = name.split_once('#') {
            return a.symbols.global(self.file, kind);
        }
        if let Some((_, kind)) = self.c.bound.iter().rev().find(|(n, _)| n == name) {
            return a.symbols.global(self.file, kind);
        }
        let id = a.symbols.global(self.file, name)?;
        let level = a.draft();
        let kind = match a.symbols.get(id).kind {
            SymbolKind::Actor => level.actors.iter().find(|x| x.name == name).map(|x| x.kind),
            SymbolKind::Zone => level.zones.iter().find(|z| z.name == name).and_then(|z| z.kind),
            _ => return Some(id),
        };
        a.symbols.global(self.file, &level.kinds.get(kind?.index())?.name)
    }

    /// What names with dots between lead to.
    fn thing(&self, chain: &[String]) -> Option<SymbolId> {
        let (first, rest) = chain.split_first()?;
        if rest.is_empty() {
            return self.a.symbols.global(self.file, first);
        }
        let mut at = self.kind_of(first)?;
        for name in rest {
            at = self.a.symbols.member(at, name)?;
        }
        Some(at)
    }

    fn after_dot(&mut self, chain: &[String]) {
        let a = self.a;
        let of = match chain {
            [one] => self.kind_of(one),
            [] => None,
            more => self.thing(more),
        };
        let kind = of.map(|of| a.symbols.get(of).kind);
        match (of, kind) {
            (Some(of), Some(SymbolKind::Enum | SymbolKind::Records)) => self.members(of),
            (Some(of), Some(SymbolKind::Clock)) => {
                self.members(of);
                ["speed", "run"].iter().for_each(|w| self.push(w, None, "", ""));
            }
            (_, Some(SymbolKind::Timer)) => ["left", "running"].iter().for_each(|w| self.push(w, None, "", "")),
            (Some(of), Some(SymbolKind::Machine)) => self.states_of(of),
            (Some(of), Some(SymbolKind::State)) => self.members(of),
            (Some(of), Some(SymbolKind::Kind)) => {
                self.members(of);
                self.attributes();
            }
            _ => {
                // Whose members these are is not known before the text is whole.
                self.symbols(|s| {
                    s.of.is_some() && !matches!(s.kind, SymbolKind::Rule | SymbolKind::Local | SymbolKind::EnumValue)
                });
                ["push", "add", "remove", "clear", "x", "y"].iter().for_each(|w| self.push(w, None, "", ""));
                self.attributes();
            }
        }
    }

    fn attributes(&mut self) {
        for (name, _) in Attr::ALL {
            let about = words::at(words::Place::Kind).find(|w| w.word == name).map_or("", |w| w.about);
            self.push(name, None, about, "");
        }
    }
}
