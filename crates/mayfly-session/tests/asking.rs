//! What a session answers without a screen: what an edit changed, what a firing holds, a loop's turns, an
//! actor, a machine, stops, branches.

use mayfly_base::ActorId;
use mayfly_base::code::Attr;
use mayfly_base::value::Value;
use mayfly_engine::Target;
use mayfly_lang::check::{self, Checked};
use mayfly_session::about::Said;
use mayfly_session::moment::{At, Moment};
use mayfly_session::reload::Reloaded;
use mayfly_session::session::Session;
use mayfly_session::things::Thing;

fn checked(text: &str) -> Checked {
    check::check("asking.may", text)
}

fn session(text: &str) -> Session {
    let c = checked(text);
    assert_eq!(c.errors(), 0, "{:?}", c.diagnostics);
    Session::new(c.sources, c.level.expect("a level"))
}

fn edit(s: &mut Session, text: &str) -> Vec<String> {
    let Reloaded::Begun(mut refly) = s.reload(checked(text)) else { panic!("it is flown again") };
    // A slice at a time comes to the same.
    let mut slices = 0;
    while !refly.fly(|| {
        slices += 1;
        slices % 7 != 0
    }) {}
    let lost = refly.lost.clone();
    refly.finish(s, &mut vec![]);
    lost
}

fn said(list: &[Said]) -> String {
    list.iter().map(|s| format!("{}: {}\n", s.label, s.fact.text)).collect()
}

const GATE: &str = r#"level "Gate" { rate 10 }
kind person { steered; speed 5; var oil = 0 }
kind sluice {
  var winds = 0
  machine gate {
    start shut
    state shut { to raising when person nears self within 2 if person.oil > 0 then { self.winds += 1 } }
    state raising { to open after 1s }
    state open { to shut after 2s if self.winds > 3 }
    wherever { to shut when hears alarm }
  }
}
message alarm
var visits = 0
place keeper: person at (0, 0)
place weir: sluice at (6, 0)
zone jetty = rect (2, 0) 2 x 1
rule "count" { when person enters jetty; then { visits += 1 } }
rule "grease" { when after 300ms; then { keeper.oil = 2 } }
rule "go" { when start; then { walk keeper to (5, 0) } }
"#;

#[test]
fn an_edit_parts_the_flight_where_something_happens_otherwise_and_only_there() {
    let mut s = session(GATE);
    s.run_ticks(40, || true);
    s.poke("send alarm").expect("a poke");
    s.run_ticks(5, || true);
    let visits = s.along_write(mayfly_engine::Target::Var(mayfly_base::VarId(0)), false);
    assert!(visits);
    let entered = s.moment.tick;
    // Renaming a local thing, adding an idle rule, reordering declarations: nothing happens otherwise.
    let idle = GATE.replace(
        "var visits = 0\n",
        r#"
var idle = 0
var visits = 0
rule "idle" { when after 1h; then { idle += 1 } }
"#,
    );
    assert!(edit(&mut s, &idle).is_empty());
    assert_eq!(s.parts_at(), None);
    assert_eq!(s.history.live_tick(), 46);
    let other = idle.replace("visits += 1", "visits += 2");
    edit(&mut s, &other);
    assert_eq!(s.parts_at(), Some(entered));
    s.go(Moment { tick: entered, at: At::End });
    let c = s.compare().expect("both flights");
    let differing: Vec<_> = c.rows.iter().filter(|r| r.differs()).collect();
    assert_eq!(differing.len(), 1);
    assert_eq!(differing[0].then.as_deref(), Some("visits 0 → 1"));
    assert_eq!(differing[0].now.as_deref(), Some("visits 0 → 2"));
    assert_eq!((s.next_difference(true), s.next_difference(false)), (None, None));
    // A poke that the new text does not know is told, and the flight goes on without it.
    let lost = edit(&mut s, &other.replace("alarm", "warning"));
    assert_eq!(lost.len(), 1, "{lost:?}");
    assert!(lost[0].contains("alarm"), "{lost:?}");
    // A text with errors changes nothing.
    let before = s.history.live_tick();
    assert!(matches!(s.reload(checked("var x = ")), Reloaded::Broken(1)));
    assert_eq!(s.history.live_tick(), before);
}

