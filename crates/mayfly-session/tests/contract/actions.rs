//! §6: what actions do, beyond walking and time.

use super::{codes, flown, says};

fn does(ground: &str, actions: &str, want: &str) {
    says(&format!("{ground}\nrule \"r\" {{ when start; then {{ {actions} }} }}"), &[], 12, want);
}

#[test]
fn assignments_of_every_sort() {
    does(
        "var x = 8",
        "x += 2; log x; x -= 4; log x; x *= 3; log x; x /= 9; log x; let n = x; n = n + 1; log n",
        "0 x = 10; 0 x = 6; 0 x = 18; 0 x = 2; 0 n = 3",
    );
    does("var d = 2s", "d += 500ms; log d; d -= 1s; d *= 2; log d", "0 d = 2.5s; 0 d = 3s");
    does("var p = (1, 2)", "p += (1, 0); log p; p -= (0, 2); log p", "0 p = (2, 2); 0 p = (2, 0)");
    does(
        "var s = [1, 2, 3]",
        "s.push(4); s[0] = 9; s[1] += 5; log s; s.clear(); log len(s)",
        "0 s = [9, 7, 3, 4]; 0 len(s) = 0",
    );
    does(
        r#"
enum fish { eel, roach }
var bag: tally of fish = {}
var seen: set of fish = {}
"#,
        "bag[eel] += 2; bag.add(roach); bag.remove(eel); log bag; log bag has eel; bag.remove(eel); log bag has eel; bag.remove(eel); log bag[eel]; seen.add(eel); seen.add(eel); log len(seen); seen.remove(eel); log seen has eel",
        "0 bag = {eel 1, roach 1}; 0 bag has eel = true; 0 bag has eel = false; 0 bag[eel] = 0; 0 len(seen) = 1; 0 seen has eel = false",
    );
}

#[test]
fn spawn_gives_a_numbered_actor_with_its_overrides_and_remove_takes_it() {
    does(
        "kind lamp { var n = 1; solid }\nplace lamp at (0, 0)",
        "spawn lamp at (3, 4) as c { n = 5; speed 9; facing east }; log \"{c} {c.n} {c.at} {c.speed} {c.facing} {c.solid}\"; remove c; log count(lamp); spawn lamp at (1, 1); log count(lamp); log all lamp",
        "0 lamp#2 5 (3, 4) 9 east true; 0 count(lamp) = 1; 0 count(lamp) = 2; 0 all lamp = [lamp#1, lamp#3]",
    );
}

#[test]
fn reset_brings_back_how_one_was_first_and_runs_first_enters() {
    does(
        r#"
tag wet
kind k { var n = 1; tags wet; machine m { start a
 state a { enter { log "a" } } state b { } }
 rule "own" { when start; then { wait 3 ticks; log "own wait" } } }
place x: k at (2, 2) facing west { n = 7 }
"#,
        "wait 1 ticks; x.n = 9; x.solid = true; untag x as wet; move x to (5, 5); face x north; go x.m to b; walk x to (9, 9); reset x; log \"{x.n} {x.solid} {x tagged wet} {x.at} {x.facing} {x.m} {halted x}\"",
        "0 a; 1 7 false true (2, 2) west a true; 1 a",
    );
}

#[test]
fn show_hide_enable_disable_of_actors_zones_and_rules() {
    does(
        r#"
kind k
place x: k at (0, 0)
zone z = rect (0, 0) 1 x 1
rule "other" { off; when tick; at most 1; then { log "other" } }
"#,
        "hide x; log x.visible; show x; log x.visible; disable x; log x.enabled; log count(k); enable x; disable z; log x in z; enable z; log x in z; enable rule \"other\"",
        "0 x.visible = false; 0 x.visible = true; 0 x.enabled = false; 0 count(k) = 0; 0 x in z = false; 0 x in z = true; 0 other",
    );
}

#[test]
fn loops_choices_and_ways_out() {
    does(
        "",
        "repeat 3 { log \"r\" }; for i in 2..4 { if i == 3 { continue }; log i }; let n = 0; while true { n += 1; if n > 2 { break } }; log n; for x in [5, 6] { if x == 6 { return }; log x }; log \"never\"",
        "0 r; 0 r; 0 r; 0 i = 2; 0 i = 4; 0 n = 3; 0 x = 5",
    );
    does(
        "enum d { a, b, c }\nvar x = d.b",
        "match x { a, c => { log \"ac\" } else => { log \"else\" } }; match x { a => { log \"a\" } b => { log \"b\" } }; match 3 + 1 { 4 => { log \"four\" } else => { } }; match \"q\" { \"q\" => { log \"text\" } }",
        "0 else; 0 b; 0 four; 0 text",
    );
    does("", "lot { 0 => { log \"no\" } 3 => { log \"yes\" } 0 => { log \"no\" } }", "0 yes");
    does(
        "kind k\nplace k at (0, 0), (1, 0), (2, 0)",
        "for l in all k where k.x > 0 { log l; remove l }; log count(k)",
        "0 l = k#2; 0 l = k#3; 0 count(k) = 1",
    );
}

