//! The grammar of rules (language.md §3), events (§4), routines and machines (§7).

use super::decl::{head, params, type_of};
use super::expr::{expr, limit, operand, postfix};
use super::stmt::block;
use super::{Parser, habits};
use crate::syntax::Kind::*;

pub(super) fn rule(p: &mut Parser) {
    head(p, RULE);
    habits::title(p, "the rule's title");
    p.braces("the rule", item);
    p.finish();
}

fn item(p: &mut Parser) {
    loop {
        let before = p.pos;
        match p.nth_text(0) {
            "when" => when(p),
            "if" => clause(p),
            "then" => {
                p.start(THEN);
                p.bump();
                block(p, "`then`");
                p.finish();
            }
            "else" => {
                p.start(ELSE);
                p.bump();
                block(p, "`else`");
                p.finish();
            }
            "once" | "at" | "keep" | "cooldown" | "while" | "off" | "priority" | "again" => limiter(p),
            other => {
                let near = crate::near::nearest(
                    other,
                    [
                        "when", "if", "then", "else", "once", "at", "keep", "cooldown", "while", "off", "priority",
                        "again",
                    ]
                    .into_iter(),
                )
                .map(|w| format!("did you mean `{w}`?"));
                let help = habits::rule_line(other).map(str::to_string).or(near).unwrap_or_else(|| {
                    "a rule holds `when`, `if`, limiters, `then { }` and `else { }`; actions stand in `then { }`".into()
                });
                p.error_at_token(format!("a rule has no such line: `{}`", p.nth_text(0)), help);
                p.breaks(super::Breaks::Structure);
                p.skip_statement();
                return;
            }
        }
        if p.at(COMMA) && p.goes_on() {
            p.error_at_token("a `,` parts no lines of a rule", "write `;`, or begin a new line");
            p.bump();
        }
        // `when start then { … }` on one line: each of these words begins the next item.
        let next = p.nth_text(0);
        if p.pos == before
            || !p.goes_on()
            || !matches!(
                next,
                "when"
                    | "if"
                    | "then"
                    | "else"
                    | "once"
                    | "cooldown"
                    | "while"
                    | "off"
                    | "priority"
                    | "again"
                    | "at"
                    | "keep"
            )
        {
            return;
        }
    }
}

fn limiter(p: &mut Parser) {
    p.start(LIMITER);
    let word = p.nth_text(0);
    p.bump();
    match word {
        "at" => {
            if !p.eat_word("most") {
                p.error_here("`at most` is meant here", "write `at most 3`");
            }
            limit(p);
        }
        "keep" => {
            let once = p.eat_word("once");
            if !once {
                p.error_here("`keep once` is meant here", "write `keep once`");
            }
        }
        "cooldown" | "priority" => limit(p),
        "while" => expr(p),
        "again" => {
            let known = ["skip", "anew", "later", "beside"].iter().any(|w| p.eat_word(w));
            if !known {
                p.error_here("`again` is one of skip, anew, later, beside", "write `again later`, say");
            }
        }
        _ => {}
    }
    if p.at_word("per") && p.goes_on() {
        p.start(PART);
        p.bump();
        postfix(p);
        p.finish();
    }
    p.finish();
}

/// `if TEST [else { }]`.
fn clause(p: &mut Parser) {
    p.start(CLAUSE);
    p.bump();
    expr(p);
    if p.at_word("else") {
        p.start(ELSE);
        p.bump();
        block(p, "`else`");
        p.finish();
    }
    p.finish();
}

pub(super) fn first_of(p: &mut Parser) {
    head(p, FIRST_OF);
    if !p.eat_word("of") {
        p.error_here("`first of` is meant here", "write `first of \"title\" { rule … }`");
    }
    habits::title(p, "the group's title");
    p.braces("the group", |p| {
        if p.at_word("rule") {
            rule(p);
        } else {
            p.error_here(format!("a group holds rules only: {}", p.found()), "write `rule \"title\" { … }`");
            p.skip_statement();
        }
    });
    p.finish();
}

