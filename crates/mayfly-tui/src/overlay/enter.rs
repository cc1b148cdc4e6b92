//! What a typed line does: a place to go to, something to watch, a poke, a mark.
//!
//! Invariant: a line that is wrong changes nothing and says what is wrong with it.

use super::{LineFor, watch};
use crate::app::{App, Pane};
use mayfly_base::Value;
use mayfly_lab::session::{At, Moment};
use std::time::{Duration, Instant};

/// Ticks that a search runs the level on.
const SEARCH: u64 = 10_000_000;

/// How long a search or a way to a far tick may take before it asks whether to go on.
const PATIENCE: Duration = Duration::from_secs(2);

pub fn entered(app: &mut App, what: LineFor, typed: &str) -> Result<(), String> {
    let typed = typed.trim();
    if what == LineFor::Filter {
        let which = usize::from(app.focus == Pane::Watches);
        app.filter[which] = typed.to_lowercase();
        let shown = app.visible_rungs();
        if which == 0 && !app.selected.is_some_and(|n| shown.contains(&n)) {
            app.selected = shown.first().copied();
            app.answer = None;
        }
        return Ok(());
    }
    if typed.is_empty() {
        return Ok(());
    }
    match what {
        LineFor::Watch => return watch(app, typed),
        LineFor::Poke => return app.poke(typed),
        LineFor::Stop => return app.toggle_stop(typed),
        LineFor::NameCourse => {
            app.session.course = typed.into();
            app.say(format!("this course is {typed}"));
            return Ok(());
        }
        LineFor::Filter => return Ok(()),
        LineFor::GoTo => {}
    }
    app.running = false;
    let rate = app.session.level.rate;
    if let Some(turn) = typed.strip_prefix("turn ").and_then(|n| n.trim().parse::<u64>().ok()) {
        let rung = app.selected_rung().ok_or("select a rung that has a loop first")?;
        if !app.session.go_to_turn(rung, turn) {
            return Err(format!("the selected rung has no turn {turn}"));
        }
        app.follow();
        return Ok(());
    }
    // `+` counts from the moment on.
    let (on, text) = match typed.strip_prefix('+') {
        Some(rest) => (app.session.moment.tick, rest.trim()),
        None => (0, typed),
    };
    let tick = match text.parse::<u64>() {
        Ok(t) => Some(t),
        Err(_) => mayfly_lang::check::duration(text, rate).filter(|d| *d >= 0).map(|d| rate.ticks_from_zero(d)),
    };
    let tick = tick.map(|t| t.saturating_add(on));
    if let Some(tick) = tick {
        if tick > app.session.last_tick() + 10_000_000 {
            return Err("that lies more than 10,000,000 ticks ahead".into());
        }
        let end = Instant::now() + PATIENCE;
        let reached = app.session.go_to_tick(tick, || Instant::now() < end);
        app.follow();
        if reached < tick && app.session.has_ended() {
            app.say(format!("the level ended at tick {reached}"));
        } else if reached < tick {
            return Err(format!("at tick {reached} by now; Enter goes on"));
        }
        return Ok(());
    }
    search(app, typed)
}

/// The next moment at which an expression is true: in the flight, then by running on.
fn search(app: &mut App, typed: &str) -> Result<(), String> {
    let (expr, ty) =
        mayfly_lang::check::expression(&app.session.level, typed).map_err(|d| format!("{}; {}", d.message, d.help))?;
    if ty != mayfly_lang::types::Ty::Flag {
        return Err("write a tick, a time such as 31.7s, or something that is true or false".into());
    }
    let s = &mut app.session;
    let engine = s.engine.clone();
    let holds = |world: &mayfly_engine::World| {
        mayfly_lab::values::of(&engine, world, &expr, None, &[]) == Ok(Value::Flag(true))
    };
    let from = s.moment.tick + 1;
    let mut found = None;
    let live = s.history.live_tick();
    s.history.scan(&engine, from, live, |tick, _, world| {
        if holds(world) {
            found = Some(tick);
        }
        found.is_some()
    });
    let end = Instant::now() + PATIENCE;
    if found.is_none() {
        found = s.run_until(SEARCH, || Instant::now() < end, holds);
    }
    match found {
        Some(tick) => app.go(Moment { tick, at: At::End }),
        None => {
            let last = app.session.last_tick();
            app.go(Moment { tick: last, at: At::End });
            return Err(if app.session.has_ended() {
                "not true before the level ends".into()
            } else {
                format!("not true up to tick {last}; Enter searches on")
            });
        }
    }
    Ok(())
}
