//! Whatever changes leads back to what was done: to an actor, a machine, a clock, a timer, a variable; and a fault of an
//! awaited line is told of its own rule, with what made it faulty.

use mayfly_lang::check;
use mayfly_session::cascade::{Mark, Origin};
use mayfly_session::moment::{At, Moment};
use mayfly_session::session::Session;

/// A flight of a level, so many ticks long.
fn flown(text: &str, ticks: u64) -> Session {
    let c = check::check("t.may", text);
    let said: Vec<String> = c.diagnostics.iter().map(|d| d.print(&c.sources, false)).collect();
    let mut s = Session::new(c.sources, c.level.unwrap_or_else(|| panic!("{}", said.join("\n"))));
    while s.last_tick() < ticks && !s.has_ended() {
        s.step_forward();
    }
    s
}

/// The chain to the rung of that rule, in that tick: each link's words.
fn because(s: &mut Session, tick: u64, rule: &str) -> Vec<String> {
    s.go(Moment { tick, at: At::End });
    let rung = s.now.cascade.rungs().find(|r| r.title == rule).map(|r| r.number);
    let number = rung.unwrap_or_else(|| panic!("{rule} was evaluated at tick {tick}: {}", s.now.cascade.text(true)));
    s.why(number).map(|w| w.because.into_iter().map(|l| l.text).collect()).unwrap_or_default()
}

#[test]
fn what_is_awaited_leads_back_to_what_was_done_to_whom_it_speaks_of() {
    // What is awaited, what is done at tick 2, and the rule that does it.
    for (awaited, done) in [
        ("a.speed changes", "a.speed = 5"),
        ("a.enabled turns false", "disable a"),
        ("a.visible turns false", "hide a"),
        ("a.x changes", "move a to (3, 0)"),
        ("a.x changes", "push a by (1, 0)"),
        ("a tagged floats turns true", "tag a as floats"),
        ("count(crate) changes", "remove a"),
        ("count(crate) changes", "spawn crate at (4, 0)"),
        ("count(crate where crate in dock) changes", "move b to (9, 0)"),
        ("inside changes", "disable b"),
        ("a.gate is open turns true", "go a.gate to open"),
        ("count(crate where crate.gate is open) changes", "go b.gate to open"),
        ("night is late turns true", "go night to late"),
        ("tide.hour changes", "advance tide by 1 hour"),
        ("tide.hour changes", "set tide to hour 4"),
        ("tide.speed changes", "tide.speed = 3"),
        ("flood.running turns true", "start flood"),
        ("flood.left changes", "start flood"),
        ("n reaches 3", "n = 4"),
        ("a.weight drops to 0", "a.weight = -1"),
        ("doubled changes", "n = 1"),
        ("who.x changes", "move a to (5, 0)"),
    ] {
        let text = format!(
            "level \"T\" {{ rate 10 }}\nmap \"\"\"\n..........\n..........\n\"\"\"\ntag floats\nkind crate {{ var weight = 1; machine gate {{ start shut; state shut {{ }} state open {{ }} }} }}\n\
             place a: crate at (1, 0)\nplace b: crate at (2, 0)\nplace c: crate at (1, 1)\nzone dock = rect (0, 0) 4 x 1\nvar n = 0\nvar who = a\ndefine doubled = n * 2\n\
             define inside = count(crate where crate in dock)\nmachine night {{ start early; state early {{ }} state late {{ }} }}\n\
             clock tide {{ minute 60; hour 24; speed 1 minute per 1m }}\ntimer flood = 3s\n\
             rule \"other\" {{ when after 200ms; then {{ c.weight = 2 }} }}\n\
             rule \"does\" {{ when after 200ms; then {{ {done} }} }}\n\
             rule \"more\" {{ when after 200ms; then {{ c.weight = 3; log n }} }}\n\
             rule \"awaits\" {{ when {awaited}; then {{ log \"it came\" }} }}\n"
        );
        let mut s = flown(&text, 6);
        let chain = because(&mut s, 2, "awaits");
        assert_eq!(chain.first().map(String::as_str), Some("time"), "{awaited} / {done}: {chain:?}");
        assert!(chain.iter().any(|l| l == "1.2 does"), "{awaited} / {done}: {chain:?}");
    }
}