#[test]
fn a_machine_says_why_it_is_where_it_is_and_what_each_way_out_awaits() {
    let mut s = session(GATE);
    let weir = s.now.world.living().find(|(_, a)| &*a.name == "weir").map(|(id, _)| id).expect("the weir");
    let key = s.machine_keys()[0];
    assert_eq!(key.1, Some(weir));
    assert!(said(&s.about_machine(key)).starts_with("about: shut since tick 0: it starts there\ncould go: to raising"));
    s.run_ticks(35, || true);
    let open = said(&s.about_machine(key));
    assert!(open.contains("is: open since tick 18, from raising, by gate: raising → open"), "{open}");
    assert!(
        open.contains(
            "could go: to shut  after 2s if self.winds > 3   due at tick 38, in 3 ticks; not self.winds > 3: "
        ),
        "{open}"
    );
    assert!(open.contains("could go: to shut  hears alarm"), "{open}");
    let p = s.picture(key).expect("its picture");
    let ranks: Vec<(&str, usize, bool)> = p.cards.iter().map(|c| (c.name.as_str(), c.rank, c.active)).collect();
    assert_eq!(ranks, [("shut", 0, false), ("raising", 1, false), ("open", 2, true)]);
    assert_eq!((p.cards[0].ways[0].taken, p.cards[2].ways[0].taken, p.wherever.len()), (1, 0, 1));
    // Before it moved the picture is another.
    s.go(Moment { tick: 3, at: At::End });
    assert!(s.picture(key).expect("its picture").cards[0].active);
    let keeper = said(&s.about_actor(mayfly_base::ActorId(0)));
    for line in [
        "about: person, placed by line 15",
        "at: (1.5, 0) facing east",
        "last change: walks to (5, 0)",
        "holds: oil 2 (by grease, here)",
    ] {
        assert!(keeper.contains(line), "{line} in\n{keeper}");
    }
}

#[test]
fn a_firing_shows_its_locals_and_the_turn_of_its_loop() {
    let mut s = session(
        r#"
var total = 0
kind lamp { var n = 2 }
place lamp at (0, 0)
rule "sum" { when tick; once; then { let add = 1; for l in all lamp { repeat l.n { add += 1; total += add } }; wait 100ms; add = 9; total += add } }
"#,
    );
    assert!(s.go_to_turn(1, 1) && !s.go_to_turn(1, 2));
    let show = |s: &Session| {
        let h = s.here().expect("a firing");
        h.held.iter().map(|x| format!("{}={}", x.name, x.value)).collect::<Vec<_>>().join(" ")
    };
    assert_eq!(show(&s), "add=1 l=lamp#1 loop=1");
    s.step_size = mayfly_session::session::StepSize::Action;
    for _ in 0..2 {
        s.step_forward();
    }
    assert_eq!(show(&s), "add=2 l=lamp#1 loop=1");
    assert!(s.here().expect("a firing").held[0].changed);
    let turn = s.turn_here().expect("a turn");
    assert_eq!((turn.turn, turn.lines.len()), (1, 2));
    // After a wait the run still holds what it held.
    s.run_ticks(2, || true);
    s.go(Moment { tick: 2, at: At::Start });
    // The first rung is the tick's own evaluation, which is spent.
    s.step_forward();
    s.step_forward();
    assert_eq!(show(&s), "add=3 l=lamp#1");
    s.go(Moment { tick: 2, at: At::End });
    assert_eq!(s.here(), None);
}

#[test]
fn stop_marks_hit_what_they_say_and_nothing_else() {
    for (mark, stops_at) in [
        ("visits", Some(3)),
        ("rule \"grease\"", Some(3)),
        ("keeper.oil == 2", Some(3)),
        ("weir.gate is raising", Some(8)),
        ("weir.winds", Some(8)),
        ("sluice.winds", Some(8)),
        ("sluice.gate is open", Some(18)),
        ("jetty", Some(3)),
        ("jetty if keeper.oil == 0", None),
        ("action \"count\" 1", Some(3)),
        ("action \"grease\"", Some(3)),
        ("alarm", None),
        ("keeper.x > 100", None),
        ("rule \"count\" if keeper.oil == 0", None),
        ("tick times 5", None),
    ] {
        let mut s = session(GATE);
        if let Err(why) = s.toggle_stop(mark) {
            assert_eq!(mark, "tick times 5", "{why}");
            continue;
        }
        s.run_ticks(30, || true);
        assert_eq!(s.stops.hit.map(|(_, m)| m.tick), stops_at, "{mark}");
        if let Some(t) = stops_at {
            assert_eq!(s.moment.tick, t, "it stands there");
            // Switched off it only counts.
            s.stops.all[0].is_on = false;
            s.run_ticks(30, || true);
            assert_eq!(s.stops.hit, None);
        }
        assert!(!s.toggle_stop(mark).expect("the same mark"), "the same text takes it away");
    }
    let mut s = session(GATE);
    assert!(s.toggle_stop("vists").expect_err("misspelt").to_string().contains("did you mean `visits`?"));
    assert!(s.toggle_stop("rule \"greese\"").expect_err("misspelt").to_string().contains("did you mean \"grease\"?"));
    assert!(s.toggle_stop("action \"count\" 2").expect_err("no such").to_string().contains("has 1 action,"));
}

