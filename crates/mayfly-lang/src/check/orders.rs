//! The actions with many parts: `send`, `spawn`, `ramp` and `slide`.
//!
//! Invariant: a message has as many values as it declares, each of its type.

use super::names::Def;
use super::{Checker, Frame};
use crate::ast::{self, AstNode};
use crate::level::*;
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::number;
use mayfly_base::{Span, Value};

impl Checker {
    /// `ramp PLACE to N over D`, `ramp PLACE to N at 12 per 1s`, `slide WHO to P over D`.
    pub fn ramp(&mut self, n: &Node, word: &str, first: &Node, f: &mut Frame) -> Option<StmtKind> {
        let span = self.span(n);
        let slide = word == "slide";
        let (place, ty) = if slide {
            (Place::Attr(self.expect(first, &Ty::Actor(None), f), Attr::At), Ty::Point)
        } else {
            self.place(first, f)?
        };
        if !matches!(ty, Ty::Number | Ty::Duration | Ty::Point | Ty::Broken)
            || matches!(place, Place::Local(_) | Place::Entry(..))
        {
            self.error(
                "wrong-type",
                span,
                "only a variable that is a number, a duration or a point can be ramped",
                "ramp a variable of the level or of an actor",
            );
            return None;
        }
        let form = ast::Ramp::cast(n)?;
        let to = self.expect(&form.to()?, &ty, f);
        let over = match (form.over(), form.speed()) {
            (Some(d), None) => RampTime::Over(self.expect(&d, &Ty::Duration, f)),
            (None, Some(s)) if !slide => RampTime::At(self.expect(&s, &Ty::Number, f)),
            _ => {
                self.error(
                    "no-duration",
                    span,
                    format!("how long this {word} takes is missing"),
                    format!("write `{word} … to … over 2s`"),
                );
                return None;
            }
        };
        let action = Action::Ramp { place, to, over, smooth: form.smooth(), slide };
        let act = Stmt { kind: StmtKind::Do(action), span };
        if !form.and_wait() {
            return Some(act.kind);
        }
        Some(StmtKind::Seq(vec![act, Stmt { kind: StmtKind::WaitRamp, span }]))
    }

    pub fn send(&mut self, n: &Node, call: &Node, f: &mut Frame) -> Option<Action> {
        let callee = if call.kind() == K::CALL_EXPR { call.expr()? } else { call.clone() };
        let (name, at) = (Self::text_of(&callee), self.span(&callee));
        let held = callee.kind() != K::NAME_EXPR
            || f.find(&name).is_some()
            || matches!(self.names.get(&name), Some((Def::Var(_), _)));
        let (message, like) = if held {
            let (e, ty) = self.expr(&callee, Some(&Ty::Message(None)), f);
            match ty.inner() {
                Ty::Message(like) => (e, *like),
                Ty::Broken => return None,
                other => {
                    let shown = other.show(self);
                    self.error("no-message", at, format!("`{name}` is {shown}, not a message"), "send a message");
                    return None;
                }
            }
        } else {
            let id = self.message_named(&name, at)?;
            (Expr { kind: ExprKind::Const(Value::Message(id)), span: at }, Some(id))
        };
        let nodes = call.child(K::ARGS).map(|a| a.exprs()).unwrap_or_default();
        match like {
            Some(id) if !held => self.used.sends(at, id),
            _ => self.used.sends_held(at),
        }
        // Of a message that only a variable names, the run finds out whether the values fit.
        let params = match like.filter(|id| !self.gaps.messages.contains(id)) {
            Some(id) => self.level.messages[id.index()].params.clone(),
            None => {
                let mut args = vec![];
                for n in &nodes {
                    args.push(self.expr(n, None, f).0);
                }
                let (to, after) = self.send_to(n, f);
                return Some(Action::Send { message, args, to, after });
            }
        };
        if nodes.len() != params.len() {
            let span = self.span(call);
            let names: Vec<&str> = params.iter().map(|(n, _)| n.as_str()).collect();
            self.error(
                "wrong-count",
                span,
                format!(
                    "`{name}` takes {}, and {} given",
                    number::counted(params.len(), "value"),
                    number::are(nodes.len())
                ),
                format!("write `send {name}({})`", names.join(", ")),
            );
            return None;
        }
        let args = nodes.iter().zip(&params).map(|(n, (_, ty))| self.expect(n, ty, f)).collect();
        let (to, after) = self.send_to(n, f);
        Some(Action::Send { message, args, to, after })
    }

    fn send_to(&mut self, n: &Node, f: &mut Frame) -> (Option<SendTo>, Option<Expr>) {
        let form = ast::Send::cast(n);
        let to = form.as_ref().and_then(ast::Send::to).map(|e| {
            if e.kind() == K::ALL_EXPR {
                let (e, _) = self.over(&e, f);
                match e.kind {
                    ExprKind::Over(o) if o.test.is_none() => SendTo::All(o.of),
                    _ => SendTo::One(e),
                }
            } else {
                SendTo::One(self.expect(&e, &Ty::Actor(None), f))
            }
        });
        let after = form.and_then(|s| s.after()).map(|e| self.expect(&e, &Ty::Duration, f));
        (to, after)
    }

    pub fn spawn(&mut self, n: &Node, kind_node: &Node, f: &mut Frame) -> Option<StmtKind> {
        let (name, at) = (Self::text_of(kind_node), self.span(kind_node));
        let is_held = f.find(&name).is_some_and(|s| matches!(f.slots[s as usize].1.inner(), Ty::Kind))
            || matches!(self.names.get(&name), Some((Def::Var(_), _)))
            || kind_node.kind() != K::NAME_EXPR;
        if is_held {
            let kind = self.expect(kind_node, &Ty::Kind, f);
            let at = ast::Spawn::cast(n)?.at().map(|e| self.actor_or_point(&e, f))?;
            if let Some(b) = n.child(K::BODY) {
                let span = self.span(&b);
                self.error(
                    "no-kind",
                    Span { end: span.start + 1, ..span },
                    format!("which kind `{name}` names is not known here, so it is given no first values"),
                    "write them after the `spawn`, with `as` and a name",
                );
            }
            let bind = if n.child(K::NAME).is_some() { self.local(n, Ty::Actor(None), f) } else { None };
            return Some(StmtKind::Do(Action::Spawn { kind, at, bind, overrides: vec![] }));
        }
        let kind = match self.names.get(&name).map(|(d, _)| *d) {
            Some(Def::Kind(k)) if !self.level.kinds[k.index()].of_zones => k,
            _ => {
                let near = self.near(&name, self.level.kinds.iter().map(|k| k.name.as_str()));
                self.no_such(
                    "no-kind",
                    at,
                    format!("there is no kind `{name}`"),
                    near,
                    "name a kind of the level".into(),
                );
                return None;
            }
        };
        let kind_span = at;
        let at = ast::Spawn::cast(n)?.at().map(|e| self.actor_or_point(&e, f))?;
        let overrides = n.child(K::BODY).map(|b| self.overrides(&b, Some(kind), f)).unwrap_or_default();
        let bind = if n.child(K::NAME).is_some() { self.local(n, Ty::Actor(Some(kind)), f) } else { None };
        let kind = Expr { kind: ExprKind::Const(Value::Kind(kind)), span: kind_span };
        Some(StmtKind::Do(Action::Spawn { kind, at, bind, overrides }))
    }
}
