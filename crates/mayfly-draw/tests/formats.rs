//! Machines as SCXML and maps as CSV, out and in: what is written comes back the same, what is foreign is taken as far as it can
//! be said, and what is broken is refused with its line.

use mayfly_draw::{maps, scxml};
use mayfly_lang::check;
use mayfly_session::session::Session;

const LEVEL: &str = r#"
level "Gates" { rate 20 }
tiles { '#' piles solid opaque; 'r' reeds opaque; '_' boards }
map """
#__#
#r_.
"""
message alarm
message bell(pitch: number)
kind sluice { var winds = 0; var depths: list of number = [1] }
place sluice at (1, 0)
machine gate for sluice {
  needs winds: number
  needs depths: list of number
  start shut
  state shut {
    enter { cue "thud & <bang>" }
    to jammed when hears bell(pitch) if pitch > 1 and self.winds < 3
    to open when hears alarm then { self.winds += 1 }
  }
  state open {
    start still
    leave { log "closed" }
    state still { to roaring if self.winds > 2 }
    state roaring { loop { cue "roar"; wait 5s } to previous after 10s }
    rule "count" { when every 1s; then { self.winds += 1 } }
    to shut after 2.4s
  }
  state jammed { to one of { shut 3; open 1 if self.winds > 2 } after 5s }
  wherever { to shut when hears alarm if self.winds > 9; to open when hears alarm if self.winds > 8 }
}
rule "ring" { when every 3s; then { send bell(2) } }
"#;

fn session(text: &str) -> Session {
    let c = check::check("gates.may", text);
    let errors: Vec<String> = c.diagnostics.iter().map(|d| d.print(&c.sources, false)).collect();
    let mut s = Session::new(c.sources, c.level.unwrap_or_else(|| panic!("{}\n{text}", errors.join("\n"))));
    s.run_ticks(100, || true);
    s
}

/// The level with another machine.
fn with(machine: &str) -> String {
    let from = LEVEL.find("machine gate").expect("the machine");
    let to = LEVEL.find("rule \"ring\"").expect("the rule");
    format!("{}{machine}{}", &LEVEL[..from], &LEVEL[to..])
}

#[test]
fn a_machine_comes_back_as_it_was() {
    let s = session(LEVEL);
    let file = scxml::write(&s, mayfly_base::MachineId(0));
    let doc = roxmltree::Document::parse(&file).unwrap_or_else(|e| panic!("{e}\n{file}"));
    let ids: Vec<&str> =
        doc.descendants().filter(|n| n.tag_name().name() == "state").filter_map(|n| n.attribute("id")).collect();
    assert_eq!(ids, ["shut", "open", "open.still", "open.roaring", "jammed"]);
    // Every target is a state that there is: what any reader of the format asks first.
    for t in doc.descendants().filter_map(|n| n.attribute("target")) {
        assert!(ids.contains(&t), "{t}");
    }
    let bell =
        doc.descendants().find(|n| n.attribute("event").is_some_and(|e| e.starts_with("bell"))).expect("an event");
    assert_eq!(bell.attribute("target"), Some("jammed"));
    let taken = scxml::read(&file).expect("it is read");
    assert_eq!(taken.left, Vec::<String>::new());
    assert!(taken.text.contains("  needs winds: number\n  needs depths: list of number\n"), "{}", taken.text);
    let again = session(&with(&taken.text));
    assert_eq!(scxml::write(&again, mayfly_base::MachineId(0)), file, "the same file:\n{}", taken.text);
    assert_eq!(
        mayfly_engine::hash::state_hash(&s.now.world),
        mayfly_engine::hash::state_hash(&again.now.world),
        "it runs as it did"
    );
}

