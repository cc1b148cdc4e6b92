//! What a made-up level does, by the words of the contract alone: one tick after the other, nothing indexed, nothing kept.
//!
//! Not here: how actions are carried out ([`super::act`]).
//!
//! Invariant: nothing of the engine is used; only the level as data.

use super::form::*;
use super::state::*;

#[derive(Clone, Debug)]
struct Watched {
    text: String,
    what: Watch,
    own: bool,
    place: u32,
    /// For each actor, or once: the value, and its truth.
    last: Vec<(f64, bool)>,
}

pub struct Play<'a> {
    pub level: &'a Level,
    pub tick: u64,
    pub numbers: [f64; NUMBERS],
    pub flags: [bool; FLAGS],
    pub ramped: f64,
    pub ramp: Option<Ramp>,
    pub actors: Vec<Actor>,
    pub timers: Vec<Timer>,
    pub machines: [Machine; ACTORS + 1],
    pub mail: Vec<(u64, u64, usize, f64)>,
    pub runs: Vec<Run>,
    pub kept: Vec<Kept>,
    pub off: Vec<bool>,
    pub off_own: Vec<bool>,
    pub uses: Vec<(Of, Option<usize>, Option<usize>, u64)>,
    pub rests: Vec<(Of, Option<usize>, Option<usize>, u64)>,
    watched: Vec<Watched>,
    pub begun: u64,
    pub queue: std::collections::VecDeque<Happens>,
    pub next: Vec<Happens>,
    /// Of the event under way: how it found each machine, by which a transition was taken, and what had begun before.
    pub found: ([Machine; ACTORS + 1], [bool; ACTORS + 1], u64),
    pub told: Vec<(u64, String)>,
    pub steps: u32,
}

/// Who awaits an event.
enum Awaits<'l> {
    Rule(Of, &'l Rule),
    /// Of the level's machine, or of an actor's.
    Way(bool, &'l Transition),
    Waits,
}

/// The actor that an event is about, and its values, where it fits.
type Bound = Option<(Option<usize>, Vec<f64>)>;

/// What an expression is read with.
#[derive(Clone, Copy, Default)]
pub struct Seen<'s> {
    pub me: Option<usize>,
    pub locals: &'s [f64],
}

impl<'a> Play<'a> {
    pub fn new(level: &'a Level) -> Self {
        let actor = |i: usize| Actor {
            w: (i + 1) as f64,
            at: PLACES[i],
            enabled: true,
            disabled_at: 0,
            created: 0,
            inside: [false; ZONES.len()],
        };
        let machines = [Machine { state: 0, entered: 0, stay: 1 }; ACTORS + 1];
        let mut play = Self {
            level,
            tick: 0,
            numbers: std::array::from_fn(|v| v as f64),
            flags: std::array::from_fn(|f| f == 1),
            ramped: 0.0,
            ramp: None,
            actors: (0..ACTORS).map(actor).collect(),
            timers: vec![Timer::default(), Timer { running: true, due: TIMERS[1], left: 0, order: 1 }],
            machines,
            mail: vec![],
            runs: vec![],
            kept: vec![],
            off: level.rules.iter().map(|r| r.off).collect(),
            off_own: level.own.iter().map(|r| r.off).collect(),
            uses: vec![],
            rests: vec![],
            watched: vec![],
            begun: 1,
            queue: std::collections::VecDeque::new(),
            next: vec![],
            found: (machines, [false; ACTORS + 1], 0),
            told: vec![],
            steps: 0,
        };
        play.watch_all();
        play
    }

    /// Every awaited expression once, at the place of the first that awaits it.
    fn watch_all(&mut self) {
        let own = self.level.own.iter().map(|r| (&r.when, r.place, true));
        let glows = self.level.glows.iter().flat_map(|s| &s.ways).map(|t| (t, true));
        let nights = self.level.states.iter().flat_map(|s| &s.ways).chain(&self.level.wherever).map(|t| (t, false));
        let ways = glows.chain(nights).filter_map(|(t, in_kind)| Some((t.when.as_ref()?, t.place, in_kind)));
        let rules = self.level.rules.iter().map(|r| (&r.when, r.place, false));
        for (event, place, in_kind) in own.chain(ways).chain(rules) {
            let Some(what) = Watch::of(event) else { continue };
            let text = what.text(in_kind);
            let own = text.contains("self.");
            if !self.watched.iter().any(|w| w.text == text) {
                self.watched.push(Watched { text, what, own, place, last: vec![] });
            }
        }
        for i in 0..self.watched.len() {
            let w = &self.watched[i];
            let of: Vec<Option<usize>> = if w.own { (0..ACTORS).map(Some).collect() } else { vec![None] };
            let last = of.iter().map(|a| (self.value(&w.what, *a), false)).collect();
            self.watched[i].last = last;
        }
    }

