//! What a prompt proposes as one types.
//!
//! Invariant: a proposal changes the line only when it is taken.

use crate::app::App;
use crate::app::Kind;
use crate::app::LineFor;
use crate::app::Offers;
use crate::app::Overlay;
use mayfly_session::propose::Prompt;

/// The line that is open was changed.
pub(super) fn mark(app: &mut App) {
    if let Some(Kind::Line { offers, .. }) = app.overlays.last_mut().map(|o| &mut o.kind) {
        (offers.stale, offers.at) = (true, None);
    }
    // What is looked for is lit as one types it.
    if let Some(top) = app.overlays.last()
        && matches!(top.kind, Kind::Line { what: LineFor::FindText, .. })
    {
        app.script.find.clone_from(&top.typed);
    }
}

/// Finds what fits the word under way in the line that is open, where it was changed.
pub(super) fn propose(app: &mut App) {
    let Some(top) = app.overlays.last() else { return };
    let Kind::Line { what, offers, .. } = &top.kind else { return };
    if !offers.stale {
        return;
    }
    if *what == LineFor::Site {
        return propose_on_site(app);
    }
    let prompt = match what {
        LineFor::Watch => Prompt::Watch,
        LineFor::Poke => Prompt::Poke,
        LineFor::Stop => Prompt::Stop,
        LineFor::GoTo => Prompt::GoTo,
        _ => return,
    };
    let at = top.cursor.unwrap_or(usize::MAX);
    let byte = top.typed.char_indices().nth(at).map_or(top.typed.len(), |(i, _)| i);
    // A line that is only proposed gives way to the first letter: what begins one is told.
    let (typed, byte) = if top.proposed { ("", 0) } else { (top.typed.as_str(), byte) };
    let (mut all, range) = app.session.offers(prompt, typed, byte);
    // What is typed in full is no proposal.
    let word = typed[range.clone()].to_string();
    all.retain(|o| o.text != word || word.is_empty());
    if let Some(Kind::Line { offers, .. }) = app.overlays.last_mut().map(|o| &mut o.kind) {
        *offers = Offers { all, range, at: None, stale: false };
    }
}

/// The same for what the map asks.
fn propose_on_site(app: &mut App) {
    let Some(top) = app.overlays.last() else { return };
    let typed = top.typed.clone();
    let at = top.cursor.unwrap_or(usize::MAX);
    let byte = typed.char_indices().nth(at).map_or(typed.len(), |(i, _)| i);
    let (typed, byte) = if top.proposed { (String::new(), 0) } else { (typed, byte) };
    let (mut all, range) = app.site_offers(&typed, byte);
    let word = typed.get(range.clone()).unwrap_or("").to_string();
    all.retain(|o| o.text != word || word.is_empty());
    if let Some(Kind::Line { offers, .. }) = app.overlays.last_mut().map(|o| &mut o.kind) {
        *offers = Offers { all, range, at: None, stale: false };
    }
}

impl Overlay {
    /// The chosen proposal, or the first, takes the place of the word under way.
    pub(super) fn take_offer(&mut self) {
        let Kind::Line { offers, .. } = &mut self.kind else { return };
        let Some(o) = offers.all.get(offers.at.unwrap_or(0)) else { return };
        if self.proposed {
            self.typed.clear();
            offers.range = 0..0;
        }
        let range = offers.range.clone();
        let text = o.text.clone();
        if range.end <= self.typed.len() {
            self.typed.replace_range(range.clone(), &text);
            self.cursor = Some(self.typed[..range.start + text.len()].chars().count());
        }
        offers.at = None;
    }
}
