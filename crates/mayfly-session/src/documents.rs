//! The texts of a level with what was changed in them: one history of changes over all files and views, what lies on the
//! disk, and what was changed there by others.
//!
//! Not here: what a text means ([`mayfly_lang::analysis`]), what is written where (the binary), the lines of the journal
//! ([`crate::journal`]).
//!
//! Texts are plain strings: a key in one of 20,000 lines copies 0.6 MB, which is a twentieth of a millisecond, and whoever
//! reads a text wants it whole.
//!
//! Invariant: undoing all that was done gives the first texts byte for byte, also where files changed on the disk between
//! (held by property tests); a text that differs from the one on the disk is never replaced without being asked.

use crate::journal;
use mayfly_lang::analysis::LineIndex;
use mayfly_lang::edit::{Change, EditError};
use std::ops::Range;

/// One file's text.
#[derive(Clone, Debug)]
pub struct Document {
    /// As the level's sources name it.
    pub name: String,
    text: String,
    pub lines: LineIndex,
    /// What lies on the disk, as far as it is known.
    saved: Option<String>,
    /// The journal holds the text from which its changes go on.
    journalled: bool,
}

impl Document {
    fn new(name: &str, text: &str) -> Self {
        Self {
            name: name.into(),
            text: text.into(),
            lines: LineIndex::new(text),
            saved: Some(text.into()),
            journalled: false,
        }
    }

    pub fn text(&self) -> &str {
        &self.text
    }

    /// True where the text differs from the one on the disk.
    pub fn is_changed(&self) -> bool {
        // A file that is to be made, and in which nothing was written, is none.
        self.saved.as_deref().unwrap_or("") != self.text
    }

    /// What lies on the disk, as far as it is known.
    pub fn saved(&self) -> Option<&str> {
        self.saved.as_deref()
    }
}

/// What belongs together: a change of the same sort that follows is undone with the one before it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Group {
    /// Stands alone.
    Alone,
    /// Letters that are typed one after the other.
    Typed,
    /// Letters that are taken away one after the other.
    Erased,
    /// The same thing is moved or sized on and on.
    Moved,
}

/// Where a change happened: a file by its number, and the bytes that it wrote.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Place {
    pub file: usize,
    pub range: Range<usize>,
}

/// One entry of the history: the changes that take it back, in the order in which they were made.
#[derive(Clone, Debug)]
struct Entry {
    label: String,
    group: Group,
    steps: Vec<(usize, Change)>,
}

/// What is to be done with a text that was found on the disk.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum FromDisk {
    /// It is known already.
    Known,
    /// It was taken in.
    Taken,
    /// One's own changes stand against it: the person decides.
    Asks,
}

/// Entries of the history that are kept.
const MAX_ENTRIES: usize = 20_000;

/// All files of a level.
#[derive(Clone, Debug, Default)]
pub struct Documents {
    files: Vec<Document>,
    done: Vec<Entry>,
    undone: Vec<Entry>,
    version: u64,
    journal: String,
}

