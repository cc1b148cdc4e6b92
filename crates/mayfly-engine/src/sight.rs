//! Sight: who sees whom, and what stands between.
//!
//! Source: the straight line between two centres; a cell stands between where the line passes its
//! inside, an actor where it passes its box.
//!
//! Invariant: who is seen is visible, enabled and in the same area; nobody sees itself.

use crate::eval::Scope;
use crate::fault::MAX_PAIRS_LOOKED_AT;
use crate::record::*;
use crate::sense::{BEGINS, ENDS, Sensed};
use crate::space;
use crate::space::line_meets;
use crate::tick_context::TickContext;
use mayfly_base::arith;
use mayfly_base::code::*;
use mayfly_base::number::NEAR;
use mayfly_base::*;

/// True where a point lies in a sight of one at `at` who faces `facing`.
pub fn in_sight(sight: &Sight, at: Point, facing: u32, p: Point) -> bool {
    let (dx, dy) = (p.x - at.x, p.y - at.y);
    let far = dx.hypot(dy);
    let (fx, fy) = arith::step(facing);
    match sight {
        Sight::All { reach } => far <= reach + NEAR,
        Sight::Wedge { degrees, reach } => {
            if far > reach + NEAR {
                return false;
            }
            // The angle to the facing, by its cosine and sine, so that borders are exact.
            let (along, aside) = (dx * fx + dy * fy, (dx * -fy + dy * fx).abs());
            far < NEAR || *degrees >= 360.0 || aside.atan2(along).to_degrees() <= degrees / 2.0 + 1e-7
        }
        Sight::Cells { ahead, left, right } => {
            let (c, o) = (p.cell(), at.cell());
            let (cx, cy) = ((c.0 - o.0) as f64, (c.1 - o.1) as f64);
            let (along, aside) = (cx * fx + cy * fy, cx * -fy + cy * fx);
            let (along, aside) = (along.round() as i64, aside.round() as i64);
            (along, aside) == (0, 0) || (1..=*ahead).contains(&along) && (-left..=*right).contains(&aside)
        }
    }
}

/// What hides one from another.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Between {
    /// An opaque tile in that cell.
    Tile((i64, i64), TileId),
    Actor(ActorId),
}

impl Scope<'_> {
    /// True where `a` sees `b` now.
    pub fn sees(&self, a: ActorId, b: ActorId) -> bool {
        self.may_see(a, b) && self.is_clear(a, self.world.actors[b.index()].at, Some(b), None)
    }

    /// True where `b` is there to be seen, and in `a`'s field of view.
    fn may_see(&self, a: ActorId, b: ActorId) -> bool {
        let (x, y) = (&self.world.actors[a.index()], &self.world.actors[b.index()]);
        let there = a != b && !x.gone && !y.gone && x.enabled && y.enabled && y.visible && x.at.area == y.at.area;
        there && self.looks_at(a, y.at)
    }

    /// True where `a` sees a point now.
    pub fn sees_point(&self, a: ActorId, p: Point) -> bool {
        let x = &self.world.actors[a.index()];
        !x.gone && x.enabled && x.at.area == p.area && self.looks_at(a, p) && self.is_clear(a, p, None, None)
    }

    fn looks_at(&self, a: ActorId, p: Point) -> bool {
        let x = &self.world.actors[a.index()];
        self.program.kinds[x.kind.index()].sights.iter().any(|s| in_sight(s, x.at, x.facing, p))
    }

    /// True where nothing opaque stands between an actor and a place, their own cells apart. `opaque`: who can stand
    /// between, where that is known.
    fn is_clear(&self, a: ActorId, to: Point, b: Option<ActorId>, hiding: Option<&[ActorId]>) -> bool {
        self.hidden_by(a, to, b, hiding).is_none()
    }

    /// What stands between an actor and a place in its area: the first opaque tile on the line, else an opaque actor.
    pub fn between(&self, a: ActorId, to: Point, b: Option<ActorId>) -> Option<Between> {
        self.hidden_by(a, to, b, None)
    }

    fn hidden_by(&self, a: ActorId, to: Point, b: Option<ActorId>, hiding: Option<&[ActorId]>) -> Option<Between> {
        let x = &self.world.actors[a.index()];
        let (p, q) = ((x.at.x, x.at.y), (to.x, to.y));
        let own = [x.at.cell(), to.cell()];
        let opaque = |c: (i64, i64)| {
            self.world.tile(self.program, x.at.area, c).filter(|t| self.program.tiles[t.index()].opaque)
        };
        if self.program.tiles.iter().any(|t| t.opaque) {
            for c in space::cells_between(p, q).filter(|c| !own.contains(c)) {
                if let Some(t) = opaque(c)
                    && line_meets(p, q, (c.0 as f64, c.1 as f64), (1.0, 1.0))
                {
                    return Some(Between::Tile(c, t));
                }
            }
        }
        let hides = |id: ActorId| {
            let o = &self.world.actors[id.index()];
            o.opaque
                && o.enabled
                && id != a
                && Some(id) != b
                && o.at.area == x.at.area
                && !own.contains(&o.at.cell())
                && line_meets(p, q, (o.at.x, o.at.y), o.size)
        };
        let found = match hiding {
            Some(list) => list.iter().copied().find(|id| hides(*id)),
            None => self.world.living().find(|(id, o)| o.opaque && hides(*id)).map(|(id, _)| id),
        };
        found.map(Between::Actor)
    }

    /// The first tangible actor on a straight way, but for `from` itself.
    pub fn ray(&self, from: Option<ActorId>, p: Point, direction: u32, length: f64) -> Option<ActorId> {
        let (dx, dy) = arith::step(direction);
        let mut best: Option<(f64, ActorId)> = None;
        for (id, a) in self.world.living() {
            if Some(id) == from || !a.enabled || !a.tangible || a.at.area != p.area {
                continue;
            }
            let (rx, ry) = (a.at.x - p.x, a.at.y - p.y);
            let (along, aside) = (rx * dx + ry * dy, (rx * dy + ry * dx).abs());
            let (half, side) =
                if dx == 0.0 { (a.size.1 / 2.0, a.size.0 / 2.0) } else { (a.size.0 / 2.0, a.size.1 / 2.0) };
            let near = (along - half).max(0.0);
            let hit = aside <= side + NEAR && along + half >= -NEAR && near <= length + NEAR;
            if hit && best.is_none_or(|(d, _)| near < d - NEAR) {
                best = Some((near, id));
            }
        }
        best.map(|(_, id)| id)
    }
}

