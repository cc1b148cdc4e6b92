//! What an editor asks of an [`Analysis`](crate::analysis::Analysis), as plain functions: what a name is and where it is
//! declared, used and written ([`look`]), another name for it ([`rename`]), what can stand at a place ([`complete`]), the
//! parts of a text ([`outline`]).
//!
//! Not here: how a text is laid out ([`crate::format`]).
//!
//! Invariant: a service changes nothing; what it would change it gives as edits.

pub mod complete;
pub mod context;
pub mod look;
pub mod outline;
pub mod rename;
mod wants;
pub mod words;
