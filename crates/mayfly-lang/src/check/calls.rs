//! Functions: the built-in ones, from one table; random draws; and questions about all of a kind.
//!
//! Invariant: every place that draws has a number and a stream name of its own.

use super::names::Def;
use super::{Checker, Frame};
use crate::ast::{self, AstNode};
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;

/// What a function asks for.
#[derive(Clone, Copy, PartialEq)]
enum Want {
    Number,
    /// A number or a duration; all of such must be of one type, which is the result's.
    Same,
    ActorOrPoint,
    Direction,
    Point,
    Zone,
    List,
}

/// What it gives.
#[derive(Clone, Copy)]
enum Give {
    Number,
    Same,
    Direction,
    Point,
    Flag,
    TileOrNone,
    ActorOrNone,
    Actors,
}

/// The functions that the language has.
pub fn functions() -> impl Iterator<Item = &'static str> {
    FUNCTIONS.iter().map(|(name, ..)| *name).chain(["random", "chance", "roll", "random_point", "first", "set", "list"])
}

/// True of the names of functions, methods and members that the language itself has.
pub fn is_built_in(word: &str) -> bool {
    const OTHERS: [&str; 16] = [
        "random",
        "chance",
        "roll",
        "random_point",
        "first",
        "set",
        "list",
        "push",
        "add",
        "remove",
        "clear",
        "run",
        "left",
        "running",
        "any",
        "previous",
    ];
    OTHERS.contains(&word)
        || FUNCTIONS.iter().any(|(name, ..)| *name == word)
        || crate::parser::OVER.contains(&word)
        || matches!(word, "count" | "sum" | "nearest" | "main" | "per" | "shuffled" | "pick")
}

/// Every built-in function: its name, what it asks for, what it gives.
const FUNCTIONS: &[(&str, Builtin, &[Want], Give)] = &[
    ("min", Builtin::Min, &[Want::Same, Want::Same], Give::Same),
    ("max", Builtin::Max, &[Want::Same, Want::Same], Give::Same),
    ("abs", Builtin::Abs, &[Want::Same], Give::Same),
    ("floor", Builtin::Floor, &[Want::Number], Give::Number),
    ("ceil", Builtin::Ceil, &[Want::Number], Give::Number),
    ("round", Builtin::Round, &[Want::Number], Give::Number),
    ("sign", Builtin::Sign, &[Want::Number], Give::Number),
    ("sqrt", Builtin::Sqrt, &[Want::Number], Give::Number),
    ("clamp", Builtin::Clamp, &[Want::Same, Want::Same, Want::Same], Give::Same),
    ("distance", Builtin::Distance, &[Want::ActorOrPoint, Want::ActorOrPoint], Give::Number),
    ("opposite", Builtin::Opposite, &[Want::Direction], Give::Direction),
    ("direction_to", Builtin::DirectionTo, &[Want::ActorOrPoint, Want::ActorOrPoint], Give::Direction),
    ("ahead", Builtin::AheadOf, &[Want::ActorOrPoint, Want::Number], Give::Point),
    ("tile_at", Builtin::TileAt, &[Want::Point], Give::TileOrNone),
    ("free_at", Builtin::FreeAt, &[Want::Point], Give::Flag),
    ("actors_in", Builtin::ActorsIn, &[Want::Zone], Give::Actors),
    ("center", Builtin::Center, &[Want::Zone], Give::Point),
    ("len", Builtin::Len, &[Want::List], Give::Number),
    ("ray", Builtin::Ray, &[Want::ActorOrPoint, Want::Direction, Want::Number], Give::ActorOrNone),
];

/// Random draws.
const DRAWS: &[&str] = &["random", "chance", "pick", "shuffled", "random_point", "roll"];

