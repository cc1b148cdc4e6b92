//! Then and now: two cascades of one tick beside each other.
//!
//! Invariant: what both have is dim; what only one has is bright on its side, and marked.

use crate::app::App;
use crate::pen::Pen;
use crate::theme::Role;
use mayfly_session::compare::{ChangedLine, Row};
use mayfly_session::session::Session;
use ratatui::layout::Rect;

fn differ(n: usize) -> String {
    if n == 1 { "1 tick differs".into() } else { format!("{n} ticks differ") }
}

/// The lines of the text that were changed, for the drawer.
pub fn changed(app: &App) -> Vec<crate::wrapping::Pieces> {
    let row = |l: ChangedLine| {
        let (sign, role) = if l.is_new { ("+ ", Role::True) } else { ("- ", Role::Held) };
        vec![(format!("{:>5}  ", l.line), Role::Faint), (sign.to_string(), role), (l.text, role)]
    };
    app.session.changed_lines().into_iter().map(row).collect()
}

/// What the title says.
pub fn facts(app: &App) -> String {
    let tick = app.session.moment.tick;
    match app.rerun.parts_at {
        Some(t) if t == tick => {
            format!("tick {tick}, where the two begin to differ; {}", differ(app.flight.differing.len()))
        }
        Some(t) => format!("tick {tick}; the two differ from tick {t}"),
        None => format!("tick {tick}; nothing differs in the flight"),
    }
}

pub fn draw(app: &App, pen: &mut Pen, area: Rect) {
    let Some((_, c)) = &app.flight.comparison else { return };
    let half = area.width / 2 - 1;
    let right = area.x + half + 2;
    let y = area.y + 1;
    pen.run(area.x, y, half, &[(&c.names.0, Role::Strong), ("  ", Role::Dim), (&c.then, Role::Dim)]);
    pen.run(right, y, half, &[(&c.names.1, Role::Strong), ("  ", Role::Dim), (&c.now, Role::Dim)]);
    let top = y + 2;
    let height = area.bottom().saturating_sub(top) as usize;
    if c.rows.is_empty() {
        pen.say(area.x, top, area.width, "Nothing was evaluated in this tick, neither then nor now.", Role::Dim);
        return;
    }
    // The first difference is what one wants to see.
    let first = c.rows.iter().position(Row::differs).unwrap_or(0);
    let most = c.rows.len().saturating_sub(height);
    let from = (first.saturating_sub(height / 3)).min(most) as i64 + i64::from(app.flight.why_scroll);
    let from = from.clamp(0, most as i64) as usize;
    for (i, row) in c.rows.iter().skip(from).take(height).enumerate() {
        let y = top + i as u16;
        side(pen, Rect { x: area.x, y, width: half, height: 1 }, row, row.then.as_deref(), "-");
        pen.say(area.x + half, y, 1, "│", Role::Line);
        side(pen, Rect { x: right, y, width: half, height: 1 }, row, row.now.as_deref(), "+");
    }
    pen.more_below(area, c.rows.len().saturating_sub(from + height));
}

fn side(pen: &mut Pen, area: Rect, row: &Row, text: Option<&str>, sign: &str) {
    let Some(text) = text else { return };
    let indent = u16::from(row.depth) * 2 + 2;
    let differs = row.differs();
    let role = match (differs, row.depth) {
        (false, 0) => Role::Zone,
        (false, _) => Role::Dim,
        (true, 0) => Role::Outside,
        (true, 1) => Role::Strong,
        (true, _) => Role::Written,
    };
    if differs {
        pen.say(area.x, area.y, 1, sign, if sign == "-" { Role::Held } else { Role::True });
    }
    pen.say(area.x + indent, area.y, area.width.saturating_sub(indent + 1), text, role);
}

/// In one pane: what is gone, what is new, and nothing of what both have but its events.
pub fn draw_folded(app: &App, pen: &mut Pen, area: Rect) {
    let Some((_, c)) = &app.flight.comparison else { return };
    pen.run(area.x, area.y, area.width, &[("then and now  ", Role::Strong), (&facts(app), Role::Dim)]);
    let mut y = area.y + 2;
    for row in c.rows.iter().filter(|r| r.differs() || r.depth < 2) {
        for (text, sign) in [(&row.then, "-"), (&row.now, "+")] {
            let twice = !row.differs() && sign == "+";
            if y < area.bottom() && text.is_some() && !twice {
                side(pen, Rect { y, height: 1, ..area }, row, text.as_deref(), sign);
                y += 1;
            }
        }
    }
}

/// The badge in the title: from where on the two differ.
pub fn badge(session: &Session, parts_at: Option<u64>) -> String {
    match (session.other(), parts_at) {
        (Some(_), Some(t)) => format!("differs from tick {t}"),
        _ => String::new(),
    }
}
