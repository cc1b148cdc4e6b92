//! Which zones of the level lie on a cell: a grid that is made once for a program.
//!
//! Invariant: every zone whose shape can hold a point of a cell is listed there, or is asked always.

use crate::program::{Kind, Map, Zone};
use crate::space;
use mayfly_base::code::Shape;
use mayfly_base::*;
use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

/// From the first column and row to the last.
type Cells = (i64, i64, i64, i64);

/// The zones of a level by cell.
#[derive(Clone, Debug, Default)]
pub struct ZoneGrid {
    /// For each map: where each cell's zones begin in `listed`, and where the last one's end.
    maps: Vec<Dense>,
    listed: Vec<ZoneId>,
    /// Cells off the maps.
    beyond: FxHashMap<(AreaId, i64, i64), SmallVec<[ZoneId; 4]>>,
    /// Zones that lie on too many cells to be listed: asked always.
    wide: Vec<ZoneId>,
    /// All zones of the level: asked where a way is so long that its cells are more.
    all: Vec<ZoneId>,
    /// Zones that follow tiles: asked always once one was laid.
    pub tiled: Vec<ZoneId>,
    /// For each kind the zones that its actors carry, each with the cells that it takes round its owner.
    moving: Vec<SmallVec<[(ZoneId, Cells); 1]>>,
    /// Cells on which a zone lies that does not hold whole cells: who stays in any other cell stays in its
    /// zones.
    uneven: FxHashSet<(AreaId, i64, i64)>,
}

#[derive(Clone, Debug, Default)]
struct Dense {
    width: i64,
    height: i64,
    starts: Vec<u32>,
    /// For each cell a number that it shares with every cell on which the same zones lie.
    sets: Vec<u32>,
}

/// Cells that a zone may take in the grid.
const MAX_LISTED: i64 = 200_000;
/// Cells that are looked at ahead of who walks.
const MAX_AHEAD: u32 = 32;

/// For each kind the zones of it and of the kinds from which it derives; empty where no kind has one.
fn carried(zones: &[Zone], kinds: &[Kind]) -> Vec<SmallVec<[(ZoneId, Cells); 1]>> {
    let mut own: Vec<SmallVec<[(ZoneId, Cells); 1]>> = vec![SmallVec::new(); kinds.len()];
    for (i, z) in zones.iter().enumerate() {
        if let (Some(kind), Some(cells)) = (z.of, space::bounds(&z.shape)) {
            own[kind.index()].push((ZoneId::at(i), cells));
        }
    }
    if own.iter().all(SmallVec::is_empty) {
        return vec![];
    }
    kinds.iter().map(|kind| kind.is.iter().flat_map(|k| own[k.index()].iter().copied()).collect()).collect()
}

impl ZoneGrid {
    pub fn new(zones: &[Zone], kinds: &[Kind], maps: &[Map]) -> Self {
        let mut grid = Self { moving: carried(zones, kinds), ..Self::default() };
        let mut cells: FxHashMap<(AreaId, i64, i64), SmallVec<[ZoneId; 4]>> = FxHashMap::default();
        for (i, z) in zones.iter().enumerate() {
            let id = ZoneId::at(i);
            if z.of.is_some() {
                continue;
            }
            grid.all.push(id);
            if z.shape.follows_tiles() {
                grid.tiled.push(id);
            }
            let Some((x0, y0, x1, y1)) = space::bounds(&z.shape) else { continue };
            let whole = is_whole(&z.shape);
            if (x1 - x0 + 1).saturating_mul(y1 - y0 + 1) > MAX_LISTED {
                grid.wide.push(id);
                continue;
            }
            for y in y0..=y1 {
                for x in x0..=x1 {
                    cells.entry((z.area, x, y)).or_default().push(id);
                    if !whole {
                        grid.uneven.insert((z.area, x, y));
                    }
                }
            }
        }
        let mut sets: FxHashMap<SmallVec<[ZoneId; 4]>, u32> = FxHashMap::default();
        for (area, map) in maps.iter().enumerate() {
            let mut dense = Dense { width: map.width, height: map.height, ..Dense::default() };
            for y in 0..map.height {
                for x in 0..map.width {
                    dense.starts.push(grid.listed.len() as u32);
                    let here = cells.remove(&(AreaId::at(area), x, y)).unwrap_or_default();
                    grid.listed.extend(&here);
                    let next = sets.len() as u32;
                    dense.sets.push(*sets.entry(here).or_insert(next));
                }
            }
            dense.starts.push(grid.listed.len() as u32);
            grid.maps.push(dense);
        }
        grid.beyond = cells;
        grid
    }

    /// A grid that lists nothing: every zone is asked always.
    pub fn without_index(zones: &[Zone], kinds: &[Kind]) -> Self {
        let wide = (0..zones.len()).map(ZoneId::at).filter(|z| zones[z.index()].of.is_none()).collect();
        Self { wide, moving: carried(zones, kinds), ..Self::default() }
    }

