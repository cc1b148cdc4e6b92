//! A session without a screen: a level is read, lowered, flown, stepped through and explained.
//!
//! The screens and the command line are both driven by it. It reads no file and knows no terminal.
//! [`session::Session`] is the way in for a screen, [`headless::fly`] for a run without one.
//!
//! Invariant: everything here can be asked of any moment of a flight, and asking changes nothing.

pub mod about;
pub mod about_level;
pub mod around;
pub mod bounded;
pub mod branch;
pub mod branches;
pub mod cascade;
pub mod cascade_text;
pub mod compare;
pub mod digest;
pub mod documents;
pub mod explain;
pub mod export;
pub mod findings;
pub mod first_last;
pub mod flight;
pub mod headless;
pub mod here;
pub mod index;
pub mod journal;
pub mod json;
pub mod kept;
pub(crate) mod ladder;
pub mod laid;
pub mod links;
pub mod loop_turn;
pub mod lower;
pub mod machines;
pub mod moment;
pub mod propose;
pub mod reload;
pub mod report;
pub mod script;
pub mod session;
pub mod step;
pub mod stop_marks;
pub mod stops;
pub mod template;
pub mod things;
pub mod trace;
pub mod values;
pub mod watch;
pub mod watching;
pub mod why;
pub mod why_not;
pub mod words;
pub mod writer;
pub mod writers;

pub(crate) mod limits;
mod ops;
mod past;
mod sure;
