//! How ground and zones look: tiles by what they do, zones by their border.
//!
//! Invariant: ground that stops is drawn as blocks, water as shade, cover as a pattern, so that each is
//! told by its form.

use crate::pen::Pen;
use crate::theme::{Role, Theme};
use mayfly_lang::level::Tile;
use ratatui::layout::Rect;
use ratatui::style::Style;
use std::collections::BTreeSet;

/// One row of a cell, and its style. `of`: its columns and rows, and which row of them it is.
///
/// A tile with a look of its own is drawn with that; one that is solid and can be seen over is water where its sign is `~` or
/// `≈`, and drawn with its sign elsewhere.
pub fn ground(
    tile: Option<&Tile>,
    (x, y): (i64, i64),
    (columns, rows, row): (usize, i32, i32),
    theme: Theme,
) -> (String, Style) {
    let noise = |n: i64| (x.wrapping_mul(7).wrapping_add(y.wrapping_mul(13)).wrapping_add(x * y)).rem_euclid(n);
    let middle = row == (rows - 1) / 2;
    // A sign in the cell's middle alone; the same sign everywhere; a pattern.
    let lone = |sign: &str| {
        let before = if middle { (columns - 1) / 2 } else { columns };
        let sign = if middle { sign } else { "" };
        let text = format!("{}{sign}", " ".repeat(before));
        let pad = columns.saturating_sub(text.chars().count());
        text + &" ".repeat(pad)
    };
    let full = |sign: &str| sign.repeat(columns);
    let Some(t) = tile else { return (full(" "), theme.style(Role::Floor)) };
    let (ascii, flat) = (theme.ascii, theme.is_flat());
    let own = t.look.map(|(c, _)| c).filter(|c| !ascii || c.is_ascii());
    let sign = own.unwrap_or(t.sign);
    let colour = t.look.and_then(|(_, c)| c).map(|c| theme.tile(c));
    let is_water = t.solid && !t.opaque && matches!(sign, '~' | '≈');
    let (drawn, style) = match (t.solid, t.opaque) {
        _ if is_water && (flat || ascii) => (lone(if ascii { "~" } else { "≈" }), theme.style(Role::Water)),
        _ if is_water => (if noise(11) == 0 && middle { wave(columns) } else { full(" ") }, theme.style(Role::Water)),
        _ if own.is_some() && t.solid => (full(&sign.to_string()), theme.style(Role::Wall)),
        _ if own.is_some() => (lone(&sign.to_string()), theme.style(if t.opaque { Role::Reeds } else { Role::Floor })),
        (true, true) => (full(if ascii { "#" } else { "█" }), theme.style(Role::Wall)),
        (true, false) => (full(&plain_sign(sign, ascii)), theme.style(Role::Wall)),
        (false, true) if ascii => (full("%"), theme.style(Role::Reeds)),
        (false, true) => {
            let pair = if noise(2) == 0 { ["⢸", "⡇"] } else { ["⡇", "⢸"] };
            ((0..columns).map(|c| pair[(c + row as usize) % 2]).collect(), theme.style(Role::Reeds))
        }
        (false, false) => (lone(if ascii { "." } else { "·" }), theme.style(Role::Floor)),
    };
    // Water keeps its ground: there its colour is more than a sign's.
    (drawn, colour.filter(|_| !is_water).unwrap_or(style))
}

fn plain_sign(sign: char, ascii: bool) -> String {
    if ascii && !sign.is_ascii() { "=".into() } else { sign.to_string() }
}

fn wave(columns: usize) -> String {
    let before = columns / 2;
    format!("{}─{}", " ".repeat(before), " ".repeat(columns.saturating_sub(before + 1)))
}

/// The border of a block of cells, with its name in it.
pub struct Frame {
    pub x: i32,
    pub y: i32,
    pub width: i32,
    pub height: i32,
}

/// Draws a dashed border, clipped.
pub fn border(pen: &mut Pen, clip: Rect, f: &Frame, role: Role) {
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
}

/// A name on the upper side of a frame, else on its lower one, wherever nothing that is taken lies under it; false where
/// there is no such place. What it takes is taken from then on.
pub fn label(pen: &mut Pen, clip: Rect, f: &Frame, name: &str, role: Role, taken: &mut BTreeSet<(i32, i32)>) -> bool {
    let plain = pen.plain(name);
    let fits = plain.chars().count() as i32 + 6 <= f.width;
    let name = if fits { format!(" {plain} ") } else { plain };
    let len = name.chars().count() as i32;
    let first = if fits { f.x + 2 } else { f.x + (f.width - len) / 2 };
    let (left, right) = (f.x.max(clip.x.into()), (f.x + f.width).min(clip.right().into()) - len);
    let free = |x: i32, y: i32, taken: &BTreeSet<(i32, i32)>| (x..x + len).all(|x| !taken.contains(&(x, y)));
    // The place that is wanted, then those beside it, the nearer ones first.
    let mut places: Vec<i32> = (left..=right).collect();
    places.sort_by_key(|x| (x - first).abs());
    for y in [f.y, f.y + f.height - 1] {
        if y < i32::from(clip.y) || y >= i32::from(clip.bottom()) {
            continue;
        }
        if let Some(x) = places.iter().copied().find(|x| free(*x, y, taken)) {
            taken.extend((x..x + len).map(|x| (x, y)));
            pen.say(x as u16, y as u16, len as u16, &name, role);
            return true;
        }
    }
    false
}
