//! `mayfly demo` and `mayfly open LEVEL`: the application.

use crate::settings::{self, Settings};
use crate::{beside, files, watcher};
use anyhow::{Context, Result, bail};
use clap::{Args, ValueEnum};
use mayfly_engine::renew::Kept;
use mayfly_lang::check::{self, Checked, LoadError};
use mayfly_lang::diagnostic::Source;
use mayfly_lang::level::Level;
use mayfly_session::flight::{self, Flight};
use mayfly_session::session::Session;
use mayfly_tui::app::Overlay;
use mayfly_tui::app::{App, Writing};
use mayfly_tui::run::{self, News};
use mayfly_tui::theme::{Palette, Theme};
use mayfly_tui::view::View;
use std::io::IsTerminal;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::{Arc, Mutex, PoisonError, mpsc};

/// The level that comes with the application.
pub const DEMO: &str = include_str!("../../../../examples/weir-house.may");

/// How it looks.
#[derive(Args)]
pub struct Look {
    /// The colours; found out from the terminal if left out (NO_COLOR is heeded).
    #[arg(long, value_enum)]
    theme: Option<ThemeName>,
    /// Draw with plain characters alone.
    #[arg(long)]
    ascii: bool,
}

#[derive(Clone, Copy, ValueEnum)]
enum ThemeName {
    /// Dark.
    Dusk,
    /// Light.
    Noon,
    /// The terminal's own sixteen colours.
    Sixteen,
    /// No colours.
    None,
}

#[derive(Args)]
pub struct Open {
    /// The level's file.
    level: PathBuf,
    /// Opens this recorded flight.
    #[arg(long, value_name = "FILE")]
    flight: Option<PathBuf>,
    #[command(flatten)]
    look: Look,
}

impl Look {
    /// The arguments first, then the settings, then what the terminal can show.
    fn theme(&self, settings: &Settings) -> Theme {
        let set = |name: &str| std::env::var_os(name).is_some_and(|v| !v.is_empty());
        let true_colour = std::env::var("COLORTERM").is_ok_and(|v| v.contains("truecolor") || v.contains("24bit"));
        let plain = self.ascii || settings.ascii || !shows_unicode(|name| std::env::var(name).ok());
        let found = Theme::for_terminal(set("NO_COLOR"), true_colour, plain);
        let palette = match self.theme {
            Some(ThemeName::Dusk) => Palette::Dusk,
            Some(ThemeName::Noon) => Palette::Noon,
            Some(ThemeName::Sixteen) => Palette::Sixteen,
            Some(ThemeName::None) => Palette::None,
            None if set("NO_COLOR") => found.palette,
            None => settings.palette.unwrap_or(found.palette),
        };
        Theme { palette, ..found }
    }
}

/// False where the locale or the terminal says that it shows plain characters alone.
fn shows_unicode(var: impl Fn(&str) -> Option<String>) -> bool {
    let locale = ["LC_ALL", "LC_CTYPE", "LANG"].into_iter().filter_map(&var).find(|v| !v.is_empty());
    let is_utf8 = |l: &str| l.to_lowercase().replace('-', "").contains("utf8");
    let old = ["dumb", "ansi", "vt52", "vt100", "vt102", "vt220"];
    locale.is_none_or(|l| is_utf8(&l)) && !var("TERM").is_some_and(|t| old.contains(&t.as_str()))
}

/// # Errors
/// No terminal, or one that is lost.
pub fn demo(look: &Look) -> Result<ExitCode> {
    let checked = check::check("weir-house.may", DEMO);
    show(&Start { checked, name: "the demo", path: None, flight: None, view: View::Flight }, look)
}

/// # Errors
/// A file that cannot be read, no terminal.
pub fn open(o: &Open) -> Result<ExitCode> {
    let name = o.level.file_name().map_or_else(|| o.level.display().to_string(), |n| n.to_string_lossy().to_string());
    let flight = match &o.flight {
        Some(path) => match flight::read(&files::read(path)?) {
            Ok(flight) => Some(flight),
            Err(why) => bail!("{}: {}", files::shown(path), mayfly_lang::diagnostic::safe(&why.to_string())),
        },
        None => None,
    };
    if !o.level.exists() {
        let stem = o.level.file_stem().map_or(String::new(), |s| s.to_string_lossy().into_owned());
        let stem = mayfly_lang::diagnostic::safe(&stem);
        bail!("{}: there is no such file; `mayfly new {stem}` writes a new level", files::shown(&o.level));
    }
    let checked = files::check(&o.level)?;
    let start = Start { checked, name: &name, path: Some(&o.level), flight: flight.as_ref(), view: View::Flight };
    show(&start, &o.look)
}

/// A level that was written just now, on the map.
///
/// # Errors
/// As [`open`].
pub fn open_new(path: &Path, look: &Look) -> Result<ExitCode> {
    let name = path.file_name().map_or(String::new(), |n| n.to_string_lossy().into_owned());
    let checked = files::check(path)?;
    show(&Start { checked, name: &name, path: Some(path), flight: None, view: View::Site }, look)
}

/// With what the application begins.
struct Start<'s> {
    checked: Checked,
    name: &'s str,
    path: Option<&'s Path>,
    flight: Option<&'s Flight>,
    view: View,
}

