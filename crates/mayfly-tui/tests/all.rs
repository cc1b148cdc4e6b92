//! All tests of this crate in one program, so that it is linked once. One file of tests and what it needs:
//! `cargo test -p mayfly-tui --test all services::`.

mod asking;
mod commands;
mod desk;
mod long;
mod map;
mod monkey;
mod prompts;
mod screens;
mod writing;
