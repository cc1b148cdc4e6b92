//! Declarations' contents: the level's settings, kinds, variables, messages and actors.
//!
//! Invariant: a variable's type is found when it is first asked for, so that the order of declarations
//! does not matter; one that asks for itself is an error.

use super::names::Def;
use super::{Checker, Frame};
use crate::level::*;
use crate::near::nearest;
use crate::syntax::{Kind as K, Node, NodeExt};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;

impl Checker {
    /// `level "T" { rate 20; seed 7; edges closed }`.
    pub fn settings(&mut self, root: &Node) {
        let all: Vec<Node> = root.children().filter(|n| n.kind() == K::LEVEL_DECL).collect();
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
        if let Some(t) = n.tok(K::TEXT) {
            self.level.title = self.plain_text(&t);
        }
        for a in n.all(K::ATTRIBUTE) {
            let span = self.span(&a);
            let value = a.exprs().first().cloned();
            let text = value.as_ref().map(Self::text_of).unwrap_or_default();
            let number = text.replace('_', "").parse::<f64>().ok();
            match a.word().as_str() {
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
                    let help = nearest(word, ["rate", "seed", "edges"].into_iter())
                        .map_or("a level has `rate`, `seed` and `edges`".to_string(), |w| {
                            format!("did you mean `{w}`?")
                        });
                    self.error("unknown-word", span, format!("a level has no `{word}`"), help);
                }
            }
        }
    }

    /// A declared type.
    pub fn type_of(&mut self, n: &Node) -> Ty {
        let words = n.words();
        let span = self.span(n);
        let Some(word) = words.first() else { return Ty::Broken };
        let of_state = word == "state";
        let inner = n.child(K::TYPE).map(|t| if of_state { Ty::Broken } else { self.type_of(&t) });
        let ty = match (word.as_str(), inner) {
            ("list", Some(t)) => Ty::List(Box::new(t)),
            ("set", Some(t)) => Ty::Set(Box::new(t)),
            ("tally", Some(t)) => Ty::Tally(Box::new(t)),
            ("state", Some(_)) => {
                let name = n.child(K::TYPE).map(|t| t.word()).unwrap_or_default();
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
            ("zone", _) => Ty::Zone,
            ("timer", _) => Ty::Timer,
            ("tag", _) => Ty::Tag,
            ("kind", _) => Ty::Kind,
            ("tile", _) => Ty::Tile,
            ("path" | "message", _) => {
                self.unbuilt(span, "paths and messages as types");
                Ty::Broken
            }
            (name, _) => match self.names.get(name).map(|(d, _)| *d) {
                Some(Def::Enum(e)) => Ty::Enum(e),
                Some(Def::Kind(k)) => Ty::Actor(Some(k)),
                Some(Def::Unbuilt) => Ty::Broken,
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
                    ];
                    self.unknown(name, span, "a type", &types.map(String::from));
                    Ty::Broken
                }
            },
        };
        if words.iter().any(|w| w == "none") { ty.or_none() } else { ty }
    }

    /// Every kind: what it is like, its attributes, variables, tags and zones.
    pub fn fill_kinds(&mut self, root: &Node) {
        let nodes: Vec<Node> = root.children().filter(|n| n.kind() == K::KIND_DECL).collect();
        let nodes: Vec<(KindId, Node)> = nodes
            .into_iter()
            .filter_map(|n| {
                let (name, span) = self.declared(&n)?;
                match self.names.get(&name) {
                    Some((Def::Kind(k), at)) if *at == span => Some((*k, n)),
                    _ => None,
                }
            })
            .collect();
        for (id, n) in &nodes {
            let Some(part) = n.part("like") else { continue };
            let (name, span) = (part.word(), self.span(&part));
            match self.names.get(&name).map(|(d, _)| *d) {
                Some(Def::Kind(base)) if self.level.is_kind(base, *id) => {
                    self.error(
                        "circle",
                        span,
                        format!("`{name}` is itself like `{}`", self.level.kinds[id.index()].name),
                        "a kind cannot be like itself",
                    );
                }
                Some(Def::Kind(base)) => self.level.kinds[id.index()].like = Some(base),
                Some(Def::Unbuilt) => {}
                Some(other) => {
                    self.error("no-kind", span, format!("`{name}` is {}, not a kind", other.what()), "name a kind")
                }
                None => self.unknown(&name, span, "a kind", &[]),
            }
        }
        let mut done: Vec<KindId> = vec![];
        while done.len() < nodes.len() {
            let before = done.len();
            for (id, n) in &nodes {
                let like = self.level.kinds[id.index()].like;
                if !done.contains(id) && like.is_none_or(|b| done.contains(&b)) {
                    self.fill_kind(*id, n);
                    done.push(*id);
                }
            }
            if done.len() == before {
                break;
            }
        }
    }

    fn fill_kind(&mut self, id: KindId, n: &Node) {
        if let Some(base) = self.level.kinds[id.index()].like {
            let b = self.level.kinds[base.index()].clone();
            let k = &mut self.level.kinds[id.index()];
            k.steered = b.steered;
            k.attrs = b.attrs;
            k.fields = b.fields;
            k.tags = b.tags;
            k.zones = b.zones;
            k.passes = b.passes;
            self.field_nodes[id.index()] = self.field_nodes[base.index()].iter().map(|_| (None, true)).collect();
        }
        let Some(body) = n.child(K::BODY) else { return };
        for item in body.children() {
            let span = self.span(&item);
            match item.kind() {
                K::VAR_DECL => self.kind_var(id, &item),
                K::TAGS_ITEM => {
                    for t in item.all(K::NAME) {
                        let at = self.span(&t);
                        if let Some(tag) = self.tag_named(&t.word(), at) {
                            self.level.kinds[id.index()].tags.push(tag);
                        }
                    }
                }
                K::ZONE_DECL => {
                    if let Some((name, at)) = self.declared(&item) {
                        if self.member_taken(id, &name, at) {
                            continue;
                        }
                        let zone = self.new_zone(name, Some(id), at, Self::doc_of(&item));
                        self.level.kinds[id.index()].zones.push(zone);
                        self.read_zone(zone, &item);
                    }
                }
                K::ATTRIBUTE => self.kind_attribute(id, &item),
                K::DEFINE_DECL => self.unbuilt(span, "defines in a kind"),
                K::SIGHT_ITEM => self.unbuilt(span, "sights"),
                _ => {}
            }
        }
    }

    pub fn tag_named(&mut self, name: &str, span: Span) -> Option<TagId> {
        match self.names.get(name).map(|(d, _)| *d) {
            Some(Def::Tag(t)) => Some(t),
            Some(other) => {
                self.error("no-tag", span, format!("`{name}` is {}, not a tag", other.what()), "name a tag");
                None
            }
            None => {
                let tags = self.level.tags.clone();
                let help = nearest(name, tags.iter().map(String::as_str))
                    .map_or(format!("declare it with `tag {name}`"), |t| {
                        format!("did you mean `{t}`? Or declare it with `tag {name}`")
                    });
                self.error("unknown-name", span, format!("the tag `{name}` is not declared"), help);
                None
            }
        }
    }

    fn member_taken(&mut self, id: KindId, name: &str, span: Span) -> bool {
        let kind = &self.level.kinds[id.index()];
        let what = if kind.fields.iter().any(|f| f.name == name) {
            "a variable"
        } else if kind.zones.iter().any(|z| self.level.zones[z.index()].name == name) {
            "a zone"
        } else if Attr::named(name).is_some() {
            "an attribute that every actor has"
        } else {
            return false;
        };
        let kind = kind.name.clone();
        self.error("name-taken", span, format!("`{kind}` already has `{name}`: {what}"), "choose another name");
        true
    }

    fn kind_var(&mut self, id: KindId, item: &Node) {
        let Some((name, span)) = self.declared(item) else { return };
        if item.has_word("keep") {
            self.unbuilt(span, "kept variables");
        }
        if self.member_taken(id, &name, span) {
            return;
        }
        if let Some((_, m)) = crate::parser::RESERVED.iter().find(|(w, _)| *w == name) {
            self.error(
                "reserved-word",
                span,
                format!("`{name}` is a word of the language: {m}"),
                format!("choose another name, such as `{name}_1`"),
            );
        }
        let doc = Self::doc_of(item);
        self.level.kinds[id.index()].fields.push(Var {
            name,
            ty: Ty::Broken,
            first: Expr::constant(Value::None),
            bounds: None,
            span,
            doc,
        });
        self.field_nodes[id.index()].push((Some(item.clone()), false));
    }

    fn kind_attribute(&mut self, id: KindId, item: &Node) {
        let word = item.word();
        let span = self.span(item);
        let exprs = item.exprs();
        match word.as_str() {
            "steered" => self.level.kinds[id.index()].steered = true,
            "passes" => {
                for e in &exprs {
                    let (name, at) = (Self::text_of(e), self.span(e));
                    let what = match self.names.get(&name).map(|(d, _)| *d) {
                        Some(Def::Tile(t)) => PassWhat::Tile(t),
                        Some(Def::Kind(k)) => PassWhat::Kind(k),
                        Some(Def::Tag(t)) => PassWhat::Tag(t),
                        Some(other) => {
                            self.error(
                                "no-pass",
                                at,
                                format!("`{name}` is {}", other.what()),
                                "an actor can pass tiles, kinds and tags",
                            );
                            continue;
                        }
                        None => {
                            self.unknown(&name, at, "a tile, a kind or a tag", &[]);
                            continue;
                        }
                    };
                    self.level.kinds[id.index()].passes.push(what);
                }
            }
            "carries" | "falls" => self.unbuilt(span, &format!("kinds with `{word}`")),
            _ => {
                for (attr, value) in self.attribute(&word, &exprs, span, Some(id)) {
                    self.level.kinds[id.index()].attrs.retain(|(a, _)| *a != attr);
                    self.level.kinds[id.index()].attrs.push((attr, value));
                }
            }
        }
    }

    /// `speed 6`, `look "x" amber`, `solid`, `solid false`.
    pub fn attribute(&mut self, word: &str, exprs: &[Node], span: Span, me: Option<KindId>) -> Vec<(Attr, Expr)> {
        let mut f = Frame { me, title: word.to_string(), ..Frame::default() };
        let Some(attr) = Attr::named(word).filter(|a| !matches!(a, Attr::At | Attr::X | Attr::Y)) else {
            let known = Attr::ALL.map(|(n, _)| n);
            let help = nearest(
                word,
                known.into_iter().chain(["steered", "passes", "tags", "var", "zone", "rule", "machine", "sight"]),
            )
            .map_or(
                "a kind holds var, tags, zone, rule, machine, sight and attributes such as speed, look, solid"
                    .to_string(),
                |w| format!("did you mean `{w}`?"),
            );
            self.error("unknown-word", span, format!("an actor has no attribute `{word}`"), help);
            return vec![];
        };
        let ty = Self::attr_type(attr);
        let value = match (exprs.first(), attr) {
            (Some(e), _) => self.expect(e, &ty, &mut f),
            (None, _) if ty == Ty::Flag => Expr { kind: ExprKind::Const(Value::Flag(true)), span },
            (None, _) => {
                self.error(
                    "no-value",
                    span,
                    format!("`{word}` needs a value"),
                    format!("write `{word}` and {}", ty.show(self)),
                );
                return vec![];
            }
        };
        let most = if attr == Attr::Look { 2 } else { 1 };
        if let Some(extra) = exprs.get(most) {
            let at = self.span(extra);
            self.error("too-much", at, format!("`{word}` takes one value"), "take the rest out");
        }
        let mut out = vec![(attr, value)];
        if let (Attr::Look, ExprKind::Const(Value::Text(t))) = (attr, &out[0].1.kind)
            && t.chars().count() != 1
        {
            self.error("bad-look", span, "a look is one character", "write `look \"◉\"`");
        }
        if let Some(colour) = exprs.get(1).filter(|_| attr == Attr::Look) {
            let colour = self.expect(colour, &Ty::Enum(EnumId::COLOUR), &mut f);
            out.push((Attr::Colour, colour));
        }
        out
    }

    pub fn attr_type(attr: Attr) -> Ty {
        match attr {
            Attr::At | Attr::Size => Ty::Point,
            Attr::X | Attr::Y | Attr::Speed => Ty::Number,
            Attr::Facing => Ty::Enum(EnumId::DIRECTION),
            Attr::Look => Ty::Text,
            Attr::Colour => Ty::Enum(EnumId::COLOUR),
            _ => Ty::Flag,
        }
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
            let name = self.consts[i].node.child(K::NAME).map_or(String::new(), |n| n.word());
            self.level.consts.push((name, value, ty));
        }
    }

    /// Type, first value and bounds of a `var` line.
    fn first_value(&mut self, node: &Node, name: &str, me: Option<KindId>) -> (Ty, Expr, Option<(f64, f64)>) {
        let mut f = Frame { me, title: name.to_string(), ..Frame::default() };
        let declared = node.child(K::TYPE).map(|t| self.type_of(&t));
        let Some(value) = node.exprs().first().cloned() else {
            return (declared.unwrap_or(Ty::Broken), Expr::constant(Value::None), None);
        };
        let (ty, first) = match declared {
            Some(ty) => {
                let e = self.expect(&value, &ty, &mut f);
                (ty, e)
            }
            None => {
                let (e, ty) = self.expr(&value, None, &mut f);
                let open = matches!(&ty, Ty::Nothing)
                    || matches!(&ty, Ty::List(t) | Ty::Set(t) | Ty::Tally(t) if **t == Ty::Broken);
                if open {
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

    /// A table's type; its rows are read when it is first asked for.
    pub fn table_type(&mut self, id: TableId) -> Ty {
        let (node, done) = self.table_nodes[id.index()].clone();
        if !done {
            self.table_nodes[id.index()].1 = true;
            let name = self.level.tables[id.index()].name.clone();
            let mut f = Frame { title: name.clone(), ..Frame::default() };
            let mut of = node.child(K::TYPE).map(|t| self.type_of(&t));
            let mut rows = vec![];
            for row in node.all(K::TABLE_ROW) {
                let exprs = row.exprs();
                let [value, weight] = exprs.as_slice() else {
                    let span = self.span(&row);
                    self.error("bad-row", span, "a row of a table is a value and its weight", "write `eel 9`");
                    continue;
                };
                let (v, ty) = self.expr(value, of.as_ref(), &mut f);
                match &of {
                    None => of = Some(ty),
                    Some(t) if !ty.fits(t, self) => {
                        let (is, want) = (ty.show(self), t.show(self));
                        self.error(
                            "wrong-type",
                            v.span,
                            format!("this row is {is}, the others are {want}"),
                            "a table's values are of one type",
                        );
                    }
                    Some(_) => {}
                }
                let w = self.expect(weight, &Ty::Number, &mut f);
                rows.push((v, w));
            }
            if rows.is_empty() {
                let span = self.declared(&node).map_or_else(|| self.span(&node), |(_, s)| s);
                self.error(
                    "empty",
                    span,
                    format!("the table `{name}` has no rows"),
                    "write `eel 9; perch 4` between its braces",
                );
            }
            let t = &mut self.level.tables[id.index()];
            t.of = of.unwrap_or(Ty::Broken);
            t.rows = rows;
        }
        Ty::Table(Box::new(self.level.tables[id.index()].of.clone()))
    }

    pub fn fill_tables(&mut self) {
        for i in 0..self.level.tables.len() {
            self.table_type(TableId::at(i));
        }
    }

    pub fn define_type(&mut self, id: DefineId) -> Ty {
        let (node, done) = self.define_nodes[id.index()].clone();
        if !done {
            self.define_nodes[id.index()].1 = true;
            let name = self.level.defines[id.index()].name.clone();
            let mut f = Frame { title: name, ..Frame::default() };
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
                self.define_circle(id);
            }
        }
        self.level.defines[id.index()].ty.clone()
    }

    /// A define that asks for itself, by whatever way.
    fn define_circle(&mut self, id: DefineId) {
        let (mut seen, mut todo) = (vec![], vec![id]);
        while let Some(d) = todo.pop() {
            let mut next = vec![];
            self.level.defines[d.index()].expr.walk(&mut |e| {
                if let ExprKind::Define(x) = e.kind {
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
        for n in root.children().filter(|n| n.kind() == K::MESSAGE_DECL) {
            let Some((name, span)) = self.declared(&n) else { continue };
            let Some((Def::Message(id), at)) = self.names.get(&name).copied() else { continue };
            if at != span {
                continue;
            }
            let mut params: Vec<(String, Ty)> = vec![];
            for p in n.child(K::PARAMS).map(|p| p.all(K::PARAM)).unwrap_or_default() {
                let Some((name, span)) = self.declared(&p) else { continue };
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
                    self.error("name-taken", span, format!("there are two parameters `{name}`"), "rename one of them");
                }
                params.push((name, ty));
            }
            self.level.messages[id.index()].params = params;
        }
    }

    /// Names every actor first, so that any expression can name any of them; then reads the rest.
    pub fn fill_actors(&mut self, root: &Node) {
        let places: Vec<Node> = root.children().filter(|n| n.kind() == K::PLACE_DECL).collect();
        for n in &places {
            self.name_actors(n);
        }
        let mut next = 0;
        for n in &places {
            next = self.fill_place(n, next);
        }
    }

    fn name_actors(&mut self, n: &Node) {
        let named = self.declared(n);
        let Some(kind_node) = n.exprs().first().cloned() else { return };
        let kind_name = Self::text_of(&kind_node);
        // A broken kind still takes its number, so that the numbers of the others are right.
        let kind = match self.names.get(&kind_name) {
            Some((Def::Kind(k), _)) => *k,
            _ => KindId(0),
        };
        for p in n.part_node("at").map(|p| p.exprs()).unwrap_or_default() {
            let name = match &named {
                Some((name, _)) => name.clone(),
                None => {
                    let prefix = format!("{kind_name}#");
                    let n = self.level.actors.iter().filter(|a| a.name.starts_with(&prefix)).count() + 1;
                    format!("{prefix}{n}")
                }
            };
            let span = named.as_ref().map_or_else(|| self.span(&p), |(_, s)| *s);
            self.level.actors.push(Actor { name, kind, at: Point::main(0.0, 0.0), facing: 2, overrides: vec![], span });
        }
    }

    fn fill_place(&mut self, n: &Node, mut next: usize) -> usize {
        let named = self.declared(n);
        let Some(kind_node) = n.exprs().first().cloned() else { return next };
        let (kind_name, kind_span) = (Self::text_of(&kind_node), self.span(&kind_node));
        if let Some(p) = n.part_node("in") {
            let span = self.span(&p);
            self.unbuilt(span, "areas");
        }
        let kind = match self.names.get(&kind_name).map(|(d, _)| *d) {
            Some(Def::Kind(k)) => Some(k),
            Some(Def::Unbuilt) => None,
            Some(other) => {
                self.error(
                    "no-kind",
                    kind_span,
                    format!("`{kind_name}` is {}, not a kind", other.what()),
                    "write `place name: kind at (x, y)`, or `place kind at (x, y)`",
                );
                None
            }
            None => {
                let kinds: Vec<String> = self.level.kinds.iter().map(|k| k.name.clone()).collect();
                let help = nearest(&kind_name, kinds.iter().map(String::as_str))
                    .map_or(format!("declare it: `kind {kind_name} {{ }}`"), |k| format!("did you mean `{k}`?"));
                self.error("unknown-name", kind_span, format!("there is no kind `{kind_name}`"), help);
                None
            }
        };
        let points = n.part_node("at").map(|p| p.exprs()).unwrap_or_default();
        if let (Some((name, span)), true) = (&named, points.len() > 1) {
            self.error(
                "two-places",
                *span,
                format!("`{name}` is placed more than once"),
                "a named actor stands at one point; leave the name out to place several",
            );
        }
        let mut f = Frame { me: kind, title: kind_name.clone(), ..Frame::default() };
        let facing = n.part("facing").map_or(2, |e| match self.constant(&e, &Ty::Enum(EnumId::DIRECTION)) {
            Some(Value::Enum(_, d)) => d,
            _ => 2,
        });
        let overrides = n.child(K::BODY).map(|b| self.overrides(&b, kind, &mut f)).unwrap_or_default();
        for p in points {
            let at = match self.constant(&p, &Ty::Point) {
                Some(Value::Point(at)) => at,
                _ => Point::main(0.0, 0.0),
            };
            let span = self.span(&p);
            let area = &self.level.areas[0];
            let (x, y) = at.cell();
            if area.width > 0
                && self.level.edges != Edges::Open
                && !((0..area.width as i64).contains(&x) && (0..area.height as i64).contains(&y))
            {
                let (w, h) = (area.width - 1, area.height - 1);
                self.error(
                    "off-the-map",
                    span,
                    format!("({}, {}) lies off the map", value::show_number(at.x), value::show_number(at.y)),
                    format!("the map goes from (0, 0) to ({w}, {h})"),
                );
            }
            if let Some(a) = self.level.actors.get_mut(next) {
                a.at = at;
                a.facing = facing;
                a.overrides = overrides.clone();
            }
            next += 1;
        }
        next
    }

    /// `{ oil = 4; speed 8 }` of a `place` or a `spawn`.
    pub fn overrides(&mut self, body: &Node, kind: Option<KindId>, f: &mut Frame) -> Vec<Override> {
        let mut out = vec![];
        for item in body.children() {
            let span = self.span(&item);
            if item.kind() == K::ATTRIBUTE {
                let me = f.me;
                out.extend(
                    self.attribute(&item.word(), &item.exprs(), span, me)
                        .into_iter()
                        .map(|(a, e)| Override::Attr(a, e)),
                );
                continue;
            }
            let exprs = item.exprs();
            let [target, value] = exprs.as_slice() else { continue };
            let name = Self::text_of(target);
            let at = self.span(target);
            let Some(kind) = kind else { continue };
            let k = &self.level.kinds[kind.index()];
            if let Some(i) = k.fields.iter().position(|v| v.name == name) {
                let ty = self.field_type(kind, FieldId::at(i));
                let e = self.expect(value, &ty, f);
                out.push(Override::Field(FieldId::at(i), e));
            } else if let Some(attr) = Attr::named(&name) {
                let e = self.expect(value, &Self::attr_type(attr), f);
                out.push(Override::Attr(attr, e));
            } else {
                let (kind_name, known): (String, Vec<String>) =
                    (k.name.clone(), k.fields.iter().map(|v| v.name.clone()).collect());
                let help = nearest(&name, known.iter().map(String::as_str).chain(Attr::ALL.iter().map(|(n, _)| *n)))
                    .map_or(format!("declare it in `kind {kind_name}`"), |n| format!("did you mean `{n}`?"));
                self.error("unknown-name", at, format!("`{kind_name}` has no `{name}`"), help);
            }
        }
        out
    }
}
