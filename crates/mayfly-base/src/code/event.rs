//! What a rule can await, and the names that it binds.
//!
//! Not here: what a form does (`mayfly_engine`).
//!
//! Invariant: as in [`crate::code`], every id stands in its table and every local in its frame.

use super::*;

/// A duration that is known beforehand, where it stands, and the whole ticks that it takes at the level's rate.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Period {
    pub lasts: Micros,
    pub ticks: u64,
    pub span: Span,
}

impl Period {
    /// What takes so long at that rate.
    pub fn new(lasts: Micros, rate: Rate, span: Span) -> Self {
        Self { lasts, ticks: rate.ticks(lasts), span }
    }
}

/// How often what lasts is told: each period, or in each tick where none is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Interval(pub Option<Period>);

impl Interval {
    pub fn ticks(self) -> u64 {
        self.0.map_or(1, |p| p.ticks)
    }
}

/// What a rule waits for.
#[derive(Clone, Debug, PartialEq)]
pub enum Event {
    Start,
    Tick,
    /// First after `first`, then each `period`.
    Every {
        first: Period,
        period: Period,
    },
    After(Period),
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

impl Event {
    /// The periods that stand in it.
    pub fn periods(&self) -> impl Iterator<Item = &Period> {
        let two = match self {
            Self::Every { first, period } => [Some(period), Some(first).filter(|_| first.span != period.span)],
            Self::After(period) => [Some(period), None],
            Self::Zone { verb: ZoneVerb::In(every), .. }
            | Self::Pair {
                verb: PairVerb::Touching(every) | PairVerb::Near(_, every) | PairVerb::Seeing(every), ..
            } => [every.0.as_ref(), None],
            Self::Press(press) => [press.held.as_ref().and_then(|every| every.0.as_ref()), None],
            _ => [None, None],
        };
        two.into_iter().flatten()
    }

    /// The same event, told by the ticks of its periods alone: not by how they are written, nor where.
    pub fn by_ticks(mut self) -> Self {
        let bare = |p: &mut Period| *p = Period { lasts: 0, span: Span::default(), ..*p };
        let each = |e: &mut Interval| *e = Interval(Some(Period { lasts: 0, ticks: e.ticks(), span: Span::default() }));
        match &mut self {
            Self::Every { first, period } => [first, period].into_iter().for_each(bare),
            Self::After(period) => bare(period),
            Self::Zone { verb: ZoneVerb::In(every), .. }
            | Self::Pair {
                verb: PairVerb::Touching(every) | PairVerb::Near(_, every) | PairVerb::Seeing(every), ..
            } => {
                each(every);
            }
            Self::Press(press) => press.held.iter_mut().for_each(each),
            _ => {}
        }
        self
    }
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
    /// Again and again while inside, the first at entry.
    In(Interval),
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
    /// Again and again while contact lasts.
    Touching(Interval),
    /// Within so many cells, and not again before beyond `until`.
    Nears(RangeId),
    Strays(RangeId),
    Near(RangeId, Interval),
    /// The first sees the second.
    Sees,
    Loses,
    Seeing(Interval),
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
    /// `pressing`: again and again while it is down.
    pub held: Option<Interval>,
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
