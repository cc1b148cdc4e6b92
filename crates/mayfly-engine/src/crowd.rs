//! Everyone who is there, sorted by x once a tick, so that whoever may be close to someone is found
//! without a look at all.
//!
//! Invariant: [`Crowd::around`] leaves nobody out whose centre lies in the square asked for.

use crate::space;
use crate::world::World;
use mayfly_base::ActorId;

/// One of the crowd.
#[derive(Clone, Copy, Debug)]
pub struct One {
    pub x: f64,
    pub y: f64,
    pub id: ActorId,
}

#[derive(Clone, Debug, Default)]
pub struct Crowd {
    all: Vec<One>,
    /// The furthest that any of them went on foot in this tick.
    pub furthest: f64,
    /// The longest side of any box.
    pub widest: f64,
}

impl Crowd {
    pub fn of(world: &World) -> Self {
        let mut crowd = Self::default();
        for (id, a) in world.living() {
            let (x, y) = (a.at.x, a.at.y);
            crowd.all.push(One { x, y, id });
            crowd.widest = crowd.widest.max(a.size.0).max(a.size.1);
            if a.went_on_foot() {
                crowd.furthest = crowd.furthest.max(space::length(x - a.before.x, y - a.before.y));
            }
        }
        crowd.all.sort_unstable_by(|a, b| a.x.total_cmp(&b.x).then(a.id.cmp(&b.id)));
        crowd
    }

    /// Those whose centre is no further than `reach` from a place, along x and along y.
    pub fn around(&self, (x, y): (f64, f64), reach: f64) -> impl Iterator<Item = ActorId> {
        let from = self.all.partition_point(|o| o.x < x - reach);
        let near = self.all[from..].iter().take_while(move |o| o.x <= x + reach);
        near.filter(move |o| (o.y - y).abs() <= reach).map(|o| o.id)
    }
}
