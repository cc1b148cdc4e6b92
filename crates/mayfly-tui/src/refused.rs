//! Why a line that was typed, a change on the map, or a key of a person's own is not taken.
//!
//! Not here: why a command does nothing now ([`crate::refusal`]).
//!
//! Invariant: each names what is wrong and what to write; nothing was changed where one comes out.

use mayfly_lang::check::LoadError;
use mayfly_lang::diagnostic::Diagnostic;
use mayfly_lang::edit::EditError;
use mayfly_lang::naming::NameError;
use mayfly_lang::services::rename::RenameError;
use mayfly_session::script::InputError;
use mayfly_session::stops::StopError;

/// A line or a change that is not taken.
#[derive(Debug, thiserror::Error)]
pub enum Refused {
    #[error(transparent)]
    Edit(#[from] EditError),
    #[error(transparent)]
    Rename(#[from] RenameError),
    #[error(transparent)]
    Input(#[from] InputError),
    #[error(transparent)]
    Stop(#[from] StopError),
    #[error("{0}")]
    Expression(Box<Diagnostic>),
    /// The change would bring an error.
    #[error("not done: {0}")]
    Brings(Box<Diagnostic>),
    #[error("the text changed since: begin again")]
    Stale,
    #[error("to compare, write `{name} == {value}`; `p` then `{name} = {value}` writes it")]
    Compare { name: String, value: String },
    #[error("one action at a time: `{first}` first")]
    Several { first: String },
    #[error("select a rung that has a loop first")]
    NoLoop,
    #[error("the loop of the selected rung has no round {0}")]
    NoRound(u64),
    #[error("that lies more than 10,000,000 ticks ahead")]
    TooFar,
    #[error("write a tick, a time such as 31.7s, or something that is true or false")]
    NoGoal,
    #[error("this file has {} {}", .0, if *.0 == 1 { "line" } else { "lines" })]
    NoLine(usize),
    #[error("there is no name here that could be changed")]
    NoName,
    #[error(transparent)]
    Name(#[from] NameError),
    #[error("`{0}` is taken")]
    Taken(String),
    #[error("{0} is a file of this level already")]
    FileTaken(String),
    #[error("{0} cannot be used: {1}")]
    File(String, LoadError),
    #[error("write a path inside the level's folder, such as parts/wheels.may")]
    NoPath,
    #[error("write a name alone, such as {0}: the file comes into this folder")]
    NoFileName(&'static str),
    #[error("write a name, a width and a height: `cellar 20 x 10`")]
    NoArea,
    #[error("write a width and a height: `40 x 20`")]
    NoSize,
    #[error("write a size, `40 x 20`, or sides: `left 2, top -1`")]
    NoSides,
}

/// A key of a person's own that cannot be a command's.
#[derive(Debug, PartialEq, Eq, thiserror::Error)]
pub enum KeyError {
    #[error("there is no command `{name}`{}", .near.map_or(String::new(), |n| format!("; did you mean `{n}`?")))]
    NoCommand { name: String, near: Option<&'static str> },
    #[error("`{0}` must have a key")]
    NoKey(String),
    #[error("`{key}` is the key of `{first}` and of `{second}`")]
    Shared { key: String, first: &'static str, second: &'static str },
}
