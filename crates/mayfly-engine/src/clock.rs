//! Clocks: they run in step 2, are moved on and set, and raise what rules await of them.
//!
//! A clock counts its smallest unit, from 0 to just below all its units together, and keeps what has run
//! of the next one as a whole number, so that no rounding adds up.
//!
//! Invariant: every boundary of an awaited unit that is passed raises one event, in order of time, the
//! smaller unit first.

use crate::fault::*;
use crate::program::{Clock, Program};
use crate::record::*;
use crate::tick_context::{Queued, TickContext};
use crate::world::*;
use mayfly_base::code::*;
use mayfly_base::number::NEAR;
use mayfly_base::*;

/// Boundaries that one advance may pass.
const MAX_BOUNDARIES: u64 = 100_000;
/// The largest factor on a clock's speed.
const MAX_SPEED: f64 = 1e9;

impl ClockState {
    /// A clock before its first tick.
    pub fn new(c: &Clock) -> Self {
        Self { shows: c.starts, run: 0, part: 0, speed: 1.0, paused: false }
    }

    /// What it shows of a unit.
    pub fn unit(&self, c: &Clock, unit: usize) -> u64 {
        self.shows / c.sizes[unit] % c.units[unit].1
    }

    /// Parts of a smallest unit that one tick adds, and how many make one.
    fn pace(&self, c: &Clock, rate: Rate) -> (u128, u128) {
        let factor = (self.speed * 1e6).round().clamp(0.0, MAX_SPEED * 1e6) as u128;
        (u128::from(c.speed.0) * 1_000_000 * factor, u128::from(c.speed.1) * u128::from(rate.0) * 1_000_000_000_000)
    }

    /// Ticks until it comes to the next boundary of a unit of that size, so many at most.
    pub fn ticks_to(&self, c: &Clock, size: u64, rate: Rate, most: u64) -> u64 {
        let (add, whole) = self.pace(c, rate);
        if self.paused || add == 0 {
            return most;
        }
        let left = u128::from(size - self.shows % size) * whole - self.part;
        u64::try_from(left.div_ceil(add)).unwrap_or(u64::MAX).min(most)
    }

    /// Runs for so many ticks; gives how many smallest units that is.
    pub fn run(&mut self, c: &Clock, rate: Rate, ticks: u64) -> u64 {
        if self.paused {
            return 0;
        }
        let (add, whole) = self.pace(c, rate);
        let sum = self.part + add * u128::from(ticks);
        self.part = sum % whole;
        u64::try_from(sum / whole).unwrap_or(u64::MAX)
    }

    /// Goes on by so many smallest units.
    pub fn go(&mut self, c: &Clock, units: u64) {
        self.shows = (self.shows + units % c.whole()) % c.whole();
        self.run = self.run.saturating_add(units);
    }
}

/// How many boundaries of awaited units lie in the next `units`, and each with its value while they are
/// not too many.
fn boundaries(c: &Clock, shows: u64, units: u64, mut see: impl FnMut(u16, u32)) -> u64 {
    let Some(first) = c.awaited.first() else { return 0 };
    let step = c.sizes[*first as usize];
    let count: u64 = c
        .awaited
        .iter()
        .map(|u| {
            let size = c.sizes[*u as usize];
            shows.saturating_add(units) / size - shows / size
        })
        .sum();
    if count > MAX_BOUNDARIES {
        return count;
    }
    let mut at = (shows / step + 1) * step;
    while at <= shows + units {
        for u in &c.awaited {
            let size = c.sizes[*u as usize];
            if at.is_multiple_of(size) {
                see(*u, (at / size % c.units[*u as usize].1) as u32);
            }
        }
        at += step;
    }
    count
}

