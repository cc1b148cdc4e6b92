//! What lies in space: sight, paths, shapes of zones.
//!
//! Not here: what a form does (`mayfly_engine`).
//!
//! Invariant: as in [`crate::code`], every id stands in its table and every local in its frame.

use super::*;

/// What an actor of a kind can see.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Sight {
    /// So many degrees to both sides together, turned with its facing.
    Wedge {
        degrees: f64,
        reach: f64,
    },
    /// Its own cell, and cells before it, turned with its facing.
    Cells {
        ahead: i64,
        left: i64,
        right: i64,
    },
    All {
        reach: f64,
    },
}

/// How a path goes on at its end.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PathEnd {
    Loop,
    Bounce,
    Once,
}

/// How long a ramp takes.
#[derive(Clone, Debug, PartialEq)]
pub enum RampTime {
    Over(Expr),
    /// So much a tick.
    At(Expr),
}

/// A zone's form. In a zone of a kind, points are relative to its actor's centre.
#[derive(Clone, Debug, PartialEq)]
pub enum Shape {
    /// Whole cells: column and row of the top left one, and how many.
    Rect {
        x: i64,
        y: i64,
        w: i64,
        h: i64,
    },
    Disc {
        x: f64,
        y: f64,
        r: f64,
    },
    /// Whole cells, sorted by row and column.
    Cells(Vec<(i64, i64)>),
    /// All cells with one of these tiles, sorted by row and column; they follow what is laid.
    Tiles {
        of: Vec<TileId>,
        cells: Vec<(i64, i64)>,
    },
    /// Corners in order; the border belongs to it.
    Poly(Vec<(f64, f64)>),
    Sum(Box<Shape>, Box<Shape>),
    Less(Box<Shape>, Box<Shape>),
}

impl Shape {
    /// True where it follows what is laid.
    pub fn follows_tiles(&self) -> bool {
        match self {
            Self::Tiles { .. } => true,
            Self::Sum(a, b) | Self::Less(a, b) => a.follows_tiles() || b.follows_tiles(),
            _ => false,
        }
    }

    /// Follows a tile that was laid on a cell.
    /// Gives whether the cell is another's now.
    pub fn lay(&mut self, (x, y): (i64, i64), tile: TileId) -> bool {
        match self {
            Self::Tiles { of, cells } => {
                match (cells.binary_search_by_key(&(y, x), |(x, y)| (*y, *x)), of.contains(&tile)) {
                    (Ok(i), false) => {
                        cells.remove(i);
                        true
                    }
                    (Err(i), true) => {
                        cells.insert(i, (x, y));
                        true
                    }
                    _ => false,
                }
            }
            Self::Sum(a, b) | Self::Less(a, b) => {
                let first = a.lay((x, y), tile);
                b.lay((x, y), tile) || first
            }
            _ => false,
        }
    }

    /// Of how many shapes it is made.
    pub fn parts(&self) -> usize {
        match self {
            Self::Sum(a, b) | Self::Less(a, b) => a.parts() + b.parts() + 1,
            _ => 1,
        }
    }
}
