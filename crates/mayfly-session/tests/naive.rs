//! The real engine against a naive one that asks every rule at each event, looks at every zone and pair
//! in every tick and compares every watch at each notice: the same records, the same state, tick by tick.

use crate::engines;
use mayfly_base::*;
use mayfly_engine::Input;
use mayfly_lang::check;
use mayfly_lang::level::Level;
use mayfly_session::lower::lower;
use mayfly_session::script::Script;
use proptest::prelude::*;
use std::collections::BTreeMap;
use std::sync::Arc;

/// Every case's level with its inputs, and the demo.
fn levels() -> Vec<(String, Arc<Level>, Script)> {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/cascades");
    let mut paths: Vec<_> = std::fs::read_dir(folder).expect("the cases").map(|e| e.expect("a case").path()).collect();
    paths.push(concat!(env!("CARGO_MANIFEST_DIR"), "/../../examples/weir-house.may").into());
    paths.sort();
    paths.into_iter().map(|p| level(&p)).collect()
}

fn level(path: &std::path::Path) -> (String, Arc<Level>, Script) {
    let text = std::fs::read_to_string(path).expect("a level");
    let (text, inputs) = match text.split_once("--- ticks ") {
        Some((head, _)) => head.split_once("--- inputs\n").unwrap_or((head, "")),
        None => (text.as_str(), ""),
    };
    let mut script = Script::default();
    inputs.lines().for_each(|l| script.add(l).expect("an input"));
    let name = path.file_name().expect("a name").to_string_lossy().to_string();
    (name, check::check("case", text).level.expect("it loads"), script)
}

/// Keys by number: tick, which steered actor, which input, and whether it stays down.
type Keys = Vec<(u64, usize, usize, bool)>;

fn inputs(level: &Level, keys: &Keys) -> BTreeMap<u64, Vec<Input>> {
    let steered: Vec<ActorId> = (0..level.actors.len())
        .filter(|a| level.kinds[level.actors[*a].kind.index()].steered)
        .map(ActorId::at)
        .collect();
    let mut out: BTreeMap<u64, Vec<Input>> = BTreeMap::new();
    for (tick, who, key, held) in keys {
        let Some(a) = steered.get(who % steered.len().max(1)) else { continue };
        let i = InputId::at(key % level.inputs.len());
        if *held {
            out.entry(*tick).or_default().push(Input::Down(*a, i));
            out.entry(tick + 15).or_default().push(Input::Up(*a, i));
        } else {
            out.entry(*tick).or_default().push(Input::Tap(*a, i));
        }
    }
    out
}

fn compare(
    name: &str,
    level: &Level,
    script: &Script,
    keys: &Keys,
    seed: u64,
    ticks: u64,
) -> Result<(), TestCaseError> {
    let mut program = lower(level);
    let mut all = script.resolve(level, &mut program).expect("the inputs");
    for (tick, list) in inputs(level, keys) {
        all.entry(tick).or_default().extend(list);
    }
    engines::go_the_same_way(name, program, all, seed, ticks)
}

#[test]
fn a_crowd_that_stands_in_several_rows_goes_the_same_way() {
    let mut text = String::from("level \"Crowd\" { rate 20 }\ntiles { '_' mud }\nmap \"\"\"\n");
    (0..40).for_each(|_| text.push_str("______________________________\n"));
    text.push_str(
        r#""""
kind duck { speed 5; sight all reach 4; var met = 0 }
kind goose { speed 30; size (1.6, 0.7); var met = 0 }
zone lake = rect (0, 0) 30 x 40
rule "go" { when start; then { for d in all duck { walk d to random_point(lake) }; for g in all goose { walk g to random_point(lake) } } }
rule "on" { when duck arrives; then { walk duck to random_point(lake) } }
rule "on too" { when goose arrives; then { walk goose to random_point(lake) } }
rule "near" { when duck nears goose within 2.5 until 4; then { duck.met += 1 } }
rule "far" { when goose strays from duck beyond 13; then { goose.met += 1 } }
rule "touch" { when duck touches goose; then { goose.met += 10 } }
rule "sees" { when duck sees goose; then { duck.met += 100 } }
"#,
    );
    for i in 0..45 {
        let (x, y) = (i * 7 % 30, i * 11 % 40);
        text.push_str(&format!("place duck at ({x}, {y})\nplace goose at ({}, {})\n", 29 - x, (y + i) % 40));
    }
    let level = check::check("crowd", &text).level.expect("it loads");
    compare("crowd", &level, &Script::default(), &vec![], 3, 90).expect("the same");
}

