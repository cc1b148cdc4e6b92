//! Members: what stands after a dot, of an enum, a timer, an actor or a point.
//!
//! Invariant: an attribute is found before a variable, a variable before a zone, a zone before a machine;
//! no kind has two of one name.

use super::names::{Def, listed};
use super::proposals::Declared;
use super::{Checker, Frame};
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;

impl Checker {
    pub fn member(&mut self, n: &Node, f: &mut Frame) -> (Expr, Ty) {
        let span = self.span(n);
        let Some(base) = n.expr() else { return self.broken(span) };
        let Some((name, at)) = self.declared(n) else { return self.broken(span) };
        let word = base.word();
        if base.kind() == K::NAME_EXPR && f.find(word).is_none() {
            match self.names.get(word).map(|(d, _)| *d) {
                Some(Def::Enum(e)) => return self.enum_value(e, &name, at, span),
                Some(Def::Clock(c)) => return self.clock_member(c, &name, at, span),
                _ => {}
            }
        }
        let (e, ty) = self.expr(&base, Some(&Ty::Actor(None)), f);
        let object = Box::new(e);
        let kind = match ty.inner().clone() {
            Ty::Timer if name == "left" => (ExprKind::TimerLeft(object), Ty::Duration),
            Ty::Timer if name == "running" => (ExprKind::TimerRunning(object), Ty::Flag),
            Ty::Timer => {
                self.error("unknown-name", at, format!("a timer has no `{name}`"), "a timer has `left` and `running`");
                return self.broken(span);
            }
            Ty::Record(r) => {
                let columns = self.level.records[r as usize].columns.clone();
                let Some(i) = columns.iter().position(|(n, _)| *n == name) else {
                    let names = || columns.iter().map(|(n, _)| n.as_str());
                    let (near, all) = (self.near(&name, names()), listed(names()));
                    self.no_such(
                        "unknown-name",
                        at,
                        format!("a row of these records has no `{name}`"),
                        near,
                        format!("it has {all}"),
                    );
                    return self.broken(span);
                };
                let index = Expr { kind: ExprKind::Const(Value::Number(i as f64)), span: at };
                (ExprKind::Index(object, Box::new(index)), columns[i].1.clone())
            }
            Ty::Zone(kind) => return self.zone_member(*object, kind, &name, at, span, &Self::text_of(&base)),
            Ty::Actor(kind) => {
                let text = Self::text_of(&base);
                return match self.known_kind(&text, kind, f).filter(|_| Attr::named(&name).is_none()) {
                    Some(k) => {
                        self.known_as(&object, k);
                        self.kind_member(Self::taken_as(*object, k), k, &name, at, span)
                    }
                    None => self.actor_member(*object, kind, &name, at, span, &text),
                };
            }
            Ty::Point if name == "x" || name == "y" => (ExprKind::Axis(object, name == "y"), Ty::Number),
            Ty::Broken => return self.broken(span),
            Ty::Kind => {
                self.error(
                    "kind-for-actor",
                    span,
                    format!("`{word}` is a kind here, not one of its actors"),
                    format!("name an actor; ask whether one is so: `some({word} where …)`; or take each: `for x in all {word} {{ … }}`. An event of this rule that names a {word} makes it one actor"),
                );
                return self.broken(span);
            }
            other => {
                let shown = other.show(self);
                self.error(
                    "unknown-name",
                    at,
                    format!("`{}` is {shown} and has no `{name}`", Self::text_of(&base)),
                    "take the member out",
                );
                return self.broken(span);
            }
        };
        (Expr { kind: kind.0, span }, kind.1)
    }

    pub fn enum_value(&mut self, e: EnumId, name: &str, at: Span, span: Span) -> (Expr, Ty) {
        match self.enum_value_named(e, name) {
            Some(v) => (Expr { kind: ExprKind::Const(Value::Enum(e, v)), span }, Ty::Enum(e)),
            None => {
                let crate::level::Enum { name: enum_name, values, .. } = &self.level.enums[e.index()];
                let values = || values.iter().map(String::as_str);
                let (near, all, enum_name) = (self.near(name, values()), listed(values()), enum_name.clone());
                self.no_such(
                    "unknown-name",
                    at,
                    format!("`{enum_name}` has no `{name}`"),
                    near,
                    format!("it has {all}"),
                );
                self.broken(span)
            }
        }
    }

