//! More findings: declarations that nothing uses, tests that are never true, things that undo each other.
//!
//! Not here: those on variables, messages and rules on one event ([`super::findings`]).
//!
//! Invariant: each finding has a code of its own, says why, and what to do.

use super::complementary::bare;
use super::names::Def;
use super::used::Used;
use crate::diagnostic::Diagnostic;
use crate::level::*;
use crate::visit::{self, Everything};
use mayfly_base::code::*;
use mayfly_base::*;
use rustc_hash::{FxHashMap, FxHashSet, FxHasher};
use std::hash::{Hash, Hasher};
use std::mem::discriminant;

type Found = Vec<Diagnostic>;

/// All of them. `unused_names` are those declared names that stand nowhere else in the text.
pub(super) fn all(level: &Level, all: &Everything, used: &Used, unused_names: &[(&str, Def, Span)]) -> Found {
    let found = [
        unused(level, unused_names),
        stacked_zones(level),
        never_true(level, all, used),
        dead_ends(level, all),
        endless_arrivals(level, all),
        off_for_ever(level, all),
        restarted_timers(level),
        broken_ramps(level),
        stopped_timers(level),
        opposite_writes(level),
        never_saved(level, all),
        off_the_map(level, all),
        only_one(level, all),
    ];
    found.into_iter().flatten().collect()
}

/// Declarations whose name stands nowhere else.
fn unused(level: &Level, unused_names: &[(&str, Def, Span)]) -> Found {
    let mut out = vec![];
    for (name, def, span) in unused_names {
        let help = match def {
            Def::Zone(z) if level.zones[z.index()].kind.is_some() => continue,
            Def::Zone(_) => "await who enters or leaves it, ask who is in it, or take it out",
            Def::Path(_) => "let someone walk along it, or take it out",
            Def::Timer(_) => "start it and await its end, or take it out",
            Def::Table(_) => "draw from it, or take it out",
            Def::Routine(_) => "call it, or take it out",
            Def::Kind(_) => "place or spawn one, or take it out",
            Def::Input(_) => "await it: `when … presses`, or take it out",
            // Variables and messages have findings of their own; tiles stand in maps by their signs.
            Def::Var(_) | Def::Message(_) | Def::Tile(_) | Def::Area(_) | Def::Machine(_) | Def::Actor(_) => continue,
            _ => "use it or take it out",
        };
        let text = format!("`{name}`, {}, is used nowhere", def.what());
        out.push(Diagnostic::finding("never-used", *span, text, help));
    }
    out
}

/// Two zones of the level on the very same cells.
fn stacked_zones(level: &Level) -> Found {
    let mut alike: FxHashMap<(AreaId, u64), Vec<usize>> = FxHashMap::default();
    let mut out = vec![];
    for (i, z) in level.zones.iter().enumerate().filter(|(_, z)| z.of.is_none()) {
        let is_made = matches!(z.shape, Shape::Cells(_) | Shape::Tiles { .. } | Shape::Sum(..) | Shape::Less(..));
        if is_made && z.shape.parts() > 50 {
            continue;
        }
        let mut form = FxHasher::default();
        hash_form(&z.shape, &mut form);
        let alike = alike.entry((z.area, form.finish())).or_default();
        match alike.iter().map(|i| &level.zones[*i]).find(|other| other.shape == z.shape) {
            Some(other) => {
                let text = format!("`{}` lies on the same cells as `{}`", z.name, other.name);
                let help = "make one zone of the two, or move one";
                out.push(Diagnostic::finding("same-cells", z.span, text, help).and(other.span, "the other is here"));
            }
            None => alike.push(i),
        }
    }
    out
}

/// Of equal shapes the same.
fn hash_form(shape: &Shape, into: &mut FxHasher) {
    // Both zeros are one number.
    let bits = |x: f64| (x + 0.0).to_bits();
    discriminant(shape).hash(into);
    match shape {
        Shape::Rect { x, y, w, h } => (x, y, w, h).hash(into),
        Shape::Disc { x, y, r } => [*x, *y, *r].map(bits).hash(into),
        Shape::Cells(cells) => cells.hash(into),
        Shape::Tiles { of, cells } => (of, cells).hash(into),
        Shape::Poly(corners) => corners.iter().for_each(|(x, y)| (bits(*x), bits(*y)).hash(into)),
        Shape::Sum(a, b) | Shape::Less(a, b) => {
            hash_form(a, into);
            hash_form(b, into);
        }
    }
}

