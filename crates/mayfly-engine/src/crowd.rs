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

    /// Those whose centre is no further than `reach` from a place, along x and along y.
    pub fn around(&self, (x, y): (f64, f64), reach: f64) -> impl Iterator<Item = ActorId> {
        let (low, high) = (x - reach, x + reach);
        let (first, last) = (coarse(low) << 32, coarse(high) << 32 | u64::from(u32::MAX));
        let from = self.by_x.partition_point(|key| *key < first);
        let near = self.by_x[from..].iter().take_while(move |key| **key <= last);
        let near = near.map(|key| &self.all[*key as u32 as usize]);
        near.filter(move |o| o.x >= low && o.x <= high && (o.y - y).abs() <= reach).map(|o| o.id)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn who_is_around_is_found_where_single_precision_tells_none_apart() {
        let xs = [-3.0, -0.0, 0.0, 1e-9, 7.1, 7.100_000_000_1, 100_000.1, 100_000.100_1, f64::from(u32::MAX)];
        let all: Vec<One> = xs.iter().rev().zip(0..).map(|(&x, n)| One { x, y: 0.0, id: ActorId(n) }).collect();
        let mut by_x: Vec<u64> = all.iter().zip(0..).map(|(o, n)| coarse(o.x) << 32 | n).collect();
        by_x.sort_unstable();
        let crowd = Crowd { all: all.clone(), by_x, ..Crowd::default() };
        for x in xs {
            for reach in [0.0, 1e-10, 1e-4, 3.0, 1e6] {
                let mut found: Vec<ActorId> = crowd.around((x, 0.0), reach).collect();
                found.sort();
                let there = all.iter().filter(|o| o.x >= x - reach && o.x <= x + reach).map(|o| o.id);
                assert_eq!(found, there.collect::<Vec<_>>(), "{x} {reach}");
            }
        }
    }
}
