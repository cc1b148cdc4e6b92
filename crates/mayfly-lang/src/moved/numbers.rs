//! Which number each thing has after an edit by which more or fewer things are declared than before.
//!
//! Things are told by their names: what stands before the first name that is another, and behind the last, is the same thing;
//! between the two, what has the same name is; one alone that has another name was renamed.
//!
//! Not here: what the names mean, and who has to be read again because one of them is new or gone ([`crate::check`]).
//!
//! Invariant: a number is replaced by that of the same thing, or what holds it is known to be [`Numbers::lost`].

use super::{Change, Moves};
use crate::level::{Kind, Level, Zone};
use mayfly_base::code::RangeId;
use mayfly_base::*;
use rustc_hash::FxHashMap;
use std::cell::Cell;
use std::hash::Hash;

/// The number of what there is no more.
const GONE: u32 = u32::MAX;

/// The new numbers of one table, by the old ones; none where they are as they were.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Renumbered(Option<Vec<u32>>);

impl Renumbered {
    /// A table of which no number is known yet.
    pub fn unknown(len: usize) -> Self {
        Self(Some(vec![GONE; len]))
    }

    /// Tells a number that was not known.
    pub fn set(&mut self, old: usize, new: Option<usize>) {
        if let Some(to) = self.0.as_mut().and_then(|t| t.get_mut(old)) {
            *to = new.map_or(GONE, |n| n as u32);
        }
    }

    /// The new number of the thing that had that one, as long as there is one.
    pub fn get(&self, old: usize) -> Option<usize> {
        match &self.0 {
            None => Some(old),
            Some(to) => to.get(old).filter(|n| **n != GONE).map(|n| *n as usize),
        }
    }

    /// True where each has the number that it had.
    pub fn holds(&self) -> bool {
        self.0.is_none()
    }

    fn aligned<K: PartialEq + Eq + Hash>(old: &[K], new: &[K]) -> Self {
        let front = old.iter().zip(new).take_while(|(a, b)| a == b).count();
        if front == old.len() && front == new.len() {
            return Self(None);
        }
        let back = old[front..].iter().rev().zip(new[front..].iter().rev()).take_while(|(a, b)| a == b).count();
        let (old_end, new_end) = (old.len() - back, new.len() - back);
        if (old_end - front, new_end - front) == (1, 1) {
            return Self(None);
        }
        let mut named: FxHashMap<&K, usize> = FxHashMap::default();
        (front..new_end).rev().for_each(|i| {
            named.insert(&new[i], i);
        });
        let number = |i: usize| match i {
            i if i < front => i as u32,
            i if i >= old_end => (i - old_end + new_end) as u32,
            i => named.get(&old[i]).map_or(GONE, |n| *n as u32),
        };
        Self(Some((0..old.len()).map(number).collect()))
    }

    fn put(&self, number: &mut u32, lost: &Cell<bool>) {
        match self.get(*number as usize) {
            Some(new) => *number = new as u32,
            None => lost.set(true),
        }
    }
}

/// The new numbers of all things.
#[derive(Debug)]
pub(crate) struct Numbers {
    vars: Renumbered,
    defines: Renumbered,
    /// For all kinds together: gone where kinds do not agree.
    fields: Renumbered,
    kinds: Renumbered,
    /// Behind the placed actors those that stand for zones.
    actors: Renumbered,
    zones: Renumbered,
    messages: Renumbered,
    inputs: Renumbered,
    enums: Renumbered,
    /// Of those enums that have more values or fewer: the numbers of their values.
    values: FxHashMap<u32, Renumbered>,
    tags: Renumbered,
    tiles: Renumbered,
    areas: Renumbered,
    paths: Renumbered,
    timers: Renumbered,
    clocks: Renumbered,
    tables: Renumbered,
    machines: Renumbered,
    states: Renumbered,
    routines: Renumbered,
    records: Renumbered,
    /// Told while rules are read.
    pub rules: Renumbered,
    pub watches: Renumbered,
    pub ranges: Renumbered,
    pub draws: Renumbered,
    /// The areas are as large as they were.
    same_sizes: bool,
    /// The ticks a second, where they are others.
    rate: Option<Rate>,
    /// A number was met of what there is no more.
    lost: Cell<bool>,
}

