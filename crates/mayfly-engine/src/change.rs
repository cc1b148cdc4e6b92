//! What a place holds after an action has changed it: assignments, lists, sets and tallies.
//!
//! Not here: where the place is, and the writing itself ([`crate::act`]).
//!
//! Invariant: nothing changes; a value comes out, or a fault.

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
    /// The whole value of the variable after the action, which held `old` before. `given` is the value of
    /// the action's own expression.
    ///
    /// # Errors
    /// A fault of arithmetic, a place that is not there, or a limit.
    pub fn changed(
        &self,
        action: &Action,
        old: Value,
        given: Value,
        locals: &mut [Value],
        span: Span,
    ) -> Result<Value, Fault> {
        let new = match action {
            Action::Assign { place, op, .. } => self.assigned(place, *op, old, given, locals, span)?,
            Action::Push { list, .. } => self.inside(list, old, locals, span, &mut |old| {
                let Value::List(mut items) = old else {
                    return Err(Fault::new(FaultKind::None, "none is no list", span));
                };
                if items.len() >= MOST_ITEMS {
                    return Err(Fault::new(FaultKind::Limit, "more than 100,000 items in a list", span));
                }
                Arc::make_mut(&mut items).push(given.clone());
                Ok(Value::List(items))
            })?,
            Action::Clear(place) => self.inside(place, old, locals, span, &mut |old| {
                Ok(match old {
                    Value::Set(_) => Value::Set(Arc::default()),
                    Value::Tally(_) => Value::Tally(Arc::default()),
                    _ => Value::List(Arc::default()),
                })
            })?,
            Action::Bag { bag, add, .. } => {
                self.inside(bag, old, locals, span, &mut |old| in_bag(old, given.clone(), *add, span))?
            }
            _ => old,
        };
        if let Value::Text(t) = &new
            && t.len() > MOST_TEXT
        {
            return Err(Fault::new(FaultKind::Limit, "a text of more than 1 MiB", span));
        }
        Ok(new)
    }

    fn assigned(
        &self,
        place: &Place,
        op: Option<BinOp>,
        old: Value,
        given: Value,
        locals: &mut [Value],
        span: Span,
    ) -> Result<Value, Fault> {
        self.inside(place, old, locals, span, &mut |old| match op {
            None => Ok(given.clone()),
            Some(op) => arith::binary(op, &old, &given).map_err(|w| {
                let names = crate::names::Named(self.program, self.world);
                let mut f = Fault::of(w, span);
                f.text = format!("{}: {} {} {}", f.text, old.show(&names, None), op.sign(), given.show(&names, None));
                f
            }),
        })
    }

    /// Changes what lies at the end of `[ ]` after `[ ]`, and gives the whole.
    fn inside(
        &self,
        place: &Place,
        whole: Value,
        locals: &mut [Value],
        span: Span,
        change: &mut dyn FnMut(Value) -> Result<Value, Fault>,
    ) -> Result<Value, Fault> {
        let Place::Entry(base, index) = place else { return change(whole) };
        let key = self.eval(index, locals)?;
        self.inside(base, whole, locals, span, &mut |inner| match (inner, &key) {
            (Value::List(mut l), Value::Number(n)) => {
                let at = n.round();
                if (at - n).abs() > value::NEAR || at < 0.0 || at as usize >= l.len() {
                    let text = format!("there is no place {} in a list of {}", value::show_number(*n), l.len());
                    return Err(Fault::new(FaultKind::Index, text, span));
                }
                let new = change(l[at as usize].clone())?;
                Arc::make_mut(&mut l)[at as usize] = new;
                Ok(Value::List(l))
            }
            (Value::Tally(l), key) => {
                let old = l.iter().find(|(k, _)| k.same(key)).map_or(0.0, |(_, n)| *n);
                match change(Value::Number(old))? {
                    Value::Number(n) => tally_with(l, key, n, span),
                    _ => Err(Fault::new(FaultKind::None, "none is no count", span)),
                }
            }
            _ => Err(Fault::new(FaultKind::None, "none has no places", span)),
        })
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

    /// An action of a routine that only reckons: it changes one of its own locals.
    ///
    /// # Errors
    /// A fault of its expressions.
    pub fn write_local(&self, action: &Action, own: &mut [Value], span: Span) -> Result<(), Fault> {
        let Some(Place::Local(slot)) = place_of(action) else { return Ok(()) };
        let given = self.given(action, own)?;
        let old = own[*slot as usize].clone();
        self.step((old.weight() / 1024) as u64, span)?;
        own[*slot as usize] = self.changed(action, old, given, own, span)?;
        Ok(())
    }
}

/// A tally with another count of one thing; what is counted no more is taken out.
fn tally_with(mut l: Arc<Vec<(Value, f64)>>, key: &Value, n: f64, span: Span) -> Result<Value, Fault> {
    let list = Arc::make_mut(&mut l);
    match list.binary_search_by(|(k, _)| k.order(key)) {
        Ok(i) if n.abs() < value::NEAR => drop(list.remove(i)),
        Ok(i) => list[i].1 = n,
        Err(_) if n.abs() < value::NEAR => {}
        Err(_) if list.len() >= MOST_ITEMS => {
            return Err(Fault::new(FaultKind::Limit, "more than 100,000 items in a tally", span));
        }
        Err(i) => list.insert(i, (key.clone(), n)),
    }
    Ok(Value::Tally(l))
}

/// A set or a tally with one more, or one less, of a thing. There is never less than none.
fn in_bag(bag: Value, v: Value, add: bool, span: Span) -> Result<Value, Fault> {
    match bag {
        Value::Set(mut l) => {
            let list = Arc::make_mut(&mut l);
            match (list.binary_search_by(|x| x.order(&v)), add) {
                (Err(_), true) if list.len() >= MOST_ITEMS => {
                    return Err(Fault::new(FaultKind::Limit, "more than 100,000 items in a set", span));
                }
                (Err(i), true) => list.insert(i, v),
                (Ok(i), false) => drop(list.remove(i)),
                _ => {}
            }
            Ok(Value::Set(l))
        }
        Value::Tally(l) => {
            let old = l.iter().find(|(k, _)| k.same(&v)).map_or(0.0, |(_, n)| *n);
            let new = if add { old + 1.0 } else { (old - 1.0).max(old.min(0.0)) };
            tally_with(l, &v, new, span)
        }
        _ => Err(Fault::new(FaultKind::None, "none is no bag", span)),
    }
}
