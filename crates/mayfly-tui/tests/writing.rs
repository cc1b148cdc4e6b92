//! Laying and writing without a terminal of its own: every change is an edit of the text that undo takes back, whatever keys
//! come in whatever order.

use crate::desk;
use crate::desk::{Desk, LEVEL};
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers, MouseButton, MouseEventKind};
use mayfly_lang::check;
use mayfly_lang::check::LoadError;
use mayfly_tui::app::Tool;
use mayfly_tui::app::Writing;
use mayfly_tui::budget::Patience;
use mayfly_tui::run;
use mayfly_tui::script::line;
use mayfly_tui::view::View;
use proptest::prelude::*;
use std::time::Instant;

/// A small level full of comments and odd layout.
const ROOM: &str = "// the weir é\nlevel \"Room\" { rate 10 }   // ten\ntiles { '#' piles solid opaque; '_' boards; 'w' water solid }\nmap \"\"\"\n##########\n#________#\n#_ww_____#\n##########\n\"\"\"\nkind person { steered; var oil = 0 }\nkind lamp { var lit = false\n  zone glow = disc 1 }\nplace keeper: person at (1, 1)   // here\nplace lamp at (4, 1),  // first\n  (7, 1)\nzone jetty = rect ( 3,1 ) 2 x 1  for person // landing\nzone bay = cells { 2: 2..3 }\npath rounds = (1, 1) (4, 1) (4, 2) loop\nvar visits = 0\nrule \"count visits\" {   // odd\n  when person enters jetty\n  then { visits += 1 }\n}\n";

fn text(d: &Desk) -> String {
    d.app.work.docs.file(0).expect("a file").text().to_string()
}

fn undo_all(d: &mut Desk) {
    d.key(KeyCode::Esc);
    d.key(KeyCode::Esc);
    d.press("3");
    d.app.flight.removed_watches.clear();
    for _ in 0..2000 {
        if d.app.work.docs.labels().0.is_none() {
            break;
        }
        d.control('z');
    }
}

/// In the view of the text, at a place, typing.
fn typing(level: &str, before: &str) -> Desk {
    let mut d = Desk::of(level);
    d.press("2");
    let at = text(&d).find(before).unwrap_or_else(|| panic!("no {before}")) + before.len();
    d.app.show_text(0, at);
    d.key(KeyCode::Enter);
    d
}

/// On the map, at a cell.
fn on_map(level: &str, cell: (i64, i64)) -> Desk {
    let mut d = Desk::of(level);
    d.press("1");
    d.app.show_cell(cell);
    d
}

fn chord(d: &mut Desk, code: KeyCode, modifiers: KeyModifiers) {
    run::key(&mut d.app, &KeyEvent::new(code, modifiers), Instant::now());
}

#[test]
fn a_rule_is_typed_with_pairs_and_indentation_and_flown_while_it_stands() {
    let mut d = typing(ROOM, "then { visits += 1 }\n}\n");
    d.press("rule \"again\" {");
    d.key(KeyCode::Enter);
    d.press("when person enters jet");
    d.shown();
    d.key(KeyCode::Tab);
    d.key(KeyCode::Enter);
    d.press("then { visits += 2 }");
    assert!(
        text(&d).ends_with("rule \"again\" {\n  when person enters jetty\n  then { visits += 2 }\n}"),
        "{}",
        text(&d)
    );
    d.app.settle_texts();
    assert_eq!(d.app.session.level.rules.len(), 2);
    // What is wrong is said as one types, and the old run stays.
    d.press(" vist");
    d.app.settle_texts();
    assert_eq!((d.app.work.errors(), d.app.session.level.rules.len()), (1, 2));
    assert!(d.text().contains("1 error (!)"));
    // What was typed in one go is undone in one go.
    d.control('z');
    d.control('z');
    assert!(!text(&d).contains("vist"));
    undo_all(&mut d);
    assert_eq!(text(&d), ROOM);
    d.press("2");
    while d.app.work.docs.labels().1.is_some() {
        d.control('y');
    }
    assert!(text(&d).contains("vist"));
}

