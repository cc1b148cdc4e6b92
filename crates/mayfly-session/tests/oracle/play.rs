//! What a made-up level does, by the words of the contract alone: one tick after the other, nothing indexed, nothing kept.
//!
//! Not here: how actions are carried out ([`super::act`]).
//!
//! Invariant: nothing of the engine is used; only the level as data.

use super::form::*;
use super::state::*;
use super::values::Seen;

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
    pub machines: Vec<Machine>,
    pub mail: Vec<(u64, u64, usize, f64)>,
    pub runs: Vec<Run>,
    pub kept: Vec<Kept>,
    pub off: Vec<bool>,
    pub uses: Vec<(Of, Option<usize>, Option<usize>, u64)>,
    pub rests: Vec<(Of, Option<usize>, Option<usize>, u64)>,
    watched: Vec<Watched>,
    pub begun: u64,
    pub queue: std::collections::VecDeque<Happens>,
    pub next: Vec<Happens>,
    /// How the event under way found the machines.
    pub found: Before,
    /// First states that are still to be entered: the machine and the stay.
    pub unbegun: Vec<(usize, u64)>,
    /// Who was reset in this tick, in order.
    pub resets: Vec<usize>,
    /// Transitions inside each other.
    pub nested: u32,
    pub told: Vec<(u64, String)>,
    pub steps: u32,
}

