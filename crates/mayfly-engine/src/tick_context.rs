//! One tick under way: the program, the world that it changes, who records, and what waits its turn.
//!
//! The order of the tick is in [`crate::tick`]; this module holds what all its steps share: writing,
//! causes, queues.
//!
//! Invariant: every change of the world during a tick goes through here or through a step's own
//! module, is recorded right after it is made, and marks what must be looked at again.

use crate::eval::{Drawn, Known, Scope};
use crate::fault::*;
use crate::ground::Occupied;
use crate::program::Program;
use crate::record::*;
use crate::route::Plans;
use crate::world::*;
use mayfly_base::code::*;
use mayfly_base::*;
use rustc_hash::FxHashSet;
use std::cell::{Cell, RefCell};
use std::collections::VecDeque;

/// An event that waits to be taken up.
#[derive(Clone, Debug)]
pub struct Queued {
    pub what: EventInstance,
    pub cause: Cause,
}

/// A machine that changed while one event was evaluated.
#[derive(Clone, Debug)]
pub struct MachineMoved {
    pub key: MachineKey,
    /// How it was when the event was taken up.
    pub was: MachineState,
    pub by_transition: bool,
}

/// The working state of one tick.
pub struct TickContext<'a, R: Recorder> {
    pub program: &'a Program,
    pub world: &'a mut World,
    pub recorder: &'a mut R,
    pub queue: VecDeque<Queued>,
    /// What this round caused: the next round's queue.
    pub next: Vec<Queued>,
    pub round: u32,
    /// This round has been recorded: it is, with the first thing in it that is.
    pub opened: bool,
    pub events: u32,
    /// Rules that fired in late rounds, for the fault that names them.
    pub late: Vec<RuleId>,
    pub drawn: RefCell<Vec<Drawn>>,
    /// Steps of the run under way, and of all before it in this tick.
    pub steps: Cell<u64>,
    pub steps_before: Cell<u64>,
    /// The most steps that one go took, and the rule that took them.
    pub most_steps: (u64, Option<RuleId>),
    /// Waits with a number up to this one had begun when the present event was taken up.
    pub begun_before: u64,
    /// So many actors there were then: who is spawned because of an event is not evaluated for it.
    pub actors_before: usize,
    /// How often a machine was sent on, or an actor enabled, in this tick: more may be due.
    pub awakened: u64,
    /// Machines that changed while the present event is evaluated.
    pub moved: Vec<MachineMoved>,
    /// Transitions inside each other.
    pub nested: u32,
    /// How many parts of machines were carried out in this tick: each is told in the midst of whatever sent the machine on.
    pub parts_run: u64,
    /// Groups of which one has fired for the present event, and for whom.
    pub passed: Vec<(u32, Option<ActorId>)>,
    /// The rule that is evaluated or carried out: routines draw in its streams.
    pub rule: Cell<Option<RuleId>>,
    /// Whoever sensing has to look at, where motion has found that out already.
    pub dirty_actors: Option<Vec<ActorId>>,
    /// The order to walk that was given last, and the ramp that was begun last.
    pub last_order: Option<(ActorId, u64)>,
    pub last_ramp: Option<u64>,
    /// Defined values that were found already; kept while nothing changes.
    pub known: RefCell<Known>,
    pub keeps_known: bool,
    /// Records so far, whoever takes them, and the last of them.
    pub records: u32,
    pub last_cause: Cause,
    /// Pairs that sensing looked at, and whether it was told that no more can be kept.
    pub pairs: u64,
    pub full: bool,
    /// The actors that were reset in this tick, in order.
    pub resets: Vec<ActorId>,
    /// Machines that were put into their first states and have still to enter them.
    pub unbegun: FxHashSet<MachineKey>,
    /// Faults of what an event asks, until its rule is known.
    pub met: RefCell<Vec<Fault>>,
    /// Which solid actors stand where, once that is asked.
    pub occupied: Option<Occupied>,
    pub plans: Plans,
    /// The change of what stops actors up to which all orders are planned, and the last one before this tick.
    pub planned_for: u64,
    pub changes_before: u64,
    pub changed_by: Cause,
    /// The machines and clocks that something was done to in this tick, each with what it was.
    pub went_by: Vec<(MachineKey, Cause)>,
    pub clocks_by: Vec<(ClockId, Cause)>,
}

