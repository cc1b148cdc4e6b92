//! The text on the screen: margin, words by their sort, what is selected and looked for, problems, values at a line's end.
//!
//! Invariant: a character stands in its column whatever stands beside it; drawing changes nothing.

use super::line::{column_of, pieces, trimmed};
use super::{commands, pane};
use crate::app::App;
use crate::app::Beside;
use crate::pen::Pen;
use crate::theme::Role;
use mayfly_lang::services::outline::Word;
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};
use std::ops::Range;
use unicode_width::UnicodeWidthStr;

/// Where the parts of the view lie.
pub struct Places {
    pub title: Rect,
    pub margin: Rect,
    pub text: Rect,
    pub pane: Rect,
}

/// Where they lie on a screen of that size: the pane beside the text, below it where that is narrow.
pub fn places(app: &App, area: Rect) -> Places {
    let body = Rect { y: 4, height: area.height.saturating_sub(5), ..area };
    let wide = body.width >= 100;
    let pane = if wide {
        let width = (body.width * 27 / 100).clamp(34, 60);
        Rect { x: body.right().saturating_sub(width), width, ..body }
    } else {
        let height = if body.height >= 16 { (body.height / 3).min(8) } else { 0 };
        Rect { y: body.bottom().saturating_sub(height), height, ..body }
    };
    let left = if wide {
        Rect { width: body.width.saturating_sub(pane.width + 1), ..body }
    } else {
        Rect { height: body.height.saturating_sub(pane.height), ..body }
    };
    let digits = app.script_lines().to_string().len().max(3) as u16;
    let counts = if left.width >= 90 { 9 } else { 5 };
    let margin = Rect { y: left.y + 1, height: left.height.saturating_sub(1), width: 3 + digits + counts, ..left };
    let text = Rect {
        x: margin.right() + 1,
        y: margin.y,
        width: left.width.saturating_sub(margin.width + 1),
        height: margin.height,
    };
    Places { title: Rect { height: 1, ..left }, margin, text, pane }
}

pub fn draw(app: &App, pen: &mut Pen, area: Rect) {
    let places = places(app, area);
    title(app, pen, places.title);
    if places.pane.height > 0 {
        if places.pane.x > 0 {
            pen.upright(places.pane.x - 1, places.pane.y + 1, places.pane.bottom());
            pen.say(places.pane.x - 1, places.pane.y, 1, "┬", Role::Line);
        }
        pane::draw(app, pen, places.pane);
    }
    let Some(doc) = app.work.docs.file(app.script.file) else { return };
    let found = commands::matches_near(app);
    for row in 0..places.text.height {
        let n = app.script.top + row as usize;
        if n >= doc.lines.lines() {
            break;
        }
        let range = doc.lines.range(n);
        let line = trimmed(&doc.text()[range.clone()]);
        let y = places.text.y + row;
        let beside = app.script.margins.lines.get(&n);
        margin(app, pen, Rect { y, height: 1, ..places.margin }, n, beside);
        let at = Rect { y, height: 1, ..places.text };
        let end = text(app, pen, at, line, range.start, &found);
        if let Some(b) = beside {
            values(pen, at, end, b);
        }
    }
    caret(app, pen, places.text);
}

fn title(app: &App, pen: &mut Pen, area: Rect) {
    let Some(doc) = app.work.docs.file(app.script.file) else { return };
    let name = doc.name.rsplit('/').next().unwrap_or(&doc.name);
    let line = doc.lines.line(app.script.caret.min(doc.text().len()));
    let (start, own) = app.script_line(line);
    let column = column_of(own, app.script.caret.saturating_sub(start)) + 1;
    let state = if app.script.typing { "typing" } else { "reading" };
    let edited = if doc.is_changed() { "  edited" } else { "" };
    let files = app.work.docs.files().len();
    let of = if files > 1 { format!("  1 of {files} files") } else { String::new() };
    let chosen = app.chosen().map_or(String::new(), |r| {
        let n = doc.text()[r].chars().count();
        format!("  {n} selected")
    });
    let facts = format!("{state}  line {} of {}, column {column}{chosen}{edited}{of}", line + 1, doc.lines.lines());
    pen.title(area, name, &facts, true);
}

