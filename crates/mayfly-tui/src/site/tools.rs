//! Tools of the map: drawing a zone or a path, painting tiles, moving and sizing. A tool has the arrows, Space and Enter until
//! it is done or Esc puts it away.
//!
//! Invariant: a tool changes the text when it is done, or a stroke of it is; Esc leaves everything as it was before.

use crate::app::App;
use crate::app::Ask;
use crate::app::Cell;
use crate::app::How;
use crate::app::Put;
use crate::app::Tool;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use mayfly_base::number;
use mayfly_engine::space;
use mayfly_session::documents::Group;
use std::collections::BTreeSet;

/// Cells between two, in a straight line.
pub fn line(a: Cell, b: Cell) -> Vec<Cell> {
    let p = |c: Cell| (c.0 as f64, c.1 as f64);
    space::cells_between(p(a), p(b)).collect()
}

/// Corner, width and height of the rectangle between two cells.
pub fn rectangle(a: Cell, b: Cell) -> (Cell, i64, i64) {
    let (x, y) = (a.0.min(b.0), a.1.min(b.1));
    ((x, y), (a.0 - b.0).abs() + 1, (a.1 - b.1).abs() + 1)
}

/// The radius of a disc round a cell that another one still lies in, in halves.
pub fn radius(at: Cell, to: Cell) -> f64 {
    let far = ((at.0 - to.0) as f64).hypot((at.1 - to.1) as f64);
    (far * 2.0).ceil() / 2.0
}

impl Tool {
    /// What it is and which keys it takes, for the footer.
    pub fn hint(&self) -> Option<(String, Vec<(&'static str, &'static str)>)> {
        let done = ("Enter", "done");
        let away = ("Esc", "leave it");
        Some(match self {
            Self::None => return None,
            Self::Rect { .. } => ("a rectangle: arrows to the other corner".into(), vec![("Enter", "name it"), away]),
            Self::Disc { .. } => ("a disc: arrows to its edge".into(), vec![("Enter", "name it"), away]),
            Self::Cells { cells } => {
                (format!("cells: {}", cells.len()), vec![("Space", "in or out"), ("Enter", "name it"), away])
            }
            Self::Poly { points } => {
                (format!("corners: {}", points.len()), vec![("Space", "a corner"), ("Enter", "name it"), away])
            }
            Self::Path { points } => (
                format!("a path: {}", mayfly_base::number::counted(points.len(), "point")),
                vec![("Space", "a point"), ("Enter", "name it"), away],
            ),
            Self::Mark { .. } => {
                ("a part of the map: arrows to the other corner".into(), vec![("Enter", "mark it"), away])
            }
            Self::Paint { name, how, down, from, .. } => {
                let space = match (how, down, from.is_some()) {
                    (How::Brush, true, _) => "pen up",
                    (How::Brush, ..) => "pen down",
                    (How::Fill, ..) => "fill",
                    (_, _, false) => "begin",
                    _ => "end",
                };
                (
                    format!("{name} with the {}", how.name()),
                    vec![("Space", space), ("Tab", "another way"), ("l", "tile"), away],
                )
            }
            Self::Move { .. } => ("moving: arrows".into(), vec![done, away]),
            Self::Size { .. } => ("another size: arrows".into(), vec![done, away]),
            Self::Put { what } => {
                let name = match what {
                    Put::Kind(k) => k.clone(),
                    Put::Like(n) => format!("like {n}"),
                };
                (format!("putting down: {name}"), vec![("Enter", "here"), away])
            }
        })
    }
}

impl App {
    /// A key of the tool that has the keys; false where it is none of its own.
    pub(crate) fn tool_key(&mut self, key: &KeyEvent) -> bool {
        if key.modifiers.intersects(KeyModifiers::CONTROL | KeyModifiers::ALT) || self.site.tool == Tool::None {
            return false;
        }
        match key.code {
            KeyCode::Esc => {
                self.work.docs.part();
                self.site.tool = Tool::None;
                self.say("");
            }
            KeyCode::Enter => self.tool_done(),
            KeyCode::Char(' ') => self.tool_space(),
            KeyCode::Tab => {
                if let Tool::Paint { how, down, from, .. } = &mut self.site.tool {
                    *how = How::ALL[(*how as usize + 1) % How::ALL.len()].0;
                    (*down, *from) = (false, None);
                }
            }
            KeyCode::Char('l') if matches!(self.site.tool, Tool::Paint { .. }) => self.choose_tile(true),
            _ => return false,
        }
        true
    }

    /// The cursor moved while a tool has the keys.
    pub(super) fn tool_moved(&mut self) {
        let at = self.site.cursor;
        if let Tool::Paint { sign, how: How::Brush, down: true, .. } = &self.site.tool {
            let sign = *sign;
            self.paint(vec![at], sign, Group::Moved);
        }
    }

    /// The mouse presses, or lets go: as Space does.
    pub(super) fn press_tool(&mut self) {
        self.tool_space();
    }

    /// The mouse lets go of what it moved: as Enter does.
    pub(super) fn finish_tool(&mut self) {
        self.tool_done();
    }

