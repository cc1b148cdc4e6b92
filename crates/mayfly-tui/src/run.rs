//! The loop: keys, the clock, news from outside, a frame.
//!
//! Invariant: a key is seen in the next frame, also while the level runs flat out, since running never
//! takes more than a frame's time at once.

use crate::app::{App, Effect, Writing};
use crate::applies::{key_name, of_key};
use crate::command::{Row, TABLE};
use crate::input::Inputs;
use crate::mouse;
use crate::overlay;
use crate::screen;
use crate::terminal::{self, Screen};
use crate::view::View;
use crossterm::clipboard::CopyToClipboard;
use crossterm::event::{Event, KeyCode, KeyEvent, KeyEventKind};
use mayfly_base::InputId;
use mayfly_lang::check::Checked;
use std::io;
use std::sync::mpsc::Receiver;
use std::time::{Duration, Instant};

/// News from outside.
pub enum News {
    /// The level's file has a new text, checked already.
    Text(Box<Checked>),
    /// The level's file cannot be read; why.
    Lost(String),
    /// Something to be said.
    Said(String),
    /// The terminal was given back for a while, and is there again.
    Again,
    /// A signal asks to end.
    End,
}

const FRAME: Duration = Duration::from_millis(16);
const IDLE: Duration = Duration::from_millis(100);

/// Why something could not be written.
pub type WriteError = Box<dyn std::error::Error + Send + Sync>;

/// Writes beside the level; gives what was done in words, or why it was not.
pub type Writer<'w> = &'w mut dyn FnMut(Writing, &str) -> Result<String, WriteError>;

/// Runs the application until it is left.
///
/// # Errors
/// A terminal that is lost.
pub fn run(mut app: App, news: &Receiver<News>, write: Writer) -> io::Result<()> {
    let (mut screen, has_release) = terminal::take()?;
    app.play.has_release = has_release;
    let inputs = Inputs::begin();
    let done = turns(&mut app, &mut screen, &inputs, news, write);
    terminal::give_back();
    done
}

fn turns(app: &mut App, screen: &mut Screen, inputs: &Inputs, news: &Receiver<News>, write: Writer) -> io::Result<()> {
    let mut last = Instant::now();
    let mut stale = true;
    loop {
        app.keep_recovery(Instant::now(), false);
        stale |= app.go_on_with_texts(Instant::now());
        if app.disk.to_write.iter().any(|(what, _)| *what == Writing::Editor) {
            // The editor has the terminal until it ends.
            inputs.pause();
            terminal::give_back();
            write_all(app, write);
            terminal::take_again()?;
            inputs.go_on();
            terminal::wipe(screen)?;
            stale = true;
        }
        stale |= write_all(app, write);
        inputs.set_typing(app.script.typing || app.overlays.iter().any(|o| o.is_line()));
        if inputs.wrote_over() {
            terminal::wipe(screen)?;
            stale = true;
        }
        if stale {
            terminal::alone(|| screen.draw(|f| screen::draw(app, f)).map(drop))?;
            stale = app.catch_up();
        }
        let wait = if stale || app.rerun.refly.is_some() || app.play.seeking.is_some() || app.branches_wait() {
            Duration::ZERO
        } else if app.play.running {
            FRAME.saturating_sub(last.elapsed())
        } else if app.texts_wait() {
            FRAME
        } else {
            IDLE
        };
        // All that waits is taken before the next frame, as far as that takes no longer than one: a storm of resizes
        // is one redraw.
        let mut next = inputs.next(wait)?;
        let began = Instant::now();
        while let Some(event) = next {
            match event {
                Event::Key(k) => {
                    stale = true;
                    let effect = key(app, &k, Instant::now());
                    if quits(app, effect, write) {
                        return leave(app, write);
                    }
                }
                Event::Mouse(m) if !app.overlays.is_empty() => {
                    let (changed, effect) = overlay::mouse(app, &m);
                    stale |= changed;
                    if quits(app, effect, write) {
                        return leave(app, write);
                    }
                }
                Event::Mouse(m) => stale |= mouse::take(app, &m),
                Event::Paste(text) => stale |= overlay::paste(app, &text),
                Event::Resize(..) => stale = true,
                _ => {}
            }
            next = if began.elapsed() < FRAME { inputs.next(Duration::ZERO)? } else { None };
        }
        stale |= app.tell_news();
        while let Ok(n) = news.try_recv() {
            stale = true;
            match n {
                News::Text(checked) => app.take_text(*checked),
                News::Lost(why) => app.say_lost(format!("{why}; the last text stays")),
                News::Said(what) => app.say_news(what),
                News::Again => terminal::wipe(screen)?,
                News::End => {
                    app.keep_recovery(Instant::now(), true);
                    write_all(app, write);
                    return Ok(());
                }
            }
        }
        let now = Instant::now();
        stale |= app.fly_again(now + FRAME / 2);
        stale |= app.fly_waiting_branches(now + FRAME / 2);
        stale |= app.seek_for(Instant::now() + FRAME / 2);
        let passed = now.duration_since(last);
        if app.play.running {
            app.release_keys(now);
            if passed >= FRAME / 2 {
                stale |= app.run_for(passed, now + FRAME / 2);
                last = now;
            }
        } else {
            last = now;
        }
    }
}

