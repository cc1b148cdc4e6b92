//! Who is in whose sight.

use mayfly_base::Point;
use mayfly_base::code::Sight;
use mayfly_engine::sight::*;

#[test]
fn a_wedge_includes_its_borders() {
    let sight = Sight::Wedge { degrees: 90.0, reach: 6.0 };
    let at = Point::main(0.0, 0.0);
    for (x, y, seen) in [(3.0, 3.0, true), (3.0, 3.01, false), (6.0, 0.0, true), (6.1, 0.0, false), (-1.0, 0.0, false)]
    {
        assert_eq!(in_sight(&sight, at, 1, Point::main(x, y)), seen, "({x}, {y})");
    }
}

#[test]
fn cells_turn_with_the_facing() {
    let sight = Sight::Cells { ahead: 3, left: 1, right: 0 };
    let at = Point::main(5.0, 5.0);
    // Facing south: left is east.
    for (x, y, seen) in [(5.0, 8.0, true), (6.0, 6.0, true), (4.0, 6.0, false), (5.0, 9.0, false), (6.0, 5.0, false)] {
        assert_eq!(in_sight(&sight, at, 2, Point::main(x, y)), seen, "({x}, {y})");
    }
}
