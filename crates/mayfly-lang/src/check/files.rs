//! Levels of several files: `use` and `private`.
//!
//! All files are joined to one text, a used file before the one that uses it, so that whatever reads a
//! level reads one tree. Spans are given back in the files' own places.
//!
//! Invariant: a file is read once; nothing outside the folder of the level's own file is read.

use super::Checker;
use crate::diagnostic::{Diagnostic, Source};
use crate::parser;
use crate::syntax::{Kind as K, Node, NodeExt};
use mayfly_base::Span;
use rustc_hash::FxHashMap;

/// Reads a file by its path inside the level's folder.
pub type Load<'a> = &'a mut dyn FnMut(&str) -> Result<String, String>;

/// Where a file's text begins in the joined text.
#[derive(Clone, Copy, Debug)]
pub struct Piece {
    pub start: usize,
    pub file: u16,
}

pub(super) struct Joined {
    pub text: String,
    pub pieces: Vec<Piece>,
    pub sources: Vec<Source>,
    pub diagnostics: Vec<Diagnostic>,
}

/// Files of one level at most.
const MOST_FILES: usize = 1000;

/// Joins a level's files. Errors of syntax in used files are told here, in their own places.
pub(super) fn join(name: &str, text: &str, load: Load) -> Joined {
    let mut j =
        Joined { text: String::new(), pieces: vec![], sources: vec![Source::new(name, text)], diagnostics: vec![] };
    let mut open = vec![];
    let mut known: FxHashMap<String, u16> = FxHashMap::default();
    if text.contains("use") {
        let own = name.rsplit(['/', '\\']).next().unwrap_or(name).to_string();
        add(&mut j, 0, &own, load, &mut open, &mut known);
    } else {
        j.pieces.push(Piece { start: 0, file: 0 });
        j.text.push_str(text);
    }
    j
}

fn add(j: &mut Joined, file: u16, path: &str, load: Load, open: &mut Vec<String>, known: &mut FxHashMap<String, u16>) {
    let text = j.sources[file as usize].text.clone();
    let parsed = parser::parse(&text);
    if file > 0 {
        for e in &parsed.errors {
            j.diagnostics.push(e.diagnostic(file));
        }
    }
    open.push(path.to_string());
    for n in parsed.tree().children().filter(|n| n.kind() == K::USE_DECL) {
        let Some(token) = n.tok(K::TEXT) else { continue };
        let r = token.text_range();
        let span = Span::new(file, r.start().into(), r.end().into());
        let written = token.text().trim_matches('"');
        let mut wrong = |code, message: String, help: &str| {
            j.diagnostics.push(Diagnostic::error(code, span, message, help));
        };
        let Some(target) = inside(path, written) else {
            wrong(
                "use-outside",
                format!("\"{written}\" does not lie in this level's folder"),
                "name a file inside the folder, relative to this one: `use \"wheels.may\"`",
            );
            continue;
        };
        if open.contains(&target) || target.is_empty() {
            let way = open.join(", ");
            wrong(
                "circle",
                format!("\"{written}\" is used in a circle, by way of {way}"),
                "break the circle: take one `use` out",
            );
            continue;
        }
        if known.contains_key(&target) {
            continue;
        }
        if j.sources.len() >= MOST_FILES {
            wrong("too-many-files", "a level has at most 1000 files".into(), "join some of them");
            return;
        }
        match load(&target) {
            Ok(text) => {
                let id = j.sources.len() as u16;
                let base = j.sources[0].name.rsplit_once('/').map_or(String::new(), |(d, _)| format!("{d}/"));
                j.sources.push(Source::new(format!("{base}{target}"), text));
                known.insert(target.clone(), id);
                add(j, id, &target, load, open, known);
            }
            Err(why) => {
                wrong("no-file", format!("\"{written}\" cannot be read: {why}"), "correct the name, or add the file");
            }
        }
    }
    open.pop();
    j.pieces.push(Piece { start: j.text.len(), file });
    j.text.push_str(&text);
    if file > 0 {
        j.text.push('\n');
    }
}

/// Which of a level's files lies at a path inside its folder, by their names, the level's own first.
pub fn file_at<'a>(names: impl IntoIterator<Item = &'a str>, path: &str) -> Option<usize> {
    let mut names = names.into_iter().peekable();
    let base = names.peek()?.rsplit_once('/').map_or("", |(folder, _)| folder);
    let wanted = if base.is_empty() { path.to_string() } else { format!("{base}/{path}") };
    names.position(|n| n == wanted)
}

/// The path of a file named in the file at `from`, inside the folder; none where it leads out.
fn inside(from: &str, written: &str) -> Option<String> {
    if written.is_empty() || written.starts_with(['/', '\\']) || written.contains([':', '\\', '\0']) {
        return None;
    }
    let mut parts: Vec<&str> = from.split('/').collect();
    parts.pop();
    for p in written.split('/') {
        match p {
            "" | "." => {}
            ".." => {
                parts.pop()?;
            }
            p => parts.push(p),
        }
    }
    Some(parts.join("/"))
}

impl Checker {
    /// The place of a stretch of the joined text in its own file.
    pub fn span_at(&self, start: usize, end: usize) -> Span {
        let at = self.pieces.partition_point(|p| p.start <= start);
        match at.checked_sub(1).map(|i| self.pieces[i]) {
            Some(p) if self.pieces.len() > 1 => {
                self.names.at(p.file);
                Span::new(p.file, start - p.start, end.max(p.start) - p.start)
            }
            Some(p) => Span::new(p.file, start - p.start, end.max(p.start) - p.start),
            None => Span::new(0, start, end),
        }
    }

    /// A private name that another file uses is an error that shows what its `///` says.
    pub fn refuse_private(&mut self, root: &Node) {
        let mut private: FxHashMap<String, Vec<(Span, String)>> = FxHashMap::default();
        if !self.text.contains("private") {
            return;
        }
        for n in root.children().filter(|n| n.has_word("private")) {
            if let Some((name, span)) = self.declared(&n) {
                private.entry(name).or_default().push((span, Self::doc_of(&n)));
            }
        }
        if private.is_empty() {
            return;
        }
        let mut before = String::new();
        for t in root.descendants_with_tokens().filter_map(|e| e.into_token()) {
            if t.kind().is_trivia() {
                continue;
            }
            if t.kind() == K::IDENT
                && before != "."
                && let Some(all) = private.get(t.text())
                && let Some((at, doc)) = all.first()
            {
                let span = self.token_span(&t);
                let is_own = all.iter().any(|(own, _)| own.file == span.file);
                if !is_own && !self.names.contains_key(t.text()) {
                    let help = if doc.is_empty() { "use what its file offers".to_string() } else { doc.clone() };
                    // That the name is not found there is the same mistake.
                    self.diagnostics.retain(|d| d.span != span);
                    self.diagnostics.push(
                        Diagnostic::error("private", span, format!("`{}` is private to its file", t.text()), help)
                            .and(*at, "it is declared here"),
                    );
                }
            }
            before = t.text().to_string();
        }
    }
}
