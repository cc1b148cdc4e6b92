//! What a name is, and what each place does with it.
//!
//! Invariant: every use has one role; what declares is never also a write.

use crate::analysis::{Analysis, SymbolId, SymbolKind, Use};
use crate::syntax::{Kind as K, Node};
use mayfly_base::Span;

/// What a place does with what it names.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Role {
    Declares,
    Reads,
    /// A variable is written, ramped, added to; a clock is set; a machine is sent to a state.
    Writes,
    /// A message is sent.
    Sends,
    /// A message is awaited.
    Hears,
    /// A timer is started, stopped, paused or resumed; a rule, an actor or a zone switched.
    Steers,
}

/// What is known of the thing under a place, for whoever points at it.
#[derive(Clone, Debug)]
pub struct About {
    pub symbol: SymbolId,
    /// The place of the name.
    pub at: Span,
    pub kind: SymbolKind,
    pub name: String,
    /// `lamp` of `lamp.lit`.
    pub of: Option<String>,
    /// Its type in words, where an expression here has one.
    pub ty: Option<String>,
    pub doc: String,
    /// The first line of its declaration, as written.
    pub declaration: String,
    pub declared_at: Span,
    /// How often each role is taken.
    pub counts: Vec<(Role, usize)>,
}

/// What is declared where the thing under a place is.
pub fn definition(a: &Analysis, file: u16, at: usize) -> Option<Span> {
    let found = a.use_at(file, at)?;
    Some(a.symbols.get(found.symbol).at)
}

/// Every place that names the thing under a place, each with what it does.
pub fn uses(a: &Analysis, file: u16, at: usize) -> Vec<(Use, Role)> {
    let Some(found) = a.use_at(file, at) else { return vec![] };
    a.uses_of(found.symbol).map(|u| (*u, role(a, u))).collect()
}

/// Those of them that change it, or send or steer it.
pub fn writers(a: &Analysis, file: u16, at: usize) -> Vec<Use> {
    let all = uses(a, file, at).into_iter();
    all.filter(|(_, r)| matches!(r, Role::Writes | Role::Sends | Role::Steers)).map(|(u, _)| u).collect()
}

/// All about the thing under a place.
pub fn about(a: &Analysis, file: u16, at: usize) -> Option<About> {
    let found = *a.use_at(file, at)?;
    let s = a.symbols.get(found.symbol);
    let mut counts: Vec<(Role, usize)> = vec![];
    for u in a.uses_of(found.symbol) {
        let role = role(a, u);
        match counts.iter_mut().find(|(r, _)| *r == role) {
            Some((_, n)) => *n += 1,
            None => counts.push((role, 1)),
        }
    }
    counts.sort_unstable();
    let expr = node_at(a, &found).map(|n| a.files[file as usize].span(file, &outermost(&n)));
    Some(About {
        symbol: found.symbol,
        at: found.at,
        kind: s.kind,
        name: s.name.clone(),
        of: s.of.map(|of| a.symbols.get(of).name.clone()),
        ty: expr.and_then(|at| a.type_at(at)),
        doc: s.doc.clone(),
        declaration: a.text(s.whole).lines().next().unwrap_or("").trim_end().to_string(),
        declared_at: s.at,
        counts,
    })
}

/// The node of the name at a use; of one inside a text's braces the text.
fn node_at(a: &Analysis, u: &Use) -> Option<Node> {
    let tree = a.files[u.at.file as usize].tree();
    tree.token_at(u.at.start as usize)?.parent()
}

/// The whole expression that a name ends: `lamp.lit` of `lit`.
fn outermost(n: &Node) -> Node {
    match n.parent() {
        Some(p) if n.kind() == K::NAME && p.kind() == K::MEMBER_EXPR => p,
        _ => n.clone(),
    }
}

/// What a use does.
pub fn role(a: &Analysis, u: &Use) -> Role {
    if u.declares {
        return Role::Declares;
    }
    let Some(name) = node_at(a, u) else { return Role::Reads };
    // The title of a rule that is switched.
    if name.kind() == K::STMT && matches!(name.word(), "enable" | "disable") {
        return Role::Steers;
    }
    if name.kind() == K::TEXT_EXPR {
        return Role::Reads;
    }
    // A member, an index or a call of it is still it; what it is a part of is only read for that.
    let mut n = outermost(&name);
    let mut changing = false;
    while let Some(p) = n.parent() {
        let first = p.exprs().first() == Some(&n);
        match p.kind() {
            K::MEMBER_EXPR if first => {
                let method = p.child(K::NAME).map(|m| m.word().to_string()).unwrap_or_default();
                let called = p.parent().is_some_and(|c| c.kind() == K::CALL_EXPR && c.exprs().first() == Some(&p));
                if !(called && matches!(method.as_str(), "push" | "add" | "remove" | "clear")) {
                    return Role::Reads;
                }
                changing = true;
            }
            K::INDEX_EXPR | K::CALL_EXPR if first => {}
            _ => break,
        }
        n = p;
    }
    let Some(p) = n.parent() else { return Role::Reads };
    let first = p.exprs().first() == Some(&n);
    let word = p.word();
    match p.kind() {
        K::EV_MESSAGE => Role::Hears,
        // What a placed or spawned one is given is its first value.
        K::ASSIGN_STMT if first => Role::Writes,
        K::EXPR_STMT if changing => Role::Writes,
        K::STMT if n.kind() == K::NAME => Role::Writes,
        K::STMT if first => match word {
            "ramp" | "go" | "set" | "advance" => Role::Writes,
            "send" => Role::Sends,
            "start" | "stop" | "pause" | "resume" | "enable" | "disable" => Role::Steers,
            _ => Role::Reads,
        },
        K::STMT if matches!(word, "enable" | "disable") => Role::Steers,
        _ => Role::Reads,
    }
}
