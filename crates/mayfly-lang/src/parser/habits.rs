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
