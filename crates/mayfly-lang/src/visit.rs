//! Walks through a checked level: every statement, every expression, wherever it stands.
//!
//! Invariant: an expression is seen once for each place in the text where it stands; what is only
//! written (a place of an assignment) is no expression.

use crate::level::*;
use mayfly_base::VarId;
use mayfly_base::code::*;
use rustc_hash::FxHashSet;

/// Every statement of a block, outer ones first.
pub fn stmts<'l>(block: &'l Block, see: &mut dyn FnMut(&'l Stmt)) {
    for s in block {
        see(s);
        match &s.kind {
            StmtKind::If(arms, other) => {
                arms.iter().for_each(|(_, b)| stmts(b, see));
                other.iter().for_each(|b| stmts(b, see));
            }
            StmtKind::WeightedChoice(_, arms) => arms.iter().for_each(|(_, b)| stmts(b, see)),
            StmtKind::Repeat(_, _, b)
            | StmtKind::While(_, b)
            | StmtKind::For { body: b, .. }
            | StmtKind::Seq(b)
            | StmtKind::Meanwhile(b) => stmts(b, see),
            _ => {}
        }
    }
}

/// Every statement of a level, and those expressions of it at which findings look, each in the order of [`all_exprs`].
#[derive(Default)]
pub struct Everything<'l> {
    pub stmts: Vec<&'l Stmt>,
    /// Sums and comparisons.
    pub binaries: Vec<&'l Expr>,
    /// Points made of two numbers, and draws.
    pub points_and_draws: Vec<&'l Expr>,
    /// The variables of the level that are read.
    pub read: FxHashSet<VarId>,
}

impl<'l> Everything<'l> {
    pub fn of(level: &'l Level) -> Self {
        let mut all = Self::default();
        all_stmts(level, &mut |s| all.stmts.push(s));
        all_exprs(level, &mut |e| match &e.kind {
            ExprKind::Binary(..) => all.binaries.push(e),
            ExprKind::Point(..) | ExprKind::Draw(..) => all.points_and_draws.push(e),
            ExprKind::Var(v) => drop(all.read.insert(*v)),
            _ => {}
        });
        all
    }
}

/// Every statement of a level.
pub fn all_stmts<'l>(level: &'l Level, see: &mut dyn FnMut(&'l Stmt)) {
    for r in &level.rules {
        r.elses.iter().chain([&r.then]).chain(&r.otherwise).for_each(|b| stmts(b, see));
    }
    level.routines.iter().for_each(|r| stmts(&r.body, see));
}

/// The outermost expressions of a statement itself, not of the blocks inside it.
pub fn exprs_of<'l>(s: &'l Stmt, see: &mut dyn FnMut(&'l Expr)) {
    match &s.kind {
        StmtKind::Do(a) => action(a, see),
        StmtKind::Let(_, e) | StmtKind::Repeat(_, e, _) | StmtKind::While(e, _) | StmtKind::Wait(e) => see(e),
        StmtKind::If(arms, _) => arms.iter().for_each(|(e, _)| see(e)),
        StmtKind::WeightedChoice(_, arms) => arms.iter().for_each(|(e, _)| see(e)),
        StmtKind::For { over, test, .. } => {
            match over {
                ForOver::Range(a, b) => [a, b].into_iter().for_each(&mut *see),
                ForOver::Each(e) => see(e),
            }
            test.iter().for_each(see);
        }
        StmtKind::Return(e) => e.iter().for_each(see),
        StmtKind::WaitUntil { test, at_most } => [test].into_iter().chain(at_most).for_each(see),
        StmtKind::WaitFor { at_most, .. } => at_most.iter().for_each(see),
        StmtKind::Routine { args, .. } => args.iter().for_each(see),
        StmtKind::Seq(_)
        | StmtKind::Break
        | StmtKind::Continue
        | StmtKind::WaitRamp
        | StmtKind::WaitWalk
        | StmtKind::Meanwhile(_) => {}
    }
}

/// What of a place is read to find it: the actor, the index.
fn place<'l>(p: &'l Place, see: &mut dyn FnMut(&'l Expr)) {
    match p {
        Place::Field(e, _) | Place::Attr(e, _) => see(e),
        Place::Entry(base, i) => {
            place(base, see);
            see(i);
        }
        Place::Var(_) | Place::Local(_) | Place::ClockSpeed(_) => {}
    }
}

