//! What someone new writes wrong: one mistake, one error, with the words that lead out, and the text as it was meant.

use mayfly_lang::check::{self, Checked};
use mayfly_lang::diagnostic::Severity;
use mayfly_lang::edit::{Change, TextEdit};

const GROUND: &str = "input wind = \"e\"\nmessage smell\nmessage bell(n: number)\nenum stall { fish, eggs }\n\
tiles { '_' boards tagged footing; 'w' water solid }\nmap \"\"\"\n____ww__\n________\n\"\"\"\n\
kind person { steered; var oil = 1 }\nkind lamp { var lit = false }\n\
place keeper: person at (0, 0)\nplace lamp at (3, 1), (5, 1)\nvar heat = 0\nvar z: stall = fish\nvar w: actor or none = none\n";

fn checked(text: &str) -> Checked {
    check::check("t.may", &format!("{GROUND}{text}\n"))
}

/// The one error of a text, printed whole.
fn told(text: &str) -> Result<String, String> {
    let c = checked(text);
    let all: Vec<_> = c.diagnostics.iter().filter(|d| d.severity == Severity::Error).collect();
    let printed: Vec<String> = all.iter().map(|d| d.print(&c.sources, false)).collect();
    match printed.as_slice() {
        [one] => Ok(one.clone()),
        _ => Err(printed.join("\n")),
    }
}

/// In the `then` of a rule about a person and a lamp.
fn act(body: &str) -> String {
    format!("rule \"t\" {{\n when person touches lamp\n then {{ {body} }}\n}}")
}

