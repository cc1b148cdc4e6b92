//! The examples, flown: each shows what its first lines promise, without a fault.

use mayfly_lang::check;
use mayfly_session::headless::{self, Order};
use mayfly_session::script::Script;

/// File, inputs, ticks, and what is told and logged, in order, each with its tick.
const TABLE: &[(&str, &[&str], u64, &str)] = &[
    ("01-place", &["0: keeper east", "10: keeper east", "20: keeper east"], 40, "22 Someone at the jetty."),
    (
        "02-noticed-once",
        &["0: keeper east", "10: keeper east", "40: keeper west"],
        60,
        "12 Mind the wet boards.; 42 Dry again.",
    ),
    ("03-run-away-counter", &["0: keeper east", "10: keeper east"], 40, "14 You again."),
    ("04-stepped-over", &[], 200, ""),
    ("05-bell", &["3: keeper ring"], 10, "3 heron#1 is wary.; 3 heron#2 is wary."),
    (
        "06-time",
        &["5: keeper wind", "10: keeper wind"],
        200,
        "20 tue.; 45 Open.; 55 thu.; 55 thu.; 65 The flood comes, at 40.",
    ),
    ("07-machine", &["2: keeper wind", "10: keeper wind", "4: keeper talk"], 80, "4 Croak.; 42 Open at 40."),
    ("08-sight", &["0: keeper north", "10: keeper east"], 200, "10 The swan hisses.; 71 It lets be."),
    (
        "09-chance",
        &[],
        70,
        "10 a crate after 4 tries; 20 tally_of = {eel 1}; 40 tally_of = {eel 1, perch 1}; 60 tally_of = {eel 2, perch 1}",
    ),
    (
        "10-shared",
        &["0: keeper east", "10: keeper east", "20: keeper east"],
        40,
        "3 keeper: eel, one sort.; 22 keeper: roach, both sorts.",
    ),
    (
        "11-every-order",
        &["0: keeper east", "3: keeper east", "6: keeper east", "9: keeper east", "12: keeper east"],
        60,
        "ended: The winch turns.",
    ),
    ("12-two-rules-fight", &["5: keeper wind"], 20, ""),
];

fn flown(file: &str, inputs: &[&str], ticks: u64) -> headless::Flown {
    let path = format!("{}/../../examples/{file}.may", env!("CARGO_MANIFEST_DIR"));
    let text = std::fs::read_to_string(&path).expect("the example");
    let level = check::check(file, &text).level.expect("it loads");
    let mut script = Script::default();
    inputs.iter().for_each(|l| script.add(l).expect("an input"));
    headless::fly(&level, &Order { script, ..Order::ticks(ticks) }).expect("it flies")
}

#[test]
fn each_example_shows_what_it_promises() {
    let mut wrong = vec![];
    for (file, inputs, ticks, expected) in TABLE {
        let f = flown(file, inputs, *ticks);
        let said: Vec<String> = f.log.iter().map(|l| format!("{} {}", l.tick, l.text)).collect();
        let ended = f.history.live().ended.as_ref().map(|e| format!("ended: {}", e.text));
        let got = said.into_iter().chain(ended).collect::<Vec<_>>().join("; ");
        if got != *expected || !f.faults.is_empty() {
            wrong.push(format!("{file}\n  wanted {expected}\n  got    {got}\n  {:?}", f.faults));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn every_example_is_in_the_table() {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../examples");
    for entry in std::fs::read_dir(folder).expect("the examples") {
        let name = entry.expect("a file").file_name().to_string_lossy().trim_end_matches(".may").to_string();
        assert!(name == "weir-house" || TABLE.iter().any(|(f, ..)| *f == name), "{name} has no row");
    }
}

/// The whole night: every lamp, every sluice, the winch and its floats, by keys alone.
#[test]
fn the_night_can_be_won_and_lost() {
    let lost = flown("weir-house", &[], 4000);
    assert_eq!(lost.history.live().ended.as_ref().map(|e| e.text.as_str()), Some("Too cold to go on."));
    let pokes = [
        "1: poke keeper.oil = 9",
        "2: poke move keeper to (6, 2)",
        "10: poke move keeper to (21, 7)",
        "20: poke move keeper to (27, 10)",
        "30: poke move keeper to (2, 12)",
        "40: poke move keeper to (30, 3)",
        "60: poke move keeper to (10, 7)",
        "65: keeper wind",
        "80: poke move keeper to (16, 7)",
        "85: keeper wind",
        "100: poke move keeper to (27, 3)",
        "105: keeper ring",
        "110: poke sluice.silted = false",
        "120: poke move keeper to (13, 6)",
        "125: keeper wind",
    ];
    let won = flown("weir-house", &pokes, 600);
    assert_eq!(won.history.live().ended.as_ref().map(|e| e.text.as_str()), Some("The weir held."), "{:?}", won.log);
    assert!(won.faults.is_empty(), "{:?}", won.faults);
}
