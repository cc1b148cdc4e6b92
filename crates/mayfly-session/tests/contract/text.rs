//! §1: how a text is read.

use super::{codes, says};

#[test]
fn a_line_goes_on_after_operators_and_before_and_or_else() {
    says(
        r#"
rule "r" {
  when start
  if 1 < 2
    and 2 <
      3
    or false
  then {
    let a =
      4
    let b = (1 +

 2
)
    let c = if a == 4
      then 1
      else 2
    log a + 
 b; log max(1,
 2)
    log c
    if a == 5 { log "no" }
    else { log "else" }
    match a {
      4 =>
 { log "four" }
 else => { }
 }
    let l = [1,
 2
 ]
    log len(l)
  }
}
"#,
        &[],
        1,
        "0 a + b = 7; 0 max(1, 2) = 2; 0 c = 1; 0 else; 0 four; 0 len(l) = 2",
    );
}

#[test]
fn a_line_with_an_assignment_sign_is_an_assignment_whatever_its_first_word() {
    says(
        r#"
var tell = 1
var wait = 2
var send = [1, 2]
var log = 0
rule "r" { when start; then { tell = 5; wait += 1; send[0] = 9; log = 3; log tell + wait + send[0] } }
rule "q" { when tell changes; then { tell "told" } }
"#,
        &[],
        1,
        "0 tell + wait + send[0] = 17; 0 told",
    );
}

#[test]
fn names_may_be_of_any_letters() {
    says(
        r#"
var größe = 2
var _x1 = 1
rule "ü" { when start; then { log größe + _x1 } }
"#,
        &[],
        1,
        "0 größe + _x1 = 3",
    );
}

#[test]
fn reserved_words_are_refused_where_they_are_declared() {
    for (text, word) in [("var self = 1", "self"), ("enum e { a, then }", "then"), ("kind k { var when = 1 }", "when")]
    {
        let c = mayfly_lang::check::check("t.may", text);
        let d = &c.diagnostics[0];
        assert_eq!(d.code, "reserved-word", "{text}");
        assert!(d.message.contains(&format!("`{word}` is a word of the language: ")), "{}", d.message);
        // A free name is proposed.
        let free = d.help.split('`').nth(1).expect("a name");
        assert!(codes(&text.replace(word, free)).iter().all(|c| *c != "reserved-word" && *c != "syntax"), "{}", d.help);
    }
}

#[test]
fn numbers_are_equal_within_a_billionth_and_so_is_every_notion_of_changed() {
    says(
        r#"
var x = 0
var y = 0
rule "r" { when tick; at most 10; then { x += 0.1 } }
rule "q" { when x reaches 1; then { log x == 1 } }
rule "c" { when y changes; then { log "changed" } }
rule "p" { when after 1 ticks; then { y = 0.0000000001; log y > 0; log y != 0; y = 0.00000001 } }
"#,
        &[],
        12,
        "1 y > 0 = false; 1 y != 0 = false; 1 changed; 9 x == 1 = true",
    );
}

#[test]
fn durations_are_exact_and_waits_are_rounded_up_to_whole_ticks_at_least_one() {
    says(
        "rule \"r\" { when start; then { wait 0s; log tick; wait 1ms; log tick; wait 51ms; log tick; wait 50.000001ms; log tick; \
         wait 4 ticks; log tick; wait 100ms + 2 ticks; log tick; log 4 ticks / 1 ticks; log 0.2 per 1s; log 12 per 4 ticks } }",
        &[],
        30,
        "1 tick = 1; 2 tick = 2; 4 tick = 4; 5 tick = 5; 9 tick = 9; 13 tick = 13; 13 4 ticks / 1 ticks = 4; 13 0.2 per 1s = 0.01; 13 12 per 4 ticks = 3",
    );
    says("rule \"r\" { when start; then { wait 1s - 2s; log \"no\" } }", &[], 3, "0 ! not_a_number");
}

#[test]
fn ticks_are_whole_at_any_rate() {
    for rate in [1, 3, 7, 60, 240] {
        says(
            &format!(
                r#"
level "T" {{ rate {rate} }}
rule "r" {{ when start; then {{ wait 7 ticks; log tick; wait 1s; log tick }} }}
rule "e" {{ when every 3 ticks; at most 2; then {{ log "e{{tick}}" }} }}
"#
            ),
            &[],
            300,
            &if rate == 1 {
                "3 e3; 6 e6; 7 tick = 7; 8 tick = 8".to_string()
            } else {
                format!("3 e3; 6 e6; 7 tick = 7; {0} tick = {0}", 7 + rate)
            },
        );
    }
}

#[test]
fn texts_hold_values_braces_quotes_and_escapes() {
    says(
        "var n = 1\nrule \"r\" { when start; then { log \"{n} {n / 3:1} {{x}} {if n == 1 then \"on\" else \"off\"} \\\"q\\\" \\u{41}\\\\\"; log \"{1 / 3}{\"{n}\"}\"; log \"{2:2}\" } }",
        &[],
        1,
        "0 1 0.3 {x} on \"q\" A\\; 0 0.3333331; 0 2.00",
    );
}

#[test]
fn points_and_cells() {
    says(
        r#"
level "T" { rate 20 }
tiles { 'a' sand; 'b' mud }
map """
ab
ba
"""
rule "r" { when start; then { log tile_at((0.49, 0)); log tile_at((0.5, 0)); log tile_at((-0.5, 0)); log tile_at((-0.51, 0)) exists; log (1, 2) + east * 2; log ((1, 2) - (3, 0)).x } }
"#,
        &[],
        1,
        "0 tile_at((0.49, 0)) = sand; 0 tile_at((0.5, 0)) = mud; 0 tile_at((-0.5, 0)) = sand; 0 tile_at((-0.51, 0)) exists = false; \
         0 (1, 2) + east * 2 = (3, 2); 0 ((1, 2) - (3, 0)).x = -2",
    );
}

#[test]
fn one_mistake_is_one_error() {
    for (text, want) in [
        ("rule \"r\" { when start; then { wait 1us } }", &["syntax"][..]),
        ("rule \"r\" { when start; then { log 3kg + 1 } }", &["syntax"]),
        (
            r#"
kind cart
place cart: cart at (0, 0)
rule "r" { when start; then { walk cart to (1, 1); log cart.x; halt cart } }
"#,
            &["name-taken"],
        ),
        (
            r#"
var x = 1
timer x = 3s
rule "r" { when start; then { x += 1; start x; log x.left } }
"#,
            &["name-taken"],
        ),
        ("rule \"r\" { when start; then { log y; y = 3; y += 1 } }", &["unknown-name"]),
        (
            r#"
var x: numbr = 1
rule "r" { when start; then { x += 1; log x } }
"#,
            &["unknown-name"],
        ),
        (
            r#"
kind lamp { var lit = flase }
place lamp at (0, 0)
rule "r" { when lamp.lit turns true; then { lamp.lit = false } }
"#,
            &["unknown-name"],
        ),
    ] {
        let errors: Vec<&str> = {
            let c = mayfly_lang::check::check("t.may", text);
            c.diagnostics
                .iter()
                .filter(|d| d.severity == mayfly_lang::diagnostic::Severity::Error)
                .map(|d| d.code)
                .collect()
        };
        assert_eq!(errors, want, "{text}");
    }
}
