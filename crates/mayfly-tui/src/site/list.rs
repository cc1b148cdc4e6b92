//! The list beside the map: everything that lies on the cell or notices it, each with its facts.
//!
//! Invariant: a row that can be chosen does something at Enter.

use crate::app::App;
use crate::app::Ask;
use crate::app::Choice;
use crate::app::Overlay;
use crate::app::RowOf;
use crate::app::SiteChoice;
use crate::app::SiteLayer;
use crate::app::SiteRow;
use mayfly_base::*;
use mayfly_lang::analysis::SymbolKind;
use mayfly_session::laid::facts::{Edit, Fact, Item, facts_of, heading, symbol_of};

impl App {
    /// The rows of the list as they were found for the last frame.
    pub(crate) fn site_rows(&self) -> &[SiteRow] {
        &self.site.rows.1
    }

    /// Finds the rows, where the cell, the texts or the moment changed.
    pub(crate) fn refresh_site_rows(&mut self) {
        let s = &self.session;
        let key = (self.work.docs.version(), self.site.area, self.site.cursor, s.moment, s.history.live_tick());
        if self.site.rows.0 != Some(key) {
            self.site.rows = (Some(key), self.find_site_rows());
        }
    }

    fn find_site_rows(&self) -> Vec<SiteRow> {
        let Some((a, laid)) = self.laid_now() else { return vec![] };
        let (area, cell) = (self.site.area, self.site.cursor);
        let mut out = vec![];
        for item in self.site_items() {
            let (name, sort) = heading(a.draft(), laid, &item, area, cell);
            if item != Item::Tile {
                out.push(SiteRow { item: item.clone(), of: RowOf::Heading(name, sort) });
            }
            for f in facts_of(a, laid, &item, area, cell) {
                out.push(SiteRow { item: item.clone(), of: RowOf::Fact(f) });
            }
            if matches!(item, Item::Zone(_) | Item::Actor(_)) {
                if let Some((fired, held)) = self.counts_of(&item) {
                    out.push(SiteRow { item: item.clone(), of: RowOf::Counts(fired, held) });
                } else {
                    out.push(SiteRow { item, of: RowOf::FirstRule });
                }
            }
        }
        out
    }

    /// How often the rules that name an item fired and were held up to the moment; none where no rule names it.
    fn counts_of(&self, item: &Item) -> Option<(u64, u64)> {
        let (a, laid) = self.laid_now()?;
        let id = symbol_of(a, laid, item, self.site.area, self.site.cursor)?;
        let whole: Vec<_> = a
            .symbols
            .iter()
            .filter(|(_, s)| s.kind == SymbolKind::Rule)
            .filter(|(_, s)| {
                a.uses_of(id)
                    .any(|u| u.at.file == s.whole.file && s.whole.start <= u.at.start && u.at.end <= s.whole.end)
            })
            .collect();
        if whole.is_empty() {
            return None;
        }
        let (p, w, level) = (&self.session.engine.program, &self.session.now.world, &self.session.level);
        let mut sum = (0, 0);
        for (_, s) in whole {
            let of = s.of.map(|o| a.symbols.get(o).name.as_str());
            let is = |r: &mayfly_lang::level::Rule| {
                r.title == s.name && r.part.is_none() && r.owner.map(|k| p.kinds[k.index()].name.as_str()) == of
            };
            if let Some(c) = level.rules.iter().position(is).and_then(|i| w.rules.get(i)) {
                sum = (sum.0 + c.fired, sum.1 + c.held);
            }
        }
        Some(sum)
    }

    /// Another row of the list.
    pub(crate) fn move_in_site_list(&mut self, by: i64) {
        let last = self.site_rows().len().saturating_sub(1) as i64;
        self.site.at = (self.site.at as i64 + by).clamp(0, last) as usize;
    }

    /// Enter: into the list; there, what the row does.
    pub(crate) fn enter_on_site(&mut self) {
        self.site.of_version = self.work.docs.version();
        if !self.site.in_list {
            self.site.in_list = true;
            // To the first thing that can be changed.
            let rows = self.site_rows();
            let edits = |r: &SiteRow| matches!(&r.of, RowOf::Fact(f) if f.edit.is_some());
            if self.site.at == 0 {
                self.site.at = rows.iter().position(edits).unwrap_or(0);
            }
            return;
        }
        let Some(row) = self.site_rows().get(self.site.at).cloned() else { return };
        match row.of {
            RowOf::FirstRule => self.first_rule(),
            RowOf::Counts(..) => self.list_rules_of(&row.item),
            RowOf::Fact(Fact { edit: Some(Edit::Tile), .. }) => self.choose_tile(false),
            RowOf::Fact(Fact { edit: Some(Edit::PathEnd(id)), .. }) => {
                let ends = ["loop", "bounce", "once"].map(|e| {
                    let edit = Edit::PathEnd(id);
                    (e.to_string(), Choice::Site(SiteChoice::Fact(edit, e.into())))
                });
                self.overlays.push(Overlay::choices("How the path ends", ends));
            }
            RowOf::Fact(Fact { edit: Some(edit @ Edit::Facing(_)), .. }) => {
                let all = DIRECTIONS.map(|d| (d.to_string(), Choice::Site(SiteChoice::Fact(edit.clone(), d.into()))));
                self.overlays.push(Overlay::choices("Facing", all));
            }
            RowOf::Fact(Fact { edit: Some(edit), text, label }) => {
                let typed = if text == "everybody" { String::new() } else { text };
                self.ask_on_site(Ask::Fact(label, edit), typed);
            }
            RowOf::Heading(..) => self.show_view(crate::view::View::Script),
            RowOf::Fact(_) => self.say("this is told by the text: e shows it"),
        }
    }

    /// The rules that name an item: Enter goes to their text.
    fn list_rules_of(&mut self, item: &Item) {
        let (a, laid) = self.laid();
        let Some(id) = symbol_of(&a, &laid, item, self.site.area, self.site.cursor) else { return };
        let rules = a.symbols.iter().filter(|(_, s)| s.kind == SymbolKind::Rule);
        let named = rules.filter(|(_, s)| {
            a.uses_of(id).any(|u| u.at.file == s.whole.file && s.whole.start <= u.at.start && u.at.end <= s.whole.end)
        });
        let places: Vec<(usize, usize)> =
            named.filter_map(|(_, s)| Some((self.work.file_of(&a, s.at.file)?, s.at.start as usize))).collect();
        let entries = places.into_iter().map(|(f, at)| self.place_entry(f, at, "")).collect();
        self.overlays.push(Overlay::places("Rules about it", entries));
    }

    pub(crate) fn next_site_layer(&mut self) {
        let at = self.site.layer as usize + 1;
        self.site.layer = SiteLayer::ALL[at % SiteLayer::ALL.len()].0;
        self.say(format!("painted over the map: {}", self.site.layer.name()));
    }
}
