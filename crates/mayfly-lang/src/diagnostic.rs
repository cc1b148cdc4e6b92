//! What is wrong with a level's text, where, why, and what to do; and how it is printed.
//!
//! Invariant: every diagnostic has a code, a place in a file, and a help that says what to do next.

use annotate_snippets::{AnnotationKind, Level as Title, Renderer, Snippet};
use mayfly_base::Span;
use mayfly_base::span::line_column;
use serde::Serialize;

/// How bad it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// The level does not load.
    Error,
    /// It loads; it may not do what was meant.
    Finding,
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
}

/// A file's name and text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Source {
    pub name: String,
    pub text: String,
}

impl Diagnostic {
    /// An error.
    pub fn error(code: &'static str, span: Span, message: impl Into<String>, help: impl Into<String>) -> Self {
        Self { code, severity: Severity::Error, span, message: message.into(), help: help.into(), also: vec![] }
    }

    /// A finding.
    pub fn finding(code: &'static str, span: Span, message: impl Into<String>, help: impl Into<String>) -> Self {
        Self { severity: Severity::Finding, ..Self::error(code, span, message, help) }
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
        let shown: Vec<(String, String)> = sources.iter().map(|s| (safe(&s.name), visible(&s.text))).collect();
        let message = safe(&self.message);
        let help = safe(&self.help);
        let also: Vec<(Span, String)> = self.also.iter().map(|(s, l)| (*s, safe(l))).collect();
        let mut group = title.primary_title(message.as_str()).id(self.code);
        let clip = |span: Span| {
            let text = &sources[span.file as usize].text;
            let (mut a, mut b) = (span.start as usize, (span.end as usize).min(text.len()));
            // One line is enough to find the place.
            if let Some(i) = text.get(a..b).and_then(|s| s.find('\n')) {
                b = a + i;
            }
            if a == b && a > 0 && a >= text.len() {
                a = a.min(text.len());
            }
            a..b
        };
        let name = |span: Span| shown.get(span.file as usize);
        let mut elements = vec![];
        if let Some((file, text)) = name(self.span) {
            let mut s = Snippet::source(text.as_str())
                .path(file.as_str())
                .annotation(AnnotationKind::Primary.span(clip(self.span)));
            for (span, label) in also.iter().filter(|(s, _)| s.file == self.span.file) {
                s = s.annotation(AnnotationKind::Context.span(clip(*span)).label(label.as_str()));
            }
            elements.push(s);
        }
        for (span, label) in also.iter().filter(|(s, _)| s.file != self.span.file) {
            if let Some((file, text)) = name(*span) {
                elements.push(
                    Snippet::source(text.as_str())
                        .path(file.as_str())
                        .annotation(AnnotationKind::Context.span(clip(*span)).label(label.as_str())),
                );
            }
        }
        let mut report = group.clone().elements(elements);
        if !help.is_empty() {
            report = report.element(Title::HELP.message(help.as_str()));
        }
        let renderer = if colour { Renderer::styled() } else { Renderer::plain() };
        let _ = &mut group;
        renderer.render(&[report]).to_string()
    }

    /// Line and column, from 1.
    pub fn place(&self, sources: &[Source]) -> (usize, usize) {
        sources.get(self.span.file as usize).map_or((1, 1), |s| line_column(&s.text, self.span.start as usize))
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
        }
        let source = sources.get(self.span.file as usize);
        let (line, column) = self.place(sources);
        let (end_line, end_column) = source.map_or((1, 1), |s| line_column(&s.text, self.span.end as usize));
        let text = source.and_then(|s| s.text.lines().nth(line - 1)).unwrap_or("").to_string();
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
        }
    }
}

/// True for characters that could steer a terminal or turn the direction of writing.
pub fn is_unsafe(c: char) -> bool {
    (c.is_control() && c != '\n' && c != '\t')
        || matches!(c, '\u{200b}'..='\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2060}'..='\u{2069}' | '\u{feff}')
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
