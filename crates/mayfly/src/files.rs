//! Reading levels from disk, and writing to the two standard streams.
//!
//! Invariant: a closed pipe ends the program quietly; nothing from a file reaches the terminal raw.

use anyhow::{Context, Result, bail};
use mayfly_engine::renew::Kept;
use mayfly_lang::check::{self, Checked};
use mayfly_lang::diagnostic::{Severity, safe};
use mayfly_lang::level::Level;
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
    Ok(check_text(path, &text))
}

/// Checks a text that stands in a file; what it uses is read from its folder.
pub fn check_text(path: &Path, text: &str) -> Checked {
    let folder = path.parent().map(Path::to_path_buf).unwrap_or_default();
    check::check_with(&path.display().to_string(), text, &mut |used| {
        let inside = folder.join(used);
        // A link must not lead out either.
        let real = |p: &Path| if p.as_os_str().is_empty() { Path::new(".").canonicalize() } else { p.canonicalize() };
        match (real(&folder), real(&inside)) {
            (Ok(folder), Ok(file)) if !file.starts_with(&folder) => Err("it leads out of this level's folder".into()),
            (_, Err(_)) => Err("there is no such file".into()),
            _ => read(&inside).map_err(|e| format!("{e:#}")),
        }
    })
}

/// What is kept between runs; nothing yet where the file does not exist. What no longer fits is said.
///
/// # Errors
/// A file that cannot be read, or holds no kept values.
pub fn read_kept(level: &Level, path: &Path) -> Result<Kept> {
    if !path.exists() {
        return Ok(Kept::default());
    }
    let program = mayfly_lab::lower::lower(level);
    match mayfly_lab::kept::from_text(level, &program, &read(path)?) {
        Ok((kept, left)) => {
            left.iter().for_each(|l| say_error(&format!("{}: {}", shown(path), safe(l))));
            Ok(kept)
        }
        Err(why) => bail!("{}: {}", shown(path), safe(&why)),
    }
}

/// Writes a whole file, or leaves the old one whole.
///
/// # Errors
/// A folder that cannot be written, a full disk.
pub fn save(path: &Path, text: &str) -> Result<()> {
    let target = path.canonicalize().unwrap_or_else(|_| path.to_path_buf());
    let written = atomic_write_file::AtomicWriteFile::open(&target).and_then(|mut f| {
        f.write_all(text.as_bytes())?;
        f.commit()
    });
    written.with_context(|| format!("{} cannot be written; it is as it was", shown(path)))
}

/// A path as it is shown.
pub fn shown(path: &Path) -> String {
    safe(&path.display().to_string())
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

/// Prints every error to standard error; findings are `vet`'s.
pub fn say_diagnostics(c: &Checked) {
    for d in c.diagnostics.iter().filter(|d| d.severity == Severity::Error) {
        say_error(&format!("{}\n", d.print(&c.sources, colour())));
    }
}
