//! Zones on the map: their ground, their borders, their names.
//!
//! Invariant: a zone without room for its name keeps a mark at its corners; where two zones of the level lie on one cell, it
//! is marked.

use super::Taken;
use super::view::View;
use crate::app::App;
use crate::flight::tiles::{self, Frame};
use crate::pen::Pen;
use crate::theme::Role;
use mayfly_base::code::Shape;
use mayfly_base::*;
use mayfly_engine::space;
use mayfly_engine::world::ZoneKey;
use std::collections::BTreeMap;

/// One zone that lies in the view.
struct Shown {
    key: ZoneKey,
    busy: bool,
    off: bool,
    chosen: bool,
}

/// All zones of the area, those that somebody stands in and those of the selected rung last.
fn all(app: &App, view: &View) -> Vec<Shown> {
    let s = &app.session;
    let (p, w) = (&s.engine.program, &s.now.world);
    let mut keys: Vec<ZoneKey> = vec![];
    for (i, z) in p.zones.iter().enumerate() {
        match z.of {
            None if z.area != view.area => {}
            None => keys.push((ZoneId::at(i), None)),
            Some(k) => keys.extend(
                w.living()
                    .filter(|(_, a)| a.enabled && a.at.area == view.area && p.is_kind(a.kind, k))
                    .map(|(id, _)| (ZoneId::at(i), Some(id))),
            ),
        }
    }
    let busy: std::collections::BTreeSet<ZoneKey> =
        w.living().flat_map(|(_, a)| a.inside.iter().map(|(k, _)| *k)).collect();
    let rung = app.selected_rung().and_then(|n| s.now.cascade.rung(n)).filter(|_| !app.play.running);
    let chosen = rung.map(|r| s.subjects_of(r).1).unwrap_or_default();
    let shown = |key: ZoneKey| Shown {
        key,
        busy: busy.contains(&key),
        off: w.zone_off[key.0.index()],
        chosen: chosen.contains(&key),
    };
    let mut out: Vec<Shown> = keys.into_iter().map(shown).collect();
    out.sort_by_key(|z| (z.key.1.is_none(), z.busy, z.chosen));
    out
}

impl Shown {
    fn role(&self) -> Role {
        match self {
            Self { off: true, .. } => Role::Line,
            Self { chosen: true, .. } => Role::Fired,
            Self { busy: true, .. } => Role::Outside,
            _ => Role::Zone,
        }
    }

    /// Its frame on the screen, where it has one.
    fn frame(&self, app: &App, view: &View) -> Option<Frame> {
        let (p, w) = (&app.session.engine.program, &app.session.now.world);
        let (x0, y0, x1, y1) = space::bounds(w.shape(p, self.key.0)).filter(|_| self.key.1.is_none())?;
        let (x, y) = view.corner((x0, y0));
        let across = (x1 - x0 + 1).clamp(1, 100_000) as i32;
        let down = (y1 - y0 + 1).clamp(1, 100_000) as i32;
        Some(Frame { x, y, width: across * view.columns, height: down * view.rows })
    }
}

/// Their ground and borders.
pub fn draw(app: &App, pen: &mut Pen, view: &View) {
    let (p, w) = (&app.session.engine.program, &app.session.now.world);
    let all = all(app, view);
    let mut covered: BTreeMap<(i64, i64), u8> = BTreeMap::new();
    for z in &all {
        let o = z.key.1.map_or((0.0, 0.0), |a| (w.actors[a.index()].at.x, w.actors[a.index()].at.y));
        let shape = w.shape(p, z.key.0);
        let cells = space::cells_within(shape, o, Some(view.cells()));
        if z.key.1.is_none() {
            cells.iter().for_each(|c| *covered.entry(*c).or_default() += 1);
        }
        cover(pen, view, &cells, z.busy && !z.off);
        if let Some(f) = z.frame(app, view).filter(|_| matches!(p.zones[z.key.0.index()].shape, Shape::Rect { .. }))
            && f.width >= 4
        {
            tiles::border(pen, view.clip, &f, z.role());
        }
    }
    let sign = pen.theme.glyph("∶", ";");
    for (cell, _) in covered.iter().filter(|(_, n)| **n > 1) {
        on_floor(pen, view, *cell, sign, Role::Zone);
    }
}

/// Their names, where no actor and no other name stands; marks where there is no room for one.
pub fn names(app: &App, pen: &mut Pen, view: &View, taken: &mut Taken) {
    let p = &app.session.engine.program;
    // What matters most takes its place first.
    for z in all(app, view).iter().rev() {
        let Some(f) = z.frame(app, view) else { continue };
        let name = &p.zones[z.key.0.index()].name;
        let long = pen.plain(name).chars().count() as i32;
        let rect = matches!(p.zones[z.key.0.index()].shape, Shape::Rect { .. });
        if long <= f.width && tiles::label(pen, view.clip, &f, name, z.role(), taken) {
            continue;
        }
        if rect && f.width >= 4 && f.height > 1 {
            continue;
        }
        for (x, y, sign) in
            [(f.x, f.y, pen.theme.glyph("⌜", "`")), (f.x + f.width - 1, f.y + f.height - 1, pen.theme.glyph("⌟", ","))]
        {
            if view.holds((x, y)) && taken.insert((x, y)) {
                pen.say(x as u16, y as u16, 1, sign, z.role());
            }
        }
    }
}

/// A zone's cells: a shade of their own where the theme has one, else signs along its edge.
pub fn cover(pen: &mut Pen, view: &View, cells: &[(i64, i64)], busy: bool) {
    let (Some(style), Some(wet)) = (pen.theme.zone_ground(busy, false), pen.theme.zone_ground(busy, true)) else {
        let sign = pen.theme.glyph("░", "&");
        for c in cells.iter().filter(|c| is_edge(cells, **c)) {
            on_floor(pen, view, *c, sign, if busy { Role::Outside } else { Role::Zone });
        }
        return;
    };
    let water = pen.style(Role::Water).bg;
    for cell in cells {
        let (sx, sy) = view.corner(*cell);
        for at in (0..view.rows).flat_map(|r| (0..view.columns).map(move |c| (sx + c, sy + r))) {
            if !view.holds(at) {
                continue;
            }
            let Some(cell) = pen.buf.cell((at.0 as u16, at.1 as u16)) else { continue };
            let is_water = Some(cell.bg) == water || Some(cell.bg) == wet.bg;
            if cell.symbol() != "█" {
                pen.tint(at.0 as u16, at.1 as u16, 1, if is_water { wet } else { style });
            }
        }
    }
}

fn is_edge(cells: &[(i64, i64)], (x, y): (i64, i64)) -> bool {
    [(x + 1, y), (x - 1, y), (x, y + 1), (x, y - 1)]
        .iter()
        .any(|n| cells.binary_search_by_key(&(n.1, n.0), |(a, b)| (*b, *a)).is_err())
}

/// A sign in the middle of a cell on which nothing but floor is drawn.
pub fn on_floor(pen: &mut Pen, view: &View, (x, y): (i64, i64), sign: &str, role: Role) {
    let at = view.at(x as f64, y as f64);
    if view.holds(at) {
        let is_floor = pen.buf.cell((at.0 as u16, at.1 as u16)).is_some_and(|c| matches!(c.symbol(), "·" | "." | " "));
        if is_floor {
            pen.say(at.0 as u16, at.1 as u16, 1, sign, role);
        }
    }
}
