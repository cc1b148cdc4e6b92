//! Whatever has a name can be found and is told: each answer is held against a small flight, at several moments of it.

use mayfly_base::*;
use mayfly_lang::check;
use mayfly_session::about::Said;
use mayfly_session::moment::{At, Moment};
use mayfly_session::session::Session;
use mayfly_session::stops::StopError;
use mayfly_session::things::Thing;

const LEVEL: &str = r#"
level "Landing" { rate 20; seed 7 }
tiles { '#' piles solid opaque; '_' boards; 'r' reeds opaque }
map """
##########
#________#
#___r____#
#________#
##########
"""
message bell(pitch: number)
message unheard()
timer flood = 4s
clock tide { minute 60; hour 24; speed 1 minute per 1s }
const LAMP_GOAL = 3
kind person { steered; var oil = 3 }
kind owl { sight all reach 8; var alert = false }
kind lamp { var lit = false }
place keeper: person at (1, 1)
place hoot: owl at (8, 3)
place dozy: owl at (8, 1) { enabled false }
place lamp at (4, 1)
zone jetty = rect (3, 1) 2 x 1 for person
var lamps_lit = 0
var seen: set of number = {}
define ready = lamps_lit >= LAMP_GOAL and keeper.oil > 0
rule "light" { when person touches lamp as l; if not l.lit; then { l.lit = true; lamps_lit += 1; send bell(lamps_lit); start flood } }
rule "again" { when every 1s; then { start flood } }
rule "stop it" { when hears bell(p); if p == 2; then { stop flood } }
rule "ends" { when flood ends; then { tell "The water is over the sill." } }
rule "jetty" { when person enters jetty; then { enable rule "quiet" } }
rule "quiet" { off; when every 2s; then { log "quiet" } }
rule "off" { when after 1s; then { disable rule "again" } }
rule "slow" { when every 500ms; then { wait 3s; log "slow" } }
rule "goal" { when start; if lamps_lit >= LAMP_GOAL; if seen has 3; then { win "lit" } }
rule "watching" { when hoot sees keeper; then { log "seen" } }
"#;

fn session(text: &str) -> Session {
    let c = check::check("landing.may", text);
    let errors: Vec<String> = c.diagnostics.iter().map(|d| format!("{} {}", d.code, d.message)).collect();
    Session::new(c.sources, c.level.unwrap_or_else(|| panic!("{errors:#?}")))
}

fn thing(s: &Session, name: &str) -> Thing {
    let all = s.things();
    all.iter().find(|f| f.name == name).unwrap_or_else(|| panic!("{name}: {all:#?}")).thing
}

fn told(said: &[Said]) -> String {
    said.iter().map(|s| format!("{}: {}\n", s.label, s.fact.text)).collect()
}

fn about(s: &mut Session, name: &str) -> String {
    let t = thing(s, name);
    told(&s.about(t))
}

#[test]
fn a_timer_tells_who_started_it_with_how_much_left_and_when_it_ended() {
    let mut s = session(LEVEL);
    s.run_ticks(150, || true);
    let text = about(&mut s, "flood");
    // "again" starts it at 20; "off" switches "again" off in tick 20, so that it ends at 100.
    assert!(text.contains("started 1, restarted while it ran 0, stopped 0, ended 1"), "{text}");
    assert!(text.contains("tick 100: ended") && text.contains("tick 20: started by again with 4s"), "{text}");
    assert!(text.contains("set by: light   again   stop it") && text.contains("needed by: ends"), "{text}");
    // In the past nothing of it is known that was yet to come.
    s.go(Moment { tick: 60, at: At::End });
    let text = about(&mut s, "flood");
    assert!(text.contains("2s left") && text.contains("ended 0"), "{text}");
    let flood = thing(&s, "flood");
    assert!(s.along_thing(flood, true) && s.moment.tick == 100);
    assert!(s.along_thing(flood, false) && s.moment.tick == 20);
    assert!(!s.along_thing(flood, false), "nothing became of it before");
}

