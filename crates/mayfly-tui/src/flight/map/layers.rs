//! What is painted over the map: who notices the cell under the cursor, what one actor sees, paths, where somebody went.
//!
//! Invariant: a layer is told by signs and by words below the map, never by a shade alone.

use super::view::View;
use crate::app::Layer;
use crate::app::{App, Asked};
use crate::command::Command;
use crate::pen::Pen;
use crate::theme::Role;
use mayfly_base::*;
use mayfly_engine::space;
use mayfly_session::around::Sense;
use mayfly_session::things::Thing;
use mayfly_session::words::Words;

impl Layer {
    const ALL: [(Self, &'static str); 6] = [
        (Self::Zones, "zones"),
        (Self::Noticed, "who notices the cell at the cursor"),
        (Self::Field, "what one actor sees"),
        (Self::Paths, "paths"),
        (Self::Heat, "where anybody went in the last 5000 ticks"),
        (Self::Never, "where nobody went in the last 5000 ticks"),
    ];

    pub fn name(self) -> &'static str {
        Self::ALL[self as usize].1
    }

    pub fn next(self) -> Self {
        Self::ALL[(self as usize + 1) % Self::ALL.len()].0
    }
}

/// A sign on each cell, in its middle.
fn mark(pen: &mut Pen, view: &View, (x, y): (i64, i64), sign: &str, role: Role) {
    let at = view.at(x as f64, y as f64);
    if view.holds(at) {
        pen.say(at.0 as u16, at.1 as u16, 1, sign, role);
    }
}

impl App {
    /// Whose field the map shows: the one asked about, the one under the cursor, the one of the selected rung, else the
    /// first that sees anything at all.
    pub fn seer(&self) -> Option<ActorId> {
        let (p, w) = (&self.session.engine.program, &self.session.now.world);
        let area = self.map_area();
        let sees =
            |a: ActorId| w.actor(a).is_some_and(|x| x.at.area == area && !p.kinds[x.kind.index()].sights.is_empty());
        let asked = match self.flight.asked {
            Some(Asked::Thing(Thing::Actor(a))) => Some(a),
            _ => None,
        };
        let under = self.flight.map.cursor.map(|c| self.session.around(area, c).actors).unwrap_or_default();
        let of_rung = self.selected_rung().and_then(|n| self.session.now.cascade.rung(n)).and_then(|r| r.me);
        let all = asked.into_iter().chain(under).chain(of_rung).chain(w.living().map(|(id, _)| id));
        all.into_iter().find(|a| sees(*a))
    }

    pub(crate) fn next_layer(&mut self) {
        self.flight.map.layer = self.flight.map.layer.next();
        if self.flight.map.layer == Layer::Noticed && self.flight.map.cursor.is_none() {
            self.move_cursor(0, 0);
        }
        let hint = match self.flight.map.layer {
            Layer::Noticed => "  arrows move the cursor while the map has the keys",
            Layer::Field if self.seer().is_none() => "  nobody sees anything in this area",
            Layer::Field => "  look into another actor to see its field",
            _ => "",
        };
        self.say(format!("the map shows: {}{hint}", self.flight.map.layer.name()));
    }

    /// What the layer and the trail need is up to date; true where it was not.
    pub(crate) fn prepare_map(&mut self) -> bool {
        let mut any = false;
        if matches!(self.flight.map.layer, Layer::Heat | Layer::Never) {
            let key = (self.map_area(), self.session.moment.tick);
            let fresh = self.flight.map.entered.as_ref().is_some_and(|(k, _)| *k == key);
            // While the level runs the last answer has to do.
            if !fresh && (!self.play.running || self.flight.map.entered.is_none()) {
                let cells = self.session.entered_cells(key.0, None);
                self.flight.map.entered = Some((key, cells));
                any = true;
            }
        } else {
            self.flight.map.entered = None;
        }
        any | self.prepare_trail()
    }

