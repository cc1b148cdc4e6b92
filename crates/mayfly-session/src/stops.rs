//! Stop marks: where a run pauses by itself. On a rule, an action, a variable, a zone, a message, a state, an
//! expression, or on faults; with a condition and a count.
//!
//! As text: `rule "light a lamp"`, `action "light a lamp" 2`, `lamps_lit`, `lamp.lit` (of any lamp), `jetty` (someone
//! enters it), `lamps_lit == 3`, `lamps_lit flickers` (written twice in one tick), `bell`, `sluice.gate is open`, `faults`; then, if wanted, `if TEST` (asked at the
//! tick's end) and `times N` (each N-th hit).
//!
//! Invariant: looking for hits changes nothing of the flight; a hit is a closed tick and a record of it.

use crate::moment::{At, Moment};
use mayfly_base::code::{Expr, ExprKind};
use mayfly_base::*;
use mayfly_engine::program::Program;
use mayfly_engine::world::World;
use mayfly_engine::{Engine, Target, TraceEvent, Verdict};
use mayfly_lang::diagnostic::Diagnostic;
use mayfly_lang::level::Level;
use mayfly_lang::types::Ty;
use mayfly_lang::{check, near};

/// What is looked for.
#[derive(Clone, Debug, PartialEq)]
pub enum StopOn {
    Fires(RuleId),
    /// An action, by the spans of all that it is made of.
    Acts(Span),
    Written(Target),
    /// That variable of any actor of the kind.
    WrittenOf(KindId, FieldId),
    /// Written more than once in one tick.
    Flickers(Target),
    /// Someone came into that zone.
    Entered(ZoneId),
    Sent(MessageId),
    /// A machine comes to that state.
    Enters(StateId),
    /// It turns true.
    True(Expr),
    Fault,
}

#[derive(Clone, Debug)]
pub struct Stop {
    pub text: String,
    pub on: StopOn,
    pub condition: Option<Expr>,
    /// Each so many-th hit stops.
    pub times: u64,
    pub is_on: bool,
    /// Ticks in which it stopped, or would have.
    pub hits: Vec<u64>,
    seen: u64,
    was_true: bool,
    /// The tick of the last write to what may flicker.
    written: Option<u64>,
}

/// Hits of one mark that are remembered.
const MAX_HITS: usize = 10_000;

/// Why a text is no stop mark.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum StopError {
    #[error("`{0}` is no whole number")]
    NoCount(String),
    #[error("`{0}` is neither true nor false")]
    NoTest(String),
    /// An expression in it is wrong as it would be in a level.
    #[error("{0}")]
    Wrong(Box<Diagnostic>),
    #[error("`{0}` is no variable: only one can flicker")]
    CannotFlicker(String),
    #[error("write a variable, a rule, a zone, a message, or something that becomes true")]
    Nothing,
    #[error("write `action \"title of a rule\" 2`: its second action")]
    ActionForm,
    #[error("\"{title}\" has {}, numbered from 1", mayfly_base::number::counted(*actions, "action"))]
    NoSuchAction { title: String, actions: usize },
    #[error("there is no rule \"{title}\"{}", near.as_ref().map_or(String::new(), |n| format!("; did you mean \"{n}\"?")))]
    NoRule { title: String, near: Option<String> },
}

impl From<Box<Diagnostic>> for StopError {
    fn from(d: Box<Diagnostic>) -> Self {
        Self::Wrong(d)
    }
}

/// The stop marks of a session, and what was hit last.
#[derive(Clone, Debug, Default)]
pub struct Stops {
    pub all: Vec<Stop>,
    /// In the tick under way: which mark, and the record.
    found: Vec<(usize, u32)>,
    /// Where the last run was stopped, and by which mark.
    pub hit: Option<(usize, Moment)>,
}

