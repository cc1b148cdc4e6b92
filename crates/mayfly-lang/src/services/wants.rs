//! What can stand at a place: the sorts of it, and which of them by the words before it in a declaration, in an event and in
//! an action.
//!
//! Not here: in which of these a place lies ([`super::context`]).
//!
//! Invariant: a place that is not known gives none, and is an expression as any other.

use super::words::Place;
use crate::analysis::SymbolKind;
use crate::lexer::Lexeme;
use crate::syntax::Kind as K;
use SymbolKind as S;

/// What braces stand round a place.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Block {
    Level,
    /// A kind's, with its name.
    Kind(String),
    /// `first of`: rules alone.
    Group,
    Rule,
    /// A machine's, with its name and the kind that it is for.
    Machine(String, Option<String>),
    State,
    /// Statements.
    Actions,
    /// The arms of a `match` or a `lot`.
    Arms,
    /// `{ oil = 4 }` of one of that kind.
    Given(String),
    /// Of a declaration that holds no statements: its first word.
    Items(String),
}

/// One sort of thing that can stand at a place.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Want {
    Words(Place),
    Names(&'static [SymbolKind]),
    /// Variables and computed values of the level that hold such a thing.
    Holding(ValueSort),
    /// What a local, a parameter or an event has bound.
    Locals,
    /// After a dot: the names before it.
    Members(Vec<String>),
    /// The variables of a kind.
    Fields(String),
    /// The states of a machine by the names that lead to it; none: of the one round the place.
    States(Option<Vec<String>>),
    Units(String),
    /// Kinds from which that one can derive.
    Bases(String),
    /// The functions that the language has.
    Functions,
    Plain(&'static [&'static str]),
}

/// What a variable may hold.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ValueSort {
    Actor,
    Zone,
    Message,
    Timer,
    Kind,
    Path,
    Tile,
    Tag,
}

pub(super) const ACTORS: &[SymbolKind] = &[S::Actor, S::Kind];
pub(super) const WHO: &[SymbolKind] = &[S::Actor, S::Kind, S::Tag];
pub(super) const ZONES: &[SymbolKind] = &[S::Zone, S::Kind];
pub(super) const SUBJECTS: &[SymbolKind] =
    &[S::Actor, S::Kind, S::Tag, S::Variable, S::Define, S::Timer, S::Clock, S::Machine, S::Zone, S::Constant];
pub(super) const VALUES: &[SymbolKind] = &[
    S::Variable,
    S::Constant,
    S::Define,
    S::Actor,
    S::Kind,
    S::Zone,
    S::EnumValue,
    S::Enum,
    S::Timer,
    S::Clock,
    S::Machine,
    S::Routine,
    S::Records,
    S::Table,
    S::Path,
    S::Area,
    S::Tag,
    S::Tile,
    S::Message,
];
pub(super) const DIRECTIONS: &[&str] = &["north", "east", "south", "west"];
pub(super) const COLOURS: &[&str] = &["mist", "amber", "moss", "clay", "blue", "heather", "silt"];

pub(super) struct Words<'t> {
    pub(super) text: &'t str,
    pub(super) tokens: Vec<Lexeme>,
}

impl Words<'_> {
    pub(super) fn text(&self, i: usize) -> &str {
        self.tokens.get(i).map_or("", |t| &self.text[t.start..t.end])
    }
    pub(super) fn kind(&self, i: usize) -> K {
        self.tokens.get(i).map_or(K::EOF, |t| t.kind)
    }
    pub(super) fn fresh(&self, i: usize) -> bool {
        i == 0 || self.text[self.tokens[i - 1].end..self.tokens[i].start].contains('\n')
    }
}

pub(super) fn values() -> Vec<Want> {
    vec![
        Want::Locals,
        Want::Names(VALUES),
        Want::Words(Place::Value),
        Want::Functions,
        Want::Plain(&["self", "any", "if", "ramping", "halted"]),
        Want::Plain(DIRECTIONS),
    ]
}

/// A name with its members, read backwards from the token before `end`: `keeper.glow` gives both names.
pub(super) fn chain(w: &Words, end: usize) -> Vec<String> {
    let mut names = vec![];
    let mut i = end;
    while i > 0 && matches!(w.kind(i - 1), K::IDENT | K::ACTOR_REF) {
        names.push(w.text(i - 1).to_string());
        if i < 2 || w.kind(i - 2) != K::DOT {
            break;
        }
        i -= 2;
    }
    names.reverse();
    names
}

