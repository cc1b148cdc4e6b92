//! Typing: letters, line ends, pairs, indentation, what is cut and pasted.
//!
//! Invariant: each key is one change of the text, undone in groups of what was typed in one go; a line's end is written as
//! the file has its line ends.

use super::line::{beside, word_beside};
use crate::app::{App, Writing};
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use mayfly_lang::edit::{Change, TextEdit};
use mayfly_lang::lexer;
use mayfly_lang::services::outline::Word;
use mayfly_lang::syntax::Kind;
use mayfly_session::documents::Group;
use std::ops::Range;

/// Spaces of one step of indentation.
const STEP: &str = "  ";
/// Letters that are opened and closed.
const PAIRS: [(char, char); 4] = [('(', ')'), ('[', ']'), ('{', '}'), ('"', '"')];

impl App {
    /// A key while one types; false where it types nothing.
    pub(crate) fn type_key(&mut self, key: &KeyEvent) -> bool {
        let control = key.modifiers.contains(KeyModifiers::CONTROL);
        let alt = key.modifiers.contains(KeyModifiers::ALT);
        match key.code {
            KeyCode::Char(c) if !control && !alt => self.type_char(c),
            KeyCode::Char(c @ ('n' | 'p')) if control => self.choose_next(c == 'n'),
            KeyCode::Enter if !alt => self.break_line(),
            KeyCode::Tab => {
                if !self.take_next() {
                    self.indent(true);
                }
            }
            KeyCode::BackTab => self.indent(false),
            KeyCode::Backspace => self.erase(false, control || alt),
            KeyCode::Delete => self.erase(true, control),
            _ => return false,
        }
        true
    }

    /// Replaces a stretch of the text and puts the caret behind what was written, so many bytes before its end.
    fn write(&mut self, range: Range<usize>, text: &str, back: usize, group: Group) {
        let label = match group {
            Group::Typed => "typing",
            Group::Erased => "taking letters away",
            _ => "an edit of the text",
        };
        let end = range.start + text.len() - back;
        self.edit(vec![TextEdit { range, text: text.into() }], label, group);
        self.script.caret = end;
        self.script.anchor = None;
        self.mend_caret();
        self.reveal_caret();
    }

    /// Changes of the file that is shown; the caret moves along.
    pub(crate) fn edit(&mut self, edits: Vec<TextEdit>, label: &str, group: Group) {
        let change = match Change::new(edits) {
            Ok(c) => c,
            Err(e) => return self.say_error(e.to_string()),
        };
        let (caret, anchor) = (change.moved(self.script.caret), self.script.anchor.map(|a| change.moved(a)));
        match self.change_texts(&[(self.script.file, change)], label, group) {
            Ok(_) => {
                (self.script.caret, self.script.anchor, self.script.goal) = (caret, anchor, None);
                self.mend_caret();
            }
            Err(e) => self.say_error(e.to_string()),
        }
    }

    /// True in a comment, in a text and in a map: there letters are no code.
    fn is_in_words(&self) -> bool {
        let at = self.script.caret;
        let (start, _) = self.script_line(self.line_of(at));
        // Whoever types fast is ahead of what was read: the line itself tells most of it.
        let before = &self.script_text()[start..at];
        let last = lexer::lex(before).pop().filter(|t| t.kind != Kind::NEWLINE && t.kind != Kind::SPACE);
        let on_line = last.is_some_and(|t| match t.kind {
            Kind::COMMENT | Kind::DOC => true,
            Kind::TEXT | Kind::CHAR | Kind::RAW_TEXT => !lexer::is_closed(t.kind, &before[t.start..t.end]),
            _ => false,
        });
        // A map is longer than a line.
        let words = self.work.words.get(self.script.file).map_or(&[][..], |w| w.as_slice());
        let round = words.partition_point(|(r, _)| r.end <= at);
        let in_map = words.get(round).is_some_and(|(r, w)| *w == Word::Text && r.start < start && at < r.end);
        on_line || in_map
    }

