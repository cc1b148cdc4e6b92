//! The map as it was at the moment: ground, zones, actors; below it who is driven, what the level
//! shows, and what was told.
//!
//! Invariant: a cell is two columns wide where there is room; the map keeps the driven actor in sight.

use super::tiles::{self, Frame};
use crate::app::App;
use crate::pen::{Hit, Pen};
use crate::theme::Role;
use mayfly_base::code::Shape;
use mayfly_base::*;
use mayfly_engine::program::Op;
use mayfly_engine::space;
use mayfly_engine::world::{Actor, World};
use mayfly_lab::session::At;
use mayfly_lab::words::Words;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Where cells lie on the screen.
struct View {
    clip: Rect,
    left: i64,
    top: i64,
    columns: i32,
}

impl View {
    fn at(&self, x: f64, y: f64) -> (i32, i32) {
        let col = ((x - self.left as f64) * f64::from(self.columns)).round() as i32;
        let row = (y - self.top as f64).round() as i32;
        (col.saturating_add(self.clip.x.into()), row.saturating_add(self.clip.y.into()))
    }

    /// The cells that are shown, and one more to each side.
    fn cells(&self) -> space::Box {
        let (w, h) = (i64::from(self.clip.width) / i64::from(self.columns.max(1)), i64::from(self.clip.height));
        (self.left - 1, self.top - 1, self.left + w + 1, self.top + h + 1)
    }

    fn holds(&self, (x, y): (i32, i32)) -> bool {
        x >= i32::from(self.clip.x)
            && x < i32::from(self.clip.right())
            && y >= i32::from(self.clip.y)
            && y < i32::from(self.clip.bottom())
    }
}

pub fn draw(app: &App, pen: &mut Pen, area: Rect) {
    let s = &app.session;
    let focus = app.driving.or_else(|| s.steered());
    let area_id = focus.map_or(AreaId::MAIN, |a| s.now.world.actors[a.index()].at.area);
    let map = &s.engine.program.maps[area_id.index()];
    let below = 9.min(area.height / 3);
    let room = Rect { y: area.y + 1, height: area.height.saturating_sub(below + 1), ..area };
    let (width, height) = if map.width > 0 { (map.width, map.height) } else { extent(&s.now.world) };
    let columns = if width * 2 <= i64::from(room.width) { 2 } else { 1 };
    let shown_w = (width * columns).min(i64::from(room.width)) as u16;
    let shown_h = height.min(i64::from(room.height)) as u16;
    let centre = focus.map_or((width / 2, height / 2), |a| s.now.world.actors[a.index()].at.cell());
    let scroll = |at: i64, shown: i64, all: i64| (at - shown / 2).clamp(0, (all - shown).max(0));
    let view = View {
        clip: Rect { width: shown_w, height: shown_h, ..room },
        left: scroll(centre.0, i64::from(shown_w) / columns, width),
        top: scroll(centre.1, i64::from(shown_h), height),
        columns: columns as i32,
    };
    ground(app, pen, &view, area_id);
    zones(app, pen, &view, area_id);
    actors(app, pen, &view, area_id);
    let y = room.y + shown_h + 1;
    let lower = Rect { y, height: area.bottom().saturating_sub(y), ..area };
    notes(app, pen, lower, focus);
}

/// The cells that a level without a map needs.
fn extent(w: &World) -> (i64, i64) {
    let far = w.living().map(|(_, a)| a.at.cell()).fold((8, 4), |m, c| (m.0.max(c.0), m.1.max(c.1)));
    ((far.0 + 2).min(400), (far.1 + 2).min(200))
}

fn ground(app: &App, pen: &mut Pen, view: &View, area: AreaId) {
    let p = &app.session.engine.program;
    let world = &app.session.now.world;
    let (w, h) = (i64::from(view.clip.width) / i64::from(view.columns), i64::from(view.clip.height));
    for cy in 0..h {
        for cx in 0..w {
            let cell = (view.left + cx, view.top + cy);
            let tile = world.tile(p, area, cell).map(|t| &p.tiles[t.index()]);
            let (glyph, role) = tiles::ground(tile, cell.0, cell.1, pen.theme);
            let glyph: String = glyph.chars().take(view.columns as usize).collect();
            let x = view.clip.x + (cx as i32 * view.columns) as u16;
            pen.say(x, view.clip.y + cy as u16, view.columns as u16, &glyph, role);
        }
    }
}

