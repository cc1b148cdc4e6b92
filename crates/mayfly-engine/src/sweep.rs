//! How far a box goes before a solid stops it.
//!
//! What moves an actor is in [`crate::motion`], [`crate::walk`] and [`crate::ramp`]; this only measures.
//! Source of the method: a moving box against a standing one is a point against the sum of both boxes;
//! it meets it at the latest of the times at which each axis does.
//!
//! Invariant: nothing is tunnelled through, however fast; what an actor stands in already does not stop it;
//! who is stopped stands where the boxes meet.

use crate::ground;
use crate::program::Edges;
use crate::record::*;
use crate::space;
use crate::tick_context::TickContext;
use crate::world::*;
use mayfly_base::number::NEAR;
use mayfly_base::*;

/// A long way is measured in pieces, in cells: each looks only at what is near it.
const PIECE: f64 = 0.5;
/// Pieces of one way at most.
const MAX_PIECES: f64 = 200_000.0;

type Pair = (f64, f64);

/// When, in parts of the way `d`, a point at `from` meets a box around `centre` that reaches `half` to each
/// side; none where it passes by or goes away from it.
fn meets(from: Pair, d: Pair, centre: Pair, half: Pair) -> Option<f64> {
    let (mut first, mut last) = (f64::NEG_INFINITY, f64::INFINITY);
    for (p, d, c, h) in [(from.0, d.0, centre.0, half.0), (from.1, d.1, centre.1, half.1)] {
        if d.abs() < NEAR {
            if (p - c).abs() >= h - NEAR {
                return None;
            }
            continue;
        }
        let (a, b) = ((c - h * d.signum() - p) / d, (c + (h - NEAR) * d.signum() - p) / d);
        (first, last) = (first.max(a), last.min(b));
    }
    // Within a hair of the way's end it is free all the way.
    let most = 1.0 - NEAR / d.0.abs().max(d.1.abs()).max(NEAR);
    (first < last && first < most && last > NEAR).then(|| first.max(0.0))
}

