//! Reading levels from disk, and writing to the two standard streams.
//!
//! Invariant: a closed pipe ends the program quietly; nothing from a file reaches the terminal raw.

use anyhow::{Context, Result, anyhow, bail};
use mayfly_engine::renew::Kept;
use mayfly_lang::check::{self, Checked, LoadError};
use mayfly_lang::diagnostic::{Severity, safe};
use mayfly_lang::level::Level;
use std::io::{IsTerminal, Write};
use std::path::{Path, PathBuf};

/// Bytes that a level may have.
const MAX_BYTES: u64 = 64 << 20;

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
    if meta.len() > MAX_BYTES {
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

/// The file of a source by its name: names begin with the level's folder as it was given.
pub fn of_source(level: &Path, name: &str) -> PathBuf {
    let main = level.display().to_string();
    if name.is_empty() || name == main {
        return level.to_path_buf();
    }
    let base = main.rsplit_once('/').map_or(String::new(), |(folder, _)| format!("{folder}/"));
    level.parent().unwrap_or(Path::new("")).join(name.strip_prefix(&base).unwrap_or(name))
}

/// Checks a text that stands in a file; what it uses is read from its folder.
pub fn check_text(path: &Path, text: &str) -> Checked {
    check::check_with(&path.display().to_string(), text, &mut |used| load(path, used))
}

/// A file that a level uses, by its path inside the level's folder.
///
/// # Errors
/// A file that is missing, cannot be read or lies elsewhere.
pub fn load(level: &Path, used: &str) -> Result<String, LoadError> {
    let folder = level.parent().map(Path::to_path_buf).unwrap_or_default();
    let inside = folder.join(used);
    // A link must not lead out either.
    let real = |p: &Path| if p.as_os_str().is_empty() { Path::new(".").canonicalize() } else { p.canonicalize() };
    match (real(&folder), real(&inside)) {
        (Ok(folder), Ok(file)) if !file.starts_with(&folder) => Err(LoadError::Outside),
        (_, Err(_)) => Err(LoadError::Missing),
        _ => read(&inside).map_err(|e| LoadError::Unreadable(format!("{e:#}").into())),
    }
}

/// What is kept between runs; nothing yet where the file does not exist. What no longer fits is said.
///
/// # Errors
/// A file that cannot be read, or holds no kept values.
pub fn read_kept(level: &Level, path: &Path) -> Result<Kept> {
    if !path.exists() {
        return Ok(Kept::default());
    }
    if path.is_dir() {
        bail!("{}: this is a folder; name a file for what is kept", shown(path));
    }
    let program = mayfly_session::lower::lower(level);
    match mayfly_session::kept::from_text(level, &program, &read(path)?) {
        Ok((kept, left)) => {
            left.iter().for_each(|l| say_error(&format!("{}: {}", shown(path), safe(l))));
            Ok(kept)
        }
        Err(why) => bail!("{}: {}", shown(path), safe(&why.to_string())),
    }
}

/// Bytes that a file beside a level may have.
const MAX_BESIDE: u64 = 4 << 20;

/// A small file that the application itself keeps; none where it is not there.
///
/// # Errors
/// One that is no plain file, too large, or no text.
pub fn read_beside(path: &Path) -> Result<Option<String>> {
    let Ok(meta) = std::fs::metadata(path) else { return Ok(None) };
    if !meta.is_file() {
        bail!("{} is no plain file and was not read", shown(path));
    }
    if meta.len() > MAX_BESIDE {
        bail!("{} has more than 4 MiB and was not read", shown(path));
    }
    let text = std::fs::read_to_string(path);
    text.map(Some).map_err(|e| anyhow!("{} was not read: {}", shown(path), safe(&e.to_string())))
}

/// Puts a flight that was left aside, where it cannot be understood; gives what was done.
pub fn put_flight_aside(path: &Path, why: &str) -> String {
    let aside = path.with_extension("unsaved.aside");
    let name = aside.file_name().map_or(String::new(), |n| safe(&n.to_string_lossy()));
    match std::fs::rename(path, &aside) {
        Ok(()) => format!("the flight that was left cannot be read and was put aside as {name}: {}", safe(why)),
        Err(e) => format!("the flight that was left cannot be read, and could not be put aside: {e}"),
    }
}

/// Puts a file aside that cannot be understood, so that nothing is written over it; gives what was done.
pub fn put_aside(path: &Path, why: &anyhow::Error) -> String {
    let aside = path.with_extension("kept.aside");
    match std::fs::rename(path, &aside) {
        Ok(()) => {
            let name = aside.file_name().map_or(String::new(), |n| safe(&n.to_string_lossy()));
            format!("put aside as {name}, and nothing is kept yet: {why:#}")
        }
        Err(e) => format!("it could not be put aside: {e}; {why:#}"),
    }
}

/// Writes a whole file, or leaves the old one whole.
///
/// # Errors
/// A folder that cannot be written, a full disk.
pub fn save(path: &Path, text: &str) -> Result<()> {
    save_bytes(path, text.as_bytes())
}

/// As [`save`].
///
/// # Errors
/// As [`save`].
pub fn save_bytes(path: &Path, bytes: &[u8]) -> Result<()> {
    may_write(path)?;
    let target = path.canonicalize().unwrap_or_else(|_| path.to_path_buf());
    clear_strays(&target);
    let written = atomic_write_file::AtomicWriteFile::open(&target).and_then(|mut f| {
        f.write_all(bytes)?;
        f.commit()
    });
    written.with_context(|| format!("{} cannot be written; it is as it was", shown(path)))
}

/// Refuses what is there and no plain file: a device, a pipe, a folder.
///
/// # Errors
/// As said.
pub fn may_write(path: &Path) -> Result<()> {
    match std::fs::metadata(path) {
        Ok(meta) if meta.is_dir() => bail!("{}: this is a folder; name a file", shown(path)),
        Ok(meta) if !meta.is_file() => bail!("{}: this is no plain file, and is not written to", shown(path)),
        // It could be replaced all the same: whoever made it read-only did not want that.
        Ok(meta) if meta.permissions().readonly() => bail!("{}: this file is read-only", shown(path)),
        _ => Ok(()),
    }
}

/// Takes away what a save that was killed left beside the file.
fn clear_strays(target: &Path) {
    let (Some(folder), Some(name)) = (target.parent(), target.file_name().and_then(|n| n.to_str())) else { return };
    let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
    let prefix = format!(".{name}.");
    let Ok(entries) = std::fs::read_dir(folder) else { return };
    for entry in entries.flatten() {
        let file = entry.file_name();
        let Some(rest) = file.to_str().and_then(|f| f.strip_prefix(&prefix)) else { continue };
        // As the library that writes names them: six letters or digits.
        let is_stray = rest.len() == 6 && rest.chars().all(|c| c.is_ascii_alphanumeric());
        let is_old = || {
            let age = entry.metadata().and_then(|m| m.modified()).ok().and_then(|t| t.elapsed().ok());
            age.is_some_and(|a| a.as_secs() > 60)
        };
        if is_stray && is_old() {
            let _ = std::fs::remove_file(entry.path());
        }
    }
}

/// A path as it is shown.
pub fn shown(path: &Path) -> String {
    safe(&path.display().to_string())
}

/// Writes to standard output; a closed pipe is no error.
///
/// # Errors
/// A full disk, or another place that takes nothing.
pub fn say(text: &str) -> Result<()> {
    let mut out = std::io::stdout().lock();
    match out.write_all(text.as_bytes()).and_then(|()| out.flush()) {
        Err(e) if e.kind() == std::io::ErrorKind::BrokenPipe => Ok(()),
        written => written.context("standard output cannot be written"),
    }
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_source_is_found_by_its_name_wherever_the_level_lies() {
        let cases = [
            ("room.may", "room.may", "room.may"),
            ("room.may", "parts/bedroom.may", "parts/bedroom.may"),
            ("levels/room.may", "levels/room.may", "levels/room.may"),
            ("levels/room.may", "levels/parts/bedroom.may", "levels/parts/bedroom.may"),
            ("/tmp/levels/room.may", "/tmp/levels/bedroom.may", "/tmp/levels/bedroom.may"),
            ("/room.may", "/bedroom.may", "/bedroom.may"),
            ("levels/room.may", "", "levels/room.may"),
        ];
        for (level, name, file) in cases {
            assert_eq!(of_source(Path::new(level), name), Path::new(file), "{level} {name}");
        }
        // The names are those that checking gives.
        let dir = tempfile::tempdir().expect("a folder");
        std::fs::create_dir(dir.path().join("parts")).expect("a folder");
        std::fs::write(dir.path().join("parts/bedroom.may"), "var b = 0\n").expect("written");
        let level = dir.path().join("room.may");
        std::fs::write(&level, "use \"parts/bedroom.may\"\nvar a = 0\n").expect("written");
        let sources = check(&level).expect("read").sources;
        let all: Vec<PathBuf> = sources.iter().map(|s| of_source(&level, &s.name)).collect();
        assert_eq!(all, [level, dir.path().join("parts/bedroom.may")]);
    }
}
