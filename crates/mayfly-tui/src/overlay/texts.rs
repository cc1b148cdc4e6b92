//! What is asked about the texts: places to go to, another name, finding and replacing, edits that were left, a file that
//! another program changed, what is unsaved before one quits.
//!
//! Invariant: no text is given up without a choice that says so.

use crate::app::Ask;
use crate::app::Choice;
use crate::app::Entry;
use crate::app::Kind;
use crate::app::LineFor;
use crate::app::Overlay;
use crate::app::{App, Effect, Writing};
use mayfly_lang::edit::Change;
use mayfly_session::documents::Group;

/// Lines that differ and are shown at most.
const MAX_LINES: usize = 400;

fn entry(text: impl Into<String>, note: impl Into<String>, choice: Choice) -> Entry {
    Entry { text: text.into(), note: note.into(), choice }
}

/// The lines in which two texts differ, each under the word of its side.
fn differing(name: &str, left: (&str, &str), right: (&str, &str)) -> Vec<Entry> {
    let change = Change::between(left.1, right.1);
    let lines = mayfly_lang::analysis::LineIndex::new(left.1);
    let mut out = vec![];
    for e in change.edits() {
        let line = lines.line(e.range.start) + 1;
        // Where a piece of a line differs the whole line is shown.
        let first = lines.range(lines.line(e.range.start)).start;
        let last = lines.range(lines.line(e.range.end.max(e.range.start + 1) - 1)).end;
        let own = &left.1[e.range.start.min(first)..last.max(e.range.end)];
        let other = format!(
            "{}{}{}",
            &left.1[first.min(e.range.start)..e.range.start],
            e.text,
            &left.1[e.range.end..last.max(e.range.end)]
        );
        let shown = |side: &str, text: &str, out: &mut Vec<Entry>| {
            for (i, l) in text.lines().enumerate() {
                out.push(entry(format!("  {side:<8} {l}"), format!("{name} {}", line + i), Choice::None));
            }
        };
        shown(left.0, own, &mut out);
        shown(right.0, &other, &mut out);
        if out.len() > MAX_LINES {
            out.push(entry("  … and more lines", "", Choice::None));
            break;
        }
    }
    out
}

fn short(name: &str) -> &str {
    name.rsplit('/').next().unwrap_or(name)
}

impl Overlay {
    /// A list of places, or of what can be done with some.
    pub fn places(title: &'static str, entries: Vec<Entry>) -> Self {
        let hint = match title {
            "Rename" => "Enter changes all of them; arrows look through them",
            "Replace" => "Enter does it; Esc leaves the rest",
            _ => "Enter goes there",
        };
        Self::list(title, hint, entries)
    }

    /// A list of a few choices.
    pub fn choices(title: &'static str, all: impl IntoIterator<Item = (String, Choice)>) -> Self {
        Self::list(title, "letters find, Enter takes it", all.into_iter().map(|(t, c)| entry(t, "", c)).collect())
    }

    /// What the map asks for.
    pub fn ask_site(ask: &Ask, typed: String) -> Self {
        let (title, hint) = match ask {
            Ask::Fact(..) => ("Another value", "as it is written in the text; Tab takes a proposal"),
            Ask::NewZone(_) => ("The zone's name", "letters, digits and _; what it is for can be said in the list"),
            Ask::NewPath(_) => ("The path's name", "letters, digits and _"),
            Ask::NewArea => ("A further area", "its name, its width and its height: cellar 20 x 10"),
            Ask::NewTile => ("A tile sort", "its sign, its name, and what it does: 'g' glass solid opaque look \"▒\""),
            Ask::NewKind => ("A kind of actors", "its name; what it does is written in the text"),
            Ask::NewActor(_) => ("The actor's name", "letters, digits and _"),
            Ask::Copy(_) | Ask::CopyActor(_) => ("The copy's name", "letters, digits and _"),
            Ask::MapSize => ("The map's size", "40 x 20, or on which sides: left 2, top -1, right 4"),
        };
        Self::prompt(title, hint, typed, LineFor::Site)
    }

