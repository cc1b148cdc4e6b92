//! Actions: what each does, and what it needs.
//!
//! Invariant: a local is seen only in its block, after its `let`, and hides no other name.

use super::names::Def;
use super::proposals::Declared;
use super::{Checker, Frame};
use crate::ast::{self, AstNode};
use crate::diagnostic::Diagnostic;
use crate::level::*;
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;

impl Checker {
    pub fn block(&mut self, n: &Node, f: &mut Frame) -> Block {
        let seen = f.visible.len();
        let mut out = vec![];
        for s in n.children() {
            let span = self.span(&s);
            let outer = f.before.replace(vec![]);
            let kind = self.statement(&s, f);
            let before = std::mem::replace(&mut f.before, outer).unwrap_or_default();
            if let Some(kind) = kind {
                out.extend(before);
                out.push(Stmt { kind, span });
            }
        }
        f.visible.truncate(seen);
        out
    }

    /// A local's name: it may hide no other.
    pub fn local(&mut self, n: &Node, ty: Ty, f: &mut Frame) -> Option<Slot> {
        let (name, span) = self.declared(n)?;
        self.refuse_reserved(&name, span);
        let outer = f.visible.iter().rev().find(|(n, _, _)| *n == name).map(|(_, _, s)| *s);
        let outer = outer.or_else(|| self.names.get(&name).map(|(_, s)| *s));
        if let Some(at) = outer {
            self.diagnostics.push(
                Diagnostic::error(
                    "name-hidden",
                    span,
                    format!("the local `{name}` hides another `{name}`"),
                    "give the local another name",
                )
                .and(at, "the other is declared here"),
            );
        }
        Some(f.declare(&name, ty, span))
    }

    fn statement(&mut self, n: &Node, f: &mut Frame) -> Option<StmtKind> {
        let span = self.span(n);
        let exprs = n.exprs();
        match n.kind() {
            K::ASSIGN_STMT => self.assign(n, f),
            K::LET_STMT => {
                let value = exprs.first()?;
                let (e, ty) = self.expr(value, None, f);
                let slot = self.local(n, ty, f)?;
                Some(StmtKind::Let(slot, e))
            }
            K::IF_STMT => {
                let mut arms = vec![];
                let mut otherwise = None;
                let mut at = Some(n.clone());
                while let Some(node) = at.take() {
                    let e = node.exprs().first()?.clone();
                    let test = if arms.is_empty() {
                        self.expect(&e, &Ty::Flag, f)
                    } else {
                        self.doubtful(f, |c, f| c.expect(&e, &Ty::Flag, f))
                    };
                    let body = node.child(K::BLOCK).map(|b| self.knowing(&e, f, |c, f| c.block(&b, f)));
                    arms.push((test, body.unwrap_or_default()));
                    if let Some(e) = node.child(K::ELSE) {
                        at = e.child(K::IF_STMT);
                        if at.is_none() {
                            otherwise = e.child(K::BLOCK).map(|b| self.block(&b, f));
                        }
                    }
                }
                Some(StmtKind::If(arms, otherwise))
            }
            K::FOR_STMT => self.for_each(n, f),
            K::MATCH_STMT => self.match_block(n, f),
            K::LOT_STMT => {
                let id = self.new_draw(f);
                let mut arms = vec![];
                for arm in n.all(K::LOT_ARM) {
                    let weight = arm.expr().map(|e| self.expect(&e, &Ty::Number, f))?;
                    let body = arm.child(K::BLOCK).map(|b| self.block(&b, f)).unwrap_or_default();
                    arms.push((weight, body));
                }
                if arms.is_empty() {
                    self.error(
                        "empty",
                        span_of_word(span, "lot"),
                        "this `lot` has nothing to draw",
                        "write `lot { 6 => { } 1 => { } }`",
                    );
                }
                Some(StmtKind::WeightedChoice(id, arms))
            }
            K::EXPR_STMT => self.call_statement(exprs.first()?, f),
            K::STMT => {
                let read = self.worded(n, n.word(), f);
                if read.is_none()
                    && n.has_word("as")
                    && let Some((name, at)) = self.declared(n)
                    && f.find(&name).is_none()
                {
                    // What it would have named is no unknown name behind it.
                    f.declare(&name, Ty::Broken, at);
                }
                read
            }
            _ => None,
        }
    }

