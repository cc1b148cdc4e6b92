//! What a variable can hold, how two values compare, and how one is shown.
//!
//! Not here: sums and products ([`crate::arith`]), types (`mayfly-lang`).
//!
//! Invariant: numbers are finite; two numbers nearer than [`NEAR`] are the same to every comparison.

use crate::ids::*;
use crate::items::{Items, Weight};
use crate::number::*;
use crate::time::{self, Micros};
use std::cmp::Ordering;
use std::sync::Arc;

/// Places lie within so many cells of (0, 0), along x and along y.
pub const MAX_PLACE: f64 = 1e6;
/// The longest side of an actor, in cells.
pub const MAX_SIZE: f64 = 1000.0;
/// The largest speed, in cells a second.
pub const MAX_SPEED: f64 = 100_000.0;

/// A point of a map: cells, x to the right, y down; whole coordinates are a cell's centre.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Point {
    pub x: f64,
    pub y: f64,
    pub area: AreaId,
}

impl Point {
    /// A point of the main map.
    pub fn main(x: f64, y: f64) -> Self {
        Self { x, y, area: AreaId::MAIN }
    }

    /// Column and row of the cell that holds it.
    pub fn cell(self) -> (i64, i64) {
        (floor(self.x + 0.5), floor(self.y + 0.5))
    }

    /// True where that cell holds it; cheaper than finding its cell.
    #[inline]
    pub fn is_in_cell(self, (column, row): (i64, i64)) -> bool {
        let holds = |n: f64, cell: i64| n + 0.5 >= cell as f64 && n + 0.5 < cell as f64 + 1.0;
        holds(self.x, column) && holds(self.y, row)
    }
}

/// A value of the language. Where a name is held, its id is.
#[derive(Clone, PartialEq, Debug)]
pub enum Value {
    None,
    Number(f64),
    Flag(bool),
    Text(Arc<str>),
    Duration(Micros),
    Point(Point),
    Enum(EnumId, u32),
    Actor(ActorId),
    Kind(KindId),
    Tag(TagId),
    /// A zone, and the actor whose zone it is where a kind declares it.
    Zone(ZoneId, Option<ActorId>),
    Message(MessageId),
    Tile(TileId),
    Path(PathId),
    Timer(TimerId),
    Table(TableId),
    State(StateId),
    List(Arc<Items<Value>>),
    /// Sorted by [`Value::total`], without doubles.
    Set(Arc<Items<Value>>),
    /// How many of each, sorted by what is counted.
    Tally(Arc<Items<(Value, f64)>>),
}

/// Gives names to what a value holds by number.
pub trait Names {
    fn enum_value(&self, id: EnumId, value: u32) -> String;
    fn actor(&self, id: ActorId) -> String;
    fn kind(&self, id: KindId) -> String;
    fn tag(&self, id: TagId) -> String;
    fn zone(&self, id: ZoneId, of: Option<ActorId>) -> String;
    fn message(&self, id: MessageId) -> String;
    fn tile(&self, id: TileId) -> String;
    fn path(&self, id: PathId) -> String;
    fn timer(&self, id: TimerId) -> String;
    fn table(&self, id: TableId) -> String;
    fn state(&self, id: StateId) -> String;
    fn area(&self, id: AreaId) -> String;
}

impl Value {
    /// A text value.
    pub fn text(s: impl AsRef<str>) -> Self {
        Self::Text(Arc::from(s.as_ref()))
    }

    /// The direction of that number, north first.
    pub fn direction(d: u32) -> Self {
        Self::Enum(EnumId::DIRECTION, d % 4)
    }

