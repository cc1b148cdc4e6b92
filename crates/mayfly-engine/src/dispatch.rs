//! From each thing that can happen to the rules that await it, so that what does not happen costs
//! nothing.
//!
//! Invariant: in every list, higher priority stands first, then the earlier rule, then its earlier
//! `when`.

use crate::program::{Kind, Rule};
use mayfly_base::code::*;
use mayfly_base::*;
use rustc_hash::FxHashMap;

/// A rule, and which of its `when` lines.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Await {
    pub rule: RuleId,
    pub when: u16,
}

/// What a list is kept for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Key {
    Start,
    Enters(ZoneId),
    Leaves(ZoneId),
    In(ZoneId),
    MovesIn(ZoneId),
    /// By the kind of one of the two.
    Touches(KindId),
    Parts(KindId),
    Touching(KindId),
    Nears(RangeId),
    Strays(RangeId),
    Near(RangeId),
    Press(InputId),
    Pressing(InputId),
    Watch(WatchId),
    Hears(MessageId),
    TimerEnds(TimerId),
    MachineEnters(StateId),
    MachineLeaves(StateId),
    Spawns(KindId),
    Removed(KindId),
    Bumps(KindId),
}

/// Rules that time starts.
#[derive(Clone, Debug, Default)]
pub struct Timed {
    pub first: u64,
    /// 0: once.
    pub period: u64,
    pub awaits: Vec<Await>,
}

#[derive(Clone, Debug, Default)]
pub struct Dispatch {
    lists: FxHashMap<Key, Vec<Await>>,
    /// Of the level's rules, by first tick and period.
    pub level_times: Vec<Timed>,
    /// Of kinds' rules: counted from each actor's creation.
    pub kind_times: Vec<Timed>,
    /// Of machines' parts: counted from the entry of their state.
    pub state_times: Vec<Timed>,
    /// Whether contact has to be sensed at all.
    pub contact: bool,
    /// Whether any rule awaits `in`, and whether any awaits `touching`.
    pub lasting: (bool, bool),
    /// Which watches read what.
    pub by_var: Vec<Vec<WatchId>>,
    pub by_field: FxHashMap<(KindId, FieldId), Vec<WatchId>>,
    /// Watches that read more than variables, compared at every notice.
    pub always: Vec<WatchId>,
    /// For each watch, whether it reads variables of its own actor alone.
    pub own: Vec<bool>,
}

impl Dispatch {
    /// The rules that await it, in the order in which they are judged.
    pub fn list(&self, key: Key) -> &[Await] {
        self.lists.get(&key).map_or(&[], Vec::as_slice)
    }

    /// True where a watch reads variables of its own actor alone, so that a write concerns one actor.
    pub fn reads_own(&self, w: WatchId) -> bool {
        self.own.get(w.index()).copied().unwrap_or(false)
    }

    /// Builds every list.
    pub fn new(rules: &[Rule], kinds: &[Kind], actors: &[KindId]) -> Self {
        let mut d = Self::default();
        for (r, rule) in rules.iter().enumerate() {
            for (w, event) in rule.whens.iter().enumerate() {
                let a = Await { rule: RuleId::at(r), when: w as u16 };
                d.add(a, rule, event, kinds, actors);
            }
        }
        let order = |a: &Await| {
            let p = rules[a.rule.index()].limits.priority;
            (std::cmp::Reverse(Ordered(p)), a.rule, a.when)
        };
        for list in d.lists.values_mut() {
            list.sort_by_key(order);
            list.dedup();
        }
        for t in d.level_times.iter_mut().chain(d.kind_times.iter_mut()).chain(d.state_times.iter_mut()) {
            t.awaits.sort_by_key(order);
        }
        d
    }

    fn add(&mut self, a: Await, rule: &Rule, event: &Event, kinds: &[Kind], actors: &[KindId]) {
        let who = |w: &Who| kinds_of(&w.set, rule, kinds, actors);
        let keys: Vec<Key> = match event {
            Event::Start => vec![Key::Start],
            Event::Tick => return self.timed(a, rule, 0, 1),
            Event::Every { first, period } => return self.timed(a, rule, *first, *period),
            Event::After(ticks) => return self.timed(a, rule, *ticks, 0),
            Event::Zone { verb, zone, .. } => {
                let z = zone.id();
                vec![match verb {
                    ZoneVerb::Enters => Key::Enters(z),
                    ZoneVerb::Leaves => Key::Leaves(z),
                    ZoneVerb::In(_) => {
                        self.lasting.0 = true;
                        Key::In(z)
                    }
                    ZoneVerb::MovesIn => Key::MovesIn(z),
                }]
            }
            Event::Pair { verb, a: x, b: y } => {
                let key: fn(KindId) -> Key = match verb {
                    PairVerb::Touches => Key::Touches,
                    PairVerb::Parts => Key::Parts,
                    PairVerb::Touching(_) => {
                        self.lasting.1 = true;
                        Key::Touching
                    }
                    PairVerb::Nears(r) => return self.push(Key::Nears(*r), a),
                    PairVerb::Strays(r) => return self.push(Key::Strays(*r), a),
                    PairVerb::Near(r, _) => return self.push(Key::Near(*r), a),
                };
                self.contact = true;
                who(x).into_iter().chain(who(y)).map(key).collect()
            }
            Event::Press(p) => vec![if p.held.is_some() { Key::Pressing(p.input) } else { Key::Press(p.input) }],
            Event::Watched { watch, .. } => vec![Key::Watch(*watch)],
            Event::Hears { message, .. } => vec![Key::Hears(*message)],
            Event::TimerEnds(t) => vec![Key::TimerEnds(*t)],
            Event::Machine { state, enters: true, .. } => vec![Key::MachineEnters(*state)],
            Event::Machine { state, .. } => vec![Key::MachineLeaves(*state)],
            Event::Spawns(w) => who(w).into_iter().map(Key::Spawns).collect(),
            Event::Removed(w) => who(w).into_iter().map(Key::Removed).collect(),
            Event::Bumps { who: w, .. } => who(w).into_iter().map(Key::Bumps).collect(),
        };
        for k in keys {
            self.push(k, a);
        }
    }

    fn push(&mut self, key: Key, a: Await) {
        self.lists.entry(key).or_default().push(a);
    }

    fn timed(&mut self, a: Await, rule: &Rule, first: u64, period: u64) {
        let list = match (&rule.part, rule.owner) {
            (Some(_), _) => &mut self.state_times,
            (None, Some(_)) => &mut self.kind_times,
            (None, None) => &mut self.level_times,
        };
        match list.iter_mut().find(|t| t.first == first && t.period == period) {
            Some(t) => t.awaits.push(a),
            None => list.push(Timed { first, period, awaits: vec![a] }),
        }
    }
}

/// The kinds whose actors may be meant.
fn kinds_of(set: &WhoSet, rule: &Rule, kinds: &[Kind], actors: &[KindId]) -> Vec<KindId> {
    let all = || (0..kinds.len()).map(KindId::at);
    match set {
        WhoSet::Kind(k) => all().filter(|x| kinds[x.index()].is.contains(k)).collect(),
        WhoSet::Actor(a) => actors.get(a.index()).copied().into_iter().collect(),
        WhoSet::Myself => rule.kinds.clone(),
        WhoSet::Any | WhoSet::Tag(_) | WhoSet::Held(_) => all().collect(),
    }
}

/// A finite number that can be sorted by.
#[derive(PartialEq)]
struct Ordered(f64);

impl Eq for Ordered {}

impl PartialOrd for Ordered {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Ordered {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.0.total_cmp(&other.0)
    }
}
