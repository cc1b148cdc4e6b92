//! The firing order of the moment's tick as a ladder: one rung an evaluation, grouped by what happened.
//!
//! Not here: how a row of it looks ([`super::ladder`]).
//!
//! Invariant: what has not happened yet at the moment is dim; the moment's rung is the brightest.

use super::ladder::{self, Row};
use crate::app::App;
use crate::pen::{Hit, Pen};
use crate::theme::Role;
use mayfly_session::cascade::{Cascade, Done, Group, Rung};
use mayfly_session::loop_turn::LoopTurn;
use mayfly_session::moment::At;
use ratatui::layout::Rect;

/// `tick 20  5 fired  2 held  2 spent`.
pub fn facts(app: &App) -> String {
    let c = &app.session.now.cascade;
    let mut only = if app.flight.only_fired { "  only what fired" } else { "" }.to_string();
    if !app.flight.filter[0].is_empty() {
        only.push_str(&format!("  only `{}`", app.flight.filter[0]));
    }
    let spent = if c.spent > 0 { format!("  {} spent", c.spent) } else { String::new() };
    format!("tick {}{only}  {} fired  {} held{spent}", c.tick, c.fired, c.held)
}

/// The same for a small terminal.
pub fn short_facts(app: &App) -> String {
    let c = &app.session.now.cascade;
    format!(" {}/{}", c.fired, c.rungs().count())
}

pub fn draw(app: &App, pen: &mut Pen, area: Rect) {
    let c = &app.session.now.cascade;
    let whole = area;
    let area = Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area };
    // While the level runs, ticks pass too quickly to be read one by one: the last firings roll.
    if app.play.running && super::quiet::firings(app, pen, area, c.tick, Some(area.height as usize)) > 0 {
        return;
    }
    if app.is_quiet() {
        return quiet(app, pen, area, c);
    }
    let turn = app.session.turn_here();
    let until = match app.session.moment.at {
        At::Start => None,
        At::Record(i) => Some(i),
        At::End => Some(u32::MAX),
    };
    let rows = laid(app, pen, area, c, |unfold| rows(app, c, unfold, turn.as_ref(), until));
    let is_selected = |r: &Row| matches!(r, Row::Rung(r, _) if Some(r.number) == app.flight.selected);
    let at = rows.iter().position(is_selected).unwrap_or(0);
    let from = first_shown(rows.len(), at, area.height, |i| ladder::height(pen, &rows[i], area.width));
    let (shown, _) = draw_rows(app, pen, area, &rows[from..]);
    pen.more_below(whole, rows.len() - from - shown);
}

/// The rows of a cascade: every rung stands open where all of them fit, else the selected one alone.
fn laid<'a>(app: &App, pen: &Pen, area: Rect, c: &Cascade, rows: impl Fn(bool) -> Vec<Row<'a>>) -> Vec<Row<'a>> {
    if lines_of(app, c) <= area.height as usize {
        let open = rows(true);
        if open.iter().map(|r| ladder::height(pen, r, area.width)).sum::<u16>() <= area.height {
            return open;
        }
    }
    rows(false)
}

/// The row with which a pane begins in which the row `at` is seen, with as many before it as take a third of the pane, and no
/// room left below the last.
fn first_shown(count: usize, at: usize, room: u16, height: impl Fn(usize) -> u16) -> usize {
    let (mut from, mut above) = (at, 0);
    while from > 0 && above + height(from - 1) <= room / 3 {
        from -= 1;
        above += height(from);
    }
    let mut used: u16 = 0;
    for i in from..count {
        used = used.saturating_add(height(i));
        if used > room {
            return from;
        }
    }
    while from > 0 && used + height(from - 1) <= room {
        from -= 1;
        used += height(from);
    }
    from
}

/// Draws rows from the first on, as far as there is room; gives how many, and the lines that they took.
fn draw_rows(app: &App, pen: &mut Pen, area: Rect, rows: &[Row]) -> (usize, u16) {
    let mut used = 0;
    for (i, row) in rows.iter().enumerate() {
        if used >= area.height {
            return (i, used);
        }
        let lines = ladder::spread(pen, row, area.width);
        let height = lines.as_ref().map_or(1, |l| l.len() as u16).min(area.height - used);
        ladder::draw(app, pen, Rect { y: area.y + used, height, ..area }, row, lines.as_deref());
        used += height;
    }
    (rows.len(), used)
}