/// True of a token with which an operand ends.
pub(super) fn is_operand(w: &Words, i: usize) -> bool {
    use K::*;
    match w.kind(i) {
        IDENT if i > 0 && w.kind(i - 1) == DOT => true,
        IDENT if matches!(w.text(i), "self" | "true" | "false" | "none" | "time" | "tick" | "any") => true,
        IDENT => {
            let other = matches!(
                w.text(i),
                "if" | "until" | "along" | "away" | "beyond" | "been" | "of" | "on" | "ramping" | "halted"
            );
            let test = super::words::at(Place::Test).any(|x| x.word == w.text(i));
            !other && !test && !crate::parser::is_reserved(w.text(i))
        }
        ACTOR_REF | NUMBER | DURATION | PERCENT | TEXT | R_PAREN | R_BRACKET => true,
        _ => false,
    }
}

/// What can stand in a declaration; none where it is an expression as any other.
pub(super) fn declaration(block: &Block, w: &Words, head: &str, first: usize, end: usize) -> Option<Vec<Want>> {
    let last = w.text(end - 1);
    // `tags a, b`: whatever the first word takes, it takes after a comma too.
    let lead = (first..end).rev().find(|i| {
        matches!(w.text(*i), "tags" | "passes" | "carries" | "for" | "tagged" | "in" | "like" | "at" | "=" | ":")
    });
    let listed = |word: &str| lead.is_some_and(|i| w.text(i) == word) && (last == word || last == ",");
    let at_level = matches!(block, Block::Level | Block::Kind(_));
    let tiles = matches!(block, Block::Items(of) if of == "tiles");
    match head {
        _ if tiles && last == "tagged" => return Some(vec![Want::Names(&[S::Tag])]),
        _ if tiles => return Some(vec![Want::Plain(&["solid", "opaque", "tagged", "look"]), Want::Plain(COLOURS)]),
        _ if !at_level && !matches!(block, Block::Given(_) | Block::Items(_)) => return None,
        "tags" if listed("tags") => return Some(vec![Want::Names(&[S::Tag])]),
        "passes" if listed("passes") => return Some(vec![Want::Names(&[S::Tile, S::Kind, S::Tag])]),
        "carries" if listed("carries") => return Some(vec![Want::Names(&[S::Kind, S::Tag])]),
        "look" | "colour" if w.kind(end - 1) == K::TEXT || last == "colour" => return Some(vec![Want::Plain(COLOURS)]),
        "sight" => return Some(vec![Want::Plain(&["wedge", "cells", "all", "reach", "ahead", "left", "right"])]),
        _ => {}
    }
    let areas = vec![Want::Names(&[S::Area]), Want::Plain(&["main"])];
    match (head, last) {
        ("kind", "like") => Some(vec![Want::Bases(w.text(first + 1).to_string())]),
        ("kind", "of") => Some(vec![Want::Plain(&["zone"])]),
        ("kind", _) if end > first + 1 => Some(vec![Want::Plain(&["like", "of"])]),
        ("machine", "for") => Some(vec![Want::Names(&[S::Kind])]),
        ("machine", _) if end > first + 1 => Some(vec![Want::Plain(&["for"])]),
        ("place" | "zone" | "path", "in") => Some(areas),
        ("place", "place" | ":") => Some(vec![Want::Names(&[S::Kind])]),
        ("place", "facing") => Some(vec![Want::Plain(DIRECTIONS)]),
        ("place", _) if is_operand(w, end - 1) => Some(vec![Want::Plain(&["at", "facing", "in"])]),
        ("zone", ":") => Some(vec![Want::Names(&[S::Kind])]),
        ("zone", "tiles") => Some(vec![Want::Names(&[S::Tile, S::Tag])]),
        ("zone", _) if listed("for") => Some(vec![Want::Names(&[S::Kind, S::Tag])]),
        ("zone", "=" | "+" | "-") => {
            Some(vec![Want::Plain(&["rect", "disc", "cells", "poly", "tiles"]), Want::Names(&[S::Zone, S::Area])])
        }
        ("zone", "rect" | "disc" | "poly") => Some(vec![Want::Names(&[S::Constant, S::Area])]),
        ("zone", "zone") => Some(vec![]),
        ("zone", _) if is_operand(w, end - 1) => Some(vec![Want::Plain(&["in", "x", "for"])]),
        ("table", ":") => Some(vec![Want::Words(Place::Type), Want::Names(&[S::Enum, S::Kind])]),
        ("level", _) if matches!(block, Block::Level) => Some(vec![]),
        ("edges", _) => Some(vec![Want::Plain(&["closed", "open", "wrap"])]),
        ("area", _) => Some(vec![Want::Plain(&["map"])]),
        ("first", "first") => Some(vec![Want::Plain(&["of"])]),
        ("speed" | "starts", _) if matches!(block, Block::Items(of) if of == "clock") => Some(vec![
            Want::Plain(&["minute", "hour", "day", "per", "second", "week"]),
            Want::Names(&[S::Unit, S::EnumValue]),
        ]),
        _ if matches!(block, Block::Items(of) if of == "clock") => {
            Some(vec![Want::Plain(&["named"]), Want::Names(&[S::Unit, S::EnumValue])])
        }
        _ => None,
    }
}

