//! Moving, sizing, copying and deleting what lies on the map, one thing or a marked part of it.
//!
//! Invariant: as in [`super::commands`]; what refers to a thing is shown before the thing goes.

use super::NOTHING;
use super::commands::refused;
use super::tools::rectangle;
use crate::app::App;
use crate::app::Ask;
use crate::app::Cell;
use crate::app::Choice;
use crate::app::Deletion;
use crate::app::Entry;
use crate::app::Moved;
use crate::app::Overlay;
use crate::app::Put;
use crate::app::SiteChoice;
use crate::app::Tool;
use crate::refused::Refused;
use mayfly_base::*;
use mayfly_lang::analysis::{SymbolId, SymbolKind};
use mayfly_lang::edit::facts::{self, FileChange};
use mayfly_lang::edit::{EditError, laying};
use mayfly_session::documents::Group;
use mayfly_session::laid::facts::{Item, symbol_of};
use mayfly_session::laid::tile;

impl App {
    pub(super) fn begin_moving(&mut self, what: Moved) {
        self.site.of_version = self.work.docs.version();
        self.site.tool = Tool::Move { from: self.site.cursor, what };
        self.site.in_list = false;
    }

    pub(super) fn copy_symbol(&mut self, id: SymbolId, name: &str, rules: bool) -> Result<(), Refused> {
        let (a, _) = self.laid();
        let kind = a.symbols.get(id).kind;
        let old = a.symbols.get(id).name.clone();
        let changes = facts::copy(&a, id, name, rules)?;
        self.lay_or_say(changes, &format!("copying {old}"))?;
        self.begin_move_of(kind, name);
        Ok(())
    }

    /// What was copied is moved next.
    pub(super) fn begin_move_of(&mut self, kind: SymbolKind, name: &str) {
        self.show_named(kind, name);
        let (a, laid) = self.laid();
        let (area, cell) = (self.site.area, self.site.cursor);
        let is = |i: &Item| {
            symbol_of(&a, &laid, i, area, cell)
                .is_some_and(|id| a.symbols.get(id).name == name && a.symbols.get(id).kind == kind)
        };
        if let Some(item) = self.site_items().into_iter().find(is) {
            self.begin_moving(Moved::Item(item));
            self.say(format!("{name} is there: arrows move it, Enter leaves it, Esc leaves it where the first is"));
        }
    }

    /// Asks what of the marked part is meant: what stands there, its ground, or both.
    fn ask_what_of_the_mark(&mut self, title: &'static str, choice: fn(bool, bool) -> SiteChoice) {
        let all = [
            ("what stands there", choice(true, false)),
            ("with the ground", choice(true, true)),
            ("the ground alone", choice(false, true)),
        ];
        self.overlays.push(Overlay::choices(title, all.map(|(t, c)| (t.to_string(), Choice::Site(c)))));
    }

    /// Begins to move what is chosen, or what is marked.
    pub(crate) fn begin_move(&mut self) {
        if self.site.mark.is_some() {
            return self.ask_what_of_the_mark("Move", SiteChoice::MoveMarked);
        }
        match self.site_item() {
            Some(item @ (Item::Zone((_, None)) | Item::Actor(_) | Item::Point(..))) => {
                self.begin_moving(Moved::Item(item))
            }
            Some(Item::Zone((_, Some(_)))) => {
                self.say("this zone goes with its actor: move that, or change the shape in its kind")
            }
            _ => self.say("nothing is chosen here that could be moved: an actor, a zone, a point of a path"),
        }
    }

    pub(super) fn move_done(&mut self, from: Cell, what: &Moved) {
        let to = self.site.cursor;
        let by = (to.0 - from.0, to.1 - from.1);
        let (a, laid) = self.laid();
        let done = match what {
            Moved::Item(item) => {
                let id = symbol_of(&a, &laid, item, self.site.area, from);
                let changes = self.moved_item(item, id, by);
                let name = mayfly_session::laid::facts::heading(a.draft(), &laid, item, self.site.area, from).0;
                self.lay_result(changes, &format!("moving {name}"))
            }
            Moved::Marked { things, ground, copies } => self.move_marked(by, *things, *ground, *copies),
        };
        if done {
            self.site.tool = Tool::None;
        }
    }

