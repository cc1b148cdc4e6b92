//! Small levels, each with its inputs and the cascade that must come of it, as text.
//!
//! Every file of `tests/cascades` is one case: the level, `--- inputs`, `--- ticks N`, `--- cascade`.
//! `MAYFLY_WRITE_CASES=1 cargo test -p mayfly-session --test all cascades::` writes the cascades again; read the
//! difference before it is kept.

use mayfly_lang::check;
use mayfly_session::cascade;
use mayfly_session::explain::ExplainedTrace;
use mayfly_session::headless::{self, Order};
use mayfly_session::script::Script;

/// Parts of a case: level, inputs, ticks, expected cascade.
fn parts(text: &str) -> (String, Vec<String>, u64, String) {
    let (head, expected) = text.split_once("--- cascade\n").unwrap_or((text, ""));
    let (head, ticks) = head.split_once("--- ticks ").expect("a case says how many ticks");
    let (level, inputs) = head.split_once("--- inputs\n").unwrap_or((head, ""));
    let inputs = inputs.lines().map(str::to_string).collect();
    (level.to_string(), inputs, ticks.trim().parse().expect("a number of ticks"), expected.to_string())
}

fn flown(name: &str, level_text: &str, inputs: &[String], ticks: u64) -> String {
    let checked = check::check(name, level_text);
    let problems: Vec<String> = checked.diagnostics.iter().map(|d| d.print(&checked.sources, false)).collect();
    let level = checked.level.unwrap_or_else(|| panic!("{name} does not load:\n{}", problems.join("\n")));
    let mut script = Script::default();
    inputs.iter().for_each(|l| script.add(l).expect("an input"));
    let mut flown = headless::fly(&level, &Order { script, ..Order::ticks(ticks) }).expect("it flies");
    let mut out = String::new();
    for tick in 0..flown.history.live_tick() {
        let mut explained = ExplainedTrace::new(&flown.engine, &checked.sources);
        let world = flown.history.again(&flown.engine, tick, &mut explained);
        let c = cascade::read(&flown.engine.program, &world, tick, &explained);
        if !c.groups.is_empty() || c.before.iter().any(|l| matches!(l.what, cascade::Done::Fault(_))) {
            out.push_str(&c.text(true));
        }
    }
    if let Some(e) = &flown.history.live().ended {
        out.push_str(&format!("ended at tick {}: {}\n", e.tick, e.text));
    }
    out
}

#[test]
fn every_case_gives_its_cascade() {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/cascades");
    let mut paths: Vec<_> = std::fs::read_dir(folder).expect("the cases").map(|e| e.expect("a case").path()).collect();
    paths.sort();
    assert!(paths.len() >= 12);
    let mut wrong = vec![];
    for path in paths {
        let name = path.file_name().expect("a name").to_string_lossy().to_string();
        let text = std::fs::read_to_string(&path).expect("a case");
        let (level, inputs, ticks, expected) = parts(&text);
        let got = flown(&name, &level, &inputs, ticks);
        if std::env::var_os("MAYFLY_WRITE_CASES").is_some() {
            let head = text.split("--- cascade\n").next().unwrap_or(&text);
            std::fs::write(&path, format!("{head}--- cascade\n{got}")).expect("the case is written");
        } else if got != expected {
            wrong.push(format!("== {name}: expected\n{expected}== got\n{got}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