impl Checker {
    pub fn call(&mut self, n: &Node, want: Option<&Ty>, f: &mut Frame) -> (Expr, Ty) {
        let span = self.span(n);
        let exprs = n.exprs();
        let Some(callee) = exprs.first() else { return self.broken(span) };
        let name = Self::text_of(callee);
        let at = self.span(callee);
        let args = n.child(K::ARGS).map(|a| a.exprs()).unwrap_or_default();
        if callee.kind() == K::MEMBER_EXPR
            && let Some((member, _)) = self.declared(callee).filter(|(m, _)| m == "run")
            && let Some(Def::Clock(c)) = callee.exprs().first().and_then(|b| self.names.get(b.word())).map(|(d, _)| *d)
        {
            let _ = member;
            return self.clock_run(c, &args, span);
        }
        if let Some((_, builtin, wants, give)) = FUNCTIONS.iter().find(|(f, ..)| *f == name) {
            return self.function(&name, *builtin, wants, *give, &args, span, f);
        }
        if name == "set" {
            return self.set_of(&args, want, span, f);
        }
        if name == "first" && !self.names.contains_key("first") {
            return self.first_of(&args, span, f);
        }
        if DRAWS.contains(&name.as_str()) {
            return self.draw(&name, &args, want, span, f);
        }
        match self.names.get(&name).map(|(d, _)| *d) {
            Some(Def::Routine(r)) => return self.routine_value(r, &args, span, f),
            Some(Def::Area(area)) => return self.point_of(area, &args, span, f),
            Some(Def::Message(_)) => self.error(
                "no-value",
                at,
                format!("`{name}` is a message, not a value"),
                format!("send it: `send {name}(…)`"),
            ),
            Some(other) => self.error(
                "no-function",
                at,
                format!("`{name}` is {}, not a function", other.what()),
                "take the parentheses out",
            ),
            None if callee.kind() == K::MEMBER_EXPR => self.error(
                "no-function",
                at,
                format!("`{name}` is no function"),
                "a value is a name, a member or a function of the language",
            ),
            None => {
                let known = FUNCTIONS
                    .iter()
                    .map(|(n, ..)| *n)
                    .chain(DRAWS.iter().copied())
                    .chain(["set", "first"])
                    .chain(crate::parser::OVER.iter().copied());
                let near = self.near(&name, known);
                self.no_such(
                    "unknown-name",
                    at,
                    format!("there is no function `{name}`"),
                    near,
                    "the reference lists the functions".to_string(),
                );
            }
        }
        self.broken(span)
    }

    /// `cellar (3, 4)`.
    fn point_of(&mut self, area: AreaId, args: &[Node], span: Span, f: &mut Frame) -> (Expr, Ty) {
        let [x, y] = args else {
            self.error("bad-point", span, "a point has two numbers", "write `cellar (x, y)`");
            return self.broken(span);
        };
        let (x, y) = (self.expect(x, &Ty::Number, f), self.expect(y, &Ty::Number, f));
        let kind = ExprKind::Point(Box::new(x), Box::new(y), area);
        (self.fold(Expr { kind, span }), Ty::Point)
    }

    #[expect(clippy::too_many_arguments, reason = "one row of the table, taken apart")]
    fn function(
        &mut self,
        name: &str,
        builtin: Builtin,
        wants: &[Want],
        give: Give,
        args: &[Node],
        span: Span,
        f: &mut Frame,
    ) -> (Expr, Ty) {
        // `min` and `max` take as many as one likes.
        let many = matches!(builtin, Builtin::Min | Builtin::Max) && args.len() > 2;
        if args.len() != wants.len() && !many {
            let (has, needs) = (args.len(), wants.len());
            self.error(
                "wrong-count",
                span,
                format!("`{name}` takes {}, and {} given", number::counted(needs, "value"), number::are(has)),
                format!("see `{name}` in the reference"),
            );
            return self.broken(span);
        }
        let mut out = vec![];
        let mut same: Option<Ty> = None;
        for (i, a) in args.iter().enumerate() {
            let e = match wants[i.min(wants.len() - 1)] {
                Want::Number => self.expect(a, &Ty::Number, f),
                Want::Point => self.expect(a, &Ty::Point, f),
                Want::Zone => self.expect(a, &Ty::Zone(None), f),
                Want::Direction => self.expect(a, &Ty::Enum(EnumId::DIRECTION), f),
                Want::ActorOrPoint => self.actor_or_point(a, f),
                Want::List => {
                    let (e, ty) = self.expr(a, None, f);
                    if !matches!(ty.inner(), Ty::List(_) | Ty::Set(_) | Ty::Tally(_) | Ty::Text | Ty::Path | Ty::Broken)
                    {
                        let shown = ty.show(self);
                        self.error(
                            "wrong-type",
                            e.span,
                            format!("{shown} has no length"),
                            "`len` asks lists, sets, tallies, records, paths and texts",
                        );
                    }
                    e
                }
                Want::Same => match &same {
                    Some(t) => self.expect(a, &t.clone(), f),
                    None => {
                        let (e, ty) = self.expr(a, None, f);
                        let ty = if matches!(ty.inner(), Ty::Number | Ty::Duration | Ty::Broken) {
                            ty.inner().clone()
                        } else {
                            let shown = ty.show(self);
                            self.error(
                                "wrong-type",
                                e.span,
                                format!("`{name}` takes numbers or durations, and this is {shown}"),
                                "give a number",
                            );
                            Ty::Broken
                        };
                        same = Some(ty);
                        e
                    }
                },
            };
            out.push(e);
        }
        let ty = match give {
            Give::Number => Ty::Number,
            Give::Same => same.unwrap_or(Ty::Number),
            Give::Direction => Ty::Enum(EnumId::DIRECTION),
            Give::Point => Ty::Point,
            Give::Flag => Ty::Flag,
            Give::TileOrNone => Ty::Tile.or_none(),
            Give::ActorOrNone => Ty::Actor(None).or_none(),
            Give::Actors => Ty::List(Box::new(Ty::Actor(None))),
        };
        (Expr { kind: ExprKind::Call(builtin, out), span }, ty)
    }

