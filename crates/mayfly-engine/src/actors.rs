//! All actors that ever were, found by their id. Those that stand lie together in order of creation;
//! who was removed is a tombstone, which the worlds of a flight share, so that neither a tick nor a
//! keyframe pays for those that are gone.
//!
//! Not here: what an actor is ([`crate::world::Actor`]), who is removed when ([`crate::act`]).
//!
//! Invariant: every id is answered: by who stands, by a tombstone, or by somebody who is gone; the standing ones are
//! in order of their ids. Whoever is given out to be changed is on no stride any more.

use crate::actor::{Actor, Motion};
use crate::cause::Cause;
use crate::stride::Stride;
use crate::zones::ZoneGrid;
use mayfly_base::{ActorId, KindId, Point};
use std::collections::BTreeMap;
use std::ops::{Index, IndexMut};
use std::sync::{Arc, LazyLock};

/// Tombstones of one page.
const PAGE: u32 = 64;
/// Pages that are kept.
const MAX_PAGES: usize = 16;
/// Bytes of a tombstone, about.
const TOMBSTONE: usize = 700;

#[derive(Clone, Debug, Default)]
pub struct Actors {
    standing: Vec<Actor>,
    /// The stride of each of them.
    strides: Vec<Stride>,
    /// The ids of those that stand.
    ids: Vec<ActorId>,
    /// Ids below this stand at their own place.
    settled: usize,
    made: u32,
    /// Pages of tombstones by id. Of very many the oldest are forgotten, but for those of placed actors.
    tombstones: BTreeMap<u32, Arc<Vec<(ActorId, Actor)>>>,
}

impl Actors {
    pub fn with_capacity(n: usize) -> Self {
        let (standing, strides) = (Vec::with_capacity(n), Vec::with_capacity(n));
        Self { standing, strides, ids: Vec::with_capacity(n), ..Self::default() }
    }

    /// How many were made so far: the id of the next one.
    pub fn made(&self) -> usize {
        self.made as usize
    }

    /// How many stand, those included that were removed in this tick.
    pub fn len(&self) -> usize {
        self.standing.len()
    }

    pub fn is_empty(&self) -> bool {
        self.standing.is_empty()
    }

    /// The id of the n-th that stands.
    pub fn id(&self, n: usize) -> ActorId {
        self.ids[n]
    }

    /// The n-th that stands.
    pub fn nth(&self, n: usize) -> &Actor {
        &self.standing[n]
    }

    /// The n-th that stands.
    pub fn nth_mut(&mut self, n: usize) -> &mut Actor {
        self.strides[n].end(&mut self.standing[n]);
        &mut self.standing[n]
    }

    /// Lets the n-th, which was just sensed where it walks, go on by strides where it can.
    pub fn begin_stride(&mut self, n: usize, ground: u64, grid: &ZoneGrid, moves_in: bool) {
        self.strides[n] = Stride::of(&self.standing[n], ground, grid, moves_in);
    }

    /// Takes the n-th on by one tick, if it is on a stride.
    #[inline]
    pub fn stride(&mut self, n: usize, ground: u64) -> Option<Motion> {
        self.strides[n].take(&mut self.standing[n], self.ids[n], ground)
    }

    /// Says what moved the n-th, which goes on as it does.
    #[inline]
    pub fn set_moved_by(&mut self, n: usize, cause: Cause) {
        self.standing[n].moved_by = cause;
    }

    /// Those that stand, in order of creation.
    pub fn iter(&self) -> impl Iterator<Item = (ActorId, &Actor)> {
        self.ids.iter().copied().zip(&self.standing)
    }

    /// Those that stand, in order of creation.
    pub fn iter_mut(&mut self) -> impl Iterator<Item = (ActorId, &mut Actor)> {
        self.strides.iter_mut().zip(&mut self.standing).for_each(|(s, a)| s.end(a));
        self.ids.iter().copied().zip(&mut self.standing)
    }

    /// Whoever ever had this id.
    pub fn get(&self, index: usize) -> Option<&Actor> {
        (index < self.made()).then(|| &self[index])
    }

    /// Whoever ever had this id.
    pub fn get_mut(&mut self, index: usize) -> Option<&mut Actor> {
        (index < self.made()).then(|| &mut self[index])
    }

    pub fn push(&mut self, a: Actor) {
        if self.settled == self.standing.len() && self.settled == self.made() {
            self.settled += 1;
        }
        self.ids.push(ActorId::at(self.made()));
        self.standing.push(a);
        self.strides.push(Stride::NONE);
        self.made += 1;
    }

