//! Shapes and sides.

use mayfly_base::code::Shape;
use mayfly_engine::space::*;

#[test]
fn rects_hold_whole_cells_and_discs_their_border() {
    let rect = Shape::Rect { x: 4, y: 2, w: 6, h: 3 };
    for (p, inside) in
        [((4.0, 2.0), true), ((3.5, 1.5), true), ((3.49, 2.0), false), ((9.49, 4.49), true), ((9.5, 4.0), false)]
    {
        assert_eq!(contains(&rect, (0.0, 0.0), p), inside, "{p:?}");
    }
    let disc = Shape::Disc { x: 0.0, y: 0.0, r: 3.0 };
    assert!(contains(&disc, (5.0, 5.0), (8.0, 5.0)) && !contains(&disc, (5.0, 5.0), (8.001, 5.0)));
}

#[test]
fn nothing_is_jumped_over() {
    let thin = Shape::Disc { x: 5.0, y: 0.0, r: 0.05 };
    assert!(crosses(&thin, (0.0, 0.0), (4.0, 0.0), (6.0, 0.0)));
    assert!(!crosses(&thin, (0.0, 0.0), (4.0, 0.1), (6.0, 0.1)));
    let column = Shape::Rect { x: 5, y: 0, w: 1, h: 1 };
    assert!(crosses(&column, (0.0, 0.0), (2.0, 0.0), (9.0, 0.0)));
    assert!(!crosses(&column, (0.0, 0.0), (2.0, 1.0), (9.0, 1.0)));
}

#[test]
fn sides_are_seen_from_the_facing() {
    // Facing east: y grows to the right hand.
    assert_eq!(
        [side(1, 2.0, 0.0), side(1, 0.0, 2.0), side(1, -2.0, 1.0), side(1, 0.0, -1.0)],
        [Some(0), Some(1), Some(2), Some(3)]
    );
    assert_eq!(side(1, 1.0, 1.0), Some(0));
    assert_eq!(side(1, -1.0, 1.0), Some(2));
    assert_eq!(side(1, 0.0, 0.0), None);
}

#[test]
fn a_polygon_holds_its_corners_and_not_its_bay() {
    let bay = Shape::Poly(vec![(0.0, 0.0), (4.0, 0.0), (4.0, 4.0), (2.0, 1.0), (0.0, 4.0)]);
    assert!(contains(&bay, (0.0, 0.0), (4.0, 4.0)) && contains(&bay, (0.0, 0.0), (2.0, 1.0)));
    assert!(!contains(&bay, (0.0, 0.0), (2.0, 3.0)));
}
