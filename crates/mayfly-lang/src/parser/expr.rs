//! The grammar of expressions: climbing by precedence (language.md §5), tightest last in the table.

use super::{HEIGHT, Parser, habits, text};
use crate::syntax::Kind::{self, *};

/// True for words that can never be an operand.
pub(crate) fn is_no_name(word: &str) -> bool {
    !matches!(word, "self" | "true" | "false" | "none" | "time" | "tick") && super::is_reserved(word)
}

/// Functions whose parentheses hold a kind and what is asked of each of its actors.
pub const OVER: &[&str] = &["count", "some", "every", "sum", "nearest"];

const OR: u8 = 1;
const AND: u8 = 2;
const NOT: u8 = 3;
const COMPARE: u8 = 4;
const SUM: u8 = 5;
const PER: u8 = 6;
const PRODUCT: u8 = 7;
const UNARY: u8 = 8;
const POSTFIX: u8 = 9;

/// A whole expression.
pub(crate) fn expr(p: &mut Parser) {
    climb(p, 0);
}

/// An expression without comparisons, `and` or `or`: the operand of an event or of a statement's part.
pub(crate) fn operand(p: &mut Parser) {
    climb(p, SUM);
}

/// A limiter's value: `per` after it begins a part of the limiter.
pub(crate) fn limit(p: &mut Parser) {
    climb(p, PRODUCT);
}

/// An expression without signs between: a sign before it, names, members, calls.
pub(crate) fn tight(p: &mut Parser) {
    climb(p, UNARY);
}

/// A name with its members, calls and indices.
pub(crate) fn postfix(p: &mut Parser) {
    climb(p, POSTFIX);
}

/// True where the `n`th word goes on an expression as a sign does.
pub(crate) fn is_operator(p: &Parser, n: usize) -> bool {
    p.nth(n) == IDENT && is_operator_word(p.nth_text(n))
}

fn operator(p: &Parser) -> Option<(u8, usize)> {
    let level = match p.nth(0) {
        PLUS | MINUS => (SUM, 1),
        STAR | SLASH => (PRODUCT, 1),
        EQ | EQ_EQ | NOT_EQ | LESS | LESS_EQ | GREATER | GREATER_EQ => (COMPARE, 1),
        IDENT => match p.nth_text(0) {
            "or" => (OR, 1),
            "and" if p.nth_text(1) == "wait" => return None,
            "and" => (AND, 1),
            "mod" => (PRODUCT, 1),
            "per" => (PER, 1),
            "between" | "in" | "has" | "is" | "exists" | "sees" | "near" | "touching" | "pressing" | "facing"
            | "tagged" | "covers" | "behind" => (COMPARE, 1),
            "ahead" | "left" | "right" if p.nth_text(1) == "of" => (COMPARE, 2),
            _ => return None,
        },
        _ => return None,
    };
    let joins = matches!(p.nth_text(0), "and" | "or");
    (p.parens > 0 || joins || !p.nth_fresh(0)).then_some(level)
}

