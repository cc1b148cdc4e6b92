//! What stops actors on their ways: which solid actors stand on which cells, and what changed about it.
//!
//! Not here: the shortest way ([`crate::route`]), who walks it ([`crate::walk`]), how far a move goes before something
//! stops it ([`crate::sweep`]).
//!
//! Every change of what stops others, also a solid actor's own move, is a change with a number. An order is planned
//! for one number; a change after it is looked at only where it lies on the way, or where it may open a shorter one.
//! Of changes only the last [`MAX_CHANGES`](crate::ground_changes::MAX_CHANGES) are kept: where more came in one tick, who walks looks at the next cells of its
//! way alone.
//!
//! Invariant: an [`Occupied`] lists every solid actor at each cell on whose centre an actor of a cell's size or less
//! would overlap it.

use crate::program::Program;
use crate::space;
use crate::world::{Actor, World};
use mayfly_base::*;
use rustc_hash::FxHashMap;
use smallvec::SmallVec;

/// Actors with a longer side are looked at one by one.
const MAX_LISTED_SIDE: f64 = 16.0;

/// Which solid actors stand on which cells.
#[derive(Debug, Default)]
pub struct Occupied {
    cells: FxHashMap<(AreaId, i64, i64), SmallVec<[ActorId; 2]>>,
    /// Those that take too many cells to be listed.
    large: Vec<ActorId>,
    /// Where each was listed.
    listed: FxHashMap<ActorId, (Point, (f64, f64))>,
}

/// The cells on whose centre an actor of a cell's size would overlap a box.
fn cells_of(at: Point, size: (f64, f64)) -> impl Iterator<Item = (AreaId, i64, i64)> {
    let (w, h) = ((1.0 + size.0) / 2.0 - number::NEAR, (1.0 + size.1) / 2.0 - number::NEAR);
    let (x0, x1) = ((at.x - w).ceil() as i64, (at.x + w).floor() as i64);
    let (y0, y1) = ((at.y - h).ceil() as i64, (at.y + h).floor() as i64);
    (y0..=y1).flat_map(move |y| (x0..=x1).map(move |x| (at.area, x, y)))
}

impl Occupied {
    pub fn of(world: &World) -> Self {
        let mut all = Self::default();
        for id in &world.solids {
            all.put(*id, &world.actors[id.index()]);
        }
        all
    }

    fn put(&mut self, id: ActorId, a: &Actor) {
        if a.size.0.max(a.size.1) > MAX_LISTED_SIDE {
            self.large.push(id);
            return;
        }
        for cell in cells_of(a.at, a.size) {
            self.cells.entry(cell).or_default().push(id);
        }
        self.listed.insert(id, (a.at, a.size));
    }

    /// True where nobody solid stands anywhere.
    pub fn is_empty(&self) -> bool {
        self.cells.is_empty() && self.large.is_empty()
    }

    /// A solid actor moved.
    pub fn moved(&mut self, id: ActorId, a: &Actor) {
        let Some((at, size)) = self.listed.remove(&id) else { return };
        for cell in cells_of(at, size) {
            if let Some(list) = self.cells.get_mut(&cell) {
                list.retain(|x| *x != id);
                if list.is_empty() {
                    self.cells.remove(&cell);
                }
            }
        }
        self.put(id, a);
    }

    /// True where any of them overlaps an actor of that size on the centre of a cell and `stops` it.
    pub fn any(
        &self,
        world: &World,
        area: AreaId,
        (x, y): (i64, i64),
        size: (f64, f64),
        stops: impl Fn(ActorId) -> bool,
    ) -> bool {
        let hits = |id: &ActorId| {
            let b = &world.actors[id.index()];
            b.at.area == area && space::overlap((x as f64, y as f64), size, (b.at.x, b.at.y), b.size) && stops(*id)
        };
        let more = ((size.0.max(size.1) - 1.0) / 2.0).max(0.0).ceil() as i64;
        let near = |dx: i64, dy: i64| self.cells.get(&(area, x + dx, y + dy)).is_some_and(|l| l.iter().any(hits));
        (if more == 0 { near(0, 0) } else { (-more..=more).any(|dy| (-more..=more).any(|dx| near(dx, dy))) })
            || self.large.iter().any(hits)
    }
}

/// True where an actor goes through another, solid as that is.
pub fn passes_actor(program: &Program, world: &World, id: ActorId, other: ActorId) -> bool {
    let kind = &program.kinds[world.actors[id.index()].kind.index()];
    let b = &world.actors[other.index()];
    kind.passes_kinds.iter().any(|k| program.is_kind(b.kind, *k))
        || b.tags.iter().any(|t| kind.passes_tags.contains(t))
        || carries(program, world, other, id)
}

/// True where a tile stops an actor.
pub fn tile_stops(program: &Program, world: &World, id: ActorId, t: TileId) -> bool {
    let kind = &program.kinds[world.actors[id.index()].kind.index()];
    let tile = &program.tiles[t.index()];
    tile.solid && !kind.passes_tiles.contains(&t) && !tile.tags.iter().any(|g| kind.passes_tags.contains(g))
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
