//! In which state a machine is, and one stay in a state.
//!
//! Not here: how it goes from one to another ([`crate::machine`]).
//!
//! Invariant: the stays of a machine are those of its state and of all states round it, outermost first.

use mayfly_base::*;
use smallvec::SmallVec;

/// A machine as declared, and the actor whose it is.
pub type MachineKey = (MachineId, Option<ActorId>);

/// One stay of a machine in a state.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Home {
    pub machine: MachineKey,
    pub state: StateId,
    /// Which stay it is, counted over all states of the machine.
    pub stay: u64,
}

#[derive(Clone, Debug)]
pub struct MachineState {
    /// The innermost state.
    pub state: StateId,
    pub previous: Option<StateId>,
    /// Every state that it is in, outermost first, with the tick of entry and the stay.
    pub stays: SmallVec<[(StateId, u64, u64); 2]>,
    pub count: u64,
}

impl MachineState {
    /// Since when it is in that state; none where it is not.
    pub fn since(&self, state: StateId) -> Option<u64> {
        self.stays.iter().find(|(s, _, _)| *s == state).map(|(_, t, _)| *t)
    }
}
