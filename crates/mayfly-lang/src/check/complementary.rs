//! The finding `complementary`: two rules on one event, one of which undoes what the other waits for.
//!
//! What two tests have in common is read off their form alone; nothing is computed.
//!
//! Invariant: rules whose tests exclude each other by the event's own values are never named.

use super::used::root_place;
use crate::diagnostic::Diagnostic;
use crate::level::*;
use mayfly_base::code::*;
use mayfly_base::*;
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::BTreeMap;
use std::mem::{Discriminant, discriminant};

/// Rules on one event that are compared with each other at most.
const MAX_PAIRED: usize = 100;

/// Two rules on one event, one of which tests what the other denies and writes it: both fire in a row.
pub(super) fn complementary(level: &Level) -> Vec<Diagnostic> {
    let mut out = vec![];
    let mut told: FxHashSet<(usize, usize)> = FxHashSet::default();
    for (i, j) in on_one_event(level) {
        let (a, b) = (&level.rules[i], &level.rules[j]);
        if told.insert((i, j)) {
            let Some((test, _)) = a
                .clauses
                .iter()
                .find_map(|x| b.clauses.iter().find(|y| denies(&x.test, &y.test)).map(|y| (&x.test, &y.test)))
            else {
                continue;
            };
            if !writes_what(&a.then, test) || exclude(a, b) {
                continue;
            }
            out.push(
                Diagnostic::finding(
                    "complementary",
                    b.span,
                    format!(
                        "\"{}\" and \"{}\" can both fire for one event: the first makes the other's test true",
                        a.title, b.title
                    ),
                    "put both into `first of \"title\" { … }`, or write one rule with an `else`",
                )
                .and(a.span, "the first is here"),
            );
        }
    }
    out
}

/// Pairs of rules with clauses that await the same event, the earlier first.
pub(super) fn on_one_event(level: &Level) -> Vec<(usize, usize)> {
    let awaits = level.rules.iter().enumerate().flat_map(|(i, r)| {
        let alone = r.part.is_none() && r.group.is_none() && !r.clauses.is_empty();
        r.whens.iter().filter(move |_| alone).map(move |w| (i, r.owner, &w.event))
    });
    // Most events are alone in being about their zone or message: they are not written out.
    let mut about: FxHashMap<_, usize> = FxHashMap::default();
    awaits.clone().for_each(|(_, owner, e)| *about.entry((owner, subject(e))).or_default() += 1);
    let mut by_event: BTreeMap<(Option<KindId>, String), Vec<usize>> = BTreeMap::new();
    for (i, owner, e) in awaits.filter(|(_, owner, e)| about[&(*owner, subject(e))] > 1) {
        by_event.entry((owner, format!("{:?}", bare(e)))).or_default().push(i);
    }
    let mut out = vec![];
    for list in by_event.values() {
        for (n, i) in list.iter().enumerate().take(MAX_PAIRED) {
            out.extend(list[n + 1..].iter().take(MAX_PAIRED).filter(|j| *j != i).map(|j| (*i, *j)));
        }
    }
    out.sort_unstable();
    out
}

/// Of equal events the same: their sort, and the zone, message, state, input or test that they are about.
fn subject(e: &Event) -> (Discriminant<Event>, usize) {
    let about = match e {
        Event::Zone { zone: ZoneWhich::Level(z) | ZoneWhich::Of(z, _), .. } => z.index(),
        Event::Hears { message: Heard::One(m), .. } => m.index(),
        Event::Machine { state, .. } => state.index(),
        Event::Watched { watch, .. } => watch.index(),
        Event::Press(p) => p.input.index(),
        _ => 0,
    };
    (discriminant(e), about)
}

/// An event without the places where its expression and its periods stand.
pub(super) fn bare(e: &Event) -> Event {
    let mut e = e.clone().by_ticks();
    let placed = match &mut e {
        Event::Press(p) => p.near.as_mut().and_then(|(_, within)| within.as_mut()),
        Event::TimerEnds(x) | Event::Hears { message: Heard::Held(x, _), .. } => Some(x),
        Event::Arrives { at, .. } => at.as_mut(),
        Event::Watched { form: WatchForm::Reaches(x) | WatchForm::DropsTo(x), .. } => Some(x),
        Event::Zone { zone: ZoneWhich::Held(x), .. } => Some(&mut **x),
        _ => None,
    };
    if let Some(x) = placed {
        x.span = Span::default();
    }
    e
}

/// The same expression, wherever it stands.
pub(super) fn same(a: &Expr, b: &Expr) -> bool {
    match (&a.kind, &b.kind) {
        (ExprKind::Field(x, f), ExprKind::Field(y, g)) => f == g && same(x, y),
        (ExprKind::Attr(x, f), ExprKind::Attr(y, g)) => f == g && same(x, y),
        (ExprKind::Binary(o, a, b), ExprKind::Binary(p, c, d)) => o == p && same(a, c) && same(b, d),
        (ExprKind::Not(x), ExprKind::Not(y)) => same(x, y),
        (x, y) => x == y,
    }
}

fn denies(a: &Expr, b: &Expr) -> bool {
    let not = |x: &Expr, y: &Expr| matches!(&x.kind, ExprKind::Not(inner) if same(inner, y));
    let opposite = |o: BinOp, p: BinOp| matches!((o, p), (BinOp::Eq, BinOp::Ne) | (BinOp::Ne, BinOp::Eq));
    let compared = match (&a.kind, &b.kind) {
        (ExprKind::Binary(o, x, y), ExprKind::Binary(p, u, v)) => opposite(*o, *p) && same(x, u) && same(y, v),
        _ => false,
    };
    not(a, b) || not(b, a) || compared
}

/// True where two rules of one event exclude each other by what the event itself says: `n == 1` and `n == 5`.
fn exclude(a: &Rule, b: &Rule) -> bool {
    let asks = |r: &Rule| -> Vec<(Slot, Value)> {
        let one = |c: &Clause| match &c.test.kind {
            ExprKind::Binary(BinOp::Eq, x, y) => match (&x.kind, &y.kind) {
                (ExprKind::Local(s), ExprKind::Const(v)) | (ExprKind::Const(v), ExprKind::Local(s)) => {
                    Some((*s, v.clone()))
                }
                _ => None,
            },
            _ => None,
        };
        r.clauses.iter().filter_map(one).collect()
    };
    let (x, y) = (asks(a), asks(b));
    x.iter().any(|(s, v)| y.iter().any(|(t, w)| s == t && !v.same(w)))
}

/// True where a block writes, at its top, something that the test reads.
fn writes_what(block: &Block, test: &Expr) -> bool {
    let mut writes = false;
    for s in block {
        let StmtKind::Do(a) = &s.kind else { continue };
        let Some(p) = root_place(a) else { continue };
        test.walk(&mut |e| {
            writes |= match (p, &e.kind) {
                (Place::Var(v), ExprKind::Var(w)) => v == w,
                (Place::Field(x, f), ExprKind::Field(y, g)) => f == g && same(x, y),
                (Place::Attr(x, f), ExprKind::Attr(y, g)) => f == g && same(x, y),
                _ => false,
            };
        });
    }
    writes
}