/// From which to which a number can go, where bounds say so.
fn bounds_of(level: &Level, used: &Used, e: &Expr) -> Option<(String, f64, f64)> {
    match &e.kind {
        ExprKind::Var(v) => {
            let var = &level.vars[v.index()];
            var.bounds.map(|(lo, hi)| (var.name.clone(), lo, hi))
        }
        ExprKind::Field(a, f) => {
            let k = used.base_kind(a.span, *f)?;
            let field = level.kinds[k.index()].fields.get(f.index())?;
            field.bounds.map(|(lo, hi)| (field.name.clone(), lo, hi))
        }
        ExprKind::Over(o) if o.what == OverWhat::Count => Some(("a count".into(), 0.0, f64::INFINITY)),
        _ => None,
    }
}

fn constant(e: &Expr) -> Option<f64> {
    if let ExprKind::Const(Value::Number(n)) = e.kind { Some(n) } else { None }
}

/// Comparisons that the bounds of their variable decide for ever.
fn never_true(level: &Level, all: &Everything, used: &Used) -> Found {
    let mut out = vec![];
    let show = number::show_number;
    let why = |name: &str, lo: f64, hi: f64| match hi.is_finite() {
        true => format!("`{name}` goes from {} to {}", show(lo), show(hi)),
        false => format!("{name} is {} or more", show(lo)),
    };
    all.binaries.iter().for_each(|e| {
        let ExprKind::Binary(op, a, b) = &e.kind else { return };
        let (var, n, op) = match (constant(a), constant(b)) {
            (None, Some(n)) => (a, n, *op),
            (Some(n), None) => (
                b,
                n,
                match op {
                    BinOp::Lt => BinOp::Gt,
                    BinOp::Le => BinOp::Ge,
                    BinOp::Gt => BinOp::Lt,
                    BinOp::Ge => BinOp::Le,
                    other => *other,
                },
            ),
            _ => return,
        };
        let Some((name, lo, hi)) = bounds_of(level, used, var) else { return };
        let never = match op {
            BinOp::Lt => lo >= n,
            BinOp::Le => lo > n,
            BinOp::Gt => hi <= n,
            BinOp::Ge => hi < n,
            BinOp::Eq => n < lo || n > hi,
            _ => false,
        };
        if never {
            let text = format!("this is never true: {}", why(&name, lo, hi));
            out.push(Diagnostic::finding("never-true", e.span, text, "compare with a value that it can have"));
        }
    });
    for (r, w) in level.rules.iter().flat_map(|r| r.whens.iter().map(move |w| (r, w))) {
        let Event::Watched { watch, form, .. } = &w.event else { continue };
        let Some((name, lo, hi)) = bounds_of(level, used, &level.watches[watch.index()].expr) else { continue };
        let n = match form {
            WatchForm::Reaches(n) => constant(n).filter(|n| *n > hi),
            WatchForm::DropsTo(n) => constant(n).filter(|n| *n < lo),
            _ => None,
        };
        if n.is_some() {
            let text = format!("\"{}\" never fires: {}", r.title, why(&name, lo, hi));
            out.push(Diagnostic::finding("never-true", w.span, text, "await a value that it can have"));
        }
    }
    out
}

/// True where a block does one of those, at any depth.
fn does(block: &Block, is: impl Fn(&StmtKind) -> bool) -> bool {
    let mut found = false;
    visit::stmts(block, &mut |s| found |= is(&s.kind));
    found
}

fn blocks(r: &Rule) -> impl Iterator<Item = &Block> {
    r.elses.iter().chain([&r.then]).chain(&r.otherwise)
}

