//! Orders to walk, as an actor holds them.
//!
//! Not here: how a way is planned and gone ([`crate::walk`]).
//!
//! Invariant: a leg is there only while the order that it was taken from is unchanged.

use crate::cause::Cause;
use crate::machine_state::Home;
use mayfly_base::number::NEAR;
use mayfly_base::*;
use std::sync::Arc;

/// An order to walk.
#[derive(Clone, Debug, PartialEq)]
pub struct Order {
    pub id: u64,
    pub goal: Destination,
    pub speed: Option<f64>,
    pub straight: bool,
    /// In how many more ticks it moves, where it ends by itself. While its actor is disabled that stands still.
    pub ticks_left: Option<u64>,
    /// The points of its way, the next one last of the first `left`; none where the way has to be planned.
    pub way: Option<Arc<[Point]>>,
    pub left: usize,
    /// The point to which it goes next, while there is one.
    pub aim: Option<Point>,
    /// For what the way was planned: the number of the last change of what stops actors, and the goal.
    pub planned: (u64, Point),
    /// The way is longer than without anything to stop it.
    pub detour: bool,
    pub stuck: bool,
    pub home: Option<Home>,
    pub cause: Cause,
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Destination {
    To(Point),
    /// A path, the point to which it goes, and whether it goes back.
    Along(PathId, u32, bool),
    After(ActorId),
    AwayFrom(Option<ActorId>, Point),
}

impl Destination {
    /// Whom it is about: after whom, or away from whom.
    pub fn other(self) -> Option<ActorId> {
        match self {
            Self::After(a) | Self::AwayFrom(Some(a), _) => Some(a),
            Self::AwayFrom(None, _) | Self::To(_) | Self::Along(..) => None,
        }
    }
}

impl Order {
    /// Takes a new way.
    pub fn take_way(&mut self, way: Vec<Point>) {
        self.aim = way.last().copied();
        (self.left, self.way) = (way.len(), Some(way.into()));
    }

    /// Forgets its way: it is planned again.
    pub fn drop_way(&mut self) {
        (self.way, self.aim, self.left) = (None, None, 0);
    }

    /// A point was reached: the one before it in the list is next.
    pub fn reached(&mut self) {
        self.left = self.left.saturating_sub(1);
        self.aim = self.left.checked_sub(1).and_then(|i| self.way.as_ref()?.get(i).copied());
    }
}

/// How far a box comes that goes from `at` to `aim` along one axis without reaching beyond the cell in which `aim` lies.
/// Boxes wider than a cell go where one of a cell does.
fn within_cell(aim: f64, at: f64, side: f64) -> f64 {
    let room = (1.0 - side.min(1.0)) / 2.0;
    let centre = number::floor(aim + 0.5) as f64;
    if aim > at { aim.min(centre + room).max(at) } else { aim.max(centre - room).min(at) }
}

/// Cells a tick: with less, the sum of the steps of a stride might be wrong by one of them.
const MIN_STRIDE: f64 = 1e-3;
/// Ticks of a stride.
const MAX_STRIDE: f64 = 1000.0;

/// The order that an actor carries out, and the leg of its way on which it is.
#[derive(Clone, Debug, Default)]
pub struct Walking {
    leg: Option<Leg>,
    order: Option<Box<Order>>,
}

/// The straight piece of a way to its next point, along one axis, with nothing that could be between:
/// all that one tick on it needs.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Leg {
    aim: (f64, f64),
    /// What one tick adds.
    step: (f64, f64),
    /// Nearer than that the leg ends.
    end: f64,
    /// The own speed for which it was computed, which way it leads, and what stopped it then.
    speed: f64,
    ground: u64,
    facing: u32,
    cause: Cause,
}

impl std::ops::Deref for Walking {
    type Target = Option<Box<Order>>;

    fn deref(&self) -> &Option<Box<Order>> {
        &self.order
    }
}

impl Walking {
    /// Takes the order away.
    pub fn take(&mut self) -> Option<Box<Order>> {
        self.leg = None;
        self.order.take()
    }

    /// Forgets the way, and for what it was planned.
    pub fn drop_plan(&mut self) {
        self.drop_way();
        if let Some(order) = &mut self.order {
            order.planned.0 = u64::MAX;
        }
    }

    /// The order, to be changed before its first leg.
    pub fn get_mut(&mut self) -> Option<&mut Order> {
        self.leg = None;
        self.order.as_deref_mut()
    }

