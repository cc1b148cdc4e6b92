//! How near a watched expression came in the flight so far: when it was true, how near a number came to its
//! bound, and where it was stepped over.
//!
//! Invariant: only closed ticks up to the moment count; at most [`LOOK_BACK`] of them are looked at.

use crate::session::Session;
use crate::why_not::Fact;
use crate::words::Words;
use mayfly_base::arith::BinOp;
use mayfly_base::code::{Expr, ExprKind, WatchForm};
use mayfly_base::*;

/// Ticks of the flight that are looked at again.
const LOOK_BACK: u64 = 5_000;

/// What is followed of one expression for one actor.
struct Followed {
    actor: Option<ActorId>,
    /// The last value, and what it is compared with.
    last: Option<(f64, f64)>,
    /// Tick, from, to, and the bound that was passed.
    stepped: Option<(u64, f64, f64, f64)>,
    stepped_times: u64,
    nearest: Option<(f64, f64, u64)>,
    was_true: Option<(u64, u64)>,
}

impl Session {
    /// What the flight so far says of a watch in that form, of at most three actors.
    pub fn past_of(&mut self, watch: WatchId, form: &WatchForm) -> Vec<Fact> {
        let expr = self.engine.program.watches[watch.index()].expr.clone();
        let engine = self.engine.clone();
        let parts = numbers(&expr, form);
        let follow = |s: &mayfly_engine::world::WatchState| Followed {
            actor: s.actor,
            last: None,
            stepped: None,
            stepped_times: 0,
            nearest: None,
            was_true: None,
        };
        let mut all: Vec<Followed> = self.now.world.watched[watch.index()].iter().take(3).map(follow).collect();
        let to = (self.moment.tick + 1).min(self.history.live_tick());
        let from = to.saturating_sub(LOOK_BACK);
        self.history.scan(&engine, from, to, |tick, _, world| {
            for f in &mut all {
                let number = |e: &Expr| match crate::values::of(&engine, world, e, f.actor, &[]) {
                    Ok(Value::Number(n)) => Some(n),
                    _ => None,
                };
                if let Some((a, b)) = &parts
                    && let (Some(a), Some(b)) = (number(a), number(b))
                {
                    f.follow(tick, a, b, form);
                }
                if crate::values::of(&engine, world, &expr, f.actor, &[]) == Ok(Value::Flag(true)) {
                    f.was_true = match f.was_true {
                        Some((begin, last)) if last + 1 == tick => Some((begin, tick)),
                        _ => Some((tick, tick)),
                    };
                }
            }
            false
        });
        let words = Words::new(&self.engine.program, &self.now.world);
        let several = all.len() > 1;
        let subject = parts.as_ref().map_or(String::new(), |(a, _)| crate::explain::source(&self.sources, a.span));
        all.iter()
            .flat_map(|f| {
                let of = f.actor.filter(|_| several).map_or(String::new(), |a| format!(" of {}", words.actor(a)));
                f.facts(&subject, &of, form)
            })
            .collect()
    }
}

/// The number that is looked at, and what it is compared with.
fn numbers(e: &Expr, form: &WatchForm) -> Option<(Expr, Expr)> {
    match (form, &e.kind) {
        (WatchForm::Reaches(n) | WatchForm::DropsTo(n), _) => Some((e.clone(), n.clone())),
        (WatchForm::TurnsTrue, ExprKind::Binary(BinOp::Eq, a, b)) => Some(((**a).clone(), (**b).clone())),
        _ => None,
    }
}

impl Followed {
    fn follow(&mut self, tick: u64, a: f64, b: f64, form: &WatchForm) {
        if let (WatchForm::TurnsTrue, Some((was, bound))) = (form, self.last)
            && (was - bound) * (a - b) < 0.0
        {
            self.stepped = Some((tick, was, a, b));
            self.stepped_times += 1;
        }
        let nearer = self.nearest.is_none_or(|(n, bound, _)| (a - b).abs() < (n - bound).abs());
        if nearer {
            self.nearest = Some((a, b, tick));
        }
        self.last = Some((a, b));
    }

    fn facts(&self, subject: &str, of: &str, form: &WatchForm) -> Vec<Fact> {
        let show = number::show_number;
        let mut out = vec![];
        if let Some((tick, from, to, bound)) = self.stepped {
            let times =
                if self.stepped_times > 1 { format!(", {} times in all", self.stepped_times) } else { String::new() };
            out.push(Fact {
                text: format!(
                    "{subject}{of} went {} → {} at tick {tick}{times}: {} was stepped over",
                    show(from),
                    show(to),
                    show(bound)
                ),
                good: Some(false),
            });
        } else if let (Some((n, bound, tick)), None) = (self.nearest, self.was_true) {
            out.push(Fact {
                text: format!("the nearest that {subject}{of} came to {} is {}, at tick {tick}", show(bound), show(n)),
                good: None,
            });
        }
        if let (Some((begin, end)), WatchForm::TurnsTrue | WatchForm::TurnsFalse) = (self.was_true, form) {
            let text = if begin == end { format!("at tick {begin}") } else { format!("from tick {begin} to {end}") };
            out.push(Fact { text: format!("it was last true{of} {text}"), good: None });
        }
        out
    }
}
