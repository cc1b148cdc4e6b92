//! The stop marks of a session: put, taken away, kept as text, and proposed for where one stands.
//!
//! Not here: what a mark looks for ([`crate::stops`]).
//!
//! Invariant: a mark that no longer fits the level stays in the text that is kept.

use crate::moment::At;
use crate::session::Session;
use crate::stops::{Stop, StopError, actions_of};
use mayfly_base::*;
use mayfly_engine::TraceEvent;

impl Session {
    /// The mark that stands for the action at which the moment stands, if it is one of that rule's.
    pub fn action_here(&self, rule: RuleId) -> Option<String> {
        let At::Record(at) = self.moment.at else { return None };
        let program = &self.engine.program;
        let span = program.spans[self.now.records.get(at as usize)?.pc()? as usize];
        let nth = actions_of(&self.level, rule).iter().position(|s| *s == span)?;
        Some(format!("action \"{}\" {}", program.rule_name(rule), nth + 1))
    }

    /// The poke that fixes the draw at which the moment stands, but for its value.
    pub fn draw_here(&self) -> Option<String> {
        let At::Record(at) = self.moment.at else { return None };
        let TraceEvent::Drew { draw, .. } = self.now.records.get(at as usize)? else { return None };
        let (title, nth) = self.level.draws.get(draw.index())?.rsplit_once('/')?;
        Some(format!("next draw \"{title}\" {} = ", nth.parse::<usize>().ok()? + 1))
    }

    /// Puts a mark, or takes the one of the same text away; true where it was put.
    ///
    /// # Errors
    /// What is wrong with it.
    pub fn toggle_stop(&mut self, text: &str) -> Result<bool, StopError> {
        if let Some(i) = self.stops.all.iter().position(|s| s.text == text.trim()) {
            self.stops.all.remove(i);
            return Ok(false);
        }
        let stop = Stop::read(&self.level, text)?;
        self.stops.all.push(stop);
        Ok(true)
    }

    /// The marks as text, one line each, those that are off behind a `#`.
    pub fn stops_text(&self) -> String {
        let marks = self.stops.all.iter().map(|s| format!("{}{}\n", if s.is_on { "" } else { "# " }, s.text));
        marks.chain(self.unfit_stops.iter().map(|t| format!("{t}\n"))).collect()
    }

    /// Takes marks over from text; gives what is not understood any more.
    pub fn read_stops(&mut self, text: &str) -> Vec<String> {
        let mut lost = vec![];
        self.stops.all.clear();
        self.unfit_stops.clear();
        for line in text.lines().map(str::trim).filter(|l| !l.is_empty()) {
            let (is_on, text) = line.strip_prefix("# ").map_or((true, line), |t| (false, t));
            match Stop::read(&self.level, text) {
                Ok(mut s) => {
                    s.is_on = is_on;
                    self.stops.all.push(s);
                }
                Err(why) => {
                    self.unfit_stops.push(line.into());
                    lost.push(format!("{text}: {why}"));
                }
            }
        }
        lost
    }
}
