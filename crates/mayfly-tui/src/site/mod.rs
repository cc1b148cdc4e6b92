//! The map as it was laid, and changing it: a cell cursor, everything that lies on or notices that cell, laying by hand.
//!
//! What lies there is told by [`mayfly_session::laid`]; what the tools do is in [`tools`], what the commands do in
//! [`commands`], [`moving`] and [`ground`], the list in [`list`], what is seen in [`draw`].
//!
//! Invariant: every change is an edit of the text, tried before it is made: one that brings an error is refused with it.

mod commands;
mod draw;
mod ground;
mod list;
mod moving;
mod tools;

pub use draw::draw;

use crate::app::App;
use crate::app::Entered;
use crate::app::How;
use crate::app::Moved;
use crate::app::SiteLayer;
use crate::app::SiteRow;
use crate::app::Tool;
use crate::command::Command;
use crate::flight::map::view::{SCALES, View};
use crate::refused::Refused;
use crate::workspace::Workspace;
use mayfly_base::*;
use mayfly_lang::analysis::{Analysis, SymbolId, SymbolKind};
use mayfly_lang::edit::facts::FileChange;
use mayfly_session::documents::Group;
use mayfly_session::laid::facts::{Item, items, symbol, symbol_of};
use mayfly_session::laid::{Laid, LaidZone};
use ratatui::layout::Rect;
use std::sync::Arc;

/// The sign that lays nothing.
const NOTHING: char = ' ';

impl App {
    /// What the text lays.
    pub(crate) fn laid(&mut self) -> (Arc<Analysis>, Arc<Laid>) {
        let a = self.work.analysis();
        let version = self.work.docs.version();
        if let Some((v, a, l)) = self.site.laid.as_ref().filter(|(v, _, _)| *v == version) {
            let _ = v;
            return (a.clone(), l.clone());
        }
        let laid = Arc::new(Laid::of(a.draft()));
        self.site.laid = Some((version, a.clone(), laid.clone()));
        self.refresh_site_rows();
        (a, laid)
    }

    /// As it was found last: before a frame it is up to date.
    pub(crate) fn laid_now(&self) -> Option<(&Analysis, &Laid)> {
        self.site.laid.as_ref().map(|(_, a, l)| (&**a, &**l))
    }

    /// Before a frame: what the text lays is known, and the cursor stands on the map.
    pub(crate) fn prepare_site(&mut self) {
        let (a, _) = self.laid();
        let names = matches!(&self.site.tool, Tool::Size { .. } | Tool::Move { what: Moved::Item(_), .. });
        if names {
            self.still_stands();
        }
        let level = a.draft();
        if self.site.area.index() >= level.areas.len() {
            self.site.area = AreaId::MAIN;
        }
        if std::mem::take(&mut self.site.is_new) {
            self.begin_on_site();
        }
        let (w, h) = self.site_size();
        let (x, y) = self.site.cursor;
        self.site.cursor = (x.clamp(0, w - 1), y.clamp(0, h - 1));
        self.refresh_site_rows();
        self.site.at = self.site.at.min(self.site_rows().len().saturating_sub(1));
        let wants = matches!(self.site.layer, SiteLayer::Heat | SiteLayer::Never);
        let key = (self.site.area, self.session.moment.tick);
        if wants && self.site.entered.as_ref().is_none_or(|(k, _)| *k != key) {
            let there = self.session.engine.program.maps.len() > self.site.area.index();
            let found = if there { self.session.entered_cells(self.site.area, None) } else { Entered::new() };
            self.site.entered = Some((key, found));
        }
    }

    /// The cursor begins at whoever is steered, else in the middle of the map.
    fn begin_on_site(&mut self) {
        let (a, laid) = self.laid();
        let steered = laid.actors.iter().find(|x| a.draft().kinds[x.kind.index()].steered);
        let (w, h) = self.site_size();
        let (area, cell) = steered.map_or((AreaId::MAIN, (w / 2, h / 2)), |x| (x.at.area, x.at.cell()));
        (self.site.area, self.site.cursor) = (area, cell);
    }

