//! Judging: which rules an event is for, with which names, and what becomes of each (language.md §3).
//!
//! Order of evaluation: asleep (off, or its `while` is false), spent (`once`, `at most`, `cooldown`,
//! `again`), held (a clause is false), fired.
//!
//! Invariant: a rule is evaluated once for one event and one `self`, by the first of its `when`s that
//! fits; only firing uses up a limiter, but for the cooldown that an `else` starts.

use crate::dispatch::{Await, Key};
use crate::fault::Fault;
use crate::program::Program;
use crate::record::*;
use crate::tick_context::{Queued, TickContext};
use crate::world::*;
use mayfly_base::code::*;
use mayfly_base::*;
use smallvec::{SmallVec, smallvec};
use std::borrow::Cow;

/// What an evaluation came to: an outcome, and where to go on if it runs.
struct Outcome {
    verdict: Verdict,
    pc: Option<u32>,
    /// Where a transition leads.
    goal: Option<StateId>,
}

impl<'p, R: Recorder> TickContext<'p, R> {
    /// The rules that await this, in their order.
    fn awaits(&self, what: &EventInstance) -> Cow<'p, [Await]> {
        let program: &'p Program = self.program;
        match (what, self.key_of(what)) {
            (EventInstance::Time, _) => self.due().into(),
            (_, Some(key)) => program.dispatch.list(key).into(),
            (_, None) => Cow::default(),
        }
    }

    /// The list of those that await it; none of an event that is not awaited in a list.
    fn key_of(&self, what: &EventInstance) -> Option<Key> {
        let kind = |a: &ActorId| self.world.actors[a.index()].kind;
        Some(match what {
            EventInstance::Start => Key::Start,
            EventInstance::Enters(_, z, _) => Key::Enters(*z),
            EventInstance::Leaves(_, z, _) => Key::Leaves(*z),
            EventInstance::In(_, z, _, _) => Key::In(*z),
            EventInstance::MovesIn(_, z, _) => Key::MovesIn(*z),
            EventInstance::Touches(a, _) => Key::Touches(kind(a)),
            EventInstance::Parts(a, _) => Key::Parts(kind(a)),
            EventInstance::Touching(a, _, _) => Key::Touching(kind(a)),
            EventInstance::Nears(r, _, _) => Key::Nears(RangeId(*r)),
            EventInstance::Strays(r, _, _) => Key::Strays(RangeId(*r)),
            EventInstance::Near(r, _, _, _) => Key::Near(RangeId(*r)),
            EventInstance::Press(_, i) => Key::Press(*i),
            EventInstance::Pressing(_, i, _) => Key::Pressing(*i),
            EventInstance::Watched { watch, .. } => Key::Watch(*watch),
            EventInstance::Message { message, .. } => Key::Hears(*message),
            EventInstance::TimerEnds(t) => Key::TimerEnds(*t),
            EventInstance::Sees(a, _) => Key::Sees(kind(a)),
            EventInstance::Loses(a, _) => Key::Loses(kind(a)),
            EventInstance::Seeing(a, _, _) => Key::Seeing(kind(a)),
            EventInstance::Treads(a, _) => Key::Treads(kind(a)),
            EventInstance::Arrives(a, ..) => Key::Arrives(kind(a)),
            EventInstance::Stuck(a) => Key::Stuck(kind(a)),
            EventInstance::Comes(a, _) => Key::Comes(kind(a)),
            EventInstance::Passes(c, u, _) => Key::Passes(*c, *u),
            EventInstance::MachineEnters(_, s) => Key::MachineEnters(*s),
            EventInstance::MachineLeaves(_, s) => Key::MachineLeaves(*s),
            EventInstance::Spawns(a) => Key::Spawns(kind(a)),
            EventInstance::Removed(a) => Key::Removed(kind(a)),
            EventInstance::BumpsActor(a, _) | EventInstance::BumpsTile(a, _) | EventInstance::BumpsEdge(a) => {
                Key::Bumps(kind(a))
            }
            EventInstance::Time
            | EventInstance::Resumes(_)
            | EventInstance::Later(_)
            | EventInstance::MachinesBegin(_)
            | EventInstance::Transits(..) => return None,
        })
    }

    /// The rules that time starts in this tick: of the level, and of kinds with an actor that is due.
    fn due(&self) -> Vec<Await> {
        let d = &self.program.dispatch;
        let tick = self.world.tick;
        let mut out: Vec<Await> = vec![];
        for t in d.level_times.iter().filter(|t| is_due(t.first, t.period, self.world.age())) {
            out.extend(&t.awaits);
        }
        for t in &d.kind_times {
            let any =
                self.world.ones().any(|(_, a)| a.enabled && is_due(t.first, t.period, tick - a.created.min(tick)));
            if any {
                out.extend(&t.awaits);
            }
        }
        for t in &d.state_times {
            out.extend(t.awaits.iter().filter(|w| self.any_stay_due(w.rule, t.first, t.period)));
        }
        out.sort_by_key(|a| (d.rank(a.rule), a.when));
        out
    }

    /// True where time starts any rule in this tick.
    pub fn anything_due(&self) -> bool {
        let d = &self.program.dispatch;
        let tick = self.world.tick;
        d.level_times.iter().any(|t| is_due(t.first, t.period, self.world.age()))
            || d.state_times.iter().any(|t| t.awaits.iter().any(|w| self.any_stay_due(w.rule, t.first, t.period)))
            || d.kind_times.iter().any(|t| {
                self.world.ones().any(|(_, a)| {
                    a.enabled && is_due(t.first, t.period, tick - a.created.min(tick)) && self.has_any(a, &t.awaits)
                })
            })
    }

    fn has_any(&self, a: &Actor, awaits: &[Await]) -> bool {
        awaits.iter().any(|w| self.program.rules[w.rule.index()].kinds.contains(&a.kind))
    }

    /// Takes one event up: every rule that awaits it is evaluated.
    pub fn take_up(&mut self, q: Queued) {
        if self.is_about_gone(&q.what) {
            // What lasts or is looked for only where somebody awaits it is not told of where nobody does.
            if self.key_of(&q.what).is_none_or(|key| self.program.dispatch.is_awaited(key)) {
                self.note_in_round(|| TraceEvent::Dropped { what: q.what, cause: q.cause });
            }
            return;
        }
        match q.what {
            EventInstance::Resumes(id) => return self.resume(id, q.cause),
            EventInstance::Later(id) => return self.judge_later(id),
            EventInstance::MachinesBegin(of) => return self.machines_begin(of, q.cause),
            EventInstance::Transits(rule, me) => {
                self.begin_event();
                return self.judge_transit(rule, me, q);
            }
            _ => {}
        }
        self.begin_event();
        let mut awaits = self.awaits(&q.what);
        // The event is recorded with its first evaluation; a message also where nobody awaits it.
        let mut event = None;
        let mut i = 0;
        while i < awaits.len() {
            let rule = awaits[i].rule;
            let mut j = i + 1;
            while j < awaits.len() && awaits[j].rule == rule {
                j += 1;
            }
            let awakened = self.awakened;
            self.judge_all(rule, &awaits[i..j], &q, &mut event);
            i = j;
            // A state that was entered meanwhile has rules that are due, and so has one that was enabled.
            if q.what == EventInstance::Time && self.awakened != awakened {
                awaits = self.due().into();
                let ranks = &self.program.dispatch;
                i = awaits.partition_point(|a| ranks.rank(a.rule) <= ranks.rank(rule));
            }
        }
        if event.is_none() && matches!(q.what, EventInstance::Message { .. }) {
            self.note_in_round(|| TraceEvent::Event { what: q.what, cause: q.cause });
        }
    }

    /// An event about an actor that is gone is dropped, but for those that say so.
    fn is_about_gone(&self, what: &EventInstance) -> bool {
        let gone = |a: &ActorId| self.world.actors[a.index()].gone;
        match what {
            EventInstance::Enters(a, _, o) | EventInstance::In(a, _, o, _) | EventInstance::MovesIn(a, _, o) => {
                gone(a) || o.as_ref().is_some_and(gone)
            }
            EventInstance::Touches(a, b) | EventInstance::Touching(a, b, _) | EventInstance::BumpsActor(a, b) => {
                gone(a) || gone(b)
            }
            EventInstance::Nears(_, a, b) | EventInstance::Near(_, a, b, _) => gone(a) || gone(b),
            EventInstance::Sees(a, b) | EventInstance::Seeing(a, b, _) => gone(a) || gone(b),
            EventInstance::Treads(a, _)
            | EventInstance::Arrives(a, ..)
            | EventInstance::Stuck(a)
            | EventInstance::Comes(a, _) => gone(a),
            EventInstance::Press(a, _)
            | EventInstance::Pressing(a, _, _)
            | EventInstance::Spawns(a)
            | EventInstance::BumpsTile(a, _)
            | EventInstance::BumpsEdge(a) => gone(a),
            EventInstance::Watched { actor: Some(a), .. }
            | EventInstance::MachinesBegin(Some(a))
            | EventInstance::MachineEnters(Some(a), _)
            | EventInstance::MachineLeaves(Some(a), _)
            | EventInstance::Transits(_, Some(a)) => gone(a),
            _ => false,
        }
    }

    /// One rule for one event: for a kind's, once for each of its actors that it fits.
    fn judge_all(&mut self, rule: RuleId, whens: &[Await], q: &Queued, event: &mut Option<Cause>) {
        let r = &self.program.rules[rule.index()];
        if r.part == Some(Part::Wait) {
            return self.judge_waits(rule, q, event);
        }
        if r.owner.is_none() {
            return self.judge_one(rule, whens, q, None, event);
        }
        let own = whens.iter().all(|w| is_about_self(&r.whens[w.when as usize]));
        let named = if own && !self.program.dispatch.asks_everyone() { self.named(&q.what) } else { None };
        let count = named.as_ref().map_or(self.actors_before, |n| n.len());
        for i in 0..count {
            let id = named.as_ref().map_or_else(|| self.world.actors.id(i), |n| n[i]);
            let a = &self.world.actors[id.index()];
            // One that is removed still hears of its own end.
            let ends = matches!(
                q.what,
                EventInstance::Leaves(..)
                    | EventInstance::Parts(..)
                    | EventInstance::Strays(..)
                    | EventInstance::Loses(..)
                    | EventInstance::Removed(_)
            ) && !a.is_tombstone;
            if a.enabled && (!a.gone || ends) && r.kinds.contains(&a.kind) {
                self.judge_one(rule, whens, q, Some(id), event);
            }
        }
    }

    /// The actors that an event names, in order of creation, each once; none where it names none.
    fn named(&self, what: &EventInstance) -> Option<SmallVec<[ActorId; 2]>> {
        use EventInstance as H;
        let mut named: SmallVec<[ActorId; 2]> = match what {
            H::Enters(a, z, of) | H::Leaves(a, z, of) | H::In(a, z, of, _) | H::MovesIn(a, z, of) => {
                let zone = of.or(self.program.zones[z.index()].stand_in);
                std::iter::once(*a).chain(zone).collect()
            }
            H::Touches(a, b) | H::Parts(a, b) | H::Touching(a, b, _) | H::BumpsActor(a, b) => smallvec![*a, *b],
            H::Nears(_, a, b) | H::Strays(_, a, b) | H::Near(_, a, b, _) => smallvec![*a, *b],
            H::Sees(a, b) | H::Loses(a, b) | H::Seeing(a, b, _) => smallvec![*a, *b],
            H::Treads(a, _) | H::Arrives(a, ..) | H::Stuck(a) | H::Comes(a, _) => smallvec![*a],
            H::BumpsTile(a, _) | H::BumpsEdge(a) | H::Spawns(a) | H::Removed(a) => smallvec![*a],
            H::Watched { actor: Some(a), .. } => smallvec![*a],
            H::MachineEnters(Some(a), _) | H::MachineLeaves(Some(a), _) => smallvec![*a],
            H::Message { to: Some(list), .. } => list.iter().copied().collect(),
            _ => return None,
        };
        named.sort_unstable();
        named.dedup();
        Some(named)
    }

    fn judge_one(&mut self, rule: RuleId, whens: &[Await], q: &Queued, me: Option<ActorId>, event: &mut Option<Cause>) {
        if !self.is_awake_part(rule, me) {
            return;
        }
        let r = &self.program.rules[rule.index()];
        for a in whens {
            let mut locals = vec![Value::None; r.slots];
            self.fresh_steps();
            let fits = self.fits(rule, &r.whens[a.when as usize], &q.what, me, &mut locals);
            self.note_met(rule);
            if fits {
                let at = match event {
                    Some(at) => *at,
                    None => {
                        *event.insert(self.note_in_round(|| TraceEvent::Event { what: q.what.clone(), cause: q.cause }))
                    }
                };
                return self.judge(rule, a.when, me, locals, at, false);
            }
        }
    }

    /// Judges an event that `again later` kept, from its clauses on; while another run waits it stays kept.
    fn judge_later(&mut self, id: u64) {
        let Some(i) = self.world.later.iter().position(|l| l.id == id) else { return };
        let l = &self.world.later[i];
        if l.me.is_some_and(|a| !self.world.actors[a.index()].enabled) {
            return;
        }
        if (0..self.world.runs.len()).any(|r| self.is_same_run(r, l.rule, l.me, &l.locals)) {
            return;
        }
        let l = self.world.later.remove(i);
        self.begin_event();
        self.judge(l.rule, l.when, l.me, l.locals, l.cause, true);
    }

    /// Judges a rule whose event fits, and carries out what follows.
    pub fn judge(
        &mut self,
        rule: RuleId,
        when: u16,
        me: Option<ActorId>,
        mut locals: Vec<Value>,
        event: Cause,
        kept: bool,
    ) {
        self.fresh_steps();
        self.rule.set(Some(rule));
        let group = self.program.rules[rule.index()].group.map(|g| (g, me));
        if group.is_some_and(|g| self.passed.contains(&g)) {
            self.note_in_round(|| TraceEvent::Evaluated { rule, when, me, locals, verdict: Verdict::PassedOver });
            return;
        }
        let outcome = self.outcome(rule, when, me, &mut locals, event, kept);
        let (outcome, fault) = match outcome {
            Ok(o) => (o, None),
            Err((verdict, f)) => (Outcome { verdict, pc: None, goal: None }, Some(f)),
        };
        self.note_drawn(true);
        let state = &mut self.world.rules[rule.index()];
        match outcome.verdict {
            Verdict::Fired => state.fired += 1,
            Verdict::Held { .. } => state.held += 1,
            Verdict::Spent(Spent::Kept) | Verdict::Asleep | Verdict::PassedOver => {}
            Verdict::Spent(_) => state.spent += 1,
        }
        if outcome.verdict == Verdict::Fired {
            self.passed.extend(group);
        }
        if self.round > crate::fault::MAX_ROUNDS - 8 && outcome.verdict == Verdict::Fired && !self.late.contains(&rule)
        {
            self.late.push(rule);
        }
        let seen = if R::KEEPS_LOCALS { locals.clone() } else { vec![] };
        let verdict = outcome.verdict.clone();
        let cause = self.note_in_round(|| TraceEvent::Evaluated { rule, when, me, locals: seen, verdict });
        if let Some(f) = fault {
            self.fault(Some(rule), f);
        }
        let Some(pc) = outcome.pc else { return };
        if let (Some(goal), Some(Part::Transition { machine, .. })) =
            (outcome.goal, &self.program.rules[rule.index()].part)
        {
            return self.take_transition(rule, (*machine, self.part_owner(*machine, me)), goal, locals, pc, cause);
        }
        self.use_limits(rule, me, &locals, outcome.verdict == Verdict::Fired);
        let r = &self.program.rules[rule.index()];
        // An `else` runs beside the earlier run: the clauses of the new one are not true.
        if r.limits.again == Again::Anew && outcome.verdict == Verdict::Fired {
            let same: Vec<usize> =
                (0..self.world.runs.len()).filter(|i| self.is_same_run(*i, rule, me, &locals)).collect();
            for i in same.into_iter().rev() {
                self.world.runs.remove(i);
            }
        }
        let home = self.home_of(rule, me);
        self.carry_out(Run::new(rule, me, locals, pc, home, cause));
    }

    /// Says what was faulty in what a rule awaits.
    fn note_met(&mut self, rule: RuleId) {
        for fault in std::mem::take(self.met.get_mut()) {
            if !std::mem::replace(&mut self.opened, true) {
                let round = self.round;
                self.note(|| TraceEvent::Round(round));
            }
            self.fault(Some(rule), fault);
        }
    }

    fn is_same_run(&self, i: usize, rule: RuleId, me: Option<ActorId>, locals: &[Value]) -> bool {
        let r = &self.world.runs[i];
        r.rule == rule && r.me == me && self.same_actors(rule, r.own(), locals)
    }

    fn outcome(
        &mut self,
        rule: RuleId,
        when: u16,
        me: Option<ActorId>,
        locals: &mut [Value],
        event: Cause,
        kept: bool,
    ) -> Result<Outcome, (Verdict, Fault)> {
        let program = self.program;
        let r = &program.rules[rule.index()];
        let no = |verdict| Ok(Outcome { verdict, pc: None, goal: None });
        if !self.world.rules[rule.index()].on {
            return no(Verdict::Asleep);
        }
        if let Some(test) = &r.limits.awake
            && !self.scope(me).flag_alone(test).map_err(|f| (Verdict::Asleep, f))?
        {
            return no(Verdict::Asleep);
        }
        let tick = self.world.tick;
        for (i, (most, per)) in r.limits.at_most.iter().enumerate() {
            let key = (rule, i as u8, me, whose(*per, locals));
            if self.world.uses.get(&key).copied().unwrap_or(0) >= *most {
                return no(Verdict::Spent(Spent::UsedUp(*most)));
            }
        }
        for (i, (_, per)) in r.limits.cooldown.iter().enumerate() {
            let key = (rule, i as u8, me, whose(*per, locals));
            if let Some(until) = self.world.rests.get(&key).copied().filter(|u| *u > tick) {
                return no(Verdict::Spent(Spent::Resting(until)));
            }
        }
        if !kept {
            let waiting = (0..self.world.runs.len()).any(|i| self.is_same_run(i, rule, me, locals));
            match r.limits.again {
                Again::Skip if waiting => return no(Verdict::Spent(Spent::Waiting)),
                Again::Later if waiting => {
                    let id = self.order();
                    self.world.later.push(Later { id, rule, when, me, locals: locals.to_vec(), cause: event });
                    return no(Verdict::Spent(Spent::Kept));
                }
                _ => {}
            }
        }
        for (i, c) in r.clauses.iter().enumerate() {
            let held = |f| (Verdict::Held { clause: i as u16, otherwise: false }, f);
            let yes = self.scope(me).flag(&c.test, locals).map_err(held)?;
            if !yes {
                let pc = c.otherwise.or(r.otherwise);
                return Ok(Outcome {
                    verdict: Verdict::Held { clause: i as u16, otherwise: pc.is_some() },
                    pc,
                    goal: None,
                });
            }
        }
        if let Some(Part::Transition { machine, from, to }) = &r.part {
            let key = (*machine, self.part_owner(*machine, me));
            let last = r.clauses.len() as u16;
            let held = |f| (Verdict::Held { clause: last, otherwise: false }, f);
            return Ok(match self.resolve((*from, to), key, me, locals).map_err(held)? {
                Some(goal) => Outcome { verdict: Verdict::Fired, pc: Some(r.then), goal: Some(goal) },
                None => Outcome { verdict: Verdict::Held { clause: last, otherwise: false }, pc: None, goal: None },
            });
        }
        Ok(Outcome { verdict: Verdict::Fired, pc: Some(r.then), goal: None })
    }

    /// Firing uses up every limiter; an `else` starts the cooldown alone.
    fn use_limits(&mut self, rule: RuleId, me: Option<ActorId>, locals: &[Value], fired: bool) {
        let limits = &self.program.rules[rule.index()].limits;
        let tick = self.world.tick;
        if fired {
            for (i, (_, per)) in limits.at_most.iter().enumerate() {
                *self.world.uses.entry((rule, i as u8, me, whose(*per, locals))).or_insert(0) += 1;
            }
        }
        for (i, (period, per)) in limits.cooldown.iter().enumerate() {
            self.world.rests.insert((rule, i as u8, me, whose(*per, locals)), tick.saturating_add(period.ticks));
        }
    }

    /// A run goes on where it waited.
    fn resume(&mut self, id: u64, _: Cause) {
        let Some(i) = self.world.runs.iter().position(|r| r.id == id) else { return };
        let run = &self.world.runs[i];
        if run.me.is_some_and(|a| !self.world.actors[a.index()].enabled) {
            // It goes on once the actor is enabled.
            return;
        }
        if !self.still_true(i) {
            return;
        }
        let run = self.world.runs.remove(i);
        self.go_on(run, false);
    }

    /// Runs that wait for an event: each for which it fits goes on, but none that began to wait because of it.
    fn judge_waits(&mut self, rule: RuleId, q: &Queued, event: &mut Option<Cause>) {
        let before = self.begun_before;
        let waits = |r: &Run| r.id <= before && matches!(r.wait, Wait::Event(e, _) if e == rule);
        let ids: Vec<u64> = self.world.runs.iter().filter(|r| waits(r)).map(|r| r.id).collect();
        for id in ids {
            let Some(i) = self.world.runs.iter().position(|r| r.id == id && waits(r)) else { continue };
            let me = self.world.runs[i].me;
            if me.is_some_and(|m| !self.world.actors[m.index()].enabled) {
                continue;
            }
            let mut locals = self.world.runs[i].locals.clone();
            self.fresh_steps();
            let when = &self.program.rules[rule.index()].whens[0];
            let fits = self.fits(rule, when, &q.what, me, &mut locals);
            let of = self.world.runs[i].rule;
            self.note_met(of);
            if fits {
                if event.is_none() {
                    *event = Some(self.note_in_round(|| TraceEvent::Event { what: q.what.clone(), cause: q.cause }));
                }
                let mut run = self.world.runs.remove(i);
                run.locals = locals;
                self.go_on(run, true);
            }
        }
    }

    fn go_on(&mut self, run: Run, by_event: bool) {
        let (rule, me, pc, cause) = (run.rule, run.me, run.pc, run.cause);
        self.note_in_round(|| TraceEvent::GoesOn { rule, me, pc, cause, by_event });
        self.fresh_steps();
        self.carry_out(run);
    }
}

