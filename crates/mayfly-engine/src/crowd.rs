//! Everyone who is there, sorted by x once a tick, so that whoever may be close to someone is found
//! without a look at all.
//!
//! What is sorted are whole numbers, which is quicker than sorting those who are there: x in single precision, which keeps the
//! order of any two or makes them equal, and below it the place in the list. Who is found so is compared in full.
//!
//! Invariant: [`Crowd::around`] leaves nobody out whose centre lies in the square asked for.

use crate::space;
use crate::world::World;
use mayfly_base::ActorId;

/// One of the crowd.
#[derive(Clone, Copy, Debug)]
struct One {
    x: f64,
    y: f64,
    id: ActorId,
}

#[derive(Clone, Debug, Default)]
pub struct Crowd {
    /// In order of creation.
    all: Vec<One>,
    /// For each of them its x, coarsely, and where it stands in `all`; sorted.
    by_x: Vec<u64>,
    /// The furthest that any of them went on foot in this tick.
    pub furthest: f64,
    /// The longest side of any box.
    pub widest: f64,
}

/// A number that is not greater for the lesser of two places.
fn coarse(x: f64) -> u64 {
    let bits = (x as f32 + 0.0).to_bits(); // The two zeros are one place.
    u64::from(if bits >> 31 == 1 { !bits } else { bits | 1 << 31 })
}

impl Crowd {
    pub fn of(world: &World) -> Self {
        let most = world.actors.len();
        let mut crowd = Self { all: Vec::with_capacity(most), by_x: Vec::with_capacity(most), ..Self::default() };
        for (id, a) in world.living() {
            let (x, y) = (a.at.x, a.at.y);
            crowd.by_x.push(coarse(x) << 32 | crowd.all.len() as u64);
            crowd.all.push(One { x, y, id });
            crowd.widest = crowd.widest.max(a.size.0).max(a.size.1);
            if a.went_on_foot() {
                crowd.furthest = crowd.furthest.max(space::length(x - a.before.x, y - a.before.y));
            }
        }
        crowd.by_x.sort_unstable();
        crowd
    }

    /// Those whose centre is no further than `reach` from a place, along x and along y; each with how far it is along the longer
    /// of the two.
    pub fn around(&self, (x, y): (f64, f64), reach: f64) -> impl Iterator<Item = (ActorId, f64)> {
        let (low, high) = (x - reach, x + reach);
        let (first, last) = (coarse(low) << 32, coarse(high) << 32 | u64::from(u32::MAX));
        let from = self.by_x.partition_point(|key| *key < first);
        let near = self.by_x[from..].iter().take_while(move |key| **key <= last);
        let near = near.map(|key| &self.all[*key as u32 as usize]);
        let inside = near.filter(move |o| o.x >= low && o.x <= high && (o.y - y).abs() <= reach);
        inside.map(move |o| (o.id, (o.x - x).abs().max((o.y - y).abs())))
    }
}
