//! Values as JSON.
//!
//! Invariant: a number is finite, and whole where it can be.

use mayfly_base::*;
use mayfly_engine::names::Named;
use serde_json::{Value as Json, json};

/// A number as it is printed.
pub fn number(n: f64) -> Json {
    if n.fract() == 0.0 && n.abs() < 9e15 {
        return json!(n as i64);
    }
    let rounded: f64 = number::show_decimals(n, 6).parse().unwrap_or(n);
    if rounded.fract() == 0.0 && rounded.abs() < 9e15 { json!(rounded as i64) } else { json!(rounded) }
}

/// A value as it is printed.
pub fn value(v: &Value, names: &Named) -> Json {
    match v {
        Value::None => Json::Null,
        Value::Number(n) => number(*n),
        Value::Flag(b) => json!(b),
        Value::Text(t) => json!(&**t),
        Value::Duration(d) => number(*d as f64 / 1e6),
        Value::Point(p) if p.area == AreaId::MAIN => json!([number(p.x), number(p.y)]),
        Value::Point(p) => json!([number(p.x), number(p.y), names.area(p.area)]),
        Value::List(l) | Value::Set(l) => Json::Array(l.iter().map(|v| value(v, names)).collect()),
        Value::Tally(l) => Json::Object(l.iter().map(|(k, n)| (k.show(names, None), number(*n))).collect()),
        other => json!(other.show(names, None)),
    }
}
