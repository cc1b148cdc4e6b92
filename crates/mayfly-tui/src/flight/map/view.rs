//! Which part of the level the map shows, and how large: what a person chose, else what fits and whom one follows.
//!
//! Not here: what is drawn on it ([`super`]).
//!
//! Invariant: the part that is shown lies on the map where the map is larger than the pane, and in the pane's middle where
//! it is smaller; a cell under a place of the screen is the one that was drawn there.

use crate::app::Layer;
use crate::app::Trail;
use crate::app::{App, Asked, Pane};
use mayfly_base::*;
use mayfly_engine::space;
use mayfly_engine::world::World;
use mayfly_session::around::OnCell;
use mayfly_session::things::Thing;
use ratatui::layout::Rect;

/// Columns and rows of a cell, from the smallest to the largest.
pub const SCALES: [(u16, u16); 4] = [(1, 1), (2, 1), (4, 2), (6, 3)];

/// Where cells lie on the screen.
#[derive(Clone, Copy, Debug)]
pub struct View {
    pub area: AreaId,
    pub clip: Rect,
    pub left: i64,
    pub top: i64,
    /// Cells of the whole map.
    pub width: i64,
    pub height: i64,
    /// Columns and rows of a cell.
    pub columns: i32,
    pub rows: i32,
}

impl View {
    /// The place of a point's sign.
    pub fn at(&self, x: f64, y: f64) -> (i32, i32) {
        let col = ((x - self.left as f64) * f64::from(self.columns)).round() as i32 + (self.columns - 1) / 2;
        let row = ((y - self.top as f64) * f64::from(self.rows)).round() as i32 + (self.rows - 1) / 2;
        (col.saturating_add(self.clip.x.into()), row.saturating_add(self.clip.y.into()))
    }

    /// The upper left of a cell.
    pub fn corner(&self, (x, y): (i64, i64)) -> (i32, i32) {
        let col = (x - self.left).clamp(-100_000, 100_000) as i32 * self.columns;
        let row = (y - self.top).clamp(-100_000, 100_000) as i32 * self.rows;
        (col + i32::from(self.clip.x), row + i32::from(self.clip.y))
    }

    /// How many cells are shown, across and down.
    pub fn shown(&self) -> (i64, i64) {
        (i64::from(self.clip.width) / i64::from(self.columns), i64::from(self.clip.height) / i64::from(self.rows))
    }

    /// The cells that are shown, and one more to each side.
    pub fn cells(&self) -> space::Box {
        let (w, h) = self.shown();
        (self.left - 1, self.top - 1, self.left + w + 1, self.top + h + 1)
    }

    pub fn holds(&self, (x, y): (i32, i32)) -> bool {
        x >= i32::from(self.clip.x)
            && x < i32::from(self.clip.right())
            && y >= i32::from(self.clip.y)
            && y < i32::from(self.clip.bottom())
    }

    /// The cell under a place of the screen.
    pub fn cell_at(&self, column: u16, row: u16) -> Option<(i64, i64)> {
        self.holds((column.into(), row.into())).then(|| {
            let (x, y) = (i64::from(column - self.clip.x), i64::from(row - self.clip.y));
            (self.left + x / i64::from(self.columns), self.top + y / i64::from(self.rows))
        })
    }

    /// Whether the whole map is shown.
    pub fn is_whole(&self) -> bool {
        self.shown() == (self.width, self.height)
    }
}

/// The cells that a level without a map needs.
fn extent(w: &World) -> (i64, i64) {
    let far = w.living().map(|(_, a)| a.at.cell()).fold((8, 4), |m, c| (m.0.max(c.0), m.1.max(c.1)));
    ((far.0 + 2).min(400), (far.1 + 2).min(200))
}

/// The largest cell with which a map of that many cells fits.
fn fitting(width: i64, height: i64, room: Rect) -> usize {
    let fits = |(c, r): (u16, u16)| {
        width * i64::from(c) <= i64::from(room.width) && height * i64::from(r) <= i64::from(room.height)
    };
    SCALES.iter().rposition(|s| fits(*s)).unwrap_or(0)
}