/// States of larger machines out of which nothing leads, though they are no end.
fn dead_ends(level: &Level, all: &Everything) -> Found {
    let mut out = vec![];
    let mut left: FxHashSet<StateId> = FxHashSet::default();
    let mut wherever: FxHashSet<MachineId> = FxHashSet::default();
    let mut ends: FxHashSet<StateId> = FxHashSet::default();
    let mut busy: FxHashSet<StateId> = FxHashSet::default();
    for r in &level.rules {
        match &r.part {
            Some(Part::Transition { from: Some(s), .. }) => drop(left.insert(*s)),
            Some(Part::Transition { machine, from: None, .. }) => drop(wherever.insert(*machine)),
            Some(part @ (Part::Enter(s) | Part::In(s) | Part::Loop(s))) => {
                if !matches!(part, Part::Enter(_)) {
                    busy.insert(*s);
                }
                let is_end = |s: &StmtKind| {
                    let StmtKind::Do(a) = s else { return false };
                    matches!(
                        a,
                        Action::Win(_) | Action::Lose(_) | Action::Restart | Action::Remove(_) | Action::Reset(_)
                    )
                };
                if blocks(r).any(|b| does(b, is_end)) {
                    ends.insert(*s);
                }
            }
            _ => {}
        }
    }
    all.stmts.iter().for_each(|s| {
        if let StmtKind::Do(Action::Go { machine, .. }) = &s.kind {
            wherever.insert(*machine);
        }
    });
    let outers: FxHashSet<StateId> = level.states.iter().filter_map(|s| s.outer).collect();
    let mut size: FxHashMap<MachineId, usize> = FxHashMap::default();
    for s in level.states.iter().filter(|s| s.outer.is_none()) {
        *size.entry(s.machine).or_default() += 1;
    }
    for (i, s) in level.states.iter().enumerate() {
        let id = StateId::at(i);
        let path = level.state_path(id);
        let has_way = path.iter().any(|s| left.contains(s)) || wherever.contains(&s.machine);
        // A door that opens once is no mistake: only a state that keeps acting is looked at.
        let is_small = size.get(&s.machine).is_none_or(|n| *n < 3);
        if has_way || outers.contains(&id) || ends.contains(&id) || is_small || !busy.contains(&id) {
            continue;
        }
        let text = format!("nothing leads out of `{}`, and it is no end", level.state_name(id));
        let help = "write `to …` in it, or end there: `win`, `lose`, `remove self`";
        out.push(Diagnostic::finding("dead-end", s.span, text, help));
    }
    out
}

/// `arrives` where all walk along ways that never end.
fn endless_arrivals(level: &Level, all: &Everything) -> Found {
    let (mut endless, mut others) = (0, 0);
    all.stmts.iter().for_each(|s| {
        if let StmtKind::Do(Action::Walk(w)) = &s.kind {
            match &w.goal {
                WalkGoal::Along(Expr { kind: ExprKind::Const(Value::Path(p)), .. })
                    if level.paths[p.index()].end != PathEnd::Once =>
                {
                    endless += 1;
                }
                _ => others += 1,
            }
        }
    });
    if endless == 0 || others > 0 {
        return vec![];
    }
    let whens = level.rules.iter().flat_map(|r| &r.whens);
    let awaits = whens.filter(|w| matches!(w.event, Event::Arrives { at: None, .. }));
    let say = |w: &When| {
        let text = "nobody arrives: all walk along paths that never end";
        Diagnostic::finding("never-fires", w.span, text, "await one of its points: `arrives at (x, y)`")
    };
    awaits.map(say).collect()
}

/// What is switched off and never on again.
fn off_for_ever(level: &Level, all: &Everything) -> Found {
    let mut on: FxHashSet<String> = FxHashSet::default();
    let mut any_on = false;
    let mut off: Vec<(String, String, Span)> = vec![];
    let key = |a: &Action| match a {
        Action::Switch { what: Switch::Enabled, thing, .. } => match &thing.kind {
            ExprKind::Const(v @ (Value::Actor(_) | Value::Zone(..))) => Some(format!("{v:?}")),
            _ => None,
        },
        Action::SwitchRule { rule, .. } => Some(format!("rule {}", rule.0)),
        _ => None,
    };
    all.stmts.iter().for_each(|s| {
        let StmtKind::Do(a) = &s.kind else { return };
        match a {
            Action::SwitchRule { on: true, .. } => on.extend(key(a)),
            Action::Switch { what: Switch::Enabled, on: true, .. } => match key(a) {
                Some(k) => drop(on.insert(k)),
                None => any_on = true,
            },
            Action::SwitchRule { rule, .. } => {
                let name = format!("the rule \"{}\"", level.rules[rule.index()].title);
                off.extend(key(a).map(|k| (k, name, s.span)));
            }
            Action::Switch { what: Switch::Enabled, thing, .. } => {
                let name = match thing.kind {
                    ExprKind::Const(Value::Actor(x)) => level.actors.get(x.index()).map(|x| x.name.clone()),
                    ExprKind::Const(Value::Zone(z, _)) => Some(level.zones[z.index()].name.clone()),
                    _ => None,
                };
                off.extend(key(a).zip(name).map(|(k, n)| (k, format!("`{n}`"), s.span)));
            }
            Action::Reset(_) | Action::Restart => any_on = true,
            _ => {}
        }
    });
    let for_ever = off.into_iter().filter(|(k, ..)| !on.contains(k) && (!any_on || k.starts_with("rule ")));
    let say = |(_, name, span): (String, String, Span)| {
        let text = format!("{name} is switched off here, and nothing switches it on again");
        Diagnostic::finding(
            "off-for-ever",
            span,
            text,
            "enable it somewhere, or remove it where it is not needed any more",
        )
    };
    for_ever.map(say).collect()
}

