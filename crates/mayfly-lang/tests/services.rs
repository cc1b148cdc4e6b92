//! What an editor asks, on small texts: what is proposed and what is not, what a name is, which other name is refused.

use mayfly_lang::analysis::{Analysis, SymbolKind};
use mayfly_lang::naming::NameError;
use mayfly_lang::services::complete::complete;
use mayfly_lang::services::look::{self, Role};
use mayfly_lang::services::outline;
use mayfly_lang::services::rename::{RenameError, rename};

const GROUND: &str = r#"tiles { '_' boards tagged footing; 'w' water solid }
map """
____ww__
"""
area cellar map """
__
"""
input wind = "e"
enum fish { eel, perch }
/// Rings over the marsh.
message bell(pitch: number)
timer flood = 3s
clock tide { minute 60; hour 24; speed 1 minute per 1s }
path rounds = (0, 0) (3, 0)
kind person { steered; var oil = 3; zone reach = disc 2 }
kind lamp { var lit = false; machine flame { start dark; state dark { to bright when hears bell(p) } state bright { } } }
place keeper: person at (0, 0)
place lamp at (3, 0)
zone jetty = rect (1, 0) 2 x 1
var warmth = 100
var catch: tally of fish = {}
routine haul(n: number) -> number { return n * 2 }
"#;

fn read(text: &str) -> Analysis {
    Analysis::of("t.may", text, &mut |_| Err(mayfly_lang::check::LoadError::Missing))
}

/// What is proposed at the `|` of a text behind the ground.
fn proposed(text: &str) -> Vec<String> {
    let whole = format!("{GROUND}{text}");
    let at = whole.find('|').expect("a place");
    let a = read(&whole.replace('|', ""));
    complete(&a, 0, at).0.into_iter().map(|p| p.text).collect()
}

#[test]
fn only_what_can_stand_there_is_proposed() {
    // What is proposed in this order, whole or at its head.
    let whole: &[(&str, &[&str])] = &[
        ("rule \"r\" { when keeper presses |", &["wind", "north", "east", "south", "west"]),
        ("rule \"r\" { when hears |", &["bell"]),
        ("rule \"r\" { when keeper treads |", &["boards", "footing", "water"]),
        ("rule \"r\" { when keeper comes to |", &["cellar", "main"]),
        ("rule \"r\" { when tide passes |", &["hour", "minute"]),
        ("rule \"r\" { when start; then { start |", &["flood", "tide"]),
        ("rule \"r\" { when start; then { walk keeper along |", &["rounds"]),
        ("rule \"r\" { when start; then { go lamp#1.flame to |", &["bright", "dark"]),
        ("rule \"r\" { when start; then { advance |", &["tide"]),
        ("rule \"r\" { when start; then { log fish.|", &["eel", "perch"]),
        ("rule \"r\" { when start; then { log tide.|", &["hour", "minute", "speed", "run"]),
        ("rule \"r\" { when start; again |", &["skip", "anew", "later", "beside"]),
        ("place |", &["lamp", "person"]),
        ("place other: |", &["lamp", "person"]),
        ("place other: person at (1, 0) facing |", &["north", "east", "south", "west"]),
        ("place other: person in |", &["cellar", "main"]),
        ("kind boat like |", &["lamp", "person"]),
        ("kind boat { tags |", &["footing"]),
        ("kind boat { look \"x\" |", &["mist", "amber", "moss", "clay", "blue", "heather", "silt"]),
        ("zone bay = tiles |", &["boards", "footing", "water"]),
        ("zone bay = rect (1, 1) 2 x 2 for |", &["lamp", "person", "footing"]),
        ("machine m for |", &["lamp", "person"]),
        ("level \"L\" { edges |", &["closed", "open", "wrap"]),
        ("kind boat { machine m { start a; state a { to |", &["a", "previous", "one of"]),
    ];
    for (text, want) in whole {
        let mut got = proposed(text);
        got.sort();
        let mut want: Vec<String> = want.iter().map(ToString::to_string).collect();
        want.sort();
        assert_eq!(got, want, "{text}");
    }
    // What is among it, and what is not.
    let some: &[(&str, &[&str], &[&str])] = &[
        ("rule \"r\" { when keeper |", &["enters", "presses", "is stuck"], &["warmth", "spawn"]),
        ("rule \"r\" { when keeper enters |", &["jetty"], &["wind", "bell", "send"]),
        ("rule \"r\" { when lamp#1.flame enters |", &["bright", "dark"], &["bell"]),
        ("rule \"r\" { when start; then { |", &["spawn", "tell", "warmth", "keeper"], &["when", "enters", "bell"]),
        ("rule \"r\" {\n  |", &["when", "if", "then", "cooldown"], &["spawn", "warmth"]),
        (
            "rule \"r\" { when person as who enters jetty; then { who.|",
            &["oil", "reach", "speed"],
            &["lit", "flame", "bell"],
        ),
        ("rule \"r\" { when start; then { for l in all lamp { l.|", &["lit", "flame"], &["oil"]),
        ("rule \"r\" { when start; then { spawn lamp at (1, 0) { |", &["lit"], &["oil", "warmth"]),
        ("rule \"r\" { when start; if warmth > 3 |", &["and", "or"], &["spawn", "warmth"]),
        ("rule \"r\" { when every 2 |", &["ticks", "tick"], &["spawn", "keeper"]),
        ("rule \"r\" { when start; then { wait 2 |", &["ticks", "tick"], &["spawn"]),
        ("rule \"r\" { when lamp#1.flame is |", &["bright", "dark"], &["spawn", "rule"]),
        ("rule \"r\" { when keeper is |", &["stuck", "removed"], &["spawn", "rule"]),
        ("rule \"r\" { when keeper bumps |", &["water", "lamp"], &["edge", "spawn"]),
        ("routine r(n: |", &["number", "list of", "fish"], &["warmth", "keeper"]),
        ("routine r(amount: number) { log |", &["amount", "warmth", "haul", "distance"], &["n", "spawn"]),
        ("|", &["kind", "rule", "zone"], &["spawn", "when"]),
    ];
    for (text, there, not) in some {
        let got = proposed(text);
        let missing: Vec<_> = there.iter().filter(|w| !got.iter().any(|g| g == **w)).collect();
        let extra: Vec<_> = not.iter().filter(|w| got.iter().any(|g| g == **w)).collect();
        assert!(missing.is_empty() && extra.is_empty(), "{text}: misses {missing:?}, has {extra:?} of {got:?}");
    }
}

