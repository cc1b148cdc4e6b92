//! What can be said only once a whole level is read: what draws where it may not, in which rule a mistake stands, how
//! many mistakes are told.
//!
//! Invariant: nothing that is looked at again and again draws at random; at most [`MAX_ERRORS`] errors are told.

use super::{Checker, Told};
use crate::diagnostic::{Diagnostic, Severity};
use crate::level::*;
use crate::syntax::{Kind as K, Node};
use mayfly_base::code::*;
use mayfly_base::*;
use rustc_hash::FxHashMap;
use std::borrow::Cow;

/// Errors, and findings, that are told of one level.
pub(super) const MAX_ERRORS: usize = 500;

/// Of very many errors or findings only the first are told, and how many there are.
pub(super) fn limit(diagnostics: &mut Vec<Told>) {
    for severity in [Severity::Error, Severity::Finding] {
        let count = diagnostics.iter().filter(|d| d.severity == severity).count();
        if count <= MAX_ERRORS {
            continue;
        }
        let mut told = 0;
        let mut last = Span::default();
        diagnostics.retain(|d| {
            if d.severity != severity {
                // Where so much is wrong, the errors come first.
                return severity == Severity::Finding;
            }
            told += 1;
            if told <= MAX_ERRORS {
                last = d.span;
            }
            told <= MAX_ERRORS
        });
        let (more, help) = (count - MAX_ERRORS, "mend those above first");
        diagnostics.push(Cow::Owned(match severity {
            Severity::Error => Diagnostic::error("too-many", last, format!("there are {more} more errors"), help),
            Severity::Finding => Diagnostic::finding("too-many", last, format!("there are {more} more findings"), help),
        }));
    }
}

impl Checker {
    /// What is looked at again and again, by a notice or by whoever asks, draws nothing at random, also through a
    /// routine.
    pub(super) fn refuse_draws(&mut self) {
        if self.level.draws.is_empty() {
            return;
        }
        let draws = |draws: &[bool], e: &Expr| {
            let mut found = false;
            e.walk(&mut |e| match &e.kind {
                ExprKind::Draw(..) => found = true,
                ExprKind::Routine(r, _) => found |= draws[r.index()],
                _ => {}
            });
            found
        };
        let mut drawing = vec![false; self.level.routines.len()];
        // A routine that calls one that draws, draws: found when nothing is found any more.
        loop {
            let mut more = false;
            for (i, r) in self.level.routines.iter().enumerate().filter(|(_, r)| r.pure) {
                if drawing[i] {
                    continue;
                }
                let mut found = false;
                crate::visit::stmts(&r.body, &mut |s| {
                    crate::visit::exprs_of(s, &mut |e| found |= draws(&drawing, e));
                });
                drawing[i] = found;
                more |= found;
            }
            if !more {
                break;
            }
        }
        let mut wrong: Vec<(Span, &str, &str)> = vec![];
        for d in &self.level.defines {
            if draws(&drawing, &d.expr) && !matches!(d.expr.kind, ExprKind::Draw(..)) {
                wrong.push((
                    d.expr.span,
                    "a defined value draws nothing at random",
                    "draw into a variable, and use that",
                ));
            }
        }
        for w in &self.level.watches {
            if draws(&drawing, &w.expr) {
                wrong.push((
                    w.expr.span,
                    "what is awaited draws nothing at random",
                    "draw into a variable, and await that",
                ));
            }
        }
        crate::visit::all_stmts(&self.level, &mut |s| {
            let (text, test) = match &s.kind {
                StmtKind::Do(Action::Prompt { text, sustain, .. } | Action::Board { text, sustain }) => (text, sustain),
                StmtKind::WaitUntil { test, .. } => (test, &None),
                _ => return,
            };
            if [Some(text), test.as_ref()].into_iter().flatten().any(|e| draws(&drawing, e)) {
                let text = "what stands on the screen or is waited for is looked at again and draws nothing at random";
                wrong.push((s.span, text, "draw into a variable, and use that"));
            }
        });
        for r in &self.level.rules {
            let eventless = r.whens.is_empty() && matches!(r.part, Some(Part::Transition { .. }));
            let clauses = r.clauses.iter().filter(|_| eventless).map(|c| &c.test);
            if clauses.chain(&r.limits.awake).any(|e| draws(&drawing, e)) {
                let text = "a test that is looked at again and again draws nothing at random";
                wrong.push((r.span, text, "draw into a variable, and test that"));
            }
        }
        for (span, text, help) in wrong {
            if !self.diagnostics.iter().any(|d| d.code == "define-draws" && d.span == span) {
                self.error("define-draws", span, text, help);
            }
        }
    }

