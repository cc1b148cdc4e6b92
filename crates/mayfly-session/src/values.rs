//! Values of a world, asked from outside: defines, watches, the clauses of a rule.
//!
//! Invariant: asking changes nothing and draws nothing; what would have to draw has no value.

use mayfly_base::code::{Expr, ExprKind};
use mayfly_base::*;
use mayfly_engine::eval::Scope;
use mayfly_engine::fault::Fault;
use mayfly_engine::world::World;
use mayfly_engine::{Engine, Target};
use std::cell::{Cell, RefCell};

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
}

impl Needs {
    pub fn of(e: &Expr) -> Self {
        Self { frame: e.frame() }
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
    let mut frame = locals.to_vec();
    frame.resize(frame.len().max(needs.frame), Value::None);
    within(engine, world, me, |scope| scope.eval(e, &mut frame))
}

/// Asks something of a world, with a `self`.
pub fn within<T>(engine: &Engine, world: &World, me: Option<ActorId>, ask: impl FnOnce(&Scope) -> T) -> T {
    let steps = Cell::new(0);
    let known = RefCell::default();
    // Who only asks draws nothing.
    let (program, may_draw) = (&engine.program, false);
    ask(&Scope { program, world, me, rule: None, steps: &steps, deep: 0, draws: None, may_draw, known: &known })
}

/// A defined value.
///
/// # Errors
/// A fault where it has none.
pub fn define(engine: &Engine, world: &World, id: DefineId) -> Result<Value, Fault> {
    of(engine, world, &engine.program.defines[id.index()].expr, None, &[])
}

/// The variable that an expression is, if it is one.
pub fn target_of(e: &Expr) -> Option<Target> {
    match &e.kind {
        ExprKind::Var(v) => Some(Target::Var(*v)),
        ExprKind::Field(a, f) => match a.kind {
            ExprKind::Const(Value::Actor(id)) => Some(Target::Field(id, *f)),
            _ => None,
        },
        ExprKind::Attr(a, attr) => match a.kind {
            ExprKind::Const(Value::Actor(id)) => Some(Target::Attr(id, *attr)),
            _ => None,
        },
        _ => None,
    }
}
