//! What the drawer and the comparison show, and how one moves between them.
//!
//! Invariant: the drawer shows one thing; Esc leads back to Why.

use crate::app::{Answer, App, Asked, Drawer, Lane, Pane};
use mayfly_base::*;
use mayfly_engine::{Target, TraceEvent};
use mayfly_session::index::Index;
use mayfly_session::moment::{At, Moment};
use mayfly_session::things::Thing;
use mayfly_session::watch::Watch;

/// Columns before the moment in which something must have happened to get a lane unasked.
const LANES_BACK: u64 = 60;
/// Rules, and watches, that get one unasked.
const MAX_LANES: usize = 8;

impl App {
    /// Scrolls the drawer so that a row of it is seen.
    pub(crate) fn reveal_row(&mut self, row: usize) {
        let height = self.drawer_rows();
        let from = self.flight.why_scroll as usize;
        if row < from {
            self.flight.why_scroll = row as u16;
        } else if row >= from + height {
            self.flight.why_scroll = (row + 1 - height) as u16;
        }
    }

    /// Rows of what the drawer says.
    fn drawer_rows(&self) -> usize {
        let whole = ratatui::layout::Rect { x: 0, y: 0, width: self.size.0, height: self.size.1 };
        let places = crate::flight::places(self, whole);
        let height = places.iter().find(|(p, _)| *p == Pane::Why).map_or(8, |(_, r)| r.height);
        (height.saturating_sub(1 + u16::from(height > 9)) as usize).max(1)
    }

    pub(crate) fn turn_drawer(&mut self, to: Drawer) {
        self.flight.drawer = if self.flight.drawer == to { Drawer::Why } else { to };
        self.flight.why_scroll = 0;
        if to == Drawer::Machine {
            self.flight.machine = None;
            self.flight.machine = self.machine_here();
        }
        if self.is_folded {
            self.flight.focus = Pane::Why;
        }
    }

    /// The drawer answers a question of its own until Esc.
    pub(crate) fn ask_about(&mut self, what: Asked) {
        self.play.running = false;
        if let Asked::Thing(Thing::Machine(key)) = what {
            self.flight.machine = Some(key);
        }
        self.flight.drawer = Drawer::Why;
        self.flight.asked = Some(what);
        self.flight.answer = None;
        self.flight.why_scroll = 0;
        if self.is_folded {
            self.flight.focus = Pane::Why;
        }
    }

    /// The machine to draw: the one shown, that of whom one asks about, the one that moved here, the first.
    pub fn machine_here(&self) -> Option<mayfly_engine::world::MachineKey> {
        let s = &self.session;
        let lives = |k: &mayfly_engine::world::MachineKey| s.now.world.machines.contains_key(k);
        let asked = match self.flight.asked {
            Some(Asked::Thing(Thing::Machine(k))) => Some(k),
            Some(Asked::Thing(Thing::Actor(a))) => s.machine_keys().into_iter().find(|(_, of)| *of == Some(a)),
            _ => None,
        };
        let of_rung = self
            .selected_rung()
            .and_then(|n| s.now.cascade.rung(n))
            .and_then(|r| r.me)
            .and_then(|a| s.machine_keys().into_iter().find(|(_, of)| *of == Some(a)));
        let went = s.now.records.iter().find_map(|r| match r {
            TraceEvent::WentTo { machine, of, .. } => Some((*machine, *of)),
            _ => None,
        });
        asked.or(self.flight.machine).filter(lives).or(of_rung).or(went).filter(lives).or_else(|| {
            let changed = |k: &mayfly_engine::world::MachineKey| s.way_of(*k).last().map(|w| w.tick);
            let keys = s.machine_keys();
            let last = keys.iter().filter(|k| changed(k).is_some()).max_by_key(|k| changed(k)).copied();
            last.or(keys.first().copied())
        })
    }

    pub(crate) fn next_machine(&mut self) {
        let keys = self.session.machine_keys();
        let at = self.machine_here().and_then(|k| keys.iter().position(|x| *x == k));
        self.flight.machine = at.map(|i| keys[(i + 1) % keys.len()]);
        if let Some(Asked::Thing(Thing::Machine(_))) = self.flight.asked {
            self.flight.asked = None;
            self.flight.answer = None;
        }
        self.flight.drawer = Drawer::Machine;
    }

    /// What would get a lane: the selected watch, or the rule of the selected rung.
    pub fn selected_lane(&self) -> Option<Lane> {
        if self.flight.focus == Pane::Watches {
            return self.selected_watch().map(|w| Lane::Watch(w.text.clone()));
        }
        let of_rung = self.selected_rung().and_then(|n| self.session.now.cascade.rung(n)).map(|r| r.rule);
        self.asked_rule().or(of_rung).map(Lane::Rule)
    }

    pub(crate) fn pin(&mut self) {
        let Some(lane) = self.selected_lane() else { return };
        let name = self.lane_name(&lane);
        if let Some(i) = self.flight.lanes.iter().position(|l| *l == lane) {
            self.flight.lanes.remove(i);
            self.say(format!("{name} has no lane any more"));
        } else {
            self.flight.lanes.push(lane);
            self.say(format!("{name} has a lane"));
        }
        self.flight.drawer = Drawer::Lanes;
    }

