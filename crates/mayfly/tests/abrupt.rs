//! The application under fire: floods of input, halves of sequences, signals, files that are none.

use crate::terminal::{ROOM, Terminal, room};
use std::process::Command;

/// The process of the application in a terminal.
fn process(t: &Terminal) -> String {
    let shell = t.tmux(&["display-message", "-p", "#{pane_pid}"]).stdout;
    let shell = String::from_utf8_lossy(&shell).trim().to_string();
    let out = Command::new("ps").args(["--ppid", &shell, "-o", "pid="]).output().expect("ps runs");
    String::from_utf8_lossy(&out.stdout).split_whitespace().next().expect("the application runs").to_string()
}

fn kill(signal: &str, process: &str) {
    assert!(Command::new("kill").args([signal, process]).status().expect("kill runs").success());
}

/// Pastes a megabyte at once; bracketed or as if it were typed.
fn flood(t: &Terminal, folder: &std::path::Path, what: &str, bracketed: bool) {
    let file = folder.join("flood");
    std::fs::write(&file, what.repeat((1 << 20) / what.len())).expect("a flood");
    t.tmux(&["load-buffer", file.to_str().expect("a path")]);
    t.tmux(if bracketed { &["paste-buffer", "-p"] } else { &["paste-buffer"] });
}

#[test]
fn a_megabyte_of_input_deafens_nothing_and_a_paste_is_one_event() {
    let dir = tempfile::tempdir().expect("a folder");
    let t = Terminal::open((120, 40), &["open", &room(dir.path())]);
    t.see(&["paused at the live edge"]);
    flood(&t, dir.path(), "n~ü\u{1b}[A", true);
    t.see(&["text is pasted into a line that is being written", "tick 0 "]);
    t.keys(&["p"]).see(&["Poke"]);
    t.tmux(&["set-buffer", "visits = 7"]);
    t.tmux(&["paste-buffer", "-p"]);
    t.see(&["visits = 7"]);
    t.keys(&["Enter"]).see(&["waits for tick 1"]);
    // As if typed: keys that do nothing here, and reports of a mouse.
    flood(&t, dir.path(), "~~~~\u{1b}[<35;10;10M", false);
    t.keys(&["n"]).see(&["visits      0 → 7"]);
    t.quit();
}

#[test]
fn half_a_sequence_holds_no_frame_up() {
    let dir = tempfile::tempdir().expect("a folder");
    let text = ROOM.replace("var visits = 0", "var visits = 0\nrule \"count\" { when tick; then { visits += 1 } }");
    let path = room(dir.path());
    std::fs::write(&path, text).expect("the level is written");
    for half in [&["1b", "4f"][..], &["1b", "5b", "3f"], &["c3"], &["1b", "5b", "3c", "30", "3b"], &["1b"]] {
        let t = Terminal::open((120, 40), &["open", &path]);
        t.see(&["paused at the live edge"]);
        t.keys(&["Space"]).see(&["running"]);
        let mut keys = vec!["send-keys", "-H"];
        keys.extend(half);
        t.tmux(&keys);
        let before = t.screen();
        let tick = |s: &str| s.split("tick ").nth(2).and_then(|s| s.split(' ').next()).map(str::to_string);
        let end = std::time::Instant::now() + std::time::Duration::from_secs(10);
        while tick(&t.screen()) == tick(&before) {
            assert!(std::time::Instant::now() < end, "it stands still after {half:?}:\n{}", t.screen());
            std::thread::sleep(std::time::Duration::from_millis(20));
        }
        // The first keys end the sequence, whichever it is.
        t.keys(&["u", "u", "m", "Enter", "Escape", "q", "q"]);
        assert!(t.see(&["status "]).contains("status 0"), "{half:?}");
    }
}

#[test]
fn every_signal_gives_the_terminal_back() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = room(dir.path());
    for (signal, status) in [("-INT", 130), ("-QUIT", 131), ("-USR1", 138), ("-ALRM", 142), ("-TERM", 0), ("-HUP", 0)] {
        let t = Terminal::open((120, 40), &["open", &path]);
        t.see(&["paused at the live edge"]);
        kill(signal, &process(&t));
        let said = t.see(&["status "]);
        let ended = said.contains(&format!("status {status}")) || said.contains("status 0");
        assert!(ended && !said.contains("Cascade"), "{signal}: {said}");
    }
}

#[test]
fn a_stopped_application_comes_back_and_hears() {
    let dir = tempfile::tempdir().expect("a folder");
    let t = Terminal::open((120, 40), &["open", &room(dir.path())]);
    t.see(&["paused at the live edge"]);
    let process = process(&t);
    kill("-TSTP", &process);
    t.gone("Cascade");
    kill("-CONT", &process);
    t.see(&["paused at the live edge", "Cascade"]);
    t.keys(&["n"]).see(&["tick 1 "]);
    t.quit();
}