    fn value(&self, what: &Watch, me: Option<usize>) -> f64 {
        let seen = Seen { me, locals: &[] };
        match what {
            Watch::Number(n) => self.num(n, seen).expect("what is awaited divides by nothing"),
            Watch::Test(t) => f64::from(self.test(t, seen).expect("what is awaited divides by nothing")),
        }
    }

    pub fn num(&self, n: &Num, s: Seen) -> Result<f64, Division> {
        Ok(match n {
            Num::Lit(n) => *n as f64,
            Num::Var(v) => self.numbers[v % NUMBERS],
            Num::Own => self.actors[s.me.unwrap_or(0)].w,
            Num::Of(a) => self.actors[a % ACTORS].w,
            Num::Local(back) => match s.locals.len() {
                0 => 1.0,
                len => s.locals[len - 1 - back % len],
            },
            Num::Ramped => self.ramped.floor(),
            Num::Define => self.num(&self.level.define, Seen::default())?,
            Num::Count(v) => {
                let than = self.numbers[v % NUMBERS];
                self.actors.iter().filter(|a| a.enabled && a.w > than).count() as f64
            }
            Num::Two(calc, a, b) => {
                let (a, b) = (self.num(a, s)?, self.num(b, s)?);
                match calc {
                    Calc::Add => a + b,
                    Calc::Sub => a - b,
                    Calc::Mul => a * b,
                    Calc::Min => a.min(b),
                    Calc::Max => a.max(b),
                    Calc::Quotient | Calc::Mod if b == 0.0 => return Err(Division),
                    Calc::Quotient => (a / b).floor(),
                    Calc::Mod => a - b * (a / b).floor(),
                }
            }
            Num::If(c, a, b) => self.num(if self.test(c, s)? { a } else { b }, s)?,
        })
    }

    pub fn test(&self, t: &Test, s: Seen) -> Result<bool, Division> {
        Ok(match t {
            Test::Flag(f) => self.flags[f % FLAGS],
            Test::Less(a, b) => self.num(a, s)? < self.num(b, s)?,
            Test::AtLeast(a, b) => self.num(a, s)? >= self.num(b, s)?,
            Test::Same(a, b) => self.num(a, s)? == self.num(b, s)?,
            Test::Not(t) => !self.test(t, s)?,
            Test::And(a, b) => self.test(a, s)? && self.test(b, s)?,
            Test::Or(a, b) => self.test(a, s)? || self.test(b, s)?,
            Test::Running(t) => self.timers[t % TIMERS.len()].running,
            Test::In(a, z) => self.is_in(a % ACTORS, z % ZONES.len()),
            Test::State(n) => self.machines[NIGHT].state == n % STATES,
            Test::Glow(n) => self.machines[s.me.unwrap_or(0)].state == n % GLOWS,
            Test::Enabled(a) => self.actors[a % ACTORS].enabled,
        })
    }

    fn is_in(&self, a: usize, z: usize) -> bool {
        let ((x, y), (left, top, width, height)) = (self.actors[a].at, ZONES[z]);
        self.actors[a].enabled && (left..left + width).contains(&x) && (top..top + height).contains(&y)
    }

    pub fn order(&mut self) -> u64 {
        self.begun += 1;
        self.begun
    }

    pub fn fault(&mut self) {
        self.told.push((self.tick, format!("{} ! division_by_zero", self.tick)));
    }

    /// One tick, in the order of the contract.
    pub fn step(&mut self) {
        self.queue.clear();
        if self.tick == 0 {
            self.queue.extend([Happens::MachinesBegin, Happens::Start]);
        } else {
            self.ramps();
        }
        self.sense();
        self.time();
        for round in 1.. {
            self.notice();
            if self.queue.is_empty() || self.steps > 20_000 {
                break;
            }
            if round > 100 {
                self.told.push((self.tick, format!("{} ! rounds", self.tick)));
                for dropped in self.queue.drain(..) {
                    self.kept.retain(|k| dropped != Happens::Later(k.id));
                }
                break;
            }
            while let Some(h) = self.queue.pop_front() {
                self.take_up(h);
            }
            self.queue.extend(std::mem::take(&mut self.next));
        }
        self.tick += 1;
    }

