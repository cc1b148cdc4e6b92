//! A person's settings: `settings.toml` where the system keeps settings.
//!
//! ```toml
//! theme = "noon"        # dusk, noon, sixteen, none
//! ascii = false
//! speed = 2             # times the level's own; 0: as fast as it goes
//! [keys]
//! "step forward" = ["n", "F8"]
//! ```
//!
//! Invariant: a file that is wrong changes nothing and is told; it stops nobody from working.

use anyhow::{Result, anyhow, bail};
use mayfly_tui::app::SPEEDS;
use mayfly_tui::keys::Keys;
use mayfly_tui::theme::Palette;
use serde::Deserialize;
use std::collections::BTreeMap;
use std::path::PathBuf;

#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    theme: Option<String>,
    ascii: Option<bool>,
    speed: Option<f64>,
    #[serde(default)]
    keys: BTreeMap<String, Vec<String>>,
}

/// What is set.
#[derive(Default)]
pub struct Settings {
    pub palette: Option<Palette>,
    pub ascii: bool,
    /// A place in the table of speeds.
    pub speed: Option<usize>,
    pub keys: Keys,
}

/// Where the settings are.
pub fn path() -> Option<PathBuf> {
    directories::ProjectDirs::from("", "", "mayfly").map(|d| d.config_dir().join("settings.toml"))
}

/// Reads them; without a file nothing is set.
///
/// # Errors
/// What is wrong with the file.
pub fn read() -> Result<Settings> {
    let Some(path) = path() else { return Ok(Settings::default()) };
    let Some(text) = crate::files::read_beside(&path)? else { return Ok(Settings::default()) };
    parse(&text).map_err(|e| anyhow!("settings.toml: {e}"))
}

fn parse(text: &str) -> Result<Settings> {
    let file: File = toml::from_str(text).map_err(|e| {
        let line = e.span().map_or(0, |s| text[..s.start.min(text.len())].matches('\n').count() + 1);
        anyhow!("line {line}: {}", e.message())
    })?;
    let palette = match file.theme.as_deref() {
        None => None,
        Some("dusk") => Some(Palette::Dusk),
        Some("noon") => Some(Palette::Noon),
        Some("sixteen") => Some(Palette::Sixteen),
        Some("none") => Some(Palette::None),
        Some(t) => bail!("there is no theme `{t}`: dusk, noon, sixteen, none"),
    };
    let speed = match file.speed {
        None => None,
        Some(x) => Some(SPEEDS.iter().position(|(_, f)| *f == x).ok_or_else(|| {
            let all: Vec<String> = SPEEDS.iter().map(|(_, f)| f.to_string()).collect();
            anyhow!("there is no speed {x}: {}", all.join(", "))
        })?),
    };
    Ok(Settings { palette, ascii: file.ascii.unwrap_or(false), speed, keys: Keys::read(&file.keys)? })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn settings_are_read_or_refused_with_the_line() {
        let s = parse("theme = \"noon\"\nspeed = 0\n[keys]\nwhy = [\"F11\"]\n").unwrap_or_else(|e| panic!("{e}"));
        assert_eq!((s.palette, s.speed, s.ascii), (Some(Palette::Noon), Some(SPEEDS.len() - 1), false));
        for (text, why) in [
            ("theme = 3\n", "line 1"),
            ("\n\ncolour = \"red\"\n", "line 3: unknown field `colour`"),
            ("theme = \"night\"\n", "there is no theme `night`"),
            ("speed = 3\n", "there is no speed 3"),
            ("[keys]\nstepp = [\"x\"]\n", "there is no command `stepp`"),
        ] {
            let e = parse(text).err().map(|e| e.to_string()).unwrap_or_default();
            assert!(e.contains(why), "{text}: {e}");
        }
    }
}
