//! All tests of this crate in one program, so that it is linked once. One file of tests and what it needs:
//! `cargo test -p mayfly-engine --test all space::`.

mod actors;
mod sight;
mod space;
mod summaries;
