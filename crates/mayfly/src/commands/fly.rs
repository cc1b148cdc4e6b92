//! `mayfly fly LEVEL`: a run without a screen.

use crate::files;
use anyhow::{Result, bail};
use clap::{Args, ValueEnum};
use mayfly_engine::World;
use mayfly_engine::renew::Kept;
use mayfly_lang::diagnostic::{Source, safe, safe_json};
use mayfly_session::cascade::{self, Cascade};
use mayfly_session::explain::ExplainedTrace;
use mayfly_session::flight::{self, Flight};
use mayfly_session::headless::{self, Facts, Flown, Order, Ran};
use mayfly_session::script::Script;
use mayfly_session::words::Words;
use mayfly_session::{kept, report, trace};
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
    /// Replay this recorded flight, with its seed and kept values, to its end.
    #[arg(long, value_name = "FILE")]
    flight: Option<PathBuf>,
    /// Write this run as a flight to that file.
    #[arg(long, value_name = "FILE")]
    record: Option<PathBuf>,
    /// Read what is kept between runs there, and write it there.
    #[arg(long, value_name = "FILE")]
    kept: Option<PathBuf>,
    /// What to print.
    #[arg(long, value_enum, default_value = "json")]
    print: Print,
    /// With --print cascade or trace: the first tick that is printed.
    #[arg(long, value_name = "TICK")]
    from: Option<u64>,
    /// With --print cascade or trace: the last tick that is printed.
    #[arg(long, value_name = "TICK")]
    to: Option<u64>,
}

#[derive(Clone, Copy, PartialEq, ValueEnum)]
enum Print {
    /// One JSON object with everything that came of it.
    Json,
    /// What was evaluated in every tick, in order, to be read.
    Cascade,
    /// The same for programs: one JSON object a line for every tick in which anything was evaluated.
    Trace,
    /// The hash of the whole last state.
    Hash,
}

/// Exit status 0; 1 where the run had faults; 2 where nothing could be run.
///
/// # Errors
/// A file that cannot be read, an input that is not understood.
pub fn run(f: &Fly) -> Result<ExitCode> {
    let by_tick = matches!(f.print, Print::Cascade | Print::Trace);
    if !by_tick && (f.from.is_some() || f.to.is_some()) {
        bail!("--from and --to say which ticks are printed: they go with --print cascade or --print trace");
    }
    if let (Some(from), Some(to)) = (f.from, f.to)
        && from > to
    {
        bail!("--from {from} --to {to}: the span is empty");
    }
    let c = files::check(&f.level)?;
    let Some(level) = &c.level else {
        files::say_diagnostics(&c);
        return Ok(ExitCode::from(2));
    };
    let mut script = Script::default();
    for line in &f.input {
        if let Err(e) = script.add(line) {
            bail!("--input {}", safe(&e.to_string()));
        }
    }
    let flight = match &f.flight {
        Some(path) => match flight::read(&files::read(path)?) {
            Ok(flight) => Some(flight),
            Err(why) => bail!("{}: {}", files::shown(path), safe(&why.to_string())),
        },
        None => None,
    };
    let ticks = match (&f.duration, f.ticks, &flight) {
        (Some(d), _, _) => match mayfly_lang::check::duration(d, level.rate) {
            Some(us) if us >= 0 => level.rate.ticks_from_zero(us),
            _ => bail!("--for {}: write a duration, such as 10s, 2m or 250ms", safe(d)),
        },
        (None, Some(n), _) => n,
        (None, None, Some(flight)) => flight.ticks(),
        (None, None, None) => u64::from(level.rate.0) * 60,
    };
    if ticks > flight::MAX_TICKS {
        bail!("{ticks} ticks are too many: a run has {} at most", flight::MAX_TICKS);
    }
    if let Some(path) = &f.record {
        files::may_write(path)?;
    }
    let kept = match &f.kept {
        Some(path) => files::read_kept(level, path)?,
        None => Kept::default(),
    };
    let late: Vec<(u64, String)> = script.lines.iter().map(|(tick, _, line)| (*tick, line.clone())).collect();
    let order = Order { seed: f.seed, script, flight: flight.clone(), kept, ticks };
    // Only who looks back needs a flight that can be gone back in.
    let flown = match f.print {
        Print::Cascade | Print::Trace => headless::fly(level, &order).map(|f| Done::Flown(Box::new(f))),
        Print::Json | Print::Hash => headless::run(level, &order).map(|r| Done::Ran(Box::new(r))),
    };
    let mut flown = match flown {
        Ok(flown) => flown,
        Err(e) => bail!("--input {}", safe(&e.to_string())),
    };
    for l in flown.lost() {
        files::say_error(&format!("lost: {}", mayfly_lang::diagnostic::safe(l)));
    }
    let end = flown.facts().world.next;
    for (tick, line) in late.into_iter().filter(|(tick, _)| *tick >= end) {
        let line = mayfly_lang::diagnostic::safe(&line);
        files::say_error(&format!(
            "--input {line}: tick {tick} is not reached, the run ends after {}",
            mayfly_session::words::ticks(end)
        ));
    }
    let proved = flight.is_none_or(|flight| proves(&flight, &c.sources, flown.facts().world, f));
    if let Some(path) = &f.record {
        files::save(path, &flight::write(level, &c.sources, flown.facts().engine, &flown.run()))?;
    }
    if let Some(path) = &f.kept {
        let facts = flown.facts();
        files::save(path, &format!("{}\n", kept::to_json(&facts.engine.program, facts.world)))?;
    }
    let faulty = !flown.facts().faults.is_empty();
    match (f.print, &mut flown) {
        (Print::Cascade, Done::Flown(flown)) => print_cascade(flown, &c.sources, f)?,
        (Print::Trace, Done::Flown(flown)) => print_trace(flown, &c.sources, f)?,
        (Print::Hash, done) => {
            files::say(&format!("{:016x}\n", mayfly_engine::hash::state_hash(done.facts().world)))?;
        }
        (_, done) => files::say(&format!("{}\n", safe_json(&report::report(level, &done.facts()).to_string())))?,
    }
    Ok(ExitCode::from(u8::from(faulty || !proved)))
}

