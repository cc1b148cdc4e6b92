//! Why a key does nothing now, in words: nothing is refused without its reason.
//!
//! Not here: when it does something ([`crate::command::Command::applies`]).
//!
//! Invariant: every command that can be refused has a reason of its own; a test walks the table.

use crate::app::{App, Pane};
use crate::command::Command;
use crate::view::View;

impl Command {
    /// The reason for which it does nothing now.
    pub fn refusal(self, app: &App) -> String {
        let s = &app.session;
        let key = |c: Command| app.keys.of_command(c);
        let ended = || format!("the level ended at tick {}", s.last_tick());
        let row = self.row();
        if !row.views.contains(&app.view) {
            let view = row.views.first().map_or("", |v| v.name());
            return format!("{} is for the view {view}: {}", app.keys.of_command(self), row.name);
        }
        match self {
            Self::Back | Self::Start => "this is the beginning of the flight".into(),
            Self::Forward | Self::Run => {
                format!("{}: {} goes back, {} starts over", ended(), key(Self::Back), key(Self::StartOver))
            }
            Self::Finer => "an action is the smallest step".into(),
            Self::Coarser => "a tick is the largest step".into(),
            Self::Slower => "this is the slowest".into(),
            Self::Faster => "this is the fastest".into(),
            Self::Live => "this is the live edge".into(),
            Self::Drive if app.play.driving.is_some() => {
                format!("an actor is driven already: {} ends it", key(Self::Leave))
            }
            Self::Drive => "no actor of this level is steered: write `steered` in its kind".into(),
            Self::NextDriven if app.play.driving.is_none() => format!("nobody is driven: {} drives", key(Self::Drive)),
            Self::NextDriven => "there is one steered actor only".into(),
            Self::NextPane | Self::PreviousPane => {
                format!("this key drives another actor: {} ends driving", key(Self::Leave))
            }
            Self::Unwatch | Self::WatchUp | Self::WatchDown if app.flight.focus != Pane::Watches => {
                format!("the keys are not in the watches: {} goes there", key(Self::NextPane))
            }
            Self::NextFault => "nothing failed in this flight".into(),
            Self::Undo => "there is nothing to undo: nothing was edited, and no watch was taken out".into(),
            Self::Redo => "there is nothing to make again: nothing was undone".into(),
            Self::NewLevel => "something is not saved yet: save it, or undo it, first".into(),
            Self::Save => "nothing was edited since the last save".into(),
            Self::ViewSite | Self::ViewScript | Self::ViewFlight => format!("this is the view {}", app.view.name()),
            Self::Type => format!("letters are text already: {} reads", key(Command::Leave)),
            Self::NextMatch | Self::PreviousMatch => {
                format!("nothing is looked for: {} asks what", key(Command::FindText))
            }
            Self::PasteText => "nothing was cut or copied yet".into(),
            Self::LineUp => "this is the first line".into(),
            Self::LineDown => "this is the last line".into(),
            Self::Why if app.view != View::Flight => "nothing stands here that fires or is written".into(),
            Self::ZoomIn if app.view == View::Site => "the cells are as large as they get".into(),
            Self::ZoomOut if app.view == View::Site => "the cells are as small as they get".into(),
            Self::WatchUp => "this is the first watch".into(),
            Self::WatchDown => "this is the last watch".into(),
            Self::Unwatch | Self::OnlyChanged => format!("nothing is watched: {} adds a watch", key(Self::Watch)),
            Self::Wider | Self::Narrower => "one pane is shown: there is no border to move".into(),
            Self::Fold if app.flight.focus == Pane::Why => "the drawer has no name to follow".into(),
            Self::Fold if app.flight.focus == Pane::Log => "the log is empty".into(),
            Self::Left | Self::Right | Self::FarLeft | Self::FarRight => {
                format!("the keys are not in the map: {} goes there", key(Self::NextPane))
            }
            Self::NextArea => "this level has one area only".into(),
            Self::Centre => "the map follows already".into(),
            Self::ZoomIn if app.flight.focus == Pane::Map => "the cells are as large as they get".into(),
            Self::ZoomOut if app.flight.focus == Pane::Map => "the cells are as small as they get".into(),
            Self::Fold | Self::FirstCause | Self::FirstEffect | Self::Why => match app.visible_rungs().is_empty() {
                true => "nothing was evaluated in this tick".into(),
                false => "nothing is selected: arrows select a rung of the cascade".into(),
            },
            Self::Branches | Self::OtherBranch => {
                format!("there is no other branch: {} in the past opens one", key(Self::Poke))
            }
            Self::ThenAndNow => "nothing to compare with: no edit yet and no other branch".into(),
            Self::Machine => "this level has no machine".into(),
            Self::NextMachine => "there is one machine only".into(),
            Self::Pin => "nothing is selected that can have a lane: a rung, or a watch".into(),
            Self::ShowText => "nothing is selected that has a text: a rung, or a watch".into(),
            Self::Copy => "nothing was evaluated in this tick, so there is nothing to copy".into(),
            Self::Problems => "nothing was found wrong, and nothing failed".into(),
            Self::Stops => format!("there is no stop: {} puts one", key(Self::Stop)),
            Self::ZoomOut => "the whole flight is shown".into(),
            Self::JumpBack => format!("no jump was made yet: {} goes to a tick or a test", key(Self::GoTo)),
            Self::Leave => String::new(),
            _ => format!("{} does nothing here", self.row().name),
        }
    }
}
