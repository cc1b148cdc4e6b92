//! What each action does, at once (language.md §6).
//!
//! Invariant: an action either does all that it says or faults before it does anything.

use crate::fault::*;
use crate::record::*;
use crate::turn::Turn;
use crate::world::*;
use mayfly_base::arith;
use mayfly_base::code::*;
use mayfly_base::*;
use std::sync::Arc;

impl<R: Recorder> Turn<'_, R> {
    pub fn act(&mut self, action: &Action, run: &mut Run, pc: u32, span: Span) -> Result<(), Fault> {
        let me = run.me;
        match action {
            Action::Assign { place, op, value } => self.assign(place, *op, value, run, pc, span),
            Action::Send { message, args, to, after } => {
                self.send(*message, args, to.as_ref(), after.as_ref(), run, pc)
            }
            Action::Tell { text, to, from } => {
                let text = self.words(text, run)?;
                let to = self.maybe_actor(to.as_ref(), run)?;
                let from = self.maybe_actor(from.as_ref(), run)?;
                self.note(|| Rec::Told { text, to, from, pc });
                Ok(())
            }
            Action::Cue(text) => {
                let text = self.words(text, run)?;
                self.note(|| Rec::Cued { text, pc });
                Ok(())
            }
            Action::Log(label, e) => {
                let v = self.scope(me).eval(e, &mut run.locals)?;
                self.note_draws();
                let shown = v.show(&crate::names::Named(self.program, self.world), None);
                let text = match label {
                    Some(l) => format!("{l} = {shown}"),
                    None => shown,
                };
                self.note(|| Rec::Logged { text, pc });
                Ok(())
            }
            Action::Prompt { text, on, .. } => {
                let shown = self.words(text, run)?;
                let on = self.maybe_actor(on.as_ref(), run)?;
                self.sign(Sign { pc, me, on, locals: run.locals.clone(), board: false, home: run.home }, shown)
            }
            Action::Board { text, .. } => {
                let shown = self.words(text, run)?;
                self.sign(Sign { pc, me, on: None, locals: run.locals.clone(), board: true, home: run.home }, shown)
            }
            Action::Spawn { kind, at, bind, overrides } => self.spawn(*kind, at, *bind, overrides, run, pc, span),
            Action::Remove(who) => {
                let id = self.scope(me).id(who, &mut run.locals)?;
                self.remove(id, pc);
                Ok(())
            }
            Action::Move { who, to } => {
                let id = self.scope(me).id(who, &mut run.locals)?;
                let to = self.scope(me).point(to, &mut run.locals)?;
                self.note_draws();
                let a = &mut self.world.actors[id.index()];
                let from = a.at;
                (a.at, a.step, a.pressed, a.jumped, a.stirred) = (to, None, None, true, true);
                let cause = self.note(|| Rec::Put { actor: id, from, to, pc });
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
                let a = &mut self.world.actors[id.index()];
                (a.step, a.pressed) = (None, None);
                Ok(())
            }
            Action::Switch { what, on, thing } => self.switch(*what, *on, thing, run, pc, span),
            Action::SwitchRule { rule, on } => {
                self.world.rules[rule.index()].on = *on;
                self.note(|| Rec::Switched { what: SwitchedWhat::Rule(*rule), on: *on, pc });
                Ok(())
            }
            Action::Timer { timer, order } => self.timer(*timer, order, run, pc),
            Action::Go { machine, of, state } => {
                let id = of.as_ref().map(|e| self.scope(me).id(e, &mut run.locals)).transpose()?;
                let key = (*machine, id);
                if !self.world.machines.contains_key(&key) {
                    return Err(Fault::new(FaultKind::Gone, "this actor has no such machine", span));
                }
                self.transit(key, None, *state, None, span)
            }
            Action::Push { list, value } => {
                let v = self.scope(me).eval(value, &mut run.locals)?;
                self.note_draws();
                let (target, old) = self.target(list, run)?;
                let Value::List(items) = old else { return Err(Fault::new(FaultKind::None, "none is no list", span)) };
                if items.len() >= MOST_ITEMS {
                    return Err(Fault::new(FaultKind::Limit, "more than 100,000 items in a list", span));
                }
                let mut items = items;
                Arc::make_mut(&mut items).push(v);
                self.put(target, Value::List(items), run, pc, span)
            }
            Action::Clear(list) => {
                let (target, _) = self.target(list, run)?;
                self.put(target, Value::List(Arc::default()), run, pc, span)
            }
            Action::Bag { bag, add, value } => {
                let v = self.scope(me).eval(value, &mut run.locals)?;
                self.note_draws();
                let (target, old) = self.target(bag, run)?;
                let new = in_bag(old, v, *add, span)?;
                self.put(target, new, run, pc, span)
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
                a.stirred = true;
                let cause = self.note(|| Rec::Switched { what: SwitchedWhat::Tag(id, tag), on: *on, pc });
                self.world.actors[id.index()].moved_by = cause;
                Ok(())
            }
            Action::Shove { who, by } => {
                let id = self.scope(me).id(who, &mut run.locals)?;
                let by = self.scope(me).point(by, &mut run.locals)?;
                self.note_draws();
                self.shove(id, by, pc);
                Ok(())
            }
            Action::Freeze { who, on } => {
                let id = self.scope(me).id(who, &mut run.locals)?;
                let a = &mut self.world.actors[id.index()];
                a.frozen = *on;
                if *on {
                    a.pressed = None;
                }
                self.note(|| Rec::Switched { what: SwitchedWhat::Frozen(id), on: *on, pc });
                Ok(())
            }
            Action::Checkpoint(who) => {
                let id = self.scope(me).id(who, &mut run.locals)?;
                let a = &mut self.world.actors[id.index()];
                a.checkpoint = (a.at, a.facing);
                Ok(())
            }
            Action::Recall(who) => {
                let id = self.scope(me).id(who, &mut run.locals)?;
                let a = &mut self.world.actors[id.index()];
                let (from, (to, facing)) = (a.at, a.checkpoint);
                (a.at, a.facing, a.step, a.pressed, a.jumped, a.stirred) = (to, facing, None, None, true, true);
                let cause = self.note(|| Rec::Put { actor: id, from, to, pc });
                self.world.actors[id.index()].moved_by = cause;
                Ok(())
            }
            Action::Ramp { place, to, over, smooth, slide } => {
                self.ramp(place, to, over, (*smooth, *slide), run, pc, span)
            }
            Action::Win(text) | Action::Lose(text) => {
                let text = self.words(text, run)?;
                let win = matches!(action, Action::Win(_));
                let tick = self.world.tick;
                if self.world.ending.is_none() {
                    self.world.ending = Some(Ended { tick, win, text: text.clone() });
                }
                self.note(|| Rec::Ended { win, text, pc });
                Ok(())
            }
        }
    }

    fn words(&mut self, e: &Expr, run: &mut Run) -> Result<String, Fault> {
        let v = self.scope(run.me).eval(e, &mut run.locals)?;
        self.note_draws();
        match v {
            Value::Text(t) => Ok(t.to_string()),
            _ => Err(Fault::new(FaultKind::None, "none is no text", e.span)),
        }
    }

    fn maybe_actor(&mut self, e: Option<&Expr>, run: &mut Run) -> Result<Option<ActorId>, Fault> {
        e.map(|e| self.scope(run.me).id(e, &mut run.locals)).transpose()
    }

    /// Where a place is, and what it holds.
    pub fn target(&mut self, place: &Place, run: &mut Run) -> Result<(Target, Value), Fault> {
        Ok(match place {
            Place::Var(v) => (Target::Var(*v), self.world.vars[v.index()].clone()),
            Place::Local(s) => (Target::Local(*s), run.locals[*s as usize].clone()),
            Place::Field(a, f) => {
                let id = self.scope(run.me).id(a, &mut run.locals)?;
                let fields = &self.world.actors[id.index()].fields;
                let old = fields
                    .get(f.index())
                    .cloned()
                    .ok_or_else(|| Fault::new(FaultKind::Gone, "this actor has no such variable", a.span))?;
                (Target::Field(id, *f), old)
            }
            Place::Entry(base, _) => return self.target(base, run),
            Place::Attr(a, attr) => {
                let id = self.scope(run.me).id(a, &mut run.locals)?;
                (Target::Attr(id, *attr), crate::eval::attr_of(&self.world.actors[id.index()], *attr))
            }
        })
    }

    fn put(&mut self, target: Target, value: Value, run: &mut Run, pc: u32, span: Span) -> Result<(), Fault> {
        if let Target::Local(s) = target {
            let old = std::mem::replace(&mut run.locals[s as usize], value.clone());
            self.note(|| Rec::Wrote { target, old, new: value, pc, kept_in: false });
            return Ok(());
        }
        self.write(target, value, pc, span)
    }

    fn assign(
        &mut self,
        place: &Place,
        op: Option<BinOp>,
        value: &Expr,
        run: &mut Run,
        pc: u32,
        span: Span,
    ) -> Result<(), Fault> {
        let v = self.scope(run.me).eval(value, &mut run.locals)?;
        self.note_draws();
        if let Place::Entry(base, index) = place {
            return self.assign_entry(base, index, op, v, run, pc, span);
        }
        let (target, old) = self.target(place, run)?;
        let new = match op {
            Some(op) => arith::binary(op, &old, &v).map_err(|w| {
                let names = crate::names::Named(self.program, self.world);
                let mut f = Fault::of(w, span);
                f.text = format!("{}: {} {} {}", f.text, old.show(&names, None), op.sign(), v.show(&names, None));
                f
            })?,
            None => v,
        };
        if let Value::Text(t) = &new
            && t.len() > MOST_TEXT
        {
            return Err(Fault::new(FaultKind::Limit, "a text of more than 1 MiB", span));
        }
        self.put(target, new, run, pc, span)
    }

    /// `bag[wick] += 1`, `list[0] = 3`.
    #[expect(clippy::too_many_arguments, reason = "the parts of one statement")]
    fn assign_entry(
        &mut self,
        base: &Place,
        index: &Expr,
        op: Option<BinOp>,
        v: Value,
        run: &mut Run,
        pc: u32,
        span: Span,
    ) -> Result<(), Fault> {
        let key = self.scope(run.me).eval(index, &mut run.locals)?;
        let (target, whole) = self.target(base, run)?;
        let new_of = |old: &Value| match op {
            Some(op) => arith::binary(op, old, &v).map_err(|w| Fault::of(w, span)),
            None => Ok(v.clone()),
        };
        let new = match (whole, &key) {
            (Value::List(mut l), Value::Number(n)) => {
                let at = n.round();
                if (at - n).abs() > value::NEAR || at < 0.0 || at as usize >= l.len() {
                    let text = format!("there is no place {} in a list of {}", value::show_number(*n), l.len());
                    return Err(Fault::new(FaultKind::Index, text, span));
                }
                let new = new_of(&l[at as usize])?;
                Arc::make_mut(&mut l)[at as usize] = new;
                Value::List(l)
            }
            (Value::Tally(l), key) => {
                let old = l.iter().find(|(k, _)| k.same(key)).map_or(0.0, |(_, n)| *n);
                match new_of(&Value::Number(old))? {
                    Value::Number(n) => tally_with(l, key, n, span)?,
                    _ => return Err(Fault::new(FaultKind::None, "none is no count", span)),
                }
            }
            _ => return Err(Fault::new(FaultKind::None, "none has no places", span)),
        };
        self.put(target, new, run, pc, span)
    }

    fn send(
        &mut self,
        message: MessageId,
        args: &[Expr],
        to: Option<&SendTo>,
        after: Option<&Expr>,
        run: &mut Run,
        pc: u32,
    ) -> Result<(), Fault> {
        let args: Result<Vec<Value>, Fault> =
            args.iter().map(|a| self.scope(run.me).eval(a, &mut run.locals)).collect();
        let args = args?;
        let to = match to {
            None => None,
            Some(SendTo::One(e)) => Some(match self.scope(run.me).eval(e, &mut run.locals)? {
                Value::Actor(id) => vec![id],
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
                let all = self.world.living().filter(|(id, a)| match &held {
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
        let cause = self.note(|| Rec::Sent { message, args: a, to: t, after: ticks, pc });
        if ticks == 0 {
            self.cause(Happening::Message { message, args, to }, cause);
        } else {
            let (due, order) = (self.world.tick.saturating_add(ticks), self.order());
            self.world.mail.push(Mail { due, order, message, args, to, cause });
        }
        Ok(())
    }

    fn sign(&mut self, sign: Sign, text: String) -> Result<(), Fault> {
        let (on, board, pc) = (sign.on, sign.board, sign.pc);
        self.world.signs.retain(|s| !(s.pc == pc && s.me == sign.me && s.on == on));
        if self.world.signs.len() < 1000 {
            self.world.signs.push(sign);
        }
        self.note(|| Rec::Signed { text, on, board, pc });
        Ok(())
    }

    #[expect(clippy::too_many_arguments, reason = "the parts of one statement")]
    fn spawn(
        &mut self,
        kind: KindId,
        at: &Expr,
        bind: Option<Slot>,
        overrides: &[Override],
        run: &mut Run,
        pc: u32,
        span: Span,
    ) -> Result<(), Fault> {
        let at = self.scope(run.me).point(at, &mut run.locals)?;
        if self.world.living().count() >= MOST_ACTORS {
            return Err(Fault::new(FaultKind::Limit, "more than 10,000 actors", span));
        }
        let mut given = vec![];
        for o in overrides {
            let (Override::Field(_, e) | Override::Attr(_, e)) = o;
            given.push(self.scope(run.me).eval(e, &mut run.locals)?);
        }
        self.note_draws();
        self.world.numbered[kind.index()] += 1;
        let name = format!("{}#{}", self.program.kinds[kind.index()].name, self.world.numbered[kind.index()]);
        let id = self.world.create(self.program, &name, kind, at, 2).map_err(|(_, f)| f)?;
        let tick = self.world.tick;
        let a = &mut self.world.actors[id.index()];
        (a.created, a.stirred, a.jumped) = (tick, true, true);
        for (o, v) in overrides.iter().zip(given) {
            match o {
                Override::Field(f, _) => self.world.actors[id.index()].fields[f.index()] = v,
                Override::Attr(attr, e) => {
                    self.write_first(id, *attr, &v, e.span)?;
                }
            }
        }
        self.world.watch_new(self.program, id);
        if let Some(slot) = bind {
            run.locals[slot as usize] = Value::Actor(id);
        }
        let cause = self.note(|| Rec::Spawned { actor: id, pc });
        self.world.actors[id.index()].moved_by = cause;
        if !self.program.kinds[kind.index()].machines.is_empty() {
            self.cause(Happening::MachinesBegin(Some(id)), cause);
        }
        self.cause(Happening::Spawns(id), cause);
        Ok(())
    }

    fn write_first(&mut self, id: ActorId, attr: Attr, v: &Value, span: Span) -> Result<(), Fault> {
        crate::start::set_attr(&mut self.world.actors[id.index()], attr, v)
            .ok_or_else(|| Fault::new(FaultKind::None, "none cannot be an attribute", span))
    }

    /// Takes an actor away: what it was in and touched ends in the next round; its waits end now.
    pub fn remove(&mut self, id: ActorId, pc: u32) {
        if self.world.actors[id.index()].gone {
            return;
        }
        let inside = std::mem::take(&mut self.world.actors[id.index()].inside);
        self.world.actors[id.index()].gone = true;
        let cause = self.note(|| Rec::Removed { actor: id, pc });
        for ((zone, of), _) in inside {
            self.cause(Happening::Leaves(id, zone, of), cause);
        }
        for other in 0..self.world.actors.len() {
            let other = ActorId::at(other);
            let list = &mut self.world.actors[other.index()].inside;
            let left: Vec<ZoneKey> = list.iter().filter(|((_, of), _)| *of == Some(id)).map(|(z, _)| *z).collect();
            list.retain(|((_, of), _)| *of != Some(id));
            for (zone, of) in left {
                self.cause(Happening::Leaves(other, zone, of), cause);
            }
        }
        let parted: Vec<(ActorId, ActorId)> =
            self.world.contacts.keys().filter(|(a, b)| *a == id || *b == id).copied().collect();
        for pair in parted {
            self.world.contacts.remove(&pair);
            self.cause(Happening::Parts(pair.0, pair.1), cause);
        }
        let strayed: Vec<(u32, ActorId, ActorId)> =
            self.world.near.keys().filter(|(_, a, b)| *a == id || *b == id).copied().collect();
        for key in strayed {
            self.world.near.remove(&key);
            self.cause(Happening::Strays(key.0, key.1, key.2), cause);
        }
        self.cause(Happening::Removed(id), cause);
        let bound = |r: &Run| {
            let n = self.program.rules[r.rule.index()].bound;
            r.me == Some(id) || r.locals[..n].contains(&Value::Actor(id))
        };
        self.world.runs.retain(|r| !bound(r));
        self.world.later.retain(|l| l.me != Some(id));
        self.world.down.retain(|(a, _), _| *a != id);
        self.world.machines.retain(|(_, of), _| *of != Some(id));
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
                for a in &mut self.world.actors {
                    a.stirred = true;
                }
                self.note(|| Rec::Switched { what: SwitchedWhat::Zone(z, of), on, pc });
                Ok(())
            }
            _ => Err(Fault::new(FaultKind::None, "none can be neither switched on nor off", span)),
        }
    }

    fn timer(&mut self, timer: TimerId, order: &TimerOrder, run: &mut Run, pc: u32) -> Result<(), Fault> {
        let tick = self.world.tick;
        let mut t = self.world.timers[timer.index()];
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
        t.cause = self.note(|| Rec::TimerSet { timer, running: t.running, left, pc });
        self.world.timers[timer.index()].cause = t.cause;
        Ok(())
    }
}

/// A tally with another count of one thing; what is counted no more is taken out.
fn tally_with(mut l: Arc<Vec<(Value, f64)>>, key: &Value, n: f64, span: Span) -> Result<Value, Fault> {
    let list = Arc::make_mut(&mut l);
    match list.binary_search_by(|(k, _)| k.order(key)) {
        Ok(i) if n.abs() < value::NEAR => drop(list.remove(i)),
        Ok(i) => list[i].1 = n,
        Err(_) if n.abs() < value::NEAR => {}
        Err(_) if list.len() >= MOST_ITEMS => {
            return Err(Fault::new(FaultKind::Limit, "more than 100,000 items in a tally", span));
        }
        Err(i) => list.insert(i, (key.clone(), n)),
    }
    Ok(Value::Tally(l))
}

/// A set or a tally with one more, or one less, of a thing. There is never less than none.
fn in_bag(bag: Value, v: Value, add: bool, span: Span) -> Result<Value, Fault> {
    match bag {
        Value::Set(mut l) => {
            let list = Arc::make_mut(&mut l);
            match (list.binary_search_by(|x| x.order(&v)), add) {
                (Err(_), true) if list.len() >= MOST_ITEMS => {
                    return Err(Fault::new(FaultKind::Limit, "more than 100,000 items in a set", span));
                }
                (Err(i), true) => list.insert(i, v),
                (Ok(i), false) => drop(list.remove(i)),
                _ => {}
            }
            Ok(Value::Set(l))
        }
        Value::Tally(l) => {
            let old = l.iter().find(|(k, _)| k.same(&v)).map_or(0.0, |(_, n)| *n);
            let new = if add { old + 1.0 } else { (old - 1.0).max(old.min(0.0)) };
            tally_with(l, &v, new, span)
        }
        _ => Err(Fault::new(FaultKind::None, "none is no bag", span)),
    }
}
