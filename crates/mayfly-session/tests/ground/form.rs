//! Made-up ground with walls and stones, who walks on it, and what is pressed: as data, as text, and as a strategy.
//!
//! Not here: what comes of it ([`super::play`]).
//!
//! A second map, the cellar, is thought far to the east of the first: nothing there is near, and no way leads there.
//!
//! Invariant: whoever walks by order goes one cell a tick, so that each tick ends on a cell's centre; who is steered goes a
//! whole part of a cell.

use proptest::prelude::*;
use std::fmt::{self, Display};

pub const WIDTH: i64 = 9;
pub const HEIGHT: i64 = 6;
/// By so many cells the cellar is thought to the east.
pub const CELLAR: i64 = 1000;
pub const TICKS: u64 = 40;
/// Names in order of creation: one is steered, two walk by order, two are stones.
pub const NAMES: [&str; 5] = ["p", "h", "q", "s", "t"];
pub const WALKERS: [usize; 2] = [1, 2];
pub const STONES: [usize; 2] = [3, 4];
/// North, east, south, west.
pub const WAYS: [(i64, i64); 4] = [(0, -1), (1, 0), (0, 1), (-1, 0)];
pub const WAY_NAMES: [&str; 4] = ["north", "east", "south", "west"];

pub type Cell = (i64, i64);

pub fn is_in_cellar(x: i64) -> bool {
    x >= CELLAR / 2
}

/// A place, as the text says it.
fn said((x, y): Cell) -> String {
    if is_in_cellar(x) { format!("cellar ({}, {y})", x - CELLAR) } else { format!("({x}, {y})") }
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Zone {
    /// Left, top, width, height, in cells.
    Rect(i64, i64, i64, i64),
    /// Centre and radius.
    Disc(f64, f64, f64),
}

/// Where an order leads.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Goal {
    To(Cell),
    /// By number of the path; from the point that is nearest by way, or from the first.
    Along(usize, bool),
    After(usize),
    AwayFrom(usize),
}

/// What comes behind the last point of a path.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum End {
    Loop,
    Bounce,
    Once,
}

/// What a rule does at a tick.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Deed {
    /// Whose, where to, for how many ticks.
    Walk(usize, Goal, Option<u64>),
    Halt(usize),
    Switch(usize, bool),
    Put(usize, Cell),
    ZoneSwitch(usize, bool),
    /// Takes away; nothing is done to it any more.
    Remove(usize),
    Show(usize, bool),
    /// Of a stone.
    Tangible(usize, bool),
}

impl Deed {
    /// To whom it is done.
    fn of(self) -> Option<usize> {
        match self {
            Self::Walk(a, ..) | Self::Halt(a) | Self::Switch(a, _) | Self::Put(a, _) | Self::Remove(a) => Some(a),
            Self::Show(a, _) | Self::Tangible(a, _) => Some(a),
            Self::ZoneSwitch(..) => None,
        }
    }
}

#[derive(Clone, Debug)]
pub struct Ground {
    pub walls: Vec<Cell>,
    pub reeds: Vec<Cell>,
    pub places: [Cell; NAMES.len()],
    /// Nothing but zones and ways is awaited, and stones stop nobody: all that an engine may take short ways for.
    pub plain: bool,
    pub paths: Vec<(Vec<Cell>, End)>,
    /// Parts of a cell that the steered one goes in a tick.
    pub parts: i64,
    pub zones: Vec<Zone>,
    /// Within, until.
    pub near: (f64, f64),
    pub beyond: f64,
    /// How far herons see, whatever they face.
    pub reach: f64,
    pub deeds: Vec<(u64, Deed)>,
    pub keys: Vec<(u64, usize)>,
}

impl Ground {
    /// Solid, or off the map.
    pub fn is_wall(&self, cell: Cell) -> bool {
        self.is_off(cell) || self.walls.contains(&cell)
    }

    pub fn is_off(&self, (x, y): Cell) -> bool {
        let x = if is_in_cellar(x) { x - CELLAR } else { x };
        !(0..WIDTH).contains(&x) || !(0..HEIGHT).contains(&y)
    }

