//! Clocks: their units, speed and start; and what is asked of them and done to them.
//!
//! Invariant: units stand from the smallest to the largest; every count is at least 1.

use super::names::Def;
use super::proposals::Declared;
use super::{Checker, Frame};
use crate::ast::{self, AstNode};
use crate::level::*;
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;

/// Most that all units of a clock make together, in the smallest one.
const MAX_UNITS: u64 = 1 << 40;

impl Checker {
    /// `clock tide { minute 60; hour 24; day 7 named mon …; speed 1 minute per 500ms; starts hour 5 }`.
    pub fn collect_clock(&mut self, n: &Node) {
        let Some((name, span)) = self.declared(n) else { return };
        let id = ClockId::at(self.level.clocks.len());
        self.take(&name, span, Def::Clock(id));
        let mut clock = Clock { name, units: vec![], speed: (1_000_000, 1_000_000), starts: vec![], span };
        let (mut speed, mut starts) = (None, None);
        for item in n.all(K::CLOCK_ITEM) {
            match item.word() {
                "speed" => speed = Some(item),
                "starts" => starts = Some(item),
                _ => self.clock_unit(&item, &mut clock),
            }
        }
        if clock.units.is_empty() {
            self.error("empty", span, "this clock has no units", "write the smallest first: `minute 60; hour 24`");
        }
        let most = clock.units.iter().try_fold(1u64, |n, u| n.checked_mul(u.count)).filter(|n| *n <= MAX_UNITS);
        if most.is_none() {
            self.error("bad-size", span, "this clock counts too far", "give it fewer or smaller units");
            clock.units.truncate(1);
        }
        clock.starts = vec![0; clock.units.len()];
        if let Some(item) = speed {
            self.clock_speed(&item, &mut clock);
        }
        if let Some(item) = starts {
            let words = item.words();
            for pair in words[1..].chunks(2) {
                let at = self.span(&item);
                let Some(unit) = self.unit_of(&clock, pair[0], at) else { continue };
                let value = pair.get(1).copied().unwrap_or_default();
                match self.unit_value(&clock, unit, value) {
                    Some(v) => clock.starts[unit] = v,
                    None => self.no_unit_value(&clock, unit, value, at),
                }
            }
        }
        self.level.clocks.push(clock);
    }

    fn clock_unit(&mut self, item: &Node, clock: &mut Clock) {
        let (words, span) = (item.words(), self.span(item));
        let count = words.get(1).and_then(|w| w.replace('_', "").parse::<u64>().ok()).filter(|n| *n > 0);
        let Some(count) = count else {
            self.error(
                "bad-setting",
                span,
                format!("how many of `{}` make the next unit is missing", words[0]),
                "write `minute 60`; the largest unit says how many there are before it starts over",
            );
            clock.units.push(Unit { name: words[0].to_string(), count: 1, named: None });
            return;
        };
        if clock.units.iter().any(|u| u.name == words[0]) {
            self.error("name-taken", span, format!("this clock has `{}` twice", words[0]), "rename one of them");
        }
        self.refuse_reserved_in(item);
        let mut named = None;
        if words.get(2).is_some_and(|w| *w == "named") {
            let values: Vec<String> = words[3..].iter().map(|w| w.to_string()).collect();
            if values.len() as u64 != count {
                self.error(
                    "bad-setting",
                    span,
                    format!("so many names are wanted: {count}, and {} given", number::are(values.len())),
                    format!("name each `{}`", words[0]),
                );
            }
            named = Some(EnumId::at(self.level.enums.len()));
            self.level.enums.push(Enum { name: format!("{}.{}", clock.name, words[0]), values });
            self.know_enum(EnumId::at(self.level.enums.len() - 1));
        } else if let Some(extra) = words.get(2) {
            self.error(
                "unknown-word",
                span,
                format!("a unit has no `{extra}`"),
                "write `day 7`, or `day 7 named mon tue …`",
            );
        }
        clock.units.push(Unit { name: words[0].to_string(), count, named });
    }

    /// Says so where a unit, or one of its values, takes a word of the language.
    fn refuse_reserved_in(&mut self, unit: &Node) {
        let tokens = unit.own_tokens();
        let names: Vec<_> = tokens.filter(|t| t.kind() == K::IDENT).collect();
        let values = names.iter().skip_while(|t| t.text() != "named").skip(1);
        for t in names.iter().take(1).chain(values) {
            self.refuse_reserved(t.text(), self.token_span(t));
        }
    }

    fn clock_speed(&mut self, item: &Node, clock: &mut Clock) {
        let (words, span) = (item.words(), self.span(item));
        let form = "write `speed 1 minute per 500ms`";
        let n = words.get(1).and_then(|w| w.replace('_', "").parse::<f64>().ok()).filter(|n| *n > 0.0 && *n < 1e9);
        let per = ast::ClockItem::cast(item).and_then(|i| i.per()).and_then(|e| self.constant(&e, &Ty::Duration));
        let (Some(n), Some(unit), Some(Value::Duration(d))) = (n, words.get(2), per) else {
            self.error("bad-setting", span, "the speed says how many of a unit pass in how long", form);
            return;
        };
        let Some(unit) = self.unit_of(clock, unit, span) else { return };
        if d <= 0 {
            self.error("bad-duration", span, "a clock's speed is per more than no time", form);
            return;
        }
        clock.speed = ((n * clock.size(unit) as f64 * 1e6).round() as u64, d as u64);
    }

