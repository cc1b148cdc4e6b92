//! §4: the events that are not of sensing or time, and whom they bind.

use super::{codes, says};

#[test]
fn presses_near_facing_and_in_a_zone() {
    let text = r#"
level "T" { rate 20 }
kind p { steered }
kind w { solid }
input e = "e"
place k: p at (0, 0) facing east
place w at (2, 0), (0, 2), (-5, 0)
zone z = rect (-1, -1) 2 x 2
rule "n" { when p presses e near w within 3; then { log "near {w}" } }
rule "f" { when p presses e facing w; then { log "facing {w}" } }
rule "z" { when p presses e in z; then { log "zone" } }
rule "nf" { when p presses e near w within 3 facing w; then { log "both {w}" } }
rule "far" { when p presses e near w within 1; then { log "no" } }
"#;
    says(text, &["1: k e"], 3, "1 near w#1; 1 facing w#1; 1 zone; 1 both w#1");
    says(&text.replace("facing east", "facing south"), &["1: k e"], 3, "1 near w#1; 1 facing w#2; 1 zone; 1 both w#2");
}

#[test]
fn with_near_self_a_press_reaches_the_nearest_that_fits_clauses_are_asked_of_it_alone() {
    says(
        r#"
input e = "e"
kind p { steered }
kind w { var full = false
 rule "r" { when p presses e near self within 3; if not self.full; then { log "{self}" } }
 machine m { start a
 state a { to b when p presses e near self within 3 } state b { enter { log "{self} b" } } } }
place k: p at (0, 0)
place w at (1, 0) { full = true }
place w at (2, 0)
"#,
        &["1: k e"],
        3,
        "1 w#1 b",
    );
}

#[test]
fn messages_to_one_to_all_of_a_tag_and_to_nobody() {
    let text = r#"
tag red
message hi(n: number)
kind a { rule "own" { when hears hi(n); then { log "{self} {n}" } } }
kind b like a { tags red }
place a at (0, 0)
place b at (0, 0), (0, 1)
rule "l" { when hears hi(n); if n > 0; then { log "level {n}" } }
"#;
    let sends = |s: &str| format!("{text}rule \"s\" {{ when start; then {{ {s} }} }}");
    says(&sends("send hi(1)"), &[], 1, "0 a#1 1; 0 b#1 1; 0 b#2 1; 0 level 1");
    says(&sends("send hi(2) to all red"), &[], 1, "0 b#1 2; 0 b#2 2");
    says(&sends("send hi(3) to b#2"), &[], 1, "0 b#2 3");
    says(&sends("send hi(4) to all a where a.y == 0"), &[], 1, "0 a#1 4; 0 b#1 4");
}

#[test]
fn an_expression_that_names_one_kind_is_watched_for_each_and_binds_it() {
    let text = r#"
kind lamp { var lit = false; var n = 0 }
place lamp at (0, 0), (1, 0)
rule "r" { when lamp.lit turns true; then { log "{lamp}" } }
rule "n" { when lamp.n * 2 reaches 4; then { log "n {lamp}" } }
"#;
    says(
        &format!(
            "{text}rule \"s\" {{ when start; then {{ lamp#2.lit = true; lamp#1.n = 2; wait 1 ticks; spawn lamp at (2, 0) as c {{ lit = true; n = 9 }} }} }}"
        ),
        &[],
        3,
        "0 lamp#2; 0 n lamp#1; 1 lamp#3",
    );
    assert!(
        codes(
            r#"
kind a { var v = 1 }
kind b { var v = 1 }
rule "r" { when a.v == b.v turns true; then { } }
"#
        )
        .contains(&"two-kinds")
    );
}

