//! Dependence goes downward only: the manifests say so. And no file of tests is left out of its program.

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

#[test]
fn every_file_of_tests_is_named_by_its_program() {
    let root = concat!(env!("CARGO_MANIFEST_DIR"), "/..");
    let mut seen = 0;
    for entry in std::fs::read_dir(root).expect("the crates") {
        let tests = entry.expect("a crate").path().join("tests");
        let Ok(files) = std::fs::read_dir(&tests) else { continue };
        let program = std::fs::read_to_string(tests.join("all.rs")).expect("tests/all.rs");
        for file in files.map(|f| f.expect("a file").path()).filter(|f| f.extension().is_some_and(|e| e == "rs")) {
            let name = file.file_stem().expect("a name").to_string_lossy().to_string();
            let line = format!("mod {name};");
            assert!(name == "all" || program.lines().any(|l| l == line), "{}: no `{line}` in all.rs", file.display());
            seen += 1;
        }
    }
    assert!(seen > 40, "only {seen} files of tests were seen: does the test look into the crates?");
}
