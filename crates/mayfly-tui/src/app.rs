//! The application's state, and what each command does to it.
//!
//! `update` changes the state, `draw` (in [`crate::screen`]) only shows it. Reading keys and the clock
//! is [`crate::run`]'s.
//!
//! Invariant: nothing here draws, sleeps or reads a file; the session alone says what is true.

use crate::commands::Command;
use crate::overlay::Overlay;
use crate::theme::Theme;
use mayfly_base::*;
use mayfly_engine::Input;
use mayfly_lab::cascade::Mark;
use mayfly_lab::reload::Reloaded;
use mayfly_lab::session::{At, Moment, Session};
use mayfly_lab::step::Step;
use mayfly_lab::why::Why;
use mayfly_lab::why_not::WhyNot;
use std::collections::BTreeSet;
use std::time::{Duration, Instant};

/// A pane of the flight view.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Pane {
    Map,
    Cascade,
    Watches,
    Why,
}

impl Pane {
    pub const ALL: [Self; 4] = [Self::Map, Self::Cascade, Self::Watches, Self::Why];
}

/// Speeds of running: how they are called, and how many times the level's own rate; 0: as fast as it goes.
pub const SPEEDS: [(&str, f64); 8] =
    [("¼×", 0.25), ("½×", 0.5), ("1×", 1.0), ("2×", 2.0), ("4×", 4.0), ("8×", 8.0), ("16×", 16.0), ("flat out", 0.0)];

/// What the drawer was asked, where it does not follow the selected rung.
#[derive(Clone, Debug)]
pub enum Asked {
    WhyNot(RuleId),
    Watch(usize),
}

/// What the drawer says, kept until the moment or the question changes.
#[derive(Clone, Debug)]
pub enum Answer {
    Why(Box<Why>),
    WhyNot(Box<WhyNot>),
    Watch(usize),
    Nothing,
}

/// What the world outside has to do.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Effect {
    None,
    Quit,
}

/// What is written beside the level.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Writing {
    Stops,
    Kept,
    Flight,
}

/// An input that a key holds down.
#[derive(Clone, Debug)]
pub struct HeldKey {
    pub actor: ActorId,
    pub input: InputId,
    pub last: Instant,
}

/// Without a release from the terminal, a key counts as up when no repeat came for so long.
pub const RELEASE: Duration = Duration::from_millis(150);

pub struct App {
    pub session: Session,
    pub theme: Theme,
    pub running: bool,
    pub speed: usize,
    /// Ticks that running owes, in parts of one.
    pub owed: f64,
    pub driving: Option<ActorId>,
    pub held: Vec<HeldKey>,
    pub focus: Pane,
    pub selected: Option<u32>,
    /// The tick for which folds and selection stand.
    pub selected_tick: u64,
    pub toggled: BTreeSet<u32>,
    pub only_fired: bool,
    pub only_changed: bool,
    pub watch_at: usize,
    pub why_scroll: u16,
    pub asked: Option<Asked>,
    pub answer: Option<(Moment, Option<u32>, Answer)>,
    pub zoom: u32,
    pub overlays: Vec<Overlay>,
    /// What just happened, for the bottom row; true where it is an error.
    pub message: (String, bool),
    /// The terminal tells when a key is let go.
    pub has_release: bool,
    pub file_name: String,
    /// The terminal is small: one pane is shown at a time.
    pub is_folded: bool,
    /// What the world outside has to write.
    pub to_write: Vec<(Writing, String)>,
    /// The size of the last frame, for the mouse.
    pub size: (u16, u16),
}

impl App {
    pub fn new(session: Session, theme: Theme, file_name: String) -> Self {
        let mut app = Self {
            session,
            theme,
            running: false,
            speed: 2,
            owed: 0.0,
            driving: None,
            held: vec![],
            focus: Pane::Cascade,
            selected: None,
            selected_tick: 0,
            toggled: BTreeSet::new(),
            only_fired: false,
            only_changed: false,
            watch_at: 0,
            why_scroll: 0,
            asked: None,
            answer: None,
            zoom: 0,
            overlays: vec![],
            message: (String::new(), false),
            has_release: false,
            file_name,
            is_folded: false,
            to_write: vec![],
            size: (0, 0),
        };
        app.follow();
        app
    }

