//! What a level's text lays: what lies on a cell, who could notice it, and each fact changed by hand.

use mayfly_base::AreaId;
use mayfly_lang::analysis::Analysis;
use mayfly_session::laid::facts::{Edit, Item, change, facts_of, heading, items, symbol_of};
use mayfly_session::laid::{Laid, tile};

const TEXT: &str = r#"level "Weir" { rate 20 }
tiles { '#' piles solid opaque; '_' boards tagged footing; 'w' water solid }
map """
##########
#________#
#_ww_#___#
##########
"""
area cellar map """
____
"""
kind person { steered; look "◉" amber; speed 6; var oil = 2 }
kind heron { sight all reach 6; rule "near" { when person nears self within 3; then { log "near" } } }
kind spot of zone { var yields = 1 }
/// The one who walks.
place keeper: person at (1, 1) facing east { oil = 4 }
place heron at (8, 1), cellar (1, 0)
zone jetty = rect (1, 1) 3 x 1 for person
zone pool: spot = cells { 2: 2..3 } { yields = 7 }
path rounds = (1, 1) (4, 1) loop
"#;

fn read(text: &str) -> Analysis {
    Analysis::of("t.may", text, &mut |_| Err(mayfly_lang::check::LoadError::Missing))
}

/// Every item of a cell with its facts, as text.
fn told(a: &Analysis, area: usize, cell: (i64, i64)) -> String {
    let laid = Laid::of(a.draft());
    let area = AreaId::at(area);
    let mut out = String::new();
    for item in items(a.draft(), &laid, area, cell) {
        let (name, sort) = heading(a.draft(), &laid, &item, area, cell);
        out.push_str(&format!("{name}: {sort}\n"));
        for f in facts_of(a, &laid, &item, area, cell) {
            out.push_str(&format!("  {} {}\n", f.label, f.text));
        }
    }
    out
}

#[test]
fn everything_on_a_cell_is_told_with_its_facts_and_who_could_notice_it() {
    let a = read(TEXT);
    assert_eq!(a.checked.errors(), 0, "{:?}", a.diagnostics());
    let here = told(&a, 0, (1, 1));
    for line in [
        "keeper: person",
        "  at (1, 1)",
        "  facing east",
        "  oil 4",
        "  look \"◉\" amber",
        "  speed 6",
        "  solid no",
        "   \"The one who walks.\"",
        "rounds: path, point 0",
        "  end loop",
        "jetty: zone",
        "  shape rect (1, 1) 3 x 1",
        "  for person",
        "  tile boards  footing",
    ] {
        assert!(here.lines().any(|l| l == line), "no `{line}` in\n{here}");
    }
    assert!(told(&a, 0, (2, 2)).contains("pool: zone\n  shape cells { 2: 2..3 }\n  for everybody\n  yields 7\n"));
    assert!(
        told(&a, 0, (6, 1)).contains("heron#1: near, 2 of 3") && told(&a, 0, (6, 1)).contains("heron#1: sight, 2 of 6")
    );
    assert!(
        told(&a, 0, (4, 2)).contains("heron#1: sight, but piles at (5, 2) stands between"),
        "{}",
        told(&a, 0, (4, 2))
    );
    assert!(told(&a, 1, (1, 0)).starts_with("heron#2: heron\n  at (1, 0)\n"));
    assert_eq!(tile(a.draft(), AreaId::MAIN, (40, 40)), None);
}

#[test]
fn each_fact_is_changed_where_it_stands_and_tells_the_new_value() {
    let a = read(TEXT);
    let laid = Laid::of(a.draft());
    let cells = [(AreaId::MAIN, (1, 1)), (AreaId::MAIN, (2, 2)), (AreaId::MAIN, (8, 1))];
    let mut changed = 0;
    for (area, cell) in cells {
        for item in items(a.draft(), &laid, area, cell) {
            for f in facts_of(&a, &laid, &item, area, cell) {
                let Some(edit) = f.edit.clone().filter(|e| *e != Edit::Tile) else { continue };
                let typed = match &edit {
                    Edit::Shape(_) => "rect (1, 1) 4 x 2",
                    Edit::Whom(_) => "heron, person",
                    Edit::Place(_) | Edit::Point(..) => "(5, 1)",
                    Edit::Facing(_) => "north",
                    Edit::PathEnd(_) => "bounce",
                    Edit::Attribute(_, "look") => "\"x\" moss",
                    Edit::Attribute(_, "solid" | "opaque") => "yes",
                    _ => "3",
                };
                let found = change(&a, &edit, typed);
                let Ok(changes) = found else {
                    // Two that are placed together have no facing of their own.
                    assert!(matches!(edit, Edit::Facing(_)) && cell == (8, 1), "{edit:?}: {found:?}");
                    continue;
                };
                let (new, _) = changes[0].1.apply(&a.files[0].text).expect("it fits");
                let b = read(&new);
                assert_eq!(b.checked.errors(), 0, "{edit:?}\n{new}\n{:?}", b.diagnostics());
                // The same fact, wherever its thing lies now, says what was typed.
                let all: String = (0..4).flat_map(|y| (0..10).map(move |x| (x, y))).map(|c| told(&b, 0, c)).collect();
                let wanted = format!("  {} {typed}\n", f.label);
                assert!(all.contains(&wanted), "no `{wanted}` after {edit:?} in\n{new}");
                changed += 1;
            }
        }
    }
    assert!(changed >= 18, "{changed} facts were changed");
    let keeper = symbol_of(&a, &laid, &Item::Actor(0), AreaId::MAIN, (1, 1)).expect("it is declared");
    assert_eq!(a.symbols.get(keeper).name, "keeper");
    for wrong in ["(1", "1 2", "(a, b)", "(1, 2, 3)", "(1e999, 0)"] {
        assert!(change(&a, &Edit::Place("keeper".into()), wrong).is_err(), "{wrong}");
    }
}
