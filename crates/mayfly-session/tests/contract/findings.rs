//! Findings while reading: each mistake that the trade knows, and beside it what is no mistake.

use mayfly_lang::check;

fn found(text: &str) -> Vec<&'static str> {
    let c = check::check("t.may", text);
    assert!(c.level.is_some(), "{text}: {:?}", c.diagnostics);
    c.diagnostics.iter().map(|d| d.code).collect()
}

/// Raises this and nothing else; the second text, with one thing changed, raises nothing.
#[track_caller]
fn finds(code: &str, text: &str, from: &str, to: &str) {
    assert_eq!(found(text), [code], "{text}");
    assert!(text.contains(from), "{from} is not in {text}");
    let mended = text.replace(from, to);
    assert!(found(&mended).is_empty(), "{mended}: {:?}", found(&mended));
}

#[test]
fn a_threshold_that_is_stepped_over() {
    let text = r#"
var water = 0
rule "rise" { when every 1s; then { water += 3 } }
rule "high" { when water == 10 turns true; then { tell "High." } }
"#;
    finds("stepped-over", text, "water == 10 turns true", "water reaches 10");
    finds("stepped-over", text, "+= 3", "+= 5");
}

#[test]
fn messages_without_a_sender_or_a_hearer() {
    let text = r#"
message bell
rule "ring" { when start; then { send bell } }
rule "hear" { when hears bell; then { cue "bell" } }
"#;
    assert!(found(text).is_empty());
    assert_eq!(found(&text.replace("send bell", "cue \"x\"")), ["never-sent"]);
    assert_eq!(found(&text.replace("when hears bell", "when tick")), ["never-heard"]);
}

#[test]
fn variables_that_only_one_side_uses() {
    let text = r#"
var n = 0
rule "write" { when start; then { n = 1 } }
rule "read" { when start; then { log n } }
"#;
    assert!(found(text).is_empty());
    assert_eq!(found(&text.replace("log n", "log 1")), ["never-read"]);
    assert_eq!(found(&text.replace("n = 1", "log 1")), ["never-written"]);
    assert_eq!(found("var n = 0\nrule \"r\" { when start; then { log 1 } }"), ["never-used"]);
}

#[test]
fn two_rules_of_which_one_makes_the_other_true() {
    let text = r#"
var lit = false
kind person { steered }
place keeper: person at (0, 0)
input wind = "e"
rule "light" { when person presses wind; if not lit; then { lit = true } }
rule "out" { when person presses wind; if lit; then { lit = false } }
"#;
    assert_eq!(found(text), ["complementary"]);
    let grouped = text
        .replace("rule \"light\"", "first of \"wind\" {\nrule \"light\"")
        .replace("lit = false } }\n", "lit = false } }\n}\n");
    assert!(found(&grouped).is_empty(), "{:?}", found(&grouped));
}

#[test]
fn rules_that_can_never_fire() {
    for (text, from, to) in [
        (
            "kind person\nplace keeper: person at (0, 0)\ninput wind = \"e\"\nrule \"r\" { when person presses wind; then { log 1 } }",
            "kind person",
            "kind person { steered }",
        ),
        ("timer flood = 3s\nrule \"r\" { when flood ends; then { log 1 } }", "3s", "3s running"),
        (
            "kind person\nkind crate\nplace person at (0, 0)\nplace crate at (0, 0)\nzone z = rect (0, 0) 1 x 1 for person\nrule \"r\" { when crate enters z; then { log 1 } }",
            " for person",
            "",
        ),
        (
            "kind lamp\nrule \"r\" { when lamp spawns; then { log 1 } }",
            "log 1 } }",
            "log 1 } }\nrule \"s\" { when start; then { spawn lamp at (0, 0) } }",
        ),
        (
            "kind owl\nkind mouse\nplace owl at (0, 0)\nplace mouse at (1, 0)\nrule \"r\" { when owl sees mouse; then { log 1 } }",
            "kind owl",
            "kind owl { sight all reach 4 }",
        ),
        ("rule \"r\" { off; when start; then { log 1 } }", "off; ", ""),
    ] {
        finds("never-fires", text, from, to);
    }
}

