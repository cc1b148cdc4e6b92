//! What lies on a cell of the map and what notices it, what an actor sees, where it came from, and which cells were
//! entered.
//!
//! Not here: why a rule about them fired or did not ([`crate::why`], [`crate::why_not`]).
//!
//! Invariant: what is said of the moment is of the moment's world; asking changes nothing.

use crate::cascade::Rung;
use crate::session::Session;
use crate::values;
use crate::words::Words;
use mayfly_base::code::WhoSet;
use mayfly_base::number::NEAR;
use mayfly_base::*;
use mayfly_engine::sight::{Between, in_sight};
use mayfly_engine::space;
use mayfly_engine::world::ZoneKey;
use mayfly_engine::{EventInstance, TraceEvent};
use std::collections::BTreeMap;

/// What is to be said of one cell at the moment.
#[derive(Clone, Debug, Default)]
pub struct OnCell {
    pub tile: Option<TileId>,
    /// Zones that hold it, those that are switched off too.
    pub zones: Vec<ZoneKey>,
    pub actors: Vec<ActorId>,
    /// Who notices it, or would if nothing stood between; the nearest first.
    pub noticed_by: Vec<Noticing>,
}

/// One actor and a cell that it could notice.
#[derive(Clone, Debug, PartialEq)]
pub struct Noticing {
    pub actor: ActorId,
    pub sense: Sense,
    /// From its centre to the cell's, in cells.
    pub far: f64,
    /// What hides the cell from it.
    pub between: Option<Between>,
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Sense {
    Sight,
    /// A rule asks who is near it, within so many cells.
    Near(f64),
}

/// Cells of one field at most.
const MAX_CELLS: usize = 40_000;
/// Ticks of the flight that are looked at for the cells that were entered.
const LOOK_BACK: u64 = 5_000;

fn centre(area: AreaId, (x, y): (i64, i64)) -> Point {
    Point { x: x as f64, y: y as f64, area }
}

impl Session {
    /// What lies on a cell, and what notices it.
    pub fn around(&self, area: AreaId, cell: (i64, i64)) -> OnCell {
        let (p, w) = (&self.engine.program, &self.now.world);
        let here = centre(area, cell);
        let mut zones: Vec<ZoneKey> = vec![];
        for (i, z) in p.zones.iter().enumerate() {
            let id = ZoneId::at(i);
            let holds = |o: (f64, f64)| space::contains(w.shape(p, id), o, (here.x, here.y));
            match z.of {
                None if z.area == area && holds((0.0, 0.0)) => zones.push((id, None)),
                None => {}
                Some(k) => zones.extend(
                    w.living()
                        .filter(|(_, a)| a.at.area == area && p.is_kind(a.kind, k) && holds((a.at.x, a.at.y)))
                        .map(|(a, _)| (id, Some(a))),
                ),
            }
        }
        let actors = w.living().filter(|(_, a)| a.at.area == area && a.at.cell() == cell).map(|(id, _)| id).collect();
        let mut noticed_by: Vec<Noticing> = vec![];
        for (id, a) in w.living().filter(|(_, a)| a.enabled && a.at.area == area) {
            let far = (a.at.x - here.x).hypot(a.at.y - here.y);
            let kind = &p.kinds[a.kind.index()];
            if kind.sights.iter().any(|s| in_sight(s, a.at, a.facing, here)) && a.at.cell() != cell {
                let between = values::within(&self.engine, w, None, |s| s.between(id, here, None));
                noticed_by.push(Noticing { actor: id, sense: Sense::Sight, far, between });
            }
            let fits = |set: &WhoSet| w.is_one_of(p, id, set, None);
            let near = p.ranges.iter().filter(|r| far <= r.within + NEAR && (fits(&r.a) || fits(&r.b)));
            let reach = near.map(|r| r.within).fold(0.0, f64::max);
            if reach > 0.0 && !kind.steered {
                noticed_by.push(Noticing { actor: id, sense: Sense::Near(reach), far, between: None });
            }
        }
        noticed_by.sort_by(|a, b| a.far.total_cmp(&b.far).then(a.actor.cmp(&b.actor)));
        OnCell { tile: w.tile(p, area, cell), zones, actors, noticed_by }
    }

    /// Every cell of a box that lies in an actor's sight, and what hides it.
    pub fn field_of(&self, id: ActorId, (x0, y0, x1, y1): space::Box) -> Vec<((i64, i64), Option<Between>)> {
        let (p, w) = (&self.engine.program, &self.now.world);
        let Some(a) = w.actor(id) else { return vec![] };
        let sights = &p.kinds[a.kind.index()].sights;
        if sights.is_empty() {
            return vec![];
        }
        values::within(&self.engine, w, None, |scope| {
            let cells = (y0..=y1).flat_map(|y| (x0..=x1).map(move |x| (x, y)));
            let seen = cells.filter(|c| sights.iter().any(|s| in_sight(s, a.at, a.facing, centre(a.at.area, *c))));
            seen.take(MAX_CELLS).map(|c| (c, scope.between(id, centre(a.at.area, c), None))).collect()
        })
    }

