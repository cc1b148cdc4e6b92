//! A checked level: everything that was declared, with every name resolved.
//!
//! It is what `mayfly-session` lowers into a program. Expressions and actions are those of
//! [`mayfly_base::code`]; control flow is still a tree here.
//!
//! Invariant: a `Level` exists only for a text without errors; ids are indices into these tables, in
//! order of declaration.

use crate::types::{Ty, TypeNames};
use mayfly_base::code::*;
use mayfly_base::*;

/// What a draw gives: its type, and the bounds of a number.
pub type DrawForm = (Ty, Option<(f64, f64)>);

/// What happens to who walks off the map.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Edges {
    Closed,
    Open,
    Wrap,
}

#[derive(Clone, Debug)]
pub struct Level {
    pub title: String,
    pub rate: Rate,
    pub seed: u64,
    pub edges: Edges,
    pub tiles: Vec<Tile>,
    pub areas: Vec<Area>,
    pub enums: Vec<Enum>,
    pub tags: Vec<String>,
    /// Constants by name: all uses of them are their values already.
    pub consts: Vec<(String, Value, Ty)>,
    pub vars: Vec<Var>,
    pub defines: Vec<Define>,
    /// The order in which variables and defines stand in the source.
    pub listed: Vec<Listed>,
    pub messages: Vec<Message>,
    pub inputs: Vec<Input>,
    pub timers: Vec<Timer>,
    pub clocks: Vec<Clock>,
    pub paths: Vec<Path>,
    pub records: Vec<Records>,
    pub routines: Vec<Routine>,
    pub kinds: Vec<Kind>,
    pub actors: Vec<Actor>,
    pub zones: Vec<Zone>,
    pub watches: Vec<Watch>,
    pub ranges: Vec<Range>,
    pub tables: Vec<Table>,
    pub machines: Vec<Machine>,
    /// The states of all machines.
    pub states: Vec<State>,
    pub rules: Vec<Rule>,
    /// How many places draw, and each one's name: its declaration and its ordinal there.
    pub draws: Vec<String>,
    /// For each, whether it stands in a routine.
    pub shared_draws: Vec<bool>,
    /// What each draw gives, where that is known: its type, and the bounds of a number.
    pub draw_forms: Vec<Option<DrawForm>>,
    /// For each file, how many files' declarations stand before its own.
    pub file_order: Vec<u16>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Listed {
    Var(VarId),
    Define(DefineId),
}

#[derive(Clone, Debug)]
pub struct Tile {
    pub name: String,
    pub sign: char,
    pub solid: bool,
    pub opaque: bool,
    pub tags: Vec<TagId>,
    /// Its sign on the map, and its colour by number, where they are given.
    pub look: Option<(char, Option<u32>)>,
}

#[derive(Clone, Debug)]
pub struct Area {
    pub name: String,
    pub width: usize,
    pub height: usize,
    /// Row by row; `None` where nothing is laid.
    pub cells: Vec<Option<TileId>>,
}

#[derive(Clone, Debug)]
pub struct Enum {
    pub name: String,
    pub values: Vec<String>,
}

/// A variable of the level or of a kind.
#[derive(Clone, Debug)]
pub struct Var {
    pub name: String,
    pub ty: Ty,
    pub first: Expr,
    pub bounds: Option<(f64, f64)>,
    /// Kept between runs.
    pub keep: bool,
    pub span: Span,
    pub doc: String,
}

/// A value that follows from others: of the level, or of each actor or zone of a kind.
#[derive(Clone, Debug)]
pub struct Define {
    pub name: String,
    pub of: Option<KindId>,
    pub ty: Ty,
    pub expr: Expr,
    pub span: Span,
}

#[derive(Clone, Debug)]
pub struct Message {
    pub name: String,
    pub params: Vec<(String, Ty)>,
    pub span: Span,
}

#[derive(Clone, Debug)]
pub struct Input {
    pub name: String,
    /// The default key as written.
    pub key: String,
}

#[derive(Clone, Debug)]
pub struct Timer {
    pub name: String,
    pub length: Micros,
    pub repeating: bool,
    pub running: bool,
    pub span: Span,
}

/// Units from the smallest to the largest, each with how many make the next.
#[derive(Clone, Debug)]
pub struct Clock {
    pub name: String,
    pub units: Vec<Unit>,
    /// Millionths of the smallest unit, and the microseconds that they take.
    pub speed: (u64, u64),
    /// What it shows at the start, unit by unit.
    pub starts: Vec<u64>,
    pub span: Span,
}

#[derive(Clone, Debug)]
pub struct Unit {
    pub name: String,
    pub count: u64,
    /// The enum of its names, where it has any.
    pub named: Option<EnumId>,
}

impl Clock {
    /// How many of the smallest unit one of that unit is.
    pub fn size(&self, unit: usize) -> u64 {
        self.units[..unit].iter().map(|u| u.count).product()
    }
}

#[derive(Clone, Debug)]
pub struct Path {
    pub name: String,
    pub points: Vec<Point>,
    pub end: PathEnd,
    pub span: Span,
}

/// Rows of values, each column of one type.
#[derive(Clone, Debug)]
pub struct Records {
    pub name: String,
    pub columns: Vec<(String, Ty)>,
    /// A list of lists.
    pub rows: Value,
    pub span: Span,
}

/// Shared logic: its frame begins with its parameters.
#[derive(Clone, Debug)]
pub struct Routine {
    pub name: String,
    pub params: Vec<(String, Ty)>,
    pub gives: Option<Ty>,
    /// It computes a value and does nothing else.
    pub pure: bool,
    pub body: Block,
    pub slots: Vec<(String, Ty)>,
    pub span: Span,
    pub doc: String,
}

#[derive(Clone, Debug)]
pub struct Kind {
    pub name: String,
    /// Of zones, not of actors.
    pub of_zones: bool,
    pub like: Option<KindId>,
    pub steered: bool,
    /// Attributes that differ from the language's own defaults, inherited ones first.
    pub attrs: Vec<(Attr, Expr)>,
    /// Inherited ones first.
    pub fields: Vec<Var>,
    pub tags: Vec<TagId>,
    /// Zones of its own and inherited ones.
    pub zones: Vec<ZoneId>,
    /// Machines of its own and inherited ones.
    pub machines: Vec<MachineId>,
    /// What solids do not stop it.
    pub passes: Vec<PassWhat>,
    pub sights: Vec<Sight>,
    /// Whom it takes along.
    pub carries: Vec<WhoSet>,
    /// Cells a second at which it sinks.
    pub falls: Option<f64>,
    pub defines: Vec<DefineId>,
    /// The order in which its variables and defines stand in the source.
    pub listed: Vec<OfKind>,
    pub span: Span,
    pub doc: String,
}

/// A variable or a define of a kind.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum OfKind {
    Var(FieldId),
    Define(DefineId),
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PassWhat {
    Tile(TileId),
    Kind(KindId),
    Tag(TagId),
}

#[derive(Clone, Debug)]
pub struct Actor {
    /// `keeper`, or `lamp#2` where it has no name of its own.
    pub name: String,
    pub kind: KindId,
    pub at: Point,
    pub facing: u32,
    pub overrides: Vec<Override>,
    pub span: Span,
}

#[derive(Clone, Debug)]
pub struct Zone {
    pub name: String,
    /// The kind that declares it, where it moves with its actors.
    pub of: Option<KindId>,
    /// Its own kind, of zones.
    pub kind: Option<KindId>,
    pub overrides: Vec<Override>,
    pub area: AreaId,
    pub shape: Shape,
    /// Whom it notices; everyone where it is empty.
    pub notices: Vec<WhoSet>,
    pub span: Span,
    pub doc: String,
}

/// A watched expression; `over` is the kind for each of whose actors it is watched, as `self`.
#[derive(Clone, Debug)]
pub struct Watch {
    pub expr: Expr,
    pub over: Option<KindId>,
    pub text: String,
}

/// A watched nearness of two.
#[derive(Clone, Debug, PartialEq)]
pub struct Range {
    pub a: WhoSet,
    pub b: WhoSet,
    pub within: f64,
    pub until: f64,
    /// The kind in whose rule it stands, where `self` is one of the two.
    pub of: Option<KindId>,
}

/// Values with their weights.
#[derive(Clone, Debug)]
pub struct Table {
    pub name: String,
    pub of: Ty,
    pub rows: Vec<(Expr, Expr)>,
}

#[derive(Clone, Debug)]
pub struct Machine {
    pub name: String,
    pub of: Option<KindId>,
    pub start: StateId,
    pub span: Span,
}

#[derive(Clone, Debug)]
pub struct State {
    pub name: String,
    pub machine: MachineId,
    pub outer: Option<StateId>,
    /// The inner state in which it begins, where it holds states.
    pub start: Option<StateId>,
    pub span: Span,
}

#[derive(Clone, Debug)]
pub struct Rule {
    pub title: String,
    pub owner: Option<KindId>,
    /// What it is of a machine, where it is no rule of its own.
    pub part: Option<Part>,
    /// The group of which at most one fires for one event.
    pub group: Option<u32>,
    pub span: Span,
    pub doc: String,
    pub whens: Vec<When>,
    pub clauses: Vec<Clause>,
    pub elses: Vec<Block>,
    pub limits: Limits,
    pub then: Block,
    pub otherwise: Option<Block>,
    /// Names and types of the frame's slots, bound names first.
    pub slots: Vec<(String, Ty)>,
    /// How many of them the event binds.
    pub bound: usize,
}

impl Rule {
    /// A rule of which nothing is read yet.
    pub fn unread(title: String, owner: Option<KindId>, span: Span) -> Self {
        Self {
            title,
            owner,
            part: None,
            group: None,
            span,
            doc: String::new(),
            whens: vec![],
            clauses: vec![],
            elses: vec![],
            limits: Limits::default(),
            then: vec![],
            otherwise: None,
            slots: vec![],
            bound: 0,
        }
    }
}

#[derive(Clone, Debug)]
pub struct When {
    pub event: Event,
    pub span: Span,
}

#[derive(Clone, Debug)]
pub struct Clause {
    pub test: Expr,
    /// Which of the rule's `elses` runs where this clause is the first that fails.
    pub otherwise: Option<usize>,
}

pub type Block = Vec<Stmt>;

#[derive(Clone, Debug)]
pub struct Stmt {
    pub kind: StmtKind,
    pub span: Span,
}

#[derive(Clone, Debug)]
pub enum StmtKind {
    Do(Action),
    Let(Slot, Expr),
    If(Vec<(Expr, Block)>, Option<Block>),
    /// The slot counts the turns left.
    Repeat(Slot, Expr, Block),
    While(Expr, Block),
    /// `slot` holds the value of the turn, `list` and `at` what is left to do.
    For {
        slot: Slot,
        list: Slot,
        at: Slot,
        over: ForOver,
        test: Option<Expr>,
        body: Block,
    },
    /// One statement after the other, with nothing of its own.
    Seq(Block),
    /// One of several blocks, drawn by weight.
    WeightedChoice(DrawId, Vec<(Expr, Block)>),
    Break,
    Continue,
    Return(Option<Expr>),
    Wait(Expr),
    WaitUntil {
        test: Expr,
        at_most: Option<Expr>,
    },
    /// Waits for the ramp that the action before began.
    WaitRamp,
    /// Waits for the order to walk that the action before gave.
    WaitWalk,
    /// Waits for the event of the rule that stands for it.
    WaitFor {
        event: RuleId,
        at_most: Option<Expr>,
    },
    /// Runs beside the rest, with a copy of the locals.
    Meanwhile(Block),
    /// A routine, and where its result goes.
    Routine {
        routine: RoutineId,
        args: Vec<Expr>,
        into: Option<Slot>,
    },
}

#[derive(Clone, Debug)]
pub enum ForOver {
    Range(Expr, Expr),
    Each(Expr),
}

impl Level {
    /// True of a level in which nothing is that could be seen or fire, such as [`Level::empty`].
    pub fn is_empty(&self) -> bool {
        let there = [self.tiles.len(), self.actors.len(), self.zones.len(), self.vars.len(), self.rules.len()];
        there == [0; 5]
    }

