//! A checked level to a program: tables by number, trees of actions to a row of ops.
//!
//! Not here: what a level means (`mayfly-lang`), what an op does (`mayfly-engine`).
//!
//! Invariant: every op has a span; a jump leads to an op of the same rule.

use crate::ops::{Code, Slots};
use mayfly_base::code::*;
use mayfly_base::*;
use mayfly_engine::dispatch::Dispatch;
use mayfly_engine::program::{self as prog, Program, Reads};
use mayfly_lang::level::*;
use rustc_hash::FxHashSet;

/// Rules of kinds by their titles.
type Titles<'l> = FxHashSet<(KindId, &'l str)>;

/// The program of a level.
pub fn lower(level: &Level) -> Program {
    let kinds: Vec<prog::Kind> = (0..level.kinds.len()).map(|k| kind(level, KindId::at(k))).collect();
    let actor_kinds: Vec<KindId> = level.actors.iter().map(|a| a.kind).collect();
    let mut code = Code::default();
    let titles: Titles = level.rules.iter().filter_map(|r| Some((r.owner?, r.title.as_str()))).collect();
    let rules: Vec<prog::Rule> =
        (0..level.rules.len()).map(|r| rule(level, RuleId::at(r), &titles, &mut code)).collect();
    let watches = watches(level);
    let zones: Vec<prog::Zone> = level.zones.iter().enumerate().map(|(i, z)| zone(level, ZoneId::at(i), z)).collect();
    let routines: Vec<prog::Routine> = level.routines.iter().map(|r| routine(r, &mut code)).collect();
    let clocks: Vec<prog::Clock> =
        level.clocks.iter().enumerate().map(|(i, c)| clock(ClockId::at(i), c, &rules)).collect();
    let states = states(level);
    let mut dispatch = Dispatch::new((&rules, &level.file_order), &kinds, &actor_kinds, &zones, level.timers.len());
    reads(level, &watches, &mut dispatch);
    Program {
        title: level.title.clone(),
        rate: level.rate,
        seed: level.seed,
        file_order: level.file_order.clone(),
        edges: match level.edges {
            Edges::Closed => prog::Edges::Closed,
            Edges::Open => prog::Edges::Open,
            Edges::Wrap => prog::Edges::Wrap,
        },
        tiles: level
            .tiles
            .iter()
            .map(|t| prog::Tile { name: t.name.clone(), solid: t.solid, opaque: t.opaque, tags: t.tags.clone() })
            .collect(),
        maps: level
            .areas
            .iter()
            .map(|a| prog::Map {
                name: a.name.clone(),
                width: a.width as i64,
                height: a.height as i64,
                cells: a.cells.clone(),
            })
            .collect(),
        enums: level.enums.iter().map(|e| (e.name.clone(), e.values.clone())).collect(),
        tags: level.tags.clone(),
        vars: level.vars.iter().map(var).collect(),
        defines: level
            .defines
            .iter()
            .map(|d| prog::Define { name: d.name.clone(), expr: d.expr.clone(), of: d.of, frame: d.expr.frame() })
            .collect(),
        messages: level
            .messages
            .iter()
            .map(|m| prog::Message { name: m.name.clone(), params: m.params.iter().map(|(n, _)| n.clone()).collect() })
            .collect(),
        inputs: level.inputs.iter().map(|i| i.name.clone()).collect(),
        timers: level
            .timers
            .iter()
            .map(|t| prog::Timer {
                name: t.name.clone(),
                ticks: level.rate.ticks(t.length),
                repeating: t.repeating,
                running: t.running,
            })
            .collect(),
        tile_zones: tile_zones(&zones),
        sure_signs: crate::sure::signs(level, &code.ops),
        reads: reads_of_time(level),
        solid_tiles: level.tiles.iter().any(|t| t.solid),
        carriers: kinds.iter().any(|k| !k.carries.is_empty()),
        clocks,
        paths: level
            .paths
            .iter()
            .map(|p| prog::Path { name: p.name.clone(), points: p.points.clone(), end: p.end })
            .collect(),
        routines,
        kinds,
        actors: level
            .actors
            .iter()
            .map(|a| prog::Placed {
                name: a.name.clone(),
                kind: a.kind,
                at: a.at,
                facing: a.facing,
                overrides: a.overrides.clone(),
            })
            .collect(),
        zones,
        watches,
        ranges: level.ranges.iter().map(range).collect(),
        tables: level.tables.iter().map(|t| (t.name.clone(), t.rows.clone())).collect(),
        machines: level
            .machines
            .iter()
            .map(|m| prog::Machine { name: m.name.clone(), of: m.of, start: innermost(level, m.start) })
            .collect(),
        states,
        eventless: (0..rules.len())
            .filter(|r| matches!(rules[*r].part, Some(Part::Transition { .. })) && rules[*r].whens.is_empty())
            .map(RuleId::at)
            .collect(),
        rules,
        code: code.ops,
        spans: code.spans,
        draws: level.draws.clone(),
        shared_draws: level.shared_draws.clone(),
        dispatch,
    }
}

