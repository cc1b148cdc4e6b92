//! A branch of a flight that is not the one flown.
//!
//! Not here: how one is begun, kept and flown again ([`crate::branches`]).

use crate::flight::Flight;
use crate::index::Index;
use mayfly_engine::Input;
use mayfly_engine::history::History;
use std::collections::BTreeMap;

/// A branch that is kept.
#[derive(Clone, Debug)]
pub struct Branch {
    pub name: String,
    /// The first tick that differs from the branch it was begun from.
    pub from: u64,
    pub history: History,
    pub index: Index,
}

/// A branch of an earlier text that is to be flown with the present one.
#[derive(Clone, Debug)]
pub struct WaitingBranch {
    pub(crate) name: String,
    pub(crate) from: u64,
    /// Its inputs in words, for the case that the text changes once more before it was flown.
    pub(crate) flight: Flight,
    pub(crate) inputs: BTreeMap<u64, Vec<Input>>,
    pub(crate) ticks: u64,
    pub(crate) history: History,
    pub(crate) index: Index,
}
