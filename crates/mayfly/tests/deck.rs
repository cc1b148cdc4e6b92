//! Journeys over the flight deck: comparing, lanes, machines, branches, loops, finding, settings.

use crate::terminal::{ROOM, Terminal, room};

#[test]
fn an_edit_is_flown_again_and_shown_beside_the_run_before_it() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = room(dir.path());
    let t = Terminal::open((160, 47), &["open", &path]);
    t.see(&["paused at the live edge"]);
    t.keys(&["p"]).typed("move keeper to (3, 1)").keys(&["Enter"]).see(&["waits for tick 1"]);
    t.keys(&["n"]).see(&["visits      0 → 1"]);
    t.keys(&["n"]).see(&["tick 2 "]);
    t.keys(&["t"]).see(&["nothing to compare with"]);
    std::fs::write(&path, ROOM.replace("visits += 1", "visits += 5; cue \"in\"")).expect("the level is written");
    t.see(&["differs from tick 1 ", "flown for 3 ticks"]);
    t.keys(&["t"]).see(&[
        "Then and now",
        "visits 0 → 1",
        "visits 0 → 5",
        "cues in",
        "tick 1, where the two begin to differ",
    ]);
    t.see(&["1 tick differs", "Changed lines", "cue \"in\""]);
    t.keys(&["N"]).see(&["no later tick differs; 1 value of the level differs here"]);
    t.keys(&["Escape"]).see(&["Cascade", "visits      0 → 5"]);
    // An edit that changes nothing of what happens says so.
    std::fs::write(&path, ROOM.replace("visits += 1", "visits += 2 + 3; cue \"in\"")).expect("the level is written");
    t.see(&["nothing happens otherwise"]);
}

#[test]
fn lanes_machines_and_actors_answer_in_the_drawer() {
    let t = Terminal::open((160, 47), &["demo"]);
    t.see(&["paused at the live edge"]);
    t.keys(&["p"]).typed("move keeper to (21, 4)").keys(&["Enter"]).see(&["waits for tick 1"]);
    t.keys(&["n"]).see(&["temper: wary → flown", "tick 1 "]);
    t.keys(&["l"]).see(&["Lanes", "▾ 1", "temper: fishing → wary"]);
    t.keys(&["L"]).see(&["has a lane", "pinned"]);
    // Drawn as it goes to a file: boxes, curves, numbers, and what each number stands for.
    t.keys(&["m"]).see(&[
        "Machine",
        "heron#1.temper",
        "┏━━━",
        " flown ",
        "━━━┛",
        "entered 1×",
        "flown → fishing  after 12s",
        "taken 1×",
    ]);
    t.keys(&["M"]).see(&["Machine", "temper", "nesting since tick 0"]);
    t.keys(&["i"]).typed("heron#1.temper").keys(&["Enter"]);
    t.see_words(&["flown since tick 1, from wary", "could go to fishing after 12s due at tick 241, in 240 ticks"]);
    t.keys(&["i"]).typed("keeper").keys(&["Enter"]).see(&["person, placed by line", "(21, 4) facing east"]);
    t.keys(&["Escape"]).see(&["when"]);
    // Its text: what it saw and did stands behind its lines.
    t.keys(&["e"]).see(&["Script", "About", "state wary", "west → west"]);
    t.keys(&["3"]).see(&["Cascade", "tick 1 "]);
}

#[test]
fn branches_have_names_and_can_be_returned_to() {
    let dir = tempfile::tempdir().expect("a folder");
    let t = Terminal::open((160, 47), &["open", &room(dir.path())]);
    t.see(&["paused at the live edge"]);
    t.keys(&["g"]).typed("+1s").keys(&["Enter"]).see(&["tick 10 "]);
    t.keys(&["b", "b"]).see(&["tick 8 "]);
    t.keys(&["p"]).typed("visits = 9").keys(&["Enter"]).see(&["another branch from tick 9", "1 of 2"]);
    t.keys(&["n"]).see(&["visits      0 → 9"]);
    t.keys(&["F3"]).typed("nine visits").keys(&["Enter"]).see(&["this branch is nine visits"]);
    t.keys(&["O"]).see(&["nine visits  (here)", "the first", "to tick 10"]);
    t.keys(&["Down", "Enter"]).see(&["the first, to tick 10", "visits      0"]);
    t.keys(&["O"]).see(&["the first  (here)", "nine visits"]);
}

