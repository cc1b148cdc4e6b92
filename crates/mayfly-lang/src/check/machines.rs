//! State machines: their states, transitions, blocks, and questions about them.
//!
//! A transition, and each `enter`, `leave` and `loop`, stands in the table of rules as a rule with a
//! [`Part`]: it is evaluated, carried out and explained as any other.
//!
//! Invariant: the parts of a machine stand in the order of the text, but inner states' transitions before outer ones', and
//! those of `wherever` last: it is the order in which they are asked.

use super::names::{Def, listed};
use super::{Checker, Frame};
use crate::ast::{self, AstNode};
use crate::level::*;
use crate::moved::{Change, Moves};
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;
use rustc_hash::FxHashSet;

/// A part of a machine whose contents are read with the rules.
pub(crate) struct PartNode {
    pub node: Node,
    pub owner: Option<KindId>,
    pub title: String,
    pub part: PartStub,
}

/// Which part it is, before its contents are read.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum PartStub {
    Transition(MachineId, Option<StateId>),
    Enter(StateId),
    Leave(StateId),
    Loop(StateId),
    Rule(StateId),
}

impl Moves for PartStub {
    fn moves(&mut self, by: &Change) {
        match self {
            Self::Transition(machine, state) => {
                machine.moves(by);
                state.moves(by);
            }
            Self::Enter(state) | Self::Leave(state) | Self::Loop(state) | Self::Rule(state) => state.moves(by),
        }
    }
}

impl Checker {
    /// Every machine and its states, by name.
    pub fn collect_machines(&mut self, root: &Node) {
        if self.project.has("go") && self.project.has("machine") {
            for s in root.descendants().filter(|d| d.kind() == K::STMT && d.word() == "go") {
                self.gone_to.extend(ast::Go::cast(&s).and_then(|g| g.to()).map(|e| Self::text_of(&e)));
            }
        }
        for n in root.children() {
            match n.kind() {
                K::MACHINE_DECL => {
                    let of = match ast::MachineDecl::cast(&n).and_then(|m| m.of()) {
                        None => None,
                        Some(e) => {
                            let (name, span) = (Self::text_of(&e), self.span(&e));
                            match self.names.get(&name).map(|(d, _)| *d) {
                                Some(Def::Kind(k)) => Some(k),
                                _ => {
                                    let near = self.near(&name, self.level.kinds.iter().map(|k| k.name.as_str()));
                                    self.gaps.machines.extend(self.declared(&n).map(|(name, _)| name));
                                    self.no_such(
                                        "no-kind",
                                        span,
                                        format!("there is no kind `{name}`"),
                                        near,
                                        "a machine is for a kind, or for the level without `for`".into(),
                                    );
                                    continue;
                                }
                            }
                        }
                    };
                    self.collect_machine(&n, of);
                }
                K::KIND_DECL => {
                    let owner = self.kind_at(&n);
                    for m in n.child(K::BODY).map(|b| b.all(K::MACHINE_DECL)).unwrap_or_default() {
                        self.collect_machine(&m, owner);
                    }
                }
                _ => {}
            }
        }
        // A derived kind has its base's machines, but for one of its own of the same name.
        for k in 0..self.level.kinds.len() {
            let mut at = self.level.kinds[k].like;
            while let Some(base) = at {
                for m in self.level.kinds[base.index()].machines.clone() {
                    let name = self.level.machines[m.index()].name.clone();
                    let own = self.level.kinds[k].machines.iter().any(|x| self.level.machines[x.index()].name == name);
                    if !own {
                        self.level.kinds[k].machines.push(m);
                    }
                }
                at = self.level.kinds[base.index()].like;
            }
        }
    }