    /// Cells of the area that is shown.
    pub(crate) fn site_size(&self) -> (i64, i64) {
        let Some((a, laid)) = self.laid_now() else { return (1, 1) };
        let Some(map) = a.draft().areas.get(self.site.area.index()) else { return (1, 1) };
        if map.width > 0 {
            return (map.width as i64, map.height as i64);
        }
        // Without a map, as far as anything lies.
        let far = laid.actors.iter().map(|a| a.at.cell()).fold((19, 9), |m, c| (m.0.max(c.0), m.1.max(c.1)));
        (far.0 + 1, far.1 + 1)
    }

    /// Where the map lies in the view, and the list.
    pub(crate) fn site_places(&self) -> (Rect, Rect) {
        draw::places(Rect { x: 0, y: 0, width: self.size.0, height: self.size.1 })
    }

    /// The part of the map that is shown, and how large.
    pub(crate) fn site_view(&self) -> View {
        let (room, _) = self.site_places();
        let (width, height) = self.site_size();
        let fits = |(c, r): (u16, u16)| {
            width * i64::from(c) <= i64::from(room.width) && height * i64::from(r) <= i64::from(room.height)
        };
        let fitting = SCALES.iter().rposition(|s| fits(*s)).unwrap_or(0);
        let (columns, rows) = SCALES[self.site.scale.unwrap_or(fitting).min(SCALES.len() - 1)];
        let across = width.min(i64::from(room.width / columns)).max(1);
        let down = height.min(i64::from(room.height / rows)).max(1);
        let middle = self.site.middle.unwrap_or(self.site.cursor);
        let scroll = |at: i64, shown: i64, all: i64| (at - shown / 2).clamp(0, (all - shown).max(0));
        let shown = ((across * i64::from(columns)) as u16, (down * i64::from(rows)) as u16);
        View {
            area: self.site.area,
            clip: Rect {
                x: room.x + room.width.saturating_sub(shown.0) / 2,
                y: room.y + room.height.saturating_sub(shown.1) / 2,
                width: shown.0.min(room.width),
                height: shown.1.min(room.height),
            },
            left: scroll(middle.0, across, width),
            top: scroll(middle.1, down, height),
            width,
            height,
            columns: columns.into(),
            rows: rows.into(),
        }
    }

    /// Moves the cell cursor; the map goes along where it would leave the view.
    pub(crate) fn move_on_site(&mut self, dx: i64, dy: i64) {
        let by = i64::from(self.site.count.take().unwrap_or(1));
        let (x, y) = self.site.cursor;
        self.point_on_site((x.saturating_add(dx * by), y.saturating_add(dy * by)));
    }

    /// Puts the cell cursor somewhere, once what is laid was read.
    pub fn show_cell(&mut self, cell: (i64, i64)) {
        self.laid();
        self.point_on_site(cell);
    }

    /// Puts the cell cursor somewhere.
    pub(crate) fn point_on_site(&mut self, to: (i64, i64)) {
        let view = self.site_view();
        let (w, h) = view.shown();
        let (x, y) = (to.0.clamp(0, view.width - 1), to.1.clamp(0, view.height - 1));
        if !view.is_whole() {
            let keep = |to: i64, from: i64, shown: i64, middle: i64| {
                if to < from { middle - (from - to) } else { middle + (to - (from + shown - 1)).max(0) }
            };
            self.site.middle = Some((keep(x, view.left, w, view.left + w / 2), keep(y, view.top, h, view.top + h / 2)));
        }
        if (x, y) != self.site.cursor {
            self.site.at = 0;
        }
        self.site.is_new = false;
        self.site.cursor = (x, y);
        self.refresh_site_rows();
        self.tool_moved();
    }

    /// False, and said, where the text changed since a tool, a line or a list was begun.
    pub(crate) fn still_stands(&mut self) -> bool {
        let stands = self.site.of_version == self.work.docs.version();
        if !stands {
            self.site.tool = Tool::None;
            self.site.ask = None;
            self.say_error("the text changed since: begin again");
        }
        stands
    }

    /// A command, a line or a choice is over: what it begun is of the texts as they are now.
    pub(crate) fn begun_on_site(&mut self, before: u64) {
        let now = self.work.docs.version();
        let names = matches!(&self.site.tool, Tool::Size { .. } | Tool::Move { what: Moved::Item(_), .. });
        // What a command changed is not what a tool was begun with, unless it began the tool.
        if before != now && names && self.site.of_version == before {
            self.site.tool = Tool::None;
        }
        self.site.of_version = now;
    }

