//! A level in flight, and the one moment of it at which everything is seen.
//!
//! Stepping is in [`crate::step`], what is watched in [`crate::watch`], why in [`crate::why`] and
//! [`crate::why_not`], a new text in [`crate::reload`].
//!
//! Invariant: [`Session::now`] always shows the moment: its cascade is that of the moment's tick, its
//! world the one right after the moment's record.

use crate::branch::{Branch, WaitingBranch};
use crate::cascade::{self, Cascade};
use crate::digest::Names;
use crate::explain::ExplainedTrace;
use crate::index::{Index, Indexing};
use crate::moment::{At, Moment};
use crate::stops::Stops;
use crate::watch::Watch;
use mayfly_base::*;
use mayfly_engine::history::History;
use mayfly_engine::renew::Kept;
use mayfly_engine::{Engine, Input, TickOutcome, TraceEvent, World};
use mayfly_lang::diagnostic::{Diagnostic, Source};
use mayfly_lang::level::Level;
use std::collections::BTreeMap;
use std::sync::Arc;

/// How far a step goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum StepSize {
    Tick,
    Round,
    Firing,
    Action,
}

impl StepSize {
    pub const ALL: [Self; 4] = [Self::Tick, Self::Round, Self::Firing, Self::Action];

    pub fn name(self) -> &'static str {
        match self {
            Self::Tick => "tick",
            Self::Round => "round",
            Self::Firing => "firing",
            Self::Action => "action",
        }
    }

    /// One finer, as far as there is one.
    #[must_use]
    pub fn finer(self) -> Self {
        Self::ALL[(self as usize + 1).min(3)]
    }

    /// One coarser.
    #[must_use]
    pub fn coarser(self) -> Self {
        Self::ALL[(self as usize).saturating_sub(1)]
    }
}

/// What is to be seen at the moment.
#[derive(Clone, Debug)]
pub struct Now {
    pub tick: u64,
    pub cascade: Cascade,
    pub records: Vec<TraceEvent>,
    /// Before the tick.
    pub before: World,
    /// At the moment.
    pub world: World,
    end: World,
    at: At,
}

#[derive(Clone)]
pub struct Session {
    pub sources: Arc<[Source]>,
    /// What was kept from earlier runs when the flight began.
    pub kept: Kept,
    pub level: Arc<Level>,
    pub engine: Arc<Engine>,
    pub history: History,
    pub index: Index,
    pub moment: Moment,
    pub step_size: StepSize,
    pub now: Now,
    pub watches: Vec<Watch>,
    /// Inputs for the next tick that is run.
    pub queued: Vec<Input>,
    /// The branches that are not flown, the one left last at the end.
    pub branches: Vec<Branch>,
    /// Branches of an earlier text, to be flown with the present one.
    pub waiting_branches: Vec<WaitingBranch>,
    /// The name of the branch that is flown, and its first own tick.
    pub branch: String,
    pub branch_from: u64,
    /// The flight of the text before the last edit.
    pub then: Option<Box<Session>>,
    /// A branch that this one is compared with, by its name, where it is no text before the last edit.
    pub beside: Option<(String, Box<Session>)>,
    pub(crate) names: Arc<Names>,
    pub stops: Stops,
    /// Marks and watches that do not fit the present text: kept for one that they fit again.
    pub unfit_stops: Vec<String>,
    pub unfit_watches: Vec<String>,
    /// The end of this flight was kept already.
    kept_at_end: bool,
    /// It was opened as a recorded flight, and nothing was done in it since.
    is_replay: bool,
    /// The text, looked into; see [`Session::analysis`].
    pub(crate) analysis: Arc<std::sync::OnceLock<mayfly_lang::analysis::Analysis>>,
    /// What was found wrong with the text by reading it.
    pub findings: Vec<Diagnostic>,
    /// What is wrong with a text that was not taken over.
    pub problems: Vec<Diagnostic>,
    /// The sources that the problems are about.
    pub problem_sources: Vec<Source>,
}

impl Session {
    /// A flight of a level, with its tick 0 closed.
    pub fn new(sources: Vec<Source>, level: impl Into<Arc<Level>>) -> Self {
        let level = level.into();
        let engine = Arc::new(Engine::new(crate::lower::lower(&level)));
        let names = Arc::new(Names::of(&engine.program));
        let history = History::new(&engine, level.seed, Kept::default());
        let world = history.live().clone();
        let now = Now {
            tick: 0,
            cascade: Cascade::default(),
            records: vec![],
            before: world.clone(),
            world: world.clone(),
            end: world,
            at: At::Start,
        };
        let mut s = Self {
            sources: sources.into(),
            kept: Kept::default(),
            level,
            engine,
            history,
            index: Index::default(),
            moment: Moment { tick: 0, at: At::End },
            step_size: StepSize::Tick,
            now,
            watches: vec![],
            queued: vec![],
            branches: vec![],
            waiting_branches: vec![],
            branch: "the first".into(),
            branch_from: 0,
            then: None,
            beside: None,
            names,
            stops: Stops::default(),
            unfit_stops: vec![],
            unfit_watches: vec![],
            kept_at_end: false,
            is_replay: false,
            analysis: Arc::default(),
            findings: vec![],
            problems: vec![],
            problem_sources: vec![],
        };
        s.watch_defaults();
        s.run_tick();
        s
    }

