//! What a rule can await, and the names that it binds.
//!
//! Not here: what a form does (`mayfly_engine`).
//!
//! Invariant: as in [`crate::code`], every id stands in its table and every local in its frame.

use super::*;

/// What a rule waits for.
#[derive(Clone, Debug, PartialEq)]
pub enum Event {
    Start,
    Tick,
    /// First after `first` ticks, then each `period` ticks.
    Every {
        first: u64,
        period: u64,
    },
    After(u64),
    Zone {
        verb: ZoneVerb,
        who: Who,
        zone: ZoneWhich,
    },
    Pair {
        verb: PairVerb,
        a: Who,
        b: Who,
    },
    Press(Box<Press>),
    Watched {
        watch: WatchId,
        form: WatchForm,
        bind: Option<Slot>,
    },
    Hears {
        message: Heard,
        slots: Vec<Slot>,
    },
    /// What a timer, or a variable that holds one, names.
    TimerEnds(Expr),
    Machine {
        who: Option<Who>,
        state: StateId,
        enters: bool,
    },
    Spawns(Who),
    Removed(Who),
    Bumps {
        who: Who,
        into: BumpWhat,
    },
    Treads {
        who: Who,
        on: TileWhat,
    },
    /// An order to move was fulfilled; at that point alone, where one is named.
    Arrives {
        who: Who,
        at: Option<Expr>,
    },
    Stuck(Who),
    /// A clock came to a new unit, or to that value of it.
    Passes {
        clock: ClockId,
        unit: u16,
        value: Option<u32>,
    },
    Comes {
        who: Who,
        area: AreaId,
    },
}

/// A message by its name, or what a variable names when the event is considered.
#[derive(Clone, Debug, PartialEq)]
pub enum Heard {
    One(MessageId),
    Held(Expr, Vec<MessageId>),
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TileWhat {
    Tile(TileId),
    Tag(TagId),
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ZoneVerb {
    Enters,
    Leaves,
    /// Each so many ticks while inside, the first at entry.
    In(u64),
    MovesIn,
}

/// Which zone of which actor.
#[derive(Clone, Debug, PartialEq)]
pub enum ZoneWhich {
    /// A zone of the level.
    Level(ZoneId),
    /// The zone of whoever the name binds: `lamp.glow`; of `self` where it is [`WhoSet::Myself`].
    Of(ZoneId, Who),
    /// Any zone of a kind of zones, bound to a name.
    Kind(KindId, Slot),
    /// The zone whose rule it is.
    Myself,
    /// What a variable names when the event is considered.
    Held(Box<Expr>),
}

#[derive(Clone, Debug, PartialEq)]
pub enum PairVerb {
    Touches,
    Parts,
    /// Each so many ticks while contact lasts.
    Touching(u64),
    /// Within so many cells, and not again before beyond `until`.
    Nears(RangeId),
    Strays(RangeId),
    Near(RangeId, u64),
    /// The first sees the second.
    Sees,
    Loses,
    Seeing(u64),
}

/// One declared pair of distances that the engine watches.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct RangeId(pub u32);

#[derive(Clone, Debug, PartialEq)]
pub struct Press {
    pub who: Who,
    pub input: InputId,
    /// Whom it must be near, within how far.
    pub near: Option<(Who, Option<Expr>)>,
    pub facing: Option<Who>,
    pub zone: Option<ZoneWhich>,
    /// `pressing`: each so many ticks while it is down.
    pub held: Option<u64>,
}

#[derive(Clone, Debug, PartialEq)]
pub enum BumpWhat {
    Actor(Who),
    Tile(TileWhat),
}

/// How a watched expression is looked at.
#[derive(Clone, Debug, PartialEq)]
pub enum WatchForm {
    Changes,
    TurnsTrue,
    TurnsFalse,
    Reaches(Expr),
    DropsTo(Expr),
}
