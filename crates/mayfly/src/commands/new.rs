//! `mayfly new NAME`: a level to begin with, opened on the map.
//!
//! Invariant: nothing that is there is written over.

use super::open::{self, Look};
use crate::{beside, files};
use anyhow::{Result, bail};
use clap::Args;
use std::io::IsTerminal;
use std::path::Path;
use std::process::ExitCode;

#[derive(Args)]
pub struct New {
    /// The level's name; its file is NAME.may in this folder.
    name: String,
    /// Nothing but the level's name and its rate.
    #[arg(long)]
    empty: bool,
    #[command(flatten)]
    look: Look,
}

/// # Errors
/// A name that is taken or cannot be one, a folder that cannot be written.
pub fn run(n: &New) -> Result<ExitCode> {
    let name = n.name.strip_suffix(".may").unwrap_or(&n.name);
    let stem = Path::new(name).file_name().map_or(String::new(), |s| s.to_string_lossy().into_owned());
    if stem.is_empty() || stem.starts_with('.') {
        bail!("`{}` is no name for a level: write a word, such as `pond`", files::shown(Path::new(&n.name)));
    }
    let text = mayfly_session::template::level(&stem, n.empty);
    let file = format!("{name}.may");
    let (path, _) = beside::new_text(&format!("{file}\n{text}"))?;
    if !std::io::stdout().is_terminal() || !std::io::stdin().is_terminal() {
        files::say(&format!("{file} is written: `mayfly open {file}` opens it\n"))?;
        return Ok(ExitCode::SUCCESS);
    }
    open::open_new(&path, &n.look)
}
