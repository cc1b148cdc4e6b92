//! The grammar of declarations (language.md §2), and of what stands in a kind.

use super::expr::{expr, operand, postfix, tight};
use super::rule;
use super::{Parser, habits, things};
use crate::syntax::Kind::{self, *};

/// What reads one declaration.
type Rule = fn(&mut Parser);

/// The words that begin a declaration, with their parsers.
const DECLS: &[(&str, Rule)] = &[
    ("level", level),
    ("use", use_decl),
    ("tiles", tiles),
    ("map", map),
    ("area", area),
    ("enum", enum_decl),
    ("tag", tag),
    ("const", const_decl),
    ("var", var),
    ("keep", var),
    ("define", define),
    ("table", table),
    ("records", records),
    ("message", message),
    ("input", input),
    ("timer", timer),
    ("clock", clock),
    ("kind", things::kind),
    ("place", things::place),
    ("zone", things::zone),
    ("path", things::path),
    ("check", check),
    ("routine", rule::routine),
    ("machine", rule::machine),
    ("rule", rule::rule),
    ("first", rule::first_of),
];

pub(super) fn file(p: &mut Parser) {
    while !p.at(EOF) {
        if p.eat(SEMI) {
            continue;
        }
        p.begin_statement();
        if !declaration(p) {
            p.error_at_token(
                format!("this begins no declaration: `{}`", p.nth_text(0)),
                near_word(p.nth_text(0)).unwrap_or_else(|| {
                    "a level holds declarations only: level, tiles, map, var, kind, place, zone, rule and their like".into()
                }),
            );
            p.breaks(super::Breaks::Stray);
            p.skip_statement();
            // Further braces that close nothing are the same mistake.
            while p.at(R_BRACE) {
                p.skip_statement();
            }
            continue;
        }
        p.end_statement();
    }
}

/// True of a word that begins a declaration and nothing else.
pub(super) fn begins_one(word: &str) -> bool {
    word != "tag" && DECLS.iter().any(|(w, _)| *w == word)
}

fn near_word(word: &str) -> Option<String> {
    crate::near::nearest(word, DECLS.iter().map(|(w, _)| *w)).map(|w| format!("did you mean `{w}`?"))
}

fn declaration(p: &mut Parser) -> bool {
    if !p.at(IDENT) {
        return false;
    }
    let word = if p.at_word("private") { p.nth_text(1) } else { p.nth_text(0) };
    let Some((_, parser)) = DECLS.iter().find(|(w, _)| *w == word) else {
        return false;
    };
    parser(p);
    true
}

/// Starts a declaration's node: `private` where it stands, and its word.
pub(super) fn head(p: &mut Parser, kind: Kind) {
    p.start(kind);
    p.eat_word("private");
    p.bump();
    if matches!(p.nth(1), IDENT | TEXT) && !p.nth_fresh(1) && !super::is_reserved(p.nth_text(1)) {
        p.twice();
    }
}

fn level(p: &mut Parser) {
    head(p, LEVEL_DECL);
    habits::title(p, "the level's title");
    if p.at(L_BRACE) {
        p.braces("the level", attribute);
    }
    p.finish();
}

/// Attributes that need no value, and those that have one.
const FLAGS: &[&str] = &["solid", "opaque", "steered", "visible", "tangible", "enabled", "hidden"];
const WITH_VALUES: &[&str] = &[
    "size", "speed", "look", "colour", "facing", "tagged", "passes", "carries", "falls", "sight", "zone", "var",
    "rule", "rate", "seed", "edges",
];

/// A word and what follows it on the line: `speed 6`, `look "x" amber`, `solid`, `edges closed`.
pub(super) fn attribute(p: &mut Parser) {
    p.start(ATTRIBUTE);
    let first = p.nth_text(0);
    if p.at(IDENT) {
        p.bump();
        if p.at(COLON) && p.goes_on() {
            p.error_at_token("an attribute's value stands right behind it, without `:`", "take the `:` out");
            let range = p.bytes_of(1);
            p.mended_by(range, "");
            p.pass_over(1);
        }
        let ends = |p: &Parser, n| p.nth_fresh(n) || matches!(p.nth(n), SEMI | R_BRACE | EOF);
        let begins_value =
            |p: &Parser, n| !ends(p, n) && matches!(p.nth(n), NUMBER | TEXT | DURATION | PERCENT | IDENT | ACTOR_REF);
        if begins_value(p, 1) && !super::expr::is_operator(p, 1) {
            p.twice();
        }
        let begin = p.pos;
        while p.goes_on() && !p.at(L_BRACE) {
            let next = p.nth_text(0);
            // A value may be called so too: an attribute has a value of its own behind it.
            let has_value = begins_value(p, 1) && !super::expr::is_operator(p, 1);
            let listed = p.last_taken().is_some_and(|t| t.kind == COMMA);
            let begins_another = FLAGS.contains(&next) && (FLAGS.contains(&first) || p.pos > begin)
                || WITH_VALUES.contains(&next) && (FLAGS.contains(&first) || has_value);
            if begins_another && !listed {
                let last = p.last_taken().map_or("", |t| p.text_of(t));
                p.error_at_token(
                    format!("`;` is missing between `{last}` and `{next}`"),
                    format!("write `{last}; {next}`"),
                );
                let at = p.bytes_of(1).start;
                p.mended_by(at..at, "; ");
                p.finish();
                return attribute(p);
            }
            if matches!(p.nth(0), COMMA) {
                p.bump();
                continue;
            }
            let before = p.pos;
            operand(p);
            if p.pos == before {
                break;
            }
        }
    } else {
        p.error_at_token(
            format!("a setting is missing here: there is `{}`", super::short(p.nth_text(0))),
            "write a word and its value",
        );
        p.skip_statement();
    }
    p.finish();
}

