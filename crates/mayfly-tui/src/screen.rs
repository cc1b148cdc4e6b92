//! The whole screen: title, strand, panes, drawer, footer, and whatever is open above them.
//!
//! Invariant: drawing changes nothing but the answer that the drawer keeps; every size from the
//! smallest on shows the strand and at least one pane.

use crate::app::{App, Pane};
use crate::flight;
use crate::pen::Pen;
use crate::theme::Role;
use crate::{bars, overlay, strand};
use ratatui::Frame;
use ratatui::layout::Rect;

/// The smallest terminal that is drawn on.
pub const SMALLEST: (u16, u16) = (60, 16);

/// How the panes lie.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Layout {
    /// One at a time.
    Folded,
    /// Map on the left, cascade above watches on the right.
    Two,
    /// Side by side.
    Three,
}

/// The layout of a terminal of that size.
pub fn layout(width: u16, height: u16) -> Layout {
    if width < 100 || height < 28 {
        Layout::Folded
    } else if width < 132 {
        Layout::Two
    } else {
        Layout::Three
    }
}

/// Draws everything.
pub fn draw(app: &mut App, frame: &mut Frame) {
    let area = frame.area();
    app.is_folded = layout(area.width, area.height) == Layout::Folded;
    app.ask();
    let theme = app.theme;
    let buf = frame.buffer_mut();
    buf.set_style(area, theme.ground());
    let mut pen = Pen { buf, theme };
    if area.width < SMALLEST.0 || area.height < SMALLEST.1 {
        let text = format!("Mayfly needs {}x{}, this is {}x{}", SMALLEST.0, SMALLEST.1, area.width, area.height);
        pen.say(0, area.height / 2, area.width, &text, Role::Strong);
        return;
    }
    bars::title(app, &mut pen, Rect { height: 1, ..area });
    strand::draw(app, &mut pen, Rect { y: 1, height: 3, ..area });
    bars::footer(app, &mut pen, Rect { y: area.height - 1, height: 1, ..area });
    let body = Rect { y: 4, height: area.height - 5, ..area };
    match layout(area.width, area.height) {
        Layout::Folded => folded(app, &mut pen, body),
        Layout::Two => two(app, &mut pen, body),
        Layout::Three => three(app, &mut pen, body),
    }
    overlay::draw(app, &mut pen, area);
}

fn drawer_height(height: u16) -> u16 {
    (height / 4).clamp(8, 16)
}

fn folded(app: &App, pen: &mut Pen, body: Rect) {
    // The panes' names are the title line; the one with the keys is shown.
    let line = pen.theme.glyph("─", "-").repeat(body.width as usize);
    pen.say(body.x, body.y, body.width, &line, Role::Line);
    let mut at = body.x + 1;
    for p in Pane::ALL {
        let (name, facts) = match p {
            Pane::Map => ("Map", String::new()),
            Pane::Cascade => ("Cascade", flight::cascade::short_facts(app)),
            Pane::Watches => ("Watches", flight::watches::short_facts(app)),
            Pane::Why => ("Why", String::new()),
        };
        let role = if p == app.focus { Role::Focus } else { Role::Dim };
        at = pen.run(
            at,
            body.y,
            body.right().saturating_sub(at),
            &[(" ", Role::Line), (name, role), (&facts, Role::Dim), (" ", Role::Line)],
        );
        at += 1;
    }
    let inner = Rect { x: body.x + 1, y: body.y + 1, width: body.width - 2, height: body.height - 1 };
    match app.focus {
        Pane::Map => flight::map::draw(app, pen, inner),
        Pane::Cascade => flight::cascade::draw(app, pen, inner),
        Pane::Watches => flight::watches::draw(app, pen, inner),
        Pane::Why => flight::why::draw(app, pen, inner),
    }
}

fn pane(app: &App, pen: &mut Pen, which: Pane, area: Rect) {
    let inner = Rect {
        x: area.x + 1,
        y: area.y + 1,
        width: area.width.saturating_sub(2),
        height: area.height.saturating_sub(1),
    };
    let focus = app.focus == which;
    match which {
        Pane::Map => {
            pen.title(area, "Map", "", focus);
            flight::map::draw(app, pen, inner);
        }
        Pane::Cascade => {
            pen.title(area, "Cascade", &flight::cascade::facts(app), focus);
            flight::cascade::draw(app, pen, inner);
        }
        Pane::Watches => {
            pen.title(area, "Watches", &flight::watches::facts(app), focus);
            flight::watches::draw(app, pen, inner);
        }
        Pane::Why => {
            let (name, facts) = flight::why::title(app);
            pen.title(area, name, &facts, focus);
            flight::why::draw(app, pen, inner);
        }
    }
}

fn three(app: &App, pen: &mut Pen, body: Rect) {
    let drawer = drawer_height(body.height + 5);
    let top = body.height - drawer;
    let map = body.width * 44 / 100;
    let cascade = body.width * 30 / 100;
    let watches = body.width - map - cascade;
    let mut x = body.x;
    for (which, width) in [(Pane::Map, map), (Pane::Cascade, cascade), (Pane::Watches, watches)] {
        let area = Rect { x, y: body.y, width, height: top };
        let inner = if which == Pane::Map { area } else { Rect { x: x + 1, width: width - 1, ..area } };
        pane(app, pen, which, inner);
        if which != Pane::Map {
            pen.upright(x, body.y + 1, body.y + top);
            pen.say(x, body.y, 1, "┬", Role::Line);
        }
        x += width;
    }
    pane(app, pen, Pane::Why, Rect { y: body.y + top, height: drawer, ..body });
    for x in [map, map + cascade] {
        pen.say(body.x + x, body.y + top, 1, "┴", Role::Line);
    }
}

fn two(app: &App, pen: &mut Pen, body: Rect) {
    let drawer = drawer_height(body.height + 5);
    let top = body.height - drawer;
    let left = body.width / 2;
    pane(app, pen, Pane::Map, Rect { width: left, height: top, ..body });
    let right = Rect { x: left + 1, width: body.width - left - 1, ..body };
    let upper = top * 3 / 5;
    pane(app, pen, Pane::Cascade, Rect { height: upper, ..right });
    pane(app, pen, Pane::Watches, Rect { y: body.y + upper, height: top - upper, ..right });
    pen.upright(left, body.y + 1, body.y + top);
    pen.say(left, body.y, 1, "┬", Role::Line);
    pane(app, pen, Pane::Why, Rect { y: body.y + top, height: drawer, ..body });
    pen.say(left, body.y + top, 1, "┴", Role::Line);
}
