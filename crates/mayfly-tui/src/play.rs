//! Running for a stretch of real time, and flying a new text.
//!
//! Invariant: nothing here takes longer than it was given.

use crate::app::{App, Lane, SPEEDS, Writing};
use crate::budget::Budget;
use mayfly_base::{ActorId, RuleId};
use mayfly_session::moment::{At, Moment};
use std::time::Duration;

/// How long a new text is flown before the screen is drawn again.
pub(crate) const AT_ONCE: Duration = Duration::from_millis(60);

impl App {
    /// Runs for a stretch of real time; true where anything changed.
    pub fn run_for(&mut self, passed: Duration, until: impl Into<Budget>) -> bool {
        let budget = until.into();
        if !self.play.running {
            return false;
        }
        let (_, factor) = SPEEDS[self.play.speed];
        let past = self.session.moment.tick < self.session.last_tick();
        if self.session.moment.at != At::End && past {
            self.session.go(Moment { at: At::End, ..self.session.moment });
        }
        let mut ran = false;
        if factor == 0.0 {
            if past {
                self.session.go(Moment { tick: self.session.last_tick(), at: At::End });
            }
            ran = self.session.run_ticks(u64::MAX, || budget.is_left()) > 0;
        } else {
            self.play.owed += passed.as_secs_f64() * f64::from(self.session.level.rate.0) * factor;
            // A slow terminal does not make the level leap.
            self.play.owed = self.play.owed.min(f64::from(self.session.level.rate.0) * factor / 4.0 + 2.0);
            let due = self.play.owed.floor() as u64;
            self.play.owed -= due as f64;
            if due > 0 {
                let behind = (self.session.last_tick() - self.session.moment.tick).min(due);
                if behind > 0 {
                    self.session.go(Moment { tick: self.session.moment.tick + behind, at: At::End });
                }
                ran = behind == due || self.session.run_ticks(due - behind, || budget.is_left()) > 0;
            }
        }
        if let Some((i, _)) = self.session.stops.hit.take() {
            self.play.running = false;
            let text = self.session.stops.all.get(i).map_or("", |s| s.text.as_str());
            self.say(format!("stopped at {text}"));
            ran = true;
        }
        if let Some(text) = self.session.to_keep() {
            self.disk.to_write.push((Writing::Kept, text));
        }
        if self.session.is_live() && self.session.has_ended() {
            self.play.running = false;
            let end = self.session.history.live().ended.clone();
            if let Some(e) = end {
                self.say(format!("{} at tick {}: {}", if e.win { "won" } else { "lost" }, e.tick, e.text));
            }
            ran = true;
        }
        if ran {
            self.follow();
        }
        ran
    }

    /// Says what is wrong with a text from the disk.
    pub(crate) fn say_broken(&mut self, n: usize) {
        // One of several files may be the broken one.
        let sources = &self.session.problem_sources;
        let (file, first) = self.session.problems.first().map_or((self.disk.file_name.clone(), String::new()), |d| {
            let file = sources.get(d.span.file as usize).and_then(|s| s.name.rsplit('/').next());
            let file = mayfly_lang::diagnostic::safe(file.unwrap_or(&self.disk.file_name));
            (file, format!("line {}: {}", d.place(sources).0, d.message))
        });
        self.say_error(format!(
            "{n} error{} in {file}, the old run stays. {first} (! shows all)",
            if n == 1 { "" } else { "s" },
        ));
    }

    /// Branches of the text before are flown with the new one.
    pub fn branches_wait(&self) -> bool {
        !self.session.waiting_branches.is_empty()
    }

    /// Goes on with them, where nothing else is flown; true where anything is to be seen of it.
    pub fn fly_waiting_branches(&mut self, until: impl Into<Budget>) -> bool {
        let budget = until.into();
        self.rerun.refly.is_none() && self.session.fly_waiting_branches(|| budget.is_left()) && !self.branches_wait()
    }

