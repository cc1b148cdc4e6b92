//! `mayfly take FILE`: what another format holds, in our language: a machine from SCXML, a map from CSV.

use crate::files;
use anyhow::{Result, bail};
use clap::Args;
use mayfly_draw::{maps, scxml};
use mayfly_lang::diagnostic::safe;
use std::path::PathBuf;
use std::process::ExitCode;

#[derive(Args)]
pub struct Take {
    /// A file that ends in .scxml (a machine) or .csv (a map).
    file: PathBuf,
}

/// Prints the text; what could not be said goes to the error output, and makes the status 1.
///
/// # Errors
/// A file that cannot be read or understood.
pub fn run(t: &Take) -> Result<ExitCode> {
    let ending = t.file.extension().and_then(|e| e.to_str()).unwrap_or_default().to_lowercase();
    let read = || files::read(&t.file);
    let wrong = |e: &dyn std::fmt::Display| anyhow::anyhow!("{}: {}", files::shown(&t.file), safe(&e.to_string()));
    match ending.as_str() {
        "scxml" | "xml" => {
            let taken = scxml::read(&read()?).map_err(|e| wrong(&e))?;
            files::say(&safe(&taken.text))?;
            for l in &taken.left {
                files::say_error(&format!("not taken over: {}", safe(l)));
            }
            Ok(ExitCode::from(u8::from(!taken.left.is_empty())))
        }
        "csv" => {
            files::say(&safe(&maps::read(&read()?).map_err(|e| wrong(&e))?))?;
            Ok(ExitCode::SUCCESS)
        }
        _ => bail!("{}: a machine is taken from .scxml, a map from .csv", files::shown(&t.file)),
    }
}
