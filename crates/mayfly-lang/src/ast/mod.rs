//! Typed syntax: what each form of the language is made of, as methods on its node.
//!
//! [`AstNode::cast`] gives a node its type where it is of that form. Whoever wants a part of a form asks here for it: only
//! this module knows by which word a part begins.
//!
//! Not here: what a form means ([`crate::check`]), and how it is parsed ([`crate::parser`]).
//!
//! Invariant: a typed node is of its form, and every part has an example that has it (a test walks the table).

mod decl;
mod event;
mod expr;
mod stmt;

pub use decl::*;
pub use event::*;
pub use expr::*;
pub use stmt::*;

use crate::syntax::{Kind as K, Node};

/// A node whose form is known.
pub trait AstNode: Sized {
    /// The node as that form; none where it is another.
    fn cast(n: &Node) -> Option<Self>;
    /// The node itself.
    fn syntax(&self) -> &Node;
}

/// The part of a node that begins with a word, whole.
fn part(n: &Node, word: &str) -> Option<Node> {
    n.children().find(|c| c.kind() == K::PART && c.word() == word)
}

/// The expression behind that word.
fn value(n: &Node, word: &str) -> Option<Node> {
    part(n, word).and_then(|p| p.expr())
}

/// The expressions behind that word.
fn values(n: &Node, word: &str) -> Vec<Node> {
    part(n, word).map(|p| p.exprs()).unwrap_or_default()
}

/// The expressions behind each of several such words.
fn each(n: &Node, word: &str) -> Vec<Node> {
    let parts = n.children().filter(|c| c.kind() == K::PART && c.word() == word);
    parts.filter_map(|p| p.expr()).collect()
}

/// Who or which zone is named behind that word.
fn who(n: &Node, word: &str) -> Option<Node> {
    part(n, word).and_then(|p| p.child(K::WHO))
}

/// True where there is a part that begins with that word.
fn has(n: &Node, word: &str) -> bool {
    part(n, word).is_some()
}

/// True where that word stands in the form itself.
fn flag(n: &Node, word: &str) -> bool {
    n.has_word(word)
}

/// Declares forms: the kind of the node, the words with which it may begin (any where none is told), and its parts: each with
/// the function above that finds it, what that gives, and its word.
macro_rules! forms {
    ($($(#[doc = $doc:literal])+ $name:ident = $kind:ident $($verb:literal)* {
        $($(#[doc = $part_doc:literal])+ $part:ident: $find:ident $word:literal -> $gives:ty,)*
    })*) => {
        $(
            $(#[doc = $doc])+
            #[derive(Clone, Debug)]
            pub struct $name(crate::syntax::Node);

            impl super::AstNode for $name {
                fn cast(n: &crate::syntax::Node) -> Option<Self> {
                    let verbs: &[&str] = &[$($verb),*];
                    let fits = n.kind() == crate::syntax::Kind::$kind
                        && (verbs.is_empty() || verbs.contains(&n.word()));
                    fits.then(|| Self(n.clone()))
                }

                fn syntax(&self) -> &crate::syntax::Node {
                    &self.0
                }
            }

            impl $name {
                $(
                    $(#[doc = $part_doc])+
                    pub fn $part(&self) -> $gives {
                        super::$find(&self.0, $word)
                    }
                )*
            }
        )*

        /// The parts of a node that the forms of this file find in it, by form and part.
        #[cfg(test)]
        pub(super) fn found(n: &crate::syntax::Node) -> Vec<(&'static str, &'static str)> {
            use super::AstNode;
            let mut out = vec![];
            $(
                if let Some(x) = $name::cast(n) {
                    let _ = &x;
                    $(
                        if super::Found::is_there(&x.$part()) {
                            out.push((stringify!($name), stringify!($part)));
                        }
                    )*
                }
            )*
            out
        }

        /// All forms of this file with all their parts.
        #[cfg(test)]
        pub(super) const ALL: &[(&str, &[&str])] = &[$((stringify!($name), &[$(stringify!($part)),*])),*];
    };
}
use forms;

/// Whether a part is there, for the test over the table.
#[cfg(test)]
trait Found {
    fn is_there(&self) -> bool;
}

#[cfg(test)]
impl Found for Option<Node> {
    fn is_there(&self) -> bool {
        self.is_some()
    }
}

#[cfg(test)]
impl Found for Vec<Node> {
    fn is_there(&self) -> bool {
        !self.is_empty()
    }
}

#[cfg(test)]
impl Found for bool {
    fn is_there(&self) -> bool {
        *self
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Every form with every part of it.
    const TEXT: &str = r#"
area cellar map """
...
"""
kind otter like fish { }
kind gate of zone { }
place olga: otter in cellar at (1, 1) facing east
zone z in cellar = rect (0, 0) 1 x 1
path p in cellar = (1, 1) (2, 2)
clock tide { hour 24 speed 1 hour per 2s }
machine m for otter { start a
  state a { start b
    state b { to a when hears bell after 2s if n > 1
      to one of { a 1 if n > 2 } after 5s } }
}
rule "r" {
  once per o
  when every 2s from 1s
  when otter in z every 1s
  when otter arrives at (1, 1)
  when otter nears olga within 4 until 5
  when otter strays from olga beyond 4
  when olga presses use near otter within 2 facing otter in z
  if olga near (1, 1) within 2
  if olga.m has been a for 2s
  then {
    tell "a" to olga from olga
    prompt "a" on olga while n > 1 for 2s
    board "b" while n > 1
    tag olga as wet
    push olga by (1, 0)
    move olga to (1, 1)
    face olga to (1, 1)
    start t for 2s
    go olga.m to a
    lay wall at (1, 1)
    wait until n > 1 for at most 2s
    wait for olga enters z for at most 2s
    walk olga to (1, 1) straight at 2 for 3s and wait
    walk olga along p from nearest
    walk olga after olga
    walk olga away from olga
    ramp n to 4 over 2s smooth and wait
    ramp n to 4 at 2
    send bell to olga after 2s
    spawn otter at (1, 1)
    for o in all otter where o.wet { }
    for i in 1..3 where i > 1 { }
    n = sum(otter where otter.wet: otter.n)
    who = nearest(otter to olga)
  }
}
"#;

    #[test]
    fn every_part_of_every_form_is_found_by_its_word() {
        let parsed = crate::parser::parse(TEXT);
        assert_eq!(parsed.errors, vec![]);
        let tree = parsed.tree();
        let mut found = vec![];
        for n in tree.descendants() {
            found.extend([decl::found(&n), event::found(&n), expr::found(&n), stmt::found(&n)].concat());
        }
        let all = [decl::ALL, event::ALL, expr::ALL, stmt::ALL].concat();
        let all = all.into_iter().flat_map(|(form, parts)| parts.iter().map(move |part| (form, *part)));
        let missing: Vec<_> = all.filter(|p| !found.contains(p)).collect();
        assert!(missing.is_empty(), "in no example: {missing:?}");
    }

    #[test]
    fn a_node_of_another_form_is_not_cast() {
        let tree = crate::parser::parse("rule \"a\" { when start; then { tell \"a\" } }").tree();
        let tell = tree.descendants().find(|n| n.kind() == K::STMT).expect("it is there");
        assert!(Tell::cast(&tell).is_some_and(|t| t.syntax() == &tell && t.to().is_none()));
        assert!(Walk::cast(&tell).is_none() && KindDecl::cast(&tell).is_none());
    }
}
