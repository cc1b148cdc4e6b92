//! Findings: what loads and yet may not do what was meant.
//!
//! They are read off the checked level ([`crate::visit`]), once it is whole.
//!
//! Invariant: a finding never stops a level; each has its own code, and the tests hold an example that
//! raises it and one that does not.

use super::Checker;
use super::files::Project;
use super::names::Def;
use crate::diagnostic::Diagnostic;
use crate::level::*;
use crate::moved::Change;
use crate::placed::Placed;
use crate::syntax::{Kind as K, Node};
use crate::visit::Everything;
use mayfly_base::code::*;
use mayfly_base::number::same_number;
use mayfly_base::*;
use rustc_hash::{FxHashMap, FxHashSet};

/// What was seen while the level was read.
#[derive(Clone, Debug, Default)]
pub(crate) struct Used {
    /// Messages, each with the place where it is sent, or heard.
    sent: Placed<(Span, MessageId), ()>,
    heard: Placed<(Span, MessageId), ()>,
    /// Where a message is sent that a variable holds: which, is not known.
    held: Placed<Span, ()>,
    /// Where a kind's variable stands: of which kind, by the kind that declares it.
    fields: Placed<Span, (KindId, FieldId)>,
    /// Those of them that are written to.
    places: Placed<Span, ()>,
    /// The kind that declares the variable of the actor that stands there.
    bases: Placed<(Span, FieldId), KindId>,
}

impl Used {
    pub fn sent(&mut self, at: Span, m: MessageId) {
        self.sent.put((at, m), ());
    }
    pub fn sent_held(&mut self, at: Span) {
        self.held.put(at, ());
    }
    pub fn heard(&mut self, at: Span, m: MessageId) {
        self.heard.put((at, m), ());
    }
    /// Takes what was seen before an edit at places that are kept.
    pub fn take(&mut self, from: &Self, by: &Change, keep: &mut dyn FnMut(&Span) -> bool) {
        let Self { sent, heard, held, fields, places, bases } = from;
        self.sent.take(sent, by, &mut *keep);
        self.heard.take(heard, by, &mut *keep);
        self.held.take(held, by, &mut *keep);
        self.fields.take(fields, by, &mut *keep);
        self.places.take(places, by, &mut *keep);
        self.bases.take(bases, by, keep);
    }
    /// Makes ready to be asked.
    pub fn settle(&mut self) {
        let Self { sent, heard, held, fields, places, bases } = self;
        sent.settle();
        heard.settle();
        held.settle();
        fields.settle();
        places.settle();
        bases.settle();
    }
    /// A kind's variable stands there, of the actor at `base`.
    pub fn field(&mut self, span: Span, base: Span, kind: KindId, field: FieldId) {
        self.fields.put(span, (kind, field));
        self.bases.put((base, field), kind);
    }
    pub fn written(&mut self, span: Span) {
        self.places.put(span, ());
    }
    pub fn base_kind(&self, base: Span, field: FieldId) -> Option<KindId> {
        self.bases.get(&(base, field)).copied()
    }
    fn reads(&self) -> FxHashSet<(KindId, FieldId)> {
        self.fields.iter().filter(|(s, _)| !self.places.contains(s)).map(|(_, f)| *f).collect()
    }
    fn writes(&self) -> FxHashSet<(KindId, FieldId)> {
        self.places.iter().filter_map(|(s, ())| self.fields.get(s)).copied().collect()
    }
}

