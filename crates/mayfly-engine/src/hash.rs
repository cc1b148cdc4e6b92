//! A hash of a world's whole state, so that a replay proves itself.
//!
//! Source: FNV-1a, 64 bits, over every field that the next tick depends on, in a fixed order.
//!
//! Invariant: where records lie ([`crate::record::Cause`]) is no part of it, so a world hashes the
//! same whoever recorded.

use crate::world::*;
use mayfly_base::random::{FNV_START, fnv};
use mayfly_base::*;

/// The hash of a text.
pub fn of_text(s: &str) -> u64 {
    fnv(FNV_START, s.as_bytes())
}

struct Hash(u64);

impl Hash {
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
    fn order(&mut self, o: &Order) {
        self.n(o.id);
        self.n(o.until.unwrap_or(u64::MAX));
        self.n(u64::from(o.stuck) << 1 | u64::from(o.straight));
        self.f(o.speed.unwrap_or(-1.0));
        match o.goal {
            Destination::To(p) => self.point(p),
            Destination::Along(p, i, back) => self.n(u64::from(p.0) << 33 | u64::from(i) << 1 | u64::from(back)),
            Destination::After(a) => self.id(Some(a)),
            Destination::AwayFrom(a, p) => {
                self.id(a);
                self.point(p);
            }
        }
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

/// The hash of a world.
pub fn state_hash(w: &World) -> u64 {
    let mut h = Hash(FNV_START);
    h.n(w.next);
    h.n(w.base);
    h.n(w.seed);
    w.vars.iter().for_each(|v| h.value(v));
    h.n(w.actors.made() as u64);
    for (id, a) in w.actors.iter() {
        h.n(id.0.into());
        h.s(&a.name);
        h.point(a.at);
        let flags = [a.solid, a.opaque, a.visible, a.tangible, a.enabled, a.gone];
        h.n(flags.iter().fold(u64::from(a.facing), |n, f| n << 1 | u64::from(*f)));
        h.f(a.speed);
        h.f(a.size.0);
        h.f(a.size.1);
        h.s(&a.look);
        h.n(a.colour.into());
        a.tags.iter().for_each(|t| h.n(t.0.into()));
        a.fields.iter().for_each(|v| h.value(v));
        h.n(a.created);
        if let Some(s) = &a.step {
            h.point(s.to);
            h.n(u64::from(s.back));
        }
        h.n(a.pressed.as_deref().map_or(9, |(d, _)| (*d).into()));
        h.n(u64::from(a.frozen));
        h.n(u64::from(a.bump.is_some()));
        h.point(a.checkpoint.0);
        h.n(a.checkpoint.1.into());
        if let Some(o) = a.walk.as_deref() {
            h.order(o);
        }
        for ((z, o), since) in &a.inside {
            h.n(z.0.into());
            h.id(*o);
            h.n(*since);
        }
    }
    for t in &w.timers {
        h.n(u64::from(t.running));
        h.n(if t.running { t.due } else { t.left });
        h.n(t.order);
    }
    for r in &w.rules {
        for n in [u64::from(r.on), r.fired, r.held, r.spent] {
            h.n(n);
        }
    }
    for (k, n) in w.uses.iter().chain(&w.rests) {
        h.n(u64::from(k.0.0) << 8 | u64::from(k.1));
        h.id(k.2);
        h.id(k.3);
        h.n(*n);
    }
    for r in &w.runs {
        h.n(r.id);
        h.n(r.pc.into());
        h.id(r.me);
        r.locals.iter().for_each(|v| h.value(v));
        for f in &r.stack {
            h.n(f.pc.into());
            f.locals.iter().for_each(|v| h.value(v));
        }
        match r.wait {
            Wait::Until(t) => h.n(t),
            Wait::Test(t) | Wait::Event(_, t) => h.n(t.map_or(u64::MAX, |t| t)),
            Wait::Walk(a, order) => {
                h.id(Some(a));
                h.n(order);
            }
        }
    }
    for l in &w.later {
        h.n(l.id);
        h.n(l.rule.0.into());
        h.id(l.me);
        l.locals.iter().for_each(|v| h.value(v));
    }
    for m in &w.mail {
        h.n(m.due);
        h.n(m.order);
        m.to.iter().flatten().for_each(|a| h.id(Some(*a)));
        h.n(m.message.0.into());
        m.args.iter().for_each(|v| h.value(v));
    }
    for list in &w.watched {
        for s in list {
            h.id(s.actor);
            h.value(&s.last);
            h.n(u64::from(s.truth) << 1 | s.before << 2);
        }
    }
    for r in &w.ramps {
        h.value(&r.to);
        h.n(r.ticks);
        h.n(r.done);
    }
    for ((m, a), s) in &w.machines {
        h.n(m.0.into());
        h.id(*a);
        h.n(s.previous.map_or(u64::MAX, |p| p.0.into()));
        for (state, since, _) in &s.stays {
            h.n(state.0.into());
            h.n(*since);
        }
    }
    for ((a, b), c) in &w.contacts {
        h.id(Some(*a));
        h.id(Some(*b));
        h.n(c.since);
    }
    for ((r, a, b), since) in &w.near {
        h.n((*r).into());
        h.id(Some(*a));
        h.id(Some(*b));
        h.n(*since);
    }
    for ((a, b), since) in &w.seen {
        h.id(Some(*a));
        h.id(Some(*b));
        h.n(*since);
    }
    for c in &w.clocks {
        for n in [c.shows, c.run, c.part as u64, (c.part >> 64) as u64, u64::from(c.paused)] {
            h.n(n);
        }
        h.f(c.speed);
    }
    for ((area, x, y), t) in &w.laid {
        for n in [u64::from(area.0), *x as u64, *y as u64, u64::from(t.0)] {
            h.n(n);
        }
    }
    for ((d, a, r), s) in &w.chance.borrow().streams {
        h.n(d.0.into());
        h.id(*a);
        h.n(r.map_or(u64::MAX, |r| r.0.into()));
        h.n(s.drawn());
    }
    for ((a, i), since) in &w.down {
        h.id(Some(*a));
        h.n(i.0.into());
        h.n(*since);
    }
    if let Some(e) = &w.ended {
        h.n(e.tick << 1 | u64::from(e.win));
        h.s(&e.text);
    }
    h.0
}
