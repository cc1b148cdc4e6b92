//! Paths and areas: points in a row, and maps beside the main one.
//!
//! Invariant: a path has two points or more, all in one area.

use super::Checker;
use super::names::Def;
use crate::ast;
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;

impl Checker {
    /// The area that a declaration's `in` names; the main one without it.
    pub fn area_of(&mut self, n: &Node) -> AreaId {
        let Some(e) = ast::area_of(n) else { return AreaId::MAIN };
        let (name, span) = (Self::text_of(&e), self.span(&e));
        self.area_named(&name, span).unwrap_or(AreaId::MAIN)
    }

    pub fn area_named(&mut self, name: &str, span: Span) -> Option<AreaId> {
        if let Some(Def::Area(a)) = self.names.get(name).map(|(d, _)| *d) {
            return Some(a);
        }
        let near = self.near(name, self.level.areas.iter().map(|a| a.name.as_str()));
        self.no_such(
            "no-area",
            span,
            format!("there is no area `{name}`"),
            near,
            "declare it: `area cellar map \"\"\" … \"\"\"`".into(),
        );
        None
    }

    pub fn fill_paths(&mut self, root: &Node) {
        root.all(K::PATH_DECL).into_iter().for_each(|n| self.read_path(&n));
    }

    pub fn read_path(&mut self, n: &Node) {
        let Some((name, span)) = self.declared(n) else { return };
        let Some((Def::Path(id), at)) = self.names.get(&name).copied() else { return };
        if at != span {
            return;
        }
        self.here = self.area_of(n);
        let mut points = vec![];
        for e in n.exprs() {
            if let Some(Value::Point(p)) = self.constant(&e, &Ty::Point)
                && self.fits_map(p, self.span(&e))
            {
                points.push(p);
            }
        }
        self.here = AreaId::MAIN;
        // Without any, its grammar is wrong already.
        if n.exprs().len() == 1 {
            self.error("bad-size", span, "a path has two points or more", "write `path rounds = (3, 4) (8, 4) loop`");
        }
        if points.windows(2).any(|w| w[0].area != w[1].area) {
            self.error("two-areas", span, "a path's points lie in one area", "make a path in each area");
        }
        let path = &mut self.level.paths[id.index()];
        path.points = points;
        path.end = if n.has_word("loop") {
            PathEnd::Loop
        } else if n.has_word("bounce") {
            PathEnd::Bounce
        } else {
            PathEnd::Once
        };
    }
}
