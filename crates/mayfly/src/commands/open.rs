//! `mayfly demo` and `mayfly open LEVEL`: the application.

use crate::{files, watcher};
use anyhow::{Context, Result, bail};
use clap::{Args, ValueEnum};
use mayfly_lab::session::Session;
use mayfly_lang::check::{self, Checked};
use mayfly_tui::app::App;
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
    #[command(flatten)]
    look: Look,
}

impl Look {
    fn theme(&self) -> Theme {
        let set = |name: &str| std::env::var_os(name).is_some_and(|v| !v.is_empty());
        let true_colour = std::env::var("COLORTERM").is_ok_and(|v| v.contains("truecolor") || v.contains("24bit"));
        let found = Theme::for_terminal(set("NO_COLOR"), true_colour, self.ascii);
        let palette = match self.theme {
            Some(ThemeName::Dusk) => Palette::Dusk,
            Some(ThemeName::Noon) => Palette::Noon,
            Some(ThemeName::Sixteen) => Palette::Sixteen,
            Some(ThemeName::None) => Palette::None,
            None => found.palette,
        };
        Theme { palette, ..found }
    }
}

/// # Errors
/// No terminal, or one that is lost.
pub fn demo(look: &Look) -> Result<ExitCode> {
    show(check::check("weir-house.may", DEMO), "the demo", None, look)
}

/// # Errors
/// A file that cannot be read, no terminal.
pub fn open(o: &Open) -> Result<ExitCode> {
    let name = o.level.file_name().map_or_else(|| o.level.display().to_string(), |n| n.to_string_lossy().to_string());
    show(files::check(&o.level)?, &name, Some(&o.level), &o.look)
}

fn show(checked: Checked, name: &str, path: Option<&Path>, look: &Look) -> Result<ExitCode> {
    let Some(level) = checked.level.clone() else {
        files::say_diagnostics(&checked);
        return Ok(ExitCode::from(2));
    };
    if !std::io::stdout().is_terminal() || !std::io::stdin().is_terminal() {
        bail!("the application needs a terminal; `mayfly fly LEVEL` runs a level without one");
    }
    let session = Session::new(checked.sources, level);
    let app = App::new(session, look.theme(), mayfly_lang::diagnostic::safe(name));
    let (send, news) = mpsc::channel();
    watcher::signals(send.clone())?;
    // The watcher lives as long as the application.
    let _watcher = path.map(|p| watcher::file(p, send.clone()));
    let done = run::run(app, &news);
    drop::<mpsc::Sender<News>>(send);
    done.context("the terminal was lost")?;
    Ok(ExitCode::SUCCESS)
}
