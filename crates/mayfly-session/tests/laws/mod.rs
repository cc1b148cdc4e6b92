//! What holds of every level, whatever it says: asked of made-up ones.
//!
//! Invariant: nothing here knows what a level does; it is compared with itself, another way.

mod texts;

use mayfly_base::RuleId;
use mayfly_engine::Engine;
use mayfly_engine::hash::state_hash;
use mayfly_engine::record::Nothing;
use mayfly_engine::renew::Kept;
use mayfly_engine::run::RunSpec;
use mayfly_lang::check::{self, Checked};
use mayfly_lang::format;
use mayfly_lang::level::Level;
use mayfly_session::headless::{self, Flown, Order};
use mayfly_session::lower::lower;
use mayfly_session::moment::{At, Moment};
use mayfly_session::script::Script;
use mayfly_session::session::{Session, StepSize};
use mayfly_session::step::Step;
use proptest::prelude::*;
use proptest::test_runner::{FileFailurePersistence, RngSeed};

/// How many levels are made up; more where one asks for it.
pub fn cases() -> u32 {
    let asked = std::env::var("MAYFLY_ORACLE_CASES").ok().and_then(|n| n.parse().ok());
    asked.unwrap_or(300)
}

/// So many made-up levels: the same ones in each run, others where one asks for a number. A failing one is shrunk and not kept
/// in a file.
pub fn config(cases: u32) -> ProptestConfig {
    let is_asked = std::env::var("MAYFLY_ORACLE_CASES").is_ok();
    let rng_seed = if is_asked { RngSeed::Random } else { RngSeed::Fixed(20) };
    let file = Box::new(FileFailurePersistence::Off);
    ProptestConfig {
        cases,
        rng_seed,
        max_shrink_iters: 20_000,
        failure_persistence: Some(file),
        ..ProptestConfig::default()
    }
}

type Held = Result<(), TestCaseError>;

fn script(inputs: &[String]) -> Script {
    let mut script = Script::default();
    inputs.iter().for_each(|l| script.add(l).expect("an input"));
    script
}

fn flown(level: &Level, inputs: &[String], ticks: u64) -> Flown {
    headless::fly(level, &Order { script: script(inputs), ..Order::ticks(ticks) }).expect("it flies")
}

/// Holds a level against all laws. `pick` chooses the moments.
pub fn hold(text: &str, inputs: &[String], ticks: u64, pick: u64) -> Held {
    let c = check::check("m.may", text);
    let level = c.level.clone().unwrap_or_else(|| panic!("it loads:\n{text}"));
    let mut whole = flown(&level, inputs, ticks);
    let end = state_hash(whole.history.live());
    looking_at_everything_is_no_other_run(text, &level, inputs, ticks)?;
    recording_is_no_other_run(text, &level, inputs, ticks, end)?;
    every_moment_is_as_it_was(text, &level, inputs, &mut whole, pick)?;
    its_format_means_the_same(text, inputs, ticks, end)?;
    texts::hold(text, &level, inputs, ticks, pick, end)?;
    asking_and_stepping_change_nothing(text, c, &level, inputs, ticks, pick)
}

/// An engine without any table or grid does the same, record by record.
fn looking_at_everything_is_no_other_run(text: &str, level: &Level, inputs: &[String], ticks: u64) -> Held {
    let mut program = lower(level);
    let all = script(inputs).resolve(level, &mut program).expect("the inputs");
    crate::engines::go_the_same_way(text, program, all, level.seed, ticks)
}

/// Nothing is recorded, and the state is the same.
fn recording_is_no_other_run(text: &str, level: &Level, inputs: &[String], ticks: u64, end: u64) -> Held {
    let mut program = lower(level);
    let inputs = script(inputs).resolve(level, &mut program).expect("the inputs");
    let spec = RunSpec { seed: level.seed, kept: &Kept::default(), inputs: &inputs, ticks };
    let silent = mayfly_engine::run::run(&Engine::new(program), &spec, &mut Nothing);
    prop_assert_eq!(state_hash(&silent.world), end, "{}", text);
    Ok(())
}

/// Going to any tick gives the world that was there.
fn every_moment_is_as_it_was(text: &str, level: &Level, inputs: &[String], whole: &mut Flown, pick: u64) -> Held {
    let engine = whole.engine.clone();
    let last = whole.history.live_tick().max(1);
    for tick in [pick % last, last - 1, pick / 7 % last] {
        let there = state_hash(&whole.history.world_at(&engine, tick));
        let forward = state_hash(flown(level, inputs, tick).history.live());
        prop_assert_eq!(there, forward, "{}\nat tick {}", text, tick);
    }
    Ok(())
}

/// Its format is one, and its run the same.
fn its_format_means_the_same(text: &str, inputs: &[String], ticks: u64, end: u64) -> Held {
    let formatted = |text: &str| {
        let change = format::format(text).unwrap_or_else(|e| panic!("{e:?}\n{text}"));
        change.apply(text).expect("it lies in the text").0
    };
    let once = formatted(text);
    prop_assert_eq!(&formatted(&once), &once);
    let level = check::check("m.may", &once).level.unwrap_or_else(|| panic!("its format loads:\n{once}"));
    prop_assert_eq!(state_hash(flown(&level, inputs, ticks).history.live()), end, "{}", once);
    Ok(())
}

/// Every rung has a why and every rule a why not; they, and steps forward and back, leave the moment as it was.
fn asking_and_stepping_change_nothing(
    text: &str,
    checked: Checked,
    level: &Level,
    inputs: &[String],
    ticks: u64,
    pick: u64,
) -> Held {
    let mut s = Session::new(checked.sources, checked.level.expect("it loads"));
    let mut program = s.engine.program.clone();
    let inputs = script(inputs).resolve(level, &mut program).expect("the inputs");
    for tick in s.last_tick() + 1..ticks {
        s.queued = inputs.get(&tick).cloned().unwrap_or_default();
        s.run_tick();
    }
    s.go(Moment { tick: pick % (s.last_tick() + 1), at: At::End });
    let before = state_hash(&s.now.world);
    for number in 1..=s.now.cascade.rungs().count() as u32 {
        prop_assert!(s.why(number).is_some(), "{}\nrung {} of tick {}", text, number, s.moment.tick);
    }
    for rule in 0..s.engine.program.rules.len() {
        s.why_not(RuleId::at(rule));
    }
    prop_assert_eq!(state_hash(&s.now.world), before, "{}\nasking changed tick {}", text, s.moment.tick);
    s.step_size = StepSize::ALL[pick as usize % StepSize::ALL.len()];
    let start = s.moment;
    if s.step_forward() == Step::Made && s.step_back() == Step::Made && s.moment == start {
        prop_assert_eq!(state_hash(&s.now.world), before, "{}\nback is not forward, at {:?}", text, start);
    }
    Ok(())
}