#[test]
fn branches_stand_still_while_another_is_flown() {
    let mut s = session(GATE);
    s.run_ticks(20, || true);
    s.go(Moment { tick: 5, at: At::End });
    assert!(s.poke("visits = 40").expect("a poke"));
    s.run_ticks(3, || true);
    let (here, visits) = (s.last_tick(), s.history.live().vars[0].clone());
    assert_eq!((here, s.branch.as_str()), (8, "visits = 40, from tick 6"));
    assert!(s.swap_branch());
    assert_eq!((s.last_tick(), s.branch.as_str()), (20, "the first"));
    assert!(!s.history.live().vars[0].same(&visits));
    assert!(s.take_branch(0) && !s.take_branch(5));
    assert_eq!((s.last_tick(), s.history.live().vars[0].clone()), (here, visits));
}

#[test]
fn a_value_says_who_wrote_it_how_often_and_by_how_much_and_who_could() {
    let text = r#"
kind a { var n = 0; var m = 0 }
kind b { var n = 0 }
place x: a at (0, 0)
place y: b at (1, 0)
var total = 0
var bag: tally of text = {}
rule "each" { when tick; then { total += 2; y.n += 1 } }
rule "back" { when every 4 ticks; then { total -= 1; bag["x"] += 1 } }
rule "ramp" { when after 2 ticks; then { ramp x.n to 6 over 3 ticks } }
rule "other" { when total > 1000 turns true; then { x.n = 5; x.m = 1; bag.clear(); raise() } }
routine raise() { total = 0 }
"#;
    let mut s = session(text);
    s.run_ticks(9, || true);
    s.poke("total += 100").expect("a poke");
    s.run_ticks(2, || true);
    let told = |s: &Session, text: &str| {
        let w = s.watches.iter().find(|w| w.text == text).and_then(|w| w.target).expect("it is watched");
        let p = &s.engine.program;
        let so_far: Vec<String> =
            s.wrote(w).iter().map(|x| format!("{} {}x {:+}", x.by.name(p), x.times, x.gained)).collect();
        (so_far.join(", "), s.could_write(w).join(", "))
    };
    s.watch("x.n").expect("a watch");
    s.watch("y.n").expect("a watch");
    assert_eq!(
        told(&s, "total"),
        ("each 12x +24, back 2x -2, a poke 1x +100".into(), "each, back, routine raise".into())
    );
    // Of another kind's variable in the same place nobody is named; a ramp's writes are its rule's.
    assert_eq!(told(&s, "x.n"), ("ramp 3x +6".into(), "ramp, other".into()));
    assert_eq!(told(&s, "y.n"), ("each 12x +12".into(), "each".into()));
    assert_eq!(told(&s, "bag"), ("back 2x +0".into(), "back, other".into()));
    // It counts up to the moment, and in another branch only what happened in it.
    s.go(Moment { tick: 3, at: At::End });
    assert_eq!(told(&s, "total").0, "each 4x +8");
    s.poke("total = 0").expect("a poke");
    s.run_ticks(1, || true);
    assert_eq!(told(&s, "total").0, "each 5x +10, a poke 1x -8, back 1x -1");
}

