//! The view of the map as laid: ground, zones, paths, actors, ghosts of the moment, what a tool is about to do, and the list.
//!
//! Invariant: drawing changes nothing; only what lies in the view is looked at.

use super::tools::{line, radius, rectangle};
use crate::app::App;
use crate::app::How;
use crate::app::Moved;
use crate::app::RowOf;
use crate::app::SiteLayer;
use crate::app::SiteRow;
use crate::app::Tool;
use crate::flight::map::view::View;
use crate::flight::map::zones::{cover, on_floor};
use crate::flight::tiles::{self, Frame};
use crate::pen::{Hit, Pen};
use crate::theme::Role;
use crate::wrapping::wrapped;
use mayfly_base::code::Shape;
use mayfly_base::*;
use mayfly_engine::space;
use mayfly_lang::analysis::Analysis;
use mayfly_lang::level::Level;
use mayfly_session::laid::facts::{Item, heading};
use mayfly_session::laid::{Laid, tile};
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};
use std::collections::BTreeSet;
use unicode_width::UnicodeWidthStr;

/// Where the map lies, and the list: beside it, or below it where the screen is narrow.
pub fn places(area: Rect) -> (Rect, Rect) {
    let body = Rect { y: 5, height: area.height.saturating_sub(6), ..area };
    if body.width >= 100 {
        let width = (body.width * 32 / 100).clamp(40, 60);
        let list = Rect { x: body.right().saturating_sub(width), width, ..body };
        (Rect { x: body.x + 1, width: body.width.saturating_sub(width + 3), ..body }, list)
    } else {
        let height = (body.height / 2).clamp(6, 10);
        let list = Rect { y: body.bottom().saturating_sub(height), height, ..body };
        (
            Rect {
                x: body.x + 1,
                width: body.width.saturating_sub(2),
                height: body.height.saturating_sub(height + 1),
                ..body
            },
            list,
        )
    }
}

pub fn draw(app: &App, pen: &mut Pen, area: Rect) {
    let Some((a, laid)) = app.laid_now() else { return };
    let level = a.draft();
    let (room, list) = places(area);
    let view = app.site_view();
    title(
        app,
        pen,
        Rect { x: area.x, y: 4, width: if list.x > 0 { list.x } else { area.width }, height: 1 },
        level,
        &view,
    );
    ground(pen, level, &view);
    let mut taken: BTreeSet<(i32, i32)> = BTreeSet::new();
    for n in 0..laid.actors.len() {
        let x = &laid.actors[n];
        if x.at.area == view.area {
            taken.insert(view.at(x.at.x, x.at.y));
        }
    }
    zones(app, pen, (a, laid), &view);
    layer(app, pen, (a, laid), &view);
    names(app, pen, (a, laid), &view, &mut taken);
    ghosts(app, pen, laid, &view);
    actors(app, pen, laid, &view);
    tool(app, pen, (a, laid), &view);
    cursor(app, pen, &view);
    pen.hits.push((view.clip, Hit::Site));
    let _ = room;
    if list.x > 0 {
        pen.upright(list.x - 1, 5, list.bottom());
        pen.say(list.x - 1, 4, 1, "┬", Role::Line);
        draw_list(app, pen, Rect { y: 4, height: list.height + 1, ..list });
    } else {
        draw_list(app, pen, Rect { y: list.y.saturating_sub(1), height: list.height + 1, ..list });
    }
}

fn title(app: &App, pen: &mut Pen, area: Rect, level: &Level, view: &View) {
    let name = level.areas.get(view.area.index()).map_or("", |a| a.name.as_str());
    let name = if view.area == AreaId::MAIN { "Map" } else { name };
    let (w, h) = view.shown();
    let part = if view.is_whole() {
        format!("{} x {}", view.width, view.height)
    } else {
        let (right, bottom) = (view.left + w - 1, view.top + h - 1);
        format!("({}..{right}, {}..{bottom}) of {} x {}", view.left, view.top, view.width, view.height)
    };
    let layer = if app.site.layer == SiteLayer::Zones { String::new() } else { format!("  {}", app.site.layer.name()) };
    let count = app.site.count.map_or(String::new(), |n| format!("  count {n}"));
    let facts = format!("{part} as laid{layer}{count}");
    let ghosts: &[&str] = match app.session.moment.tick {
        0 => &[""],
        _ => &["  ghosts: where they stand at the moment", "  ghosts of the moment", "  ghosts", ""],
    };
    // As much of it as finds room.
    let room = (area.width as usize).saturating_sub(name.len() + facts.chars().count() + 8);
    let ghosts = ghosts.iter().find(|g| g.len() <= room).unwrap_or(&"");
    pen.title(area, name, &format!("{facts}{ghosts}"), !app.site.in_list);
}