/// The state in which a state begins, down to the innermost.
fn innermost(level: &Level, mut id: StateId) -> StateId {
    while let Some(inner) = level.states[id.index()].start {
        id = inner;
    }
    id
}

fn states(level: &Level) -> Vec<prog::State> {
    let state = |id: StateId| prog::State {
        name: level.state_name(id),
        machine: level.states[id.index()].machine,
        path: level.state_path(id),
        start: innermost(level, id),
        enter: None,
        leave: None,
        looped: None,
    };
    let mut states: Vec<prog::State> = (0..level.states.len()).map(StateId::at).map(state).collect();
    for (i, r) in level.rules.iter().enumerate() {
        let place = match r.part {
            Some(Part::Enter(s)) => &mut states[s.index()].enter,
            Some(Part::Leave(s)) => &mut states[s.index()].leave,
            Some(Part::Loop(s)) => &mut states[s.index()].looped,
            _ => continue,
        };
        place.get_or_insert(RuleId::at(i));
    }
    states
}

fn var(v: &Var) -> prog::Var {
    prog::Var { name: v.name.clone(), first: v.first.clone(), bounds: v.bounds, keep: v.keep }
}

fn zone(level: &Level, id: ZoneId, z: &Zone) -> prog::Zone {
    prog::Zone {
        name: z.name.clone(),
        of: z.of,
        kind: z.kind,
        stand_in: level.stand_in(id),
        overrides: z.overrides.clone(),
        area: z.area,
        shape: z.shape.clone(),
        notices: z.notices.clone(),
    }
}

fn routine(r: &Routine, code: &mut Code) -> prog::Routine {
    let mut slots = Slots { count: r.slots.len(), loops: vec![] };
    let from = code.block(&r.body, &mut slots);
    prog::Routine {
        name: r.name.clone(),
        params: r.params.len(),
        code: from,
        end: code.here(),
        slots: slots.count,
        names: r.slots.iter().map(|(n, _)| n.clone()).collect(),
        loop_slots: slots.loops,
    }
}

fn clock(id: ClockId, c: &Clock, rules: &[prog::Rule]) -> prog::Clock {
    let mut awaited: Vec<u16> = rules
        .iter()
        .flat_map(|r| &r.whens)
        .filter_map(|w| if let Event::Passes { clock, unit, .. } = w { (*clock == id).then_some(*unit) } else { None })
        .collect();
    awaited.sort_unstable();
    awaited.dedup();
    prog::Clock {
        name: c.name.clone(),
        units: c.units.iter().map(|u| (u.name.clone(), u.count, u.named)).collect(),
        sizes: (0..c.units.len()).map(|u| c.size(u)).collect(),
        speed: c.speed,
        starts: c.starts.iter().enumerate().map(|(u, n)| n * c.size(u)).sum(),
        awaited,
    }
}

/// Actions by hand as a rule that awaits nothing, at the program's end.
pub fn by_hand(program: &mut Program, hand: &mayfly_lang::check::ByHand, text: &str) -> RuleId {
    let mut code = Code { ops: std::mem::take(&mut program.code), spans: std::mem::take(&mut program.spans) };
    let mut slots = Slots { count: hand.slots.len(), loops: vec![] };
    let then = code.block(&hand.block, &mut slots);
    (program.code, program.spans) = (code.ops, code.spans);
    program.shared_draws.extend(hand.draws.iter().map(|_| false));
    program.draws.extend(hand.draws.iter().cloned());
    let id = RuleId::at(program.rules.len());
    program.rules.push(prog::Rule {
        title: text.into(),
        owner: None,
        part: Some(Part::Wait),
        group: None,
        span: Span::default(),
        kinds: vec![],
        whens: vec![],
        clauses: vec![],
        limits: Limits::default(),
        then,
        otherwise: None,
        slots: slots.count,
        bound: 0,
        names: hand.slots.iter().map(|(n, _)| n.clone()).collect(),
        loop_slots: slots.loops,
    });
    id
}

