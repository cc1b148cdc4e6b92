//! Declarations' contents: the level's settings, kinds, variables, messages and actors.
//!
//! Invariant: a variable's type is found when it is first asked for, so that the order of declarations
//! does not matter; one that asks for itself is an error.

use super::names::Def;
use super::proposals::Sought;
use super::{Checker, Frame};
use crate::level::*;
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;
use rustc_hash::FxHashMap;

/// How high the tree of a defined value may be, with all that it follows from.
const MAX_HEIGHT: u32 = 500;
/// How many defined values are read from within each other.
const MAX_IN_A_ROW: u32 = 200;

impl Checker {
    /// `level "T" { rate 20; seed 7; edges closed }`.
    pub fn settings(&mut self, root: &Node) {
        let all: Vec<Node> = root.all(K::LEVEL_DECL);
        if let Some(second) = all.get(1) {
            let span = self.span(second);
            self.error(
                "two-levels",
                Span { end: span.start + 5, ..span },
                "there is a second `level`",
                "a level has one title and one set of settings",
            );
        }
        let Some(n) = all.first() else { return };
        let told = self.diagnostics.len();
        if let Some(t) = n.tok(K::TEXT) {
            self.level.title = self.plain_text(&t);
        }
        let mut set: Vec<String> = vec![];
        for a in n.all(K::ATTRIBUTE) {
            let span = self.span(&a);
            let word = a.word();
            if set.iter().any(|s| s == word) {
                self.error("name-taken", span, format!("`{word}` is set twice"), "take one of the two out");
                continue;
            }
            set.push(word.to_string());
            if self.takes_too_much(word, &a.exprs()) {
                continue;
            }
            let value = a.expr();
            let text = value.as_ref().map(Self::text_of).unwrap_or_default();
            let number = text.replace('_', "").parse::<f64>().ok();
            match word {
                "rate" => match number {
                    Some(r) if (1.0..=240.0).contains(&r) && r.fract() == 0.0 => self.level.rate = Rate(r as u32),
                    _ => self.error(
                        "bad-setting",
                        span,
                        "the rate is a whole number of ticks a second, from 1 to 240",
                        "write `rate 20`",
                    ),
                },
                "seed" => match text.replace('_', "").parse::<u64>() {
                    Ok(s) => self.level.seed = s,
                    Err(_) => {
                        self.error("bad-setting", span, "the seed is a whole number, 0 or more", "write `seed 7`")
                    }
                },
                "edges" => match text.as_str() {
                    "closed" => self.level.edges = Edges::Closed,
                    "open" => self.level.edges = Edges::Open,
                    "wrap" => self.level.edges = Edges::Wrap,
                    _ => {
                        self.error("bad-setting", span, "edges are `closed`, `open` or `wrap`", "write `edges closed`")
                    }
                },
                word => {
                    let near = self.near(word, ["rate", "seed", "edges"].into_iter());
                    self.no_such(
                        "unknown-word",
                        span,
                        format!("a level has no `{word}`"),
                        near,
                        "a level has `rate`, `seed` and `edges`".to_string(),
                    );
                }
            }
        }
        // As long as the edges are not known, nothing is said of what lies off the map.
        if self.diagnostics.len() > told || self.is_broken(n) {
            self.level.edges = Edges::Open;
        }
    }