impl<'a, R: Recorder> TickContext<'a, R> {
    pub fn new(program: &'a Program, world: &'a mut World, recorder: &'a mut R) -> Self {
        let changes = world.changes.count;
        Self {
            program,
            world,
            recorder,
            queue: VecDeque::new(),
            next: vec![],
            round: 0,
            opened: true,
            events: 0,
            late: vec![],
            drawn: RefCell::new(vec![]),
            steps: Cell::new(0),
            steps_before: Cell::new(0),
            most_steps: (0, None),
            begun_before: 0,
            actors_before: 0,
            awakened: 0,
            moved: vec![],
            nested: 0,
            parts_run: 0,
            passed: vec![],
            rule: Cell::new(None),
            dirty_actors: None,
            last_order: None,
            last_ramp: None,
            known: RefCell::default(),
            keeps_known: false,
            records: 0,
            last_cause: Cause::NONE,
            pairs: 0,
            full: false,
            resets: vec![],
            unbegun: FxHashSet::default(),
            met: RefCell::new(vec![]),
            occupied: None,
            went_by: vec![],
            clocks_by: vec![],
            plans: Plans::default(),
            planned_for: changes,
            changes_before: changes,
            changed_by: Cause::NONE,
        }
    }

    /// Something begins that counts its steps for itself; those before it count for the tick.
    pub fn fresh_steps(&mut self) {
        let steps = self.steps.replace(0);
        self.steps_before.set(self.steps_before.get() + steps);
        if steps > self.most_steps.0 {
            self.most_steps = (steps, self.rule.get());
        }
    }

    /// Records; gives the record as a cause of what follows.
    pub fn note(&mut self, rec: impl FnOnce() -> TraceEvent) -> Cause {
        let at = self.recorder.take(self.world, rec);
        self.records = self.records.saturating_add(1);
        self.last_cause = Cause { tick: self.world.tick, at };
        self.last_cause
    }

    /// Records something that opens a round if it is the first of it.
    pub fn note_in_round(&mut self, rec: impl FnOnce() -> TraceEvent) -> Cause {
        if !std::mem::replace(&mut self.opened, true) {
            let round = self.round;
            self.note(|| TraceEvent::Round(round));
        }
        self.note(rec)
    }

