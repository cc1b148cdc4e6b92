//! `mayfly draw`, `--print trace` and `--format sarif` on the real binary: what is written, and what is refused with its reason.

use crate::{foreign, schema};
use assert_cmd::Command;
use serde_json::Value;
use std::path::Path;

const LEVEL: &str = r#"
level "Yard" { rate 20; seed 3 }
tiles { '#' wall solid opaque; '_' floor }
map """
#____#
#____#
"""
area cellar map """
__
"""
kind person { steered; machine mood { start calm; state calm { to wary after 1s } state wary { } } }
place keeper: person at (1, 0)
zone jetty = rect (2, 0) 2 x 1 for person
var n = 0
message bell(p: number)
rule "up" { when every 1s; then { n += 1; send bell(n) } }
rule "hear" { when hears bell(p); if p > 1; then { log "heard" } }
rule "in" { when person enters jetty; then { log "in" } }
"#;

fn mayfly(folder: &Path, args: &[&str]) -> (i32, String, String) {
    let out =
        Command::cargo_bin("mayfly").expect("the binary").current_dir(folder).args(args).output().expect("it runs");
    let text = |b: &[u8]| String::from_utf8_lossy(b).to_string();
    (out.status.code().unwrap_or(-1), text(&out.stdout), text(&out.stderr))
}

fn folder() -> tempfile::TempDir {
    let dir = tempfile::tempdir().expect("a folder");
    std::fs::write(dir.path().join("t.may"), LEVEL).expect("the level is written");
    dir
}

#[test]
fn every_drawing_is_written_and_the_same_twice() {
    let dir = folder();
    let at = dir.path();
    let read = |name: &str| std::fs::read_to_string(at.join(name)).unwrap_or_default();
    let (status, ..) =
        mayfly(at, &["fly", "t.may", "--ticks", "60", "--input", "5: keeper east", "--record", "f.flight"]);
    assert_eq!(status, 0);
    let drawings: [(&[&str], &str, &str); 8] = [
        (&["plan"], "plan.svg", "jetty for person"),
        (&["plan", "cellar"], "cellar.svg", "cellar"),
        (&["plan", "--at", "40", "--flight", "f.flight", "--theme", "dark"], "later.svg", "at tick 40"),
        (&["machine", "keeper.mood", "--at", "30"], "mood.svg", "wary since tick 20"),
        (&["cascade", "--at", "40", "--size", "800"], "cascade.svg", "sends bell(2)"),
        (&["lanes", "--to", "100"], "lanes.svg", "keeper.mood"),
        (&["chart", "n", "keeper.mood", "--count", "up", "--to", "100"], "chart.svg", "firings of"),
        (&["wave", "--flight", "f.flight"], "wave.vcd", "$enddefinitions"),
    ];
    for (args, name, holds) in drawings {
        let mut all = vec!["draw", "t.may"];
        all.extend(args);
        all.extend(["-o", name]);
        let (status, out, err) = mayfly(at, &all);
        assert_eq!((status, out.as_str()), (0, format!("written to {name}\n").as_str()), "{all:?}: {err}");
        let first = read(name);
        assert!(first.contains(holds), "{name} lacks {holds}:\n{first}");
        let (status, _, err) = mayfly(at, &all);
        assert!(status == 2 && err.contains("is there already; --force writes over it"), "{err}");
        all.push("--force");
        assert_eq!(mayfly(at, &all).0, 0);
        assert_eq!(read(name), first, "{name} is another the second time");
    }
}

