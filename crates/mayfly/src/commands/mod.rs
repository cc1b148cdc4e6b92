//! The commands, one file each.

pub mod draw;
pub mod fly;
pub mod format;
pub mod new;
pub mod open;
pub mod take;
pub mod vet;
