//! Keys, the mouse and pasted text, read by a thread of their own: what waits there, even half a key sequence, never
//! holds a frame up.
//!
//! Not here: what a key does ([`crate::run`]).
//!
//! Invariant: every event is passed on in its order. While the application does not take them, that is said on the
//! last row within [`BUSY`], and `q` or Ctrl+C leaves at once.

use crate::sequence::{PIECE, Pieces};
use crate::terminal;
use crossterm::event::{self, Event, KeyCode, KeyEventKind, KeyModifiers};
use std::io;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::mpsc::{self, Receiver, RecvTimeoutError, Sender};
use std::time::{Duration, Instant};

/// How long events may wait until that is said.
pub const BUSY: Duration = Duration::from_millis(100);
/// How often the thread looks whether they still wait.
const LOOK: Duration = Duration::from_millis(25);

/// What the two threads share.
#[derive(Default)]
struct Shared {
    /// Events that were passed on and not yet taken.
    waiting: AtomicUsize,
    /// How many were taken by now.
    taken: AtomicUsize,
    /// A line is being written: letters are text.
    typing: AtomicBool,
    /// The last row says that keys wait.
    told: AtomicBool,
    /// Another program has the terminal: nothing is read. And: nothing is being read.
    pauses: AtomicBool,
    rests: AtomicBool,
}

impl Shared {
    /// Says that keys wait, where the last row does not say so already. It is noted once it stands there: a frame that
    /// was drawn meanwhile is drawn again.
    fn tell(&self, say: impl FnOnce()) {
        if !self.told.load(Ordering::SeqCst) {
            say();
            self.told.store(true, Ordering::SeqCst);
        }
    }

    /// True once after the last row was written over.
    fn wrote_over(&self) -> bool {
        self.told.swap(false, Ordering::SeqCst)
    }
}

/// The events of the terminal.
pub struct Inputs {
    events: Receiver<io::Result<Event>>,
    shared: Arc<Shared>,
}

impl Inputs {
    /// Begins to read.
    pub fn begin() -> Self {
        let (send, events) = mpsc::channel();
        let shared = Arc::new(Shared::default());
        let theirs = Arc::clone(&shared);
        std::thread::spawn(move || read(&send, &theirs));
        Self { events, shared }
    }

    /// The next event, waited for so long at most.
    ///
    /// # Errors
    /// A terminal that is lost.
    pub fn next(&self, wait: Duration) -> io::Result<Option<Event>> {
        match self.events.recv_timeout(wait) {
            Ok(event) => {
                self.shared.waiting.fetch_sub(1, Ordering::SeqCst);
                self.shared.taken.fetch_add(1, Ordering::SeqCst);
                event.map(Some)
            }
            Err(RecvTimeoutError::Timeout) => Ok(None),
            Err(RecvTimeoutError::Disconnected) => Err(io::Error::other("the terminal was lost")),
        }
    }

    /// Says whether a line is being written.
    pub fn set_typing(&self, typing: bool) {
        self.shared.typing.store(typing, Ordering::SeqCst);
    }

    /// Reads nothing until [`Inputs::go_on`]: another program has the terminal.
    pub fn pause(&self) {
        self.shared.pauses.store(true, Ordering::SeqCst);
        while !self.shared.rests.load(Ordering::SeqCst) && Arc::strong_count(&self.shared) > 1 {
            std::thread::sleep(Duration::from_millis(2));
        }
    }

    pub fn go_on(&self) {
        self.shared.pauses.store(false, Ordering::SeqCst);
    }

    /// True once after the last row was written over.
    pub fn wrote_over(&self) -> bool {
        self.shared.wrote_over()
    }
}

fn read(send: &Sender<io::Result<Event>>, shared: &Shared) {
    let mut since: Option<Instant> = None;
    let mut taken = 0;
    let mut pieces = Pieces::default();
    loop {
        while shared.pauses.load(Ordering::SeqCst) {
            shared.rests.store(true, Ordering::SeqCst);
            std::thread::sleep(LOOK);
        }
        shared.rests.store(false, Ordering::SeqCst);
        let events = match event::poll(if pieces.waits() { PIECE } else { LOOK }) {
            Ok(true) => event::read().map(|e| pieces.take(e)),
            Ok(false) => Ok(pieces.end()),
            Err(e) => Err(e),
        };
        let waits = shared.waiting.load(Ordering::SeqCst) > 0;
        // Of a flood of keys some are always taken: that is no heavy tick.
        let now = shared.taken.load(Ordering::SeqCst);
        let moves = std::mem::replace(&mut taken, now) != now;
        since = if waits && !moves { since.or_else(|| Some(Instant::now())) } else { None };
        let busy = since.is_some_and(|s| s.elapsed() > BUSY);
        let events = match events {
            Ok(events) => events,
            Err(e) => {
                shared.waiting.fetch_add(1, Ordering::SeqCst);
                let _ = send.send(Err(e));
                return;
            }
        };
        for event in events {
            if busy && leaves(&event, shared.typing.load(Ordering::SeqCst)) {
                terminal::give_back();
                std::process::exit(0);
            }
            shared.waiting.fetch_add(1, Ordering::SeqCst);
            if send.send(Ok(event)).is_err() {
                return;
            }
        }
        if busy {
            shared.tell(|| {
                terminal::say_below(
                    "a heavy tick is under way, keys wait; q leaves at once, and what is kept stays as it was",
                );
            });
        }
    }
}

/// True of the keys that leave.
fn leaves(event: &Event, typing: bool) -> bool {
    let Event::Key(k) = event else { return false };
    let control = k.modifiers.contains(KeyModifiers::CONTROL);
    k.kind == KeyEventKind::Press
        && match k.code {
            KeyCode::Char('c') => control,
            KeyCode::Char('q') => !typing && !control,
            _ => false,
        }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_row_written_over_while_a_frame_is_drawn_is_drawn_again() {
        let shared = Shared::default();
        // The application looks while the row is being written: it is not there yet.
        shared.tell(|| assert!(!shared.wrote_over()));
        shared.tell(|| panic!("it stands there"));
        assert!(shared.wrote_over());
        assert!(!shared.wrote_over(), "once");
    }
}
