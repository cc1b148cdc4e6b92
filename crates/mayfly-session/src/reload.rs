//! A new text for a flight: the same inputs are flown again with it, a slice at a time, so that a long
//! flight freezes nothing.
//!
//! What differs from the flight before is told by [`crate::compare`].
//!
//! Invariant: a text with errors changes nothing but the list of problems; the old run stays whole until
//! the new one has been flown as far.

use crate::moment::{At, Moment};
use crate::session::Session;
use mayfly_engine::Input;
use mayfly_lang::check::Checked;
use std::collections::BTreeMap;
use std::sync::Arc;

/// What came of a new text.
pub enum Reloaded {
    /// Nothing differs.
    Same,
    /// It has so many errors and was not taken over.
    Broken(usize),
    /// It is being flown.
    Begun(Box<Refly>),
}

/// The flight under way with a new text.
pub struct Refly {
    new: Session,
    inputs: BTreeMap<u64, Vec<Input>>,
    ticks: u64,
    /// Inputs that the new text does not know, line by line.
    pub lost: Vec<String>,
    /// It is a recorded flight that is opened.
    pub opens: bool,
    /// One of one's own that is taken up again: it goes on as if it had never been left.
    pub is_own: bool,
}

impl Session {
    /// Takes a new text, where it has no errors: it is to be flown as far as this flight came.
    pub fn reload(&mut self, checked: Checked) -> Reloaded {
        let same = checked.sources.iter().map(|s| &s.text).eq(self.sources.iter().map(|s| &s.text));
        if same {
            self.problems.clear();
            return Reloaded::Same;
        }
        let errors = checked.errors();
        let Some(level) = checked.level else {
            self.problems = checked.diagnostics;
            self.problem_sources = checked.sources;
            return Reloaded::Broken(errors);
        };
        let mut new = Self::new(checked.sources, level);
        new.findings = checked.diagnostics;
        // The same flight in words is read again in the new text.
        let flight = crate::flight::in_words(&self.level, &self.engine, &self.history);
        let (inputs, mut lost) = flight.resolve(&new.level, &mut Arc::make_mut(&mut new.engine).program);
        match crate::kept::from_json(&new.level, &new.engine.program, &flight.kept) {
            Ok((kept, left)) => {
                new.kept = kept;
                lost.extend(left);
            }
            Err(why) => lost.push(why.to_string()),
        }
        let added = new.level.vars.iter().map(|v| &v.name).filter(|n| !self.level.vars.iter().any(|v| v.name == **n));
        let texts = self.watches.iter().map(|w| &w.text).chain(&self.unfit_watches).chain(added);
        let texts: Vec<String> = texts.cloned().collect();
        new.watch_from_the_start(texts.iter().map(String::as_str));
        if self.history.seed != self.level.seed {
            new.history.seed = self.history.seed;
        }
        new.begin_again();
        Reloaded::Begun(Box::new(Refly {
            new,
            inputs,
            ticks: self.history.live_tick().max(1),
            lost,
            opens: false,
            is_own: false,
        }))
    }

    /// A recorded flight of this level, to be flown.
    pub fn to_replay(&self, flight: &crate::flight::Flight) -> Refly {
        let mut new = Self::new(self.sources.to_vec(), self.level.clone());
        new.findings.clone_from(&self.findings);
        let (inputs, lost) = new.begin_replay(flight);
        Refly { new, inputs, ticks: flight.ticks().max(1), lost, opens: true, is_own: false }
    }
}

impl Refly {
    /// Flies on until `go_on` says no; true where it is done.
    pub fn fly(&mut self, mut go_on: impl FnMut() -> bool) -> bool {
        while self.flown() < self.ticks && !self.new.has_ended() {
            if !go_on() {
                return false;
            }
            self.new.queued = self.inputs.remove(&self.flown()).unwrap_or_default();
            if !self.new.advance() {
                break;
            }
        }
        true
    }

    /// Ticks flown by now, of how many.
    pub fn progress(&self) -> (u64, u64) {
        (self.flown(), self.ticks)
    }

    fn flown(&self) -> u64 {
        self.new.history.live_tick()
    }

    /// Takes the place of the old flight, which stays beside it as the one of then.
    pub fn finish(self, session: &mut Session, lost: &mut Vec<String>) -> u64 {
        let is_own = self.is_own;
        let mut old = std::mem::replace(session, self.new);
        if self.opens {
            session.read_stops(&old.stops_text());
            let watches = old.watches.iter().map(|w| &w.text).chain(&old.unfit_watches);
            let watches: String = watches.map(|t| format!("{t}\n")).collect();
            session.read_watches(&watches);
            session.end_replay();
            session.set_replay(!is_own);
            return session.history.live_tick();
        }
        let gone = session.take_branches_of(&old);
        lost.extend(gone);
        old.then = None;
        old.branches.clear();
        old.waiting_branches.clear();
        session.read_stops(&old.stops_text());
        session.step_size = old.step_size;
        session.stops.hit = None;
        let tick = old.moment.tick.min(session.last_tick());
        session.then = Some(Box::new(old));
        session.refresh_at(Moment { tick, at: At::End });
        session.history.live_tick()
    }
}
