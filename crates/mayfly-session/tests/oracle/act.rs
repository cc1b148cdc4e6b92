//! How a made-up level's rules are evaluated and their actions carried out, by the words of the contract.
//!
//! Not here: the order of a tick ([`super::play`]).
//!
//! Invariant: a run is either in one list of waiting ones, or being carried out, or over.

use super::form::*;
use super::play::Play;
use super::state::*;
use super::values::Seen;

/// How carrying a run out goes on after a statement.
enum Then {
    Next,
    Wait(Waits),
    End,
}

impl Play<'_> {
    fn rule(&self, of: Of) -> Option<&Rule> {
        match of {
            Of::Own(i) => self.level.own.get(i),
            Of::Level(i) => self.level.rules.get(i),
            Of::Night(s, i) => self.level.states[s].rules.get(i),
            Of::Glow(s, i) => self.level.glows[s].rules.get(i),
            Of::Machine => None,
        }
    }

    /// True while a run of that rule for the same actors waits.
    pub fn waits_for(&self, of: Of, me: Option<usize>, bound: Option<usize>) -> bool {
        self.runs.iter().any(|r| r.of == of && r.me == me && r.bound == bound)
    }

    /// One rule for one event that fits: asleep, spent, held or fired.
    pub fn evaluate(
        &mut self,
        of: Of,
        me: Option<usize>,
        bound: Option<usize>,
        locals: Vec<f64>,
        kept: bool,
        passed: &mut bool,
    ) {
        let Some(r) = self.rule(of).cloned() else { return };
        let in_group = matches!(of, Of::Level(i) if self.level.grouped > 1 && i < self.level.grouped);
        if in_group && *passed {
            return;
        }
        let asleep = match of {
            Of::Level(i) => self.off[i],
            Of::Own(_) | Of::Night(..) | Of::Glow(..) | Of::Machine => r.off,
        };
        if asleep || r.awake.as_ref().is_some_and(|t| self.test(t, Seen { me, locals: &[] }) != Ok(true)) {
            return;
        }
        let whose = if r.per && !of.is_own() { bound } else { None };
        let key = (of, me, whose);
        let count = |list: &[(Of, Option<usize>, Option<usize>, u64)]| {
            list.iter().find(|(a, b, c, _)| (*a, *b, *c) == key).map_or(0, |(.., n)| *n)
        };
        if r.at_most.is_some_and(|n| count(&self.uses) >= n) || r.cooldown.is_some() && count(&self.rests) > self.tick {
            return;
        }
        if !kept && self.waits_for(of, me, bound) {
            match r.again {
                Again::Skip => return,
                Again::Later => {
                    let id = self.order();
                    return self.kept.push(Kept { id, of, me, bound, locals });
                }
                Again::Anew | Again::Beside => {}
            }
        }
        let seen = Seen { me: me.or(bound), locals: &locals };
        let mut block = Some(r.then.clone());
        let mut fired = true;
        for (test, otherwise) in &r.clauses {
            match self.test(test, seen) {
                Ok(true) => {}
                Ok(false) => {
                    (block, fired) = (otherwise.clone().or(r.otherwise.clone()), false);
                    break;
                }
                Err(fault) => return self.fault(fault),
            }
        }
        let Some(block) = block else { return };
        let set = |list: &mut Vec<(Of, Option<usize>, Option<usize>, u64)>, n: u64| {
            list.retain(|(a, b, c, _)| (*a, *b, *c) != key);
            list.push((key.0, key.1, key.2, n));
        };
        if fired {
            *passed |= in_group;
            let used = count(&self.uses) + 1;
            set(&mut self.uses, used);
        }
        if let Some(n) = r.cooldown {
            set(&mut self.rests, self.tick + n);
        }
        if r.again == Again::Anew && fired {
            let same = |run: &Run| run.of == of && run.me == me && run.bound == bound;
            self.runs.retain(|run| !same(run));
        }
        let frames = vec![Frame { block, at: 0, turns: Turns::Once, floor: locals.len() }];
        let waits = Waits::Ticks(0);
        let home = match of {
            Of::Night(s, _) => self.machines[NIGHT].stay(s).map(|s| (NIGHT, s.id)),
            Of::Glow(s, _) => me.and_then(|a| Some((a + 1, self.machines[a + 1].stay(s)?.id))),
            _ => None,
        };
        let (enters, in_routine) = (false, false);
        self.carry_out(Run { id: 0, of, me, bound, locals, frames, waits, home, enters, in_routine });
    }

    /// A waiting run goes on, where it may.
    pub fn resume(&mut self, id: u64) {
        let Some(at) = self.runs.iter().position(|r| r.id == id) else { return };
        let r = &self.runs[at];
        if r.me.is_some_and(|a| !self.actors[a].enabled) {
            return;
        }
        if let Waits::Test { test, due } = &r.waits
            && due.is_none_or(|at| at > self.tick)
            && self.test(&test.test, Seen { me: r.own(), locals: &r.locals }) != Ok(true)
        {
            return;
        }
        let run = self.runs.remove(at);
        self.carry_out(run);
    }

    /// Carries a run out to its end, its first wait or its fault.
    pub fn carry_out(&mut self, mut run: Run) {
        loop {
            self.steps += 1;
            if self.is_too_much() {
                return;
            }
            let Some(frame) = run.frames.last_mut() else { return self.over(&run) };
            let Some(statement) = frame.block.get(frame.at).cloned() else {
                run.locals.truncate(frame.floor);
                match &mut frame.turns {
                    Turns::Repeat(left) if *left > 0 => {
                        *left -= 1;
                        frame.at = 0;
                    }
                    Turns::Ever => frame.at = 0,
                    Turns::For { next, last } if *next <= *last => {
                        run.locals.push(*next as f64);
                        *next += 1;
                        frame.at = 0;
                    }
                    Turns::Call { locals, in_routine } => {
                        (run.locals, run.in_routine) = (std::mem::take(locals), *in_routine);
                        run.frames.pop();
                    }
                    _ => drop(run.frames.pop()),
                }
                continue;
            };
            frame.at += 1;
            let resets = self.resets.len();
            match self.act(&statement, &mut run) {
                Ok(Then::Next) => {
                    let was_left = run.home.is_some_and(|(m, stay)| !self.machines[m].lasts(stay));
                    if was_left || run.me.is_some_and(|a| self.resets[resets..].contains(&a)) {
                        return self.over(&run);
                    }
                }
                Ok(Then::Wait(waits)) => {
                    if run.me.into_iter().chain(run.bound).any(|a| self.actors[a].gone) {
                        return;
                    }
                    run.id = self.order();
                    run.waits = waits;
                    return self.runs.push(run);
                }
                Ok(Then::End) => return self.over(&run),
                Err(fault) => {
                    self.fault(fault);
                    return self.over(&run);
                }
            }
        }
    }

    /// What `again later` kept for a run that is over comes up in the next round.
    fn over(&mut self, run: &Run) {
        let same = |k: &&Kept| k.of == run.of && k.me == run.me && k.bound == run.bound;
        let ids: Vec<u64> = self.kept.iter().filter(same).map(|k| k.id).collect();
        self.next.extend(ids.into_iter().map(Happens::Later));
        self.begin_loop(run);
    }

    fn act(&mut self, statement: &Statement, run: &mut Run) -> Result<Then, Fault> {
        let locals = run.locals.clone();
        let me = run.own();
        let seen = Seen { me, locals: &locals };
        let tick = self.tick;
        // From when its waits count.
        let from = run.me.map_or(tick, |a| self.as_left(a, tick));
        let kept = |n: f64| n.clamp(-BOUND, BOUND);
        let inner = |block: &Block, turns: Turns| Frame { block: block.clone(), at: 0, turns, floor: locals.len() };
        match statement {
            Statement::Set(v, n) => self.numbers[v % NUMBERS] = kept(self.num(n, seen)?),
            Statement::Add(v, n) => {
                let by = self.num(n, seen)?;
                self.numbers[v % NUMBERS] = kept(self.numbers[v % NUMBERS] + by);
            }
            Statement::SetFlag(f, t) => self.flags[f % FLAGS] = self.test(t, seen)?,
            Statement::SetOwn(n) => self.actors[me.unwrap_or(0)].w = kept(self.num(n, seen)?),
            Statement::SetOf(a, n) => self.actors[a % ACTORS].w = kept(self.num(n, seen)?),
            Statement::Ramp { to, ticks, waits } => {
                self.end_ramp();
                let id = self.order();
                let (from, to, home) = (self.ramped, *to as f64, run.home);
                self.ramp = Some(Ramp { id, from, to, begun: tick, ticks: *ticks, home });
                if *waits {
                    return Ok(Then::Wait(Waits::Ramp(id)));
                }
            }
            Statement::SetRamped(n) => {
                self.end_ramp();
                self.ramped = *n as f64;
            }
            Statement::Send { message, value, after } => {
                let value = self.num(value, seen)?;
                match after {
                    None => self.next.push(Happens::Hears(message % MESSAGES, value)),
                    Some(n) => {
                        let order = self.order();
                        self.mail.push((tick + n, order, message % MESSAGES, value));
                    }
                }
            }
            Statement::Start(t, length) => {
                let t = t % TIMERS.len();
                let order = self.order();
                self.timers[t] = Timer { running: true, due: tick + length.unwrap_or(TIMERS[t]), left: 0, order };
            }
            Statement::Stop(t) => self.timers[t % TIMERS.len()] = Timer::default(),
            Statement::Pause(t) => {
                let t = &mut self.timers[t % TIMERS.len()];
                if t.running {
                    (t.running, t.left) = (false, t.due - tick);
                }
            }
            Statement::Resume(t) => {
                let t = t % TIMERS.len();
                if self.timers[t].left > 0 {
                    let order = self.order();
                    self.timers[t] = Timer { running: true, due: tick + self.timers[t].left, left: 0, order };
                }
            }
            Statement::Log(n) => {
                let n = self.num(n, seen)?;
                self.told.push((tick, format!("{tick} {}", if n == 0.0 { 0.0 } else { n })));
            }
            Statement::Wait(n) => return Ok(Then::Wait(Waits::Ticks(from + n))),
            Statement::WaitUntil { test, at_most, place } => {
                let test = Box::new(Wanted { test: test.clone(), place: *place });
                return Ok(Then::Wait(Waits::Test { test, due: at_most.map(|n| from + n) }));
            }
            Statement::WaitFor { message, at_most, place } => {
                let (message, due) = (message % MESSAGES, at_most.map(|n| from + n));
                return Ok(Then::Wait(Waits::Message { message, place: *place, due }));
            }
            Statement::If(t, a, b) => {
                let block = if self.test(t, seen)? { a } else { b };
                run.frames.push(inner(block, Turns::Once));
            }
            Statement::Repeat(n, b) => {
                if *n > 0 {
                    run.frames.push(inner(b, Turns::Repeat(n - 1)));
                }
            }
            Statement::For(n, b) => {
                run.frames.push(inner(b, Turns::For { next: 2, last: *n }));
                run.locals.push(1.0);
            }
            Statement::Let(n) => {
                let n = self.num(n, seen)?;
                run.locals.push(n);
            }
            Statement::Meanwhile(b) => {
                let frames = vec![inner(b, Turns::Once)];
                self.carry_out(Run { frames, enters: false, ..run.clone() });
            }
            Statement::Rule(r, on) => self.off[r % self.level.rules.len()] = !on,
            Statement::Go(s) => self.go(NIGHT, None, s % STATES, None)?,
            Statement::GoGlow(s) => self.go(me.unwrap_or(0) + 1, None, s % GLOWS, None)?,
            Statement::Move(a, x, y) => self.actors[a % ACTORS].at = (*x, *y),
            Statement::Enable(a, on) => self.switch(a % ACTORS, *on),
            Statement::EnableOwn(on) => self.switch(me.unwrap_or(0), *on),
            Statement::Spawn { x, y, w } => {
                let w = kept(self.num(w, seen)?);
                self.spawn(Actor::new(w, (*x, *y), tick, true));
            }
            Statement::RemoveOwn => {
                if self.actors[me.unwrap_or(0)].extra {
                    self.remove(me.unwrap_or(0));
                }
            }
            Statement::RemoveOldest => {
                if let Some(a) = self.actors.iter().position(|a| a.is_there() && a.extra) {
                    self.remove(a);
                }
            }
            Statement::Reset(a) => self.reset(a % ACTORS),
            Statement::ResetOwn => self.reset(me.unwrap_or(0)),
            Statement::Haul(n) => {
                let p = self.num(n, seen)?;
                let turns =
                    Turns::Call { locals: std::mem::replace(&mut run.locals, vec![p]), in_routine: run.in_routine };
                run.frames.push(Frame { block: self.level.haul.clone(), at: 0, turns, floor: 1 });
                run.in_routine = true;
            }
            Statement::Break | Statement::Continue => {
                let is_loop = |f: &Frame| matches!(f.turns, Turns::Repeat(_) | Turns::For { .. });
                // A routine has nothing to do with the loops of who called it.
                let called = run.frames.iter().rposition(|f| matches!(f.turns, Turns::Call { .. }));
                if let Some(at) = run.frames.iter().rposition(is_loop).filter(|at| called.is_none_or(|c| *at > c)) {
                    run.frames.truncate(at + 1);
                    if let Some(f) = run.frames.last_mut() {
                        f.at = f.block.len();
                        if matches!(statement, Statement::Break) {
                            f.turns = Turns::Once;
                        }
                    }
                }
            }
            // Out of a routine, or of the rule.
            Statement::Return => match run.frames.iter().rposition(|f| matches!(f.turns, Turns::Call { .. })) {
                Some(at) => {
                    run.frames.truncate(at + 1);
                    run.frames[at].at = run.frames[at].block.len();
                }
                None => return Ok(Then::End),
            },
        }
        Ok(Then::Next)
    }

    /// The ramp under way ends here; who waited for it goes on.
    pub fn end_ramp(&mut self) {
        let Some(ramp) = self.ramp.take() else { return };
        let mut ids = vec![];
        for run in self.runs.iter_mut().filter(|r| r.waits == Waits::Ramp(ramp.id)) {
            let actor = run.me.map(|a| &self.actors[a]).filter(|a| !a.enabled);
            run.waits = Waits::Ticks(actor.map_or(self.tick, |a| a.disabled_at));
            ids.push(run.id);
        }
        self.next.extend(ids.into_iter().map(Happens::Resumes));
    }

    /// Switches an actor; what it had left of its waits it has again.
    pub fn switch(&mut self, a: usize, on: bool) {
        let tick = self.tick;
        let actor = &mut self.actors[a];
        if std::mem::replace(&mut actor.enabled, on) == on {
            return;
        }
        if !on {
            actor.disabled_at = tick;
            return;
        }
        let away = tick - actor.disabled_at;
        actor.created += away;
        // The event under way found its machine as it is now, but for where it has gone since.
        for m in [self.machines.get_mut(a + 1), self.found.machines.get_mut(a + 1)].into_iter().flatten() {
            m.stays.iter_mut().for_each(|s| s.since += away);
        }
        self.next.extend(self.kept.iter().filter(|k| k.me == Some(a)).map(|k| Happens::Later(k.id)));
        for run in self.runs.iter_mut().filter(|r| r.me == Some(a)) {
            match &mut run.waits {
                Waits::Ticks(at) => *at += away,
                Waits::Test { due, .. } | Waits::Message { due, .. } => due.iter_mut().for_each(|at| *at += away),
                Waits::Ramp(_) => {}
            }
        }
    }
}
