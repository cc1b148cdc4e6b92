//! What holds of a level's text and of its flight's: in two files it is the same level, its flight proves itself, and a text
//! that is taken instead of another one is flown as if it had been there from the start.
//!
//! Invariant: nothing here knows what a level does; it is compared with itself, another way.

use super::{Held, flown, script};
use mayfly_engine::hash::state_hash;
use mayfly_lang::check::{self, LoadError};
use mayfly_lang::level::Level;
use mayfly_session::flight;
use mayfly_session::headless::{self, Order};
use mayfly_session::reload::Reloaded;
use mayfly_session::session::Session;
use proptest::prelude::*;

/// Holds a level against all of them. `end` is the state in which its flight ends.
pub fn hold(text: &str, level: &Level, inputs: &[String], ticks: u64, pick: u64, end: u64) -> Held {
    in_two_files_it_is_the_same(text, inputs, ticks, pick, end)?;
    its_flight_proves_itself(text, level, inputs, ticks, end)?;
    taken_instead_of_another_it_is_flown_whole(text, level, inputs, ticks, end)
}

/// Where declarations begin of which each stands on lines of its own, but for the level's head: there a text can be parted.
fn seams(text: &str) -> Vec<usize> {
    let (mut depth, mut quoted, mut at, mut found) = (0i64, false, 0, vec![]);
    for line in text.split_inclusive('\n') {
        if depth == 0 && !quoted && at > 0 {
            found.push(at);
        }
        quoted ^= line.contains("\"\"\"");
        if !quoted {
            depth += line.matches('{').count() as i64 - line.matches('}').count() as i64;
        }
        at += line.len();
    }
    found
}

/// The first declarations stand in a file that the level uses: all stand in the same order as before.
fn in_two_files_it_is_the_same(text: &str, inputs: &[String], ticks: u64, pick: u64, end: u64) -> Held {
    let seams = seams(text);
    let (head, cut) = (seams[0], seams[pick as usize % seams.len()]);
    let (own, used) = (format!("{}use \"first.may\"\n{}", &text[..head], &text[cut..]), &text[head..cut]);
    let c = check::check_with("m.may", &own, &mut |path| {
        if path == "first.may" { Ok(used.to_string()) } else { Err(LoadError::Missing) }
    });
    let said: Vec<String> = c.diagnostics.iter().map(|d| d.print(&c.sources, false)).collect();
    let level = c.level.unwrap_or_else(|| panic!("in two files it loads:\n{used}\n-----\n{own}\n{}", said.join("\n")));
    prop_assert_eq!(state_hash(flown(&level, inputs, ticks).history.live()), end, "{}\n-----\n{}", used, own);
    Ok(())
}

/// A session of a text in which those inputs were given.
fn session(text: &str, level: &Level, inputs: &[String], ticks: u64) -> Session {
    let c = check::check("m.may", text);
    let mut s = Session::new(c.sources, c.level.unwrap_or_else(|| panic!("it loads:\n{text}")));
    let mut program = s.engine.program.clone();
    let inputs = script(inputs).resolve(level, &mut program).expect("the inputs");
    for tick in s.last_tick() + 1..ticks {
        s.queued = inputs.get(&tick).cloned().unwrap_or_default();
        s.run_tick();
    }
    s
}

/// Written and read, the flight ends in the state that it names.
fn its_flight_proves_itself(text: &str, level: &Level, inputs: &[String], ticks: u64, end: u64) -> Held {
    // What is pressed in tick 0 a session can no longer be given.
    if inputs.iter().any(|i| i.starts_with("0:")) {
        return Ok(());
    }
    let s = session(text, level, inputs, ticks);
    prop_assert_eq!(state_hash(s.history.live()), end, "{}", text);
    let flight = flight::read(&s.flight_text()).expect("it is a flight");
    let named = flight.end.clone();
    let order = Order { flight: Some(flight), ..Order::ticks(ticks) };
    let again = headless::fly(level, &order).expect("it flies");
    let state = state_hash(again.history.live());
    prop_assert_eq!(state, end, "{}", text);
    prop_assert_eq!(named.map(|(_, hash)| hash), Some(format!("{end:016x}")), "{}", text);
    Ok(())
}

/// A flight of another text, in which one rule does more, is flown again with this one.
fn taken_instead_of_another_it_is_flown_whole(
    text: &str,
    level: &Level,
    inputs: &[String],
    ticks: u64,
    end: u64,
) -> Held {
    if inputs.iter().any(|i| i.starts_with("0:")) {
        return Ok(());
    }
    let other = text.replacen("then {", "then { log \"more\";", 1);
    let mut s = session(&other, level, inputs, ticks);
    let Reloaded::Begun(mut refly) = s.reload(check::check("m.may", text)) else {
        panic!("it is flown again:\n{text}")
    };
    while !refly.fly(|| true) {}
    refly.finish(&mut s, &mut vec![]);
    prop_assert_eq!(state_hash(s.history.live()), end, "{}", text);
    Ok(())
}