#[test]
fn a_pdf_is_the_same_twice_and_its_text_is_read_by_others() {
    let dir = folder();
    let at = dir.path();
    for (name, what) in [("a.pdf", "plan"), ("b.pdf", "plan"), ("c.pdf", "cascade")] {
        let (status, _, err) = mayfly(at, &["draw", "t.may", what, "-o", name]);
        assert_eq!(status, 0, "{err}");
    }
    let read = |name: &str| std::fs::read(at.join(name)).expect("a file");
    assert!(read("a.pdf").starts_with(b"%PDF-") && read("a.pdf") == read("b.pdf"));
    // Readers that we did not write, where they are there.
    match std::process::Command::new("pdftotext").current_dir(at).args(["a.pdf", "-"]).output() {
        Ok(out) => {
            let text = String::from_utf8_lossy(&out.stdout).to_string();
            assert!(text.contains("jetty for person") && text.contains("keeper"), "{text}");
        }
        Err(_) => eprintln!("skipped: pdftotext is not there"),
    }
    match std::process::Command::new("qpdf").current_dir(at).args(["--check", "a.pdf"]).output() {
        Ok(out) => assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr)),
        Err(_) => eprintln!("skipped: qpdf is not there"),
    }
}

#[test]
fn what_cannot_be_drawn_is_said_with_the_reason_and_nothing_is_written() {
    let dir = folder();
    let at = dir.path();
    std::fs::write(at.join("bad.may"), "var n = ").expect("written");
    let cases: [(&[&str], &str); 12] = [
        (&["t.may", "plan", "-o", "x.png"], "this is written as .svg or .pdf or .csv"),
        (&["t.may", "wave", "-o", "x.svg"], "this is written as .vcd"),
        (&["t.may", "plan", "attic", "-o", "x.svg"], "there is no area `attic`; there is main, cellar"),
        (&["t.may", "machine", "-o", "x.svg"], "name the machine"),
        (&["t.may", "machine", "tide", "-o", "x.svg"], "there is no machine `tide`; there is keeper.mood"),
        (&["t.may", "chart", "-o", "x.svg"], "name what is drawn"),
        (&["t.may", "chart", "m", "-o", "x.svg"], "`m` is not declared"),
        (&["t.may", "chart", "--count", "down", "-o", "x.svg"], "there is no rule \"down\""),
        (&["t.may", "lanes", "--from", "50", "--to", "20", "-o", "x.svg"], "the span is empty"),
        (&["t.may", "cascade", "jetty", "-o", "x.svg"], "cascade takes nothing more"),
        (&["t.may", "plan", "-o", "no/such/x.svg"], "cannot be written"),
        (&["bad.may", "plan", "-o", "x.svg"], "error[syntax]"),
    ];
    for (args, said) in cases {
        let mut all = vec!["draw"];
        all.extend(args);
        let (status, out, err) = mayfly(at, &all);
        assert_eq!(status, 2, "{all:?}: {out}{err}");
        assert!(err.contains(said), "{all:?}: {err}");
        assert!(!at.join("x.svg").exists() && !at.join("x.pdf").exists());
    }
    let (status, _, err) = mayfly(at, &["draw", "t.may", "cascade", "--at", "18446744073709551615", "-o", "x.svg"]);
    assert!(status == 2 && err.contains("too many"), "{err}");
}

#[test]
fn the_trace_holds_what_was_evaluated_line_by_line() {
    let dir = folder();
    let (status, out, err) = mayfly(dir.path(), &["fly", "t.may", "--ticks", "45", "--print", "trace"]);
    assert_eq!(status, 0, "{err}");
    let ticks: Vec<Value> = out.lines().map(|l| serde_json::from_str(l).expect("one object a line")).collect();
    // The machine starts, then the rule at 20 and 40, with the machine's way at 20.
    let numbers: Vec<u64> = ticks.iter().filter_map(|t| t["tick"].as_u64()).collect();
    assert_eq!(numbers.last(), Some(&40), "{numbers:?}");
    let of = |tick: u64| ticks.iter().find(|t| t["tick"] == tick).expect("a tick");
    let rungs = |tick: u64| -> Vec<Value> {
        let events = of(tick)["events"].as_array().cloned().unwrap_or_default();
        events.iter().flat_map(|e| e["rungs"].as_array().cloned().unwrap_or_default()).collect()
    };
    let up = rungs(20).into_iter().find(|r| r["rule"] == "up").expect("a rung");
    assert_eq!(up["verdict"], "fired");
    assert_eq!(up["did"][0], serde_json::json!({"wrote": "n", "old": "0", "new": "1"}));
    let hear = rungs(20).into_iter().find(|r| r["rule"] == "hear").expect("a rung");
    assert_eq!((&hear["verdict"], &hear["clauses"][0]["true"]), (&Value::from("held"), &Value::from(false)));
    assert_eq!(hear["clauses"][0]["values"][0], serde_json::json!(["p", "1"]));
    let from = of(40)["events"].as_array().and_then(|e| e.last().map(|e| e["from"].clone())).expect("an event");
    assert_eq!(from, serde_json::json!({"rung": 1}));
}

