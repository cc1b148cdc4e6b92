//! Edits of a level's text: each changes one fact of the level's meaning and no other byte, and is taken back exactly.

use mayfly_base::Point;
use mayfly_base::code::{Attr, ExprKind, WhoSet};
use mayfly_base::value::Value;
use mayfly_lang::analysis::{Analysis, SymbolId};
use mayfly_lang::edit::facts::{self, FileChange};
use mayfly_lang::edit::laying;
use mayfly_lang::edit::maps::{MapText, Sides, resize};
use mayfly_lang::edit::{Change, EditError};
use mayfly_lang::level::Level;
use proptest::prelude::*;
use proptest::test_runner::FileFailurePersistence;

/// Comments and odd layout everywhere.
const TEXT: &str = r#"// the weir
level "Weir" { rate 20 } // twenty
tiles { '#' piles solid; '_' boards;'w'  water }
map """   // no comment: the map begins below
  ######
  #_ww_#
  #____
  ######
  """
area cellar map """
____
____
"""
kind   person{steered;   speed 4/*?*/
}
"#;

fn text() -> String {
    // What is no comment in this language stays out of it.
    let head =
        TEXT.replace("map \"\"\"   // no comment: the map begins below\n", "map \"\"\"\n").replace("/*?*/", " // slow");
    head + r#"
kind lamp { var lit = false   // not yet
  var oil = 3
  zone glow = disc 2
}
kind crate
/// The one who walks.
place keeper  :  person at (1,  2)   { }   // here
place lamp at (2, 1),  // first
  (4, 1) { lit = true }
place other: lamp at (1, 1) facing west {
  oil = 4
  // the end
}
place low: person in cellar at (1, 1)
zone jetty = rect ( 1,1 ) 3 x 2   for person // landing
zone bay = cells { 1: 1..2, 4; 2: 1 } + disc (3, 2) 1.5
zone wet = tiles water
path rounds = (1, 1) (4, 1) (4, 2) loop // round
var warmth = 100 within 0 to 100 // falls
const goal = (4, 2)
rule "land" { when person enters jetty; then { warmth -= 1; tell "at {jetty.enabled}" } } // lands
rule "go" { when start; then { walk keeper to (4, 1) and wait; push keeper by (1, 0); keeper.size = (1, 1); move low to cellar (2, 1) } }
"#
}

fn read(text: &str) -> Analysis {
    Analysis::of("t.may", text, &mut |_| Err(mayfly_lang::check::LoadError::Missing))
}

fn ground() -> Analysis {
    let a = read(&text());
    assert_eq!(a.checked.errors(), 0, "{:?}", a.diagnostics());
    a
}

fn find(a: &Analysis, name: &str) -> SymbolId {
    a.symbols.iter().find(|(_, s)| s.name == name && s.of.is_none()).map(|(id, _)| id).expect("a symbol")
}

/// A level without the places of its text.
fn meaning(level: &Level) -> String {
    let text = format!("{level:#?}");
    let lines: Vec<&str> = text.lines().collect();
    let mut out = vec![];
    let mut skip = 0;
    for l in lines {
        if l.trim_end().ends_with("Span {") {
            skip = 5;
        }
        if skip > 0 {
            skip -= 1;
        } else {
            out.push(l);
        }
    }
    out.join("\n")
}

/// Applies a change of the one file; holds that its inverse gives the text back, and that what comes of it reads.
#[track_caller]
fn applied(a: &Analysis, change: &Change) -> Analysis {
    let old = &a.files[0].text;
    let (new, back) = change.apply(old).expect("it lies in the text");
    assert_eq!(back.apply(&new).expect("its inverse too").0, **old);
    let b = read(&new);
    assert_eq!(b.checked.errors(), 0, "{new}\n{:?}", b.diagnostics());
    // Comments stay, all of them.
    let comments =
        |t: &str| t.lines().filter_map(|l| l.split_once("//").map(|(_, c)| c.trim().to_string())).collect::<Vec<_>>();
    assert_eq!(comments(&new), comments(old));
    b
}

