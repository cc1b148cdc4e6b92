//! What is wrong with a level's text, where, why, and what to do; and how it is printed.
//!
//! Invariant: every diagnostic has a code, a place in a file, and a help that says what to do next.

use annotate_snippets::{AnnotationKind, Level as Title, Renderer, Snippet};
use mayfly_base::Span;
use serde::Serialize;
use std::sync::OnceLock;

/// Bytes of a level's text that one mistake shows.
const MAX_LINE: usize = 4000;

/// Letters of one word in what is told.
const MAX_NAME: usize = 100;

/// Places that lie so many bytes apart are shown by themselves.
const FAR: u32 = 20_000;

/// The lines of one file that a diagnostic shows.
#[derive(Default)]
struct Shown {
    file: u16,
    places: Vec<(Span, Option<String>)>,
    name: String,
    /// From the first line that is meant to the last.
    text: String,
    /// Where it begins in the file: byte and line.
    start: usize,
    line: usize,
}

impl Shown {
    fn read(&mut self, source: &Source) {
        let text = &source.text;
        let floor = |mut at: usize| {
            at = at.min(text.len());
            while !text.is_char_boundary(at) {
                at -= 1;
            }
            at
        };
        let first = self.places.iter().map(|(s, _)| floor(s.start as usize)).min().unwrap_or(0);
        let last = self.places.iter().map(|(s, _)| floor(s.start as usize)).max().unwrap_or(0);
        let (line, start) = source.line_of(first);
        (self.line, self.start) = (line + 1, start);
        let end = text[last..].find('\n').map_or(text.len(), |i| last + i);
        self.name = safe(&source.name);
        let mut shown = self.start..end;
        if shown.len() > MAX_LINE {
            // Of a line without end the piece round the mistake is enough; lines that lie far apart are cut short.
            let from = floor(first.saturating_sub(MAX_LINE / 4).max(self.start));
            shown = from..floor(end.min(from + MAX_LINE));
        }
        self.start = shown.start;
        self.text = visible(&text[shown]);
    }

    /// A place in the lines that are shown; one line of it is enough to find it.
    fn clip(&self, span: Span) -> std::ops::Range<usize> {
        let a = (span.start as usize).saturating_sub(self.start).min(self.text.len());
        let b = (span.end as usize).saturating_sub(self.start).clamp(a, self.text.len());
        let b = self.text.get(a..b).and_then(|s| s.find('\n')).map_or(b, |i| a + i);
        a..b
    }
}

/// How bad it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// The level does not load.
    Error,
    /// It loads; it may not do what was meant.
    Finding,
}

/// A small change that mends it, as far as that can be told from the text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fix {
    /// What it does, in a few words.
    pub label: String,
    /// What takes the place of which stretches, in order; they do not overlap.
    pub edits: Vec<(Span, String)>,
}

impl Fix {
    /// One stretch becomes another text.
    pub fn replace(span: Span, text: impl Into<String>) -> Self {
        let text = text.into();
        Self { label: format!("write `{}`", text.trim()), edits: vec![(span, text)] }
    }
}

/// One thing that is wrong.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Diagnostic {
    pub code: &'static str,
    pub severity: Severity,
    pub span: Span,
    pub message: String,
    pub help: String,
    /// Other places that belong to it.
    pub also: Vec<(Span, String)>,
    pub fix: Option<Box<Fix>>,
    /// The first name of its message is declared twice: what is said of its uses follows from it.
    pub twice: bool,
    /// The title of the rule in which it stands.
    pub rule: Option<Box<str>>,
}

/// A file's name and text.
#[derive(Clone, Debug)]
pub struct Source {
    pub name: String,
    pub text: String,
    /// Where each line begins; found when it is first asked for.
    lines: OnceLock<Vec<u32>>,
}

impl PartialEq for Source {
    fn eq(&self, other: &Self) -> bool {
        self.name == other.name && self.text == other.text
    }
}

impl Eq for Source {}

impl Source {
    pub fn new(name: impl Into<String>, text: impl Into<String>) -> Self {
        Self { name: name.into(), text: text.into(), lines: OnceLock::new() }
    }

    fn lines(&self) -> &[u32] {
        self.lines.get_or_init(|| {
            let ends = self.text.bytes().enumerate().filter(|(_, b)| *b == b'\n').map(|(i, _)| i as u32 + 1);
            std::iter::once(0).chain(ends).collect()
        })
    }

    /// The line of a byte, from 0, and where that line begins.
    pub fn line_of(&self, at: usize) -> (usize, usize) {
        let lines = self.lines();
        let line = lines.partition_point(|l| *l as usize <= at).saturating_sub(1);
        (line, lines[line] as usize)
    }

