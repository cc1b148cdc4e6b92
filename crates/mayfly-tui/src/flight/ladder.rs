//! The rows of a cascade: an event, a rung, what it did. What does not fit beside each other stands in several lines.
//!
//! Not here: which rows there are ([`super::cascade`]).
//!
//! Invariant: a row takes as many lines as [`height`] says, and nothing of it is cut before it has [`MAX_LINES`].

use crate::app::App;
use crate::pen::{Hit, Pen};
use crate::theme::Role;
use crate::wrapping::{Pieces, flow};
use mayfly_session::cascade::{Done, Group, Line, Mark, Origin, Rung};
use ratatui::layout::Rect;
use unicode_width::UnicodeWidthStr;

/// Lines that one row takes at most: what a long text says further is read in the log and in the drawer.
const MAX_LINES: usize = 6;

/// A row of the pane.
pub enum Row<'a> {
    Gap,
    Before(&'a Line),
    Event(&'a Group, bool),
    Rung(&'a Rung, bool),
    Effect(&'a Line, bool),
    /// A loop opened at that turn.
    Turn(u64, &'a Rung),
}

/// Columns before an event's title, a rung's title, an effect of a rung, and one before the first event.
const EVENT: u16 = 5;
const TITLE: u16 = 9;
const EFFECT: u16 = 8;
const BEFORE: u16 = 4;

/// How many lines a row takes in a pane of that width.
pub fn height(pen: &Pen, row: &Row, width: u16) -> u16 {
    spread(pen, row, width).map_or(1, |lines| lines.len() as u16)
}

/// The lines of a row behind its signs; none where all of it fits into one.
pub fn spread(pen: &Pen, row: &Row, width: u16) -> Option<Vec<Pieces>> {
    let (first, mut lines) = match row {
        Row::Gap | Row::Turn(..) => return None,
        Row::Before(l) => (BEFORE, vec![effect_pieces(l, true)]),
        Row::Effect(l, past) => (EFFECT, vec![effect_pieces(l, *past)]),
        Row::Event(g, _) => (EVENT, vec![event_pieces(g)]),
        Row::Rung(r, past) => {
            let (_, title, note) = rung_roles(r, *past);
            let mut lines = vec![vec![(r.title.clone(), title)]];
            if !r.note.is_empty() {
                lines.push(vec![("  ".into(), note), (r.note.clone(), note)]);
            }
            (TITLE, lines)
        }
    };
    let room = width.saturating_sub(first) as usize;
    lines.iter_mut().flatten().for_each(|(text, _)| *text = pen.plain(text));
    if lines.iter().flatten().map(|(text, _)| text.width()).sum::<usize>() <= room {
        return None;
    }
    let borrowed = |l: &Pieces| flow(&l.iter().map(|(t, r)| (t.as_str(), *r)).collect::<Vec<_>>(), room, 2);
    let mut out: Vec<Pieces> = lines.iter().flat_map(borrowed).collect();
    if out.len() > MAX_LINES {
        out.truncate(MAX_LINES);
        out[MAX_LINES - 1].push((pen.theme.glyph(" …", " ~").into(), Role::Dim));
    }
    Some(out)
}

/// Draws as many lines of a row as its place is high; `lines` are those of [`spread`].
pub fn draw(app: &App, pen: &mut Pen, area: Rect, row: &Row, lines: Option<&[Pieces]>) {
    let signs = match row {
        Row::Gap => return,
        Row::Before(_) => BEFORE,
        Row::Event(g, first) => {
            event_signs(pen, area, g, *first);
            EVENT
        }
        Row::Rung(r, past) => {
            pen.hits.push((area, Hit::Rung(r.number)));
            if Some(r.number) == app.flight.selected && !app.is_quiet() {
                let style = pen.style(Role::Selected);
                (area.y..area.bottom()).for_each(|y| pen.tint(area.x, y, area.width, style));
            }
            rung_signs(pen, area, r, *past);
            TITLE
        }
        Row::Turn(turn, r) => {
            let of = r.lines.iter().find_map(|l| match l.what {
                Done::Turns { count, .. } => Some(count),
                _ => None,
            });
            pen.say(area.x + 3, area.y, 1, "│", Role::Line);
            let text = format!("loop {turn} of {}", of.unwrap_or(*turn));
            pen.run(area.x + 8, area.y, area.width, &[("× ", Role::Dim), (&text, Role::Fired)]);
            return;
        }
        Row::Effect(..) => {
            pen.say(area.x + 3, area.y, 1, "│", Role::Line);
            EFFECT
        }
    };
    let Some(lines) = lines else { return one_line(pen, area, row) };
    for (y, line) in (area.y..area.bottom()).zip(lines) {
        if y > area.y && !matches!(row, Row::Before(_)) {
            pen.say(area.x + 3, y, 1, "│", Role::Line);
        }
        let pieces: Vec<(&str, Role)> = line.iter().map(|(t, r)| (t.as_str(), *r)).collect();
        pen.run(area.x + signs, y, area.width.saturating_sub(signs), &pieces);
    }
}

/// A row that fits into one line, what belongs to its right end at the right.
fn one_line(pen: &mut Pen, area: Rect, row: &Row) {
    match row {
        Row::Gap | Row::Turn(..) => {}
        Row::Before(l) => effect(pen, area, l, BEFORE, true),
        Row::Effect(l, past) => effect(pen, area, l, EFFECT, *past),
        Row::Event(g, _) => {
            let pieces = event_pieces(g);
            let (from, title) = pieces.split_last().expect("an event has a title and where it came from");
            pen.say_right(area.right(), area.y, area.width, from.0.trim_start(), from.1);
            let title: Vec<(&str, Role)> = title.iter().map(|(t, r)| (t.as_str(), *r)).collect();
            pen.run(area.x + EVENT, area.y, area.width, &title);
        }
        Row::Rung(r, past) => {
            let (_, title, note) = rung_roles(r, *past);
            pen.say_right(area.right(), area.y, area.width, &r.note, note);
            pen.say(area.x + TITLE, area.y, area.width, &r.title, title);
        }
    }
}

fn event_signs(pen: &mut Pen, area: Rect, g: &Group, first: bool) {
    if first {
        pen.say(area.x, area.y, 3, &format!("{:>2}", g.round), Role::Strong);
    }
    pen.say(area.x + 3, area.y, 1, if first { "┬" } else { "├" }, Role::Line);
}

/// What happened, and at last where it came from.
fn event_pieces(g: &Group) -> Pieces {
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
    vec![(mark.into(), Role::Dim), (g.title.clone(), Role::Outside), (format!("  {from}"), Role::Dim)]
}

/// The roles of a rung's sign, its title, and what is noted beside it.
fn rung_roles(r: &Rung, past: bool) -> (Role, Role, Role) {
    match r.mark {
        _ if !past => (Role::Faint, Role::Faint, Role::Faint),
        Mark::Fired | Mark::GoesOn => (Role::Fired, Role::Strong, Role::Dim),
        Mark::Held => (Role::Held, Role::Text, Role::Held),
        Mark::Fault => (Role::Fault, Role::Strong, Role::Fault),
        Mark::Spent | Mark::Passed | Mark::Asleep => (Role::Dim, Role::Dim, Role::Dim),
    }
}

fn rung_signs(pen: &mut Pen, area: Rect, r: &Rung, past: bool) {
    pen.say(area.x + 3, area.y, 1, "├", Role::Line);
    let (sign_role, ..) = rung_roles(r, past);
    let number = format!("{:>2} ", r.number);
    let sign = format!("{} ", r.mark.sign());
    let pieces = [(&*number, if past { Role::Dim } else { Role::Faint }), (&*sign, sign_role)];
    pen.run(area.x + 4, area.y, area.width.saturating_sub(4), &pieces);
}

/// What is said of a write beside its values.
fn tail(l: &Line) -> String {
    match &l.what {
        Done::Wrote { overwritten_by: Some((r, n)), .. } => format!("⇄ overwritten by {r}.{n}"),
        Done::Wrote { undoes: Some((r, n)), .. } => format!("⇄ overwrites {r}.{n}"),
        Done::Wrote { kept_in: true, .. } => "stopped at its bound".into(),
        _ => String::new(),
    }
}

/// What was done, in its pieces.
fn effect_pieces(l: &Line, past: bool) -> Pieces {
    let role = |role: Role| if past { role } else { Role::Faint };
    let pieces: Vec<(String, Role)> = match &l.what {
        Done::Wrote { name, old, new, .. } => {
            let mut out = vec![(name.clone(), Role::Written), (" ".into(), Role::Dim)];
            if !old.is_empty() {
                out.extend([(old.clone(), Role::Dim), (" → ".into(), Role::Line)]);
            }
            out.push((new.clone(), Role::Strong));
            let tail = tail(l);
            if !tail.is_empty() {
                out.push((format!("  {tail}"), Role::Held));
            }
            out
        }
        Done::Sent { text, after } => {
            let later =
                if *after > 0 { format!("  in {}", mayfly_session::words::ticks(*after)) } else { String::new() };
            vec![("sends ".into(), Role::Dim), (text.clone(), Role::Text), (later, Role::Dim)]
        }
        Done::Said { verb, text } => vec![(format!("{verb} "), Role::Dim), (text.clone(), Role::Text)],
        Done::Drew { text, odds } => {
            vec![("draws ".into(), Role::Dim), (text.clone(), Role::Strong), (format!("  {odds}"), Role::Dim)]
        }
        Done::Turns { count, .. } => vec![(format!("loop × {count}"), Role::Dim)],
        Done::Other(text) => vec![(text.clone(), Role::Dim)],
        Done::Fault(text) => vec![("✶ ".into(), Role::Fault), (text.clone(), Role::Fault)],
    };
    pieces.into_iter().map(|(text, r)| (text, role(r))).collect()
}

/// One thing that was done, which fits into its line; values stand in one column where the name leaves room for it.
fn effect(pen: &mut Pen, area: Rect, l: &Line, indent: u16, past: bool) {
    let pieces = effect_pieces(l, past);
    let room = area.width.saturating_sub(indent);
    let wide = |of: &[(String, Role)]| of.iter().map(|(t, _)| pen.plain(t).width() as u16).sum::<u16>();
    let mut shift = 0;
    let mut until = pieces.len();
    if let Done::Wrote { old, .. } = &l.what {
        let (name, all) = (wide(&pieces[..2]), wide(&pieces));
        let old = pen.plain(old).width() as u16;
        if !tail(l).is_empty() {
            until -= 1;
            let (text, role) = &pieces[until];
            pen.say_right(area.right(), area.y, room, text.trim_start(), *role);
        } else if name < VALUES && old <= OLD {
            shift = (VALUES + OLD - old).saturating_sub(name).min(room.saturating_sub(all));
        }
    }
    let mut x = area.x + indent;
    for (i, (text, role)) in pieces[..until].iter().enumerate() {
        if i == 2 {
            x += shift;
        }
        x = pen.say(x, area.y, area.right().saturating_sub(x), text, *role);
    }
}

/// The column of values behind the begin of a name, and that of old ones which end where new ones begin.
const VALUES: u16 = 16;
const OLD: u16 = 6;