fn ground(pen: &mut Pen, level: &Level, view: &View) {
    let (w, h) = view.shown();
    for cy in 0..h {
        for cx in 0..w {
            let cell = (view.left + cx, view.top + cy);
            let tile = tile(level, view.area, cell).map(|t| &level.tiles[t.index()]);
            let (x, y) = view.corner(cell);
            for row in 0..view.rows {
                let (text, style) = tiles::ground(tile, cell, (view.columns as usize, view.rows, row), pen.theme);
                pen.put(x as u16, (y + row) as u16, view.columns as u16, &text, style);
            }
        }
    }
}

/// The zone that is chosen, by name and owner.
fn chosen(app: &App) -> Option<Item> {
    app.site_item()
}

fn zones(app: &App, pen: &mut Pen, (a, laid): (&Analysis, &Laid), view: &View) {
    let level = a.draft();
    let chosen = chosen(app);
    let clip = view.cells();
    for z in laid.zones.iter().filter(|z| laid.area(level, **z) == view.area) {
        let zone = &level.zones[z.0.index()];
        let o = laid.origin(*z);
        if !in_view(&zone.shape, o, clip) {
            continue;
        }
        let cells = space::cells_within(&zone.shape, o, Some(clip));
        let is_chosen = chosen == Some(Item::Zone(*z));
        cover(pen, view, &cells, is_chosen);
        if let (Some(f), Shape::Rect { .. }) = (frame(&zone.shape, o, view), &zone.shape)
            && f.width >= 4
        {
            tiles::border(pen, view.clip, &f, if is_chosen { Role::Fired } else { Role::Zone });
        }
    }
}

fn in_view(shape: &Shape, o: (f64, f64), (x0, y0, x1, y1): space::Box) -> bool {
    let c = space::cell(o.0, o.1);
    space::bounds(shape).is_some_and(|(a, b, d, e)| a + c.0 <= x1 && d + c.0 >= x0 && b + c.1 <= y1 && e + c.1 >= y0)
}

/// The frame of a zone on the screen.
fn frame(shape: &Shape, o: (f64, f64), view: &View) -> Option<Frame> {
    let c = space::cell(o.0, o.1);
    let (x0, y0, x1, y1) = space::bounds(shape)?;
    let (x, y) = view.corner((x0 + c.0, y0 + c.1));
    let across = (x1 - x0 + 1).clamp(1, 100_000) as i32;
    let down = (y1 - y0 + 1).clamp(1, 100_000) as i32;
    Some(Frame { x, y, width: across * view.columns, height: down * view.rows })
}

fn names(app: &App, pen: &mut Pen, (a, laid): (&Analysis, &Laid), view: &View, taken: &mut BTreeSet<(i32, i32)>) {
    let level = a.draft();
    let chosen = chosen(app);
    let clip = view.cells();
    for z in laid.zones.iter().filter(|z| z.1.is_none() && laid.area(level, **z) == view.area) {
        let zone = &level.zones[z.0.index()];
        if !in_view(&zone.shape, (0.0, 0.0), clip) {
            continue;
        }
        let Some(f) = frame(&zone.shape, (0.0, 0.0), view) else { continue };
        let role = if chosen == Some(Item::Zone(*z)) { Role::Fired } else { Role::Zone };
        let long = pen.plain(&zone.name).chars().count() as i32;
        if long > f.width || !tiles::label(pen, view.clip, &f, &zone.name, role, taken) {
            // Without room for its name it keeps its corners.
            for (x, y, sign) in [
                (f.x, f.y, pen.theme.glyph("⌜", "`")),
                (f.x + f.width - 1, f.y + f.height - 1, pen.theme.glyph("⌟", ",")),
            ] {
                if view.holds((x, y)) && taken.insert((x, y)) {
                    pen.say(x as u16, y as u16, 1, sign, role);
                }
            }
        }
    }
}

