//! The whole screen: title, timeline, panes, drawer, footer, and whatever is open above them.
//!
//! Invariant: drawing changes nothing but the answer that the drawer keeps; every size from the
//! smallest on shows the timeline and at least one pane.

use crate::app::{App, Pane};
use crate::flight::{self, places};
use crate::pen::Pen;
use crate::sizes::Layout;
use crate::sizes::inner;
use crate::sizes::layout;
use crate::theme::Role;
use crate::view::View;
use crate::{bars, overlay, timeline};
use ratatui::Frame;
use ratatui::layout::Rect;

/// The smallest terminal that is drawn on.
pub const SMALLEST: (u16, u16) = (60, 16);

/// Draws everything.
pub fn draw(app: &mut App, frame: &mut Frame) {
    let area = frame.area();
    if app.size != (area.width, area.height) {
        app.size = (area.width, area.height);
        // How much of the text is seen was not known before.
        app.reveal_caret();
    }
    app.is_folded = layout(area.width, area.height) == Layout::Folded;
    crate::app::Names::refresh(app);
    app.ask();
    app.ask_comparison();
    if app.view != View::Flight {
        app.read_before_drawing();
    }
    app.flight.sizes.drawer_asks = crate::flight::machine::rows(app, area.width);
    let body = Rect { y: 4, height: area.height.saturating_sub(5 + app.flight.sizes.drawer(area)), ..area };
    app.flight.sizes.map_first = app.map_columns(body);
    crate::overlay::prepare(app);
    let theme = app.theme;
    let buf = frame.buffer_mut();
    buf.set_style(area, theme.ground());
    let mut pen = Pen { buf, theme, hits: vec![] };
    if area.width < SMALLEST.0 || area.height < SMALLEST.1 {
        let text = format!("Mayfly needs {}x{}, this is {}x{}", SMALLEST.0, SMALLEST.1, area.width, area.height);
        pen.say(0, area.height / 2, area.width, &text, Role::Strong);
        return;
    }
    bars::title(app, &mut pen, Rect { height: 1, ..area });
    timeline::draw(app, &mut pen, Rect { y: 1, height: 3, ..area });
    bars::footer(app, &mut pen, Rect { y: area.height - 1, height: 1, ..area });
    let body = Rect { y: 4, height: area.height - 5, ..area };
    match layout(area.width, area.height) {
        _ if app.view == View::Site => crate::site::draw(app, &mut pen, area),
        _ if app.view == View::Script => crate::script::draw(app, &mut pen, area),
        Layout::Folded => folded(app, &mut pen, body),
        Layout::Two | Layout::Three => parted(app, &mut pen, area),
    }
    overlay::draw(app, &mut pen, area);
    app.hits = pen.hits;
}

fn folded(app: &App, pen: &mut Pen, body: Rect) {
    // The panes' names are the title line; the one with the keys is shown.
    let line = pen.theme.glyph("─", "-").repeat(body.width as usize);
    pen.say(body.x, body.y, body.width, &line, Role::Line);
    let mut at = body.x + 1;
    for p in app.panes() {
        let (name, facts) = match p {
            Pane::Log => ("Log", String::new()),
            Pane::Map => ("Map", String::new()),
            Pane::Cascade => ("Cascade", flight::cascade::short_facts(app)),
            Pane::Watches => ("Watches", flight::watches::short_facts(app)),
            Pane::Why => ("Why", String::new()),
        };
        let role = if p == app.flight.focus { Role::Focus } else { Role::Dim };
        at = pen.run(
            at,
            body.y,
            body.right().saturating_sub(at),
            &[(" ", Role::Line), (name, role), (&facts, Role::Dim), (" ", Role::Line)],
        );
        at += 1;
    }
    let inner = Rect { x: body.x + 1, y: body.y + 1, width: body.width - 2, height: body.height - 1 };
    if app.flight.comparing && app.flight.focus != Pane::Why {
        return flight::compare::draw_folded(app, pen, inner);
    }
    match app.flight.focus {
        Pane::Map => flight::map::draw(app, pen, inner),
        Pane::Log => flight::log::draw(app, pen, inner),
        Pane::Cascade => flight::cascade::draw(app, pen, inner),
        Pane::Watches => flight::watches::draw(app, pen, inner),
        Pane::Why => flight::why::draw(app, pen, inner),
    }
}

/// A word for who is here for the first time; the first key takes it away.
fn hint(pen: &mut Pen, area: Rect) {
    let y = area.bottom() - 6;
    let lines: [[(&str, Role); 2]; 5] = [
        [("Space ", Role::Key), ("runs the level, n and b step through it, forward and back", Role::Dim)],
        [("d ", Role::Key), ("drives: arrows walk, Esc lets go", Role::Dim)],
        [("y ", Role::Key), ("says why the selected rung fired or was held, r why a rule did not fire", Role::Dim)],
        [("; ", Role::Key), ("finds any command by a few letters", Role::Dim)],
        [("? ", Role::Key), ("shows every key", Role::Dim)],
    ];
    for (i, pieces) in lines.iter().enumerate() {
        pen.run(area.x, y + i as u16, area.width, pieces);
    }
}

impl App {
    /// The panes that the keys can go to.
    pub fn panes(&self) -> Vec<Pane> {
        let shown: Vec<Pane> = if self.is_folded {
            Pane::ALL.to_vec()
        } else {
            let area = Rect { x: 0, y: 0, width: self.size.0, height: self.size.1 };
            places(self, area).into_iter().map(|(p, _)| p).collect()
        };
        Pane::ALL.into_iter().filter(|p| shown.contains(p)).collect()
    }
}

fn pane(app: &App, pen: &mut Pen, which: Pane, area: Rect) {
    let inner = inner(area);
    let focus = app.flight.focus == which;
    match which {
        Pane::Map => {
            pen.title(area, "Map", &flight::map::facts(app, inner), focus);
            flight::map::draw(app, pen, inner);
            // A flight that was opened says more than a hint, and needs the room.
            if app.is_new && inner.height > 24 && app.session.last_tick() == 0 {
                hint(pen, inner);
            }
        }
        Pane::Log => {
            pen.title(area, "Log", &flight::log::facts(app), focus);
            flight::log::draw(app, pen, inner);
        }
        Pane::Cascade if app.flight.comparing => {
            pen.title(area, "Then and now", &flight::compare::facts(app), focus);
            flight::compare::draw(app, pen, inner);
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

/// The panes, parted by one thin line each.
fn parted(app: &App, pen: &mut Pen, area: Rect) {
    let places = places(app, area);
    for (which, rect) in &places {
        pane(app, pen, *which, *rect);
    }
    let (body, why) = (4, places.last().map_or(0, |(_, r)| r.y));
    let mut lines: Vec<u16> = places.iter().map(|(_, r)| r.x).filter(|x| *x > 0).map(|x| x - 1).collect();
    lines.dedup();
    for x in lines {
        pen.upright(x, body + 1, why);
        pen.say(x, body, 1, "┬", Role::Line);
        let line = pen.theme.glyph("─", "-");
        if pen.buf.cell((x, why)).is_some_and(|c| c.symbol() == line) {
            pen.say(x, why, 1, "┴", Role::Line);
        }
    }
}
