//! Placed actors: their names and kinds first, so that any expression can name any of them; then where
//! they stand and what they have of their own.
//!
//! Invariant: actors stand in the table in source order, also where one of them is wrong.

use super::names::Def;
use super::{Checker, Frame};
use crate::ast::{self, AstNode};
use crate::level::*;
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;
use rustc_hash::FxHashMap;

impl Checker {
    /// Names every actor, so that any expression can name any of them.
    pub fn name_all_actors(&mut self, root: &Node) {
        let mut numbered = FxHashMap::default();
        for n in root.all(K::PLACE_DECL) {
            self.name_actors(&n, &mut numbered);
        }
    }

    /// Where they stand, and what they have of their own.
    pub fn fill_actors(&mut self, root: &Node) {
        let mut next = 0;
        for n in root.all(K::PLACE_DECL) {
            next = self.fill_place(&n, next);
        }
    }

    fn name_actors(&mut self, n: &Node, numbered: &mut FxHashMap<String, u32>) {
        let named = self.declared(n);
        let kind_name = n.exprs().first().map(Self::text_of).unwrap_or_default();
        // One of a wrong kind still takes its number, so that the numbers of the others are right.
        let known = match self.names.get(&kind_name) {
            Some((Def::Kind(k), _)) if !self.level.kinds[k.index()].of_zones => Some(*k),
            _ => None,
        };
        let kind = known.unwrap_or(KindId(0));
        for p in ast::PlaceDecl::cast(n).map(|p| p.points()).unwrap_or_default() {
            let name = match &named {
                Some((name, _)) => name.clone(),
                None => {
                    let n = numbered.entry(kind_name.clone()).or_insert(0);
                    *n += 1;
                    format!("{kind_name}#{n}")
                }
            };
            let span = named.as_ref().map_or_else(|| self.span(&p), |(_, s)| *s);
            if known.is_none() {
                self.gaps.actors.insert(ActorId::at(self.level.actors.len()));
            }
            self.actors_by_name.entry(name.clone()).or_insert(ActorId::at(self.level.actors.len()));
            self.level.actors.push(Actor { name, kind, at: Point::main(0.0, 0.0), facing: 2, overrides: vec![], span });
        }
    }

    pub fn fill_place(&mut self, n: &Node, mut next: usize) -> usize {
        let named = self.declared(n);
        let Some(kind_node) = n.expr() else {
            return next + ast::PlaceDecl::cast(n).map_or(0, |p| p.points().len());
        };
        let (kind_name, kind_span) = (Self::text_of(&kind_node), self.span(&kind_node));
        self.here = self.area_of(n);
        let kind = match self.names.get(&kind_name).map(|(d, _)| *d) {
            Some(Def::Kind(k)) if self.level.kinds[k.index()].of_zones => {
                self.error(
                    "no-kind",
                    kind_span,
                    format!("`{kind_name}` is a kind of zones"),
                    format!("write `zone name: {kind_name} = rect (4, 2) 6 x 3`"),
                );
                None
            }
            Some(Def::Kind(k)) => Some(k),
            Some(other) => {
                self.error(
                    "no-kind",
                    kind_span,
                    format!("`{kind_name}` is {}, not a kind", other.what()),
                    "write `place name: kind at (x, y)`, or `place kind at (x, y)`",
                );
                None
            }
            None => {
                let near = self.near(&kind_name, self.level.kinds.iter().map(|k| k.name.as_str()));
                self.gaps.places = true;
                self.no_such(
                    "unknown-name",
                    kind_span,
                    format!("there is no kind `{kind_name}`"),
                    near,
                    format!("declare it: `kind {kind_name} {{ }}`"),
                );
                None
            }
        };
        let points = ast::PlaceDecl::cast(n).map(|p| p.points()).unwrap_or_default();
        if let (Some((name, span)), true) = (&named, points.len() > 1) {
            self.error(
                "two-places",
                *span,
                format!("`{name}` is placed more than once"),
                "a named actor stands at one point; leave the name out to place several",
            );
        }
        let mut f = Frame { me: kind, title: kind_name.clone(), ..Frame::default() };
        let facing = ast::PlaceDecl::cast(n).and_then(|p| p.facing()).map_or(2, |e| {
            match self.constant(&e, &Ty::Enum(EnumId::DIRECTION)) {
                Some(Value::Enum(_, d)) => d,
                _ => 2,
            }
        });
        let overrides = n.child(K::BODY).map(|b| self.overrides(&b, kind, &mut f)).unwrap_or_default();
        for p in points {
            let at = match self.constant(&p, &Ty::Point) {
                Some(Value::Point(at)) if self.fits_map(at, self.span(&p)) => at,
                _ => Point::main(0.0, 0.0),
            };
            let span = self.span(&p);
            let area = &self.level.areas[at.area.index()];
            let (x, y) = at.cell();
            if area.width > 0
                && self.level.edges != Edges::Open
                && !((0..area.width as i64).contains(&x) && (0..area.height as i64).contains(&y))
            {
                let (w, h) = (area.width - 1, area.height - 1);
                let of = if at.area == AreaId::MAIN { String::new() } else { format!("{} ", area.name) };
                self.error(
                    "off-the-map",
                    span,
                    format!("{of}({}, {}) lies off the map", number::show_number(at.x), number::show_number(at.y)),
                    format!("the map goes from (0, 0) to ({w}, {h})"),
                );
            }
            if let Some(a) = self.level.actors.get_mut(next) {
                a.at = at;
                a.facing = facing;
                a.overrides = overrides.clone();
            }
            next += 1;
        }
        self.here = AreaId::MAIN;
        next
    }

    /// `{ oil = 4; speed 8 }` of a `place` or a `spawn`.
    pub fn overrides(&mut self, body: &Node, kind: Option<KindId>, f: &mut Frame) -> Vec<Override> {
        let mut out = vec![];
        for item in body.children() {
            let span = self.span(&item);
            if item.kind() == K::ATTRIBUTE {
                if self.takes_too_much(item.word(), &item.exprs()) {
                    continue;
                }
                let me = f.me;
                out.extend(
                    self.attribute(item.word(), &item.exprs(), span, me).into_iter().map(|(a, e)| Override::Attr(a, e)),
                );
                continue;
            }
            let exprs = item.exprs();
            let [target, value] = exprs.as_slice() else { continue };
            let name = Self::text_of(target);
            let at = self.span(target);
            let Some(kind) = kind else { continue };
            let k = &self.level.kinds[kind.index()];
            if let Some(i) = k.fields.iter().position(|v| v.name == name) {
                let ty = self.field_type(kind, FieldId::at(i));
                let e = self.expect(value, &ty, f);
                out.push(Override::Field(FieldId::at(i), e));
            } else if let Some(attr) = Attr::named(&name) {
                let e = self.expect(value, &Self::attr_type(attr), f);
                out.push(Override::Attr(attr, e));
            } else {
                let kind_name = k.name.clone();
                let known = k.fields.iter().map(|v| v.name.as_str()).chain(Attr::ALL.iter().map(|(n, _)| *n));
                let help = self
                    .near(&name, known)
                    .map_or(format!("declare it in `kind {kind_name}`"), |n| format!("did you mean `{n}`?"));
                self.error("unknown-name", at, format!("`{kind_name}` has no `{name}`"), help);
            }
        }
        out
    }
}
