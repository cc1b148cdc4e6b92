//! The grammar of what stands on the map: kinds, places, zones and paths.
//!
//! Invariant: as of all of [`super`].

use super::decl::*;
use super::expr::{expr, operand, postfix, tight};
use super::rule;
use super::shape::shape;
use super::{Parser, habits};
use crate::syntax::Kind::*;

pub(super) fn kind(p: &mut Parser) {
    head(p, KIND_DECL);
    let is_part = |p: &Parser| p.at_word("like") || p.at_word("of");
    if is_part(p) && p.nth(1) == IDENT && !p.nth_fresh(1) && p.goes_on() && !matches!(p.nth_text(1), "like" | "of") {
        p.no_name("the kind");
    } else {
        p.name("the kind");
    }
    if is_part(p) || habits::like(p) {
        p.start(PART);
        p.bump();
        p.twice();
        if p.at(L_BRACE) {
            p.error_here("which kind is missing here: there is `{`", "write `like` and a kind's name, or `of zone`");
            p.breaks(super::Breaks::Structure);
        } else {
            postfix(p);
            p.twice();
        }
        p.finish();
    }
    if p.at(L_BRACE) || p.goes_on() || p.lacks_its_brace() {
        p.start(BODY);
        p.braces("the kind", kind_item);
        p.finish();
    }
    p.finish();
}

fn kind_item(p: &mut Parser) {
    match p.nth_text(0) {
        "var" | "keep" => var(p),
        "define" => define(p),
        "zone" => zone(p),
        "rule" => rule::rule(p),
        "first" if p.nth_text(1) == "of" => rule::first_of(p),
        "machine" => rule::machine(p),
        "tags" => {
            p.start(TAGS_ITEM);
            p.bump();
            p.name("a tag");
            while p.eat(COMMA) {
                p.name("a tag");
            }
            p.finish();
        }
        "sight" => {
            p.start(SIGHT_ITEM);
            p.bump();
            while p.goes_on() {
                if matches!(p.nth(0), IDENT) {
                    p.bump();
                } else {
                    let before = p.pos;
                    tight(p);
                    if p.pos == before {
                        p.bump();
                    }
                }
            }
            p.finish();
        }
        _ => attribute(p),
    }
}

/// `{ oil = 4; speed 8; solid }`: first values and attributes.
pub(super) fn overrides(p: &mut Parser) {
    p.start(BODY);
    p.braces("the first values", |p| {
        if p.nth(1) == EQ {
            p.start(ASSIGN_STMT);
            postfix(p);
            p.bump();
            expr(p);
            p.finish();
        } else {
            attribute(p);
        }
    });
    p.finish();
}

pub(super) fn place(p: &mut Parser) {
    head(p, PLACE_DECL);
    if p.at(COLON) {
        p.name("the actor");
        p.bump();
        postfix(p);
    } else if p.nth(1) == COLON {
        if p.at(ACTOR_REF) {
            // Whoever comes back from the log writes a name as it is shown there.
            p.error_at_token(
                format!("`{}` is no name that can be given: it is what an actor without one is called", p.nth_text(0)),
                "take the `#` out, or write `place lamp at (3, 4)` without a name",
            );
            p.bump();
        } else {
            p.name("the actor");
        }
        p.bump();
        postfix(p);
    } else if p.at(IDENT) && p.goes_on() {
        postfix(p);
    } else {
        p.error_here(
            format!("a kind is missing here: {}", p.found()),
            "write `place lamp at (3, 4)` or `place name: kind at (3, 4)`",
        );
    }
    if p.at_word("in") {
        p.start(PART);
        p.bump();
        postfix(p);
        p.finish();
    }
    if p.at_word("at") {
        p.start(PART);
        p.bump();
        operand(p);
        while p.eat(COMMA) {
            operand(p);
        }
        p.finish();
    } else {
        p.error_here("where it is placed is missing here", "write `at (x, y)`");
    }
    p.part_operand("facing");
    if p.at(L_BRACE) && p.goes_on() {
        overrides(p);
    }
    p.finish();
}

pub(super) fn zone(p: &mut Parser) {
    head(p, ZONE_DECL);
    if p.at_word("in") {
        p.no_name("the zone");
    } else {
        p.name("the zone");
    }
    if p.eat(COLON) {
        postfix(p);
    }
    if p.at_word("in") {
        p.start(PART);
        p.bump();
        postfix(p);
        p.finish();
    }
    if p.expect(EQ, "`=` and a shape") || p.goes_on() {
        shape(p);
    }
    if p.at_word("for") && p.goes_on() {
        p.start(FOR_WHOM);
        p.bump();
        postfix(p);
        while p.eat(COMMA) {
            postfix(p);
        }
        p.finish();
    }
    if p.at(L_BRACE) && p.goes_on() {
        overrides(p);
    }
    p.finish();
}

pub(super) fn path(p: &mut Parser) {
    head(p, PATH_DECL);
    if p.at_word("in") {
        p.no_name("the path");
    } else {
        p.name("the path");
    }
    if p.at_word("in") {
        p.start(PART);
        p.bump();
        postfix(p);
        p.finish();
    }
    if !p.at(EQ) {
        p.expect(EQ, "`=` and points");
        // A word that stands too early is passed over, so that its points are read.
        if p.at(IDENT) && p.goes_on() {
            p.start(BROKEN);
            p.bump();
            p.finish();
        }
    } else {
        p.bump();
    }
    while (p.at(L_PAREN) || p.at(IDENT) && p.nth(1) == L_PAREN) && p.goes_on() {
        let before = p.pos;
        postfix(p);
        if p.pos == before {
            p.skip_line();
            break;
        }
    }
    if p.goes_on() && !(p.eat_word("loop") || p.eat_word("bounce") || p.eat_word("once")) {
        let help = if p.at(COMMA) {
            "points stand one behind the other: `path round = (0, 0) (4, 0) once`"
        } else {
            "write one of the three after the points"
        };
        p.error_here("a path is `loop`, `bounce` or `once`", help);
        p.skip_line();
    }
    p.finish();
}
