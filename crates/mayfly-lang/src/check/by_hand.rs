//! What is typed by hand beside a level: an action for a poke, an expression for a watch or a search, a value for a draw, a
//! duration.
//!
//! Not here: what happens with it (the session runs it). Invariant: the level itself is not changed by it.

use super::names::Def;
use super::{Checker, Frame};
use crate::diagnostic::{Diagnostic, Severity};
use crate::level::*;
use crate::parser;
use crate::syntax::Kind as K;
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;

/// What is wrong with the whole of a text.
fn broken(text: &str, message: &str, help: &str) -> Box<Diagnostic> {
    Box::new(Diagnostic::error("syntax", Span::new(0, 0, text.len()), message, help))
}

/// Actions by hand, checked against a level.
#[derive(Clone, Debug)]
pub struct ByHand {
    pub block: Block,
    pub slots: Vec<(String, Ty)>,
    /// The names of the places in it that draw, numbered on from the level's own.
    pub draws: Vec<String>,
}

/// Checks one statement against a level: a poke.
///
/// # Errors
/// The first thing that is wrong with it.
pub fn action(level: &Level, text: &str) -> Result<ByHand, Box<Diagnostic>> {
    let parsed = parser::parse_action(text);
    let mut c = Checker::of_level(level);
    let broken = |message: &str, help: &str| broken(text, message, help);
    if let Some(e) = parsed.errors.first() {
        return Err(broken(&e.message, &e.help));
    }
    let mut f = Frame { title: "poke".into(), before: Some(vec![]), ..Frame::default() };
    let block = c.block(&parsed.tree(), &mut f);
    if let Some(d) = c.diagnostics.into_iter().find(|d| d.severity == Severity::Error) {
        return Err(Box::new(d));
    }
    if block.is_empty() {
        return Err(broken("there is no action here", "write one, such as `keeper.oil = 9`"));
    }
    if c.level.rules.len() > level.rules.len() || c.level.watches.len() > level.watches.len() {
        return Err(broken("an action by hand waits for no event", "write `wait 2s`, or `wait until` a test"));
    }
    Ok(ByHand { block, slots: f.slots, draws: c.level.draws[level.draws.len()..].to_vec() })
}

/// The value that a draw is to give: of whatever type.
///
/// # Errors
/// What is wrong with it.
pub fn drawn(level: &Level, text: &str) -> Result<Value, Box<Diagnostic>> {
    for (i, e) in level.enums.iter().enumerate() {
        if let Some(v) = e.values.iter().position(|v| v == text.trim()) {
            return Ok(Value::Enum(EnumId::at(i), v as u32));
        }
    }
    let (e, _) = expression(level, text)?;
    match e.kind {
        ExprKind::Const(v) => Ok(v),
        _ => Err(Box::new(Diagnostic::error(
            "no-constant",
            e.span,
            "a draw gives a value that is known",
            "write a value",
        ))),
    }
}

/// Checks one expression against a level: a watch, or what one searches for. Gives the expression and
/// its type.
///
/// # Errors
/// The first thing that is wrong with it.
pub fn expression(level: &Level, text: &str) -> Result<(Expr, Ty), Box<Diagnostic>> {
    let parsed = parser::parse_expression(text);
    let broken = |message: &str, help: &str| broken(text, message, help);
    if let Some(e) = parsed.errors.first() {
        return Err(broken(&e.message, &e.help));
    }
    let Some(node) = parsed.tree().expr() else {
        return Err(broken("there is no expression here", "write one, such as `lamps_lit == 3`"));
    };
    let mut c = Checker::of_level(level);
    let mut f = Frame { title: "watch".into(), ..Frame::default() };
    let got = c.expr(&node, None, &mut f);
    if c.level.draws.len() > level.draws.len() {
        return Err(broken("what is watched draws nothing at random", "watch the variable that holds what was drawn"));
    }
    match c.diagnostics.into_iter().find(|d| d.severity == Severity::Error) {
        Some(d) => Err(Box::new(d)),
        None => Ok(got),
    }
}

