//! What a checked level says, as both sides of it see: `mayfly-lang` makes these forms from text,
//! `mayfly-engine` carries them out. Every name is a number here, every duration that must be known
//! beforehand is in ticks.
//!
//! Not here: control flow as text has it (`mayfly_lang::level`) or as the engine runs it
//! (`mayfly_engine::program`); what a form does (`mayfly_engine`).
//!
//! Invariant: forms are checked: every id stands in its table, every local in its frame, and an
//! expression's type is the one that its place asks for.

use crate::arith::BinOp;
use crate::ids::*;
use crate::span::Span;
use crate::value::Value;

/// A local's place in its frame.
pub type Slot = u16;

/// An expression, and where it stands.
#[derive(Clone, Debug, PartialEq)]
pub struct Expr {
    pub kind: ExprKind,
    pub span: Span,
}

/// A piece of a text: as written, or a value with its decimals.
#[derive(Clone, Debug, PartialEq)]
pub enum Piece {
    Words(String),
    Value(Expr, Option<usize>),
}

#[derive(Clone, Debug, PartialEq)]
pub enum ExprKind {
    Const(Value),
    Text(Vec<Piece>),
    Var(VarId),
    Define(DefineId),
    Local(Slot),
    /// The actor whose rule it is, or whose expression is watched.
    Myself,
    /// A variable of an actor.
    Field(Box<Expr>, FieldId),
    Attr(Box<Expr>, Attr),
    /// The zone that the actor's kind declares.
    ZoneOf(Box<Expr>, ZoneId),
    /// `x` (false) or `y` (true) of a point.
    Axis(Box<Expr>, bool),
    Point(Box<Expr>, Box<Expr>, AreaId),
    List(Vec<Expr>),
    Index(Box<Expr>, Box<Expr>),
    Binary(BinOp, Box<Expr>, Box<Expr>),
    And(Box<Expr>, Box<Expr>),
    Or(Box<Expr>, Box<Expr>),
    Not(Box<Expr>),
    Negate(Box<Expr>),
    If(Box<Expr>, Box<Expr>, Box<Expr>),
    Between(Box<Expr>, Box<Expr>, Box<Expr>),
    /// A number per a duration: the share of one tick.
    Per(Box<Expr>, Box<Expr>),
    /// A question about two things, of now.
    Relation(Relation, Box<Expr>, Box<Expr>),
    Near(Box<Expr>, Box<Expr>, Box<Expr>),
    Exists(Box<Expr>),
    /// Whether a ramp moves the variable now.
    Ramping(Box<Expr>),
    /// Whether an actor has no order left.
    Halted(Box<Expr>),
    /// A flag that a pressed input of an actor holds.
    Pressing(Box<Expr>, InputId),
    Call(Builtin, Vec<Expr>),
    Draw(Draw, DrawId, Vec<Expr>),
    Over(Box<Over>),
    TimerLeft(Box<Expr>),
    TimerRunning(Box<Expr>),
    /// What a clock shows of one of its units.
    ClockShows(ClockId, u16),
    /// Whole units since its start.
    ClockRun(ClockId, u16),
    /// The factor on its declared speed.
    ClockSpeed(ClockId),
    /// A value that follows from others, of an actor or a zone.
    DefineOf(Box<Expr>, DefineId),
    /// The result of a routine that does nothing but reckon.
    Routine(RoutineId, Vec<Expr>),
    /// The state that a machine is in: of an actor, or of the level.
    MachineState(MachineId, Option<Box<Expr>>),
    /// Whether it is in that state, outer ones included; with a duration: whether for so long.
    InState(MachineId, Option<Box<Expr>>, StateId, Option<Box<Expr>>),
    Time,
    Tick,
}

/// A question about two values.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Relation {
    /// An actor is in a zone.
    InZone,
    /// A value stands in a list, set or tally.
    InList,
    Touching,
    Facing,
    /// The first is ahead of the second, by the second's facing.
    Ahead,
    Behind,
    LeftOf,
    RightOf,
    Tagged,
    /// An actor or a zone is of a kind.
    IsKind,
    Sees,
    /// A zone lies over a tile, or a tile of a tag.
    Covers,
}