    pub fn scope(&self, me: Option<ActorId>) -> Scope<'_> {
        let draws = if R::ON { Some(&self.drawn) } else { None };
        if !self.keeps_known && !self.known.borrow().is_empty() {
            self.known.borrow_mut().clear();
        }
        Scope {
            program: self.program,
            world: self.world,
            me,
            rule: self.rule.get(),
            steps: &self.steps,
            deep: 0,
            draws,
            may_draw: true,
            known: &self.known,
        }
    }

    /// Records the draws that an expression made.
    pub fn note_draws(&mut self) {
        self.note_drawn(false);
    }

    /// Records the draws that an expression made; `ahead`: of an evaluation that is recorded next.
    pub fn note_drawn(&mut self, ahead: bool) {
        if !R::ON || self.drawn.borrow().is_empty() {
            return;
        }
        let drawn = self.drawn.take();
        for d in drawn {
            self.note(|| TraceEvent::Drew { draw: d.draw, value: d.value, odds: d.odds, ahead });
        }
    }

    /// Marks every watch that reads the variable.
    pub fn var_stale(&mut self, var: VarId, cause: Cause) {
        for w in self.program.dispatch.by_var.get(var.index()).map_or(&[][..], Vec::as_slice) {
            self.world.stale.push((*w, None, cause));
        }
    }

    pub fn field_stale(&mut self, actor: ActorId, field: FieldId, cause: Cause) {
        let kind = self.world.actors[actor.index()].kind;
        for k in &self.program.kinds[kind.index()].is {
            let Some(list) = self.program.dispatch.by_field.get(&(*k, field)) else { continue };
            for w in list.iter().filter(|w| self.program.dispatch.may_read(**w, actor)) {
                // A watch of this kind's actors that reads its own actor alone is compared for it alone.
                let own =
                    self.program.watches[w.index()].over.filter(|o| self.program.is_kind(kind, *o)).map(|_| actor);
                self.world.stale.push((*w, own.filter(|_| self.program.dispatch.reads_own(*w)), cause));
            }
        }
    }

    /// Writes a value; a bound stops it.
    ///
    /// # Errors
    /// A fault where the place is not there.
    pub fn write(&mut self, target: Target, new: Value, pc: u32, span: Span) -> Result<(), Fault> {
        // Any other write ends a ramp.
        if !self.world.ramps.is_empty() {
            self.end_ramps(EndWhy::Written, |r| r.target.meets(target));
        }
        let bounds = match target {
            Target::Var(v) => self.program.vars[v.index()].bounds,
            Target::Field(a, f) => {
                self.program.kinds[self.world.actors[a.index()].kind.index()].fields[f.index()].bounds
            }
            _ => None,
        };
        let (new, kept_in) = match (&new, bounds) {
            (Value::Number(n), Some((lo, hi))) if *n < lo || *n > hi => (Value::Number(n.clamp(lo, hi)), true),
            _ => (new, false),
        };
        self.count_bytes(target, &new, span)?;
        let old = match target {
            Target::Var(v) => std::mem::replace(&mut self.world.vars[v.index()], new.clone()),
            Target::Field(a, f) => std::mem::replace(&mut self.world.actors[a.index()].fields[f.index()], new.clone()),
            Target::Attr(a, attr) => self.write_attr(a, attr, &new, span)?,
            Target::ClockSpeed(c) => {
                let old = self.world.clocks[c.index()].speed;
                let Value::Number(n) = new else {
                    return Err(Fault::new(FaultKind::None, "none is no speed", span));
                };
                self.clock_speed(c, n, span)?;
                Value::Number(old)
            }
            Target::Local(_) => Value::None,
        };
        let cause = self.note(|| TraceEvent::Wrote { target, old, new, pc, kept_in });
        match target {
            Target::Var(v) => self.var_stale(v, cause),
            Target::Field(a, f) => self.field_stale(a, f, cause),
            Target::Attr(a, _) => self.world.actors[a.index()].moved_by = cause,
            Target::ClockSpeed(c) => self.clocks_by.push((c, cause)),
            Target::Local(_) => {}
        }
        Ok(())
    }

    /// Counts the bytes that all variables hold.
    ///
    /// # Errors
    /// More than [`MAX_VALUES`].
    fn count_bytes(&mut self, target: Target, new: &Value, span: Span) -> Result<(), Fault> {
        let long = |v: &Value| matches!(v, Value::Text(_) | Value::List(_) | Value::Set(_) | Value::Tally(_));
        let old = match target {
            Target::Var(v) => &self.world.vars[v.index()],
            Target::Field(a, f) => &self.world.actors[a.index()].fields[f.index()],
            _ => return Ok(()),
        };
        if !long(new) && !long(old) {
            return Ok(());
        }
        let (was, is) = (old.weight(), new.weight());
        let bytes = (self.world.bytes + is).saturating_sub(was);
        if bytes > MAX_VALUES && is > was {
            return Err(Fault::new(FaultKind::Limit, "more than 256 MiB of values", span));
        }
        self.world.bytes = bytes;
        Ok(())
    }

    fn write_attr(&mut self, id: ActorId, attr: Attr, new: &Value, span: Span) -> Result<Value, Fault> {
        let wrong = || Fault::new(FaultKind::None, "none cannot be an attribute", span);
        let old = crate::eval::attr_of(&self.world.actors[id.index()], attr);
        if attr == Attr::Enabled {
            let Value::Flag(on) = new else { return Err(wrong()) };
            self.enable(id, *on);
            return Ok(old);
        }
        self.fits_attr(attr, new, span)?;
        let hides = attr == Attr::Opaque || self.world.actors[id.index()].opaque;
        self.world.sight_changed |= hides;
        let a = &mut self.world.actors[id.index()];
        a.dirty = true;
        match (attr, new) {
            (Attr::At, Value::Point(p)) => (a.at, a.jumped) = (*p, true),
            (Attr::X, Value::Number(n)) => (a.at.x, a.jumped) = (*n, true),
            (Attr::Y, Value::Number(n)) => (a.at.y, a.jumped) = (*n, true),
            _ => a.set_plain(attr, new).ok_or_else(wrong)?,
        }
        match attr {
            Attr::At | Attr::X | Attr::Y => self.displaced(id),
            Attr::Tangible | Attr::Size | Attr::Solid => {
                self.stopper_changed(id);
                self.world.list_solids();
                // What stops it itself is another than before.
                if self.world.actors[id.index()].walk.is_some() {
                    self.all_changed();
                }
            }
            _ => {}
        }
        Ok(old)
    }

    /// Refuses what an attribute cannot be.
    ///
    /// # Errors
    /// A place or a size beyond all bounds, a look of more than one character.
    pub fn fits_attr(&self, attr: Attr, new: &Value, span: Span) -> Result<(), Fault> {
        match (attr, new) {
            (Attr::At, Value::Point(p)) => self.fits_map(*p, span),
            (Attr::X | Attr::Y, Value::Number(n)) => self.fits_map(Point::main(*n, 0.0), span),
            (Attr::Size, Value::Point(p)) if p.x > value::MAX_SIZE || p.y > value::MAX_SIZE => {
                let side = number::show_short(p.x.max(p.y));
                let text = format!("a size of {side} is too large: a side has 1000 cells at most");
                Err(Fault::new(FaultKind::Limit, text, span))
            }
            (Attr::Look, Value::Text(t)) if t.chars().count() != 1 => {
                let shown = crate::contents::shown(new, &crate::names::Named(self.program, self.world));
                let text = format!("a look is one character, and {shown} has {}", t.chars().count());
                Err(Fault::new(FaultKind::Limit, text, span))
            }
            _ => Ok(()),
        }
    }

    /// Refuses a value for which there is no room beside all others.
    ///
    /// # Errors
    /// More than [`MAX_VALUES`].
    pub fn fits_values(&self, new: &Value, span: Span) -> Result<(), Fault> {
        if self.world.bytes + new.weight() <= MAX_VALUES {
            return Ok(());
        }
        Err(Fault::new(FaultKind::Limit, "more than 256 MiB of values", span))
    }

    /// Refuses a place beyond all bounds.
    ///
    /// # Errors
    /// A coordinate of more than [`value::MAX_PLACE`].
    pub fn fits_map(&self, p: Point, span: Span) -> Result<(), Fault> {
        let most = if p.x.abs() > p.y.abs() { p.x } else { p.y };
        if most.abs() <= value::MAX_PLACE {
            return Ok(());
        }
        let text = format!("{} is too large: places lie within 1,000,000 cells of (0, 0)", number::show_short(most));
        Err(Fault::new(FaultKind::Limit, text, span))
    }

    /// Switches an actor off and on: off, it is as if absent, and its waits keep what they had left.
    pub fn enable(&mut self, id: ActorId, on: bool) {
        let tick = self.world.tick;
        let a = &mut self.world.actors[id.index()];
        if a.enabled == on {
            return;
        }
        a.enabled = on;
        a.dirty = true;
        self.world.sight_changed |= a.opaque;
        self.stopper_changed(id);
        self.world.list_solids();
        let a = &mut self.world.actors[id.index()];
        if !on {
            a.disabled_at = tick;
            return;
        }
        self.awakened += 1;
        let away = tick - a.disabled_at;
        a.created += away;
        self.take_up_order(id);
        // What was written to it meanwhile is noticed now.
        for (w, list) in self.world.watched.iter().enumerate() {
            if list.iter().any(|s| s.actor == Some(id)) {
                self.world.stale.push((WatchId::at(w), Some(id), Cause::NONE));
            }
        }
        for run in self.world.runs.iter_mut().filter(|r| r.me == Some(id)) {
            match &mut run.wait {
                Wait::Until(due) | Wait::Test(Some(due)) | Wait::Event(_, Some(due)) => *due += away,
                Wait::Test(None) | Wait::Event(_, None) | Wait::Walk(..) | Wait::Ramp(_) => {}
            }
        }
        let kept = self.world.later.iter().filter(|l| l.me == Some(id));
        let kept: Vec<(u64, Cause)> = kept.map(|l| (l.id, l.cause)).collect();
        for (event, cause) in kept {
            self.cause(EventInstance::Later(event), cause);
        }
        // Timed transitions keep what they had left: their stays are as much younger.
        let now = self.world.machines.iter_mut().filter(|((_, of), _)| *of == Some(id)).map(|(_, m)| m);
        let found = self.moved.iter_mut().filter(|m| m.key.1 == Some(id)).map(|m| &mut m.was);
        for m in now.chain(found) {
            m.stays.iter_mut().for_each(|(_, since, _)| *since += away);
        }
    }

    /// True of one that was removed, in this tick or before: nothing that lasts begins on it.
    pub fn is_gone(&self, actor: Option<ActorId>) -> bool {
        actor.is_some_and(|a| self.world.actors[a.index()].gone)
    }

    /// Says that something was faulty; the level goes on.
    pub fn fault(&mut self, rule: Option<RuleId>, fault: Fault) -> Cause {
        self.note_draws();
        self.note(|| TraceEvent::Faulted { rule, fault: Box::new(fault), cause: Cause::NONE })
    }

    /// Puts an event into the next round.
    pub fn cause(&mut self, what: EventInstance, cause: Cause) {
        self.next.push(Queued { what, cause });
    }

    /// What was begun first ends first.
    pub fn order(&mut self) -> u64 {
        self.world.begun += 1;
        self.world.begun
    }
}