fn layer(app: &App, pen: &mut Pen, (a, laid): (&Analysis, &Laid), view: &View) {
    let level = a.draft();
    let chosen_path = match chosen(app) {
        Some(Item::Point(p, _)) => Some(p),
        _ => None,
    };
    for (i, p) in level.paths.iter().enumerate() {
        let is_chosen = chosen_path == Some(PathId::at(i));
        if app.site.layer != SiteLayer::Paths && !is_chosen {
            continue;
        }
        path(pen, view, &p.points, p.end == code::PathEnd::Loop, if is_chosen { Role::Fired } else { Role::Outside });
    }
    let here = app.site.cursor;
    match app.site.layer {
        SiteLayer::Notices => {
            for n in laid.noticing(level, view.area, here) {
                let from = laid.actors[n.actor].at.cell();
                let role = if n.between.is_some() { Role::Held } else { Role::Outside };
                for c in line(from, here).into_iter().skip(1) {
                    on_floor(pen, view, c, pen.theme.glyph("∘", "\""), role);
                }
            }
        }
        SiteLayer::Heat | SiteLayer::Never => {
            let Some((_, entered)) = &app.site.entered else { return };
            let (w, h) = view.shown();
            for c in (0..h).flat_map(|y| (0..w).map(move |x| (view.left + x, view.top + y))) {
                let n = entered.get(&c).copied().unwrap_or(0);
                match app.site.layer {
                    SiteLayer::Heat if n > 0 => {
                        let power = (64 - n.leading_zeros()).min(9).to_string();
                        on_floor(pen, view, c, &power, Role::Fired);
                    }
                    SiteLayer::Never if n == 0 => on_floor(pen, view, c, pen.theme.glyph("╳", "x"), Role::Held),
                    _ => {}
                }
            }
        }
        _ => {}
    }
}

fn path(pen: &mut Pen, view: &View, points: &[Point], closed: bool, role: Role) {
    let own: Vec<(i64, i64)> = points.iter().filter(|p| p.area == view.area).map(|p| p.cell()).collect();
    let again = own.first().copied().filter(|_| closed);
    for w in own.iter().copied().chain(again).collect::<Vec<_>>().windows(2) {
        for c in line(w[0], w[1]) {
            on_floor(pen, view, c, pen.theme.glyph("∘", "\""), role);
        }
    }
    for (n, c) in own.iter().enumerate() {
        let at = view.at(c.0 as f64, c.1 as f64);
        if view.holds(at) {
            pen.say(at.0 as u16, at.1 as u16, 1, &(n % 10).to_string(), role);
        }
    }
}

/// Where actors stand at the moment, where that is not where they were laid.
fn ghosts(app: &App, pen: &mut Pen, laid: &Laid, view: &View) {
    let w = &app.session.now.world;
    for (_, x) in w.living().filter(|(_, x)| x.at.area == view.area) {
        let stays = laid.actors.iter().any(|l| *l.name == *x.name && l.at.cell() == x.at.cell());
        if !stays {
            let look = if pen.theme.ascii && !x.look.is_ascii() { "o".to_string() } else { x.look.to_string() };
            let at = view.at(x.at.x, x.at.y);
            if view.holds(at) {
                let style = pen.style(Role::Faint).add_modifier(Modifier::ITALIC);
                pen.put(at.0 as u16, at.1 as u16, 1, &look, style);
            }
        }
    }
}

fn actors(app: &App, pen: &mut Pen, laid: &Laid, view: &View) {
    let chosen = chosen(app);
    for (n, x) in laid.actors.iter().enumerate().filter(|(_, x)| x.at.area == view.area) {
        let at = view.at(x.at.x, x.at.y);
        if !view.holds(at) {
            continue;
        }
        let acts = x.enabled && x.visible;
        let mut style = if acts { pen.theme.look(x.colour) } else { pen.style(Role::Dim) };
        let look = match (acts, pen.theme.ascii && !x.look.is_ascii()) {
            (false, _) => pen.theme.glyph("◦", "_").to_string(),
            (true, true) => x.name.chars().next().map_or("o".into(), |c| c.to_string()),
            (true, false) => x.look.clone(),
        };
        if chosen == Some(Item::Actor(n)) {
            style = style.add_modifier(Modifier::UNDERLINED);
        }
        pen.put(at.0 as u16, at.1 as u16, 1, &look, style);
    }
}

