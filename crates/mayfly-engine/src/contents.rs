//! Places in lists, sets and tallies: where something stands in them, and what looking for it costs.
//!
//! Not here: how they are changed ([`crate::change`]).
//!
//! Invariant: what counts as equal is found, wherever it stands.

use crate::fault::*;
use mayfly_base::*;

/// What looking a value up in a set or a tally of that many costs, in steps.
pub fn seek_steps(len: usize, v: &Value) -> u64 {
    let long = (1 + v.weight() / TEXT_STEP) as u64;
    // Points and lists that count as equal need not stand beside each other.
    if is_scalar(v) { long.saturating_sub(1) } else { (len / ITEM_STEP) as u64 * long }
}

fn is_scalar(v: &Value) -> bool {
    !matches!(v, Value::Point(_) | Value::List(_) | Value::Set(_) | Value::Tally(_))
}

/// Where an item that counts as equal stands in a sorted row.
pub fn place_in<T: mayfly_base::items::Weight>(row: &Items<T>, v: &Value, of: impl Fn(&T) -> &Value) -> Option<usize> {
    let found = row.binary_search_by(|x| of(x).total(v));
    match found {
        Ok(i) => Some(i),
        Err(i) if is_scalar(v) => {
            [i.checked_sub(1), Some(i)].into_iter().flatten().find(|i| row.get(*i).is_some_and(|x| of(x).same(v)))
        }
        Err(_) => row.iter().position(|x| of(x).same(v)),
    }
}

/// What is done to the value at the end of a place.
pub type Change<'c> = &'c mut dyn FnMut(Value) -> Result<Value, Fault>;

/// The place in a list of that length which a number names.
pub fn index_of(n: f64, len: usize, span: Span) -> Result<usize, Fault> {
    let at = n.round();
    if (at - n).abs() > number::NEAR || at < 0.0 || at as usize >= len {
        let text = format!("there is no place {} in a list of {len}", number::show_short(n));
        return Err(Fault::new(FaultKind::Index, text, span));
    }
    Ok(at as usize)
}

/// A value in a message: long ones are cut.
pub fn shown(v: &Value, names: &dyn Names) -> String {
    const MAX: usize = 60;
    let text = match v {
        Value::Number(n) => return number::show_short(*n),
        Value::Text(t) => format!("\"{}\"", t.chars().take(MAX + 1).collect::<String>()),
        Value::List(l) | Value::Set(l) if l.len() > MAX => return format!("{} items", l.len()),
        Value::Tally(l) if l.len() > MAX => return format!("{} items", l.len()),
        v => v.show(names, None),
    };
    if text.chars().count() <= MAX { text } else { text.chars().take(MAX).chain(['…']).collect() }
}
