//! Zones: their shapes, and whom they notice.
//!
//! Invariant: every number of a shape is a constant; a `rect` and `cells` hold whole cells.

use super::names::Def;
use super::{Checker, Frame};
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::value::MAX_PLACE;
use mayfly_base::*;

/// Cells of one zone at most.
const MAX_CELLS: i64 = 4_000_000;
/// The largest radius of a disc.
const MAX_RADIUS: f64 = 10_000.0;
/// Shapes of which one zone may be made.
const MAX_PARTS: usize = 1000;

impl Checker {
    pub fn fill_zones(&mut self, root: &Node) {
        for n in root.all(K::ZONE_DECL) {
            let Some((name, span)) = self.declared(&n) else { continue };
            if let Some((Def::Zone(id), at)) = self.names.get(&name).copied()
                && at == span
            {
                self.read_zone(id, &n);
            }
        }
    }

    pub fn read_zone(&mut self, id: ZoneId, n: &Node) {
        let named = n.expr();
        let kind = named.as_ref().and_then(|e| self.zone_kind(e));
        if kind.is_none() && named.is_some() {
            self.gaps.zones.insert(self.level.zones[id.index()].name.clone());
        }
        self.here = self.area_of(n);
        let zone = &mut self.level.zones[id.index()];
        (zone.kind, zone.area) = (kind, self.here);
        if let Some(s) = n.children().find(|c| c.kind().is_shape())
            && let Some(shape) = self.shape(&s, id)
        {
            self.level.zones[id.index()].shape = shape;
        }
        if let Some(whom) = n.child(K::FOR_WHOM) {
            for e in whom.exprs() {
                let who = self.whom(&e);
                self.level.zones[id.index()].notices.extend(who);
            }
        }
        if let Some(b) = n.child(K::BODY) {
            let mut f = Frame { me: kind, title: self.level.zones[id.index()].name.clone(), ..Frame::default() };
            if kind.is_none() && named.is_none() {
                let span = self.span(&b);
                self.error(
                    "no-kind",
                    Span { end: span.start + 1, ..span },
                    "this zone has no kind, so it has no values of its own",
                    "declare one: `kind fishing_spot of zone { var … }`, and write `zone name: fishing_spot = …`",
                );
            }
            let overrides = self.overrides(&b, kind, &mut f);
            self.level.zones[id.index()].overrides = overrides;
        }
        self.here = AreaId::MAIN;
    }

    fn zone_kind(&mut self, e: &Node) -> Option<KindId> {
        let (name, span) = (Self::text_of(e), self.span(e));
        match self.names.get(&name).map(|(d, _)| *d) {
            Some(Def::Kind(k)) if self.level.kinds[k.index()].of_zones => return Some(k),
            Some(other) => self.error(
                "no-kind",
                span,
                format!("`{name}` is {}, not a kind of zones", other.what()),
                format!("declare one: `kind {name}_zone of zone {{ }}`"),
            ),
            None => self.unknown(&name, span, "a kind of zones", &[]),
        }
        None
    }

    /// Whom a zone notices, or a kind carries: a kind, an actor or a tag.
    pub fn whom(&mut self, e: &Node) -> Option<WhoSet> {
        let (name, span) = (Self::text_of(e), self.span(e));
        match self.names.get(&name).map(|(d, _)| *d) {
            Some(Def::Kind(k)) => Some(WhoSet::Kind(k)),
            Some(Def::Tag(t)) => Some(WhoSet::Tag(t)),
            Some(Def::Actor(a)) => Some(WhoSet::Actor(a)),
            Some(other) => {
                let message = format!("`{name}` is {}", other.what());
                self.error("no-one", span, message, "name kinds, actors and tags");
                None
            }
            None => {
                let found = self.placed(&name).map(WhoSet::Actor);
                if found.is_none() {
                    self.unknown(&name, span, "a kind, an actor or a tag", &[]);
                }
                found
            }
        }
    }

    /// An unnamed actor: `lamp#2`.
    pub fn placed(&self, name: &str) -> Option<ActorId> {
        name.contains('#').then(|| self.actor_named(name)).flatten()
    }

    fn number(&mut self, e: &Node) -> Option<f64> {
        match self.constant(e, &Ty::Number) {
            Some(Value::Number(n)) => Some(n),
            _ => None,
        }
    }

    fn whole(&mut self, e: &Node) -> Option<i64> {
        let n = self.number(e)?;
        let span = self.span(e);
        if n.abs() > MAX_PLACE {
            self.too_large(span, n);
            return None;
        }
        if n.fract() != 0.0 {
            self.error("not-whole", span, "cells are counted in whole numbers", "write a whole number");
            return None;
        }
        Some(n as i64)
    }

