//! What a variable can hold, how two values compare, and how one is shown.
//!
//! Not here: sums and products ([`crate::arith`]), types (`mayfly-lang`).
//!
//! Invariant: numbers are finite; two numbers nearer than [`NEAR`] are the same to every comparison.

use crate::ids::*;
use crate::time::{self, Micros};
use std::cmp::Ordering;
use std::sync::Arc;

/// Numbers nearer than this are equal (language.md §1).
pub const NEAR: f64 = 1e-9;

/// The whole number at or below a number, without a call of the platform's own function.
pub fn floor(n: f64) -> i64 {
    let whole = n as i64;
    whole - i64::from(whole as f64 > n)
}

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
    List(Arc<Vec<Value>>),
    /// Sorted, without doubles.
    Set(Arc<Vec<Value>>),
    /// How many of each, sorted by what is counted.
    Tally(Arc<Vec<(Value, f64)>>),
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

/// A number with at most six decimals and no trailing zeros.
pub fn show_number(n: f64) -> String {
    let mut s = format!("{n:.6}");
    if s.contains('.') {
        s.truncate(s.trim_end_matches('0').trim_end_matches('.').len());
    }
    if s == "-0" { "0".into() } else { s }
}

/// True where the two numbers count as equal.
pub fn same_number(a: f64, b: f64) -> bool {
    (a - b).abs() < NEAR
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

    /// The order of two values of one type, for `<`, for sets and for sorted printing.
    pub fn order(&self, other: &Self) -> Ordering {
        if self.same(other) {
            return Ordering::Equal;
        }
        match (self, other) {
            (Self::Number(a), Self::Number(b)) => a.total_cmp(b),
            (Self::Duration(a), Self::Duration(b)) => a.cmp(b),
            (Self::Text(a), Self::Text(b)) => a.cmp(b),
            (Self::Flag(a), Self::Flag(b)) => a.cmp(b),
            (Self::Enum(a, x), Self::Enum(b, y)) => (a, x).cmp(&(b, y)),
            (Self::Actor(a), Self::Actor(b)) => a.cmp(b),
            (Self::Kind(a), Self::Kind(b)) => a.cmp(b),
            (Self::Tag(a), Self::Tag(b)) => a.cmp(b),
            (Self::Tile(a), Self::Tile(b)) => a.cmp(b),
            (Self::Point(a), Self::Point(b)) => a.area.cmp(&b.area).then(a.y.total_cmp(&b.y)).then(a.x.total_cmp(&b.x)),
            _ => format!("{self:?}").cmp(&format!("{other:?}")),
        }
    }

    /// As it is put into a text, with `decimals` of a number where they are asked for.
    pub fn show(&self, names: &dyn Names, decimals: Option<usize>) -> String {
        let num = |n: f64| match decimals {
            Some(d) => {
                let s = format!("{n:.d$}");
                if s.trim_start_matches('-').chars().all(|c| c == '0' || c == '.') {
                    s.trim_start_matches('-').to_string()
                } else {
                    s
                }
            }
            None => show_number(n),
        };
        let list = |items: &[Value]| items.iter().map(|v| v.show(names, decimals)).collect::<Vec<_>>().join(", ");
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

    /// Bytes that it holds outside itself, for the limit of §9.
    pub fn weight(&self) -> usize {
        let each = |l: &[Value]| l.iter().map(|v| 24 + v.weight()).sum::<usize>();
        match self {
            Self::Text(t) => t.len(),
            Self::List(l) | Self::Set(l) => each(l),
            Self::Tally(l) => l.iter().map(|(v, _)| 32 + v.weight()).sum(),
            _ => 0,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_print_without_trailing_zeros() {
        for (n, s) in [(3.0, "3"), (0.25, "0.25"), (-0.0, "0"), (1.0 / 3.0, "0.333333"), (1e-9, "0"), (120.0, "120")] {
            assert_eq!(show_number(n), s);
        }
    }

    #[test]
    fn ten_tenths_are_one() {
        let n = (0..10).fold(0.0, |n, _| n + 0.1);
        assert!(n != 1.0 && Value::Number(n).same(&Value::Number(1.0)));
        assert_eq!(Value::Number(n).order(&Value::Number(1.0)), Ordering::Equal);
    }
}
