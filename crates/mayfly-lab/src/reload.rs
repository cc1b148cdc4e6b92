//! A new text for a flight: the same inputs are flown again with it.
//!
//! Invariant: a text with errors changes nothing but the list of problems; the old run stays whole.

use crate::session::{At, Moment, Session};
use mayfly_base::{ActorId, InputId};
use mayfly_engine::Input;
use mayfly_lang::check::Checked;

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
        let mut lost = vec![];
        let mut inputs: Vec<(u64, Vec<Input>)> = vec![];
        for (tick, list) in old.history.inputs() {
            let mut now = vec![];
            for input in list {
                match self.carry_over(&old, input) {
                    Ok(i) => now.push(i),
                    Err(what) => lost.push(format!("tick {tick}: {what}")),
                }
            }
            inputs.push((*tick, now));
        }
        self.fly_again(&inputs, ticks);
        self.watches.clear();
        for w in &old.watches {
            let _ = self.watch(&w.text);
        }
        for l in self.new_names(&old) {
            let _ = self.watch(&l);
        }
        self.gear = old.gear;
        self.go(Moment { tick: old.moment.tick.min(self.last_tick()), at: At::End });
        Reloaded::Flown { ticks: self.history.live_tick(), lost }
    }

    fn fly_again(&mut self, inputs: &[(u64, Vec<Input>)], ticks: u64) {
        let (engine, seed) = (self.engine.clone(), self.level.seed);
        self.history = mayfly_engine::history::History::new(&engine, seed);
        self.index = crate::index::Index::default();
        let mut next = inputs.iter().peekable();
        for tick in 0..ticks.max(1) {
            let now =
                if next.peek().is_some_and(|(t, _)| *t == tick) { next.next().map(|(_, l)| l.clone()) } else { None };
            let mut recorder = crate::index::Indexing { index: &mut self.index, count: 0 };
            self.history.advance(&engine, now.unwrap_or_default(), &mut recorder);
        }
        self.now.cascade.records = 0;
    }

    /// An input of the old text in the new one, by its names.
    fn carry_over(&self, old: &Self, input: &Input) -> Result<Input, String> {
        let find = |a: &ActorId, i: &InputId| {
            let (actor, name) = (&old.level.actors[a.index()].name, &old.level.inputs[i.index()].name);
            let a = self
                .level
                .actors
                .iter()
                .position(|x| x.name == *actor)
                .ok_or(format!("there is no {actor} any more"))?;
            let i = self
                .level
                .inputs
                .iter()
                .position(|x| x.name == *name)
                .ok_or(format!("there is no input {name} any more"))?;
            Ok::<_, String>((ActorId::at(a), InputId::at(i)))
        };
        match input {
            Input::Tap(a, i) => find(a, i).map(|(a, i)| Input::Tap(a, i)),
            Input::Down(a, i) => find(a, i).map(|(a, i)| Input::Down(a, i)),
            Input::Up(a, i) => find(a, i).map(|(a, i)| Input::Up(a, i)),
            Input::Poke { .. } => Err("a poke".into()),
        }
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
