//! The shortest way between two cells, round what stops an actor.
//!
//! Source: breadth-first search from the goal; the way then goes down the distances, and of equally
//! short first steps takes north, east, south, west, in this order.
//!
//! Invariant: the same world gives the same way, whatever was asked before.

use crate::program::{Edges, Program};
use crate::space;
use crate::world::World;
use mayfly_base::*;
use rustc_hash::FxHashSet;

/// Steps in the order in which they are preferred.
pub const STEPS: [(i64, i64); 4] = [(0, -1), (1, 0), (0, 1), (-1, 0)];
/// How far beyond everything a way may lead where there is no edge.
const MARGIN: i64 = 8;
/// Cells that are searched at most.
const MOST_CELLS: i64 = 4_000_000;

/// What stops one actor, of now.
pub struct Ground<'a> {
    program: &'a Program,
    world: &'a World,
    id: ActorId,
    area: AreaId,
    /// Cells on whose centre it would overlap a solid actor.
    taken: FxHashSet<(i64, i64)>,
}

impl<'a> Ground<'a> {
    /// `ignored` does not stop it: whom it walks after.
    pub fn new(program: &'a Program, world: &'a World, id: ActorId, ignored: Option<ActorId>) -> Self {
        let a = &world.actors[id.index()];
        let mut taken = FxHashSet::default();
        for other in world.solids.iter().copied() {
            let b = &world.actors[other.index()];
            if other == id
                || Some(other) == ignored
                || !a.tangible
                || b.at.area != a.at.area
                || passes_actor(program, world, id, other)
            {
                continue;
            }
            let reach = ((a.size.0.max(a.size.1) + b.size.0.max(b.size.1)) / 2.0).ceil() as i64 + 1;
            let (cx, cy) = b.at.cell();
            for y in cy - reach..=cy + reach {
                for x in cx - reach..=cx + reach {
                    if space::overlap((x as f64, y as f64), a.size, (b.at.x, b.at.y), b.size) {
                        taken.insert((x, y));
                    }
                }
            }
        }
        Self { program, world, id, area: a.at.area, taken }
    }

    /// True where the actor can stand on the centre of a cell.
    pub fn free(&self, cell: (i64, i64)) -> bool {
        let map = &self.program.maps[self.area.index()];
        if map.is_off(cell) && self.program.edges != Edges::Open {
            return false;
        }
        if self.taken.contains(&cell) {
            return false;
        }
        if !self.program.solid_tiles {
            return true;
        }
        match self.world.tile(self.program, self.area, cell) {
            Some(t) => {
                !tile_stops(self.program, self.world, self.id, t) || carried_at(self.program, self.world, self.id, cell)
            }
            None => true,
        }
    }

    fn bounds(&self, from: (i64, i64), to: (i64, i64)) -> (i64, i64, i64, i64) {
        let map = &self.program.maps[self.area.index()];
        let (mut x0, mut y0) = (from.0.min(to.0), from.1.min(to.1));
        let (mut x1, mut y1) = (from.0.max(to.0), from.1.max(to.1));
        for (x, y) in &self.taken {
            (x0, y0, x1, y1) = (x0.min(*x), y0.min(*y), x1.max(*x), y1.max(*y));
        }
        if map.width > 0 {
            (x0, y0, x1, y1) = (x0.min(0), y0.min(0), x1.max(map.width - 1), y1.max(map.height - 1));
            if self.program.edges != Edges::Open {
                return (0, 0, map.width - 1, map.height - 1);
            }
        }
        (x0 - MARGIN, y0 - MARGIN, x1 + MARGIN, y1 + MARGIN)
    }

    /// The cells from `from` (left out) to `to`; none where there is no way.
    pub fn way(&self, from: (i64, i64), to: (i64, i64)) -> Option<Vec<(i64, i64)>> {
        if from == to {
            return Some(vec![]);
        }
        if !self.free(to) {
            return None;
        }
        self.straight(from, to).or_else(|| self.search(from, to))
    }

