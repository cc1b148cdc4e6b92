//! Beside the text: while one reads, About: what the word under the caret is; while one types, Next: what can stand there.
//!
//! Invariant: neither ever takes a key that types; what Next proposes stands in no text until it is taken.

use crate::app::About;
use crate::app::App;
use crate::app::Narrow;
use crate::app::Next;
use crate::pen::{Hit, Pen};
use crate::theme::Role;
use crate::wrapping::{Pieces, wrap, wrapped};
use mayfly_lang::analysis::{Analysis, SymbolKind};
use mayfly_lang::services::complete::complete_text;
use mayfly_lang::services::look;
use mayfly_lang::services::words::{self, Place};
use mayfly_session::documents::Group;
use mayfly_session::things::Thing;
use ratatui::layout::Rect;
use std::sync::Arc;

/// Proposals that are kept.
const MAX: usize = 200;

/// What a line of About is about, in a column of its own.
fn label(text: &str, role: Role) -> (String, Role) {
    (format!("{text:<12}"), role)
}

impl App {
    /// Finds what the pane says, where the caret, the texts or the moment changed.
    pub(crate) fn refresh_pane(&mut self) {
        if self.script.typing {
            self.refresh_next();
        } else {
            self.refresh_about();
        }
    }

    fn refresh_next(&mut self) {
        let key = (self.work.docs.version(), self.script.file, self.script.caret);
        if self.script.next.of == Some(key) {
            return;
        }
        let Some(a) = self.work.known().cloned() else { return };
        let file = self.work.file_in(&a, self.script.file).unwrap_or(0);
        let (mut all, range) = complete_text(&a, file, self.script_text(), self.script.caret);
        let word = self.script_text()[range.clone()].to_string();
        // What stands there in full is no proposal any more.
        all.retain(|p| p.text != word || word.is_empty());
        all.truncate(MAX);
        self.script.next = Next { of: Some(key), all, range, at: 0 };
    }

    /// The next proposal, or the one before.
    pub(crate) fn choose_next(&mut self, forward: bool) {
        self.refresh_next();
        let n = &mut self.script.next;
        let last = n.all.len().saturating_sub(1);
        n.at = if forward { (n.at + 1).min(last) } else { n.at.saturating_sub(1) };
    }

    pub(crate) fn point_at_next(&mut self, i: usize) {
        self.script.next.at = i;
        self.take_next();
    }

    /// The chosen proposal takes the place of the word under way; false where a line is only to be indented.
    pub(crate) fn take_next(&mut self) -> bool {
        self.refresh_next();
        let (start, _) = self.script_line(self.line_of(self.script.caret));
        let before = &self.script_text()[start..self.script.caret];
        // At a line's beginning Tab indents, unless one has moved among the proposals.
        if before.trim().is_empty() && self.script.next.at == 0 || self.chosen().is_some() {
            return false;
        }
        let n = &self.script.next;
        let Some(p) = n.all.get(n.at) else { return false };
        let (range, text) = (n.range.clone(), p.text.clone());
        let at = range.start + text.len();
        self.work.docs.part();
        let edit = mayfly_lang::edit::TextEdit { range, text };
        self.edit(vec![edit], "taking a proposal", Group::Alone);
        self.script.caret = at;
        self.mend_caret();
        self.reveal_caret();
        true
    }

    fn refresh_about(&mut self) {
        let key = (self.work.docs.version(), self.script.file, self.script.caret, self.session.moment);
        if self.script.about.of == Some(key) {
            return;
        }
        let Some(a) = self.work.known().cloned() else { return };
        self.script.about = About { of: Some(key), ..About::default() };
        self.script.about.lines = self.about_caret(&a);
    }

