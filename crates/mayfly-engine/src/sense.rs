//! Step 3 of the tick: areas, zones, contact, nearness and tiles, compared with the tick before. Sight is
//! [`crate::sight`]'s, nearness [`crate::nearness`]'s.
//!
//! Only what is dirty is looked at: actors that moved or changed, and whoever a dirty actor's own
//! zones or nearness may concern. Zones of the level are found by a grid of cells.
//!
//! Order (language.md §8): ends, then beginnings, then what continues; in each by subject; for one
//! subject areas, zones, contact, nearness, sight, tiles; in each by object. All in order of creation and declaration.
//!
//! Invariant: after sensing, `inside`, `contacts` and `near` are what a look at every pair would give.

use crate::crowd::Crowd;
use crate::fault::*;
use crate::program::Program;
use crate::record::*;
use crate::space;
use crate::tick_context::{Queued, TickContext};
use crate::world::*;
use crate::zones::ZoneGrid;
use mayfly_base::code::*;
use mayfly_base::*;
use smallvec::SmallVec;
use std::borrow::Cow;

/// Something sensed, with what it is sorted by: phase, subject, sense, object.
pub(crate) type Sensed = ((u8, u32, u8, u32, u32, u8), EventInstance, Cause);

pub(crate) const ENDS: u8 = 0;
pub(crate) const BEGINS: u8 = 1;
const LASTS: u8 = 2;

/// A kind's zone round one of its actors, and a box outside of which it holds nobody in this tick.
#[derive(Clone, Copy)]
struct MovingZone {
    zone: ZoneId,
    owner: ActorId,
    is_dirty: bool,
    low: (f64, f64),
    high: (f64, f64),
}

impl MovingZone {
    /// False where it can neither hold nor be crossed by one that came so far to a place.
    fn may_hold(&self, (x, y): (f64, f64), went: f64) -> bool {
        let within = |n: f64, low: f64, high: f64| n >= low - went && n <= high + went;
        within(x, self.low.0, self.high.0) && within(y, self.low.1, self.high.1)
    }
}

