//! The revised sentences of the contract, each with what stands beside it: ends, contact passed whole, first states,
//! laid tiles, kept events, faults everywhere, and the forms that were added.

use super::{flown, on_ground, says};
use mayfly_engine::hash::state_hash;
use mayfly_lang::check;

#[test]
fn what_runs_beside_a_routine_ends_there() {
    says(
        r#"
routine chime(n: number) { meanwhile { wait 2 ticks; log "rings {n}" }; wait 1 ticks }
rule "r" { when start; then { chime(1); log "after {tick}" } }
"#,
        &[],
        8,
        "1 after 1; 2 rings 1",
    );
    // Beside a rule it goes to the rule's own end of the block only, in a routine of a routine too.
    says(
        r#"
routine inner() { meanwhile { wait 1 ticks; log "in" } }
routine outer() { inner(); log "back" }
rule "r" { when start; then { outer(); meanwhile { log "m" }; log "end" } }
"#,
        &[],
        4,
        "0 back; 0 m; 0 end; 1 in",
    );
}

#[test]
fn who_waits_for_a_ramp_goes_on_when_it_ends_however_that_is() {
    says(
        r#"
var x = 0
var y = 0
rule "a" { when start; then { ramp x to 9 over 9 ticks and wait; log "x {tick} {x}" } }
rule "b" { when start; then { ramp y to 4 over 4 ticks and wait; log "y {tick} {y}" } }
rule "c" { when after 2 ticks; then { ramp x to 0 over 2 ticks and wait; log "back {tick} {x}" } }
"#,
        &[],
        12,
        "2 x 2 2; 4 y 4 4; 4 back 4 0",
    );
}

#[test]
fn contact_that_is_passed_whole_touches_and_parts() {
    on_ground(
        r#"
kind crate { }
kind dart { speed 400 }
place c: crate at (5, 2)
place d: dart at (1, 2)
rule "go" { when after 1 ticks; then { walk d to (10, 2) straight } }
rule "t" { when dart touches crate; then { log "touches" } }
rule "p" { when dart parts from crate; then { log "parts" } }
"#,
        &[],
        6,
        "2 touches; 2 parts",
    );
}

#[test]
fn a_first_state_is_entered_at_the_start_at_a_spawn_and_at_a_reset() {
    says(
        r#"
kind lamp { machine m { start a; state a { } } }
place l: lamp at (0, 0)
rule "e" { when lamp.m enters a; then { log lamp } }
rule "s" { when after 2 ticks; then { spawn lamp at (1, 1); reset l } }
"#,
        &[],
        5,
        "0 lamp = l; 2 lamp = lamp#1; 2 lamp = l",
    );
}

#[test]
fn zones_follow_what_is_laid() {
    says(
        r#"
tiles { '_' boards; 'r' reeds }
map """
__r__
"""
kind p { steered; speed 20 }
place k: p at (2, 0)
zone n = tiles reeds
rule "in" { when k enters n; then { log "in" } }
rule "out" { when k leaves n; then { log "out" } }
rule "x" { when after 2 ticks; then { lay boards at (2, 0); lay reeds at (4, 0); wait 2 ticks; log k in n; log n covers reeds } }
"#,
        &["10: k east", "14: k east"],
        40,
        "0 in; 3 out; 4 k in n = false; 4 n covers reeds = true; 14 in",
    );
}

#[test]
fn a_kept_event_is_evaluated_whole_when_its_turn_comes() {
    says(
        r#"
message hit(x: number)
rule "twice" { when hears hit(x); at most 2; again later; then { log x; wait 3 ticks } }
rule "s" { when start; then { for i in 1..4 { send hit(i) } } }
"#,
        &[],
        20,
        "0 x = 1; 3 x = 2",
    );
    says(
        r#"
message hit(x: number)
rule "h" { when hears hit(x); again later; then { wait 5 ticks; log "{x} {tick}" } }
rule "s" { when start; then { for i in 1..3 { send hit(i) }; wait 2 ticks; disable rule "h" } }
"#,
        &[],
        20,
        "5 1 5",
    );
}

