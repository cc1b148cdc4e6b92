//! The real engine beside the naive one, which asks every rule at each event and looks at everything in every tick.

use mayfly_engine::hash::state_hash;
use mayfly_engine::program::Program;
use mayfly_engine::renew::Kept;
use mayfly_engine::{Engine, Input, Trace};
use proptest::prelude::*;
use std::collections::BTreeMap;

/// Holds that both record the same and come to the same state, tick by tick.
pub fn go_the_same_way(
    name: &str,
    program: Program,
    mut inputs: BTreeMap<u64, Vec<Input>>,
    seed: u64,
    ticks: u64,
) -> Result<(), TestCaseError> {
    let (real, naive) = (Engine::new(program.clone()), Engine::naive(program));
    let ((mut a, first), (mut b, _)) = (real.start(seed, &Kept::default()), naive.start(seed, &Kept::default()));
    for tick in 0..ticks {
        let now = inputs.remove(&tick).unwrap_or_default();
        let (mut x, mut y) = (Trace::default(), Trace::default());
        let first = if tick == 0 { first.as_slice() } else { &[] };
        real.tick(&mut a, &now, first, &mut x);
        naive.tick(&mut b, &now, first, &mut y);
        prop_assert_eq!(&x.records, &y.records, "{}, tick {}", name, tick);
        prop_assert_eq!(state_hash(&a), state_hash(&b), "{}, tick {}", name, tick);
    }
    Ok(())
}
