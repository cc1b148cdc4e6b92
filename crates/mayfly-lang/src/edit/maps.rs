//! Maps as text: which bytes are which cell, painting, and another size with everything keeping its place.
//!
//! Invariants: a cell's bytes are one sign of the text, and lead back to the cell; painting changes those cells alone;
//! after a resize every literal place of the area lies on the same ground as before (all held by property tests).

use super::{Change, EditError, TextEdit};
use crate::analysis::Analysis;
use crate::ast;
use crate::lexer;
use crate::map_rows::rows_of;
use crate::syntax::{Kind as K, Node};
use mayfly_base::{Span, number};
use std::ops::Range;

/// A map's rows in a file's text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MapText {
    /// `main`, or an area's name.
    pub area: String,
    pub file: u16,
    /// The bytes of each row's cells, its indentation left out.
    pub rows: Vec<Range<usize>>,
    /// The byte after the opening quotes, and the first of the closing ones.
    inside: Range<usize>,
    /// Spaces before each row.
    indent: usize,
}

impl MapText {
    /// The map of an area; none where the text has none.
    pub fn of(a: &Analysis, area: &str) -> Option<Self> {
        Self::all(a).into_iter().find(|m| m.area == area)
    }

    /// Every map of every file.
    pub fn all(a: &Analysis) -> Vec<Self> {
        let mut out = vec![];
        for (n, f) in a.files.iter().enumerate() {
            for node in f.tree().children().filter(|c| matches!(c.kind(), K::MAP_DECL | K::AREA_DECL)) {
                let Some(t) = node.tok(K::RAW_TEXT).filter(|t| lexer::is_closed(t.kind(), t.text())) else { continue };
                let start = t.range().start;
                let (rows, indent) = rows_of(t.text());
                let area = node.child(K::NAME).map_or_else(|| "main".to_string(), |n| n.word().to_string());
                let rows = rows.into_iter().map(|r| r.start + start..r.end + start).collect();
                let inside = start + 3..t.range().end.saturating_sub(3);
                out.push(Self { area, file: n as u16, rows, inside, indent });
            }
        }
        out
    }

    pub fn height(&self) -> usize {
        self.rows.len()
    }

    /// Cells of the longest row.
    pub fn width(&self, text: &str) -> usize {
        self.rows.iter().map(|r| text[r.clone()].chars().count()).max().unwrap_or(0)
    }

    /// The bytes of a cell; none past its row's end.
    pub fn cell(&self, text: &str, x: usize, y: usize) -> Option<Range<usize>> {
        let row = self.rows.get(y)?;
        let (i, c) = text[row.clone()].char_indices().nth(x)?;
        Some(row.start + i..row.start + i + c.len_utf8())
    }

    /// The cell of a byte.
    pub fn cell_at(&self, text: &str, at: usize) -> Option<(usize, usize)> {
        let y = self.rows.iter().position(|r| r.contains(&at))?;
        let row = &text[self.rows[y].clone()];
        let before = row.char_indices().take_while(|(i, _)| self.rows[y].start + i <= at).count();
        Some((before - 1, y))
    }

    /// Paints cells, each with the sign of a tile; a space lays nothing. Of two for one cell the last counts.
    ///
    /// # Errors
    /// A cell below the map; a sign that ends the text or a line.
    pub fn paint(&self, text: &str, cells: &[((usize, usize), char)]) -> Result<Change, EditError> {
        let mut rows: std::collections::BTreeMap<usize, Vec<(usize, char)>> = Default::default();
        for ((x, y), sign) in cells {
            if *y >= self.rows.len() {
                return Err(EditError::Refused { why: format!("({x}, {y}) lies below the map") });
            }
            if *sign == '"' || sign.is_control() {
                return Err(EditError::Refused { why: "a tile's sign is one character that is seen".into() });
            }
            rows.entry(*y).or_default().push((*x, *sign));
        }
        let mut edits = vec![];
        for (y, cells) in rows {
            let range = self.rows[y].clone();
            let old: Vec<char> = text[range.clone()].chars().collect();
            let mut new = old.clone();
            for (x, sign) in cells {
                if new.len() <= x {
                    new.resize(x + 1, ' ');
                }
                new[x] = sign;
            }
            // The piece that differs alone.
            let head = old.iter().zip(&new).take_while(|(a, b)| a == b).count();
            let tail = old[head..].iter().rev().zip(new[head..].iter().rev()).take_while(|(a, b)| a == b).count();
            let bytes = |c: &[char]| c.iter().map(|c| c.len_utf8()).sum::<usize>();
            let from = range.start + bytes(&old[..head]);
            let to = from + bytes(&old[head..old.len() - tail]);
            edits.push(TextEdit { range: from..to, text: new[head..new.len() - tail].iter().collect() });
        }
        Change::new(edits)
    }
}