    /// A declared type.
    pub fn type_of(&mut self, n: &Node) -> Ty {
        let words = n.words();
        let span = self.span(n);
        let Some(&word) = words.first() else { return Ty::Broken };
        let of_state = word == "state";
        let inner = n.child(K::TYPE).map(|t| if of_state { Ty::Broken } else { self.type_of(&t) });
        let ty = match (word, inner) {
            ("list", Some(t)) => Ty::List(Box::new(t)),
            ("set", Some(t)) => Ty::Set(Box::new(t)),
            ("tally", Some(t)) => Ty::Tally(Box::new(t)),
            ("state", Some(_)) => {
                let name = n.child(K::TYPE).map(|t| t.word().to_string()).unwrap_or_default();
                match self.level.machines.iter().position(|m| m.name == name) {
                    Some(m) => Ty::State(MachineId::at(m)),
                    None => {
                        self.error(
                            "no-machine",
                            span,
                            format!("there is no machine `{name}`"),
                            "write `state of` and a machine's name",
                        );
                        Ty::Broken
                    }
                }
            }
            ("table", Some(t)) => Ty::Table(Box::new(t)),
            ("number", _) => Ty::Number,
            ("flag", _) => Ty::Flag,
            ("text", _) => Ty::Text,
            ("duration", _) => Ty::Duration,
            ("point", _) => Ty::Point,
            ("actor", _) => Ty::Actor(None),
            ("zone", _) => Ty::Zone(None),
            ("timer", _) => Ty::Timer,
            ("tag", _) => Ty::Tag,
            ("kind", _) => Ty::Kind,
            ("tile", _) => Ty::Tile,
            ("path", _) => Ty::Path,
            ("message", _) => Ty::Message(None),
            (name, _) => match self.names.get(name).map(|(d, _)| *d) {
                Some(Def::Enum(e)) => Ty::Enum(e),
                Some(Def::Kind(k)) => self.one_of_kind(k),
                Some(Def::Records(r)) => Ty::Record(r),
                Some(other) => {
                    self.error(
                        "no-type",
                        span,
                        format!("`{name}` is {}, not a type", other.what()),
                        "a type is `number`, `flag`, `text`, `duration`, `point`, a kind's or an enum's name, …",
                    );
                    Ty::Broken
                }
                None => {
                    let types = [
                        "number",
                        "flag",
                        "text",
                        "duration",
                        "point",
                        "direction",
                        "actor",
                        "zone",
                        "timer",
                        "tag",
                        "kind",
                        "tile",
                        "path",
                        "message",
                    ];
                    self.unknown(name, span, Sought::Type, &types.map(String::from));
                    Ty::Broken
                }
            },
        };
        if words.contains(&"none") { ty.or_none() } else { ty }
    }

    /// The type of one actor, or one zone, of a kind.
    pub fn one_of_kind(&self, k: KindId) -> Ty {
        if self.level.kinds[k.index()].of_zones { Ty::Zone(Some(k)) } else { Ty::Actor(Some(k)) }
    }

    /// Every variable's and define's type and first value.
    pub fn fill_vars(&mut self) {
        for i in 0..self.level.vars.len() {
            self.var_type(VarId::at(i));
        }
        for k in 0..self.level.kinds.len() {
            for i in 0..self.level.kinds[k].fields.len() {
                self.field_type(KindId::at(k), FieldId::at(i));
            }
        }
        for i in 0..self.level.defines.len() {
            self.define_type(DefineId::at(i));
        }
        for i in 0..self.consts.len() {
            let (value, ty) = self.const_value(i);
            let name = self.consts[i].node.child(K::NAME).map_or(String::new(), |n| n.word().to_string());
            self.level.consts.push((name, value, ty));
        }
    }

