//! Long names and long texts: nothing is cut where there is room, and what goes on says how much more there is.

use crate::desk::Desk;
use crossterm::event::KeyCode;
use mayfly_tui::app::Pane;

/// Names and texts as long as they come.
const LONG: &str = r#"level "Long" { rate 20 }
kind ferry_passenger { steered; var coins_in_pocket = 3; var wet_feet_counter = 0 }
place keeper_of_the_upper_weir: ferry_passenger at (1, 0)
var number_of_lamps_lit_at_night = 0
var why_the_bell_was_rung = ""
message bell_rung_at_the_landing(who: ferry_passenger, how_often: number, why: text)
rule "the keeper rings the bell at the landing when the ferry comes" {
  when every 1s
  then {
    number_of_lamps_lit_at_night += 1
    send bell_rung_at_the_landing(keeper_of_the_upper_weir, 1, "the ferry comes over the river and somebody waits")
    tell "The keeper of the upper weir rings the bell, so that everybody hears it far away over the marsh."
    keeper_of_the_upper_weir.coins_in_pocket += random(1, 6)
  }
}
rule "passengers who hear the bell get their feet wet and count it" {
  when hears bell_rung_at_the_landing(who, how_often, why)
  if who.coins_in_pocket > 2 and how_often > 1 and number_of_lamps_lit_at_night > 3
  then { who.wet_feet_counter += how_often; why_the_bell_was_rung = why }
  else { log "nobody hears it, because {why}" }
}
"#;

/// What a pane shows, its lines joined and spaces folded.
fn words(screen: &str, from: usize, to: usize) -> String {
    let cut = |l: &str| l.trim_matches('"').chars().skip(from).take(to - from).collect::<String>();
    let lines: Vec<String> = screen.lines().map(cut).collect();
    let bare = lines.join(" ").replace(['│', '├', '┬'], " ");
    bare.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// The columns of a pane, told by where its title stands and where the next one begins.
fn pane(screen: &str, title: &str) -> (usize, usize) {
    let heads = screen.lines().find(|l| l.contains(&format!("─ {title} "))).expect("the pane has a title");
    let heads: Vec<char> = heads.trim_matches('"').chars().collect();
    let at = heads.windows(title.len() + 4).position(|w| w.iter().collect::<String>() == format!("─ {title}  "));
    let at = at.expect("it stands there");
    let end = (at + 1..heads.len()).find(|i| matches!(heads[*i], '┬' | '┴')).unwrap_or(heads.len());
    (at, end)
}

#[test]
fn long_texts_stand_in_several_lines_where_there_is_room() {
    for (width, height) in [(200, 60), (160, 47), (140, 64)] {
        let mut d = Desk::of(LONG).sized(width, height);
        d.says('g', "20");
        let screen = d.text();
        let (from, to) = pane(&screen, "Cascade");
        let cascade = words(&screen, from, to);
        for said in [
            "the keeper rings the bell at the landing when the ferry comes",
            "number_of_lamps_lit_at_night 0 → 1",
            "\"the ferry comes over the river and somebody waits\")",
            "so that everybody hears it far away over the marsh.",
            "passengers who hear the bell get their feet wet and count it",
            "how_often = 1, else",
            "nobody hears it, because the ferry comes over the river and somebody waits",
        ] {
            assert!(cascade.contains(said), "{said} is not whole at {width}\n{screen}");
        }
        let (from, to) = pane(&screen, "Watches");
        let watches = words(&screen, from, to);
        for said in ["number_of_lamps_lit_at_night", "why_the_bell_was_rung", ".coins_in_pocket", ".wet_feet_counter"] {
            assert!(watches.contains(said), "{said} is not whole at {width}\n{screen}");
        }
    }
}

#[test]
fn a_log_is_read_whole_line_by_line_also_where_not_all_has_room() {
    let mut d = Desk::of(LONG).sized(80, 24);
    d.says('g', "400");
    d.app.flight.focus = Pane::Log;
    let told = "The keeper of the upper weir rings the bell, so that everybody hears it far away over the marsh.";
    let mut seen = 0;
    for _ in 0..40 {
        let screen = d.text();
        seen += words(&screen, 0, 80).matches(told).count();
        if screen.lines().any(|l| l.contains("told       20  ")) {
            break;
        }
        assert!(screen.contains(" more below ─"), "{screen}");
        d.key(KeyCode::Down);
    }
    assert!(seen > 5, "{seen} were read whole");
    // At the end nothing is below.
    d.key(KeyCode::End);
    let screen = d.text();
    assert!(!screen.contains("more below") && screen.contains("far away over the marsh."), "{screen}");
}

#[test]
fn more_below_stands_in_the_title_and_over_no_line() {
    let mut text = LONG.to_string();
    for i in 0..30 {
        text.push_str(&format!(
            "rule \"number {i}\" {{ when every 1s; then {{ number_of_lamps_lit_at_night += {i} }} }}\n"
        ));
    }
    for (width, height) in [(160, 47), (80, 24), (60, 16)] {
        let mut d = Desk::of(&text).sized(width, height);
        d.says('g', "20");
        d.app.flight.focus = Pane::Cascade;
        let screen = d.text();
        let lines: Vec<&str> = screen.lines().collect();
        let title = lines.iter().position(|l| l.contains("Cascade")).expect("the pane");
        assert!(lines[title].contains(" more ") || lines[title].contains(" +"), "{screen}");
        assert!(lines[title + 1..].iter().all(|l| !l.contains("more below") || l.contains("Why")), "{screen}");
        // Every rung is reached, and behind the last there is nothing more.
        let mut reached = 0;
        for _ in 0..40 {
            let screen = d.text();
            reached += usize::from(reached < 30 && screen.contains(&format!("number {reached}")));
            d.key(KeyCode::Down);
        }
        let screen = d.text();
        assert!(reached == 30 && screen.contains("passengers who hear the bell"), "{reached}\n{screen}");
        assert!(!screen.lines().nth(4).is_some_and(|l| l.contains(" more ")), "{screen}");
    }
}
