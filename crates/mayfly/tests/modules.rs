//! No two modules of a crate use each other, not even by way of others: what two need lies below both. The `use` lines and
//! paths of all sources say so. A module is a file or a folder right inside `src`.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

type Uses = BTreeMap<String, BTreeSet<String>>;

/// All sources of a module, without comments and without their tests.
fn sources(path: &Path, out: &mut String) {
    if path.is_dir() {
        for e in std::fs::read_dir(path).expect("a folder of sources") {
            sources(&e.expect("a source").path(), out);
        }
    } else if path.extension().is_some_and(|e| e == "rs") {
        let text = std::fs::read_to_string(path).expect("a source");
        let text = text.split("#[cfg(test)]\nmod tests").next().unwrap_or_default();
        for line in text.lines() {
            out.push_str(line.split("//").next().unwrap_or_default());
            out.push('\n');
        }
    }
}

fn word(text: &str) -> &str {
    &text[..text.find(|c: char| !(c.is_alphanumeric() || c == '_')).unwrap_or(text.len())]
}

/// The modules that are named behind `crate::`, also one by one in braces.
fn named(text: &str) -> BTreeSet<String> {
    let mut out = BTreeSet::new();
    for after in text.split("crate::").skip(1) {
        let Some(group) = after.strip_prefix('{') else {
            out.insert(word(after).to_string());
            continue;
        };
        let mut depth = 1;
        let mut begins = true;
        for (i, c) in group.char_indices() {
            match c {
                '{' => depth += 1,
                '}' => depth -= 1,
                ',' if depth == 1 => begins = true,
                c if c.is_whitespace() => {}
                _ if begins => {
                    out.insert(word(&group[i..]).to_string());
                    begins = false;
                }
                _ => {}
            }
            if depth == 0 {
                break;
            }
        }
    }
    out
}

/// What each module of a crate uses of the others.
fn uses(src: &Path) -> Uses {
    let entries: Vec<_> = std::fs::read_dir(src).expect("sources").map(|e| e.expect("a source").path()).collect();
    let name = |p: &Path| p.file_stem().map(|s| s.to_string_lossy().to_string()).unwrap_or_default();
    let modules: BTreeSet<String> =
        entries.iter().map(|p| name(p)).filter(|n| !matches!(n.as_str(), "lib" | "main")).collect();
    let mut out = Uses::new();
    for path in entries.iter().filter(|p| modules.contains(&name(p))) {
        let mut text = String::new();
        sources(path, &mut text);
        let me = name(path);
        let used: BTreeSet<String> = named(&text).into_iter().filter(|n| *n != me && modules.contains(n)).collect();
        out.insert(me, used);
    }
    out
}

/// Those that reach themselves by what they use.
fn in_circles(uses: &Uses) -> BTreeSet<String> {
    let reach = |from: &String| {
        let mut seen: BTreeSet<&String> = BTreeSet::new();
        let mut next: Vec<&String> = uses[from].iter().collect();
        while let Some(m) = next.pop() {
            if seen.insert(m) {
                next.extend(uses.get(m).into_iter().flatten());
            }
        }
        seen.contains(from)
    };
    uses.keys().filter(|m| reach(m)).cloned().collect()
}

#[test]
fn no_modules_of_a_crate_use_each_other_in_a_circle() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    let mut seen = 0;
    for entry in std::fs::read_dir(root).expect("the crates") {
        let path = entry.expect("a crate").path();
        let uses = uses(&path.join("src"));
        seen += uses.values().map(BTreeSet::len).sum::<usize>();
        let circle = in_circles(&uses);
        assert!(circle.is_empty(), "{}: {circle:?} use each other in a circle", path.display());
    }
    assert!(seen > 300, "only {seen} uses were seen: does the test read the sources?");
}

#[test]
fn a_circle_is_found() {
    let all = |pairs: &[(&str, &str)]| pairs.iter().map(|(m, text)| (m.to_string(), named(text))).collect::<Uses>();
    let straight = all(&[("a", "use crate::{b::X, c};"), ("b", "x: crate::c::Y"), ("c", "use super::a;")]);
    assert!(in_circles(&straight).is_empty());
    let round = all(&[
        ("a", "use crate::{b::{X, Y}, c};"),
        ("b", ""),
        ("c", "fn f() { crate::d::g() }"),
        ("d", "use crate::a;"),
    ]);
    assert_eq!(in_circles(&round).into_iter().collect::<Vec<_>>(), ["a", "c", "d"]);
}
