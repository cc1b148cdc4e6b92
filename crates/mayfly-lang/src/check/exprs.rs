//! Expressions: what each means, and its type.
//!
//! Invariant: a bare name means a local first, then what the place expects (a value of its enum), then
//! what the level declares.

use super::names::Def;
use super::proposals::Sought;
use super::{Checker, Frame};
use crate::ast::{self, AstNode};
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::arith;
use mayfly_base::code::*;
use mayfly_base::*;

impl Checker {
    pub fn broken(&self, span: Span) -> (Expr, Ty) {
        (Expr { kind: ExprKind::Const(Value::None), span }, Ty::Broken)
    }

    /// An expression of that type; another type is an error.
    pub fn expect(&mut self, n: &Node, want: &Ty, f: &mut Frame) -> Expr {
        let (e, ty) = self.expr(n, Some(want), f);
        if !ty.fits(want, self) {
            let span = self.span(n);
            let (is, wanted) = (ty.show(self), want.show(self));
            let help = match (&ty, want) {
                (Ty::Number, Ty::Duration) => format!("write its unit: `{}s`, say, or `ticks`", Self::text_of(n)),
                (Ty::Duration, Ty::Number) => "divide it by a duration: `d / 1s` is a number".into(),
                (Ty::Number, Ty::Flag) => "compare it: `x > 0`, say".into(),
                (Ty::Zone(_), Ty::Actor(_)) => "name an actor".into(),
                (Ty::Kind, Ty::Actor(_)) => {
                    let k = Self::text_of(n);
                    format!("ask for one of them: `some({k})`, or name one that the event binds: `{k} as x`")
                }
                (Ty::Message(Some(a)), Ty::Message(Some(b))) => {
                    let params = |m: &MessageId| {
                        let m = &self.level.messages[m.index()];
                        let list: Vec<String> =
                            m.params.iter().map(|(n, t)| format!("{n}: {}", t.show(self))).collect();
                        format!("`{}({})`", m.name, list.join(", "))
                    };
                    format!("all messages of one variable take the same values: {} and {} do not", params(b), params(a))
                }
                (_, Ty::Point) => "write a point: `(3, 4)`".into(),
                _ => format!("give {wanted}"),
            };
            self.error(
                "wrong-type",
                span,
                match (&ty, want) {
                    (Ty::Message(_), Ty::Message(_)) => {
                        format!("`{}` is a message with other values than those of this variable", Self::text_of(n))
                    }
                    _ => format!("{wanted} is wanted here, and `{}` is {is}", short(&Self::text_of(n))),
                },
                help,
            );
            return self.broken(span).0;
        }
        e
    }

    /// The value of an expression that must be known beforehand.
    pub fn constant(&mut self, n: &Node, want: &Ty) -> Option<Value> {
        let mut f = Frame::default();
        let before = self.diagnostics.len();
        let e = self.expect(n, want, &mut f);
        match e.kind {
            ExprKind::Const(v) if !matches!(v, Value::None) => Some(v),
            _ => {
                if self.diagnostics.len() == before {
                    let span = self.span(n);
                    self.error(
                        "no-constant",
                        span,
                        "this must be known before the level runs",
                        "write a number or a constant here",
                    );
                }
                None
            }
        }
    }

    /// The value of a constant of the level.
    pub fn const_value(&mut self, i: usize) -> (Value, Ty) {
        if let Some(v) = self.consts[i].value.clone() {
            return v;
        }
        let node = self.consts[i].node.clone();
        let span = self.declared(&node).map_or_else(|| self.span(&node), |(_, s)| s);
        if self.consts[i].busy {
            self.error("circle", span, "this constant follows from itself", "break the circle");
            return (Value::None, Ty::Broken);
        }
        self.consts[i].busy = true;
        let mut f = Frame::default();
        let got = match node.exprs().first() {
            Some(e) => {
                let before = self.diagnostics.len();
                let (e, ty) = self.expr(e, None, &mut f);
                match e.kind {
                    ExprKind::Const(v) => (v, ty),
                    _ => {
                        if self.diagnostics.len() == before {
                            self.error(
                                "no-constant",
                                e.span,
                                "a constant must be known before the level runs",
                                "use a variable (`var`) or a defined value (`define`)",
                            );
                        }
                        (Value::None, Ty::Broken)
                    }
                }
            }
            None => (Value::None, Ty::Broken),
        };
        self.consts[i].busy = false;
        self.consts[i].value = Some(got.clone());
        got
    }

