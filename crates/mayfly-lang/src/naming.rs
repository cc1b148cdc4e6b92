//! What can be a name.
//!
//! Invariant: a name is one word of the lexer that the language does not use itself.

use crate::lexer;
use crate::parser::RESERVED;
use crate::syntax::Kind as K;

/// Why something cannot be a name.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NameError {
    #[error("`{0}` is no name: a name is a letter or `_`, then letters, digits and `_`")]
    NoName(String),
    #[error("`{word}` is a word of the language: {meaning}")]
    Reserved { word: String, meaning: &'static str },
}

/// Refuses what cannot be a name.
///
/// # Errors
/// Other signs than letters, digits and `_`, or a word of the language.
pub fn is_name(name: &str) -> Result<(), NameError> {
    if let Some((word, meaning)) = RESERVED.iter().find(|(w, _)| *w == name) {
        return Err(NameError::Reserved { word: (*word).into(), meaning });
    }
    let tokens = lexer::lex(name);
    let one = matches!(tokens.as_slice(), [t] if t.kind == K::IDENT) && !name.contains(lexer::is_mark);
    if one { Ok(()) } else { Err(NameError::NoName(name.into())) }
}
