//! Why something fired: its clauses with what they saw, the way back to the key, the clock or the step
//! that began it, and what it led to.
//!
//! Invariant: every link is a record of the flight; going to it shows exactly that.

use crate::cascade::{Cascade, Done, Mark, Origin, Rung};
use crate::explain::{ClauseSeen, source};
use crate::moment::{At, Moment};
use crate::session::Session;
use crate::words::Words;
use mayfly_engine::{Cause, TraceEvent};

/// One link of a chain of causes.
#[derive(Clone, Debug, PartialEq)]
pub struct Link {
    pub text: String,
    pub kind: LinkKind,
    pub moment: Moment,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LinkKind {
    /// From outside: a key, a poke, time, sensing.
    Outside,
    Rule,
    Written,
}

/// Why a rung is what it is.
#[derive(Clone, Debug)]
pub struct Why {
    pub label: String,
    pub title: String,
    pub mark: Mark,
    pub note: String,
    /// The `when` line, and the event that fitted it.
    pub when: (String, String),
    /// The event came; false where what is awaited has no value.
    pub came: bool,
    pub clauses: Vec<ClauseSeen>,
    /// From the beginning to this rung.
    pub because: Vec<Link>,
    pub led_to: Vec<Link>,
    /// Why it was evaluated after the one before it.
    pub order: Option<String>,
    /// Writes later in the tick that would have changed the clause that held it back.
    pub later: Vec<String>,
    pub doc: String,
    pub line: usize,
}

/// Links of a chain at most.
const MAX_LINKS: usize = 12;

impl Session {
    /// Why a rung of the present tick is what it is.
    pub fn why(&mut self, number: u32) -> Option<Why> {
        let rung = self.now.cascade.rung(number)?.clone();
        let group = self.now.cascade.groups.iter().find(|g| g.rungs.iter().any(|r| r.number == number))?.clone();
        // A poke is a rule of the program, and none of the level.
        let rule = self.level.rules.get(rung.rule.index());
        let when = rule.and_then(|r| r.whens.get(rung.when as usize));
        let when = when.map_or(String::new(), |w| source(&self.sources, w.span));
        let line = rule.map_or(0, |r| mayfly_base::span::line_column(self.source(r.span), r.span.start as usize).0);
        let doc = rule.map_or(String::new(), |r| r.doc.clone());
        let mut because = self.chain(Cause { tick: self.now.tick, at: group.at });
        because.push(Link {
            text: format!("{}.{} {}", rung.round, rung.number, rung.title),
            kind: LinkKind::Rule,
            moment: Moment { tick: self.now.tick, at: At::Record(rung.end) },
        });
        Some(Why {
            label: format!("{}.{}", rung.round, rung.number),
            title: rung.title.clone(),
            mark: rung.mark,
            note: rung.note.clone(),
            when: (when, group.title.clone()),
            came: group.at != rung.at,
            clauses: rung.clauses.clone(),
            because,
            led_to: self.led_to(&rung),
            order: self.order_of(&rung),
            later: self.later_writes(&rung),
            doc,
            line,
        })
    }

    /// Why a rung stands behind the one before it: its round, its event, its priority, its place in the text.
    fn order_of(&self, rung: &Rung) -> Option<String> {
        let c = &self.now.cascade;
        let before = c.rungs().take_while(|r| r.number != rung.number).last()?;
        let name = format!("{}.{} {}", before.round, before.number, before.title);
        if before.round != rung.round {
            return Some(format!("after {name}, in a later round: what caused it was done in round {}", before.round));
        }
        let group = |n: u32| c.groups.iter().position(|g| g.rungs.iter().any(|r| r.number == n));
        if group(before.number) != group(rung.number) {
            return Some(format!("after {name}, whose event came first"));
        }
        let p = &self.engine.program;
        let priority = |r: &Rung| p.rules.get(r.rule.index()).map_or(0.0, |x| x.limits.priority);
        let (a, b) = (priority(before), priority(rung));
        let show = mayfly_base::number::show_number;
        Some(match () {
            () if a > b => format!("after {name}, whose priority {} is higher than {}", show(a), show(b)),
            () if before.rule == rung.rule => format!("after {name}, the same rule for another"),
            () => format!("after {name}, which stands before it in the text"),
        })
    }

    /// Writes behind a rung, in the same tick, to what its failed clause reads.
    fn later_writes(&self, rung: &Rung) -> Vec<String> {
        let Some(failed) = rung.clauses.iter().find(|c| c.held == Some(false)) else { return vec![] };
        let clauses = &self.engine.program.rules[rung.rule.index()].clauses;
        let Some(test) = clauses.iter().map(|c| &c.test).find(|t| t.span == failed.span) else { return vec![] };
        let locals = match self.now.records.get(rung.at as usize) {
            Some(TraceEvent::Evaluated { locals, .. }) => locals.as_slice(),
            _ => &[],
        };
        let reads = self.reads(test, rung.me, locals);
        let words = Words::new(&self.engine.program, &self.now.world);
        let mut out = vec![];
        for (i, r) in self.now.records.iter().enumerate().skip(rung.end as usize + 1) {
            let TraceEvent::Wrote { target, new, .. } = r else { continue };
            if reads.contains(target)
                && let Some(by) = self.now.cascade.rung_of(i as u32)
            {
                let name = words.target(*target, &[]);
                out.push(format!(
                    "{name} becomes {} at {}.{}, later in this tick",
                    words.value(new),
                    by.round,
                    by.number
                ));
            }
        }
        out.truncate(3);
        out
    }

