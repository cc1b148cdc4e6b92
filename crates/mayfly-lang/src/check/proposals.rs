//! Names that are not declared, and the nearest that is, as a proposal. What a name stands for is not found here.
//!
//! Invariant: a word is compared with the names of one list once, however many places name it, for one renamed declaration
//! can be named by thousands; and all words together are compared with a bounded number of names.

use super::Checker;
use super::names::Def;
use crate::diagnostic::{Diagnostic, Fix};
use crate::near::nearest_of;
use mayfly_base::code::Attr;
use mayfly_base::{KindId, Span};
use rustc_hash::FxHashMap;
use std::cell::{Cell, RefCell};

/// How many names are compared with unknown ones in one check.
const MAX_COMPARED: usize = 1_000_000;

/// Names that no level declares.
const ALWAYS_KNOWN: [&str; 5] = ["true", "false", "none", "time", "tick"];

/// What is declared in the level, by what a place may name.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Declared {
    /// All names that can stand anywhere.
    Names,
    Variables,
    Zones,
    Messages,
    Routines,
    Timers,
    Clocks,
    Inputs,
    /// What a kind gives each of its own, attributes among it.
    OfKind(KindId),
}

/// The name that is nearest to a word, with its distance.
type Near = Option<(usize, String)>;

#[derive(Debug, Default)]
pub(crate) struct Proposals {
    /// How many names were compared with unknown ones.
    compared: Cell<usize>,
    /// True once nothing more is declared: before, what is nearest may change.
    all_declared: bool,
    found: RefCell<FxHashMap<(Declared, String), Near>>,
}

impl Proposals {
    /// From now on nothing is declared any more.
    pub fn all_is_declared(&mut self) {
        self.all_declared = true;
    }
}

/// What stands at a place where a name is unknown.
#[derive(Clone, Copy, PartialEq)]
pub(crate) enum Sought<'a> {
    Type,
    /// One of a few values.
    OneOf(&'a [String]),
    /// Something that is declared, in words.
    Declared(&'a str),
}

impl<'a> From<&'a str> for Sought<'a> {
    fn from(thing: &'a str) -> Self {
        Self::Declared(thing)
    }
}

