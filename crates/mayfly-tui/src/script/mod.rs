//! The text of the level: the caret, what is chosen, going about in it.
//!
//! Typing is in [`typing`], what the commands do in [`commands`], what is seen in [`draw`], [`margin`] and [`pane`].
//!
//! Invariant: the caret stands between two characters of its file, whatever became of the text; while one reads, letters are
//! commands, while one types they are text.

mod commands;
mod draw;
pub mod line;
mod margin;
mod pane;
mod typing;

pub use draw::draw;

use crate::app::App;
use crate::refused::Refused;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use line::{beside, byte_at, column_of, trimmed, word_beside};
use mayfly_base::Span;
use mayfly_lang::analysis::{SymbolId, SymbolKind};
use mayfly_session::documents::Place;
use ratatui::layout::Rect;
use std::ops::Range;

/// Jumps that are remembered.
const MAX_BACK: usize = 200;
/// Lines above and below the caret that are seen, where there are any.
const AROUND: usize = 3;

impl App {
    /// The text of the file that is shown.
    pub fn script_text(&self) -> &str {
        self.work.docs.file(self.script.file).map_or("", |f| f.text())
    }

    /// A line of the file that is shown, without its end, and its first byte.
    pub(crate) fn script_line(&self, n: usize) -> (usize, &str) {
        let Some(f) = self.work.docs.file(self.script.file) else { return (0, "") };
        let range = f.lines.range(n);
        (range.start, trimmed(&f.text()[range]))
    }

    /// The line of a byte, from 0.
    pub(crate) fn line_of(&self, at: usize) -> usize {
        self.work.docs.file(self.script.file).map_or(0, |f| f.lines.line(at))
    }

    pub(crate) fn script_lines(&self) -> usize {
        self.work.docs.file(self.script.file).map_or(1, |f| f.lines.lines())
    }

    /// The bytes that are selected.
    pub fn chosen(&self) -> Option<Range<usize>> {
        let a = self.script.anchor?;
        let range = a.min(self.script.caret)..a.max(self.script.caret);
        (!range.is_empty()).then_some(range)
    }

    /// The caret stands on a character of its text, also after the text changed.
    pub(crate) fn mend_caret(&mut self) {
        if self.work.docs.file(self.script.file).is_none() {
            (self.script.file, self.script.caret, self.script.anchor) = (0, 0, None);
        }
        let text = self.script_text();
        let floor = |mut at: usize| {
            at = at.min(text.len());
            while !text.is_char_boundary(at) {
                at -= 1;
            }
            // Between the two signs of a line's end nobody stands.
            if text[..at].ends_with('\r') && text[at..].starts_with('\n') { at - 1 } else { at }
        };
        let (caret, anchor) = (floor(self.script.caret), self.script.anchor.map(floor));
        (self.script.caret, self.script.anchor) = (caret, anchor);
    }

    /// Shows a place of the texts, in the view of the text.
    pub fn show_text(&mut self, file: usize, at: usize) {
        let here = (self.script.file, self.script.caret);
        if here != (file, at) && self.script.back.last() != Some(&here) {
            self.script.back.push(here);
            let extra = self.script.back.len().saturating_sub(MAX_BACK);
            self.script.back.drain(..extra);
        }
        (self.script.file, self.script.caret, self.script.anchor, self.script.goal) = (file, at, None, None);
        self.mend_caret();
        let line = self.line_of(self.script.caret);
        // A place that one jumped to stands in the upper third.
        let height = self.text_rows();
        let seen = self.script.top..self.script.top + height;
        if !seen.contains(&line) || line + AROUND > seen.end {
            self.script.top = line.saturating_sub(height / 3);
        }
        self.reveal_caret();
    }

    /// As [`App::show_text`], of a place of what is known.
    pub(crate) fn show_span(&mut self, span: Span) {
        let file = self.work.known().and_then(|a| self.work.file_of(a, span.file));
        if let Some(file) = file {
            self.show_text(file, span.start as usize);
        }
    }

    /// Back to where one stood in the texts before the last jump; false where there was none.
    pub(crate) fn text_back(&mut self) -> bool {
        let Some((file, at)) = self.script.back.pop() else { return false };
        let kept = std::mem::take(&mut self.script.back);
        self.show_text(file, at);
        self.script.back = kept;
        true
    }

    pub(crate) fn can_go_back_in_text(&self) -> bool {
        !self.script.back.is_empty()
    }

