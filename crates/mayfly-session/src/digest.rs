//! One number for what happened in a tick, told by names and not by ids: so that the flights of two texts
//! of a level can be compared tick by tick.
//!
//! Not here: the state's hash, which proves a replay (`mayfly_engine::hash`); what exactly differs
//! ([`crate::compare`]).
//!
//! Invariant: two ticks in which the same things happened have the same number, whatever else the two
//! texts declare.

use mayfly_base::*;
use mayfly_engine::names::Named;
use mayfly_engine::program::Program;
use mayfly_engine::{Target, TraceEvent, Verdict, World};
use rustc_hash::FxHasher;
use std::hash::{Hash, Hasher};

/// The names of a program, each as a number.
#[derive(Clone, Debug, Default)]
pub struct Names {
    rules: Vec<u64>,
    vars: Vec<u64>,
    fields: Vec<Vec<u64>>,
    messages: Vec<u64>,
    states: Vec<u64>,
}

fn number(h: impl Hash) -> u64 {
    let mut hasher = FxHasher::default();
    h.hash(&mut hasher);
    hasher.finish()
}

impl Names {
    pub fn of(p: &Program) -> Self {
        Self {
            rules: (0..p.rules.len()).map(|r| number(p.rule_name(RuleId::at(r)))).collect(),
            vars: p.vars.iter().map(|v| number(&v.name)).collect(),
            fields: p.kinds.iter().map(|k| k.fields.iter().map(|f| number(&f.name)).collect()).collect(),
            messages: p.messages.iter().map(|m| number(&m.name)).collect(),
            states: p.states.iter().map(|s| number(&s.name)).collect(),
        }
    }

    fn value(&self, p: &Program, w: &World, v: &Value) -> u64 {
        match v {
            Value::Number(n) => n.to_bits(),
            Value::Flag(b) => u64::from(*b),
            Value::Duration(d) => *d as u64,
            Value::Text(t) => number(t),
            v => number(v.show(&Named(p, w), None)),
        }
    }

    fn actor(&self, w: &World, a: ActorId) -> u64 {
        w.actors[a.index()].name_hash
    }

    fn target(&self, w: &World, t: Target) -> Option<u64> {
        Some(match t {
            Target::Var(v) => self.vars[v.index()],
            Target::Field(a, f) => {
                let kind = w.actors[a.index()].kind;
                number((self.actor(w, a), self.fields[kind.index()].get(f.index()).copied()))
            }
            Target::Attr(a, attr) => number((self.actor(w, a), attr.name())),
            Target::ClockSpeed(c) => number(("clock", c.index())),
            Target::Local(_) => return None,
        })
    }

    /// A record's number; none where it says nothing about what happened to the level.
    pub fn digest(&self, p: &Program, w: &World, rec: &TraceEvent) -> Option<u64> {
        Some(match rec {
            TraceEvent::Evaluated { rule, me, verdict, .. } => {
                let how = match verdict {
                    Verdict::Fired => 1,
                    Verdict::Held { clause, .. } => 2 + u64::from(*clause),
                    Verdict::Spent(_) => 1 << 20,
                    Verdict::PassedOver => 2 << 20,
                    // A rule that is added but asleep changes nothing.
                    Verdict::Asleep => return None,
                };
                // A poke is a rule that came later.
                let known = self.rules.get(rule.index()).copied();
                let rule = known.unwrap_or_else(|| number(p.rule_name(*rule)));
                number((rule, me.map(|a| self.actor(w, a)), how))
            }
            TraceEvent::Wrote { target, new, .. } => number((self.target(w, *target)?, self.value(p, w, new))),
            TraceEvent::Moved { actor, to, .. } | TraceEvent::Put { actor, to, .. } => {
                of_move(self.actor(w, *actor), *to)
            }
            TraceEvent::Sent { message, args, .. } => {
                let args: Vec<u64> = args.iter().map(|v| self.value(p, w, v)).collect();
                number((self.messages[message.index()], args))
            }
            TraceEvent::Told { text, .. } | TraceEvent::Cued { text, .. } | TraceEvent::Logged { text, .. } => {
                number(text)
            }
            TraceEvent::WentTo { of, to, .. } => number((of.map(|a| self.actor(w, a)), self.states[to.index()])),
            TraceEvent::Spawned { actor, .. } => number((self.actor(w, *actor), "spawned")),
            TraceEvent::Removed { actor, .. } => number((self.actor(w, *actor), "removed")),
            TraceEvent::TimerSet { timer, running, left, .. } => {
                number((p.timers[timer.index()].name.as_str(), running, left))
            }
            TraceEvent::Drew { value, .. } => number(("drew", self.value(p, w, value))),
            TraceEvent::Faulted { fault, .. } => number(fault.text.as_str()),
            TraceEvent::Ended { win, text, .. } => number((win, text)),
            _ => return None,
        })
    }
}

/// An odd number that spreads bits well: 2^64 divided by the golden ratio.
const SPREAD: u64 = 0x9E37_79B9_7F4A_7C15;

/// The number of an actor's coming to a place, by the hash of its name.
pub fn of_move(name_hash: u64, to: Point) -> u64 {
    let place = to.x.to_bits() ^ to.y.to_bits().rotate_left(26);
    (place ^ SPREAD).wrapping_mul(name_hash | 1)
}

/// Ticks of which the number is kept; flights that are longer are compared up to there.
const MAX: usize = 2_000_000;

/// Adds a record's number to that of its tick; the order counts.
pub fn add(list: &mut Vec<(u64, u64)>, tick: u64, digest: u64) {
    let full = list.len() >= MAX;
    match list.last_mut() {
        Some((t, sum)) if *t == tick => *sum = (sum.rotate_left(5) ^ digest).wrapping_mul(SPREAD),
        _ if full => {}
        _ => list.push((tick, digest)),
    }
}

/// The first tick before `until` in which two flights differ.
pub fn first_difference(a: &[(u64, u64)], b: &[(u64, u64)], until: u64) -> Option<u64> {
    let different = a.iter().zip(b).find(|(x, y)| x != y).map(|((t, _), (u, _))| *t.min(u));
    let longer = if a.len() > b.len() { a.get(b.len()) } else { b.get(a.len()) };
    different.or(longer.map(|(t, _)| *t)).filter(|t| *t < until)
}