    /// `weir_pool.yields`, `weir_pool.enabled`.
    fn zone_member(
        &mut self,
        object: Expr,
        kind: Option<KindId>,
        name: &str,
        at: Span,
        span: Span,
        base: &str,
    ) -> (Expr, Ty) {
        if name == "enabled" {
            return (Expr { kind: ExprKind::Attr(Box::new(object), Attr::Enabled), span }, Ty::Flag);
        }
        if let (Some(k), None) = (kind, Attr::named(name)) {
            return self.kind_member(object, k, name, at, span);
        }
        if self.gaps.zones.contains(base) {
            return self.broken(span);
        }
        let help = match kind {
            Some(_) => "a zone has `enabled`, and what its kind declares".to_string(),
            None => format!("declare a kind of zones with `{name}`, and give the zone that kind"),
        };
        self.error("unknown-name", at, format!("`{base}` is a zone and has no `{name}`"), help);
        self.broken(span)
    }

    pub fn actor_member(
        &mut self,
        object: Expr,
        kind: Option<KindId>,
        name: &str,
        at: Span,
        span: Span,
        base: &str,
    ) -> (Expr, Ty) {
        if let Some(attr) = Attr::named(name) {
            return (Expr { kind: ExprKind::Attr(Box::new(object), attr), span }, Self::attr_type(attr));
        }
        if let Some(k) = kind {
            return self.kind_member(object, k, name, at, span);
        }
        let with = self.kinds_with(name);
        if let [k] = with[..] {
            self.known_as(&object, k);
            return self.kind_member(Self::taken_as(object, k), k, name, at, span);
        }
        let names: Vec<&str> = with.iter().map(|k| self.level.kinds[k.index()].name.as_str()).collect();
        let message = format!("of which kind `{base}` is, is not known here, so it has no `{name}`");
        let help = match names.first() {
            Some(first) => format!("{} have one each: ask first, `if {base} is {first}`", names.join(", ")),
            None => "no kind has one; an actor has attributes such as x, y, facing".to_string(),
        };
        self.error("unknown-kind", at, message, help);
        self.broken(span)
    }

    /// What a kind declares for each of its actors or zones.
    fn kind_member(&mut self, object: Expr, k: KindId, name: &str, at: Span, span: Span) -> (Expr, Ty) {
        let object = Box::new(object);
        let define =
            self.level.kinds[k.index()].defines.iter().find(|d| self.level.defines[d.index()].name == name).copied();
        if let Some(d) = define {
            let ty = self.define_type(d);
            return (Expr { kind: ExprKind::DefineOf(object, d), span }, ty);
        }
        if let Some(i) = self.level.kinds[k.index()].fields.iter().position(|v| v.name == name) {
            let ty = self.field_type(k, FieldId::at(i));
            let declaring = super::used::declaring(&self.level, k, FieldId::at(i));
            self.used.field(span, object.span, declaring, FieldId::at(i));
            return (Expr { kind: ExprKind::Field(object, FieldId::at(i)), span }, ty);
        }
        if let Some(z) = self.level.kinds[k.index()].zones.iter().find(|z| self.level.zones[z.index()].name == name) {
            return (Expr { kind: ExprKind::ZoneOf(object, *z), span }, Ty::Zone(None));
        }
        if let Some(m) =
            self.level.kinds[k.index()].machines.iter().find(|m| self.level.machines[m.index()].name == name)
        {
            return (Expr { kind: ExprKind::MachineState(*m, Some(object)), span }, Ty::State(*m));
        }
        let is_lost = |x: &KindId| self.level.is_kind(k, *x);
        if self.gaps.machines.contains(name) || self.gaps.kinds.iter().any(is_lost) {
            return self.broken(span);
        }
        let kind_name = &self.level.kinds[k.index()].name;
        let help = match self.near_declared(Declared::OfKind(k), name) {
            Some(near) => format!("did you mean `{near}`?"),
            None => format!("declare it in `kind {kind_name}`: `var {name} = …`"),
        };
        self.error("unknown-name", at, format!("`{kind_name}` has no `{name}`"), help);
        self.broken(span)
    }
}
