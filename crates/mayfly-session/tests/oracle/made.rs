//! Levels that are made up at random, so that a failing one shrinks.
//!
//! Invariant: nothing faulty is awaited: only actions and clauses divide.

use super::form::*;
use proptest::prelude::*;
use std::rc::Rc;

fn calc(may_fail: bool) -> impl Strategy<Value = Calc> {
    let all = [Calc::Add, Calc::Sub, Calc::Min, Calc::Max, Calc::Mul, Calc::Mod, Calc::Quotient];
    let some = if may_fail { 7 } else { 5 };
    prop::sample::select(all[..some].to_vec())
}

/// A number. `locals`: it may read them. `own`: it may read whose rule it is.
fn num(depth: u32, may_fail: bool, locals: bool, own: bool) -> BoxedStrategy<Num> {
    let mut leaves = vec![
        (-2i64..5).prop_map(Num::Lit).boxed(),
        (0..NUMBERS).prop_map(Num::Var).boxed(),
        (0..NUMBERS).prop_map(Num::Var).boxed(),
        (0..ACTORS).prop_map(Num::Of).boxed(),
        Just(Num::Ramped).boxed(),
    ];
    if locals {
        leaves.push((0..2usize).prop_map(Num::Local).boxed());
    }
    if own {
        leaves.push(Just(Num::Own).boxed());
        leaves.push(Just(Num::Define).boxed());
    }
    let leaf = prop::strategy::Union::new(leaves);
    if depth == 0 {
        return leaf.boxed();
    }
    let inner = move || num(depth - 1, may_fail, locals, own).prop_map(Box::new);
    let choice = test(depth - 1, may_fail, locals, own).prop_map(Box::new);
    prop_oneof![
        4 => leaf,
        3 => (calc(may_fail), inner(), inner()).prop_map(|(c, a, b)| Num::Two(c, a, b)),
        1 => (choice, inner(), inner()).prop_map(|(t, a, b)| Num::If(t, a, b)),
        1 => (0..NUMBERS).prop_map(Num::Count),
        u32::from(own) => inner().prop_map(Num::Call),
    ]
    .boxed()
}

fn test(depth: u32, may_fail: bool, locals: bool, own: bool) -> BoxedStrategy<Test> {
    let n = move || num(depth.min(1), may_fail, locals, own);
    let leaf = prop_oneof![
        3 => (0..FLAGS).prop_map(Test::Flag),
        2 => (n(), n()).prop_map(|(a, b)| Test::Less(a, b)),
        2 => (n(), n()).prop_map(|(a, b)| Test::AtLeast(a, b)),
        1 => (n(), n()).prop_map(|(a, b)| Test::Same(a, b)),
        1 => (0..TIMERS.len()).prop_map(Test::Running),
        1 => (0..ACTORS, 0..ZONES.len()).prop_map(|(a, z)| Test::In(a, z)),
        1 => (0..STATES).prop_map(Test::State),
        1 => (0..ACTORS).prop_map(Test::Enabled),
        u32::from(own) => (0..GLOWS).prop_map(Test::Glow),
    ];
    if depth == 0 {
        return leaf.boxed();
    }
    let inner = move || test(depth - 1, may_fail, locals, own).prop_map(Box::new);
    prop_oneof![
        3 => leaf,
        1 => inner().prop_map(Test::Not),
        1 => (inner(), inner()).prop_map(|(a, b)| Test::And(a, b)),
        1 => (inner(), inner()).prop_map(|(a, b)| Test::Or(a, b)),
    ]
    .boxed()
}

fn ticks() -> impl Strategy<Value = u64> {
    1u64..5
}

