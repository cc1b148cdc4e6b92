//! Dependence goes downward only: the manifests say so.

const LAYERS: [&str; 7] =
    ["mayfly-base", "mayfly-lang", "mayfly-engine", "mayfly-session", "mayfly-draw", "mayfly-tui", "mayfly"];

/// What each crate may build on.
fn below(name: &str) -> &'static [&'static str] {
    match name {
        "mayfly-base" => &[],
        "mayfly-lang" | "mayfly-engine" => &["mayfly-base"],
        "mayfly-session" => &["mayfly-base", "mayfly-lang", "mayfly-engine"],
        "mayfly-draw" => &["mayfly-base", "mayfly-lang", "mayfly-engine", "mayfly-session"],
        "mayfly-tui" => &["mayfly-base", "mayfly-lang", "mayfly-engine", "mayfly-session", "mayfly-draw"],
        _ => &["mayfly-base", "mayfly-lang", "mayfly-engine", "mayfly-session", "mayfly-draw", "mayfly-tui"],
    }
}

#[test]
fn crates_depend_downward_only() {
    let root = concat!(env!("CARGO_MANIFEST_DIR"), "/..");
    let mut seen = 0;
    for entry in std::fs::read_dir(root).expect("the crates") {
        let path = entry.expect("a crate").path();
        let name = path.file_name().expect("a name").to_string_lossy().to_string();
        assert!(LAYERS.contains(&name.as_str()), "{name} has no layer: give it one here and in docs/architecture.md");
        let manifest = std::fs::read_to_string(path.join("Cargo.toml")).expect("a manifest");
        for line in manifest.lines().filter(|l| l.starts_with("mayfly-")) {
            let dep = line.split(['.', ' ', '=']).next().unwrap_or("");
            assert!(below(&name).contains(&dep), "{name} must not depend on {dep}");
            seen += 1;
        }
    }
    assert!(seen >= 12, "only {seen} dependences were seen: is the test reading the manifests?");
}
