//! What made a watched expression change that reads the world: the last thing in this tick that was done to one of the actors,
//! timers, clocks or machines of which it speaks.
//!
//! Not here: expressions that read variables alone: each write of those is its own cause ([`crate::tick_context`]).
//!
//! Invariant: what is found was recorded in this tick, before the expression was compared.

use crate::cause::Cause;
use crate::record::Recorder;
use crate::tick_context::TickContext;
use crate::world::MachineKey;
use mayfly_base::code::*;
use mayfly_base::*;

impl<R: Recorder> TickContext<'_, R> {
    /// The cause of a change of an expression that is watched for `me`; none where nothing was recorded.
    pub(crate) fn world_cause(&self, e: &Expr, me: Option<ActorId>) -> Cause {
        let mut last = Cause::NONE;
        let mut see = |c: Cause| {
            if c != Cause::NONE && c.tick == self.world.tick && (last == Cause::NONE || c.at > last.at) {
                last = c;
            }
        };
        // Each defined value is looked into once, however often it stands in others.
        let mut defines = vec![];
        self.look_for_cause(e, me, &mut defines, &mut see);
        let mut next = 0;
        while let Some(d) = defines.get(next).copied() {
            self.look_for_cause(&self.program.defines[d.index()].expr, me, &mut defines, &mut see);
            next += 1;
        }
        last
    }

    /// The removal by which an expression has no value any more; none where it names none that was removed a tick before.
    pub(crate) fn removal_cause(&self, e: &Expr) -> Cause {
        let mut last = Cause::NONE;
        e.walk(&mut |e| {
            let named = match &e.kind {
                ExprKind::Const(v) => v,
                ExprKind::Var(v) => &self.world.vars[v.index()],
                _ => return,
            };
            if let Value::Actor(a) = named
                && let Some(a) = self.world.actors.get(a.index())
                && a.is_tombstone
                && a.moved_by.tick + 1 == self.world.tick
            {
                last = a.moved_by;
            }
        });
        last
    }

    /// Tells `see` what was done to whatever an expression names, and adds the defined values that it reads.
    fn look_for_cause(&self, e: &Expr, me: Option<ActorId>, defines: &mut Vec<DefineId>, see: &mut dyn FnMut(Cause)) {
        e.walk(&mut |e| match &e.kind {
            ExprKind::Myself => me.into_iter().for_each(|a| see(self.done_to(a))),
            ExprKind::Const(Value::Actor(a)) => see(self.done_to(*a)),
            ExprKind::Const(Value::Timer(t)) => see(self.world.timers[t.index()].cause),
            ExprKind::Var(v) => match &self.world.vars[v.index()] {
                Value::Actor(a) => see(self.done_to(*a)),
                Value::Timer(t) => see(self.world.timers[t.index()].cause),
                _ => {}
            },
            ExprKind::ClockShows(c, _) | ExprKind::ClockRun(c, _) | ExprKind::ClockSpeed(c) => {
                self.clocks_by.iter().filter(|(of, _)| of == c).for_each(|(_, cause)| see(*cause));
            }
            ExprKind::MachineState(m, of) | ExprKind::InState(m, of, ..) => {
                // Of whom it is asked may be known only while it is computed.
                let owner = match of.as_ref().map(|e| &e.kind) {
                    Some(ExprKind::Const(Value::Actor(a))) => Some(*a),
                    Some(ExprKind::Myself) => me,
                    _ => None,
                };
                let is_it = |key: &MachineKey| key.0 == *m && (owner.is_none() || key.1 == owner);
                self.went_by.iter().filter(|(key, _)| is_it(key)).for_each(|(_, cause)| see(*cause));
            }
            ExprKind::Over(over) => self.done_to_all(&over.of, me, see),
            ExprKind::Call(Builtin::ActorsIn, _) => self.done_to_all(&WhoSet::Any, me, see),
            ExprKind::Define(d) | ExprKind::DefineOf(_, d) if !defines.contains(d) => defines.push(*d),
            _ => {}
        });
    }

    /// What was done last to an actor: it was moved, written to, spawned, reset.
    fn done_to(&self, id: ActorId) -> Cause {
        self.world.actors.get(id.index()).map_or(Cause::NONE, |a| a.moved_by)
    }

    fn done_to_all(&self, of: &WhoSet, me: Option<ActorId>, see: &mut dyn FnMut(Cause)) {
        match of {
            WhoSet::Actor(a) => see(self.done_to(*a)),
            WhoSet::Myself => me.into_iter().for_each(|a| see(self.done_to(a))),
            WhoSet::Kind(k) => {
                let of_kind = self.world.actors.iter().filter(|(_, a)| self.program.is_kind(a.kind, *k));
                of_kind.for_each(|(_, a)| see(a.moved_by));
            }
            WhoSet::Any | WhoSet::Tag(_) | WhoSet::Held(_) => {
                self.world.actors.iter().for_each(|(_, a)| see(a.moved_by));
            }
        }
    }
}