    fn prepare_trail(&mut self) -> bool {
        let tick = self.session.moment.tick;
        let Some(id) = self.followed() else {
            self.flight.map.trail = Default::default();
            return false;
        };
        let Some(at) = self.session.now.world.actor(id).map(|a| a.at) else { return false };
        let trail = &mut self.flight.map.trail;
        match trail.of {
            Some((of, t)) if of == id && t == tick => return false,
            // The level ran on: what is new is put behind what is known.
            Some((of, t)) if of == id && tick > t && tick - t <= 4 => {
                if trail.points.last().is_none_or(|l| (l.cell(), l.area) != (at.cell(), at.area)) {
                    trail.points.push(at);
                }
                let extra = trail.points.len().saturating_sub(TRAIL);
                trail.points.drain(..extra);
                trail.of = Some((id, tick));
            }
            _ => {
                let ticks = 3 * u64::from(self.session.level.rate.0);
                let mut points = self.session.trail_of(id, ticks.min(400));
                let extra = points.len().saturating_sub(TRAIL);
                points.drain(..extra);
                self.flight.map.trail.points = points;
                self.flight.map.trail.of = Some((id, tick));
            }
        }
        true
    }
}

/// Cells of a trail.
const TRAIL: usize = 12;

/// Paints the layer.
pub fn draw(app: &App, pen: &mut Pen, view: &View) {
    match app.flight.map.layer {
        Layer::Zones => {}
        Layer::Noticed => noticed(app, pen, view),
        Layer::Field => field(app, pen, view),
        Layer::Paths => paths(app, pen, view),
        Layer::Heat => heat(app, pen, view),
        Layer::Never => never(app, pen, view),
    }
}

/// The lines of sight to the cell under the cursor, up to what stands between.
fn noticed(app: &App, pen: &mut Pen, view: &View) {
    let Some((cell, on)) = app.under_cursor() else { return };
    let w = &app.session.now.world;
    let to = (cell.0 as f64, cell.1 as f64);
    let sign = pen.theme.glyph("∘", "\"");
    for n in on.noticed_by.iter().filter(|n| n.sense == Sense::Sight) {
        let a = &w.actors[n.actor.index()];
        let own = [a.at.cell(), cell];
        let stop = match n.between {
            Some(mayfly_engine::sight::Between::Tile(c, _)) => Some(c),
            Some(mayfly_engine::sight::Between::Actor(b)) => Some(w.actors[b.index()].at.cell()),
            None => None,
        };
        for c in space::cells_between((a.at.x, a.at.y), to).filter(|c| !own.contains(c)) {
            if Some(c) == stop {
                mark(pen, view, c, pen.theme.glyph("✗", "x"), Role::Held);
                break;
            }
            mark(pen, view, c, sign, if stop.is_some() { Role::Dim } else { Role::Outside });
        }
    }
}

/// Every cell that one actor sees.
fn field(app: &App, pen: &mut Pen, view: &View) {
    let Some(id) = app.seer() else { return };
    let (x0, y0, x1, y1) = view.cells();
    let inside = (x0.max(0), y0.max(0), x1.min(view.width - 1), y1.min(view.height - 1));
    let w = &app.session.now.world;
    let taken: Vec<(i64, i64)> = w.living().filter(|(_, a)| a.at.area == view.area).map(|(_, a)| a.at.cell()).collect();
    for (cell, between) in app.session.field_of(id, inside) {
        let wall =
            w.tile(&app.session.engine.program, view.area, cell).map(|t| &app.session.engine.program.tiles[t.index()]);
        if taken.contains(&cell) || wall.is_some_and(|t| t.solid && t.opaque) {
            continue;
        }
        match between {
            None => mark(pen, view, cell, pen.theme.glyph("∘", "\""), Role::Outside),
            Some(_) => mark(pen, view, cell, pen.theme.glyph("╳", "x"), Role::Line),
        }
    }
}