    fn prompt(title: &'static str, hint: &'static str, typed: String, what: LineFor) -> Self {
        Self { title, hint, typed, proposed: true, cursor: None, sorted: None, again: None, kind: Kind::line(what) }
    }

    pub fn find_text(app: &App) -> Self {
        let hint = "letters; a capital is told from a small one where there is any; Enter goes to the next";
        Self::prompt("Find in the text", hint, app.find_suggestion(), LineFor::FindText)
    }

    pub fn replace_text() -> Self {
        let hint = "what stands in place of what is looked for; nothing takes it away";
        Self::prompt("Replace by", hint, String::new(), LineFor::ReplaceText)
    }

    pub fn rename(old: String) -> Self {
        Self::prompt("Another name", "every place that names it is shown before it changes", old, LineFor::Rename)
    }

    pub fn save_as() -> Self {
        let hint = "a file of its own, in this folder; nothing that is there is written over";
        Self::prompt("Save the level as", hint, "my-level.may".into(), LineFor::SaveAs)
    }

    pub fn new_file() -> Self {
        let hint = "its path in the level's folder; the level says `use` of it";
        Self::prompt("A further file", hint, "part.may".into(), LineFor::NewFile)
    }

    pub fn new_level() -> Self {
        let hint = "the name of a level; its file comes into this folder";
        Self::prompt("A new level", hint, "new-level".into(), LineFor::NewLevel)
    }

    /// Asked before one quits with something unsaved.
    pub fn quit(app: &App) -> Self {
        let (text, flight) = (app.work.docs.is_changed(), app.has_unsaved());
        let what = match (text, flight) {
            (true, true) => "the text and the flight",
            (true, false) => "the text",
            _ => "the flight",
        };
        let note = if flight { "NAME.flight" } else { "" };
        let mut entries = vec![entry(format!("save {what}, then quit"), note, Choice::SaveAndQuit)];
        if text && flight {
            entries.push(entry("save the text alone, then quit", "", Choice::SaveTextAndQuit));
        }
        entries.push(entry("quit without saving it", "", Choice::Quit));
        entries.push(entry("stay", "Esc", Choice::None));
        let hint = match (text, flight) {
            (true, true) => "the text has edits, and the flight keys or pokes of yours, that are not saved",
            (true, false) => "the text has edits that are not saved",
            _ => "this flight has keys or pokes of yours that are not saved",
        };
        Self::list("Quit", hint, entries)
    }

    /// Asked at the start, where edits were left unsaved.
    pub fn left_edits(app: &App, left: &[(String, String)]) -> Self {
        let mut entries = vec![
            entry("take them up", "undo takes them back", Choice::TakeEdits),
            entry("put them away", "", Choice::ForgetEdits),
            entry("decide at the next start", "Esc", Choice::EditsLater),
        ];
        for (name, text) in left {
            let on_disk = app.work.docs.number(name).and_then(|n| app.work.docs.file(n)).map_or("", |f| f.text());
            entries.extend(differing(short(name), ("disk", on_disk), ("edited", text)));
        }
        Self::list("Edits were left", "they were not saved when the application ended; what they change:", entries)
    }

    /// Asked where a file was changed by another program and by oneself.
    fn from_disk(app: &App, name: &str, text: &str) -> Self {
        let file = app.work.docs.number(name).and_then(|n| app.work.docs.file(n));
        let (own, saved) = (file.map_or("", |f| f.text()), file.and_then(|f| f.saved()));
        let mut entries = vec![];
        if saved.is_some_and(|s| both(s, own, text).is_some()) {
            entries.push(entry("take in what they changed, and keep mine", "they touch nowhere", Choice::DiskBoth));
        }
        entries.extend([
            entry("keep mine", "the next save writes over the file", Choice::DiskKeep),
            entry("take the file", "undo brings mine back", Choice::DiskTake),
        ]);
        entries.extend(differing(short(name), ("mine", own), ("file", text)));
        Self::list("The file was changed by another", "and you have edits of your own; where the two differ:", entries)
    }
}

/// Both changes of one text, where they do not touch.
fn both(saved: &str, own: &str, theirs: &str) -> Option<Change> {
    Change::between(saved, theirs).over(&Change::between(saved, own))
}

