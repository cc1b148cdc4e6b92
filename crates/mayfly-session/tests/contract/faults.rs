//! §9: faults end the run where it is, what it wrote stays, and the level goes on.

use super::{flown, says};

/// A level whose rule faults in the midst, and what goes on beside it.
fn faulty(ground: &str, actions: &str) -> String {
    format!(
        r#"
{ground}
var before = 0
var after_ = 0
rule "faulty" {{ when after 1 ticks; then {{ before = 1; {actions}; after_ = 1 }} }}
rule "beside" {{ when after 1 ticks; then {{ log "beside" }} }}
rule "later" {{ when after 3 ticks; then {{ log "{{before}} {{after_}}" }} }}
"#
    )
}

/// Ground, what the rule does, the fault's kind, and words that its text must hold.
const TABLE: &[(&str, &str, &str, &[&str])] = &[
    ("var n = 0", "n = 5 / n", "division_by_zero", &["5 / 0"]),
    ("var n = 0", "n = 5 mod n", "division_by_zero", &["5 mod 0"]),
    ("var d = 0s", "log 5s / d", "division_by_zero", &[]),
    ("var n = 2", "n = sqrt(0 - n)", "not_a_number", &["-2"]),
    ("var n = 10", "repeat 400 { n *= 10 }", "not_a_number", &["too large"]),
    ("var d = 1s", "wait d - 2s", "not_a_number", &["-1s"]),
    ("", "log random(4, 3)", "not_a_number", &["4", "3"]),
    ("kind k\nvar who: k or none = none", "log who.x", "none", &["none"]),
    ("kind k\nvar who: k or none = none", "move who to (1, 1)", "none", &[]),
    ("kind k\nplace a: k at (0, 0)\nvar who: k = a", "remove a; wait 1 ticks; log who.x", "gone", &["a"]),
    ("kind k\nplace a: k at (0, 0)\nvar who: k = a", "remove a; wait 1 ticks; move who to (1, 1)", "gone", &["a"]),
    ("var l = [1, 2]", "log l[2]", "index", &["2"]),
    ("var l = [1, 2]", "log l[0 - 1]", "index", &["-1"]),
    ("var l = [1, 2]", "log l[0.5]", "index", &["0.5"]),
    ("var l = [1, 2]", "l[7] = 3", "index", &["7"]),
    ("var n = 0", "while n >= 0 { n += 1 }", "runaway_loop", &["10,000", "n"]),
    ("var n = 0", "repeat 200 { for i in 1..5000 { n += 1 } }", "runaway_loop", &["1,000,000"]),
    ("routine down(n: number) { down(n + 1) }", "down(1)", "recursion", &["down", "64"]),
    ("kind k", "repeat 10001 { spawn k at (0, 0) }", "limit", &["10,000 actors"]),
    ("var t = \"x\"", "repeat 40 { t = \"{t}{t}\" }", "limit", &["1 MiB"]),
    (
        "clock c { s 60; speed 1 s per 1 ticks }\nrule \"p\" { when c passes s; then { } }",
        "advance c by 200000 s",
        "limit",
        &["100,000"],
    ),
];

