//! The facts of a declaration, each changed by one small edit: where somebody stands, how large a zone is, whom it notices,
//! with which value something begins; and declarations added, copied and taken out.
//!
//! Invariant: an edit leaves every other byte as it is; the level that is read afterwards differs in that fact alone (held
//! by tests on texts full of comments).

use super::maps::literal;
use super::{Change, EditError, TextEdit};
use crate::analysis::{Analysis, SymbolId, SymbolKind};
use crate::ast::{self, AstNode};
use crate::naming::is_name;
use crate::syntax::{Kind as K, Node};
use mayfly_base::code::WhoSet;
use mayfly_base::{Span, number};

/// A change of one file.
pub type FileChange = (u16, Change);

/// The node of a declaration.
pub(super) fn node(a: &Analysis, id: SymbolId) -> Result<(u16, Node), EditError> {
    let s = a.symbols.get(id);
    let missing = || EditError::Missing { what: s.kind.word(), name: s.name.clone() };
    let file = a.files.get(s.whole.file as usize).ok_or_else(missing)?;
    let found = file.tree().descendants().find(|n| n.bytes() == s.whole.range() && n.child(K::NAME).is_some());
    let found =
        found.or_else(|| file.tree().descendants().find(|n| n.kind() == K::RULE && n.bytes() == s.whole.range()));
    found.map(|n| (s.whole.file, n)).ok_or_else(missing)
}

/// The point at which an actor is placed, and its declaration.
pub(super) fn placed(a: &Analysis, actor: &str) -> Result<(u16, Node, Node), EditError> {
    let missing = || EditError::Missing { what: "actor", name: actor.into() };
    let span = a.draft().actors.iter().find(|x| x.name == actor).map(|x| x.span).ok_or_else(missing)?;
    let tree = a.files.get(span.file as usize).ok_or_else(missing)?.tree();
    let decl = tree.children().find(|n| {
        let b = n.bytes();
        n.kind() == K::PLACE_DECL && b.start <= span.start as usize && span.end as usize <= b.end
    });
    let decl = decl.ok_or_else(missing)?;
    let points = ast::PlaceDecl::cast(&decl).map(|p| p.points()).unwrap_or_default();
    // Of a named one the place of its name is known, of others that of their point.
    let own = points.iter().find(|p| p.bytes() == span.range()).or(points.first()).cloned();
    own.map(|p| (span.file, decl, p)).ok_or_else(missing)
}

pub(super) fn one(file: u16, edit: TextEdit) -> FileChange {
    (file, Change::one(edit))
}

pub(super) fn show_point(x: f64, y: f64) -> String {
    format!("({}, {})", number::show_number(x), number::show_number(y))
}

/// Puts an actor somewhere else in its area.
///
/// # Errors
/// An actor that is not placed by the text.
pub fn set_place(a: &Analysis, actor: &str, x: f64, y: f64) -> Result<FileChange, EditError> {
    let (file, _, point) = placed(a, actor)?;
    // `cellar (3, 4)` keeps its area.
    let pair = point.descendants().find(|n| matches!(n.kind(), K::PAREN_EXPR | K::ARGS)).unwrap_or(point);
    Ok(one(file, TextEdit { range: pair.bytes(), text: show_point(x, y) }))
}

/// Turns an actor.
///
/// # Errors
/// An unnamed actor that is placed together with others.
pub fn set_facing(a: &Analysis, actor: &str, direction: &str) -> Result<FileChange, EditError> {
    if !mayfly_base::DIRECTIONS.contains(&direction) {
        return Err(EditError::Refused { why: format!("`{direction}` is no direction: north, east, south or west") });
    }
    let (file, decl) = alone(a, actor)?;
    if let Some(old) = ast::PlaceDecl::cast(&decl).and_then(|p| p.facing()) {
        return Ok(one(file, TextEdit { range: old.bytes(), text: direction.into() }));
    }
    let at = ast::PlaceDecl::cast(&decl).and_then(|p| p.at()).map_or(decl.bytes().end, |p| p.bytes().end);
    Ok(one(file, TextEdit::insert(at, format!(" facing {direction}"))))
}

/// The declaration that places one actor and no other.
fn alone(a: &Analysis, actor: &str) -> Result<(u16, Node), EditError> {
    let (file, decl, _) = placed(a, actor)?;
    if ast::PlaceDecl::cast(&decl).map_or(0, |p| p.points().len()) > 1 {
        let why = format!("`{actor}` is placed together with others: give it a `place` of its own first");
        return Err(EditError::Refused { why });
    }
    Ok((file, decl))
}

