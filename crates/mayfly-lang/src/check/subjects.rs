//! Who and what an event speaks of: actors, kinds, tags, zones, tiles, ranges and states, and the names
//! that they bind.
//!
//! Invariant: a name given twice in one event is the same actor, so it has one slot.

use super::events::Bound;
use super::names::Def;
use super::proposals::Declared;
use super::{Checker, Frame};
use crate::diagnostic::{Diagnostic, Fix};
use crate::level::*;
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;

impl Checker {
    /// The slot of a name that an event binds: the rule's own where another `when` gave it already.
    pub fn bind(&mut self, name: &str, ty: &Ty, span: Span, f: &mut Frame, bound: &mut Bound) -> Slot {
        if let Some(entry) = bound.names.iter_mut().find(|(n, _, _)| n == name) {
            if entry.1 == Ty::Actor(None) {
                entry.1 = ty.clone();
            }
        } else {
            bound.names.push((name.to_string(), ty.clone(), span));
        }
        if let Some(slot) = f.find(name) {
            let joined = match (&f.slots[slot as usize].1, ty) {
                (a, b) if a == b => a.clone(),
                (Ty::Actor(Some(a)), Ty::Actor(Some(b))) if self.level.is_kind(*b, *a) => Ty::Actor(Some(*a)),
                (Ty::Actor(_), Ty::Actor(_)) => Ty::Actor(None),
                (a, _) => a.clone(),
            };
            f.slots[slot as usize].1 = joined;
            return slot;
        }
        f.declare(name, ty.clone(), span)
    }

    /// WHO of an event.
    pub fn who(&mut self, n: &Node, f: &mut Frame, bound: &mut Bound) -> Who {
        let nobody = Who { set: WhoSet::Any, bind: None };
        let Some(e) = n.expr() else { return nobody };
        let (name, span) = (Self::text_of(&e), self.span(&e));
        let called = self.declared(n);
        let (set, ty, own) = match name.as_str() {
            "any" => (WhoSet::Any, Ty::Actor(None), None),
            "self" if f.me.is_some() => (WhoSet::Myself, Ty::Actor(f.me), None),
            _ if f.waiting && f.find(&name).is_some() => {
                let slot = f.find(&name).unwrap_or(0);
                let ty = f.slots[slot as usize].1.clone();
                (WhoSet::Held(Box::new(Expr { kind: ExprKind::Local(slot), span })), ty, None)
            }
            _ if bound.names.iter().any(|(n, _, _)| *n == name) && f.find(&name).is_some() => {
                let ty = f.slots[f.find(&name).unwrap_or(0) as usize].1.clone();
                let set = match self.names.get(&name).map(|(d, _)| *d) {
                    Some(Def::Kind(k)) => WhoSet::Kind(k),
                    Some(Def::Tag(t)) => WhoSet::Tag(t),
                    _ => WhoSet::Any,
                };
                (set, ty, Some(name.clone()))
            }
            _ => match self.names.get(&name).map(|(d, _)| *d) {
                Some(Def::Kind(k)) => (WhoSet::Kind(k), Ty::Actor(Some(k)), Some(name.clone())),
                Some(Def::Tag(t)) => (WhoSet::Tag(t), Ty::Actor(None), Some(name.clone())),
                Some(Def::Actor(a)) => {
                    let kind = self.actor_kind(a);
                    (WhoSet::Actor(a), Ty::Actor(kind), None)
                }
                _ => {
                    let (e, ty) = self.expr(&e, Some(&Ty::Actor(None)), f);
                    match ty.inner() {
                        Ty::Actor(k) => match e.kind {
                            ExprKind::Const(Value::Actor(a)) => (WhoSet::Actor(a), Ty::Actor(*k), None),
                            _ => (WhoSet::Held(Box::new(e)), Ty::Actor(*k), None),
                        },
                        Ty::Kind | Ty::Tag => (WhoSet::Held(Box::new(e)), Ty::Actor(None), None),
                        Ty::Broken => return nobody,
                        other => {
                            let shown = other.show(self);
                            self.error(
                                "no-one",
                                span,
                                format!("`{name}` is {shown}; events are about actors"),
                                "name an actor, a kind, a tag, `any` or `self`",
                            );
                            return nobody;
                        }
                    }
                }
            },
        };
        let bind = match (called, own) {
            (Some((name, span)), _) => {
                if self.names.contains_key(&name) {
                    self.name_taken(span, format!("`{name}` is declared already"), "choose another name after `as`");
                }
                self.refuse_reserved(&name, span);
                Some(self.bind(&name, &ty, span, f, bound))
            }
            (None, Some(name)) => Some(self.bind(&name, &ty, span, f, bound)),
            (None, None) => None,
        };
        Who { set, bind }
    }

