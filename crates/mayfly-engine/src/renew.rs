//! Beginning again: `restart` of the level, `reset` of an actor, and what is kept between runs.
//!
//! Invariant: after a restart everything is as at first but kept values, the counts of rules and the
//! flight's own ticks.

use crate::fault::*;
use crate::program::Program;
use crate::record::*;
use crate::tick_context::TickContext;
use crate::world::*;
use mayfly_base::*;
use std::sync::Arc;

/// What is kept between runs: values, and rules that fired once for all.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Kept {
    pub vars: Vec<(VarId, Value)>,
    /// Of placed actors.
    pub fields: Vec<(ActorId, FieldId, Value)>,
    /// Rules with `keep once` that have fired, and for which actor of a kind.
    pub once: Vec<(RuleId, Option<ActorId>)>,
}

impl World {
    /// What is kept, as it is now.
    pub fn kept(&self, program: &Program) -> Kept {
        let vars = program.vars.iter().enumerate().filter(|(_, v)| v.keep);
        let mut kept =
            Kept { vars: vars.map(|(i, _)| (VarId::at(i), self.vars[i].clone())).collect(), ..Kept::default() };
        for (i, a) in (0..placed(program)).filter_map(|i| Some((i, self.actors.get(i)?))) {
            let fields = program.kinds[a.kind.index()].fields.iter().enumerate().filter(|(_, f)| f.keep);
            for (f, _) in fields {
                kept.fields.push((ActorId::at(i), FieldId::at(f), a.fields[f].clone()));
            }
        }
        for ((rule, limit, me, _), n) in &self.uses {
            if *n > 0 && program.rules[rule.index()].limits.keep == Some(*limit as usize) {
                kept.once.push((*rule, *me));
            }
        }
        kept
    }

    /// Takes over what was kept.
    pub fn take_kept(&mut self, program: &Program, kept: &Kept) {
        for (v, value) in &kept.vars {
            self.vars[v.index()] = value.clone();
        }
        for (a, f, value) in &kept.fields {
            if let Some(place) = self.actors.get_mut(a.index()).and_then(|a| a.fields.get_mut(f.index())) {
                *place = value.clone();
            }
        }
        for (rule, me) in &kept.once {
            if let Some(limit) = program.rules[rule.index()].limits.keep {
                self.uses.insert((*rule, limit as u8, *me, None), 1);
            }
        }
    }
}

/// How many actors were placed, stand-ins of zones included.
pub(crate) fn placed(program: &Program) -> usize {
    program.actors.len() + program.zones.iter().filter(|z| z.stand_in.is_some()).count()
}

impl<R: Recorder> TickContext<'_, R> {
    /// Everything is as at first with the next tick.
    pub fn start_over(&mut self) {
        let tick = self.world.tick;
        let (mut new, faults) = World::new(self.program, self.world.seed, tick + 1);
        new.take_kept(self.program, &self.world.kept(self.program));
        new.watch_all(self.program);
        for (new, old) in new.rules.iter_mut().zip(&self.world.rules) {
            (new.fired, new.held, new.spent) = (old.fired, old.held, old.spent);
        }
        new.tick = tick;
        *self.world = new;
        for f in faults {
            self.fault(None, f);
        }
    }

    /// An actor is as it was first, where it was first; its machines begin again. One that was removed in this tick is not.
    pub fn reset(&mut self, id: ActorId, pc: u32, span: Span) -> Result<(), Fault> {
        if self.is_gone(Some(id)) {
            return Ok(());
        }
        let Some(first) = self.world.actors[id.index()].first.clone() else { return Ok(()) };
        self.end_order(id, EndWhy::Reset);
        self.end_ramps(EndWhy::Reset, |r| r.target.owner() == Some(id));
        self.end_what_states_began(id, EndWhy::Reset);
        self.resets.push(id);
        self.world.runs.retain(|r| r.me != Some(id));
        self.world.later.retain(|l| l.me != Some(id));
        self.world.signs.retain(|s| s.me != Some(id));
        self.enable(id, first.enabled);
        let from = self.world.actors[id.index()].at;
        let a = &mut self.world.actors[id.index()];
        (a.at, a.facing, a.speed, a.size) = (first.at, first.facing, first.speed, first.size);
        (a.solid, a.opaque, a.visible, a.tangible) = (first.solid, first.opaque, first.visible, first.tangible);
        (a.look, a.colour, a.tags) = (first.look.clone(), first.colour, first.tags.clone());
        (a.frozen, a.checkpoint, a.bump) = (false, first.checkpoint, None);
        self.world.sight_changed = true;
        self.world.list_solids();
        self.displaced(id);
        let cause = self.note(|| TraceEvent::Reset { actor: id, pc });
        self.world.actors[id.index()].moved_by = cause;
        if from != first.at {
            let to = first.at;
            self.note(|| TraceEvent::Put { actor: id, from, to, pc });
        }
        for f in 0..first.fields.len() {
            if !self.world.actors[id.index()].fields[f].same(&first.fields[f]) {
                self.write(Target::Field(id, FieldId::at(f)), first.fields[f].clone(), pc, span)?;
            }
        }
        let machines = self.program.kinds[first.kind.index()].machines.clone();
        for m in &machines {
            let (key, start) = ((*m, Some(id)), self.program.machines[m.index()].start);
            self.mark_moved(key, false);
            self.world.put_machine(self.program, key, start);
            self.unbegun.insert(key);
            self.awakened += 1;
        }
        if !machines.is_empty() {
            self.cause(EventInstance::MachinesBegin(Some(id)), cause);
        }
        Ok(())
    }

    /// Zones that follow tiles follow what is laid; who stands there, or is in one of them, is sensed again.
    fn lay_zones(&mut self, area: AreaId, cell: (i64, i64), tile: TileId) {
        let program = self.program;
        let mut changed = false;
        for zone in program.tile_zones.iter().filter(|z| program.zones[z.index()].area == area) {
            let shape =
                self.world.shapes.entry(*zone).or_insert_with(|| program.zones[zone.index()].shape.clone().into());
            changed |= Arc::make_mut(shape).lay(cell, tile);
        }
        if !changed {
            return;
        }
        for (_, a) in self.world.actors.iter_mut().filter(|(_, a)| a.at.area == area && a.at.cell() == cell) {
            a.dirty = true;
        }
    }

    /// `lay boards at (3, 4)`: sensed in the next tick.
    pub fn lay(&mut self, tile: TileId, at: Point, pc: u32, span: Span) -> Result<(), Fault> {
        let cell = at.cell();
        if !self.program.maps[at.area.index()].holds(cell) {
            let names = crate::names::Named(self.program, self.world);
            let text = format!("{} lies off the map", Value::Point(at).show(&names, None));
            return Err(Fault::new(FaultKind::Index, text, span));
        }
        let from = self.world.tile(self.program, at.area, cell);
        self.world.laid.insert((at.area, cell.0, cell.1), tile);
        self.world.sight_changed = true;
        let cause = self.note(|| TraceEvent::Laid { at, from, to: tile, pc });
        self.all_changed();
        self.lay_zones(at.area, cell, tile);
        self.world.fresh.push(((at.area, cell.0, cell.1), cause));
        self.world.sight_cause = cause;
        Ok(())
    }
}
