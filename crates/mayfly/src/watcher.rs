//! News for the application: the level's file changed, a signal asks to end.
//!
//! The folder is watched, not the file: a file's own watch ends with the first save that replaces it.
//!
//! Invariant: a text is sent only when it is whole and differs from the last one that was sent.

use crate::files;
use anyhow::Result;
use mayfly_tui::run::News;
use notify::{Event, EventKind, RecommendedWatcher, RecursiveMode, Watcher};
use signal_hook::consts::{SIGHUP, SIGTERM};
use signal_hook::iterator::Signals;
use std::path::Path;
use std::sync::mpsc::{self, Sender};
use std::thread;
use std::time::Duration;

/// How long the application has to end by itself after a signal.
const GRACE: Duration = Duration::from_millis(500);

/// Ends the application on SIGTERM and SIGHUP, with the terminal given back.
///
/// # Errors
/// Signals that cannot be taken.
pub fn signals(send: Sender<News>) -> Result<()> {
    let mut signals = Signals::new([SIGTERM, SIGHUP])?;
    thread::spawn(move || {
        if let Some(signal) = signals.forever().next() {
            let _ = send.send(News::End);
            // Reading from a terminal that is gone can hang for ever: the end does not wait for it.
            thread::sleep(GRACE);
            mayfly_tui::terminal::give_back();
            std::process::exit(128 + signal);
        }
    });
    Ok(())
}

/// Watches a level's file; None where the folder cannot be watched.
pub fn file(path: &Path, send: Sender<News>) -> Option<RecommendedWatcher> {
    let path = path.canonicalize().ok()?;
    let folder = path.parent()?.to_path_buf();
    let (wake, woken) = mpsc::channel::<()>();
    let name = path.file_name()?.to_owned();
    let mut watcher = notify::recommended_watcher(move |event: notify::Result<Event>| {
        let Ok(event) = event else { return };
        let changed = !matches!(event.kind, EventKind::Access(_));
        // A file that the level uses counts as the level's own.
        let ours = |p: &std::path::PathBuf| p.file_name() == Some(&name) || p.extension().is_some_and(|e| e == "may");
        if changed && event.paths.iter().any(ours) {
            let _ = wake.send(());
        }
    })
    .ok()?;
    watcher.watch(&folder, RecursiveMode::Recursive).ok()?;
    let texts = |c: &mayfly_lang::check::Checked| c.sources.iter().map(|s| s.text.clone()).collect::<Vec<_>>();
    let mut last = files::check(&path).ok().map(|c| texts(&c));
    thread::spawn(move || {
        while woken.recv().is_ok() {
            // A save is often several events; the text is read when they are over.
            while woken.recv_timeout(Duration::from_millis(40)).is_ok() {}
            match files::read(&path) {
                // A file cut to nothing is one in the midst of being written.
                Ok(text) if text.is_empty() => {}
                Ok(text) => {
                    let checked = files::check_text(&path, &text);
                    let now = Some(texts(&checked));
                    if now == last {
                        continue;
                    }
                    last = now;
                    if send.send(News::Text(Box::new(checked))).is_err() {
                        return;
                    }
                }
                Err(e) => {
                    last = None;
                    if send.send(News::Lost(format!("{e:#}"))).is_err() {
                        return;
                    }
                }
            }
        }
    });
    Some(watcher)
}
