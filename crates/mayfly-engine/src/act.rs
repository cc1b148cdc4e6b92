//! What each action does, at once (language.md §6).
//!
//! Invariant: an action either does all that it says or faults before it does anything.

use crate::fault::*;
use crate::record::*;
use crate::tick_context::TickContext;
use crate::world::*;
use mayfly_base::code::*;
use mayfly_base::*;
use std::sync::Arc;

impl<R: Recorder> TickContext<'_, R> {
    pub fn act(&mut self, action: &Action, run: &mut Run, pc: u32, span: Span) -> Result<(), Fault> {
        let me = run.me;
        match action {
            Action::Assign { .. } | Action::Push { .. } | Action::Clear(_) | Action::Bag { .. } => {
                self.change(action, run, pc, span)
            }
            Action::Send { message, args, to, after } => self.send(message, args, to.as_ref(), after.as_ref(), run, pc),
            Action::Tell { text, to, from } => {
                let text = self.words(text, run)?;
                let to = self.maybe_actor(to.as_ref(), run)?;
                let from = self.maybe_actor(from.as_ref(), run)?;
                self.note(|| TraceEvent::Told { text, to, from, pc });
                Ok(())
            }
            Action::Cue(text) => {
                let text = self.words(text, run)?;
                self.note(|| TraceEvent::Cued { text, pc });
                Ok(())
            }
            Action::Log(label, e) => {
                let v = self.scope(me).eval(e, &mut run.locals)?;
                self.note_draws();
                let shown = v.show(&crate::names::Named(self.program, self.world), None);
                self.scope(me).step((shown.len() / TEXT_STEP) as u64, span)?;
                let text: Arc<str> = match (label, v) {
                    (Some(l), _) => format!("{l} = {shown}").into(),
                    (None, Value::Text(t)) => t,
                    (None, _) => shown.into(),
                };
                self.note(|| TraceEvent::Logged { text, pc });
                Ok(())
            }
            Action::Prompt { text, on, lasts, .. } => {
                let shown = self.words(text, run)?;
                let on = self.maybe_actor(on.as_ref(), run)?;
                let until = match lasts {
                    Some(d) => Some(self.world.tick.saturating_add(self.scope(me).ticks(d, &mut run.locals)?)),
                    None => None,
                };
                self.sign(run, (on, false), until, shown, pc, span)
            }
            Action::Board { text, .. } => {
                let shown = self.words(text, run)?;
                self.sign(run, (None, true), None, shown, pc, span)
            }
            Action::Spawn { kind, at, bind, overrides } => self.spawn(kind, at, *bind, overrides, run, pc, span),
            Action::Remove(who) => {
                let id = self.scope(me).id(who, &mut run.locals)?;
                self.remove(id, pc);
                Ok(())
            }
            Action::Move { who, to } => {
                let id = self.scope(me).id(who, &mut run.locals)?;
                let to = self.scope(me).point(to, &mut run.locals)?;
                self.note_draws();
                self.fits_map(to, span)?;
                self.end_ramps_of_place(id);
                let from = std::mem::replace(&mut self.world.actors[id.index()].at, to);
                self.displaced(id);
                let cause = self.note(|| TraceEvent::Put { actor: id, from, to, pc });
                self.world.actors[id.index()].moved_by = cause;
                Ok(())
            }
            Action::Face { who, to, toward } => {
                let id = self.scope(me).id(who, &mut run.locals)?;
                let value = self.scope(me).eval(to, &mut run.locals)?;
                let facing = if *toward {
                    let (p, q) = (self.world.actors[id.index()].at, self.scope(me).place(&value, span)?);
                    crate::space::quarter(q.x - p.x, q.y - p.y).unwrap_or(self.world.actors[id.index()].facing)
                } else if let Value::Enum(_, d) = value {
                    d
                } else {
                    return Err(Fault::new(FaultKind::None, "none is no direction", to.span));
                };
                self.write(Target::Attr(id, Attr::Facing), Value::direction(facing), pc, span)
            }
            Action::Halt(who) => {
                let id = self.scope(me).id(who, &mut run.locals)?;
                self.end_order(id, EndWhy::Halted);
                self.end_ramps(EndWhy::Halted, |r| r.slide && r.target == Target::Attr(id, Attr::At));
                let a = &mut self.world.actors[id.index()];
                (a.step, a.pressed) = (None, None);
                Ok(())
            }
            Action::Switch { what, on, thing } => self.switch(*what, *on, thing, run, pc, span),
            Action::SwitchRule { rule, on } => {
                self.world.rules[rule.index()].on = *on;
                self.note(|| TraceEvent::Switched { what: SwitchedWhat::Rule(*rule), on: *on, pc });
                Ok(())
            }
            Action::Timer { timer, order } => match self.scope(me).eval(timer, &mut run.locals)? {
                Value::Timer(t) => self.timer(t, order, run, pc),
                _ => Err(Fault::new(FaultKind::None, "none is no timer", timer.span)),
            },
            Action::Advance(clock, parts) => self.advance_clock(*clock, parts, run, pc, span),
            Action::SetClock(clock, parts) => self.set_clock(*clock, parts, run, pc),
            Action::PauseClock(clock, paused) => {
                self.pause_clock(*clock, *paused, pc);
                Ok(())
            }
            Action::Lay { tile, at } => {
                let Value::Tile(t) = self.scope(me).eval(tile, &mut run.locals)? else {
                    return Err(Fault::new(FaultKind::None, "none is no tile", tile.span));
                };
                let at = self.scope(me).point(at, &mut run.locals)?;
                self.note_draws();
                self.lay(t, at, pc, span)
            }
            Action::Walk(w) => self.order_walk(w, run, pc, span),
            Action::Reset(who) => {
                let id = self.scope(me).id(who, &mut run.locals)?;
                self.reset(id, pc, span)
            }
            Action::Restart => {
                self.world.ending.get_or_insert(Ending::Restart);
                self.note(|| TraceEvent::Restarts { pc });
                Ok(())
            }
            Action::Save => {
                self.note(|| TraceEvent::Saved { pc });
                Ok(())
            }
            Action::Go { machine, of, state } => {
                let id = of.as_ref().map(|e| self.scope(me).id(e, &mut run.locals)).transpose()?;
                let key = (*machine, id);
                if !self.world.machines.contains_key(&key) {
                    return Err(Fault::new(FaultKind::Gone, "this actor has no such machine", span));
                }
                self.transit(key, None, *state, None, span)
            }
            Action::Tag { who, tag, on } => {
                let id = self.scope(me).id(who, &mut run.locals)?;
                let Value::Tag(tag) = self.scope(me).eval(tag, &mut run.locals)? else {
                    return Err(Fault::new(FaultKind::None, "none is no tag", span));
                };
                let a = &mut self.world.actors[id.index()];
                a.tags.retain(|t| *t != tag);
                if *on {
                    a.tags.push(tag);
                }
                a.dirty = true;
                let cause = self.note(|| TraceEvent::Switched { what: SwitchedWhat::Tag(id, tag), on: *on, pc });
                self.world.actors[id.index()].moved_by = cause;
                // Who goes through whom, and who carries whom, may hang on the tag.
                let by_tag =
                    |k: &crate::tables::Kind| k.passes_tags.contains(&tag) || k.carries.contains(&WhoSet::Tag(tag));
                if self.program.kinds.iter().any(by_tag) {
                    self.all_changed();
                }
                Ok(())
            }
            Action::Shove { who, by } => {
                let id = self.scope(me).id(who, &mut run.locals)?;
                let by = self.scope(me).point(by, &mut run.locals)?;
                self.note_draws();
                self.shove(id, by, pc, span)
            }
            Action::Freeze { who, on } => {
                let id = self.scope(me).id(who, &mut run.locals)?;
                let a = &mut self.world.actors[id.index()];
                a.frozen = *on;
                if *on {
                    a.pressed = None;
                }
                self.note(|| TraceEvent::Switched { what: SwitchedWhat::Frozen(id), on: *on, pc });
                Ok(())
            }
            Action::Checkpoint(who) => {
                let id = self.scope(me).id(who, &mut run.locals)?;
                let a = &mut self.world.actors[id.index()];
                a.checkpoint = (a.at, a.facing);
                self.note(|| TraceEvent::Remembered { actor: id, pc });
                Ok(())
            }
            Action::Recall(who) => {
                let id = self.scope(me).id(who, &mut run.locals)?;
                let a = &mut self.world.actors[id.index()];
                let (from, (to, facing)) = (a.at, a.checkpoint);
                (a.at, a.facing) = (to, facing);
                self.displaced(id);
                let cause = self.note(|| TraceEvent::Put { actor: id, from, to, pc });
                self.world.actors[id.index()].moved_by = cause;
                Ok(())
            }
            Action::Ramp { place, to, over, smooth, slide } => {
                self.ramp(place, to, over, (*smooth, *slide), run, pc, span)
            }
            Action::Win(text) | Action::Lose(text) => {
                let text = self.words(text, run)?.to_string();
                let win = matches!(action, Action::Win(_));
                let tick = self.world.tick;
                if self.world.ending.is_none() {
                    self.world.ending = Some(Ending::End(Ended { tick, win, text: text.clone() }));
                }
                self.note(|| TraceEvent::Ended { win, text, pc });
                Ok(())
            }
        }
    }

    fn words(&mut self, e: &Expr, run: &mut Run) -> Result<Arc<str>, Fault> {
        let v = self.scope(run.me).eval(e, &mut run.locals)?;
        self.note_draws();
        match v {
            Value::Text(t) => Ok(t),
            _ => Err(Fault::new(FaultKind::None, "none is no text", e.span)),
        }
    }

    fn maybe_actor(&mut self, e: Option<&Expr>, run: &mut Run) -> Result<Option<ActorId>, Fault> {
        e.map(|e| self.scope(run.me).id(e, &mut run.locals)).transpose()
    }

    /// Where a place is.
    ///
    /// # Errors
    /// An actor that is not there, or has no such variable.
    pub fn target(&mut self, place: &Place, run: &mut Run) -> Result<Target, Fault> {
        Ok(match place {
            Place::Var(v) => Target::Var(*v),
            Place::Local(s) => Target::Local(*s),
            Place::Field(a, f) => {
                let id = self.scope(run.me).id(a, &mut run.locals)?;
                if f.index() >= self.world.actors[id.index()].fields.len() {
                    return Err(Fault::new(FaultKind::Gone, "this actor has no such variable", a.span));
                }
                Target::Field(id, *f)
            }
            Place::ClockSpeed(c) => Target::ClockSpeed(*c),
            Place::Entry(base, _) => return self.target(base, run),
            Place::Attr(a, attr) => Target::Attr(self.scope(run.me).id(a, &mut run.locals)?, *attr),
        })
    }

    /// What a place holds now.
    pub fn held(&self, target: Target, run: &Run) -> Value {
        match target {
            Target::Var(v) => self.world.vars[v.index()].clone(),
            Target::Local(s) => run.locals[s as usize].clone(),
            Target::Field(a, f) => self.world.actors[a.index()].fields[f.index()].clone(),
            Target::ClockSpeed(c) => Value::Number(self.world.clocks[c.index()].speed),
            Target::Attr(a, attr) => crate::eval::attr_of(&self.world.actors[a.index()], attr),
        }
    }

    fn put(&mut self, target: Target, value: Value, run: &mut Run, pc: u32, span: Span) -> Result<(), Fault> {
        if let Target::Local(s) = target {
            let old = std::mem::replace(&mut run.locals[s as usize], value.clone());
            self.note(|| TraceEvent::Wrote { target, old, new: value, pc, kept_in: false });
            return Ok(());
        }
        self.write(target, value, pc, span)
    }

    /// An assignment, or a change of a list, a set or a tally.
    fn change(&mut self, action: &Action, run: &mut Run, pc: u32, span: Span) -> Result<(), Fault> {
        let Some(place) = crate::change::place_of(action) else { return Ok(()) };
        let given = self.scope(run.me).given(action, &mut run.locals)?;
        self.note_draws();
        let keys = self.scope(run.me).keys(action, &mut run.locals)?;
        self.note_draws();
        let target = self.target(place, run)?;
        let old = self.held(target, run);
        let new = self.scope(run.me).changed(action, old, given, &keys, span)?;
        self.put(target, new, run, pc, span)
    }

    fn send(
        &mut self,
        message: &Expr,
        args: &[Expr],
        to: Option<&SendTo>,
        after: Option<&Expr>,
        run: &mut Run,
        pc: u32,
    ) -> Result<(), Fault> {
        let span = message.span;
        let Value::Message(message) = self.scope(run.me).eval(message, &mut run.locals)? else {
            return Err(Fault::new(FaultKind::None, "there is no message to send: it is none", span));
        };
        let args: Result<Vec<Value>, Fault> =
            args.iter().map(|a| self.scope(run.me).eval(a, &mut run.locals)).collect();
        let args = args?;
        let wanted = &self.program.messages[message.index()];
        if wanted.params.len() != args.len() {
            let (takes, given) = (number::counted(wanted.params.len(), "value"), number::are(args.len()));
            let text = format!("`{}` takes {takes}, and {given} given", wanted.name);
            return Err(Fault::new(FaultKind::Index, text, span));
        }
        let to = match to {
            None => None,
            Some(SendTo::One(e)) => Some(match self.scope(run.me).eval(e, &mut run.locals)? {
                Value::Actor(id) => vec![id],
                Value::Zone(z, None) if self.program.zones[z.index()].stand_in.is_some() => {
                    self.program.zones[z.index()].stand_in.into_iter().collect()
                }
                Value::List(l) => {
                    l.iter().filter_map(|v| if let Value::Actor(id) = v { Some(*id) } else { None }).collect()
                }
                _ => return Err(Fault::new(FaultKind::None, "there is no actor to send to: it is none", e.span)),
            }),
            Some(SendTo::All(set)) => {
                let held = match set {
                    WhoSet::Held(e) => Some(self.scope(run.me).eval(e, &mut run.locals)?),
                    _ => None,
                };
                let all = self.world.ones().filter(|(id, a)| match &held {
                    Some(Value::Kind(k)) => self.program.is_kind(a.kind, *k),
                    Some(Value::Tag(t)) => a.tags.contains(t),
                    Some(_) => false,
                    None => self.world.is_one_of(self.program, *id, set, run.me),
                });
                Some(all.map(|(id, _)| id).collect())
            }
        };
        let ticks = match after {
            Some(d) => self.scope(run.me).ticks(d, &mut run.locals)?,
            None => 0,
        };
        self.note_draws();
        let (a, t) = (args.clone(), to.clone());
        let cause = self.note(|| TraceEvent::Sent { message, args: a, to: t, after: ticks, pc });
        if ticks == 0 {
            self.cause(EventInstance::Message { message, args, to }, cause);
        } else {
            if self.world.mail.len() >= MAX_MAIL {
                return Err(Fault::new(FaultKind::Limit, "more than 10,000 messages under way", span));
            }
            let (due, order) = (self.world.tick.saturating_add(ticks), self.order());
            self.world.mail.push(Mail { due, order, message, args, to, cause });
        }
        Ok(())
    }

    /// Puts a prompt or a board up; it takes the place of the same one.
    fn sign(
        &mut self,
        run: &Run,
        (on, board): (Option<ActorId>, bool),
        until: Option<u64>,
        text: Arc<str>,
        pc: u32,
        span: Span,
    ) -> Result<(), Fault> {
        let me = run.me;
        if self.is_gone(on) || self.is_gone(me) {
            return Ok(());
        }
        self.world.signs.retain(|s| !(s.pc == pc && s.me == me && s.on == on));
        if self.world.signs.len() >= MAX_SIGNS {
            return Err(Fault::new(FaultKind::Limit, "more than 1000 prompts at once", span));
        }
        let (locals, home, rule) = (run.locals.clone(), run.home, run.rule);
        self.world.signs.push(Sign { pc, me, on, locals, board, home, rule, until, faulty: false });
        self.note(|| TraceEvent::Signed { text, on, board, pc });
        Ok(())
    }

    #[expect(clippy::too_many_arguments, reason = "the parts of one statement")]
    fn spawn(
        &mut self,
        kind: &Expr,
        at: &Expr,
        bind: Option<Slot>,
        overrides: &[Override],
        run: &mut Run,
        pc: u32,
        span: Span,
    ) -> Result<(), Fault> {
        let Value::Kind(kind) = self.scope(run.me).eval(kind, &mut run.locals)? else {
            return Err(Fault::new(FaultKind::None, "there is no kind to spawn: it is none", kind.span));
        };
        let at = self.scope(run.me).point(at, &mut run.locals)?;
        if self.world.living().count() >= MAX_ACTORS {
            return Err(Fault::new(FaultKind::Limit, "more than 10,000 actors", span));
        }
        let mut given = vec![];
        for o in overrides {
            let (Override::Field(_, e) | Override::Attr(_, e)) = o;
            given.push(self.scope(run.me).eval(e, &mut run.locals)?);
        }
        self.note_draws();
        self.fits_map(at, span)?;
        self.world.numbered[kind.index()] += 1;
        let name = format!("{}#{}", self.program.kinds[kind.index()].name, self.world.numbered[kind.index()]);
        let id = self.world.create(self.program, &name, kind, at, 2)?;
        if let Err(f) = self.override_first(id, overrides, given) {
            self.world.uncreate(self.program, id);
            return Err(f);
        }
        let tick = self.world.tick;
        let a = &mut self.world.actors[id.index()];
        (a.created, a.disabled_at) = (tick, tick);
        (a.dirty, a.jumped) = (true, true);
        a.starts_here();
        self.world.settle_first(id);
        self.world.bytes += self.world.actors[id.index()].fields.iter().map(Value::weight).sum::<usize>();
        self.world.sight_changed |= self.world.actors[id.index()].opaque;
        self.stopper_changed(id);
        if self.world.actors[id.index()].is_in_the_way() {
            self.world.solids.push(id);
        }
        self.world.watch_new(self.program, id);
        if let Some(slot) = bind {
            run.locals[slot as usize] = Value::Actor(id);
        }
        let cause = self.note(|| TraceEvent::Spawned { actor: id, pc });
        self.world.actors[id.index()].moved_by = cause;
        let machines = &self.program.kinds[kind.index()].machines;
        self.unbegun.extend(machines.iter().map(|m| (*m, Some(id))));
        if !machines.is_empty() {
            self.cause(EventInstance::MachinesBegin(Some(id)), cause);
        }
        self.cause(EventInstance::Spawns(id), cause);
        Ok(())
    }

    /// What a `spawn` says of its actor, over the kind's own first values.
    fn override_first(&mut self, id: ActorId, overrides: &[Override], given: Vec<Value>) -> Result<(), Fault> {
        let kind = self.world.actors[id.index()].kind;
        for (o, v) in overrides.iter().zip(given) {
            match o {
                Override::Field(f, e) => {
                    let bounds = self.program.kinds[kind.index()].fields[f.index()].bounds;
                    let v = crate::start::bounded(v, bounds);
                    self.fits_values(&v, e.span)?;
                    self.world.actors[id.index()].fields[f.index()] = v;
                }
                Override::Attr(attr, e) => {
                    self.fits_attr(*attr, &v, e.span)?;
                    crate::start::set_attr(&mut self.world.actors[id.index()], *attr, &v)
                        .ok_or_else(|| Fault::new(FaultKind::None, "none cannot be an attribute", e.span))?;
                }
            }
        }
        let at = self.world.actors[id.index()].at;
        self.fits_map(at, Span::default())
    }

    /// Takes an actor away: what it was in and touched ends in the next round; its waits end now.
    pub fn remove(&mut self, id: ActorId, pc: u32) {
        if self.world.actors[id.index()].gone {
            return;
        }
        if self.world.actors[id.index()].zone.is_some() {
            return;
        }
        self.end_order(id, EndWhy::Removed);
        self.end_ramps(EndWhy::Removed, |r| r.target.owner() == Some(id));
        self.end_what_states_began(id, EndWhy::Removed);
        self.world.sight_changed |= self.world.actors[id.index()].opaque;
        let inside = std::mem::take(&mut self.world.actors[id.index()].inside);
        self.world.actors[id.index()].gone = true;
        self.stopper_changed(id);
        self.world.removed = true;
        if self.world.actors[id.index()].solid {
            self.world.list_solids();
        }
        let cause = self.note(|| TraceEvent::Removed { actor: id, pc });
        self.world.actors[id.index()].moved_by = cause;
        for ((zone, of), _) in inside {
            self.cause(EventInstance::Leaves(id, zone, of), cause);
        }
        for n in 0..self.world.actors.len() {
            let other = self.world.actors.id(n);
            let list = &mut self.world.actors[other.index()].inside;
            let left: Vec<ZoneKey> = list.iter().filter(|((_, of), _)| *of == Some(id)).map(|(z, _)| *z).collect();
            list.retain(|((_, of), _)| *of != Some(id));
            for (zone, of) in left {
                self.cause(EventInstance::Leaves(other, zone, of), cause);
            }
        }
        let parted: Vec<(ActorId, ActorId)> =
            self.world.contacts.keys().filter(|(a, b)| *a == id || *b == id).copied().collect();
        for pair in parted {
            self.world.contacts.remove(&pair);
            self.cause(EventInstance::Parts(pair.0, pair.1), cause);
        }
        let strayed: Vec<(u32, ActorId, ActorId)> =
            self.world.near.keys().filter(|(_, a, b)| *a == id || *b == id).copied().collect();
        for key in strayed {
            self.world.near.remove(&key);
            self.cause(EventInstance::Strays(key.0, key.1, key.2), cause);
        }
        let lost: Vec<(ActorId, ActorId)> =
            self.world.seen.keys().filter(|(a, b)| *a == id || *b == id).copied().collect();
        for pair in lost {
            self.world.seen.remove(&pair);
            self.cause(EventInstance::Loses(pair.0, pair.1), cause);
        }
        self.cause(EventInstance::Removed(id), cause);
        let bound = |r: &Run| {
            let n = self.program.rules[r.rule.index()].bound;
            r.me == Some(id) || r.own()[..n].contains(&Value::Actor(id))
        };
        self.world.runs.retain(|r| !bound(r));
        let rules = &self.program.rules;
        let kept_for =
            |l: &Later| l.me == Some(id) || l.locals[..rules[l.rule.index()].bound].contains(&Value::Actor(id));
        self.world.later.retain(|l| !kept_for(l));
        self.world.down.retain(|(a, _), _| *a != id);
        self.world.signs.retain(|s| s.me != Some(id) && s.on != Some(id));
        for list in &mut self.world.watched {
            list.retain(|s| s.actor != Some(id));
        }
    }

    fn switch(
        &mut self,
        what: Switch,
        on: bool,
        thing: &Expr,
        run: &mut Run,
        pc: u32,
        span: Span,
    ) -> Result<(), Fault> {
        let v = self.scope(run.me).eval(thing, &mut run.locals)?;
        match (v, what) {
            (Value::Actor(_), _) => {
                let id = self.scope(run.me).id(thing, &mut run.locals)?;
                let attr = if what == Switch::Enabled { Attr::Enabled } else { Attr::Visible };
                self.write(Target::Attr(id, attr), Value::Flag(on), pc, span)
            }
            (Value::Zone(z, of), Switch::Enabled) => {
                if of.is_some() {
                    return Err(Fault::new(
                        FaultKind::None,
                        "a kind's zone follows its actor: enable or disable that",
                        span,
                    ));
                }
                self.world.zone_off[z.index()] = !on;
                if let Some(stand_in) = self.program.zones[z.index()].stand_in {
                    self.enable(stand_in, on);
                }
                for (_, a) in self.world.actors.iter_mut() {
                    a.dirty = true;
                }
                self.note(|| TraceEvent::Switched { what: SwitchedWhat::Zone(z, of), on, pc });
                Ok(())
            }
            _ => Err(Fault::new(FaultKind::None, "none can be neither switched on nor off", span)),
        }
    }

    fn timer(&mut self, timer: TimerId, order: &TimerOrder, run: &mut Run, pc: u32) -> Result<(), Fault> {
        let tick = self.world.tick;
        let mut t = self.world.timers[timer.index()];
        let was = (t.running, self.world.timer_left(timer));
        match order {
            TimerOrder::Start(length) => {
                t.length = match length {
                    Some(d) => self.scope(run.me).ticks(d, &mut run.locals)?,
                    None => self.program.timers[timer.index()].ticks,
                };
                (t.running, t.due, t.left) = (true, tick.saturating_add(t.length), 0);
                t.order = self.order();
            }
            TimerOrder::Stop => (t.running, t.left) = (false, 0),
            TimerOrder::Pause if t.running => (t.running, t.left) = (false, t.due.saturating_sub(tick)),
            TimerOrder::Resume if !t.running && t.left > 0 => {
                (t.running, t.due, t.left) = (true, tick + t.left, 0);
                t.order = self.order();
            }
            TimerOrder::Pause | TimerOrder::Resume => {}
        }
        self.world.timers[timer.index()] = t;
        let left = self.world.timer_left(timer);
        t.cause = self.note(|| TraceEvent::TimerSet { timer, was, running: t.running, left, pc });
        self.world.timers[timer.index()].cause = t.cause;
        Ok(())
    }
}
