//! The figures of the screen: a frame, the first one, and an edit flown again.
//!
//! Not here: the terminal's own speed. What a frame costs is what leads to the bytes that are written.

use crate::{TURNS, median, say, timed};
use mayfly_session::reload::Reloaded;
use mayfly_session::moment::{At, Moment};
use mayfly_session::session::Session;
use mayfly_lang::check;
use mayfly_tui::app::App;
use mayfly_tui::screen;
use mayfly_tui::theme::{Palette, Theme};
use ratatui::backend::CrosstermBackend;
use ratatui::layout::Rect;
use ratatui::{Terminal, TerminalOptions, Viewport};
use std::cell::Cell;
use std::io::Write;
use std::rc::Rc;

pub const DEMO: &str = include_str!("../../examples/weir-house.may");

pub type Screen = Terminal<CrosstermBackend<Counter>>;

/// Counts the bytes of a frame.
#[derive(Clone, Default)]
pub struct Counter(Rc<Cell<usize>>);

impl Write for Counter {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.0.set(self.0.get() + bytes.len());
        Ok(bytes.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

fn terminal(counter: &Counter) -> Screen {
    let size = Rect::new(0, 0, 160, 47);
    Terminal::with_options(CrosstermBackend::new(counter.clone()), TerminalOptions { viewport: Viewport::Fixed(size) })
        .expect("a terminal in memory")
}

/// A terminal of which nobody sees anything.
pub fn in_memory() -> Screen {
    terminal(&Counter::default())
}

pub fn opened(text: &str) -> App {
    let c = check::check("weir-house.may", text);
    let session = Session::new(c.sources, c.level.expect("the demo loads"));
    App::new(session, Theme { palette: Palette::Dusk, ascii: false }, "weir-house.may".into())
}

pub fn draw(t: &mut Screen, app: &mut App) {
    t.draw(|f| screen::draw(app, f)).expect("it draws");
}

pub fn frames() {
    let first: Vec<_> = (0..TURNS).map(|_| timed(|| draw(&mut terminal(&Counter::default()), &mut opened(DEMO))).0).collect();
    say("the demo is read, checked, begun, and the first frame drawn", median(first) * 1e3, " ms", "at most 60");

    let mut app = opened(DEMO);
    app.session.run_ticks(10_000, || true);
    let counter = Counter::default();
    let mut times = vec![];
    for i in 0..200u64 {
        let tick = i * 7919 % app.session.last_tick();
        app.session.go(Moment { tick, at: At::End });
        app.follow();
        // Nothing of the frame before is there: every cell is written.
        let mut t = terminal(&counter);
        counter.0.set(0);
        let time = timed(|| draw(&mut t, &mut app)).0;
        assert!(counter.0.get() > 3000, "a whole frame is written");
        times.push(time);
    }
    times.sort();
    say("one frame at 160x47, every cell written, 99th percentile", times[197].as_secs_f64() * 1e3, " ms", "at most 4");
}

/// An edit that makes the flight another one in the midst of it.
pub fn reflying() {
    let edited = DEMO.replacen("lamps_lit += 1", "lamps_lit += 2", 1);
    assert_ne!(edited, DEMO);
    let mut times = vec![];
    for _ in 0..TURNS {
        let mut app = opened(&DEMO.replace("lose ", "log ").replace("win ", "log "));
        let edited = edited.replace("lose ", "log ").replace("win ", "log ").replace("walk heron", "walk  heron");
        app.session.run_ticks(9_999, || true);
        let mut t = terminal(&Counter::default());
        let (time, ticks) = timed(|| {
            let Reloaded::Begun(mut refly) = app.session.reload(check::check("weir-house.may", &edited)) else {
                panic!("the edit loads")
            };
            assert!(refly.fly(|| true));
            let ticks = refly.finish(&mut app.session, &mut vec![]);
            app.session.parts_at();
            draw(&mut t, &mut app);
            ticks
        });
        assert_eq!(ticks, 10_000);
        times.push(time);
    }
    say("an edit is checked, 10,000 ticks are flown again, and shown", median(times) * 1e3, " ms", "at most 150");
}
