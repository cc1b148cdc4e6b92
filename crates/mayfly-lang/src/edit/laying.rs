//! Laying by hand: the shape of a zone, the points of a path, actors put down and taken away, new areas, tiles and names.
//!
//! Not here: facts of what is laid already ([`super::facts`]), cells and sizes of maps ([`super::maps`]).
//!
//! Invariant: as there: an edit leaves every other byte as it is.

use super::facts::{FileChange, lines_of, node, one, placed, put_last, show_point};
use super::maps::literal;
use super::{Change, EditError, TextEdit};
use crate::analysis::{Analysis, SymbolId};
use crate::ast::{self, AstNode};
use crate::syntax::{Kind as K, Node};
use mayfly_base::number;
use std::ops::Range;

fn refused<T>(why: impl Into<String>) -> Result<T, EditError> {
    Err(EditError::Refused { why: why.into() })
}

/// Changes of several files as one of each.
///
/// # Errors
/// Changes that touch the same bytes.
pub fn together(changes: impl IntoIterator<Item = FileChange>) -> Result<Vec<FileChange>, EditError> {
    let mut files: Vec<(u16, Vec<TextEdit>)> = vec![];
    for (file, change) in changes {
        match files.iter_mut().find(|(f, _)| *f == file) {
            Some((_, all)) => all.extend_from_slice(change.edits()),
            None => files.push((file, change.edits().to_vec())),
        }
    }
    files.into_iter().map(|(f, edits)| Change::new(edits).map(|c| (f, c))).collect()
}

/// A name that nothing has: the stem itself, or with a number behind it. What no name can hold becomes `_`.
pub fn free_name(a: &Analysis, stem: &str) -> String {
    let sign = |c: char| if c.is_alphanumeric() || c == '_' { c } else { '_' };
    let mut stem: String = stem.chars().map(sign).collect();
    if !stem.starts_with(|c: char| c.is_alphabetic() || c == '_') {
        stem.insert(0, '_');
    }
    let taken = |name: &str| a.symbols.iter().any(|(_, s)| s.name == name) || crate::naming::is_name(name).is_err();
    // One more than there are names at all: one of them is free.
    let numbered = (2..a.symbols.iter().count() + 4).map(|n| format!("{stem}_{n}"));
    std::iter::once(stem.clone()).chain(numbered).find(|n| !taken(n)).unwrap_or(stem)
}

/// Bytes of a zone's shape.
fn shape_range(decl: &Node) -> Option<Range<usize>> {
    let mut shapes = decl.children().filter(|c| c.kind().is_shape());
    let first = shapes.next()?.bytes();
    let last = shapes.last().map_or(first.end, |s| s.bytes().end);
    Some(first.start..last)
}

/// The shape of a zone as it is written.
pub fn shape_text(a: &Analysis, zone: SymbolId) -> Option<String> {
    let (file, decl) = node(a, zone).ok()?;
    let range = shape_range(&decl)?;
    Some(a.files[file as usize].text[range].to_string())
}

/// Another shape for a zone, as it would be written.
///
/// # Errors
/// What is no zone, or no shape.
pub fn set_shape(a: &Analysis, zone: SymbolId, shape: &str) -> Result<FileChange, EditError> {
    let (file, decl) = node(a, zone)?;
    let Some(range) = shape_range(&decl).filter(|_| decl.kind() == K::ZONE_DECL) else {
        return refused(format!("`{}` has no shape", a.symbols.get(zone).name));
    };
    let parsed = crate::parser::parse(&format!("zone z = {shape}\n"));
    if let Some(e) = parsed.errors.first() {
        return refused(format!("{}; {}", e.message, e.help));
    }
    Ok(one(file, TextEdit { range, text: shape.trim().into() }))
}

