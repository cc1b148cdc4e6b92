//! What is watched: value before and after, a strip of its history, who wrote it last.
//!
//! Invariant: what changed in this tick up to the moment is bright, all else dim.

use crate::app::{App, Pane};
use crate::pen::{Hit, Pen};
use crate::theme::Role;
use mayfly_base::Value;
use mayfly_session::moment::At;
use mayfly_session::watch::{Seen, Watch};
use ratatui::layout::Rect;
use unicode_width::UnicodeWidthStr;

const BARS: [&str; 8] = ["▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"];
const PLAIN: [&str; 8] = ["_", ".", ".", ":", ":", "|", "#", "#"];

/// Columns of a strip.
const STRIP: u16 = 14;
/// Columns of the shortest strip that still tells something, and of the values beside it.
const SHORTEST: u16 = 6;
const VALUES: u16 = 13;
/// Columns that names have at least, if they need them.
const MIN_NAMES: u16 = 18;

pub fn facts(app: &App) -> String {
    let n = app.session.seen().iter().filter(|s| s.changed).count();
    let mut only = if app.flight.only_changed { "  only those" } else { "" }.to_string();
    if !app.flight.filter[1].is_empty() {
        only.push_str(&format!("  only `{}`", app.flight.filter[1]));
    }
    format!("{n} changed here{only}")
}

pub fn short_facts(app: &App) -> String {
    format!(" {}", app.session.seen().iter().filter(|s| s.changed).count())
}

pub fn draw(app: &App, pen: &mut Pen, area: Rect) {
    let inside = area;
    let mut area = Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area };
    let used = here(app, pen, area);
    area = Rect { y: area.y + used, height: area.height - used, ..area };
    let wanted = &app.flight.filter[1];
    let is_heading = |i: usize| app.session.watches.get(i).is_some_and(|w| w.heading);
    let all = app.session.seen();
    let shown = shown_of(app, &all);
    let seen: Vec<(usize, Seen)> = all.into_iter().enumerate().filter(|(i, _)| shown.contains(i)).collect();
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
    let values = seen.iter().filter(|(i, _)| !is_heading(*i));
    let widest = values.map(|(_, s)| pen.plain(&s.text).width()).max().unwrap_or(0) as u16;
    // Names are as wide as they are where values and their history leave them the room.
    let widest = widest.clamp(8, area.width.saturating_sub(VALUES + SHORTEST + 3).max(MIN_NAMES));
    let names = names(pen, &seen, is_heading, widest);
    let is_long = |k: usize| pen.plain(&names[k]).width() > usize::from(widest) + 1;
    // Two lines each where there is room: the value, and who wrote it; else for what changed and what is selected alone.
    let all_two = seen.len() as u16 * 2 <= area.height;
    let plain_rows = |k: usize| match (is_heading(seen[k].0), all_two) {
        (true, _) => 1 + u16::from(all_two),
        (false, true) => 2,
        (false, false) => {
            let chosen = app.flight.focus == Pane::Watches && seen[k].0 == app.flight.watch_at;
            1 + u16::from(seen[k].1.changed || chosen)
        }
    };
    // A name that is too long has a line of its own, where there is room for all of them.
    let own_line = |k: usize| !is_heading(seen[k].0) && is_long(k);
    let roomy = (0..seen.len()).map(|k| plain_rows(k) + u16::from(own_line(k))).sum::<u16>() <= area.height;
    let own_line: Vec<bool> = (0..seen.len()).map(|k| roomy && own_line(k)).collect();
    let rows = |k: usize| plain_rows(k) + u16::from(own_line[k]);
    // The selected one stays in sight.
    let at = seen.iter().position(|(i, _)| *i == app.flight.watch_at).unwrap_or(0);
    let mut from = 0;
    while from < at && (from..=at).map(rows).sum::<u16>() > area.height {
        from += 1;
    }
    let mut y = area.y;
    let mut drawn = from;
    for (k, (i, s)) in seen.iter().enumerate().skip(from) {
        let lines = rows(k);
        if y + lines > area.bottom() {
            break;
        }
        drawn += 1;
        let mut place = Rect { y, height: lines, ..area };
        if app.flight.focus == Pane::Watches && *i == app.flight.watch_at {
            let style = pen.style(Role::Selected);
            pen.tint(area.x, if is_heading(*i) { y + lines - 1 } else { y }, area.width, style);
        }
        pen.hits.push((place, Hit::Watch(*i)));
        y += lines;
        let name = &*names[k];
        if is_heading(*i) {
            pen.say(area.x, y - 1, area.width, name, Role::Key);
            continue;
        }
        if own_line[k] {
            pen.say(area.x, place.y, area.width, name, name_role(s));
            place = Rect { y: place.y + 1, height: place.height - 1, ..place };
        }
        let (name, width) = if own_line[k] { ("", 2) } else { (name, widest) };
        one(app, pen, place, &app.session.watches[*i], (s, name), width);
    }
    pen.more_below(inside, seen.len() - drawn);
    let below = y;
    for (y, text) in (below..area.bottom()).zip(&app.session.unfit_watches) {
        pen.run(area.x, y, area.width, &[(text, Role::Dim), ("  does not fit this text", Role::Dim)]);
    }
}