#[test]
fn a_fault_counts_wherever_it_is_met_and_names_its_rule() {
    let f = flown(
        r#"
var z = 0
define q = 1 / z
define ok = 1 / (z + 1)
rule "asleep" { when every 1 ticks; at most 9; while 1 / z > 3; then { log "c" } }
machine m { start a; state a { to b if 1 / z > 3 } state b { } }
rule "board" { when start; then { board "x" while 1 / z > 3 } }
rule "line" { when 2 / z turns true > 1; then { } }
"#
        .replace(
            "rule \"line\" { when 2 / z turns true > 1; then { } }",
            "rule \"line\" { when 2 / z reaches 3; then { } }",
        )
        .as_str(),
        &[],
        3,
    );
    let mut told: Vec<String> = f
        .faults
        .iter()
        .map(|x| format!("{} {}", x.tick, x.rule.map_or(x.fault.text.clone(), |r| f.engine.program.rule_name(r))))
        .collect();
    told.sort();
    let want = ["0 `q`: division by zero: 1 / 0", "0 board", "0 line", "0 m: a → b", "1 asleep", "2 asleep"];
    assert_eq!(told, want);
}

#[test]
fn a_faulty_wait_loses_no_other() {
    says(
        r#"
var x = 0
var z = 0
rule "a" { when start; then { wait until x > 0; log "a" } }
rule "b" { when start; then { wait until x > 0 and 1 / z > 0; log "b" } }
rule "c" { when start; then { wait until x > 0; log "c" } }
rule "go" { when after 2 ticks; then { x = 1 } }
"#,
        &[],
        5,
        "2 a; 2 c; 2 ! division_by_zero",
    );
}

#[test]
fn what_replaces_an_order_or_a_ramp_is_said_and_so_is_a_checkpoint() {
    use mayfly_engine::{EndWhy, TraceEvent};
    let mut f = flown(
        r#"
kind goat { }
place g: goat at (2, 0)
var x = 0
rule "home" { when after 1 ticks; then { walk g to (0, 0); ramp x to 5 over 5 ticks; checkpoint g } }
rule "away" { when after 1 ticks; then { walk g to (4, 0); x = 3 } }
"#,
        &[],
        3,
    );
    let trace = f.history.trace(&f.engine, 1);
    let ends = |r: &TraceEvent| {
        matches!(
            r,
            TraceEvent::OrderEnds { why: EndWhy::Replaced, .. } | TraceEvent::RampEnds { why: EndWhy::Written, .. }
        )
    };
    assert_eq!(trace.records.iter().filter(|r| ends(r)).count(), 2, "{:?}", trace.records);
    assert!(trace.records.iter().any(|r| matches!(r, TraceEvent::Remembered { .. })));
}

#[test]
fn a_spawn_that_fails_leaves_nobody() {
    says(
        r#"
kind crate { var n = 0 }
rule "s" { when start; then { spawn crate at (1, 1) { n = 1 / 0 } } }
rule "t" { when start; then { log count(crate); spawn crate at (1, 1) as c; log c } }
"#,
        &[],
        3,
        "0 count(crate) = 0; 0 c = crate#1; 0 ! division_by_zero",
    );
}

#[test]
fn of_two_presses_in_one_tick_the_first_begins_and_the_second_is_remembered() {
    on_ground(
        r#"
rule "t" { when tick; if tick == 5 or tick == 20; then { log k.at } }
"#,
        &["2: k east", "2: k south"],
        22,
        "5 k.at = (1.8, 1); 20 k.at = (2, 2)",
    );
}

