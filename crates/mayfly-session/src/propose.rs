//! What fits into a prompt as one types: names with their present values, actions, the ends of a test.
//!
//! Not here: what a typed line then does. Invariant: proposing changes nothing and draws nothing.

use crate::session::Session;
use mayfly_base::code::{Attr, Expr, ExprKind};
use mayfly_base::*;
use mayfly_engine::names::Named;
use mayfly_lang::analysis::{Analysis, SymbolKind};
use mayfly_lang::services::complete::{Proposal, complete_text};
use std::ops::Range;

/// For what one types.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Prompt {
    Watch,
    Poke,
    Stop,
    GoTo,
}

/// One proposal: what the word under way becomes, its value or what it is, one line about it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Offer {
    pub text: String,
    pub note: String,
    pub about: String,
}

/// Proposals of which the values are told: those that one sees.
const MAX: usize = 40;

/// What is asked for most comes first.
fn rank(kind: Option<SymbolKind>) -> usize {
    use SymbolKind as S;
    let order = [S::Variable, S::Actor, S::Define, S::Timer, S::Clock, S::Machine, S::Zone, S::Message, S::Routine];
    kind.map_or(order.len() + 2, |k| order.iter().position(|o| *o == k).unwrap_or(order.len() + 1))
}

impl Session {
    /// The level's text, looked into: made once, when it is first asked for.
    pub fn analysis(&self) -> &Analysis {
        self.analysis.get_or_init(|| {
            let main = &self.sources[0];
            Analysis::of(&main.name, &main.text, &mut |path| {
                let found = mayfly_lang::check::file_at(self.sources.iter().map(|s| s.name.as_str()), path);
                found.map(|n| self.sources[n].text.clone()).ok_or(mayfly_lang::check::LoadError::Missing)
            })
        })
    }

    /// What fits at a byte of what is typed, and which bytes of it that would take the place of.
    pub fn offers(&self, prompt: Prompt, typed: &str, at: usize) -> (Vec<Offer>, Range<usize>) {
        let mut at = at.min(typed.len());
        while !typed.is_char_boundary(at) {
            at -= 1;
        }
        let head = match prompt {
            Prompt::Poke => "rule \"poke\" { when start; then { ",
            _ => "define asked = ",
        };
        let (mut found, range) = complete_text(self.analysis(), 0, &format!("{head}{typed}"), head.len() + at);
        // One who asks wants what has a value first, then the level's other names, and cannot declare anything. What begins
        // with the letters stays before what only holds them.
        let letters =
            typed[..at].rsplit(|c: char| !(c.is_alphanumeric() || c == '_')).next().unwrap_or("").to_lowercase();
        found.sort_by_key(|p| (!p.text.to_lowercase().starts_with(&letters), rank(p.kind)));
        found.retain(|p| p.kind != Some(SymbolKind::Local) && !(prompt == Prompt::Poke && p.text == "let"));
        let range = range.start - head.len()..range.end - head.len();
        // A number is not the beginning of a name.
        if typed[range.clone()].starts_with(|c: char| c.is_ascii_digit()) {
            return (vec![], range);
        }
        let before = &typed[..range.start];
        let mut out = vec![];
        if prompt == Prompt::Stop && before.trim().is_empty() {
            out.extend(self.rule_offers(&typed[range.clone()]));
            out.extend(found.iter().filter(|p| p.kind.is_some()).map(|p| self.offer(before, p)));
        } else {
            out.extend(found.iter().map(|p| self.offer(before, p)));
        }
        out.truncate(MAX);
        (out, range)
    }

