//! Nearness: who came within a range of whom, and who strayed beyond it.
//!
//! Only pairs of which one is dirty are looked at, and of those only who can be close.
//!
//! A pair stands in the order of creation, whichever side of the range each is on.
//!
//! Invariant: after sensing, `near` holds the pairs that a look at every pair would give; nobody passes
//! through a whole range unnoticed.

use crate::crowd::Crowd;
use crate::fault::MAX_PAIRS_LOOKED_AT;
use crate::program::Range;
use crate::record::*;
use crate::sense::{BEGINS, ENDS, Sensed};
use crate::space;
use crate::tick_context::TickContext;
use crate::world::*;
use mayfly_base::number::NEAR;
use mayfly_base::*;

/// Two in order of creation.
type Pair = (ActorId, ActorId);

impl<R: Recorder> TickContext<'_, R> {
    pub fn sense_near(&mut self, dirty: &[ActorId], crowd: &Crowd, sensed: &mut Vec<Sensed>) {
        let close = self.who_may_be_close(dirty, crowd);
        for (r, close) in close.into_iter().enumerate() {
            let range = &self.program.ranges[r];
            for (a, b) in self.pairs_to_look_at(r as u32, close) {
                if !self.may_look_at(1, "nearness") {
                    return;
                }
                self.compare_near(r as u32, range, a, b, sensed);
            }
        }
    }

    /// For each range the pairs of which one is dirty and that may be in it. Who stands around somebody is looked up once, as far
    /// as the widest of his ranges reaches.
    fn who_may_be_close(&self, dirty: &[ActorId], crowd: &Crowd) -> Vec<Vec<Pair>> {
        let ranges = &self.program.ranges;
        let mut out = vec![vec![]; ranges.len()];
        if ranges.is_empty() {
            return out;
        }
        let mut count: u64 = 0;
        let is = |id, set| self.world.is_one_of(self.program, id, set, None);
        // The ranges on one of whose sides somebody is: which, on which sides, and how far it reaches.
        let mut sides: Vec<(usize, bool, bool, f64)> = vec![];
        for id in dirty.iter().copied() {
            let a = &self.world.actors[id.index()];
            if a.gone {
                continue;
            }
            let went = if a.went_on_foot() { space::length(a.at.x - a.before.x, a.at.y - a.before.y) } else { 0.0 };
            sides.clear();
            for (r, range) in ranges.iter().enumerate() {
                let (one, other) = (is(id, &range.a), is(id, &range.b));
                if one || other {
                    sides.push((r, one, other, range.within + NEAR + went + crowd.furthest));
                }
            }
            let Some(widest) = sides.iter().map(|(.., reach)| *reach).reduce(f64::max) else { continue };
            for (o, far) in crowd.around((a.at.x, a.at.y), widest).filter(|(o, _)| *o != id) {
                for (r, one, other, reach) in &sides {
                    let range = &ranges[*r];
                    if far <= *reach && (*one && is(o, &range.b) || *other && is(o, &range.a)) {
                        out[*r].push(World::pair(id, o));
                        count += 1;
                    }
                }
            }
            // A pair is found twice at most: of so many more are looked at than may be, which is told there.
            if count > 2 * MAX_PAIRS_LOOKED_AT {
                break;
            }
        }
        out
    }

    fn pairs_to_look_at(&self, r: u32, close: Vec<Pair>) -> Vec<Pair> {
        let is_dirty = |id: &ActorId| self.world.actors[id.index()].is_dirty();
        let first = (r, ActorId(0), ActorId(0));
        let known = self.world.near.range(first..).take_while(|((of, ..), _)| *of == r).map(|((_, a, b), _)| (*a, *b));
        let mut pairs = close;
        pairs.extend(known.filter(|(a, b)| is_dirty(a) || is_dirty(b)));
        pairs.sort_unstable();
        pairs.dedup();
        pairs
    }

    fn compare_near(&mut self, r: u32, range: &Range, a: ActorId, b: ActorId, sensed: &mut Vec<Sensed>) {
        let (x, y) = (&self.world.actors[a.index()], &self.world.actors[b.index()]);
        let there = !x.gone && !y.gone && x.enabled && y.enabled && x.at.area == y.at.area;
        let d = space::length(x.at.x - y.at.x, x.at.y - y.at.y);
        let key = (r, a, b);
        let was = self.world.near.contains_key(&key);
        let cause = x.moved_by.max_by_tick(y.moved_by);
        let begins = (EventInstance::Nears(r, a, b), cause);
        let ends = (EventInstance::Strays(r, a, b), cause);
        let place = |phase, end| (phase, a.0, 3, r, b.0, end);
        if was && (!there || d > range.until + NEAR) {
            self.world.near.remove(&key);
            sensed.push((place(ENDS, 0), ends.0, ends.1));
        } else if !was && there && (d <= range.within + NEAR || passes_by(x, y, range.within)) {
            let passes = d > range.until + NEAR;
            if !passes && !self.has_room_for_pair(self.world.near.len(), "near") {
                return;
            }
            sensed.push((place(BEGINS, 0), begins.0, begins.1));
            if passes {
                sensed.push((place(BEGINS, 1), ends.0, ends.1));
            } else {
                self.world.near.insert(key, self.world.tick);
            }
        }
    }
}

/// True where the two came as close as that on their straight ways of this tick, both moving alike.
fn passes_by(x: &Actor, y: &Actor, within: f64) -> bool {
    if !x.went_on_foot() || !y.went_on_foot() {
        return false;
    }
    // As seen from `y`.
    let (from, to) = ((x.before.x - y.before.x, x.before.y - y.before.y), (x.at.x - y.at.x, x.at.y - y.at.y));
    from != to && space::distance_to_segment((0.0, 0.0), from, to) <= within + NEAR
}
