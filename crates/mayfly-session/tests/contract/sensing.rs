//! §8 step 3 and the events of zones, contact, nearness, sight and tiles.

use super::{GROUND, codes, on_ground, says};

#[test]
fn who_stands_in_a_zone_from_the_start_enters_it_in_tick_0_and_never_its_own() {
    on_ground(
        r#"
kind lamp { zone glow = disc 9 }
place lamp at (1, 2)
zone z = rect (1, 1) 1 x 1
rule "e" { when any as a enters z; then { log "{a} in z" } }
rule "g" { when any as a enters lamp.glow; then { log "{a} in glow of {lamp}" } }
rule "l" { when person leaves z; then { log "left" } }
rule "s" { when after 2 ticks; then { move k to (5, 2) } }
"#,
        &[],
        5,
        "0 k in z; 0 k in glow of lamp#1; 3 left",
    );
}

#[test]
fn in_comes_at_entry_and_then_each_period_moves_in_at_each_new_cell() {
    on_ground(
        r#"
zone z = rect (2, 1) 3 x 1
rule "i" { when person in z every 4 ticks; then { log "in" } }
rule "m" { when person moves in z; then { log "cell {k.x:1}" } }
rule "w" { when start; then { walk k to (4, 1) } }
"#,
        &[],
        18,
        "3 cell 1.6; 3 in; 7 in; 8 cell 2.6; 11 in; 13 cell 3.6; 15 in",
    );
}

#[test]
fn ends_come_before_beginnings_and_beginnings_before_what_continues() {
    on_ground(
        r#"
zone a = rect (1, 1) 1 x 1
zone b = rect (2, 1) 1 x 1
zone c = rect (1, 1) 9 x 1
rule "c" { when person in c every 3 ticks; then { log "in c" } }
rule "b" { when person enters b; then { log "into b" } }
rule "a" { when person leaves a; then { log "out of a" } }
rule "w" { when start; then { walk k to (4, 1) } }
"#,
        &[],
        4,
        "0 in c; 3 out of a; 3 into b; 3 in c",
    );
}

#[test]
fn by_subject_in_order_of_creation_by_object_in_order_of_declaration() {
    says(
        r#"
zone z2 = rect (0, 0) 1 x 1
zone z1 = rect (0, 0) 1 x 1
kind k
place b: k at (0, 0)
place a: k at (0, 0)
rule "1" { when k enters z1; then { log "{k} z1" } }
rule "2" { when k enters z2; then { log "{k} z2" } }
rule "t" { when k as x touches k as y; then { log "{x} {y}" } }
"#,
        &[],
        1,
        "0 b z2; 0 b z1; 0 b a; 0 a z2; 0 a z1",
    );
}

#[test]
fn nothing_is_tunnelled_through_but_by_a_move() {
    let rules = r#"
zone thin = rect (5, 2) 1 x 1
rule "e" { when person enters thin; then { log "in" } }
rule "l" { when person leaves thin; then { log "out" } }
rule "n" { when person nears post within 0.5; then { log "near" } }
rule "s" { when person strays from post beyond 0.5; then { log "far" } }
kind post { tangible false }
place post at (5, 2)
"#;
    on_ground(
        &format!("{rules}rule \"w\" {{ when start; then {{ move k to (1, 2); walk k to (9, 2) at 200 }} }}"),
        &[],
        3,
        "1 in; 1 out; 1 near; 1 far",
    );
    on_ground(
        &format!("{rules}rule \"w\" {{ when start; then {{ move k to (1, 2); wait 1 ticks; move k to (9, 2) }} }}"),
        &[],
        4,
        "",
    );
}

