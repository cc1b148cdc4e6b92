//! Stepping: two directions, four step sizes, and the ways to a tick, a time, a next occurrence.
//!
//! In the sizes smaller than a tick a step goes to the next tick in which there is something to stop at;
//! at the live edge the flight is run on for it.
//!
//! Invariant: a step back undoes a step forward exactly.

use crate::index::Index;
use crate::moment::{At, Moment};
use crate::session::{Session, StepSize};
use crate::things::Thing;
use mayfly_base::RuleId;
use mayfly_engine::{EventInstance, Target, TraceEvent};
use std::borrow::Cow;

/// Seconds that a smaller step runs the level on at the live edge, looking for something to stop at.
const LOOK_AHEAD: u64 = 1;

/// What happened to a step that could not be made.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Step {
    Made,
    /// There is nothing before.
    AtStart,
    /// The level has ended.
    Ended,
    /// Nothing to stop at came in so many ticks.
    Nothing(u64),
}

impl Session {
    /// The places of the present tick at which a step size stops, in order.
    fn stops(&self, step_size: StepSize) -> Vec<At> {
        let c = &self.now.cascade;
        match step_size {
            StepSize::Tick => vec![At::End],
            StepSize::Round => {
                let mut ends: Vec<At> = vec![];
                for round in 1..=c.rounds {
                    let last = c
                        .groups
                        .iter()
                        .filter(|g| g.round == round)
                        .map(|g| g.rungs.last().map_or(g.at, |r| r.end))
                        .max();
                    ends.extend(last.map(At::Record));
                }
                ends
            }
            StepSize::Firing => c.rungs().map(|r| At::Record(r.end)).collect(),
            StepSize::Action => {
                // What the language keeps for itself is no action of the level's.
                let own = |s: u16, r: &crate::cascade::Rung| {
                    let names = &self.engine.program.rules[r.rule.index()].names;
                    names.get(s as usize).is_some_and(|n| n.starts_with('('))
                };
                let acts = |i: &u32, r: &crate::cascade::Rung| match self.now.records.get(*i as usize) {
                    Some(TraceEvent::Wrote { target: Target::Local(s), .. }) => !own(*s, r),
                    Some(
                        TraceEvent::Round(_)
                        | TraceEvent::Event { .. }
                        | TraceEvent::Dropped { .. }
                        | TraceEvent::Drew { .. }
                        | TraceEvent::Closed,
                    ) => false,
                    r => r.is_some(),
                };
                let mut at: Vec<At> =
                    c.rungs().flat_map(|r| (r.at..=r.end).filter(|i| acts(i, r))).map(At::Record).collect();
                at.sort();
                at.dedup();
                at
            }
        }
    }

    /// One step forward in the present step size.
    pub fn step_forward(&mut self) -> Step {
        let step_size = self.step_size;
        if let Some(at) = self.stops(step_size).into_iter().find(|a| *a > self.moment.at) {
            self.go(Moment { at, ..self.moment });
            return Step::Made;
        }
        let most = LOOK_AHEAD * u64::from(self.level.rate.0);
        let mut looked = 0;
        loop {
            if self.moment.tick >= self.last_tick() {
                if self.has_ended() {
                    return Step::Ended;
                }
                if looked >= most {
                    return Step::Nothing(looked);
                }
                if step_size == StepSize::Tick {
                    self.run_tick();
                    return Step::Made;
                }
                // The live edge: run on without looking until something was evaluated.
                let evaluated = self.index.evaluated_count;
                let mut ended = false;
                while !ended && self.index.evaluated_count == evaluated && looked < most {
                    ended = !self.advance();
                    looked += 1;
                }
                let last = self.last_tick();
                self.go(Moment { tick: last, at: At::End });
                if ended && self.index.evaluated_count == evaluated {
                    return Step::Ended;
                }
            } else {
                let next = match step_size {
                    StepSize::Tick => self.moment.tick + 1,
                    _ => self.next_evaluated(true).unwrap_or_else(|| self.last_tick()),
                };
                self.go(Moment { tick: next, at: At::End });
            }
            let stops = self.stops(step_size);
            if let Some(at) = stops.first() {
                self.go(Moment { at: *at, ..self.moment });
                return Step::Made;
            }
        }
    }

