//! `mayfly draw LEVEL WHAT -o FILE`: a drawing or a dump of a level and its flight, in an open format.

use crate::files;
use anyhow::{Result, bail};
use clap::{Args, ValueEnum};
use mayfly_draw::scene::Scene;
use mayfly_draw::svg::Look;
use mayfly_draw::{cascade, chart, lanes, links, machine, maps, pdf, plan, scxml, svg, vcd};
use mayfly_lang::diagnostic::safe;
use mayfly_session::flight;
use mayfly_session::moment::{At, Moment};
use mayfly_session::session::Session;
use std::io::IsTerminal;
use std::path::PathBuf;
use std::process::ExitCode;
use std::time::{Duration, Instant};

#[derive(Args)]
pub struct Draw {
    /// The level's file.
    level: PathBuf,
    /// What is drawn.
    #[arg(value_enum)]
    what: What,
    /// Of what: an area of the plan, a machine, the expressions of a chart.
    #[arg(value_name = "OF")]
    of: Vec<String>,
    /// Where it goes: a file that ends in .svg or .pdf; a plan also in .csv, a machine in .scxml, a dump in .vcd.
    #[arg(short, long, value_name = "FILE")]
    output: PathBuf,
    /// A recorded flight; without one the level is run with nothing from outside.
    #[arg(long, value_name = "FILE")]
    flight: Option<PathBuf>,
    /// The tick at which it is drawn.
    #[arg(long, value_name = "TICK")]
    at: Option<u64>,
    /// The first tick of what goes over time.
    #[arg(long, value_name = "TICK", default_value_t = 0)]
    from: u64,
    /// Its last tick; the flight's last, or 60 seconds, if left out.
    #[arg(long, value_name = "TICK")]
    to: Option<u64>,
    /// In a chart: how often this rule fired, summed up. Can be given again.
    #[arg(long, value_name = "RULE")]
    count: Vec<String>,
    /// On paper, or on a dark screen.
    #[arg(long, value_enum, default_value = "light")]
    theme: ThemeName,
    /// How wide the drawing is shown, in pixels.
    #[arg(long, value_name = "PIXELS", value_parser = clap::value_parser!(u32).range(40..=20_000))]
    size: Option<u32>,
    /// Write over a file that is there.
    #[arg(long)]
    force: bool,
}

#[derive(Clone, Copy, PartialEq, ValueEnum)]
enum What {
    /// The map of an area: tiles, zones, actors, paths, sight; as laid, or at a tick with trails.
    Plan,
    /// A machine: its states, its transitions, the active state at a tick.
    Machine,
    /// The firing order of one tick.
    Cascade,
    /// Which rule was evaluated and fired when, and what states the machines were in.
    Lanes,
    /// Who sends and hears which message, which rule writes and reads which variable; whole, or round one thing.
    Links,
    /// Values over time.
    Chart,
    /// Variables, states and firings as a value change dump (VCD), for a wave viewer.
    Wave,
}

#[derive(Clone, Copy, PartialEq, ValueEnum)]
enum ThemeName {
    Light,
    Dark,
}

/// # Errors
/// A level or a flight that cannot be read, a thing that is not there, a file that cannot be written.
pub fn run(d: &Draw) -> Result<ExitCode> {
    let ending = d.output.extension().and_then(|e| e.to_str()).unwrap_or_default().to_lowercase();
    let wanted: &[&str] = match d.what {
        What::Wave => &["vcd"],
        What::Machine => &["svg", "pdf", "scxml"],
        What::Plan => &["svg", "pdf", "csv"],
        _ => &["svg", "pdf"],
    };
    if !wanted.contains(&ending.as_str()) {
        let all = wanted.join(" or .");
        bail!("{}: this is written as .{all}; name a file that ends so", files::shown(&d.output));
    }
    if d.output.exists() && !d.force {
        bail!("{} is there already; --force writes over it", files::shown(&d.output));
    }
    files::may_write(&d.output)?;
    let c = files::check(&d.level)?;
    let Some(level) = c.level.clone() else {
        files::say_diagnostics(&c);
        return Ok(ExitCode::from(2));
    };
    let mut s = Session::new(c.sources, level);
    fly(d, &mut s)?;
    let last = s.last_tick();
    let tick = d.at.unwrap_or(if d.flight.is_some() && d.what != What::Plan { last } else { 0 });
    if tick > last {
        bail!("--at {tick}: the flight ends at tick {last}");
    }
    let (from, to) = (d.from, d.to.unwrap_or(last));
    if matches!(d.what, What::Lanes | What::Chart) && (from >= to || from > last) {
        bail!("--from {from} --to {to}: the span is empty, the flight goes from tick 0 to {last}");
    }
    s.go(Moment { tick, at: At::End });
    let bytes = if d.what == What::Wave {
        let mut out = vec![];
        vcd::write(&s, &mut out)?;
        out
    } else if ending == "scxml" {
        let Some(of) = d.of.first() else { bail!("name the machine: `mayfly draw LEVEL machine NAME -o FILE.scxml`") };
        let key = machine::named(&s, of).map_err(wrong)?;
        scxml::write(&s, key.0).into_bytes()
    } else if ending == "csv" {
        let area = plan::area(&s, d.of.first().map(String::as_str)).map_err(wrong)?;
        maps::write(&s, area).into_bytes()
    } else {
        let scene = scene(d, &mut s, from, to.min(last))?;
        let look = if d.theme == ThemeName::Light { Look::Light } else { Look::Dark };
        let width = d.size.map(f64::from);
        match ending.as_str() {
            "pdf" => pdf::write(&scene, look, width).map_err(wrong)?,
            _ => svg::write(&scene, look, width).into_bytes(),
        }
    };
    files::save_bytes(&d.output, &bytes)?;
    files::say(&format!("written to {}\n", files::shown(&d.output)))?;
    Ok(ExitCode::SUCCESS)
}

