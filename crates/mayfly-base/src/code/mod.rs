//! What a checked level says, as both sides of it see: `mayfly-lang` makes these forms from text,
//! `mayfly-engine` carries them out. Every name is a number here, a duration that must be known
//! beforehand is there in ticks too ([`Period`]).
//!
//! Not here: control flow as text has it (`mayfly_lang::level`) or as the engine runs it
//! (`mayfly_engine::program`); what a form does (`mayfly_engine`).
//!
//! Invariant: forms are checked: every id stands in its table, every local in its frame, and an
//! expression's type is the one that its place asks for. The ticks of a period are those of the level's rate.

mod action;
mod event;
mod rule;
mod shape;

pub use action::*;
pub use event::*;
pub use rule::*;
pub use shape::*;

use crate::arith::BinOp;
use crate::ids::*;
use crate::span::Span;
use crate::time::{Micros, Rate};
use crate::value::Value;
use std::sync::Arc;

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
    /// Who has that name at the moment, such as `crate#1`: may be spawned only then.
    Called(Arc<str>),
    /// An actor, which must be of that kind: another is a fault.
    As(Box<Expr>, KindId),
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
    /// The value that a variable of the level or of an actor began with.
    First(Box<Expr>),
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
    /// The result of a routine that does nothing but compute.
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

/// A random draw.
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

impl Expr {
    /// A constant that stands nowhere in the text.
    pub fn constant(value: Value) -> Self {
        Self { kind: ExprKind::Const(value), span: Span::default() }
    }

    /// How many slots a frame needs in which it is computed alone.
    pub fn frame(&self) -> usize {
        let mut most = 0;
        self.walk(&mut |e| match &e.kind {
            ExprKind::Local(s) => most = most.max(*s as usize + 1),
            ExprKind::Over(o) => most = most.max(o.slot as usize + 1),
            _ => {}
        });
        most
    }

    /// True where it may have no value for reasons of its own: it divides, takes a place of a list, asks somebody who
    /// may be none. What overflows alone is left out.
    pub fn can_fault(&self) -> bool {
        use ExprKind::*;
        let is_there = |e: &Expr| matches!(e.kind, Const(_) | Myself | Local(_));
        let is_zero = |e: &Expr| match e.kind {
            Const(Value::Number(n)) => n == 0.0,
            Const(Value::Duration(d)) => d == 0,
            _ => true,
        };
        let mut found = false;
        self.walk(&mut |e| {
            found |= match &e.kind {
                Binary(BinOp::Div | BinOp::Mod, _, b) | Per(_, b) => is_zero(b),
                Index(..) | As(..) | Called(_) | Routine(..) | Call(Builtin::Sqrt, _) => true,
                Field(a, _) | Attr(a, _) | DefineOf(a, _) => !is_there(a),
                _ => false,
            }
        });
        found
    }

    /// True where it, or any inside it, is such a one.
    pub fn walks(&self, is: &dyn Fn(&Expr) -> bool) -> bool {
        let mut found = false;
        self.walk(&mut |e| found |= is(e));
        found
    }

    /// Calls `see` for this expression and every one inside it, outer first.
    pub fn walk<'e>(&'e self, see: &mut dyn FnMut(&'e Expr)) {
        see(self);
        self.children(&mut |e| e.walk(see));
    }

    /// Calls `see` for every expression right inside this one, in order.
    pub fn children<'e>(&'e self, see: &mut dyn FnMut(&'e Expr)) {
        use ExprKind::*;
        match &self.kind {
            Const(_) | Var(_) | Define(_) | Local(_) | Myself | Called(_) | Time | Tick | ClockShows(..)
            | ClockRun(..) | ClockSpeed(_) => {}
            Text(pieces) => pieces.iter().for_each(|p| {
                if let Piece::Value(e, _) = p {
                    see(e);
                }
            }),
            MachineState(_, of) => of.iter().for_each(|e| see(e)),
            InState(_, of, _, d) => of.iter().chain(d.iter()).for_each(|e| see(e)),
            As(a, _)
            | Field(a, _)
            | Attr(a, _)
            | ZoneOf(a, _)
            | Axis(a, _)
            | Not(a)
            | Negate(a)
            | Exists(a)
            | Ramping(a)
            | First(a)
            | Halted(a)
            | TimerLeft(a)
            | TimerRunning(a)
            | DefineOf(a, _)
            | Pressing(a, _) => see(a),
            Point(a, b, _) | Index(a, b) | Binary(_, a, b) | And(a, b) | Or(a, b) | Per(a, b) | Relation(_, a, b) => {
                see(a);
                see(b);
            }
            If(a, b, c) | Between(a, b, c) | Near(a, b, c) => {
                see(a);
                see(b);
                see(c);
            }
            List(l) | Call(_, l) | Draw(_, _, l) | Routine(_, l) => l.iter().for_each(see),
            Over(o) => {
                if let WhoSet::Held(e) = &o.of {
                    see(e);
                }
                o.test.iter().chain(o.value.iter()).for_each(see);
            }
        }
    }
}
