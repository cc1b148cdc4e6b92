//! One actor as it is at a moment.
//!
//! Not here: all of them, found by id ([`crate::actors`]), and how one begins ([`crate::start`]).
//!
//! Invariant: what keyframes share of an actor is changed by a copy of its own.

use crate::cause::Cause;
use crate::ground_changes::Covered;
use crate::order::Walking;
use mayfly_base::code::Attr;
use mayfly_base::*;
use smallvec::SmallVec;
use std::sync::Arc;

/// What of an actor seldom changes: keyframes share it.
#[derive(Clone, Debug)]
pub struct Rest {
    pub name: Arc<str>,
    /// What its random streams are named by.
    pub stream: Arc<str>,
    /// The zone for which it stands: then it is no actor, and holds the zone's variables and machines.
    pub zone: Option<ZoneId>,
    pub look: Arc<str>,
    pub colour: u32,
    pub tags: SmallVec<[TagId; 2]>,
    /// Its inputs are not taken.
    pub frozen: bool,
    /// The place and facing that `recall` brings it back to.
    pub checkpoint: (Point, u32),
    /// The tick from which `every` and `after` of its kind count.
    pub created: u64,
    pub disabled_at: u64,
    pub size: (f64, f64),
    /// As it was at first, once that is settled: what `reset` brings back.
    pub first: Option<Arc<Actor>>,
}

/// What walking and sensing look at in every tick stands first and together, what a stride changes in the first
/// 64 bytes: hence the fixed layout.
#[derive(Clone, Debug)]
#[repr(C, align(64))]
pub struct Actor {
    pub at: Point,
    /// Where it was when it was sensed last, or was put since: from there it went on foot.
    pub before: Point,
    /// What moved it last.
    pub moved_by: Cause,
    /// The cell in which it was sensed last.
    pub cell: (i64, i64),
    pub walk: Walking,
    pub speed: f64,
    pub step: Option<Box<Step>>,
    /// An arrow that waits for the step under way to end, and one that was pressed after it in the same tick.
    pub pressed: Option<Box<Pressed>>,
    pub facing: u32,
    pub enabled: bool,
    /// Removed: nothing finds it any more.
    pub gone: bool,
    /// True of the stand-ins of zones.
    pub is_zone: bool,
    /// Something about it changed that sensing looks at.
    pub dirty: bool,
    /// It went on its way in this tick, and nothing else about it changed by that.
    pub moved: bool,
    /// Its place was set since it was sensed last.
    pub jumped: bool,
    pub solid: bool,
    pub opaque: bool,
    pub visible: bool,
    pub tangible: bool,
    /// Removed before this tick: it cannot be read either.
    pub is_tombstone: bool,
    /// The area in which it was sensed last.
    pub area: AreaId,
    pub kind: KindId,
    /// A hash of its name, by which flights of two texts are compared.
    pub name_hash: u64,
    /// Zones that it is in, sorted, with the tick of entry.
    pub inside: SmallVec<[(ZoneKey, u64); 1]>,
    /// The cell and tile under its centre when they were sensed last.
    pub ground: Option<Box<((i64, i64), TileId)>>,
    /// What its last move was stopped by.
    pub bump: Option<Box<Bump>>,
    pub fields: Vec<Value>,
    pub rest: Arc<Rest>,
}

impl std::ops::Deref for Actor {
    type Target = Rest;

    fn deref(&self) -> &Rest {
        &self.rest
    }
}

impl std::ops::DerefMut for Actor {
    fn deref_mut(&mut self) -> &mut Rest {
        Arc::make_mut(&mut self.rest)
    }
}

/// An actor came from one place to another.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Motion {
    pub actor: ActorId,
    /// The hash of its name.
    pub name_hash: u64,
    pub from: Point,
    pub to: Point,
    pub cause: Cause,
}

/// An arrow that is remembered, and the one that is remembered behind it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pressed {
    pub arrow: (u32, Cause),
    pub then: Option<(u32, Cause)>,
}