impl Checker {
    /// A checker that knows a level already.
    fn of_level(level: &Level) -> Self {
        let mut c = Self::new();
        c.by_hand = true;
        let span = Span::default();
        let mut add = |name: &str, def: Def| {
            c.names.insert(name.to_string(), (def, span));
        };
        level.enums.iter().enumerate().for_each(|(i, x)| add(&x.name, Def::Enum(EnumId::at(i))));
        level.tags.iter().enumerate().for_each(|(i, x)| add(x, Def::Tag(TagId::at(i))));
        level.tiles.iter().enumerate().for_each(|(i, x)| add(&x.name, Def::Tile(TileId::at(i))));
        level.vars.iter().enumerate().for_each(|(i, x)| add(&x.name, Def::Var(VarId::at(i))));
        level
            .defines
            .iter()
            .enumerate()
            .filter(|(_, d)| d.of.is_none())
            .for_each(|(i, x)| add(&x.name, Def::Define(DefineId::at(i))));
        level.consts.iter().enumerate().for_each(|(i, (x, _, _))| add(x, Def::Const(i)));
        level.messages.iter().enumerate().for_each(|(i, x)| add(&x.name, Def::Message(MessageId::at(i))));
        level.inputs.iter().enumerate().skip(4).for_each(|(i, x)| add(&x.name, Def::Input(InputId::at(i))));
        level.timers.iter().enumerate().for_each(|(i, x)| add(&x.name, Def::Timer(TimerId::at(i))));
        level.clocks.iter().enumerate().for_each(|(i, x)| add(&x.name, Def::Clock(ClockId::at(i))));
        level.paths.iter().enumerate().for_each(|(i, x)| add(&x.name, Def::Path(PathId::at(i))));
        level.areas.iter().enumerate().for_each(|(i, x)| add(&x.name, Def::Area(AreaId::at(i))));
        level.records.iter().enumerate().for_each(|(i, x)| add(&x.name, Def::Records(i as u32)));
        level.routines.iter().enumerate().for_each(|(i, x)| add(&x.name, Def::Routine(RoutineId::at(i))));
        level.tables.iter().enumerate().for_each(|(i, x)| add(&x.name, Def::Table(TableId::at(i))));
        level.kinds.iter().enumerate().for_each(|(i, x)| add(&x.name, Def::Kind(KindId::at(i))));
        level
            .machines
            .iter()
            .enumerate()
            .filter(|(_, m)| m.of.is_none())
            .for_each(|(i, m)| add(&m.name, Def::Machine(MachineId::at(i))));
        level.actors.iter().enumerate().for_each(|(i, x)| add(&x.name, Def::Actor(ActorId::at(i))));
        level
            .zones
            .iter()
            .enumerate()
            .filter(|(_, z)| z.of.is_none())
            .for_each(|(i, x)| add(&x.name, Def::Zone(ZoneId::at(i))));
        c.take_known(level.clone());
        (0..level.enums.len()).for_each(|e| c.know_enum(EnumId::at(e)));
        c.actors_by_name = level.actors.iter().enumerate().map(|(i, a)| (a.name.clone(), ActorId::at(i))).collect();
        let states = level.states.iter().enumerate().rev();
        c.states_by_name = states.map(|(i, s)| ((s.machine, s.name.clone()), StateId::at(i))).collect();
        c
    }
}

/// A duration as a person types it: `10s`, `1m 30s`, `4 ticks`. None where it is none.
pub fn duration(text: &str, rate: Rate) -> Option<Micros> {
    let parsed = parser::parse_expression(text);
    let node = parsed.tree().expr()?;
    if !parsed.errors.is_empty() || node.kind() != K::DURATION_EXPR {
        return None;
    }
    let mut c = Checker::new();
    c.level.rate = rate;
    let us = c.duration_of(&node);
    c.diagnostics.is_empty().then_some(us)
}
