//! How large the panes are: what they have at first, and by how much a person made them differ from it.
//!
//! Invariant: no pane is smaller than what can be read, whatever was dragged and however small the terminal
//! became since.

use ratatui::layout::Rect;

/// A pane of the flight view.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Pane {
    Map,
    Log,
    Cascade,
    Watches,
    Why,
}

impl Pane {
    pub const ALL: [Self; 5] = [Self::Map, Self::Log, Self::Cascade, Self::Watches, Self::Why];
}

/// How the panes lie.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Layout {
    /// One at a time.
    Folded,
    /// Map on the left, cascade above watches on the right.
    Two,
    /// Side by side.
    Three,
}

/// The layout of a terminal of that size.
pub fn layout(width: u16, height: u16) -> Layout {
    if width < 100 || height < 28 {
        Layout::Folded
    } else if width < 132 {
        Layout::Two
    } else {
        Layout::Three
    }
}

/// What a pane has for itself, below its title.
pub fn inner(area: Rect) -> Rect {
    Rect { x: area.x + 1, y: area.y + 1, width: area.width.saturating_sub(2), height: area.height.saturating_sub(1) }
}

/// Rows of the log at least, in a column of that height; 0 where it has no room beside the map.
pub fn log_rows(height: u16) -> u16 {
    if height < 18 { 0 } else { 5 }
}

/// The least columns and rows of a pane.
const COLUMNS: u16 = 24;
const ROWS: u16 = 5;

/// A border between two panes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Border {
    /// Between the map and what is right of it.
    Map,
    /// Between the cascade and the watches.
    Cascade,
    /// Above the drawer.
    Drawer,
}

/// By how much each differs from what it is at first, in columns or rows.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Sizes {
    /// Columns of the map at first: what the level needs; 0 before any level was seen.
    pub map_first: u16,
    /// Rows that what the drawer shows asks for; it gets at most two fifths of the screen, and never less than usual.
    pub drawer_asks: u16,
    map: i16,
    cascade: i16,
    drawer: i16,
    upper: i16,
}

fn moved(first: u16, by: i16, least: u16, most: u16) -> u16 {
    (i32::from(first) + i32::from(by)).clamp(i32::from(least), i32::from(most.max(least))) as u16
}

impl Sizes {
    /// The rows of the drawer.
    pub fn drawer(&self, area: Rect) -> u16 {
        let usual = (area.height / 4).clamp(8, 16);
        let first = usual.max(self.drawer_asks.min(area.height * 2 / 5));
        moved(first, self.drawer, ROWS, area.height.saturating_sub(5 + 2 * ROWS))
    }

    /// The columns of the map where the others lie above each other.
    pub fn left(&self, area: Rect, first: u16) -> u16 {
        moved(first, self.map, COLUMNS, area.width.saturating_sub(COLUMNS))
    }

    /// The rows of the cascade where it lies above the watches.
    pub fn upper(&self, top: u16) -> u16 {
        moved(top * 3 / 5, self.upper, ROWS, top.saturating_sub(ROWS))
    }

    /// The columns of the map and of the cascade side by side, each with its border.
    pub fn thirds(&self, width: u16) -> (u16, u16) {
        let first = if self.map_first == 0 { width * 44 / 100 } else { self.map_first };
        let map = moved(first, self.map, COLUMNS, width.saturating_sub(2 * COLUMNS));
        // The watches keep their width while the map changes.
        let first = i32::from(width * 74 / 100) - i32::from(map);
        let first = u16::try_from(first).unwrap_or(COLUMNS);
        (map, moved(first, self.cascade, COLUMNS, width.saturating_sub(map + COLUMNS)))
    }

    /// Takes a border to a place on the screen.
    pub fn drag(&mut self, border: Border, (x, y): (u16, u16), area: Rect) {
        let by = |to: u16, from: u16| i16::try_from(i32::from(to) - i32::from(from)).unwrap_or(0);
        match border {
            Border::Drawer => self.drawer += by(area.height.saturating_sub(1), y) - self.drawer(area) as i16,
            Border::Map if layout(area.width, area.height) == Layout::Two => {
                self.map += by(x, self.left(area, area.width / 2));
            }
            Border::Map => self.map += by(x, self.thirds(area.width).0),
            Border::Cascade if layout(area.width, area.height) == Layout::Two => {
                let top = area.height.saturating_sub(5 + self.drawer(area));
                self.upper += by(y.saturating_sub(4), self.upper(top));
            }
            Border::Cascade => {
                let (map, cascade) = self.thirds(area.width);
                self.cascade += by(x, map + cascade);
            }
        }
        self.settle(area);
    }

    /// A pane takes room from its neighbour, or gives it some.
    pub fn grow(&mut self, pane: Pane, by: i16, area: Rect) {
        let two = layout(area.width, area.height) == Layout::Two;
        match pane {
            Pane::Map => self.map += by,
            Pane::Cascade if two => self.upper += by,
            Pane::Cascade => self.cascade += by,
            Pane::Watches if two => self.upper -= by,
            Pane::Watches => self.cascade -= by,
            Pane::Why => self.drawer += by,
            // The log has the rows that the map leaves.
            Pane::Log => self.map += by,
        }
        self.settle(area);
    }

    /// What lies beyond the bounds is not kept, so that the way back begins at once.
    fn settle(&mut self, area: Rect) {
        let first = Self { map_first: self.map_first, drawer_asks: self.drawer_asks, ..Self::default() };
        let drawer = self.drawer(area);
        self.drawer = drawer as i16 - first.drawer(area) as i16;
        let top = area.height.saturating_sub(5 + drawer);
        self.upper = self.upper(top) as i16 - first.upper(top) as i16;
        if layout(area.width, area.height) == Layout::Two {
            self.map = self.left(area, area.width / 2) as i16 - (area.width / 2) as i16;
        } else {
            let (map, cascade) = self.thirds(area.width);
            self.map = map as i16 - first.thirds(area.width).0 as i16;
            self.cascade = cascade as i16 - Self { cascade: 0, ..*self }.thirds(area.width).1 as i16;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_pane_stays_readable_wherever_a_border_is_dragged() {
        for (w, h) in [(100, 28), (131, 30), (132, 40), (160, 47), (400, 120)] {
            let area = Rect::new(0, 0, w, h);
            let mut s = Sizes::default();
            for border in [Border::Map, Border::Cascade, Border::Drawer] {
                for to in [(0, 0), (w, h), (w / 3, h / 3), (w / 2, h - 2)] {
                    s.drag(border, to, area);
                    let (map, cascade) = s.thirds(w);
                    assert!(map >= COLUMNS && cascade >= COLUMNS && map + cascade + COLUMNS <= w.max(3 * COLUMNS));
                    assert!(s.drawer(area) >= ROWS && s.drawer(area) + 5 + 2 * ROWS <= h);
                }
            }
        }
    }

    #[test]
    fn a_border_goes_where_it_is_dragged_and_back_by_the_keys() {
        let area = Rect::new(0, 0, 160, 47);
        let mut s = Sizes::default();
        s.drag(Border::Map, (60, 20), area);
        assert_eq!(s.thirds(160), (60, 58));
        s.drag(Border::Cascade, (100, 20), area);
        assert_eq!(s.thirds(160), (60, 40));
        s.drag(Border::Drawer, (50, 30), area);
        assert_eq!(s.drawer(area), 16);
        s.grow(Pane::Why, -2, area);
        s.grow(Pane::Map, 4, area);
        assert_eq!((s.drawer(area), s.thirds(160).0), (14, 64));
    }
}
