//! What people write who come from another language, and how it is written here.
//!
//! Not here: words that are mistyped ([`crate::near`]). Invariant: a habit is one error, and reading goes on behind it
//! as if it had been written right.

use super::Parser;
use crate::syntax::Kind::*;

/// Names that mean something elsewhere, with what they are here.
pub(crate) const NAMES: &[(&str, &str)] = &[
    ("null", "`none` is no value at all"),
    ("nil", "`none` is no value at all"),
    ("undefined", "`none` is no value at all"),
    ("True", "write `true`"),
    ("False", "write `false`"),
    ("yes", "write `true`"),
    ("no", "write `false`"),
    ("this", "the actor of a kind's own rules is `self`"),
];

/// Types by the names that they have elsewhere.
pub(crate) const TYPES: &[(&str, &str)] = &[
    ("int", "write `number`"),
    ("integer", "write `number`"),
    ("float", "write `number`"),
    ("double", "write `number`"),
    ("real", "write `number`"),
    ("bool", "write `flag`"),
    ("boolean", "write `flag`"),
    ("string", "write `text`"),
    ("str", "write `text`"),
    ("vector", "write `point`"),
    ("vec2", "write `point`"),
    ("position", "write `point`"),
    ("seconds", "write `duration`"),
    ("array", "write `list of number`, say"),
    ("map", "what holds a number for each value is a tally of these values"),
];

/// What to do about a line that is none of a rule's.
pub(super) fn rule_line(word: &str) -> Option<&'static str> {
    Some(match word {
        "on" | "whenever" | "upon" | "event" | "trigger" => {
            "what starts it stands behind `when`: `when person enters jetty`"
        }
        "every" | "after" | "start" | "hears" => "what starts it stands behind `when`: `when every 3s`",
        "do" | "does" | "actions" | "action" | "run" => "what it does stands in `then { }`",
        "where" | "unless" | "given" | "requires" | "condition" | "and" => {
            "a test stands behind `if`: `if not lamp.lit`"
        }
        "limit" | "max" | "times" => "write `once`, or `at most 3`",
        "delay" | "wait" => "write `cooldown 2s`, or `wait 2s` in `then { }`",
        _ => return None,
    })
}

/// What to do about a word that is no verb of an event.
pub(super) fn verb(word: &str) -> Option<&'static str> {
    Some(match word {
        "becomes" | "equals" | "gets" | "hits" | "exceeds" => {
            "write `when heat reaches 3`, or `when heat == 3 turns true`; who bumps into something `bumps` it"
        }
        "exits" | "exit" | "quits" => "write `leaves`",
        "collides" | "overlaps" | "meets" => "write `touches`",
        "expires" | "elapses" | "finishes" | "fires" | "rings" => "a timer `ends`: `when flood ends`",
        "dies" | "despawns" | "vanishes" => "write `is removed`",
        "inside" | "within" => "write `in`",
        "clicks" | "uses" | "activates" => "write `presses`, with an input",
        "receives" => "write `when hears bell(n)`",
        "increases" | "decreases" | "grows" | "falls" => "write `when heat changes`, `reaches 3` or `drops to 0`",
        _ => return None,
    })
}

/// `person is in jetty`: says so and takes the `is`. True where the verb follows.
pub(super) fn is_before(p: &mut Parser) -> bool {
    let verbs = ["in", "near", "inside", "touching", "seeing", "pressing"];
    if !p.at_word("is") || p.nth_fresh(1) || !verbs.contains(&p.nth_text(1)) {
        return false;
    }
    let verb = if p.nth_text(1) == "inside" { "in" } else { p.nth_text(1) }.to_string();
    p.error_at_token(format!("before `{verb}` there is no `is`"), format!("write `when person {verb} …`"));
    let (word, next) = (p.bytes_of(1), p.bytes_of(2));
    p.mended_by(word.start..next.end, verb);
    p.pass_over(1);
    true
}

/// `kind boat: person`, `kind boat extends person`: says how a kind takes over what another has. True where the word and the
/// other kind's name are taken as its part; what it has of that kind is not known then.
pub(super) fn like(p: &mut Parser) -> bool {
    let word = p.nth_text(0);
    let is_habit = p.at(COLON) || matches!(word, "extends" | "inherits" | "is" | "from" | "as");
    if !is_habit || !p.goes_on() || p.nth(1) != IDENT || p.nth_fresh(1) {
        return false;
    }
    let base = super::short(p.nth_text(1)).to_string();
    p.error_at_token(format!("a kind takes over another by `like`, not by `{word}`"), format!("write `like {base}`"));
    let (range, gap) = (p.bytes_of(1), if p.at(COLON) { " like" } else { "like" });
    p.mended_by(range, gap);
    true
}

/// `rect 1, 1, 4, 2`: says how a shape's numbers are written, and takes the line. True where it was so.
pub(super) fn bare_numbers(p: &mut Parser, form: &str) -> bool {
    if !(p.at(NUMBER) && p.nth(1) == COMMA) {
        return false;
    }
    p.error_here(format!("where it lies is a point: {}", p.found()), format!("write `{form}`"));
    p.skip_line();
    true
}

