//! What a place holds after an action has changed it: assignments, lists, sets and tallies.
//!
//! Not here: where the place is, and the writing itself ([`crate::act`]).
//!
//! Invariant: nothing changes; a value comes out, or a fault.

use crate::contents::*;
use crate::eval::Scope;
use crate::fault::*;
use mayfly_base::arith;
use mayfly_base::code::*;
use mayfly_base::*;
use std::sync::Arc;

/// The place that an action changes, down to the variable that holds it.
pub fn place_of(action: &Action) -> Option<&Place> {
    let mut place = match action {
        Action::Assign { place, .. } => place,
        Action::Push { list, .. } => list,
        Action::Clear(place) => place,
        Action::Bag { bag, .. } => bag,
        _ => return None,
    };
    while let Place::Entry(base, _) = place {
        place = base;
    }
    Some(place)
}

impl Scope<'_> {
    /// The indices of a place, from the variable inwards; each is asked once, before anything changes.
    ///
    /// # Errors
    /// Faults of the indices.
    pub fn keys(&self, action: &Action, locals: &mut [Value]) -> Result<Vec<(Value, Span)>, Fault> {
        let mut place = match action {
            Action::Assign { place, .. } => place,
            Action::Push { list, .. } => list,
            Action::Clear(place) => place,
            Action::Bag { bag, .. } => bag,
            _ => return Ok(vec![]),
        };
        let mut indices = vec![];
        while let Place::Entry(base, index) = place {
            indices.push(index);
            place = base;
        }
        indices.into_iter().rev().map(|i| Ok((self.eval(i, locals)?, i.span))).collect()
    }

    /// The whole value of the variable after the action, which held `old` before. `given` is the value of
    /// the action's own expression, `keys` the indices of its place.
    ///
    /// # Errors
    /// A fault of arithmetic, a place that is not there, or a limit.
    pub fn changed(
        &self,
        action: &Action,
        old: Value,
        given: Value,
        keys: &[(Value, Span)],
        span: Span,
    ) -> Result<Value, Fault> {
        let new = match action {
            Action::Assign { op: None, .. } => self.inside(keys, old, span, &mut |_| Ok(given.clone()))?,
            Action::Assign { op: Some(op), .. } => {
                self.inside(keys, old, span, &mut |old| self.combined(*op, &old, &given, span))?
            }
            Action::Push { .. } => self.inside(keys, old, span, &mut |old| {
                let Value::List(mut items) = old else {
                    return Err(Fault::new(FaultKind::None, "none is no list", span));
                };
                if items.len() >= MAX_ITEMS {
                    return Err(Fault::new(FaultKind::Limit, "more than 100,000 items in a list", span));
                }
                Arc::make_mut(&mut items).push(given.clone());
                Ok(Value::List(items))
            })?,
            Action::Clear(_) => self.inside(keys, old, span, &mut |old| {
                Ok(match old {
                    Value::Set(_) => Value::Set(Arc::default()),
                    Value::Tally(_) => Value::Tally(Arc::default()),
                    _ => Value::List(Arc::default()),
                })
            })?,
            Action::Bag { add, .. } => self.inside(keys, old, span, &mut |old| {
                if let Value::Set(l) = &old {
                    self.step(seek_steps(l.len(), &given), span)?;
                }
                if let Value::Tally(l) = &old {
                    self.step(seek_steps(l.len(), &given), span)?;
                }
                in_bag(old, given.clone(), *add, span)
            })?,
            _ => old,
        };
        if let Value::Text(t) = &new
            && t.len() > MAX_TEXT
        {
            return Err(Fault::new(FaultKind::Limit, "a text of more than 1 MiB", span));
        }
        Ok(new)
    }

    fn combined(&self, op: BinOp, old: &Value, given: &Value, span: Span) -> Result<Value, Fault> {
        let size = |v: &Value| if let Value::Text(t) = v { t.len() / TEXT_STEP } else { 0 };
        self.step((size(old) + size(given)) as u64, span)?;
        arith::binary(op, old, given).map_err(|w| {
            let names = crate::names::Named(self.program, self.world);
            let mut f = Fault::of(w, span);
            let (a, b) = (shown(old, &names), shown(given, &names));
            f.text = format!("{}: {a} {} {b}", f.text, op.sign());
            f
        })
    }

    /// Changes what lies at the end of `[ ]` after `[ ]`, and gives the whole. What is taken out to be changed is
    /// held nowhere else, so that changing it copies no more than is shared with others.
    fn inside(&self, keys: &[(Value, Span)], whole: Value, span: Span, change: Change) -> Result<Value, Fault> {
        let Some(((key, _), rest)) = keys.split_first() else { return change(whole) };
        match (whole, key) {
            (Value::List(mut l), Value::Number(n)) => {
                let at = index_of(*n, l.len(), span)?;
                let new = self.inside(rest, l[at].clone(), span, change)?;
                Arc::make_mut(&mut l).set(at, new);
                Ok(Value::List(l))
            }
            (Value::Tally(mut l), key) => {
                self.step(seek_steps(l.len(), key), span)?;
                let at = place_in(&l, key, |(k, _)| k);
                let old = at.map_or(0.0, |i| l[i].1);
                match self.inside(rest, Value::Number(old), span, change)? {
                    Value::Number(n) => tally_with(Arc::make_mut(&mut l), at, key, n, span)?,
                    _ => return Err(Fault::new(FaultKind::None, "none is no count", span)),
                }
                Ok(Value::Tally(l))
            }
            _ => Err(Fault::new(FaultKind::None, "none has no places", span)),
        }
    }

    /// The value that an action puts in; none for `clear`.
    ///
    /// # Errors
    /// A fault of its expression.
    pub fn given(&self, action: &Action, locals: &mut [Value]) -> Result<Value, Fault> {
        match action {
            Action::Assign { value, .. } | Action::Push { value, .. } | Action::Bag { value, .. } => {
                self.eval(value, locals)
            }
            _ => Ok(Value::None),
        }
    }

    /// An action of a routine that only computes: it changes one of its own locals.
    ///
    /// # Errors
    /// A fault of its expressions.
    pub fn write_local(&self, action: &Action, own: &mut [Value], span: Span) -> Result<(), Fault> {
        let Some(Place::Local(slot)) = place_of(action) else { return Ok(()) };
        let given = self.given(action, own)?;
        let keys = self.keys(action, own)?;
        self.step(1, span)?;
        let old = std::mem::replace(&mut own[*slot as usize], Value::None);
        own[*slot as usize] = self.changed(action, old, given, &keys, span)?;
        Ok(())
    }
}