/// Cells of what a tool is about to do.
fn tool(app: &App, pen: &mut Pen, (a, laid): (&Analysis, &Laid), view: &View) {
    let at = app.site.cursor;
    let lit = |pen: &mut Pen, (x, y): (i64, i64), role: Role| {
        let (sx, sy) = view.corner((x, y));
        for row in 0..view.rows {
            if view.holds((sx, sy + row)) {
                let style = Style::new().bg(pen.style(role).fg.unwrap_or_default()).fg(pen
                    .theme
                    .ground()
                    .bg
                    .unwrap_or_default());
                let style = if pen.theme.is_flat() { Style::new().add_modifier(Modifier::REVERSED) } else { style };
                pen.tint(sx as u16, (sy + row) as u16, view.columns as u16, style);
            }
        }
    };
    let block = |pen: &mut Pen, a: (i64, i64), b: (i64, i64), role: Role| {
        let ((x, y), w, h) = rectangle(a, b);
        let (sx, sy) = view.corner((x, y));
        let f = Frame { x: sx, y: sy, width: w as i32 * view.columns, height: h as i32 * view.rows };
        tiles::border(pen, view.clip, &f, role);
    };
    if let Some((from, to)) = app.site.mark {
        block(pen, from, to, Role::Written);
    }
    match &app.site.tool {
        Tool::None | Tool::Put { .. } => {}
        Tool::Rect { from } => block(pen, *from, at, Role::Fired),
        Tool::Mark { from } => block(pen, *from, at, Role::Written),
        Tool::Size { from, round: false, .. } => block(pen, *from, at, Role::Fired),
        Tool::Disc { at: middle } | Tool::Size { from: middle, round: true, .. } => {
            let r = radius(*middle, at).max(0.5);
            let disc = Shape::Disc { x: middle.0 as f64, y: middle.1 as f64, r };
            for c in space::cells_within(&disc, (0.0, 0.0), Some(view.cells())) {
                lit(pen, c, Role::Ember);
            }
        }
        Tool::Cells { cells } => cells.iter().for_each(|c| lit(pen, *c, Role::Ember)),
        Tool::Poly { points } | Tool::Path { points } => {
            let all: Vec<(i64, i64)> = points.iter().copied().chain([at]).collect();
            for w in all.windows(2) {
                for c in line(w[0], w[1]) {
                    on_floor(pen, view, c, pen.theme.glyph("∘", "\""), Role::Fired);
                }
            }
            points.iter().for_each(|c| lit(pen, *c, Role::Ember));
        }
        Tool::Paint { from: Some(from), how, .. } => match how {
            How::Line => line(*from, at).into_iter().for_each(|c| lit(pen, c, Role::Ember)),
            _ => block(pen, *from, at, Role::Fired),
        },
        Tool::Paint { .. } => {}
        Tool::Move { from, what } => {
            let by = (at.0 - from.0, at.1 - from.1);
            match what {
                Moved::Item(Item::Zone(z)) => {
                    let zone = &a.draft().zones[z.0.index()];
                    let o = (by.0 as f64, by.1 as f64);
                    if let (Some(f), Shape::Rect { .. }) = (frame(&zone.shape, o, view), &zone.shape) {
                        tiles::border(pen, view.clip, &f, Role::Fired);
                    } else {
                        let cells = space::cells_within(&zone.shape, o, Some(view.cells()));
                        cells.into_iter().for_each(|c| lit(pen, c, Role::Ember));
                    }
                }
                Moved::Item(Item::Actor(n)) => {
                    let x = &laid.actors[*n];
                    let to = view.at(x.at.x + by.0 as f64, x.at.y + by.1 as f64);
                    if view.holds(to) {
                        let style = pen.theme.look(x.colour);
                        pen.put(to.0 as u16, to.1 as u16, 1, &x.look.clone(), style);
                    }
                }
                Moved::Item(_) => {}
                Moved::Marked { .. } => {
                    if let Some((from, to)) = app.site.mark {
                        let moved = |c: (i64, i64)| (c.0 + by.0, c.1 + by.1);
                        block(pen, moved(from), moved(to), Role::Fired);
                    }
                }
            }
        }
    }
}

/// The cell under the cursor: turned round where the map has the keys, its corners lit where the list has them.
fn cursor(app: &App, pen: &mut Pen, view: &View) {
    let (x, y) = view.corner(app.site.cursor);
    for row in 0..view.rows {
        if view.holds((x, y + row)) {
            let width = view.columns.min(i32::from(view.clip.right()) - x) as u16;
            if app.site.in_list {
                let style = pen.style(Role::Found).add_modifier(Modifier::UNDERLINED);
                pen.tint(x as u16, (y + row) as u16, width, style);
            } else {
                pen.turn(x as u16, (y + row) as u16, width);
            }
        }
    }
    let flat = pen.theme.is_flat() || app.site.in_list;
    if flat && view.columns >= 2 && view.holds((x + view.columns - 1, y)) {
        pen.say((x + view.columns - 1) as u16, y as u16, 1, pen.theme.glyph("◂", "<"), Role::Strong);
    }
}