#[test]
fn along_a_path_from_the_nearest_point_and_arriving_at_its_points() {
    on_ground(
        r#"
path rounds = (1, 2) (4, 2) (9, 2) loop
rule "go" { when start; then { walk k along rounds from nearest } }
rule "c" { when k arrives; then { log "end" } }
rule "d" { when k arrives at (4, 2); then { log "at" } }
"#,
        &[],
        30,
        "20 at",
    );
}

#[test]
fn rounding_printing_and_first_values() {
    says(
        r#"
var x = 7
kind k { var n = 3 }
place a: k at (0, 0) { n = 4 }
rule "s" { when start; then { x = 9; a.n = 1; log "{round(0 - 2.5)} {round(2.5)} {0.285:2} {first(x)} {first(a.n)} {1 tick}" } }
rule "c" { when start; then { log count(any where any.x == 0) } }
"#,
        &[],
        2,
        "0 -3 3 0.29 7 4 0.05s; 0 count(any where any.x == 0) = 1",
    );
}

#[test]
fn places_of_tiles_and_points_that_are_seen() {
    on_ground(
        r#"
kind owl { sight wedge 90 reach 4 }
place o: owl at (3, 2) facing east
rule "s" { when start; then { log tile_at((5, 1)) tagged cover; log o sees (6, 2); log o sees (2, 2); log o sees (9, 2) } }
"#,
        &[],
        2,
        "0 tile_at((5, 1)) tagged cover = true; 0 o sees (6, 2) = true; 0 o sees (2, 2) = false; 0 o sees (9, 2) = false",
    );
}

#[test]
fn a_prompt_stands_for_a_time() {
    let signs = |ticks| {
        let f = flown("rule \"s\" { when start; then { prompt \"a\" for 3 ticks; prompt \"b\" } }", &[], ticks);
        f.history.live().signs.len()
    };
    assert_eq!([1, 3, 4, 9].map(signs), [2, 2, 1, 1]);
}

#[test]
fn looks_of_one_character_and_places_within_bounds() {
    says(
        r#"
kind k { }
place a: k at (1, 1)
rule "l" { when start; then { a.look = "ab" } }
rule "m" { when start; then { move a to (1000001, 0) } }
rule "p" { when start; then { push a by (99999999, 0) } }
rule "w" { when start; then { walk a to (0 - 2000000, 0) } }
rule "z" { when start; then { a.size = (2000, 1) } }
rule "x" { when start; then { a.x = 5000000 } }
rule "s" { when start; then { spawn k at (1, 9000000) } }
rule "e" { when after 1 ticks; then { log a.at } }
"#,
        &[],
        3,
        &format!("{}1 a.at = (1, 1)", "0 ! limit; ".repeat(7)),
    );
}

#[test]
fn kinds_take_zones_apart_and_lists_inside_lists_grow() {
    says(
        r#"
kind lamp { zone ring = disc 4 - disc 2; zone whole = ring + disc 1 }
kind p { }
place l: lamp at (0, 0)
place a: p at (3, 0)
place b: p at (0.5, 0)
var lists: list of list of number = [[1], [2]]
rule "s" { when start; then { log a in l.ring; log b in l.ring; log b in l.whole; lists[1].push(5); log lists } }
"#,
        &[],
        2,
        "0 a in l.ring = true; 0 b in l.ring = false; 0 b in l.whole = true; 0 lists = [[1], [2, 5]]",
    );
}

