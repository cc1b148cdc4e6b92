//! What is to be read once all is declared: the rules, and the parts of machines.
//!
//! Not here: how they are read ([`super::rules`]), and which of them are taken as they were ([`super::unchanged`]).
//!
//! Invariant: each has the one node from which it is read.

use super::machines::PartNode;
use crate::syntax::Node;
use mayfly_base::KindId;

/// A rule, or a part of a machine, that is to be read.
pub(super) enum Todo {
    Rule(Node, Option<KindId>),
    /// A rule of a `first of` group.
    Grouped(Node, Option<KindId>, u32),
    Part(PartNode),
}

impl Todo {
    pub fn node(&self) -> &Node {
        match self {
            Self::Rule(n, _) | Self::Grouped(n, _, _) => n,
            Self::Part(p) => &p.node,
        }
    }
}