#[test]
fn what_a_routine_began_is_the_routines_and_long_chains_are_gone_down_once() {
    let mut chain = String::from("var x = 0\ndefine d0 = x + 1\n");
    (1..4).for_each(|i| chain.push_str(&format!("define d{i} = d{} + d{}\n", i - 1, i - 1)));
    chain.push_str("routine rise() { ramp x to 4 over 4 ticks }\nrule \"r\" { when tick; if d3 > 0 and x < 9; then { if tick == 0 { rise() } } }\n");
    let mut s = session(&chain);
    s.run_ticks(6, || true);
    let w = s.wrote(mayfly_engine::Target::Var(mayfly_base::VarId(0)));
    let named: Vec<String> = w.iter().map(|w| format!("{} {}", w.by.name(&s.engine.program), w.times)).collect();
    assert_eq!(named, ["routine rise 4"]);
    // Each is told once, however often the others ask for it.
    let why = s.why(1).expect("a rung");
    assert_eq!(
        why.clauses[0].values.iter().map(|(n, _)| n.as_str()).collect::<Vec<_>>(),
        ["d3", "d2", "d1", "d0", "x"]
    );
}

#[test]
fn what_follows_from_others_is_told_part_by_part_and_a_message_by_its_senders() {
    let mut s = session(
        r#"
var stage = 2
var silt = 5
message open_up
define clean = silt < 3
define ready = stage >= 2 and clean
rule "may" { when ready turns true; then { send open_up } }
rule "hears" { when hears open_up; if ready; then { stage = 9; silt = 0 } }
"#,
    );
    let facts = |w: &mayfly_session::why_not::WhyNot| {
        w.awaits
            .iter()
            .flat_map(|(_, f)| f)
            .map(|f| format!("{:?} {}", f.good, f.text.trim()))
            .collect::<Vec<_>>()
            .join("; ")
    };
    let may = facts(&s.why_not(mayfly_base::RuleId(0)));
    assert!(may.contains("Some(true) stage >= 2   stage = 2; Some(false) silt < 3   silt = 5"), "{may}");
    let hears = s.why_not(mayfly_base::RuleId(1));
    assert!(facts(&hears).contains("open_up was not sent yet; None it is sent by may"), "{}", facts(&hears));
    assert_eq!(hears.clauses[0].shown(), "ready = false, stage = 2, clean = false, silt = 5");
}

/// A rule of a kind is asleep where it is for each of its actors, and nobody else's `self` is asked for.
#[test]
fn a_rule_of_a_kind_is_asleep_where_it_is_for_each_of_them() {
    let mut s = session(
        r#"
map """
....
"""
kind lamp {
  var lit = false
  rule "own" { when every 2 ticks; while self.lit; then { log "{self}" } }
  rule "others" { when every 2 ticks; while count(lamp where lamp.lit) > 1; then { log "many" } }
}
place a: lamp at (0, 0)
place b: lamp at (1, 0)
rule "light" { when after 3 ticks; then { b.lit = true } }
"#,
    );
    s.run_ticks(5, || true);
    let sleeps = |s: &mut Session, title: &str, tick: u64| {
        s.go(Moment { tick, at: At::End });
        let rule = s.engine.program.rules.iter().position(|r| r.title == title).expect("the rule");
        s.why_not(mayfly_base::RuleId::at(rule)).limits.iter().any(|f| f.text.starts_with("it is asleep"))
    };
    assert!(sleeps(&mut s, "own", 2), "neither is lit");
    assert!(!sleeps(&mut s, "own", 4), "one is lit");
    assert!(sleeps(&mut s, "others", 4), "one alone is lit");
}

#[test]
fn a_poke_that_waits_is_asked_about_as_any_rule() {
    let mut s = session(GATE);
    s.poke("walk keeper to (1, 0) and wait").expect("a poke");
    s.run_ticks(9, || true);
    for tick in 0..s.history.live_tick() {
        s.go(Moment { tick, at: At::End });
        let rungs: Vec<u32> = s.now.cascade.rungs().map(|r| r.number).collect();
        for n in rungs {
            assert!(s.why(n).is_some(), "rung {n} of tick {tick}");
        }
    }
    let hand = (0..s.engine.program.rules.len()).map(mayfly_base::RuleId::at).next_back().expect("the poke's rule");
    assert!(s.why_not(hand).awaits.is_empty());
    assert!(mayfly_session::stops::actions_of(&s.level, hand).is_empty());
}

#[test]
fn a_rule_that_watches_whom_one_spawned_later_is_asked_at_any_tick() {
    let text = "level \"L\" { rate 10 }\nkind crate { var n = 0 }\nrule \"s\" { when after 5 ticks; then { spawn crate at (1, 1) } }\n\
                rule \"w\" { when crate.n reaches 3; then { log crate } }\n";
    let mut s = session(text);
    s.run_ticks(9, || true);
    for tick in 0..s.history.live_tick() {
        s.go(Moment { tick, at: At::End });
        for rule in 0..s.engine.program.rules.len() {
            s.why_not(mayfly_base::RuleId::at(rule));
        }
    }
    s.go(Moment { tick: 1, at: At::End });
    let _ = s.about_actor(mayfly_base::ActorId(0));
}

