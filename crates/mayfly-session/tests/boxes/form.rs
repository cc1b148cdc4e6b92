//! Made-up boxes that slide, fall, are pushed and go straight, between walls and each other: as data, as text, and as a strategy.
//!
//! Not here: what comes of it ([`super::play`]).
//!
//! Invariant: at first no box lies in a wall or in another box; sizes are a cell at most.

use crate::ground::plane::{NEAR, Point};
use proptest::prelude::*;
use std::fmt::{self, Display};

pub const WIDTH: i64 = 8;
pub const HEIGHT: i64 = 6;
pub const TICKS: u64 = 30;
pub const RATE: f64 = 10.0;
pub const NAMES: [&str; 5] = ["p", "q", "r", "s", "t"];

/// What an actor is: a solid one, one that stops nobody, and one of each sort that falls.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Kind {
    Slab,
    Mote,
    Weight,
    Leaf,
}

impl Kind {
    pub fn is_solid(self) -> bool {
        matches!(self, Self::Slab | Self::Weight)
    }

    /// Cells a second.
    pub fn falls(self) -> Option<f64> {
        match self {
            Self::Weight => Some(8.0),
            Self::Leaf => Some(2.5),
            Self::Slab | Self::Mote => None,
        }
    }

    fn name(self) -> &'static str {
        match self {
            Self::Slab => "slab",
            Self::Mote => "mote",
            Self::Weight => "weight",
            Self::Leaf => "leaf",
        }
    }
}

/// What a rule does at a tick.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Deed {
    /// To a point over so many ticks; evenly, or smooth.
    Slide(usize, Point, u64, bool),
    Push(usize, Point),
    /// To a point, straight, at so many cells a second.
    Walk(usize, Point, f64),
    Halt(usize),
    Put(usize, Point),
    Switch(usize, bool),
    Tangible(usize, bool),
    Solid(usize, bool),
    Size(usize, Point),
    Remove(usize),
}

impl Deed {
    pub fn of(self) -> usize {
        match self {
            Self::Slide(a, ..) | Self::Push(a, _) | Self::Walk(a, ..) | Self::Halt(a) | Self::Put(a, _) => a,
            Self::Switch(a, _) | Self::Tangible(a, _) | Self::Solid(a, _) | Self::Size(a, _) | Self::Remove(a) => a,
        }
    }
}

#[derive(Clone, Debug)]
pub struct Boxes {
    pub walls: Vec<(i64, i64)>,
    /// Kind, place, size.
    pub all: Vec<(Kind, Point, Point)>,
    pub deeds: Vec<(u64, Deed)>,
}

impl Boxes {
    /// Solid, or off the map.
    pub fn is_wall(&self, (x, y): (i64, i64)) -> bool {
        self.is_off((x, y)) || self.walls.contains(&(x, y))
    }

    pub fn is_off(&self, (x, y): (i64, i64)) -> bool {
        !(0..WIDTH).contains(&x) || !(0..HEIGHT).contains(&y)
    }

    /// The cells that stop boxes near a straight way, row by row.
    pub fn solid_cells(&self, from: Point, to: Point) -> Vec<(i64, i64)> {
        let span = |a: f64, b: f64| a.min(b).floor() as i64 - 1..=a.max(b).ceil() as i64 + 1;
        let all = span(from.1, to.1).flat_map(|y| span(from.0, to.0).map(move |x| (x, y)));
        all.filter(|c| self.is_wall(*c)).collect()
    }
}

/// True where the insides of two boxes meet.
pub fn overlap((p, size): (Point, Point), (q, other): (Point, Point)) -> bool {
    (p.0 - q.0).abs() < (size.0 + other.0) / 2.0 - NEAR && (p.1 - q.1).abs() < (size.1 + other.1) / 2.0 - NEAR
}

impl Display for Deed {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        let name = NAMES[self.of()];
        match self {
            Self::Slide(_, (x, y), ticks, smooth) => {
                write!(f, "slide {name} to ({x}, {y}) over {ticks} ticks{}", if *smooth { " smooth" } else { "" })
            }
            Self::Push(_, (x, y)) => write!(f, "push {name} by ({x}, {y})"),
            Self::Walk(_, (x, y), speed) => write!(f, "walk {name} to ({x}, {y}) at {speed} straight"),
            Self::Halt(_) => write!(f, "halt {name}"),
            Self::Put(_, (x, y)) => write!(f, "move {name} to ({x}, {y})"),
            Self::Switch(_, on) => write!(f, "{} {name}", if *on { "enable" } else { "disable" }),
            Self::Tangible(_, on) => write!(f, "{name}.tangible = {on}"),
            Self::Solid(_, on) => write!(f, "{name}.solid = {on}"),
            Self::Size(_, (w, h)) => write!(f, "{name}.size = ({w}, {h})"),
            Self::Remove(_) => write!(f, "remove {name}"),
        }
    }
}

