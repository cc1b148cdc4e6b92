//! Ticks in which nothing is due are passed over in one step.
//!
//! Invariant: after a skip the world is what so many ticks without inputs would have made of it, and
//! none of them would have recorded anything but its close.

use crate::program::{Op, Program};
use crate::tick::Engine;
use crate::world::*;
use mayfly_base::code::{Action, ExprKind};

impl Engine {
    /// Passes over ticks in which nothing is due, to before tick `to` at most; none of them may have
    /// inputs. Gives how many.
    pub fn skip(&self, world: &mut World, to: u64) -> u64 {
        let p = &self.program;
        if to <= world.next + 1 || p.dispatch.asks_everyone() || is_busy(p, world) {
            return 0;
        }
        let due = next_due(p, world, to);
        let ticks = due.saturating_sub(world.next);
        if ticks == 0 {
            return 0;
        }
        for (c, state) in p.clocks.iter().zip(&mut world.clocks) {
            let units = state.run(c, p.rate, ticks);
            state.go(c, units);
        }
        world.tick += ticks;
        world.next += ticks;
        ticks
    }
}

/// True where something may happen in every tick.
fn is_busy(p: &Program, w: &World) -> bool {
    let d = &p.dispatch;
    w.next == w.base
        || w.tick + 1 != w.next
        || w.ended.is_some()
        || w.ending.is_some()
        || !w.stale.is_empty()
        || !d.always.is_empty()
        || !p.eventless.is_empty()
        || !w.ramps.is_empty()
        || !w.later.is_empty()
        || !w.near.is_empty()
        || !w.down.is_empty()
        || !w.fresh.is_empty()
        || w.sight_changed && !d.sights.is_empty()
        || d.lasting.1 && !w.contacts.is_empty()
        || d.lasting.2 && !w.seen.is_empty()
        || w.runs.iter().any(|r| matches!(r.wait, Wait::Test(_)))
        || w.actors.iter().any(|(_, a)| {
            a.is_dirty()
                || a.step.is_some()
                || a.pressed.is_some()
                || a.walk.is_some()
                || d.lasting.0 && !a.inside.is_empty()
                || !a.gone && p.kinds[a.kind.index()].falls.is_some()
        })
        // Asked last: what it looks at is not known beforehand.
        || w.signs.iter().any(|s| !p.sure_signs.contains(&s.pc) && may_turn_faulty(p, s.pc))
}

/// True of a prompt or a board whose test or text may be faulty in one tick and not in another with nothing written.
fn may_turn_faulty(p: &Program, pc: u32) -> bool {
    let Op::Do(Action::Prompt { text, sustain, .. } | Action::Board { text, sustain }) = &p.code[pc as usize] else {
        return false;
    };
    std::iter::once(text).chain(sustain).any(|e| {
        let mut flows = false;
        e.walk(&mut |e| flows |= !matches!(e.kind, ExprKind::Const(_) | ExprKind::Var(_) | ExprKind::Local(_)));
        flows && e.can_fault()
    })
}

/// The next tick in which time starts anything, `most` at most.
fn next_due(p: &Program, w: &World, most: u64) -> u64 {
    let d = &p.dispatch;
    let mut next = most;
    let mut at = |tick: u64| next = next.min(tick.max(w.next));
    for t in &d.level_times {
        t.next_due(w.base, w.next).into_iter().for_each(&mut at);
    }
    for t in &d.kind_times {
        for (_, a) in w.ones().filter(|(_, a)| a.enabled) {
            t.next_due(a.created, w.next).into_iter().for_each(&mut at);
        }
    }
    if !d.state_times.is_empty() {
        for m in w.machines.values() {
            for (_, since, _) in &m.stays {
                d.state_times.iter().filter_map(|t| t.next_due(*since, w.next)).for_each(&mut at);
            }
        }
    }
    w.timers.iter().filter(|t| t.running).for_each(|t| at(t.due));
    w.mail.iter().for_each(|m| at(m.due));
    w.signs.iter().filter_map(|s| s.until).for_each(&mut at);
    // Those of a disabled actor stand still, however long ago they were due.
    for r in w.runs.iter().filter(|r| r.me.is_none_or(|a| w.actors[a.index()].enabled)) {
        if let Wait::Until(due) | Wait::Test(Some(due)) | Wait::Event(_, Some(due)) = r.wait {
            at(due);
        }
    }
    for (c, state) in p.clocks.iter().zip(&w.clocks) {
        let most = most.saturating_sub(w.next) + 1;
        for u in &c.awaited {
            let ticks = state.ticks_to(c, c.sizes[*u as usize], p.rate, most);
            at(w.next + ticks.max(1) - 1);
        }
    }
    next
}
