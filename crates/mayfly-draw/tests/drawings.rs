//! Each drawing of a small level: read back by an XML reader, the same bytes twice, every name in it as text, and no text over
//! another; the dump and the diagnostics read back by their own words.

use mayfly_draw::scene::{Anchor, Item, Scene, text_width};
use mayfly_draw::svg::{Look, write};
use mayfly_draw::{cascade, chart, lanes, links, machine, plan, sarif, vcd};
use mayfly_lang::check;
use mayfly_session::moment::{At, Moment};
use mayfly_session::session::Session;

const LEVEL: &str = r##"
level "Landing <&> \"quay\"" { rate 20; seed 7 }
tiles { '#' piles solid opaque; 'w' water solid; 'r' reeds opaque; '_' boards }
map """
############
#____ww____#
#_rr_ww____#
############
"""
area attic map """
....
....
"""
kind person { steered; look "◉" amber; var oil = 3 }
kind heron { look "Ψ"; sight wedge 90 reach 4; machine mood { start calm
  state calm { to wary after 1s; to flown when hears bell(p) if p > 1 }
  state wary { to calm after 2s; to wary when hears bell(p) }
  state flown { }
} }
kind frog { sight all reach 2; sight cells ahead 3 left 1 right 1 }
message bell(pitch: number)
place keeper: person at (1, 1)
place bird: heron at (8, 1)
place frog at (9, 2)
zone jetty = rect (3, 1) 2 x 1 for person
zone pool = disc (6, 2) 2
zone odd = cells { 1: 7; 2: 1, 2 }
path round = (1, 1) (3, 1) (9, 1) once
var warmth = 90
var dark = false
rule "the cold" { when every 1s; then { warmth -= 1; dark = not dark } }
rule "ring" { when every 3s; if warmth < 200; then { send bell(1) } }
rule "never <b>" { when every 1s; if warmth > 500; then { log "x" } }
"##;

fn session(text: &str, ticks: u64) -> Session {
    let c = check::check("landing.may", text);
    let errors: Vec<String> = c.diagnostics.iter().map(|d| format!("{} {}", d.code, d.message)).collect();
    let mut s = Session::new(c.sources, c.level.unwrap_or_else(|| panic!("{errors:#?}")));
    s.run_ticks(ticks, || true);
    s
}

/// Reads it back; gives the texts of the file.
fn read(scene: &Scene) -> Vec<String> {
    let mut out = vec![];
    for look in [Look::Light, Look::Dark] {
        let text = write(scene, look, Some(640.0));
        assert_eq!(text, write(scene, look, Some(640.0)), "the same bytes");
        let doc = roxmltree::Document::parse(&text).unwrap_or_else(|e| panic!("{e}\n{text}"));
        let root = doc.root_element();
        assert_eq!(root.tag_name().namespace(), Some("http://www.w3.org/2000/svg"));
        let child = |name: &str| root.children().find(|n| n.has_tag_name(("http://www.w3.org/2000/svg", name)));
        let of = |name: &str| child(name).map(|n| n.descendants().filter_map(|d| d.text()).collect::<String>());
        assert!(of("title").is_some_and(|t| !t.trim().is_empty()) && of("desc").is_some_and(|t| !t.trim().is_empty()));
        let texts = doc.descendants().filter(|n| n.has_tag_name(("http://www.w3.org/2000/svg", "text")));
        out = texts.filter_map(|n| n.text().map(|t| t.trim().to_string())).collect();
    }
    out
}

/// No text lies over another, and every one lies within the drawing.
fn apart(scene: &Scene) {
    let boxes: Vec<(f64, f64, f64, f64, &str)> = scene
        .items
        .iter()
        .filter_map(|i| match i {
            Item::Text { x, y, size, text, anchor, .. } => {
                let wide = text_width(text, *size);
                let left = match anchor {
                    Anchor::Start => *x,
                    Anchor::Middle => x - wide / 2.0,
                    Anchor::End => x - wide,
                };
                Some((left, y - size * 0.75, left + wide, y + size * 0.2, text.as_str()))
            }
            _ => None,
        })
        .collect();
    for (i, a) in boxes.iter().enumerate() {
        assert!(a.0 >= 0.0 && a.2 <= scene.width + 1.0 && a.3 <= scene.height, "{a:?} leaves {}", scene.width);
        for b in &boxes[i + 1..] {
            let over = a.0 < b.2 - 1.0 && b.0 < a.2 - 1.0 && a.1 < b.3 - 1.0 && b.1 < a.3 - 1.0;
            assert!(!over, "{a:?} lies over {b:?}");
        }
    }
}

