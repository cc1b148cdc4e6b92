//! What is to be said of an actor or a machine at the moment: where it is from, what it does, why it is in
//! its state and what it would take to leave it.
//!
//! Why a rule fired is in [`crate::why`], why it did not in [`crate::why_not`].
//!
//! Invariant: every fact is of the moment's world, or of a tick that it names.

use crate::index::Went;
use crate::machines::transitions_from;
use crate::session::Session;
use crate::why_not::Fact;
use crate::words::Words;
use mayfly_base::*;
use mayfly_engine::names::Named;
use mayfly_engine::world::MachineKey;
use mayfly_engine::{Cause, Target};

/// One line: a word on the left, what is said, and whether it is good news.
#[derive(Clone, Debug, PartialEq)]
pub struct Said {
    pub label: &'static str,
    pub fact: Fact,
}

pub(crate) fn said(label: &'static str, text: impl Into<String>) -> Said {
    Said { label, fact: Fact { text: text.into(), good: None } }
}

/// Several things in one line.
pub(crate) fn listed(items: Vec<String>, none: &str) -> String {
    if items.is_empty() { none.into() } else { items.join("   ") }
}

impl Session {
    /// Where an actor is from, where it is, what it does and what it has.
    pub fn about_actor(&mut self, id: ActorId) -> Vec<Said> {
        let Some(a) = self.now.world.actor(id).cloned() else {
            return vec![said("about", "gone: it was removed before this moment")];
        };
        let moved = self.chain(a.moved_by);
        let (p, w) = (&self.engine.program, &self.now.world);
        let words = Words::new(p, w);
        let mut out = vec![];
        let from = match self.level.actors.get(id.index()) {
            Some(placed) => {
                let (line, _) = span::line_column(self.source(placed.span), placed.span.start as usize);
                format!("placed by line {line} of the text")
            }
            None => match self.index.spawned.get(&id) {
                Some((tick, rule)) => {
                    let by = rule.map_or("by hand".to_string(), |r| format!("by {}", p.rule_name(r)));
                    format!("spawned at tick {tick} {by}")
                }
                None => "spawned in this flight".into(),
            },
        };
        out.push(said("about", format!("{}, {from}", p.kinds[a.kind.index()].name)));
        let place = Named(p, w);
        out.push(said(
            "at",
            format!(
                "{} facing {}{}{}{}",
                Value::Point(a.at).show(&place, None),
                DIRECTIONS[a.facing as usize % 4],
                if a.enabled { "" } else { ", disabled" },
                if a.visible { "" } else { ", hidden" },
                if a.solid { ", solid" } else { "" },
            ),
        ));
        let zones = a.inside.iter().map(|((z, of), since)| format!("{} since tick {since}", words.zone(*z, *of)));
        let mut notices: Vec<String> = zones.map(|z| format!("in {z}")).collect();
        for ((x, y), _) in w.contacts.iter().filter(|((x, y), _)| *x == id || *y == id) {
            notices.push(format!("touching {}", words.actor(if *x == id { *y } else { *x })));
        }
        for ((x, y), since) in w.seen.iter().filter(|((x, y), _)| *x == id || *y == id) {
            let text =
                if *x == id { format!("sees {}", words.actor(*y)) } else { format!("seen by {}", words.actor(*x)) };
            notices.push(format!("{text} since tick {since}"));
        }
        out.push(said("senses", listed(notices, "in no zone, touching nobody")));
        let order = match (a.walk.as_deref(), &a.step) {
            (Some(o), _) => {
                let stuck = if o.stuck { ", but is stuck: there is no way" } else { "" };
                format!("walks {}{stuck}", words.destination(o.goal))
            }
            (None, Some(_)) => "takes a step".into(),
            _ => "has no order".into(),
        };
        let why = match moved.last() {
            Some(_) => format!("{order}; moved last because {}", names(&moved)),
            None => format!("{order}; nothing moved it yet"),
        };
        out.push(said("last change", why));
        let fields = p.kinds[a.kind.index()].fields.iter().enumerate().map(|(i, f)| {
            let target = Target::Field(id, FieldId::at(i));
            let by = match self.writer(target) {
                Some((by, _)) if !by.is_empty() => format!(" (by {by}, here)"),
                Some((_, tick)) => format!(" (since tick {tick})"),
                None => String::new(),
            };
            let v = a.fields.get(i).map_or(String::new(), |v| v.show(&place, None));
            format!("{} {v}{by}", f.name)
        });
        let fields: Vec<String> = fields.collect();
        if !fields.is_empty() {
            out.push(said("holds", fields.join("   ")));
        }
        for ((m, of), s) in w.machines.iter().filter(|((_, of), _)| *of == Some(id)) {
            let name = &p.machines[m.index()].name;
            let since = s.since(s.state).unwrap_or(0);
            let _ = of;
            out.push(said(
                "machine",
                format!("{name} is {} since tick {since}   m draws it", p.states[s.state.index()].name),
            ));
        }
        out
    }

