//! Carrying out a rule's actions, from one place to the end or to the first wait.
//!
//! Invariant: a run makes at most [`MAX_STEPS`] steps and a `while` [`MAX_TURNS`] turns without a
//! wait; a fault ends the run where it is, and what it wrote stays.

use crate::fault::*;
use crate::flow::Flowed;
use crate::program::Op;
use crate::record::*;
use crate::tick_context::TickContext;
use crate::world::*;
use mayfly_base::code::{Expr, Slot};
use mayfly_base::*;

/// Why a run stopped.
enum Halt {
    End,
    Wait(Wait),
}

impl<R: Recorder> TickContext<'_, R> {
    /// Carries a run out to its end or its first wait; one that waits is kept.
    pub fn carry_out(&mut self, mut run: Run) {
        let outer = self.rule.replace(Some(run.rule));
        let halt = self.go(&mut run);
        self.rule.set(outer);
        match halt {
            Ok(Halt::End) => {
                self.run_ended(&run);
                self.begin_loop(&run);
            }
            Ok(Halt::Wait(wait)) => {
                if self.is_bound_to_gone(&run) {
                    return;
                }
                if self.world.runs.len() >= MAX_RUNS {
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
                if fault.kind == FaultKind::Absent {
                    let (text, pc) = (fault.text.into(), run.pc.saturating_sub(1));
                    self.note(|| TraceEvent::Logged { text, pc });
                } else {
                    self.fault(Some(run.rule), fault);
                }
                self.run_ended(&run);
                self.begin_loop(&run);
            }
        }
    }

    /// Events that `again later` kept for this run are evaluated in the next round, in the order in which they came.
    pub fn run_ended(&mut self, run: &Run) {
        let same = |l: &&Later| l.rule == run.rule && l.me == run.me && self.same_actors(l.rule, &l.locals, run.own());
        let kept: Vec<(u64, Cause)> = self.world.later.iter().filter(same).map(|l| (l.id, l.cause)).collect();
        for (id, cause) in kept {
            self.cause(EventInstance::Later(id), cause);
        }
    }

    /// True where an actor that the run is bound to was removed: then it waits for nothing more.
    fn is_bound_to_gone(&self, run: &Run) -> bool {
        let bound = self.program.rules[run.rule.index()].bound;
        let own = run.own()[..bound].iter().filter_map(|v| if let Value::Actor(a) = v { Some(*a) } else { None });
        own.chain(run.me).any(|a| self.world.actors[a.index()].gone)
    }

    /// True where two frames of a rule are about the same actors.
    pub fn same_actors(&self, rule: RuleId, a: &[Value], b: &[Value]) -> bool {
        let bound = self.program.rules[rule.index()].bound;
        (0..bound).all(|i| match (&a[i], &b[i]) {
            (Value::Actor(x), Value::Actor(y)) => x == y,
            (Value::Zone(x, a), Value::Zone(y, b)) => x == y && a == b,
            (Value::Actor(_) | Value::Zone(..), _) | (_, Value::Actor(_) | Value::Zone(..)) => false,
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
            if steps > MAX_STEPS {
                return Err(Fault::new(FaultKind::RunawayLoop, "more than 1,000,000 steps without a wait", span));
            }
            if self.steps_before.get() + steps > MAX_TICK_STEPS || self.records > MAX_RECORDS {
                let text =
                    "this tick has spent its steps: rules together made more than 4,000,000 steps or 1,000,000 records";
                return Err(Fault::new(FaultKind::Limit, text, span));
            }
            run.pc += 1;
            let op = &program.code[pc as usize];
            let scope = self.scope(run.me);
            let names = match run.stack.is_empty() {
                true => &program.rules[run.rule.index()].names[..],
                false => program.routine_at(pc).map_or(&[][..], |r| &r.names),
            };
            if let Some(flowed) = scope.flow(op, &mut run.pc, &mut run.locals, names, span)? {
                self.note_draws();
                match flowed {
                    Flowed::Went => {}
                    Flowed::LoopTurn => {
                        let held = match op {
                            Op::ForTurn { slot, .. } => Some((*slot, run.locals[*slot as usize].clone())),
                            _ => None,
                        };
                        self.note(|| TraceEvent::LoopTurn { pc, held });
                    }
                    Flowed::Set(slot, new) => {
                        let target = Target::Local(slot);
                        self.note(|| TraceEvent::Wrote { target, old: Value::None, new, pc, kept_in: false });
                    }
                }
                continue;
            }
            match op {
                // What runs beside a routine ends with its own part of it.
                Op::End | Op::Return(_) if run.stack.len() < run.floor => return Ok(Halt::End),
                Op::End | Op::Return(_) => {
                    let value = match op {
                        Op::Return(Some(e)) => self.scope(run.me).eval(e, &mut run.locals)?,
                        _ => Value::None,
                    };
                    self.note_draws();
                    if !self.come_back(run, value, pc) {
                        return Ok(Halt::End);
                    }
                }
                Op::Call { routine, args, into } => self.call_routine(*routine, args, *into, run, pc, span)?,
                Op::Fork(rest) => {
                    let (resets, parts) = (self.resets.len(), self.parts_run);
                    let mut beside = run.clone();
                    beside.id = self.order();
                    beside.floor = run.stack.len() + 1;
                    self.carry_out(beside);
                    run.pc = *rest;
                    if self.is_taken_away(run, resets) {
                        return Ok(Halt::End);
                    }
                    self.note_going_on(run, parts);
                }
                Op::Do(action) => {
                    let (resets, parts) = (self.resets.len(), self.parts_run);
                    self.act(action, run, pc, span)?;
                    self.note_draws();
                    if self.is_taken_away(run, resets) {
                        return Ok(Halt::End);
                    }
                    self.note_going_on(run, parts);
                }
                Op::LoopTurn(slot) => {
                    if run.locals[*slot as usize] == Value::Number(1.0) {
                        return Err(Fault::new(FaultKind::RunawayLoop, "a turn of this loop did not wait", span));
                    }
                    run.locals[*slot as usize] = Value::Number(1.0);
                    self.note(|| TraceEvent::LoopTurn { pc, held: None });
                }
                Op::WaitWalk => {
                    let Some((who, order)) = self.last_order else { continue };
                    if self.world.actors[who.index()].walk.as_ref().is_none_or(|w| w.id != order) {
                        continue;
                    }
                    self.note(|| TraceEvent::Waits { pc, until: None });
                    return Ok(self.wait(run, Wait::Walk(who, order)));
                }
                Op::WaitFor { event, at_most } => {
                    let due = self.due_by(at_most.as_ref(), run)?;
                    self.note(|| TraceEvent::Waits { pc, until: due });
                    return Ok(self.wait(run, Wait::Event(*event, due)));
                }
                Op::WaitRamp => {
                    let Some(r) = self.last_ramp.and_then(|id| self.world.ramps.iter().rfind(|r| r.id == id)) else {
                        continue;
                    };
                    let (id, due) = (r.id, self.world.tick.saturating_add(r.ticks - r.done));
                    self.note(|| TraceEvent::Waits { pc, until: Some(due) });
                    return Ok(self.wait(run, Wait::Ramp(id)));
                }
                Op::Wait(d) => {
                    let ticks = self.scope(run.me).ticks(d, &mut run.locals)?;
                    let due = self.world.tick.saturating_add(ticks);
                    self.note(|| TraceEvent::Waits { pc, until: Some(due) });
                    return Ok(self.wait(run, Wait::Until(due)));
                }
                Op::WaitUntil { test, at_most } => {
                    // The test is looked at by the next notice, and again when the run's turn comes.
                    self.scope(run.me).flag(test, &mut run.locals)?;
                    let due = self.due_by(at_most.as_ref(), run)?;
                    self.note(|| TraceEvent::Waits { pc, until: due });
                    // The op stands before the place at which the run goes on.
                    return Ok(self.wait(run, Wait::Test(due)));
                }
                _ => {}
            }
        }
    }

    /// Where parts of a machine were carried out in the midst of a run, it is told that the run goes on, if more is to come: so
    /// what it does is told of it, not of them.
    pub fn note_going_on(&mut self, run: &Run, parts: u64) {
        if self.parts_run != parts && self.round > 0 && self.has_more(run) {
            let (rule, me, pc, cause) = (run.rule, run.me, run.pc, run.cause);
            self.note(|| TraceEvent::GoesOn { rule, me, pc, cause, by_event: true });
        }
    }

    /// False where all that a run has still to do is to come to its end.
    fn has_more(&self, run: &Run) -> bool {
        let (mut pc, mut callers) = (run.pc, run.stack.iter().rev());
        loop {
            match &self.program.code[pc as usize] {
                Op::Jump(to) if *to > pc => pc = *to,
                Op::End | Op::Return(None) => match callers.next() {
                    Some(caller) => pc = caller.pc,
                    None => return false,
                },
                _ => return true,
            }
        }
    }

    /// A state that is left takes its runs with it, this one too, and so does an actor that was reset since. One that is
    /// removed leaves it up to its next wait.
    fn is_taken_away(&self, run: &Run, resets: usize) -> bool {
        run.home.is_some_and(|h| !self.world.stays(&h)) || run.me.is_some_and(|a| self.resets[resets..].contains(&a))
    }

    /// The tick in which a wait is over at the latest.
    fn due_by(&self, at_most: Option<&Expr>, run: &mut Run) -> Result<Option<u64>, Fault> {
        match at_most {
            Some(d) => Ok(Some(self.world.tick.saturating_add(self.scope(run.me).ticks(d, &mut run.locals)?))),
            None => Ok(None),
        }
    }

    /// A run begins to wait: what was begun first ends first.
    fn wait(&mut self, run: &mut Run, mut wait: Wait) -> Halt {
        if let Wait::Until(due) | Wait::Test(Some(due)) | Wait::Event(_, Some(due)) = &mut wait {
            *due -= self.world.tick - self.world.counts_from(run.me);
        }
        run.id = self.order();
        self.reset_loops(run);
        Halt::Wait(wait)
    }

    fn call_routine(
        &mut self,
        id: RoutineId,
        args: &[Expr],
        into: Option<Slot>,
        run: &mut Run,
        pc: u32,
        span: Span,
    ) -> Result<(), Fault> {
        let r = &self.program.routines[id.index()];
        let mut locals = vec![Value::None; r.slots];
        for (slot, a) in locals.iter_mut().zip(args) {
            *slot = self.scope(run.me).eval(a, &mut run.locals)?;
        }
        self.note_draws();
        if run.stack.len() as u32 >= MAX_DEEP {
            let text = format!("`{}` calls itself more than {MAX_DEEP} deep", r.name);
            return Err(Fault::new(FaultKind::Recursion, text, span));
        }
        let given = locals[..r.params].to_vec();
        self.note(|| TraceEvent::Called { routine: id, args: given, pc });
        let own = std::mem::replace(&mut run.locals, locals);
        run.stack.push(Frame { pc: run.pc, locals: own, into });
        run.pc = r.code;
        Ok(())
    }

    /// Goes back to what called the routine; false where it is the rule itself that ends.
    fn come_back(&mut self, run: &mut Run, value: Value, pc: u32) -> bool {
        let Some(f) = run.stack.pop() else { return false };
        (run.locals, run.pc) = (f.locals, f.pc);
        if let Some(slot) = f.into {
            run.locals[slot as usize] = value.clone();
            self.note(|| TraceEvent::Wrote {
                target: Target::Local(slot),
                old: Value::None,
                new: value,
                pc,
                kept_in: false,
            });
        }
        true
    }

    /// A wait gives every loop its turns again.
    fn reset_loops(&mut self, run: &mut Run) {
        let slots = match run.stack.is_empty() {
            true => &self.program.rules[run.rule.index()].loop_slots[..],
            false => self.program.routine_at(run.pc - 1).map_or(&[][..], |r| &r.loop_slots),
        };
        for slot in slots {
            if matches!(run.locals[*slot as usize], Value::Number(_)) {
                run.locals[*slot as usize] = Value::Number(0.0);
            }
        }
        // The frames that called it wait as well.
        for f in &mut run.stack {
            let all = &self.program.rules[run.rule.index()].loop_slots;
            let own = self.program.routine_at(f.pc - 1).map_or(all, |r| &r.loop_slots);
            for slot in own {
                if matches!(f.locals[*slot as usize], Value::Number(_)) {
                    f.locals[*slot as usize] = Value::Number(0.0);
                }
            }
        }
    }
}
