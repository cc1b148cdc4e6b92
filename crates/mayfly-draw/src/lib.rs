//! Drawings and tables of a level and its flights, in open formats: scenes of lines, boxes and texts, written as SVG; values
//! over time as VCD; diagnostics as SARIF.
//!
//! Not here: what is true of a flight (`mayfly-lab`), where files go (the binary).
//!
//! Invariant: the same flight gives the same bytes; text stays text; nothing is told by colour alone.

pub mod cascade;
pub mod chart;
pub mod lanes;
pub mod machine;
pub mod plan;
pub mod sarif;
pub mod scene;
pub mod svg;
pub mod vcd;
