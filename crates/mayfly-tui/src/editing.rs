//! What the application does with its texts: reads them, flies them again, saves them, begins new ones.
//!
//! Not here: what is known of the texts ([`crate::workspace`]), typing ([`crate::script`]), laying ([`crate::site`]).
//!
//! Invariant: a text with errors leaves the old run alone; a text is flown again only when it stood for a while.

use crate::app::{App, Writing};
use crate::refused::Refused;
use mayfly_lang::analysis::Analysis;
use mayfly_lang::check::Checked;
use mayfly_lang::edit::{Change, EditError};
use mayfly_session::documents::{FromDisk, Group, Place};
use mayfly_session::reload::Reloaded;
use std::sync::Arc;
use std::time::{Duration, Instant};

/// A text that stands for so long without errors is run again.
pub const STANDS: Duration = Duration::from_millis(300);

impl App {
    /// Before a frame of a view that shows the texts: what it shows beside them is up to date.
    pub(crate) fn read_before_drawing(&mut self) {
        if self.work.known().is_none() {
            self.work.analysis();
        }
        if self.view == crate::view::View::Site {
            return self.prepare_site();
        }
        self.mend_caret();
        self.refresh_margins();
        self.refresh_pane();
    }

    /// A level was opened that has errors: its text is shown at the first of them.
    pub fn open_broken(&mut self) {
        self.work.analysis();
        self.work.flown = self.work.docs.version();
        self.view = crate::view::View::Script;
        let first = self.work.problems.iter().find(|p| p.is_error()).map(|p| (p.file, p.range.start));
        if let Some((file, at)) = first {
            self.show_text(file, at);
        }
        let n = self.work.errors();
        self.say(format!("{n} error{}: F8 goes on to the next, F9 takes a fix", if n == 1 { "" } else { "s" }));
    }

    /// What is known of the texts as they are; the session asks the same.
    pub fn read_texts(&mut self) -> Arc<Analysis> {
        self.work.analysis()
    }

    /// Makes a change of the texts. The flight is run again a little later.
    ///
    /// # Errors
    /// A change that does not fit its text.
    pub fn change_texts(
        &mut self,
        changes: &[(usize, Change)],
        label: &str,
        group: Group,
    ) -> Result<Option<Place>, EditError> {
        let place = self.work.change(changes, label, group, Instant::now())?;
        self.mend_caret();
        Ok(place)
    }

    /// Once a frame: goes on with reading, and runs a text again that stands without errors; true where anything changed.
    pub fn go_on_with_texts(&mut self, now: Instant) -> bool {
        let journal = self.work.docs.take_journal();
        if !journal.is_empty() {
            self.disk.to_write.push((Writing::Journal, journal));
        }
        let news = self.work.go_on();
        let stands = self.work.changed_at.is_none_or(|t| now.saturating_duration_since(t) >= STANDS);
        let version = self.work.docs.version();
        if stands && self.work.is_fresh() && self.work.flown != version {
            self.fly_texts();
            return true;
        }
        news
    }

    /// The texts as they are, at once: for whoever waits for nothing.
    pub fn settle_texts(&mut self) {
        self.work.analysis();
        if self.work.flown != self.work.docs.version() {
            self.fly_texts();
        }
        while self.rerun.refly.is_some() {
            self.fly_again(self.patience.within(Duration::from_millis(100)));
        }
    }

    /// Whoever leaves the text wants it run as it stands: it is, where it has no errors.
    pub(crate) fn fly_texts_now(&mut self) {
        if self.work.known().is_some() && self.work.flown != self.work.docs.version() {
            self.fly_texts();
        }
    }

    /// True where the texts are to be looked at again soon.
    pub fn texts_wait(&self) -> bool {
        self.work.is_reading() || self.work.flown != self.work.docs.version()
    }

    fn fly_texts(&mut self) {
        let a = self.work.analysis();
        self.work.flown = self.work.docs.version();
        self.fly_checked(a.checked.clone(), false);
    }

    /// A new text from the disk: what it says is taken into the texts, where nothing stands against it, and flown.
    pub fn take_text(&mut self, checked: Checked) {
        self.disk.lost = None;
        let mut asks = vec![];
        let mut taken = false;
        for s in &checked.sources {
            match self.work.docs.found_on_disk(&s.name, &s.text) {
                FromDisk::Known => {}
                FromDisk::Taken => taken = true,
                FromDisk::Asks => asks.push((s.name.clone(), s.text.clone())),
            }
        }
        self.mend_caret();
        if !asks.is_empty() {
            self.ask_about_disk(asks);
        }
        let own = |name: &str| self.work.docs.number(name).and_then(|n| self.work.docs.file(n)).map(|f| f.text());
        let same = checked.sources.iter().all(|s| own(&s.name) == Some(&s.text));
        if same {
            self.work.flown = self.work.docs.version();
            self.work.changed_at = None;
            self.fly_checked(checked, true);
            if self.work.known().is_some() {
                self.work.go_on();
            }
        } else if taken {
            self.work.changed_at = None;
        }
    }

