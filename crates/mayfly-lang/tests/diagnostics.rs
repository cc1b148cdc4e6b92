//! Every sort of error and finding: a text that raises it, at its place, and one beside it that does not.

use mayfly_lang::check::{self, Checked};

/// What stands before every text of the table.
const GROUND: &str = "enum mood { calm, wary }\ntag floats\nmessage bell(p: number)\ninput wind = \"e\"\ntimer flood = 3s\n\
kind person { steered; var oil = 1; zone aura = disc 2 }\nkind lamp { var lit = false; tags floats }\n\
place keeper: person at (0, 0)\nplace lamp at (3, 0)\nzone jetty = rect (1, 0) 2 x 1\nvar n = 0\nvar who: actor or none = none\n\
rule \"ground\" { when hears bell(p); then { n += p; send bell(1) after 1s } }\n";

fn checked(text: &str) -> Checked {
    check::check("t.may", &format!("{GROUND}{text}\n"))
}

/// Codes of the diagnostics, with the text at each one's place.
fn codes(text: &str) -> Vec<(String, String)> {
    let c = checked(text);
    let whole = &c.sources[0].text;
    c.diagnostics.iter().map(|d| (d.code.to_string(), whole[d.span.range()].to_string())).collect()
}

fn rule(body: &str) -> String {
    format!("rule \"t\" {{ {body} }}")
}

/// In the `then` of a rule that an event about a person and a lamp starts.
fn act(body: &str) -> String {
    rule(&format!("when person touches lamp; then {{ {body} }}"))
}

