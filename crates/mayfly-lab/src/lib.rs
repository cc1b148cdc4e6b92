//! A session without a screen: a level is read, lowered, flown, stepped through and explained.
//!
//! The screens and the command line are both driven by it. It reads no file and knows no terminal.
//!
//! Invariant: everything here can be asked of any moment of a flight, and asking changes nothing.

pub mod cascade;
pub mod explain;
pub mod headless;
pub mod lower;
pub mod report;
pub mod script;
pub mod values;
pub mod words;
