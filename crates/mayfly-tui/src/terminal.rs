//! The terminal itself: taken over, and always given back.
//!
//! Invariant: whatever ends the application, a panic and a signal included, the terminal is as it was.

use crossterm::cursor::{MoveTo, Show};
use crossterm::event::{
    DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture, KeyboardEnhancementFlags,
    PopKeyboardEnhancementFlags, PushKeyboardEnhancementFlags,
};
use crossterm::execute;
use crossterm::style::Print;
use crossterm::terminal::{
    Clear, ClearType, EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode, enable_raw_mode,
    supports_keyboard_enhancement,
};
use ratatui::Terminal;
use ratatui::backend::CrosstermBackend;
use std::io::{self, Stdout, Write};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Mutex, MutexGuard, PoisonError, TryLockError};
use std::time::Duration;

static TAKEN: AtomicBool = AtomicBool::new(false);
static ENHANCED: AtomicBool = AtomicBool::new(false);
/// It was so when the terminal was taken over first.
static CAN_ENHANCE: AtomicBool = AtomicBool::new(false);
/// Held while anything is written to the terminal.
static WRITING: Mutex<()> = Mutex::new(());

/// The screen that is drawn on.
pub type Screen = Terminal<CrosstermBackend<Stdout>>;

/// Takes the terminal over. The flag says whether it tells when a key is let go.
///
/// # Errors
/// A terminal that cannot be taken over.
pub fn take() -> io::Result<(Screen, bool)> {
    enable_raw_mode()?;
    TAKEN.store(true, Ordering::SeqCst);
    let enhanced = supports_keyboard_enhancement().unwrap_or(false);
    CAN_ENHANCE.store(enhanced, Ordering::SeqCst);
    set_up()?;
    let hook = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |info| {
        give_back();
        hook(info);
    }));
    Ok((Terminal::new(CrosstermBackend::new(io::stdout()))?, enhanced))
}

fn set_up() -> io::Result<()> {
    let mut out = io::stdout();
    execute!(out, EnterAlternateScreen, EnableMouseCapture, EnableBracketedPaste)?;
    if CAN_ENHANCE.load(Ordering::SeqCst) {
        let flags = KeyboardEnhancementFlags::REPORT_EVENT_TYPES | KeyboardEnhancementFlags::DISAMBIGUATE_ESCAPE_CODES;
        execute!(out, PushKeyboardEnhancementFlags(flags))?;
        ENHANCED.store(true, Ordering::SeqCst);
    }
    Ok(())
}

/// Takes the terminal over once more, after it was given back while the process was stopped.
///
/// # Errors
/// A terminal that cannot be taken over.
pub fn take_again() -> io::Result<()> {
    let _writing = writing();
    enable_raw_mode()?;
    TAKEN.store(true, Ordering::SeqCst);
    set_up()
}

/// Writes to the terminal while nobody else does.
pub fn alone<T>(write: impl FnOnce() -> T) -> T {
    let _writing = WRITING.lock().unwrap_or_else(PoisonError::into_inner);
    write()
}

/// Clears the terminal; the next frame writes every cell again. Nothing is asked of the terminal for it: an answer could be
/// lost among the keys that wait, or come late on a busy machine.
///
/// # Errors
/// A terminal that is lost.
pub fn wipe(screen: &mut Screen) -> io::Result<()> {
    alone(|| execute!(io::stdout(), Clear(ClearType::All)))?;
    // Both buffers are empty then, so that the next frame differs from what was drawn last in every cell that it writes.
    screen.swap_buffers();
    Ok(())
}

/// Waits a little for who writes just now; one that hangs or panicked while it wrote stops nobody.
fn writing() -> Option<MutexGuard<'static, ()>> {
    for _ in 0..20 {
        match WRITING.try_lock() {
            Ok(guard) => return Some(guard),
            Err(TryLockError::Poisoned(e)) => return Some(e.into_inner()),
            Err(TryLockError::WouldBlock) => std::thread::sleep(Duration::from_millis(5)),
        }
    }
    None
}

/// Says something on the last row, past the screen that is drawn.
pub fn say_below(text: &str) {
    let Some(_writing) = writing().filter(|_| TAKEN.load(Ordering::SeqCst)) else { return };
    let Ok((columns, rows)) = crossterm::terminal::size() else { return };
    let text: String = text.chars().take(columns as usize).collect();
    let row = rows.saturating_sub(1);
    let _ = execute!(io::stdout(), MoveTo(0, row), Clear(ClearType::CurrentLine), Print(text));
}

/// Gives the terminal back; a second call does nothing.
pub fn give_back() {
    if !TAKEN.swap(false, Ordering::SeqCst) {
        return;
    }
    let _writing = writing();
    let mut out = io::stdout();
    if ENHANCED.swap(false, Ordering::SeqCst) {
        let _ = execute!(out, PopKeyboardEnhancementFlags);
    }
    let _ = execute!(out, DisableBracketedPaste, DisableMouseCapture, LeaveAlternateScreen, Show);
    let _ = out.flush();
    let _ = disable_raw_mode();
}