/// Line number, marks and counts.
fn margin(app: &App, pen: &mut Pen, area: Rect, n: usize, beside: Option<&Beside>) {
    let here = n == app.line_of(app.script.caret);
    let changed = app.script.margins.changed.binary_search(&n).is_ok();
    if changed {
        pen.say(area.x, area.y, 1, pen.theme.glyph("▎", "+"), Role::Written);
    }
    let wrong = app.script.margins.wrong.get(&n).copied();
    let stop = beside.is_some_and(|b| b.stop);
    let (sign, role) = match () {
        () if wrong == Some(true) => (pen.theme.glyph("✗", "x"), Role::Fault),
        () if stop => (pen.theme.glyph("■", "#"), Role::Fired),
        () if wrong.is_some() => ("!", Role::Held),
        () => (" ", Role::Dim),
    };
    pen.say(area.x + 1, area.y, 1, sign, role);
    let digits = app.script_lines().to_string().len().max(3);
    let moment = beside.is_some_and(|b| b.here);
    let role = match (moment, here) {
        (true, _) => Role::Fired,
        (_, true) => Role::Text,
        _ => Role::Faint,
    };
    pen.say(area.x + 2, area.y, digits as u16, &format!("{:>digits$}", n + 1), role);
    let x = area.x + 2 + digits as u16 + 1;
    let room = area.right().saturating_sub(x);
    if let Some((fired, held)) = beside.and_then(|b| b.counts) {
        // The bar grows with the logarithm: once and a thousand times can both be seen.
        let bars = ["▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"];
        let share = ((fired + 1) as f64).ln() / ((app.script.margins.most + 1) as f64).ln().max(1e-9);
        let bar = if fired == 0 { " " } else { bars[((share * 7.0).round() as usize).min(7)] };
        let bar = if pen.theme.ascii { " " } else { bar };
        let fired_text = short(fired);
        let held_text = if room >= 9 && held > 0 {
            format!(" {}{}", pen.theme.glyph("◇", "-"), short(held))
        } else {
            String::new()
        };
        let fired_text = if fired > 0 || held_text.is_empty() { fired_text } else { String::new() };
        let pieces = [(bar, Role::Ember), (fired_text.as_str(), Role::Fired), (held_text.as_str(), Role::Held)];
        pen.run(x, area.y, room, &pieces);
    }
}

/// A number in four columns at most.
fn short(n: u64) -> String {
    match n {
        0..=9_999 => n.to_string(),
        10_000..=999_999 => format!("{}k", n / 1000),
        _ => format!("{}M", n / 1_000_000),
    }
}

fn role_of(word: Word) -> Role {
    match word {
        Word::Comment => Role::Faint,
        Word::Doc => Role::True,
        Word::Keyword => Role::Outside,
        Word::Declared(_) => Role::Strong,
        Word::Name(_) => Role::Text,
        Word::Unknown => Role::Held,
        Word::Number => Role::Written,
        Word::Text => Role::Quoted,
        Word::Sign => Role::Dim,
    }
}