    /// The way with one corner that takes its steps in the preferred order: where it is free, none is
    /// preferred to it.
    fn straight(&self, from: (i64, i64), to: (i64, i64)) -> Option<Vec<(i64, i64)>> {
        let (dx, dy) = (to.0 - from.0, to.1 - from.1);
        if dx.abs() + dy.abs() > 100_000 {
            return None;
        }
        let mut cells = Vec::with_capacity((dx.abs() + dy.abs()) as usize);
        let mut at = from;
        for (sx, sy) in STEPS {
            let n = if sx != 0 { dx * sx } else { dy * sy };
            for _ in 0..n.max(0) {
                at = (at.0 + sx, at.1 + sy);
                if !self.free(at) {
                    return None;
                }
                cells.push(at);
            }
        }
        Some(cells)
    }

    fn search(&self, from: (i64, i64), to: (i64, i64)) -> Option<Vec<(i64, i64)>> {
        let (x0, y0, x1, y1) = self.bounds(from, to);
        let (w, h) = (x1 - x0 + 1, y1 - y0 + 1);
        let inside = |c: (i64, i64)| (x0..=x1).contains(&c.0) && (y0..=y1).contains(&c.1);
        if w.saturating_mul(h) > MOST_CELLS || !inside(from) || !inside(to) {
            return None;
        }
        let at = |c: (i64, i64)| ((c.1 - y0) * w + c.0 - x0) as usize;
        let mut far = vec![u32::MAX; (w * h) as usize];
        far[at(to)] = 0;
        let mut layer = vec![to];
        let mut next = vec![];
        let mut distance = 0;
        while far[at(from)] == u32::MAX && !layer.is_empty() {
            distance += 1;
            for c in layer.drain(..) {
                for (sx, sy) in STEPS {
                    let n = (c.0 + sx, c.1 + sy);
                    if inside(n) && far[at(n)] == u32::MAX && (n == from || self.free(n)) {
                        far[at(n)] = distance;
                        next.push(n);
                    }
                }
            }
            std::mem::swap(&mut layer, &mut next);
        }
        let mut left = far[at(from)];
        if left == u32::MAX {
            return None;
        }
        let mut cells = Vec::with_capacity(left as usize);
        let mut c = from;
        while left > 0 {
            let step =
                STEPS.iter().map(|(sx, sy)| (c.0 + sx, c.1 + sy)).find(|n| inside(*n) && far[at(*n)] == left - 1);
            c = step?;
            cells.push(c);
            left -= 1;
        }
        Some(cells)
    }
}

/// True where a tile stops an actor.
pub fn tile_stops(program: &Program, world: &World, id: ActorId, t: TileId) -> bool {
    let kind = &program.kinds[world.actors[id.index()].kind.index()];
    let tile = &program.tiles[t.index()];
    tile.solid && !kind.passes_tiles.contains(&t) && !tile.tags.iter().any(|g| kind.passes_tags.contains(g))
}

/// True where an actor goes through another, solid as that is.
pub fn passes_actor(program: &Program, world: &World, id: ActorId, other: ActorId) -> bool {
    let kind = &program.kinds[world.actors[id.index()].kind.index()];
    let b = &world.actors[other.index()];
    kind.passes_kinds.iter().any(|k| program.is_kind(b.kind, *k))
        || b.tags.iter().any(|t| kind.passes_tags.contains(t))
        || carries(program, world, other, id)
}

/// True where `carrier` takes `id` along when that stands in its box.
pub fn carries(program: &Program, world: &World, carrier: ActorId, id: ActorId) -> bool {
    let kind = &program.kinds[world.actors[carrier.index()].kind.index()];
    carrier != id && kind.carries.iter().any(|s| world.is_one_of(program, id, s, None))
}

/// True where the box of one that carries the actor holds the centre of a cell: it is free ground.
pub fn carried_at(program: &Program, world: &World, id: ActorId, cell: (i64, i64)) -> bool {
    carried_on(program, world, id, (cell.0 as f64, cell.1 as f64))
}

/// True where the box of one that carries the actor holds a point.
pub fn carried_on(program: &Program, world: &World, id: ActorId, p: (f64, f64)) -> bool {
    let area = world.actors[id.index()].at.area;
    program.carriers
        && world.living().any(|(c, a)| {
            a.enabled
                && a.at.area == area
                && carries(program, world, c, id)
                && space::holds((a.at.x, a.at.y), a.size, p)
        })
}
