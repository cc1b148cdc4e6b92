//! From each thing that can happen to the rules that await it, so that what does not happen costs
//! nothing.
//!
//! Invariant: in every list the rules stand by rank ([`Dispatch::rank`]), of one its earlier `when` first.

use crate::tables::{Kind, Rule, Zone, declared_at};
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
    /// By the kind of who sees.
    Sees(KindId),
    Loses(KindId),
    Seeing(KindId),
    Treads(KindId),
    Arrives(KindId),
    Stuck(KindId),
    Comes(KindId),
    Passes(ClockId, u16),
}

/// Rules that time starts.
#[derive(Clone, Debug, Default)]
pub struct Timed {
    pub first: u64,
    /// 0: once.
    pub period: u64,
    pub awaits: Vec<Await>,
}

impl Timed {
    /// The first tick from `from` on in which it is due, counted from `since`; none where it never is again.
    pub fn next_due(&self, since: u64, from: u64) -> Option<u64> {
        let age = from.saturating_sub(since);
        match self.period {
            _ if age <= self.first => Some((since + self.first).max(from)),
            0 => None,
            period => Some(since + self.first + (age - self.first).div_ceil(period) * period),
        }
    }
}

#[derive(Clone, Debug, Default)]
pub struct Dispatch {
    lists: FxHashMap<Key, Vec<Await>>,
    ranks: Vec<u32>,
    /// For comparison: every rule, whatever happened. Each is then asked whether it awaits it.
    everything: Option<Vec<Await>>,
    /// Of the level's rules, by first tick and period.
    pub level_times: Vec<Timed>,
    /// Of kinds' rules: counted from each actor's creation.
    pub kind_times: Vec<Timed>,
    /// Of machines' parts: counted from the entry of their state.
    pub state_times: Vec<Timed>,
    /// Whether contact has to be sensed at all.
    pub contact: bool,
    /// Whether any rule awaits that someone arrives at a point.
    pub arrives_at: bool,
    /// Whom rules ask about sight: who could see, who could be seen, and whose rule it is. Sight is sensed where there are any.
    pub sights: Vec<(WhoSet, WhoSet, Option<KindId>)>,
    /// Whether tiles underfoot have to be sensed.
    pub treads: bool,
    /// Whether any rule awaits `moves in`.
    pub moves_in: bool,
    /// For each zone, whether any rule awaits `in` of it; shorter where none does of the rest.
    awaited_in: Vec<bool>,
    /// Whether any rule awaits `in`, `touching`, `seeing`.
    pub lasting: (bool, bool, bool),
    /// Which watches read what.
    pub by_var: Vec<Vec<WatchId>>,
    pub by_field: FxHashMap<(KindId, FieldId), Vec<WatchId>>,
    /// Watches that read more than variables, compared at every notice.
    pub always: Vec<WatchId>,
    /// For each watch, whether it reads variables of its own actor alone.
    pub own: Vec<bool>,
    /// For each watch, of which actors it reads variables, where it names all of them.
    pub named: Vec<Option<Vec<ActorId>>>,
}

impl Dispatch {
    /// The rules that await it, in the order in which they are evaluated.
    pub fn list(&self, key: Key) -> &[Await] {
        if let Some(all) = &self.everything {
            return all;
        }
        self.lists.get(&key).map_or(&[], Vec::as_slice)
    }

    /// Where a rule comes among all that await one event.
    pub fn rank(&self, rule: RuleId) -> u32 {
        self.ranks[rule.index()]
    }

    /// True where any rule awaits it.
    pub fn is_awaited(&self, key: Key) -> bool {
        self.lists.get(&key).is_some_and(|l| !l.is_empty())
    }

    /// True where a watch reads variables of its own actor alone, so that a write concerns one actor.
    pub fn reads_own(&self, w: WatchId) -> bool {
        self.own.get(w.index()).copied().unwrap_or(false)
    }

