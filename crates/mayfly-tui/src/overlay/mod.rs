//! What lies above the view: a list to choose from, a line to type into, a page to read. A stack, not
//! loops of their own.
//!
//! Invariant: while one is open, letters type; Esc closes it and changes nothing.

use crate::app::{App, Asked, Effect, Pane};
use crate::commands::{Command, Group, TABLE};
use crate::pen::Pen;
use crate::theme::Role;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use mayfly_base::{RuleId, Value};
use mayfly_lab::session::{At, Moment};
use nucleo_matcher::pattern::{CaseMatching, Normalization, Pattern};
use nucleo_matcher::{Config, Matcher};
use ratatui::layout::Rect;
use std::time::{Duration, Instant};
use unicode_width::UnicodeWidthStr;

/// What an entry of a list does.
#[derive(Clone, Debug, PartialEq)]
pub enum Choice {
    Do(Command),
    WhyNot(RuleId),
    Watch(String),
    Stop(usize),
    None,
}

/// One entry: what is shown on the left and on the right.
#[derive(Clone, Debug)]
pub struct Entry {
    pub text: String,
    pub note: String,
    pub choice: Choice,
}

#[derive(Clone, Debug)]
pub enum Kind {
    /// Entries, found by a few letters.
    List { entries: Vec<Entry>, at: usize },
    /// A line; what is done with it.
    Line { what: LineFor, error: String },
    /// Lines to read.
    Page { lines: Vec<Vec<(String, Role)>>, from: usize },
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LineFor {
    GoTo,
    Watch,
    Poke,
    Stop,
}

#[derive(Clone, Debug)]
pub struct Overlay {
    pub title: &'static str,
    pub hint: &'static str,
    pub typed: String,
    /// What stands there is only proposed: the first letter takes its place.
    pub proposed: bool,
    pub kind: Kind,
}

impl Overlay {
    pub fn go_to() -> Self {
        Self {
            title: "Go to",
            hint: "a tick: 634   a time: 31.7s   or where something comes true: lamps_lit == 3",
            typed: String::new(),
            proposed: false,
            kind: Kind::Line { what: LineFor::GoTo, error: String::new() },
        }
    }

    pub fn watch(typed: String) -> Self {
        Self {
            title: "Watch",
            hint: "a variable or an expression: lamps_lit   keeper.oil   count(lamp where lamp.lit)",
            typed,
            proposed: true,
            kind: Kind::Line { what: LineFor::Watch, error: String::new() },
        }
    }

    pub fn poke(typed: String) -> Self {
        Self {
            title: "Poke",
            hint: "one action at the next tick: keeper.oil = 9   send bell(2)   next draw \"haul the trap\" 1 = eel",
            typed,
            proposed: false,
            kind: Kind::Line { what: LineFor::Poke, error: String::new() },
        }
    }

    pub fn stop(typed: String) -> Self {
        Self {
            title: "Stop mark",
            hint: "rule \"won\"   lamps_lit   lamps_lit == 3   sluice.gate is open   bell   faults   … if TEST   … times 3",
            typed,
            proposed: true,
            kind: Kind::Line { what: LineFor::Stop, error: String::new() },
        }
    }

    pub fn stops(app: &App) -> Self {
        let entry = |(i, s): (usize, &mayfly_lab::stops::Stop)| Entry {
            text: format!("{} {}", if s.is_on { "■" } else { "□" }, s.text),
            note: format!("{} hits", s.hits.len()),
            choice: Choice::Stop(i),
        };
        let entries = app.session.stops.all.iter().enumerate().map(entry).collect();
        Self::list("Stop marks", "Enter switches one off and on; Del takes it away", entries)
    }

    fn list(title: &'static str, hint: &'static str, entries: Vec<Entry>) -> Self {
        Self { title, hint, typed: String::new(), proposed: false, kind: Kind::List { entries, at: 0 } }
    }

    pub fn palette(app: &App) -> Self {
        let mut entries: Vec<Entry> = TABLE
            .iter()
            .filter(|r| {
                r.command.applies(app) && r.command != Command::Palette && r.group != Group::Screen
                    || matches!(r.command, Command::Help | Command::Quit | Command::ZoomIn | Command::ZoomOut)
            })
            .filter(|r| r.command.applies(app))
            .map(|r| Entry {
                text: format!("{}: {}", r.name, r.help),
                note: r.keys.join(" "),
                choice: Choice::Do(r.command),
            })
            .collect();
        entries.extend(rule_entries(app).into_iter().map(|e| Entry { text: format!("why not: {}", e.text), ..e }));
        for v in &app.session.level.vars {
            entries.push(Entry {
                text: format!("watch: {}", v.name),
                note: String::new(),
                choice: Choice::Watch(v.name.clone()),
            });
        }
        Self::list("Commands", "type a few letters; Enter does it", entries)
    }

