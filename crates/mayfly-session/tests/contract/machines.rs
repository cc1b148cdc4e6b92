//! §7: state machines.

use super::{codes, flown, says};

#[test]
fn a_transition_leaves_runs_then_sets_the_state_and_enters_unbroken() {
    says(
        r#"
message go
machine m {
 start a
 state a { leave { log "leave {m}"; } to b when hears go then { log "then {m}" } }
 state b { enter { log "enter {m}"; wait 1 ticks; log "later" } }
}
rule "e" { when m enters b; then { log "entered" } }
rule "l" { when m leaves a; then { log "left" } }
rule "s" { when start; then { send go } }
"#,
        &[],
        3,
        "0 leave a; 0 then a; 0 enter b; 0 left; 0 entered; 1 later",
    );
}

#[test]
fn leaving_ends_waits_loops_timed_transitions_ramps_and_orders() {
    let text = r#"
message out
var x = 0
kind k { }
place k1: k at (0, 0)
machine m {
 start a
 state a {
  enter { ramp x to 10 over 10 ticks; walk k1 to (9, 0); wait 5 ticks; log "not said" }
  to c after 8 ticks
  to b when hears out
 }
 state b { loop { log "turn"; wait 2 ticks } to c when hears out }
 state c { }
}
rule "s" { when start; then { wait 4 ticks; send out; wait 1 ticks; log "{x} {k1.x} {halted k1} {ramping x}"; wait 4 ticks; log m; send out; wait 4 ticks; log "{x} {k1.x} {m}" } }
"#;
    says(text, &[], 20, "4 turn; 5 4 0.8 true false; 6 turn; 8 turn; 9 m = b; 13 4 0.8 c");
}

#[test]
fn for_one_event_a_machine_takes_one_transition_of_the_state_in_which_it_was() {
    says(
        r#"
message go
machine m {
 start a
 state a { to b when hears go }
 state b { to c when hears go }
 state c { }
 wherever { to c when hears go }
}
rule "s" { when start; then { send go; wait 1 ticks; log m; send go; wait 1 ticks; log m } }
"#,
        &[],
        3,
        "1 m = b; 2 m = c",
    );
}

#[test]
fn wherever_comes_last_and_never_leads_from_a_state_to_itself() {
    says(
        r#"
message go
message alarm
machine m {
 start a
 state a { enter { log "a" } to b when hears alarm if false; to b when hears go }
 state b { enter { log "b" } }
 wherever { to a when hears alarm }
}
rule "s" { when start; then { send alarm; wait 1 ticks; send go; wait 1 ticks; send alarm } }
"#,
        &[],
        4,
        "0 a; 1 b; 2 a",
    );
}

#[test]
fn inner_states_are_asked_first_and_an_outer_transition_leaves_both() {
    let text = r#"
message in_
message out
machine m {
 start o
 state o {
  start i
  enter { log "+o" } leave { log "-o" }
  state i { enter { log "+i" } leave { log "-i" } to j when hears in_ }
  state j { enter { log "+j" } leave { log "-j" } to i when hears out if false; to z when hears in_ }
  to z when hears out
  to i when hears in_
 }
 state z { enter { log "+z" } to previous when hears out }
}
rule "s" { when start; then { log m is o; log m is i; send in_; wait 1 ticks; log m is o; log m is i; send out; wait 1 ticks; send out; wait 1 ticks; log "{m}"; send in_ } }
"#;
    says(
        text,
        &[],
        5,
        "0 +o; 0 +i; 0 m is o = true; 0 m is i = true; 0 -i; 0 +j; 1 m is o = true; 1 m is i = false; 1 -j; 1 -o; 1 +z; 2 +o; 2 +j; 3 o.j; 3 -j; 3 -o; 3 +z",
    );
}

#[test]
fn rules_of_a_state_are_awake_only_there_and_their_times_count_from_its_entry() {
    says(
        r#"
message go
machine m {
 start a
 state a { to b after 3 ticks; rule "in a" { when every 2 ticks; then { log "a{tick}" } } }
 state b { rule "in b" { when every 2 ticks; then { log "b{tick}" } }
 rule "bm" { when hears go; then { log "go" } } }
}
rule "s" { when start; then { send go; wait 4 ticks; send go } }
"#,
        &[],
        9,
        "2 a2; 4 go; 5 b5; 7 b7",
    );
}

#[test]
fn a_transition_with_no_event_is_taken_at_a_notice_one_for_each_machine_and_tested_again() {
    says(
        r#"
var x = 0
var y = 0
machine m {
 start a
 state a { to b if x == 1 }
 state b { to c if x == 1 }
 state c { }
}
rule "s" { when start; then { x = 1; log m; wait 1 ticks; log m } }
rule "e" { when m enters b; then { log "b" } }
"#,
        &[],
        3,
        "0 m = a; 0 b; 1 m = c",
    );
    // What was true at the notice and is not at its turn is not taken.
    says(
        r#"
var x = 0
machine m { start a
 state a { to b if x == 1 } state b { } }
rule "s" { when start; then { x = 1 } }
rule "w" { when x changes; priority 1; then { x = 2 } }
rule "t" { when after 2 ticks; then { log m } }
"#,
        &[],
        4,
        "2 m = b",
    );
}

