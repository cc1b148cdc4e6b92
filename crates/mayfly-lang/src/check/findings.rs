//! Findings: what loads and yet may not do what was meant.
//!
//! Invariant: a finding never stops a level; each has its own code, and the tests hold an example that
//! raises it and one that does not.

use super::Checker;
use crate::diagnostic::Diagnostic;
use crate::syntax::Node;
use mayfly_base::*;
use rustc_hash::FxHashSet;

/// What was seen while the level was read.
#[derive(Clone, Debug, Default)]
pub(crate) struct Used {
    read: FxHashSet<VarId>,
    written: FxHashSet<VarId>,
    sent: FxHashSet<MessageId>,
    heard: FxHashSet<MessageId>,
    fields: FxHashSet<String>,
    /// A message that a variable holds was sent: which, is not known.
    held: bool,
}

impl Used {
    pub fn read_var(&mut self, v: VarId) {
        self.read.insert(v);
    }
    pub fn wrote_var(&mut self, v: VarId) {
        self.written.insert(v);
    }
    pub fn sent(&mut self, m: MessageId) {
        self.sent.insert(m);
    }
    pub fn sent_held(&mut self) {
        self.held = true;
    }
    pub fn heard(&mut self, m: MessageId) {
        self.heard.insert(m);
    }
    pub fn read_field(&mut self, _: KindId, name: &str) {
        self.fields.insert(name.to_string());
    }
}

impl Checker {
    pub fn findings(&mut self, _: &Node) {
        for i in 0..self.level.messages.len() {
            let (id, m) = (MessageId::at(i), &self.level.messages[i]);
            let (sent, heard) = (self.used.sent.contains(&id), self.used.heard.contains(&id));
            let (code, what, help) = match (sent, heard) {
                (false, true) if self.used.held => continue,
                (false, true) => {
                    ("never-sent", "is heard but never sent", format!("send it somewhere: `send {}`", m.name))
                }
                (true, false) => {
                    ("never-heard", "is sent but never heard", format!("hear it somewhere: `when hears {}`", m.name))
                }
                (false, false) => ("never-used", "is neither sent nor heard", "use it or take it out".to_string()),
                (true, true) => continue,
            };
            let d = Diagnostic::finding(code, m.span, format!("`{}` {what}", m.name), help);
            self.diagnostics.push(d);
        }
    }
}
