//! The world before tick 0, and an actor at its creation.
//!
//! Invariant: first values are computed in order of declaration; one that is faulty is none, and the
//! fault is told in tick 0.

use crate::actors::Actors;
use crate::eval::Scope;
use crate::fault::Fault;
use crate::ground_changes::Changes;
use crate::program::Program;
use crate::record::Cause;
use crate::world::*;
use mayfly_base::code::*;
use mayfly_base::*;
use std::cell::{Cell, RefCell};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

impl World {
    /// The world of a program before its first tick, which is `base`, and the faults of first values.
    pub fn new(program: &Program, seed: u64, base: u64) -> (Self, Vec<Fault>) {
        let mut world = Self {
            tick: base,
            next: base,
            base,
            seed,
            vars: vec![Value::None; program.vars.len()],
            first_vars: Arc::from([]),
            actors: Actors::with_capacity(program.actors.len()),
            numbered: vec![0; program.kinds.len()],
            zone_off: vec![false; program.zones.len()],
            timers: vec![],
            clocks: program.clocks.iter().map(ClockState::new).collect(),
            laid: BTreeMap::new(),
            fresh: vec![],
            sight_changed: true,
            sight_cause: Cause::NONE,
            shapes: BTreeMap::new(),
            changes: Changes::default(),
            stood: BTreeMap::new(),
            covered: BTreeMap::new(),
            faulty: BTreeSet::new(),
            solids: vec![],
            seen: BTreeMap::new(),
            origins: BTreeMap::new(),
            removed: false,
            bytes: 0,
            rules: program.rules.iter().map(|r| RuleState { on: !r.limits.off, fired: 0, held: 0, spent: 0 }).collect(),
            uses: BTreeMap::new(),
            rests: BTreeMap::new(),
            runs: vec![],
            stopped: vec![],
            later: vec![],
            mail: vec![],
            watched: vec![vec![]; program.watches.len()],
            stale: vec![],
            contacts: BTreeMap::new(),
            near: BTreeMap::new(),
            machines: BTreeMap::new(),
            ramps: vec![],
            signs: vec![],
            random: RefCell::new(RandomStreams::default()),
            down: BTreeMap::new(),
            begun: 0,
            ended: None,
            ending: None,
        };
        for t in &program.timers {
            world.begun += 1;
            world.timers.push(TimerState {
                running: t.running,
                due: base + t.ticks,
                left: 0,
                length: t.ticks,
                order: world.begun,
                cause: Cause::NONE,
            });
        }
        let mut faults = vec![];
        // Husks first, so that first values can name any actor.
        for p in &program.actors {
            let unnamed = p.name.starts_with(&format!("{}#", program.kinds[p.kind.index()].name));
            world.push_actor(program, Actor::blank(&p.name, p.kind, p.at, p.facing), unnamed);
            world.numbered[p.kind.index()] += u32::from(unnamed);
        }
        for (i, z) in program.zones.iter().enumerate() {
            if let (Some(kind), Some(_)) = (z.kind, z.stand_in) {
                let at = Point { x: 0.0, y: 0.0, area: z.area };
                let mut stand_in = Actor::blank(&z.name, kind, at, 2);
                stand_in.zone = Some(ZoneId::at(i));
                (stand_in.is_zone, stand_in.dirty) = (true, false);
                world.push_actor(program, stand_in, false);
            }
        }
        for (i, v) in program.vars.iter().enumerate() {
            match world.compute(program, &v.first, None) {
                Ok(x) => world.vars[i] = bounded(x, v.bounds),
                Err(f) => faults.push(f),
            }
        }
        world.first_vars = world.vars.clone().into();
        let zones = program.zones.iter().filter(|z| z.stand_in.is_some()).map(|z| &z.overrides);
        let overrides: Vec<&Vec<Override>> = program.actors.iter().map(|p| &p.overrides).chain(zones).collect();
        for (i, given) in overrides.into_iter().enumerate() {
            let id = ActorId::at(i);
            if let Err(f) = world.fill(program, id) {
                faults.push(f);
            }
            let kind = world.actors[i].kind;
            for o in given {
                let (Override::Field(_, e) | Override::Attr(_, e)) = o;
                match (world.compute(program, e, Some(id)), o) {
                    (Ok(v), Override::Field(f, _)) => {
                        let bounds = program.kinds[kind.index()].fields[f.index()].bounds;
                        world.actors[i].fields[f.index()] = bounded(v, bounds);
                    }
                    (Ok(v), Override::Attr(attr, _)) => {
                        set_attr(&mut world.actors[i], *attr, &v);
                    }
                    (Err(f), _) => faults.push(f),
                }
            }
            world.settle_first(id);
        }
        for (m, machine) in program.machines.iter().enumerate().filter(|(_, m)| m.of.is_none()) {
            world.put_machine(program, (MachineId::at(m), None), machine.start);
        }
        world.list_solids();
        let standing = world.solids.iter().map(|id| (*id, &world.actors[id.index()]));
        world.stood = standing.map(|(id, a)| (id, (a.at, a.size))).collect();
        let carriers = world.living().filter(|(_, a)| !program.kinds[a.kind.index()].carries.is_empty());
        let carriers = carriers.filter(|(_, a)| !a.is_in_the_way());
        let covered = carriers.filter_map(|(id, a)| Some((id, a.covers()?)));
        world.covered = covered.collect();
        world.watch_all(program);
        world.bytes =
            world.vars.iter().chain(world.actors.iter().flat_map(|(_, a)| &a.fields)).map(Value::weight).sum();
        (world, faults)
    }

