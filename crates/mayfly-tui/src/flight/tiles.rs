//! How ground and zones look: tiles by what they do, zones by their border.
//!
//! Invariant: ground that stops is drawn as blocks, water as shade, cover as a pattern, so that each is
//! told by its form.

use crate::pen::Pen;
use crate::theme::{Role, Theme};
use mayfly_engine::program::Tile;

/// The two columns of a cell, and their role. `x` and `y` vary the pattern.
pub fn ground(tile: Option<&Tile>, x: i64, y: i64, theme: Theme) -> (&'static str, Role) {
    let noise = (x.wrapping_mul(7).wrapping_add(y.wrapping_mul(13)).wrapping_add(x * y)).rem_euclid(11);
    let Some(t) = tile else { return ("  ", Role::Floor) };
    let (ascii, flat) = (theme.ascii, theme.is_flat());
    match (t.solid, t.opaque, ascii) {
        (true, true, false) => ("██", Role::Wall),
        (true, true, true) => ("##", Role::Wall),
        (true, false, false) if flat => (if noise % 3 == 0 { "≈ " } else { "~ " }, Role::Water),
        (true, false, false) => (if noise == 0 { " ─" } else { "  " }, Role::Water),
        (true, false, true) => ("~ ", Role::Water),
        (false, true, false) => (if noise % 2 == 0 { "⢸⡇" } else { "⡇⢸" }, Role::Reeds),
        (false, true, true) => ("%%", Role::Reeds),
        (false, false, false) => ("· ", Role::Floor),
        (false, false, true) => (". ", Role::Floor),
    }
}

/// The border of a block of cells, with its name in it.
pub struct Frame {
    pub x: i32,
    pub y: i32,
    pub width: i32,
    pub height: i32,
}

/// Draws a dashed border, clipped, with a name on its upper side.
pub fn border(pen: &mut Pen, clip: ratatui::layout::Rect, f: &Frame, name: &str, role: Role) {
    let ascii = pen.theme.ascii;
    let signs: [&str; 6] =
        if ascii { ["+", "+", "+", "+", "-", ":"] } else { ["┌", "┐", "└", "┘", "╌", "╎"] };
    let inside = |x: i32, y: i32| {
        x >= i32::from(clip.x) && y >= i32::from(clip.y) && x < i32::from(clip.right()) && y < i32::from(clip.bottom())
    };
    let (r, b) = (f.x + f.width - 1, f.y + f.height - 1);
    let mut put = |x: i32, y: i32, s: &str| {
        if inside(x, y) {
            pen.say(x as u16, y as u16, 1, s, role);
        }
    };
    for x in f.x + 1..r {
        put(x, f.y, signs[4]);
        put(x, b, signs[4]);
    }
    for y in f.y + 1..b {
        put(f.x, y, signs[5]);
        put(r, y, signs[5]);
    }
    if f.height > 1 {
        for (x, y, s) in [(f.x, f.y, signs[0]), (r, f.y, signs[1]), (f.x, b, signs[2]), (r, b, signs[3])] {
            put(x, y, s);
        }
    }
    label(pen, clip, f, name, role);
}

/// A name on the upper side of a frame.
pub fn label(pen: &mut Pen, clip: ratatui::layout::Rect, f: &Frame, name: &str, role: Role) {
    let fits = name.chars().count() as i32 + 6 <= f.width;
    let name = if fits { format!(" {name} ") } else { name.to_string() };
    let len = name.chars().count() as i32;
    let x = if fits { f.x + 2 } else { f.x + (f.width - len + 1) / 2 };
    let x = x.clamp(i32::from(clip.x), (i32::from(clip.right()) - len).max(i32::from(clip.x)));
    if f.y >= i32::from(clip.y) && f.y < i32::from(clip.bottom()) {
        let room = (i32::from(clip.right()) - x).max(0) as u16;
        pen.say(x as u16, f.y as u16, room, &name, role);
    }
}