/// What can stand in an event, from behind its `when` to the place.
pub(super) fn in_event(block: &Block, w: &Words, from: usize, end: usize) -> Vec<Want> {
    if from == end {
        return vec![
            Want::Words(Place::Event),
            Want::Locals,
            Want::Names(SUBJECTS),
            Want::Plain(&["any", "self", "not", "ramping", "halted"]),
            Want::Words(Place::Value),
        ];
    }
    let who = || vec![Want::Locals, Want::Names(WHO), Want::Holding(ValueSort::Actor), Want::Plain(&["any", "self"])];
    let last = w.text(end - 1);
    match last {
        "hears" => vec![Want::Names(&[S::Message]), Want::Holding(ValueSort::Message)],
        "enters" | "leaves" => {
            let mut wants = vec![
                Want::States(Some(chain(w, end - 1))),
                Want::Names(ZONES),
                Want::Holding(ValueSort::Zone),
                Want::Locals,
            ];
            wants.push(Want::Names(&[S::Actor]));
            wants.push(Want::Plain(&["self"]));
            wants
        }
        "in" => vec![
            Want::Names(ZONES),
            Want::Holding(ValueSort::Zone),
            Want::Locals,
            Want::Names(&[S::Actor]),
            Want::Plain(&["self"]),
        ],
        "moves" => vec![Want::Plain(&["in"])],
        "touches" | "touching" | "nears" | "near" | "sees" | "loses" | "seeing" | "bumps" | "from" => {
            let mut wants = who();
            wants.push(Want::Names(&[S::Tile]));
            wants
        }
        "facing" => [who(), vec![Want::Plain(DIRECTIONS)]].concat(),
        "presses" | "pressing" => vec![Want::Names(&[S::Input]), Want::Plain(DIRECTIONS)],
        "treads" => vec![Want::Names(&[S::Tile, S::Tag])],
        "passes" => vec![Want::Units(w.text(end - 2).to_string())],
        "reaches" => values(),
        "to" if w.text(end.wrapping_sub(2)) == "drops" => values(),
        "comes" | "strays" | "parts" | "turns" | "drops" => {
            vec![Want::Plain(&["to", "from", "true", "false"]), Want::Names(&[S::Kind])]
        }
        // Of a machine, a state; of an actor, what becomes of it.
        "is" => [expression(w, end), vec![Want::Plain(&["stuck", "removed"])]].concat(),
        "to" if w.text(end.wrapping_sub(2)) == "comes" => vec![Want::Names(&[S::Area]), Want::Plain(&["main"])],
        "arrives" => vec![Want::Plain(&["at"]), Want::Words(Place::Rule)],
        "as" => vec![],
        _ if is_operand(w, end - 1) => {
            let mut wants = vec![
                Want::Words(Place::Verb),
                Want::Words(Place::Test),
                Want::Plain(&[
                    "as", "every", "within", "until", "beyond", "near", "facing", "from", "for", "at most", "true",
                    "false",
                ]),
            ];
            wants.push(if *block == Block::Rule { Want::Words(Place::Rule) } else { Want::Plain(&["if", "then"]) });
            // `passes day wed`
            wants.push(Want::Names(&[S::EnumValue]));
            wants
        }
        _ => expression(w, end),
    }
}