    /// `set(1, 2)`.
    fn set_of(&mut self, args: &[Node], want: Option<&Ty>, span: Span, f: &mut Frame) -> (Expr, Ty) {
        let mut inner = match want.map(Ty::inner) {
            Some(Ty::Set(t)) => Some((**t).clone()),
            _ => None,
        };
        let mut items = vec![];
        for a in args {
            let (e, ty) = match &inner {
                Some(t) => (self.expect(a, &t.clone(), f), t.clone()),
                None => self.expr(a, None, f),
            };
            inner.get_or_insert(ty);
            items.push(e);
        }
        (Expr { kind: ExprKind::Call(Builtin::SetOf, items), span }, Ty::Set(Box::new(inner.unwrap_or(Ty::Broken))))
    }

    /// `first(self.opening)`: the value that a variable began with.
    fn first_of(&mut self, args: &[Node], span: Span, f: &mut Frame) -> (Expr, Ty) {
        let [var] = args else {
            self.error("wrong-count", span, "`first` takes one variable", "write `first(self.opening)`");
            return self.broken(span);
        };
        let (e, ty) = self.expr(var, None, f);
        match e.kind {
            ExprKind::Var(_) | ExprKind::Field(..) => (Expr { kind: ExprKind::First(Box::new(e)), span }, ty),
            _ if ty == Ty::Broken => self.broken(span),
            _ => {
                self.error(
                    "no-variable",
                    e.span,
                    format!("`{}` is no variable of the level or of an actor", Self::text_of(var)),
                    "`first` gives the value that a declared variable began with",
                );
                self.broken(span)
            }
        }
    }

    /// A number of its own for a place that draws.
    pub fn new_draw(&mut self, f: &mut Frame) -> DrawId {
        let id = DrawId::at(self.level.draws.len());
        self.level.draws.push(format!("{}/{}", f.title, f.draws));
        self.level.shared_draws.push(f.routine.is_some());
        self.level.draw_forms.push(None);
        f.draws += 1;
        id
    }

    fn draw(&mut self, name: &str, args: &[Node], want: Option<&Ty>, span: Span, f: &mut Frame) -> (Expr, Ty) {
        let id = self.new_draw(f);
        let (draw, args, ty) = match (name, args) {
            ("random", []) => (Draw::Unit, vec![], Ty::Number),
            ("random", [a, b]) => {
                let (a, b) = (self.expect(a, &Ty::Number, f), self.expect(b, &Ty::Number, f));
                (Draw::Whole, vec![a, b], Ty::Number)
            }
            ("chance", [p]) => {
                let p = self.expect(p, &Ty::Number, f);
                (Draw::Chance, vec![p], Ty::Flag)
            }
            ("roll", [t]) => {
                let (t, ty) = self.expr(t, None, f);
                let inner = match ty.inner() {
                    Ty::Table(of) => (**of).clone(),
                    Ty::Broken => Ty::Broken,
                    other => {
                        let shown = other.show(self);
                        self.error(
                            "wrong-type",
                            t.span,
                            format!("`roll` draws from a table, and this is {shown}"),
                            "declare one: `table catch { eel 9; perch 4 }`",
                        );
                        Ty::Broken
                    }
                };
                (Draw::Roll, vec![t], inner)
            }
            ("random_point", [z]) => {
                let z = self.expect(z, &Ty::Zone(None), f);
                (Draw::PointIn, vec![z], Ty::Point)
            }
            ("pick" | "shuffled", [l]) => {
                let hint = want.map(|t| Ty::List(Box::new(t.inner().clone())));
                let hint = if name == "pick" { hint.as_ref() } else { want };
                let (l, ty) = self.expr(l, hint, f);
                let inner = match ty.inner() {
                    Ty::List(t) | Ty::Set(t) => (**t).clone(),
                    Ty::Broken => Ty::Broken,
                    other => {
                        let shown = other.show(self);
                        self.error(
                            "wrong-type",
                            l.span,
                            format!("`{name}` draws from a list, and this is {shown}"),
                            format!("write `{name}([1, 2, 3])`"),
                        );
                        Ty::Broken
                    }
                };
                if name == "pick" {
                    (Draw::Pick, vec![l], inner.or_none())
                } else {
                    (Draw::Shuffled, vec![l], Ty::List(Box::new(inner)))
                }
            }
            _ => {
                let form = match name {
                    "random" => "`random(2, 9)` or `random()`",
                    "chance" => "`chance(15%)`",
                    "random_point" => "`random_point(zone)`",
                    _ => "`pick(list)`",
                };
                self.error(
                    "wrong-count",
                    span,
                    format!("`{name}` is not given what it takes"),
                    format!("write {form}"),
                );
                return self.broken(span);
            }
        };
        let number = |e: &Expr| if let ExprKind::Const(Value::Number(n)) = e.kind { Some(n) } else { None };
        let bounds = match (draw, args.as_slice()) {
            (Draw::Unit, _) => Some((0.0, 1.0)),
            (Draw::Whole, [a, b]) => number(a).zip(number(b)),
            _ => None,
        };
        self.level.draw_forms[id.index()] = Some((ty.clone(), bounds));
        (Expr { kind: ExprKind::Draw(draw, id, args), span }, ty)
    }

