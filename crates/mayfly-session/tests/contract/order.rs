//! §8: the order of one tick, its rounds and notices.

use super::{flown, says};

#[test]
fn inputs_motion_sensing_time_then_rounds() {
    says(
        r#"
kind k { steered; speed 20 }
input wind = "e"
place a: k at (0, 0)
zone z = rect (1, 0) 1 x 1
timer t = 3 ticks running
rule "t" { when t ends; then { log "timer" } }
rule "z" { when k enters z; then { log "zone {a.x}" } }
rule "e" { when every 3 ticks; then { log "every" } }
rule "p" { when k presses wind; then { log "press {a.x}" } }
rule "m" { when a.x == 1 turns true; then { log "watch" } }
rule "s" { when start; then { wait 2 ticks; walk a to (1, 0) } }
rule "r" { when k arrives; then { log "arrives" } }
"#,
        &["3: a wind"],
        4,
        "3 press 1; 3 arrives; 3 zone 1; 3 every; 3 timer; 3 watch",
    );
}

#[test]
fn in_tick_0_step_2_does_nothing_and_time_is_tick_by_rate() {
    says(
        r#"
clock c { s 60; speed 1 s per 1 ticks }
kind k { falls 9 }
place a: k at (0, 0)
var x = 0
rule "s" { when start; then { ramp x to 10 over 2 ticks } }
rule "t" { when tick; at most 3; then { log "{time} {c.s} {x} {a.y:2}" } }
"#,
        &[],
        3,
        "0 0s 0 0 0.00; 1 0.05s 1 5 0.45; 2 0.1s 2 10 0.90",
    );
}

#[test]
fn what_a_round_caused_is_the_next_in_the_order_in_which_it_was_caused() {
    says(
        r#"
message a
message b
kind k
machine m { start x
 state x { to y when hears a } state y { } }
rule "s" { when start; then { send a; spawn k at (0, 0) as c; send b; remove c } }
rule "sp" { when k spawns; then { log "spawn" } }
rule "b" { when hears b; then { log "b" } }
rule "a" { when hears a; then { log "a"; send b } }
rule "r" { when k is removed; then { log "removed" } }
rule "m" { when m enters y; then { log "y" } }
"#,
        &[],
        1,
        // The spawned one is removed before its spawning is taken up: that is dropped.
        "0 a; 0 b; 0 removed; 0 y; 0 b",
    );
}

#[test]
fn a_notice_joins_the_queues_end_in_order_of_declaration() {
    says(
        r#"
var x = 0
var y = 0
message m
rule "y" { when y changes; then { log "y" } }
rule "x" { when x changes; then { log "x" } }
rule "m" { when hears m; then { log "m" } }
rule "s" { when start; then { x = 1; send m; y = 1 } }
"#,
        &[],
        1,
        "0 m; 0 y; 0 x",
    );
}

#[test]
fn rules_that_await_the_same_expression_await_one_event_at_the_place_of_the_first() {
    says(
        r#"
var x = 0
var y = 0
rule "1" { when x changes; then { log "x changes" } }
rule "2" { when y changes; then { log "y" } }
rule "3" { when x reaches 1; priority 1; then { log "x reaches" } }
rule "s" { when start; then { y = 1; x = 1 } }
"#,
        &[],
        1,
        "0 x reaches; 0 x changes; 0 y",
    );
}

#[test]
fn what_was_different_only_in_the_midst_of_a_round_is_never_noticed() {
    says(
        r#"
var x = 0
rule "c" { when x changes; then { log "changed" } }
rule "t" { when x == 5 turns true; then { log "five" } }
rule "s" { when start; then { x = 5; x = 0 } }
rule "q" { when start; then { log x } }
"#,
        &[],
        1,
        "0 x = 0",
    );
}

#[test]
fn what_a_run_writes_is_seen_at_once_by_whatever_is_evaluated_later() {
    says(
        r#"
var open = false
rule "1" { when start; then { open = true } }
rule "2" { when start; if not open; then { log "shut" } else { log "open" } }
"#,
        &[],
        1,
        "0 open",
    );
}

#[test]
fn reaches_drops_and_turns_look_from_one_notice_to_the_next() {
    says(
        r#"
var x = 5
rule "r" { when x reaches 8; then { log "reaches {x}" } }
rule "d" { when x drops to 3; then { log "drops {x}" } }
rule "f" { when x > 6 turns false; then { log "false {x}" } }
rule "s" { when start; then { wait 1 ticks; x = 20; wait 1 ticks; x = 9; wait 1 ticks; x = 8; wait 1 ticks; x = 3; wait 1 ticks; x = 1; wait 1 ticks; x = 8 } }
"#,
        &[],
        9,
        "1 reaches 20; 4 drops 3; 4 false 3; 6 reaches 8",
    );
    // First values reach and drop nothing; what is true from the start turns true in tick 0.
    says(
        r#"
var x = 9
rule "r" { when x reaches 8; then { log "reaches" } }
rule "c" { when x changes; then { log "changes" } }
rule "t" { when x > 8 turns true; then { log "true" } }
rule "f" { when x > 10 turns false; then { log "false" } }
"#,
        &[],
        3,
        "0 true",
    );
}

