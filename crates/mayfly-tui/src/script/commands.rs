//! What the commands of the text do: where a name is declared and used, another name, one layout, what is wrong and how it
//! is mended, finding and replacing.
//!
//! Invariant: whatever changes more than one place shows first what it would change, and is one entry of the history.

use super::line::word_round;
use crate::app::App;
use crate::app::Choice;
use crate::app::Entry;
use crate::app::Overlay;
use crate::app::Renaming;
use crate::refused::Refused;
use mayfly_lang::analysis::{Analysis, SymbolId};
use mayfly_lang::check::LoadError;
use mayfly_lang::edit::{Change, TextEdit};
use mayfly_lang::services::look::{self, Role};
use mayfly_lang::services::rename::rename;
use mayfly_session::documents::Group;
use std::sync::Arc;

/// Places that are listed at most.
const MAX_PLACES: usize = 1000;

impl App {
    /// A place of the texts as one entry of a list: its line, and where it stands.
    pub(crate) fn place_entry(&self, file: usize, at: usize, note: &str) -> Entry {
        let Some(f) = self.work.docs.file(file) else {
            return Entry { text: String::new(), note: note.into(), choice: Choice::None };
        };
        let line = f.lines.line(at.min(f.text().len()));
        let text = f.text()[f.lines.range(line)].trim().to_string();
        let name = f.name.rsplit('/').next().unwrap_or(&f.name);
        let several = self.work.docs.files().len() > 1;
        let place = if several { format!("{name} {}", line + 1) } else { format!("line {}", line + 1) };
        let note = if note.is_empty() { place } else { format!("{note}  {place}") };
        Entry { text, note, choice: Choice::Place(file, at) }
    }

    pub(crate) fn go_to_definition(&mut self) {
        let a = self.read_texts();
        let Some(file) = self.work.file_in(&a, self.script.file) else { return };
        match look::definition(&a, file, self.script.caret) {
            Some(span)
                if span.file == file
                    && span.start as usize <= self.script.caret
                    && self.script.caret <= span.end as usize =>
            {
                self.say("this is where it is declared");
            }
            Some(span) => self.show_span(span),
            None => self.say("no name that the level declares stands here"),
        }
    }

    /// Every place that names what is under the caret, or those alone that write, send or steer it.
    pub(crate) fn list_uses(&mut self, writers: bool) {
        let a = self.read_texts();
        let Some(file) = self.work.file_in(&a, self.script.file) else { return };
        let all = look::uses(&a, file, self.script.caret);
        let writes = |r: &Role| matches!(r, Role::Writes | Role::Sends | Role::Steers);
        let shown = all.iter().filter(|(_, r)| !writers || writes(r)).take(MAX_PLACES);
        let entries: Vec<Entry> = shown
            .filter_map(|(u, r)| {
                let file = self.work.file_of(&a, u.at.file)?;
                Some(self.place_entry(file, u.at.start as usize, role_word(*r)))
            })
            .collect();
        match (all.is_empty(), entries.is_empty()) {
            (true, _) => self.say("no name that the level declares stands here"),
            (_, true) => self.say("nothing writes, sends or steers it"),
            _ => self.overlays.push(Overlay::places(if writers { "Writers" } else { "Uses" }, entries)),
        }
    }

    /// What would be renamed: its present name.
    pub(crate) fn name_to_change(&mut self) -> Option<(SymbolId, String)> {
        let a = self.read_texts();
        let id = match self.view {
            crate::view::View::Script => {
                let file = self.work.file_in(&a, self.script.file)?;
                a.use_at(file, self.script.caret).map(|u| u.symbol).or_else(|| self.declaration_at_caret())?
            }
            _ => self.symbol_of_site()?,
        };
        Some((id, a.symbols.get(id).name.clone()))
    }