    /// Every point of a path, once: coming to it is awaited.
    pub fn points(&self) -> Vec<Cell> {
        let mut all: Vec<Cell> = self.paths.iter().flat_map(|(points, _)| points.iter().copied()).collect();
        all.sort_unstable();
        all.dedup();
        all
    }

    /// The inputs, as the command line takes them.
    pub fn inputs(&self) -> Vec<String> {
        self.keys.iter().map(|(tick, way)| format!("{tick}: p {}", WAY_NAMES[*way])).collect()
    }
}

impl Display for Deed {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        let able = |on: &bool| if *on { "enable" } else { "disable" };
        match self {
            Self::Walk(a, goal, lasts) => {
                write!(f, "walk {} {goal}", NAMES[*a])?;
                lasts.map_or(Ok(()), |n| write!(f, " for {n} ticks"))
            }
            Self::Halt(a) => write!(f, "halt {}", NAMES[*a]),
            Self::Switch(a, on) => write!(f, "{} {}", able(on), NAMES[*a]),
            Self::Put(a, c) => write!(f, "move {} to {}", NAMES[*a], said(*c)),
            Self::ZoneSwitch(z, on) => write!(f, "{} z{z}", able(on)),
            Self::Remove(a) => write!(f, "remove {}", NAMES[*a]),
            Self::Show(a, on) => write!(f, "{} {}", if *on { "show" } else { "hide" }, NAMES[*a]),
            Self::Tangible(a, on) => write!(f, "{}.tangible = {on}", NAMES[*a]),
        }
    }
}

impl Display for Goal {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        match self {
            Self::To(c) => write!(f, "to {}", said(*c)),
            Self::Along(path, nearest) => write!(f, "along w{path}{}", if *nearest { " from nearest" } else { "" }),
            Self::After(a) => write!(f, "after {}", NAMES[*a]),
            Self::AwayFrom(a) => write!(f, "away from {}", NAMES[*a]),
        }
    }
}

