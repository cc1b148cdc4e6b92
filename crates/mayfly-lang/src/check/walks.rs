//! Orders to walk, and waits for an event.
//!
//! An event that is waited for stands in the table of rules as a rule with [`Part::Wait`]: it is
//! dispatched as any other, and awake while a run waits for it.
//!
//! Invariant: an order to walk has one goal.

use super::events::Bound;
use super::{Checker, Frame};
use crate::ast::{self, AstNode};
use crate::level::*;
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;

impl Checker {
    /// `walk WHO to P`, `along PATH`, `after WHO`, `away from WHO`.
    pub fn walk(&mut self, n: &Node, first: &Node, f: &mut Frame) -> Option<StmtKind> {
        let span = self.span(n);
        let form = ast::Walk::cast(n)?;
        let given = [form.to(), form.along(), form.after(), form.away()];
        let count = given.iter().flatten().count();
        if count != 1 {
            let what = if count == 0 { "where this walks is missing" } else { "this walks to two goals" };
            self.error(
                "no-goal",
                span,
                what,
                "write `walk heron to (9, 9)`, `along rounds`, `after keeper` or `away from keeper`",
            );
            return None;
        }
        let who = self.expect(first, &Ty::Actor(None), f);
        let goal = match given {
            [Some(e), ..] => WalkGoal::To(self.actor_or_point(&e, f)),
            [_, Some(e), ..] => WalkGoal::Along(self.expect(&e, &Ty::Path, f)),
            [_, _, Some(e), _] => WalkGoal::After(self.expect(&e, &Ty::Actor(None), f)),
            [_, _, _, e] => WalkGoal::AwayFrom(self.actor_or_point(&e?, f)),
        };
        let speed = form.speed().map(|e| self.expect(&e, &Ty::Number, f));
        let lasts = form.lasts().map(|e| self.expect(&e, &Ty::Duration, f));
        let nearest = form.from_nearest();
        if nearest && !matches!(goal, WalkGoal::Along(_)) {
            self.error(
                "no-path",
                span,
                "only a path has a nearest point",
                "write `walk heron along rounds from nearest`, or take `from nearest` out",
            );
        }
        let walk = Walk { who, goal, speed, straight: form.straight(), lasts, nearest };
        let act = Stmt { kind: StmtKind::Do(Action::Walk(Box::new(walk))), span };
        if !form.and_wait() {
            return Some(act.kind);
        }
        Some(StmtKind::Seq(vec![act, Stmt { kind: StmtKind::WaitWalk, span }]))
    }

    /// `wait for EVENT [for at most D]`.
    pub fn wait_for(&mut self, n: &Node, f: &mut Frame) -> Option<StmtKind> {
        let parts = n.all(K::PART);
        let event_node =
            parts.iter().find_map(|p| p.children().find(|c| matches!(c.kind(), K::EVENT | K::EVENT_EXPR)))?;
        let span = self.span(&event_node);
        let at_most = parts.iter().find(|p| p.has_word("most")).and_then(|p| p.expr());
        let at_most = at_most.map(|e| self.expect(&e, &Ty::Duration, f));
        let waiting = std::mem::replace(&mut f.waiting, true);
        let mut bound = Bound::default();
        let event = self.event(&event_node, f, &mut bound);
        f.waiting = waiting;
        let event = event?;
        if matches!(event, Event::Start | Event::Tick | Event::Every { .. } | Event::After(_)) {
            self.error("wait-for-time", span, "time is not waited for as an event", "write `wait 2s`");
            return None;
        }
        let id = RuleId::at(self.level.rules.len());
        let title = format!("{}: wait for {}", f.title, Self::text_of(&event_node));
        let whens = vec![When { event, span }];
        self.level.rules.push(Rule { part: Some(Part::Wait), whens, ..Rule::unread(title, f.me, span) });
        Some(StmtKind::WaitFor { event: id, at_most })
    }
}
