//! All tests of this crate in one program, so that it is linked once. One file of tests and what it needs:
//! `cargo test -p mayfly-lang --test all services::`.

mod diagnostics;
mod edits;
mod mistakes;
mod services;
mod trees;
