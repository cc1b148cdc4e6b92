//! The table of commands itself.
//!
//! Invariant: as in [`super`]; in one view a key belongs to one command, but for those that the state tells apart.

use super::{Command, Group, Row};
use crate::view::View;

const ALL: &[View] = &View::ALL;
const FLIGHT: &[View] = &[View::Flight];
const MAPS: &[View] = &[View::Site, View::Flight];
const SITE: &[View] = &[View::Site];
const SCRIPT: &[View] = &[View::Script];
const WRITING: &[View] = &[View::Site, View::Script];

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

/// Every command.
pub const TABLE: &[Row] = &[
    row(
        Command::Run,
        "run or pause",
        "runs from the moment on; past the live edge the level goes on",
        &["Space"],
        1,
        "run",
        Group::Time,
    ),
    row(Command::Forward, "step forward", "one step of the present size", &["n"], 2, "next", Group::Time),
    row(Command::Back, "step back", "undoes one step, from anywhere", &["b"], 3, "back", Group::Time),
    row(
        Command::Finer,
        "smaller steps",
        "tick, round, firing, action: steps go less far",
        &[","],
        4,
        "size",
        Group::Time,
    ),
    row(
        Command::Coarser,
        "larger steps",
        "action, firing, round, tick: steps go farther",
        &["."],
        5,
        "size",
        Group::Time,
    ),
    row(Command::Slower, "slower", "runs slower, down to a quarter", &["<"], 0, "", Group::Time),
    row(Command::Faster, "faster", "runs faster, up to as fast as it goes", &[">"], 0, "", Group::Time),
    row(
        Command::GoTo,
        "go to",
        "a tick (634), a time (31.7s), a while on (+50h), a truth (lamps_lit == 3)",
        &["g"],
        9,
        "go to",
        Group::Time,
    ),
    row(
        Command::AlongForward,
        "next occurrence",
        "where the selected rule is next evaluated, the watched value next written",
        &["N"],
        0,
        "",
        Group::Time,
    ),
    row(Command::AlongBack, "previous occurrence", "to the one before", &["B"], 0, "", Group::Time),
    row(Command::Start, "to the start", "before tick 0", &["Home"], 0, "", Group::Time).only(MAPS),
    row(Command::Live, "to the live edge", "to the last tick that was run", &["End"], 0, "", Group::Time).only(MAPS),
    row(
        Command::Drive,
        "drive",
        "arrows and the level's inputs go to the steered actor, until Esc",
        &["d"],
        6,
        "drive",
        Group::Level,
    ),
    row(Command::NextDriven, "drive another", "the next steered actor", &["Tab"], 0, "", Group::Level).only(FLIGHT),
    row(
        Command::Poke,
        "poke",
        "one action by hand at the next tick: lamps_lit = 4, move keeper to (3, 4)",
        &["p"],
        0,
        "poke",
        Group::Level,
    ),
    row(
        Command::Stop,
        "stop",
        "running pauses there, or no more: a rule, action, value, zone, state or test",
        &["s"],
        0,
        "stop",
        Group::Time,
    ),
    row(
        Command::Stops,
        "stops",
        "all of them; Enter switches one off and on, Del takes it away",
        &["S"],
        0,
        "",
        Group::Time,
    ),
    row(
        Command::SaveFlight,
        "save the flight",
        "writes this flight beside the level, to be replayed",
        &["F2"],
        0,
        "",
        Group::Level,
    ),
    row(
        Command::StartOver,
        "start over",
        "the same level from tick 0, without your keys; the old branch is kept",
        &["F5"],
        0,
        "",
        Group::Level,
    ),
    row(
        Command::OtherBranch,
        "last branch",
        "to the branch that was left last; the present one is kept",
        &["o"],
        0,
        "",
        Group::Level,
    ),
    row(
        Command::Branches,
        "branches",
        "every branch of this flight; Enter goes on with one",
        &["O"],
        0,
        "",
        Group::Level,
    ),
    row(Command::NameBranch, "name this branch", "a name to find it again by", &["F3"], 0, "", Group::Level),
    row(
        Command::ThenAndNow,
        "then and now",
        "both cascades of this tick: before the last edit, or of two branches; N B",
        &["t"],
        0,
        "then, now",
        Group::Look,
    ),
    row(
        Command::Lanes,
        "lanes",
        "rules and values over the ticks round the moment, in the drawer",
        &["l"],
        0,
        "",
        Group::Look,
    )
    .only(FLIGHT),
    row(
        Command::Pin,
        "pin to the lanes",
        "the selected rule or watch keeps a lane of its own, or gives it up",
        &["L"],
        0,
        "",
        Group::Look,
    )
    .only(FLIGHT),
    row(
        Command::Machine,
        "machine",
        "a machine's states, how it came to the active one, and the ways out",
        &["m"],
        0,
        "",
        Group::Look,
    )
    .only(FLIGHT),
    row(Command::NextMachine, "next machine", "the drawer shows another machine", &["M"], 0, "", Group::Look)
        .only(FLIGHT),
    row(
        Command::Find,
        "find",
        "anything one sees or knows: names, texts that are told, states; it leads there",
        &["f"],
        0,
        "find",
        Group::Look,
    ),
    row(
        Command::Inspect,
        "look into",
        "an actor, machine, zone, message, timer, clock or tile: what it is, and why",
        &["i"],
        0,
        "",
        Group::Look,
    ),
    row(Command::ShowText, "source", "the text of what is selected, in the view Script", &["e"], 0, "", Group::Look)
        .only(MAPS),
    row(
        Command::Editor,
        "your editor",
        "opens $VISUAL or $EDITOR at the line of what is selected",
        &["E"],
        0,
        "",
        Group::Look,
    ),
    row(
        Command::NextFault,
        "next fault",
        "to the next tick in which something failed, from the last to the first",
        &["X"],
        0,
        "",
        Group::Time,
    ),
    row(
        Command::Filter,
        "filter the list",
        "cascade or watches show only what holds these letters",
        &["F"],
        0,
        "",
        Group::Look,
    )
    .only(FLIGHT),
    row(
        Command::Copy,
        "copy the cascade",
        "this tick's cascade as text, to the terminal's clipboard",
        &["C"],
        0,
        "",
        Group::Look,
    )
    .only(FLIGHT),
    row(
        Command::Export,
        "export",
        "writes a table or a drawing of what is shown to a file beside the level",
        &["x"],
        0,
        "",
        Group::Look,
    ),
    row(
        Command::Problems,
        "findings and faults",
        "what reading found wrong, what failed in the flight, errors of the text",
        &["!"],
        0,
        "",
        Group::Level,
    ),
    row(
        Command::Why,
        "why",
        "why the selected rung did what it did, or who wrote the selected value",
        &["y"],
        7,
        "why",
        Group::Look,
    ),
    row(
        Command::Rules,
        "rules, and why not",
        "every rule with what it did; Enter says why one did not fire here",
        &["r"],
        8,
        "rules",
        Group::Look,
    )
    .only(FLIGHT),
    row(
        Command::JumpBack,
        "back before the jump",
        "to where one stood before the last g, N, B, a, A, o or click on the timeline",
        &["Backspace"],
        0,
        "",
        Group::Time,
    ),
    row(Command::FirstCause, "to its cause", "to the moment that began the selected rung", &["a"], 0, "", Group::Look)
        .only(FLIGHT),
    row(Command::FirstEffect, "to its effect", "to what the selected rung led to", &["A"], 0, "", Group::Look)
        .only(FLIGHT),
    row(
        Command::Watch,
        "watch",
        "adds a variable, an expression or a heading (// lamps) to the watches",
        &["w"],
        10,
        "watch",
        Group::Look,
    ),
    row(Command::Unwatch, "unwatch", "takes the selected watch out", &["u", "Del"], 0, "", Group::Look).only(FLIGHT),
    row(Command::Undo, "undo", "brings back the watch that was taken out last", &["Ctrl+z"], 0, "", Group::Look),
    row(Command::WatchUp, "watch up", "moves the selected watch one place up", &["["], 0, "", Group::Look).only(FLIGHT),
    row(Command::WatchDown, "watch down", "moves the selected watch one place down", &["]"], 0, "", Group::Look)
        .only(FLIGHT),
    row(
        Command::OnlyChanged,
        "only what changed",
        "watches that did not change here are left out",
        &["c"],
        0,
        "",
        Group::Look,
    )
    .only(FLIGHT),
    row(Command::OnlyFired, "only what fired", "rungs that did not fire are left out", &["h"], 0, "", Group::Look)
        .only(FLIGHT),
    row(
        Command::Fold,
        "open",
        "folds a rung or opens it; follows a name in the drawer, a line of the log",
        &["Enter"],
        0,
        "",
        Group::Look,
    )
    .only(FLIGHT),
    row(
        Command::Layer,
        "paint over the map",
        "who notices the cell at the cursor, what one sees, paths, where anybody went",
        &["v"],
        0,
        "",
        Group::Look,
    )
    .only(MAPS),
    row(Command::NextArea, "next area", "the map shows another area of the level", &["V"], 0, "", Group::Look)
        .only(MAPS),
    row(
        Command::Centre,
        "centre the map",
        "it follows the driven actor or the selected rung again",
        &["z"],
        0,
        "",
        Group::Look,
    )
    .only(FLIGHT),
    row(Command::Left, "left", "moves the cursor of the map, a cell", &["←"], 0, "", Group::Screen),
    row(Command::Right, "right", "the other way round", &["→"], 0, "", Group::Screen),
    row(Command::FarLeft, "far left", "moves the cursor of the map, ten cells", &["Shift+←"], 0, "", Group::Screen)
        .only(MAPS),
    row(Command::FarRight, "far right", "the other way round", &["Shift+→"], 0, "", Group::Screen).only(MAPS),
    row(Command::NextPane, "next pane", "keys for lists go there", &["Tab"], 0, "", Group::Screen).only(MAPS),
    row(Command::PreviousPane, "previous pane", "the other way round", &["Shift+Tab"], 0, "", Group::Screen).only(MAPS),
    row(Command::Up, "up", "one line up in this pane", &["↑"], 0, "", Group::Screen),
    row(Command::Down, "down", "one line down in this pane", &["↓"], 0, "", Group::Screen),
    row(Command::PageUp, "page up", "ten lines up", &["PgUp", "Shift+↑"], 0, "", Group::Screen),
    row(Command::PageDown, "page down", "ten lines down", &["PgDn", "Shift+↓"], 0, "", Group::Screen),
    row(
        Command::Wider,
        "larger pane",
        "the pane with the keys takes room from its neighbour",
        &["}"],
        0,
        "",
        Group::Screen,
    )
    .only(FLIGHT),
    row(Command::Narrower, "smaller pane", "it gives room to its neighbour", &["{"], 0, "", Group::Screen).only(FLIGHT),
    row(
        Command::ZoomIn,
        "closer",
        "the timeline shows fewer ticks, the lanes too; the map larger cells",
        &["+"],
        0,
        "",
        Group::Screen,
    )
    .only(MAPS),
    row(
        Command::ZoomOut,
        "wider",
        "the timeline shows more ticks, the lanes too; the map smaller cells",
        &["-"],
        0,
        "",
        Group::Screen,
    )
    .only(MAPS),
    row(Command::Palette, "commands", "every command, found by a few letters", &[";"], 11, "commands", Group::Screen),
    row(Command::Help, "keys", "the keys of this view", &["?"], 12, "keys", Group::Screen),
    row(Command::Quit, "quit", "ends the application", &["q"], 0, "", Group::Screen),
    row(
        Command::Leave,
        "close",
        "ends driving, closes what is open, and lets Why follow the moment",
        &["Esc"],
        0,
        "",
        Group::Screen,
    ),
    row(Command::ViewSite, "Site", "the map as it was laid, and changing it", &["1"], 0, "", Group::Screen),
    row(Command::ViewScript, "Script", "the text of the level, with what each line did", &["2"], 0, "", Group::Screen),
    row(Command::ViewFlight, "Flight", "running, steering and stepping", &["3"], 0, "", Group::Screen),
    row(Command::Save, "save", "writes every file of the level that was edited", &["Ctrl+s"], 0, "save", Group::Text),
    row(Command::Redo, "redo", "makes again what was undone last", &["Ctrl+y"], 0, "", Group::Text),
    row(Command::Type, "type", "letters are text from now on, until Esc", &["Enter"], 1, "type", Group::Text)
        .only(SCRIPT),
    row(
        Command::Definition,
        "definition",
        "to where the name under the caret is declared; Backspace comes back",
        &["D", "F12"],
        0,
        "",
        Group::Text,
    )
    .only(SCRIPT),
    row(Command::Uses, "uses", "every place that names it", &["U"], 0, "", Group::Text).only(SCRIPT),
    row(Command::Writers, "writers", "every place that writes, sends or steers it", &["W"], 0, "", Group::Text)
        .only(SCRIPT),
    row(
        Command::Rename,
        "rename",
        "another name, in all files; the places are shown first",
        &["R"],
        0,
        "rename",
        Group::Text,
    )
    .only(WRITING),
    row(
        Command::Format,
        "lay the text out",
        "spaces and indentation; nothing else changes",
        &["F6"],
        0,
        "",
        Group::Text,
    )
    .only(SCRIPT),
    row(
        Command::Comment,
        "comment",
        "makes a comment of the lines, or text of it again",
        &["F7", "Ctrl+/", "Ctrl+7"],
        0,
        "",
        Group::Text,
    )
    .only(SCRIPT),
    row(
        Command::NextProblem,
        "next problem",
        "to the next error; to the next finding where there is none",
        &["F8"],
        0,
        "",
        Group::Text,
    )
    .only(SCRIPT),
    row(Command::TakeFix, "fix", "carries out what mends the problem of this line", &["F9"], 0, "", Group::Text)
        .only(SCRIPT),
    row(
        Command::FindText,
        "find in the text",
        "letters in this file, else in the others",
        &["Ctrl+f"],
        0,
        "",
        Group::Text,
    )
    .only(SCRIPT),
    row(Command::NextMatch, "next match", "the next place that holds them", &["Ctrl+g"], 0, "", Group::Text)
        .only(SCRIPT),
    row(Command::PreviousMatch, "previous match", "the one before", &["Ctrl+b"], 0, "", Group::Text).only(SCRIPT),
    row(
        Command::ReplaceText,
        "replace",
        "what is looked for by something else: one, all, or all in all files",
        &["Ctrl+r"],
        0,
        "",
        Group::Text,
    )
    .only(SCRIPT),
    row(
        Command::CopyText,
        "copy",
        "what is selected, else the line; the terminal's clipboard too",
        &["Ctrl+c"],
        0,
        "",
        Group::Text,
    )
    .only(SCRIPT),
    row(Command::CutText, "cut", "the same, out of the text", &["Ctrl+x"], 0, "", Group::Text).only(SCRIPT),
    row(Command::PasteText, "paste", "what was cut or copied last", &["Ctrl+v"], 0, "", Group::Text).only(SCRIPT),
    row(Command::SelectAll, "select all", "the whole file", &["Ctrl+a"], 0, "", Group::Text).only(SCRIPT),
    row(Command::LineUp, "lines up", "moves the lines past the one above", &["Alt+↑"], 0, "", Group::Text).only(SCRIPT),
    row(Command::LineDown, "lines down", "moves them past the one below", &["Alt+↓"], 0, "", Group::Text).only(SCRIPT),
    row(Command::Outline, "outline", "what this file declares; Enter goes there", &["l"], 0, "", Group::Text)
        .only(SCRIPT),
    row(Command::Files, "files", "every file of the level", &["V"], 0, "", Group::Text).only(SCRIPT),
    row(
        Command::EnterSite,
        "into the list",
        "to what lies here; there it changes what is chosen",
        &["Enter"],
        1,
        "change",
        Group::Map,
    )
    .only(SITE),
    row(Command::Add, "add", "a zone, an actor, a kind, a path, a sort of tile, an area", &["a"], 2, "add", Group::Map)
        .only(SITE),
    row(
        Command::LayTiles,
        "lay tiles",
        "with the brush, in lines or rectangles, or a fill",
        &["l"],
        3,
        "lay tiles",
        Group::Map,
    )
    .only(SITE),
    row(Command::MoveThing, "move", "what is chosen, or what is marked", &["m"], 4, "move", Group::Map).only(SITE),
    row(Command::SizeThing, "another size", "for the zone that is chosen", &["Z"], 0, "size", Group::Map).only(SITE),
    row(
        Command::CopyThing,
        "copy on the map",
        "under another name, with the rules that name it; more of the same kind",
        &["c"],
        5,
        "copy",
        Group::Map,
    )
    .only(SITE),
    row(
        Command::DeleteThing,
        "delete",
        "what is chosen, or marked; what refers to it is shown first",
        &["Del"],
        0,
        "delete",
        Group::Map,
    )
    .only(SITE),
    row(
        Command::FirstRule,
        "first rule",
        "a rule for the zone, kind or actor that is chosen, to be gone on with",
        &["r"],
        6,
        "first rule",
        Group::Map,
    )
    .only(SITE),
    row(
        Command::MarkCells,
        "mark",
        "a rectangle of cells, to move, copy or delete what is there",
        &["k"],
        0,
        "",
        Group::Map,
    )
    .only(SITE),
    row(
        Command::MapSize,
        "the map's size",
        "columns and rows on any side; everything keeps its place",
        &["M"],
        0,
        "",
        Group::Map,
    )
    .only(SITE),
    row(Command::Count, "count", "a number, then an arrow: so many cells at once", &["#"], 0, "", Group::Map)
        .only(SITE),
    row(
        Command::NewLevel,
        "new level",
        "a small level to begin with, in a file of its own in this folder",
        &["F10"],
        0,
        "",
        Group::Level,
    ),
];
