//! The findings `never-true` of clauses that exclude each other and of flags that only themselves could raise,
//! `keeps-itself-going`, and `never-heard` of a message that is sent to somebody who does not hear it.
//!
//! Invariant: what is named can be read from the level alone; where another value, rule or poke could make it otherwise, by
//! what the level says, nothing is named.

use super::complementary::same;
use crate::diagnostic::Diagnostic;
use crate::level::*;
use crate::types::Ty;
use crate::visit::{self, Everything};
use mayfly_base::code::*;
use mayfly_base::*;
use rustc_hash::{FxHashMap, FxHashSet};

pub(super) fn contradictions(level: &Level, all: &Everything) -> Vec<Diagnostic> {
    let mut out = vec![];
    for r in &level.rules {
        excluding_clauses(r, &mut out);
        keeps_itself_going(level, r, &mut out);
    }
    raised_by_themselves(level, all, &mut out);
    sent_to_the_deaf(level, all, &mut out);
    out
}

/// Clauses and lines of one rule that are compared with each other.
const MAX_COMPARED: usize = 64;

/// What a comparison with a constant leaves: from, to, and whether each of the two belongs to it.
#[derive(Clone, Copy)]
struct Range {
    low: (f64, bool),
    high: (f64, bool),
}

impl Range {
    fn is_empty(self) -> bool {
        let ((lo, at_lo), (hi, at_hi)) = (self.low, self.high);
        lo > hi + number::NEAR || (number::same_number(lo, hi) && !(at_lo && at_hi))
    }

    fn and(self, other: Self) -> Self {
        let low = match self.low.0.total_cmp(&other.low.0) {
            std::cmp::Ordering::Less => other.low,
            std::cmp::Ordering::Greater => self.low,
            std::cmp::Ordering::Equal => (self.low.0, self.low.1 && other.low.1),
        };
        let high = match self.high.0.total_cmp(&other.high.0) {
            std::cmp::Ordering::Less => self.high,
            std::cmp::Ordering::Greater => other.high,
            std::cmp::Ordering::Equal => (self.high.0, self.high.1 && other.high.1),
        };
        Self { low, high }
    }
}

/// The expression that a test compares with a number or a duration, and what the test leaves of it.
fn compared(test: &Expr) -> Option<(&Expr, Range)> {
    let ExprKind::Binary(op, a, b) = &test.kind else { return None };
    let known = |e: &Expr| match e.kind {
        ExprKind::Const(Value::Number(n)) => Some(n),
        ExprKind::Const(Value::Duration(d)) => Some(d as f64),
        _ => None,
    };
    let (e, n, turned) = match (known(a), known(b)) {
        (None, Some(n)) => (&**a, n, false),
        (Some(n), None) => (&**b, n, true),
        _ => return None,
    };
    let (below, above) = ((f64::NEG_INFINITY, true), (f64::INFINITY, true));
    let (low, high) = match (op, turned) {
        (BinOp::Lt, false) | (BinOp::Gt, true) => (below, (n, false)),
        (BinOp::Le, false) | (BinOp::Ge, true) => (below, (n, true)),
        (BinOp::Gt, false) | (BinOp::Lt, true) => ((n, false), above),
        (BinOp::Ge, false) | (BinOp::Le, true) => ((n, true), above),
        (BinOp::Eq, _) => ((n, true), (n, true)),
        _ => return None,
    };
    Some((e, Range { low, high }))
}

/// `x > 3` and `x < 2`, or a flag and its opposite: the rule never fires.
fn excluding_clauses(r: &Rule, out: &mut Vec<Diagnostic>) {
    let help = "one of the two is never true while the other is: change one, or part them into two rules";
    for (i, c) in r.clauses.iter().take(MAX_COMPARED).enumerate() {
        let (mut left, of) = match compared(&c.test) {
            Some((e, range)) => (Some(range), Some(e)),
            None => (None, None),
        };
        for earlier in r.clauses[..i].iter().rev() {
            let excludes = match (left, of, compared(&earlier.test)) {
                (Some(range), Some(e), Some((other, more))) if same(e, other) => {
                    let both = range.and(more);
                    left = Some(both);
                    both.is_empty()
                }
                _ => {
                    let not = |x: &Expr, y: &Expr| matches!(&x.kind, ExprKind::Not(inner) if same(inner, y));
                    not(&c.test, &earlier.test) || not(&earlier.test, &c.test)
                }
            };
            if excludes {
                let text = "this and a clause before it are never true together".to_string();
                let d = Diagnostic::finding("never-true", c.test.span, text, help);
                out.push(d.and(earlier.test.span, "the other is here"));
                break;
            }
        }
    }
}

