//! What is written for other programs, read by programs that we did not write: `./test` installs them where that goes
//! quietly; where one is not there, its test says that it was skipped.

use assert_cmd::Command;
use std::path::Path;

const LEVEL: &str = r#"
level "Yard" { rate 20; seed 3 }
tiles { '_' boards }
map """
______
"""
kind person { steered }
place keeper: person at (0, 0)
zone jetty = rect (2, 0) 2 x 1 for person
var n = 0
var is_late = false
message bell(pitch: number)
message alarm
message again
machine night {
  start calm
  wherever { to gone when hears alarm; to low when hears again }
  state calm {
    start low
    to stir when hears bell(p) if p > 1
    to gone after 2s
    state low { to high when hears bell(p) }
    state high { enter { log "high" } to previous when hears bell(p) }
  }
  state stir { to calm when hears bell(p); to stir when hears again }
  state gone { to one of { stir 2; calm 1 } when hears bell(p) }
}
rule "up" { when every 1s; then { n += 1; is_late = n > 2; tell "it is {n}, <late> & \"old\"" } }
"#;

fn mayfly(at: &Path, args: &[&str]) -> (i32, String) {
    let out = Command::cargo_bin("mayfly").expect("the binary").current_dir(at).args(args).output().expect("it runs");
    let text = String::from_utf8_lossy(if out.stdout.is_empty() { &out.stderr } else { &out.stdout }).to_string();
    (out.status.code().unwrap_or(-1), text)
}

/// What a reader says of a file; none where it is not there.
pub fn read(at: &Path, args: &[&str]) -> Option<Vec<String>> {
    let python = std::env::var("MAYFLY_READERS").unwrap_or_else(|_| "python3".to_string());
    let script = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/foreign/read.py");
    let out = match std::process::Command::new(python).current_dir(at).arg(script).args(args).output() {
        Ok(out) => out,
        Err(e) => {
            eprintln!("skipped: there is no Python to read with: {e}");
            return None;
        }
    };
    let said = String::from_utf8_lossy(&out.stderr).to_string();
    if out.status.code() == Some(3) {
        eprintln!("skipped: {said}");
        return None;
    }
    assert!(out.status.success(), "{args:?}: {said}");
    Some(String::from_utf8_lossy(&out.stdout).lines().map(str::to_string).collect())
}

fn folder() -> tempfile::TempDir {
    let dir = tempfile::tempdir().expect("a folder");
    std::fs::write(dir.path().join("t.may"), LEVEL).expect("the level is written");
    std::fs::copy(concat!(env!("CARGO_MANIFEST_DIR"), "/../../examples/weir-house.may"), dir.path().join("demo.may"))
        .expect("the demo");
    dir
}

/// The demo's drawings, with a text that must be in each.
const DRAWINGS: [(&[&str], &str); 9] = [
    (&["plan"], "jetty"),
    (&["plan", "cellar"], "cellar"),
    (&["plan", "--at", "200"], "keeper"),
    (&["machine", "sluice.gate", "--at", "40"], "jammed"),
    (&["machine", "heron#1.temper"], "fishing"),
    (&["cascade", "--at", "20"], "the cold"),
    (&["lanes", "--to", "300"], "the cold"),
    (&["links", "bell"], "bell"),
    (&["chart", "warmth", "flood.running", "sluice.gate", "--to", "300"], "warmth"),
];

#[test]
fn every_drawing_is_svg_with_its_texts_inside_and_a_pdf_that_can_be_searched() {
    let dir = folder();
    let at = dir.path();
    for (args, holds) in DRAWINGS {
        for theme in ["light", "dark"] {
            let mut all = vec!["draw", "demo.may"];
            all.extend(args);
            all.extend(["--theme", theme, "--force", "-o"]);
            let (status, said) = mayfly(at, &[&all[..], &["x.svg"]].concat());
            assert_eq!(status, 0, "{args:?}: {said}");
            if let Some(texts) = read(at, &["svg", "x.svg"]) {
                assert!(texts.iter().any(|t| t.contains(holds)), "{args:?} lacks {holds}: {texts:?}");
            }
        }
        let mut all = vec!["draw", "demo.may"];
        all.extend(args);
        let (status, said) = mayfly(at, &[&all[..], &["--force", "-o", "x.pdf"]].concat());
        assert_eq!(status, 0, "{args:?}: {said}");
        match std::process::Command::new("qpdf").current_dir(at).args(["--check", "x.pdf"]).output() {
            Ok(out) => assert!(out.status.success(), "{args:?}: {}", String::from_utf8_lossy(&out.stderr)),
            Err(_) => eprintln!("skipped: qpdf is not there"),
        }
        match std::process::Command::new("pdftotext").current_dir(at).args(["x.pdf", "-"]).output() {
            Ok(out) => assert!(String::from_utf8_lossy(&out.stdout).contains(holds), "{args:?} lacks {holds}"),
            Err(_) => eprintln!("skipped: pdftotext is not there"),
        }
    }
}