    /// Everything on the cell under the cursor, and who could notice it.
    pub(crate) fn site_items(&self) -> Vec<Item> {
        let Some((a, laid)) = self.laid_now() else { return vec![] };
        items(a.draft(), laid, self.site.area, self.site.cursor)
    }

    /// The item that is chosen in the list: that of the chosen row, else the first.
    pub(crate) fn site_item(&self) -> Option<Item> {
        let rows = self.site_rows();
        rows.get(self.site.at).or(rows.first()).map(|r| r.item.clone())
    }

    /// What is chosen, as the text declares it.
    pub(crate) fn symbol_of_site(&self) -> Option<SymbolId> {
        let (a, laid) = self.laid_now()?;
        let item = self.site_item()?;
        symbol_of(a, laid, &item, self.site.area, self.site.cursor)
    }

    /// Where what is chosen stands in the texts: an actor where it is placed.
    pub(crate) fn place_of_site(&mut self) -> Option<(usize, usize)> {
        let (a, laid) = self.laid();
        if let Some(Item::Actor(n)) = self.site_item() {
            let name = &laid.actors.get(n)?.name;
            let span = a.draft().actors.iter().find(|x| x.name == *name)?.span;
            return Some((self.work.file_of(&a, span.file)?, span.start as usize));
        }
        let id = self.symbol_of_site()?;
        self.place_of(id)
    }

    /// The cursor goes to the actor of that name; false where none was laid.
    pub(crate) fn show_actor_on_site(&mut self, name: &str) -> bool {
        let (_, laid) = self.laid();
        let Some((i, actor)) = laid.actors.iter().enumerate().find(|(_, x)| x.name == name) else { return false };
        let (area, cell) = (actor.at.area, actor.at.cell());
        self.cursor_to(area, cell);
        let rows = self.site_rows();
        self.site.at = rows.iter().position(|r| r.item == mayfly_session::laid::facts::Item::Actor(i)).unwrap_or(0);
        true
    }

    fn cursor_to(&mut self, area: AreaId, cell: (i64, i64)) {
        if area != self.site.area {
            (self.site.area, self.site.middle) = (area, None);
        }
        self.site.cursor = cell;
        self.point_on_site(cell);
    }

    /// The cursor goes to what a symbol lays; false where it lays nothing.
    pub(crate) fn show_on_site(&mut self, id: Option<SymbolId>) -> bool {
        let (a, laid) = self.laid();
        let Some(id) = id else { return false };
        let level = a.draft();
        let s = a.symbols.get(id);
        let kind = |k: KindId| level.kinds[k.index()].name == s.name;
        let (area, cell): (AreaId, (i64, i64)) = match s.kind {
            SymbolKind::Actor | SymbolKind::Kind => {
                let is = |x: &&mayfly_session::laid::LaidActor| {
                    if s.kind == SymbolKind::Actor { x.name == s.name } else { kind(x.kind) }
                };
                let Some(actor) = laid.actors.iter().find(is) else { return false };
                (actor.at.area, actor.at.cell())
            }
            SymbolKind::Zone => {
                let is = |z: &&LaidZone| {
                    let zone = &level.zones[z.0.index()];
                    symbol(&a, SymbolKind::Zone, zone.of.map(|k| level.kinds[k.index()].name.as_str()), &zone.name)
                        == Some(id)
                };
                let Some(z) = laid.zones.iter().find(is) else { return false };
                let cells = mayfly_engine::space::cells_within(&level.zones[z.0.index()].shape, laid.origin(*z), None);
                let Some(cell) = cells.get(cells.len() / 2) else { return false };
                (laid.area(level, *z), *cell)
            }
            SymbolKind::Path => {
                let Some(p) = level.paths.iter().find(|p| p.name == s.name).and_then(|p| p.points.first()) else {
                    return false;
                };
                (p.area, p.cell())
            }
            SymbolKind::Area => {
                let Some(i) = level.areas.iter().position(|x| x.name == s.name) else { return false };
                (AreaId::at(i), (0, 0))
            }
            _ => return false,
        };
        self.cursor_to(area, cell);
        // The row of what was chosen.
        let rows = self.site_rows();
        let of = |r: &SiteRow| symbol_of(&a, &laid, &r.item, area, cell) == Some(id);
        self.site.at = rows.iter().position(of).unwrap_or(0);
        true
    }