/// Whom a zone notices, as it is written; nothing where it is everybody.
pub fn whom_text(a: &Analysis, zone: SymbolId) -> String {
    let found = node(a, zone).ok().and_then(|(f, decl)| Some((f, decl.child(K::FOR_WHOM)?)));
    found.map_or(String::new(), |(f, n)| {
        let text = &a.files[f as usize].text[n.bytes()];
        text.strip_prefix("for").unwrap_or(text).trim().to_string()
    })
}

/// What a placed actor, or a zone with a kind, is given of its own: names and values as they are written.
pub fn given(a: &Analysis, whose: &str) -> Vec<(String, String)> {
    let decl = match a.symbols.global(0, whose).and_then(|id| node(a, id).ok()) {
        Some((f, d)) if d.kind() == K::ZONE_DECL => Some((f, d)),
        _ => placed(a, whose).ok().map(|(f, d, _)| (f, d)),
    };
    let Some((file, decl)) = decl else { return vec![] };
    let Some(body) = decl.child(K::BODY) else { return vec![] };
    let text = &a.files[file as usize].text;
    let of = |item: Node| {
        let exprs = item.exprs();
        match (item.kind(), exprs.as_slice()) {
            (K::ASSIGN_STMT, [target, value]) => Some((target.word().to_string(), text[value.bytes()].to_string())),
            (K::ATTRIBUTE, _) => {
                let whole = text[item.bytes()].to_string();
                let name = item.word();
                let rest = whole.strip_prefix(name).unwrap_or("").trim().to_string();
                Some((name.to_string(), rest))
            }
            _ => None,
        }
    };
    body.children().filter_map(of).collect()
}

/// What a kind gives an attribute, as it is written; empty where it stands alone.
pub fn attribute_text(a: &Analysis, kind: SymbolId, name: &str) -> Option<String> {
    let (file, decl) = node(a, kind).ok()?;
    let item = decl.child(K::BODY)?.children().find(|c| c.kind() == K::ATTRIBUTE && c.word() == name)?;
    let whole = &a.files[file as usize].text[item.bytes()];
    Some(whole.strip_prefix(name).unwrap_or("").trim().to_string())
}

/// The points of a path.
fn points(decl: &Node) -> Vec<Node> {
    decl.exprs()
}

fn pair(n: &Node) -> Node {
    // `cellar (3, 4)` keeps its area.
    n.descendants().find(|d| matches!(d.kind(), K::PAREN_EXPR | K::ARGS)).unwrap_or_else(|| n.clone())
}

fn path_point(a: &Analysis, path: SymbolId, nth: usize) -> Result<(u16, Node, Vec<Node>), EditError> {
    let (file, decl) = node(a, path)?;
    let all = points(&decl);
    if decl.kind() != K::PATH_DECL || nth >= all.len() {
        return refused(format!("`{}` has {}", a.symbols.get(path).name, number::counted(all.len(), "point")));
    }
    Ok((file, decl, all))
}

/// Puts a point of a path somewhere else.
///
/// # Errors
/// A point that the path does not have.
pub fn set_point(a: &Analysis, path: SymbolId, nth: usize, (x, y): (f64, f64)) -> Result<FileChange, EditError> {
    let (file, _, all) = path_point(a, path, nth)?;
    Ok(one(file, TextEdit { range: pair(&all[nth]).bytes(), text: show_point(x, y) }))
}

/// Puts a further point behind one of a path.
///
/// # Errors
/// As [`set_point`].
pub fn insert_point(a: &Analysis, path: SymbolId, after: usize, (x, y): (f64, f64)) -> Result<FileChange, EditError> {
    let (file, _, all) = path_point(a, path, after)?;
    Ok(one(file, TextEdit::insert(all[after].bytes().end, format!(" {}", show_point(x, y)))))
}