impl App {
    /// Files that stand against edits of one's own: the person decides, one after the other.
    pub(crate) fn ask_about_disk(&mut self, files: Vec<(String, String)>) {
        for f in files {
            // Of one file the last text counts.
            self.disk.on_disk.retain(|(name, _)| *name != f.0);
            self.disk.on_disk.push(f);
        }
        self.overlays.retain(|o| !o.is_of_disk());
        self.ask_next_of_disk();
    }

    fn ask_next_of_disk(&mut self) {
        if let Some((name, text)) = self.disk.on_disk.first() {
            let overlay = Overlay::from_disk(self, name, text);
            self.overlays.push(overlay);
        }
    }

    /// What was decided about a file on the disk.
    pub(super) fn decide_disk(&mut self, choice: &Choice) {
        if self.disk.on_disk.is_empty() {
            return;
        }
        let (name, text) = self.disk.on_disk.remove(0);
        let Some(n) = self.work.docs.number(&name) else { return };
        let own = self.work.docs.file(n).map_or(String::new(), |f| f.text().to_string());
        let saved = self.work.docs.file(n).and_then(|f| f.saved().map(str::to_string)).unwrap_or_default();
        let change = match choice {
            Choice::DiskTake => Some(Change::between(&own, &text)),
            Choice::DiskBoth => both(&saved, &own, &text),
            _ => None,
        };
        if let Some(c) = change {
            if let Err(e) = self.change_texts(&[(n, c)], "taking in the file", Group::Alone) {
                self.say_error(e.to_string());
            }
            self.mend_caret();
        }
        self.work.docs.keep_own(n, &text);
        self.say(match choice {
            Choice::DiskTake => "the file was taken; undo brings yours back",
            Choice::DiskBoth => "what the file changed was taken in; yours stay unsaved",
            _ => "yours stay; the next save writes over the file",
        });
        self.ask_next_of_disk();
    }

    /// Edits that were left when the application ended.
    pub fn offer_edits(&mut self, left: Vec<(String, String)>) {
        let differs = |(name, text): &(String, String)| {
            let own = self.work.docs.number(name).and_then(|n| self.work.docs.file(n));
            own.is_none_or(|f| f.text() != text)
        };
        let left: Vec<(String, String)> = left.into_iter().filter(differs).collect();
        if left.is_empty() {
            self.disk.to_write.push((Writing::Journal, String::new()));
            return;
        }
        self.overlays.push(Overlay::left_edits(self, &left));
        self.disk.left_edits = left;
    }

    pub(super) fn decide_edits(&mut self, choice: &Choice) {
        let left = std::mem::take(&mut self.disk.left_edits);
        match choice {
            Choice::TakeEdits => {
                self.disk.to_write.push((Writing::Journal, String::new()));
                self.read_texts();
                let mut changes = vec![];
                for (name, text) in &left {
                    self.work.docs.add(name, "");
                    let Some(n) = self.work.docs.number(name) else { continue };
                    let own = self.work.docs.file(n).map_or("", |f| f.text());
                    changes.push((n, Change::between(own, text)));
                }
                match self.change_texts(&changes, "edits that were left", Group::Alone) {
                    Ok(_) => self.say("the edits are there again, not saved yet"),
                    Err(e) => self.say_error(e.to_string()),
                }
            }
            Choice::ForgetEdits => {
                self.disk.to_write.push((Writing::Journal, String::new()));
                self.say("the edits that were left are put away");
            }
            _ => self.disk.to_write.push((Writing::JournalAside, String::new())),
        }
    }

    /// What is unsaved is written, then one quits.
    pub(super) fn save_and_quit(&mut self, flight: bool) -> Effect {
        if flight && self.has_unsaved() {
            self.save_flight();
        }
        if !self.disk.has_file && self.work.docs.is_changed() {
            self.overlays.push(Overlay::save_as());
            return Effect::None;
        }
        self.save_texts();
        if flight { Effect::SaveAndQuit } else { Effect::SaveTextAndQuit }
    }
}
