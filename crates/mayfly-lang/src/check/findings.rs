//! Findings: what loads and yet may not do what was meant.
//!
//! They are read off the checked level ([`crate::visit`]), once it is whole.
//!
//! Invariant: a finding never stops a level; each has its own code, and the tests hold an example that
//! raises it and one that does not.

use super::Checker;
use super::files::Project;
use super::names::Def;
use super::used::{Used, given, root_place, words_in_text};
use crate::diagnostic::Diagnostic;
use crate::level::*;
use crate::placed::Placed;
use crate::syntax::{Kind as K, Node};
use crate::visit::Everything;
use mayfly_base::code::*;
use mayfly_base::number::same_number;
use mayfly_base::*;
use rustc_hash::{FxHashMap, FxHashSet};

impl Checker {
    pub fn findings(&mut self, root: &Node) {
        self.unused_messages();
        self.rounded_periods();
        // Of a level with errors it is not known what is missing in it.
        if self.diagnostics.iter().any(|d| d.severity == crate::diagnostic::Severity::Error) {
            return;
        }
        let tag_lists = root.all(K::TAG_DECL).into_iter();
        let tags: FxHashSet<String> = tag_lists.flat_map(|n| n.all(K::NAME)).map(|n| n.word().to_string()).collect();
        // A tile's tag says what the tile is, also where nothing asks for it.
        let is_asked_for =
            |n: &str, d: &Def, at: &Span| *at != Span::default() && (!matches!(d, Def::Tag(_)) || tags.contains(n));
        let unused_names = named_once(&self.project, self.names.keys().map(String::as_str));
        let declared =
            self.names.iter().filter(|(n, (d, at))| unused_names.contains(n.as_str()) && is_asked_for(n, d, at));
        let mut unused_names: Vec<(&str, Def, Span)> = declared.map(|(n, (d, at))| (n.as_str(), *d, *at)).collect();
        unused_names.sort_by_key(|(_, _, at)| (at.file, at.start));
        let all = Everything::of(&self.level);
        let found = [
            unused_variables(&self.level, &all, &self.used),
            stepped_over(&self.level, &all, &self.used),
            never_firing(&self.level, &all),
            super::complementary::complementary(&self.level),
            super::rounded::rounded_waits(&self.level, &all),
            super::unguarded::unguarded(&self.level),
            super::contradictions::contradictions(&self.level, &all),
            super::suspects::all(&self.level, &all, &self.used, &unused_names),
        ];
        self.diagnostics.extend(found.into_iter().flatten());
    }

    fn unused_messages(&mut self) {
        let all = |of: &Placed<(Span, MessageId), ()>| of.iter().map(|((_, m), ())| *m).collect::<FxHashSet<_>>();
        let (all_sent, all_heard) = (all(&self.used.sent), all(&self.used.heard));
        for i in 0..self.level.messages.len() {
            let (id, m) = (MessageId::at(i), &self.level.messages[i]);
            let (sent, heard) = (all_sent.contains(&id), all_heard.contains(&id));
            let (code, what, help) = match (sent, heard) {
                (false, true) if self.used.held.iter().next().is_some() => continue,
                (false, true) => {
                    ("never-sent", "is heard but never sent", format!("send it somewhere: `send {}`", m.name))
                }
                (true, false) => {
                    ("never-heard", "is sent but never heard", format!("hear it somewhere: `when hears {}`", m.name))
                }
                (false, false) => ("never-used", "is neither sent nor heard", "use it or take it out".to_string()),
                (true, true) => continue,
            };
            let d = Diagnostic::finding(code, m.span, format!("`{}` {what}", m.name), help);
            self.diagnostics.push(d);
        }
    }
}