/// Rows below the map for what is said there, the gap above them too: fewer where the map would not fit whole.
pub fn rows_below(height: u16, map: i64) -> u16 {
    let left = i64::from(height) - 1 - map;
    (left.clamp(3, 6) as u16).min(height / 3)
}

impl App {
    /// Whom the map follows: the driven actor, the one that was asked about, the one that the selected rung is about, the
    /// steered one.
    pub fn followed(&self) -> Option<ActorId> {
        let s = &self.session;
        let asked = match self.flight.asked {
            Some(Asked::Thing(Thing::Actor(a))) => Some(a),
            _ => None,
        };
        let of_rung = || {
            let rung = self.selected_rung().and_then(|n| s.now.cascade.rung(n)).filter(|_| !self.play.running)?;
            s.subjects_of(rung).0.into_iter().find(|a| s.now.world.actor(*a).is_some_and(|a| !a.is_zone))
        };
        let here = |a: &ActorId| s.now.world.actor(*a).is_some();
        self.play.driving.or(asked).filter(here).or_else(of_rung).or_else(|| s.steered())
    }

    /// The area that the map shows.
    pub fn map_area(&self) -> AreaId {
        let (p, w) = (&self.session.engine.program, &self.session.now.world);
        let there = |a: &AreaId| a.index() < p.maps.len();
        let followed = || self.followed().and_then(|a| w.actor(a)).map(|a| a.at.area);
        self.flight.map.area.filter(there).or_else(followed).unwrap_or(AreaId::MAIN)
    }

    /// Cells of the area that is shown.
    pub fn map_size(&self) -> (i64, i64) {
        let map = &self.session.engine.program.maps[self.map_area().index()];
        if map.width > 0 { (map.width, map.height) } else { extent(&self.session.now.world) }
    }

    /// What a pane of that inner size shows. `inner`: without the title.
    pub fn map_view(&self, inner: Rect) -> View {
        let (width, height) = self.map_size();
        let below = rows_below(inner.height, height);
        let top = u16::from(inner.height > 6);
        let room = Rect { y: inner.y + top, height: inner.height.saturating_sub(below + top), ..inner };
        let area = self.map_area();
        let scale = self.flight.map.scale.unwrap_or_else(|| fitting(width, height, room)).min(SCALES.len() - 1);
        let (columns, rows) = SCALES[scale];
        let across = width.min(i64::from(room.width / columns)).max(1);
        let down = height.min(i64::from(room.height / rows)).max(1);
        let w = &self.session.now.world;
        let followed = self.followed().and_then(|a| w.actor(a)).filter(|a| a.at.area == area).map(|a| a.at.cell());
        let middle = self.flight.map.middle.or(followed).unwrap_or((width / 2, height / 2));
        let scroll = |at: i64, shown: i64, all: i64| (at - shown / 2).clamp(0, (all - shown).max(0));
        let shown = (across * i64::from(columns), down * i64::from(rows));
        let x = room.x + (i64::from(room.width) - shown.0).max(0) as u16 / 2;
        View {
            area,
            clip: Rect {
                x,
                y: room.y,
                width: shown.0.min(i64::from(room.width)) as u16,
                height: shown.1.min(i64::from(room.height)) as u16,
            },
            left: scroll(middle.0, across, width),
            top: scroll(middle.1, down, height),
            width,
            height,
            columns: columns.into(),
            rows: rows.into(),
        }
    }

    /// Rows that the log gives to what is said below the map, where a layer has much to say.
    pub fn more_rows(&self) -> u16 {
        if self.flight.map.layer == Layer::Noticed { 4 } else { 0 }
    }

    /// The view as the last frame showed it.
    pub fn shown_view(&self) -> Option<View> {
        let area = Rect { x: 0, y: 0, width: self.size.0, height: self.size.1 };
        let (_, r) = crate::flight::places(self, area).into_iter().find(|(p, _)| *p == Pane::Map)?;
        Some(self.map_view(crate::sizes::inner(r)))
    }

