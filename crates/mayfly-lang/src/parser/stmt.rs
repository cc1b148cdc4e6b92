//! The grammar of actions (language.md §6). Most are a word, values and `PART`s, read from one table.

use super::expr::{expr, is_no_name, operand, postfix};
use super::rule::event;
use super::{Parser, habits};
use crate::syntax::Kind::*;

/// What follows an action's word.
#[derive(Clone, Copy)]
enum Arg {
    /// Nothing.
    No,
    /// One expression.
    Expr,
    /// A name with members, calls, indices.
    Thing,
}

/// An action: its word, what follows, and the words of its parts and flags.
struct Action {
    word: &'static str,
    arg: Arg,
    parts: &'static [&'static str],
    flags: &'static [&'static str],
}

const fn action(
    word: &'static str,
    arg: Arg,
    parts: &'static [&'static str],
    flags: &'static [&'static str],
) -> Action {
    Action { word, arg, parts, flags }
}

/// Every action that is a word with parts.
const ACTIONS: &[Action] = &[
    action("send", Arg::Thing, &["to", "after"], &[]),
    action("start", Arg::Thing, &["for"], &[]),
    action("stop", Arg::Thing, &[], &[]),
    action("pause", Arg::Thing, &[], &[]),
    action("resume", Arg::Thing, &[], &[]),
    action("go", Arg::Thing, &["to"], &[]),
    action("show", Arg::Thing, &[], &[]),
    action("hide", Arg::Thing, &[], &[]),
    action("remove", Arg::Thing, &[], &[]),
    action("reset", Arg::Thing, &[], &[]),
    action("move", Arg::Thing, &["to"], &[]),
    action("push", Arg::Thing, &["by"], &[]),
    action("halt", Arg::Thing, &[], &[]),
    action("slide", Arg::Thing, &["to", "over", "at"], &["smooth"]),
    action("ramp", Arg::Thing, &["to", "over", "at"], &["smooth"]),
    action("tell", Arg::Expr, &["to", "from"], &[]),
    action("cue", Arg::Expr, &[], &[]),
    action("log", Arg::Expr, &[], &[]),
    action("board", Arg::Expr, &["while"], &[]),
    action("prompt", Arg::Expr, &["on", "while", "for"], &[]),
    action("lay", Arg::Thing, &["at"], &[]),
    action("tag", Arg::Thing, &["as"], &[]),
    action("untag", Arg::Thing, &["as"], &[]),
    action("checkpoint", Arg::Thing, &[], &[]),
    action("recall", Arg::Thing, &[], &[]),
    action("freeze", Arg::Thing, &[], &[]),
    action("unfreeze", Arg::Thing, &[], &[]),
    action("win", Arg::Expr, &[], &[]),
    action("lose", Arg::Expr, &[], &[]),
    action("restart", Arg::No, &[], &[]),
    action("save", Arg::No, &[], &[]),
    action("break", Arg::No, &[], &[]),
    action("continue", Arg::No, &[], &[]),
];

/// The words that begin an action and have a grammar of their own.
const OTHERS: &[&str] = &[
    "let",
    "if",
    "match",
    "lot",
    "repeat",
    "while",
    "for",
    "meanwhile",
    "wait",
    "return",
    "walk",
    "face",
    "spawn",
    "enable",
    "disable",
    "advance",
    "set",
    "then",
    "else",
    "when",
];

/// True of a word with which a line is an action, whatever follows it (but a dot or an assignment sign).
pub(crate) fn begins_action(word: &str) -> bool {
    OTHERS.contains(&word) || ACTIONS.iter().any(|a| a.word == word)
}

/// `{ statements }`.
pub(super) fn block(p: &mut Parser, what: &str) {
    p.start(BLOCK);
    p.braces(what, |p| {
        statement(p);
    });
    p.finish();
}

/// True where the line assigns: an assignment sign stands after its first place.
fn assigns(p: &Parser) -> bool {
    if !matches!(p.nth(0), IDENT | ACTOR_REF) {
        return false;
    }
    let mut n = 1;
    loop {
        match p.nth(n) {
            _ if p.nth_fresh(n) => return false,
            DOT => n += 2,
            L_BRACKET => {
                let mut depth = 0i32;
                loop {
                    match p.nth(n) {
                        L_BRACKET => depth += 1,
                        R_BRACKET => depth -= 1,
                        EOF | L_BRACE | R_BRACE | SEMI => return false,
                        _ => {}
                    }
                    n += 1;
                    if depth == 0 {
                        break;
                    }
                }
            }
            EQ | PLUS_EQ | MINUS_EQ | STAR_EQ | SLASH_EQ => return true,
            _ => return false,
        }
    }
}