/// Gives a placed actor, or a zone with a kind, a value of its own: `{ oil = 4 }`; an attribute as well.
///
/// # Errors
/// As [`set_facing`]; a name that is none.
pub fn set_given(a: &Analysis, whose: &str, name: &str, value: &str) -> Result<FileChange, EditError> {
    let zone = a.symbols.iter().find(|(_, s)| s.kind == SymbolKind::Zone && s.of.is_none() && s.name == whose);
    let (file, decl) = match zone {
        Some((id, _)) => node(a, id)?,
        None => alone(a, whose)?,
    };
    let Some(body) = decl.child(K::BODY) else {
        let at = decl.bytes().end;
        return Ok(one(file, TextEdit::insert(at, format!(" {{ {name} = {value} }}"))));
    };
    Ok((file, set_in_body(&body, name, value)))
}

fn set_in_body(body: &Node, name: &str, value: &str) -> Change {
    for item in body.children() {
        let exprs = item.exprs();
        match (item.kind(), exprs.as_slice()) {
            (K::ASSIGN_STMT, [target, old]) if target.word() == name => {
                return Change::one(TextEdit { range: old.bytes(), text: value.into() });
            }
            (K::ATTRIBUTE, _) if item.word() == name => {
                return Change::one(TextEdit { range: item.bytes(), text: format!("{name} {value}") });
            }
            _ => {}
        }
    }
    put_last(body, &format!("{name} = {value}"))
}

/// Puts a statement behind the last in braces, laid out as those before it.
pub(super) fn put_last(body: &Node, item: &str) -> Change {
    let close = body.own_tokens().filter(|t| t.kind() == K::R_BRACE).last();
    let end = close.map_or(body.bytes().end, |t| t.range().start);
    let Some(last) = body.children().last() else {
        // `{}` and `{ }`
        let inside = body.to_string();
        let blank = inside[1..].chars().take_while(|c| *c == ' ').count();
        let at = body.bytes().start + 1;
        let text = if blank == 0 { format!(" {item} ") } else { format!(" {item}") };
        return Change::one(TextEdit::insert(at, text));
    };
    let at = last.bytes().end;
    let whole = body.to_string();
    let from = body.range().start;
    let lines = whole[last.bytes().start - from..end - from].contains('\n') && whole.contains('\n');
    let indent = line_indent(&whole, last.bytes().start - from);
    let text = match (lines, indent) {
        (true, Some(indent)) => format!("\n{indent}{item}"),
        _ => format!("; {item}"),
    };
    Change::one(TextEdit::insert(at, text))
}

/// The indentation of a line, where nothing but it stands before a place.
fn line_indent(text: &str, at: usize) -> Option<String> {
    let start = text[..at].rfind('\n')? + 1;
    let before = &text[start..at];
    before.trim().is_empty().then(|| before.to_string())
}

/// Writes the first value of a variable or constant, or the expression of a computed value.
///
/// # Errors
/// What has no such value.
pub fn set_first(a: &Analysis, id: SymbolId, value: &str) -> Result<FileChange, EditError> {
    let (file, decl) = node(a, id)?;
    let first = decl.expr().filter(|_| {
        matches!(decl.kind(), K::VAR_DECL | K::CONST_DECL | K::DEFINE_DECL | K::TIMER_DECL | K::INPUT_DECL)
    });
    match first {
        Some(old) => Ok(one(file, TextEdit { range: old.bytes(), text: value.into() })),
        None => Err(EditError::Refused { why: format!("`{}` has no first value", a.symbols.get(id).name) }),
    }
}

/// Sets an attribute of a kind: `speed 6`, `solid`, `look "x" amber`; without a value it stands alone.
///
/// # Errors
/// What is no kind.
pub fn set_attribute(a: &Analysis, kind: SymbolId, name: &str, value: Option<&str>) -> Result<FileChange, EditError> {
    let (file, decl) = node(a, kind)?;
    if decl.kind() != K::KIND_DECL {
        return Err(EditError::Refused { why: format!("`{}` is no kind", a.symbols.get(kind).name) });
    }
    let item = value.map_or_else(|| name.to_string(), |v| format!("{name} {v}"));
    let Some(body) = decl.child(K::BODY) else {
        return Ok(one(file, TextEdit::insert(decl.bytes().end, format!(" {{ {item} }}"))));
    };
    if let Some(old) = body.children().find(|c| c.kind() == K::ATTRIBUTE && c.word() == name) {
        return Ok(one(file, TextEdit { range: old.bytes(), text: item }));
    }
    Ok((file, put_last(&body, &item)))
}