/// Reads operands and operators as tight as `least` or tighter; gives how high their tree is.
fn climb(p: &mut Parser, least: u8) -> usize {
    let start = p.checkpoint();
    if !p.deeper() {
        p.shallower();
        if p.goes_on() {
            p.skip_statement();
        }
        return 0;
    }
    let mut height = prefix(p, least);
    let mut compared = false;
    loop {
        if least <= AND && habits::joiner(p) {
            p.start_at(start, BROKEN);
            let right = climb(p, NOT);
            p.finish();
            height = height.max(right) + 1;
            compared = false;
            if too_high(p, height) {
                break;
            }
            continue;
        }
        let Some((level, words)) = operator(p).filter(|(level, _)| *level >= least) else { break };
        let chained = level == COMPARE && std::mem::replace(&mut compared, true);
        if chained {
            p.error_here("comparisons do not chain", "join two comparisons with `and`");
        }
        compared &= level >= COMPARE;
        let right = match p.nth_text(0) {
            "exists" => {
                p.start_at(start, EXISTS_EXPR);
                p.bump();
                p.finish();
                0
            }
            "between" => {
                p.start_at(start, BETWEEN_EXPR);
                p.bump();
                let low = climb(p, SUM);
                if !p.eat_word("and") {
                    p.error_here("`between` needs two bounds", "write `x between 3 and 8`");
                }
                let high = climb(p, SUM);
                p.finish();
                low.max(high)
            }
            "has" if p.nth_text(1) == "been" => {
                p.start_at(start, BEEN_EXPR);
                p.bump();
                p.bump();
                let state = climb(p, POSTFIX);
                if !p.part_operand("for") {
                    p.error_here("`has been` needs a duration", "write `gate has been open for 3s`");
                }
                p.finish();
                state
            }
            "near" => {
                p.start_at(start, BINARY_EXPR);
                p.bump();
                let other = climb(p, SUM);
                if !p.part_operand("within") {
                    p.error_here("`near` needs a distance", "write `a near b within 3`");
                }
                p.finish();
                other
            }
            _ => {
                // What is said already is no sum of two as well.
                if p.at(EQ) && !chained {
                    p.error_at_token("`=` writes a value, and here two are compared", "compare with `==`");
                    let range = p.bytes_of(1);
                    p.mended_by(range, "==");
                }
                p.start_at(start, if chained { BROKEN } else { BINARY_EXPR });
                for _ in 0..words {
                    p.bump();
                }
                let right = climb(p, level + 1);
                p.finish();
                right
            }
        };
        height = height.max(right) + 1;
        if too_high(p, height) {
            break;
        }
    }
    p.shallower();
    height
}

/// Says so where an expression has become too high, and passes over the rest of it.
fn too_high(p: &mut Parser, height: usize) -> bool {
    if height >= HEIGHT {
        p.error_here(
            format!("this expression is too long: it has more than {HEIGHT} parts in a row"),
            "give parts of it names of their own, with `define` or `let`",
        );
        p.skip_line();
        return true;
    }
    false
}

fn prefix(p: &mut Parser, least: u8) -> usize {
    let word = if p.at(IDENT) { p.nth_text(0) } else { "" };
    match p.nth(0) {
        // A test on the next line is the next line's.
        _ if word == "if" && begins_line(p) => {
            missing(p);
            0
        }
        MINUS => {
            p.start(UNARY_EXPR);
            p.bump();
            let height = climb(p, UNARY);
            p.finish();
            height + 1
        }
        _ if word == "not" && least <= NOT => {
            p.start(UNARY_EXPR);
            p.bump();
            let height = climb(p, NOT);
            p.finish();
            height + 1
        }
        _ if least <= NOT && habits::denial(p) => {
            p.start(BROKEN);
            let height = climb(p, NOT);
            p.finish();
            height + 1
        }
        _ if matches!(word, "ramping" | "halted") && begins_operand(p, 1) => {
            p.start(UNARY_EXPR);
            p.bump();
            let height = climb(p, UNARY);
            p.finish();
            height + 1
        }
        _ if word == "if" => {
            p.start(IF_EXPR);
            p.bump();
            let mut height = climb(p, 0);
            if p.eat_word("then") {
                height = height.max(climb(p, 0));
                if p.eat_word("else") {
                    height = height.max(climb(p, 0));
                } else {
                    p.error_here("this `if` has no `else`", "an if-expression has both: `if c then a else b`");
                }
            } else {
                p.error_here("this `if` has no `then`", "write `if c then a else b`");
            }
            p.finish();
            height + 1
        }
        _ => tails(p),
    }
}

fn begins_operand(p: &Parser, n: usize) -> bool {
    matches!(p.nth(n), IDENT | ACTOR_REF) && !p.nth_fresh(n) && !is_no_name(p.nth_text(n))
}

/// A primary and its members, indices and calls; gives how high its tree is.
fn tails(p: &mut Parser) -> usize {
    let start = p.checkpoint();
    let mut callable = p.at(IDENT);
    let Some(mut height) = primary(p) else { return 0 };
    loop {
        let joined = p.parens > 0 || !p.nth_fresh(0);
        let inner = match p.nth(0) {
            DOT => {
                p.start_at(start, MEMBER_EXPR);
                p.bump();
                p.name("a member");
                p.finish();
                callable = true;
                0
            }
            L_BRACKET if joined => {
                p.start_at(start, INDEX_EXPR);
                p.bump();
                p.parens += 1;
                let inner = climb(p, 0);
                p.parens -= 1;
                p.expect(R_BRACKET, "`]`");
                p.finish();
                callable = false;
                inner
            }
            L_PAREN if joined && callable => {
                p.start_at(start, CALL_EXPR);
                let inner = arguments(p);
                p.finish();
                callable = false;
                inner
            }
            _ => return height,
        };
        height = height.max(inner) + 1;
        if too_high(p, height) {
            return height;
        }
    }
}