impl Checker {
    pub fn findings(&mut self, root: &Node) {
        self.unused_messages();
        // Of a level with errors it is not known what is missing in it.
        if self.diagnostics.iter().any(|d| d.severity == crate::diagnostic::Severity::Error) {
            return;
        }
        let tag_lists = root.all(K::TAG_DECL).into_iter();
        let tags: FxHashSet<String> = tag_lists.flat_map(|n| n.all(K::NAME)).map(|n| n.word().to_string()).collect();
        // A tile's tag says what the tile is, also where nothing asks for it.
        let is_asked_for =
            |n: &str, d: &Def, at: &Span| *at != Span::default() && (!matches!(d, Def::Tag(_)) || tags.contains(n));
        let lonely = lonely_names(&self.project, self.names.keys().map(String::as_str));
        let declared = self.names.iter().filter(|(n, (d, at))| lonely.contains(n.as_str()) && is_asked_for(n, d, at));
        let mut lonely: Vec<(&str, Def, Span)> = declared.map(|(n, (d, at))| (n.as_str(), *d, *at)).collect();
        lonely.sort_by_key(|(_, _, at)| (at.file, at.start));
        let all = Everything::of(&self.level);
        let found = [
            unused_variables(&self.level, &all, &self.used),
            stepped_over(&self.level, &all, &self.used),
            never_firing(&self.level, &all),
            super::complementary::complementary(&self.level),
            rounded(&self.level, &all),
            super::unguarded::unguarded(&self.level),
            super::contradictions::contradictions(&self.level, &all),
            super::suspects::all(&self.level, &all, &self.used, &lonely),
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

/// The kind that declares a variable which a kind has.
pub(super) fn declaring(level: &Level, mut kind: KindId, field: FieldId) -> KindId {
    while let Some(base) =
        level.kinds[kind.index()].like.filter(|b| field.index() < level.kinds[b.index()].fields.len())
    {
        kind = base;
    }
    kind
}

/// Variables of kinds to which a placed or spawned actor, or a zone, is given a value of its own.
pub(super) fn given(level: &Level, all: &Everything) -> FxHashSet<(KindId, FieldId)> {
    let mut out = FxHashSet::default();
    let mut take = |kind: KindId, all: &[Override]| {
        for o in all {
            if let Override::Field(f, _) = o {
                out.insert((declaring(level, kind, *f), *f));
            }
        }
    };
    level.actors.iter().for_each(|a| take(a.kind, &a.overrides));
    level.zones.iter().for_each(|z| z.kind.into_iter().for_each(|k| take(k, &z.overrides)));
    all.stmts.iter().for_each(|s| {
        let StmtKind::Do(Action::Spawn { kind, overrides, .. }) = &s.kind else { return };
        match kind.kind {
            ExprKind::Const(Value::Kind(k)) => take(k, overrides),
            _ => (0..level.kinds.len()).for_each(|k| take(KindId::at(k), overrides)),
        }
    });
    out
}

/// Those of some names that stand in the files once at most, inside texts too.
fn lonely_names<'n>(project: &Project, names: impl Iterator<Item = &'n str>) -> FxHashSet<&'n str> {
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

/// The words between the braces of a text.
pub(super) fn words_in_text(token: &str) -> impl Iterator<Item = &str> {
    let inner = token.split('{').skip(1).map(|piece| piece.split('}').next().unwrap_or_default());
    inner.flat_map(|p| p.split(|c: char| !(c.is_alphanumeric() || c == '_'))).filter(|w| !w.is_empty())
}

/// The variable that an action changes.
pub(super) fn root_place(a: &Action) -> Option<&Place> {
    let mut p = match a {
        Action::Assign { place, .. } | Action::Ramp { place, .. } => place,
        Action::Push { list, .. } => list,
        Action::Clear(p) | Action::Bag { bag: p, .. } => p,
        _ => return None,
    };
    while let Place::Entry(base, _) = p {
        p = base;
    }
    Some(p)
}

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

/// Waits that are no whole number of ticks.
fn rounded(level: &Level, all: &Everything) -> Vec<Diagnostic> {
    let mut out = vec![];
    all.stmts.iter().for_each(|s| {
        let StmtKind::Wait(e) = &s.kind else { return };
        if let ExprKind::Const(Value::Duration(d)) = e.kind
            && level.rate.rounds(d)
        {
            let n = level.rate.ticks(d);
            let truth = time::show(level.rate.micros(n), None);
            let word = if n == 1 { "tick" } else { "ticks" };
            out.push(Diagnostic::finding(
                "rounded",
                e.span,
                format!(
                    "at {} a second this is {n} {word}, {truth} in truth",
                    number::counted(level.rate.0 as usize, "tick")
                ),
                "write a whole number of ticks, or leave it so",
            ));
        }
    });
    out
}
