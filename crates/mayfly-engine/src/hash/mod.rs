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

mod sink;
mod walk;

use crate::program::Program;
use crate::world::*;
use mayfly_base::random::{FNV_START, fnv};
use sink::{Hash, Purpose};
use walk::world;

/// The hash of a text.
pub fn of_text(s: &str) -> u64 {
    fnv(FNV_START, s.as_bytes())
}

/// What the next ticks depend on, as one number: not on how late it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct StateKey(pub u64);

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