#[test]
fn questions_draw_nothing_and_what_is_looked_at_again_may_not_draw() {
    for text in [
        "define d = random(1, 6)\n",
        "routine dice() -> number { return random(1, 6) }\ndefine d = dice()\n",
        "routine dice() -> number { return random(1, 6) }\nroutine two() -> number { return dice() + dice() }\nrule \"r\" { when two() reaches 4; then { } }\n",
        "routine dice() -> number { return random(1, 6) }\nrule \"r\" { when start; then { board \"{dice()}\" } }\n",
        "rule \"r\" { when start; then { wait until random(1, 6) == 3 } }\n",
        "rule \"r\" { when tick; while chance(50%); then { log 1 } }\n",
    ] {
        let c = check::check("t.may", text);
        let errors: Vec<&str> = c.diagnostics.iter().map(|d| d.code).filter(|c| *c == "define-draws").collect();
        assert_eq!(errors.len(), 1, "{text}: {:?}", c.diagnostics);
    }
    let text = "rule \"r\" { when every 2 ticks; if chance(50%); then { log random(1, 6) } }\n";
    let mut s = mayfly_session::session::Session::new(check::check("t.may", text).sources, super::level(text));
    s.run_ticks(9, || true);
    let before = state_hash(s.history.live());
    for rule in 0..s.engine.program.rules.len() {
        s.why_not(mayfly_base::RuleId::at(rule));
    }
    let draws = &s.engine.program.rules[0].clauses[0].test;
    let asked = mayfly_session::values::of(&s.engine, s.history.live(), draws, None, &[]);
    assert!(asked.is_err_and(|f| f.text.contains("random")));
    assert_eq!(state_hash(s.history.live()), before);
}

