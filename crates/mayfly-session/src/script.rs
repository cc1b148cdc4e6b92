//! Inputs as text: `40: keeper wind`, `10: keeper east`, `5: poke keeper.oil = 9`.
//!
//! Invariant: what is not understood is said, with the line; nothing is passed over.

use mayfly_base::number::show_short;
use mayfly_base::*;
use mayfly_engine::Input;
use mayfly_engine::program::Program;
use mayfly_lang::check;
use mayfly_lang::diagnostic::Diagnostic;
use mayfly_lang::level::{Actor, Level};
use mayfly_lang::types::Ty;
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
            let bad = |why: InputError| BadInput { line: line.clone(), why: why.to_string() };
            let input = match deed {
                Deed::Press(actor, input) => key(level, actor, input).map(|(a, i)| Input::Tap(a, i)).map_err(bad)?,
                Deed::Poke(action) => poke(level, program, action).map_err(bad)?,
            };
            out.entry(*tick).or_default().push(input);
        }
        Ok(out)
    }
}

/// Why an input cannot be given.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum InputError {
    #[error("there is no actor `{name}`; {}", steered(known))]
    NoActor { name: String, known: Vec<String> },
    #[error("`{name}` is not steered; {}", steered(known))]
    NotSteered { name: String, known: Vec<String> },
    #[error("there is no input `{name}`; there are {}", known.join(", "))]
    NoInput { name: String, known: Vec<String> },
    /// What is written is wrong as it would be in a level.
    #[error("{0}")]
    Wrong(Box<Diagnostic>),
    #[error("write `next draw \"title of a rule\" 2 = value`: what its second draw gives next")]
    NextDrawForm,
    #[error("the rule \"{0}\" draws nothing")]
    DrawsNothing(String),
    #[error("the rule \"{title}\" draws at {}, numbered from 1", mayfly_base::number::counted(*places, "place"))]
    NoSuchDraw { title: String, places: usize },
    #[error("{} lies outside of what this draws, {} to {}: `next draw` cannot give it", show_short(*.value), show_short(*.from), show_short(*.to))]
    OutsideOfDraw { value: f64, from: f64, to: f64 },
    #[error("this value is of another type than what is drawn there: `next draw` cannot give it")]
    OtherTypeThanDrawn,
}

impl From<Box<Diagnostic>> for InputError {
    fn from(d: Box<Diagnostic>) -> Self {
        Self::Wrong(d)
    }
}

/// Who can be given an input.
fn steered(known: &[String]) -> String {
    const SHOWN: usize = 8;
    match known {
        [] => "no kind that is placed is `steered`".into(),
        [one] => format!("`{one}` is steered"),
        all if all.len() <= SHOWN => format!("steered are {}", all.join(", ")),
        all => format!("steered are {} and {} more", all[..SHOWN].join(", "), all.len() - SHOWN),
    }
}

/// A steered actor and an input, by their names.
///
/// # Errors
/// Which of the two does not exist.
pub fn key(level: &Level, actor: &str, input: &str) -> Result<(ActorId, InputId), InputError> {
    let is_steered = |a: &Actor| level.kinds[a.kind.index()].steered;
    let known = || level.actors.iter().filter(|a| is_steered(a)).map(|a| a.name.clone()).collect();
    let a = level.actors.iter().position(|a| a.name == actor);
    let a = a.ok_or_else(|| InputError::NoActor { name: actor.into(), known: known() })?;
    if !is_steered(&level.actors[a]) {
        return Err(InputError::NotSteered { name: actor.into(), known: known() });
    }
    let i = level.inputs.iter().position(|i| i.name == input).ok_or_else(|| {
        let known = level.inputs.iter().map(|i| i.name.clone()).collect();
        InputError::NoInput { name: input.into(), known }
    })?;
    Ok((ActorId::at(a), InputId::at(i)))
}

/// One statement by hand, or what a draw is to give: its code is put at the program's end.
///
/// # Errors
/// What is wrong with it.
pub fn poke(level: &Level, program: &mut Program, action: &str) -> Result<Input, InputError> {
    if let Some(rest) = action.trim().strip_prefix("next draw ") {
        return next_draw(level, rest);
    }
    let hand = check::action(level, action)?;
    Ok(Input::Poke(crate::lower::by_hand(program, &hand, action.trim())))
}

/// Refuses what a draw never gives.
fn suits(v: &Value, ty: &Ty, bounds: Option<(f64, f64)>) -> Result<(), InputError> {
    let fits = match (v, ty.inner()) {
        (Value::Number(n), Ty::Number) => {
            let Some((lo, hi)) = bounds else { return Ok(()) };
            if *n < lo || *n > hi {
                return Err(InputError::OutsideOfDraw { value: *n, from: lo, to: hi });
            }
            true
        }
        (Value::Enum(e, _), Ty::Enum(x)) => e == x,
        (Value::Flag(_), Ty::Flag) | (Value::Text(_), Ty::Text) => true,
        (Value::Duration(_), Ty::Duration) | (Value::Point(_), Ty::Point) => true,
        (_, Ty::Number | Ty::Flag | Ty::Text | Ty::Duration | Ty::Point | Ty::Enum(_)) => false,
        _ => true,
    };
    if fits { Ok(()) } else { Err(InputError::OtherTypeThanDrawn) }
}

/// `"title" 2 = eel`.
fn next_draw(level: &Level, text: &str) -> Result<Input, InputError> {
    let form = || InputError::NextDrawForm;
    let (title, rest) = text.trim().strip_prefix('"').and_then(|t| t.split_once('"')).ok_or_else(form)?;
    let (nth, value) = rest.split_once('=').ok_or_else(form)?;
    let nth = if nth.trim().is_empty() { 1 } else { nth.trim().parse::<usize>().map_err(|_| form())? };
    let wanted = format!("{title}/{}", nth.wrapping_sub(1));
    let draw = level.draws.iter().position(|d| *d == wanted || d.ends_with(&format!(" / {wanted}")));
    let Some(draw) = draw else {
        let count = level.draws.iter().filter(|d| d.rsplit_once('/').is_some_and(|(t, _)| t == title)).count();
        return Err(match count {
            0 => InputError::DrawsNothing(title.into()),
            places => InputError::NoSuchDraw { title: title.into(), places },
        });
    };
    let value = check::drawn(level, value)?;
    if let Some((ty, bounds)) = level.draw_forms.get(draw).cloned().flatten() {
        suits(&value, &ty, bounds)?;
    }
    Ok(Input::Fix { draw: DrawId::at(draw), value })
}