impl<R: Recorder> TickContext<'_, R> {
    /// A `wait until` is tested again when its turn comes; one whose time is over goes on all the same.
    fn still_true(&mut self, i: usize) -> bool {
        let run = &self.world.runs[i];
        let crate::program::Op::WaitUntil { test, .. } = &self.program.code[run.pc as usize - 1] else { return true };
        if matches!(run.wait, Wait::Test(Some(due)) if due <= self.world.tick) {
            return true;
        }
        let (me, mut locals) = (run.me, run.locals.clone());
        self.fresh_steps();
        let test = self.scope(me).flag(test, &mut locals);
        self.note_draws();
        match test {
            Ok(yes) => yes,
            Err(fault) => {
                self.wait_is_faulty(i, fault);
                false
            }
        }
    }

    /// The walk or ramp that a run waits for is over: it goes on in this tick's step 4, or as soon as its actor is enabled.
    pub fn wait_is_over(&mut self, i: usize) {
        self.world.runs[i].wait = Wait::Until(self.world.counts_from(self.world.runs[i].me));
    }

    /// What runs wait for ended in the midst of a round: they go on in the next, or where that does not come, in the next tick.
    pub fn go_on_after(&mut self, wait: Wait) {
        for i in 0..self.world.runs.len() {
            if self.world.runs[i].wait == wait {
                let (id, cause) = (self.world.runs[i].id, self.world.runs[i].cause);
                self.wait_is_over(i);
                self.cause(EventInstance::Resumes(id), cause);
            }
        }
    }

    /// A wait whose test is faulty ends its run.
    pub fn wait_is_faulty(&mut self, i: usize, fault: Fault) {
        let run = self.world.runs.remove(i);
        self.fault(Some(run.rule), fault);
        self.run_ended(&run);
        self.begin_loop(&run);
    }
}

