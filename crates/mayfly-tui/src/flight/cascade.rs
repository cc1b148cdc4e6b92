//! The firing order of the moment's tick as a ladder: one rung an evaluation, grouped by what happened.
//!
//! Invariant: what has not happened yet at the moment is dim; the moment's rung is the brightest.

use crate::app::App;
use crate::pen::{Hit, Pen};
use crate::theme::Role;
use mayfly_session::cascade::{Cascade, Done, Group, Line, Mark, Origin, Rung};
use mayfly_session::loop_turn::LoopTurn;
use mayfly_session::moment::At;
use ratatui::layout::Rect;
use unicode_width::UnicodeWidthStr;

/// `5 fired  2 held  2 spent`.
pub fn facts(app: &App) -> String {
    let c = &app.session.now.cascade;
    let mut only = if app.flight.only_fired { "  only what fired" } else { "" }.to_string();
    if !app.flight.filter[0].is_empty() {
        only.push_str(&format!("  only `{}`", app.flight.filter[0]));
    }
    format!("tick {}{only}  {} fired  {} held  {} spent", c.tick, c.fired, c.held, c.spent)
}

/// The same for a small terminal.
pub fn short_facts(app: &App) -> String {
    let c = &app.session.now.cascade;
    format!(" {}/{}", c.fired, c.rungs().count())
}

