//! The mouse: a click or a drag on the strand goes there, a click on a pane takes the keys there and
//! selects what lies under it, a click on an actor asks about it, the wheel scrolls the pane under it.
//!
//! Invariant: all that the mouse does, keys do too.

use crate::app::{App, Asked, Pane};
use crate::pen::Hit;
use crate::screen;
use crate::strand::Scale;
use crossterm::event::{MouseButton, MouseEvent, MouseEventKind};
use mayfly_lab::session::{At, Moment};
use ratatui::layout::Rect;

/// One event of the mouse; true where anything changed.
pub fn take(app: &mut App, m: &MouseEvent) -> bool {
    if !app.overlays.is_empty() {
        return false;
    }
    let strand = (1..4).contains(&m.row);
    match m.kind {
        MouseEventKind::Down(MouseButton::Left) | MouseEventKind::Drag(MouseButton::Left) if strand => {
            seek(app, m.column);
            true
        }
        MouseEventKind::Down(MouseButton::Left) => {
            let Some(pane) = pane_at(app, m) else { return false };
            app.focus = pane;
            let under = |(r, _): &&(Rect, Hit)| r.contains((m.column, m.row).into());
            if let Some((_, hit)) = app.hits.iter().rev().find(under).copied() {
                take_hit(app, hit);
            }
            true
        }
        MouseEventKind::ScrollUp | MouseEventKind::ScrollDown => {
            let up = m.kind == MouseEventKind::ScrollUp;
            if strand {
                app.zoom = if up { (app.zoom + 1).min(16) } else { app.zoom.saturating_sub(1) };
                return true;
            }
            let Some(pane) = pane_at(app, m) else { return false };
            app.focus = pane;
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
            app.selected = Some(n);
            app.asked = None;
        }
        Hit::Watch(i) => {
            app.watch_at = i;
            app.asked = Some(Asked::Watch(i));
        }
        Hit::Actor(a) => app.ask_about(Asked::Actor(a)),
    }
    app.why_scroll = 0;
    app.answer = None;
}

fn seek(app: &mut App, column: u16) {
    let columns = u64::from(app.size.0.saturating_sub(2));
    let scale = Scale::new(app, columns);
    let c = u64::from(column.saturating_sub(1)).min(columns.saturating_sub(1));
    let tick = scale.ticks(c).start.min(app.session.last_tick());
    app.go(Moment { tick, at: At::End });
}

fn pane_at(app: &App, m: &MouseEvent) -> Option<Pane> {
    let area = Rect { x: 0, y: 0, width: app.size.0, height: app.size.1 };
    let inside = |r: &Rect| (r.x..r.right()).contains(&m.column) && (r.y..r.bottom()).contains(&m.row);
    screen::places(app, area).into_iter().find(|(_, r)| inside(r)).map(|(p, _)| p)
}
