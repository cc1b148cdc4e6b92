//! The rows of a program's tables: what a tile, a kind, a zone, a rule, an op … is when a level is run.
//!
//! Not here: all of them together ([`crate::program`]).
//!
//! Invariant: rows name each other by number alone.

use mayfly_base::code::*;
use mayfly_base::*;

/// A place in `Program::code`.
pub type CodeAt = u32;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Edges {
    Closed,
    Open,
    Wrap,
}

#[derive(Clone, Debug)]
pub struct Tile {
    pub name: String,
    pub solid: bool,
    pub opaque: bool,
    pub tags: Vec<TagId>,
}

#[derive(Clone, Debug)]
pub struct Map {
    pub name: String,
    pub width: i64,
    pub height: i64,
    pub cells: Vec<Option<TileId>>,
}

impl Map {
    /// The tile at a cell; none off the map or where nothing is laid.
    pub fn tile(&self, (x, y): (i64, i64)) -> Option<TileId> {
        if self.holds((x, y)) { self.cells[(y * self.width + x) as usize] } else { None }
    }

    /// True for cells of the map. A level without a map has no edges: every cell is of it.
    pub fn holds(&self, (x, y): (i64, i64)) -> bool {
        self.width > 0 && (0..self.width).contains(&x) && (0..self.height).contains(&y)
    }

    /// True where a cell lies beyond the map's edges.
    pub fn is_off(&self, cell: (i64, i64)) -> bool {
        self.width > 0 && !self.holds(cell)
    }
}

#[derive(Clone, Debug)]
pub struct Var {
    pub name: String,
    pub first: Expr,
    pub bounds: Option<(f64, f64)>,
    /// Kept between runs.
    pub keep: bool,
}

/// A value that follows from others.
#[derive(Clone, Debug)]
pub struct Define {
    pub name: String,
    /// The kind whose actors each have it.
    pub of: Option<KindId>,
    pub expr: Expr,
    /// Slots that it needs.
    pub frame: usize,
}

#[derive(Clone, Debug)]
pub struct Message {
    pub name: String,
    pub params: Vec<String>,
}

#[derive(Clone, Debug)]
pub struct Timer {
    pub name: String,
    pub ticks: u64,
    pub repeating: bool,
    pub running: bool,
}

#[derive(Clone, Debug)]
pub struct Clock {
    pub name: String,
    /// From the smallest unit: its name, how many make the next, and the enum of its names.
    pub units: Vec<(String, u64, Option<EnumId>)>,
    /// How many of the smallest unit each is.
    pub sizes: Vec<u64>,
    /// Millionths of the smallest unit, and the microseconds that they take.
    pub speed: (u64, u64),
    /// What it shows at the start, in the smallest unit.
    pub starts: u64,
    /// Units that any rule awaits.
    pub awaited: Vec<u16>,
}

impl Clock {
    /// The smallest units that all units together make, after which it begins again.
    pub fn whole(&self) -> u64 {
        self.units.iter().map(|u| u.1).product::<u64>().max(1)
    }
}

#[derive(Clone, Debug)]
pub struct Path {
    pub name: String,
    pub points: Vec<Point>,
    pub end: PathEnd,
}

#[derive(Clone, Debug)]
pub struct Routine {
    pub name: String,
    pub params: usize,
    pub code: CodeAt,
    /// The place after its last op.
    pub end: CodeAt,
    pub slots: usize,
    pub names: Vec<String>,
    pub loop_slots: Vec<Slot>,
}

#[derive(Clone, Debug)]
pub struct Kind {
    pub name: String,
    /// Itself and every kind that it derives from.
    pub is: Vec<KindId>,
    pub steered: bool,
    pub attrs: Vec<(Attr, Expr)>,
    pub fields: Vec<Var>,
    pub tags: Vec<TagId>,
    pub zones: Vec<ZoneId>,
    pub machines: Vec<MachineId>,
    pub passes_tiles: Vec<TileId>,
    pub passes_kinds: Vec<KindId>,
    pub passes_tags: Vec<TagId>,
    pub sights: Vec<Sight>,
    pub carries: Vec<WhoSet>,
    pub falls: Option<f64>,
}

#[derive(Clone, Debug)]
pub struct Placed {
    pub name: String,
    pub kind: KindId,
    pub at: Point,
    pub facing: u32,
    pub overrides: Vec<Override>,
}

