//! Follows `docs/tutorial.md` and the first two minutes of the README word for word: opens what they open, presses what they
//! say, and waits for what they promise.

use crate::terminal::Terminal;
use std::path::Path;

/// The fenced blocks of the page: what each is, and its lines.
fn blocks(text: &str) -> Vec<(String, Vec<String>)> {
    let mut out = vec![];
    let mut open: Option<(String, Vec<String>)> = None;
    for line in text.lines() {
        match (&mut open, line.strip_prefix("```")) {
            (None, Some(kind)) => open = Some((kind.to_string(), vec![])),
            (Some(_), Some(_)) => out.extend(open.take()),
            (Some((_, lines)), None) => lines.push(line.to_string()),
            (None, None) => {}
        }
    }
    out
}

/// Does what the blocks of a page say; gives how many levels it opened.
fn follow(text: &str) -> usize {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let dir = tempfile::tempdir().expect("a folder");
    let mut terminal: Option<Terminal> = None;
    let mut opened = 0;
    for (kind, lines) in blocks(text) {
        match kind.as_str() {
            "open" if lines[0].starts_with("new ") => {
                let t = Terminal::open_in(dir.path(), (160, 47), &lines[0].split(' ').collect::<Vec<_>>());
                t.see(&["paused at the live edge"]);
                terminal = Some(t);
                opened += 1;
            }
            "open" if lines[0] == "demo" => {
                let t = Terminal::open((160, 47), &["demo"]);
                t.see(&["paused at the live edge"]);
                terminal = Some(t);
                opened += 1;
            }
            "open" => {
                let from = root.join(&lines[0]);
                let level = dir.path().join(from.file_name().expect("a name"));
                std::fs::copy(&from, &level).expect("the level is copied");
                let t = Terminal::open((160, 47), &["open", level.to_str().expect("a path")]);
                t.see(&["paused at the live edge"]);
                terminal = Some(t);
                opened += 1;
            }
            "keys" => {
                let t = terminal.as_ref().expect("a level is open");
                for line in &lines {
                    match line.strip_prefix("type ") {
                        Some(typed) => drop(t.typed(typed)),
                        None => drop(t.keys(&[line])),
                    }
                }
            }
            "screen" => {
                let wanted: Vec<&str> = lines.iter().map(String::as_str).collect();
                terminal.as_ref().expect("a level is open").see_words(&wanted);
            }
            other => panic!("a block of no known kind: {other}"),
        }
    }
    opened
}

fn page(name: &str) -> String {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    std::fs::read_to_string(root.join(name)).expect("the page")
}

#[test]
fn the_tutorial_does_what_it_says() {
    assert_eq!(follow(&page("docs/tutorial.md")), 4);
}

/// One section of the README.
fn section(heading: &str) -> String {
    let text = page("README.md");
    let from = text.find(heading).expect("its heading");
    let rest = &text[from + 3..];
    let until = rest.find("\n## ").expect("the next heading");
    rest[..until].to_string()
}

#[test]
fn the_readme_leads_from_an_empty_map_to_a_firing_zone() {
    assert_eq!(follow(&section("## From an empty map to a firing zone in two minutes")), 1);
}

#[test]
fn the_first_two_minutes_of_the_readme_do_what_they_say() {
    assert_eq!(follow(&section("## The first two minutes with the demo")), 1);
}
