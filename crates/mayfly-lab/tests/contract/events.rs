//! §4: the events that are not of sensing or time, and whom they bind.

use crate::{codes, says};

#[test]
fn presses_near_facing_and_in_a_zone() {
    let text = "level \"T\" { rate 20 }\nkind p { steered }\nkind w { solid }\ninput e = \"e\"\nplace k: p at (0, 0) facing east\nplace w at (2, 0), (0, 2), (-5, 0)\nzone z = rect (-1, -1) 2 x 2\n\
                rule \"n\" { when p presses e near w within 3; then { log \"near {w}\" } }\nrule \"f\" { when p presses e facing w; then { log \"facing {w}\" } }\nrule \"z\" { when p presses e in z; then { log \"zone\" } }\n\
                rule \"nf\" { when p presses e near w within 3 facing w; then { log \"both {w}\" } }\nrule \"far\" { when p presses e near w within 1; then { log \"no\" } }\n";
    says(text, &["1: k e"], 3, "1 near w#1; 1 facing w#1; 1 zone; 1 both w#1");
    says(&text.replace("facing east", "facing south"), &["1: k e"], 3, "1 near w#1; 1 facing w#2; 1 zone; 1 both w#2");
}

#[test]
fn with_near_self_a_press_reaches_the_nearest_that_fits_clauses_are_asked_of_it_alone() {
    says(
        "input e = \"e\"\nkind p { steered }\nkind w { var full = false\n rule \"r\" { when p presses e near self within 3; if not self.full; then { log \"{self}\" } }\n machine m { start a\n state a { to b when p presses e near self within 3 } state b { enter { log \"{self} b\" } } } }\n\
         place k: p at (0, 0)\nplace w at (1, 0) { full = true }\nplace w at (2, 0)",
        &["1: k e"],
        3,
        "1 w#1 b",
    );
}

#[test]
fn messages_to_one_to_all_of_a_tag_and_to_nobody() {
    let text = "tag red\nmessage hi(n: number)\nkind a { rule \"own\" { when hears hi(n); then { log \"{self} {n}\" } } }\nkind b like a { tags red }\nplace a at (0, 0)\nplace b at (0, 0), (0, 1)\n\
                rule \"l\" { when hears hi(n); if n > 0; then { log \"level {n}\" } }\n";
    let sends = |s: &str| format!("{text}rule \"s\" {{ when start; then {{ {s} }} }}");
    says(&sends("send hi(1)"), &[], 1, "0 a#1 1; 0 b#1 1; 0 b#2 1; 0 level 1");
    says(&sends("send hi(2) to all red"), &[], 1, "0 b#1 2; 0 b#2 2");
    says(&sends("send hi(3) to b#2"), &[], 1, "0 b#2 3");
    says(&sends("send hi(4) to all a where a.y == 0"), &[], 1, "0 a#1 4; 0 b#1 4");
}

#[test]
fn an_expression_that_names_one_kind_is_watched_for_each_and_binds_it() {
    let text = "kind lamp { var lit = false; var n = 0 }\nplace lamp at (0, 0), (1, 0)\nrule \"r\" { when lamp.lit turns true; then { log \"{lamp}\" } }\nrule \"n\" { when lamp.n * 2 reaches 4; then { log \"n {lamp}\" } }\n";
    says(
        &format!(
            "{text}rule \"s\" {{ when start; then {{ lamp#2.lit = true; lamp#1.n = 2; wait 1 ticks; spawn lamp at (2, 0) as c {{ lit = true; n = 9 }} }} }}"
        ),
        &[],
        3,
        "0 lamp#2; 0 n lamp#1; 1 lamp#3",
    );
    assert!(
        codes("kind a { var x = 1 }\nkind b { var x = 1 }\nrule \"r\" { when a.x == b.x turns true; then { } }")
            .contains(&"two-kinds")
    );
}

#[test]
fn one_rule_serves_whatever_a_variable_names_when_the_event_is_considered() {
    says(
        "kind k\nkind p\nplace a: k at (0, 0)\nplace b: p at (5, 0)\nzone z = rect (1, 0) 1 x 1\nzone y = rect (6, 0) 1 x 1\nvar who: actor = a\nvar where_: zone = z\nmessage m1\nmessage m2\nvar m: message = m1\ntimer t1 = 2 ticks\ntimer t2 = 3 ticks\nvar t: timer = t2\n\
         rule \"w\" { when who enters where_; then { log \"in\" } }\nrule \"h\" { when hears m; then { log \"heard\" } }\nrule \"t\" { when t ends; then { log \"ends\" } }\n\
         rule \"s\" { when start; then { move a to (1, 0); wait 1 ticks; who = b; move a to (0, 0); move b to (6, 0); wait 1 ticks; where_ = y; move b to (5, 0); wait 1 ticks; move b to (6, 0); send m1; send m2; m = m2; start t1; start t } }",
        &[],
        9,
        "1 in; 3 heard; 4 in; 6 ends",
    );
}

#[test]
fn machine_events_and_a_level_machine() {
    says(
        "message go\nkind k { machine g { start a\n state a { to b when hears go } state b { } } }\nmachine night { start early\n state early { to late when hears go } state late { } }\nplace k at (0, 0), (1, 0)\n\
         rule \"e\" { when k.g enters b; then { log \"{k} b\" } }\nrule \"l\" { when k.g leaves a; then { log \"{k} left\" } }\nrule \"n\" { when night enters late; then { log \"late\" } }\nrule \"o\" { when k#2.g enters b; then { log \"two\" } }\nrule \"s\" { when start; then { send go } }",
        &[],
        1,
        "0 k#1 left; 0 k#1 b; 0 k#2 left; 0 k#2 b; 0 two; 0 late",
    );
}

#[test]
fn spawns_removals_and_their_kinds() {
    says(
        "kind a\nkind b like a\nrule \"s\" { when a spawns; then { log \"spawns {a}\" } }\nrule \"r\" { when b is removed; then { log \"removed {b}\" } }\nrule \"g\" { when start; then { spawn a at (0, 0) as x; spawn b at (0, 0) as y; wait 1 ticks; remove x; remove y } }",
        &[],
        2,
        "0 spawns a#1; 0 spawns b#1; 1 removed b#1",
    );
}

#[test]
fn an_event_is_told_from_an_expression_whatever_names_stand_behind_it() {
    says(
        "message go\nkind k { var turns = 4; var changes = 1\n machine m { start a\n state a { to b when hears go if self.turns >= 4 and self.changes == 1 } state b { enter { log \"b\" } to a when (if self.turns > 4 then 1 else 0) reaches 1 if self.changes > 0 } } }\nplace x: k at (0, 0)\n\
         rule \"t\" { when k.turns changes; then { log k.turns } }\nrule \"u\" { when x.turns > 4 turns true; then { log \"more\" } }\nrule \"s\" { when start; then { send go; wait 1 ticks; x.turns = 9; wait 1 ticks; log x.m } }",
        &[],
        4,
        "0 b; 1 k.turns = 9; 1 more; 2 x.m = a",
    );
}