impl Documents {
    /// The texts of a level as they lie on the disk.
    pub fn new<'a>(files: impl IntoIterator<Item = (&'a str, &'a str)>) -> Self {
        Self { files: files.into_iter().map(|(n, t)| Document::new(n, t)).collect(), ..Self::default() }
    }

    pub fn files(&self) -> &[Document] {
        &self.files
    }

    /// A file by its number.
    pub fn file(&self, n: usize) -> Option<&Document> {
        self.files.get(n)
    }

    /// The number of a file by its name.
    pub fn number(&self, name: &str) -> Option<usize> {
        self.files.iter().position(|f| f.name == name)
    }

    /// Grows with every change of a text.
    pub fn version(&self) -> u64 {
        self.version
    }

    /// True where any text differs from the disk.
    pub fn is_changed(&self) -> bool {
        self.files.iter().any(Document::is_changed)
    }

    /// A file that is used now and was not known before.
    pub fn add(&mut self, name: &str, text: &str) {
        if self.number(name).is_none() {
            self.files.push(Document::new(name, text));
        }
    }

    /// Another name for a file: it was saved under that.
    pub fn rename(&mut self, n: usize, name: &str) {
        if let Some(f) = self.files.get_mut(n) {
            f.name = name.into();
        }
    }

    /// A text without a file on the disk: the first save makes one.
    pub fn is_nowhere(&mut self, n: usize) {
        if let Some(f) = self.files.get_mut(n) {
            f.saved = None;
        }
    }

    /// Makes changes of several files as one entry of the history. Gives where.
    ///
    /// # Errors
    /// A change that does not fit its text: nothing is changed then.
    pub fn change(
        &mut self,
        changes: &[(usize, Change)],
        label: &str,
        group: Group,
    ) -> Result<Option<Place>, EditError> {
        let mut made: Vec<(usize, String, Change)> = vec![];
        for (file, change) in changes.iter().filter(|(_, c)| !c.is_empty()) {
            let missing = || EditError::Missing { what: "file", name: file.to_string() };
            // Of two changes of one file the second is made in the text that the first left.
            let text = made.iter().rev().find(|(f, ..)| f == file).map(|(_, t, _)| t);
            let own = self.files.get(*file).map(|f| &f.text).ok_or_else(missing)?;
            let (text, back) = change.apply(text.unwrap_or(own))?;
            made.push((*file, text, back));
        }
        if made.is_empty() {
            return Ok(None);
        }
        self.undone.clear();
        let mut steps = vec![];
        for ((file, text, back), (_, change)) in made.into_iter().zip(changes.iter().filter(|(_, c)| !c.is_empty())) {
            self.put(file, text, change);
            steps.push((file, back));
        }
        let place = steps.last().map(|(f, back)| place_of(*f, back));
        match self.done.last_mut().filter(|e| group != Group::Alone && e.group == group && e.label == label) {
            Some(last) => last.steps.extend(steps),
            None => self.done.push(Entry { label: label.into(), group, steps }),
        }
        let extra = self.done.len().saturating_sub(MAX_ENTRIES);
        self.done.drain(..extra);
        Ok(place)
    }

    /// What follows is undone by itself, whatever came before.
    pub fn part(&mut self) {
        if let Some(last) = self.done.last_mut() {
            last.group = Group::Alone;
        }
    }

    fn put(&mut self, file: usize, text: String, change: &Change) {
        let f = &mut self.files[file];
        if !f.journalled {
            f.journalled = true;
            self.journal.push_str(&journal::base(&f.name, &f.text));
        }
        self.journal.push_str(&journal::edits(&f.name, change));
        f.lines = LineIndex::new(&text);
        f.text = text;
        self.version += 1;
    }

    /// What would be undone, and what done again.
    pub fn labels(&self) -> (Option<&str>, Option<&str>) {
        (self.done.last().map(|e| e.label.as_str()), self.undone.last().map(|e| e.label.as_str()))
    }

    /// Takes the last change back; what it was, and where.
    pub fn undo(&mut self) -> Option<(String, Place)> {
        let entry = self.done.pop()?;
        let (forth, place) = self.walk(&entry)?;
        let label = entry.label.clone();
        self.undone.push(forth);
        Some((label, place))
    }

    /// Makes what was undone last again.
    pub fn redo(&mut self) -> Option<(String, Place)> {
        let entry = self.undone.pop()?;
        let (mut back, place) = self.walk(&entry)?;
        let label = entry.label.clone();
        back.group = Group::Alone;
        self.done.push(back);
        Some((label, place))
    }

    /// Takes the steps of an entry back, the last one first; gives the entry that makes them again.
    fn walk(&mut self, entry: &Entry) -> Option<(Entry, Place)> {
        let (mut steps, mut place) = (vec![], None);
        for (file, change) in entry.steps.iter().rev() {
            let (text, forth) = change.apply(&self.files.get(*file)?.text).ok()?;
            self.put(*file, text, change);
            place = Some(place_of(*file, &forth));
            steps.push((*file, forth));
        }
        Some((Entry { label: entry.label.clone(), group: Group::Alone, steps }, place?))
    }

    /// The text of a file was written to the disk.
    pub fn was_saved(&mut self, n: usize, text: &str) {
        if let Some(f) = self.files.get_mut(n) {
            f.saved = Some(text.into());
        }
        self.part();
        if !self.is_changed() {
            self.files.iter_mut().for_each(|f| f.journalled = false);
            self.journal.clear();
        }
    }

    /// A text was found on the disk. One that stands against changes of one's own is not taken in.
    pub fn found_on_disk(&mut self, name: &str, text: &str) -> FromDisk {
        let Some(n) = self.number(name) else {
            self.add(name, text);
            return FromDisk::Taken;
        };
        let f = &mut self.files[n];
        if f.saved.as_deref() == Some(text) {
            return FromDisk::Known;
        }
        if f.text == text {
            f.saved = Some(text.into());
            return FromDisk::Known;
        }
        if f.is_changed() {
            return FromDisk::Asks;
        }
        self.take_in(n, text);
        FromDisk::Taken
    }

    /// Takes a text from the disk in place of a file's own: the changes of the history go on where they do not touch what
    /// differs, and end at the first that does.
    pub fn take_in(&mut self, n: usize, text: &str) {
        let Some(f) = self.files.get(n) else { return };
        let change = Change::between(&f.text, text);
        let Ok((new, _)) = change.apply(&f.text) else { return };
        for history in [&mut self.done, &mut self.undone] {
            let mut theirs = change.clone();
            let mut first = 0;
            'entries: for (i, e) in history.iter_mut().enumerate().rev() {
                for (_, step) in e.steps.iter_mut().rev().filter(|(f, _)| *f == n) {
                    match (step.over(&theirs), theirs.over(step)) {
                        (Some(moved), Some(on)) => (*step, theirs) = (moved, on),
                        _ => {
                            first = i + 1;
                            break 'entries;
                        }
                    }
                }
            }
            history.drain(..first);
        }
        self.put(n, new, &change);
        if let Some(f) = self.files.get_mut(n) {
            f.saved = Some(text.into());
        }
        self.part();
    }

    /// One's own text stands against the one on the disk: the next save writes over that.
    pub fn keep_own(&mut self, n: usize, on_disk: &str) {
        if let Some(f) = self.files.get_mut(n) {
            f.saved = Some(on_disk.into());
        }
    }

    /// Lines for the journal since it was last asked for.
    pub fn take_journal(&mut self) -> String {
        std::mem::take(&mut self.journal)
    }

    /// Lines of a file that are not on the disk as they are here, from 0.
    pub fn changed_lines(&self, n: usize) -> Vec<usize> {
        let Some(f) = self.files.get(n) else { return vec![] };
        let Some(saved) = &f.saved else { return (0..f.lines.lines()).collect() };
        let change = Change::between(&f.text, saved);
        let mut out = vec![];
        for e in change.edits() {
            let first = f.lines.line(e.range.start);
            let last = f.lines.line(e.range.end.saturating_sub(1).max(e.range.start));
            out.extend(first..=last);
        }
        out.dedup();
        out
    }
}

/// What a change takes back is where it was made.
fn place_of(file: usize, back: &Change) -> Place {
    let range = match (back.edits().first(), back.edits().last()) {
        (Some(a), Some(b)) => a.range.start..b.range.end,
        _ => 0..0,
    };
    Place { file, range }
}