/// Whom a zone notices: kinds and tags; nobody named is everybody.
///
/// # Errors
/// What is no zone.
pub fn set_for(a: &Analysis, zone: SymbolId, whom: &[&str]) -> Result<FileChange, EditError> {
    let (file, decl) = node(a, zone)?;
    if decl.kind() != K::ZONE_DECL {
        return Err(EditError::Refused { why: format!("`{}` is no zone", a.symbols.get(zone).name) });
    }
    let text = format!("for {}", whom.join(", "));
    let edit = match (decl.child(K::FOR_WHOM), whom.is_empty()) {
        (Some(old), false) => TextEdit { range: old.bytes(), text },
        (Some(old), true) => {
            // With the space before it.
            let before = decl.children().take_while(|c| *c != old).last().map_or(old.bytes().start, |c| c.bytes().end);
            TextEdit::delete(before..old.bytes().end)
        }
        (None, true) => return Ok((file, Change::default())),
        (None, false) => {
            let shape = decl.children().filter(|c| c.kind().is_shape()).last();
            TextEdit::insert(shape.map_or(decl.bytes().end, |s| s.bytes().end), format!(" {text}"))
        }
    };
    Ok(one(file, edit))
}

/// Moves a zone of the level by whole cells; every shape of it.
///
/// # Errors
/// A zone of tiles or of other zones; places that are computed.
pub fn move_zone(a: &Analysis, zone: SymbolId, by: (i64, i64)) -> Result<FileChange, EditError> {
    let (file, decl) = node(a, zone)?;
    let mut edits = vec![];
    let mut shift = |n: &Node, by: i64| -> Result<(), EditError> {
        let old = literal(n)
            .ok_or_else(|| EditError::Refused { why: format!("`{}` is computed: change it in the text", n) })?;
        if by != 0 {
            edits.push(TextEdit { range: n.bytes(), text: number::show_number(old + by as f64) });
        }
        Ok(())
    };
    let name = &a.symbols.get(zone).name;
    for n in decl.descendants() {
        match n.kind() {
            K::SHAPE_TILES | K::SHAPE_NAME => {
                let why = format!("`{name}` lies where its tiles or other zones lie: move those");
                return Err(EditError::Refused { why });
            }
            K::PAREN_EXPR if n.parent().is_some_and(|p| p.kind().is_shape()) => {
                if let [x, y] = n.exprs().as_slice() {
                    shift(x, by.0)?;
                    shift(y, by.1)?;
                }
            }
            K::CELL_ROW => {
                n.exprs().first().map_or(Ok(()), |row| shift(row, by.1))?;
                for c in n.all(K::CELL_RANGE).iter().flat_map(|r| r.exprs()) {
                    shift(&c, by.0)?;
                }
            }
            _ => {}
        }
    }
    Ok((file, Change::new(edits)?))
}

/// Gives a zone of one rect or one disc another size: width and height, or the radius twice.
///
/// # Errors
/// A zone of another shape.
pub fn resize_zone(a: &Analysis, zone: SymbolId, size: (f64, f64)) -> Result<FileChange, EditError> {
    let (file, decl) = node(a, zone)?;
    let shape = decl.children().find(|c| c.kind().is_shape());
    let edits = match shape.map(|s| (s.kind(), s.exprs())) {
        Some((K::SHAPE_RECT, e)) if e.len() == 3 => vec![(e[1].clone(), size.0), (e[2].clone(), size.1)],
        Some((K::SHAPE_DISC, e)) if !e.is_empty() => vec![(e[e.len() - 1].clone(), size.0)],
        _ => {
            let why = format!("`{}` is made of several shapes: change them in the text", a.symbols.get(zone).name);
            return Err(EditError::Refused { why });
        }
    };
    let edits = edits.into_iter().map(|(n, v)| TextEdit { range: n.bytes(), text: number::show_number(v) }).collect();
    Ok((file, Change::new(edits)?))
}

