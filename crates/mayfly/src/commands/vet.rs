//! `mayfly vet LEVEL`: everything that is wrong with a level, at once.

use crate::files;
use anyhow::Result;
use clap::{Args, ValueEnum};
use mayfly_lang::diagnostic::safe_json;
use std::path::PathBuf;
use std::process::ExitCode;

#[derive(Args)]
pub struct Vet {
    /// The level's file.
    level: PathBuf,
    /// How to print.
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

#[derive(Clone, Copy, ValueEnum)]
enum Format {
    /// For people.
    Text,
    /// One JSON array, for programs.
    Json,
    /// SARIF 2.1.0, for programs that show what tools found.
    Sarif,
}

/// Exit status 0 without errors (findings are no errors), 2 with them.
///
/// # Errors
/// A file that cannot be read.
pub fn run(v: &Vet) -> Result<ExitCode> {
    let c = files::check(&v.level)?;
    match v.format {
        Format::Json => {
            let rows: Vec<_> = c.diagnostics.iter().map(|d| d.json(&c.sources)).collect();
            files::say(&format!("{}\n", safe_json(&serde_json::to_string_pretty(&rows)?)))?;
        }
        Format::Sarif => {
            files::say(&safe_json(&mayfly_draw::sarif::write(&c.diagnostics, &c.sources, uri)))?;
        }
        Format::Text => {
            for d in &c.diagnostics {
                files::say(&format!("{}\n\n", d.print(&c.sources, false)))?;
            }
            let (e, all) = (c.errors(), c.diagnostics.len());
            let s = |n: usize| if n == 1 { "" } else { "s" };
            let findings = all - e;
            files::say(&format!("{e} error{}, {findings} finding{}\n", s(e), s(findings)))?;
        }
    }
    Ok(ExitCode::from(if c.errors() > 0 { 2 } else { 0 }))
}

/// A path as a relative reference of RFC 3986: as it was named on the command line.
fn uri(path: &str) -> String {
    let mut out = String::new();
    for b in path.replace('\\', "/").bytes() {
        match b {
            b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'/' | b'-' | b'.' | b'_' | b'~' => out.push(char::from(b)),
            _ => out.push_str(&format!("%{b:02X}")),
        }
    }
    out
}
