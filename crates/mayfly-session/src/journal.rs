//! The journal of unsaved edits: one line of JSON for each text from which one began, and for each change since.
//!
//! A line is appended as soon as a change is made, so that a killed process loses none; the file goes when all is saved.
//!
//! Invariant: reading the lines that were written gives the texts as they were after the last whole one; a line that was
//! cut off is passed over, with all that follows it (held by tests that cut at every byte).

use mayfly_lang::edit::{Change, TextEdit};
use serde_json::{Value, json};

/// The line of a text from which changes begin.
pub(crate) fn base(name: &str, text: &str) -> String {
    format!("{}\n", json!({ "file": name, "base": text }))
}

/// The line of a change.
pub(crate) fn edits(name: &str, change: &Change) -> String {
    let all: Vec<Value> = change.edits().iter().map(|e| json!([e.range.start, e.range.end, e.text])).collect();
    format!("{}\n", json!({ "file": name, "edits": all }))
}

/// The texts that a journal leads to, by the files' names; none that it does not name.
pub fn read(journal: &str) -> Vec<(String, String)> {
    let mut out: Vec<(String, String)> = vec![];
    for line in journal.split_inclusive('\n') {
        let Some(line) = line.strip_suffix('\n') else { break };
        let Ok(line) = serde_json::from_str::<Value>(line) else { break };
        let Some(name) = line["file"].as_str() else { break };
        let at = out.iter().position(|(n, _)| n == name);
        if let Some(base) = line["base"].as_str() {
            match at {
                Some(i) => out[i].1 = base.into(),
                None => out.push((name.into(), base.into())),
            }
            continue;
        }
        let change = change(&line["edits"]);
        let applied = at.zip(change).and_then(|(i, c)| Some((i, c.apply(&out[i].1).ok()?.0)));
        let Some((i, text)) = applied else { break };
        out[i].1 = text;
    }
    out
}

fn change(edits: &Value) -> Option<Change> {
    let place = |v: &Value| v.as_u64().and_then(|n| usize::try_from(n).ok());
    let edit = |e: &Value| {
        let e = e.as_array()?;
        let [from, to, text] = e.as_slice() else { return None };
        let (from, to) = (place(from)?, place(to)?);
        (from <= to).then(|| TextEdit { range: from..to, text: text.as_str().unwrap_or("").into() })
    };
    Change::new(edits.as_array()?.iter().map(edit).collect::<Option<Vec<_>>>()?).ok()
}
