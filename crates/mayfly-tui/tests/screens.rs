//! The screens on a test terminal: keys in, text out, held by snapshots.

use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use mayfly_lang::check;
use mayfly_session::session::Session;
use mayfly_tui::app::{App, Effect};
use mayfly_tui::command::{Command, TABLE};
use mayfly_tui::theme::{Palette, Theme};
use mayfly_tui::{run, screen};
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use std::time::{Duration, Instant};

const DEMO: &str = include_str!("../../../examples/weir-house.may");

struct Desk {
    app: App,
    terminal: Terminal<TestBackend>,
}

impl Desk {
    fn new(width: u16, height: u16) -> Self {
        let c = check::check("weir-house.may", DEMO);
        let session = Session::new(c.sources, c.level.expect("the demo loads"));
        let theme = Theme { palette: Palette::Dusk, ascii: false };
        let app = App::new(session, theme, "weir-house.may".into());
        Self { app, terminal: Terminal::new(TestBackend::new(width, height)).expect("a terminal") }
    }

    fn press(&mut self, code: KeyCode) -> Effect {
        run::key(&mut self.app, &KeyEvent::new(code, KeyModifiers::NONE), Instant::now())
    }

    fn typed(&mut self, text: &str) {
        for c in text.chars() {
            self.press(KeyCode::Char(c));
        }
    }

    /// One driven step: the key, and ticks until the keeper stands again.
    fn walk(&mut self, arrows: &[KeyCode]) {
        for a in arrows {
            self.press(*a);
            for _ in 0..4 {
                self.press(KeyCode::Char('n'));
            }
        }
    }

    fn shown(&mut self) -> String {
        self.app.catch_up();
        self.terminal.draw(|f| screen::draw(&mut self.app, f)).expect("it draws");
        self.terminal.backend().to_string()
    }

    /// The rows of the drawer.
    fn drawer(&mut self) -> String {
        self.shown().lines().skip(34).collect::<Vec<_>>().join("\n")
    }

    /// The keeper fills the can and lights the first lamp; the moment is that of the lamp.
    fn lit() -> Self {
        Self::lit_on(160, 47)
    }

    fn lit_on(width: u16, height: u16) -> Self {
        use KeyCode::{Left, Right, Up};
        let mut d = Self::new(width, height);
        d.press(KeyCode::Char('d'));
        d.walk(&[Up, Up, Left, Left, Right, Right, Right, Right, Up, Up, Up]);
        d.press(KeyCode::Esc);
        let rule = d.app.session.rule_named("light a lamp").expect("the rule");
        assert!(d.app.session.along_rule(rule, false), "a lamp was lit");
        d.app.follow();
        d
    }
}

#[test]
fn the_flight_view_at_the_lamp() {
    insta::assert_snapshot!(Desk::lit().shown());
}

#[test]
fn a_small_terminal_shows_one_pane_at_a_time() {
    let mut d = Desk::lit_on(80, 24);
    let cascade = d.shown();
    d.press(KeyCode::Tab);
    insta::assert_snapshot!(format!("{cascade}\n{}", d.shown()));
}

#[test]
fn the_drawer_shows_lanes_and_machines() {
    let mut d = Desk::lit();
    d.press(KeyCode::Char('l'));
    let lanes = d.drawer();
    d.press(KeyCode::Char('m'));
    d.press(KeyCode::Char('M'));
    insta::assert_snapshot!(format!("{lanes}\n{}", d.drawer()));
}

#[test]
fn then_and_now_stand_beside_each_other() {
    let mut d = Desk::lit();
    let edited = DEMO.replacen("    send bell(lamps_lit)", "    if lamps_lit > 2 { send bell(lamps_lit) }", 1);
    d.app.take_text(check::check("weir-house.may", &edited));
    while d.app.rerun.refly.is_some() {
        d.app.fly_again(Instant::now() + Duration::from_secs(1));
    }
    d.press(KeyCode::Char('t'));
    insta::assert_snapshot!(d.shown());
}