    /// Where an actor was in the last ticks before the moment, the latest last: each cell once in a row.
    pub fn trail_of(&mut self, id: ActorId, ticks: u64) -> Vec<Point> {
        let to = self.moment.tick;
        let engine = self.engine.clone();
        let mut out: Vec<Point> = vec![];
        self.history.scan_worlds(&engine, to.saturating_sub(ticks), to, |_, w| {
            if let Some(a) = w.actor(id)
                && out.last().is_none_or(|l| (l.cell(), l.area) != (a.at.cell(), a.at.area))
            {
                out.push(a.at);
            }
        });
        out
    }

    /// In how many ticks somebody newly stood on each cell of an area, over the last ticks of the flight up to the
    /// moment. Without `whom`, everybody counts.
    pub fn entered_cells(&mut self, area: AreaId, whom: Option<ActorId>) -> BTreeMap<(i64, i64), u64> {
        let to = self.moment.tick + 1;
        let engine = self.engine.clone();
        let mut at: BTreeMap<ActorId, (i64, i64)> = BTreeMap::new();
        let mut out: BTreeMap<(i64, i64), u64> = BTreeMap::new();
        self.history.scan_worlds(&engine, to.saturating_sub(LOOK_BACK), to, |_, w| {
            for (id, a) in w.living().filter(|(id, a)| a.at.area == area && whom.is_none_or(|x| x == *id)) {
                let cell = a.at.cell();
                if at.insert(id, cell) != Some(cell) {
                    *out.entry(cell).or_default() += 1;
                }
            }
        });
        out
    }

    /// Whom and which zones a rung is about: its `self`, the actors that its event bound, and the zone of its event.
    pub fn subjects_of(&self, rung: &Rung) -> (Vec<ActorId>, Vec<ZoneKey>) {
        let mut actors: Vec<ActorId> = rung.me.into_iter().collect();
        let mut zones = vec![];
        let slots = self.engine.program.rules.get(rung.rule.index()).map_or(0, |r| r.names.len());
        if let Some(TraceEvent::Evaluated { locals, .. }) = self.now.records.get(rung.at as usize) {
            for v in locals.iter().take(slots) {
                match v {
                    Value::Actor(a) if !actors.contains(a) => actors.push(*a),
                    Value::Zone(z, of) => zones.push((*z, *of)),
                    _ => {}
                }
            }
        }
        let group = self.now.cascade.groups.iter().find(|g| g.rungs.iter().any(|r| r.number == rung.number));
        let event = group.and_then(|g| self.now.records.get(g.at as usize));
        let Some(TraceEvent::Event { what, .. }) = event else { return (actors, zones) };
        use EventInstance as H;
        let (who, zone): (&[&ActorId], _) = match what {
            H::Enters(a, z, of) | H::Leaves(a, z, of) | H::In(a, z, of, _) | H::MovesIn(a, z, of) => {
                (&[a], Some((*z, *of)))
            }
            H::Touches(a, b) | H::Parts(a, b) | H::Touching(a, b, _) | H::Nears(_, a, b) | H::Strays(_, a, b) => {
                (&[a, b], None)
            }
            H::Near(_, a, b, _) | H::Sees(a, b) | H::Loses(a, b) | H::Seeing(a, b, _) => (&[a, b], None),
            H::Press(a, _) | H::Pressing(a, ..) | H::Treads(a, _) | H::Arrives(a, ..) | H::Stuck(a) => (&[a], None),
            _ => (&[], None),
        };
        for a in who {
            if !actors.contains(a) {
                actors.push(**a);
            }
        }
        zones.extend(zone.filter(|z| !zones.contains(z)));
        (actors, zones)
    }
}

impl Words<'_> {
    /// `heron#1 sees it, 5.1 cells away`, `owl: behind piles at (12, 5)`.
    pub fn noticing(&self, n: &Noticing) -> String {
        let far = (n.far * 10.0).round() / 10.0;
        let far = number::show_number(far);
        let who = self.actor(n.actor);
        match (&n.sense, &n.between) {
            (Sense::Near(reach), _) => format!("{who} has it near: {far} of {}", cells(*reach)),
            (Sense::Sight, None) => format!("{who} sees it, {} away", cells(n.far)),
            (Sense::Sight, Some(b)) => format!("{who} does not see it: {} stands between", self.between(*b)),
        }
    }

    /// What stands between, by name and place.
    pub fn between(&self, b: Between) -> String {
        match b {
            Between::Tile((x, y), t) => format!("{} at ({x}, {y})", self.program.tiles[t.index()].name),
            Between::Actor(a) => {
                let (x, y) = self.world.actors[a.index()].at.cell();
                format!("{} at ({x}, {y})", self.actor(a))
            }
        }
    }
}

/// So many cells, with one decimal at most.
fn cells(n: f64) -> String {
    let shown = number::show_number((n * 10.0).round() / 10.0);
    if shown == "1" { "1 cell".into() } else { format!("{shown} cells") }
}
