//! The grammar of zones' shapes.

use super::expr::{postfix, tight};
use super::{Parser, habits};
use crate::syntax::Kind::*;

/// Shapes in one row; each more would stand one deeper in the tree.
const MAX_TERMS: u32 = 1000;

/// Shapes, added and taken away from left to right.
pub(super) fn shape(p: &mut Parser) {
    let start = p.checkpoint();
    shape_term(p);
    for more in 0.. {
        if more == MAX_TERMS {
            p.error_here("a zone is made of 1000 shapes at most", "write its cells: `cells { 4: 3..8 }`");
            p.skip_line();
            return;
        }
        let kind = match p.nth(0) {
            PLUS => SHAPE_SUM,
            MINUS => SHAPE_LESS,
            _ => return,
        };
        p.start_at(start, kind);
        p.bump();
        shape_term(p);
        p.finish();
    }
}

fn shape_term(p: &mut Parser) {
    match p.nth_text(0) {
        "rect" => {
            p.start(SHAPE_RECT);
            p.bump();
            if habits::bare_numbers(p, "rect (4, 2) 6 x 3") {
                p.finish();
                return;
            }
            postfix(p);
            tight(p);
            if !p.eat_word("x") {
                p.error_here("a rect's size is missing here", "write `rect (4, 2) 6 x 3`: 6 cells wide, 3 high");
                p.finish();
                return;
            }
            tight(p);
            p.finish();
        }
        "disc" => {
            p.start(SHAPE_DISC);
            p.bump();
            if habits::bare_numbers(p, "disc (9, 9) 2") {
                p.finish();
                return;
            }
            tight(p);
            if p.goes_on() && (matches!(p.nth(0), NUMBER | L_PAREN) || p.at(MINUS) && p.nth(1) == NUMBER)
                || p.at(IDENT) && p.goes_on() && !p.at_word("for")
            {
                tight(p);
            }
            p.finish();
        }
        "cells" => {
            p.start(SHAPE_CELLS);
            p.bump();
            p.braces("the cells", |p| {
                p.start(CELL_ROW);
                tight(p);
                p.expect(COLON, "`:` after the row");
                loop {
                    p.start(CELL_RANGE);
                    tight(p);
                    if p.eat(DOT_DOT) {
                        tight(p);
                    }
                    p.finish();
                    if !p.eat(COMMA) {
                        break;
                    }
                }
                p.finish();
            });
            p.finish();
        }
        "tiles" => {
            p.start(SHAPE_TILES);
            p.bump();
            p.name("a tile or a tile's tag");
            p.finish();
        }
        "poly" => {
            p.start(SHAPE_POLY);
            p.bump();
            while p.at(L_PAREN) && p.goes_on() {
                postfix(p);
            }
            p.finish();
        }
        "(" => {
            p.start(SHAPE_PAREN);
            p.bump();
            if p.deeper() {
                shape(p);
            } else {
                p.skip_line();
            }
            p.shallower();
            p.expect(R_PAREN, "`)`");
            p.finish();
        }
        _ if p.at(IDENT) && p.goes_on() => {
            p.start(SHAPE_NAME);
            p.bump();
            p.finish();
        }
        _ => {
            p.error_here(
                format!("a shape is missing here: {}", p.found()),
                "write `rect (x, y) W x H`, `disc (x, y) R`, `cells { … }`, `tiles NAME`, `poly (…) …` or a zone's name",
            );
            p.skip_line();
        }
    }
}
