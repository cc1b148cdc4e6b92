//! All tests of this crate in one program, so that it is linked once. One file of tests and what it needs:
//! `cargo test -p mayfly-draw --test all services::`.

mod drawings;
mod formats;
mod machines;
