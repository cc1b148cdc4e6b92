//! §1 and §2: several files joined by `use`, and what is private to one.

use mayfly_lang::check::{self, Checked};
use mayfly_session::headless::{self, Order};
use std::collections::BTreeMap;

/// Checks a level of several files, the first of them its own.
fn joined(files: &[(&str, &str)]) -> Checked {
    let all: BTreeMap<String, String> = files[1..].iter().map(|(n, t)| (n.to_string(), t.to_string())).collect();
    check::check_with(files[0].0, files[0].1, &mut |path| {
        all.get(path).cloned().ok_or(mayfly_lang::check::LoadError::Missing)
    })
}

fn told(files: &[(&str, &str)]) -> Vec<String> {
    let c = joined(files);
    let level = c.level.unwrap_or_else(|| panic!("{:?}", c.diagnostics));
    let f = headless::fly(&level, &Order::ticks(3)).expect("it flies");
    f.log.into_iter().map(|l| l.text).collect()
}

/// Code, file and line of each diagnostic.
fn wrong(files: &[(&str, &str)]) -> Vec<(&'static str, String, usize)> {
    let c = joined(files);
    let place = |d: &mayfly_lang::diagnostic::Diagnostic| c.sources[d.span.file as usize].name.clone();
    c.diagnostics.iter().map(|d| (d.code, place(d), d.place(&c.sources).0)).collect()
}

const WHEELS: &str = r#"
kind wheel { var turns = 3 }
private const most = 9
var shared = most + 1
rule "in wheels" { when shared changes; then { log "shared {shared} of {most}" } }
"#;

#[test]
fn declarations_of_a_used_file_stand_before_and_are_read_once() {
    let main = r#"
use "wheels.may"
use "sub/more.may"
place w: wheel at (0, 0)
rule "in main" { when shared changes; then { log "main {deep}" } }
rule "s" { when start; then { log w.turns; shared = 4 } }
"#;
    let more =
        "use \"../wheels.may\"\nconst deep = 7\nrule \"in more\" { when shared changes; then { log \"more\" } }\n";
    assert_eq!(
        told(&[("main.may", main), ("wheels.may", WHEELS), ("sub/more.may", more)]),
        ["w.turns = 3", "shared 4 of 9", "more", "main 7"]
    );
}

#[test]
fn what_is_private_is_an_error_elsewhere_that_shows_its_words() {
    let main = "use \"wheels.may\"\nrule \"s\" { when start; then { log most; shared = 1 } }\n";
    let wheels = WHEELS.replace("private", "/// Only wheels have so many.\nprivate");
    let c = joined(&[("main.may", main), ("wheels.may", &wheels)]);
    let d = &c.diagnostics[0];
    assert_eq!((d.code, d.place(&c.sources)), ("private", (2, 35)));
    assert!(d.print(&c.sources, false).contains("Only wheels have so many."));
    assert!(!d.also.is_empty(), "it shows where it is declared");
}

#[test]
fn files_that_cannot_be_used_are_said_to_be_so_at_their_place() {
    assert_eq!(wrong(&[("main.may", "var x = 1\nuse \"none.may\"\n")])[0], ("no-file", "main.may".into(), 2));
    assert_eq!(wrong(&[("main.may", "use \"../x.may\"\n")])[0].0, "use-outside");
    assert_eq!(wrong(&[("main.may", "use \"/etc/x.may\"\n")])[0].0, "use-outside");
    let circle =
        wrong(&[("main.may", "use \"a.may\"\n"), ("a.may", "use \"b.may\"\n"), ("b.may", "\nuse \"a.may\"\n")]);
    assert_eq!(circle[0].1, "b.may", "{circle:?}");
    // A mistake in a used file stands in that file, alone.
    assert_eq!(
        wrong(&[("main.may", "use \"a.may\"\nrule \"s\" { when start; then { log v } }\n"), ("a.may", "\nvar v = \n")]),
        [("syntax", "a.may".to_string(), 2)]
    );
}

#[test]
fn a_name_taken_in_two_files_shows_both() {
    let c = joined(&[("main.may", "use \"a.may\"\nvar x = 1\n"), ("a.may", "\n\ntimer x = 3s\n")]);
    let d = c.diagnostics.iter().find(|d| d.code == "name-taken").expect("it is taken");
    assert_eq!(
        (c.sources[d.span.file as usize].name.as_str(), c.sources[d.also[0].0.file as usize].name.as_str()),
        ("main.may", "a.may")
    );
    let shown = d.print(&c.sources, false);
    assert!(shown.contains("main.may:2:5") && shown.contains("a.may:3:7"), "{shown}");
}

#[test]
fn private_names_of_several_files_all_stand_in_the_report() {
    let main = "use \"a.may\"\nuse \"b.may\"\nprivate var heat = 3\nrule \"m\" { when start; then { heat += 1 } }\n";
    let other = |n: u32| {
        format!(
            "private var heat = {n}\nprivate timer t = {n}s running\nprivate define hot = heat > 15\nrule \"r{n}\" {{ when start; if hot; then {{ heat += 1 }} }}\n"
        )
    };
    let c = joined(&[("main.may", main), ("a.may", &other(10)), ("b.may", &other(20))]);
    let level = c.level.unwrap_or_else(|| panic!("{:?}", c.diagnostics));
    let f = headless::fly(&level, &Order::ticks(2)).expect("it flies");
    let report = mayfly_session::report::report(&level, &f.facts());
    let vars: Vec<String> =
        report["vars"].as_object().expect("an object").iter().map(|(n, v)| format!("{n}={v}")).collect();
    assert_eq!(vars, ["heat=10", "hot=false", "heat #2=21", "hot #2=true", "heat #3=4"]);
    let timers: Vec<&String> = report["timers"].as_object().expect("an object").keys().collect();
    assert_eq!(timers, ["t", "t #2"]);
}

#[test]
fn what_is_noticed_comes_in_the_order_of_the_files_wherever_it_stands_in_each() {
    // The used file's declarations stand before, though they begin farther down in their own file.
    let space = "\n".repeat(900);
    let more = format!(
        "{space}rule \"w\" {{ when n turns true; then {{ log \"used\" }} }}\n\
         rule \"u\" {{ when start; then {{ wait until n; log \"used waits\" }} }}\n\
         machine one {{ start a; state a {{ to b if n then {{ log \"used goes\" }} }} state b {{ }} }}\n"
    );
    let main = "use \"more.may\"\nvar n = false\nvar m = false\nrule \"s\" { when after 1 tick; then { n = true; m = true } }\n\
                rule \"o\" { when m turns true; then { log \"own\" } }\n\
                rule \"ow\" { when start; then { wait until m; log \"own waits\" } }\n\
                machine two { start a; state a { to b if m then { log \"own goes\" } } state b { } }\n";
    assert_eq!(
        told(&[("main.may", main), ("more.may", &more)]),
        ["used", "used waits", "used goes", "own", "own waits", "own goes"]
    );
}
