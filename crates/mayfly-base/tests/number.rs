//! How numbers are said and rounded.

use mayfly_base::number::*;

#[test]
fn one_of_something_is_said_as_one() {
    assert_eq!([0, 1, 2].map(|n| counted(n, "tick")), ["0 ticks", "1 tick", "2 ticks"]);
    assert_eq!([0, 1, 2].map(are), ["0 are", "1 is", "2 are"]);
}

#[test]
fn a_number_is_shown_as_its_shortest_decimal_reads() {
    for (n, shown, whole) in
        [(0.15, "0.15", 0.0), (2.5, "2.5", 3.0), (-2.5, "-2.5", -3.0), (1e-9, "0", 0.0), (0.1 + 0.2, "0.3", 0.0)]
    {
        assert_eq!((show_number(n).as_str(), round(n)), (shown, whole));
    }
    assert_eq!([show_decimals(0.15, 1), show_decimals(-0.04, 1), show_decimals(9.996, 2)], ["0.2", "0.0", "10.00"]);
    assert_eq!([floor(-0.5), floor(0.5), floor(-3.0)], [-1, 0, -3]);
    assert!(same_number(0.1 + 0.2, 0.3) && !same_number(1.0, 1.0 + 1e-8));
    assert_eq!([show_short(1e21), show_short(12.5)], ["1e21", "12.5"]);
}
