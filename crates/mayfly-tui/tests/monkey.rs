//! Any keys in any order, at any size of the window: nothing panics, and every frame can be drawn.

use crate::desk;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers, MouseButton, MouseEvent, MouseEventKind};
use mayfly_lang::check;
use mayfly_session::session::Session;
use mayfly_tui::app::App;
use mayfly_tui::budget::Patience;
use mayfly_tui::theme::{Palette, Theme};
use mayfly_tui::{mouse, overlay, run, screen};
use proptest::prelude::*;
use ratatui::Terminal;
use ratatui::backend::{Backend, TestBackend};
use std::time::{Duration, Instant};

const DEMO: &str = include_str!("../../../examples/weir-house.may");

/// What someone does.
#[derive(Clone, Debug)]
enum Deed {
    Key(KeyCode, bool),
    /// A key that asks for a text, the text, and Enter.
    Says(char, &'static str),
    Resize(u16, u16),
    /// Runs for that many milliseconds of the level.
    Runs(u64),
    /// A click, or the wheel, at that part of the screen, in thousandths.
    Mouse(u16, u16, bool),
    /// A watch is brought back.
    Undo,
    /// Saves another text of the level, the part before `=>` replaced.
    Edits(&'static str),
}

const TEXTS: &[(char, &str)] = &[
    ('p', "keeper.oil = 4"),
    ('p', "move keeper to (6, 3)"),
    ('p', "send bell(3)"),
    ('p', "remove keeper"),
    ('p', "remove heron"),
    ('p', "restart"),
    ('p', "win \"so\""),
    ('p', "start flood for 1s"),
    ('p', "next draw \"haul the trap\" 1 = eel"),
    ('p', "spawn crate at (7, 3)"),
    ('p', "lay mud at (3, 3)"),
    ('p', "log 1 / 0"),
    ('g', "20"),
    ('g', "+3s"),
    ('g', "lamps_lit == 1"),
    ('g', "turn 2"),
    ('g', "400000"),
    ('g', "warmth == 1234"),
    ('w', "keeper.oil * 2"),
    ('w', "heron.caught"),
    ('s', "fired"),
    ('s', "lamps_lit"),
    ('s', "message bell"),
    ('f', "lamp"),
    ('f', "flood"),
    ('f', "bell"),
    ('i', "jetty"),
    ('i', "water"),
    ('F', "oil"),
    ('s', "warmth flickers"),
    ('x', "plan"),
    ('x', "machine"),
    ('x', "every write"),
    ('r', "light"),
    ('O', ""),
    (';', "lane"),
];

const EDITS: &[&str] = &[
    "=>",
    "lamps_lit += 1=>lamps_lit += 2",
    "var warmth =>var cold = 3\nvar warmth ",
    "rule \"hear the bell\"=>rule \"hear it\"",
    "place heron at (23, 4) facing west=>",
    "kind trap {=>kind trapp {",
    "state wary {=>state wary { wait 1s ",
    "then { checkpoint keeper }=>then { win \"at once\" }",
];

fn deed() -> impl Strategy<Value = Deed> {
    let letters: Vec<char> = "nbNBaAcChfFlLmMtTyiSoOrudvvvVzXExx!?/<>,.+-=wpsge;q 123456kZRMDUWV#".chars().collect();
    let named = vec![
        KeyCode::Up,
        KeyCode::Down,
        KeyCode::Left,
        KeyCode::Right,
        KeyCode::Enter,
        KeyCode::Esc,
        KeyCode::Tab,
        KeyCode::BackTab,
        KeyCode::Home,
        KeyCode::End,
        KeyCode::PageUp,
        KeyCode::PageDown,
        KeyCode::Delete,
        KeyCode::Backspace,
        KeyCode::F(2),
        KeyCode::F(3),
    ];
    let sizes = vec![(160, 47), (80, 24), (200, 60), (100, 30), (20, 5), (1, 1), (3, 200)];
    prop_oneof![
        6 => (prop::sample::select(letters), prop::bool::weighted(0.1)).prop_map(|(c, alt)| Deed::Key(KeyCode::Char(c), alt)),
        5 => prop::sample::select(named).prop_map(|k| Deed::Key(k, false)),
        2 => prop::sample::select(TEXTS).prop_map(|(c, t)| Deed::Says(c, t)),
        1 => prop::sample::select(sizes).prop_map(|(w, h)| Deed::Resize(w, h)),
        1 => (0u64..3000).prop_map(Deed::Runs),
        2 => (0u16..1000, 0u16..1000, prop::bool::ANY).prop_map(|(x, y, wheel)| Deed::Mouse(x, y, wheel)),
        1 => Just(Deed::Undo),
        1 => prop::sample::select(EDITS).prop_map(Deed::Edits),
    ]
}

fn press(app: &mut App, code: KeyCode, alt: bool) {
    let with = if alt { KeyModifiers::ALT } else { KeyModifiers::NONE };
    run::key(app, &KeyEvent::new(code, with), Instant::now());
}

proptest! {
    #![proptest_config(desk::seeded("monkey", 40))]

    #[test]
    fn any_keys_do_no_harm(list in prop::collection::vec(deed(), 1..60)) {
        let c = check::check("weir-house.may", DEMO);
        let session = Session::new(c.sources, c.level.expect("the demo loads"));
        let mut app = App::new(session, Theme { palette: Palette::Dusk, ascii: false }, "weir-house.may".into());
        // No clock: the same deeds do the same on every machine.
        let app_patience = Patience::Asks(40);
        app.patience = app_patience;
        let mut terminal = Terminal::new(TestBackend::new(160, 47)).expect("a terminal");
        for d in &list {
            match d {
                Deed::Key(k, alt) => press(&mut app, *k, *alt),
                Deed::Says(key, text) => {
                    press(&mut app, KeyCode::Esc, false);
                    press(&mut app, KeyCode::Esc, false);
                    press(&mut app, KeyCode::Char(*key), false);
                    text.chars().for_each(|c| press(&mut app, KeyCode::Char(c), false));
                    press(&mut app, KeyCode::Enter, false);
                }
                Deed::Mouse(x, y, wheel) => {
                    let size = terminal.backend().size().expect("a size");
                    let at = |part: u16, all: u16| (u32::from(part) * u32::from(all) / 1000) as u16;
                    let kind = if *wheel { MouseEventKind::ScrollDown } else { MouseEventKind::Down(MouseButton::Left) };
                    let m = MouseEvent {
                        kind,
                        column: at(*x, size.width),
                        row: at(*y, size.height),
                        modifiers: KeyModifiers::NONE,
                    };
                    if app.overlays.is_empty() {
                        mouse::take(&mut app, &m);
                    } else {
                        overlay::mouse(&mut app, &m);
                    }
                }
                Deed::Undo => {
                    run::key(&mut app, &KeyEvent::new(KeyCode::Char('z'), KeyModifiers::CONTROL), Instant::now());
                }
                Deed::Resize(w, h) => terminal = Terminal::new(TestBackend::new(*w, *h)).expect("a terminal"),
                Deed::Runs(ms) => {
                    let work = || app_patience.within(Duration::ZERO);
                    app.run_for(Duration::from_millis(*ms), work());
                    app.seek_for(work());
                    app.fly_again(work());
                }
                Deed::Edits(edit) => {
                    let (from, to) = edit.split_once("=>").expect("an edit has two sides");
                    app.take_text(check::check("weir-house.may", &DEMO.replacen(from, to, 1)));
                }
            }
            terminal.draw(|f| screen::draw(&mut app, f)).expect("it draws");
            // What is found after a frame stands in the next.
            if app.catch_up() {
                terminal.draw(|f| screen::draw(&mut app, f)).expect("it draws");
            }
            app.disk.to_write.clear();
        }
    }
}