#[test]
fn letters_narrow_what_is_proposed_and_each_says_what_it_is() {
    let whole = format!("{GROUND}rule \"r\" {{ when start; then {{ send be");
    let a = read(&whole);
    let (found, place) = complete(&a, 0, whole.len());
    assert_eq!(&whole[place], "be");
    let [bell] = found.as_slice() else { panic!("{found:?}") };
    assert_eq!((bell.text.as_str(), bell.kind), ("bell", Some(SymbolKind::Message)));
    assert_eq!((bell.about.as_str(), bell.example.as_str()), ("Rings over the marsh.", "message bell(pitch: number)"));
    // What begins with the letters stands first.
    let got = proposed("rule \"r\" { when start; then { re|");
    assert!(got[0].starts_with("re") && got.iter().any(|g| g == "remove"), "{got:?}");
    // Words of the language bring a line and an example.
    let at = whole.find("send be").expect("there") + 2;
    let (words, _) = complete(&a, 0, at);
    let send = words.iter().find(|p| p.text == "send").expect("an action");
    assert!(send.kind.is_none() && send.about.contains("message") && send.example.starts_with("send "), "{send:?}");
}

#[test]
fn a_name_says_what_it_is_and_each_place_what_it_does() {
    let text = format!(
        "{GROUND}rule \"a\" {{ when keeper enters jetty; if warmth > 3; then {{ warmth -= 1; send bell(2); start flood; log \"{{warmth}} left\" }} }}\n\
         rule \"b\" {{ when hears bell(p); then {{ ramp warmth to p over 1s; catch.add(eel); catch[eel] += 1; disable rule \"a\"; go lamp#1.flame to bright }} }}\n"
    );
    let a = read(&text);
    assert_eq!(a.checked.errors(), 0, "{:?}", a.diagnostics());
    let place = |word: &str| text.rfind(word).expect("a word");
    let roles = |word: &str| -> Vec<Role> {
        let mut all: Vec<Role> = look::uses(&a, 0, place(word)).into_iter().map(|(_, r)| r).collect();
        all.sort();
        all
    };
    assert_eq!(roles("warmth"), [Role::Declares, Role::Reads, Role::Reads, Role::Writes, Role::Writes]);
    assert_eq!(roles("bell"), [Role::Declares, Role::Sends, Role::Hears, Role::Hears]);
    assert_eq!(roles("flood"), [Role::Declares, Role::Steers]);
    assert_eq!(roles("catch"), [Role::Declares, Role::Writes, Role::Writes]);
    assert_eq!(roles("flame"), [Role::Declares, Role::Writes]);
    assert_eq!(roles("\"a\""), [Role::Declares, Role::Steers]);
    assert_eq!(roles("bright"), [Role::Declares, Role::Reads, Role::Reads]);
    let about = look::about(&a, 0, place("warmth")).expect("a name");
    assert_eq!((about.kind, about.ty.as_deref()), (SymbolKind::Variable, Some("a number")));
    assert_eq!(about.declaration, "var warmth = 100");
    assert_eq!(look::writers(&a, 0, place("warmth")).len(), 2);
    let at = look::definition(&a, 0, place("lamp#1")).expect("its kind");
    assert_eq!((a.text(at), at.start as usize), ("lamp", text.find("kind lamp").expect("there") + 5));
    assert!(look::about(&a, 0, text.find("= 100").expect("there")).is_none());
    let parts: Vec<(String, usize)> =
        outline::outline(&a, 0).iter().map(|(id, d)| (a.symbols.get(*id).name.clone(), *d)).collect();
    for part in [("lamp", 0), ("flame", 1), ("bright", 2), ("a", 0)] {
        assert!(parts.iter().any(|(n, d)| (n.as_str(), *d) == part), "{part:?} of {parts:?}");
    }
}

