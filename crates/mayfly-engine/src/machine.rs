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
use crate::tick_context::{MachineMoved, Queued, TickContext};
use crate::world::*;
use mayfly_base::code::*;
use mayfly_base::*;

/// Transitions inside transitions at most: an `enter` that goes on at once, and so on.
const MAX_NESTED: u32 = 64;

impl<R: Recorder> TickContext<'_, R> {
    /// An event is taken up: no machine has moved for it yet.
    pub fn begin_event(&mut self) {
        self.moved.clear();
        self.passed.clear();
        self.begun_before = self.world.begun;
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

    /// Since when the stay lasts from which a part's times count; none for rules of their own. Transitions are those of the
    /// stay that the event found when it was taken up.
    pub fn stay_since(&self, rule: RuleId, me: Option<ActorId>) -> Option<u64> {
        if let Part::Transition { machine, from, .. } = self.program.rules[rule.index()].part.as_ref()? {
            let key = (*machine, self.part_owner(*machine, me));
            let moved = self.moved.iter().find(|m| m.key == key).map(|m| &m.was);
            let found = moved.or_else(|| self.world.machines.get(&key))?;
            return match from {
                Some(state) => found.since(*state),
                None => found.stays.last().map(|(_, t, _)| *t),
            };
        }
        let (machine, state) = self.part_state(rule)?;
        self.world.machines.get(&(machine, self.part_owner(machine, me)))?.since(state)
    }

    /// True where time starts a part of any machine in this tick.
    pub fn any_stay_due(&self, rule: RuleId, first: u64, period: u64) -> bool {
        let machine = match &self.program.rules[rule.index()].part {
            Some(Part::Transition { machine, .. }) => *machine,
            Some(Part::Enter(s) | Part::Leave(s) | Part::Loop(s) | Part::In(s)) => {
                self.program.states[s.index()].machine
            }
            Some(Part::Wait) | None => return false,
        };
        self.world.machines.keys().filter(|(m, _)| *m == machine).any(|(_, me)| {
            let there = me.is_none_or(|a| self.world.actors[a.index()].enabled);
            there
                && self.stay_since(rule, *me).is_some_and(|t| crate::judge::is_due(first, period, self.world.tick - t))
        })
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

    /// Where a transition leads now; none where it leads nowhere.
    pub fn resolve(
        &self,
        goal: &Goal,
        key: MachineKey,
        me: Option<ActorId>,
        locals: &mut [Value],
    ) -> Result<Option<StateId>, Fault> {
        match goal {
            Goal::State(s) => Ok(Some(*s)),
            Goal::Previous => Ok(self.world.machines.get(&key).and_then(|m| m.previous)),
            Goal::OneOf(draw, rows) => {
                let scope = self.scope(me);
                let mut open = vec![];
                for (state, weight, test) in rows {
                    let is = match test {
                        Some(t) => scope.flag(t, locals)?,
                        None => true,
                    };
                    if is {
                        open.push((*state, scope.number(weight, locals)?.max(0.0)));
                    }
                }
                let span = rows.first().map_or(Span::default(), |r| r.1.span);
                let weights: Vec<f64> = open.iter().map(|(_, w)| *w).collect();
                let name = |i: usize| Value::State(open[i].0);
                Ok(scope.weighted(*draw, &weights, name, span)?.map(|i| open[i].0))
            }
        }
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

    fn mark_moved(&mut self, key: MachineKey, by_transition: bool) {
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
        let Some(now) = self.world.machines.get(&key).cloned() else { return Ok(()) };
        if self.nested >= MAX_NESTED {
            return Err(Fault::new(FaultKind::Recursion, "more than 64 transitions inside each other", span));
        }
        self.nested += 1;
        self.mark_moved(key, false);
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
        for (state, _, _) in now.stays[kept..].iter().rev() {
            self.leave(key, *state);
        }
        if let Some(run) = then {
            self.carry_out(run);
        }
        let since = self.world.counts_from(key.1);
        let entered = path[kept.min(path.len())..].to_vec();
        let Some(m) = self.world.machines.get_mut(&key) else {
            self.nested -= 1;
            return Ok(());
        };
        m.previous = Some(now.state);
        m.state = leaf;
        m.stays.truncate(kept);
        for s in &entered {
            m.count += 1;
            let stay = m.count;
            m.stays.push((*s, since, stay));
        }
        let cause = self.note(|| TraceEvent::WentTo { machine: key.0, of: key.1, from: now.state, to: leaf });
        self.went_by.push((key, cause));
        for (state, _, _) in now.stays[kept..].iter().rev() {
            self.cause(EventInstance::MachineLeaves(key.1, *state), cause);
        }
        for s in &entered {
            self.cause(EventInstance::MachineEnters(key.1, *s), cause);
        }
        for s in entered {
            // An `enter` may have gone on already.
            if self.world.machines.get(&key).is_some_and(|m| m.since(s).is_some()) {
                self.enter(key, s);
            }
        }
        self.nested -= 1;
        Ok(())
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
        for i in 0..self.world.actors.len() {
            if self.world.actors.nth(i).walk.as_ref().is_some_and(|w| of_state(&w.home)) {
                self.end_order(self.world.actors.id(i), EndWhy::Left);
            }
        }
        if let Some(rule) = self.program.states[state.index()].leave {
            self.run_part(rule, key.1, None);
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
    pub fn machines_begin(&mut self, of: Option<ActorId>) {
        let keys: Vec<MachineKey> =
            self.world.machines.keys().filter(|(_, a)| of.is_none() || *a == of).copied().collect();
        let mut told: Option<Cause> = None;
        for key in keys {
            let stays = self.world.machines[&key].stays.clone();
            let busy = stays.iter().any(|(s, _, _)| {
                let s = &self.program.states[s.index()];
                s.enter.is_some() || s.looped.is_some()
            });
            let is_awaited = |s: &StateId| {
                let list = self.program.dispatch.list(crate::dispatch::Key::MachineEnters(*s));
                list.iter().any(|a| {
                    let when = &self.program.rules[a.rule.index()].whens[a.when as usize];
                    matches!(when, Event::Machine { state, enters: true, .. } if state == s)
                })
            };
            let awaited: Vec<StateId> = stays.iter().map(|(s, _, _)| *s).filter(is_awaited).collect();
            if (busy || !awaited.is_empty()) && told.is_none() {
                let what = EventInstance::MachinesBegin(of);
                told = Some(self.note_in_round(|| TraceEvent::Event { what, cause: Cause::NONE }));
            }
            // The first states are entered as any others.
            for s in awaited {
                self.cause(EventInstance::MachineEnters(key.1, s), told.unwrap_or_default());
            }
            for (state, _, _) in stays {
                if self.world.machines.get(&key).is_some_and(|m| m.since(state).is_some()) {
                    self.fresh_steps();
                    self.enter(key, state);
                }
            }
        }
    }

    /// Transitions without an event whose clauses are true: at most one for each machine.
    pub fn eventless(&mut self, out: &mut Vec<(u32, Queued)>) {
        self.begin_event();
        let mut found: Vec<MachineKey> = vec![];
        for rule in &self.program.eventless {
            let Some(Part::Transition { machine, .. }) = &self.program.rules[rule.index()].part else { continue };
            let keys: Vec<MachineKey> = self.world.machines.keys().filter(|(m, _)| m == machine).copied().collect();
            for key in keys {
                let there =
                    key.1.is_none_or(|a| self.world.actors[a.index()].enabled && !self.world.actors[a.index()].gone);
                if !there || found.contains(&key) || !self.is_awake_part(*rule, key.1) || !self.holds(*rule, key.1) {
                    continue;
                }
                found.push(key);
                let what = EventInstance::Transits(*rule, key.1);
                if !self.queue.iter().any(|q| q.what == what) {
                    let span = self.program.rules[rule.index()].span;
                    out.push((span.start, Queued { what, cause: Cause::NONE }));
                }
            }
        }
    }

    fn holds(&mut self, rule: RuleId, me: Option<ActorId>) -> bool {
        self.fresh_steps();
        let r = &self.program.rules[rule.index()];
        let mut locals = vec![Value::None; r.slots];
        for c in &r.clauses {
            let scope = Scope { may_draw: false, ..self.scope(me) };
            match scope.flag(&c.test, &mut locals) {
                Ok(true) => {}
                Ok(false) => {
                    self.world.faulty.remove(&(rule, me));
                    return false;
                }
                Err(fault) => {
                    if self.world.faulty.insert((rule, me)) {
                        self.fault(Some(rule), fault);
                    }
                    return false;
                }
            }
        }
        self.world.faulty.remove(&(rule, me));
        true
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
