//! What must hold of every level: replay equals run, back undoes forward, no text panics.

use mayfly_engine::hash::state_hash;
use mayfly_engine::record::Nothing;
use mayfly_engine::run::RunSpec;
use mayfly_lang::{check, parser};
use mayfly_session::headless::{self, Order};
use mayfly_session::moment::{At, Moment};
use mayfly_session::report::report;
use mayfly_session::script::Script;
use mayfly_session::session::{Session, StepSize};
use mayfly_session::step::Step;
use proptest::prelude::*;
use proptest::test_runner::FileFailurePersistence;

const DEMO: &str = include_str!("../../../examples/weir-house.may");

/// `MAYFLY_FUZZ=5000 cargo test -p mayfly-session --test all any_text` tries many more.
fn config(cases: u32) -> ProptestConfig {
    let cases = std::env::var("MAYFLY_FUZZ").ok().and_then(|n| n.parse().ok()).unwrap_or(cases);
    let file = FileFailurePersistence::Direct(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/sameness.regressions"));
    ProptestConfig { cases, failure_persistence: Some(Box::new(file)), ..ProptestConfig::default() }
}

/// Keys of the demo's keeper at ticks.
fn keys() -> impl Strategy<Value = Vec<(u64, &'static str)>> {
    let key = prop_oneof![Just("north"), Just("east"), Just("south"), Just("west"), Just("wind"), Just("ring")];
    prop::collection::vec((0u64..300, key), 0..60)
}

fn script(keys: &[(u64, &str)]) -> Script {
    let mut s = Script::default();
    keys.iter().for_each(|(t, k)| s.add(&format!("{t}: keeper {k}")).expect("an input"));
    s
}

fn session() -> Session {
    let c = check::check("weir-house.may", DEMO);
    Session::new(c.sources, c.level.expect("the demo loads"))
}

proptest! {
    #![proptest_config(config(12))]

    /// The same inputs give the same state, and any moment asked for again is the one that was.
    #[test]
    fn replay_equals_run(keys in keys(), seed in 0u64..50) {
        let level = check::check("weir-house.may", DEMO).level.expect("the demo loads");
        let fly = |ticks| headless::fly(&level, &Order { seed: Some(seed), script: script(&keys), ..Order::ticks(ticks) }).expect("it flies");
        let mut whole = fly(300);
        prop_assert_eq!(state_hash(whole.history.live()), state_hash(fly(300).history.live()));
        for tick in [0, 1, 63, 64, 65, 199, 299] {
            let engine = whole.engine.clone();
            let again = whole.history.world_at(&engine, tick);
            prop_assert_eq!(state_hash(&again), state_hash(fly(tick).history.live()), "at tick {}", tick);
        }
    }

    /// A run that keeps nothing is the flight that keeps all, also on other threads.
    #[test]
    fn a_run_without_history_is_the_flight(keys in keys(), seeds in prop::collection::vec(0u64..50, 4)) {
        let level = check::check("weir-house.may", DEMO).level.expect("the demo loads");
        let order = |seed| Order { seed: Some(seed), script: script(&keys), ..Order::ticks(300) };
        let alone: Vec<u64> = seeds.iter().map(|s| state_hash(headless::fly(&level, &order(*s)).expect("it flies").history.live())).collect();
        let ran = headless::run(&level, &order(seeds[0])).expect("it runs");
        let flown = headless::fly(&level, &order(seeds[0])).expect("it flies");
        prop_assert_eq!(report(&level, &ran.facts()).to_string(), report(&level, &flown.facts()).to_string());
        // One engine, shared as it is.
        let no = Default::default();
        let together: Vec<u64> = std::thread::scope(|s| {
            let runs: Vec<_> = seeds.iter().map(|seed| {
                let (engine, inputs) = (&ran.engine, &ran.inputs);
                let spec = RunSpec { seed: *seed, kept: &no, inputs, ticks: 300 };
                s.spawn(move || state_hash(&mayfly_engine::run::run(engine, &spec, &mut Nothing).world))
            }).collect();
            runs.into_iter().map(|r| r.join().expect("it ends")).collect()
        });
        prop_assert_eq!(alone, together);
    }

    /// Steps back undo steps forward exactly, in every step size.
    #[test]
    fn back_undoes_forward(keys in keys(), step_size in 0usize..4, start in 0u64..250, steps in 1usize..12) {
        let mut s = session();
        let level = s.level.clone();
        let mut program = s.engine.program.clone();
        let inputs = script(&keys).resolve(&level, &mut program).expect("inputs");
        for tick in 1..300u64 {
            s.queued = inputs.get(&tick).cloned().unwrap_or_default();
            s.run_tick();
        }
        s.step_size = StepSize::ALL[step_size];
        s.go(Moment { tick: start.min(s.last_tick()), at: At::End });
        // A step size finer than a tick stands where it stops: one step brings it there.
        prop_assume!(s.step_forward() == Step::Made);
        let mut been = vec![(s.moment, state_hash(&s.now.world))];
        for _ in 0..steps {
            if s.moment.tick + 3 >= s.last_tick() || s.step_forward() != Step::Made {
                break;
            }
            been.push((s.moment, state_hash(&s.now.world)));
        }
        been.pop();
        for (moment, hash) in been.into_iter().rev() {
            prop_assert_eq!(s.step_back(), Step::Made);
            prop_assert_eq!(s.moment, moment);
            prop_assert_eq!(state_hash(&s.now.world), hash);
        }
    }
}

/// Texts that hold every form between them.
const TEXTS: [&str; 8] = [
    DEMO,
    include_str!("cascades/forms.case"),
    include_str!("cascades/machines.case"),
    include_str!("cascades/groups_bags_ramps.case"),
    include_str!("cascades/walks.case"),
    include_str!("cascades/clocks.case"),
    include_str!("cascades/routines.case"),
    include_str!("cascades/areas.case"),
];

/// A text with pieces cut out, doubled and strange characters put in.
fn broken() -> impl Strategy<Value = String> {
    let cut = (
        0..DEMO.len(),
        0usize..60,
        prop::sample::select(vec![
            "", "{", "}", "\"", "(", ")", "\u{202e}", "é", "\"\"\"", "..", "and", "\0", "= =", "#",
        ]),
    );
    (prop::sample::select(TEXTS.to_vec()), prop::collection::vec(cut, 1..6)).prop_map(|(text, cuts)| {
        let mut text = text.to_string();
        for (at, len, put) in cuts {
            let at = at % text.len().max(1);
            let begin = text.char_indices().map(|(i, _)| i).take_while(|i| *i <= at).last().unwrap_or(0);
            let end = text.char_indices().map(|(i, _)| i).find(|i| *i >= begin + len).unwrap_or(text.len());
            text.replace_range(begin..end.max(begin), put);
        }
        text
    })
}

proptest! {
    #![proptest_config(config(400))]

    /// Every text has a tree whose text it is, and is checked without a panic.
    #[test]
    fn any_text_has_its_tree(text in prop_oneof![broken(), "\\PC{0,200}", any::<String>()]) {
        prop_assert_eq!(parser::parse(&text).tree().to_string(), text.clone());
        let c = check::check("t.may", &text);
        prop_assert!(c.level.is_some() || c.errors() > 0);
        for d in &c.diagnostics {
            prop_assert!((d.span.end as usize) <= text.len() + 1 && !d.help.is_empty());
            d.print(&c.sources, false);
        }
    }
}

#[test]
fn rules_that_keep_each_other_going_are_named_and_stopped() {
    let text = "level \"T\" { rate 10 }\nvar n = 0\nmessage ping\nrule \"a\" { when start; when hears ping; then { n += 1; send ping } }\n";
    let level = check::check("t.may", text).level.expect("it loads");
    let flown = headless::fly(&level, &Order::ticks(3)).expect("it flies");
    let f = flown.faults.first().expect("a fault");
    assert_eq!((f.tick, f.fault.kind.name()), (0, "rounds"));
    assert!(f.fault.text.contains("\"a\""), "{}", f.fault.text);
    assert_eq!(flown.history.live_tick(), 3, "the level goes on");
}

#[test]
fn deep_nesting_is_an_error_and_no_crash() {
    for (open, close) in [("(", ")"), ("[", "]"), ("not ", ""), ("-", ""), ("if true then ", "")] {
        let text = format!("var x = {}1{}", open.repeat(5_000), close.repeat(5_000));
        assert!(check::check("t.may", &text).errors() > 0);
    }
    let blocks = format!("rule \"a\" {{ when start; then {{ {} }} }}", "if true { ".repeat(5_000));
    assert!(check::check("t.may", &blocks).errors() > 0);
}