    fn collect_machine(&mut self, n: &Node, of: Option<KindId>) {
        let Some((name, span)) = self.declared(n) else { return };
        let id = MachineId::at(self.level.machines.len());
        match of {
            None => self.take(&name, span, Def::Machine(id)),
            Some(k) => {
                let kind = &self.level.kinds[k.index()];
                let taken = kind.fields.iter().any(|f| f.name == name)
                    || kind.machines.iter().any(|m| self.level.machines[m.index()].name == name)
                    || Attr::named(&name).is_some();
                if taken {
                    let kind = kind.name.clone();
                    self.name_taken(span, format!("`{kind}` already has `{name}`"), "choose another name");
                }
                self.refuse_reserved(&name, span);
                self.level.kinds[k.index()].machines.push(id);
                self.needs(n, k);
            }
        }
        self.machines_at.insert(span, id);
        self.level.machines.push(Machine { name, of, start: StateId(0), span });
        let first = self.level.states.len();
        let start = self.collect_states(n, id, None);
        match start {
            Some(s) => self.level.machines[id.index()].start = s,
            None => {
                if self.level.states.len() == first {
                    self.error("empty", span, "this machine has no states", "add `start` and a `state`");
                    // A state to stand for what is missing, so that ids stay right.
                    self.level.states.push(State { name: "none".into(), machine: id, outer: None, start: None, span });
                }
                self.level.machines[id.index()].start = StateId::at(first);
            }
        }
        self.unreachable(n, id, first);
    }

    /// `needs silted: flag`: what the kind must have.
    fn needs(&mut self, n: &Node, k: KindId) {
        for need in n.all(K::NEEDS) {
            let Some((name, span)) = self.declared(&need) else { continue };
            let want = need.child(K::TYPE).map(|t| self.type_of(&t));
            let field = self.level.kinds[k.index()].fields.iter().position(|f| f.name == name);
            let kind = self.level.kinds[k.index()].name.clone();
            match (field, want) {
                (None, _) if self.gaps.kinds.contains(&k) => {}
                (None, _) => self.error(
                    "needs",
                    span,
                    format!("`{kind}` has no `{name}`, which this machine needs"),
                    format!("declare it in `kind {kind}`"),
                ),
                (Some(f), Some(want)) => {
                    let ty = self.field_type(k, FieldId::at(f));
                    if !ty.fits(&want, self) {
                        let (is, wanted) = (ty.show(self), want.show(self));
                        self.error(
                            "needs",
                            span,
                            format!("`{kind}.{name}` is {is}, and this machine needs {wanted}"),
                            "change one of the two",
                        );
                    }
                }
                _ => {}
            }
        }
    }

    /// The states of a machine or of a state; gives the one in which it begins.
    fn collect_states(&mut self, n: &Node, machine: MachineId, outer: Option<StateId>) -> Option<StateId> {
        let mut own: Vec<(String, StateId)> = vec![];
        for s in n.all(K::STATE_DECL) {
            let Some((name, span)) = self.declared(&s) else { continue };
            let id = StateId::at(self.level.states.len());
            self.states_at.insert(span, id);
            self.refuse_reserved(&name, span);
            if self.states_by_name.contains_key(&(machine, name.clone())) {
                self.name_taken(span, format!("this machine has a state `{name}` already"), "choose another name");
            }
            self.states_by_name.entry((machine, name.clone())).or_insert(id);
            self.level.states.push(State { name: name.clone(), machine, outer, start: None, span });
            own.push((name, id));
            let start = self.collect_states(&s, machine, Some(id));
            self.level.states[id.index()].start = start;
        }
        let first = own.first()?.1;
        let Some(p) = ast::start_of(n) else {
            let span = self.declared(n).map_or_else(|| self.span(n), |(_, s)| s);
            self.error("no-start", span, "in which state it begins is missing", format!("write `start {}`", own[0].0));
            return Some(first);
        };
        let Some((name, span)) = self.declared(&p) else { return Some(first) };
        match own.iter().find(|(n, _)| *n == name) {
            Some((_, id)) => Some(*id),
            None => {
                let names = || own.iter().map(|(n, _)| n.as_str());
                self.unknown_state(&name, span, self.near(&name, names()), &listed(names()));
                Some(first)
            }
        }
    }

