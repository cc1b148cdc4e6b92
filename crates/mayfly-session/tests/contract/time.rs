//! Timers, clocks, ramps and waits.

use super::says;

#[test]
fn timers_run_pause_resume_and_repeat() {
    says(
        r#"
timer a = 5 ticks
timer b = 3 ticks repeating running
rule "a" { when a ends; then { log "a" } }
rule "b" { when b ends; at most 3; then { log "b {b.left} {b.running}" } }
rule "s" { when start; then { log a.left; start a; wait 2 ticks; start a; wait 1 ticks; pause a; log "{a.left} {a.running}"; wait 4 ticks; resume a; wait 2 ticks; stop a; log a.left; resume a } }
rule "t" { when after 20 ticks; then { start a for 2 ticks; wait 4 ticks; start a } }
"#,
        &[],
        32,
        "0 a.left = 0s; 3 b 0.15s true; 3 0.2s false; 6 b 0.15s true; 9 b 0.15s true; 9 a.left = 0s; 22 a; 29 a",
    );
    // `for` is for this start only, also of a timer that repeats.
    says(
        r#"
timer b = 3 ticks repeating
rule "b" { when b ends; then { log "b" } }
rule "s" { when start; then { start b for 5 ticks } }
"#,
        &[],
        12,
        "5 b; 8 b; 11 b",
    );
}

#[test]
fn what_ends_in_one_tick_ends_in_the_order_in_which_it_was_begun() {
    says(
        r#"
timer a = 3 ticks
message m
rule "a" { when a ends; then { log "timer" } }
rule "m" { when hears m; then { log "mail" } }
rule "e" { when every 3 ticks; at most 1; then { log "every" } }
rule "w1" { when start; then { wait 3 ticks; log "first" } }
rule "s" { when start; then { start a; send m after 3 ticks; wait 3 ticks; log "second" } }
"#,
        &[],
        5,
        "3 every; 3 first; 3 timer; 3 mail; 3 second",
    );
}

#[test]
fn clocks_carry_and_raise_every_boundary_also_in_an_advance() {
    let clock = "clock tide { minute 60; hour 24; day 7 named mon tue wed thu fri sat sun; speed 1 minute per 2 ticks; starts day sun hour 22 minute 58 }\n";
    says(
        &format!(
            r#"
{clock}rule "h" {{ when tide passes hour; then {{ log "{{tide.day}} {{tide.hour}}:{{tide.minute}}" }} }}
rule "d" {{ when tide passes day; then {{ log "day {{tide.day}}" }} }}
rule "n" {{ when tide passes hour 2; then {{ log "two" }} }}
rule "s" {{ when after 5 ticks; then {{ advance tide by 3 hour 5 minute; log tide.run(hour); log tide.run(minute) }} }}
"#
        ),
        &[],
        7,
        "4 sun 23:0; 5 tide.run(hour) = 3; 5 tide.run(minute) = 187; 5 mon 2:5; 5 day mon; 5 mon 2:5; 5 mon 2:5; 5 two",
    );
}

#[test]
fn set_puts_smaller_units_to_nothing_keeps_larger_ones_and_raises_no_passes() {
    says(
        r#"
clock tide { minute 60; hour 24; day 7 named mon tue wed thu fri sat sun; speed 1 minute per 2 ticks; starts day wed hour 3 minute 30 }
rule "p" { when tide passes hour; then { log "passes" } }
rule "c" { when tide.hour changes; then { log "changes" } }
rule "s" { when after 1 ticks; then { set tide to hour 9; log "{tide.day} {tide.hour}:{tide.minute}"; log tide.run(hour); set tide to day fri; log "{tide.day} {tide.hour}:{tide.minute}" } }
"#,
        &[],
        2,
        "1 wed 9:0; 1 tide.run(hour) = 0; 1 fri 0:0; 1 changes",
    );
}

#[test]
fn a_clock_can_be_paused_resumed_and_sped() {
    says(
        r#"
clock c { s 60; speed 1 s per 2 ticks }
rule "s" { when start; then { wait 4 ticks; log c.s; pause c; wait 4 ticks; log c.s; resume c; c.speed = 4; wait 4 ticks; log c.s; log c.speed } }
"#,
        &[],
        14,
        "4 c.s = 2; 8 c.s = 2; 12 c.s = 10; 12 c.speed = 4",
    );
    says(
        r#"
clock c { s 60; speed 1 s per 1 ticks }
rule "p" { when c passes s; then { } }
rule "s" { when start; then { advance c by 100001 s } }
"#,
        &[],
        1,
        "0 ! limit",
    );
    says(
        r#"
clock c { s 60; speed 1 s per 1 ticks }
rule "s" { when start; then { advance c by 100001 s; log c.s } }
"#,
        &[],
        1,
        "0 c.s = 41",
    );
}