    fn push_actor(&mut self, program: &Program, mut a: Actor, unnamed: bool) {
        if unnamed {
            let key = (a.kind, a.at.area, a.at.x.to_bits(), a.at.y.to_bits());
            let ordinal = self.origins.entry(key).or_insert(0);
            *ordinal += 1;
            let kind = &program.kinds[a.kind.index()].name;
            a.stream = Arc::from(format!("{kind}@{},{},{}#{ordinal}", a.at.x, a.at.y, a.at.area.0));
        }
        a.area = a.at.area;
        (a.created, a.disabled_at) = (self.base, self.base);
        self.actors.push(a);
    }

    /// Makes the list of what stops others.
    pub fn list_solids(&mut self) {
        self.solids = self.actors.iter().filter(|(_, a)| a.is_in_the_way()).map(|(id, _)| id).collect();
    }

    /// What an actor is like after its first values: what `reset` brings back.
    pub fn settle_first(&mut self, id: ActorId) {
        self.actors[id.index()].first = None;
        let a = &mut self.actors[id.index()];
        (a.checkpoint, a.area) = ((a.at, a.facing), a.at.area);
        a.first = Some(Arc::new(a.clone()));
    }

    fn compute(&self, program: &Program, e: &Expr, me: Option<ActorId>) -> Result<Value, Fault> {
        let steps = Cell::new(0);
        let known = RefCell::default();
        Scope {
            program,
            world: self,
            me,
            rule: None,
            steps: &steps,
            deep: 0,
            draws: None,
            may_draw: true,
            known: &known,
        }
        .eval_alone(e)
    }

    /// A new actor with its kind's first values.
    ///
    /// # Errors
    /// A fault of a first value; then there is no such actor.
    pub fn create(
        &mut self,
        program: &Program,
        name: &str,
        kind: KindId,
        at: Point,
        facing: u32,
    ) -> Result<ActorId, Fault> {
        let id = ActorId::at(self.actors.made());
        self.push_actor(program, Actor::blank(name, kind, at, facing), true);
        let filled = self.fill(program, id);
        if filled.is_err() {
            self.uncreate(program, id);
        }
        filled.map(|()| id)
    }

    /// Takes back an actor that was made last and is not to be.
    pub fn uncreate(&mut self, program: &Program, id: ActorId) {
        let Some(a) = self.actors.take_last(id) else { return };
        for m in &program.kinds[a.kind.index()].machines {
            self.machines.remove(&(*m, Some(id)));
        }
        let key = (a.kind, a.at.area, a.at.x.to_bits(), a.at.y.to_bits());
        if let Some(n) = self.origins.get_mut(&key) {
            *n -= 1;
        }
        self.numbered[a.kind.index()] -= 1;
    }

    fn fill(&mut self, program: &Program, id: ActorId) -> Result<(), Fault> {
        let kind = &program.kinds[self.actors[id.index()].kind.index()];
        for m in &kind.machines {
            self.put_machine(program, (*m, Some(id)), program.machines[m.index()].start);
        }
        let mut first = Ok(());
        self.actors[id.index()].tags = kind.tags.iter().copied().collect();
        for (attr, e) in &kind.attrs {
            match self.compute(program, e, Some(id)) {
                Ok(v) => {
                    set_attr(&mut self.actors[id.index()], *attr, &v);
                }
                Err(f) => first = first.and(Err(f)),
            }
        }
        for field in &kind.fields {
            let v = match self.compute(program, &field.first, Some(id)) {
                Ok(v) => bounded(v, field.bounds),
                Err(f) => {
                    first = first.and(Err(f));
                    Value::None
                }
            };
            self.actors[id.index()].fields.push(v);
        }
        first
    }