    fn about_caret(&mut self, a: &Arc<Analysis>) -> Vec<Pieces> {
        let mut out: Vec<Pieces> = vec![];
        if let Some(p) = self.problem_here() {
            let (word, role) = if p.is_error() { ("error", Role::Fault) } else { ("finding", Role::Held) };
            out.push(vec![label(word, Role::Dim), (p.what.message.clone(), role)]);
            out.push(vec![label("do", Role::Dim), (p.what.help.clone(), Role::Text)]);
            if let Some(fix) = &p.what.fix {
                out.push(vec![label("F9", Role::Key), (fix.label.clone(), Role::Text)]);
            }
            out.push(vec![]);
        }
        let Some(file) = self.work.file_in(a, self.script.file) else { return out };
        let used = self.work.is_fresh().then(|| look::about(a, file, self.script.caret)).flatten();
        let id = used.as_ref().map(|u| u.symbol).or_else(|| self.declaration_at_caret());
        let Some(id) = id else {
            out.extend(self.about_word());
            return out;
        };
        let s = a.symbols.get(id);
        let of = s.of.map(|o| a.symbols.get(o)).filter(|o| o.kind == SymbolKind::Kind).map(|o| o.name.clone());
        let name = of.map_or(s.name.clone(), |of| format!("{of}.{}", s.name));
        let ty = used.as_ref().and_then(|u| u.ty.clone()).map_or(String::new(), |t| format!("  {t}"));
        out.push(vec![(name, Role::Strong), (format!("  {}{ty}", s.kind.word()), Role::Dim)]);
        if !s.doc.is_empty() {
            out.push(vec![(s.doc.clone(), Role::Text)]);
        }
        let at = self.work.file_of(a, s.at.file).and_then(|f| self.work.docs.file(f)).map(|f| {
            let name = f.name.rsplit('/').next().unwrap_or(&f.name).to_string();
            let line = f.lines.line((s.at.start as usize).min(f.text().len())) + 1;
            if self.work.docs.files().len() > 1 { format!("{name}, line {line}") } else { format!("line {line}") }
        });
        out.push(vec![label("declared", Role::Dim), (at.unwrap_or_default(), Role::Text)]);
        if let Some(u) = &used {
            let counts: Vec<String> = u.counts.iter().map(|(r, n)| format!("{} {n}", role(*r))).collect();
            out.push(vec![label("here", Role::Dim), (counts.join("  "), Role::Text)]);
        }
        // What it is at this moment.
        if let Some(thing) = self.thing_of(id) {
            out.push(vec![]);
            if let Thing::Rule(r) = thing {
                out.extend(self.about_rule(r));
            } else {
                let said = self.session.about(thing);
                out.extend(said.iter().map(|s| {
                    let role = match s.fact.good {
                        Some(true) => Role::True,
                        Some(false) => Role::Held,
                        None => Role::Text,
                    };
                    vec![label(s.label, Role::Dim), (s.fact.text.clone(), role)]
                }));
            }
            if let Thing::Machine(key) = thing {
                self.flight.machine = Some(key);
                self.script.about.machine = self.session.picture(key).map(|p| Narrow::new(&p));
            }
        }
        out
    }

    fn about_rule(&self, r: mayfly_base::RuleId) -> Vec<Pieces> {
        let s = &self.session;
        let counts = s.now.world.rules.get(r.index());
        let (fired, held, spent) = counts.map_or((0, 0, 0), |c| (c.fired, c.held, c.spent));
        let mut out =
            vec![vec![label("so far", Role::Dim), (format!("{fired} fired  {held} held  {spent} spent"), Role::Text)]];
        let last = mayfly_session::index::Index::last(s.index.fired.get(&r), s.moment.tick);
        if let Some(t) = last {
            out.push(vec![label("last", Role::Dim), (format!("fired at tick {t}"), Role::Text)]);
        }
        for rung in s.now.cascade.rungs().filter(|x| x.rule == r) {
            let said = if rung.note.is_empty() { rung.mark.word().to_string() } else { rung.note.clone() };
            let role = if rung.mark == mayfly_session::cascade::Mark::Fired { Role::Fired } else { Role::Held };
            out.push(vec![label("here", Role::Dim), (format!("{} {said}", rung.mark.sign()), role)]);
        }
        out.push(vec![label("y", Role::Key), ("why, or why not, in the flight".into(), Role::Dim)]);
        out
    }

    /// A word of the language under the caret.
    fn about_word(&self) -> Vec<Pieces> {
        let text = self.script_text();
        let word = &text[super::line::word_round(text, self.script.caret)];
        let places = [
            Place::Level,
            Place::Kind,
            Place::Rule,
            Place::Event,
            Place::Verb,
            Place::Action,
            Place::Value,
            Place::Test,
            Place::Machine,
            Place::State,
            Place::Type,
        ];
        let mut seen: Vec<&str> = vec![];
        let mut out = vec![];
        for w in places.into_iter().flat_map(words::at).filter(|w| !word.is_empty() && w.word == word) {
            if seen.contains(&w.about) {
                continue;
            }
            seen.push(w.about);
            out.push(vec![(w.word.to_string(), Role::Strong), ("  a word of the language".into(), Role::Dim)]);
            out.push(vec![(w.about.to_string(), Role::Text)]);
            out.extend(w.example.lines().map(|l| vec![(format!("  {l}"), Role::Dim)]));
            out.push(vec![]);
        }
        out
    }
}

