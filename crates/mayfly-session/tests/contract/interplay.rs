//! Where several sentences of the contract meet.

use super::{flown, says};

#[test]
fn what_runs_beside_ends_with_its_state_and_kept_events_too() {
    says(
        r#"
message hit(n: number)
message out
machine m {
 start a
 state a {
  enter { meanwhile { wait 4 ticks; log "beside" }; wait 2 ticks; log "main" }
  rule "later" { when hears hit(n); again later; then { log "hit {n}"; wait 2 ticks; log "done {n}" } }
  to b when hears out
 }
 state b { to a after 2 ticks }
}
rule "s" { when start; then { send hit(1); send hit(2); wait 3 ticks; send out; wait 6 ticks; send hit(3) } }
"#,
        &[],
        14,
        "0 hit 1; 2 main; 2 done 1; 2 hit 2; 7 main; 9 beside; 9 hit 3; 11 done 3",
    );
}

#[test]
fn prompts_and_boards_stand_while_their_test_is_true_and_end_with_their_state() {
    let text = r#"
message out
var n = 1
kind k
place a: k at (0, 0)
machine m { start x
 state x { enter { prompt "In x" on a; board "n is {n}" while n > 0 } to y when hears out }
 state y { }
}
rule "s" { when start; then { board "Always {n}"; wait 3 ticks; n = 0; wait 2 ticks; n = 5; wait 2 ticks; send out } }
"#;
    let signs = |ticks: u64| {
        let f = flown(text, &[], ticks);
        let w = f.history.live().clone();
        w.signs.len()
    };
    assert_eq!((signs(2), signs(9)), (3, 1), "those of the state ended with it");
}

#[test]
fn orders_of_a_state_end_for_whomever_they_were_given() {
    says(
        r#"
message out
kind dog { speed 20 }
place d: dog at (0, 0)
place e: dog at (0, 5)
machine m { start x
 state x { enter { walk d to (90, 0); walk e to (90, 5) } to y when hears out }
 state y { }
}
rule "s" { when start; then { wait 2 ticks; walk e to (80, 5); wait 1 ticks; send out; wait 3 ticks; log "{d.x} {halted d} {e.x} {halted e}" } }
"#,
        &[],
        8,
        // The newer order is no longer the state's.
        "6 3 true 6 false",
    );
}

#[test]
fn a_variable_that_holds_an_actor_reaches_its_machine_zone_and_kind() {
    says(
        r#"
kind sluice { var opening = 0; zone round = disc 2; machine gate { start shut
 state shut { to open if self.opening > 3 } state open { } } }
kind person
place one: sluice at (0, 0)
place two: sluice at (20, 0)
place p: person at (50, 0)
var which: sluice = one
rule "opens" { when which.gate enters open; then { log "{which} opens" } }
rule "in" { when person enters which.round; then { log "in {which}" } }
rule "s" { when start; then { two.opening = 5; wait 1 ticks; log which.gate is open; log two.gate is open; which = two; log which.gate; move p to (20, 1); wait 1 ticks; one.opening = 9; which = one; wait 1 ticks; move p to (0, 1) } }
"#,
        &[],
        6,
        "1 which.gate is open = false; 1 two.gate is open = true; 1 which.gate = open; 2 in two; 2 one opens; 4 in one",
    );
}

#[test]
fn whoever_is_away_keeps_what_its_waits_and_times_had_left() {
    says(
        r#"
kind lamp {
 var n = 0
 rule "wait" { when start; then { wait 6 ticks; log "waited" } }
 rule "until" { when start; then { wait until self.n > 0 for at most 8 ticks; log "until" } }
 rule "every" { when every 5 ticks; at most 2; then { log "every" } }
 machine m { start a
  state a { to b after 7 ticks } state b { enter { log "b" } } }
}
place l: lamp at (0, 0)
rule "s" { when after 4 ticks; then { disable l; wait 10 ticks; enable l } }
"#,
        &[],
        30,
        "15 every; 16 waited; 17 b; 18 until; 20 every",
    );
}

#[test]
fn an_if_in_a_cooldown_counts_for_each_and_survives_being_away() {
    says(
        r#"
kind lamp { rule "blink" { when hears blink; cooldown 4 ticks; then { log "{self}" } } }
message blink
place lamp at (0, 0), (1, 0)
rule "s" { when start; then { send blink to lamp#1; wait 2 ticks; send blink; wait 2 ticks; send blink } }
"#,
        &[],
        8,
        "0 lamp#1; 2 lamp#2; 4 lamp#1",
    );
}

#[test]
fn of_two_as_near_the_older_is_the_nearest_and_presses_bind_it() {
    says(
        r#"
input e = "e"
kind p { steered }
kind w
place k: p at (0, 0)
place w at (2, 0), (-2, 0), (0, 1.5)
rule "n" { when p presses e near w within 3; then { log "{w} {nearest(w to p where w.y == 0)}"; remove w } }
"#,
        &["1: k e", "3: k e", "5: k e", "7: k e"],
        9,
        "1 w#3 w#1; 3 w#1 w#1; 5 w#2 w#2",
    );
}

#[test]
fn clocks_pass_named_values_and_an_advance_raises_each_in_order() {
    says(
        r#"
clock tide { minute 60; hour 24; day 7 named mon tue wed thu fri sat sun; speed 1 minute per 1 ticks; starts day fri hour 22 }
rule "sat" { when tide passes day sat; then { log "sat {tide.day} {tide.hour}" } }
rule "six" { when tide passes hour 6; then { log "six" } }
rule "day" { when tide passes day; then { log "day" } }
rule "s" { when start; then { advance tide by 2 day; log tide.day; log tide.run(day); log tide.run(hour) } }
"#,
        &[],
        2,
        "0 tide.day = sun; 0 tide.run(day) = 2; 0 tide.run(hour) = 48; 0 sat sun 22; 0 day; 0 six; 0 day; 0 six",
    );
}

#[test]
fn a_spawned_actor_senses_and_is_sensed_from_the_next_tick_on() {
    says(
        r#"
kind crate { var n = 4; zone near_ = disc 2 }
kind person
place p: person at (0, 0)
zone pool = rect (0, 0) 3 x 1
rule "z" { when crate enters pool; then { log "in pool {crate}" } }
rule "t" { when crate touches person; then { log "touches {crate}" } }
rule "g" { when person enters crate.near_; then { log "near {crate}" } }
rule "n" { when crate.n == 4 turns true; then { log "four {crate}" } }
rule "sp" { when crate spawns; then { log "spawned {crate}" } }
rule "s" { when after 1 ticks; then { spawn crate at (0.5, 0) as c; log c in pool; wait 2 ticks; c.n = 5; c.n = 4; wait 1 ticks; c.n = 5; wait 1 ticks; c.n = 4 } }
"#,
        &[],
        9,
        "1 c in pool = true; 1 spawned crate#1; 1 four crate#1; 2 near crate#1; 2 touches crate#1; 2 in pool crate#1; 5 four crate#1",
    );
}

#[test]
fn what_one_rule_does_to_another_in_the_same_event_holds_at_once() {
    says(
        r#"
message go
rule "first" { when hears go; then { disable rule "second"; log "first" } }
rule "second" { when hears go; then { log "second" } }
rule "third" { off; when hears go; then { log "third" } }
rule "fourth" { when hears go; priority -1; then { enable rule "third"; log "fourth" } }
rule "s" { when start; then { send go; wait 1 ticks; send go } }
"#,
        &[],
        3,
        "0 first; 0 fourth; 1 first; 1 third; 1 fourth",
    );
}
