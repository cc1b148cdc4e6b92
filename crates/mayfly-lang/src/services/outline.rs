//! The parts of a text: what it declares, one inside the other, and the sort of each of its words.
//!
//! Invariant: the words of a text are in order and do not overlap; spaces belong to none.

use crate::analysis::{Analysis, SymbolId, SymbolKind};
use crate::check::is_built_in;
use crate::parser::is_reserved;
use crate::syntax::{Kind as K, Token};
use mayfly_base::code::Attr;
use mayfly_base::{COLOURS, DIRECTIONS};
use std::ops::Range;

/// The declarations of a file in order of place, each with how deep it stands.
pub fn outline(a: &Analysis, file: u16) -> Vec<(SymbolId, usize)> {
    let listed =
        |kind| !matches!(kind, SymbolKind::Local | SymbolKind::Column | SymbolKind::Unit | SymbolKind::EnumValue);
    let mut all: Vec<(SymbolId, usize)> = a
        .symbols
        .iter()
        .filter(|(_, s)| s.at.file == file && listed(s.kind))
        .map(|(id, s)| {
            let depth = std::iter::successors(s.of, |of| a.symbols.get(*of).of).take(100).count();
            (id, depth)
        })
        .collect();
    all.sort_by_key(|(id, _)| a.symbols.get(*id).at.start);
    all
}

/// The sort of a word, for whoever colours a text.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Word {
    Comment,
    Doc,
    /// A word of the language.
    Keyword,
    /// A name, and what it stands for.
    Name(SymbolKind),
    /// A name where it is declared.
    Declared(SymbolKind),
    /// A name that nothing is known of.
    Unknown,
    Number,
    Text,
    Sign,
}

/// The words of a file. Names in the braces of a text stand out of it.
pub fn words(a: &Analysis, file: u16) -> Vec<(Range<usize>, Word)> {
    let tree = a.files[file as usize].tree();
    let from = a.uses().partition_point(|u| u.at.file < file);
    let mut uses = a.uses()[from..].iter().take_while(|u| u.at.file == file).peekable();
    let mut out = vec![];
    for t in tree.tokens() {
        let (start, end) = (t.range().start, t.range().end);
        let word = match t.kind() {
            K::SPACE | K::NEWLINE => continue,
            K::COMMENT => Word::Comment,
            K::DOC => Word::Doc,
            K::TEXT | K::TEXT_PART | K::RAW_TEXT | K::CHAR => Word::Text,
            K::NUMBER | K::PERCENT | K::DURATION | K::DECIMALS => Word::Number,
            K::IDENT | K::ACTOR_REF => of_name(&t),
            _ => Word::Sign,
        };
        // What is named inside the token, once or several times, with the rest of it between.
        let mut at = start;
        while let Some(u) = uses.next_if(|u| (u.at.start as usize) < end) {
            let (from, to) = (u.at.start as usize, (u.at.end as usize).min(end));
            if from < at || to < from {
                continue;
            }
            if from > at {
                out.push((at..from, word));
            }
            let kind = a.symbols.get(u.symbol).kind;
            out.push((from..to, if u.declares { Word::Declared(kind) } else { Word::Name(kind) }));
            at = to;
        }
        if at < end {
            // `#2` of `lamp#2`
            let rest = if t.kind() == K::ACTOR_REF && at > start { Word::Number } else { word };
            out.push((at..end, rest));
        }
    }
    out
}

/// A word that names nothing which the text declares: one of the language's own, where it is known.
fn of_name(t: &Token) -> Word {
    let word = t.text();
    let named = t.parent().is_some_and(|p| matches!(p.kind(), K::NAME | K::NAME_EXPR | K::BROKEN));
    let own = DIRECTIONS.contains(&word) || COLOURS.contains(&word) || Attr::named(word).is_some();
    let built_in = own || matches!(word, "zone" | "closed" | "open" | "wrap") || is_built_in(word) || is_reserved(word);
    if named && !built_in { Word::Unknown } else { Word::Keyword }
}
