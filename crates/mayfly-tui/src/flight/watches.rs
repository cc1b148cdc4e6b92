//! What is watched: value before and after, a strip of its history, who wrote it last.
//!
//! Invariant: what changed in this tick up to the moment is bright, all else dim.

use crate::app::{App, Pane};
use crate::pen::{Hit, Pen};
use crate::theme::Role;
use mayfly_base::Value;
use mayfly_lab::session::At;
use mayfly_lab::watch::{Seen, Watch};
use ratatui::layout::Rect;
use unicode_width::UnicodeWidthStr;

const BARS: [&str; 8] = ["▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"];
const PLAIN: [&str; 8] = ["_", ".", ".", ":", ":", "|", "#", "#"];

/// Columns of a strip.
const STRIP: u16 = 14;
/// Columns of the shortest strip that still tells something, and of the values beside it.
const SHORTEST: u16 = 6;
const VALUES: u16 = 13;

pub fn facts(app: &App) -> String {
    let n = app.session.seen().iter().filter(|s| s.changed).count();
    let mut only = if app.only_changed { "  only those" } else { "" }.to_string();
    if !app.filter[1].is_empty() {
        only.push_str(&format!("  only `{}`", app.filter[1]));
    }
    format!("{n} changed here{only}")
}

pub fn short_facts(app: &App) -> String {
    format!(" {}", app.session.seen().iter().filter(|s| s.changed).count())
}

pub fn draw(app: &App, pen: &mut Pen, area: Rect) {
    let mut area = Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area };
    let used = here(app, pen, area);
    area = Rect { y: area.y + used, height: area.height - used, ..area };
    let wanted = &app.filter[1];
    let is_heading = |i: usize| app.session.watches.get(i).is_some_and(|w| w.heading);
    let has = |s: &Seen| {
        let letters = |t: &str| t.to_lowercase().contains(wanted);
        (!app.only_changed || s.changed) && (wanted.is_empty() || letters(&s.text) || letters(&s.shown))
    };
    let all: Vec<(usize, Seen)> = app.session.seen().into_iter().enumerate().collect();
    // A heading stands where anything under it does.
    let stands = |i: usize| {
        let under = all[i + 1..].iter().take_while(|(j, _)| !is_heading(*j));
        let filtered = app.only_changed || !wanted.is_empty();
        !filtered || under.into_iter().any(|(_, s)| has(s))
    };
    let shown: Vec<bool> = all.iter().map(|(i, s)| if is_heading(*i) { stands(*i) } else { has(s) }).collect();
    let seen: Vec<(usize, Seen)> = all.into_iter().zip(shown).filter_map(|(s, is)| is.then_some(s)).collect();
    if seen.is_empty() {
        let text = if !wanted.is_empty() {
            "No watch has these letters: F shows others."
        } else if app.session.watches.is_empty() {
            "Nothing is watched: w adds a variable or an expression."
        } else {
            "No watched value changed here."
        };
        pen.say(area.x, area.y, area.width, text, Role::Dim);
        return;
    }
    // Two lines each where there is room: the value, and who wrote it.
    let lines: u16 = if seen.len() as u16 * 2 <= area.height { 2 } else { 1 };
    let fit = (area.height / lines) as usize;
    let at = seen.iter().position(|(i, _)| *i == app.watch_at).unwrap_or(0);
    let from = if seen.len() <= fit { 0 } else { at.saturating_sub(fit / 2).min(seen.len() - fit) };
    let values = seen.iter().filter(|(i, _)| !is_heading(*i));
    let widest = values.map(|(_, s)| pen.plain(&s.text).width()).max().unwrap_or(0).clamp(8, 18) as u16;
    for (n, (i, s)) in seen.iter().skip(from).take(fit).enumerate() {
        let y = area.y + n as u16 * lines;
        if app.focus == Pane::Watches && *i == app.watch_at {
            let style = pen.style(Role::Selected);
            pen.tint(area.x, y, area.width, style);
        }
        let place = Rect { y, height: lines, ..area };
        pen.hits.push((place, Hit::Watch(*i)));
        if is_heading(*i) {
            let title = s.text.trim_start_matches('/').trim();
            pen.say(area.x, y + lines - 1, area.width, title, Role::Key);
            continue;
        }
        one(app, pen, place, &app.session.watches[*i], s, widest);
    }
    let below = area.y + (seen.len().min(fit) as u16) * lines;
    for (y, text) in (below..area.bottom()).zip(&app.session.unfit_watches) {
        pen.run(area.x, y, area.width, &[(text, Role::Dim), ("  does not fit this text", Role::Dim)]);
    }
}