    /// True where any kind has a zone.
    pub fn has_moving(&self) -> bool {
        !self.moving.is_empty()
    }

    /// The zones that an actor of a kind carries.
    pub fn moving_with(&self, kind: KindId) -> &[(ZoneId, Cells)] {
        self.moving.get(kind.index()).map_or(&[], |list| &list[..])
    }

    /// True of a cell in which no way leads into or out of a zone of the level.
    pub fn is_even(&self, area: AreaId, (x, y): (i64, i64)) -> bool {
        self.wide.is_empty() && (self.uneven.is_empty() || !self.uneven.contains(&(area, x, y)))
    }

    /// True of two cells side by side on which the same zones of the level lie.
    pub fn is_same(&self, area: AreaId, from: (i64, i64), to: (i64, i64)) -> bool {
        let beside = (from.0 - to.0).abs() + (from.1 - to.1).abs() == 1;
        let Some(m) = self.maps.get(area.index()).filter(|_| beside) else { return false };
        match (m.place(from), m.place(to)) {
            (Some(a), Some(b)) => m.sets[a] == m.sets[b],
            _ => false,
        }
    }

    /// The last of the cells that begin with `cell` and lead on by `heading`, so far as the same zones of the level lie on them and
    /// hold each whole; some cells at most, or that one alone. None where it may be left or entered inside of it.
    pub fn last_same(&self, area: AreaId, cell: (i64, i64), heading: (i64, i64), one_cell: bool) -> Option<(i64, i64)> {
        if !self.is_even(area, cell) {
            return None;
        }
        let mut last = cell;
        for _ in 0..if one_cell { 0 } else { MAX_AHEAD } {
            let next = (last.0 + heading.0, last.1 + heading.1);
            if !self.is_same(area, last, next) || !self.is_even(area, next) {
                break;
            }
            last = next;
        }
        Some(last)
    }

    /// True where two places of a straight way lie in one cell, or the same zones of the level lie on both their cells.
    pub fn leads_nowhere_else(&self, from: Point, to: Point) -> bool {
        let (a, b) = (from.cell(), to.cell());
        let set = |c| self.maps.get(from.area.index()).and_then(|m| Some(m.sets[m.place(c)?]));
        a == b || set(a).is_some() && set(a) == set(b)
    }

    /// True where no zone of the level lies on any cell that a way between two cells may pass.
    pub fn is_free(&self, area: AreaId, from: (i64, i64), to: (i64, i64)) -> bool {
        self.wide.is_empty()
            && !is_long(from, to)
            && (from.0.min(to.0)..=from.0.max(to.0))
                .all(|x| (from.1.min(to.1)..=from.1.max(to.1)).all(|y| self.on(area, x, y).is_empty()))
    }

    /// Calls `see` for every zone that a way between two cells may meet; the same one may come again.
    pub fn near(&self, area: AreaId, from: (i64, i64), to: (i64, i64), mut see: impl FnMut(ZoneId)) {
        if is_long(from, to) {
            return self.all.iter().chain(&self.wide).for_each(|z| see(*z));
        }
        for y in from.1.min(to.1)..=from.1.max(to.1) {
            for x in from.0.min(to.0)..=from.0.max(to.0) {
                self.on(area, x, y).iter().for_each(|z| see(*z));
            }
        }
        self.wide.iter().for_each(|z| see(*z));
    }

    fn on(&self, area: AreaId, x: i64, y: i64) -> &[ZoneId] {
        if let Some((m, at)) = self.maps.get(area.index()).and_then(|m| Some((m, m.place((x, y))?))) {
            return &self.listed[m.starts[at] as usize..m.starts[at + 1] as usize];
        }
        if self.beyond.is_empty() { &[] } else { self.beyond.get(&(area, x, y)).map_or(&[], |l| l) }
    }
}

impl Dense {
    fn place(&self, (x, y): (i64, i64)) -> Option<usize> {
        let on = (0..self.width).contains(&x) && (0..self.height).contains(&y);
        on.then_some((y * self.width + x) as usize)
    }
}

/// True of a way that spans more cells than are looked at one by one.
fn is_long(from: (i64, i64), to: (i64, i64)) -> bool {
    const MAX: u64 = 4096;
    (from.0.abs_diff(to.0) + 1).saturating_mul(from.1.abs_diff(to.1) + 1) > MAX
}

/// True of shapes that hold whole cells.
fn is_whole(shape: &Shape) -> bool {
    match shape {
        Shape::Rect { .. } | Shape::Cells(_) | Shape::Tiles { .. } => true,
        Shape::Disc { .. } | Shape::Poly(_) => false,
        Shape::Sum(a, b) | Shape::Less(a, b) => is_whole(a) && is_whole(b),
    }
}
