//! The engine against a second reading of the contract: made-up levels are written as text and flown, and played by a small
//! interpreter of their own that shares no line with the engine. Both must tell the same, tick by tick, and end with the
//! same values.

mod act;
mod form;
mod lives;
mod made;
mod play;
mod state;
mod text;
mod values;

use crate::laws;
use form::{FLAGS, Level, NUMBERS};
use mayfly_base::{StateId, Value};
use mayfly_lang::check;
use mayfly_session::headless::{self, Order};
use play::Play;
use proptest::prelude::*;

const TICKS: u64 = 14;

/// Of each tick what was logged, then what was faulty.
fn in_order(mut told: Vec<(u64, String)>) -> Vec<String> {
    told.sort_by_key(|(tick, line)| (*tick, line.contains('!')));
    told.into_iter().map(|(_, line)| line).collect()
}

/// What the interpreter tells, and the last values; none where a level does too much.
fn played(level: &Level) -> Option<(Vec<String>, String)> {
    let mut play = Play::new(level);
    for _ in 0..TICKS {
        play.step();
        if play.is_too_much() {
            return None;
        }
    }
    let flags: Vec<f64> = play.flags.iter().map(|f| f64::from(*f)).collect();
    let own: Vec<f64> = play.actors.iter().filter(|a| !a.gone).map(|a| a.w + 0.0).collect();
    let is_there = |m: &usize| state::owner(*m).is_none_or(|a| !play.actors[a].gone);
    let machines = (1..play.machines.len()).chain([state::NIGHT]).filter(is_there);
    let states: Vec<usize> = machines.map(|m| play.machines[m].state()).collect();
    let numbers = play.numbers.map(|n| n + 0.0);
    Some((
        in_order(std::mem::take(&mut play.told)),
        format!("{numbers:?} {flags:?} {own:?} {:?} {states:?}", play.ramped + 0.0),
    ))
}

/// What the engine tells, and the last values.
fn flown(text: &str) -> (Vec<String>, String) {
    let c = check::check("o.may", text);
    let said: Vec<String> = c.diagnostics.iter().map(|d| d.print(&c.sources, false)).collect();
    let level = c.level.unwrap_or_else(|| panic!("{text}\n{}", said.join("\n")));
    let f = headless::fly(&level, &Order::ticks(TICKS)).expect("it flies");
    let log = f.log.iter().map(|l| (l.tick, format!("{} {}", l.tick, l.text)));
    let faults = f.faults.iter().map(|l| (l.tick, format!("{} ! {}", l.tick, l.fault.kind.name())));
    let told = in_order(log.chain(faults).collect());
    let w = f.history.live();
    let number = |v: &Value| match v {
        Value::Number(n) => n + 0.0,
        Value::Flag(f) => f64::from(*f),
        v => panic!("no number: {v:?}"),
    };
    let all: Vec<f64> = w.vars.iter().map(number).collect();
    let own: Vec<f64> = w.living().map(|(_, a)| number(&a.fields[0])).collect();
    let name = |s: StateId| level.states[s.index()].name[1..].parse::<usize>().expect("a number behind a letter");
    let states: Vec<usize> = w.machines.values().map(|m| name(m.state)).collect();
    let (numbers, flags) = (&all[1..=NUMBERS], &all[NUMBERS + 1..=NUMBERS + FLAGS]);
    (told, format!("{numbers:?} {flags:?} {own:?} {:?} {states:?}", all[0]))
}

fn agree(level: &Level) -> Result<(), TestCaseError> {
    let Some((told, values)) = played(level) else { return Ok(()) };
    let text = level.to_string();
    let (got, end) = flown(&text);
    let at = told.iter().zip(&got).take_while(|(a, b)| a == b).count();
    let near = |l: &[String]| l[at.saturating_sub(4)..l.len().min(at + 4)].join("\n  ");
    prop_assert!(told == got, "{text}\nby the contract:\n  {}\nby the engine:\n  {}", near(&told), near(&got));
    prop_assert!(values == end, "{text}\nby the contract: {values}\nby the engine: {end}");
    Ok(())
}

proptest! {
    #![proptest_config(laws::config(laws::cases()))]

    #[test]
    fn the_engine_does_what_a_second_reading_of_the_contract_does(level in made::level()) {
        agree(&level)?;
    }
}

proptest! {
    #![proptest_config(laws::config(laws::cases() / 10))]

    #[test]
    fn whatever_it_says_the_laws_hold(level in made::level(), pick in 0u64..10_000) {
        if played(&level).is_some() {
            laws::hold(&level.to_string(), &[], TICKS, pick)?;
        }
    }
}
