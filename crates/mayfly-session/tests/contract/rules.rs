//! §3: rules, limiters, binding, groups.

use super::{GROUND, codes, says};

const SENDS: &str = r#"
message go(k: number)
rule "send" { when start; then { send go(1); wait 1 ticks; send go(2); wait 1 ticks; send go(3); wait 1 ticks; send go(4) } }
"#;

fn again(how: &str, want: &str) {
    let rule = format!(
        r#"
rule "r" {{ when hears go(k); {how}; then {{ log k; wait 3 ticks; log "end {{k}}" }} }}
"#
    );
    says(&format!("{SENDS}{rule}"), &[], 20, want);
}

#[test]
fn an_event_that_comes_while_a_run_waits_is_spent_starts_anew_later_or_beside() {
    again("again skip", "0 k = 1; 3 end 1; 3 k = 4; 6 end 4");
    again("again anew", "0 k = 1; 1 k = 2; 2 k = 3; 3 k = 4; 6 end 4");
    again("again later", "0 k = 1; 3 end 1; 3 k = 2; 6 end 2; 6 k = 3; 9 end 3; 9 k = 4; 12 end 4");
    again("again beside", "0 k = 1; 1 k = 2; 2 k = 3; 3 end 1; 3 k = 4; 4 end 2; 5 end 3; 6 end 4");
    again("if true", "0 k = 1; 3 end 1; 3 k = 4; 6 end 4");
}

#[test]
fn later_judges_kept_events_from_the_clauses_on_and_counts_each_once() {
    let rule = r#"
rule "r" { when hears go(k); again later; once per no; if k != 2 else { log "not {k}" }; then { log k; wait 3 ticks } }
"#
    .replace("once per no; ", "");
    let text = format!("{SENDS}{rule}");
    says(&text, &[], 20, "0 k = 1; 3 not 2; 3 k = 3; 6 k = 4");
    let f = super::flown(&text, &[], 20);
    let r = &f.history.live().rules[1];
    assert_eq!((r.fired, r.held, r.spent), (3, 1, 0));
}

#[test]
fn anew_ends_the_earlier_run_only_once_the_new_ones_clauses_are_true() {
    let rule = r#"
rule "r" { when hears go(k); again anew; if k == 1 or k == 4; then { log k; wait 3 ticks; log "end {k}" } }
"#;
    says(&format!("{SENDS}{rule}"), &[], 20, "0 k = 1; 3 end 1; 3 k = 4; 6 end 4");
}

#[test]
fn two_rules_that_keep_events_do_not_take_each_others() {
    let rule = |t: &str| {
        format!(
            r#"
rule "{t}" {{ when hears go(k); again later; then {{ log "{t}{{k}}"; wait 2 ticks }} }}
"#
        )
    };
    let text = r#"
message go(k: number)
rule "send" { when start; then { send go(1); send go(2); send go(3) } }
"#;
    says(&format!("{text}{}{}", rule("a"), rule("b")), &[], 12, "0 a1; 0 b1; 2 a2; 2 b2; 4 a3; 4 b3");
}

#[test]
fn an_else_starts_the_cooldown_and_is_a_run_for_again_but_uses_up_nothing() {
    says(
        "rule \"r\" { when tick; cooldown 3 ticks; if false else { log \"no\" } then { } }",
        &[],
        7,
        "0 no; 3 no; 6 no",
    );
    says("rule \"r\" { when tick; if false; then { } else { log \"a\"; wait 2 ticks } }", &[], 7, "0 a; 3 a; 6 a");
    says(
        "rule \"r\" { when tick; once; if tick > 1 else { log \"no\" } then { log \"yes\" } }",
        &[],
        5,
        "0 no; 1 no; 2 yes",
    );
}

#[test]
fn the_else_of_the_first_clause_that_fails_runs_and_belongs_to_every_clause_of_its_line() {
    let rule = |a: bool, b: bool, c: bool| {
        format!(
            "rule \"r\" {{ when start; if {a} and {b} else {{ log \"line\" }}; if {c}; then {{ log \"yes\" }} else {{ log \"rule\" }} }}"
        )
    };
    says(&rule(false, true, false), &[], 1, "0 line");
    says(&rule(true, false, true), &[], 1, "0 line");
    says(&rule(true, true, false), &[], 1, "0 rule");
    says(&rule(true, true, true), &[], 1, "0 yes");
}