impl<R: Recorder> TickContext<'_, R> {
    pub fn sense(&mut self, grid: &ZoneGrid) {
        let mut sensed: Vec<Sensed> = vec![];
        let d = &self.program.dispatch;
        let everyone = d.asks_everyone();
        let cells_alone = self.senses_cells_alone(grid);
        let mut dirty = vec![];
        let mut look_at = |id: ActorId, a: &mut Actor| {
            if a.is_zone || !a.is_dirty() && !everyone {
                return;
            }
            a.dirty |= everyone && !a.gone;
            if a.moved && cells_alone && a.came_unnoticed(grid, d.moves_in) {
                return;
            }
            if a.is_dirty() {
                dirty.push(id);
            }
        };
        match self.dirty_actors.take() {
            Some(list) => list.into_iter().for_each(|id| look_at(id, &mut self.world.actors[id.index()])),
            None => {
                for n in 0..self.world.actors.len() {
                    if everyone || self.world.actors.nth(n).is_dirty() {
                        look_at(self.world.actors.id(n), self.world.actors.nth_mut(n));
                    }
                }
            }
        }
        if !self.world.stopped.is_empty() {
            let mut stopped = std::mem::take(&mut self.world.stopped);
            stopped.retain(|id| {
                let still = self.world.is_still_stopped(*id);
                if !still {
                    self.world.actors[id.index()].bump = None;
                }
                still
            });
            self.world.stopped = stopped;
        }
        if !dirty.is_empty() {
            self.sense_areas(&dirty, &mut sensed);
            self.sense_zones(grid, &dirty, &mut sensed);
            if self.program.dispatch.contact || !self.program.ranges.is_empty() {
                let crowd = Crowd::of(self.world);
                if self.program.dispatch.contact {
                    self.sense_contact(&dirty, &crowd, &mut sensed);
                }
                self.sense_near(&dirty, &crowd, &mut sensed);
            }
        }
        if !self.program.dispatch.sights.is_empty() && (!dirty.is_empty() || self.world.sight_changed) {
            self.sense_sight(&dirty, &mut sensed);
        }
        if self.program.dispatch.treads && (!dirty.is_empty() || !self.world.fresh.is_empty()) {
            self.sense_tiles(&mut sensed);
        }
        self.world.fresh.clear();
        if !dirty.is_empty() {
            for id in &dirty {
                let a = &mut self.world.actors[id.index()];
                (a.dirty, a.moved, a.jumped) = (false, false, false);
                a.starts_here();
            }
        }
        self.sense_lasting(&mut sensed);
        sensed.sort_by_key(|(key, _, _)| *key);
        self.queue.extend(sensed.into_iter().map(|(_, what, cause)| Queued { what, cause }));
    }

    /// True where nothing but the cells of the level's zones decides what is sensed of who walks.
    pub fn senses_cells_alone(&self, grid: &ZoneGrid) -> bool {
        let d = &self.program.dispatch;
        let others = d.asks_everyone() || d.contact || !d.sights.is_empty() || d.treads;
        !others && self.program.ranges.is_empty() && !grid.has_moving() && self.world.shapes.is_empty()
    }

    /// Who came to another area.
    fn sense_areas(&mut self, dirty: &[ActorId], sensed: &mut Vec<Sensed>) {
        for id in dirty {
            let a = &mut self.world.actors[id.index()];
            let area = a.at.area;
            if std::mem::replace(&mut a.area, area) != area && !a.gone && a.enabled {
                sensed.push(((BEGINS, id.0, 0, 0, 0, 0), EventInstance::Comes(*id, area), a.moved_by));
            }
        }
    }

    /// Which tiles are trodden: the cell under a centre is another one, or another tile was laid there.
    fn sense_tiles(&mut self, sensed: &mut Vec<Sensed>) {
        for n in 0..self.world.actors.len() {
            let (id, a) = (self.world.actors.id(n), self.world.actors.nth(n));
            let cell = a.at.cell();
            let here = (a.at.area, cell.0, cell.1);
            let laid = self.world.fresh.iter().rev().find(|(c, _)| *c == here).map(|(_, cause)| *cause);
            if a.is_zone || !(a.is_dirty() || laid.is_some()) {
                continue;
            }
            let there = a.enabled && !a.gone;
            let tile = self.world.tile(self.program, a.at.area, cell).filter(|_| there).map(|t| (cell, t));
            let a = &mut self.world.actors[id.index()];
            if a.ground.as_deref() == tile.as_ref() {
                continue;
            }
            a.ground = tile.map(Box::new);
            if let Some((_, t)) = tile {
                sensed.push(((BEGINS, id.0, 5, t.0, 0, 0), EventInstance::Treads(id, t), laid.unwrap_or(a.moved_by)));
            }
        }
    }

    fn sense_zones(&mut self, grid: &ZoneGrid, dirty: &[ActorId], sensed: &mut Vec<Sensed>) {
        let moving = self.moving_zones(grid);
        let dirty_zones: Vec<MovingZone> = moving.iter().filter(|m| m.is_dirty).copied().collect();
        // Where a zone's owner is dirty, everyone is looked at against it.
        let all: Cow<[ActorId]> = match dirty_zones.is_empty() {
            true => dirty.into(),
            false => self.world.actors.iter().map(|(id, _)| id).collect(),
        };
        let mut found: SmallVec<[ZoneKey; 8]> = SmallVec::new();
        let mut crossed: SmallVec<[ZoneKey; 4]> = SmallVec::new();
        for id in all.iter().copied() {
            let a = &self.world.actors[id.index()];
            if a.gone {
                continue;
            }
            // Who only walked, inside one cell, is where it was.
            if !a.dirty
                && moving.is_empty()
                && a.before.area == a.at.area
                && a.cell == a.at.cell()
                && self.world.shapes.is_empty()
                && grid.is_even(a.at.area, a.cell)
            {
                continue;
            }
            // Who stands is where it was in all zones but those whose owners came or went.
            if !a.is_dirty() {
                let at = (a.at.x, a.at.y);
                let stands =
                    |k: &ZoneKey| k.1.is_none() || moving.iter().any(|m| !m.is_dirty && (m.zone, Some(m.owner)) == *k);
                let near = dirty_zones.iter().any(|m| m.owner != id && m.may_hold(at, 0.0));
                if !near && a.inside.iter().all(|(k, _)| stands(k)) {
                    continue;
                }
            }
            found.clear();
            crossed.clear();
            let (from, to) = (a.before, a.at);
            let walked = a.went_on_foot() && from != to;
            let (c0, c1) = (if walked { from.cell() } else { to.cell() }, to.cell());
            let scope = self.scope(None);
            let look = |key: ZoneKey, found: &mut SmallVec<[ZoneKey; 8]>, crossed: &mut SmallVec<[ZoneKey; 4]>| {
                if scope.in_zone(key, to, Some(id)) {
                    found.push(key);
                } else if !a.inside.iter().any(|(k, _)| *k == key) && self.passes_through(key, id) {
                    crossed.push(key);
                }
            };
            if a.is_dirty() {
                grid.near(to.area, c0, c1, |z| look((z, None), &mut found, &mut crossed));
                if !self.world.shapes.is_empty() {
                    grid.tiled.iter().for_each(|z| look((*z, None), &mut found, &mut crossed));
                }
            } else if !a.is_dirty() {
                found.extend(a.inside.iter().map(|(k, _)| *k).filter(|k| k.1.is_none()));
            }
            let went = if walked { space::length(to.x - from.x, to.y - from.y) } else { 0.0 };
            // Of two that both stand nothing changed.
            let close = if a.is_dirty() { &moving } else { &dirty_zones };
            for m in close.iter().filter(|m| m.owner != id && m.may_hold((to.x, to.y), went)) {
                look((m.zone, Some(m.owner)), &mut found, &mut crossed);
            }
            if !a.is_dirty() {
                let stands = |k: &ZoneKey| {
                    let same = |m: &&MovingZone| (m.zone, Some(m.owner)) == *k && m.owner != id;
                    moving.iter().find(same).is_some_and(|m| !m.is_dirty)
                };
                found.extend(a.inside.iter().map(|(k, _)| *k).filter(|k| k.1.is_some() && stands(k)));
            }
            found.sort();
            found.dedup();
            crossed.sort();
            crossed.dedup();
            self.compare_zones(id, &found, &crossed, sensed);
        }
    }

    fn moving_zones(&self, grid: &ZoneGrid) -> Vec<MovingZone> {
        let mut moving = vec![];
        if !grid.has_moving() {
            return moving;
        }
        for (owner, o) in self.world.living() {
            for (zone, (x0, y0, x1, y1)) in grid.moving_with(o.kind).iter().copied() {
                let went = if o.went_on_foot() { space::length(o.at.x - o.before.x, o.at.y - o.before.y) } else { 0.0 };
                moving.push(MovingZone {
                    zone,
                    owner,
                    is_dirty: o.is_dirty(),
                    // Whole cells reach up to one cell further than their owner's place tells.
                    low: (o.at.x + x0 as f64 - 1.5 - went, o.at.y + y0 as f64 - 1.5 - went),
                    high: (o.at.x + x1 as f64 + 1.5 + went, o.at.y + y1 as f64 + 1.5 + went),
                });
            }
        }
        moving
    }

    /// True where the straight way of this tick leads through the zone, though it ends outside.
    fn passes_through(&self, key: ZoneKey, id: ActorId) -> bool {
        let a = &self.world.actors[id.index()];
        let owner = key.1.map(|o| &self.world.actors[o.index()]);
        let (mut p, q) = ((a.before.x, a.before.y), (a.at.x, a.at.y));
        let mut origin = (0.0, 0.0);
        if let Some(o) = owner {
            if o.before.area != a.before.area {
                return false;
            }
            // As seen from the zone: its own way is taken off.
            p = (p.0 + o.at.x - o.before.x, p.1 + o.at.y - o.before.y);
            origin = (o.at.x, o.at.y);
        }
        if !a.went_on_foot() || p == q {
            return false;
        }
        let z = &self.program.zones[key.0.index()];
        if owner.is_none() && z.area != a.at.area {
            return false;
        }
        let noticed = z.notices.is_empty() || z.notices.iter().any(|s| self.world.is_one_of(self.program, id, s, None));
        let there =
            a.enabled && noticed && !self.world.zone_off[key.0.index()] && owner.is_none_or(|o| o.enabled && !o.gone);
        there && space::crosses(self.world.shape(self.program, key.0), origin, p, q)
    }

    fn compare_zones(&mut self, id: ActorId, found: &[ZoneKey], crossed: &[ZoneKey], sensed: &mut Vec<Sensed>) {
        let tick = self.world.tick;
        let a = &self.world.actors[id.index()];
        let why = |key: &ZoneKey| {
            let own = a.moved_by;
            key.1.map_or(own, |o| own.max_by_tick(self.world.actors[o.index()].moved_by))
        };
        let object = |key: &ZoneKey| (key.0.0, key.1.map_or(0, |o| o.0 + 1));
        let key_of = |phase: u8, key: &ZoneKey, end: u8| {
            let (z, o) = object(key);
            (phase, id.0, 1, z, o, end)
        };
        for (key, _) in &a.inside {
            if !found.contains(key) {
                sensed.push((key_of(ENDS, key, 0), EventInstance::Leaves(id, key.0, key.1), why(key)));
            }
        }
        for key in found.iter().filter(|k| !a.inside.iter().any(|(x, _)| x == *k)) {
            sensed.push((key_of(BEGINS, key, 0), EventInstance::Enters(id, key.0, key.1), why(key)));
        }
        for key in crossed {
            sensed.push((key_of(BEGINS, key, 0), EventInstance::Enters(id, key.0, key.1), why(key)));
            sensed.push((key_of(BEGINS, key, 1), EventInstance::Leaves(id, key.0, key.1), why(key)));
        }
        let elsewhere = a.cell != a.at.cell();
        if !elsewhere && crossed.is_empty() && found.iter().eq(a.inside.iter().map(|(k, _)| k)) {
            return;
        }
        // The cell by which it enters counts, also where it was in that cell before.
        let new = |key: &ZoneKey| !a.inside.iter().any(|(k, _)| k == key);
        for key in found.iter().filter(|key| elsewhere || new(key)) {
            if !self.program.dispatch.list(crate::dispatch::Key::MovesIn(key.0)).is_empty() {
                sensed.push((key_of(LASTS, key, 0), EventInstance::MovesIn(id, key.0, key.1), why(key)));
            }
        }
        let inside = found
            .iter()
            .map(|k| (*k, a.inside.iter().find(|(x, _)| x == k).map_or(tick, |(_, since)| *since)))
            .collect();
        self.world.actors[id.index()].inside = inside;
    }

    fn sense_contact(&mut self, dirty: &[ActorId], crowd: &Crowd, sensed: &mut Vec<Sensed>) {
        let tick = self.world.tick;
        let is_dirty = |id: &ActorId| self.world.actors[id.index()].is_dirty();
        let mut pairs: Vec<(ActorId, ActorId)> =
            self.world.contacts.keys().filter(|(x, y)| is_dirty(x) || is_dirty(y)).copied().collect();
        for id in dirty {
            let a = &self.world.actors[id.index()];
            if a.gone {
                continue;
            }
            if let Some(Bump { into: BumpInto::Actor(b), .. }) = a.bump.as_deref().copied() {
                pairs.push(World::pair(*id, b));
            }
            if !a.tangible {
                continue;
            }
            let went = if a.went_on_foot() { space::length(a.at.x - a.before.x, a.at.y - a.before.y) } else { 0.0 };
            let reach = (a.size.0.max(a.size.1) + crowd.widest) / 2.0 + went + crowd.furthest;
            let room = MAX_PAIRS_LOOKED_AT as usize - pairs.len().min(MAX_PAIRS_LOOKED_AT as usize);
            let close = crowd.around((a.at.x, a.at.y), reach).map(|(o, _)| o).filter(|o| o != id);
            pairs.extend(close.map(|o| World::pair(*id, o)).take(room));
        }
        pairs.sort();
        pairs.dedup();
        for (a, b) in pairs {
            if !self.may_look_at(1, "contact") {
                return;
            }
            let was = self.world.contacts.contains_key(&(a, b));
            let is = self.scope(None).touching(a, b);
            let passed = !was && !is && self.passes_contact(a, b);
            if was == is && !passed {
                continue;
            }
            let cause = self.world.actors[a.index()].moved_by.max_by_tick(self.world.actors[b.index()].moved_by);
            if passed {
                sensed.push(((BEGINS, a.0, 2, b.0, 0, 0), EventInstance::Touches(a, b), cause));
                sensed.push(((BEGINS, a.0, 2, b.0, 0, 1), EventInstance::Parts(a, b), cause));
            } else if is {
                if !self.has_room_for_pair(self.world.contacts.len(), "in contact") {
                    continue;
                }
                self.world.contacts.insert((a, b), Contact { since: tick });
                sensed.push(((BEGINS, a.0, 2, b.0, 0, 0), EventInstance::Touches(a, b), cause));
            } else {
                self.world.contacts.remove(&(a, b));
                sensed.push(((ENDS, a.0, 2, b.0, 0, 0), EventInstance::Parts(a, b), cause));
            }
        }
    }

    /// True where the boxes of two met on their straight ways of this tick, though they are apart at its end.
    fn passes_contact(&self, a: ActorId, b: ActorId) -> bool {
        let (x, y) = (&self.world.actors[a.index()], &self.world.actors[b.index()]);
        let there = |a: &Actor| !a.gone && a.enabled && a.tangible && a.went_on_foot();
        if !there(x) || !there(y) || x.at.area != y.at.area {
            return false;
        }
        // As seen from `y`.
        let (from, to) = ((x.before.x - y.before.x, x.before.y - y.before.y), (x.at.x - y.at.x, x.at.y - y.at.y));
        let size = (x.size.0 + y.size.0, x.size.1 + y.size.1);
        from != to && crate::space::line_meets(from, to, (0.0, 0.0), size)
    }

    /// Counts what sensing looks at; false where one tick has looked at too much, which is told once.
    pub(crate) fn may_look_at(&mut self, pairs: u64, sense: &str) -> bool {
        let before = self.pairs;
        self.pairs += pairs;
        if self.pairs <= MAX_PAIRS_LOOKED_AT {
            return true;
        }
        if before <= MAX_PAIRS_LOOKED_AT {
            let text = format!("more than 1,000,000 pairs of actors looked at in one tick, for {sense} last");
            self.fault(None, Fault::new(FaultKind::Limit, text, Span::default()));
        }
        false
    }

    /// False where as many pairs are kept as can be; that is told once a tick.
    pub(crate) fn has_room_for_pair(&mut self, kept: usize, what: &str) -> bool {
        if kept < MAX_PAIRS {
            return true;
        }
        if !std::mem::replace(&mut self.full, true) {
            let text = format!("more than 200,000 pairs of actors are {what} at once");
            self.fault(None, Fault::new(FaultKind::Limit, text, Span::default()));
        }
        false
    }

    /// What continues: `in`, `touching`, `near`, where a rule awaits it in this very tick.
    fn sense_lasting(&mut self, sensed: &mut Vec<Sensed>) {
        use crate::dispatch::Key;
        let tick = self.world.tick;
        let d = &self.program.dispatch;
        let due = |list: &[crate::dispatch::Await], since: u64| {
            list.iter().any(|w| every(self.program, *w).is_some_and(|n| (tick - since).is_multiple_of(n)))
        };
        if d.lasting.0 {
            for (id, a) in self.world.living().filter(|(_, a)| a.enabled) {
                for ((z, of), since) in a.inside.iter().filter(|((z, _), _)| d.may_last_in(*z)) {
                    if due(d.list(Key::In(*z)), *since) {
                        let key = (LASTS, id.0, 1, z.0, of.map_or(0, |o| o.0 + 1), 1);
                        sensed.push((key, EventInstance::In(id, *z, *of, tick - since), a.moved_by));
                    }
                }
            }
        }
        if d.lasting.1 {
            for ((a, b), c) in &self.world.contacts {
                let kind = self.world.actors[a.index()].kind;
                if due(d.list(Key::Touching(kind)), c.since) {
                    sensed.push((
                        (LASTS, a.0, 2, b.0, 0, 0),
                        EventInstance::Touching(*a, *b, tick - c.since),
                        self.world.actors[a.index()].moved_by,
                    ));
                }
            }
        }
        if d.lasting.2 {
            for ((a, b), since) in &self.world.seen {
                if due(d.list(Key::Seeing(self.world.actors[a.index()].kind)), *since) {
                    let cause = self.world.actors[a.index()].moved_by;
                    sensed.push(((LASTS, a.0, 4, b.0, 0, 0), EventInstance::Seeing(*a, *b, tick - since), cause));
                }
            }
        }
        for ((r, a, b), since) in &self.world.near {
            if due(d.list(Key::Near(RangeId(*r))), *since) {
                sensed.push((
                    (LASTS, a.0, 3, *r, b.0, 0),
                    EventInstance::Near(*r, *a, *b, tick - since),
                    self.world.actors[a.index()].moved_by,
                ));
            }
        }
    }
}

