//! Another name for something, everywhere at once.
//!
//! Invariant: a rename that is given back changes no meaning: the level reads as before under its new name (held by a
//! property test over every symbol of every example); one that would collide is refused with what it collides with.

use crate::analysis::{Analysis, Symbol, SymbolId, SymbolKind};
use crate::check;
use crate::check::LoadError;
use crate::edit::{Change, TextEdit};
use crate::naming::{NameError, is_name};
use mayfly_base::Span;
use mayfly_base::code::Attr;

/// Why something cannot be called so.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum RenameError {
    #[error(transparent)]
    Name(#[from] NameError),
    #[error("a title is not empty, and holds no quotes, braces or backslashes")]
    NoTitle,
    /// Something has that name already, at `at`.
    #[error("`{name}` is {a} already", a = .what.article())]
    Taken { name: String, what: SymbolKind, at: Span },
    #[error("`{0}` is an attribute that every actor has")]
    Attribute(String),
    /// The changed text has an error that the text had not.
    #[error("the level would not load: {0}")]
    Breaks(String),
}

impl SymbolKind {
    /// With its article.
    pub fn article(self) -> String {
        let word = self.word();
        match self {
            Self::Records => word.to_string(),
            _ if word.starts_with(['a', 'e', 'i', 'o']) => format!("an {word}"),
            _ => format!("a {word}"),
        }
    }
}

/// The changes of each file that has any, by its number.
///
/// # Errors
/// A name that cannot be one, or that collides.
pub fn rename(a: &Analysis, id: SymbolId, new: &str) -> Result<Vec<(u16, Change)>, RenameError> {
    let s = a.symbols.get(id);
    if s.kind == SymbolKind::Rule {
        if new.trim().is_empty() || new.contains(['"', '\\', '{', '}', '\n']) {
            return Err(RenameError::NoTitle);
        }
    } else {
        is_name(new)?;
        if s.of.is_some() && Attr::named(new).is_some() {
            return Err(RenameError::Attribute(new.into()));
        }
    }
    if new == s.name {
        return Ok(vec![]);
    }
    if let Some((_, other)) = a.symbols.iter().find(|(other, o)| *other != id && o.name == new && collide(a, s, o)) {
        return Err(RenameError::Taken { name: new.into(), what: other.kind, at: other.at });
    }
    let text = if s.kind == SymbolKind::Rule { format!("\"{new}\"") } else { new.to_string() };
    let mut changes = vec![];
    for file in 0..a.files.len() as u16 {
        let edits = a.uses_of(id).filter(|u| u.at.file == file);
        let edits: Vec<TextEdit> = edits.map(|u| TextEdit { range: u.at.range(), text: text.clone() }).collect();
        if !edits.is_empty() {
            changes.push((file, Change::new(edits).expect("uses lie apart")));
        }
    }
    still_reads(a, &changes)?;
    Ok(changes)
}

/// True where two things of one name would be taken for each other.
fn collide(a: &Analysis, s: &Symbol, other: &Symbol) -> bool {
    use SymbolKind as S;
    let rules = (s.kind == S::Rule, other.kind == S::Rule);
    if rules.0 || rules.1 {
        return rules.0 && rules.1 && s.of == other.of;
    }
    let apart = s.private && other.private && s.at.file != other.at.file;
    match (s.of, other.of) {
        (None, None) => !apart,
        // A local hides nothing.
        (None, Some(_)) => other.kind == S::Local,
        (Some(_), None) => s.kind == S::Local,
        (Some(x), Some(y)) => x == y || related(a, x, y) || related(a, y, x),
    }
}

/// True where a kind derives from another, or a state stands in another.
fn related(a: &Analysis, x: SymbolId, of: SymbolId) -> bool {
    let mut at = Some(x);
    for _ in 0..100 {
        let Some(id) = at else { return false };
        if id == of {
            return true;
        }
        at = a.symbols.base(id).or(a.symbols.get(id).of);
    }
    false
}

/// Reads the changed texts once: what only a whole reading finds.
fn still_reads(a: &Analysis, changes: &[(u16, Change)]) -> Result<(), RenameError> {
    let changed = |n: usize| {
        let text = &a.files[n].text;
        let change = changes.iter().find(|(f, _)| *f as usize == n);
        change.map_or_else(|| text.to_string(), |(_, c)| c.apply(text).map_or_else(|_| text.to_string(), |t| t.0))
    };
    let texts: Vec<String> = (0..a.files.len()).map(changed).collect();
    let checked = check::check_with(&a.files[0].name, &texts[0], &mut |path| {
        let found = check::file_at(a.files.iter().map(|f| f.name.as_str()), path);
        found.map(|n| texts[n].clone()).ok_or(LoadError::Missing)
    });
    if checked.errors() > a.checked.errors() {
        let first = checked.diagnostics.iter().find(|d| d.severity == crate::diagnostic::Severity::Error);
        return Err(RenameError::Breaks(first.map_or_else(String::new, |d| d.message.clone())));
    }
    Ok(())
}
