//! What the commands of the map do: adding, moving, copying, deleting, painting, another size, a first rule.
//!
//! Invariant: each is one entry of the history; what would leave the text with a new error is refused with that error, but for
//! a deletion whose consequences were shown.

use crate::app::App;
use crate::app::Ask;
use crate::app::Cell;
use crate::app::Choice;
use crate::app::How;
use crate::app::Moved;
use crate::app::Overlay;
use crate::app::Put;
use crate::app::SiteChoice;
use crate::app::Tool;
use crate::refused::Refused;
use crate::view::View;
use mayfly_base::*;
use mayfly_lang::analysis::{SymbolId, SymbolKind};
use mayfly_lang::edit::facts::{self, FileChange};
use mayfly_lang::edit::{EditError, laying};
use mayfly_lang::services::complete::complete_text;
use mayfly_session::documents::Group;
use mayfly_session::laid::facts::{change, head};
use mayfly_session::propose::Offer;
use std::collections::BTreeSet;

pub(super) fn refused(why: impl Into<String>) -> EditError {
    EditError::Refused { why: why.into() }
}

impl App {
    /// The area that is shown, as a declaration names it; nothing of the main map.
    pub(super) fn in_area(&self) -> String {
        let name =
            self.laid_now().and_then(|(a, _)| a.draft().areas.get(self.site.area.index()).map(|x| x.name.clone()));
        match name {
            Some(n) if self.site.area != AreaId::MAIN => format!(" in {n}"),
            _ => String::new(),
        }
    }

    pub(super) fn area_name(&self) -> String {
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
        self.site.of_version = self.work.docs.version();
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
    pub(crate) fn site_entered(&mut self, typed: &str) -> Result<(), Refused> {
        let Some(ask) = self.site.ask.clone() else { return Ok(()) };
        if !self.still_stands() {
            return Err(Refused::Stale);
        }
        let (a, _) = self.laid();
        let area = self.in_area();
        match ask {
            Ask::Fact(label, edit) => {
                let changes = change(&a, &edit, typed)?;
                self.lay_or_say(changes, &format!("changing {label}"))?;
            }
            Ask::NewZone(shape) => {
                let change = facts::add(&a, &format!("zone {typed}{area} = {shape}"))?;
                self.lay_or_say(vec![change], &format!("adding zone {typed}"))?;
                self.site.tool = Tool::None;
                self.show_named(SymbolKind::Zone, typed);
                self.say(format!("zone {typed} is there: r writes a first rule for it"));
            }
            Ask::NewPath(points) => {
                let change = facts::add(&a, &format!("path {typed}{area} = {points} loop"))?;
                self.lay_or_say(vec![change], &format!("adding path {typed}"))?;
                self.site.tool = Tool::None;
                self.say(format!("path {typed} is there, as a loop: its end can be changed in the list"));
            }
            Ask::NewArea => self.new_area(typed)?,
            Ask::NewTile => {
                let change = laying::add_tile(&a, typed)?;
                self.lay_or_say(vec![change], "adding a tile sort")?;
                self.say("the tile sort is there: l lays it");
            }
            Ask::NewKind => {
                let letter = typed.chars().next().map_or('o', |c| c.to_uppercase().next().unwrap_or(c));
                let change = facts::add(&a, &format!("kind {typed} {{ look \"{letter}\" }}"))?;
                self.lay_or_say(vec![change], &format!("adding kind {typed}"))?;
                self.site.tool = Tool::Put { what: Put::Kind(typed.into()) };
                self.say(format!("kind {typed} is there: Enter puts one down, Esc leaves it"));
            }
            Ask::NewActor(kind) => {
                let at = self.point_text(self.site.cursor);
                let change = facts::add(&a, &format!("place {typed}: {kind} at {at}"))?;
                self.lay_or_say(vec![change], &format!("placing {typed}"))?;
                self.site.tool = Tool::None;
                self.say(format!("{typed} stands here"));
            }
            Ask::Copy(id) => {
                mayfly_lang::naming::is_name(typed)?;
                if a.symbols.global(a.symbols.get(id).at.file, typed).is_some() {
                    return Err(Refused::Taken(typed.into()));
                }
                let rules = facts::rules_naming(&a, id).len();
                if rules == 0 {
                    let done = self.copy_symbol(id, typed, false);
                    self.site.of_version = self.work.docs.version();
                    return done;
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
                let change = laying::copy_actor(&a, &who, typed, (x as f64 + 1.0, y as f64))?;
                self.lay_or_say(vec![change], &format!("copying {who}"))?;
                self.point_on_site((x + 1, y));
                self.begin_move_of(SymbolKind::Actor, typed);
            }
            Ask::MapSize => self.resize_map(typed)?,
        }
        self.site.ask = None;
        self.site.of_version = self.work.docs.version();
        Ok(())
    }

    /// As [`App::lay`], with the refusal as an error.
    pub(super) fn lay_or_say(&mut self, changes: Vec<FileChange>, label: &str) -> Result<(), Refused> {
        self.try_lay(changes, label, Group::Alone)
    }

    pub(super) fn lay_result(&mut self, changes: Result<Vec<FileChange>, EditError>, label: &str) -> bool {
        match changes {
            Ok(c) => self.lay(c, label, Group::Alone),
            Err(e) => {
                self.say_error(e.to_string());
                false
            }
        }
    }

    /// A place as a declaration writes it.
    pub(super) fn point_text(&self, (x, y): Cell) -> String {
        let area = if self.site.area == AreaId::MAIN { String::new() } else { format!("{} ", self.area_name()) };
        format!("{area}({x}, {y})")
    }

    pub(super) fn show_named(&mut self, kind: SymbolKind, name: &str) {
        let (a, _) = self.laid();
        let id = a.symbols.iter().find(|(_, s)| s.kind == kind && s.name == name).map(|(id, _)| id);
        self.show_on_site(id);
    }

    /// What a choice of a list does.
    pub(crate) fn choose_on_site(&mut self, choice: SiteChoice) {
        use SiteChoice as N;
        if matches!(choice, N::Fact(..) | N::Copy(..) | N::Delete(_)) && !self.still_stands() {
            return;
        }
        self.chosen_on_site(choice);
        self.site.of_version = self.work.docs.version();
    }

    fn chosen_on_site(&mut self, choice: SiteChoice) {
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
                    self.say_error(why.to_string());
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
}
