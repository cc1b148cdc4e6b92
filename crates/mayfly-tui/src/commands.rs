//! Every command, once: its name, its help, its keys, and when it can be used. The keys, the palette,
//! the footer and the help page are all made from this table.
//!
//! Invariant: a command that the table gives for a state does something in that state.

use crate::app::{App, Drawer, Pane};
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use mayfly_session::session::{At, StepSize};

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
    OtherCourse,
    StartOver,
    Courses,
    NameCourse,
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
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Group {
    Time,
    Level,
    Look,
    Screen,
}

impl Group {
    pub const ALL: [(Self, &'static str); 4] =
        [(Self::Time, "Time"), (Self::Level, "The level"), (Self::Look, "What one sees"), (Self::Screen, "The screen")];
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
    Row { command, name, help, keys, footer, short, group }
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
    row(Command::Start, "to the start", "before tick 0", &["Home"], 0, "", Group::Time),
    row(Command::Live, "to the live edge", "to the last tick that was run", &["End"], 0, "", Group::Time),
    row(
        Command::Drive,
        "drive",
        "arrows and the level's inputs go to the steered actor, until Esc",
        &["d"],
        6,
        "drive",
        Group::Level,
    ),
    row(Command::NextDriven, "drive another", "the next steered actor", &["Tab"], 0, "", Group::Level),
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
        Command::OtherCourse,
        "last branch",
        "to the branch that was left last; the present one is kept",
        &["o"],
        0,
        "",
        Group::Level,
    ),
    row(
        Command::Courses,
        "branches",
        "every branch of this flight; Enter goes on with one",
        &["O"],
        0,
        "",
        Group::Level,
    ),
    row(Command::NameCourse, "name this branch", "a name to find it again by", &["F3"], 0, "", Group::Level),
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
    ),
    row(
        Command::Pin,
        "pin to the lanes",
        "the selected rule or watch keeps a lane of its own, or gives it up",
        &["L"],
        0,
        "",
        Group::Look,
    ),
    row(
        Command::Machine,
        "machine",
        "a machine's states, how it came to the active one, and the ways out",
        &["m"],
        0,
        "",
        Group::Look,
    ),
    row(Command::NextMachine, "next machine", "the drawer shows another machine", &["M"], 0, "", Group::Look),
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
    row(Command::ShowText, "source", "the text of the selected rule or variable", &["e"], 0, "", Group::Look),
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
    ),
    row(
        Command::Copy,
        "copy the cascade",
        "this tick's cascade as text, to the terminal's clipboard",
        &["C"],
        0,
        "",
        Group::Look,
    ),
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
    ),
    row(
        Command::JumpBack,
        "back before the jump",
        "to where one stood before the last g, N, B, a, A, o or click on the timeline",
        &["Backspace"],
        0,
        "",
        Group::Time,
    ),
    row(Command::FirstCause, "to its cause", "to the moment that began the selected rung", &["a"], 0, "", Group::Look),
    row(Command::FirstEffect, "to its effect", "to what the selected rung led to", &["A"], 0, "", Group::Look),
    row(
        Command::Watch,
        "watch",
        "adds a variable, an expression or a heading (// lamps) to the watches",
        &["w"],
        10,
        "watch",
        Group::Look,
    ),
    row(Command::Unwatch, "unwatch", "takes the selected watch out", &["u", "Del"], 0, "", Group::Look),
    row(Command::Undo, "undo", "brings back the watch that was taken out last", &["Ctrl+z"], 0, "", Group::Look),
    row(Command::WatchUp, "watch up", "moves the selected watch one place up", &["["], 0, "", Group::Look),
    row(Command::WatchDown, "watch down", "moves the selected watch one place down", &["]"], 0, "", Group::Look),
    row(
        Command::OnlyChanged,
        "only what changed",
        "watches that did not change here are left out",
        &["c"],
        0,
        "",
        Group::Look,
    ),
    row(Command::OnlyFired, "only what fired", "rungs that did not fire are left out", &["h"], 0, "", Group::Look),
    row(
        Command::Fold,
        "open",
        "folds a rung or opens it; follows a name in the drawer, a line of the log",
        &["Enter"],
        0,
        "",
        Group::Look,
    ),
    row(
        Command::Layer,
        "paint over the map",
        "who notices the cell at the cursor, what one sees, paths, where anybody went",
        &["v"],
        0,
        "",
        Group::Look,
    ),
    row(Command::NextArea, "next area", "the map shows another area of the level", &["V"], 0, "", Group::Look),
    row(
        Command::Centre,
        "centre the map",
        "it follows the driven actor or the selected rung again",
        &["z"],
        0,
        "",
        Group::Look,
    ),
    row(Command::Left, "left", "moves the cursor of the map, a cell", &["←"], 0, "", Group::Screen),
    row(Command::Right, "right", "the other way round", &["→"], 0, "", Group::Screen),
    row(Command::FarLeft, "far left", "moves the cursor of the map, ten cells", &["Shift+←"], 0, "", Group::Screen),
    row(Command::FarRight, "far right", "the other way round", &["Shift+→"], 0, "", Group::Screen),
    row(Command::NextPane, "next pane", "keys for lists go there", &["Tab"], 0, "", Group::Screen),
    row(Command::PreviousPane, "previous pane", "the other way round", &["Shift+Tab"], 0, "", Group::Screen),
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
    ),
    row(Command::Narrower, "smaller pane", "it gives room to its neighbour", &["{"], 0, "", Group::Screen),
    row(
        Command::ZoomIn,
        "closer",
        "the timeline shows fewer ticks, the lanes too; the map larger cells",
        &["+"],
        0,
        "",
        Group::Screen,
    ),
    row(
        Command::ZoomOut,
        "wider",
        "the timeline shows more ticks, the lanes too; the map smaller cells",
        &["-"],
        0,
        "",
        Group::Screen,
    ),
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
];

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
                | C::OtherCourse
                | C::NextFault
        )
    }

    /// Whether it does anything now.
    pub fn applies(self, app: &App) -> bool {
        let s = &app.session;
        match self {
            Self::Back | Self::Start => !(s.moment.tick == 0 && s.moment.at == At::Start),
            Self::Forward | Self::Run => !(s.is_live() && s.has_ended()),
            Self::Finer => s.step_size != StepSize::Action,
            Self::Coarser => s.step_size != StepSize::Tick,
            Self::Slower => app.play.speed > 0,
            Self::Faster => app.play.speed + 1 < crate::app::SPEEDS.len(),
            Self::Live => !s.is_live(),
            Self::Drive => s.steered().is_some() && app.play.driving.is_none(),
            Self::NextDriven => app.play.driving.is_some() && app.steered().len() > 1,
            Self::NextPane | Self::PreviousPane => app.play.driving.is_none() || app.steered().len() < 2,
            Self::Unwatch => app.flight.focus == Pane::Watches && !s.watches.is_empty(),
            Self::NextFault => s.index.faults.iter().next().is_some(),
            Self::Undo => !app.flight.removed_watches.is_empty(),
            Self::WatchUp => app.flight.focus == Pane::Watches && app.flight.watch_at > 0,
            Self::WatchDown => app.flight.focus == Pane::Watches && app.flight.watch_at + 1 < s.watches.len(),
            Self::Wider | Self::Narrower => !app.is_folded && !app.flight.comparing,
            Self::OnlyChanged => !s.watches.is_empty(),
            Self::Fold if app.flight.focus == Pane::Log => !crate::flight::log::entries(app).is_empty(),
            Self::Fold if app.flight.focus == Pane::Why => !app.drawer_links().is_empty(),
            Self::Fold => app.flight.focus != Pane::Watches && app.selected_rung().is_some(),
            Self::Left | Self::Right | Self::FarLeft | Self::FarRight => app.flight.focus == Pane::Map,
            Self::NextArea => s.engine.program.maps.len() > 1,
            Self::Centre => {
                app.flight.map.middle.is_some() || app.flight.map.cursor.is_some() || app.flight.map.area.is_some()
            }
            Self::ZoomIn if app.flight.focus == Pane::Map => app.scales(true).is_some(),
            Self::ZoomOut if app.flight.focus == Pane::Map => app.scales(false).is_some(),
            Self::ZoomOut if app.zooms_lanes() => true,
            Self::FirstCause | Self::FirstEffect => app.selected_rung().is_some(),
            Self::Courses => !s.courses.is_empty(),
            Self::ThenAndNow => s.then.is_some() || !s.courses.is_empty(),
            Self::Machine => !s.now.world.machines.is_empty(),
            Self::NextMachine => s.now.world.machines.len() > usize::from(app.flight.drawer == Drawer::Machine),
            Self::Pin => app.selected_lane().is_some(),
            Self::ShowText => app.selected_span().is_some(),
            Self::Copy => !s.now.cascade.groups.is_empty(),
            Self::AlongForward | Self::AlongBack => true,
            Self::Why if app.flight.focus == Pane::Watches && !s.watches.is_empty() => app.selected_watch().is_some(),
            Self::Why => app.selected_rung().is_some(),
            Self::OtherCourse => !s.courses.is_empty(),
            Self::Problems => !s.problems.is_empty() || !s.findings.is_empty() || !s.index.faults.is_empty(),
            Self::Stops => !s.stops.all.is_empty() || !s.unfit_stops.is_empty(),
            Self::ZoomOut => app.zoom > 0,
            Self::JumpBack => app.jump_to().is_some(),
            Self::Leave => {
                app.play.driving.is_some()
                    || app.flight.asked.is_some()
                    || app.flight.comparing
                    || app.flight.drawer != Drawer::Why
            }
            _ => true,
        }
    }
}