/// Who awaits an event.
#[derive(Clone, Copy)]
enum Awaits<'l> {
    Rule(Of, &'l Rule),
    /// Of the level's machine, or of an actor's; out of a state, or from wherever.
    Way(bool, Option<usize>, &'l Transition),
    Waits,
}

impl<'l> Awaits<'l> {
    /// Its event and place, and whether it is there once for each actor.
    fn when(self) -> Option<(&'l Event, u32, bool)> {
        match self {
            Self::Rule(of, r) => Some((&r.when, r.place, of.is_own())),
            Self::Way(night, _, t) => Some((t.when.as_ref()?, t.place, !night)),
            Self::Waits => None,
        }
    }
}

/// The actor that an event is about, and its values, where it fits.
type Bound = Option<(Option<usize>, Vec<f64>)>;

impl<'a> Play<'a> {
    pub fn new(level: &'a Level) -> Self {
        let actor = |i: usize| Actor::new((i + 1) as f64, PLACES[i], 0, false);
        let machines = vec![Machine::new(0); ACTORS + 1];
        let mut play = Self {
            level,
            tick: 0,
            numbers: std::array::from_fn(|v| v as f64),
            flags: std::array::from_fn(|f| f == 1),
            ramped: 0.0,
            ramp: None,
            actors: (0..ACTORS).map(actor).collect(),
            timers: vec![Timer::default(), Timer { running: true, due: TIMERS[1], left: 0, order: 1 }],
            machines: machines.clone(),
            mail: vec![],
            runs: vec![],
            kept: vec![],
            off: level.rules.iter().map(|r| r.off).collect(),
            uses: vec![],
            rests: vec![],
            watched: vec![],
            begun: 1,
            queue: std::collections::VecDeque::new(),
            next: vec![],
            found: Before { machines, taken: vec![], begun: 0 },
            unbegun: (0..=ACTORS).map(|m| (m, 1)).collect(),
            resets: vec![],
            nested: 0,
            told: vec![],
            steps: 0,
        };
        play.watch_all();
        play
    }

    /// Every awaited expression once, at the place of the first that awaits it.
    fn watch_all(&mut self) {
        for (event, place, in_kind) in self.parts().into_iter().filter_map(Awaits::when) {
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

    /// What is awaited of each actor is awaited of a new one too.
    pub fn watch_one(&mut self, a: usize) {
        for i in 0..self.watched.len() {
            if self.watched[i].own {
                let value = self.value(&self.watched[i].what, Some(a));
                self.watched[i].last.push((value, false));
            }
        }
    }

    fn value(&self, what: &Watch, me: Option<usize>) -> f64 {
        let seen = Seen { me, locals: &[] };
        match what {
            Watch::Number(n) => self.num(n, seen).expect("what is awaited divides by nothing"),
            Watch::Test(t) => f64::from(self.test(t, seen).expect("what is awaited divides by nothing")),
        }
    }

    /// It does so much that more of it says nothing new: it is given up.
    pub fn is_too_much(&self) -> bool {
        self.steps > 20_000 || self.actors.len() > 40
    }

    pub fn order(&mut self) -> u64 {
        self.begun += 1;
        self.begun
    }

    pub fn fault(&mut self, fault: Fault) {
        let kind = match fault {
            Fault::Division => "division_by_zero",
            Fault::Recursion => "recursion",
        };
        self.told.push((self.tick, format!("{} ! {kind}", self.tick)));
    }

    /// One tick, in the order of the contract.
    pub fn step(&mut self) {
        self.queue.clear();
        self.resets.clear();
        if self.tick == 0 {
            self.queue.extend([Happens::MachinesBegin(None), Happens::Start]);
        } else {
            self.ramps();
        }
        self.sense();
        self.time();
        for round in 1.. {
            self.notice();
            if self.queue.is_empty() || self.is_too_much() {
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
        self.unbegun.clear();
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
        for a in (0..self.actors.len()).filter(|a| !self.actors[*a].gone).collect::<Vec<_>>() {
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
                if of.is_some_and(|a| !self.actors[a].is_there()) {
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
        for (m, now) in self.machines.iter().enumerate() {
            let stands = owner(m).is_some_and(|a| !self.actors[a].is_there());
            let ways = self.ways(m, now);
            let open = ways.into_iter().find(|(from, t)| t.when.is_none() && self.may_go(m, *from, t, &[]));
            if let Some((_, t)) = open.filter(|_| !stands) {
                raised.push((t.place, m as u64, Happens::Transits(m, t.place)));
            }
        }
        for r in &self.runs {
            let Waits::Test { test, .. } = &r.waits else { continue };
            let seen = Seen { me: r.own(), locals: &r.locals };
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
        let parts = self.parts();
        parts.iter().map(|p| p.when().is_some_and(|(event, _, in_kind)| came(event, in_kind))).collect()
    }

    /// All rules and transitions, in the order in which they are asked.
    fn parts(&self) -> Vec<Awaits<'a>> {
        let level: &'a Level = self.level;
        fn state<'l>(night: bool, i: usize, s: &'l State, inner: &'l [State], all: &mut Vec<Awaits<'l>>) {
            let ways = s.ways.iter().map(|t| Awaits::Way(night, Some(i), t));
            let of = |n| if night { Of::Night(i, n) } else { Of::Glow(i, n) };
            let rules = s.rules.iter().enumerate().map(|(n, r)| Awaits::Rule(of(n), r));
            all.extend(ways.clone().take(usize::from(inner.is_empty())));
            all.extend(rules);
            for (n, s) in inner.iter().enumerate() {
                state(night, INNER + n, s, &[], all);
            }
            all.extend(ways.skip(usize::from(inner.is_empty())));
        }
        let mut all: Vec<Awaits<'a>> = vec![];
        all.extend(level.own.iter().enumerate().map(|(i, r)| Awaits::Rule(Of::Own(i), r)));
        for (i, s) in level.glows.iter().enumerate() {
            state(false, i, s, &[], &mut all);
        }
        for (i, s) in level.states[..INNER].iter().enumerate() {
            state(true, i, s, if i == HOLDER { &level.states[INNER..] } else { &[] }, &mut all);
        }
        all.extend(level.wherever.iter().map(|t| Awaits::Way(true, None, t)));
        all.extend(level.rules.iter().enumerate().map(|(i, r)| Awaits::Rule(Of::Level(i), r)));
        all
    }

    pub fn is_entering_awaited(&self, m: usize, state: usize) -> bool {
        self.parts().into_iter().filter_map(Awaits::when).any(|(event, ..)| match event {
            Event::NightEnters(s) => m == NIGHT && s % STATES == state,
            Event::GlowEnters(s) => m != NIGHT && s % GLOWS == state,
            _ => false,
        })
    }

    pub fn states(&self, m: usize) -> &'a [State] {
        let level: &'a Level = self.level;
        if m == NIGHT { &level.states } else { &level.glows }
    }

    /// The ways that lead out of where a machine is, inner ones first, those of `wherever` last: they never lead to where it
    /// is.
    fn ways(&self, m: usize, now: &Machine) -> Vec<(Option<usize>, &'a Transition)> {
        let level: &'a Level = self.level;
        let wherever: &[Transition] = if m == NIGHT { &level.wherever } else { &[] };
        let leads_on = |t: &&Transition| !matches!(t.to, To::State(s) if now.is_in(s % STATES));
        let own = now.stays.iter().rev().flat_map(|s| self.states(m)[s.state].ways.iter().map(|t| (Some(s.state), t)));
        own.chain(wherever.iter().filter(leads_on).map(|t| (None, t))).collect()
    }

    /// Where a way leads now; from wherever never to where the machine is.
    fn goal(&self, m: usize, from: Option<usize>, t: &Transition) -> Option<usize> {
        let now = &self.machines[m];
        match t.to {
            To::State(s) => Some(s % self.states(m).len()),
            To::Previous => now.before.filter(|s| from.is_some() || !now.is_in(*s)),
        }
    }

    fn may_go(&self, m: usize, from: Option<usize>, t: &Transition, locals: &[f64]) -> bool {
        let seen = Seen { me: owner(m), locals };
        t.test.as_ref().is_none_or(|t| self.test(t, seen) == Ok(true)) && self.goal(m, from, t).is_some()
    }

    /// Takes a way, for the event under way.
    fn take_way(&mut self, m: usize, from: Option<usize>, t: &Transition, locals: Vec<f64>) {
        let Some(to) = self.goal(m, from, t) else { return };
        self.found.taken[m] = true;
        if let Err(fault) = self.go(m, from, to, Some((t.then.clone(), locals))) {
            self.fault(fault);
        }
    }

    /// True of an event about one that is gone, of whose end it does not tell.
    fn is_about_gone(&self, h: &Happens) -> bool {
        let of = match h {
            Happens::Enters(a, _) | Happens::GlowEnters(a, _) | Happens::GlowLeaves(a, _) | Happens::Spawns(a) => {
                Some(*a)
            }
            Happens::Watched { of, .. } | Happens::MachinesBegin(of) => *of,
            Happens::Transits(m, _) => owner(*m),
            _ => None,
        };
        of.is_some_and(|a| self.actors[a].gone)
    }

    fn take_up(&mut self, h: Happens) {
        self.steps += 1;
        if self.is_too_much() || self.is_about_gone(&h) {
            return;
        }
        match h {
            Happens::MachinesBegin(of) => {
                self.begin_event();
                let all: Vec<usize> = (1..self.machines.len()).chain([NIGHT]).collect();
                for m in all.into_iter().filter(|m| of.is_none() || owner(*m) == of) {
                    self.begin_machine(m);
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
                let stands = owner(m).is_some_and(|a| !self.actors[a].enabled);
                let way = self.ways(m, &self.machines[m]).into_iter().find(|(_, t)| t.place == place);
                if let Some((from, t)) = way.filter(|(from, t)| !stands && self.may_go(m, *from, t, &[])) {
                    self.take_way(m, from, t, vec![]);
                }
                return;
            }
            _ => {}
        }
        self.begin_event();
        // All that may await it, in the order in which they are evaluated; runs that wait for it come after the rules.
        let priority = |a: &Awaits| if let Awaits::Rule(_, r) = a { r.priority } else { 0 };
        let mut all: Vec<(usize, Awaits)> = self.parts().into_iter().enumerate().collect();
        all.push((usize::MAX, Awaits::Waits));
        all.sort_by_key(|(_, a)| std::cmp::Reverse(priority(a)));
        let mut passed = false;
        for (n, evaluated) in all {
            match evaluated {
                Awaits::Rule(of, r) if of.is_own() => {
                    // Who is spawned because of an event is not evaluated for it.
                    for a in 0..self.found.machines.len() - 1 {
                        if let Some(age) = self.awake_since(of, a, &h)
                            && let Some((_, locals)) = self.fits(&r.when, n, &h, Some(a), age)
                        {
                            self.evaluate(of, Some(a), None, locals, false, &mut false);
                        }
                    }
                }
                Awaits::Rule(of, r) => {
                    let stay = match of {
                        Of::Night(s, _) => self.machines[NIGHT].stay(s).map(|s| s.since),
                        _ => Some(0),
                    };
                    if let Some(since) = stay
                        && let Some((bound, locals)) = self.fits(&r.when, n, &h, None, self.tick - since)
                    {
                        self.evaluate(of, None, bound, locals, false, &mut passed);
                    }
                }
                Awaits::Way(night, from, t) => self.evaluate_way(night, from, t, n, &h),
                Awaits::Waits => self.go_on_for(&h),
            }
        }
    }

    /// How long a rule of an actor counts; none where it is asleep with its state, or the actor is not there.
    fn awake_since(&self, of: Of, a: usize, h: &Happens) -> Option<u64> {
        let actor = &self.actors[a];
        // One that is removed still hears of its own end.
        let ends = matches!(h, Happens::Leaves(..) | Happens::Removed(_));
        let since = match of {
            Of::Glow(s, _) => self.machines[a + 1].stay(s)?.since,
            _ => actor.created,
        };
        (actor.enabled && (!actor.gone || ends)).then_some(self.tick.saturating_sub(since))
    }

    /// A transition for one event: of the state that the event found.
    fn evaluate_way(&mut self, night: bool, from: Option<usize>, t: &Transition, n: usize, h: &Happens) {
        let Some(when) = &t.when else { return };
        for m in if night { NIGHT..NIGHT + 1 } else { 1..self.found.machines.len() } {
            let was = &self.found.machines[m];
            let is_its = self.ways(m, was).iter().any(|(_, w)| w.place == t.place);
            let me = owner(m);
            if self.found.taken[m] || !is_its || me.is_some_and(|a| !self.actors[a].is_there()) {
                continue;
            }
            let stay = from.map_or(was.stays.last().copied(), |s| was.stay(s));
            let age = self.tick.saturating_sub(stay.map_or(0, |s| s.since));
            if let Some((_, locals)) = self.fits(when, n, h, me, age)
                && self.may_go(m, from, t, &locals)
            {
                self.take_way(m, from, t, locals);
            }
        }
    }

    /// Runs that wait for a message go on, but none that began to wait because of it.
    fn go_on_for(&mut self, h: &Happens) {
        let Happens::Hears(of, _) = h else { return };
        let before = self.found.begun;
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
        let taken = vec![false; self.machines.len()];
        self.found = Before { machines: self.machines.clone(), taken, begun: self.begun };
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
            (Event::Spawns, Happens::Spawns(a)) | (Event::Removed, Happens::Removed(a))
                if me.is_none_or(|me| me == *a) =>
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
