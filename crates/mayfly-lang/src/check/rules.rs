//! Rules: their events, clauses, limiters and blocks.
//!
//! Invariant: rules stand in the table in source order, those of kinds where the kind stands.

use super::events::Bound;
use super::kept::Unit;
use super::todo::Todo;
use super::unchanged::Unchanged;
use super::{Before, Checker, Frame};
use crate::ast::{self, AstNode};
use crate::diagnostic::{Diagnostic, Severity};
use crate::level::*;
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;
use rustc_hash::FxHashMap;

impl Checker {
    /// The first rule of that title and owner. All rules are known before the first statement is read.
    pub fn rule_titled(&mut self, title: &str, owner: Option<KindId>) -> Option<RuleId> {
        let rules = &self.level.rules;
        let titles = self.rule_titles.get_or_insert_with(|| {
            let all = rules.iter().enumerate().rev();
            all.map(|(i, r)| ((r.owner, r.title.clone()), RuleId::at(i))).collect()
        });
        titles.get(&(owner, title.to_string())).copied()
    }

    /// Reads all rules; those that mean what they meant `before` are taken as they were.
    pub fn fill_rules(&mut self, root: &Node, before: Option<&Before>) {
        self.proposals.all_is_declared();
        let mut todo: Vec<Todo> = vec![];
        let mut groups = 0;
        for n in root.children() {
            match n.kind() {
                K::RULE => todo.push(Todo::Rule(n, None)),
                K::FIRST_OF => {
                    groups += 1;
                    todo.extend(n.all(K::RULE).into_iter().map(|r| Todo::Grouped(r, None, groups)));
                }
                K::MACHINE_DECL => {
                    let mut parts = vec![];
                    self.machine_parts(&n, None, &mut parts);
                    todo.extend(parts.into_iter().map(Todo::Part));
                }
                K::KIND_DECL => {
                    let Some(owner) = self.kind_at(&n) else { continue };
                    for c in n.child(K::BODY).iter().flat_map(|b| b.children()) {
                        match c.kind() {
                            K::RULE => todo.push(Todo::Rule(c, Some(owner))),
                            K::FIRST_OF => {
                                groups += 1;
                                todo.extend(c.all(K::RULE).into_iter().map(|r| Todo::Grouped(r, Some(owner), groups)));
                            }
                            K::MACHINE_DECL => {
                                let mut parts = vec![];
                                self.machine_parts(&c, Some(owner), &mut parts);
                                todo.extend(parts.into_iter().map(Todo::Part));
                            }
                            _ => {}
                        }
                    }
                }
                _ => {}
            }
        }
        // Titles first: a rule can switch another that stands later.
        let mut titles: FxHashMap<(Option<KindId>, String), Span> = FxHashMap::default();
        for t in &todo {
            let (n, owner, prefix) = match t {
                Todo::Rule(n, owner) | Todo::Grouped(n, owner, _) => (n, owner, None),
                Todo::Part(p) => (&p.node, &p.owner, Some(&p.title)),
            };
            let title = n.tok(K::TEXT).map(|t| self.plain_text(&t)).unwrap_or_default();
            let span = n.tok(K::TEXT).map_or_else(|| self.span(n), |t| self.token_span(&t));
            let title = match prefix {
                Some(p) if title.is_empty() => p.clone(),
                Some(p) => format!("{p} / {title}"),
                None => title,
            };
            let is_part = prefix.is_some() && n.kind() != K::RULE;
            // What a machine does is no rule of its own, but its title is taken all the same.
            let at = *titles.entry((*owner, title.clone())).or_insert(span);
            if at != span && !is_part {
                self.diagnostics.push(
                    Diagnostic::error(
                        "title-taken",
                        span,
                        format!("there are two rules \"{title}\""),
                        "a title tells a rule from all others: change one of the two",
                    )
                    .and(at, "the other is here"),
                );
            }
            let group = if let Todo::Grouped(_, _, g) = t { Some(*g) } else { None };
            self.level.rules.push(Rule { group, doc: Self::doc_of(n), ..Rule::unread(title, *owner, span) });
        }
        let unchanged = before.and_then(|b| Unchanged::of(self, b, root, &todo));
        self.read_rules(&todo, unchanged);
    }