/// How many columns or rows a map gets on each side; negative where it loses some.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Sides {
    pub left: i64,
    pub top: i64,
    pub right: i64,
    pub bottom: i64,
}

/// What a resize changes, and what it cannot.
#[derive(Clone, Debug, Default)]
pub struct Resized {
    /// The change of each file that has one, by its number.
    pub changes: Vec<(u16, Change)>,
    /// Places that are computed, or whose meaning is not certain: they may have to be moved by hand.
    pub unsure: Vec<Span>,
}

/// Gives a map another size; new cells hold `sign`. All literal places of the area move with their ground.
///
/// # Errors
/// An area without a map, or nothing left of it.
pub fn resize(a: &Analysis, area: &str, sides: Sides, sign: char) -> Result<Resized, EditError> {
    let map = MapText::of(a, area).ok_or_else(|| EditError::Missing { what: "map", name: area.into() })?;
    let text = &a.files[map.file as usize].text;
    let (w, h) = (map.width(text) as i64, map.height() as i64);
    let (new_w, new_h) = (w + sides.left + sides.right, h + sides.top + sides.bottom);
    if new_w < 1 || new_h < 1 {
        return Err(EditError::Refused { why: format!("nothing would be left of the map: it is {w} x {h}") });
    }
    if new_w.saturating_mul(new_h) > 4_000_000 {
        return Err(EditError::Refused { why: "the map would have more than 4,000,000 cells".into() });
    }
    let mut edits: Vec<(u16, TextEdit)> = vec![];
    row_edits(&map, text, sides, (w, new_w), sign).into_iter().for_each(|e| edits.push((map.file, e)));
    let mut unsure = vec![];
    if (sides.left, sides.top) != (0, 0) {
        for (n, f) in a.files.iter().enumerate() {
            shift_places(a, n as u16, &f.tree(), area, (sides.left, sides.top), &mut edits, &mut unsure);
        }
    }
    let mut changes = vec![];
    for n in 0..a.files.len() as u16 {
        let own: Vec<TextEdit> = edits.iter().filter(|(f, _)| *f == n).map(|(_, e)| e.clone()).collect();
        if !own.is_empty() {
            changes.push((n, Change::new(own)?));
        }
    }
    Ok(Resized { changes, unsure })
}

fn row_edits(map: &MapText, text: &str, sides: Sides, (w, new_w): (i64, i64), sign: char) -> Vec<TextEdit> {
    let mut edits = vec![];
    let h = map.height() as i64;
    let (first, last) = ((-sides.top).max(0), h + sides.bottom.min(0));
    let fill = |n: i64| sign.to_string().repeat(n.max(0) as usize);
    let end = if text[map.inside.clone()].contains("\r\n") { "\r\n" } else { "\n" };
    let new_row = format!("{}{}", " ".repeat(map.indent), fill(new_w));
    for y in 0..h {
        let range = map.rows[y as usize].clone();
        if y < first || y >= last {
            // The whole line goes, with its indentation and its end.
            let from = range.start - map.indent.min(range.start - line_start(text, range.start));
            let to = text[range.end..].find('\n').map_or(range.end, |i| range.end + i + 1);
            edits.push(TextEdit::delete(from..to.min(map.inside.end)));
            continue;
        }
        let row = &text[range.clone()];
        let byte = |x: i64| row.char_indices().nth(x.max(0) as usize).map_or(range.end, |(i, _)| range.start + i);
        let len = row.chars().count() as i64;
        if sides.left > 0 {
            edits.push(TextEdit::insert(range.start, fill(sides.left)));
        } else if sides.left < 0 {
            edits.push(TextEdit::delete(range.start..byte(-sides.left)));
        }
        if sides.right > 0 {
            // A row that ends early lays nothing up to the old edge.
            let pad = format!("{}{}", " ".repeat((w - len) as usize), fill(sides.right));
            edits.push(TextEdit::insert(range.end, pad));
        } else if sides.right < 0 && len > w + sides.right {
            edits.push(TextEdit::delete(byte((w + sides.right).max(-sides.left))..range.end));
        }
    }
    // New rows stand before the first line, and behind the last.
    let above = map.rows.first().map_or(map.inside.start, |r| line_start(text, r.start).max(map.inside.start));
    if sides.top > 0 {
        let on_first = !text[map.inside.start..above].contains('\n');
        let rows = format!("{new_row}{end}").repeat(sides.top as usize);
        let rows = if on_first { format!("{end}{rows}") } else { rows };
        edits.push(TextEdit::insert(above, rows));
    }
    if sides.bottom > 0
        && let Some(last) = map.rows.last()
    {
        let below = text[last.end..].find('\n').map_or(last.end, |i| last.end + i + 1).min(map.inside.end);
        let closed = text[last.end..below].ends_with('\n');
        let rows = if closed { format!("{new_row}{end}") } else { format!("{end}{new_row}") };
        edits.push(TextEdit::insert(below, rows.repeat(sides.bottom as usize)));
    }
    edits
}