/// Every small example, typed as a person types: each bracket closed by hand, no space at a line's beginning. What the
/// editor does by itself is never in the way.
#[test]
fn whoever_types_a_level_as_it_stands_gets_that_level() {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples");
    let mut typed = 0;
    for file in std::fs::read_dir(folder).expect("the examples").flatten() {
        let wanted = std::fs::read_to_string(file.path()).expect("a level");
        if wanted.len() > 1_500 {
            continue;
        }
        let mut d = Desk::of("");
        d.press("2");
        d.shown();
        d.key(KeyCode::Enter);
        for line in wanted.lines() {
            for c in line.trim_start().chars() {
                d.key(KeyCode::Char(c));
                // Long ones are read at each line's end alone: whoever types fast is ahead of what is known.
                if wanted.len() < 600 {
                    d.app.work.go_on();
                }
            }
            d.key(KeyCode::Enter);
            d.app.work.go_on();
        }
        let laid_out = |t: &str| {
            let change = mayfly_lang::format::format(t).unwrap_or_else(|_| panic!("{}:\n{t}", file.path().display()));
            change.apply(t).expect("it fits").0
        };
        assert_eq!(laid_out(&text(&d)).trim_end(), laid_out(&wanted).trim_end(), "{}", file.path().display());
        typed += 1;
    }
    assert!(typed >= 10, "{typed} were typed");
}

#[test]
fn lines_are_commented_moved_and_indented_and_line_ends_stay() {
    let crlf = ROOM.replace('\n', "\r\n");
    let mut d = typing(&crlf, "var visits = 0");
    d.key(KeyCode::F(7));
    assert!(text(&d).contains("// var visits = 0\r\n"));
    d.key(KeyCode::F(7));
    assert_eq!(text(&d), crlf);
    chord(&mut d, KeyCode::Up, KeyModifiers::ALT);
    assert!(text(&d).contains("var visits = 0\r\npath rounds"));
    chord(&mut d, KeyCode::Down, KeyModifiers::ALT);
    assert_eq!(text(&d), crlf);
    // A line's end is one step and one letter, and a new one is written as the others.
    d.key(KeyCode::End);
    d.key(KeyCode::Right);
    d.key(KeyCode::Backspace);
    assert!(text(&d).contains("var visits = 0rule"));
    d.key(KeyCode::Enter);
    assert_eq!(text(&d), crlf);
    assert!(overlay_paste(&mut d, "x\r\ny\nz\r") && text(&d).contains("x\r\ny\r\nz\r\n"));
    assert!(!text(&d).replace("\r\n", "").contains(['\r', '\n']));
    // The last line of a text has no end to give away.
    let mut d = typing("var a = 0\nvar b = 1", "var b = 1");
    chord(&mut d, KeyCode::Up, KeyModifiers::ALT);
    assert_eq!(text(&d), "var b = 1\nvar a = 0");
}

fn overlay_paste(d: &mut Desk, pasted: &str) -> bool {
    mayfly_tui::overlay::paste(&mut d.app, pasted)
}

#[test]
fn the_clipboard_selection_and_wide_characters() {
    let mut d = typing("// 水門 e\u{301}x\nvar a = 0\n", "// ");
    chord(&mut d, KeyCode::Right, KeyModifiers::SHIFT);
    chord(&mut d, KeyCode::Right, KeyModifiers::SHIFT);
    d.control('x');
    assert_eq!((text(&d).as_str(), d.app.script.clip.as_str()), ("//  e\u{301}x\nvar a = 0\n", "水門"));
    assert!(d.app.disk.to_write.iter().any(|(w, t)| *w == Writing::Clipboard && t == "水門"));
    d.key(KeyCode::Right);
    d.key(KeyCode::Right);
    d.control('v');
    // The letter and its mark were passed in one step.
    assert_eq!(text(&d), "//  e\u{301}水門x\nvar a = 0\n");
    d.key(KeyCode::Backspace);
    d.key(KeyCode::Backspace);
    d.key(KeyCode::Backspace);
    assert_eq!(text(&d), "//  x\nvar a = 0\n");
    // Going down keeps the column, and a click lands on the letter under it.
    d.key(KeyCode::Esc);
    let (x, y) = d.find("var a");
    d.mouse(MouseEventKind::Down(MouseButton::Left), (x + 4, y));
    d.key(KeyCode::Enter);
    d.press("é");
    assert!(text(&d).contains("var éa = 0"));
    assert_eq!(line::column_of("// 水門 e\u{301}x", "// 水門 ".len()), 8);
}

