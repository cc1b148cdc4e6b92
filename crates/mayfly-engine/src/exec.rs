//! Carrying out a rule's actions, from one place to the end or to the first wait.
//!
//! Invariant: a run makes at most [`MOST_STEPS`] steps and a `while` [`MOST_TURNS`] turns without a
//! wait; a fault ends the run where it is, and what it wrote stays.

use crate::fault::*;
use crate::program::Op;
use crate::record::*;
use crate::turn::Turn;
use crate::world::*;
use mayfly_base::*;
use std::sync::Arc;

/// Why a run stopped.
enum Halt {
    End,
    Wait(Wait),
}

impl<R: Recorder> Turn<'_, R> {
    /// Carries a run out to its end or its first wait; one that waits is kept.
    pub fn carry_out(&mut self, mut run: Run) {
        self.steps.set(0);
        match self.go(&mut run) {
            Ok(Halt::End) => {
                self.run_ended(&run);
                self.begin_loop(&run);
            }
            Ok(Halt::Wait(wait)) => {
                if self.world.runs.len() >= MOST_RUNS {
                    let span = self.program.spans[run.pc as usize];
                    self.fault(
                        Some(run.rule),
                        Fault::new(FaultKind::Limit, "more than 10,000 runs wait at once", span),
                    );
                    self.run_ended(&run);
                    return;
                }
                run.wait = wait;
                self.world.runs.push(run);
            }
            Err(fault) => {
                self.fault(Some(run.rule), fault);
                self.run_ended(&run);
                self.begin_loop(&run);
            }
        }
    }

    /// An event that `again later` kept for this run is judged in the next round.
    fn run_ended(&mut self, run: &Run) {
        let same = |l: &Later| l.rule == run.rule && l.me == run.me && self.same_actors(l.rule, &l.locals, &run.locals);
        if let Some(i) = self.world.later.iter().position(same) {
            let cause = self.world.later[i].cause;
            self.cause(Happening::Later(i as u32), cause);
        }
    }

    /// True where two frames of a rule are about the same actors.
    pub fn same_actors(&self, rule: RuleId, a: &[Value], b: &[Value]) -> bool {
        let bound = self.program.rules[rule.index()].bound;
        (0..bound).all(|i| match (&a[i], &b[i]) {
            (Value::Actor(x), Value::Actor(y)) => x == y,
            (Value::Actor(_), _) | (_, Value::Actor(_)) => false,
            _ => true,
        })
    }

    fn go(&mut self, run: &mut Run) -> Result<Halt, Fault> {
        let program = self.program;
        loop {
            let pc = run.pc;
            let span = program.spans[pc as usize];
            let steps = self.steps.get() + 1;
            self.steps.set(steps);
            if steps > MOST_STEPS {
                return Err(Fault::new(FaultKind::RunawayLoop, "more than 1,000,000 steps without a wait", span));
            }
            run.pc += 1;
            match &program.code[pc as usize] {
                Op::End => return Ok(Halt::End),
                Op::Do(action) => {
                    self.act(action, run, pc, span)?;
                    self.note_draws();
                    // A state that is left takes its runs with it, this one too.
                    if run.home.is_some_and(|h| !self.world.stays(&h)) {
                        return Ok(Halt::End);
                    }
                }
                Op::Set(slot, e) => {
                    let v = self.scope(run.me).eval(e, &mut run.locals)?;
                    self.note_draws();
                    run.locals[*slot as usize] = v.clone();
                    self.note(|| Rec::Wrote {
                        target: Target::Local(*slot),
                        old: Value::None,
                        new: v,
                        pc,
                        kept_in: false,
                    });
                }
                Op::Unless(test, to) => {
                    let yes = self.scope(run.me).flag(test, &mut run.locals)?;
                    self.note_draws();
                    if !yes {
                        run.pc = *to;
                    }
                }
                Op::Jump(to) => run.pc = *to,
                Op::RepeatBegin(slot, n) => {
                    let n = self.scope(run.me).number(n, &mut run.locals)?;
                    run.locals[*slot as usize] = Value::Number(n.floor().max(0.0));
                }
                Op::RepeatTurn(slot, exit) => {
                    let Value::Number(left) = run.locals[*slot as usize] else { return Ok(Halt::End) };
                    if left < 1.0 {
                        run.pc = *exit;
                    } else {
                        run.locals[*slot as usize] = Value::Number(left - 1.0);
                        self.note(|| Rec::Turn { pc, turn: 0 });
                    }
                }
                Op::WhileBegin(slot) => run.locals[*slot as usize] = Value::Number(0.0),
                Op::WhileTurn(slot, test, exit) => {
                    if !self.scope(run.me).flag(test, &mut run.locals)? {
                        run.pc = *exit;
                        continue;
                    }
                    let Value::Number(turns) = run.locals[*slot as usize] else { return Ok(Halt::End) };
                    if turns as u64 >= MOST_TURNS {
                        return Err(self.runaway(test, run));
                    }
                    run.locals[*slot as usize] = Value::Number(turns + 1.0);
                    self.note(|| Rec::Turn { pc, turn: turns as u64 + 1 });
                }
                Op::ForRange { list, at, from, to } => {
                    let (a, b) = (
                        self.scope(run.me).number(from, &mut run.locals)?,
                        self.scope(run.me).number(to, &mut run.locals)?,
                    );
                    // The bounds themselves are kept: a long range needs no list.
                    run.locals[*list as usize] = Value::Point(Point::main(a, b));
                    run.locals[*at as usize] = Value::Number(0.0);
                }
                Op::ForEach { list, at, over } => {
                    let v = self.scope(run.me).eval(over, &mut run.locals)?;
                    self.note_draws();
                    let v = match v {
                        Value::Tally(t) => {
                            Value::List(Arc::new(t.iter().filter(|(_, n)| *n > 0.0).map(|(v, _)| v.clone()).collect()))
                        }
                        Value::None => return Err(Fault::new(FaultKind::None, "there is none to go through", span)),
                        v => v,
                    };
                    run.locals[*list as usize] = v;
                    run.locals[*at as usize] = Value::Number(0.0);
                }
                Op::ForTurn { slot, list, at, test, exit } => {
                    let Value::Number(i) = run.locals[*at as usize] else { return Ok(Halt::End) };
                    let value = match &run.locals[*list as usize] {
                        Value::Point(p) if p.x + i <= p.y + value::NEAR => Some(Value::Number(p.x + i)),
                        Value::List(l) | Value::Set(l) => l.get(i as usize).cloned(),
                        _ => None,
                    };
                    let Some(value) = value else {
                        run.locals[*list as usize] = Value::None;
                        run.pc = *exit;
                        continue;
                    };
                    run.locals[*at as usize] = Value::Number(i + 1.0);
                    run.locals[*slot as usize] = value;
                    if let Some(t) = test
                        && !self.scope(run.me).flag(t, &mut run.locals)?
                    {
                        run.pc = pc;
                        continue;
                    }
                    self.note(|| Rec::Turn { pc, turn: i as u64 + 1 });
                }
                Op::Lot(draw, arms) => {
                    let scope = self.scope(run.me);
                    let mut weights = vec![];
                    for (w, _) in arms {
                        weights.push(scope.number(w, &mut run.locals)?.max(0.0));
                    }
                    let name = |i: usize| Value::Number(i as f64 + 1.0);
                    let drawn = scope.weighted(*draw, &weights, name, span)?;
                    self.note_draws();
                    // Where nothing weighs anything, none is done: the last place is the end.
                    if let Some((_, at)) = drawn.and_then(|i| arms.get(i)) {
                        run.pc = *at;
                    }
                }
                Op::WaitRamp => {
                    let Some(due) = self.world.ramps.last().map(|r| self.world.tick + r.ticks - r.done) else {
                        continue;
                    };
                    self.note(|| Rec::Waits { pc, until: Some(due) });
                    run.id = self.order();
                    self.reset_loops(run);
                    return Ok(Halt::Wait(Wait::Until(due)));
                }
                Op::LoopTurn(slot) => {
                    if run.locals[*slot as usize] == Value::Number(1.0) {
                        return Err(Fault::new(FaultKind::RunawayLoop, "a turn of this loop did not wait", span));
                    }
                    run.locals[*slot as usize] = Value::Number(1.0);
                    self.note(|| Rec::Turn { pc, turn: 0 });
                }
                Op::Wait(d) => {
                    let ticks = self.scope(run.me).ticks(d, &mut run.locals)?;
                    let due = self.world.tick.saturating_add(ticks);
                    self.note(|| Rec::Waits { pc, until: Some(due) });
                    run.id = self.order();
                    self.reset_loops(run);
                    return Ok(Halt::Wait(Wait::Until(due)));
                }
                Op::WaitUntil { test, at_most } => {
                    // The test is looked at by the next notice, and again when the run's turn comes.
                    self.scope(run.me).flag(test, &mut run.locals)?;
                    let due = match at_most {
                        Some(d) => Some(self.world.tick.saturating_add(self.scope(run.me).ticks(d, &mut run.locals)?)),
                        None => None,
                    };
                    self.note(|| Rec::Waits { pc, until: due });
                    run.id = self.order();
                    // The op stands before the place at which the run goes on.
                    self.reset_loops(run);
                    return Ok(Halt::Wait(Wait::Test(due)));
                }
            }
        }
    }

    /// A wait gives every loop its turns anew.
    fn reset_loops(&mut self, run: &mut Run) {
        let rule = &self.program.rules[run.rule.index()];
        for slot in &rule.loop_slots {
            if matches!(run.locals[*slot as usize], Value::Number(_)) {
                run.locals[*slot as usize] = Value::Number(0.0);
            }
        }
    }

    fn runaway(&self, test: &mayfly_base::code::Expr, run: &mut Run) -> Fault {
        use mayfly_base::code::ExprKind;
        let names = crate::names::Named(self.program, self.world);
        let mut parts = vec![];
        test.walk(&mut |e| parts.push(e.clone()));
        let shown: Vec<String> = parts
            .iter()
            .filter_map(|e| {
                let name = match &e.kind {
                    ExprKind::Var(v) => self.program.vars[v.index()].name.clone(),
                    ExprKind::Local(s) => {
                        self.program.rules[run.rule.index()].names.get(*s as usize).cloned().unwrap_or_default()
                    }
                    ExprKind::Field(..) | ExprKind::Attr(..) => "the actor's value".into(),
                    _ => return None,
                };
                let v = self.scope(run.me).eval(e, &mut run.locals).ok()?;
                Some(format!("{name} = {}", v.show(&names, None)))
            })
            .collect();
        let text = format!(
            "this `while` made more than 10,000 turns without a wait; its test reads {}",
            if shown.is_empty() { "no values".into() } else { shown.join(", ") }
        );
        Fault::new(FaultKind::RunawayLoop, text, test.span)
    }
}
