//! Everything that a level's files declare, each with its place, its words and what holds it.
//!
//! Not here: where a symbol is used ([`super::uses`]).
//!
//! Invariant: ids are stable over texts that declare the same in the same order; of two declarations of one name in one
//! place the first is the symbol, and the other counts as a use of it.

use super::File;
use crate::ast::{self, AstNode};
use crate::syntax::{Kind as K, Node};
use mayfly_base::Span;
use rustc_hash::FxHashMap;

/// A symbol's number: kinds and what they hold first, then in order of the files and their text.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct SymbolId(pub u32);

/// What a symbol is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum SymbolKind {
    Variable,
    Constant,
    Define,
    Enum,
    EnumValue,
    Kind,
    Actor,
    Zone,
    Message,
    Input,
    Timer,
    Tile,
    Tag,
    Machine,
    State,
    Table,
    Clock,
    Unit,
    Path,
    Area,
    Records,
    Column,
    Routine,
    Rule,
    /// A parameter, a `let`, a name that an event or a loop binds.
    Local,
}

impl SymbolKind {
    /// Its word on the screen, without an article.
    pub fn word(self) -> &'static str {
        match self {
            Self::Variable => "variable",
            Self::Constant => "constant",
            Self::Define => "computed value",
            Self::Enum => "enum",
            Self::EnumValue => "enum value",
            Self::Kind => "kind",
            Self::Actor => "actor",
            Self::Zone => "zone",
            Self::Message => "message",
            Self::Input => "input",
            Self::Timer => "timer",
            Self::Tile => "tile",
            Self::Tag => "tag",
            Self::Machine => "machine",
            Self::State => "state",
            Self::Table => "table",
            Self::Clock => "clock",
            Self::Unit => "unit of a clock",
            Self::Path => "path",
            Self::Area => "area",
            Self::Records => "records",
            Self::Column => "column of records",
            Self::Routine => "routine",
            Self::Rule => "rule",
            Self::Local => "local name",
        }
    }
}

/// One declared thing.
#[derive(Clone, Debug)]
pub struct Symbol {
    pub kind: SymbolKind,
    pub name: String,
    /// Where its name stands; of a rule the whole title with its quotes.
    pub at: Span,
    /// Its whole declaration.
    pub whole: Span,
    /// Its `///` lines.
    pub doc: String,
    /// The kind, machine, enum, clock, rule … that it belongs to.
    pub of: Option<SymbolId>,
    /// Found in its own file alone.
    pub private: bool,
}

/// The declarations of all files, and how they are found.
#[derive(Clone, Debug, Default)]
pub struct Symbols {
    pub(super) all: Vec<Symbol>,
    /// How many of them are no locals: those come last, in order of the files and their text.
    pub(super) lasting: usize,
    /// How many names declare what lasts.
    pub(super) lasting_declared: usize,
    globals: FxHashMap<String, SymbolId>,
    private: FxHashMap<(u16, String), SymbolId>,
    members: FxHashMap<SymbolId, FxHashMap<String, SymbolId>>,
    by_name: FxHashMap<String, Vec<SymbolId>>,
    /// The symbol that a declaration's node begins, by its place.
    pub(super) owners: FxHashMap<Span, SymbolId>,
    /// What a rule, a routine or a part of a state binds, by its place.
    pub(super) locals: FxHashMap<Span, Vec<(String, SymbolId)>>,
    /// Names that stand where they declare: they are uses of their own symbol.
    pub(super) declared: Vec<(Span, SymbolId)>,
    /// The kind from which each derives.
    pub(super) like: FxHashMap<SymbolId, SymbolId>,
}

impl Symbols {
    pub(super) fn of(files: &[File]) -> Self {
        let mut s = Self::default();
        // Kinds first: a machine may be declared for one that stands behind it.
        for kinds in [true, false] {
            for (n, f) in files.iter().enumerate() {
                for node in f.tree().children().filter(|c| (c.kind() == K::KIND_DECL) == kinds) {
                    let of = ast::MachineDecl::cast(&node).and_then(|m| m.of());
                    let of = of.and_then(|k| s.global(n as u16, k.word()));
                    s.declaration(n as u16, &node, of);
                }
            }
        }
        s
    }

    pub fn get(&self, id: SymbolId) -> &Symbol {
        &self.all[id.0 as usize]
    }

    /// All of them in order.
    pub fn iter(&self) -> impl Iterator<Item = (SymbolId, &Symbol)> {
        self.all.iter().enumerate().map(|(i, s)| (SymbolId(i as u32), s))
    }

    /// What a bare name stands for in a file.
    pub fn global(&self, file: u16, name: &str) -> Option<SymbolId> {
        let private = || self.private.get(&(file, name.to_string()));
        let found = if self.private.is_empty() { None } else { private() };
        found.or_else(|| self.globals.get(name)).copied()
    }