#[test]
fn every_case_goes_the_same_way() {
    for (name, level, script) in levels() {
        compare(&name, &level, &script, &vec![], level.seed, 120).expect(&name);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, failure_persistence: None, ..ProptestConfig::default() })]

    /// Any keys, any seed.
    #[test]
    fn any_keys_lead_the_same_way(
        which in 0usize..1000,
        keys in prop::collection::vec((0u64..150, 0usize..4, 0usize..12, prop::bool::ANY), 0..40),
        seed in any::<u64>(),
    ) {
        let all = levels();
        let (name, level, script) = &all[which % all.len()];
        compare(name, level, script, &keys, seed, 160)?;
    }

    /// Levels put together from pieces: zones, nearness, sight, waits, machines, spawns, removals, walks.
    #[test]
    fn any_pieces_lead_the_same_way(
        pieces in prop::collection::vec(0usize..PIECES.len(), 3..10),
        keys in prop::collection::vec((0u64..100, 0usize..2, 0usize..6, prop::bool::ANY), 0..30),
        seed in any::<u64>(),
    ) {
        let (text, level) = put_together(GROUND, PIECES, &pieces);
        compare(&text, &level, &Script::default(), &keys, seed, 110)?;
    }

    /// The same on open ground.
    #[test]
    fn walkers_on_open_ground_go_the_same_way(
        pieces in prop::collection::vec(0usize..OPEN_PIECES.len(), 1..7),
        keys in prop::collection::vec((0u64..100, 0usize..2, 0usize..6, prop::bool::ANY), 0..6),
        seed in any::<u64>(),
    ) {
        let (text, level) = put_together(OPEN, OPEN_PIECES, &pieces);
        compare(&text, &level, &Script::default(), &keys, seed, 110)?;
    }
}

/// A level of a ground and some pieces.
fn put_together(ground: &str, all: &[&str], pieces: &[usize]) -> (String, Arc<Level>) {
    let mut text = ground.to_string();
    for (i, p) in pieces.iter().enumerate() {
        text.push_str(&all[*p].replace('@', &i.to_string()));
        text.push('\n');
    }
    let c = check::check("pieces", &text);
    let said: Vec<String> = c.diagnostics.iter().map(|d| d.message.clone()).collect();
    let level = c.level.unwrap_or_else(|| panic!("{text}\n{said:?}"));
    (text, level)
}

/// Open ground on which nothing but zones and tiles is sensed: there walkers take the shortest cut through
/// the engine.
const OPEN: &str = r#"
level "Open" { rate 20 }
tiles { '_' mud; 'r' reeds tagged cover; '#' piles solid }
map """
________________
___rr____#______
______##________
________________
__rrr___________
"""
input wind = "e"
var n = 0
kind walker { steered; speed 7; var steps = 0; rule "next" { when self arrives; then { walk self to random_point(bed) } } }
place a: walker at (0, 0)
place b: walker at (9, 3) { speed 2.5 }
place walker at (4, 4), (15, 0)
path rounds = (1, 0) (8, 0) (8, 4) (1, 4) loop
zone bed = rect (0, 0) 16 x 5 for nobody
tag nobody
tag slow
rule "begin" { when start; then { for w in all walker { walk w to random_point(bed) } } }
"#;

const OPEN_PIECES: &[&str] = &[
    "zone z@ = rect (3, 1) 3 x 3\nrule \"in @\" { when walker enters z@; then { n += 1 } }\nrule \"out @\" { when walker leaves z@; then { n -= 1 } }",
    "zone d@ = disc (9.3, 2.2) 2.1\nrule \"in @\" { when walker enters d@; when walker leaves d@; then { walker.steps += 1 } }",
    "zone thin@ = poly (6, -1) (6.3, -1) (6.2, 6)\nrule \"in @\" { when walker enters thin@; then { n += 3 } }",
    "zone m@ = rect (0, 3) 8 x 2\nrule \"in @\" { when walker moves in m@; then { walker.steps += 1 } }",
    "rule \"tread @\" { when walker treads cover; then { n += 1; log \"{walker} {tick}\" } }",
    "rule \"fast @\" { when every 700ms; then { a.speed = if a.speed > 5 then 1.3 else 90 } }",
    "rule \"path @\" { when after 1300ms; then { walk b along rounds } }",
    "rule \"lay @\" { when every 1100ms; then { if tile_at((5, 3)) == piles { lay mud at (5, 3) } else { lay piles at (5, 3) } } }",
    "rule \"put @\" { when every 1700ms; then { move b to (2, 2) } }",
    "rule \"off @\" { when every 900ms; then { disable a; wait 250ms; enable a } }",
    "rule \"turn @\" { when every 550ms; then { face b west; push a by (0.4, 0) } }",
    "rule \"more @\" { when every 2s; if count(walker) < 7; then { spawn walker at (7, 3) as w; walk w to (0, 3); wait 800ms; remove w } }",
    "rule \"tag @\" { when every 450ms; then { if b tagged slow { untag b as slow } else { tag b as slow } } }\nzone s@ = rect (2, 0) 9 x 5 for slow\nrule \"s @\" { when walker enters s@; then { n += 7 } }",
    "rule \"touch @\" { when walker as x touches walker as y; then { n += 2 } }",
];