    /// A place that can be written.
    pub fn place(&mut self, n: &Node, f: &mut Frame) -> Option<(Place, Ty)> {
        let span = self.span(n);
        let (e, ty) = self.expr(n, None, f);
        if ty == Ty::Broken && !matches!(e.kind, ExprKind::Local(_) | ExprKind::Var(_)) {
            return None;
        }
        let place = match e.kind {
            ExprKind::Var(v) => Place::Var(v),
            ExprKind::Local(s) => {
                let bound = f.slots[s as usize].0.clone();
                if matches!(ty, Ty::Actor(_)) && self.names.contains_key(&bound) {
                    self.error(
                        "not-written",
                        span,
                        format!("`{bound}` is the actor of this event and cannot be written"),
                        "write one of its variables",
                    );
                    return None;
                }
                Place::Local(s)
            }
            ExprKind::ClockSpeed(c) => Place::ClockSpeed(c),
            ExprKind::DefineOf(_, d) => {
                let name = self.level.defines[d.index()].name.clone();
                self.error(
                    "not-written",
                    span,
                    format!("`{name}` is computed and cannot be written"),
                    "write what it follows from",
                );
                return None;
            }
            ExprKind::Attr(_, Attr::Enabled) if matches!(ty, Ty::Flag) && self.is_zone_member(n, f) => {
                self.error(
                    "not-written",
                    span,
                    "a zone is switched with `enable` and `disable`",
                    "write `disable jetty`",
                );
                return None;
            }
            ExprKind::Field(a, i) => {
                self.used.written(span);
                Place::Field(*a, i)
            }
            ExprKind::Attr(a, attr) => Place::Attr(*a, attr),
            ExprKind::Define(d) => {
                let name = self.level.defines[d.index()].name.clone();
                self.error(
                    "not-written",
                    span,
                    format!("`{name}` is computed and cannot be written"),
                    "write what it follows from",
                );
                return None;
            }
            ExprKind::Index(_, i) => {
                let inner = n.expr()?;
                let (place, _) = self.place(&inner, f)?;
                Place::Entry(Box::new(place), *i)
            }
            ExprKind::Axis(..) => {
                self.error(
                    "not-written",
                    span,
                    "one axis of a point cannot be written",
                    "write the whole point: `p = (3, p.y)`",
                );
                return None;
            }
            _ => {
                self.error(
                    "not-written",
                    span,
                    format!("`{}` cannot be written", Self::text_of(n)),
                    "write a variable, a local or an attribute",
                );
                return None;
            }
        };
        Some((place, ty))
    }

    fn is_zone_member(&mut self, n: &Node, f: &mut Frame) -> bool {
        n.exprs().first().is_some_and(|base| matches!(self.expr(base, None, f).1.inner(), Ty::Zone(_)))
    }

    fn assign(&mut self, n: &Node, f: &mut Frame) -> Option<StmtKind> {
        let [target, value] = &n.two_exprs()?;
        let op = match *n.words().iter().find(|w| w.ends_with('='))? {
            "+=" => Some(BinOp::Add),
            "-=" => Some(BinOp::Sub),
            "*=" => Some(BinOp::Mul),
            "/=" => Some(BinOp::Div),
            _ => None,
        };
        let word = target.word();
        if target.kind() == K::NAME_EXPR && f.find(word).is_none() && !self.names.contains_key(word) {
            let span = self.span(target);
            let own = f.me.is_some_and(|m| self.level.kinds[m.index()].fields.iter().any(|v| v.name == word));
            if own {
                let help = format!("write `self.{word}`");
                let d = Diagnostic::error("unknown-name", span, format!("`{word}` is not declared"), help);
                self.diagnostics.push(d.fixed_by(crate::diagnostic::Fix::replace(span, format!("self.{word}"))));
                return None;
            }
            let local = f.visible.iter().map(|(n, _, _)| n.as_str());
            let near = self.near_declared_or(Declared::Variables, word, local);
            let otherwise = format!("declare it: `var {word} = …`, or here `let {word} = …`");
            self.no_such("unknown-name", span, format!("`{word}` is not declared"), near, otherwise);
            return None;
        }
        let (place, ty) = self.place(target, f)?;
        let value = match op {
            None => self.expect(value, &ty, f),
            Some(op) => {
                let (e, other) = self.expr(value, None, f);
                match self.sum_type(op, ty.inner(), other.inner()) {
                    Some(t) if t.fits(&ty, self) => e,
                    _ => {
                        let (x, y) = (ty.show(self), other.show(self));
                        self.error(
                            "wrong-type",
                            e.span,
                            format!("`{}=` does not go between {x} and {y}", op.sign()),
                            "both sides must fit each other",
                        );
                        return None;
                    }
                }
            }
        };
        Some(StmtKind::Do(Action::Assign { place, op, value }))
    }