#[test]
fn to_one_of_draws_among_those_whose_test_is_true_and_is_not_taken_with_none() {
    says(
        r#"
message go
var open = false
machine m {
 start a
 state a { to one of { b 1 if open; c 0 } when hears go }
 state b { enter { log "b" } }
 state c { enter { log "c" } }
}
rule "s" { when start; then { send go; wait 1 ticks; log m; open = true; send go } }
"#,
        &[],
        4,
        "1 m = a; 1 b",
    );
}

#[test]
fn after_a_go_of_ones_own_machine_nothing_more_of_the_run_is_run() {
    says(
        r#"
machine m {
 start a
 state a { enter { log "a"; go m to b; log "not said" } }
 state b { enter { log "b" } }
}
rule "s" { when start; then { go m to a; log "goes on {m}" } }
"#,
        &[],
        2,
        "0 a; 0 b; 0 a; 0 b; 0 goes on b",
    );
}

#[test]
fn a_loop_begins_when_enter_has_ended_and_must_wait() {
    says(
        r#"
machine m { start a
 state a { enter { wait 2 ticks; log "in" } loop { log "turn"; wait 1 ticks } to b after 5 ticks }
 state b { } }
"#,
        &[],
        9,
        "2 in; 2 turn; 3 turn; 4 turn",
    );
    says(
        r#"
var x = 1
machine m { start a
 state a { loop { if x == 0 { wait 1 ticks } } } }
"#,
        &[],
        2,
        "0 ! runaway_loop",
    );
    assert!(codes("machine m { start a\n state a { loop { log 1 } } }").contains(&"loop-no-wait"));
}

#[test]
fn a_fault_in_a_block_ends_that_block_and_the_transition_completes() {
    says(
        r#"
message go
var none_: number or none = none
machine m {
 start a
 state a { leave { log 1 / 0 } to b when hears go then { log 1 / 0 } }
 state b { enter { log "b" } }
}
rule "s" { when start; then { send go; wait 1 ticks; log m } }
"#,
        &[],
        3,
        "0 b; 0 ! division_by_zero; 0 ! division_by_zero; 1 m = b",
    );
}

#[test]
fn first_states_are_entered_before_start_and_raise_their_event() {
    says(
        r#"
machine m { start a
 state a { enter { log "enter" } } }
rule "s" { when start; then { log "start" } }
rule "e" { when m enters a; then { log "event" } }
"#,
        &[],
        2,
        "0 enter; 0 start; 0 event",
    );
}

#[test]
fn has_been_for_counts_from_the_entry_outer_states_included() {
    says(
        r#"
machine m { start o
 state o { start i
 state i { to j after 3 ticks } state j { } } }
rule "o" { when m has been o for 5 ticks turns true; then { log "o" } }
rule "i" { when m has been i for 3 ticks turns true; then { log "i" } }
rule "j" { when m has been j for 3 ticks turns true; then { log "j" } }
"#,
        &[],
        9,
        "3 i; 5 o; 6 j",
    );
}

#[test]
fn a_kinds_machine_is_each_actors_own_and_needs_what_it_names() {
    says(
        r#"
message pull(who: actor)
kind sluice { var winds = 0 }
machine gate for sluice {
 start shut
 state shut { to open when hears pull(w) if w == self then { self.winds += 1 } }
 state open { }
}
place sluice at (0, 0), (5, 0)
rule "s" { when start; then { send pull(sluice#2) } }
rule "e" { when sluice.gate enters open; then { log "{sluice} {sluice.winds} {sluice#1.gate} {sluice#2.gate}" } }
"#,
        &[],
        2,
        "0 sluice#2 1 shut open",
    );
    assert!(
        codes(
            r#"
kind k { var x = 1 }
place k at (0, 0)
machine m for k { needs silted: flag
 start a
 state a { to a when tick if self.silted } }
"#
        )
        .contains(&"unknown-name")
    );
}

#[test]
fn a_spawned_actors_machines_begin_and_a_removed_ones_end() {
    let text = r#"
kind k { machine m { start a
 state a { enter { log "{self} a" } to b after 2 ticks } state b { enter { log "{self} b" } } } }
rule "s" { when start; then { spawn k at (0, 0) as c; spawn k at (1, 0) as d; wait 1 ticks; remove d } }
"#;
    says(text, &[], 5, "0 k#1 a; 0 k#2 a; 2 k#1 b");
    assert_eq!(flown(text, &[], 5).history.live().machines.len(), 1);
}
