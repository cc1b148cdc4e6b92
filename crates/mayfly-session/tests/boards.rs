//! What stands on the screen all night long.

use mayfly_base::code::Action;
use mayfly_engine::program::Op;

/// What stands on the screen all night long is not computed for nothing in every tick.
#[test]
fn a_board_of_numbers_clocks_counts_and_choices_is_sure() {
    let text = r#"
clock tide { minute 60; hour 24; day 3 named mon tue wed; speed 1 minute per 1s }
kind wheel { machine gate { start shut; state shut { to open after 1s } state open { } } }
place wheel at (0, 0), (2, 0)
timer flood = 9s running
var lit = 0
const goal = 5
define opened = count(wheel where wheel.gate is open)
rule "b" { when start; then {
  board "{tide.day} {tide.hour}:{if tide.minute < 10 then "0" else ""}{tide.minute} {lit} of {goal} {opened} {flood.left:0}"
} }
rule "c" { when start; then { board "{10 / lit}" } }
"#;
    let level = mayfly_lang::check::check("t.may", text).level.expect("it reads");
    let program = mayfly_session::lower::lower(&level);
    let boards = program.code.iter().filter(|op| matches!(op, Op::Do(Action::Board { .. }))).count();
    assert_eq!((program.sure_signs.len(), boards), (1, 2));
}
