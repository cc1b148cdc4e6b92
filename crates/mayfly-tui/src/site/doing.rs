//! What the commands of the map do: adding, moving, copying, deleting, painting, another size, a first rule.
//!
//! Invariant: each is one entry of the history; what would leave the text with a new error is refused with that error, but for
//! a deletion whose consequences were shown.

use super::tools::{Cell, How, Moved, Put, Tool, rectangle};
use crate::app::App;
use crate::overlay::{Choice, Entry, Overlay};
use crate::view::View;
use mayfly_base::*;
use mayfly_lang::analysis::{SymbolId, SymbolKind};
use mayfly_lang::edit::facts::{self, FileChange};
use mayfly_lang::edit::maps::{MapText, Sides, resize};
use mayfly_lang::edit::{EditError, laying};
use mayfly_lang::services::complete::complete_text;
use mayfly_session::documents::Group;
use mayfly_session::laid::facts::{Edit, Item, change, head, symbol_of};
use mayfly_session::laid::tile;
use mayfly_session::propose::Offer;
use std::collections::BTreeSet;

/// What the line that is open asks.
#[derive(Clone, Debug, PartialEq)]
pub enum Ask {
    /// Another value for a fact; its label.
    Fact(String, Edit),
    /// The name of a zone with that shape.
    NewZone(String),
    /// The name of a path with these points.
    NewPath(String),
    NewArea,
    NewTile,
    NewKind,
    /// The name of a further actor of that kind, put where the cursor is.
    NewActor(String),
    /// The name of a copy; of a zone.
    Copy(SymbolId),
    /// The name of a copy of an actor.
    CopyActor(String),
    MapSize,
}

/// What a choice of a list does on the map.
#[derive(Clone, Debug, PartialEq)]
pub enum SiteChoice {
    AddRect,
    AddDisc,
    AddCells,
    AddPoly,
    AddActor,
    AddPath,
    AddArea,
    AddTile,
    AddKind,
    /// An actor of that kind.
    Put(String),
    /// A further actor of that kind with a name.
    PutNamed(String),
    /// A tile to paint with; or for the cell under the cursor alone.
    Paint(char, String),
    TileHere(char),
    Fact(Edit, String),
    /// A path with that name and these points.
    Path(String, String, &'static str),
    /// Copies of a symbol under that name, with the rules that name it.
    Copy(SymbolId, String, bool),
    Delete(Deletion),
    MoveMarked(bool, bool),
    CopyMarked(bool, bool),
    /// A colour and a kind's sign are chosen in the text.
    None,
}

/// What is deleted.
#[derive(Clone, Debug, PartialEq)]
pub enum Deletion {
    Symbol(SymbolId),
    /// With the declarations and rules that name it.
    All(SymbolId),
    Actor(String),
    Point(SymbolId, usize),
    Marked,
}

/// The sign that lays nothing.
const NOTHING: char = ' ';

fn refused(why: impl Into<String>) -> EditError {
    EditError::Refused { why: why.into() }
}

impl App {
    /// The area that is shown, as a declaration names it; nothing of the main map.
    fn in_area(&self) -> String {
        let name =
            self.laid_now().and_then(|(a, _)| a.draft().areas.get(self.site.area.index()).map(|x| x.name.clone()));
        match name {
            Some(n) if self.site.area != AreaId::MAIN => format!(" in {n}"),
            _ => String::new(),
        }
    }

    fn area_name(&self) -> String {
        let name =
            self.laid_now().and_then(|(a, _)| a.draft().areas.get(self.site.area.index()).map(|x| x.name.clone()));
        name.unwrap_or_else(|| "main".into())
    }

    /// What can be added.
    pub(crate) fn add_on_site(&mut self) {
        use SiteChoice as C;
        let all = [
            ("zone: a rectangle", C::AddRect),
            ("zone: a disc", C::AddDisc),
            ("zone: single cells", C::AddCells),
            ("zone: with corners", C::AddPoly),
            ("actor", C::AddActor),
            ("kind of actors", C::AddKind),
            ("path", C::AddPath),
            ("tile sort", C::AddTile),
            ("area", C::AddArea),
        ];
        let all = all.map(|(text, c)| (text.to_string(), Choice::Site(c)));
        self.overlays.push(Overlay::choices("Add", all));
    }