impl Numbers {
    /// From one level, as far as it is declared, to another. Nothing is known yet of what rules add.
    pub fn of(old: &Level, new: &Level) -> Self {
        fn names<'l, T, K: Eq + Hash>(old: &'l [T], new: &'l [T], name: impl Fn(&'l T) -> K) -> Renumbered {
            let all = |of: &'l [T]| of.iter().map(&name).collect::<Vec<_>>();
            Renumbered::aligned(&all(old), &all(new))
        }
        fn kind_of(l: &Level, of: Option<KindId>) -> Option<&str> {
            of.and_then(|k| l.kinds.get(k.index())).map(|k| k.name.as_str())
        }
        // Of a kind, or of the level.
        fn owned<'l, T>(
            (old, old_all): (&'l Level, &'l [T]),
            (new, new_all): (&'l Level, &'l [T]),
            name: impl Fn(&'l T) -> (&'l str, Option<KindId>),
        ) -> Renumbered {
            let keys = |l: &'l Level, all: &'l [T]| -> Vec<(&'l str, Option<&'l str>)> {
                all.iter().map(&name).map(|(n, of)| (n, kind_of(l, of))).collect()
            };
            Renumbered::aligned(&keys(old, old_all), &keys(new, new_all))
        }
        let zones = owned((old, &old.zones), (new, &new.zones), |z| (&z.name, z.of));
        let kinds = names(&old.kinds, &new.kinds, |k| k.name.as_str());
        let actors = names(&old.actors, &new.actors, |a| a.name.as_str());
        // A state by its machine, and whose machine it is.
        fn states(l: &Level) -> Vec<(String, &str, Option<&str>)> {
            let of = |i: usize| &l.machines[l.states[i].machine.index()];
            let state = |i: usize| (l.state_name(StateId::at(i)), of(i).name.as_str(), kind_of(l, of(i).of));
            (0..l.states.len()).map(state).collect()
        }
        let states = Renumbered::aligned(&states(old), &states(new));
        let sizes = |l: &Level| l.areas.iter().map(|a| (a.width, a.height)).collect::<Vec<_>>();
        Self {
            vars: names(&old.vars, &new.vars, |v| v.name.as_str()),
            defines: owned((old, &old.defines), (new, &new.defines), |d| (&d.name, d.of)),
            fields: fields(&old.kinds, &new.kinds, &kinds),
            actors: with_stand_ins(&actors, &zones, old, new),
            kinds,
            zones,
            messages: names(&old.messages, &new.messages, |m| m.name.as_str()),
            inputs: names(&old.inputs, &new.inputs, |i| i.name.as_str()),
            enums: names(&old.enums, &new.enums, |e| e.name.as_str()),
            values: values(old, new),
            tags: names(&old.tags, &new.tags, |t| t.as_str()),
            tiles: names(&old.tiles, &new.tiles, |t| t.name.as_str()),
            areas: names(&old.areas, &new.areas, |a| a.name.as_str()),
            paths: names(&old.paths, &new.paths, |p| p.name.as_str()),
            timers: names(&old.timers, &new.timers, |t| t.name.as_str()),
            clocks: names(&old.clocks, &new.clocks, |c| c.name.as_str()),
            tables: names(&old.tables, &new.tables, |t| t.name.as_str()),
            machines: owned((old, &old.machines), (new, &new.machines), |m| (&m.name, m.of)),
            states,
            routines: names(&old.routines, &new.routines, |r| r.name.as_str()),
            records: names(&old.records, &new.records, |r| r.name.as_str()),
            rules: Renumbered::unknown(old.rules.len()),
            watches: Renumbered::unknown(old.watches.len()),
            ranges: Renumbered::unknown(old.ranges.len()),
            draws: Renumbered::unknown(old.draws.len()),
            same_sizes: sizes(old) == sizes(new),
            rate: (old.rate != new.rate).then_some(new.rate),
            lost: Cell::new(false),
        }
    }

    /// Whether a number was met, since it was asked last, of what there is no more.
    pub fn lost(&self) -> bool {
        self.lost.replace(false)
    }

    /// True where each kind, message and actor has the number that it had.
    pub fn known_ones_hold(&self) -> bool {
        self.kinds.holds() && self.messages.holds() && self.actors.holds()
    }

    /// The ticks a second, where a tick does not last as long as it did.
    pub fn rate(&self) -> Option<Rate> {
        self.rate
    }

    /// The new number of a kind.
    pub fn kind(&self, old: usize) -> Option<usize> {
        self.kinds.get(old)
    }
}

fn field_names(k: &Kind) -> Vec<&str> {
    k.fields.iter().map(|f| f.name.as_str()).collect()
}

