//! News for the application: a file of the level changed, a signal asks to end or to stop for a while.
//!
//! The folders of the level's files are watched, not the files: a file's own watch ends with the first save that
//! replaces it. Each second the files are also looked at by themselves, so that a folder that was made again, or a link
//! that leads elsewhere, is noticed.
//!
//! Invariant: a text is sent only when it is whole and differs from the one that the application has, and none is
//! missed that was written since the application read its own; only folders in which
//! a file of the level lies are watched.

use crate::files;
use anyhow::Result;
use mayfly_lang::diagnostic::Source;
use mayfly_tui::run::News;
use mayfly_tui::terminal;
use notify::{Event, EventKind, RecommendedWatcher, RecursiveMode, Watcher};
use signal_hook::consts::{SIGALRM, SIGHUP, SIGINT, SIGQUIT, SIGTERM, SIGTSTP, SIGUSR1, SIGUSR2};
use signal_hook::iterator::Signals;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{self, RecvTimeoutError, Sender};
use std::thread;
use std::time::{Duration, SystemTime};

/// How long the application has to end by itself after a signal.
const GRACE: Duration = Duration::from_millis(500);
/// How often the files are looked at by themselves.
const LOOK: Duration = Duration::from_secs(1);
/// Bytes of the watching thread's stack.
const STACK: usize = 32 << 20;
/// A save is often several events; the text is read when they are over.
const SETTLE: Duration = Duration::from_millis(40);

/// Ends the application on a signal that asks for it, with the terminal given back; stops and comes back with it on
/// SIGTSTP.
///
/// # Errors
/// Signals that cannot be taken.
pub fn signals(send: Sender<News>) -> Result<()> {
    let mut signals = Signals::new([SIGTERM, SIGHUP, SIGINT, SIGQUIT, SIGUSR1, SIGUSR2, SIGALRM, SIGTSTP])?;
    thread::spawn(move || {
        for signal in signals.forever() {
            if signal == SIGTSTP {
                terminal::give_back();
                // The process stops in here, and goes on when it is taken to the front again.
                let _ = signal_hook::low_level::emulate_default_handler(SIGTSTP);
                if terminal::take_again().is_err() || send.send(News::Again).is_err() {
                    return;
                }
                continue;
            }
            let _ = send.send(News::End);
            // Reading from a terminal that is gone can hang for ever: the end does not wait for it.
            thread::sleep(GRACE);
            terminal::give_back();
            std::process::exit(128 + signal);
        }
    });
    Ok(())
}

/// A text as it was sent last.
type Texts = Option<Vec<String>>;

fn texts(sources: &[Source]) -> Vec<String> {
    sources.iter().map(|s| s.text.clone()).collect()
}

/// The files of a level as they lie on the disk now: where, when written, how long.
type Stamp = Vec<(PathBuf, Option<(SystemTime, u64)>)>;

struct Files {
    path: PathBuf,
    /// The files of the level.
    all: Vec<PathBuf>,
    watched: BTreeSet<PathBuf>,
    watcher: Option<RecommendedWatcher>,
    /// That a folder cannot be watched was said.
    told: bool,
}

impl Files {
    fn take(&mut self, sources: &[Source]) {
        let used = sources.iter().skip(1).map(|s| files::of_source(&self.path, &s.name));
        self.all = std::iter::once(self.path.clone()).chain(used).collect();
    }

    fn stamp(&self) -> Stamp {
        let of = |p: &PathBuf| {
            let meta = std::fs::metadata(p).ok()?;
            Some((meta.modified().ok()?, meta.len()))
        };
        self.all.iter().map(|p| (p.canonicalize().unwrap_or_else(|_| p.clone()), of(p))).collect()
    }

    /// Watches the folders in which the files lie, and no others; false where one cannot be watched.
    fn watch(&mut self) -> bool {
        let Some(watcher) = &mut self.watcher else { return false };
        let mut folders = BTreeSet::new();
        for file in &self.all {
            // A link and what it leads to may both change.
            let real = file.canonicalize().ok();
            let parents = [Some(file.as_path()), real.as_deref()].into_iter().flatten().filter_map(Path::parent);
            folders
                .extend(parents.map(|p| if p.as_os_str().is_empty() { PathBuf::from(".") } else { p.to_path_buf() }));
        }
        for gone in self.watched.difference(&folders).cloned().collect::<Vec<_>>() {
            let _ = watcher.unwatch(&gone);
            self.watched.remove(&gone);
        }
        let mut all = true;
        for folder in folders {
            if !folder.is_dir() {
                // A folder that was made again is watched again.
                self.watched.remove(&folder);
                continue;
            }
            if self.watched.contains(&folder) {
                continue;
            }
            match watcher.watch(&folder, RecursiveMode::NonRecursive) {
                Ok(()) => drop(self.watched.insert(folder)),
                Err(_) => all = false,
            }
        }
        all
    }