impl<R: Recorder> TickContext<'_, R> {
    /// Compares who sees whom with the tick before. Only pairs that a rule asks about are kept.
    pub(crate) fn sense_sight(&mut self, dirty: &[ActorId], sensed: &mut Vec<Sensed>) {
        let tick = self.world.tick;
        let asked = &self.program.dispatch.sights;
        let all_dirty = self.world.sight_changed
            || dirty.iter().any(|id| self.world.actors[id.index()].opaque || self.world.actors[id.index()].gone);
        let is = |id: ActorId, set: &WhoSet, owner: Option<KindId>| match (set, owner) {
            (WhoSet::Myself, Some(k)) => self.program.is_kind(self.world.actors[id.index()].kind, k),
            (set, _) => self.world.is_one_of(self.program, id, set, None),
        };
        let mut pairs: Vec<(ActorId, ActorId)> = vec![];
        for (a, x) in self.world.living() {
            if self.program.kinds[x.kind.index()].sights.is_empty() {
                continue;
            }
            let seer: Vec<_> = asked.iter().filter(|(s, _, o)| is(a, s, *o)).collect();
            if seer.is_empty() {
                continue;
            }
            for (b, y) in self.world.living().filter(|(b, _)| *b != a) {
                let is_dirty = all_dirty || x.is_dirty() || y.is_dirty();
                if pairs.len() as u64 > MAX_PAIRS_LOOKED_AT {
                    break;
                }
                let in_sight = y.visible && y.enabled && x.enabled && y.at.area == x.at.area;
                // Who is in no field of view can only be lost, which is found below.
                if is_dirty
                    && in_sight
                    && seer.iter().any(|(_, s, o)| is(b, s, *o))
                    && self.scope(None).looks_at(a, y.at)
                {
                    pairs.push((a, b));
                }
            }
        }
        let ended = self.world.seen.keys().filter(|(a, b)| {
            all_dirty || self.world.actors[a.index()].is_dirty() || self.world.actors[b.index()].is_dirty()
        });
        pairs.extend(ended);
        let hides = |(id, o): (ActorId, &crate::world::Actor)| (o.opaque && o.enabled).then_some(id);
        let hiding: Vec<ActorId> =
            if pairs.is_empty() { vec![] } else { self.world.living().filter_map(hides).collect() };
        pairs.sort();
        pairs.dedup();
        for (a, b) in pairs {
            let was = self.world.seen.contains_key(&(a, b));
            if !self.may_look_at(1 + hiding.len() as u64 / 16, "sight") {
                break;
            }
            let is = {
                let (scope, y) = (self.scope(None), &self.world.actors[b.index()]);
                scope.may_see(a, b) && scope.is_clear(a, y.at, Some(b), Some(&hiding))
            };
            let cause = self.world.actors[a.index()].moved_by.max_by_tick(self.world.actors[b.index()].moved_by);
            let cause = if self.world.sight_changed { cause.max_by_tick(self.world.sight_cause) } else { cause };
            if is && !was {
                if !self.has_room_for_pair(self.world.seen.len(), "in sight") {
                    continue;
                }
                self.world.seen.insert((a, b), tick);
                sensed.push(((BEGINS, a.0, 4, b.0, 0, 0), EventInstance::Sees(a, b), cause));
            } else if was && !is {
                self.world.seen.remove(&(a, b));
                sensed.push(((ENDS, a.0, 4, b.0, 0, 0), EventInstance::Loses(a, b), cause));
            }
        }
        self.world.sight_changed = false;
    }
}
