//! Every level that the project has: the examples, and those of the cascades.

use mayfly_lang::check;
use std::path::Path;

/// Names and texts of all that read without errors.
pub fn levels() -> Vec<(String, String)> {
    let here = Path::new(env!("CARGO_MANIFEST_DIR"));
    let mut all = vec![];
    for folder in ["../../examples", "tests/cascades"] {
        for entry in std::fs::read_dir(here.join(folder)).expect("a folder").flatten() {
            let text = std::fs::read_to_string(entry.path()).unwrap_or_default();
            // A case begins with its level.
            let level = text.split("\n--- ").next().unwrap_or_default().to_string();
            all.push((entry.file_name().to_string_lossy().into_owned(), level));
        }
    }
    all.retain(|(name, text)| check::check(name, text).level.is_some());
    all.sort();
    assert!(all.len() > 30, "{} levels", all.len());
    let examples = all.iter().filter(|(name, _)| name.ends_with(".may")).count();
    assert!(examples >= 13, "{examples} of the examples read without errors, the demo among them");
    all
}