fn draw_list(app: &App, pen: &mut Pen, area: Rect) {
    let (x, y) = app.site.cursor;
    pen.title(Rect { height: 1, ..area }, &format!("({x}, {y})"), "what lies on this cell", app.site.in_list);
    let inner = Rect {
        x: area.x + 1,
        y: area.y + 1,
        width: area.width.saturating_sub(2),
        height: area.height.saturating_sub(1),
    };
    let rows = app.site_rows();
    let label = |row: &SiteRow| if let RowOf::Fact(f) = &row.of { pen.plain(&f.label).width() } else { 0 };
    let labels = rows.iter().map(label).max().unwrap_or(0).clamp(MIN_LABELS, MAX_LABELS);
    // Each row as the lines that it takes.
    let mut lines: Vec<(usize, Vec<(String, Role)>)> = vec![];
    for (i, row) in rows.iter().enumerate() {
        lines.extend(row_lines(app, pen, row, i, (labels, inner.width as usize)).into_iter().map(|l| (i, l)));
    }
    let height = inner.height as usize;
    let first = lines.iter().position(|(i, _)| *i == app.site.at).unwrap_or(0);
    let from = first.saturating_sub(height.saturating_sub(3)).min(lines.len().saturating_sub(height));
    for (n, (i, pieces)) in lines.iter().skip(from).take(height).enumerate() {
        let y = inner.y + n as u16;
        let here = *i == app.site.at && app.site.in_list;
        if here {
            let style = pen.style(Role::Selected);
            pen.tint(inner.x, y, inner.width, style);
        }
        let pieces: Vec<(&str, Role)> = pieces.iter().map(|(t, r)| (t.as_str(), *r)).collect();
        pen.run(inner.x, y, inner.width, &pieces);
        pen.hits.push((Rect { y, height: 1, ..inner }, Hit::SiteRow(*i)));
    }
    pen.more_below(inner, lines.len().saturating_sub(from + height));
}

/// Columns of the names of facts.
const MIN_LABELS: usize = 9;
const MAX_LABELS: usize = 24;

/// The lines of a row, with so many columns for the names of facts, and in all.
fn row_lines(
    app: &App,
    pen: &Pen,
    row: &SiteRow,
    i: usize,
    (labels, width): (usize, usize),
) -> Vec<Vec<(String, Role)>> {
    let here = i == app.site.at && app.site.in_list;
    let sign =
        |s: &'static str| (if here { pen.theme.glyph("▸ ", "> ").to_string() } else { s.to_string() }, Role::Key);
    let Some((a, laid)) = app.laid_now() else { return vec![] };
    match (&row.of, &row.item) {
        (RowOf::Heading(..), Item::Notices(n)) => {
            let (name, text) = heading(a.draft(), laid, &row.item, app.site.area, app.site.cursor);
            let role = if n.between.is_some() { Role::Dim } else { Role::Outside };
            vec![vec![sign("  "), (name, role), (format!("  {text}"), Role::Dim)]]
        }
        (RowOf::Heading(name, sort), _) => {
            let gap = if i > 0 { vec![vec![]] } else { vec![] };
            let mut out: Vec<Vec<(String, Role)>> = gap;
            out.push(vec![sign("  "), (name.clone(), Role::Strong), (format!("  {sort}"), Role::Dim)]);
            out
        }
        (RowOf::Fact(f), item) => {
            let label = if f.label.is_empty() { String::new() } else { format!("{:<labels$} ", f.label) };
            let role = if f.edit.is_some() { Role::Text } else { Role::Dim };
            let room = width.saturating_sub(4 + label.len()).max(10);
            let mut out: Vec<Vec<(String, Role)>> = vec![];
            if *item == Item::Tile && i > 0 {
                out.push(vec![]);
            }
            for (n, l) in wrapped(&f.text, room).into_iter().enumerate() {
                let lead = if n == 0 { label.clone() } else { " ".repeat(label.len()) };
                out.push(vec![sign("  "), ("  ".into(), Role::Dim), (lead, Role::Dim), (l, role)]);
            }
            out
        }
        (RowOf::FirstRule, _) => vec![vec![sign("  "), ("  a first rule for it …".into(), Role::Zone)]],
        (RowOf::Counts(fired, held), _) => {
            vec![vec![
                sign("  "),
                (format!("  {:<labels$} ", "its rules"), Role::Dim),
                (format!("fired {fired}, held {held} in this flight"), Role::Text),
            ]]
        }
    }
}