fn use_decl(p: &mut Parser) {
    head(p, USE_DECL);
    p.expect(TEXT, "the file's name in quotes");
    p.finish();
}

fn tiles(p: &mut Parser) {
    head(p, TILES_DECL);
    p.braces("the tiles", |p| {
        p.start(TILE_ROW);
        let early = p.until(CHAR).filter(|n| *n > 0);
        let has_sign = p.expect(CHAR, "a tile's one character in quotes, such as `'H'`");
        if let Some(n) = early {
            p.pass_over(n + 1);
        }
        if has_sign || p.at(IDENT) {
            let is_attribute = match p.nth_text(0) {
                "tagged" => p.nth(1) == IDENT && !p.nth_fresh(1),
                "look" => p.nth(1) == TEXT && !p.nth_fresh(1),
                _ => false,
            };
            if is_attribute {
                p.no_name("the tile");
            } else {
                p.name("the tile");
            }
            while p.at(IDENT) && p.goes_on() {
                let tagged = p.at_word("tagged");
                let look = p.at_word("look");
                p.bump();
                if look {
                    p.start(PART);
                    p.expect(TEXT, "one character in quotes");
                    if p.at(IDENT) && p.goes_on() && mayfly_base::COLOURS.contains(&p.nth_text(0)) {
                        p.bump();
                    }
                    p.finish();
                }
                if tagged {
                    let tag = |p: &mut Parser| match p.at(IDENT) {
                        true => p.bump(),
                        false => p.no_name("a tag"),
                    };
                    tag(p);
                    while p.eat(COMMA) {
                        tag(p);
                    }
                }
            }
        }
        p.finish();
    });
    p.finish();
}

fn raw_map(p: &mut Parser) {
    if !p.eat(RAW_TEXT) {
        p.error_here("the map is missing here", "write the map between two lines of `\"\"\"`");
        p.skip_line();
    }
}

fn map(p: &mut Parser) {
    head(p, MAP_DECL);
    raw_map(p);
    p.finish();
}

fn area(p: &mut Parser) {
    head(p, AREA_DECL);
    if p.at_word("map") && p.nth(1) == RAW_TEXT {
        p.no_name("the area");
    } else {
        p.name("the area");
    }
    if !p.eat_word("map") {
        p.error_here("an area needs a map", "write `area cellar map \"\"\" … \"\"\"`");
    }
    raw_map(p);
    p.finish();
}

fn enum_decl(p: &mut Parser) {
    head(p, ENUM_DECL);
    p.name("the enum");
    p.braces("the enum", |p| {
        p.name("a value");
        while p.eat(COMMA) {
            if p.at(IDENT) {
                p.name("a value");
            }
        }
        if p.at(IDENT) && p.goes_on() {
            let message = format!("a `,` is missing before `{}`", super::short(p.nth_text(0)));
            p.error_at_token(message, "values are parted by `,`: `enum fish { eel, perch }`");
            let at = p.bytes_of(1).start;
            p.mended_by(at..at, ", ");
            while p.at(IDENT) && p.goes_on() {
                p.name("a value");
                p.eat(COMMA);
            }
        }
    });
    p.finish();
}

fn tag(p: &mut Parser) {
    head(p, TAG_DECL);
    p.name("the tag");
    while p.eat(COMMA) {
        p.name("the tag");
    }
    p.finish();
}

pub(super) fn assigned(p: &mut Parser, what: &str) {
    if p.expect(EQ, &format!("`=` and {what}")) || p.goes_on() {
        expr(p);
    }
}

fn const_decl(p: &mut Parser) {
    head(p, CONST_DECL);
    p.name("the constant");
    assigned(p, "its value");
    p.finish();
}

/// `: TYPE`, where there is one.
pub(super) fn typed(p: &mut Parser) {
    if p.eat(COLON) {
        type_of(p);
    }
}

/// A type: `number`, `list of T`, `state of gate`, `T or none`.
pub(super) fn type_of(p: &mut Parser) {
    p.start(TYPE);
    if !p.deeper() {
        p.skip_line();
    } else if p.at(IDENT) && p.goes_on() || p.at(IDENT) && p.parens > 0 {
        p.bump();
        if p.eat_word("of") {
            type_of(p);
        }
        if p.at_word("or") && p.nth_text(1) == "none" {
            p.bump();
            p.bump();
        }
    } else {
        p.error_here(
            format!("a type is missing here: {}", p.found()),
            if matches!(p.nth(0), NUMBER | TEXT | DURATION | L_BRACKET | L_BRACE) {
                "a first value stands behind `=`; a type is `number`, `flag`, `text`, a kind's name or another"
            } else {
                "write `number`, `flag`, `text`, a kind's name or another type"
            },
        );
    }
    p.shallower();
    p.finish();
}

