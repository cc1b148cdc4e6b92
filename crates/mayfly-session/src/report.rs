//! What a headless run prints: one JSON object (language.md §11).
//!
//! Invariant: keys stand in the order of the contract; a whole number is printed as one, any other
//! with at most six decimals.

use crate::headless::Facts;
use crate::json::{number, value};
use mayfly_base::code::{Goal, Part};
use mayfly_base::*;
use mayfly_engine::names::Named;
use mayfly_lang::level::{Level, Listed, OfKind};
use rustc_hash::FxHashMap;
use serde_json::{Map, Value as Json, json};

/// Variables and defines of an actor or a zone, in source order.
fn own_values(level: &Level, facts: &Facts, id: ActorId, names: &Named) -> Json {
    let w = facts.world;
    let a = &w.actors[id.index()];
    let listed = level.kinds[a.kind.index()].listed.iter().map(|l| match l {
        OfKind::Var(f) => {
            (level.kinds[a.kind.index()].fields[f.index()].name.clone(), value(&a.fields[f.index()], names))
        }
        OfKind::Define(d) => {
            let expr = &facts.engine.program.defines[d.index()].expr;
            let v = crate::values::of(facts.engine, w, expr, Some(id), &[]).ok();
            (level.defines[d.index()].name.clone(), v.map_or(Json::Null, |v| value(&v, names)))
        }
    });
    Json::Object(listed.collect())
}

/// An object. Of several entries of one name, such as private variables of several files, the later ones are numbered:
/// `heat`, `heat #2`.
fn object(entries: impl IntoIterator<Item = (String, Json)>) -> Json {
    let mut out = Map::new();
    let mut counts: FxHashMap<String, usize> = FxHashMap::default();
    for (name, json) in entries {
        let count = counts.entry(name.clone()).or_default();
        *count += 1;
        out.insert(if *count == 1 { name } else { format!("{name} #{count}") }, json);
    }
    Json::Object(out)
}

/// How often each transition fired and was held, by machine, state and goal.
fn transitions(level: &Level, facts: &Facts) -> Json {
    let (p, w) = (&facts.engine.program, facts.world);
    object(p.rules.iter().enumerate().filter_map(|(r, rule)| {
        let Some(Part::Transition { machine, from, to }) = &rule.part else { return None };
        let kind = rule.owner.map_or(String::new(), |k| format!("{}.", p.kinds[k.index()].name));
        let goal = match to {
            Goal::State(s) => level.state_name(*s),
            Goal::Previous => "previous".into(),
            Goal::OneOf(..) => "one of several".into(),
        };
        let from = from.map_or("wherever".into(), |s| level.state_name(s));
        let name = format!("{kind}{}: {from} -> {goal}", p.machines[machine.index()].name);
        let s = &w.rules[r];
        Some((name, json!({"fired": s.fired, "held": s.held})))
    }))
}

fn own_machines(facts: &Facts, id: ActorId, kind: KindId) -> Json {
    let (p, w) = (&facts.engine.program, facts.world);
    let machines = p.kinds[kind.index()].machines.iter().filter_map(|m| {
        let state = w.machines.get(&(*m, Some(id)))?.state;
        Some((p.machines[m.index()].name.clone(), json!(p.states[state.index()].name)))
    });
    Json::Object(machines.collect())
}

