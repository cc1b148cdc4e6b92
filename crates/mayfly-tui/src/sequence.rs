//! Key sequences that arrive in two pieces, put together again: where a terminal's line is full, or a network cuts it,
//! the Esc that begins a sequence is read alone, and its rest as letters that would be commands.
//!
//! Not here: where the events come from and go to ([`crate::input`]).
//!
//! Invariant: what is no piece of a sequence passes on unchanged and in its order; an Esc that nothing follows at once
//! is the key Esc.

use crossterm::event::{Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers};
use std::time::Duration;

/// How soon the rest of a sequence follows its Esc. Nobody types so quickly.
pub const PIECE: Duration = Duration::from_millis(30);
/// No sequence has more signs.
const LONGEST: usize = 40;

/// What may be the beginning of a sequence.
#[derive(Default)]
pub struct Pieces {
    /// An Esc and the keys after it, as they were read.
    held: Vec<Event>,
    /// The text of a paste that began with such a sequence.
    pasted: Option<String>,
}

impl Pieces {
    /// True while something waits for what follows it: ask [`Pieces::end`] where nothing does within [`PIECE`].
    pub fn waits(&self) -> bool {
        !self.held.is_empty() || self.pasted.is_some()
    }

    /// Takes the next event; returns what can be passed on now.
    pub fn take(&mut self, event: Event) -> Vec<Event> {
        let sign = sign(&event);
        let (first, second) = (self.held.is_empty(), self.held.len() == 1);
        match sign {
            _ if first && is_escape(&event) => self.held.push(event),
            Some('[' | 'O') if second => self.held.push(event),
            Some(' '..='?') if !first && !second && self.held.len() < LONGEST => self.held.push(event),
            Some(last @ '@'..='~') if !first && !second => return self.sequence(last),
            _ if !first => {
                let mut out = self.let_go();
                out.extend(self.take(event));
                return out;
            }
            _ => return self.pass(event),
        }
        Vec::new()
    }

    /// Nothing followed.
    pub fn end(&mut self) -> Vec<Event> {
        let mut out = self.let_go();
        out.extend(self.pasted.take().map(Event::Paste));
        out
    }

    fn let_go(&mut self) -> Vec<Event> {
        let held = std::mem::take(&mut self.held);
        held.into_iter().flat_map(|e| self.pass(e)).collect()
    }

    /// Within a paste all that is typed is text.
    fn pass(&mut self, event: Event) -> Vec<Event> {
        let Some(text) = &mut self.pasted else { return vec![event] };
        match &event {
            // A line's end is read so, which no key of its own sends.
            Event::Key(KeyEvent { code: KeyCode::Char('j'), modifiers: KeyModifiers::CONTROL, .. }) => text.push('\n'),
            Event::Key(KeyEvent { modifiers: KeyModifiers::CONTROL, .. }) => {}
            Event::Key(KeyEvent { code: KeyCode::Char(c), .. }) => text.push(*c),
            Event::Key(KeyEvent { code: KeyCode::Enter, .. }) => text.push('\n'),
            Event::Key(KeyEvent { code: KeyCode::Tab, .. }) => text.push('\t'),
            Event::Key(_) => {}
            _ => return vec![event],
        }
        Vec::new()
    }

    /// What the held sequence with this last sign says. The report of a mouse is dropped: another follows it.
    fn sequence(&mut self, last: char) -> Vec<Event> {
        let signs: String = self.held.drain(..).filter_map(|e| sign(&e)).collect();
        let numbers = &signs[1..];
        match (numbers, last) {
            ("200", '~') => self.pasted = Some(String::new()),
            ("201", '~') => return self.end(),
            _ => return key(numbers, last).map(|k| self.pass(Event::Key(k))).unwrap_or_default(),
        }
        Vec::new()
    }
}

