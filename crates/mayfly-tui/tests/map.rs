//! The map as a person sees it: what is drawn, how large, where from; what is painted over it; the log below it; and that the
//! cascade is never blank. Each test flies a small level and reads the screen.

use crate::desk::Desk;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use mayfly_tui::app::Pane;
use mayfly_tui::run;
use std::time::Instant;

const YARD: &str = r##"
level "Yard" { rate 20 }
tiles { '#' wall solid opaque; 'f' fence solid look "+"; 'w' pond solid look "~" blue; 's' stones look "%" silt; 'g' grille solid; 'b' bush opaque }
map """
################
#..............#
#..ffff...www..#
#..f......www..#
#.....s...bbb..#
#.....s........#
#..gg.s........#
#..............#
################
"""
area cellar map """
########
#......#
#..##..#
#......#
########
"""
kind person { steered; look "@" amber; speed 20 }
kind owl { look "o" clay; sight all reach 6 }
kind token { look "$" heather }
place me: person at (2, 1)
place hoot: owl at (12, 6)
place dozy: owl at (2, 5) { enabled false }
place coin: token at (6, 1)
place ghost: token at (9, 7) { visible false }
place rat: token at cellar(2, 1)
zone yard = rect (1, 1) 6 x 3 for person
zone corner = rect (5, 2) 4 x 4 for person
zone longname = rect (13, 1) 1 x 1 for person
var score = 0
rule "into the corner" { when person enters corner; then { tell "You are in the corner."; spawn token at (4, 5) as t } }
rule "spot" { when person enters longname; then { win "You found the spot." } }
rule "take" { when person touches token as t; then { score += 5; remove t; cue "clink" } }
rule "yard" { when person leaves yard; then { log "out of the yard" } }
rule "beat" { when every 1s; then { log "beat" } }
"##;

/// Keys one after the other, a frame after each.
fn keys(d: &mut Desk, letters: &str) {
    for c in letters.chars() {
        d.key(KeyCode::Char(c));
        d.shown();
    }
}

fn arrows(d: &mut Desk, code: KeyCode, times: usize) {
    for _ in 0..times {
        d.key(code);
        d.shown();
    }
}

/// Walks by driving, four ticks a key.
fn walk(d: &mut Desk, code: KeyCode, times: usize) {
    d.press("d");
    for _ in 0..times {
        d.key(code);
        d.press("nnnn");
    }
    d.key(KeyCode::Esc);
}

/// The rows of the map's column alone.
fn left(d: &mut Desk) -> String {
    let text = d.text();
    let at = d.app.flight.sizes.map_first as usize;
    text.lines().map(|l| format!("{}\n", l.trim_matches('"').chars().take(at).collect::<String>())).collect()
}

#[test]
fn tiles_zones_and_actors_are_told_by_signs_that_keep_clear_of_each_other() {
    let mut d = Desk::of(YARD);
    let map = left(&mut d);
    assert!(map.contains("16 x 9") && map.contains("main"), "area and size stand in the title:\n{map}");
    // A cell takes four columns and two rows, as large as the pane carries: 16 x 4 columns of wall.
    assert!(map.lines().any(|l| l.contains(&"█".repeat(64))), "{map}");
    assert!(map.contains("++++") && map.contains("gggg"), "a fence has its look, a grille its sign:\n{map}");
    assert!(!map.contains("~"), "water is a shade where the theme has one:\n{map}");
    for name in ["yard", "corner"] {
        assert!(map.contains(name), "{name}:\n{map}");
    }
    assert!(map.contains("┌╌╌┐") && !map.contains("longname"), "a small zone keeps its border:\n{map}");
    assert_eq!(map.matches('◦').count(), 2, "who is disabled and who is hidden are hollow:\n{map}");
    assert!(map.contains('∶'), "two zones on one cell are marked:\n{map}");
    // The name goes aside for whoever stands there.
    walk(&mut d, KeyCode::Right, 3);
    let map = left(&mut d);
    assert!(map.contains("yard") && map.contains('@'), "{map}");
}

