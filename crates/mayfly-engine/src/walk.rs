//! Orders to walk: to a point, along a path, after someone, away from someone.
//!
//! A way goes between cell centres in four directions, the shortest one round what stops the actor; it is
//! planned again when what stops it changes. Arriving, having no way, and ends are raised where they come.
//!
//! Invariant: an actor has one order; a run that waits for an order goes on when that ends.

use crate::fault::*;
use crate::ground_changes::Change;
use crate::program::Edges;
use crate::record::*;
use crate::space;
use crate::tick_context::{Queued, TickContext};
use crate::world::*;
use mayfly_base::code::{PathEnd, Walk, WalkGoal};
use mayfly_base::number::NEAR;
use mayfly_base::*;

/// Points that one tick may pass on a way.
const MAX_POINTS: u32 = 1000;

impl<R: Recorder> TickContext<'_, R> {
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
            Some(e) => Some(self.scope(me).number(e, &mut run.locals)?.clamp(0.0, value::MAX_SPEED)),
            None => None,
        };
        let ticks_left = match &w.lasts {
            Some(e) => Some(self.scope(me).ticks(e, &mut run.locals)?),
            None => None,
        };
        self.note_draws();
        if self.world.actors[id.index()].is_zone {
            return Err(Fault::new(FaultKind::None, "a zone does not walk", span));
        }
        if let Destination::To(p) = goal {
            self.fits_map(p, span)?;
        }
        if self.is_gone(Some(id)) {
            self.last_order = None;
            return Ok(());
        }
        self.end_order(id, EndWhy::Replaced);
        let number = self.order();
        let cause = self.note(|| TraceEvent::Ordered { actor: id, goal, pc });
        let a = &mut self.world.actors[id.index()];
        (a.step, a.pressed) = (None, None);
        let order = Order {
            id: number,
            goal,
            speed,
            straight: w.straight,
            ticks_left,
            way: None,
            left: 0,
            aim: None,
            planned: (0, a.at),
            detour: false,
            stuck: false,
            home: run.home,
            cause,
        };
        self.last_order = Some((id, number));
        a.walk.set(Box::new(order));
        if let (Destination::Along(path, ..), true) = (goal, w.nearest) {
            let first = self.nearest_point(id, path);
            if let Some(order) = self.world.actors[id.index()].walk.get_mut() {
                order.goal = Destination::Along(path, first, false);
            }
        }
        self.take_up_order(id);
        Ok(())
    }

    /// An order counts at once: it is fulfilled already, or stuck, or has a way. That of a disabled actor is taken up when the
    /// actor is enabled.
    pub fn take_up_order(&mut self, id: ActorId) {
        let a = &mut self.world.actors[id.index()];
        if !a.enabled || a.gone || a.walk.as_ref().is_none_or(|o| o.stuck || o.way.is_some()) {
            return;
        }
        let at = a.at;
        let Some(mut order) = a.walk.take() else { return };
        let cause = order.cause;
        if let Destination::To(p) = order.goal
            && p.area == at.area
            && (p.x - at.x).hypot(p.y - at.y) < NEAR
        {
            self.world.actors[id.index()].walk.set(order);
            self.fulfil_order(id);
            self.cause(EventInstance::Arrives(id, p, true), cause);
            return;
        }
        // Which way leads off is chosen at each step, when it is gone.
        let is_chosen_later = matches!(order.goal, Destination::AwayFrom(..));
        order.stuck = !is_chosen_later && !self.plan(id, &mut order);
        let stuck = order.stuck;
        self.world.actors[id.index()].walk.set(order);
        if stuck {
            self.cause(EventInstance::Stuck(id), cause);
        }
    }

    /// The point of a path that is nearest by way; of equally near ones the first. The first of all where none can be
    /// reached.
    fn nearest_point(&mut self, id: ActorId, path: PathId) -> u32 {
        let at = self.world.actors[id.index()].at;
        let mut best: Option<(usize, u32)> = None;
        for (i, p) in self.program.paths[path.index()].points.iter().enumerate().filter(|(_, p)| p.area == at.area) {
            let length = self.find_way(id, None, at.cell(), p.cell()).map(|cells| cells.len());
            if let Some(n) = length.filter(|n| best.is_none_or(|(b, _)| *n < b)) {
                best = Some((n, i as u32));
            }
        }
        best.map_or(0, |(_, i)| i)
    }

    /// Ends an order in the midst of a round; who waits for it goes on in the next. What ended it is recorded.
    pub fn end_order(&mut self, id: ActorId, why: EndWhy) {
        let Some(goal) = self.fulfil_order(id) else { return };
        self.note(|| TraceEvent::OrderEnds { actor: id, goal, why });
    }

    /// Takes an order away that is done; gives where it led.
    fn fulfil_order(&mut self, id: ActorId) -> Option<Destination> {
        let order = self.world.actors[id.index()].walk.take()?;
        self.rested(id);
        self.go_on_after(Wait::Walk(id, order.id));
        Some(order.goal)
    }

    /// Ends an order in step 2; who waits for it goes on in step 4 of this tick.
    fn end_on_the_way(&mut self, id: ActorId, order: u64) {
        for i in 0..self.world.runs.len() {
            if self.world.runs[i].wait == Wait::Walk(id, order) {
                self.wait_is_over(i);
            }
        }
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
        let from = self.world.actors[id.index()].at;
        let mut done = false;
        let mut arrived = None;
        // It ends with the one it is about.
        if let Some(other) = order.goal.other()
            && self.world.actor(other).is_none()
        {
            done = true;
        }
        if !done {
            arrived = self.follow(id, &mut order);
            done = arrived.is_some();
        }
        let to = self.world.actors[id.index()].at;
        if from != to {
            let cause = self.note(|| TraceEvent::Moved { actor: id, from, to, cause: order.cause });
            self.world.actors[id.index()].moved_by = cause;
            self.stopper_changed(id);
            self.carry(id, from, to, cause);
        }
        if let Some(p) = arrived {
            let cause = self.world.actors[id.index()].moved_by;
            self.queue.push_back(Queued { what: EventInstance::Arrives(id, p, true), cause });
        }
        order.ticks_left = order.ticks_left.map(|n| n.saturating_sub(1));
        if done || order.ticks_left == Some(0) {
            self.end_on_the_way(id, order.id);
            self.rested(id);
        } else {
            let (open, ground, rate) = (self.is_open_ground(), self.world.changes.count, self.program.rate);
            let a = &mut self.world.actors[id.index()];
            a.walk.set(order);
            if open {
                a.walk.find_leg((a.at, a.size), a.facing, a.speed, ground, rate);
            }
        }
    }

    /// Goes as far as one tick takes it; gives the point where it arrives.
    fn follow(&mut self, id: ActorId, order: &mut Order) -> Option<Point> {
        let own = self.world.actors[id.index()].speed;
        let mut budget = order.speed.unwrap_or(own) / f64::from(self.program.rate.0);
        for _ in 0..MAX_POINTS {
            if let Some(other) = order.goal.other()
                && self.world.actor(other).is_none_or(|a| !a.enabled)
            {
                // It waits, and looks for its way again when the other is there again.
                order.drop_way();
                return None;
            }
            if let Destination::After(a) = order.goal
                && self.scope(None).touching(id, a)
            {
                return None;
            }
            if matches!(order.goal, Destination::AwayFrom(..)) && budget <= NEAR {
                // Its next step is chosen when it goes: by then the other may be elsewhere.
                return None;
            }
            self.plan_again(id, order);
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
                let (dx, dy) = self.wrap(id);
                if (dx, dy) != (0.0, 0.0) {
                    // What lies over the edge lies on the other side now.
                    if let Destination::To(p) = &mut order.goal {
                        (p.x, p.y) = (p.x + dx, p.y + dy);
                    }
                    order.drop_way();
                    if to != next {
                        return None;
                    }
                    return self.goal_reached(order);
                }
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
            if order.left == 0 {
                let on_path = matches!(order.goal, Destination::Along(..));
                if let Some(p) = self.goal_reached(order) {
                    return Some(p);
                }
                if on_path && self.program.dispatch.arrives_at {
                    let cause = order.cause;
                    self.queue.push_back(Queued { what: EventInstance::Arrives(id, next, false), cause });
                }
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

    /// An actor was put elsewhere: its step and remembered key are forgotten, its way is planned again.
    pub fn displaced(&mut self, id: ActorId) {
        let a = &mut self.world.actors[id.index()];
        (a.step, a.pressed, a.jumped, a.dirty) = (None, None, true, true);
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
        (a.facing, a.dirty) = (to, true);
        let turned = self.note(|| TraceEvent::Turned { actor: id, from, to, cause });
        self.world.actors[id.index()].moved_by = turned;
    }

    /// A solid actor, or one that carries others, is somewhere else, or is so otherwise than it was.
    pub fn stopper_changed(&mut self, id: ActorId) {
        let a = &self.world.actors[id.index()];
        let carries = self.program.carriers && !self.program.kinds[a.kind.index()].carries.is_empty();
        let here = a.is_in_the_way();
        if carries {
            // One that stops nobody matters by the cells alone whose tiles it makes free ground.
            let stops = here || self.world.stood.contains_key(&id);
            let covers = a.covers().filter(|_| !stops);
            let before = match covers {
                Some(cells) => self.world.covered.insert(id, cells),
                None => self.world.covered.remove(&id),
            };
            if stops || before != covers {
                self.world.changes.add_all();
                self.occupied = None;
            }
            return;
        }
        let (now, size) = (a.at, a.size);
        let before = if here { self.world.stood.insert(id, (now, size)) } else { self.world.stood.remove(&id) };
        if here && before == Some((now, size)) {
            return;
        }
        if let Some((was, size)) = before {
            let at = (was.x, was.y);
            self.world.changes.add(Change { by: Some(id), area: was.area, at, size, closes: false });
        }
        if here {
            self.world.changes.add(Change { by: Some(id), area: now.area, at: (now.x, now.y), size, closes: true });
        }
        match (&mut self.occupied, here, before.is_some()) {
            (Some(o), true, true) => o.moved(id, &self.world.actors[id.index()]),
            (_, false, false) => return,
            _ => self.occupied = None,
        }
        self.changed_by = self.last_cause;
    }

    /// Something about what stops actors changed that concerns all of them.
    pub fn all_changed(&mut self) {
        self.world.changes.add_all();
        self.occupied = None;
        self.changed_by = self.last_cause;
    }

    /// A solid actor has come to its end: from now on it stands in the way.
    fn rested(&mut self, id: ActorId) {
        let a = &self.world.actors[id.index()];
        if a.is_in_the_way() {
            let (area, at, size) = (a.at.area, (a.at.x, a.at.y), a.size);
            self.world.changes.add(Change { by: Some(id), area, at, size, closes: true });
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
        let (dx, dy) = self.went(from, to);
        for n in 0..self.world.actors.len() {
            let (other, a) = (self.world.actors.id(n), self.world.actors.nth(n));
            let rides = !a.gone
                && a.enabled
                && !a.is_zone
                && a.at.area == from.area
                && space::holds((from.x, from.y), size, (a.at.x, a.at.y))
                && crate::ground::carries(self.program, self.world, id, other);
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
            a.dirty = true;
            a.walk.drop_way();
            self.wrap(other);
            let now = self.world.actors[other.index()].at;
            let moved = self.note(|| TraceEvent::Moved { actor: other, from: was, to: now, cause });
            self.world.actors[other.index()].moved_by = moved;
            self.stopper_changed(other);
        }
    }
}