    /// `list.push(3)`, `list.clear()`.
    fn call_statement(&mut self, n: &Node, f: &mut Frame) -> Option<StmtKind> {
        let span = self.span(n);
        let callee = n.expr()?;
        let args = n.child(K::ARGS).map(|a| a.exprs()).unwrap_or_default();
        if n.kind() != K::CALL_EXPR {
            self.error("no-action", span, "this does nothing", "assign it, or take it out");
            return None;
        }
        if callee.kind() == K::MEMBER_EXPR {
            let (method, at) = self.declared(&callee)?;
            let base = callee.expr()?;
            let (place, ty) = self.place(&base, f)?;
            return match (method.as_str(), ty.inner(), args.as_slice()) {
                ("push", Ty::List(t), [v]) => {
                    let value = self.expect(v, &t.clone(), f);
                    Some(StmtKind::Do(Action::Push { list: place, value }))
                }
                ("clear", Ty::List(_), []) => Some(StmtKind::Do(Action::Clear(place))),
                ("add" | "remove", Ty::Set(t) | Ty::Tally(t), [v]) => {
                    let value = self.expect(v, &t.clone(), f);
                    Some(StmtKind::Do(Action::Bag { bag: place, add: method == "add", value }))
                }
                ("clear", Ty::Set(_) | Ty::Tally(_), []) => Some(StmtKind::Do(Action::Clear(place))),
                (_, Ty::Broken, _) => None,
                (_, ty, _) => {
                    let shown = ty.show(self);
                    self.error(
                        "unknown-name",
                        at,
                        format!("{shown} has no `{method}` of that form"),
                        "lists have `push(x)` and `clear()`, sets and tallies `add(x)`, `remove(x)` and `clear()`",
                    );
                    None
                }
            };
        }
        let name = Self::text_of(&callee);
        match self.names.get(&name).map(|(d, _)| *d) {
            Some(Def::Routine(r)) => return self.routine_action(r, &args, span, f),
            Some(Def::Message(_)) => self.error(
                "no-action",
                span,
                format!("`{name}` is a message"),
                format!("send it: `send {}`", Self::text_of(n)),
            ),
            _ => {
                let near = self.near_declared(Declared::Routines, &name);
                self.no_such(
                    "unknown-name",
                    span,
                    format!("there is no routine `{name}`"),
                    near,
                    "an action is an assignment, or begins with a word such as tell, send, move".to_string(),
                );
            }
        }
        None
    }

