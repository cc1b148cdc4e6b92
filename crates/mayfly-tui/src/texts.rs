//! What the commands of the views Site and Script do: each leads to the module that does it.
//!
//! Invariant: a command that the table gives for a view does something there.

use crate::app::App;
use crate::app::Overlay;
use crate::command::Command;
use crate::view::View;

impl App {
    /// What the views of the map and of the text do.
    pub(crate) fn carry_out_on_text(&mut self, command: Command) {
        match command {
            Command::ViewSite => self.show_view(View::Site),
            Command::ViewScript => self.show_view(View::Script),
            Command::ViewFlight => self.show_view(View::Flight),
            Command::NewLevel => self.overlays.push(Overlay::new_level()),
            Command::Save if !self.disk.has_file => self.overlays.push(Overlay::save_as()),
            Command::Save => self.save_texts(),
            Command::Undo | Command::Redo => {
                let place = if command == Command::Undo { self.undo_text() } else { self.redo_text() };
                if let Some(place) = place
                    && self.view == View::Script
                {
                    self.stand_at(&place);
                }
            }
            Command::Type => self.script.typing = true,
            Command::Definition => self.go_to_definition(),
            Command::Uses => self.list_uses(false),
            Command::Writers => self.list_uses(true),
            Command::Rename => match self.name_to_change() {
                Some((_, old)) => self.overlays.push(Overlay::rename(old)),
                None => self.say("there is no name here that could be changed"),
            },
            Command::Format => self.format_text(),
            Command::Comment => self.comment(),
            Command::NextProblem => self.next_problem(),
            Command::TakeFix => self.take_fix(),
            Command::FindText => self.overlays.push(Overlay::find_text(self)),
            Command::NextMatch | Command::PreviousMatch => self.next_match(command == Command::NextMatch),
            Command::ReplaceText if self.script.find.is_empty() => {
                self.script.find = self.find_suggestion();
                if self.script.find.is_empty() {
                    self.say("nothing is looked for: Ctrl+F asks what");
                } else {
                    self.overlays.push(Overlay::replace_text());
                }
            }
            Command::ReplaceText => self.overlays.push(Overlay::replace_text()),
            Command::CopyText | Command::CutText => self.copy_text(command == Command::CutText),
            Command::PasteText => self.paste_clip(),
            Command::SelectAll => self.choose_all(),
            Command::LineUp | Command::LineDown => self.move_lines(command == Command::LineDown),
            Command::Outline => self.list_outline(),
            Command::Files => self.list_files(),
            Command::EnterSite => self.enter_on_site(),
            Command::Add => self.add_on_site(),
            Command::LayTiles => self.choose_tile(true),
            Command::MoveThing => self.begin_move(),
            Command::SizeThing => self.begin_size(),
            Command::CopyThing => self.copy_on_site(),
            Command::DeleteThing => self.delete_on_site(),
            Command::MarkCells => self.site.tool = crate::app::Tool::Mark { from: self.site.cursor },
            Command::MapSize => self.ask_on_site(crate::app::Ask::MapSize, String::new()),
            Command::FirstRule => self.first_rule(),
            Command::Count => self.site.count = Some(0),
            _ => {}
        }
    }
}