/// Variables that are written and never read, or read and never written.
fn unused_variables(level: &Level, all: &Everything, used: &Used) -> Vec<Diagnostic> {
    let mut written: FxHashSet<VarId> = FxHashSet::default();
    all.stmts.iter().for_each(|s| {
        if let StmtKind::Do(a) = &s.kind
            && let Some(Place::Var(v)) = root_place(a)
        {
            written.insert(*v);
        }
    });
    let mut out = vec![];
    for (i, v) in level.vars.iter().enumerate() {
        let id = VarId::at(i);
        let (code, what, help) = match (all.read.contains(&id), written.contains(&id)) {
            (false, true) if !v.keep => {
                ("never-read", "is written and never read", "show it, test it, or take it out".to_string())
            }
            (true, false) if !v.keep => {
                let help = format!("make it a constant: `const {} = …`, or write it somewhere", v.name);
                ("never-written", "is read and never written", help)
            }
            (false, false) if !v.keep => ("never-used", "is neither read nor written", "use it or take it out".into()),
            _ => continue,
        };
        out.push(Diagnostic::finding(code, v.span, format!("`{}` {what}", v.name), help));
    }
    let (reads, writes, given) = (used.reads(), used.writes(), given(level, all));
    for (n, k) in level.kinds.iter().enumerate() {
        let own = k.like.map_or(0, |b| level.kinds[b.index()].fields.len());
        for (i, f) in k.fields.iter().enumerate().skip(own).filter(|(_, f)| !f.keep) {
            let key = (KindId::at(n), FieldId::at(i));
            let name = format!("`{}.{}`", k.name, f.name);
            let say = |code, what: &str, help: &str| Diagnostic::finding(code, f.span, format!("{name} {what}"), help);
            match (reads.contains(&key), writes.contains(&key) || given.contains(&key)) {
                (false, _) => out.push(say("never-read", "is never read", "show it, test it, or take it out")),
                // Where each actor is told its own value, that is what it is for.
                (true, false) if !f.first.walks(&|e| matches!(e.kind, ExprKind::Draw(..) | ExprKind::Myself)) => {
                    out.push(say(
                        "never-written",
                        "is read and never written",
                        "write it somewhere, or make it a `define`",
                    ));
                }
                _ => {}
            }
        }
    }
    out
}

/// Those of some names that stand in the files once at most, inside texts too.
fn named_once<'n>(project: &Project, names: impl Iterator<Item = &'n str>) -> FxHashSet<&'n str> {
    let mut count: FxHashMap<&str, u32> = names.map(|n| (n, 0)).collect();
    // Most words begin otherwise than all names, or are of another length.
    let form = |word: &str| (word.bytes().next().unwrap_or_default() as usize, word.len().min(LENGTHS - 1));
    let mut forms = [[false; LENGTHS]; 256];
    for (first, length) in count.keys().map(|n| form(n)) {
        forms[first][length] = true;
    }
    let mut see = |word: &str| {
        let (first, length) = form(word);
        if forms[first][length]
            && let Some(n) = count.get_mut(word)
        {
            *n += 1;
        }
    };
    let files = project.sources.iter().zip(&project.parses);
    for (text, t) in files.flat_map(|(s, p)| p.tokens.iter().map(|t| (s.text.as_str(), t))) {
        match t.kind {
            K::IDENT => see(&text[t.start..t.end]),
            K::TEXT | K::RAW_TEXT => words_in_text(&text[t.start..t.end]).for_each(&mut see),
            K::ACTOR_REF => see(text[t.start..t.end].split('#').next().unwrap_or_default()),
            _ => {}
        }
    }
    count.into_iter().filter(|(_, n)| *n <= 1).map(|(name, _)| name).collect()
}

/// Lengths of names that are told apart, in bytes.
const LENGTHS: usize = 32;

fn number(e: &Expr) -> Option<f64> {
    if let ExprKind::Const(Value::Number(n)) = e.kind { Some(n) } else { None }
}