    fn ramps(&mut self) {
        let Some(r) = self.ramp.clone() else { return };
        let k = self.tick - r.begun;
        self.ramped = if k >= r.ticks { r.to } else { r.from + (r.to - r.from) * k as f64 / r.ticks as f64 };
        if k >= r.ticks {
            self.ramp = None;
            let tick = self.tick;
            for run in self.runs.iter_mut().filter(|run| run.waits == Waits::Ramp(r.id)) {
                let actor = run.me.map(|a| &self.actors[a]).filter(|a| !a.enabled);
                run.waits = Waits::Ticks(actor.map_or(tick, |a| a.disabled_at));
            }
        }
    }

    fn sense(&mut self) {
        let (mut ends, mut begins) = (vec![], vec![]);
        for a in 0..ACTORS {
            for z in 0..ZONES.len() {
                let now = self.is_in(a, z);
                match (std::mem::replace(&mut self.actors[a].inside[z], now), now) {
                    (true, false) => ends.push(Happens::Leaves(a, z)),
                    (false, true) => begins.push(Happens::Enters(a, z)),
                    _ => {}
                }
            }
        }
        self.queue.extend(ends.into_iter().chain(begins));
    }

    fn time(&mut self) {
        let tick = self.tick;
        self.queue.push_back(Happens::Time);
        let mut due: Vec<(u64, Happens)> = vec![];
        for t in 0..TIMERS.len() {
            if self.timers[t].running && self.timers[t].due <= tick {
                due.push((self.timers[t].order, Happens::TimerEnds(t)));
                if t == 1 {
                    let order = self.order();
                    self.timers[t] = Timer { running: true, due: tick + TIMERS[1], left: 0, order };
                } else {
                    self.timers[t].running = false;
                }
            }
        }
        let (now, later) = std::mem::take(&mut self.mail).into_iter().partition(|(at, ..)| *at <= tick);
        self.mail = later;
        let now: Vec<(u64, u64, usize, f64)> = now;
        due.extend(now.into_iter().map(|(_, order, m, v)| (order, Happens::Hears(m, v))));
        for r in &self.runs {
            let over = match r.waits {
                Waits::Ticks(at) => at <= tick,
                Waits::Test { due, .. } | Waits::Message { due, .. } => due.is_some_and(|at| at <= tick),
                Waits::Ramp(_) => false,
            };
            if over && r.me.is_none_or(|a| self.actors[a].enabled) {
                due.push((r.id, Happens::Resumes(r.id)));
            }
        }
        due.sort_by_key(|(order, _)| *order);
        self.queue.extend(due.into_iter().map(|(_, h)| h));
    }

    fn notice(&mut self) {
        let mut raised: Vec<(u32, u64, Happens)> = vec![];
        for i in 0..self.watched.len() {
            for j in 0..self.watched[i].last.len() {
                let w = &self.watched[i];
                let of = w.own.then_some(j);
                if of.is_some_and(|a| !self.actors[a].enabled) {
                    continue;
                }
                let new = self.value(&w.what, of);
                let (old, was_true) = w.last[j];
                let forms = self.forms(&w.text, old, new, was_true);
                let (place, came) = (w.place, forms.iter().any(|f| *f));
                self.watched[i].last[j] = (new, new == 1.0);
                if came {
                    raised.push((place, j as u64, Happens::Watched { watch: i, of, forms }));
                }
            }
        }
        for m in 0..=NIGHT {
            let stands = m < NIGHT && !self.actors[m].enabled;
            let ways = self.ways(m, self.machines[m].state);
            let open = ways.iter().find(|t| t.when.is_none() && self.may_go(m, t, &[]));
            if let Some(t) = open.filter(|_| !stands) {
                raised.push((t.place, m as u64, Happens::Transits(m, t.place)));
            }
        }
        for r in &self.runs {
            let Waits::Test { test, .. } = &r.waits else { continue };
            let seen = Seen { me: r.me.or(r.bound), locals: &r.locals };
            let stands = r.me.is_some_and(|a| !self.actors[a].enabled);
            let queued = self.queue.contains(&Happens::Resumes(r.id));
            if !stands && !queued && self.test(&test.test, seen) == Ok(true) {
                raised.push((test.place, r.id, Happens::Resumes(r.id)));
            }
        }
        raised.sort_by_key(|(place, id, _)| (*place, *id));
        self.queue.extend(raised.into_iter().map(|(_, _, h)| h));
    }