/// Gives one thing of a tally another count; what is counted no more is taken out. `at` is where it stands.
fn tally_with(l: &mut Items<(Value, f64)>, at: Option<usize>, key: &Value, n: f64, span: Span) -> Result<(), Fault> {
    let counts = n.abs() >= number::NEAR;
    match at {
        Some(i) if counts => {
            let key = l[i].0.clone();
            l.set(i, (key, n));
        }
        Some(i) => l.remove(i),
        None if !counts => {}
        None if l.len() >= MAX_ITEMS => {
            return Err(Fault::new(FaultKind::Limit, "more than 100,000 items in a tally", span));
        }
        None => {
            let i = l.binary_search_by(|(k, _)| k.total(key)).unwrap_or_else(|i| i);
            l.insert(i, (key.clone(), n));
        }
    }
    Ok(())
}

/// A set or a tally with one more, or one less, of a thing. There is never less than none.
fn in_bag(bag: Value, v: Value, add: bool, span: Span) -> Result<Value, Fault> {
    match bag {
        Value::Set(mut l) => {
            match (place_in(&l, &v, |x| x), add) {
                (None, true) if l.len() >= MAX_ITEMS => {
                    return Err(Fault::new(FaultKind::Limit, "more than 100,000 items in a set", span));
                }
                (None, true) => {
                    let i = l.binary_search_by(|x| x.total(&v)).unwrap_or_else(|i| i);
                    Arc::make_mut(&mut l).insert(i, v);
                }
                (Some(i), false) => Arc::make_mut(&mut l).remove(i),
                _ => {}
            }
            Ok(Value::Set(l))
        }
        Value::Tally(mut l) => {
            let at = place_in(&l, &v, |(k, _)| k);
            let old = at.map_or(0.0, |i| l[i].1);
            let new = if add { old + 1.0 } else { (old - 1.0).max(old.min(0.0)) };
            tally_with(Arc::make_mut(&mut l), at, &v, new, span)?;
            Ok(Value::Tally(l))
        }
        _ => Err(Fault::new(FaultKind::None, "none is no bag", span)),
    }
}