fn role(r: look::Role) -> &'static str {
    use look::Role as R;
    match r {
        R::Declares => "declared",
        R::Reads => "read",
        R::Writes => "written",
        R::Sends => "sent",
        R::Hears => "heard",
        R::Steers => "steered",
    }
}

pub fn draw(app: &App, pen: &mut Pen, area: Rect) {
    if area.width < 12 || area.height < 2 {
        return;
    }
    let inner = Rect { x: area.x + 1, y: area.y + 1, width: area.width.saturating_sub(2), height: area.height - 1 };
    if app.script.typing {
        pen.title(area, "Next", "Tab takes it", false);
        return draw_next(app, pen, inner);
    }
    let mut rows = vec![];
    app.script.about.lines.iter().for_each(|l| wrap(l, inner.width as usize, &mut rows));
    // A machine is drawn under what is said of it.
    if let Some(m) = &app.script.about.machine {
        let above = rows.len() as u16 + 1;
        let below = Rect { y: inner.y + above, height: inner.height.saturating_sub(above), ..inner };
        let said = m.draw(pen, below);
        if !said.is_empty() {
            rows.push(vec![]);
            rows.extend(said);
        }
    }
    if rows.is_empty() {
        let hint = "Arrows move through the text; on a name, what it is stands here. Enter types, Esc reads again.";
        rows.extend(wrapped(hint, inner.width as usize).into_iter().map(|l| vec![(l, Role::Dim)]));
    }
    let height = inner.height as usize;
    let left_out = rows.len().saturating_sub(height);
    pen.title(area, "About", if left_out > 0 { "i looks into it" } else { "" }, false);
    pen.more_below(inner, left_out);
    for (i, l) in rows.iter().take(height).enumerate() {
        let pieces: Vec<(&str, Role)> = l.iter().map(|(t, r)| (t.as_str(), *r)).collect();
        pen.run(inner.x, inner.y + i as u16, inner.width, &pieces);
    }
}

fn draw_next(app: &App, pen: &mut Pen, area: Rect) {
    let n = &app.script.next;
    if n.all.is_empty() {
        pen.say(area.x, area.y, area.width, "a new name, a number or a text", Role::Dim);
        return;
    }
    let chosen = n.at.min(n.all.len() - 1);
    // The chosen one is told whole; of the others as many as there is room for.
    let mut about = vec![];
    let p = &n.all[chosen];
    about.extend(wrapped(&p.about, area.width as usize).into_iter().map(|l| (l, Role::Text)));
    about.extend(p.example.lines().take(6).map(|l| (format!("  {l}"), Role::Dim)));
    let about_rows = (about.len() + 1).min(area.height as usize / 2);
    let height = (area.height as usize).saturating_sub(about_rows).max(1);
    let from = chosen.saturating_sub(height.saturating_sub(1));
    for (i, p) in n.all.iter().enumerate().skip(from).take(height) {
        let y = area.y + (i - from) as u16;
        let here = i == chosen;
        if here {
            let style = pen.style(Role::Selected);
            pen.tint(area.x, y, area.width, style);
        }
        pen.hits.push((Rect { y, height: 1, ..area }, Hit::Next(i)));
        let sort = p.kind.map_or("", SymbolKind::word);
        let sign = if here { pen.theme.glyph("▸ ", "> ") } else { "  " };
        let role = if here { Role::Strong } else { Role::Text };
        let at = pen.run(area.x, y, area.width, &[(sign, Role::Key), (&p.text, role)]);
        if p.kind.is_some() {
            pen.say_right(area.right(), y, area.right().saturating_sub(at + 1), sort, Role::Dim);
        } else {
            let room = area.right().saturating_sub(at + 2);
            pen.say(at + 2, y, room, &p.about, Role::Faint);
        }
    }
    let y = area.y + (n.all.len() - from).min(height) as u16 + 1;
    for (i, (l, role)) in about.iter().enumerate() {
        let y = y + i as u16;
        if y < area.bottom() {
            pen.say(area.x, y, area.width, l, *role);
        }
    }
    pen.more_below(area, n.all.len().saturating_sub(from + height));
}