fn kind(level: &Level, id: KindId) -> prog::Kind {
    let k = &level.kinds[id.index()];
    let (mut is, mut at) = (vec![id], k.like);
    while let Some(base) = at {
        is.push(base);
        at = level.kinds[base.index()].like;
    }
    let passes = |f: fn(&PassWhat) -> Option<u32>| k.passes.iter().filter_map(f).collect::<Vec<u32>>();
    prog::Kind {
        name: k.name.clone(),
        is,
        steered: k.steered,
        attrs: k.attrs.clone(),
        fields: k.fields.iter().map(var).collect(),
        tags: k.tags.clone(),
        zones: k.zones.clone(),
        machines: k.machines.clone(),
        passes_tiles: passes(|p| if let PassWhat::Tile(t) = p { Some(t.0) } else { None })
            .into_iter()
            .map(TileId)
            .collect(),
        passes_kinds: passes(|p| if let PassWhat::Kind(t) = p { Some(t.0) } else { None })
            .into_iter()
            .map(KindId)
            .collect(),
        passes_tags: passes(|p| if let PassWhat::Tag(t) = p { Some(t.0) } else { None })
            .into_iter()
            .map(TagId)
            .collect(),
        sights: k.sights.clone(),
        carries: k.carries.clone(),
        falls: k.falls,
    }
}

/// `self` of a range in a kind's rule stands for every actor of that kind while it is sensed.
fn range(r: &Range) -> prog::Range {
    let set = |s: &WhoSet| match (s, r.of) {
        (WhoSet::Myself, Some(k)) => WhoSet::Kind(k),
        (s, _) => s.clone(),
    };
    prog::Range { a: set(&r.a), b: set(&r.b), within: r.within, until: r.until }
}

/// All forms in which rules look at a watch, in order.
/// The zones that follow what is laid.
fn tile_zones(zones: &[prog::Zone]) -> Vec<ZoneId> {
    let follows = |(_, z): &(usize, &prog::Zone)| z.shape.follows_tiles();
    zones.iter().enumerate().filter(follows).map(|(i, _)| ZoneId::at(i)).collect()
}

/// What is awaited of expressions, and, without any form, every defined value that may be faulty: a fault counts also
/// where nobody awaits the value.
fn watches(level: &Level) -> Vec<prog::Watch> {
    let one = |w: &Watch| prog::Watch {
        expr: w.expr.clone(),
        frame: w.expr.frame(),
        over: w.over,
        text: w.text.clone(),
        forms: vec![],
    };
    let mut watches: Vec<prog::Watch> = level.watches.iter().map(one).collect();
    for when in level.rules.iter().flat_map(|r| &r.whens) {
        if let Event::Watched { watch, form, .. } = &when.event {
            let forms = &mut watches[watch.index()].forms;
            if !forms.contains(form) {
                forms.push(form.clone());
            }
        }
    }
    let awaited: FxHashSet<DefineId> = level
        .watches
        .iter()
        .filter_map(|w| match w.expr.kind {
            ExprKind::Define(d) | ExprKind::DefineOf(_, d) => Some(d),
            _ => None,
        })
        .collect();
    for (i, d) in level.defines.iter().enumerate() {
        let id = DefineId::at(i);
        if d.expr.can_fault() && !awaited.contains(&id) {
            let kind = ExprKind::Define(id);
            let (expr, text) = (Expr { kind, span: d.expr.span }, d.name.clone());
            watches.push(prog::Watch { expr, frame: 0, over: d.of, text, forms: vec![] });
        }
    }
    watches
}

/// Which watches read which variables, and which read more than variables.
fn reads(level: &Level, watches: &[prog::Watch], d: &mut Dispatch) {
    d.by_var = vec![vec![]; level.vars.len()];
    for (i, w) in watches.iter().enumerate() {
        let id = WatchId::at(i);
        let (mut always, mut own) = (false, true);
        let mut named = Some(vec![]);
        let mut todo: Vec<&Expr> = vec![&w.expr];
        for f in &w.forms {
            if let WatchForm::Reaches(n) | WatchForm::DropsTo(n) = f {
                todo.push(n);
            }
        }
        let mut seen: FxHashSet<DefineId> = FxHashSet::default();
        while let Some(e) = todo.pop() {
            let mut defines = vec![];
            e.walk(&mut |e| match &e.kind {
                ExprKind::Var(v) => {
                    let list = &mut d.by_var[v.index()];
                    if list.last() != Some(&id) {
                        list.push(id);
                    }
                }
                ExprKind::Define(x) => defines.push(*x),
                ExprKind::Field(a, f) => {
                    own &= matches!(a.kind, ExprKind::Myself);
                    match (a.kind.clone(), &mut named) {
                        (ExprKind::Const(Value::Actor(a)), Some(all)) => all.push(a),
                        _ => named = None,
                    }
                    for (k, kind) in level.kinds.iter().enumerate() {
                        // A derived kind's fields are its base's: the base that first has it is enough.
                        let inherited = kind.like.is_some_and(|b| f.index() < level.kinds[b.index()].fields.len());
                        if !inherited && f.index() < kind.fields.len() {
                            let list = d.by_field.entry((KindId::at(k), *f)).or_default();
                            if list.last() != Some(&id) {
                                list.push(id);
                            }
                        }
                    }
                }
                ExprKind::Attr(..)
                | ExprKind::Called(_)
                | ExprKind::Relation(..)
                | ExprKind::Near(..)
                | ExprKind::Exists(_)
                | ExprKind::Pressing(..)
                | ExprKind::Call(..)
                | ExprKind::Draw(..)
                | ExprKind::Over(_)
                | ExprKind::TimerLeft(_)
                | ExprKind::TimerRunning(_)
                | ExprKind::Ramping(_)
                | ExprKind::Halted(_)
                | ExprKind::ClockShows(..)
                | ExprKind::ClockRun(..)
                | ExprKind::ClockSpeed(_)
                | ExprKind::DefineOf(..)
                | ExprKind::Routine(..)
                | ExprKind::MachineState(..)
                | ExprKind::InState(..)
                | ExprKind::Time
                | ExprKind::Tick => always |= !pure(&e.kind),
                _ => {}
            });
            let new = defines.into_iter().filter(|x| seen.insert(*x));
            todo.extend(new.map(|x| &level.defines[x.index()].expr));
        }
        if always {
            d.always.push(id);
        }
        d.own.push(own);
        d.named.push(named);
    }
}