/// What to do about what stands behind a statement that is over.
pub(super) fn behind(p: &Parser) -> Option<String> {
    let is_number = p.last_taken().is_some_and(|t| t.kind == NUMBER);
    let last = p.last_taken().map(|t| p.text_of(t)).unwrap_or_default();
    let shape = match last {
        "circle" | "round" | "ellipse" => Some("disc (9, 9) 2"),
        "rectangle" | "box" | "square" | "area" => Some("rect (4, 2) 6 x 3"),
        "polygon" => Some("poly (0, 0) (4, 0) (4, 3)"),
        _ => None,
    };
    Some(match (p.first_word(), p.nth(0)) {
        ("zone", _) if shape.is_some() => format!("write `{}`", shape.unwrap_or_default()),
        ("start", DURATION | NUMBER) => format!("write `start {} for 5s`", super::short(last)),
        ("move" | "walk" | "push", NUMBER | L_PAREN) => {
            let (word, who) = (p.first_word(), super::short(last));
            format!("write `{word} {who} to (3, 4)`")
        }
        ("zone", IDENT) if matches!(p.nth_text(0), "and" | "or" | "without" | "minus" | "plus") => {
            "shapes are put together by `+` and taken away by `-`".into()
        }
        (_, IDENT) if matches!(p.nth_text(0), "cells" | "cell" | "tiles" | "units") && is_number => {
            format!("a distance is in cells anyway: take `{}` out", p.nth_text(0))
        }
        ("place", COLON) => "its kind stands behind its name: `place keeper: person at (1, 1)`".into(),
        _ => return None,
    })
}

/// `&&` and `||` between two values: says so and takes them. True where the right side follows.
pub(super) fn joiner(p: &mut Parser) -> bool {
    let word = match p.nth_text(0) {
        "&" => "and",
        "|" => "or",
        _ => return false,
    };
    if !p.at(ERROR) || p.parens == 0 && p.nth_fresh(0) {
        return false;
    }
    let (sign, twice) = (p.nth_text(0), p.nth_text(1) == p.nth_text(0) && p.is_joined());
    let whole = if twice { sign.repeat(2) } else { sign.to_string() };
    p.error_at_token(format!("`{whole}` joins no tests here"), format!("write `{word}`"));
    let range = p.bytes_of(if twice { 2 } else { 1 });
    p.mended_by(range, format!(" {word} "));
    p.bump();
    if twice {
        p.bump();
    }
    true
}

/// `!` before a value: says so and takes it.
pub(super) fn denial(p: &mut Parser) -> bool {
    if !(p.at(ERROR) && p.nth_text(0) == "!") {
        return false;
    }
    p.error_at_token("`!` denies nothing here", "write `not`");
    let range = p.bytes_of(1);
    p.mended_by(range, "not ");
    p.bump();
    true
}

/// What to do about a line that begins no action.
pub(super) fn action(p: &Parser) -> Option<String> {
    let name = p.nth_text(0);
    let sign = match (p.nth(1), p.nth(2)) {
        (PLUS, PLUS) => "+",
        (MINUS, MINUS) => "-",
        (COLON, EQ) => return Some(format!("a value is written with `=`: `{name} = 3`")),
        _ => {
            return match name {
                "print" | "echo" | "say" | "debug" => {
                    Some("write `tell \"…\"` for the player, `log …` for yourself".into())
                }
                "call" | "do" | "run" => Some("a routine is called by its name: `haul(3)`".into()),
                "elif" | "elsif" | "elseif" => Some("write `else if`".into()),
                "goto" => Some("a machine goes to a state by `go gate to open`".into()),
                "destroy" | "delete" | "kill" | "despawn" => Some("write `remove crate`, with who it is".into()),
                "teleport" | "warp" | "place" => Some("write `move keeper to (3, 4)`".into()),
                "create" | "instantiate" => Some("write `spawn crate at (3, 4)`".into()),
                "trigger" | "emit" | "raise" | "fire" => Some("write `send bell(3)`".into()),
                "sleep" | "delay" | "pause" => Some("write `wait 2s`".into()),
                _ => None,
            };
        }
    };
    Some(format!("write `{name} {sign}= 1`"))
}

/// `2 seconds`: what to write where a number and a word of time stand apart.
pub(super) fn duration(p: &Parser) -> Option<String> {
    let last = p.last_taken().filter(|t| t.kind == NUMBER)?;
    let unit = match p.nth_text(0) {
        "s" | "sec" | "secs" | "second" | "seconds" => "s",
        "ms" | "millis" | "milliseconds" => "ms",
        "m" | "min" | "mins" | "minute" | "minutes" => "m",
        "h" | "hour" | "hours" => "h",
        _ => return None,
    };
    Some(format!("a duration is one word: `{}{unit}`", super::short(p.text_of(last))))
}

/// A title in quotes; a bare word in its place is taken as one.
pub(super) fn title(p: &mut Parser, what: &str) {
    if p.at(IDENT) && p.goes_on() && p.nth(1) == TEXT && !p.nth_fresh(1) {
        p.error_at_token(format!("{what} stands in quotes"), format!("take `{}` out", super::short(p.nth_text(0))));
        p.pass_over(1);
        p.bump();
        return;
    }
    if p.at(IDENT) && p.goes_on() {
        let word = super::short(p.nth_text(0));
        p.error_at_token(format!("{what} stands in quotes"), format!("write `\"{word}\"`"));
        if p.nth(1) == L_BRACE {
            let range = p.bytes_of(1);
            p.mended_by(range, format!("\"{word}\""));
        }
        p.start(BROKEN);
        while p.goes_on() && !p.at(L_BRACE) {
            p.bump();
        }
        p.finish();
        return;
    }
    if p.expect(TEXT, &format!("{what} in quotes")) {
        p.twice();
    } else {
        p.breaks(super::Breaks::Name);
    }
}