    /// Which forms of an awaited expression came: one for each rule or way that awaits it, in the order of [`Self::whens`].
    fn forms(&self, text: &str, old: f64, new: f64, was_true: bool) -> Vec<bool> {
        let came = |event: &Event, in_kind: bool| {
            Watch::of(event).is_some_and(|w| w.text(in_kind) == text)
                && match event {
                    Event::Changes(_) => old != new,
                    Event::Turns(_, true) => new == 1.0 && !was_true,
                    Event::Turns(_, false) => new == 0.0 && was_true,
                    Event::Reaches(_, n) => old < *n as f64 && new >= *n as f64,
                    Event::Drops(_, n) => old > *n as f64 && new <= *n as f64,
                    _ => false,
                }
        };
        self.whens().iter().map(|(event, in_kind)| came(event, *in_kind)).collect()
    }

    fn whens(&self) -> Vec<(&'a Event, bool)> {
        let level: &'a Level = self.level;
        let own = level.own.iter().map(|r| (&r.when, true));
        let glows = level.glows.iter().flat_map(|s| &s.ways).filter_map(|t| Some((t.when.as_ref()?, true)));
        let nights = level.states.iter().flat_map(|s| &s.ways).chain(&level.wherever);
        let nights = nights.filter_map(|t| Some((t.when.as_ref()?, false)));
        own.chain(glows).chain(nights).chain(level.rules.iter().map(|r| (&r.when, false))).collect()
    }

