//! What a level may take, and what is said where it takes more: floods, pairs, large numbers, long texts.

use super::flown;
use mayfly_lang::check;

/// The kinds and the texts of the faults of a level.
fn faults(text: &str, ticks: u64) -> Vec<(&'static str, String)> {
    flown(text, &[], ticks).faults.iter().map(|f| (f.fault.kind.name(), f.fault.text.clone())).collect()
}

/// The first fault is a bound, with these words; gives the words of all.
#[track_caller]
fn one_fault(text: &str, ticks: u64, words: &[&str]) -> Vec<String> {
    let all = faults(text, ticks);
    let Some((kind, said)) = all.first() else { panic!("no fault:\n{text}") };
    assert!(*kind == "limit" && words.iter().all(|w| said.contains(w)), "{all:?}");
    all.into_iter().map(|(_, said)| said).collect()
}

#[test]
fn a_flood_of_lines_keeps_both_ends_and_tells_how_many_are_left_out() {
    let f = flown("rule \"s\" { when tick; then { for i in 1..9000 { log i } } }\n", &[], 5);
    assert_eq!((f.log.len(), f.log.left_out()), (20_000, 25_000));
    assert_eq!((f.log[0].text.as_str(), f.log[19_999].text.as_str()), ("i = 1", "i = 9000"));
    let f =
        flown("var z = 0\nrule \"s\" { when tick; then { for i in 1..9000 { meanwhile { z = 1 / 0 } } } }\n", &[], 4);
    assert_eq!((f.faults.len(), f.faults.left_out()), (20_000, 16_000));
}

#[test]
fn messages_under_way_prompts_and_ramps_are_bounded() {
    one_fault(
        "message a\nrule \"s\" { when tick; then { for i in 1..3000 { send a after 9h } } }\nrule \"h\" { when hears a; then { } }\n",
        9,
        &["10,000 messages under way"],
    );
    let walls =
        "kind k { }\nrule \"s\" { when start; then { repeat 1100 { spawn k at (0, 0) as c; prompt \"p\" on c } } }\n";
    one_fault(walls, 2, &["1000 prompts"]);
}

#[test]
fn pairs_are_counted_before_they_are_gathered() {
    let crowd = |rule: &str| {
        format!(
            "kind c {{ sight all reach 300 }}\nrule \"s\" {{ when start; then {{ for i in 1..2500 {{ spawn c at (i mod 50, floor(i / 50)) }} }} }}\n{rule}"
        )
    };
    for (rule, sense) in [
        ("rule \"t\" { when c as a nears c as b within 200; then { } }\n", "nearness"),
        ("rule \"t\" { when c as a sees c as b; then { } }\n", "sight"),
    ] {
        let said = one_fault(&crowd(rule), 3, &["pairs of actors"]);
        assert!(said.iter().any(|t| t.contains(sense) || t.contains("200,000")), "{said:?}");
    }
    let pile = "kind c { size (3, 3) }\nrule \"s\" { when start; then { repeat 2000 { spawn c at (0, 0) } } }\nrule \"t\" { when c as a touches c as b; then { } }\n";
    one_fault(pile, 3, &["pairs of actors"]);
}

#[test]
fn a_tick_has_a_budget_and_the_fault_names_who_spent_it() {
    let rules: String = (0..9)
        .map(|i| format!("rule \"r{i}\" {{ when tick; then {{ for a in 1..700 {{ for b in 1..1000 {{ x{i} = b }} }} }} }}\nvar x{i} = 0\n"))
        .collect();
    let all = faults(&rules, 2);
    assert!(all.iter().any(|(k, t)| *k == "limit" && t.contains("in one tick")), "{all:?}");
    assert!(all.iter().any(|(_, t)| t.contains("\"r")), "{all:?}");
}

#[test]
fn work_is_charged_where_it_is_done() {
    // A hundred thousand items by one push each cost a step each, not what the list has grown to.
    let f = flown(
        "var l: list of number = []\nvar t: tally of number = {}\nvar s = set(0)\n\
         rule \"p\" { when start; then { for i in 1..9999 { l.push(i); t[i] += 1; s.add(i); l[0] = i } } }\n\
         rule \"e\" { when after 1 ticks; then { log \"{len(l)} {len(t)} {len(s)} {l[0]}\" } }\n",
        &[],
        3,
    );
    assert!(f.faults.is_empty(), "{:?}", f.faults);
    assert_eq!(f.log[0].text, "9999 9999 10000 9999");
    // Joining and comparing long texts is charged by their length.
    let all = faults(
        "var t = \"x\"\nvar n = 0\nrule \"p\" { when start; then { repeat 19 { t = \"{t}{t}\" }; for i in 1..9000 { if t == \"{t}\" { n += 1 } } } }\n",
        2,
    );
    assert!(all.iter().any(|(k, _)| *k == "runaway_loop" || *k == "limit"), "{all:?}");
}