/// The outermost expressions of an action.
fn action<'l>(a: &'l Action, see: &mut dyn FnMut(&'l Expr)) {
    match a {
        Action::Assign { place: p, value, .. }
        | Action::Push { list: p, value }
        | Action::Bag { bag: p, value, .. } => {
            place(p, see);
            see(value);
        }
        Action::Clear(p) => place(p, see),
        Action::Send { message, args, to, after } => {
            see(message);
            args.iter().for_each(&mut *see);
            match to {
                Some(SendTo::One(e)) => see(e),
                Some(SendTo::All(WhoSet::Held(e))) => see(e),
                _ => {}
            }
            after.iter().for_each(see);
        }
        Action::Tell { text, to, from } => [text].into_iter().chain(to).chain(from).for_each(see),
        Action::Prompt { text, on, sustain, lasts } => {
            [text].into_iter().chain(on).chain(sustain).chain(lasts).for_each(see);
        }
        Action::Board { text, sustain } => [text].into_iter().chain(sustain).for_each(see),
        Action::Spawn { kind, at, overrides, .. } => {
            see(kind);
            see(at);
            overrides.iter().for_each(|o| override_of(o, see));
        }
        Action::Move { who, to } | Action::Face { who, to, .. } => [who, to].into_iter().for_each(see),
        Action::Shove { who, by } => [who, by].into_iter().for_each(see),
        Action::Tag { who, tag, .. } => [who, tag].into_iter().for_each(see),
        Action::Lay { tile, at } => [tile, at].into_iter().for_each(see),
        Action::Go { of, .. } => of.iter().for_each(see),
        Action::Timer { timer, order } => {
            see(timer);
            if let TimerOrder::Start(Some(d)) = order {
                see(d);
            }
        }
        Action::Advance(_, parts) | Action::SetClock(_, parts) => parts.iter().for_each(|(_, e)| see(e)),
        Action::Ramp { place: p, to, over, .. } => {
            place(p, see);
            see(to);
            let (RampTime::Over(e) | RampTime::At(e)) = over;
            see(e);
        }
        Action::Walk(w) => {
            let (WalkGoal::To(g) | WalkGoal::Along(g) | WalkGoal::After(g) | WalkGoal::AwayFrom(g)) = &w.goal;
            [&w.who, g].into_iter().chain(&w.speed).chain(&w.lasts).for_each(see);
        }
        Action::Cue(e)
        | Action::Log(_, e)
        | Action::Remove(e)
        | Action::Halt(e)
        | Action::Switch { thing: e, .. }
        | Action::Freeze { who: e, .. }
        | Action::Checkpoint(e)
        | Action::Recall(e)
        | Action::Reset(e)
        | Action::Win(e)
        | Action::Lose(e) => see(e),
        Action::SwitchRule { .. } | Action::PauseClock(..) | Action::Restart | Action::Save => {}
    }
}

fn override_of<'l>(o: &'l Override, see: &mut dyn FnMut(&'l Expr)) {
    let (Override::Field(_, e) | Override::Attr(_, e)) = o;
    see(e);
}

/// Every expression of a level, inner ones too.
pub fn all_exprs<'l>(level: &'l Level, see: &mut dyn FnMut(&'l Expr)) {
    let mut whole = |e: &'l Expr| e.walk(see);
    level.vars.iter().for_each(|v| whole(&v.first));
    level.defines.iter().for_each(|d| whole(&d.expr));
    level.watches.iter().for_each(|w| whole(&w.expr));
    level.tables.iter().flat_map(|t| &t.rows).for_each(|(v, w)| [v, w].into_iter().for_each(&mut whole));
    for k in &level.kinds {
        k.fields.iter().for_each(|v| whole(&v.first));
        k.attrs.iter().for_each(|(_, e)| whole(e));
    }
    level.actors.iter().flat_map(|a| &a.overrides).for_each(|o| override_of(o, &mut whole));
    level.zones.iter().flat_map(|z| &z.overrides).for_each(|o| override_of(o, &mut whole));
    for r in &level.rules {
        r.whens.iter().for_each(|w| event(&w.event, &mut whole));
        r.clauses.iter().for_each(|c| whole(&c.test));
        r.limits.awake.iter().for_each(&mut whole);
        if let Some(Part::Transition { to: Goal::OneOf(_, rows), .. }) = &r.part {
            rows.iter().for_each(|(_, w, t)| [w].into_iter().chain(t).for_each(&mut whole));
        }
    }
    all_stmts(level, &mut |s| exprs_of(s, &mut whole));
}

/// The expressions of an event.
fn event<'l>(e: &'l Event, see: &mut dyn FnMut(&'l Expr)) {
    let mut who = |w: &'l Who| {
        if let WhoSet::Held(e) = &w.set {
            see(e);
        }
    };
    match e {
        Event::Zone { who: w, zone, .. } => {
            who(w);
            match zone {
                ZoneWhich::Of(_, w) => who(w),
                ZoneWhich::Held(e) => see(e),
                _ => {}
            }
        }
        Event::Pair { a, b, .. } => [a, b].into_iter().for_each(who),
        Event::Press(p) => {
            who(&p.who);
            if let Some((w, within)) = &p.near {
                who(w);
                within.iter().for_each(&mut *see);
            }
        }
        Event::Watched { form: WatchForm::Reaches(n) | WatchForm::DropsTo(n), .. } => see(n),
        Event::Hears { message: Heard::Held(e, _), .. } | Event::TimerEnds(e) => see(e),
        Event::Arrives { who: w, at } => {
            who(w);
            at.iter().for_each(see);
        }
        Event::Spawns(w) | Event::Removed(w) | Event::Stuck(w) => who(w),
        Event::Bumps { who: w, .. } | Event::Treads { who: w, .. } | Event::Comes { who: w, .. } => who(w),
        _ => {}
    }
}
