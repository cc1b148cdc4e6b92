//! What is kept between runs, as the text of a `.kept` file: one JSON object.
//!
//! ```text
//! {"vars":{"best":12.5},"actors":{"keeper":{"visits":3}},"once":["a rule","lamp / another @ lamp#2"]}
//! ```
//!
//! Invariant: what is read fits the level's types; what does not fit is told and left out, and a
//! variable that is not in the file has its own first value.

use mayfly_base::*;
use mayfly_engine::names::Named;
use mayfly_engine::program::Program;
use mayfly_engine::renew::Kept;
use mayfly_engine::world::World;
use mayfly_lang::level::Level;
use mayfly_lang::types::Ty;
use serde_json::{Map, Value as Json, json};
use std::sync::Arc;

/// A value so that it can be read again exactly.
fn write(v: &Value, names: &Named) -> Json {
    match v {
        Value::Number(n) => json!(n),
        Value::Duration(d) => json!(*d as f64 / 1e6),
        Value::List(l) | Value::Set(l) => Json::Array(l.iter().map(|v| write(v, names)).collect()),
        Value::Tally(l) => Json::Array(l.iter().map(|(v, n)| json!([write(v, names), n])).collect()),
        Value::Point(p) => json!([p.x, p.y, names.area(p.area)]),
        other => crate::json::value(other, names),
    }
}

/// What a world keeps.
pub fn to_json(program: &Program, world: &World) -> Json {
    let kept = world.kept(program);
    let names = Named(program, world);
    let vars: Map<String, Json> =
        kept.vars.iter().map(|(v, x)| (program.vars[v.index()].name.clone(), write(x, &names))).collect();
    let mut actors: Map<String, Json> = Map::new();
    for (a, f, x) in &kept.fields {
        let a = &world.actors[a.index()];
        let field = &program.kinds[a.kind.index()].fields[f.index()].name;
        let own = actors.entry(a.name.to_string()).or_insert_with(|| json!({}));
        own[field] = write(x, &names);
    }
    let once: Vec<String> = kept
        .once
        .iter()
        .map(|(r, me)| match me {
            Some(a) => format!("{} @ {}", program.rule_name(*r), names.actor(*a)),
            None => program.rule_name(*r),
        })
        .collect();
    json!({"vars": vars, "actors": actors, "once": once})
}

/// Why a text holds no kept values.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum KeptError {
    /// With the words of the reader of JSON.
    #[error("this is no file of kept values: {0}")]
    NoJson(String),
    #[error("kept values stand in one object: {{\"vars\":{{}},\"actors\":{{}},\"once\":[]}}")]
    NoObject,
}

/// Reads what was kept. The second part says what was left out, line by line.
///
/// # Errors
/// A text that is no such object.
pub fn from_text(level: &Level, program: &Program, text: &str) -> Result<(Kept, Vec<String>), KeptError> {
    let json: Json = serde_json::from_str(text).map_err(|e| KeptError::NoJson(e.to_string()))?;
    from_json(level, program, &json)
}

/// Reads what was kept from an object.
///
/// # Errors
/// Something that is no such object.
pub fn from_json(level: &Level, program: &Program, json: &Json) -> Result<(Kept, Vec<String>), KeptError> {
    if !json.is_object() {
        return Err(KeptError::NoObject);
    }
    let read = Reader { level };
    let (mut kept, mut left) = (Kept::default(), vec![]);
    for (name, v) in json["vars"].as_object().into_iter().flatten() {
        let found = level.vars.iter().position(|x| x.name == *name && x.keep);
        match found.and_then(|i| read.value(v, &level.vars[i].ty).map(|v| (VarId::at(i), v))) {
            Some(x) => kept.vars.push(x),
            None => left.push(format!("`{name}` is no kept variable of that type any more")),
        }
    }
    for (name, own) in json["actors"].as_object().into_iter().flatten() {
        for (field, v) in own.as_object().into_iter().flatten() {
            match read.field(name, field, v) {
                Some(x) => kept.fields.push(x),
                None => left.push(format!("`{name}.{field}` is no kept variable of that type any more")),
            }
        }
    }
    for title in json["once"].as_array().into_iter().flatten().filter_map(Json::as_str) {
        let (rule, actor) = title.split_once(" @ ").map_or((title, None), |(r, a)| (r, Some(a)));
        let found = (0..program.rules.len())
            .map(RuleId::at)
            .find(|r| program.rules[r.index()].limits.keep.is_some() && program.rule_name(*r) == rule);
        let me = actor.map(|a| read.actor(a));
        match (found, me) {
            (Some(r), None) => kept.once.push((r, None)),
            (Some(r), Some(Some(a))) => kept.once.push((r, Some(a))),
            _ => left.push(format!("there is no rule \"{rule}\" with `keep once` any more")),
        }
    }
    Ok((kept, left))
}