    /// A point of the zone's own area.
    fn point(&mut self, e: &Node) -> Option<Point> {
        let Some(Value::Point(p)) = self.constant(e, &Ty::Point) else { return None };
        let span = self.span(e);
        (self.is_here(p.area, span, "this point") && self.fits_map(p, span)).then_some(p)
    }

    /// False where something of a zone lies in another area than the zone; says so.
    fn is_here(&mut self, area: AreaId, span: Span, what: &str) -> bool {
        if area != self.here {
            let name = |area: AreaId| self.level.areas[area.index()].name.clone();
            let (its, ours) = (name(area), name(self.here));
            let help =
                format!("write `zone NAME in {its} = …`: a zone lies in one area, and bare points are of that one");
            self.error("two-areas", span, format!("{what} lies in `{its}`, and the zone in `{ours}`"), help);
        }
        area == self.here
    }

    /// A number that no place or size can have.
    pub fn too_large(&mut self, span: Span, n: f64) {
        self.error(
            "too-large",
            span,
            format!("{} is too large", number::show_short(n)),
            "places lie within 1,000,000 cells of (0, 0)",
        );
    }

    /// False where a point lies beyond all bounds; says so.
    pub fn fits_map(&mut self, p: Point, span: Span) -> bool {
        let most = if p.x.abs() > p.y.abs() { p.x } else { p.y };
        let fits = most.abs() <= MAX_PLACE;
        if !fits {
            self.too_large(span, most);
        }
        fits
    }

    fn shape(&mut self, s: &Node, own: ZoneId) -> Option<Shape> {
        let span = self.span(s);
        let exprs = s.exprs();
        match s.kind() {
            K::SHAPE_RECT => {
                let [at, w, h] = exprs.as_slice() else { return None };
                let (at, w, h) = (self.point(at)?, self.whole(w)?, self.whole(h)?);
                if w * h > MAX_CELLS {
                    self.error(
                        "too-large",
                        span,
                        format!("a rect of {w} x {h} cells is too large: it may have 4,000,000"),
                        "make it smaller",
                    );
                    return None;
                }
                if w < 1 || h < 1 {
                    self.error(
                        "bad-size",
                        span,
                        "a rect is at least one cell wide and high",
                        "write `rect (4, 2) 6 x 3`",
                    );
                    return None;
                }
                let (x, y) = at.cell();
                Some(Shape::Rect { x, y, w, h })
            }
            K::SHAPE_DISC => {
                let (at, r) = match exprs.as_slice() {
                    [r] => {
                        if self.level.zones[own.index()].of.is_none() {
                            self.error(
                                "no-centre",
                                span,
                                "this disc has no centre",
                                "write `disc (12, 8) 3`; only a kind's zone lies round its actor by itself",
                            );
                            return None;
                        }
                        (Point::main(0.0, 0.0), self.number(r)?)
                    }
                    [at, r] => (self.point(at)?, self.number(r)?),
                    _ => return None,
                };
                if r < 0.0 {
                    self.error("bad-size", span, "a disc's radius is 0 or more", "write `disc (12, 8) 3`");
                    return None;
                }
                if r > MAX_RADIUS {
                    self.error(
                        "too-large",
                        span,
                        format!("a radius of {} cells is too large: it may be 10,000", number::show_short(r)),
                        "make it smaller",
                    );
                    return None;
                }
                Some(Shape::Disc { x: at.x, y: at.y, r })
            }
            K::SHAPE_CELLS => {
                let mut cells = vec![];
                for row in s.all(K::CELL_ROW) {
                    let y = row.expr().and_then(|e| self.whole(&e))?;
                    for range in row.all(K::CELL_RANGE) {
                        let ends: Option<Vec<i64>> = range.exprs().iter().map(|e| self.whole(e)).collect();
                        let (a, b) = match ends?.as_slice() {
                            [a] => (*a, *a),
                            [a, b] => (*a, *b),
                            _ => return None,
                        };
                        if a > b || b - a > MAX_CELLS || cells.len() as i64 > MAX_CELLS {
                            let span = self.span(&range);
                            self.error(
                                "bad-size",
                                span,
                                "this range runs backwards or is too long",
                                "write the smaller column first: `3..8`",
                            );
                            return None;
                        }
                        cells.extend((a..=b).map(|x| (x, y)));
                    }
                }
                cells.sort_unstable_by_key(|(x, y)| (*y, *x));
                cells.dedup();
                Some(Shape::Cells(cells))
            }
            K::SHAPE_POLY => {
                let corners: Option<Vec<(f64, f64)>> =
                    exprs.iter().map(|e| self.point(e).map(|p| (p.x, p.y))).collect();
                let corners = corners?;
                if corners.len() < 3 {
                    self.error(
                        "bad-size",
                        span,
                        "a poly has three corners or more",
                        "write `poly (1, 1) (5, 1) (3, 6)`",
                    );
                    return None;
                }
                Some(Shape::Poly(corners))
            }
            K::SHAPE_TILES => self.tiles_shape(s),
            K::SHAPE_NAME => {
                let name = s.word();
                if let Some(of) = self.level.zones[own.index()].of {
                    return self.own_shape(of, own, name, span);
                }
                match self.names.get(name).map(|(d, _)| *d) {
                    Some(Def::Zone(z)) if z.index() < own.index() && self.level.zones[own.index()].of.is_none() => {
                        self.zones_named.insert(z);
                        let zone = &self.level.zones[z.index()];
                        let (shape, area) = (zone.shape.clone(), zone.area);
                        self.is_here(area, span, &format!("`{name}`")).then_some(shape)
                    }
                    Some(Def::Zone(_)) => {
                        self.error(
                            "zone-order",
                            span,
                            format!("`{name}` is declared after this zone"),
                            "declare it before",
                        );
                        None
                    }
                    Some(other) => {
                        self.error("no-zone", span, format!("`{name}` is {}, not a zone", other.what()), "name a zone");
                        None
                    }
                    None => {
                        self.unknown(
                            name,
                            span,
                            "a zone or a shape",
                            &["rect", "disc", "cells", "tiles", "poly"].map(String::from),
                        );
                        None
                    }
                }
            }
            K::SHAPE_PAREN => {
                let inner = s.children().find(|c| c.kind().is_shape())?;
                self.shape(&inner, own)
            }
            K::SHAPE_SUM | K::SHAPE_LESS => {
                let parts: Vec<Node> = s.children().filter(|c| c.kind().is_shape()).collect();
                let [a, b] = parts.as_slice() else { return None };
                let (a, b) = (self.shape(a, own), self.shape(b, own));
                let (a, b) = (Box::new(a?), Box::new(b?));
                if a.parts() + b.parts() > MAX_PARTS {
                    self.error(
                        "too-large",
                        span,
                        format!(
                            "this zone is made of more than {MAX_PARTS} shapes, those of the zones it names included"
                        ),
                        "write its cells: `cells { 4: 3..8 }`, or take fewer zones together",
                    );
                    return None;
                }
                Some(if s.kind() == K::SHAPE_SUM { Shape::Sum(a, b) } else { Shape::Less(a, b) })
            }
            _ => None,
        }
    }