    /// ZONE of an event: a zone of the level, or that of an actor (`lamp.glow`, `self.glow`).
    pub fn which_zone(&mut self, n: &Node, f: &mut Frame, bound: &mut Bound) -> Option<ZoneWhich> {
        let e = n.expr()?;
        let span = self.span(&e);
        if e.kind() == K::MEMBER_EXPR {
            let base = e.expr()?;
            let (name, at) = self.declared(&e)?;
            let base_name = Self::text_of(&base);
            let (who, kind) = match self.names.get(&base_name).map(|(d, _)| *d) {
                Some(Def::Kind(k)) if !(f.waiting && f.find(&base_name).is_some()) => {
                    let slot = self.bind(&base_name, &Ty::Actor(Some(k)), span, f, bound);
                    (Who { set: WhoSet::Kind(k), bind: Some(slot) }, Some(k))
                }
                _ => match self.expr(&base, Some(&Ty::Actor(None)), f) {
                    (Expr { kind: ExprKind::Myself, .. }, Ty::Actor(k)) => (Who { set: WhoSet::Myself, bind: None }, k),
                    (Expr { kind: ExprKind::Const(Value::Actor(a)), .. }, Ty::Actor(k)) => {
                        (Who { set: WhoSet::Actor(a), bind: None }, k)
                    }
                    (e, Ty::Actor(k)) => (Who { set: WhoSet::Held(Box::new(e)), bind: None }, k),
                    (_, Ty::Broken) => return None,
                    (_, other) => {
                        let shown = other.show(self);
                        self.error(
                            "no-zone",
                            span,
                            format!("`{base_name}` is {shown} and has no zone"),
                            "name a zone, or a kind's zone such as `lamp.glow`",
                        );
                        return None;
                    }
                },
            };
            let k = kind?;
            let found =
                self.level.kinds[k.index()].zones.iter().find(|z| self.level.zones[z.index()].name == name).copied();
            if found.is_none() {
                let of_kind = &self.level.kinds[k.index()];
                let zones = of_kind.zones.iter().map(|z| self.level.zones[z.index()].name.as_str());
                let (near, kind_name) = (self.near(&name, zones), of_kind.name.clone());
                self.no_such(
                    "unknown-name",
                    at,
                    format!("`{kind_name}` has no zone `{name}`"),
                    near,
                    format!("declare it in `kind {kind_name}`: `zone {name} = disc 3`"),
                );
            }
            return found.map(|z| ZoneWhich::Of(z, who));
        }
        let name = Self::text_of(&e);
        if name == "self" && f.me.is_some_and(|m| self.level.kinds[m.index()].of_zones) {
            return Some(ZoneWhich::Myself);
        }
        if f.find(&name).is_some() && !bound.names.iter().any(|(n, _, _)| *n == name) {
            return Some(ZoneWhich::Held(Box::new(self.expect(&e, &Ty::Zone(None), f))));
        }
        match self.names.get(&name).map(|(d, _)| *d) {
            Some(Def::Zone(z)) => Some(ZoneWhich::Level(z)),
            Some(Def::Kind(k)) if self.level.kinds[k.index()].of_zones => {
                Some(ZoneWhich::Kind(k, self.bind(&name, &Ty::Zone(Some(k)), span, f, bound)))
            }
            Some(Def::Var(_)) => Some(ZoneWhich::Held(Box::new(self.expect(&e, &Ty::Zone(None), f)))),
            Some(other) => {
                self.error("no-zone", span, format!("`{name}` is {}, not a zone", other.what()), "name a zone");
                None
            }
            None => {
                if f.me.is_some_and(|me| self.has_zone(me, &name)) {
                    self.error(
                        "unknown-name",
                        span,
                        format!("`{name}` is a zone of its actor"),
                        format!("write `self.{name}`"),
                    );
                } else if name == "self" {
                    self.unknown(&name, span, "a zone", &[]);
                } else if let Some(kind) = self.kind_with_zone(&name) {
                    let message = format!("`{name}` is a zone of `{kind}`, of which each has its own");
                    let d = Diagnostic::error("unknown-name", span, message, format!("write `{kind}.{name}`"));
                    self.diagnostics.push(d.fixed_by(Fix::replace(span, format!("{kind}.{name}"))));
                } else {
                    let near = self.near_declared(Declared::Zones, &name);
                    self.no_such(
                        "unknown-name",
                        span,
                        format!("there is no zone `{name}`"),
                        near,
                        format!("declare it: `zone {name} = rect (x, y) W x H`"),
                    );
                }
                None
            }
        }
    }