    /// Reads all of them but those that are `unchanged`.
    fn read_rules(&mut self, todo: &[Todo], mut unchanged: Option<Unchanged>) {
        for (i, t) in todo.iter().enumerate() {
            let id = RuleId::at(i);
            let unit = unchanged.as_mut().and_then(|u| u.take(self, id, t)).unwrap_or_else(|| {
                let unit = self.unit(id, t);
                self.rules_read += 1;
                if let Some(u) = &mut unchanged {
                    u.note(self, id, &unit);
                }
                unit
            });
            self.units.push(unit);
        }
        if let Some(u) = unchanged {
            u.take_known(self);
        }
    }

    /// Reads one of them into its rule, and tells what it added.
    pub(super) fn unit(&mut self, id: RuleId, t: &Todo) -> Unit {
        let (told, added) = (self.diagnostics.len(), self.pools());
        let (n, owner, part) = match t {
            Todo::Rule(n, owner) | Todo::Grouped(n, owner, _) => {
                self.rule(id, n, *owner);
                (n, *owner, None)
            }
            Todo::Part(p) => {
                self.machine_part(id, p);
                (&p.node, p.owner, Some((p.title.clone(), p.part)))
            }
        };
        self.forget_unbound(n, told);
        self.forget_unasked(n, told);
        Unit { at: self.span(n), owner, part, told: told..self.diagnostics.len(), from: added, to: self.pools() }
    }

    /// Where a test that asks of which kind one is has a mistake, that the kind is not known behind it is the same mistake.
    fn forget_unasked(&mut self, n: &Node, told: usize) {
        let later = &self.diagnostics[told..];
        if !later.iter().any(|d| d.code == "unknown-kind") {
            return;
        }
        let wrong: Vec<Span> = later.iter().filter(|d| d.code == "unknown-name").map(|d| d.span).collect();
        let asks = n.descendants().filter(|t| t.kind() == K::BINARY_EXPR && t.has_word("is"));
        let is_wrong = |at: &Span| wrong.iter().any(|w| w.file == at.file && at.start <= w.start && w.end <= at.end);
        let first = asks.map(|t| self.span(&t)).filter(is_wrong).map(|at| at.end).min();
        if let Some(first) = first {
            let mut at = 0;
            self.diagnostics.retain(|d| {
                at += 1;
                at <= told || d.code != "unknown-kind" || d.span.start < first
            });
        }
    }

    /// What an event binds is not known where it is not understood: that its names are not declared is the same mistake.
    fn forget_unbound(&mut self, n: &Node, told: usize) {
        if self.diagnostics[told..].iter().filter(|d| d.severity == Severity::Error).count() == 0 {
            return;
        }
        let inside =
            |d: &Diagnostic, at: Span| d.span.file == at.file && at.start <= d.span.start && d.span.start <= at.end;
        let whens: Vec<Span> = n.all(K::WHEN).iter().map(|w| self.span(w)).collect();
        let of_event = |d: &Diagnostic| whens.iter().find(|w| d.severity == Severity::Error && inside(d, **w)).copied();
        let broken = |w: &&Span| self.is_ungrammatical(**w);
        let mut wrong: Vec<Span> = whens.iter().filter(broken).copied().collect();
        // A line of the rule that is not understood may have been meant as its event.
        let lines = n.all(K::BROKEN).into_iter().chain((whens.is_empty()).then(|| n.clone()));
        wrong.extend(lines.map(|l| self.span(&l)).filter(|l| self.is_ungrammatical(*l)));
        if wrong.is_empty() && !self.diagnostics[told..].iter().any(|d| of_event(d).is_some()) {
            return;
        }
        let later = self.diagnostics.split_off(told);
        // Which names a line binds is not known either.
        let unclear = !wrong.is_empty() || later.iter().any(|d| d.code != "other-names" && of_event(d).is_some());
        let is_name = |d: &Diagnostic| matches!(d.code, "unknown-name" | "kind-for-actor" | "wrong-type");
        for d in later {
            if d.code == "other-names" && unclear {
                continue;
            }
            match of_event(&d) {
                // What stands behind the first mistake of an event is read as it was not meant.
                Some(at) if is_name(&d) && wrong.contains(&at) => {}
                Some(at) => {
                    wrong.push(at);
                    self.diagnostics.push(d);
                }
                None if is_name(&d) && !wrong.is_empty() => {}
                None => self.diagnostics.push(d),
            }
        }
    }