    fn tool_space(&mut self) {
        let at = self.site.cursor;
        match &mut self.site.tool {
            Tool::Cells { cells } => {
                if !cells.remove(&at) {
                    cells.insert(at);
                }
            }
            Tool::Poly { points } | Tool::Path { points } => points.push(at),
            Tool::Paint { .. } => self.paint_space(),
            _ => self.tool_done(),
        }
    }

    fn paint_space(&mut self) {
        let at = self.site.cursor;
        let Tool::Paint { sign, how, down, from, .. } = &mut self.site.tool else { return };
        let (sign, how) = (*sign, *how);
        match how {
            How::Brush => {
                *down = !*down;
                if *down {
                    self.work.docs.part();
                    self.paint(vec![at], sign, Group::Moved);
                } else {
                    self.work.docs.part();
                }
            }
            How::Fill => self.fill(at, sign),
            How::Line | How::Rectangle => match from.take() {
                None => *from = Some(at),
                Some(begun) if how == How::Line => self.paint(line(begun, at), sign, Group::Alone),
                Some(begun) => {
                    let ((x, y), w, h) = rectangle(begun, at);
                    let cells = (y..y + h).flat_map(|y| (x..x + w).map(move |x| (x, y))).collect();
                    self.paint(cells, sign, Group::Alone);
                }
            },
        }
    }

    fn tool_done(&mut self) {
        let at = self.site.cursor;
        match self.site.tool.clone() {
            Tool::None => {}
            Tool::Rect { from } => {
                let ((x, y), w, h) = rectangle(from, at);
                self.ask_on_site(Ask::NewZone(format!("rect ({x}, {y}) {w} x {h}")), String::new());
            }
            Tool::Disc { at: middle } => {
                let r = radius(middle, at).max(0.5);
                let r = number::show_number(r);
                self.ask_on_site(Ask::NewZone(format!("disc ({}, {}) {r}", middle.0, middle.1)), String::new());
            }
            Tool::Cells { cells } if cells.is_empty() => self.say("no cell is in it yet: Space puts one in"),
            Tool::Cells { cells } => self.ask_on_site(Ask::NewZone(cells_text(&cells)), String::new()),
            Tool::Poly { points } if points.len() < 3 => self.say("a zone has three corners at least: Space puts one"),
            Tool::Poly { points } => {
                let points: Vec<String> = points.iter().map(|(x, y)| format!("({x}, {y})")).collect();
                self.ask_on_site(Ask::NewZone(format!("poly {}", points.join(" "))), String::new());
            }
            Tool::Path { points } if points.len() < 2 => self.say("a path has two points at least: Space puts one"),
            Tool::Path { points } => {
                let points: Vec<String> = points.iter().map(|(x, y)| format!("({x}, {y})")).collect();
                self.ask_on_site(Ask::NewPath(points.join(" ")), String::new());
            }
            Tool::Mark { from } => {
                self.site.mark = Some((from, at));
                self.site.tool = Tool::None;
                let (_, w, h) = rectangle(from, at);
                self.say(format!("{w} x {h} cells are marked: m moves, c copies, Del deletes what is in them"));
            }
            Tool::Paint { .. } => self.paint_space(),
            Tool::Move { from, what } => {
                if self.still_stands() {
                    self.move_done(from, &what);
                }
            }
            Tool::Size { zone, from, round } => {
                if self.still_stands() {
                    self.size_done(zone, from, round);
                }
            }
            Tool::Put { what } => self.put_down(&what),
        }
    }
}

/// Cells as the language writes them: `cells { 4: 3..8, 11; 5: 3..9 }`.
pub fn cells_text(cells: &BTreeSet<Cell>) -> String {
    let mut rows: Vec<(i64, Vec<(i64, i64)>)> = vec![];
    let mut sorted: Vec<Cell> = cells.iter().copied().collect();
    sorted.sort_by_key(|(x, y)| (*y, *x));
    for (x, y) in sorted {
        match rows.last_mut() {
            Some((row, ranges)) if *row == y => match ranges.last_mut() {
                Some((_, last)) if *last + 1 == x => *last = x,
                _ => ranges.push((x, x)),
            },
            _ => rows.push((y, vec![(x, x)])),
        }
    }
    let range = |(a, b): &(i64, i64)| if a == b { a.to_string() } else { format!("{a}..{b}") };
    let row = |(y, ranges): &(i64, Vec<(i64, i64)>)| {
        format!("{y}: {}", ranges.iter().map(range).collect::<Vec<_>>().join(", "))
    };
    format!("cells {{ {} }}", rows.iter().map(row).collect::<Vec<_>>().join("; "))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn cells_are_written_in_ranges_and_discs_hold_their_edge() {
        let cells: BTreeSet<Cell> = [(3, 4), (4, 4), (5, 4), (9, 4), (3, 5)].into();
        assert_eq!(cells_text(&cells), "cells { 4: 3..5, 9; 5: 3 }");
        assert_eq!((radius((4, 4), (7, 8)), radius((4, 4), (5, 5))), (5.0, 1.5));
        assert_eq!(rectangle((5, 2), (3, 4)), ((3, 2), 3, 3));
        assert_eq!(line((0, 0), (2, 0)), [(0, 0), (1, 0), (2, 0)]);
    }
}
