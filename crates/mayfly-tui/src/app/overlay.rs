//! What is open above a view: a list, a line, a page.
//!
//! Not here: what is in each, and what its keys do ([`crate::overlay`]).
//!
//! Invariant: as in [`super`].

use super::App;
use super::{Drawing, Renaming, SiteChoice};
use crate::command::Command;
use crate::theme::Role;
use mayfly_base::RuleId;
use mayfly_session::export::Export;
use mayfly_session::things::Thing;

/// What an entry of a list does.
#[derive(Clone, Debug, PartialEq)]
pub enum Choice {
    Do(Command),
    WhyNot(RuleId),
    Watch(String),
    Stop(usize),
    Branch(usize),
    About(Thing),
    Tick(u64),
    /// Of the text on disk, and of the one that is flown.
    Problem(usize),
    Finding(usize),
    Export(Export),
    Draw(Drawing),
    Quit,
    SaveAndQuit,
    /// Of a flight that was left unsaved.
    Recover,
    Forget,
    SaveTextAndQuit,
    Site(SiteChoice),
    /// A place of the texts: the file's number, and a byte.
    Place(usize, usize),
    Rename(Box<Renaming>),
    /// A further file of the level.
    NewFile,
    /// What is looked for becomes this: here, or in all of this file or of all files.
    ReplaceOne(String),
    ReplaceAll(String, bool),
    /// Of a file that another program changed.
    DiskTake,
    DiskKeep,
    DiskBoth,
    /// Of edits that were left unsaved.
    TakeEdits,
    ForgetEdits,
    EditsLater,
    /// Runs the level on until a test is true.
    SeekOn(String),
    None,
}

/// One entry: what is shown on the left and on the right.
#[derive(Clone, Debug)]
pub struct Entry {
    pub text: String,
    pub note: String,
    pub choice: Choice,
}

#[derive(Clone, Debug)]
pub enum Kind {
    /// Entries, found by a few letters.
    List { entries: Vec<Entry>, at: usize },
    /// A line; what is done with it.
    Line { what: LineFor, error: String, offers: Offers },
    /// Lines to read; in some one finds by typing.
    Page { lines: Vec<Vec<(String, Role)>>, from: usize, finds: bool },
}

/// What is proposed for the word under way, and which of it is chosen.
#[derive(Clone, Debug, Default)]
pub struct Offers {
    pub all: Vec<mayfly_session::propose::Offer>,
    /// Bytes of the line that one of them takes the place of.
    pub range: std::ops::Range<usize>,
    pub at: Option<usize>,
    /// The line was changed since: they are found again before they are shown or taken.
    pub stale: bool,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LineFor {
    GoTo,
    Watch,
    Poke,
    Stop,
    NameBranch,
    Filter,
    FindText,
    ReplaceText,
    Rename,
    SaveAs,
    NewLevel,
    NewFile,
    /// What the map asks for: a fact, a name, a size.
    Site,
}

#[derive(Clone, Debug)]
pub struct Overlay {
    pub title: &'static str,
    pub hint: &'static str,
    pub typed: String,
    /// What stands there is only proposed: the first letter takes its place.
    pub proposed: bool,
    /// Where one types in it, in characters; none: at its end.
    pub cursor: Option<usize>,
    /// How a list is sorted that Tab sorts otherwise.
    pub sorted: Option<&'static str>,
    /// Makes it once more, where its entries speak of the level that is flown.
    pub again: Option<fn(&App) -> Self>,
    pub kind: Kind,
}
