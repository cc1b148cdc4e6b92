//! What a person chose in the flight view, and what is kept of it between frames.
//!
//! Not here: what is done with it ([`crate::flight`]).
//!
//! Invariant: nothing here is true of the level: whatever is lost of it can be chosen again.

use crate::sizes::{Border, Pane, Sizes};
use mayfly_base::*;
use mayfly_engine::world::MachineKey;
use mayfly_session::about::Said;
use mayfly_session::cascade::Cascade;
use mayfly_session::compare::Comparison;
use mayfly_session::moment::Moment;
use mayfly_session::things::Thing;
use mayfly_session::why::Why;
use mayfly_session::why_not::WhyNot;
use rustc_hash::FxHashMap;
use std::collections::BTreeMap;
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

/// What the drawer was asked, where it does not follow the selected rung.
#[derive(Clone, Debug)]
pub enum Asked {
    WhyNot(RuleId),
    Watch(usize),
    /// Anything but a rule.
    Thing(Thing),
}

/// What the drawer shows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Drawer {
    Why,
    Lanes,
    Machine,
}

/// What has a lane of its own.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Lane {
    Rule(RuleId),
    /// A watch, by its text.
    Watch(String),
}

/// What the drawer says, kept until the moment or the question changes.
#[derive(Clone, Debug)]
pub enum Answer {
    Why(Box<Why>),
    WhyNot(Box<WhyNot>),
    Watch(usize),
    /// Of anything but a rule: its name, and what is to be said.
    About(String, Vec<Said>),
    Nothing,
}

/// What a person chose of the map, and what is kept of it between frames.
#[derive(Default)]
pub struct MapState {
    /// The area that is shown; none: that of whom one follows.
    pub area: Option<AreaId>,
    /// The cell that arrows move.
    pub cursor: Option<(i64, i64)>,
    /// The cell in the middle; none: whom one follows.
    pub middle: Option<(i64, i64)>,
    /// An index into `SCALES`; none: as large as the pane carries.
    pub scale: Option<usize>,
    pub layer: Layer,
    /// Where the one that is followed came from.
    pub trail: Trail,
    /// Cells that were entered, for the layers that show it: of which area up to which tick.
    pub entered: Option<((AreaId, u64), Entered)>,
}

/// How often each cell was entered.
pub type Entered = BTreeMap<(i64, i64), u64>;

/// The last cells of one actor.
#[derive(Default)]
pub struct Trail {
    pub of: Option<(ActorId, u64)>,
    pub points: Vec<Point>,
}

/// What lies over the map.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Layer {
    #[default]
    Zones,
    Noticed,
    Field,
    Paths,
    Heat,
    Never,
}

/// The names that a program has.
#[derive(Default)]
pub struct Names {
    pub(crate) of: usize,
    pub(crate) things: FxHashMap<String, Thing>,
    /// Titles of rules by their first word, the longest first.
    pub(crate) rules: FxHashMap<String, Vec<(String, RuleId)>>,
}

/// The last tick before the moment in which anything was evaluated.
pub struct LastTick {
    pub tick: u64,
    pub cascade: Cascade,
    /// Why its first firing fired; why its last rung did not, where none did.
    pub why: Option<Why>,
    /// Of which flight: its branch, and the program that made it.
    pub(crate) of: (String, usize),
}