/// What stands where nothing was evaluated in the moment's tick.
fn quiet(app: &App, pen: &mut Pen, area: Rect, c: &Cascade) {
    let before: Vec<Row> = c.before.iter().map(Row::Before).collect();
    let (_, used) = draw_rows(app, pen, Rect { height: area.height.saturating_sub(3), ..area }, &before);
    let mut y = area.y + used;
    let text = if c.tick == 0 && app.session.moment.at == At::Start {
        "Before the first tick."
    } else {
        "Nothing was evaluated in this tick."
    };
    pen.say(area.x, y, area.width, text, Role::Dim);
    y += 2;
    let mut until = c.tick;
    if let Some(last) = app.last_before().filter(|_| y < area.bottom()) {
        super::quiet::heading(app, pen, Rect { y, height: 1, ..area }, last);
        let room = area.bottom().saturating_sub(y + 1);
        // The firings before it keep a few lines.
        let most = if room > 12 { room - 6 } else { room };
        let place = Rect { y: y + 1, height: most, ..area };
        let rows = laid(app, pen, place, &last.cascade, |unfold| rows(app, &last.cascade, unfold, None, None));
        let hits = pen.hits.len();
        let (_, shown) = draw_rows(app, pen, place, &rows);
        // Its rungs are those of another tick: a click goes there.
        pen.hits.truncate(hits);
        pen.hits.push((Rect { y, height: shown + 1, ..area }, Hit::Tick(last.tick)));
        y += 2 + shown;
        until = last.tick.saturating_sub(1);
    }
    let below = Rect { y, height: area.bottom().saturating_sub(y), ..area };
    super::quiet::firings(app, pen, below, until, None);
}

fn is_shown(app: &App, r: &Rung) -> bool {
    app.shows(r)
}

/// Lines of a cascade with every rung open, where none takes two.
fn lines_of(app: &App, c: &Cascade) -> usize {
    let rungs = |g: &Group| g.rungs.iter().filter(|r| is_shown(app, r)).map(|r| 1 + r.lines.len()).sum::<usize>();
    c.groups.iter().map(|g| 2 + rungs(g)).sum()
}

/// The rows of a cascade. `until`: the record at which the moment stands; what comes after it is yet to be, and without
/// one nothing of it is of this tick.
fn rows<'a>(app: &App, c: &'a Cascade, unfold: bool, turn: Option<&'a LoopTurn>, until: Option<u32>) -> Vec<Row<'a>> {
    let past = |at: u32| until.is_some_and(|u| at <= u);
    let mut out = vec![];
    let mut round = 0;
    for l in c.before.iter().take(3) {
        out.push(Row::Before(l));
    }
    if !c.before.is_empty() {
        out.push(Row::Gap);
    }
    for g in &c.groups {
        let rungs: Vec<&Rung> = g.rungs.iter().filter(|r| is_shown(app, r)).collect();
        if rungs.is_empty() && (app.flight.only_fired || !app.flight.filter[0].is_empty()) {
            continue;
        }
        if g.round != round && round != 0 {
            out.push(Row::Gap);
        }
        out.push(Row::Event(g, g.round != round));
        round = g.round;
        for r in rungs {
            out.push(Row::Rung(r, past(r.at)));
            let chosen = until.is_some() && Some(r.number) == app.flight.selected;
            let open = (unfold || chosen) != (until.is_some() && app.flight.toggled.contains(&r.number));
            // A loop in which the moment stands is opened at its turn.
            if let Some(t) = turn.filter(|t| t.rung == r.number) {
                let before = r.lines.iter().take_while(|l| !matches!(l.what, Done::Turns { .. }));
                out.extend(before.map(|l| Row::Effect(l, past(l.at))));
                out.push(Row::Turn(t.turn, r));
                out.extend(t.lines.iter().map(|l| Row::Effect(l, past(l.at))));
            } else if open {
                out.extend(r.lines.iter().map(|l| Row::Effect(l, past(l.at))));
            }
        }
    }
    out
}