/// A function whose result depends on its values and on the world alone.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Builtin {
    Min,
    Max,
    Abs,
    Floor,
    Ceil,
    Round,
    Sign,
    Sqrt,
    Clamp,
    Distance,
    Opposite,
    DirectionTo,
    AheadOf,
    TileAt,
    FreeAt,
    ActorsIn,
    Center,
    Len,
    /// A set of its values.
    SetOf,
    /// The first tangible actor on a straight way.
    Ray,
}

/// A draw of chance.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Draw {
    /// A whole number between two, both included.
    Whole,
    /// From 0 to below 1.
    Unit,
    Chance,
    Pick,
    /// By weight, from a table.
    Roll,
    Shuffled,
    /// The centre of a cell of a zone.
    PointIn,
}

/// A question about all actors of a set.
#[derive(Clone, Debug, PartialEq)]
pub struct Over {
    pub what: OverWhat,
    pub of: WhoSet,
    /// Where each candidate stands while it is asked.
    pub slot: Slot,
    pub test: Option<Expr>,
    /// What is summed; to whom the nearest is sought.
    pub value: Option<Expr>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum OverWhat {
    All,
    Count,
    Some,
    Every,
    Sum,
    Nearest,
}

/// Whom an event or a question may be about.
#[derive(Clone, Debug, PartialEq)]
pub enum WhoSet {
    Any,
    Myself,
    Actor(ActorId),
    Kind(KindId),
    Tag(TagId),
    /// What a variable names when the event is considered: an actor, a kind or a tag.
    Held(Box<Expr>),
}

/// Whom an event may be about, and the name that its rule gives them.
#[derive(Clone, Debug, PartialEq)]
pub struct Who {
    pub set: WhoSet,
    pub bind: Option<Slot>,
}

/// Attributes that every actor has (language.md §2).
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Attr {
    At,
    X,
    Y,
    Facing,
    Speed,
    Solid,
    Opaque,
    Visible,
    Tangible,
    Enabled,
    Look,
    Colour,
    Size,
}

impl Attr {
    /// Every attribute with its name.
    pub const ALL: [(&'static str, Attr); 13] = [
        ("at", Attr::At),
        ("x", Attr::X),
        ("y", Attr::Y),
        ("facing", Attr::Facing),
        ("speed", Attr::Speed),
        ("solid", Attr::Solid),
        ("opaque", Attr::Opaque),
        ("visible", Attr::Visible),
        ("tangible", Attr::Tangible),
        ("enabled", Attr::Enabled),
        ("look", Attr::Look),
        ("colour", Attr::Colour),
        ("size", Attr::Size),
    ];

    /// The attribute of that name.
    pub fn named(name: &str) -> Option<Attr> {
        Self::ALL.iter().find(|(n, _)| *n == name).map(|(_, a)| *a)
    }

    /// Its name.
    pub fn name(self) -> &'static str {
        Self::ALL.iter().find(|(_, a)| *a == self).map_or("", |(n, _)| n)
    }
}

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

/// What can be written.
#[derive(Clone, Debug, PartialEq)]
pub enum Place {
    Var(VarId),
    Local(Slot),
    Field(Expr, FieldId),
    Attr(Expr, Attr),
    /// One place of a list or a tally.
    Entry(Box<Place>, Expr),
    /// The factor on a clock's declared speed.
    ClockSpeed(ClockId),
}

/// First values and attributes that a placed or spawned actor has of its own.
#[derive(Clone, Debug, PartialEq)]
pub enum Override {
    Field(FieldId, Expr),
    Attr(Attr, Expr),
}

/// What an action does at once. Waits and control flow are not actions.
#[derive(Clone, Debug, PartialEq)]
pub enum Action {
    /// `op` is the operator of `+=` and its like.
    Assign {
        place: Place,
        op: Option<BinOp>,
        value: Expr,
    },
    Send {
        message: Expr,
        args: Vec<Expr>,
        to: Option<SendTo>,
        after: Option<Expr>,
    },
    Tell {
        text: Expr,
        to: Option<Expr>,
        from: Option<Expr>,
    },
    Cue(Expr),
    /// The words before ` = ` are the expression's text; none where it is a text itself.
    Log(Option<String>, Expr),
    Prompt {
        text: Expr,
        on: Option<Expr>,
        sustain: Option<Expr>,
    },
    Board {
        text: Expr,
        sustain: Option<Expr>,
    },
    Spawn {
        kind: Expr,
        at: Expr,
        bind: Option<Slot>,
        overrides: Vec<Override>,
    },
    Remove(Expr),
    Move {
        who: Expr,
        to: Expr,
    },
    Face {
        who: Expr,
        to: Expr,
        toward: bool,
    },
    Halt(Expr),
    /// `enable`, `disable`, `show`, `hide` of actors or zones.
    Switch {
        what: Switch,
        on: bool,
        thing: Expr,
    },
    SwitchRule {
        rule: RuleId,
        on: bool,
    },
    Timer {
        timer: Expr,
        order: TimerOrder,
    },
    /// On by so many of each unit, or to these values.
    Advance(ClockId, Vec<(u16, Expr)>),
    SetClock(ClockId, Vec<(u16, Expr)>),
    PauseClock(ClockId, bool),
    Lay {
        tile: Expr,
        at: Expr,
    },
    Walk(Box<Walk>),
    Reset(Expr),
    Restart,
    /// Writes what is kept between runs.
    Save,
    /// To a state of a machine, of an actor or of the level.
    Go {
        machine: MachineId,
        of: Option<Expr>,
        state: StateId,
    },
    Push {
        list: Place,
        value: Expr,
    },
    Clear(Place),
    /// Adds one to a bag, or takes one out.
    Bag {
        bag: Place,
        add: bool,
        value: Expr,
    },
    Tag {
        who: Expr,
        tag: Expr,
        on: bool,
    },
    /// As far as solids let it, at once.
    Shove {
        who: Expr,
        by: Expr,
    },
    /// Whether an actor's inputs are taken.
    Freeze {
        who: Expr,
        on: bool,
    },
    Checkpoint(Expr),
    Recall(Expr),
    /// Moves a value over so many ticks, or by so much a tick.
    Ramp {
        place: Place,
        to: Expr,
        over: RampTime,
        smooth: bool,
        /// An actor's way, which solids stop.
        slide: bool,
    },
    Win(Expr),
    Lose(Expr),
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Switch {
    Enabled,
    Visible,
}

#[derive(Clone, Debug, PartialEq)]
pub enum SendTo {
    One(Expr),
    All(WhoSet),
}

#[derive(Clone, Debug, PartialEq)]
pub enum TimerOrder {
    /// From the beginning; for so long this once.
    Start(Option<Expr>),
    Stop,
    Pause,
    Resume,
}

/// An order to walk.
#[derive(Clone, Debug, PartialEq)]
pub struct Walk {
    pub who: Expr,
    pub goal: WalkGoal,
    /// Cells a second; the actor's own speed where none is named.
    pub speed: Option<Expr>,
    pub straight: bool,
    pub lasts: Option<Expr>,
}

#[derive(Clone, Debug, PartialEq)]
pub enum WalkGoal {
    To(Expr),
    Along(Expr),
    After(Expr),
    AwayFrom(Expr),
}

/// What an actor of a kind can see.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Sight {
    /// So many degrees to both sides together, turned with its facing.
    Wedge {
        degrees: f64,
        reach: f64,
    },
    /// Its own cell, and cells before it, turned with its facing.
    Cells {
        ahead: i64,
        left: i64,
        right: i64,
    },
    All {
        reach: f64,
    },
}

/// How a path goes on at its end.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PathEnd {
    Loop,
    Bounce,
    Once,
}

