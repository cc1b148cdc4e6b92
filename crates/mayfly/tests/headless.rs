//! §11 on the real binary: how every sort of value is printed, what stands where, and what its status says.

use assert_cmd::Command;
use serde_json::{Value, json};
use std::path::Path;

/// Runs `mayfly fly` in a folder; gives status, the object on standard output, and standard error.
fn fly(folder: &Path, args: &[&str]) -> (i32, Value, String) {
    let out = Command::cargo_bin("mayfly")
        .expect("the binary")
        .current_dir(folder)
        .arg("fly")
        .args(args)
        .output()
        .expect("it runs");
    let object = serde_json::from_slice(&out.stdout).unwrap_or(Value::Null);
    (out.status.code().unwrap_or(-1), object, String::from_utf8_lossy(&out.stderr).to_string())
}

fn folder(text: &str) -> tempfile::TempDir {
    let dir = tempfile::tempdir().expect("a folder");
    std::fs::write(dir.path().join("t.may"), text).expect("the level is written");
    dir
}

const ALL_SORTS: &str = r#"
level "All sorts" { rate 20; seed 3 }
tiles { '_' boards; 'r' reeds }
map """
____
"""
area cellar map """
rr
"""
enum fish { eel, roach }
tag wet
kind person { steered; var bag: tally of fish = {}; define rich = self.bag[eel] > 1 }
kind pool of zone { var deep = 2 }
place keeper: person at (1, 0) facing west
place ghost: person in cellar at (0, 0)
place person at (2, 0), (3, 0)
message bell(n: number)
table catch: fish { eel 1 }
timer flood = 30s running
clock tide { minute 60; hour 24; day 7 named mon tue wed thu fri sat sun; speed 1 minute per 1 ticks; starts day tue hour 23 minute 58 }
path rounds = (0, 0) (3, 0) loop
zone jetty: pool = rect (0, 0) 2 x 1
zone vat in cellar = rect (0, 0) 1 x 1
machine night { start early
  state early { start first
    state first { to late after 2 ticks } }
  state late { } }