    /// In a kind, a name is another zone of the kind, declared before.
    fn own_shape(&mut self, kind: KindId, own: ZoneId, name: &str, span: Span) -> Option<Shape> {
        let zones = self.level.kinds[kind.index()].zones.clone();
        let found = zones.iter().copied().find(|z| self.level.zones[z.index()].name == name && *z != own);
        if let Some(z) = found {
            self.zones_named.insert(z);
            return Some(self.level.zones[z.index()].shape.clone());
        }
        let kind_name = self.level.kinds[kind.index()].name.clone();
        let help = match self.names.get(name) {
            Some((Def::Zone(_), _)) => "a kind's zone is made of shapes and zones of the same kind".to_string(),
            _ => format!("declare it in `kind {kind_name}`, before this one"),
        };
        self.error("no-zone", span, format!("`{kind_name}` has no zone `{name}` before this one"), help);
        None
    }

    /// All cells that a tile, or tiles of a tag, are laid on when the level begins.
    fn tiles_shape(&mut self, s: &Node) -> Option<Shape> {
        let (name, span) = self.declared(s)?;
        let wanted: Vec<usize> = match self.names.get(&name).map(|(d, _)| *d) {
            Some(Def::Tile(t)) => vec![t.index()],
            Some(Def::Tag(t)) => {
                (0..self.level.tiles.len()).filter(|i| self.level.tiles[*i].tags.contains(&t)).collect()
            }
            Some(other) => {
                self.error(
                    "no-tile",
                    span,
                    format!("`{name}` is {}, not a tile", other.what()),
                    "name a tile or a tile's tag",
                );
                return None;
            }
            None => {
                self.unknown(&name, span, "a tile", &[]);
                return None;
            }
        };
        let area = &self.level.areas[self.here.index()];
        let cells = (0..area.cells.len())
            .filter(|i| area.cells[*i].is_some_and(|t| wanted.contains(&t.index())))
            .map(|i| ((i % area.width) as i64, (i / area.width) as i64))
            .collect();
        Some(Shape::Tiles { of: wanted.into_iter().map(TileId::at).collect(), cells })
    }
}
