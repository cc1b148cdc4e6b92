//! Values and actions against a second reading of the contract: made-up blocks of actions on numbers, texts, durations, points, lists, sets and
//! a tally, done by the engine and by a reading that shares no line with it. Both must tell the same, in the same order.

mod form;
mod play;
mod text;

use crate::laws;
use form::sums;
use mayfly_lang::check;
use mayfly_session::headless::{self, Order};
use play::Play;
use proptest::prelude::*;
use text::level;

const TICKS: u64 = 6;

/// What is logged, and where a run ended with a fault.
fn flown(text: &str) -> Vec<String> {
    let c = check::check("s.may", text);
    let said: Vec<String> = c.diagnostics.iter().map(|d| d.print(&c.sources, false)).collect();
    let level = c.level.unwrap_or_else(|| panic!("{text}\n{}", said.join("\n")));
    let f = headless::fly(&level, &Order::ticks(TICKS)).expect("it flies");
    let mut all: Vec<(u64, String)> = f.log.iter().map(|l| (l.tick, l.text.clone())).collect();
    all.extend(f.faults.iter().map(|f| (f.tick, "fault".to_string())));
    all.into_iter().map(|(tick, text)| format!("{tick} {text}")).collect()
}

proptest! {
    #![proptest_config(laws::config(laws::cases()))]

    #[test]
    fn actions_do_what_a_second_reading_of_the_contract_says(s in sums()) {
        let text = level(&s);
        let mut play = Play::of(&s);
        (0..TICKS).for_each(|_| play.step(&s));
        // Faults stand behind what is logged.
        let (faults, logs): (Vec<String>, Vec<String>) = play.told.into_iter().partition(|t| t.ends_with(" fault"));
        let (told, got) = ([logs, faults].concat(), flown(&text));
        let at = told.iter().zip(&got).take_while(|(a, b)| a == b).count();
        let near = |l: &[String]| l[at.saturating_sub(4).min(l.len())..l.len().min(at + 3)].join("\n  ");
        prop_assert!(told == got, "{text}\nby the contract:\n  {}\nby the engine:\n  {}", near(&told), near(&got));
    }
}

proptest! {
    #![proptest_config(laws::config(laws::cases() / 10))]

    #[test]
    fn whatever_they_do_the_laws_hold(s in sums(), pick in 0u64..10_000) {
        laws::hold(&level(&s), &[], TICKS, pick)?;
    }
}
