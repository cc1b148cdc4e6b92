//! The one walk over a world's whole state. The state hash comes from it, by which a replay proves itself, and the
//! [`StateKey`], by which a search knows a state again.
//!
//! Source: FNV-1a, 64 bits, over every field that the next tick depends on, in a fixed order. Every struct is taken
//! apart by name, so that a new field does not compile until it is hashed or left out with a reason.
//!
//! A key counts every tick from now, numbers what was begun by its order alone, and leaves out what nothing reads: how often
//! rules fired, when something began that is not asked for its age ([`Reads`](crate::program::Reads)).
//!
//! Invariant: where records lie ([`crate::record::Cause`]) is no part of it, so a world hashes the
//! same whoever recorded. Two worlds of one program with the same key go on the same with the same inputs (held by a
//! property test).

use crate::cause::Target;
use crate::dispatch::Timed;
use crate::program::Program;
use crate::world::*;
use mayfly_base::random::{FNV_START, fnv};
use mayfly_base::*;
use std::collections::BTreeMap;

/// The hash of a text.
pub fn of_text(s: &str) -> u64 {
    fnv(FNV_START, s.as_bytes())
}

/// What the next ticks depend on, as one number: not on how late it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct StateKey(pub u64);

/// What the walk is for.
enum Purpose<'p> {
    /// The state as it is.
    Hash,
    /// The numbers of what was begun are collected, for a key after it.
    Numbers(Vec<u64>),
    /// The state as one sees it from its own tick.
    Key {
        program: &'p Program,
        now: u64,
        /// The numbers of what was begun, in order.
        numbers: Vec<u64>,
        /// How many stays each machine had.
        stays: BTreeMap<MachineKey, u64>,
        /// Who is disabled, and since how many ticks: as long their time stands still.
        away: BTreeMap<ActorId, u64>,
    },
}

struct Hash<'p>(u64, Purpose<'p>);

impl Hash<'_> {
    fn bytes(&mut self, b: &[u8]) {
        self.0 = fnv(self.0, b);
    }
    fn n(&mut self, n: u64) {
        self.bytes(&n.to_le_bytes());
    }
    fn f(&mut self, n: f64) {
        // Both zeros are one number.
        self.n(if n == 0.0 { 0 } else { n.to_bits() });
    }
    fn s(&mut self, s: &str) {
        self.n(s.len() as u64);
        self.bytes(s.as_bytes());
    }
    fn id(&mut self, a: Option<ActorId>) {
        self.n(a.map_or(u64::MAX, |a| u64::from(a.0)));
    }
    fn point(&mut self, p: Point) {
        self.f(p.x);
        self.f(p.y);
        self.n(u64::from(p.area.0));
    }
    fn value(&mut self, v: &Value) {
        let two = |h: &mut Self, tag: u64, n: u64| {
            h.n(tag);
            h.n(n);
        };
        match v {
            Value::None => self.n(0),
            Value::Number(n) => {
                self.n(1);
                self.f(*n);
            }
            Value::Flag(b) => two(self, 2, u64::from(*b)),
            Value::Text(t) => {
                self.n(3);
                self.s(t);
            }
            Value::Duration(d) => two(self, 4, *d as u64),
            Value::Point(p) => {
                self.n(5);
                self.point(*p);
            }
            Value::Enum(e, x) => two(self, 6, u64::from(e.0) << 32 | u64::from(*x)),
            Value::Actor(a) => two(self, 7, a.0.into()),
            Value::Kind(k) => two(self, 8, k.0.into()),
            Value::Tag(t) => two(self, 9, t.0.into()),
            Value::Zone(z, a) => {
                two(self, 10, z.0.into());
                self.id(*a);
            }
            Value::Message(m) => two(self, 11, m.0.into()),
            Value::Tile(t) => two(self, 12, t.0.into()),
            Value::Path(p) => two(self, 13, p.0.into()),
            Value::Timer(t) => two(self, 14, t.0.into()),
            Value::Table(t) => two(self, 15, t.0.into()),
            Value::State(s) => two(self, 16, s.0.into()),
            Value::List(l) | Value::Set(l) => {
                two(self, 17, l.len() as u64);
                l.iter().for_each(|v| self.value(v));
            }
            Value::Tally(l) => {
                two(self, 18, l.len() as u64);
                for (v, n) in l.iter() {
                    self.value(v);
                    self.f(*n);
                }
            }
        }
    }
}