    /// True where a kind has a zone of that name.
    pub fn has_zone(&self, kind: KindId, name: &str) -> bool {
        self.level.kinds[kind.index()].zones.iter().any(|z| self.level.zones[z.index()].name == name)
    }

    /// The first kind that has a zone of that name. Of very many mistakes only the first are looked at so.
    pub fn kind_with_zone(&self, name: &str) -> Option<String> {
        if self.diagnostics.len() >= super::after::MAX_ERRORS {
            return None;
        }
        let l = &self.level;
        let of_kinds = l.kinds.iter().flat_map(|k| &k.zones).filter(|z| l.zones[z.index()].name == name);
        let of = l.zones[of_kinds.min()?.index()].of?;
        Some(l.kinds[of.index()].name.clone())
    }

    /// A tile, or a tag that tiles have.
    pub fn tile_what(&self, name: &str) -> Option<TileWhat> {
        match self.names.get(name).map(|(d, _)| *d) {
            Some(Def::Tile(t)) => Some(TileWhat::Tile(t)),
            Some(Def::Tag(t)) if self.level.tiles.iter().any(|x| x.tags.contains(&t)) => Some(TileWhat::Tag(t)),
            _ => None,
        }
    }

    /// Who sees must be able to: otherwise the rule never fires.
    pub fn needs_sight(&mut self, set: &WhoSet, span: Span, me: Option<KindId>) {
        let kind = match set {
            WhoSet::Kind(k) => Some(*k),
            WhoSet::Myself => me,
            WhoSet::Actor(a) => self.actor_kind(*a),
            _ => None,
        };
        let Some(kind) = kind else { return };
        let sees = (0..self.level.kinds.len())
            .any(|k| self.level.is_kind(KindId::at(k), kind) && !self.level.kinds[k].sights.is_empty());
        if !sees {
            let name = self.level.kinds[kind.index()].name.clone();
            self.diagnostics.push(crate::diagnostic::Diagnostic::finding(
                "never-fires",
                span,
                format!("`{name}` has no sight, so it sees nobody"),
                format!("give `kind {name}` a sight: `sight all reach 4`"),
            ));
        }
    }

