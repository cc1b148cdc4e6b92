//! What is counted of writes: who wrote which place, how often and by how much, up to any tick.
//!
//! Not here: who could write it ([`crate::writers`]).
//!
//! Invariant: sums of one rule and place are in order of ticks.

use mayfly_base::*;
use mayfly_engine::Target;
use mayfly_engine::program::Program;
use rustc_hash::FxHashMap;

/// Writes of one rule to one place that are kept apart; of more only their number and sum go on.
const MAX: usize = 20_000;

/// Who writes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Writer {
    Rule(RuleId),
    /// What a routine began goes on when no rule is carried out: a ramp.
    Routine(RoutineId),
    Hand,
}

impl Writer {
    /// Whose the code at a place is.
    pub fn at(p: &Program, pc: u32) -> Self {
        let routine = p.routines.iter().position(|r| (r.code..r.end).contains(&pc));
        match (routine, p.rule_at(pc)) {
            (Some(r), _) => Self::Routine(RoutineId::at(r)),
            (None, Some(r)) => Self::of_rule(p, r),
            (None, None) => Self::Hand,
        }
    }

    /// A poke is a rule by hand.
    pub fn of_rule(p: &Program, rule: RuleId) -> Self {
        if p.rules[rule.index()].is_by_hand() { Self::Hand } else { Self::Rule(rule) }
    }

    pub fn name(self, p: &Program) -> String {
        match self {
            Self::Rule(r) => p.rule_name(r),
            Self::Routine(r) => format!("routine {}", p.routines[r.index()].name),
            Self::Hand => "a poke".into(),
        }
    }
}

/// Writes of one rule to one place, up to a tick.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Sum {
    pub(crate) tick: u64,
    pub(crate) times: u64,
    /// What numbers and durations (in seconds) gained by it.
    pub(crate) gained: f64,
}

/// For each place, who wrote it.
#[derive(Clone, Debug, Default)]
pub struct Writers {
    pub(crate) of: FxHashMap<Target, FxHashMap<Writer, Vec<Sum>>>,
}

/// What one rule did to a value so far.
#[derive(Clone, Debug, PartialEq)]
pub struct Wrote {
    pub by: Writer,
    pub times: u64,
    pub gained: f64,
    pub last: u64,
}

fn size(v: &Value) -> Option<f64> {
    match v {
        Value::Number(n) => Some(*n),
        Value::Duration(d) => Some(*d as f64 / 1e6),
        _ => None,
    }
}

impl Writers {
    pub fn add(&mut self, target: Target, by: Writer, tick: u64, old: &Value, new: &Value) {
        let gained = size(old).zip(size(new)).map_or(0.0, |(a, b)| b - a);
        crate::bounded::forget_old(&mut self.of, |by| {
            by.values().filter_map(|s| s.last()).map(|s| s.tick).max().unwrap_or(0)
        });
        let sums = self.of.entry(target).or_default().entry(by).or_default();
        let full = sums.len() >= MAX;
        match sums.last_mut() {
            Some(s) if s.tick == tick || full => {
                (s.tick, s.times) = (tick, s.times + 1);
                s.gained += gained;
            }
            last => {
                let (times, before) = last.map_or((0, 0.0), |s| (s.times, s.gained));
                sums.push(Sum { tick, times: times + 1, gained: before + gained });
            }
        }
    }

    /// Forgets everything from `tick` on.
    pub fn cut(&mut self, tick: u64) {
        for list in self.of.values_mut() {
            list.values_mut().for_each(|sums| sums.truncate(sums.partition_point(|s| s.tick < tick)));
            list.retain(|_, sums| !sums.is_empty());
        }
    }
}