    /// An action that begins with its word.
    fn worded(&mut self, n: &Node, word: &str, f: &mut Frame) -> Option<StmtKind> {
        let span = self.span(n);
        let exprs = n.exprs();
        let first = exprs.first().cloned();
        let actor = Ty::Actor(None);
        let action = match word {
            "send" => self.send(n, &first?, f)?,
            "tell" => {
                let text = self.expect(&first?, &Ty::Text, f);
                let form = ast::Tell::cast(n)?;
                let to = form.to().map(|e| self.expect(&e, &actor, f));
                let from = form.from().map(|e| self.expect(&e, &actor, f));
                Action::Tell { text, to, from }
            }
            "cue" => Action::Cue(self.expect(&first?, &Ty::Text, f)),
            "log" => {
                let node = first?;
                let label = (node.kind() != K::TEXT_EXPR).then(|| Self::text_of(&node));
                Action::Log(label, self.expr(&node, None, f).0)
            }
            "prompt" => {
                let text = self.expect(&first?, &Ty::Text, f);
                let form = ast::Prompt::cast(n)?;
                let on = form.on().map(|e| self.expect(&e, &actor, f));
                let sustain = form.sustain().map(|e| self.doubtful(f, |c, f| c.expect(&e, &Ty::Flag, f)));
                let lasts = form.lasts().map(|e| self.expect(&e, &Ty::Duration, f));
                Action::Prompt { text, on, sustain, lasts }
            }
            "board" => {
                let text = self.expect(&first?, &Ty::Text, f);
                let form = ast::Board::cast(n)?;
                let sustain = form.sustain().map(|e| self.doubtful(f, |c, f| c.expect(&e, &Ty::Flag, f)));
                Action::Board { text, sustain }
            }
            "tag" | "untag" => {
                let who = self.expect(&first?, &actor, f);
                let tag = self.expect(&ast::Tag::cast(n)?.tag()?, &Ty::Tag, f);
                Action::Tag { who, tag, on: word == "tag" }
            }
            "push" => {
                let who = self.expect(&first?, &actor, f);
                Action::Shove { who, by: self.expect(&ast::Push::cast(n)?.by()?, &Ty::Point, f) }
            }
            "freeze" | "unfreeze" => Action::Freeze { who: self.expect(&first?, &actor, f), on: word == "freeze" },
            "checkpoint" => Action::Checkpoint(self.expect(&first?, &actor, f)),
            "recall" => Action::Recall(self.expect(&first?, &actor, f)),
            "ramp" | "slide" => return self.ramp(n, word, &first?, f),
            "win" => Action::Win(self.expect(&first?, &Ty::Text, f)),
            "lose" => Action::Lose(self.expect(&first?, &Ty::Text, f)),
            "remove" => Action::Remove(self.expect(&first?, &actor, f)),
            "halt" => Action::Halt(self.expect(&first?, &actor, f)),
            "move" => {
                let Some(to) = ast::Move::cast(n)?.to() else {
                    self.error("no-goal", span, "where it is moved is missing", "write `move keeper to (3, 4)`");
                    return None;
                };
                let who = self.expect(&first?, &actor, f);
                Action::Move { who, to: self.actor_or_point(&to, f) }
            }
            "face" => {
                let who = self.expect(&first?, &actor, f);
                match ast::Face::cast(n)?.to() {
                    Some(to) => Action::Face { who, to: self.actor_or_point(&to, f), toward: true },
                    None => {
                        let to = exprs.get(1)?;
                        Action::Face { who, to: self.expect(to, &Ty::Enum(EnumId::DIRECTION), f), toward: false }
                    }
                }
            }
            "enable" | "disable" if n.has_word("rule") => {
                let token = n.tok(K::TEXT)?;
                let title = self.plain_text(&token);
                let at = self.token_span(&token);
                self.titles_named.insert(title.clone());
                // One's own first, then those that one's kind inherits, then the level's.
                let mut scopes: Vec<Option<KindId>> = vec![];
                let mut kind = f.me;
                while let Some(k) = kind {
                    scopes.push(Some(k));
                    kind = self.level.kinds[k.index()].like;
                }
                scopes.push(None);
                let found = scopes.iter().find_map(|owner| self.rule_titled(&title, *owner));
                if found.is_none() && scopes.iter().flatten().any(|k| self.gaps.kinds.contains(k)) {
                    return None;
                }
                let Some(rule) = found else {
                    let reached = self.level.rules.iter().filter(|r| scopes.contains(&r.owner));
                    let help = self
                        .near(&title, reached.map(|r| r.title.as_str()))
                        .map_or("name a rule of the level by its title".into(), |t| format!("did you mean \"{t}\"?"));
                    self.error("unknown-name", at, format!("there is no rule \"{title}\""), help);
                    return None;
                };
                Action::SwitchRule { rule, on: word == "enable" }
            }
            "enable" | "disable" | "show" | "hide" => {
                let node = first?;
                let (thing, ty) = self.expr(&node, Some(&actor), f);
                let zone = matches!(ty.inner(), Ty::Zone(_));
                if !(matches!(ty.inner(), Ty::Actor(_) | Ty::Broken) || zone && matches!(word, "enable" | "disable")) {
                    let shown = ty.show(self);
                    self.error(
                        "wrong-type",
                        thing.span,
                        format!(
                            "`{word}` takes an actor{}, and this is {shown}",
                            if word.ends_with("able") { " or a zone" } else { "" }
                        ),
                        "name one",
                    );
                    return None;
                }
                let what = if word.ends_with("able") { Switch::Enabled } else { Switch::Visible };
                Action::Switch { what, on: matches!(word, "enable" | "show"), thing }
            }
            "start" | "stop" | "pause" | "resume" => {
                let node = first?;
                let at = self.span(&node);
                let name = Self::text_of(&node);
                if let (Some(Def::Clock(c)), "pause" | "resume") = (self.names.get(&name).map(|(d, _)| *d), word) {
                    return Some(StmtKind::Do(Action::PauseClock(c, word == "pause")));
                }
                let bare = node.kind() == K::NAME_EXPR && f.find(&name).is_none();
                if bare && !matches!(self.names.get(&name), Some((Def::Timer(_) | Def::Var(_), _))) {
                    let near = self.near_declared(Declared::Timers, &name);
                    self.no_such(
                        "no-timer",
                        at,
                        format!("there is no timer `{name}`"),
                        near,
                        "declare one: `timer flood = 30s`".into(),
                    );
                    return None;
                }
                let timer = self.expect(&node, &Ty::Timer, f);
                let order = match word {
                    "start" => {
                        TimerOrder::Start(ast::StartTimer::cast(n)?.lasts().map(|e| self.expect(&e, &Ty::Duration, f)))
                    }
                    "stop" => TimerOrder::Stop,
                    "pause" => TimerOrder::Pause,
                    _ => TimerOrder::Resume,
                };
                Action::Timer { timer, order }
            }
            "go" => {
                let (machine, of) = self.machine_of(&first?, f)?;
                let to = ast::Go::cast(n)?.to()?;
                let (name, at) = (Self::text_of(&to), self.span(&to));
                Action::Go { machine, of, state: self.state_named(machine, &name, at)? }
            }
            "spawn" => return self.spawn(n, &first?, f),
            "repeat" => {
                let count = self.expect(&first?, &Ty::Number, f);
                let slot = f.hidden("turns");
                f.loops += 1;
                let body = n.child(K::BLOCK).map(|b| self.block(&b, f)).unwrap_or_default();
                f.loops -= 1;
                return Some(StmtKind::Repeat(slot, count, body));
            }
            "while" => {
                let test = first?;
                let test = self.doubtful(f, |c, f| c.expect(&test, &Ty::Flag, f));
                f.loops += 1;
                let body = n.child(K::BLOCK).map(|b| self.block(&b, f)).unwrap_or_default();
                f.loops -= 1;
                return Some(StmtKind::While(test, body));
            }
            "break" | "continue" => {
                if f.loops == 0 {
                    self.error(
                        "no-loop",
                        span,
                        format!("`{word}` stands in no loop"),
                        "it ends or goes on with a `repeat`, `while` or `for`",
                    );
                    return None;
                }
                return Some(if word == "break" { StmtKind::Break } else { StmtKind::Continue });
            }
            "return" => return self.returns(first, span, f),
            "meanwhile" => {
                let loops = std::mem::take(&mut f.loops);
                let body = n.child(K::BLOCK).map(|b| self.block(&b, f)).unwrap_or_default();
                f.loops = loops;
                return Some(StmtKind::Meanwhile(body));
            }
            "walk" => return self.walk(n, &first?, f),
            "advance" | "set" => self.clock_order(n, word, f)?,
            "lay" => {
                let tile = self.expect(&first?, &Ty::Tile, f);
                Action::Lay { tile, at: self.expect(&ast::Lay::cast(n)?.at()?, &Ty::Point, f) }
            }
            "reset" => {
                let node = first?;
                let (e, ty) = self.expr(&node, Some(&actor), f);
                if !matches!(ty.inner(), Ty::Actor(_) | Ty::Zone(Some(_)) | Ty::Broken) {
                    let shown = ty.show(self);
                    let message = format!("an actor is wanted here, and this is {shown}");
                    self.error("wrong-type", e.span, message, "name an actor");
                    return None;
                }
                Action::Reset(e)
            }
            "restart" => Action::Restart,
            "save" => Action::Save,
            "wait" => {
                let form = ast::Wait::cast(n)?;
                if form.for_part().is_some_and(|p| !p.has_word("most")) {
                    return self.wait_for(n, f);
                }
                if let Some(test) = form.until() {
                    let test = self.doubtful(f, |c, f| c.expect(&test, &Ty::Flag, f));
                    let at_most = form.at_most().map(|e| self.expect(&e, &Ty::Duration, f));
                    return Some(StmtKind::WaitUntil { test, at_most });
                }
                return Some(StmtKind::Wait(self.expect(&first?, &Ty::Duration, f)));
            }
            _ => return None,
        };
        Some(StmtKind::Do(action))
    }
}

fn span_of_word(span: Span, word: &str) -> Span {
    Span { end: span.start + word.len() as u32, ..span }
}