impl<R: Recorder> TickContext<'_, R> {
    /// Step 2: every clock runs for one tick.
    pub fn clocks(&mut self) {
        for i in 0..self.world.clocks.len() {
            let c = &self.program.clocks[i];
            let units = self.world.clocks[i].run(c, self.program.rate, 1);
            if units == 0 {
                continue;
            }
            let id = ClockId::at(i);
            let mut passed = vec![];
            let count = boundaries(c, self.world.clocks[i].shows, units, |u, v| passed.push((u, v)));
            self.world.clocks[i].go(c, units);
            if count > MAX_BOUNDARIES {
                let text = format!("{} passed more than 100,000 boundaries that rules await in one tick", c.name);
                self.fault(None, Fault::new(FaultKind::Limit, text, Span::default()));
            }
            for (u, v) in passed {
                self.queue.push_back(Queued { what: EventInstance::Passes(id, u, v), cause: Cause::NONE });
            }
        }
    }

    fn parts(&mut self, parts: &[(u16, Expr)], run: &mut Run) -> Result<Vec<(u16, f64)>, Fault> {
        let mut out = vec![];
        for (unit, e) in parts {
            let n = match self.scope(run.me).eval(e, &mut run.locals)? {
                Value::Number(n) => n,
                Value::Enum(_, v) => f64::from(v),
                _ => return Err(Fault::new(FaultKind::None, "none is no value of a clock", e.span)),
            };
            if (n - n.round()).abs() > NEAR || !(-NEAR..=1e12).contains(&n) {
                let text = format!("a clock goes by whole units, not by {}", number::show_number(n));
                return Err(Fault::new(FaultKind::NotANumber, text, e.span));
            }
            out.push((*unit, n.round()));
        }
        self.note_draws();
        Ok(out)
    }

    /// `advance tide by 2 day 2 hour`.
    pub fn advance_clock(
        &mut self,
        id: ClockId,
        parts: &[(u16, Expr)],
        run: &mut Run,
        pc: u32,
        span: Span,
    ) -> Result<(), Fault> {
        let parts = self.parts(parts, run)?;
        let c = &self.program.clocks[id.index()];
        let units: f64 = parts.iter().map(|(u, n)| n * c.sizes[*u as usize] as f64).sum();
        if units > 9e15 {
            return Err(Fault::new(FaultKind::Limit, format!("{} cannot be moved on so far", c.name), span));
        }
        let from = self.world.clocks[id.index()].shows;
        let mut passed = vec![];
        let count = boundaries(c, from, units as u64, |u, v| passed.push((u, v)));
        if count > MAX_BOUNDARIES {
            let text = format!(
                "{} would pass {count} boundaries that rules await, and 100,000 are the most: `set {}` passes none",
                c.name, c.name
            );
            return Err(Fault::new(FaultKind::Limit, text, span));
        }
        self.world.clocks[id.index()].go(c, units as u64);
        let cause = self.note_clock(id, from, pc);
        for (u, v) in passed {
            self.cause(EventInstance::Passes(id, u, v), cause);
        }
        Ok(())
    }

    /// `set tide to day wed hour 6`: larger units stay, smaller ones are 0.
    pub fn set_clock(&mut self, id: ClockId, parts: &[(u16, Expr)], run: &mut Run, pc: u32) -> Result<(), Fault> {
        let values = self.parts(parts, run)?;
        let c = &self.program.clocks[id.index()];
        let smallest = values.iter().map(|(u, _)| *u).min().unwrap_or(0);
        let from = self.world.clocks[id.index()].shows;
        let mut shows = 0;
        for u in 0..c.units.len() {
            let named = values.iter().find(|(v, _)| *v as usize == u).map(|(_, n)| *n as u64);
            let value = match named {
                Some(n) if n >= c.units[u].1 => {
                    let text = format!("`{}` goes from 0 to {}, not to {n}", c.units[u].0, c.units[u].1 - 1);
                    let span = parts.iter().find(|(v, _)| *v as usize == u).map_or(Span::default(), |(_, e)| e.span);
                    return Err(Fault::new(FaultKind::NotANumber, text, span));
                }
                Some(n) => n,
                None if u < smallest as usize => 0,
                None => self.world.clocks[id.index()].unit(c, u),
            };
            shows += value * c.sizes[u];
        }
        let state = &mut self.world.clocks[id.index()];
        (state.shows, state.part) = (shows, 0);
        self.note_clock(id, from, pc);
        Ok(())
    }

    pub fn pause_clock(&mut self, id: ClockId, paused: bool, pc: u32) {
        self.world.clocks[id.index()].paused = paused;
        let from = self.world.clocks[id.index()].shows;
        self.note_clock(id, from, pc);
    }

    fn note_clock(&mut self, clock: ClockId, from: u64, pc: u32) -> Cause {
        let ClockState { shows: to, paused, .. } = self.world.clocks[clock.index()];
        let cause = self.note(|| TraceEvent::ClockSet { clock, from, to, paused, pc });
        self.clocks_by.push((clock, cause));
        cause
    }

    /// A factor on the declared speed: 0 or more.
    pub fn clock_speed(&mut self, id: ClockId, speed: f64, span: Span) -> Result<(), Fault> {
        if !(0.0..=MAX_SPEED).contains(&speed) {
            let text = format!("a clock cannot run {} times as fast", number::show_number(speed));
            return Err(Fault::new(FaultKind::NotANumber, text, span));
        }
        self.world.clocks[id.index()].speed = speed;
        Ok(())
    }
}

/// What a clock shows, unit by unit from the largest, in words.
pub fn show(program: &Program, id: ClockId, shows: u64) -> String {
    let c = &program.clocks[id.index()];
    let state = ClockState { shows, run: 0, part: 0, speed: 1.0, paused: false };
    let words = (0..c.units.len()).rev().map(|u| {
        let n = state.unit(c, u);
        match c.units[u].2.and_then(|e| program.enums[e.index()].1.get(n as usize)) {
            Some(name) => name.clone(),
            None => format!("{} {n}", c.units[u].0),
        }
    });
    words.collect::<Vec<_>>().join(" ")
}