/// A level with every sort of line that a trace has.
const ALL_LINES: &str = r#"
level "Yard" { rate 20; seed 3 }
map """
_____
"""
tiles { '_' floor }
kind person { steered }
kind crate_ { }
place keeper: person at (1, 0)
zone jetty = rect (2, 0) 2 x 1 for person
var n = 0
message bell(p: number)
message nobody
message whisper
rule "up" { when every 1s; then { n += 1; n = n * 2; send bell(n); send bell(9) after 2 ticks; send nobody; send whisper; tell "{n}" } }
rule "down" { when every 1s; then { n = 0; for i in 1..3 { n += i } } }
rule "hear" { when hears bell(p); if p > 1 and n > 2; once; then { n = random(1, 6); wait 3 ticks; log "on" } }
rule "wrong" { when hears nobody; then { n = 1 / (n - n) } }
rule "in" { when person enters jetty; then { log "in"; spawn crate_ at (0, 0) } }
kind moth
place moth at (3, 0)
zone light = rect (4, 0) 1 x 1 for moth
zone glow = rect (4, 0) 1 x 1 for moth
rule "burnt" { when moth enters light; then { remove moth } }
rule "too late" { when moth enters glow; then { log "never" } }
rule "to the light" { when start; then { walk moth#1 to (4, 0) } }
"#;

#[test]
fn every_line_of_a_trace_holds_to_the_schema_and_a_span_is_a_part_of_it() {
    let schema: Value = serde_json::from_str(include_str!("../../../docs/trace.schema.json")).expect("json");
    let dir = folder();
    std::fs::write(dir.path().join("all.may"), ALL_LINES).expect("written");
    let all = ["fly", "all.may", "--ticks", "60", "--input", "5: keeper east", "--print", "trace"];
    let (_, whole, err) = mayfly(dir.path(), &all);
    for line in whole.lines() {
        let tick: Value = serde_json::from_str(line).expect("one object a line");
        assert_eq!(schema::errors(&schema, &tick), [""; 0], "{line}");
    }
    // Each sort of line was there to be held.
    for key in [
        "wrote",
        "overwritten_by",
        "overwrites",
        "after_ticks",
        "said",
        "drew",
        "loop",
        "fault",
        "did",
        "unheard",
        "dropped",
    ] {
        assert!(
            whole.contains(&format!("{{\"{key}\":")) || whole.contains(&format!(",\"{key}\":")),
            "{key}: {err}{whole}"
        );
    }
    // The schema refuses what is no tick.
    let mut other: Value = serde_json::from_str(whole.lines().next().expect("a line")).expect("json");
    other["events"][0]["from"] = Value::from("somewhere");
    let wrong = schema::errors(&schema, &other);
    assert!(wrong.len() == 1 && wrong[0].starts_with("/events/0/from: "), "{wrong:?}");
    // A reader that is not ours finds the same.
    for (name, text, refused) in [("good", whole.clone(), 0), ("bad", other.to_string(), 1)] {
        std::fs::write(dir.path().join(name), text).expect("written");
        let schema = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/trace.schema.json");
        if let Some(lines) = foreign::read(dir.path(), &["schema", schema, name]) {
            assert_eq!(lines.len(), refused, "{lines:?}");
        }
    }

    let span: Vec<&str> = all.into_iter().chain(["--from", "20", "--to", "22"]).collect();
    let (_, part, _) = mayfly(dir.path(), &span);
    let of = |line: &&str| {
        serde_json::from_str::<Value>(line).is_ok_and(|t| (20..=22).contains(&t["tick"].as_u64().unwrap_or(0)))
    };
    assert_eq!(part.lines().collect::<Vec<_>>(), whole.lines().filter(of).collect::<Vec<_>>());
    assert!(part.lines().count() >= 2, "{part}");
    for (args, said) in [
        (vec!["--print", "json", "--from", "3"], "they go with --print cascade or --print trace"),
        (vec!["--print", "trace", "--from", "3", "--to", "2"], "the span is empty"),
        (vec!["--print", "cascade", "--from", "900", "--ticks", "60"], "--from 900: the run ends after 60 ticks"),
    ] {
        let (_, _, err) = mayfly(dir.path(), &["fly", "all.may"].into_iter().chain(args).collect::<Vec<_>>());
        assert!(err.contains(said), "{err}");
    }
}

#[test]
fn findings_come_as_sarif_with_places_beside_the_level() {
    let dir = folder();
    std::fs::create_dir(dir.path().join("my levels")).expect("a folder");
    std::fs::write(dir.path().join("my levels/bad.may"), "var n = 0\nrule \"a\" { when tick; then { m += 1 } }")
        .expect("written");
    let (status, out, _) = mayfly(dir.path(), &["vet", "my levels/bad.may", "--format", "sarif"]);
    assert_eq!(status, 2);
    let log: Value = serde_json::from_str(&out).expect("json");
    let place = &log["runs"][0]["results"][0]["locations"][0]["physicalLocation"];
    assert_eq!(place["artifactLocation"]["uri"], "my%20levels/bad.may");
    let (status, out, _) = mayfly(dir.path(), &["vet", "t.may", "--format", "sarif"]);
    assert!(status == 0 && out.contains("\"version\": \"2.1.0\""));
}

#[test]
fn machines_and_maps_go_out_and_come_back_on_the_command_line() {
    let dir = folder();
    let at = dir.path();
    assert_eq!(mayfly(at, &["draw", "t.may", "machine", "keeper.mood", "-o", "m.scxml"]).0, 0);
    let (status, out, err) = mayfly(at, &["take", "m.scxml"]);
    assert!(status == 0 && out.contains("machine mood for person {") && out.contains("to wary after 1s"), "{out}{err}");
    assert_eq!(mayfly(at, &["draw", "t.may", "plan", "-o", "map.csv"]).0, 0);
    let (status, out, _) = mayfly(at, &["take", "map.csv"]);
    assert!(status == 0 && out.contains("wall") && out.contains("map \"\"\""), "{out}");
    std::fs::write(
        at.join("x.scxml"),
        "<scxml xmlns=\"http://www.w3.org/2005/07/scxml\"><state id=\"a\"><history id=\"h\"/></state></scxml>",
    )
    .expect("written");
    let (status, out, err) = mayfly(at, &["take", "x.scxml"]);
    assert!(status == 1 && out.contains("state a") && err.contains("not taken over: line 1: `history`"), "{out}{err}");
    std::fs::write(at.join("broken.scxml"), "<scxml").expect("written");
    let (status, _, err) = mayfly(at, &["take", "broken.scxml"]);
    assert!(status == 2 && err.contains("broken.scxml: line 1"), "{err}");
    let (status, _, err) = mayfly(at, &["take", "t.may"]);
    assert!(status == 2 && err.contains("a machine is taken from .scxml"), "{err}");
}
