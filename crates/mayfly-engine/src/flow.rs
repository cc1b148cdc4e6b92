//! The ops that only lead through the code and change nothing but locals. Runs and routines that compute
//! share them.
//!
//! Invariant: an op is carried out here in whole or not at all.

use crate::eval::Scope;
use crate::fault::*;
use crate::program::Op;
use mayfly_base::code::{Expr, ExprKind};
use mayfly_base::*;

/// What an op of the flow did, for the record.
pub enum Flowed {
    Went,
    /// One more turn of a loop.
    LoopTurn,
    /// A local was set.
    Set(u16, Value),
}

impl Scope<'_> {
    /// Carries out an op of the flow that stands before `pc`; none for all others.
    ///
    /// # Errors
    /// A fault of an expression, or a loop without end.
    pub fn flow(
        &self,
        op: &Op,
        pc: &mut u32,
        locals: &mut [Value],
        names: &[String],
        span: Span,
    ) -> Result<Option<Flowed>, Fault> {
        let at = *pc - 1;
        match op {
            Op::Set(slot, e) => {
                let v = self.eval(e, locals)?;
                locals[*slot as usize] = v.clone();
                return Ok(Some(Flowed::Set(*slot, v)));
            }
            Op::Unless(test, to) => {
                if !self.flag(test, locals)? {
                    *pc = *to;
                }
            }
            Op::Jump(to) => *pc = *to,
            Op::RepeatBegin(slot, n) => {
                let n = self.number(n, locals)?;
                locals[*slot as usize] = Value::Number(n.floor().max(0.0));
            }
            Op::RepeatTurn(slot, exit) => match locals[*slot as usize] {
                Value::Number(left) if left >= 1.0 => {
                    locals[*slot as usize] = Value::Number(left - 1.0);
                    return Ok(Some(Flowed::LoopTurn));
                }
                _ => *pc = *exit,
            },
            Op::WhileBegin(slot) => locals[*slot as usize] = Value::Number(0.0),
            Op::WhileTurn(slot, test, exit) => {
                if !self.flag(test, locals)? {
                    *pc = *exit;
                    return Ok(Some(Flowed::Went));
                }
                let turns = if let Value::Number(n) = locals[*slot as usize] { n as u64 } else { 0 };
                if turns >= MAX_TURNS {
                    return Err(self.runaway(test, locals, names));
                }
                locals[*slot as usize] = Value::Number(turns as f64 + 1.0);
                return Ok(Some(Flowed::LoopTurn));
            }
            Op::ForRange { list, at, from, to } => {
                let (a, b) = (self.number(from, locals)?, self.number(to, locals)?);
                // The bounds themselves are kept: a long range needs no list.
                locals[*list as usize] = Value::Point(Point::main(a, b));
                locals[*at as usize] = Value::Number(0.0);
            }
            Op::ForEach { list, at, over } => {
                let v = match self.eval(over, locals)? {
                    Value::Tally(t) => {
                        self.step((t.len() / ITEM_STEP) as u64, span)?;
                        Value::list(t.iter().filter(|(_, n)| *n > 0.0).map(|(v, _)| v.clone()))
                    }
                    Value::None => return Err(Fault::new(FaultKind::None, "there is none to go through", span)),
                    v => v,
                };
                locals[*list as usize] = v;
                locals[*at as usize] = Value::Number(0.0);
            }
            Op::ForTurn { slot, list, at: turn, test, exit } => {
                let i = if let Value::Number(i) = locals[*turn as usize] { i } else { 0.0 };
                let value = match &locals[*list as usize] {
                    Value::Point(p) if p.x + i <= p.y + number::NEAR => Some(Value::Number(p.x + i)),
                    Value::List(l) | Value::Set(l) => l.get(i as usize).cloned(),
                    _ => None,
                };
                let Some(value) = value else {
                    locals[*list as usize] = Value::None;
                    *pc = *exit;
                    return Ok(Some(Flowed::Went));
                };
                locals[*turn as usize] = Value::Number(i + 1.0);
                locals[*slot as usize] = value;
                if let Some(t) = test
                    && !self.flag(t, locals)?
                {
                    *pc = at;
                    return Ok(Some(Flowed::Went));
                }
                return Ok(Some(Flowed::LoopTurn));
            }
            Op::WeightedChoice(draw, arms) => {
                let mut weights = vec![];
                for (w, _) in arms {
                    weights.push(self.number(w, locals)?.max(0.0));
                }
                let name = |i: usize| Value::Number(i as f64 + 1.0);
                let drawn = self.weighted(*draw, &weights, name, span)?;
                // Where all weights are 0, none is done: the run goes on after all of them.
                if let Some((_, to)) = drawn.and_then(|i| arms.get(i)) {
                    *pc = *to;
                }
            }
            _ => return Ok(None),
        }
        Ok(Some(Flowed::Went))
    }

    /// The result of a routine that only computes.
    ///
    /// # Errors
    /// Its faults, and a recursion too deep.
    pub fn routine(&self, id: RoutineId, args: &[Expr], locals: &mut [Value], span: Span) -> Result<Value, Fault> {
        let r = &self.program.routines[id.index()];
        let mut own = vec![Value::None; r.slots];
        for (slot, a) in own.iter_mut().zip(args) {
            *slot = self.eval(a, locals)?;
        }
        if self.deep >= MAX_DEEP {
            let text = format!("`{}` calls itself more than {MAX_DEEP} deep", r.name);
            return Err(Fault::new(FaultKind::Recursion, text, span));
        }
        Scope { deep: self.deep + 1, ..*self }.compute(r.code, &mut own, &r.names)
    }

    fn compute(&self, code: u32, own: &mut [Value], names: &[String]) -> Result<Value, Fault> {
        let mut pc = code;
        loop {
            let (op, span) = (&self.program.code[pc as usize], self.program.spans[pc as usize]);
            self.step(1, span)?;
            pc += 1;
            if self.flow(op, &mut pc, own, names, span)?.is_some() {
                continue;
            }
            match op {
                Op::Return(Some(e)) => return self.eval(e, own),
                Op::Do(action) => self.write_local(action, own, span)?,
                Op::Call { routine, args, .. } => drop(self.routine(*routine, args, own, span)?),
                _ => return Ok(Value::None),
            }
        }
    }

    fn runaway(&self, test: &Expr, locals: &mut [Value], names: &[String]) -> Fault {
        let shown_names = crate::names::Named(self.program, self.world);
        let mut parts = vec![];
        test.walk(&mut |e| parts.push(e));
        let mut shown = vec![];
        for e in parts {
            let name = match &e.kind {
                ExprKind::Var(v) => self.program.vars[v.index()].name.clone(),
                ExprKind::Local(s) => names.get(*s as usize).cloned().unwrap_or_default(),
                ExprKind::Field(a, f) => {
                    let Ok(id) = self.id(a, locals) else { continue };
                    let a = &self.world.actors[id.index()];
                    format!("{}.{}", a.name, self.program.kinds[a.kind.index()].fields[f.index()].name)
                }
                ExprKind::Attr(a, attr) => {
                    let Ok(id) = self.id(a, locals) else { continue };
                    format!("{}.{}", self.world.actors[id.index()].name, attr.name())
                }
                _ => continue,
            };
            if let Ok(v) = self.eval(e, locals) {
                shown.push(format!("{name} = {}", crate::contents::shown(&v, &shown_names)));
            }
        }
        let text = format!(
            "this `while` made more than 10,000 turns without a wait; its test reads {}",
            if shown.is_empty() { "no values".into() } else { shown.join(", ") }
        );
        Fault::new(FaultKind::RunawayLoop, text, test.span)
    }
}