/// A run that can be gone back in, or one that cannot.
enum Done {
    Flown(Box<Flown>),
    Ran(Box<Ran>),
}

impl Done {
    fn facts(&self) -> Facts<'_> {
        match self {
            Self::Flown(f) => f.facts(),
            Self::Ran(r) => r.facts(),
        }
    }

    fn lost(&self) -> &[String] {
        match self {
            Self::Flown(f) => &f.lost,
            Self::Ran(r) => &r.lost,
        }
    }

    fn run(&self) -> flight::Run<'_> {
        match self {
            Self::Flown(f) => (&f.history).into(),
            Self::Ran(r) => flight::Run { seed: r.seed, kept: &r.kept, inputs: &r.inputs, end: &r.world },
        }
    }
}

/// True where a replay came to the end that its flight tells; what differs is said. An older text, another
/// seed or another end is not compared.
fn proves(flight: &Flight, sources: &[Source], live: &World, f: &Fly) -> bool {
    let comparable = f.seed.is_none() && f.input.is_empty() && flight.text == flight::text_hash(sources);
    match &flight.end {
        Some((end, state)) if comparable && *end == live.next => {
            let now = format!("{:016x}", mayfly_engine::hash::state_hash(live));
            if now != *state {
                files::say_error(&format!(
                    "the replay ends otherwise: its state is {now}, that of the flight {}",
                    safe(state)
                ));
            }
            now == *state
        }
        Some((end, _)) if comparable && f.ticks.is_none() && f.duration.is_none() => {
            files::say_error(&format!("the replay ends at tick {}, the flight at {end}", live.next));
            false
        }
        _ => true,
    }
}

/// What of each tick of the span in which anything was evaluated, as `show` says it.
fn each_tick(
    flown: &mut Flown,
    sources: &[Source],
    f: &Fly,
    show: impl Fn(&Cascade, &Flown, &World) -> String,
) -> Result<()> {
    let end = flown.history.live_tick();
    if let Some(from) = f.from.filter(|from| *from >= end) {
        files::say_error(&format!("--from {from}: the run ends after {}", mayfly_session::words::ticks(end)));
    }
    for tick in f.from.unwrap_or(0)..f.to.map_or(end, |to| end.min(to.saturating_add(1))) {
        let mut explained = ExplainedTrace::new(&flown.engine, sources);
        let world = flown.history.again(&flown.engine, tick, &mut explained);
        let c = cascade::read(&flown.engine.program, &world, tick, &explained);
        if !c.groups.is_empty() {
            files::say(&show(&c, flown, &world))?;
        }
    }
    Ok(())
}

fn print_cascade(flown: &mut Flown, sources: &[Source], f: &Fly) -> Result<()> {
    each_tick(flown, sources, f, |c, _, _| safe(&c.text(false)))?;
    if let Some(e) = &flown.history.live().ended
        && f.to.is_none_or(|to| e.tick <= to)
    {
        files::say(&format!("ended at tick {}: {} {}\n", e.tick, if e.win { "won" } else { "lost" }, safe(&e.text)))?;
    }
    Ok(())
}

fn print_trace(flown: &mut Flown, sources: &[Source], f: &Fly) -> Result<()> {
    each_tick(flown, sources, f, |c, flown, world| {
        let words = Words::new(&flown.engine.program, world);
        format!("{}\n", safe_json(&trace::tick(c, &words).to_string()))
    })
}
