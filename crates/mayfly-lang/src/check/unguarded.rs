//! The finding `unguarded`: what may be none is used where nothing makes sure that it is there.
//!
//! It reads tests in the order in which they are evaluated; what a loop changes later is not followed.
//!
//! Invariant: what a test before it, in the same run, makes sure of is never named.

use super::complementary::same;
use crate::diagnostic::Diagnostic;
use crate::level::*;
use crate::types::Ty;
use crate::visit;
use mayfly_base::code::*;
use mayfly_base::*;

/// What may be none is used where nothing makes sure that it is there.
pub(super) fn unguarded(level: &Level) -> Vec<Diagnostic> {
    let mut out = vec![];
    let may_be_none = |ty: &Ty| matches!(ty, Ty::Maybe(_));
    let of_level = level.vars.iter().any(|v| may_be_none(&v.ty));
    for r in level.rules.iter().filter(|r| of_level || r.slots.iter().any(|(_, ty)| may_be_none(ty))) {
        let mut sure: Vec<&Expr> = vec![];
        for c in &r.clauses {
            uses(level, r, &c.test, &mut sure, &mut out);
            sure_by(&c.test, &mut sure);
        }
        guarded(level, r, &r.then, &sure, &mut out);
    }
    out
}

/// What a true test makes sure of.
fn sure_by<'l>(test: &'l Expr, sure: &mut Vec<&'l Expr>) {
    match &test.kind {
        ExprKind::Exists(e) => sure.push(e),
        ExprKind::And(a, b) => {
            sure_by(a, sure);
            sure_by(b, sure);
        }
        ExprKind::Binary(BinOp::Ne, a, b) if b.kind == ExprKind::Const(Value::None) => sure.push(a),
        _ => {}
    }
}

fn guarded<'l>(level: &Level, r: &Rule, block: &'l Block, sure: &[&'l Expr], out: &mut Vec<Diagnostic>) {
    let mut sure = sure.to_vec();
    for s in block {
        visit::exprs_of(s, &mut |e| uses(level, r, e, &mut sure.clone(), out));
        match &s.kind {
            StmtKind::If(arms, other) => {
                for (test, body) in arms {
                    let mut inner = sure.clone();
                    sure_by(test, &mut inner);
                    guarded(level, r, body, &inner, out);
                    // `if not x exists { return }`: after it, x is there.
                    if let ExprKind::Not(e) = &test.kind
                        && matches!(
                            body.last().map(|s| &s.kind),
                            Some(StmtKind::Return(_) | StmtKind::Break | StmtKind::Continue)
                        )
                    {
                        sure_by(e, &mut sure);
                    }
                }
                other.iter().for_each(|b| guarded(level, r, b, &sure, out));
            }
            StmtKind::WeightedChoice(_, arms) => arms.iter().for_each(|(_, b)| guarded(level, r, b, &sure, out)),
            StmtKind::While(test, b) => {
                let mut inner = sure.clone();
                sure_by(test, &mut inner);
                guarded(level, r, b, &inner, out);
            }
            StmtKind::Repeat(_, _, b) | StmtKind::For { body: b, .. } | StmtKind::Seq(b) | StmtKind::Meanwhile(b) => {
                guarded(level, r, b, &sure, out)
            }
            // Whatever is given to it is taken to be there.
            StmtKind::Do(Action::Assign { place: Place::Var(_), op: None, .. }) => {}
            _ => {}
        }
    }
}

/// Members asked of what may be none.
fn uses<'l>(level: &Level, r: &Rule, e: &'l Expr, sure: &mut Vec<&'l Expr>, out: &mut Vec<Diagnostic>) {
    match &e.kind {
        ExprKind::And(a, b) => {
            uses(level, r, a, sure, out);
            let known = sure.len();
            sure_by(a, sure);
            uses(level, r, b, sure, out);
            sure.truncate(known);
            return;
        }
        ExprKind::If(test, a, b) => {
            uses(level, r, test, sure, out);
            let known = sure.len();
            sure_by(test, sure);
            uses(level, r, a, sure, out);
            sure.truncate(known);
            uses(level, r, b, sure, out);
            return;
        }
        ExprKind::Field(base, _) | ExprKind::Attr(base, _) | ExprKind::DefineOf(base, _) => {
            let ty = match &base.kind {
                ExprKind::Var(v) => Some(&level.vars[v.index()].ty),
                ExprKind::Local(s) => r.slots.get(*s as usize).map(|(_, t)| t),
                _ => None,
            };
            if matches!(ty, Some(Ty::Maybe(_))) && !sure.iter().any(|s| same(s, base)) {
                let name = match &base.kind {
                    ExprKind::Var(v) => level.vars[v.index()].name.clone(),
                    ExprKind::Local(s) => r.slots[*s as usize].0.clone(),
                    _ => return,
                };
                out.push(Diagnostic::finding(
                    "unguarded",
                    base.span,
                    format!("`{name}` may be none here, and using none is a fault"),
                    format!("ask first: `if {name} exists`"),
                ));
            }
        }
        _ => {}
    }
    e.children(&mut |x| uses(level, r, x, sure, out));
}