#[derive(Clone, Debug)]
pub struct Zone {
    pub name: String,
    pub of: Option<KindId>,
    /// Its own kind; then `stand_in` is it among the actors.
    pub kind: Option<KindId>,
    pub stand_in: Option<ActorId>,
    pub overrides: Vec<Override>,
    pub area: AreaId,
    pub shape: Shape,
    pub notices: Vec<WhoSet>,
}

/// A watched expression, and all the ways in which rules look at it.
#[derive(Clone, Debug)]
pub struct Watch {
    pub expr: Expr,
    /// Slots that it needs.
    pub frame: usize,
    pub over: Option<KindId>,
    pub text: String,
    pub forms: Vec<WatchForm>,
}

#[derive(Clone, Debug)]
pub struct Range {
    pub a: WhoSet,
    pub b: WhoSet,
    pub within: f64,
    pub until: f64,
}

#[derive(Clone, Debug)]
pub struct Rule {
    pub title: String,
    pub owner: Option<KindId>,
    /// What it is of a machine.
    pub part: Option<Part>,
    /// The group of which at most one fires for one event.
    pub group: Option<u32>,
    /// Where it stands in the text.
    pub span: Span,
    /// The kinds whose actors have it: the owner and what derives from it without a rule of that title.
    pub kinds: Vec<KindId>,
    pub whens: Vec<Event>,
    pub clauses: Vec<Clause>,
    pub limits: Limits,
    pub then: CodeAt,
    pub otherwise: Option<CodeAt>,
    pub slots: usize,
    /// How many of the slots the event binds.
    pub bound: usize,
    /// The slots' names.
    pub names: Vec<String>,
    /// Slots that count the turns of a `while`.
    pub loop_slots: Vec<Slot>,
}

#[derive(Clone, Debug)]
pub struct Machine {
    pub name: String,
    pub of: Option<KindId>,
    /// The innermost state in which it begins.
    pub start: StateId,
}

#[derive(Clone, Debug)]
pub struct State {
    /// `outer.inner`.
    pub name: String,
    pub machine: MachineId,
    /// Itself and what holds it, outermost first.
    pub path: Vec<StateId>,
    /// The innermost state in which it begins.
    pub start: StateId,
    pub enter: Option<RuleId>,
    pub leave: Option<RuleId>,
    pub looped: Option<RuleId>,
}

#[derive(Clone, Debug)]
pub struct Clause {
    pub test: Expr,
    pub otherwise: Option<CodeAt>,
}

/// One step of a rule's actions.
#[derive(Clone, Debug)]
pub enum Op {
    Do(Action),
    Set(Slot, Expr),
    /// Goes on at the place where the test is false.
    Unless(Expr, CodeAt),
    Jump(CodeAt),
    /// The slot counts the turns left.
    RepeatBegin(Slot, Expr),
    RepeatTurn(Slot, CodeAt),
    /// The slot counts the turns made.
    WhileBegin(Slot),
    WhileTurn(Slot, Expr, CodeAt),
    ForRange {
        list: Slot,
        at: Slot,
        from: Expr,
        to: Expr,
    },
    ForEach {
        list: Slot,
        at: Slot,
        over: Expr,
    },
    ForTurn {
        slot: Slot,
        list: Slot,
        at: Slot,
        test: Option<Expr>,
        exit: CodeAt,
    },
    /// A state's loop: a turn that began without a wait in the one before is a fault.
    LoopTurn(Slot),
    /// Goes on at one of these, drawn by weight.
    WeightedChoice(DrawId, Vec<(Expr, CodeAt)>),
    /// Waits for the ramp begun last.
    WaitRamp,
    Wait(Expr),
    WaitUntil {
        test: Expr,
        at_most: Option<Expr>,
    },
    /// Waits for the order to walk given last.
    WaitWalk,
    WaitFor {
        event: RuleId,
        at_most: Option<Expr>,
    },
    /// What follows runs beside the rest, which goes on at that place.
    Fork(CodeAt),
    Call {
        routine: RoutineId,
        args: Vec<Expr>,
        into: Option<Slot>,
    },
    Return(Option<Expr>),
    End,
}

impl Rule {
    /// True of actions by hand, which stand among the rules and await nothing.
    pub fn is_by_hand(&self) -> bool {
        self.part == Some(Part::Wait) && self.whens.is_empty()
    }
}

/// Where something stands among all declarations: by the order of the files, then by place.
pub type DeclaredAt = (u16, u32);

/// Where a stretch of text stands in the order of declaration, `file_order` being that of the files.
pub(crate) fn declared_at(file_order: &[u16], at: Span) -> DeclaredAt {
    (file_order.get(at.file as usize).copied().unwrap_or(0), at.start)
}
