//! Values that move over ticks: ramps, slides, and pushes.
//!
//! A ramp of n ticks begun in tick t writes in step 2 of ticks t+1 to t+n: the k-th value is
//! from + (to - from) k / n, eased by 3u^2 - 2u^3 where it is smooth, and the n-th exactly the goal.
//!
//! Invariant: one place has one ramp; any other write to it ends the ramp, and who waits for a ramp goes on when
//! it ends, however it ends.

use crate::fault::*;
use crate::record::*;
use crate::tick_context::TickContext;
use crate::world::*;
use mayfly_base::code::*;
use mayfly_base::*;

impl<R: Recorder> TickContext<'_, R> {
    /// Begins a ramp or a slide.
    #[expect(clippy::too_many_arguments, reason = "the parts of one statement")]
    pub fn ramp(
        &mut self,
        place: &Place,
        to: &Expr,
        over: &RampTime,
        (smooth, slide): (bool, bool),
        run: &mut Run,
        pc: u32,
        span: Span,
    ) -> Result<(), Fault> {
        let to_value = self.scope(run.me).eval(to, &mut run.locals)?;
        let target = self.target(place, run)?;
        let from = self.held(target, run);
        let far = match (&from, &to_value) {
            (Value::Number(a), Value::Number(b)) => (b - a).abs(),
            (Value::Duration(a), Value::Duration(b)) => (b - a).abs() as f64,
            (Value::Point(a), Value::Point(b)) => (b.x - a.x).hypot(b.y - a.y),
            _ => return Err(Fault::new(FaultKind::None, "none cannot be ramped", span)),
        };
        let ticks = match over {
            RampTime::Over(d) => self.scope(run.me).ticks(d, &mut run.locals)?,
            RampTime::At(e) => {
                let share = self.scope(run.me).number(e, &mut run.locals)?;
                if share <= 0.0 {
                    return Err(Fault::new(
                        FaultKind::NotANumber,
                        "a ramp goes on by more than nothing a tick",
                        e.span,
                    ));
                }
                (far / share - number::NEAR).ceil().clamp(1.0, 1e15) as u64
            }
        };
        self.note_draws();
        if let (Target::Attr(_, attr), v) = (target, &to_value) {
            self.fits_attr(attr, v, to.span)?;
        }
        if self.is_gone(target.owner()) {
            self.last_ramp = None;
            return Ok(());
        }
        self.end_ramps(EndWhy::Replaced, |r| r.target.meets(target));
        if self.world.ramps.len() >= MAX_RUNS {
            return Err(Fault::new(FaultKind::Limit, "more than 10,000 ramps at once", span));
        }
        let (shown, cause_to) = (from.clone(), to_value.clone());
        let cause = self.note(|| TraceEvent::RampSet { target, from: shown, to: cause_to, ticks, pc });
        let id = self.order();
        self.last_ramp = Some(id);
        self.world.ramps.push(Ramp {
            id,
            target,
            from,
            to: to_value,
            ticks,
            done: 0,
            smooth,
            slide,
            pc,
            home: run.home,
            cause,
        });
        Ok(())
    }

    /// Ends the ramps that are meant, in the midst of a round; who waits for one goes on in the next.
    pub fn end_ramps(&mut self, why: EndWhy, meant: impl Fn(&Ramp) -> bool) {
        let mut i = 0;
        while i < self.world.ramps.len() {
            if !meant(&self.world.ramps[i]) {
                i += 1;
                continue;
            }
            let r = self.world.ramps.remove(i);
            self.note(|| TraceEvent::RampEnds { target: r.target, to: r.to, why });
            self.go_on_after(Wait::Ramp(r.id));
        }
    }

    /// An actor is put elsewhere: that is a write to its place.
    pub fn end_ramps_of_place(&mut self, id: ActorId) {
        self.end_ramps(EndWhy::Written, |r| r.target.meets(Target::Attr(id, Attr::At)));
    }

    /// A ramp is over in step 2: who waits for it goes on in step 4 of this tick.
    fn ramp_is_over(&mut self, id: u64) {
        for i in 0..self.world.runs.len() {
            if self.world.runs[i].wait == Wait::Ramp(id) {
                self.wait_is_over(i);
            }
        }
    }

    /// Step 2: every ramp goes on by one tick, in the order in which they were begun.
    pub fn ramps(&mut self) {
        let ramps = std::mem::take(&mut self.world.ramps);
        let mut kept = vec![];
        for mut r in ramps {
            let owner = r.target.owner();
            if owner.is_some_and(|a| !self.world.actors[a.index()].enabled) {
                kept.push(r);
                continue;
            }
            r.done += 1;
            let value = r.value();
            let goes_on = if r.slide {
                self.slide_on(&mut r, &value)
            } else {
                let written = self.write(r.target, value, r.pc, self.program.spans[r.pc as usize]);
                if let Err(f) = &written {
                    self.fault(self.program.rule_at(r.pc), f.clone());
                }
                written.is_ok()
            };
            if goes_on && r.done < r.ticks {
                kept.push(r);
                continue;
            }
            if !goes_on {
                let (target, to) = (r.target, r.to);
                self.note(|| TraceEvent::RampEnds { target, to, why: EndWhy::Stopped });
            }
            self.ramp_is_over(r.id);
        }
        kept.append(&mut self.world.ramps);
        self.world.ramps = kept;
    }

    /// One tick of a slide; false where a solid stops it.
    fn slide_on(&mut self, r: &mut Ramp, value: &Value) -> bool {
        let (Target::Attr(id, _), Value::Point(to)) = (r.target, value) else { return false };
        let from = self.world.actors[id.index()].at;
        let (to, into) = self.way(id, from, *to);
        if to != from {
            let a = &mut self.world.actors[id.index()];
            (a.at, a.dirty) = (to, true);
            // It walks on from where it is now.
            a.walk.drop_way();
            let (dx, dy) = self.wrap(id);
            for end in [&mut r.from, &mut r.to] {
                if let Value::Point(p) = end {
                    (p.x, p.y) = (p.x + dx, p.y + dy);
                }
            }
            let to = self.world.actors[id.index()].at;
            let because = r.cause;
            let cause = self.note(|| TraceEvent::Moved { actor: id, from, to, cause: because });
            self.world.actors[id.index()].moved_by = cause;
            self.stopper_changed(id);
            self.carry(id, from, to, cause);
        }
        if let Some(into) = into {
            self.bump(id, into, r.cause);
        }
        into.is_none()
    }

    /// Pushes an actor at once, as far as solids let it.
    ///
    /// # Errors
    /// A goal beyond all places.
    pub fn shove(&mut self, id: ActorId, by: Point, pc: u32, span: Span) -> Result<(), Fault> {
        let from = self.world.actors[id.index()].at;
        let goal = Point { x: from.x + by.x, y: from.y + by.y, area: from.area };
        self.fits_map(goal, span)?;
        self.end_ramps_of_place(id);
        let (at, into) = self.way(id, from, goal);
        self.world.actors[id.index()].at = at;
        self.wrap(id);
        self.displaced(id);
        let to = self.world.actors[id.index()].at;
        let cause = self.note(|| TraceEvent::Put { actor: id, from, to, pc });
        self.world.actors[id.index()].moved_by = cause;
        if let Some(what) = into.and_then(|into| self.stopped(id, into, cause)) {
            self.cause(what, cause);
        }
        Ok(())
    }
}

impl Ramp {
    /// Its value after the ticks that are done.
    fn value(&self) -> Value {
        if self.done >= self.ticks {
            return self.to.clone();
        }
        let u = self.done as f64 / self.ticks as f64;
        let u = if self.smooth { u * u * (3.0 - 2.0 * u) } else { u };
        match (&self.from, &self.to) {
            (Value::Number(a), Value::Number(b)) => Value::Number(a + (b - a) * u),
            (Value::Duration(a), Value::Duration(b)) => Value::Duration(a + ((b - a) as f64 * u).round() as i64),
            (Value::Point(a), Value::Point(b)) => {
                Value::Point(Point { x: a.x + (b.x - a.x) * u, y: a.y + (b.y - a.y) * u, area: a.area })
            }
            _ => self.to.clone(),
        }
    }
}