    fn unknown_state(&mut self, name: &str, span: Span, near: Option<String>, all: &str) {
        let message = format!("there is no state `{name}`");
        let there = if all.contains(',') { "there are" } else { "there is only" };
        self.no_such("unknown-state", span, message, near, format!("{there} {all}"));
    }

    /// States that no transition leads to: a finding.
    fn unreachable(&mut self, n: &Node, machine: MachineId, first: usize) {
        let mut named: Vec<String> = vec![];
        for t in n.descendants().filter(|d| matches!(d.kind(), K::TRANSITION | K::ONE_OF_ROW)) {
            named.extend(self.declared(&t).map(|(name, _)| name));
        }
        let own: FxHashSet<&str> = self.level.states[first..].iter().map(|s| s.name.as_str()).collect();
        if named.iter().any(|n| n != "previous" && !own.contains(n.rsplit('.').next().unwrap_or(n))) {
            // One that is misspelt may have been meant; the error says so.
            return;
        }
        let named: FxHashSet<&str> =
            named.iter().chain(&self.gone_to).map(|n| n.rsplit('.').next().unwrap_or(n)).collect();
        // A machine's states stand in a row, inner ones right after the one that holds them.
        let own = first..self.level.states.len();
        let mut reached: FxHashSet<StateId> = own.clone().filter_map(|i| self.level.states[i].start).collect();
        reached.insert(self.level.machines[machine.index()].start);
        for i in own.clone().rev() {
            let s = &self.level.states[i];
            if named.contains(s.name.as_str()) {
                reached.insert(StateId::at(i));
                reached.extend(s.outer);
            }
        }
        for i in own {
            let s = &self.level.states[i];
            if !reached.contains(&StateId::at(i)) {
                let d = crate::diagnostic::Diagnostic::finding(
                    "unreachable-state",
                    s.span,
                    format!("nothing leads to the state `{}`", s.name),
                    "add a transition `to` it, or take it out",
                );
                self.diagnostics.push(d);
            }
        }
    }

    /// A state of a machine by its name, or `outer.inner`.
    pub fn state_named(&mut self, machine: MachineId, name: &str, span: Span) -> Option<StateId> {
        let last = name.rsplit('.').next().unwrap_or(name);
        let found = self.states_by_name.get(&(machine, last.to_string())).copied();
        if found.is_none_or(|id| name.contains('.') && self.level.state_name(id) != name) {
            // A machine's states stand in a row, in the order of the machines.
            let states = &self.level.states;
            let first = states.partition_point(|s| s.machine < machine);
            let own = || states[first..].iter().take_while(|s| s.machine == machine).map(|s| s.name.as_str());
            let (near, all) = (self.near(name, own()), listed(own()));
            self.unknown_state(name, span, near, &all);
            return None;
        }
        found
    }

    /// The machine that an expression names: of the level, or a member of an actor.
    pub fn machine_of(&mut self, n: &Node, f: &mut Frame) -> Option<(MachineId, Option<Expr>)> {
        let (e, ty) = self.expr(n, None, f);
        match (e.kind, ty) {
            (ExprKind::MachineState(m, of), _) => Some((m, of.map(|e| *e))),
            (_, Ty::Broken) => None,
            (_, ty) => {
                let (span, shown) = (self.span(n), ty.show(self));
                self.error(
                    "no-machine",
                    span,
                    format!("`{}` is {shown}, not a machine", Self::text_of(n)),
                    "name a machine: `self.gate`, or one of the level",
                );
                None
            }
        }
    }