#[test]
fn a_name_that_would_collide_is_refused_with_what_it_collides() {
    let text = format!(
        "{GROUND}rule \"a\" {{ when start; then {{ let x = haul(3); log x }} }}\nrule \"b\" {{ when start; then {{ log 1 }} }}\n"
    );
    let a = read(&text);
    let find = |name: &str| a.symbols.iter().find(|(_, s)| s.name == name).map(|(id, _)| id).expect("a symbol");
    let refused = |name: &str, new: &str| rename(&a, find(name), new).expect_err("it is refused");
    assert!(matches!(refused("warmth", "keeper"), RenameError::Taken { what: SymbolKind::Actor, .. }));
    assert!(matches!(refused("warmth", "x"), RenameError::Taken { what: SymbolKind::Local, .. }));
    assert!(matches!(refused("x", "warmth"), RenameError::Taken { what: SymbolKind::Variable, .. }));
    assert!(matches!(refused("dark", "bright"), RenameError::Taken { what: SymbolKind::State, .. }));
    assert!(matches!(refused("oil", "reach"), RenameError::Taken { what: SymbolKind::Zone, .. }));
    assert!(matches!(refused("oil", "speed"), RenameError::Attribute(_)));
    assert!(matches!(refused("warmth", "when"), RenameError::Name(NameError::Reserved { .. })));
    for new in ["", "two words", "3x", "a-b", "e\u{301}"] {
        assert_eq!(refused("warmth", new), RenameError::Name(NameError::NoName(new.into())));
    }
    assert!(matches!(refused("a", "b"), RenameError::Taken { what: SymbolKind::Rule, .. }));
    assert_eq!(refused("a", "say \"a\""), RenameError::NoTitle);
    assert_eq!(refused("warmth", "keeper").to_string(), "`keeper` is an actor already");
    assert!(rename(&a, find("warmth"), "warmth").expect("nothing to do").is_empty());
}

#[test]
fn a_name_is_changed_in_all_files_and_private_ones_in_theirs() {
    let main = "use \"wheels.may\"\nprivate var heat = 1\nplace w: wheel at (0, 0)\nrule \"m\" { when start; then { heat += w.turns; log \"{w.turns} {heat}\" } }\n";
    let wheels = "kind wheel { var turns = 3 }\nprivate var heat = 9\nrule \"w\" { when start; then { log heat } }\n";
    let load = |path: &str| {
        if path == "wheels.may" { Ok(wheels.to_string()) } else { Err(mayfly_lang::check::LoadError::Missing) }
    };
    let a = Analysis::of("main.may", main, &mut |p| load(p));
    assert_eq!(a.checked.errors(), 0, "{:?}", a.diagnostics());
    let turns = a.symbols.iter().find(|(_, s)| s.name == "turns").expect("it is declared").0;
    let changes = rename(&a, turns, "rounds").expect("it is free");
    assert_eq!(changes.len(), 2);
    let texts: Vec<String> =
        changes.iter().map(|(f, c)| c.apply(&a.files[*f as usize].text).expect("fits").0).collect();
    assert!(
        texts[0].contains("heat += w.rounds; log \"{w.rounds} {heat}\"") && texts[1].contains("var rounds = 3"),
        "{texts:?}"
    );
    let heat = look::uses(&a, 0, main.find("heat").expect("there"));
    assert_eq!(heat.len(), 3, "those of its own file alone");
    assert!(heat.iter().all(|(u, _)| u.at.file == 0));
    // After an edit of one file the other keeps its tree.
    let again = a.again("main.may", &main.replace("heat", "warm"), &mut |p| load(p));
    assert_eq!(again.files[1].text, a.files[1].text);
    assert_eq!(again.checked.errors(), 0);
}

#[test]
fn two_files_of_one_name_in_two_folders_are_two_files() {
    let main = "use \"sub/x.may\"\nuse \"x.may\"\nrule \"m\" { when start; then { log \"{close} {far}\" } }\n";
    let load = |path: &str| match path {
        "x.may" => Ok("var close = 1\n".to_string()),
        "sub/x.may" => Ok("var far = 2\n".to_string()),
        _ => Err(mayfly_lang::check::LoadError::Missing),
    };
    let a = Analysis::of("levels/main.may", main, &mut |p| load(p));
    assert_eq!(a.checked.errors(), 0, "{:?}", a.diagnostics());
    for name in ["close", "far"] {
        let id = a.symbols.iter().find(|(_, s)| s.name == name).expect("it is declared").0;
        assert_eq!(rename(&a, id, "other").map(|c| c.len()), Ok(2), "{name}");
    }
}
