//! What expressions of a made-up level come to, by the words of the contract.
//!
//! Not here: when they are asked ([`super::play`]).
//!
//! Invariant: no question changes anything.

use super::form::*;
use super::play::Play;
use super::state::*;

/// What an expression is read with.
#[derive(Clone, Copy, Default)]
pub struct Seen<'s> {
    pub me: Option<usize>,
    pub locals: &'s [f64],
}

impl Play<'_> {
    pub fn num(&self, n: &Num, s: Seen) -> Result<f64, Fault> {
        Ok(match n {
            Num::Lit(n) => *n as f64,
            Num::Var(v) => self.numbers[v % NUMBERS],
            Num::Own => self.actors[s.me.unwrap_or(0)].w,
            Num::Of(a) => self.actors[a % ACTORS].w,
            Num::Local(back) => match s.locals.len() {
                0 => 1.0,
                len => s.locals[len - 1 - back % len],
            },
            Num::Ramped => self.ramped.floor(),
            Num::Call(n) => {
                let p = [self.num(n, s)?];
                let inside = Seen { me: None, locals: &p };
                let (test, a, b) = &self.level.work_out;
                self.num(if self.test(test, inside)? { a } else { b }, inside)?
            }
            Num::Define => self.num(&self.level.define, Seen::default())?,
            Num::Count(v) => {
                let than = self.numbers[v % NUMBERS];
                self.actors.iter().filter(|a| a.is_there() && a.w > than).count() as f64
            }
            Num::Two(calc, a, b) => {
                let (a, b) = (self.num(a, s)?, self.num(b, s)?);
                match calc {
                    Calc::Add => a + b,
                    Calc::Sub => a - b,
                    Calc::Mul => a * b,
                    Calc::Min => a.min(b),
                    Calc::Max => a.max(b),
                    Calc::Quotient | Calc::Mod if b == 0.0 => return Err(Fault::Division),
                    Calc::Quotient => (a / b).floor(),
                    Calc::Mod => a - b * (a / b).floor(),
                }
            }
            Num::If(c, a, b) => self.num(if self.test(c, s)? { a } else { b }, s)?,
        })
    }

    pub fn test(&self, t: &Test, s: Seen) -> Result<bool, Fault> {
        Ok(match t {
            Test::Flag(f) => self.flags[f % FLAGS],
            Test::Less(a, b) => self.num(a, s)? < self.num(b, s)?,
            Test::AtLeast(a, b) => self.num(a, s)? >= self.num(b, s)?,
            Test::Same(a, b) => self.num(a, s)? == self.num(b, s)?,
            Test::Not(t) => !self.test(t, s)?,
            Test::And(a, b) => self.test(a, s)? && self.test(b, s)?,
            Test::Or(a, b) => self.test(a, s)? || self.test(b, s)?,
            Test::Running(t) => self.timers[t % TIMERS.len()].running,
            Test::In(a, z) => self.is_in(a % ACTORS, z % ZONES.len()),
            Test::State(n) => self.machines[NIGHT].is_in(n % STATES),
            Test::Glow(n) => self.machines[s.me.unwrap_or(0) + 1].is_in(n % GLOWS),
            Test::Enabled(a) => self.actors[a % ACTORS].enabled,
        })
    }

    pub fn is_in(&self, a: usize, z: usize) -> bool {
        let ((x, y), (left, top, width, height)) = (self.actors[a].at, ZONES[z]);
        self.actors[a].is_there() && (left..left + width).contains(&x) && (top..top + height).contains(&y)
    }
}