#[test]
fn every_field_of_a_world_counts_in_its_hash() {
    use mayfly_base::*;
    use mayfly_engine::World;
    use mayfly_engine::world::*;
    let f = flown(
        r#"
message bell
input wind = "e"
timer flood = 9s running
clock tide { minute 60; hour 24; speed 1 minute per 100ms }
tiles { '_' boards; 'r' reeds }
map """
____
____
"""
kind crate { steered; solid; var n = 1; machine m { start a; state a { } } }
place a: crate at (0, 0)
place b: crate at (1, 0)
zone pool = rect (0, 0) 2 x 2
zone moss = tiles reeds
var x = 0
rule "w" { when start; then { walk b to (3, 1); ramp x to 9 over 9s; prompt "p" for 9s; send bell after 9s; lay reeds at (3, 0); wait 9s; log random(1, 6) } }
rule "h" { when hears bell; at most 3; cooldown 1s; again later; then { log 1 } }
rule "z" { when crate enters pool; then { log 1 } }
rule "t" { when crate as p touches crate as q; then { log 1 } }
rule "x" { when x changes; then { } }
rule "r" { when start; then { log random(1, 6); disable rule "z" } }
"#,
        &["2: a wind", "3: a east"],
        5,
    );
    let world = f.history.live().clone();
    let plain = state_hash(&world);
    let a = 0;
    type Change = Box<dyn Fn(&mut World)>;
    let changes: Vec<(&str, Change)> = vec![
        ("a zone switched off", Box::new(|w| w.zone_off[0] = true)),
        ("a variable", Box::new(|w| w.vars[0] = Value::Number(77.0))),
        ("a first value", Box::new(|w| w.first_vars = vec![Value::Number(5.0)].into())),
        (
            "a contact",
            Box::new(|w| {
                w.contacts.insert((ActorId(0), ActorId(1)), Contact { since: 99 });
            }),
        ),
        (
            "what is near",
            Box::new(|w| {
                w.near.insert((0, ActorId(0), ActorId(1)), 3);
            }),
        ),
        (
            "what is seen",
            Box::new(|w| {
                w.seen.insert((ActorId(0), ActorId(1)), 3);
            }),
        ),
        ("a prompt", Box::new(|w| w.signs.clear())),
        ("a prompt's end", Box::new(|w| w.signs[0].until = None)),
        ("an ending", Box::new(|w| w.ending = Some(Ending::Restart))),
        ("the end", Box::new(|w| w.ended = Some(Ended { tick: 1, win: true, text: "t".into() }))),
        (
            "a forced draw",
            Box::new(|w| {
                w.random.borrow_mut().fixed.insert(DrawId(0), vec![Value::Number(2.0)]);
            }),
        ),
        ("a ramp's goal", Box::new(|w| w.ramps[0].to = Value::Number(3.0))),
        ("a ramp's place", Box::new(|w| w.ramps[0].target = mayfly_engine::Target::Local(0))),
        ("a run's rule", Box::new(|w| w.runs[0].rule = RuleId(3))),
        ("a run's wait", Box::new(|w| w.runs[0].wait = Wait::Ramp(4))),
        ("a run's floor", Box::new(|w| w.runs[0].floor = 1)),
        (
            "an order",
            Box::new(|w| {
                w.actors[1].walk.take();
            }),
        ),
        ("a message under way", Box::new(|w| w.mail[0].due += 1)),
        (
            "a tile",
            Box::new(|w| {
                w.laid.insert((AreaId::MAIN, 1, 1), TileId(0));
            }),
        ),
        ("a cell to be sensed", Box::new(|w| w.fresh.push(((AreaId::MAIN, 1, 1), mayfly_engine::Cause::NONE)))),
        ("a timer's length", Box::new(|w| w.timers[0].length += 1)),
        ("a clock's part", Box::new(|w| w.clocks[0].part += 1)),
        ("a rule switched on", Box::new(|w| w.rules[2].on = true)),
        (
            "a use",
            Box::new(|w| {
                w.uses.insert((RuleId(1), 0, None, None), 9);
            }),
        ),
        (
            "a rest",
            Box::new(|w| {
                w.rests.insert((RuleId(1), 0, None, None), 9);
            }),
        ),
        ("a watch", Box::new(|w| w.watched[0][0].truth = true)),
        ("a faulty watch", Box::new(|w| w.watched[0][0].faulty = true)),
        ("a stale watch", Box::new(|w| w.stale.push((WatchId(0), None, mayfly_engine::Cause::NONE)))),
        (
            "a faulty rule",
            Box::new(|w| {
                w.faulty.insert((RuleId(0), None));
            }),
        ),
        ("a machine", Box::new(|w| w.machines.values_mut().next().expect("a machine").count += 1)),
        (
            "an input held",
            Box::new(|w| {
                w.down.insert((ActorId(0), InputId(0)), 1);
            }),
        ),
        ("what was begun", Box::new(|w| w.begun += 1)),
        ("who was stopped", Box::new(|w| w.stopped.push(ActorId(1)))),
        ("bytes", Box::new(|w| w.bytes += 1)),
        ("sight", Box::new(|w| w.sight_changed = !w.sight_changed)),
        ("a place", Box::new(move |w| w.actors[a].at.x += 0.5)),
        ("where it was", Box::new(move |w| w.actors[a].before.x += 0.5)),
        ("a stir", Box::new(move |w| w.actors[a].dirty = !w.actors[a].dirty)),
        ("an actor's variable", Box::new(move |w| w.actors[a].fields[0] = Value::Number(9.0))),
        (
            "a press",
            Box::new(move |w| {
                w.actors[a].pressed = Some(Box::new(Pressed { arrow: (1, Default::default()), then: None }))
            }),
        ),
        (
            "a bump",
            Box::new(move |w| {
                let here = w.actors[a].at;
                let bump = Bump { into: BumpInto::Edge, at: here, facing: 0, other_at: here, other_facing: 0 };
                w.actors[a].bump = Some(Box::new(bump));
            }),
        ),
        ("a checkpoint", Box::new(move |w| w.actors[a].checkpoint.1 = 3)),
        ("a first state", Box::new(move |w| w.actors[a].first = None)),
        ("a tag", Box::new(move |w| w.actors[a].tags.push(TagId(0)))),
        ("frozen", Box::new(move |w| w.actors[a].frozen = true)),
        ("when it was switched off", Box::new(move |w| w.actors[a].disabled_at = 3)),
    ];
    for (what, change) in changes {
        let mut other = world.clone();
        change(&mut other);
        assert_ne!(state_hash(&other), plain, "{what} does not count");
    }
}