/// Takes a point of a path out.
///
/// # Errors
/// As [`set_point`]; the last but one point of a path.
pub fn remove_point(a: &Analysis, path: SymbolId, nth: usize) -> Result<FileChange, EditError> {
    let (file, _, all) = path_point(a, path, nth)?;
    if all.len() <= 2 {
        return refused("a path has two points at least: delete the path instead");
    }
    let range = if nth == 0 {
        all[0].bytes().start..all[1].bytes().start
    } else {
        all[nth - 1].bytes().end..all[nth].bytes().end
    };
    Ok(one(file, TextEdit::delete(range)))
}

/// How a path ends: `loop`, `bounce` or `once`.
///
/// # Errors
/// Another word.
pub fn set_path_end(a: &Analysis, path: SymbolId, end: &str) -> Result<FileChange, EditError> {
    if !matches!(end, "loop" | "bounce" | "once") {
        return refused("a path is `loop`, `bounce` or `once`");
    }
    let (file, decl) = node(a, path)?;
    let own = decl.own_tokens();
    let old = own.filter(|t| matches!(t.text(), "loop" | "bounce" | "once")).last();
    let edit = match (old, points(&decl).last()) {
        (Some(t), _) => {
            let range: Range<usize> = t.range();
            TextEdit { range, text: end.into() }
        }
        (None, Some(last)) => TextEdit::insert(last.bytes().end, format!(" {end}")),
        (None, None) => return refused("this path has no points"),
    };
    Ok(one(file, edit))
}

/// Moves every point of a path by whole cells.
///
/// # Errors
/// Points that are computed.
pub fn move_path(a: &Analysis, path: SymbolId, (dx, dy): (i64, i64)) -> Result<FileChange, EditError> {
    let (file, decl) = node(a, path)?;
    let mut edits = vec![];
    for p in points(&decl) {
        let parts = pair(&p).exprs();
        let [x, y] = parts.as_slice() else {
            return refused("a point of this path is computed: change it in the text");
        };
        for (n, by) in [(x, dx), (y, dy)] {
            let Some(old) = literal(n) else {
                return refused(format!("`{}` is computed: change it in the text", n));
            };
            if by != 0 {
                edits.push(TextEdit { range: n.bytes(), text: number::show_number(old + by as f64) });
            }
        }
    }
    Ok((file, Change::new(edits)?))
}

/// Takes placed actors away; of several placed together those alone.
///
/// # Errors
/// An actor that is not placed by the text.
pub fn remove_actors(a: &Analysis, actors: &[&str]) -> Result<Vec<FileChange>, EditError> {
    // By declaration: the points that go.
    let mut decls: Vec<(u16, Node, Vec<Node>)> = vec![];
    for name in actors {
        let (file, decl, point) = placed(a, name)?;
        match decls.iter_mut().find(|(f, d, _)| *f == file && *d == decl) {
            Some((_, _, points)) => points.push(point),
            None => decls.push((file, decl, vec![point])),
        }
    }
    let mut out = vec![];
    for (file, decl, gone) in decls {
        let all = ast::PlaceDecl::cast(&decl).map(|p| p.points()).unwrap_or_default();
        let goes = |p: &Node| gone.contains(p);
        let first_kept = all.iter().position(|p| !goes(p));
        let Some(first_kept) = first_kept else {
            let text = &a.files[file as usize].text;
            let mut range = lines_of(text, &decl);
            if range == decl.bytes() {
                let behind = &text[range.end..];
                range.end += behind.len() - behind.trim_start_matches([' ', ';']).len();
            }
            out.push(one(file, TextEdit::delete(range)));
            continue;
        };
        for (n, _) in all.iter().enumerate().filter(|(_, p)| goes(p)) {
            // With the sign that parts it from its neighbour.
            let range = if n < first_kept {
                all[n].bytes().start..all[n + 1].bytes().start
            } else {
                all[n - 1].bytes().end..all[n].bytes().end
            };
            out.push(one(file, TextEdit::delete(range)));
        }
    }
    together(out)
}

