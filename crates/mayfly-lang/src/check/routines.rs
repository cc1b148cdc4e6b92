//! Routines: shared logic with parameters, locals and an optional result.
//!
//! One that only computes (it writes nothing but its own locals) can be asked in any expression. One that
//! does something is carried out before the statement in which it stands, so it may stand only where it
//! is certain to be asked.
//!
//! Invariant: a routine that gives a result does not wait; its frame begins with its parameters.

use super::{Checker, Frame};
use crate::level::*;
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;

/// Statements that change nothing outside their routine.
const RECKONS: &[&str] = &["repeat", "while", "break", "continue", "return"];

impl Checker {
    /// Parameters and results of all routines, and which of them only compute.
    pub fn fill_routine_heads(&mut self) {
        for i in 0..self.routine_nodes.len() {
            let n = self.routine_nodes[i].clone();
            let mut params: Vec<(String, Ty)> = vec![];
            for p in n.child(K::PARAMS).map(|p| p.all(K::PARAM)).unwrap_or_default() {
                let Some((name, span)) = self.declared(&p) else { continue };
                let ty = match p.child(K::TYPE) {
                    Some(t) => self.type_of(&t),
                    None => {
                        let help = format!("write `{name}: number`, say");
                        self.error("no-type", span, format!("the parameter `{name}` has no type"), help);
                        Ty::Broken
                    }
                };
                params.push((name, ty));
            }
            let gives = n.child(K::TYPE).map(|t| self.type_of(&t));
            let r = &mut self.level.routines[i];
            (r.params, r.gives, r.pure) = (params, gives, true);
        }
        // One that calls one that does something does something itself.
        loop {
            let before: Vec<bool> = self.level.routines.iter().map(|r| r.pure).collect();
            for (i, was) in before.iter().enumerate() {
                let pure = *was && self.only_reckons(&self.routine_nodes[i], &self.level.routines[i].params);
                self.level.routines[i].pure = pure;
            }
            if before.iter().eq(self.level.routines.iter().map(|r| &r.pure)) {
                return;
            }
        }
    }

    fn only_reckons(&self, n: &Node, params: &[(String, Ty)]) -> bool {
        let mut own: Vec<String> = params.iter().map(|(n, _)| n.clone()).collect();
        let locals = n.descendants().filter(|d| matches!(d.kind(), K::LET_STMT | K::FOR_STMT));
        own.extend(locals.filter_map(|l| self.declared(&l)).map(|(n, _)| n));
        let root = |e: &Node| {
            let mut e = e.clone();
            while matches!(e.kind(), K::MEMBER_EXPR | K::INDEX_EXPR | K::CALL_EXPR) {
                let Some(base) = e.expr() else { break };
                if e.kind() == K::MEMBER_EXPR {
                    // A member of an actor is no local, though the name of the actor is one.
                    return String::new();
                }
                e = base;
            }
            e.word().to_string()
        };
        n.descendants().all(|d| match d.kind() {
            K::STMT => RECKONS.contains(&d.word()),
            K::ASSIGN_STMT => d.exprs().first().is_some_and(|e| own.contains(&root(e))),
            K::EXPR_STMT => d.exprs().first().and_then(|c| c.expr()).is_some_and(|c| match c.kind() {
                K::MEMBER_EXPR => c.exprs().first().is_some_and(|b| own.iter().any(|n| n == b.word())),
                _ => self.pure_name(c.word()),
            }),
            K::CALL_EXPR => d.exprs().first().is_none_or(|c| c.kind() == K::MEMBER_EXPR || self.pure_name(c.word())),
            _ => true,
        })
    }

    /// True of everything but routines that do something.
    fn pure_name(&self, name: &str) -> bool {
        self.level.routines.iter().find(|r| r.name == name).is_none_or(|r| r.pure)
    }

    pub fn fill_routines(&mut self) {
        for i in 0..self.routine_nodes.len() {
            let n = self.routine_nodes[i].clone();
            self.read_routine(i, &n);
        }
    }

