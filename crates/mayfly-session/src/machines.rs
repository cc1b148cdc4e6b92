//! A machine as a drawing needs it: its states in ranks from the start, and for each the ways out of it.
//!
//! Invariant: every state of the machine stands in exactly one rank; a state that no way reaches stands in
//! the last.

use crate::explain::source;
use crate::session::Session;
use mayfly_base::code::{Event, Goal, Part};
use mayfly_base::*;
use mayfly_engine::program::Program;
use mayfly_engine::world::MachineKey;
use std::collections::VecDeque;

/// One way out of a state.
#[derive(Clone, Debug)]
pub struct Way {
    pub rule: Option<RuleId>,
    /// Where it leads: a state's name, `previous`, or several.
    pub to: String,
    pub goals: Vec<StateId>,
    pub label: String,
    /// How often it was taken up to the moment, and when last.
    pub taken: usize,
    pub last: Option<u64>,
}

/// One state.
#[derive(Clone, Debug)]
pub struct Card {
    pub id: StateId,
    pub name: String,
    pub rank: usize,
    /// The state that holds it.
    pub outer: Option<StateId>,
    /// What holds it begins in it.
    pub is_start: bool,
    /// It has a `loop`.
    pub loops: bool,
    /// It, or a state within it, is active.
    pub active: bool,
    /// The machine came from here.
    pub previous: bool,
    pub entered: usize,
    pub ways: Vec<Way>,
}

/// A machine at the moment.
#[derive(Clone, Debug)]
pub struct Picture {
    pub name: String,
    pub state: String,
    pub since: u64,
    pub cards: Vec<Card>,
    /// Ways that lead out of every state.
    pub wherever: Vec<Way>,
}

fn goals(p: &Program, to: &Goal) -> (String, Vec<StateId>) {
    let name = |s: &StateId| p.states[s.index()].name.clone();
    match to {
        Goal::State(s) => (name(s), vec![*s]),
        Goal::Previous => ("previous".into(), vec![]),
        Goal::OneOf(_, list) => {
            let states: Vec<StateId> = list.iter().map(|(s, _, _)| *s).collect();
            (states.iter().map(name).collect::<Vec<_>>().join(" or "), states)
        }
    }
}

fn way(p: &Program, rule: usize, to: &Goal) -> Way {
    let (to, goals) = goals(p, to);
    Way { rule: Some(RuleId::at(rule)), to, goals, label: String::new(), taken: 0, last: None }
}

/// The transitions that can be taken in a state: its own, those of the states that hold it, and those from everywhere.
pub fn transitions_from(p: &Program, machine: MachineId, state: StateId) -> Vec<Way> {
    let path = &p.states[state.index()].path;
    let of = |(i, r): (usize, &mayfly_engine::program::Rule)| match &r.part {
        Some(Part::Transition { machine: m, from, to }) if *m == machine => {
            from.is_none_or(|s| path.contains(&s)).then(|| way(p, i, to))
        }
        _ => None,
    };
    p.rules.iter().enumerate().filter_map(of).collect()
}

impl Session {
    /// The machine at the moment; none where its actor is gone.
    pub fn picture(&self, key: MachineKey) -> Option<Picture> {
        let p = &self.engine.program;
        let now = self.now.world.machines.get(&key)?;
        let went = self.way_of(key);
        let machine = key.0;
        let mut cards = vec![];
        let mut wherever = vec![];
        for (i, s) in p.states.iter().enumerate().filter(|(_, s)| s.machine == machine) {
            let id = StateId::at(i);
            let from_here = |w: &&crate::index::Went| p.states[w.from.index()].path.contains(&id);
            let mut ways = vec![];
            for (r, rule) in p.rules.iter().enumerate() {
                let Some(Part::Transition { machine: m, from, to }) = &rule.part else { continue };
                if *m != machine {
                    continue;
                }
                let mut w = way(p, r, to);
                w.label = self.label(RuleId::at(r));
                let taken: Vec<u64> = went
                    .iter()
                    .filter(|x| x.rule == w.rule && (from.is_none() || from_here(x)))
                    .map(|x| x.tick)
                    .collect();
                (w.taken, w.last) = (taken.len(), taken.last().copied());
                match from {
                    Some(f) if *f == id => ways.push(w),
                    None if wherever.iter().all(|o: &Way| o.rule != w.rule) => wherever.push(w),
                    _ => {}
                }
            }
            cards.push(Card {
                id,
                name: s.name.clone(),
                rank: usize::MAX,
                outer: s.path.len().checked_sub(2).map(|at| s.path[at]),
                is_start: first_of(p, machine, &s.path) == Some(id),
                loops: s.looped.is_some(),
                active: now.stays.iter().any(|(s, _, _)| *s == id),
                previous: now.previous == Some(id) && now.state != id,
                entered: went.iter().filter(|w| w.to == id).count(),
                ways,
            });
        }
        rank(p, machine, &mut cards, &wherever);
        let title = crate::words::Words::new(p, &self.now.world).machine(key.1, now.state);
        Some(Picture {
            name: title,
            state: p.states[now.state.index()].name.clone(),
            since: now.since(now.state).unwrap_or(0),
            cards,
            wherever,
        })
    }

