//! How what is open is drawn: over everything, under the title.
//!
//! Invariant: drawing changes nothing; what a click can take is left in the pen.

use crate::app::App;
use crate::app::Entry;
use crate::app::Kind;
use crate::app::Offers;
use crate::app::Overlay;
use crate::pen::{Hit, Pen};
use crate::theme::Role;
use crate::wrapping::wrap;
use ratatui::layout::Rect;
use unicode_width::UnicodeWidthStr;

/// Proposals that are seen at once.
const MAX_OFFERS: usize = 8;

/// Draws what is open.
pub fn draw(app: &App, pen: &mut Pen, area: Rect) {
    let Some(top) = app.overlays.last() else { return };
    let is_page = matches!(top.kind, Kind::Page { .. });
    let width = area.width.saturating_sub(8).min(if is_page { 120 } else { 96 });
    let wrapped = top.wrapped(width.saturating_sub(4) as usize);
    let rows = match &top.kind {
        Kind::List { .. } => top.found().len().max(1) + 2,
        Kind::Line { offers, error, .. } => 1 + offers.all.len().min(MAX_OFFERS) + usize::from(!error.is_empty()),
        Kind::Page { finds, .. } => wrapped.len().max(1) + if *finds { 2 } else { 0 },
    } as u16;
    let height = (rows + 3).min(area.height.saturating_sub(6)).max(4);
    let frame = Rect { x: (area.width - width) / 2, y: 3, width, height };
    let ground = pen.theme.ground();
    let bar = pen.style(Role::Bar);
    for y in frame.y..frame.bottom() {
        let blank = " ".repeat(frame.width as usize);
        pen.put(frame.x, y, frame.width, &blank, ground);
        pen.tint(frame.x, y, frame.width, if pen.theme.palette == crate::theme::Palette::None { ground } else { bar });
    }
    pen.hits.push((frame, Hit::Overlay));
    let hint = top.sorted.map_or(top.hint.to_string(), |s| format!("{}; {s}", top.hint));
    pen.title(Rect { height: 1, ..frame }, top.title, &hint, true);
    let line = pen.theme.glyph("─", "-").repeat(frame.width as usize);
    pen.say(frame.x, frame.bottom() - 1, frame.width, &line, Role::Line);
    let inner = Rect { x: frame.x + 2, y: frame.y + 1, width: frame.width - 4, height: frame.height - 2 };
    match &top.kind {
        Kind::List { at, .. } => {
            typed(pen, inner, top);
            let below = Rect { y: inner.y + 2, height: inner.height.saturating_sub(2), ..inner };
            let none = if top.typed.is_empty() { "there is none here" } else { "nothing of that name" };
            let hidden = list(pen, below, (&top.found(), none), *at);
            more_below(pen, frame, hidden);
        }
        Kind::Line { error, offers, .. } => {
            typed(pen, inner, top);
            pen.say(inner.x, inner.y + 1, inner.width, error, Role::Fault);
            let used = 1 + u16::from(!error.is_empty());
            let below = Rect { y: inner.y + used, height: inner.height.saturating_sub(used), ..inner };
            let hidden = propositions(pen, below, offers);
            more_below(pen, frame, hidden);
        }
        Kind::Page { from, finds, .. } => {
            let mut body = inner;
            if *finds {
                typed(pen, inner, top);
                body = Rect { y: inner.y + 2, height: inner.height.saturating_sub(2), ..inner };
            }
            if wrapped.is_empty() {
                pen.say(body.x, body.y, body.width, "nothing holds these letters", Role::Dim);
            }
            let from = (*from).min(wrapped.len().saturating_sub(body.height as usize));
            for (i, l) in wrapped.iter().skip(from).take(body.height as usize).enumerate() {
                let pieces: Vec<(&str, Role)> = l.iter().map(|(t, r)| (t.as_str(), *r)).collect();
                pen.run(body.x, body.y + i as u16, body.width, &pieces);
            }
            more_below(pen, frame, wrapped.len().saturating_sub(from + body.height as usize));
        }
    }
}