    /// Asks for a line; what it is for is kept until it is entered.
    pub(crate) fn ask_on_site(&mut self, ask: Ask, typed: String) {
        let (a, _) = self.laid();
        let free = |stem: &str| laying::free_name(&a, stem);
        let typed = match &ask {
            Ask::NewZone(_) if typed.is_empty() => free("zone_1"),
            Ask::NewPath(_) if typed.is_empty() => free("path_1"),
            Ask::NewArea if typed.is_empty() => format!("{} 20 x 10", free("area_1")),
            Ask::NewTile if typed.is_empty() => "'g' grass".into(),
            Ask::NewKind if typed.is_empty() => free("kind_1"),
            Ask::NewActor(k) if typed.is_empty() => free(&format!("the_{k}")),
            Ask::MapSize if typed.is_empty() => {
                let (w, h) = self.site_size();
                format!("{w} x {h}")
            }
            _ => typed,
        };
        self.site.ask = Some(ask.clone());
        self.overlays.push(Overlay::ask_site(&ask, typed));
    }

    /// What fits the word under way in the line that is open.
    pub(crate) fn site_offers(&mut self, typed: &str, at: usize) -> (Vec<Offer>, std::ops::Range<usize>) {
        let (a, _) = self.laid();
        let Some(Ask::Fact(_, edit)) = &self.site.ask else { return (vec![], at..at) };
        let Some(before) = head(&a, edit) else { return (vec![], at..at) };
        let (found, range) = complete_text(&a, 0, &format!("{before}{typed}"), before.len() + at);
        let offer = |p: mayfly_lang::services::complete::Proposal| Offer {
            text: p.text,
            note: p.kind.map_or("", SymbolKind::word).into(),
            about: p.about,
        };
        let all = found.into_iter().take(60).map(offer).collect();
        (all, range.start.saturating_sub(before.len())..range.end.saturating_sub(before.len()))
    }

    /// A line was entered.
    ///
    /// # Errors
    /// What is wrong with it, in words; the line stays.
    pub(crate) fn site_entered(&mut self, typed: &str) -> Result<(), String> {
        let Some(ask) = self.site.ask.clone() else { return Ok(()) };
        let (a, _) = self.laid();
        let words = |e: EditError| e.to_string();
        let area = self.in_area();
        match ask {
            Ask::Fact(label, edit) => {
                let changes = change(&a, &edit, typed).map_err(words)?;
                self.lay_or_say(changes, &format!("changing {label}"))?;
            }
            Ask::NewZone(shape) => {
                let change = facts::add(&a, &format!("zone {typed}{area} = {shape}")).map_err(words)?;
                self.lay_or_say(vec![change], &format!("adding zone {typed}"))?;
                self.site.tool = Tool::None;
                self.show_named(SymbolKind::Zone, typed);
                self.say(format!("zone {typed} is there: r writes a first rule for it"));
            }
            Ask::NewPath(points) => {
                let change = facts::add(&a, &format!("path {typed}{area} = {points} loop")).map_err(words)?;
                self.lay_or_say(vec![change], &format!("adding path {typed}"))?;
                self.site.tool = Tool::None;
                self.say(format!("path {typed} is there, as a loop: its end can be changed in the list"));
            }
            Ask::NewArea => self.new_area(typed)?,
            Ask::NewTile => {
                let change = laying::add_tile(&a, typed).map_err(words)?;
                self.lay_or_say(vec![change], "adding a tile sort")?;
                self.say("the tile sort is there: l lays it");
            }
            Ask::NewKind => {
                let letter = typed.chars().next().map_or('o', |c| c.to_uppercase().next().unwrap_or(c));
                let change = facts::add(&a, &format!("kind {typed} {{ look \"{letter}\" }}")).map_err(words)?;
                self.lay_or_say(vec![change], &format!("adding kind {typed}"))?;
                self.site.tool = Tool::Put { what: Put::Kind(typed.into()) };
                self.say(format!("kind {typed} is there: Enter puts one down, Esc leaves it"));
            }
            Ask::NewActor(kind) => {
                let at = self.point_text(self.site.cursor);
                let change = facts::add(&a, &format!("place {typed}: {kind} at {at}")).map_err(words)?;
                self.lay_or_say(vec![change], &format!("placing {typed}"))?;
                self.site.tool = Tool::None;
                self.say(format!("{typed} stands here"));
            }
            Ask::Copy(id) => {
                mayfly_lang::services::rename::is_name(typed).map_err(|e| format!("`{typed}` {e}"))?;
                if a.symbols.global(a.symbols.get(id).at.file, typed).is_some() {
                    return Err(format!("`{typed}` is taken"));
                }
                let rules = facts::rules_naming(&a, id).len();
                if rules == 0 {
                    return self.copy_symbol(id, typed, false);
                }
                let s = if rules == 1 { "" } else { "s" };
                let all = [
                    (format!("with the {rules} rule{s} that name{} it", if rules == 1 { "s" } else { "" }), true),
                    ("alone".to_string(), false),
                ]
                .map(|(text, with)| (text, Choice::Site(SiteChoice::Copy(id, typed.into(), with))));
                self.overlays.push(Overlay::choices("Copy", all));
            }
            Ask::CopyActor(who) => {
                let (x, y) = self.site.cursor;
                let change = laying::copy_actor(&a, &who, typed, (x as f64 + 1.0, y as f64)).map_err(words)?;
                self.lay_or_say(vec![change], &format!("copying {who}"))?;
                self.point_on_site((x + 1, y));
                self.begin_move_of(SymbolKind::Actor, typed);
            }
            Ask::MapSize => self.resize_map(typed)?,
        }
        self.site.ask = None;
        Ok(())
    }

