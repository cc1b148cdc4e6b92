//! §6: orders to walk, steps by keys, slides, pushes, falls and rides.

use super::{on_ground, says};

const TOLD: &str = r#"
rule "a" { when any as a arrives; then { log "{a} arrives {a.at}" } }
rule "s" { when any as a is stuck; then { log "{a} stuck" } }
"#;

#[test]
fn a_press_is_one_step_and_one_more_is_remembered() {
    on_ground(
        r#"
rule "t" { when tick; then { board "" } }
rule "c" { when k.x == 2 turns true; then { log "2" } }
rule "d" { when k.x == 3 turns true; then { log "3" } }
rule "e" { when after 30 ticks; then { log k.at } }
"#,
        &["1: k east", "3: k east", "4: k east"],
        40,
        "5 2; 10 3; 30 k.at = (3, 1)",
    );
}

#[test]
fn where_the_next_cell_is_not_free_it_only_turns_bumps_and_touches() {
    on_ground(
        "rule \"b\" { when person bumps wall; then { log \"bump {k.facing} {k.at}\" } }",
        &["1: k north", "3: k west", "5: k north"],
        9,
        "1 bump north (1, 1); 3 bump west (1, 1); 5 bump north (1, 1)",
    );
}

#[test]
fn who_is_stopped_on_a_step_goes_back() {
    on_ground(
        r#"
kind crate { solid }
rule "s" { when after 7 ticks; then { spawn crate at (2.6, 1) } }
rule "t" { when person touches crate; then { log "touch {k.x:2}" } }
rule "e" { when after 20 ticks; then { log k.at; log halted k } }
"#,
        &["6: k east"],
        24,
        "10 touch 1.80; 20 k.at = (1, 1); 20 halted k = true",
    );
}

#[test]
fn a_key_replaces_an_order_and_an_order_drops_the_remembered_press() {
    on_ground(
        &format!(
            "{TOLD}rule \"w\" {{ when start; then {{ walk k to (9, 2); wait 10 ticks; log k.at; wait 20 ticks; log \"{{k.at}} {{halted k}}\" }} }}"
        ),
        &["6: k south"],
        40,
        "10 k.at = (2, 2); 30 (2, 2) true",
    );
    on_ground(
        &format!("{TOLD}rule \"w\" {{ when after 4 ticks; then {{ walk k to (1, 1) }} }}"),
        &["1: k east", "3: k east"],
        40,
        "8 k arrives (1, 1)",
    );
}

#[test]
fn who_is_frozen_takes_no_keys() {
    on_ground(
        r#"
input wind = "e"
rule "p" { when person presses wind; then { log "pressed" } }
rule "f" { when start; then { freeze k; wait 5 ticks; unfreeze k; wait 9 ticks; log k.at } }
"#,
        &["1: k east", "2: k wind", "7: k wind", "8: k east"],
        20,
        "7 pressed; 14 k.at = (2, 1)",
    );
}

#[test]
fn a_way_is_the_shortest_round_what_stops_it_first_north_east_south_west() {
    says(
        r#"
level "T" { rate 20 }
tiles { '_' b; '#' w solid }
map """
_____
_____
_____
"""
kind k { speed 20 }
place a: k at (2, 1)
rule "t" { when tick; at most 9; then { log a.at } }
rule "s" { when start; then { walk a to (3, 0); wait 2 ticks; walk a to (2, 1); wait 2 ticks; walk a to (1, 2); wait 2 ticks; walk a to (2, 1) } }
"#,
        &[],
        9,
        "0 a.at = (2, 1); 1 a.at = (2, 0); 2 a.at = (3, 0); 3 a.at = (3, 1); 4 a.at = (2, 1); 5 a.at = (2, 2); 6 a.at = (1, 2); 7 a.at = (1, 1); 8 a.at = (2, 1)",
    );
}

#[test]
fn with_no_way_it_is_stuck_once_and_goes_on_when_one_opens() {
    on_ground(
        &format!(
            r#"
{TOLD}kind post {{ solid }}
place p: post at (4, 1)
place q: post at (4, 2)
rule "w" {{ when start; then {{ walk k to (8, 2); wait 10 ticks; log k.at; remove p; wait 5 ticks; log k.x; lay wall at (4, 1); wait 3 ticks; log k.x; show q; q.solid = false }} }}
"#
        ),
        &[],
        60,
        "0 k stuck; 10 k.at = (1, 1); 15 k.x = 2; 15 k stuck; 18 k.x = 2; 53 k arrives (8, 2)",
    );
}

