//! Orders to walk, by the words of the contract alone: to a point, along a path, after somebody, away from somebody.
//!
//! Invariant: nothing of the engine is used; who walks goes one cell a tick.

use super::form::*;
use super::plane::NEAR;
use super::play::{By, Caused, Play, cell, centre};
use std::collections::VecDeque;

/// An order, and how far it is.
#[derive(Clone, Debug)]
pub struct Order {
    goal: Goal,
    /// The number of the path's point to which it goes, and whether it goes back.
    point: (usize, bool),
    /// In how many more ticks it moves.
    left: Option<u64>,
    stuck: bool,
    /// The cells of its way, the next one first, and whether that is longer than on open ground; none yet.
    way: Option<(Vec<Cell>, bool)>,
    /// Where whom it goes after was when its way was planned.
    planned_for: Option<Cell>,
    /// It was put elsewhere since: the way is planned again when it walks.
    pub displaced: bool,
    /// Cells that were closed (true) or opened since its way was planned.
    pub changes: Vec<(Cell, bool)>,
}

impl Play<'_> {
    pub fn order(&mut self, a: usize, goal: Goal, lasts: Option<u64>, caused: &mut Caused) {
        let point = match goal {
            Goal::Along(path, true) => (self.nearest(a, path), false),
            _ => (0, false),
        };
        let (way, planned_for) = (None, None);
        self.all[a].order =
            Some(Order { goal, point, left: lasts, stuck: false, way, planned_for, displaced: false, changes: vec![] });
        self.take_up(a, caused);
    }

    /// The point of a path that is nearest by way; the first where none can be reached.
    fn nearest(&self, a: usize, path: usize) -> usize {
        let points = self.ground.paths[path].0.iter().enumerate();
        let far = points.filter_map(|(i, p)| Some((self.shortest(a, *p, None)?.len(), i)));
        far.min().map_or(0, |(_, i)| i)
    }

    /// How many cells it is from each cell to the goal. Whom one follows is not in one's way.
    fn distances(&self, who: usize, goal: Cell, after: Option<usize>) -> Vec<Option<u32>> {
        let mut far = vec![None; 2 * (WIDTH * HEIGHT) as usize];
        let free = |c: Cell| match self.stops(who, c) {
            None => true,
            Some(By::Actor(b)) => Some(b) == after,
            Some(_) => false,
        };
        if !free(goal) {
            return far;
        }
        far[index(goal)] = Some(0);
        let mut queue = VecDeque::from([goal]);
        while let Some(c) = queue.pop_front() {
            for (dx, dy) in WAYS {
                let next = (c.0 + dx, c.1 + dy);
                if free(next) && far[index(next)].is_none() {
                    far[index(next)] = far[index(c)].map(|n: u32| n + 1);
                    queue.push_back(next);
                }
            }
        }
        far
    }

    /// The shortest way: of several the one whose first steps lead north, east, south, west.
    fn shortest(&self, a: usize, goal: Cell, after: Option<usize>) -> Option<Vec<Cell>> {
        let far = self.distances(a, goal, after);
        let at = |c: Cell| if self.ground.is_off(c) { None } else { far[index(c)] };
        let start = cell(self.all[a].at);
        let mut way = vec![];
        while way.last().copied().unwrap_or(start) != goal {
            let here = way.last().copied().unwrap_or(start);
            let beside = WAYS.into_iter().map(|(dx, dy)| (here.0 + dx, here.1 + dy));
            let (_, next) = beside.filter_map(|c| Some((at(c)?, c))).min_by_key(|(n, _)| *n)?;
            way.push(next);
        }
        Some(way)
    }

    /// The free cell beside that lies farther off than this one, and farthest.
    fn cell_off(&self, a: usize, from: usize) -> Option<Cell> {
        let (x, y) = cell(self.all[a].at);
        let other = self.all[from].at;
        if is_in_cellar(x) != is_in_cellar(other.0 as i64) {
            return None;
        }
        let far = |c: Cell| (c.0 as f64 - other.0).hypot(c.1 as f64 - other.1);
        let mut best = (x, y);
        for (dx, dy) in WAYS {
            let c = (x + dx, y + dy);
            if self.stops(a, c).is_none() && far(c) > far(best) + NEAR {
                best = c;
            }
        }
        (best != (x, y)).then_some(best)
    }

    /// The cell to which an order leads; none where it leads nowhere just now.
    fn goal_of(&self, a: usize) -> Option<Cell> {
        let order = self.all[a].order.as_ref()?;
        match order.goal {
            Goal::To(c) => Some(c),
            Goal::Along(path, _) => self.ground.paths[path].0.get(order.point.0).copied(),
            Goal::After(b) => Some(cell(self.all[b].at)).filter(|_| self.all[b].enabled),
            Goal::AwayFrom(_) => None,
        }
    }

    /// Plans its way from where it stands. False where there is none, and it is not stuck already.
    fn plan(&mut self, a: usize) -> bool {
        let Some(goal) = self.goal_of(a) else { return true };
        let here = cell(self.all[a].at);
        let after = self.all[a].order.as_ref().and_then(|o| if let Goal::After(b) = o.goal { Some(b) } else { None });
        let way = self.shortest(a, goal, after);
        let Some(order) = &mut self.all[a].order else { return true };
        let was = order.stuck;
        order.stuck = way.is_none();
        order.way = way.map(|w| {
            let detour = w.len() as u64 > here.0.abs_diff(goal.0) + here.1.abs_diff(goal.1);
            (w, detour)
        });
        order.planned_for = Some(goal);
        order.displaced = false;
        order.changes.clear();
        was || !order.stuck
    }

    /// True where nothing is planned, whom it follows is elsewhere, or what changed lies on its way or opens a shorter one.
    fn must_plan(&self, a: usize) -> bool {
        let Some(order) = &self.all[a].order else { return false };
        let here = cell(self.all[a].at);
        if order.displaced || matches!(order.goal, Goal::After(_)) && order.planned_for != self.goal_of(a) {
            return true;
        }
        let Some((way, detour)) = &order.way else { return !order.stuck || !order.changes.is_empty() };
        order.changes.iter().any(|(c, closed)| if *closed { way.contains(c) || here == *c } else { *detour })
    }

    pub fn walk(&mut self, a: usize) {
        let Some(goal) = self.all[a].order.as_ref().map(|o| o.goal) else { return };
        let goes_on = match goal {
            // Its order ends with the one it is about.
            Goal::After(b) | Goal::AwayFrom(b) if self.all[b].gone => false,
            Goal::AwayFrom(b) => {
                if let Some(next) = self.cell_off(a, b).filter(|_| self.all[b].enabled) {
                    self.go(a, next);
                }
                true
            }
            Goal::After(b) => {
                if self.all[b].enabled && !self.touch(a, b) {
                    self.go_on(a);
                }
                true
            }
            Goal::To(_) | Goal::Along(..) => self.go_on(a),
        };
        let Some(order) = &mut self.all[a].order else { return };
        let is_over = order.left.as_mut().is_some_and(|n| {
            *n = n.saturating_sub(1);
            *n == 0
        });
        if !goes_on || is_over {
            self.all[a].order = None;
        }
    }

    fn touch(&self, a: usize, b: usize) -> bool {
        let (p, q, half) = (self.all[a].at, self.all[b].at, self.half(a, b));
        (p.0 - q.0).abs() < half - NEAR && (p.1 - q.1).abs() < half - NEAR
    }

    /// One cell on its way; false where the order is fulfilled.
    fn go_on(&mut self, a: usize) -> bool {
        let mut budget = 1;
        loop {
            if self.must_plan(a) && !self.plan(a) {
                self.tell(format!("{} is stuck", NAMES[a]));
            }
            let Some(order) = &mut self.all[a].order else { return false };
            let Some((way, _)) = &mut order.way else { return true };
            if way.is_empty() && matches!(order.goal, Goal::After(_)) || budget == 0 {
                return true;
            }
            if !way.is_empty() {
                let next = way.remove(0);
                let is_there = way.is_empty();
                self.go(a, next);
                budget = 0;
                if !is_there {
                    return true;
                }
            }
            if !self.is_at_goal(a) {
                return false;
            }
        }
    }

    fn go(&mut self, a: usize, next: Cell) {
        let here = cell(self.all[a].at);
        let actor = &mut self.all[a];
        let way = WAYS.into_iter().position(|(dx, dy)| (here.0 + dx, here.1 + dy) == next);
        actor.facing = way.unwrap_or(actor.facing);
        actor.at = centre(next);
    }

    /// It came to the end of its way; false where the order is fulfilled, else the next point of the path is due.
    fn is_at_goal(&mut self, a: usize) -> bool {
        let here = cell(self.all[a].at);
        let Some(order) = &mut self.all[a].order else { return false };
        let Goal::Along(path, _) = order.goal else {
            let is_after = matches!(order.goal, Goal::After(_));
            if !is_after {
                self.arrives(a, here, true).into_iter().for_each(|t| self.tell(t));
            }
            return is_after;
        };
        let (points, end) = &self.ground.paths[path];
        let last = points.len() - 1;
        let next = match (end, order.point) {
            (End::Once, (i, _)) if i == last => None,
            (End::Loop, (i, _)) => Some(((i + 1) % points.len(), false)),
            (End::Bounce, (i, false)) if i == last => Some((i - 1, true)),
            (End::Bounce, (0, true)) => Some((1, false)),
            (End::Bounce, (i, true)) => Some((i - 1, true)),
            (_, (i, back)) => Some((i + 1, back)),
        };
        if let Some(next) = next {
            (order.point, order.way) = (next, None);
        }
        self.arrives(a, here, next.is_none()).into_iter().for_each(|t| self.tell(t));
        next.is_some()
    }

    /// What is told of one that arrives: that, where its order is fulfilled; and where, if that is awaited.
    fn arrives(&self, a: usize, at: Cell, fulfilled: bool) -> Vec<String> {
        let name = NAMES[a];
        let plainly = fulfilled.then(|| format!("{name} arrives"));
        let is_awaited = self.ground.points().contains(&at);
        plainly.into_iter().chain(is_awaited.then(|| format!("{name} arrives at {} {}", at.0, at.1))).collect()
    }

    /// An order counts at once: fulfilled where one stands, or planned. That of a disabled one waits until it is enabled.
    pub fn take_up(&mut self, a: usize, caused: &mut Caused) {
        let actor = &self.all[a];
        let Some(order) = actor.order.as_ref().filter(|o| actor.enabled && !o.stuck && o.way.is_none()) else { return };
        let here = cell(actor.at);
        if order.goal == Goal::To(here) {
            self.all[a].order = None;
            caused.extend(self.arrives(a, here, true).into_iter().map(|t| (Some(a), t)));
        } else if !self.plan(a) {
            caused.push((Some(a), format!("{} is stuck", NAMES[a])));
        }
    }

    /// Where the ground changed, ways are planned again.
    pub fn look_for_ways(&mut self, caused: &mut Caused) {
        if !std::mem::take(&mut self.changed) {
            return;
        }
        for a in WALKERS {
            let has_way = self.all[a].order.as_ref().is_some_and(|o| o.way.is_some() && !o.displaced);
            if self.all[a].enabled && has_way && self.must_plan(a) && !self.plan(a) {
                caused.push((Some(a), format!("{} is stuck", NAMES[a])));
            }
        }
    }
}

fn index((x, y): Cell) -> usize {
    let (first, x) = if is_in_cellar(x) { (WIDTH * HEIGHT, x - CELLAR) } else { (0, x) };
    (first + y * WIDTH + x) as usize
}
