//! What happens: a program, a world, and one tick after another.
//!
//! [`tick::Engine::tick`] is the way in; [`history::History`] keeps a flight and finds any moment of it.
//! The engine knows no text (`mayfly-lang`) and no screen.
//!
//! Invariant: a world and its inputs decide everything that follows; no level, however wrong, panics,
//! hangs or takes memory without bound.

pub mod act;
pub mod actor;
pub mod actors;
pub mod cause;
pub mod change;
pub mod clock;
pub mod contents;
pub mod crowd;
pub mod dispatch;
pub mod draw;
mod edges;
pub mod eval;
pub mod exec;
pub mod fault;
pub mod fit;
pub mod flow;
pub mod functions;
pub mod ground;
pub mod ground_changes;
pub mod hash;
pub mod history;
pub mod judge;
pub mod machine;
pub mod machine_state;
pub mod motion;
pub mod names;
pub mod nearness;
pub mod notice;
pub mod order;
pub mod plan;
pub mod program;
pub mod quiet;
pub mod ramp;
pub mod record;
pub mod relation;
pub mod removal;
pub mod renew;
pub mod route;
pub mod run;
pub mod sense;
pub mod sight;
pub mod space;
pub mod start;
mod stride;
pub mod summaries;
pub mod sweep;
pub mod tables;
pub mod tick;
pub mod tick_context;
pub mod walk;
pub mod world;
mod world_cause;
pub mod zones;

pub use record::{Cause, EndWhy, EventInstance, Recorder, Spent, SwitchedWhat, Target, Trace, TraceEvent, Verdict};
pub use tick::{Engine, Input, TickOutcome};
pub use world::World;
