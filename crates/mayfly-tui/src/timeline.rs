//! The timeline: the whole flight from edge to edge, one column for as many ticks as it takes.
//!
//! Row 1 the time, row 2 how much fired, row 3 marks, and where the moment stands.
//!
//! Invariant: the moment always lies on the timeline; a column stands for the same number of ticks as
//! every other.

use crate::app::{App, Asked, Pane};
use crate::pen::Pen;
use crate::theme::Role;
use mayfly_engine::Input;
use mayfly_session::moment::At;
use mayfly_session::things::Thing;
use ratatui::layout::Rect;
use std::borrow::Cow;
use unicode_width::UnicodeWidthStr;

const BARS: [&str; 9] = ["▁", "▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"];
const PLAIN_BARS: [&str; 9] = ["_", ".", ".", ":", ":", "|", "|", "#", "#"];

/// Which ticks the columns stand for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Scale {
    pub first: u64,
    pub per_column: u64,
    pub columns: u64,
}

impl Scale {
    /// The scale for so many columns, at a zoom round the moment.
    pub fn new(app: &App, columns: u64) -> Self {
        let s = &app.session;
        let columns = columns.max(1);
        // In powers of two, with room to grow: while the level runs on, nothing moves until the next one.
        let shown = (s.history.live_tick() * 21 / 20).max(20 * u64::from(s.level.rate.0));
        let whole = shown.div_ceil(columns).max(1).next_power_of_two();
        let per_column = (whole >> app.zoom.min(40)).max(1);
        let span = per_column * columns;
        let first = if span >= shown {
            0
        } else {
            let start = s.moment.tick.saturating_sub(span / 2).min(shown.saturating_sub(span));
            start / per_column * per_column
        };
        Self { first, per_column, columns }
    }

    pub fn column(&self, tick: u64) -> Option<u64> {
        let c = tick.checked_sub(self.first)? / self.per_column;
        (c < self.columns).then_some(c)
    }

    /// The ticks of a column.
    pub fn ticks(&self, column: u64) -> std::ops::Range<u64> {
        let from = self.first + column * self.per_column;
        from..from + self.per_column
    }
}

pub fn draw(app: &App, pen: &mut Pen, area: Rect) {
    let columns = u64::from(area.width.saturating_sub(2));
    let scale = Scale::new(app, columns);
    let x0 = area.x + 1;
    times(app, pen, &scale, x0, area.y);
    fired(app, pen, &scale, x0, area.y + 1);
    let text_at = position(app, pen, area);
    marks(app, pen, &scale, x0, area.y + 2, text_at);
    if let Some(c) = scale.column(app.session.moment.tick) {
        let x = x0 + c as u16;
        pen.say(x, area.y, 1, pen.theme.glyph("▾", "v"), Role::Fired);
    }
}

fn times(app: &App, pen: &mut Pen, scale: &Scale, x0: u16, y: u16) {
    let rate = u64::from(app.session.level.rate.0);
    let seconds = |n: u64| -> String {
        match n {
            n if n % 3600 == 0 && n > 0 => format!("{}h", n / 3600),
            n if n % 60 == 0 && n > 0 => format!("{}m", n / 60),
            n if n > 60 => format!("{}m{:02}", n / 60, n % 60),
            n => format!("{n}s"),
        }
    };
    // The closest marks that still leave room for their names.
    let steps = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800, 3600, 7200, 18_000, 36_000, 86_400];
    let step = steps.iter().copied().find(|s| s * rate / scale.per_column >= 10).unwrap_or(360_000) * rate;
    let here = scale.column(app.session.moment.tick);
    let mut tick = scale.first.div_ceil(step) * step;
    while let Some(c) = scale.column(tick) {
        let name = seconds(tick / rate);
        // The moment's sign must not be read as a part of a name: `▾0s` is not 40s.
        let covered = here.is_some_and(|h| (c..c + name.len() as u64).contains(&h));
        if c + (name.len() as u64) < scale.columns && !covered {
            pen.say(x0 + c as u16, y, name.len() as u16, &name, Role::Dim);
        }
        tick += step;
    }
}

impl App {
    /// The ticks in which the selected thing occurred: the rule that was asked about or the rung's, the watched value, what
    /// the drawer is about.
    pub fn selected_ticks(&self) -> Cow<'_, [u64]> {
        let s = &self.session;
        let watched = || self.selected_watch()?.target.map(Thing::Value);
        let rung = || self.selected_rung().and_then(|n| s.now.cascade.rung(n)).map(|r| Thing::Rule(r.rule));
        let thing = match &self.flight.asked {
            _ if self.flight.focus == Pane::Watches => watched(),
            Some(Asked::Thing(t)) => Some(*t),
            Some(Asked::WhyNot(r)) => Some(Thing::Rule(*r)),
            Some(Asked::Watch(_)) => watched(),
            None => rung(),
        };
        thing.map(|t| s.ticks_of(t)).unwrap_or_default()
    }
}