fn show(start: &Start, look: &Look) -> Result<ExitCode> {
    let Start { checked, name, path, flight, view } = start;
    let (path, flight) = (*path, *flight);
    if !std::io::stdout().is_terminal() || !std::io::stdin().is_terminal() {
        files::say_diagnostics(checked);
        bail!("the application needs a terminal; `mayfly fly LEVEL` runs a level without one");
    }
    // A level with errors is opened all the same, at the first of them: an empty one is flown until they are mended.
    let mut session = match &checked.level {
        Some(level) => {
            let mut s = Session::new(checked.sources.clone(), level.clone());
            s.findings.clone_from(&checked.diagnostics);
            s
        }
        None => {
            let mut s = Session::new(checked.sources.clone(), Level::empty());
            s.problems.clone_from(&checked.diagnostics);
            s.problem_sources.clone_from(&checked.sources);
            s
        }
    };
    let shown = session.sources.clone();
    let mut said = vec![];
    let mut wrong = String::new();
    if let Some(path) = path {
        match files::read_kept(&session.level, &path.with_extension("kept")) {
            Ok(kept) if kept != Kept::default() => session.begin_with(kept),
            Ok(_) => {}
            Err(why) => wrong = files::put_aside(&path.with_extension("kept"), &why),
        }
    }
    let mut beside = |ending: &str| {
        let text = path.map_or(Ok(None), |p| files::read_beside(&p.with_extension(ending)));
        text.unwrap_or_else(|why| {
            wrong = format!("{wrong} {why}");
            None
        })
    };
    let (stops, watches) = (beside("stops"), beside("watches"));
    said.extend(session.read_stops(stops.as_deref().unwrap_or("faults\n")));
    if let Some(text) = watches {
        said.extend(session.read_watches(&text));
    }
    let refly = flight.map(|f| session.to_replay(f));
    said.extend(refly.iter().flat_map(|f| f.lost.clone()));
    let settings = settings::read().unwrap_or_else(|why| {
        wrong = format!("{wrong} {why}");
        Settings::default()
    });
    let mut app = App::new(session, look.theme(&settings), mayfly_lang::diagnostic::safe(name));
    app.play.speed = settings.speed.unwrap_or(app.play.speed);
    app.keys = settings.keys;
    app.rerun.refly = refly.map(Box::new);
    app.disk.has_file = path.is_some();
    // The level's file; another one once a text was saved under a name, or a new level was begun.
    let home = Arc::new(Mutex::new(path.map(Path::to_path_buf)));
    let of_level = Arc::clone(&home);
    app.work.load = Arc::new(move |used| match &*of_level.lock().unwrap_or_else(PoisonError::into_inner) {
        Some(path) => files::load(path, used),
        None => Err(LoadError::NoFolder),
    });
    if checked.level.is_none() {
        app.open_broken();
    } else {
        app.show_view(*view);
    }
    if let Some(path) = path.filter(|_| app.rerun.refly.is_none()) {
        match files::read_beside(&path.with_extension(beside::RECOVERY)).map(|t| t.map(|t| flight::read(&t))) {
            Ok(Some(Ok(left))) => {
                app.overlays.push(Overlay::recover(left.ticks()));
                app.disk.recovered = Some(Box::new(left));
            }
            Ok(Some(Err(why))) => {
                wrong = format!(
                    "{wrong} {}",
                    files::put_flight_aside(&path.with_extension(beside::RECOVERY), &why.to_string())
                );
            }
            Ok(None) => {}
            Err(why) => wrong = format!("{wrong} {why}"),
        }
    }
    if let Some(path) = path {
        match beside::left_edits(path) {
            Ok(left) if left.is_empty() => {}
            Ok(left) => app.offer_edits(left),
            Err(why) => wrong = format!("{wrong} {why}"),
        }
    }
    if !said.is_empty() {
        wrong = format!("{wrong} lost: {}", said.join(", "));
    }
    if !wrong.is_empty() {
        app.say_error(wrong.trim());
    }
    let (send, news) = mpsc::channel();
    watcher::signals(send.clone())?;
    let mut watched = path.map(|path| watcher::file(path, &shown, send.clone()));
    let news_of = send.clone();
    let in_words = |e: anyhow::Error| run::WriteError::from(format!("{e:#}"));
    let mut write = |what: Writing, text: &str| {
        let mut home = home.lock().unwrap_or_else(PoisonError::into_inner);
        if !matches!(what, Writing::NewText | Writing::NewLevel) {
            return beside::write(home.as_deref(), what, text).map_err(in_words);
        }
        let (path, said) = beside::new_text(text).map_err(in_words)?;
        let sources = [Source::new(path.display().to_string(), text.split_once('\n').map_or("", |(_, t)| t))];
        if let Some(old) = watched.take() {
            old.store(true, std::sync::atomic::Ordering::SeqCst);
        }
        watched = Some(watcher::file(&path, &sources, news_of.clone()));
        *home = Some(path);
        Ok(said)
    };
    let done = run::run(app, &news, &mut write);
    drop::<mpsc::Sender<News>>(send);
    done.context("the application was left")?;
    Ok(ExitCode::SUCCESS)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn plain_characters_for_whom_shows_no_others() {
        let cases: [(&[(&str, &str)], bool); 7] = [
            (&[("LANG", "en_GB.UTF-8")], true),
            (&[("LANG", "en_GB.UTF-8"), ("LC_ALL", "C")], false),
            (&[("LC_ALL", ""), ("LANG", "de_DE.ISO-8859-1")], false),
            (&[("LC_CTYPE", "C.utf8"), ("LANG", "C")], true),
            (&[("TERM", "xterm-256color")], true),
            (&[("LANG", "C.UTF-8"), ("TERM", "vt100")], false),
            (&[], true),
        ];
        for (set, is) in cases {
            let var = |name: &str| set.iter().find(|(n, _)| *n == name).map(|(_, v)| (*v).to_string());
            assert_eq!(shows_unicode(var), is, "{set:?}");
        }
    }
}
