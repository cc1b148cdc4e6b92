//! Journeys through laying and writing: the real binary in tmux, from an empty map to a zone that fires, and nothing that one
//! wrote is lost on the way.

use crate::terminal::{ROOM, Terminal, room};
use std::path::Path;
use std::process::Command;

fn read(path: impl AsRef<Path>) -> String {
    std::fs::read_to_string(path).expect("the file is there")
}

#[test]
fn from_a_new_level_to_a_zone_that_fires_in_sixty_keys() {
    let dir = tempfile::tempdir().expect("a folder");
    let t = Terminal::open_in(dir.path(), (160, 47), &["new", "pond"]);
    let mut keys = 0;
    let mut press = |t: &Terminal, all: &[&str]| {
        keys += all.len();
        t.keys(all);
    };
    t.see(&["1 Site", "Pond", "as laid", "walker  person"]);
    press(&t, &["Right", "Right", "a", "Enter"]);
    t.see(&["a rectangle"]);
    press(&t, &["Right", "Down", "Enter", "q", "u", "a", "y", "Enter"]);
    t.see(&["zone quay is there", "a first rule for it"]);
    press(&t, &["r"]);
    t.see(&["2 Script", "typing", "Next"]);
    press(&t, &["t", "e", "l", "Tab", "Space", "\"", "H", "i", "\"", "Escape"]);
    t.see(&["reading", "tell \"Hi\""]);
    press(&t, &["3", "d"]);
    t.see(&["driving walker"]);
    press(&t, &["Space"]);
    press(&t, &["Right"]);
    t.see(&["walker (4, 5)"]);
    press(&t, &["Right"]);
    t.see(&["◆ any enters quay", "Hi"]);
    press(&t, &["Escape", "C-s"]);
    t.see(&["saved pond.may"]);
    assert!(keys <= 60, "{keys} keys");
    assert!(read(dir.path().join("pond.may")).contains("then { tell \"Hi\" }"));
    assert!(!dir.path().join("pond.edits.unsaved").exists());
}

#[test]
fn a_zone_is_copied_with_its_rules_and_one_word_changed() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = room(dir.path());
    let t = Terminal::open((160, 47), &["open", &path]);
    t.see(&["paused at the live edge"]);
    t.keys(&["f"]).typed("jetty").keys(&["Enter"]).see(&["jetty  zone"]);
    t.keys(&["1"]).see(&["jetty  zone", "shape"]);
    t.keys(&["c", "C-u"]).typed("shore").keys(&["Enter"]).see(&["with the 1 rule that names it"]);
    t.keys(&["Enter"]).see(&["shore is there", "moving"]);
    t.keys(&["Down", "Enter"]).see(&["shore  zone"]);
    t.keys(&["2", "C-f"]).typed("visits += 1").keys(&["Enter"]).see(&["1 of 2"]);
    t.keys(&["C-g"]).see(&["2 of 2"]);
    t.keys(&["Enter"]).typed("visits += 2").keys(&["Escape", "C-s"]).see(&["saved"]);
    let now = read(&path);
    assert!(now.contains("zone shore") && now.contains("enters shore") && now.contains("visits += 2"), "{now}");
    assert!(now.starts_with(&ROOM[..40]) && now.contains("visits += 1"), "{now}");
}

#[test]
fn edits_survive_a_kill_and_a_rename_goes_through_two_files() {
    let dir = tempfile::tempdir().expect("a folder");
    let (level, part) = (dir.path().join("room.may"), dir.path().join("part.may"));
    std::fs::write(&level, format!("use \"part.may\"\n{ROOM}")).expect("written");
    std::fs::write(
        &part,
        "/// How warm it is.\nvar warmth = 9\nrule \"cold\" { when every 1s; then { warmth -= 1; visits += 0 } }\n",
    )
    .expect("written");
    let t = Terminal::open((160, 47), &["open", level.to_str().expect("a path")]);
    t.see(&["warmth"]);
    t.keys(&["2", "V"]).see(&["Files", "part.may"]);
    t.typed("part").keys(&["Enter"]).see(&["part.may", "How warm it is"]);
    t.keys(&["C-f"]).typed("visits").keys(&["Enter", "R", "C-u"]).typed("landings").keys(&["Enter"]);
    t.see(&["Rename", "in 2 files", "landings += 0"]);
    t.keys(&["Enter"]).see(&["visits is landings now", "edited"]);
    t.see(&["2 Script"]);
    t.wait_for(|| dir.path().join("room.edits.unsaved").exists());
    // Killed in the midst of it: both files are as they were, and the edits are offered at the next start.
    let killed = Command::new("pkill").args(["-KILL", "-f", level.to_str().expect("a path")]).status();
    assert!(killed.expect("pkill runs").success());
    assert!(read(&part).contains("visits += 0"));
    drop(t);
    let t = Terminal::open((160, 47), &["open", level.to_str().expect("a path")]);
    t.see(&["Edits were left", "take them up", "landings += 0"]);
    t.keys(&["Enter"]).see(&["the edits are there again", "edited"]);
    t.keys(&["C-s"]).see(&["saved"]);
    t.wait_for(|| read(&part).contains("landings += 0") && read(&level).contains("var landings"));
    t.wait_for(|| !dir.path().join("room.edits.unsaved").exists());
    t.keys(&["q"]).ended();
}