    /// One step back in the present step size.
    pub fn step_back(&mut self) -> Step {
        let step_size = self.step_size;
        if step_size != StepSize::Tick
            && let Some(at) = self.stops(step_size).into_iter().rev().find(|a| *a < self.moment.at)
        {
            self.go(Moment { at, ..self.moment });
            return Step::Made;
        }
        if self.moment.tick == 0 {
            let was = self.moment.at;
            self.go(Moment { tick: 0, at: At::Start });
            return if was == At::Start { Step::AtStart } else { Step::Made };
        }
        let tick = match step_size {
            StepSize::Tick => Some(self.moment.tick - 1),
            _ => self.last_evaluated(self.moment.tick - 1),
        };
        let Some(tick) = tick else {
            self.go(Moment { tick: 0, at: At::Start });
            return Step::Made;
        };
        self.go(Moment { tick, at: At::End });
        if step_size != StepSize::Tick
            && let Some(at) = self.stops(step_size).last()
        {
            self.go(Moment { at: *at, ..self.moment });
        }
        Step::Made
    }

    /// The last tick up to that one in which anything was evaluated.
    pub fn last_evaluated(&self, tick: u64) -> Option<u64> {
        self.index.evaluated.values().filter_map(|l| Index::last(Some(l), tick)).max()
    }

    /// The next tick after the moment, or the last one before it, in which anything was evaluated.
    pub fn next_evaluated(&self, forward: bool) -> Option<u64> {
        let here = self.moment.tick;
        if forward {
            self.index.evaluated.values().filter_map(|l| Index::next(Some(l), here)).min()
        } else {
            here.checked_sub(1).and_then(|t| self.last_evaluated(t))
        }
    }

    /// The last firings up to a tick, the latest first: when, and which rule.
    pub fn last_firings(&self, tick: u64, most: usize) -> Vec<(u64, RuleId)> {
        let mut found: Vec<(u64, RuleId)> = vec![];
        for (rule, ticks) in self.index.fired.values().enumerate() {
            let until = ticks.partition_point(|t| *t <= tick);
            found.extend(ticks[..until].iter().rev().take(most).map(|t| (*t, RuleId::at(rule))));
        }
        // Of one tick in the order of the text, as it was fired mostly.
        found.sort_unstable_by_key(|(t, r)| (std::cmp::Reverse(*t), *r));
        found.truncate(most);
        found
    }

    /// To a tick; the flight is run on where it lies ahead. Gives the tick reached.
    pub fn go_to_tick(&mut self, tick: u64, go_on: impl FnMut() -> bool) -> u64 {
        let last = self.last_tick();
        if tick > last {
            self.run_ticks(tick - last, go_on);
        } else {
            self.go(Moment { tick, at: At::End });
        }
        self.moment.tick
    }

    /// To the next or the previous moment at which a rule was evaluated.
    pub fn along_rule(&mut self, rule: RuleId, forward: bool) -> bool {
        let here = self.moment;
        let in_tick = |s: &Self| -> Vec<At> {
            s.now.cascade.rungs().filter(|r| r.rule == rule).map(|r| At::Record(r.end)).collect()
        };
        self.along(here, forward, in_tick, |s, tick, forward| {
            let list = s.index.evaluated.get(&rule);
            if forward { Index::next(list, tick) } else { tick.checked_sub(1).and_then(|t| Index::last(list, t)) }
        })
    }