    /// Whatever messages one variable holds take the same values: whoever sends what it holds gives these.
    pub(super) fn refuse_mixed_messages(&mut self) {
        use super::used::declaring;
        let level = &self.level;
        if level.messages.len() < 2 {
            return;
        }
        let mut held: FxHashMap<String, MessageId> = FxHashMap::default();
        let mut wrong: Vec<(Span, MessageId, MessageId)> = vec![];
        let half_known = &self.gaps.messages;
        let same = |a: MessageId, b: MessageId| {
            if half_known.contains(&a) || half_known.contains(&b) {
                return true;
            }
            let types = |m: MessageId| level.messages[m.index()].params.iter().map(|(_, t)| t);
            types(a).eq(types(b))
        };
        let mut take = |key: String, e: &Expr| {
            let ExprKind::Const(Value::Message(m)) = e.kind else { return };
            match held.get(&key) {
                Some(first) if !same(*first, m) => wrong.push((e.span, *first, m)),
                Some(_) => {}
                None => drop(held.insert(key, m)),
            }
        };
        let of = |k: KindId, f: FieldId| format!("{}.{}", declaring(level, k, f).0, f.0);
        level.vars.iter().enumerate().for_each(|(i, v)| take(format!("v{i}"), &v.first));
        for (k, kind) in level.kinds.iter().enumerate() {
            for (f, v) in kind.fields.iter().enumerate() {
                take(of(KindId::at(k), FieldId::at(f)), &v.first);
            }
        }
        let placed = level.actors.iter().map(|a| (Some(a.kind), &a.overrides));
        for (kind, all) in placed.chain(level.zones.iter().map(|z| (z.kind, &z.overrides))) {
            for o in all {
                if let (Some(k), Override::Field(f, e)) = (kind, o) {
                    take(of(k, *f), e);
                }
            }
        }
        crate::visit::all_stmts(level, &mut |s| {
            let StmtKind::Do(Action::Assign { place, op: None, value }) = &s.kind else { return };
            match place {
                Place::Var(v) => take(format!("v{}", v.0), value),
                Place::Field(base, f) => {
                    if let Some(k) = self.used.base_kind(base.span, *f) {
                        take(of(k, *f), value);
                    }
                }
                _ => {}
            }
        });
        for (span, first, other) in wrong {
            let form = |m: MessageId| {
                let m = &self.level.messages[m.index()];
                let list: Vec<String> = m.params.iter().map(|(n, t)| format!("{n}: {}", t.show(self))).collect();
                format!("`{}({})`", m.name, list.join(", "))
            };
            let help = format!(
                "all messages of one variable take the same values: {} and {} do not",
                form(first),
                form(other)
            );
            let name = &self.level.messages[other.index()].name;
            let text = format!("`{name}` is a message with other values than those of this variable");
            if !self.diagnostics.iter().any(|d| d.span == span) {
                self.error("wrong-type", span, text, help);
            }
        }
    }

    /// Says of each mistake that is told in which rule it stands.
    pub(super) fn name_rules(&mut self, root: &Node, told: &mut [Diagnostic]) {
        let mut last: Option<(Span, Box<str>)> = None;
        for d in told.iter_mut().filter(|d| d.code != "too-many") {
            let holds =
                |(at, _): &(Span, Box<str>)| at.file == d.span.file && at.range().contains(&d.span.range().start);
            if !last.as_ref().is_some_and(holds) {
                last = self.rule_at(root, d.span).filter(holds);
            }
            d.rule = last.as_ref().map(|(_, title)| title.clone());
        }
        // What is wrong with a title was told when its rule was read.
        self.diagnostics.clear();
    }

    /// The rule in which something lies, and its title.
    fn rule_at(&mut self, root: &Node, at: Span) -> Option<(Span, Box<str>)> {
        let file = self.project.parts.iter().find(|p| p.file == at.file)?.start;
        let rule = root.token_at(at.start as usize + file)?.parent()?.ancestors().find(|n| n.kind() == K::RULE)?;
        let title = rule.tok(K::TEXT)?;
        Some((self.span(&rule), self.plain_text(&title).into()))
    }
}