    /// Columns that the map would fill, with its title's margins: the pane takes its width from the level.
    pub fn map_columns(&self, body: Rect) -> u16 {
        let (width, height) = self.map_size();
        let most = body.width / 2;
        let height_of_pane = body.height.saturating_sub(crate::sizes::log_rows(body.height));
        let inner = Rect { width: most.saturating_sub(3), height: height_of_pane.saturating_sub(1), ..body };
        let room = Rect { height: inner.height.saturating_sub(rows_below(inner.height, height) + 1), ..inner };
        let scale = self.flight.map.scale.unwrap_or_else(|| fitting(width, height, room)).min(SCALES.len() - 1);
        let wanted = width * i64::from(SCALES[scale].0) + 3;
        wanted.clamp(i64::from(body.width) * 3 / 10, i64::from(body.width) * 46 / 100) as u16
    }

    /// Another flight is shown: what was kept of the one before is not its own.
    pub(crate) fn forget_map(&mut self) {
        self.flight.map.trail = Trail::default();
        self.flight.map.entered = None;
        self.flight.last_tick = None;
        self.flight.names = Default::default();
    }

    /// Moves the cell cursor; the map goes with it where it would leave the pane.
    pub(crate) fn move_cursor(&mut self, dx: i64, dy: i64) {
        let Some(view) = self.shown_view() else { return };
        let (w, h) = view.shown();
        let followed = self.followed().and_then(|a| self.session.now.world.actor(a));
        let start = followed.filter(|a| a.at.area == view.area).map(|a| a.at.cell());
        let first = self.flight.map.cursor.is_none();
        let (x, y) = self.flight.map.cursor.or(start).unwrap_or((view.left + w / 2, view.top + h / 2));
        // The first arrow only shows where the cursor is.
        let (dx, dy) = if first { (0, 0) } else { (dx, dy) };
        let to = ((x + dx).clamp(0, view.width - 1), (y + dy).clamp(0, view.height - 1));
        let middle = (view.left + w / 2, view.top + h / 2);
        let keep = |to: i64, from: i64, shown: i64, middle: i64| {
            if to < from { middle - (from - to) } else { middle + (to - (from + shown - 1)).max(0) }
        };
        if !first && !view.is_whole() {
            self.flight.map.middle = Some((keep(to.0, view.left, w, middle.0), keep(to.1, view.top, h, middle.1)));
            self.flight.map.area = Some(view.area);
        }
        self.flight.map.cursor = Some(to);
        self.flight.answer = None;
    }

    /// Whether the cells can be drawn larger, or smaller.
    pub(crate) fn scales(&self, larger: bool) -> Option<usize> {
        let view = self.shown_view()?;
        let now = SCALES.iter().position(|(c, _)| i32::from(*c) == view.columns)?;
        if larger { Some(now + 1).filter(|n| *n < SCALES.len()) } else { now.checked_sub(1) }
    }

    /// The cells are drawn larger or smaller, round the cursor or whom one follows.
    pub(crate) fn scale_map(&mut self, larger: bool) {
        let Some(to) = self.scales(larger) else { return };
        self.flight.map.middle = self.flight.map.cursor.or(self.flight.map.middle);
        self.flight.map.scale = Some(to);
        let (c, r) = SCALES[to];
        self.say(format!("a cell of the map takes {c} by {r}"));
    }

    /// The map follows again.
    pub(crate) fn centre_map(&mut self) {
        self.flight.map.middle = None;
        self.flight.map.cursor = None;
        self.flight.map.area = None;
        let who = self.followed().and_then(|a| self.session.now.world.actor(a)).map(|a| a.name.to_string());
        self.say(who.map_or("the map shows the level's middle".into(), |n| format!("the map follows {n}")));
    }

    pub(crate) fn next_area(&mut self) {
        let n = self.session.engine.program.maps.len();
        let next = AreaId::at((self.map_area().index() + 1) % n.max(1));
        (self.flight.map.area, self.flight.map.middle, self.flight.map.cursor) = (Some(next), None, None);
        let name = self.session.engine.program.maps[next.index()].name.clone();
        let named = if name.is_empty() { "the main map".into() } else { name };
        self.say(format!("{named}; {} follows again", self.keys.of_command(crate::command::Command::Centre)));
    }

    /// What lies on the cell under the cursor.
    pub fn under_cursor(&self) -> Option<((i64, i64), OnCell)> {
        let cell = self.flight.map.cursor?;
        Some((cell, self.session.around(self.map_area(), cell)))
    }
}
