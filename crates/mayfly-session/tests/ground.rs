//! Motion and sensing against a second reading of the contract: made-up ground, walkers and keys, and boxes that slide, fall
//! and are pushed, flown by the engine and played by a look at everybody and everything in each tick that shares no line
//! with it. Both must tell the same, in the same order.

mod form;
mod orders;
pub mod plane;
mod play;

use crate::boxes;
use crate::boxes::form::boxes;
use crate::laws;
use form::{TICKS, ground};
use mayfly_lang::check;
use mayfly_session::headless::{self, Order};
use mayfly_session::script::Script;
use play::Play;
use proptest::prelude::*;

fn flown(inputs: &[String], ticks: u64, text: &str) -> Vec<String> {
    let c = check::check("g.may", text);
    let said: Vec<String> = c.diagnostics.iter().map(|d| d.print(&c.sources, false)).collect();
    let level = c.level.unwrap_or_else(|| panic!("{text}\n{}", said.join("\n")));
    let mut script = Script::default();
    inputs.iter().for_each(|l| script.add(l).expect("an input"));
    let f = headless::fly(&level, &Order { script, ..Order::ticks(ticks) }).expect("it flies");
    let faults = f.faults.iter().map(|x| format!("{} ! {}", x.tick, x.fault.text));
    f.log.iter().map(|l| format!("{} {}", l.tick, l.text)).chain(faults).collect()
}

/// True of two lines that say the same; of numbers that are shown with six digits.
fn is_same(told: &str, got: &str) -> bool {
    let near = |(a, b): (&str, &str)| match (a.parse::<f64>(), b.parse::<f64>()) {
        (Ok(a), Ok(b)) => (a - b).abs() < 2e-6,
        _ => a == b,
    };
    let (a, b): (Vec<&str>, Vec<&str>) = (told.split(' ').collect(), got.split(' ').collect());
    a.len() == b.len() && a.into_iter().zip(b).all(near)
}

fn same(told: &[String], got: &[String], text: &str) -> Result<(), TestCaseError> {
    let at = told.iter().zip(got).take_while(|(a, b)| is_same(a, b)).count();
    let near = |l: &[String]| l[at.saturating_sub(5).min(l.len())..l.len().min(at + 4)].join("\n  ");
    prop_assert!(
        at == told.len() && at == got.len(),
        "{text}\nby the contract:\n  {}\nby the engine:\n  {}",
        near(told),
        near(got)
    );
    Ok(())
}

proptest! {
    #![proptest_config(laws::config(laws::cases()))]

    #[test]
    fn all_move_and_are_sensed_as_a_second_reading_of_the_contract_says(g in ground()) {
        let text = g.to_string();
        let mut play = Play::new(&g);
        (0..TICKS).for_each(|_| play.step());
        let got = flown(&g.inputs(), TICKS, &text);
        same(&play.told, &got, &format!("{text}keys {:?}", g.keys))?;
    }

    #[test]
    fn boxes_come_to_where_a_second_reading_of_the_contract_says(b in boxes()) {
        let text = b.to_string();
        let mut play = boxes::play::Play::new(&b);
        (0..boxes::form::TICKS).for_each(|_| play.step());
        same(&play.told, &flown(&[], boxes::form::TICKS, &text), &text)?;
    }
}

proptest! {
    #![proptest_config(laws::config(laws::cases() / 10))]

    #[test]
    fn wherever_they_go_the_laws_hold(g in ground(), pick in 0u64..10_000) {
        laws::hold(&g.to_string(), &g.inputs(), TICKS, pick)?;
    }

    #[test]
    fn wherever_boxes_come_to_the_laws_hold(b in boxes(), pick in 0u64..10_000) {
        let text = b.to_string();
        laws::hold(&text, &[], boxes::form::TICKS, pick)?;
        // From cell to cell round the walls; and with none that stops another or falls, for which an engine may take short ways.
        let text = text.replace(" straight", "");
        laws::hold(&text, &[], boxes::form::TICKS, pick)?;
        let open = ["solid; ", "falls 8; ", "falls 2.5; "].into_iter().fold(text, |t, word| t.replace(word, ""));
        laws::hold(&open, &[], boxes::form::TICKS, pick)?;
    }
}
