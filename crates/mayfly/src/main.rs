//! The binary: arguments, files, the terminal, exit codes.
//!
//! Each command has a file of its own in `commands`. Errors become words and exit codes here and
//! nowhere below.

mod beside;
mod commands;
mod files;
mod settings;
mod watcher;

use clap::{Parser, Subcommand};
use std::process::ExitCode;

/// Script the events of a level, run it, and step through what fires and why.
#[derive(Parser)]
#[command(
    name = "mayfly",
    version,
    about,
    after_help = "Try `mayfly demo` first: it opens the level that comes with it."
)]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Open the demo, the weir house, in the application.
    Demo(commands::open::Look),
    /// Open a level in the application.
    Open(commands::open::Open),
    /// Write a new level and open it on the map.
    New(commands::new::New),
    /// Run a level without a screen and print what came of it.
    Fly(commands::fly::Fly),
    /// Draw a level or its flight: a plan, a machine, a firing order, links, lanes, a chart (SVG, PDF), or dump it (VCD).
    Draw(commands::draw::Draw),
    /// Print a machine from SCXML, or a map from CSV, in the language of levels.
    Take(commands::take::Take),
    /// Say everything that is wrong with a level.
    Vet(commands::vet::Vet),
    /// Lay out the text of levels: spaces and indentation; nothing else changes.
    Format(commands::format::Format),
}

fn main() -> ExitCode {
    // A person who types a wrong flag gets status 2, as for a level that does not load.
    let cli = Cli::parse();
    let done = match cli.command {
        Command::Demo(look) => commands::open::demo(&look),
        Command::Open(open) => commands::open::open(&open),
        Command::New(new) => commands::new::run(&new),
        Command::Fly(fly) => commands::fly::run(&fly),
        Command::Draw(draw) => commands::draw::run(&draw),
        Command::Take(take) => commands::take::run(&take),
        Command::Vet(vet) => commands::vet::run(&vet),
        Command::Format(format) => commands::format::run(&format),
    };
    match done {
        Ok(code) => code,
        Err(e) => {
            files::say_error(&format!("mayfly: {e:#}"));
            ExitCode::from(2)
        }
    }
}
