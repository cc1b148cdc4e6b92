//! Geometry: what lies in a shape, what a way crosses, what overlaps, on which side one stands.
//!
//! Sources: point in polygon by crossing number, borders included by distance to each edge; segment
//! against disc by the distance of the nearest point.
//!
//! Invariant: a whole-cell shape asks for cells only; `disc` and `poly` include their border.

use mayfly_base::code::Shape;
use mayfly_base::number::{NEAR, floor};

/// The cell of a point.
pub fn cell(x: f64, y: f64) -> (i64, i64) {
    (floor(x + 0.5), floor(y + 0.5))
}

/// True where the point lies in the shape; the shape's origin lies at `o`.
pub fn contains(shape: &Shape, o: (f64, f64), p: (f64, f64)) -> bool {
    // A point may be anywhere, also where no cell has a number.
    let from = |c: (i64, i64), o: (i64, i64)| (c.0.saturating_sub(o.0), c.1.saturating_sub(o.1));
    match shape {
        Shape::Rect { x, y, w, h } => {
            let (cx, cy) = from(cell(p.0, p.1), cell(o.0, o.1));
            (*x..x + w).contains(&cx) && (*y..y + h).contains(&cy)
        }
        Shape::Cells(cells) | Shape::Tiles { cells, .. } => {
            let (cx, cy) = from(cell(p.0, p.1), cell(o.0, o.1));
            cells.binary_search_by_key(&(cy, cx), |(x, y)| (*y, *x)).is_ok()
        }
        Shape::Disc { x, y, r } => {
            let (dx, dy) = (p.0 - o.0 - x, p.1 - o.1 - y);
            dx.hypot(dy) <= r + NEAR
        }
        Shape::Poly(corners) => in_poly(corners, (p.0 - o.0, p.1 - o.1)),
        Shape::Sum(a, b) => contains(a, o, p) || contains(b, o, p),
        Shape::Less(a, b) => contains(a, o, p) && !contains(b, o, p),
    }
}

fn in_poly(corners: &[(f64, f64)], p: (f64, f64)) -> bool {
    let mut inside = false;
    let mut j = corners.len() - 1;
    for i in 0..corners.len() {
        let (a, b) = (corners[i], corners[j]);
        if distance_to_segment(p, a, b) <= NEAR {
            return true;
        }
        if (a.1 > p.1) != (b.1 > p.1) && p.0 < (b.0 - a.0) * (p.1 - a.1) / (b.1 - a.1) + a.0 {
            inside = !inside;
        }
        j = i;
    }
    inside
}

pub fn distance_to_segment(p: (f64, f64), a: (f64, f64), b: (f64, f64)) -> f64 {
    let (dx, dy) = (b.0 - a.0, b.1 - a.1);
    let len = dx * dx + dy * dy;
    let t = if len == 0.0 { 0.0 } else { (((p.0 - a.0) * dx + (p.1 - a.1) * dy) / len).clamp(0.0, 1.0) };
    (p.0 - a.0 - t * dx).hypot(p.1 - a.1 - t * dy)
}

/// True where the straight way from `a` to `b` touches the shape. The shape stands still; where its
/// owner moved, `a` is given as seen from it.
pub fn crosses(shape: &Shape, o: (f64, f64), a: (f64, f64), b: (f64, f64)) -> bool {
    match shape {
        Shape::Rect { .. } | Shape::Cells(_) | Shape::Tiles { .. } => {
            cells_between(a, b).any(|(x, y)| contains(shape, o, (x as f64, y as f64)))
        }
        Shape::Disc { x, y, r } => distance_to_segment((o.0 + x, o.1 + y), a, b) <= r + NEAR,
        Shape::Poly(corners) => {
            let at = |p: (f64, f64)| (p.0 - o.0, p.1 - o.1);
            let (a, b) = (at(a), at(b));
            in_poly(corners, a)
                || in_poly(corners, b)
                || (0..corners.len()).any(|i| meet(a, b, corners[i], corners[(i + 1) % corners.len()]))
        }
        Shape::Sum(x, y) => crosses(x, o, a, b) || crosses(y, o, a, b),
        // What is taken away can cover the way; points along it decide.
        Shape::Less(..) => {
            let n = ((b.0 - a.0).abs().max((b.1 - a.1).abs()) * 16.0).ceil().clamp(1.0, 4096.0) as u32;
            (0..=n).any(|i| {
                let t = f64::from(i) / f64::from(n);
                contains(shape, o, (a.0 + (b.0 - a.0) * t, a.1 + (b.1 - a.1) * t))
            })
        }
    }
}