#[test]
fn a_name_is_found_renamed_and_replaced_and_a_fix_is_taken() {
    let mut d = Desk::of(ROOM);
    d.press("2");
    let at = text(&d).find("visits += 1").expect("it is there");
    d.app.show_text(0, at);
    d.press("D");
    assert_eq!(d.app.script.caret, text(&d).find("visits = 0").expect("declared"));
    d.key(KeyCode::Backspace);
    assert_eq!(d.app.script.caret, at);
    d.press("U");
    assert!(d.text().contains("writes  line 22"), "{}", d.text());
    d.key(KeyCode::Esc);
    // Another name is shown at all its places first; one that is taken is refused.
    d.press("R");
    d.press("jetty");
    d.key(KeyCode::Enter);
    assert!(d.text().contains("jetty"));
    d.key(KeyCode::Esc);
    d.press("R");
    d.press("landings");
    d.key(KeyCode::Enter);
    assert!(d.text().contains("2 places"), "{}", d.text());
    d.key(KeyCode::Enter);
    assert!(text(&d).contains("var landings = 0") && text(&d).contains("landings += 1"));
    // Finding goes round; replacing asks for each.
    d.control('f');
    d.press("person");
    d.key(KeyCode::Enter);
    d.control('r');
    d.press("walker");
    d.key(KeyCode::Enter);
    d.key(KeyCode::Down);
    d.key(KeyCode::Enter);
    assert!(text(&d).contains("kind walker") && !text(&d).contains("person"));
    d.control('z');
    assert!(text(&d).contains("kind person"));
    // What mends a line is one key away.
    let mut d = typing(ROOM, "then { visits");
    d.press("s");
    d.key(KeyCode::Esc);
    d.shown();
    d.key(KeyCode::F(8));
    assert!(d.app.message.0.contains("did you mean `visits`"), "{}", d.app.message.0);
    d.key(KeyCode::F(9));
    assert_eq!(text(&d), ROOM, "{}", d.app.message.0);
    d.key(KeyCode::F(6));
    assert!(d.app.message.0.starts_with("laid out"), "{}", d.app.message.0);
    undo_all(&mut d);
    let left = text(&d);
    let differs: Vec<_> = left.lines().zip(ROOM.lines()).filter(|(a, b)| a != b).collect();
    assert_eq!(left, ROOM, "{differs:?}");
}

#[test]
fn a_zone_is_drawn_moved_sized_copied_with_its_rule_and_deleted() {
    let mut d = on_map(ROOM, (5, 1));
    d.press("a");
    d.key(KeyCode::Enter);
    d.key(KeyCode::Right);
    d.key(KeyCode::Down);
    d.key(KeyCode::Enter);
    d.press("pool");
    d.key(KeyCode::Enter);
    assert!(text(&d).contains("zone pool = rect (5, 1) 2 x 2\n"), "{}", text(&d));
    // Moved and sized by arrows; what is wrong is refused with the reason.
    d.app.show_cell((3, 1));
    d.shown();
    d.press("m");
    d.key(KeyCode::Right);
    d.key(KeyCode::Enter);
    assert!(text(&d).contains("zone jetty = rect ( 4,1 ) 2 x 1  for person // landing"), "{}", text(&d));
    d.app.show_cell((5, 1));
    d.shown();
    d.press("c");
    d.press("quay");
    d.key(KeyCode::Enter);
    d.key(KeyCode::Enter);
    assert!(matches!(d.app.site.tool, Tool::Move { .. }), "{:?}", d.app.site.tool);
    d.key(KeyCode::Down);
    d.key(KeyCode::Enter);
    let now = text(&d);
    assert!(now.contains("zone quay = rect ( 4,2 ) 2 x 1") && now.contains("\"count visits (quay)\""), "{now}");
    assert!(now.contains("when person enters quay"), "{now}");
    // A fact is changed where it stands, with a proposal; one that would not load is refused.
    d.key(KeyCode::Enter);
    let shape = d.app.site.at;
    d.key(KeyCode::Down);
    assert!(d.app.site.at > shape);
    d.key(KeyCode::Enter);
    d.press("nobody");
    d.key(KeyCode::Enter);
    assert!(d.text().contains("`nobody` is not declared"), "{}", d.text());
    d.control('u');
    d.press("lam");
    d.shown();
    d.key(KeyCode::Tab);
    d.key(KeyCode::Enter);
    assert!(text(&d).contains("zone quay = rect ( 4,2 ) 2 x 1  for lamp"), "{}", text(&d));
    // What refers to it is shown before it goes; with it its rule goes too.
    d.press("\u{7f}");
    d.key(KeyCode::Delete);
    assert!(d.text().contains("with all that needs it") && d.text().contains("refers to it"), "{}", d.text());
    d.key(KeyCode::Down);
    d.key(KeyCode::Enter);
    assert!(!text(&d).contains("quay"), "{}", text(&d));
    assert_eq!(d.app.work.errors(), 0);
    undo_all(&mut d);
    assert_eq!(text(&d), ROOM);
}