/// Only this differs afterwards.
#[track_caller]
fn differs(a: &Analysis, change: Result<FileChange, EditError>, by: impl FnOnce(&mut Level)) -> String {
    let (file, change) = change.expect("it can be changed");
    assert_eq!(file, 0);
    let b = applied(a, &change);
    let mut want = a.level().expect("a level").clone();
    by(&mut want);
    let (got, want) = (meaning(b.level().expect("a level")), meaning(&want));
    assert_ne!(want, meaning(a.level().expect("a level")), "the fact is another one");
    let first = got.lines().zip(want.lines()).position(|(x, y)| x != y);
    let near = |t: &str| t.lines().skip(first.unwrap_or(0).saturating_sub(3)).take(7).collect::<Vec<_>>().join("\n");
    assert!(got == want, "got\n{}\nwanted\n{}", near(&got), near(&want));
    b.files[0].text.to_string()
}

fn actor(level: &mut Level, name: &str) -> usize {
    level.actors.iter().position(|a| a.name == name).expect("an actor")
}

#[test]
fn places_and_facings_of_actors() {
    let a = ground();
    let at = |name: &'static str, x: f64, y: f64| {
        differs(&a, facts::set_place(&a, name, x, y), move |l| {
            let i = actor(l, name);
            l.actors[i].at = Point { x, y, ..l.actors[i].at };
        })
    };
    assert!(at("keeper", 3.0, 2.0).contains("person at (3, 2)   { }   // here"));
    assert!(at("lamp#2", 1.5, 2.0).contains("(2, 1),  // first\n  (1.5, 2) { lit = true }"));
    at("lamp#1", 3.0, 1.0);
    at("low", 0.0, 0.0);
    let turned = differs(&a, facts::set_facing(&a, "keeper", "north"), |l| {
        let i = actor(l, "keeper");
        l.actors[i].facing = 0;
    });
    assert!(turned.contains("at (1,  2) facing north   { }"), "{turned}");
    differs(&a, facts::set_facing(&a, "other", "east"), |l| {
        let i = actor(l, "other");
        l.actors[i].facing = 1;
    });
    assert!(matches!(facts::set_facing(&a, "lamp#1", "east"), Err(EditError::Refused { .. })));
    assert!(matches!(facts::set_facing(&a, "keeper", "up"), Err(EditError::Refused { .. })));
    assert!(matches!(facts::set_place(&a, "nobody", 1.0, 1.0), Err(EditError::Missing { .. })));
}

#[test]
fn values_of_one_and_first_values_of_all() {
    let a = ground();
    let value = |l: &mut Level, name: &str, n: f64| {
        let i = actor(l, name);
        let mayfly_base::code::Override::Field(_, e) = &mut l.actors[i].overrides[0] else { panic!("a variable") };
        e.kind = ExprKind::Const(Value::Number(n));
    };
    let text = differs(&a, facts::set_given(&a, "other", "oil", "9"), |l| value(l, "other", 9.0));
    assert!(text.contains("  oil = 9\n  // the end\n}"));
    let (_, change) = facts::set_given(&a, "other", "lit", "true").expect("it has one");
    let b = applied(&a, &change);
    assert!(b.files[0].text.contains("  oil = 4\n  lit = true\n  // the end\n}"), "{}", b.files[0].text);
    let (_, change) = facts::set_given(&a, "keeper", "speed", "8").expect("an attribute");
    assert!(applied(&a, &change).files[0].text.contains("(1,  2)   { speed = 8 }   // here"));
    differs(&a, facts::set_first(&a, find(&a, "warmth"), "50"), |l| {
        l.vars[0].first.kind = ExprKind::Const(Value::Number(50.0));
    });
    assert!(matches!(facts::set_first(&a, find(&a, "jetty"), "1"), Err(EditError::Refused { .. })));
}