impl Hash<'_> {
    fn flag(&mut self, b: bool) {
        self.n(b.into());
    }

    /// A tick.
    fn tick(&mut self, t: u64) {
        match self.1 {
            Purpose::Key { now, .. } => self.n(t.wrapping_sub(now)),
            _ => self.n(t),
        }
    }

    /// A tick in the time of whoever it is about.
    fn tick_of(&mut self, t: u64, whose: Option<ActorId>) {
        self.tick(t + self.away(whose));
    }

    /// For a key, since how many ticks somebody is disabled.
    fn away(&self, whose: Option<ActorId>) -> u64 {
        match (&self.1, whose) {
            (Purpose::Key { away, .. }, Some(a)) => away.get(&a).copied().unwrap_or(0),
            _ => 0,
        }
    }

    /// A tick whose age counts only where that is asked for; `asked` is told the program.
    fn tick_if(&mut self, t: u64, asked: impl Fn(&Program) -> bool) {
        match &self.1 {
            Purpose::Key { program, .. } if !asked(program) => {}
            _ => self.tick(t),
        }
    }

    /// A number of the world's one count of what was begun: only their order counts.
    fn begun(&mut self, n: u64) {
        match &mut self.1 {
            Purpose::Hash => {}
            Purpose::Numbers(all) => all.push(n),
            Purpose::Key { numbers, .. } => {
                let rank = numbers.binary_search(&n).unwrap_or_else(|i| i) as u64;
                return self.n(rank);
            }
        }
        self.n(n);
    }

    /// Which stay of a machine it is, counted back from its last.
    fn stay(&mut self, machine: MachineKey, stay: u64) {
        let count = match &self.1 {
            Purpose::Key { stays, .. } => stays.get(&machine).copied().unwrap_or(0),
            _ => return self.n(stay),
        };
        self.n(count.wrapping_sub(stay));
    }

    /// What only a hash of the whole state holds.
    fn whole<const N: usize>(&mut self, list: [u64; N]) {
        if !matches!(self.1, Purpose::Key { .. }) {
            self.ns(list);
        }
    }

    /// For a key, in how many ticks time starts something next that counts from `since`; none: never again.
    fn dues(&mut self, since: u64, times: impl Fn(&Program) -> &[Timed]) {
        let Purpose::Key { program, now, .. } = self.1 else { return };
        for t in times(program) {
            self.n(t.next_due(since, now).map_or(u64::MAX, |due| due - now));
        }
    }

    fn ns<const N: usize>(&mut self, list: [u64; N]) {
        list.into_iter().for_each(|n| self.n(n));
    }

    fn flags<const N: usize>(&mut self, list: [bool; N]) {
        list.into_iter().for_each(|b| self.flag(b));
    }

    /// A list, with how long it is: two lists behind each other are not one.
    fn each<T>(&mut self, list: impl ExactSizeIterator<Item = T>, mut one: impl FnMut(&mut Self, T)) {
        self.n(list.len() as u64);
        list.for_each(|x| one(self, x));
    }

    fn maybe<T>(&mut self, x: Option<T>, one: impl FnOnce(&mut Self, T)) {
        self.flag(x.is_some());
        if let Some(x) = x {
            one(self, x);
        }
    }

    fn values(&mut self, list: &[Value]) {
        self.each(list.iter(), Self::value);
    }

    fn zone_key(&mut self, (z, of): ZoneKey) {
        self.n(z.0.into());
        self.id(of);
    }

    fn home(&mut self, home: Option<Home>) {
        self.maybe(home, |h, Home { machine: (m, of), state, stay }| {
            h.n(m.0.into());
            h.id(of);
            h.n(state.0.into());
            h.stay((m, of), stay);
        });
    }

    fn target(&mut self, target: Target) {
        match target {
            Target::Var(v) => self.ns([0, v.0.into(), 0]),
            Target::Field(a, f) => self.ns([1, a.0.into(), f.0.into()]),
            Target::Attr(a, attr) => self.ns([2, a.0.into(), attr as u64]),
            Target::Local(s) => self.ns([3, s.into(), 0]),
            Target::ClockSpeed(c) => self.ns([4, c.0.into(), 0]),
        };
    }

    fn order(&mut self, o: &Order) {
        // For what a way was planned is no part: it only saves planning it again.
        let Order { id, goal, speed, straight, until, way, left, aim, planned: _, detour, stuck, home, cause: _ } = o;
        self.begun(*id);
        match goal {
            Destination::To(p) => self.point(*p),
            Destination::Along(p, i, back) => {
                self.ns([p.0.into(), (*i).into(), u64::from(*back)]);
            }
            Destination::After(a) => self.id(Some(*a)),
            Destination::AwayFrom(a, p) => {
                self.id(*a);
                self.point(*p);
            }
        }
        self.maybe(*speed, Self::f);
        self.flags([*straight, *detour, *stuck]);
        self.maybe(*until, Self::tick);
        self.maybe(way.as_ref(), |h, w| h.each(w[..(*left).min(w.len())].iter(), |h, p| h.point(*p)));
        self.maybe(*aim, Self::point);
        self.home(*home);
    }

    /// An actor; without an id its first state, to which `reset` brings it back.
    fn actor(&mut self, a: &Actor, id: Option<ActorId>) {
        // What follows from other fields is left out: the hash of the name, and what moved it.
        let Actor {
            at,
            before,
            cell,
            walk,
            speed,
            step,
            pressed,
            moved_by: _,
            facing,
            enabled,
            gone,
            is_zone,
            dirty,
            moved,
            jumped,
            solid,
            opaque,
            visible,
            tangible,
            is_tombstone,
            area,
            kind,
            name_hash: _,
            inside,
            ground,
            bump,
            fields,
            rest,
        } = a;
        [*at, *before].into_iter().for_each(|p| self.point(p));
        self.ns([cell.0 as u64, cell.1 as u64, (*facing).into(), area.0.into(), kind.0.into()]);
        self.f(*speed);
        self.flags([
            *enabled,
            *gone,
            *is_zone,
            *dirty,
            *moved,
            *jumped,
            *solid,
            *opaque,
            *visible,
            *tangible,
            *is_tombstone,
        ]);
        self.maybe(walk.as_deref(), Self::order);
        self.maybe(step.as_deref(), |h, Step { from, to, back, cause: _ }| {
            [*from, *to].into_iter().for_each(|p| h.point(p));
            h.flag(*back);
        });
        self.maybe(pressed.as_deref(), |h, Pressed { arrow, then }| {
            h.n(arrow.0.into());
            h.maybe(*then, |h, (d, _)| h.n(d.into()));
        });
        self.each(inside.iter(), |h, (zone, since)| {
            h.zone_key(*zone);
            h.tick_if(*since, |p| p.dispatch.lasting.0);
        });
        self.maybe(ground.as_deref(), |h, ((x, y), t)| {
            h.ns([*x as u64, *y as u64, t.0.into()]);
        });
        self.maybe(bump.as_deref(), |h, Bump { into, at, facing, other_at, other_facing }| {
            h.ns(match into {
                BumpInto::Tile(t) => [0, u64::from(t.0)],
                BumpInto::Actor(a) => [1, a.0.into()],
                BumpInto::Edge => [2, 0],
            });
            [*at, *other_at].into_iter().for_each(|p| h.point(p));
            h.ns([*facing, *other_facing].map(u64::from));
        });
        self.values(fields);
        let Rest { name, stream, zone, look, colour, tags, frozen, checkpoint, created, disabled_at, size, first } =
            &**rest;
        [name, stream, look].into_iter().for_each(|s| self.s(s));
        self.maybe(*zone, |h, z| h.n(z.0.into()));
        self.each(tags.iter(), |h, t| h.n(t.0.into()));
        self.flag(*frozen);
        self.point(checkpoint.0);
        self.ns([(*colour).into(), checkpoint.1.into()]);
        self.whole([*created, *disabled_at]);
        if let Some(id) = id {
            self.dues(*created + self.away(Some(id)), |p| &p.dispatch.kind_times);
        }
        self.f(size.0);
        self.f(size.1);
        // The first state of an actor has no first state of its own.
        self.maybe(first.as_deref(), |h, a| h.actor(a, None));
    }

    fn run(&mut self, r: &Run) {
        let Run { id, rule, me, locals, stack, floor, pc, wait, home, cause: _ } = r;
        self.begun(*id);
        self.ns([rule.0.into(), (*pc).into(), *floor as u64]);
        self.id(*me);
        self.values(locals);
        self.each(stack.iter(), |h, Frame { pc, locals, into }| {
            h.n((*pc).into());
            h.values(locals);
            h.maybe(*into, |h, s| h.n(s.into()));
        });
        match wait {
            Wait::Until(t) => {
                self.n(0);
                self.tick_of(*t, *me);
                self.n(0);
            }
            Wait::Test(t) => {
                self.n(1);
                self.limit(*t, *me);
                self.n(0);
            }
            Wait::Event(rule, t) => {
                self.n(2);
                self.limit(*t, *me);
                self.n(rule.0.into());
            }
            Wait::Walk(a, order) => {
                self.ns([3, a.0.into()]);
                self.begun(*order);
            }
            Wait::Ramp(id) => {
                self.n(4);
                self.begun(*id);
                self.n(0);
            }
        }
        self.home(*home);
    }

    /// The last tick of something, where it has one.
    fn limit(&mut self, t: Option<u64>, whose: Option<ActorId>) {
        match t {
            Some(t) => self.tick_of(t, whose),
            None => self.n(u64::MAX),
        }
    }

    fn ended(&mut self, Ended { tick, win, text }: &Ended) {
        self.tick(*tick);
        self.flag(*win);
        self.s(text);
    }
}

