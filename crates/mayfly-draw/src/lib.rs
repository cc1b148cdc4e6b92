//! Drawings and tables of a level and its flights, in open formats: scenes of lines, boxes and texts, written as SVG; values
//! over time as VCD; diagnostics as SARIF; machines as SCXML and maps as CSV, out and in.
//!
//! Not here: what is true of a flight (`mayfly-session`), where files go (the binary).
//!
//! Invariant: the same flight gives the same bytes; text stays text; nothing is told by colour alone.

pub mod cascade;
pub mod chart;
pub mod error;
pub mod lanes;
mod layers;
pub mod links;
pub mod machine;
mod machine_layout;
pub mod maps;
pub mod pdf;
pub mod plan;
pub mod sarif;
pub mod scene;
pub mod scxml;
pub mod svg;
pub mod vcd;
