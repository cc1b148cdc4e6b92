//! One tick, in order (language.md §8): inputs, motion, sensing, time, rounds, settle.
//!
//! Invariant: the same program, world and inputs give the same world and the same records, whoever
//! records; nothing here asks a clock or depends on where memory lies.

use crate::eval::Scope;
use crate::fault::*;
use crate::program::Op;
use crate::program::Program;
use crate::record::*;
use crate::renew::Kept;
use crate::tick_context::{Queued, TickContext};
use crate::world::*;
use crate::zones::ZoneGrid;
use mayfly_base::code::Action;
use mayfly_base::*;

/// What comes from outside in one tick.
#[derive(Clone, Debug, PartialEq)]
pub enum Input {
    /// A press that is down for this tick only.
    Tap(ActorId, InputId),
    Down(ActorId, InputId),
    Up(ActorId, InputId),
    /// One action by hand: where its code stands.
    /// Actions by hand: a rule that awaits nothing, at the program's end.
    Poke(RuleId),
    /// What a place gives when it draws next.
    Fix {
        draw: DrawId,
        value: Value,
    },
}

/// A program ready to run: with the grid of its zones.
#[derive(Clone, Debug)]
pub struct Engine {
    pub program: Program,
    pub grid: ZoneGrid,
}

/// Why the engine stopped.
#[derive(Clone, Debug, PartialEq)]
pub enum TickOutcome {
    /// The tick is closed, and the level goes on.
    Done,
    /// The level has ended; no tick was run.
    Ended,
}

impl Engine {
    pub fn new(program: Program) -> Self {
        let grid = ZoneGrid::new(&program.zones, &program.kinds, &program.maps);
        Self { program, grid }
    }

    /// The world before the first tick.
    pub fn start(&self, seed: u64, kept: &Kept) -> (World, Vec<Fault>) {
        let (mut world, faults) = World::new(&self.program, seed, 0);
        if *kept != Kept::default() {
            world.take_kept(&self.program, kept);
            world.watch_all(&self.program);
        }
        (world, faults)
    }

    /// An engine that looks at every rule, zone, pair and watch in every tick. The tests compare the real
    /// one with it.
    pub fn naive(mut program: Program) -> Self {
        program.dispatch.ask_everyone(&program.rules, program.watches.len());
        let grid = ZoneGrid::without_index(&program.zones, &program.kinds);
        Self { program, grid }
    }

    /// Runs one tick. Faults of first values are told in tick 0, where they are given.
    pub fn tick<R: Recorder>(
        &self,
        world: &mut World,
        inputs: &[Input],
        first: &[Fault],
        recorder: &mut R,
    ) -> TickOutcome {
        if world.ended.is_some() {
            return TickOutcome::Ended;
        }
        world.tick = world.next;
        let mut t = TickContext::new(&self.program, world, recorder);
        for f in first {
            t.fault(None, f.clone());
        }
        let begins = t.world.age() == 0;
        if begins {
            t.unbegun.extend(t.world.machines.keys().copied());
        }
        t.inputs(inputs);
        if !begins {
            t.motion(&self.grid);
            t.ramps();
            t.plan_all(false);
            t.clocks();
        } else {
            for (_, a) in t.world.actors.iter_mut() {
                a.starts_here();
            }
        }
        t.sense(&self.grid);
        t.time();
        if begins {
            t.queue.push_front(Queued { what: EventInstance::Start, cause: Cause::NONE });
            if !t.world.machines.is_empty() {
                t.queue.push_front(Queued { what: EventInstance::MachinesBegin(None), cause: Cause::NONE });
            }
        }
        t.rounds();
        t.settle(inputs);
        TickOutcome::Done
    }
}