    /// `rule "TITLE"` for every rule whose title holds the letters.
    fn rule_offers(&self, letters: &str) -> Vec<Offer> {
        let letters = letters.to_lowercase();
        let w = &self.now.world;
        let titles = self.level.rules.iter().enumerate().filter(|(_, r)| r.part.is_none());
        let fitting = titles.filter(|(_, r)| !letters.is_empty() && r.title.to_lowercase().contains(&letters));
        let offer = |(i, r): (usize, &mayfly_lang::level::Rule)| {
            let fired = w.rules.get(i).map_or(0, |s| s.fired);
            Offer { text: format!("rule \"{}\"", r.title), note: format!("fired {fired}"), about: r.doc.clone() }
        };
        fitting.map(offer).collect()
    }

    fn offer(&self, before: &str, p: &Proposal) -> Offer {
        // `keeper.oil`: what stands before the word belongs to it.
        let from = before.rfind(|c: char| !(c.is_alphanumeric() || "_.#".contains(c))).map_or(0, |i| i + 1);
        let of = &before[from..];
        let value = match of.strip_suffix('.') {
            Some(holder) => self.member_value(holder, &p.text),
            None => self.own_value(&p.text, p.kind),
        };
        let note = value.unwrap_or_else(|| p.kind.map_or(String::new(), |k| k.word().to_string()));
        let about = if p.about == note { String::new() } else { p.about.clone() };
        Offer { text: p.text.clone(), note, about }
    }

    fn shown(&self, v: &Value) -> String {
        let shown = v.show(&Named(&self.engine.program, &self.now.world), None);
        if shown.chars().count() > 28 { shown.chars().take(27).chain(['…']).collect() } else { shown }
    }

    /// The present value of a name that stands alone.
    fn own_value(&self, name: &str, kind: Option<SymbolKind>) -> Option<String> {
        use SymbolKind as S;
        let (level, p, w) = (&self.level, &self.engine.program, &self.now.world);
        let value = match kind? {
            S::Variable => w.vars.get(level.vars.iter().position(|v| v.name == name)?)?.clone(),
            S::Constant => level.consts.iter().find(|(n, ..)| n == name)?.1.clone(),
            S::Define => {
                let id = level.defines.iter().position(|d| d.name == name && d.of.is_none())?;
                crate::values::define(&self.engine, w, DefineId::at(id)).ok()?
            }
            S::Actor => Value::Point(w.living().find(|(_, a)| *a.name == *name)?.1.at),
            S::Timer => {
                let id = level.timers.iter().position(|t| t.name == name)?;
                let ticks = w.timer_left(TimerId::at(id));
                Value::Duration(level.rate.micros(ticks))
            }
            S::Machine => {
                let m = p.machines.iter().position(|m| m.name == name)?;
                return Some(level.state_name(w.machines.get(&(MachineId::at(m), None))?.state));
            }
            _ => return None,
        };
        Some(self.shown(&value))
    }

    /// The present value of a member of an actor or a zone.
    fn member_value(&self, holder: &str, name: &str) -> Option<String> {
        let (level, p, w) = (&self.level, &self.engine.program, &self.now.world);
        let (id, a) = w.living().find(|(_, a)| *a.name == *holder)?;
        let kind = level.kinds.get(a.kind.index())?;
        if let Some(i) = kind.fields.iter().position(|f| f.name == name) {
            return Some(self.shown(a.fields.get(i)?));
        }
        if let Some(d) = kind.defines.iter().find(|d| level.defines[d.index()].name == name) {
            let expr = &p.defines[d.index()].expr;
            return Some(self.shown(&crate::values::of(&self.engine, w, expr, Some(id), &[]).ok()?));
        }
        if let Some(m) = kind.machines.iter().find(|m| level.machines[m.index()].name == name) {
            return Some(level.state_name(w.machines.get(&(*m, Some(id)))?.state));
        }
        let attr = Attr::named(name)?;
        let me = Box::new(Expr { kind: ExprKind::Myself, span: Span::default() });
        let expr = Expr { kind: ExprKind::Attr(me, attr), span: Span::default() };
        Some(self.shown(&crate::values::of(&self.engine, w, &expr, Some(id), &[]).ok()?))
    }
}
