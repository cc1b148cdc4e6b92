//! Who wrote a value, how often and by how much, and who could: for "what makes it run away?" and "which rule
//! that I forgot changes it?".
//!
//! Not here: which record of the present tick wrote it ([`crate::watch`]).
//!
//! Invariant: what is counted are the writes up to the moment; of who could write it nobody is left out, and
//! whoever certainly writes another thing of that name is.

use crate::session::Session;
use crate::watching::written_with;
use crate::writer::{Sum, Writer, Wrote};
use mayfly_base::code::*;
use mayfly_base::*;
use mayfly_engine::Target;
use mayfly_engine::program::Program;
use mayfly_lang::level::{Block, Level, Rule, StmtKind};
use mayfly_lang::types::Ty;

impl Session {
    /// Who wrote a value up to the moment, whoever wrote it most often first.
    pub fn wrote(&self, target: Target) -> Vec<Wrote> {
        let one = |(by, sums): (&Writer, &Vec<Sum>)| {
            let s = sums[..sums.partition_point(|s| s.tick <= self.moment.tick)].last()?;
            Some(Wrote { by: *by, times: s.times, gained: s.gained, last: s.tick })
        };
        let of = written_with(target).filter_map(|t| self.index.writers.of.get(&t));
        let mut out: Vec<Wrote> = of.flatten().filter_map(one).collect();
        out.sort_by(|a, b| b.times.cmp(&a.times).then(b.gained.abs().total_cmp(&a.gained.abs())).then(a.by.cmp(&b.by)));
        out
    }

    /// Who wrote it in a tick; none where nobody did, or several.
    pub fn wrote_at(&self, target: Target, tick: u64) -> Option<Writer> {
        let all = written_with(target).filter_map(|t| self.index.writers.of.get(&t)).flatten();
        let mut then = all.filter(|(_, sums)| sums.binary_search_by_key(&tick, |s| s.tick).is_ok());
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
