//! What lies above the view: a list to choose from, a line to type into, a page to read. A stack, not
//! loops of their own.
//!
//! Invariant: while one is open, letters type; Esc closes it and changes nothing.

mod draw;
mod enter;
mod help;
mod make;
mod prompt;
mod texts;

use crate::app::Choice;
use crate::app::Kind;
use crate::app::LineFor;
use crate::app::Overlay;
use crate::app::{App, Asked, Effect, Pane, Writing};
use crate::pen::Hit;
use crate::refused::Refused;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
pub use draw::draw;
use enter::entered;
use mayfly_session::moment::{At, Moment};
use ratatui_textarea::{CursorMove, TextArea};

/// What may stand in a line, in bytes.
const MAX_TYPED: usize = 400;

/// Text that was pasted: into the line that is being written. True where it was taken.
pub fn paste(app: &mut App, text: &str) -> bool {
    if app.overlays.is_empty() && app.view == crate::view::View::Script && app.script.typing {
        app.paste_text(text);
        return true;
    }
    let Some(top) = app.overlays.last_mut().filter(|o| o.is_line()) else {
        app.say("text is pasted into a line that is being written, and none is open");
        return true;
    };
    if std::mem::take(&mut top.proposed) {
        (top.typed, top.cursor) = (String::new(), None);
    }
    // A line holds neither tabs nor lines.
    let plain = text.trim_end().chars().map(|c| if c.is_control() { ' ' } else { c });
    let room = MAX_TYPED.saturating_sub(top.typed.len());
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
    prompt::mark(app);
    true
}