    /// Another name, shown first with all places that change.
    ///
    /// # Errors
    /// A name that cannot be one, or collides, in words.
    pub(crate) fn rename_to(&mut self, new: &str) -> Result<(), Refused> {
        let (id, old) = self.name_to_change().ok_or(Refused::NoName)?;
        let a = self.read_texts();
        let found = rename(&a, id, new)?;
        let changes = self.work.mapped(&a, found);
        let files = changes.len();
        let places: usize = changes.iter().map(|(_, c)| c.edits().len()).sum();
        let version = self.work.docs.version();
        let renaming = Renaming { old: old.clone(), new: new.into(), changes: changes.clone(), version };
        let of = if files > 1 { format!(" in {files} files") } else { String::new() };
        let s = if places == 1 { "" } else { "s" };
        let mut entries = vec![Entry {
            text: format!("rename `{old}` to `{new}`"),
            note: format!("{places} place{s}{of}"),
            choice: Choice::Rename(Box::new(renaming)),
        }];
        for (file, c) in &changes {
            let Some(f) = self.work.docs.file(*file) else { continue };
            let Ok((after, _)) = c.apply(f.text()) else { continue };
            let lines = mayfly_lang::analysis::LineIndex::new(&after);
            for e in c.edits().iter().take(MAX_PLACES) {
                let mut entry = self.place_entry(*file, e.range.start, "");
                let line = f.lines.line(e.range.start);
                entry.text = format!("  {}", after[lines.range(line)].trim());
                entries.push(entry);
            }
        }
        self.overlays.push(Overlay::places("Rename", entries));
        Ok(())
    }

    pub(crate) fn do_rename(&mut self, r: &Renaming) {
        if r.version != self.work.docs.version() {
            return self.say_error("the text changed since: rename again");
        }
        let stood = self.script.caret;
        let own = r.changes.iter().find(|(f, _)| *f == self.script.file).map(|(_, c)| c.moved(stood));
        match self.change_texts(&r.changes, &format!("renaming {} to {}", r.old, r.new), Group::Alone) {
            Ok(_) => {
                self.script.caret = own.unwrap_or(stood);
                self.mend_caret();
                self.say(format!("{} is {} now", r.old, r.new));
            }
            Err(e) => self.say_error(e.to_string()),
        }
    }

    /// One layout for the file that is shown.
    pub(crate) fn format_text(&mut self) {
        match mayfly_lang::format::format(self.script_text()) {
            Ok(change) if change.is_empty() => self.say("it is laid out so already"),
            Ok(change) => {
                let n = change.edits().len();
                let caret = change.moved(self.script.caret);
                match self.change_texts(&[(self.script.file, change)], "laying the text out", Group::Alone) {
                    Ok(_) => {
                        (self.script.caret, self.script.anchor) = (caret, None);
                        self.mend_caret();
                        self.reveal_caret();
                        self.say(format!("laid out: {n} place{} changed", if n == 1 { "" } else { "s" }));
                    }
                    Err(e) => self.say_error(e.to_string()),
                }
            }
            Err(_) => self.say_error("a text that cannot be read is not laid out: mend its errors first"),
        }
    }

    /// What is wrong at the caret's line, the nearest first.
    pub(crate) fn problem_here(&self) -> Option<&crate::workspace::Problem> {
        let line = self.line_of(self.script.caret);
        let own = self.work.problems.iter().filter(|p| p.file == self.script.file);
        let there = own.filter(|p| self.line_of(p.range.start.min(self.script_text().len())) == line);
        there.min_by_key(|p| (p.range.start.abs_diff(self.script.caret), !p.is_error()))
    }

    /// To the next thing that is wrong: errors first, where there are any.
    pub(crate) fn next_problem(&mut self) {
        self.read_texts();
        let any = self.work.errors() > 0;
        let mut all: Vec<(usize, usize)> =
            self.work.problems.iter().filter(|p| p.is_error() || !any).map(|p| (p.file, p.range.start)).collect();
        all.sort_unstable();
        all.dedup();
        let here = (self.script.file, self.script.caret);
        let Some(next) = all.iter().find(|p| **p > here).or(all.first()).copied() else {
            return self.say("nothing is wrong in these texts");
        };
        self.show_text(next.0, next.1);
        let said = self.problem_here().map(|p| format!("{}; {}", p.what.message, p.what.help));
        if let Some(said) = said {
            self.say(said);
        }
    }

