//! Below the map: what lies under the cursor, the driven one, and what the level shows.
//!
//! Invariant: a text that the level shows is wrapped, never cut, as far as there are rows for it.

use super::actors::{look_of, state_word};
use super::layers;
use crate::app::Layer;
use crate::app::{App, Pane};
use crate::pen::Pen;
use crate::theme::Role;
use crate::wrapping::wrapped;
use mayfly_base::*;
use mayfly_engine::program::Op;
use mayfly_session::words::Words;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Writes below the map.
pub fn draw(app: &App, pen: &mut Pen, area: Rect) {
    let s = &app.session;
    let focus = app.play.driving.or_else(|| s.steered());
    let w = &s.now.world;
    let words = Words::new(&s.engine.program, w);
    let mut y = area.y;
    let bottom = area.bottom();
    if app.flight.focus == Pane::Map || app.flight.map.layer != Layer::Zones {
        let said = layers::lines(app);
        // The driven one and the level's texts keep two rows.
        let room = (bottom.saturating_sub(y + 2) as usize).max(1);
        let left_out = said.len().saturating_sub(room);
        let shown = if left_out > 0 { room.saturating_sub(1) } else { room };
        for (text, role) in said.iter().take(shown) {
            pen.say(area.x, y, area.width, text, *role);
            y += 1;
        }
        if left_out > 0 && y < bottom {
            pen.say(area.x, y, area.width, &format!("{} more", said.len() - shown), Role::Dim);
            y += 1;
        }
    }
    if let Some(id) = focus.filter(|_| y < bottom) {
        let a = &w.actors[id.index()];
        let look: Style = pen.theme.look(a.colour);
        let mut x = pen.put(area.x, y, 1, &look_of(pen, a), look) + 1;
        let place = format!(
            " ({}, {})",
            number::show_number((a.at.x * 10.0).round() / 10.0),
            number::show_number((a.at.y * 10.0).round() / 10.0)
        );
        let facing = format!("  facing {}", DIRECTIONS[a.facing as usize % 4]);
        let inside: Vec<String> =
            a.inside.iter().filter(|(k, _)| k.1.is_none()).map(|(k, _)| words.zone(k.0, k.1)).collect();
        let touching: Vec<String> = w
            .contacts
            .keys()
            .filter_map(|(m, n)| {
                if *m == id {
                    Some(*n)
                } else if *n == id {
                    Some(*m)
                } else {
                    None
                }
            })
            .map(|o| words.actor(o))
            .collect();
        x = pen.run(
            x,
            y,
            area.right().saturating_sub(x),
            &[(&a.name, Role::Strong), (state_word(a), Role::Held), (&place, Role::Dim), (&facing, Role::Dim)],
        );
        for (word, list) in [("  in ", inside), ("  touching ", touching)] {
            if !list.is_empty() {
                x = pen.run(
                    x,
                    y,
                    area.right().saturating_sub(x),
                    &[(word, Role::Dim), (&list.join(", "), Role::Outside)],
                );
            }
        }
        y += 1;
    }
    for (text, board) in signs(app) {
        for line in wrapped(&pen.plain(&text), area.width as usize) {
            if y < bottom {
                pen.say(area.x, y, area.width, &line, if board { Role::Text } else { Role::Fired });
                y += 1;
            }
        }
    }
}

/// The texts that stand now: boards and prompts whose test is true.
fn signs(app: &App) -> Vec<(String, bool)> {
    use mayfly_base::code::Action;
    let s = &app.session;
    let w = &s.now.world;
    let mut out = vec![];
    for sign in &w.signs {
        let Op::Do(Action::Prompt { text, sustain, .. } | Action::Board { text, sustain }) =
            &s.engine.program.code[sign.pc as usize]
        else {
            continue;
        };
        let value = |e| mayfly_session::values::of(&s.engine, w, e, sign.me, &sign.locals);
        let stands = sustain.as_ref().is_none_or(|t| value(t) == Ok(Value::Flag(true)));
        if let (true, Ok(Value::Text(t))) = (stands, value(text)) {
            let on = sign.on.map_or(String::new(), |a| format!("{}: ", w.actors[a.index()].name));
            out.push((format!("{on}{t}"), sign.board));
        }
    }
    out
}
