//! Names in the drawer that can be followed: whatever a line says of a rule, a value, an actor, a zone, a message, a timer or a
//! tick leads there.
//!
//! Not here: what the lines say ([`super::why`]).
//!
//! Invariant: a link leads to something that is there at the moment, or to a tick of the flight.

use crate::app::{App, Asked, Drawer, Names, Pane};
use crate::theme::Role;
use crate::wrapping::Pieces;
use mayfly_base::*;
use mayfly_engine::Target;
use mayfly_session::moment::{At, Moment};
use mayfly_session::things::Thing;
use std::sync::Arc;

/// Where a name leads.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Lead {
    Thing(Thing),
    Tick(u64),
}

/// A piece of a line, and where it leads: the number of its link among all.
pub type Linked = (String, Role, Option<usize>);

/// Rules shorter than this are not looked for in running text.
const SHORTEST: usize = 3;

fn is_word(c: char) -> bool {
    c.is_alphanumeric() || matches!(c, '_' | '#' | '.')
}

impl Names {
    /// The names of this program; kept as long as it is the same.
    pub fn refresh(app: &mut App) {
        let s = &app.session;
        let of = Arc::as_ptr(&s.engine) as usize;
        if app.flight.names.of == of {
            return;
        }
        let p = &s.engine.program;
        let mut n = Self { of, ..Self::default() };
        let mut add = |name: &str, t: Thing| {
            if name.chars().all(is_word) && name.len() > 1 {
                n.things.entry(name.to_string()).or_insert(t);
            }
        };
        p.vars.iter().enumerate().for_each(|(i, v)| add(&v.name, Thing::Value(Target::Var(VarId::at(i)))));
        s.level.defines.iter().enumerate().for_each(|(i, d)| add(&d.name, Thing::Define(DefineId::at(i))));
        p.timers.iter().enumerate().for_each(|(i, t)| add(&t.name, Thing::Timer(TimerId::at(i))));
        p.clocks.iter().enumerate().for_each(|(i, c)| add(&c.name, Thing::Clock(ClockId::at(i))));
        let zones = p.zones.iter().enumerate().filter(|(_, z)| z.of.is_none());
        zones.for_each(|(i, z)| add(&z.name, Thing::Zone((ZoneId::at(i), None))));
        p.messages.iter().enumerate().for_each(|(i, m)| add(&m.name, Thing::Message(MessageId::at(i))));
        p.tiles.iter().enumerate().for_each(|(i, t)| add(&t.name, Thing::Tile(TileId::at(i))));
        for (i, _) in p.rules.iter().enumerate().filter(|(_, r)| !r.is_by_hand()) {
            let title = p.rule_name(RuleId::at(i));
            if title.len() >= SHORTEST {
                let first = title.split_whitespace().next().unwrap_or_default().to_string();
                n.rules.entry(first).or_default().push((title, RuleId::at(i)));
            }
        }
        n.rules.values_mut().for_each(|l| l.sort_by_key(|(t, _)| std::cmp::Reverse(t.len())));
        app.flight.names = n;
    }

    /// What a word means at the moment.
    fn word(&self, app: &App, word: &str) -> Option<Thing> {
        if let Some(t) = self.things.get(word) {
            return Some(*t);
        }
        let (p, w) = (&app.session.engine.program, &app.session.now.world);
        let actor = |name: &str| w.living().find(|(_, a)| a.name.as_ref() == name);
        if let Some((id, _)) = actor(word) {
            return Some(Thing::Actor(id));
        }
        let (owner, member) = word.split_once('.')?;
        let (id, a) = actor(owner)?;
        let kind = &p.kinds[a.kind.index()];
        if let Some(f) = kind.fields.iter().position(|f| f.name == member) {
            return Some(Thing::Value(Target::Field(id, FieldId::at(f))));
        }
        let machine = kind.machines.iter().find(|m| p.machines[m.index()].name == member)?;
        Some(Thing::Machine((*machine, Some(id))))
    }

