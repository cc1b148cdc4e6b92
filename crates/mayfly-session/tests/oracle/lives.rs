//! Machines that begin, go on and stand in states; actors that come, are reset and go: by the words of the contract.
//!
//! Not here: the actions of which they are asked ([`super::act`]), and when ([`super::play`]).
//!
//! Invariant: what a state began ends with its stay, and nothing begins for one that is gone.

use super::form::*;
use super::play::Play;
use super::state::*;

impl Play<'_> {
    pub fn spawn(&mut self, actor: Actor) {
        let a = self.actors.len();
        self.actors.push(actor);
        let machine = Machine::new(self.tick);
        self.unbegun.push((self.machines.len(), 1));
        self.machines.push(machine);
        self.watch_one(a);
        self.next.extend([Happens::MachinesBegin(Some(a)), Happens::Spawns(a)]);
    }

    /// It is as it was at first, and its machine begins again.
    pub fn reset(&mut self, a: usize) {
        if self.actors[a].gone {
            return;
        }
        self.end_what_it_began(a);
        self.resets.push(a);
        self.runs.retain(|r| r.me != Some(a));
        self.kept.retain(|k| k.me != Some(a));
        self.switch(a, true);
        let actor = &mut self.actors[a];
        (actor.w, actor.at) = actor.first;
        let now = &mut self.machines[a + 1];
        let id = now.count + 1;
        *now = Machine { stays: vec![Stay { state: 0, since: self.tick, id }], before: None, count: id };
        self.unbegun.push((a + 1, id));
        self.next.push(Happens::MachinesBegin(Some(a)));
    }

    pub fn remove(&mut self, a: usize) {
        if std::mem::replace(&mut self.actors[a].gone, true) {
            return;
        }
        self.end_what_it_began(a);
        let inside = self.actors[a].inside;
        self.next.extend((0..ZONES.len()).filter(|z| inside[*z]).map(|z| Happens::Leaves(a, z)));
        self.next.push(Happens::Removed(a));
        self.runs.retain(|r| r.me != Some(a) && r.bound != Some(a));
        self.kept.retain(|k| k.me != Some(a) && k.bound != Some(a));
    }

    /// The ramp that a state of its machine began ends with it.
    fn end_what_it_began(&mut self, a: usize) {
        if self.ramp.as_ref().is_some_and(|r| r.home.is_some_and(|(m, _)| m == a + 1)) {
            self.end_ramp();
        }
    }

    fn is_gone(&self, m: usize) -> bool {
        owner(m).is_some_and(|a| self.actors[a].gone)
    }

    /// Enters the first state, if that is still to be done.
    pub fn begin_machine(&mut self, m: usize) {
        let stays = self.machines[m].stays.clone();
        let first: Vec<Stay> = stays.into_iter().filter(|s| self.unbegun.contains(&(m, s.id))).collect();
        self.unbegun.retain(|(of, _)| *of != m);
        // A first state of which nobody hears makes no round longer.
        let heard = first.iter().filter(|s| self.is_entering_awaited(m, s.state));
        let heard: Vec<Happens> = heard.map(|s| entered(m, s.state)).collect();
        self.next.extend(heard);
        first.into_iter().for_each(|s| self.enter(m, s));
    }

    fn enter(&mut self, m: usize, stay: Stay) {
        if self.machines[m].lasts(stay.id) {
            let block = self.states(m)[stay.state].enter.clone();
            self.part(m, block, vec![], Some((m, stay.id)), true);
        }
    }

    /// The loop of a state begins when its `enter` has ended, if it is in that state still.
    pub fn begin_loop(&mut self, run: &Run) {
        let Some((m, id)) = run.home.filter(|_| run.enters) else { return };
        let Some(stay) = self.machines[m].stays.iter().find(|s| s.id == id) else { return };
        if let Some(block) = self.states(m)[stay.state].looped.clone() {
            self.begin(m, Frame { block, at: 0, turns: Turns::Ever, floor: 0 }, vec![], run.home, false);
        }
    }

    /// Ends what the state began, and runs its `leave`.
    fn leave(&mut self, m: usize, stay: Stay) {
        let home = Some((m, stay.id));
        self.runs.retain(|r| r.home != home);
        if self.ramp.as_ref().is_some_and(|r| r.home == home) {
            self.end_ramp();
        }
        let is_its = |k: &Kept| match k.of {
            Of::Night(s, _) => m == NIGHT && s == stay.state,
            Of::Glow(s, _) => owner(m) == k.me && s == stay.state,
            _ => false,
        };
        self.kept.retain(|k| !is_its(k));
        let block = self.states(m)[stay.state].leave.clone();
        self.part(m, block, vec![], None, false);
    }

    /// Leaves, runs what stands between, and enters. `from` is the state whose way it is: with it all is left that lies in it.
    pub fn go(
        &mut self,
        m: usize,
        from: Option<usize>,
        to: usize,
        then: Option<(Block, Vec<f64>)>,
    ) -> Result<(), Fault> {
        if self.is_gone(m) {
            return Ok(());
        }
        if self.nested >= 64 {
            return Err(Fault::Recursion);
        }
        self.nested += 1;
        self.begin_machine(m);
        let now = self.machines[m].clone();
        let source = from.filter(|s| now.is_in(*s)).unwrap_or(now.state());
        let outer = |s: usize| (m == NIGHT && s >= INNER).then_some(HOLDER);
        let kept = usize::from(outer(source).is_some() && outer(source) == outer(to));
        now.stays[kept..].iter().rev().for_each(|s| self.leave(m, *s));
        if let Some((block, locals)) = then {
            self.part(m, block, locals, None, false);
        }
        self.unbegun.retain(|(of, _)| *of != m);
        if !self.is_gone(m) {
            let path = match to {
                HOLDER if m == NIGHT => vec![HOLDER, INNER],
                to => outer(to).into_iter().chain([to]).collect(),
            };
            self.stand_in(m, &now, kept, &path[kept..]);
        }
        self.nested -= 1;
        Ok(())
    }

    fn stand_in(&mut self, m: usize, was: &Machine, kept: usize, path: &[usize]) {
        let since = owner(m).map_or(self.tick, |a| self.as_left(a, self.tick));
        let now = &mut self.machines[m];
        now.before = Some(was.state());
        now.stays.truncate(kept);
        for state in path {
            now.count += 1;
            now.stays.push(Stay { state: *state, since, id: now.count });
        }
        let new = now.stays[kept..].to_vec();
        let left = was.stays[kept..].iter().rev().map(|s| match owner(m) {
            None => Happens::NightLeaves(s.state),
            Some(a) => Happens::GlowLeaves(a, s.state),
        });
        self.next.extend(left.chain(new.iter().map(|s| entered(m, s.state))));
        new.into_iter().for_each(|s| self.enter(m, s));
    }

    /// A tick from which something counts: of a disabled actor, the one in which it was disabled.
    pub fn as_left(&self, a: usize, tick: u64) -> u64 {
        Some(&self.actors[a]).filter(|a| !a.enabled).map_or(tick, |a| a.disabled_at)
    }

    fn part(&mut self, m: usize, block: Block, locals: Vec<f64>, home: Option<(usize, u64)>, enters: bool) {
        let floor = locals.len();
        self.begin(m, Frame { block, at: 0, turns: Turns::Once, floor }, locals, home, enters);
    }

    fn begin(&mut self, m: usize, frame: Frame, locals: Vec<f64>, home: Option<(usize, u64)>, enters: bool) {
        if self.is_gone(m) {
            return;
        }
        let (of, me, waits, frames) = (Of::Machine, owner(m), Waits::Ticks(0), vec![frame]);
        self.carry_out(Run { id: 0, of, me, bound: None, locals, frames, waits, home, enters, in_routine: false });
    }
}

fn entered(m: usize, state: usize) -> Happens {
    owner(m).map_or(Happens::NightEnters(state), |a| Happens::GlowEnters(a, state))
}
