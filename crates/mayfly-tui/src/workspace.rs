//! The level's texts as they are edited: what is known of them, what is wrong with them, and when they are run again.
//!
//! Not here: the texts themselves and their history ([`mayfly_session::documents`]), the thread that reads them
//! ([`crate::reader`]), what the application does with them
//! ([`crate::editing`]), what is seen of them ([`crate::script`], [`crate::site`]).
//!
//! Invariant: a text with errors leaves the old run alone; what is marked in a text moves along with it until the text has
//! been read again; words and problems are always those of the text that is shown, or moved along from the last that was
//! read.

pub use crate::reader::Load;
use crate::reader::{Done, Known, Reader, Texts};
use mayfly_lang::analysis::Analysis;
use mayfly_lang::diagnostic::{Diagnostic, Severity};
use mayfly_lang::edit::facts::FileChange;
use mayfly_lang::edit::{Change, EditError};
use mayfly_lang::services::outline::Word;
use mayfly_session::documents::{Documents, Group, Place};
use std::ops::Range;
use std::sync::Arc;
use std::time::Instant;

/// Bytes that are read at once, beside no thread.
const AT_ONCE: usize = 60_000;

/// Something wrong in a text: the file's number, where, and the diagnostic.
#[derive(Clone, Debug)]
pub struct Problem {
    pub file: usize,
    pub range: Range<usize>,
    pub what: Diagnostic,
}

impl Problem {
    pub fn is_error(&self) -> bool {
        self.what.severity == Severity::Error
    }
}

/// The level's texts and what is known of them.
pub struct Workspace {
    pub docs: Documents,
    /// What was read last, and the version of the texts that it was read of.
    pub(crate) read: Option<(Arc<Analysis>, u64)>,
    /// By file: the sort of each word.
    pub words: Vec<Vec<(Range<usize>, Word)>>,
    pub problems: Vec<Problem>,
    pub(crate) reader: Option<Reader>,
    /// The version that is being read.
    pub(crate) sent: Option<u64>,
    /// The version of the texts of which all that is wrong is known.
    pub(crate) told: u64,
    /// When the texts were changed last, by hand.
    pub changed_at: Option<Instant>,
    /// The version of the texts with which the flight was flown, or which could not be.
    pub(crate) flown: u64,
    pub load: Load,
}