#[test]
fn leaving_keeps_what_is_kept_and_a_broken_file_is_put_aside() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = room(dir.path());
    std::fs::write(&path, ROOM.replace("var visits", "keep var visits")).expect("the level is written");
    let kept = dir.path().join("room.kept");
    std::fs::write(&kept, "{\"vars\":").expect("a broken file");
    let t = Terminal::open((120, 40), &["open", &path]);
    t.see(&["put aside", "paused at the live edge"]);
    assert_eq!(std::fs::read_to_string(dir.path().join("room.kept.aside")).ok().as_deref(), Some("{\"vars\":"));
    t.keys(&["p"]).typed("visits = 4").keys(&["Enter"]).see(&["waits for tick 1"]);
    t.keys(&["n"]).see(&["visits      0 → 4"]);
    t.quit();
    let text = std::fs::read_to_string(&kept).expect("what is kept");
    assert!(text.contains("\"visits\":4"), "{text}");
    let t = Terminal::open((120, 40), &["open", &path]);
    t.see(&["visits      4"]);
}

#[test]
fn pipes_beside_a_level_are_refused_at_once() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = room(dir.path());
    for name in ["room.stops", "room.watches"] {
        let pipe = dir.path().join(name);
        assert!(Command::new("mkfifo").arg(&pipe).status().expect("mkfifo runs").success());
    }
    let t = Terminal::open((120, 40), &["open", &path]);
    t.see(&["is no plain file and was not read", "paused at the live edge"]);
    t.quit();
}

#[test]
fn what_was_chosen_is_found_by_name_in_a_new_text() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = room(dir.path());
    let t = Terminal::open((160, 47), &["open", &path]);
    t.see(&["paused at the live edge"]);
    t.keys(&["p"]).typed("move keeper to (3, 1)").keys(&["Enter"]).see(&["waits for tick 1"]);
    t.keys(&["n"]).see(&["visits      0 → 1"]);
    t.keys(&["s"]).typed("visits").keys(&["Enter"]).see(&["running stops at visits"]);
    t.keys(&["d"]).see(&["driving keeper"]);
    // Another actor and another rule stand above now, and the variable has another name.
    let moved = ROOM
        .replace("place keeper", "place lamp at (2, 1)\nplace keeper")
        .replace("/// Counts", "rule \"above\" { when start; then { } }\n/// Counts")
        .replace("visits", "calls");
    std::fs::write(&path, &moved).expect("the level is written");
    t.see(&["driving keeper", "was read again"]);
    assert_eq!(std::fs::read_to_string(dir.path().join("room.stops")).ok().as_deref(), Some("faults\nvisits\n"));
    std::fs::write(&path, moved.replace("calls", "visits")).expect("the level is written");
    t.see(&["visits "]);
    // The keeper goes: nobody is driven, and that is said.
    std::fs::write(&path, ROOM.replace("keeper", "warden")).expect("the level is written");
    t.see(&["no longer there: keeper"]);
    t.quit();
}

#[test]
fn a_folder_made_again_and_a_link_turned_elsewhere_are_noticed() {
    let dir = tempfile::tempdir().expect("a folder");
    let (one, two) = (dir.path().join("one"), dir.path().join("two"));
    std::fs::create_dir(&one).expect("a folder");
    std::fs::create_dir(&two).expect("a folder");
    std::fs::write(two.join("room.may"), ROOM.replace("\"Room\"", "\"Other\"")).expect("the level is written");
    room(&one);
    let link = dir.path().join("level.may");
    std::os::unix::fs::symlink(one.join("room.may"), &link).expect("a link");
    let t = Terminal::open((120, 40), &["open", link.to_str().expect("a path")]);
    t.see(&["Room", "paused at the live edge"]);
    std::fs::remove_file(&link).expect("the link goes");
    std::os::unix::fs::symlink(two.join("room.may"), &link).expect("a link");
    t.see(&["Other", "was read again"]);
    // The folder goes and comes again, with another text.
    std::fs::remove_dir_all(&two).expect("the folder goes");
    t.see(&["the last text stays"]);
    std::fs::create_dir(&two).expect("a folder");
    std::fs::write(two.join("room.may"), ROOM.replace("\"Room\"", "\"Third\"")).expect("the level is written");
    t.see(&["Third", "was read again"]);
    // A file of another folder, beside it, is nobody's business; a good save after it is read.
    std::fs::write(two.join("room.may"), ROOM.replace("\"Room\"", "\"Fourth\"")).expect("the level is written");
    t.see(&["Fourth", "was read again"]);
    t.quit();
}

#[test]
fn a_heavy_tick_says_so_and_can_be_left() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = dir.path().join("heavy.may");
    let text = "level \"Heavy\" { rate 10 }\nrule \"flood\" { when tick; if tick > 2; then { for i in 1..300 { for k in 1..900 { log k } } } }\n";
    std::fs::write(&path, text).expect("the level is written");
    let t = Terminal::open((120, 40), &["open", path.to_str().expect("a path")]);
    t.see(&["paused at the live edge"]);
    t.keys(&["Space"]);
    // Some key while a tick is under way: it is said that keys wait.
    let end = std::time::Instant::now() + std::time::Duration::from_secs(20);
    while !t.screen().contains("a heavy tick is under way, keys wait") {
        assert!(std::time::Instant::now() < end, "{}", t.screen());
        t.tmux(&["send-keys", "h"]);
        std::thread::sleep(std::time::Duration::from_millis(50));
    }
    t.quit();
}
