//! §12: flights, and what is kept between runs.

use super::level;
use mayfly_engine::hash::state_hash;
use mayfly_lang::check;
use mayfly_session::flight;
use mayfly_session::headless::{self, Order};
use mayfly_session::script::Script;

const LEVEL: &str = r#"
level "Landing" { rate 20; seed 9 }
kind person { steered; var oil = 4 }
place keeper: person at (0, 0)
input wind = "e"
keep var best = 0
enum fish { eel, roach, perch }
table catch: fish { eel 1; roach 1; perch 1 }
message bell(n: number)
rule "wind" { when person presses wind; then { log "{roll(catch)} {random(1, 99)}"; best += 1 } }
rule "held" { when person pressing wind every 2 ticks; then { log "held" } }
rule "bell" { when hears bell(n); then { log "bell {n}"; person_oil(n) } }
routine person_oil(n: number) { keeper.oil += n }
"#;

fn inputs() -> Script {
    let mut s = Script::default();
    for line in [
        "2: keeper wind",
        "4: keeper east",
        "6: poke send bell(3)",
        "7: poke next draw \"wind\" 1 = perch",
        "9: keeper wind",
        "9: poke keeper.oil = 50",
        "12: keeper wind",
    ] {
        s.add(line).expect("an input");
    }
    s
}

/// A recorded flight as text, its log, and the hash of its last state.
fn recorded() -> (String, Vec<String>, u64) {
    let l = level(LEVEL);
    let sources = check::check("t.may", LEVEL).sources;
    let f = headless::fly(&l, &Order { script: inputs(), ..Order::ticks(30) }).expect("it flies");
    let text = flight::write(&l, &sources, &f.engine, &(&f.history).into());
    (text, f.log.iter().map(|x| format!("{} {}", x.tick, x.text)).collect(), state_hash(f.history.live()))
}

fn replayed(level_text: &str, flight_text: &str) -> (Vec<String>, u64, Vec<String>) {
    let flight = flight::read(flight_text).expect("a flight");
    let ticks = flight.ticks();
    let f =
        headless::fly(&level(level_text), &Order { flight: Some(flight), ..Order::ticks(ticks) }).expect("it flies");
    let log = f.log.iter().map(|x| format!("{} {}", x.tick, x.text)).collect();
    (log, state_hash(f.history.live()), f.lost)
}

#[test]
fn a_flight_is_lines_of_json_with_a_head_inputs_and_an_end() {
    let (text, log, _) = recorded();
    let lines: Vec<serde_json::Value> = text.lines().map(|l| serde_json::from_str(l).expect("JSON")).collect();
    let head = &lines[0];
    assert_eq!(
        (head["level"].as_str(), head["seed"].as_u64(), head["rate"].as_u64()),
        (Some("Landing"), Some(9), Some(20))
    );
    assert!(head["version"].is_u64() && head["text"].is_string() && head["kept"].is_object(), "{head}");
    assert_eq!(lines[1], serde_json::json!({"t": 2, "in": [["keeper", "wind"]]}));
    let at9 = lines.iter().find(|l| l["t"] == 9).expect("tick 9");
    assert_eq!(
        (&at9["in"], &at9["poke"]),
        (&serde_json::json!([["keeper", "wind"]]), &serde_json::json!(["keeper.oil = 50"]))
    );
    let end = lines.last().expect("an end");
    assert!(end["end"].as_u64() == Some(30) && end["state"].is_string(), "{end}");
    assert!(log.iter().any(|l| l.starts_with("9 perch")), "the next draw was fixed: {log:?}");
}

#[test]
fn a_replay_is_the_run() {
    let (text, log, hash) = recorded();
    assert_eq!(replayed(LEVEL, &text), (log, hash, vec![]));
}

#[test]
fn a_flight_of_an_older_text_still_replays_and_says_what_no_longer_exists() {
    let (text, _, _) = recorded();
    let newer =
        LEVEL.replace("message bell(n: number)", "message gong(n: number)").replace("hears bell(n)", "hears gong(n)");
    let (log, _, lost) = replayed(&newer, &text);
    assert_eq!(lost.len(), 1, "{lost:?}");
    assert!(lost[0].contains("bell") && lost[0].contains('6'), "{lost:?}");
    assert!(log.iter().any(|l| l.starts_with("9 perch")) && !log.iter().any(|l| l.contains("bell")));
    let without = LEVEL
        .replace("input wind", "input wound")
        .replace("presses wind", "presses wound")
        .replace("pressing wind", "pressing wound");
    let (_, _, lost) = replayed(&without, &text);
    assert_eq!(lost.iter().filter(|l| l.contains("there is no input `wind`")).count(), 3, "{lost:?}");
}

#[test]
fn keys_that_stay_down_are_told_apart_from_taps() {
    let head = recorded().0.lines().next().expect("a head").to_string();
    let text = format!(
        "{head}\n{{\"t\":2,\"down\":[[\"keeper\",\"wind\"]]}}\n{{\"t\":7,\"up\":[[\"keeper\",\"wind\"]]}}\n{{\"end\":12,\"state\":\"0\"}}\n"
    );
    let (log, _, _) = replayed(LEVEL, &text);
    let held: Vec<&str> = log.iter().filter(|l| l.ends_with("held")).map(String::as_str).collect();
    assert_eq!(held, ["2 held", "4 held", "6 held"]);
}

#[test]
fn what_is_no_flight_is_refused_with_its_line() {
    let good = recorded().0;
    let head = good.lines().next().expect("a head");
    for (text, said) in [
        (String::new(), "empty"),
        ("not json".to_string(), "line 1"),
        ("{\"version\":99}".to_string(), "version"),
        (format!("{head}\n{{\"t\":\"x\"}}\n"), "line 2"),
        (format!("{head}\n{{\"t\":3,\"in\":7}}\n"), "line 2"),
        (format!("{head}\n[]\n"), "line 2"),
    ] {
        let why = flight::read(&text).err().unwrap_or_else(|| panic!("{text} was read"));
        assert!(why.to_string().contains(said), "{text}: {why}");
    }
    // Any broken text is refused or read, never worse.
    for cut in (0..good.len()).step_by(7).filter(|i| good.is_char_boundary(*i)) {
        let _ = flight::read(&good[..cut]);
    }
}

#[test]
fn kept_values_come_with_the_flight() {
    let l = level(LEVEL);
    let sources = check::check("t.may", LEVEL).sources;
    let program = mayfly_session::lower::lower(&l);
    let (kept, lost) = mayfly_session::kept::from_text(&l, &program, r#"{"vars":{"best":7},"actors":{},"once":[]}"#)
        .expect("kept values");
    assert!(lost.is_empty());
    let f = headless::fly(&l, &Order { kept, script: inputs(), ..Order::ticks(30) }).expect("it flies");
    assert!(f.history.live().vars[0].same(&mayfly_base::Value::Number(10.0)));
    let text = flight::write(&l, &sources, &f.engine, &(&f.history).into());
    assert_eq!(replayed(LEVEL, &text).1, state_hash(f.history.live()));
    assert!(mayfly_session::kept::from_text(&l, &program, "{").is_err());
    let (_, lost) = mayfly_session::kept::from_text(&l, &program, r#"{"vars":{"gone":7},"actors":{},"once":[]}"#)
        .expect("kept values");
    assert_eq!(lost.len(), 1, "{lost:?}");
}
