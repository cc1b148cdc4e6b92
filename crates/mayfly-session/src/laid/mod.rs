//! The level as its text lays it, before any tick: what lies on a cell, and who could notice it.
//!
//! It is read from the draft of a level, so that it is there also where the text has errors elsewhere. What is so at a moment of
//! a flight is [`crate::around`]'s; the facts of what lies there, to be changed, are in [`facts`].
//!
//! Invariant: nothing is run and nothing is changed; what the text gives as a computed value stands with the language's own
//! default.

pub mod facts;

use mayfly_base::code::{Attr, Expr, ExprKind, Override, WhoSet};
use mayfly_base::number::NEAR;
use mayfly_base::*;
use mayfly_engine::sight::in_sight;
use mayfly_engine::space;
use mayfly_lang::level::Level;

/// One placed actor.
#[derive(Clone, Debug)]
pub struct LaidActor {
    /// Its number in the level.
    pub id: ActorId,
    pub name: String,
    pub kind: KindId,
    pub at: Point,
    pub facing: u32,
    pub look: String,
    pub colour: u32,
    pub opaque: bool,
    pub visible: bool,
    pub enabled: bool,
}

/// Who could notice a cell, as laid.
#[derive(Clone, Debug, PartialEq)]
pub struct CouldNotice {
    /// The actor by its place in [`Laid::actors`].
    pub actor: usize,
    /// Within so many cells a rule asks for it; none: by sight.
    pub near: Option<f64>,
    pub far: f64,
    /// How far it can see, where it sees.
    pub reach: f64,
    /// What hides the cell, by name and place.
    pub between: Option<String>,
}

/// A zone that lies somewhere: of the level, or of one of the actors.
pub type LaidZone = (ZoneId, Option<usize>);

/// What a level's text lays.
#[derive(Clone, Debug, Default)]
pub struct Laid {
    pub actors: Vec<LaidActor>,
    /// Every zone where it lies.
    pub zones: Vec<LaidZone>,
}

fn constant(e: &Expr) -> Option<Value> {
    match &e.kind {
        ExprKind::Const(v) => Some(v.clone()),
        ExprKind::Negate(inner) => match constant(inner)? {
            Value::Number(n) => Some(Value::Number(-n)),
            _ => None,
        },
        _ => None,
    }
}

impl Laid {
    /// Reads it from a level, or from the draft of one.
    pub fn of(level: &Level) -> Self {
        // Of a text with errors some may be of a kind, or in an area, that nobody declares.
        let is_kind = |k: KindId| k.index() < level.kinds.len();
        let is_area = |a: AreaId| a.index() < level.areas.len();
        let sound = level.actors.iter().enumerate().filter(|(_, a)| is_kind(a.kind) && is_area(a.at.area));
        let actors: Vec<LaidActor> = sound.map(|(i, a)| actor(level, ActorId::at(i), a)).collect();
        let mut zones = vec![];
        for (i, z) in level.zones.iter().enumerate() {
            if !z.of.is_none_or(is_kind) || !z.kind.is_none_or(is_kind) || !is_area(z.area) {
                continue;
            }
            match z.of {
                None => zones.push((ZoneId::at(i), None)),
                Some(k) => zones.extend(
                    actors
                        .iter()
                        .enumerate()
                        .filter(|(_, a)| level.is_kind(a.kind, k))
                        .map(|(n, _)| (ZoneId::at(i), Some(n))),
                ),
            }
        }
        Self { actors, zones }
    }

    /// Where a zone's shape begins: at its actor, or at the map's corner.
    pub fn origin(&self, zone: LaidZone) -> (f64, f64) {
        zone.1.and_then(|n| self.actors.get(n)).map_or((0.0, 0.0), |a| (a.at.x, a.at.y))
    }

    /// The area in which a zone lies.
    pub fn area(&self, level: &Level, zone: LaidZone) -> AreaId {
        match zone.1.and_then(|n| self.actors.get(n)) {
            Some(a) => a.at.area,
            None => level.zones[zone.0.index()].area,
        }
    }

    /// The zones on a cell, those of the level first.
    pub fn zones_on(&self, level: &Level, area: AreaId, (x, y): (i64, i64)) -> Vec<LaidZone> {
        let on = |z: &&LaidZone| {
            let shape = &level.zones[z.0.index()].shape;
            self.area(level, **z) == area && space::contains(shape, self.origin(**z), (x as f64, y as f64))
        };
        let mut out: Vec<LaidZone> = self.zones.iter().filter(on).copied().collect();
        out.sort_by_key(|z| z.1.is_some());
        out
    }

    /// The actors on a cell, by their places in [`Laid::actors`].
    pub fn actors_on(&self, area: AreaId, cell: (i64, i64)) -> Vec<usize> {
        let on = |(_, a): &(usize, &LaidActor)| a.at.area == area && a.at.cell() == cell;
        self.actors.iter().enumerate().filter(on).map(|(n, _)| n).collect()
    }

    /// The points of paths on a cell.
    pub fn points_on(&self, level: &Level, area: AreaId, cell: (i64, i64)) -> Vec<(PathId, usize)> {
        let mut out = vec![];
        for (i, p) in level.paths.iter().enumerate() {
            let here = |(_, q): &(usize, &Point)| q.area == area && q.cell() == cell;
            out.extend(p.points.iter().enumerate().filter(here).map(|(n, _)| (PathId::at(i), n)));
        }
        out
    }

