//! A level as it is run: tables by number, actions in a row, and from each event to the rules that
//! await it.
//!
//! `mayfly-session` makes it from a checked level; it never changes. What happens to it is a
//! [`crate::world::World`].
//!
//! Invariant: every id and every place in the code that stands here exists here.

use crate::dispatch::Dispatch;
pub use crate::tables::*;
use mayfly_base::code::*;
use mayfly_base::*;

#[derive(Clone, Debug)]
pub struct Program {
    pub title: String,
    pub rate: Rate,
    pub seed: u64,
    pub edges: Edges,
    pub tiles: Vec<Tile>,
    pub maps: Vec<Map>,
    pub enums: Vec<(String, Vec<String>)>,
    pub tags: Vec<String>,
    pub vars: Vec<Var>,
    pub defines: Vec<Define>,
    pub messages: Vec<Message>,
    pub inputs: Vec<String>,
    pub timers: Vec<Timer>,
    pub clocks: Vec<Clock>,
    pub paths: Vec<Path>,
    pub routines: Vec<Routine>,
    pub kinds: Vec<Kind>,
    pub actors: Vec<Placed>,
    pub zones: Vec<Zone>,
    pub watches: Vec<Watch>,
    pub ranges: Vec<Range>,
    /// Rows of values and their weights.
    pub tables: Vec<(String, Vec<(Expr, Expr)>)>,
    pub machines: Vec<Machine>,
    pub states: Vec<State>,
    /// Transitions without an event, in order: looked at whenever things are noticed.
    pub eventless: Vec<RuleId>,
    pub rules: Vec<Rule>,
    pub code: Vec<Op>,
    /// Where each op stands in the text.
    pub spans: Vec<Span>,
    /// For each file, how many files' declarations stand before its own.
    pub file_order: Vec<u16>,
    /// Each drawing place's name.
    pub draws: Vec<String>,
    /// For each of them, whether it stands in a routine: then each calling rule has a stream of its own.
    pub shared_draws: Vec<bool>,
    pub dispatch: Dispatch,
    pub reads: Reads,
    /// Zones that follow tiles.
    pub tile_zones: Vec<ZoneId>,
    /// Where prompts and boards stand that can never be faulty.
    pub sure_signs: rustc_hash::FxHashSet<CodeAt>,
    /// Whether any tile is solid, and whether any kind carries others.
    pub solid_tiles: bool,
    pub carriers: bool,
}

/// What of time the level asks for anywhere.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Reads {
    /// `time` or `tick`.
    pub time: bool,
    /// How much of a unit a clock has run in all.
    pub clock_totals: bool,
    /// How long a machine has been in a state.
    pub stay_ages: bool,
}

impl Program {
    /// Where a stretch of text stands in the order of declaration.
    pub fn declared_at(&self, at: Span) -> crate::tables::DeclaredAt {
        crate::tables::declared_at(&self.file_order, at)
    }

    /// The routine in whose code a place lies.
    pub fn routine_at(&self, pc: CodeAt) -> Option<&Routine> {
        // Routines lie behind each other.
        let at = self.routines.partition_point(|r| r.code <= pc);
        at.checked_sub(1).map(|i| &self.routines[i]).filter(|r| pc < r.end)
    }

    /// A rule's name where all stand in one list: two kinds may have machines of one name.
    pub fn rule_in_full(&self, id: RuleId) -> String {
        let r = &self.rules[id.index()];
        let of_machine = r.owner.filter(|_| r.part.is_some());
        let kind = of_machine.map_or(String::new(), |k| format!("{}.", self.kinds[k.index()].name));
        format!("{kind}{}", self.rule_name(id))
    }

    /// The rule whose code a place lies in; none in a routine's.
    pub fn rule_at(&self, pc: CodeAt) -> Option<RuleId> {
        if self.routine_at(pc).is_some() {
            return None;
        }
        let starts = |r: &Rule| {
            let blocks = r.clauses.iter().filter_map(|c| c.otherwise).chain(r.otherwise).chain([r.then]);
            blocks.filter(|at| *at <= pc).max()
        };
        let found = self.rules.iter().enumerate().filter_map(|(i, r)| Some((starts(r)?, i)));
        found.max_by_key(|(at, _)| *at).map(|(_, i)| RuleId::at(i))
    }

    /// True where `kind` is `of` or derives from it.
    pub fn is_kind(&self, kind: KindId, of: KindId) -> bool {
        kind == of || self.kinds[kind.index()].is.contains(&of)
    }

    /// A rule's name in reports: `KIND / title` for a kind's.
    pub fn rule_name(&self, id: RuleId) -> String {
        let r = &self.rules[id.index()];
        match r.owner {
            Some(k) if r.part.is_none() => format!("{} / {}", self.kinds[k.index()].name, r.title),
            _ => r.title.clone(),
        }
    }
}