#[test]
fn large_numbers_are_answered_at_once() {
    let ground = "level \"F\" { rate 10; edges open }\ntiles { '_' boards; '#' wall solid }\nmap \"\"\"\n____\n__#_\n\"\"\"\n\
                  kind imp { speed 100000; falls 100000 }\nkind post { solid; size (1000, 1000) }\n\
                  place i: imp at (0, 0)\nplace p: post at (500000, 0)\n";
    for action in [
        "push i by (900000, 0)",
        "slide i to (999999, 3) over 2 ticks",
        "walk i to (999999, 1)",
        "walk i to (999999, 1) straight",
        "walk i away from (1, 1) straight",
        "i.at = (0 - 1000000, 1000000)",
        "i.size = (1000, 1000)",
        "move i to (1000000, 1000000); walk i to (0, 0)",
        "i.speed = 999999999; walk i to (1000000, 0) straight",
    ] {
        let text = format!("{ground}rule \"s\" {{ when start; then {{ {action} }} }}\n");
        let f = flown(&text, &["3: poke push i by (1000, 1000)", "4: poke i.x = 1"], 12);
        assert_eq!(f.history.live_tick(), 12, "{action}");
        let at = f.history.live().actors[0].at;
        assert!(at.x.abs() <= 2e6 && at.y.abs() <= 2e6, "{action}: {at:?}");
    }
}

/// A piece of text, again and again.
fn long(piece: &str) -> String {
    piece.repeat(60_000 / piece.len())
}

#[test]
fn long_texts_of_any_shape_are_refused_or_checked() {
    let lines = |n: usize, of: &dyn Fn(usize) -> String| (0..n).map(of).collect::<Vec<_>>().join("\n");
    let shapes = [
        format!("define d = {}true\n", long("true or ")),
        format!("define d = {}1\n", long("1 + ")),
        format!("var a = 1\ndefine d = {}a\n", long("a.")),
        format!("var a: {}number = []\n", long("list of ")),
        format!("define d = {}1{}\n", long("("), long(")")),
        format!("define d = {}\n", long("[")),
        long("{"),
        format!("define d = {}true\n", long("not ")),
        format!("define d = {}1\n", long("-")),
        format!("define d = {}\n", long("\"{")),
        format!("rule \"r\" {{ when start; then {{ {} }} }}\n", long("if true { ")),
        format!("rule \"r\" {{ when start; then {{ {} }} }}\n", long("if true { } else ")),
        format!("zone z = {}rect (0, 0) 1 x 1\n", long("rect (0,0) 1 x 1 + ")),
        format!("machine m {{ start a; state a {{ {} }} }}\n", long("to b else ")),
        format!("enum e {{ {} }}\n", (0..9000).map(|i| format!("v{i}")).collect::<Vec<_>>().join(", ")),
        lines(4000, &|i| format!("kind k{i} like k{} {{ }}", i + 1)),
        lines(4000, &|i| format!("define d{i} = d{} + d{}", i + 1, i + 1)) + "\ndefine d4000 = 1\n",
        lines(4000, &|i| format!("rule \"r\" {{ when start; then {{ log x{i} }} }}")),
        lines(4000, &|i| format!("zone z{i} = z{} + z{}", i + 1, i + 1)),
        long("\""),
        long("/"),
        long(";"),
        long("e\u{301}"),
    ];
    let try_all = move || {
        for text in shapes {
            let c = check::check("t.may", &text);
            assert!(c.diagnostics.len() <= 1002, "{}: {} told", &text[..40], c.diagnostics.len());
            c.diagnostics.iter().for_each(|d| assert!(!d.print(&c.sources, false).is_empty()));
        }
    };
    // On as much stack as the application's own threads have; a test's own thread has less.
    let thread = std::thread::Builder::new().stack_size(8 << 20).spawn(try_all).expect("a thread");
    thread.join().expect("nothing panics");
}

#[test]
fn a_tree_of_defines_is_found_once_and_not_again_for_each_use() {
    let defines: String = (1..60).map(|i| format!("define d{i} = d{} + d{}\n", i - 1, i - 1)).collect();
    let text = format!(
        "var d0 = 1\n{defines}rule \"t\" {{ when tick; then {{ d0 = 0 }} }}\nrule \"r\" {{ when d59 changes; then {{ log d59 }} }}\n"
    );
    let f = flown(&text, &[], 3);
    assert!(f.faults.is_empty(), "{:?}", f.faults);
    assert_eq!(f.log[0].text, "d59 = 0");
}
