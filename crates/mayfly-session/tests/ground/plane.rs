//! Points, straight ways and boxes, as plain geometry.
//!
//! Invariant: nothing of the engine is used.

pub type Point = (f64, f64);

/// Lengths that differ by less are the same.
pub const NEAR: f64 = 1e-9;

/// The least distance from a point to a straight way.
pub fn distance_to(way: (Point, Point), (x, y): Point) -> f64 {
    let ((x0, y0), (x1, y1)) = way;
    let (dx, dy) = (x1 - x0, y1 - y0);
    let square = dx * dx + dy * dy;
    let t = if square == 0.0 { 0.0 } else { (((x - x0) * dx + (y - y0) * dy) / square).clamp(0.0, 1.0) };
    (x0 + t * dx - x).hypot(y0 + t * dy - y)
}

/// True where a straight way meets the inside of a box round (0, 0) that reaches `half` to each side.
pub fn meets_box(way: (Point, Point), half: Point) -> bool {
    let ((x0, y0), (x1, y1)) = way;
    let (mut from, mut to) = (0.0_f64, 1.0_f64);
    for (a, b, half) in [(x0, x1, half.0), (y0, y1, half.1)] {
        if (b - a).abs() < NEAR {
            if a.abs() >= half - NEAR {
                return false;
            }
            continue;
        }
        let (t, u) = ((-half - a) / (b - a), (half - a) / (b - a));
        (from, to) = (from.max(t.min(u)), to.min(t.max(u)));
    }
    from < to - NEAR
}