#[test]
fn each_mistake_gives_one_error_at_its_place_and_its_mend_none() {
    let table: Vec<(&str, String, &str, String)> = vec![
        // code, wrong, where, right
        ("unknown-name", act("m = 1"), "m", act("n = 1")),
        ("unknown-name", act("log lamp.lot"), "lot", act("log lamp.lit")),
        (
            "unknown-name",
            rule("when person enters jety; then { n = 1 }"),
            "jety",
            rule("when person enters jetty; then { n = 1 }"),
        ),
        ("unknown-name", act("send bel(1)"), "bel", act("send bell(1)")),
        ("unknown-name", act("log flor(1)"), "flor", act("log floor(1)")),
        (
            "unknown-name",
            rule("when person presses wnd; then { n = 1 }"),
            "wnd",
            rule("when person presses wind; then { n = 1 }"),
        ),
        (
            "unknown-name",
            rule("when start; cooldown 1s per lamp; then { n = 1 }"),
            "lamp",
            rule("when person touches lamp; cooldown 1s per lamp; then { n = 1 }"),
        ),
        ("unknown-name", act("enable rule \"grund\""), "\"grund\"", act("enable rule \"ground\"")),
        ("wrong-type", act("n = \"x\""), "\"x\"", act("n = 2")),
        ("wrong-type", act("wait 3"), "3", act("wait 3s")),
        ("wrong-type", rule("when start; if n; then { n = 1 }"), "n", rule("when start; if n > 0; then { n = 1 }")),
        ("wrong-type", act("log 1 + 2s"), "1 + 2s", act("log 1s + 2s")),
        ("wrong-type", act("log keeper in n"), "n", act("log keeper in jetty")),
        ("wrong-type", rule("when n turns true; then { n = 1 }"), "n", rule("when n > 0 turns true; then { n = 1 }")),
        ("wrong-type", act("n += \"x\""), "\"x\"", act("n += 1")),
        ("wrong-count", act("send bell"), "bell", act("send bell(2)")),
        ("wrong-count", act("log floor(1, 2)"), "floor(1, 2)", act("log floor(1)")),
        (
            "wrong-count",
            rule("when hears bell(a, b); then { n = a }"),
            "bell(a, b)",
            rule("when hears bell(a); then { n = a }"),
        ),
        ("reserved-word", "var when = 1".into(), "when", "var whenever = 1".into()),
        ("reserved-word", act("let if = 1"), "", act("let iff = 1")),
        ("name-taken", "var keeper = 1".into(), "keeper", "var other = 1".into()),
        ("name-hidden", act("let n = 1"), "n", act("let m = 1")),
        (
            "title-taken",
            "rule \"ground\" { when start; then { n = 1 } }".into(),
            "\"ground\"",
            "rule \"other\" { when start; then { n = 1 } }".into(),
        ),
        ("self-outside", act("log self"), "self", act("log lamp")),
        ("kind-for-actor", rule("when start; then { log lamp.lit }"), "lamp.lit", act("log lamp.lit")),
        (
            "two-kinds",
            rule("when lamp.lit and person.oil > 0 turns true; then { n = 1 }"),
            "person",
            rule("when lamp.lit turns true; then { n = 1 }"),
        ),
        (
            "both-as",
            rule("when lamp touches lamp; then { n = 1 }"),
            "lamp",
            rule("when lamp as a touches lamp as b; then { n = 1 }"),
        ),
        (
            "other-names",
            rule("when person touches lamp; when start; then { n = 1 }"),
            "start",
            rule("when person touches lamp; when person parts from lamp; then { n = 1 }"),
        ),
        ("no-when", rule("then { n = 1 }"), "\"t\"", rule("when start; then { n = 1 }")),
        ("no-then", rule("when start"), "\"t\"", rule("when start; then { n = 1 }")),
        ("no-loop", act("break"), "break", act("repeat 2 { break }")),
        ("not-written", act("lamp = keeper"), "lamp", act("lamp.lit = true")),
        ("circle", "define a = b + 1\ndefine b = a".into(), "", "define a = n + 1\ndefine b = a".into()),
        ("circle", "const a = a".into(), "a", "const a = 1".into()),
        ("define-draws", "define a = random()".into(), "random()", "var a = random()".into()),
        ("no-constant", "zone z = disc (n, 0) 2".into(), "(n, 0)", "zone z = disc (1, 0) 2".into()),
        ("no-type", "var l = []".into(), "[]", "var l: list of number = []".into()),
        ("bad-bounds", "var l = 1 within 5 to 2".into(), "within 5 to 2", "var l = 1 within 0 to 2".into()),
        ("bad-size", "zone z = rect (0, 0) 0 x 2".into(), "rect (0, 0) 0 x 2", "zone z = rect (0, 0) 1 x 2".into()),
        ("bad-look", "kind k { look \"ab\" }".into(), "look \"ab\"", "kind k { look \"a\" }".into()),
        ("unknown-word", "kind k { spede 3 }".into(), "spede 3", "kind k { speed 3 }".into()),
        ("two-places", "place x: lamp at (1, 1), (2, 2)".into(), "x", "place x: lamp at (1, 1)".into()),
        ("key-taken", "input other = \"e\"".into(), "other", "input other = \"f\"".into()),
        ("lone-brace", act("tell \"a } b\""), "}", act("tell \"a }} b\"")),
        ("bad-escape", act("tell \"a \\q\""), "\\q", act("tell \"a \\n\"")),
        ("syntax", act("n = "), "", act("n = 1")),
        (
            "syntax",
            rule("when person touchs lamp; then { n = 1 }"),
            "touchs",
            rule("when person touches lamp; then { n = 1 }"),
        ),
        ("syntax", act("n = 1 2"), "2", act("n = 1; n = 2")),
        ("syntax", act("log 1 < 2 < 3"), "<", act("log 1 < 2 and 2 < 3")),
        (
            "unknown-state",
            "machine m { start a; state a { to c after 1s } }".into(),
            "c",
            "machine m { start a; state a { to b after 1s } state b { } }".into(),
        ),
        ("no-start", "machine m { state a { } }".into(), "m", "machine m { start a; state a { } }".into()),
        (
            "leave-waits",
            "machine m { start a; state a { leave { wait 1s } } }".into(),
            "",
            "machine m { start a; state a { enter { wait 1s } } }".into(),
        ),
        (
            "loop-no-wait",
            "machine m { start a; state a { loop { n += 1 } } }".into(),
            "",
            "machine m { start a; state a { loop { n += 1; wait 1s } } }".into(),
        ),
        (
            "needs",
            "machine m for lamp { needs fuel: number; start a; state a { } }".into(),
            "fuel",
            "machine m for lamp { needs lit: flag; start a; state a { } }".into(),
        ),
        ("not-built", "clock tide { minute 60 }".into(), "tide", "timer tide = 60s".into()),
        ("not-built", act("walk keeper to (1, 1)"), "walk", act("move keeper to (1, 1)")),
        (
            "not-built",
            rule("when person sees lamp; then { n = 1 }"),
            "person sees lamp",
            rule("when person nears lamp within 3; then { n = 1 }"),
        ),
        // findings
        ("rounded", rule("when every 33ms; then { n = 1 }"), "33ms", rule("when every 50ms; then { n = 1 }")),
        (
            "never-heard",
            format!("message cry\n{}", act("send cry")),
            "cry",
            format!("message cry\n{}\nrule \"u\" {{ when hears cry; then {{ n = 1 }} }}", act("send cry")),
        ),
        ("never-sent", "message cry\nrule \"u\" { when hears cry; then { n = 1 } }".into(), "cry", String::new()),
        ("never-used", "message cry".into(), "cry", String::new()),
        (
            "unreachable-state",
            "machine m { start a; state a { } state b { } }".into(),
            "b",
            "machine m { start a; state a { to b after 1s } state b { } }".into(),
        ),
    ];
    assert_eq!(codes(""), vec![], "the ground itself is sound");
    let mut wrong = vec![];
    for (code, text, place, mended) in &table {
        let got = codes(text);
        let one = got.len() == 1 && got[0].0 == *code && (place.is_empty() || got[0].1 == *place);
        if !one {
            wrong.push(format!("{text}\n  wanted one {code} at `{place}`, got {got:?}"));
        }
        let clean = codes(mended);
        if !clean.is_empty() {
            wrong.push(format!("{mended}\n  is sound, and yet {clean:?}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn all_errors_of_a_file_are_told_at_once_in_order() {
    let c = checked("var a = \nplace lampe at (1, 1)\nrule \"x\" { when start; then { b = 1; wait 3 } }\nfoo\n");
    let lines: Vec<usize> = c.diagnostics.iter().map(|d| d.place(&c.sources).0).collect();
    let first = GROUND.lines().count() + 1;
    assert_eq!(lines, [first, first + 1, first + 2, first + 2, first + 3]);
    assert!(c.level.is_none());
}

#[test]
fn a_diagnostic_shows_its_line_and_never_raw_control_characters() {
    let c = check::check("a\u{1b}b.may", "var \u{202e}x = \"\u{1b}[31m\" + 1\n");
    for d in &c.diagnostics {
        let text = d.print(&c.sources, false);
        assert!(!text.contains(['\u{1b}', '\u{202e}']), "{text:?}");
        assert!(text.contains("help:"), "{text}");
    }
    assert!(c.errors() > 0);
}
