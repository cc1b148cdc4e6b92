//! What a long flight sums up.

use mayfly_engine::summaries::*;

#[test]
fn a_long_flight_keeps_its_sum_in_bounded_room() {
    let mut s = Summaries::default();
    for tick in 0..500_000 {
        s.add(tick * 3, Summary { fired: 1, faults: 0 });
    }
    assert!(s.buckets() <= MAX_BUCKETS);
    assert_eq!(s.between(0, u64::MAX).fired, 500_000);
    s.cut(300_000 * 3);
    let left = s.between(0, u64::MAX).fired;
    assert!((299_990..=300_010).contains(&left), "{left}");
}