#[test]
fn tiles_actors_paths_areas_and_sizes_are_laid_also_where_the_text_is_broken() {
    let broken = format!("{ROOM}rule \"half\" {{ when person ent\n");
    let mut d = Desk::with({
        let c = check::check("landing.may", ROOM);
        mayfly_session::session::Session::new(c.sources, c.level.expect("it loads"))
    });
    d.app.take_text(check::check("landing.may", &broken));
    d.press("1");
    d.app.show_cell((1, 1));
    let wrong = d.app.work.errors();
    // Walls in a line, water in a fill.
    d.press("l");
    d.press("piles");
    d.key(KeyCode::Enter);
    d.key(KeyCode::Tab);
    d.press(" ");
    d.key(KeyCode::Right);
    d.key(KeyCode::Right);
    d.press(" ");
    assert!(text(&d).contains("\n####_____#\n"), "{}", text(&d));
    d.key(KeyCode::Esc);
    d.app.show_cell((8, 2));
    d.press("l");
    d.press("water");
    d.key(KeyCode::Enter);
    d.key(KeyCode::Tab);
    d.key(KeyCode::Tab);
    d.key(KeyCode::Tab);
    d.press(" ");
    assert!(text(&d).contains("\n####wwwww#\n#_wwwwwww#\n"), "{}", text(&d));
    d.key(KeyCode::Esc);
    // One more lamp stands with the others; a path goes round a point less.
    d.press("a");
    d.press("actor");
    d.key(KeyCode::Enter);
    d.press("lamp");
    d.key(KeyCode::Enter);
    d.app.show_cell((6, 2));
    d.key(KeyCode::Enter);
    assert!(text(&d).contains("  (7, 1), (6, 2)\n"), "{}", text(&d));
    d.key(KeyCode::Esc);
    d.app.show_cell((4, 2));
    d.shown();
    d.key(KeyCode::Delete);
    d.key(KeyCode::Enter);
    assert!(text(&d).contains("path rounds = (1, 1) (4, 1) loop"), "{}", text(&d));
    // The map grows on the left and everything keeps its place.
    d.press("M");
    d.press("left 2, bottom 1");
    d.key(KeyCode::Enter);
    assert!(text(&d).contains("place keeper: person at (3, 1)   // here"), "{}", text(&d));
    assert!(text(&d).contains("zone bay = cells { 2: 4..5 }"), "{}", text(&d));
    d.press("a");
    d.press("area");
    d.key(KeyCode::Enter);
    d.press("cellar 4 x 2");
    d.key(KeyCode::Enter);
    assert!(text(&d).contains("area cellar map \"\"\"\n____\n____\n\"\"\"\n"), "{}", d.text());
    assert!(d.text().contains("cellar"));
    assert_eq!(d.app.work.errors(), wrong, "only what was wrong before is wrong");
    undo_all(&mut d);
    assert_eq!(text(&d), broken);
}

#[test]
fn what_a_tool_or_a_line_speaks_of_may_be_gone_by_then() {
    // Undone while its size is drawn.
    let mut d = on_map(ROOM, (5, 2));
    d.press("a");
    for key in [KeyCode::Enter, KeyCode::Right, KeyCode::Enter, KeyCode::Enter] {
        d.key(key);
    }
    d.press("Z");
    assert!(matches!(d.app.site.tool, Tool::Size { .. }));
    d.control('z');
    d.key(KeyCode::Right);
    d.key(KeyCode::Enter);
    assert_eq!(text(&d), ROOM);
    // Changed by another program while a line, a list and a tool are open.
    for (keys, last) in [("c", KeyCode::Enter), ("m", KeyCode::Enter), ("\u{1}", KeyCode::Enter)] {
        let mut d = on_map(ROOM, (3, 1));
        d.app.site.at = d.app.site.at.min(1);
        if keys == "\u{1}" {
            d.key(KeyCode::Delete);
        } else {
            d.press(keys);
        }
        let other = "level \"Other\" {}\nkind person\n";
        d.app.take_text(check::check("landing.may", other));
        d.shown();
        d.key(last);
        d.shown();
        assert_eq!(text(&d), other, "{keys:?}");
    }
}