/// How long a ramp takes.
#[derive(Clone, Debug, PartialEq)]
pub enum RampTime {
    Over(Expr),
    /// So much a tick.
    At(Expr),
}

/// A zone's form. In a zone of a kind, points are relative to its actor's centre.
#[derive(Clone, Debug, PartialEq)]
pub enum Shape {
    /// Whole cells: column and row of the top left one, and how many.
    Rect {
        x: i64,
        y: i64,
        w: i64,
        h: i64,
    },
    Disc {
        x: f64,
        y: f64,
        r: f64,
    },
    /// Whole cells, sorted by row and column.
    Cells(Vec<(i64, i64)>),
    /// Corners in order; the border belongs to it.
    Poly(Vec<(f64, f64)>),
    Sum(Box<Shape>, Box<Shape>),
    Less(Box<Shape>, Box<Shape>),
}

/// What a rule is where it is a part of a machine.
#[derive(Clone, Debug, PartialEq)]
pub enum Part {
    /// Out of a state, or out of every one.
    Transition {
        machine: MachineId,
        from: Option<StateId>,
        to: Goal,
    },
    Enter(StateId),
    Leave(StateId),
    Loop(StateId),
    /// A rule that is awake in that state alone.
    In(StateId),
    /// An event for which runs wait.
    Wait,
}