#[test]
fn a_plan_shows_tiles_zones_actors_and_paths_by_name() {
    let mut s = session(LEVEL, 50);
    for (at, trails) in [(0, None), (50, Some(40))] {
        s.go(Moment { tick: at, at: At::End });
        let scene = plan::draw(&mut s, mayfly_base::AreaId::MAIN, trails);
        let texts = read(&scene);
        for name in ["jetty for person", "pool", "odd", "keeper", "bird", "round", "piles", "water", "reeds"] {
            assert!(texts.iter().any(|t| t.contains(name)), "{name}: {texts:?}");
        }
        apart(&scene);
    }
    let attic = plan::area(&s, Some("attic")).expect("an area");
    assert!(read(&plan::draw(&mut s, attic, None)).iter().any(|t| t.contains("attic")));
    assert!(plan::area(&s, Some("cellar")).is_err_and(|e| e.to_string().contains("attic")));
}

#[test]
fn a_machine_shows_every_state_and_way_and_the_active_one() {
    let mut s = session(LEVEL, 70);
    let key = machine::named(&s, "bird.mood").expect("a machine");
    assert_eq!(machine::named(&s, "mood"), Ok(key), "there is one alone of that name");
    assert!(machine::named(&s, "tide").is_err_and(|e| e.to_string().contains("bird.mood")));
    for tick in [0, 30, 70] {
        s.go(Moment { tick, at: At::End });
        let scene = machine::draw(&s, key).expect("a drawing");
        let texts = read(&scene);
        for name in ["calm", "wary", "flown", "calm → wary", "when hears bell(p) if p > 1"] {
            assert!(texts.iter().any(|t| t.contains(name)), "{name}: {texts:?}");
        }
        let active = scene
            .items
            .iter()
            .any(|i| matches!(i, Item::Text { text, bold: true, .. } if text == "calm" || text == "wary"));
        assert!(active, "the active state is bold");
        // Numbers stand on their curves alone; all other texts are apart.
        apart(&scene);
    }
}

#[test]
fn lanes_charts_and_the_ladder_show_what_happened() {
    let mut s = session(LEVEL, 200);
    let scene = lanes::draw(&s, 0, 200);
    let texts = read(&scene);
    for name in ["the cold", "ring", "never <b>", "bird.mood", "fired"] {
        assert!(texts.iter().any(|t| t == name || t.contains(name)), "{name}: {texts:?}");
    }
    apart(&scene);
    let mut all = chart::series(&mut s, &["warmth".into(), "dark".into(), "bird.mood".into()]).expect("series");
    all.push(chart::count(&s, "the cold").expect("a rule"));
    let scene = chart::draw(&s, &all, 0, 200);
    let texts = read(&scene);
    for name in ["warmth", "dark", "bird.mood", "firings of \"the cold\"", "90", "80"] {
        assert!(texts.iter().any(|t| t == name), "{name}: {texts:?}");
    }
    apart(&scene);
    assert!(chart::series(&mut s, &["warm".into()]).is_err_and(|e| e.to_string().contains("`warm` is not declared")));
    assert!(chart::count(&s, "heat").is_err());
    s.go(Moment { tick: 60, at: At::End });
    let scene = cascade::draw(&s);
    let texts = read(&scene);
    for name in ["the cold", "ring", "warmth 88 → 87", "sends bell(1)", "due in this tick"] {
        assert!(texts.iter().any(|t| t.contains(name)), "{name}: {texts:?}");
    }
    assert!(texts.iter().any(|t| t.starts_with("held: ")), "{texts:?}");
    apart(&scene);
    s.go(Moment { tick: 61, at: At::End });
    assert!(read(&cascade::draw(&s)).iter().any(|t| t.contains("Nothing was evaluated")));
}

#[test]
fn links_show_who_gives_and_who_takes() {
    let text = "message bell(p: number)\nvar oil = 1\nvar lit = 0\ndefine enough = oil > 0\nrule \"light\" { when every 1s; if enough; then { lit += 1; send bell(lit) } }\nrule \"hear\" { when hears bell(p); then { log \"{p}\" } }\nrule \"pour\" { when lit reaches 3; then { oil = 0 } }\nrule \"idle\" { when start; then { log \"x\" } }";
    let s = session(text, 5);
    let found: Vec<String> = mayfly_session::links::links(&s)
        .iter()
        .map(|(r, how, what)| format!("{} {how:?} {what:?}", s.engine.program.rule_name(*r)))
        .collect();
    for link in [
        "light Sends Message(MessageId(0))",
        "light Writes Variable(VarId(1))",
        "light Reads Variable(VarId(0))",
        "hear Hears Message(MessageId(0))",
        "pour Writes Variable(VarId(0))",
        "pour Reads Variable(VarId(1))",
    ] {
        assert!(found.iter().any(|f| f == link), "{link}: {found:#?}");
    }
    let scene = links::draw(&s, None).expect("a drawing");
    let texts = read(&scene);
    for name in ["light", "hear", "pour", "bell", "oil", "lit"] {
        assert!(texts.iter().any(|t| t == name), "{name}: {texts:?}");
    }
    assert!(!texts.iter().any(|t| t == "idle"), "it gives and takes nothing");
    apart(&scene);
    let near = read(&links::draw(&s, Some("bell")).expect("a drawing"));
    assert!(near.iter().any(|t| t == "hear") && !near.iter().any(|t| t == "pour"), "{near:?}");
    assert!(links::draw(&s, Some("owl")).is_err());
    assert!(links::draw(&session("rule \"r\" { when start; then { log \"x\" } }", 1), None).is_err());
}