/// A zone of the level, or that of an actor.
pub type ZoneKey = (ZoneId, Option<ActorId>);

/// A step by an arrow key to the next cell's centre.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Step {
    pub from: Point,
    pub to: Point,
    /// On its way back, since it was stopped.
    pub back: bool,
    pub cause: Cause,
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub enum BumpInto {
    Tile(TileId),
    Actor(ActorId),
    /// The edge of the map.
    Edge,
}

/// A stop that lasts until place or facing of one of the two changes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Bump {
    pub into: BumpInto,
    pub at: Point,
    pub facing: u32,
    pub other_at: Point,
    pub other_facing: u32,
}

impl Bump {
    /// True of the same stop: places that rounding alone tells apart are one.
    pub fn is_same(&self, other: &Self) -> bool {
        let are_one =
            |p: Point, q: Point| p.area == q.area && number::same_number(p.x, q.x) && number::same_number(p.y, q.y);
        let faces = (self.facing, self.other_facing) == (other.facing, other.other_facing);
        self.into == other.into && faces && are_one(self.at, other.at) && are_one(self.other_at, other.other_at)
    }
}

impl Actor {
    /// From here it goes on foot.
    pub fn starts_here(&mut self) {
        (self.before, self.cell) = (self.at, self.at.cell());
    }

    /// True where it stops others.
    pub fn is_in_the_way(&self) -> bool {
        self.solid && self.enabled && self.tangible && !self.gone && self.zone.is_none()
    }

    /// Sets an attribute that is neither its place nor whether it is enabled, within its bounds; none where the value is of
    /// another sort.
    pub fn set_plain(&mut self, attr: Attr, v: &Value) -> Option<()> {
        match (attr, v) {
            (Attr::Facing, Value::Enum(_, d)) => self.facing = *d,
            (Attr::Speed, Value::Number(n)) => self.speed = n.clamp(0.0, value::MAX_SPEED),
            (Attr::Solid, Value::Flag(b)) => self.solid = *b,
            (Attr::Opaque, Value::Flag(b)) => self.opaque = *b,
            (Attr::Visible, Value::Flag(b)) => self.visible = *b,
            (Attr::Tangible, Value::Flag(b)) => self.tangible = *b,
            (Attr::Look, Value::Text(t)) => self.look = t.clone(),
            (Attr::Colour, Value::Enum(_, c)) => self.colour = *c,
            (Attr::Size, Value::Point(p)) => {
                self.size = (p.x.clamp(0.0, value::MAX_SIZE), p.y.clamp(0.0, value::MAX_SIZE));
                self.walk.end_leg();
            }
            _ => return None,
        }
        Some(())
    }

    /// The cells whose centres its box holds, where it is there, as [`crate::ground::carried_at`] asks for them.
    pub fn covers(&self) -> Option<Covered> {
        let (w, h) = (self.size.0 / 2.0 + number::NEAR, self.size.1 / 2.0 + number::NEAR);
        let low = ((self.at.x - w).ceil() as i64, (self.at.y - h).ceil() as i64);
        let high = ((self.at.x + w).floor() as i64, (self.at.y + h).floor() as i64);
        (self.enabled && !self.gone).then_some((self.at.area, low, high))
    }

    /// True where sensing has to look at it.
    pub fn is_dirty(&self) -> bool {
        self.dirty || self.moved
    }
}

impl Actor {
    /// Goes on along its leg by one tick, where it is on one and does not come to its end: gives from
    /// where, and why it walks.
    #[inline]
    pub fn stroll(&mut self, ground: u64) -> Option<(Point, Cause)> {
        let (step, cause) = self.walk.step_on(self.at, self.facing, self.speed, ground)?;
        if self.step.is_some() || self.pressed.is_some() {
            return None;
        }
        let from = self.at;
        self.at.x += step.0;
        self.at.y += step.1;
        self.moved = true;
        Some((from, cause))
    }
}
