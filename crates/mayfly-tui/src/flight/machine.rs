//! The machine drawer: its states in ranks from the start, each with the ways out of it; the active one
//! lit, the way taken to it marked.
//!
//! Invariant: every state is drawn or counted as left out.

use crate::app::Narrow;
use crate::app::{App, Drawer};
use crate::pen::Pen;
use crate::theme::Role;
use crate::view::View;
use crate::wrapping::Pieces;
use mayfly_draw::machine::Listed;
use mayfly_draw::scene::Scene;
use mayfly_session::machines::{Card, Picture, Way};
use ratatui::layout::Rect;

pub fn facts(app: &App) -> String {
    match app.machine_here().and_then(|k| app.session.picture(k)) {
        Some(p) => {
            let keys = app.session.machine_keys();
            let at = app.machine_here().and_then(|k| keys.iter().position(|x| *x == k)).map_or(1, |i| i + 1);
            let of = if keys.len() > 1 { format!("   {at} of {}, M next", keys.len()) } else { String::new() };
            format!("{}  {} since tick {}{of}   i why", p.name, p.state, p.since)
        }
        None => String::new(),
    }
}

/// One line of a card.
struct Line {
    pieces: Vec<(String, Role)>,
}

fn title(c: &Card) -> Line {
    let (sign, role) = if c.active { ("◆ ", Role::Fired) } else { ("○ ", Role::Dim) };
    let name = if c.active {
        Role::Fired
    } else if c.previous {
        Role::Text
    } else {
        Role::Dim
    };
    let mut pieces = vec![(sign.to_string(), role), (c.name.clone(), name)];
    if c.entered > 0 {
        pieces.push((format!("  {}×", c.entered), Role::Faint));
    }
    if c.previous {
        pieces.push(("  came from here".into(), Role::Dim));
    }
    Line { pieces }
}

fn way(w: &Way, active: bool, last: bool) -> Line {
    let bright = if last {
        Role::Fired
    } else if active {
        Role::Text
    } else {
        Role::Zone
    };
    let mut pieces = vec![("  → ".to_string(), bright), (format!("{} ", w.to), bright)];
    if w.taken > 0 {
        pieces.push((format!("{}× ", w.taken), Role::Dim));
    }
    let word = match w.label.as_str() {
        "" => "",
        l if l.starts_with("after ") || l.starts_with("if ") => "",
        _ => "when ",
    };
    pieces.push((format!("{word}{}", w.label), if active { Role::Dim } else { Role::Faint }));
    Line { pieces }
}

fn lines(p: &Picture, c: &Card, newest: Option<u64>) -> Vec<Line> {
    let mut out = vec![title(c)];
    // The way that was taken last leads to the active state.
    out.extend(
        c.ways.iter().map(|w| way(w, c.active, newest.is_some() && w.last == newest && w.last == Some(p.since))),
    );
    out
}

/// Its states with their ways out, one under the other: for a pane that is narrow.
pub fn listing(p: &Picture) -> Vec<Vec<(String, Role)>> {
    let newest = p.cards.iter().flat_map(|c| &c.ways).chain(&p.wherever).filter_map(|w| w.last).max();
    let mut cards: Vec<&Card> = p.cards.iter().collect();
    cards.sort_by_key(|c| c.rank);
    let mut out: Vec<Vec<(String, Role)>> = cards.iter().flat_map(|c| lines(p, c, newest)).map(|l| l.pieces).collect();
    for w in &p.wherever {
        let mut pieces = vec![("wherever".to_string(), Role::Dim)];
        pieces.extend(way(w, true, w.last.is_some() && w.last == newest && w.last == Some(p.since)).pieces);
        out.push(pieces);
    }
    out
}

/// Columns that the list beside a drawing has at least.
const LIST: u16 = 44;

/// What each number of a drawing stands for, wrapped.
fn legend(listed: &[Listed], width: u16) -> Vec<Pieces> {
    let mut lines = vec![];
    for (n, (way, what), is_last) in listed {
        let (role, dim) = if *is_last { (Role::Fired, Role::Fired) } else { (Role::Text, Role::Dim) };
        let pieces = vec![(format!("{n:>3}  "), Role::Dim), (format!("{way}  "), role), (what.clone(), dim)];
        crate::wrapping::wrap(&pieces, width as usize, &mut lines);
    }
    lines
}

impl Narrow {
    pub fn new(p: &Picture) -> Self {
        let draw = |down| mayfly_draw::machine::drawing(p, down);
        Self { across: draw(false), down: draw(true), listing: listing(p) }
    }

    /// Draws it, or gives back the lines to say instead.
    pub fn draw(&self, pen: &mut Pen, area: Rect) -> Vec<Pieces> {
        let fits = |(scene, _): &&(Scene, Vec<Listed>)| {
            let (columns, rows) = super::scene::size(scene);
            columns <= area.width && rows <= area.height
        };
        let Some((scene, listed)) = [&self.across, &self.down].into_iter().find(fits).filter(|_| !pen.theme.ascii)
        else {
            let mut lines = vec![];
            self.listing.iter().for_each(|l| crate::wrapping::wrap(l, area.width as usize, &mut lines));
            return lines;
        };
        super::scene::paint(pen, area, scene, 0);
        let top = area.y + super::scene::size(scene).1;
        let lines = legend(listed, area.width);
        let room = area.bottom().saturating_sub(top) as usize;
        for (i, line) in lines.iter().take(room).enumerate() {
            let pieces: Vec<(&str, Role)> = line.iter().map(|(t, r)| (t.as_str(), *r)).collect();
            pen.run(area.x, top + i as u16, area.width, &pieces);
        }
        if lines.len() > room {
            let more = " its ways: 3, then m ";
            pen.say_right(area.right(), area.bottom().saturating_sub(1), area.width, more, Role::Dim);
        }
        vec![]
    }
}

