//! Which rule sends and hears which message, writes and reads which variable of the level.
//!
//! Not here: how often and when ([`crate::writers`], the index).
//!
//! Invariant: a link is of the text: it says what a rule can do, whether it ever did or not; what a computed value reads, its
//! reader reads.

use crate::session::Session;
use mayfly_base::code::*;
use mayfly_base::*;
use mayfly_lang::level::StmtKind;
use std::collections::BTreeSet;

/// What a rule and a thing have to do with each other.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum How {
    Sends,
    Hears,
    Writes,
    Reads,
}

/// A message or a variable of the level.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Linked {
    Message(MessageId),
    Variable(VarId),
}

/// All of them, in the order of the rules.
pub fn links(s: &Session) -> BTreeSet<(RuleId, How, Linked)> {
    let mut out = BTreeSet::new();
    for (i, r) in s.level.rules.iter().enumerate() {
        let rule = RuleId::at(i);
        let mut reads: BTreeSet<VarId> = BTreeSet::new();
        for w in &r.whens {
            match &w.event {
                Event::Hears { message: Heard::One(m), .. } => {
                    out.insert((rule, How::Hears, Linked::Message(*m)));
                }
                Event::Watched { watch, .. } => {
                    read(s, &s.engine.program.watches[watch.index()].expr, &mut reads);
                }
                _ => {}
            }
        }
        r.clauses.iter().for_each(|c| read(s, &c.test, &mut reads));
        for block in r.elses.iter().chain([&r.then]).chain(&r.otherwise) {
            mayfly_lang::visit::stmts(block, &mut |stmt| {
                mayfly_lang::visit::exprs_of(stmt, &mut |e| read(s, e, &mut reads));
                let StmtKind::Do(a) = &stmt.kind else { return };
                if let Action::Send { message, .. } = a
                    && let ExprKind::Const(Value::Message(m)) = &message.kind
                {
                    out.insert((rule, How::Sends, Linked::Message(*m)));
                }
                if let Some(v) = written(a) {
                    out.insert((rule, How::Writes, Linked::Variable(v)));
                }
            });
        }
        out.extend(reads.into_iter().map(|v| (rule, How::Reads, Linked::Variable(v))));
    }
    out
}

/// The variable of the level that an action writes.
fn written(a: &Action) -> Option<VarId> {
    let mut place = match a {
        Action::Assign { place, .. } | Action::Ramp { place, .. } | Action::Clear(place) => place,
        Action::Push { list: place, .. } | Action::Bag { bag: place, .. } => place,
        _ => return None,
    };
    while let Place::Entry(base, _) = place {
        place = base;
    }
    if let Place::Var(v) = place { Some(*v) } else { None }
}

/// The variables of the level that an expression reads, through computed values too.
fn read(s: &Session, e: &Expr, out: &mut BTreeSet<VarId>) {
    let mut seen: BTreeSet<DefineId> = BTreeSet::new();
    let mut open = vec![e];
    while let Some(e) = open.pop() {
        e.walk(&mut |x| match &x.kind {
            ExprKind::Var(v) => {
                out.insert(*v);
            }
            ExprKind::Define(d) | ExprKind::DefineOf(_, d) if seen.insert(*d) => {
                open.push(&s.engine.program.defines[d.index()].expr);
            }
            _ => {}
        });
    }
}
