//! Back to where one stood before a jump, and what is asked before one leaves.
//!
//! Not here: how one goes anywhere (`mayfly_lab::step`).
//!
//! Invariant: a place that is remembered is another than the one before it; a flight with inputs of one's own that is not
//! saved is left only after asking.

use crate::app::{App, Writing};
use mayfly_lab::session::Moment;

/// Jumps that are remembered.
const MOST: usize = 200;

impl App {
    /// Remembers where one stood, where one stands elsewhere now.
    pub fn remember(&mut self, stood: (String, Moment)) {
        if (&self.session.course, self.session.moment) != (&stood.0, stood.1) {
            self.keep_place(stood);
        }
    }

    /// Before a jump that is made by something else than a command: a line, the mouse.
    pub fn about_to_jump(&mut self) {
        self.keep_place((self.session.course.clone(), self.session.moment));
    }

    fn keep_place(&mut self, place: (String, Moment)) {
        if self.jumps.last() != Some(&place) {
            self.jumps.push(place);
            let extra = self.jumps.len().saturating_sub(MOST);
            self.jumps.drain(..extra);
        }
    }

    /// The last place that is remembered and is not where one stands.
    pub fn jump_to(&self) -> Option<&(String, Moment)> {
        let here = (&self.session.course, self.session.moment);
        let there = |(course, _): &&(String, Moment)| {
            *course == self.session.course || self.session.courses.iter().any(|c| c.name == *course)
        };
        self.jumps.iter().rev().filter(there).find(|(course, m)| (course, *m) != here)
    }

    pub(crate) fn jump_back(&mut self) {
        let Some((course, moment)) = self.jump_to().cloned() else { return };
        while let Some(last) = self.jumps.pop() {
            if last == (course.clone(), moment) {
                break;
            }
        }
        if course != self.session.course
            && let Some(i) = self.session.courses.iter().position(|c| c.name == course)
        {
            self.session.take_course(i);
            self.parts_at = self.session.parts_at();
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
        !self.session.is_replay() && now.is_some() && now != self.saved
    }

    pub(crate) fn save_flight(&mut self) {
        let text = self.session.flight_text();
        self.to_write.push((Writing::Flight, text));
    }

    /// The flight was written.
    pub fn flight_is_saved(&mut self) {
        self.saved = self.inputs();
    }
}