#[test]
fn a_zone_notices_whom_it_is_for_disabled_it_is_left_by_all_enabled_entered() {
    on_ground(
        r#"
tag wet
kind crate
place crate at (1, 1)
zone z = rect (1, 1) 2 x 2 for person, wet
rule "e" { when any as a enters z; then { log "{a} in" } }
rule "l" { when any as a leaves z; then { log "{a} out" } }
rule "s" { when start; then { wait 1 ticks; tag crate#1 as wet; wait 2 ticks; disable z; log k in z; wait 2 ticks; enable z; wait 2 ticks; untag crate#1 as wet; wait 2 ticks; disable k; wait 2 ticks; enable k } }
"#,
        &[],
        14,
        "0 k in; 2 crate#1 in; 3 k in z = false; 4 k out; 4 crate#1 out; 6 k in; 6 crate#1 in; 8 crate#1 out; 10 k out; 12 k in",
    );
}

#[test]
fn shapes_of_zones() {
    let at = |zone: &str, x: f64, y: f64| {
        let text = format!(
            r#"{GROUND}kind k
place p: k at ({x}, {y})
zone base = rect (2, 1) 2 x 2
zone z = {zone}
rule "r" {{ when after 1 ticks; then {{ log "{{p in z}}" }} }}
"#
        );
        super::said(&text, &[], 2) == ["1 true"]
    };
    for (zone, inside, outside) in [
        ("rect (4, 1) 2 x 1", (5.49, 1.49), (5.5, 1.0)),
        ("disc (4, 1) 2", (6.0, 1.0), (6.01, 1.0)),
        ("cells { 1: 3..4, 8 }", (8.0, 1.0), (5.0, 1.0)),
        ("tiles reeds", (5.4, 0.6), (4.4, 1.0)),
        ("tiles cover", (5.0, 1.0), (5.0, 2.0)),
        ("poly (1, 1) (5, 1) (3, 2)", (3.0, 2.0), (1.2, 2.0)),
        ("poly (1, 1) (5, 1) (3, 2)", (5.0, 1.0), (5.1, 1.0)),
        ("base + disc (9, 1) 1", (9.9, 1.0), (4.6, 1.0)),
        ("base - rect (3, 1) 1 x 1", (3.0, 2.0), (3.0, 1.0)),
        ("tiles boards - base", (1.0, 1.0), (2.0, 1.0)),
    ] {
        assert!(at(zone, inside.0, inside.1), "{zone} holds {inside:?}");
        assert!(!at(zone, outside.0, outside.1), "{zone} does not hold {outside:?}");
    }
}

#[test]
fn a_kinds_zone_moves_with_it_and_whole_cells_lie_from_the_cell_of_its_centre() {
    on_ground(
        r#"
kind cart { zone bed = rect (0, 1) 1 x 1; zone ring = disc 1.5 }
place c: cart at (3, 1)
rule "s" { when start; then { move k to (3, 2); log k in c.bed; log k in c.ring; move c to (3.4, 1); log k in c.bed; move c to (3.6, 1); log k in c.bed; log k in c.ring } }
"#,
        &[],
        1,
        "0 k in c.bed = true; 0 k in c.ring = true; 0 k in c.bed = true; 0 k in c.bed = false; 0 k in c.ring = true",
    );
}

#[test]
fn contact_is_boxes_that_overlap_or_a_move_that_was_stopped() {
    on_ground(
        r#"
kind post { solid }
kind mist
place post at (4, 1)
place mist at (1, 2)
rule "t" { when person touches any as a; then { log "touch {a} {k.x:1}" } }
rule "p" { when person parts from any as a; then { log "part {a}" } }
rule "c" { when person touching post every 3 ticks; then { log "still" } }
rule "w" { when start; then { wait 1 ticks; walk k to (6, 1) straight } }
"#,
        &["20: k south", "30: k west"],
        33,
        // Stopped where the boxes meet, 3.2; a turn of the one ends a contact by being stopped.
        "13 touch post#1 3.2; 13 still; 16 still; 19 still; 20 part post#1",
    );
}

#[test]
fn bumps_come_once_for_each_contact_and_again_for_a_new_one() {
    on_ground(
        r#"
kind post { solid }
place post at (3, 1)
rule "b" { when person bumps post; then { log "post" } }
rule "w" { when person bumps wall; then { log "wall" } }
"#,
        &[
            "0: k east",
            "6: k east",
            "9: k east",
            "12: k south",
            "20: k north",
            "30: k east",
            "40: k north",
            "44: k north",
            "48: k west",
            "52: k north",
        ],
        60,
        "6 post; 30 post; 40 wall; 53 wall",
    );
}

#[test]
fn who_is_not_tangible_touches_and_stops_nobody_who_is_hidden_does() {
    on_ground(
        r#"
kind post { solid; tangible false }
kind ghost { solid; visible false }
place post at (2, 1)
place ghost at (4, 1)
rule "t" { when person touches any as a; then { log "touch {a}" } }
"#,
        &["0: k east", "6: k east", "12: k east"],
        20,
        "12 touch ghost#1",
    );
}

#[test]
fn nearness_with_until_has_two_bounds() {
    on_ground(
        r#"
kind post
place post at (6, 2)
rule "n" { when person nears post within 2 until 3; then { log "near {k.x:1}" } }
rule "s" { when person strays from post beyond 3; then { log "far {k.x:1}" } }
rule "l" { when person near post within 1 every 5 ticks; then { log "by {k.x:1}" } }
rule "w" { when start; then { move k to (1, 2); walk k to (5, 2) and wait; walk k to (3.6, 2) and wait; walk k to (5, 2) and wait; walk k to (1, 2) } }
"#,
        &[],
        60,
        "15 near 4.0; 20 by 5.0; 34 by 5.0; 45 far 2.8",
    );
}

#[test]
fn sight_of_three_shapes_and_what_blocks_it() {
    let seen = |sight: &str, facing: &str, x: i32, y: i32, more: &str| {
        let text = format!(
            r#"
level "T" {{ rate 20 }}
tiles {{ 'o' rock opaque; '_' boards }}
map """
_________
_________
____o____
_________
_________
"""
kind eye {{ sight {sight} }}
kind mouse
kind hedge {{ opaque }}
place eye: eye_ at (2, 2)
{more}
place m: mouse at ({x}, {y})
rule "r" {{ when after 1 ticks; then {{ log "{{eye sees m}}" }} }}
"#
        )
        .replace("eye: eye_ at (2, 2)", &format!("eye: look_ at (2, 2) facing {facing}"))
        .replace("kind eye {", "kind look_ {");
        super::said(&text, &[], 2) == ["1 true"]
    };
    // A wedge of 90 degrees: 45 on each side; its reach is of centres.
    assert!(seen("wedge 90 reach 3", "north", 2, 0, "") && seen("wedge 90 reach 3", "north", 4, 0, ""));
    assert!(!seen("wedge 90 reach 3", "south", 2, 0, "") && !seen("wedge 90 reach 3", "north", 4, 1, ""));
    assert!(!seen("wedge 90 reach 1.5", "north", 2, 0, ""));
    // An opaque cell between hides; the two's own cells do not.
    assert!(!seen("all reach 9", "east", 6, 2, "") && seen("all reach 9", "east", 4, 2, ""));
    assert!(seen("all reach 9", "east", 6, 0, ""));
    // So does an opaque actor between, and what is hidden or disabled is not seen.
    assert!(!seen("all reach 9", "north", 2, 0, "place hedge at (2, 1)"));
    assert!(seen("all reach 9", "north", 2, 0, "place hedge at (2, 1) { enabled false }"));
    assert!(!seen("all reach 9", "north", 2, 0, "rule \"h\" { when start; then { hide m } }"));
    // Cells: ahead, left and right of the facing.
    assert!(
        seen("cells ahead 2 left 1 right 0", "north", 1, 0, "")
            && !seen("cells ahead 2 left 1 right 0", "north", 3, 0, "")
    );
    assert!(
        seen("cells ahead 2 left 1 right 0", "south", 3, 4, "")
            && !seen("cells ahead 1 left 1 right 1", "north", 2, 0, "")
    );
}

#[test]
fn seeing_begins_lasts_and_is_lost() {
    on_ground(
        r#"
kind owl { sight wedge 90 reach 4 }
place o: owl at (4, 2) facing west
rule "s" { when owl sees person; then { log "sees" } }
rule "l" { when owl loses person; then { log "loses" } }
rule "g" { when owl seeing person every 4 ticks; then { log "seeing" } }
rule "w" { when start; then { wait 6 ticks; face o east; wait 2 ticks; face o to k; wait 2 ticks; hide k } }
"#,
        &[],
        14,
        "0 sees; 0 seeing; 4 seeing; 7 loses; 9 sees; 9 seeing; 11 loses",
    );
}

#[test]
fn treads_comes_for_each_cell_of_the_tile_at_first_and_when_it_is_laid_under_one() {
    on_ground(
        r#"
rule "t" { when person treads boards; then { log "boards" } }
rule "c" { when person treads cover; then { log "cover" } }
rule "w" { when start; then { walk k to (3, 1); wait 12 ticks; lay reeds at k.at; wait 3 ticks; lay boards at (9, 2) } }
"#,
        &[],
        18,
        "0 boards; 3 boards; 8 boards; 13 cover",
    );
}

#[test]
fn what_rules_alter_is_sensed_in_the_next_tick_what_a_poke_alters_in_the_same() {
    on_ground(
        r#"
zone z = rect (8, 2) 2 x 1
rule "e" { when person enters z; then { log "in" } }
rule "c" { when k in z turns true; then { log "turned" } }
rule "s" { when after 2 ticks; then { move k to (8, 2); log k in z } }
"#,
        &[],
        5,
        "2 k in z = true; 2 turned; 3 in",
    );
    on_ground(
        r#"
zone z = rect (8, 2) 2 x 1
rule "e" { when person enters z; then { log "in" } }
"#,
        &["2: poke move k to (8, 2)"],
        5,
        "2 in",
    );
}

#[test]
fn coming_to_another_area_is_sensed_before_zones_and_ends_what_was() {
    says(
        r#"
area cellar map """
___
"""
tiles { '_' boards }
map """
_____
"""
kind k { }
kind eye { sight all reach 9 }
place a: k at (1, 0)
place b: eye at (1.5, 0)
zone up = rect (0, 0) 3 x 1
zone down in cellar = rect (0, 0) 3 x 1
rule "c" { when k comes to cellar; then { log "cellar" } }
rule "m" { when k comes to main; then { log "main" } }
rule "e" { when k enters down; then { log "down" } }
rule "l" { when k leaves up; then { log "out" } }
rule "p" { when k parts from eye; then { log "parts" } }
rule "s" { when eye loses k; then { log "loses" } }
rule "f" { when k strays from eye beyond 3; then { log "strays" } }
rule "d" { when start; then { wait 1 ticks; move a to cellar (1, 0); log a.at; log a near b within 5; wait 2 ticks; log a.at + (1, 0); log distance(a, b) } }
"#,
        &[],
        5,
        "1 a.at = cellar (1, 0); 1 a near b within 5 = false; 2 out; 2 parts; 2 strays; 2 loses; 2 cellar; 2 down; 3 a.at + (1, 0) = cellar (2, 0); 3 ! not_a_number",
    );
}

#[test]
fn all_of_a_zone_lies_in_its_area() {
    let map = "tiles { '_' boards }\nmap \"\"\"\n___\n\"\"\"\narea cellar map \"\"\"\n___\n\"\"\"\n";
    let zones = [
        ("zone a = rect cellar (0, 0) 2 x 1", true),
        ("zone a = disc cellar (1, 0) 2", true),
        ("zone a in cellar = disc main (1, 0) 2", true),
        ("const spot = cellar (1, 0)\nzone a = disc spot 2", true),
        ("kind lamp { zone glow = disc cellar (0, 0) 1 }", true),
        ("zone low in cellar = rect (0, 0) 2 x 1\nzone a = rect (0, 0) 2 x 1 - low", true),
        ("zone low in cellar = rect (0, 0) 2 x 1\nzone a in cellar = low + disc cellar (2, 0) 1", false),
        ("const spot = cellar (1, 0)\nzone a in cellar = disc spot 2", false),
    ];
    for (text, is_wrong) in zones {
        let wanted: &[&str] = if is_wrong { &["two-areas"] } else { &[] };
        let errors: Vec<&str> = codes(&format!("{map}{text}\n")).into_iter().filter(|c| *c == "two-areas").collect();
        assert_eq!(errors, wanted, "{text}");
    }
}