fn meet(a: (f64, f64), b: (f64, f64), c: (f64, f64), d: (f64, f64)) -> bool {
    let side = |p: (f64, f64), q: (f64, f64), r: (f64, f64)| (q.0 - p.0) * (r.1 - p.1) - (q.1 - p.1) * (r.0 - p.0);
    // On one line the sides tell nothing: the boxes must meet as well.
    let apart = |a: f64, b: f64, c: f64, d: f64| a.max(b) < c.min(d) - NEAR || c.max(d) < a.min(b) - NEAR;
    !apart(a.0, b.0, c.0, d.0)
        && !apart(a.1, b.1, c.1, d.1)
        && side(a, b, c) * side(a, b, d) <= 0.0
        && side(c, d, a) * side(c, d, b) <= 0.0
}

/// The cells that the way from `a` to `b` passes, in order, both ends included.
pub fn cells_between(a: (f64, f64), b: (f64, f64)) -> impl Iterator<Item = (i64, i64)> {
    let (dx, dy) = (b.0 - a.0, b.1 - a.1);
    let mut cuts = vec![0.0, 1.0];
    for (from, d) in [(a.0, dx), (a.1, dy)] {
        if d.abs() > NEAR {
            let (lo, hi) = if d > 0.0 { (from, from + d) } else { (from + d, from) };
            let mut border = (lo + 0.5).ceil() - 0.5;
            while border <= hi && cuts.len() < 20_000 {
                cuts.push(((border - from) / d).clamp(0.0, 1.0));
                border += 1.0;
            }
        }
    }
    cuts.sort_by(f64::total_cmp);
    // Between two borders lies one cell: its middle says which.
    let mut cells: Vec<(i64, i64)> = cuts
        .windows(2)
        .map(|w| {
            let t = (w[0] + w[1]) / 2.0;
            cell(a.0 + dx * t, a.1 + dy * t)
        })
        .collect();
    cells.dedup();
    cells.into_iter()
}

/// The cells that a shape can lie on: column and row from, column and row to, both included.
pub fn bounds(shape: &Shape) -> Option<(i64, i64, i64, i64)> {
    match shape {
        Shape::Rect { x, y, w, h } => Some((*x, *y, x + w - 1, y + h - 1)),
        Shape::Cells(c) | Shape::Tiles { cells: c, .. } => {
            let xs = c.iter().map(|c| c.0);
            Some((xs.clone().min()?, c.first()?.1, xs.max()?, c.last()?.1))
        }
        Shape::Disc { x, y, r } => {
            let ((x0, y0), (x1, y1)) = (cell(x - r - NEAR, y - r - NEAR), cell(x + r + NEAR, y + r + NEAR));
            Some((x0, y0, x1, y1))
        }
        Shape::Poly(p) => {
            let fold = |f: fn(f64, f64) -> f64, get: fn(&(f64, f64)) -> f64| p.iter().map(get).reduce(f);
            let (x0, y0) = (fold(f64::min, |p| p.0)?, fold(f64::min, |p| p.1)?);
            let (x1, y1) = (fold(f64::max, |p| p.0)?, fold(f64::max, |p| p.1)?);
            let ((a, b), (c, d)) = (cell(x0, y0), cell(x1, y1));
            Some((a, b, c, d))
        }
        Shape::Sum(a, b) => match (bounds(a), bounds(b)) {
            (Some(a), Some(b)) => Some((a.0.min(b.0), a.1.min(b.1), a.2.max(b.2), a.3.max(b.3))),
            (a, b) => a.or(b),
        },
        Shape::Less(a, _) => bounds(a),
    }
}

/// How far it is along two axes; straight along one of them without a root.
pub fn length(dx: f64, dy: f64) -> f64 {
    if dx == 0.0 {
        dy.abs()
    } else if dy == 0.0 {
        dx.abs()
    } else {
        dx.hypot(dy)
    }
}

/// Column and row from, column and row to, both included.
pub type Box = (i64, i64, i64, i64);

/// The cells that a shape at `o` can lie on, as far as they lie within `clip`.
fn reach(shape: &Shape, o: (f64, f64), clip: Option<Box>) -> Option<Box> {
    let (x0, y0, x1, y1) = bounds(shape)?;
    let (fx, fy) = (cell(o.0, o.1).0, cell(o.0, o.1).1);
    // A shape that holds no whole cells may reach one further than its owner's cell tells.
    let (x0, y0, x1, y1) = (
        x0.saturating_add(fx).saturating_sub(1),
        y0.saturating_add(fy).saturating_sub(1),
        x1.saturating_add(fx).saturating_add(1),
        y1.saturating_add(fy).saturating_add(1),
    );
    let (x0, y0, x1, y1) = match clip {
        Some((a, b, c, d)) => (x0.max(a), y0.max(b), x1.min(c), y1.min(d)),
        None => (x0, y0, x1, y1),
    };
    (x0 <= x1 && y0 <= y1).then_some((x0, y0, x1, y1))
}

