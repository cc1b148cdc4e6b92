//! Inputs as text: `40: keeper wind`, `10: keeper east`, `5: poke keeper.oil = 9`.
//!
//! Invariant: what is not understood is said, with the line; nothing is passed over.

use mayfly_base::*;
use mayfly_engine::Input;
use mayfly_engine::program::{Op, Program};
use mayfly_lang::check;
use mayfly_lang::level::{Level, StmtKind};
use std::collections::BTreeMap;

/// A line that is not understood, and why.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("`{line}`: {why}")]
pub struct BadInput {
    pub line: String,
    pub why: String,
}

/// What a line does at its tick.
#[derive(Clone, Debug, PartialEq)]
pub enum Deed {
    /// An actor's name and an input's.
    Press(String, String),
    /// One action.
    Poke(String),
}

/// Lines with their ticks, in order.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Script {
    pub lines: Vec<(u64, Deed, String)>,
}

impl Script {
    /// Adds one line.
    ///
    /// # Errors
    /// A line that is not `TICK: ACTOR INPUT` or `TICK: poke ACTION`.
    pub fn add(&mut self, line: &str) -> Result<(), BadInput> {
        let bad = |why: &str| BadInput { line: line.to_string(), why: why.to_string() };
        let (tick, rest) =
            line.split_once(':').ok_or_else(|| bad("write `TICK: ACTOR INPUT`, such as `40: keeper wind`"))?;
        let tick = tick.trim().parse().map_err(|_| bad("before the colon stands a tick: a whole number, 0 or more"))?;
        let rest = rest.trim();
        let deed = match rest.strip_prefix("poke ") {
            Some(action) => Deed::Poke(action.trim().to_string()),
            None => {
                let words: Vec<&str> = rest.split_whitespace().collect();
                let [actor, input] = words.as_slice() else {
                    return Err(bad("after the colon stand an actor and an input: `keeper wind`"));
                };
                Deed::Press((*actor).to_string(), (*input).to_string())
            }
        };
        self.lines.push((tick, deed, line.to_string()));
        Ok(())
    }

    /// The engine's inputs by tick. The code of pokes is put at the program's end.
    ///
    /// # Errors
    /// A line that names an unknown actor or input, or an action that is wrong.
    pub fn resolve(&self, level: &Level, program: &mut Program) -> Result<BTreeMap<u64, Vec<Input>>, BadInput> {
        let mut out: BTreeMap<u64, Vec<Input>> = BTreeMap::new();
        for (tick, deed, line) in &self.lines {
            let bad = |why: String| BadInput { line: line.clone(), why };
            let input = match deed {
                Deed::Press(actor, input) => {
                    let a = level
                        .actors
                        .iter()
                        .position(|a| a.name == *actor)
                        .ok_or_else(|| bad(format!("there is no actor `{actor}`")))?;
                    if !level.kinds[level.actors[a].kind.index()].steered {
                        return Err(bad(format!("`{actor}` is not steered")));
                    }
                    let i = level.inputs.iter().position(|i| i.name == *input).ok_or_else(|| {
                        let names: Vec<&str> = level.inputs.iter().map(|i| i.name.as_str()).collect();
                        bad(format!("there is no input `{input}`; there are {}", names.join(", ")))
                    })?;
                    Input::Tap(ActorId::at(a), InputId::at(i))
                }
                Deed::Poke(action) => poke(level, program, action).map_err(bad)?,
            };
            out.entry(*tick).or_default().push(input);
        }
        Ok(out)
    }
}

/// One action by hand: its code is put at the program's end.
///
/// # Errors
/// What is wrong with it, in words.
pub fn poke(level: &Level, program: &mut Program, action: &str) -> Result<Input, String> {
    let (stmt, slots) = check::action(level, action).map_err(|d| format!("{}; {}", d.message, d.help))?;
    let StmtKind::Do(action) = stmt.kind else {
        return Err("only one action can be poked: an assignment, send, move, start and their like".into());
    };
    let code = program.code.len() as u32;
    program.code.push(Op::Do(action));
    program.spans.push(stmt.span);
    program.code.push(Op::End);
    program.spans.push(stmt.span);
    Ok(Input::Poke { code, slots })
}
