//! Step 2 of the tick: actors move by their orders, as far as solids let them.
//!
//! Invariant: a move ends exactly at its goal, never beyond; who is stopped on a step goes back to
//! where it began.

use crate::ground;
use crate::program::Edges;
use crate::record::*;
use crate::space;
use crate::tick_context::{Queued, TickContext};
use crate::world::*;
use crate::zones::ZoneGrid;
use mayfly_base::arith;
use mayfly_base::number::NEAR;
use mayfly_base::*;

impl<R: Recorder> TickContext<'_, R> {
    /// Moves every actor in order of creation.
    pub fn motion(&mut self, grid: &ZoneGrid) {
        let falling = self.program.kinds.iter().any(|k| k.falls.is_some());
        let open = self.is_open_ground() && !falling;
        let (cells_alone, moves_in) = (self.senses_cells_alone(grid), self.program.dispatch.moves_in);
        // On open ground nobody makes another dirty, and nothing else does before they are sensed: who has to be
        // looked at is found while they are at hand.
        let alone = open && cells_alone && self.world.ramps.is_empty();
        let mut dirty_actors = vec![];
        let tick = self.world.tick;
        for n in 0..self.world.actors.len() {
            let (id, ground) = (self.world.actors.id(n), self.world.changes.count);
            if open
                && cells_alone
                && let Some(motion) = self.world.actors.stride(n, ground)
            {
                debug_assert!(grid.leads_nowhere_else(motion.from, motion.to));
                let at = self.recorder.moved(self.world, motion);
                self.world.actors.set_moved_by(n, Cause { tick, at });
                continue;
            }
            let a = self.world.actors.nth_mut(n);
            if a.gone || !a.enabled {
                if alone && a.is_dirty() {
                    dirty_actors.push(id);
                }
                continue;
            }
            if open && let Some((from, cause)) = a.stroll(ground) {
                let motion = Motion { actor: id, name_hash: a.name_hash, from, to: a.at, cause };
                // Sensed at once, while it is at hand.
                let unnoticed = cells_alone && a.came_unnoticed(grid, moves_in);
                if alone && a.is_dirty() {
                    dirty_actors.push(id);
                }
                let at = self.recorder.moved(self.world, motion);
                self.world.actors.set_moved_by(n, Cause { tick, at });
                if unnoticed {
                    self.world.actors.begin_stride(n, ground, grid, moves_in);
                }
                continue;
            }
            if a.step.is_some() || a.pressed.is_some() {
                self.step_actor(id);
            } else if a.walk.is_some() {
                self.walk_on(id);
            }
            if falling {
                self.fall(id);
            }
            if alone && self.world.actors.nth(n).is_dirty() {
                dirty_actors.push(id);
            }
        }
        self.dirty_actors = alone.then_some(dirty_actors);
    }

    /// Sinks until something solid below stops it, where the boxes meet.
    fn fall(&mut self, id: ActorId) {
        let a = &self.world.actors[id.index()];
        let Some(speed) = self.program.kinds[a.kind.index()].falls else { return };
        let from = a.at;
        let budget = speed.min(value::MAX_SPEED) / f64::from(self.program.rate.0);
        let budget = budget.min(value::MAX_PLACE - from.y);
        let (drop, into) = self.room_below(id, budget);
        let cause = a.moved_by;
        if drop <= NEAR {
            return;
        }
        let to = Point { y: from.y + drop, ..from };
        let a = &mut self.world.actors[id.index()];
        (a.at, a.dirty) = (to, true);
        if let Some(s) = &mut a.step {
            (s.from.y, s.to.y) = (s.from.y + drop, s.to.y + drop);
        }
        a.walk.drop_way();
        self.wrap(id);
        let to = self.world.actors[id.index()].at;
        let cause = self.note(|| TraceEvent::Moved { actor: id, from, to, cause });
        self.world.actors[id.index()].moved_by = cause;
        self.stopper_changed(id);
        self.carry(id, from, to, cause);
        if let Some(into) = into {
            self.bump(id, into, cause);
        }
    }

    /// How far an actor can sink, `most` at most, and what stops it there.
    fn room_below(&self, id: ActorId, most: f64) -> (f64, Option<BumpInto>) {
        let a = &self.world.actors[id.index()];
        let map = &self.program.maps[a.at.area.index()];
        let size = (a.size.0.min(1.0), a.size.1);
        let foot = a.at.y + size.1 / 2.0;
        let is_closed = map.height > 0 && self.program.edges == Edges::Closed;
        if is_closed && foot > map.height as f64 - 0.5 + NEAR * 10.0 {
            // Who became taller on the map's floor stands in the edge: below there is nothing to fall to.
            return (0.0, None);
        }
        let (mut room, mut into) = (most, None);
        let mut stop = |top: f64, what: BumpInto| {
            // What it stands in already does not stop it.
            let gap = top - foot;
            if gap > -NEAR * 10.0 && gap < room - NEAR {
                (room, into) = (gap.max(0.0), Some(what));
            } else if into.is_none() && gap <= room + NEAR && gap > NEAR {
                // It lands exactly where this tick takes it.
                into = Some(what);
            }
        };
        let columns =
            space::cell(a.at.x - size.0 / 2.0 + NEAR, 0.0).0..=space::cell(a.at.x + size.0 / 2.0 - NEAR, 0.0).0;
        let (first, last) = (space::cell(0.0, foot - NEAR).1, space::cell(0.0, foot + most).1);
        // Below the map there is nothing more; round the map everything was looked at once.
        let lowest = if self.program.edges == Edges::Wrap { first.saturating_add(map.height) } else { map.height };
        let rows = first.max(-1)..=last.min(lowest);
        for x in columns {
            for y in rows.clone() {
                let top = y as f64 - 0.5;
                let mut cell = (x, y);
                if map.is_off(cell) {
                    match self.program.edges {
                        Edges::Closed => {
                            stop(top, BumpInto::Edge);
                            continue;
                        }
                        Edges::Open => continue,
                        Edges::Wrap => cell = (x.rem_euclid(map.width), y.rem_euclid(map.height)),
                    }
                }
                if let Some(t) = self.world.tile(self.program, a.at.area, cell)
                    && ground::tile_stops(self.program, self.world, id, t)
                {
                    stop(top, BumpInto::Tile(t));
                }
            }
        }
        if a.tangible {
            for other in self.world.solids.iter().copied() {
                let b = &self.world.actors[other.index()];
                let x = self.image(a.at, b.at).0;
                // Where the edges wrap, what lies above is met again below.
                let rounds = ((a.at.y - b.at.y) / map.height.max(1) as f64).ceil().max(0.0);
                let y = if self.program.edges == Edges::Wrap { b.at.y + rounds * map.height as f64 } else { b.at.y };
                let beside = (x - a.at.x).abs() >= (a.size.0 + b.size.0) / 2.0 - NEAR;
                if other == id
                    || b.at.area != a.at.area
                    || beside
                    || ground::passes_actor(self.program, self.world, id, other)
                {
                    continue;
                }
                stop(y - b.size.1 / 2.0, BumpInto::Actor(other));
            }
        }
        (room, into)
    }

    fn step_actor(&mut self, id: ActorId) {
        let i = id.index();
        if self.world.actors[i].step.is_none()
            && let Some(pressed) = self.world.actors[i].pressed.take()
        {
            // A key replaces an order.
            self.end_order(id, EndWhy::Key);
            self.begin_step(id, pressed.arrow.0, pressed.arrow.1);
            self.world.actors[i].pressed = pressed.then.map(|arrow| Box::new(Pressed { arrow, then: None }));
        }
        let Some(step) = self.world.actors[i].step.as_deref().copied() else { return };
        let a = &self.world.actors[i];
        let budget = a.speed / f64::from(self.program.rate.0);
        let from = a.at;
        let (dx, dy) = (step.to.x - from.x, step.to.y - from.y);
        let left = space::length(dx, dy);
        let to = if left <= budget + NEAR {
            step.to
        } else {
            Point { x: from.x + dx / left * budget, y: from.y + dy / left * budget, area: from.area }
        };
        let (to, into) = self.way(id, from, to);
        if let Some(into) = into {
            if to != from {
                (self.world.actors[i].at, self.world.actors[i].moved) = (to, true);
                self.wrap(id);
                let to = self.world.actors[i].at;
                let cause = self.note(|| TraceEvent::Moved { actor: id, from, to, cause: step.cause });
                self.world.actors[i].moved_by = cause;
                self.stopper_changed(id);
                self.carry(id, from, to, cause);
            }
            self.bump(id, into, step.cause);
            let a = &mut self.world.actors[i];
            let step = a.step.as_deref().copied().unwrap_or(step);
            // Stopped on the way it goes back; stopped on the way back it stays.
            a.step = if step.back {
                None
            } else {
                Some(Box::new(Step { from: step.to, to: step.from, back: true, cause: step.cause }))
            };
            return;
        }
        let arrived = left <= budget + NEAR;
        let a = &mut self.world.actors[i];
        a.at = to;
        a.moved = true;
        if arrived {
            a.step = None;
        }
        self.wrap(id);
        let to = self.world.actors[i].at;
        let cause = self.note(|| TraceEvent::Moved { actor: id, from, to, cause: step.cause });
        self.world.actors[i].moved_by = cause;
        self.stopper_changed(id);
        self.carry(id, from, to, cause);
    }

    /// A press begins a step to the next cell's centre; where that is not free, it only turns and bumps.
    fn begin_step(&mut self, id: ActorId, direction: u32, cause: Cause) {
        let a = &mut self.world.actors[id.index()];
        let (facing, at) = (a.facing, a.at);
        a.facing = direction;
        if facing != direction {
            a.dirty = true;
            let turned = self.note(|| TraceEvent::Turned { actor: id, from: facing, to: direction, cause });
            self.world.actors[id.index()].moved_by = turned;
        }
        let (cx, cy) = at.cell();
        let (sx, sy) = arith::step(direction);
        let to = Point { x: cx as f64 + sx, y: cy as f64 + sy, area: at.area };
        match self.stands_in(id, at, to) {
            Some(into) => self.bump(id, into, cause),
            None => self.world.actors[id.index()].step = Some(Box::new(Step { from: at, to, back: false, cause })),
        }
    }

    /// A move was stopped in step 2. It is told once, and not again while that contact lasts.
    pub fn bump(&mut self, id: ActorId, into: BumpInto, cause: Cause) {
        if let Some(what) = self.stopped(id, into, cause) {
            self.queue.push_back(Queued { what, cause });
        }
    }

    /// A move was stopped; gives what that is where it is new.
    pub fn stopped(&mut self, id: ActorId, into: BumpInto, cause: Cause) -> Option<EventInstance> {
        let (other_at, other_facing) = match into {
            BumpInto::Actor(b) => {
                let b = &self.world.actors[b.index()];
                (b.at, b.facing)
            }
            _ => (Point::main(0.0, 0.0), 0),
        };
        let a = &mut self.world.actors[id.index()];
        let bump = Bump { into, at: a.at, facing: a.facing, other_at, other_facing };
        if a.bump.as_deref().is_some_and(|b| b.is_same(&bump)) {
            return None;
        }
        a.bump = Some(Box::new(bump));
        a.dirty = true;
        a.moved_by = cause;
        if !self.world.stopped.contains(&id) {
            self.world.stopped.push(id);
        }
        Some(match into {
            BumpInto::Actor(b) => EventInstance::BumpsActor(id, b),
            BumpInto::Tile(t) => EventInstance::BumpsTile(id, t),
            BumpInto::Edge => EventInstance::BumpsEdge(id),
        })
    }
}