/// A timer that is started again before it can end.
fn restarted_timers(level: &Level) -> Found {
    let mut out = vec![];
    for r in level.rules.iter().filter(|r| r.clauses.is_empty() && r.part.is_none() && !limited(r)) {
        for w in &r.whens {
            let period = match w.event {
                Event::Tick => 1,
                Event::Every { period, .. } => period.ticks,
                _ => continue,
            };
            for s in &r.then {
                let StmtKind::Do(Action::Timer { timer, order: TimerOrder::Start(length) }) = &s.kind else { continue };
                let ExprKind::Const(Value::Timer(t)) = timer.kind else { continue };
                let ticks = match length.as_ref().map(|e| &e.kind) {
                    None => level.rate.ticks(level.timers[t.index()].length),
                    Some(ExprKind::Const(Value::Duration(d))) => level.rate.ticks(*d),
                    Some(_) => continue,
                };
                if ticks > period {
                    let name = &level.timers[t.index()].name;
                    let text = format!(
                        "`{name}` never ends: it is started again each {}, and takes {}",
                        time::show(level.rate.micros(period), None),
                        time::show(level.rate.micros(ticks), None)
                    );
                    let help = format!("start it once, or only while it rests: `if not {name}.running`");
                    out.push(Diagnostic::finding("restarted", s.span, text, help));
                }
            }
        }
    }
    out
}

fn limited(r: &Rule) -> bool {
    !r.limits.at_most.is_empty() || !r.limits.cooldown.is_empty() || r.limits.awake.is_some()
}

/// A place as one can compare it: a variable of the level, or of one actor that is named.
fn place_key(p: &Place) -> Option<String> {
    match p {
        Place::Var(v) => Some(format!("v{}", v.0)),
        Place::Field(Expr { kind: ExprKind::Const(Value::Actor(a)), .. }, f) => Some(format!("a{}.{}", a.0, f.0)),
        Place::Attr(Expr { kind: ExprKind::Const(Value::Actor(a)), .. }, x) => Some(format!("a{}.{x:?}", a.0)),
        _ => None,
    }
}

/// A ramp into what other rules write: any of them ends it.
fn broken_ramps(level: &Level) -> Found {
    let mut writes: FxHashMap<String, Vec<usize>> = FxHashMap::default();
    let mut ramps: Vec<(usize, String, Span)> = vec![];
    for (i, r) in level.rules.iter().enumerate() {
        for b in blocks(r) {
            visit::stmts(b, &mut |s| match &s.kind {
                StmtKind::Do(Action::Assign { place, .. }) => {
                    if let Some(k) = place_key(place) {
                        writes.entry(k).or_default().push(i);
                    }
                }
                StmtKind::Do(Action::Ramp { place, .. }) => ramps.extend(place_key(place).map(|k| (i, k, s.span))),
                _ => {}
            });
        }
    }
    let mut out = vec![];
    for (rule, key, span) in ramps {
        let Some(other) = writes.get(&key).into_iter().flatten().find(|o| **o != rule) else { continue };
        let other = &level.rules[*other];
        let text = format!("\"{}\" writes what this ramp moves: that ends the ramp", other.title);
        let help = "let one of the two write it, or test `ramping` first";
        out.push(Diagnostic::finding("broken-ramp", span, text, help).and(other.span, "it is written here"));
    }
    out
}