/// The flight that is drawn: the recorded one, or the level run as far as is needed.
fn fly(d: &Draw, s: &mut Session) -> Result<()> {
    let mut progress = Progress::new();
    if let Some(path) = &d.flight {
        let flight = match flight::read(&files::read(path)?) {
            Ok(flight) => flight,
            Err(why) => bail!("{}: {}", files::shown(path), safe(&why.to_string())),
        };
        let mut refly = s.to_replay(&flight);
        for l in &refly.lost {
            files::say_error(&format!("lost: {}", safe(l)));
        }
        loop {
            let until = Instant::now() + Duration::from_millis(100);
            let done = refly.fly(|| Instant::now() < until);
            let (flown, of) = refly.progress();
            progress.say(flown, of);
            if done {
                break;
            }
        }
        refly.finish(s, &mut vec![]);
        progress.end();
        return Ok(());
    }
    let over_time = matches!(d.what, What::Lanes | What::Chart | What::Wave);
    let wanted = match (over_time, d.to, d.at) {
        (true, Some(to), _) => to,
        (true, None, _) => u64::from(s.level.rate.0) * 60,
        (false, _, at) => at.unwrap_or(1),
    };
    if wanted > flight::MAX_TICKS {
        bail!("{wanted} ticks are too many: a run has {} at most", flight::MAX_TICKS);
    }
    while s.last_tick() < wanted && !s.has_ended() {
        let until = Instant::now() + Duration::from_millis(100);
        s.run_ticks(wanted - s.last_tick(), || Instant::now() < until);
        progress.say(s.last_tick(), wanted);
    }
    progress.end();
    Ok(())
}

fn scene(d: &Draw, s: &mut Session, from: u64, to: u64) -> Result<Scene> {
    let of = d.of.first().map(String::as_str);
    if !matches!(d.what, What::Chart) && d.of.len() > 1 || matches!(d.what, What::Cascade | What::Lanes) && of.is_some()
    {
        bail!("`{}` is too much: {} takes {}", safe(&d.of.join(" ")), name(d.what), takes(d.what));
    }
    Ok(match d.what {
        What::Plan => {
            let area = plan::area(s, of).map_err(wrong)?;
            let trails = d.at.map(|_| 5 * u64::from(s.level.rate.0));
            plan::draw(s, area, trails)
        }
        What::Machine => {
            let Some(of) = of else { bail!("name the machine: `mayfly draw LEVEL machine NAME -o FILE.svg`") };
            let key = machine::named(s, of).map_err(wrong)?;
            machine::draw(s, key).ok_or_else(|| anyhow::anyhow!("the actor of this machine is gone at that tick"))?
        }
        What::Cascade => cascade::draw(s),
        What::Lanes => lanes::draw(s, from, to),
        What::Links => links::draw(s, of).map_err(wrong)?,
        What::Chart => {
            if d.of.is_empty() && d.count.is_empty() {
                bail!("name what is drawn: `mayfly draw LEVEL chart EXPR… -o FILE.svg`, or --count \"RULE\"");
            }
            let mut all = chart::series(s, &d.of).map_err(wrong)?;
            for rule in &d.count {
                all.push(chart::count(s, rule).map_err(wrong)?);
            }
            chart::draw(s, &all, from, to)
        }
        What::Wave => bail!("a dump is no drawing"),
    })
}

fn name(what: What) -> &'static str {
    match what {
        What::Plan => "plan",
        What::Machine => "machine",
        What::Cascade => "cascade",
        What::Lanes => "lanes",
        What::Links => "links",
        What::Chart => "chart",
        What::Wave => "wave",
    }
}

fn takes(what: What) -> &'static str {
    match what {
        What::Plan => "one area",
        What::Machine => "one machine",
        What::Links => "one message, variable or rule",
        _ => "nothing more",
    }
}

/// How far a flight is, on the line of the error output, where it takes longer than half a second and a person looks on.
struct Progress {
    began: Instant,
    shown: bool,
}

impl Progress {
    fn new() -> Self {
        Self { began: Instant::now(), shown: false }
    }

    fn say(&mut self, flown: u64, of: u64) {
        if self.began.elapsed() > Duration::from_millis(500) && std::io::stderr().is_terminal() {
            self.shown = true;
            eprint!("\rflown {}%  ", flown * 100 / of.max(1));
        }
    }

    fn end(&self) {
        if self.shown {
            eprintln!("\r            ");
        }
    }
}

/// What is wrong with what is to be drawn.
fn wrong(e: impl std::fmt::Display) -> anyhow::Error {
    anyhow::anyhow!(safe(&e.to_string()))
}