    /// The links of a text: bytes, and where they lead.
    fn links(&self, app: &App, text: &str) -> Vec<(std::ops::Range<usize>, Lead)> {
        let mut out = vec![];
        let mut at = 0;
        let mut before = "";
        while at < text.len() {
            let rest = &text[at..];
            let len = rest.find(|c| !is_word(c)).unwrap_or(rest.len());
            if len == 0 {
                at += rest.chars().next().map_or(1, char::len_utf8);
                continue;
            }
            // A full stop at the end is no part of a name.
            let word = rest[..len].trim_end_matches('.');
            let first = rest.split_whitespace().next().unwrap_or_default().trim_end_matches([',', ';', ':']);
            let titles = self.rules.get(first).or_else(|| self.rules.get(word));
            let ends = |t: &str| !rest[t.len()..].starts_with(is_word);
            let title = titles.and_then(|l| l.iter().find(|(t, _)| rest.starts_with(t.as_str()) && ends(t)));
            let tick = (before == "tick").then(|| word.parse::<u64>().ok()).flatten();
            let (taken, lead) = match (title, tick) {
                (Some((t, r)), _) => (t.len(), Some(Lead::Thing(Thing::Rule(*r)))),
                (None, Some(t)) if t <= app.session.last_tick() => (word.len(), Some(Lead::Tick(t))),
                _ => (word.len(), self.word(app, word).map(Lead::Thing)),
            };
            let taken = taken.max(1);
            if let Some(lead) = lead {
                out.push((at..at + taken, lead));
            }
            before = word;
            at += taken;
        }
        out
    }
}

/// The lines with their links, numbered through, and where each leads.
pub fn linked(app: &App, lines: Vec<Pieces>) -> (Vec<Vec<Linked>>, Vec<(usize, Lead)>) {
    let mut leads: Vec<(usize, Lead)> = vec![];
    let mut out = vec![];
    for (row, line) in lines.into_iter().enumerate() {
        let mut pieces: Vec<Linked> = vec![];
        for (n, (text, role)) in line.into_iter().enumerate() {
            // The first piece of a line is its label.
            let found = if n == 0 { vec![] } else { app.flight.names.links(app, &text) };
            let mut from = 0;
            for (range, lead) in found {
                if range.start > from {
                    pieces.push((text[from..range.start].to_string(), role, None));
                }
                pieces.push((text[range.clone()].to_string(), role, Some(leads.len())));
                leads.push((row, lead));
                from = range.end;
            }
            if from < text.len() {
                pieces.push((text[from..].to_string(), role, None));
            }
        }
        out.push(pieces);
    }
    (out, leads)
}

impl App {
    /// The links of what the drawer shows: their rows, and where they lead.
    pub fn drawer_links(&self) -> Vec<(usize, Lead)> {
        if self.flight.drawer != Drawer::Why {
            return vec![];
        }
        linked(self, super::why::lines(self, super::why::width(self))).1
    }

    /// Moves along the names in the drawer; scrolls where there are none that way.
    pub(crate) fn move_in_drawer(&mut self, by: i64) {
        let links = self.drawer_links();
        if links.is_empty() || by.abs() > 1 {
            self.flight.why_scroll = (i64::from(self.flight.why_scroll) + by).clamp(0, 400) as u16;
            return;
        }
        let at = self.flight.link_at.map_or(if by > 0 { 0 } else { links.len() - 1 }, |at| {
            (at as i64 + by).clamp(0, links.len() as i64 - 1) as usize
        });
        self.flight.link_at = Some(at);
        self.reveal_row(links[at].0);
    }

    /// To where a link of the drawer leads.
    pub(crate) fn follow_link(&mut self, n: usize) {
        let Some((_, lead)) = self.drawer_links().get(n).copied() else { return };
        self.flight.link_at = None;
        match lead {
            Lead::Tick(tick) => {
                self.about_to_jump();
                self.go(Moment { tick, at: At::End });
                self.say(format!("tick {tick}"));
            }
            Lead::Thing(Thing::Rule(r)) => self.ask_about(Asked::WhyNot(r)),
            Lead::Thing(thing) => self.ask_about(Asked::Thing(thing)),
        }
        self.flight.focus = Pane::Why;
    }
}