    pub fn say(&mut self, text: impl Into<String>) {
        self.message = (text.into(), false);
    }

    pub fn say_error(&mut self, text: impl Into<String>) {
        self.message = (text.into(), true);
    }

    /// All steered actors that are there.
    pub fn steered(&self) -> Vec<ActorId> {
        let p = &self.session.engine.program;
        self.session.now.world.living().filter(|(_, a)| p.kinds[a.kind.index()].steered).map(|(id, _)| id).collect()
    }

    /// The selected rung of the cascade, where it is still there.
    pub fn selected_rung(&self) -> Option<u32> {
        self.selected.filter(|n| self.session.now.cascade.rung(*n).is_some())
    }

    /// True where `N` and `B` have something to go along.
    pub fn selection_is_a_thing(&self) -> bool {
        if self.focus == Pane::Watches {
            return self.session.watches.get(self.watch_at).is_some_and(|w| w.target.is_some());
        }
        self.asked_rule().is_some() || self.selected_rung().is_some()
    }

    fn asked_rule(&self) -> Option<RuleId> {
        match self.asked {
            Some(Asked::WhyNot(r)) => Some(r),
            _ => None,
        }
    }

    /// After the moment moved: the selection goes with it.
    pub fn follow(&mut self) {
        let s = &self.session;
        if self.selected_tick != s.moment.tick {
            self.toggled.clear();
            self.selected = None;
            self.selected_tick = s.moment.tick;
        }
        if let Some(n) = s.rung_here() {
            self.selected = Some(n);
        } else if self.selected_rung().is_none() {
            let first =
                |m: Option<Mark>| s.now.cascade.rungs().find(|r| m.is_none_or(|m| r.mark == m)).map(|r| r.number);
            self.selected = first(Some(Mark::Fault)).or(first(Some(Mark::Fired))).or(first(None));
        }
        self.answer = None;
    }

    /// What the drawer shows; worked out when first asked.
    pub fn ask(&mut self) -> &Answer {
        let key = (self.session.moment, self.selected_rung());
        let fresh = self.answer.as_ref().is_some_and(|(m, r, _)| (*m, *r) == key);
        if !fresh {
            let answer = match &self.asked {
                Some(Asked::WhyNot(r)) => Answer::WhyNot(Box::new(self.session.why_not(*r))),
                Some(Asked::Watch(i)) => Answer::Watch(*i),
                None => match key.1.and_then(|n| self.session.why(n)) {
                    Some(w) => Answer::Why(Box::new(w)),
                    None => Answer::Nothing,
                },
            };
            self.answer = Some((key.0, key.1, answer));
        }
        self.answer.as_ref().map_or(&Answer::Nothing, |(_, _, a)| a)
    }

