//! What was found wrong by reading, where it bears on a rule or a value.
//!
//! How it is found is in `mayfly_lang`; how it is listed is the screens'.
//!
//! Invariant: a finding belongs to the declaration in whose text it stands.

use crate::session::Session;
use crate::things::Thing;
use mayfly_base::*;
use mayfly_engine::Target;
use mayfly_lang::diagnostic::Diagnostic;
use mayfly_lang::lexer::declaration_end;

impl Session {
    /// The findings that stand in a rule, or at the declaration of a value, a zone, a timer or a message.
    pub fn findings_of(&self, thing: Thing) -> Vec<&Diagnostic> {
        if self.findings.is_empty() {
            return vec![];
        }
        let l = &self.level;
        let span = match thing {
            Thing::Rule(r) => l.rules.get(r.index()).map(|r| r.span),
            Thing::Value(Target::Var(v)) => l.vars.get(v.index()).map(|v| v.span),
            Thing::Define(d) => l.defines.get(d.index()).map(|d| d.span),
            Thing::Zone((z, _)) => l.zones.get(z.index()).map(|z| z.span),
            Thing::Timer(t) => l.timers.get(t.index()).map(|t| t.span),
            Thing::Message(m) => l.messages.get(m.index()).map(|m| m.span),
            _ => None,
        };
        let Some(span) = span.filter(|s| *s != Span::default()) else { return vec![] };
        let end = match thing {
            Thing::Rule(_) => declaration_end(self.source(span), span.start as usize) as u32,
            _ => span.end,
        };
        let inside = |d: &&Diagnostic| d.span.file == span.file && d.span.start < end && d.span.end > span.start;
        self.findings.iter().filter(inside).collect()
    }

    /// The line of a finding in its file, from 1.
    pub fn line_of_finding(&self, d: &Diagnostic) -> usize {
        span::line_column(self.source(d.span), d.span.start as usize).0
    }
}