    /// After a change of the texts: the caret stands where it happened.
    pub(crate) fn stand_at(&mut self, place: &Place) {
        (self.script.file, self.script.caret, self.script.anchor) = (place.file, place.range.end, None);
        self.script.goal = None;
        self.mend_caret();
        self.reveal_caret();
    }

    /// Rows of text that the view has.
    pub(crate) fn text_rows(&self) -> usize {
        let area = Rect { x: 0, y: 0, width: self.size.0, height: self.size.1 };
        (draw::places(self, area).text.height as usize).max(1)
    }

    /// The furthest that the text is scrolled: no room stays empty while lines above are out of sight.
    fn last_top(&self) -> usize {
        (self.script_lines() + AROUND).saturating_sub(self.text_rows())
    }

    fn text_columns(&self) -> usize {
        let area = Rect { x: 0, y: 0, width: self.size.0, height: self.size.1 };
        (draw::places(self, area).text.width as usize).max(8)
    }

    /// The view goes along with the caret.
    pub(crate) fn reveal_caret(&mut self) {
        let (height, width) = (self.text_rows(), self.text_columns());
        let line = self.line_of(self.script.caret);
        let around = AROUND.min(height.saturating_sub(1) / 2);
        if line < self.script.top + around {
            self.script.top = line.saturating_sub(around);
        } else if line + around >= self.script.top + height {
            self.script.top = line + around + 1 - height;
        }
        self.script.top = self.script.top.min(self.last_top());
        let (start, text) = self.script_line(line);
        let column = column_of(text, self.script.caret - start);
        if column < self.script.left {
            self.script.left = column.saturating_sub(width / 4);
        } else if column + 1 >= self.script.left + width {
            self.script.left = column + 1 + width / 4 - width;
        }
        if column < width.saturating_sub(1) {
            self.script.left = 0;
        }
    }

    /// A key that moves the caret, with Shift over what it passes; false where it is none.
    pub(crate) fn move_caret(&mut self, key: &KeyEvent) -> bool {
        let control = key.modifiers.contains(KeyModifiers::CONTROL);
        let shift = key.modifiers.contains(KeyModifiers::SHIFT);
        if key.modifiers.contains(KeyModifiers::ALT) {
            return false;
        }
        let at = self.script.caret;
        let text = self.script_text();
        let line = self.line_of(at);
        let (start, own) = self.script_line(line);
        let column = column_of(own, at - start);
        let page = self.text_rows().saturating_sub(2).max(1) as i64;
        let (to, keeps) = match key.code {
            // Without Shift one leaves a selection at its end.
            KeyCode::Left if !shift && !control && self.chosen().is_some() => {
                (self.chosen().map_or(at, |r| r.start), false)
            }
            KeyCode::Right if !shift && !control && self.chosen().is_some() => {
                (self.chosen().map_or(at, |r| r.end), false)
            }
            KeyCode::Left | KeyCode::Right if control => (word_beside(text, at, key.code == KeyCode::Right), false),
            KeyCode::Left | KeyCode::Right => (beside(text, at, key.code == KeyCode::Right), false),
            KeyCode::Up | KeyCode::Down if control => {
                let top = self.script.top as i64 + if key.code == KeyCode::Up { -1 } else { 1 };
                self.script.top = top.clamp(0, self.last_top() as i64) as usize;
                return true;
            }
            KeyCode::Up => (self.lines_away(-1), true),
            KeyCode::Down => (self.lines_away(1), true),
            KeyCode::PageUp => (self.lines_away(-page), true),
            KeyCode::PageDown => (self.lines_away(page), true),
            KeyCode::Home if control => (0, false),
            KeyCode::End if control => (text.len(), false),
            KeyCode::Home => {
                // To the line's first letter, and from there to its first column.
                let first = start + own.len() - own.trim_start().len();
                (if at == first { start } else { first }, false)
            }
            KeyCode::End => (start + own.len(), false),
            _ => return false,
        };
        if shift {
            self.script.anchor = self.script.anchor.or(Some(at));
        } else {
            self.script.anchor = None;
        }
        if keeps {
            self.script.goal = self.script.goal.or(Some(column));
        } else {
            self.script.goal = None;
        }
        self.script.caret = to;
        self.work.docs.part();
        self.reveal_caret();
        true
    }

    /// The place so many lines above or below the caret, in the column that one keeps to.
    fn lines_away(&self, by: i64) -> usize {
        let line = self.line_of(self.script.caret);
        let (start, own) = self.script_line(line);
        let goal = self.script.goal.unwrap_or_else(|| column_of(own, self.script.caret - start));
        let last = self.script_lines() as i64 - 1;
        let to = (line as i64 + by).clamp(0, last);
        if to == line as i64 {
            return if by < 0 { start } else { start + own.len() };
        }
        let (start, own) = self.script_line(to as usize);
        start + byte_at(own, goal)
    }