#[test]
fn attributes_of_kinds() {
    let a = ground();
    let person = find(&a, "person");
    let set = |l: &mut Level, kind: &str, attr: Attr, value: Value| {
        let k = l.kinds.iter_mut().find(|k| k.name == kind).expect("a kind");
        let old = k.attrs.iter().position(|(a, _)| *a == attr);
        let span = k.span;
        let e = mayfly_base::code::Expr { kind: ExprKind::Const(value), span };
        match old {
            Some(i) => k.attrs[i].1 = e,
            None => k.attrs.push((attr, e)),
        }
    };
    let text = differs(&a, facts::set_attribute(&a, person, "speed", Some("7")), |l| {
        set(l, "person", Attr::Speed, Value::Number(7.0))
    });
    assert!(text.contains("kind   person{steered;   speed 7 // slow\n}"));
    differs(&a, facts::set_attribute(&a, person, "solid", None), |l| set(l, "person", Attr::Solid, Value::Flag(true)));
    let text = differs(&a, facts::set_attribute(&a, find(&a, "crate"), "solid", None), |l| {
        set(l, "crate", Attr::Solid, Value::Flag(true))
    });
    assert!(text.contains("kind crate { solid }\n"));
    let text = differs(&a, facts::set_attribute(&a, find(&a, "lamp"), "opaque", None), |l| {
        set(l, "lamp", Attr::Opaque, Value::Flag(true))
    });
    assert!(text.contains("  zone glow = disc 2\n  opaque\n}"), "{text}");
}

#[test]
fn zones_move_grow_and_notice() {
    let a = ground();
    let jetty = find(&a, "jetty");
    let cells = |a: &Analysis, name: &str| -> Vec<(i64, i64)> {
        let level = a.level().expect("a level");
        let z = level.zones.iter().find(|z| z.name == name).expect("a zone");
        (0..9)
            .flat_map(|y| (0..9).map(move |x| (x, y)))
            .filter(|(x, y)| format!("{:?}", z.shape).contains(&format!("({x}, {y})")))
            .collect()
    };
    let text = differs(&a, facts::set_for(&a, jetty, &["lamp", "person"]), |l| {
        let kind =
            |n: &str| WhoSet::Kind(mayfly_base::KindId::at(l.kinds.iter().position(|k| k.name == n).expect("a kind")));
        l.zones.iter_mut().find(|z| z.name == "jetty").expect("a zone").notices = vec![kind("lamp"), kind("person")];
    });
    assert!(text.contains("3 x 2   for lamp, person // landing"));
    let text = differs(&a, facts::set_for(&a, jetty, &[]), |l| {
        l.zones.iter_mut().find(|z| z.name == "jetty").expect("a zone").notices.clear();
    });
    assert!(text.contains("zone jetty = rect ( 1,1 ) 3 x 2 // landing"));
    let (_, change) = facts::set_for(&a, find(&a, "bay"), &["person"]).expect("a zone");
    assert!(applied(&a, &change).files[0].text.contains("disc (3, 2) 1.5 for person\n"));
    let (_, change) = facts::move_zone(&a, jetty, (1, -1)).expect("it moves");
    assert!(applied(&a, &change).files[0].text.contains("rect ( 2,0 ) 3 x 2   for"));
    let (_, change) = facts::move_zone(&a, find(&a, "bay"), (1, 0)).expect("it moves");
    let b = applied(&a, &change);
    assert!(b.files[0].text.contains("cells { 1: 2..3, 5; 2: 2 } + disc (4, 2) 1.5"), "{}", b.files[0].text);
    assert_eq!(cells(&b, "wet"), cells(&a, "wet"));
    let (_, change) = facts::resize_zone(&a, jetty, (4.0, 1.0)).expect("one rect");
    assert!(applied(&a, &change).files[0].text.contains("rect ( 1,1 ) 4 x 1   for"));
    assert!(matches!(facts::move_zone(&a, find(&a, "wet"), (1, 0)), Err(EditError::Refused { .. })));
    assert!(matches!(facts::resize_zone(&a, find(&a, "bay"), (1.0, 1.0)), Err(EditError::Refused { .. })));
}