#[test]
fn to_where_one_stands_already_arrives_at_once() {
    on_ground(
        &format!("{TOLD}rule \"w\" {{ when after 2 ticks; then {{ walk k to (1, 1) and wait; log \"on\" }} }}"),
        &[],
        5,
        "2 on; 2 k arrives (1, 1)",
    );
}

#[test]
fn paths_loop_bounce_or_end() {
    let ends = |end: &str, want: &str| {
        on_ground(
            &format!(
                r#"
{TOLD}path p = (2, 1) (3, 1) (3, 2) {end}
rule "w" {{ when start; then {{ k.speed = 20; walk k along p; wait 9 ticks; log k.at }} }}
"#
            ),
            &[],
            12,
            want,
        );
    };
    // (2,1) (3,1) (3,2), then by the shortest way to (2,1): (3,1) (2,1); and so on.
    ends("loop", "9 k.at = (2, 1)");
    ends("bounce", "9 k.at = (2, 1)");
    ends("once", "3 k arrives (3, 2); 9 k.at = (3, 2)");
}

#[test]
fn after_stops_where_the_two_touch_and_a_newer_order_replaces_an_older() {
    on_ground(
        &format!(
            r#"
{TOLD}kind dog {{ speed 8 }}
place d: dog at (1, 2)
rule "t" {{ when dog touches person; then {{ log "touch {{d.x:1}} {{k.x:1}}" }} }}
rule "w" {{ when start; then {{ walk k to (4, 1) and wait; log "k there" }} }}
rule "d" {{ when start; then {{ wait 2 ticks; walk d to (9, 2); wait 2 ticks; walk d after k }} }}
"#
        ),
        &[],
        40,
        "6 touch 2.0 2.2; 10 touch 2.4 3.0; 15 k arrives (4, 1); 15 k there",
    );
}

#[test]
fn after_waits_while_the_other_is_away_and_looks_for_its_way_when_it_is_back() {
    for how in ["", " straight"] {
        on_ground(
            &format!(
                r#"
kind dog {{ speed 4 }}
place d: dog at (8, 2)
rule "w" {{ when start; then {{ move k to (2, 2); walk d after k{how} }} }}
rule "off" {{ when after 500ms; then {{ log d.x; disable k }} }}
rule "on" {{ when after 1s; then {{ log d.x; enable k }} }}
rule "t" {{ when dog touches person; then {{ log "touch {{d.x:1}}" }} }}
rule "s" {{ when d is stuck; then {{ log "stuck" }} }}
"#
            ),
            &[],
            40,
            "10 d.x = 6; 20 d.x = 6; 37 touch 2.6",
        );
    }
}

#[test]
fn for_ends_an_order_and_who_waits_for_it_goes_on() {
    on_ground(
        &format!(
            "{TOLD}rule \"w\" {{ when start; then {{ walk k to (8, 1) for 5 ticks and wait; log \"{{tick}} {{k.at}} {{halted k}}\"; walk k to (8, 1); halt k; wait 2 ticks; log k.at }} }}"
        ),
        &[],
        12,
        "5 5 (2, 1) true; 7 k.at = (2, 1)",
    );
}

#[test]
fn a_slide_is_a_ramp_of_the_place_and_stops_at_solids_a_push_is_at_once() {
    on_ground(
        r#"
kind crate { solid }
place c: crate at (5, 2)
rule "w" { when start; then { move k to (1, 2); slide k to (3, 2) over 4 ticks and wait; log k.at; slide k to (9, 2) over 6 ticks and wait; log k.at; push k by (-1, 0); log k.at; push c by (1, -9); log c.at } }
"#,
        &[],
        14,
        "4 k.at = (3, 2); 6 k.at = (4.2, 2); 6 k.at = (3.2, 2); 6 c.at = (5.122222, 0.9)",
    );
}

#[test]
fn a_move_sets_a_place_through_anything_and_who_stands_inside_a_solid_may_move_out() {
    on_ground(
        &format!(
            "{TOLD}rule \"w\" {{ when start; then {{ move k to (10, 1); log k.at; move k to (11, 1); wait 1 ticks; walk k to (9, 2) }} }}"
        ),
        &[],
        30,
        "0 k.at = (10, 1); 16 k arrives (9, 2)",
    );
}

#[test]
fn a_kind_passes_what_it_names() {
    on_ground(
        &format!(
            r#"
{TOLD}kind swan {{ passes water, post; speed 20 }}
kind post {{ solid }}
place post at (8, 1)
place s: swan at (6, 1)
place t: post at (6, 2)
rule "w" {{ when start; then {{ walk s to (9, 1) }} }}
rule "x" {{ when swan treads water; then {{ log "wet" }} }}
"#
        ),
        &[],
        10,
        "3 s arrives (9, 1); 3 wet",
    );
}