#[test]
fn a_long_chart_stays_small_and_loses_no_extreme() {
    let text = "level \"n\" { rate 20 }\nvar n = 0\nrule \"up\" { when tick; then { n = (n + 7) mod 1000 } }\nrule \"spike\" { when after 60s; then { n = 5000 } }";
    let mut s = session(text, 20_000);
    let all = chart::series(&mut s, &["n".into()]).expect("series");
    let file = write(&chart::draw(&s, &all, 0, 20_000), Look::Light, None);
    assert!(file.len() < 200_000, "{} bytes", file.len());
    assert!(read(&chart::draw(&s, &all, 0, 20_000)).iter().any(|t| t == "5000"), "the spike is in it");
}

#[test]
fn a_dump_declares_what_it_changes_and_time_goes_on() {
    let s = session(LEVEL, 200);
    let mut out = vec![];
    vcd::write(&s, &mut out).expect("a dump");
    let text = String::from_utf8(out).expect("text");
    let mut parser = ::vcd::Parser::new(text.as_bytes());
    let header = parser.parse_header().expect("a header");
    let module = header.find_scope(&["Landing______quay_"]).expect("the level's module");
    let names: Vec<String> = module
        .items
        .iter()
        .filter_map(|i| if let ::vcd::ScopeItem::Var(v) = i { Some(v.reference.clone()) } else { None })
        .collect();
    for name in ["warmth", "dark", "keeper.oil", "bird.mood"] {
        assert!(names.iter().any(|n| n == name), "{name}: {names:?}");
    }
    assert!(header.find_scope(&["Landing______quay_", "fired"]).is_some());
    let (mut last, mut changes) = (0, 0);
    for command in parser {
        match command.expect("it reads") {
            ::vcd::Command::Timestamp(t) => {
                assert!(t >= last, "{t} after {last}");
                last = t;
            }
            ::vcd::Command::ChangeReal(..) | ::vcd::Command::ChangeScalar(..) | ::vcd::Command::ChangeString(..) => {
                changes += 1;
            }
            _ => {}
        }
    }
    assert_eq!(last, 201 * 50_000, "the end of the flight, in microseconds");
    assert!(changes > 40, "{changes}");
}

#[test]
fn diagnostics_name_their_rule_file_and_place() {
    let c = check::check("bad level.may", "var n = 0\nrule \"a\" { when every 1s; then { m += 1 } }\n");
    let text = sarif::write(&c.diagnostics, &c.sources, |n| n.replace(' ', "%20"));
    let log: serde_json::Value = serde_json::from_str(&text).expect("json");
    assert_eq!(log["version"], "2.1.0");
    let run = &log["runs"][0];
    let results = run["results"].as_array().expect("results");
    assert_eq!(results.len(), c.diagnostics.len());
    for r in results {
        let rule = r["ruleIndex"].as_u64().expect("a rule") as usize;
        assert_eq!(run["tool"]["driver"]["rules"][rule]["id"], r["ruleId"]);
        let at = &r["locations"][0]["physicalLocation"];
        assert_eq!(at["artifactLocation"]["uri"], "bad%20level.may");
        assert!(at["region"]["startLine"].as_u64() >= Some(1) && at["region"]["startColumn"].as_u64() >= Some(1));
    }
    assert!(results.iter().any(|r| r["level"] == "error"));
}

#[test]
fn hostile_names_stay_text() {
    let text =
        "level \"\u{1b}[31m</svg><script>\" { }\nvar n = 0\nrule \"]]> & \u{202e}\" { when start; then { n = 1 } }";
    let s = session(text, 2);
    for scene in [lanes::draw(&s, 0, 2), cascade::draw(&s)] {
        let file = write(&scene, Look::Light, None);
        assert!(!file.contains('\u{1b}') && !file.contains('\u{202e}') && !file.contains("<script"), "{file}");
        read(&scene);
    }
}
