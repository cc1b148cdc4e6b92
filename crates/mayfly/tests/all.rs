//! All tests of this crate in one program, so that it is linked once. One file of tests and what it needs:
//! `cargo test -p mayfly --test all services::`.

mod abrupt;
mod command_line;
mod deck;
mod drawing;
mod foreign;
mod headless;
mod journeys;
mod layers;
mod modules;
mod schema;
mod terminal;
mod tutorial;
mod writing;
