//! Painting tiles, and maps of another size.
//!
//! Invariant: as in [`super::commands`]; cells off the map are left out.

use super::NOTHING;
use super::commands::refused;
use crate::app::App;
use crate::app::Ask;
use crate::app::Cell;
use crate::app::Choice;
use crate::app::Overlay;
use crate::app::SiteChoice;
use crate::refused::Refused;
use mayfly_lang::analysis::SymbolKind;
use mayfly_lang::edit::facts::{self, FileChange};
use mayfly_lang::edit::maps::{MapText, Sides, resize};
use mayfly_lang::edit::{EditError, laying};
use mayfly_session::documents::Group;
use mayfly_session::laid::tile;
use std::collections::BTreeSet;

impl App {
    /// The tile that lies most round a part of the map: what is left where that was moved away.
    pub(super) fn ground_round(&self, (x, y): Cell, w: i64, h: i64) -> char {
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
    pub(super) fn painted(&self, cells: &[(Cell, char)]) -> Result<FileChange, EditError> {
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

    pub(super) fn new_area(&mut self, typed: &str) -> Result<(), Refused> {
        let (a, _) = self.laid();
        let mut words = typed.split_whitespace();
        let name = words.next().unwrap_or_default();
        let size: String = words.collect();
        let (w, h) = size_of(&size).ok_or(Refused::NoArea)?;
        let sign = a.draft().tiles.iter().find(|t| !t.solid).or(a.draft().tiles.first()).map_or(NOTHING, |t| t.sign);
        let newline = if a.files[0].text.contains("\r\n") { "\r\n" } else { "\n" };
        let text = laying::map_text(Some(name), (w, h), sign, newline);
        let change = facts::add(&a, &text)?;
        self.lay_or_say(vec![change], &format!("adding area {name}"))?;
        self.show_named(SymbolKind::Area, name);
        Ok(())
    }

    /// Another size for the map that is shown: `40 x 20`, or how many columns and rows on which side: `left 2, top -1`.
    pub(super) fn resize_map(&mut self, typed: &str) -> Result<(), Refused> {
        let (a, _) = self.laid();
        let name = self.area_name();
        let level = a.draft();
        let sign = level.tiles.iter().find(|t| !t.solid).or(level.tiles.first()).map_or(NOTHING, |t| t.sign);
        if MapText::of(&a, &name).is_none() {
            let (w, h) = size_of(typed).ok_or(Refused::NoSize)?;
            let newline = if a.files[0].text.contains("\r\n") { "\r\n" } else { "\n" };
            let change = facts::add(&a, &laying::map_text(None, (w, h), sign, newline))?;
            return self.lay_or_say(vec![change], "adding a map");
        }
        let (w, h) = self.site_size();
        let sides = match size_of(typed) {
            Some((nw, nh)) => Sides { right: nw as i64 - w, bottom: nh as i64 - h, ..Sides::default() },
            None => sides_of(typed).ok_or(Refused::NoSides)?,
        };
        let found = resize(&a, &name, sides, sign)?;
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
