//! Going to a tick that lies far ahead, or to where something is true: a slice at a time between frames,
//! so that a key is seen at once and `Esc` ends it.
//!
//! Not here: how a flight comes to a tick (`mayfly_session::step`).
//!
//! Invariant: nothing here takes longer than it was given, but for one tick; the moment moves only to
//! where it was sought.

use crate::app::App;
use crate::app::Goal;
use crate::app::Seeking;
use crate::budget::Budget;
use mayfly_base::Value;
use mayfly_base::code::Expr;
use mayfly_engine::World;
use mayfly_session::moment::{At, Moment};
use mayfly_session::values::{self, Needs};

/// Ticks that a search runs the level on.
const MAX: u64 = 10_000_000;
/// Ticks of the flight that are looked through between two looks at the clock.
const PIECE: u64 = 256;

impl App {
    /// Begins to go there; what is near is reached at once.
    pub fn seek(&mut self, goal: Goal, until: Budget) {
        let next = self.session.moment.tick + 1;
        let end = self.session.last_tick().saturating_add(MAX);
        let back = self.session.moment.tick;
        self.play.seeking = Some(Seeking { goal, next, back, runs_on: false, end });
        self.seek_for(until);
    }

    /// Goes on with a search that found nothing in the flight: the level is run on until it is true.
    pub fn seek_on(&mut self, expr: Expr, needs: Needs, text: String, until: Budget) {
        let next = self.session.history.live_tick();
        let end = self.session.last_tick().saturating_add(MAX);
        self.about_to_jump();
        let goal = Goal::True(Box::new(expr), needs, text);
        self.play.seeking = Some(Seeking { goal, next, back: 0, runs_on: true, end });
        self.seek_for(until);
    }

    /// Ends a search; true where there was one.
    pub fn stop_seeking(&mut self) -> bool {
        let was = self.play.seeking.take().is_some();
        if was {
            self.say(format!("ended at tick {}", self.session.last_tick()));
        }
        was
    }

    /// Goes on with what is sought; true where anything is to be seen of it.
    pub fn seek_for(&mut self, until: impl Into<Budget>) -> bool {
        let budget = until.into();
        let Some(mut s) = self.play.seeking.take() else { return false };
        let done = match &s.goal {
            Goal::Tick(tick) => self.seek_tick(*tick, &budget),
            Goal::True(..) => self.seek_truth(&mut s, &budget),
        };
        if !done {
            self.play.seeking = Some(s);
        }
        true
    }

    fn seek_tick(&mut self, tick: u64, budget: &Budget) -> bool {
        let reached = self.session.go_to_tick(tick, || budget.is_left());
        self.follow();
        if let Some((i, _)) = self.session.stops.hit.take() {
            let text = self.session.stops.all.get(i).map_or("", |s| s.text.as_str());
            self.say(format!("stopped at {text}"));
            return true;
        }
        if reached < tick && self.session.has_ended() {
            self.say(format!("the level ended at tick {reached}"));
            return true;
        }
        if reached < tick {
            self.say(format!("on the way to tick {tick}: {}%   Esc ends it", reached * 100 / tick));
        }
        let there = reached >= tick;
        if there {
            self.message = (String::new(), false);
        }
        there
    }

    fn seek_truth(&mut self, s: &mut Seeking, budget: &Budget) -> bool {
        let Goal::True(expr, needs, text) = &s.goal else { return true };
        let engine = self.session.engine.clone();
        let holds = |w: &World| values::by_needs(&engine, w, expr, *needs, None, &[]) == Ok(Value::Flag(true));
        let mut found = None;
        let live = self.session.history.live_tick();
        while found.is_none() && s.next < live && budget.is_left() {
            let to = (s.next + PIECE).min(live);
            self.session.history.scan_worlds(&engine, s.next, to, |tick, w| {
                if found.is_none() && holds(w) {
                    found = Some(tick);
                }
            });
            s.next = to;
        }
        // What comes was looked through: then what was, the latest first.
        while found.is_none() && s.next >= live && s.back > 0 && budget.is_left() {
            let from = s.back.saturating_sub(PIECE);
            self.session.history.scan_worlds(&engine, from, s.back, |tick, w| {
                if holds(w) {
                    found = Some(tick);
                }
            });
            s.back = from;
        }
        // Here alone: that is told, and not denied.
        let here = self.session.moment.tick;
        if found.is_none() && s.next >= live && s.back == 0 && !s.runs_on {
            self.session.history.scan_worlds(&engine, here, here + 1, |tick, w| {
                if holds(w) {
                    found = Some(tick);
                }
            });
        }
        if found.is_none() && s.next >= live && s.back == 0 && !s.runs_on && !self.session.has_ended() {
            self.overlays.push(crate::app::Overlay::run_on(text));
            return true;
        }
        if found.is_none() && s.runs_on && s.next >= live && budget.is_left() {
            let left = s.end.saturating_sub(live);
            found = self.session.run_until(left, || budget.is_left(), holds);
            s.next = self.session.history.live_tick();
        }
        if let Some(tick) = found {
            self.say(format!("{text}: true at the end of tick {tick}"));
            self.go(Moment { tick, at: At::End });
            return true;
        }
        let last = self.session.last_tick();
        if s.next > last && self.session.has_ended() {
            self.say_error(format!("{text}: not true before the level ends"));
            return true;
        }
        if s.next >= s.end {
            self.say_error(format!("{text}: not true up to tick {last}"));
            return true;
        }
        self.say(format!("{text}: not true up to tick {}   Esc ends the search", s.next.saturating_sub(1)));
        false
    }
}
