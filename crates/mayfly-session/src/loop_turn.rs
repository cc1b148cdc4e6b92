//! One turn of a loop: the Cascade folds a loop to a line that counts, and opens it at the turn in which
//! the moment stands.
//!
//! Invariant: the lines are exactly the records between the turn's beginning and its end.

use crate::cascade::{self, Line};
use crate::moment::{At, Moment};
use crate::session::Session;
use crate::words::Words;
use mayfly_engine::TraceEvent;

/// A loop opened at a turn.
#[derive(Clone, Debug)]
pub struct LoopTurn {
    /// The rung that holds the loop.
    pub rung: u32,
    pub turn: u64,
    pub lines: Vec<Line>,
}

impl Session {
    /// The turn in which the moment stands, where it stands in a loop.
    pub fn turn_here(&self) -> Option<LoopTurn> {
        let At::Record(at) = self.moment.at else { return None };
        let rung = self.now.cascade.rung(self.rung_here()?)?;
        let records = &self.now.records;
        let own = |from: u32, to: u32| (from as usize).min(records.len())..(to as usize + 1).min(records.len());
        let begin = own(rung.at, at).rev().find(|i| matches!(records[*i], TraceEvent::LoopTurn { .. }))?;
        let TraceEvent::LoopTurn { pc, .. } = records[begin] else { return None };
        // The rung's end closes the loop as well: there it stands folded.
        if at >= rung.end {
            return None;
        }
        let same = |r: &TraceEvent| matches!(r, TraceEvent::LoopTurn { pc: p, .. } if *p == pc);
        let turn = own(rung.at, begin as u32).filter(|i| same(&records[*i])).count() as u64;
        let end = own(begin as u32 + 1, rung.end).find(|i| same(&records[*i])).unwrap_or(rung.end as usize + 1);
        let words = Words::new(&self.engine.program, &self.now.world);
        let line = |i: usize| {
            let what = cascade::done(&self.engine.program, &words, &records[i], Some(rung))?;
            Some(Line { at: i as u32, what })
        };
        Some(LoopTurn { rung: rung.number, turn, lines: (begin + 1..end).filter_map(line).collect() })
    }

    /// Stands at the beginning of a turn of the loop of a rung; false where it has no such turn.
    pub fn go_to_turn(&mut self, rung: u32, wanted: u64) -> bool {
        let Some(r) = self.now.cascade.rung(rung) else { return false };
        let pc_of = |i: u32| match self.now.records.get(i as usize) {
            Some(TraceEvent::LoopTurn { pc, .. }) => Some(*pc),
            _ => None,
        };
        let Some(first) = (r.at..=r.end).find_map(pc_of) else { return false };
        let Some(nth) = wanted.checked_sub(1) else { return false };
        let Some(at) = (r.at..=r.end).filter(|i| pc_of(*i) == Some(first)).nth(nth as usize) else { return false };
        self.go(Moment { at: At::Record(at), ..self.moment });
        true
    }
}