/// `x == 10` where x goes from 0 in steps of 3, or moves over time: it is stepped over.
fn stepped_over(level: &Level, all: &Everything, used: &Used) -> Vec<Diagnostic> {
    /// How a variable moves, as far as that is known.
    enum Way {
        Steps(f64),
        Ramps,
        Free,
    }
    /// A variable of the level, or of a kind's actors.
    #[derive(Clone, Copy, PartialEq, Eq, Hash)]
    enum Which {
        Var(VarId),
        Field(KindId, FieldId),
    }
    let declared = |w: Which| match w {
        Which::Var(v) => &level.vars[v.index()],
        Which::Field(k, f) => &level.kinds[k.index()].fields[f.index()],
    };
    let mut ways: FxHashMap<Which, Way> = FxHashMap::default();
    all.stmts.iter().for_each(|s| {
        let StmtKind::Do(a) = &s.kind else { return };
        let which = match root_place(a) {
            Some(Place::Var(v)) => Which::Var(*v),
            Some(Place::Field(base, f)) => match used.base_kind(base.span, *f) {
                Some(k) => Which::Field(k, *f),
                None => return,
            },
            _ => return,
        };
        let way = match a {
            Action::Assign { op: Some(BinOp::Add | BinOp::Sub), value, .. } => match (&value.kind, number(value)) {
                (_, Some(n)) if n != 0.0 => Way::Steps(n.abs()),
                (ExprKind::Per(..), _) => Way::Ramps,
                _ => Way::Free,
            },
            Action::Ramp { .. } => Way::Ramps,
            // Back to its first value: its steps begin there anyway.
            Action::Assign { op: None, value, .. } if number(value) == number(&declared(which).first) => return,
            _ => Way::Free,
        };
        let way = match (ways.remove(&which), way) {
            (None, way) => way,
            (Some(Way::Steps(a)), Way::Steps(b)) if same_number(a, b) => Way::Steps(a),
            (Some(Way::Ramps), Way::Ramps) => Way::Ramps,
            _ => Way::Free,
        };
        ways.insert(which, way);
    });
    let mut out = vec![];
    all.binaries.iter().for_each(|e| {
        let ExprKind::Binary(BinOp::Eq, a, b) = &e.kind else { return };
        let which = |e: &Expr| match &e.kind {
            ExprKind::Var(v) => Some(Which::Var(*v)),
            ExprKind::Field(base, f) => used.base_kind(base.span, *f).map(|k| Which::Field(k, *f)),
            _ => None,
        };
        let (which, goal) = match (which(a), which(b)) {
            (Some(w), _) => (w, number(b)),
            (_, Some(w)) => (w, number(a)),
            _ => return,
        };
        let (Some(goal), var) = (goal, declared(which)) else { return };
        let Some(first) = number(&var.first) else { return };
        let why = match ways.get(&which) {
            Some(Way::Steps(s)) => {
                let steps = (goal - first) / s;
                if same_number(steps, steps.round()) {
                    return;
                }
                format!("goes in steps of {}", number::show_number(*s))
            }
            Some(Way::Ramps) => "moves by little shares".into(),
            _ => return,
        };
        out.push(Diagnostic::finding(
            "stepped-over",
            e.span,
            format!("`{}` {why} and may never be exactly {}", var.name, number::show_number(goal)),
            format!("write `{} >= {}`, or `reaches`", var.name, number::show_number(goal)),
        ));
    });
    out
}

