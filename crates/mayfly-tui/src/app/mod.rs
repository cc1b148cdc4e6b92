//! What the application knows: the session, the texts, what a person chose in each view, what is open above them.
//!
//! Each view has a struct of its own. Not here: what a command does to it ([`crate::update`] and the folders of the views), and
//! what is seen of it ([`crate::screen`]).
//!
//! Invariant: this is state alone: nothing here draws, carries out a command or asks the clock.

mod flight;
mod overlay;
mod play;
mod script;
mod site;
mod writing;

use crate::budget::Patience;
use crate::keys::Keys;
use crate::pen::Hit;
pub use crate::sizes::Pane;
use crate::theme::Theme;
use crate::view::View;
use crate::workspace::Workspace;
pub use flight::*;
use mayfly_session::flight::Flight;
use mayfly_session::moment::Moment;
use mayfly_session::reload::Refly;
use mayfly_session::session::Session;
pub use overlay::*;
pub use play::*;
use ratatui::layout::Rect;
pub use script::*;
pub use site::*;
use std::time::Instant;
pub use writing::*;

/// What lies on the disk, and what has to be written there.
#[derive(Default)]
pub struct Disk {
    pub file_name: String,
    /// The level lies in a file.
    pub has_file: bool,
    /// Errors from outside that wait until the error on the last row, of a key, is read; and that the files cannot be read.
    pub(crate) news: Vec<String>,
    pub(crate) lost: Option<String>,
    /// What the world outside has to write.
    pub to_write: Vec<(Writing, String)>,
    /// Files that another program changed, against edits of one's own.
    pub(crate) on_disk: Vec<(String, String)>,
    /// Edits that were left unsaved at the last end.
    pub(crate) left_edits: Vec<(String, String)>,
    /// The inputs of the flight as it was saved last, as one number.
    pub saved: Option<u64>,
    /// A flight of one's own that was left unsaved, to be taken up.
    pub recovered: Option<Box<Flight>>,
    /// The inputs for which a recovery copy was written last, and when it was looked for them last.
    pub recovery: (Option<u64>, Option<Instant>),
}

/// A new text that is being flown, and what came of the last one.
#[derive(Default)]
pub struct Rerun {
    /// A new text that is being flown.
    pub refly: Option<Box<Refly>>,
    /// The text that is being flown came from the disk: what came of it is said.
    pub(crate) says_rerun: bool,
    /// It was running when the text began to be flown again.
    pub(crate) resumes: bool,
    /// Where the flight parts from the one before the last edit.
    pub parts_at: Option<u64>,
}

/// Everything that the application knows.
pub struct App {
    pub session: Session,
    pub view: View,
    /// The level's texts as they are edited.
    pub work: Workspace,
    pub script: ScriptView,
    pub site: SiteView,
    pub flight: FlightView,
    pub play: Play,
    /// How long work may go on before the next frame.
    pub patience: Patience,
    pub theme: Theme,
    pub zoom: u32,
    pub overlays: Vec<Overlay>,
    /// What just happened, for the bottom row; true where it is an error.
    pub message: (String, bool),
    pub keys: Keys,
    /// The terminal is small: one pane is shown at a time.
    pub is_folded: bool,
    /// Nothing was pressed yet: a word for who is here for the first time.
    pub is_new: bool,
    /// Where one stood before each jump, the last one last: the branch, and the moment in it.
    pub jumps: Vec<(String, Moment)>,
    /// The lines that were entered, the last one last.
    pub entered: Vec<String>,
    /// The size of the last frame, and what lies where on it, for the mouse.
    pub size: (u16, u16),
    pub hits: Vec<(Rect, Hit)>,
    /// What lies on the disk, and what has to be written.
    pub disk: Disk,
    /// The text that is being flown again.
    pub rerun: Rerun,
}

impl App {
    pub fn new(session: Session, theme: Theme, file_name: String) -> Self {
        let work = Workspace::new(session.sources.iter().map(|s| (s.name.as_str(), s.text.as_str())));
        let mut app = Self {
            session,
            view: View::default(),
            work,
            script: ScriptView::default(),
            site: SiteView::default(),
            flight: FlightView::default(),
            play: Play::default(),
            patience: Patience::default(),
            theme,
            zoom: 0,
            overlays: vec![],
            message: (String::new(), false),
            keys: Keys::default(),
            is_folded: false,
            is_new: true,
            jumps: vec![],
            entered: vec![],
            size: (0, 0),
            hits: vec![],
            disk: Disk { file_name, has_file: true, ..Disk::default() },
            rerun: Rerun::default(),
        };
        app.follow();
        app
    }

    pub fn say(&mut self, text: impl Into<String>) {
        self.message = (text.into(), false);
    }

    pub fn say_error(&mut self, text: impl Into<String>) {
        self.message = (text.into(), true);
    }

    /// An error from outside: it takes the place of no other error, but is said once the next key took that away.
    pub fn say_news(&mut self, text: impl Into<String>) {
        self.disk.news.push(text.into());
        self.tell_news();
    }

    /// The same of files that cannot be read: it is told no more once they were read again.
    pub fn say_lost(&mut self, text: impl Into<String>) {
        self.disk.lost = Some(text.into());
        self.tell_news();
    }

    /// Says the next news that wait, where no error stands; true where it did.
    pub fn tell_news(&mut self) -> bool {
        if self.message.1 {
            return false;
        }
        let news = &mut self.disk.news;
        let next = self.disk.lost.take().or_else(|| (!news.is_empty()).then(|| news.remove(0)));
        let tells = next.is_some();
        next.into_iter().for_each(|text| self.say_error(text));
        tells
    }
}