    /// Carries a command out.
    pub fn update(&mut self, command: Command) -> Effect {
        self.message = (String::new(), false);
        match command {
            Command::Quit => return Effect::Quit,
            Command::Run => {
                self.running = !self.running;
                self.owed = 0.0;
            }
            Command::Forward => {
                self.running = false;
                let step = self.session.step_forward();
                self.say_step(&step);
                self.follow();
            }
            Command::Back => {
                self.running = false;
                let step = self.session.step_back();
                self.say_step(&step);
                self.follow();
            }
            Command::Finer => self.session.gear = self.session.gear.finer(),
            Command::Coarser => self.session.gear = self.session.gear.coarser(),
            Command::Slower => self.speed -= 1,
            Command::Faster => self.speed += 1,
            Command::Start => self.go(Moment { tick: 0, at: At::Start }),
            Command::Live => self.go(Moment { tick: self.session.last_tick(), at: At::End }),
            Command::AlongForward | Command::AlongBack => self.along(command == Command::AlongForward),
            Command::Drive => {
                self.driving = self.session.steered();
                self.say_driving();
            }
            Command::NextDriven => {
                let all = self.steered();
                let at = all.iter().position(|a| Some(*a) == self.driving).map_or(0, |i| (i + 1) % all.len().max(1));
                self.driving = all.get(at).copied();
                self.say_driving();
            }
            Command::Leave => {
                if self.driving.take().is_some() {
                    self.let_go_of_keys();
                } else {
                    self.asked = None;
                }
                self.answer = None;
            }
            Command::Unwatch => {
                self.session.unwatch(self.watch_at);
                self.watch_at = self.watch_at.min(self.session.watches.len().saturating_sub(1));
                self.asked = None;
                self.answer = None;
            }
            Command::OnlyChanged => {
                self.only_changed = !self.only_changed;
                self.say(if self.only_changed { "watches: only what changed here" } else { "watches: all" });
            }
            Command::OnlyFired => {
                self.only_fired = !self.only_fired;
                self.say(if self.only_fired {
                    "cascade: only what fired"
                } else {
                    "cascade: everything that was judged"
                });
            }
            Command::Why => self.why(),
            Command::FirstCause => self.first_cause(),
            Command::Fold => {
                if let Some(n) = self.selected_rung()
                    && !self.toggled.remove(&n)
                {
                    self.toggled.insert(n);
                }
            }
            Command::NextPane | Command::PreviousPane => {
                let i = Pane::ALL.iter().position(|p| *p == self.focus).unwrap_or(0);
                self.focus = Pane::ALL[(i + if command == Command::NextPane { 1 } else { 3 }) % 4];
            }
            Command::Up => self.move_in_pane(-1),
            Command::Down => self.move_in_pane(1),
            Command::PageUp => self.move_in_pane(-10),
            Command::PageDown => self.move_in_pane(10),
            Command::ZoomIn => self.zoom = (self.zoom + 1).min(16),
            Command::ZoomOut => self.zoom -= 1,
            Command::OtherCourse => {
                self.running = false;
                if self.session.swap_branch() {
                    self.say(format!("another course, to tick {}; o goes back", self.session.last_tick()));
                }
                self.follow();
            }
            Command::Anew => self.fly_anew(),
            Command::GoTo => self.overlays.push(Overlay::go_to()),
            Command::Watch => self.overlays.push(Overlay::watch(self.watch_suggestion())),
            Command::Poke => self.overlays.push(Overlay::poke(self.poke_suggestion())),
            Command::Stop => self.overlays.push(Overlay::stop(self.stop_suggestion())),
            Command::Stops => self.overlays.push(Overlay::stops(self)),
            Command::SaveFlight => {
                let text = self.session.flight_text();
                self.to_write.push((Writing::Flight, text));
            }
            Command::Rules => self.overlays.push(Overlay::rules(self)),
            Command::Problems => self.overlays.push(Overlay::problems(self)),
            Command::Palette => self.overlays.push(Overlay::palette(self)),
            Command::Help => self.overlays.push(Overlay::help()),
        }
        Effect::None
    }

    fn say_step(&mut self, step: &Step) {
        match step {
            Step::Made => {}
            Step::AtStart => self.say("this is the beginning of the flight"),
            Step::Ended => self.say(format!("the level has ended at tick {}", self.session.last_tick())),
            Step::Nothing(n) => self.say(format!("nothing was judged in {n} ticks")),
        }
    }

    fn say_driving(&mut self) {
        let Some(a) = self.driving else { return };
        let name = self.session.now.world.actors[a.index()].name.to_string();
        let keys: Vec<String> =
            self.session.level.inputs.iter().skip(4).map(|i| format!("{} {}", i.key, i.name)).collect();
        let keys = if keys.is_empty() { String::new() } else { format!(", {}", keys.join(", ")) };
        let paused = if self.running { "" } else { "; paused: keys wait for the next step, Space runs" };
        self.say(format!("you are {name}: arrows walk{keys}; Esc lets go{paused}"));
    }

    pub fn go(&mut self, to: Moment) {
        self.running = false;
        self.session.go(to);
        self.follow();
    }

    fn why(&mut self) {
        self.why_scroll = 0;
        if self.focus == Pane::Watches && !self.session.watches.is_empty() {
            self.asked = Some(Asked::Watch(self.watch_at));
        } else {
            self.asked = None;
        }
        self.answer = None;
        if self.is_folded {
            self.focus = Pane::Why;
        }
    }

    fn first_cause(&mut self) {
        self.asked = None;
        self.answer = None;
        let link = match self.ask() {
            Answer::Why(w) => w.because.first().cloned(),
            _ => None,
        };
        match link {
            Some(l) => {
                let moment = l.moment;
                self.go(moment);
                self.say(l.text);
            }
            None => self.say("nothing that was recorded came before"),
        }
    }