pub(super) fn when(p: &mut Parser) {
    p.start(WHEN);
    p.bump();
    event(p);
    p.finish();
}

/// True where this line is an expression event: it holds `changes`, `turns`, `reaches` or `drops`.
fn is_expression_event(p: &Parser) -> bool {
    let (mut n, mut depth, mut ifs) = (0, 0i32, false);
    loop {
        let (kind, text) = (p.nth(n), p.nth_text(n));
        if n > 0 && p.nth_fresh(n) && depth == 0 && !matches!(text, "and" | "or") {
            return false;
        }
        match kind {
            EOF | L_BRACE | SEMI | R_BRACE => return false,
            L_PAREN | L_BRACKET => depth += 1,
            R_PAREN | R_BRACKET => depth -= 1,
            IDENT if n == 0 && text == "if" => ifs = true,
            // A member may be called so: `self.turns`.
            // What a verb speaks of may be called so: `night enters changes`.
            IDENT if depth == 0 && n > 1 && speaks_of(p.nth_text(n - 1)) && ends_operand(p, n - 2) => {}
            IDENT if depth == 0 && n > 0 && p.nth(n - 1) != DOT => match text {
                "changes" | "reaches" => return true,
                "turns" if matches!(p.nth_text(n + 1), "true" | "false") => return true,
                "turns" if p.nth_fresh(n + 1) => return true,
                "drops" if p.nth_text(n + 1) == "to" => return true,
                // The test of a transition: the event is over.
                "if" if ends_operand(p, n - 1) => return false,
                "if" => ifs = true,
                "then" if !ifs => return false,
                _ => {}
            },
            _ => {}
        }
        n += 1;
    }
}

/// True of a word behind which stands whom or what an event speaks of.
fn speaks_of(word: &str) -> bool {
    matches!(
        word,
        "enters"
            | "leaves"
            | "in"
            | "touches"
            | "touching"
            | "from"
            | "nears"
            | "near"
            | "sees"
            | "seeing"
            | "loses"
            | "treads"
            | "bumps"
            | "presses"
            | "pressing"
            | "passes"
            | "to"
    )
}

/// True where the `n`th token can end an operand.
fn ends_operand(p: &Parser, n: usize) -> bool {
    match p.nth(n) {
        IDENT => !matches!(p.nth_text(n), "and" | "or" | "not" | "then" | "else" | "mod" | "per" | "in" | "has" | "is"),
        NUMBER | PERCENT | DURATION | TEXT | RAW_TEXT | ACTOR_REF | R_PAREN | R_BRACKET => true,
        _ => false,
    }
}

fn verb(p: &mut Parser, words: usize) {
    p.start(VERB);
    for _ in 0..words {
        p.bump();
    }
    p.finish();
}

/// WHO: an actor, a kind, a tag, `any`, `self` or a variable, with `as NAME` if wanted.
fn who(p: &mut Parser) {
    p.start(WHO);
    if p.at_word("any") {
        p.start(NAME_EXPR);
        p.bump();
        p.finish();
    } else {
        postfix(p);
    }
    if p.at_word("as") && p.goes_on() {
        p.bump();
        p.name("what it is called");
    }
    p.finish();
}

pub(super) fn event(p: &mut Parser) {
    if !p.goes_on() {
        p.error_here(
            format!("an event is missing here: {}", p.found()),
            "write what it waits for: `when person enters jetty`",
        );
        return;
    }
    if is_expression_event(p) {
        p.start(EVENT_EXPR);
        expr(p);
        match p.nth_text(0) {
            "changes" => verb(p, 1),
            "turns" => {
                verb(p, 1);
                if !(p.eat_word("true") || p.eat_word("false")) {
                    p.error_here("`turns` is followed by `true` or `false`", "write `turns true`");
                }
            }
            "reaches" => {
                verb(p, 1);
                operand(p);
            }
            "drops" => {
                verb(p, 2);
                operand(p);
            }
            _ => p.error_here(
                format!("this event is not understood: {}", p.found()),
                "write `EXPR turns true`, `VAR changes`, `EXPR reaches N` or `EXPR drops to N`",
            ),
        }
        p.finish();
        return;
    }
    p.start(EVENT);
    match p.nth_text(0) {
        "start" => verb(p, 1),
        "tick" => verb(p, 1),
        "every" | "after" => {
            verb(p, 1);
            operand(p);
            p.part_operand("from");
        }
        "hears" => {
            verb(p, 1);
            p.start(EV_MESSAGE);
            postfix(p);
            p.finish();
        }
        _ => {
            who(p);
            told(p);
        }
    }
    p.finish();
}

