//! The terminal itself: taken over, and always given back.
//!
//! Invariant: whatever ends the application, a panic and a signal included, the terminal is as it was.

use crossterm::cursor::Show;
use crossterm::event::{
    DisableMouseCapture, EnableMouseCapture, KeyboardEnhancementFlags, PopKeyboardEnhancementFlags,
    PushKeyboardEnhancementFlags,
};
use crossterm::execute;
use crossterm::terminal::{
    EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode, enable_raw_mode, supports_keyboard_enhancement,
};
use ratatui::Terminal;
use ratatui::backend::CrosstermBackend;
use std::io::{self, Stdout, Write};
use std::sync::atomic::{AtomicBool, Ordering};

static TAKEN: AtomicBool = AtomicBool::new(false);
static ENHANCED: AtomicBool = AtomicBool::new(false);

/// The screen that is drawn on.
pub type Screen = Terminal<CrosstermBackend<Stdout>>;

/// Takes the terminal over. The flag says whether it tells when a key is let go.
///
/// # Errors
/// A terminal that cannot be taken over.
pub fn take() -> io::Result<(Screen, bool)> {
    enable_raw_mode()?;
    TAKEN.store(true, Ordering::SeqCst);
    let mut out = io::stdout();
    execute!(out, EnterAlternateScreen, EnableMouseCapture)?;
    let enhanced = supports_keyboard_enhancement().unwrap_or(false);
    if enhanced {
        let flags = KeyboardEnhancementFlags::REPORT_EVENT_TYPES | KeyboardEnhancementFlags::DISAMBIGUATE_ESCAPE_CODES;
        execute!(out, PushKeyboardEnhancementFlags(flags))?;
        ENHANCED.store(true, Ordering::SeqCst);
    }
    let hook = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |info| {
        give_back();
        hook(info);
    }));
    Ok((Terminal::new(CrosstermBackend::new(io::stdout()))?, enhanced))
}

/// Gives the terminal back; a second call does nothing.
pub fn give_back() {
    if !TAKEN.swap(false, Ordering::SeqCst) {
        return;
    }
    let mut out = io::stdout();
    if ENHANCED.swap(false, Ordering::SeqCst) {
        let _ = execute!(out, PopKeyboardEnhancementFlags);
    }
    let _ = execute!(out, DisableMouseCapture, LeaveAlternateScreen, Show);
    let _ = out.flush();
    let _ = disable_raw_mode();
}
