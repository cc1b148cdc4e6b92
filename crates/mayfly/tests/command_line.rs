//! The command line: what is printed where, and which exit status says what.

use assert_cmd::Command;
use std::path::{Path, PathBuf};

fn mayfly() -> Command {
    Command::cargo_bin("mayfly").expect("the binary")
}

fn level(folder: &Path, text: &str) -> PathBuf {
    let path = folder.join("t.may");
    std::fs::write(&path, text).expect("the level is written");
    path
}

/// Runs it; gives exit status, standard output, standard error.
fn run(args: &[&str]) -> (i32, String, String) {
    let out = mayfly().args(args).output().expect("it runs");
    let text = |b: &[u8]| String::from_utf8_lossy(b).to_string();
    (out.status.code().unwrap_or(-1), text(&out.stdout), text(&out.stderr))
}

const DOOR: &str = "level \"Door\" { rate 10; seed 4 }\nvar n = 0\nkind person { steered; var oil = 3 }\nplace keeper: person at (2, 1)\nrule \"count\" { when tick; if n < 3; then { n += 0.5; log n } }\n";

#[test]
fn a_run_is_one_json_object_with_its_keys_in_order() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = level(dir.path(), DOOR);
    let (code, out, err) = run(&[
        "fly",
        path.to_str().expect("a path"),
        "--ticks",
        "3",
        "--input",
        "1: keeper east",
        "--input",
        "2: poke keeper.oil = 9",
    ]);
    assert_eq!((code, err.as_str()), (0, ""));
    assert_eq!(
        out.trim_end(),
        concat!(
            r#"{"level":"Door","seed":4,"rate":10,"ticks":3,"ended":null,"vars":{"n":1.5},"clocks":{},"timers":{},"#,
            r#""actors":{"keeper":{"kind":"person","x":2.8,"y":1,"facing":"east","visible":true,"enabled":true,"vars":{"oil":9},"machines":{}}},"#,
            r#""zones":{},"machines":{},"rules":{"count":{"fired":3,"held":0,"spent":0}},"transitions":{},"#,
            r#""log":[{"tick":0,"what":"log","text":"n = 0.5"},{"tick":1,"what":"log","text":"n = 1"},{"tick":2,"what":"log","text":"n = 1.5"}],"faults":[]}"#
        )
    );
}

#[test]
fn what_cannot_be_run_prints_nothing_and_says_why() {
    let dir = tempfile::tempdir().expect("a folder");
    let good = level(dir.path(), DOOR).to_str().expect("a path").to_string();
    let broken = dir.path().join("broken.may");
    std::fs::write(&broken, "var n = 1\nrule \"a\" { when start; then { m = 2; n = \"x\" } }\n").expect("written");
    let broken = broken.to_str().expect("a path");
    let binary = dir.path().join("binary.may");
    std::fs::write(&binary, [b'v', 0xff, 0xfe]).expect("written");
    for (args, said) in [
        (vec!["fly", broken], "`m` is not declared"),
        (vec!["fly", "nowhere.may"], "nowhere.may cannot be read"),
        (vec!["fly", binary.to_str().expect("a path")], "UTF-8"),
        (vec!["fly", "/"], "is no file"),
        (vec!["fly", &good, "--input", "keeper east"], "TICK: ACTOR INPUT"),
        (vec!["fly", &good, "--input", "1: nobody east"], "there is no actor `nobody`; `keeper` is steered"),
        (vec!["fly", &good, "--input", "1: keeper jump"], "there is no input `jump`"),
        (vec!["fly", &good, "--input", "1: poke keeper.oyl = 2"], "did you mean `oil`?"),
        (vec!["fly", &good, "--for", "soon"], "write a duration"),
        (vec!["fly", &good, "--frobnicate"], "unexpected argument"),
        (vec!["open", broken], "wrong-type"),
        (vec!["open", &good], "needs a terminal"),
    ] {
        let (code, out, err) = run(&args);
        assert_eq!((code, out.as_str()), (2, ""), "{args:?}\n{err}");
        assert!(err.contains(said), "{args:?} said\n{err}");
    }
}