#[test]
fn each_fault_has_its_kind_and_says_its_values() {
    let mut wrong = vec![];
    for (ground, actions, kind, words) in TABLE {
        let text = faulty(ground, actions);
        let f = flown(&text, &[], 6);
        let told: Vec<String> = f.log.iter().map(|l| l.text.clone()).filter(|t| t == "beside" || t == "1 0").collect();
        match &f.faults[..] {
            [one] => {
                let name = one.rule.map(|r| f.engine.program.rule_name(r));
                let said = words.iter().all(|w| one.fault.text.contains(w));
                if one.fault.kind.name() != *kind || !said || name.as_deref() != Some("faulty") {
                    wrong.push(format!("{actions}: {} {:?} {name:?}", one.fault.kind.name(), one.fault.text));
                }
            }
            other => wrong.push(format!("{actions}: {} faults", other.len())),
        }
        if told != ["beside", "1 0"] {
            wrong.push(format!("{actions}: the level went on as {told:?}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn a_fault_stands_at_its_place_in_the_text() {
    let text = "var n = 0\nrule \"r\" {\n  when start\n  then {\n    n = 1\n    n = 2 / (n - 1)\n  }\n}\n";
    let f = flown(text, &[], 1);
    let span = f.faults[0].fault.span;
    assert_eq!(&text[span.start as usize..span.end as usize], "2 / (n - 1)");
}

#[test]
fn a_clause_that_faults_holds_its_rule() {
    let text = r#"
var n = 0
rule "r" { when tick; at most 2; if 1 / n > 0; then { log "fired" } }
rule "s" { when after 2 ticks; then { n = 1 } }
rule "w" { when 1 / n > 5 turns true; then { log "never" } }
"#;
    // Told once of an expression that is watched, at each evaluation of a clause.
    says(
        text,
        &[],
        5,
        "0 ! division_by_zero; 0 ! division_by_zero; 1 ! division_by_zero; 2 ! division_by_zero; 3 fired; 4 fired",
    );
    let f = flown(text, &[], 5);
    assert_eq!(f.history.live().rules[0].held, 3);
}

#[test]
fn a_runaway_names_its_loop_and_what_its_test_reads() {
    let f = flown("var n = 0\nvar goal = 5\nrule \"r\" { when start; then { while n != goal { n += 2 } } }", &[], 1);
    let text = &f.faults[0].fault.text;
    assert!(text.contains("n = ") && text.contains("goal = 5"), "{text}");
}

#[test]
fn nothing_of_a_level_is_without_bound() {
    // Each would take for ever or all memory, were it not stopped.
    for text in [
        "message m\nrule \"r\" { when hears m; then { send m; send m } }\nrule \"s\" { when start; then { send m } }",
        "var x = 0\nrule \"r\" { when x changes; then { x += 1 } }\nrule \"s\" { when start; then { x = 1 } }",
        "kind k { rule \"r\" { when self spawns; then { spawn k at self.at; spawn k at self.at } } }\nplace k at (0, 0)\nrule \"s\" { when start; then { spawn k at (0, 0) } }",
        "machine m { start a\n state a { to b if true } state b { to a if true } }",
        "machine m { start a\n state a { enter { go m to b } } state b { enter { go m to a } } }",
        "define a = count(any where b > 0)\ndefine b = 3\nrule \"r\" { when tick; then { repeat 9000 { log a } } }",
        "rule \"r\" { when tick; again beside; then { meanwhile { wait 1h }; wait 1h } }",
        "var l: list of number = [1]\nrule \"r\" { when tick; then { repeat 5000 { for x in l { l.push(x) } } } }",
    ] {
        let f = flown(text, &[], 3);
        assert_eq!(f.history.live().next, 3, "{text}");
    }
}

/// What can be faulty is looked at in every tick, whatever it stands behind; what cannot costs nothing and says nothing.
#[test]
fn a_board_that_turns_faulty_later_is_told_whatever_makes_it_so() {
    let level = |text: &str, later: &str| {
        format!(
            "enum fish {{ eel, roach }}\nkind person {{ var oil = 1; var bag = [1]; machine m {{ start a; state a {{ }} }} }}\nplace k: person at (0, 0)\n\
             var n = 1\nvar who: person or none = k\nvar some_day: number or none = 3\nvar list = [1, 2]\nvar words = \"ab\"\ntimer flood = 9s running\n\
             define share = 10 / n\ndefine twice = share * 2\ndefine all_well = count(person where person.bag[0] > 0)\ndefine there = count(person where person.oil > 0)\n\
             rule \"shows\" {{ when start; then {{ board {text} }} }}\nrule \"later\" {{ when after 500ms; then {{ {later} }} }}\n"
        )
    };
    // Those of the board alone: a defined value that is faulty tells so itself.
    let told = |text: &str, later: &str| {
        let f = super::flown(&level(text, later), &[], 20);
        let shows = f.faults.iter().filter(|x| x.rule.is_some_and(|r| f.engine.program.rule_name(r) == "shows"));
        shows.map(|x| (x.tick, x.fault.kind.name())).collect::<Vec<_>>()
    };
    for (text, later, kind) in [
        ("\"{10 / n}\"", "n = 0", "division_by_zero"),
        ("\"{share}\"", "n = 0", "division_by_zero"),
        ("\"{twice}\"", "n = 0", "division_by_zero"),
        ("\"so {if n > 0 then \"yes\" else \"{twice}\"}\"", "n = 0", "division_by_zero"),
        ("\"x\" while share > 1", "n = 0", "division_by_zero"),
        ("\"{who.oil}\"", "who = none", "none"),
        ("\"{some_day + 1}\"", "some_day = none", "none"),
        ("\"{list[1]}\"", "list.clear()", "index"),
        ("\"{all_well}\"", "k.bag.clear()", "index"),
        ("\"{n mod (n - 2)}\"", "n = 2", "division_by_zero"),
    ] {
        assert_eq!(told(text, later), [(10, kind)], "{text} / {later}");
    }
    for text in [
        "\"{n} of {there}, {flood.left}, {k.m}, {n + 2 * n}\"",
        "\"{words}\" while n > 0 and not (there == 3)",
        "\"{if n > 0 then \"some\" else \"none\"} {time}\"",
    ] {
        assert_eq!(told(text, "n = 0; who = none; k.oil = 0"), [], "{text}");
    }
}
