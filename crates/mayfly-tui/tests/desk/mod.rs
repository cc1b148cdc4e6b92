//! The application without a terminal of its own: keys, clicks, and what is to be seen.

use crossterm::event::{KeyCode, KeyEvent, KeyModifiers, MouseEvent, MouseEventKind};
use mayfly_lang::check;
use mayfly_session::session::Session;
use mayfly_tui::app::{App, Effect};
use mayfly_tui::theme::{Palette, Theme};
use mayfly_tui::{mouse, overlay, run, screen};
use proptest::test_runner::{Config as ProptestConfig, FileFailurePersistence, RngSeed};
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use std::time::{Duration, Instant};

/// A small level with something of everything.
/// The same deeds each time: `MAYFLY_MONKEY` says how many lists of them, `MAYFLY_SEED` which. A list that does harm is kept
/// beside the test, and tried first from then on.
pub fn seeded(test: &str, lists: u32) -> ProptestConfig {
    let number = |name: &str| std::env::var(name).ok().and_then(|n| n.parse::<u64>().ok());
    let kept: &'static str = format!("{}/tests/{test}.regressions", env!("CARGO_MANIFEST_DIR")).leak();
    ProptestConfig {
        cases: number("MAYFLY_MONKEY").map_or(lists, |n| n as u32),
        rng_seed: RngSeed::Fixed(number("MAYFLY_SEED").unwrap_or(7)),
        failure_persistence: Some(Box::new(FileFailurePersistence::Direct(kept))),
        ..ProptestConfig::default()
    }
}

pub const LEVEL: &str = r#"level "Landing" { rate 20; seed 7 }
tiles { '#' piles solid opaque; '_' boards }
map """
############
#__________#
#__________#
############
"""
input wind = "e"
message bell(pitch: number)
timer flood = 60s running
kind person { steered; look "◉" amber; speed 6; var oil = 3 }
kind lamp { var lit = false }
kind sluice {
  look "╪"
  machine gate { start shut
    state shut { to open when hears bell(pitch) if pitch > 0 }
    state open { to shut after 2s }
  }
}
place keeper: person at (1, 1)
place helper: person at (1, 2)
place lamp at (4, 1), (7, 1)
place weir: sluice at (9, 2)
zone jetty = rect (3, 1) 2 x 1
var lamps_lit = 0
var warmth = 90
rule "light a lamp" {
  when person touches lamp
  if not lamp.lit
  if person.oil > 0
  then { lamp.lit = true; lamps_lit += 1; person.oil -= 1; send bell(lamps_lit) }
}
rule "the cold" { when every 1s; then { warmth -= 1; cue "wind {random(1, 9)}" } }
rule "at the jetty" { when person enters jetty; once; then { for i in 1..3 { warmth += i }; tell "Mind the boards." } }
rule "hear" { when hears bell(p); then { cue "bell {p}" } }
"#;

pub struct Desk {
    pub app: App,
    pub terminal: Terminal<TestBackend>,
}

impl Desk {
    pub fn of(text: &str) -> Self {
        let c = check::check("landing.may", text);
        Self::with(Session::new(c.sources, c.level.expect("it loads")))
    }

    /// A desk before a flight.
    pub fn with(session: Session) -> Self {
        let app = App::new(session, Theme { palette: Palette::Dusk, ascii: false }, "landing.may".into());
        let mut desk = Self { app, terminal: Terminal::new(TestBackend::new(160, 47)).expect("a terminal") };
        desk.shown();
        desk
    }

    pub fn shown(&mut self) -> String {
        self.app.catch_up();
        self.terminal.draw(|f| screen::draw(&mut self.app, f)).expect("it draws");
        // What is bright and what is selected counts too.
        format!("{:?}", self.terminal.backend().buffer())
    }

    /// Every cell of the screen with its style.
    pub fn seen(&mut self) -> Vec<ratatui::buffer::Cell> {
        self.app.catch_up();
        self.terminal.draw(|f| screen::draw(&mut self.app, f)).expect("it draws");
        self.terminal.backend().buffer().content.clone()
    }

    pub fn text(&mut self) -> String {
        self.seen();
        self.terminal.backend().to_string()
    }

    pub fn key(&mut self, code: KeyCode) -> Effect {
        run::key(&mut self.app, &KeyEvent::new(code, KeyModifiers::NONE), Instant::now())
    }

    /// A letter with the control key.
    pub fn control(&mut self, c: char) {
        let key = KeyEvent::new(KeyCode::Char(c), KeyModifiers::CONTROL);
        if self.app.overlays.is_empty() {
            run::key(&mut self.app, &key, Instant::now());
        } else {
            overlay::key(&mut self.app, &key);
        }
    }

    pub fn press(&mut self, keys: &str) {
        for c in keys.chars() {
            self.key(KeyCode::Char(c));
        }
    }

    pub fn says(&mut self, key: char, text: &str) {
        self.key(KeyCode::Char(key));
        self.press(text);
        self.key(KeyCode::Enter);
        for _ in 0..40 {
            let until = Instant::now() + Duration::from_millis(50);
            if !self.app.seek_for(until) && self.app.play.seeking.is_none() {
                break;
            }
        }
    }

    pub fn mouse(&mut self, kind: MouseEventKind, (column, row): (u16, u16)) {
        let m = MouseEvent { kind, column, row, modifiers: KeyModifiers::NONE };
        if self.app.overlays.is_empty() {
            mouse::take(&mut self.app, &m);
        } else {
            overlay::mouse(&mut self.app, &m);
        }
    }

    /// Another size of the terminal.
    pub fn sized(mut self, columns: u16, rows: u16) -> Self {
        self.terminal = Terminal::new(TestBackend::new(columns, rows)).expect("a terminal");
        self.seen();
        self
    }

    /// Where a text stands on the screen: column and row.
    pub fn find(&mut self, text: &str) -> (u16, u16) {
        let screen = self.text();
        let found = screen.lines().enumerate().find_map(|(y, l)| {
            // A row of the backend stands in quotes.
            let l = l.trim_start_matches('"');
            l.find(text).map(|i| (l[..i].chars().count() as u16, y as u16))
        });
        found.unwrap_or_else(|| panic!("{text} is not on\n{screen}"))
    }
}