/// One action. `waits`: it may wait. `goes`: it may send the machine on.
fn statement(depth: u32, waits: bool, goes: bool) -> BoxedStrategy<Statement> {
    let n = || num(1, true, true, true);
    let t = || test(1, true, true, true);
    let maybe = || prop::option::of(ticks());
    let mut all: Vec<(u32, BoxedStrategy<Statement>)> = vec![
        (4, (0..NUMBERS, n()).prop_map(|(v, n)| Statement::Add(v, n)).boxed()),
        (3, (0..NUMBERS, n()).prop_map(|(v, n)| Statement::Set(v, n)).boxed()),
        (3, (0..FLAGS, t()).prop_map(|(f, t)| Statement::SetFlag(f, t)).boxed()),
        (2, n().prop_map(Statement::SetOwn).boxed()),
        (1, (0..ACTORS, n()).prop_map(|(a, n)| Statement::SetOf(a, n)).boxed()),
        (4, n().prop_map(Statement::Log).boxed()),
        (
            3,
            (0..MESSAGES, n(), maybe())
                .prop_map(|(message, value, after)| Statement::Send { message, value, after })
                .boxed(),
        ),
        (2, (0..TIMERS.len(), maybe()).prop_map(|(t, n)| Statement::Start(t, n)).boxed()),
        (1, (0..TIMERS.len()).prop_map(Statement::Stop).boxed()),
        (1, (0..TIMERS.len()).prop_map(Statement::Pause).boxed()),
        (1, (0..TIMERS.len()).prop_map(Statement::Resume).boxed()),
        (1, n().prop_map(Statement::Let).boxed()),
        (1, (0..4usize, any::<bool>()).prop_map(|(r, on)| Statement::Rule(r, on)).boxed()),
        (3, (0..ACTORS, 0i64..7, 0i64..4).prop_map(|(a, x, y)| Statement::Move(a, x, y)).boxed()),
        (2, (0..ACTORS, any::<bool>()).prop_map(|(a, on)| Statement::Enable(a, on)).boxed()),
        (1, any::<bool>().prop_map(Statement::EnableOwn).boxed()),
        (2, (0i64..7, 0i64..4, n()).prop_map(|(x, y, w)| Statement::Spawn { x, y, w }).boxed()),
        (2, prop::sample::select(vec![Statement::RemoveOwn, Statement::RemoveOldest, Statement::ResetOwn]).boxed()),
        (1, (0..ACTORS).prop_map(Statement::Reset).boxed()),
        (1, prop::sample::select(vec![Statement::Break, Statement::Continue, Statement::Return]).boxed()),
        (1, (-3i64..4).prop_map(Statement::SetRamped).boxed()),
    ];
    let ramp = |waits| {
        (-3i64..4, prop::sample::select(vec![1u64, 2, 4]))
            .prop_map(move |(to, ticks)| Statement::Ramp { to, ticks, waits })
            .boxed()
    };
    all.push((1, ramp(false)));
    if goes {
        all.push((2, (0..STATES).prop_map(Statement::Go).boxed()));
        all.push((2, (0..GLOWS).prop_map(Statement::GoGlow).boxed()));
    }
    if waits {
        all.push((4, ticks().prop_map(Statement::Wait).boxed()));
        all.push((1, ramp(true)));
        let until = (test(1, false, true, true), maybe());
        all.push((2, until.prop_map(|(test, at_most)| Statement::WaitUntil { test, at_most, place: 0 }).boxed()));
        let heard = (0..MESSAGES, maybe());
        all.push((2, heard.prop_map(|(message, at_most)| Statement::WaitFor { message, at_most, place: 0 }).boxed()));
    }
    if depth > 0 {
        let inner = || block(depth - 1, waits, goes);
        all.push((2, (t(), inner(), inner()).prop_map(|(t, a, b)| Statement::If(t, a, b)).boxed()));
        all.push((1, (0u32..4, inner()).prop_map(|(n, b)| Statement::Repeat(n, b)).boxed()));
        all.push((1, (1i64..4, inner()).prop_map(|(n, b)| Statement::For(n, b)).boxed()));
        if waits {
            all.push((2, inner().prop_map(Statement::Meanwhile).boxed()));
        }
        if waits && goes {
            all.push((2, n().prop_map(Statement::Haul).boxed()));
        }
    }
    prop::strategy::Union::new_weighted(all).boxed()
}

fn block(depth: u32, waits: bool, goes: bool) -> BoxedStrategy<Block> {
    prop::collection::vec(statement(depth, waits, goes), 0..4).prop_map(Rc::new).boxed()
}

