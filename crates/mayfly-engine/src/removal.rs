//! What goes with actors that were removed.
//!
//! Not here: who is removed when ([`crate::act`]).
//!
//! Invariant: nothing is kept that only they could have used.

use crate::program::Program;
use crate::renew;
use crate::world::World;
use mayfly_base::*;

impl World {
    /// Makes tombstones of those that were removed in this tick, and forgets all that only they could have used. Gives who
    /// they are.
    pub fn clear_removed(&mut self, program: &Program) -> Vec<ActorId> {
        let placed = renew::placed(program);
        let mut freed = 0;
        let dead = self.actors.clear_removed(placed, |id, a| {
            a.first = None;
            (a.step, a.pressed, a.ground, a.bump) = (None, None, None, None);
            a.walk.take();
            // What is kept between runs is read from a placed one even then.
            if id.index() >= placed {
                freed += a.fields.iter().map(Value::weight).sum::<usize>();
                a.fields = vec![];
            }
        });
        self.bytes = self.bytes.saturating_sub(freed);
        let is_dead = |a: &Option<ActorId>| a.is_some_and(|a| dead.binary_search(&a).is_ok());
        let kept = |rule: RuleId, n: u8| program.rules[rule.index()].limits.keep == Some(n.into());
        self.uses.retain(|(rule, n, me, per), _| kept(*rule, *n) || !is_dead(me) && !is_dead(per));
        self.rests.retain(|(_, _, me, per), _| !is_dead(me) && !is_dead(per));
        self.machines.retain(|(_, of), _| !is_dead(of));
        self.random.get_mut().streams.retain(|(_, me, _), _| !is_dead(me));
        dead
    }
}
