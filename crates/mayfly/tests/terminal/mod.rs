//! The real binary in tmux, as a person would use it, and a small level to use it on.
//!
//! Invariant: nothing here sleeps for a fixed time where it can wait for what must appear.

use std::path::Path;
use std::process::{Command, Output};
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::{Duration, Instant};

static NUMBER: AtomicU32 = AtomicU32::new(0);

/// A terminal of its own with the application in it.
pub struct Terminal {
    socket: String,
}

impl Terminal {
    pub fn open(size: (u16, u16), args: &[&str]) -> Self {
        // No one's own settings: a folder that is not there.
        Self::open_with(size, args, Path::new("/nonexistent"))
    }

    /// As one who stands in that folder.
    pub fn open_in(folder: &Path, size: (u16, u16), args: &[&str]) -> Self {
        Self::begun(size, args, Path::new("/nonexistent"), Some(folder))
    }

    /// With settings from that folder.
    pub fn open_with(size: (u16, u16), args: &[&str], settings: &Path) -> Self {
        Self::begun(size, args, settings, None)
    }

    fn begun(size: (u16, u16), args: &[&str], settings: &Path, folder: Option<&Path>) -> Self {
        let socket = format!("mayfly-{}-{}", std::process::id(), NUMBER.fetch_add(1, Ordering::SeqCst));
        let t = Self { socket };
        let there = folder.map_or(String::new(), |f| format!("cd '{}'; ", f.display()));
        let mut command = format!(
            "{there}env -u NO_COLOR COLORTERM=truecolor XDG_CONFIG_HOME={} {}",
            settings.display(),
            env!("CARGO_BIN_EXE_mayfly")
        );
        args.iter().for_each(|a| command.push_str(&format!(" '{a}'")));
        command.push_str("; echo status $?; exec sleep 600");
        let (w, h) = (size.0.to_string(), size.1.to_string());
        let out = t.tmux(&["-f", "/dev/null", "new-session", "-d", "-x", &w, "-y", &h, &command]);
        assert!(out.status.success(), "tmux did not start: {}", String::from_utf8_lossy(&out.stderr));
        t.tmux(&["set", "-g", "status", "off"]);
        t.tmux(&["set", "-s", "escape-time", "5"]);
        t
    }

    /// Waits until it has ended well.
    pub fn ended(&self) {
        self.see(&["status 0"]);
    }

    /// Waits until something outside of the screen is so.
    pub fn wait_for(&self, mut is: impl FnMut() -> bool) {
        let end = Instant::now() + Duration::from_secs(20);
        while !is() {
            assert!(Instant::now() < end, "it never came to be; the screen:\n{}", self.screen());
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    /// Pastes a file's text, as a terminal with bracketed paste does.
    pub fn paste(&self, file: &Path) -> &Self {
        self.tmux(&["load-buffer", &file.display().to_string()]);
        self.tmux(&["paste-buffer", "-p"]);
        self
    }

    pub fn tmux(&self, args: &[&str]) -> Output {
        Command::new("tmux")
            .args(["-u", "-L", &self.socket])
            .args(args)
            .output()
            .expect("tmux is installed (./test does that)")
    }

    /// Quits; where a flight with keys or pokes of one's own is asked about, it is not saved.
    pub fn quit(&self) {
        self.tmux(&["send-keys", "q"]);
        let end = Instant::now() + Duration::from_secs(20);
        loop {
            let screen = self.screen();
            if screen.contains("status 0") {
                return;
            }
            if screen.contains("quit without saving it") {
                self.keys(&["Down", "Enter"]).see(&["status 0"]);
                return;
            }
            assert!(Instant::now() < end, "it does not end:\n{screen}");
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    pub fn screen(&self) -> String {
        String::from_utf8_lossy(&self.tmux(&["capture-pane", "-p"]).stdout).to_string()
    }

    /// Waits until the screen shows all of these at once.
    pub fn see(&self, wanted: &[&str]) -> String {
        let end = Instant::now() + Duration::from_secs(20);
        loop {
            let screen = self.screen();
            if wanted.iter().all(|w| screen.contains(w)) {
                return screen;
            }
            assert!(Instant::now() < end, "never saw {wanted:?} on:\n{screen}");
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    /// Waits until the screen shows all of these, whatever the space between words and whatever frames them.
    pub fn see_words(&self, wanted: &[&str]) {
        let plain = |t: &str| t.replace(['│', '─'], " ").split_whitespace().collect::<Vec<_>>().join(" ");
        let end = Instant::now() + Duration::from_secs(20);
        loop {
            let screen = self.screen();
            let words = plain(&screen);
            let missing: Vec<_> = wanted.iter().filter(|w| !words.contains(&plain(w))).collect();
            if missing.is_empty() {
                return;
            }
            assert!(Instant::now() < end, "never saw {missing:?} on:\n{screen}");
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    /// Waits until the screen no longer shows this.
    pub fn gone(&self, unwanted: &str) {
        let end = Instant::now() + Duration::from_secs(20);
        while self.screen().contains(unwanted) {
            assert!(Instant::now() < end, "{unwanted} stays on:\n{}", self.screen());
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    pub fn keys(&self, keys: &[&str]) -> &Self {
        for k in keys {
            let before = self.screen();
            self.tmux(&["send-keys", k]);
            // A key right behind Esc would be read as one with Alt: Esc is let work first, where it does anything.
            if *k == "Escape" {
                self.changes_from(&before);
            }
        }
        self
    }

    pub fn typed(&self, text: &str) -> &Self {
        let before = self.screen();
        // A lone `;` would part two commands of tmux.
        self.tmux(&["send-keys", "-l", if text == ";" { "\\;" } else { text }]);
        self.changes_from(&before);
        self
    }

    /// Lets what was sent work first, where it does anything.
    fn changes_from(&self, before: &str) {
        let end = Instant::now() + Duration::from_secs(2);
        while self.screen() == before && Instant::now() < end {
            std::thread::sleep(Duration::from_millis(20));
        }
    }
}

impl Drop for Terminal {
    fn drop(&mut self) {
        self.tmux(&["kill-server"]);
    }
}

pub const ROOM: &str = r#"level "Room" { rate 10; seed 1 }
tiles { '#' piles solid opaque; '_' boards }
map """
##########
#________#
##########
"""
kind person { steered; speed 10; var oil = 0 }
kind lamp { look "x"; var lit = false }
place keeper: person at (1, 1)
place lamp at (6, 1)
zone jetty = rect (3, 1) 2 x 1 for person
var visits = 0
/// Counts every visit.
rule "count visits" { when person enters jetty; then { visits += 1 } }
rule "light a lamp" { when person touches lamp; if person.oil > 0; then { lamp.lit = true } }
"#;

pub fn room(dir: &Path) -> String {
    let path = dir.join("room.may");
    std::fs::write(&path, ROOM).expect("the level is written");
    path.to_str().expect("a path").to_string()
}
