//! Who wrote a value, how often and by how much, and who could: for "what makes it run away?" and "which rule
//! that I forgot changes it?".
//!
//! Not here: which record of the present tick wrote it ([`crate::watch`]).
//!
//! Invariant: what is counted are the writes up to the moment; of who could write it nobody is left out, and
//! whoever certainly writes another thing of that name is.

use crate::session::Session;
use mayfly_base::code::*;
use mayfly_base::*;
use mayfly_engine::Target;
use mayfly_engine::program::Program;
use mayfly_lang::level::{Block, Level, Rule, StmtKind};
use mayfly_lang::types::Ty;
use rustc_hash::FxHashMap;

/// Writes of one rule to one place that are kept apart; of more only their number and sum go on.
const MAX: usize = 20_000;

/// Who writes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Writer {
    Rule(RuleId),
    /// What a routine began goes on when no rule is carried out: a ramp.
    Routine(RoutineId),
    Hand,
}

impl Writer {
    /// Whose the code at a place is.
    pub fn at(p: &Program, pc: u32) -> Self {
        let routine = p.routines.iter().position(|r| (r.code..r.end).contains(&pc));
        match (routine, p.rule_at(pc)) {
            (Some(r), _) => Self::Routine(RoutineId::at(r)),
            (None, Some(r)) => Self::of_rule(p, r),
            (None, None) => Self::Hand,
        }
    }

    /// A poke is a rule by hand.
    pub fn of_rule(p: &Program, rule: RuleId) -> Self {
        if p.rules[rule.index()].is_by_hand() { Self::Hand } else { Self::Rule(rule) }
    }

    pub fn name(self, p: &Program) -> String {
        match self {
            Self::Rule(r) => p.rule_name(r),
            Self::Routine(r) => format!("routine {}", p.routines[r.index()].name),
            Self::Hand => "a poke".into(),
        }
    }
}

/// Writes of one rule to one place, up to a tick.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Sum {
    tick: u64,
    times: u64,
    /// What numbers and durations (in seconds) gained by it.
    gained: f64,
}

/// For each place, who wrote it.
#[derive(Clone, Debug, Default)]
pub struct Writers {
    of: FxHashMap<Target, FxHashMap<Writer, Vec<Sum>>>,
}

/// What one rule did to a value so far.
#[derive(Clone, Debug, PartialEq)]
pub struct Wrote {
    pub by: Writer,
    pub times: u64,
    pub gained: f64,
    pub last: u64,
}

fn size(v: &Value) -> Option<f64> {
    match v {
        Value::Number(n) => Some(*n),
        Value::Duration(d) => Some(*d as f64 / 1e6),
        _ => None,
    }
}

impl Writers {
    pub fn add(&mut self, target: Target, by: Writer, tick: u64, old: &Value, new: &Value) {
        let gained = size(old).zip(size(new)).map_or(0.0, |(a, b)| b - a);
        crate::index::forget_old(&mut self.of, |by| {
            by.values().filter_map(|s| s.last()).map(|s| s.tick).max().unwrap_or(0)
        });
        let sums = self.of.entry(target).or_default().entry(by).or_default();
        let full = sums.len() >= MAX;
        match sums.last_mut() {
            Some(s) if s.tick == tick || full => {
                (s.tick, s.times) = (tick, s.times + 1);
                s.gained += gained;
            }
            last => {
                let (times, before) = last.map_or((0, 0.0), |s| (s.times, s.gained));
                sums.push(Sum { tick, times: times + 1, gained: before + gained });
            }
        }
    }

    /// Forgets everything from `tick` on.
    pub fn cut(&mut self, tick: u64) {
        for list in self.of.values_mut() {
            list.values_mut().for_each(|sums| sums.truncate(sums.partition_point(|s| s.tick < tick)));
            list.retain(|_, sums| !sums.is_empty());
        }
    }
}

impl Session {
    /// Who wrote a value up to the moment, whoever wrote it most often first.
    pub fn wrote(&self, target: Target) -> Vec<Wrote> {
        let one = |(by, sums): (&Writer, &Vec<Sum>)| {
            let s = sums[..sums.partition_point(|s| s.tick <= self.moment.tick)].last()?;
            Some(Wrote { by: *by, times: s.times, gained: s.gained, last: s.tick })
        };
        let mut out: Vec<Wrote> = self.index.writers.of.get(&target).into_iter().flatten().filter_map(one).collect();
        out.sort_by(|a, b| b.times.cmp(&a.times).then(b.gained.abs().total_cmp(&a.gained.abs())).then(a.by.cmp(&b.by)));
        out
    }

    /// Who wrote it in a tick; none where nobody did, or several.
    pub fn wrote_at(&self, target: Target, tick: u64) -> Option<Writer> {
        let all = self.index.writers.of.get(&target)?;
        let mut then = all.iter().filter(|(_, sums)| sums.binary_search_by_key(&tick, |s| s.tick).is_ok());
        then.next().map(|(by, _)| *by).filter(|_| then.next().is_none())
    }