    /// A level in which nothing is declared.
    pub fn empty() -> Self {
        let builtin = |name: &str, values: &[&str]| Enum {
            name: name.into(),
            values: values.iter().map(ToString::to_string).collect(),
        };
        Self {
            title: "Untitled".into(),
            rate: Rate(20),
            seed: 1,
            edges: Edges::Closed,
            tiles: vec![],
            areas: vec![Area { name: "main".into(), width: 0, height: 0, cells: vec![] }],
            enums: vec![builtin("direction", &DIRECTIONS), builtin("colour", &COLOURS)],
            tags: vec![],
            consts: vec![],
            vars: vec![],
            defines: vec![],
            listed: vec![],
            messages: vec![],
            inputs: DIRECTIONS.iter().map(|d| Input { name: (*d).into(), key: (*d).into() }).collect(),
            timers: vec![],
            clocks: vec![],
            paths: vec![],
            records: vec![],
            routines: vec![],
            kinds: vec![],
            actors: vec![],
            zones: vec![],
            watches: vec![],
            ranges: vec![],
            tables: vec![],
            machines: vec![],
            states: vec![],
            rules: vec![],
            draws: vec![],
            shared_draws: vec![],
            draw_forms: vec![],
            file_order: vec![],
        }
    }

    /// A state and the states that hold it, outermost first.
    pub fn state_path(&self, id: StateId) -> Vec<StateId> {
        let (mut path, mut at) = (vec![id], self.states[id.index()].outer);
        while let Some(outer) = at {
            path.push(outer);
            at = self.states[outer.index()].outer;
        }
        path.reverse();
        path
    }