#[test]
fn faults_still_print_with_status_1() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = level(dir.path(), "var n = 0\nrule \"a\" { when start; then { n = 1 / n } }\n");
    let (code, out, _) = run(&["fly", path.to_str().expect("a path"), "--ticks", "1"]);
    assert_eq!(code, 1);
    assert!(
        out.contains(r#""faults":[{"tick":0,"rule":"a","kind":"division_by_zero","text":"division by zero: 1 / 0"}]"#),
        "{out}"
    );
}

#[test]
fn vet_tells_every_problem_at_once_for_people_and_for_programs() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = level(
        dir.path(),
        "kind lamp { spede 3 }\nplace lampe at (1, 1)\nclock tide { minute }\nmessage bell\nrule \"\u{1b}[31m\" { when start; then { send bell } }\n",
    );
    let path = path.to_str().expect("a path");
    let (code, out, _) = run(&["vet", path]);
    assert_eq!(code, 2);
    for said in [
        "did you mean `speed`?",
        "did you mean `lamp`?",
        "how many of `minute` make the next unit is missing",
        "t.may:2:7",
        "never heard",
        "3 errors, 1 finding",
    ] {
        assert!(out.contains(said), "{said} is not in\n{out}");
    }
    assert!(!out.contains('\u{1b}'), "nothing of a level reaches the terminal raw");
    let (code, out, _) = run(&["vet", path, "--format", "json"]);
    let rows: serde_json::Value = serde_json::from_str(&out).expect("JSON");
    assert_eq!((code, rows.as_array().map_or(0, Vec::len)), (2, 4));
    assert_eq!((rows[1]["line"].as_u64(), rows[1]["column"].as_u64()), (Some(2), Some(7)));
}

#[test]
fn the_demo_is_sound_and_flies_the_same_every_time() {
    let demo = concat!(env!("CARGO_MANIFEST_DIR"), "/../../examples/weir-house.may");
    assert_eq!(run(&["vet", demo]).0, 0);
    let once = run(&["fly", demo, "--for", "40s", "--print", "hash"]);
    assert_eq!(once.0, 0);
    assert_eq!(once.1, run(&["fly", demo, "--for", "40s", "--print", "hash"]).1);
    assert_ne!(once.1, run(&["fly", demo, "--for", "41s", "--print", "hash"]).1);
}

#[test]
fn formatting_writes_what_differs_and_nothing_else() {
    let dir = tempfile::tempdir().expect("a folder");
    let loose = level(dir.path(), "var n=1\nrule \"a\" {\nwhen tick;then { n+=1;log n }\n}\n");
    let loose = loose.to_str().expect("a path");
    let broken = dir.path().join("broken.may");
    std::fs::write(&broken, "var n=\nrule \"a\" { when start; then { n = } }\n").expect("written");
    let broken = broken.to_str().expect("a path");
    let read = |p: &str| std::fs::read_to_string(p).expect("it is there");

    let before = read(loose);
    let (code, out, err) = run(&["format", "--check", loose]);
    assert_eq!((code, err.as_str()), (1, ""));
    assert!(out.contains("t.may: is not formatted, 2 lines from line 1 on"), "{out}");
    assert_eq!(read(loose), before, "--check writes nothing");

    // One that is broken is told with all its mistakes; the others are formatted all the same.
    let (code, out, err) = run(&["format", broken, loose, "gone.may"]);
    assert_eq!(code, 2);
    assert!(out.contains("t.may: formatted") && !out.contains("broken"), "{out}");
    assert!(
        err.contains("broken.may:1:7") && err.contains("broken.may:2:") && err.contains("gone.may cannot be read"),
        "{err}"
    );
    assert_eq!(read(loose), "var n = 1\nrule \"a\" {\n  when tick; then { n += 1; log n }\n}\n");
    assert_eq!(read(broken), "var n=\nrule \"a\" { when start; then { n = } }\n");
    let (code, out, err) = run(&["format", "--check", loose]);
    assert_eq!((code, out.as_str(), err.as_str()), (0, "", ""));
}