#[test]
fn a_foreign_machine_is_taken_as_far_as_it_can_be_said() {
    let file = r#"<?xml version="1.0"?>
<scxml xmlns="http://www.w3.org/2005/07/scxml" version="1.0" initial="off" name="door bell">
  <datamodel><data id="n" expr="0"/></datamodel>
  <state id="off">
    <onentry><log label="now &quot;off&quot;"/><send event="tired" delay="1500ms"/></onentry>
    <transition event="push" target="on"><raise event="rang"/></transition>
    <transition event="tired" target="on"/>
    <transition event="kick shove.hard" cond="force > 3" target="broken"/>
    <transition event="*" target="on"/>
    <transition event="stay"/>
    <transition event="lost" target="nowhere"/>
    <transition event="odd" cond="In('x') &amp;&amp; y" target="on"/>
  </state>
  <state id="on" initial="loud">
    <state id="loud"><transition event="push" target="quiet"/></state>
    <state id="quiet"><invoke type="x"/></state>
    <transition event="push.again" target="off"/>
  </state>
  <final id="broken"/>
  <parallel id="two"/>
</scxml>"#;
    let taken = scxml::read(file).expect("it is read");
    for line in [
        "machine door_bell {",
        "start off",
        "enter { log \"now off\" }",
        "to on when hears push then { send rang }",
        "to on after 1500ms",
        "to broken when hears kick if force > 3",
        "to broken when hears shove_hard if force > 3",
        "start loud",
        "to quiet when hears push",
        "to off when hears push_again",
        "message rang",
    ] {
        assert!(taken.text.contains(line), "{line}:\n{}", taken.text);
    }
    let left = taken.left.join("\n");
    for said in [
        "line 3: `datamodel` has no place in a machine of ours",
        "line 9: `transition` waits for any event",
        "line 10: `transition` leads to no other state",
        "line 11: there is no state `nowhere`",
        "line 12: the condition `In('x') && y` is none of ours",
        "line 16: `invoke` cannot be said",
        "`parallel` has no place",
    ] {
        assert!(left.contains(said), "{said}:\n{left}");
    }
    // What was taken is a machine of ours, once its names are declared.
    session(&format!("const force = 5\n{}", taken.text));
}

#[test]
fn what_is_broken_is_refused_with_its_line() {
    let head = "<scxml xmlns=\"http://www.w3.org/2005/07/scxml\" version=\"1.0\">";
    let deep = format!("{head}{}{}</scxml>", "<state id=\"a\">".repeat(300), "</state>".repeat(300));
    let cases = [
        ("", "line 1"),
        ("<scxml>", "line 1"),
        ("<html/>", "no `scxml`"),
        ("<scxml/>", "no `scxml`"),
        ("<!DOCTYPE x [<!ENTITY a \"b\">]>\n<scxml/>", "line 1"),
        (&format!("{head}</scxml>"), "there is no state in it"),
        (&format!("{head}\n<state id=\"a\">\n</scxml>"), "line 3"),
        (&deep, "deeper than"),
    ];
    for (text, said) in cases {
        let e = scxml::read(text).expect_err(said);
        assert!(e.to_string().contains(said), "{said}: {e}");
    }
    assert!(scxml::read(&"x".repeat(5 << 20)).is_err_and(|e| e.to_string().contains("larger than")));
    // Whatever is cut off is refused, and nothing panics.
    let file = scxml::write(&session(LEVEL), mayfly_base::MachineId(0));
    for cut in (0..file.len() - 9).step_by(7).filter(|c| file.is_char_boundary(*c)) {
        assert!(scxml::read(&file[..cut]).is_err(), "cut at {cut}");
    }
}

#[test]
fn a_map_comes_back_as_it_was() {
    let s = session(LEVEL);
    let table = maps::write(&s, mayfly_base::AreaId::MAIN);
    assert_eq!(table, "piles,boards,boards,piles\r\npiles,reeds,boards,\r\n");
    let text = maps::read(&table).expect("a map");
    let again = session(&text);
    assert_eq!(maps::write(&again, mayfly_base::AreaId::MAIN), table, "{text}");
    // Single characters are tiles of that sign; short rows are filled up.
    let text = maps::read("#,#,#\r\n#,,\n~\n").expect("a map");
    assert!(text.contains("###\n#..\n~..\n"), "{text}");
    session(&text);
    assert!(maps::read("").is_err());
    assert!(
        maps::read("\"a\nb").is_ok_and(|t| check::check("t", &t).level.is_some()),
        "an open quote ends with the text"
    );
    let many: String = (0..200).map(|i| format!("tile{i},")).collect();
    assert!(maps::read(&many).is_err_and(|e| e == maps::MapError::TooManyTiles));
}