    /// The rules and routines that have an action which can write it, in order of declaration.
    pub fn could_write(&self, target: Target) -> Vec<String> {
        let p = &self.engine.program;
        let mut names: Vec<String> = vec![];
        for (i, r) in self.level.rules.iter().enumerate() {
            let blocks = r.elses.iter().chain([&r.then]).chain(&r.otherwise);
            let kinds = p.rules.get(i).map_or(&[][..], |r| &r.kinds);
            if blocks.into_iter().any(|b| self.writes(b, target, Some((r, kinds)))) {
                names.push(p.rule_name(RuleId::at(i)));
            }
        }
        for r in &self.level.routines {
            if self.writes(&r.body, target, None) {
                names.push(format!("routine {}", r.name));
            }
        }
        names
    }

    fn writes(&self, block: &Block, target: Target, of: Option<(&Rule, &[KindId])>) -> bool {
        let mut found = false;
        mayfly_lang::visit::stmts(block, &mut |s| {
            if let StmtKind::Do(a) = &s.kind {
                found |= self.acts_on(a, target, of);
            }
        });
        found
    }

    fn acts_on(&self, action: &Action, target: Target, of: Option<(&Rule, &[KindId])>) -> bool {
        let whose = |e: &Expr, a: ActorId| self.may_be(e, a, of);
        match (action, target) {
            (
                Action::Assign { place, .. }
                | Action::Push { list: place, .. }
                | Action::Clear(place)
                | Action::Bag { bag: place, .. }
                | Action::Ramp { place, .. },
                _,
            ) => match (root(place), target) {
                (Place::Var(v), Target::Var(t)) => *v == t,
                (Place::Field(e, f), Target::Field(a, t)) => *f == t && whose(e, a),
                (Place::Attr(e, x), Target::Attr(a, t)) => {
                    (*x == t || *x == Attr::At && matches!(t, Attr::X | Attr::Y)) && whose(e, a)
                }
                (Place::ClockSpeed(c), Target::ClockSpeed(t)) => *c == t,
                _ => false,
            },
            (Action::Switch { what, thing, .. }, Target::Attr(a, t)) => {
                let attr = if *what == Switch::Enabled { Attr::Enabled } else { Attr::Visible };
                attr == t && whose(thing, a)
            }
            (Action::Reset(e), Target::Field(a, _) | Target::Attr(a, _)) => whose(e, a),
            (Action::Move { who, .. } | Action::Shove { who, .. } | Action::Recall(who), Target::Attr(a, t)) => {
                matches!(t, Attr::At | Attr::X | Attr::Y) && whose(who, a)
            }
            (Action::Face { who, .. }, Target::Attr(a, Attr::Facing)) => whose(who, a),
            _ => false,
        }
    }

    /// False where an expression certainly names another actor.
    fn may_be(&self, e: &Expr, actor: ActorId, of: Option<(&Rule, &[KindId])>) -> bool {
        let p = &self.engine.program;
        let Some(a) = self.now.world.actors.get(actor.index()) else { return false };
        let is = |k: &KindId| p.is_kind(a.kind, *k);
        let of_type = |ty: &Ty| match ty.inner() {
            Ty::Actor(Some(k)) | Ty::Zone(Some(k)) => is(k),
            _ => true,
        };
        match (&e.kind, of) {
            (ExprKind::Const(Value::Actor(x)), _) => *x == actor,
            (ExprKind::As(_, k), _) => is(k),
            (ExprKind::Myself, Some((_, kinds))) => kinds.contains(&a.kind),
            (ExprKind::Local(s), Some((rule, _))) => rule.slots.get(*s as usize).is_none_or(|(_, ty)| of_type(ty)),
            (ExprKind::Var(v), _) => of_type(&self.level.vars[v.index()].ty),
            _ => true,
        }
    }
}

/// The variable that a place lies in.
fn root(place: &Place) -> &Place {
    let mut place = place;
    while let Place::Entry(base, _) = place {
        place = base;
    }
    place
}

/// The rules and routines that have an action which `does` it, by their names, in order of declaration.
pub fn doers(level: &Level, program: &Program, does: impl Fn(&Action) -> bool) -> Vec<String> {
    let any = |b: &Block| {
        let mut found = false;
        mayfly_lang::visit::stmts(b, &mut |s| {
            if let StmtKind::Do(a) = &s.kind {
                found |= does(a);
            }
        });
        found
    };
    let mut names = vec![];
    for (i, r) in level.rules.iter().enumerate() {
        if r.elses.iter().chain([&r.then]).chain(&r.otherwise).any(&any) {
            names.push(program.rule_name(RuleId::at(i)));
        }
    }
    names.extend(level.routines.iter().filter(|r| any(&r.body)).map(|r| format!("routine {}", r.name)));
    names
}

/// The rules and routines that send a message, by their names.
pub fn senders(level: &Level, program: &Program, message: MessageId) -> Vec<String> {
    doers(level, program, |a| match a {
        // A message that a variable holds may be any.
        Action::Send { message: e, .. } => match &e.kind {
            ExprKind::Const(Value::Message(m)) => *m == message,
            _ => true,
        },
        _ => false,
    })
}