    /// Carries out what mends the problem of the caret's line.
    pub(crate) fn take_fix(&mut self) {
        self.read_texts();
        let Some(p) = self.problem_here() else {
            return self.say("nothing is wrong in this line: F8 goes to the next place");
        };
        let Some(fix) = p.what.fix.clone() else {
            let help = p.what.help.clone();
            return self.say(format!("there is no fix at a key for this: {help}"));
        };
        let Some(a) = self.work.known().cloned() else { return };
        let mut by_file: Vec<(usize, Vec<TextEdit>)> = vec![];
        for (span, text) in &fix.edits {
            let Some(file) = self.work.file_of(&a, span.file) else { continue };
            let edit = TextEdit { range: span.range(), text: text.clone() };
            match by_file.iter_mut().find(|(f, _)| *f == file) {
                Some((_, all)) => all.push(edit),
                None => by_file.push((file, vec![edit])),
            }
        }
        let changes: Result<Vec<(usize, Change)>, _> =
            by_file.into_iter().map(|(f, edits)| Change::new(edits).map(|c| (f, c))).collect();
        let done = changes.and_then(|c| {
            let own = c.iter().find(|(f, _)| *f == self.script.file).map(|(_, c)| c.moved(self.script.caret));
            self.change_texts(&c, &format!("fix: {}", fix.label), Group::Alone).map(|_| own)
        });
        match done {
            Ok(own) => {
                self.script.caret = own.unwrap_or(self.script.caret);
                self.mend_caret();
                self.say(format!("done: {}", fix.label));
            }
            Err(e) => self.say_error(e.to_string()),
        }
    }

    /// What one looks for first: the selection in one line, else the word under the caret.
    pub(crate) fn find_suggestion(&self) -> String {
        let text = self.script_text();
        let range = self.chosen().unwrap_or_else(|| word_round(text, self.script.caret));
        let found = text[range].to_string();
        if found.contains('\n') || found.is_empty() { self.script.find.clone() } else { found }
    }

    /// To the next place that holds what is looked for, round through the file.
    pub(crate) fn next_match(&mut self, forward: bool) {
        let wanted = self.script.find.clone();
        if wanted.is_empty() {
            return self.say("nothing is looked for: Ctrl+F asks what");
        }
        let all = matches(self.script_text(), &wanted);
        let here = self.chosen().map_or(self.script.caret, |r| r.start);
        let next = if forward {
            all.iter().find(|r| r.start > here || r.start == here && self.chosen().is_none()).or(all.first())
        } else {
            all.iter().rev().find(|r| r.start < here).or(all.last())
        };
        let Some(next) = next.cloned() else {
            let elsewhere = self.matches_elsewhere(&wanted);
            return match elsewhere {
                Some((file, at)) => {
                    self.show_text(file, at);
                    self.select(at..at + wanted.len());
                    self.say(format!("`{wanted}` is found in another file"));
                }
                None => self.say(format!("`{wanted}` is not found")),
            };
        };
        let n = all.iter().position(|r| *r == next).unwrap_or(0) + 1;
        self.select(next);
        self.say(format!("{n} of {}", all.len()));
    }

    fn matches_elsewhere(&self, wanted: &str) -> Option<(usize, usize)> {
        let n = self.work.docs.files().len();
        (1..n).map(|i| (self.script.file + i) % n).find_map(|file| {
            let text = self.work.docs.file(file)?.text();
            matches(text, wanted).first().map(|r| (file, r.start))
        })
    }

    pub(crate) fn select(&mut self, range: std::ops::Range<usize>) {
        (self.script.anchor, self.script.caret) = (Some(range.start), range.end);
        self.mend_caret();
        self.reveal_caret();
    }

