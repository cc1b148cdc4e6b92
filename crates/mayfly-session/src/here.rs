//! What the firing that one stands in holds: the names that its event bound, its locals, the turn of its
//! loop.
//!
//! Invariant: the values are those of the moment, not of the firing's end.

use crate::moment::At;
use crate::session::Session;
use crate::words::Words;
use mayfly_base::*;
use mayfly_engine::{Target, TraceEvent};

/// One of them.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Binding {
    pub name: String,
    pub value: String,
    /// Written by the record at which one stands.
    pub changed: bool,
}

/// A firing and what it holds.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Here {
    pub title: String,
    pub held: Vec<Binding>,
}

impl Session {
    /// What the firing at the moment holds; none between firings.
    pub fn here(&self) -> Option<Here> {
        let At::Record(at) = self.moment.at else { return None };
        let rung = self.now.cascade.rung(self.rung_here()?)?;
        let p = &self.engine.program;
        let rule = &p.rules[rung.rule.index()];
        let words = Words::new(p, &self.now.world);
        let begun = self.now.records.get(rung.at as usize)?;
        let (me, mut values) = match begun {
            TraceEvent::Evaluated { me, locals, .. } => (*me, locals.clone()),
            TraceEvent::GoesOn { rule, me, cause, .. } => {
                let same = |r: &&mayfly_engine::world::Run| r.rule == *rule && r.me == *me && r.cause == *cause;
                match self.now.records.get(cause.at as usize).filter(|_| cause.tick == self.now.tick) {
                    // Other parts were told in its midst: it holds what it began with in this tick.
                    Some(TraceEvent::Evaluated { locals, .. }) => (*me, locals.clone()),
                    // A run that waited holds what it held before the tick.
                    _ => (*me, self.now.before.runs.iter().find(same).map_or(vec![], |r| r.locals.to_vec())),
                }
            }
            _ => return None,
        };
        // Where its run begins in this tick, and whether a record begins a stretch of it.
        let run = match begun {
            TraceEvent::GoesOn { rule, me, cause, .. } => Some((*rule, *me, *cause)),
            _ => None,
        };
        let is_its = |i: usize, r: &TraceEvent| match (r, run) {
            (TraceEvent::GoesOn { rule, me, cause, .. }, Some(run)) => (*rule, *me, *cause) == run,
            (TraceEvent::Evaluated { .. }, Some((.., c))) => c.tick == self.now.tick && c.at as usize == i,
            _ => i == rung.at as usize,
        };
        let start = (0..).zip(&self.now.records).find(|(i, r)| is_its(*i, r)).map_or(rung.at as usize, |(i, _)| i);
        let mut own = true;
        values.resize(rule.slots.max(values.len()), Value::None);
        let mut known: Vec<bool> = values.iter().map(|v| *v != Value::None).collect();
        let (mut last, mut turn) = (None, None);
        for (i, r) in self.now.records.iter().enumerate().take(at as usize + 1).skip(start) {
            match r {
                TraceEvent::Evaluated { .. } | TraceEvent::GoesOn { .. } => own = is_its(i, r),
                _ if !own => {}
                TraceEvent::Wrote { target: Target::Local(s), new, .. } if (*s as usize) < values.len() => {
                    values[*s as usize] = new.clone();
                    known[*s as usize] = true;
                    last = (i == at as usize).then_some(*s as usize);
                }
                TraceEvent::LoopTurn { pc, held: value } => {
                    turn = Some(*pc);
                    if let Some((s, v)) = value.as_ref().filter(|(s, _)| (*s as usize) < values.len()) {
                        values[*s as usize] = v.clone();
                        known[*s as usize] = true;
                    }
                }
                _ => {}
            }
        }
        let mut held: Vec<Binding> = vec![];
        held.extend(me.map(|a| Binding { name: "self".into(), value: words.actor(a), changed: false }));
        for (slot, name) in rule.names.iter().enumerate() {
            // Names in parentheses are the machine's own, not the level's.
            if known.get(slot) == Some(&true) && !name.is_empty() && !name.starts_with('(') {
                held.push(Binding {
                    name: name.clone(),
                    value: words.value(&values[slot]),
                    changed: last == Some(slot),
                });
            }
        }
        let turns = |pc: u32| {
            let same = |r: &&TraceEvent| matches!(r, TraceEvent::LoopTurn { pc: p, .. } if *p == pc);
            let all = self.now.records.iter().take(at as usize + 1).skip(rung.at as usize);
            all.filter(same).count()
        };
        held.extend(turn.map(turns).map(|n| Binding { name: "loop".into(), value: n.to_string(), changed: false }));
        Some(Here { title: rung.title.clone(), held })
    }
}