    /// An expression and its type; `want` helps where a bare name could be an enum's value.
    pub fn expr(&mut self, n: &Node, want: Option<&Ty>, f: &mut Frame) -> (Expr, Ty) {
        let span = self.span(n);
        let (e, ty) = self.typed(n, span, want, f);
        if let Some(types) = &mut self.types {
            types.put(span, ty.clone());
        }
        (e, ty)
    }

    fn typed(&mut self, n: &Node, span: Span, want: Option<&Ty>, f: &mut Frame) -> (Expr, Ty) {
        let (kind, ty) = match n.kind() {
            K::LITERAL => (ExprKind::Const(Value::Number(Self::number_of(n.word()))), Ty::Number),
            K::DURATION_EXPR => (ExprKind::Const(Value::Duration(self.duration_of(n))), Ty::Duration),
            K::TEXT_EXPR => return self.text_expr(n, f),
            K::NAME_EXPR => return self.name(n, want, f),
            K::PAREN_EXPR => return self.paren(n, want, f),
            K::LIST_EXPR => return self.list(n, want, f),
            K::BRACES_EXPR => return self.empty_braces(n, want),
            K::MEMBER_EXPR => return self.member(n, f),
            K::INDEX_EXPR => {
                let exprs = n.exprs();
                let [list, index] = exprs.as_slice() else { return self.broken(span) };
                let (l, ty) = self.expr(list, None, f);
                let (i, inner) = match ty.inner().clone() {
                    Ty::List(t) => (self.expect(index, &Ty::Number, f), *t),
                    Ty::Tally(t) => (self.expect(index, &t, f), Ty::Number),
                    Ty::Path => (self.expect(index, &Ty::Number, f), Ty::Point),
                    Ty::Broken => return self.broken(span),
                    other => {
                        let shown = other.show(self);
                        self.error(
                            "wrong-type",
                            span,
                            format!("`{}` is {shown} and has no places", Self::text_of(list)),
                            "`[ ]` asks a list, a tally, records or a path",
                        );
                        return self.broken(span);
                    }
                };
                (ExprKind::Index(Box::new(l), Box::new(i)), inner)
            }
            K::CALL_EXPR => return self.call(n, want, f),
            K::OVER_EXPR | K::ALL_EXPR => return self.doubtful(f, |c, f| c.over(n, f)),
            K::UNARY_EXPR => return self.unary(n, f),
            K::BINARY_EXPR => return self.binary(n, f),
            K::BETWEEN_EXPR => {
                let exprs = n.exprs();
                let [x, a, b] = exprs.as_slice() else { return self.broken(span) };
                let (x, ty) = self.expr(x, None, f);
                if !matches!(ty.inner(), Ty::Number | Ty::Duration | Ty::Broken) {
                    let shown = ty.show(self);
                    self.error(
                        "wrong-type",
                        x.span,
                        format!("`between` asks numbers and durations, and this is {shown}"),
                        "compare it with `==`",
                    );
                    return self.broken(span);
                }
                let (a, b) = (self.expect(a, &ty, f), self.expect(b, &ty, f));
                (ExprKind::Between(Box::new(x), Box::new(a), Box::new(b)), Ty::Flag)
            }
            K::EXISTS_EXPR => {
                let Some(x) = n.expr() else { return self.broken(span) };
                let (x, _) = self.expr(&x, None, f);
                (ExprKind::Exists(Box::new(x)), Ty::Flag)
            }
            K::BEEN_EXPR => {
                let exprs = n.exprs();
                let [m, state] = exprs.as_slice() else { return self.broken(span) };
                let Some((machine, of)) = self.machine_of(m, f) else { return self.broken(span) };
                let d = ast::BeenExpr::cast(n).and_then(|e| e.lasts()).map(|d| self.expect(&d, &Ty::Duration, f));
                return self.in_state(machine, of, state, d, span);
            }
            K::IF_EXPR => {
                let exprs = n.exprs();
                let [test, a, b] = exprs.as_slice() else { return self.broken(span) };
                let c = self.expect(test, &Ty::Flag, f);
                let (a, ta) = self.knowing(test, f, |c, f| c.doubtful(f, |c, f| c.expr(a, want, f)));
                let (eb, tb) = self.doubtful(f, |c, f| c.expr(b, want.or(Some(&ta)), f));
                let ty = self.join(&ta, &tb, span);
                (ExprKind::If(Box::new(c), Box::new(a), Box::new(eb)), ty)
            }
            _ => return self.broken(span),
        };
        (self.fold(Expr { kind, span }), ty)
    }