    /// How often and when a machine changed its state, up to the moment, the latest last.
    pub fn way_of(&self, key: MachineKey) -> &[Went] {
        let all = self.index.went.get(&key).map_or(&[][..], Vec::as_slice);
        let until = match self.moment.at {
            crate::moment::At::End => self.moment.tick + 1,
            _ => self.moment.tick,
        };
        &all[..all.partition_point(|w| w.tick < until)]
    }

    /// Where a transition hears a message that one rule alone sends: what keeps that rule from firing.
    fn only_sender(&mut self, rule: RuleId) -> Vec<Fact> {
        let heard = self.level.rules.get(rule.index()).and_then(|r| {
            r.whens.iter().find_map(|w| match &w.event {
                mayfly_base::code::Event::Hears { message: mayfly_base::code::Heard::One(m), .. } => Some(*m),
                _ => None,
            })
        });
        let Some(m) = heard else { return vec![] };
        let senders = crate::writers::senders(&self.level, &self.engine.program, m);
        let [only] = senders.as_slice() else { return vec![] };
        let Some(sender) = self.rule_named(only).filter(|r| *r != rule) else { return vec![] };
        let w = self.why_not(sender);
        let failed = w.clauses.iter().find(|c| c.held == Some(false));
        let reason = failed.map(|c| format!("not {} ({})", c.text, c.shown()));
        let reason = reason.or(w.limits.iter().find(|f| f.good == Some(false)).map(|f| f.text.clone()));
        reason.map(|r| Fact { text: format!("{only} is held now: {r}"), good: Some(false) }).into_iter().collect()
    }

    /// Why a machine is in its state, and what each way out of it awaits.
    pub fn about_machine(&mut self, key: MachineKey) -> Vec<Said> {
        let Some(now) = self.now.world.machines.get(&key).cloned() else {
            return vec![said("about", "gone with its actor")];
        };
        let mut out = vec![];
        let name = |s: &Self, state: StateId| s.engine.program.states[state.index()].name.clone();
        let since = now.since(now.state).unwrap_or(0);
        let came = self.way_of(key).iter().rev().find(|w| w.to == now.state).copied();
        match came {
            Some(w) => {
                let by = w.rule.map_or("by hand".into(), |r| self.engine.program.rule_name(r));
                let because = self.chain(Cause { tick: w.tick, at: w.at });
                out.push(said(
                    "is",
                    format!("{} since tick {since}, from {}, by {by}", name(self, now.state), name(self, w.from)),
                ));
                out.push(said("because", names(&because)));
            }
            None => out.push(said("about", format!("{} since tick {since}: it starts there", name(self, now.state)))),
        }
        for t in transitions_from(&self.engine.program, key.0, now.state) {
            let Some(rule) = t.rule else { continue };
            let w = self.why_not_for(rule, key.1);
            // Of a message also who sends it: that is the next thing one asks.
            let mut facts: Vec<Fact> = w.awaits.iter().flat_map(|(_, f)| f.iter().take(2).cloned()).collect();
            facts.extend(self.only_sender(rule));
            facts.extend(
                w.clauses
                    .iter()
                    .filter(|c| c.held == Some(false))
                    .map(|c| Fact { text: format!("not {}: {}", c.text, c.shown()), good: Some(false) }),
            );
            let text: Vec<String> = facts.iter().map(|f| f.text.clone()).collect();
            out.push(Said {
                label: "could go",
                fact: Fact {
                    text: format!("to {}  {}   {}", t.to, self.label(rule), text.join("; ")),
                    good: facts.iter().any(|f| f.good == Some(false)).then_some(false),
                },
            });
        }
        out
    }
}

fn names(links: &[crate::why::Link]) -> String {
    let texts: Vec<&str> = links.iter().rev().take(4).rev().map(|l| l.text.as_str()).collect();
    if texts.is_empty() { "nothing that was recorded".into() } else { texts.join("  ›  ") }
}