    /// Every part of the machines that stand in a node, in the order in which they are asked.
    pub fn machine_parts(&self, n: &Node, owner: Option<KindId>, out: &mut Vec<PartNode>) {
        let Some(machine) = self.declared(n).and_then(|(_, s)| self.machines_at.get(&s).copied()) else { return };
        let owner = owner.or(self.level.machines[machine.index()].of);
        n.all(K::STATE_DECL).iter().for_each(|s| self.state_parts(s, machine, owner, out));
        for w in n.all(K::WHEREVER) {
            w.all(K::TRANSITION).into_iter().for_each(|t| out.push(self.transition(t, machine, None, owner)));
        }
    }

    /// The parts of one state, in the order of the text; its own transitions are asked after those of the states in it.
    fn state_parts(&self, n: &Node, machine: MachineId, owner: Option<KindId>, out: &mut Vec<PartNode>) {
        let Some(id) = self.declared(n).and_then(|(_, s)| self.states_at.get(&s).copied()) else { return };
        let (name, full) = (&self.level.machines[machine.index()].name, self.level.state_name(id));
        let mut states_to_come = n.all(K::STATE_DECL).len();
        let mut put_off = vec![];
        for node in n.children() {
            let (title, part) = match node.kind() {
                K::ENTER_BLOCK => (format!("{name}: enter {full}"), PartStub::Enter(id)),
                K::LEAVE_BLOCK => (format!("{name}: leave {full}"), PartStub::Leave(id)),
                K::LOOP_BLOCK => (format!("{name}: loop of {full}"), PartStub::Loop(id)),
                K::RULE => (format!("{name}.{full}"), PartStub::Rule(id)),
                K::TRANSITION => {
                    let way = self.transition(node, machine, Some(id), owner);
                    if states_to_come > 0 {
                        put_off.push(way)
                    } else {
                        out.push(way)
                    }
                    continue;
                }
                K::STATE_DECL => {
                    self.state_parts(&node, machine, owner, out);
                    states_to_come -= 1;
                    if states_to_come == 0 {
                        out.append(&mut put_off);
                    }
                    continue;
                }
                _ => continue,
            };
            out.push(PartNode { node, owner, title, part });
        }
    }

    fn transition(&self, node: Node, machine: MachineId, from: Option<StateId>, owner: Option<KindId>) -> PartNode {
        let name = &self.level.machines[machine.index()].name;
        let here = from.map_or("wherever".to_string(), |s| self.level.state_name(s));
        let goal = self.declared(&node).map_or_else(|| "one of several".to_string(), |(n, _)| n);
        let (title, part) = (format!("{name}: {here} → {goal}"), PartStub::Transition(machine, from));
        PartNode { node, owner, title, part }
    }

    /// Where a transition leads.
    fn goal(&mut self, n: &Node, machine: MachineId, f: &mut Frame) -> Option<Goal> {
        if let Some(one) = n.child(K::ONE_OF) {
            let id = self.new_draw(f);
            let mut rows = vec![];
            for row in one.all(K::ONE_OF_ROW) {
                let (name, span) = self.declared(&row)?;
                let state = self.state_named(machine, &name, span)?;
                let weight = row.expr().map(|e| self.expect(&e, &Ty::Number, f))?;
                let test = ast::OneOfRow::cast(&row).and_then(|r| r.test()).map(|e| self.expect(&e, &Ty::Flag, f));
                rows.push((state, weight, test));
            }
            return Some(Goal::OneOf(id, rows));
        }
        let (name, span) = self.declared(n)?;
        if name == "previous" && !self.states_by_name.contains_key(&(machine, name.clone())) {
            return Some(Goal::Previous);
        }
        self.state_named(machine, &name, span).map(Goal::State)
    }