/// The whole report.
pub fn report(level: &Level, facts: &Facts) -> Json {
    let (engine, w) = (facts.engine, facts.world);
    let p = &engine.program;
    let names = Named(p, w);
    let mut out = Map::new();
    out.insert("level".into(), json!(level.title));
    out.insert("seed".into(), json!(facts.seed));
    out.insert("rate".into(), json!(level.rate.0));
    out.insert("ticks".into(), json!(w.next));
    out.insert(
        "ended".into(),
        w.ended
            .as_ref()
            .map_or(Json::Null, |e| json!({"tick": e.tick, "how": if e.win { "win" } else { "lose" }, "text": e.text})),
    );
    let vars = level.listed.iter().map(|l| match l {
        Listed::Var(v) => (level.vars[v.index()].name.clone(), value(&w.vars[v.index()], &names)),
        Listed::Define(d) => {
            let v = crate::values::define(engine, w, *d).ok();
            (level.defines[d.index()].name.clone(), v.map_or(Json::Null, |v| value(&v, &names)))
        }
    });
    out.insert("vars".into(), object(vars));
    let clocks = p.clocks.iter().zip(&w.clocks).map(|(c, state)| {
        let mut o = Map::new();
        for (u, (name, _, named)) in c.units.iter().enumerate() {
            let n = state.unit(c, u);
            let name_of = named.and_then(|e| p.enums[e.index()].1.get(n as usize));
            o.insert(name.clone(), name_of.map_or(json!(n), |s| json!(s)));
        }
        let smallest = c.units.first().map_or("", |u| u.0.as_str());
        o.insert(format!("run_{smallest}s"), json!(state.run));
        (c.name.clone(), Json::Object(o))
    });
    out.insert("clocks".into(), object(clocks));
    let timers = level.timers.iter().enumerate().map(|(i, t)| {
        let left = w.timer_left(TimerId::at(i));
        (t.name.clone(), json!({"running": w.timers[i].running, "left_ticks": left}))
    });
    out.insert("timers".into(), object(timers));
    let actors = w.living().map(|(id, a)| {
        let kind = &p.kinds[a.kind.index()];
        let mut o = Map::new();
        o.insert("kind".into(), json!(kind.name));
        if a.at.area != AreaId::MAIN {
            o.insert("area".into(), json!(p.maps[a.at.area.index()].name));
        }
        o.insert("x".into(), number(a.at.x));
        o.insert("y".into(), number(a.at.y));
        o.insert("facing".into(), json!(DIRECTIONS[a.facing as usize % 4]));
        o.insert("visible".into(), json!(a.visible));
        o.insert("enabled".into(), json!(a.enabled));
        o.insert("vars".into(), own_values(level, facts, id, &names));
        o.insert("machines".into(), own_machines(facts, id, a.kind));
        (a.name.to_string(), Json::Object(o))
    });
    out.insert("actors".into(), object(actors));
    let zones = p.zones.iter().enumerate().filter(|(_, z)| z.of.is_none()).map(|(i, z)| {
        let mut o = Map::new();
        o.insert("kind".into(), z.kind.map_or(Json::Null, |k| json!(p.kinds[k.index()].name)));
        if z.area != AreaId::MAIN {
            o.insert("area".into(), json!(p.maps[z.area.index()].name));
        }
        o.insert("enabled".into(), json!(!w.zone_off[i]));
        o.insert("vars".into(), z.stand_in.map_or(json!({}), |id| own_values(level, facts, id, &names)));
        if let (Some(id), Some(k)) = (z.stand_in, z.kind.filter(|k| !p.kinds[k.index()].machines.is_empty())) {
            o.insert("machines".into(), own_machines(facts, id, k));
        }
        (z.name.clone(), Json::Object(o))
    });
    out.insert("zones".into(), object(zones));
    let machines = p.machines.iter().enumerate().filter_map(|(i, m)| {
        let state = w.machines.get(&(MachineId::at(i), None))?.state;
        Some((m.name.clone(), json!(p.states[state.index()].name)))
    });
    out.insert("machines".into(), object(machines));
    let own = |r: &usize| matches!(p.rules[*r].part, None | Some(Part::In(_)));
    let rules = (0..p.rules.len()).filter(own).map(|r| {
        let s = &w.rules[r];
        (p.rule_name(RuleId::at(r)), json!({"fired": s.fired, "held": s.held, "spent": s.spent}))
    });
    out.insert("rules".into(), object(rules));
    out.insert("transitions".into(), transitions(level, facts));
    let log = facts.log.iter().map(|l| json!({"tick": l.tick, "what": l.what, "text": l.text}));
    out.insert("log".into(), Json::Array(log.collect()));
    let faults = facts.faults.iter().map(|f| {
        let rule = f.rule.filter(|r| !p.rules[r.index()].is_by_hand()).map(|r| p.rule_name(r));
        json!({"tick": f.tick, "rule": rule, "kind": f.fault.kind.name(), "text": f.fault.text})
    });
    out.insert("faults".into(), Json::Array(faults.collect()));
    for (name, count) in [("log_left_out", facts.log.left_out()), ("faults_left_out", facts.faults.left_out())] {
        if count > 0 {
            out.insert(name.into(), json!(count));
        }
    }
    Json::Object(out)
}