    pub fn states(&self, m: usize) -> &'a [State] {
        let level: &'a Level = self.level;
        if m == NIGHT { &level.states } else { &level.glows }
    }

    /// The ways that lead out of a state, those of `wherever` last: they never lead to where it is.
    fn ways(&self, m: usize, state: usize) -> Vec<&'a Transition> {
        let level: &'a Level = self.level;
        let wherever: &[Transition] = if m == NIGHT { &level.wherever } else { &[] };
        let others = wherever.iter().filter(|t| t.to % STATES != state);
        self.states(m)[state].ways.iter().chain(others).collect()
    }

    fn may_go(&self, m: usize, t: &Transition, locals: &[f64]) -> bool {
        let seen = Seen { me: (m < NIGHT).then_some(m), locals };
        t.test.as_ref().is_none_or(|t| self.test(t, seen) == Ok(true))
    }

    /// Takes a way, for the event under way.
    fn take_way(&mut self, m: usize, t: &Transition, locals: Vec<f64>) {
        self.found.1[m] = true;
        self.go(m, t.to % self.states(m).len(), Some((t.then.clone(), locals)));
    }

    fn take_up(&mut self, h: Happens) {
        self.steps += 1;
        match h {
            Happens::MachinesBegin => {
                self.begin_event();
                for m in 0..=NIGHT {
                    self.next.push(if m == NIGHT { Happens::NightEnters(0) } else { Happens::GlowEnters(m, 0) });
                    self.enter(m);
                }
                return;
            }
            Happens::Resumes(id) => return self.resume(id),
            Happens::Later(id) => {
                let Some(at) = self.kept.iter().position(|k| k.id == id) else { return };
                let k = self.kept[at].clone();
                let stands = k.me.is_some_and(|a| !self.actors[a].enabled);
                if !stands && !self.waits_for(k.of, k.me, k.bound) {
                    self.kept.remove(at);
                    self.begin_event();
                    self.evaluate(k.of, k.me, k.bound, k.locals, true, &mut false);
                }
                return;
            }
            Happens::Transits(m, place) => {
                self.begin_event();
                let stands = m < NIGHT && !self.actors[m].enabled;
                let ways = self.ways(m, self.machines[m].state);
                let way = ways.into_iter().find(|t| t.place == place).filter(|t| !stands && self.may_go(m, t, &[]));
                if let Some(t) = way {
                    self.take_way(m, t, vec![]);
                }
                return;
            }
            _ => {}
        }
        self.begin_event();
        let level: &'a Level = self.level;
        // All that may await it, in the order in which they are evaluated; runs that wait for it come after the rules.
        let own = level.own.iter().enumerate().map(|(i, r)| (r.priority, Awaits::Rule(Of::Own(i), r)));
        let of_states = |states: &'a [State]| states.iter().flat_map(|s| &s.ways);
        let glows = of_states(&level.glows).map(|t| (false, t));
        let nights = of_states(&level.states).chain(&level.wherever).map(|t| (true, t));
        let ways = glows.chain(nights).filter(|(_, t)| t.when.is_some()).map(|(night, t)| (0, Awaits::Way(night, t)));
        let rules = level.rules.iter().enumerate().map(|(i, r)| (r.priority, Awaits::Rule(Of::Level(i), r)));
        let mut all: Vec<(usize, (i64, Awaits))> = own.chain(ways).chain(rules).enumerate().collect();
        all.push((usize::MAX, (0, Awaits::Waits)));
        all.sort_by_key(|(_, (priority, _))| std::cmp::Reverse(*priority));
        let mut passed = false;
        for (n, (_, evaluated)) in all {
            match evaluated {
                Awaits::Rule(of @ Of::Own(_), r) => {
                    for a in 0..ACTORS {
                        let age = self.tick - self.actors[a].created.min(self.tick);
                        if self.actors[a].enabled
                            && let Some((_, locals)) = self.fits(&r.when, n, &h, Some(a), age)
                        {
                            self.evaluate(of, Some(a), None, locals, false, &mut false);
                        }
                    }
                }
                Awaits::Rule(of, r) => {
                    if let Some((bound, locals)) = self.fits(&r.when, n, &h, None, self.tick) {
                        self.evaluate(of, None, bound, locals, false, &mut passed);
                    }
                }
                Awaits::Way(night, t) => {
                    let Some(when) = &t.when else { continue };
                    for m in if night { NIGHT..NIGHT + 1 } else { 0..ACTORS } {
                        let (was, taken) = (self.found.0[m], self.found.1[m]);
                        let is_its = self.ways(m, was.state).iter().any(|w| w.place == t.place);
                        let me = (m < NIGHT).then_some(m);
                        if taken || !is_its || me.is_some_and(|a| !self.actors[a].enabled) {
                            continue;
                        }
                        let age = self.tick.saturating_sub(was.entered);
                        if let Some((_, locals)) = self.fits(when, n, &h, me, age)
                            && self.may_go(m, t, &locals)
                        {
                            self.take_way(m, t, locals);
                        }
                    }
                }
                Awaits::Waits => self.go_on_for(&h),
            }
        }
    }

    /// Runs that wait for a message go on, but none that began to wait because of it.
    fn go_on_for(&mut self, h: &Happens) {
        let Happens::Hears(of, _) = h else { return };
        let before = self.found.2;
        let mut ids: Vec<(u32, u64)> = vec![];
        for r in &self.runs {
            if let Waits::Message { message, place, .. } = r.waits
                && message == *of
                && r.id <= before
            {
                ids.push((place, r.id));
            }
        }
        ids.sort_unstable();
        for (_, id) in ids {
            let Some(at) = self.runs.iter().position(|r| r.id == id) else { continue };
            if self.runs[at].me.is_none_or(|a| self.actors[a].enabled) {
                let run = self.runs.remove(at);
                self.carry_out(run);
            }
        }
    }

    fn begin_event(&mut self) {
        self.found = (self.machines, [false; ACTORS + 1], self.begun);
    }

    /// What an event binds where it fits: the actor that it is about, and its values.
    fn fits(&self, when: &Event, n: usize, h: &Happens, me: Option<usize>, age: u64) -> Bound {
        let none = Some((None, vec![]));
        match (when, h) {
            (Event::Start, Happens::Start) => none,
            (Event::Tick, Happens::Time) => none,
            (Event::Every(n), Happens::Time) if age > 0 && age.is_multiple_of(*n) => none,
            (Event::After(n), Happens::Time) if age == *n => none,
            (Event::Hears(m), Happens::Hears(of, v)) if m % MESSAGES == *of => Some((None, vec![*v])),
            (Event::TimerEnds(t), Happens::TimerEnds(of)) if t % TIMERS.len() == *of => none,
            (Event::Enters(z), Happens::Enters(a, of)) | (Event::Leaves(z), Happens::Leaves(a, of))
                if z % ZONES.len() == *of && me.is_none_or(|me| me == *a) =>
            {
                Some((Some(*a), vec![]))
            }
            (Event::NightEnters(s), Happens::NightEnters(of)) | (Event::NightLeaves(s), Happens::NightLeaves(of))
                if s % STATES == *of =>
            {
                none
            }
            (Event::GlowEnters(s), Happens::GlowEnters(a, of)) | (Event::GlowLeaves(s), Happens::GlowLeaves(a, of))
                if s % GLOWS == *of && me.is_none_or(|me| me == *a) =>
            {
                Some((Some(*a), vec![]))
            }
            (_, Happens::Watched { of, forms, .. }) if Watch::of(when).is_some() => {
                let mine = of.is_none_or(|a| me == Some(a));
                if forms[n] && mine { none } else { None }
            }
            _ => None,
        }
    }
}
