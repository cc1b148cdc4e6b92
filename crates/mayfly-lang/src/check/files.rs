//! Levels of several files: `use` and `private`.
//!
//! Every file is parsed once. Their trees are linked to one, a used file's declarations before those of the file that uses
//! it, so that whatever reads a level reads one tree. Spans are given back in the files' own places.
//!
//! Invariant: a file is read once; nothing outside the folder of the level's own file is read.

use super::Checker;
use crate::diagnostic::{Diagnostic, Source};
use crate::parser::Parse;
use crate::syntax::tree::{Branch, Tree};
use crate::syntax::{Kind as K, Node};
use mayfly_base::Span;
use rustc_hash::FxHashMap;
use std::sync::Arc;

/// Why a file that a level uses cannot be read.
#[derive(Debug, thiserror::Error)]
pub enum LoadError {
    #[error("there is no such file")]
    Missing,
    #[error("it leads out of this level's folder")]
    Outside,
    #[error("this level was not read from a folder: save its text first")]
    NoFolder,
    /// It is there, and cannot be read.
    #[error(transparent)]
    Unreadable(Box<dyn std::error::Error + Send + Sync>),
}

/// Reads a file by its path inside the level's folder.
pub type Load<'a> = &'a mut dyn FnMut(&str) -> Result<String, LoadError>;

/// Gives the tree of a file, by its name and text: a new one, or that of the same text before.
pub type Trees<'a> = &'a mut dyn FnMut(&str, &str) -> Arc<Parse>;

/// Where a file's tree begins in the linked tree.
#[derive(Clone, Copy, Debug)]
pub struct Part {
    pub start: usize,
    pub file: u16,
}

/// The files of a level, the level's own first, each with its tree.
#[derive(Default)]
pub(crate) struct Project {
    pub sources: Vec<Source>,
    pub parses: Vec<Arc<Parse>>,
    /// The files in the order in which they are linked.
    pub parts: Vec<Part>,
    /// How long they are together.
    len: usize,
    /// What is wrong with the lines that use files, and with the texts of used files.
    pub diagnostics: Vec<Diagnostic>,
}

/// Files of one level at most.
const MAX_FILES: usize = 1000;

impl Project {
    /// Reads and parses a level's files.
    pub fn of(name: &str, text: &str, load: Load, trees: Trees) -> Self {
        let parse = trees(name, text);
        let mut p = Self { sources: vec![Source::new(name, text)], parses: vec![parse], ..Self::default() };
        if text.contains("use") {
            let own = name.rsplit(['/', '\\']).next().unwrap_or(name).to_string();
            add(&mut p, 0, &own, (load, trees), &mut vec![], &mut FxHashMap::default());
        } else {
            p.link(0);
        }
        p
    }

    fn link(&mut self, file: u16) {
        self.parts.push(Part { start: self.len, file });
        self.len += self.sources[file as usize].text.len();
    }

    /// One tree of all files. Between two of them stands a token without text, so that what ends one says nothing of the
    /// other.
    pub fn tree(&self) -> Node {
        if let [parse] = self.parses.as_slice() {
            return parse.tree();
        }
        let end = Arc::new(Branch::end());
        let of = |p: &Part| self.parses[p.file as usize].branches().chain([&end]);
        Node::root(Arc::new(Tree::of(self.parts.iter().flat_map(of).cloned())))
    }

    /// True where a word stands anywhere in its texts.
    pub fn has(&self, word: &str) -> bool {
        self.sources.iter().any(|s| s.text.contains(word))
    }
}

fn add(
    j: &mut Project,
    file: u16,
    path: &str,
    (load, trees): (Load, Trees),
    open: &mut Vec<String>,
    known: &mut FxHashMap<String, u16>,
) {
    let parsed = j.parses[file as usize].clone();
    if file > 0 {
        for e in &parsed.errors {
            j.diagnostics.push(e.diagnostic(file));
        }
    }
    open.push(path.to_string());
    for n in parsed.tree().children().filter(|n| n.kind() == K::USE_DECL) {
        let Some(token) = n.tok(K::TEXT) else { continue };
        let r = token.range();
        let span = Span::new(file, r.start, r.end);
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
        if j.sources.len() >= MAX_FILES {
            wrong("too-many-files", "a level has at most 1000 files".into(), "join some of them");
            return;
        }
        match load(&target) {
            Ok(text) => {
                let id = j.sources.len() as u16;
                let base = j.sources[0].name.rsplit_once('/').map_or(String::new(), |(d, _)| format!("{d}/"));
                let source = Source::new(format!("{base}{target}"), text);
                j.parses.push(trees(&source.name, &source.text));
                j.sources.push(source);
                known.insert(target.clone(), id);
                add(j, id, &target, (&mut *load, &mut *trees), open, known);
            }
            Err(why) => {
                wrong("no-file", format!("\"{written}\" cannot be read: {why}"), "correct the name, or add the file");
            }
        }
    }
    open.pop();
    j.link(file);
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
    /// The place of a stretch of the linked tree in its own file.
    pub fn span_at(&self, start: usize, end: usize) -> Span {
        let at = self.project.parts.partition_point(|p| p.start <= start);
        match at.checked_sub(1).map(|i| self.project.parts[i]) {
            Some(p) if self.project.parts.len() > 1 => {
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
        if !self.project.has("private") {
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
        for t in root.tokens() {
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