    /// Makes changes of what is known, where the text still loads as it did; false where they are refused.
    pub(crate) fn lay(&mut self, changes: Vec<FileChange>, label: &str, group: Group) -> bool {
        let done = self.try_lay(changes, label, group);
        done.map_err(|why| self.say_error(why.to_string())).is_ok()
    }

    /// As [`App::lay`].
    ///
    /// # Errors
    /// Why they are refused.
    pub(crate) fn try_lay(&mut self, changes: Vec<FileChange>, label: &str, group: Group) -> Result<(), Refused> {
        let a = self.work.analysis();
        let mapped = self.work.mapped(&a, changes);
        if mapped.iter().all(|(_, c)| c.is_empty()) {
            return Ok(());
        }
        let tried = self.work.tried(&mapped)?;
        if let Some(why) = Workspace::new_error(&a, &tried.analysis) {
            return Err(Refused::Brings(Box::new(why.clone())));
        }
        self.change_texts(&mapped, label, group)?;
        let version = self.work.docs.version();
        self.work.take(tried, version);
        // A change by hand is whole: it is run again at once.
        self.work.changed_at = None;
        self.laid();
        self.refresh_site_rows();
        Ok(())
    }

    /// An arrow: in the list to another row, else over the map; the larger step goes ten cells.
    pub(crate) fn arrow_on_site(&mut self, command: Command) {
        use Command as C;
        let (dx, dy) = match command {
            C::Left => (-1, 0),
            C::Right => (1, 0),
            C::Up => (0, -1),
            C::Down => (0, 1),
            C::FarLeft => (-10, 0),
            C::FarRight => (10, 0),
            C::PageUp => (0, -10),
            _ => (0, 10),
        };
        if self.site.in_list && dx == 0 {
            return self.move_in_site_list(dy);
        }
        self.site.in_list = false;
        self.move_on_site(dx, dy);
    }

    /// Whether the cells can be drawn larger, or smaller.
    pub(crate) fn site_scales(&self, larger: bool) -> Option<usize> {
        let view = self.site_view();
        let now = SCALES.iter().position(|(c, _)| i32::from(*c) == view.columns)?;
        if larger { Some(now + 1).filter(|n| *n < SCALES.len()) } else { now.checked_sub(1) }
    }

    /// Another area, layer or size of the cells.
    pub(crate) fn look_on_site(&mut self, command: Command) {
        match command {
            Command::Layer => self.next_site_layer(),
            Command::NextArea => {
                let (a, _) = self.laid();
                let n = a.draft().areas.len().max(1);
                self.site.area = AreaId::at((self.site.area.index() + 1) % n);
                (self.site.middle, self.site.at, self.site.mark) = (None, 0, None);
                self.point_on_site(self.site.cursor);
            }
            _ => {
                if let Some(to) = self.site_scales(command == Command::ZoomIn) {
                    self.site.scale = Some(to);
                    self.site.middle = Some(self.site.cursor);
                }
            }
        }
    }

    /// The mouse presses a cell, or comes to it while pressed.
    pub(crate) fn drag_on_site(&mut self, cell: (i64, i64), presses: bool) {
        self.site.in_list = false;
        if presses {
            self.point_on_site(cell);
            if let Tool::Paint { how: How::Brush, down: false, .. } = &self.site.tool {
                self.press_tool();
            }
            return;
        }
        if self.site.tool == Tool::None && cell != self.site.cursor {
            // What lies under the mouse goes along with it; where nothing does, a part of the map is marked.
            let begun = self.site_item();
            match begun {
                Some(Item::Tile | Item::Notices(_)) | None => self.site.tool = Tool::Mark { from: self.site.cursor },
                _ => self.begin_move(),
            }
        }
        self.point_on_site(cell);
    }

    /// The mouse lets go: what it moved or marked is done; true where anything was.
    pub(crate) fn drop_on_site(&mut self) -> bool {
        match &self.site.tool {
            Tool::Move { .. } | Tool::Mark { .. } => self.finish_tool(),
            Tool::Paint { down: true, .. } => self.press_tool(),
            _ => return false,
        }
        true
    }
}
