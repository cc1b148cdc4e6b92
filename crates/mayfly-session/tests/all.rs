//! All tests of this crate in one program, so that it is linked once. One file of tests and what it needs:
//! `cargo test -p mayfly-session --test all services::`.

mod asking;
mod boards;
mod boxes {
    pub mod form;
    pub mod play;
}
mod cascades;
mod causes;
mod contract;
mod documents;
mod edits;
mod engines;
mod examples;
mod export;
mod expressions;
mod first_last;
mod formatting;
mod fuzz;
mod ground;
mod laid;
mod laws;
mod levels;
mod naive;
mod one_mistake;
mod oracle;
mod read_again;
mod reference;
mod sameness;
mod sensing;
mod services;
mod state_key;
mod sums;
mod template;
mod things;