/// The rows that the drawing takes, with the drawer's title; 0 where there is none, or no room for it in the width.
pub fn rows(app: &App, width: u16) -> u16 {
    if app.flight.drawer != Drawer::Machine || app.view != View::Flight || app.theme.ascii {
        return 0;
    }
    let Some(p) = app.machine_here().and_then(|k| app.session.picture(k)) else { return 0 };
    let (columns, rows) = super::scene::size(&mayfly_draw::machine::drawing(&p, false).0);
    if columns + LIST > width { 0 } else { rows + 1 }
}

/// The drawing that goes to a file, with what its numbers stand for beside it; false where it finds no room.
fn drawn(app: &App, pen: &mut Pen, area: Rect, p: &Picture) -> bool {
    if pen.theme.ascii {
        return false;
    }
    let (scene, listed) = mayfly_draw::machine::drawing(p, false);
    let (columns, rows) = super::scene::size(&scene);
    if columns + LIST > area.width || rows > area.height.saturating_mul(2) {
        return false;
    }
    let scroll = app.flight.why_scroll.min(rows.saturating_sub(area.height));
    super::scene::paint(pen, Rect { width: columns, ..area }, &scene, scroll);
    let list = Rect { x: area.x + columns + 1, width: area.width - columns - 1, ..area };
    let lines = legend(&listed, list.width);
    let from = (app.flight.why_scroll as usize).min(lines.len().saturating_sub(area.height as usize));
    for (i, line) in lines.iter().skip(from).take(list.height as usize).enumerate() {
        let pieces: Vec<(&str, Role)> = line.iter().map(|(t, r)| (t.as_str(), *r)).collect();
        pen.run(list.x, list.y + i as u16, list.width, &pieces);
    }
    let below = lines.len().saturating_sub(from + list.height as usize);
    let hidden = below.max((rows - scroll).saturating_sub(area.height) as usize);
    if hidden > 0 {
        pen.say_right(area.right(), area.bottom() - 1, 26, " more: ↓ in this pane", Role::Dim);
    }
    true
}

pub fn draw(app: &App, pen: &mut Pen, area: Rect) {
    let Some(p) = app.machine_here().and_then(|k| app.session.picture(k)) else {
        pen.say(area.x, area.y, area.width, "No machine is there at this moment.", Role::Dim);
        return;
    };
    if drawn(app, pen, area, &p) {
        return;
    }
    let area = Rect { y: area.y + u16::from(area.height > 8), ..area };
    let height = area.height.saturating_sub(u16::from(area.height > 8));
    let newest = p.cards.iter().flat_map(|c| &c.ways).chain(&p.wherever).filter_map(|w| w.last).max();
    let mut cards: Vec<&Card> = p.cards.iter().collect();
    cards.sort_by_key(|c| c.rank);
    let all: Vec<Vec<Line>> = cards.iter().map(|c| lines(&p, c, newest)).collect();
    // Columns are filled from top to bottom, rank by rank: a card is never torn.
    let mut columns: Vec<Vec<&Vec<Line>>> = vec![vec![]];
    let mut used = 0;
    for card in &all {
        let need = card.len() as u16 + u16::from(used > 0);
        if used + need > height && used > 0 {
            columns.push(vec![]);
            used = 0;
        }
        used += card.len() as u16 + u16::from(used > 0);
        columns.last_mut().expect("there is one").push(card);
    }
    let most = (area.width / 24).max(1) as usize;
    let shown = columns.len().min(most);
    let from = (app.flight.why_scroll as usize).min(columns.len() - shown);
    let width = area.width / shown.max(1) as u16;
    for (i, column) in columns.iter().skip(from).take(shown).enumerate() {
        let (x, mut y) = (area.x + i as u16 * width, area.y);
        for card in column {
            for l in card.iter() {
                if y >= area.y + height {
                    break;
                }
                let pieces: Vec<(&str, Role)> = l.pieces.iter().map(|(t, r)| (t.as_str(), *r)).collect();
                pen.run(x, y, width.saturating_sub(2), &pieces);
                y += 1;
            }
            y += 1;
        }
        if i + 1 == shown {
            for w in &p.wherever {
                if y < area.y + height {
                    let l = way(w, true, w.last.is_some() && w.last == newest && w.last == Some(p.since));
                    let mut pieces: Vec<(&str, Role)> = vec![("wherever", Role::Dim)];
                    pieces.extend(l.pieces.iter().map(|(t, r)| (t.as_str(), *r)));
                    pen.run(x, y, width.saturating_sub(2), &pieces);
                    y += 1;
                }
            }
        }
    }
    if from + shown < columns.len() {
        pen.say_right(area.right(), area.y + height - 1, 26, " more: ↓ in this pane", Role::Dim);
    }
}
