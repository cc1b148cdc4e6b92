//! Where the panes of the flight view lie.
//!
//! Not here: how large they are ([`crate::sizes`]), what is in each.
//!
//! Invariant: panes do not overlap, and every size of the screen has at least one.

use super::map;
use crate::app::App;
use crate::sizes::{Layout, Pane, inner, layout, log_rows};
use ratatui::layout::Rect;

/// Where the panes lie that a terminal of that size shows.
pub fn places(app: &App, area: Rect) -> Vec<(Pane, Rect)> {
    let body = Rect { y: 4, height: area.height.saturating_sub(5), ..area };
    let drawer = app.flight.sizes.drawer(area);
    let top = body.height.saturating_sub(drawer);
    let why = (Pane::Why, Rect { y: body.y + top, height: drawer, ..body });
    match layout(area.width, area.height) {
        Layout::Folded => vec![(app.flight.focus, body)],
        _ if app.flight.comparing => vec![(Pane::Cascade, Rect { height: top, ..body }), why],
        Layout::Two => {
            let left = app.flight.sizes.left(area, body.width / 2);
            let right = Rect { x: left + 1, width: body.width - left - 1, ..body };
            let upper = app.flight.sizes.upper(top);
            let mut out = with_log(app, Rect { width: left, height: top, ..body });
            out.extend([
                (Pane::Cascade, Rect { height: upper, ..right }),
                (Pane::Watches, Rect { y: body.y + upper, height: top - upper, ..right }),
                why,
            ]);
            out
        }
        Layout::Three => {
            let (map, cascade) = app.flight.sizes.thirds(body.width);
            let watches = body.width - map - cascade;
            let mut out = with_log(app, Rect { width: map, height: top, ..body });
            out.extend([
                (Pane::Cascade, Rect { x: body.x + map + 1, width: cascade - 1, height: top, ..body }),
                (Pane::Watches, Rect { x: body.x + map + cascade + 1, width: watches - 1, height: top, ..body }),
                why,
            ]);
            out
        }
    }
}

/// The map's pane, and the log's below it where both have room.
fn with_log(app: &App, area: Rect) -> Vec<(Pane, Rect)> {
    let log = log_rows(area.height);
    if log == 0 {
        return vec![(Pane::Map, area)];
    }
    // Rows that the map does not fill are the log's.
    let upper = Rect { height: area.height - log, ..area };
    let view = app.map_view(inner(upper));
    let used = view.clip.bottom().saturating_sub(upper.y)
        + map::view::rows_below(inner(upper).height, view.height)
        + app.more_rows();
    let upper = Rect { height: used.clamp(8.min(upper.height), upper.height), ..upper };
    let lower = Rect { y: upper.bottom(), height: area.height - upper.height, ..area };
    vec![(Pane::Map, upper), (Pane::Log, lower)]
}
