//! Values: how they are shown, compared and sorted.

use mayfly_base::number::*;
use mayfly_base::value::*;
use std::cmp::Ordering;

#[test]
fn numbers_print_without_trailing_zeros() {
    for (n, s) in [(3.0, "3"), (0.25, "0.25"), (-0.0, "0"), (1.0 / 3.0, "0.333333"), (1e-9, "0"), (120.0, "120")] {
        assert_eq!(show_number(n), s);
    }
}

#[test]
fn ten_tenths_are_one() {
    let n = (0..10).fold(0.0, |n, _| n + 0.1);
    assert!(n != 1.0 && Value::Number(n).same(&Value::Number(1.0)));
    assert_eq!(Value::Number(n).order(&Value::Number(1.0)), Ordering::Equal);
}

#[test]
fn sorting_by_near_numbers_is_sound() {
    // Each is near its neighbours, the ends are not: sorting by `order` would have no answer.
    let mut l: Vec<Value> = (0..400).map(|i| Value::Number(f64::from(i * 7919 % 400) * 4e-10)).collect();
    l.sort_by(Value::total);
    assert!(l.windows(2).all(|w| w[0].total(&w[1]).is_lt()));
    assert_eq!(Value::Number(-0.0).total(&Value::Number(0.0)), Ordering::Equal);
}

#[test]
fn printing_rounds_half_away_from_zero_of_the_shortest_decimal() {
    for (n, d, s) in [
        (0.15, 1, "0.2"),
        (2.5, 0, "3"),
        (-2.5, 0, "-3"),
        (1.005, 2, "1.01"),
        (0.35, 1, "0.4"),
        (9.995, 2, "10.00"),
        (-0.04, 1, "0.0"),
        (3.0, 2, "3.00"),
    ] {
        assert_eq!(show_decimals(n, d), s, "{n} with {d}");
    }
    assert_eq!((round(2.5), round(-0.5), round(0.49999999999999994)), (3.0, -1.0, 0.0));
}
