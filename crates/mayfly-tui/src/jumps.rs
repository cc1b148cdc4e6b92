//! Back to where one stood before a jump, and what is asked before one leaves.
//!
//! Not here: how one goes anywhere (`mayfly_session::step`).
//!
//! Invariant: a place that is remembered is another than the one before it; a flight with inputs of one's own that is not
//! saved is left only after asking.

use crate::app::{App, Writing};
use mayfly_session::moment::{At, Moment};
use std::time::{Duration, Instant};

/// Jumps that are remembered.
const MAX: usize = 200;
/// At most so often it is looked whether a recovery copy is due, while one plays.
const RECOVERY: Duration = Duration::from_secs(5);

impl App {
    /// Remembers where one stood, where one stands elsewhere now.
    pub fn remember(&mut self, stood: (String, Moment)) {
        if (&self.session.branch, self.session.moment) != (&stood.0, stood.1) {
            self.keep_place(stood);
        }
    }

    /// Before a jump that is made by something else than a command: a line, the mouse.
    pub fn about_to_jump(&mut self) {
        self.keep_place((self.session.branch.clone(), self.session.moment));
    }

    fn keep_place(&mut self, place: (String, Moment)) {
        if self.jumps.last() != Some(&place) {
            self.jumps.push(place);
            let extra = self.jumps.len().saturating_sub(MAX);
            self.jumps.drain(..extra);
        }
    }

    /// The last place that is remembered and is not where one stands.
    pub fn jump_to(&self) -> Option<&(String, Moment)> {
        let here = (&self.session.branch, self.session.moment);
        let there = |(branch, _): &&(String, Moment)| {
            *branch == self.session.branch || self.session.branches.iter().any(|c| c.name == *branch)
        };
        self.jumps.iter().rev().filter(there).find(|(branch, m)| (branch, *m) != here)
    }

    pub(crate) fn jump_back(&mut self) {
        let Some((branch, moment)) = self.jump_to().cloned() else { return };
        while let Some(last) = self.jumps.pop() {
            if last == (branch.clone(), moment) {
                break;
            }
        }
        if branch != self.session.branch
            && let Some(i) = self.session.branches.iter().position(|c| c.name == branch)
        {
            self.session.take_branch(i);
            self.leave_comparison();
        }
        self.go(moment);
        self.say(format!("back to tick {}, before the last jump", self.session.moment.tick));
    }

    /// Keys and pokes of the flight as one number: another flight of as many has another one.
    fn inputs(&self) -> Option<u64> {
        let inputs = self.session.history.inputs();
        (!inputs.is_empty()).then(|| mayfly_engine::hash::of_text(&format!("{inputs:?}")))
    }

    /// True where the flight has inputs of one's own since it was saved.
    pub fn has_unsaved(&self) -> bool {
        let now = self.inputs();
        !self.session.is_replay() && now.is_some() && now != self.disk.saved
    }

    /// A copy of a flight with inputs of one's own is kept for the next start, some seconds after each change and when one
    /// leaves; none, where all is saved.
    pub fn keep_recovery(&mut self, now: Instant, leaves: bool) {
        // This is asked in every turn of the loop: a long flight is looked at only where a copy may be due. One that waits to
        // be taken up is not written over.
        let soon = self.disk.recovery.1.is_some_and(|t| now.duration_since(t) < RECOVERY);
        if soon && !leaves || self.disk.recovered.is_some() {
            return;
        }
        self.disk.recovery.1 = Some(now);
        let unsaved = if self.has_unsaved() { self.inputs() } else { None };
        if unsaved == self.disk.recovery.0 {
            return;
        }
        let text = if unsaved.is_some() { self.session.flight_text() } else { String::new() };
        self.disk.recovery.0 = unsaved;
        self.disk.to_write.push((Writing::Recovery, text));
    }

    /// The flight that was left unsaved goes on.
    pub(crate) fn recover(&mut self) {
        let Some(flight) = self.disk.recovered.take() else { return };
        let mut refly = self.session.to_replay(&flight);
        refly.is_own = true;
        self.rerun.refly = Some(Box::new(refly));
    }

    /// It is given up.
    pub(crate) fn forget_recovered(&mut self) {
        self.disk.recovered = None;
        self.disk.to_write.push((Writing::Recovery, String::new()));
        self.say("the flight that was left is put away");
    }

    /// To the next fault of the flight, from the last one to the first.
    pub(crate) fn next_fault(&mut self) {
        let here = self.session.moment.tick;
        let ticks: Vec<u64> = self.session.index.faults.iter().map(|f| f.tick).collect();
        let next = ticks.iter().find(|t| **t > here).or(ticks.first()).copied();
        if let Some(tick) = next {
            let text = self.session.index.faults.iter().find(|f| f.tick == tick).map(|f| f.fault.text.clone());
            self.go(Moment { tick, at: At::End });
            self.say(format!("tick {tick}: {}", text.unwrap_or_default()));
        }
    }

    /// A person's editor at the line of what is selected; else at that of the first problem, else at the first line.
    pub(crate) fn open_editor(&mut self) {
        let s = &self.session;
        let problem = s.problems.first().map(|d| (d.span, &s.problem_sources[..]));
        let (span, sources) = self.selected_span().map(|span| (span, &s.sources[..])).or(problem).unwrap_or_default();
        let (line, name) = match sources.get(span.file as usize) {
            Some(src) => (mayfly_base::span::line_column(&src.text, span.start as usize).0, src.name.clone()),
            None => (1, s.sources.first().map_or(String::new(), |s| s.name.clone())),
        };
        self.play.running = false;
        self.disk.to_write.push((Writing::Editor, format!("{line}\n{name}")));
    }

    pub(crate) fn save_flight(&mut self) {
        let text = self.session.flight_text();
        self.disk.to_write.push((Writing::Flight, text));
    }

    /// The flight was written.
    pub fn flight_is_saved(&mut self) {
        self.disk.saved = self.inputs();
    }
}