    fn moved_item(&self, item: &Item, id: Option<SymbolId>, by: (i64, i64)) -> Result<Vec<FileChange>, EditError> {
        let Some((a, laid)) = self.laid_now() else { return Ok(vec![]) };
        let level = a.draft();
        let one = match item {
            Item::Zone((_, None)) => facts::move_zone(a, id.ok_or_else(|| refused("this zone is not declared"))?, by)?,
            Item::Actor(n) => {
                let actor = &laid.actors[*n];
                facts::set_place(a, &actor.name, actor.at.x + by.0 as f64, actor.at.y + by.1 as f64)?
            }
            Item::Point(p, n) => {
                let q = level.paths[p.index()]
                    .points
                    .get(*n)
                    .copied()
                    .ok_or_else(|| refused("this path has no such point"))?;
                let id = id.ok_or_else(|| refused("this path is not declared"))?;
                laying::set_point(a, id, *n, (q.x + by.0 as f64, q.y + by.1 as f64))?
            }
            _ => return Err(refused("this cannot be moved")),
        };
        Ok(vec![one])
    }

    /// The items that lie in the marked cells: zones whole, others with their cell.
    fn marked_items(&self) -> Vec<(Item, Option<SymbolId>)> {
        let (Some((a, laid)), Some((from, to))) = (self.laid_now(), self.site.mark) else { return vec![] };
        let ((x, y), w, h) = rectangle(from, to);
        let level = a.draft();
        let area = self.site.area;
        let inside = |c: Cell| (x..x + w).contains(&c.0) && (y..y + h).contains(&c.1);
        let mut items: Vec<Item> = vec![];
        items.extend(
            (0..laid.actors.len())
                .filter(|n| {
                    let actor = &laid.actors[*n];
                    actor.at.area == area && inside(actor.at.cell())
                })
                .map(Item::Actor),
        );
        for z in laid.zones.iter().filter(|z| z.1.is_none() && laid.area(level, **z) == area) {
            let shape = &level.zones[z.0.index()].shape;
            if let Some((x0, y0, x1, y1)) = mayfly_engine::space::bounds(shape)
                && inside((x0, y0))
                && inside((x1, y1))
                && !shape.follows_tiles()
            {
                items.push(Item::Zone(*z));
            }
        }
        for (i, p) in level.paths.iter().enumerate() {
            let here = p.points.iter().enumerate().filter(|(_, q)| q.area == area && inside(q.cell()));
            items.extend(here.map(|(n, _)| Item::Point(PathId::at(i), n)));
        }
        items
            .into_iter()
            .map(|i| {
                let id = symbol_of(a, laid, &i, area, from);
                (i, id)
            })
            .collect()
    }

    fn move_marked(&mut self, by: (i64, i64), things: bool, ground: bool, copies: bool) -> bool {
        let Some((from, to)) = self.site.mark else { return true };
        let changes = self.marked_changes(by, things, ground, copies);
        let label = if copies { "copying a part of the map" } else { "moving a part of the map" };
        let done = self.lay_result(changes, label);
        if done {
            let moved = |c: Cell| (c.0 + by.0, c.1 + by.1);
            self.site.mark = Some((moved(from), moved(to)));
        }
        done
    }

    fn marked_changes(
        &self,
        by: (i64, i64),
        things: bool,
        ground: bool,
        copies: bool,
    ) -> Result<Vec<FileChange>, EditError> {
        let (Some((a, laid)), Some((from, to))) = (self.laid_now(), self.site.mark) else { return Ok(vec![]) };
        let mut all: Vec<FileChange> = vec![];
        if things && copies {
            let mut taken: Vec<String> = vec![];
            for (item, id) in self.marked_items() {
                let free = |stem: &str, taken: &[String]| {
                    (2..).map(|n| format!("{stem}_{n}")).find(|n| !taken.contains(n) && laying::free_name(a, n) == *n)
                };
                match (&item, id) {
                    (Item::Actor(n), _) => {
                        let actor = &laid.actors[*n];
                        let name = free(&actor.name.replace('#', "_"), &taken).unwrap_or_default();
                        let to = (actor.at.x + by.0 as f64, actor.at.y + by.1 as f64);
                        all.push(laying::copy_actor(a, &actor.name, &name, to)?);
                        taken.push(name);
                    }
                    (Item::Zone((z, _)), Some(id)) => {
                        let zone = &a.draft().zones[z.index()];
                        let name = free(&zone.name, &taken).unwrap_or_default();
                        all.push(laying::copy_zone(a, id, &name, by)?);
                        taken.push(name);
                    }
                    _ => {}
                }
            }
        } else if things {
            for (item, id) in self.marked_items() {
                all.extend(self.moved_item(&item, id, by)?);
            }
        }
        if ground {
            let level = a.draft();
            let ((x, y), w, h) = rectangle(from, to);
            let sign = |c: Cell| tile(level, self.site.area, c).map_or(NOTHING, |t| level.tiles[t.index()].sign);
            let cells = || (y..y + h).flat_map(move |y| (x..x + w).map(move |x| (x, y)));
            let mut put: Vec<(Cell, char)> = vec![];
            if !copies {
                let left = self.ground_round((x, y), w, h);
                put.extend(cells().map(|c| (c, left)));
            }
            put.extend(cells().map(|c| ((c.0 + by.0, c.1 + by.1), sign(c))));
            all.push(self.painted(&put)?);
        }
        laying::together(all)
    }

