//! The map as it was at the moment: ground, zones, ways, actors, what is painted over them, and what is said below.
//!
//! [`view`] says which part is shown and how large, [`zones`] and [`actors`] draw what lies on it, [`layers`] paints over it,
//! [`notes`] writes below it.
//!
//! Invariant: a cell takes the same number of columns and rows everywhere; no name covers an actor.

pub mod actors;
pub mod layers;
mod notes;
pub mod view;
pub mod zones;

use super::tiles;
use crate::app::Layer;
use crate::app::{App, Pane};
use crate::pen::Pen;
use crate::theme::Role;
use ratatui::layout::Rect;
use std::collections::BTreeSet;
use view::View;

/// Places of the screen that are taken: no name goes there.
type Taken = BTreeSet<(i32, i32)>;

/// Area, part and size, as the title says them.
pub fn facts(app: &App, inner: Rect) -> String {
    let view = app.map_view(inner);
    let maps = &app.session.engine.program.maps;
    let name = &maps[view.area.index()].name;
    let area = match (name.is_empty(), maps.len()) {
        (false, n) if n > 1 => format!("{name}  "),
        _ => String::new(),
    };
    let (w, h) = view.shown();
    let part = if view.is_whole() {
        format!("{} x {}", view.width, view.height)
    } else {
        let (right, bottom) = (view.left + w - 1, view.top + h - 1);
        format!("({}..{right}, {}..{bottom}) of {} x {}", view.left, view.top, view.width, view.height)
    };
    let layer = match app.flight.map.layer {
        Layer::Zones => String::new(),
        other => format!("  {}", other.name()),
    };
    format!("{area}{part}{layer}")
}

pub fn draw(app: &App, pen: &mut Pen, area: Rect) {
    let view = app.map_view(area);
    ground(app, pen, &view);
    let mut taken = actors::places(app, &view);
    zones::draw(app, pen, &view);
    layers::draw(app, pen, &view);
    actors::ways(app, pen, &view);
    zones::names(app, pen, &view, &mut taken);
    actors::draw(app, pen, &view);
    cursor(app, pen, &view);
    let y = view.clip.bottom() + 1;
    notes::draw(app, pen, Rect { y, height: area.bottom().saturating_sub(y), ..area });
}

fn ground(app: &App, pen: &mut Pen, view: &View) {
    let s = &app.session;
    let (p, world) = (&s.engine.program, &s.now.world);
    let (w, h) = view.shown();
    for cy in 0..h {
        for cx in 0..w {
            let cell = (view.left + cx, view.top + cy);
            let tile = world.tile(p, view.area, cell);
            let tile = tile.map(|t| &s.level.tiles[t.index()]);
            let (x, y) = view.corner(cell);
            for row in 0..view.rows {
                let (text, style) = tiles::ground(tile, cell, (view.columns as usize, view.rows, row), pen.theme);
                pen.put(x as u16, (y + row) as u16, view.columns as u16, &text, style);
            }
        }
    }
}

/// The cell under the cursor, turned round in its colours.
fn cursor(app: &App, pen: &mut Pen, view: &View) {
    let Some(cell) =
        app.flight.map.cursor.filter(|_| app.flight.focus == Pane::Map || app.flight.map.layer == Layer::Noticed)
    else {
        return;
    };
    let (x, y) = view.corner(cell);
    for row in 0..view.rows {
        if view.holds((x, y + row)) {
            let width = view.columns.min(i32::from(view.clip.right()) - x) as u16;
            pen.turn(x as u16, (y + row) as u16, width);
        }
    }
    // Without colours and shades a cell that is turned round is still told by its corners.
    if pen.theme.is_flat() && view.columns >= 2 && view.holds((x + view.columns - 1, y)) {
        pen.say((x + view.columns - 1) as u16, y as u16, 1, pen.theme.glyph("◂", "<"), Role::Strong);
    }
}
