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
    /// Corners in order; the border belongs to it.
    Poly(Vec<(f64, f64)>),
    Sum(Box<Shape>, Box<Shape>),
    Less(Box<Shape>, Box<Shape>),
}