fn event() -> BoxedStrategy<Event> {
    let n = move || num(1, false, false, true);
    prop_oneof![
        1 => Just(Event::Start),
        1 => Just(Event::Tick),
        2 => ticks().prop_map(Event::Every),
        1 => (0u64..8).prop_map(|n| Event::After(n + 1)),
        2 => n().prop_map(Event::Changes),
        2 => (test(1, false, false, true), any::<bool>()).prop_map(|(t, to)| Event::Turns(t, to)),
        1 => (n(), -2i64..5).prop_map(|(n, to)| Event::Reaches(n, to)),
        1 => (n(), -2i64..5).prop_map(|(n, to)| Event::Drops(n, to)),
        3 => (0..MESSAGES).prop_map(Event::Hears),
        2 => (0..TIMERS.len()).prop_map(Event::TimerEnds),
        2 => (0..ZONES.len()).prop_map(Event::Enters),
        2 => (0..ZONES.len()).prop_map(Event::Leaves),
        1 => (0..STATES).prop_map(Event::NightEnters),
        1 => (0..STATES).prop_map(Event::NightLeaves),
        1 => (0..GLOWS).prop_map(Event::GlowEnters),
        1 => (0..GLOWS).prop_map(Event::GlowLeaves),
        1 => Just(Event::Spawns),
        1 => Just(Event::Removed),
    ]
    .boxed()
}

fn rule(title: String) -> BoxedStrategy<Rule> {
    let head = (
        event(),
        prop::collection::vec((test(1, true, true, true), prop::option::weighted(0.3, block(0, true, true))), 0..3),
        prop::option::weighted(0.2, 1u64..4),
        prop::option::weighted(0.2, ticks()),
        any::<bool>(),
        prop::option::weighted(0.15, test(1, false, false, true)),
        prop::bool::weighted(0.1),
        prop_oneof![3 => Just(0i64), 1 => -1i64..3],
    );
    let again = prop::sample::select(vec![Again::Skip, Again::Anew, Again::Later, Again::Beside]);
    let body = (again, block(2, true, true), prop::option::weighted(0.3, block(1, true, true)));
    (head, body)
        .prop_map(move |(head, (again, then, otherwise))| {
            let (when, clauses, at_most, cooldown, per, awake, off, priority) = head;
            let title = title.clone();
            Rule {
                title,
                when,
                place: 0,
                clauses,
                at_most,
                cooldown,
                per,
                awake,
                off,
                priority,
                again,
                then,
                otherwise,
            }
        })
        .boxed()
}

fn way() -> impl Strategy<Value = Transition> {
    (
        prop_oneof![6 => (0..STATES).prop_map(To::State), 1 => Just(To::Previous)],
        prop::option::weighted(0.7, event()),
        prop::option::weighted(0.5, test(1, false, false, true)),
        block(0, false, false),
    )
        .prop_map(|(to, when, test, then)| Transition { to, when, place: 0, test, then })
}

fn state(title: &str) -> impl Strategy<Value = State> + use<> {
    let turn = (block(1, true, false), ticks()).prop_map(|(mut turn, n)| {
        Rc::make_mut(&mut turn).retain(|s| !matches!(s, Statement::Return));
        Rc::make_mut(&mut turn).push(Statement::Wait(n));
        turn
    });
    let looped = prop::option::weighted(0.3, turn);
    let enter = prop_oneof![3 => block(1, true, false), 1 => block(1, true, true)];
    let rules = prop::option::weighted(0.3, rule(title.to_string())).prop_map(|r| r.into_iter().collect());
    (enter, block(0, false, false), looped, rules, prop::collection::vec(way(), 0..3))
        .prop_map(|(enter, leave, looped, rules, ways)| State { enter, leave, looped, rules, ways })
}

pub fn level() -> impl Strategy<Value = Level> {
    let own: Vec<BoxedStrategy<Rule>> = (0..2).map(|i| rule(format!("k{i}"))).collect();
    let rules: Vec<BoxedStrategy<Rule>> = (0..4).map(|i| rule(format!("r{i}"))).collect();
    let glows: Vec<_> = (0..GLOWS).map(|i| state(&format!("g{i}"))).collect();
    let states: Vec<_> = (0..STATES).map(|i| state(&format!("s{i}"))).collect();
    let machines = (glows, states, prop::collection::vec(way(), 0..2));
    let work_out = (test(1, false, true, false), num(1, false, true, false), num(1, false, true, false));
    let routines = (num(1, false, false, false), work_out, block(2, true, false));
    (routines, own, machines, rules, 0usize..4).prop_map(
        |((define, work_out, haul), own, (glows, states, wherever), rules, grouped)| {
            let mut level = Level { define, work_out, haul, own, glows, states, wherever, rules, grouped };
            number(&mut level);
            level
        },
    )
}
