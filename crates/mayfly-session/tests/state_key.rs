//! The key of a state: two moments of a flight with the same key go on the same, whatever is pressed after them. And a level
//! that comes round is seen to come round.

use crate::levels;
use mayfly_base::{ActorId, InputId, Value};
use mayfly_engine::hash::{StateKey, state_hash, state_key};
use mayfly_engine::world::World;
use mayfly_engine::{Engine, Input, Trace, TraceEvent};
use mayfly_lang::check;
use mayfly_lang::level::Level;
use mayfly_session::headless::{self, Order};
use proptest::prelude::*;
use proptest::test_runner::FileFailurePersistence;
use std::collections::HashMap;
use std::mem::discriminant;
use std::sync::Arc;

const GROUND: &str = "level \"T\" { rate 10; seed 3 }\ntiles { '.' floor }\nmap \"\"\"\n........\n........\n........\n........\n\"\"\"\n\
input wind = \"w\"\nvar n = 0\nvar m = 0\nmessage bell\nkind person { steered; speed 4; var oil = 0 }\nplace keeper: person at (1, 1)\n\
kind heron { speed 2; var caught = 0 }\nplace heron at (4, 1), (4, 3)\nzone pool = rect (3, 0) 3 x 2\npath round = (0, 0) (3, 0) (3, 3) (0, 3) loop\n\
timer swell = 700ms\nclock tide { minute 6; hour 4; speed 1 minute per 200ms }\n";

/// Pieces of a level: each comes round, or waits for a key.
const PIECES: &[&str] = &[
    "rule \"p0\" { when every 300ms from 100ms; then { n = (n + 1) mod 3 } }",
    "machine light { start red; state red { to green after 400ms }; state green { to red after 200ms when hears bell } }",
    "machine lamp for person { start off_; state off_ { to on_ when self presses wind }; state on_ { to off_ after 300ms } }",
    "rule \"p3\" { when start; when swell ends; then { start swell; m = 1 - m } }",
    "rule \"p4\" { when heron enters pool; then { n = (n + 1) mod 4 } }",
    "rule \"p5\" { when heron as h in pool every 200ms; then { h.caught = (h.caught + 1) mod 2 } }",
    "rule \"p6\" { when start; then { walk heron#1 along round } }",
    "rule \"p7\" { when person presses wind; cooldown 500ms; then { ramp keeper.oil to 4 over 300ms and wait; keeper.oil = 0 } }",
    "rule \"p8\" { when every 500ms; then { send bell after 200ms } }",
    "rule \"p9\" { when hears bell; then { wait 100ms; m = (m + 1) mod 2; prompt \"go\" on keeper while m == 1 for 200ms } }",
    "rule \"p10\" { when tide passes hour; then { n = 0 } }",
    "rule \"p11\" { when person as p touches heron as h; then { disable h; wait 400ms; enable h } }",
    "rule \"p12\" { when person pressing wind every 200ms; then { m = (m + 1) mod 5 } }",
    "rule \"p13\" { when person sees heron as h; then { h.caught = 1 } }\nrule \"p13b\" { when person nears heron as h within 2; then { h.caught = 0 } }",
    "kind clock_ { machine beat { start a; state a { to b after 300ms; loop { n = 1 - n mod 2; wait 100ms } } state b { to a after 100ms } } }\nplace clock_ at (7, 3)",
    "rule \"p15\" { when person presses wind; at most 2; then { spawn heron at (6, 2) } }",
    "rule \"p16\" { when n >= 2 turns true; then { meanwhile { wait until m == 1 for at most 300ms; log m } } }",
    "rule \"p17\" { when every 200ms; if random(1, 2) == 1; then { m = 1 } }",
    "define old = time > 2s\nrule \"p18\" { when old turns true; then { n = 7 } }",
    "machine door { start shut; state shut { to ajar after 300ms } state ajar { to shut after 300ms } }\nrule \"p19\" { when door has been shut for 200ms turns true; then { m = 9 } }",
];