/// `when n changes` with `n += 1` and nothing that ever stops it.
fn keeps_itself_going(level: &Level, r: &Rule, out: &mut Vec<Diagnostic>) {
    let limits = &r.limits;
    let free =
        r.clauses.is_empty() && limits.at_most.is_empty() && limits.cooldown.is_empty() && limits.awake.is_none();
    if !free || r.group.is_some() || r.part.is_some() {
        return;
    }
    let watched: Vec<&Expr> = r
        .whens
        .iter()
        .take(MAX_COMPARED)
        .filter_map(|w| match &w.event {
            Event::Watched { watch, form: WatchForm::Changes, .. } => Some(&level.watches[watch.index()].expr),
            _ => None,
        })
        .collect();
    let heard = |m: MessageId| {
        r.whens
            .iter()
            .take(MAX_COMPARED)
            .any(|w| matches!(&w.event, Event::Hears { message: Heard::One(x), .. } if *x == m))
    };
    let mut say = |at: Span| {
        let text = format!("\"{}\" does what starts it, each time: it never comes to an end", r.title);
        let help = "add an `if` that ends it, or await something else";
        out.push(Diagnostic::finding("keeps-itself-going", at, text, help));
    };
    // What is written before the first wait, each time.
    for s in r.then.iter().take_while(|s| matches!(s.kind, StmtKind::Do(_))) {
        match &s.kind {
            StmtKind::Do(Action::Assign { place, op: Some(BinOp::Add | BinOp::Sub), value, .. }) => {
                let moves = matches!(value.kind, ExprKind::Const(Value::Number(n)) if n.abs() >= number::NEAR);
                let is_it = |e: &&Expr| match (&e.kind, place) {
                    (ExprKind::Var(v), Place::Var(w)) => v == w && level.vars[v.index()].bounds.is_none(),
                    (ExprKind::Field(_, f), Place::Field(_, g)) => {
                        f == g && r.whens.len() == 1 && of_its_own(e, level, *f)
                    }
                    _ => false,
                };
                if moves && watched.iter().any(is_it) {
                    say(s.span);
                }
            }
            StmtKind::Do(Action::Send { message, to: None, after: None, .. }) => {
                if matches!(message.kind, ExprKind::Const(Value::Message(m)) if heard(m)) {
                    say(s.span);
                }
            }
            _ => {}
        }
    }
}

/// A variable of each actor of one kind that is bounded by nothing.
fn of_its_own(e: &Expr, level: &Level, f: FieldId) -> bool {
    let ExprKind::Field(of, _) = &e.kind else { return false };
    let bounded = level.kinds.iter().any(|k| k.fields.get(f.index()).is_some_and(|v| v.bounds.is_some()));
    matches!(of.kind, ExprKind::Local(_) | ExprKind::Myself | ExprKind::Const(Value::Actor(_))) && !bounded
}

