//! Lanes: rules and values over the ticks round the moment, one row each, so that one sees which came
//! first.
//!
//! Invariant: a column stands for the same ticks in every lane, and the moment's column is marked in all.

use crate::app::{App, Lane};
use crate::pen::Pen;
use crate::theme::Role;
use mayfly_base::Value;
use mayfly_engine::names::Named;
use mayfly_session::session::Session;
use ratatui::layout::Rect;
use std::ops::Range;
use unicode_width::UnicodeWidthStr;

const BARS: [&str; 8] = ["▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"];
const PLAIN: [&str; 8] = ["_", ".", ".", ":", ":", "|", "#", "#"];

pub fn facts(app: &App) -> String {
    let scale = match app.flight.lane_scale {
        1 => "one tick a column".to_string(),
        n => format!("{n} ticks a column"),
    };
    let which = if app.flight.lanes.is_empty() {
        "what happened here or shortly before; L pins"
    } else {
        "pinned; L pins and unpins"
    };
    format!("{which}   {scale}")
}

/// Which ticks the columns stand for.
struct Columns {
    first: i64,
    scale: u64,
    count: u16,
    here: u16,
}

impl Columns {
    fn ticks(&self, c: u16) -> Range<u64> {
        let from = self.first + i64::from(c) * self.scale as i64;
        let to = from + self.scale as i64;
        from.max(0) as u64..to.max(0) as u64
    }
}

pub fn draw(app: &App, pen: &mut Pen, area: Rect) {
    let lanes = app.shown_lanes();
    if lanes.is_empty() {
        pen.say(
            area.x,
            area.y,
            area.width,
            "Nothing happened here or shortly before: L pins the selected rule or watch.",
            Role::Dim,
        );
        return;
    }
    let names: Vec<String> = lanes.iter().map(|l| app.lane_name(l)).collect();
    let widest = names.iter().map(|n| pen.plain(n).width()).max().unwrap_or(0) as u16;
    let label = widest.clamp(8, area.width / 4);
    let count = area.width.saturating_sub(label + 2);
    let scale = app.flight.lane_scale;
    let tick = app.session.moment.tick;
    // A young flight stands at the left edge.
    let here = (count * 3 / 5).min((tick / scale + 2).min(u64::from(count)) as u16);
    let columns = Columns { first: tick as i64 - i64::from(here) * scale as i64, scale, count, here };
    let x = area.x + label + 2;
    let top = area.y + u16::from(area.height > 8);
    ruler(pen, &columns, x, top, tick);
    let height = area.bottom().saturating_sub(top + 1) as usize;
    let from = (app.flight.why_scroll as usize).min(lanes.len().saturating_sub(height));
    for (i, (lane, name)) in lanes.iter().zip(&names).skip(from).take(height).enumerate() {
        let y = top + 1 + i as u16;
        pen.say(area.x, y, label, name, Role::Text);
        match lane {
            Lane::Rule(r) => rule(pen, &app.session, &columns, (x, y), *r),
            Lane::Watch(text) => watch(pen, &app.session, &columns, (x, y), text),
        }
        let style = pen.style(Role::Selected);
        pen.tint(x + here, y, 1, style);
    }
    pen.more_below(area, lanes.len().saturating_sub(from + height));
}

fn ruler(pen: &mut Pen, c: &Columns, x: u16, y: u16, tick: u64) {
    let step = 20;
    let label = format!("▾ {tick}");
    let own = c.here..c.here + label.chars().count() as u16 + 1;
    for i in 0..c.count {
        let t = c.ticks(i);
        if t.start / (step * c.scale) != (t.start + c.scale) / (step * c.scale) || t.start == 0 && t.end > 0 {
            let at = t.start.div_ceil(step * c.scale) * step * c.scale;
            if c.first + i64::from(i) * c.scale as i64 >= 0 && i + 8 < c.count {
                let (from, name) = (i + u16::from(at > t.start), at.to_string());
                // A number that the moment's would cut through is left out.
                if own.start > from + name.len() as u16 || from >= own.end {
                    pen.say(x + from, y, 8, &name, Role::Faint);
                }
            }
        }
    }
    pen.say(x + c.here, y, 12, &label, Role::Fired);
}

fn rule(pen: &mut Pen, s: &Session, c: &Columns, (x, y): (u16, u16), rule: mayfly_base::RuleId) {
    let any = |list: Option<&Vec<u64>>, r: &Range<u64>| {
        list.is_some_and(|l| l.get(l.partition_point(|t| *t < r.start)).is_some_and(|t| *t < r.end))
    };
    let live = s.history.live_tick();
    for i in 0..c.count {
        let r = c.ticks(i);
        if r.is_empty() || r.start >= live {
            continue;
        }
        let (sign, role) = if any(s.index.fired.get(&rule), &r) {
            ("◆", Role::Fired)
        } else if any(s.index.went_on.get(&rule), &r) {
            ("▸", Role::Text)
        } else if any(s.index.evaluated.get(&rule), &r) {
            ("◇", Role::Held)
        } else {
            ("·", Role::Line)
        };
        pen.say(x + i, y, 1, sign, role);
    }
}

fn watch(pen: &mut Pen, s: &Session, c: &Columns, (x, y): (u16, u16), text: &str) {
    let Some(w) = s.watches.iter().find(|w| w.text == text) else { return };
    let live = s.history.live_tick();
    let values: Vec<Option<&Value>> = (0..c.count)
        .map(|i| {
            let r = c.ticks(i);
            (!r.is_empty() && r.start < live).then(|| w.at(r.end.min(live) - 1)).flatten()
        })
        .collect();
    let number = |v: &Value| match v {
        Value::Number(n) => Some(*n),
        Value::Duration(d) => Some(*d as f64),
        _ => None,
    };
    let changes = values.windows(2).filter(|p| matches!(p, [Some(a), Some(b)] if !a.same(b))).count();
    let numbers: Vec<f64> = values.iter().flatten().filter_map(|v| number(v)).collect();
    // What changes often is drawn as bars, what changes seldom as its values.
    if !numbers.is_empty() && changes > usize::from(c.count) / 6 {
        let (lo, hi) = numbers.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), n| (l.min(*n), h.max(*n)));
        let glyphs = if pen.theme.ascii { PLAIN } else { BARS };
        for (i, v) in values.iter().enumerate() {
            let Some(n) = v.and_then(number) else { continue };
            let step = if hi > lo { ((n - lo) / (hi - lo) * 7.0).round() as usize } else { 0 };
            pen.say(x + i as u16, y, 1, glyphs[step.min(7)], Role::Written);
        }
        return;
    }
    let names = Named(&s.engine.program, &s.now.world);
    let mut i = 0;
    while i < values.len() {
        let Some(v) = values[i] else {
            i += 1;
            continue;
        };
        let end = (i..values.len()).find(|k| values[*k].is_none_or(|o| !o.same(v))).unwrap_or(values.len());
        let width = (end - i) as u16;
        let role = if i > 0 && values[i - 1].is_some() { Role::Written } else { Role::Dim };
        let line = "─".repeat(usize::from(width));
        pen.say(x + i as u16, y, width, &line, Role::Zone);
        let shown = v.show(&names, None);
        let edge = if role == Role::Written { "▏" } else { "" };
        let shown = format!("{edge}{shown}");
        if pen.plain(&shown).width() < usize::from(width).max(2) {
            pen.say(x + i as u16, y, width, &shown, role);
        } else {
            pen.say(x + i as u16, y, width, "▏", role);
        }
        i = end;
    }
}