var number_ = 1 / 3
var whole = 4
var flag_ = true
var text_ = "a \"b\""
var duration_ = 1m 30s
var point_ = (1.5, 2)
var deep_point = cellar (1, 0)
var list_ = [3, 1, 2]
var set_ = set(3, 1, 2)
var tally_: tally of fish = {}
var enum_ = fish.roach
var who: actor or none = keeper
var nobody: actor or none = none
var where_: zone = jetty
var kind_: kind = person
var tag_: tag = wet
var message_: message = bell
var table_: table of fish = catch
var tile_: tile = reeds
var path_: path = rounds
var timer_: timer = flood
define half = whole / 2
rule "fill" { when start; then { keeper.bag[eel] += 2; tally_[roach] = 3; tally_[eel] = 1; log whole; tell "x"; cue "y"; remove person#1 } }
rule "hears" { when hears bell(n); if n > 0; then { } }
"#;

#[test]
fn every_sort_of_value_has_its_form() {
    let dir = folder(ALL_SORTS);
    let (code, o, err) = fly(dir.path(), &["t.may", "--ticks", "5"]);
    assert_eq!((code, err.as_str()), (0, ""));
    let keys: Vec<&String> = o.as_object().expect("an object").keys().collect();
    assert_eq!(
        keys,
        [
            "level",
            "seed",
            "rate",
            "ticks",
            "ended",
            "vars",
            "clocks",
            "timers",
            "actors",
            "zones",
            "machines",
            "rules",
            "transitions",
            "log",
            "faults"
        ]
    );
    assert_eq!(
        o["vars"],
        json!({
            "number_": 0.333333, "whole": 4, "flag_": true, "text_": "a \"b\"", "duration_": 90, "point_": [1.5, 2],
            "deep_point": [1, 0, "cellar"], "list_": [3, 1, 2], "set_": [1, 2, 3], "tally_": {"eel": 1, "roach": 3},
            "enum_": "roach", "who": "keeper", "nobody": null, "where_": "jetty", "kind_": "person", "tag_": "wet",
            "message_": "bell", "table_": "catch", "tile_": "reeds", "path_": "rounds", "timer_": "flood", "half": 2
        })
    );
    let order: Vec<&String> = o["vars"].as_object().expect("an object").keys().collect();
    assert_eq!((order[0].as_str(), order[order.len() - 1].as_str()), ("number_", "half"), "in source order");
    assert_eq!(o["clocks"], json!({"tide": {"minute": 2, "hour": 0, "day": "wed", "run_minutes": 4}}));
    assert_eq!(o["timers"], json!({"flood": {"running": true, "left_ticks": 596}}));
    assert_eq!(
        o["actors"]["ghost"],
        json!({"kind": "person", "area": "cellar", "x": 0, "y": 0, "facing": "south", "visible": true, "enabled": true, "vars": {"bag": {}, "rich": false}, "machines": {}})
    );
    assert_eq!(o["actors"]["keeper"]["vars"], json!({"bag": {"eel": 2}, "rich": true}));
    // One that was removed is not listed; the others keep their numbers.
    let names: Vec<&String> = o["actors"].as_object().expect("an object").keys().collect();
    assert_eq!(names, ["keeper", "ghost", "person#2"]);
    assert_eq!(o["zones"]["jetty"], json!({"kind": "pool", "enabled": true, "vars": {"deep": 2}}));
    assert_eq!(o["zones"]["vat"], json!({"kind": null, "area": "cellar", "enabled": true, "vars": {}}));
    assert_eq!(o["machines"], json!({"night": "late"}));
    assert_eq!(
        o["rules"],
        json!({"fill": {"fired": 1, "held": 0, "spent": 0}, "hears": {"fired": 0, "held": 0, "spent": 0}})
    );
    let log = json!([{"tick": 0, "what": "log", "text": "whole = 4"}, {"tick": 0, "what": "tell", "text": "x"}, {"tick": 0, "what": "cue", "text": "y"}]);
    assert_eq!(o["log"], log);
    let (_, o, _) = fly(dir.path(), &["t.may", "--ticks", "1"]);
    assert_eq!(o["machines"], json!({"night": "early.first"}), "a nested state");
}

#[test]
fn how_long_it_flies_and_what_its_status_says() {
    let dir = folder(
        "level \"End\" { rate 10 }\nvar n = 0\nrule \"r\" { when tick; then { n += 1 } }\nrule \"w\" { when n reaches 30; then { win \"Held.\" } }\n",
    );
    let ticks = |args: &[&str]| {
        let (code, o, _) = fly(dir.path(), args);
        (code, o["ticks"].as_u64(), o["ended"].clone())
    };
    let end = json!({"tick": 29, "how": "win", "text": "Held."});
    assert_eq!(ticks(&["t.may"]), (0, Some(30), end.clone()), "until it ends");
    assert_eq!(ticks(&["t.may", "--for", "60s"]), (0, Some(30), end));
    assert_eq!(ticks(&["t.may", "--for", "1500ms"]), (0, Some(15), Value::Null));
    assert_eq!(ticks(&["t.may", "--ticks", "7"]), (0, Some(7), Value::Null));
    assert_eq!(ticks(&["t.may", "--ticks", "0"]), (0, Some(0), Value::Null));
    let endless = folder("level \"Endless\" { rate 10 }\nrule \"r\" { when after 1s; then { log 1 / 0 } }\n");
    let (code, o, _) = fly(endless.path(), &["t.may"]);
    assert_eq!((code, o["ticks"].as_u64()), (1, Some(600)), "60 seconds at most, and a fault is status 1");
    assert_eq!(o["faults"][0]["rule"], "r");
}

#[test]
fn inputs_are_taken_in_their_order_and_seeds_given() {
    let dir = folder(
        "level \"In\" { rate 10; seed 5 }\nkind person { steered; var oil = 0 }\nplace keeper: person at (0, 0)\ninput wind = \"e\"\n\
         rule \"p\" { when person presses wind; then { log \"{person.oil} {random(1, 1000)}\" } }\n",
    );
    let args = [
        "t.may",
        "--ticks",
        "6",
        "--input",
        "3: poke keeper.oil = 9",
        "--input",
        "3: keeper wind",
        "--input",
        "1: keeper wind",
    ];
    let (_, o, _) = fly(dir.path(), &args);
    let texts: Vec<&str> = o["log"].as_array().expect("a log").iter().filter_map(|l| l["text"].as_str()).collect();
    assert_eq!(texts.len(), 2);
    assert!(texts[0].starts_with("0 ") && texts[1].starts_with("9 "), "{texts:?}");
    let mut other = args.to_vec();
    other.extend(["--seed", "6"]);
    let (_, p, _) = fly(dir.path(), &other);
    assert_eq!(p["seed"], 6);
    assert_ne!(o["log"], p["log"]);
    let (code, o, err) = fly(dir.path(), &["t.may", "--input", "3: poke walk keeper to (1, 1) and"]);
    assert_eq!((code, o), (2, Value::Null));
    assert!(err.contains("walk keeper to (1, 1) and"), "{err}");
}

#[test]
fn flights_and_kept_values_come_and_go_by_files() {
    let dir = folder(
        "level \"Kept\" { rate 10 }\nkind person { steered }\nplace keeper: person at (0, 0)\ninput wind = \"e\"\nkeep var best = 0\n\
         rule \"p\" { when person presses wind; then { best += 1; log \"best {best}\"; save } }\n",
    );
    let wind = ["--ticks", "5", "--input", "2: keeper wind"];
    let with = |more: &[&'static str]| {
        let mut args = vec!["t.may"];
        args.extend(wind);
        args.extend(more);
        fly(dir.path(), &args)
    };
    // Without the flag nothing is read or written.
    assert_eq!(with(&[]).1["vars"]["best"], 1);
    assert_eq!(with(&[]).1["vars"]["best"], 1);
    assert_eq!(with(&["--kept", "k.kept"]).1["vars"]["best"], 1);
    assert_eq!(with(&["--kept", "k.kept", "--record", "f.flight"]).1["vars"]["best"], 2);
    assert_eq!(with(&["--kept", "k.kept"]).1["vars"]["best"], 3);
    // A flight brings its own kept values, and proves itself.
    let (code, o, err) = fly(dir.path(), &["t.may", "--flight", "f.flight"]);
    assert_eq!((code, err.as_str(), &o["vars"]["best"], o["ticks"].as_u64()), (0, "", &json!(2), Some(5)));
    let text = std::fs::read_to_string(dir.path().join("f.flight")).expect("the flight");
    let state = text.split("\"state\":\"").nth(1).expect("a state");
    std::fs::write(dir.path().join("g.flight"), text.replace(&state[..4], "0000")).expect("written");
    let (code, _, err) = fly(dir.path(), &["t.may", "--flight", "g.flight"]);
    assert_eq!(code, 1);
    assert!(err.contains("the replay ends otherwise"), "{err}");
    std::fs::write(dir.path().join("broken.flight"), "{}").expect("written");
    let (code, o, err) = fly(dir.path(), &["t.may", "--flight", "broken.flight"]);
    assert_eq!((code, o), (2, Value::Null));
    assert!(err.contains("line 1"), "{err}");
}
