//! Kinds: what each is like, its attributes, variables, tags and zones.
//!
//! Invariant: a kind is filled after the kind that it is like; what it inherits stands first.

use super::names::Def;
use super::{Checker, Frame};
use crate::ast::{self, AstNode};
use crate::diagnostic::Diagnostic;
use crate::level::*;
use crate::syntax::{Element, Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;

/// How many kinds may be like each other in a row.
const MAX_LIKE: usize = 64;

impl Checker {
    /// The kind that a declaration declares.
    pub fn kind_at(&self, n: &Node) -> Option<KindId> {
        let (name, _) = self.declared(n)?;
        match self.names.get(&name) {
            Some((Def::Kind(k), _)) => Some(*k),
            _ => None,
        }
    }

    /// Every kind: what it is like, its attributes, variables, tags and zones.
    pub fn fill_kinds(&mut self, root: &Node) {
        let nodes: Vec<Node> = root.all(K::KIND_DECL);
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
            if self.is_broken(n) {
                self.gaps.kinds.insert(*id);
            }
            let Some(part) = ast::KindDecl::cast(n).and_then(|k| k.like()) else { continue };
            let (name, span) = (part.word(), self.span(&part));
            match self.names.get(name).map(|(d, _)| *d) {
                Some(Def::Kind(base)) if self.depth_of(base) >= MAX_LIKE => {
                    let kind = self.level.kinds[id.index()].name.clone();
                    self.error(
                        "too-deep",
                        span,
                        format!("`{kind}` is the end of more than {MAX_LIKE} kinds that are like each other"),
                        "let some of them be like one that stands earlier in the row",
                    );
                }
                Some(Def::Kind(base)) if self.level.is_kind(base, *id) => {
                    self.error(
                        "circle",
                        span,
                        format!("`{name}` is itself like `{}`", self.level.kinds[id.index()].name),
                        "a kind cannot be like itself",
                    );
                }
                Some(Def::Kind(base)) => self.level.kinds[id.index()].like = Some(base),
                Some(other) => {
                    self.error("no-kind", span, format!("`{name}` is {}, not a kind", other.what()), "name a kind")
                }
                None => {
                    self.gaps.kinds.insert(*id);
                    self.unknown(name, span, "a kind", &[]);
                }
            }
        }
        // Those that are like nobody first, then those that are like them, and so on.
        let mut nodes: Vec<(usize, KindId, Node)> =
            nodes.into_iter().map(|(id, n)| (self.depth_of(id), id, n)).collect();
        nodes.sort_by_key(|(depth, _, _)| *depth);
        for (_, id, n) in &nodes {
            self.fill_kind(*id, n);
        }
    }

    /// How many kinds a kind is like, one by way of the other.
    fn depth_of(&self, id: KindId) -> usize {
        let (mut depth, mut at) = (0, self.level.kinds[id.index()].like);
        while let Some(base) = at.filter(|_| depth <= MAX_LIKE) {
            depth += 1;
            at = self.level.kinds[base.index()].like;
        }
        depth
    }

    pub fn fill_kind(&mut self, id: KindId, n: &Node) {
        if let Some(base) = self.level.kinds[id.index()].like {
            let b = self.level.kinds[base.index()].clone();
            let k = &mut self.level.kinds[id.index()];
            (k.steered, k.of_zones) = (b.steered, b.of_zones);
            k.attrs = b.attrs;
            k.fields = b.fields;
            k.tags = b.tags;
            k.zones = b.zones;
            k.passes = b.passes;
            (k.sights, k.carries, k.falls, k.defines, k.listed) = (b.sights, b.carries, b.falls, b.defines, b.listed);
            self.field_nodes[id.index()] = self.field_nodes[base.index()].iter().map(|_| (None, true)).collect();
        }
        let Some(body) = n.child(K::BODY) else { return };
        let mut own_sight = false;
        for item in body.children() {
            match item.kind() {
                K::VAR_DECL => self.kind_var(id, &item),
                K::TAGS_ITEM => {
                    for t in item.all(K::NAME) {
                        let at = self.span(&t);
                        if let Some(tag) = self.tag_named(t.word(), at) {
                            self.level.kinds[id.index()].tags.push(tag);
                        }
                    }
                }
                K::ZONE_DECL => {
                    if let Some((name, at)) = self.declared(&item) {
                        if self.member_taken(id, &name, at) {
                            continue;
                        }
                        self.refuse_reserved(&name, at);
                        let zone = self.new_zone(name, Some(id), at, Self::doc_of(&item));
                        self.level.kinds[id.index()].zones.push(zone);
                        self.read_zone(zone, &item);
                    }
                }
                K::ATTRIBUTE => self.kind_attribute(id, &item),
                K::DEFINE_DECL => self.kind_define(id, &item),
                K::SIGHT_ITEM => {
                    // A sight of its own takes the place of what it inherits.
                    if !std::mem::replace(&mut own_sight, true) {
                        self.level.kinds[id.index()].sights.clear();
                    }
                    let sight = self.sight(&item);
                    self.level.kinds[id.index()].sights.extend(sight);
                }
                _ => {}
            }
        }
    }

    /// `define late = self.left < 3`: a value that follows, for each of its actors or zones.
    fn kind_define(&mut self, kind: KindId, item: &Node) {
        let Some((name, span)) = self.declared(item) else { return };
        self.refuse_reserved(&name, span);
        if self.member_taken(kind, &name, span) {
            return;
        }
        let id = DefineId::at(self.level.defines.len());
        self.level.defines.push(Define {
            name,
            of: Some(kind),
            ty: Ty::Broken,
            expr: Expr::constant(Value::None),
            span,
        });
        self.define_nodes.push((item.clone(), false));
        let k = &mut self.level.kinds[kind.index()];
        k.defines.push(id);
        k.listed.push(OfKind::Define(id));
    }

    /// `sight wedge 90 reach 6`, `sight cells ahead 3 left 1 right 1`, `sight all reach 4`.
    pub fn sight(&mut self, item: &Node) -> Option<Sight> {
        let span = self.span(item);
        let mut numbers: Vec<(String, f64)> = vec![];
        let mut word = String::new();
        for e in item.children_with_tokens() {
            match e {
                Element::Token(t) if t.kind() == K::IDENT => word = t.text().to_string(),
                Element::Node(n) if n.kind().is_expr() => {
                    if let Some(Value::Number(v)) = self.constant(&n, &Ty::Number) {
                        numbers.push((std::mem::take(&mut word), v));
                    } else {
                        return None;
                    }
                }
                _ => {}
            }
        }
        let get = |name: &str| numbers.iter().find(|(n, _)| n == name).map(|(_, v)| *v).filter(|v| *v >= 0.0);
        let known: &[&str] = match item.words().get(1).copied() {
            Some("wedge") => &["wedge", "reach"],
            Some("cells") => &["ahead", "left", "right"],
            Some("all") => &["reach"],
            _ => &[],
        };
        let sight = match (known.first(), item.words().get(1).copied()) {
            (_, Some("wedge")) => get("wedge")
                .zip(get("reach"))
                .filter(|(d, _)| *d <= 360.0)
                .map(|(degrees, reach)| Sight::Wedge { degrees, reach }),
            (_, Some("cells")) => get("ahead").map(|ahead| Sight::Cells {
                ahead: ahead as i64,
                left: get("left").unwrap_or(0.0) as i64,
                right: get("right").unwrap_or(0.0) as i64,
            }),
            (_, Some("all")) => get("reach").map(|reach| Sight::All { reach }),
            _ => None,
        };
        if sight.is_none() || numbers.iter().any(|(n, _)| !known.contains(&n.as_str())) {
            self.error(
                "bad-sight",
                span,
                "this sight is not understood",
                "write `sight wedge 90 reach 6`, `sight cells ahead 3 left 1 right 1` or `sight all reach 4`",
            );
            return None;
        }
        sight
    }

    pub fn tag_named(&mut self, name: &str, span: Span) -> Option<TagId> {
        match self.names.get(name).map(|(d, _)| *d) {
            Some(Def::Tag(t)) => Some(t),
            Some(other) => {
                self.error("no-tag", span, format!("`{name}` is {}, not a tag", other.what()), "name a tag");
                None
            }
            None => {
                let help = self
                    .near(name, self.level.tags.iter().map(String::as_str))
                    .map_or(format!("declare it with `tag {name}`"), |t| {
                        format!("did you mean `{t}`? Or declare it with `tag {name}`")
                    });
                self.error("unknown-name", span, format!("the tag `{name}` is not declared"), help);
                None
            }
        }
    }

    pub fn member_taken(&mut self, id: KindId, name: &str, span: Span) -> bool {
        let kind = &self.level.kinds[id.index()];
        let zone = kind.zones.iter().map(|z| &self.level.zones[z.index()]).find(|z| z.name == name);
        let define = kind.defines.iter().map(|d| &self.level.defines[d.index()]).find(|d| d.name == name);
        let (what, other) = if let Some(v) = kind.fields.iter().find(|f| f.name == name) {
            ("a variable", Some(v.span))
        } else if let Some(z) = zone {
            ("a zone", Some(z.span))
        } else if let Some(d) = define {
            ("a defined value", Some(d.span))
        } else if Attr::named(name).is_some() {
            ("an attribute that every actor has", None)
        } else {
            return false;
        };
        let message = format!("`{}` already has `{name}`: {what}", kind.name);
        let mut d = Diagnostic::error("name-taken", span, message, "choose another name");
        d.twice = true;
        if let Some(at) = other {
            d = d.and(at, "the other is declared here");
        }
        self.diagnostics.push(d);
        true
    }

    pub fn kind_var(&mut self, id: KindId, item: &Node) {
        let Some((name, span)) = self.declared(item) else { return };
        if self.member_taken(id, &name, span) {
            return;
        }
        self.refuse_reserved(&name, span);
        let doc = Self::doc_of(item);
        let k = &mut self.level.kinds[id.index()];
        k.listed.push(OfKind::Var(FieldId::at(k.fields.len())));
        k.fields.push(Var {
            name,
            ty: Ty::Broken,
            first: Expr::constant(Value::None),
            bounds: None,
            keep: item.has_word("keep"),
            span,
            doc,
        });
        self.field_nodes[id.index()].push((Some(item.clone()), false));
    }

    pub fn kind_attribute(&mut self, id: KindId, item: &Node) {
        let word = item.word();
        let span = self.span(item);
        let exprs = item.exprs();
        if word.is_empty() || self.takes_too_much(word, &exprs) {
            return;
        }
        match word {
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
            "carries" => {
                for e in &exprs {
                    let who = self.whom(e);
                    self.level.kinds[id.index()].carries.extend(who);
                }
            }
            "falls" => match exprs.first().and_then(|e| self.constant(e, &Ty::Number)) {
                Some(Value::Number(n)) if n >= 0.0 => self.level.kinds[id.index()].falls = Some(n),
                _ => self.error("no-value", span, "how fast it falls is missing", "write `falls 9`: cells a second"),
            },
            _ => {
                for (attr, value) in self.attribute(word, &exprs, span, Some(id)) {
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
            let others = ["steered", "passes", "tags", "var", "zone", "rule", "machine", "sight"];
            let near = self.near(word, Attr::ALL.iter().map(|(n, _)| *n).chain(others));
            self.no_such(
                "unknown-word",
                span,
                format!("an actor has no attribute `{word}`"),
                near,
                "a kind holds var, tags, zone, rule, machine, sight and attributes such as speed, look, solid"
                    .to_string(),
            );
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
        self.refuse_too_large(attr, &value);
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

    /// More values than an attribute takes. Which of them is one too many is not known, so nothing more is said of any.
    pub fn takes_too_much(&mut self, word: &str, exprs: &[Node]) -> bool {
        let (most, what) = match word {
            "passes" | "carries" => return false,
            "look" => (2, "a character and a colour"),
            _ => (1, "one value"),
        };
        let Some(extra) = exprs.get(most) else { return false };
        let at = self.span(extra);
        self.error("too-much", at, format!("`{word}` takes {what}"), "take the rest out");
        true
    }

    /// A side or a speed that no actor can have.
    fn refuse_too_large(&mut self, attr: Attr, e: &Expr) {
        let (n, most, help) = match (attr, &e.kind) {
            (Attr::Size, ExprKind::Const(Value::Point(p))) => {
                (p.x.max(p.y), value::MAX_SIZE, "a side has at most 1000 cells")
            }
            (Attr::Speed, ExprKind::Const(Value::Number(n))) => {
                (*n, value::MAX_SPEED, "a speed is at most 100,000 cells a second")
            }
            _ => return,
        };
        if n > most {
            self.error("too-large", e.span, format!("{} is too large", number::show_short(n)), help);
        }
    }

    pub fn attr_type(attr: Attr) -> Ty {
        match attr {
            Attr::At | Attr::Size => Ty::Point,
            Attr::X | Attr::Y | Attr::Speed => Ty::Number,
            Attr::Facing => Ty::Enum(EnumId::DIRECTION),
            Attr::Look => Ty::Text,
            Attr::Colour => Ty::Enum(EnumId::COLOUR),
            Attr::Solid | Attr::Opaque | Attr::Visible | Attr::Tangible | Attr::Enabled => Ty::Flag,
        }
    }
}