#[test]
fn the_cursor_tells_what_lies_on_a_cell_and_who_notices_it() {
    let mut d = Desk::of(YARD);
    d.app.flight.focus = Pane::Map;
    arrows(&mut d, KeyCode::Right, 1);
    assert_eq!(d.app.flight.map.cursor, Some((2, 1)), "it begins at the steered actor");
    arrows(&mut d, KeyCode::Right, 11);
    let map = left(&mut d);
    assert!(map.contains("(13, 1)") && map.contains("in longname"), "{map}");
    keys(&mut d, "v");
    let map = left(&mut d);
    assert!(map.contains("hoot does not see it: bush at (12, 4) stands between"), "{map}");
    arrows(&mut d, KeyCode::Right, 1);
    let map = left(&mut d);
    assert!(map.contains("hoot sees it, 5.4 cells away"), "{map}");
    arrows(&mut d, KeyCode::Left, 3);
    keys(&mut d, "v");
    assert!(left(&mut d).contains("what hoot sees"));
    // An owl that is disabled sees nothing; who is under the cursor is said with what it is.
    arrows(&mut d, KeyCode::Left, 9);
    arrows(&mut d, KeyCode::Down, 4);
    assert!(left(&mut d).contains("dozy, disabled"), "{}", left(&mut d));
    keys(&mut d, "vvv");
    assert!(left(&mut d).contains("where nobody went"), "{}", left(&mut d));
    keys(&mut d, "v");
    keys(&mut d, "V");
    let map = left(&mut d);
    assert!(map.contains("cellar") && map.contains("8 x 5"), "{map}");
    keys(&mut d, "z");
    assert!(left(&mut d).contains("main"), "the map follows again");
}

#[test]
fn a_map_larger_than_its_pane_goes_with_the_cursor_and_says_its_part() {
    let rows = format!("{}\n", ".".repeat(300)).repeat(120);
    let text = format!(
        "map \"\"\"\n{rows}\"\"\"\nkind person {{ steered }}\nplace me: person at (150, 60)\nrule \"t\" {{ when every 1s; then {{ log \"t\" }} }}"
    );
    let mut d = Desk::of(&text);
    d.app.flight.focus = Pane::Map;
    let first = left(&mut d);
    assert!(first.contains("of 300 x 120"), "{first}");
    for _ in 0..20 {
        run::key(&mut d.app, &KeyEvent::new(KeyCode::Right, KeyModifiers::SHIFT), Instant::now());
        d.shown();
    }
    assert_eq!(d.app.flight.map.cursor, Some((299, 60)), "ten cells at a time, up to the edge");
    assert!(left(&mut d).contains("..299, "), "{}", left(&mut d));
    keys(&mut d, "+");
    let cells = d.app.shown_view().expect("a map").shown();
    keys(&mut d, "-");
    assert!(d.app.shown_view().expect("a map").shown().0 > cells.0, "smaller cells show more of them");
    keys(&mut d, "z");
    assert!(left(&mut d).contains("150") || d.app.flight.map.cursor.is_none());
}

#[test]
fn the_cascade_and_why_are_never_blank_and_the_key_that_goes_back_is_beside() {
    let mut d = Desk::of(YARD);
    d.says('g', "35");
    let all = d.text();
    assert!(all.contains("Nothing was evaluated in this tick."), "{all}");
    assert!(all.contains("Last at tick 20, 0.75s ago: B goes there"), "{all}");
    assert!(all.contains("1 ◆ beat"), "the last tick stands there:\n{all}");
    assert!(all.contains("fired at tick 20, 0.75s ago"), "Why says why it fired:\n{all}");
    keys(&mut d, "B");
    assert_eq!(d.app.session.moment.tick, 20);
    // While it runs, the last firings roll.
    d.key(KeyCode::Char(' '));
    d.app.session.run_ticks(30, || true);
    let all = d.text();
    assert!(d.app.play.running && all.contains("ago  ◆ beat"), "{all}");
}

#[test]
fn the_log_takes_the_keys_folds_what_repeats_and_leads_to_its_rung() {
    let mut d = Desk::of(YARD);
    d.says('g', "90");
    let log = left(&mut d);
    assert!(log.contains("logged     80  beat  × 4"), "what came in a row is one line:\n{log}");
    d.app.flight.focus = Pane::Log;
    d.key(KeyCode::Enter);
    assert_eq!(d.app.session.moment.tick, 80);
    assert!(d.text().contains("tick 80: beat"));
    d.key(KeyCode::Backspace);
    assert_eq!(d.app.session.moment.tick, 90, "and back");
    walk(&mut d, KeyCode::Right, 11);
    let all = d.text();
    assert!(all.contains("WON") && all.contains("won at tick"), "{all}");
    let ended = d.app.session.last_tick();
    keys(&mut d, "n");
    assert!(d.text().contains(&format!("the level ended at tick {ended}")), "{}", d.text());
}

#[test]
fn whoever_came_and_went_in_the_tick_and_whom_a_rung_is_about_are_marked() {
    let mut d = Desk::of(YARD);
    walk(&mut d, KeyCode::Right, 5);
    // Back to the tick in which the coin was taken.
    let s = &d.app.session;
    let taken = s.rule_named("take").and_then(|r| s.index.fired.get(&r)?.last().copied()).expect("the coin was taken");
    d.says('g', &taken.to_string());
    let map = left(&mut d);
    assert!(map.contains("[@]"), "the person is bracketed:\n{map}");
    assert!(map.contains('†'), "the coin went:\n{map}");
}