impl Display for Ground {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        writeln!(f, "level \"G\" {{ rate 10 }}\ntiles {{ '_' boards; 'r' reeds; '#' piles solid }}")?;
        for (name, first) in [("", 0), ("area cellar ", CELLAR)] {
            writeln!(f, "{name}map \"\"\"")?;
            for y in 0..HEIGHT {
                let tile = |x| match (self.walls.contains(&(x, y)), self.reeds.contains(&(x, y))) {
                    (true, _) => '#',
                    (_, true) => 'r',
                    _ => '_',
                };
                writeln!(f, "{}", (first..first + WIDTH).map(tile).collect::<String>())?;
            }
            writeln!(f, "\"\"\"")?;
        }
        writeln!(f, "kind person {{ steered; speed {} }}", 10.0 / self.parts as f64)?;
        let solid = if self.plain { "" } else { "solid; " };
        let sight = if self.plain { String::new() } else { format!("; sight all reach {}", self.reach) };
        writeln!(f, "kind heron {{ speed 10{sight} }}\nkind stone {{ {solid}size (1, 1) }}")?;
        for (name, (x, y)) in NAMES.iter().zip(self.places) {
            let kind =
                ["person", "heron", "heron", "stone", "stone"][NAMES.iter().position(|n| n == name).unwrap_or(0)];
            writeln!(f, "place {name}: {kind} at ({x}, {y})")?;
        }
        for (i, (points, end)) in self.paths.iter().enumerate() {
            let points: Vec<String> = points.iter().map(|(x, y)| format!("({x}, {y})")).collect();
            writeln!(f, "path w{i} = {} {}", points.join(" "), format!("{end:?}").to_lowercase())?;
        }
        for (i, zone) in self.zones.iter().enumerate() {
            match zone {
                Zone::Rect(x, y, w, h) if is_in_cellar(*x) => {
                    writeln!(f, "zone z{i} in cellar = rect ({}, {y}) {w} x {h}", x - CELLAR)?;
                }
                Zone::Rect(x, y, w, h) => writeln!(f, "zone z{i} = rect ({x}, {y}) {w} x {h}")?,
                Zone::Disc(x, y, r) if is_in_cellar(*x as i64) => {
                    writeln!(f, "zone z{i} in cellar = disc ({}, {y}) {r}", x - CELLAR as f64)?;
                }
                Zone::Disc(x, y, r) => writeln!(f, "zone z{i} = disc ({x}, {y}) {r}")?,
            }
            for verb in ["enters", "leaves", "moves in"] {
                let log = format!("log \"{{a}} {verb} {i}\"");
                writeln!(f, "rule \"{verb} {i}\" {{ when any as a {verb} z{i}; then {{ {log} }} }}")?;
            }
            let log = format!("log \"{{a}} in {i}\"");
            writeln!(f, "rule \"in {i}\" {{ when any as a in z{i} every 3 ticks; then {{ {log} }} }}")?;
        }
        let (within, until) = self.near;
        let beyond = self.beyond;
        let pairs = [
            ("any as a touches any as b".to_string(), "touches"),
            ("any as a parts from any as b".into(), "parts"),
            (format!("any as a nears any as b within {within} until {until}"), "nears"),
            (format!("any as a strays from any as b beyond {beyond}"), "strays"),
            ("any as a bumps any as b".into(), "bumps"),
            ("heron as a sees any as b".into(), "sees"),
            ("heron as a loses any as b".into(), "loses"),
            ("heron as a seeing any as b every 4 ticks".into(), "is seeing"),
        ];
        for (event, verb) in pairs.iter().filter(|_| !self.plain) {
            writeln!(f, "rule \"{verb}\" {{ when {event}; then {{ log \"{{a}} {verb} {{b}}\" }} }}")?;
        }
        let alone = [
            ("arrives", "arrives"),
            ("is stuck", "is stuck"),
            ("bumps piles", "bumps a wall"),
            ("treads reeds", "treads reeds"),
            ("is removed", "is removed"),
            ("comes to cellar", "comes to the cellar"),
            ("comes to main", "comes up"),
        ];
        for (event, verb) in alone.iter().take(if self.plain { 2 } else { alone.len() }) {
            writeln!(f, "rule \"{verb}\" {{ when any as a {event}; then {{ log \"{{a}} {verb}\" }} }}")?;
        }
        for (x, y) in self.points() {
            let log = format!("log \"{{a}} arrives at {x} {y}\"");
            writeln!(f, "rule \"at {x} {y}\" {{ when any as a arrives at ({x}, {y}); then {{ {log} }} }}")?;
        }
        for (i, (tick, deed)) in self.deeds.iter().enumerate() {
            let when = if *tick == 0 { "start".into() } else { format!("after {tick} ticks") };
            writeln!(f, "rule \"deed {i}\" {{ when {when}; then {{ {deed} }} }}")?;
        }
        Ok(())
    }
}

fn cell() -> impl Strategy<Value = Cell> {
    (0..WIDTH, 0..HEIGHT)
}

/// A cell of either map.
fn any_cell() -> impl Strategy<Value = Cell> {
    (cell(), prop::bool::weighted(0.25)).prop_map(|((x, y), below)| (if below { x + CELLAR } else { x }, y))
}

fn zone() -> impl Strategy<Value = Zone> {
    let half = |n: std::ops::Range<i64>| n.prop_map(|n| n as f64 / 2.0);
    prop_oneof![
        (any_cell(), 1i64..4, 1i64..4).prop_map(|((x, y), w, h)| Zone::Rect(x, y, w, h)),
        (half(0..17), half(0..11), prop::sample::select(vec![0.3, 0.6, 1.1, 2.3]))
            .prop_map(|(x, y, r)| Zone::Disc(x, y, r)),
        (half(0..17), half(0..11)).prop_map(|(x, y)| Zone::Disc(x + CELLAR as f64, y, 1.6)),
    ]
}

fn goal() -> impl Strategy<Value = Goal> {
    prop_oneof![
        1 => any_cell().prop_map(Goal::To),
        4 => (0..2usize, any::<bool>()).prop_map(|(path, nearest)| Goal::Along(path, nearest)),
        2 => (0..3usize).prop_map(Goal::After),
        2 => (0..NAMES.len()).prop_map(Goal::AwayFrom),
    ]
}