    pub fn set(&mut self, order: Box<Order>) {
        (self.leg, self.order) = (None, Some(order));
    }

    /// Ends the leg under way: what it was found for is otherwise now.
    pub fn end_leg(&mut self) {
        self.leg = None;
    }

    /// Forgets the way of the order: it is planned again.
    pub fn drop_way(&mut self) {
        self.leg = None;
        if let Some(order) = &mut self.order {
            order.drop_way();
        }
    }

    /// What one tick adds on the leg under way, and why: none where it is on none, comes to its end, or looks, can or is
    /// stopped otherwise than when the leg was found.
    #[inline]
    pub fn step_on(&self, at: Point, facing: u32, speed: f64, ground: u64) -> Option<((f64, f64), Cause)> {
        let leg = self.leg.as_ref()?;
        let far = (leg.aim.0 - at.x).abs() + (leg.aim.1 - at.y).abs();
        let on = far > leg.end && leg.ground == ground && leg.facing == facing && leg.speed == speed;
        on.then_some((leg.step, leg.cause))
    }

    /// Which way the leg under way leads, by columns and rows; none where it is too slow for a stride.
    pub fn heading(&self) -> Option<(i64, i64)> {
        let (x, y) = self.leg.as_ref()?.step;
        let of = |n: f64| if n == 0.0 { 0 } else { n.signum() as i64 };
        (x.abs() + y.abs() >= MIN_STRIDE).then_some((of(x), of(y)))
    }

    /// What one tick adds on the leg under way, why, and for how many ticks that holds at least, where it may come as far as the
    /// end of a cell: none where that is no tick.
    pub fn ticks_ahead(&self, at: Point, last: (i64, i64)) -> Option<((f64, f64), Cause, u32)> {
        let leg = self.leg.as_ref()?;
        let to_border = |n: f64, cell: i64, step: f64| match step {
            0.0 => 0.0,
            _ => (cell as f64 + 0.5_f64.copysign(step) - n).abs(),
        };
        let room = to_border(at.x, last.0, leg.step.0) + to_border(at.y, last.1, leg.step.1);
        let left = (leg.aim.0 - at.x).abs() + (leg.aim.1 - at.y).abs() - leg.end;
        // By so little of a step at most a sum of so few steps of such a size is wrong.
        let ticks = (room.min(left) / (leg.step.0.abs() + leg.step.1.abs()) - 1e-3).floor();
        (ticks >= 1.0).then_some((leg.step, leg.cause, ticks.min(MAX_STRIDE) as u32))
    }

    /// Finds the leg on which an actor of that size is, for ticks in which nothing but its way decides where it goes. It ends
    /// where the box would come into a cell that is none of the way's: what stops it there is looked for step by step.
    pub fn find_leg(&mut self, (at, size): (Point, (f64, f64)), facing: u32, own_speed: f64, ground: u64, rate: Rate) {
        let Some(order) = self.order.as_deref() else { return };
        let plain = matches!(order.goal, Destination::To(_) | Destination::Along(..)) && !order.straight;
        let current = order.planned.0 == ground;
        let Some(aim) = order.aim.filter(|_| plain && current && !order.stuck && order.ticks_left.is_none()) else {
            return;
        };
        let budget = order.speed.unwrap_or(own_speed) / f64::from(rate.0);
        let along = |left: f64| if left == 0.0 { 0.0 } else { budget.copysign(left) };
        // Along one axis, which is the way of all but the first and the last point.
        let (leads, aim, left) = if aim.x == at.x {
            let (y, dy) = (within_cell(aim.y, at.y, size.1), aim.y - at.y);
            (if dy > 0.0 { 2 } else { 0 }, (aim.x, y), (0.0, dy))
        } else if aim.y == at.y {
            let (x, dx) = (within_cell(aim.x, at.x, size.0), aim.x - at.x);
            (if dx > 0.0 { 1 } else { 3 }, (x, aim.y), (dx, 0.0))
        } else {
            return;
        };
        if budget > NEAR && leads == facing && aim != (at.x, at.y) {
            self.leg = Some(Leg {
                aim,
                step: (along(left.0), along(left.1)),
                end: budget + NEAR,
                speed: own_speed,
                ground: order.planned.0,
                facing,
                cause: order.cause,
            });
        }
    }
}