/// The group *Here*: what the firing that one stands in holds. Gives the rows it took.
fn here(app: &App, pen: &mut Pen, area: Rect) -> u16 {
    let Some(here) = app.session.here().filter(|_| area.height >= 8) else { return 0 };
    let at = pen.run(area.x, area.y, area.width, &[("Here  ", Role::Key), ("in ", Role::Dim)]);
    pen.say(at, area.y, area.right().saturating_sub(at), &here.title, Role::Dim);
    let most = (area.height / 2).saturating_sub(2) as usize;
    let widest = here.held.iter().map(|h| pen.plain(&h.name).width()).max().unwrap_or(0).clamp(6, 16) as u16;
    for (i, h) in here.held.iter().take(most).enumerate() {
        let y = area.y + 1 + i as u16;
        pen.say(area.x + 2, y, widest, &h.name, if h.changed { Role::Strong } else { Role::Text });
        let role = if h.changed { Role::Fired } else { Role::Dim };
        pen.say(area.x + widest + 4, y, area.width.saturating_sub(widest + 4), &h.value, role);
    }
    here.held.len().min(most) as u16 + 2
}

fn one(app: &App, pen: &mut Pen, area: Rect, w: &Watch, s: &Seen, name_width: u16) {
    let strip_width = area.width.saturating_sub(name_width + 2 + VALUES).min(STRIP);
    let strip_at = area.right() - strip_width;
    let has_strip = strip_width >= SHORTEST;
    let values_end = if has_strip { strip_at.saturating_sub(1) } else { area.right() };
    let name = if s.changed { Role::Strong } else { Role::Text };
    pen.say(area.x, area.y, name_width + 1, &s.text, name);
    let x = area.x + name_width + 2;
    let room = values_end.saturating_sub(x);
    let both = pen.plain(&s.shown_before).width() + pen.plain(&s.shown).width() + 3;
    if s.changed && both > room as usize {
        pen.run(x, area.y, room, &[("→ ", Role::Line), (&s.shown, Role::Fired)]);
    } else if s.changed {
        pen.run(x, area.y, room, &[(&s.shown_before, Role::Dim), (" → ", Role::Line), (&s.shown, Role::Fired)]);
    } else {
        pen.say(x, area.y, room, &s.shown, Role::Dim);
    }
    if has_strip {
        let place = Rect { x: strip_at, width: strip_width, ..area };
        strip(app, pen, place, w, if s.changed { Role::Written } else { Role::Zone });
    }
    if area.height > 1 {
        let text = match &s.writer {
            Some((by, _)) if !by.is_empty() && !s.changed => format!("by {by}, here; same value again"),
            Some((by, _)) if !by.is_empty() => format!("by {by}, here"),
            Some((_, tick)) => format!("since tick {tick}"),
            None if s.target.is_some() => "unchanged".into(),
            None if w.flows => "flows with time".into(),
            None => "computed".into(),
        };
        pen.say(
            area.x + 2,
            area.y + 1,
            area.width.saturating_sub(2),
            &text,
            if s.changed { Role::Dim } else { Role::Faint },
        );
    }
}

/// The last ten seconds up to the moment: a step line for numbers, bars for states and flags.
fn strip(app: &App, pen: &mut Pen, area: Rect, w: &Watch, role: Role) {
    let s = &app.session;
    // A young flight fills the strip with all that there is of it.
    let span = (10 * u64::from(s.level.rate.0)).min(s.moment.tick + 1);
    let columns = u64::from(area.width);
    let per = span.div_ceil(columns).max(1);
    let end = s.moment.tick;
    let inside = s.moment.at != At::End;
    let mut values: Vec<Option<Value>> = vec![];
    for i in 0..columns {
        let back = (columns - 1 - i) * per;
        let last = back == 0;
        let v = match end.checked_sub(back) {
            Some(_) if last && inside => mayfly_lab::values::of(&s.engine, &s.now.world, &w.expr, None, &[]).ok(),
            Some(t) => w.at(t).cloned(),
            None => None,
        };
        values.push(v);
    }
    let number = |v: &Value| match v {
        Value::Number(n) => Some(*n),
        Value::Duration(d) => Some(*d as f64),
        Value::Flag(b) => Some(f64::from(u8::from(*b))),
        _ => None,
    };
    let all: Vec<f64> = values.iter().flatten().filter_map(number).collect();
    let (lo, hi) = all.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(lo, hi), n| (lo.min(*n), hi.max(*n)));
    let glyphs = if pen.theme.ascii { PLAIN } else { BARS };
    let mut previous: Option<&Value> = None;
    let mut shade = false;
    for (i, v) in values.iter().enumerate() {
        let Some(v) = v else { continue };
        let glyph = match number(v) {
            Some(_) if hi <= lo => glyphs[0],
            Some(n) => glyphs[(((n - lo) / (hi - lo) * 7.0).round() as usize).min(7)],
            None => {
                shade ^= previous.is_some_and(|p| !p.same(v));
                pen.theme.glyph(if shade { "▒" } else { "░" }, if shade { "#" } else { "-" })
            }
        };
        previous = Some(v);
        pen.say(area.x + i as u16, area.y, 1, glyph, role);
    }
}
