//! Running, steering and what is on its way.
//!
//! Invariant: as in [`super`].

use mayfly_base::code::Expr;
use mayfly_base::{ActorId, InputId};
use mayfly_session::values::Needs;
use std::time::{Duration, Instant};

/// Speeds of running: how they are called, and how many times the level's own rate; 0: as fast as it goes.
pub const SPEEDS: [(&str, f64); 8] =
    [("¼×", 0.25), ("½×", 0.5), ("1×", 1.0), ("2×", 2.0), ("4×", 4.0), ("8×", 8.0), ("16×", 16.0), ("flat out", 0.0)];

/// An input that a key holds down.
#[derive(Clone, Debug)]
pub struct HeldKey {
    pub actor: ActorId,
    pub input: InputId,
    pub last: Instant,
}

/// Without a release from the terminal, a key counts as up when no repeat came for so long.
pub const RELEASE: Duration = Duration::from_millis(150);

/// Running, steering and what is on its way: shared by all views.
pub struct Play {
    pub running: bool,
    pub speed: usize,
    /// Ticks that running owes, in parts of one.
    pub owed: f64,
    pub driving: Option<ActorId>,
    pub held: Vec<HeldKey>,
    /// The terminal tells when a key is let go.
    pub has_release: bool,
    /// What is being sought.
    pub seeking: Option<Seeking>,
}

impl Default for Play {
    fn default() -> Self {
        Self { running: false, speed: 2, owed: 0.0, driving: None, held: vec![], has_release: false, seeking: None }
    }
}

/// What is sought.
pub enum Goal {
    Tick(u64),
    /// The next tick at whose end it is true, as it was typed.
    True(Box<Expr>, Needs, String),
}

pub struct Seeking {
    pub goal: Goal,
    /// The tick from which on nothing was looked at yet.
    pub(crate) next: u64,
    /// The tick from which on, backwards, nothing was looked at yet.
    pub(crate) back: u64,
    /// The level may be run on for it.
    pub(crate) runs_on: bool,
    /// The tick at which a search ends.
    pub(crate) end: u64,
}