#[test]
fn marks_and_watches_that_do_not_fit_come_back_with_their_text() {
    let mut s = session(GATE);
    assert!(s.read_stops("visits\n# keeper.oil\n").is_empty());
    assert!(s.read_watches("visits\nkeeper.oil\n").is_empty());
    edit(&mut s, &GATE.replace("visits", "calls").replace("oil", "fat"));
    assert_eq!((s.stops.all.len(), s.unfit_stops.len(), s.unfit_watches.len()), (0, 2, 2));
    s.toggle_stop("faults").expect("a mark");
    assert_eq!(s.stops_text(), "faults\nvisits\n# keeper.oil\n");
    edit(&mut s, GATE);
    assert_eq!((s.stops.all.len(), s.unfit_stops.len()), (3, 0));
    let watched: Vec<&str> = s.watches.iter().map(|w| w.text.as_str()).collect();
    assert!(watched.contains(&"visits") && watched.contains(&"keeper.oil"), "{watched:?}");
}

#[test]
fn an_edit_loses_no_input_in_silence() {
    let mut s = session(GATE);
    for text in ["keeper.oil = 7", "walk weir to (9, 0)", "log \"a \\\"quoted\\\" text\""] {
        s.poke(text).expect("a poke");
        s.run_ticks(2, || true);
    }
    let before: usize = s.history.inputs().values().map(Vec::len).sum();
    let lost = edit(&mut s, &GATE.replace("place weir: sluice", "place dam: sluice"));
    let after: usize = s.history.inputs().values().map(Vec::len).sum();
    assert_eq!((before, after, lost.len()), (3, 2, 1), "{lost:?}");
}

#[test]
fn a_record_that_a_tick_does_not_have_is_its_end() {
    let mut s = session(GATE);
    s.run_ticks(9, || true);
    s.go(Moment { tick: 4, at: At::Record(9999) });
    assert_eq!(s.moment, Moment { tick: 4, at: At::End });
    assert!(s.here().is_none() && s.turn_here().is_none());
}

#[test]
fn branches_are_flown_with_a_new_text_and_keep_their_names() {
    let text = "kind person { steered }\nplace keeper: person at (0, 0)\nvar n = 0\nvar m = 0\nrule \"count\" { when every 1s; then { n += 1 } }\n";
    let mut s = session(text);
    s.run_ticks(60, || true);
    s.go(Moment { tick: 10, at: At::End });
    assert!(s.poke("m = 5").expect("a poke"));
    s.run_ticks(30, || true);
    s.branch = "five".into();
    let lengths: Vec<u64> = s.branches.iter().map(|c| c.history.live_tick()).collect();
    // Twice in a row: the second text comes before the branch was flown with the first.
    for by in ["n += 2", "n += 3"] {
        edit(&mut s, &text.replace("n += 1", by));
    }
    assert_eq!((s.branch.as_str(), s.branches.len()), ("five", 0));
    while s.fly_waiting_branches(|| false) {
        s.fly_waiting_branches(|| true);
    }
    assert_eq!(s.branches.iter().map(|c| c.history.live_tick()).collect::<Vec<_>>(), lengths);
    let m = |s: &Session| s.history.live().vars[1].clone();
    let n = |s: &Session| s.history.live().vars[0].clone();
    assert_eq!((m(&s), n(&s)), (Value::Number(5.0), Value::Number(6.0)));
    assert!(s.take_branch(0));
    assert_eq!((s.branch.as_str(), m(&s), n(&s)), ("the first", Value::Number(0.0), Value::Number(9.0)));
    // A poke that the new text no longer knows is told, and the branch is flown without it.
    edit(&mut s, &text.replace("var m = 0\n", ""));
    while s.fly_waiting_branches(|| true) {}
    assert_eq!(s.branches.len(), 1);
}