/// One action.
pub(super) fn statement(p: &mut Parser) {
    if assigns(p) && !p.at_word("let") {
        p.start(ASSIGN_STMT);
        postfix(p);
        p.bump();
        expr(p);
        p.finish();
        return;
    }
    let word = if p.at(IDENT) { p.nth_text(0) } else { "" };
    // Behind the word of an action no dot can stand: it is a name here.
    if p.at(IDENT) && p.nth(1) == DOT && !p.nth_fresh(1) && !is_no_name(word) {
        return called(p);
    }
    match word {
        "let" => {
            p.start(LET_STMT);
            p.bump();
            p.name("the local");
            if p.expect(EQ, "`=` and its value") || p.goes_on() {
                expr(p);
            }
            p.finish();
        }
        "if" => if_statement(p),
        "match" => match_statement(p),
        "lot" => lot_statement(p),
        "repeat" | "while" => {
            p.start(STMT);
            p.bump();
            expr(p);
            block(p, "the loop");
            p.finish();
        }
        "for" => for_statement(p),
        "meanwhile" => {
            p.start(STMT);
            p.bump();
            block(p, "`meanwhile`");
            p.finish();
        }
        "wait" => wait_statement(p),
        "return" => {
            p.start(STMT);
            p.bump();
            if p.goes_on() {
                expr(p);
            }
            p.finish();
        }
        "walk" => walk_statement(p),
        "face" => {
            p.start(STMT);
            p.bump();
            postfix(p);
            if !p.part_operand("to") {
                operand(p);
            }
            p.finish();
        }
        "spawn" => {
            p.start(STMT);
            p.bump();
            postfix(p);
            if !p.part_operand("at") {
                p.error_here("where it is spawned is missing here", "write `spawn crate at (3, 4)`");
            }
            if p.eat_word("as") {
                p.name("what it is called");
            }
            if p.at(L_BRACE) && p.goes_on() {
                super::things::overrides(p);
            }
            p.finish();
        }
        "enable" | "disable" => {
            p.start(STMT);
            p.bump();
            if p.at_word("rule") {
                p.bump();
                habits::title(p, "a rule's title");
            } else {
                postfix(p);
            }
            p.finish();
        }
        "advance" | "set" => {
            p.start(STMT);
            p.bump();
            p.name("a clock");
            p.eat_word(if word == "advance" { "by" } else { "to" });
            if word == "set" && !matches!(p.nth(0), IDENT) && p.goes_on() {
                p.error_here(
                    format!("the unit of a clock is missing here: {}", p.found()),
                    "write `set tide to hour 6`; a variable is written with `=`: `heat = 3`",
                );
                p.skip_line();
            }
            while p.goes_on() {
                p.start(PART);
                if word == "set" {
                    p.bump();
                    operand(p);
                } else {
                    operand(p);
                    p.bump();
                }
                p.finish();
            }
            p.finish();
        }
        _ => {
            if let Some(a) = ACTIONS.iter().find(|a| a.word == word) {
                tabled(p, a);
            } else if p.at(IDENT) && matches!(p.nth(1), L_PAREN | DOT | L_BRACKET) || p.at(ACTOR_REF) {
                called(p);
            } else {
                unknown(p, word);
            }
        }
    }
}

/// What is called or asked of something, such as `l.push(3)`.
fn called(p: &mut Parser) {
    p.start(EXPR_STMT);
    postfix(p);
    p.finish();
}

fn unknown(p: &mut Parser, word: &str) {
    let words = ACTIONS.iter().map(|a| a.word).chain(OTHERS.iter().copied());
    let near = || crate::near::nearest(word, words).map(|w| format!("did you mean `{w}`?"));
    let help = habits::action(p).or_else(near).unwrap_or_else(|| {
        "an action is an assignment such as `x = 3`, or begins with a word such as tell, send, move, spawn, wait, if".into()
    });
    p.error_at_token(format!("this begins no action: `{}`", p.nth_text(0)), help);
    p.breaks(super::Breaks::Structure);
    if matches!((p.nth(1), p.nth(2)), (PLUS, PLUS) | (MINUS, MINUS)) {
        let (range, sign) = (p.bytes_of(3), p.nth_text(1));
        p.mended_by(range, format!("{} {sign}= 1", p.nth_text(0)));
    }
    p.skip_statement();
}

fn tabled(p: &mut Parser, a: &Action) {
    p.start(STMT);
    p.bump();
    match a.arg {
        Arg::No => {}
        Arg::Expr => expr(p),
        Arg::Thing => postfix(p),
    }
    loop {
        let word = p.nth_text(0);
        if !p.goes_on() || !p.at(IDENT) {
            break;
        }
        if a.parts.contains(&word) {
            // What is sustained or said is a test; all other parts are plain values.
            if word == "while" {
                p.part(word)
            } else {
                p.part_operand(word)
            };
        } else if a.flags.contains(&word) {
            p.bump();
        } else if !and_wait(p) {
            break;
        }
    }
    p.finish();
}