/// Puts another actor like one down: a further point where the first has no name of its own, else a declaration under
/// `name`.
///
/// # Errors
/// An actor that is not placed by the text; a name that is taken.
pub fn copy_actor(a: &Analysis, actor: &str, name: &str, (x, y): (f64, f64)) -> Result<FileChange, EditError> {
    let (file, decl, point) = placed(a, actor)?;
    if decl.child(K::NAME).is_none() {
        let area = a.files[file as usize].text[point.bytes()].split('(').next().unwrap_or("").to_string();
        let text = format!(", {area}{}", show_point(x, y));
        return Ok(one(file, TextEdit::insert(point.bytes().end, text)));
    }
    let taken = a.symbols.global(file, name).is_some();
    crate::naming::is_name(name)?;
    if taken {
        return Err(EditError::Taken(name.into()));
    }
    let text = &a.files[file as usize].text;
    let whole = decl.bytes();
    let (own, at) = (decl.child(K::NAME).map_or(whole.clone(), |n| n.bytes()), pair(&point).bytes());
    let inside = |r: Range<usize>| r.start - whole.start..r.end - whole.start;
    let edits = vec![
        TextEdit { range: inside(own), text: name.into() },
        TextEdit { range: inside(at), text: show_point(x, y) },
    ];
    let (copy, _) = Change::new(edits)?.apply(&text[whole.clone()])?;
    let end = text[whole.end..].find('\n').map_or(text.len(), |i| whole.end + i + 1);
    let newline = if text.contains("\r\n") { "\r\n" } else { "\n" };
    let before = if text[..end].ends_with('\n') { "" } else { newline };
    Ok(one(file, TextEdit::insert(end, format!("{before}{copy}{newline}"))))
}

/// A map of one tile with so many cells, as it is written: the level's own, or that of a further area.
pub fn map_text(area: Option<&str>, (width, height): (usize, usize), sign: char, newline: &str) -> String {
    let row = format!("{}{newline}", sign.to_string().repeat(width));
    let head = area.map_or("map".to_string(), |a| format!("area {a} map"));
    format!("{head} \"\"\"{newline}{}\"\"\"", row.repeat(height))
}

/// Adds a sort of tile: `'g' glass solid look "▒" blue`.
///
/// # Errors
/// What is no such row.
pub fn add_tile(a: &Analysis, row: &str) -> Result<FileChange, EditError> {
    let parsed = crate::parser::parse(&format!("tiles {{ {row} }}\n"));
    if let Some(e) = parsed.errors.first() {
        return refused(format!("{}; {}", e.message, e.help));
    }
    for (n, f) in a.files.iter().enumerate() {
        let Some(decl) = f.tree().children().find(|c| c.kind() == K::TILES_DECL) else { continue };
        // The rows stand in the braces as the declaration's own children, or in a body.
        let body = decl.child(K::BODY).unwrap_or(decl);
        let rows = body.all(K::TILE_ROW);
        let Some(last) = rows.last() else { return Ok((n as u16, put_last(&body, row))) };
        let text = &f.text;
        let start = text[..last.bytes().start].rfind('\n').map_or(0, |i| i + 1);
        let indent = &text[start..last.bytes().start];
        let newline = if text.contains("\r\n") { "\r\n" } else { "\n" };
        let text =
            if indent.trim().is_empty() && start > 0 { format!("{newline}{indent}{row}") } else { format!("; {row}") };
        return Ok(one(n as u16, TextEdit::insert(last.bytes().end, text)));
    }
    super::facts::add(a, &format!("tiles {{\n  {row}\n}}"))
}