    fn unit_of(&mut self, clock: &Clock, name: &str, span: Span) -> Option<usize> {
        let found = clock.units.iter().position(|u| u.name == name);
        if found.is_none() {
            let units = || clock.units.iter().map(|u| u.name.as_str());
            let near = self.near(name, units());
            self.no_such(
                "unknown-name",
                span,
                format!("`{}` has no unit `{name}`", clock.name),
                near,
                format!("it has {}", super::names::listed(units())),
            );
        }
        found
    }

    /// What a unit's value is in numbers; none where it has no such value.
    fn unit_value(&self, clock: &Clock, unit: usize, text: &str) -> Option<u64> {
        let u = &clock.units[unit];
        let by_name = u.named.and_then(|e| self.level.enums[e.index()].values.iter().position(|v| v == text));
        by_name.map(|i| i as u64).or_else(|| text.parse().ok()).filter(|v| *v < u.count)
    }

    fn no_unit_value(&mut self, clock: &Clock, unit: usize, text: &str, span: Span) {
        let u = &clock.units[unit];
        let help = match u.named {
            Some(e) => format!(
                "it has {}",
                super::names::listed(self.level.enums[e.index()].values.iter().map(String::as_str))
            ),
            None => format!("it goes from 0 to {}", u.count - 1),
        };
        self.error("bad-unit", span, format!("`{}` has no `{text}`", u.name), help);
    }

    pub fn clock_named(&mut self, name: &str, span: Span) -> Option<ClockId> {
        if let Some(Def::Clock(c)) = self.names.get(name).map(|(d, _)| *d) {
            return Some(c);
        }
        let near = self.near_declared(Declared::Clocks, name);
        self.no_such(
            "no-clock",
            span,
            format!("there is no clock `{name}`"),
            near,
            "declare one: `clock tide { minute 60; hour 24; speed 1 minute per 500ms }`".into(),
        );
        None
    }

    /// `tide.hour`, `tide.speed`.
    pub fn clock_member(&mut self, id: ClockId, name: &str, at: Span, span: Span) -> (Expr, Ty) {
        if name == "speed" {
            return (Expr { kind: ExprKind::ClockSpeed(id), span }, Ty::Number);
        }
        let clock = self.level.clocks[id.index()].clone();
        let Some(unit) = self.unit_of(&clock, name, at) else { return self.broken(span) };
        let ty = clock.units[unit].named.map_or(Ty::Number, Ty::Enum);
        (Expr { kind: ExprKind::ClockShows(id, unit as u16), span }, ty)
    }

    /// `tide.run(hour)`.
    pub fn clock_run(&mut self, id: ClockId, args: &[Node], span: Span) -> (Expr, Ty) {
        let clock = self.level.clocks[id.index()].clone();
        let [unit] = args else {
            self.error("wrong-count", span, "`run` takes one unit", format!("write `{}.run(hour)`", clock.name));
            return self.broken(span);
        };
        let at = self.span(unit);
        match self.unit_of(&clock, &Self::text_of(unit), at) {
            Some(u) => (Expr { kind: ExprKind::ClockRun(id, u as u16), span }, Ty::Number),
            None => self.broken(span),
        }
    }

    /// `CLOCK passes UNIT [VALUE]`.
    pub fn passes(&mut self, n: &Node, subject: &Node) -> Option<Event> {
        let name = subject.exprs().first().map(Self::text_of).unwrap_or_default();
        let at = self.span(subject);
        let id = self.clock_named(&name, at)?;
        let clock = self.level.clocks[id.index()].clone();
        let (unit, at) = self.declared(n)?;
        let unit = self.unit_of(&clock, &unit, at)?;
        let value = match n.exprs().first() {
            None => None,
            Some(e) => {
                let (text, at) = (Self::text_of(e), self.span(e));
                match self.unit_value(&clock, unit, &text) {
                    Some(v) => Some(v as u32),
                    None => {
                        let ty = clock.units[unit].named.map_or(Ty::Number, Ty::Enum);
                        match self.constant(e, &ty)? {
                            Value::Number(v) if v >= 0.0 && v < clock.units[unit].count as f64 && v.fract() == 0.0 => {
                                Some(v as u32)
                            }
                            Value::Enum(_, v) => Some(v),
                            _ => {
                                self.no_unit_value(&clock, unit, &text, at);
                                return None;
                            }
                        }
                    }
                }
            }
        };
        Some(Event::Passes { clock: id, unit: unit as u16, value })
    }

    /// `advance tide by 2 day 2 hour`, `set tide to day wed hour 6`.
    pub fn clock_order(&mut self, n: &Node, word: &str, f: &mut Frame) -> Option<Action> {
        let (name, at) = self.declared(n)?;
        let id = self.clock_named(&name, at)?;
        let clock = self.level.clocks[id.index()].clone();
        let mut parts = vec![];
        for p in n.all(K::PART) {
            let span = self.span(&p);
            let unit = p.words().last().cloned().unwrap_or_default();
            let unit = self.unit_of(&clock, unit, span)?;
            let ty = match clock.units[unit].named {
                Some(e) if word == "set" => Ty::Enum(e),
                _ => Ty::Number,
            };
            let value = self.expect(p.exprs().first()?, &ty, f);
            if parts.iter().any(|(u, _)| *u == unit as u16) {
                self.error("name-taken", span, format!("`{}` is named twice", clock.units[unit].name), "name it once");
            }
            parts.push((unit as u16, value));
        }
        if parts.is_empty() {
            let form = if word == "advance" { "`advance tide by 2 hour`" } else { "`set tide to hour 6`" };
            self.error("no-value", at, "by how much is missing", format!("write {form}"));
            return None;
        }
        Some(if word == "advance" { Action::Advance(id, parts) } else { Action::SetClock(id, parts) })
    }
}