    /// What is to stand in place of what is looked for: asks how far.
    pub(crate) fn ask_replace(&mut self, by: &str) {
        let wanted = self.script.find.clone();
        let files = self.work.docs.files().iter();
        let counts: Vec<usize> = files.map(|f| matches(f.text(), &wanted).len()).collect();
        let own = counts.get(self.script.file).copied().unwrap_or(0);
        let all: usize = counts.iter().sum();
        if all == 0 {
            return self.say(format!("`{wanted}` is not found"));
        }
        let entry = |text: String, note: String, choice| Entry { text, note, choice };
        let mut entries = vec![
            entry(
                "this one, and on to the next".into(),
                format!("`{wanted}` becomes `{by}`"),
                Choice::ReplaceOne(by.into()),
            ),
            entry(format!("all in this file: {own}"), String::new(), Choice::ReplaceAll(by.into(), false)),
        ];
        if all > own {
            entries.push(entry(format!("all in all files: {all}"), String::new(), Choice::ReplaceAll(by.into(), true)));
        }
        self.overlays.push(Overlay::places("Replace", entries));
    }

    pub(crate) fn replace_one(&mut self, by: &str) {
        let wanted = self.script.find.clone();
        let here = self.chosen().filter(|r| self.script_text().get(r.clone()) == Some(&wanted));
        let next = || {
            let all = matches(self.script_text(), &wanted);
            all.iter().find(|r| r.start >= self.script.caret).or(all.first()).cloned()
        };
        let Some(range) = here.or_else(next) else { return self.say(format!("`{wanted}` is not found")) };
        let at = range.start + by.len();
        self.edit(vec![TextEdit { range, text: by.into() }], "replacing", Group::Alone);
        (self.script.caret, self.script.anchor) = (at, None);
        self.next_match(true);
        // The next one is asked about in the same way, until Esc.
        if !matches(self.script_text(), &wanted).is_empty() {
            self.ask_replace(by);
        }
    }

    pub(crate) fn replace_all(&mut self, by: &str, everywhere: bool) {
        let wanted = self.script.find.clone();
        let mut changes = vec![];
        for (n, f) in self.work.docs.files().iter().enumerate().filter(|(n, _)| everywhere || *n == self.script.file) {
            let edits = matches(f.text(), &wanted).into_iter().map(|range| TextEdit { range, text: by.into() });
            if let Ok(c) = Change::new(edits.collect())
                && !c.is_empty()
            {
                changes.push((n, c));
            }
        }
        let places: usize = changes.iter().map(|(_, c)| c.edits().len()).sum();
        let own = changes.iter().find(|(f, _)| *f == self.script.file).map(|(_, c)| c.moved(self.script.caret));
        match self.change_texts(&changes, &format!("replacing {wanted}"), Group::Alone) {
            Ok(_) => {
                (self.script.caret, self.script.anchor) = (own.unwrap_or(self.script.caret), None);
                self.mend_caret();
                self.say(format!("{places} place{} replaced", if places == 1 { "" } else { "s" }));
            }
            Err(e) => self.say_error(e.to_string()),
        }
    }

    /// The files of the level, each with how much in it is changed or wrong.
    pub(crate) fn list_files(&mut self) {
        self.read_texts();
        let entries = self.work.docs.files().iter().enumerate().map(|(n, f)| {
            let wrong = self.work.problems.iter().filter(|p| p.file == n && p.is_error()).count();
            let mut note = mayfly_base::number::counted(f.lines.lines(), "line");
            if f.is_changed() {
                note = format!("edited  {note}");
            }
            if wrong > 0 {
                note = format!("{wrong} error{}  {note}", if wrong == 1 { "" } else { "s" });
            }
            let caret = if n == self.script.file { self.script.caret } else { 0 };
            Entry { text: f.name.clone(), note, choice: Choice::Place(n, caret) }
        });
        let more = Entry { text: "a further file …".into(), note: String::new(), choice: Choice::NewFile };
        let entries = entries.chain([more]).collect();
        self.overlays.push(Overlay::places("Files", entries));
    }

