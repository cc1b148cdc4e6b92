//! Questions about two things: where, beside, in contact, in sight, of a kind.
//!
//! Not here: who sees whom ([`crate::sight`]), geometry ([`crate::space`]).
//!
//! Invariant: asking changes nothing; a question about one that is not there is a fault.

use crate::eval::Scope;
use crate::fault::*;
use crate::space;
use crate::world::ZoneKey;
use mayfly_base::code::*;
use mayfly_base::*;

/// Cells of one zone that a question looks at.
const MAX_CELLS: u64 = 4_000_000;

impl Scope<'_> {
    /// True where the actor or point is in the zone now.
    pub fn in_zone(&self, zone: ZoneKey, at: Point, who: Option<ActorId>) -> bool {
        let z = &self.program.zones[zone.0.index()];
        let origin = match zone.1 {
            None => {
                if self.world.zone_off[zone.0.index()] {
                    return false;
                }
                (0.0, 0.0)
            }
            Some(owner) => match self.world.actor(owner) {
                Some(a) if a.enabled && a.at.area == at.area && Some(owner) != who => (a.at.x, a.at.y),
                _ => return false,
            },
        };
        if zone.1.is_none() && z.area != at.area {
            return false;
        }
        if let Some(w) = who {
            let actor = &self.world.actors[w.index()];
            let noticed =
                z.notices.is_empty() || z.notices.iter().any(|s| self.world.is_one_of(self.program, w, s, None));
            if !noticed || !actor.enabled || actor.gone {
                return false;
            }
        }
        space::contains(self.world.shape(self.program, zone.0), origin, (at.x, at.y))
    }

    pub(crate) fn relation(&self, r: Relation, a: &Expr, b: &Expr, locals: &mut [Value]) -> Result<bool, Fault> {
        let (x, y) = (self.eval(a, locals)?, self.eval(b, locals)?);
        match r {
            Relation::InZone => {
                let Value::Zone(z, of) = y else { return Err(Fault::new(FaultKind::None, "none is no zone", b.span)) };
                let at = self.place(&x, a.span)?;
                let who = if let Value::Actor(id) = x { Some(id) } else { None };
                Ok(self.in_zone((z, of), at, who))
            }
            Relation::InList => match &y {
                Value::List(l) => {
                    let each = 1 + x.weight() / TEXT_STEP;
                    self.step((l.len() * each / ITEM_STEP) as u64, b.span)?;
                    Ok(l.iter().any(|v| v.same(&x)))
                }
                Value::Set(l) => {
                    self.step(crate::contents::seek_steps(l.len(), &x), b.span)?;
                    Ok(crate::contents::place_in(l, &x, |v| v).is_some())
                }
                Value::Tally(l) => {
                    self.step(crate::contents::seek_steps(l.len(), &x), b.span)?;
                    Ok(crate::contents::place_in(l, &x, |(v, _)| v).is_some_and(|i| l[i].1 > 0.0))
                }
                _ => Err(Fault::new(FaultKind::None, "none holds nothing", b.span)),
            },
            Relation::IsKind => match (x, y) {
                (Value::Actor(id), Value::Kind(k)) => Ok(self.program.is_kind(self.world.actors[id.index()].kind, k)),
                (Value::Zone(z, _), Value::Kind(k)) => {
                    Ok(self.program.zones[z.index()].kind.is_some_and(|x| self.program.is_kind(x, k)))
                }
                _ => Err(Fault::new(FaultKind::None, "none is of no kind", a.span)),
            },
            Relation::Covers => match (x, y) {
                (Value::Zone(z, of), wanted) => self.covers((z, of), &wanted, a.span),
                _ => Err(Fault::new(FaultKind::None, "none is no zone", a.span)),
            },
            Relation::Tagged => match (x, y) {
                (Value::Actor(id), Value::Tag(t)) => Ok(self.world.is_tagged(id, t)),
                (Value::Tile(tile), Value::Tag(t)) => Ok(self.program.tiles[tile.index()].tags.contains(&t)),
                _ => Err(Fault::new(FaultKind::None, "none has no tags", a.span)),
            },
            _ => {
                if let (Relation::Sees, Value::Actor(i), Value::Point(p)) = (r, &x, &y) {
                    self.there(*i, a.span)?;
                    return Ok(self.sees_point(*i, *p));
                }
                let (Value::Actor(i), Value::Actor(j)) = (&x, &y) else {
                    return Err(Fault::new(
                        FaultKind::None,
                        "there is no actor here: it is none",
                        if matches!(x, Value::Actor(_)) { b.span } else { a.span },
                    ));
                };
                self.there(*i, a.span)?;
                self.there(*j, b.span)?;
                let (p, q) = (&self.world.actors[i.index()], &self.world.actors[j.index()]);
                if r == Relation::Touching {
                    return Ok(self.touching(*i, *j));
                }
                if r == Relation::Sees {
                    return Ok(self.sees(*i, *j));
                }
                if p.at.area != q.at.area {
                    return Ok(false);
                }
                let (facing, dx, dy) = match r {
                    Relation::Facing => (p.facing, q.at.x - p.at.x, q.at.y - p.at.y),
                    _ => (q.facing, p.at.x - q.at.x, p.at.y - q.at.y),
                };
                let wanted = match r {
                    Relation::Facing | Relation::Ahead => 0,
                    Relation::RightOf => 1,
                    Relation::Behind => 2,
                    _ => 3,
                };
                Ok(space::side(facing, dx, dy) == Some(wanted))
            }
        }
    }

    /// True where a zone lies over a tile: one of its cells has it.
    pub(crate) fn covers(&self, (z, of): ZoneKey, wanted: &Value, span: Span) -> Result<bool, Fault> {
        let zone = &self.program.zones[z.index()];
        let (origin, area) = match of {
            Some(a) => (self.world.actors[a.index()].at, self.world.actors[a.index()].at.area),
            None => (Point::main(0.0, 0.0), zone.area),
        };
        let shape = self.world.shape(self.program, z);
        let cells = self.cells_on_map(shape, origin, area, span)?;
        Ok(cells.into_iter().filter_map(|c| self.world.tile(self.program, area, c)).any(|t| match wanted {
            Value::Tile(w) => *w == t,
            Value::Tag(tag) => self.program.tiles[t.index()].tags.contains(tag),
            _ => false,
        }))
    }

    /// The cells of a shape that lie on the map of an area, row by row; of an area without a map all of them.
    ///
    /// # Errors
    /// More cells than can be looked at.
    pub fn cells_on_map(&self, shape: &Shape, o: Point, area: AreaId, span: Span) -> Result<Vec<(i64, i64)>, Fault> {
        let map = &self.program.maps[area.index()];
        let within = (map.width > 0).then_some((0, 0, map.width - 1, map.height - 1));
        let many = space::area_of(shape, (o.x, o.y), within);
        if many > MAX_CELLS {
            return Err(Fault::new(FaultKind::Limit, "this zone is too large: it may lie on 4,000,000 cells", span));
        }
        self.step(many / 64, span)?;
        Ok(space::cells_within(shape, (o.x, o.y), within))
    }

    /// True where the two are in contact now: their boxes overlap, or one was stopped by the other.
    pub fn touching(&self, i: ActorId, j: ActorId) -> bool {
        let (a, b) = (&self.world.actors[i.index()], &self.world.actors[j.index()]);
        if i == j
            || a.gone
            || b.gone
            || !a.enabled
            || !b.enabled
            || !a.tangible
            || !b.tangible
            || a.at.area != b.at.area
        {
            return false;
        }
        space::overlap((a.at.x, a.at.y), a.size, (b.at.x, b.at.y), b.size)
            || self.world.stopped_by(i, j)
            || self.world.stopped_by(j, i)
    }
}