fn zones(app: &App, pen: &mut Pen, view: &View, area: AreaId) {
    let s = &app.session;
    let (p, w) = (&s.engine.program, &s.now.world);
    let mut all: Vec<(ZoneId, Option<ActorId>)> = vec![];
    for (i, z) in p.zones.iter().enumerate() {
        match z.of {
            None if z.area != area => {}
            None => all.push((ZoneId::at(i), None)),
            Some(k) => all.extend(
                w.living()
                    .filter(|(_, a)| a.enabled && a.at.area == area && p.is_kind(a.kind, k))
                    .map(|(id, _)| (ZoneId::at(i), Some(id))),
            ),
        }
    }
    // Zones that someone stands in lie on top.
    let busy = |key: &(ZoneId, Option<ActorId>)| w.living().any(|(_, a)| a.inside.iter().any(|(k, _)| k == key));
    all.sort_by_key(|k| (k.1.is_none(), busy(k)));
    for key in all {
        let z = &p.zones[key.0.index()];
        let o = key.1.map_or((0.0, 0.0), |a| (w.actors[a.index()].at.x, w.actors[a.index()].at.y));
        let role = if busy(&key) { Role::Outside } else { Role::Zone };
        let off = w.zone_off[key.0.index()];
        let shape = w.shape(p, key.0);
        cover(pen, view, shape, o, busy(&key) && !off);
        if key.1.is_some() {
            continue;
        }
        let Some((x0, y0, x1, y1)) = space::bounds(shape) else { continue };
        let (sx, sy) = view.at(x0 as f64, y0 as f64);
        let f = Frame { x: sx, y: sy, width: (x1 - x0 + 1) as i32 * view.columns, height: (y1 - y0 + 1) as i32 };
        // A name that does not fit would cover its neighbours.
        if f.width < z.name.chars().count() as i32 {
            continue;
        }
        if matches!(z.shape, Shape::Rect { .. }) {
            tiles::border(pen, view.clip, &f, &z.name, if off { Role::Line } else { role });
        } else {
            tiles::label(pen, view.clip, &f, &z.name, role);
        }
    }
}

