//! One declaration read again: a variable's first value, where a zone, an actor or a path lies, how long a timer runs, the
//! cells of a map, a level's title. What others may know of it (its name, its type, how many there are) is as it was.
//!
//! Not here: rules and machines, and when it can be done ([`super::again`]).
//!
//! Invariant: what comes out is what reading the whole text gives; wherever it may mean something for others, or is wrong,
//! nothing comes out, and the whole is read.

use super::again::Patch;
use super::{Checker, Found};
use crate::ast::{self, AstNode};
use crate::syntax::{Kind as K, Node, NodeExt};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;
use rowan::NodeOrToken;

/// All words of a declaration but those that mean something for it alone.
fn meant_for_others(n: &Node) -> Vec<String> {
    let own = |child: &Node| match n.kind() {
        K::VAR_DECL => child.kind().is_expr() || child.kind() == K::BOUNDS,
        K::ZONE_DECL => child.kind().is_shape() || child.kind() == K::BODY,
        K::PLACE_DECL => {
            child.kind() == K::BODY || child.kind() == K::PART && matches!(child.word().as_str(), "at" | "facing")
        }
        K::PATH_DECL | K::TIMER_DECL => child.kind().is_expr(),
        _ => false,
    };
    let mut words = vec![];
    for child in n.children_with_tokens() {
        match child {
            NodeOrToken::Node(c) if own(&c) => {}
            NodeOrToken::Node(c) => words.push(Checker::text_of(&c)),
            NodeOrToken::Token(t) if t.kind().is_trivia() => {}
            NodeOrToken::Token(t) if n.kind() == K::LEVEL_DECL && t.kind() == K::TEXT => {}
            NodeOrToken::Token(t) if t.kind() == K::RAW_TEXT => {}
            NodeOrToken::Token(t) => words.push(t.text().to_string()),
        }
    }
    words
}

impl Checker {
    /// Reads a declaration again that lies at `patch`; none where it is not sure that nothing else changes.
    pub(super) fn put_declaration(&mut self, was: &Node, n: &Node, found: &Found, patch: &Patch) -> Option<()> {
        if meant_for_others(was) != meant_for_others(n) {
            return None;
        }
        let (told, pools) = (self.diagnostics.len(), self.pools());
        match n.kind() {
            K::VAR_DECL => self.put_var(n)?,
            K::ZONE_DECL => self.put_zone(n)?,
            K::PLACE_DECL => self.put_place(was, n, found, patch)?,
            K::PATH_DECL if was.exprs().len() == n.exprs().len() => self.read_path(n),
            K::TIMER_DECL => {
                let (_, span) = self.declared(n)?;
                let i = self.level.timers.iter().position(|t| t.span == span)?;
                self.level.timers[i].length = self.timer_length(n);
            }
            K::LEVEL_DECL => self.level.title = self.plain_text(&n.tok(K::TEXT)?),
            K::MAP_DECL => self.put_map(n, AreaId::MAIN)?,
            K::AREA_DECL => {
                let name = n.child(K::NAME)?.word();
                let id = self.level.areas.iter().position(|a| a.name == name)?;
                self.put_map(n, AreaId::at(id))?;
            }
            _ => return None,
        }
        (self.diagnostics.len() == told && self.pools() == pools).then_some(())
    }

    fn put_var(&mut self, n: &Node) -> Option<()> {
        let (_, span) = self.declared(n)?;
        let id = VarId::at(self.level.vars.iter().position(|v| v.span == span)?);
        let ty = std::mem::replace(&mut self.level.vars[id.index()].ty, Ty::Broken);
        self.level.vars[id.index()].bounds = None;
        self.var_nodes[id.index()] = (n.clone(), false);
        (self.var_type(id) == ty).then_some(())
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

    fn put_place(&mut self, was: &Node, n: &Node, found: &Found, patch: &Patch) -> Option<()> {
        let points = |n: &Node| ast::PlaceDecl::cast(n).map(|p| p.points()).unwrap_or_default();
        let new = points(n);
        if new.is_empty() || points(was).len() != new.len() {
            return None;
        }
        let inside = |at: Span| at.file == patch.old.file && patch.old.start <= at.start && at.end <= patch.old.end;
        let first = found.draft.actors.iter().position(|a| inside(a.span))?;
        if n.child(K::NAME).is_none() {
            for (i, p) in new.iter().enumerate() {
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
