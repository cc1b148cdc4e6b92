//! Which symbol each name of a text stands for.
//!
//! A name is looked for as the checker does: a local, what its place expects, what the level declares. Where a member's
//! name is that of several kinds, the type of what stands before the dot decides.
//!
//! Invariant: uses do not overlap and are in order of place; every name that declares is a use of its own symbol. That
//! renaming by them changes no meaning is held by a property test.

use super::File;
use super::symbols::{SymbolId, SymbolKind as S, Symbols, span, token_span};
use crate::ast::{self, AstNode};
use crate::check::Found;
use crate::level::Level;
use crate::syntax::{Element, Kind as K, Node, Token};
use crate::types::Ty;
use mayfly_base::*;
use rustc_hash::FxHashMap;
use std::cell::Cell;

/// A name in the text, and what it stands for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Use {
    /// The name itself; of an unnamed actor such as `lamp#2` the kind's name alone; of a title with its quotes.
    pub at: Span,
    pub symbol: SymbolId,
    /// It is declared here.
    pub declares: bool,
}

/// Reads all uses of all files.
pub(super) fn all(files: &[File], symbols: &mut Symbols, found: &Found) -> Vec<Use> {
    derive(files, symbols);
    (symbols.lasting, symbols.lasting_declared) = (symbols.all.len(), symbols.declared.len());
    for (n, f) in files.iter().enumerate() {
        locals(n as u16, &f.tree(), symbols);
    }
    let declared: FxHashMap<Span, SymbolId> = symbols.declared.iter().copied().collect();
    let mut uses: Vec<Use> =
        declared.iter().map(|(at, symbol)| Use { at: *at, symbol: *symbol, declares: true }).collect();
    for (n, f) in files.iter().enumerate() {
        uses.append(&mut read(n as u16, &f.tree(), symbols, found, &declared));
    }
    in_order(uses)
}

/// The names in a node that do not declare; `declared` has the places of those that do.
pub(super) fn read(
    file: u16,
    root: &Node,
    symbols: &Symbols,
    found: &Found,
    declared: &FxHashMap<Span, SymbolId>,
) -> Vec<Use> {
    let mut reader = Reader { file, symbols, found, declared, uses: vec![], last: Cell::default() };
    reader.walk(root);
    reader.uses
}

/// In order of place; where a name declares, it is no other use.
pub(super) fn in_order(mut uses: Vec<Use>) -> Vec<Use> {
    uses.sort_by_key(|u| (u.at, !u.declares));
    uses.dedup_by_key(|u| u.at);
    uses
}

/// Which kind derives from which.
fn derive(files: &[File], symbols: &mut Symbols) {
    for (n, f) in files.iter().enumerate() {
        for k in f.tree().children().filter(|c| c.kind() == K::KIND_DECL) {
            let base = ast::KindDecl::cast(&k).and_then(|k| k.like()).and_then(|b| symbols.global(n as u16, b.word()));
            if let (Some(id), Some(base)) = (symbols.owner(n as u16, &k), base) {
                symbols.like.insert(id, base);
            }
        }
    }
}

/// What holds locals of its own.
fn owns_locals(n: &Node) -> bool {
    matches!(n.kind(), K::RULE | K::ROUTINE_DECL | K::TRANSITION | K::ENTER_BLOCK | K::LEAVE_BLOCK | K::LOOP_BLOCK)
}

fn owner_of(n: &Node) -> Option<Node> {
    n.ancestors().find(owns_locals)
}

/// Finds every name that a rule, a routine or a part of a state binds.
pub(super) fn locals(file: u16, root: &Node, symbols: &mut Symbols) {
    let may_bind = |k| matches!(k, K::LET_STMT | K::FOR_STMT | K::WHO | K::STMT | K::PARAM | K::EV_MESSAGE);
    for n in root.descendants_of(may_bind).filter_map(Element::into_node) {
        let name = match n.kind() {
            K::LET_STMT | K::FOR_STMT | K::WHO => n.child(K::NAME),
            K::STMT if n.has_word("as") => n.child(K::NAME),
            K::PARAM if n.parent().and_then(|p| p.parent()).is_some_and(|p| p.kind() == K::ROUTINE_DECL) => {
                n.child(K::NAME)
            }
            K::EV_MESSAGE => {
                let args = n.child(K::CALL_EXPR).and_then(|c| c.child(K::ARGS)).map(|a| a.exprs()).unwrap_or_default();
                for a in args.iter().filter(|a| a.kind() == K::NAME_EXPR) {
                    let word = a.word();
                    if symbols.global(file, word).is_none()
                        && let Some(owner) = owner_of(&n)
                    {
                        symbols.local(file, word, span(file, a), &owner);
                    }
                }
                None
            }
            _ => None,
        };
        let (Some(name), Some(owner)) = (name, owner_of(&n)) else { continue };
        symbols.local(file, name.word(), span(file, &name), &owner);
    }
}

