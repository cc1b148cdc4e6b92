//! Streams of random numbers.

use mayfly_base::random::*;

#[test]
fn a_key_gives_its_own_numbers_whatever_else_is_drawn() {
    let mut a = Stream::new(7, "light a lamp/0");
    let first: Vec<u64> = (0..5).map(|_| a.below(100)).collect();
    let mut other = Stream::new(7, "greet/0");
    other.unit();
    let mut again = Stream::new(7, "light a lamp/0");
    assert_eq!(first, (0..5).map(|_| again.below(100)).collect::<Vec<_>>());
    assert_ne!(first, (0..5).map(|_| other.below(100)).collect::<Vec<_>>());
}

#[test]
fn draws_are_even() {
    let mut s = Stream::new(1, "x");
    let mut seen = [0u32; 6];
    for _ in 0..60_000 {
        seen[s.below(6) as usize] += 1;
    }
    assert!(seen.iter().all(|n| (9_500..10_500).contains(n)), "{seen:?}");
    assert!((0..1000).all(|_| (0.0..1.0).contains(&s.unit())));
}