    /// Goes on with flying a new text; true where anything is to be seen of it.
    pub fn fly_again(&mut self, until: impl Into<Budget>) -> bool {
        let budget = until.into();
        let Some(mut refly) = self.rerun.refly.take() else { return false };
        if !refly.fly(|| budget.is_left()) {
            let (flown, of) = refly.progress();
            let said = format!(
                "{} is flown again: {}%; the old run is shown until then",
                self.disk.file_name,
                flown * 100 / of
            );
            // While one types the badge in the title says it.
            if self.rerun.says_rerun || refly.opens {
                self.say(said);
            }
            self.rerun.refly = Some(refly);
            return true;
        }
        let mut lost = std::mem::take(&mut refly.lost);
        // What is kept over a new text is kept by name: a number may be another's there.
        let names = self.names_kept();
        let opens = refly.opens;
        let ticks = refly.finish(&mut self.session, &mut lost);
        // What the last frame showed at a place is another's.
        self.hits.clear();
        let gone = self.take_names(names);
        self.play.held.clear();
        self.flight.asked = None;
        self.flight.answer = None;
        self.flight.comparison = None;
        self.flight.differing.clear();
        self.forget_map();
        if opens {
            self.flight.selected_tick = u64::MAX;
            self.follow();
            self.renew_lists();
            return true;
        }
        self.flight.watch_at = self.flight.watch_at.min(self.session.watches.len().saturating_sub(1));
        self.flight.selected_tick = u64::MAX;
        self.rerun.parts_at = self.session.parts_at();
        self.follow();
        self.renew_lists();
        let lost = if lost.is_empty() { String::new() } else { format!("; lost: {}", lost.join(", ")) };
        let gone = if gone.is_empty() { String::new() } else { format!("; no longer there: {}", gone.join(", ")) };
        let parts = match self.rerun.parts_at {
            Some(t) => format!("differs from tick {t} (t compares)"),
            None => "nothing happens otherwise".into(),
        };
        self.play.running |= std::mem::take(&mut self.rerun.resumes);
        if !self.rerun.says_rerun {
            if !gone.is_empty() || !lost.is_empty() {
                self.say(format!("run again: {parts}{gone}{lost}"));
            }
            return true;
        }
        self.say(format!(
            "{} was read again and flown for {}: {parts}{gone}{lost}",
            self.disk.file_name,
            mayfly_session::words::ticks(ticks)
        ));
        true
    }
}

/// What a person chose, by the names of the text in which it was chosen.
struct Kept {
    driving: Option<String>,
    machine: Option<(String, Option<String>)>,
    /// The names of rules, or none for a watch.
    lanes: Vec<Option<String>>,
}

impl App {
    fn names_kept(&self) -> Kept {
        let (p, w) = (&self.session.engine.program, self.session.history.live());
        let name = |a: ActorId| w.actors[a.index()].name.to_string();
        let lane = |l: &Lane| match l {
            Lane::Rule(r) => p.rules.get(r.index()).map(|_| p.rule_in_full(*r)),
            Lane::Watch(_) => None,
        };
        Kept {
            driving: self.play.driving.map(name),
            machine: self
                .flight
                .machine
                .and_then(|(m, of)| Some((p.machines.get(m.index())?.name.clone(), of.map(name)))),
            lanes: self.flight.lanes.iter().map(lane).collect(),
        }
    }

    /// Finds in the new text what was chosen in the old one; gives the names of what is not there.
    fn take_names(&mut self, kept: Kept) -> Vec<String> {
        let (p, w) = (&self.session.engine.program, self.session.history.live());
        let mut gone = vec![];
        let actor = |name: &str| w.living().find(|(_, a)| &*a.name == name);
        self.play.driving = kept.driving.and_then(|name| {
            let found = actor(&name).filter(|(_, a)| p.kinds[a.kind.index()].steered).map(|(id, _)| id);
            if found.is_none() {
                gone.push(name);
            }
            found
        });
        self.flight.machine = kept.machine.and_then(|(name, of)| {
            let of = of.map(|n| actor(&n).map(|(id, _)| id));
            let found = w.machines.keys().find(|(m, a)| {
                p.machines[m.index()].name == name && Some(*a) == of.map_or(Some(None), |x| x.map(Some))
            });
            if found.is_none() {
                gone.push(name);
            }
            found.copied()
        });
        let mut names = kept.lanes.into_iter();
        self.flight.lanes.retain_mut(|lane| {
            let Some(Some(name)) = names.next() else { return true };
            let rules = (0..self.session.level.rules.len()).map(RuleId::at);
            match rules.into_iter().find(|r| p.rule_in_full(*r) == name) {
                Some(r) => *lane = Lane::Rule(r),
                None => {
                    gone.push(format!("\"{name}\""));
                    return false;
                }
            }
            true
        });
        gone
    }
}