impl<R: Recorder> TickContext<'_, R> {
    fn inputs(&mut self, inputs: &[Input]) {
        for (i, input) in inputs.iter().enumerate() {
            match input {
                Input::Tap(a, input) | Input::Down(a, input) => self.press(*a, *input),
                Input::Up(a, input) => {
                    self.world.down.remove(&(*a, *input));
                }
                Input::Poke(rule) => {
                    let cause = self.note(|| TraceEvent::Poked(i as u32));
                    self.fresh_steps();
                    let r = &self.program.rules[rule.index()];
                    self.carry_out(Run::new(*rule, None, vec![Value::None; r.slots], r.then, None, cause));
                    // What a hand sets is sensed in this very tick, and what it sends is heard in its first round.
                    self.queue.extend(std::mem::take(&mut self.next));
                }
                Input::Fix { draw, value } => {
                    self.note(|| TraceEvent::Poked(i as u32));
                    self.world.random.borrow_mut().fixed.entry(*draw).or_default().push(value.clone());
                }
            }
        }
        let tick = self.world.tick;
        let held: Vec<((ActorId, InputId), u64)> = self.world.down.iter().map(|(k, since)| (*k, *since)).collect();
        for ((a, i), since) in held {
            if !self.program.dispatch.list(crate::dispatch::Key::Pressing(i)).is_empty() {
                self.queue.push_back(Queued { what: EventInstance::Pressing(a, i, tick - since), cause: Cause::NONE });
            }
        }
    }

    fn press(&mut self, a: ActorId, input: InputId) {
        if self.world.actor(a).is_none_or(|x| !x.enabled || x.frozen) {
            return;
        }
        let tick = self.world.tick;
        let cause = self.note(|| TraceEvent::Pressed(a, input));
        if input.index() < DIRECTIONS.len() {
            // Where no step is under way the first arrow of a tick begins one, and the last is remembered behind it.
            let x = &mut self.world.actors[a.index()];
            let arrow = (input.0, cause);
            match &mut x.pressed {
                Some(p) if x.step.is_none() => p.then = Some(arrow),
                pressed => *pressed = Some(Box::new(Pressed { arrow, then: None })),
            }
        }
        self.world.down.entry((a, input)).or_insert(tick);
        self.queue.push_back(Queued { what: EventInstance::Press(a, input), cause });
    }

    /// Step 4: what is due in this tick, in its order.
    fn time(&mut self) {
        let tick = self.world.tick;
        // What comes before it in the queue may bring something that is due: a state is entered, an actor is enabled.
        let something_first = self.world.age() == 0 || !self.queue.is_empty();
        if something_first || self.anything_due() {
            self.queue.push_back(Queued { what: EventInstance::Time, cause: Cause::NONE });
        }
        let mut due: Vec<(u64, EventInstance, Cause)> = vec![];
        for i in 0..self.world.timers.len() {
            let t = self.world.timers[i];
            if t.running && t.due <= tick {
                due.push((t.order, EventInstance::TimerEnds(TimerId::at(i)), t.cause));
                let order = if self.program.timers[i].repeating { self.order() } else { 0 };
                let t = &mut self.world.timers[i];
                if order > 0 {
                    // A length given with `for` is for that start only.
                    t.length = self.program.timers[i].ticks;
                    (t.due, t.order) = (tick + t.length.max(1), order);
                } else {
                    (t.running, t.left) = (false, 0);
                }
            }
        }
        let mut kept = vec![];
        for m in std::mem::take(&mut self.world.mail) {
            if m.due <= tick {
                due.push((m.order, EventInstance::Message { message: m.message, args: m.args, to: m.to }, m.cause));
            } else {
                kept.push(m);
            }
        }
        self.world.mail = kept;
        for r in &self.world.runs {
            let over = matches!(r.wait, Wait::Until(d) | Wait::Test(Some(d)) | Wait::Event(_, Some(d)) if d <= tick);
            if over && r.me.is_none_or(|m| self.world.actors[m.index()].enabled) {
                due.push((r.id, EventInstance::Resumes(r.id), r.cause));
            }
        }
        due.sort_by_key(|(order, _, _)| *order);
        self.queue.extend(due.into_iter().map(|(_, what, cause)| Queued { what, cause }));
    }

    /// Step 5: rounds, until one causes nothing.
    fn rounds(&mut self) {
        loop {
            self.notice();
            if self.queue.is_empty() {
                return;
            }
            self.round += 1;
            if self.round > MAX_ROUNDS {
                return self.too_many_rounds();
            }
            self.opened = false;
            while let Some(q) = self.queue.pop_front() {
                self.events += 1;
                if self.events > MAX_EVENTS {
                    let text = "more than 100,000 events in one tick";
                    let fault = Fault::new(FaultKind::Limit, text, Span::default());
                    self.fault(self.late_rule(), fault);
                    return self.drop_rest();
                }
                self.take_up(q);
                if let Some(fault) = self.overspent() {
                    self.fault(self.most_steps.1, fault);
                    return self.drop_rest();
                }
            }
            self.plan_all(true);
            self.queue.extend(std::mem::take(&mut self.next));
        }
    }

    /// Says what a tick has spent too much of, and what spent most of it.
    fn overspent(&self) -> Option<Fault> {
        let what = if self.steps_before.get() + self.steps.get() > MAX_TICK_STEPS {
            "4,000,000 steps"
        } else if self.records > MAX_RECORDS {
            "1,000,000 records"
        } else {
            return None;
        };
        let by = match self.most_steps {
            (steps, Some(rule)) => format!(": \"{}\" alone made {steps} of its steps", self.program.rule_name(rule)),
            (_, None) => String::new(),
        };
        Some(Fault::new(
            FaultKind::Limit,
            format!("more than {what} in one tick, of all rules together{by}"),
            Span::default(),
        ))
    }

    /// The rule that fired last.
    fn late_rule(&self) -> Option<RuleId> {
        self.late.first().copied().or(self.rule.get())
    }

    fn too_many_rounds(&mut self) {
        let names: Vec<String> = self.late.iter().map(|r| format!("\"{}\"", self.program.rule_name(*r))).collect();
        let who = match &names[..] {
            [] => "what happens keeps itself going".to_string(),
            [one] => format!("{one} keeps itself going"),
            [two @ .., last] => format!("{} and {last} keep each other going", two.join(", ")),
        };
        let text = format!("more than 100 rounds in one tick: {who}; a clause or a `wait` must end it");
        let rule = self.late.first().copied();
        self.fault(rule, Fault::new(FaultKind::Rounds, text, Span::default()));
        self.drop_rest();
    }

    /// The tick ends here: what has not come up is dropped. What `again later` keeps while a run waits stays.
    fn drop_rest(&mut self) {
        for dropped in self.queue.drain(..).chain(self.next.drain(..)) {
            if let EventInstance::Later(id) = dropped.what {
                self.world.later.retain(|l| l.id != id);
            }
        }
    }

    /// Prompts and boards whose time is over go; one whose test or text is faulty says so once.
    fn look_at_signs(&mut self) {
        if self.world.signs.is_empty() {
            return;
        }
        let tick = self.world.tick;
        self.world.signs.retain(|s| s.until.is_none_or(|t| t > tick));
        for i in 0..self.world.signs.len() {
            let sign = &self.world.signs[i];
            if self.program.sure_signs.contains(&sign.pc) {
                continue;
            }
            let (me, rule, was, pc) = (sign.me, sign.rule, sign.faulty, sign.pc as usize);
            let mut locals = sign.locals.clone();
            self.fresh_steps();
            let scope = Scope { may_draw: false, ..self.scope(me) };
            let fault = match &self.program.code[pc] {
                Op::Do(Action::Prompt { text, sustain, .. } | Action::Board { text, sustain }) => {
                    let stands = sustain.as_ref().map_or(Ok(true), |t| scope.flag(t, &mut locals));
                    stands.and_then(|s| if s { scope.eval(text, &mut locals).map(drop) } else { Ok(()) }).err()
                }
                _ => None,
            };
            self.world.signs[i].faulty = fault.is_some();
            if let Some(fault) = fault.filter(|_| !was) {
                self.fault(Some(rule), fault);
            }
        }
    }

    /// Step 6: what was removed is gone, signs are looked at, the record is closed.
    fn settle(&mut self, inputs: &[Input]) {
        match self.world.ending.take() {
            Some(Ending::Restart) => self.start_over(),
            Some(Ending::End(e)) => self.world.ended = Some(e),
            None => {}
        }
        if std::mem::take(&mut self.world.removed) {
            // What speaks of one that is gone has no value any more.
            for id in self.world.clear_removed(self.program) {
                let (kind, cause) = (self.world.actors[id.index()].kind, self.world.actors[id.index()].moved_by);
                for f in 0..self.program.kinds[kind.index()].fields.len() {
                    self.field_stale(id, FieldId::at(f), cause);
                }
            }
        }
        self.look_at_signs();
        for input in inputs {
            if let Input::Tap(a, i) = input {
                self.world.down.remove(&(*a, *i));
            }
        }
        self.note(|| TraceEvent::Closed);
        self.world.next = self.world.tick + 1;
    }
}
