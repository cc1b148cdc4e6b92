//! Orders to walk: to a point, along a path, after someone, away from someone.
//!
//! A way goes between cell centres in four directions, the shortest one round what stops the actor; it is
//! planned anew when what stops it changes. Arriving, having no way, and ends are raised where they come.
//!
//! Invariant: an actor has one order; a run that waits for an order goes on when that ends.

use crate::fault::*;
use crate::program::Edges;
use crate::record::*;
use crate::route::{Ground, STEPS};
use crate::space;
use crate::turn::{Queued, Turn};
use crate::world::*;
use mayfly_base::code::{PathEnd, Walk, WalkGoal};
use mayfly_base::value::NEAR;
use mayfly_base::*;

/// Points that one tick may pass on a way.
const MOST_POINTS: u32 = 1000;

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

impl<R: Recorder> Turn<'_, R> {
    /// Gives an order; one that is fulfilled already arrives at once.
    pub fn order_walk(&mut self, w: &Walk, run: &mut Run, pc: u32, span: Span) -> Result<(), Fault> {
        let me = run.me;
        let id = self.scope(me).id(&w.who, &mut run.locals)?;
        let goal = match &w.goal {
            WalkGoal::To(e) => Destination::To(self.scope(me).point(e, &mut run.locals)?),
            WalkGoal::Along(e) => match self.scope(me).eval(e, &mut run.locals)? {
                Value::Path(p) => Destination::Along(p, 0, false),
                _ => return Err(Fault::new(FaultKind::None, "none is no path", e.span)),
            },
            WalkGoal::After(e) => Destination::After(self.scope(me).id(e, &mut run.locals)?),
            WalkGoal::AwayFrom(e) => {
                let v = self.scope(me).eval(e, &mut run.locals)?;
                let at = self.scope(me).place(&v, e.span)?;
                Destination::AwayFrom(if let Value::Actor(a) = v { Some(a) } else { None }, at)
            }
        };
        let speed = match &w.speed {
            Some(e) => Some(self.scope(me).number(e, &mut run.locals)?.max(0.0)),
            None => None,
        };
        let until = match &w.lasts {
            Some(e) => Some(self.world.tick + self.scope(me).ticks(e, &mut run.locals)?),
            None => None,
        };
        self.note_draws();
        if self.world.actors[id.index()].is_zone {
            return Err(Fault::new(FaultKind::None, "a zone does not walk", span));
        }
        self.end_order(id);
        let number = self.order();
        let cause = self.note(|| Rec::Ordered { actor: id, goal, pc });
        let a = &mut self.world.actors[id.index()];
        (a.step, a.pressed) = (None, None);
        let order = Order {
            id: number,
            goal,
            speed,
            straight: w.straight,
            until,
            way: None,
            left: 0,
            aim: None,
            planned: (0, a.at),
            stuck: false,
            home: run.home,
            cause,
        };
        self.last_order = Some((id, number));
        let at = a.at;
        a.walk.set(Box::new(order));
        if let Destination::To(p) = goal
            && p.area == at.area
            && (p.x - at.x).hypot(p.y - at.y) < NEAR
        {
            self.end_order(id);
            self.cause(Happening::Arrives(id, p), cause);
            return Ok(());
        }
        let Some(mut order) = self.world.actors[id.index()].walk.take() else { return Ok(()) };
        let stuck = !self.plan(id, &mut order);
        order.stuck = stuck;
        self.world.actors[id.index()].walk.set(order);
        if stuck {
            self.cause(Happening::Stuck(id), cause);
        }
        Ok(())
    }

    /// Ends an order in the midst of a round; who waits for it goes on in the next.
    pub fn end_order(&mut self, id: ActorId) {
        let Some(order) = self.world.actors[id.index()].walk.take() else { return };
        let waits: Vec<(u64, Cause)> =
            self.world.runs.iter().filter(|r| r.wait == Wait::Walk(id, order.id)).map(|r| (r.id, r.cause)).collect();
        for (run, cause) in waits {
            self.cause(Happening::Resumes(run), cause);
        }
    }

    /// Ends an order in step 2; who waits for it goes on in step 4 of this tick.
    fn end_on_the_way(&mut self, id: ActorId, order: u64) {
        let tick = self.world.tick;
        for r in self.world.runs.iter_mut().filter(|r| r.wait == Wait::Walk(id, order)) {
            r.wait = Wait::Until(tick);
        }
    }

    /// Where an order leads now; none where it leads nowhere any more.
    fn goal_point(&self, id: ActorId, goal: Destination) -> Option<Point> {
        let at = self.world.actors[id.index()].at;
        match goal {
            Destination::To(p) => Some(p),
            Destination::Along(path, i, _) => self.program.paths[path.index()].points.get(i as usize).copied(),
            Destination::After(a) => self.world.actor(a).filter(|a| a.enabled).map(|a| a.at),
            Destination::AwayFrom(..) => Some(at),
        }
    }

    /// What stops an actor now, but for its own doings.
    fn ground_of(&self, id: ActorId) -> u64 {
        self.world.ground - self.world.actors[id.index()].own_ground
    }

    /// Plans the way of an order from where the actor stands; false where there is none.
    fn plan(&self, id: ActorId, order: &mut Order) -> bool {
        let Some(goal) = self.goal_point(id, order.goal) else {
            order.take_way(vec![]);
            return true;
        };
        let at = self.world.actors[id.index()].at;
        order.planned = (self.ground_of(id), goal);
        if goal.area != at.area {
            // Looked at again in each tick, until both are in one area.
            order.drop_way();
            order.planned.0 = u64::MAX;
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
        let ground = Ground::new(self.program, self.world, id, ignored);
        order.drop_way();
        if let Some(cells) = ground.way(at.cell(), goal.cell()) {
            order.take_way(self.points(at, &cells, goal));
        }
        order.way.is_some()
    }

    /// The points of a way, the next one last.
    fn points(&self, at: Point, cells: &[(i64, i64)], goal: Point) -> Vec<Point> {
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
    fn way_off(&self, id: ActorId, from: Point, straight: bool) -> Vec<Point> {
        let at = self.world.actors[id.index()].at;
        if from.area != at.area {
            return vec![];
        }
        let far = |p: Point| (p.x - from.x).hypot(p.y - from.y);
        if straight {
            let d = far(at);
            let (dx, dy) = if d > NEAR { ((at.x - from.x) / d, (at.y - from.y) / d) } else { (0.0, -1.0) };
            return vec![Point { x: at.x + dx * 4.0, y: at.y + dy * 4.0, area: at.area }];
        }
        let ground = Ground::new(self.program, self.world, id, None);
        let (cx, cy) = at.cell();
        let centre = |c: (i64, i64)| Point { x: c.0 as f64, y: c.1 as f64, area: at.area };
        let mut best = centre((cx, cy));
        for (sx, sy) in STEPS {
            let c = (cx + sx, cy + sy);
            if far(centre(c)) > far(best) + NEAR && ground.free(c) {
                best = centre(c);
            }
        }
        if best == centre((cx, cy)) && far(best) <= far(at) {
            return vec![];
        }
        self.points(at, &[best.cell()], best)
    }

    /// True where nothing can be in anybody's way but the ground for which ways are planned.
    pub fn is_open_ground(&self) -> bool {
        let plain = self.world.solids.is_empty() && !self.program.carriers && self.program.edges != Edges::Wrap;
        // The engine that the tests compare with takes no shortcut.
        plain && !self.program.dispatch.asks_everyone()
    }

    /// Step 2 of an actor with an order.
    pub fn walk_on(&mut self, id: ActorId) {
        let Some(mut order) = self.world.actors[id.index()].walk.take() else { return };
        let (from, tick) = (self.world.actors[id.index()].at, self.world.tick);
        let mut done = false;
        let mut arrived = None;
        if let Destination::After(a) = order.goal
            && self.world.actor(a).is_none()
        {
            done = true;
        }
        if !done {
            arrived = self.follow(id, &mut order);
            done = arrived.is_some();
        }
        let to = self.world.actors[id.index()].at;
        if from != to {
            let cause = self.note(|| Rec::Moved { actor: id, from, to, cause: order.cause });
            self.world.actors[id.index()].moved_by = cause;
            self.stopper_changed(id);
            self.carry(id, from, to, cause);
        }
        if let Some(p) = arrived {
            let cause = self.world.actors[id.index()].moved_by;
            self.queue.push_back(Queued { what: Happening::Arrives(id, p), cause });
        }
        if done || order.until.is_some_and(|t| t <= tick) {
            self.end_on_the_way(id, order.id);
        } else {
            let (open, ground, rate) = (self.is_open_ground(), self.world.ground, self.program.rate);
            let a = &mut self.world.actors[id.index()];
            a.walk.set(order);
            if open {
                a.find_leg(ground, rate);
            }
        }
    }

    /// Goes as far as one tick takes it; gives the point where it arrives.
    fn follow(&mut self, id: ActorId, order: &mut Order) -> Option<Point> {
        let own = self.world.actors[id.index()].speed;
        let mut budget = order.speed.unwrap_or(own) / f64::from(self.program.rate.0);
        for _ in 0..MOST_POINTS {
            if let Destination::After(a) = order.goal
                && self.scope(None).touching(id, a)
            {
                return None;
            }
            self.plan_anew(id, order);
            if order.stuck || budget <= NEAR {
                return None;
            }
            let at = self.world.actors[id.index()].at;
            let next = order.aim?;
            let (dx, dy) = (next.x - at.x, next.y - at.y);
            let left = space::length(dx, dy);
            let to = if left <= budget + NEAR {
                next
            } else {
                Point { x: at.x + dx / left * budget, y: at.y + dy / left * budget, area: at.area }
            };
            self.turn_to(id, dx, dy, order.cause);
            let (to, into) = self.way(id, at, to);
            let a = &mut self.world.actors[id.index()];
            if to != at {
                (a.at, a.moved) = (to, true);
                self.wrap(id);
            }
            if let Some(into) = into {
                self.bump(id, into, order.cause);
                return None;
            }
            if to != next {
                return None;
            }
            budget -= left;
            order.reached();
            if order.left == 0
                && let Some(p) = self.goal_reached(order)
            {
                return Some(p);
            }
        }
        None
    }

    /// The last point of a way was reached: gives it where the order is fulfilled by that.
    fn goal_reached(&self, order: &mut Order) -> Option<Point> {
        match order.goal {
            Destination::To(p) => return Some(p),
            Destination::Along(path, i, back) => {
                let path = &self.program.paths[path.index()];
                let last = path.points.len() as u32 - 1;
                let (i, back) = match path.end {
                    PathEnd::Once if i == last => return path.points.last().copied(),
                    PathEnd::Loop if i == last => (0, false),
                    PathEnd::Bounce if i == last && !back => (last.saturating_sub(1), true),
                    PathEnd::Bounce if i == 0 && back => (1.min(last), false),
                    _ if back => (i - 1, true),
                    _ => (i + 1, false),
                };
                if let Destination::Along(_, at, b) = &mut order.goal {
                    (*at, *b) = (i, back);
                }
                order.drop_way();
            }
            Destination::AwayFrom(..) => order.drop_way(),
            Destination::After(_) => {}
        }
        None
    }

    /// Plans where nothing is planned yet, or where what stops it or its goal has changed.
    fn plan_anew(&mut self, id: ActorId, order: &mut Order) {
        let goal = self.goal_point(id, order.goal);
        let moved = goal.is_some_and(|g| match order.goal {
            Destination::After(_) => g != order.planned.1,
            _ => false,
        });
        let away = matches!(order.goal, Destination::AwayFrom(..)) && order.way.is_some() && order.left == 0;
        let changed = order.planned.0 != self.ground_of(id);
        if order.way.is_some() && !changed && !moved && !away {
            return;
        }
        if order.stuck && !changed && !moved {
            return;
        }
        let was = order.stuck;
        order.stuck = !self.plan(id, order);
        if order.stuck && !was {
            self.queue.push_back(Queued { what: Happening::Stuck(id), cause: order.cause });
        }
    }

    /// An actor was put elsewhere: its step and remembered key are forgotten, its way is planned anew.
    pub fn displaced(&mut self, id: ActorId) {
        let a = &mut self.world.actors[id.index()];
        (a.step, a.pressed, a.jumped, a.stirred) = (None, None, true, true);
        a.before = a.at;
        a.walk.drop_plan();
        self.stopper_changed(id);
    }

    /// Turns an actor the way it goes.
    pub fn turn_to(&mut self, id: ActorId, dx: f64, dy: f64, cause: Cause) {
        let Some(to) = space::quarter(dx, dy) else { return };
        let a = &mut self.world.actors[id.index()];
        let from = a.facing;
        if from == to {
            return;
        }
        (a.facing, a.stirred) = (to, true);
        let turned = self.note(|| Rec::Turned { actor: id, from, to, cause });
        self.world.actors[id.index()].moved_by = turned;
    }

    /// Something that stops actors changed, or the ground on which they are carried.
    pub fn stopper_changed(&mut self, id: ActorId) {
        let a = &mut self.world.actors[id.index()];
        if a.solid || self.program.carriers && !self.program.kinds[a.kind.index()].carries.is_empty() {
            a.own_ground += 1;
            self.world.ground += 1;
        }
    }

    /// Whoever stands in the box of one that carries it moves along.
    pub fn carry(&mut self, id: ActorId, from: Point, to: Point, cause: Cause) {
        if !self.program.carriers {
            return;
        }
        let carrier = &self.world.actors[id.index()];
        if self.program.kinds[carrier.kind.index()].carries.is_empty() || !carrier.enabled || from.area != to.area {
            return;
        }
        let size = carrier.size;
        let (dx, dy) = (to.x - from.x, to.y - from.y);
        for n in 0..self.world.actors.len() {
            let (other, a) = (self.world.actors.id(n), self.world.actors.nth(n));
            let rides = !a.gone
                && a.enabled
                && !a.is_zone
                && a.at.area == from.area
                && space::holds((from.x, from.y), size, (a.at.x, a.at.y))
                && crate::route::carries(self.program, self.world, id, other);
            if !rides {
                continue;
            }
            let a = &mut self.world.actors[other.index()];
            let was = a.at;
            let shift = |p: &mut Point| (p.x, p.y) = (p.x + dx, p.y + dy);
            shift(&mut a.at);
            if let Some(s) = &mut a.step {
                shift(&mut s.from);
                shift(&mut s.to);
            }
            a.stirred = true;
            a.walk.drop_way();
            let now = a.at;
            let moved = self.note(|| Rec::Moved { actor: other, from: was, to: now, cause });
            self.world.actors[other.index()].moved_by = moved;
            self.stopper_changed(other);
        }
    }
}
