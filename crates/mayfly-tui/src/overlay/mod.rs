//! What lies above the view: a list to choose from, a line to type into, a page to read. A stack, not
//! loops of their own.
//!
//! Invariant: while one is open, letters type; Esc closes it and changes nothing.

mod enter;
mod make;

use crate::app::{App, Asked, Effect, Pane, Writing};
use crate::commands::Command;
use crate::pen::Pen;
use crate::theme::Role;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use enter::entered;
use mayfly_base::{ActorId, RuleId};
use mayfly_engine::world::MachineKey;
use mayfly_lab::export::Export;
use ratatui::layout::Rect;
use ratatui_textarea::{CursorMove, TextArea};
use unicode_width::UnicodeWidthStr;

/// What an entry of a list does.
#[derive(Clone, Debug, PartialEq)]
pub enum Choice {
    Do(Command),
    WhyNot(RuleId),
    Watch(String),
    Stop(usize),
    Course(usize),
    Actor(ActorId),
    Machine(MachineKey),
    Export(Export),
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
    NameCourse,
    Filter,
}

#[derive(Clone, Debug)]
pub struct Overlay {
    pub title: &'static str,
    pub hint: &'static str,
    pub typed: String,
    /// What stands there is only proposed: the first letter takes its place.
    pub proposed: bool,
    /// Where one types in it, in characters; none: at its end.
    pub cursor: Option<usize>,
    pub kind: Kind,
}

/// What may stand in a line, in bytes.
const MOST_TYPED: usize = 400;

/// Text that was pasted: into the line that is being written. True where it was taken.
pub fn paste(app: &mut App, text: &str) -> bool {
    let Some(top) = app.overlays.last_mut().filter(|o| !matches!(o.kind, Kind::Page { .. })) else {
        app.say("text is pasted into a line that is being written, and none is open");
        return true;
    };
    if std::mem::take(&mut top.proposed) {
        (top.typed, top.cursor) = (String::new(), None);
    }
    // A line holds neither tabs nor lines.
    let plain = text.trim_end().chars().map(|c| if c.is_control() { ' ' } else { c });
    let room = MOST_TYPED.saturating_sub(top.typed.len());
    let mut taken: String = String::new();
    for c in plain {
        if taken.len() + c.len_utf8() > room {
            break;
        }
        taken.push(c);
    }
    let at = top.cursor.unwrap_or_else(|| top.typed.chars().count());
    let byte = top.typed.char_indices().nth(at).map_or(top.typed.len(), |(i, _)| i);
    top.typed.insert_str(byte, &taken);
    if top.cursor.is_some() {
        top.cursor = Some(at + taken.chars().count());
    }
    reset(&mut top.kind);
    true
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
                app.say("the stop is gone");
            }
            return Effect::None;
        }
        (Kind::Line { what, error }, KeyCode::Enter) => match entered(app, *what, &top.typed) {
            Ok(()) => {
                app.entered.retain(|l| *l != top.typed);
                app.entered.push(top.typed);
                return Effect::None;
            }
            Err(e) => *error = e,
        },
        (Kind::Page { from, .. }, KeyCode::Up) => *from = from.saturating_sub(1),
        (Kind::Page { lines, from }, KeyCode::Down) => *from = (*from + 1).min(lines.len().saturating_sub(1)),
        (Kind::Page { from, .. }, KeyCode::PageUp) => *from = from.saturating_sub(20),
        (Kind::Page { lines, from }, KeyCode::PageDown | KeyCode::Char(' ')) => {
            *from = (*from + 20).min(lines.len().saturating_sub(1))
        }
        (Kind::Page { .. }, _) => return Effect::None,
        (Kind::Line { .. }, KeyCode::Up | KeyCode::Down) => top.recall(&app.entered, key.code == KeyCode::Up),
        (_, KeyCode::Char('u')) if key.modifiers.contains(KeyModifiers::CONTROL) => {
            (top.typed, top.cursor) = (String::new(), None);
            reset(&mut top.kind);
        }
        _ => top.edit(key),
    }
    top.proposed = false;
    app.overlays.push(top);
    Effect::None
}