    /// True where a write to a variable of that actor may concern a watch that reads such a variable.
    pub fn may_read(&self, w: WatchId, actor: ActorId) -> bool {
        self.named.get(w.index()).and_then(Option::as_ref).is_none_or(|named| named.contains(&actor))
    }

    /// Builds every list.
    pub fn new(
        (rules, file_order): (&[Rule], &[u16]),
        kinds: &[Kind],
        actors: &[KindId],
        zones: &[Zone],
        timers: usize,
    ) -> Self {
        let mut d = Self::default();
        for (r, rule) in rules.iter().enumerate() {
            for (w, event) in rule.whens.iter().enumerate() {
                let a = Await { rule: RuleId::at(r), when: w as u16 };
                d.add(a, rule, event, &All { kinds, actors, zones, timers });
            }
        }
        d.ranks = ranks(rules, file_order);
        let ranks = &d.ranks;
        let order = |a: &Await| (ranks[a.rule.index()], a.when);
        for list in d.lists.values_mut() {
            list.sort_by_key(order);
            list.dedup();
        }
        for t in d.level_times.iter_mut().chain(d.kind_times.iter_mut()).chain(d.state_times.iter_mut()) {
            t.awaits.sort_by_key(order);
        }
        d
    }

    /// Forgets every index: each rule is asked at each event, each watch compared at each notice. The
    /// tests compare such an engine with the real one.
    pub fn ask_everyone(&mut self, rules: &[Rule], watches: usize) {
        let mut all = vec![];
        for (r, rule) in rules.iter().enumerate() {
            all.extend((0..rule.whens.len()).map(|w| Await { rule: RuleId::at(r), when: w as u16 }));
        }
        all.sort_by_key(|a| (self.rank(a.rule), a.when));
        self.everything = Some(all);
        self.always = (0..watches).map(WatchId::at).collect();
    }

    /// False where no rule awaits that someone is in that zone.
    pub fn may_last_in(&self, zone: ZoneId) -> bool {
        self.asks_everyone() || self.awaited_in.get(zone.index()).is_some_and(|awaited| *awaited)
    }

    /// True where a rule awaits that a nearness lasts.
    pub fn lasts_near(&self, range: RangeId) -> bool {
        !self.list(Key::Near(range)).is_empty()
    }

    /// True where no index is used.
    pub fn asks_everyone(&self) -> bool {
        self.everything.is_some()
    }