#[test]
fn one_rule_serves_whatever_a_variable_names_when_the_event_is_considered() {
    says(
        r#"
kind k
kind p
place a: k at (0, 0)
place b: p at (5, 0)
zone z = rect (1, 0) 1 x 1
zone y = rect (6, 0) 1 x 1
var who: actor = a
var where_: zone = z
message m1
message m2
var m: message = m1
timer t1 = 2 ticks
timer t2 = 3 ticks
var t: timer = t2
rule "w" { when who enters where_; then { log "in" } }
rule "h" { when hears m; then { log "heard" } }
rule "t" { when t ends; then { log "ends" } }
rule "s" { when start; then { move a to (1, 0); wait 1 ticks; who = b; move a to (0, 0); move b to (6, 0); wait 1 ticks; where_ = y; move b to (5, 0); wait 1 ticks; move b to (6, 0); send m1; send m2; m = m2; start t1; start t } }
"#,
        &[],
        9,
        "1 in; 3 heard; 4 in; 6 ends",
    );
}

#[test]
fn machine_events_and_a_level_machine() {
    says(
        r#"
message go
kind k { machine g { start a
 state a { to b when hears go } state b { } } }
machine night { start early
 state early { to late when hears go } state late { } }
place k at (0, 0), (1, 0)
rule "e" { when k.g enters b; then { log "{k} b" } }
rule "l" { when k.g leaves a; then { log "{k} left" } }
rule "n" { when night enters late; then { log "late" } }
rule "o" { when k#2.g enters b; then { log "two" } }
rule "s" { when start; then { send go } }
"#,
        &[],
        1,
        "0 k#1 left; 0 k#1 b; 0 k#2 left; 0 k#2 b; 0 two; 0 late",
    );
}

#[test]
fn spawns_removals_and_their_kinds() {
    says(
        r#"
kind a
kind b like a
rule "s" { when a spawns; then { log "spawns {a}" } }
rule "r" { when b is removed; then { log "removed {b}" } }
rule "g" { when start; then { spawn a at (0, 0) as x; spawn b at (0, 0) as y; wait 1 ticks; remove x; remove y } }
"#,
        &[],
        2,
        "0 spawns a#1; 0 spawns b#1; 1 removed b#1",
    );
}

#[test]
fn an_event_is_told_from_an_expression_whatever_names_stand_behind_it() {
    says(
        r#"
message go
kind k { var turns = 4; var changes = 1
 machine m { start a
 state a { to b when hears go if self.turns >= 4 and self.changes == 1 } state b { enter { log "b" } to a when (if self.turns > 4 then 1 else 0) reaches 1 if self.changes > 0 } } }
place x: k at (0, 0)
rule "t" { when k.turns changes; then { log k.turns } }
rule "u" { when x.turns > 4 turns true; then { log "more" } }
rule "s" { when start; then { send go; wait 1 ticks; x.turns = 9; wait 1 ticks; log x.m } }
"#,
        &[],
        4,
        "0 b; 1 k.turns = 9; 1 more; 2 x.m = a",
    );
}

#[test]
fn what_an_event_speaks_of_may_be_called_as_an_event_is() {
    says(
        r#"
kind person { steered; var oil = 3 }
input changes = "c"
input reaches = "v"
place keeper: person at (1, 1)
zone turns = rect (0, 0) 2 x 2
machine m { start drops; state drops { to changes after 1s } state changes { } }
machine k { start one; state one { to reaches after 1s } state reaches { } }
var enters = 0
rule "a" { when m enters changes; then { log "changes" } }
rule "b" { when k enters reaches; then { log "reaches" } }
rule "c" { when keeper presses changes; then { enters += 1 } }
rule "d" { when keeper presses reaches in turns; then { log "pressed" } }
rule "e" { when keeper in turns turns true; then { log "in" } }
rule "f" { when enters changes; then { log "f {enters}" } }
rule "g" { when enters reaches 2; then { log "two" } }
rule "h" { when keeper enters turns; then { log "turns" } }
rule "i" { when keeper.oil - enters drops to 1; then { log "one" } }
"#,
        &["3: keeper changes", "5: keeper changes", "7: keeper reaches"],
        30,
        "0 turns; 0 in; 3 f 1; 5 f 2; 5 two; 5 one; 7 pressed; 20 changes; 20 reaches",
    );
}