#[test]
fn a_marked_part_moves_with_its_ground() {
    let mut d = on_map(ROOM, (3, 1));
    d.press("k");
    d.key(KeyCode::Right);
    d.key(KeyCode::Enter);
    d.press("m");
    d.press("with");
    d.key(KeyCode::Enter);
    d.key(KeyCode::Down);
    d.key(KeyCode::Right);
    d.key(KeyCode::Enter);
    let now = text(&d);
    assert!(
        now.contains("zone jetty = rect ( 4,2 ) 2 x 1") && now.contains("place lamp at (5, 2),  // first"),
        "{now}"
    );
    assert!(now.contains("(1, 1) (5, 2) (4, 2) loop"), "{now}");
    undo_all(&mut d);
    assert_eq!(text(&d), ROOM);
}

#[test]
fn what_is_chosen_in_one_view_is_found_in_the_others() {
    let mut d = on_map(ROOM, (3, 1));
    d.press("2");
    assert!(text(&d)[d.app.script.caret..].starts_with("jetty = rect"));
    d.press("3");
    assert!(d.text().contains("jetty  zone"), "{}", d.text());
    d.press("1");
    assert_eq!((d.app.view, d.app.site.cursor), (View::Site, (4, 1)));
    // A first rule stands in the text, with the caret where its action goes.
    d.app.show_cell((2, 2));
    d.shown();
    d.press("r");
    assert!(d.app.script.typing && text(&d)[d.app.script.caret..].starts_with(" }\n}"), "{}", text(&d));
    d.press("visits += 5");
    d.app.settle_texts();
    assert_eq!(d.app.session.level.rules.len(), 2);
}

#[test]
fn what_is_found_is_shown_in_the_view_in_which_one_looks_for_it() {
    let mut d = on_map(ROOM, (8, 1));
    let find = |d: &mut Desk, name: &str| {
        d.press("f");
        d.press(name);
        d.key(KeyCode::Enter);
    };
    // On the map the cursor goes there: to a zone, and to the very one of several without a name.
    find(&mut d, "jetty");
    assert!(d.text().contains("(4, 1)  what lies on this cell") || d.text().contains("(3, 1)"), "{}", d.text());
    find(&mut d, "lamp#2");
    assert_eq!((d.app.view, d.app.site.cursor), (View::Site, (7, 1)));
    // What lies nowhere is told in the flight.
    find(&mut d, "visits");
    assert_eq!(d.app.view, View::Flight);
    assert!(d.text().contains("Why  visits"), "{}", d.text());
    // In the text the caret goes to where it is declared, and About says what it is.
    d.press("2");
    find(&mut d, "count visits");
    assert_eq!(d.app.view, View::Script);
    assert!(d.text().contains("rule \"count visits\" {"), "{}", d.text());
    assert!(d.text().contains("fired  0 held"), "{}", d.text());
    find(&mut d, "keeper.oil");
    assert!(d.app.view == View::Script && d.text().contains("person.oil  variable"), "{}", d.text());
}

#[test]
fn a_file_that_another_changed_is_taken_in_or_asked_about() {
    let mut d = Desk::of(ROOM);
    d.app.take_text(check::check("landing.may", &ROOM.replace("visits += 1", "visits += 3")));
    while d.app.rerun.refly.is_some() {
        d.app.fly_again(Instant::now() + std::time::Duration::from_millis(100));
    }
    assert!(text(&d).contains("visits += 3") && !d.app.work.docs.is_changed());
    d.press("2");
    d.key(KeyCode::Enter);
    d.press("// mine");
    d.key(KeyCode::Enter);
    let theirs = ROOM.replace("visits += 1", "visits += 4");
    d.app.take_text(check::check("landing.may", &theirs));
    let asked = d.text();
    assert!(
        asked.contains("The file was changed by another") && asked.contains("mine") && asked.contains("+= 4"),
        "{asked}"
    );
    // Both: neither touches the other.
    d.key(KeyCode::Enter);
    assert!(text(&d).starts_with("// mine\n") && text(&d).contains("visits += 4"), "{}", text(&d));
    d.control('z');
    assert!(text(&d).contains("visits += 3"));
    // Taking the file is undone as well; closing the question keeps one's own.
    d.app.take_text(check::check("landing.may", &ROOM.replace("var visits = 0", "var visits = 9")));
    d.key(KeyCode::Esc);
    assert!(text(&d).starts_with("// mine\n") && d.app.work.docs.is_changed());
}