/// True where one quits now: what could not be written keeps one here, and says why.
fn quits(app: &mut App, effect: Effect, write: Writer) -> bool {
    match effect {
        Effect::None => false,
        Effect::Quit => true,
        Effect::SaveAndQuit => {
            write_all(app, write);
            !app.has_unsaved() && !app.work.docs.is_changed()
        }
        Effect::SaveTextAndQuit => {
            write_all(app, write);
            !app.work.docs.is_changed()
        }
    }
}

/// Writes what is to be kept, and ends; an error where that could not be written.
fn leave(app: &mut App, write: Writer) -> io::Result<()> {
    app.disk.to_write.extend(app.session.to_keep_at_leaving().map(|text| (Writing::Kept, text)));
    app.keep_recovery(Instant::now(), true);
    app.message = (String::new(), false);
    write_all(app, write);
    let (said, is_error) = std::mem::take(&mut app.message);
    if is_error { Err(io::Error::other(said)) } else { Ok(()) }
}

/// Writes what waits to be written; true where anything did.
fn write_all(app: &mut App, write: Writer) -> bool {
    let any = !app.disk.to_write.is_empty();
    // What was written may be followed by more: a saved text by the end of its journal.
    while !app.disk.to_write.is_empty() {
        let (what, text) = app.disk.to_write.remove(0);
        if what == Writing::Clipboard {
            let copied =
                terminal::alone(|| crossterm::execute!(io::stdout(), CopyToClipboard::to_clipboard_from(&text)));
            match copied {
                Ok(()) => app.say("copied, where the terminal lets its programs reach the clipboard"),
                Err(e) => app.say_error(format!("not copied: {e}")),
            }
            continue;
        }
        match write(what, &text) {
            Ok(said) => {
                match what {
                    Writing::Flight => app.flight_is_saved(),
                    Writing::Text => app.text_is_saved(&text),
                    Writing::NewText => app.has_new_file(&text),
                    Writing::NewLevel => app.open_new(&text),
                    _ => {}
                }
                if !said.is_empty() {
                    app.say(said);
                }
            }
            Err(why) => app.say_error(why.to_string()),
        }
    }
    any
}

/// One key.
pub fn key(app: &mut App, k: &KeyEvent, now: Instant) -> Effect {
    app.is_new = false;
    // Any key ends a way that is under way; Esc does no more than that.
    if k.kind != KeyEventKind::Release && app.stop_seeking() && k.code == KeyCode::Esc {
        return Effect::None;
    }
    if !app.overlays.is_empty() {
        return if k.kind == KeyEventKind::Release { Effect::None } else { overlay::key(app, k) };
    }
    if let Some(input) = driven(app, k) {
        if k.kind == KeyEventKind::Release {
            app.release(input);
        } else {
            app.message = (String::new(), false);
            app.drive_key(input, k.kind == KeyEventKind::Repeat, now);
        }
        return Effect::None;
    }
    if k.kind == KeyEventKind::Release {
        return Effect::None;
    }
    if app.view == View::Script && script_key(app, k) {
        return Effect::None;
    }
    if app.view == View::Site && site_key(app, k) {
        return Effect::None;
    }
    match of_key(app, k) {
        Some(c) => app.update(c),
        None => {
            let name = key_name(k);
            let has = |r: &&Row| app.keys.has(r, &name);
            let here = TABLE.iter().filter(has).find(|r| r.views.contains(&app.view));
            match here.or_else(|| TABLE.iter().find(has)) {
                // A letter that types nothing, such as a control key, is no command either.
                None if app.script.typing => {}
                Some(r) => app.say(r.command.refusal(app)),
                None if name.is_empty() => {}
                None => app.say(format!("{name} does nothing here; ? shows the keys")),
            }
            Effect::None
        }
    }
}

/// A key in the text: it moves the caret, or types; false where it does neither.
fn script_key(app: &mut App, k: &KeyEvent) -> bool {
    let moves = app.move_caret(k);
    let done = moves || app.script.typing && app.type_key(k);
    if done {
        app.message = (String::new(), false);
    }
    done
}

/// A key on the map as laid: of the tool that has the keys, or a digit of a count; false where it is none.
fn site_key(app: &mut App, k: &KeyEvent) -> bool {
    // The text may have changed since the last frame.
    app.prepare_site();
    if let (Some(n), KeyCode::Char(c)) = (app.site.count, k.code)
        && let Some(d) = c.to_digit(10)
    {
        app.site.count = Some((n * 10 + d).min(9999));
        return true;
    }
    app.tool_key(k)
}

/// The input that a key gives to the driven actor.
fn driven(app: &App, k: &KeyEvent) -> Option<InputId> {
    app.play.driving.filter(|_| app.view == View::Flight)?;
    if k.modifiers.contains(crossterm::event::KeyModifiers::ALT) {
        return None;
    }
    match k.code {
        KeyCode::Up => Some(InputId(0)),
        KeyCode::Right => Some(InputId(1)),
        KeyCode::Down => Some(InputId(2)),
        KeyCode::Left => Some(InputId(3)),
        _ => {
            let name = key_name(k);
            app.session
                .level
                .inputs
                .iter()
                .skip(4)
                .position(|i| i.key.eq_ignore_ascii_case(&name))
                .map(|i| InputId::at(i + 4))
        }
    }
}
