//! The ground that every other crate stands on: where text lies, what things are numbered by, what a
//! value is and how it is computed with, how durations become ticks, and where randomness comes from.
//!
//! It is not a place for rules of the language or of the tick: nothing here knows a level.
//!
//! Invariant: no input or output, no clock, nothing unordered. The same call gives the same answer on
//! every machine, because constant folding (`mayfly-lang`) and execution (`mayfly-engine`) both use
//! the arithmetic of [`value`].

pub mod arith;
pub mod code;
pub mod ids;
pub mod items;
pub mod number;
pub mod random;
pub mod span;
pub mod time;
pub mod value;

pub use arith::{ArithError, BinOp};
pub use ids::*;
pub use items::Items;
pub use random::Stream;
pub use span::Span;
pub use time::{Micros, Rate};
pub use value::{Names, Point, Value};