impl Stop {
    /// Reads a mark.
    ///
    /// # Errors
    /// What is wrong with it.
    pub fn read(level: &Level, text: &str) -> Result<Self, StopError> {
        let text = text.trim();
        let (head, times) = match text.rsplit_once(" times ") {
            Some((head, n)) => (head, n.trim().parse::<u64>().map_err(|_| StopError::NoCount(n.into()))?.max(1)),
            None => (text, 1),
        };
        let (head, condition) = match head.split_once(" if ") {
            Some((head, test)) if !head.contains('"') || head.matches('"').count() == 2 => {
                let (e, ty) = check::expression(level, test)?;
                if ty != Ty::Flag {
                    return Err(StopError::NoTest(test.into()));
                }
                (head, Some(e))
            }
            _ => (head, None),
        };
        let on = what(level, head.trim())?;
        Ok(Self {
            text: text.into(),
            on,
            condition,
            times,
            is_on: true,
            hits: vec![],
            seen: 0,
            was_true: false,
            written: None,
        })
    }
}

fn what(level: &Level, text: &str) -> Result<StopOn, StopError> {
    if text == "faults" {
        return Ok(StopOn::Fault);
    }
    if let Some(rest) = text.strip_prefix("action ") {
        return action(level, rest.trim());
    }
    if let Some(rest) = text.strip_prefix("rule ") {
        return rule_named(level, rest.trim().trim_matches('"')).map(StopOn::Fires);
    }
    if let Some(head) = text.strip_suffix(" flickers") {
        let (e, _) = check::expression(level, head)?;
        let target = crate::values::target_of(&e);
        return target.map(StopOn::Flickers).ok_or_else(|| StopError::CannotFlicker(head.into()));
    }
    if let Some(m) = level.messages.iter().position(|m| m.name == text) {
        return Ok(StopOn::Sent(MessageId::at(m)));
    }
    if let Some(z) = level.zones.iter().position(|z| z.of.is_none() && z.name == text) {
        return Ok(StopOn::Entered(ZoneId::at(z)));
    }
    if let Some(on) = of_any(level, text) {
        return Ok(on);
    }
    let (e, ty) = check::expression(level, text)?;
    if let ExprKind::InState(_, None, s, None) = &e.kind {
        return Ok(StopOn::Enters(*s));
    }
    if let Some(t) = crate::values::target_of(&e) {
        return Ok(StopOn::Written(t));
    }
    if ty == Ty::Flag { Ok(StopOn::True(e)) } else { Err(StopError::Nothing) }
}

/// `lamp.lit`, `sluice.gate is open`: of any actor of a kind.
fn of_any(level: &Level, text: &str) -> Option<StopOn> {
    let (name, member) = text.split_once('.')?;
    let k = level.kinds.iter().position(|k| k.name == name)?;
    let kind = &level.kinds[k];
    if let Some((machine, state)) = member.split_once(" is ") {
        let m = kind.machines.iter().find(|m| level.machines[m.index()].name == machine.trim())?;
        let of = |s: &mayfly_lang::level::State| s.machine == *m && s.name == state.trim();
        return level.states.iter().position(of).map(|s| StopOn::Enters(StateId::at(s)));
    }
    let f = kind.fields.iter().position(|f| f.name == member)?;
    Some(StopOn::WrittenOf(KindId::at(k), FieldId::at(f)))
}

/// The statements of a rule in the order of its text, by their spans.
pub fn actions_of(level: &Level, rule: RuleId) -> Vec<Span> {
    let Some(r) = level.rules.get(rule.index()) else { return vec![] };
    let mut spans = vec![];
    let blocks = r.elses.iter().chain([&r.then]).chain(&r.otherwise);
    blocks.for_each(|b| mayfly_lang::visit::stmts(b, &mut |s| spans.push(s.span)));
    spans.sort_unstable_by_key(|s| (s.start, std::cmp::Reverse(s.end)));
    spans.dedup();
    spans
}

/// `"title" 3`: the third action of that rule.
fn action(level: &Level, text: &str) -> Result<StopOn, StopError> {
    let (title, nth) = text.strip_prefix('"').and_then(|t| t.split_once('"')).ok_or(StopError::ActionForm)?;
    let rule = rule_named(level, title)?;
    let nth = if nth.trim().is_empty() { 1 } else { nth.trim().parse::<usize>().map_err(|_| StopError::ActionForm)? };
    let all = actions_of(level, rule);
    let at = nth.checked_sub(1).and_then(|i| all.get(i));
    at.map(|s| StopOn::Acts(*s)).ok_or_else(|| StopError::NoSuchAction { title: title.into(), actions: all.len() })
}