impl Overlay {
    /// The lines of a page that hold the typed letters, with the heads of their sections; a line that is too long goes on
    /// under its last piece.
    fn wrapped(&self, width: usize) -> Vec<Vec<(String, Role)>> {
        let Kind::Page { lines, .. } = &self.kind else { return vec![] };
        let letters = self.typed.trim().to_lowercase();
        let holds = |l: &[(String, Role)]| l.iter().any(|(t, _)| t.to_lowercase().contains(&letters));
        let mut out: Vec<Vec<(String, Role)>> = vec![];
        let mut head: Option<&Vec<(String, Role)>> = None;
        for l in lines {
            let is_head = matches!(l.as_slice(), [(_, Role::Strong)]);
            if is_head {
                head = Some(l);
            }
            if !letters.is_empty() {
                if is_head || l.is_empty() || !holds(l) {
                    continue;
                }
                if let Some(head) = head.take() {
                    out.push(head.clone());
                }
            }
            wrap(l, width, &mut out);
        }
        out
    }
}

/// What fits the word under way: name, one line about it, value.
/// Gives how many more there are.
fn propositions(pen: &mut Pen, area: Rect, offers: &Offers) -> usize {
    let height = (area.height as usize).min(MAX_OFFERS);
    let from = offers.at.unwrap_or(0).saturating_sub(height.saturating_sub(1));
    let names = offers.all.iter().map(|o| o.text.width()).max().unwrap_or(0).min(28) as u16;
    for (i, o) in offers.all.iter().enumerate().skip(from).take(height) {
        let y = area.y + (i - from) as u16;
        let here = offers.at == Some(i);
        if here {
            let style = pen.style(Role::Selected);
            pen.tint(area.x, y, area.width, style);
        }
        pen.hits.push((Rect { y, height: 1, ..area }, Hit::Entry(i)));
        let note = (pen.plain(&o.note).width() as u16).min(area.width / 2);
        pen.say(
            area.x + 2,
            y,
            area.width.saturating_sub(note + 4),
            &o.text,
            if here { Role::Strong } else { Role::Text },
        );
        let about = area.x + 4 + names.max(o.text.width() as u16);
        pen.say(about, y, area.right().saturating_sub(about + note + 2), &o.about, Role::Dim);
        pen.say_right(area.right(), y, note, &o.note, Role::Dim);
    }
    offers.all.len().saturating_sub(from + height)
}

fn typed(pen: &mut Pen, area: Rect, top: &Overlay) {
    let role = if top.proposed { Role::Dim } else { Role::Strong };
    let at = top.cursor.unwrap_or(usize::MAX);
    let byte = top.typed.char_indices().nth(at).map_or(top.typed.len(), |(i, _)| i);
    let (before, after) = top.typed.split_at(byte);
    // Of a line that is longer than the room the part round the cursor is seen.
    let room = area.width.saturating_sub(4) as usize;
    let skip = before.chars().count().saturating_sub(room);
    let before: String = before.chars().skip(skip).collect();
    let at = pen.run(area.x, area.y, area.width, &[("› ", Role::Key), (&before, role)]);
    let mark = if pen.theme.ascii && after.is_empty() { "_" } else { pen.theme.glyph("▏", "|") };
    pen.say(at, area.y, 1, mark, Role::Key);
    pen.say(at + 1, area.y, area.right().saturating_sub(at + 1), after, role);
}

/// Says in the lower border of a frame how many lines there are below what is shown.
fn more_below(pen: &mut Pen, frame: Rect, count: usize) {
    if count > 0 {
        pen.say_right(frame.right() - 2, frame.bottom() - 1, 20, &format!(" {count} more below "), Role::Dim);
    }
}

/// Draws as many entries as there is room for; gives how many are below them.
fn list(pen: &mut Pen, area: Rect, (found, none): (&[&Entry], &str), at: usize) -> usize {
    if found.is_empty() {
        pen.say(area.x, area.y, area.width, none, Role::Dim);
    }
    let height = area.height as usize;
    let from = at.saturating_sub(height.saturating_sub(1));
    for (i, e) in found.iter().skip(from).take(height).enumerate() {
        let y = area.y + i as u16;
        let here = from + i == at;
        if here {
            let style = pen.style(Role::Selected);
            pen.tint(area.x, y, area.width, style);
        }
        pen.hits.push((Rect { y, height: 1, ..area }, Hit::Entry(from + i)));
        // A long note leaves the name at least half of the row.
        let name = (pen.plain(&e.text).width() as u16).min(area.width / 2);
        let note = (pen.plain(&e.note).width() as u16).min(area.width.saturating_sub(name + 2));
        pen.say(area.x, y, area.width.saturating_sub(note + 2), &e.text, if here { Role::Strong } else { Role::Text });
        pen.say_right(area.right(), y, note, &e.note, Role::Dim);
    }
    found.len().saturating_sub(from + height)
}