fn arguments(p: &mut Parser) -> usize {
    p.start(ARGS);
    let (_, height) = listed(p, R_PAREN, "`)`");
    p.finish();
    height
}

/// `(a, b)` or `[a, b]`: from the opening sign to the closing one. How many stand in it, and how high the highest is.
fn listed(p: &mut Parser, close: Kind, sign: &str) -> (usize, usize) {
    p.bump();
    p.parens += 1;
    let (mut n, mut height) = (0, 0);
    while !p.at(close) && !matches!(p.nth(0), EOF | R_BRACE) {
        height = height.max(climb(p, 0));
        n += 1;
        if p.eat(COMMA) || !p.at(close) && p.twice() && p.eat(COMMA) {
            continue;
        }
        // What follows may be read on where a comma alone is missing.
        if !matches!(p.nth(0), IDENT | NUMBER | TEXT | DURATION | PERCENT | ACTOR_REF) || p.nth_fresh(0) {
            break;
        }
        p.error_here(format!("{sign} is missing here: {}", p.found()), format!("write {sign}, or a comma between two"));
        if is_no_name(p.nth_text(0)) {
            break;
        }
    }
    p.parens -= 1;
    if !p.at(close) && !matches!(p.nth(0), EOF | SEMI | R_BRACE | L_BRACE) && !p.nth_fresh(0) {
        p.error_here(format!("{sign} is missing here: {}", p.found()), format!("write {sign}, or a comma between two"));
        while !matches!(p.nth(0), EOF | SEMI | R_BRACE | L_BRACE) && p.nth(0) != close && !p.nth_fresh(0) {
            p.bump();
        }
        p.eat(close);
    } else {
        p.expect(close, sign);
    }
    (n, height)
}

/// One operand; gives how high its tree is, none where there is none.
fn primary(p: &mut Parser) -> Option<usize> {
    let word = if p.at(IDENT) { p.nth_text(0) } else { "" };
    if begins_line(p) {
        missing(p);
        return None;
    }
    let mut height = 0;
    match p.nth(0) {
        NUMBER if is_ticks(p) => durations(p),
        DURATION => durations(p),
        NUMBER if p.nth(1) == IDENT && p.is_joined() && p.nth_text(1) != "x" => {
            p.start(BROKEN);
            p.bump();
            p.error_here(
                format!("a number has no unit `{}`", p.nth_text(0)),
                "durations end in `ms`, `s`, `m` or `h`, or stand in ticks: `250ms`, `1 tick`, `4 ticks`",
            );
            p.bump();
            p.finish();
        }
        NUMBER | PERCENT => literal(p, LITERAL),
        TEXT => text::text(p),
        RAW_TEXT => literal(p, TEXT_EXPR),
        CHAR => {
            p.error_here("a single quote holds a tile's character only", "write texts in double quotes");
            literal(p, BROKEN);
        }
        ACTOR_REF => literal(p, NAME_EXPR),
        L_PAREN => {
            p.start(PAREN_EXPR);
            let (n, inner) = listed(p, R_PAREN, "`)`");
            height = inner + 1;
            p.finish();
            if n == 1 && p.before_last(COMMA) {
                let help = "write `(x, y)`, or take the comma out";
                p.error_here("the second number of this point is missing", help);
            }
            if n == 0 {
                p.error_here("these parentheses are empty", "put a value or a point `(x, y)` into them");
            }
        }
        L_BRACKET => {
            p.start(LIST_EXPR);
            height = listed(p, R_BRACKET, "`]`").1 + 1;
            p.finish();
        }
        L_BRACE => {
            p.start(BRACES_EXPR);
            p.bump();
            if !(p.eat(R_BRACE) || p.twice() && p.eat(R_BRACE)) {
                p.error_here(
                    format!("braces hold no value: {}", p.found()),
                    "leave them out; `set(1, 2)` is a set of two, `[1, 2]` a list, and `{}` is what is empty",
                );
                p.breaks(super::Breaks::Structure);
            }
            p.finish();
        }
        IDENT if word == "all" => {
            p.start(ALL_EXPR);
            p.bump();
            over(p);
            p.finish();
        }
        IDENT if OVER.contains(&word) && p.nth(1) == L_PAREN => {
            p.start(OVER_EXPR);
            p.bump();
            p.bump();
            p.parens += 1;
            over(p);
            p.parens -= 1;
            p.expect(R_PAREN, "`)`");
            p.finish();
        }
        IDENT if !is_no_name(word) || word == "any" => literal(p, NAME_EXPR),
        _ => {
            missing(p);
            return None;
        }
    }
    Some(height)
}