fn rule_named(level: &Level, title: &str) -> Result<RuleId, StopError> {
    let name = |r: &mayfly_lang::level::Rule| match r.owner {
        Some(k) if r.part.is_none() => format!("{} / {}", level.kinds[k.index()].name, r.title),
        _ => r.title.clone(),
    };
    let found = level.rules.iter().position(|r| r.title == title || name(r) == title);
    found.map(RuleId::at).ok_or_else(|| {
        let titles: Vec<String> = level.rules.iter().map(name).collect();
        let near = near::nearest(title, titles.iter().map(String::as_str)).map(str::to_string);
        StopError::NoRule { title: title.into(), near }
    })
}

impl Stops {
    /// One record of the tick under way.
    pub fn see(&mut self, at: u32, rec: &TraceEvent, world: &World, program: &Program) {
        for (i, s) in self.all.iter_mut().enumerate() {
            let is = match (&s.on, rec) {
                (StopOn::Flickers(t), TraceEvent::Wrote { target, .. }) if t == target => {
                    s.written.replace(world.tick) == Some(world.tick)
                }
                (StopOn::Fires(r), TraceEvent::Evaluated { rule, verdict: Verdict::Fired, .. }) => r == rule,
                (StopOn::Acts(span), rec) => rec.pc().is_some_and(|pc| program.spans[pc as usize] == *span),
                (StopOn::WrittenOf(k, f), TraceEvent::Wrote { target: Target::Field(a, g), old, new, .. }) => {
                    f == g && !old.same(new) && program.is_kind(world.actors[a.index()].kind, *k)
                }
                (StopOn::Written(t), TraceEvent::Wrote { target, old, new, .. }) => t == target && !old.same(new),
                (StopOn::Sent(m), TraceEvent::Sent { message, .. }) => m == message,
                (StopOn::Enters(s), TraceEvent::WentTo { to, .. }) => s == to,
                (StopOn::Fault, TraceEvent::Faulted { .. }) => true,
                _ => false,
            };
            if is {
                self.found.push((i, at));
            }
        }
    }

    /// The tick is closed: the first mark that stops.
    pub fn close(&mut self, engine: &Engine, world: &World, tick: u64) {
        let is_true = |e: &Expr| crate::values::of(engine, world, e, None, &[]) == Ok(Value::Flag(true));
        for (i, s) in self.all.iter_mut().enumerate() {
            if let StopOn::Entered(z) = s.on
                && world.living().any(|(_, a)| a.inside.iter().any(|((zone, _), since)| *zone == z && *since == tick))
            {
                self.found.push((i, u32::MAX));
            }
            if let StopOn::True(e) = &s.on {
                let now = is_true(e);
                if now & !std::mem::replace(&mut s.was_true, now) {
                    self.found.push((i, u32::MAX));
                }
            }
        }
        for (i, at) in std::mem::take(&mut self.found) {
            let s = &mut self.all[i];
            if s.condition.as_ref().is_some_and(|c| !is_true(c)) {
                continue;
            }
            s.seen += 1;
            if !s.is_on || !s.seen.is_multiple_of(s.times) {
                continue;
            }
            if s.hits.last() != Some(&tick) && s.hits.len() < MAX_HITS {
                s.hits.push(tick);
            }
            if self.hit.is_none() {
                let at = if at == u32::MAX { At::End } else { At::Record(at) };
                self.hit = Some((i, Moment { tick, at }));
            }
        }
    }

    /// Forgets hits from `tick` on.
    pub fn cut(&mut self, tick: u64) {
        for s in &mut self.all {
            s.hits.retain(|t| *t < tick);
            // A write of the branch that was left is none of this one.
            s.written = None;
        }
        self.hit = None;
    }
}