/// Where a transition leads.
#[derive(Clone, Debug, PartialEq)]
pub enum Goal {
    State(StateId),
    Previous,
    /// Drawn by weight among those whose test is true.
    OneOf(DrawId, Vec<(StateId, Expr, Option<Expr>)>),
}

/// How a rule holds itself back.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Limits {
    pub at_most: Vec<(u64, Per)>,
    /// Which of `at_most` also counts across runs.
    pub keep: Option<usize>,
    /// In ticks.
    pub cooldown: Vec<(u64, Per)>,
    pub awake: Option<Expr>,
    pub off: bool,
    pub priority: f64,
    pub again: Again,
}

/// For whom a limit counts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Per {
    Rule,
    Slot(Slot),
}

/// What an event does while an earlier run of its rule waits.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Again {
    #[default]
    Skip,
    Anew,
    Later,
    Beside,
}

impl Expr {
    /// A constant that stands nowhere in the text.
    pub fn constant(value: Value) -> Self {
        Self { kind: ExprKind::Const(value), span: Span::default() }
    }

    /// How many slots a frame needs in which it is reckoned alone.
    pub fn frame(&self) -> usize {
        let mut most = 0;
        self.walk(&mut |e| match &e.kind {
            ExprKind::Local(s) => most = most.max(*s as usize + 1),
            ExprKind::Over(o) => most = most.max(o.slot as usize + 1),
            _ => {}
        });
        most
    }

    /// Calls `see` for this expression and every one inside it, outer first.
    pub fn walk<'e>(&'e self, see: &mut dyn FnMut(&'e Expr)) {
        see(self);
        use ExprKind::*;
        match &self.kind {
            Const(_) | Var(_) | Define(_) | Local(_) | Myself | Time | Tick | ClockShows(..) | ClockRun(..)
            | ClockSpeed(_) => {}
            Text(pieces) => pieces.iter().for_each(|p| {
                if let Piece::Value(e, _) = p {
                    e.walk(see);
                }
            }),
            MachineState(_, of) => of.iter().for_each(|e| e.walk(see)),
            InState(_, of, _, d) => of.iter().chain(d.iter()).for_each(|e| e.walk(see)),
            Field(a, _)
            | Attr(a, _)
            | ZoneOf(a, _)
            | Axis(a, _)
            | Not(a)
            | Negate(a)
            | Exists(a)
            | Ramping(a)
            | Halted(a)
            | TimerLeft(a)
            | TimerRunning(a)
            | DefineOf(a, _)
            | Pressing(a, _) => {
                a.walk(see);
            }
            Point(a, b, _) | Index(a, b) | Binary(_, a, b) | And(a, b) | Or(a, b) | Per(a, b) | Relation(_, a, b) => {
                a.walk(see);
                b.walk(see);
            }
            If(a, b, c) | Between(a, b, c) | Near(a, b, c) => {
                a.walk(see);
                b.walk(see);
                c.walk(see);
            }
            List(l) | Call(_, l) | Draw(_, _, l) | Routine(_, l) => l.iter().for_each(|e| e.walk(see)),
            Over(o) => {
                if let WhoSet::Held(e) = &o.of {
                    e.walk(see);
                }
                o.test.iter().chain(o.value.iter()).for_each(|e| e.walk(see));
            }
        }
    }
}
