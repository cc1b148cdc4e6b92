//! Values over a flight as a value change dump (IEEE 1364-2005, 18.2), for wave viewers: variables, machines, flags, and a pulse
//! for each rule in the ticks in which it fired.
//!
//! Numbers are reals, durations reals in seconds, flags wires; states and all else are strings, which most viewers show.
//!
//! Invariant: times never go back; every value that is dumped was declared; the same flight gives the same bytes.

use mayfly_base::*;
use mayfly_engine::names::Named;
use mayfly_session::session::Session;
use std::io::{self, Write};
use vcd::{IdCode, SimulationCommand, TimescaleUnit, Value as Bit, VarType, Writer};

/// What of one value is dumped, from tick to tick.
#[derive(Clone, Copy)]
enum Sort {
    Real,
    Wire,
    Text,
}

fn sort(v: Option<&Value>) -> Sort {
    match v {
        Some(Value::Number(_) | Value::Duration(_)) => Sort::Real,
        Some(Value::Flag(_)) => Sort::Wire,
        _ => Sort::Text,
    }
}

/// A name without spaces and the format's own signs.
fn name(text: &str) -> String {
    text.chars().map(|c| if c.is_ascii_alphanumeric() || matches!(c, '_' | '.') { c } else { '_' }).collect()
}

/// Writes the watches, machines and firings of a flight, from its first tick to its last.
///
/// # Errors
/// What the writer says.
pub fn write(s: &Session, out: &mut dyn Write) -> io::Result<()> {
    let mut w = Writer::new(out);
    // One tick is so many microseconds; the unit of the file is one of them.
    w.timescale(1, TimescaleUnit::US)?;
    let level = if s.level.title.is_empty() { "level".to_string() } else { name(&s.level.title) };
    w.add_module(&level)?;
    let names = Named(&s.engine.program, s.history.live());
    // Changes: when, in which order of declaration, and what.
    let mut changes: Vec<(u64, usize, Change)> = vec![];
    let mut ids: Vec<(IdCode, Sort)> = vec![];
    let declare = |w: &mut Writer<&mut dyn Write>, sort: Sort, label: &str| -> io::Result<IdCode> {
        match sort {
            Sort::Real => w.add_var(VarType::Real, 64, &name(label), None),
            Sort::Wire => w.add_var(VarType::Wire, 1, &name(label), None),
            Sort::Text => w.add_var(VarType::String, 1, &name(label), None),
        }
    };
    for watch in s.watches.iter().filter(|w| !w.heading) {
        let kind = sort(watch.series.first().map(|(_, v)| v));
        let n = ids.len();
        ids.push((declare(&mut w, kind, &watch.text)?, kind));
        changes.extend(watch.series.iter().map(|(t, v)| (*t, n, Change::of(kind, v, &names))));
    }
    w.add_module("fired")?;
    for (i, ticks) in s.index.fired.values().enumerate().filter(|(_, t)| !t.is_empty()) {
        let n = ids.len();
        ids.push((declare(&mut w, Sort::Wire, &s.engine.program.rule_in_full(RuleId::at(i)))?, Sort::Wire));
        changes.push((0, n, Change::Bit(false)));
        for (at, t) in ticks.iter().enumerate() {
            changes.push((*t, n, Change::Bit(true)));
            if ticks.get(at + 1) != Some(&(t + 1)) {
                changes.push((t + 1, n, Change::Bit(false)));
            }
        }
    }
    w.upscope()?;
    w.upscope()?;
    w.enddefinitions()?;
    // The last of several changes of one tick and one value counts.
    changes.sort_by_key(|(t, n, _)| (*t, *n));
    let mut now = None;
    let mut is_first = true;
    for (i, (tick, n, change)) in changes.iter().enumerate() {
        if changes.get(i + 1).is_some_and(|(t, m, _)| (t, m) == (tick, n)) {
            continue;
        }
        if now != Some(*tick) {
            // The first values are those that everything begins with.
            if now.is_some() && std::mem::take(&mut is_first) {
                w.end()?;
            }
            w.timestamp(s.level.rate.micros(*tick).unsigned_abs())?;
            if now.is_none() {
                w.begin(SimulationCommand::Dumpvars)?;
            }
            now = Some(*tick);
        }
        change.write(&mut w, ids[*n].0)?;
    }
    if now.is_some() && is_first {
        w.end()?;
    }
    // The end of the flight, so that the last values have a width.
    w.timestamp(s.level.rate.micros(s.last_tick() + 1).unsigned_abs())?;
    Ok(())
}

enum Change {
    Real(f64),
    Bit(bool),
    Text(String),
}

impl Change {
    fn of(sort: Sort, v: &Value, names: &Named) -> Self {
        match (sort, v) {
            (Sort::Real, Value::Number(n)) => Self::Real(*n),
            (Sort::Real, Value::Duration(d)) => Self::Real(*d as f64 / 1e6),
            (Sort::Real, _) => Self::Real(f64::NAN),
            (Sort::Wire, Value::Flag(b)) => Self::Bit(*b),
            (Sort::Wire, _) => Self::Bit(false),
            (Sort::Text, v) => Self::Text(name(&v.show(names, None))),
        }
    }

    fn write(&self, w: &mut Writer<&mut dyn Write>, id: IdCode) -> io::Result<()> {
        match self {
            Self::Real(n) => w.change_real(id, *n),
            Self::Bit(b) => w.change_scalar(id, if *b { Bit::V1 } else { Bit::V0 }),
            Self::Text(t) => w.change_string(id, t),
        }
    }
}
