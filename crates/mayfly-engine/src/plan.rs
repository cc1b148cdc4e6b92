//! Planning ways: the shortest one round what stops an actor, and when it has to be planned again.
//!
//! Not here: the shortest way itself ([`crate::route`]), how it is walked ([`crate::walk`]).
//!
//! Invariant: an order that is not stuck has a way on which nothing stood when it was planned, and is looked at again
//! where something came onto it.

use crate::ground::Occupied;
use crate::ground_changes::Change;
use crate::record::*;
use crate::route::{Ground, STEPS};
use crate::tick_context::{Queued, TickContext};
use crate::world::*;
use mayfly_base::number::NEAR;
use mayfly_base::*;

/// Cells of its way that a walker looks at where too much moved to know what changed.
const LOOK_AHEAD: i64 = 3;
/// Solid actors up to which a stuck walker looks for a way in every tick in which one of them moves.
const FEW_SOLIDS: usize = 64;
/// Of more, it looks each so many ticks.
const STUCK_LOOKS: u64 = 8;

/// The points of a way at which it turns, and its ends.
fn corners(points: Vec<Point>) -> Vec<Point> {
    let mut kept: Vec<Point> = vec![];
    for p in points {
        if let [.., a, b] = kept[..]
            && (a.x == b.x && b.x == p.x || a.y == b.y && b.y == p.y)
        {
            kept.pop();
        }
        kept.push(p);
    }
    kept
}

/// True where something that is in the way lies on what is left of an order's way.
fn lies_on_way(a: &Actor, order: &Order, c: &Change) -> bool {
    let (w, h) = ((a.size.0 + c.size.0) / 2.0 - NEAR, (a.size.1 + c.size.1) / 2.0 - NEAR);
    let mut from = (a.at.x, a.at.y);
    order.way.iter().flat_map(|w| w[..order.left.min(w.len())].iter().rev()).any(|p| {
        let to = (p.x, p.y);
        let hits = |x: f64, a: f64, b: f64, half: f64| x > a.min(b) - half && x < a.max(b) + half;
        let on = hits(c.at.0, from.0, to.0, w) && hits(c.at.1, from.1, to.1, h);
        from = to;
        on
    })
}

