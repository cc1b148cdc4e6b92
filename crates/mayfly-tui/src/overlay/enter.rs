//! What a typed line does: a place to go to, something to watch, a poke, a mark.
//!
//! Invariant: a line that is wrong changes nothing and says what is wrong with it.

use super::watch;
use crate::app::Goal;
use crate::app::LineFor;
use crate::app::{App, Pane};
use crate::refused::Refused;
use mayfly_session::values::Needs;
use std::time::Duration;

/// How far ahead one can go at once.
const MAX_AHEAD: u64 = 10_000_000;

/// What is found so soon is shown in the next frame; what takes longer goes on between frames.
const AT_ONCE: Duration = Duration::from_millis(80);

pub fn entered(app: &mut App, what: LineFor, typed: &str) -> Result<(), Refused> {
    let raw = typed;
    let typed = typed.trim();
    if what == LineFor::Filter {
        let which = usize::from(app.flight.focus == Pane::Watches);
        app.flight.filter[which] = typed.to_lowercase();
        let shown = app.visible_rungs();
        if which == 0 && !app.flight.selected.is_some_and(|n| shown.contains(&n)) {
            app.flight.selected = shown.first().copied();
            app.flight.answer = None;
        }
        app.select_shown_watch();
        return Ok(());
    }
    if what == LineFor::ReplaceText {
        app.ask_replace(raw);
        return Ok(());
    }
    if typed.is_empty() && what == LineFor::Site {
        return app.site_entered(typed);
    }
    if typed.is_empty() {
        return Ok(());
    }
    match what {
        LineFor::Watch => return watch(app, typed).map_err(|e| compared(typed).unwrap_or(e)),
        LineFor::Poke => return app.poke(typed).map_err(|e| one_at_a_time(typed).unwrap_or(e)),
        LineFor::Stop => return app.toggle_stop(typed).map_err(|e| compared(typed).unwrap_or(e)),
        LineFor::NameBranch => {
            app.session.branch = typed.into();
            app.say(format!("this branch is {typed}"));
            return Ok(());
        }
        LineFor::FindText => {
            app.script.find = raw.into();
            app.next_match(true);
            return Ok(());
        }
        LineFor::Rename => return app.rename_to(typed),
        LineFor::SaveAs => return app.save_as(typed),
        LineFor::NewLevel => return app.begin_level(typed),
        LineFor::NewFile => return app.new_file(typed),
        LineFor::Site => return app.site_entered(typed),
        LineFor::Filter | LineFor::ReplaceText => return Ok(()),
        LineFor::GoTo => {}
    }
    if let Some(n) = typed.strip_prefix("line ").and_then(|n| n.trim().parse::<usize>().ok()) {
        app.show_view(crate::view::View::Script);
        return app.show_line(n);
    }
    app.play.running = false;
    let rate = app.session.level.rate;
    let turn = typed.strip_prefix("loop ").or(typed.strip_prefix("turn "));
    if let Some(turn) = turn.and_then(|n| n.trim().parse::<u64>().ok()) {
        let rung = app.selected_rung().ok_or(Refused::NoLoop)?;
        if !app.session.go_to_turn(rung, turn) {
            return Err(Refused::NoRound(turn));
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
    let near = app.patience.within(AT_ONCE);
    if let Some(tick) = tick {
        if tick > app.session.last_tick() + MAX_AHEAD {
            return Err(Refused::TooFar);
        }
        app.about_to_jump();
        app.seek(Goal::Tick(tick), near);
        return Ok(());
    }
    let (expr, ty) = mayfly_lang::check::expression(&app.session.level, typed)
        .map_err(|d| compared(typed).unwrap_or(Refused::Expression(d)))?;
    if ty != mayfly_lang::types::Ty::Flag {
        return Err(Refused::NoGoal);
    }
    let needs = Needs::of(&expr);
    app.about_to_jump();
    app.seek(Goal::True(Box::new(expr), needs, typed.into()), near);
    Ok(())
}

/// Runs the level on until what was typed before is true.
pub fn seek_on(app: &mut App, typed: &str) {
    match mayfly_lang::check::expression(&app.session.level, typed) {
        Ok((expr, _)) => {
            let needs = Needs::of(&expr);
            let near = app.patience.within(AT_ONCE);
            app.seek_on(expr, needs, typed.into(), near);
        }
        Err(d) => app.say_error(d.message),
    }
}

/// Where a test is wanted and a value is written: how it is compared.
fn compared(typed: &str) -> Option<Refused> {
    let lone = |i: usize| {
        let sign = |c: Option<char>| c.is_some_and(|c| "=<>!+-*/".contains(c));
        !sign(typed[..i].chars().next_back()) && !sign(typed[i + 1..].chars().next())
    };
    let at = typed.match_indices('=').map(|(i, _)| i).find(|i| lone(*i))?;
    let (name, value) = (typed[..at].trim(), typed[at + 1..].trim());
    Some(Refused::Compare { name: name.into(), value: value.into() })
}

/// Where one action is wanted and several are written: which is the first.
fn one_at_a_time(typed: &str) -> Option<Refused> {
    let mut depth = 0i32;
    let mut in_text = false;
    for (i, c) in typed.char_indices() {
        match c {
            '"' => in_text = !in_text,
            '{' | '(' | '[' if !in_text => depth += 1,
            '}' | ')' | ']' if !in_text => depth -= 1,
            ';' if !in_text && depth == 0 && !typed[i + 1..].trim().is_empty() => {
                return Some(Refused::Several { first: typed[..i].trim().into() });
            }
            _ => {}
        }
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_meant_is_told() {
        assert_eq!(
            compared("lamps_lit = 3").map(|e| e.to_string()).as_deref(),
            Some("to compare, write `lamps_lit == 3`; `p` then `lamps_lit = 3` writes it")
        );
        assert!(compared("lamps_lit == 3").is_none() && compared("n >= 3").is_none() && compared("n").is_none());
        assert_eq!(
            one_at_a_time("n = 1; m = 2").map(|e| e.to_string()).as_deref(),
            Some("one action at a time: `n = 1` first")
        );
        for one in ["if n > 1 { n = 1; m = 2 }", "tell \"a; b\"", "n = 1;", "n = 1"] {
            assert!(one_at_a_time(one).is_none(), "{one}");
        }
    }
}
