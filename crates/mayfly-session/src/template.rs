//! The text of a new level.
//!
//! Invariant: it loads without an error and without a finding (a test holds it for any name).

/// A level to begin with: a room with a shore, and somebody who walks in it. `empty`: the level's head alone.
pub fn level(name: &str, empty: bool) -> String {
    let mut words = name.split(['-', '_', ' ']).filter(|w| !w.is_empty()).map(capital).collect::<Vec<_>>().join(" ");
    // What cannot stand between quotes stays out of them.
    words.retain(|c| !matches!(c, '"' | '\\' | '{' | '}') && !c.is_control());
    let title = if words.is_empty() { "Untitled".to_string() } else { words };
    let head = format!("level \"{title}\" {{ rate 20; seed 1; edges closed }}\n");
    if empty {
        return head;
    }
    let wall = "#".repeat(30);
    let row = format!("#{}#\n", ".".repeat(28));
    let rows = row.repeat(10);
    format!(
        r#"{head}
tiles {{
  '#' wall solid opaque
  '~' water solid
  '.' floor
}}

map """
{wall}
{rows}{wall}
"""

kind person {{ steered; look "◉" amber; speed 6 }}

place walker: person at (3, 5)
"#
    )
}

fn capital(word: &str) -> String {
    let mut letters = word.chars();
    letters.next().map_or(String::new(), |c| c.to_uppercase().chain(letters).collect())
}
