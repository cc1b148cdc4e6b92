//! What is kept of reading a level, so that one rule of it can be read again.
//!
//! Not here: when that can be done, and how ([`super::again`]).
//!
//! Invariant: a checker made of what was kept answers as the one that read the level did when it came to its rules; a
//! property test holds what comes out against a level that is read for the first time.

use super::gaps::Gaps;
use super::machines::PartStub;
use super::used::Used;
use super::{Checker, Found, names, scope};
use crate::diagnostic::Diagnostic;
use crate::level::Level;
use crate::moved::{Change, Moves, Shift};
use crate::parser;
use crate::placed::Placed;
use crate::types::Ty;
use mayfly_base::*;
use rustc_hash::{FxHashMap, FxHashSet};
use std::ops::Range;
use std::sync::Arc;

/// How long those tables are to which a rule adds what it awaits, draws or waits for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Pools {
    pub draws: usize,
    pub watches: usize,
    pub ranges: usize,
    pub rules: usize,
}

impl Pools {
    pub(super) fn of(level: &Level) -> Self {
        Self {
            draws: level.draws.len(),
            watches: level.watches.len(),
            ranges: level.ranges.len(),
            rules: level.rules.len(),
        }
    }
}

/// A rule or a part of a machine, and what it alone added.
#[derive(Clone, Debug)]
pub(crate) struct Unit {
    pub at: Span,
    pub owner: Option<KindId>,
    /// Of a machine: its title, and which part it is.
    pub part: Option<(String, PartStub)>,
    /// Which of the diagnostics are its own.
    pub told: Range<usize>,
    /// How long the tables were before it, and after.
    pub from: Pools,
    pub to: Pools,
}

/// The one piece of the text that was read again.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Patch {
    /// It is a comment: nothing was read.
    pub is_comment: bool,
    /// Where it stood.
    pub old: Span,
    /// Where it stands.
    pub new: Span,
    pub shift: Shift,
}

/// Everything that a checker knows, its nodes apart.
#[derive(Debug)]
pub(super) struct Kept {
    pub names: scope::Scope,
    pub used: Used,
    pub watch_keys: FxHashMap<(String, Option<KindId>), WatchId>,
    enum_values: FxHashMap<(EnumId, String), u32>,
    enums_of: FxHashMap<String, EnumId>,
    actors_by_name: FxHashMap<String, ActorId>,
    states_by_name: FxHashMap<(MachineId, String), StateId>,
    machines_at: FxHashMap<Span, MachineId>,
    states_at: FxHashMap<Span, StateId>,
    gone_to: FxHashSet<String>,
    define_heights: FxHashMap<DefineId, u32>,
    may_circle: bool,
    pub gaps: Gaps,
    pub zones_named: FxHashSet<ZoneId>,
    pub titles_named: FxHashSet<String>,
    pub units: Vec<Unit>,
    /// What was told before the level was looked over, errors of grammar apart.
    pub told: Vec<Diagnostic>,
    /// Of how many errors of grammar: the diagnostics of units are counted behind them.
    pub syntax_told: usize,
}

impl Kept {
    /// What was told while that rule was read.
    pub(super) fn told_by(&self, unit: &Unit) -> &[Diagnostic] {
        let at = |n: usize| n.saturating_sub(self.syntax_told).min(self.told.len());
        &self.told[at(unit.told.start)..at(unit.told.end)]
    }
}

/// A map whose keys are places, after an edit.
fn moved_keys<V: Clone>(map: &FxHashMap<Span, V>, by: &Shift) -> FxHashMap<Span, V> {
    map.iter().map(|(at, v)| (by.of(*at), v.clone())).collect()
}

impl Checker {
    pub(super) fn pools(&self) -> Pools {
        Pools::of(&self.level)
    }

    /// Takes a level of which everything is known that is found by its node.
    pub(super) fn take_known(&mut self, level: Level) {
        let empty = parser::parse("").tree();
        let constant = |(_, value, ty): &(String, Value, Ty)| names::Const {
            node: empty.clone(),
            value: Some((value.clone(), ty.clone())),
            busy: false,
        };
        self.consts = level.consts.iter().map(constant).collect();
        self.var_nodes = vec![(empty.clone(), true); level.vars.len()];
        self.define_nodes = vec![(empty.clone(), true); level.defines.len()];
        self.routine_nodes = vec![empty.clone(); level.routines.len()];
        self.table_nodes = vec![(empty, true); level.tables.len()];
        self.field_nodes = level.kinds.iter().map(|k| vec![(None, true); k.fields.len()]).collect();
        self.level = level;
    }

    /// What was found out; `told` is what was wrong before the level was looked over.
    pub(super) fn found(mut self, told: Option<Vec<Diagnostic>>) -> Found {
        self.settle();
        // A constant that was never asked for has no value that could be kept.
        let is_whole = self.consts.iter().all(|c| c.value.is_some());
        let kept = told.filter(|_| is_whole).map(|mut told| Kept {
            told: told.split_off(self.syntax_told.min(told.len())),
            names: self.names,
            used: self.used,
            watch_keys: self.watch_keys,
            enum_values: self.enum_values,
            enums_of: self.enums_of,
            actors_by_name: self.actors_by_name,
            states_by_name: self.states_by_name,
            machines_at: self.machines_at,
            states_at: self.states_at,
            gone_to: self.gone_to,
            define_heights: self.define_heights,
            may_circle: self.may_circle,
            gaps: self.gaps,
            zones_named: self.zones_named,
            titles_named: self.titles_named,
            units: self.units,
            syntax_told: self.syntax_told,
        });
        Found { types: self.types.unwrap_or_default(), draft: Arc::new(self.level), rules_read: self.rules_read, kept }
    }

    /// A checker that knows what was kept, all places moved along with an edit. Of the stretch `of` it knows no types and no
    /// uses of variables: it is read again.
    pub(super) fn of_kept(found: &Found, kept: &Kept, by: &Shift, of: Span) -> Self {
        let mut level = Level::clone(&found.draft);
        level.moves(&Change::of(by));
        let is_outside = |at: &Span| at.file != of.file || at.end <= of.start || of.end <= at.start;
        let mut types = Placed::default();
        types.take(&found.types, &Change::of(by), is_outside);
        let mut c = Self::new();
        c.take_known(level);
        c.types = Some(types);
        c.names = kept.names.moved(by);
        c.used.take(&kept.used, &Change::of(by), &mut |at| is_outside(at));
        c.watch_keys = kept.watch_keys.clone();
        c.enum_values = kept.enum_values.clone();
        c.enums_of = kept.enums_of.clone();
        c.actors_by_name = kept.actors_by_name.clone();
        c.states_by_name = kept.states_by_name.clone();
        c.machines_at = moved_keys(&kept.machines_at, by);
        c.states_at = moved_keys(&kept.states_at, by);
        c.gone_to = kept.gone_to.clone();
        c.define_heights = kept.define_heights.clone();
        c.may_circle = kept.may_circle;
        c.gaps = kept.gaps.clone();
        c.zones_named = kept.zones_named.clone();
        c.titles_named = kept.titles_named.clone();
        c
    }
}