/// Said where a test stands in the place of an event.
const TEST_AS_EVENT: &str =
    "a test is awaited with `turns true`: `when lamps_lit == 3 turns true`; beside an event it stands behind `if`";

/// The verb after the subject, and what belongs to it.
fn told(p: &mut Parser) {
    let every = |p: &mut Parser| {
        p.part_operand("every");
    };
    habits::is_before(p);
    match p.nth_text(0) {
        "enters" | "leaves" | "touches" => {
            verb(p, 1);
            who(p);
        }
        "in" => {
            verb(p, 1);
            who(p);
            every(p);
        }
        "moves" => {
            verb(p, 2);
            who(p);
        }
        "parts" => {
            verb(p, 2);
            who(p);
        }
        "touching" | "seeing" => {
            verb(p, 1);
            who(p);
            every(p);
        }
        "nears" | "near" => {
            verb(p, 1);
            who(p);
            if !p.part_operand("within") {
                p.error_here("the distance is missing here", "write `within 3`");
            }
            p.part_operand("until");
            every(p);
        }
        "strays" => {
            verb(p, 2);
            who(p);
            if !p.part_operand("beyond") {
                p.error_here("the distance is missing here", "write `beyond 3`");
            }
        }
        "sees" | "loses" | "treads" | "bumps" => {
            verb(p, 1);
            who(p);
        }
        "arrives" => {
            verb(p, 1);
            p.part_operand("at");
        }
        "is" => verb(p, 2),
        "spawns" | "ends" => verb(p, 1),
        "presses" | "pressing" => {
            verb(p, 1);
            p.name("an input");
            loop {
                let word = p.nth_text(0);
                if !p.goes_on() || !matches!(word, "near" | "facing" | "in" | "within" | "every") {
                    break;
                }
                p.start(PART);
                p.bump();
                if matches!(word, "within" | "every") {
                    operand(p);
                } else {
                    who(p);
                }
                p.finish();
            }
        }
        "passes" => {
            verb(p, 1);
            p.name("a unit");
            if p.goes_on() && !matches!(p.nth_text(0), "if" | "then" | "when") {
                operand(p);
            }
        }
        "comes" => {
            verb(p, 2);
            p.name("an area");
        }
        other => {
            let verbs = [
                "enters", "leaves", "in", "moves", "touches", "parts", "touching", "nears", "strays", "near", "sees",
                "loses", "seeing", "treads", "bumps", "arrives", "is", "spawns", "ends", "presses", "pressing",
                "passes", "comes", "changes", "turns", "reaches", "drops",
            ];
            let help = match (other, crate::near::nearest(other, verbs.into_iter())) {
                ("hears", _) => "`hears` names nobody: write `when hears bell(n)`; in a kind it hears as well what is \
                                 sent to its actor alone"
                    .into(),
                (">=" | "<=" | ">" | "<" | "==" | "!=" | "=" | "and" | "or", _) => TEST_AS_EVENT.into(),
                _ if p.last_taken().is_some_and(|t| t.kind == R_PAREN) => {
                    "a message is heard: `when hears bell(n)`; a test is awaited with `turns true`".into()
                }
                (word, near) => match (habits::verb(word), near) {
                    (Some(here), _) => here.into(),
                    (None, Some(w)) => format!("did you mean `{w}`?"),
                    (None, None) => "an event says who does what: `person enters jetty`, `bell turns true`".into(),
                },
            };
            p.error_here(format!("this event is not understood: {}", p.found()), help);
            if p.goes_on() && !p.at(L_BRACE) {
                p.skip_line();
            }
        }
    }
}