pub(super) fn var(p: &mut Parser) {
    p.start(VAR_DECL);
    p.eat_word("private");
    p.eat_word("keep");
    if !p.eat_word("var") {
        match p.nth_text(0) {
            other @ ("define" | "const" | "timer" | "clock" | "table" | "let") => {
                let what = format!("only a `var` is kept between runs, and this is a `{other}`");
                p.error_at_token(what, "take `keep` out, or write `keep var name = value`");
                p.bump();
            }
            _ => p.error_here("`var` is missing here", "write `keep var name = value`"),
        }
    }
    p.name("the variable");
    typed(p);
    assigned(p, "a first value");
    if p.at_word("within") && p.goes_on() {
        p.start(BOUNDS);
        p.bump();
        operand(p);
        if !p.eat_word("to") {
            p.error_here("the upper bound is missing here", "write `within 0 to 100`");
        }
        operand(p);
        p.finish();
    }
    p.finish();
}

pub(super) fn define(p: &mut Parser) {
    head(p, DEFINE_DECL);
    p.name("the value");
    typed(p);
    assigned(p, "an expression");
    p.finish();
}

fn table(p: &mut Parser) {
    head(p, TABLE_DECL);
    p.name("the table");
    typed(p);
    p.braces("the table", |p| {
        p.start(TABLE_ROW);
        postfix(p);
        operand(p);
        p.finish();
    });
    p.finish();
}

fn records(p: &mut Parser) {
    head(p, RECORDS_DECL);
    p.name("the records");
    params(p);
    p.braces("the records", |p| {
        p.start(RECORD_ROW);
        expr(p);
        p.finish();
    });
    p.finish();
}

/// `(name: type, …)`.
pub(super) fn params(p: &mut Parser) {
    if !p.at(L_PAREN) {
        return;
    }
    p.start(PARAMS);
    p.bump();
    p.parens += 1;
    while !matches!(p.nth(0), R_PAREN | EOF | R_BRACE | L_BRACE) {
        p.start(PARAM);
        let before = p.pos;
        if p.at(IDENT) {
            p.name("the parameter");
        } else {
            p.error_here(format!("a parameter's name is missing here: {}", p.found()), "write `(name: type)`");
            p.breaks(super::Breaks::Name);
        }
        typed(p);
        if !matches!(p.nth(0), COMMA | R_PAREN) {
            p.twice();
        }
        if !matches!(p.nth(0), COMMA | R_PAREN | EOF | R_BRACE | L_BRACE) && !p.nth_fresh(0) {
            p.error_here(format!("`)` is missing here: {}", p.found()), "write `(name: type, name: type)`");
            p.start(BROKEN);
            while !matches!(p.nth(0), COMMA | R_PAREN | EOF | R_BRACE | L_BRACE) && !p.nth_fresh(0) {
                p.bump();
            }
            p.finish();
        }
        p.finish();
        if !p.eat(COMMA) || p.pos == before {
            break;
        }
    }
    p.parens -= 1;
    p.expect(R_PAREN, "`)`");
    p.finish();
}

fn message(p: &mut Parser) {
    head(p, MESSAGE_DECL);
    p.name("the message");
    params(p);
    p.finish();
}

fn input(p: &mut Parser) {
    head(p, INPUT_DECL);
    p.name("the input");
    if p.expect(EQ, "`=` and its key") {
        p.expect(TEXT, "a key in quotes");
    }
    p.finish();
}

fn timer(p: &mut Parser) {
    head(p, TIMER_DECL);
    p.name("the timer");
    assigned(p, "its duration");
    while p.goes_on() && (p.eat_word("repeating") || p.eat_word("running")) {}
    p.finish();
}

fn clock(p: &mut Parser) {
    head(p, CLOCK_DECL);
    p.name("the clock");
    p.braces("the clock", |p| {
        p.start(CLOCK_ITEM);
        p.bump();
        while p.goes_on() {
            if p.at_word("per") {
                p.start(PART);
                p.bump();
                tight(p);
                p.finish();
            } else {
                p.bump();
            }
        }
        p.finish();
    });
    p.finish();
}

/// A check is taken in whole; its grammar comes with the checks themselves.
fn check(p: &mut Parser) {
    head(p, CHECK_DECL);
    habits::title(p, "the check's title");
    if p.at(L_BRACE) {
        let mut depth = 0usize;
        loop {
            match p.nth(0) {
                EOF => {
                    p.error_here("the closing `}` of the check is missing", "add `}` where it ends");
                    p.breaks(super::Breaks::Structure);
                    break;
                }
                L_BRACE => depth += 1,
                R_BRACE => depth -= 1,
                _ => {}
            }
            p.bump();
            if depth == 0 {
                break;
            }
        }
    }
    p.finish();
}
