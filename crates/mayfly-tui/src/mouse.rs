//! The mouse: a click or a drag on the timeline goes there, a click on a pane takes the keys there and
//! selects what lies under it, a click on an actor asks about it, the wheel scrolls the pane under it, a border
//! between two panes can be dragged.
//!
//! Invariant: all that the mouse does, keys do too.

use crate::app::{App, Asked, Pane};
use crate::pen::Hit;
use crate::sizes::Border;
use crate::timeline::Scale;
use crate::view::View;
use crossterm::event::{MouseButton, MouseEvent, MouseEventKind};
use mayfly_session::moment::{At, Moment};
use mayfly_session::things::Thing;
use ratatui::layout::Rect;

/// One event of the mouse; true where anything changed.
pub fn take(app: &mut App, m: &MouseEvent) -> bool {
    if !app.overlays.is_empty() {
        return false;
    }
    let timeline = (1..4).contains(&m.row);
    let view = app.hits.iter().find_map(|(r, hit)| match hit {
        Hit::View(v) if r.contains((m.column, m.row).into()) => Some(*v),
        _ => None,
    });
    if let (Some(v), MouseEventKind::Down(MouseButton::Left)) = (view, m.kind) {
        app.show_view(v);
        return true;
    }
    if !timeline && app.view == View::Site {
        return on_site(app, m);
    }
    if !timeline && app.view == View::Script {
        return in_text(app, m);
    }
    match m.kind {
        MouseEventKind::Down(MouseButton::Left) if border_at(app, m).is_some() => {
            app.flight.dragged = border_at(app, m);
            false
        }
        MouseEventKind::Drag(MouseButton::Left) if app.flight.dragged.is_some() => {
            let (area, to) = (whole(app), (m.column, m.row));
            if let Some(border) = app.flight.dragged {
                app.flight.sizes.drag(border, to, area);
            }
            true
        }
        MouseEventKind::Up(MouseButton::Left) => {
            app.flight.dragged = None;
            false
        }
        MouseEventKind::Down(MouseButton::Left) | MouseEventKind::Drag(MouseButton::Left) if timeline => {
            if m.kind == MouseEventKind::Down(MouseButton::Left) {
                app.about_to_jump();
            }
            seek(app, m.column);
            true
        }
        MouseEventKind::Down(MouseButton::Left) => {
            let Some(pane) = pane_at(app, m) else { return false };
            app.flight.focus = pane;
            let under = |(r, _): &&(Rect, Hit)| r.contains((m.column, m.row).into());
            if pane == Pane::Map
                && let Some(cell) = app.shown_view().and_then(|v| v.cell_at(m.column, m.row))
            {
                app.flight.map.cursor = Some(cell);
            }
            if let Some((_, hit)) = app.hits.iter().rev().find(under).copied() {
                take_hit(app, hit);
            }
            true
        }
        MouseEventKind::ScrollUp | MouseEventKind::ScrollDown => {
            let up = m.kind == MouseEventKind::ScrollUp;
            if timeline {
                app.zoom = if up { (app.zoom + 1).min(16) } else { app.zoom.saturating_sub(1) };
                return true;
            }
            let Some(pane) = pane_at(app, m) else { return false };
            app.flight.focus = pane;
            app.move_in_pane(if up { -1 } else { 1 });
            true
        }
        _ => false,
    }
}

/// The mouse in the text: a click puts the caret there, a drag selects, the wheel scrolls.
fn in_text(app: &mut App, m: &MouseEvent) -> bool {
    let under = |(r, _): &&(Rect, Hit)| r.contains((m.column, m.row).into());
    match m.kind {
        MouseEventKind::Down(MouseButton::Left) => {
            if let Some((_, Hit::Next(i))) = app.hits.iter().rev().find(under).copied() {
                app.point_at_next(i);
            } else if let Some(at) = app.text_at(m.column, m.row) {
                app.point_at_text(at, false);
            }
            true
        }
        MouseEventKind::Drag(MouseButton::Left) => {
            if let Some(at) = app.text_at(m.column, m.row) {
                app.point_at_text(at, true);
            }
            true
        }
        MouseEventKind::ScrollUp | MouseEventKind::ScrollDown => {
            app.scroll_text(if m.kind == MouseEventKind::ScrollUp { -3 } else { 3 });
            true
        }
        _ => false,
    }
}

