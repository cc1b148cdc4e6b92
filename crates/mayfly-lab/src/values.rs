//! Values of a world, asked from outside: defines, watches, the clauses of a rule.
//!
//! Invariant: asking changes nothing; a draw that an expression makes is made in a copy of its stream.

use mayfly_base::code::{Expr, ExprKind};
use mayfly_base::*;
use mayfly_engine::Engine;
use mayfly_engine::eval::Scope;
use mayfly_engine::fault::Fault;
use mayfly_engine::world::World;
use std::cell::Cell;

/// The value of an expression in a world, with a frame.
///
/// # Errors
/// A fault where it has none.
pub fn of(engine: &Engine, world: &World, e: &Expr, me: Option<ActorId>, locals: &[Value]) -> Result<Value, Fault> {
    by_needs(engine, world, e, Needs::of(e), me, locals)
}

/// What an expression needs to be asked.
#[derive(Clone, Copy, Debug)]
pub struct Needs {
    frame: usize,
    draws: bool,
}

impl Needs {
    pub fn of(e: &Expr) -> Self {
        let mut draws = false;
        e.walk(&mut |x| draws |= matches!(x.kind, ExprKind::Draw(..)));
        Self { frame: e.frame(), draws }
    }
}

/// As [`of`], where its needs are known already.
///
/// # Errors
/// A fault where it has none.
pub fn by_needs(
    engine: &Engine,
    world: &World,
    e: &Expr,
    needs: Needs,
    me: Option<ActorId>,
    locals: &[Value],
) -> Result<Value, Fault> {
    let steps = Cell::new(0);
    let mut frame = locals.to_vec();
    frame.resize(frame.len().max(needs.frame), Value::None);
    if needs.draws {
        let copy = world.clone();
        return Scope { program: &engine.program, world: &copy, me, rule: None, steps: &steps, deep: 0, draws: None }
            .eval(e, &mut frame);
    }
    Scope { program: &engine.program, world, me, rule: None, steps: &steps, deep: 0, draws: None }.eval(e, &mut frame)
}

/// A defined value.
///
/// # Errors
/// A fault where it has none.
pub fn define(engine: &Engine, world: &World, id: DefineId) -> Result<Value, Fault> {
    of(engine, world, &engine.program.defines[id.index()].expr, None, &[])
}