#[test]
fn what_is_asked_at_the_end_of_a_tick_that_restarts_is_as_at_the_beginning() {
    let mut s = session(
        "level \"Again\" { rate 10 }\ndefine run = time\nmachine gate { start shut; state shut { to open after 9 ticks } state open { } }\n\
         rule \"again\" { when after 3 ticks; then { restart } }\n\
         rule \"long\" { when gate has been shut for 2 ticks turns true; if gate has been shut for 1s; if time > 5s; then { log run } }\n",
    );
    s.run_ticks(12, || true);
    for tick in 0..s.last_tick() {
        s.go(Moment { tick, at: At::End });
        for rule in 0..s.engine.program.rules.len() {
            s.why_not(mayfly_base::RuleId::at(rule));
        }
        let key = s.now.world.machines.keys().next().copied().expect("a machine");
        assert!(!s.about_machine(key).is_empty());
    }
    s.go(Moment { tick: 3, at: At::End });
    assert_eq!(s.now.world.age(), 0);
}

#[test]
fn a_firing_that_goes_on_after_a_machine_s_parts_holds_what_it_held_before_them() {
    let mut s = session(
        "level \"On\" { rate 10 }\nvar n = 0\nmachine gate { start shut; state shut { } state open { enter { let b = 9; log b } } }\n\
         rule \"goes\" { when after 2 ticks; then { let a = 1; let c = 4; go gate to open; a += c; log a; n = a } }\n",
    );
    s.run_ticks(4, || true);
    s.go(Moment { tick: 2, at: At::End });
    let rungs: Vec<(String, u32)> = s.now.cascade.rungs().map(|r| (r.title.clone(), r.end)).collect();
    let titles: Vec<&str> = rungs.iter().map(|(t, _)| t.as_str()).collect();
    assert_eq!(titles, ["goes", "gate: enter open", "goes"]);
    s.go(Moment { tick: 2, at: At::Record(rungs[2].1) });
    let here = s.here().expect("a firing is here");
    let held: Vec<String> = here.held.iter().map(|b| format!("{} {}", b.name, b.value)).collect();
    assert_eq!(held, ["a 5", "c 4"]);
    // Who wrote it is the rule, not the part that was told before.
    assert!(s.why(3).is_some_and(|w| w.because.iter().any(|l| l.text.contains("goes"))));
}

#[test]
fn a_watched_place_says_what_moved_it() {
    let mut s = session(
        r#"
level "T" { rate 10 }
kind heron { speed 10 }
place a: heron at (0, 0)
rule "walks" { when after 1 tick; then { walk a to (2, 0) } }
rule "puts" { when after 5 ticks; then { move a to (9, 0) } }
rule "writes" { when after 6 ticks; then { a.x = 4 } }
rule "turns" { when after 7 ticks; then { walk a to (4, 1) } }
"#,
    );
    let place = s.watch("a.at").expect("a place");
    let facing = s.watch("a.facing").expect("a facing");
    s.go_to_tick(9, || true);
    let mut by = |tick: u64| {
        s.go_to_tick(tick, || true);
        let seen = s.seen();
        [place, facing].map(|w| seen[w].writer.clone())
    };
    let said = |by: &str, tick: u64| Some((by.to_string(), tick));
    assert_eq!(by(1), [None, None]);
    assert_eq!(by(2), [said("its motion", 2), said("its motion", 2)]);
    assert_eq!(by(3), [said("its motion", 3), said("", 2)]);
    assert_eq!(by(4), [said("", 3), said("", 2)]);
    assert_eq!(by(5), [said("puts", 5), said("", 2)]);
    assert_eq!(by(6), [said("writes", 6), said("", 2)]);
    assert_eq!(by(7), [said("", 6), said("", 2)]);
    assert_eq!(by(8), [said("its motion", 8), said("its motion", 8)]);
    let mut about = |tick: u64, attr: Attr| {
        s.go_to_tick(tick, || true);
        let said = s.about(Thing::Value(Target::Attr(ActorId(0), attr)));
        let of = |label: &str| said.iter().find(|s| s.label == label).map_or(String::new(), |s| s.fact.text.clone());
        [of("is"), of("written")]
    };
    assert_eq!(about(4, Attr::At), ["(2, 0)", "by no rule yet in this flight: orders and keys move it"]);
    assert_eq!(about(5, Attr::X), ["9", "by puts, here at tick 5"]);
    assert_eq!(about(6, Attr::At), ["(4, 0)", "by writes, here at tick 6"]);
    assert_eq!(about(8, Attr::At)[1], "by its motion, here at tick 8");
    assert_eq!(about(9, Attr::Y), ["1", "by puts, at tick 5"]);
    assert_eq!(about(9, Attr::Facing), ["south", "by no rule yet in this flight: orders and keys move it"]);
}