#[test]
fn routines_have_parameters_locals_a_result_and_a_depth() {
    says(
        r#"
var n = 0
routine fact(k: number) -> number { if k < 2 { return 1 }; return k * fact(k - 1) }
routine twice(what: text) { log what; wait 1 ticks; log "{what} again" }
routine deep(k: number) { n = k; deep(k + 1) }
rule "r" { when start; then { log fact(5); twice("a"); log "after"; deep(1); log "never" } }
rule "s" { when after 3 ticks; then { log n } }
"#,
        &[],
        5,
        "0 fact(5) = 120; 0 what = a; 1 a again; 1 after; 1 ! recursion; 3 n = 64",
    );
    assert!(
        codes(
            r#"
routine r() -> number { wait 1s; return 1 }
rule "x" { when start; then { log r() } }
"#
        )
        .contains(&"routine-waits")
    );
}

#[test]
fn kept_values_and_keep_once() {
    let text = r#"
keep var best = 0
kind k { keep var n = 0 }
place a: k at (0, 0)
rule "o" { when start; keep once; then { log "once" } }
rule "s" { when start; then { best += 1; a.n += 2; save } }
"#;
    let f = flown(text, &[], 2);
    let saved = f.saved.expect("it was saved");
    let kept = saved.kept(&f.engine.program);
    let level = super::level(text);
    let again = mayfly_session::headless::fly(
        &level,
        &mayfly_session::headless::Order { kept, ..mayfly_session::headless::Order::ticks(2) },
    )
    .expect("it flies");
    assert_eq!(again.log.len(), 0, "keep once");
    let w = again.history.live();
    assert!(
        w.vars[0].same(&mayfly_base::Value::Number(2.0))
            && w.actors[0].fields[0].same(&mayfly_base::Value::Number(4.0))
    );
}

#[test]
fn texts_told_cued_and_logged_in_order() {
    let text = r#"
kind k
place a: k at (0, 0)
rule "s" { when start; then { tell "x {a}" to a; cue "c"; log a.x; log "{a.at}"; tell "y" from a } }
"#;
    let f = flown(text, &[], 1);
    let got: Vec<(&str, &str)> = f.log.iter().map(|l| (l.what, l.text.as_str())).collect();
    assert_eq!(got, [("tell", "x a"), ("cue", "c"), ("log", "a.x = 0"), ("log", "(0, 0)"), ("tell", "y")]);
}

#[test]
fn facing_and_sides() {
    does(
        r#"
kind k
place a: k at (0, 0) facing east
place b: k at (2, 1)
place c: k at (0, 0)
"#,
        "log a facing b; log b ahead of a; log b behind a; face a to b; log a.facing; face a north; log b right of a; log b left of a; face a south; log b left of a; log c ahead of a; move b to (2, 2); log b ahead of a; face a east; log b ahead of a; log b right of a; log direction_to(a, b); log opposite(a.facing); log ahead(a, 2)",
        "0 a facing b = true; 0 b ahead of a = true; 0 b behind a = false; 0 a.facing = east; 0 b right of a = true; 0 b left of a = false; 0 b left of a = true; 0 c ahead of a = false; 0 b ahead of a = true; 0 b ahead of a = true; 0 b right of a = false; 0 direction_to(a, b) = south; 0 opposite(a.facing) = west; 0 ahead(a, 2) = (2, 0)",
    );
}

#[test]
fn bounds_of_what_a_level_may_take() {
    does("kind k", "repeat 10001 { spawn k at (0, 0) }", "0 ! limit");
    does("var l = [1]", "while true { l.push(2) }", "0 ! runaway_loop");
    does("var t = \"x\"", "repeat 30 { t = \"{t}{t}\" }", "0 ! limit");
    does("", "let n = 0; while true { n += 1 }", "0 ! runaway_loop");
    does("var n = 0", "repeat 100 { for i in 1..9000 { n += 1 } }; log n", "0 ! runaway_loop");
    does("message m", "repeat 100001 { send m }", "0 ! limit");
    says(
        r#"
message m
rule "r" { when hears m; again beside; then { wait 99s } }
rule "s" { when start; then { repeat 10001 { send m } } }
"#,
        &[],
        2,
        "0 ! limit",
    );
}