    /// The text of the file in which a place stands.
    pub fn source(&self, span: Span) -> &str {
        self.sources.get(span.file as usize).map_or("", |s| &s.text)
    }

    /// A stretch of the text in one line.
    pub fn text_of(&self, span: Span) -> String {
        crate::explain::source(&self.sources, span)
    }

    /// The last closed tick.
    pub fn last_tick(&self) -> u64 {
        self.history.live_tick().saturating_sub(1)
    }

    /// True at the flight's live edge.
    pub fn is_live(&self) -> bool {
        self.moment.tick == self.last_tick() && self.moment.at == At::End
    }

    /// True where the level has been won or lost.
    pub fn has_ended(&self) -> bool {
        self.history.live().ended.is_some()
    }

    /// Runs one tick at the live edge, with what was queued; false where the level has ended. The
    /// moment is not moved.
    pub(crate) fn advance(&mut self) -> bool {
        let inputs = std::mem::take(&mut self.queued);
        let names = Some((&*self.names, &self.engine.program));
        let mut recorder = Indexing { index: &mut self.index, count: 0, stops: Some(&mut self.stops), names };
        if self.history.advance(&self.engine, inputs, &mut recorder) == TickOutcome::Ended {
            return false;
        }
        let tick = self.last_tick();
        self.stops.close(&self.engine, self.history.live(), tick);
        self.sample_watches();
        true
    }

    /// Runs one tick at the live edge and stands at its end.
    pub fn run_tick(&mut self) -> bool {
        let ran = self.advance();
        self.go(Moment { tick: self.last_tick(), at: At::End });
        ran
    }

    /// Runs up to `most` ticks without looking at them, then stands at the live edge; gives how many.
    pub fn run_ticks(&mut self, most: u64, mut go_on: impl FnMut() -> bool) -> u64 {
        let mut n = 0;
        self.stops.hit = None;
        while n < most && self.advance() {
            n += 1;
            if self.stops.hit.is_some() || !go_on() {
                break;
            }
        }
        let end = Moment { tick: self.last_tick(), at: At::End };
        self.go(self.stops.hit.map_or(end, |(_, m)| m));
        n
    }

    /// Runs on at the live edge until `found` says of a closed tick's world that it is what is sought;
    /// gives that tick. Ends after `most` ticks, at the level's end, or where `go_on` says so. The moment
    /// is not moved.
    pub fn run_until(
        &mut self,
        most: u64,
        mut go_on: impl FnMut() -> bool,
        mut found: impl FnMut(&World) -> bool,
    ) -> Option<u64> {
        for _ in 0..most {
            if !go_on() || !self.advance() {
                return None;
            }
            if found(self.history.live()) {
                return Some(self.last_tick());
            }
        }
        None
    }

    /// Takes over what was kept from earlier runs, before the flight has gone on.
    pub fn begin_with(&mut self, kept: Kept) {
        self.kept = kept;
        self.begin_again();
        self.run_tick();
    }

    /// No tick is closed, nothing is recorded.
    pub(crate) fn begin_again(&mut self) {
        self.history = History::new(&self.engine, self.history.seed, self.kept.clone());
        self.index = Index::default();
        self.now.cascade.records = 0;
    }

    /// Stands at a moment of a flight that was made again.
    pub(crate) fn refresh_at(&mut self, to: Moment) {
        self.now.cascade.records = 0;
        self.go(to);
    }

    /// A recorded flight instead of this one, flown to its end; what no longer exists is told.
    pub fn replay(&mut self, flight: &crate::flight::Flight) -> Vec<String> {
        let (mut inputs, lost) = self.begin_replay(flight);
        for tick in 0..flight.ticks().max(1) {
            self.queued = inputs.remove(&tick).unwrap_or_default();
            if !self.advance() {
                break;
            }
        }
        self.end_replay();
        lost
    }

    /// The flight is over: the moment is its end.
    pub(crate) fn end_replay(&mut self) {
        self.stops.hit = None;
        self.resample_watches();
        self.refresh_at(Moment { tick: self.last_tick(), at: At::End });
    }

    /// A recorded flight instead of this one, before its first tick: its inputs, and what no longer exists.
    pub(crate) fn begin_replay(&mut self, flight: &crate::flight::Flight) -> (BTreeMap<u64, Vec<Input>>, Vec<String>) {
        let engine = Arc::make_mut(&mut self.engine);
        let (inputs, mut lost) = flight.resolve(&self.level, &mut engine.program);
        match crate::kept::from_json(&self.level, &self.engine.program, &flight.kept) {
            Ok((kept, left)) => {
                self.kept = kept;
                lost.extend(left);
            }
            Err(_) => self.kept = Kept::default(),
        }
        self.history = History::new(&self.engine, flight.seed, self.kept.clone());
        self.index = Index::default();
        self.is_replay = true;
        (inputs, lost)
    }

