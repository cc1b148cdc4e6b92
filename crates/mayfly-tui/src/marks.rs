//! Stop marks, pokes, branches and watches as commands give them, and keeping them beside the level.
//!
//! Invariant: whatever is changed here is written, or said to be lost.

use crate::app::{App, Writing};
use crate::refused::Refused;

impl App {
    /// One action by hand.
    pub fn poke(&mut self, text: &str) -> Result<(), Refused> {
        self.play.running = false;
        let branched = self.session.poke(text)?;
        if branched {
            self.leave_comparison();
        }
        self.follow();
        let tick = self.session.last_tick() + 1;
        self.say(if branched {
            format!("{text}: another branch from tick {tick}; o goes back to the old one")
        } else {
            format!("{text} waits for tick {tick}: n steps, Space runs")
        });
        Ok(())
    }

    /// Puts a stop mark, or takes it away.
    pub fn toggle_stop(&mut self, text: &str) -> Result<(), Refused> {
        let put = self.session.toggle_stop(text)?;
        self.say(if put { format!("running stops at {text}") } else { format!("no stop at {text} any more") });
        self.keep_stops();
        Ok(())
    }

    pub fn keep_stops(&mut self) {
        let text = self.session.stops_text();
        self.disk.to_write.push((Writing::Stops, text));
    }

    pub fn start_over(&mut self) {
        self.play.running = false;
        // A run that is begun over was played to its end.
        if let Some(text) = self.session.to_keep_at_leaving() {
            self.disk.to_write.push((Writing::Kept, text));
        }
        self.session.start_over();
        self.leave_comparison();
        self.follow();
        self.say("started over from tick 0; o goes back to the old branch");
    }

    /// The selection leaves a watch that is not shown.
    pub(crate) fn select_shown_watch(&mut self) {
        let shown = crate::flight::watches::visible(self);
        if !shown.contains(&self.flight.watch_at)
            && let Some(first) = shown.iter().find(|i| **i >= self.flight.watch_at).or(shown.last())
        {
            self.flight.watch_at = *first;
            self.flight.answer = None;
        }
    }

    /// Takes the selected watch out; Ctrl+Z brings it back.
    pub(crate) fn remove_watch(&mut self) {
        let Some(text) = self.session.watches.get(self.flight.watch_at).map(|w| w.text.clone()) else { return };
        self.session.unwatch(self.flight.watch_at);
        let key = self.keys.of_command(crate::command::Command::Undo);
        self.say(format!("{text} is no longer watched; {key} brings it back"));
        self.flight.removed_watches.push((self.flight.watch_at, text));
        self.keep_watches();
        self.flight.watch_at = self.flight.watch_at.min(self.session.watches.len().saturating_sub(1));
        self.select_shown_watch();
        self.flight.asked = None;
        self.flight.answer = None;
    }

    /// The watch that was removed last stands where it stood.
    pub(crate) fn bring_back_watch(&mut self) {
        let Some((at, text)) = self.flight.removed_watches.pop() else { return };
        match self.session.watch(&text) {
            Ok(mut i) => {
                while i > at {
                    i = self.session.move_watch(i, false);
                }
                self.flight.watch_at = i;
                self.keep_watches();
                self.say(format!("{text} is watched again"));
            }
            Err(why) => self.say_error(format!("{text} does not fit this text: {why}")),
        }
        self.flight.answer = None;
    }

    /// The watches are kept beside the level, in their order.
    pub fn keep_watches(&mut self) {
        // What does not fit the present text is kept for the one that it fits again.
        let texts = self.session.watches.iter().map(|w| &w.text).chain(&self.session.unfit_watches);
        let text: String = texts.map(|t| format!("{t}\n")).collect();
        self.disk.to_write.push((Writing::Watches, text));
    }
}
