//! What takes a walk over a state: numbers, ticks and counts, as the purpose of the walk has them.
//!
//! Invariant: for a hash of the whole state everything is taken as it is.

use crate::dispatch::Timed;
use crate::program::Program;
use crate::world::*;
use mayfly_base::random::fnv;
use mayfly_base::*;
use std::collections::BTreeMap;

/// What the walk is for.
pub(super) enum Purpose<'p> {
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

pub(super) struct Hash<'p>(pub(super) u64, pub(super) Purpose<'p>);

impl Hash<'_> {
    pub(super) fn bytes(&mut self, b: &[u8]) {
        self.0 = fnv(self.0, b);
    }
    pub(super) fn n(&mut self, n: u64) {
        self.bytes(&n.to_le_bytes());
    }
    pub(super) fn f(&mut self, n: f64) {
        // Both zeros are one number.
        self.n(if n == 0.0 { 0 } else { n.to_bits() });
    }
    pub(super) fn s(&mut self, s: &str) {
        self.n(s.len() as u64);
        self.bytes(s.as_bytes());
    }
    pub(super) fn id(&mut self, a: Option<ActorId>) {
        self.n(a.map_or(u64::MAX, |a| u64::from(a.0)));
    }
    pub(super) fn point(&mut self, p: Point) {
        self.f(p.x);
        self.f(p.y);
        self.n(u64::from(p.area.0));
    }
    pub(super) fn value(&mut self, v: &Value) {
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
    pub(super) fn flag(&mut self, b: bool) {
        self.n(b.into());
    }

    /// A tick.
    pub(super) fn tick(&mut self, t: u64) {
        match self.1 {
            Purpose::Key { now, .. } => self.n(t.wrapping_sub(now)),
            _ => self.n(t),
        }
    }

    /// A tick in the time of whoever it is about.
    pub(super) fn tick_of(&mut self, t: u64, whose: Option<ActorId>) {
        self.tick(t + self.away(whose));
    }

    /// For a key, since how many ticks somebody is disabled.
    pub(super) fn away(&self, whose: Option<ActorId>) -> u64 {
        match (&self.1, whose) {
            (Purpose::Key { away, .. }, Some(a)) => away.get(&a).copied().unwrap_or(0),
            _ => 0,
        }
    }

    /// A tick whose age counts only where that is asked for; `asked` is told the program.
    pub(super) fn tick_if(&mut self, t: u64, asked: impl Fn(&Program) -> bool) {
        match &self.1 {
            Purpose::Key { program, .. } if !asked(program) => {}
            _ => self.tick(t),
        }
    }

    /// A number of the world's one count of what was begun: only their order counts.
    pub(super) fn begun(&mut self, n: u64) {
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
    pub(super) fn stay(&mut self, machine: MachineKey, stay: u64) {
        let count = match &self.1 {
            Purpose::Key { stays, .. } => stays.get(&machine).copied().unwrap_or(0),
            _ => return self.n(stay),
        };
        self.n(count.wrapping_sub(stay));
    }

    /// What only a hash of the whole state holds.
    pub(super) fn whole<const N: usize>(&mut self, list: [u64; N]) {
        if !matches!(self.1, Purpose::Key { .. }) {
            self.ns(list);
        }
    }

    /// For a key, in how many ticks time starts something next that counts from `since`; none: never again.
    pub(super) fn dues(&mut self, since: u64, times: impl Fn(&Program) -> &[Timed]) {
        let Purpose::Key { program, now, .. } = self.1 else { return };
        for t in times(program) {
            self.n(t.next_due(since, now).map_or(u64::MAX, |due| due - now));
        }
    }

    pub(super) fn ns<const N: usize>(&mut self, list: [u64; N]) {
        list.into_iter().for_each(|n| self.n(n));
    }

    pub(super) fn flags<const N: usize>(&mut self, list: [bool; N]) {
        list.into_iter().for_each(|b| self.flag(b));
    }

    /// A list, with how long it is: two lists behind each other are not one.
    pub(super) fn each<T>(&mut self, list: impl ExactSizeIterator<Item = T>, mut one: impl FnMut(&mut Self, T)) {
        self.n(list.len() as u64);
        list.for_each(|x| one(self, x));
    }

    pub(super) fn maybe<T>(&mut self, x: Option<T>, one: impl FnOnce(&mut Self, T)) {
        self.flag(x.is_some());
        if let Some(x) = x {
            one(self, x);
        }
    }
}
