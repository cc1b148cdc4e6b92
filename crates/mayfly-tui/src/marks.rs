//! Stop marks, pokes, courses and watches as commands give them, and keeping them beside the level.
//!
//! Invariant: whatever is changed here is written, or said to be lost.

use crate::app::{App, Writing};

impl App {
    /// One action by hand.
    pub fn poke(&mut self, text: &str) -> Result<(), String> {
        self.running = false;
        let branched = self.session.poke(text)?;
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
    pub fn toggle_stop(&mut self, text: &str) -> Result<(), String> {
        let put = self.session.toggle_stop(text)?;
        self.say(if put { format!("running stops at {text}") } else { format!("no stop at {text} any more") });
        self.keep_stops();
        Ok(())
    }

    pub fn keep_stops(&mut self) {
        let text = self.session.stops_text();
        self.to_write.push((Writing::Stops, text));
    }

    pub fn fly_anew(&mut self) {
        self.running = false;
        // A run that is begun over was played to its end.
        if let Some(text) = self.session.to_keep_at_leaving() {
            self.to_write.push((Writing::Kept, text));
        }
        self.session.begin_anew();
        self.follow();
        self.say("started over from tick 0; o goes back to the old branch");
    }

    /// The watches are kept beside the level, in their order.
    pub fn keep_watches(&mut self) {
        // What does not fit the present text is kept for the one that it fits again.
        let texts = self.session.watches.iter().map(|w| &w.text).chain(&self.session.unfit_watches);
        let text: String = texts.map(|t| format!("{t}\n")).collect();
        self.to_write.push((Writing::Watches, text));
    }
}
