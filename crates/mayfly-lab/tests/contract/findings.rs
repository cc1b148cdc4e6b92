//! Findings while reading: each mistake that the trade knows, and beside it what is no mistake.

use mayfly_lang::check;

fn found(text: &str) -> Vec<&'static str> {
    let c = check::check("t.may", text);
    assert!(c.level.is_some(), "{text}: {:?}", c.diagnostics);
    c.diagnostics.iter().map(|d| d.code).collect()
}

/// Raises this and nothing else; the second text, with one thing changed, raises nothing.
#[track_caller]
fn finds(code: &str, text: &str, from: &str, to: &str) {
    assert_eq!(found(text), [code], "{text}");
    assert!(text.contains(from), "{from} is not in {text}");
    let mended = text.replace(from, to);
    assert!(found(&mended).is_empty(), "{mended}: {:?}", found(&mended));
}

#[test]
fn a_threshold_that_is_stepped_over() {
    let text = r#"
var water = 0
rule "rise" { when every 1s; then { water += 3 } }
rule "high" { when water == 10 turns true; then { tell "High." } }
"#;
    finds("stepped-over", text, "water == 10 turns true", "water reaches 10");
    finds("stepped-over", text, "+= 3", "+= 5");
}

#[test]
fn messages_without_a_sender_or_a_hearer() {
    let text = r#"
message bell
rule "ring" { when start; then { send bell } }
rule "hear" { when hears bell; then { cue "bell" } }
"#;
    assert!(found(text).is_empty());
    assert_eq!(found(&text.replace("send bell", "cue \"x\"")), ["never-sent"]);
    assert_eq!(found(&text.replace("when hears bell", "when tick")), ["never-heard"]);
}

#[test]
fn variables_that_only_one_side_uses() {
    let text = r#"
var n = 0
rule "write" { when start; then { n = 1 } }
rule "read" { when start; then { log n } }
"#;
    assert!(found(text).is_empty());
    assert_eq!(found(&text.replace("log n", "log 1")), ["never-read"]);
    assert_eq!(found(&text.replace("n = 1", "log 1")), ["never-written"]);
    assert_eq!(found("var n = 0\nrule \"r\" { when start; then { log 1 } }"), ["never-used"]);
}

#[test]
fn two_rules_of_which_one_makes_the_other_true() {
    let text = r#"
var lit = false
kind person { steered }
place keeper: person at (0, 0)
input wind = "e"
rule "light" { when person presses wind; if not lit; then { lit = true } }
rule "out" { when person presses wind; if lit; then { lit = false } }
"#;
    assert_eq!(found(text), ["complementary"]);
    let grouped = text
        .replace("rule \"light\"", "first of \"wind\" {\nrule \"light\"")
        .replace("lit = false } }\n", "lit = false } }\n}\n");
    assert!(found(&grouped).is_empty(), "{:?}", found(&grouped));
}

#[test]
fn rules_that_can_never_fire() {
    for (text, from, to) in [
        (
            "kind person\nplace keeper: person at (0, 0)\ninput wind = \"e\"\nrule \"r\" { when person presses wind; then { log 1 } }",
            "kind person",
            "kind person { steered }",
        ),
        ("timer flood = 3s\nrule \"r\" { when flood ends; then { log 1 } }", "3s", "3s running"),
        (
            "kind person\nkind crate\nplace person at (0, 0)\nplace crate at (0, 0)\nzone z = rect (0, 0) 1 x 1 for person\nrule \"r\" { when crate enters z; then { log 1 } }",
            " for person",
            "",
        ),
        (
            "kind lamp\nrule \"r\" { when lamp spawns; then { log 1 } }",
            "log 1 } }",
            "log 1 } }\nrule \"s\" { when start; then { spawn lamp at (0, 0) } }",
        ),
        (
            "kind owl\nkind mouse\nplace owl at (0, 0)\nplace mouse at (1, 0)\nrule \"r\" { when owl sees mouse; then { log 1 } }",
            "kind owl",
            "kind owl { sight all reach 4 }",
        ),
        ("rule \"r\" { off; when start; then { log 1 } }", "off; ", ""),
    ] {
        finds("never-fires", text, from, to);
    }
}

#[test]
fn states_to_which_nothing_leads_and_loops_that_do_not_wait() {
    let text = r#"
message go
machine m {
 start a
 state a { to b when hears go }
 state b { to a after 1s }
}
rule "s" { when start; then { send go } }
"#;
    assert!(found(text).is_empty());
    assert_eq!(found(&text.replace("to b when", "to a when")), ["unreachable-state"]);
}

#[test]
fn what_may_be_none_and_durations_that_are_rounded() {
    finds(
        "unguarded",
        "kind k { var n = 1 }\nplace a: k at (0, 0)\nvar who: k or none = a\nrule \"r\" { when start; then { log who.n; who.n = 2; who = none } }",
        "log who.n; who.n = 2",
        "if who exists { log who.n; who.n = 2 }",
    );
    finds("rounded", "rule \"r\" { when every 70ms; then { log 1 } }", "70ms", "100ms");
    finds("rounded", "rule \"r\" { when start; then { wait 1ms; log 1 } }", "1ms", "50ms");
}
