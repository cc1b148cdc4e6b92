//! What the world outside has to do, and what it has to write.
//!
//! Invariant: as in [`super`].

use mayfly_session::export::Export;

/// What the world outside has to do.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Effect {
    None,
    Quit,
    /// What waits to be written is written; then one quits, if all of it was.
    SaveAndQuit,
    /// The same of the text alone.
    SaveTextAndQuit,
}

/// What is written beside the level.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Writing {
    Stops,
    Kept,
    Flight,
    Watches,
    /// A text of the level: its file's name, a line's end, the text.
    Text,
    /// The same where there is no file yet: the name that a person gave.
    NewText,
    /// A level that is begun: its file's name, a line's end, the text.
    NewLevel,
    /// Lines to be put behind the journal of unsaved edits; nothing: it is taken away.
    Journal,
    /// The journal that was left is kept for the next start.
    JournalAside,
    Export(Export),
    Drawing(Drawing),
    /// To the terminal's clipboard.
    Clipboard,
    /// The flight as it is, for a start after it was left unsaved; nothing, where there is none.
    Recovery,
    /// A person's editor is opened: the file's name and the line.
    Editor,
}

/// A drawing, or a dump.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Shown {
    Plan,
    Machine,
    Cascade,
    Lanes,
    Value,
    Wave,
}

/// What it is written as. A PDF is handed over as the SVG that it is made of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Form {
    Svg,
    Pdf,
    Vcd,
}

/// One that can be written: of what, and as what.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Drawing {
    pub shown: Shown,
    pub form: Form,
}