    /// `sluice.gate enters open`, `night leaves late`: an event of a machine, where the subject is one.
    #[expect(clippy::option_option, reason = "none: it is no machine's event; some none: it is a wrong one")]
    pub fn machine_event(
        &mut self,
        subject: &Node,
        object: &Node,
        verb: &str,
        f: &mut Frame,
        bound: &mut Bound,
    ) -> Option<Option<Event>> {
        let e = subject.expr()?;
        let (machine, who) = if e.kind() == K::MEMBER_EXPR {
            let base = e.expr()?;
            let (name, _) = self.declared(&e)?;
            let base_name = Self::text_of(&base);
            // A variable that holds one.
            let held = match self.names.get(&base_name).map(|(d, _)| *d) {
                Some(Def::Var(_)) => match self.expr(&base, None, f) {
                    (e, Ty::Actor(kind)) => Some((e, kind)),
                    _ => None,
                },
                _ => None,
            };
            let kind = match self.names.get(&base_name).map(|(d, _)| *d) {
                Some(Def::Kind(k)) => Some(k),
                Some(Def::Actor(a)) => self.actor_kind(a),
                Some(Def::Zone(z)) => self.level.zones[z.index()].kind,
                _ if base_name == "self" => f.me,
                _ => match self.actor_named(&base_name) {
                    Some(a) => self.actor_kind(a),
                    None => held.as_ref().and_then(|(_, kind)| *kind),
                },
            }?;
            let of_kind = &self.level.kinds[kind.index()];
            let machine = of_kind.machines.iter().find(|m| self.level.machines[m.index()].name == name).copied();
            let Some(machine) = machine else {
                if self.gaps.machines.contains(&name) {
                    return Some(None);
                }
                let has_it = of_kind.fields.iter().any(|v| v.name == name)
                    || of_kind.defines.iter().any(|d| self.level.defines[d.index()].name == name)
                    || of_kind.zones.iter().any(|z| self.level.zones[z.index()].name == name)
                    || Attr::named(&name).is_some();
                if has_it || self.gaps.kinds.contains(&kind) {
                    return None;
                }
                let machines = of_kind.machines.iter().map(|m| self.level.machines[m.index()].name.as_str());
                let near = self.near(&name, machines);
                let (message, at) = (format!("`{}` has no `{name}`", of_kind.name), self.declared(&e)?.1);
                self.no_such("unknown-name", at, message, near, format!("declare it: `machine {name} {{ … }}`"));
                return Some(None);
            };
            let span = self.span(&base);
            let who = match self.names.get(&base_name).map(|(d, _)| *d) {
                Some(Def::Kind(_)) if f.waiting && f.find(&base_name).is_some() => {
                    let slot = f.find(&base_name).unwrap_or(0);
                    Who { set: WhoSet::Held(Box::new(Expr { kind: ExprKind::Local(slot), span })), bind: None }
                }
                Some(Def::Kind(k)) => {
                    let ty = self.one_of_kind(k);
                    Who { set: WhoSet::Kind(k), bind: Some(self.bind(&base_name, &ty, span, f, bound)) }
                }
                Some(Def::Actor(a)) => Who { set: WhoSet::Actor(a), bind: None },
                Some(Def::Zone(z)) => Who { set: WhoSet::Actor(self.level.stand_in(z)?), bind: None },
                _ => {
                    let set = match (self.actor_named(&base_name), held) {
                        (Some(a), _) => WhoSet::Actor(a),
                        (None, Some((e, _))) => WhoSet::Held(Box::new(e)),
                        (None, None) => WhoSet::Myself,
                    };
                    Who { set, bind: None }
                }
            };
            (machine, Some(who))
        } else {
            match self.names.get(&Self::text_of(&e)).map(|(d, _)| *d) {
                Some(Def::Machine(m)) => (m, None),
                _ => return None,
            }
        };
        let state = object.expr()?;
        let (name, at) = (Self::text_of(&state), self.span(&state));
        let event =
            self.state_named(machine, &name, at).map(|state| Event::Machine { who, state, enters: verb == "enters" });
        Some(event)
    }

    /// Where both sides could be the same kind, both need `as`.
    pub fn both_named(&mut self, a: &Node, b: &Node) {
        let name = |n: &Node| n.exprs().first().map(Self::text_of).unwrap_or_default();
        let (x, y) = (name(a), name(b));
        let kind = matches!(self.names.get(&x), Some((Def::Kind(_) | Def::Tag(_), _)));
        if x == y && kind && (a.child(K::NAME).is_none() || b.child(K::NAME).is_none()) {
            let span = self.span(b);
            self.error(
                "both-as",
                span,
                format!("which `{x}` is which cannot be told"),
                format!("name both: `{x} as first touches {x} as second`"),
            );
        }
    }

    pub fn range(&mut self, a: &WhoSet, b: &WhoSet, within: f64, until: f64, me: Option<KindId>) -> RangeId {
        let range = Range { a: a.clone(), b: b.clone(), within, until, of: me };
        let at = self.level.ranges.iter().position(|r| *r == range).unwrap_or_else(|| {
            self.level.ranges.push(range);
            self.level.ranges.len() - 1
        });
        RangeId(at as u32)
    }
}
