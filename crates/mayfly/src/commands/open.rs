//! `mayfly demo` and `mayfly open LEVEL`: the application.

use crate::settings::{self, Settings};
use crate::{files, watcher};
use anyhow::{Context, Result, bail};
use clap::{Args, ValueEnum};
use mayfly_draw::pdf;
use mayfly_engine::renew::Kept;
use mayfly_lang::check::{self, Checked};
use mayfly_session::flight::{self, Flight};
use mayfly_session::session::Session;
use mayfly_tui::app::{App, Writing};
use mayfly_tui::drawing::Form;
use mayfly_tui::overlay::Overlay;
use mayfly_tui::run::{self, News};
use mayfly_tui::theme::{Palette, Theme};
use std::io::IsTerminal;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::mpsc;

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
    show(check::check("weir-house.may", DEMO), "the demo", None, None, look)
}

/// # Errors
/// A file that cannot be read, no terminal.
pub fn open(o: &Open) -> Result<ExitCode> {
    let name = o.level.file_name().map_or_else(|| o.level.display().to_string(), |n| n.to_string_lossy().to_string());
    let flight = match &o.flight {
        Some(path) => match flight::read(&files::read(path)?) {
            Ok(flight) => Some(flight),
            Err(why) => bail!("{}: {}", files::shown(path), mayfly_lang::diagnostic::safe(&why)),
        },
        None => None,
    };
    show(files::check(&o.level)?, &name, Some(&o.level), flight.as_ref(), &o.look)
}

fn show(checked: Checked, name: &str, path: Option<&Path>, flight: Option<&Flight>, look: &Look) -> Result<ExitCode> {
    let Some(level) = checked.level.clone() else {
        files::say_diagnostics(&checked);
        return Ok(ExitCode::from(2));
    };
    if !std::io::stdout().is_terminal() || !std::io::stdin().is_terminal() {
        bail!("the application needs a terminal; `mayfly fly LEVEL` runs a level without one");
    }
    let mut session = Session::new(checked.sources, level);
    session.findings = checked.diagnostics;
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
    app.refly = refly.map(Box::new);
    if let Some(path) = path.filter(|_| app.refly.is_none()) {
        match files::read_beside(&path.with_extension(RECOVERY)).map(|t| t.map(|t| flight::read(&t))) {
            Ok(Some(Ok(left))) => {
                app.overlays.push(Overlay::recover(left.ticks()));
                app.recovered = Some(Box::new(left));
            }
            Ok(Some(Err(why))) => {
                wrong = format!("{wrong} {}", files::put_flight_aside(&path.with_extension(RECOVERY), &why));
            }
            Ok(None) => {}
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
    if let Some(path) = path {
        watcher::file(path, &shown, send.clone());
    }
    let mut write = |what: Writing, text: &str| keep(path, what, text);
    let done = run::run(app, &news, &mut write);
    drop::<mpsc::Sender<News>>(send);
    done.context("the application was left")?;
    Ok(ExitCode::SUCCESS)
}

/// Writes what belongs beside the level. The demo is no file: only its flight is worth a word.
fn keep(path: Option<&Path>, what: Writing, text: &str) -> Result<String, String> {
    let Some(path) = path else {
        return match what {
            Writing::Export(_) | Writing::Drawing(_) => {
                Err("the demo is no file of yours: save its text first, and export beside it".into())
            }
            Writing::Flight => Err("the demo is no file of yours: save its text first, then its flights".into()),
            Writing::Editor => Err("the demo is no file of yours: there is nothing to open in an editor".into()),
            _ => Ok(String::new()),
        };
    };
    let mut drawn = None;
    let target = path.with_extension(match what {
        Writing::Stops => "stops",
        Writing::Kept => "kept",
        Writing::Flight => "flight",
        Writing::Watches => "watches",
        Writing::Export(what) => what.ending(),
        Writing::Drawing(what) => drawn.insert(what.ending()).as_str(),
        Writing::Recovery => RECOVERY,
        Writing::Editor => return edit(path, text),
        Writing::Clipboard => return Ok(String::new()),
    });
    if what == Writing::Recovery && text.is_empty() {
        return match std::fs::remove_file(&target) {
            Err(e) if e.kind() != std::io::ErrorKind::NotFound => {
                Err(format!("{} could not be taken away: {e}", files::shown(&target)))
            }
            _ => Ok(String::new()),
        };
    }
    let target = match what {
        Writing::Export(_) | Writing::Drawing(_) => unused(&target),
        _ => target,
    };
    let saved = match what {
        Writing::Drawing(d) if d.form == Form::Pdf => files::save_bytes(&target, &pdf::of_svg(text)?),
        _ => files::save(&target, text),
    };
    saved.map_err(|e| format!("{e:#}"))?;
    Ok(match what {
        Writing::Export(_) | Writing::Drawing(_) => format!("written to {}", files::shown(&target)),
        Writing::Flight => format!("the flight was written to {}", files::shown(&target)),
        _ => String::new(),
    })
}

/// The name itself, or the next one with a number that nothing has: `room.plan-2.svg`.
fn unused(path: &Path) -> PathBuf {
    let stem = path.file_stem().map_or(String::new(), |s| s.to_string_lossy().into_owned());
    let ending = path.extension().map_or(String::new(), |e| format!(".{}", e.to_string_lossy()));
    let numbered = (2..10_000).map(|n| path.with_file_name(format!("{stem}-{n}{ending}")));
    std::iter::once(path.to_path_buf()).chain(numbered).find(|p| !p.exists()).unwrap_or_else(|| path.to_path_buf())
}

/// The ending of a flight that was left unsaved.
const RECOVERY: &str = "flight.unsaved";

/// Opens a person's editor on a file of the level, at a line, and waits for its end. `text`: the line, then the file's name as
/// the level has it.
fn edit(level: &Path, text: &str) -> Result<String, String> {
    let (line, name) = text.split_once('\n').unwrap_or(("1", ""));
    let file = files::of_source(level, name);
    let set = |name: &str| std::env::var(name).ok().filter(|v| !v.trim().is_empty());
    let editor = set("VISUAL").or_else(|| set("EDITOR")).unwrap_or_else(|| "vi".into());
    let mut words = editor.split_whitespace();
    let program = words.next().unwrap_or("vi");
    // `+LINE FILE` is understood by most editors of a terminal.
    let status = std::process::Command::new(program).args(words).arg(format!("+{line}")).arg(&file).status();
    match status {
        Ok(s) if s.success() => Ok(format!("back from {program}; what was saved is flown")),
        Ok(s) => Err(format!("{program} ended with {s}")),
        Err(e) => Err(format!("{program} could not be started: {e}; set EDITOR to yours")),
    }
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
