//! The language: text to meaning.
//!
//! [`check::check`] is the way in: it parses, resolves and types a level's text and gives back either a
//! [`level::Level`] or everything that is wrong, all at once. Nothing here runs a level
//! (`mayfly-engine`) or reads a file (`mayfly`).
//!
//! Invariant: no text, however broken, panics or hangs; every text has a tree whose text it is.

pub mod analysis;
pub mod ast;
pub mod check;
pub mod diagnostic;
pub mod edit;
pub mod format;
pub mod level;
pub mod lexer;
mod map_rows;
mod moved;
pub mod naming;
pub mod near;
pub mod parser;
mod placed;
pub mod services;
pub mod syntax;
pub mod types;
pub mod visit;
