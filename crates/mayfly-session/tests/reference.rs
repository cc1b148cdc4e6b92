//! Every example of the reference compiles and runs, and the reserved words it lists are those there are.

use mayfly_lang::{check, parser};
use mayfly_session::headless::{self, Order};

const REFERENCE: &str = include_str!("../../../docs/language.md");

#[test]
fn every_example_compiles_and_runs() {
    let blocks: Vec<&str> = REFERENCE.split("```may\n").skip(1).filter_map(|b| b.split("```").next()).collect();
    assert!(blocks.len() >= 6);
    for (i, block) in blocks.iter().enumerate() {
        let c = check::check("reference", block);
        let said: Vec<String> = c.diagnostics.iter().map(|d| d.print(&c.sources, false)).collect();
        let level = c.level.unwrap_or_else(|| panic!("example {i} does not load:\n{}", said.join("\n")));
        let flown = headless::fly(&level, &Order::ticks(200)).expect("it flies");
        assert!(flown.faults.is_empty(), "example {i}: {:?}", flown.faults);
    }
}

#[test]
fn the_reserved_words_are_listed() {
    let list = REFERENCE.split("Reserved words, ").nth(1).and_then(|r| r.split('`').nth(1));
    let listed: Vec<&str> = list.expect("the list").split_whitespace().collect();
    for (word, _) in parser::RESERVED {
        assert!(listed.contains(word), "`{word}` is not listed");
        let text = format!("var {word} = 1");
        let c = check::check("t.may", &text);
        assert!(c.diagnostics.iter().any(|d| d.code == "reserved-word"), "`{word}` can be declared");
    }
    assert_eq!(listed.len(), parser::RESERVED.len());
}