    /// Flies a text that was read. `from_disk`: somebody else wrote it, so what came of it is said.
    pub(crate) fn fly_checked(&mut self, checked: Checked, from_disk: bool) {
        self.rerun.says_rerun = from_disk;
        match self.session.reload(checked) {
            Reloaded::Same => {
                self.rerun.refly = None;
                self.renew_lists();
            }
            Reloaded::Begun(refly) => {
                // What was running goes on with the new text, where it is one's own.
                self.rerun.resumes |= self.play.running && !from_disk;
                self.play.running = false;
                // What is sought is said in the words of the old text.
                self.play.seeking = None;
                self.rerun.refly = Some(refly);
                self.fly_again(self.patience.within(crate::play::AT_ONCE));
            }
            Reloaded::Broken(n) => {
                self.rerun.refly = None;
                self.renew_lists();
                if from_disk {
                    self.say_broken(n);
                }
            }
        }
    }

    /// Takes the last change back, of whatever file and view; says what it was.
    pub(crate) fn undo_text(&mut self) -> Option<Place> {
        let (label, place) = self.work.docs.undo()?;
        self.after_walk(&format!("undone: {label}"), &place);
        Some(place)
    }

    pub(crate) fn redo_text(&mut self) -> Option<Place> {
        let (label, place) = self.work.docs.redo()?;
        self.after_walk(&format!("done again: {label}"), &place);
        Some(place)
    }

    fn after_walk(&mut self, said: &str, place: &Place) {
        self.work.changed_at = Some(Instant::now());
        self.mend_caret();
        if self.work.known().is_some() && self.work.is_small() {
            self.work.analysis();
        } else {
            // Until it is read again its words are not known.
            self.work.words.iter_mut().for_each(Vec::clear);
            self.work.problems.retain(|p| p.file != place.file);
        }
        self.say(said);
    }

    /// Writes every text that differs from the disk.
    pub(crate) fn save_texts(&mut self) {
        self.work.docs.part();
        for f in self.work.docs.files().iter().filter(|f| f.is_changed()) {
            self.disk.to_write.push((Writing::Text, format!("{}\n{}", f.name, f.text())));
        }
    }

    /// Writes the level's text to a file of its own.
    ///
    /// # Errors
    /// A name that is none.
    pub(crate) fn save_as(&mut self, name: &str) -> Result<(), Refused> {
        if name.contains(['/', '\\', '\0']) || name.starts_with('.') {
            return Err(Refused::NoFileName("my-level.may"));
        }
        let name = if name.contains('.') { name.to_string() } else { format!("{name}.may") };
        let text = self.work.docs.file(0).map_or("", |f| f.text()).to_string();
        self.disk.to_write.push((Writing::NewText, format!("{name}\n{text}")));
        Ok(())
    }

    /// A new level, written from the template.
    ///
    /// # Errors
    /// A name that is none.
    pub(crate) fn begin_level(&mut self, name: &str) -> Result<(), Refused> {
        let stem = name.strip_suffix(".may").unwrap_or(name);
        if stem.is_empty() || stem.contains(['/', '\\', '\0']) || stem.starts_with('.') {
            return Err(Refused::NoFileName("pond"));
        }
        let text = mayfly_session::template::level(stem, false);
        self.disk.to_write.push((Writing::NewLevel, format!("{stem}.may\n{text}")));
        Ok(())
    }

    /// A new level was written: it takes the place of the one that was shown, on the map.
    pub fn open_new(&mut self, written: &str) {
        let Some((name, text)) = written.split_once('\n') else { return };
        let checked = mayfly_lang::check::check(name, text);
        let Some(level) = checked.level else { return };
        let session = mayfly_session::session::Session::new(checked.sources, level);
        let mut new = Self::new(session, self.theme, mayfly_lang::diagnostic::safe(name));
        new.keys = std::mem::take(&mut self.keys);
        (new.size, new.is_new) = (self.size, false);
        (new.play.speed, new.play.has_release) = (self.play.speed, self.play.has_release);
        new.work.load = self.work.load.clone();
        new.disk.to_write = std::mem::take(&mut self.disk.to_write);
        *self = new;
        self.show_view(crate::view::View::Site);
    }

    /// The level lies in a file now.
    pub fn has_new_file(&mut self, written: &str) {
        let Some((name, text)) = written.split_once('\n') else { return };
        self.disk.has_file = true;
        self.disk.file_name = mayfly_lang::diagnostic::safe(name);
        self.work.docs.rename(0, name);
        self.work.docs.was_saved(0, text);
        self.disk.to_write.push((Writing::Journal, String::new()));
    }

    /// A text was written to the disk. `written`: the file's name, a line's end, the text.
    pub fn text_is_saved(&mut self, written: &str) {
        let Some((name, text)) = written.split_once('\n') else { return };
        if let Some(n) = self.work.docs.number(name) {
            self.work.docs.was_saved(n, text);
        }
        if !self.work.docs.is_changed() {
            // The journal has nothing left to tell.
            self.work.docs.take_journal();
            self.disk.to_write.push((Writing::Journal, String::new()));
        }
    }
}