#[test]
fn states_to_which_nothing_leads_and_loops_that_do_not_wait() {
    let text = r#"
message go
machine m {
 start a
 state a { to b when hears go }
 state b { to a after 1s }
}
rule "s" { when start; then { send go } }
"#;
    assert!(found(text).is_empty());
    assert_eq!(found(&text.replace("to b when", "to a when")), ["unreachable-state"]);
}

#[test]
fn what_may_be_none_and_durations_that_are_rounded() {
    finds(
        "unguarded",
        "kind k { var n = 1 }\nplace a: k at (0, 0)\nvar who: k or none = a\nrule \"r\" { when start; then { log who.n; who.n = 2; who = none } }",
        "log who.n; who.n = 2",
        "if who exists { log who.n; who.n = 2 }",
    );
    finds("rounded", "rule \"r\" { when every 70ms; then { log 1 } }", "70ms", "100ms");
    finds("rounded", "rule \"r\" { when start; then { wait 1ms; log 1 } }", "1ms", "50ms");
}

/// Each raises its finding once among others, and not at all in the second text.
#[test]
fn what_undoes_itself_or_is_used_nowhere() {
    let table: &[(&str, &str, &str)] = &[
        ("never-used", "path beat = (0, 0) (3, 0) loop\n", ""),
        (
            "never-used",
            "zone pool = rect (0, 0) 2 x 2\n",
            "zone pool = rect (0, 0) 2 x 2\nrule \"r\" { when any enters pool; then { log 1 } }\n",
        ),
        (
            "never-used",
            "enum mood { calm, wary }\n",
            "enum mood { calm, wary }\nvar m = mood.calm\nrule \"r\" { when start; then { m = wary; log m } }\n",
        ),
        (
            "never-used",
            "routine hush() { log 1 }\n",
            "routine hush() { log 1 }\nrule \"r\" { when start; then { hush() } }\n",
        ),
        (
            "same-cells",
            "zone a = rect (0, 0) 2 x 2\nzone b = rect (0, 0) 2 x 2\nrule \"r\" { when any enters a; then { log 1 } }\nrule \"s\" { when any enters b; then { log 1 } }\n",
            "zone a = rect (0, 0) 2 x 2\nzone b = rect (1, 0) 2 x 2\nrule \"r\" { when any enters a; then { log 1 } }\nrule \"s\" { when any enters b; then { log 1 } }\n",
        ),
        (
            "never-true",
            "var heat = 3 within 0 to 60\nrule \"r\" { when tick; if heat > 60; then { heat += 1 } }\n",
            "var heat = 3 within 0 to 60\nrule \"r\" { when tick; if heat >= 60; then { heat += 1 } }\n",
        ),
        (
            "never-true",
            "var heat = 3 within 0 to 60\nrule \"r\" { when heat reaches 61; then { heat = 0 } }\n",
            "var heat = 3 within 0 to 60\nrule \"r\" { when heat reaches 60; then { heat = 0 } }\n",
        ),
        (
            "dead-end",
            "machine m { start a; state a { to b after 1s } state b { to c after 1s } state c { loop { log 1; wait 1s } } }\n",
            "machine m { start a; state a { to b after 1s } state b { to c after 1s } state c { loop { log 1; wait 1s }; to a after 9s } }\n",
        ),
        (
            "never-fires",
            "kind k { }\nplace a: k at (0, 0)\npath beat = (0, 0) (3, 0) loop\nrule \"g\" { when start; then { walk a along beat } }\nrule \"r\" { when k arrives; then { log 1 } }\n",
            "kind k { }\nplace a: k at (0, 0)\npath beat = (0, 0) (3, 0) once\nrule \"g\" { when start; then { walk a along beat } }\nrule \"r\" { when k arrives; then { log 1 } }\n",
        ),
        (
            "off-for-ever",
            "rule \"o\" { when start; then { disable rule \"r\" } }\nrule \"r\" { when tick; then { log 1 } }\n",
            "rule \"o\" { when start; then { disable rule \"r\"; wait 1s; enable rule \"r\" } }\nrule \"r\" { when tick; then { log 1 } }\n",
        ),
        (
            "restarted",
            "timer t = 3s\nrule \"a\" { when every 2s; then { start t } }\nrule \"e\" { when t ends; then { log 1 } }\n",
            "timer t = 3s\nrule \"a\" { when every 4s; then { start t } }\nrule \"e\" { when t ends; then { log 1 } }\n",
        ),
        (
            "broken-ramp",
            "var v = 0\nrule \"a\" { when start; then { ramp v to 9 over 1s; log v } }\nrule \"b\" { when after 1s; then { v = 2 } }\n",
            "var v = 0\nrule \"a\" { when start; then { ramp v to 9 over 1s; log v; wait 2s; v = 0 } }\n",
        ),
        (
            "stopped",
            "timer t = 3s running\nmachine m { start a; state a { enter { stop t }; to b when t ends } state b { to a after 1s } }\n",
            "timer t = 3s running\nmachine m { start a; state a { enter { stop t; start t }; to b when t ends } state b { to a after 1s } }\n",
        ),
        (
            "two-writes",
            "var open = false\nrule \"a\" { when every 1s; then { open = true; log open } }\nrule \"b\" { when every 1s; then { open = false } }\n",
            "var open = false\nrule \"a\" { when every 1s; then { open = true; log open } }\nrule \"b\" { when every 2s; then { open = false } }\n",
        ),
        (
            "two-writes",
            "var open = false\ntimer flood = 2s repeating running\nrule \"a\" { when flood ends; then { open = true; log open } }\nrule \"b\" { when flood ends; then { open = false } }\n",
            "var open = false\ntimer flood = 2s repeating running\ntimer ebb = 3s repeating running\nrule \"a\" { when flood ends; then { open = true; log open } }\nrule \"b\" { when ebb ends; then { open = false } }\n",
        ),
        (
            "never-saved",
            "keep var runs = 0\nrule \"a\" { when start; then { runs += 1; log runs } }\n",
            "keep var runs = 0\nrule \"a\" { when start; then { runs += 1; log runs; save } }\n",
        ),
        (
            "off-map",
            "tiles { '_' boards }\nmap \"\"\"\n____\n____\n\"\"\"\nrule \"a\" { when start; then { log (random(0, 4), random(0, 1)) } }\n",
            "tiles { '_' boards }\nmap \"\"\"\n____\n____\n\"\"\"\nrule \"a\" { when start; then { log (random(0, 3), random(0, 1)) } }\n",
        ),
        (
            "never-fires",
            "kind k { }\nplace k at (0, 0)\nrule \"r\" { when k as a nears k as b within 3; then { log 1 } }\n",
            "kind k { }\nplace k at (0, 0), (9, 0)\nrule \"r\" { when k as a nears k as b within 3; then { log 1 } }\n",
        ),
        (
            "never-written",
            "kind k { var nut = false }\nplace a: k at (0, 0)\nrule \"r\" { when every 1s; if a.nut; then { log 1 } }\n",
            "kind k { var nut = false }\nplace a: k at (0, 0) { nut = true }\nrule \"r\" { when every 1s; if a.nut; then { log 1 } }\n",
        ),
        (
            "never-read",
            "kind w { var full = false; rule \"r\" { when every 2s; then { self.full = true } } }\nplace w at (0, 0)\nkind p { var oil = 0; rule \"x\" { when every 1s; if self.oil > 0; then { self.oil = 1 } } }\nplace p at (1, 0)\n",
            "kind w { var full = false; rule \"r\" { when every 2s; if not self.full; then { self.full = true } } }\nplace w at (0, 0)\n",
        ),
        (
            "stepped-over",
            "kind a { var n = 0; rule \"ra\" { when every 1s; then { self.n += 3 } } }\nplace a at (0, 0)\nrule \"c\" { when a#1.n == 10 turns true; then { log 1 } }\n",
            "kind a { var n = 0; rule \"ra\" { when every 1s; then { self.n += 5 } } }\nplace a at (0, 0)\nrule \"c\" { when a#1.n == 10 turns true; then { log 1 } }\n",
        ),
    ];
    let mut wrong = vec![];
    for (code, text, sound) in table {
        let got = found(text);
        if got != [*code] {
            wrong.push(format!("wanted one {code}, got {got:?}:\n{text}"));
        }
        let got = found(sound);
        if !got.is_empty() {
            wrong.push(format!("is sound, and yet {got:?}:\n{sound}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn clauses_that_exclude_each_other_by_the_event_are_no_pair() {
    let text = r#"
message gong(n: number)
var open = true
rule "strike" { when start; then { send gong(1); send gong(5) after 1s } }
rule "close" { when hears gong(n); if n == 1 and open; then { open = false } }
rule "reopen" { when hears gong(n); if n == 5 and not open; then { open = true } }
"#;
    finds("complementary", &text.replace("n == 5", "n > 0"), "n > 0", "n == 5");
}

#[test]
fn clauses_that_exclude_each_other() {
    let text = r#"
var n = 0
var on = false
rule "up" { when every 1s; then { n += 1; on = not on } }
rule "never" { when n changes; if n > 3 and n < 9; if on; then { log n } }
"#;
    assert!(found(text).is_empty(), "{:?}", found(text));
    for (from, to) in
        [("n < 9", "n < 2"), ("n < 9", "n == 3"), ("n < 9", "3 >= n"), ("n < 9", "not on"), ("n > 3", "n == 9")]
    {
        assert_eq!(found(&text.replace(from, to)), ["never-true"], "{to}");
    }
    // The borders count.
    assert!(found(&text.replace("n > 3", "n >= 3").replace("n < 9", "n <= 3")).is_empty());
}

#[test]
fn a_flag_that_only_itself_could_raise() {
    let text = r#"
kind person { steered; var has_key = false }
kind lamp { var lit = false }
place keeper: person at (0, 0)
place lamp at (1, 0)
rule "light" { when person touches lamp; if lamp.lit; then { lamp.lit = true; log person.has_key } }
rule "give" { when start; if not keeper.has_key; then { keeper.has_key = true } }
"#;
    finds("never-true", text, "if lamp.lit", "if not lamp.lit");
    // One that begins lit, or another rule that lights it, is enough.
    finds("never-true", text, "place lamp at (1, 0)", "place lamp at (1, 0) { lit = true }");
    finds("never-true", text, "keeper.has_key = true", "keeper.has_key = true; lamp#1.lit = true");
    finds("never-true", text, "keeper.has_key = true", "keeper.has_key = true; spawn lamp at (2, 0) { lit = true }");
    let zone = r#"
kind person { steered }
kind room of zone { var known = false; rule "in" { when person enters self; if self.known; then { self.known = true; log 1 } } }
place keeper: person at (0, 0)
zone hall: room = rect (0, 0) 2 x 1
"#;
    finds("never-true", zone, "2 x 1", "2 x 1 { known = true }");
}

#[test]
fn what_starts_itself_again_and_again() {
    let text = r#"
message ping
var n = 0
rule "count" { when n changes; then { n += 1 } }
rule "ping" { when start; when hears ping; then { log n } }
rule "first" { when start; then { send ping } }
"#;
    finds("keeps-itself-going", text, "n += 1 }", "n = 1 }");
    finds("keeps-itself-going", text, "when n changes;", "when n changes; if n < 9;");
    let text = text.replace("n += 1 }", "n = 1 }");
    assert_eq!(found(&text.replace("log n", "log n; send ping")), ["keeps-itself-going"]);
    assert!(found(&text.replace("log n", "log n; send ping after 1s")).is_empty());
    assert!(found(&text.replace("log n", "log n; wait 1s; send ping")).is_empty());
}

#[test]
fn what_is_sent_to_one_that_does_not_hear_it() {
    let text = r#"
message bell(n: number)
kind bird { var heard = 0; rule "hear" { when hears bell(n); then { self.heard += n; log self.heard } } }
kind owl { speed 3 }
place hoot: owl at (0, 0)
place wren: bird at (1, 0)
rule "ring" { when start; then { send bell(1) to hoot } }
rule "all" { when hears bell(n); then { log n } }
"#;
    finds("never-heard", text, "to hoot", "to wren");
    finds("never-heard", text, "to hoot", "to all bird");
    finds("never-heard", text, " to hoot", "");
    finds("never-heard", text, "kind owl {", "kind owl like bird {");
}

#[test]
fn a_zone_off_the_map() {
    let text = "tiles { '_' boards }\nmap \"\"\"\n____\n\"\"\"\nkind person { steered }\nplace keeper: person at (0, 0)\n\
zone pool = rect (4, 0) 2 x 1\nrule \"in\" { when person enters pool; then { log 1 } }\n";
    finds("off-map", text, "rect (4, 0)", "rect (3, 0)");
    finds("off-map", text, "rect (4, 0) 2 x 1", "disc (4, 0) 1.5");
    assert!(found(&format!("level \"L\" {{ edges open }}\n{text}")).is_empty());
}

#[test]
fn two_rules_that_write_other_values_into_what_their_event_binds() {
    let text = r#"
kind person { steered; var n = 0 }
place keeper: person at (0, 0)
zone pool = rect (0, 0) 2 x 1
rule "one" { when person enters pool; then { person.n = 1 } }
rule "two" { when person enters pool; then { person.n = 0 } }
rule "show" { when person leaves pool; then { log person.n } }
"#;
    finds("two-writes", text, "person.n = 0 }", "log 3 }");
    finds("two-writes", text, "person.n = 0 }", "wait 1s; person.n = 0 }");
}

#[test]
fn zones_of_every_form_on_the_very_same_cells() {
    let ground = "map \"\"\"\n______\n______\n______\n\"\"\"\ntiles { '_' boards; '#' piles }\n";
    let forms = [
        "rect (0, 0) 2 x 2",
        "disc (1, 1) 1.5",
        "cells { 0: 1..2; 1: 3 }",
        "poly (0, 0) (3, 0) (3, 2)",
        "rect (0, 0) 2 x 2 + disc (1, 1) 1.5",
        "rect (0, 0) 2 x 2 - disc (1, 1) 1.5",
        "rect (0, 0) 2 x 1",
        "disc (1, 1) 1",
    ];
    for (i, a) in forms.iter().enumerate() {
        for (k, b) in forms.iter().enumerate() {
            let both = format!("{ground}zone a = {a}\nzone b = {b}\n");
            assert_eq!(found(&both).contains(&"same-cells"), i == k, "{both}");
        }
    }
}

/// However it is said what the event is about, and whoever else waits for it.
#[test]
fn two_rules_on_one_event_of_every_sort_of_which_one_makes_the_other_true() {
    let level = "map \"\"\"\n______\n\"\"\"\ntiles { '_' boards }\nkind lamp { var lit = false; zone glow = disc 2 }\nkind person { steered }\nplace me: person at (0, 0)\nplace lamp at (3, 0)\nzone pool = rect (1, 0) 2 x 1\nzone bay = rect (4, 0) 1 x 1\ninput pull = \"p\"\nmessage bell\nmessage gong\nvar n = 0\nvar on = false\ntimer ebb = 3s running\nmachine night { start calm; state calm { to wild after 2s } state wild { to calm after 2s } }\n";
    let one = |event: &str, on: &str, now: &str, title: &str| {
        format!("rule \"{title}\" {{ when {event}; if {on}; then {{ on = {now}; log on }} }}\n")
    };
    let events = [
        "person enters pool",
        "person leaves pool",
        "person enters bay",
        "person enters lamp.glow",
        "person touches lamp",
        "person presses pull",
        "hears bell",
        "hears gong",
        "ebb ends",
        "n changes",
        "n reaches 3",
        "night enters wild",
        "every 2s",
        "tick",
    ];
    for event in events {
        let others: String = events.iter().filter(|e| **e != event).map(|e| one(e, "n > 0", "true", e)).collect();
        let pair = one(event, "on", "false", "off") + &others + &one(event, "not on", "true", "on");
        let n = "rule \"n\" { when every 7s; then { n += 1; send bell; send gong } }\n";
        let all = found(&format!("{level}{n}{pair}"));
        assert!(all.contains(&"complementary"), "{event}: {all:?}");
        let alone = one(event, "on", "false", "off") + &others;
        assert!(!found(&format!("{level}{n}{alone}")).contains(&"complementary"), "{event}");
    }
}