    /// A further file of the level: it is used from now on, and written at the next save.
    ///
    /// # Errors
    /// A path that is none, leads out of the folder, or is taken.
    pub(crate) fn new_file(&mut self, typed: &str) -> Result<(), Refused> {
        let path = if typed.ends_with(".may") { typed.to_string() } else { format!("{typed}.may") };
        let bad = path.starts_with('/')
            || path.contains(['\\', '"', ':'])
            || path.split('/').any(|p| p.is_empty() || p.starts_with('.'));
        if bad {
            return Err(Refused::NoPath);
        }
        let a = self.read_texts();
        let main = self.work.docs.file(0).map_or(String::new(), |f| f.name.clone());
        let name = main.rsplit_once('/').map_or(path.clone(), |(folder, _)| format!("{folder}/{path}"));
        if self.work.docs.number(&name).is_some() {
            return Err(Refused::FileTaken(path));
        }
        // What is there and cannot be read is not begun: it would be written over.
        let found = match (self.work.load)(&path) {
            Ok(text) => Some(text),
            Err(LoadError::Missing | LoadError::NoFolder) => None,
            Err(why) => return Err(Refused::File(path, why)),
        };
        let (is_new, text) = (found.is_none(), found.unwrap_or_default());
        let (_, change) = mayfly_lang::edit::facts::add(&a, &format!("use \"{path}\""))?;
        self.work.docs.add(&name, &text);
        let Some(n) = self.work.docs.number(&name) else { return Ok(()) };
        if is_new {
            self.work.docs.is_nowhere(n);
        }
        let mut changes = vec![(0, change)];
        if is_new {
            let title = self.session.level.title.clone();
            let first = format!("// A part of {title}.{0}{0}", self.line_end());
            changes.push((n, Change::one(TextEdit::insert(0, first))));
        }
        self.change_texts(&changes, &format!("using {path}"), Group::Alone)?;
        self.read_texts();
        self.show_text(n, 0);
        self.say(if is_new { "a further file: the next save writes it" } else { "that file is used from now on" });
        Ok(())
    }

    /// What the file that is shown declares.
    pub(crate) fn list_outline(&mut self) {
        let a: Arc<Analysis> = self.read_texts();
        let Some(file) = self.work.file_in(&a, self.script.file) else { return };
        let entries = mayfly_lang::services::outline::outline(&a, file).into_iter().map(|(id, depth)| {
            let s = a.symbols.get(id);
            let mut e = self.place_entry(self.script.file, s.at.start as usize, s.kind.word());
            e.text = format!("{}{}", "  ".repeat(depth), s.name);
            e
        });
        let entries = entries.collect();
        self.overlays.push(Overlay::places("Outline", entries));
    }
}

fn role_word(r: Role) -> &'static str {
    match r {
        Role::Declares => "declares",
        Role::Reads => "reads",
        Role::Writes => "writes",
        Role::Sends => "sends",
        Role::Hears => "hears",
        Role::Steers => "steers",
    }
}

/// Where a text holds letters: small ones find large ones too.
pub(crate) fn matches(text: &str, wanted: &str) -> Vec<std::ops::Range<usize>> {
    if wanted.is_empty() {
        return vec![];
    }
    if wanted.chars().any(char::is_uppercase) || !wanted.is_ascii() {
        return text.match_indices(wanted).map(|(i, m)| i..i + m.len()).collect();
    }
    let lower = text.to_ascii_lowercase();
    lower.match_indices(wanted).map(|(i, m)| i..i + m.len()).collect()
}

/// What is looked for, where it stands in the lines that are shown.
pub(super) fn matches_near(app: &App) -> Vec<std::ops::Range<usize>> {
    let Some(doc) = app.work.docs.file(app.script.file).filter(|_| !app.script.find.is_empty()) else {
        return vec![];
    };
    let from = doc.lines.range(app.script.top).start;
    let to = doc.lines.range(app.script.top + app.text_rows()).start.max(from);
    let mut all = matches(&doc.text()[from..to], &app.script.find);
    all.iter_mut().for_each(|r| *r = r.start + from..r.end + from);
    all
}