    /// What a name stands for inside a symbol, or inside the kinds from which it derives.
    pub fn member(&self, of: SymbolId, name: &str) -> Option<SymbolId> {
        let mut at = Some(of);
        let mut steps = 0;
        while let Some(id) = at.filter(|_| steps < 100) {
            if let Some(found) = self.members.get(&id).and_then(|m| m.get(name)) {
                return Some(*found);
            }
            at = self.like.get(&id).copied();
            steps += 1;
        }
        None
    }

    /// The kind from which a kind derives.
    pub fn base(&self, id: SymbolId) -> Option<SymbolId> {
        self.like.get(&id).copied()
    }

    /// The one symbol of that name that `fits`, locals apart; none where there are several.
    pub(super) fn only(&self, name: &str, fits: impl Fn(&Symbol) -> bool) -> Option<SymbolId> {
        let mut found = self.by_name.get(name)?.iter().filter(|id| fits(self.get(**id)));
        let first = found.next()?;
        found.next().is_none().then_some(*first)
    }

    /// The symbol that a node declares.
    pub(super) fn owner(&self, file: u16, n: &Node) -> Option<SymbolId> {
        self.owners.get(&span(file, n)).copied()
    }

    fn add(&mut self, file: u16, kind: SymbolKind, name: &Node, whole: &Node, of: Option<SymbolId>) -> SymbolId {
        self.add_at(file, kind, name.word().to_string(), span(file, name), whole, of)
    }

    fn add_at(
        &mut self,
        file: u16,
        kind: SymbolKind,
        name: String,
        at: Span,
        whole: &Node,
        of: Option<SymbolId>,
    ) -> SymbolId {
        let known = match of {
            Some(of) => self.members.get(&of).and_then(|m| m.get(&name)).copied(),
            None => self.global(file, &name).filter(|_| kind != SymbolKind::Rule),
        };
        let whole_at = span(file, whole);
        if let Some(known) = known.filter(|k| self.get(*k).kind == kind) {
            self.declared.push((at, known));
            self.owners.entry(whole_at).or_insert(known);
            return known;
        }
        let id = SymbolId(self.all.len() as u32);
        let private = of.is_none() && whole.word() == "private";
        let doc = crate::check::doc_of(whole);
        self.all.push(Symbol { kind, name: name.clone(), at, whole: whole_at, doc, of, private });
        self.declared.push((at, id));
        self.owners.entry(whole_at).or_insert(id);
        self.by_name.entry(name.clone()).or_default().push(id);
        match of {
            Some(of) => drop(self.members.entry(of).or_default().insert(name, id)),
            None if kind == SymbolKind::Rule => {}
            None if private => drop(self.private.insert((file, name), id)),
            None => drop(self.globals.entry(name).or_insert(id)),
        }
        id
    }

    fn declaration(&mut self, file: u16, n: &Node, of: Option<SymbolId>) {
        use SymbolKind as S;
        let kind = match n.kind() {
            K::VAR_DECL => S::Variable,
            K::CONST_DECL => S::Constant,
            K::DEFINE_DECL => S::Define,
            K::ENUM_DECL => S::Enum,
            K::KIND_DECL => S::Kind,
            K::PLACE_DECL => S::Actor,
            K::ZONE_DECL => S::Zone,
            K::MESSAGE_DECL => S::Message,
            K::INPUT_DECL => S::Input,
            K::TIMER_DECL => S::Timer,
            K::TABLE_DECL => S::Table,
            K::CLOCK_DECL => S::Clock,
            K::PATH_DECL => S::Path,
            K::AREA_DECL => S::Area,
            K::RECORDS_DECL => S::Records,
            K::ROUTINE_DECL => S::Routine,
            K::MACHINE_DECL => S::Machine,
            K::STATE_DECL => S::State,
            K::TAG_DECL => {
                for name in n.all(K::NAME) {
                    self.add(file, S::Tag, &name, n, of);
                }
                return;
            }
            K::TILES_DECL => {
                for row in n.all(K::TILE_ROW) {
                    let Some(tile) = row.child(K::NAME) else { continue };
                    self.add(file, S::Tile, &tile, &row, None);
                    // A tag that stands here is declared by it.
                    let tokens = row.own_tokens();
                    let mut tokens = tokens.filter(|t| !t.kind().is_trivia()).skip_while(|t| t.text() != "tagged");
                    while tokens.next().is_some_and(|t| t.text() == "tagged" || t.kind() == K::COMMA)
                        && let Some(tag) = tokens.next().filter(|t| t.kind() == K::IDENT)
                    {
                        self.add_at(file, S::Tag, tag.text().into(), token_span(file, &tag), &row, None);
                    }
                }
                return;
            }
            K::RULE => {
                self.rule(file, n, of);
                return;
            }
            K::FIRST_OF => {
                n.all(K::RULE).iter().for_each(|r| self.rule(file, r, of));
                return;
            }
            K::WHEREVER => {
                n.children().for_each(|c| self.declaration(file, &c, of));
                return;
            }
            _ => return,
        };
        let Some(name) = n.child(K::NAME) else { return };
        let id = self.add(file, kind, &name, n, of);
        match kind {
            S::Enum => {
                for value in n.all(K::NAME).into_iter().skip(1) {
                    self.add(file, S::EnumValue, &value, &value, Some(id));
                }
            }
            S::Kind => {
                let body = n.child(K::BODY);
                body.iter().flat_map(|b| b.children()).for_each(|c| self.declaration(file, &c, Some(id)));
            }
            S::Machine | S::State => n.children().for_each(|c| self.declaration(file, &c, Some(id))),
            S::Records => {
                let params = n.child(K::PARAMS).map(|p| p.all(K::PARAM)).unwrap_or_default();
                for p in params {
                    if let Some(c) = p.child(K::NAME) {
                        self.add(file, S::Column, &c, &p, Some(id));
                    }
                }
            }
            S::Message => {
                let params = n.child(K::PARAMS).map(|p| p.all(K::PARAM)).unwrap_or_default();
                for p in params {
                    if let Some(c) = p.child(K::NAME) {
                        self.add(file, S::Local, &c, &p, Some(id));
                    }
                }
            }
            S::Clock => self.units(file, n, id),
            _ => {}
        }
    }