    /// Reads a part into its rule.
    pub fn machine_part(&mut self, id: RuleId, p: &PartNode) {
        let title_span = self.level.rules[id.index()].span;
        let mut f = Frame { me: p.owner, title: p.title.clone(), ..Frame::default() };
        match p.part {
            PartStub::Rule(state) => {
                self.rule(id, &p.node, p.owner);
                self.level.rules[id.index()].part = Some(Part::In(state));
            }
            PartStub::Enter(s) | PartStub::Leave(s) | PartStub::Loop(s) => {
                let block = p.node.child(K::BLOCK).map(|b| self.block(&b, &mut f)).unwrap_or_default();
                if matches!(p.part, PartStub::Leave(_)) && waits(&block) {
                    self.error(
                        "leave-waits",
                        title_span,
                        "a `leave` cannot wait",
                        "wait in the `enter` of the next state",
                    );
                }
                if matches!(p.part, PartStub::Loop(_)) && !waits(&block) {
                    self.error(
                        "loop-no-wait",
                        title_span,
                        "this loop never waits: it would never let go",
                        "put a `wait` into it",
                    );
                }
                let r = &mut self.level.rules[id.index()];
                r.then = block;
                r.slots = f.slots;
                r.part = Some(match p.part {
                    PartStub::Enter(_) => Part::Enter(s),
                    PartStub::Leave(_) => Part::Leave(s),
                    _ => Part::Loop(s),
                });
            }
            PartStub::Transition(machine, from) => {
                let (mut whens, bound) =
                    if p.node.all(K::WHEN).is_empty() { (vec![], 0) } else { self.whens(&p.node, &mut f, title_span) };
                if let Some(e) = ast::Transition::cast(&p.node).and_then(|t| t.after()) {
                    let span = self.span(&e);
                    whens.push(When { event: Event::After(self.period(&e)), span });
                }
                let mut clauses = vec![];
                for test in ast::Transition::cast(&p.node).map(|t| t.tests()).unwrap_or_default() {
                    self.clause(&test, None, &mut clauses, &mut f);
                }
                let Some(to) = self.goal(&p.node, machine, &mut f) else { return };
                let then = p
                    .node
                    .child(K::THEN)
                    .and_then(|t| t.child(K::BLOCK))
                    .map(|b| self.block(&b, &mut f))
                    .unwrap_or_default();
                if waits(&then) {
                    self.error(
                        "leave-waits",
                        title_span,
                        "a transition cannot wait",
                        "wait in the `enter` of the next state",
                    );
                }
                let r = &mut self.level.rules[id.index()];
                (r.whens, r.bound, r.clauses, r.then, r.slots) = (whens, bound, clauses, then, f.slots);
                r.part = Some(Part::Transition { machine, from, to });
            }
        }
    }

    /// `M is S`, `M has been S for D`.
    pub fn in_state(
        &mut self,
        machine: MachineId,
        of: Option<Expr>,
        state: &Node,
        duration: Option<Expr>,
        span: Span,
    ) -> (Expr, Ty) {
        let (name, at) = (Self::text_of(state), self.span(state));
        match self.state_named(machine, &name, at) {
            Some(s) => {
                (Expr { kind: ExprKind::InState(machine, of.map(Box::new), s, duration.map(Box::new)), span }, Ty::Flag)
            }
            None => self.broken(span),
        }
    }
}

/// True where a block holds a wait, at whatever depth.
pub(super) fn waits(b: &Block) -> bool {
    b.iter().any(|s| match &s.kind {
        StmtKind::Wait(_)
        | StmtKind::WaitUntil { .. }
        | StmtKind::WaitRamp
        | StmtKind::WaitWalk
        | StmtKind::WaitFor { .. } => true,
        StmtKind::Seq(b) => waits(b),
        StmtKind::WeightedChoice(_, arms) => arms.iter().any(|(_, b)| waits(b)),
        StmtKind::If(arms, other) => arms.iter().any(|(_, b)| waits(b)) || other.as_ref().is_some_and(waits),
        StmtKind::Repeat(_, _, b) | StmtKind::While(_, b) | StmtKind::For { body: b, .. } => waits(b),
        _ => false,
    })
}