#[test]
fn carried_along_by_a_ferry_whose_box_is_free_ground() {
    on_ground(
        &format!(
            r#"
{TOLD}kind ferry {{ carries person; passes water; solid; size (1, 1); speed 4 }}
place f: ferry at (2, 1)
rule "w" {{ when start; then {{ walk k to (2, 1) and wait; log "aboard {{k.at}}"; walk f to (4, 1) and wait; log "over {{f.at}} {{k.at}}"; walk k to (4, 2) }} }}
"#
        ),
        &[],
        40,
        "5 k arrives (2, 1); 5 aboard (2, 1); 15 f arrives (4, 1); 15 over (4, 1) (4, 1); 20 k arrives (4, 2)",
    );
}

#[test]
fn what_falls_sinks_until_something_solid_below_stops_it() {
    says(
        r#"
level "T" { rate 20 }
tiles { '_' boards; '#' wall solid }
map """
___
___
___
___
###
"""
kind stone { falls 10; solid }
place a: stone at (1, 1)
place b: stone at (1, 0)
rule "b" { when stone bumps wall; then { log "{stone} {stone.y:2}" } }
rule "t" { when stone as x touches stone as y; then { log "{x} {y} {b.y:2}" } }
rule "e" { when after 20 ticks; then { log a.y; log b.y } }
"#,
        &[],
        22,
        "5 a 3.10; 5 a b 2.30; 20 a.y = 3.1; 20 b.y = 2.3",
    );
}

#[test]
fn edges_stop_let_off_or_wrap() {
    let edges = |e: &str, want: &str| {
        says(
            &format!(
                r#"
level "T" {{ rate 20; edges {e} }}
tiles {{ '_' b }}
map """
___
"""
kind k {{ steered; speed 20 }}
place a: k at (2, 0)
rule "e" {{ when after 9 ticks; then {{ log a.at }} }}
"#
            ),
            &["1: a east", "3: a east"],
            10,
            want,
        );
    };
    edges("closed", "9 a.at = (2, 0)");
    edges("open", "9 a.at = (4, 0)");
    edges("wrap", "9 a.at = (1, 0)");
}

#[test]
fn checkpoint_and_recall_remember_place_and_facing() {
    on_ground(
        "rule \"w\" { when start; then { face k west; recall k; log \"{k.at} {k.facing}\"; move k to (3, 2); face k north; checkpoint k; move k to (8, 2); face k east; recall k; log \"{k.at} {k.facing}\" } }",
        &[],
        2,
        "0 (1, 1) south; 0 (3, 2) north",
    );
}

#[test]
fn several_actors_move_in_order_of_creation() {
    says(
        r#"
level "T" { rate 20 }
tiles { '_' boards }
map """
_______
"""
kind k { solid; speed 20; size (1, 1) }
place b: k at (1, 0)
place a: k at (0, 0)
place c: k at (2, 0)
rule "s" { when start; then { walk a to (4, 0) straight; walk b to (5, 0) straight; walk c to (6, 0) straight; wait 1 ticks; log "{a.x} {b.x} {c.x}"; wait 1 ticks; log "{a.x} {b.x} {c.x}" } }
"#,
        &[],
        4,
        // b is asked first, while c still stands before it; a, after b, is stopped by b.
        "1 0 1 3; 2 1 2 4",
    );
}

#[test]
fn on_open_ground_too_a_box_is_stopped_where_the_end_of_its_way_has_no_room_for_it() {
    let level = |walks: &str| {
        format!(
            "level \"T\" {{ rate 10 }}\ntiles {{ '_' boards; '#' piles solid }}\nmap \"\"\"\n________\n________\n_____#__\n________\n\"\"\"
kind slab {{ size (0.8, 0.8); speed 1.3 }}\nplace a: slab at (1, 0)
rule \"b\" {{ when a bumps piles; then {{ log \"piles {{a.at}}\" }} }}
rule \"w\" {{ when start; then {{ {walks} }} }}
rule \"e\" {{ when after 60 ticks; then {{ log \"{{a.at}}\" }} }}\n"
        )
    };
    // The edge of the map, a tile, and one that grows while it is under way.
    says(&level("walk a to (1, 3.4)"), &[], 62, "60 (1, 3.1)");
    says(&level("walk a to (4.4, 2)"), &[], 62, "40 piles (4.1, 2); 60 (4.1, 2)");
    says(&level("walk a to (1, 3.1)"), &[], 62, "60 (1, 3.1)");
    says(&level("walk a to (1, 3.1); wait 4 ticks; a.size = (1, 0.96)"), &[], 62, "60 (1, 3.02)");
}
