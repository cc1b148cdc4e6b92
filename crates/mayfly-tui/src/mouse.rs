//! The mouse: a click or a drag on the timeline goes there, a click on a pane takes the keys there and
//! selects what lies under it, a click on an actor asks about it, the wheel scrolls the pane under it, a border
//! between two panes can be dragged.
//!
//! Invariant: all that the mouse does, keys do too.

use crate::app::{App, Asked, Pane};
use crate::pen::Hit;
use crate::screen;
use crate::sizes::Border;
use crate::timeline::Scale;
use crossterm::event::{MouseButton, MouseEvent, MouseEventKind};
use mayfly_session::session::{At, Moment};
use mayfly_session::things::Thing;
use ratatui::layout::Rect;

/// One event of the mouse; true where anything changed.
pub fn take(app: &mut App, m: &MouseEvent) -> bool {
    if !app.overlays.is_empty() {
        return false;
    }
    let timeline = (1..4).contains(&m.row);
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
        Hit::Overlay | Hit::Entry(_) => {}
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
    let places = screen::places(app, whole(app));
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
    screen::places(app, whole(app)).into_iter().find(|(_, r)| inside(r)).map(|(p, _)| p)
}