#[test]
fn a_loop_opens_at_a_turn_and_lists_are_searched_and_copied() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = dir.path().join("loops.may");
    let text = "var total = 0\nvar days = 0\nrule \"other\" { when after 50ms; then { days += 1 } }\n\
                rule \"sum\" { when after 50ms; then { let add = 1; for i in 1..40 { add = i * 2; total += add } } }\n";
    std::fs::write(&path, text).expect("the level is written");
    let t = Terminal::open((160, 47), &["open", path.to_str().expect("a path")]);
    t.see(&["paused at the live edge"]);
    t.keys(&["n"]).see(&["tick 1 ", "loop × 40"]);
    t.keys(&["Down", "g"]).typed("turn 17").keys(&["Enter"]).see(&["loop 17 of 40", "Here  in sum", "i       17"]);
    t.keys(&[",", ",", ",", "n"]).see(&["step size action", "add     34"]);
    t.keys(&["n"]).see(&["total     0 → 306"]);
    t.keys(&["g"]).typed("turn 41").keys(&["Enter"]).see(&["has no round 41"]);
    t.keys(&["Escape", "End", "F"]).typed("other").keys(&["Enter"]).see(&["only `other`"]);
    t.gone("◆ sum");
    t.keys(&["F", "C-u", "Enter"]).see(&["◆ sum"]);
    t.keys(&["C"]).see(&["copied"]);
}

#[test]
fn settings_give_keys_and_speed_and_say_what_is_wrong_with_them() {
    let dir = tempfile::tempdir().expect("a folder");
    let folder = dir.path().join("mayfly");
    std::fs::create_dir(&folder).expect("a folder");
    let write = |text: &str| std::fs::write(folder.join("settings.toml"), text).expect("the settings are written");
    write("speed = 4\n[keys]\n\"step forward\" = [\"j\"]\n");
    let t = Terminal::open_with((160, 47), &["demo"], dir.path());
    t.see(&["4×", "j next"]);
    t.keys(&["j"]).see(&["tick 1 "]);
    t.keys(&["n"]).see(&["n does nothing here"]);
    write("[keys]\n\"step back\" = [\"n\"]\n");
    let t = Terminal::open_with((160, 47), &["demo"], dir.path());
    t.see(&["settings.toml: `n` is the key of `step forward` and of `step back`"]);
    t.keys(&["n"]).see(&["tick 1 "]);
}

#[test]
fn a_far_way_is_gone_between_frames_and_ends_at_a_key() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = room(dir.path());
    let t = Terminal::open((160, 47), &["open", &path]);
    t.see(&["tick 0"]);
    t.keys(&["g"]).typed("9000000").keys(&["Enter"]).see(&["on the way to tick 9000000", "Esc ends it"]);
    t.keys(&["Escape"]).see(&["ended at tick", "paused at the live edge"]);
    t.keys(&["Home", "g"]).typed("visits == 77").keys(&["Enter"]).see(&["Not true in this flight", "both ways"]);
    t.keys(&["Enter"]).see(&["visits == 77: not true up to tick"]);
    t.keys(&["b"]).gone("Esc ends the search");
    t.keys(&["g"]).typed("30").keys(&["Enter"]).see(&["tick 30 "]);
    t.keys(&["g"]).typed("+2s").keys(&["Enter"]).see(&["tick 50 "]);
    t.quit();
}