    /// Who could notice a cell by sight or nearness, the nearest first.
    pub fn noticing(&self, level: &Level, area: AreaId, cell: (i64, i64)) -> Vec<CouldNotice> {
        let here = Point { x: cell.0 as f64, y: cell.1 as f64, area };
        let mut out = vec![];
        for (n, a) in self.actors.iter().enumerate().filter(|(_, a)| a.at.area == area && a.enabled) {
            let far = (a.at.x - here.x).hypot(a.at.y - here.y);
            let kind = &level.kinds[a.kind.index()];
            let seen = kind.sights.iter().filter(|s| in_sight(s, a.at, a.facing, here));
            let reach = seen.map(reach_of).fold(None, |m: Option<f64>, r| Some(m.unwrap_or(0.0).max(r)));
            if let Some(reach) = reach.filter(|_| a.at.cell() != cell) {
                let between = self.between(level, n, cell);
                out.push(CouldNotice { actor: n, near: None, far, reach, between });
            }
            let fits = |set: &WhoSet, of: Option<KindId>| match set {
                WhoSet::Myself => of.is_some_and(|k| level.is_kind(a.kind, k)),
                set => self.is_one_of(level, n, set),
            };
            let asks = |r: &&mayfly_lang::level::Range| fits(&r.a, r.of) || fits(&r.b, r.of);
            let near = level.ranges.iter().filter(|r| far <= r.within + NEAR).filter(asks);
            let reach = near.map(|r| r.within).fold(0.0, f64::max);
            if reach > 0.0 && !kind.steered {
                out.push(CouldNotice { actor: n, near: Some(reach), far, reach, between: None });
            }
        }
        out.sort_by(|a, b| a.far.total_cmp(&b.far).then(a.actor.cmp(&b.actor)));
        out
    }

    fn is_one_of(&self, level: &Level, n: usize, set: &WhoSet) -> bool {
        let a = &self.actors[n];
        match set {
            WhoSet::Kind(k) => level.is_kind(a.kind, *k),
            WhoSet::Tag(t) => level.kinds[a.kind.index()].tags.contains(t),
            WhoSet::Actor(id) => *id == a.id,
            WhoSet::Any => true,
            _ => false,
        }
    }

    /// What stands between an actor and a cell: an opaque tile, else an opaque actor.
    fn between(&self, level: &Level, n: usize, cell: (i64, i64)) -> Option<String> {
        let a = &self.actors[n];
        let own = [a.at.cell(), cell];
        for c in space::cells_between((a.at.x, a.at.y), (cell.0 as f64, cell.1 as f64)).filter(|c| !own.contains(c)) {
            if let Some(t) = tile(level, a.at.area, c).map(|t| &level.tiles[t.index()]).filter(|t| t.opaque) {
                return Some(format!("{} at ({}, {})", t.name, c.0, c.1));
            }
            let hides = |o: &&LaidActor| o.opaque && o.enabled && o.at.area == a.at.area && o.at.cell() == c;
            if let Some(o) = self.actors.iter().find(hides) {
                return Some(format!("{} at ({}, {})", o.name, c.0, c.1));
            }
        }
        None
    }
}

fn reach_of(s: &mayfly_base::code::Sight) -> f64 {
    use mayfly_base::code::Sight;
    match s {
        Sight::All { reach } | Sight::Wedge { reach, .. } => *reach,
        Sight::Cells { ahead, .. } => *ahead as f64,
    }
}

/// The tile of a cell; none where nothing is laid.
pub fn tile(level: &Level, area: AreaId, (x, y): (i64, i64)) -> Option<TileId> {
    let map = level.areas.get(area.index())?;
    let (x, y) = (usize::try_from(x).ok()?, usize::try_from(y).ok()?);
    if x >= map.width || y >= map.height {
        return None;
    }
    map.cells.get(y * map.width + x).copied().flatten()
}

fn actor(level: &Level, id: ActorId, a: &mayfly_lang::level::Actor) -> LaidActor {
    let mut out = LaidActor {
        id,
        name: a.name.clone(),
        kind: a.kind,
        at: a.at,
        facing: a.facing,
        look: "●".into(),
        colour: 0,
        opaque: false,
        visible: true,
        enabled: true,
    };
    let kind = level.kinds.get(a.kind.index());
    let of_kind = kind.into_iter().flat_map(|k| k.attrs.iter().map(|(attr, e)| (*attr, e)));
    let own = a.overrides.iter().filter_map(|o| match o {
        Override::Attr(attr, e) => Some((*attr, e)),
        Override::Field(..) => None,
    });
    for (attr, e) in of_kind.chain(own) {
        match (attr, constant(e)) {
            (Attr::Look, Some(Value::Text(t))) => out.look = t.to_string(),
            (Attr::Colour, Some(Value::Enum(_, c))) => out.colour = c,
            (Attr::Facing, Some(Value::Enum(_, d))) => out.facing = d,
            (Attr::Opaque, Some(Value::Flag(b))) => out.opaque = b,
            (Attr::Visible, Some(Value::Flag(b))) => out.visible = b,
            (Attr::Enabled, Some(Value::Flag(b))) => out.enabled = b,
            _ => {}
        }
    }
    out
}