/// Adds a declaration to the level's own file: behind the last of its sort, else at the end.
///
/// # Errors
/// A text that is no declaration.
pub fn add(a: &Analysis, declaration: &str) -> Result<FileChange, EditError> {
    let parsed = crate::parser::parse(declaration);
    let kind = parsed.tree().children().next().map(|n| n.kind());
    if let Some(e) = parsed.errors.first() {
        return Err(EditError::Refused { why: e.message.clone() });
    }
    let file = &a.files[0];
    let end = if file.text.contains("\r\n") { "\r\n" } else { "\n" };
    // Behind a declaration that is broken it could be read as part of that.
    let sound = file.broken_from().unwrap_or(usize::MAX);
    let before_it = |n: &Node| n.bytes().end <= sound;
    let last = file.tree().children().filter(|c| Some(c.kind()) == kind && before_it(c)).last();
    let text = &file.text;
    let (at, alone) = match last {
        Some(n) => (line_end(text, n.bytes().end), false),
        None if sound < text.len() => (text[..sound].rfind('\n').map_or(0, |i| i + 1), true),
        None => (text.len(), true),
    };
    // The first of its sort stands apart from what is above it.
    let apart = alone && at > 0 && !text[..at].ends_with("\n\n") && !text[..at].ends_with("\r\n\r\n");
    let before = match (at == 0 || text[..at].ends_with('\n'), apart) {
        (true, false) => String::new(),
        (false, true) => format!("{end}{end}"),
        _ => end.to_string(),
    };
    let declaration =
        if end == "\n" { declaration.to_string() } else { declaration.replace("\r\n", "\n").replace('\n', end) };
    let behind = if alone && at < text.len() { end } else { "" };
    Ok(one(0, TextEdit::insert(at, format!("{before}{declaration}{end}{behind}"))))
}

fn line_end(text: &str, at: usize) -> usize {
    text[at..].find('\n').map_or(text.len(), |i| at + i + 1)
}

/// The lines of a declaration, its `///` lines and its line's end included; the declaration alone where others stand on
/// its line.
pub(super) fn lines_of(text: &str, decl: &Node) -> std::ops::Range<usize> {
    let mut first = decl.bytes().start;
    let mut at = decl.previous();
    while let Some(e) = at {
        match e.kind() {
            K::DOC => first = e.range().start,
            K::SPACE => {}
            K::NEWLINE if e.as_token().is_some_and(|t| t.text().matches('\n').count() == 1) => {}
            _ => break,
        }
        at = e.previous();
    }
    let start = text[..first].rfind('\n').map_or(0, |i| i + 1);
    let end = line_end(text, decl.bytes().end);
    let behind = text[decl.bytes().end..end].trim();
    let alone = text[start..first].trim().is_empty() && (behind.is_empty() || behind.starts_with("//"));
    if alone { start..end } else { decl.bytes() }
}

/// Takes a declaration out, with its lines. What refers to it is the caller's to show: [`referring`].
///
/// # Errors
/// What is declared inside another's line.
pub fn remove(a: &Analysis, id: SymbolId) -> Result<FileChange, EditError> {
    let (file, decl) = node(a, id)?;
    let text = &a.files[file as usize].text;
    let mut range = lines_of(text, &decl);
    if range == decl.bytes() {
        // One of several on a line: with the sign that parts it from the next.
        let behind = &text[range.end..];
        let sign = behind.len() - behind.trim_start_matches([' ', ';']).len();
        range.end += sign;
    }
    Ok(one(file, TextEdit::delete(range)))
}

/// Every place that names a thing, its own declaration left out.
pub fn referring(a: &Analysis, id: SymbolId) -> Vec<Span> {
    let own = a.symbols.get(id).whole;
    let outside = |s: &Span| s.file != own.file || s.start < own.start || s.end > own.end;
    a.uses_of(id).filter(|u| !u.declares && outside(&u.at)).map(|u| u.at).collect()
}

