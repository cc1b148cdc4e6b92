//! The flight view: the map as it was, the firing order, the values, and why.

pub mod cascade;
pub mod map;
pub mod tiles;
pub mod watches;
pub mod why;
