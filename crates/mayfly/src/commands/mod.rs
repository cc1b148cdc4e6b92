//! The commands, one file each.

pub mod fly;
pub mod open;
pub mod vet;
