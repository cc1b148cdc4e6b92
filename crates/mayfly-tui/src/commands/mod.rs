//! Every command, once: its name, its help, its keys, and when it can be used. The keys, the palette,
//! the footer and the help page are all made from this table.
//!
//! Invariant: a command that the table gives for a state does something in that state.

mod table;

use crate::app::{App, Drawer, Pane};
use crate::view::View;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use mayfly_session::moment::At;
use mayfly_session::session::StepSize;
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

    /// Whether it does anything now.
    pub fn applies(self, app: &App) -> bool {
        let s = &app.session;
        if !self.row().views.contains(&app.view) {
            return false;
        }
        match self {
            Self::Leave if app.view == View::Site => {
                app.site.in_list || app.site.mark.is_some() || app.site.count.is_some()
            }
            Self::NextArea if app.view == View::Site => app.laid_now().is_some_and(|(a, _)| a.draft().areas.len() > 1),
            Self::ZoomIn | Self::ZoomOut if app.view == View::Site => app.site_scales(self == Self::ZoomIn).is_some(),
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
            Self::Undo => app.undoes_watch() || app.work.docs.labels().0.is_some(),
            Self::Redo => app.work.docs.labels().1.is_some(),
            Self::Save => app.work.docs.is_changed(),
            Self::NewLevel => !app.work.docs.is_changed() && !app.has_unsaved(),
            Self::ViewSite => app.view != View::Site,
            Self::ViewScript => app.view != View::Script,
            Self::ViewFlight => app.view != View::Flight,
            Self::Type => !app.script.typing,
            Self::NextMatch | Self::PreviousMatch => !app.script.find.is_empty(),
            Self::PasteText => !app.script.clip.is_empty(),
            Self::LineUp => app.chosen_lines().start > 0,
            Self::LineDown => app.chosen_lines().end < app.script_lines(),
            Self::WatchUp => app.flight.focus == Pane::Watches && app.flight.watch_at > 0,
            Self::WatchDown => app.flight.focus == Pane::Watches && app.flight.watch_at + 1 < s.watches.len(),
            Self::Wider | Self::Narrower => !app.is_folded && !app.flight.comparing,
            Self::OnlyChanged => !s.watches.is_empty(),
            Self::Fold if app.flight.focus == Pane::Log => !crate::flight::log::entries(app).is_empty(),
            Self::Fold if app.flight.focus == Pane::Why => !app.drawer_links().is_empty(),
            Self::Fold => app.flight.focus != Pane::Watches && app.selected_rung().is_some(),
            Self::Left | Self::Right | Self::FarLeft | Self::FarRight => {
                app.view != View::Flight || app.flight.focus == Pane::Map
            }
            Self::NextArea => s.engine.program.maps.len() > 1,
            Self::Centre => {
                app.flight.map.middle.is_some() || app.flight.map.cursor.is_some() || app.flight.map.area.is_some()
            }
            Self::ZoomIn if app.flight.focus == Pane::Map => app.scales(true).is_some(),
            Self::ZoomOut if app.flight.focus == Pane::Map => app.scales(false).is_some(),
            Self::ZoomOut if app.zooms_lanes() => true,
            Self::FirstCause | Self::FirstEffect => app.selected_rung().is_some(),
            Self::Branches => !s.branches.is_empty(),
            Self::ThenAndNow => s.then.is_some() || !s.branches.is_empty(),
            Self::Machine => !s.now.world.machines.is_empty(),
            Self::NextMachine => s.now.world.machines.len() > usize::from(app.flight.drawer == Drawer::Machine),
            Self::Pin => app.selected_lane().is_some(),
            Self::Copy => !s.now.cascade.groups.is_empty(),
            Self::AlongForward | Self::AlongBack => true,
            Self::Why if app.view != View::Flight => app.selected_name().is_some(),
            Self::Why if app.flight.focus == Pane::Watches && !s.watches.is_empty() => app.selected_watch().is_some(),
            Self::Why => app.selected_rung().is_some(),
            Self::OtherBranch => !s.branches.is_empty(),
            Self::Problems => !s.problems.is_empty() || !s.findings.is_empty() || !s.index.faults.is_empty(),
            Self::Stops => !s.stops.all.is_empty() || !s.unfit_stops.is_empty(),
            Self::ZoomOut => app.zoom > 0,
            Self::JumpBack => app.jump_to().is_some() || app.view == View::Script && app.can_go_back_in_text(),
            Self::Leave if app.view == View::Script => {
                app.script.typing || app.script.anchor.is_some() || !app.script.find.is_empty()
            }
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
    } else if key.modifiers.contains(KeyModifiers::ALT) {
        format!("Alt+{name}")
    } else if arrow && key.modifiers.contains(KeyModifiers::SHIFT) {
        format!("Shift+{name}")
    } else {
        name
    }
}

/// The command of a key in this state.
pub fn of_key(app: &App, key: &KeyEvent) -> Option<Command> {
    let name = key_name(key);
    // With something selected in the text it is copied, as elsewhere.
    if name == "Ctrl+c" && !(app.view == View::Script && app.chosen().is_some()) {
        return Some(Command::Quit);
    }
    // `=` is `+` without Shift.
    let name = if name == "=" { "+".to_string() } else { name };
    // While one types, letters are text: those commands are left that a letter alone does not begin.
    let fits = |r: &&Row| app.keys.has(r, &name) && !(app.script.typing && is_letter(&name));
    TABLE.iter().filter(fits).map(|r| r.command).find(|c| c.applies(app))
}

/// A key that types.
fn is_letter(name: &str) -> bool {
    name.chars().count() == 1 || matches!(name, "Space" | "Enter" | "Tab" | "Shift+Tab" | "Backspace" | "Del")
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