#[test]
fn an_event_about_an_actor_removed_since_is_dropped_but_its_ends_are_not() {
    says(
        r#"
kind k
kind p { }
place a: k at (0, 0)
place q: p at (0, 0)
zone z = rect (0, 0) 1 x 1
message m
rule "0" { when start; then { send m to a; remove a } }
rule "e" { when k enters z; then { log "in" } }
rule "t" { when k touches p; then { log "touch" } }
rule "l" { when k leaves z; then { log "out" } }
rule "p" { when k parts from p; then { log "part" } }
rule "r" { when k is removed; then { log "removed {k.x}" } }
rule "c" { when after 1 ticks; then { log count(k) } }
"#,
        &[],
        3,
        "0 out; 0 part; 0 removed 0; 1 count(k) = 0",
    );
}

#[test]
fn a_waiting_run_ends_when_an_actor_that_it_is_bound_to_is_removed() {
    says(
        r#"
kind k { rule "own" { when start; then { wait 3 ticks; log "own" } } }
kind p
place a: k at (0, 0)
place q: p at (0, 0)
rule "t" { when k touches p; then { wait 3 ticks; log "bound" } }
rule "u" { when start; then { let x = a; wait 3 ticks; log "unbound" } }
rule "r" { when after 1 ticks; then { remove a } }
"#,
        &[],
        6,
        "3 unbound",
    );
    // Also a run that removes it itself, at its next wait.
    says(
        r#"
kind k
kind p
place a: k at (0, 0)
place q: p at (0, 0)
rule "t" { when k touches p; then { remove k; log "on"; wait 1 ticks; log "never" } }
"#,
        &[],
        6,
        "0 on",
    );
}

#[test]
fn more_than_100_rounds_are_a_fault_that_names_who_keeps_it_going_and_end_the_tick() {
    let text = r#"
var x = 0
message ping
message pong
rule "a" { when hears ping; then { x += 1; send pong } }
rule "b" { when hears pong; then { send ping } }
rule "s" { when start; then { send ping } }
rule "t" { when after 2 ticks; then { log x } }
"#;
    says(text, &[], 4, "0 ! rounds; 2 x = 50");
    let f = flown(text, &[], 4);
    assert!(
        f.faults[0].fault.text.contains("\"a\"") && f.faults[0].fault.text.contains("\"b\""),
        "{}",
        f.faults[0].fault.text
    );
}

#[test]
fn win_lose_and_restart_take_effect_when_the_tick_settles_the_first_of_them_counts() {
    let text = r#"
var x = 0
message m
rule "s" { when after 2 ticks; then { send m; win "one"; log "carried out" } }
rule "m" { when hears m; then { log "round 2"; lose "two" } }
rule "t" { when tick; then { x += 1 } }
"#;
    says(text, &[], 9, "2 carried out; 2 round 2");
    let f = flown(text, &[], 9);
    let e = f.history.live().ended.clone().expect("it ended");
    assert_eq!((e.tick, e.win, e.text.as_str(), f.history.live().next), (2, true, "one", 3));
}

#[test]
fn restart_begins_all_but_kept_values_again() {
    says(
        r#"
var x = 0
keep var y = 0
kind k { speed 20 }
place a: k at (0, 0)
rule "s" { when start; then { log "{tick} {time} {x} {y} {a.x} {count(k)} {random(1, 1000000)}"; walk a to (9, 0); spawn k at (0, 5) } }
rule "r" { when after 3 ticks; then { x = 5; y += 1; if y < 3 { restart }; log "rest" } }
"#,
        &[],
        9,
        &{
            let draws = super::said("rule \"s\" { when start; then { log random(1, 1000000) } }", &[], 1)[0]
                .rsplit(' ')
                .next()
                .expect("a number")
                .to_string();
            let _ = draws;
            let first = super::said(
                r#"
keep var y = 0
kind k { speed 20 }
rule "s" { when start; then { log "{random(1, 1000000)}" } }
"#,
                &[],
                1,
            );
            let n = first[0].split(' ').nth(1).expect("a number").to_string();
            format!("0 0 0s 0 0 0 1 {n}; 3 rest; 4 0 0s 0 1 0 1 {n}; 7 rest; 8 0 0s 0 2 0 1 {n}")
        },
    );
}

#[test]
fn keeping_down_is_true_from_a_press_until_its_release() {
    says(
        r#"
kind k { steered }
input wind = "e"
place a: k at (0, 0)
rule "p" { when k pressing wind every 2 ticks; then { log "down" } }
rule "t" { when tick; if a pressing wind; then { log "yes" } }
"#,
        &["2: a wind", "5: a wind"],
        9,
        "2 down; 2 yes; 5 down; 5 yes",
    );
}

#[test]
fn draws_of_one_rule_do_not_change_with_another() {
    let base = r#"
table t { "a" 1; "b" 1; "c" 1 }
rule "r" { when tick; at most 5; then { log "{random(1, 99)} {roll(t)}" } }
"#;
    let other = format!(
        r#"
rule "q" {{ when tick; then {{ let x = random(1, 5); let y = chance(50%); if x > 9 and y {{ log "no" }} }} }}
{base}
"#
    );
    assert_eq!(super::said(base, &[], 6), super::said(&other, &[], 6));
    assert_ne!(
        super::said(base, &[], 6),
        super::said(&base.replace("\"r\"", "\"other\""), &[], 6),
        "a stream is its declaration's"
    );
}