    fn along(&mut self, forward: bool) {
        self.running = false;
        let (found, what) = if self.focus == Pane::Watches
            && let Some(w) = self.session.watches.get(self.watch_at).cloned()
        {
            (w.target.is_some_and(|t| self.session.along_write(t, forward)), format!("{} was not written", w.text))
        } else {
            let of_rung = self.selected_rung().and_then(|n| self.session.now.cascade.rung(n)).map(|r| r.rule);
            let Some(rule) = self.asked_rule().or(of_rung) else { return };
            let name = self.session.engine.program.rule_name(rule);
            (self.session.along_rule(rule, forward), format!("\"{name}\" was not judged"))
        };
        self.follow();
        if !found {
            self.say(format!("{what} {} in this flight", if forward { "later" } else { "earlier" }));
        }
    }

    pub fn move_in_pane(&mut self, by: i64) {
        let moved = |at: usize, n: usize| (at as i64 + by).clamp(0, n.saturating_sub(1) as i64) as usize;
        match self.focus {
            Pane::Watches => {
                let n = self.session.watches.len();
                self.watch_at = moved(self.watch_at, n);
                if let Some(Asked::Watch(_)) = self.asked {
                    self.asked = Some(Asked::Watch(self.watch_at));
                    self.answer = None;
                }
            }
            Pane::Why => self.why_scroll = (i64::from(self.why_scroll) + by).clamp(0, 200) as u16,
            Pane::Map | Pane::Cascade => {
                let rungs: Vec<u32> = self.visible_rungs();
                if rungs.is_empty() {
                    return;
                }
                let at = self.selected.and_then(|n| rungs.iter().position(|r| *r == n));
                let next = at.map_or(0, |at| moved(at, rungs.len()));
                self.selected = Some(rungs[next]);
                self.asked = None;
                self.answer = None;
                self.why_scroll = 0;
            }
        }
    }

    /// The rungs that the cascade shows.
    pub fn visible_rungs(&self) -> Vec<u32> {
        let shown = |m: Mark| !self.only_fired || matches!(m, Mark::Fired | Mark::GoesOn | Mark::Fault);
        self.session.now.cascade.rungs().filter(|r| shown(r.mark)).map(|r| r.number).collect()
    }

    fn watch_suggestion(&self) -> String {
        let Some(rung) = self.selected_rung().and_then(|n| self.session.now.cascade.rung(n)) else {
            return String::new();
        };
        rung.lines
            .iter()
            .find_map(|l| match &l.what {
                mayfly_lab::cascade::Done::Wrote { name, target, .. }
                    if !matches!(target, mayfly_engine::Target::Local(_)) =>
                {
                    Some(name.clone())
                }
                _ => None,
            })
            .unwrap_or_default()
    }

    /// What a poke could begin with: the selected watch, with its value.
    fn poke_suggestion(&self) -> String {
        let watch = self.session.watches.get(self.watch_at).filter(|_| self.focus == Pane::Watches);
        match watch.filter(|w| w.target.is_some()) {
            Some(w) => format!("{} = ", w.text),
            None => String::new(),
        }
    }

    /// What a stop mark could be on: the selected watch, or the rule of the selected rung.
    fn stop_suggestion(&self) -> String {
        if self.focus == Pane::Watches
            && let Some(w) = self.session.watches.get(self.watch_at)
        {
            return w.text.clone();
        }
        let of_rung = self.selected_rung().and_then(|n| self.session.now.cascade.rung(n)).map(|r| r.rule);
        let rule = self.asked_rule().or(of_rung);
        rule.map_or(String::new(), |r| format!("rule \"{}\"", self.session.engine.program.rule_name(r)))
    }