const GROUND: &str = r#"
level "Pieces" { rate 10 }
tiles { '#' piles solid opaque; '_' boards; 'w' water solid; 'r' reeds opaque tagged cover }
map """
############
#____rr____#
#__ww______#
#__ww__#___#
#______#___#
############
"""
input wind = "e"
message bell(n: number)
var n = 0
var warmth = 50 within 0 to 60
timer flood = 2s repeating running
clock tide { minute 60; hour 24; speed 1 minute per 100ms }
kind person { steered; speed 6; var oil = 2 }
kind heron { speed 4; sight wedge 120 reach 5; zone close = disc 2; var seen = 0
  machine mood { start calm; state calm { to wary when self sees person }; state wary { enter { walk self to (9, 4) }; to calm after 1s } } }
kind crate { solid; size (0.9, 0.9); var hits = 0 }
kind bog of zone { var deep = 0; rule "in" { when person enters self; then { self.deep += 1 } } }
place keeper: person at (1, 1)
place mate: person at (8, 1)
place h: heron at (5, 4)
place crate at (6, 2), (9, 2)
zone jetty = rect (1, 1) 3 x 2
zone pool = disc (6, 3) 1.5 for person, crate
zone mud: bog = poly (1, 3) (4, 4) (1, 4)
"#;

const PIECES: &[&str] = &[
    "rule \"in @\" { when person enters jetty; then { n += 1; send bell(n) } }",
    "rule \"out @\" { when any leaves pool; then { n -= 1 } }",
    "rule \"stay @\" { when person in jetty every 300ms; cooldown 700ms per person; then { warmth += 3 } }",
    "rule \"touch @\" { when person touches crate; then { crate.hits += 1; push crate by (1, 0) } }",
    "rule \"near @\" { when person as a nears person as b within 2 until 3; then { log \"{a} {b}\" } }",
    "rule \"stray @\" { when heron strays from person beyond 3; then { warmth -= 1 } }",
    "rule \"sees @\" { when heron sees person; then { heron.seen += 1; face heron to person } }",
    "rule \"loses @\" { when heron loses person; then { walk heron after person for 1s } }",
    "rule \"glow @\" { when person enters heron.close; then { heron.seen += 10 } }",
    "rule \"spawn @\" { when hears bell(x); if count(crate) < 9; then { spawn crate at (2 + x mod 7, 4) as c; wait 1s; remove c } }",
    "rule \"wait @\" { when flood ends; again beside; then { wait for keeper presses wind for at most 1s; n += 2 } }",
    "rule \"until @\" { when every 700ms; again anew; then { wait until warmth > 40; n += 1 } }",
    "rule \"watch @\" { when n reaches 5; when n drops to 3; then { warmth -= 2 } }",
    "rule \"deep @\" { when mud.deep changes; then { n += mud.deep } }",
    "rule \"tide @\" { when tide passes hour; then { tide.speed = 1 + n mod 3 } }",
    "rule \"draw @\" { when every 400ms; then { if chance(40%) { walk h to random_point(jetty) } else { n += random(1, 3) } } }",
    "rule \"lay @\" { when every 900ms; then { if tile_at((4, 1)) == reeds { lay boards at (4, 1) } else { lay reeds at (4, 1) } } }",
    "rule \"tread @\" { when person treads cover; then { hide person; wait 500ms; show person } }",
    "rule \"off @\" { when every 1300ms; then { disable pool; disable mate; wait 400ms; enable pool; enable mate } }",
    "rule \"mood @\" { when heron.mood enters wary; then { tag_it_@(heron) } }\nroutine tag_it_@(who: actor) { push who by (0, -1) }",
    "rule \"tick @\" { when tick; if warmth > 0 and keeper near h within 2; then { warmth -= 1 } else { warmth += 1 } }",
    "rule \"ramp @\" { when hears bell(x); then { ramp warmth to x over 600ms and wait; n += 1 } }",
    "rule \"arr @\" { when h arrives; when h is stuck; then { n += 1 } }",
    "rule \"prio @\" { when person enters jetty; priority 2; then { n *= 2; if n > 100 { n = 0 } } }",
];
