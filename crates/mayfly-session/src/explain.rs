//! A tick's trace with what every evaluated clause saw, taken while the tick is run again.
//!
//! Invariant: what is said of a clause is what it was at that very evaluation; one that was not asked,
//! since an earlier one had failed, is said to be so.

use mayfly_base::code::{Expr, ExprKind, WhoSet};
use mayfly_base::*;
use mayfly_engine::names::Named;
use mayfly_engine::record::{Recorder, TraceEvent, Verdict};
use mayfly_engine::world::World;
use mayfly_engine::{Engine, Trace};
use mayfly_lang::diagnostic::Source;
use rustc_hash::FxHashMap;

/// A clause as it was evaluated.
#[derive(Clone, Debug, PartialEq)]
pub struct ClauseSeen {
    pub text: String,
    /// None where it was not asked.
    pub held: Option<bool>,
    /// What it reads, each with its value.
    pub values: Vec<(String, String)>,
    pub span: Span,
}

impl ClauseSeen {
    /// The values in one line: `oil = 0, lit = true`.
    pub fn shown(&self) -> String {
        let each: Vec<String> = self.values.iter().map(|(n, v)| format!("{n} = {v}")).collect();
        each.join(", ")
    }
}

/// A trace that explains itself.
pub struct ExplainedTrace<'a> {
    engine: &'a Engine,
    sources: &'a [Source],
    pub trace: Trace,
    /// By record: the clauses of that evaluation.
    pub clauses: FxHashMap<u32, Vec<ClauseSeen>>,
}

impl<'a> ExplainedTrace<'a> {
    pub fn new(engine: &'a Engine, sources: &'a [Source]) -> Self {
        Self { engine, sources, trace: Trace::default(), clauses: FxHashMap::default() }
    }
}

impl Recorder for ExplainedTrace<'_> {
    const ON: bool = true;

    fn take(&mut self, world: &World, rec: impl FnOnce() -> TraceEvent) -> u32 {
        let r = rec();
        let at = self.trace.records.len() as u32;
        if let TraceEvent::Evaluated { rule, me, locals, verdict, .. } = &r
            && matches!(verdict, Verdict::Fired | Verdict::Held { .. })
        {
            self.clauses.insert(at, clauses(self.engine, world, self.sources, *rule, *me, locals, Some(verdict)));
        }
        self.trace.records.push(r);
        at
    }
}

/// The clauses of a rule with what they see in this world. With a verdict, those after the first that
/// failed count as not asked.
pub fn clauses(
    engine: &Engine,
    world: &World,
    sources: &[Source],
    rule: RuleId,
    me: Option<ActorId>,
    locals: &[Value],
    verdict: Option<&Verdict>,
) -> Vec<ClauseSeen> {
    let failed = match verdict {
        Some(Verdict::Held { clause, .. }) => Some(*clause as usize),
        _ => None,
    };
    let list = &engine.program.rules[rule.index()].clauses;
    let one = |(i, c): (usize, &mayfly_engine::program::Clause)| {
        let held = match (verdict, failed) {
            (Some(_), None) => Some(true),
            (Some(_), Some(f)) => (i <= f).then_some(i < f),
            _ => crate::values::of(engine, world, &c.test, me, locals).ok().map(|v| v == Value::Flag(true)),
        };
        let values = if held.is_some() { leaves(engine, world, sources, &c.test, me, locals) } else { vec![] };
        ClauseSeen { text: source(sources, c.test.span), held, values, span: c.test.span }
    };
    list.iter().enumerate().map(one).collect()
}

/// A stretch of the text in one line.
pub fn source(sources: &[Source], span: Span) -> String {
    let s = sources.get(span.file as usize).and_then(|s| s.text.get(span.range())).unwrap_or("");
    s.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// The parts of a test that is a chain of `and`s or a defined value, each with what it sees: none of a test that
/// has no parts.
pub fn parts(engine: &Engine, world: &World, sources: &[Source], e: &Expr, me: Option<ActorId>) -> Vec<ClauseSeen> {
    let mut out = vec![];
    collect(engine, e, 0, &mut out);
    if out.len() == 1 && std::ptr::eq(out[0], e) {
        return vec![];
    }
    let seen = |e: &&Expr| {
        let held = crate::values::of(engine, world, e, me, &[]).ok();
        ClauseSeen {
            text: source(sources, e.span),
            held: held.and_then(|v| if let Value::Flag(b) = v { Some(b) } else { None }),
            values: leaves(engine, world, sources, e, me, &[]),
            span: e.span,
        }
    };
    out.iter().map(seen).collect()
}

/// Goes down through `and` and defined values.
fn collect<'e>(engine: &'e Engine, e: &'e Expr, depth: u32, out: &mut Vec<&'e Expr>) {
    match &e.kind {
        ExprKind::And(a, b) => {
            collect(engine, a, depth, out);
            collect(engine, b, depth, out);
        }
        ExprKind::Define(d) if depth < 3 => collect(engine, &engine.program.defines[d.index()].expr, depth + 1, out),
        ExprKind::DefineOf(a, d) if depth < 3 && a.kind == ExprKind::Myself => {
            collect(engine, &engine.program.defines[d.index()].expr, depth + 1, out);
        }
        _ => out.push(e),
    }
}

/// What an expression reads, each with its value: variables, members, questions; no constants.
pub fn leaves(
    engine: &Engine,
    world: &World,
    sources: &[Source],
    e: &Expr,
    me: Option<ActorId>,
    locals: &[Value],
) -> Vec<(String, String)> {
    let mut out: Vec<(String, String)> = vec![];
    read(engine, world, sources, e, me, locals, &mut out);
    out.truncate(6);
    out
}