#[test]
fn a_timer_that_is_started_again_and_stopped_says_how_much_was_left() {
    let mut s = session(&LEVEL.replace("disable rule \"again\"", "log \"no\""));
    s.run_ticks(45, || true);
    let text = about(&mut s, "flood");
    assert!(text.contains("tick 40: restarted by again with 4s, when 3s was left"), "{text}");
    s.poke("stop flood").expect("a poke");
    s.run_ticks(2, || true);
    let text = about(&mut s, "flood");
    assert!(text.contains("stopped by hand with"), "{text}");
}

#[test]
fn zones_messages_clocks_tiles_and_values_are_told() {
    let mut s = session(LEVEL);
    s.poke("move keeper to (4, 1)").expect("a poke");
    s.run_ticks(30, || true);
    let text = about(&mut s, "jetty");
    assert!(text.contains("zone of 2 cells, from (3, 1) to (4, 1)") && text.contains("for person"), "{text}");
    assert!(text.contains("inside: keeper since tick") && text.contains("needed by: jetty"), "{text}");
    let text = about(&mut s, "bell");
    assert!(text.contains("sent by: light") && text.contains("heard by: stop it"), "{text}");
    assert!(text.contains("in 1 tick so far"), "touching the lamp sent it:\n{text}");
    let text = about(&mut s, "unheard");
    assert!(text.contains("no rule sends it") && text.contains("nobody"), "{text}");
    let text = about(&mut s, "tide");
    assert!(text.contains("clock, shows hour 0, minute 1"), "{text}");
    let text = about(&mut s, "reeds");
    assert!(text.contains("open, hides what is behind it") && text.contains("lies on: 1 cell now"), "{text}");
    let text = about(&mut s, "lamps_lit");
    assert!(text.contains("1 × by light, +1 in all"), "{text}");
}

#[test]
fn a_computed_value_is_told_part_by_part_with_the_write_that_turned_it() {
    let mut s = session(LEVEL);
    s.poke("lamps_lit = 3").expect("a poke");
    s.run_ticks(5, || true);
    let text = about(&mut s, "ready");
    assert!(text.contains("is: true"), "{text}");
    assert!(text.contains("part: lamps_lit >= LAMP_GOAL   lamps_lit = 3, LAMP_GOAL = 3"), "both sides:\n{text}");
    assert!(text.contains("part: keeper.oil > 0   keeper.oil = 3"), "{text}");
    assert!(text.contains("turned by: the write of lamps_lit"), "{text}");
}

#[test]
fn why_not_names_who_switched_it_off_which_run_waits_and_who_is_disabled() {
    let mut s = session(LEVEL);
    s.run_ticks(30, || true);
    let limits = |s: &mut Session, rule: &str| -> String {
        let r = s.rule_named(rule).expect("a rule");
        s.why_not(r).limits.iter().map(|f| format!("{}\n", f.text)).collect()
    };
    let text = limits(&mut s, "again");
    assert!(text.contains("it is switched off since tick 20, by off"), "{text}");
    let text = limits(&mut s, "quiet");
    assert!(text.contains("off from the start") && text.contains("switched on by jetty"), "{text}");
    let text = limits(&mut s, "slow");
    assert!(text.contains("a run waits since tick 10, until tick 70") && text.contains("`again skip`"), "{text}");
    let goal = s.rule_named("goal").expect("a rule");
    let shown: Vec<String> = s.why_not(goal).clauses.iter().map(|c| c.shown()).collect();
    assert_eq!(shown[0], "lamps_lit = 0, LAMP_GOAL = 3");
    assert!(shown[1].contains("seen = {}"), "what is in the set is seen: {shown:?}");
}

