//! A drawing on the terminal: the same scene as goes to a file, in cells. Curves are drawn in dots, boxes with lines, texts as
//! they are.
//!
//! Not here: what is in the scene ([`mayfly_draw`]).
//!
//! Invariant: texts and boxes lie over curves; what lies outside of the pane is left out.

use crate::pen::Pen;
use crate::theme::Role;
use mayfly_draw::scene::{Anchor, Item, Role as Drawn, SIZE, Scene, text_width};
use ratatui::layout::Rect;
use std::collections::BTreeMap;
use unicode_width::UnicodeWidthStr;

/// Units of a scene for each row.
const ROW: f64 = 14.0;

fn column_width() -> f64 {
    text_width("x", SIZE)
}

/// Columns and rows that a scene takes.
pub fn size(scene: &Scene) -> (u16, u16) {
    ((scene.width / column_width()).ceil() as u16, (scene.height / ROW).ceil() as u16)
}

fn role(r: Drawn) -> Role {
    match r {
        Drawn::Text => Role::Text,
        Drawn::Dim | Drawn::Line | Drawn::Floor | Drawn::Wall | Drawn::Reeds | Drawn::Water => Role::Dim,
        Drawn::Strong => Role::Strong,
        Drawn::Fired => Role::Fired,
        Drawn::Held => Role::Held,
        Drawn::Outside => Role::Outside,
        Drawn::Written => Role::Written,
        Drawn::Fault => Role::Fault,
        Drawn::Zone => Role::Zone,
    }
}

/// Where a place of the scene lies, in cells from the pane's corner.
fn cell(x: f64, y: f64) -> (i32, i32) {
    ((x / column_width()).floor() as i32, (y / ROW).floor() as i32)
}

/// Draws a scene into a pane, so many rows of it scrolled away.
pub fn paint(pen: &mut Pen, area: Rect, scene: &Scene, scrolled: u16) {
    let put = |pen: &mut Pen, (x, y): (i32, i32), text: &str, role: Role| {
        let (x, y) = (x + i32::from(area.x), y + i32::from(area.y) - i32::from(scrolled));
        let inside = y >= i32::from(area.y) && y < i32::from(area.bottom()) && x >= i32::from(area.x);
        if inside && x < i32::from(area.right()) {
            pen.say(x as u16, y as u16, area.right() - x as u16, text, role);
        }
    };
    for ((x, y), (dots, role)) in dots(scene) {
        let sign = char::from_u32(0x2800 + u32::from(dots)).unwrap_or(' ').to_string();
        put(pen, (x, y), &sign, role);
    }
    for item in &scene.items {
        match item {
            Item::Curve { points, arrow: true, role: r, .. } => {
                let [.., before, end] = points.as_slice() else { continue };
                let (dx, dy) = (end.0 - before.0, end.1 - before.1);
                let sign = match dx.abs() >= dy.abs() {
                    true if dx >= 0.0 => "▸",
                    true => "◂",
                    false if dy >= 0.0 => "▾",
                    false => "▴",
                };
                // Before the box that it leads to, not on it.
                let back = if dx.abs() >= dy.abs() { dx.signum() * column_width() } else { 0.0 };
                let up = if dx.abs() >= dy.abs() { 0.0 } else { dy.signum() * ROW * 0.6 };
                put(pen, cell(end.0 - back, end.1 - up), sign, role(*r));
            }
            // A state that holds others: a frame round them.
            Item::Box { x, y, width, height, line: Some((r, dash)), .. } if *height > 4.0 * ROW => {
                let (left, top) = cell(*x, *y);
                let (right, bottom) = cell(x + width, y + height);
                let dashed = *dash != mayfly_draw::scene::Dash::Solid;
                let (flat, tall) = if dashed { ("╌", "╎") } else { ("─", "│") };
                let across = flat.repeat((right - left - 1).max(0) as usize);
                put(pen, (left, top), &format!("┌{across}┐"), role(*r));
                for row in top + 1..bottom {
                    put(pen, (left, row), tall, role(*r));
                    put(pen, (right, row), tall, role(*r));
                }
                put(pen, (left, bottom), &format!("└{across}┘"), role(*r));
            }
            Item::Box { x, y, width, height, line: Some((r, dash)), fill, .. } => {
                // A box is as high as its text and a line above and below; its middle lies where its text does. A border
                // within a border tells the active one: here it is a heavier one.
                let inner = fill.is_none();
                let more = if inner { 3.0 } else { 0.0 };
                let (x0, x1) = (cell(x - more, 0.0).0, cell(x + width + more, 0.0).0);
                let middle = cell(0.0, y + height / 2.0 - 0.5).1;
                let signs = match (inner, *dash == mayfly_draw::scene::Dash::Solid) {
                    (true, _) => ["┏", "┓", "┗", "┛", "━", "┃"],
                    (false, true) => ["┌", "┐", "└", "┘", "─", "│"],
                    (false, false) => ["┌", "┐", "└", "┘", "╌", "╎"],
                };
                let wide = (x1 - x0 - 1).max(0) as usize;
                let across = |l: &str, r: &str| format!("{l}{}{r}", signs[4].repeat(wide));
                put(pen, (x0, middle - 1), &across(signs[0], signs[1]), role(*r));
                put(pen, (x0, middle), signs[5], role(*r));
                if !inner {
                    put(pen, (x0 + 1, middle), &" ".repeat(wide), Role::Text);
                }
                put(pen, (x1, middle), signs[5], role(*r));
                put(pen, (x0, middle + 1), &across(signs[2], signs[3]), role(*r));
            }
            Item::Circle { x, y, line: None, fill: Some(r), .. } => put(pen, cell(*x, *y), "●", role(*r)),
            Item::Text { x, y, size, text, role: r, anchor, .. } => {
                // Small words under a box keep clear of its border.
                let clear = if *size < 9.3 { ROW / 4.0 } else { 0.0 };
                let (column, row) = cell(*x, y - size * 0.35 + clear);
                let wide = text.width() as i32;
                let column = match anchor {
                    Anchor::Start => column,
                    Anchor::Middle => column - wide / 2,
                    Anchor::End => column - wide,
                };
                put(pen, (column, row), text, role(*r));
            }
            _ => {}
        }
    }
}

