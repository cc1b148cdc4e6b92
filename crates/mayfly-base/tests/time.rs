//! Durations and ticks.

use mayfly_base::time::*;

#[test]
fn whole_ticks_stay_and_others_are_rounded_up() {
    for (rate, micros, ticks) in [
        (20, 500_000, 10),
        (20, 510_000, 11),
        (60, 66_667, 4),
        (60, 66_666, 4),
        (60, 66_669, 5),
        (20, 1, 1),
        (20, 0, 1),
        (7, Rate(7).micros(5), 5),
    ] {
        assert_eq!(Rate(rate).ticks(micros), ticks, "{micros} us at {rate}/s");
    }
}

#[test]
fn every_number_of_ticks_survives_the_way_through_microseconds() {
    for rate in 1..=240 {
        for n in 1..200 {
            assert_eq!(Rate(rate).ticks(Rate(rate).micros(n)), n);
        }
    }
}

#[test]
fn durations_read_as_written() {
    assert_eq!(show(2_400_000, None), "2.4s");
    assert_eq!(show(90_000_000, None), "1m 30s");
    assert_eq!(show(7_500_000_000, None), "2h 5m");
    assert_eq!(show(18_333_333, Some(1)), "18.3s");
}
