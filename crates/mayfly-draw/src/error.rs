//! Why something cannot be drawn.

use mayfly_lang::diagnostic::Diagnostic;

/// What was asked for is not there.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum DrawError {
    #[error("there is no rule \"{0}\"")]
    NoRule(String),
    /// An expression is wrong as it would be in a level.
    #[error("`{text}`: {why}")]
    Wrong { text: String, why: Box<Diagnostic> },
    #[error("this level has no machine")]
    NoMachines,
    #[error("there is no machine `{name}`; there is {}", known.join(", "))]
    NoMachine { name: String, known: Vec<String> },
    #[error("there is no area `{name}`; there is {}", known.join(", "))]
    NoArea { name: String, known: Vec<String> },
    #[error("there is no message, variable or rule `{0}` that is linked to anything")]
    NotLinked(String),
    #[error("no rule sends, hears, writes or reads anything")]
    NoLinks,
}