/// Eight dots a cell, as the characters of Braille have them: by cell, which are set and in which role.
fn dots(scene: &Scene) -> BTreeMap<(i32, i32), (u8, Role)> {
    const BITS: [[u8; 2]; 4] = [[0x01, 0x08], [0x02, 0x10], [0x04, 0x20], [0x40, 0x80]];
    let mut out: BTreeMap<(i32, i32), (u8, Role)> = BTreeMap::new();
    let mut dot = |x: f64, y: f64, r: Drawn| {
        let (column, row) = ((x / column_width() * 2.0).floor() as i32, (y / ROW * 4.0).floor() as i32);
        let bit = BITS[row.rem_euclid(4) as usize][column.rem_euclid(2) as usize];
        let cell = out.entry((column.div_euclid(2), row.div_euclid(4))).or_insert((0, role(r)));
        cell.0 |= bit;
        // What was taken last is seen where it crosses another.
        if r == Drawn::Fired {
            cell.1 = Role::Fired;
        }
    };
    for item in &scene.items {
        match item {
            Item::Curve { points, role: r, .. } => {
                for piece in points.windows(4).step_by(3) {
                    let steps = 200;
                    for i in 0..=steps {
                        let t = f64::from(i) / f64::from(steps);
                        let u = 1.0 - t;
                        let at = |f: fn(&(f64, f64)) -> f64| {
                            u * u * u * f(&piece[0])
                                + 3.0 * u * u * t * f(&piece[1])
                                + 3.0 * u * t * t * f(&piece[2])
                                + t * t * t * f(&piece[3])
                        };
                        dot(at(|p| p.0), at(|p| p.1), *r);
                    }
                }
            }
            Item::Line { points, role: r, .. } => {
                for w in points.windows(2) {
                    let n = ((w[1].0 - w[0].0).abs().max((w[1].1 - w[0].1).abs()) / 2.0).ceil().max(1.0) as u32;
                    for i in 0..=n {
                        let t = f64::from(i) / f64::from(n);
                        dot(w[0].0 + (w[1].0 - w[0].0) * t, w[0].1 + (w[1].1 - w[0].1) * t, *r);
                    }
                }
            }
            _ => {}
        }
    }
    out
}