    /// The flight as a file.
    pub fn flight_text(&self) -> String {
        crate::flight::write(&self.level, &self.sources, &self.engine, &(&self.history).into())
    }

    /// What is to be written of kept values where a played run is left: leaving is its end.
    pub fn to_keep_at_leaving(&mut self) -> Option<String> {
        let played = !self.is_replay && self.history.live_tick() > 1 && !self.kept_at_end;
        (played && self.keeps())
            .then(|| format!("{}\n", crate::kept::to_json(&self.engine.program, self.history.live())))
    }

    /// Whether nothing of one's own was done in the flight.
    pub(crate) fn set_replay(&mut self, is_replay: bool) {
        self.is_replay = is_replay;
    }

    /// True of a recorded flight in which nothing was done since it was opened.
    pub fn is_replay(&self) -> bool {
        self.is_replay
    }

    /// True where anything is kept between runs.
    fn keeps(&self) -> bool {
        self.level.vars.iter().any(|v| v.keep)
            || self.level.kinds.iter().any(|k| k.fields.iter().any(|f| f.keep))
            || self.level.rules.iter().any(|r| r.limits.keep.is_some())
    }

    /// What is to be written of kept values, once after each `save` and at the end of a played run.
    pub fn to_keep(&mut self) -> Option<String> {
        let over = self.has_ended();
        let ended = over && !std::mem::replace(&mut self.kept_at_end, over);
        self.kept_at_end &= over;
        let saved = std::mem::take(&mut self.index.saved);
        (self.keeps() && (saved || ended) && !self.is_replay)
            .then(|| format!("{}\n", crate::kept::to_json(&self.engine.program, self.history.live())))
    }

    /// Stands at a moment, kept within the flight.
    pub fn go(&mut self, to: Moment) {
        let last = self.last_tick();
        let to = if to.tick > last { Moment { tick: last, at: At::End } } else { to };
        self.moment = to;
        let stale = self.now.tick != to.tick
            || self.now.cascade.records == 0
            || self.now.at == At::Start && self.now.records.is_empty();
        if stale {
            self.read_tick(to.tick);
        }
        // A record that the tick does not have is its end.
        let to = match to.at {
            At::Record(i) if i as usize >= self.now.records.len() => Moment { at: At::End, ..to },
            _ => to,
        };
        self.moment = to;
        self.now.world = match to.at {
            At::Start => self.now.before.clone(),
            At::End => self.now.end.clone(),
            At::Record(i) => self.history.world_within(&self.engine, to.tick, i),
        };
        self.now.at = to.at;
    }

    /// Makes the moment's tick again, after the flight itself changed.
    pub fn refresh(&mut self) {
        self.now.cascade.records = 0;
        self.go(self.moment);
    }

    fn read_tick(&mut self, tick: u64) {
        let sources = self.sources.clone();
        let mut explained = ExplainedTrace::new(&self.engine, &sources);
        let before = self.history.world_at(&self.engine, tick);
        let end = self.history.again(&self.engine, tick, &mut explained);
        let cascade = cascade::read(&self.engine.program, &end, tick, &explained);
        let records = explained.trace.records;
        self.now = Now { tick, cascade, records, before, world: end.clone(), end, at: At::End };
    }

    /// Asks something of the end of another tick, and stands where it stood again.
    pub fn as_of<T>(&mut self, tick: u64, ask: impl FnOnce(&mut Self) -> T) -> T {
        let (now, moment) = (self.now.clone(), self.moment);
        self.read_tick(tick);
        self.moment = Moment { tick, at: At::End };
        let said = ask(self);
        (self.now, self.moment) = (now, moment);
        said
    }

    /// The cascade of any tick, without going there.
    pub fn cascade_of(&mut self, tick: u64) -> Cascade {
        if tick == self.now.tick {
            return self.now.cascade.clone();
        }
        let sources = self.sources.clone();
        let mut explained = ExplainedTrace::new(&self.engine, &sources);
        let end = self.history.again(&self.engine, tick, &mut explained);
        cascade::read(&self.engine.program, &end, tick, &explained)
    }

    /// Which rung the moment stands in, or the last before it.
    pub fn rung_here(&self) -> Option<u32> {
        match self.moment.at {
            At::Start => None,
            At::Record(i) => self.now.cascade.rungs().take_while(|r| r.at <= i).last().map(|r| r.number),
            At::End => None,
        }
    }

    /// The first steered actor.
    pub fn steered(&self) -> Option<ActorId> {
        let p = &self.engine.program;
        self.now.world.living().find(|(_, a)| p.kinds[a.kind.index()].steered).map(|(id, _)| id)
    }

    /// The rule of that name: its title, or `KIND / title`.
    pub fn rule_named(&self, name: &str) -> Option<RuleId> {
        let p = &self.engine.program;
        (0..p.rules.len()).map(RuleId::at).find(|r| p.rule_name(*r) == name)
    }
}
