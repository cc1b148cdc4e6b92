//! `mayfly demo` and `mayfly open LEVEL`: the application.

use anyhow::Result;
use clap::Args;
use std::path::PathBuf;
use std::process::ExitCode;

#[derive(Args)]
pub struct Look {}

#[derive(Args)]
pub struct Open {
    /// The level's file.
    level: PathBuf,
    #[command(flatten)]
    look: Look,
}

pub fn demo(_: &Look) -> Result<ExitCode> { Ok(ExitCode::SUCCESS) }
pub fn open(o: &Open) -> Result<ExitCode> { let _ = (&o.level, &o.look); Ok(ExitCode::SUCCESS) }