/// A row of the pane.
enum Row<'a> {
    Gap,
    Before(&'a Line),
    Event(&'a Group, bool),
    Rung(&'a Rung, bool),
    Effect(&'a Line, bool),
    /// A loop opened at that turn.
    Turn(u64, &'a Rung),
}

pub fn draw(app: &App, pen: &mut Pen, area: Rect) {
    let c = &app.session.now.cascade;
    let area = Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area };
    // While the level runs, ticks pass too quickly to be read one by one: the last firings roll.
    if app.play.running && super::quiet::firings(app, pen, area, c.tick, Some(area.height as usize)) > 0 {
        return;
    }
    if app.is_quiet() {
        return quiet(app, pen, area, c);
    }
    let unfold = lines_of(app, c) <= area.height as usize;
    let turn = app.session.turn_here();
    let until = match app.session.moment.at {
        At::Start => None,
        At::Record(i) => Some(i),
        At::End => Some(u32::MAX),
    };
    let rows = rows(app, c, unfold, turn.as_ref(), until);
    let is_selected = |r: &Row| matches!(r, Row::Rung(r, _) if Some(r.number) == app.flight.selected);
    let at = rows.iter().position(is_selected).unwrap_or(0);
    let height = area.height as usize;
    let from = if rows.len() <= height { 0 } else { at.saturating_sub(height / 3).min(rows.len() - height) };
    for (i, row) in rows.iter().skip(from).take(height).enumerate() {
        draw_row(app, pen, Rect { y: area.y + i as u16, height: 1, ..area }, row);
    }
    if from + height < rows.len() {
        let more = format!(" {} more below ", rows.len() - from - height);
        pen.say_right(area.right(), area.bottom() - 1, area.width, &more, Role::Dim);
    }
}

/// What stands where nothing was evaluated in the moment's tick.
fn quiet(app: &App, pen: &mut Pen, area: Rect, c: &Cascade) {
    let mut y = area.y;
    for l in c.before.iter().take(area.height.saturating_sub(3) as usize) {
        effect(pen, Rect { y, height: 1, ..area }, l, 2, true);
        y += 1;
    }
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
        let unfold = lines_of(app, &last.cascade) <= most as usize;
        let rows = rows(app, &last.cascade, unfold, None, None);
        let shown = rows.len().min(most as usize);
        let hits = pen.hits.len();
        for (i, row) in rows.iter().take(shown).enumerate() {
            draw_row(app, pen, Rect { y: y + 1 + i as u16, height: 1, ..area }, row);
        }
        // Its rungs are those of another tick: a click goes there.
        pen.hits.truncate(hits);
        pen.hits.push((Rect { y, height: shown as u16 + 1, ..area }, Hit::Tick(last.tick)));
        y += 2 + shown as u16;
        until = last.tick.saturating_sub(1);
    }
    let below = Rect { y, height: area.bottom().saturating_sub(y), ..area };
    super::quiet::firings(app, pen, below, until, None);
}

fn is_shown(app: &App, r: &Rung) -> bool {
    app.shows(r)
}

/// Lines of a cascade with every rung open: they stand open where all of them fit, else the selected one alone.
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

fn draw_row(app: &App, pen: &mut Pen, area: Rect, row: &Row) {
    match row {
        Row::Gap => {}
        Row::Before(l) => effect(pen, area, l, 4, true),
        Row::Event(g, first) => event(pen, area, g, *first),
        Row::Rung(r, past) => {
            pen.hits.push((area, Hit::Rung(r.number)));
            rung(app, pen, area, r, *past);
        }
        Row::Turn(turn, r) => {
            let of = r.lines.iter().find_map(|l| match l.what {
                Done::Turns { count, .. } => Some(count),
                _ => None,
            });
            pen.say(area.x + 3, area.y, 1, "│", Role::Line);
            let text = format!("loop {turn} of {}", of.unwrap_or(*turn));
            pen.run(area.x + 8, area.y, area.width, &[("× ", Role::Dim), (&text, Role::Fired)]);
        }
        Row::Effect(l, past) => {
            pen.say(area.x + 3, area.y, 1, "│", Role::Line);
            effect(pen, area, l, 8, *past);
        }
    }
}

fn event(pen: &mut Pen, area: Rect, g: &Group, first: bool) {
    if first {
        pen.say(area.x, area.y, 3, &format!("{:>2}", g.round), Role::Strong);
    }
    pen.say(area.x + 3, area.y, 1, if first { "┬" } else { "├" }, Role::Line);
    let from = match g.source {
        Origin::Sensed => "sensed".to_string(),
        Origin::Noticed => "noticed".to_string(),
        Origin::Key => "your key".into(),
        Origin::Clock => "due in this tick".into(),
        Origin::Start => "the start".into(),
        Origin::Hand => "by hand".into(),
        Origin::Rung(r, n) => format!("from {r}.{n}"),
        Origin::Earlier(t) => format!("from tick {t}"),
    };
    let (mark, from) = match (g.unheard, g.dropped) {
        (true, _) => ("○ ", "heard by nobody".to_string()),
        (_, true) => ("○ ", "dropped: it is gone".to_string()),
        _ => ("", from),
    };
    let left = pen.say_right(area.right(), area.y, area.width / 2, &from, Role::Dim);
    pen.run(area.x + 5, area.y, left.saturating_sub(area.x + 6), &[(mark, Role::Dim), (&g.title, Role::Outside)]);
}

fn rung(app: &App, pen: &mut Pen, area: Rect, r: &Rung, past: bool) {
    if Some(r.number) == app.flight.selected && !app.is_quiet() {
        let style = pen.style(Role::Selected);
        pen.tint(area.x, area.y, area.width, style);
    }
    pen.say(area.x + 3, area.y, 1, "├", Role::Line);
    let role = match r.mark {
        _ if !past => Role::Faint,
        Mark::Fired | Mark::GoesOn => Role::Fired,
        Mark::Held => Role::Held,
        Mark::Fault => Role::Fault,
        Mark::Spent | Mark::Passed | Mark::Asleep => Role::Dim,
    };
    let title = match r.mark {
        _ if !past => Role::Faint,
        Mark::Fired | Mark::GoesOn | Mark::Fault => Role::Strong,
        Mark::Held => Role::Text,
        _ => Role::Dim,
    };
    let number = format!("{:>2} ", r.number);
    let sign = format!("{} ", r.mark.sign());
    let at = pen.run(
        area.x + 4,
        area.y,
        area.width - 4,
        &[(&number, if past { Role::Dim } else { Role::Faint }), (&sign, role)],
    );
    let note_role = match r.mark {
        _ if !past => Role::Faint,
        Mark::Held => Role::Held,
        Mark::Fault => Role::Fault,
        _ => Role::Dim,
    };
    let room = area.right().saturating_sub(at);
    let title_width = (pen.plain(&r.title).width() as u16).min(room);
    let note_room = room.saturating_sub(title_width + 2);
    if !r.note.is_empty() && note_room >= 4 {
        pen.say_right(area.right(), area.y, note_room, &r.note, note_role);
    }
    pen.say(at, area.y, room, &r.title, title);
}

/// One thing that was done, indented.
fn effect(pen: &mut Pen, area: Rect, l: &Line, indent: u16, past: bool) {
    let dim = |role: Role| if past { role } else { Role::Faint };
    let (x, y) = (area.x + indent, area.y);
    let room = area.right().saturating_sub(x);
    match &l.what {
        Done::Wrote { name, old, new, kept_in, overwritten_by, undoes, .. } => {
            let tail = match (overwritten_by, undoes, kept_in) {
                (Some((r, n)), _, _) => format!("⇄ overwritten by {r}.{n}"),
                (_, Some((r, n)), _) => format!("⇄ overwrites {r}.{n}"),
                (_, _, true) => "stopped at its bound".into(),
                _ => String::new(),
            };
            let wide = [name, old, new, &tail].iter().map(|t| pen.plain(t).width()).sum::<usize>() + 6;
            let tail = match (overwritten_by, undoes) {
                (Some((r, n)), _) if wide > room as usize => format!("⇄ by {r}.{n}"),
                (_, Some((r, n))) if wide > room as usize => format!("⇄ {r}.{n}"),
                _ => tail,
            };
            let mut right = area.right();
            if !tail.is_empty() {
                right = pen.say_right(right, y, room, &tail, dim(Role::Held)).saturating_sub(1);
            }
            let at = pen.say(x, y, right.saturating_sub(x), name, dim(Role::Written)) + 1;
            // Values stand in one column where the name leaves room for it.
            let column = x + 16;
            let old_width = pen.plain(old).width() as u16;
            let at = if !tail.is_empty() {
                at + 1
            } else if at < column && old_width <= 6 {
                at.max(column.saturating_sub(0) + 6 - old_width.min(6)).min(right)
            } else {
                at + 1
            };
            let pieces: Vec<(&str, Role)> = if old.is_empty() {
                vec![(new, dim(Role::Strong))]
            } else {
                vec![(old, dim(Role::Dim)), (" → ", dim(Role::Line)), (new, dim(Role::Strong))]
            };
            pen.run(at, y, right.saturating_sub(at), &pieces);
        }
        Done::Sent { text, after } => {
            let later =
                if *after > 0 { format!("  in {}", mayfly_session::words::ticks(*after)) } else { String::new() };
            pen.run(x, y, room, &[("sends ", dim(Role::Dim)), (text, dim(Role::Text)), (&later, dim(Role::Dim))]);
        }
        Done::Said { verb, text } => {
            pen.run(x, y, room, &[(verb, dim(Role::Dim)), (" ", Role::Dim), (text, dim(Role::Text))]);
        }
        Done::Drew { text, odds } => {
            pen.run(
                x,
                y,
                room,
                &[("draws ", dim(Role::Dim)), (text, dim(Role::Strong)), ("  ", Role::Dim), (odds, dim(Role::Dim))],
            );
        }
        Done::Turns { count, .. } => {
            pen.say(x, y, room, &format!("loop × {count}"), dim(Role::Dim));
        }
        Done::Other(text) => {
            pen.say(x, y, room, text, dim(Role::Dim));
        }
        Done::Fault(text) => {
            pen.run(x, y, room, &[("✶ ", dim(Role::Fault)), (text, dim(Role::Fault))]);
        }
    }
}
