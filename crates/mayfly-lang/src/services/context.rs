//! What can stand at a place of a text, told by the words before it alone: while one types, what follows is not there yet.
//!
//! Not here: which names there are ([`super::complete`]). Invariant: nothing behind the place is looked at.

use super::wants::*;
pub use super::wants::{Block, ValueSort, Want};
use super::words::Place;
use crate::analysis::SymbolKind;
use crate::lexer::{self};
use crate::syntax::Kind as K;

/// What stands round and before a place.
#[derive(Clone, Debug)]
pub struct Context {
    pub blocks: Vec<Block>,
    pub wants: Vec<Want>,
    /// The letters of the word under way, before the place.
    pub prefix: String,
    /// What is bound by `KIND as NAME` and `for NAME in all KIND` before the place, the latest last.
    pub bound: Vec<(String, String)>,
}

use SymbolKind as S;

/// Reads what stands before the byte `at` of a text.
pub fn context(text: &str, at: usize) -> Context {
    let before = &text[..at];
    let word = |c: char| c.is_alphanumeric() || c == '_';
    let begin = before.char_indices().rev().take_while(|(_, c)| word(*c)).last().map_or(at, |(i, _)| i);
    let prefix = before[begin..].to_string();
    let tokens = lexer::lex(&text[..begin]).into_iter().filter(|t| !t.kind.is_trivia()).collect();
    let w = Words { text, tokens };
    let mut blocks = vec![Block::Level];
    let (mut start, mut parens) = (0, 0usize);
    for i in 0..w.tokens.len() {
        if w.fresh(i) && parens == 0 && !goes_on(&w, i) {
            start = i;
        }
        match w.kind(i) {
            K::L_PAREN | K::L_BRACKET => parens += 1,
            K::R_PAREN | K::R_BRACKET => parens = parens.saturating_sub(1),
            K::L_BRACE => {
                let inner = opened(blocks.last().unwrap_or(&Block::Level), &w, start, i);
                blocks.push(inner);
                (start, parens) = (i + 1, 0);
            }
            K::R_BRACE => {
                if blocks.len() > 1 {
                    blocks.pop();
                }
                (start, parens) = (i + 1, 0);
            }
            K::SEMI => start = i + 1,
            _ => {}
        }
    }
    let end = w.tokens.len();
    let fresh = w.tokens.last().is_some_and(|t| text[t.end..begin].contains('\n'));
    if fresh && parens == 0 && end > 0 && !ends_open(&w, end - 1) {
        start = end;
    }
    let block = blocks.last().cloned().unwrap_or(Block::Level);
    let wants = if start < end {
        let mut wants = inside(&block, &w, start, end);
        // A number may be the beginning of a duration.
        if w.kind(end - 1) == K::NUMBER && !matches!(w.text(end.wrapping_sub(2)), "repeat" | "most") {
            wants.push(Want::Plain(&["ticks", "tick"]));
        }
        wants
    } else {
        // A line may go on the test of the line before.
        let joins = fresh.then_some(Want::Plain(&["and", "or"]));
        first_words(&block, &w).into_iter().chain(joins).collect()
    };
    Context { blocks, wants, prefix, bound: bound(&w) }
}

/// True where a token at a line's beginning goes on what stands before it.
fn goes_on(w: &Words, i: usize) -> bool {
    matches!(w.text(i), "and" | "or" | "else") || i > 0 && ends_open(w, i - 1)
}

/// True of a token behind which a line goes on.
fn ends_open(w: &Words, i: usize) -> bool {
    use K::*;
    let kind = w.kind(i);
    let sign = kind.goes_on() || matches!(kind, DOT | COLON);
    sign || matches!(w.text(i), "and" | "or")
}

/// What a brace opens, by the statement that it ends.
fn opened(outer: &Block, w: &Words, start: usize, at: usize) -> Block {
    let mut first = start;
    while matches!(w.text(first), "private" | "keep") && first < at {
        first += 1;
    }
    let (head, last) = (w.text(first), if at > 0 { w.text(at - 1) } else { "" });
    let name = || w.text(first + 1).to_string();
    let after = |word: &str| (first..at).find(|i| w.text(*i) == word).map(|i| w.text(i + 1).to_string());
    match (outer, head) {
        (Block::Level, "kind") => Block::Kind(name()),
        (Block::Level | Block::Kind(_), "first") => Block::Group,
        (Block::Level, "routine") => Block::Actions,
        (Block::Level | Block::Kind(_), "place" | "zone") => match after(":") {
            Some(kind) => Block::Given(kind),
            None if head == "place" => Block::Given(name()),
            None => Block::Items(head.into()),
        },
        (Block::Level | Block::Kind(_) | Block::Group | Block::State, "rule") => Block::Rule,
        (Block::Level | Block::Kind(_), "machine") => Block::Machine(name(), after("for")),
        (Block::Machine(..) | Block::State, "state" | "wherever") => Block::State,
        (Block::Machine(..) | Block::State, _) if last == "of" => Block::Items("one".into()),
        (Block::Rule | Block::Machine(..) | Block::State, _) => Block::Actions,
        (Block::Actions, "spawn") => Block::Given(name()),
        (Block::Actions, "match" | "lot") => Block::Arms,
        (Block::Actions | Block::Arms, _) if w.kind(at.wrapping_sub(1)) != K::EQ => Block::Actions,
        _ => Block::Items(head.into()),
    }
}