    /// Line and column of a byte, both from 1, the column in characters.
    pub fn place(&self, at: usize) -> (usize, usize) {
        let mut at = at.min(self.text.len());
        while !self.text.is_char_boundary(at) {
            at -= 1;
        }
        let (line, begin) = self.line_of(at);
        (line + 1, self.text[begin..at].chars().count() + 1)
    }

    /// A line's text without its end, counted from 0.
    pub fn line(&self, line: usize) -> &str {
        let Some(begin) = self.lines().get(line).map(|l| *l as usize) else { return "" };
        self.text[begin..].lines().next().unwrap_or("")
    }
}

/// In one line: what is wrong, and what to do.
impl std::fmt::Display for Diagnostic {
    fn fmt(&self, f: &mut std::fmt::Formatter) -> std::fmt::Result {
        write!(f, "{}; {}", self.message, self.help)
    }
}

impl Diagnostic {
    /// An error.
    pub fn error(code: &'static str, span: Span, message: impl Into<String>, help: impl Into<String>) -> Self {
        Self {
            code,
            severity: Severity::Error,
            span,
            message: message.into(),
            help: help.into(),
            also: vec![],
            fix: None,
            twice: false,
            rule: None,
        }
    }

    /// A finding.
    pub fn finding(code: &'static str, span: Span, message: impl Into<String>, help: impl Into<String>) -> Self {
        Self { severity: Severity::Finding, ..Self::error(code, span, message, help) }
    }

    /// Cuts names of which nobody reads the end: what is told fits a screen.
    pub(crate) fn shorten_names(&mut self) {
        for text in [&mut self.message, &mut self.help] {
            if text.len() > MAX_NAME {
                *text = text.split_inclusive(' ').map(short_word).collect();
            }
        }
    }

    /// With a change that mends it.
    #[must_use]
    pub fn fixed_by(mut self, fix: Fix) -> Self {
        self.fix = Some(Box::new(fix));
        self
    }

    /// With another place that belongs to it.
    #[must_use]
    pub fn and(mut self, span: Span, label: impl Into<String>) -> Self {
        self.also.push((span, label.into()));
        self
    }

    /// As text for a terminal or a file, with the line itself.
    pub fn print(&self, sources: &[Source], colour: bool) -> String {
        let title = match self.severity {
            Severity::Error => Title::ERROR,
            Severity::Finding => Title::WARNING.with_name("finding"),
        };
        let message = safe(&self.message);
        let help = safe(&self.help);
        let group = title.primary_title(message.as_str()).id(self.code);
        // What stands in one file is shown together; of the text only the lines between are looked at.
        let mut shown: Vec<Shown> = vec![];
        let places = std::iter::once((self.span, None)).chain(self.also.iter().map(|(s, l)| (*s, Some(safe(l)))));
        for (span, label) in places {
            let near = |s: &Shown| s.places.iter().all(|(p, _)| p.start.abs_diff(span.start) < FAR);
            match shown.iter_mut().find(|s| s.file == span.file && near(s)) {
                Some(s) => s.places.push((span, label)),
                None => shown.push(Shown { file: span.file, places: vec![(span, label)], ..Shown::default() }),
            }
        }
        shown.retain(|s| (s.file as usize) < sources.len());
        shown.iter_mut().for_each(|s| s.read(&sources[s.file as usize]));
        let elements: Vec<_> = shown
            .iter()
            .map(|s| {
                let mut snippet = Snippet::source(s.text.as_str()).path(s.name.as_str()).line_start(s.line);
                for (span, label) in &s.places {
                    let at = s.clip(*span);
                    snippet = snippet.annotation(match label {
                        None => AnnotationKind::Primary.span(at),
                        Some(l) => AnnotationKind::Context.span(at).label(l.as_str()),
                    });
                }
                snippet
            })
            .collect();
        let mut report = group.elements(elements);
        let rule = self.rule.as_ref().map(|r| format!("in the rule \"{}\"", safe(r)));
        if let Some(rule) = &rule {
            report = report.element(Title::NOTE.message(rule.as_str()));
        }
        if !help.is_empty() {
            report = report.element(Title::HELP.message(help.as_str()));
        }
        let renderer = if colour { Renderer::styled() } else { Renderer::plain() };
        renderer.render(&[report]).to_string()
    }

    /// Line and column, from 1.
    pub fn place(&self, sources: &[Source]) -> (usize, usize) {
        sources.get(self.span.file as usize).map_or((1, 1), |s| s.place(self.span.start as usize))
    }

