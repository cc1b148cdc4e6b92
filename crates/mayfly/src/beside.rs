//! What the application writes beside a level, and finds there at its start: stops, watches, flights, exports, the level's own
//! texts, and what is to be found again after a crash.
//!
//! Invariant: a file is written whole or left as it was; the journal of unsaved edits only grows until all is saved or the
//! person gives the edits up.

use crate::files;
use anyhow::{Result, anyhow, bail};
use mayfly_draw::pdf;
use mayfly_session::journal;
use mayfly_tui::app::Form;
use mayfly_tui::app::Writing;
use std::io::Write;
use std::path::{Path, PathBuf};

/// Writes what belongs beside the level. The demo is no file: only its flight is worth a word.
pub fn write(path: Option<&Path>, what: Writing, text: &str) -> Result<String> {
    let Some(path) = path else {
        return match what {
            Writing::Export(_) | Writing::Drawing(_) => {
                Err(anyhow!("the demo is no file of yours: save its text first, and export beside it"))
            }
            Writing::Flight => Err(anyhow!("the demo is no file of yours: save its text first, then its flights")),
            Writing::Text => Err(anyhow!("the demo is no file of yours: save its text under a name of your own")),
            Writing::Editor => Err(anyhow!("the demo is no file of yours: there is nothing to open in an editor")),
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
        Writing::Text => {
            let (name, text) = text.split_once('\n').unwrap_or(("", text));
            let file = files::of_source(path, name);
            files::save(&file, text).map_err(|e| anyhow!("{e:#}; your edits are kept here"))?;
            return Ok(format!("saved {}", files::shown(&file)));
        }
        Writing::NewText | Writing::NewLevel => return Ok(String::new()),
        Writing::Journal => return journal(path, text),
        Writing::JournalAside => {
            let left = path.with_extension(LEFT);
            return match std::fs::rename(path.with_extension(JOURNAL), &left) {
                Err(e) if e.kind() != std::io::ErrorKind::NotFound => {
                    Err(anyhow!("the edits that were left could not be put to {}: {e}", files::shown(&left)))
                }
                _ => Ok("the edits that were left are offered again at the next start".into()),
            };
        }
    });
    if what == Writing::Recovery && text.is_empty() {
        return match std::fs::remove_file(&target) {
            Err(e) if e.kind() != std::io::ErrorKind::NotFound => {
                Err(anyhow!("{} could not be taken away: {e}", files::shown(&target)))
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
    saved?;
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
pub const RECOVERY: &str = "flight.unsaved";

/// The ending of the journal of unsaved edits, and of one that waits for the next start.
const JOURNAL: &str = "edits.unsaved";
const LEFT: &str = "edits.left";
/// Bytes of a journal that are read.
const MAX_JOURNAL: u64 = 256 << 20;

/// Puts lines behind the journal of unsaved edits; nothing takes it away. It is not synced: a killed process loses nothing
/// of it.
fn journal(path: &Path, lines: &str) -> Result<String> {
    let target = path.with_extension(JOURNAL);
    if lines.is_empty() {
        for file in [target, path.with_extension(LEFT)] {
            match std::fs::remove_file(&file) {
                Err(e) if e.kind() != std::io::ErrorKind::NotFound => {
                    bail!("{} could not be taken away: {e}", files::shown(&file));
                }
                _ => {}
            }
        }
        return Ok(String::new());
    }
    files::may_write(&target)?;
    let file = std::fs::OpenOptions::new().create(true).append(true).open(&target);
    let written = file.and_then(|mut f| f.write_all(lines.as_bytes()));
    let why = |e: std::io::Error| {
        anyhow!("unsaved edits are not kept for a crash: {} cannot be written: {e}", files::shown(&target))
    };
    written.map(|()| String::new()).map_err(why)
}

/// The texts that edits led to which were left unsaved.
///
/// # Errors
/// A journal that cannot be read.
pub fn left_edits(path: &Path) -> Result<Vec<(String, String)>> {
    for ending in [JOURNAL, LEFT] {
        let file = path.with_extension(ending);
        let Ok(meta) = std::fs::metadata(&file) else { continue };
        if !meta.is_file() || meta.len() > MAX_JOURNAL {
            bail!("{} is no journal of edits and was not read", files::shown(&file));
        }
        let bytes = std::fs::read(&file).map_err(|e| anyhow!("{} was not read: {e}", files::shown(&file)))?;
        return Ok(journal::read(&String::from_utf8_lossy(&bytes)));
    }
    Ok(vec![])
}

/// Writes a text to a file that is not there yet; `text`: its name, a line's end, the text. Gives the file.
///
/// # Errors
/// A file that is there, or cannot be written.
pub fn new_text(text: &str) -> Result<(PathBuf, String)> {
    let (name, text) = text.split_once('\n').unwrap_or(("", text));
    let path = PathBuf::from(name);
    if path.exists() {
        bail!("{} is there already and is not written over: take another name", files::shown(&path));
    }
    files::save(&path, text)?;
    let said = format!("saved as {}; from now on it is your level", files::shown(&path));
    Ok((path, said))
}

/// Opens a person's editor on a file of the level, at a line, and waits for its end. `text`: the line, then the file's name as
/// the level has it.
fn edit(level: &Path, text: &str) -> Result<String> {
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
        Ok(s) => Err(anyhow!("{program} ended with {s}")),
        Err(e) => Err(anyhow!("{program} could not be started: {e}; set EDITOR to yours")),
    }
}
