//! `mayfly fly LEVEL`: a run without a screen.

use crate::files;
use anyhow::{Result, bail};
use clap::{Args, ValueEnum};
use mayfly_lab::cascade;
use mayfly_lab::explain::ExplainTape;
use mayfly_lab::headless::{self, Flown};
use mayfly_lab::report;
use mayfly_lab::script::Script;
use std::path::PathBuf;
use std::process::ExitCode;

#[derive(Args)]
pub struct Fly {
    /// The level's file.
    level: PathBuf,
    /// How long to fly, such as 10s, 2m, 250ms; until it ends, at most 60s, if left out.
    #[arg(long = "for", value_name = "DURATION", conflicts_with = "ticks")]
    duration: Option<String>,
    /// How many ticks to fly.
    #[arg(long, value_name = "N")]
    ticks: Option<u64>,
    /// The seed, instead of the level's.
    #[arg(long, value_name = "N")]
    seed: Option<u64>,
    /// An input: "40: keeper wind" presses at tick 40, "10: keeper east" is an arrow, "5: poke keeper.oil = 9" does one action. Can be given again.
    #[arg(long, value_name = "TICK: ACTOR INPUT")]
    input: Vec<String>,
    /// What to print.
    #[arg(long, value_enum, default_value = "json")]
    print: Print,
}

#[derive(Clone, Copy, PartialEq, ValueEnum)]
enum Print {
    /// One JSON object with everything that came of it.
    Json,
    /// What was judged in every tick, in order, to be read.
    Cascade,
    /// The hash of the whole last state.
    Hash,
}

/// Exit status 0; 1 where the run had faults; 2 where nothing could be run.
///
/// # Errors
/// A file that cannot be read, an input that is not understood.
pub fn run(f: &Fly) -> Result<ExitCode> {
    let c = files::check(&f.level)?;
    let Some(level) = &c.level else {
        files::say_diagnostics(&c);
        return Ok(ExitCode::from(2));
    };
    let mut script = Script::default();
    for line in &f.input {
        if let Err(e) = script.add(line) {
            bail!("--input {e}");
        }
    }
    let ticks = match (&f.duration, f.ticks) {
        (Some(d), _) => match mayfly_lang::check::duration(d, level.rate) {
            Some(us) if us >= 0 => level.rate.ticks_from_zero(us),
            _ => bail!("--for {d}: write a duration, such as 10s, 2m or 250ms"),
        },
        (None, Some(n)) => n,
        (None, None) => u64::from(level.rate.0) * 60,
    };
    let mut flown = match headless::fly(level, f.seed, &script, ticks) {
        Ok(flown) => flown,
        Err(e) => bail!("--input {e}"),
    };
    match f.print {
        Print::Json => files::say(&format!("{}\n", report::report(level, &flown))),
        Print::Hash => files::say(&format!("{:016x}\n", mayfly_engine::hash::state_hash(flown.history.live()))),
        Print::Cascade => print_cascade(&mut flown, &c.sources[0].text),
    }
    Ok(ExitCode::from(u8::from(!flown.faults.is_empty())))
}

/// Every tick in which anything was judged.
fn print_cascade(flown: &mut Flown, text: &str) {
    let ticks = flown.history.live_tick();
    for tick in 0..ticks {
        let mut explained = ExplainTape::new(&flown.engine, text);
        let world = flown.history.again(&flown.engine, tick, &mut explained);
        let c = cascade::read(&flown.engine.program, &world, tick, &explained);
        if !c.groups.is_empty() {
            files::say(&mayfly_lang::diagnostic::safe(&c.text(false)));
        }
    }
    if let Some(e) = &flown.history.live().ended {
        files::say(&format!(
            "ended at tick {}: {} {}\n",
            e.tick,
            if e.win { "won" } else { "lost" },
            mayfly_lang::diagnostic::safe(&e.text)
        ));
    }
}
