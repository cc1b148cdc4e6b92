//! Questions about two things: `in`, `is`, `touching`, `near` and their like.
//!
//! Invariant: a question is of now and gives a flag.

use super::names::Def;
use super::proposals::Declared;
use super::{Checker, Frame};
use crate::ast::{self, AstNode};
use crate::syntax::Node;
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;

impl Checker {
    /// `in`, `is`, `touching`, `near` and their like.
    pub fn relation(&mut self, n: &Node, word: &str, left: &Node, right: &Node, f: &mut Frame) -> (Expr, Ty) {
        let span = self.span(n);
        let actor = Ty::Actor(None);
        let flag = |kind| (Expr { kind, span }, Ty::Flag);
        match word {
            "in" => {
                let (b, tb) = self.expr(right, None, f);
                match tb.inner() {
                    Ty::List(t) | Ty::Set(t) | Ty::Tally(t) => {
                        let a = self.expect(left, &t.clone(), f);
                        flag(ExprKind::Relation(Relation::InList, Box::new(a), Box::new(b)))
                    }
                    Ty::Zone(_) => {
                        let (a, ta) = self.expr(left, Some(&actor), f);
                        if !matches!(ta.inner(), Ty::Actor(_) | Ty::Point | Ty::Broken) {
                            let shown = ta.show(self);
                            self.error(
                                "wrong-type",
                                a.span,
                                format!("{shown} cannot be in a zone"),
                                "ask for an actor or a point",
                            );
                        }
                        flag(ExprKind::Relation(Relation::InZone, Box::new(a), Box::new(b)))
                    }
                    Ty::Broken => self.broken(span),
                    other => {
                        let shown = other.show(self);
                        self.error(
                            "wrong-type",
                            b.span,
                            format!("nothing is in {shown}"),
                            "`in` asks zones, lists, sets and tallies",
                        );
                        self.broken(span)
                    }
                }
            }
            "has" => {
                let (a, ta) = self.expr(left, None, f);
                match ta.inner() {
                    Ty::List(t) | Ty::Set(t) | Ty::Tally(t) => {
                        let b = self.expect(right, &t.clone(), f);
                        flag(ExprKind::Relation(Relation::InList, Box::new(b), Box::new(a)))
                    }
                    Ty::Broken => self.broken(span),
                    other => {
                        let shown = other.show(self);
                        self.error(
                            "wrong-type",
                            a.span,
                            format!("{shown} holds nothing"),
                            "`has` asks lists, sets and tallies",
                        );
                        self.broken(span)
                    }
                }
            }
            "is" => {
                let (a, ta) = self.expr(left, Some(&actor), f);
                if ta == Ty::Broken {
                    // Whether a state or a kind is asked for is not known.
                    return self.broken(span);
                }
                if let (ExprKind::MachineState(m, of), Ty::State(_)) = (&a.kind, &ta) {
                    let (m, of) = (*m, of.as_deref().cloned());
                    return self.in_state(m, of, right, None, span);
                }
                if !matches!(ta.inner(), Ty::Actor(_) | Ty::Zone(_) | Ty::Broken) {
                    let shown = ta.show(self);
                    self.error(
                        "wrong-type",
                        a.span,
                        format!("`is` asks actors and machines, and this is {shown}"),
                        "compare values with `==`",
                    );
                    return self.broken(span);
                }
                let name = Self::text_of(right);
                match self.names.get(&name).map(|(d, _)| *d) {
                    Some(Def::Kind(k)) => {
                        let b = Expr { kind: ExprKind::Const(Value::Kind(k)), span };
                        flag(ExprKind::Relation(Relation::IsKind, Box::new(a), Box::new(b)))
                    }
                    _ => {
                        let (b, ty) = self.expr(right, Some(&Ty::Kind), f);
                        if matches!((ty.inner(), right.kind()), (Ty::Actor(_) | Ty::Zone(_), _)) {
                            let shown = ty.show(self);
                            self.error(
                                "wrong-type",
                                b.span,
                                format!("`is` asks for a kind, and `{name}` is {shown}"),
                                format!("compare the two: `{} == {name}`", Self::text_of(left)),
                            );
                            return self.broken(span);
                        }
                        let b = self.expect(right, &Ty::Kind, f);
                        flag(ExprKind::Relation(Relation::IsKind, Box::new(a), Box::new(b)))
                    }
                }
            }
            "tagged" => {
                let (a, ta) = self.expr(left, Some(&actor), f);
                if !matches!(ta.inner(), Ty::Actor(_) | Ty::Tile | Ty::Broken) {
                    let shown = ta.show(self);
                    self.error(
                        "wrong-type",
                        a.span,
                        format!("{shown} has no tags"),
                        "ask an actor or a tile: `tile_at(p) tagged cover`",
                    );
                    return self.broken(span);
                }
                let b = self.expect(right, &Ty::Tag, f);
                flag(ExprKind::Relation(Relation::Tagged, Box::new(a), Box::new(b)))
            }
            "covers" => {
                let a = self.expect(left, &Ty::Zone(None), f);
                let (b, tb) = self.expr(right, None, f);
                if !matches!(tb.inner(), Ty::Tile | Ty::Tag | Ty::Broken) {
                    let shown = tb.show(self);
                    self.error(
                        "wrong-type",
                        b.span,
                        format!("a zone covers tiles, and this is {shown}"),
                        "name a tile or a tile's tag",
                    );
                    return self.broken(span);
                }
                flag(ExprKind::Relation(Relation::Covers, Box::new(a), Box::new(b)))
            }
            "touching" | "sees" | "facing" | "ahead of" | "behind" | "left of" | "right of" => {
                let a = self.expect(left, &actor, f);
                let b = if word == "sees" { self.actor_or_point(right, f) } else { self.expect(right, &actor, f) };
                let relation = match word {
                    "touching" => Relation::Touching,
                    "sees" => Relation::Sees,
                    "facing" => Relation::Facing,
                    "ahead of" => Relation::Ahead,
                    "behind" => Relation::Behind,
                    "left of" => Relation::LeftOf,
                    _ => Relation::RightOf,
                };
                flag(ExprKind::Relation(relation, Box::new(a), Box::new(b)))
            }
            "near" => {
                let (a, b) = (self.actor_or_point(left, f), self.actor_or_point(right, f));
                let Some(d) = ast::BinaryExpr::cast(n).and_then(|e| e.within()) else { return self.broken(span) };
                let d = self.expect(&d, &Ty::Number, f);
                flag(ExprKind::Near(Box::new(a), Box::new(b), Box::new(d)))
            }
            "pressing" => {
                let a = self.expect(left, &actor, f);
                match self.input_named(&Self::text_of(right), self.span(right)) {
                    Some(i) => flag(ExprKind::Pressing(Box::new(a), i)),
                    None => self.broken(span),
                }
            }
            _ => self.broken(span),
        }
    }

