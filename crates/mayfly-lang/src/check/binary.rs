//! Signs between two values and before one: their types, and what is known of them before the level runs.
//!
//! Not here: the words between two things ([`super::relations`]).
//!
//! Invariant: two operands that do not go together are one error.

use super::{Checker, Frame};
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;

impl Checker {
    pub(super) fn unary(&mut self, n: &Node, f: &mut Frame) -> (Expr, Ty) {
        let span = self.span(n);
        let Some(x) = n.expr() else { return self.broken(span) };
        match n.word() {
            "not" => {
                let x = self.expect(&x, &Ty::Flag, f);
                (self.fold(Expr { kind: ExprKind::Not(Box::new(x)), span }), Ty::Flag)
            }
            "-" => {
                let (x, ty) = self.expr(&x, None, f);
                if !matches!(
                    ty.inner(),
                    Ty::Number | Ty::Duration | Ty::Point | Ty::Enum(EnumId::DIRECTION) | Ty::Broken
                ) {
                    let shown = ty.show(self);
                    self.error(
                        "wrong-type",
                        span,
                        format!("`-` cannot be put before {shown}"),
                        "`-` goes with numbers, durations, points and directions",
                    );
                    return self.broken(span);
                }
                (self.fold(Expr { kind: ExprKind::Negate(Box::new(x)), span }), ty.inner().clone())
            }
            "ramping" => {
                let (x, ty) = self.expr(&x, None, f);
                let variable = matches!(x.kind, ExprKind::Var(_) | ExprKind::Field(..) | ExprKind::Attr(..));
                if !variable && ty != Ty::Broken {
                    self.error("wrong-type", x.span, "`ramping` asks for a variable", "write `ramping self.opening`");
                }
                (Expr { kind: ExprKind::Ramping(Box::new(x)), span }, Ty::Flag)
            }
            "halted" => {
                let x = self.expect(&x, &Ty::Actor(None), f);
                (Expr { kind: ExprKind::Halted(Box::new(x)), span }, Ty::Flag)
            }
            _ => self.broken(span),
        }
    }

    pub(super) fn binary(&mut self, n: &Node, f: &mut Frame) -> (Expr, Ty) {
        let span = self.span(n);
        let Some([left, right]) = &n.two_exprs() else { return self.broken(span) };
        let op = n.phrase();
        let sign = match &*op {
            "+" => BinOp::Add,
            "-" => BinOp::Sub,
            "*" => BinOp::Mul,
            "/" => BinOp::Div,
            "mod" => BinOp::Mod,
            // A single sign is told when it is read.
            "==" | "=" => BinOp::Eq,
            "!=" => BinOp::Ne,
            "<" => BinOp::Lt,
            "<=" => BinOp::Le,
            ">" => BinOp::Gt,
            ">=" => BinOp::Ge,
            "and" | "or" => {
                let a = self.expect(left, &Ty::Flag, f);
                let ask = |c: &mut Self, f: &mut Frame| c.doubtful(f, |c, f| c.expect(right, &Ty::Flag, f));
                let b = if op == "and" { self.knowing(left, f, ask) } else { ask(self, f) };
                let (a, b) = (Box::new(a), Box::new(b));
                let kind = if op == "and" { ExprKind::And(a, b) } else { ExprKind::Or(a, b) };
                return (Expr { kind, span }, Ty::Flag);
            }
            "per" => {
                let (a, b) = (self.expect(left, &Ty::Number, f), self.expect(right, &Ty::Duration, f));
                return (Expr { kind: ExprKind::Per(Box::new(a), Box::new(b)), span }, Ty::Number);
            }
            word => return self.relation(n, word, left, right, f),
        };
        let compares = matches!(sign, BinOp::Eq | BinOp::Ne | BinOp::Lt | BinOp::Le | BinOp::Gt | BinOp::Ge);
        let bare = |c: &Self, n: &Node| {
            n.kind() == K::NAME_EXPR && !c.names.contains_key(n.word()) && f.find(n.word()).is_none()
        };
        let ((a, ta), (b, tb)) = if compares && bare(self, left) && !bare(self, right) {
            let (b, tb) = self.expr(right, None, f);
            let (a, ta) = self.expr(left, Some(&tb), f);
            ((a, ta), (b, tb))
        } else {
            let (a, ta) = self.expr(left, if compares { Some(&Ty::Actor(None)) } else { None }, f);
            let (b, tb) = self.expr(right, if compares { Some(&ta) } else { None }, f);
            ((a, ta), (b, tb))
        };
        let Some(ty) = self.sum_type(sign, ta.inner(), tb.inner()) else {
            let (x, y) = (ta.show(self), tb.show(self));
            let help = match (ta.inner(), tb.inner()) {
                (Ty::Number, Ty::Duration) | (Ty::Duration, Ty::Number)
                    if compares || matches!(sign, BinOp::Add | BinOp::Sub) =>
                {
                    "give the number a unit, such as `s`, or divide the duration by `1s`"
                }
                (Ty::Text, _) | (_, Ty::Text) if sign == BinOp::Add => "put values into a text with braces: \"{x}\"",
                _ => "both sides must fit each other",
            };
            self.error("wrong-type", span, format!("`{}` does not go between {x} and {y}", sign.sign()), help);
            return self.broken(span);
        };
        (self.fold(Expr { kind: ExprKind::Binary(sign, Box::new(a), Box::new(b)), span }), ty)
    }

    /// The type of `a op b`, where there is one.
    pub fn sum_type(&self, op: BinOp, a: &Ty, b: &Ty) -> Option<Ty> {
        use Ty::{Broken, Duration, Number, Text};
        let vector = |t: &Ty| matches!(t, Ty::Point | Ty::Enum(EnumId::DIRECTION));
        if matches!(a, Broken) || matches!(b, Broken) {
            let compares = matches!(op, BinOp::Eq | BinOp::Ne | BinOp::Lt | BinOp::Le | BinOp::Gt | BinOp::Ge);
            return Some(if compares { Ty::Flag } else { Broken });
        }
        match op {
            BinOp::Eq | BinOp::Ne => {
                let actors = matches!((a, b), (Ty::Actor(_), Ty::Actor(_)));
                (actors || a.fits(b, self) || b.fits(a, self) || matches!(a, Ty::Nothing) || matches!(b, Ty::Nothing))
                    .then_some(Ty::Flag)
            }
            BinOp::Lt | BinOp::Le | BinOp::Gt | BinOp::Ge => {
                (a == b && matches!(a, Number | Duration | Text)).then_some(Ty::Flag)
            }
            _ => match (op, a, b) {
                (_, Number, Number) => Some(Number),
                (BinOp::Add | BinOp::Sub | BinOp::Mod, Duration, Duration) => Some(Duration),
                (BinOp::Div, Duration, Duration) => Some(Number),
                (BinOp::Mul | BinOp::Div, Duration, Number) | (BinOp::Mul, Number, Duration) => Some(Duration),
                (BinOp::Add, Text, Text) => Some(Text),
                (BinOp::Add | BinOp::Sub, a, b) if vector(a) && vector(b) => Some(Ty::Point),
                (BinOp::Mul, a, Number) if vector(a) => Some(Ty::Point),
                (BinOp::Mul, Number, b) if vector(b) => Some(Ty::Point),
                _ => None,
            },
        }
    }
}