/// What each watch is called in the pane; where that is too long, its own heading says how it begins.
fn names(pen: &Pen, seen: &[(usize, Seen)], is_heading: impl Fn(usize) -> bool, width: u16) -> Vec<String> {
    let mut begins = String::new();
    let name = |(i, s): &(usize, Seen)| {
        if is_heading(*i) {
            let heading = s.text.trim_start_matches('/').trim();
            begins = format!("{heading}.");
            return heading.to_string();
        }
        let short = s.text.strip_prefix(&begins).filter(|_| begins.len() > 1);
        let is_long = pen.plain(&s.text).width() > usize::from(width) + 1;
        short.filter(|_| is_long).map_or_else(|| s.text.clone(), |rest| format!(".{rest}"))
    };
    seen.iter().map(name).collect()
}

fn name_role(s: &Seen) -> Role {
    if s.changed { Role::Strong } else { Role::Text }
}

/// The watches that the pane shows: all, or those that changed, or those that hold the letters; a heading where anything
/// under it does.
pub fn visible(app: &App) -> Vec<usize> {
    shown_of(app, &app.session.seen())
}

fn shown_of(app: &App, all: &[Seen]) -> Vec<usize> {
    let wanted = &app.flight.filter[1];
    let is_heading = |i: usize| app.session.watches.get(i).is_some_and(|w| w.heading);
    let has = |s: &Seen| {
        let letters = |t: &str| t.to_lowercase().contains(wanted);
        (!app.flight.only_changed || s.changed) && (wanted.is_empty() || letters(&s.text) || letters(&s.shown))
    };
    let filtered = app.flight.only_changed || !wanted.is_empty();
    let stands = |i: usize| {
        let under = all.iter().enumerate().skip(i + 1).take_while(|(j, _)| !is_heading(*j));
        !filtered || under.into_iter().any(|(_, s)| has(s))
    };
    all.iter().enumerate().filter(|(i, s)| if is_heading(*i) { stands(*i) } else { has(s) }).map(|(i, _)| i).collect()
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

fn one(app: &App, pen: &mut Pen, area: Rect, w: &Watch, (s, name): (&Seen, &str), name_width: u16) {
    let strip_width = area.width.saturating_sub(name_width + 2 + VALUES).min(STRIP);
    let strip_at = area.right() - strip_width;
    let both = pen.plain(&s.shown_before).width() + pen.plain(&s.shown).width() + 3;
    let wanted = if s.changed { both } else { pen.plain(&s.shown).width() } as u16;
    let fits = |until: u16| area.x + name_width + 2 + wanted <= until;
    // Every value of a tick is worth more than the history beside it, and so is a value that fits only without it.
    let crowds = !fits(strip_at.saturating_sub(1)) && fits(area.right());
    let has_strip = strip_width >= SHORTEST && s.steps.len() < 2 && !crowds;
    let values_end = if has_strip { strip_at.saturating_sub(1) } else { area.right() };
    pen.say(area.x, area.y, name_width + 1, name, name_role(s));
    let x = area.x + name_width + 2;
    let room = values_end.saturating_sub(x);
    let steps = s.steps.join(" → ");
    let several = s.changed && s.steps.len() > 1;
    if several && pen.plain(&s.shown_before).width() + 3 + pen.plain(&steps).width() <= room as usize {
        pen.run(x, area.y, room, &[(&s.shown_before, Role::Dim), (" → ", Role::Line), (&steps, Role::Fired)]);
    } else if several {
        let times = format!("  {}×", s.steps.len());
        let pieces =
            [(&*s.shown_before, Role::Dim), (" → ", Role::Line), (&*s.shown, Role::Fired), (&*times, Role::Dim)];
        pen.run(x, area.y, room, &pieces);
    } else if s.changed && both > room as usize {
        pen.run(x, area.y, room, &[("→ ", Role::Line), (&s.shown, Role::Fired)]);
    } else if s.changed {
        pen.run(x, area.y, room, &[(&s.shown_before, Role::Dim), (" → ", Role::Line), (&s.shown, Role::Fired)]);
    } else {
        pen.say(x, area.y, room, &s.shown, Role::Dim);
    }
    let mut below = area.right();
    if has_strip {
        let place = Rect { x: strip_at, width: strip_width, ..area };
        let bounds = strip(app, pen, place, w, if s.changed { Role::Written } else { Role::Zone });
        if let Some((lo, hi)) = bounds.filter(|_| area.height > 1) {
            let text = format!("{lo} .. {hi}");
            below = pen.say_right(area.right(), area.y + 1, strip_width, &text, Role::Faint).saturating_sub(1);
        }
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
            below.saturating_sub(area.x + 2),
            &text,
            if s.changed { Role::Dim } else { Role::Faint },
        );
    }
}