fn config(cases: u32) -> ProptestConfig {
    let file = FileFailurePersistence::Direct(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/state_key.regressions"));
    let cases = std::env::var("MAYFLY_FUZZ").ok().and_then(|n| n.parse().ok()).unwrap_or(cases);
    ProptestConfig {
        cases,
        max_shrink_iters: 200,
        failure_persistence: Some(Box::new(file)),
        ..ProptestConfig::default()
    }
}

fn read(text: &str) -> Arc<Level> {
    let c = check::check("t.may", text);
    let told: Vec<String> = c.diagnostics.iter().map(|d| d.print(&c.sources, false)).collect();
    c.level.unwrap_or_else(|| panic!("{}\n{text}", told.join("\n")))
}

/// A press by number: of somebody who is steered.
fn press(level: &Level, n: usize) -> Vec<Input> {
    let steered: Vec<usize> =
        (0..level.actors.len()).filter(|a| level.kinds[level.actors[*a].kind.index()].steered).collect();
    match steered.get(n / 7 % steered.len().max(1)) {
        Some(a) if n % 7 < level.inputs.len() => vec![Input::Tap(ActorId::at(*a), InputId::at(n % 7))],
        _ => vec![],
    }
}

/// What happened in one tick, without numbers of ticks.
fn one(engine: &Engine, w: &mut World, inputs: &[Input]) -> Vec<String> {
    let mut trace = Trace::default();
    engine.tick(w, inputs, &[], &mut trace);
    let say = |r: &TraceEvent| match r {
        TraceEvent::Evaluated { rule, me, verdict, .. } => format!("{rule:?} {me:?} {:?}", discriminant(verdict)),
        TraceEvent::Wrote { target, new, .. } => format!("{target:?} = {new:?}"),
        TraceEvent::WentTo { machine, of, to, .. } => format!("{machine:?} {of:?} {to:?}"),
        r => format!("{:?}", discriminant(r)),
    };
    trace.records.iter().map(say).collect()
}

/// Worlds of a flight after each tick.
fn worlds(level: &Level, presses: &[usize], ticks: usize) -> (Engine, Vec<World>) {
    let flown = headless::fly(level, &Order::ticks(0)).expect("it flies");
    let engine = flown.engine.clone();
    let mut w = flown.history.live().clone();
    let mut all = vec![w.clone()];
    for t in 0..ticks {
        let inputs = presses.get(t).map(|n| press(level, *n)).unwrap_or_default();
        engine.tick(&mut w, &inputs, &[], &mut Trace::default());
        all.push(w.clone());
    }
    (engine, all)
}

/// Pairs of moments with one key, a few of them.
fn again(engine: &Engine, all: &[World]) -> Vec<(usize, usize)> {
    let mut first: HashMap<StateKey, usize> = HashMap::new();
    let mut out = vec![];
    for (j, w) in all.iter().enumerate().filter(|(_, w)| w.ended.is_none()) {
        match first.get(&state_key(&engine.program, w)) {
            Some(i) => out.push((*i, j)),
            None => drop(first.insert(state_key(&engine.program, w), j)),
        }
    }
    let step = (out.len() / 6).max(1);
    out.into_iter().step_by(step).collect()
}

fn go_on_the_same(level: &Level, engine: &Engine, all: &[World], after: &[usize]) -> Result<usize, TestCaseError> {
    let pairs = again(engine, all);
    for (i, j) in &pairs {
        let (mut a, mut b) = (all[*i].clone(), all[*j].clone());
        for (k, n) in after.iter().enumerate() {
            let inputs = press(level, *n);
            let (x, y) = (one(engine, &mut a, &inputs), one(engine, &mut b, &inputs));
            prop_assert_eq!(x, y, "ticks {} and {} part after {}", i, j, k);
            prop_assert_eq!(&a.vars, &b.vars);
            prop_assert_eq!(state_key(&engine.program, &a), state_key(&engine.program, &b), "{} and {} + {}", i, j, k);
        }
    }
    Ok(pairs.len())
}

proptest! {
    #![proptest_config(config(40))]

    #[test]
    fn moments_with_one_key_go_on_the_same(
        pieces in prop::sample::subsequence((0..PIECES.len()).collect::<Vec<_>>(), 1..6),
        presses in prop::collection::vec(0usize..14, 0..25),
        after in prop::collection::vec(0usize..14, 60),
    ) {
        let text: String = std::iter::once(GROUND).chain(pieces.iter().map(|i| PIECES[*i])).map(|p| format!("{p}\n")).collect();
        let level = read(&text);
        let (engine, all) = worlds(&level, &presses, 260);
        go_on_the_same(&level, &engine, &all, &after).map_err(|e| TestCaseError::fail(format!("{e}\n{text}")))?;
    }
}

#[test]
fn all_levels_go_on_the_same_from_moments_with_one_key() {
    let mut seen = 0;
    for (name, text) in levels::levels() {
        let level = read(&text);
        let (engine, all) = worlds(&level, &[1, 8, 3, 4, 0, 5], 120);
        let after: Vec<usize> = (0..25).map(|n| n * 5 % 14).collect();
        seen += go_on_the_same(&level, &engine, &all, &after).unwrap_or_else(|e| panic!("{name}: {e}"));
    }
    assert!(seen > 40, "only {seen} moments came again");
}

/// How many different keys a piece of a level has in so many ticks.
fn keys(piece: &str) -> usize {
    let ground = if piece.contains("tide") { GROUND } else { GROUND.split("clock tide").next().unwrap_or_default() };
    let level = read(&format!("{ground}{piece}\n"));
    let (engine, all) = worlds(&level, &[], 250);
    let mut keys: Vec<StateKey> = all[20..].iter().map(|w| state_key(&engine.program, w)).collect();
    keys.sort();
    keys.dedup();
    keys.len()
}

#[test]
fn what_comes_round_has_few_keys_and_what_grows_has_many() {
    // A clock of 24 units of 2 ticks; `n` goes round every 3 times 3 ticks, the timer every 7, `m` with every second.
    let clock = "rule \"a\" { when start; then { log tide.hour } }";
    assert_eq!([clock, "", PIECES[0], PIECES[3]].map(keys), [48, 1, 9, 14]);
    for (i, most) in [(1, 10), (6, 80), (8, 5), (14, 40)] {
        let n = keys(PIECES[i]);
        assert!((2..=most).contains(&n) || i == 1 && n == 1, "piece {i} has {n} keys in 230 ticks");
    }
    for (why, piece) in [
        ("it reads the time", "rule \"a\" { when every 1s; then { log time } }"),
        ("a variable grows", "rule \"a\" { when tick; then { n += 1 } }"),
        ("it draws", "rule \"a\" { when tick; then { n = random(1, 2) } }"),
    ] {
        assert_eq!(keys(piece), 231, "{why}");
    }
}

#[test]
fn a_key_sees_what_counts_and_not_how_late_it_is() {
    let level = read(&format!("{GROUND}{}\n{}\n", PIECES[0], PIECES[2]));
    let (engine, all) = worlds(&level, &[4], 180);
    let key = |w: &World| state_key(&engine.program, w);
    let w = &all[30];
    assert_ne!(state_hash(w), state_hash(&all[174]));
    assert_eq!(key(w), key(&all[174]), "one round of all later");
    let differs = |why: &str, f: &dyn Fn(&mut World)| {
        let mut other = w.clone();
        f(&mut other);
        assert_ne!(key(w), key(&other), "{why}");
    };
    differs("a variable", &|w| w.vars[0] = Value::Number(40.0));
    differs("a place", &|w| w.actors[0].at.x += 0.5);
    differs("what an actor has", &|w| w.actors[0].fields[0] = Value::Number(9.0));
    differs("a timer runs", &|w| w.timers[0].running = true);
    differs("a clock", &|w| w.clocks[0].shows += 1);
    differs("a key is down", &|w| w.down.extend([((ActorId(0), InputId(0)), 20)]));
    let same = |why: &str, f: &dyn Fn(&mut World)| {
        let mut other = w.clone();
        f(&mut other);
        assert_eq!(key(w), key(&other), "{why}");
    };
    same("how often a rule fired", &|w| w.rules[0].fired += 1);
    same("how many things were begun", &|w| w.begun += 5);
    same("when an actor was made, where no rule counts from it", &|w| w.actors[1].created += 1);
}