#[test]
fn declarations_are_added_copied_and_taken_out() {
    let a = ground();
    let (_, change) = facts::add(&a, "zone pool = disc (2, 2) 1").expect("a declaration");
    let b = applied(&a, &change);
    assert!(
        b.files[0].text.contains("zone wet = tiles water\nzone pool = disc (2, 2) 1\npath rounds"),
        "behind the other zones"
    );
    assert!(facts::add(&a, "zone = ").is_err() && facts::add(&a, "nonsense").is_err());
    let rows = |t: &str| t.lines().count();

    // A copy with its rules speaks of the copy.
    let changes = facts::copy(&a, find(&a, "jetty"), "quay", true).expect("it is free");
    let [(0, change)] = changes.as_slice() else { panic!("one file") };
    let (new, back) = change.apply(&text()).expect("it fits");
    assert_eq!(back.apply(&new).expect("back").0, text());
    assert_eq!(rows(&new), rows(&text()) + 2);
    assert!(new.contains("zone quay = rect ( 1,1 ) 3 x 2   for person // landing\n"));
    assert!(new.contains("rule \"land (quay)\" { when person enters quay; then { warmth -= 1; tell \"at {quay.enabled}\" } } // lands\n"), "{new}");
    assert_eq!(read(&new).checked.errors(), 0);
    assert!(matches!(facts::copy(&a, find(&a, "jetty"), "keeper", false), Err(EditError::Taken(_))));
    assert!(matches!(facts::copy(&a, find(&a, "jetty"), "when", false), Err(EditError::Name(_))));

    // Taken out with its words and its line; who refers to it is told before.
    let (_, change) = facts::remove(&a, find(&a, "keeper")).expect("it is there");
    let (new, _) = change.apply(&text()).expect("it fits");
    assert!(!new.contains("The one who walks") && rows(&new) == rows(&text()) - 2, "{new}");
    let named: Vec<&str> = facts::referring(&a, find(&a, "keeper")).iter().map(|s| a.text(*s)).collect();
    assert_eq!(named, ["keeper"; 3]);
    let (_, change) = facts::remove(&a, find(&a, "bay")).expect("it is there");
    let b = read(&change.apply(&text()).expect("it fits").0);
    assert_eq!(
        (b.checked.errors(), b.level().expect("a level").zones.len()),
        (0, a.level().expect("a level").zones.len() - 1)
    );
}

#[test]
fn a_first_rule_stands_ready_for_its_action() {
    let a = ground();
    for (name, event) in [
        ("jetty", "person enters jetty"),
        ("bay", "any enters bay"),
        ("lamp", "person touches lamp"),
        ("other", "person touches other"),
        ("person", "person spawns"),
    ] {
        let ((_, change), at) = facts::first_rule(&a, find(&a, name)).expect("a rule");
        let (new, _) = change.apply(&text()).expect("it fits");
        assert!(new.contains(&format!("  when {event}\n")), "{name}: {new}");
        assert!(new[..at].ends_with("then { ") && new[at..].starts_with(" }\n}\n"), "{name}: {}", &new[at..]);
        assert_eq!(read(&new).checked.errors(), 0, "{new}");
    }
    assert!(facts::first_rule(&a, find(&a, "warmth")).is_err());
}

#[test]
fn painting_changes_those_cells_alone() {
    let a = ground();
    let text = &a.files[0].text;
    let map = MapText::of(&a, "main").expect("a map");
    assert_eq!((map.width(text), map.height()), (6, 4));
    let change = map.paint(text, &[((2, 1), '_'), ((3, 1), '_'), ((5, 2), '#')]).expect("cells of the map");
    let b = applied(&a, &change);
    assert!(b.files[0].text.contains("  ######\n  #____#\n  #____#\n  ######\n"));
    let cells = change.edits().iter().map(|e| e.text.chars().count()).sum::<usize>();
    assert_eq!(cells, 3, "no more of the text than those cells");
    assert!(map.paint(text, &[((0, 9), '_')]).is_err() && map.paint(text, &[((0, 0), '"')]).is_err());
}

