//! The facts of what lies on a cell, as the text gives them, and what each becomes when it is changed by hand.
//!
//! Not here: whether a changed text still loads: whoever changes it tries first.
//!
//! Invariant: a fact with an edit is changed by it, and no other fact is (held by tests).

use super::{CouldNotice, Laid, LaidZone, tile};
use mayfly_base::*;
use mayfly_lang::analysis::{Analysis, Symbol, SymbolId, SymbolKind};
use mayfly_lang::edit::facts::{self, FileChange};
use mayfly_lang::edit::{EditError, laying};
use mayfly_lang::level::Level;

/// One thing that lies on a cell, or notices it.
#[derive(Clone, Debug, PartialEq)]
pub enum Item {
    Tile,
    Zone(LaidZone),
    /// By its place in [`Laid::actors`].
    Actor(usize),
    Point(PathId, usize),
    Notices(CouldNotice),
}

/// One fact, as it is shown; what changes it, where it can be changed.
#[derive(Clone, Debug, PartialEq)]
pub struct Fact {
    pub label: String,
    pub text: String,
    pub edit: Option<Edit>,
}

/// What a fact is in the text.
#[derive(Clone, Debug, PartialEq)]
pub enum Edit {
    /// The tile of the cell: chosen from those that there are.
    Tile,
    Shape(SymbolId),
    Whom(SymbolId),
    Place(String),
    Facing(String),
    /// A value that an actor, or a zone with a kind, is given: whose, and which.
    Given(String, String),
    /// An attribute of a kind.
    Attribute(SymbolId, &'static str),
    /// The first value of a variable.
    First(SymbolId),
    Point(SymbolId, usize),
    PathEnd(SymbolId),
}

/// The symbol of a sort and name: of the level, or of a kind.
pub fn symbol(a: &Analysis, kind: SymbolKind, of: Option<&str>, name: &str) -> Option<SymbolId> {
    let same = |s: &Symbol| {
        let owner = s.of.map(|o| a.symbols.get(o)).filter(|o| o.kind == SymbolKind::Kind).map(|o| o.name.as_str());
        s.kind == kind && s.name == name && owner == of
    };
    a.symbols.iter().find(|(_, s)| same(s)).map(|(id, _)| id)
}

/// What an item is in the text.
pub fn symbol_of(a: &Analysis, laid: &Laid, item: &Item, area: AreaId, cell: (i64, i64)) -> Option<SymbolId> {
    let level = a.draft();
    match item {
        Item::Tile => {
            let t = tile(level, area, cell)?;
            symbol(a, SymbolKind::Tile, None, &level.tiles[t.index()].name)
        }
        Item::Zone((z, _)) => {
            let z = &level.zones[z.index()];
            let of = z.of.map(|k| level.kinds[k.index()].name.as_str());
            symbol(a, SymbolKind::Zone, of, &z.name)
        }
        Item::Actor(n) => {
            let actor = laid.actors.get(*n)?;
            symbol(a, SymbolKind::Actor, None, &actor.name)
                .or_else(|| symbol(a, SymbolKind::Kind, None, &level.kinds[actor.kind.index()].name))
        }
        Item::Point(p, _) => symbol(a, SymbolKind::Path, None, &level.paths[p.index()].name),
        Item::Notices(n) => symbol_of(a, laid, &Item::Actor(n.actor), area, cell),
    }
}

/// Everything on a cell, and who could notice it.
pub fn items(level: &Level, laid: &Laid, area: AreaId, cell: (i64, i64)) -> Vec<Item> {
    let mut out: Vec<Item> = laid.actors_on(area, cell).into_iter().map(Item::Actor).collect();
    out.extend(laid.points_on(level, area, cell).into_iter().map(|(p, n)| Item::Point(p, n)));
    out.extend(laid.zones_on(level, area, cell).into_iter().map(Item::Zone));
    out.push(Item::Tile);
    out.extend(laid.noticing(level, area, cell).into_iter().map(Item::Notices));
    out
}

/// An item's name with its sort, as its heading says it.
pub fn heading(level: &Level, laid: &Laid, item: &Item, area: AreaId, cell: (i64, i64)) -> (String, String) {
    match item {
        Item::Tile => match tile(level, area, cell) {
            Some(t) => (level.tiles[t.index()].name.clone(), "tile".into()),
            None => ("nothing".into(), "is laid here".into()),
        },
        Item::Zone((z, of)) => {
            let zone = &level.zones[z.index()];
            match of.and_then(|n| laid.actors.get(n)) {
                Some(a) => (format!("{}.{}", a.name, zone.name), format!("zone of {}", a.name)),
                None => (zone.name.clone(), "zone".into()),
            }
        }
        Item::Actor(n) => {
            let actor = &laid.actors[*n];
            (actor.name.clone(), level.kinds[actor.kind.index()].name.clone())
        }
        Item::Point(p, n) => (level.paths[p.index()].name.clone(), format!("path, point {n}")),
        Item::Notices(n) => {
            let name = &laid.actors[n.actor].name;
            let far = number::show_number((n.far * 10.0).round() / 10.0);
            let reach = number::show_number(n.reach);
            let text = match (&n.near, &n.between) {
                (Some(within), _) => format!("near, {far} of {}", number::show_number(*within)),
                (None, None) => format!("sight, {far} of {reach} away"),
                (None, Some(b)) => format!("sight, but {b} stands between"),
            };
            (name.clone(), text)
        }
    }
}

fn fact(label: impl Into<String>, text: impl Into<String>, edit: Option<Edit>) -> Fact {
    Fact { label: label.into(), text: text.into(), edit }
}

/// The facts of an item, in the order in which they are shown.
pub fn facts_of(a: &Analysis, laid: &Laid, item: &Item, area: AreaId, cell: (i64, i64)) -> Vec<Fact> {
    let level = a.draft();
    let id = symbol_of(a, laid, item, area, cell);
    let mut out = vec![];
    match item {
        Item::Tile => {
            let t = tile(level, area, cell).map(|t| &level.tiles[t.index()]);
            let mut words = vec![];
            if let Some(t) = t {
                words.extend(t.solid.then_some("solid".to_string()));
                words.extend(t.opaque.then_some("opaque".to_string()));
                words.extend(t.tags.iter().map(|t| level.tags[t.index()].clone()));
            }
            let text = t.map_or("-".to_string(), |t| format!("{}  {}", t.name, words.join(" ")));
            out.push(fact("tile", text.trim_end(), Some(Edit::Tile)));
        }
        Item::Zone((z, _)) => {
            let zone = &level.zones[z.index()];
            if let Some(id) = id {
                let shape = laying::shape_text(a, id).unwrap_or_default();
                out.push(fact("shape", shape, Some(Edit::Shape(id))));
                let whom = laying::whom_text(a, id);
                let whom = if whom.is_empty() { "everybody".into() } else { whom };
                out.push(fact("for", whom, Some(Edit::Whom(id))));
            }
            if let Some(k) = zone.kind {
                values(a, level, &zone.name, k, &mut out);
            }
        }
        Item::Actor(n) => {
            let actor = &laid.actors[*n];
            let point = format!("({}, {})", number::show_number(actor.at.x), number::show_number(actor.at.y));
            out.push(fact("at", point, Some(Edit::Place(actor.name.clone()))));
            let facing = DIRECTIONS.get(actor.facing as usize).copied().unwrap_or("north");
            out.push(fact("facing", facing, Some(Edit::Facing(actor.name.clone()))));
            values(a, level, &actor.name, actor.kind, &mut out);
            of_kind(a, level, actor.kind, &mut out);
        }
        Item::Point(p, n) => {
            let path = &level.paths[p.index()];
            if let Some(id) = id {
                let at = path
                    .points
                    .get(*n)
                    .map_or(String::new(), |q| format!("({}, {})", number::show_number(q.x), number::show_number(q.y)));
                out.push(fact("point", at, Some(Edit::Point(id, *n))));
                let end = match path.end {
                    mayfly_base::code::PathEnd::Loop => "loop",
                    mayfly_base::code::PathEnd::Bounce => "bounce",
                    mayfly_base::code::PathEnd::Once => "once",
                };
                out.push(fact("end", end, Some(Edit::PathEnd(id))));
                out.push(fact("points", path.points.len().to_string(), None));
            }
        }
        Item::Notices(_) => {}
    }
    let doc = id.map(|id| a.symbols.get(id).doc.clone()).filter(|d| !d.is_empty());
    // A kind's words are not those of each actor.
    if let Some(doc) = doc.filter(|_| !matches!(item, Item::Notices(_) | Item::Tile)) {
        out.push(fact("", format!("\"{doc}\""), None));
    }
    out
}

/// The variables of who has a kind, each as given or with the kind's first value.
fn values(a: &Analysis, level: &Level, whose: &str, kind: KindId, out: &mut Vec<Fact>) {
    let given = laying::given(a, whose);
    for f in &level.kinds[kind.index()].fields {
        let own = given.iter().find(|(n, _)| *n == f.name).map(|(_, v)| v.clone());
        let text = own.unwrap_or_else(|| a.text(f.first.span).to_string());
        out.push(fact(f.name.clone(), text, Some(Edit::Given(whose.into(), f.name.clone()))));
    }
    for (name, value) in given {
        if level.kinds[kind.index()].fields.iter().all(|f| f.name != name) {
            let value = if value.is_empty() { "yes".to_string() } else { value };
            out.push(fact(name.clone(), value, Some(Edit::Given(whose.into(), name))));
        }
    }
}

/// The attributes of a kind that one changes most.
fn of_kind(a: &Analysis, level: &Level, kind: KindId, out: &mut Vec<Fact>) {
    let k = &level.kinds[kind.index()];
    let Some(id) = symbol(a, SymbolKind::Kind, None, &k.name) else { return };
    out.push(fact("", format!("every {}:", k.name), None));
    for (name, standard) in [("look", "\"●\""), ("speed", "4"), ("solid", "no"), ("opaque", "no")] {
        let text = laying::attribute_text(a, id, name);
        let text = match text {
            Some(t) if t.is_empty() => "yes".to_string(),
            Some(t) => t,
            None => standard.to_string(),
        };
        out.push(fact(name, text, Some(Edit::Attribute(id, name))));
    }
}

fn point(text: &str) -> Result<(f64, f64), EditError> {
    let inner = text.trim().trim_start_matches('(').trim_end_matches(')');
    let parts: Vec<f64> =
        inner.split(',').filter_map(|p| p.trim().parse().ok()).filter(|n: &f64| n.is_finite()).collect();
    match parts.as_slice() {
        [x, y] if inner.split(',').count() == 2 => Ok((*x, *y)),
        _ => Err(EditError::Refused { why: format!("`{text}` is no place: write `(3, 4)`") }),
    }
}

/// What a fact becomes with what was typed for it.
///
/// # Errors
/// What cannot stand there.
pub fn change(a: &Analysis, edit: &Edit, typed: &str) -> Result<Vec<FileChange>, EditError> {
    let typed = typed.trim();
    let one = match edit {
        Edit::Tile => return Err(EditError::Refused { why: "a tile is chosen from the list".into() }),
        Edit::Shape(id) => laying::set_shape(a, *id, typed)?,
        Edit::Whom(id) => {
            let names: Vec<&str> = typed.split(',').map(str::trim).filter(|n| !n.is_empty()).collect();
            let all = matches!(names.as_slice(), [] | ["everybody"]);
            facts::set_for(a, *id, if all { &[] } else { &names })?
        }
        Edit::Place(who) => {
            let (x, y) = point(typed)?;
            facts::set_place(a, who, x, y)?
        }
        Edit::Facing(who) => facts::set_facing(a, who, typed)?,
        Edit::Given(who, name) => facts::set_given(a, who, name, typed)?,
        Edit::Attribute(id, name) => match typed {
            "yes" | "true" | "" => facts::set_attribute(a, *id, name, None)?,
            "no" => facts::set_attribute(a, *id, name, Some("false"))?,
            value => facts::set_attribute(a, *id, name, Some(value))?,
        },
        Edit::First(id) => facts::set_first(a, *id, typed)?,
        Edit::Point(id, n) => {
            let to = point(typed)?;
            laying::set_point(a, *id, *n, to)?
        }
        Edit::PathEnd(id) => laying::set_path_end(a, *id, typed)?,
    };
    Ok(vec![one])
}

/// The text before what is typed for a fact, so that what fits can be proposed.
pub fn head(a: &Analysis, edit: &Edit) -> Option<String> {
    let kind_of = |who: &str| {
        let level = a.draft();
        let actor = level.actors.iter().find(|x| x.name == who).map(|x| x.kind);
        let zone = || level.zones.iter().find(|z| z.name == who && z.of.is_none()).and_then(|z| z.kind);
        actor.or_else(zone).map(|k| level.kinds[k.index()].name.clone())
    };
    Some(match edit {
        Edit::Shape(_) => "zone z = ".into(),
        Edit::Whom(_) => "zone z = rect (0, 0) 1 x 1 for ".into(),
        Edit::Facing(who) => format!("place p: {} at (0, 0) facing ", kind_of(who)?),
        Edit::Given(who, name) => format!("place p: {} at (0, 0) {{ {name} = ", kind_of(who)?),
        Edit::Attribute(_, name) => format!("kind k {{ {name} "),
        Edit::First(_) => "var v = ".into(),
        Edit::PathEnd(_) => "path p = (0, 0) (1, 1) ".into(),
        Edit::Tile | Edit::Place(_) | Edit::Point(..) => return None,
    })
}
