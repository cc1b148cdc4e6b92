//! The notice of step 5: watched expressions and waits for a test, compared with the last notice.
//!
//! Invariant: a value that was different only in the midst of a round is never noticed; what is not
//! written and reads nothing but variables is not looked at again.

use crate::eval::Scope;
use crate::fault::Fault;
use crate::record::*;
use crate::tables::DeclaredAt;
use crate::tick_context::{Queued, TickContext};
use crate::world::*;
use mayfly_base::code::*;
use mayfly_base::*;

impl<R: Recorder> TickContext<'_, R> {
    /// Compares what may have changed; what it raises joins the queue's end.
    pub fn notice(&mut self) {
        let mut stale = std::mem::take(&mut self.world.stale);
        for w in &self.program.dispatch.always {
            stale.push((*w, None, Cause::NONE));
        }
        let mut raised: Vec<(DeclaredAt, Queued)> = vec![];
        // Nothing changes while all are compared: what is defined is found once.
        self.known.get_mut().clear();
        self.keeps_known = true;
        if !stale.is_empty() {
            // The last write of several is the cause that counts; what is compared without one comes after.
            stale.sort_by_key(|(w, a, c)| (*w, *c == Cause::NONE, *a, std::cmp::Reverse(*c)));
            stale.dedup_by_key(|(w, a, _)| (*w, *a));
            for (w, actor, cause) in stale {
                self.compare(w, actor, cause, &mut raised);
            }
        }
        if !self.program.eventless.is_empty() {
            self.eventless(&mut raised);
        }
        self.notice_waits(&mut raised);
        self.keeps_known = false;
        self.known.get_mut().clear();
        // At one place by whose it is, in order of creation, whatever was written last.
        raised.sort_by_key(|(place, q)| match &q.what {
            EventInstance::Watched { actor, .. } => (*place, *actor),
            _ => (*place, None),
        });
        self.queue.extend(raised.into_iter().map(|(_, q)| q));
    }

    fn compare(&mut self, w: WatchId, actor: Option<ActorId>, cause: Cause, raised: &mut Vec<(DeclaredAt, Queued)>) {
        for i in 0..self.world.watched[w.index()].len() {
            let of = self.world.watched[w.index()][i].actor;
            if actor.is_some() && of != actor {
                continue;
            }
            if of.is_some_and(|a| !self.world.actors[a.index()].enabled) {
                continue;
            }
            self.compare_one(w, i, of, cause, raised);
        }
    }

    fn compare_one(
        &mut self,
        w: WatchId,
        i: usize,
        actor: Option<ActorId>,
        cause: Cause,
        raised: &mut Vec<(DeclaredAt, Queued)>,
    ) {
        let watch = &self.program.watches[w.index()];
        self.fresh_steps();
        let new = Scope { may_draw: false, ..self.scope(actor) }.eval_in(&watch.expr, watch.frame);
        self.note_draws();
        let new = match new {
            Ok(v) => v,
            Err(fault) => {
                let known = |c: &Cause| *c != Cause::NONE;
                let changed = || Some(self.world_cause(&watch.expr, actor)).filter(known);
                let cause = Some(cause).filter(known).or_else(changed);
                let cause = cause.unwrap_or_else(|| self.removal_cause(&watch.expr));
                return self.watch_fault(w, i, fault, cause);
            }
        };
        let before = self.world.sides(self.program, w, actor, &new);
        let truth = new == Value::Flag(true);
        let state = &mut self.world.watched[w.index()][i];
        state.faulty = false;
        let mut forms = 0u64;
        for (f, form) in watch.forms.iter().enumerate().take(64) {
            let came = match form {
                WatchForm::Changes => !new.same(&state.last),
                WatchForm::TurnsTrue => truth && !state.truth,
                WatchForm::TurnsFalse => !truth && state.truth,
                WatchForm::Reaches(_) | WatchForm::DropsTo(_) => state.before & (1 << f) != 0 && before & (1 << f) == 0,
            };
            forms |= u64::from(came) << f;
        }
        let old = std::mem::replace(&mut state.last, new.clone());
        state.truth = truth;
        state.before = before;
        if forms != 0 {
            let cause = if cause == Cause::NONE { self.world_cause(&watch.expr, actor) } else { cause };
            let what = EventInstance::Watched { watch: w, actor, old, new, forms };
            raised.push((self.program.declared_at(watch.expr.span), Queued { what, cause }));
        }
    }

    /// A watched expression without a value is told once; it keeps what it was.
    fn watch_fault(&mut self, w: WatchId, i: usize, fault: Fault, cause: Cause) {
        let state = &mut self.world.watched[w.index()][i];
        if !std::mem::replace(&mut state.faulty, true) {
            let rule = self.program.dispatch.list(crate::dispatch::Key::Watch(w)).first().map(|a| a.rule);
            // A defined value that nobody awaits is named itself.
            let text = match rule {
                Some(_) => fault.text,
                None => format!("`{}`: {}", self.program.watches[w.index()].text, fault.text),
            };
            let fault = Box::new(Fault { text, ..fault });
            self.note_draws();
            self.note(|| TraceEvent::Faulted { rule, fault, cause });
        }
    }

    /// Runs that wait for a test that is true now go on.
    fn notice_waits(&mut self, raised: &mut Vec<(DeclaredAt, Queued)>) {
        if !self.world.runs.iter().any(|r| matches!(r.wait, Wait::Test(_))) {
            return;
        }
        let mut due: Vec<(DeclaredAt, u64, Cause)> = vec![];
        let mut faulty: Vec<(u64, Fault)> = vec![];
        for i in 0..self.world.runs.len() {
            let run = &self.world.runs[i];
            if !matches!(run.wait, Wait::Test(_)) || run.me.is_some_and(|m| !self.world.actors[m.index()].enabled) {
                continue;
            }
            if self.queue.iter().any(|q| q.what == EventInstance::Resumes(run.id)) {
                continue;
            }
            let crate::program::Op::WaitUntil { test, .. } = &self.program.code[run.pc as usize - 1] else { continue };
            let mut locals = run.locals.clone();
            let (me, id, cause, pc) = (run.me, run.id, run.cause, run.pc as usize);
            self.fresh_steps();
            match self.scope(me).flag(test, &mut locals) {
                Ok(true) => due.push((self.program.declared_at(self.program.spans[pc - 1]), id, cause)),
                Ok(false) => {}
                Err(fault) => faulty.push((id, fault)),
            }
        }
        for (id, fault) in faulty {
            if let Some(i) = self.world.runs.iter().position(|r| r.id == id) {
                self.wait_is_faulty(i, fault);
            }
        }
        due.sort_unstable_by_key(|(at, id, _)| (*at, *id));
        for (place, id, cause) in due {
            raised.push((place, Queued { what: EventInstance::Resumes(id), cause }));
        }
    }
}