#[test]
fn a_dump_is_read_with_each_change_at_its_time() {
    let dir = folder();
    let at = dir.path();
    let (status, said) = mayfly(at, &["draw", "t.may", "wave", "--to", "80", "-o", "w.vcd"]);
    assert_eq!(status, 0, "{said}");
    let Some(n) = read(at, &["vcd", "w.vcd", "n"]) else { return };
    assert_eq!(n, ["0 0.0", "1000000 1.0", "2000000 2.0", "3000000 3.0", "4000000 4.0"]);
    assert_eq!(read(at, &["vcd", "w.vcd", "is_late"]).unwrap_or_default(), ["0 0", "3000000 1"]);
    assert_eq!(read(at, &["vcd", "w.vcd", "night"]).unwrap_or_default(), ["0 calm.low", "2000000 gone"]);
    // A rule's firing is a pulse of one tick.
    let fired = read(at, &["vcd", "w.vcd", "up"]).unwrap_or_default();
    assert_eq!(fired[..3], ["0 0", "1000000 1", "1050000 0"], "{fired:?}");
}

#[test]
fn a_machine_walks_through_its_states_in_another_program_as_in_ours() {
    let dir = folder();
    let at = dir.path();
    let walk = |file: &str, steps: &[(&str, &str)]| {
        let mut args = vec!["scxml", file];
        args.extend(steps.iter().skip(1).map(|(event, _)| *event));
        if let Some(states) = read(at, &args) {
            let wanted: Vec<&str> = steps.iter().map(|(_, state)| *state).collect();
            assert_eq!(states, wanted, "{file}");
        }
    };
    assert_eq!(mayfly(at, &["draw", "t.may", "machine", "night", "-o", "n.scxml"]).0, 0);
    walk(
        "n.scxml",
        &[
            ("", "calm calm.low"),
            ("bell", "calm calm.high"),
            // Back to the state before: SCXML cannot say which, and stays.
            ("bell", "calm calm.high"),
            ("again", "calm calm.low"),
            // Never from a state to itself.
            ("again", "calm calm.low"),
            ("bell", "calm calm.high"),
            ("after.40ticks", "gone"),
            ("alarm", "gone"),
            ("bell", "stir"),
            ("again", "stir"),
            ("nobody", "stir"),
            ("bell", "calm calm.low"),
            ("alarm", "gone"),
        ],
    );
    assert_eq!(mayfly(at, &["draw", "demo.may", "machine", "sluice.gate", "-o", "g.scxml"]).0, 0);
    let text = std::fs::read_to_string(at.join("g.scxml")).expect("written");
    let event = |to: &str, with: &str| -> String {
        let line = text.lines().find(|l| l.contains(&format!("target=\"{to}\"")) && l.contains(with));
        let line = line.unwrap_or_else(|| panic!("{to} {with}: {text}"));
        line.split('"').nth(1).expect("an event").to_string()
    };
    let (rise, jam, loose) = (event("rising", "press"), event("jammed", "press"), event("shut", "bell"));
    let fall = event("falling", "press");
    walk(
        "g.scxml",
        &[
            ("", "shut"),
            (&jam, "jammed"),
            // A second pull does nothing.
            (&rise, "jammed"),
            (&loose, "shut"),
            (&rise, "rising"),
            (&rise, "rising"),
            ("after.100ticks", "open"),
            (&fall, "falling"),
            ("after.100ticks", "shut"),
        ],
    );
}

#[test]
fn findings_and_maps_are_read_by_others() {
    let dir = folder();
    let at = dir.path();
    std::fs::write(at.join("bad.may"), "var n = 0\nvar m = 1\nrule \"a\" { when tick; then { m += n; k = 2 } }\n")
        .expect("written");
    let (status, sarif) = mayfly(at, &["vet", "bad.may", "--format", "sarif"]);
    assert_eq!(status, 2);
    std::fs::write(at.join("bad.sarif"), sarif).expect("written");
    if let Some(results) = read(at, &["sarif", "bad.sarif"]) {
        assert_eq!(results, ["unknown-name 3"]);
    }
    let (_, sarif) = mayfly(at, &["vet", "t.may", "--format", "sarif"]);
    std::fs::write(at.join("t.sarif"), sarif).expect("written");
    if let Some(results) = read(at, &["sarif", "t.sarif"]) {
        assert!(results.iter().any(|r| r.starts_with("never-sent")), "{results:?}");
    }
    assert_eq!(mayfly(at, &["draw", "t.may", "plan", "-o", "m.csv"]).0, 0);
    assert_eq!(read(at, &["csv", "m.csv"]).unwrap_or_else(|| vec!["1 6".into()]), ["1 6"]);
}
