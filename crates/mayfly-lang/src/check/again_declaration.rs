//! One declaration read again: a variable's first value, where a zone, an actor or a path lies, how long a timer runs, the
//! cells of a map, a level's title, a computed value, what a routine does, and what stands in a kind. What others may know of
//! it (its name, its type, how many there are) is as it was.
//!
//! Not here: rules and machines, and when it can be done ([`super::again`]).
//!
//! Invariant: what comes out is what reading the whole text gives; wherever it may mean something for others, or is wrong,
//! nothing comes out, and the whole is read.

use super::kept::Patch;
use super::{Checker, Found};
use crate::ast::{self, AstNode};
use crate::syntax::{Element, Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;

/// True where a part of a declaration means something for it alone, its type apart.
pub(super) fn is_own(n: &Node, part: &Node) -> bool {
    match n.kind() {
        K::VAR_DECL => part.kind().is_expr() || part.kind() == K::BOUNDS,
        K::ZONE_DECL => part.kind().is_shape() || part.kind() == K::BODY,
        K::PLACE_DECL => part.kind() == K::BODY || part.kind() == K::PART && matches!(part.word(), "at" | "facing"),
        K::CONST_DECL | K::PATH_DECL | K::TIMER_DECL | K::ATTRIBUTE | K::SIGHT_ITEM | K::DEFINE_DECL => {
            part.kind().is_expr()
        }
        K::ROUTINE_DECL => part.kind() == K::BLOCK,
        _ => false,
    }
}

/// All words of a declaration but those that mean something for it alone.
fn meant_for_others(n: &Node) -> Vec<String> {
    let mut words = vec![];
    for child in n.children_with_tokens() {
        match child {
            Element::Node(c) if is_own(n, &c) => {}
            Element::Node(c) => words.push(Checker::text_of(&c)),
            Element::Token(t) if t.kind().is_trivia() => {}
            Element::Token(t) if n.kind() == K::LEVEL_DECL && t.kind() == K::TEXT => {}
            Element::Token(t) if t.kind() == K::RAW_TEXT => {}
            Element::Token(t) => words.push(t.text().to_string()),
        }
    }
    words
}

/// False where what a declaration means for others is not as it was, as far as its words tell.
pub(super) fn stands_alone(was: &Node, n: &Node) -> bool {
    meant_for_others(was) == meant_for_others(n)
        && match n.kind() {
            K::VAR_DECL | K::ATTRIBUTE | K::SIGHT_ITEM | K::ZONE_DECL => true,
            K::TIMER_DECL | K::LEVEL_DECL | K::MAP_DECL | K::AREA_DECL => true,
            K::PATH_DECL => was.exprs().len() == n.exprs().len(),
            K::PLACE_DECL => points(was).len() == points(n).len(),
            // A value that follows from the same names is as deep as before; a routine does something, or gives a value only.
            K::DEFINE_DECL | K::ROUTINE_DECL => names_in(was) == names_in(n),
            _ => false,
        }
}

fn points(n: &Node) -> Vec<Node> {
    ast::PlaceDecl::cast(n).map(|p| p.points()).unwrap_or_default()
}

impl Checker {
    /// Reads a declaration again that [`stands_alone`] and lies at `patch`; none where it is not sure that nothing else
    /// changes.
    pub(super) fn put_declaration(&mut self, n: &Node, found: &Found, patch: &Patch) -> Option<()> {
        // Of a kind that was not known whole, more may be known now.
        if self.kind_round(n).is_some_and(|k| self.gaps.kinds.contains(&k)) {
            return None;
        }
        if self.names_what_is_later(n) {
            return None;
        }
        let (told, pools) = (self.diagnostics.len(), self.pools());
        match n.kind() {
            K::VAR_DECL => match self.kind_round(n) {
                Some(kind) => self.put_field(n, kind)?,
                None => self.put_var(n)?,
            },
            K::DEFINE_DECL => self.put_define(n)?,
            K::ROUTINE_DECL => {
                let (_, span) = self.declared(n)?;
                let i = self.level.routines.iter().position(|r| r.span == span)?;
                self.read_routine(i, n);
            }
            K::ATTRIBUTE | K::SIGHT_ITEM => self.put_attribute(n)?,
            K::ZONE_DECL => self.put_zone(n)?,
            K::PLACE_DECL => self.put_place(n, found, patch)?,
            K::PATH_DECL => self.read_path(n),
            K::TIMER_DECL => {
                let (_, span) = self.declared(n)?;
                let i = self.level.timers.iter().position(|t| t.span == span)?;
                self.level.timers[i].length = self.timer_length(n);
            }
            K::LEVEL_DECL => self.level.title = self.plain_text(&n.tok(K::TEXT)?),
            K::MAP_DECL => self.put_map(n, AreaId::MAIN)?,
            K::AREA_DECL => {
                let name = n.child(K::NAME)?;
                let name = name.word();
                let id = self.level.areas.iter().position(|a| a.name == name)?;
                self.put_map(n, AreaId::at(id))?;
            }
            _ => return None,
        }
        (self.diagnostics.len() == told && self.pools() == pools).then_some(())
    }

    /// True where a piece names what is not known yet when it is read for the first time, and is now.
    fn names_what_is_later(&self, n: &Node) -> bool {
        use super::names::Def;
        let in_kind = n.parent().is_some_and(|p| p.kind() == K::BODY);
        let names = match n.kind() {
            K::ROUTINE_DECL => return false,
            // Its length is read while names are collected.
            K::TIMER_DECL => {
                return n.exprs().iter().flat_map(names_in).any(|w| !matches!(w.as_str(), "tick" | "ticks"));
            }
            K::ZONE_DECL if !in_kind => n.child(K::BODY).map(|b| names_in(&b)).unwrap_or_default(),
            _ => names_in(n),
        };
        let (_, own) = self.declared(n).unwrap_or_default();
        names.iter().filter_map(|w| self.names.get(w)).filter(|(_, at)| *at != own).any(|(def, _)| match def {
            Def::Zone(_) => true,
            // Kinds are filled before actors, machines, messages and routines.
            Def::Actor(_) | Def::Machine(_) | Def::Message(_) | Def::Routine(_) | Def::Path(_) | Def::Records(_) => {
                in_kind && !matches!(n.kind(), K::VAR_DECL | K::DEFINE_DECL)
            }
            _ => false,
        })
    }

    fn put_var(&mut self, n: &Node) -> Option<()> {
        let (_, span) = self.declared(n)?;
        let id = VarId::at(self.level.vars.iter().position(|v| v.span == span)?);
        let ty = std::mem::replace(&mut self.level.vars[id.index()].ty, Ty::Broken);
        self.level.vars[id.index()].bounds = None;
        self.var_nodes[id.index()] = (n.clone(), false);
        (self.var_type(id) == ty).then_some(())
    }

    /// The kind in which something stands.
    fn kind_round(&self, n: &Node) -> Option<KindId> {
        let kind = n.parent().and_then(|body| body.parent()).filter(|p| p.kind() == K::KIND_DECL)?;
        let (_, span) = self.declared(&kind)?;
        self.level.kinds.iter().position(|k| k.span == span).map(KindId::at)
    }

    /// True where another kind has all that this one has.
    fn is_base(&self, kind: KindId) -> bool {
        self.level.kinds.iter().any(|k| k.like == Some(kind))
    }

    fn put_field(&mut self, n: &Node, kind: KindId) -> Option<()> {
        let (_, span) = self.declared(n)?;
        let k = &mut self.level.kinds[kind.index()];
        let id = FieldId::at(k.fields.iter().position(|v| v.span == span)?);
        let ty = std::mem::replace(&mut k.fields[id.index()].ty, Ty::Broken);
        k.fields[id.index()].bounds = None;
        if self.is_base(kind) {
            return None;
        }
        self.field_nodes[kind.index()][id.index()] = (Some(n.clone()), false);
        let same = self.field_type(kind, id) == ty;
        self.field_nodes[kind.index()][id.index()] = (None, true);
        same.then_some(())
    }

    fn put_define(&mut self, n: &Node) -> Option<()> {
        let (_, span) = self.declared(n)?;
        let id = DefineId::at(self.level.defines.iter().position(|d| d.span == span)?);
        let ty = std::mem::replace(&mut self.level.defines[id.index()].ty, Ty::Broken);
        let height = self.define_heights.get(&id).copied();
        self.define_nodes[id.index()] = (n.clone(), false);
        let same = self.define_type(id) == ty && self.define_heights.get(&id).copied() == height;
        same.then_some(())
    }

    fn put_attribute(&mut self, n: &Node) -> Option<()> {
        let kind = self.kind_round(n)?;
        let same = |other: &Node| other.kind() == n.kind() && other.word() == n.word();
        let twice = n.parent()?.children().filter(same).count() > 1;
        if twice || self.is_base(kind) {
            return None;
        }
        let (word, exprs, span) = (n.word(), n.exprs(), self.span(n));
        if n.kind() == K::SIGHT_ITEM {
            self.level.kinds[kind.index()].sights = vec![self.sight(n)?];
            return Some(());
        }
        if matches!(word, "steered" | "passes" | "carries" | "falls") || self.takes_too_much(word, &exprs) {
            return None;
        }
        for (attr, value) in self.attribute(word, &exprs, span, Some(kind)) {
            let attrs = &mut self.level.kinds[kind.index()].attrs;
            attrs.iter_mut().find(|(a, _)| *a == attr)?.1 = value;
        }
        Some(())
    }

    fn put_zone(&mut self, n: &Node) -> Option<()> {
        let (_, span) = self.declared(n)?;
        let id = ZoneId::at(self.level.zones.iter().position(|z| z.span == span)?);
        // Who is made of this one has a copy of its shape.
        if self.zones_named.contains(&id) {
            return None;
        }
        let zone = &mut self.level.zones[id.index()];
        zone.shape = Shape::Cells(vec![]);
        zone.notices.clear();
        zone.overrides.clear();
        self.read_zone(id, n);
        Some(())
    }

    fn put_place(&mut self, n: &Node, found: &Found, patch: &Patch) -> Option<()> {
        let inside = |at: Span| at.file == patch.old.file && patch.old.start <= at.start && at.end <= patch.old.end;
        let first = found.draft.actors.iter().position(|a| inside(a.span))?;
        if n.child(K::NAME).is_none() {
            for (i, p) in points(n).iter().enumerate() {
                let span = self.span(p);
                self.level.actors.get_mut(first + i)?.span = span;
            }
        }
        self.fill_place(n, first);
        Some(())
    }

    /// The cells of a map that is as large as it was; zones of its tiles lie elsewhere then.
    fn put_map(&mut self, n: &Node, id: AreaId) -> Option<()> {
        let size = |c: &Self| (c.level.areas[id.index()].width, c.level.areas[id.index()].height);
        let before = size(self);
        self.map(&n.tok(K::RAW_TEXT)?, id);
        if size(self) != before {
            return None;
        }
        let area = &self.level.areas[id.index()];
        let cells_of = |of: &[TileId]| -> Vec<(i64, i64)> {
            let is_one = |i: &usize| area.cells[*i].is_some_and(|t| of.contains(&t));
            (0..area.cells.len()).filter(is_one).map(|i| ((i % area.width) as i64, (i / area.width) as i64)).collect()
        };
        self.level.zones.iter_mut().filter(|z| z.area == id).for_each(|z| lay_again(&mut z.shape, &cells_of));
        Some(())
    }
}

/// All names in a piece, in order.
pub(super) fn names_in(n: &Node) -> Vec<String> {
    let tokens = n.tokens();
    tokens.filter(|t| matches!(t.kind(), K::IDENT | K::ACTOR_REF)).map(|t| t.text().to_string()).collect()
}

/// Gives the tiles in a shape the cells on which they lie now.
fn lay_again(shape: &mut Shape, cells_of: &impl Fn(&[TileId]) -> Vec<(i64, i64)>) {
    match shape {
        Shape::Tiles { of, cells } => *cells = cells_of(of),
        Shape::Sum(a, b) | Shape::Less(a, b) => {
            lay_again(a, cells_of);
            lay_again(b, cells_of);
        }
        Shape::Rect { .. } | Shape::Disc { .. } | Shape::Cells(_) | Shape::Poly(_) => {}
    }
}
