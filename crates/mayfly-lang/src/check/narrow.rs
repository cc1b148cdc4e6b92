//! What a true test makes known of an actor's kind: after `if what is lamp`, `what` is a lamp.
//!
//! Not here: what is known to be there after `exists`, which is a finding's affair ([`super::findings`]).
//!
//! Invariant: what is taken to be of a kind is asked for it again when it is used, since the variable may
//! hold another by then: a wrong kind is a fault, never another kind's variable.

use super::names::Def;
use super::{Checker, Frame};
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;

impl Checker {
    /// Adds what a test makes known where it is true.
    pub fn know(&self, test: &Node, f: &mut Frame) {
        match test.kind() {
            K::PAREN_EXPR => test.exprs().iter().for_each(|e| self.know(e, f)),
            K::BINARY_EXPR if test.word() == "and" => test.exprs().iter().for_each(|e| self.know(e, f)),
            K::BINARY_EXPR if test.word() == "is" => {
                if let Some([who, kind]) = &test.two_exprs()
                    && let Some((Def::Kind(k), _)) = self.names.get(&Self::text_of(kind))
                {
                    f.known.push((Self::text_of(who), *k));
                }
            }
            _ => {}
        }
    }

    /// Reads something while a test is known to be true.
    pub fn knowing<T>(&mut self, test: &Node, f: &mut Frame, read: impl FnOnce(&mut Self, &mut Frame) -> T) -> T {
        let before = f.known.len();
        self.know(test, f);
        let got = read(self, f);
        f.known.truncate(before);
        got
    }

    /// The kind of which an expression is known to be by the tests before it, where that says more.
    pub fn known_kind(&self, text: &str, kind: Option<KindId>, f: &Frame) -> Option<KindId> {
        let known = f.known.iter().rev().filter(|(t, _)| t == text).map(|(_, k)| *k);
        known.into_iter().find(|k| kind.is_none_or(|own| self.level.is_kind(*k, own) && *k != own))
    }

    /// The kinds that first declare a member of that name.
    pub fn kinds_with(&self, name: &str) -> Vec<KindId> {
        let has = |k: KindId| {
            let kind = &self.level.kinds[k.index()];
            kind.fields.iter().any(|v| v.name == name)
                || kind.zones.iter().any(|z| self.level.zones[z.index()].name == name)
                || kind.defines.iter().any(|d| self.level.defines[d.index()].name == name)
                || kind.machines.iter().any(|m| self.level.machines[m.index()].name == name)
        };
        let first = |k: &KindId| has(*k) && self.level.kinds[k.index()].like.is_none_or(|base| !has(base));
        (0..self.level.kinds.len())
            .map(KindId::at)
            .filter(|k| !self.level.kinds[k.index()].of_zones)
            .filter(first)
            .collect()
    }

    /// Whoever looks into the text is told of which kind an actor is taken to be there.
    pub fn known_as(&mut self, object: &Expr, kind: KindId) {
        if let Some(types) = &mut self.types {
            types.put(object.span, Ty::Actor(Some(kind)));
        }
    }

    /// The actor, which must be of that kind.
    pub fn taken_as(object: Expr, kind: KindId) -> Expr {
        let span = object.span;
        Expr { kind: ExprKind::As(Box::new(object), kind), span }
    }
}
