//! Journeys through the real interface: the real binary in tmux, one way a test, as a person goes it.
//!
//! No journey sleeps for a fixed time where it can wait for what must appear.

use crate::terminal::{ROOM, Terminal, room};
use std::process::Command;
use std::time::{Duration, Instant};

/// One driven step east: the key waits for the next tick, and the tick is made.
fn east(t: &Terminal, to_tick: u32) {
    t.keys(&["Right"]).see(&["east waits for tick"]);
    t.keys(&["n"]).see(&[&format!("tick {to_tick} ")]);
}

#[test]
fn drive_into_a_zone_step_back_and_ask_why() {
    let dir = tempfile::tempdir().expect("a folder");
    let t = Terminal::open((160, 47), &["open", &room(dir.path())]);
    t.see(&["Room", "Cascade", "Watches", "tick 0"]);
    t.keys(&["d"]).see(&["driving keeper", "arrows walk"]);
    east(&t, 1);
    east(&t, 2);
    let s = t.see(&["keeper enters jetty", "◆ count visits", "visits      0 → 1"]);
    assert!(s.contains("1 fired"), "{s}");
    // Back: the old value; forward: the new one again.
    t.keys(&["b"]).see(&["tick 1 ", "visits      0  ", "Nothing was evaluated"]);
    t.keys(&["n"]).see(&["tick 2 ", "visits      0 → 1"]);
    for tick in 3..=5 {
        east(&t, tick);
    }
    // A rule that was held says which clause held it, with its values.
    t.see(&["◇ light a lamp", "person.oil = 0", "✗ person.oil > 0", "keeper touches lamp#1"]);
    // A rule that was not evaluated says how near it came.
    t.keys(&["Escape", "r"]).see(&["Rules", "1 fired  0 held  0 spent"]);
    t.typed("visits").keys(&["Enter"]).see(&[
        "Why not",
        "needs",
        "keeper is 2 cells from jetty",
        "last fired at tick 2",
    ]);
    t.keys(&["B"]).see(&["tick 2 "]);
    t.quit();
}

#[test]
fn the_demo_runs_pauses_and_tells_its_keys() {
    let t = Terminal::open((160, 47), &["demo"]);
    t.see(&["Weir House", "paused at the live edge", "Space run"]);
    t.keys(&["Space"]).see(&["running", "Space pause"]);
    t.keys(&[">"]).see(&["2×"]);
    t.see(&["◆ the cold"]);
    t.keys(&["Space"]).see(&["paused at the live edge"]);
    // The help begins with signs and words; keys are found by typing, and Esc gives all back, then closes.
    t.keys(&["?"]).see(&["heard by nobody", "the firing order of one tick"]);
    // The picture is looked at until the whole word was taken: half of it still finds more.
    t.typed("selected rung").see(&["why the selected rung"]);
    t.gone("heard by nobody");
    t.keys(&["Escape"]).see(&["heard by nobody"]);
    t.keys(&["NPage", "NPage", "NPage", "NPage", "NPage"]).see(&["step forward"]);
    t.keys(&["Escape"]).gone("step forward");
    t.typed(";").see(&["Commands"]);
    t.typed("watch: hauled").keys(&["Enter"]).see(&["hauled is watched"]);
    t.keys(&["g"]).typed("warmth == 70").keys(&["Enter"]).see(&["Not true in this flight"]);
    t.keys(&["Enter"]).see(&["71 → 70", "the cold"]);
    t.keys(&["g"]).typed("warmth + 1").keys(&["Enter"]).see(&["write a tick"]);
    t.keys(&["Escape", "Home"]).see(&["before 0"]);
    t.keys(&["End"]);
    t.quit();
}

#[test]
fn a_new_text_is_flown_again_and_a_broken_one_loses_nothing() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = room(dir.path());
    let t = Terminal::open((160, 47), &["open", &path]);
    t.see(&["Room"]);
    t.keys(&["d"]).see(&["driving keeper"]);
    east(&t, 1);
    east(&t, 2);
    t.see(&["visits      0 → 1"]);
    std::fs::write(&path, ROOM.replace("visits += 1", "vists += 1")).expect("written");
    t.see(&["1 error in room.may, the old run stays", "visits      0 → 1"]);
    t.keys(&["Escape", "!"]).see(&["Findings and faults", "error  `vists` is not declared", "on disk, line 15"]);
    t.keys(&["Enter"]).see(&["did you mean `visits`?"]);
    t.keys(&["Escape"]).gone("did you mean");
    std::fs::write(&path, ROOM.replace("visits += 1", "visits += 5")).expect("written");
    t.see(&["was read again and flown for 3 ticks", "visits      0 → 5", "keeper enters jetty"]);
    std::fs::remove_file(&path).expect("removed");
    t.see(&["cannot be read", "the last text stays", "visits      0 → 5"]);
}

#[test]
fn a_key_in_the_past_begins_another_branch_and_the_old_one_is_kept() {
    let dir = tempfile::tempdir().expect("a folder");
    let t = Terminal::open((160, 47), &["open", &room(dir.path())]);
    t.see(&["Room"]);
    t.keys(&["d"]).see(&["driving keeper"]);
    for tick in 1..=4 {
        east(&t, tick);
    }
    t.see(&["keeper (5, 1)"]);
    t.keys(&["b", "b"]).see(&["tick 2 ", "paused in the past"]);
    t.keys(&["Left"]).see(&["another branch from tick 3", "1 of 2"]);
    t.keys(&["n"]).see(&["tick 3 ", "keeper (2, 1)"]);
    // The tick is kept in the other branch.
    t.keys(&["Escape", "o"]).see(&["tick 3 ", "keeper (4, 1)"]);
}

