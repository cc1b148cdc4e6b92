//! Motion and sensing against a second reading of the contract: made-up ground, walkers and keys, flown by the engine and
//! played by a look at everybody and everything in each tick that shares no line with it. Both must tell the same, in the
//! same order.

mod ground {
    pub mod form;
    pub mod play;
}
mod laws;

use ground::form::{Ground, TICKS, ground};
use ground::play::Play;
use mayfly_lang::check;
use mayfly_session::headless::{self, Order};
use mayfly_session::script::Script;
use proptest::prelude::*;

fn flown(g: &Ground, text: &str) -> Vec<String> {
    let c = check::check("g.may", text);
    let said: Vec<String> = c.diagnostics.iter().map(|d| d.print(&c.sources, false)).collect();
    let level = c.level.unwrap_or_else(|| panic!("{text}\n{}", said.join("\n")));
    let mut script = Script::default();
    g.inputs().iter().for_each(|l| script.add(l).expect("an input"));
    let f = headless::fly(&level, &Order { script, ..Order::ticks(TICKS) }).expect("it flies");
    let faults = f.faults.iter().map(|x| format!("{} ! {}", x.tick, x.fault.text));
    f.log.iter().map(|l| format!("{} {}", l.tick, l.text)).chain(faults).collect()
}

proptest! {
    #![proptest_config(laws::config(laws::cases()))]

    #[test]
    fn all_move_and_are_sensed_as_a_second_reading_of_the_contract_says(g in ground()) {
        let text = g.to_string();
        let mut play = Play::new(&g);
        (0..TICKS).for_each(|_| play.step());
        let got = flown(&g, &text);
        let at = play.told.iter().zip(&got).take_while(|(a, b)| a == b).count();
        let near = |l: &[String]| l[at.saturating_sub(5).min(l.len())..l.len().min(at + 4)].join("\n  ");
        prop_assert!(
            play.told == got,
            "{text}keys {:?}\nby the contract:\n  {}\nby the engine:\n  {}", g.keys, near(&play.told), near(&got)
        );
    }
}

proptest! {
    #![proptest_config(laws::config(laws::cases() / 10))]

    #[test]
    fn wherever_they_go_the_laws_hold(g in ground(), pick in 0u64..10_000) {
        laws::hold(&g.to_string(), &g.inputs(), TICKS, pick)?;
    }
}