fn read(
    engine: &Engine,
    world: &World,
    sources: &[Source],
    e: &Expr,
    me: Option<ActorId>,
    locals: &[Value],
    out: &mut Vec<(String, String)>,
) {
    use ExprKind as K;
    let mut down = |list: &[&Expr]| list.iter().for_each(|x| read(engine, world, sources, x, me, locals, out));
    match &e.kind {
        // A constant by its name has a value that one does not see.
        K::Const(v) => {
            let name = source(sources, e.span);
            let shown = v.show(&Named(&engine.program, world), None);
            let is_name =
                name.starts_with(|c: char| c.is_alphabetic()) && name.chars().all(|c| c.is_alphanumeric() || c == '_');
            if is_name && name != shown && matches!(v, Value::Number(_) | Value::Duration(_) | Value::Text(_)) {
                push(engine, world, e, me, locals, name, out);
            }
        }
        K::Myself | K::Called(_) | K::Draw(..) => {}
        K::Binary(_, a, b) | K::And(a, b) | K::Or(a, b) | K::Per(a, b) => down(&[a, b]),
        K::Not(a) | K::Negate(a) => down(&[a]),
        K::Between(a, b, c) | K::If(a, b, c) => down(&[a, b, c]),
        K::Local(s) if matches!(locals.get(*s as usize), Some(Value::Actor(_))) => {}
        // What follows from others shows them too.
        K::Define(d) => {
            let known = out.len();
            push(engine, world, e, me, locals, source(sources, e.span), out);
            // One that stands there already is not gone into again.
            if out.len() > known {
                read(engine, world, sources, &engine.program.defines[d.index()].expr, me, locals, out);
            }
        }
        // How long it has been so, and how long it has to be.
        K::InState(machine, of, state, Some(long)) => {
            push(engine, world, e, me, locals, source(sources, e.span), out);
            let whose = of.as_deref().map(|o| crate::values::of(engine, world, o, me, locals));
            let key = match whose {
                Some(Ok(Value::Actor(a))) => Some((*machine, Some(a))),
                Some(_) => None,
                None => Some((*machine, None)),
            };
            let p = &engine.program;
            let now = key.and_then(|k| world.machines.get(&k));
            let name = &p.states[state.index()].name;
            let wants = match crate::values::of(engine, world, long, me, locals) {
                Ok(v) => v.show(&Named(p, world), None),
                Err(f) => f.text,
            };
            out.push((
                format!("{name} for"),
                match now.and_then(|m| m.since(*state)) {
                    Some(t) => {
                        format!("{}, wants {wants}", time::show(p.rate.micros(world.tick.saturating_sub(t)), None))
                    }
                    None => format!("0s, wants {wants}"),
                },
            ));
        }
        // Who counts is told where some of them are not there to be noticed.
        K::Over(o) => {
            push(engine, world, e, me, locals, source(sources, e.span), out);
            if let WhoSet::Kind(k) = &o.of {
                let p = &engine.program;
                let off = world.living().filter(|(_, a)| p.is_kind(a.kind, *k) && !a.enabled).count();
                if off > 0 {
                    out.push((format!("disabled {}", p.kinds[k.index()].name), off.to_string()));
                }
            }
        }
        K::Relation(..) | K::Near(..) | K::Exists(_) | K::Pressing(..) => {
            let name = source(sources, e.span);
            push(engine, world, e, me, locals, name, out);
            let facts = distance_of(engine, world, e, me, locals);
            out.extend(facts);
            contents(engine, world, sources, e, me, locals, out);
        }
        _ => {
            push(engine, world, e, me, locals, source(sources, e.span), out);
            contents(engine, world, sources, e, me, locals, out);
        }
    }
}

/// What is asked of a list, a set or a tally is seen with what is in it.
fn contents(
    engine: &Engine,
    world: &World,
    sources: &[Source],
    e: &Expr,
    me: Option<ActorId>,
    locals: &[Value],
    out: &mut Vec<(String, String)>,
) {
    use ExprKind as K;
    e.walk(&mut |x| {
        let is_place = matches!(x.kind, K::Var(_) | K::Field(..) | K::Local(_)) && !std::ptr::eq(x, e);
        let holds = |v: Value| matches!(v, Value::List(_) | Value::Set(_) | Value::Tally(_));
        if is_place && crate::values::of(engine, world, x, me, locals).is_ok_and(holds) {
            push(engine, world, x, me, locals, source(sources, x.span), out);
        }
    });
}

fn push(
    engine: &Engine,
    world: &World,
    e: &Expr,
    me: Option<ActorId>,
    locals: &[Value],
    name: String,
    out: &mut Vec<(String, String)>,
) {
    if name.is_empty() || out.iter().any(|(n, _)| *n == name) {
        return;
    }
    let v = match crate::values::of(engine, world, e, me, locals) {
        Ok(Value::Text(t)) => format!("\"{t}\""),
        Ok(v) => v.show(&Named(&engine.program, world), None),
        Err(f) => f.text,
    };
    out.push((name, v));
}

/// For `near`: how far the two are apart.
fn distance_of(
    engine: &Engine,
    world: &World,
    e: &Expr,
    me: Option<ActorId>,
    locals: &[Value],
) -> Option<(String, String)> {
    let ExprKind::Near(a, b, _) = &e.kind else { return None };
    let place = |x: &Expr| match crate::values::of(engine, world, x, me, locals).ok()? {
        Value::Actor(id) => world.actor(id).map(|a| a.at),
        Value::Point(p) => Some(p),
        _ => None,
    };
    let (p, q) = (place(a)?, place(b)?);
    Some(("distance".into(), number::show_number(((p.x - q.x).hypot(p.y - q.y) * 100.0).round() / 100.0)))
}