struct Reader<'a> {
    file: u16,
    symbols: &'a Symbols,
    found: &'a Found,
    declared: &'a FxHashMap<Span, SymbolId>,
    uses: Vec<Use>,
    /// Where the last type stood that was asked for.
    last: Cell<usize>,
}

impl Reader<'_> {
    fn type_of(&self, n: &Node) -> Option<&Ty> {
        self.found.types.get_near(&span(self.file, n), &self.last)
    }

    fn walk(&mut self, root: &Node) {
        let may_name = |k| matches!(k, K::NAME | K::NAME_EXPR | K::ACTOR_REF | K::TEXT | K::IDENT);
        for e in root.descendants_of(may_name) {
            match e {
                Element::Node(n) => self.node(&n),
                Element::Token(t) => self.token(&t),
            }
        }
    }

    fn note(&mut self, at: Span, symbol: Option<SymbolId>) {
        if let Some(symbol) = symbol.filter(|_| !self.declared.contains_key(&at)) {
            self.uses.push(Use { at, symbol, declares: false });
        }
    }

    fn node(&mut self, n: &Node) {
        let at = span(self.file, n);
        match n.kind() {
            K::NAME => {
                let symbol = self.name(n);
                self.note(at, symbol);
            }
            K::NAME_EXPR if n.tok(K::IDENT).is_some() => {
                let symbol = self.bare(n, n.word());
                self.note(at, symbol);
            }
            _ => {}
        }
    }

    fn token(&mut self, t: &Token) {
        let at = token_span(self.file, t);
        match t.kind() {
            K::ACTOR_REF => {
                let kind = t.text().split('#').next().unwrap_or_default();
                let at = Span::new(self.file, at.start as usize, at.start as usize + kind.len());
                let symbol = self.symbols.global(self.file, kind);
                self.note(at, symbol);
            }
            K::TEXT => {
                let switches = |p: &Node| matches!(p.word(), "enable" | "disable") && p.has_word("rule");
                let of_rule = t.parent().is_some_and(|p| p.kind() == K::STMT && switches(&p));
                if of_rule {
                    let title = t.text().trim_matches('"');
                    let symbol = self.symbols.only(title, |s| s.kind == S::Rule);
                    self.note(at, symbol);
                }
            }
            K::IDENT => {
                let symbol = match t.parent_kind() {
                    Some(K::SHAPE_NAME) => self.symbols.global(self.file, t.text()),
                    Some(K::TYPE) => {
                        let of_type = |s: &SymbolId| {
                            matches!(self.symbols.get(*s).kind, S::Enum | S::Kind | S::Records | S::Machine)
                        };
                        self.symbols.global(self.file, t.text()).filter(of_type)
                    }
                    Some(K::CLOCK_ITEM | K::PART) => t.parent().and_then(|p| self.unit(&p, t)),
                    _ => None,
                };
                self.note(at, symbol);
            }
            _ => {}
        }
    }

    /// A unit of a clock: in the clock itself, in `advance`, `set` and `passes`.
    fn unit(&self, p: &Node, t: &Token) -> Option<SymbolId> {
        let clock = match p.kind() {
            K::CLOCK_ITEM => self.symbols.owner(self.file, &p.parent()?),
            _ => {
                let stmt = p.parent().filter(|s| s.kind() == K::STMT && matches!(s.word(), "advance" | "set"))?;
                self.symbols.global(self.file, stmt.child(K::NAME)?.word())
            }
        }?;
        let value = || {
            let of_clock = |s: &super::Symbol| s.of.is_some_and(|unit| self.symbols.get(unit).of == Some(clock));
            self.symbols.only(t.text(), |s| s.kind == S::EnumValue && of_clock(s))
        };
        self.symbols.member(clock, t.text()).or_else(value)
    }

    fn name(&self, n: &Node) -> Option<SymbolId> {
        let (word, parent) = (n.word(), n.parent()?);
        match parent.kind() {
            K::MEMBER_EXPR => self.member(&parent, word),
            K::NEEDS => self.symbols.member(self.kind_round(n)?, word),
            K::PART if parent.word() == "start" => self.state_round(n, word),
            K::TRANSITION | K::ONE_OF_ROW => self.state_round(n, word),
            K::EVENT if parent.children().any(|c| c.kind() == K::VERB && c.word() == "passes") => {
                let clock = parent.child(K::WHO)?.expr()?;
                self.symbols.member(self.symbols.global(self.file, clock.word())?, word)
            }
            _ => self.symbols.global(self.file, word),
        }
    }

    /// A name that stands alone.
    fn bare(&self, n: &Node, word: &str) -> Option<SymbolId> {
        let parent = n.parent();
        if let Some(found) = parent.as_ref().and_then(|p| self.placed(n, p, word)) {
            return Some(found);
        }
        let owner = n.ancestors().find(owns_locals);
        if let Some(local) = owner.and_then(|o| self.symbols.local_of(self.file, word, &o)) {
            return Some(local);
        }
        let ty = self.type_of(n);
        match ty {
            Some(Ty::Enum(e)) => {
                if let Some(value) = self.enum_value(*e, word) {
                    return Some(value);
                }
            }
            Some(Ty::State(m)) if self.symbols.global(self.file, word).is_none() => return self.state_of(*m, word),
            _ => {}
        }
        self.symbols
            .global(self.file, word)
            .or_else(|| self.symbols.only(word, |s| s.kind == S::EnumValue))
            // A direction or a colour is no state of that name.
            .or_else(|| self.symbols.only(word, |s| s.kind == S::State && !matches!(ty, Some(Ty::Enum(_)))))
    }

    /// What the place of a name says about it.
    fn placed(&self, n: &Node, parent: &Node, word: &str) -> Option<SymbolId> {
        match parent.kind() {
            // `place lamp … { lit = true }`: a variable of that kind.
            K::ASSIGN_STMT if parent.exprs().first() == Some(n) => {
                let decl = parent.parent().filter(|b| b.kind() == K::BODY)?.parent()?;
                let kind = decl.expr()?;
                let of = self.symbols.global(self.file, kind.word())?;
                self.symbols.member(of, word)
            }
            K::BINARY_EXPR if parent.has_word("is") && parent.exprs().get(1) == Some(n) => {
                self.state_after(parent.exprs().first()?, word)
            }
            K::BEEN_EXPR if parent.exprs().get(1) == Some(n) => self.state_after(parent.exprs().first()?, word),
            K::PART if parent.word() == "to" => {
                let stmt = parent.parent().filter(|s| s.kind() == K::STMT && s.word() == "go")?;
                self.state_after(stmt.exprs().first()?, word)
            }
            K::WHO => {
                let event = parent.parent().filter(|e| e.kind() == K::EVENT)?;
                let sides = event.all(K::WHO);
                let whole = sides.first().filter(|_| sides.get(1) == Some(parent))?;
                self.state_after(whole.exprs().first()?, word)
            }
            // `day wed`: the name of a unit's value.
            K::PART => {
                let unit = parent.tok(K::IDENT).and_then(|t| self.unit(parent, &t))?;
                self.symbols.member(unit, word)
            }
            // `tide.run(hour)`
            K::ARGS => {
                let call = parent.parent()?.expr()?;
                let clock = call.expr().filter(|_| call.kind() == K::MEMBER_EXPR)?;
                let clock = self.symbols.global(self.file, clock.word())?;
                (self.symbols.get(clock).kind == S::Clock).then(|| self.symbols.member(clock, word)).flatten()
            }
            // `open.roaring` after `is`: the outer state.
            K::MEMBER_EXPR => self.placed(parent, &parent.parent()?, word),
            _ => None,
        }
    }

    fn enum_value(&self, e: EnumId, word: &str) -> Option<SymbolId> {
        let name = &self.level().enums.get(e.index())?.name;
        self.symbols.only(word, |s| s.kind == S::EnumValue && s.of.is_some_and(|of| self.symbols.get(of).name == *name))
    }

    fn level(&self) -> &Level {
        &self.found.draft
    }

    /// A state of the machine that an expression names.
    fn state_after(&self, machine: &Node, word: &str) -> Option<SymbolId> {
        let machine = self.thing(machine)?;
        (self.symbols.get(machine).kind == S::Machine).then(|| self.state_in(machine, word)).flatten()
    }

    /// A state of a machine, however deep: the outermost of that name.
    fn state_in(&self, of: SymbolId, word: &str) -> Option<SymbolId> {
        self.symbols.member(of, word).filter(|s| self.symbols.get(*s).kind == S::State).or_else(|| {
            let inside = |s: &super::Symbol| {
                let mut at = s.of;
                while let Some(id) = at {
                    if id == of {
                        return true;
                    }
                    at = self.symbols.get(id).of;
                }
                false
            };
            self.symbols.only(word, |s| s.kind == S::State && inside(s))
        })
    }

    /// A state of the machine in which a node stands.
    fn state_round(&self, n: &Node, word: &str) -> Option<SymbolId> {
        let machine = n.ancestors().find(|a| a.kind() == K::MACHINE_DECL)?;
        self.state_in(self.symbols.owner(self.file, &machine)?, word)
    }

    fn state_of(&self, m: MachineId, word: &str) -> Option<SymbolId> {
        let machine = self.level().machines.get(m.index())?;
        let id = self.symbols.iter().find(|(_, s)| s.kind == S::Machine && s.at == machine.span).map(|(id, _)| id);
        let id = id.or_else(|| self.symbols.only(&machine.name, |s| s.kind == S::Machine))?;
        self.state_in(id, word)
    }

    /// The kind in whose declaration, or for whose machine, a node stands.
    fn kind_round(&self, n: &Node) -> Option<SymbolId> {
        n.ancestors().find_map(|a| match a.kind() {
            K::KIND_DECL => self.symbols.owner(self.file, &a),
            K::MACHINE_DECL => {
                ast::MachineDecl::cast(&a).and_then(|m| m.of()).and_then(|k| self.symbols.global(self.file, k.word()))
            }
            _ => None,
        })
    }

    /// The symbol that an expression names, where it is a name or a member.
    fn thing(&self, e: &Node) -> Option<SymbolId> {
        match e.kind() {
            K::NAME_EXPR => self.bare(e, e.word()),
            K::MEMBER_EXPR => self.member(e, e.child(K::NAME)?.word()),
            _ => None,
        }
    }

    /// What a member stands for.
    fn member(&self, n: &Node, word: &str) -> Option<SymbolId> {
        let base = n.expr()?;
        if let Some(of) = self.holder(&base)
            && let Some(found) = self.symbols.member(of, word).or_else(|| match self.symbols.get(of).kind {
                // `gate is open.roaring`
                S::State => self.state_in(of, word),
                _ => None,
            })
        {
            return Some(found);
        }
        let fits = |s: &super::Symbol| {
            matches!(s.kind, S::Variable | S::Define | S::Zone | S::Machine | S::Column) && s.of.is_some()
        };
        self.symbols.only(word, fits)
    }

    /// What holds the members of an expression: a kind, an enum, a clock, records, an outer state.
    fn holder(&self, base: &Node) -> Option<SymbolId> {
        let named = |name: &str| self.symbols.global(self.file, name);
        let level = self.level();
        match self.type_of(base).map(Ty::inner) {
            Some(Ty::Actor(Some(k)) | Ty::Zone(Some(k))) => return named(&level.kinds.get(k.index())?.name),
            Some(Ty::Record(r)) => return named(&level.records.get(*r as usize)?.name),
            _ => {}
        }
        if base.kind() == K::NAME_EXPR {
            if let Some(t) = base.tok(K::ACTOR_REF) {
                return named(t.text().split('#').next().unwrap_or_default());
            }
            if base.word() == "self" {
                return self.kind_round(base);
            }
        }
        let thing = self.thing(base)?;
        match self.symbols.get(thing).kind {
            S::Actor | S::Zone => self.kind_of(thing),
            S::Local => self.bound(base, thing),
            _ => Some(thing),
        }
    }

    /// The kind of a placed actor, or of a zone.
    fn kind_of(&self, id: SymbolId) -> Option<SymbolId> {
        let s = self.symbols.get(id);
        let level = self.level();
        let kind = match s.kind {
            S::Actor => level.actors.iter().find(|a| a.name == s.name).map(|a| a.kind),
            _ => level.zones.iter().find(|z| z.name == s.name && z.of.is_none()).and_then(|z| z.kind),
        };
        self.symbols.global(s.at.file, &level.kinds.get(kind?.index())?.name)
    }

    /// The kind of whom a local names, where an event says it: `lamp as first`.
    fn bound(&self, at: &Node, local: SymbolId) -> Option<SymbolId> {
        let owner = at.ancestors().find(owns_locals)?;
        let name = &self.symbols.get(local).name;
        let mut who = owner.descendants().filter(|d| matches!(d.kind(), K::WHO | K::STMT));
        let who = who.find(|d| d.child(K::NAME).is_some_and(|n| n.word() == *name) && d.has_word("as"))?;
        let kind = who.expr()?;
        self.symbols.global(self.file, kind.word()).filter(|k| self.symbols.get(*k).kind == S::Kind)
    }
}