    /// The place of the text under a place of the screen.
    pub(crate) fn text_at(&self, column: u16, row: u16) -> Option<usize> {
        let area = Rect { x: 0, y: 0, width: self.size.0, height: self.size.1 };
        let places = draw::places(self, area);
        let t = places.text;
        let inside = row >= t.y && row < t.bottom() && column >= places.margin.x && column < t.right();
        if !inside {
            return None;
        }
        let line = (self.script.top + (row - t.y) as usize).min(self.script_lines().saturating_sub(1));
        let (start, own) = self.script_line(line);
        Some(start + byte_at(own, self.script.left + column.saturating_sub(t.x) as usize))
    }

    /// A click or a drag in the text.
    pub(crate) fn point_at_text(&mut self, at: usize, drags: bool) {
        if drags {
            self.script.anchor = self.script.anchor.or(Some(self.script.caret));
        } else {
            self.script.anchor = None;
        }
        self.script.caret = at;
        self.script.goal = None;
        self.mend_caret();
        self.work.docs.part();
        self.reveal_caret();
    }

    /// The wheel.
    pub(crate) fn scroll_text(&mut self, by: i64) {
        self.script.top = (self.script.top as i64 + by).clamp(0, self.last_top() as i64) as usize;
    }

    /// Esc: one reads again, then nothing is selected, then nothing is looked for.
    pub(crate) fn leave_typing(&mut self) {
        self.work.docs.part();
        if self.script.typing {
            self.script.typing = false;
        } else if self.script.anchor.take().is_none() {
            self.script.find.clear();
        }
    }

    /// The caret stands at a line, counted from 1.
    ///
    /// # Errors
    /// A line that the file does not have.
    pub(crate) fn show_line(&mut self, n: usize) -> Result<(), Refused> {
        let all = self.script_lines();
        if n == 0 || n > all {
            return Err(Refused::NoLine(all));
        }
        let (start, _) = self.script_line(n - 1);
        self.show_text(self.script.file, start);
        Ok(())
    }

    /// The moment moved: the line at which it stands is seen.
    pub(crate) fn follow_in_text(&mut self) {
        let s = &self.session;
        let rung = s.rung_here().and_then(|n| s.now.cascade.rung(n));
        let span = rung.and_then(|r| s.level.rules.get(r.rule.index())).map(|r| r.span);
        let name = span.and_then(|x| s.sources.get(x.file as usize)).map(|x| x.name.clone());
        if let Some(file) = name.and_then(|n| self.work.docs.number(&n))
            && file != self.script.file
        {
            (self.script.file, self.script.caret, self.script.anchor) = (file, 0, None);
        }
        self.refresh_margins();
        let here = self.script.margins.lines.iter().find(|(_, b)| b.here).map(|(l, _)| *l);
        if let Some(line) = here {
            let height = self.text_rows();
            if line < self.script.top || line + AROUND >= self.script.top + height {
                self.script.top = line.saturating_sub(height / 3).min(self.last_top());
            }
        }
    }

    /// The name under the caret, else the declaration round it.
    pub(crate) fn symbol_at_caret(&self) -> Option<SymbolId> {
        let a = self.work.known()?;
        let file = self.work.file_in(a, self.script.file)?;
        let at = self.script.caret;
        let listed = |k: SymbolKind| !matches!(k, SymbolKind::Local | SymbolKind::Column | SymbolKind::EnumValue);
        let used = a.use_at(file, at).map(|u| u.symbol).filter(|id| listed(a.symbols.get(*id).kind));
        used.or_else(|| self.declaration_at_caret())
    }

    /// The smallest declaration round the caret.
    pub(crate) fn declaration_at_caret(&self) -> Option<SymbolId> {
        let a = self.work.known()?;
        let file = self.work.file_in(a, self.script.file)?;
        let at = self.script.caret as u32;
        let round = |s: &mayfly_lang::analysis::Symbol| {
            s.whole.file == file && s.whole.start <= at && at <= s.whole.end && s.kind != SymbolKind::Local
        };
        let found = a.symbols.iter().filter(|(_, s)| round(s));
        found.min_by_key(|(_, s)| s.whole.end - s.whole.start).map(|(id, _)| id)
    }
}