    /// Reads what is not certain to be asked, or is asked many times: no routine that acts stands there.
    pub fn doubtful<T>(&mut self, f: &mut Frame, read: impl FnOnce(&mut Self, &mut Frame) -> T) -> T {
        let before = f.before.take();
        let got = read(self, f);
        f.before = before;
        got
    }

    /// The type that holds both; an error where there is none.
    fn join(&mut self, a: &Ty, b: &Ty, span: Span) -> Ty {
        if b.fits(a, self)
            && !matches!((a, b), (Ty::Nothing, _))
            && (matches!(a, Ty::Maybe(_)) || !matches!(b, Ty::Maybe(_)))
        {
            return a.clone();
        }
        match (a, b) {
            (Ty::Broken, _) | (_, Ty::Broken) => Ty::Broken,
            (Ty::Nothing, t) | (t, Ty::Nothing) => t.clone().or_none(),
            (Ty::Actor(_), Ty::Actor(_)) => Ty::Actor(None),
            _ if a.fits(b, self) => b.clone(),
            _ => {
                let (x, y) = (a.show(self), b.show(self));
                self.error(
                    "wrong-type",
                    span,
                    format!("one of the two is {x}, the other {y}"),
                    "both sides must be of one type",
                );
                Ty::Broken
            }
        }
    }

    /// A call of the arithmetic beforehand, where both sides are known.
    pub fn fold(&self, e: Expr) -> Expr {
        let known = |e: &Expr| match &e.kind {
            ExprKind::Const(v) if !matches!(v, Value::None) => Some(v.clone()),
            _ => None,
        };
        let folded = match &e.kind {
            ExprKind::Binary(op, a, b) => known(a).zip(known(b)).and_then(|(a, b)| arith::binary(*op, &a, &b).ok()),
            ExprKind::Negate(a) => known(a).and_then(|a| arith::negate(&a).ok()),
            ExprKind::Not(a) => {
                known(a).and_then(|a| if let Value::Flag(b) = a { Some(Value::Flag(!b)) } else { None })
            }
            ExprKind::Point(x, y, area) => match (known(x), known(y)) {
                (Some(Value::Number(x)), Some(Value::Number(y))) => Some(Value::Point(Point { x, y, area: *area })),
                _ => None,
            },
            _ => None,
        };
        match folded {
            Some(v) => Expr { kind: ExprKind::Const(v), span: e.span },
            None => e,
        }
    }

    fn name(&mut self, n: &Node, want: Option<&Ty>, f: &mut Frame) -> (Expr, Ty) {
        let span = self.span(n);
        let name = n.word();
        let (kind, ty) = match name {
            "true" => (ExprKind::Const(Value::Flag(true)), Ty::Flag),
            "false" => (ExprKind::Const(Value::Flag(false)), Ty::Flag),
            "none" => (ExprKind::Const(Value::None), Ty::Nothing),
            "time" => (ExprKind::Time, Ty::Duration),
            "tick" => (ExprKind::Tick, Ty::Number),
            "self" if f.me.is_some() => {
                if let Some(w) = &mut f.watching {
                    w.me = true;
                }
                (ExprKind::Myself, f.me.map_or(Ty::Actor(None), |k| self.one_of_kind(k)))
            }
            "any" if f.find("any").is_none() => {
                self.error(
                    "no-value",
                    span,
                    "`any` names nobody here",
                    "give whoever is meant a name in the event: `when any as who enters jetty`, and write `who`",
                );
                return self.broken(span);
            }
            _ => return self.plain_name(name, span, want, f),
        };
        (Expr { kind, span }, ty)
    }