    fn add(&mut self, a: Await, rule: &Rule, event: &Event, all: &All) {
        let who = |w: &Who| kinds_of(&w.set, rule, all.kinds, all.actors);
        let keys: Vec<Key> = match event {
            Event::Start => vec![Key::Start],
            Event::Tick => return self.timed(a, rule, 0, 1),
            Event::Every { first, period } => return self.timed(a, rule, first.ticks, period.ticks),
            Event::After(p) => return self.timed(a, rule, p.ticks, 0),
            Event::Zone { verb, zone, .. } => {
                let key: fn(ZoneId) -> Key = match verb {
                    ZoneVerb::Enters => Key::Enters,
                    ZoneVerb::Leaves => Key::Leaves,
                    ZoneVerb::In(_) => {
                        self.lasting.0 = true;
                        Key::In
                    }
                    ZoneVerb::MovesIn => {
                        self.moves_in = true;
                        Key::MovesIn
                    }
                };
                zones_of(zone, rule, all).into_iter().map(key).collect()
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
                    PairVerb::Sees | PairVerb::Loses | PairVerb::Seeing(_) => {
                        let key: fn(KindId) -> Key = match verb {
                            PairVerb::Sees => Key::Sees,
                            PairVerb::Loses => Key::Loses,
                            _ => Key::Seeing,
                        };
                        let asked = (x.set.clone(), y.set.clone(), rule.owner);
                        if self.sights.last() != Some(&asked) {
                            self.sights.push(asked);
                        }
                        self.lasting.2 |= matches!(verb, PairVerb::Seeing(_));
                        return who(x).into_iter().for_each(|k| self.push(key(k), a));
                    }
                };
                self.contact = true;
                who(x).into_iter().chain(who(y)).map(key).collect()
            }
            Event::Press(p) => vec![if p.held.is_some() { Key::Pressing(p.input) } else { Key::Press(p.input) }],
            Event::Watched { watch, .. } => vec![Key::Watch(*watch)],
            Event::Hears { message: Heard::One(m), .. } => vec![Key::Hears(*m)],
            Event::Hears { message: Heard::Held(_, all), .. } => all.iter().map(|m| Key::Hears(*m)).collect(),
            Event::TimerEnds(e) => match &e.kind {
                ExprKind::Const(Value::Timer(t)) => vec![Key::TimerEnds(*t)],
                _ => (0..all.timers).map(|t| Key::TimerEnds(TimerId::at(t))).collect(),
            },
            Event::Machine { state, enters: true, .. } => vec![Key::MachineEnters(*state)],
            Event::Machine { state, .. } => vec![Key::MachineLeaves(*state)],
            Event::Spawns(w) => who(w).into_iter().map(Key::Spawns).collect(),
            Event::Removed(w) => who(w).into_iter().map(Key::Removed).collect(),
            Event::Bumps { who: w, .. } => who(w).into_iter().map(Key::Bumps).collect(),
            Event::Treads { who: w, .. } => {
                self.treads = true;
                who(w).into_iter().map(Key::Treads).collect()
            }
            Event::Arrives { who: w, at } => {
                self.arrives_at |= at.is_some();
                who(w).into_iter().map(Key::Arrives).collect()
            }
            Event::Stuck(w) => who(w).into_iter().map(Key::Stuck).collect(),
            Event::Comes { who: w, .. } => who(w).into_iter().map(Key::Comes).collect(),
            Event::Passes { clock, unit, .. } => vec![Key::Passes(*clock, *unit)],
        };
        for k in keys {
            self.push(k, a);
        }
    }

    fn push(&mut self, key: Key, a: Await) {
        if let Key::In(zone) = key {
            self.awaited_in.resize(self.awaited_in.len().max(zone.index() + 1), false);
            self.awaited_in[zone.index()] = true;
        }
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

/// For each rule, how many come before it among those that await one event: the higher priority first, then the order of the
/// rules. Runs that wait come after the rules of priority 0, as their waits stand in the text.
fn ranks(rules: &[Rule], file_order: &[u16]) -> Vec<u32> {
    let mut order: Vec<usize> = (0..rules.len()).collect();
    order.sort_by_cached_key(|r| {
        let rule = &rules[*r];
        let waits = (rule.part == Some(Part::Wait)).then(|| declared_at(file_order, rule.span));
        (std::cmp::Reverse(Ordered(rule.limits.priority)), waits, *r)
    });
    let mut ranks = vec![0; rules.len()];
    order.into_iter().zip(0..).for_each(|(r, rank)| ranks[r] = rank);
    ranks
}

/// What an index is made of.
struct All<'a> {
    kinds: &'a [Kind],
    actors: &'a [KindId],
    zones: &'a [Zone],
    timers: usize,
}

/// The zones that may be meant.
fn zones_of(zone: &ZoneWhich, rule: &Rule, all: &All) -> Vec<ZoneId> {
    let every = || (0..all.zones.len()).map(ZoneId::at);
    let kind = |z: &ZoneId| all.zones[z.index()].kind;
    match zone {
        ZoneWhich::Level(z) | ZoneWhich::Of(z, _) => vec![*z],
        ZoneWhich::Kind(k, _) => {
            every().filter(|z| kind(z).is_some_and(|x| all.kinds[x.index()].is.contains(k))).collect()
        }
        ZoneWhich::Myself => every().filter(|z| kind(z).is_some_and(|x| rule.kinds.contains(&x))).collect(),
        ZoneWhich::Held(_) => every().collect(),
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