/// The flight from edge to edge, as the timeline has it: a step line for numbers, bars for states and flags. What is yet to
/// come is dim; what never changed has no ink. Gives the smallest and the largest of numbers.
fn strip(app: &App, pen: &mut Pen, area: Rect, w: &Watch, role: Role) -> Option<(String, String)> {
    let s = &app.session;
    let columns = u64::from(area.width).max(1);
    let scale = crate::timeline::Scale::new(app, u64::from(app.size.0.saturating_sub(2)));
    let first = scale.first;
    let end = (first + scale.per_column * scale.columns).min(s.history.live_tick()).max(first + 1);
    let per = (end - first).div_ceil(columns).max(1);
    let here = s.moment.tick;
    let mut values: Vec<Option<(Value, bool)>> = vec![];
    for i in 0..columns {
        let tick = (first + (i + 1) * per - 1).min(end - 1);
        let begins = first + i * per;
        let value = if begins >= end {
            None
        } else if (begins..=tick).contains(&here) && s.moment.at != At::End {
            mayfly_session::values::of(&s.engine, &s.now.world, &w.expr, None, &[]).ok()
        } else {
            w.at(tick).cloned()
        };
        values.push(value.map(|v| (v, begins > here)));
    }
    let number = |v: &Value| match v {
        Value::Number(n) => Some(*n),
        Value::Duration(d) => Some(*d as f64),
        Value::Flag(b) => Some(f64::from(u8::from(*b))),
        _ => None,
    };
    let known: Vec<&Value> = values.iter().flatten().map(|(v, _)| v).collect();
    if known.windows(2).all(|p| p[0].same(p[1])) {
        return None;
    }
    // The columns show one value of many ticks; the smallest and the largest are of all of them.
    let inside = w.series.iter().filter(|(t, _)| (first..end).contains(t)).map(|(_, v)| v).chain(known.iter().copied());
    let sized: Vec<(f64, &Value)> = inside.filter_map(|v| Some((number(v)?, v))).collect();
    let lowest = sized.iter().min_by(|a, b| a.0.total_cmp(&b.0)).copied();
    let highest = sized.iter().max_by(|a, b| a.0.total_cmp(&b.0)).copied();
    let (lo, hi) = (lowest.map_or(0.0, |l| l.0), highest.map_or(0.0, |h| h.0));
    let glyphs = if pen.theme.ascii { PLAIN } else { BARS };
    let mut previous: Option<&Value> = None;
    let mut shade = false;
    for (i, v) in values.iter().enumerate() {
        let Some((v, is_ahead)) = v else { continue };
        let glyph = match number(v) {
            Some(_) if hi <= lo => glyphs[0],
            Some(n) => glyphs[(((n - lo) / (hi - lo) * 7.0).round() as usize).min(7)],
            None => {
                shade ^= previous.is_some_and(|p| !p.same(v));
                pen.theme.glyph(if shade { "▒" } else { "░" }, if shade { "#" } else { "-" })
            }
        };
        previous = Some(v);
        pen.say(area.x + i as u16, area.y, 1, glyph, if *is_ahead { Role::Line } else { role });
    }
    let names = mayfly_engine::names::Named(&s.engine.program, &s.now.world);
    let is_flag = |v: &Value| matches!(v, Value::Flag(_));
    let (lowest, highest) = (lowest?.1, highest?.1);
    let show = |v: &Value| match v {
        Value::Number(n) => mayfly_base::number::show_number((n * 100.0).round() / 100.0),
        v => v.show(&names, Some(1)),
    };
    (!is_flag(lowest)).then(|| (show(lowest), show(highest)))
}