#[test]
fn a_resize_keeps_everything_on_its_ground() {
    let a = ground();
    let r = resize(&a, "main", Sides { left: 2, top: 1, right: 1, bottom: 1 }, '_').expect("it fits");
    let [(0, change)] = r.changes.as_slice() else { panic!("one file") };
    let b = applied(&a, change);
    let (old, new) = (a.level().expect("a level"), b.level().expect("a level"));
    assert_eq!((new.areas[0].width, new.areas[0].height), (9, 6));
    for (x, y) in old.actors.iter().zip(&new.actors) {
        let by = if x.at.area == mayfly_base::AreaId::MAIN { (2.0, 1.0) } else { (0.0, 0.0) };
        assert_eq!((x.at.x + by.0, x.at.y + by.1), (y.at.x, y.at.y), "{}", x.name);
    }
    let text = &b.files[0].text;
    for there in [
        "rect ( 3,2 ) 3 x 2",
        "cells { 2: 3..4, 6; 3: 3 } + disc (5, 3) 1.5",
        "(3, 2) (6, 2) (6, 3) loop",
        "walk keeper to (6, 2)",
        "push keeper by (1, 0)",
        "keeper.size = (1, 1)",
        "cellar (2, 1)",
        "zone glow = disc 2",
        "  _________\n  __######_\n  __#_ww_#_\n  __#____ _\n  __######_\n  _________\n",
    ] {
        assert!(text.contains(there), "{there} is not in\n{text}");
    }
    // A constant may be a step as well as a place: it is moved, and named.
    assert_eq!(r.unsure.len(), 1);
    assert_eq!(a.text(r.unsure[0]), "(4, 2)");
    assert!(resize(&a, "main", Sides { left: -6, ..Sides::default() }, '_').is_err());
    assert!(resize(&a, "attic", Sides::default(), '_').is_err());
}