    /// One action by hand.
    pub fn poke(&mut self, text: &str) -> Result<(), String> {
        self.running = false;
        let branched = self.session.poke(text)?;
        self.follow();
        let tick = self.session.last_tick() + 1;
        self.say(if branched {
            format!("{text}: another course from tick {tick}; o goes back to the old one")
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

    fn fly_anew(&mut self) {
        self.running = false;
        self.session.begin_anew();
        self.follow();
        self.say("from tick 0 anew; o goes back to the old course");
    }

    /// A key for the one who is driven; false where it is not one of theirs.
    pub fn drive_key(&mut self, input: InputId, repeat: bool, now: Instant) -> bool {
        let Some(actor) = self.driving else { return false };
        let arrow = input.index() < DIRECTIONS.len();
        if self.running && !arrow {
            if let Some(h) = self.held.iter_mut().find(|h| h.actor == actor && h.input == input) {
                h.last = now;
                return true;
            }
            if repeat {
                return true;
            }
            self.held.push(HeldKey { actor, input, last: now });
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
                "{name}: another course from tick {}; o goes back to the old one",
                self.session.moment.tick + 1
            ));
        } else if !self.running {
            self.say(format!("{name} waits for tick {}: n steps, Space runs", self.session.last_tick() + 1));
        }
    }

    /// Keys that are no longer repeated are let go.
    pub fn release_keys(&mut self, now: Instant) {
        if self.has_release {
            return;
        }
        let up: Vec<HeldKey> = self.held.iter().filter(|h| now.duration_since(h.last) > RELEASE).cloned().collect();
        for h in up {
            self.release(h.input);
        }
    }

    pub fn release(&mut self, input: InputId) {
        if let Some(i) = self.held.iter().position(|h| h.input == input) {
            let h = self.held.remove(i);
            self.session.queued.push(Input::Up(h.actor, h.input));
        }
    }

    fn let_go_of_keys(&mut self) {
        for h in std::mem::take(&mut self.held) {
            self.session.queued.push(Input::Up(h.actor, h.input));
        }
    }

    /// Runs for a stretch of real time; true where anything changed.
    pub fn run_for(&mut self, passed: Duration, until: Instant) -> bool {
        if !self.running {
            return false;
        }
        let (_, factor) = SPEEDS[self.speed];
        let past = self.session.moment.tick < self.session.last_tick();
        if self.session.moment.at != At::End && past {
            self.session.go(Moment { at: At::End, ..self.session.moment });
        }
        let mut ran = false;
        if factor == 0.0 {
            if past {
                self.session.go(Moment { tick: self.session.last_tick(), at: At::End });
            }
            ran = self.session.run_ticks(u64::MAX, || Instant::now() < until) > 0;
        } else {
            self.owed += passed.as_secs_f64() * f64::from(self.session.level.rate.0) * factor;
            // A slow terminal does not make the level leap.
            self.owed = self.owed.min(f64::from(self.session.level.rate.0) * factor / 4.0 + 2.0);
            let due = self.owed.floor() as u64;
            self.owed -= due as f64;
            if due > 0 {
                let behind = (self.session.last_tick() - self.session.moment.tick).min(due);
                if behind > 0 {
                    self.session.go(Moment { tick: self.session.moment.tick + behind, at: At::End });
                }
                ran = behind == due || self.session.run_ticks(due - behind, || Instant::now() < until) > 0;
            }
        }
        if let Some((i, _)) = self.session.stops.hit.take() {
            self.running = false;
            let text = self.session.stops.all.get(i).map_or("", |s| s.text.as_str());
            self.say(format!("stopped at {text}"));
            ran = true;
        }
        if let Some(text) = self.session.to_keep() {
            self.to_write.push((Writing::Kept, text));
        }
        if self.session.is_live() && self.session.has_ended() {
            self.running = false;
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

    /// A new text from the disk.
    pub fn take_text(&mut self, checked: mayfly_lang::check::Checked) {
        match self.session.reload(checked) {
            Reloaded::Same => {}
            Reloaded::Flown { ticks, lost } => {
                self.driving = self.driving.filter(|a| self.session.history.live().actor(*a).is_some());
                self.held.clear();
                self.asked = None;
                self.watch_at = self.watch_at.min(self.session.watches.len().saturating_sub(1));
                self.selected_tick = u64::MAX;
                self.follow();
                let lost = if lost.is_empty() { String::new() } else { format!("; lost: {}", lost.join(", ")) };
                self.say(format!("{} was read again and flown for {ticks} ticks{lost}", self.file_name));
            }
            Reloaded::Broken(n) => {
                let first = self.session.problems.first().map_or(String::new(), |d| {
                    let (line, _) = d.place(&self.session.problem_sources);
                    format!("line {line}: {}", d.message)
                });
                self.say_error(format!(
                    "{n} error{} in {}, the old run stays. {first} (! shows all)",
                    if n == 1 { "" } else { "s" },
                    self.file_name
                ));
            }
        }
    }
}
