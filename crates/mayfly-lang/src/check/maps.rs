//! Tiles and maps: what each character is, and what is laid where.
//!
//! Invariant: an area's cells are `width` times `height`, row by row; what no tile is declared for is
//! an error, but for space and `.`, which lay nothing.

use super::Checker;
use super::names::Def;
use crate::level::*;
use crate::map_rows::rows_of;
use crate::syntax::{Kind as K, Node, Token};
use mayfly_base::*;

/// Cells of one map at most.
const MAX_CELLS: usize = 4_000_000;

impl Checker {
    pub fn collect_tiles(&mut self, n: &Node) {
        for row in n.all(K::TILE_ROW) {
            let Some((name, span)) = self.declared(&row) else { continue };
            let sign = row.tok(K::CHAR).and_then(|t| t.text().chars().nth(1)).unwrap_or('?');
            if let Some(other) = self.level.tiles.iter().find(|t| t.sign == sign).map(|t| t.name.clone()) {
                self.error(
                    "sign-taken",
                    span,
                    format!("the character '{sign}' is already `{other}`"),
                    "give one of the two another character",
                );
            }
            let look = row.child(K::PART).and_then(|p| self.tile_look(&p));
            let mut tile = Tile { name: name.clone(), sign, solid: false, opaque: false, tags: vec![], look };
            let mut tagged = false;
            for t in row.own_tokens().filter(|t| t.kind() == K::IDENT) {
                let (word, at) = (t.text().to_string(), self.token_span(&t));
                match word.as_str() {
                    "solid" if !tagged => tile.solid = true,
                    "opaque" if !tagged => tile.opaque = true,
                    "tagged" if !tagged => tagged = true,
                    "look" => tagged = false,
                    _ if tagged => {
                        if !matches!(self.names.get(&word), Some((Def::Tag(_), _))) {
                            self.declare_tag(&word, at);
                        }
                        if let Some((Def::Tag(id), _)) = self.names.get(&word) {
                            tile.tags.push(*id);
                        }
                    }
                    _ => self.error(
                        "unknown-word",
                        at,
                        format!("a tile has no `{word}`"),
                        "a tile can be `solid`, `opaque`, `tagged` NAME and have a `look \"⁞\" moss`",
                    ),
                }
            }
            self.take(&name, span, Def::Tile(TileId::at(self.level.tiles.len())));
            self.level.tiles.push(tile);
        }
    }

    /// `look "⁞" moss`: one character, and a colour where one is named.
    fn tile_look(&mut self, part: &Node) -> Option<(char, Option<u32>)> {
        let token = part.tok(K::TEXT)?;
        let text = self.plain_text(&token);
        let colour = part.tok(K::IDENT).and_then(|t| COLOURS.iter().position(|c| *c == t.text()));
        let mut chars = text.chars();
        match (chars.next(), chars.next()) {
            (Some(c), None) => Some((c, colour.map(|c| c as u32))),
            _ => {
                let span = self.token_span(&token);
                self.error("bad-look", span, "a look is one character", "write `look \"⁞\" moss`");
                None
            }
        }
    }

    pub fn maps(&mut self, root: &Node) {
        let maps: Vec<Node> = root.all(K::MAP_DECL);
        if let Some(second) = maps.get(1) {
            let span = self.span(second);
            self.error(
                "two-maps",
                Span { end: span.start + 3, ..span },
                "there is a second main map",
                "a further map is an `area NAME map`",
            );
        }
        if let Some(token) = maps.first().and_then(|n| n.tok(K::RAW_TEXT)) {
            self.map(&token, AreaId::MAIN);
        }
        for n in root.all(K::AREA_DECL) {
            let Some((name, span)) = self.declared(&n) else { continue };
            if let (Some((Def::Area(id), at)), Some(token)) = (self.names.get(&name).copied(), n.tok(K::RAW_TEXT))
                && at == span
            {
                self.map(&token, id);
            }
        }
    }

    pub fn map(&mut self, token: &Token, id: AreaId) {
        let text = token.text();
        let offset = token.range().start;
        let (rows, _) = rows_of(text);
        let width = rows.iter().map(|r| text[r.clone()].chars().count()).max().unwrap_or(0);
        let height = rows.len();
        if width * height > MAX_CELLS || width == 0 {
            let span = self.token_span(token);
            let (m, h) = if width == 0 {
                ("the map is empty", "write its rows between the quotes")
            } else {
                ("the map has more than 4,000,000 cells", "make it smaller")
            };
            self.error("map-size", span, m, h);
            return;
        }
        let mut cells = vec![None; width * height];
        let mut said: Vec<char> = vec![];
        for (y, row) in rows.iter().enumerate() {
            for (x, (i, c)) in text[row.clone()].char_indices().enumerate() {
                match self.level.tiles.iter().position(|t| t.sign == c) {
                    Some(t) => cells[y * width + x] = Some(TileId::at(t)),
                    None if matches!(c, ' ' | '.') => {}
                    None if said.contains(&c) => {}
                    None => {
                        said.push(c);
                        let at = offset + row.start + i;
                        let known: String =
                            self.level.tiles.iter().map(|t| format!(" '{}' {}", t.sign, t.name)).collect();
                        self.error(
                            "unknown-tile",
                            self.span_at(at, at + c.len_utf8()),
                            format!("no tile has the character '{c}'"),
                            if known.is_empty() {
                                "declare it in `tiles { }`".into()
                            } else {
                                format!("declare it in `tiles {{ }}`; there are{known}")
                            },
                        );
                    }
                }
            }
        }
        let area = &mut self.level.areas[id.index()];
        (area.width, area.height, area.cells) = (width, height, cells);
    }
}