#[test]
fn a_further_file_that_is_there_and_cannot_be_read_is_not_begun() {
    for (why, told, begun) in [
        (
            LoadError::Unreadable("this is no UTF-8 text".into()),
            "part.may cannot be used: this is no UTF-8 text",
            false,
        ),
        (LoadError::Outside, "part.may cannot be used: it leads out of this level's folder", false),
        (LoadError::Missing, "part.may", true),
    ] {
        let mut d = Desk::of(LEVEL);
        let why = std::sync::Mutex::new(Some(why));
        d.app.work.load = std::sync::Arc::new(move |_| {
            let mut why = why.lock().expect("one thread");
            Err(why.take().unwrap_or(LoadError::Missing))
        });
        let before = text(&d);
        d.press("2V");
        d.press("further");
        d.key(KeyCode::Enter);
        d.key(KeyCode::Enter);
        assert!(d.text().contains(told), "{}", d.text());
        assert_eq!(d.app.work.docs.files().len(), if begun { 2 } else { 1 }, "{told}");
        assert_eq!(text(&d) != before, begun, "{told}");
        // The line stays, and Esc leaves all as it was.
        d.key(KeyCode::Esc);
        assert!(d.app.overlays.is_empty());
    }
}

#[test]
fn both_views_at_three_sizes() {
    let mut d = Desk::of(LEVEL);
    d.says('p', "walk keeper to (7, 1)");
    d.says('g', "1s");
    d.says('g', "lamps_lit == 1");
    for (columns, rows) in [(80, 24), (160, 47), (200, 60)] {
        d = d.sized(columns, rows);
        for (key, name) in [('1', "site"), ('2', "script")] {
            d.press(&key.to_string());
            if key == '1' {
                d.app.show_cell((3, 1));
            }
            insta::assert_snapshot!(format!("{name}-{columns}x{rows}"), d.text());
        }
        d.press("3");
    }
}