fn line_start(text: &str, at: usize) -> usize {
    text[..at].rfind('\n').map_or(0, |i| i + 1)
}

/// Moves every literal place of an area; gives those that are not certain.
fn shift_places(
    a: &Analysis,
    file: u16,
    tree: &Node,
    area: &str,
    by: (i64, i64),
    edits: &mut Vec<(u16, TextEdit)>,
    unsure: &mut Vec<Span>,
) {
    for n in tree.descendants() {
        match n.kind() {
            K::PAREN_EXPR => {
                let parts = n.exprs();
                let [x, y] = parts.as_slice() else { continue };
                if !is_place(&n) || area_of(a, file, &n) != area {
                    continue;
                }
                match (literal(x), literal(y)) {
                    (Some(px), Some(py)) => {
                        for (part, old, by) in [(x, px, by.0), (y, py, by.1)] {
                            if by != 0 {
                                let text = number::show_number(old + by as f64);
                                edits.push((file, TextEdit { range: part.bytes(), text }));
                            }
                        }
                        // What is declared as a value may be a step as well as a place.
                        if matches!(n.parent().map(|p| p.kind()), Some(K::VAR_DECL | K::CONST_DECL | K::DEFINE_DECL)) {
                            unsure.push(Span::new(file, n.bytes().start, n.bytes().end));
                        }
                    }
                    _ => unsure.push(Span::new(file, n.bytes().start, n.bytes().end)),
                }
            }
            K::CELL_ROW if in_kind(&n).is_none() && area_of(a, file, &n) == area => {
                let rows = n.exprs();
                let columns: Vec<Node> = n.all(K::CELL_RANGE).iter().flat_map(|r| r.exprs()).collect();
                let numbers = rows.iter().map(|r| (r, by.1)).chain(columns.iter().map(|c| (c, by.0)));
                for (part, by) in numbers {
                    match literal(part) {
                        Some(old) if by != 0 => {
                            let text = number::show_number(old + by as f64);
                            edits.push((file, TextEdit { range: part.bytes(), text }));
                        }
                        Some(_) => {}
                        None => unsure.push(Span::new(file, part.bytes().start, part.bytes().end)),
                    }
                }
            }
            _ => {}
        }
    }
}

/// A number as it is written, with its sign.
pub(super) fn literal(n: &Node) -> Option<f64> {
    match n.kind() {
        K::LITERAL => n.word().replace('_', "").parse().ok(),
        K::UNARY_EXPR if n.word() == "-" => n.exprs().first().and_then(literal).map(|n| -n),
        _ => None,
    }
}

fn in_kind(n: &Node) -> Option<Node> {
    n.ancestors().find(|a| a.kind() == K::KIND_DECL)
}

/// True of a pair that is a place, not a step, a size or arguments.
fn is_place(n: &Node) -> bool {
    let Some(p) = n.parent() else { return false };
    let first = p.exprs().first() == Some(n);
    match p.kind() {
        K::PART => p.word() != "by",
        K::ATTRIBUTE => p.word() != "size",
        K::RECORD_ROW => false,
        K::BINARY_EXPR if p.tok(K::PLUS).is_some() || p.tok(K::MINUS).is_some() => first,
        K::BINARY_EXPR => p.tok(K::STAR).is_none() && p.tok(K::SLASH).is_none(),
        K::ASSIGN_STMT => {
            let step = p.tok(K::PLUS_EQ).is_some() || p.tok(K::MINUS_EQ).is_some();
            let size = p.exprs().first().is_some_and(|t| t.to_string().trim_end().ends_with("size"));
            !step && !size
        }
        // A kind's own zones lie round its actors.
        K::SHAPE_RECT | K::SHAPE_DISC | K::SHAPE_POLY => in_kind(n).is_none(),
        _ => true,
    }
}

/// The area whose ground a place is of.
fn area_of(a: &Analysis, file: u16, n: &Node) -> String {
    let own = n.ancestors().find_map(|x| match x.kind() {
        K::PLACE_DECL | K::ZONE_DECL | K::PATH_DECL => Some(ast::area_of(&x).map(|e| e.word().to_string())),
        _ => None,
    });
    own.flatten().filter(|name| a.symbols.global(file, name).is_some()).unwrap_or_else(|| "main".to_string())
}