fn fired(app: &App, pen: &mut Pen, scale: &Scale, x0: u16, y: u16) {
    let s = &app.session;
    let all = &s.history.summaries;
    let sum = |c: u64| -> u64 {
        let r = scale.ticks(c);
        u64::from(all.between(r.start, r.end).fired)
    };
    let sums: Vec<u64> = (0..scale.columns).map(sum).collect();
    let most = sums.iter().copied().max().unwrap_or(0).max(1) as f64;
    let glyphs = if pen.theme.ascii { PLAIN_BARS } else { BARS };
    let lit = app.selected_ticks();
    let here = scale.column(s.moment.tick);
    for c in 0..scale.columns {
        let x = x0 + c as u16;
        let begins = scale.ticks(c).start;
        if begins >= s.history.live_tick() {
            if scale.column(s.history.live_tick()) == Some(c) {
                pen.say(x, y, 1, pen.theme.glyph("┊", ":"), Role::Outside);
            }
            continue;
        }
        let range = scale.ticks(c);
        let at = lit.partition_point(|t| *t < range.start);
        let is_lit = lit.get(at).is_some_and(|t| *t < range.end);
        // What is selected shows also where nothing fired.
        let n = sums[c as usize].max(u64::from(is_lit));
        // Few firings beside many still show.
        let eighths = if n == 0 { 0 } else { 1 + ((n as f64 / most).sqrt() * 7.0).round() as usize };
        let role = match (Some(c) == here, begins > s.moment.tick) {
            (true, _) => Role::Fired,
            _ if is_lit => Role::Written,
            (_, true) => Role::Ahead,
            _ => Role::Ember,
        };
        let glyph = if Some(c) == here && n == 0 { glyphs[2] } else { glyphs[eighths.min(8)] };
        pen.say(x, y, 1, glyph, role);
    }
}

/// Where the moment stands, on the right of row 3; gives where that text begins.
fn position(app: &App, pen: &mut Pen, area: Rect) -> u16 {
    let parts = where_one_stands(app);
    let width: usize = parts.iter().map(|(t, _)| t.width()).sum();
    let x = area.right().saturating_sub(width as u16 + 1);
    let pieces: Vec<(&str, Role)> = parts.iter().map(|(t, r)| (t.as_str(), *r)).collect();
    pen.run(x, area.y + 2, area.width, &pieces);
    x
}

fn marks(app: &App, pen: &mut Pen, scale: &Scale, x0: u16, y: u16, limit: u16) {
    let s = &app.session;
    let put = |pen: &mut Pen, tick: u64, sign: &str, role: Role| {
        if let Some(c) = scale.column(tick) {
            let x = x0 + c as u16;
            if x + 1 < limit {
                pen.say(x, y, 1, sign, role);
            }
        }
    };
    let poked = |list: &[Input]| list.iter().any(|i| matches!(i, Input::Poke(_) | Input::Fix { .. }));
    for (tick, list) in s.history.inputs() {
        if poked(list) {
            let sign = pen.theme.glyph("⌃", "^");
            put(pen, *tick, sign, Role::Outside);
        } else {
            put(pen, *tick, "'", Role::Outside);
        }
    }
    for tick in s.stops.all.iter().flat_map(|m| &m.hits) {
        let sign = pen.theme.glyph("■", "#");
        put(pen, *tick, sign, Role::Key);
    }
    if app.flight.comparing {
        for tick in &app.flight.differing {
            put(pen, *tick, pen.theme.glyph("≠", "%"), Role::Held);
        }
    }
    for f in s.index.faults.iter() {
        let sign = pen.theme.glyph("✶", "!");
        put(pen, f.tick, sign, Role::Fault);
    }
    if let Some(e) = &s.history.live().ended {
        put(pen, e.tick, if e.win { "✓" } else { "✗" }, if e.win { Role::True } else { Role::Held });
    }
}

/// Where the moment stands, in words.
fn where_one_stands(app: &App) -> Vec<(String, Role)> {
    let s = &app.session;
    let t = s.moment.tick;
    let c = &s.now.cascade;
    let mut out = vec![("step size ".to_string(), Role::Dim), (s.step_size.name().to_string(), Role::Strong)];
    let seconds = t as f64 / f64::from(s.level.rate.0);
    let tick = if s.moment.at == At::Start { format!("before {t}") } else { t.to_string() };
    out.extend([("  tick ".into(), Role::Dim), (tick, Role::Fired), (format!("  {seconds:.2}s"), Role::Dim)]);
    if let Some(rung) = s.rung_here().and_then(|n| c.rung(n)) {
        let all = c.rungs().count();
        out.extend([
            ("  round ".into(), Role::Dim),
            (rung.round.to_string(), Role::Strong),
            (format!(" of {}  rung ", c.rounds), Role::Dim),
            (rung.number.to_string(), Role::Fired),
            (format!(" of {all}"), Role::Dim),
        ]);
    }
    out
}