    /// Equal as the language says: numbers within [`NEAR`], all else exactly.
    pub fn same(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::Number(a), Self::Number(b)) => same_number(*a, *b),
            (Self::Point(a), Self::Point(b)) => a.area == b.area && same_number(a.x, b.x) && same_number(a.y, b.y),
            (Self::List(a), Self::List(b)) | (Self::Set(a), Self::Set(b)) => {
                a.len() == b.len() && a.iter().zip(b.iter()).all(|(a, b)| a.same(b))
            }
            (Self::Tally(a), Self::Tally(b)) => {
                a.len() == b.len() && a.iter().zip(b.iter()).all(|(a, b)| a.0.same(&b.0) && same_number(a.1, b.1))
            }
            _ => self == other,
        }
    }

    /// The order of two values of one type, for `<` and its like: equal where [`Value::same`] says so. It is no
    /// order to sort by, since of three numbers each may be near its neighbour and the ends apart.
    pub fn order(&self, other: &Self) -> Ordering {
        if self.same(other) { Ordering::Equal } else { self.total(other) }
    }

    /// A total order of all values, for sorting: numbers by their exact size (both zeros are one), values of
    /// different sorts by their sort.
    pub fn total(&self, other: &Self) -> Ordering {
        let number = |a: f64, b: f64| (a + 0.0).total_cmp(&(b + 0.0));
        match (self, other) {
            (Self::Number(a), Self::Number(b)) => number(*a, *b),
            (Self::Duration(a), Self::Duration(b)) => a.cmp(b),
            (Self::Text(a), Self::Text(b)) => a.cmp(b),
            (Self::Flag(a), Self::Flag(b)) => a.cmp(b),
            (Self::Point(a), Self::Point(b)) => a.area.cmp(&b.area).then(number(a.y, b.y)).then(number(a.x, b.x)),
            (Self::List(a), Self::List(b)) | (Self::Set(a), Self::Set(b)) => {
                let first = a.iter().zip(b.iter()).map(|(a, b)| a.total(b)).find(|o| o.is_ne());
                first.unwrap_or_else(|| a.len().cmp(&b.len()))
            }
            (Self::Tally(a), Self::Tally(b)) => {
                let one = |(a, b): (&(Value, f64), &(Value, f64))| a.0.total(&b.0).then(number(a.1, b.1));
                let first = a.iter().zip(b.iter()).map(one).find(|o| o.is_ne());
                first.unwrap_or_else(|| a.len().cmp(&b.len()))
            }
            (a, b) => a.key().cmp(&b.key()),
        }
    }

    /// Its sort, and what it names by number.
    fn key(&self) -> (u8, u32, u32) {
        match self {
            Self::None => (0, 0, 0),
            Self::Number(_) => (1, 0, 0),
            Self::Flag(_) => (2, 0, 0),
            Self::Text(_) => (3, 0, 0),
            Self::Duration(_) => (4, 0, 0),
            Self::Point(_) => (5, 0, 0),
            Self::Enum(e, v) => (6, e.0, *v),
            Self::Actor(a) => (7, a.0, 0),
            Self::Kind(k) => (8, k.0, 0),
            Self::Tag(t) => (9, t.0, 0),
            Self::Zone(z, a) => (10, z.0, a.map_or(0, |a| a.0.saturating_add(1))),
            Self::Message(m) => (11, m.0, 0),
            Self::Tile(t) => (12, t.0, 0),
            Self::Path(p) => (13, p.0, 0),
            Self::Timer(t) => (14, t.0, 0),
            Self::Table(t) => (15, t.0, 0),
            Self::State(s) => (16, s.0, 0),
            Self::List(_) => (17, 0, 0),
            Self::Set(_) => (18, 0, 0),
            Self::Tally(_) => (19, 0, 0),
        }
    }

    /// A list of these.
    pub fn list(items: impl IntoIterator<Item = Self>) -> Self {
        Self::List(Arc::new(items.into_iter().collect()))
    }

    /// A set of these: sorted, of those that count as equal the smallest alone.
    pub fn set(items: impl IntoIterator<Item = Self>) -> Self {
        let mut items: Vec<Self> = items.into_iter().collect();
        items.sort_by(Self::total);
        items.dedup_by(|a, b| a.same(b));
        Self::Set(Arc::new(items.into_iter().collect()))
    }

    /// As it is put into a text, with `decimals` of a number where they are asked for.
    pub fn show(&self, names: &dyn Names, decimals: Option<usize>) -> String {
        let num = |n: f64| match decimals {
            Some(d) => show_decimals(n, d),
            None => show_number(n),
        };
        let list = |items: &Items<Value>| items.iter().map(|v| v.show(names, decimals)).collect::<Vec<_>>().join(", ");
        match self {
            Self::None => "none".into(),
            Self::Number(n) => num(*n),
            Self::Flag(b) => b.to_string(),
            Self::Text(t) => t.to_string(),
            Self::Duration(d) => time::show(*d, decimals),
            Self::Point(p) if p.area == AreaId::MAIN => format!("({}, {})", num(p.x), num(p.y)),
            Self::Point(p) => format!("{} ({}, {})", names.area(p.area), num(p.x), num(p.y)),
            Self::Enum(e, v) => names.enum_value(*e, *v),
            Self::Actor(a) => names.actor(*a),
            Self::Kind(k) => names.kind(*k),
            Self::Tag(t) => names.tag(*t),
            Self::Zone(z, a) => names.zone(*z, *a),
            Self::Message(m) => names.message(*m),
            Self::Tile(t) => names.tile(*t),
            Self::Path(p) => names.path(*p),
            Self::Timer(t) => names.timer(*t),
            Self::Table(t) => names.table(*t),
            Self::State(s) => names.state(*s),
            Self::List(l) => format!("[{}]", list(l)),
            Self::Set(l) => format!("{{{}}}", list(l)),
            Self::Tally(l) => {
                let each: Vec<String> = l.iter().map(|(v, n)| format!("{} {}", v.show(names, None), num(*n))).collect();
                format!("{{{}}}", each.join(", "))
            }
        }
    }

    /// Bytes that it holds outside itself, for the limit of §9. Never counted again.
    pub fn weight(&self) -> usize {
        match self {
            Self::Text(t) => t.len(),
            Self::List(l) | Self::Set(l) => l.weight(),
            Self::Tally(l) => l.weight(),
            _ => 0,
        }
    }
}

impl Weight for Value {
    fn weight_of(&self) -> usize {
        size_of::<Self>() + self.weight()
    }
}

impl Weight for (Value, f64) {
    fn weight_of(&self) -> usize {
        size_of::<Self>() + self.0.weight()
    }
}