    /// As [`App::lay`], with the refusal as an error.
    fn lay_or_say(&mut self, changes: Vec<FileChange>, label: &str) -> Result<(), String> {
        if self.lay(changes, label, Group::Alone) {
            return Ok(());
        }
        let (why, _) = std::mem::take(&mut self.message);
        Err(why)
    }

    fn lay_result(&mut self, changes: Result<Vec<FileChange>, EditError>, label: &str) -> bool {
        match changes {
            Ok(c) => self.lay(c, label, Group::Alone),
            Err(e) => {
                self.say_error(e.to_string());
                false
            }
        }
    }

    /// A place as a declaration writes it.
    fn point_text(&self, (x, y): Cell) -> String {
        let area = if self.site.area == AreaId::MAIN { String::new() } else { format!("{} ", self.area_name()) };
        format!("{area}({x}, {y})")
    }

    fn show_named(&mut self, kind: SymbolKind, name: &str) {
        let (a, _) = self.laid();
        let id = a.symbols.iter().find(|(_, s)| s.kind == kind && s.name == name).map(|(id, _)| id);
        self.show_on_site(id);
    }

    /// What a choice of a list does.
    pub(crate) fn choose_on_site(&mut self, choice: SiteChoice) {
        let at = self.site.cursor;
        let (a, _) = self.laid();
        use SiteChoice as C;
        match choice {
            C::AddRect => self.site.tool = Tool::Rect { from: at },
            C::AddDisc => self.site.tool = Tool::Disc { at },
            C::AddCells => self.site.tool = Tool::Cells { cells: BTreeSet::new() },
            C::AddPoly => self.site.tool = Tool::Poly { points: vec![] },
            C::AddPath => self.site.tool = Tool::Path { points: vec![at] },
            C::AddActor => {
                let kinds: Vec<(String, Choice)> = a
                    .draft()
                    .kinds
                    .iter()
                    .filter(|k| !k.of_zones)
                    .flat_map(|k| {
                        let look = mayfly_lang::edit::laying::attribute_text(
                            &a,
                            mayfly_session::laid::facts::symbol(&a, SymbolKind::Kind, None, &k.name)
                                .unwrap_or(SymbolId(0)),
                            "look",
                        );
                        let look =
                            look.and_then(|l| l.split('"').nth(1).map(str::to_string)).unwrap_or_else(|| "●".into());
                        [
                            (format!("{look}  {}", k.name), Choice::Site(C::Put(k.name.clone()))),
                            (
                                format!("{look}  {} with a name of its own", k.name),
                                Choice::Site(C::PutNamed(k.name.clone())),
                            ),
                        ]
                    })
                    .chain([("a new kind …".to_string(), Choice::Site(C::AddKind))])
                    .collect();
                self.overlays.push(Overlay::choices("Which kind", kinds));
            }
            C::AddKind => self.ask_on_site(Ask::NewKind, String::new()),
            C::AddArea => self.ask_on_site(Ask::NewArea, String::new()),
            C::AddTile => self.ask_on_site(Ask::NewTile, String::new()),
            C::Put(kind) => self.site.tool = Tool::Put { what: Put::Kind(kind) },
            C::PutNamed(kind) => self.ask_on_site(Ask::NewActor(kind), String::new()),
            C::Paint(sign, name) => {
                let how = match &self.site.tool {
                    Tool::Paint { how, .. } => *how,
                    _ => How::Brush,
                };
                self.site.tool = Tool::Paint { sign, name, how, down: false, from: None };
                self.site.in_list = false;
            }
            C::TileHere(sign) => self.paint(vec![at], sign, Group::Alone),
            C::Fact(edit, typed) => {
                let changes = change(&a, &edit, &typed);
                self.lay_result(changes, "changing a fact");
            }
            C::Path(name, points, end) => {
                let area = self.in_area();
                let changes = facts::add(&a, &format!("path {name}{area} = {points} {end}")).map(|c| vec![c]);
                self.lay_result(changes, &format!("adding path {name}"));
            }
            C::Copy(id, name, rules) => {
                if let Err(why) = self.copy_symbol(id, &name, rules) {
                    self.say_error(why);
                }
            }
            C::Delete(what) => self.do_delete(&what),
            C::MoveMarked(things, ground) => {
                self.begin_moving(Moved::Marked { things, ground, copies: false });
            }
            C::CopyMarked(things, ground) => {
                self.begin_moving(Moved::Marked { things, ground, copies: true });
            }
            C::None => {}
        }
    }