/// A key as the table writes it.
pub fn key_name(key: &KeyEvent) -> String {
    let name = match key.code {
        KeyCode::Char(' ') => "Space".to_string(),
        KeyCode::Char(c) => c.to_string(),
        KeyCode::Up => "↑".into(),
        KeyCode::Down => "↓".into(),
        KeyCode::Left => "←".into(),
        KeyCode::Right => "→".into(),
        KeyCode::Enter => "Enter".into(),
        KeyCode::Esc => "Esc".into(),
        KeyCode::Tab => "Tab".into(),
        KeyCode::BackTab => "Shift+Tab".into(),
        KeyCode::Delete => "Del".into(),
        KeyCode::Backspace => "Backspace".into(),
        KeyCode::Home => "Home".into(),
        KeyCode::End => "End".into(),
        KeyCode::PageUp => "PgUp".into(),
        KeyCode::PageDown => "PgDn".into(),
        KeyCode::F(n) => format!("F{n}"),
        _ => String::new(),
    };
    let arrow = matches!(key.code, KeyCode::Up | KeyCode::Down | KeyCode::Left | KeyCode::Right);
    if key.modifiers.contains(KeyModifiers::CONTROL) {
        format!("Ctrl+{name}")
    } else if arrow && key.modifiers.contains(KeyModifiers::SHIFT) {
        format!("Shift+{name}")
    } else {
        name
    }
}

/// The command of a key in this state.
pub fn of_key(app: &App, key: &KeyEvent) -> Option<Command> {
    let name = key_name(key);
    if name == "Ctrl+c" {
        return Some(Command::Quit);
    }
    // `=` is `+` without Shift.
    let name = if name == "=" { "+".to_string() } else { name };
    TABLE.iter().filter(|r| app.keys.has(r, &name)).map(|r| r.command).find(|c| c.applies(app))
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
        let shared: Vec<&str> = TABLE
            .iter()
            .flat_map(|r| r.keys)
            .filter(|k| TABLE.iter().filter(|r| r.keys.contains(k)).count() > 1)
            .copied()
            .collect();
        assert!(shared.iter().all(|k| *k == "Tab"), "{shared:?}");
    }
}
