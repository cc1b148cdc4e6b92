//! The actions with many parts: `send`, `spawn`, `ramp` and `slide`.
//!
//! Invariant: a message has as many values as it declares, each of its type.

use super::names::Def;
use super::{Checker, Frame};
use crate::level::*;
use crate::near::nearest;
use crate::syntax::{Kind as K, Node, NodeExt};
use crate::types::Ty;
use mayfly_base::code::*;

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
        let to = self.expect(&n.part("to")?, &ty, f);
        let over = match (n.part("over"), n.part("at")) {
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
        let action = Action::Ramp { place, to, over, smooth: n.has_word("smooth"), slide };
        let act = Stmt { kind: StmtKind::Do(action), span };
        if n.part_node("and").is_none() {
            return Some(act.kind);
        }
        Some(StmtKind::Seq(vec![act, Stmt { kind: StmtKind::WaitRamp, span }]))
    }

    pub fn send(&mut self, n: &Node, call: &Node, f: &mut Frame) -> Option<Action> {
        let callee = if call.kind() == K::CALL_EXPR { call.exprs().first().cloned()? } else { call.clone() };
        let (name, at) = (Self::text_of(&callee), self.span(&callee));
        let message = self.message_named(&name, at)?;
        self.used.sent(message);
        let params = self.level.messages[message.index()].params.clone();
        let nodes = call.child(K::ARGS).map(|a| a.exprs()).unwrap_or_default();
        if nodes.len() != params.len() {
            let span = self.span(call);
            let names: Vec<&str> = params.iter().map(|(n, _)| n.as_str()).collect();
            self.error(
                "wrong-count",
                span,
                format!(
                    "`{name}` takes {} value{}, and {} are given",
                    params.len(),
                    if params.len() == 1 { "" } else { "s" },
                    nodes.len()
                ),
                format!("write `send {name}({})`", names.join(", ")),
            );
            return None;
        }
        let args = nodes.iter().zip(&params).map(|(n, (_, ty))| self.expect(n, ty, f)).collect();
        let to = n.part("to").map(|e| {
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
        let after = n.part("after").map(|e| self.expect(&e, &Ty::Duration, f));
        Some(Action::Send { message, args, to, after })
    }

    pub fn spawn(&mut self, n: &Node, kind_node: &Node, f: &mut Frame) -> Option<StmtKind> {
        let (name, at) = (Self::text_of(kind_node), self.span(kind_node));
        let kind = match self.names.get(&name).map(|(d, _)| *d) {
            Some(Def::Kind(k)) => k,
            Some(Def::Unbuilt) => return None,
            _ => {
                let kinds: Vec<String> = self.level.kinds.iter().map(|k| k.name.clone()).collect();
                let help = nearest(&name, kinds.iter().map(String::as_str))
                    .map_or("name a kind of the level".into(), |k| format!("did you mean `{k}`?"));
                self.error("no-kind", at, format!("there is no kind `{name}`"), help);
                return None;
            }
        };
        let at = n.part("at").map(|e| self.actor_or_point(&e, f))?;
        let overrides = n.child(K::BODY).map(|b| self.overrides(&b, Some(kind), f)).unwrap_or_default();
        let bind = if n.child(K::NAME).is_some() { self.local(n, Ty::Actor(Some(kind)), f) } else { None };
        Some(StmtKind::Do(Action::Spawn { kind, at, bind, overrides }))
    }
}
