//! The walk: every field of every part of a state, in a fixed order.
//!
//! Invariant: parts are taken apart by name, so that a new field does not compile until it stands here.

use super::sink::{Hash, Purpose};
use crate::cause::Target;
use crate::world::*;
use mayfly_base::*;

impl Hash<'_> {
    pub(super) fn values(&mut self, list: &[Value]) {
        self.each(list.iter(), Self::value);
    }

    pub(super) fn zone_key(&mut self, (z, of): ZoneKey) {
        self.n(z.0.into());
        self.id(of);
    }

    pub(super) fn home(&mut self, home: Option<Home>) {
        self.maybe(home, |h, Home { machine: (m, of), state, stay }| {
            h.n(m.0.into());
            h.id(of);
            h.n(state.0.into());
            h.stay((m, of), stay);
        });
    }

    pub(super) fn target(&mut self, target: Target) {
        match target {
            Target::Var(v) => self.ns([0, v.0.into(), 0]),
            Target::Field(a, f) => self.ns([1, a.0.into(), f.0.into()]),
            Target::Attr(a, attr) => self.ns([2, a.0.into(), attr as u64]),
            Target::Local(s) => self.ns([3, s.into(), 0]),
            Target::ClockSpeed(c) => self.ns([4, c.0.into(), 0]),
        };
    }

    pub(super) fn order(&mut self, o: &Order) {
        // For what a way was planned is no part: it only saves planning it again.
        let Order { id, goal, speed, straight, ticks_left, way, left, aim, planned: _, detour, stuck, home, cause: _ } =
            o;
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
        self.maybe(*ticks_left, |h, n| h.ns([n]));
        self.maybe(way.as_ref(), |h, w| h.each(w[..(*left).min(w.len())].iter(), |h, p| h.point(*p)));
        self.maybe(*aim, Self::point);
        self.home(*home);
    }

    /// An actor; without an id its first state, to which `reset` brings it back.
    pub(super) fn actor(&mut self, a: &Actor, id: Option<ActorId>) {
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
        // Of one that has been sensed where it is, it follows from its place.
        let cell = if *dirty || *moved || *jumped { *cell } else { at.cell() };
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

    pub(super) fn run(&mut self, r: &Run) {
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
    pub(super) fn limit(&mut self, t: Option<u64>, whose: Option<ActorId>) {
        match t {
            Some(t) => self.tick_of(t, whose),
            None => self.n(u64::MAX),
        }
    }

    pub(super) fn ended(&mut self, Ended { tick, win, text }: &Ended) {
        self.tick(*tick);
        self.flag(*win);
        self.s(text);
    }
}

/// Every field of a world.
pub(super) fn world(h: &mut Hash, w: &World) {
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
        covered: _,
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
