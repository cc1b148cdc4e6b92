//! The ways through the tree of a text lead where they say, also in a broken text.

use mayfly_lang::parser;
use mayfly_lang::syntax::{Element, Node, Token};
use proptest::prelude::*;

const TEXT: &str = r#"
// The weir's gate.
level "gate" { rate 20 }
use "wheels.may"
var height = 1 + 2 * 3 - 4 // cells
/// Who walks there.
kind keeper { steered; var oil = 1 ; zone near_it = disc (0, 0) 2 }
place ada: keeper at (1, 1), (2, 2) facing east { oil = 4 }
zone jetty = rect (0, 0) 3 x 3 + disc (4, 4) 2 - cells { 1: 2..4 }
machine gate { start shut
  state shut { to open when ada presses use after 2s if ada.oil > 0 }
  state open { to shut after 5s } }
rule "opens {" {
  when any keeper as who enters jetty
  if who.oil > 0 and not (height between 1 and 3)
  cooldown 500ms per who
  then {
    tell "{who} has {who.oil:1} of {count(keeper where oil > 0)} left, {"so {height}"}" to who
    height += 1; who.oil -= [1, 2, 3][0]
    if height > 3 { wait 2s } else { go gate to shut }
  }
}
"#;

/// What lies in a node, and in what lies in it, one by one.
fn inside(n: &Node, out: &mut Vec<Element>) {
    out.push(Element::Node(n.clone()));
    for e in n.children_with_tokens() {
        match e {
            Element::Node(n) => inside(&n, out),
            token => out.push(token),
        }
    }
}

/// Each way from a node leads to what lies there.
fn hold_at(n: &Node, text: &str) {
    let own: Vec<Element> = n.children_with_tokens().collect();
    let mut at = n.range().start;
    let mut before: Option<&Element> = None;
    for e in &own {
        assert_eq!(e.range().start, at, "{e:?} in {n:?}");
        at = e.range().end;
        let (parent, said) = match e {
            Element::Node(n) => (n.parent(), n.to_string()),
            Element::Token(t) => (t.parent(), t.text().to_string()),
        };
        assert_eq!(parent.as_ref(), Some(n));
        assert_eq!(said, text[e.range()]);
        assert_eq!(e.previous().as_ref(), before);
        if let Some(Element::Token(t)) = before {
            assert_eq!(t.next().as_ref(), Some(e));
        }
        before = Some(e);
    }
    assert!(own.is_empty() || at == n.range().end, "{n:?}");
    let nodes: Vec<Node> = own.iter().cloned().filter_map(Element::into_node).collect();
    assert_eq!(n.children().collect::<Vec<_>>(), nodes);
    for (a, b) in nodes.iter().zip(nodes.iter().skip(1).map(Some).chain([None])) {
        assert_eq!(a.next_sibling().as_ref(), b);
        assert_eq!(n.child(a.kind()).as_ref(), nodes.iter().find(|c| c.kind() == a.kind()));
    }
    let solid: Vec<Token> = n.tokens().filter(|t| !t.kind().is_trivia()).collect();
    let bytes = match (solid.first(), solid.last()) {
        (Some(a), Some(b)) => a.range().start..b.range().end,
        _ => n.range().start..n.range().start,
    };
    assert_eq!(n.bytes(), bytes);
    assert!(n.kind().is_expr() == n.parent().is_some_and(|p| p.exprs().contains(n)), "{n:?}");
}

fn hold(text: &str) {
    let root = parser::parse(text).tree();
    assert_eq!(root.to_string(), text);
    let mut all = vec![];
    inside(&root, &mut all);
    assert!(all.iter().eq(root.descendants_with_tokens().collect::<Vec<_>>().iter()));
    let tokens: Vec<Token> = root.tokens().collect();
    for (t, next) in tokens.iter().zip(tokens.iter().skip(1).map(Some).chain([None])) {
        assert!(t.kind().is_token());
        for byte in [t.range().start, t.range().end - 1] {
            assert_eq!(root.token_at(byte).as_ref(), Some(t));
        }
        assert_eq!(t.next_token().as_ref(), next);
    }
    assert_eq!(root.token_at(text.len()).as_ref(), tokens.last());
    for n in root.descendants() {
        assert!(!n.kind().is_token());
        hold_at(&n, text);
    }
}

#[test]
fn each_way_leads_where_it_says() {
    hold(TEXT);
    hold("");
    hold(" \n");
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn also_in_a_broken_text(
        cuts in prop::collection::vec(
            (0..TEXT.len(), 0usize..30, prop::sample::select(vec!["", "{", "}", "\"", "(", " é ", "\"\"\"", "..", "and", "= ="])),
            1..5,
        )
    ) {
        let mut text = TEXT.to_string();
        for (at, len, put) in cuts {
            let boundary = |text: &str, at: usize| (0..=at.min(text.len())).rev().find(|i| text.is_char_boundary(*i));
            let start = boundary(&text, at).unwrap_or(0);
            let end = boundary(&text, start + len).unwrap_or(start).max(start);
            text.replace_range(start..end, put);
        }
        hold(&text);
    }
}