#[test]
fn whoever_stands_between_is_named_with_its_place() {
    let mut s = session(LEVEL);
    s.poke("move keeper to (1, 3)").expect("a poke");
    s.poke("move hoot to (7, 1)").expect("a poke");
    s.run_ticks(2, || true);
    let r = s.rule_named("watching").expect("a rule");
    let facts: Vec<String> = s.why_not(r).awaits.iter().flat_map(|(_, f)| f.iter().map(|f| f.text.clone())).collect();
    assert!(facts[0].contains("reeds at (4, 2) stands between hoot and keeper"), "{facts:?}");
    // The same of a cell: who notices it, and what hides it.
    let on = s.around(AreaId::MAIN, (1, 3));
    let words = mayfly_session::words::Words::new(&s.engine.program, &s.now.world);
    let said: Vec<String> = on.noticed_by.iter().map(|n| words.noticing(n)).collect();
    assert_eq!(said, ["hoot does not see it: reeds at (4, 2) stands between"], "dozy is disabled");
    assert_eq!(on.actors.len(), 1);
    // A field holds the cells in reach, those that are hidden too.
    let hoot = s.now.world.living().find(|(_, a)| a.name.as_ref() == "hoot").map(|(id, _)| id).expect("hoot");
    let field = s.field_of(hoot, (0, 0, 9, 4));
    let hidden = |c: (i64, i64)| field.iter().find(|(x, _)| *x == c).map(|(_, b)| b.is_some());
    assert_eq!((hidden((1, 3)), hidden((7, 3))), (Some(true), Some(false)));
}

#[test]
fn texts_and_states_are_found_and_everything_that_is_found_can_be_told() {
    let mut s = session(LEVEL);
    s.run_ticks(120, || true);
    let all = s.things();
    let by_text = all.iter().find(|f| f.name.contains("The water is over the sill")).expect("a text");
    assert_eq!(by_text.thing, Thing::Rule(s.rule_named("ends").expect("a rule")));
    assert!(all.iter().any(|f| f.name == "keeper.oil" && f.note.contains('3')));
    for f in &all {
        let said = s.about(f.thing);
        assert_eq!(said.is_empty(), matches!(f.thing, Thing::Rule(_)), "{f:?}");
        assert!(!s.thing_name(f.thing).is_empty(), "{f:?}");
        s.along_thing(f.thing, false);
    }
}

#[test]
fn another_tick_is_asked_about_without_going_there() {
    let mut s = session(LEVEL);
    s.run_ticks(50, || true);
    let before = (s.moment, mayfly_engine::hash::state_hash(&s.now.world));
    let at = s.as_of(20, |s| (s.moment.tick, s.now.cascade.fired, s.why(1).map(|w| w.title)));
    assert_eq!((at.0, at.2.is_some()), (20, true));
    assert!(at.1 > 0);
    assert_eq!(before, (s.moment, mayfly_engine::hash::state_hash(&s.now.world)));
}

#[test]
fn times_had_and_wanted_and_who_is_disabled_stand_beside_a_clause() {
    let text = r#"
kind token { var taken = false }
kind boat { machine trip { start west; state west { } } }
place ferry: boat at (1, 1)
place token at (2, 1), (3, 1)
place lost: token at (4, 1) { enabled false }
rule "wait" { when every 1s; if ferry.trip has been west for 4s; then { log "west" } }
rule "all" { when every 1s; if count(token) == 9; if all(token, it.taken); then { log "all" } }
"#;
    let text = text.replace("if all(token, it.taken); ", "");
    let mut s = session(&text);
    s.run_ticks(21, || true);
    let shown = |s: &mut Session, rule: &str| -> Vec<String> {
        let r = s.rule_named(rule).expect("a rule");
        let w = s.why_not(r);
        w.clauses.iter().map(|c| c.shown()).collect()
    };
    let waits = shown(&mut s, "wait");
    assert!(waits[0].contains("west for = 1.05s, wants 4s"), "{waits:?}");
    let all = shown(&mut s, "all");
    assert!(all[0].contains("count(token) = ") && all[0].contains("disabled token = 1"), "{all:?}");
}

