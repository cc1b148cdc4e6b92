//! The shortest way between two cells, round what stops an actor.
//!
//! Source: A* from the goal (Hart, Nilsson, Raphael 1968) with the distance along both axes as its estimate; it is gone
//! on with until every cell of every shortest way is known. The way then goes down the distances, and of equally
//! short first steps takes north, east, south, west, in this order.
//!
//! Invariant: the same world gives the same way, whatever was asked before; no more cells are looked at than
//! [`Plans::left`] says.

use crate::ground::{Occupied, carried_at, passes_actor, tile_stops};
use crate::program::{Edges, Program};
use crate::world::World;
use mayfly_base::*;

/// Steps in the order in which they are preferred.
pub const STEPS: [(i64, i64); 4] = [(0, -1), (1, 0), (0, 1), (-1, 0)];
/// How far beyond everything a way may lead where there is no edge.
const MARGIN: i64 = 8;
/// Cells among which a way is sought at most.
const MAX_CELLS: i64 = 4_000_000;
/// Steps of a way that is not sought, since the straight one is free.
const MAX_STRAIGHT: i64 = 100_000;
/// Cells that all searches of one tick look at.
const MAX_LOOKED_AT: u64 = 4_000_000;

/// What the searches of one tick share.
#[derive(Debug)]
pub struct Plans {
    /// Distances from the goal, each with the number of the search that it is of.
    far: Vec<(u32, u32)>,
    search: u32,
    /// Cells that may still be looked at in this tick.
    pub left: u64,
}

impl Default for Plans {
    fn default() -> Self {
        Self { far: vec![], search: 0, left: MAX_LOOKED_AT }
    }
}

/// What stops one actor, of now.
pub struct Ground<'a> {
    pub program: &'a Program,
    pub world: &'a World,
    pub occupied: &'a Occupied,
    pub id: ActorId,
    /// Does not stop it: whom it walks after.
    pub ignored: Option<ActorId>,
}