/// Places one more of a kind, without a name of its own: behind the points of a bare `place KIND at …` that stands alone,
/// else as a declaration.
///
/// # Errors
/// A kind that is none.
pub fn place_one(a: &Analysis, kind: &str, point: &str) -> Result<FileChange, EditError> {
    for (n, f) in a.files.iter().enumerate() {
        let bare = |d: &Node| {
            d.kind() == K::PLACE_DECL
                && d.child(K::NAME).is_none()
                && d.child(K::BODY).is_none()
                && ast::PlaceDecl::cast(d).is_some_and(|p| p.facing().is_none() && p.area().is_none())
                && d.exprs().first().is_some_and(|k| k.word() == kind)
        };
        let last = f.tree().children().filter(bare).last();
        if let Some(at) = last.and_then(|d| ast::PlaceDecl::cast(&d)).and_then(|p| p.points().pop()) {
            return Ok(one(n as u16, TextEdit::insert(at.bytes().end, format!(", {point}"))));
        }
    }
    super::facts::add(a, &format!("place {kind} at {point}"))
}

/// Copies a zone of the level under another name, moved by whole cells.
///
/// # Errors
/// As [`super::facts::copy`] and [`super::facts::move_zone`].
pub fn copy_zone(a: &Analysis, zone: SymbolId, name: &str, by: (i64, i64)) -> Result<FileChange, EditError> {
    let (file, decl) = node(a, zone)?;
    let text = &a.files[file as usize].text;
    let whole = decl.bytes();
    let (_, moved) = super::facts::move_zone(a, zone, by)?;
    let named = decl.child(K::NAME).map_or(whole.clone(), |n| n.bytes());
    let inside = |r: &Range<usize>| r.start - whole.start..r.end - whole.start;
    let mut edits: Vec<TextEdit> =
        moved.edits().iter().map(|e| TextEdit { range: inside(&e.range), text: e.text.clone() }).collect();
    edits.push(TextEdit { range: inside(&named), text: name.into() });
    let (copy, _) = Change::new(edits)?.apply(&text[whole.clone()])?;
    let end = text[whole.end..].find('\n').map_or(text.len(), |i| whole.end + i + 1);
    let newline = if text.contains("\r\n") { "\r\n" } else { "\n" };
    let before = if text[..end].ends_with('\n') { "" } else { newline };
    Ok(one(file, TextEdit::insert(end, format!("{before}{copy}{newline}"))))
}

/// Takes a declaration out with every declaration and rule that names it.
///
/// # Errors
/// As [`super::facts::remove`].
pub fn remove_all(a: &Analysis, id: SymbolId) -> Result<Vec<FileChange>, EditError> {
    let mut all = vec![super::facts::remove(a, id)?];
    for span in super::facts::referring(a, id) {
        let Some(f) = a.files.get(span.file as usize) else { continue };
        let Some(node) = f.tree().token_at(span.start as usize).and_then(|t| t.parent()) else { continue };
        // The smallest declaration or rule round the place, as it can go by itself.
        let goes = |n: &Node| n.parent().is_some_and(|p| p.parent().is_none()) || n.kind() == K::RULE;
        let Some(decl) = node.ancestors().find(goes) else { continue };
        let range = lines_of(&f.text, &decl);
        all.push(one(span.file, TextEdit::delete(range)));
    }
    together(apart(all))
}

/// Deletions of which some lie in others, without those, and each once.
pub fn apart(changes: Vec<FileChange>) -> Vec<FileChange> {
    let all: Vec<(u16, TextEdit)> = changes
        .into_iter()
        .flat_map(|(f, c)| c.edits().iter().map(move |e| (f, e.clone())).collect::<Vec<_>>())
        .collect();
    let mut out: Vec<(u16, TextEdit)> = vec![];
    for (i, (f, e)) in all.iter().enumerate() {
        let within = all.iter().enumerate().any(|(j, (g, o))| {
            let holds = f == g && o.text.is_empty() && o.range.start <= e.range.start && e.range.end <= o.range.end;
            i != j && holds && (o.range != e.range || j < i)
        });
        if !within {
            out.push((*f, e.clone()));
        }
    }
    out.into_iter().map(|(f, e)| one(f, e)).collect()
}