    /// A clock's units, and the enum of the names of their values, which is called as the unit.
    fn units(&mut self, file: u16, n: &Node, clock: SymbolId) {
        for item in n.all(K::CLOCK_ITEM) {
            let words: Vec<_> = item.own_tokens().filter(|t| t.kind() == K::IDENT).collect();
            let [unit, rest @ ..] = words.as_slice() else { continue };
            if matches!(unit.text(), "speed" | "starts") {
                continue;
            }
            let id =
                self.add_at(file, SymbolKind::Unit, unit.text().into(), token_span(file, unit), &item, Some(clock));
            for value in rest.iter().filter(|t| t.text() != "named") {
                let (name, at) = (value.text().to_string(), token_span(file, value));
                self.add_at(file, SymbolKind::EnumValue, name, at, &item, Some(id));
            }
        }
    }

    fn rule(&mut self, file: u16, n: &Node, of: Option<SymbolId>) {
        let Some(t) = n.tok(K::TEXT) else { return };
        self.add_at(file, SymbolKind::Rule, title(t.text()), token_span(file, &t), n, of);
    }

    /// Gives the rule of a node the title that it has now; none where another of the same kind has it.
    pub(super) fn retitle(&mut self, file: u16, n: &Node) -> Option<()> {
        let Some(token) = n.tok(K::TEXT).filter(|_| n.kind() == K::RULE) else { return Some(()) };
        let id = self.owner(file, n)?;
        let (new, of) = (title(token.text()), self.get(id).of);
        // What was replaced may begin inside the title and end behind it.
        let at = token_span(file, &token);
        self.all[id.0 as usize].at = at;
        self.declared.iter_mut().filter(|(_, other)| *other == id).for_each(|(place, _)| *place = at);
        let old = std::mem::replace(&mut self.all[id.0 as usize].name, new.clone());
        if old == new {
            return Some(());
        }
        if let Some(of) = of {
            let members = self.members.entry(of).or_default();
            members.remove(&old);
            if members.insert(new.clone(), id).is_some() {
                return None;
            }
        }
        self.by_name.entry(old).or_default().retain(|other| *other != id);
        self.by_name.entry(new).or_default().push(id);
        Some(())
    }

    /// A name that is bound inside a rule, a routine or a part of a state: one for each name in each of them.
    pub(super) fn local(&mut self, file: u16, name: &str, at: Span, owner: &Node) -> SymbolId {
        if let Some(known) = self.local_of(file, name, owner) {
            self.declared.push((at, known));
            return known;
        }
        let id = SymbolId(self.all.len() as u32);
        let of = owner.ancestors().find_map(|n| self.owner(file, &n));
        let (name, whole) = (name.to_string(), span(file, owner));
        self.locals.entry(whole).or_default().push((name.clone(), id));
        self.all.push(Symbol { kind: SymbolKind::Local, name, at, whole, doc: String::new(), of, private: false });
        self.declared.push((at, id));
        id
    }

    /// The local of that name of an owner.
    pub(super) fn local_of(&self, file: u16, name: &str, owner: &Node) -> Option<SymbolId> {
        let all = self.locals.get(&span(file, owner))?;
        all.iter().find(|(n, _)| n == name).map(|(_, id)| *id)
    }
}

/// The words of a title, without its quotes.
fn title(token: &str) -> String {
    token.trim_matches('"').to_string()
}

/// The place of a node, spaces round it left out.
pub(super) fn span(file: u16, n: &Node) -> Span {
    let b = n.bytes();
    Span::new(file, b.start, b.end)
}

pub(super) fn token_span(file: u16, t: &crate::syntax::Token) -> Span {
    let r = t.range();
    Span::new(file, r.start, r.end)
}
