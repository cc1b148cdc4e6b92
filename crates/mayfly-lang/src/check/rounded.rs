//! Durations that are no whole number of ticks, so that what waits for them waits longer than is written.
//!
//! Not here: how a duration becomes ticks ([`mayfly_base::time`]).
//!
//! Invariant: each such period of a rule is told, whether the rule was read or taken as it was: it is read off the rules.

use super::Checker;
use crate::diagnostic::Diagnostic;
use crate::level::*;
use crate::visit::Everything;
use mayfly_base::code::*;
use mayfly_base::time::{self, Micros, Rate};
use mayfly_base::{Span, Value, number};

impl Checker {
    /// Periods of rules that are no whole number of ticks.
    pub(super) fn rounded_periods(&mut self) {
        let rate = self.level.rate;
        // Many rules have one period: what is said of it is worded once.
        let mut last: Option<(Micros, Option<Diagnostic>)> = None;
        let mut see = |p: &Period| {
            if last.as_ref().is_none_or(|(lasts, _)| *lasts != p.lasts) {
                last = Some((p.lasts, rounded(rate, p.lasts, p.span)));
            }
            let said = last.iter().filter_map(|(_, said)| said.as_ref());
            self.diagnostics.extend(said.map(|said| Diagnostic { span: p.span, ..said.clone() }));
        };
        for r in &self.level.rules {
            r.whens.iter().flat_map(|w| w.event.periods()).for_each(&mut see);
            r.limits.cooldown.iter().for_each(|(period, _)| see(period));
        }
    }
}

/// Waits that are no whole number of ticks.
pub(super) fn rounded_waits(level: &Level, all: &Everything) -> Vec<Diagnostic> {
    let finding = |s: &&Stmt| match &s.kind {
        StmtKind::Wait(Expr { kind: ExprKind::Const(Value::Duration(d)), span }) => rounded(level.rate, *d, *span),
        _ => None,
    };
    all.stmts.iter().filter_map(finding).collect()
}

/// A duration that is no whole number of ticks.
fn rounded(rate: Rate, duration: Micros, at: Span) -> Option<Diagnostic> {
    if !rate.rounds(duration) {
        return None;
    }
    let n = rate.ticks(duration);
    let text = format!(
        "at {} a second this is {}, {} in truth",
        number::counted(rate.0 as usize, "tick"),
        number::counted(n as usize, "tick"),
        time::show(rate.micros(n), None)
    );
    Some(Diagnostic::finding("rounded", at, text, "write a whole number of ticks, or leave it so"))
}