    /// Takes back the one that was made last, if it is that one.
    pub fn take_last(&mut self, id: ActorId) -> Option<Actor> {
        if self.ids.last() != Some(&id) || id.index() + 1 != self.made() {
            return None;
        }
        self.made -= 1;
        self.ids.pop();
        self.strides.pop();
        let a = self.standing.pop();
        self.settled = self.settled.min(self.standing.len());
        a
    }

    /// Makes tombstones of those that are gone. `shrink` takes from each what nobody reads any more. Gives their ids.
    /// Of those that were not placed only the last thousand or so can be read later.
    pub fn clear_removed(&mut self, placed: usize, mut shrink: impl FnMut(ActorId, &mut Actor)) -> Vec<ActorId> {
        let mut dead = vec![];
        let Some(first) = self.standing.iter().position(|a| a.gone) else { return dead };
        self.strides.iter_mut().zip(&mut self.standing).for_each(|(s, a)| s.end(a));
        self.settled = self.settled.min(first);
        let after = self.ids.split_off(first).into_iter().zip(self.standing.split_off(first));
        for (id, mut a) in after {
            if !a.gone {
                self.ids.push(id);
                self.standing.push(a);
                continue;
            }
            shrink(id, &mut a);
            a.is_tombstone = true;
            let page = Arc::make_mut(self.tombstones.entry(id.0 / PAGE).or_default());
            let at = page.partition_point(|(other, _)| *other < id);
            page.insert(at, (id, a));
            dead.push(id);
        }
        self.strides.truncate(first);
        self.strides.resize(self.standing.len(), Stride::NONE);
        let spawned = placed as u32 / PAGE + 1;
        while self.tombstones.len() > MAX_PAGES
            && let Some(oldest) = self.tombstones.range(spawned..).next().map(|(page, _)| *page)
        {
            self.tombstones.remove(&oldest);
        }
        dead
    }

    /// Bytes of the tombstones that a world does not share with an earlier one, about, by how many actors had been made at
    /// each of the two.
    pub fn tombstones_between(earlier: usize, later: usize) -> usize {
        let pages = (later.saturating_sub(earlier) / PAGE as usize).min(MAX_PAGES);
        pages * PAGE as usize * TOMBSTONE
    }

    /// Bytes that the list of tombstones takes in each world that shares them.
    pub fn shared_weight(&self) -> usize {
        self.tombstones.len() * 3 * size_of::<usize>()
    }

    /// Where one stands; none where it is a tombstone or forgotten.
    #[inline]
    fn place(&self, index: usize) -> Option<usize> {
        if index < self.settled { Some(index) } else { self.search(index) }
    }

    #[inline(never)]
    fn search(&self, index: usize) -> Option<usize> {
        let id = ActorId(index as u32);
        // Mostly those who are gone were made before it.
        if let Some(n) = index.checked_sub(self.made() - self.standing.len())
            && self.ids.get(n) == Some(&id)
        {
            return Some(n);
        }
        let from = self.settled;
        self.ids[from..].binary_search(&id).map(|n| from + n).ok()
    }

    #[cold]
    fn tombstone(&self, id: ActorId) -> &Actor {
        let page = self.tombstones.get(&(id.0 / PAGE));
        let at = page.and_then(|p| Some(&p[p.binary_search_by_key(&id, |(other, _)| *other).ok()?].1));
        at.unwrap_or(&NOBODY)
    }

    #[cold]
    fn tombstone_mut(&mut self, id: ActorId) -> &mut Actor {
        let page = Arc::make_mut(self.tombstones.entry(id.0 / PAGE).or_default());
        let at = page.binary_search_by_key(&id, |(other, _)| *other).unwrap_or_else(|at| {
            page.insert(at, (id, NOBODY.clone()));
            at
        });
        &mut page[at].1
    }
}

static NOBODY: LazyLock<Actor> = LazyLock::new(|| {
    let mut a = Actor::blank("nobody", KindId(0), Point::main(0.0, 0.0), 2);
    (a.gone, a.is_tombstone, a.enabled) = (true, true, false);
    a
});

impl Index<usize> for Actors {
    type Output = Actor;

    /// Who is not there yet, or was forgotten, is read as one who is gone: a question may come from another moment.
    #[inline]
    fn index(&self, index: usize) -> &Actor {
        match self.place(index) {
            Some(n) => &self.standing[n],
            None => self.tombstone(ActorId(index as u32)),
        }
    }
}

impl IndexMut<usize> for Actors {
    #[inline]
    fn index_mut(&mut self, index: usize) -> &mut Actor {
        match self.place(index) {
            Some(n) => self.nth_mut(n),
            None => self.tombstone_mut(ActorId(index as u32)),
        }
    }
}