    /// `outer.inner`.
    pub fn state_name(&self, id: StateId) -> String {
        let names: Vec<&str> = self.state_path(id).iter().map(|s| self.states[s.index()].name.as_str()).collect();
        names.join(".")
    }

    /// The stand-in of a zone with a kind: it holds the zone's variables, machines and rules, and comes
    /// right after the placed actors.
    pub fn stand_in(&self, zone: ZoneId) -> Option<ActorId> {
        self.zones[zone.index()].kind?;
        let before = self.zones[..zone.index()].iter().filter(|z| z.kind.is_some()).count();
        Some(ActorId::at(self.actors.len() + before))
    }

    /// True where `kind` is `of` or derives from it.
    pub fn is_kind(&self, kind: KindId, of: KindId) -> bool {
        let mut k = Some(kind);
        while let Some(id) = k {
            if id == of {
                return true;
            }
            k = self.kinds[id.index()].like;
        }
        false
    }
}

impl TypeNames for Level {
    fn enum_name(&self, id: EnumId) -> String {
        self.enums[id.index()].name.clone()
    }
    fn kind_name(&self, id: KindId) -> String {
        self.kinds[id.index()].name.clone()
    }
    fn derives(&self, kind: KindId, of: KindId) -> bool {
        self.is_kind(kind, of)
    }
    fn record_name(&self, id: u32) -> String {
        self.records[id as usize].name.clone()
    }
    fn same_params(&self, a: MessageId, b: MessageId) -> bool {
        let types = |m: MessageId| self.messages[m.index()].params.iter().map(|(_, t)| t);
        types(a).eq(types(b))
    }
}