impl Ground<'_> {
    fn area(&self) -> AreaId {
        self.world.actors[self.id.index()].at.area
    }

    /// True where the actor can stand on the centre of a cell.
    pub fn free(&self, cell: (i64, i64)) -> bool {
        let (area, a) = (self.area(), &self.world.actors[self.id.index()]);
        let map = &self.program.maps[area.index()];
        if map.is_off(cell) && self.program.edges != Edges::Open {
            return false;
        }
        let stops = |other: ActorId| {
            other != self.id && Some(other) != self.ignored && !passes_actor(self.program, self.world, self.id, other)
        };
        if a.tangible && self.occupied.any(self.world, area, cell, a.size, stops) {
            return false;
        }
        if !self.program.solid_tiles {
            return true;
        }
        match self.world.tile(self.program, area, cell) {
            Some(t) => {
                !tile_stops(self.program, self.world, self.id, t) || carried_at(self.program, self.world, self.id, cell)
            }
            None => true,
        }
    }

    fn bounds(&self, from: (i64, i64), to: (i64, i64)) -> (i64, i64, i64, i64) {
        let (area, map) = (self.area(), &self.program.maps[self.area().index()]);
        if map.width > 0 && self.program.edges != Edges::Open {
            return (0, 0, map.width - 1, map.height - 1);
        }
        let (mut x0, mut y0) = (from.0.min(to.0), from.1.min(to.1));
        let (mut x1, mut y1) = (from.0.max(to.0), from.1.max(to.1));
        for b in self.world.solids.iter().map(|id| &self.world.actors[id.index()]).filter(|b| b.at.area == area) {
            let (x, y) = b.at.cell();
            let (w, h) = ((b.size.0 / 2.0).ceil() as i64 + 1, (b.size.1 / 2.0).ceil() as i64 + 1);
            (x0, y0, x1, y1) = (
                x0.min(x.saturating_sub(w)),
                y0.min(y.saturating_sub(h)),
                x1.max(x.saturating_add(w)),
                y1.max(y.saturating_add(h)),
            );
        }
        if map.width > 0 {
            (x0, y0, x1, y1) = (x0.min(0), y0.min(0), x1.max(map.width - 1), y1.max(map.height - 1));
        }
        let (x0, y0) = (x0.saturating_sub(MARGIN), y0.saturating_sub(MARGIN));
        (x0, y0, x1.saturating_add(MARGIN), y1.saturating_add(MARGIN))
    }

    /// The cells from `from` (left out) to `to`; none where there is no way, or where the searches of this tick have
    /// looked at all the cells that they may.
    pub fn way(&self, from: (i64, i64), to: (i64, i64), plans: &mut Plans) -> Option<Vec<(i64, i64)>> {
        if from == to {
            return Some(vec![]);
        }
        if !self.free(to) {
            return None;
        }
        self.straight(from, to).or_else(|| self.search(from, to, plans))
    }

    /// The way with one corner that takes its steps in the preferred order: where it is free, none is
    /// preferred to it.
    fn straight(&self, from: (i64, i64), to: (i64, i64)) -> Option<Vec<(i64, i64)>> {
        let (dx, dy) = (to.0.saturating_sub(from.0), to.1.saturating_sub(from.1));
        if dx.unsigned_abs().saturating_add(dy.unsigned_abs()) > MAX_STRAIGHT as u64 {
            return None;
        }
        let mut cells = Vec::with_capacity((dx.abs() + dy.abs()) as usize);
        let mut at = from;
        // Between two cells of a map on which nothing stops anybody, nothing does.
        let map = &self.program.maps[self.area().index()];
        let open = self.occupied.is_empty() && !self.program.solid_tiles && !map.is_off(from) && !map.is_off(to);
        for (sx, sy) in STEPS {
            let n = if sx != 0 { dx * sx } else { dy * sy };
            for _ in 0..n.max(0) {
                at = (at.0 + sx, at.1 + sy);
                if !open && !self.free(at) {
                    return None;
                }
                cells.push(at);
            }
        }
        Some(cells)
    }

    fn search(&self, from: (i64, i64), to: (i64, i64), plans: &mut Plans) -> Option<Vec<(i64, i64)>> {
        let (x0, y0, x1, y1) = self.bounds(from, to);
        let (w, h) = (x1.saturating_sub(x0).saturating_add(1), y1.saturating_sub(y0).saturating_add(1));
        let inside = |c: (i64, i64)| (x0..=x1).contains(&c.0) && (y0..=y1).contains(&c.1);
        if w.saturating_mul(h) > MAX_CELLS || !inside(from) || !inside(to) {
            return None;
        }
        let at = |c: (i64, i64)| ((c.1 - y0) * w + c.0 - x0) as usize;
        let estimate = |c: (i64, i64)| (c.0.abs_diff(from.0) + c.1.abs_diff(from.1)) as u32;
        let Plans { far, search, left } = plans;
        far.resize(far.len().max((w * h) as usize), (0, 0));
        *search += 1;
        let known = |far: &[(u32, u32)], c: (i64, i64)| {
            let (of, d) = far[at(c)];
            if of == *search { d } else { u32::MAX }
        };
        far[at(to)] = (*search, 0);
        // All cells with one sum of distance and estimate; a step leaves it as it is, or adds two.
        let (mut now, mut next) = (vec![to], vec![]);
        let mut sum = estimate(to);
        loop {
            while let Some(c) = now.pop() {
                let d = known(far, c);
                if d + estimate(c) != sum {
                    continue;
                }
                *left = left.saturating_sub(1);
                if *left == 0 {
                    return None;
                }
                for (sx, sy) in STEPS {
                    let n = (c.0 + sx, c.1 + sy);
                    if inside(n) && known(far, n) > d + 1 && (n == from || self.free(n)) {
                        far[at(n)] = (*search, d + 1);
                        if d + 1 + estimate(n) == sum { now.push(n) } else { next.push(n) }
                    }
                }
            }
            if known(far, from) != u32::MAX || next.is_empty() {
                break;
            }
            std::mem::swap(&mut now, &mut next);
            sum += 2;
        }
        let mut steps = known(far, from);
        if steps == u32::MAX {
            return None;
        }
        let mut cells = Vec::with_capacity(steps as usize);
        let mut c = from;
        while steps > 0 {
            let mut beside = STEPS.iter().map(|(sx, sy)| (c.0 + sx, c.1 + sy));
            c = beside.find(|n| inside(*n) && known(far, *n) == steps - 1)?;
            cells.push(c);
            steps -= 1;
        }
        Some(cells)
    }
}