struct Reader<'a> {
    level: &'a Level,
}

impl Reader<'_> {
    fn actor(&self, name: &str) -> Option<ActorId> {
        let zone = || self.level.zones.iter().position(|z| z.name == name).map(ZoneId::at);
        let placed = self.level.actors.iter().position(|a| a.name == name).map(ActorId::at);
        placed.or_else(|| zone().and_then(|z| self.level.stand_in(z)))
    }

    fn field(&self, name: &str, field: &str, v: &Json) -> Option<(ActorId, FieldId, Value)> {
        let id = self.actor(name)?;
        let kind = match self.level.actors.get(id.index()) {
            Some(a) => a.kind,
            None => self.level.zones.iter().find(|z| z.name == name)?.kind?,
        };
        let fields = &self.level.kinds[kind.index()].fields;
        let i = fields.iter().position(|f| f.name == field && f.keep)?;
        Some((id, FieldId::at(i), self.value(v, &fields[i].ty)?))
    }

    fn value(&self, v: &Json, ty: &Ty) -> Option<Value> {
        let l = self.level;
        let at = |found: Option<usize>| found.map(|i| i as u32);
        Some(match ty {
            Ty::Maybe(_) | Ty::Nothing if v.is_null() => Value::None,
            Ty::Maybe(t) => self.value(v, t)?,
            Ty::Number => Value::Number(v.as_f64()?),
            Ty::Flag => Value::Flag(v.as_bool()?),
            Ty::Text => Value::text(v.as_str()?),
            Ty::Duration => Value::Duration((v.as_f64()? * 1e6).round() as i64),
            Ty::Point => {
                let area = v[2].as_str().map_or(Some(0), |n| l.areas.iter().position(|a| a.name == n))?;
                Value::Point(Point { x: v[0].as_f64()?, y: v[1].as_f64()?, area: AreaId::at(area) })
            }
            Ty::Enum(e) => Value::Enum(*e, at(l.enums[e.index()].values.iter().position(|n| v == n))?),
            Ty::Actor(_) => Value::Actor(self.actor(v.as_str()?)?),
            Ty::Zone(_) => Value::Zone(ZoneId(at(l.zones.iter().position(|n| *v == n.name))?), None),
            Ty::Timer => Value::Timer(TimerId(at(l.timers.iter().position(|n| *v == n.name))?)),
            Ty::Table(_) => Value::Table(TableId(at(l.tables.iter().position(|n| *v == n.name))?)),
            Ty::Tag => Value::Tag(TagId(at(l.tags.iter().position(|n| v == n))?)),
            Ty::Kind => Value::Kind(KindId(at(l.kinds.iter().position(|n| *v == n.name))?)),
            Ty::Tile => Value::Tile(TileId(at(l.tiles.iter().position(|n| *v == n.name))?)),
            Ty::Path => Value::Path(PathId(at(l.paths.iter().position(|n| *v == n.name))?)),
            Ty::Message(_) => Value::Message(MessageId(at(l.messages.iter().position(|n| *v == n.name))?)),
            Ty::State(m) => {
                let found = (0..l.states.len())
                    .map(StateId::at)
                    .find(|s| l.states[s.index()].machine == *m && *v == l.state_name(*s));
                Value::State(found?)
            }
            Ty::Record(_) | Ty::Broken | Ty::Nothing => return None,
            Ty::List(t) | Ty::Set(t) => {
                let items: Vec<Value> = v.as_array()?.iter().map(|x| self.value(x, t)).collect::<Option<_>>()?;
                if matches!(ty, Ty::List(_)) {
                    return Some(Value::list(items));
                }
                Value::set(items)
            }
            Ty::Tally(t) => {
                let rows = v.as_array()?.iter().map(|r| Some((self.value(&r[0], t)?, r[1].as_f64()?)));
                let mut rows: Vec<(Value, f64)> = rows.collect::<Option<_>>()?;
                rows.sort_by(|a, b| a.0.total(&b.0));
                rows.dedup_by(|a, b| a.0.same(&b.0));
                Value::Tally(Arc::new(rows.into_iter().collect()))
            }
        })
    }
}