/// A flag of a kind that is false at first, and that is made true only by rules that ask for it to be true.
fn raised_by_themselves(level: &Level, all: &Everything, out: &mut Vec<Diagnostic>) {
    /// Each place where it is made true, and whether that asks for it first; none where it may be anything.
    type Raises = FxHashMap<(u32, u32), Option<Vec<(Span, bool)>>>;
    let mut raised: Raises = FxHashMap::default();
    let key = |r: &Rule, e: &Expr| match &e.kind {
        ExprKind::Var(v) => Some((u32::MAX, v.0)),
        ExprKind::Field(of, f) => kind_of(level, r, of).map(|k| (k.0, f.0)),
        _ => None,
    };
    let place = |r: &Rule, p: &Place| match p {
        Place::Var(v) => Some((u32::MAX, v.0)),
        Place::Field(of, f) => Some((kind_of(level, r, of).map_or(u32::MAX - 1, |k| k.0), f.0)),
        _ => None,
    };
    for r in &level.rules {
        let asked: FxHashSet<(u32, u32)> = r.clauses.iter().filter_map(|c| key(r, &c.test)).collect();
        for (n, b) in std::iter::once(&r.then).chain(&r.elses).chain(&r.otherwise).enumerate() {
            visit::stmts(b, &mut |s| {
                let StmtKind::Do(a) = &s.kind else { return };
                let Some(at) = super::used::root_place(a).and_then(|p| place(r, p)) else { return };
                let list = raised.entry(at).or_insert_with(|| Some(vec![]));
                match a {
                    Action::Assign { op: None, value: Expr { kind: ExprKind::Const(Value::Flag(v)), .. }, .. } => {
                        if let (true, Some(list)) = (*v, list.as_mut()) {
                            list.push((s.span, n == 0 && asked.contains(&at)));
                        }
                    }
                    _ => *list = None,
                }
            });
        }
    }
    // A routine, or a place whose kind is not known, may write anything.
    let unknown: FxHashSet<u32> = raised.keys().filter(|(k, _)| *k == u32::MAX - 1).map(|(_, f)| *f).collect();
    let mut by_routine = false;
    level.routines.iter().for_each(|r| visit::stmts(&r.body, &mut |s| by_routine |= matches!(s.kind, StmtKind::Do(_))));
    if by_routine {
        return;
    }
    let given: FxHashSet<u32> = super::used::given(level, all).into_iter().map(|(_, f)| f.0).collect();
    let related: FxHashSet<u32> =
        level.kinds.iter().enumerate().filter_map(|(i, k)| k.like.map(|base| [i as u32, base.0])).flatten().collect();
    let mut found: Vec<(Span, String, Span)> = vec![];
    for (at, list) in &raised {
        let Some(list) = list.as_ref().filter(|l| !l.is_empty() && l.iter().all(|(_, asks)| *asks)) else { continue };
        let var = if at.0 == u32::MAX {
            level.vars.get(at.1 as usize)
        } else {
            level.kinds.get(at.0 as usize).and_then(|k| k.fields.get(at.1 as usize))
        };
        let Some(var) = var.filter(|v| matches!(v.first.kind, ExprKind::Const(Value::Flag(false)))) else { continue };
        if at.0 != u32::MAX && (given.contains(&at.1) || unknown.contains(&at.1) || related.contains(&at.0)) {
            continue;
        }
        found.push((list[0].0, var.name.clone(), var.span));
    }
    found.sort_by_key(|(at, ..)| (at.file, at.start));
    for (at, name, declared) in found {
        let text = format!("`{name}` is made true only where it is true already, so it never is");
        let d =
            Diagnostic::finding("never-true", at, text, "ask for the opposite: `if not`, or make it true elsewhere");
        out.push(d.and(declared, "it is false at first"));
    }
}

/// The kind of whoever an expression of a rule names, where that is known.
fn kind_of(level: &Level, r: &Rule, e: &Expr) -> Option<KindId> {
    match &e.kind {
        ExprKind::Const(Value::Actor(a)) => level.actors.get(a.index()).map(|a| a.kind),
        ExprKind::Local(s) => match r.slots.get(*s as usize).map(|(_, ty)| ty.inner()) {
            Some(Ty::Actor(kind)) => *kind,
            _ => None,
        },
        ExprKind::Myself => r.owner,
        _ => None,
    }
}

/// A message that is sent to one actor whose kind does not hear it: the level's own rules do not either.
fn sent_to_the_deaf(level: &Level, all: &Everything, out: &mut Vec<Diagnostic>) {
    // By message, whose rules hear it; and whose hear whatever a variable names.
    let mut hearers: FxHashMap<MessageId, Vec<KindId>> = FxHashMap::default();
    let mut of_all: Vec<KindId> = vec![];
    for r in &level.rules {
        let Some(owner) = r.owner else { continue };
        for w in &r.whens {
            match &w.event {
                Event::Hears { message: Heard::One(m), .. } => hearers.entry(*m).or_default().push(owner),
                Event::Hears { message: Heard::Held(..), .. } => of_all.push(owner),
                _ => {}
            }
        }
    }
    let mut known: FxHashMap<(KindId, MessageId), bool> = FxHashMap::default();
    // Of a kind, one that derives from it may hear it as well.
    let mut hears = |k: KindId, m: MessageId| {
        *known.entry((k, m)).or_insert_with(|| {
            let owners = hearers.get(&m).into_iter().flatten().chain(&of_all);
            owners.into_iter().any(|o| level.is_kind(k, *o) || level.is_kind(*o, k))
        })
    };
    all.stmts.iter().for_each(|s| {
        let StmtKind::Do(Action::Send { message, to: Some(to), .. }) = &s.kind else { return };
        let ExprKind::Const(Value::Message(m)) = message.kind else { return };
        let kind = match to {
            SendTo::One(Expr { kind: ExprKind::Const(Value::Actor(a)), .. }) => {
                level.actors.get(a.index()).map(|a| a.kind)
            }
            SendTo::All(WhoSet::Kind(k)) => Some(*k),
            _ => None,
        };
        let Some(k) = kind.filter(|k| !hears(*k, m)) else { return };
        let (name, message) = (&level.kinds[k.index()].name, &level.messages[m.index()].name);
        let text =
            format!("no rule of `{name}` hears `{message}`, and what is sent to one alone is heard by its own rules");
        let help = format!("add `rule \"…\" {{ when hears {message}… }}` to `kind {name}`, or send it to all");
        out.push(Diagnostic::finding("never-heard", s.span, text, help));
    });
}