/// A key while something is open.
pub fn key(app: &mut App, key: &KeyEvent) -> Effect {
    if matches!(key.code, KeyCode::Tab | KeyCode::Enter | KeyCode::Up | KeyCode::Down) {
        prompt::propose(app);
    }
    let Some(mut top) = app.overlays.pop() else { return Effect::None };
    if key.modifiers.contains(KeyModifiers::CONTROL) && key.code == KeyCode::Char('c') {
        return Effect::Quit;
    }
    let found = top.found().len();
    // In the list of branches Tab puts one beside the present one.
    if let (Kind::List { at, .. }, KeyCode::Tab) = (&top.kind, key.code)
        && let Some(Choice::Branch(i)) = top.found().get(*at).map(|e| e.choice.clone())
    {
        app.compare_branch(i);
        return Effect::None;
    }
    if let Some(list_or_page) = moved(&mut top.kind, key.code, found) {
        if list_or_page {
            top.proposed = false;
        }
        app.overlays.push(top);
        return Effect::None;
    }
    match (&mut top.kind, key.code) {
        // What was typed goes first, the page or the list after it.
        (Kind::Page { finds: true, .. }, KeyCode::Esc) if !top.typed.is_empty() => {
            (top.typed, top.cursor) = (String::new(), None);
            reset(&mut top.kind);
        }
        (Kind::Line { offers, .. }, KeyCode::Esc) if offers.at.is_some() => offers.at = None,
        (_, KeyCode::Esc) => {
            // What must be decided is decided by leaving it.
            if top.is_of_disk() {
                app.decide_disk(&Choice::DiskKeep);
            } else if top.is_of_edits() {
                app.decide_edits(&Choice::EditsLater);
            }
            return Effect::None;
        }
        (Kind::List { at, .. }, KeyCode::Enter) => {
            let at = (*at).min(found.saturating_sub(1));
            let choice = top.found().get(at).map_or(Choice::None, |e| e.choice.clone());
            return choose(app, choice);
        }
        (Kind::List { .. }, KeyCode::Tab) if top.sorted.is_some() => {
            app.flight.rules_sort += 1;
            let mut next = Overlay::rules(app);
            (next.typed, next.cursor) = (top.typed, top.cursor);
            app.overlays.push(next);
            return Effect::None;
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
        (Kind::Line { .. }, KeyCode::Tab) => top.take_offer(),
        (Kind::Line { what, offers, .. }, KeyCode::Enter) => {
            let (what, chosen) = (*what, offers.at.is_some());
            if chosen {
                top.take_offer();
            }
            // A name alone is all that one watches or stops at; an action is not over with one.
            let done = !chosen || matches!(what, LineFor::Watch | LineFor::Stop);
            if done {
                match entered(app, what, &top.typed) {
                    Ok(()) => {
                        app.entered.retain(|l| *l != top.typed);
                        app.entered.push(top.typed);
                        return Effect::None;
                    }
                    Err(e) => {
                        if let Kind::Line { error, .. } = &mut top.kind {
                            *error = e.to_string();
                        }
                        top.proposed = false;
                        app.overlays.push(top);
                        return Effect::None;
                    }
                }
            }
        }
        (Kind::Page { finds: false, .. }, _) => {}
        (Kind::Line { offers, .. }, KeyCode::Up | KeyCode::Down) => {
            let down = key.code == KeyCode::Down;
            let last = offers.all.len().checked_sub(1);
            match (offers.at, last) {
                (Some(0), _) if !down => offers.at = None,
                (Some(n), Some(last)) => offers.at = Some(if down { (n + 1).min(last) } else { n - 1 }),
                (None, Some(_)) if down && !app.entered.contains(&top.typed) => offers.at = Some(0),
                _ => {
                    top.recall(&app.entered, !down);
                    top.proposed = false;
                    app.overlays.push(top);
                    prompt::mark(app);
                    return Effect::None;
                }
            }
            top.proposed = false;
            app.overlays.push(top);
            return Effect::None;
        }
        (_, KeyCode::Char('u')) if key.modifiers.contains(KeyModifiers::CONTROL) => {
            (top.typed, top.cursor) = (String::new(), None);
            reset(&mut top.kind);
        }
        _ => top.edit(key),
    }
    top.proposed = false;
    app.overlays.push(top);
    prompt::mark(app);
    Effect::None
}

/// Moves in a list or on a page: some where the key did that.
fn moved(kind: &mut Kind, code: KeyCode, found: usize) -> Option<bool> {
    const PAGE: usize = 10;
    let (at, last) = match kind {
        Kind::List { at, .. } => (at, found.saturating_sub(1)),
        Kind::Page { lines, from, .. } => (from, lines.len().saturating_sub(1)),
        Kind::Line { .. } => return None,
    };
    *at = match code {
        KeyCode::Up => at.saturating_sub(1),
        KeyCode::Down => *at + 1,
        KeyCode::PageUp => at.saturating_sub(PAGE),
        KeyCode::PageDown => *at + PAGE,
        KeyCode::Home => 0,
        KeyCode::End => last,
        _ => return None,
    }
    .min(last);
    Some(true)
}

/// The mouse while something is open: the wheel moves, a click takes what lies under it, one beside it closes.
pub fn mouse(app: &mut App, m: &crossterm::event::MouseEvent) -> (bool, Effect) {
    use crossterm::event::{MouseButton, MouseEventKind as M};
    let wheel = match m.kind {
        M::ScrollUp => Some(KeyCode::Up),
        M::ScrollDown => Some(KeyCode::Down),
        _ => None,
    };
    if let Some(code) = wheel {
        return (true, key(app, &KeyEvent::new(code, KeyModifiers::NONE)));
    }
    if m.kind != M::Down(MouseButton::Left) {
        return (false, Effect::None);
    }
    let under = |(r, _): &&(ratatui::layout::Rect, Hit)| r.contains((m.column, m.row).into());
    let hit = app.hits.iter().rev().find(under).map(|(_, hit)| *hit);
    match hit {
        Some(Hit::Entry(n)) => {
            match app.overlays.last_mut().map(|o| &mut o.kind) {
                Some(Kind::List { at, .. }) => *at = n,
                Some(Kind::Line { offers, .. }) => offers.at = Some(n),
                _ => return (false, Effect::None),
            }
            let code = if matches!(app.overlays.last().map(|o| &o.kind), Some(Kind::Line { .. })) {
                KeyCode::Tab
            } else {
                KeyCode::Enter
            };
            (true, key(app, &KeyEvent::new(code, KeyModifiers::NONE)))
        }
        Some(Hit::Overlay) => (false, Effect::None),
        _ => (true, key(app, &KeyEvent::new(KeyCode::Esc, KeyModifiers::NONE))),
    }
}

/// Something was opened: what it proposes is found before it is shown.
pub fn opened(app: &mut App) {
    prompt::mark(app);
}

/// Before a frame: what is shown is up to date.
pub fn prepare(app: &mut App) {
    prompt::propose(app);
}

impl Overlay {
    /// It asks about a file that another program changed, or about edits that were left.
    pub(super) fn is_of_disk(&self) -> bool {
        matches!(&self.kind, Kind::List { entries, .. } if entries.iter().any(|e| e.choice == Choice::DiskKeep))
    }

    pub(super) fn is_of_edits(&self) -> bool {
        matches!(&self.kind, Kind::List { entries, .. } if entries.iter().any(|e| e.choice == Choice::TakeEdits))
    }

    /// True where letters are text.
    pub fn is_line(&self) -> bool {
        !matches!(self.kind, Kind::Page { finds: false, .. })
    }

    /// One key in the line. What is only proposed gives way to the first letter, and is kept by any other key.
    fn edit(&mut self, key: &KeyEvent) {
        let with = |m: KeyModifiers| key.modifiers.contains(m);
        let is_letter = matches!(key.code, KeyCode::Char(_)) && !with(KeyModifiers::CONTROL);
        let edits = match key.code {
            KeyCode::Char(c) if with(KeyModifiers::CONTROL) => "abdefhkw".contains(c),
            KeyCode::Char(_) => self.typed.len() < MAX_TYPED && !with(KeyModifiers::ALT),
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
        Kind::Page { from, .. } => *from = 0,
    }
}

fn choose(app: &mut App, choice: Choice) -> Effect {
    match choice {
        Choice::Do(c) if c.applies(app) => return app.update(c),
        Choice::Do(_) | Choice::None => {}
        Choice::Quit => {
            // Edits that one gives up are not offered again.
            app.disk.to_write.push((Writing::Journal, String::new()));
            return Effect::Quit;
        }
        Choice::SaveAndQuit => return app.save_and_quit(true),
        Choice::SaveTextAndQuit => return app.save_and_quit(false),
        Choice::Place(file, at) => {
            app.show_view(crate::view::View::Script);
            app.show_text(file, at);
        }
        Choice::Rename(r) => app.do_rename(&r),
        Choice::NewFile => app.overlays.push(Overlay::new_file()),
        Choice::Site(c) => app.choose_on_site(c),
        Choice::ReplaceOne(by) => app.replace_one(&by),
        Choice::ReplaceAll(by, everywhere) => app.replace_all(&by, everywhere),
        c @ (Choice::DiskTake | Choice::DiskKeep | Choice::DiskBoth) => app.decide_disk(&c),
        c @ (Choice::TakeEdits | Choice::ForgetEdits | Choice::EditsLater) => app.decide_edits(&c),
        Choice::Recover => app.recover(),
        Choice::Forget => app.forget_recovered(),
        Choice::SeekOn(text) => enter::seek_on(app, &text),
        Choice::WhyNot(r) => app.ask_about(Asked::WhyNot(r)),
        Choice::Branch(i) => {
            app.play.running = false;
            app.about_to_jump();
            if app.session.take_branch(i) {
                app.leave_comparison();
                app.follow();
                let (name, last) = (app.session.branch.clone(), app.session.last_tick());
                app.say(format!("{name}, to tick {last}"));
            }
        }
        Choice::Draw(what) => app.make_drawing(what),
        Choice::Export(what) => {
            let text = app.session.export(what, app.theme.ascii);
            app.disk.to_write.push((Writing::Export(what), text));
        }
        Choice::Tick(tick) => {
            app.about_to_jump();
            app.go(Moment { tick, at: At::End });
        }
        Choice::Problem(i) => {
            let s = &app.session;
            let page = s.problems.get(i).map(|d| Overlay::diagnostic(d, &s.problem_sources));
            app.overlays.extend(page);
        }
        Choice::Finding(i) => {
            let s = &app.session;
            let page = s.findings.get(i).map(|d| Overlay::diagnostic(d, &s.sources));
            app.overlays.extend(page);
        }
        Choice::About(thing) => app.show_found(thing),
        Choice::Stop(i) => {
            if let Some(s) = app.session.stops.all.get_mut(i) {
                s.is_on = !s.is_on;
                let said = format!("{} is {}", s.text, if s.is_on { "on" } else { "off" });
                app.say(said);
                app.keep_stops();
            }
        }
        Choice::Watch(text) => watch(app, &text).unwrap_or_else(|e| app.say_error(e.to_string())),
    }
    Effect::None
}

fn watch(app: &mut App, text: &str) -> Result<(), Refused> {
    app.flight.watch_at = app.session.watch(text).map_err(Refused::Expression)?;
    app.keep_watches();
    app.flight.focus = Pane::Watches;
    app.flight.answer = None;
    app.say(format!("{} is watched", text.trim()));
    Ok(())
}