    /// What a routine does, its name and its parameters apart.
    pub fn read_routine(&mut self, i: usize, n: &Node) {
        let r = self.level.routines[i].clone();
        let mut f = Frame { title: r.name.clone(), routine: Some(r.gives.clone()), ..Frame::default() };
        for p in n.child(K::PARAMS).map(|p| p.all(K::PARAM)).unwrap_or_default() {
            let at = self.declared(&p).map(|(n, _)| n);
            let ty = r.params.iter().find(|(n, _)| Some(n) == at.as_ref()).map_or(Ty::Broken, |(_, t)| t.clone());
            self.local(&p, ty, &mut f);
        }
        let told = self.diagnostics.len();
        let body = n.child(K::BLOCK).map(|b| self.block(&b, &mut f)).unwrap_or_default();
        let unclear = self.diagnostics[told..].iter().any(|d| d.code == "no-value");
        if r.gives.is_some() {
            if super::machines::waits(&body) {
                self.error(
                    "routine-waits",
                    r.span,
                    format!("`{}` gives a result and cannot wait", r.name),
                    "take the waits out, or the result",
                );
            }
            if !unclear && !always_returns(&body) {
                self.error(
                    "no-return",
                    r.span,
                    format!("`{}` can end without a result", r.name),
                    "end every way through it with `return` and a value",
                );
            }
        }
        let r = &mut self.level.routines[i];
        (r.body, r.slots) = (body, f.slots);
    }

    /// The values that are given to a routine.
    fn routine_args(&mut self, id: RoutineId, args: &[Node], span: Span, f: &mut Frame) -> Option<Vec<Expr>> {
        let (name, params) = {
            let r = &self.level.routines[id.index()];
            (r.name.clone(), r.params.clone())
        };
        if args.len() != params.len() {
            let names: Vec<&str> = params.iter().map(|(n, _)| n.as_str()).collect();
            self.error(
                "wrong-count",
                span,
                format!(
                    "`{name}` takes {}, and {} given",
                    number::counted(params.len(), "value"),
                    number::are(args.len())
                ),
                format!("write `{name}({})`", names.join(", ")),
            );
            return None;
        }
        Some(args.iter().zip(&params).map(|(a, (_, ty))| self.expect(a, ty, f)).collect())
    }

    /// A call in an expression.
    pub fn routine_value(&mut self, id: RoutineId, args: &[Node], span: Span, f: &mut Frame) -> (Expr, Ty) {
        let (name, gives, pure) = {
            let r = &self.level.routines[id.index()];
            (r.name.clone(), r.gives.clone(), r.pure)
        };
        let Some(args) = self.routine_args(id, args, span, f) else { return self.broken(span) };
        let Some(ty) = gives else {
            self.error(
                "no-value",
                span,
                format!("`{name}` gives no result"),
                format!("call it as an action of its own, or declare what it gives: `routine {name}(…) -> number`"),
            );
            return self.broken(span);
        };
        if pure {
            return (Expr { kind: ExprKind::Routine(id, args), span }, ty);
        }
        if f.before.is_none() {
            self.error(
                "routine-acts",
                span,
                format!("`{name}` does something, and here it is not certain to be asked just once"),
                format!("call it before, into a local: `let got = {name}(…)`"),
            );
            return self.broken(span);
        }
        let slot = f.hidden(&name);
        if let Some(before) = &mut f.before {
            before.push(Stmt { kind: StmtKind::Routine { routine: id, args, into: Some(slot) }, span });
        }
        (Expr { kind: ExprKind::Local(slot), span }, ty)
    }

    /// A call as an action of its own.
    pub fn routine_action(&mut self, id: RoutineId, args: &[Node], span: Span, f: &mut Frame) -> Option<StmtKind> {
        let args = self.routine_args(id, args, span, f)?;
        Some(StmtKind::Routine { routine: id, args, into: None })
    }

    /// `return`, in a routine with what it gives.
    pub fn returns(&mut self, value: Option<Node>, span: Span, f: &mut Frame) -> Option<StmtKind> {
        match (f.routine.clone(), value) {
            (Some(Some(ty)), Some(v)) => Some(StmtKind::Return(Some(self.expect(&v, &ty, f)))),
            (Some(Some(ty)), None) => {
                let wanted = ty.show(self);
                self.error("no-value", span, "what this routine gives is missing", format!("return {wanted}"));
                None
            }
            (_, None) => Some(StmtKind::Return(None)),
            (routine, Some(v)) => {
                let at = self.span(&v);
                let (message, help) = if routine.is_some() {
                    ("this routine gives nothing", "declare what it gives: `routine name() -> number { … }`")
                } else {
                    ("a rule returns nothing", "take the value out; `return` alone ends the rule")
                };
                self.error("no-routine", at, message, help);
                None
            }
        }
    }
}

/// True where no way through a block comes to its end.
fn always_returns(b: &Block) -> bool {
    b.iter().any(|s| match &s.kind {
        StmtKind::Return(_) => true,
        StmtKind::If(arms, Some(other)) => arms.iter().all(|(_, b)| always_returns(b)) && always_returns(other),
        StmtKind::Seq(b) => always_returns(b),
        StmtKind::While(test, body) => {
            matches!(test.kind, ExprKind::Const(Value::Flag(true)))
                && !body.iter().any(|s| matches!(s.kind, StmtKind::Break))
        }
        _ => false,
    })
}
