//! What is watched: any expression, its value before the tick and now, its history, its last writer.
//!
//! Invariant: a watch's series holds a value only where it differs from the one before, in order of
//! ticks.

use crate::values::Needs;
use mayfly_base::code::Expr;
use mayfly_base::*;
use mayfly_engine::Target;

#[derive(Clone, Debug)]
pub struct Watch {
    pub text: String,
    pub expr: Expr,
    pub(crate) needs: Needs,
    pub doc: String,
    /// Where it is a variable itself.
    pub target: Option<Target>,
    /// Closed tick and value, where it changed.
    pub series: Vec<(u64, Value)>,
    /// It is no value but the heading of those after it, `// lamps`.
    pub heading: bool,
    /// It flows with time itself, so that a change of it says nothing.
    pub flows: bool,
}

/// A watch at the moment.
#[derive(Clone, Debug)]
pub struct Seen {
    pub text: String,
    pub before: Value,
    pub now: Value,
    pub shown_before: String,
    pub shown: String,
    pub changed: bool,
    /// Every value that it had in this tick up to the moment, where it had several.
    pub steps: Vec<String>,
    /// Who wrote it last, and in which tick.
    pub writer: Option<(String, u64)>,
    pub target: Option<Target>,
}

impl Watch {
    /// Forgets everything from `tick` on.
    pub fn cut(&mut self, tick: u64) {
        self.series.retain(|(t, _)| *t < tick);
    }

    pub(crate) fn sample(&mut self, tick: u64, v: Value) {
        if self.series.last().is_none_or(|(_, last)| !last.same(&v)) {
            if self.series.len() >= 100_000 {
                self.series.drain(..50_000);
            }
            self.series.push((tick, v));
        }
    }

    /// Its value at the end of a closed tick, as far as it is known.
    pub fn at(&self, tick: u64) -> Option<&Value> {
        let i = self.series.partition_point(|(t, _)| *t <= tick);
        i.checked_sub(1).map(|i| &self.series[i].1)
    }
}
