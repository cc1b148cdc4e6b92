//! Formatting changes nothing but spaces: the same words, the same level, the same run; once is enough.

use crate::levels::levels;
use mayfly_engine::hash::state_hash;
use mayfly_lang::check::{self, Checked};
use mayfly_lang::{format, lexer, syntax::Kind};
use mayfly_session::headless::{self, Order};
use proptest::prelude::*;
use proptest::test_runner::FileFailurePersistence;

fn formatted(text: &str) -> String {
    let change = format::format(text).unwrap_or_else(|e| panic!("{e:?}\n{text}"));
    change.apply(text).expect("it lies in the text").0
}

/// The words of a text, spaces and line ends apart.
fn words(text: &str) -> Vec<&str> {
    let all = lexer::lex(text).into_iter().filter(|t| !matches!(t.kind, Kind::SPACE | Kind::NEWLINE));
    all.map(|t| text[t.start..t.end].trim_end()).collect()
}

fn hash(c: &Checked) -> Option<u64> {
    let level = c.level.as_ref()?;
    let f = headless::fly(level, &Order::ticks(120)).expect("it flies");
    Some(state_hash(f.history.live()))
}

#[test]
fn every_level_means_the_same_and_is_formatted_once() {
    for (name, text) in levels() {
        let once = formatted(&text);
        assert_eq!(words(&once), words(&text), "{name}");
        assert_eq!(formatted(&once), once, "{name}: twice is once");
        assert!(!once.lines().any(|l| l != l.trim_end() && !text.contains(l)), "{name}: no spaces at a line's end");
        assert_eq!(hash(&check::check(&name, &once)), hash(&check::check(&name, &text)), "{name}");
    }
}

#[test]
fn the_examples_are_formatted() {
    for (name, text) in levels().into_iter().filter(|(n, _)| n.ends_with(".may")) {
        let once = formatted(&text);
        let other = text.lines().zip(once.lines()).find(|(a, b)| a != b);
        assert!(other.is_none() && once == text, "{name}: {other:?}");
    }
}

fn config() -> ProptestConfig {
    let file = FileFailurePersistence::Direct(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/formatting.regressions"));
    ProptestConfig { cases: 24, failure_persistence: Some(Box::new(file)), ..ProptestConfig::default() }
}

proptest! {
    #![proptest_config(config())]

    /// However the spaces of a text were, its format is one.
    #[test]
    fn other_spaces_come_to_the_same_format(pick in 0usize..1000, sizes in prop::collection::vec(0usize..5, 60)) {
        let all = levels();
        let (name, text) = &all[pick % all.len()];
        let text = formatted(text);
        let tokens = lexer::lex(&text);
        let mut other = String::new();
        for (i, t) in tokens.iter().enumerate() {
            let word = &text[t.start..t.end];
            let size = sizes[i % sizes.len()];
            let comment = tokens.get(i + 1).is_some_and(|n| matches!(n.kind, Kind::COMMENT | Kind::DOC));
            match t.kind {
                Kind::SPACE if !comment => other.push_str(&" ".repeat(size.max(1))),
                Kind::NEWLINE => {
                    if size == 3 {
                        other.push_str("  ");
                    }
                    other.push_str(word);
                    other.push_str(&" ".repeat(size));
                }
                _ => other.push_str(word),
            }
        }
        prop_assert_eq!(formatted(&other), text, "{}", name);
    }

    /// Whatever parses can be formatted, and then is.
    #[test]
    fn any_text_that_parses_is_formatted_once(parts in prop::collection::vec(0usize..24, 0..40)) {
        const PARTS: [&str; 24] = [
            "var n=1", "\n", "  ", "// a comment\n", "rule \"a\" {", "when start;", "then {", "n=n+ -1", "}", ";", "\n\n\n",
            "kind k{solid}", "{", "(", ")", "log (1,2)", "if n>1 and\nn<3", "/// doc\n", "zone z=rect (0,0) 1 x 1", "else{", "[1,\n2]",
            "map \"\"\"\n __\n\"\"\"", "\r\n", "\t",
        ];
        let text: String = parts.iter().map(|p| PARTS[*p]).collect();
        if let Ok(change) = format::format(&text) {
            let once = change.apply(&text).expect("it lies in the text").0;
            prop_assert_eq!(words(&once), words(&text));
            prop_assert_eq!(formatted(&once), once);
        }
    }
}