/// Calls whose result depends on their values alone.
fn pure(e: &ExprKind) -> bool {
    use Builtin::{Abs, Ceil, Clamp, Floor, Len, Max, Min, Opposite, Round, Sign, Sqrt};
    matches!(e, ExprKind::Call(Min | Max | Abs | Floor | Ceil | Round | Sign | Sqrt | Clamp | Opposite | Len, _))
}

fn rule(level: &Level, id: RuleId, titles: &Titles, code: &mut Code) -> prog::Rule {
    let r = &level.rules[id.index()];
    let mut slots = Slots { count: r.slots.len(), loops: vec![] };
    let elses: Vec<u32> = r.elses.iter().map(|b| code.block(b, &mut slots)).collect();
    let then = match &r.part {
        Some(Part::Loop(_)) => code.looping(&r.then, &mut slots, r.span),
        _ => code.block(&r.then, &mut slots),
    };
    let otherwise = r.otherwise.as_ref().map(|b| code.block(b, &mut slots));
    prog::Rule {
        title: r.title.clone(),
        owner: r.owner,
        part: r.part.clone(),
        group: r.group,
        span: r.span,
        kinds: r
            .owner
            .map(|k| if r.part.is_some() { having_machine(level, k, r) } else { having(level, titles, k, id) })
            .unwrap_or_default(),
        whens: r.whens.iter().map(|w| w.event.clone()).collect(),
        clauses: r
            .clauses
            .iter()
            .map(|c| prog::Clause { test: c.test.clone(), otherwise: c.otherwise.map(|i| elses[i]) })
            .collect(),
        limits: r.limits.clone(),
        then,
        otherwise,
        slots: slots.count,
        bound: r.bound,
        names: r.slots.iter().map(|(n, _)| n.clone()).collect(),
        loop_slots: slots.loops,
    }
}

/// The kinds whose actors have a kind's rule: a derived kind's rule of the same title replaces it.
fn having(level: &Level, titles: &Titles, owner: KindId, id: RuleId) -> Vec<KindId> {
    let title = level.rules[id.index()].title.as_str();
    (0..level.kinds.len())
        .map(KindId::at)
        .filter(|k| {
            let mut at = Some(*k);
            while let Some(x) = at {
                if x == owner {
                    return true;
                }
                if titles.contains(&(x, title)) {
                    return false;
                }
                at = level.kinds[x.index()].like;
            }
            false
        })
        .collect()
}

/// The kinds whose actors have the machine that a part belongs to.
fn having_machine(level: &Level, owner: KindId, r: &Rule) -> Vec<KindId> {
    let machine = match &r.part {
        Some(Part::Transition { machine, .. }) => *machine,
        Some(Part::Enter(s) | Part::Leave(s) | Part::Loop(s) | Part::In(s)) => level.states[s.index()].machine,
        Some(Part::Wait) | None => {
            return (0..level.kinds.len()).map(KindId::at).filter(|k| level.is_kind(*k, owner)).collect();
        }
    };
    (0..level.kinds.len()).map(KindId::at).filter(|k| level.kinds[k.index()].machines.contains(&machine)).collect()
}

/// What of time the level asks for.
fn reads_of_time(level: &Level) -> Reads {
    let mut reads = Reads::default();
    mayfly_lang::visit::all_exprs(level, &mut |e| match &e.kind {
        ExprKind::Time | ExprKind::Tick => reads.time = true,
        ExprKind::ClockRun(..) => reads.clock_totals = true,
        ExprKind::InState(_, _, _, Some(_)) => reads.stay_ages = true,
        _ => {}
    });
    reads
}