/// True where a new line begins that cannot go on with what stood before it.
fn begins_line(p: &Parser) -> bool {
    p.parens == 0 && p.nth_fresh(0) && !p.at_statement() && !after_joiner(p)
}

/// After an operator, a comma, `=`, `=>` or `->` an expression may begin on the next line.
fn after_joiner(p: &Parser) -> bool {
    p.last_taken().is_none_or(|t| t.kind.goes_on() || (t.kind == IDENT && is_operator_word(&p.text[t.start..t.end])))
}

fn is_operator_word(w: &str) -> bool {
    matches!(
        w,
        "and"
            | "or"
            | "not"
            | "mod"
            | "per"
            | "between"
            | "in"
            | "has"
            | "is"
            | "sees"
            | "near"
            | "within"
            | "touching"
            | "pressing"
            | "facing"
            | "tagged"
            | "covers"
            | "behind"
            | "of"
            | "else"
    )
}

fn missing(p: &mut Parser) {
    let word = if p.at(IDENT) { p.nth_text(0) } else { "" };
    let help = if p.nth_text(0) == "'" && p.goes_on() {
        "write a text in double quotes: `\"hello\"`".to_string()
    } else if is_no_name(word) && p.goes_on() {
        format!("`{word}` is a word of the language and cannot be a name")
    } else {
        "write a number, a text, a name, a point `(x, y)` or a sum of such".to_string()
    };
    p.error_here(format!("a value is missing here: {}", p.found()), help);
    if matches!(p.nth(0), ERROR | CHAR) {
        p.skip_statement();
    }
}

fn literal(p: &mut Parser, kind: Kind) {
    p.start(kind);
    p.bump();
    p.finish();
}

/// `4 ticks`, `1 tick`: a number, and the word after it.
fn is_ticks(p: &Parser) -> bool {
    p.at(NUMBER) && matches!(p.nth_text(1), "ticks" | "tick") && !p.nth_fresh(1)
}

/// `1m 30s`, `4 ticks`, and sums of such.
fn durations(p: &mut Parser) {
    p.start(DURATION_EXPR);
    let mut first = true;
    loop {
        let ticks = is_ticks(p);
        if !first && p.nth_fresh(0) || !(ticks || p.at(DURATION)) {
            break;
        }
        p.bump();
        if ticks {
            p.bump();
        }
        first = false;
    }
    p.finish();
}

/// `lamp as l where …: …` or `lamp to keeper where …`: whom one asks, and what.
fn over(p: &mut Parser) {
    p.start(WHO);
    if matches!(p.nth(0), IDENT | ACTOR_REF) && !is_no_name(p.nth_text(0)) || p.at_word("any") {
        p.start(NAME_EXPR);
        p.bump();
        p.finish();
        if p.eat_word("as") {
            p.name("what each is called");
        }
    } else {
        p.error_here(
            format!("a kind or a tag is missing here: {}", p.found()),
            "write `all lamp` or `count(lamp where …)`",
        );
    }
    p.finish();
    while p.part_operand("to") || p.part("where") {}
    if p.parens > 0 && p.at(COLON) {
        p.start(PART);
        p.bump();
        expr(p);
        p.finish();
    }
}

impl Parser<'_> {
    /// A `PART` whose expression holds no comparison.
    pub(crate) fn part_operand(&mut self, word: &str) -> bool {
        if !self.at_word(word) || !self.goes_on() {
            return false;
        }
        self.start(PART);
        self.bump();
        operand(self);
        self.finish();
        true
    }
}
