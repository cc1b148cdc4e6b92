//! Diagnostics as SARIF 2.1.0 (OASIS), for programs that show what tools found.
//!
//! Invariant: every result names a rule of the list, a file and a place that starts at line and column 1; the same
//! diagnostics give the same bytes.

use mayfly_lang::diagnostic::{Diagnostic, Severity, Source};
use serde_json::{Value as Json, json};
use std::collections::BTreeMap;

/// The whole file. `name` gives each file's place as a URI, relative to where the reader looks.
pub fn write(diagnostics: &[Diagnostic], sources: &[Source], name: impl Fn(&str) -> String) -> String {
    let mut rules: BTreeMap<&str, &Diagnostic> = BTreeMap::new();
    for d in diagnostics {
        rules.entry(d.code).or_insert(d);
    }
    let codes: Vec<&str> = rules.keys().copied().collect();
    let rule = |(code, d): (&&str, &&Diagnostic)| json!({"id": code, "defaultConfiguration": {"level": level(d)}, "help": {"text": d.help}});
    let results: Vec<Json> = diagnostics
        .iter()
        .map(|d| {
            let mut result = json!({
                "ruleId": d.code,
                "ruleIndex": codes.iter().position(|c| *c == d.code),
                "level": level(d),
                "message": {"text": d.to_string()},
                "locations": [{"physicalLocation": place(d.span, sources, &name)}],
            });
            if !d.also.is_empty() {
                let also = d.also.iter().map(
                    |(span, text)| json!({"physicalLocation": place(*span, sources, &name), "message": {"text": text}}),
                );
                result["relatedLocations"] = also.collect();
            }
            result
        })
        .collect();
    let log = json!({
        "$schema": "https://json.schemastore.org/sarif-2.1.0.json",
        "version": "2.1.0",
        "runs": [{
            "tool": {"driver": {
                "name": "mayfly",
                "version": env!("CARGO_PKG_VERSION"),
                "rules": rules.iter().map(rule).collect::<Vec<_>>(),
            }},
            // Columns are counted in characters, as they are printed.
            "columnKind": "unicodeCodePoints",
            "results": results,
        }],
    });
    format!("{}\n", serde_json::to_string_pretty(&log).unwrap_or_default())
}

fn level(d: &Diagnostic) -> &'static str {
    if d.severity == Severity::Error { "error" } else { "warning" }
}

fn place(span: mayfly_base::Span, sources: &[Source], name: &impl Fn(&str) -> String) -> Json {
    let Some(s) = sources.get(span.file as usize) else { return json!({}) };
    let at = |byte: u32| mayfly_base::span::line_column(&s.text, (byte as usize).min(s.text.len()));
    let (line, column) = at(span.start);
    let (end_line, end_column) = at(span.end.max(span.start));
    json!({
        "artifactLocation": {"uri": name(&s.name)},
        "region": {
            "startLine": line.max(1),
            "startColumn": column.max(1),
            "endLine": end_line.max(line).max(1),
            "endColumn": end_column.max(1),
        },
    })
}