    fn plain_name(&mut self, name: &str, span: Span, want: Option<&Ty>, f: &mut Frame) -> (Expr, Ty) {
        let constant = |v: Value| Expr { kind: ExprKind::Const(v), span };
        if let Some(slot) = f.find(name) {
            return (Expr { kind: ExprKind::Local(slot), span }, f.slots[slot as usize].1.clone());
        }
        if let Some(Ty::Enum(e)) = want.map(Ty::inner)
            && let Some(v) = self.enum_value_named(*e, name)
        {
            return (constant(Value::Enum(*e, v)), Ty::Enum(*e));
        }
        if let Some(Ty::State(m)) = want.map(Ty::inner)
            && let Some(s) = self.states_by_name.get(&(*m, name.to_string()))
        {
            return (constant(Value::State(*s)), Ty::State(*m));
        }
        if let Some(w) = want.filter(|w| matches!(w.inner(), Ty::Actor(_)))
            && let Some((Def::Kind(k), _)) = self.names.get(name).copied()
            && f.watching.is_some()
        {
            let _ = w;
            return self.watched_kind(k, name, span, f);
        }
        match self.names.get(name).map(|(d, _)| *d) {
            Some(Def::Var(v)) => {
                let ty = self.var_type(v);
                (Expr { kind: ExprKind::Var(v), span }, ty)
            }
            Some(Def::Define(d)) => {
                let ty = self.define_type(d);
                (Expr { kind: ExprKind::Define(d), span }, ty)
            }
            Some(Def::Const(i)) => {
                let (v, ty) = self.const_value(i);
                (constant(v), ty)
            }
            Some(Def::Actor(a)) => {
                let Some(kind) = self.actor_kind(a).map(Some) else { return self.broken(span) };
                (constant(Value::Actor(a)), Ty::Actor(kind))
            }
            Some(Def::Kind(k)) => (constant(Value::Kind(k)), Ty::Kind),
            Some(Def::Zone(z)) => (constant(Value::Zone(z, None)), Ty::Zone(self.level.zones[z.index()].kind)),
            Some(Def::Path(p)) => (constant(Value::Path(p)), Ty::Path),
            Some(Def::Records(r)) => {
                (constant(self.level.records[r as usize].rows.clone()), Ty::List(Box::new(Ty::Record(r))))
            }
            Some(Def::Tag(t)) => (constant(Value::Tag(t)), Ty::Tag),
            Some(Def::Tile(t)) => (constant(Value::Tile(t)), Ty::Tile),
            Some(Def::Timer(t)) => (constant(Value::Timer(t)), Ty::Timer),
            Some(Def::Message(m)) => {
                // What a variable may hold is sent and heard by it.
                self.used.sends(span, m);
                self.used.hears(span, m);
                (constant(Value::Message(m)), Ty::Message(Some(m)))
            }
            Some(Def::Table(t)) => {
                let ty = self.table_type(t);
                (constant(Value::Table(t)), ty)
            }
            Some(Def::Machine(m)) => (Expr { kind: ExprKind::MachineState(m, None), span }, Ty::State(m)),
            Some(other) => {
                self.error(
                    "no-value",
                    span,
                    format!("`{name}` is {}, not a value", other.what()),
                    "name a variable, an actor or another value",
                );
                self.broken(span)
            }
            None => {
                if let Some(a) = self.placed(name) {
                    let Some(kind) = self.actor_kind(a) else { return self.broken(span) };
                    return (constant(Value::Actor(a)), Ty::Actor(Some(kind)));
                }
                // A hand may name what is spawned by then.
                if let Some(k) = name
                    .split_once('#')
                    .filter(|_| self.by_hand)
                    .and_then(|(k, _)| self.level.kinds.iter().position(|kind| kind.name == k).map(KindId::at))
                {
                    return (Expr { kind: ExprKind::Called(name.into()), span }, self.one_of_kind(k));
                }
                // Directions read well without their enum's name where nothing else is meant.
                if let Some(d) = DIRECTIONS.iter().position(|d| *d == name) {
                    return (constant(Value::direction(d as u32)), Ty::Enum(EnumId::DIRECTION));
                }
                let mut extra: Vec<String> = f.visible.iter().map(|(n, _, _)| n.clone()).collect();
                if let Some(Ty::Enum(e)) = want.map(Ty::inner) {
                    extra.extend(self.level.enums[e.index()].values.iter().cloned());
                }
                if let Some(me) = f.me
                    && self.level.kinds[me.index()].fields.iter().any(|v| v.name == name)
                {
                    self.error(
                        "unknown-name",
                        span,
                        format!("`{name}` is a variable of its actor"),
                        format!("write `self.{name}`"),
                    );
                } else if want.is_some_and(|w| *w.inner() == Ty::Broken) && self.enums_of.contains_key(name) {
                    // What is wrong with that place is told already.
                } else if let Some(e) = self.enums_of.get(name).map(|e| self.level.enums[e.index()].name.clone()) {
                    self.error(
                        "unknown-name",
                        span,
                        format!("`{name}` is a value of `{e}`"),
                        format!("write `{e}.{name}` where its type is not clear"),
                    );
                } else if let Some(kind) = self.kind_with_zone(name) {
                    let help = match f.me.is_some_and(|me| self.has_zone(me, name)) {
                        true => format!("write `self.{name}`"),
                        false => format!("write it behind the actor whose it is: `x.{name}`"),
                    };
                    let message = format!("`{name}` is a zone of `{kind}`, of which each has its own");
                    self.error("unknown-name", span, message, help);
                } else {
                    let values = match want.map(Ty::inner) {
                        Some(Ty::Enum(e)) => self.level.enums[e.index()].values.clone(),
                        _ => vec![],
                    };
                    // So many are read at a glance.
                    let what = match values.len() {
                        1..=12 => Sought::OneOf(&values),
                        _ => Sought::Declared("something"),
                    };
                    self.unknown(name, span, what, &extra);
                }
                self.broken(span)
            }
        }
    }