#[test]
fn a_ramp_of_n_ticks_writes_in_the_n_ticks_that_follow_and_ends_exactly() {
    says(
        r#"
var x = 0
rule "s" { when start; then { ramp x to 1 over 3 ticks; wait 3 ticks; log "waits as long {x}" } }
rule "w" { when start; then { ramp x to 1 over 3 ticks and wait; log "waits for it {x}" } }
rule "c" { when x changes; then { log x } }
"#,
        &[],
        5,
        "1 x = 0.333333; 2 x = 0.666667; 3 waits as long 1; 3 waits for it 1; 3 x = 1",
    );
    says(
        r#"
var x = 0
var y = 100
rule "s" { when start; then { ramp x to 8 over 4 ticks smooth; ramp y to 0 at 30 per 1 ticks } }
rule "t" { when tick; at most 6; then { log "{x} {y:2}" } }
"#,
        &[],
        6,
        "0 0 100.00; 1 1.25 75.00; 2 4 50.00; 3 6.75 25.00; 4 8 0.00; 5 8 0.00",
    );
}

#[test]
fn a_newer_ramp_or_any_other_write_ends_a_ramp() {
    says(
        r#"
var x = 0
rule "s" { when start; then { ramp x to 10 over 10 ticks and wait; log "{tick} {x}" } }
rule "t" { when after 3 ticks; then { log ramping x; x = 1; log ramping x; wait 2 ticks; log x } }
"#,
        &[],
        14,
        "3 ramping x = true; 3 ramping x = false; 3 3 1; 5 x = 1",
    );
    says(
        r#"
var x = 0
rule "s" { when start; then { ramp x to 10 over 10 ticks; wait 5 ticks; ramp x to 0 over 5 ticks; wait 5 ticks; log x; log ramping x } }
"#,
        &[],
        14,
        "10 x = 0; 10 ramping x = false",
    );
}

#[test]
fn a_bound_stops_a_write() {
    says(
        r#"
var x = 5 within 0 to 10
rule "s" { when start; then { x = 12; log x; x -= 30; log x; ramp x to 20 over 4 ticks and wait; log x } }
rule "r" { when x reaches 10; then { log "reached" } }
"#,
        &[],
        6,
        "0 x = 10; 0 x = 0; 2 reached; 4 x = 10",
    );
}

#[test]
fn waits_for_a_test_an_event_and_so_long() {
    says(
        r#"
var x = 0
message m(n: number)
rule "a" { when start; then { wait until x > 2; log "a{x}"; wait until x > 100 for at most 2 ticks; log "b{tick}" } }
rule "b" { when start; then { wait for hears m(n); log "m{n}"; wait for hears m(k) for at most 3 ticks; log "c{tick}" } }
rule "t" { when tick; then { x += 1 } }
rule "s" { when after 2 ticks; then { send m(7) } }
"#,
        &[],
        9,
        "2 m7; 2 a3; 4 b4; 5 c5",
    );
}

#[test]
fn a_wait_until_is_tested_again_at_its_turn() {
    says(
        r#"
var x = 0
rule "b" { when x changes; then { x = 0 } }
rule "a" { when start; then { wait until x == 1; log "never" } }
rule "s" { when after 1 ticks; then { x = 1 } }
rule "t" { when after 3 ticks; then { log x } }
"#,
        &[],
        5,
        "3 x = 0",
    );
}

#[test]
fn meanwhile_runs_at_once_to_its_first_wait_with_a_copy_of_the_locals() {
    says(
        "rule \"s\" { when start; then { let n = 1; meanwhile { n += 10; log \"in {n}\"; wait 2 ticks; log \"in again {n}\" }; n += 1; log \"out {n}\"; wait 3 ticks; log \"out again {n}\" } }",
        &[],
        5,
        "0 in 11; 0 out 2; 2 in again 11; 3 out again 2",
    );
}

#[test]
fn every_and_after_with_from() {
    says(
        r#"
rule "a" { when every 4 ticks from 2 ticks; at most 2; then { log "a" } }
rule "b" { when every 4 ticks; at most 2; then { log "b" } }
rule "c" { when after 0s; then { log "c" } }
rule "t" { when tick; at most 1; then { log "t" } }
"#,
        &[],
        12,
        "0 t; 1 c; 2 a; 4 b; 6 a; 8 b",
    );
}

#[test]
fn values_of_a_message_are_taken_when_it_is_sent() {
    says(
        r#"
var x = 1
message m(n: number)
rule "m" { when hears m(n); then { log "{n} {x}" } }
rule "s" { when start; then { send m(x) after 2 ticks; x = 5; send m(x) } }
"#,
        &[],
        4,
        "0 5 5; 2 1 5",
    );
}