impl Workspace {
    pub fn new<'a>(files: impl IntoIterator<Item = (&'a str, &'a str)>) -> Self {
        Self {
            docs: Documents::new(files),
            read: None,
            words: vec![],
            problems: vec![],
            reader: None,
            sent: None,
            told: 0,
            changed_at: None,
            flown: 0,
            load: Arc::new(|_| Err(mayfly_lang::check::LoadError::Missing)),
        }
    }

    fn texts(&self) -> Texts {
        self.docs.files().iter().map(|f| (f.name.clone(), f.text().to_string())).collect()
    }

    /// What is known of the texts; where they were changed since, of what they were.
    pub fn known(&self) -> Option<&Arc<Analysis>> {
        self.read.as_ref().map(|(a, _)| a)
    }

    /// True where what is known is of the texts as they are.
    pub fn is_fresh(&self) -> bool {
        self.read.as_ref().is_some_and(|(_, v)| *v == self.docs.version())
    }

    /// True where all that is wrong with the texts as they are is told.
    pub fn is_told(&self) -> bool {
        self.told == self.docs.version() && self.read.is_some()
    }

    /// The number of a file of what is known among the texts.
    pub fn file_of(&self, a: &Analysis, file: u16) -> Option<usize> {
        a.files.get(file as usize).and_then(|f| self.docs.number(&f.name))
    }

    /// The other way round.
    pub fn file_in(&self, a: &Analysis, file: usize) -> Option<u16> {
        let name = &self.docs.file(file)?.name;
        a.files.iter().position(|f| f.name == *name).map(|i| i as u16)
    }

    /// Reads the texts as they are, where that was not done.
    pub fn analysis(&mut self) -> Arc<Analysis> {
        if let Some((a, _)) = self.read.as_ref().filter(|(_, v)| *v == self.docs.version()) {
            return a.clone();
        }
        let known = crate::reader::read(&self.texts(), &self.load, self.known());
        let a = known.analysis.clone();
        self.take(known, self.docs.version());
        a
    }

    /// What a change would make of the texts, without making it.
    pub fn tried(&mut self, changes: &[(usize, Change)]) -> Result<Known, EditError> {
        let before = self.analysis();
        let mut texts = self.texts();
        for (file, change) in changes {
            let text = &mut texts.get_mut(*file).ok_or(EditError::Missing { what: "file", name: file.to_string() })?.1;
            *text = change.apply(text)?.0;
        }
        Ok(crate::reader::read(&texts, &self.load, Some(&before)))
    }

    /// The first error that a text has and another had not, with what to do about it.
    pub fn new_error<'a>(before: &Analysis, after: &'a Analysis) -> Option<&'a Diagnostic> {
        /// Of which sort it is, and the words at its place.
        fn what<'a>(a: &'a Analysis, d: &Diagnostic) -> (&'static str, &'a str) {
            (d.code, a.text(d.span))
        }
        let mut errors = after.diagnostics().iter().filter(|d| d.severity == Severity::Error);
        let old = before.diagnostics().iter().filter(|d| d.severity == Severity::Error);
        let mut known: Vec<_> = old.map(|d| what(before, d)).collect();
        errors.find(|d| match known.iter().position(|k| *k == what(after, d)) {
            Some(i) => {
                known.swap_remove(i);
                false
            }
            None => true,
        })
    }

    /// Changes of what is known as changes of the texts.
    pub fn mapped(&self, a: &Analysis, changes: Vec<FileChange>) -> Vec<(usize, Change)> {
        changes.into_iter().filter_map(|(f, c)| Some((self.file_of(a, f)?, c))).collect()
    }

    /// Takes over what was read of a version of the texts.
    pub fn take(&mut self, known: Known, version: u64) {
        let Known { analysis: a, words } = known;
        for f in &a.files {
            self.docs.add(&f.name, &f.text);
        }
        if version == self.docs.version() {
            self.words = vec![vec![]; self.docs.files().len()];
            for (n, words) in words.into_iter().enumerate() {
                if let Some(file) = self.file_of(&a, n as u16) {
                    self.words[file] = words;
                }
            }
            self.problems = a
                .diagnostics()
                .iter()
                .filter_map(|d| {
                    let file = self.file_of(&a, d.span.file)?;
                    Some(Problem { file, range: d.span.range(), what: d.clone() })
                })
                .collect();
        }
        if version == self.docs.version() {
            self.told = version;
        }
        let old = self.read.replace((a, version));
        if let (Some((old, _)), Some(reader)) = (old, &self.reader) {
            reader.forget(old);
        }
    }

    /// What is marked in a text moves along with a change of it.
    fn move_along(&mut self, file: usize, change: &Change) {
        if let Some(all) = self.words.get_mut(file) {
            move_words(all, change);
        }
        let moved = |r: &Range<usize>| {
            let touched = change.edits().iter().any(|e| e.range.start < r.end && r.start < e.range.end);
            let last = r.end.saturating_sub(1).max(r.start);
            (!touched).then(|| change.moved(r.start)..change.moved(last) + (r.end - last))
        };
        self.problems.retain_mut(|p| {
            if p.file != file {
                return true;
            }
            let Some(r) = moved(&p.range) else { return false };
            p.range = r;
            true
        });
    }

    /// How many errors the texts have, as far as they were read.
    pub fn errors(&self) -> usize {
        self.problems.iter().filter(|p| p.is_error()).count()
    }

    /// A change of the texts that one made.
    pub fn change(
        &mut self,
        changes: &[(usize, Change)],
        label: &str,
        group: Group,
        now: Instant,
    ) -> Result<Option<Place>, EditError> {
        let place = self.docs.change(changes, label, group)?;
        for (file, change) in changes {
            self.move_along(*file, change);
        }
        self.changed_at = Some(now);
        Ok(place)
    }

    pub(crate) fn is_small(&self) -> bool {
        self.docs.files().iter().map(|f| f.text().len()).sum::<usize>() <= AT_ONCE
    }

    /// Goes on with reading; true where something new is known.
    pub fn go_on(&mut self) -> bool {
        let mut news = false;
        while let Some((version, done)) = self.reader.as_ref().and_then(Reader::done) {
            let is_now = version == self.docs.version();
            match done {
                Done::Wrong(all) if is_now => {
                    let place = |(name, d): (String, Diagnostic)| {
                        Some(Problem { file: self.docs.number(&name)?, range: d.span.range(), what: d })
                    };
                    self.problems = all.into_iter().filter_map(place).collect();
                    self.told = version;
                    news = true;
                }
                Done::Wrong(_) => {}
                Done::Known(known) => {
                    self.sent = None;
                    if is_now {
                        self.take(known, version);
                        news = true;
                    } else if let Some(reader) = &self.reader {
                        reader.forget(known.analysis);
                    }
                }
            }
        }
        if self.read.is_none() || self.is_fresh() || self.sent.is_some() {
            return news;
        }
        if self.is_small() {
            self.analysis();
            return true;
        }
        let version = self.docs.version();
        let texts = self.texts();
        let before = self.known().cloned();
        let reader = self.reader.get_or_insert_with(Reader::begin);
        if reader.send(version, texts, self.load.clone(), before) {
            self.sent = Some(version);
        } else {
            // There is no thread: it is read here.
            self.analysis();
            return true;
        }
        news
    }

    /// True while the texts are being read.
    pub fn is_reading(&self) -> bool {
        self.sent.is_some()
    }
}

/// The words of a text after a change of it: what stands behind it moves, what it touches is known no longer, and what is
/// written at the end of a word is part of it.
fn move_words(all: &mut Vec<(Range<usize>, Word)>, change: &Change) {
    // From the last edit to the first: what stands before an edit stays where it is.
    for e in change.edits().iter().rev() {
        let first = all.partition_point(|(r, _)| r.end < e.range.start);
        let mut behind = first + all[first..].partition_point(|(r, _)| r.start < e.range.end || r.end <= e.range.start);
        let shift = e.text.len() as isize - e.range.len() as isize;
        let grows = e.range.is_empty() && is_word(&e.text);
        let mut i = first;
        while i < behind {
            let (r, _) = &mut all[i];
            if r.end <= e.range.start {
                if grows && r.end == e.range.start {
                    r.end += e.text.len();
                }
                i += 1;
            } else if r.start >= e.range.end {
                break;
            } else if grows && r.start < e.range.start {
                // In the midst of a word.
                r.end += e.text.len();
                i += 1;
            } else {
                all.remove(i);
                behind -= 1;
            }
        }
        for (r, _) in &mut all[i..] {
            *r = (r.start as isize + shift) as usize..(r.end as isize + shift) as usize;
        }
    }
}

fn is_word(text: &str) -> bool {
    !text.is_empty() && text.chars().all(|c| c.is_alphanumeric() || c == '_')
}
