//! Every key of the help does what it says at every moment: a command that the table gives for a state does
//! something there, and one that it does not give says that it is not now.

use crate::desk::{Desk, LEVEL};
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers, MouseButton, MouseEventKind};
use mayfly_lang::check;
use mayfly_session::moment::{At, Moment};
use mayfly_session::session::{Session, StepSize};
use mayfly_tui::app::{App, Drawer, Pane, Writing};
use mayfly_tui::command::{Command, TABLE};
use std::time::{Duration, Instant};

/// After two lamps were lit, with something of everything on the desk.
fn first_busy() -> Desk {
    let mut d = Desk::of(LEVEL);
    d.says('p', "walk keeper to (7, 1)");
    d.says('g', "3s");
    d.says('s', "lamps_lit");
    d.says('w', "keeper.oil * 2");
    d.app.flight.focus = Pane::Cascade;
    d
}

thread_local! {
    /// Flown once: each state goes on from a copy.
    static BUSY: Session = first_busy().app.session;
}

fn busy() -> Desk {
    Desk::with(BUSY.with(Clone::clone))
}

/// A level with a further area.
const YARD: &str = "kind person { steered }\nplace me: person at (2, 2)\narea attic map \"\"\"\n....\n....\n\"\"\"";

/// How each state is reached.
type State = (&'static str, fn() -> Desk);

/// States of the application in which a person may press any key.
fn states() -> Vec<State> {
    vec![
        ("at the start", || Desk::of(LEVEL)),
        ("at the live edge", || busy()),
        ("where a lamp was lit", || {
            let mut d = busy();
            d.says('g', "0");
            d.says('g', "lamps_lit == 1");
            d
        }),
        ("in the past", || {
            let mut d = busy();
            d.says('g', "10");
            d
        }),
        ("in the midst of a firing", || {
            let mut d = busy();
            d.app.session.step_size = StepSize::Action;
            d.says('g', "0");
            d.says('g', "lamps_lit == 1");
            d.press("bb");
            d
        }),
        ("in the watches", || {
            let mut d = busy();
            d.app.flight.focus = Pane::Watches;
            d.app.flight.watch_at = 3;
            d
        }),
        ("with the timeline near", || {
            let mut d = busy();
            d.press("++");
            d
        }),
        ("with lanes", || {
            let mut d = busy();
            d.press("l");
            d
        }),
        ("with a machine", || {
            let mut d = busy();
            d.press("m");
            d
        }),
        ("with a broken text", || {
            let mut d = busy();
            d.app.take_text(check::check("landing.may", "var x = "));
            d
        }),
        ("driving", || {
            let mut d = busy();
            d.press("d");
            d
        }),
        ("in another branch", || {
            let mut d = busy();
            d.says('g', "1s");
            d.says('p', "warmth = 5");
            d.press("nnn");
            d
        }),
        ("with then and now", || {
            let mut d = busy();
            d.app.take_text(check::check("landing.may", &LEVEL.replace("person.oil -= 1", "person.oil -= 2")));
            while d.app.rerun.refly.is_some() {
                d.app.fly_again(Instant::now() + Duration::from_millis(100));
            }
            d.press("t");
            d
        }),
        ("with a watch taken out", || {
            let mut d = busy();
            d.app.flight.focus = Pane::Watches;
            d.press("u");
            d
        }),
        ("with faults", || {
            let mut d = Desk::of("var n = 0\nrule \"bad\" { when every 1s; then { n = 1 / n } }");
            d.says('g', "3s");
            d.says('g', "0");
            d
        }),
        ("in the map of a level with two areas", || {
            let mut d = Desk::of(YARD);
            d.app.flight.focus = Pane::Map;
            d.app.update(Command::Right);
            d.app.update(Command::Right);
            d
        }),
        ("in the text", || {
            let mut d = busy();
            d.press("2");
            d
        }),
        ("in the text, with letters that are looked for", || {
            let mut d = busy();
            d.press("2");
            d.control('f');
            d.press("lamp");
            d.key(KeyCode::Enter);
            d.control('c');
            d
        }),
        ("while one types", || {
            let mut d = busy();
            d.press("2");
            d.says('g', "line 32");
            d.key(KeyCode::Enter);
            d.press("x");
            d
        }),
        ("in the text, with an edit undone", || {
            let mut d = busy();
            d.press("2");
            d.says('g', "line 32");
            d.key(KeyCode::Enter);
            d.press("// é");
            d.key(KeyCode::Esc);
            d.control('z');
            d.key(KeyCode::Enter);
            d.press(" ");
            d.control('z');
            d.key(KeyCode::Esc);
            d
        }),
        ("on the map as laid, in a zone", || {
            let mut d = busy();
            d.press("1");
            d.app.show_cell((3, 1));
            d
        }),
        ("in the list of the map", || {
            let mut d = busy();
            d.press("1");
            d.app.show_cell((4, 1));
            d.key(KeyCode::Enter);
            d
        }),
        ("on the map of a level with two areas", || {
            let mut d = Desk::of(YARD);
            d.press("1");
            d
        }),
        ("after the end", || {
            let mut d = Desk::of("rule \"over\" { when after 1s; then { win \"done\" } }");
            d.says('g', "3s");
            d
        }),
    ]
}

/// What a command could have changed that is not on the screen.
fn unseen(app: &App) -> String {
    format!("{:?} {} {} {}", app.disk.to_write.len(), app.play.running, app.overlays.len(), app.zoom)
}

#[test]
fn every_command_that_applies_does_something_in_every_state() {
    let mut idle = vec![];
    // Whether a command applies is asked of one desk of each state; it is carried out on another.
    let asked: Vec<Desk> = states().iter().map(|(_, reach)| reach()).collect();
    for (nth, row) in TABLE.iter().enumerate() {
        let mut ever = false;
        // Of the states in which it applies some for each view, other ones for each command.
        let mut tried = [0; 3];
        let mut all: Vec<(State, &Desk)> = states().into_iter().zip(&asked).collect();
        let n = all.len();
        all.rotate_left(nth * 7 % n);
        for ((name, reach), asked) in all {
            if !row.command.applies(&asked.app) || row.command == Command::Quit {
                ever |= row.command == Command::Quit;
                continue;
            }
            ever = true;
            let seen = &mut tried[asked.app.view as usize];
            *seen += 1;
            if *seen > 5 {
                continue;
            }
            let mut desk = reach();
            let before = (desk.seen(), unseen(&desk.app));
            desk.app.update(row.command);
            let after = (desk.seen(), unseen(&desk.app));
            // What scrolls, folds or is searched may be at its end, and says so by standing still.
            let at_its_end = matches!(
                row.command,
                Command::Up
                    | Command::Down
                    | Command::PageUp
                    | Command::PageDown
                    | Command::ZoomIn
                    | Command::Left
                    | Command::Right
                    | Command::FarLeft
                    | Command::FarRight
                    | Command::Why
                    | Command::Leave
                    | Command::Fold
                    // It asks or says, and that is told in the footer.
                    | Command::Undo
            );
            if before == after && !at_its_end {
                idle.push(format!("{} {name}", row.name));
            }
        }
        assert!(ever, "{} applies in no state that is tried", row.name);
    }
    assert!(idle.is_empty(), "nothing happens: {}", idle.join(", "));
}

#[test]
fn a_key_whose_command_does_not_apply_says_so() {
    for (name, reach) in states() {
        let mut desk = reach();
        for row in
            TABLE.iter().filter(|r| !r.command.applies(&desk.app) && r.keys[0].chars().count() == 1).collect::<Vec<_>>()
        {
            let key = row.keys[0].chars().next().expect("a key");
            if TABLE.iter().any(|o| o.keys.contains(&row.keys[0]) && o.command.applies(&desk.app)) || !key.is_ascii() {
                continue;
            }
            // While one drives, a key may be the level's own.
            if desk.app.play.driving.is_some() && key == 'e' {
                continue;
            }
            if desk.app.script.typing {
                continue;
            }
            desk.key(KeyCode::Char(key));
            // Of several commands with one key that of the present view says why.
            let own = TABLE.iter().find(|r| r.keys.contains(&row.keys[0]) && r.views.contains(&desk.app.view));
            let any = TABLE.iter().find(|r| r.keys.contains(&row.keys[0]));
            let said = own.or(any).unwrap_or(row).command.refusal(&desk.app);
            assert_eq!(desk.app.message.0, said, "{name}");
            assert!(
                !desk.app.message.0.contains("does nothing here") || desk.app.message.0.is_empty(),
                "{name}: no reason"
            );
        }
    }
}

#[test]
fn the_footer_the_palette_and_the_help_show_no_key_that_does_nothing() {
    for (name, reach) in states() {
        let mut desk = reach();
        let text = desk.text();
        let footer = text.lines().last().expect("a footer").to_string();
        for row in TABLE.iter().filter(|r| r.footer > 0 && !r.short.is_empty() && !r.command.applies(&desk.app)) {
            let shown = format!("{} {}", row.keys[0], row.short);
            assert!(!footer.contains(&format!(" {shown} ")), "{shown} {name}: {footer}");
        }
        if desk.app.play.driving.is_none() && !desk.app.script.typing {
            desk.press("?");
            let help = desk.text();
            // Signs and words first; keys and the language are found by typing.
            assert!(help.contains("Help") && help.contains("firing order"), "{name}");
            desk.press("run or pause");
            let help = desk.text();
            assert!(
                help.contains(": time") && help.contains("run or pause") && !help.contains("firing order"),
                "{name}"
            );
            desk.key(KeyCode::Esc);
            desk.press("makes an actor");
            assert!(desk.text().contains("spawn crate at (3, 4)"), "{name}: {}", desk.text());
            desk.key(KeyCode::Esc);
            desk.key(KeyCode::Esc);
            desk.press(";");
            desk.press("export");
            assert!(desk.text().contains("export: writes a table"), "{name}");
        }
    }
}

#[test]
fn lines_can_be_edited_anywhere_and_recalled() {
    let mut d = Desk::of(LEVEL);
    d.press("p");
    d.press("keeper.ol = 4");
    for _ in 0..5 {
        d.key(KeyCode::Left);
    }
    d.press("i");
    d.key(KeyCode::Home);
    d.key(KeyCode::Delete);
    d.press("k");
    assert!(d.text().contains("k▏eeper.oil = 4"));
    d.key(KeyCode::Enter);
    d.press("n");
    assert!(d.app.overlays.is_empty() && d.text().contains("keeper.oil  3 → 4"), "{}", d.text());
    d.says('p', "warmth = 40");
    d.press("p");
    d.key(KeyCode::Up);
    d.key(KeyCode::Up);
    assert!(d.text().contains("› keeper.oil = 4▏"));
    d.key(KeyCode::Down);
    assert!(d.text().contains("› warmth = 40▏"));
    // A line holds neither tabs nor lines.
    d.key(KeyCode::Tab);
    for c in ['m', 'j', 'v'] {
        mayfly_tui::run::key(&mut d.app, &KeyEvent::new(KeyCode::Char(c), KeyModifiers::CONTROL), Instant::now());
    }
    assert!(d.text().contains("› warmth = 40▏"));
    // What is only proposed gives way to the first letter, and is kept by any other key.
    d.key(KeyCode::Esc);
    d.app.flight.focus = Pane::Watches;
    d.press("s");
    assert!(d.text().contains("› lamps_lit▏"));
    d.press("x");
    assert!(d.text().contains("› x▏"));
    d.key(KeyCode::Esc);
    d.press("s");
    d.key(KeyCode::End);
    d.press(" == 2");
    assert!(d.text().contains("› lamps_lit == 2▏"));
}

#[test]
fn what_is_proposed_fits_what_is_selected() {
    let mut d = busy();
    d.says('g', "0");
    d.says('g', "lamps_lit == 1");
    let proposed = |d: &mut Desk, key: char| {
        d.key(KeyCode::Char(key));
        let text = d.app.overlays.last().expect("a line").typed.clone();
        d.key(KeyCode::Esc);
        text
    };
    assert_eq!(proposed(&mut d, 's'), "rule \"light a lamp\"");
    assert_eq!(proposed(&mut d, 'p'), "lamp#1.lit = ");
    d.app.session.step_size = StepSize::Action;
    // Going back through the actions, each of them is proposed as it is stood at.
    let mut actions = vec![];
    for _ in 0..12 {
        d.press("b");
        actions.push(proposed(&mut d, 's'));
    }
    for n in 1..=4 {
        assert!(actions.contains(&format!("action \"light a lamp\" {n}")), "{n}: {actions:?}");
    }
    d.app.flight.focus = Pane::Watches;
    d.app.flight.watch_at = 1;
    assert_eq!((proposed(&mut d, 's').as_str(), proposed(&mut d, 'p').as_str()), ("warmth", "warmth = "));
    d.app.flight.focus = Pane::Cascade;
    d.press("m");
    assert_eq!(d.app.flight.drawer, Drawer::Machine);
    assert_eq!(proposed(&mut d, 'p'), "go weir.gate to ");
}

#[test]
fn watches_stand_in_groups_move_and_are_kept() {
    let mut d = Desk::of(LEVEL);
    d.says('w', "// The lamps");
    let n = d.app.session.watches.len();
    assert_eq!((d.app.flight.watch_at, d.app.flight.focus), (n - 1, Pane::Watches));
    for _ in 1..n {
        d.press("[");
    }
    assert_eq!(d.app.session.watches[0].text, "// The lamps");
    assert!(d.text().contains(" The lamps") && !d.text().contains("// The lamps"));
    // It is no value: nothing can be asked of it, and nothing is proposed for it.
    d.press("y");
    assert_eq!(d.app.message.0, "nothing was evaluated in this tick");
    d.press("s");
    assert_eq!(d.app.overlays.last().expect("a line").typed, "");
    d.key(KeyCode::Esc);
    d.press("]");
    let kept = d.app.disk.to_write.iter().rev().find(|(w, _)| *w == Writing::Watches).map(|(_, t)| t.clone());
    assert!(kept.expect("they are kept").starts_with("lamps_lit\n// The lamps\nwarmth\n"));
    // A heading stands where anything under it does.
    d.press("c");
    assert!(!d.text().contains(" The lamps"));
    d.says('p', "warmth = 3");
    d.press("n");
    assert!(d.text().contains(" The lamps") && d.text().contains("→ 3"), "{}", d.text());
}

#[test]
fn panes_are_resized_by_keys_and_by_the_mouse() {
    let mut d = Desk::of(LEVEL);
    let border = |d: &mut Desk, row: usize| {
        let text = d.text();
        let line: Vec<char> = text.lines().nth(row).expect("a row").chars().collect();
        line.iter().position(|c| *c == '│').expect("a border")
    };
    let first = border(&mut d, 20);
    d.app.flight.focus = Pane::Map;
    d.press("}}");
    let wider = border(&mut d, 20);
    assert_eq!(wider, first + 4);
    // The test backend's lines begin with a quote.
    let at = (wider as u16 - 1, 20);
    d.mouse(MouseEventKind::Down(MouseButton::Left), at);
    d.mouse(MouseEventKind::Drag(MouseButton::Left), (at.0 - 14, 22));
    d.mouse(MouseEventKind::Up(MouseButton::Left), (at.0 - 14, 22));
    assert_eq!(border(&mut d, 20), wider - 14);
    assert_eq!(d.app.flight.focus, Pane::Map, "a border is no pane");
    let why = d.text().lines().position(|l| l.contains("─ Why")).expect("the drawer") as u16;
    d.mouse(MouseEventKind::Down(MouseButton::Left), (100, why));
    d.mouse(MouseEventKind::Drag(MouseButton::Left), (100, why - 6));
    assert_eq!(d.text().lines().position(|l| l.contains("─ Why")), Some(why as usize - 6));
    // Another size of the window keeps what was chosen as far as it goes.
    d = d.sized(110, 30);
    assert!(d.text().contains("Cascade") && d.text().contains("Watches") && d.text().contains("Why"));
}

#[test]
fn the_timeline_seeks_by_click_and_drag_and_zooms() {
    let mut d = Desk::of(LEVEL);
    d.says('g', "1000");
    assert_eq!(d.app.session.moment.tick, 1000);
    // Columns stand for a power of two of ticks: eight, where a thousand have to fit.
    d.mouse(MouseEventKind::Down(MouseButton::Left), (80, 2));
    let middle = d.app.session.moment.tick;
    assert_eq!(middle, 632);
    d.mouse(MouseEventKind::Drag(MouseButton::Left), (40, 2));
    assert!(d.app.session.moment.tick < middle);
    d.mouse(MouseEventKind::Drag(MouseButton::Left), (0, 1));
    assert_eq!(d.app.session.moment, Moment { tick: 0, at: At::End });
    d.mouse(MouseEventKind::ScrollUp, (40, 2));
    assert_eq!(d.app.zoom, 1);
    d.mouse(MouseEventKind::ScrollDown, (40, 2));
    assert_eq!(d.app.zoom, 0);
}

#[test]
fn drawings_are_made_of_what_is_shown_and_the_moment_stays() {
    let mut d = Desk::of(LEVEL);
    d.says('g', "3s");
    d.press(",,n");
    d.app.flight.focus = Pane::Watches;
    d.app.flight.watch_at = 1;
    let stood = d.app.session.moment;
    let drawings = d.app.drawings();
    assert_eq!(drawings.len(), 11, "{drawings:?}");
    for (what, _, ending) in drawings {
        d.press("x");
        let at = d.app.overlays.last().and_then(|o| o.found().iter().position(|e| e.note == format!("NAME.{ending}")));
        for _ in 0..at.expect("an entry") {
            d.key(KeyCode::Down);
        }
        d.key(KeyCode::Enter);
        let (written, text) = d.app.disk.to_write.pop().expect("a file");
        assert_eq!(written, mayfly_tui::app::Writing::Drawing(what));
        let begins = if ending == "vcd" { "$timescale" } else { "<svg" };
        assert!(text.starts_with(begins), "{ending}: {}", &text[..60.min(text.len())]);
        assert_eq!(d.app.session.moment, stood, "{ending}");
    }
    // Without a machine and without a selected watch there is less.
    let d = Desk::of("rule \"r\" { when every 1s; then { log \"r\" } }");
    assert_eq!(d.app.drawings().len(), 7);
}

#[test]
fn exports_are_made_of_what_is_shown() {
    let mut d = busy();
    d.says('g', "0");
    d.says('g', "lamps_lit == 1");
    let export = |d: &mut Desk, letters: &str| {
        d.press("x");
        d.press(letters);
        d.key(KeyCode::Enter);
        let (what, text) = d.app.disk.to_write.pop().expect("a file");
        (what, text)
    };
    let (what, text) = export(&mut d, "cascade");
    assert!(matches!(what, Writing::Export(e) if e.ending() == "cascade.txt"));
    assert!(text.starts_with("tick ") && text.contains("light a lamp") && text.contains("lamps_lit 0 → 1"), "{text}");
    let (_, text) = export(&mut d, "watches");
    let rows: Vec<&str> = text.lines().collect();
    assert!(rows[0].starts_with("tick,seconds,lamps_lit,warmth,"), "{}", rows[0]);
    assert!(rows.iter().all(|r| r.matches(',').count() >= rows[0].matches(',').count()), "every row is whole");
    let (_, text) = export(&mut d, "told");
    assert!(text.starts_with("tick,what,text\n") && text.contains(",cue,bell 1\n"), "{text}");
    let (_, text) = export(&mut d, "every evaluation");
    assert!(text.starts_with("tick,round,rule,self,verdict\n") && text.contains(",light a lamp,,fired\n"), "{text}");
    let count = d.app.session.now.world.rules.iter().map(|r| r.fired).sum::<u64>();
    let fired = text.lines().filter(|l| l.ends_with(",fired")).count() as u64;
    assert!(fired >= count && count > 0, "{fired} rows, {count} firings counted");
    let (_, text) = export(&mut d, "every write");
    assert!(
        text.contains(",lamps_lit,0,1,light a lamp\n") && text.starts_with("tick,round,what,old,new,by\n"),
        "{text}"
    );
}

#[test]
fn an_error_of_a_key_stays_until_the_next_key_and_news_from_outside_wait_behind_it() {
    let mut d = Desk::of(LEVEL);
    d.app.say_lost("the file is gone");
    assert_eq!(d.app.message.0, "the file is gone", "nothing stands in its way");
    d.app.say_error("it cannot be written");
    d.app.say_lost("the folder is gone");
    d.app.say_lost("the file is gone");
    d.app.say_news("nobody looks at it");
    assert!(!d.app.tell_news());
    assert_eq!(d.app.message.0, "it cannot be written");
    for said in ["the file is gone", "nobody looks at it"] {
        d.press("n");
        assert!(d.app.tell_news());
        assert_eq!(d.app.message, (said.to_string(), true));
    }
    d.press("n");
    assert!(!d.app.tell_news() && !d.app.message.1);
    // What was lost and is read again is told no more.
    d.app.say_error("it cannot be written");
    d.app.say_lost("the file is gone");
    d.app.take_text(check::check("other.may", LEVEL));
    d.press("n");
    assert!(!d.app.tell_news());
}