/// True at the first tick and at each period after it; a period of 0 means once.
pub fn is_due(first: u64, period: u64, age: u64) -> bool {
    if period == 0 { age == first } else { age >= first && (age - first).is_multiple_of(period) }
}

/// True of an event that only the actor can await which it names: one of its parts is `self`.
fn is_about_self(event: &Event) -> bool {
    let me = |w: &Who| w.set == WhoSet::Myself;
    match event {
        Event::Zone { who, zone, .. } => {
            me(who) || matches!(zone, ZoneWhich::Myself) || matches!(zone, ZoneWhich::Of(_, w) if me(w))
        }
        Event::Pair { a, b, .. } => me(a) || me(b),
        Event::Watched { bind, .. } => bind.is_none(),
        Event::Machine { who: Some(w), .. } | Event::Spawns(w) | Event::Removed(w) | Event::Stuck(w) => me(w),
        Event::Bumps { who, into } => me(who) || matches!(into, BumpWhat::Actor(w) if me(w)),
        Event::Treads { who, .. } | Event::Arrives { who, .. } | Event::Comes { who, .. } => me(who),
        Event::Hears { .. } => true,
        _ => false,
    }
}

fn whose(per: Per, locals: &[Value]) -> Option<ActorId> {
    match per {
        Per::Rule => None,
        Per::Slot(s) => match locals.get(s as usize) {
            Some(Value::Actor(a)) => Some(*a),
            _ => None,
        },
    }
}
