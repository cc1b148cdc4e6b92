//! Which command a key is in this state, and whether a command does anything now.
//!
//! Not here: the table of commands ([`crate::command`]), why one does nothing ([`crate::refusal`]).
//!
//! Invariant: a command that can be used in a state does something in that state.

use crate::app::{App, Drawer, Pane};
use crate::command::{Command, Row, TABLE};
use crate::view::View;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use mayfly_session::moment::At;
use mayfly_session::session::StepSize;

impl Command {
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