/// The mouse on the map as laid: a click puts the cursor there, a drag moves what lies there or goes on with the tool, the
/// wheel scrolls the list.
fn on_site(app: &mut App, m: &MouseEvent) -> bool {
    app.prepare_site();
    let under = |(r, _): &&(Rect, Hit)| r.contains((m.column, m.row).into());
    let hit = app.hits.iter().rev().find(under).map(|(_, h)| *h);
    match (m.kind, hit) {
        (MouseEventKind::Down(MouseButton::Left), Some(Hit::SiteRow(i))) => {
            let again = app.site.in_list && app.site.at == i;
            (app.site.in_list, app.site.at) = (true, i);
            if again {
                app.enter_on_site();
            }
            true
        }
        (MouseEventKind::Down(MouseButton::Left) | MouseEventKind::Drag(MouseButton::Left), Some(Hit::Site)) => {
            let Some(cell) = app.site_view().cell_at(m.column, m.row) else { return false };
            app.drag_on_site(cell, m.kind == MouseEventKind::Down(MouseButton::Left));
            true
        }
        (MouseEventKind::Up(MouseButton::Left), _) => app.drop_on_site(),
        (MouseEventKind::ScrollUp | MouseEventKind::ScrollDown, _) => {
            let by = if m.kind == MouseEventKind::ScrollUp { -1 } else { 1 };
            app.move_in_site_list(by);
            true
        }
        _ => false,
    }
}

/// A click: on a rung or a watch it selects, on an actor it asks about it.
fn take_hit(app: &mut App, hit: Hit) {
    match hit {
        Hit::Rung(n) => {
            app.flight.selected = Some(n);
            app.flight.asked = None;
        }
        Hit::Watch(i) => {
            app.flight.watch_at = i;
            app.flight.asked = Some(Asked::Watch(i));
        }
        Hit::Link(n) => return app.follow_link(n),
        Hit::Log(i) => {
            app.flight.log_at = i;
            app.follow_log();
        }
        Hit::Tick(tick) => {
            app.about_to_jump();
            app.go(Moment { tick, at: At::End });
        }
        Hit::Actor(a) => app.ask_about(Asked::Thing(Thing::Actor(a))),
        Hit::Overlay | Hit::Entry(_) | Hit::Next(_) | Hit::View(_) | Hit::Site | Hit::SiteRow(_) => {}
    }
    app.flight.why_scroll = 0;
    app.flight.answer = None;
}

fn seek(app: &mut App, column: u16) {
    let columns = u64::from(app.size.0.saturating_sub(2));
    let scale = Scale::new(app, columns);
    let c = u64::from(column.saturating_sub(1)).min(columns.saturating_sub(1));
    let tick = scale.ticks(c).start.min(app.session.last_tick());
    app.go(Moment { tick, at: At::End });
}

fn whole(app: &App) -> Rect {
    Rect { x: 0, y: 0, width: app.size.0, height: app.size.1 }
}

/// The border between two panes that lies there.
fn border_at(app: &App, m: &MouseEvent) -> Option<Border> {
    if app.is_folded || app.flight.comparing {
        return None;
    }
    let places = crate::flight::places(app, whole(app));
    let (_, why) = places.last()?;
    if m.row == why.y {
        return Some(Border::Drawer);
    }
    let after = |p: Pane| places.iter().find(|(q, _)| *q == p).map(|(_, r)| *r);
    let (cascade, watches) = (after(Pane::Cascade)?, after(Pane::Watches)?);
    let beside = |r: Rect| m.column + 1 == r.x && (r.y..r.bottom()).contains(&m.row);
    match () {
        () if beside(cascade) => Some(Border::Map),
        () if watches.x > cascade.x && beside(watches) => Some(Border::Cascade),
        () if watches.x == cascade.x && m.row == watches.y && m.column >= watches.x => Some(Border::Cascade),
        () => None,
    }
}

fn pane_at(app: &App, m: &MouseEvent) -> Option<Pane> {
    let inside = |r: &Rect| (r.x..r.right()).contains(&m.column) && (r.y..r.bottom()).contains(&m.row);
    crate::flight::places(app, whole(app)).into_iter().find(|(_, r)| inside(r)).map(|(p, _)| p)
}