    /// What a rung led to in its tick, and what it waits for.
    fn led_to(&self, rung: &Rung) -> Vec<Link> {
        let c: &Cascade = &self.now.cascade;
        let mut out = vec![];
        for g in c.groups.iter().filter(|g| g.source == Origin::Rung(rung.round, rung.number)) {
            for r in &g.rungs {
                out.push(Link {
                    text: format!("{}.{} {}", r.round, r.number, r.title),
                    kind: LinkKind::Rule,
                    moment: Moment { tick: c.tick, at: At::Record(r.end) },
                });
            }
            if g.rungs.is_empty() {
                out.push(Link {
                    text: format!("{}, heard by nobody", g.title),
                    kind: LinkKind::Outside,
                    moment: Moment { tick: c.tick, at: At::Record(g.at) },
                });
            }
        }
        for l in &rung.lines {
            match &l.what {
                Done::Wrote { name, overwritten_by: Some((round, n)), .. } => out.push(Link {
                    text: format!("{round}.{n} overwrote its {name}"),
                    kind: LinkKind::Written,
                    moment: Moment { tick: c.tick, at: c.rung(*n).map_or(At::End, |r| At::Record(r.end)) },
                }),
                Done::Other(s) if s.starts_with("waits") => out.push(Link {
                    text: s.clone(),
                    kind: LinkKind::Outside,
                    moment: Moment { tick: c.tick, at: At::Record(l.at) },
                }),
                _ => {}
            }
        }
        out
    }

    /// The chain of causes that leads to a record, from its beginning.
    pub fn chain(&mut self, from: Cause) -> Vec<Link> {
        let mut out: Vec<Link> = vec![];
        let mut at = from;
        while at != Cause::NONE && out.len() < MAX_LINKS {
            let records = self.records_of(at.tick);
            let Some(rec) = records.get(at.at as usize).cloned() else { break };
            let end = &self.now.world;
            let text = Words::new(&self.engine.program, end).record(&rec);
            let (kind, next) = match &rec {
                TraceEvent::Event { cause, .. }
                | TraceEvent::Moved { cause, .. }
                | TraceEvent::Turned { cause, .. } => (LinkKind::Outside, *cause),
                TraceEvent::GoesOn { cause, .. } => (LinkKind::Rule, *cause),
                // Of an awaited line: nothing was evaluated, so what made it faulty is all that led to it.
                TraceEvent::Faulted { cause, .. } if at == from => (LinkKind::Rule, *cause),
                TraceEvent::Pressed(..) | TraceEvent::Poked(_) => (LinkKind::Outside, Cause::NONE),
                // What an action did was done by its rung; what led to the rung is its event.
                _ => (
                    if matches!(rec, TraceEvent::Wrote { .. }) { LinkKind::Written } else { LinkKind::Rule },
                    owner(&records, at),
                ),
            };
            let text = match &rec {
                TraceEvent::Evaluated { .. } => rung_label(&records, at.at, &text),
                _ => text,
            };
            let text = if at.tick == self.now.tick { text } else { format!("{text} at tick {}", at.tick) };
            // A message's event says what was sent.
            let skip =
                text.is_empty() || matches!(rec, TraceEvent::Sent { .. }) || out.last().is_some_and(|l| l.text == text);
            if !skip {
                out.push(Link { text, kind, moment: Moment { tick: at.tick, at: At::Record(at.at) } });
            }
            at = match &rec {
                TraceEvent::Evaluated { .. } => event_of(&records, at),
                _ => next,
            };
        }
        out.reverse();
        out
    }

    fn records_of(&mut self, tick: u64) -> Vec<TraceEvent> {
        if tick == self.now.tick { self.now.records.clone() } else { self.history.trace(&self.engine, tick).records }
    }
}

/// The evaluation that a record was done by.
fn owner(records: &[TraceEvent], at: Cause) -> Cause {
    let before = records[..at.at as usize]
        .iter()
        .rposition(|r| matches!(r, TraceEvent::Evaluated { .. } | TraceEvent::GoesOn { .. }));
    before.map_or(Cause::NONE, |i| Cause { tick: at.tick, at: i as u32 })
}

/// The event that an evaluation was of.
fn event_of(records: &[TraceEvent], at: Cause) -> Cause {
    let before = records[..at.at as usize].iter().rposition(|r| matches!(r, TraceEvent::Event { .. }));
    before.map_or(Cause::NONE, |i| Cause { tick: at.tick, at: i as u32 })
}

/// `1.2 title` for an evaluation's record.
fn rung_label(records: &[TraceEvent], at: u32, title: &str) -> String {
    let (mut round, mut n) = (0, 0);
    for r in &records[..=at as usize] {
        match r {
            TraceEvent::Round(k) => round = *k,
            TraceEvent::Evaluated { .. } | TraceEvent::GoesOn { .. } => n += 1,
            _ => {}
        }
    }
    format!("{round}.{n} {title}")
}