#[test]
fn limiters_count_apart_for_each_name_and_for_each_self() {
    let ground = r#"
kind person { steered }
kind lamp { var n = 0; rule "own" { when hears hit; at most 1; then { log "{self}" } } }
message hit
place k: person at (0, 0)
place lamp at (3, 0), (6, 0)
"#;
    says(
        &format!(
            r#"
{ground}rule "r" {{ when lamp.n changes; once per lamp; then {{ log "r {{lamp}}" }} }}
rule "s" {{ when start; then {{ repeat 2 {{ lamp#1.n += 1; lamp#2.n += 1; send hit; wait 1 ticks }} }} }}
"#
        ),
        &[],
        5,
        "0 lamp#1; 0 lamp#2; 0 r lamp#1; 0 r lamp#2",
    );
}

#[test]
fn asleep_comes_before_spent_and_spent_before_held() {
    let text = r#"
var on = false
var yes = false
rule "r" { when tick; while on; at most 2; if yes; then { log tick } }
rule "s" { when tick; then { on = tick > 1; yes = tick > 3 } }
"#;
    says(text, &[], 9, "5 tick = 5; 6 tick = 6");
    let f = super::flown(text, &[], 9);
    let r = &f.history.live().rules[0];
    assert_eq!((r.fired, r.held, r.spent), (2, 2, 2), "asleep counts as nothing");
}

#[test]
fn a_disabled_rule_lets_its_waiting_runs_go_on() {
    says(
        r#"
rule "r" { when tick; then { log tick; wait 3 ticks; log "end" } }
rule "s" { when after 1 ticks; then { disable rule "r"; wait 5 ticks; enable rule "r" } }
"#,
        &[],
        9,
        "0 tick = 0; 3 end; 7 tick = 7",
    );
}

#[test]
fn priority_ranks_only_rules_that_await_the_same_event() {
    says(
        r#"
message a
message b
rule "1" { when hears a; then { log "a" } }
rule "2" { when hears a; priority 1; then { log "a first" } }
rule "3" { when hears b; priority 9; then { log "b" } }
rule "s" { when start; then { send a; send b } }
"#,
        &[],
        1,
        "0 a first; 0 a; 0 b",
    );
}

#[test]
fn of_a_group_at_most_one_fires_for_one_event() {
    let text = r#"
message a(n: number)
first of "g" {
 rule "1" { when hears a(n); if n == 1; then { log "one" } }
 rule "2" { when hears a(n); if n < 3; then { log "few" } }
 rule "3" { when hears a(n); then { log "many" } }
}
rule "s" { when start; then { send a(1); send a(2); send a(9) } }
"#;
    says(text, &[], 1, "0 one; 0 few; 0 many");
    let f = super::flown(text, &[], 1);
    let counts: Vec<_> = f.history.live().rules[..3].iter().map(|r| (r.fired, r.held, r.spent)).collect();
    assert_eq!(counts, [(1, 2, 0), (1, 1, 0), (1, 0, 0)], "who is passed over counts as nothing");
}

#[test]
fn a_group_in_a_kind_is_for_each_self() {
    says(
        r#"
message a
kind k {
 first of "g" { rule "1" { when hears a; if self.x < 1; then { log "1 {self}" } }
 rule "2" { when hears a; then { log "2 {self}" } } }
}
place k at (0, 0), (5, 0)
rule "s" { when start; then { send a } }
"#,
        &[],
        1,
        "0 1 k#1; 0 2 k#2",
    );
}

#[test]
fn a_kinds_name_stands_for_the_one_actor_that_the_event_is_about() {
    let ground = r#"
kind lamp { var lit = false }
place lamp at (0, 0), (0.5, 0), (9, 9)
"#;
    says(
        &format!("{ground}rule \"r\" {{ when lamp as a touches lamp as b; then {{ log \"{{a}} {{b}}\" }} }}"),
        &[],
        2,
        "0 lamp#1 lamp#2",
    );
    assert_eq!(codes(&format!("{ground}rule \"r\" {{ when lamp touches lamp; then {{ }} }}")), ["both-as"]);
    // Inside `count( )` the name is each candidate, and `as` speaks of the bound one.
    says(
        &format!(
            "{ground}rule \"r\" {{ when lamp as me touches lamp as you; then {{ log count(lamp where lamp.x > me.x) }} }}"
        ),
        &[],
        1,
        "0 count(lamp where lamp.x > me.x) = 2",
    );
}

#[test]
fn all_whens_bind_the_same_names_and_any_of_them_starts_it() {
    let ground = format!(
        r#"{GROUND}kind person {{ steered }}
kind post {{ solid }}
place k: person at (1, 1)
place post at (3, 1)
"#
    );
    says(
        &format!(
            "{ground}rule \"r\" {{ when person touches post; when person parts from post; then {{ log \"{{person}} {{post}} {{tick}}\" }} }}"
        ),
        &["0: k east", "6: k east", "9: k west"],
        20,
        "6 k post#1 6; 9 k post#1 9",
    );
    assert!(
        codes(&format!("{ground}rule \"r\" {{ when person touches post; when tick; then {{ }} }}"))
            .contains(&"other-names")
    );
}

#[test]
fn a_rule_is_evaluated_once_for_one_event() {
    says(
        r#"
var x = 0
rule "r" { when x changes; when x reaches 1; when x > 0 turns true; then { log x } }
rule "s" { when start; then { x = 1 } }
"#,
        &[],
        2,
        "0 x = 1; 0 x = 1",
    );
}

#[test]
fn two_rules_locals_never_meet_and_a_waiting_run_remembers_its_own() {
    says(
        r#"
message a(n: number)
rule "r" { when hears a(n); again beside; then { let m = n * 2; wait 2 ticks; m += 1; log m } }
rule "q" { when hears a(n); then { let m = 100; log m } }
rule "s" { when start; then { send a(1); send a(5) } }
"#,
        &[],
        4,
        "0 m = 100; 0 m = 100; 2 m = 3; 2 m = 11",
    );
}