/// The variables of all kinds.
fn fields(old: &[Kind], new: &[Kind], kinds: &Renumbered) -> Renumbered {
    let mut all: Vec<Option<u32>> = vec![];
    let mut holds = true;
    for (i, k) in old.iter().enumerate() {
        let Some(now) = kinds.get(i) else { continue };
        let own = Renumbered::aligned(&field_names(k), &field_names(&new[now]));
        holds &= own.holds();
        all.resize(all.len().max(k.fields.len()), None);
        for (f, to) in all.iter_mut().enumerate().take(k.fields.len()) {
            let new = own.get(f).map_or(GONE, |n| n as u32);
            *to = Some(if to.is_none_or(|t| t == new) { new } else { GONE });
        }
    }
    if holds { Renumbered(None) } else { Renumbered(Some(all.into_iter().map(|n| n.unwrap_or(GONE)).collect())) }
}

/// The values of those enums that have more or fewer than before.
fn values(old: &Level, new: &Level) -> FxHashMap<u32, Renumbered> {
    let mut out = FxHashMap::default();
    for (i, e) in old.enums.iter().enumerate() {
        let now = new.enums.iter().find(|n| n.name == e.name);
        if let Some(now) = now.filter(|n| n.values.len() != e.values.len()) {
            out.insert(i as u32, Renumbered::aligned(&e.values, &now.values));
        }
    }
    out
}

/// The placed actors, and behind them those that stand for zones with a kind.
fn with_stand_ins(actors: &Renumbered, zones: &Renumbered, old: &Level, new: &Level) -> Renumbered {
    let with_kind = |all: &[Zone]| all.iter().map(|z| z.kind.is_some()).collect::<Vec<_>>();
    let (before, after) = (with_kind(&old.zones), with_kind(&new.zones));
    if actors.holds() && zones.holds() && old.actors.len() == new.actors.len() && before == after {
        return Renumbered(None);
    }
    let mut to: Vec<u32> = (0..old.actors.len()).map(|i| actors.get(i).map_or(GONE, |n| n as u32)).collect();
    for (i, _) in before.iter().enumerate().filter(|(_, k)| **k) {
        let now = zones.get(i).filter(|n| after.get(*n) == Some(&true));
        to.push(now.and_then(|n| new.stand_in(ZoneId::at(n))).map_or(GONE, |a| a.0));
    }
    Renumbered(Some(to))
}

impl Change<'_> {
    fn lose(&self) {
        if let Some(n) = self.numbers {
            n.lost.set(true);
        }
    }

    /// The ticks a second, where they are others than before.
    pub(super) fn rate(&self) -> Option<Rate> {
        self.numbers.and_then(Numbers::rate)
    }

    /// A point is met: on another map it may lie outside.
    pub(super) fn lies_somewhere(&self) {
        if self.numbers.is_some_and(|n| !n.same_sizes) {
            self.lose();
        }
    }

    /// A value is met that cannot be changed in its place.
    pub(super) fn holds(&self, v: &Value) {
        if self.numbers.is_some() {
            let mut new = v.clone();
            new.moves(self);
            if new != *v {
                self.lose();
            }
        }
    }

    pub(super) fn enum_value(&self, id: &mut EnumId, value: &mut u32) {
        if let Some(n) = self.numbers {
            if let Some(values) = n.values.get(&id.0) {
                values.put(value, &n.lost);
            }
            n.enums.put(&mut id.0, &n.lost);
        }
    }

    pub(super) fn record(&self, id: &mut u32) {
        if let Some(n) = self.numbers {
            n.records.put(id, &n.lost);
        }
    }
}

macro_rules! numbered {
    ($($id:ident $table:ident)*) => {
        $(impl Moves for $id {
            fn moves(&mut self, by: &Change) {
                if let Some(n) = by.numbers {
                    n.$table.put(&mut self.0, &n.lost);
                }
            }
        })*
    };
}

numbered! {
    VarId vars
    DefineId defines
    FieldId fields
    KindId kinds
    ActorId actors
    ZoneId zones
    RuleId rules
    MessageId messages
    InputId inputs
    EnumId enums
    TagId tags
    TileId tiles
    AreaId areas
    PathId paths
    TimerId timers
    ClockId clocks
    TableId tables
    MachineId machines
    StateId states
    RoutineId routines
    WatchId watches
    RangeId ranges
    DrawId draws
}