    pub fn lane_name(&self, lane: &Lane) -> String {
        match lane {
            Lane::Rule(r) => self.session.engine.program.rule_in_full(*r),
            Lane::Watch(text) => text.clone(),
        }
    }

    /// The lanes to show: those that were pinned; else what was evaluated and what changed in this tick or
    /// shortly before.
    pub fn shown_lanes(&self) -> Vec<Lane> {
        if !self.flight.lanes.is_empty() {
            return self.flight.lanes.clone();
        }
        let s = &self.session;
        let here = s.moment.tick;
        let columns = LANES_BACK.min(u64::from(self.size.0) * 2 / 5);
        let from = here.saturating_sub(columns * self.flight.lane_scale);
        let mut rules: Vec<(u64, RuleId)> = s
            .index
            .evaluated
            .values()
            .enumerate()
            .filter_map(|(r, ticks)| Index::last(Some(ticks), here).filter(|t| *t >= from).map(|t| (t, RuleId::at(r))))
            .collect();
        rules.sort_by_key(|(t, r)| (std::cmp::Reverse(*t), *r));
        let changed = |w: &&Watch| {
            let n = w.series.partition_point(|(t, _)| *t <= here);
            n > 1 && w.series[n - 1].0 >= from && !w.flows
        };
        let watches = s.watches.iter().filter(changed).map(|w| Lane::Watch(w.text.clone())).take(MAX_LANES);
        rules.into_iter().map(|(_, r)| Lane::Rule(r)).take(MAX_LANES).chain(watches).collect()
    }

    /// `+` and `-` are the lanes' where the keys go to them.
    pub(crate) fn zooms_lanes(&self) -> bool {
        self.flight.drawer == Drawer::Lanes && self.flight.focus == Pane::Why
    }

    /// The text before the last edit, then the branch that was left last, then nothing is compared.
    pub(crate) fn then_and_now(&mut self) {
        self.flight.comparison = None;
        let branch = self.session.branches.len().checked_sub(1);
        let next = match (self.flight.comparing, self.session.beside.is_some(), self.session.then.is_some(), branch) {
            (false, _, true, _) => Some(None),
            (false, _, false, Some(b)) | (true, false, _, Some(b)) => Some(Some(b)),
            _ => None,
        };
        self.flight.comparing = next.is_some();
        self.session.put_beside(next.flatten());
        if self.flight.comparing {
            self.begin_comparing();
        } else {
            self.rerun.parts_at = self.session.parts_at();
            self.flight.differing.clear();
        }
    }

    /// Another branch is flown: what was compared is no longer that.
    pub(crate) fn leave_comparison(&mut self) {
        if self.session.beside.is_some() {
            self.flight.comparing = false;
        }
        self.session.put_beside(None);
        self.flight.differing.clear();
        self.rerun.parts_at = self.session.parts_at();
        self.flight.comparison = None;
        self.forget_map();
    }

    /// A branch is compared with the present one.
    pub(crate) fn compare_branch(&mut self, i: usize) {
        self.flight.comparison = None;
        self.session.put_beside(Some(i));
        self.flight.comparing = self.session.beside.is_some();
        self.begin_comparing();
    }

    fn begin_comparing(&mut self) {
        self.rerun.parts_at = self.session.parts_at();
        self.flight.differing = self.session.differing();
        let (left, right) = match &self.session.beside {
            Some((name, _)) => (format!("\"{name}\""), "this branch"),
            None => ("then".to_string(), "now"),
        };
        match self.rerun.parts_at {
            Some(tick) => {
                self.about_to_jump();
                self.go(Moment { tick, at: At::End });
                self.say(format!("the two differ from tick {tick}: {left} on the left, {right} on the right"));
            }
            None => self.say("nothing happens otherwise in the two, as far as both were flown"),
        }
    }

    /// Makes what the comparison shows, where the moment moved.
    pub(crate) fn ask_comparison(&mut self) {
        self.flight.comparing &= self.session.other().is_some();
        let tick = self.session.moment.tick;
        if self.flight.comparing && self.flight.comparison.as_ref().is_none_or(|(t, _)| *t != tick) {
            self.flight.comparison = self.session.compare().map(|c| (tick, c));
        }
    }

    /// To the first thing that the selected rung led to.
    pub(crate) fn first_effect(&mut self) {
        self.flight.asked = None;
        self.flight.answer = None;
        let link = match self.ask() {
            Answer::Why(w) => w.led_to.first().cloned(),
            _ => None,
        };
        match link {
            Some(l) => {
                self.go(l.moment);
                self.say(l.text);
            }
            None => self.say("it led to nothing in this tick"),
        }
    }

    /// Where the text of the selected thing stands.
    pub fn selected_span(&self) -> Option<Span> {
        let s = &self.session;
        if self.flight.focus == Pane::Watches {
            let w = s.watches.get(self.flight.watch_at)?;
            return match w.target? {
                Target::Var(v) => Some(s.level.vars[v.index()].span),
                Target::Field(a, _) | Target::Attr(a, _) => s.level.actors.get(a.index()).map(|x| x.span),
                _ => None,
            };
        }
        let of_rung = self.selected_rung().and_then(|n| s.now.cascade.rung(n)).map(|r| r.rule);
        let rule = self.asked_rule().or(of_rung)?;
        s.level.rules.get(rule.index()).map(|r| r.span)
    }
}