    /// To the next or the previous moment at which something was written.
    pub fn along_write(&mut self, target: Target, forward: bool) -> bool {
        let here = self.moment;
        let in_tick = |s: &Self| -> Vec<At> {
            let wrote = |(i, r): (usize, &mayfly_engine::TraceEvent)| {
                matches!(r, mayfly_engine::TraceEvent::Wrote { target: t, .. } if *t == target)
                    .then_some(At::Record(i as u32))
            };
            s.now.records.iter().enumerate().filter_map(wrote).collect()
        };
        self.along(here, forward, in_tick, |s, tick, forward| {
            let list = s.index.written.get(&target);
            if forward { Index::next(list, tick) } else { tick.checked_sub(1).and_then(|t| Index::last(list, t)) }
        })
    }

    /// To the next or the previous occurrence of anything: a rule evaluated, a value written, a timer set or ended, a message
    /// sent, a zone entered or left, a state changed. False where there is none that way.
    pub fn along_thing(&mut self, thing: Thing, forward: bool) -> bool {
        let fits = move |r: &TraceEvent| match (thing, r) {
            (Thing::Timer(t), TraceEvent::TimerSet { timer, .. }) => *timer == t,
            (Thing::Timer(t), TraceEvent::Event { what: EventInstance::TimerEnds(x), .. }) => *x == t,
            (Thing::Message(m), TraceEvent::Sent { message, .. }) => *message == m,
            (Thing::Machine(key), TraceEvent::WentTo { machine, of, .. }) => (*machine, *of) == key,
            (
                Thing::Zone((z, of)),
                TraceEvent::Event { what: EventInstance::Enters(_, x, o) | EventInstance::Leaves(_, x, o), .. },
            ) => (*x, *o) == (z, of),
            _ => false,
        };
        match thing {
            Thing::Rule(r) => return self.along_rule(r, forward),
            Thing::Value(t) => return self.along_write(t, forward),
            _ => {}
        }
        let here = self.moment;
        let in_tick = |s: &Self| -> Vec<At> {
            let records = s.now.records.iter().enumerate();
            records.filter(|(_, r)| fits(r)).map(|(i, _)| At::Record(i as u32)).collect()
        };
        self.along(here, forward, in_tick, |s, tick, forward| {
            let ticks = s.ticks_of(thing);
            let before = ticks.partition_point(|t| *t < tick);
            if forward {
                ticks.get(ticks.partition_point(|t| *t <= tick)).copied()
            } else {
                before.checked_sub(1).map(|i| ticks[i])
            }
        })
    }

    /// The ticks of the flight in which a thing occurred, as [`Session::along_thing`] goes along them.
    pub fn ticks_of(&self, thing: Thing) -> Cow<'_, [u64]> {
        let i = &self.index;
        let list = match thing {
            Thing::Timer(t) => return i.timers.get(&t).into_iter().flatten().map(|s| s.tick).collect(),
            Thing::Machine(key) => return i.went.get(&key).into_iter().flatten().map(|w| w.tick).collect(),
            Thing::Rule(r) => i.evaluated.get(&r),
            Thing::Value(t) => i.written.get(&t),
            Thing::Message(m) => i.sent.get(&m),
            Thing::Zone(key) => i.crossed.get(&key),
            Thing::Define(_) | Thing::Clock(_) | Thing::Actor(_) | Thing::Tile(_) => None,
        };
        Cow::Borrowed(list.map_or(&[], Vec::as_slice))
    }

    fn along(
        &mut self,
        here: Moment,
        forward: bool,
        in_tick: impl Fn(&Self) -> Vec<At>,
        other: impl Fn(&Self, u64, bool) -> Option<u64>,
    ) -> bool {
        let list = in_tick(self);
        let near =
            if forward { list.iter().find(|a| **a > here.at) } else { list.iter().rev().find(|a| **a < here.at) };
        if let Some(at) = near {
            self.go(Moment { at: *at, ..here });
            return true;
        }
        let Some(tick) = other(self, here.tick, forward) else { return false };
        self.go(Moment { tick, at: At::End });
        let list = in_tick(self);
        if let Some(at) = if forward { list.first() } else { list.last() } {
            self.go(Moment { tick, at: *at });
        }
        true
    }
}
