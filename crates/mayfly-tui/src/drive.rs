//! Driving: keys of the steered actors, held and let go, and what they mean while paused.
//!
//! Invariant: a key given twice before the next tick is one press; a key in the past begins another branch.

use crate::app::{App, HeldKey, RELEASE};
use mayfly_base::*;
use mayfly_engine::Input;
use std::time::Instant;

impl App {
    /// All steered actors that are there.
    pub fn steered(&self) -> Vec<ActorId> {
        let p = &self.session.engine.program;
        self.session.now.world.living().filter(|(_, a)| p.kinds[a.kind.index()].steered).map(|(id, _)| id).collect()
    }

    pub fn say_driving(&mut self) {
        let Some(a) = self.play.driving else { return };
        let name = self.session.now.world.actors[a.index()].name.to_string();
        let keys: Vec<String> =
            self.session.level.inputs.iter().skip(4).map(|i| format!("{} {}", i.key, i.name)).collect();
        let keys = if keys.is_empty() { String::new() } else { format!(", {}", keys.join(", ")) };
        let paused = if self.play.running { "" } else { "; paused: keys wait for the next step, Space runs" };
        self.say(format!("you are {name}: arrows walk{keys}; Esc lets go{paused}"));
    }

    /// A key for the one who is driven; false where it is not one of theirs.
    pub fn drive_key(&mut self, input: InputId, repeat: bool, now: Instant) -> bool {
        let Some(actor) = self.play.driving else { return false };
        let arrow = input.index() < DIRECTIONS.len();
        if self.play.running && !arrow {
            if let Some(h) = self.play.held.iter_mut().find(|h| h.actor == actor && h.input == input) {
                h.last = now;
                return true;
            }
            if repeat {
                return true;
            }
            self.play.held.push(HeldKey { actor, input, last: now });
            self.queue(Input::Down(actor, input));
        } else {
            self.queue(Input::Tap(actor, input));
        }
        true
    }

    fn queue(&mut self, input: Input) {
        let name = match &input {
            Input::Tap(_, i) | Input::Down(_, i) => self.session.level.inputs[i.index()].name.clone(),
            _ => String::new(),
        };
        // A key given twice before the next tick is one press.
        if self.session.queued.contains(&input) {
            return;
        }
        if self.session.queue(input) {
            self.follow();
            self.say(format!(
                "{name}: another branch from tick {}; o goes back to the old one",
                self.session.moment.tick + 1
            ));
        } else if !self.play.running {
            self.say(format!("{name} waits for tick {}: n steps, Space runs", self.session.last_tick() + 1));
        }
    }

    /// Keys that are no longer repeated are let go.
    pub fn release_keys(&mut self, now: Instant) {
        if self.play.has_release {
            return;
        }
        let up: Vec<HeldKey> =
            self.play.held.iter().filter(|h| now.duration_since(h.last) > RELEASE).cloned().collect();
        for h in up {
            self.release(h.input);
        }
    }

    pub fn release(&mut self, input: InputId) {
        if let Some(i) = self.play.held.iter().position(|h| h.input == input) {
            let h = self.play.held.remove(i);
            self.session.queued.push(Input::Up(h.actor, h.input));
        }
    }

    pub fn let_go_of_keys(&mut self) {
        for h in std::mem::take(&mut self.play.held) {
            self.session.queued.push(Input::Up(h.actor, h.input));
        }
    }
}