    /// Type, first value and bounds of a `var` line.
    fn first_value(&mut self, node: &Node, name: &str, me: Option<KindId>) -> (Ty, Expr, Option<(f64, f64)>) {
        let mut f = Frame { me, title: name.to_string(), ..Frame::default() };
        let declared = node.child(K::TYPE).map(|t| self.type_of(&t));
        let Some(value) = node.expr() else {
            return (declared.unwrap_or(Ty::Broken), Expr::constant(Value::None), None);
        };
        let (ty, first) = match declared {
            Some(ty) => {
                let e = self.expect(&value, &ty, &mut f);
                // Two messages in one variable share their parameters.
                let ty = match (&ty, &e.kind) {
                    (Ty::Message(None), ExprKind::Const(Value::Message(m))) => Ty::Message(Some(*m)),
                    (Ty::Maybe(t), ExprKind::Const(Value::Message(m))) if **t == Ty::Message(None) => {
                        Ty::Message(Some(*m)).or_none()
                    }
                    _ => ty,
                };
                (ty, e)
            }
            None => {
                let told = self.diagnostics.len();
                let (e, ty) = self.expr(&value, None, &mut f);
                let open = matches!(&ty, Ty::Nothing)
                    || matches!(&ty, Ty::List(t) | Ty::Set(t) | Ty::Tally(t) if **t == Ty::Broken);
                if open && self.diagnostics.len() == told {
                    let span = self.span(&value);
                    self.error(
                        "no-type",
                        span,
                        format!("the type of `{name}` cannot be seen from this"),
                        format!("write it: `var {name}: TYPE = …`"),
                    );
                }
                (if open { Ty::Broken } else { ty }, e)
            }
        };
        let bounds = node.child(K::BOUNDS).and_then(|b| {
            let ends: Vec<Option<Value>> = b.exprs().iter().map(|e| self.constant(e, &Ty::Number)).collect();
            match ends.as_slice() {
                [Some(Value::Number(lo)), Some(Value::Number(hi))] if lo <= hi => Some((*lo, *hi)),
                [Some(_), Some(_)] => {
                    let span = self.span(&b);
                    self.error("bad-bounds", span, "the lower bound is above the upper", "write the smaller one first");
                    None
                }
                _ => None,
            }
        });
        if bounds.is_some() && !matches!(ty, Ty::Number | Ty::Broken) {
            let span = self.span(node);
            self.error("bad-bounds", span, format!("`{name}` is no number and has no bounds"), "take `within` out");
        }
        (ty, first, bounds)
    }

    pub fn var_type(&mut self, id: VarId) -> Ty {
        let (node, done) = self.var_nodes[id.index()].clone();
        if !done {
            self.var_nodes[id.index()].1 = true;
            let name = self.level.vars[id.index()].name.clone();
            let (ty, first, bounds) = self.first_value(&node, &name, None);
            let v = &mut self.level.vars[id.index()];
            v.ty = ty;
            v.first = first;
            v.bounds = bounds;
        }
        self.level.vars[id.index()].ty.clone()
    }

    pub fn field_type(&mut self, kind: KindId, id: FieldId) -> Ty {
        let (node, done) = self.field_nodes[kind.index()][id.index()].clone();
        if let Some(node) = node.filter(|_| !done) {
            self.field_nodes[kind.index()][id.index()].1 = true;
            let name = self.level.kinds[kind.index()].fields[id.index()].name.clone();
            let (ty, first, bounds) = self.first_value(&node, &name, Some(kind));
            let v = &mut self.level.kinds[kind.index()].fields[id.index()];
            v.ty = ty;
            v.first = first;
            v.bounds = bounds;
        } else if let Some(base) = self.level.kinds[kind.index()].like
            && id.index() < self.level.kinds[base.index()].fields.len()
        {
            self.field_type(base, id);
            let inherited = self.level.kinds[base.index()].fields[id.index()].clone();
            self.level.kinds[kind.index()].fields[id.index()] = inherited;
        }
        self.level.kinds[kind.index()].fields[id.index()].ty.clone()
    }

    pub fn define_type(&mut self, id: DefineId) -> Ty {
        let (node, done) = self.define_nodes[id.index()].clone();
        if !done && self.define_depth >= MAX_IN_A_ROW {
            // What is declared in reverse order is read from within.
            self.too_deep(id);
            return Ty::Broken;
        }
        if !done {
            self.define_depth += 1;
            self.define_nodes[id.index()].1 = true;
            let (name, me) = (self.level.defines[id.index()].name.clone(), self.level.defines[id.index()].of);
            let mut f = Frame { title: name, me, ..Frame::default() };
            let declared = node.child(K::TYPE).map(|t| self.type_of(&t));
            if let Some(value) = node.exprs().first() {
                let (expr, ty) = match declared {
                    Some(ty) => (self.expect(value, &ty, &mut f), ty),
                    None => self.expr(value, None, &mut f),
                };
                let mut draws = false;
                expr.walk(&mut |e| draws |= matches!(e.kind, ExprKind::Draw(..)));
                if draws {
                    let span = self.span(value);
                    self.error(
                        "define-draws",
                        span,
                        "a defined value draws nothing at random",
                        "draw into a variable, and use that",
                    );
                }
                let d = &mut self.level.defines[id.index()];
                d.expr = expr;
                d.ty = ty;
                // The first of a circle is read last: once one may be there, all are looked at.
                self.may_circle |= self.define_height(id);
                if self.may_circle {
                    self.define_circle(id);
                }
            }
            self.define_depth -= 1;
        }
        self.level.defines[id.index()].ty.clone()
    }