    /// Begins to watch everything.
    pub fn watch_all(&mut self, program: &Program) {
        self.stale.clear();
        self.watched.iter_mut().for_each(Vec::clear);
        for (w, watch) in program.watches.iter().enumerate() {
            let whom: Vec<Option<ActorId>> = match watch.over {
                None => vec![None],
                Some(k) => self.ones().filter(|(_, a)| program.is_kind(a.kind, k)).map(|(id, _)| Some(id)).collect(),
            };
            for actor in whom {
                let s = self.first_watch(program, WatchId::at(w), actor);
                self.watched[w].push(s);
            }
        }
        for w in 0..program.watches.len() {
            self.stale.push((WatchId::at(w), None, Cause::NONE));
        }
    }

    /// Begins to watch a spawned actor: what is true of it from the start turns true.
    pub fn watch_new(&mut self, program: &Program, id: ActorId) {
        let kind = self.actors[id.index()].kind;
        for (w, watch) in program.watches.iter().enumerate() {
            if watch.over.is_some_and(|k| program.is_kind(kind, k)) {
                let s = self.first_watch(program, WatchId::at(w), Some(id));
                self.watched[w].push(s);
                self.stale.push((WatchId::at(w), Some(id), Cause::NONE));
            }
        }
    }

    /// A watch's state before the first notice: its first value, and nothing true yet.
    fn first_watch(&self, program: &Program, w: WatchId, actor: Option<ActorId>) -> WatchState {
        let watch = &program.watches[w.index()];
        let last = self.compute(program, &watch.expr, actor).unwrap_or(Value::None);
        let before = self.sides(program, w, actor, &last);
        WatchState { actor, last, truth: false, before, faulty: false }
    }

    /// For each form of a watch, whether the value lies before its bound: below what it reaches, above
    /// what it drops to.
    pub fn sides(&self, program: &Program, w: WatchId, actor: Option<ActorId>, value: &Value) -> u64 {
        let mut bits = 0;
        for (i, form) in program.watches[w.index()].forms.iter().enumerate().take(64) {
            let before = match form {
                WatchForm::Reaches(n) => self.compute(program, n, actor).is_ok_and(|n| value.order(&n).is_lt()),
                WatchForm::DropsTo(n) => self.compute(program, n, actor).is_ok_and(|n| value.order(&n).is_gt()),
                _ => false,
            };
            bits |= u64::from(before) << i;
        }
        bits
    }
}

/// A value within its bounds.
pub fn bounded(v: Value, bounds: Option<(f64, f64)>) -> Value {
    match (&v, bounds) {
        (Value::Number(n), Some((lo, hi))) => Value::Number(n.clamp(lo, hi)),
        _ => v,
    }
}

impl Actor {
    /// An actor with the language's own defaults.
    pub fn blank(name: &str, kind: KindId, at: Point, facing: u32) -> Self {
        let rest = Rest {
            name: Arc::from(name),
            stream: Arc::from(name),
            zone: None,
            look: Arc::from("●"),
            colour: 0,
            tags: smallvec::SmallVec::new(),
            frozen: false,
            checkpoint: (at, facing),
            created: 0,
            disabled_at: 0,
            size: (0.8, 0.8),
            first: None,
        };
        Self {
            at,
            before: at,
            cell: at.cell(),
            kind,
            facing,
            speed: 4.0,
            is_zone: false,
            solid: false,
            opaque: false,
            visible: true,
            tangible: true,
            enabled: true,
            gone: false,
            is_tombstone: false,
            dirty: true,
            moved: false,
            jumped: true,
            area: at.area,
            name_hash: crate::hash::of_text(name),
            moved_by: Cause::NONE,
            step: None,
            walk: Walking::default(),
            pressed: None,
            ground: None,
            inside: smallvec::SmallVec::new(),
            bump: None,
            fields: vec![],
            rest: Arc::new(rest),
        }
    }
}

/// A coordinate that a place can have.
fn bounded_place(n: f64) -> f64 {
    n.clamp(-value::MAX_PLACE, value::MAX_PLACE)
}

/// Sets an attribute at creation, when nothing looks yet. None where the value is none.
pub fn set_attr(a: &mut Actor, attr: Attr, v: &Value) -> Option<()> {
    match (attr, v) {
        (Attr::At, Value::Point(p)) => a.at = Point { x: bounded_place(p.x), y: bounded_place(p.y), ..*p },
        (Attr::X, Value::Number(n)) => a.at.x = bounded_place(*n),
        (Attr::Y, Value::Number(n)) => a.at.y = bounded_place(*n),
        (Attr::Enabled, Value::Flag(b)) => a.enabled = *b,
        _ => return a.set_plain(attr, v),
    }
    Some(())
}