/// The hash of a world.
pub fn state_hash(w: &World) -> u64 {
    let mut h = Hash(FNV_START, Purpose::Hash);
    world(&mut h, w);
    h.0
}

/// What the next ticks of a world depend on. Two worlds of one program with the same key go on the same with the same inputs,
/// but for the numbers of ticks, and for what a poke asks that nothing in the level asks.
pub fn state_key(program: &Program, w: &World) -> StateKey {
    let mut h = Hash(FNV_START, Purpose::Numbers(vec![]));
    world(&mut h, w);
    let Purpose::Numbers(mut numbers) = h.1 else { unreachable!("the walk changes no purpose") };
    numbers.sort_unstable();
    numbers.dedup();
    let stays = w.machines.iter().map(|(key, m)| (*key, m.count)).collect();
    let away = w.ones().filter(|(_, a)| !a.enabled).map(|(id, a)| (id, w.next - a.disabled_at.min(w.next))).collect();
    let mut h = Hash(FNV_START, Purpose::Key { program, now: w.next, numbers, stays, away });
    world(&mut h, w);
    StateKey(h.0)
}

fn world(h: &mut Hash, w: &World) {
    // Left out is what follows from other fields: the shapes of zones (tiles that were laid), what stops actors and
    // who of them stands where (actors), and by which number ways were planned. `tick` is told by `next`.
    let World {
        tick: _,
        next,
        base,
        seed,
        vars,
        first_vars,
        actors,
        numbered,
        zone_off,
        timers,
        clocks,
        laid,
        fresh,
        sight_changed,
        sight_cause: _,
        shapes: _,
        changes: _,
        stood: _,
        faulty,
        solids: _,
        seen,
        origins,
        removed,
        bytes,
        rules,
        uses,
        rests,
        runs,
        stopped,
        later,
        mail,
        watched,
        stale,
        contacts,
        near,
        machines,
        ramps,
        signs,
        random,
        down,
        begun,
        ended,
        ending,
    } = w;
    if let Purpose::Key { program, now, .. } = h.1 {
        let age = now - base;
        h.ns([if program.reads.time { age } else { u64::from(age == 0) }, *seed, *bytes as u64]);
        h.dues(*base, |p| &p.dispatch.level_times);
    } else {
        h.ns([*next, *base, *seed, *begun, *bytes as u64]);
    }
    h.flags([*sight_changed, *removed]);
    h.values(vars);
    h.values(first_vars);
    h.n(actors.made() as u64);
    for (id, a) in actors.iter() {
        h.n(id.0.into());
        h.actor(a, Some(id));
    }
    h.each(numbered.iter(), |h, n| h.n((*n).into()));
    h.each(zone_off.iter(), |h, b| h.flag(*b));
    h.each(timers.iter(), |h, TimerState { running, due, left, length, order, cause: _ }| {
        h.flag(*running);
        if matches!(h.1, Purpose::Key { .. }) && !*running {
            h.ns([*left, *length]);
        } else {
            h.tick(*due);
            h.ns([*left, *length]);
            h.begun(*order);
        }
    });
    h.each(clocks.iter(), |h, ClockState { shows, run, part, speed, paused }| {
        let reads_run = !matches!(h.1, Purpose::Key { program, .. } if !program.reads.clock_totals);
        h.ns([*shows, if reads_run { *run } else { 0 }, *part as u64, (*part >> 64) as u64]);
        h.f(*speed);
        h.flag(*paused);
    });
    let cell = |h: &mut Hash, (area, x, y): (AreaId, i64, i64)| {
        h.ns([area.0.into(), x as u64, y as u64]);
    };
    h.each(laid.iter(), |h, (c, t)| {
        cell(h, *c);
        h.n(t.0.into());
    });
    h.each(fresh.iter(), |h, (c, _)| cell(h, *c));
    h.each(faulty.iter(), |h, (rule, me)| {
        h.n(rule.0.into());
        h.id(*me);
    });
    let pair = |h: &mut Hash, a: ActorId, b: ActorId| h.ns([a.0.into(), b.0.into()]);
    h.each(seen.iter(), |h, ((a, b), since)| {
        pair(h, *a, *b);
        h.tick_if(*since, |p| p.dispatch.lasting.2);
    });
    h.each(contacts.iter(), |h, ((a, b), Contact { since })| {
        pair(h, *a, *b);
        h.tick_if(*since, |p| p.dispatch.lasting.1);
    });
    h.each(near.iter(), |h, ((range, a, b), since)| {
        h.n((*range).into());
        pair(h, *a, *b);
        h.tick_if(*since, |p| p.dispatch.lasts_near(mayfly_base::code::RangeId(*range)));
    });
    h.each(origins.iter(), |h, ((kind, area, x, y), n)| {
        h.ns([kind.0.into(), area.0.into(), *x, *y, (*n).into()]);
    });
    h.each(rules.iter(), |h, RuleState { on, fired, held, spent }| {
        h.flag(*on);
        h.whole([*fired, *held, *spent]);
    });
    h.each(uses.iter(), |h, ((rule, limit, me, whom), n)| {
        h.ns([rule.0.into(), (*limit).into(), *n]);
        h.id(*me);
        h.id(*whom);
    });
    // For a key a rest that is over is none.
    let now = if let Purpose::Key { now, .. } = h.1 { now } else { 0 };
    let rests: Vec<_> = rests.iter().filter(|(_, until)| **until > now || now == 0).collect();
    h.each(rests.into_iter(), |h, ((rule, limit, me, whom), until)| {
        h.ns([rule.0.into(), (*limit).into()]);
        h.tick(*until);
        h.id(*me);
        h.id(*whom);
    });
    h.each(runs.iter(), |h, r| h.run(r));
    h.each(stopped.iter(), |h, a| h.id(Some(*a)));
    h.each(later.iter(), |h, Later { id, rule, when, me, locals, cause: _ }| {
        h.begun(*id);
        h.ns([rule.0.into(), (*when).into()]);
        h.id(*me);
        h.values(locals);
    });
    h.each(mail.iter(), |h, Mail { due, order, message, args, to, cause: _ }| {
        h.tick(*due);
        h.begun(*order);
        h.n(message.0.into());
        h.values(args);
        h.maybe(to.as_ref(), |h, to| h.each(to.iter(), |h, a| h.id(Some(*a))));
    });
    h.each(watched.iter(), |h, list| {
        h.each(list.iter(), |h, WatchState { actor, last, truth, before, faulty }| {
            h.id(*actor);
            h.value(last);
            h.flag(*truth);
            h.flag(*faulty);
            h.n(*before);
        });
    });
    h.each(stale.iter(), |h, (watch, actor, _)| {
        h.n(watch.0.into());
        h.id(*actor);
    });
    h.each(machines.iter(), |h, ((m, of), MachineState { state, previous, stays, count })| {
        h.ns([m.0.into(), state.0.into(), previous.map_or(u64::MAX, |p| p.0.into())]);
        h.whole([*count]);
        h.id(*of);
        h.each(stays.iter(), |h, (state, since, stay)| {
            h.n(state.0.into());
            h.tick_if(*since, |p| p.reads.stay_ages);
            h.dues(*since + h.away(*of), |p| &p.dispatch.state_times);
            h.stay((*m, *of), *stay);
        });
    });
    h.each(ramps.iter(), |h, r| {
        let Ramp { id, target, from, to, ticks, done, smooth, slide, pc, home, cause: _ } = r;
        h.begun(*id);
        h.ns([*ticks, *done, (*pc).into()]);
        h.target(*target);
        h.value(from);
        h.value(to);
        h.flags([*smooth, *slide]);
        h.home(*home);
    });
    h.each(signs.iter(), |h, Sign { pc, me, on, locals, board, home, rule, until, faulty }| {
        h.ns([(*pc).into(), rule.0.into()]);
        h.limit(*until, None);
        h.id(*me);
        h.id(*on);
        h.values(locals);
        h.flags([*board, *faulty]);
        h.home(*home);
    });
    let RandomStreams { streams, fixed } = &*random.borrow();
    h.each(streams.iter(), |h, ((draw, me, rule), stream)| {
        h.ns([draw.0.into(), rule.map_or(u64::MAX, |r| r.0.into()), stream.drawn()]);
        h.id(*me);
    });
    h.each(fixed.iter(), |h, (draw, values)| {
        h.n(draw.0.into());
        h.values(values);
    });
    h.each(down.iter(), |h, ((a, input), since)| {
        h.ns([a.0.into(), input.0.into()]);
        h.tick(*since);
    });
    h.maybe(ended.as_ref(), |h, e| h.ended(e));
    h.maybe(ending.as_ref(), |h, e| match e {
        Ending::End(e) => h.ended(e),
        Ending::Restart => h.n(u64::MAX),
    });
}