    pub fn rule(&mut self, id: RuleId, n: &Node, owner: Option<KindId>) {
        let title_span = self.level.rules[id.index()].span;
        let title = match owner {
            Some(k) => format!("{} / {}", self.level.kinds[k.index()].name, self.level.rules[id.index()].title),
            None => self.level.rules[id.index()].title.clone(),
        };
        let mut f = Frame { me: owner, title, ..Frame::default() };
        let (whens, bound) = self.whens(n, &mut f, title_span);
        let mut limits = Limits::default();
        let mut given: Vec<String> = vec![];
        for l in n.all(K::LIMITER) {
            self.refuse_twice(&l, &mut given);
            self.limiter(&l, &mut limits, &mut f);
        }
        let (mut clauses, mut elses) = (vec![], vec![]);
        for c in n.all(K::CLAUSE) {
            let otherwise = c.child(K::ELSE).and_then(|e| e.child(K::BLOCK)).map(|b| {
                elses.push(self.block(&b, &mut f));
                elses.len() - 1
            });
            let Some(test) = c.expr() else { continue };
            self.clause(&test, otherwise, &mut clauses, &mut f);
        }
        let thens = n.all(K::THEN);
        if let Some(second) = thens.get(1) {
            let span = self.span(second);
            self.error(
                "two-thens",
                Span { end: span.start + 4, ..span },
                "this rule has a second `then`",
                "put its actions into the first",
            );
        }
        let then_block = thens.first().and_then(|t| t.child(K::BLOCK));
        if thens.is_empty() {
            self.error("no-then", title_span, "this rule does nothing", "add `then { … }` with what it does");
        }
        let then = then_block.map(|b| self.block(&b, &mut f)).unwrap_or_default();
        f.known.clear();
        let otherwise = n.child(K::ELSE).and_then(|e| e.child(K::BLOCK)).map(|b| self.block(&b, &mut f));
        let r = &mut self.level.rules[id.index()];
        r.whens = whens;
        r.clauses = clauses;
        r.elses = elses;
        r.limits = limits;
        r.then = then;
        r.otherwise = otherwise;
        r.slots = f.slots;
        r.bound = bound;
    }

    /// All `when` lines; they must bind the same names.
    pub fn whens(&mut self, n: &Node, f: &mut Frame, title_span: Span) -> (Vec<When>, usize) {
        let nodes = n.all(K::WHEN);
        if nodes.is_empty() {
            self.error(
                "no-when",
                title_span,
                "nothing starts this rule",
                "add a `when` line: `when person enters jetty`",
            );
        }
        let mut whens = vec![];
        let mut first: Option<Vec<String>> = None;
        for w in &nodes {
            let Some(e) = w.children().find(|c| matches!(c.kind(), K::EVENT | K::EVENT_EXPR)) else { continue };
            let mut bound = Bound::default();
            let span = self.span(&e);
            let event = self.event(&e, f, &mut bound);
            if let Some(event) = event {
                whens.push(When { event, span });
                let mut names: Vec<String> = bound.names.iter().map(|(n, _, _)| n.clone()).collect();
                names.sort_unstable();
                match &first {
                    None => first = Some(names),
                    Some(other) if *other != names => {
                        let said = |l: &[String]| if l.is_empty() { "no names".to_string() } else { l.join(", ") };
                        self.error(
                            "other-names",
                            span,
                            format!("this line binds {}, the first `when` {}", said(&names), said(other)),
                            "all `when` lines of a rule must bind the same names; use `as`, or write two rules",
                        );
                    }
                    Some(_) => {}
                }
            }
        }
        (whens, f.slots.len())
    }