    /// Begins to give the chosen zone another size.
    pub(crate) fn begin_size(&mut self) {
        self.site.of_version = self.work.docs.version();
        let (a, _) = self.laid();
        let Some(Item::Zone((z, None))) = self.site_item() else {
            return self.say("no zone of the level is chosen here");
        };
        let Some(id) = self.symbol_of_site() else { return };
        match a.draft().zones[z.index()].shape {
            code::Shape::Rect { x, y, w, h } => {
                self.site.tool = Tool::Size { zone: id, from: (x, y), round: false };
                self.point_on_site((x + w - 1, y + h - 1));
            }
            code::Shape::Disc { x, y, r } => {
                let middle = (x.round() as i64, y.round() as i64);
                self.site.tool = Tool::Size { zone: id, from: middle, round: true };
                self.point_on_site((middle.0 + r.round() as i64, middle.1));
            }
            _ => {
                self.say("a zone of several shapes, of cells or corners is changed by its shape in the list");
                return;
            }
        }
        self.site.in_list = false;
    }

    pub(super) fn size_done(&mut self, zone: SymbolId, from: Cell, round: bool) {
        let (a, _) = self.laid();
        let at = self.site.cursor;
        let name = a.symbols.get(zone).name.clone();
        let changes = if round {
            let r = super::tools::radius(from, at).max(0.5);
            facts::resize_zone(&a, zone, (r, r)).map(|c| vec![c])
        } else {
            let (corner, w, h) = rectangle(from, at);
            let sized = facts::resize_zone(&a, zone, (w as f64, h as f64));
            let moved = (corner != from).then(|| facts::move_zone(&a, zone, (corner.0 - from.0, corner.1 - from.1)));
            sized.and_then(|s| match moved {
                Some(m) => laying::together([s, m?]),
                None => Ok(vec![s]),
            })
        };
        if self.lay_result(changes, &format!("sizing {name}")) {
            self.site.tool = Tool::None;
        }
    }

    /// Puts one more down.
    pub(super) fn put_down(&mut self, what: &Put) {
        let (a, _) = self.laid();
        let at = self.site.cursor;
        let text = self.point_text(at);
        let (changes, name) = match what {
            Put::Kind(kind) => (laying::place_one(&a, kind, &text).map(|c| vec![c]), kind.clone()),
            Put::Like(who) => {
                (laying::copy_actor(&a, who, "", (at.0 as f64, at.1 as f64)).map(|c| vec![c]), who.clone())
            }
        };
        if self.lay_result(changes, &format!("placing {name}")) {
            self.say(format!("one more is placed at ({}, {})", at.0, at.1));
        }
    }

    /// Copies what is chosen or marked.
    pub(crate) fn copy_on_site(&mut self) {
        if self.site.mark.is_some() {
            return self.ask_what_of_the_mark("Copy", SiteChoice::CopyMarked);
        }
        let (a, laid) = self.laid();
        match self.site_item() {
            Some(Item::Zone((_, None)) | Item::Point(..)) => {
                let Some(id) = self.symbol_of_site() else { return };
                let name = laying::free_name(&a, &a.symbols.get(id).name);
                self.ask_on_site(Ask::Copy(id), name);
            }
            Some(Item::Actor(n)) => {
                let name = laid.actors[n].name.clone();
                if name.contains('#') {
                    self.site.tool = Tool::Put { what: Put::Like(name) };
                    self.site.in_list = false;
                } else {
                    let free = laying::free_name(&a, &name);
                    self.ask_on_site(Ask::CopyActor(name), free);
                }
            }
            _ => self.say("nothing is chosen here that could be copied"),
        }
    }