#[test]
fn small_terminals_fold_and_resizes_keep_the_moment() {
    let t = Terminal::open((80, 24), &["demo"]);
    t.see(&["Map ─ Log ─ Cascade", "Tab panes", "? keys"]);
    t.keys(&["n", "n", "n"]).see(&["tick 3 "]);
    t.keys(&["Tab"]).see(&["lamps_lit", "keeper.pocket"]);
    t.tmux(&["resize-window", "-x", "40", "-y", "10"]);
    t.see(&["Mayfly needs 60x16, this is 40x10"]);
    for size in [(200, 60), (90, 20), (120, 40), (61, 17), (160, 47)] {
        t.tmux(&["resize-window", "-x", &size.0.to_string(), "-y", &size.1.to_string()]);
    }
    t.see(&["tick 3 ", "Cascade", "Watches", "Why"]);
}

#[test]
fn the_terminal_is_given_back_on_a_signal() {
    let t = Terminal::open((100, 30), &["demo"]);
    t.see(&["Weir House"]);
    let pid = t.tmux(&["display", "-p", "#{pane_pid}"]);
    let pid = String::from_utf8_lossy(&pid.stdout).trim().to_string();
    let out = Command::new("pkill").args(["-TERM", "-P", &pid, "mayfly"]).output().expect("pkill");
    assert!(out.status.success());
    let screen = t.see(&["status 0"]);
    assert!(!screen.contains("Weir House"), "the screen before is back:\n{screen}");
}

#[test]
fn a_lost_terminal_ends_the_application() {
    let t = Terminal::open((100, 30), &["demo"]);
    t.see(&["Weir House"]);
    let pane = t.tmux(&["display", "-p", "#{pane_pid}"]);
    let pane = String::from_utf8_lossy(&pane.stdout).trim().to_string();
    let out = Command::new("pgrep").args(["-P", &pane, "mayfly"]).output().expect("pgrep");
    let pid = String::from_utf8_lossy(&out.stdout).trim().to_string();
    assert!(!pid.is_empty());
    t.tmux(&["kill-server"]);
    let end = Instant::now() + Duration::from_secs(20);
    while Command::new("kill").args(["-0", &pid]).output().expect("kill").status.success() {
        assert!(Instant::now() < end, "it goes on without a terminal");
        std::thread::sleep(Duration::from_millis(20));
    }
}

#[test]
fn marks_stop_the_run_pokes_are_kept_and_flights_come_back() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = room(dir.path());
    let t = Terminal::open((160, 47), &["open", &path]);
    t.see(&["tick 0"]);
    // A mark that is wrong says so and stays open; a right one is put.
    t.keys(&["s"]).typed("visit").keys(&["Enter"]).see(&["did you mean `visits`?"]);
    t.typed("s").keys(&["Enter"]).see(&["running stops at visits"]);
    t.keys(&["p"]).typed("visits = north").keys(&["Enter"]).see(&["a number is wanted here"]);
    t.keys(&["C-u"]).typed("move keeper to (3, 1)").keys(&["Enter"]).see(&["waits for tick 1"]);
    t.keys(&["Space"]).see(&["stopped at visits", "visits      0 → 1", "tick 1 "]);
    t.keys(&["S"]).see(&["Stops", "■ faults", "■ visits", "1 hits"]);
    t.keys(&["Down", "Enter"]).see(&["visits is off"]);
    t.keys(&["p"]).typed("visits = 7").keys(&["Enter"]).see(&["visits = 7 waits for tick 2"]);
    // The moment stands inside tick 1, so a step first goes to its end.
    t.keys(&["n", "n"]).see(&["tick 2 ", "visits      1 → 7"]);
    // The poke is no rule of the level.
    t.keys(&["r"]).see(&["Rules", "count visits"]);
    t.keys(&["Escape", "F2"]).see(&["the flight was written"]);
    t.quit();
    assert_eq!(std::fs::read_to_string(dir.path().join("room.stops")).expect("the marks"), "faults\n# visits\n");
    let flight = dir.path().join("room.flight");
    let again = Terminal::open((160, 47), &["open", &path, "--flight", flight.to_str().expect("a path")]);
    again.see(&["tick 2 ", "visits      1 → 7"]);
    again.keys(&["S"]).see(&["□ visits"]);
    again.keys(&["Escape"]);
    again.quit();
}

#[test]
fn what_is_kept_is_there_in_the_next_run() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = dir.path().join("kept.may");
    let text = "keep var best = 0\nrule \"end\" { when after 200ms; then { best += 3; win \"Done.\" } }\n";
    std::fs::write(&path, text).expect("the level is written");
    let path = path.to_str().expect("a path");
    for (run, shown) in [(1, "best      0 → 3"), (2, "best      3 → 6")] {
        let t = Terminal::open((160, 47), &["open", path]);
        t.see(&["tick 0"]);
        t.keys(&["Space"]).see(&["won at tick 4", shown]);
        t.quit();
        let kept = std::fs::read_to_string(dir.path().join("kept.kept")).expect("what is kept");
        assert!(kept.contains(&format!("\"best\":{}.0", run * 3)), "{kept}");
    }
}