/// How many cells have to be looked at for [`cells_within`].
pub fn area_of(shape: &Shape, o: (f64, f64), clip: Option<Box>) -> u64 {
    match shape {
        Shape::Cells(c) | Shape::Tiles { cells: c, .. } => c.len() as u64,
        _ => reach(shape, o, clip)
            .map_or(0, |(x0, y0, x1, y1)| (x1.abs_diff(x0) + 1).saturating_mul(y1.abs_diff(y0) + 1)),
    }
}

/// The cells whose centre lies in the shape, row by row; within `clip` alone where that is given.
pub fn cells_within(shape: &Shape, o: (f64, f64), clip: Option<Box>) -> Vec<(i64, i64)> {
    let inside = |(x, y): (i64, i64)| clip.is_none_or(|(a, b, c, d)| (a..=c).contains(&x) && (b..=d).contains(&y));
    if let Shape::Cells(cells) | Shape::Tiles { cells, .. } = shape {
        let (ox, oy) = cell(o.0, o.1);
        return cells.iter().map(|(x, y)| (x + ox, y + oy)).filter(|c| inside(*c)).collect();
    }
    let Some((x0, y0, x1, y1)) = reach(shape, o, clip) else { return vec![] };
    let rows = (y0..=y1).flat_map(|y| (x0..=x1).map(move |x| (x, y)));
    rows.filter(|(x, y)| contains(shape, o, (*x as f64, *y as f64))).collect()
}

/// True where two boxes overlap: centre and size of each. Boxes that only meet do not overlap.
pub fn overlap(a: (f64, f64), sa: (f64, f64), b: (f64, f64), sb: (f64, f64)) -> bool {
    (a.0 - b.0).abs() < (sa.0 + sb.0) / 2.0 - NEAR && (a.1 - b.1).abs() < (sa.1 + sb.1) / 2.0 - NEAR
}

/// True where a box holds a point, its border included: centre and size of the box.
pub fn holds(c: (f64, f64), size: (f64, f64), p: (f64, f64)) -> bool {
    (p.0 - c.0).abs() <= size.0 / 2.0 + NEAR && (p.1 - c.1).abs() <= size.1 / 2.0 + NEAR
}

/// The quarter in which an offset lies, as a direction; exact diagonals belong to north and south.
/// None where there is no offset.
pub fn quarter(dx: f64, dy: f64) -> Option<u32> {
    if dx.abs() < NEAR && dy.abs() < NEAR {
        None
    } else if dx.abs() > dy.abs() + NEAR {
        Some(if dx > 0.0 { 1 } else { 3 })
    } else {
        Some(if dy > 0.0 { 2 } else { 0 })
    }
}

/// On which side of one who faces `facing` the offset lies: 0 ahead, 1 right, 2 behind, 3 left. Exact
/// diagonals count as ahead or behind.
pub fn side(facing: u32, dx: f64, dy: f64) -> Option<u32> {
    if dx.abs() < NEAR && dy.abs() < NEAR {
        return None;
    }
    // Turned so that ahead is `f`, and to the right is `r`.
    let (fx, fy) = mayfly_base::arith::step(facing);
    let f = dx * fx + dy * fy;
    let r = dx * -fy + dy * fx;
    Some(if f.abs() + NEAR >= r.abs() {
        if f > 0.0 { 0 } else { 2 }
    } else if r > 0.0 {
        1
    } else {
        3
    })
}

/// True where the inside of a box lies on the straight line.
pub(crate) fn line_meets(a: (f64, f64), b: (f64, f64), c: (f64, f64), size: (f64, f64)) -> bool {
    let d = (b.0 - a.0, b.1 - a.1);
    let (mut from, mut to) = (0.0f64, 1.0f64);
    for (p, d, c, half) in [(a.0, d.0, c.0, size.0 / 2.0), (a.1, d.1, c.1, size.1 / 2.0)] {
        let (lo, hi) = (c - half + NEAR, c + half - NEAR);
        if d.abs() < NEAR {
            if p <= lo || p >= hi {
                return false;
            }
        } else {
            let (t0, t1) = ((lo - p) / d, (hi - p) / d);
            from = from.max(t0.min(t1));
            to = to.min(t0.max(t1));
        }
    }
    from < to
}