    /// A define that asks for itself, by whatever way.
    /// Keeps how high the tree of a defined value is with all that it follows from; true where it may follow from
    /// itself.
    fn define_height(&mut self, id: DefineId) -> bool {
        fn height(e: &Expr, of: &FxHashMap<DefineId, u32>, circle: &mut bool) -> u32 {
            let mut most = match e.kind {
                ExprKind::Define(d) | ExprKind::DefineOf(_, d) => of.get(&d).copied().unwrap_or_else(|| {
                    *circle = true;
                    0
                }),
                _ => 0,
            };
            e.children(&mut |e| most = most.max(height(e, of, circle)));
            most + 1
        }
        let mut circle = false;
        let high = height(&self.level.defines[id.index()].expr, &self.define_heights, &mut circle);
        self.define_heights.insert(id, high.min(MAX_HEIGHT));
        if high > MAX_HEIGHT {
            self.too_deep(id);
        }
        circle
    }

    fn too_deep(&mut self, id: DefineId) {
        let d = &mut self.level.defines[id.index()];
        (d.expr, d.ty) = (Expr::constant(Value::None), Ty::Broken);
        let (name, span) = (d.name.clone(), d.span);
        let text = format!("`{name}` is computed from values that are computed in turn, too many in a row");
        self.error("too-deep", span, text, "let one of them be a variable");
    }

    fn define_circle(&mut self, id: DefineId) {
        let (mut seen, mut todo) = (vec![], vec![id]);
        while let Some(d) = todo.pop() {
            let mut next = vec![];
            self.level.defines[d.index()].expr.walk(&mut |e| {
                if let ExprKind::Define(x) | ExprKind::DefineOf(_, x) = e.kind {
                    next.push(x);
                }
            });
            for x in next {
                if x == id {
                    let d = &mut self.level.defines[id.index()];
                    d.expr = Expr::constant(Value::None);
                    d.ty = Ty::Broken;
                    let (name, span) = (d.name.clone(), d.span);
                    self.error(
                        "circle",
                        span,
                        format!("`{name}` follows from itself"),
                        "break the circle: let one of them be a variable",
                    );
                    return;
                }
                if !seen.contains(&x) {
                    seen.push(x);
                    todo.push(x);
                }
            }
        }
    }

    pub fn fill_messages(&mut self, root: &Node) {
        for n in root.all(K::MESSAGE_DECL) {
            let Some((name, span)) = self.declared(&n) else { continue };
            let Some((Def::Message(id), at)) = self.names.get(&name).copied() else { continue };
            if at != span {
                continue;
            }
            let mut params: Vec<(String, Ty)> = vec![];
            for p in n.child(K::PARAMS).map(|p| p.all(K::PARAM)).unwrap_or_default() {
                let Some((name, span)) = self.declared(&p) else { continue };
                self.refuse_reserved(&name, span);
                let ty = match p.child(K::TYPE) {
                    Some(t) => self.type_of(&t),
                    None => {
                        self.error(
                            "no-type",
                            span,
                            format!("the parameter `{name}` has no type"),
                            format!("write `{name}: number`, say"),
                        );
                        Ty::Broken
                    }
                };
                if params.iter().any(|(n, _)| *n == name) {
                    self.name_taken(span, format!("there are two parameters `{name}`"), "rename one of them");
                    self.gaps.messages.insert(id);
                }
                params.push((name, ty));
            }
            if self.is_broken(&n) || params.iter().any(|(_, ty)| *ty == Ty::Broken) {
                self.gaps.messages.insert(id);
            }
            self.level.messages[id.index()].params = params;
        }
    }
}