impl<R: Recorder> TickContext<'_, R> {
    /// Where an order leads now; none where it leads nowhere any more.
    pub(crate) fn goal_point(&self, id: ActorId, goal: Destination) -> Option<Point> {
        let at = self.world.actors[id.index()].at;
        match goal {
            Destination::To(p) => Some(p),
            Destination::Along(path, i, _) => {
                let point = self.program.paths[path.index()].points.get(i as usize).copied();
                point.map(|p| self.inside(p))
            }
            Destination::After(a) => self.world.actor(a).filter(|a| a.enabled).map(|a| a.at),
            Destination::AwayFrom(..) => Some(at),
        }
    }

    /// The cells of the shortest way, of now.
    pub(crate) fn find_way(
        &mut self,
        id: ActorId,
        ignored: Option<ActorId>,
        from: (i64, i64),
        to: (i64, i64),
    ) -> Option<Vec<(i64, i64)>> {
        self.fill_occupied();
        let occupied = self.occupied.as_ref()?;
        Ground { program: self.program, world: self.world, occupied, id, ignored }.way(from, to, &mut self.plans)
    }

    pub(crate) fn fill_occupied(&mut self) {
        if self.occupied.is_none() {
            self.occupied = Some(Occupied::of(self.world));
        }
    }

    /// True where an actor can stand on the centre of a cell.
    pub(crate) fn is_free(&mut self, id: ActorId, ignored: Option<ActorId>, cell: (i64, i64)) -> bool {
        self.fill_occupied();
        let Some(occupied) = self.occupied.as_ref() else { return false };
        Ground { program: self.program, world: self.world, occupied, id, ignored }.free(cell)
    }

    /// Plans the way of an order from where the actor stands; false where there is none.
    pub(crate) fn plan(&mut self, id: ActorId, order: &mut Order) -> bool {
        let Some(goal) = self.goal_point(id, order.goal) else {
            order.take_way(vec![]);
            return true;
        };
        let at = self.world.actors[id.index()].at;
        order.planned = (self.world.changes.count, goal);
        order.detour = false;
        if goal.area != at.area {
            order.drop_way();
            return false;
        }
        if let Destination::AwayFrom(from, p) = order.goal {
            let from = from.and_then(|a| self.world.actor(a)).map_or(p, |a| a.at);
            let way = self.way_off(id, from, order.straight);
            order.take_way(way);
            return true;
        }
        if order.straight {
            order.take_way(vec![goal]);
            return true;
        }
        let ignored = if let Destination::After(a) = order.goal { Some(a) } else { None };
        order.drop_way();
        let (from, to) = (at.cell(), goal.cell());
        if let Some(cells) = self.find_way(id, ignored, from, to) {
            order.detour = cells.len() as u64 > from.0.abs_diff(to.0) + from.1.abs_diff(to.1);
            order.take_way(self.points(at, &cells, goal));
        }
        order.way.is_some()
    }

    /// The points of a way, the next one last.
    pub(crate) fn points(&self, at: Point, cells: &[(i64, i64)], goal: Point) -> Vec<Point> {
        let centre = |c: (i64, i64)| Point { x: c.0 as f64, y: c.1 as f64, area: at.area };
        let mut points = vec![goal];
        points.extend(cells.iter().rev().map(|c| centre(*c)).skip_while(|p| *p == goal));
        // Off its own cell's centre it goes there first, but for the way that lies before it.
        if let Some(first) = cells.first() {
            let own = centre(at.cell());
            let aside = if first.0 == own.cell().0 { at.x - own.x } else { at.y - own.y };
            if aside.abs() > NEAR {
                points.push(own);
            }
        }
        corners(points)
    }

    /// The next point of a way off: the free cell beside that lies farthest away, farther than here.
    pub(crate) fn way_off(&mut self, id: ActorId, from: Point, straight: bool) -> Vec<Point> {
        let at = self.world.actors[id.index()].at;
        if from.area != at.area {
            return vec![];
        }
        let far = |p: Point| (p.x - from.x).hypot(p.y - from.y);
        if straight {
            let d = far(at);
            let (dx, dy) = if d > NEAR { ((at.x - from.x) / d, (at.y - from.y) / d) } else { (0.0, -1.0) };
            let on = |n: f64| n.clamp(-value::MAX_PLACE, value::MAX_PLACE);
            return vec![Point { x: on(at.x + dx * 4.0), y: on(at.y + dy * 4.0), area: at.area }];
        }
        let (cx, cy) = at.cell();
        let centre = |c: (i64, i64)| Point { x: c.0 as f64, y: c.1 as f64, area: at.area };
        let mut best = centre((cx, cy));
        for (sx, sy) in STEPS {
            let c = (cx + sx, cy + sy);
            if far(centre(c)) > far(best) + NEAR && self.is_free(id, None, c) {
                best = centre(c);
            }
        }
        if best == centre((cx, cy)) && far(best) <= far(at) {
            return vec![];
        }
        self.points(at, &[best.cell()], best)
    }

    /// Plans where nothing is planned yet, or where what stops it or its goal has changed; says where it is stuck now.
    pub(crate) fn plan_again(&mut self, id: ActorId, order: &mut Order) {
        if !self.must_plan(id, order) {
            return;
        }
        let was = order.stuck;
        order.stuck = !self.plan(id, order);
        if order.stuck && !was {
            self.queue.push_back(Queued { what: EventInstance::Stuck(id), cause: order.cause });
        }
    }

    /// True where the way of an order has to be planned again; where nothing on it changed, it counts as planned
    /// for now.
    pub(crate) fn must_plan(&mut self, id: ActorId, order: &mut Order) -> bool {
        let goal = self.goal_point(id, order.goal);
        let moved = matches!(order.goal, Destination::After(_)) && goal.is_some_and(|g| g != order.planned.1);
        let at = self.world.actors[id.index()].at;
        let elsewhere = order.stuck && goal.is_some_and(|g| g.area != at.area);
        let away = matches!(order.goal, Destination::AwayFrom(..)) && order.way.is_some() && order.left == 0;
        if moved || away || order.way.is_none() && !order.stuck || order.planned.0 == u64::MAX {
            return true;
        }
        let number = self.world.changes.count;
        if elsewhere {
            return true;
        }
        if order.planned.0 == number {
            return false;
        }
        if order.straight || matches!(order.goal, Destination::AwayFrom(..)) && !order.stuck {
            order.planned.0 = number;
            return matches!(order.goal, Destination::AwayFrom(..));
        }
        let must = if self.world.changes.all > order.planned.0 {
            true
        } else {
            let a = &self.world.actors[id.index()];
            let known = self.world.changes.since(order.planned.0).map(|mut changes| {
                changes.any(|c| {
                    c.by != Some(id)
                        && c.area == a.at.area
                        && if c.closes { !order.stuck && lies_on_way(a, order, c) } else { order.stuck || order.detour }
                })
            });
            match known {
                Some(any) => any,
                None if order.stuck => {
                    let few = self.world.solids.len() <= FEW_SOLIDS;
                    // Not every tick, and not all at once.
                    if !few && !(self.world.tick + u64::from(id.0)).is_multiple_of(STUCK_LOOKS) {
                        return false;
                    }
                    true
                }
                None => !self.is_free_ahead(id, order),
            }
        };
        if !must {
            order.planned.0 = number;
        }
        must
    }

    /// True where the next cells of a way are free.
    pub(crate) fn is_free_ahead(&mut self, id: ActorId, order: &Order) -> bool {
        let ignored = if let Destination::After(a) = order.goal { Some(a) } else { None };
        let (mut at, mut left) = (self.world.actors[id.index()].at.cell(), LOOK_AHEAD);
        let points =
            order.way.iter().flat_map(|w| w[..order.left.min(w.len())].iter().rev().take(LOOK_AHEAD as usize + 1));
        let points: Vec<Point> = points.copied().collect();
        for p in points {
            let to = p.cell();
            while at != to {
                let step = ((to.0 - at.0).signum(), (to.1 - at.1).signum());
                at = if step.0 != 0 { (at.0 + step.0, at.1) } else { (at.0, at.1 + step.1) };
                if !self.is_free(id, ignored, at) {
                    return false;
                }
                left -= 1;
                if left == 0 {
                    return true;
                }
            }
        }
        true
    }

    /// What stops actors changed: every order on whose way that lies is planned again, and who has no way is stuck
    /// in this very tick.
    pub fn plan_all(&mut self, in_round: bool) {
        let number = self.world.changes.count;
        if self.planned_for == number {
            return;
        }
        self.planned_for = number;
        if self.world.changes.all < number && self.world.changes.since(self.changes_before).is_none() {
            // Too much moved in this tick: each looks ahead when it walks.
            return;
        }
        for n in 0..self.world.actors.len() {
            let a = self.world.actors.nth(n);
            if a.gone || !a.enabled || a.walk.as_ref().is_none_or(|w| w.stuck || w.planned.0 == number) {
                continue;
            }
            let id = self.world.actors.id(n);
            let Some(mut order) = self.world.actors[id.index()].walk.take() else { continue };
            if order.way.is_some() && self.must_plan(id, &mut order) {
                order.stuck = !self.plan(id, &mut order);
                if order.stuck {
                    let q = Queued { what: EventInstance::Stuck(id), cause: self.changed_by };
                    if in_round { self.next.push(q) } else { self.queue.push_back(q) }
                }
            }
            self.world.actors[id.index()].walk.set(order);
        }
    }
}