pub(super) fn routine(p: &mut Parser) {
    head(p, ROUTINE_DECL);
    p.name("the routine");
    params(p);
    if p.eat(ARROW) {
        type_of(p);
    }
    block(p, "the routine");
    p.finish();
}

pub(super) fn machine(p: &mut Parser) {
    head(p, MACHINE_DECL);
    if p.at_word("for") {
        p.no_name("the machine");
    } else {
        p.name("the machine");
    }
    if p.at_word("for") {
        p.start(PART);
        p.bump();
        postfix(p);
        p.finish();
    }
    p.braces("the machine", state_item);
    p.finish();
}

fn state_item(p: &mut Parser) {
    match p.nth_text(0) {
        "needs" => {
            p.start(NEEDS);
            p.bump();
            p.name("what the kind must have");
            if p.eat(COLON) {
                type_of(p);
            }
            p.finish();
        }
        "start" => {
            p.start(PART);
            p.bump();
            p.name("a state");
            p.finish();
        }
        "state" => {
            p.start(STATE_DECL);
            p.bump();
            p.name("the state");
            if p.at(L_BRACE) {
                p.braces("the state", state_item);
            }
            p.finish();
        }
        "wherever" => {
            p.start(WHEREVER);
            p.bump();
            p.braces("`wherever`", state_item);
            p.finish();
        }
        word @ ("enter" | "leave" | "loop") => {
            p.start(match word {
                "enter" => ENTER_BLOCK,
                "leave" => LEAVE_BLOCK,
                _ => LOOP_BLOCK,
            });
            p.bump();
            block(p, word);
            p.finish();
        }
        "to" => transition(p),
        "rule" => rule(p),
        "first" => first_of(p),
        other => {
            let help = crate::near::nearest(
                other,
                ["start", "state", "enter", "leave", "loop", "to", "wherever", "needs", "rule"].into_iter(),
            )
            .map_or_else(
                || {
                    let way_out = matches!(other, "when" | "if" | "on" | "after" | "-" | "->" | "go" | "goto");
                    if way_out {
                        return "a way out says first where to: `to shut when keeper leaves jetty`, `to open after 2s`"
                            .into();
                    }
                    "a machine holds `start`, `state` and `wherever`; a state `enter`, `leave`, `loop`, `to` and rules"
                        .into()
                },
                |w| format!("did you mean `{w}`?"),
            );
            p.error_at_token(format!("a machine has no such line: `{}`", p.nth_text(0)), help);
            p.breaks(super::Breaks::Structure);
            p.skip_statement();
        }
    }
}

fn transition(p: &mut Parser) {
    p.start(TRANSITION);
    p.bump();
    if p.at_word("one") && p.nth_text(1) == "of" {
        p.start(ONE_OF);
        p.bump();
        p.bump();
        p.braces("the choice", |p| {
            p.start(ONE_OF_ROW);
            p.name("a state");
            operand(p);
            if p.at_word("if") {
                p.start(PART);
                p.bump();
                expr(p);
                p.finish();
            }
            p.finish();
        });
        p.finish();
    } else {
        p.name("a state");
    }
    while p.goes_on() || p.at_word("else") {
        match p.nth_text(0) {
            "when" => when(p),
            "after" => {
                p.part_operand("after");
            }
            "if" => {
                p.start(PART);
                p.bump();
                expr(p);
                p.finish();
            }
            "then" => {
                p.start(THEN);
                p.bump();
                block(p, "`then`");
                p.finish();
            }
            "else" => {
                p.error_at_token(
                    "a transition has no `else`",
                    "write a second transition for the other case: the first that is true is taken",
                );
                p.start(ELSE);
                p.bump();
                block(p, "`else`");
                p.finish();
            }
            _ => {
                p.error_here(
                    format!("a transition has no such part: {}", p.found()),
                    "write `to STATE [when EVENT] [after D] [if TEST] [then { }]`",
                );
                p.breaks(super::Breaks::Structure);
                p.skip_line();
                break;
            }
        }
    }
    p.finish();
}
