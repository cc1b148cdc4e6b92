//! Every command, once: its name, its help, its keys, and the views in which it can be used. The keys, the palette,
//! the footer and the help page are all made from this table.
//!
//! Not here: when a command can be used ([`crate::applies`]), and what it does ([`crate::update`]).
//!
//! Invariant: every command stands in the table once.

mod table;

use crate::view::View;
pub use table::TABLE;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Command {
    Forward,
    Back,
    Finer,
    Coarser,
    Run,
    Slower,
    Faster,
    GoTo,
    Start,
    Live,
    AlongForward,
    AlongBack,
    JumpBack,
    Drive,
    NextDriven,
    Poke,
    Stop,
    Stops,
    SaveFlight,
    Watch,
    Unwatch,
    Undo,
    WatchUp,
    WatchDown,
    Wider,
    Narrower,
    Export,
    OnlyChanged,
    Why,
    Rules,
    OnlyFired,
    Fold,
    FirstCause,
    NextPane,
    PreviousPane,
    Centre,
    NextArea,
    Layer,
    Left,
    Right,
    FarLeft,
    FarRight,
    Up,
    Down,
    PageUp,
    PageDown,
    ZoomIn,
    ZoomOut,
    OtherBranch,
    StartOver,
    Branches,
    NameBranch,
    ThenAndNow,
    Lanes,
    Pin,
    Machine,
    NextMachine,
    Inspect,
    Find,
    FirstEffect,
    ShowText,
    Editor,
    NextFault,
    Filter,
    Copy,
    Problems,
    Palette,
    Help,
    Quit,
    Leave,
    Type,
    Definition,
    Uses,
    Writers,
    Rename,
    Format,
    Comment,
    NextProblem,
    TakeFix,
    FindText,
    NextMatch,
    PreviousMatch,
    ReplaceText,
    CopyText,
    CutText,
    PasteText,
    SelectAll,
    LineUp,
    LineDown,
    Outline,
    Files,
    ViewSite,
    ViewScript,
    ViewFlight,
    Save,
    Redo,
    EnterSite,
    Add,
    LayTiles,
    MoveThing,
    SizeThing,
    CopyThing,
    DeleteThing,
    MarkCells,
    MapSize,
    FirstRule,
    Count,
    NewLevel,
}

/// One row of the table.
pub struct Row {
    pub command: Command,
    pub name: &'static str,
    pub help: &'static str,
    /// As shown; the first of each is the one in the footer.
    pub keys: &'static [&'static str],
    /// A place in the footer, the smaller the more to the left; 0: none.
    pub footer: u8,
    /// A word for the footer.
    pub short: &'static str,
    pub group: Group,
    /// Where it can be used.
    pub views: &'static [View],
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Group {
    Time,
    Level,
    Look,
    /// Laying on the map.
    Map,
    /// The text of the level.
    Text,
    Screen,
}

impl Group {
    pub const ALL: [(Self, &'static str); 6] = [
        (Self::Time, "Time"),
        (Self::Level, "The level"),
        (Self::Look, "What one sees"),
        (Self::Map, "Laying on the map"),
        (Self::Text, "The text"),
        (Self::Screen, "The screen"),
    ];
}

const ALL: &[View] = &View::ALL;

impl Row {
    /// It can be used in these views alone.
    const fn only(mut self, views: &'static [View]) -> Self {
        self.views = views;
        self
    }
}

const fn row(
    command: Command,
    name: &'static str,
    help: &'static str,
    keys: &'static [&'static str],
    footer: u8,
    short: &'static str,
    group: Group,
) -> Row {
    Row { command, name, help, keys, footer, short, group, views: ALL }
}

impl Command {
    pub fn row(self) -> &'static Row {
        TABLE.iter().find(|r| r.command == self).expect("every command has a row: a test walks the table")
    }

    /// It may lead far away: one comes back by [`Command::JumpBack`].
    pub fn jumps(self) -> bool {
        use Command as C;
        matches!(
            self,
            C::Start
                | C::Live
                | C::AlongForward
                | C::AlongBack
                | C::FirstCause
                | C::FirstEffect
                | C::OtherBranch
                | C::NextFault
        )
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_command_stands_in_the_table_once_with_a_key() {
        for (i, r) in TABLE.iter().enumerate() {
            assert!(!r.keys.is_empty() && !r.help.is_empty(), "{}", r.name);
            assert!(r.help.chars().count() <= 78, "{}: its help does not fit the page of keys", r.name);
            assert!(TABLE[i + 1..].iter().all(|o| o.command != r.command), "{} twice", r.name);
        }
    }

    #[test]
    fn a_key_shared_by_two_commands_is_told_apart_by_the_state() {
        for view in View::ALL {
            let own: Vec<&Row> = TABLE.iter().filter(|r| r.views.contains(&view)).collect();
            let shared: Vec<&str> = own
                .iter()
                .flat_map(|r| r.keys)
                .filter(|k| own.iter().filter(|r| r.keys.contains(k)).count() > 1)
                .copied()
                .collect();
            assert!(shared.iter().all(|k| *k == "Tab"), "{view:?}: {shared:?}");
        }
    }
}
