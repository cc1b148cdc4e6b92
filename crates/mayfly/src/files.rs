//! Reading levels from disk, and writing to the two standard streams.
//!
//! Invariant: a closed pipe ends the program quietly; nothing from a file reaches the terminal raw.

use anyhow::{Context, Result, bail};
use mayfly_lang::check::{self, Checked};
use mayfly_lang::diagnostic::safe;
use std::io::{IsTerminal, Write};
use std::path::Path;

/// Bytes that a level may have.
const MOST_BYTES: u64 = 64 << 20;

/// A level's text.
///
/// # Errors
/// A file that is missing, too large, no file, or no UTF-8.
pub fn read(path: &Path) -> Result<String> {
    let shown = safe(&path.display().to_string());
    let meta = std::fs::metadata(path).with_context(|| format!("{shown} cannot be read"))?;
    if !meta.is_file() {
        bail!("{shown} is no file: name a level, such as weir-house.may");
    }
    if meta.len() > MOST_BYTES {
        bail!("{shown} has more than 64 MiB: it is no level");
    }
    let bytes = std::fs::read(path).with_context(|| format!("{shown} cannot be read"))?;
    match String::from_utf8(bytes) {
        Ok(text) => Ok(text),
        Err(e) => {
            let at = e.utf8_error().valid_up_to();
            let line = e.as_bytes()[..at].iter().filter(|b| **b == b'\n').count() + 1;
            bail!("{shown}, line {line}: this is no UTF-8 text; save it as UTF-8")
        }
    }
}

/// A checked level.
///
/// # Errors
/// As [`read`].
pub fn check(path: &Path) -> Result<Checked> {
    let text = read(path)?;
    Ok(check::check(&path.display().to_string(), &text))
}

/// Writes to standard output; a closed pipe is no error.
pub fn say(text: &str) {
    let mut out = std::io::stdout().lock();
    let _ = out.write_all(text.as_bytes()).and_then(|()| out.flush());
}

/// Writes a line to standard error.
pub fn say_error(text: &str) {
    let mut out = std::io::stderr().lock();
    let _ = writeln!(out, "{text}");
}

/// True where diagnostics may have colours on standard error.
pub fn colour() -> bool {
    std::io::stderr().is_terminal() && std::env::var_os("NO_COLOR").is_none_or(|v| v.is_empty())
}

/// Prints every diagnostic to standard error.
pub fn say_diagnostics(c: &Checked) {
    for d in &c.diagnostics {
        say_error(&format!("{}\n", d.print(&c.sources, colour())));
    }
}