/// Rules whose event cannot happen, or that are never switched on.
fn never_firing(level: &Level, all: &Everything) -> Vec<Diagnostic> {
    let mut started: FxHashSet<TimerId> = FxHashSet::default();
    let mut switched: FxHashSet<RuleId> = FxHashSet::default();
    let mut spawned: FxHashSet<KindId> = FxHashSet::default();
    let (mut any_timer, mut any_kind, mut removes) = (false, false, false);
    all.stmts.iter().for_each(|s| match &s.kind {
        StmtKind::Do(Action::Timer { timer, order: TimerOrder::Start(_) }) => match timer.kind {
            ExprKind::Const(Value::Timer(t)) => drop(started.insert(t)),
            _ => any_timer = true,
        },
        StmtKind::Do(Action::SwitchRule { rule, on: true }) => drop(switched.insert(*rule)),
        StmtKind::Do(Action::Remove(_)) => removes = true,
        StmtKind::Do(Action::Spawn { kind, .. }) => match kind.kind {
            ExprKind::Const(Value::Kind(k)) => drop(spawned.insert(k)),
            _ => any_kind = true,
        },
        _ => {}
    });
    let there = |k: KindId| {
        any_kind
            || level.actors.iter().any(|a| level.is_kind(a.kind, k))
            || level.zones.iter().any(|z| z.kind.is_some_and(|x| level.is_kind(x, k)))
            || spawned.iter().any(|s| level.is_kind(*s, k))
    };
    let steers = |w: &Who| match &w.set {
        WhoSet::Kind(k) => level.kinds.iter().enumerate().any(|(i, x)| x.steered && level.is_kind(KindId::at(i), *k)),
        WhoSet::Actor(a) => level.actors.get(a.index()).is_none_or(|a| level.kinds[a.kind.index()].steered),
        _ => true,
    };
    let noticed = |z: ZoneId, w: &Who| {
        let zone = &level.zones[z.index()];
        let WhoSet::Kind(k) = w.set else { return true };
        zone.notices.is_empty()
            || zone.notices.iter().any(|n| match n {
                WhoSet::Kind(n) => level.is_kind(k, *n) || level.is_kind(*n, k),
                _ => true,
            })
    };
    let mut out = vec![];
    let mut say = |span: Span, why: String, help: String| out.push(Diagnostic::finding("never-fires", span, why, help));
    for (i, r) in level.rules.iter().enumerate() {
        if r.limits.off && !switched.contains(&RuleId::at(i)) {
            let help = format!("switch it on somewhere: `enable rule \"{}\"`, or take `off` out", r.title);
            say(r.span, format!("\"{}\" is off, and nothing switches it on", r.title), help);
        }
        for c in r.clauses.iter().filter(|c| c.test.kind == ExprKind::Const(Value::Flag(false))) {
            say(c.test.span, "this is never true".into(), "take the clause out, or test something that changes".into());
        }
        for w in &r.whens {
            let mut who = |who: &Who| {
                if let WhoSet::Kind(k) = who.set
                    && !there(k)
                {
                    let name = &level.kinds[k.index()].name;
                    let help = format!("place one: `place {name} at (x, y)`, or spawn one");
                    say(w.span, format!("there is never a `{name}`"), help);
                }
            };
            match &w.event {
                Event::Press(p) if !steers(&p.who) => {
                    let help = "write `steered` in its kind, or ask for one that is".to_string();
                    say(w.span, "who is not steered presses nothing".into(), help);
                }
                Event::TimerEnds(Expr { kind: ExprKind::Const(Value::Timer(t)), .. }) => {
                    let timer = &level.timers[t.index()];
                    if !timer.running && !started.contains(t) && !any_timer {
                        let help = format!("start it: `start {}`, or declare it `running`", timer.name);
                        say(w.span, format!("`{}` is never started", timer.name), help);
                    }
                }
                Event::Zone { who: x, zone: ZoneWhich::Level(z), .. } if !noticed(*z, x) => {
                    let name = &level.zones[z.index()].name;
                    let help = "add it to the zone's `for`, or ask for one that it notices".to_string();
                    say(w.span, format!("`{name}` does not notice these"), help);
                }
                Event::Spawns(Who { set: WhoSet::Kind(k), .. })
                    if !any_kind && !spawned.iter().any(|s| level.is_kind(*s, *k)) =>
                {
                    let name = &level.kinds[k.index()].name;
                    let help =
                        format!("spawn one somewhere: `spawn {name} at (x, y)`; those that are placed do not spawn");
                    say(w.span, format!("no `{name}` is ever spawned"), help);
                }
                Event::Removed(Who { set: WhoSet::Kind(k), .. }) if !removes => {
                    let name = &level.kinds[k.index()].name;
                    say(w.span, format!("no `{name}` is ever removed"), "remove one somewhere: `remove …`".into());
                }
                Event::Zone { who: x, .. } | Event::Bumps { who: x, .. } | Event::Treads { who: x, .. } => who(x),
                Event::Pair { a, b, .. } => [a, b].into_iter().for_each(who),
                _ => {}
            }
        }
    }
    out
}