    /// Shows what refers to what is chosen, and how it can be deleted.
    pub(crate) fn delete_on_site(&mut self) {
        self.site.of_version = self.work.docs.version();
        let (a, laid) = self.laid();
        if self.site.mark.is_some() {
            let n = self.marked_items().iter().filter(|(i, _)| !matches!(i, Item::Point(..))).count();
            let all = [(format!("the {n} things that lie there"), Choice::Site(SiteChoice::Delete(Deletion::Marked)))];
            return self.overlays.push(Overlay::choices("Delete", all));
        }
        let Some(item) = self.site_item() else { return };
        let id = self.symbol_of_site();
        let mut entries: Vec<Entry> = vec![];
        let entry = |text: String, note: String, what: Deletion| Entry {
            text,
            note,
            choice: Choice::Site(SiteChoice::Delete(what)),
        };
        match (&item, id) {
            (Item::Actor(n), _) => {
                let name = laid.actors[*n].name.clone();
                entries.push(entry(format!("delete {name}"), String::new(), Deletion::Actor(name)));
            }
            (Item::Point(_, n), Some(id)) => {
                entries.push(entry(format!("delete point {n}"), String::new(), Deletion::Point(id, *n)));
            }
            (Item::Tile, _) => return self.say("a tile is painted over: l lays tiles"),
            (Item::Notices(_), _) => return self.say("choose it where it stands"),
            _ => {}
        }
        // Of an unnamed actor its kind can go as a whole.
        let Some(id) = id else {
            return self.overlays.push(Overlay::places("Delete", entries));
        };
        let s = a.symbols.get(id);
        let refers = facts::referring(&a, id);
        let (name, word) = (s.name.clone(), s.kind.word());
        if !matches!(item, Item::Actor(_)) || s.kind == SymbolKind::Actor {
            entries.clear();
            let note = match refers.len() {
                0 => "nothing refers to it".to_string(),
                n => format!("{n} place{} will be wrong until mended", if n == 1 { "" } else { "s" }),
            };
            if let Item::Point(_, n) = &item {
                entries.push(entry(format!("delete point {n} of {name}"), String::new(), Deletion::Point(id, *n)));
            }
            entries.push(entry(format!("delete {word} {name}"), note, Deletion::Symbol(id)));
        }
        if !refers.is_empty() {
            let what = format!("delete {word} {name} with all that needs it");
            entries.push(entry(what, "its places, and the rules that name it".into(), Deletion::All(id)));
        }
        for span in refers.iter().take(200) {
            if let Some(file) = self.work.file_of(&a, span.file) {
                let mut e = self.place_entry(file, span.start as usize, "refers to it");
                e.text = format!("  {}", e.text);
                entries.push(e);
            }
        }
        self.overlays.push(Overlay::places("Delete", entries));
    }

    pub(super) fn do_delete(&mut self, what: &Deletion) {
        let (a, laid) = self.laid();
        let name = |id: &SymbolId| a.symbols.get(*id).name.clone();
        let (changes, label) = match what {
            Deletion::Symbol(id) => (facts::remove(&a, *id).map(|c| vec![c]), format!("deleting {}", name(id))),
            Deletion::All(id) => (laying::remove_all(&a, *id), format!("deleting {} and what needs it", name(id))),
            Deletion::Actor(who) => (laying::remove_actors(&a, &[who.as_str()]), format!("deleting {who}")),
            Deletion::Point(id, n) => {
                (laying::remove_point(&a, *id, *n).map(|c| vec![c]), format!("deleting a point of {}", name(id)))
            }
            Deletion::Marked => {
                let items = self.marked_items();
                let actors: Vec<&str> = items
                    .iter()
                    .filter_map(|(i, _)| match i {
                        Item::Actor(n) => Some(laid.actors[*n].name.as_str()),
                        _ => None,
                    })
                    .collect();
                let zones = items.iter().filter(|(i, _)| matches!(i, Item::Zone(_))).filter_map(|(_, id)| *id);
                let zones: Result<Vec<FileChange>, EditError> = zones.map(|id| facts::remove(&a, id)).collect();
                let all = laying::remove_actors(&a, &actors).and_then(|mut all| {
                    all.extend(zones?);
                    laying::together(laying::apart(all))
                });
                (all, "deleting what is marked".to_string())
            }
        };
        let changes = match changes {
            Ok(c) => self.work.mapped(&a, c),
            Err(e) => return self.say_error(e.to_string()),
        };
        // What breaks by it was shown: the text may have errors now.
        match self.change_texts(&changes, &label, Group::Alone) {
            Ok(_) => {
                self.work.changed_at = None;
                self.laid();
                let n = self.work.errors();
                let wrong = match n {
                    0 => String::new(),
                    1 => "; 1 error is left in the text: 2 shows it".into(),
                    n => format!("; {n} errors are left in the text: 2 shows them"),
                };
                self.say(format!("done: {label}; Ctrl+Z brings it back{wrong}"));
            }
            Err(e) => self.say_error(e.to_string()),
        }
    }
}