/// A state that stops a timer as it is entered, and waits for its end.
fn stopped_timers(level: &Level) -> Found {
    let mut out = vec![];
    let stops = |r: &Rule| -> Vec<(StateId, TimerId, Span)> {
        let Some(Part::Enter(state)) = r.part else { return vec![] };
        let mut found = vec![];
        for s in &r.then {
            let StmtKind::Do(Action::Timer { timer, order }) = &s.kind else { continue };
            let ExprKind::Const(Value::Timer(t)) = timer.kind else { continue };
            match order {
                TimerOrder::Stop | TimerOrder::Pause => found.push((state, t, s.span)),
                _ => found.retain(|(_, x, _)| *x != t),
            }
        }
        found
    };
    let mut awaits: FxHashMap<(StateId, TimerId), &Rule> = FxHashMap::default();
    for r in &level.rules {
        let Some(Part::Transition { from: Some(state), .. }) = r.part else { continue };
        for w in &r.whens {
            if let Event::TimerEnds(Expr { kind: ExprKind::Const(Value::Timer(t)), .. }) = &w.event {
                awaits.entry((state, *t)).or_insert(r);
            }
        }
    }
    for (state, timer, span) in level.rules.iter().flat_map(stops) {
        if let Some(r) = awaits.get(&(state, timer)) {
            let name = &level.timers[timer.index()].name;
            let text = format!("`{name}` is stopped here, and a transition of this state waits for its end");
            let help = format!("start it here: `start {name}`, or stop it in `leave`");
            out.push(Diagnostic::finding("stopped", span, text, help).and(r.span, "it is awaited here"));
        }
    }
    out
}

/// Two rules of one event that write other values into the same place in one tick.
fn opposite_writes(level: &Level) -> Found {
    let mut seen: FxHashMap<(Option<KindId>, String), Vec<usize>> = FxHashMap::default();
    let plain = |r: &&Rule| r.part.is_none() && r.group.is_none() && r.clauses.is_empty() && !limited(r);
    for (i, r) in level.rules.iter().enumerate().filter(|(_, r)| plain(r)) {
        for w in &r.whens {
            seen.entry((r.owner, format!("{:?}", bare(&w.event)))).or_default().push(i);
        }
    }
    let sets = |r: &Rule| -> Vec<(String, Value, Span)> {
        let one = |s: &Stmt| match &s.kind {
            StmtKind::Do(Action::Assign { place, op: None, value: Expr { kind: ExprKind::Const(v), .. } }) => {
                // The rules have the same event: what it binds lies in the same slots.
                let bound = match place {
                    Place::Field(Expr { kind: ExprKind::Local(s), .. }, f) if (*s as usize) < r.bound => {
                        Some(format!("l{s}.{}", f.0))
                    }
                    Place::Field(Expr { kind: ExprKind::Myself, .. }, f) => Some(format!("self.{}", f.0)),
                    _ => None,
                };
                place_key(place).or(bound).map(|k| (k, v.clone(), s.span))
            }
            _ => None,
        };
        // Only what is written before the first wait is of this tick.
        r.then.iter().take_while(|s| matches!(s.kind, StmtKind::Do(_))).filter_map(one).collect()
    };
    let mut out = vec![];
    let mut lists: Vec<Vec<usize>> = seen.into_values().filter(|l| l.len() > 1).collect();
    lists.sort_unstable();
    for list in lists {
        let mut first: FxHashMap<String, (Value, usize)> = FxHashMap::default();
        for i in list {
            for (key, v, span) in sets(&level.rules[i]) {
                match first.get(&key) {
                    Some((old, j)) if *j != i && !old.same(&v) => {
                        let (a, b) = (&level.rules[*j], &level.rules[i]);
                        let text = format!("\"{}\" and \"{}\" write other values here for one event", a.title, b.title);
                        let help =
                            "the later one counts; put both into `first of \"title\" { … }`, or test which is meant";
                        out.push(Diagnostic::finding("two-writes", span, text, help).and(a.span, "the other is here"));
                    }
                    _ => drop(first.insert(key, (v, i))),
                }
            }
        }
    }
    out
}

/// Kept values of a level that never says when they are kept.
fn never_saved(level: &Level, all: &Everything) -> Found {
    let mut saves = false;
    all.stmts.iter().for_each(|s| {
        saves |= matches!(s.kind, StmtKind::Do(Action::Save | Action::Win(_) | Action::Lose(_)));
    });
    let fields = level.kinds.iter().flat_map(|k| &k.fields);
    let Some(kept) = level.vars.iter().chain(fields).find(|v| v.keep).filter(|_| !saves) else { return vec![] };
    let text = format!("`{}` is kept only when the application is left: nothing saves, wins or loses", kept.name);
    vec![Diagnostic::finding("never-saved", kept.span, text, "write `save` where it is to be kept")]
}