impl Display for Boxes {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        writeln!(f, "level \"B\" {{ rate {RATE} }}\ntiles {{ '_' boards; '#' piles solid }}\nmap \"\"\"")?;
        for y in 0..HEIGHT {
            let tile = |x| if self.walls.contains(&(x, y)) { '#' } else { '_' };
            writeln!(f, "{}", (0..WIDTH).map(tile).collect::<String>())?;
        }
        writeln!(f, "\"\"\"")?;
        for kind in [Kind::Slab, Kind::Mote, Kind::Weight, Kind::Leaf] {
            let solid = if kind.is_solid() { "solid; " } else { "" };
            let falls = kind.falls().map(|n| format!("falls {n}; ")).unwrap_or_default();
            writeln!(f, "kind {} {{ {solid}{falls}speed 5 }}", kind.name())?;
        }
        for (name, (kind, (x, y), (w, h))) in NAMES.iter().zip(&self.all) {
            writeln!(f, "place {name}: {} at ({x}, {y}) {{ size ({w}, {h}) }}", kind.name())?;
        }
        let where_all = "for x in all any { log \"{x} at {x.at.x} {x.at.y} {x.facing}\" }";
        writeln!(f, "rule \"where\" {{ when tick; then {{ {where_all} }} }}")?;
        for verb in ["touches", "parts from", "bumps"] {
            let log = format!("log \"{{x}} {verb} {{y}}\"");
            writeln!(f, "rule \"{verb}\" {{ when any as x {verb} any as y; then {{ {log} }} }}")?;
        }
        for (event, verb) in [("bumps piles", "bumps a wall"), ("arrives", "arrives"), ("is stuck", "is stuck")] {
            writeln!(f, "rule \"{verb}\" {{ when any as x {event}; then {{ log \"{{x}} {verb}\" }} }}")?;
        }
        for (i, (tick, deed)) in self.deeds.iter().enumerate() {
            writeln!(f, "rule \"deed {i}\" {{ when after {tick} ticks; then {{ {deed} }} }}")?;
        }
        Ok(())
    }
}

/// A place in quarters of a cell.
fn point() -> impl Strategy<Value = Point> {
    (-1i64..=WIDTH * 4 - 3, -1i64..=HEIGHT * 4 - 3).prop_map(|(x, y)| (x as f64 / 4.0, y as f64 / 4.0))
}

fn offset() -> impl Strategy<Value = Point> {
    (-12i64..=12, -12i64..=12).prop_map(|(x, y)| (x as f64 / 4.0, y as f64 / 4.0))
}

fn size() -> impl Strategy<Value = Point> {
    let side = || prop::sample::select(vec![0.5, 0.8, 1.0]);
    (side(), side())
}

fn deed() -> impl Strategy<Value = Deed> {
    let who = || 0..NAMES.len();
    prop_oneof![
        5 => (who(), point(), 1u64..9, any::<bool>()).prop_map(|(a, p, n, smooth)| Deed::Slide(a, p, n, smooth)),
        4 => (who(), offset()).prop_map(|(a, p)| Deed::Push(a, p)),
        4 => (who(), point(), prop::sample::select(vec![1.0, 3.0, 10.0])).prop_map(|(a, p, v)| Deed::Walk(a, p, v)),
        1 => who().prop_map(Deed::Halt),
        2 => (who(), point()).prop_map(|(a, p)| Deed::Put(a, p)),
        2 => (who(), any::<bool>()).prop_map(|(a, on)| Deed::Switch(a, on)),
        1 => (who(), any::<bool>()).prop_map(|(a, on)| Deed::Tangible(a, on)),
        1 => (who(), any::<bool>()).prop_map(|(a, on)| Deed::Solid(a, on)),
        1 => (who(), size()).prop_map(|(a, s)| Deed::Size(a, s)),
        1 => who().prop_map(Deed::Remove),
    ]
}

pub fn boxes() -> impl Strategy<Value = Boxes> {
    let kind = prop::sample::select(vec![Kind::Slab, Kind::Slab, Kind::Mote, Kind::Weight, Kind::Leaf]);
    (
        prop::collection::vec((0..WIDTH, 0..HEIGHT), 0..10),
        prop::collection::vec((kind, point(), size()), 2..=NAMES.len()),
        prop::collection::vec((1u64..TICKS - 5, deed()), 1..10),
    )
        .prop_map(|(walls, some, mut deeds)| {
            let mut made = Boxes { walls, all: vec![], deeds: vec![] };
            for one in some {
                let own = (one.1, one.2);
                let near = made.solid_cells(one.1, one.1);
                let in_wall = near.into_iter().any(|(x, y)| overlap(own, ((x as f64, y as f64), (1.0, 1.0))));
                if !in_wall && !made.all.iter().any(|b| overlap(own, (b.1, b.2))) {
                    made.all.push(one);
                }
            }
            // Of the rules of one tick, those that stand first come first.
            deeds.sort_by_key(|(tick, _)| *tick);
            let (mut gone, mut off) = (vec![], vec![]);
            deeds.retain(|(_, deed)| {
                let a = deed.of();
                // Who is disabled is not pushed.
                let is_away = off.contains(&a) && matches!(deed, Deed::Push(..));
                if is_away || gone.contains(&a) || a >= made.all.len() {
                    return false;
                }
                match deed {
                    Deed::Remove(_) => gone.push(a),
                    Deed::Switch(_, false) => off.push(a),
                    Deed::Switch(_, true) => off.retain(|b| *b != a),
                    _ => {}
                }
                true
            });
            made.deeds = deeds;
            made
        })
}