/// What somebody does with the map or the text.
#[derive(Clone, Debug)]
enum Deed {
    Key(KeyCode, KeyModifiers),
    Types(&'static str),
    Cell(i64, i64),
    Place(usize),
    Click(u16, u16, bool),
    /// Another program writes the file.
    Disk(usize),
    /// A frame is drawn, the texts are read and flown.
    Frame,
}

fn deed() -> impl Strategy<Value = Deed> {
    let plain = prop::sample::select(vec![
        KeyCode::Enter,
        KeyCode::Esc,
        KeyCode::Tab,
        KeyCode::BackTab,
        KeyCode::Backspace,
        KeyCode::Delete,
        KeyCode::Up,
        KeyCode::Down,
        KeyCode::Left,
        KeyCode::Right,
        KeyCode::Home,
        KeyCode::End,
        KeyCode::PageUp,
        KeyCode::F(6),
        KeyCode::F(7),
        KeyCode::F(8),
        KeyCode::F(9),
    ]);
    let modifier =
        prop::sample::select(vec![KeyModifiers::NONE, KeyModifiers::SHIFT, KeyModifiers::CONTROL, KeyModifiers::ALT]);
    let control = prop::sample::select(vec!['z', 'y', 'x', 'v', 'a', 'f', 'g', 'r', 'n', 'p', 's', 'b']);
    let words = prop::sample::select(vec![
        "1",
        "2",
        "3",
        "a",
        "l",
        "m",
        "Z",
        "c",
        "k",
        "r",
        "R",
        "M",
        "D",
        "U",
        "W",
        "V",
        "v",
        "+",
        "-",
        " ",
        "#12",
        "water",
        "pool",
        "rect (1, 1) 2 x 2",
        "left 1",
        "visits",
        "{",
        "}",
        "\"",
        "(",
        "when person enters jetty",
        "then { visits += 1 }",
        "é水",
        "// x",
        "rule \"x\" {",
        "jetty",
        "9 x 9",
        "lamp",
        "e",
        "n",
        "b",
        "N",
        "y",
    ]);
    prop_oneof![
        4 => (plain, modifier).prop_map(|(k, m)| Deed::Key(k, m)),
        2 => control.prop_map(|c| Deed::Key(KeyCode::Char(c), KeyModifiers::CONTROL)),
        5 => words.prop_map(Deed::Types),
        1 => (0i64..12, 0i64..6).prop_map(|(x, y)| Deed::Cell(x, y)),
        1 => (0usize..800).prop_map(Deed::Place),
        1 => (0usize..4).prop_map(Deed::Disk),
        6 => Just(Deed::Frame),
        1 => (0u16..160, 0u16..47, any::<bool>()).prop_map(|(x, y, d)| Deed::Click(x, y, d)),
    ]
}

proptest! {
    #![proptest_config(desk::seeded("writing", 24))]
    /// Any keys on the map and in the text, then undo: the first text exactly, every frame drawn, no panic.
    #[test]
    fn undoing_whatever_was_done_gives_the_first_text(deeds in prop::collection::vec(deed(), 1..60)) {
        let mut d = Desk::of(ROOM);
        d.app.patience = Patience::Asks(40);
        let mut others = false;
        for deed in deeds {
            match deed {
                Deed::Key(code, modifiers) => {
                    let key = KeyEvent::new(code, modifiers);
                    run::key(&mut d.app, &key, Instant::now());
                }
                Deed::Types(t) => d.press(t),
                Deed::Cell(x, y) => d.app.show_cell((x, y)),
                Deed::Place(at) => d.app.show_text(0, at),
                Deed::Frame => {
                    // Each text has stood long enough by then, whatever the clock says.
                    d.app.go_on_with_texts(Instant::now() + std::time::Duration::from_secs(5));
                    d.app.fly_again(d.app.patience.within(std::time::Duration::ZERO));
                    d.app.disk.to_write.clear();
                    d.seen();
                }
                Deed::Disk(n) => {
                    let texts = [
                        "level \"Other\" {}\nkind person\n".to_string(),
                        ROOM.replace("zone jetty", "// gone"),
                        ROOM.replace("visits += 1", "visits += "),
                        ROOM.replace("place lamp", "area attic map \"\"\"\n__\n\"\"\"\nplace lamp"),
                    ];
                    others = true;
                    d.app.take_text(check::check("landing.may", &texts[n]));
                }
                Deed::Click(x, y, drags) => {
                    d.mouse(MouseEventKind::Down(MouseButton::Left), (x, y));
                    if drags {
                        d.mouse(MouseEventKind::Drag(MouseButton::Left), (x / 2, y));
                        d.mouse(MouseEventKind::Up(MouseButton::Left), (x / 2, y));
                    }
                }
            }
            let now = text(&d);
            prop_assert!(now.is_char_boundary(d.app.script.caret.min(now.len())));
        }
        d.app.overlays.clear();
        d.app.site.tool = Tool::None;
        d.seen();
        undo_all(&mut d);
        if !others {
            prop_assert_eq!(text(&d), ROOM);
        }
    }
}

#[test]
fn brackets_that_stand_already_are_gone_past_one_after_the_other() {
    let mut d = typing("kind miller\n", "kind miller\n");
    for line in
        ["kind stone {", "machine turning {", "start still", "state still {", "enter { tell \"It turns.\" }", "}", "}"]
    {
        d.press(line);
        d.key(KeyCode::Enter);
        d.shown();
    }
    d.press("}");
    let wanted = "kind miller\nkind stone {\n  machine turning {\n    start still\n    state still {\n      enter { tell \"It turns.\" }\n    }\n  }\n}";
    assert_eq!(text(&d), wanted);
    // Also without a line's end between them, and where one is missing it is written.
    let mut d = typing("", "");
    d.press("kind a {");
    d.key(KeyCode::Enter);
    d.press("machine b {");
    d.key(KeyCode::Enter);
    d.press("start c");
    d.key(KeyCode::Enter);
    d.press("}}");
    assert_eq!(text(&d), "kind a {\n  machine b {\n    start c\n  }\n}");
    d.key(KeyCode::Backspace);
    d.press("}");
    assert_eq!(text(&d), "kind a {\n  machine b {\n    start c\n  }\n}");
}
