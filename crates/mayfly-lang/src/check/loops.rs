//! `match` and `for`: blocks that are carried out for a value, or for each of several.
//!
//! Invariant: what a block binds is seen in it alone.

use super::{Checker, Frame};
use crate::ast::{self, AstNode};
use crate::level::*;
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;

impl Checker {
    /// `match x { a, b => { } else => { } }`: the value is asked once.
    pub(super) fn match_block(&mut self, n: &Node, f: &mut Frame) -> Option<StmtKind> {
        let span = self.span(n);
        let (value, ty) = self.expr(n.exprs().first()?, None, f);
        let slot = f.hidden("match");
        let (mut arms, mut otherwise) = (vec![], None);
        for arm in n.all(K::MATCH_ARM) {
            let values = arm.exprs();
            let mut test: Option<Expr> = None;
            for v in &values {
                let at = self.span(v);
                let v = self.expect(v, &ty, f);
                let mine = Expr { kind: ExprKind::Local(slot), span: value.span };
                let eq = Expr { kind: ExprKind::Binary(BinOp::Eq, Box::new(mine), Box::new(v)), span: at };
                test = Some(match test {
                    None => eq,
                    Some(t) => Expr { span: t.span.to(at), kind: ExprKind::Or(Box::new(t), Box::new(eq)) },
                });
            }
            let body = arm.child(K::BLOCK).map(|b| self.block(&b, f)).unwrap_or_default();
            match test {
                Some(t) => arms.push((t, body)),
                None => otherwise = Some(body),
            }
        }
        let keep = Stmt { kind: StmtKind::Let(slot, value), span };
        if arms.is_empty() {
            return Some(StmtKind::Seq(otherwise.unwrap_or_default()));
        }
        let choose = Stmt { kind: StmtKind::If(arms, otherwise), span };
        Some(StmtKind::Seq(vec![keep, choose]))
    }

    pub(super) fn for_each(&mut self, n: &Node, f: &mut Frame) -> Option<StmtKind> {
        let source = n.expr()?;
        let (over, ty) = if source.kind() == K::RANGE_EXPR {
            let ends = source.exprs();
            let [a, b] = ends.as_slice() else { return None };
            let (a, b) = (self.expect(a, &Ty::Number, f), self.expect(b, &Ty::Number, f));
            (ForOver::Range(a, b), Ty::Number)
        } else {
            self.candidate = if source.kind() == K::ALL_EXPR { self.declared(n).map(|(name, _)| name) } else { None };
            let (e, ty) = self.expr(&source, None, f);
            self.candidate = None;
            let inner = match ty.inner() {
                Ty::List(t) | Ty::Set(t) | Ty::Tally(t) => (**t).clone(),
                Ty::Broken => Ty::Broken,
                other => {
                    let shown = other.show(self);
                    self.error(
                        "wrong-type",
                        e.span,
                        format!("a loop goes through a list, and this is {shown}"),
                        "write `for i in 1..5` or `for l in all lamp`",
                    );
                    Ty::Broken
                }
            };
            (ForOver::Each(e), inner)
        };
        let seen = f.visible.len();
        let slot = self.local(n, ty, f)?;
        let (list, at) = (f.hidden("list"), f.hidden("turn"));
        let test = ast::For::cast(n).and_then(|s| s.test()).map(|t| self.expect(&t, &Ty::Flag, f));
        f.loops += 1;
        let body = n.child(K::BLOCK).map(|b| self.block(&b, f)).unwrap_or_default();
        f.loops -= 1;
        f.visible.truncate(seen);
        Some(StmtKind::For { slot, list, at, over, test, body })
    }
}