    fn type_char(&mut self, c: char) {
        let at = self.script.caret;
        let text = self.script_text();
        let (before, after) = (text[..at].chars().next_back(), text[at..].chars().next());
        if let Some(chosen) = self.chosen() {
            // A bracket goes round what is selected.
            if let Some((open, close)) = PAIRS.iter().find(|(o, _)| *o == c) {
                let inside = text[chosen.clone()].to_string();
                return self.write(chosen, &format!("{open}{inside}{close}"), 0, Group::Alone);
            }
            return self.write(chosen, &c.to_string(), 0, Group::Typed);
        }
        let words = self.is_in_words();
        // The closing one that was written already is passed over.
        if after == Some(c) && PAIRS.iter().any(|(_, close)| *close == c) && (!words || c == '"') {
            let opened = match c {
                '"' => before != Some('\\'),
                _ => true,
            };
            if opened {
                self.script.caret = at + c.len_utf8();
                return;
            }
        }
        if matches!(c, ')' | ']' | '}') && !words && self.closes_already(c) {
            return;
        }
        let text = self.script_text();
        if c == '}' && !words {
            let line = self.line_of(at);
            let (start, own) = self.script_line(line);
            let blank = &text[start..at];
            if !blank.is_empty() && blank.trim().is_empty() && own.trim().is_empty() {
                let less = blank.len().min(STEP.len());
                return self.write(at - less..at, "}", 0, Group::Typed);
            }
        }
        let ends = after.is_none_or(|a| a.is_whitespace() || ")]},;".contains(a));
        let pair = PAIRS.iter().find(|(open, _)| *open == c).filter(|_| ends && !words);
        match pair {
            Some(('"', _)) if before.is_some_and(|b| b.is_alphanumeric() || b == '"') => {
                self.write(at..at, "\"", 0, Group::Typed);
            }
            Some((open, close)) => self.write(at..at, &format!("{open}{close}"), close.len_utf8(), Group::Typed),
            None => self.write(at..at, &c.to_string(), 0, Group::Typed),
        }
    }

    /// A bracket that one opened has its other one already, a line or more below: who closes it goes there, and the blank
    /// line between goes. False where one is missing.
    fn closes_already(&mut self, c: char) -> bool {
        let (at, text) = (self.script.caret, self.script_text());
        let (start, _) = self.script_line(self.line_of(at));
        let behind = &text[at..];
        let blank = behind.len() - behind.trim_start().len();
        let closes = behind[blank..].starts_with(c);
        // On a line of brackets one goes on from bracket to bracket.
        let before = text[start..at].trim();
        let only_brackets = before.chars().all(|b| matches!(b, ')' | ']' | '}'));
        if !closes || !only_brackets || !behind[..blank].contains('\n') {
            return false;
        }
        let open = PAIRS.iter().find(|(_, close)| *close == c).map_or(' ', |(open, _)| *open);
        let count = |wanted: char| {
            let tokens = lexer::lex(text);
            tokens.iter().filter(|t| text[t.start..t.end].chars().eq([wanted])).count()
        };
        if count(open) != count(c) {
            return false;
        }
        // Up to the end of the last line that holds something, and from there to the bracket.
        let from = if before.is_empty() { text[..start].trim_end().len() } else { at };
        let to = at + blank;
        let line = text[..to].rfind('\n').map_or(to, |i| i + 1);
        let gap = format!("{}{}", self.line_end(), &text[line..to]);
        self.write(from..to, &gap, 0, Group::Typed);
        self.script.caret += c.len_utf8();
        self.mend_caret();
        true
    }

