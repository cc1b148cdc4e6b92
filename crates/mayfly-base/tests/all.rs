//! All tests of this crate in one program, so that it is linked once. One file of tests and what it needs:
//! `cargo test -p mayfly-base --test all random::`.

mod arith;
mod items;
mod number;
mod random;
mod time;
mod value;