/// One line; gives the column behind it.
fn text(app: &App, pen: &mut Pen, area: Rect, line: &str, start: usize, found: &[Range<usize>]) -> u16 {
    let left = app.script.left;
    let shown = pieces(line, left..left + area.width as usize);
    let words = app.work.words.get(app.script.file).map_or(&[][..], |w| w.as_slice());
    let first = words.partition_point(|(r, _)| r.end <= start);
    let own: Vec<&(Range<usize>, Word)> =
        words[first..].iter().take_while(|(r, _)| r.start < start + line.len()).collect();
    let chosen = app.chosen();
    let problems: Vec<&crate::workspace::Problem> = app
        .work
        .problems
        .iter()
        .filter(|p| p.file == app.script.file && p.range.start <= start + line.len() && p.range.end >= start)
        .collect();
    let mut x = area.x;
    let mut w = 0;
    for (at, column, text) in &shown {
        let byte = start + at;
        while own.get(w).is_some_and(|(r, _)| r.end <= byte) {
            w += 1;
        }
        let role = own.get(w).filter(|(r, _)| r.contains(&byte)).map_or(Role::Text, |(_, w)| role_of(*w));
        let mut style = pen.style(role);
        // A finding is about a whole declaration: it is marked where that begins, in one line.
        let wrong = problems.iter().find(|p| p.range.contains(&byte) || p.range.is_empty() && p.range.start == byte);
        if let Some(p) = wrong {
            style = style.add_modifier(Modifier::UNDERLINED);
            if p.is_error() {
                style = style.patch(pen.style(Role::Fault));
            }
        }
        if found.iter().any(|r| r.contains(&byte)) {
            style = style.patch(pen.style(Role::Found));
        }
        if chosen.as_ref().is_some_and(|c| c.contains(&byte)) {
            style = style.add_modifier(Modifier::REVERSED);
        }
        x = area.x + (column.saturating_sub(left)) as u16;
        let width = text.width() as u16;
        if *column < left {
            // The second half of a wide one that the edge cuts.
            x = area.x;
            continue;
        }
        if x + width > area.right() {
            break;
        }
        put(pen, x, area.y, text, style);
        x += width;
    }
    // A selected line's end is seen, an error past the last letter too.
    let end = start + line.len();
    if chosen.as_ref().is_some_and(|c| c.contains(&end)) && x < area.right() {
        pen.tint(x, area.y, 1, Style::new().add_modifier(Modifier::REVERSED));
    }
    if problems.iter().any(|p| p.is_error() && p.range.start == end) && x < area.right() {
        pen.say(x, area.y, 1, pen.theme.glyph("▁", "_"), Role::Fault);
    }
    if left > 0 && !line.is_empty() {
        pen.say(area.x.saturating_sub(1), area.y, 1, pen.theme.glyph("…", "~"), Role::Dim);
    }
    let whole = column_of(line, line.len());
    if whole > left + area.width as usize {
        pen.say(area.right() - 1, area.y, 1, pen.theme.glyph("…", "~"), Role::Dim);
        return area.right();
    }
    x
}

/// One character that was made safe already.
fn put(pen: &mut Pen, x: u16, y: u16, text: &str, style: Style) {
    if pen.theme.ascii && !text.is_ascii() {
        let plain = "?".repeat(text.width().max(1));
        pen.put(x, y, plain.len() as u16, &plain, style);
        return;
    }
    pen.buf.set_stringn(x, y, text, text.width().max(1), style);
}

/// What a line saw and wrote, behind it.
fn values(pen: &mut Pen, area: Rect, end: u16, b: &Beside) {
    let mut x = end.max(area.x) + 2;
    if let Some(mark) = b.mark {
        let sign = if pen.theme.ascii { mark.plain() } else { mark.sign() }.to_string();
        let role = match mark {
            mayfly_session::cascade::Mark::Fired | mayfly_session::cascade::Mark::GoesOn => Role::Fired,
            mayfly_session::cascade::Mark::Fault => Role::Fault,
            mayfly_session::cascade::Mark::Held => Role::Held,
            _ => Role::Dim,
        };
        if x + 1 < area.right() {
            x = pen.say(x, area.y, 2, &sign, role) + 1;
        }
    }
    for (text, role) in &b.values {
        if x + 3 >= area.right() {
            break;
        }
        x = pen.say(x, area.y, area.right() - x, text, *role) + 2;
    }
}

fn caret(app: &App, pen: &mut Pen, area: Rect) {
    let line = app.line_of(app.script.caret);
    let Some(row) = line.checked_sub(app.script.top).filter(|r| *r < area.height as usize) else { return };
    let (start, own) = app.script_line(line);
    let column = column_of(own, app.script.caret.saturating_sub(start));
    let Some(x) = column.checked_sub(app.script.left).map(|c| area.x + c as u16).filter(|x| *x < area.right()) else {
        return;
    };
    let y = area.y + row as u16;
    // While one types the caret is a full block, while one reads a line under the character.
    let style = if app.script.typing {
        pen.style(Role::Caret)
    } else {
        pen.style(Role::Key).add_modifier(Modifier::UNDERLINED)
    };
    pen.tint(x, y, 1, style);
    if !app.script.typing && pen.buf.cell((x, y)).is_some_and(|c| c.symbol() == " ") {
        pen.say(x, y, 1, pen.theme.glyph("▁", "_"), Role::Key);
    }
}
