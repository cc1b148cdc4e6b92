//! What a person chose in the flight view, and what is kept of it between frames.
//!
//! Invariant: nothing here is true of the level: whatever is lost of it can be chosen again.

use super::links::Names;
use super::map::view::MapState;
use super::quiet::LastTick;
use crate::app::{Answer, Asked, Drawer, Lane, Pane};
use crate::sizes::{Border, Sizes};
use mayfly_engine::world::MachineKey;
use mayfly_session::compare::Comparison;
use mayfly_session::moment::Moment;
use std::collections::BTreeSet;

/// What a person chose in the flight view, and what is kept of it between frames.
pub struct FlightView {
    pub focus: Pane,
    pub selected: Option<u32>,
    /// The tick for which folds and selection stand.
    pub selected_tick: u64,
    pub toggled: BTreeSet<u32>,
    pub only_fired: bool,
    pub only_changed: bool,
    pub watch_at: usize,
    /// Watches that were taken out: where they stood, and their texts.
    pub removed_watches: Vec<(usize, String)>,
    pub log_at: usize,
    /// How the list of rules is sorted.
    pub rules_sort: usize,
    pub map: MapState,
    pub why_scroll: u16,
    /// The name in the drawer that is chosen.
    pub link_at: Option<usize>,
    pub names: Names,
    pub asked: Option<Asked>,
    pub answer: Option<(Moment, Option<u32>, Answer)>,
    pub drawer: Drawer,
    /// Then and now beside each other.
    pub comparing: bool,
    pub comparison: Option<(u64, Comparison)>,
    pub lanes: Vec<Lane>,
    /// Ticks of one column of the lanes.
    pub lane_scale: u64,
    pub machine: Option<MachineKey>,
    /// The cascade and the watches show only what holds these letters.
    pub filter: [String; 2],
    /// Every tick in which the two that are compared differ.
    pub differing: Vec<u64>,
    /// By how much the panes differ from the sizes that they have at first.
    pub sizes: Sizes,
    /// The border that the mouse drags.
    pub dragged: Option<Border>,
    /// What stands where the moment's own tick is quiet.
    pub last_tick: Option<LastTick>,
}

impl Default for FlightView {
    fn default() -> Self {
        Self {
            focus: Pane::Cascade,
            selected: None,
            selected_tick: 0,
            toggled: BTreeSet::new(),
            only_fired: false,
            only_changed: false,
            watch_at: 0,
            removed_watches: vec![],
            log_at: 0,
            rules_sort: 0,
            map: MapState::default(),
            why_scroll: 0,
            link_at: None,
            names: Names::default(),
            asked: None,
            answer: None,
            drawer: Drawer::Why,
            comparing: false,
            comparison: None,
            lanes: vec![],
            lane_scale: 1,
            machine: None,
            filter: Default::default(),
            differing: vec![],
            sizes: Sizes::default(),
            dragged: None,
            last_tick: None,
        }
    }
}