    pub fn rules(app: &App) -> Self {
        Self::list("Rules", "Enter says why one did not fire at this moment", rule_entries(app))
    }

    pub fn problems(app: &App) -> Self {
        let s = &app.session;
        let mut lines = vec![];
        for d in &s.problems {
            for l in d.print(&s.problem_sources, false).lines() {
                let role = if l.starts_with("error") { Role::Fault } else { Role::Text };
                lines.push(vec![(l.to_string(), role)]);
            }
            lines.push(vec![]);
        }
        Self {
            title: "Problems",
            hint: "the text on disk has these; the old run stays until it is mended",
            typed: String::new(),
            proposed: false,
            kind: Kind::Page { lines, from: 0 },
        }
    }

    pub fn help() -> Self {
        let mut lines: Vec<Vec<(String, Role)>> = vec![];
        for (group, name) in Group::ALL {
            lines.push(vec![(name.to_string(), Role::Strong)]);
            for r in TABLE.iter().filter(|r| r.group == group) {
                lines.push(vec![
                    (format!("  {:<12}", r.keys.join(" ")), Role::Key),
                    (format!("{:<24}", r.name), Role::Text),
                    (r.help.to_string(), Role::Dim),
                ]);
            }
            lines.push(vec![]);
        }
        lines.push(vec![("The cascade's signs".to_string(), Role::Strong)]);
        for (sign, word) in [
            ("◆", "fired"),
            ("◇", "held: a clause was false"),
            ("◌", "spent: once, at most, cooldown, or an earlier run waits"),
            ("·", "asleep: switched off, or its while is false"),
            ("▸", "goes on after a wait"),
            ("○", "heard by nobody"),
            ("✶", "fault"),
            ("⇄", "one write replaces another of the same tick"),
        ] {
            lines.push(vec![(format!("  {sign:<12}"), Role::Fired), (word.to_string(), Role::Text)]);
        }
        Self {
            title: "Keys",
            hint: "arrows scroll, Esc closes",
            typed: String::new(),
            proposed: false,
            kind: Kind::Page { lines, from: 0 },
        }
    }

