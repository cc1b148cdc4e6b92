//! A new text for a flight: the same inputs are flown again with it.
//!
//! Invariant: a text with errors changes nothing but the list of problems; the old run stays whole.

use crate::session::{At, Moment, Session};
use mayfly_engine::Input;
use mayfly_lang::check::Checked;
use std::collections::BTreeMap;
use std::sync::Arc;

/// What came of a new text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Reloaded {
    /// Nothing differs.
    Same,
    /// Flown again, so many ticks; inputs that no longer exist, line by line.
    Flown { ticks: u64, lost: Vec<String> },
    /// It has so many errors and was not taken over.
    Broken(usize),
}

impl Session {
    /// Takes over a new text, where it has no errors.
    pub fn reload(&mut self, checked: Checked) -> Reloaded {
        let same = checked.sources.iter().map(|s| &s.text).eq(self.sources.iter().map(|s| &s.text));
        if same && self.problems.is_empty() {
            return Reloaded::Same;
        }
        let errors = checked.errors();
        let Some(level) = checked.level else {
            self.problems = checked.diagnostics;
            self.problem_sources = checked.sources;
            return Reloaded::Broken(errors);
        };
        let ticks = self.history.live_tick();
        let old = std::mem::replace(self, Self::new(checked.sources, level));
        // The same flight in words is read again in the new text.
        let flight = crate::flight::in_words(&old.level, &old.engine, &old.history);
        let (inputs, lost) = flight.resolve(&self.level, &mut Arc::make_mut(&mut self.engine).program);
        self.fly_again(inputs, ticks);
        self.watches.clear();
        for w in &old.watches {
            let _ = self.watch(&w.text);
        }
        for l in self.new_names(&old) {
            let _ = self.watch(&l);
        }
        self.gear = old.gear;
        let marks = old.stops_text();
        self.read_stops(&marks);
        self.kept = old.kept.clone();
        self.go(Moment { tick: old.moment.tick.min(self.last_tick()), at: At::End });
        Reloaded::Flown { ticks: self.history.live_tick(), lost }
    }

    fn fly_again(&mut self, mut inputs: BTreeMap<u64, Vec<Input>>, ticks: u64) {
        let (engine, seed) = (self.engine.clone(), self.level.seed);
        self.history = mayfly_engine::history::History::new(&engine, seed, self.kept.clone());
        self.index = crate::index::Index::default();
        for tick in 0..ticks.max(1) {
            let now = inputs.remove(&tick).unwrap_or_default();
            let mut recorder = crate::index::Indexing { index: &mut self.index, count: 0, stops: None };
            self.history.advance(&engine, now, &mut recorder);
        }
        self.now.cascade.records = 0;
    }

    /// Variables that the old text did not have.
    fn new_names(&self, old: &Self) -> Vec<String> {
        self.level
            .vars
            .iter()
            .map(|v| v.name.clone())
            .filter(|n| !old.level.vars.iter().any(|v| v.name == *n))
            .collect()
    }
}