impl Checker {
    /// The one of `known` that is nearest to `word`, if it is near enough to be meant.
    ///
    /// Of a text with very many mistakes and very many names, only the mistakes that are read first are compared with the names:
    /// whether a later one has a proposal may change with what is read again.
    pub fn near<'a>(&self, word: &str, mut known: impl Iterator<Item = &'a str>) -> Option<String> {
        self.compare(word, &mut known).map(|(_, near)| near)
    }

    /// The nearest of all that is declared of one sort.
    pub fn near_declared(&self, declared: Declared, word: &str) -> Option<String> {
        self.nearest(declared, word).map(|(_, near)| near)
    }

    /// The nearest of all that is declared of one sort, and of some others.
    pub fn near_declared_or<'a>(
        &self,
        declared: Declared,
        word: &str,
        mut others: impl Iterator<Item = &'a str>,
    ) -> Option<String> {
        let (first, second) = (self.nearest(declared, word), self.compare(word, &mut others));
        first.into_iter().chain(second).min().map(|(_, near)| near)
    }

    fn nearest(&self, declared: Declared, word: &str) -> Near {
        if !self.proposals.all_declared {
            return self.look_through(declared, word);
        }
        let mut found = self.proposals.found.borrow_mut();
        found.entry((declared, word.to_string())).or_insert_with(|| self.look_through(declared, word)).clone()
    }

    fn look_through(&self, declared: Declared, word: &str) -> Near {
        let l = &self.level;
        let is_variable = |d: &Def| matches!(d, Def::Var(_));
        match declared {
            Declared::Names => self.compare(word, &mut self.names.keys().map(String::as_str).chain(ALWAYS_KNOWN)),
            Declared::Variables => {
                let all = self.names.iter().filter(|(_, (d, _))| is_variable(d));
                self.compare(word, &mut all.map(|(n, _)| n.as_str()))
            }
            Declared::Zones => {
                let all = l.zones.iter().filter(|z| z.of.is_none());
                self.compare(word, &mut all.map(|z| z.name.as_str()))
            }
            Declared::Messages => self.compare(word, &mut l.messages.iter().map(|m| m.name.as_str())),
            Declared::Routines => self.compare(word, &mut l.routines.iter().map(|r| r.name.as_str())),
            Declared::Timers => self.compare(word, &mut l.timers.iter().map(|t| t.name.as_str())),
            Declared::Clocks => self.compare(word, &mut l.clocks.iter().map(|c| c.name.as_str())),
            Declared::OfKind(k) => {
                let kind = &l.kinds[k.index()];
                let fields = kind.fields.iter().map(|v| v.name.as_str());
                let zones = kind.zones.iter().map(|z| l.zones[z.index()].name.as_str());
                let defines = kind.defines.iter().map(|d| l.defines[d.index()].name.as_str());
                let machines = kind.machines.iter().map(|m| l.machines[m.index()].name.as_str());
                let attributes = Attr::ALL.iter().map(|(n, _)| *n);
                self.compare(word, &mut fields.chain(zones).chain(defines).chain(machines).chain(attributes))
            }
            Declared::Inputs => self.compare(word, &mut l.inputs.iter().map(|i| i.name.as_str())),
        }
    }

    fn compare(&self, word: &str, known: &mut dyn Iterator<Item = &str>) -> Near {
        let mut left = MAX_COMPARED.saturating_sub(self.proposals.compared.get());
        let known = &mut known.take(left).inspect(|_| left -= 1);
        let near = nearest_of(word, known).map(|(distance, near)| (distance, near.to_string()));
        self.proposals.compared.set(MAX_COMPARED - left);
        near
    }

    /// Says that a name is unknown, with the nearest that is known.
    pub fn unknown<'a>(&mut self, name: &str, span: Span, what: impl Into<Sought<'a>>, extra: &[String]) {
        let what = what.into();
        if name == "self" {
            self.error(
                "self-outside",
                span,
                "there is no `self` here",
                "`self` is the actor of a kind's own rules; name an actor instead",
            );
            return;
        }
        if self.gaps.places && name.contains('#') {
            return;
        }
        use crate::parser::habits::{NAMES, TYPES};
        let habits = if what == Sought::Type { TYPES } else { NAMES };
        let habit = habits.iter().find(|(n, _)| *n == name).map(|(_, here)| *here);
        let near = self.near_declared_or(Declared::Names, name, extra.iter().map(String::as_str));
        let help = match (habit, &near) {
            (Some(here), _) => here.into(),
            (None, Some(near)) => format!("did you mean `{near}`?"),
            (None, None) => match what {
                Sought::Type => "declare it, or name a type that is declared".into(),
                Sought::OneOf(values) => format!("write one of {}", values.join(", ")),
                Sought::Declared(thing) => format!("declare it, or name {thing} that is declared"),
            },
        };
        // What a habit means stands in its words.
        let meant = habit.map_or(near, |here| here.split('`').nth(1).map(str::to_string));
        let d = Diagnostic::error("unknown-name", span, format!("`{name}` is not declared"), help);
        self.diagnostics.push(match meant {
            Some(meant) => d.fixed_by(Fix::replace(span, meant)),
            None => d,
        });
    }

    /// A name of which there is none: the nearest that there is, and the edit that writes it, else what to do.
    pub fn no_such(
        &mut self,
        code: &'static str,
        span: Span,
        message: impl Into<String>,
        near: Option<String>,
        otherwise: String,
    ) {
        let help = near.as_ref().map_or(otherwise, |n| format!("did you mean `{n}`?"));
        let d = Diagnostic::error(code, span, message, help);
        self.diagnostics.push(match near {
            Some(n) => d.fixed_by(Fix::replace(span, n)),
            None => d,
        });
    }
}