    /// A kind's name in a watched expression: the expression is watched for each of its actors.
    fn watched_kind(&mut self, k: KindId, name: &str, span: Span, f: &mut Frame) -> (Expr, Ty) {
        let Some(w) = &mut f.watching else { return self.broken(span) };
        let other = w.kind.as_ref().is_some_and(|(old, _)| *old != k) || w.me;
        w.kind = Some((k, name.to_string()));
        if other {
            self.error(
                "two-kinds",
                span,
                "a watched expression can name one kind only",
                "watch the one, and ask for the other with `if`",
            );
            return self.broken(span);
        }
        (Expr { kind: ExprKind::Myself, span }, self.one_of_kind(k))
    }

    fn paren(&mut self, n: &Node, want: Option<&Ty>, f: &mut Frame) -> (Expr, Ty) {
        let span = self.span(n);
        let exprs = n.exprs();
        match exprs.as_slice() {
            [e] => self.expr(e, want, f),
            [x, y] => {
                let told = self.diagnostics.len();
                let x = self.expect(x, &Ty::Number, f);
                let is_point = self.diagnostics.len() == told;
                // Where one is no number, the other need not be one: it may not be a point that is meant.
                let y = if is_point { self.expect(y, &Ty::Number, f) } else { self.expr(y, None, f).0 };
                if !is_point {
                    return self.broken(span);
                }
                let kind = ExprKind::Point(Box::new(x), Box::new(y), self.here);
                (self.fold(Expr { kind, span }), Ty::Point)
            }
            [] => self.broken(span),
            _ => {
                self.error("bad-point", span, "a point has two numbers", "write `(x, y)`");
                self.broken(span)
            }
        }
    }

    fn list(&mut self, n: &Node, want: Option<&Ty>, f: &mut Frame) -> (Expr, Ty) {
        let span = self.span(n);
        let mut inner = match want.map(Ty::inner) {
            Some(Ty::List(t)) => Some((**t).clone()),
            _ => None,
        };
        let mut items = vec![];
        for e in n.exprs() {
            let (item, ty) = self.expr(&e, inner.as_ref(), f);
            inner = Some(match &inner {
                Some(t) => self.join(t, &ty, item.span),
                None => ty,
            });
            items.push(item);
        }
        let ty = Ty::List(Box::new(inner.unwrap_or(Ty::Broken)));
        if items.iter().all(|i| matches!(i.kind, ExprKind::Const(_))) {
            let values = items.into_iter().map(|i| if let ExprKind::Const(v) = i.kind { v } else { Value::None });
            return (Expr { kind: ExprKind::Const(Value::list(values)), span }, ty);
        }
        (Expr { kind: ExprKind::List(items), span }, ty)
    }

    fn empty_braces(&mut self, n: &Node, want: Option<&Ty>) -> (Expr, Ty) {
        let span = self.span(n);
        let value = match want.map(Ty::inner) {
            Some(Ty::List(_)) => Value::List(std::sync::Arc::default()),
            Some(Ty::Set(_)) => Value::Set(std::sync::Arc::default()),
            Some(Ty::Tally(_)) => Value::Tally(std::sync::Arc::default()),
            Some(Ty::Broken) => return self.broken(span),
            _ => {
                self.error(
                    "no-type",
                    span,
                    "what `{}` is cannot be seen here",
                    "declare its type: `var bag: tally of item = {}`",
                );
                return self.broken(span);
            }
        };
        let ty = want.map_or(Ty::Broken, |t| t.inner().clone());
        (Expr { kind: ExprKind::Const(value), span }, ty)
    }
}

/// What stands in the text, cut where it is long.
fn short(text: &str) -> String {
    const MAX: usize = 60;
    if text.chars().count() <= MAX { text.into() } else { text.chars().take(MAX).chain(['…']).collect() }
}
