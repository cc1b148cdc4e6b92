//! The flight view: the map as it was, the firing order, the values, and why.

pub mod cascade;
pub mod compare;
pub mod ladder;
pub mod lanes;
pub mod links;
pub mod log;
pub mod machine;
pub mod map;
mod places;
pub mod quiet;
pub mod scene;
pub mod tiles;
pub mod watches;
pub mod why;

pub use places::places;