/// Copies a declaration of the level under another name, behind the first; with `rules` every rule that names it is copied
/// too, with the name changed in it and ` (NAME)` behind its title.
///
/// # Errors
/// A name that is taken or is none; what cannot be copied.
pub fn copy(a: &Analysis, id: SymbolId, name: &str, rules: bool) -> Result<Vec<FileChange>, EditError> {
    let s = a.symbols.get(id);
    is_name(name)?;
    if a.symbols.global(s.at.file, name).is_some() {
        return Err(EditError::Taken(name.into()));
    }
    let mut edits: Vec<(u16, TextEdit)> = vec![];
    let mut copied = |which: SymbolId| -> Result<(), EditError> {
        let (file, decl) = node(a, which)?;
        let text = &a.files[file as usize].text;
        let range = lines_of(text, &decl);
        let title = (a.symbols.get(which).kind == SymbolKind::Rule).then(|| a.symbols.get(which).at);
        let mut new: Vec<TextEdit> = a
            .uses_of(id)
            .filter(|u| u.at.file == file && range.contains(&(u.at.start as usize)))
            .map(|u| TextEdit {
                range: u.at.start as usize - range.start..u.at.end as usize - range.start,
                text: name.into(),
            })
            .collect();
        new.extend(title.map(|t| TextEdit::insert(t.end as usize - 1 - range.start, format!(" ({name})"))));
        let (body, _) = Change::new(new)?.apply(&text[range.clone()])?;
        let whole = range != decl.bytes();
        let body = if whole && !body.ends_with('\n') { format!("\n{body}") } else { body };
        let body = if whole { body } else { format!("; {body}") };
        edits.push((file, TextEdit::insert(range.end, body)));
        Ok(())
    };
    copied(id)?;
    if rules {
        for rule in rules_naming(a, id) {
            copied(rule)?;
        }
    }
    let mut changes = vec![];
    for file in 0..a.files.len() as u16 {
        let own: Vec<TextEdit> = edits.iter().filter(|(f, _)| *f == file).map(|(_, e)| e.clone()).collect();
        if !own.is_empty() {
            changes.push((file, Change::new(own)?));
        }
    }
    Ok(changes)
}

/// The rules of the level, not of kinds, that name a thing.
pub fn rules_naming(a: &Analysis, id: SymbolId) -> Vec<SymbolId> {
    let named = |s: &crate::analysis::Symbol| {
        a.uses_of(id).any(|u| u.at.file == s.whole.file && s.whole.start <= u.at.start && u.at.end <= s.whole.end)
    };
    let rules = a.symbols.iter().filter(|(_, s)| s.kind == SymbolKind::Rule && s.of.is_none());
    rules.filter(|(_, s)| named(s)).map(|(id, _)| id).collect()
}

/// A first rule for a zone, a kind or an actor: what is written, and the byte in the changed text at which its `then`
/// waits for an action.
///
/// # Errors
/// What no rule begins with.
pub fn first_rule(a: &Analysis, id: SymbolId) -> Result<(FileChange, usize), EditError> {
    let s = a.symbols.get(id);
    let level = a.draft();
    let event = match s.kind {
        SymbolKind::Zone if s.of.is_none() => {
            let zone = level.zones.iter().find(|z| z.name == s.name && z.of.is_none());
            let who = zone.and_then(|z| z.notices.first()).and_then(|w| match w {
                WhoSet::Kind(k) => Some(level.kinds[k.index()].name.clone()),
                WhoSet::Tag(t) => Some(level.tags[t.index()].clone()),
                _ => None,
            });
            format!("{} enters {}", who.unwrap_or_else(|| "any".into()), s.name)
        }
        SymbolKind::Kind if level.kinds.iter().any(|k| k.name == s.name && k.of_zones) => {
            format!("any enters {}", s.name)
        }
        SymbolKind::Kind | SymbolKind::Actor => {
            let toucher = level.kinds.iter().find(|k| k.steered && k.name != s.name);
            match toucher {
                Some(k) => format!("{} touches {}", k.name, s.name),
                None => format!("{} spawns", s.name),
            }
        }
        _ => {
            return Err(EditError::Refused {
                why: format!("`{}` is {}: no rule begins with it", s.name, s.kind.article()),
            });
        }
    };
    let taken = |t: &str| a.symbols.iter().any(|(_, x)| x.kind == SymbolKind::Rule && x.of.is_none() && x.name == t);
    let title = (1..).map(|n| if n == 1 { event.clone() } else { format!("{event} {n}") }).find(|t| !taken(t));
    let title = title.unwrap_or_default();
    let head = format!("rule \"{title}\" {{\n  when {event}\n  then {{ ");
    let rule = format!("{head} }}\n}}");
    let (file, change) = add(a, &rule)?;
    let at = change.edits().first().map_or(0, |e| e.range.start + e.text.find(&head).unwrap_or(0) + head.len());
    Ok(((file, change), at))
}