#[test]
fn why_a_rule_did_not_fire() {
    let mut d = Desk::lit();
    d.press(KeyCode::Char('r'));
    d.typed("shut rising");
    d.press(KeyCode::Enter);
    let s = d.shown();
    for said in [
        "Why not",
        "person presses wind near self within 2.5",
        "wind was not pressed yet",
        "keeper and sluice are",
        "sluice.gate is shut since tick 0",
    ] {
        assert!(s.contains(said), "{said} is not on\n{s}");
    }
}

#[test]
fn values_change_back_and_forward_with_the_moment() {
    let mut d = Desk::lit();
    assert!(d.shown().contains("lamps_lit       0 → 1"));
    // By ticks: out of the tick and back to its end.
    d.press(KeyCode::Char('b'));
    let before = d.shown();
    assert!(!before.contains("0 → 1") && before.contains("Lamps 0 of 5"), "{before}");
    d.press(KeyCode::Char('n'));
    assert!(d.shown().contains("lamps_lit       0 → 1"));
    // By actions: the first stop of the tick is the evaluation, before anything is written.
    for _ in 0..3 {
        d.press(KeyCode::Char(','));
    }
    let tick = d.app.session.moment.tick;
    let mut last = d.shown();
    while d.app.session.moment.tick == tick {
        last = d.shown();
        d.press(KeyCode::Char('b'));
    }
    assert!(last.contains("Lamps 0 of 5") && last.contains("light a lamp"), "{last}");
}

#[test]
fn every_key_of_the_table_does_something_and_nothing_panics_at_any_size() {
    for (w, h) in [(60, 16), (80, 24), (110, 30), (160, 47), (200, 60), (20, 5), (1, 1)] {
        let mut d = Desk::new(w, h);
        for row in TABLE.iter().filter(|r| r.command != Command::Quit) {
            for _ in 0..2 {
                if row.command.applies(&d.app) {
                    assert_eq!(d.app.update(row.command), Effect::None, "{}", row.name);
                    d.shown();
                    d.app.run_for(Duration::from_millis(100), Instant::now() + Duration::from_millis(5));
                    d.shown();
                }
                d.press(KeyCode::Esc);
            }
        }
    }
}

#[test]
fn a_key_that_means_nothing_says_so() {
    let mut d = Desk::new(160, 47);
    d.press(KeyCode::Char('Q'));
    assert!(d.shown().contains("Q does nothing here; ? shows the keys"));
    d.press(KeyCode::Char('Z'));
    assert!(d.shown().contains("Z is for the view Site: another size"));
    d.press(KeyCode::Char('.'));
    assert!(d.shown().contains("a tick is the largest step"));
}

#[test]
fn without_colours_and_in_plain_characters_all_is_there() {
    let mut d = Desk::lit();
    d.app.theme = Theme { palette: Palette::None, ascii: true };
    let s = d.shown();
    assert!(s.contains("* light a lamp") && s.contains("0 -> 1"), "{s}");
    let odd: Vec<char> = s.chars().filter(|c| !c.is_ascii()).collect();
    assert!(odd.is_empty(), "{odd:?}");
}

#[test]
fn the_mouse_seeks_on_the_timeline_and_takes_the_keys_to_a_pane() {
    use crossterm::event::{MouseButton, MouseEvent, MouseEventKind};
    let mut d = Desk::lit();
    d.shown();
    let at = |kind, column, row| MouseEvent { kind, column, row, modifiers: KeyModifiers::NONE };
    let click = MouseEventKind::Down(MouseButton::Left);
    assert!(mayfly_tui::mouse::take(&mut d.app, &at(click, 2, 2)));
    assert!(d.app.session.moment.tick < 10, "{:?}", d.app.session.moment);
    assert!(mayfly_tui::mouse::take(&mut d.app, &at(MouseEventKind::Drag(MouseButton::Left), 150, 2)));
    assert_eq!(d.app.session.moment.tick, d.app.session.last_tick(), "beyond the live edge is the live edge");
    assert!(mayfly_tui::mouse::take(&mut d.app, &at(click, 150, 10)));
    assert_eq!(d.app.flight.focus, mayfly_tui::app::Pane::Watches);
    assert!(mayfly_tui::mouse::take(&mut d.app, &at(MouseEventKind::ScrollDown, 80, 10)));
    assert_eq!(d.app.flight.focus, mayfly_tui::app::Pane::Cascade);
}