/// The key of a sequence, by the numbers and the last sign that terminals send for it.
fn key(numbers: &str, last: char) -> Option<KeyEvent> {
    let mut numbers = numbers.split(';').map(|n| n.parse::<u8>().ok());
    let (first, modifiers) = (numbers.next().flatten(), numbers.next().flatten().unwrap_or(1).saturating_sub(1));
    let code = match (last, first) {
        ('A', _) => KeyCode::Up,
        ('B', _) => KeyCode::Down,
        ('C', _) => KeyCode::Right,
        ('D', _) => KeyCode::Left,
        ('H', _) | ('~', Some(1 | 7)) => KeyCode::Home,
        ('F', _) | ('~', Some(4 | 8)) => KeyCode::End,
        ('Z', _) => return Some(KeyEvent::new(KeyCode::BackTab, KeyModifiers::SHIFT)),
        ('~', Some(2)) => KeyCode::Insert,
        ('~', Some(3)) => KeyCode::Delete,
        ('~', Some(5)) => KeyCode::PageUp,
        ('~', Some(6)) => KeyCode::PageDown,
        ('P'..='S', _) => KeyCode::F(last as u8 - b'P' + 1),
        ('~', Some(n @ 11..=15)) => KeyCode::F(n - 10),
        ('~', Some(n @ 17..=21)) => KeyCode::F(n - 11),
        ('~', Some(n @ 23..=24)) => KeyCode::F(n - 12),
        _ => return None,
    };
    let bits = [(1, KeyModifiers::SHIFT), (2, KeyModifiers::ALT), (4, KeyModifiers::CONTROL)];
    let modifiers = bits.into_iter().filter(|(bit, _)| modifiers & bit != 0).map(|(_, m)| m).collect();
    Some(KeyEvent::new(code, modifiers))
}

fn is_escape(event: &Event) -> bool {
    matches!(event, Event::Key(k) if k.code == KeyCode::Esc && k.modifiers.is_empty() && k.kind == KeyEventKind::Press)
}

/// The sign that a key writes.
fn sign(event: &Event) -> Option<char> {
    match event {
        Event::Key(KeyEvent { code: KeyCode::Char(c), modifiers, kind: KeyEventKind::Press, .. })
            if (*modifiers - KeyModifiers::SHIFT).is_empty() =>
        {
            Some(*c)
        }
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn typed(text: &str) -> Vec<Event> {
        let key = |c| match c {
            '\u{1b}' => KeyCode::Esc,
            '\n' => KeyCode::Enter,
            c => KeyCode::Char(c),
        };
        text.chars().map(|c| Event::Key(key(c).into())).collect()
    }

    /// What comes out where these pieces arrive with a pause behind each.
    fn out(pieces: &[&str]) -> Vec<Event> {
        let mut p = Pieces::default();
        let mut out = Vec::new();
        for piece in pieces {
            out.extend(typed(piece).into_iter().flat_map(|e| p.take(e)));
            out.extend(p.end());
        }
        assert!(!p.waits());
        out
    }

    #[test]
    fn a_sequence_in_two_pieces_is_what_it_would_have_been() {
        assert_eq!(out(&["a\u{1b}[<35;10;10Mb"]), typed("ab"), "the report of a mouse");
        assert_eq!(out(&["\u{1b}[A"]), [Event::Key(KeyCode::Up.into())]);
        assert_eq!(out(&["\u{1b}OQ"]), [Event::Key(KeyCode::F(2).into())]);
        assert_eq!(out(&["\u{1b}[3~"]), [Event::Key(KeyCode::Delete.into())]);
        let shifted = KeyEvent::new(KeyCode::Left, KeyModifiers::SHIFT | KeyModifiers::CONTROL);
        assert_eq!(out(&["\u{1b}[1;6D"]), [Event::Key(shifted)]);
    }

    #[test]
    fn a_paste_whose_beginning_was_cut_is_text_and_no_commands() {
        let pasted = |t: &str| Event::Paste(t.to_string());
        assert_eq!(out(&["\u{1b}[200~q\nq!"]), [pasted("q\nq!")], "the end was read whole and says nothing");
        let mut both = vec![pasted("q[")];
        both.extend(typed("x"));
        assert_eq!(out(&["\u{1b}[200~q[\u{1b}[201~x"]), both);
        let mut p = Pieces::default();
        let control = |c| Event::Key(KeyEvent::new(KeyCode::Char(c), KeyModifiers::CONTROL));
        let mut all = typed("\u{1b}[200~a");
        all.extend([control('j'), control('s')]);
        all.extend(typed("b"));
        assert!(all.into_iter().all(|e| p.take(e).is_empty()) && p.waits());
        assert_eq!(p.end(), [pasted("a\nb")], "a line's end, and no command");
    }

    #[test]
    fn all_else_passes_as_it_came() {
        let long = format!("\u{1b}[{}", "1".repeat(60));
        for text in ["abc", "\u{1b}", "\u{1b}x", "\u{1b}\u{1b}", "\u{1b}[", "\u{1b}[1\n", "[A", "\u{1b}[é", &long] {
            assert_eq!(out(&[text]), typed(text), "{text:?}");
        }
        // Time between them: two keys.
        assert_eq!(out(&["\u{1b}", "[A"]), typed("\u{1b}[A"));
    }
}
