//! Branches of a flight: a key or a poke in the past begins another branch from there; the one before is
//! kept, has a name, and can be returned to.
//!
//! Invariant: exactly one branch is flown; the others stand still as they were left.

use crate::branch::{Branch, WaitingBranch};
use crate::index::{Index, Indexing};
use crate::moment::{At, Moment};
use crate::session::Session;
use mayfly_engine::history::History;
use mayfly_engine::{Input, TickOutcome};
use mayfly_lang::level::Level;
use std::sync::Arc;

/// Branches that are kept beside the one that is flown.
const MAX: usize = 12;

impl Session {
    /// Takes the branches of the session of an earlier text over, to be flown with this text; gives what no longer exists.
    pub(crate) fn take_branches_of(&mut self, old: &Self) -> Vec<String> {
        let mut lost = vec![];
        self.branch.clone_from(&old.branch);
        self.branch_from = old.branch_from;
        // Those that were still waiting for a text before go on waiting.
        let waiting = old.waiting_branches.iter().map(|c| (&c.name, c.from, c.flight.clone(), c.ticks));
        let words = |h: &History| crate::flight::in_words(&old.level, &old.engine, h);
        let flown = old.branches.iter().map(|c| (&c.name, c.from, words(&c.history), c.history.live_tick()));
        for (name, from, flight, ticks) in waiting.chain(flown) {
            let engine = Arc::make_mut(&mut self.engine);
            let (inputs, gone) = flight.resolve(&self.level, &mut engine.program);
            lost.extend(gone);
            let history = History::new(&self.engine, flight.seed, self.kept.clone());
            let (name, index) = (name.clone(), Index::default());
            self.waiting_branches.push(WaitingBranch { name, from, flight, inputs, ticks, history, index });
        }
        lost
    }

    /// Flies what is left of the branches of an earlier text, until `go_on` says no; true where there was any.
    pub fn fly_waiting_branches(&mut self, mut go_on: impl FnMut() -> bool) -> bool {
        let any = !self.waiting_branches.is_empty();
        while let Some(c) = self.waiting_branches.first_mut() {
            while c.history.live_tick() < c.ticks {
                if !go_on() {
                    return any;
                }
                let inputs = c.inputs.remove(&c.history.live_tick()).unwrap_or_default();
                let names = Some((&*self.names, &self.engine.program));
                let mut recorder = Indexing { index: &mut c.index, count: 0, stops: None, names };
                if c.history.advance(&self.engine, inputs, &mut recorder) == TickOutcome::Ended {
                    break;
                }
            }
            let c = self.waiting_branches.remove(0);
            self.branches.push(Branch { name: c.name, from: c.from, history: c.history, index: c.index });
        }
        any
    }

    /// Puts an input into the next tick. In the past this begins another branch of the flight from
    /// there; the old one is kept. Gives true where it did.
    pub fn queue(&mut self, input: Input) -> bool {
        let branched = !self.is_live() && self.moment.tick < self.last_tick();
        if branched {
            let from = self.moment.tick + 1;
            let name = format!("{}, from tick {from}", said(&self.level, &self.engine.program, &input));
            self.keep_branch(name, from);
            self.history.cut(&self.engine, from);
            self.index.cut(from);
            self.stops.cut(from);
            self.watches.iter_mut().for_each(|w| w.cut(from));
            self.now.cascade.records = 0;
            self.go(Moment { tick: self.last_tick(), at: At::End });
        }
        self.queued.push(input);
        branched
    }

    /// The present branch is kept as it is; what goes on is another, of that name.
    fn keep_branch(&mut self, name: String, from: u64) {
        let old = Branch {
            name: std::mem::replace(&mut self.branch, name),
            from: std::mem::replace(&mut self.branch_from, from),
            history: self.history.clone(),
            index: self.index.clone(),
        };
        self.branches.push(old);
        if self.branches.len() > MAX {
            self.branches.remove(0);
        }
    }

    /// One action by hand at the next tick. In the past it begins another branch; true where it did.
    ///
    /// # Errors
    /// What is wrong with it.
    pub fn poke(&mut self, action: &str) -> Result<bool, crate::script::InputError> {
        let engine = Arc::make_mut(&mut self.engine);
        let input = crate::script::poke(&self.level, &mut engine.program, action)?;
        Ok(self.queue(input))
    }

    /// Begins the flight again from tick 0, without inputs; the old branch is kept.
    pub fn start_over(&mut self) {
        self.keep_branch("started over".into(), 0);
        self.history = History::new(&self.engine, self.history.seed, self.kept.clone());
        self.index = Index::default();
        self.stops.cut(0);
        self.queued.clear();
        self.watches.iter_mut().for_each(|w| w.cut(0));
        self.now.cascade.records = 0;
        self.run_tick();
    }

    /// Goes on with the kept branch of that place in the list, and keeps the present one.
    pub fn take_branch(&mut self, i: usize) -> bool {
        if i >= self.branches.len() {
            return false;
        }
        let other = self.branches.remove(i);
        let present = Branch {
            name: std::mem::replace(&mut self.branch, other.name),
            from: std::mem::replace(&mut self.branch_from, other.from),
            history: std::mem::replace(&mut self.history, other.history),
            index: std::mem::replace(&mut self.index, other.index),
        };
        self.branches.push(present);
        self.queued.clear();
        self.stops.cut(0);
        self.resample_watches();
        self.now.cascade.records = 0;
        self.go(Moment { tick: self.last_tick(), at: At::End });
        true
    }

    /// Goes back to the branch that was left last.
    pub fn swap_branch(&mut self) -> bool {
        self.branches.len().checked_sub(1).is_some_and(|i| self.take_branch(i))
    }
}

/// What began a branch, in words.
fn said(level: &Level, program: &mayfly_engine::program::Program, input: &Input) -> String {
    let key = |i: &mayfly_base::InputId| level.inputs[i.index()].name.clone();
    match input {
        Input::Tap(_, i) | Input::Down(_, i) | Input::Up(_, i) => format!("key {}", key(i)),
        Input::Poke(rule) => program.rule_name(*rule),
        Input::Fix { .. } => "a draw fixed".into(),
    }
}