#[test]
fn a_value_that_flickers_stops_the_run() {
    let text = "var n = 3\nrule \"up\" { when every 1s; then { n += 1 } }\nrule \"twice\" { when every 2s; then { n = 9; n = 3 } }";
    let mut s = session(text);
    assert_eq!(s.toggle_stop("n flickers"), Ok(true));
    assert!(s.toggle_stop("lost flickers").is_err());
    assert_eq!(s.toggle_stop("1 + 1 flickers"), Err(StopError::CannotFlicker("1 + 1".into())));
    s.run_ticks(500, || true);
    assert_eq!(s.moment.tick, 40, "two writes of one tick: by both rules");
    assert!(s.stops_text().contains("n flickers"));
}

#[test]
fn a_flicker_of_another_branch_is_none_of_this_one() {
    let mut s = session("var n = 0\nvar go = true\nrule \"a\" { when every 1s; then { n += 1 } }\n");
    assert_eq!(s.toggle_stop("n flickers"), Ok(true));
    s.run_ticks(25 - s.last_tick(), || true);
    // Back before the write, and another branch: the same tick writes once again, and once is no flicker.
    s.go(Moment { tick: 15, at: At::End });
    s.poke("go = false").expect("a poke");
    s.run_ticks(25 - s.last_tick(), || true);
    assert!(s.stops.all[0].hits.is_empty(), "{:?}", s.stops.all[0].hits);
}

#[test]
fn a_timer_that_runs_from_the_start_is_restarted_and_stopped_with_what_was_left() {
    let mut s = session(
        "timer t = 10s running\nrule \"a\" { when after 2s; then { start t } }\nrule \"b\" { when after 3s; then { stop t } }\nrule \"c\" { when after 4s; then { start t } }\n",
    );
    s.run_ticks(50 - s.last_tick(), || true);
    let timer = thing(&s, "t");
    let said = told(&s.about(timer));
    assert!(said.contains("restarted by a with 10s, when 8s was left"), "{said}");
    s.run_ticks(100 - s.last_tick(), || true);
    let said = told(&s.about(timer));
    assert!(said.contains("started 1, restarted while it ran 1, stopped 1, ended 0"), "{said}");
    assert!(said.contains("stopped by b with 9s left"), "{said}");
}

#[test]
fn what_turned_a_computed_value_is_found_through_those_of_actors() {
    let mut s = session(
        "kind lamp { var oil = 3; define low = self.oil < 2 }\nplace a: lamp at (1, 1)\nvar n = 0\ndefine any_low = a.low\ndefine deep = d1\ndefine d1 = d2\ndefine d2 = d3\ndefine d3 = d4\ndefine d4 = d5\ndefine d5 = n > 0\nrule \"burn\" { when every 1s; then { a.oil -= 1; n += 1 } }\n",
    );
    s.run_ticks(45 - s.last_tick(), || true);
    for (name, holds) in
        [("any_low", "the write of a.oil by burn at tick 40"), ("deep", "the write of n by burn at tick 40")]
    {
        let about = thing(&s, name);
        let said = told(&s.about(about));
        assert!(said.contains(holds), "{name}: {said}");
    }
}

#[test]
fn the_zone_of_an_actor_is_walked_along_like_one_of_the_level() {
    let mut s = session(
        "tiles { '_' boards }\nmap \"\"\"\n______\n\"\"\"\nkind person { steered }\nkind lamp { zone glow = disc 1 }\nplace keeper: person at (0, 0)\nplace a: lamp at (4, 0)\nrule \"in\" { when person enters lamp.glow; then { log \"in\" } }\n",
    );
    s.run_ticks(3, || true);
    s.poke("walk keeper to (4, 0)").expect("a poke");
    s.run_ticks(60 - s.last_tick(), || true);
    let glow = s.around(AreaId::MAIN, (4, 0)).zones.first().copied().expect("its zone");
    s.go(Moment { tick: 0, at: At::Start });
    assert!(s.along_thing(Thing::Zone(glow), true), "it was entered");
    assert!(s.moment.tick > 0 && s.moment.tick < 60);
    assert_eq!(s.ticks_of(Thing::Zone(glow)).first(), Some(&s.moment.tick));
}