/// Two points or more, each another than the one before it, also round the end.
fn path() -> impl Strategy<Value = (Vec<Cell>, End)> {
    let end = prop::sample::select(vec![End::Loop, End::Bounce, End::Once]);
    let points = prop::collection::btree_set(cell(), 2..5).prop_map(|points| points.into_iter().collect::<Vec<_>>());
    (points.prop_shuffle(), end)
}

fn deed() -> impl Strategy<Value = Deed> {
    let walker = || prop::sample::select(WALKERS.to_vec());
    prop_oneof![
        5 => (walker(), any_cell()).prop_map(|(a, c)| Deed::Walk(a, Goal::To(c), None)),
        6 => (walker(), goal(), prop::option::of(1u64..9)).prop_map(|(a, g, lasts)| Deed::Walk(a, g, lasts)),
        1 => walker().prop_map(Deed::Halt),
        3 => (0..NAMES.len(), any::<bool>()).prop_map(|(a, on)| Deed::Switch(a, on)),
        3 => (0..NAMES.len(), any_cell()).prop_map(|(a, c)| Deed::Put(a, c)),
        1 => (0..2usize, any::<bool>()).prop_map(|(z, on)| Deed::ZoneSwitch(z, on)),
        1 => (1..NAMES.len()).prop_map(Deed::Remove),
        2 => (0..NAMES.len(), any::<bool>()).prop_map(|(a, on)| Deed::Show(a, on)),
        2 => (prop::sample::select(STONES.to_vec()), any::<bool>()).prop_map(|(a, on)| Deed::Tangible(a, on)),
    ]
}

pub fn ground() -> impl Strategy<Value = Ground> {
    let places = prop::array::uniform5(cell());
    let near = (1i64..5, 0i64..3).prop_map(|(n, more)| (n as f64 * 0.6, (n + more) as f64 * 0.6));
    (
        prop::collection::vec(any_cell(), 0..14),
        prop::collection::vec(any_cell(), 0..8),
        places,
        (any::<bool>(), prop::sample::select(vec![1i64, 2, 4]), prop::array::uniform2(path())),
        prop::collection::vec(zone(), 2..4),
        near,
        ((1i64..5).prop_map(|n| n as f64 * 0.7), prop::sample::select(vec![1.0, 1.7, 3.0])),
        prop::collection::vec((0u64..TICKS - 5, deed()), 0..8),
        prop::collection::vec((0u64..TICKS - 2, 0..4usize), 0..20),
    )
        .prop_map(
            |(walls, reeds, places, (plain, parts, paths), zones, near, (beyond, reach), mut deeds, mut keys)| {
                let walls: Vec<Cell> = walls.into_iter().filter(|c| !places.contains(c)).collect();
                let reeds = reeds.into_iter().filter(|c| !walls.contains(c)).collect();
                // Of the rules of one tick, those that stand first come first; so do the keys.
                deeds.sort_by_key(|(tick, _)| *tick);
                keys.sort_by_key(|(tick, _)| *tick);
                let mut gone = vec![];
                deeds.retain(|(tick, deed)| {
                    // By `start` somebody would be gone before what was sensed is told.
                    let is_early = *tick == 0 && matches!(deed, Deed::Remove(_));
                    let names_gone = match deed {
                        Deed::Walk(a, Goal::After(b) | Goal::AwayFrom(b), _) => gone.contains(b) || a == b,
                        _ => false,
                    };
                    let is_there = !is_early && !names_gone && deed.of().is_none_or(|a| !gone.contains(&a));
                    if let Deed::Remove(a) = deed
                        && !is_early
                    {
                        gone.push(*a);
                    }
                    is_there
                });
                Ground {
                    walls,
                    reeds,
                    places,
                    paths: paths.into(),
                    plain,
                    parts,
                    zones,
                    near,
                    beyond,
                    reach,
                    deeds,
                    keys,
                }
            },
        )
}
