//! What brought something about, and what was written: by these two, everything in a flight leads back to its cause.
//!
//! Not here: what happened ([`crate::record`]).
//!
//! Invariant: a cause is a record that was made before what it caused, or none.

use mayfly_base::code::Attr;
use mayfly_base::*;

/// What brought something about: a record of a tick. The default means: nothing that was recorded.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Cause {
    pub tick: u64,
    pub at: u32,
}

impl Cause {
    /// Nothing that was recorded: the level's beginning, or its first values.
    pub const NONE: Self = Self { tick: 0, at: u32::MAX };
}

impl Default for Cause {
    fn default() -> Self {
        Self::NONE
    }
}

/// What was written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Target {
    Var(VarId),
    Field(ActorId, FieldId),
    Attr(ActorId, Attr),
    Local(u16),
    ClockSpeed(ClockId),
}

impl Target {
    /// The actor whose place it is.
    pub fn owner(self) -> Option<ActorId> {
        match self {
            Self::Field(a, _) | Self::Attr(a, _) => Some(a),
            Self::Var(_) | Self::Local(_) | Self::ClockSpeed(_) => None,
        }
    }

    /// True where a write to one changes the other: the place of an actor has its `x` and its `y` in it.
    pub fn meets(self, other: Self) -> bool {
        let in_place = |x| matches!(x, Attr::X | Attr::Y);
        match (self, other) {
            (Self::Attr(a, Attr::At), Self::Attr(b, x)) | (Self::Attr(a, x), Self::Attr(b, Attr::At))
                if in_place(x) =>
            {
                a == b
            }
            _ => self == other,
        }
    }
}