fn config() -> ProptestConfig {
    let file = FileFailurePersistence::Direct(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/edits.regressions"));
    ProptestConfig { cases: 40, failure_persistence: Some(Box::new(file)), ..ProptestConfig::default() }
}

proptest! {
    #![proptest_config(config())]

    /// Every cell has its bytes, and they lead back to it; what is painted is there, and nothing else.
    #[test]
    fn cells_and_bytes_lead_to_each_other(
        rows in prop::collection::vec("[#_é ]{0,6}", 1..5),
        indent in 0usize..3,
        paint in prop::collection::vec((0usize..8, 0usize..5, prop_oneof![Just('#'), Just('_'), Just('é'), Just(' ')]), 0..8),
    ) {
        prop_assume!(rows.iter().any(|r| !r.trim().is_empty()) && !rows[0].trim().is_empty() && !rows[rows.len() - 1].trim().is_empty());
        let pad = " ".repeat(indent);
        let body: String = rows.iter().map(|r| format!("{pad}{r}\n")).collect();
        let a = read(&format!("tiles {{ '#' piles; '_' boards; 'é' reeds }}\nmap \"\"\"\n{body}{pad}\"\"\"\n"));
        let text = &a.files[0].text;
        let map = MapText::of(&a, "main").expect("a map");
        for (y, row) in rows.iter().enumerate() {
            for (x, c) in row.chars().enumerate() {
                let bytes = map.cell(text, x, y).expect("a cell");
                prop_assert_eq!(&text[bytes.clone()], c.to_string());
                prop_assert_eq!(map.cell_at(text, bytes.start), Some((x, y)));
            }
        }
        let cells: Vec<((usize, usize), char)> = paint.iter().filter(|(_, y, _)| *y < rows.len()).map(|(x, y, c)| ((*x, *y), *c)).collect();
        let change = map.paint(text, &cells).expect("cells of the map");
        let (new, back) = change.apply(text).expect("it fits");
        prop_assert_eq!(back.apply(&new).expect("back").0, text.to_string());
        let b = read(&new);
        let after = MapText::of(&b, "main").expect("a map");
        for (y, row) in rows.iter().enumerate() {
            for x in 0..9 {
                let last = cells.iter().rev().find(|(at, _)| *at == (x, y)).map(|(_, c)| *c);
                let want = last.or_else(|| row.chars().nth(x)).unwrap_or(' ');
                let got = after.cell(&new, x, y).map_or(' ', |r| new[r].chars().next().expect("a sign"));
                prop_assert_eq!(got, want, "({}, {}) of\n{}", x, y, new);
            }
        }
    }

    /// There and back again is the same map, and all stands where it stood.
    #[test]
    fn a_resize_is_undone_by_its_opposite(left in 0i64..4, top in 0i64..4, right in 0i64..4, bottom in 0i64..4) {
        let a = ground();
        let there = resize(&a, "main", Sides { left, top, right, bottom }, '#').expect("it grows");
        let text = a.files[0].text.to_string();
        let new = there.changes.first().map_or_else(|| text.clone(), |(_, c)| c.apply(&text).expect("it fits").0);
        let b = read(&new);
        prop_assert_eq!(b.checked.errors(), 0, "{}", new);
        let back = resize(&b, "main", Sides { left: -left, top: -top, right: -right, bottom: -bottom }, '#').expect("it shrinks");
        let again = back.changes.first().map_or_else(|| new.clone(), |(_, c)| c.apply(&new).expect("it fits").0);
        let c = read(&again);
        prop_assert_eq!(meaning(c.level().expect("a level")), meaning(a.level().expect("a level")), "{}", again);
    }
}

#[test]
fn shapes_points_and_ends_are_laid_by_hand() {
    let a = ground();
    let (jetty, rounds) = (find(&a, "jetty"), find(&a, "rounds"));
    assert_eq!(laying::shape_text(&a, jetty).as_deref(), Some("rect ( 1,1 ) 3 x 2"));
    assert_eq!(laying::whom_text(&a, jetty), "person");
    assert_eq!(
        laying::shape_text(&a, find(&a, "bay")).as_deref(),
        Some("cells { 1: 1..2, 4; 2: 1 } + disc (3, 2) 1.5")
    );
    let text = differs(&a, laying::set_shape(&a, jetty, " disc (2, 1) 1"), |l| {
        l.zones.iter_mut().find(|z| z.name == "jetty").expect("a zone").shape =
            mayfly_base::code::Shape::Disc { x: 2.0, y: 1.0, r: 1.0 };
    });
    assert!(text.contains("zone jetty = disc (2, 1) 1   for person // landing"));
    assert!(matches!(laying::set_shape(&a, jetty, "disk 3"), Err(EditError::Refused { .. })));
    let points = |l: &mut Level, f: &dyn Fn(&mut Vec<Point>)| f(&mut l.paths[0].points);
    let at = |x: f64, y: f64| Point { x, y, area: mayfly_base::AreaId::MAIN };
    differs(&a, laying::set_point(&a, rounds, 1, (3.0, 1.0)), |l| points(l, &|p| p[1] = at(3.0, 1.0)));
    differs(&a, laying::insert_point(&a, rounds, 0, (2.0, 1.0)), |l| points(l, &|p| p.insert(1, at(2.0, 1.0))));
    for nth in 0..3 {
        differs(&a, laying::remove_point(&a, rounds, nth), |l| points(l, &|p| _ = p.remove(nth)));
    }
    differs(&a, laying::move_path(&a, rounds, (1, -1)), |l| {
        points(l, &|p| p.iter_mut().for_each(|q| (q.x, q.y) = (q.x + 1.0, q.y - 1.0)));
    });
    let text = differs(&a, laying::set_path_end(&a, rounds, "once"), |l| {
        l.paths[0].end = mayfly_base::code::PathEnd::Once;
    });
    assert!(text.contains("(4, 2) once // round"));
    assert!(matches!(laying::set_path_end(&a, rounds, "twice"), Err(EditError::Refused { .. })));
    assert!(matches!(laying::set_point(&a, rounds, 3, (0.0, 0.0)), Err(EditError::Refused { .. })));
}

#[test]
fn actors_and_tiles_are_put_down_and_taken_away_by_hand() {
    let a = ground();
    let one = |c: Result<FileChange, EditError>| {
        let (_, change) = c.expect("it can be done");
        applied(&a, &change).files[0].text.to_string()
    };
    let text = one(laying::copy_actor(&a, "lamp#1", "", (3.0, 2.0)));
    assert!(text.contains("place lamp at (2, 1), (3, 2),  // first\n  (4, 1) { lit = true }"), "{text}");
    let text = one(laying::copy_actor(&a, "keeper", "second", (3.0, 2.0)));
    assert!(
        text.contains("place keeper  :  person at (1,  2)   { }   // here\nplace second  :  person at (3, 2)   { }\n"),
        "{text}"
    );
    assert!(matches!(laying::copy_actor(&a, "keeper", "jetty", (0.0, 0.0)), Err(EditError::Taken(_))));
    // Those with a value of their own are no place for one without.
    let text = one(laying::place_one(&a, "lamp", "(1, 1)"));
    assert!(text.contains("\nplace lamp at (1, 1)\n"), "{text}");
    let text = one(laying::place_one(&a, "crate", "cellar (2, 1)"));
    assert!(text.contains("\nplace crate at cellar (2, 1)\n"), "{text}");
    let text = one(laying::add_tile(&a, "'g' glass solid look \"▒\" blue"));
    assert!(text.contains("'w'  water; 'g' glass solid look \"▒\" blue }"), "{text}");
    assert!(matches!(laying::add_tile(&a, "glass"), Err(EditError::Refused { .. })));
    let text = one(laying::copy_zone(&a, find(&a, "jetty"), "quay", (1, 0)));
    assert!(text.contains("// landing\nzone quay = rect ( 2,1 ) 3 x 2   for person\n"), "{text}");
    assert_eq!((laying::free_name(&a, "pier"), laying::free_name(&a, "jetty")), ("pier".into(), "jetty_2".into()));
    // Of several placed together any go, and the others keep what stands between them.
    let gone = |names: &[&str]| {
        let changes = laying::remove_actors(&a, names).expect("they are placed");
        let (new, back) = changes[0].1.apply(&a.files[0].text).expect("it fits");
        assert_eq!(back.apply(&new).expect("its inverse too").0, *a.files[0].text);
        assert!(names.contains(&"keeper") || read(&new).checked.errors() == 0, "{new}");
        new
    };
    assert!(gone(&["lamp#1"]).contains("place lamp at (4, 1) { lit = true }"));
    assert!(gone(&["lamp#2"]).contains("place lamp at (2, 1) { lit = true }"));
    assert!(!gone(&["lamp#2", "lamp#1"]).contains("place lamp"));
    assert!(!gone(&["keeper", "low"]).contains("place keeper"));
}

#[test]
fn what_needs_a_thing_goes_with_it() {
    let a = ground();
    let changes = laying::remove_all(&a, find(&a, "jetty")).expect("it is declared");
    let (new, back) = changes[0].1.apply(&a.files[0].text).expect("it fits");
    assert_eq!(back.apply(&new).expect("its inverse too").0, *a.files[0].text);
    assert!(!new.contains("jetty") && new.contains("rule \"go\"") && !new.contains("// lands"), "{new}");
    assert_eq!(read(&new).checked.errors(), 0);
    // A kind goes with all its places.
    let changes = laying::remove_all(&a, find(&a, "lamp")).expect("it is declared");
    let (new, _) = changes[0].1.apply(&a.files[0].text).expect("it fits");
    assert!(!new.contains("lamp") && read(&new).checked.errors() == 0, "{new}");
    // The part of a map that is written by hand is one declaration.
    let text = laying::map_text(Some("attic"), (3, 2), '_', "\n");
    assert_eq!(text, "area attic map \"\"\"\n___\n___\n\"\"\"");
    let (_, change) = facts::add(&a, &text).expect("it is one");
    assert!(applied(&a, &change).files[0].text.contains("\"\"\"\narea attic map"));
}

#[test]
fn what_is_added_stands_before_what_is_broken() {
    let a = read("level \"Weir\" {}\nkind person\nplace keeper: person at (1, 1)\nrule \"half\" { when person ent\n");
    let (_, change) = facts::add(&a, "zone jetty = rect (1, 1) 2 x 2").expect("it can be added");
    let (new, _) = change.apply(&a.files[0].text).expect("it fits");
    assert!(new.contains("at (1, 1)\n\nzone jetty = rect (1, 1) 2 x 2\n\nrule \"half\""), "{new}");
    assert_eq!(read(&new).checked.errors(), a.checked.errors(), "{:?}", read(&new).diagnostics());
}