/// What can begin a statement.
fn first_words(block: &Block, w: &Words) -> Vec<Want> {
    match block {
        Block::Level => vec![Want::Words(Place::Level)],
        Block::Kind(_) => vec![Want::Words(Place::Kind), Want::Plain(&["first of"])],
        Block::Group => vec![Want::Plain(&["rule"])],
        Block::Rule => vec![Want::Words(Place::Rule)],
        Block::Machine(..) => vec![Want::Words(Place::Machine)],
        // `to one of { … } after 3s` goes on behind its brace.
        Block::State => vec![Want::Words(Place::State), Want::Plain(&["after", "when", "if", "then"])],
        Block::Given(kind) => vec![Want::Fields(kind.clone()), Want::Words(Place::Kind)],
        Block::Arms => vec![Want::Names(&[S::EnumValue, S::Kind, S::Constant, S::State]), Want::Plain(&["else"])],
        Block::Actions => {
            let mut wants = vec![Want::Locals, Want::Words(Place::Action)];
            if w.text(w.tokens.len().wrapping_sub(1)) == "}" {
                wants.push(Want::Plain(&["else"]));
            }
            wants.push(Want::Names(&[S::Variable, S::Actor, S::Kind, S::Routine, S::Clock, S::Zone]));
            wants.push(Want::Plain(&["self"]));
            wants
        }
        Block::Items(of) => match of.as_str() {
            "level" => vec![Want::Plain(&["rate", "seed", "edges"])],
            "clock" => vec![Want::Plain(&["speed", "starts"])],
            "table" => values(),
            "one" => vec![Want::States(None)],
            _ => vec![],
        },
    }
}

/// What can stand inside a statement, from its first token to the place.
fn inside(block: &Block, w: &Words, start: usize, end: usize) -> Vec<Want> {
    let last = w.text(end - 1);
    let mut first = start;
    while matches!(w.text(first), "private" | "keep") && first + 1 < end {
        first += 1;
    }
    let head = w.text(first);
    if w.kind(end - 1) == K::DOT {
        return vec![Want::Members(chain(w, end - 1))];
    }
    if first + 1 == end && matches!(w.text(start), "private" | "keep") && end - start == 1 {
        return vec![Want::Words(Place::Level), Want::Plain(&["once"])];
    }
    if w.kind(end - 1) == K::ARROW || w.kind(end - 1) == K::COLON && !matches!(head, "place" | "zone") {
        return vec![Want::Words(Place::Type), Want::Names(&[S::Enum, S::Kind, S::Records])];
    }
    if last == "of" && matches!(w.text(end.wrapping_sub(2)), "list" | "set" | "tally" | "table" | "state") {
        return vec![Want::Words(Place::Type), Want::Names(&[S::Enum, S::Kind, S::Records, S::Machine])];
    }
    if let Some(wants) = declaration(block, w, head, first, end) {
        return wants;
    }
    // An event: after the last `when`, or `wait for`.
    let event = (start..end)
        .rev()
        .find(|i| w.text(*i) == "when" || w.text(*i) == "for" && *i > start && w.text(*i - 1) == "wait");
    let closed = |from: usize| (from..end).any(|i| matches!(w.text(i), "if" | "then" | "{") && w.text(i) != "when");
    if let Some(from) = event.filter(|e| !closed(e + 1)) {
        return in_event(block, w, from + 1, end);
    }
    if matches!(block, Block::State | Block::Machine(..)) {
        if matches!(head, "to" | "start") && end == first + 1 {
            return vec![Want::States(None), Want::Plain(&["previous", "one of"])];
        }
        if head == "needs" {
            return vec![Want::Names(&[S::Variable])];
        }
        let tests = (first..end).any(|i| w.text(i) == "if");
        if head == "to" && !tests && (end == first + 2 || is_operand(w, end - 1)) {
            return vec![Want::Plain(&["when", "if", "then", "after", "of"]), Want::Words(Place::Test)];
        }
    }
    // `three random(1, 3) if open`: behind the state's name stands what it weighs.
    if *block == Block::Items("one".into()) && end == start + 1 {
        return values();
    }
    if *block == Block::Rule {
        match last {
            "again" => return vec![Want::Plain(&["skip", "anew", "later", "beside"])],
            "per" => return vec![Want::Locals, Want::Names(&[S::Kind, S::Actor, S::Tag]), Want::Plain(&["self"])],
            "at" => return vec![Want::Plain(&["most"])],
            "once" | "off" => return vec![Want::Plain(&["per"]), Want::Words(Place::Rule)],
            _ => {}
        }
    }
    if *block == Block::Actions
        && let Some(wants) = action(w, head, first, end)
    {
        return wants;
    }
    expression(w, end)
}

/// `KIND as NAME`, `for NAME in all KIND`: who is of which kind.
fn bound(w: &Words) -> Vec<(String, String)> {
    let mut out = vec![];
    for i in 0..w.tokens.len() {
        match w.text(i) {
            "as" if i > 0 => {
                // `spawn crate at (3, 4) as c`: the kind stands further back.
                let spawn = (i.saturating_sub(12)..i).rev().find(|j| w.text(*j) == "spawn").map(|j| j + 1);
                out.push((w.text(i + 1).to_string(), w.text(spawn.unwrap_or(i - 1)).to_string()));
            }
            "for" if w.text(i + 2) == "in" && w.text(i + 3) == "all" => {
                out.push((w.text(i + 1).to_string(), w.text(i + 4).to_string()));
            }
            _ if w.kind(i) == K::COLON && i > 0 => out.push((w.text(i - 1).to_string(), w.text(i + 1).to_string())),
            _ => {}
        }
    }
    out
}