/// What can stand in an action; none where it is an expression as any other.
pub(super) fn action(w: &Words, head: &str, first: usize, end: usize) -> Option<Vec<Want>> {
    let last = w.text(end - 1);
    let right_after = end == first + 1;
    let who = || vec![Want::Locals, Want::Names(ACTORS), Want::Holding(ValueSort::Actor), Want::Plain(&["self"])];
    match (head, last) {
        ("send", "send") => {
            Some([vec![Want::Names(&[S::Message, S::Zone]), Want::Holding(ValueSort::Message)], who()].concat())
        }
        ("start" | "stop" | "pause" | "resume", _) if right_after => {
            Some(vec![Want::Names(&[S::Timer, S::Clock]), Want::Holding(ValueSort::Timer), Want::Locals])
        }
        ("spawn", "spawn") => {
            let kinds = vec![Want::Names(&[S::Kind, S::Zone]), Want::Holding(ValueSort::Kind), Want::Functions];
            Some([kinds, who()].concat())
        }
        ("walk", "along") => Some(vec![Want::Names(&[S::Path]), Want::Holding(ValueSort::Path), Want::Locals]),
        ("walk", "away") => Some(vec![Want::Plain(&["from"])]),
        ("walk", "from") => Some([who(), vec![Want::Plain(&["nearest"])]].concat()),
        ("walk", _) if !right_after && is_operand(w, end - 1) => {
            Some(vec![Want::Plain(&["to", "along", "after", "away", "at", "straight", "for", "from", "and wait"])])
        }
        ("lay", "lay") => Some(vec![Want::Names(&[S::Tile]), Want::Holding(ValueSort::Tile), Want::Locals]),
        ("go", "go") => Some([who(), vec![Want::Names(&[S::Machine, S::Zone])]].concat()),
        ("go", "to") => Some(vec![Want::States(Some(chain(w, end - 1)))]),
        ("advance" | "set", _) if right_after => Some(vec![Want::Names(&[S::Clock])]),
        ("advance" | "set", "by" | "to") => Some([vec![Want::Units(w.text(first + 1).to_string())], values()].concat()),
        ("advance" | "set", _) => Some(
            [
                vec![
                    Want::Plain(&["by", "to"]),
                    Want::Units(w.text(first + 1).to_string()),
                    Want::Names(&[S::EnumValue]),
                ],
                values(),
            ]
            .concat(),
        ),
        ("enable" | "disable", _) if right_after => {
            Some([who(), vec![Want::Plain(&["rule"]), Want::Names(&[S::Zone])]].concat())
        }
        ("tag" | "untag", "as") => Some(vec![Want::Names(&[S::Tag]), Want::Holding(ValueSort::Tag), Want::Locals]),
        ("again", _) => None,
        ("wait", "wait") => Some([vec![Want::Plain(&["until", "for"])], values()].concat()),
        ("let" | "for", _) if right_after => Some(vec![]),
        ("for", _) if end == first + 2 => Some(vec![Want::Plain(&["in"])]),
        ("face", _) if !right_after && is_operand(w, end - 1) => {
            Some([vec![Want::Plain(DIRECTIONS), Want::Plain(&["to"])], values()].concat())
        }
        ("face", _) if right_after => Some(who()),
        _ if right_after && super::words::at(Place::Action).any(|a| a.word == head) => Some(values()),
        ("match", _) if is_operand(w, end - 1) => Some(vec![]),
        _ => None,
    }
}

/// What can go on an expression, or begin an operand.
pub(super) fn expression(w: &Words, end: usize) -> Vec<Want> {
    let last = w.text(end - 1);
    match last {
        "is" | "been" => {
            let test = if last == "been" { end - 2 } else { end - 1 };
            return vec![Want::States(Some(chain(w, test))), Want::Names(&[S::Kind]), Want::Words(Place::Value)];
        }
        "in" => {
            return vec![
                Want::Locals,
                Want::Names(ZONES),
                Want::Holding(ValueSort::Zone),
                Want::Plain(&["self"]),
                Want::Words(Place::Value),
                Want::Names(VALUES),
            ];
        }
        "tagged" => return vec![Want::Names(&[S::Tag])],
        "pressing" => return vec![Want::Names(&[S::Input])],
        "facing" => {
            return vec![
                Want::Plain(DIRECTIONS),
                Want::Locals,
                Want::Names(WHO),
                Want::Holding(ValueSort::Actor),
                Want::Names(VALUES),
            ];
        }
        "near" | "touching" | "sees" | "behind" => {
            return vec![
                Want::Locals,
                Want::Names(WHO),
                Want::Holding(ValueSort::Actor),
                Want::Plain(&["self"]),
                Want::Names(VALUES),
            ];
        }
        "=" | "==" | "!=" if chain(w, end - 1).last().is_some_and(|n| n == "colour") => {
            return [vec![Want::Plain(COLOURS)], values()].concat();
        }
        "has" => return [vec![Want::Plain(&["been"])], values()].concat(),
        "at" => return [vec![Want::Plain(&["most"])], values()].concat(),
        "for" => return [values(), vec![Want::Plain(&["at"])]].concat(),
        "and" => return [values(), vec![Want::Plain(&["wait"])]].concat(),
        "else" => return [vec![Want::Plain(&["if"])], values()].concat(),
        "all" => return vec![Want::Names(&[S::Kind, S::Tag]), Want::Plain(&["any"])],
        _ => {}
    }
    if is_operand(w, end - 1) {
        return vec![
            Want::Words(Place::Test),
            Want::Plain(&[
                "then",
                "else",
                "where",
                "within",
                "until",
                "for",
                "per",
                "to",
                "over",
                "at",
                "of",
                "as",
                "by",
                "and wait",
                "smooth",
                "after",
                "if",
                "false",
                "on",
                "while",
                "with",
                "ticks",
                "from",
                "loop",
                "bounce",
                "once",
                "running",
                "repeating",
                "straight",
            ]),
        ];
    }
    values()
}