    /// For programs that read diagnostics.
    pub fn json(&self, sources: &[Source]) -> impl Serialize + use<> {
        #[derive(Serialize)]
        struct Row {
            code: &'static str,
            severity: Severity,
            file: String,
            line: usize,
            column: usize,
            end_line: usize,
            end_column: usize,
            text: String,
            message: String,
            help: String,
            /// What mends it, where that can be told.
            #[serde(skip_serializing_if = "Option::is_none")]
            fix: Option<FixRow>,
        }
        #[derive(Serialize)]
        struct FixRow {
            label: String,
            edits: Vec<EditRow>,
        }
        #[derive(Serialize)]
        struct EditRow {
            file: String,
            /// Bytes of the file's text.
            start: u32,
            end: u32,
            text: String,
        }
        let file_name = |n: u16| sources.get(n as usize).map_or(String::new(), |s| s.name.clone());
        let fix = self.fix.as_ref().map(|f| FixRow {
            label: f.label.clone(),
            edits: f
                .edits
                .iter()
                .map(|(s, text)| EditRow { file: file_name(s.file), start: s.start, end: s.end, text: text.clone() })
                .collect(),
        });
        let source = sources.get(self.span.file as usize);
        let (line, column) = self.place(sources);
        let (end_line, end_column) = source.map_or((1, 1), |s| s.place(self.span.end as usize));
        let text = source.map_or("", |s| short(s.line(line - 1), column)).to_string();
        Row {
            code: self.code,
            severity: self.severity,
            file: source.map_or(String::new(), |s| s.name.clone()),
            line,
            column,
            end_line,
            end_column,
            text,
            message: self.message.clone(),
            help: self.help.clone(),
            fix,
        }
    }
}

/// A word; of one without end its beginning, and what closes it.
fn short_word(word: &str) -> String {
    if word.chars().count() <= MAX_NAME {
        return word.to_string();
    }
    let sign = |c: &char| !c.is_alphanumeric();
    let end: Vec<char> = word.chars().rev().take(4).take_while(sign).collect();
    word.chars().take(MAX_NAME / 2).chain(['…']).chain(end.into_iter().rev()).collect()
}

/// A line; of one without end the piece round a column, counted from 1.
fn short(line: &str, column: usize) -> &str {
    if line.len() <= MAX_LINE {
        return line;
    }
    let at = line.char_indices().nth(column.saturating_sub(1)).map_or(line.len(), |(i, _)| i);
    let (from, to) = (at.saturating_sub(MAX_LINE / 4), (at + MAX_LINE).min(line.len()));
    let from = (0..=from).rev().find(|i| line.is_char_boundary(*i)).unwrap_or(0);
    let to = (to..=line.len()).find(|i| line.is_char_boundary(*i)).unwrap_or(line.len());
    &line[from..to]
}

/// True for characters that could steer a terminal, turn the direction of writing, or end a line unseen.
pub fn is_unsafe(c: char) -> bool {
    (c.is_control() && c != '\n' && c != '\t')
        || matches!(c, '\u{ad}' | '\u{61c}' | '\u{180e}' | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}')
        || matches!(c, '\u{2060}'..='\u{206f}' | '\u{feff}' | '\u{fff9}'..='\u{fffb}' | '\u{e0000}'..='\u{e007f}')
}

/// JSON in which no character stands raw that [`is_unsafe`]: such stand in its strings alone, as escapes of JSON's own.
pub fn safe_json(json: &str) -> String {
    if !json.chars().any(is_unsafe) {
        return json.to_string();
    }
    let mut units = [0; 2];
    let mut out = String::with_capacity(json.len() + 16);
    for c in json.chars() {
        if is_unsafe(c) {
            c.encode_utf16(&mut units).iter().for_each(|u| out.push_str(&format!("\\u{u:04x}")));
        } else {
            out.push(c);
        }
    }
    out
}

/// Text from a level, with what could steer a terminal shown as an escape.
pub fn safe(text: &str) -> String {
    if !text.chars().any(is_unsafe) {
        return text.to_string();
    }
    text.chars().map(|c| if is_unsafe(c) { format!("\\u{{{:x}}}", u32::from(c)) } else { c.to_string() }).collect()
}

/// As [`safe`], but of the same length in bytes, so that places stay right.
fn visible(text: &str) -> String {
    text.chars().map(|c| if is_unsafe(c) && c != '\r' { "?".repeat(c.len_utf8()) } else { c.to_string() }).collect()
}