impl Overlay {
    /// True where letters are text.
    pub fn is_line(&self) -> bool {
        !matches!(self.kind, Kind::Page { .. })
    }

    /// One key in the line. What is only proposed gives way to the first letter, and is kept by any other key.
    fn edit(&mut self, key: &KeyEvent) {
        let with = |m: KeyModifiers| key.modifiers.contains(m);
        let is_letter = matches!(key.code, KeyCode::Char(_)) && !with(KeyModifiers::CONTROL);
        let edits = match key.code {
            KeyCode::Char(c) if with(KeyModifiers::CONTROL) => "abdefhkw".contains(c),
            KeyCode::Char(_) => self.typed.len() < MOST_TYPED && !with(KeyModifiers::ALT),
            KeyCode::Backspace | KeyCode::Delete | KeyCode::Left | KeyCode::Right | KeyCode::Home | KeyCode::End => {
                true
            }
            // A line holds neither tabs nor lines.
            _ => false,
        };
        if !edits {
            return;
        }
        if self.proposed && is_letter {
            (self.typed, self.cursor) = (String::new(), None);
        }
        let mut line = TextArea::new(vec![self.typed.clone()]);
        let at = self.cursor.unwrap_or_else(|| self.typed.chars().count());
        line.move_cursor(CursorMove::Jump(0, u16::try_from(at).unwrap_or(u16::MAX)));
        if line.input(*key) {
            reset(&mut self.kind);
        }
        self.typed = line.lines().concat();
        self.cursor = Some(line.cursor().1);
    }

    /// A line that was entered before takes the place of what is typed.
    fn recall(&mut self, entered: &[String], back: bool) {
        let at = entered.iter().position(|l| *l == self.typed);
        let next = match (at, back) {
            (Some(i), true) => i.checked_sub(1),
            (Some(i), false) => Some(i + 1),
            (None, true) => entered.len().checked_sub(1),
            (None, false) => None,
        };
        if let Some(l) = next.and_then(|i| entered.get(i)) {
            (self.typed, self.cursor) = (l.clone(), None);
            reset(&mut self.kind);
        }
    }
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
        Choice::WhyNot(r) => app.ask_about(Asked::WhyNot(r)),
        Choice::Course(i) => {
            app.running = false;
            if app.session.take_course(i) {
                app.parts_at = app.session.parts_at();
                app.follow();
                let (name, last) = (app.session.course.clone(), app.session.last_tick());
                app.say(format!("{name}, to tick {last}"));
            }
        }
        Choice::Export(what) => {
            let text = app.session.export(what, app.theme.ascii);
            app.to_write.push((Writing::Export(what), text));
        }
        Choice::Actor(a) => app.ask_about(Asked::Actor(a)),
        Choice::Machine(key) => app.ask_about(Asked::Machine(key)),
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
    app.keep_watches();
    app.focus = Pane::Watches;
    app.answer = None;
    app.say(format!("{} is watched", text.trim()));
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
            typed(pen, inner, top);
            list(pen, Rect { y: inner.y + 2, height: inner.height.saturating_sub(2), ..inner }, &top.found(), *at);
        }
        Kind::Line { error, .. } => {
            typed(pen, inner, top);
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

fn typed(pen: &mut Pen, area: Rect, top: &Overlay) {
    let role = if top.proposed { Role::Dim } else { Role::Strong };
    let at = top.cursor.unwrap_or(usize::MAX);
    let byte = top.typed.char_indices().nth(at).map_or(top.typed.len(), |(i, _)| i);
    let (before, after) = top.typed.split_at(byte);
    // Of a line that is longer than the room the part round the cursor is seen.
    let room = area.width.saturating_sub(4) as usize;
    let skip = before.chars().count().saturating_sub(room);
    let before: String = before.chars().skip(skip).collect();
    let at = pen.run(area.x, area.y, area.width, &[("› ", Role::Key), (&before, role)]);
    let mark = if pen.theme.ascii && after.is_empty() { "_" } else { pen.theme.glyph("▏", "|") };
    pen.say(at, area.y, 1, mark, Role::Key);
    pen.say(at + 1, area.y, area.right().saturating_sub(at + 1), after, role);
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
