//! State machines: which parts are awake, transitions, and the runs that a state holds (language.md §7).
//!
//! A transition leaves (innermost first), runs its `then`, sets the state, and enters (outermost
//! first), unbroken. What a state began ends with its stay.
//!
//! Invariant: for one event a machine takes at most one transition, out of the state in which it was
//! when the event was taken up.

use crate::eval::Scope;
use crate::fault::{Fault, FaultKind};
use crate::record::*;
use crate::tables::DeclaredAt;
use crate::tick_context::{MachineMoved, Queued, TickContext};
use crate::world::*;
use mayfly_base::code::*;
use mayfly_base::*;
use smallvec::SmallVec;

/// Transitions inside transitions at most: an `enter` that goes on at once, and so on.
const MAX_NESTED: u32 = 64;

impl<R: Recorder> TickContext<'_, R> {
    /// An event is taken up: no machine has moved for it yet.
    pub fn begin_event(&mut self) {
        self.moved.clear();
        self.passed.clear();
        self.begun_before = self.world.begun;
        self.actors_before = self.world.actors.len();
    }

    /// Whose machine a part's is.
    pub fn part_owner(&self, machine: MachineId, me: Option<ActorId>) -> Option<ActorId> {
        self.program.machines[machine.index()].of.and(me)
    }

    /// The state whose stay a part belongs to.
    fn part_state(&self, rule: RuleId) -> Option<(MachineId, StateId)> {
        match self.program.rules[rule.index()].part.as_ref()? {
            Part::Transition { machine, from, .. } => from.map(|s| (*machine, s)),
            Part::Enter(s) | Part::Leave(s) | Part::Loop(s) | Part::In(s) => {
                Some((self.program.states[s.index()].machine, *s))
            }
            Part::Wait => None,
        }
    }

    /// The machine from whose stay in a state a part's times count; none of a state where it is the innermost one.
    fn stay_counted(&self, rule: RuleId) -> Option<(MachineId, Option<StateId>)> {
        match self.program.rules[rule.index()].part.as_ref()? {
            Part::Transition { machine, from, .. } => Some((*machine, *from)),
            _ => self.part_state(rule).map(|(machine, state)| (machine, Some(state))),
        }
    }

    /// Since when that stay lasts of a machine which stands as it does now. Transitions are those of the stay that the event
    /// found when it was taken up.
    fn since(&self, rule: RuleId, key: MachineKey, state: Option<StateId>, now: Option<&MachineState>) -> Option<u64> {
        let is_transition = || matches!(self.program.rules[rule.index()].part, Some(Part::Transition { .. }));
        let moved = self.moved.iter().find(|m| m.key == key && is_transition());
        let found = moved.map(|m| &m.was).or(now)?;
        match state {
            Some(state) => found.since(state),
            None => found.stays.last().map(|(_, t, _)| *t),
        }
    }

    /// Since when the stay lasts from which a part's times count; none for rules of their own.
    pub fn stay_since(&self, rule: RuleId, me: Option<ActorId>) -> Option<u64> {
        let (machine, state) = self.stay_counted(rule)?;
        let key = (machine, self.part_owner(machine, me));
        self.since(rule, key, state, self.world.machines.get(&key))
    }

    /// True where time starts a part of any machine in this tick.
    pub fn any_stay_due(&self, rule: RuleId, first: u64, period: u64) -> bool {
        let Some((machine, state)) = self.stay_counted(rule) else { return false };
        let is_due = |t: u64| crate::judge::is_due(first, period, self.world.tick - t);
        let all = self.world.machines_of(machine);
        all.filter(|(key, now)| self.since(rule, **key, state, Some(now)).is_some_and(is_due))
            .any(|((_, me), _)| me.is_none_or(|a| self.world.actors[a.index()].enabled) && !self.is_gone(*me))
    }

    /// True where a rule is no part of a machine, or one that is awake.
    pub fn is_awake_part(&self, rule: RuleId, me: Option<ActorId>) -> bool {
        let (machine, state, goal) = match &self.program.rules[rule.index()].part {
            None => return true,
            Some(Part::Transition { machine, from, to }) => (*machine, *from, Some(to)),
            Some(Part::In(s)) => (self.program.states[s.index()].machine, Some(*s), None),
            Some(_) => return false,
        };
        let key = (machine, self.part_owner(machine, me));
        let Some(now) = self.world.machines.get(&key) else { return false };
        let Some(goal) = goal else { return state.is_some_and(|s| now.since(s).is_some()) };
        if self.is_gone(key.1) {
            return false;
        }
        let moved = self.moved.iter().find(|m| m.key == key);
        if moved.is_some_and(|m| m.by_transition) {
            return false;
        }
        let was = moved.map_or(now, |m| &m.was).state;
        let path = &self.program.states[was.index()].path;
        match (state, goal) {
            (Some(s), _) => path.contains(&s),
            // From wherever, but never to where it is.
            (None, Goal::State(g)) => !path.contains(g),
            _ => true,
        }
    }

    /// The stay with which a part's runs end.
    pub fn home_of(&self, rule: RuleId, me: Option<ActorId>) -> Option<Home> {
        let (machine, state) = self.part_state(rule)?;
        let key = (machine, self.part_owner(machine, me));
        let stay = self.world.machines.get(&key)?.stays.iter().find(|(s, _, _)| *s == state)?.2;
        Some(Home { machine: key, state, stay })
    }

    /// Where a transition may lead now, each goal with its weight: from wherever never to where the machine is.
    fn goals(
        scope: &Scope,
        (from, goal): (Option<StateId>, &Goal),
        key: MachineKey,
        locals: &mut [Value],
    ) -> Result<SmallVec<[(StateId, f64); 4]>, Fault> {
        let now = scope.world.machines.get(&key);
        let path = now.map(|m| &scope.program.states[m.state.index()].path[..]);
        let may_lead_to = |s: &StateId| from.is_some() || path.is_none_or(|p| !p.contains(s));
        let mut open = SmallVec::new();
        match goal {
            Goal::State(s) => open.push((*s, 1.0)),
            Goal::Previous => {
                open.extend(now.and_then(|m| m.previous).filter(may_lead_to).map(|s| (s, 1.0)));
            }
            Goal::OneOf(_, rows) => {
                for (state, weight, test) in rows.iter().filter(|(s, _, _)| may_lead_to(s)) {
                    let is_open = match test {
                        Some(t) => scope.flag(t, locals)?,
                        None => true,
                    };
                    if is_open {
                        open.push((*state, scope.number(weight, locals)?.max(0.0)));
                    }
                }
            }
        }
        Ok(open)
    }

    /// Where a transition leads now; none where it leads nowhere.
    pub fn resolve(
        &self,
        (from, goal): (Option<StateId>, &Goal),
        key: MachineKey,
        me: Option<ActorId>,
        locals: &mut [Value],
    ) -> Result<Option<StateId>, Fault> {
        let scope = self.scope(me);
        let open = Self::goals(&scope, (from, goal), key, locals)?;
        let Goal::OneOf(draw, rows) = goal else { return Ok(open.first().map(|(s, _)| *s)) };
        let span = rows.first().map_or(Span::default(), |r| r.1.span);
        let weights: Vec<f64> = open.iter().map(|(_, w)| *w).collect();
        let name = |i: usize| Value::State(open[i].0);
        Ok(scope.weighted(*draw, &weights, name, span)?.map(|i| open[i].0))
    }

    /// Takes a transition whose clauses are true.
    pub fn take_transition(
        &mut self,
        rule: RuleId,
        key: MachineKey,
        goal: StateId,
        locals: Vec<Value>,
        pc: u32,
        cause: Cause,
    ) {
        let me = key.1;
        let from = match &self.program.rules[rule.index()].part {
            Some(Part::Transition { from, .. }) => *from,
            _ => None,
        };
        let then = Run::new(rule, me, locals, pc, None, cause);
        self.mark_moved(key, true);
        let span = self.program.rules[rule.index()].span;
        if let Err(f) = self.transit(key, from, goal, Some(then), span) {
            self.fault(Some(rule), f);
        }
    }

    pub fn mark_moved(&mut self, key: MachineKey, by_transition: bool) {
        match self.moved.iter_mut().find(|m| m.key == key) {
            Some(m) => m.by_transition |= by_transition,
            None => {
                if let Some(m) = self.world.machines.get(&key) {
                    self.moved.push(MachineMoved { key, was: m.clone(), by_transition });
                }
            }
        }
    }

    /// Goes to a state: out of `from` (the present one where none is named), by `then`, and in.
    ///
    /// # Errors
    /// Too many transitions inside each other.
    pub fn transit(
        &mut self,
        key: MachineKey,
        from: Option<StateId>,
        goal: StateId,
        then: Option<Run>,
        span: Span,
    ) -> Result<(), Fault> {
        if !self.world.machines.contains_key(&key) || self.is_gone(key.1) {
            return Ok(());
        }
        if self.nested >= MAX_NESTED {
            return Err(Fault::new(FaultKind::Recursion, "more than 64 transitions inside each other", span));
        }
        self.nested += 1;
        self.awakened += 1;
        self.mark_moved(key, false);
        self.begin_machine(key, self.last_cause);
        self.leave_and_enter(key, from, goal, then);
        self.nested -= 1;
        Ok(())
    }

    fn leave_and_enter(&mut self, key: MachineKey, from: Option<StateId>, goal: StateId, then: Option<Run>) {
        let Some(now) = self.world.machines.get(&key).cloned() else { return };
        let leaf = self.program.states[goal.index()].start;
        let path = self.program.states[leaf.index()].path.clone();
        // What holds both the state that is left and the goal stays as it is.
        let source = from.filter(|s| now.since(*s).is_some()).unwrap_or(now.state);
        let outer_of = |s: StateId| {
            let p = &self.program.states[s.index()].path;
            p[..p.len() - 1].to_vec()
        };
        let (a, b) = (outer_of(source), outer_of(goal));
        let kept = a.iter().zip(&b).take_while(|(x, y)| x == y).count();
        let parts = self.parts_run;
        for (state, _, _) in now.stays[kept..].iter().rev() {
            self.leave(key, *state);
        }
        if let Some(run) = then.filter(|_| !self.is_gone(key.1)) {
            self.note_going_on(&run, parts);
            self.carry_out(run);
        }
        if self.is_gone(key.1) {
            return;
        }
        self.end_stays(key, &now.stays, kept);
        let since = self.world.counts_from(key.1);
        let mut entered = vec![];
        let Some(m) = self.world.machines.get_mut(&key) else { return };
        let left = now.stays[kept..].iter().rev().map(|(s, _, _)| *s);
        let kept = m.stays.len();
        m.previous = Some(now.state);
        m.state = leaf;
        for s in &path[kept.min(path.len())..] {
            m.count += 1;
            m.stays.push((*s, since, m.count));
            entered.push((*s, m.count));
        }
        let cause = self.note(|| TraceEvent::WentTo { machine: key.0, of: key.1, from: now.state, to: leaf });
        self.went_by.push((key, cause));
        for state in left {
            self.cause(EventInstance::MachineLeaves(key.1, state), cause);
        }
        for (s, _) in &entered {
            self.cause(EventInstance::MachineEnters(key.1, *s), cause);
        }
        self.enter_all(key, entered);
    }

    /// Enters states, outermost first, as long as their stays last: an `enter` may have gone on already.
    fn enter_all(&mut self, key: MachineKey, states: Vec<(StateId, u64)>) {
        for (state, stay) in states {
            if self.world.stays(&Home { machine: key, state, stay }) {
                self.enter(key, state);
            }
        }
    }

    /// Takes away all stays but the first `kept` of those that `was`. Where a `leave` or `then` sent the machine elsewhere, that
    /// is left as well; where it reset the actor, nothing was entered that could be left.
    fn end_stays(&mut self, key: MachineKey, was: &[(StateId, u64, u64)], kept: usize) {
        let was_reset = self.unbegun.remove(&key);
        let Some(m) = self.world.machines.get(&key) else { return };
        let id = |s: &(StateId, u64, u64)| (s.0, s.2);
        let same = m.stays.iter().zip(&was[..kept]).take_while(|(a, b)| id(a) == id(b)).count();
        let others = m.stays[same..].iter().filter(|s| !was_reset && !was.iter().any(|w| id(w) == id(s)));
        let others: Vec<StateId> = others.map(|s| s.0).collect();
        for state in others.into_iter().rev() {
            self.leave(key, state);
        }
        if let Some(m) = self.world.machines.get_mut(&key) {
            m.stays.truncate(same);
        }
    }

    /// Ends what a state began, and runs its `leave`.
    fn leave(&mut self, key: MachineKey, state: StateId) {
        let of_state = |h: &Option<Home>| h.is_some_and(|h| h.machine == key && h.state == state);
        self.world.runs.retain(|r| !of_state(&r.home));
        self.world.signs.retain(|s| !of_state(&s.home));
        self.end_ramps(EndWhy::Left, |r| of_state(&r.home));
        let rules = &self.program.rules;
        let of_rule =
            |l: &Later| l.me == key.1 && matches!(rules[l.rule.index()].part, Some(Part::In(s)) if s == state);
        self.world.later.retain(|l| !of_rule(l));
        self.end_orders(EndWhy::Left, &of_state);
        if let Some(rule) = self.program.states[state.index()].leave {
            self.run_part(rule, key.1, None);
        }
    }

    /// Ends the ramps and orders that the states of an actor's machines gave: they are left by its reset or removal.
    pub fn end_what_states_began(&mut self, id: ActorId, why: EndWhy) {
        if self.program.kinds[self.world.actors[id.index()].kind.index()].machines.is_empty() {
            return;
        }
        let is_its = |h: &Option<Home>| h.is_some_and(|h| h.machine.1 == Some(id));
        self.end_ramps(why, |r| is_its(&r.home));
        self.end_orders(why, &is_its);
    }

    fn end_orders(&mut self, why: EndWhy, meant: &impl Fn(&Option<Home>) -> bool) {
        for i in 0..self.world.actors.len() {
            if self.world.actors.nth(i).walk.as_ref().is_some_and(|w| meant(&w.home)) {
                self.end_order(self.world.actors.id(i), why);
            }
        }
    }

    fn enter(&mut self, key: MachineKey, state: StateId) {
        match self.program.states[state.index()].enter {
            Some(rule) => self.run_part(rule, key.1, self.home_of(rule, key.1)),
            None => self.start_loop(key, state),
        }
    }

    /// Runs an `enter`, `leave` or `loop`, as a rung of its own.
    fn run_part(&mut self, rule: RuleId, me: Option<ActorId>, home: Option<Home>) {
        if self.is_gone(me) {
            return;
        }
        self.parts_run += 1;
        let r = &self.program.rules[rule.index()];
        let (pc, locals) = (r.then, vec![Value::None; r.slots]);
        let seen = locals.clone();
        let cause =
            self.note_in_round(|| TraceEvent::Evaluated { rule, when: 0, me, locals: seen, verdict: Verdict::Fired });
        self.carry_out(Run::new(rule, me, locals, pc, home, cause));
    }

    /// After an `enter` has ended, its state's loop begins; what ran beside it begins none.
    pub fn begin_loop(&mut self, run: &Run) {
        if run.floor > 0 {
            return;
        }
        if let (Some(Part::Enter(state)), Some(home)) = (&self.program.rules[run.rule.index()].part, run.home)
            && self.world.stays(&home)
        {
            self.start_loop(home.machine, *state);
        }
    }

    fn start_loop(&mut self, key: MachineKey, state: StateId) {
        if let Some(rule) = self.program.states[state.index()].looped {
            let home = self.home_of(rule, key.1);
            self.run_part(rule, key.1, home);
        }
    }

    /// The first states are entered: of all machines, or of a spawned actor's.
    pub fn machines_begin(&mut self, of: Option<ActorId>, cause: Cause) {
        let is_meant = |key: &&MachineKey| of.is_none_or(|of| key.1 == Some(of)) && !self.is_gone(key.1);
        let mut keys: Vec<MachineKey> = self.unbegun.iter().filter(is_meant).copied().collect();
        keys.sort_unstable();
        let mut told: Option<Cause> = None;
        for key in keys {
            let says = |(s, _): &(StateId, u64)| {
                let state = &self.program.states[s.index()];
                state.enter.is_some() || state.looped.is_some() || self.is_entering_awaited(*s)
            };
            if told.is_none() && self.first_states(key).iter().any(says) {
                let what = EventInstance::MachinesBegin(of);
                told = Some(self.note_in_round(|| TraceEvent::Event { what, cause }));
            }
            self.fresh_steps();
            self.begin_machine(key, told.unwrap_or_default());
        }
    }

    /// The first states that a machine has still to enter, outermost first, each with its stay.
    fn first_states(&self, key: MachineKey) -> Vec<(StateId, u64)> {
        let now = self.world.machines.get(&key).filter(|_| self.unbegun.contains(&key));
        now.into_iter().flat_map(|m| &m.stays).map(|(s, _, n)| (*s, *n)).collect()
    }

    fn is_entering_awaited(&self, state: StateId) -> bool {
        self.program.dispatch.list(crate::dispatch::Key::MachineEnters(state)).iter().any(|a| {
            let when = &self.program.rules[a.rule.index()].whens[a.when as usize];
            matches!(when, Event::Machine { state: s, enters: true, .. } if *s == state)
        })
    }

    /// Enters those first states that it has still to enter, as any others.
    fn begin_machine(&mut self, key: MachineKey, cause: Cause) {
        let states = self.first_states(key);
        self.unbegun.remove(&key);
        for (state, _) in &states {
            if self.is_entering_awaited(*state) {
                self.cause(EventInstance::MachineEnters(key.1, *state), cause);
            }
        }
        self.enter_all(key, states);
    }

    /// Transitions without an event whose clauses are true: at most one for each machine.
    pub fn eventless(&mut self, out: &mut Vec<(DeclaredAt, Queued)>) {
        self.begin_event();
        let mut found: Vec<MachineKey> = vec![];
        for rule in &self.program.eventless {
            let Some(Part::Transition { machine, .. }) = &self.program.rules[rule.index()].part else { continue };
            let keys: Vec<MachineKey> = self.world.keys_of(*machine).copied().collect();
            for key in keys {
                let there =
                    key.1.is_none_or(|a| self.world.actors[a.index()].enabled && !self.world.actors[a.index()].gone);
                if !there || found.contains(&key) || !self.is_awake_part(*rule, key.1) || !self.holds(*rule, key) {
                    continue;
                }
                found.push(key);
                let what = EventInstance::Transits(*rule, key.1);
                if !self.queue.iter().any(|q| q.what == what) {
                    let span = self.program.rules[rule.index()].span;
                    out.push((self.program.declared_at(span), Queued { what, cause: Cause::NONE }));
                }
            }
        }
    }

    /// True where its clauses are true and it leads somewhere. A fault is told once.
    fn holds(&mut self, rule: RuleId, key: MachineKey) -> bool {
        self.fresh_steps();
        let holds = self.is_open(rule, key);
        match holds {
            Ok(_) => drop(self.world.faulty.remove(&(rule, key.1))),
            Err(ref fault) => {
                if self.world.faulty.insert((rule, key.1)) {
                    self.fault(Some(rule), fault.clone());
                }
            }
        }
        holds.unwrap_or(false)
    }

    fn is_open(&self, rule: RuleId, key: MachineKey) -> Result<bool, Fault> {
        let r = &self.program.rules[rule.index()];
        let Some(Part::Transition { from, to, .. }) = &r.part else { return Ok(false) };
        let scope = Scope { may_draw: false, ..self.scope(key.1) };
        let mut locals = vec![Value::None; r.slots];
        for c in &r.clauses {
            if !scope.flag(&c.test, &mut locals)? {
                return Ok(false);
            }
        }
        let goals = match Self::goals(&scope, (*from, to), key, &mut locals) {
            // A goal that draws is known at its turn alone.
            Err(fault) if fault.kind == FaultKind::Drawn => return Ok(true),
            goals => goals?,
        };
        let weights: f64 = goals.iter().map(|(_, w)| w).sum();
        if weights.is_finite() { Ok(weights > 0.0) } else { Err(Fault::of(ArithError::NotANumber, r.span)) }
    }

    /// A transition without an event, at its turn.
    pub fn judge_transit(&mut self, rule: RuleId, me: Option<ActorId>, q: Queued) {
        let stands_still = me.is_some_and(|a| !self.world.actors[a.index()].enabled);
        if stands_still || !self.is_awake_part(rule, me) {
            return;
        }
        let event = self.note_in_round(|| TraceEvent::Event { what: q.what, cause: q.cause });
        let locals = vec![Value::None; self.program.rules[rule.index()].slots];
        self.judge(rule, 0, me, locals, event, false);
    }
}