    pub fn actor_or_point(&mut self, n: &Node, f: &mut Frame) -> Expr {
        let (e, ty) = self.expr(n, Some(&Ty::Actor(None)), f);
        if !matches!(ty.inner(), Ty::Actor(_) | Ty::Point | Ty::Broken) {
            let shown = ty.show(self);
            self.error(
                "wrong-type",
                e.span,
                format!("an actor or a point is wanted here, and this is {shown}"),
                "name an actor or write a point `(x, y)`",
            );
        }
        e
    }

    pub fn input_named(&mut self, name: &str, span: Span) -> Option<InputId> {
        match self.names.get(name).map(|(d, _)| *d) {
            Some(Def::Input(i)) => Some(i),
            Some(other) => {
                self.error(
                    "no-input",
                    span,
                    format!("`{name}` is {}, not an input", other.what()),
                    "declare an input: `input wind = \"e\"`",
                );
                None
            }
            None => {
                if let Some(d) = DIRECTIONS.iter().position(|d| *d == name) {
                    return Some(InputId::at(d));
                }
                let near = self.near_declared(Declared::Inputs, name);
                self.no_such(
                    "unknown-name",
                    span,
                    format!("there is no input `{name}`"),
                    near,
                    format!("declare it: `input {name} = \"e\"`"),
                );
                None
            }
        }
    }
}