    /// What a transition awaits, as its text has it.
    pub(crate) fn label(&self, rule: RuleId) -> String {
        let Some(r) = self.level.rules.get(rule.index()) else { return String::new() };
        let mut parts: Vec<String> = r.whens.iter().map(|w| when(&source(&self.sources, w.span), &w.event)).collect();
        let tests = self.engine.program.rules[rule.index()].clauses.iter().map(|c| source(&self.sources, c.test.span));
        parts.extend(tests.map(|t| format!("if {t}")));
        parts.join(" ")
    }

    /// All machines of the moment, the level's first.
    pub fn machine_keys(&self) -> Vec<MachineKey> {
        let mut keys: Vec<MachineKey> = self.now.world.machines.keys().copied().collect();
        keys.sort_by_key(|(m, of)| (of.is_some(), *of, *m));
        keys
    }
}

fn when(text: &str, event: &Event) -> String {
    match event {
        Event::After(_) if !text.starts_with("after") => format!("after {text}"),
        _ => text.strip_prefix("when ").unwrap_or(text).to_string(),
    }
}

/// The state in which what holds the last one of `path` begins: the machine, or the state before it.
fn first_of(p: &Program, machine: MachineId, path: &[StateId]) -> Option<StateId> {
    let depth = path.len().checked_sub(1)?;
    let holder = depth.checked_sub(1).map(|at| path[at]);
    let start = holder.map_or(p.machines[machine.index()].start, |s| p.states[s.index()].start);
    p.states[start.index()].path.get(depth).copied()
}

/// Breadth first from the start: how many ways a state lies from it.
fn rank(p: &Program, machine: MachineId, cards: &mut [Card], wherever: &[Way]) {
    let start = p.machines[machine.index()].start;
    let mut queue = VecDeque::from([(p.states[start.index()].path[0], 0)]);
    let mut last = 0;
    while let Some((id, r)) = queue.pop_front() {
        let Some(c) = cards.iter_mut().find(|c| c.id == id && c.rank == usize::MAX) else { continue };
        c.rank = r;
        last = last.max(r);
        let mut next: Vec<StateId> = c.ways.iter().flat_map(|w| w.goals.clone()).collect();
        // Into a state that holds others is into its first.
        next.extend(p.states[id.index()].path.last().filter(|s| **s != id));
        let inner = p.states.iter().enumerate().filter(|(_, s)| s.path.len() > 1 && s.path.contains(&id));
        queue.extend(inner.map(|(i, _)| (StateId::at(i), r + 1)).filter(|(s, _)| *s != id));
        queue.extend(next.into_iter().map(|s| (s, r + 1)));
    }
    for s in wherever.iter().flat_map(|w| &w.goals) {
        if let Some(c) = cards.iter_mut().find(|c| c.id == *s && c.rank == usize::MAX) {
            c.rank = last + 1;
        }
    }
    let end = cards.iter().filter(|c| c.rank != usize::MAX).map(|c| c.rank).max().unwrap_or(0) + 1;
    cards.iter_mut().filter(|c| c.rank == usize::MAX).for_each(|c| c.rank = end);
}