impl Actor {
    /// True where the way from [`Actor::before`] to its place was gone on foot in this tick, if at all.
    pub fn went_on_foot(&self) -> bool {
        self.before.area == self.at.area
    }

    /// Where [`TickContext::senses_cells_alone`]: it walked, and is in the zones in which it was. Then that is all
    /// there is to sense of it, and it is done.
    #[inline]
    pub fn came_unnoticed(&mut self, grid: &ZoneGrid, moves_in: bool) -> bool {
        let area = self.at.area;
        if self.dirty || self.jumped || self.before.area != area {
            return false;
        }
        if self.at.is_in_cell(self.cell) && grid.is_even(area, self.cell) {
            (self.moved, self.before) = (false, self.at);
            return true;
        }
        let cell = self.at.cell();
        let even = grid.is_even(area, self.cell) && grid.is_even(area, cell);
        if even && !moves_in && grid.is_same(area, self.cell, cell)
            || self.inside.is_empty() && grid.is_free(area, self.cell, cell)
        {
            (self.moved, self.before, self.cell) = (false, self.at, cell);
            return true;
        }
        false
    }
}

/// Each how many ticks a rule awaits what continues.
fn every(program: &Program, w: crate::dispatch::Await) -> Option<u64> {
    match &program.rules[w.rule.index()].whens[w.when as usize] {
        Event::Zone { verb: ZoneVerb::In(n), .. }
        | Event::Pair { verb: PairVerb::Touching(n) | PairVerb::Near(_, n) | PairVerb::Seeing(n), .. } => {
            Some(n.ticks())
        }
        _ => None,
    }
}

impl Cause {
    /// The later of two causes.
    pub(crate) fn max_by_tick(self, other: Self) -> Self {
        match (self == Self::NONE, other == Self::NONE) {
            (true, _) => other,
            (_, true) => self,
            _ => self.max(other),
        }
    }
}