#[test]
fn a_cause_is_found_through_values_that_are_defined_by_others_each_looked_into_once() {
    // Each reads the one before twice: looked into for each use it would be as many looks as two to the fortieth.
    let defines: String = (1..40).map(|i| format!("define d{i} = d{} + d{}\n", i - 1, i - 1)).collect();
    let text = format!(
        "level \"T\" {{ rate 10 }}\nkind crate\nplace a: crate at (0, 0)\ndefine d0 = a.x\n{defines}\
         rule \"does\" {{ when after 200ms; then {{ move a to (1, 0) }} }}\nrule \"awaits\" {{ when d39 changes; then {{ log \"it came\" }} }}\n"
    );
    let chain = because(&mut flown(&text, 4), 2, "awaits");
    assert_eq!(chain.get(..2).map(|c| c.join(", ")).as_deref(), Some("time, 1.1 does"), "{chain:?}");
}

#[test]
fn a_faulty_line_that_is_awaited_is_told_of_its_own_rule_with_what_made_it_so() {
    for (awaited, done) in [("12 / (n - 2) reaches 5", "n = 2"), ("12 / half reaches 9", "n = 0")] {
        let text = format!(
            "level \"T\" {{ rate 10 }}\nkind sluice {{ machine gate {{ start shut; state shut {{ }} state open {{ }} }} }}\nplace a: sluice at (1, 1)\nvar n = 1\n\
             define half = n / 2\nrule \"does\" {{ when after 200ms; then {{ {done} }} }}\n\
             rule \"more\" {{ when after 200ms; then {{ log \"more\" }} }}\nrule \"awaits\" {{ when {awaited}; then {{ log \"it came\" }} }}\n"
        );
        let mut s = flown(&text, 6);
        let chain = because(&mut s, 2, "awaits");
        assert_eq!(chain.get(..2).map(|c| c.join(", ")).as_deref(), Some("time, 1.1 does"), "{awaited}: {chain:?}");
        let marks: Vec<(String, Mark)> = s.now.cascade.rungs().map(|r| (r.title.clone(), r.mark)).collect();
        let want =
            [("does", Mark::Fired), ("more", Mark::Fired), ("awaits", Mark::Fault)].map(|(t, m)| (t.to_string(), m));
        assert_eq!(marks, want, "{awaited}");
        let number = s.now.cascade.rungs().last().map_or(0, |r| r.number);
        assert!(s.why(number).is_some_and(|w| !w.came), "nothing came: {awaited}");
        let group = s.now.cascade.groups.last().expect("a group");
        assert_eq!(group.source, Origin::Rung(1, 1), "{awaited}");
    }
}

#[test]
fn what_is_awaited_of_one_that_is_gone_is_a_fault_from_the_next_tick_on() {
    // Until the tick settles it can be read, its machines too.
    for awaited in ["a.w changes", "a.w + 1 reaches 5", "a.gate is open turns true", "a.x changes", "who.w changes"] {
        let text = format!(
            "level \"T\" {{ rate 10 }}\nkind sluice {{ var w = 1; machine gate {{ start shut; state shut {{ }} state open {{ }} }} }}\n\
             place a: sluice at (1, 1)\nvar who = a\nrule \"does\" {{ when after 200ms; then {{ remove a; log \"{{a.w}} {{a.gate}}\" }} }}\n\
             rule \"awaits\" {{ when {awaited}; then {{ log \"it came\" }} }}\n"
        );
        let mut s = flown(&text, 6);
        s.go(Moment { tick: 2, at: At::End });
        assert!(s.now.cascade.text(true).contains("logs 1 shut"), "{awaited}: {}", s.now.cascade.text(true));
        let chain = because(&mut s, 3, "awaits");
        assert_eq!(
            chain.get(..2).map(|c| c.join(", ")).as_deref(),
            Some("time at tick 2, 1.1 does at tick 2"),
            "{awaited}: {chain:?}"
        );
        let marks: Vec<Mark> = s.now.cascade.rungs().map(|r| r.mark).collect();
        assert_eq!(marks, [Mark::Fault], "{awaited}");
        s.go(Moment { tick: 4, at: At::End });
        assert_eq!(s.now.cascade.rungs().count(), 0, "{awaited}: it is told once");
    }
}
