//! Which prompts and boards can never be faulty: their tests and texts need not be looked at in every tick.
//!
//! Not here: which defined values may be faulty ([`mayfly_base::code::Expr::can_fault`]).
//!
//! Invariant: what counts as sure has a value in every world; whatever is not known to is not sure.

use mayfly_base::code::*;
use mayfly_base::*;
use mayfly_engine::program::{CodeAt, Op};
use mayfly_lang::level::Level;
use mayfly_lang::types::Ty;
use rustc_hash::FxHashSet;

/// Where prompts and boards stand that are never faulty.
pub fn signs(level: &Level, code: &[Op]) -> FxHashSet<CodeAt> {
    let is_sure = |op: &Op| match op {
        Op::Do(Action::Prompt { text, sustain, .. } | Action::Board { text, sustain }) => {
            std::iter::once(text).chain(sustain).all(|e| sure(level, e, 0))
        }
        _ => false,
    };
    code.iter().enumerate().filter(|(_, op)| is_sure(op)).map(|(i, _)| i as CodeAt).collect()
}

/// Defined values inside each other that are looked through.
const DEPTH: u32 = 16;

fn sure(level: &Level, e: &Expr, depth: u32) -> bool {
    use ExprKind::*;
    let all = |list: &[&Expr]| list.iter().all(|e| sure(level, e, depth));
    match &e.kind {
        Const(v) => !matches!(v, Value::None),
        Time | Tick | ClockShows(..) | ClockRun(..) | ClockSpeed(_) => true,
        Var(v) => !matches!(level.vars[v.index()].ty, Ty::Maybe(_) | Ty::Nothing | Ty::Broken),
        Define(d) => depth < DEPTH && sure(level, &level.defines[d.index()].expr, depth + 1),
        // A text has at most a megabyte: of numbers and names it is short.
        Text(pieces) => pieces.iter().all(|p| match p {
            Piece::Words(w) => w.len() < 10_000,
            Piece::Value(e, _) => sure(level, e, depth) && !grows(level, e),
        }),
        Binary(op, a, b) => !matches!(op, BinOp::Div | BinOp::Mod) && !grows(level, e) && all(&[a, b]),
        And(a, b) | Or(a, b) => all(&[a, b]),
        Not(a) | TimerLeft(a) | TimerRunning(a) => all(&[a]),
        If(a, b, c) | Between(a, b, c) => all(&[a, b, c]),
        // How many are so: asked of those who are there, by what they all have.
        Over(o) => {
            let asks = matches!(o.what, OverWhat::Count | OverWhat::Some | OverWhat::Every);
            asks && o.value.is_none() && o.test.as_ref().is_none_or(sure_of_one)
        }
        MachineState(_, None) | InState(_, None, _, None) => true,
        _ => false,
    }
}

/// What is asked of each of a kind's actors: its own variables and the states of its machines, compared with constants.
fn sure_of_one(e: &Expr) -> bool {
    use ExprKind::*;
    let one = |e: &Expr| matches!(e.kind, Local(_) | Myself);
    match &e.kind {
        InState(_, Some(a), _, None) => one(a),
        Field(a, _) => one(a),
        Not(a) => sure_of_one(a),
        And(a, b) | Or(a, b) => sure_of_one(a) && sure_of_one(b),
        _ => false,
    }
}

/// True of values that may be as long as one likes: texts, lists, sets, tallies.
fn grows(level: &Level, e: &Expr) -> bool {
    e.walks(&|e| match &e.kind {
        ExprKind::Var(v) => {
            matches!(level.vars[v.index()].ty.inner(), Ty::Text | Ty::List(_) | Ty::Set(_) | Ty::Tally(_))
        }
        ExprKind::Define(d) => {
            matches!(level.defines[d.index()].ty.inner(), Ty::Text | Ty::List(_) | Ty::Set(_) | Ty::Tally(_))
        }
        ExprKind::Const(Value::Text(t)) => t.len() > 1000,
        ExprKind::Const(Value::List(_) | Value::Set(_) | Value::Tally(_)) => true,
        _ => false,
    })
}