/// The points of every path, numbered, and its legs.
fn paths(app: &App, pen: &mut Pen, view: &View) {
    let sign = pen.theme.glyph("∘", "\"");
    for path in &app.session.engine.program.paths {
        let here: Vec<Point> = path.points.iter().copied().filter(|p| p.area == view.area).collect();
        for leg in here.windows(2) {
            for c in space::cells_between((leg[0].x, leg[0].y), (leg[1].x, leg[1].y)) {
                mark(pen, view, c, sign, Role::Zone);
            }
        }
        for (i, p) in here.iter().enumerate() {
            let at = view.at(p.x, p.y);
            if view.holds(at) {
                let name = if i == 0 { format!("1 {}", path.name) } else { (i + 1).to_string() };
                let room = i32::from(view.clip.right()) - at.0;
                pen.say(at.0 as u16, at.1 as u16, room as u16, &name, Role::Outside);
            }
        }
    }
}

/// How often each cell was entered, as a digit: 1 to 9 by powers of two.
fn heat(app: &App, pen: &mut Pen, view: &View) {
    let Some((_, cells)) = &app.flight.map.entered else { return };
    for (cell, n) in cells {
        let step = (64 - n.leading_zeros()).min(9);
        let role = match step {
            0..=2 => Role::Ember,
            3..=5 => Role::Outside,
            _ => Role::Fired,
        };
        mark(pen, view, *cell, &step.to_string(), role);
    }
}

/// Every open cell that nobody stood on.
fn never(app: &App, pen: &mut Pen, view: &View) {
    let Some((_, cells)) = &app.flight.map.entered else { return };
    let (p, w) = (&app.session.engine.program, &app.session.now.world);
    let (x0, y0, x1, y1) = view.cells();
    for y in y0.max(0)..=y1.min(view.height - 1) {
        for x in x0.max(0)..=x1.min(view.width - 1) {
            let open = w.tile(p, view.area, (x, y)).is_none_or(|t| !p.tiles[t.index()].solid);
            if open && !cells.contains_key(&(x, y)) {
                mark(pen, view, (x, y), pen.theme.glyph("╳", "x"), Role::Held);
            }
        }
    }
}

/// What is said below the map: the layer, and what it says of the cell under the cursor.
pub fn lines(app: &App) -> Vec<(String, Role)> {
    let s = &app.session;
    let words = Words::new(&s.engine.program, &s.now.world);
    let mut out = vec![];
    if app.flight.map.layer != Layer::Zones {
        let key = app.keys.of_command(Command::Layer);
        let what = match (app.flight.map.layer, app.seer()) {
            (Layer::Field, Some(a)) => format!("what {} sees", words.actor(a)),
            (layer, _) => layer.name().to_string(),
        };
        out.push((format!("{key}  {what}"), Role::Key));
    }
    let Some((cell, on)) = app.under_cursor() else { return out };
    let tile = on.tile.map_or("no tile", |t| s.engine.program.tiles[t.index()].name.as_str());
    let off = |z: &ZoneId| if s.now.world.zone_off[z.index()] { ", switched off" } else { "" };
    let mut parts = vec![format!("({}, {}) {tile}", cell.0, cell.1)];
    parts.extend(on.actors.iter().map(|a| {
        let a = &s.now.world.actors[a.index()];
        format!("{}{}", a.name, super::actors::state_word(a))
    }));
    let zones: Vec<String> = on.zones.iter().map(|(z, of)| format!("{}{}", words.zone(*z, *of), off(z))).collect();
    if !zones.is_empty() {
        parts.push(format!("in {}", zones.join(", ")));
    }
    out.push((parts.join("   "), Role::Text));
    match (app.flight.map.layer, on.noticed_by.is_empty()) {
        (Layer::Noticed, true) => out.push(("nobody notices this cell".into(), Role::Dim)),
        (Layer::Noticed, false) => out.extend(
            on.noticed_by
                .iter()
                .map(|n| (words.noticing(n), if n.between.is_some() { Role::Dim } else { Role::Outside })),
        ),
        (_, false) => {
            let open = on.noticed_by.iter().filter(|n| n.between.is_none()).map(|n| words.actor(n.actor));
            let mut who: Vec<String> = open.collect();
            who.dedup();
            if !who.is_empty() {
                out.push((format!("noticed by {}", who.join(", ")), Role::Outside));
            }
        }
        _ => {}
    }
    out
}
