//! `mayfly format LEVEL…`: one layout for the text of levels.
//!
//! Invariant: a file that does not parse, or is formatted already, is not written.

use crate::files;
use anyhow::{Result, anyhow};
use clap::Args;
use mayfly_lang::diagnostic::Source;
use mayfly_lang::format;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

#[derive(Args)]
pub struct Format {
    /// The files.
    #[arg(required = true)]
    levels: Vec<PathBuf>,
    /// Write nothing: name what would change, and end with status 1 where anything would.
    #[arg(long)]
    check: bool,
}

/// What became of one file.
enum Done {
    Unchanged,
    /// The number of the first line that changed, and how many did.
    Changed(usize, usize),
    Broken,
}

/// Exit status 0; with `--check` 1 where a file is not formatted; 2 where one cannot be read or does not parse. The other
/// files are formatted all the same.
///
/// # Errors
/// Standard output that takes nothing.
pub fn run(f: &Format) -> Result<ExitCode> {
    let (mut changed, mut broken) = (false, false);
    for path in &f.levels {
        match one(path, f.check) {
            Ok(Done::Unchanged) => {}
            Ok(Done::Changed(line, lines)) => {
                changed = true;
                let s = if lines == 1 { "" } else { "s" };
                let done = if f.check { "is not formatted" } else { "formatted" };
                files::say(&format!("{}: {done}, {lines} line{s} from line {line} on\n", files::shown(path)))?;
            }
            Ok(Done::Broken) => broken = true,
            Err(e) => {
                files::say_error(&format!("mayfly: {e:#}"));
                broken = true;
            }
        }
    }
    Ok(ExitCode::from(if broken { 2 } else { u8::from(changed && f.check) }))
}

fn one(path: &Path, check: bool) -> Result<Done> {
    let text = files::read(path)?;
    let change = match format::format(&text) {
        Ok(change) => change,
        Err(wrong) => {
            let sources = [Source::new(path.display().to_string(), &text)];
            for e in &wrong.0 {
                files::say_error(&format!("{}\n", e.diagnostic(0).print(&sources, files::colour())));
            }
            return Ok(Done::Broken);
        }
    };
    let Some(first) = change.edits().first() else { return Ok(Done::Unchanged) };
    let source = Source::new("", &text);
    let mut lines: Vec<usize> = change.edits().iter().map(|e| source.line_of(e.range.end).0).collect();
    lines.dedup();
    let line = source.line_of(first.range.end).0 + 1;
    if !check {
        let (formatted, _) = change.apply(&text).map_err(|e| anyhow!("{}: {e}", files::shown(path)))?;
        files::save(path, &formatted)?;
    }
    Ok(Done::Changed(line, lines.len()))
}