    /// The end of a line as the file has it.
    pub(crate) fn line_end(&self) -> &'static str {
        if self.script_text().contains("\r\n") { "\r\n" } else { "\n" }
    }

    fn break_line(&mut self) {
        let range = self.chosen().unwrap_or(self.script.caret..self.script.caret);
        let text = self.script_text();
        let (start, own) = self.script_line(self.line_of(range.start));
        let indent: String = own.chars().take_while(|c| matches!(c, ' ' | '\t')).collect();
        let indent = indent[..indent.len().min(range.start - start)].to_string();
        let end = self.line_end();
        let before = text[start..range.start].trim_end();
        let opens = before.ends_with(['{', '(', '[']) && !self.is_in_words();
        let closes = opens && text[range.end..].trim_start_matches(' ').starts_with(['}', ')', ']']);
        // Spaces that are left at a line's end are taken along.
        let from = start + before.len().max(indent.len().min(range.start - start));
        let from = if before.is_empty() { range.start } else { from.min(range.start) };
        let to = if closes {
            range.end + text[range.end..].len() - text[range.end..].trim_start_matches(' ').len()
        } else {
            range.end
        };
        let inner = if opens { format!("{end}{indent}{STEP}") } else { format!("{end}{indent}") };
        let tail = if closes { format!("{end}{indent}") } else { String::new() };
        self.write(from..to, &format!("{inner}{tail}"), tail.len(), Group::Typed);
        self.work.docs.part();
    }

    fn erase(&mut self, forward: bool, word: bool) {
        if let Some(range) = self.chosen() {
            return self.write(range, "", 0, Group::Alone);
        }
        let (at, text) = (self.script.caret, self.script_text());
        let to = if word { word_beside(text, at, forward) } else { beside(text, at, forward) };
        let mut range = at.min(to)..at.max(to);
        if range.is_empty() {
            return;
        }
        // An empty pair goes as one.
        let inside = (text[..at].chars().next_back(), text[at..].chars().next());
        if !forward && !word && PAIRS.iter().any(|(o, c)| inside == (Some(*o), Some(*c))) && !self.is_in_words() {
            range.end += 1;
        }
        // In the indentation a step of it.
        let (start, _) = self.script_line(self.line_of(at));
        let blank = &text[start..at];
        if !forward && !word && blank.len() >= STEP.len() && blank.bytes().all(|b| b == b' ') {
            range.start = at - ((blank.len() - 1) % STEP.len() + 1);
        }
        self.write(range, "", 0, Group::Erased);
    }

    /// The lines that are selected, or that of the caret.
    pub(crate) fn chosen_lines(&self) -> Range<usize> {
        let range = self.chosen().unwrap_or(self.script.caret..self.script.caret);
        let first = self.line_of(range.start);
        let mut last = self.line_of(range.end);
        // A selection that ends where a line begins does not hold that line.
        if last > first && self.script_line(last).0 == range.end {
            last -= 1;
        }
        first..last + 1
    }

    /// Moves lines in or out by a step; without a selection, the caret to the next step.
    pub(crate) fn indent(&mut self, more: bool) {
        if more && self.chosen().is_none() {
            let at = self.script.caret;
            let (start, own) = self.script_line(self.line_of(at));
            let column = super::line::column_of(own, at - start);
            let wanted = STEP.len() - column % STEP.len();
            return self.write(at..at, &" ".repeat(wanted), 0, Group::Typed);
        }
        let mut edits = vec![];
        for n in self.chosen_lines() {
            let (start, own) = self.script_line(n);
            if more && !own.is_empty() {
                edits.push(TextEdit::insert(start, STEP));
            } else if !more {
                let blank = own.bytes().take(STEP.len()).take_while(|b| *b == b' ').count();
                let blank = if own.starts_with('\t') { 1 } else { blank };
                edits.push(TextEdit::delete(start..start + blank));
            }
        }
        self.edit(edits, if more { "indenting" } else { "outdenting" }, Group::Alone);
    }

    /// Writes `//` before the lines, or takes it away where all have it.
    pub(crate) fn comment(&mut self) {
        let lines: Vec<(usize, String)> = self
            .chosen_lines()
            .map(|n| {
                let (start, own) = self.script_line(n);
                (start, own.to_string())
            })
            .filter(|(_, own)| !own.trim().is_empty())
            .collect();
        let all = lines.iter().all(|(_, own)| own.trim_start().starts_with("//"));
        let depth = |own: &str| own.len() - own.trim_start().len();
        let shallow = lines.iter().map(|(_, own)| depth(own)).min().unwrap_or(0);
        let edit = |(start, own): &(usize, String)| {
            if all {
                let at = start + depth(own);
                let more = usize::from(own.trim_start()[2..].starts_with(' '));
                TextEdit::delete(at..at + 2 + more)
            } else {
                TextEdit::insert(start + shallow, "// ")
            }
        };
        let edits = lines.iter().map(edit).collect();
        self.edit(edits, if all { "taking a comment away" } else { "making a comment" }, Group::Alone);
    }

    /// Moves the lines one up or down, past their neighbour.
    pub(crate) fn move_lines(&mut self, down: bool) {
        let lines = self.chosen_lines();
        let Some(f) = self.work.docs.file(self.script.file) else { return };
        let other = if down { lines.end } else { lines.start.wrapping_sub(1) };
        if other >= f.lines.lines() {
            return self.say(if down { "this is the last line" } else { "this is the first line" });
        }
        let (text, end) = (f.text(), self.line_end());
        let own = f.lines.range(lines.start).start..f.lines.range(lines.end - 1).end;
        let beside = f.lines.range(other);
        let (own_text, beside_text) = (text[own.clone()].to_string(), text[beside.clone()].to_string());
        let (upper, lower) = if down { (own_text, beside_text) } else { (beside_text, own_text) };
        // The last line of a text may have no end: it gets one, and the one before it loses it.
        let (first, second) = match lower.ends_with('\n') {
            true => (lower, upper),
            false => (format!("{lower}{end}"), upper.trim_end_matches(['\r', '\n']).to_string()),
        };
        if second.is_empty() && down {
            return self.say("this is the last line");
        }
        let range = own.start.min(beside.start)..own.end.max(beside.end);
        let shift = if down { first.len() as isize } else { -(beside.len() as isize) };
        let (caret, anchor) = (self.script.caret, self.script.anchor);
        let label = "moving lines";
        self.edit(vec![TextEdit { range, text: format!("{first}{second}") }], label, Group::Alone);
        let moved = |at: usize| (at as isize + shift).max(0) as usize;
        (self.script.caret, self.script.anchor) = (moved(caret), anchor.map(moved));
        self.mend_caret();
        self.reveal_caret();
    }

    /// Takes the selection, or the whole line, to the clipboard; with `cut` out of the text.
    pub(crate) fn copy_text(&mut self, cut: bool) {
        let range = self.chosen().unwrap_or_else(|| {
            let lines = self.chosen_lines();
            let f = self.work.docs.file(self.script.file);
            f.map_or(0..0, |f| f.lines.range(lines.start).start..f.lines.range(lines.end - 1).end)
        });
        let text = self.script_text()[range.clone()].to_string();
        if text.is_empty() {
            return self.say("there is nothing here to take along");
        }
        self.disk.to_write.push((Writing::Clipboard, text.clone()));
        self.script.clip = text;
        if cut {
            self.write(range, "", 0, Group::Alone);
        }
    }

    pub(crate) fn paste_clip(&mut self) {
        if self.script.clip.is_empty() {
            return self.say("nothing was cut or copied yet");
        }
        let text = self.script.clip.clone();
        self.paste_text(&text);
    }

    /// Writes a text at the caret, in place of what is selected, with the file's own line ends.
    pub(crate) fn paste_text(&mut self, text: &str) {
        let end = self.line_end();
        let plain = text.replace("\r\n", "\n").replace('\r', "\n");
        let plain = if end == "\n" { plain } else { plain.replace('\n', end) };
        let range = self.chosen().unwrap_or(self.script.caret..self.script.caret);
        self.write(range, &plain, 0, Group::Alone);
        self.work.docs.part();
    }

    pub(crate) fn choose_all(&mut self) {
        let len = self.script_text().len();
        (self.script.anchor, self.script.caret) = (Some(0), len);
        self.reveal_caret();
    }
}