#[test]
fn a_file_that_changed_outside_is_asked_about_and_a_folder_that_cannot_be_written_loses_nothing() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = room(dir.path());
    let t = Terminal::open((160, 47), &["open", &path]);
    t.see(&["paused at the live edge"]);
    t.keys(&["2", "Enter"]).typed("// mine").keys(&["Enter", "Escape"]).see(&["edited", "// mine"]);
    std::fs::write(&path, ROOM.replace("visits += 1", "visits += 4")).expect("written");
    t.see(&["The file was changed by another", "take in what they changed", "visits += 4"]);
    t.keys(&["Enter"]).see(&["was taken in; yours stay unsaved"]);
    t.keys(&["C-f"]).typed("+= 4").keys(&["Enter"]).see(&["1 of 1"]);
    // A file that is read-only is not replaced.
    let mode = |read_only: bool| {
        let mut p = std::fs::metadata(&path).expect("it is there").permissions();
        p.set_readonly(read_only);
        std::fs::set_permissions(&path, p).expect("the mode is set");
    };
    mode(true);
    t.keys(&["C-s"]).see(&["this file is read-only", "edited"]);
    mode(false);
    // The folder goes: saving says so, and the text stays here and is asked about.
    let hidden = dir.path().with_extension("hidden");
    std::fs::rename(dir.path(), &hidden).expect("moved");
    t.keys(&["C-s"]).see(&["cannot be written", "edited"]);
    t.keys(&["q"]).see(&["the text has edits that are not saved"]);
    t.keys(&["Escape"]).gone("not saved");
    std::fs::rename(&hidden, dir.path()).expect("moved back");
    t.keys(&["C-s"]);
    t.wait_for(|| read(&path).starts_with("// mine"));
    let now = read(&path);
    assert!(now.starts_with("// mine\n") && now.contains("visits += 4"), "{now}");
    t.keys(&["q"]).ended();
}

#[test]
fn a_broken_level_is_opened_in_its_text_and_mended_by_a_fix() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = room(dir.path());
    let broken = ROOM.replace("visits += 1", "visit += 1").replace("rate 10; seed 1", "rate 25; seed 9");
    std::fs::write(&path, broken).expect("written");
    let t = Terminal::open((160, 47), &["open", &path]);
    t.see(&["mayfly  Room", "2 Script", "1 error", "25/s   seed 9", "did you mean `visits`?", "F9"]);
    t.keys(&["F9"]).see(&["done: write `visits`", "3 Flight"]);
    t.gone("1 error");
    t.keys(&["3"]).see(&["Cascade", "visits", "keeper"]);
    // Quitting with edits asks; giving them up leaves no journal.
    t.keys(&["q"]).see(&["save the text, then quit"]);
    t.keys(&["Down", "Enter"]).ended();
    assert!(read(&path).contains("visit += 1"));
    assert!(!dir.path().join("room.edits.unsaved").exists());
}

#[test]
fn a_megabyte_is_pasted_and_the_demo_is_saved_under_a_name() {
    let dir = tempfile::tempdir().expect("a folder");
    let t = Terminal::open_in(dir.path(), (120, 40), &["demo"]);
    t.see(&["Weir House"]);
    t.keys(&["2", "C-Home", "Enter"]).see(&["typing", "line 1 of"]);
    let line = "// one more line of the weir, as long as any other line of it is, and no longer than that\n";
    let big = line.repeat((1 << 20) / line.len());
    let file = dir.path().join("big.txt");
    std::fs::write(&file, &big).expect("written");
    t.paste(&file).see(&["typing", "edited"]);
    t.keys(&["Escape"]).see(&["reading"]);
    t.keys(&["C-z"]).see(&["undone"]);
    t.keys(&["Enter"]).typed("// my weir").keys(&["Enter", "Escape", "C-s"]).see(&["Save the level as"]);
    t.keys(&["C-u"]).typed("mine").keys(&["Enter"]).see(&["saved as mine.may"]);
    let saved = read(dir.path().join("mine.may"));
    assert!(saved.starts_with("// my weir\n"), "{}", &saved[..300]);
    // A new level takes its place, on the map; one that is there is not written over.
    t.keys(&["F10", "C-u"]).typed("mine").keys(&["Enter"]).see(&["is there already and is not written over"]);
    t.keys(&["F10", "C-u"]).typed("pond").keys(&["Enter"]).see(&["1 Site", "Pond", "walker  person"]);
    std::fs::write(dir.path().join("mine.may"), "var other = 1\n").expect("written");
    std::fs::write(dir.path().join("pond.may"), "level \"Lake\" {}\n").expect("written");
    t.see(&["Lake"]).to_string();
    t.keys(&["q"]).ended();
}

#[test]
fn a_further_file_is_begun_written_and_used() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = room(dir.path());
    let t = Terminal::open((160, 47), &["open", &path]);
    t.see(&["paused at the live edge"]);
    t.keys(&["2", "V"]).see(&["a further file"]);
    t.typed("further").keys(&["Enter"]).see(&["A further file"]);
    t.keys(&["C-u"]).typed("../out").keys(&["Enter"]).see(&["inside the level's folder"]);
    t.keys(&["C-u"]).typed("lamps").keys(&["Enter"]).see(&["the next save writes it", "lamps.may"]);
    t.keys(&["C-End", "Enter"]).typed("var oil_left = 7").keys(&["Escape"]).see(&["oil_left  variable"]);
    t.keys(&["C-s"]).see(&["saved"]);
    t.wait_for(|| dir.path().join("lamps.may").exists());
    assert_eq!(read(dir.path().join("lamps.may")), "// A part of Room.\n\nvar oil_left = 7");
    assert!(read(&path).ends_with("use \"lamps.may\"\n"), "{}", read(&path));
    t.keys(&["w"]).typed("oil_left").keys(&["Enter"]).see(&["oil_left is watched"]);
    // Undoing all takes the use back as well.
    t.keys(&["C-z", "C-z", "C-z", "C-z"]).see(&["there is nothing to undo"]);
    t.keys(&["V"]).see(&["Files", "edited"]);
}