impl<R: Recorder> TickContext<'_, R> {
    /// Where an actor comes to that goes straight from `from` to `to`, and what stopped it there.
    pub fn way(&self, id: ActorId, from: Point, to: Point) -> (Point, Option<BumpInto>) {
        let a = &self.world.actors[id.index()];
        let map = &self.program.maps[to.area.index()];
        let open = !self.program.solid_tiles && (map.width == 0 || self.is_inside(id, to));
        if open && (self.world.solids.is_empty() || !a.tangible) {
            return (to, None);
        }
        let d = (to.x - from.x, to.y - from.y);
        let pieces = (d.0.abs().max(d.1.abs()) / PIECE).ceil().clamp(1.0, MAX_PIECES);
        let on = |t: f64| Point { x: from.x + d.0 * t, y: from.y + d.1 * t, area: to.area };
        let solids = self.solids_along(id, from, to);
        for i in 0..pieces as u32 {
            let (start, end) = (f64::from(i) / pieces, f64::from(i + 1) / pieces);
            let (p, q) = (on(start), if i + 1 == pieces as u32 { to } else { on(end) });
            if let Some((t, into)) = self.piece(id, &solids, from, (p, q), open) {
                // Told as the way's own part, so that one that is stopped at once does not move a hair.
                let t = start + (end - start) * t;
                return (if t * d.0.abs().max(d.1.abs()) < NEAR { from } else { on(t) }, Some(into));
            }
        }
        (to, None)
    }

    fn is_inside(&self, id: ActorId, p: Point) -> bool {
        let size = self.fitting(id);
        let map = &self.program.maps[p.area.index()];
        let corner = |x: f64, y: f64| map.holds(space::cell(p.x + x, p.y + y));
        let (w, h) = (size.0 / 2.0 - NEAR, size.1 / 2.0 - NEAR);
        corner(-w, -h) && corner(w, h)
    }

    /// A box as wide as a cell still fits between two walls.
    fn fitting(&self, id: ActorId) -> Pair {
        let size = self.world.actors[id.index()].size;
        (size.0.min(1.0), size.1.min(1.0))
    }

    /// The first thing that stops a piece of a way, and after which part of the piece.
    fn piece(
        &self,
        id: ActorId,
        solids: &[ActorId],
        origin: Point,
        (p, q): (Point, Point),
        open: bool,
    ) -> Option<(f64, BumpInto)> {
        let a = &self.world.actors[id.index()];
        let (from, d) = ((p.x, p.y), (q.x - p.x, q.y - p.y));
        let longest = d.0.abs().max(d.1.abs());
        let mut first: Option<(f64, BumpInto)> = None;
        let mut meet = |centre: Pair, own: Pair, other: Pair, into: &dyn Fn() -> Option<BumpInto>| {
            if space::overlap((origin.x, origin.y), own, centre, other) {
                return;
            }
            let half = ((own.0 + other.0) / 2.0, (own.1 + other.1) / 2.0);
            // Of what is met at once the first counts: cells before actors, however the numbers are rounded.
            if let Some(t) = meets(from, d, centre, half)
                && first.is_none_or(|(best, _)| (best - t) * longest > NEAR)
                && let Some(into) = into()
            {
                first = Some((t, into));
            }
        };
        if !open {
            let size = self.fitting(id);
            let (w, h) = (size.0 / 2.0 - NEAR, size.1 / 2.0 - NEAR);
            let (x0, y0) = space::cell(p.x.min(q.x) - w, p.y.min(q.y) - h);
            let (x1, y1) = space::cell(p.x.max(q.x) + w, p.y.max(q.y) + h);
            let map = &self.program.maps[p.area.index()];
            let ((x0, x1), (y0, y1)) = match self.program.edges {
                // Off an open map nothing stops anybody.
                Edges::Open => ((x0.max(0), x1.min(map.width - 1)), (y0.max(0), y1.min(map.height - 1))),
                _ => ((x0, x1), (y0, y1)),
            };
            for y in y0..=y1 {
                for x in x0..=x1 {
                    meet((x as f64, y as f64), size, (1.0, 1.0), &|| self.cell_stops(id, q, (x, y)));
                }
            }
        }
        for other in solids.iter().copied() {
            let b = &self.world.actors[other.index()];
            meet(self.image(p, b.at), a.size, b.size, &|| {
                (!ground::passes_actor(self.program, self.world, id, other)).then_some(BumpInto::Actor(other))
            });
        }
        first
    }

    /// The solid actors whose boxes may lie on a way.
    fn solids_along(&self, id: ActorId, from: Point, to: Point) -> Vec<ActorId> {
        let a = &self.world.actors[id.index()];
        if !a.tangible {
            return vec![];
        }
        // Where the edges wrap, what lies on the other side of the map may be near too. Of what cannot be met on a way
        // shorter than half the map the nearer side is the one that counts.
        let (map, wraps) = (&self.program.maps[to.area.index()], self.program.edges == Edges::Wrap);
        let is_long = |d: f64, half: f64, size: i64| (d.abs() + half) * 2.0 > size as f64;
        let is_near = |other: &ActorId| {
            let b = &self.world.actors[other.index()];
            let (w, h) = ((a.size.0 + b.size.0) / 2.0, (a.size.1 + b.size.1) / 2.0);
            let within = |n: f64, p: f64, q: f64, half: f64| n > p.min(q) - half - NEAR && n < p.max(q) + half + NEAR;
            if *other == id || b.at.area != to.area {
                return false;
            }
            let long = is_long(to.x - from.x, w, map.width) || is_long(to.y - from.y, h, map.height);
            let (x, y) = self.image(from, b.at);
            wraps && long || within(x, from.x, to.x, w) && within(y, from.y, to.y, h)
        };
        self.world.solids.iter().copied().filter(is_near).collect()
    }

    /// What of a cell stops an actor on its way to `to`.
    fn cell_stops(&self, id: ActorId, to: Point, mut cell: (i64, i64)) -> Option<BumpInto> {
        let map = &self.program.maps[to.area.index()];
        let place = cell;
        if map.is_off(cell) {
            match self.program.edges {
                Edges::Closed => return Some(BumpInto::Edge),
                Edges::Open => return None,
                Edges::Wrap => cell = (cell.0.rem_euclid(map.width), cell.1.rem_euclid(map.height)),
            }
        }
        let tile = self.world.tile(self.program, to.area, cell)?;
        (ground::tile_stops(self.program, self.world, id, tile)
            && !ground::carried_at(self.program, self.world, id, place)
            && !ground::carried_on(self.program, self.world, id, (to.x, to.y)))
        .then_some(BumpInto::Tile(tile))
    }

    /// What solid an actor would stand in at `to` that it does not stand in at `from`.
    pub fn stands_in(&self, id: ActorId, from: Point, to: Point) -> Option<BumpInto> {
        let a = &self.world.actors[id.index()];
        let size = self.fitting(id);
        let at = |p: Point| (p.x, p.y);
        let (x0, y0) = space::cell(to.x - size.0 / 2.0 + NEAR, to.y - size.1 / 2.0 + NEAR);
        let (x1, y1) = space::cell(to.x + size.0 / 2.0 - NEAR, to.y + size.1 / 2.0 - NEAR);
        for y in y0..=y1 {
            for x in x0..=x1 {
                let overlaps = |p: Point| space::overlap(at(p), size, (x as f64, y as f64), (1.0, 1.0));
                if overlaps(to)
                    && !overlaps(from)
                    && let Some(into) = self.cell_stops(id, to, (x, y))
                {
                    return Some(into);
                }
            }
        }
        if !a.tangible {
            return None;
        }
        let stops = |other: &ActorId| {
            let b = &self.world.actors[other.index()];
            *other != id
                && b.at.area == to.area
                && space::overlap(at(to), a.size, self.image(to, b.at), b.size)
                && !space::overlap(at(from), a.size, self.image(from, b.at), b.size)
                && !ground::passes_actor(self.program, self.world, id, *other)
        };
        self.world.solids.iter().copied().find(stops).map(BumpInto::Actor)
    }
}
