//! The only arithmetic on values: constant folding and execution both call it.
//!
//! Invariant: a result is a finite number or a [`ArithError`]; nothing here panics.

use crate::ids::EnumId;
use crate::number::NEAR;
use crate::value::{Point, Value};
use std::cmp::Ordering;

/// An operator between two values.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub enum BinOp {
    Add,
    Sub,
    Mul,
    Div,
    Mod,
    Eq,
    Ne,
    Lt,
    Le,
    Gt,
    Ge,
}

impl BinOp {
    /// As it is written.
    pub fn sign(self) -> &'static str {
        match self {
            Self::Add => "+",
            Self::Sub => "-",
            Self::Mul => "*",
            Self::Div => "/",
            Self::Mod => "mod",
            Self::Eq => "==",
            Self::Ne => "!=",
            Self::Lt => "<",
            Self::Le => "<=",
            Self::Gt => ">",
            Self::Ge => ">=",
        }
    }
}

/// Why two values have no result.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum ArithError {
    DivisionByZero,
    NotANumber,
    NoneUsed,
    /// The operands are of types that do not go together; a checked level never gets here.
    Types,
}

/// The unit step of a direction: x to the right, y down.
pub fn step(direction: u32) -> (f64, f64) {
    [(0.0, -1.0), (1.0, 0.0), (0.0, 1.0), (-1.0, 0.0)][direction as usize % 4]
}

fn finite(n: f64) -> Result<Value, ArithError> {
    if n.is_finite() { Ok(Value::Number(n)) } else { Err(ArithError::NotANumber) }
}

/// A duration from a number of microseconds, rounded to the nearest.
pub fn duration(us: f64) -> Result<Value, ArithError> {
    if us.is_finite() && us.abs() < 9e18 { Ok(Value::Duration(us.round() as i64)) } else { Err(ArithError::NotANumber) }
}

fn as_offset(v: &Value) -> Option<Point> {
    match v {
        Value::Point(p) => Some(*p),
        Value::Enum(EnumId::DIRECTION, d) => {
            let (x, y) = step(*d);
            Some(Point::main(x, y))
        }
        _ => None,
    }
}

/// `a op b`.
///
/// # Errors
/// [`ArithError`] where there is no finite result.
pub fn binary(op: BinOp, a: &Value, b: &Value) -> Result<Value, ArithError> {
    use Value::{Duration, Enum, Number, Text};
    match op {
        BinOp::Eq => return Ok(Value::Flag(a.same(b))),
        BinOp::Ne => return Ok(Value::Flag(!a.same(b))),
        _ => {}
    }
    if matches!(a, Value::None) || matches!(b, Value::None) {
        return Err(ArithError::NoneUsed);
    }
    match op {
        BinOp::Lt => return Ok(Value::Flag(a.order(b) == Ordering::Less)),
        BinOp::Le => return Ok(Value::Flag(a.order(b) != Ordering::Greater)),
        BinOp::Gt => return Ok(Value::Flag(a.order(b) == Ordering::Greater)),
        BinOp::Ge => return Ok(Value::Flag(a.order(b) != Ordering::Less)),
        _ => {}
    }
    let overflow = |d: Option<i64>| d.map(Duration).ok_or(ArithError::NotANumber);
    match (op, a, b) {
        (BinOp::Add, Number(x), Number(y)) => finite(x + y),
        (BinOp::Sub, Number(x), Number(y)) => finite(x - y),
        (BinOp::Mul, Number(x), Number(y)) => finite(x * y),
        (BinOp::Div, Number(_), Number(y)) | (BinOp::Mod, Number(_), Number(y)) if *y == 0.0 => {
            Err(ArithError::DivisionByZero)
        }
        (BinOp::Div, Number(x), Number(y)) => finite(x / y),
        (BinOp::Mod, Number(x), Number(y)) => finite(floored(*x, *y)),
        (BinOp::Add, Duration(x), Duration(y)) => overflow(x.checked_add(*y)),
        (BinOp::Sub, Duration(x), Duration(y)) => overflow(x.checked_sub(*y)),
        (BinOp::Mul, Duration(x), Number(y)) | (BinOp::Mul, Number(y), Duration(x)) => duration(*x as f64 * y),
        (BinOp::Div | BinOp::Mod, Duration(_), Duration(0)) => Err(ArithError::DivisionByZero),
        (BinOp::Div, Duration(x), Duration(y)) => finite(*x as f64 / *y as f64),
        (BinOp::Mod, Duration(x), Duration(y)) => {
            let (x, y) = (i128::from(*x), i128::from(*y));
            let r = x.rem_euclid(y);
            Ok(Duration((if y < 0 && r != 0 { r + y } else { r }) as i64))
        }
        (BinOp::Div, Duration(_), Number(y)) if *y == 0.0 => Err(ArithError::DivisionByZero),
        (BinOp::Div, Duration(x), Number(y)) => duration(*x as f64 / y),
        (BinOp::Add, Text(x), Text(y)) => Ok(Value::text(format!("{x}{y}"))),
        (BinOp::Mul, Enum(EnumId::DIRECTION, d), Number(n)) | (BinOp::Mul, Number(n), Enum(EnumId::DIRECTION, d)) => {
            let (x, y) = step(*d);
            point(Point::main(x * n, y * n))
        }
        (BinOp::Mul, Value::Point(p), Number(n)) | (BinOp::Mul, Number(n), Value::Point(p)) => {
            point(Point { x: p.x * n, y: p.y * n, area: p.area })
        }
        (BinOp::Add | BinOp::Sub, _, _) => match (as_offset(a), as_offset(b)) {
            (Some(p), Some(q)) => {
                let s = if op == BinOp::Add { 1.0 } else { -1.0 };
                point(Point { x: p.x + s * q.x, y: p.y + s * q.y, area: p.area })
            }
            _ => Err(ArithError::Types),
        },
        _ => Err(ArithError::Types),
    }
}

/// The floored remainder: its sign is the divisor's. A remainder within [`NEAR`] of the divisor is 0.
pub fn floored(x: f64, y: f64) -> f64 {
    let r = x - y * (x / y).floor();
    if (r - y).abs() < NEAR || r.abs() < NEAR { 0.0 } else { r }
}

fn point(p: Point) -> Result<Value, ArithError> {
    if p.x.is_finite() && p.y.is_finite() { Ok(Value::Point(p)) } else { Err(ArithError::NotANumber) }
}

/// `-a`.
///
/// # Errors
/// [`ArithError`] where `a` has no opposite.
pub fn negate(a: &Value) -> Result<Value, ArithError> {
    match a {
        Value::Number(n) => Ok(Value::Number(-n)),
        Value::Duration(d) => d.checked_neg().map(Value::Duration).ok_or(ArithError::NotANumber),
        Value::Point(p) => Ok(Value::Point(Point { x: -p.x, y: -p.y, area: p.area })),
        Value::Enum(EnumId::DIRECTION, d) => Ok(Value::direction(d + 2)),
        Value::None => Err(ArithError::NoneUsed),
        _ => Err(ArithError::Types),
    }
}