    /// `count(lamp where lamp.lit)`, `all lamp where …` and their like.
    pub fn over(&mut self, n: &Node, f: &mut Frame) -> (Expr, Ty) {
        let span = self.span(n);
        let word = n.word();
        let Some(who) = n.child(K::WHO) else { return self.broken(span) };
        let Some(name_node) = who.expr() else { return self.broken(span) };
        let name = Self::text_of(&name_node);
        let at = self.span(&name_node);
        let (of, ty) = match self.names.get(&name).map(|(d, _)| *d) {
            _ if name == "any" => (WhoSet::Any, Ty::Actor(None)),
            Some(Def::Kind(k)) => (WhoSet::Kind(k), self.one_of_kind(k)),
            Some(Def::Tag(t)) => (WhoSet::Tag(t), Ty::Actor(None)),
            _ => {
                let (e, ty) = self.expr(&name_node, None, f);
                match ty.inner() {
                    // In a rule a kind's name stands for the one actor; here it is the kind.
                    Ty::Kind | Ty::Tag => (WhoSet::Held(Box::new(e)), Ty::Actor(None)),
                    Ty::Broken => return self.broken(span),
                    other => {
                        let shown = other.show(self);
                        self.error(
                            "no-kind",
                            at,
                            format!("`{name}` is {shown}, not a kind or a tag"),
                            format!("write `{word}` and a kind"),
                        );
                        return self.broken(span);
                    }
                }
            }
        };
        let called = self.declared(&who).map_or(name, |(n, _)| n);
        let seen = f.visible.len();
        let slot = f.declare(&called, ty.clone(), at);
        if let Some(other) = self.candidate.take().filter(|c| *c != called && f.find(c).is_none()) {
            f.visible.push((other, slot, at));
        }
        let form = ast::OverExpr::cast(n);
        let part = |find: fn(&ast::OverExpr) -> Option<Node>| form.as_ref().and_then(find);
        let value_part = part(if word == "nearest" { ast::OverExpr::to } else { ast::OverExpr::value });
        let test_part = part(ast::OverExpr::test).or_else(|| ast::AllExpr::cast(n).and_then(|a| a.test()));
        let value = match (&value_part, word) {
            (Some(v), "nearest") => {
                // The one that is asked for is not a candidate itself.
                let hidden = f.visible.pop();
                let e = self.actor_or_point(v, f);
                f.visible.extend(hidden);
                Some(e)
            }
            (Some(v), "sum") => Some(match &test_part {
                Some(test) => self.knowing(test, f, |c, f| c.expect(v, &Ty::Number, f)),
                None => self.expect(v, &Ty::Number, f),
            }),
            (None, "nearest" | "sum") => {
                let form =
                    if word == "sum" { "`sum(lamp where lamp.lit: lamp.oil)`" } else { "`nearest(lamp to keeper)`" };
                self.error("wrong-count", span, format!("`{word}` is not told what to take"), format!("write {form}"));
                None
            }
            _ => None,
        };
        let test = match (test_part, value_part) {
            (Some(t), _) => Some(self.expect(&t, &Ty::Flag, f)),
            (None, Some(t)) if matches!(word, "some" | "every" | "count") => Some(self.expect(&t, &Ty::Flag, f)),
            _ => None,
        };
        f.visible.truncate(seen);
        let (what, ty) = match word {
            "all" => (OverWhat::All, Ty::List(Box::new(ty))),
            "count" => (OverWhat::Count, Ty::Number),
            "some" => (OverWhat::Some, Ty::Flag),
            "every" => (OverWhat::Every, Ty::Flag),
            "sum" => (OverWhat::Sum, Ty::Number),
            _ => (OverWhat::Nearest, ty.or_none()),
        };
        (Expr { kind: ExprKind::Over(Box::new(Over { what, of, slot, test, value })), span }, ty)
    }
}
