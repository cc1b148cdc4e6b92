//! What is selected, how it moves, and what is proposed for it.
//!
//! Invariant: the selection goes with the moment; what is proposed can be read by what it is proposed to.

use crate::app::{App, Asked, Drawer, Pane};
use mayfly_base::*;
use mayfly_session::cascade::{Mark, Rung};
use mayfly_session::cascade_text::line_text;
use mayfly_session::session::StepSize;
use mayfly_session::things::Thing;
use mayfly_session::watch::Watch;

impl App {
    /// The selected rung of the cascade, where it is still there.
    pub fn selected_rung(&self) -> Option<u32> {
        self.flight.selected.filter(|n| self.session.now.cascade.rung(*n).is_some())
    }

    /// The selected watch, where it is a value and no heading.
    pub fn selected_watch(&self) -> Option<&Watch> {
        self.session.watches.get(self.flight.watch_at).filter(|w| !w.heading)
    }

    pub fn asked_rule(&self) -> Option<RuleId> {
        match self.flight.asked {
            Some(Asked::WhyNot(r)) => Some(r),
            _ => None,
        }
    }

    /// After the moment moved: the selection goes with it.
    pub fn follow(&mut self) {
        let s = &self.session;
        if self.flight.selected_tick != s.moment.tick {
            self.flight.toggled.clear();
            self.flight.selected = None;
            self.flight.selected_tick = s.moment.tick;
        }
        if let Some(n) = s.rung_here() {
            self.flight.selected = Some(n);
        } else if self.selected_rung().is_none() {
            let first =
                |m: Option<Mark>| s.now.cascade.rungs().find(|r| m.is_none_or(|m| r.mark == m)).map(|r| r.number);
            self.flight.selected = first(Some(Mark::Fault)).or(first(Some(Mark::Fired))).or(first(None));
        }
        self.flight.answer = None;
    }

    pub fn move_in_pane(&mut self, by: i64) {
        let moved = |at: usize, n: usize| (at as i64 + by).clamp(0, n.saturating_sub(1) as i64) as usize;
        match self.flight.focus {
            Pane::Watches => {
                let shown = crate::flight::watches::visible(self);
                let at = shown.iter().position(|i| *i >= self.flight.watch_at).unwrap_or(0);
                let Some(to) = shown.get(moved(at, shown.len())) else { return };
                self.flight.watch_at = *to;
                if let Some(Asked::Watch(_)) = self.flight.asked {
                    self.flight.asked = Some(Asked::Watch(self.flight.watch_at));
                    self.flight.answer = None;
                }
            }
            Pane::Why => self.move_in_drawer(by),
            Pane::Map => self.move_cursor(0, by),
            Pane::Log => {
                let n = crate::flight::log::entries(self).len();
                self.flight.log_at = moved(self.flight.log_at, n);
            }
            Pane::Cascade => {
                let rungs: Vec<u32> = self.visible_rungs();
                if rungs.is_empty() {
                    return;
                }
                let at = self.flight.selected.and_then(|n| rungs.iter().position(|r| *r == n));
                let next = at.map_or(0, |at| moved(at, rungs.len()));
                self.flight.selected = Some(rungs[next]);
                self.flight.asked = None;
                self.flight.answer = None;
                self.flight.why_scroll = 0;
            }
        }
    }

    /// The rungs that the cascade shows.
    pub fn visible_rungs(&self) -> Vec<u32> {
        self.session.now.cascade.rungs().filter(|r| self.shows(r)).map(|r| r.number).collect()
    }

    /// Whether the cascade shows a rung: `h` leaves out what did not fire, `f` what lacks the letters.
    pub fn shows(&self, r: &Rung) -> bool {
        let fired = !self.flight.only_fired || matches!(r.mark, Mark::Fired | Mark::GoesOn | Mark::Fault);
        let wanted = &self.flight.filter[0];
        let has = |text: &str| text.to_lowercase().contains(wanted);
        fired
            && (wanted.is_empty()
                || has(&r.title)
                || has(&r.note)
                || r.lines.iter().any(|l| has(&line_text(&l.what, "→"))))
    }

    pub fn watch_suggestion(&self) -> String {
        let Some(rung) = self.selected_rung().and_then(|n| self.session.now.cascade.rung(n)) else {
            return String::new();
        };
        rung.lines
            .iter()
            .find_map(|l| match &l.what {
                mayfly_session::cascade::Done::Wrote { name, target, .. }
                    if !matches!(target, mayfly_engine::Target::Local(_)) =>
                {
                    Some(name.clone())
                }
                _ => None,
            })
            .unwrap_or_default()
    }

    /// What a poke could begin with: the selected watch; the machine that is shown, or the actor that was asked
    /// about; the draw at which one stands; what the selected rung wrote, which is no more than a guess.
    pub fn poke_suggestion(&self) -> (String, bool) {
        if self.flight.focus == Pane::Watches {
            let watch = self.session.watches.get(self.flight.watch_at).filter(|w| w.target.is_some());
            return (watch.map_or(String::new(), |w| format!("{} = ", w.text)), false);
        }
        let (p, w) = (&self.session.engine.program, &self.session.now.world);
        if let (Drawer::Machine, Some((m, of))) = (self.flight.drawer, self.flight.machine) {
            let name = &p.machines[m.index()].name;
            let of = of.and_then(|a| w.actor(a)).map_or(String::new(), |a| format!("{}.", a.name));
            return (format!("go {of}{name} to "), false);
        }
        if let Some(Asked::Thing(Thing::Actor(a))) = self.flight.asked
            && let Some(a) = w.actor(a)
        {
            return (format!("move {} to ", a.name), false);
        }
        let guess = self.session.draw_here().unwrap_or_else(|| match self.watch_suggestion() {
            name if name.is_empty() => name,
            name => format!("{name} = "),
        });
        (guess, true)
    }

    /// What a stop mark could be on: the selected watch, in the finest step size the action at which one stands, or
    /// the rule of the selected rung.
    pub fn stop_suggestion(&self) -> String {
        if self.flight.focus == Pane::Watches
            && let Some(w) = self.selected_watch()
        {
            return w.text.clone();
        }
        let of_rung = self.selected_rung().and_then(|n| self.session.now.cascade.rung(n)).map(|r| r.rule);
        let rule = self.asked_rule().or(of_rung);
        if let (StepSize::Action, Some(r)) = (self.session.step_size, rule)
            && let Some(text) = self.session.action_here(r)
        {
            return text;
        }
        rule.map_or(String::new(), |r| format!("rule \"{}\"", self.session.engine.program.rule_name(r)))
    }
}
