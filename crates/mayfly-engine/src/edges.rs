//! Maps whose edges wrap: what moves over one comes in on the other side.
//!
//! Not here: what moves ([`crate::motion`], [`crate::walk`], [`crate::ramp`]), what stops it ([`crate::sweep`]). Zones, sight,
//! nearness and ways do not go round.
//!
//! Invariant: on any other map nothing here changes a place; who moved stands on the map when its step is over.

use crate::program::Edges;
use crate::record::Recorder;
use crate::tick_context::TickContext;
use mayfly_base::*;

/// By how much a place of an axis that is so long has to move, to lie on the map.
fn over(n: f64, size: f64) -> f64 {
    ((n + 0.5) / size).floor() * -size
}

impl<R: Recorder> TickContext<'_, R> {
    /// The size of a map whose edges wrap; none of any other.
    fn round(&self, area: AreaId) -> Option<(f64, f64)> {
        let map = &self.program.maps[area.index()];
        let wraps = self.program.edges == Edges::Wrap && map.width > 0;
        wraps.then_some((map.width as f64, map.height as f64))
    }

    /// With `edges wrap`, who walks over one edge goes on at the other: gives by how much it was put over.
    pub fn wrap(&mut self, id: ActorId) -> (f64, f64) {
        let at = self.world.actors[id.index()].at;
        let Some((width, height)) = self.round(at.area) else { return (0.0, 0.0) };
        let (dx, dy) = (over(at.x, width), over(at.y, height));
        if dx == 0.0 && dy == 0.0 {
            return (0.0, 0.0);
        }
        let a = &mut self.world.actors[id.index()];
        let shift = |p: &mut Point| (p.x, p.y) = (p.x + dx, p.y + dy);
        shift(&mut a.at);
        shift(&mut a.before);
        if let Some(s) = &mut a.step {
            shift(&mut s.to);
            shift(&mut s.from);
        }
        a.walk.drop_plan();
        a.jumped = true;
        (dx, dy)
    }

    /// A place, brought onto the map.
    pub fn inside(&self, p: Point) -> Point {
        let Some((width, height)) = self.round(p.area) else { return p };
        Point { x: p.x + over(p.x, width), y: p.y + over(p.y, height), ..p }
    }

    /// Where something at `p` lies for one near `by`: on the other side of an edge too.
    pub fn image(&self, by: Point, p: Point) -> (f64, f64) {
        let Some((width, height)) = self.round(p.area) else { return (p.x, p.y) };
        let near = |n: f64, by: f64, size: f64| n - ((n - by) / size).round() * size;
        (near(p.x, by.x, width), near(p.y, by.y, height))
    }

    /// How far it is from one place to another of the same map, by the shorter way round.
    pub fn went(&self, from: Point, to: Point) -> (f64, f64) {
        let (x, y) = self.image(from, to);
        (x - from.x, y - from.y)
    }
}