    fn begin_moving(&mut self, what: Moved) {
        self.site.tool = Tool::Move { from: self.site.cursor, what };
        self.site.in_list = false;
    }

    fn copy_symbol(&mut self, id: SymbolId, name: &str, rules: bool) -> Result<(), String> {
        let (a, _) = self.laid();
        let kind = a.symbols.get(id).kind;
        let old = a.symbols.get(id).name.clone();
        let changes = facts::copy(&a, id, name, rules).map_err(|e| e.to_string())?;
        self.lay_or_say(changes, &format!("copying {old}"))?;
        self.begin_move_of(kind, name);
        Ok(())
    }

    /// What was copied is moved next.
    fn begin_move_of(&mut self, kind: SymbolKind, name: &str) {
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

    /// Begins to move what is chosen, or what is marked.
    pub(crate) fn begin_move(&mut self) {
        if self.site.mark.is_some() {
            use SiteChoice::MoveMarked as M;
            let all = [
                ("what stands there", M(true, false)),
                ("with the ground", M(true, true)),
                ("the ground alone", M(false, true)),
            ];
            let all = all.map(|(t, c)| (t.to_string(), Choice::Site(c)));
            return self.overlays.push(Overlay::choices("Move", all));
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

    /// The tile that lies most round a part of the map: what is left where that was moved away.
    fn ground_round(&self, (x, y): Cell, w: i64, h: i64) -> char {
        let Some((a, _)) = self.laid_now() else { return NOTHING };
        let level = a.draft();
        let mut counts: std::collections::BTreeMap<char, usize> = Default::default();
        let ring = (x - 1..=x + w)
            .flat_map(|c| [(c, y - 1), (c, y + h)])
            .chain((y..y + h).flat_map(|c| [(x - 1, c), (x + w, c)]));
        for c in ring {
            if let Some(t) = tile(level, self.site.area, c) {
                *counts.entry(level.tiles[t.index()].sign).or_default() += 1;
            }
        }
        counts.into_iter().max_by_key(|(_, n)| *n).map_or(NOTHING, |(c, _)| c)
    }

    /// The change of the map's text that paints cells.
    fn painted(&self, cells: &[(Cell, char)]) -> Result<FileChange, EditError> {
        let Some((a, _)) = self.laid_now() else { return Ok((0, Default::default())) };
        let name = self.area_name();
        let map = MapText::of(a, &name).ok_or_else(|| refused("this level has no map yet: M gives it one"))?;
        let text = &a.files[map.file as usize].text;
        let (w, h) = (map.width(text) as i64, map.height() as i64);
        let inside = |(c, _): &&(Cell, char)| (0..w).contains(&c.0) && (0..h).contains(&c.1);
        let cells: Vec<((usize, usize), char)> =
            cells.iter().filter(inside).map(|((x, y), s)| ((*x as usize, *y as usize), *s)).collect();
        Ok((map.file, map.paint(text, &cells)?))
    }

    /// Paints cells with a tile's sign.
    pub(super) fn paint(&mut self, cells: Vec<Cell>, sign: char, group: Group) {
        let cells: Vec<(Cell, char)> = cells.into_iter().map(|c| (c, sign)).collect();
        match self.painted(&cells) {
            Ok(c) => {
                self.lay(vec![c], "painting", group);
            }
            Err(e) => self.say_error(e.to_string()),
        }
    }

    /// Paints every cell that hangs together with one and has its tile.
    pub(super) fn fill(&mut self, at: Cell, sign: char) {
        let Some((a, _)) = self.laid_now() else { return };
        let level = a.draft();
        let area = self.site.area;
        let (w, h) = self.site_size();
        let wanted = tile(level, area, at);
        let mut seen: BTreeSet<Cell> = BTreeSet::from([at]);
        let mut wait = vec![at];
        while let Some((x, y)) = wait.pop() {
            for c in [(x + 1, y), (x - 1, y), (x, y + 1), (x, y - 1)] {
                let inside = (0..w).contains(&c.0) && (0..h).contains(&c.1);
                if inside && tile(level, area, c) == wanted && seen.insert(c) {
                    wait.push(c);
                }
            }
        }
        let n = seen.len();
        self.paint(seen.into_iter().collect(), sign, Group::Alone);
        if !self.message.1 {
            self.say(format!("{n} cell{} filled", if n == 1 { "" } else { "s" }));
        }
    }

    /// The tiles to choose from: to paint with, or for the cell alone.
    pub(crate) fn choose_tile(&mut self, paints: bool) {
        let (a, _) = self.laid();
        let level = a.draft();
        if level.tiles.is_empty() {
            return self.ask_on_site(Ask::NewTile, "'#' wall solid opaque".into());
        }
        let mut all: Vec<(String, Choice)> = level
            .tiles
            .iter()
            .map(|t| {
                let mut words = vec![t.name.clone()];
                words.extend(t.solid.then_some("solid".to_string()));
                words.extend(t.opaque.then_some("opaque".to_string()));
                let text = format!("{}  {}", t.sign, words.join("  "));
                let c = if paints { SiteChoice::Paint(t.sign, t.name.clone()) } else { SiteChoice::TileHere(t.sign) };
                (text, Choice::Site(c))
            })
            .collect();
        let nothing = if paints { SiteChoice::Paint(NOTHING, "nothing".into()) } else { SiteChoice::TileHere(NOTHING) };
        all.push(("   nothing".into(), Choice::Site(nothing)));
        all.push(("   a new tile sort …".into(), Choice::Site(SiteChoice::AddTile)));
        self.overlays.push(Overlay::choices(if paints { "Paint with" } else { "Tile" }, all));
    }

    /// Begins to give the chosen zone another size.
    pub(crate) fn begin_size(&mut self) {
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
            use SiteChoice::CopyMarked as M;
            let all = [
                ("what stands there", M(true, false)),
                ("with the ground", M(true, true)),
                ("the ground alone", M(false, true)),
            ];
            let all = all.map(|(t, c)| (t.to_string(), Choice::Site(c)));
            return self.overlays.push(Overlay::choices("Copy", all));
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

    fn do_delete(&mut self, what: &Deletion) {
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

    /// Writes a first rule for what is chosen, and stands in its `then`, typing.
    pub(crate) fn first_rule(&mut self) {
        let (a, _) = self.laid();
        let Some(id) = self.symbol_of_site() else {
            return self.say("nothing is chosen here that a rule could be about");
        };
        let found = facts::first_rule(&a, id);
        let ((file, change), at) = match found {
            Ok(f) => f,
            Err(e) => return self.say_error(e.to_string()),
        };
        let name = a.symbols.get(id).name.clone();
        let Some(doc) = self.work.file_of(&a, file) else { return };
        if self.lay(vec![(file, change)], &format!("a first rule for {name}"), Group::Alone) {
            self.view = View::Script;
            self.show_text(doc, at);
            self.script.typing = true;
            self.say("what is done when it fires: Next proposes it, Esc reads");
        }
    }

    fn new_area(&mut self, typed: &str) -> Result<(), String> {
        let (a, _) = self.laid();
        let mut words = typed.split_whitespace();
        let name = words.next().unwrap_or_default();
        let size: String = words.collect();
        let (w, h) = size_of(&size).ok_or("write a name, a width and a height: `cellar 20 x 10`")?;
        let sign = a.draft().tiles.iter().find(|t| !t.solid).or(a.draft().tiles.first()).map_or(NOTHING, |t| t.sign);
        let newline = if a.files[0].text.contains("\r\n") { "\r\n" } else { "\n" };
        let text = laying::map_text(Some(name), (w, h), sign, newline);
        let change = facts::add(&a, &text).map_err(|e| e.to_string())?;
        self.lay_or_say(vec![change], &format!("adding area {name}"))?;
        self.show_named(SymbolKind::Area, name);
        Ok(())
    }

    /// Another size for the map that is shown: `40 x 20`, or how many columns and rows on which side: `left 2, top -1`.
    fn resize_map(&mut self, typed: &str) -> Result<(), String> {
        let (a, _) = self.laid();
        let name = self.area_name();
        let level = a.draft();
        let sign = level.tiles.iter().find(|t| !t.solid).or(level.tiles.first()).map_or(NOTHING, |t| t.sign);
        if MapText::of(&a, &name).is_none() {
            let (w, h) = size_of(typed).ok_or("write a width and a height: `40 x 20`")?;
            let newline = if a.files[0].text.contains("\r\n") { "\r\n" } else { "\n" };
            let change = facts::add(&a, &laying::map_text(None, (w, h), sign, newline)).map_err(|e| e.to_string())?;
            return self.lay_or_say(vec![change], "adding a map");
        }
        let (w, h) = self.site_size();
        let sides = match size_of(typed) {
            Some((nw, nh)) => Sides { right: nw as i64 - w, bottom: nh as i64 - h, ..Sides::default() },
            None => sides_of(typed).ok_or("write a size, `40 x 20`, or sides: `left 2, top -1`")?,
        };
        let found = resize(&a, &name, sides, sign).map_err(|e| e.to_string())?;
        let unsure = found.unsure.len();
        self.lay_or_say(found.changes, "another size for the map")?;
        let (w, h) = self.site_size();
        let more = match unsure {
            0 => String::new(),
            n => format!("; {n} computed place{} may have to move by hand", if n == 1 { "" } else { "s" }),
        };
        self.point_on_site((self.site.cursor.0 + sides.left, self.site.cursor.1 + sides.top));
        self.say(format!("the map is {w} x {h} now{more}"));
        Ok(())
    }
}

/// `40 x 20`.
fn size_of(text: &str) -> Option<(usize, usize)> {
    let (w, h) = text.split_once(['x', 'X', '×'])?;
    let n = |t: &str| t.trim().parse::<usize>().ok().filter(|n| (1..=4096).contains(n));
    Some((n(w)?, n(h)?))
}

/// `left 2, top -1`.
fn sides_of(text: &str) -> Option<Sides> {
    let mut sides = Sides::default();
    for part in text.split(',') {
        let (side, n) = part.trim().split_once(' ')?;
        let n: i64 = n.trim().parse().ok().filter(|n: &i64| n.abs() <= 4096)?;
        match side {
            "left" => sides.left = n,
            "right" => sides.right = n,
            "top" => sides.top = n,
            "bottom" => sides.bottom = n,
            _ => return None,
        }
    }
    Some(sides)
}