    /// A clause; a top-level `and` parts it into clauses.
    pub fn clause(&mut self, test: &Node, otherwise: Option<usize>, out: &mut Vec<Clause>, f: &mut Frame) {
        if test.kind() == K::BINARY_EXPR && test.word() == "and" {
            for part in test.exprs() {
                self.clause(&part, otherwise, out, f);
            }
            return;
        }
        let clause = self.expect(test, &Ty::Flag, f);
        out.push(Clause { test: clause, otherwise });
        // What it makes sure of holds for the clauses after it, and for what the rule does.
        self.know(test, f);
    }

    /// Of two tests, ranks or policies only one would count.
    fn refuse_twice(&mut self, l: &Node, given: &mut Vec<String>) {
        let word = l.word();
        if !["while", "off", "priority", "again"].contains(&word) {
            return;
        }
        if given.iter().any(|w| w == word) {
            let help = if word == "while" { "join the two with `and`" } else { "take one of the two out" };
            self.error("name-taken", self.span(l), format!("this rule has `{word}` twice"), help);
        }
        given.push(word.to_string());
    }

    fn limiter(&mut self, l: &Node, limits: &mut Limits, f: &mut Frame) {
        let span = self.span(l);
        let words = l.words();
        let value = l.expr();
        let per = match ast::Limiter::cast(l).and_then(|l| l.per()) {
            None => Per::Rule,
            Some(e) => {
                let name = Self::text_of(&e);
                let at = self.span(&e);
                match f.find(&name) {
                    Some(slot) => Per::Slot(slot),
                    None if f.me.is_some() && name == "self" => Per::Rule,
                    None if self.actor_named(&name).is_some() => Per::Rule,
                    None => {
                        let names: Vec<&str> = f.visible.iter().map(|(n, _, _)| n.as_str()).collect();
                        let help = if names.is_empty() {
                            "this rule's event binds no names".into()
                        } else {
                            format!("this rule's event binds {}", names.join(", "))
                        };
                        self.error("unknown-name", at, format!("`{name}` is bound by no event of this rule"), help);
                        Per::Rule
                    }
                }
            }
        };
        match words.first().copied() {
            Some("once") => limits.at_most.push((1, per)),
            Some("at") => {
                if let Some(Value::Number(n)) = value.and_then(|v| self.constant(&v, &Ty::Number)) {
                    if n < 0.0 || n.fract() != 0.0 || n > 1e15 {
                        self.error("bad-setting", span, "`at most` takes a whole number", "write `at most 3`");
                    } else {
                        limits.at_most.push((n as u64, per));
                    }
                }
            }
            Some("cooldown") => {
                if let Some(v) = value {
                    let period = self.period(&v);
                    limits.cooldown.push((period, per));
                }
            }
            Some("while") => {
                if let Some(v) = value {
                    let mut own = Frame { me: f.me, title: f.title.clone(), draws: f.draws, ..Frame::default() };
                    limits.awake = Some(self.expect(&v, &Ty::Flag, &mut own));
                    f.draws = own.draws;
                }
            }
            Some("off") => limits.off = true,
            Some("priority") => {
                if let Some(Value::Number(n)) = value.and_then(|v| self.constant(&v, &Ty::Number)) {
                    limits.priority = n;
                }
            }
            Some("again") => {
                limits.again = match words.get(1).copied() {
                    Some("anew") => Again::Anew,
                    Some("later") => Again::Later,
                    Some("beside") => Again::Beside,
                    _ => Again::Skip,
                };
            }
            Some("keep") => {
                limits.keep = Some(limits.at_most.len());
                limits.at_most.push((1, Per::Rule));
            }
            _ => {}
        }
    }
}
