//! Every sort of error and finding: a text that raises it, at its place, and one beside it that does not.

use mayfly_lang::check::{self, Checked};

/// What stands before every text of the table.
const GROUND: &str = "enum mood { calm, wary }\ntag floats\nmessage bell(p: number)\ninput wind = \"e\"\ntimer flood = 3s\n\
kind person { steered; var oil = 1; zone aura = disc 2 }\nkind lamp { var lit = false; tags floats }\n\
place keeper: person at (0, 0)\nplace lamp at (3, 0)\nzone jetty = rect (1, 0) 2 x 1\nvar n = 0\nvar who: actor or none = none\n\
rule \"ground\" { when hears bell(p); then { n += p; send bell(1) after 1s; who = keeper; log \"{n} {who exists} {keeper.oil} {lamp#1.lit}\" } }\n";

/// Declarations that some rows need.
const CLOCK: &str = "clock tide { minute 60; hour 24; day 3 named mon tue wed }\n";
const HAUL: &str = "routine haul() -> number { n += 1; return n }\n";

fn checked(text: &str) -> Checked {
    check::check("t.may", &format!("{GROUND}{text}\n"))
}

/// Codes of the diagnostics, with the text at each one's place.
fn codes(text: &str) -> Vec<(String, String)> {
    let c = checked(text);
    let whole = &c.sources[0].text;
    // What the ground declares need not all be used by a row.
    let ground =
        |d: &&mayfly_lang::diagnostic::Diagnostic| d.code.starts_with("never-") && (d.span.end as usize) < GROUND.len();
    let all = c.diagnostics.iter().filter(|d| !ground(d));
    all.map(|d| (d.code.to_string(), whole[d.span.range()].to_string())).collect()
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
        ("never-read", format!("var idle = 0\n{}", act("idle += 1")), "idle", format!("var idle = 0\n{}", act("idle += 1; log idle"))),
        ("never-written", format!("var idle = 0\n{}", act("log idle")), "idle", format!("const idle = 0\n{}", act("log idle"))),
        ("never-used", "var idle = 0".into(), "idle", "keep var idle = 0\nrule \"z\" { when start; then { save } }".into()),
        ("stepped-over", format!("var c = 0\n{}", rule("when tick; if c == 10; then { c += 3 }")), "c == 10", format!("var c = 0\n{}", rule("when tick; if c == 12; then { c += 3 }"))),
        ("stepped-over", format!("var c = 0\n{}", rule("when c == 3 turns true; then { ramp c to 9 over 2s }")), "c == 3", format!("var c = 0\n{}", rule("when c >= 3 turns true; then { ramp c to 9 over 2s }"))),
        ("never-fires", rule("off; when start; then { n = 1 }"), "\"t\"", format!("{}\n{}", rule("off; when start; then { n = 1 }"), "rule \"on\" { when start; then { enable rule \"t\" } }")),
        ("never-fires", rule("when lamp presses wind; then { n = 1 }"), "lamp presses wind", rule("when person presses wind; then { n = 1 }")),
        ("never-fires", format!("timer ebb = 3s\n{}", rule("when ebb ends; then { n = 1 }")), "ebb ends", format!("timer ebb = 3s running\n{}", rule("when ebb ends; then { n = 1 }"))),
        ("never-fires", format!("zone pool = disc (0, 0) 1 for person\n{}", rule("when lamp enters pool; then { n = 1 }")), "lamp enters pool", format!("zone pool = disc (0, 0) 1 for lamp\n{}", rule("when lamp enters pool; then { n = 1 }"))),
        ("never-fires", format!("kind imp\n{}", rule("when imp enters jetty; then { n = 1 }")), "imp enters jetty", format!("kind imp\nplace imp at (0, 0)\n{}", rule("when imp enters jetty; then { n = 1 }"))),
        ("never-fires", rule("when tick; if false; then { n = 1 }"), "false", rule("when tick; if n > 1; then { n = 1 }")),
        ("complementary", "rule \"a\" { when person touches lamp; if lamp.lit; then { lamp.lit = false } }\nrule \"b\" { when person touches lamp; if not lamp.lit; then { lamp.lit = true } }".into(), "\"b\"", "first of \"either\" {\nrule \"a\" { when person touches lamp; if lamp.lit; then { lamp.lit = false } }\nrule \"b\" { when person touches lamp; if not lamp.lit; then { lamp.lit = true } }\n}".into()),
        ("rounded", act("wait 333ms"), "333ms", act("wait 350ms")),
        ("unguarded", act("log who.x"), "who", act("if who exists { log who.x }")),
        ("unguarded", rule("when start; if who.x > 1; then { n = 1 }"), "who", rule("when start; if who exists; if who.x > 1; then { n = 1 }")),
        ("unguarded", act("let l = nearest(lamp to keeper); log l.lit"), "l", act("let l = nearest(lamp to keeper); if not l exists { return }; log l.lit")),
        ("no-area", "place lamp in attic at (0, 0)".into(), "attic", "place lamp in main at (0, 0)".into()),
        (
            "no-area",
            rule("when person comes to attic; then { n = 1 }"),
            "attic",
            rule("when person comes to main; then { n = 1 }"),
        ),
        ("no-clock", act("advance tide by 1 hour"), "tide", act("n = 1")),
        (
            "unknown-name",
            format!("{CLOCK}{}", act("n = tide.week")),
            "week",
            format!("{CLOCK}{}", act("n = tide.hour")),
        ),
        (
            "bad-unit",
            format!("{CLOCK}{}", rule("when tide passes hour 24; then { n = 1 }")),
            "24",
            format!("{CLOCK}{}", rule("when tide passes hour 23; then { n = 1 }")),
        ),
        (
            "unknown-name",
            format!("{CLOCK}{}", rule("when tide passes week; then { n = 1 }")),
            "week",
            format!("{CLOCK}{}", rule("when tide passes day wed; then { n = 1 }")),
        ),
        ("bad-setting", "clock c { minute }".into(), "minute", "clock c { minute 60 }".into()),
        (
            "bad-setting",
            "clock c { day 3 named mon tue }".into(),
            "day 3 named mon tue",
            "clock c { day 2 named mon tue }".into(),
        ),
        (
            "bad-sight",
            "kind owl { sight wedge 90 }".into(),
            "sight wedge 90",
            "kind owl { sight wedge 90 reach 4 }".into(),
        ),
        (
            "bad-sight",
            "kind owl { sight far reach 9 }".into(),
            "sight far reach 9",
            "kind owl { sight all reach 9 }".into(),
        ),
        (
            "never-fires",
            rule("when lamp sees person; then { n = 1 }"),
            "lamp",
            format!("kind owl {{ sight all reach 3 }}\nplace owl at (0, 0)\n{}", rule("when owl sees person; then { n = 1 }")),
        ),
        ("no-goal", act("walk keeper straight"), "walk keeper straight", act("walk keeper to (1, 1) straight")),
        (
            "no-goal",
            act("walk keeper to (1, 1) after lamp#1"),
            "walk keeper to (1, 1) after lamp#1",
            act("walk keeper after lamp#1"),
        ),
        (
            "no-tile",
            rule("when person treads mud; then { n = 1 }"),
            "mud",
            format!("tiles {{ 'm' mud }}\n{}", rule("when person treads mud; then { n = 1 }")),
        ),
        ("wait-for-time", act("wait for every 2s"), "every 2s", act("wait 2s")),
        (
            "two-areas",
            "area attic map \"\"\"\n  \n\"\"\"\npath way = (0, 0) attic (1, 0)".into(),
            "way",
            "path way = (0, 0) (1, 0)".into(),
        ),
        ("bad-size", "path way = (0, 0)".into(), "way", "path way = (0, 0) (1, 0) loop".into()),
        (
            "bad-row",
            "records wave(a: number, b: number) { (1, 2); (3) }".into(),
            "(3)",
            "records wave(a: number, b: number) { (1, 2); (3, 4) }".into(),
        ),
        (
            "unknown-name",
            format!("records wave(a: number) {{ (1) }}\n{}", act("n = wave[0].c")),
            "c",
            format!("records wave(a: number) {{ (1) }}\n{}", act("n = wave[0].a")),
        ),
        (
            "no-kind",
            "zone pool: lamp = rect (1, 1) 1 x 1".into(),
            "lamp",
            "kind spot of zone\nzone pool: spot = rect (1, 1) 1 x 1".into(),
        ),
        (
            "no-kind",
            "kind spot of zone\nplace spot at (0, 0)".into(),
            "spot",
            "kind spot of zone\nzone pool: spot = disc (0, 0) 1".into(),
        ),
        (
            "unknown-name",
            format!("kind spot of zone\nzone pool: spot = disc (0, 0) 1\n{}", act("n = pool.yields")),
            "yields",
            format!(
                "kind spot of zone {{ var yields = 1 }}\nzone pool: spot = disc (0, 0) 1\n{}",
                act("n = pool.yields")
            ),
        ),
        (
            "routine-acts",
            format!("{HAUL}{}", rule("when start; if haul() > 1; then { n = 1 }")),
            "haul()",
            format!("{HAUL}{}", rule("when start; then { n = haul() }")),
        ),
        (
            "routine-acts",
            format!("{HAUL}{}", act("while haul() > 1 { n += 1 }")),
            "haul()",
            format!("{HAUL}{}", act("let got = haul(); if got > 1 { n += 1 }")),
        ),
        ("routine-waits", "routine r() -> number { wait 1s; return 1 }".into(), "r", "routine r() { wait 1s }".into()),
        (
            "no-return",
            "routine r(a: number) -> number { if a > 1 { return 1 } }".into(),
            "r",
            "routine r(a: number) -> number { if a > 1 { return 1 }; return 2 }".into(),
        ),
        (
            "no-value",
            format!("routine r() {{ n += 1 }}\n{}", act("n = r()")),
            "r()",
            format!("routine r() {{ n += 1 }}\n{}", act("r()")),
        ),
        (
            "wrong-count",
            format!("routine r(a: number) {{ n += a }}\n{}", act("r()")),
            "r()",
            format!("routine r(a: number) {{ n += a }}\n{}", act("r(1)")),
        ),
        (
            "not-written",
            format!("kind imp {{ define far = self.x > 3 }}\nplace i: imp at (0, 0)\n{}", act("i.far = true")),
            "i.far",
            act("n = 1"),
        ),
        (
            "define-draws",
            "kind imp { define luck = chance(10%) }".into(),
            "chance(10%)",
            "kind imp { define far = self.x > 3 }".into(),
        ),
        ("wrong-type", act("lay lamp at (1, 1)"), "lamp", format!("tiles {{ 'm' mud }}\n{}", act("lay mud at (1, 1)"))),
        ("no-message", act("send n(1)"), "n", act("send bell(1)")),
        (
            "wrong-type",
            format!("message pong(t: text)\nvar m: message = bell\n{}", act("m = pong")),
            "pong",
            format!("message pong(q: number)\nvar m: message = bell\n{}", act("m = pong")),
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
        // Rows about something else need not use what they declare.
        let mut clean = codes(mended);
        clean.retain(|(c, _)| code.starts_with("never-") || !c.starts_with("never-"));
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

#[test]
fn of_a_line_without_end_the_piece_round_the_mistake_is_shown() {
    let statements: String = (0..40_000).map(|i| format!("n{i} = 1; ")).collect();
    let text = format!("rule \"r\" {{ when tick; then {{ {statements}}} }}\n");
    let c = check::check("t.may", &text);
    let d = &c.diagnostics[400];
    let name = &text[d.span.range()];
    let json = serde_json::to_string(&d.json(&c.sources)).expect("JSON");
    for told in [d.print(&c.sources, false), json] {
        assert!(told.len() < 20_000 && told.contains(name), "{name}: {} bytes", told.len());
    }
}

/// Files of a level, by name.
fn files(all: &[(&str, &str)]) -> Checked {
    let main = all[0].1;
    check::check_with("level.may", main, &mut |path| {
        all.iter()
            .find(|(n, _)| *n == path)
            .map(|(_, t)| (*t).to_string())
            .ok_or(mayfly_lang::check::LoadError::Missing)
    })
}

#[test]
fn several_files_are_one_level_and_keep_what_is_private() {
    let wheels = "use \"lib/deep.may\"\n/// Ask turns instead.\nprivate var secret = depth\nvar turns = secret * 2\n";
    let deep = "const depth = 3\n";
    let good = files(&[
        ("", "use \"lib/wheels.may\"\nuse \"lib/deep.may\"\nvar n = turns\n"),
        ("lib/wheels.may", &wheels.replace("lib/", "")),
        ("lib/deep.may", deep),
    ]);
    assert!(good.level.is_some(), "{:?}", good.diagnostics);
    assert_eq!(good.sources.len(), 3, "a file is read once");
    for (main, others, code, file, said) in [
        (
            "use \"w.may\"\nvar n = secret\n",
            vec![("w.may", "/// Ask turns.\nprivate var secret = 1\n")],
            "private",
            0,
            "Ask turns.",
        ),
        ("use \"w.may\"\n", vec![("w.may", "use \"level.may\"\n")], "circle", 1, "circle"),
        ("use \"../w.may\"\n", vec![], "use-outside", 0, "folder"),
        ("use \"w.may\"\n", vec![], "no-file", 0, "no such file"),
        ("use \"w.may\"\nvar n = m\n", vec![("w.may", "var m = \n")], "syntax", 1, "value"),
        ("use \"w.may\"\nvar n = 1\n", vec![("w.may", "var n = 2\n")], "name-taken", 0, "twice"),
        ("use \"w.may\"\n", vec![("w.may", "var a = b\n")], "unknown-name", 1, "`b`"),
    ] {
        let mut all = vec![("", main)];
        all.extend(others);
        let c = files(&all);
        let d = c.diagnostics.first().unwrap_or_else(|| panic!("{main} is told nothing"));
        assert_eq!((d.code, d.span.file, c.errors()), (code, file, 1), "{main}: {:?}", c.diagnostics);
        assert!(d.message.contains(said) || d.help.contains(said), "{main}: {d:?}");
        d.print(&c.sources, false);
    }
}