/// A zone's cells: a shade of their own where the theme has one, else dots along its edge.
fn cover(pen: &mut Pen, view: &View, shape: &Shape, o: (f64, f64), busy: bool) {
    let cells = space::cells_within(shape, o, Some(view.cells()));
    let (Some(style), Some(wet)) = (pen.theme.zone_ground(busy, false), pen.theme.zone_ground(busy, true)) else {
        for c in cells.iter().filter(|c| is_edge(&cells, **c)) {
            dot(pen, view, *c, if busy { Role::Outside } else { Role::Zone });
        }
        return;
    };
    let water = pen.style(Role::Water).bg;
    for (x, y) in cells {
        let (sx, sy) = view.at(x as f64, y as f64);
        for i in 0..view.columns {
            let at = (sx + i, sy);
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

fn dot(pen: &mut Pen, view: &View, (x, y): (i64, i64), role: Role) {
    let at = view.at(x as f64, y as f64);
    if view.holds(at) {
        let glyph = pen.theme.glyph("∙", "'");
        let is_floor = pen.buf.cell((at.0 as u16, at.1 as u16)).is_some_and(|c| matches!(c.symbol(), "·" | "." | " "));
        if is_floor {
            pen.say(at.0 as u16, at.1 as u16, 1, glyph, role);
        }
    }
}

fn actors(app: &App, pen: &mut Pen, view: &View, area: AreaId) {
    let s = &app.session;
    let moved: Vec<ActorId> = s
        .now
        .world
        .living()
        .filter(|(id, a)| s.now.before.actor(*id).is_none_or(|b| b.at != a.at))
        .map(|(id, _)| id)
        .collect();
    let mut all: Vec<(ActorId, &mayfly_engine::world::Actor)> =
        s.now.world.living().filter(|(_, a)| a.at.area == area && a.visible).collect();
    // Whoever is driven, and whoever moved, is drawn last.
    all.sort_by_key(|(id, _)| (Some(*id) == app.driving.or_else(|| s.steered()), moved.contains(id), *id));
    for (id, a) in all {
        let at = view.at(a.at.x, a.at.y);
        if !view.holds(at) {
            continue;
        }
        let style = if a.enabled { pen.theme.look(a.colour) } else { pen.style(Role::Line) };
        let look = look_of(pen, a);
        pen.put(at.0 as u16, at.1 as u16, 1, &look, style);
        let place = Rect { x: at.0 as u16, y: at.1 as u16, width: view.columns as u16, height: 1 };
        pen.hits.push((place, Hit::Actor(id)));
    }
}

/// The character of an actor; with plain characters alone, the first letter of its name.
fn look_of(pen: &Pen, a: &Actor) -> String {
    if pen.theme.ascii && !a.look.is_ascii() {
        return a.name.chars().next().map_or("o".into(), |c| c.to_string());
    }
    a.look.to_string()
}

/// Below the map: the driven one, what the level shows, what was told.
fn notes(app: &App, pen: &mut Pen, area: Rect, focus: Option<ActorId>) {
    let s = &app.session;
    let w = &s.now.world;
    let words = Words::new(&s.engine.program, w);
    let mut y = area.y;
    let bottom = area.bottom();
    if let Some(id) = focus.filter(|_| y < bottom) {
        let a = &w.actors[id.index()];
        let look: Style = pen.theme.look(a.colour);
        let mut x = pen.put(area.x, y, 1, &look_of(pen, a), look) + 1;
        let place = format!(
            " ({}, {})",
            value::show_number((a.at.x * 10.0).round() / 10.0),
            value::show_number((a.at.y * 10.0).round() / 10.0)
        );
        let facing = format!("  facing {}", DIRECTIONS[a.facing as usize % 4]);
        let inside: Vec<String> =
            a.inside.iter().filter(|(k, _)| k.1.is_none()).map(|(k, _)| words.zone(k.0, k.1)).collect();
        let touching: Vec<String> = w
            .contacts
            .keys()
            .filter_map(|(m, n)| {
                if *m == id {
                    Some(*n)
                } else if *n == id {
                    Some(*m)
                } else {
                    None
                }
            })
            .map(|o| words.actor(o))
            .collect();
        x = pen.run(
            x,
            y,
            area.right().saturating_sub(x),
            &[(&a.name, Role::Strong), (&place, Role::Dim), (&facing, Role::Dim)],
        );
        for (word, list) in [("  in ", inside), ("  touching ", touching)] {
            if !list.is_empty() {
                x = pen.run(
                    x,
                    y,
                    area.right().saturating_sub(x),
                    &[(word, Role::Dim), (&list.join(", "), Role::Outside)],
                );
            }
        }
        y += 1;
    }
    for (text, board) in signs(app) {
        if y < bottom {
            pen.say(area.x, y, area.width, &text, if board { Role::Text } else { Role::Fired });
            y += 1;
        }
    }
    y += 1;
    log(app, pen, Rect { y, height: bottom.saturating_sub(y), ..area });
}

/// The texts that stand now: boards and prompts whose test is true.
fn signs(app: &App) -> Vec<(String, bool)> {
    use mayfly_base::code::Action;
    let s = &app.session;
    let w = &s.now.world;
    let mut out = vec![];
    for sign in &w.signs {
        let Op::Do(Action::Prompt { text, sustain, .. } | Action::Board { text, sustain }) =
            &s.engine.program.code[sign.pc as usize]
        else {
            continue;
        };
        let value = |e| mayfly_lab::values::of(&s.engine, w, e, sign.me, &sign.locals);
        let stands = sustain.as_ref().is_none_or(|t| value(t) == Ok(Value::Flag(true)));
        if let (true, Ok(Value::Text(t))) = (stands, value(text)) {
            let on = sign.on.map_or(String::new(), |a| format!("{}: ", w.actors[a.index()].name));
            out.push((format!("{on}{t}"), sign.board));
        }
    }
    out
}

fn log(app: &App, pen: &mut Pen, area: Rect) {
    let s = &app.session;
    let all = &s.index.log;
    let past = |l: &mayfly_lab::headless::Line| match s.moment.at {
        At::End => l.tick <= s.moment.tick,
        At::Record(i) => (l.tick, l.at) <= (s.moment.tick, i),
        At::Start => l.tick < s.moment.tick,
    };
    let until = all.partition_point(past);
    let from = until.saturating_sub(area.height as usize);
    for (i, l) in all[from..until].iter().rev().enumerate() {
        let here = l.tick == s.moment.tick;
        let word = match l.what {
            "tell" => "told  ",
            "cue" => "cued  ",
            "win" => "won   ",
            "lose" => "lost  ",
            _ => "logged",
        };
        let tick = format!(" {:>6}  ", l.tick);
        let role = if here { Role::Strong } else { Role::Dim };
        pen.run(
            area.x,
            area.y + i as u16,
            area.width,
            &[(word, Role::Dim), (&tick, if here { Role::Fired } else { Role::Dim }), (&l.text, role)],
        );
    }
}
