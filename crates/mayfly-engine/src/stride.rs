//! Strides: the next ticks of whoever walks straight on over cells on which the same zones lie. Nothing but its place
//! changes in them and nothing is sensed, so all that a tick needs of it lies in one column beside the actors.
//!
//! Not here: when a stride may begin ([`crate::motion`]), for how long its leg holds ([`crate::order`]), and how far the
//! same zones lie ([`crate::zones`]).
//!
//! Invariant: while a stride has ticks left, a tick on it does what the long way does, but for the cell in which the actor was
//! sensed last: that is found where the stride ends. Whoever may change an actor ends its stride (see
//! [`crate::actors::Actors`]); debug builds compare each tick with the long way.

use crate::actor::{Actor, Motion};
use crate::cause::Cause;
use crate::zones::ZoneGrid;
use mayfly_base::{ActorId, Point};

/// What one actor does in the next ticks.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Stride {
    step: (f64, f64),
    cause: Cause,
    /// The number of the last change of what stops actors.
    ground: u64,
    name_hash: u64,
    left: u32,
    /// One was begun, and its actor's cell is not looked after.
    under_way: bool,
}

impl Stride {
    pub(crate) const NONE: Self =
        Self { step: (0.0, 0.0), cause: Cause::NONE, ground: 0, name_hash: 0, left: 0, under_way: false };

    /// That of an actor that was just sensed where it walks. `moves_in`: some rule waits for one that comes to another cell of
    /// a zone.
    pub(crate) fn of(a: &Actor, ground: u64, grid: &ZoneGrid, moves_in: bool) -> Self {
        let (area, cell) = (a.at.area, a.cell);
        let still = a.is_dirty() || a.jumped || a.step.is_some() || a.pressed.is_some();
        let Some(heading) = a.walk.heading().filter(|_| !still) else { return Self::NONE };
        let one_cell = moves_in && !(a.inside.is_empty() && grid.is_free(area, cell, cell));
        let Some(last) = grid.last_same(area, cell, heading, one_cell) else { return Self::NONE };
        match a.walk.ticks_ahead(a.at, last) {
            Some((step, cause, left)) => Self { step, cause, ground, name_hash: a.name_hash, left, under_way: true },
            None => Self::NONE,
        }
    }

    /// Ends it, so that the actor can be changed.
    #[inline]
    pub(crate) fn end(&mut self, a: &mut Actor) {
        if self.under_way {
            (self.left, self.under_way, a.cell) = (0, false, a.at.cell());
        }
    }

    /// Takes the actor on by one tick; none where no tick is left, or the ground changed.
    #[inline]
    pub(crate) fn take(&mut self, a: &mut Actor, actor: ActorId, ground: u64) -> Option<Motion> {
        if self.left == 0 || self.ground != ground {
            return None;
        }
        self.left -= 1;
        debug_assert!(a.enabled && !a.gone && !a.is_dirty());
        debug_assert_eq!(a.walk.step_on(a.at, a.facing, a.speed, ground), Some((self.step, self.cause)));
        let from = a.at;
        // Both places are written part by part: reading one back whole would wait for its parts.
        let to = Point { x: from.x + self.step.0, y: from.y + self.step.1, area: from.area };
        (a.at.x, a.at.y) = (to.x, to.y);
        (a.before.x, a.before.y) = (to.x, to.y);
        Some(Motion { actor, name_hash: self.name_hash, from, to, cause: self.cause })
    }
}