#[test]
fn a_common_mistake_is_one_error_that_leads_out() {
    // Wrong, words that the error holds, right.
    let table: Vec<(String, &[&str], String)> = vec![
        (
            "rule \"t\" { when heat >= 2; then { heat = 0 } }".into(),
            &["there is `>=`", "`when lamps_lit == 3 turns true`", "behind `if`"],
            "rule \"t\" { when heat >= 2 turns true; then { heat = 0 } }".into(),
        ),
        (
            "path p closed (1, 1) (2, 2)".into(),
            &["`=` and points is missing here"],
            "path p = (1, 1) (2, 2) loop".into(),
        ),
        (
            "rule \"t\" { when person hears bell(n); then { log n } }".into(),
            &["this event is not understood", "`hears` names nobody"],
            "rule \"t\" { when hears bell(n); then { log n } }".into(),
        ),
        (
            "rule \"t\" { when hears smell(n); then { log n } }".into(),
            &["`smell` has 0 values, and 1 is named", "hears smell()"],
            "rule \"t\" { when hears bell(n); then { log n } }".into(),
        ),
        (
            "rule \"t\" { when lamp as l toches keeper; then { l.lit = true; heat += 1 } }".into(),
            &["this event is not understood", "did you mean `touches`?"],
            "rule \"t\" { when lamp as l touches keeper; then { l.lit = true; heat += 1 } }".into(),
        ),
        (
            "place lamp#9: lamp at (1, 1)".into(),
            &["`lamp#9` is no name that can be given", "take the `#` out"],
            "place lamp9: lamp at (1, 1)".into(),
        ),
        (act("for each i in 1..3 { heat += i }"), &["without `each`"], act("for i in 1..3 { heat += i }")),
        (
            act("for each l in all lamp { l.lit = true }"),
            &["without `each`"],
            act("for l in all lamp { l.lit = true }"),
        ),
        (act("for i in 1 to 3 { heat += i }"), &["with `..`", "for i in 1..5"], act("for i in 1..3 { heat += i }")),
        ("path way once (0, 0) (1, 0)".into(), &["`=` and points"], "path way = (0, 0) (1, 0) once".into()),
        (
            "rule \"t\" { when tick; then log 1 }".into(),
            &["the `{` of `then` is missing here", "before what belongs to `then`"],
            "rule \"t\" { when tick; then { log 1 } }".into(),
        ),
        (
            "table t: number { 1 2 }\nroutine r(from: table of number) -> number { return roll(from) }".into(),
            &["`from`", "word of the language"],
            "table t: number { 1 2 }\nroutine r(of_: table of number) -> number { return roll(of_) }".into(),
        ),
        ("message go(from: number)".into(), &["`from`", "word of the language"], "message go(origin: number)".into()),
        (
            "routine haul(to: number) { log to }".into(),
            &["`to`", "word of the language"],
            "routine haul(goal: number) { log goal }".into(),
        ),
        (
            "rule \"t\" { when every 1s, then { heat += 1 } }".into(),
            &[",", "then"],
            "rule \"t\" { when every 1s; then { heat += 1 } }".into(),
        ),
        ("keep define hot = heat > 3".into(), &["keep", "define"], "define hot = heat > 3".into()),
        (
            "var wet = dry + 1\nrule \"t\" { when wet changes; then { wet += 1; log wet } }".into(),
            &["`dry`"],
            "var wet = 1\nrule \"t\" { when wet changes; then { wet += 1; log wet } }".into(),
        ),
        ("kind crate { solid opaque }".into(), &["solid", ";"], "kind crate { solid; opaque }".into()),
        (
            "rule \"t\" { when tick; if heat = 2; then { log 1 } }".into(),
            &["`==`"],
            "rule \"t\" { when tick; if heat == 2; then { log 1 } }".into(),
        ),
        (
            "rule \"t\" { when tick; if z is eggs; then { log 1 } }".into(),
            &["=="],
            "rule \"t\" { when tick; if z == eggs; then { log 1 } }".into(),
        ),
        (
            "zone jetty = rect (1, 0) 2 x 1\nrule \"t\" { when any enters jetty; then { remove any } }".into(),
            &["any", "as"],
            "zone jetty = rect (1, 0) 2 x 1\nrule \"t\" { when any as who enters jetty; then { remove who } }".into(),
        ),
        (
            "rule \"t\" { on person enters jetty; then { heat += 1 } }\nzone jetty = rect (1, 0) 2 x 1".into(),
            &["`on`", "behind `when`"],
            "rule \"t\" { when any enters jetty; then { heat += 1 } }\nzone jetty = rect (1, 0) 2 x 1".into(),
        ),
        (
            "rule \"t\" { when tick; do { heat += 1 } }".into(),
            &["`do`", "`then { }`"],
            "rule \"t\" { when tick; then { heat += 1 } }".into(),
        ),
        (
            "zone jetty = rect (1, 0) 2 x 1\nrule \"t\" { when lamp is in jetty; then { heat += 1 } }".into(),
            &["there is no `is`", "when person in"],
            "zone jetty = rect (1, 0) 2 x 1\nrule \"t\" { when lamp in jetty; then { heat += 1 } }".into(),
        ),
        (
            "zone jetty = rect (1, 0) 2 x 1\nrule \"t\" { when lamp is inside jetty; then { heat += 1 } }".into(),
            &["before `in` there is no `is`"],
            "zone jetty = rect (1, 0) 2 x 1\nrule \"t\" { when lamp in jetty; then { heat += 1 } }".into(),
        ),
        ("var depth: map = {}".into(), &["`map`", "a tally"], "var depth: tally of number = {}".into()),
        (
            "rule \"t\" { when heat becomes 3; then { log heat } }".into(),
            &["`becomes`", "when heat reaches 3"],
            "rule \"t\" { when heat reaches 3; then { log heat } }".into(),
        ),
        (act("move lamp#1 3 3"), &["move lamp#1 to (3, 4)"], act("move lamp#1 to (3, 3)")),
        (
            "timer flood = 3s\nrule \"t\" { when start; then { start flood 5s } }".into(),
            &["start flood for 5s"],
            "timer flood = 3s\nrule \"t\" { when start; then { start flood for 5s } }".into(),
        ),
        ("zone pool = circle (3, 3) 2".into(), &["disc (9, 9) 2"], "zone pool = disc (3, 3) 2".into()),
        ("zone pool = rect 1, 1, 2, 2".into(), &["a point", "rect (4, 2) 6 x 3"], "zone pool = rect (1, 1) 2 x 2".into()),
        ("var depth: int = 3".into(), &["`int`", "write `number`"], "var depth: number = 3".into()),
        ("place wick at (1, 1): lamp".into(), &["place keeper: person at"], "place wick: lamp at (1, 1)".into()),
        (
            "kind torch extends lamp { }\nplace torch at (3, 1)\nrule \"t\" { when start; then { torch#1.lit = true } }".into(),
            &["`like`", "not by `extends`", "like lamp"],
            "kind torch like lamp { }\nplace torch at (3, 1)\nrule \"t\" { when start; then { torch#1.lit = true } }".into(),
        ),
        ("kind torch: lamp { }".into(), &["not by `:`", "like lamp"], "kind torch like lamp { }".into()),
        (
            "rule \"t\" { when bell(n); then { heat = n } }".into(),
            &["when hears bell(n)"],
            "rule \"t\" { when hears bell(n); then { heat = n } }".into(),
        ),
        (act("destroy lamp#1"), &["`remove crate`"], act("remove lamp#1")),
        (act("set heat to 3"), &["a clock", "heat = 3"], act("heat = 3")),
        (act("lamp#1.colour = red"), &["`red`", "amber", "silt"], act("lamp#1.colour = clay")),
        (act("repeat 3 times { heat += 1 }"), &["take `times` out"], act("repeat 3 { heat += 1 }")),
        (
            "machine door { start open; state open { when tick to shut } state shut { } }".into(),
            &["`when`", "to shut when"],
            "machine door { start open; state open { to shut when tick } state shut { } }".into(),
        ),
        ("enum ebb { low high }".into(), &["parted by `,`"], "enum ebb { low, high }".into()),
        ("kind crane { solid: true }".into(), &["without `:`"], "kind crane { solid true }".into()),
        ("kind crane { size 2 }".into(), &["a point", "(3, 4)"], "kind crane { size (2, 2) }".into()),
        ("var depth: 3".into(), &["a first value stands behind `=`"], "var depth = 3".into()),
        (
            "zone a = rect (1, 0) 2 x 1\nzone b = a and a".into(),
            &["put together by `+`"],
            "zone a = rect (1, 0) 2 x 1\nzone b = a + a".into(),
        ),
        ("path way = (0, 0), (1, 1)".into(), &["one behind the other"], "path way = (0, 0) (1, 1) once".into()),
        (
            "rule \"t\" { when lamp nears lamp as other within 2 cells; then { heat += 1 } }".into(),
            &["take `cells` out"],
            "rule \"t\" { when lamp as one nears lamp as other within 2; then { heat += 1 } }".into(),
        ),
        ("tiles { '##' piles solid }".into(), &["one character"], "tiles { '%' palings solid }".into()),
        (
            "var wanted: set of number = { 1, 2 }".into(),
            &["braces hold no value", "`set(1, 2)`"],
            "var wanted: set of number = set(1, 2)".into(),
        ),
        ("kind crane { sight { all reach 4 } }".into(), &["braces", "leave them out"], "kind crane { sight all reach 4 }".into()),
        (act("heat = count(all)"), &["all"], act("heat = count(any)")),
        (act("log lamp.footing"), &["`footing`"], act("log tile_at(lamp.at) tagged footing")),
        (act("heat = count(lamps where lamp.lit)"), &["`lamps`", "`lamp`"], act("heat = count(lamp where lamp.lit)")),
        (act("send smel"), &["`smel`", "`smell`"], act("send smell")),
        (act("send heat(1)"), &["message"], act("send bell(1)")),
        (act("bell(1)"), &["send bell(1)"], act("send bell(1)")),
        (act("walk lamps to (1, 1)"), &["`lamps`"], act("walk lamp to (1, 1)")),
        (
            "rule \"t\" { when start; then { lamp.lit = true } }".into(),
            &["`lamp`", "kind", "some(lamp where", "for x in all lamp"],
            "rule \"t\" { when start; then { for l in all lamp { l.lit = true } } }".into(),
        ),
        ("var \u{0301}heat2 = 1".into(), &["\\u{301}"], "var heat2 = 1".into()),
        (
            "rule \"t\" { when tick; while heat > 1; while heat < 9; then { heat = 1 } }".into(),
            &["`while` twice", "`and`"],
            "rule \"t\" { when tick; while heat > 1 and heat < 9; then { heat = 1 } }".into(),
        ),
        (
            "rule \"t\" { when tick; again skip; again later; then { heat = 1 } }".into(),
            &["`again` twice", "take one of the two out"],
            "rule \"t\" { when tick; again later; then { heat = 1 } }".into(),
        ),
        ("level \"L\" { rate 10; rate 20 }".into(), &["rate", "twice"], "level \"L\" { rate 10 }".into()),
        (act("tell \"{heat:99}\""), &["99", "decimals"], act("tell \"{heat:2}\"")),
        (act("heat = 1\n  else { heat = 2 }"), &["else"], act("if heat > 1 { heat = 1 }\n  else { heat = 2 }")),
        (act("if heat > 1 then { heat = 1 }"), &["then"], act("if heat > 1 { heat = 1 }")),
        (act("heat++"), &["+= 1"], act("heat += 1")),
        (act("if heat > 1 && heat < 3 { heat = 1 }"), &["and"], act("if heat > 1 and heat < 3 { heat = 1 }")),
        (act("if !lamp.lit { heat = 1 }"), &["not"], act("if not lamp.lit { heat = 1 }")),
        (act("wait 2"), &["2s"], act("wait 2s")),
        (act("wait 2 seconds"), &["2s"], act("wait 2s")),
        (act("tell 'hello'"), &["\"hello\""], act("tell \"hello\"")),
        (act("lamp.lit = True"), &["true"], act("lamp.lit = true")),
        ("level { rate 10 }".into(), &["title", "quotes"], "level \"L\" { rate 10 }".into()),
        (act("w = null"), &["none"], act("w = none")),
        (
            "rule light { when start; then { heat = 1 } }".into(),
            &["\"light\""],
            "rule \"light\" { when start; then { heat = 1 } }".into(),
        ),
        (
            "rule \"t\" { when heat > 3; then { heat = 1 } }".into(),
            &["turns true"],
            "rule \"t\" { when heat > 3 turns true; then { heat = 1 } }".into(),
        ),
        (
            "rule \"t\" { when keeper enter jetty; then { heat = 1 } }\nzone jetty = rect (1, 0) 2 x 1".into(),
            &["enters"],
            "rule \"t\" { when keeper enters jetty; then { heat = 1 } }\nzone jetty = rect (1, 0) 2 x 1".into(),
        ),
        ("kind heron { speed speed 3 }".into(), &["`speed` stands here twice"], "kind heron { speed 3 }".into()),
        ("kind heron { speed heat 3 }".into(), &["`speed` takes one value"], "kind heron { speed 3 }".into()),
        (
            "kind ferry { carries person passes water; speed 5 }".into(),
            &["`;` is missing between `person` and `passes`"],
            "kind ferry { carries person; passes water; speed 5 }".into(),
        ),
        (
            "kind heron\n  speed 3\n  var feet = 2\n  rule \"t\" { when start; then { self.feet = 3 } }\n}\n\
             place h: heron at (1, 1)\nrule \"u\" { when start; then { h.feet = 1 } }"
                .into(),
            &["the `{` of the kind is missing"],
            "kind heron {\n  speed 3\n  var feet = 2\n  rule \"t\" { when start; then { self.feet = 3 } }\n}\n\
             place h: heron at (1, 1)\nrule \"u\" { when start; then { h.feet = 1 } }"
                .into(),
        ),
        (
            "kind heron {\n  speed 3\n  var feet = 2\n\nvar fish = 0\nrule \"t\" { when fish changes; then { heat = fish } }"
                .into(),
            &["the closing `}` of the kind is missing"],
            "kind heron {\n  speed 3\n  var feet = 2\n}\nvar fish_ = 0\nrule \"t\" { when fish_ changes; then { heat = fish_ } }"
                .into(),
        ),
        (
            "timer timer flood = 3s\nrule \"t\" { when flood ends; then { start flood } }".into(),
            &["`timer` stands here twice"],
            "timer flood = 3s\nrule \"t\" { when flood ends; then { start flood } }".into(),
        ),
        (
            "message call(n number, who: actor)\nrule \"t\" { when hears call(n, who); then { send call(n, who) } }".into(),
            &["`)` is missing here"],
            "message call(n: number, who: actor)\nrule \"t\" { when hears call(n, who); then { send call(n, who) } }"
                .into(),
        ),
        (
            "message call(n: numbr)\nvar m: message = call\nrule \"t\" { when start; then { m = bell } }".into(),
            &["`numbr`", "`number`"],
            "message call(n: number)\nvar m: message = call\nrule \"t\" { when start; then { m = bell } }".into(),
        ),
        (
            "clock tide { minute 60; hour; speed 1 minute per 1s; starts hour 23 }\n\
             rule \"t\" { when tide passes hour 6; then { heat = tide.hour } }"
                .into(),
            &["how many of `hour`"],
            "clock tide { minute 60; hour 24; speed 1 minute per 1s; starts hour 23 }\n\
             rule \"t\" { when tide passes hour 6; then { heat = tide.hour } }"
                .into(),
        ),
        (
            "place : person at (1, 1)\nrule \"t\" { when start; then { guard.oil = 2; walk guard to (2, 1) } }".into(),
            &["the name of the actor is missing"],
            "place guard: person at (1, 1)\nrule \"t\" { when start; then { guard.oil = 2; walk guard to (2, 1) } }".into(),
        ),
        (act("walk keeper (2, 1)"), &["where this walks is missing"], act("walk keeper to (2, 1)")),
        (act("heat = len([\"x\" \"y\"])"), &["or a comma between two"], act("heat = len([\"x\", \"y\"])")),
        (act("log (keeper, lamp)"), &["a number is wanted here"], act("log distance(keeper, lamp)")),
        (act("let = 3; log far"), &["the name of the local is missing"], act("let far = 3; log far")),
    ];
    let (mut wrong, mut mended) = (vec![], 0);
    for (text, words, right) in &table {
        if let Some((after, label)) = fixed(text) {
            mended += 1;
            let left = check::check("t.may", &after).errors();
            if left > 0 {
                wrong.push(format!("{text}\n  is not mended by: {label}\n{after}"));
            }
        }
        match told(text) {
            Ok(one) => {
                let missing: Vec<&&str> = words.iter().filter(|w| !one.contains(**w)).collect();
                if !missing.is_empty() {
                    wrong.push(format!("{text}\n  does not say {missing:?}:\n{one}"));
                }
            }
            Err(all) => wrong.push(format!("{text}\n  is not one error:\n{all}")),
        }
        let errors = checked(right).errors();
        if errors > 0 {
            wrong.push(format!("{right}\n  is sound, and yet:\n{}", told(right).unwrap_or_else(|e| e)));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n\n"));
    assert!(mended >= 10, "{mended} of {} bring a fix", table.len());
}

/// What is left out follows from another mistake: what stands by itself is told beside it.
#[test]
fn two_mistakes_are_two_errors() {
    let rule = |name: &str, act: &str| format!("rule \"{name}\" {{ when start; then {{ {act} }} }}\n");
    let sound = "kind heron { var feet = 2 }\nplace h: heron at (1, 1)\nmessage call(n: number)\n";
    let table = [
        (rule("a", "heat = = 2"), rule("b", "h.foot = 3")),
        (rule("a", "heat = heet"), rule("b", "h.foot = 3")),
        (rule("a", "send call(heet)"), rule("b", "send call(1, 2)")),
        ("timer flood 3s\n".into(), rule("b", "h.foot = 3")),
        ("tiles { 'k' kelp soft }\n".into(), rule("b", "walk h to 3")),
        ("kind eel { speed 2 3 }\n".into(), rule("b", "h.feet = \"two\"")),
        ("message ring(n: numbr)\n".into(), rule("b", "send call(1, 2)")),
        (rule("a", "if heat > 1 heat = 2 }"), rule("b", "h.feet = \"two\"")),
    ];
    for (one, other) in table {
        for text in [format!("{sound}{one}{other}"), format!("{sound}{other}{one}")] {
            assert_eq!(checked(&text).errors(), 2, "{text}{:?}", checked(&text).diagnostics);
        }
    }
}

/// A text with the fix of its first error carried out, and what that is called.
fn fixed(text: &str) -> Option<(String, String)> {
    let c = checked(text);
    let fix = c.diagnostics.iter().find_map(|d| d.fix.clone())?;
    let edits = fix.edits.iter().map(|(s, t)| TextEdit { range: s.range(), text: t.clone() });
    let change = Change::new(edits.collect()).expect("edits lie apart");
    Some((change.apply(&c.sources[0].text).expect("they lie in the text").0, fix.label))
}

#[test]
fn an_error_inside_a_rule_names_the_rule_and_its_line() {
    let one = told("var a = false\nrule \"carry the lamp over\" {\n  when start\n  then {\n    a = lamp#9.lit\n  }\n}")
        .expect("one error");
    for words in ["carry the lamp over", "a = lamp#9.lit", "t.may:21:9"] {
        assert!(one.contains(words), "{words}: {one}");
    }
}

#[test]
fn long_numbers_and_long_names_are_not_longer_than_the_screen() {
    let digits = "9".repeat(400);
    let name = "w".repeat(3000);
    for text in [
        format!("var a = 1 within 5 to -{digits}"),
        act(&format!("wait {digits}s")),
        format!("place crate at (1, {digits})"),
        format!("kind k {{ size ({digits}, 1) }}"),
        act(&format!("heat = {name}")),
        format!("rule \"{name}\" {{ when start }}"),
        format!("level {{ rate {digits} }}"),
    ] {
        let c = checked(&text);
        assert!(c.errors() > 0, "{text}");
        for d in &c.diagnostics {
            assert!(d.message.len() < 400 && d.help.len() < 400, "{} / {}", d.message, d.help);
        }
    }
}

/// Declarations of every sort that nothing uses are named once, each by its own name; used, they are not.
#[test]
fn whatever_is_declared_and_never_used_is_named() {
    let table = [
        ("tag damp", "damp", "rule \"u\" { when start; then { tag keeper as damp } }"),
        ("input dive = \"x\"", "dive", "rule \"u\" { when keeper presses dive; then { heat += 1 } }"),
        ("timer ebb = 3s", "ebb", "rule \"u\" { when start; then { start ebb } }"),
        ("define hot = heat > 3", "hot", "rule \"u\" { when hot turns true; then { heat = 0 } }"),
        ("const most = 4", "most", "rule \"u\" { when start; then { heat = most } }"),
        ("table catch: number { 1 2; 2 3 }", "catch", "rule \"u\" { when start; then { heat = roll(catch) } }"),
        (
            "clock tide { minute 60; speed 1 minute per 1s }",
            "tide",
            "rule \"u\" { when tide passes minute; then { heat += 1 } }",
        ),
        ("routine hush() { heat = 0 }", "hush", "rule \"u\" { when start; then { hush() } }"),
        ("kind crate { solid }", "crate", "place crate at (7, 1)"),
        ("path beat = (0, 0) (0, 1)", "beat", "rule \"u\" { when start; then { walk keeper along beat } }"),
        ("zone pool = disc (1, 1) 1", "pool", "rule \"u\" { when keeper enters pool; then { heat += 1 } }"),
        ("enum mood { calm, wary }", "mood", "rule \"u\" { when start; then { log mood.calm } }"),
    ];
    let ground = "rule \"ground\" { when hears smell; when hears bell(n); when keeper presses wind; then { heat += 1; z = eggs; w = keeper; send smell; send bell(2); log \"{heat} {z} {w} {keeper.oil} {lamp#1.lit}\" } }\n"
        .replace("when hears smell; when hears bell(n); when keeper presses wind;", "when tick;");
    let unused = |text: &str| -> Vec<String> {
        let c = checked(&format!("{ground}{text}"));
        assert_eq!(c.errors(), 0, "{text}: {:?}", c.diagnostics);
        let all = c.diagnostics.iter().filter(|d| d.code == "never-used");
        all.map(|d| c.sources[0].text[d.span.range()].to_string()).collect()
    };
    let before = unused("");
    for (declared, name, used) in table {
        let mut got = unused(declared);
        got.retain(|n| !before.contains(n));
        assert_eq!(got, [name], "{declared}");
        let mut got = unused(&format!("{declared}\n{used}"));
        got.retain(|n| !before.contains(n));
        assert!(got.is_empty(), "{declared} / {used}: {got:?}");
    }
}

#[test]
fn a_word_of_the_language_as_a_name_is_one_error_however_often_it_is_used() {
    for word in ["from", "to", "by", "over", "as", "with", "for", "after", "within"] {
        let text = format!(
            "var {word} = 1\nvar n = 0\nrule \"r\" {{\n  when every 1s\n  then {{\n    n = 2\n    {word} = 3\n    n += {word}\n  }}\n}}\n"
        );
        let c = check::check("t.may", &text);
        let errors: Vec<_> = c.diagnostics.iter().filter(|d| d.severity == Severity::Error).collect();
        assert!(matches!(errors.as_slice(), [d] if d.code == "reserved-word"), "{word}: {errors:#?}");
    }
}

/// What only looks like a mistake: names that are words elsewhere, and lines that stand further in.
#[test]
fn what_is_odd_and_right_is_no_mistake() {
    for text in [
        "kind heron\n{\n  speed 3\n}\nkind eel { }",
        "tiles { 's' solid solid }\ntiles\n{ 'g' grass }",
        "kind gong\n  place b: gong at (1, 1)\n    rule \"r\" { when start; then { heat = 1 } }",
        "const speed = 2\nkind crate { falls speed * 2; speed speed; size (1, 1) }\nplace crate at (1, 1)",
        "const speed = 2\nkind crate { speed speed + 1; solid; look \"x\" silt }\nplace crate at (1, 1)",
        "tiles { 'l' look; 'm' tagged_ solid; 's' solid; 'o' opaque tagged damp }",
        "tag solid_, opaque_\nkind crate { passes water, footing; carries lamp, person }",
        "timer timer = 3s\nrule \"r\" { when timer ends; then { start timer } }",
        "zone zone = rect (0, 0) 1 x 1\nrule \"r\" { when keeper enters zone; then { heat = 1 } }",
        "machine start {\n  start start\n  state start { to gone after 2s }\n  state gone { }\n}",
        "kind like\nplace like at (1, 1)",
        "const names = [\n  \"x\",\n  \"y\",\n]\nrule \"r\" { when start; then { log max(1,\n 2) } }",
        "var far = (1,\n  2)\nvar near_by = ((1, 2) + (1, 1))",
    ] {
        assert_eq!(told(text), Err(String::new()), "{text}");
    }
}

#[test]
fn what_there_is_is_listed_as_far_as_it_can_be_read() {
    let help = |text: &str| mayfly_lang::check::check("t.may", text).diagnostics[0].help.clone();
    let values: Vec<String> = (0..30).map(|n| format!("v{n}")).collect();
    let of = |n: usize| format!("enum fish {{ {} }}\nconst c = fish.zander_or_pike\n", values[..n].join(", "));
    assert_eq!(help(&of(3)), "it has v0, v1, v2");
    assert_eq!(help(&of(30)), format!("it has {} and others", values[..20].join(", ")));
    let machines = "machine night { start early; state early { to x when start } }\nmachine day { start noon; state noon { to y when start } state eve { to noon after 1s } }\n";
    assert_eq!(help(machines), "there is only early");
    assert_eq!(help(&machines.replace("to x when start", "")), "there are noon, eve");
}

#[test]
fn a_state_to_which_a_broken_or_misspelt_line_leads_is_not_found_to_be_unreachable() {
    let level = |line: &str| {
        format!(
            "machine chime {{\n start still\n state still {{ {line} }}\n state ringing {{ to still when after 3s }}\n}}"
        )
    };
    let codes = |line: &str| {
        let all = checked(&level(line)).diagnostics;
        all.iter().map(|d| d.code).filter(|c| !c.starts_with("never-")).collect::<Vec<_>>()
    };
    assert_eq!(codes("to ringing when after 2s"), [""; 0]);
    assert_eq!(codes("to previous when after 2s"), ["unreachable-state"], "nothing leads there");
    assert_eq!(codes("on heat >= 2 -> ringing"), ["syntax"]);
    assert_eq!(codes("to rimging when after 2s"), ["unknown-state"]);
}

#[test]
fn a_zone_of_a_kind_that_is_named_alone_is_said_whose_it_is() {
    let level = |zone: &str| {
        format!(
            "kind barge {{ zone wake = disc 2 }}\nplace barge at (2, 1)\nrule \"t\" {{ when person enters {zone}; then {{ heat += 1 }} }}"
        )
    };
    let error = told(&level("wake")).expect("one error");
    assert!(error.contains("`wake` is a zone of `barge`") && error.contains("write `barge.wake`"), "{error}");
    assert_eq!(fixed(&level("wake")).expect("a fix").0, format!("{GROUND}{}\n", level("barge.wake")));
    assert!(checked(&level("barge.wake")).level.is_some());
    let asks = |zone: &str| {
        format!(
            "kind barge {{ zone wake = disc 2; rule \"o\" {{ when tick; if keeper in {zone}; then {{ heat += 1 }} }} }}"
        )
    };
    let beside = |zone: &str| {
        format!(
            "kind barge {{ zone wake = disc 2 }}\nplace barge at (2, 1)\nrule \"o\" {{ when tick; if keeper in {zone}; then {{ heat += 1 }} }}"
        )
    };
    let own = told(&asks("wake")).expect("one error");
    assert!(own.contains("write `self.wake`"), "{own}");
    let other = told(&beside("wake")).expect("one error");
    assert!(other.contains("`wake` is a zone of `barge`") && other.contains("`x.wake`"), "{other}");
    assert!(checked(&asks("self.wake")).level.is_some() && checked(&beside("barge#1.wake")).level.is_some());
}

/// A word of the language is refused where it is declared, whatever it would name, and nothing more is said of its uses.
#[test]
fn a_word_of_the_language_is_no_name_of_anything() {
    let declared = [
        "machine m { start W; state W { to b after 1s } state b { to W after 1s } }\nrule \"e\" { when m enters W; if m is W; then { n += 1 } }",
        "machine m { start a; state a { start W; state W { } } }",
        "kind k { machine W { start a; state a { } } }\nplace k at (1, 0)\nrule \"e\" { when k.W enters a; then { n += 1 } }",
        "kind k { zone W = disc 1 }\nplace k at (1, 0)\nrule \"e\" { when k enters k.W; then { n += 1 } }",
        "kind k { var W = 1 }\nplace k at (1, 0)\nrule \"e\" { when tick; then { k#1.W += 1; log k#1.W } }",
        "rule \"e\" { when keeper as W leaves jetty; then { remove W } }",
        "records wave(W: number) { (1); (2) }\nrule \"e\" { when tick; then { log wave[0].W } }",
        "clock tide { W 60; hour 24; speed 1 W per 500ms }\nrule \"e\" { when tide passes W; then { n += 1 } }",
        "clock tide { hour 24; day 3 named mon W wed; speed 1 hour per 500ms }\nrule \"e\" { when tide passes day W; then { n += 1 } }",
        "enum mood { W, calm }\nvar m = mood.calm\nrule \"e\" { when tick; if m == W; then { m = W } }",
        "zone W = rect (0, 0) 1 x 1\nrule \"e\" { when any enters W; then { n += 1 } }",
        "var W = 1\nrule \"e\" { when tick; then { W += 1; log W } }",
    ];
    let level = "map \"\"\"\n____\n\"\"\"\ntiles { '_' boards }\nkind keeper { steered }\nplace keeper at (0, 0)\nzone jetty = rect (2, 0) 1 x 1\nvar n = 0\nrule \"count\" { when keeper enters jetty; then { n += 1; log n } }\n";
    for text in declared {
        let sound = check::check("t.may", &format!("{level}{}", text.replace('W', "w_w")));
        assert_eq!(sound.errors(), 0, "{text}: {:?}", sound.diagnostics);
        for word in ["over", "where", "none", "by", "tick", "self", "true"] {
            let all = check::check("t.may", &format!("{level}{}", text.replace('W', word))).diagnostics;
            let all: Vec<_> = all.iter().filter(|d| d.severity == Severity::Error).collect();
            assert!(all.len() == 1, "{word} in {text}: {all:?}");
            let said = format!("`{word}` is a word of the language");
            assert!(all[0].message.contains(&said), "{word} in {text}: {all:?}");
        }
    }
    for word in ["false", "tick", "any"] {
        let text = format!(
            "{level}message bell(p: number)\nrule \"s\" {{ when start; then {{ send bell(1) }} }}\nrule \"h\" {{ when hears bell({word}); then {{ n += 1 }} }}\n"
        );
        let all = check::check("t.may", &text).diagnostics;
        assert!(all.len() == 1 && all[0].code == "no-name", "{all:?}");
    }
}

/// A name that is taken is one error, however often it is used.
#[test]
fn a_name_that_is_taken_says_so_once() {
    let level = "kind keeper { steered; var oil = 1 }\nplace keeper at (0, 0)\nplace k at (1, 0)\nzone jetty = rect (2, 0) 1 x 1\nvar n = 0\nmessage bell(q: number)\nrule \"count\" { when keeper enters jetty; then { n += 1; log n; send bell(n) } }\n";
    for text in [
        "kind k { var colour = 1; rule \"o\" { when start; then { self.colour += 1; log self.colour } } }",
        "kind k { zone size = disc 1; rule \"o\" { when keeper enters self.size; then { n += 1 } } }",
        "kind k { var a = 1; machine a { start x; state x { } } }\nrule \"e\" { when k.a enters x; then { log k.a; n += 1 } }",
        "kind k\nrule \"h\" { when hears bell(colour); if colour > 1; then { n = colour; log colour + 1 } }",
        "kind k\nrule \"h\" { when keeper as jetty touches k; if jetty.oil > 1; then { jetty.oil = 2 } }",
        "kind k\nrecords wave(a: number, a: number) { (1, 2) }\nrule \"h\" { when start; then { log wave[0].a } }",
        "kind k\nmessage gong(a: number, a: number)\nrule \"h\" { when hears gong(b); if b > 1; then { n = b; send gong(1) } }",
        "kind k\nmachine m { start a; state a { to b after 1s; to a if n > 3 } state b { to a after 1s } state a { } }\nrule \"e\" { when m enters a; then { log m is a } }",
    ] {
        let all = check::check("t.may", &format!("{level}{text}\n")).diagnostics;
        let all: Vec<_> = all.iter().filter(|d| d.severity == Severity::Error).collect();
        assert!(all.len() == 1 && all[0].code == "name-taken", "{text}: {all:#?}");
    }
}

/// A word of an action is a name where a dot follows.
#[test]
fn lists_may_be_called_as_actions_are() {
    for word in ["cue", "tag", "board", "match", "lot", "wait", "log", "show", "set", "restart", "meanwhile", "spawn"] {
        let text = format!(
            "var {word}: list of number = []\nkind k {{ var {word}: list of number = [] }}\nplace k at (0, 0)\nrule \"s\" {{ when start; then {{ {word}.push(3); {word}[0] = 2; k#1.{word}.push(len({word})); log {word}; log k#1.{word} }} }}\n"
        );
        let c = check::check("t.may", &text);
        assert_eq!(c.errors(), 0, "{word}: {:?}", c.diagnostics);
    }
    let all = check::check("t.may", "rule \"s\" { when start; then { if .x { } } }\n").diagnostics;
    assert!(all.len() == 1 && all[0].code == "syntax", "{all:?}");
}

/// A routine that gives nothing could not be called by the name of an action; one that gives something can, inside a line.
/// By the name of a function neither could.
#[test]
fn a_routine_is_not_called_as_an_action_is() {
    for word in ["cue", "wait", "face", "log", "meanwhile", "restart", "match"] {
        let text = |gives: &str| {
            format!("routine {word}(q: number){gives}\nvar n = 0\nrule \"s\" {{ when start; then {{ n = 1; log n; ")
        };
        let none = text(" { log q }") + &format!("{word}(1) }} }}\n");
        let all = check::check("t.may", &none).diagnostics;
        assert!(all.len() == 1 && all[0].code == "reserved-word", "{none}{all:#?}");
        let some = text(" -> number { return q * 2 }") + &format!("n = {word}(n) + 1 }} }}\n");
        let c = check::check("t.may", &some);
        assert_eq!(c.errors(), 0, "{some}{:#?}", c.diagnostics);
    }
    for word in ["min", "len", "round", "set", "list", "first", "random", "count", "nearest", "some"] {
        let text = format!(
            "routine {word}(q: number) -> number {{ return q * 2 }}\nvar n = 0\nrule \"s\" {{ when start; then {{ n = {word}(n) + 1; log n }} }}\n"
        );
        let all = check::check("t.may", &text).diagnostics;
        assert!(all.len() == 1 && all[0].code == "reserved-word", "{text}{all:#?}");
    }
}
