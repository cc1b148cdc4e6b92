//! The lossless tree of a text: [`kind`] names what there is in one, [`tree`] keeps it.
//!
//! Not here: how text becomes a tree ([`crate::lexer`], [`crate::parser`]), and what one means ([`crate::check`]).
//!
//! Invariant: whoever asks of a tree asks by what is named here; how it is kept, only those who make one know.

mod kind;
pub(crate) mod tree;

pub use kind::Kind;
pub use tree::{Element, Node, Token};