/// The columns and rows of a shape, where that is simple.
fn bounds(shape: &Shape) -> Option<(i64, i64, i64, i64)> {
    match shape {
        Shape::Rect { x, y, w, h } => Some((*x, *y, x.saturating_add(*w) - 1, y.saturating_add(*h) - 1)),
        Shape::Disc { x, y, r } => {
            let on = |n: f64| n as i64;
            Some((on((x - r).ceil()), on((y - r).ceil()), on((x + r).floor()), on((y + r).floor())))
        }
        _ => None,
    }
}

/// Zones that lie off the map, and random places that may.
fn off_the_map(level: &Level, all: &Everything) -> Found {
    let mut out = vec![];
    for z in level.zones.iter().filter(|z| z.of.is_none() && level.edges == Edges::Closed) {
        let area = &level.areas[z.area.index()];
        let Some((x0, y0, x1, y1)) = bounds(&z.shape).filter(|_| area.width > 0) else { continue };
        let (w, h) = (area.width as i64, area.height as i64);
        if x1 < 0 || y1 < 0 || x0 >= w || y0 >= h {
            let text = format!("`{}` lies off the map, which has {w} x {h} cells: nobody comes there", z.name);
            out.push(Diagnostic::finding("off-map", z.span, text, "lay it on the map, or make the map larger"));
        }
    }
    let size = |a: AreaId| {
        let area = &level.areas[a.index()];
        (area.width > 0).then_some((area.width as f64, area.height as f64))
    };
    all.points_and_draws.iter().for_each(|e| match &e.kind {
        ExprKind::Point(x, y, area) => {
            let Some((w, h)) = size(*area) else { return };
            let off = |e: &Expr, most: f64| match &e.kind {
                ExprKind::Draw(Draw::Whole, _, args) => match args.as_slice() {
                    [a, b] => constant(a).is_some_and(|a| a < 0.0) || constant(b).is_some_and(|b| b > most - 1.0),
                    _ => false,
                },
                _ => false,
            };
            if off(x, w) || off(y, h) {
                let text = format!("this place may lie off the map, which has {w} x {h} cells");
                let help =
                    format!("draw `random(0, {})` and `random(0, {})`, or `random_point` of a zone", w - 1.0, h - 1.0);
                out.push(Diagnostic::finding("off-map", e.span, text, help));
            }
        }
        ExprKind::Draw(Draw::PointIn, _, args) => {
            let Some(Expr { kind: ExprKind::Const(Value::Zone(z, None)), .. }) = args.first() else { return };
            let zone = &level.zones[z.index()];
            let Some(((w, h), (x0, y0, x1, y1))) = size(zone.area).zip(bounds(&zone.shape)) else { return };
            if x0 < 0 || y0 < 0 || x1 as f64 >= w || y1 as f64 >= h {
                let text = format!("`{}` hangs over the map's edge: only its cells on the map are drawn", zone.name);
                out.push(Diagnostic::finding("off-map", e.span, text, "let the zone end at the map's edge"));
            }
        }
        _ => {}
    });
    out
}

/// Sight or nearness of a kind to itself, of which there is only one.
fn only_one(level: &Level, all: &Everything) -> Found {
    let mut spawns = false;
    all.stmts.iter().for_each(|s| spawns |= matches!(s.kind, StmtKind::Do(Action::Spawn { .. })));
    if spawns {
        return vec![];
    }
    let mut out = vec![];
    for (r, w) in level.rules.iter().flat_map(|r| r.whens.iter().map(move |w| (r, w))) {
        let Event::Pair { a, b, .. } = &w.event else { continue };
        let kind = |w: &Who| match (&w.set, r.owner) {
            (WhoSet::Kind(k), _) => Some(*k),
            (WhoSet::Myself, Some(k)) => Some(k),
            _ => None,
        };
        let (Some(x), Some(y)) = (kind(a), kind(b)) else { continue };
        let of = |k: KindId| {
            let all = level.actors.iter().enumerate().filter(move |(_, a)| level.is_kind(a.kind, k));
            all.map(|(i, _)| i).collect::<Vec<_>>()
        };
        let (these, those) = (of(x), of(y));
        if these.len() == 1 && these == those {
            let name = &level.kinds[x.index()].name;
            let text = format!("there is one `{name}` only, and nobody meets itself");
            let help = format!("place another `{name}`, or ask for another kind");
            out.push(Diagnostic::finding("never-fires", w.span, text, help));
        }
    }
    out
}