#[test]
fn marks_on_zones_and_actions_stop_and_files_are_written_for_others() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = room(dir.path());
    let t = Terminal::open((160, 47), &["open", &path]);
    t.see(&["Room", "Cascade"]);
    // Someone comes into the jetty: by the zone's own name.
    t.keys(&["s"]).see(&["Stop "]);
    t.typed("jetty").keys(&["Enter"]).see(&["running stops at jetty"]);
    t.keys(&["p"]).see(&["Poke"]);
    t.typed("walk keeper to (6, 1)").keys(&["Enter", "Space"]).see(&["stopped at jetty", "visits"]);
    // The action at which one stands in the finest step size is proposed.
    t.keys(&[",", ",", ",", "b"]).see(&["step size action"]);
    t.keys(&["s"]).see(&["action \"count visits\" 1"]);
    t.keys(&["Enter"]).see(&["running stops at action \"count visits\" 1"]);
    t.keys(&["S"]).see(&["■ jetty", "■ action \"count visits\" 1"]);
    t.keys(&["Escape", "x"]).see(&["Export", "NAME.watches.csv"]);
    t.keys(&["Down", "Enter"]).see(&["written to", "room.watches.csv"]);
    let table = std::fs::read_to_string(dir.path().join("room.watches.csv")).expect("the table");
    assert!(table.starts_with("tick,seconds,visits,keeper.oil\n"), "{table}");
    assert!(table.lines().any(|l| l.ends_with(",1,0")), "{table}");
    // A folder that cannot be written to is said to be so, and nothing is lost.
    let stops = std::fs::read_to_string(dir.path().join("room.stops")).expect("the marks are kept");
    assert_eq!(stops, "faults\njetty\naction \"count visits\" 1\n");
    // Groups of watches stay beside the level.
    t.keys(&["w"]).see(&["Watch  "]);
    t.typed("// Lamps").keys(&["Enter"]).see(&["// Lamps is watched"]);
    t.keys(&["[", "[", "["]);
    t.see(&["Lamps"]);
    t.quit();
    let t = Terminal::open((160, 47), &["open", &path]);
    // What was left unsaved is offered first.
    t.see(&["A flight was left", "take it up where it was left"]);
    t.keys(&["Escape"]).gone("A flight was left");
    let screen = t.see(&["Room", "Lamps", "visits"]);
    assert!(screen.find("Lamps") < screen.find("visits "), "{screen}");
}

#[test]
fn a_value_says_who_made_it_what_it_is() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = dir.path().join("pond.may");
    let text = "level \"Pond\" { rate 10 }\nvar silt = 0\nvar stage = 2\ndefine ready = stage >= 2 and silt < 3\nmessage open_up\n\
        rule \"drip\" { when every 200ms; then { silt += 0.5 } }\nrule \"forgotten\" { when every 1s; then { silt += 2 } }\n\
        rule \"clear\" { when silt > 90 turns true; then { silt = 0; stage = 0 } }\nrule \"gate\" { when hears open_up; then { cue \"open\" } }\n\
        rule \"may\" { when ready turns false; then { send open_up } }\n";
    std::fs::write(&path, text).expect("the level is written");
    let t = Terminal::open((160, 47), &["open", path.to_str().expect("a path")]);
    t.see(&["Pond", "silt"]);
    t.keys(&["g"]).see(&["Go to"]);
    t.typed("2s").keys(&["Enter"]).see(&["tick 20"]);
    t.keys(&["Tab", "y"]);
    t.see_words(&["so far drip 10× +5", "forgotten 2× +4", "can be written by clear"]);
    t.keys(&["r"]).see(&["Rules"]);
    t.typed("may").keys(&["Enter"]);
    t.see_words(&["Why not may", "needs ready turns false", "✓ stage >= 2 stage = 2", "✗ silt < 3 silt = 9"]);
    t.keys(&["r"]).see(&["Rules"]);
    t.typed("gate").keys(&["Enter"]);
    t.see_words(&["open_up was last sent at tick", "it is sent by may"]);
}