    /// The entries that the typed letters find, best first.
    pub fn found(&self) -> Vec<&Entry> {
        let Kind::List { entries, .. } = &self.kind else { return vec![] };
        if self.typed.trim().is_empty() {
            return entries.iter().collect();
        }
        let mut matcher = Matcher::new(Config::DEFAULT);
        let pattern = Pattern::parse(&self.typed, CaseMatching::Ignore, Normalization::Smart);
        let mut buf = vec![];
        let mut scored: Vec<(u32, &Entry)> = entries
            .iter()
            .filter_map(|e| {
                pattern.score(nucleo_matcher::Utf32Str::new(&e.text, &mut buf), &mut matcher).map(|s| (s, e))
            })
            .collect();
        scored.sort_by_key(|(s, _)| std::cmp::Reverse(*s));
        scored.into_iter().map(|(_, e)| e).collect()
    }
}

/// Every rule, with what it did so far.
fn rule_entries(app: &App) -> Vec<Entry> {
    let p = &app.session.engine.program;
    let w = &app.session.now.world;
    (0..p.rules.len())
        .map(|r| {
            let s = &w.rules[r];
            let note = format!("{} fired  {} held  {} spent", s.fired, s.held, s.spent);
            Entry { text: p.rule_name(RuleId::at(r)), note, choice: Choice::WhyNot(RuleId::at(r)) }
        })
        .collect()
}

/// A key while something is open.
pub fn key(app: &mut App, key: &KeyEvent) -> Effect {
    let Some(mut top) = app.overlays.pop() else { return Effect::None };
    if key.modifiers.contains(KeyModifiers::CONTROL) && key.code == KeyCode::Char('c') {
        return Effect::Quit;
    }
    let found = top.found().len();
    match (&mut top.kind, key.code) {
        (_, KeyCode::Esc) => return Effect::None,
        (Kind::List { at, .. }, KeyCode::Up) => *at = at.saturating_sub(1),
        (Kind::List { at, .. }, KeyCode::Down) => *at = (*at + 1).min(found.saturating_sub(1)),
        (Kind::List { at, .. }, KeyCode::PageUp) => *at = at.saturating_sub(10),
        (Kind::List { at, .. }, KeyCode::PageDown) => *at = (*at + 10).min(found.saturating_sub(1)),
        (Kind::List { at, .. }, KeyCode::Enter) => {
            let at = (*at).min(found.saturating_sub(1));
            let choice = top.found().get(at).map_or(Choice::None, |e| e.choice.clone());
            return choose(app, choice);
        }
        (Kind::List { at, .. }, KeyCode::Delete) => {
            let at = (*at).min(found.saturating_sub(1));
            if let Some(Choice::Stop(i)) = top.found().get(at).map(|e| e.choice.clone()) {
                app.session.stops.all.remove(i);
                app.keep_stops();
                app.say("the stop mark is gone");
            }
            return Effect::None;
        }
        (Kind::Line { what, error }, KeyCode::Enter) => match entered(app, *what, &top.typed) {
            Ok(()) => return Effect::None,
            Err(e) => *error = e,
        },
        (Kind::Page { from, .. }, KeyCode::Up) => *from = from.saturating_sub(1),
        (Kind::Page { lines, from }, KeyCode::Down) => *from = (*from + 1).min(lines.len().saturating_sub(1)),
        (Kind::Page { from, .. }, KeyCode::PageUp) => *from = from.saturating_sub(10),
        (Kind::Page { lines, from }, KeyCode::PageDown | KeyCode::Char(' ')) => {
            *from = (*from + 10).min(lines.len().saturating_sub(1))
        }
        (Kind::Page { .. }, _) => return Effect::None,
        (_, KeyCode::Backspace) => {
            top.typed.pop();
            reset(&mut top.kind);
        }
        (_, KeyCode::Char('u')) if key.modifiers.contains(KeyModifiers::CONTROL) => {
            top.typed.clear();
            reset(&mut top.kind);
        }
        (_, KeyCode::Char(c)) if top.typed.len() < 400 => {
            if top.proposed {
                top.typed.clear();
            }
            top.typed.push(c);
            reset(&mut top.kind);
        }
        _ => {}
    }
    top.proposed = false;
    app.overlays.push(top);
    Effect::None
}

fn reset(kind: &mut Kind) {
    match kind {
        Kind::List { at, .. } => *at = 0,
        Kind::Line { error, .. } => error.clear(),
        Kind::Page { .. } => {}
    }
}

fn choose(app: &mut App, choice: Choice) -> Effect {
    match choice {
        Choice::Do(c) if c.applies(app) => return app.update(c),
        Choice::Do(_) | Choice::None => {}
        Choice::WhyNot(r) => {
            app.running = false;
            app.asked = Some(Asked::WhyNot(r));
            app.answer = None;
            app.why_scroll = 0;
            if app.is_folded {
                app.focus = Pane::Why;
            }
        }
        Choice::Stop(i) => {
            if let Some(s) = app.session.stops.all.get_mut(i) {
                s.is_on = !s.is_on;
                let said = format!("{} is {}", s.text, if s.is_on { "on" } else { "off" });
                app.say(said);
                app.keep_stops();
            }
        }
        Choice::Watch(text) => watch(app, &text).unwrap_or_else(|e| app.say_error(e)),
    }
    Effect::None
}

fn watch(app: &mut App, text: &str) -> Result<(), String> {
    app.watch_at = app.session.watch(text)?;
    app.focus = Pane::Watches;
    app.answer = None;
    app.say(format!("{} is watched", text.trim()));
    Ok(())
}

/// Ticks that a search runs the level on.
const SEARCH: u64 = 10_000_000;

/// How long a search or a way to a far tick may take before it asks whether to go on.
const PATIENCE: Duration = Duration::from_secs(2);

fn entered(app: &mut App, what: LineFor, typed: &str) -> Result<(), String> {
    let typed = typed.trim();
    if typed.is_empty() {
        return Ok(());
    }
    match what {
        LineFor::Watch => return watch(app, typed),
        LineFor::Poke => return app.poke(typed),
        LineFor::Stop => return app.toggle_stop(typed),
        LineFor::GoTo => {}
    }
    app.running = false;
    let rate = app.session.level.rate;
    let tick = match typed.parse::<u64>() {
        Ok(t) => Some(t),
        Err(_) => mayfly_lang::check::duration(typed, rate).filter(|d| *d >= 0).map(|d| rate.ticks_from_zero(d)),
    };
    if let Some(tick) = tick {
        if tick > app.session.last_tick() + 10_000_000 {
            return Err("that lies more than 10,000,000 ticks ahead".into());
        }
        let end = Instant::now() + PATIENCE;
        let reached = app.session.go_to_tick(tick, || Instant::now() < end);
        app.follow();
        if reached < tick && app.session.has_ended() {
            app.say(format!("the level ended at tick {reached}"));
        } else if reached < tick {
            return Err(format!("at tick {reached} by now; Enter goes on"));
        }
        return Ok(());
    }
    search(app, typed)
}

/// The next moment at which an expression is true: in the flight, then by running on.
fn search(app: &mut App, typed: &str) -> Result<(), String> {
    let (expr, ty) =
        mayfly_lang::check::expression(&app.session.level, typed).map_err(|d| format!("{}; {}", d.message, d.help))?;
    if ty != mayfly_lang::types::Ty::Flag {
        return Err("write a tick, a time such as 31.7s, or something that is true or false".into());
    }
    let s = &mut app.session;
    let engine = s.engine.clone();
    let holds = |world: &mayfly_engine::World| {
        mayfly_lab::values::of(&engine, world, &expr, None, &[]) == Ok(Value::Flag(true))
    };
    let from = s.moment.tick + 1;
    let mut found = None;
    let live = s.history.live_tick();
    s.history.scan(&engine, from, live, |tick, _, world| {
        if holds(world) {
            found = Some(tick);
        }
        found.is_some()
    });
    let end = Instant::now() + PATIENCE;
    if found.is_none() {
        found = s.run_until(SEARCH, || Instant::now() < end, holds);
    }
    match found {
        Some(tick) => app.go(Moment { tick, at: At::End }),
        None => {
            let last = app.session.last_tick();
            app.go(Moment { tick: last, at: At::End });
            return Err(if app.session.has_ended() {
                "not true before the level ends".into()
            } else {
                format!("not true up to tick {last}; Enter searches on")
            });
        }
    }
    Ok(())
}

/// Draws what is open.
pub fn draw(app: &App, pen: &mut Pen, area: Rect) {
    let Some(top) = app.overlays.last() else { return };
    let rows = match &top.kind {
        Kind::List { .. } => top.found().len().max(1) + 2,
        Kind::Line { .. } => 3,
        Kind::Page { lines, .. } => lines.len(),
    } as u16;
    let width = area.width.saturating_sub(8).min(if matches!(top.kind, Kind::Page { .. }) { 120 } else { 96 });
    let height = (rows + 3).min(area.height.saturating_sub(6)).max(4);
    let frame = Rect { x: (area.width - width) / 2, y: 3, width, height };
    let ground = pen.theme.ground();
    let bar = pen.style(Role::Bar);
    for y in frame.y..frame.bottom() {
        let blank = " ".repeat(frame.width as usize);
        pen.put(frame.x, y, frame.width, &blank, ground);
        pen.tint(frame.x, y, frame.width, if pen.theme.palette == crate::theme::Palette::None { ground } else { bar });
    }
    pen.title(Rect { height: 1, ..frame }, top.title, top.hint, true);
    let line = pen.theme.glyph("─", "-").repeat(frame.width as usize);
    pen.say(frame.x, frame.bottom() - 1, frame.width, &line, Role::Line);
    let inner = Rect { x: frame.x + 2, y: frame.y + 1, width: frame.width - 4, height: frame.height - 2 };
    match &top.kind {
        Kind::List { at, .. } => {
            typed(pen, inner, &top.typed, false);
            list(pen, Rect { y: inner.y + 2, height: inner.height.saturating_sub(2), ..inner }, &top.found(), *at);
        }
        Kind::Line { error, .. } => {
            typed(pen, inner, &top.typed, top.proposed);
            pen.say(inner.x, inner.y + 1, inner.width, error, Role::Fault);
        }
        Kind::Page { lines, from } => {
            let from = (*from).min(lines.len().saturating_sub(inner.height as usize));
            for (i, l) in lines.iter().skip(from).take(inner.height as usize).enumerate() {
                let pieces: Vec<(&str, Role)> = l.iter().map(|(t, r)| (t.as_str(), *r)).collect();
                pen.run(inner.x, inner.y + i as u16, inner.width, &pieces);
            }
            if from + (inner.height as usize) < lines.len() {
                pen.say_right(frame.right() - 2, frame.bottom() - 1, 20, " more below ", Role::Dim);
            }
        }
    }
}

fn typed(pen: &mut Pen, area: Rect, text: &str, proposed: bool) {
    let role = if proposed { Role::Dim } else { Role::Strong };
    let at = pen.run(area.x, area.y, area.width, &[("› ", Role::Key), (text, role)]);
    pen.say(at, area.y, 1, pen.theme.glyph("▏", "_"), Role::Key);
}

fn list(pen: &mut Pen, area: Rect, found: &[&Entry], at: usize) {
    if found.is_empty() {
        pen.say(area.x, area.y, area.width, "nothing of that name", Role::Dim);
    }
    let height = area.height as usize;
    let from = at.saturating_sub(height.saturating_sub(1));
    for (i, e) in found.iter().skip(from).take(height).enumerate() {
        let y = area.y + i as u16;
        let here = from + i == at;
        if here {
            let style = pen.style(Role::Selected);
            pen.tint(area.x, y, area.width, style);
        }
        let note = pen.plain(&e.note).width() as u16;
        pen.say(area.x, y, area.width.saturating_sub(note + 2), &e.text, if here { Role::Strong } else { Role::Text });
        pen.say_right(area.right(), y, note, &e.note, Role::Dim);
    }
}