    /// Watches; says once where that cannot be done.
    fn watch_and_say(&mut self, send: &Sender<News>) {
        if !self.watch() && !std::mem::replace(&mut self.told, true) {
            let text = "the level's folder cannot be watched; its files are looked at each second";
            let _ = send.send(News::Said(text.into()));
        }
    }
}

/// Watches a level's files while the application lives; `shown` are the texts that it began with.
///
/// Gives what ends it: set, it sends nothing more.
pub fn file(path: &Path, shown: &[Source], send: Sender<News>) -> Arc<AtomicBool> {
    let ends = Arc::new(AtomicBool::new(false));
    let is_over = Arc::clone(&ends);
    let path = path.to_path_buf();
    let mut last: Texts = Some(texts(shown));
    let unwatched = send.clone();
    let (wake, woken) = mpsc::channel::<()>();
    let watcher = notify::recommended_watcher(move |event: notify::Result<Event>| {
        if event.is_ok_and(|e| !matches!(e.kind, EventKind::Access(_))) {
            let _ = wake.send(());
        }
    })
    .ok();
    let mut files = Files { path, all: vec![], watched: BTreeSet::new(), watcher, told: false };
    files.take(shown);
    let work = move || {
        files.watch_and_say(&send);
        // Nothing was looked at yet: the first look reads, since a save may have come before the watch stood.
        let mut stamp = Stamp::new();
        loop {
            let woke = match woken.recv_timeout(LOOK) {
                Ok(()) => {
                    while woken.recv_timeout(SETTLE).is_ok() {}
                    true
                }
                Err(RecvTimeoutError::Timeout) => false,
                // Without a watcher the files are looked at all the same.
                Err(RecvTimeoutError::Disconnected) => {
                    thread::sleep(LOOK);
                    false
                }
            };
            if is_over.load(Ordering::SeqCst) {
                return;
            }
            // Taken before the text is read: what is written while it is read differs at the next look.
            let now = files.stamp();
            if !woke && now == stamp {
                continue;
            }
            stamp = now;
            if !take_change(&mut files, &mut last, &send) {
                return;
            }
            files.watch_and_say(&send);
        }
    };
    // A text that is nested as deep as may be is read here as well as on the first thread.
    if thread::Builder::new().stack_size(STACK).spawn(work).is_err() {
        let _ = unwatched.send(News::Said("the level's file is not watched: there is no thread for it".into()));
    }
    ends
}

/// Something changed on the disk; false where nobody listens any more.
fn take_change(files: &mut Files, last: &mut Texts, send: &Sender<News>) -> bool {
    match files::read(&files.path) {
        // A file cut to nothing is one in the midst of being written.
        Ok(text) if text.is_empty() => true,
        Ok(text) => {
            let checked = files::check_text(&files.path, &text);
            files.take(&checked.sources);
            let now = Some(texts(&checked.sources));
            if now == *last {
                return true;
            }
            *last = now;
            send.send(News::Text(Box::new(checked))).is_ok()
        }
        Err(e) => {
            *last = None;
            send.send(News::Lost(format!("{e:#}"))).is_ok()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const WAIT: Duration = Duration::from_secs(20);

    fn room(title: &str) -> String {
        format!("level \"{title}\" {{ rate 10 }}\nvar a = 0\n")
    }

    #[test]
    fn a_save_between_opening_and_watching_is_not_missed() {
        let dir = tempfile::tempdir().expect("a folder");
        let path = dir.path().join("room.may");
        std::fs::write(&path, room("Shown")).expect("the level is written");
        let shown = files::check(&path).expect("the level is read").sources;
        std::fs::write(&path, room("Saved")).expect("the level is written");
        let (send, news) = mpsc::channel();
        file(&path, &shown, send);
        let Ok(News::Text(now)) = news.recv_timeout(WAIT) else { panic!("the save was missed") };
        assert_eq!(now.sources[0].text, room("Saved"));
        // What is shown already is no news: the next one is the next save.
        std::fs::write(&path, room("Third")).expect("the level is written");
        let Ok(News::Text(now)) = news.recv_timeout(WAIT) else { panic!("the second save was missed") };
        assert_eq!(now.sources[0].text, room("Third"));
    }
}