/// `and wait`.
fn and_wait(p: &mut Parser) -> bool {
    let is = p.at_word("and") && p.nth_text(1) == "wait";
    if is {
        p.start(PART);
        p.bump();
        p.bump();
        p.finish();
    }
    is
}

fn if_statement(p: &mut Parser) {
    p.start(IF_STMT);
    p.bump();
    expr(p);
    block(p, "`if`");
    if p.at_word("else") {
        p.start(ELSE);
        p.bump();
        if p.at_word("if") {
            if p.deeper() {
                if_statement(p);
            } else {
                p.skip_line();
            }
            p.shallower();
        } else {
            block(p, "`else`");
        }
        p.finish();
    }
    p.finish();
}

fn arm_body(p: &mut Parser) {
    if p.expect(FAT_ARROW, "`=>`") {
        block(p, "the arm");
    } else {
        p.breaks(super::Breaks::Structure);
        p.skip_line();
    }
}

fn match_statement(p: &mut Parser) {
    p.start(MATCH_STMT);
    p.bump();
    expr(p);
    p.braces("`match`", |p| {
        p.start(MATCH_ARM);
        if !p.eat_word("else") {
            operand(p);
            while p.eat(COMMA) {
                operand(p);
            }
        }
        arm_body(p);
        p.finish();
        arms_on_one_line(p);
    });
    p.finish();
}

/// Arms may follow each other on a line: each ends with its closing brace.
fn arms_on_one_line(p: &mut Parser) {
    while p.goes_on() && !p.at(SEMI) {
        p.start(MATCH_ARM);
        let before = p.pos;
        if !p.eat_word("else") {
            operand(p);
            while p.eat(COMMA) {
                operand(p);
            }
        }
        arm_body(p);
        p.finish();
        if p.pos == before {
            return;
        }
    }
}

fn lot_statement(p: &mut Parser) {
    p.start(LOT_STMT);
    p.bump();
    p.braces("`lot`", |p| {
        // Arms may follow each other on a line: each ends with its closing brace.
        loop {
            let before = p.pos;
            p.start(LOT_ARM);
            operand(p);
            arm_body(p);
            p.finish();
            if p.pos == before || !p.goes_on() {
                return;
            }
        }
    });
    p.finish();
}

fn for_statement(p: &mut Parser) {
    p.start(FOR_STMT);
    p.bump();
    if p.at_word("each") && p.nth(1) == IDENT && p.nth_text(1) != "in" {
        p.error_here("a loop begins without `each`", "write `for i in 1..5` or `for l in all lamp`");
        p.bump();
    }
    if p.at_word("in") {
        p.no_name("the loop's variable");
    } else {
        p.name("the loop's variable");
    }
    if !p.eat_word("in") {
        p.error_here("`in` is missing here", "write `for i in 1..5` or `for l in all lamp`");
    }
    let start = p.checkpoint();
    operand(p);
    let to = p.at_word("to");
    if to {
        p.error_here("a loop goes from one number to another with `..`: there is `to`", "write `for i in 1..5`");
    }
    if to || p.at(DOT_DOT) {
        p.start_at(start, RANGE_EXPR);
        p.bump();
        operand(p);
        p.finish();
    }
    p.part("where");
    block(p, "the loop");
    p.finish();
}

fn wait_statement(p: &mut Parser) {
    p.start(STMT);
    p.bump();
    if p.at_word("until") {
        p.part("until");
    } else if p.at_word("for") {
        p.start(PART);
        p.bump();
        event(p);
        p.finish();
    } else {
        operand(p);
    }
    if p.at_word("for") && p.nth_text(1) == "at" && p.nth_text(2) == "most" {
        p.start(PART);
        p.bump();
        p.bump();
        p.bump();
        operand(p);
        p.finish();
    }
    p.finish();
}

fn walk_statement(p: &mut Parser) {
    p.start(STMT);
    p.bump();
    postfix(p);
    loop {
        let word = p.nth_text(0);
        if !p.goes_on() || !p.at(IDENT) {
            break;
        }
        match word {
            "to" | "along" | "after" | "at" | "for" => {
                p.part_operand(word);
            }
            "away" => {
                p.start(PART);
                p.bump();
                if !p.eat_word("from") {
                    p.error_here("`away from` is meant here", "write `walk heron away from keeper`");
                }
                operand(p);
                p.finish();
            }
            "straight" => p.bump(),
            "from" if p.nth_text(1) == "nearest" => {
                p.start(PART);
                p.bump();
                p.bump();
                p.finish();
            }
            _ => {
                if !and_wait(p) {
                    break;
                }
            }
        }
    }
    p.finish();
}
