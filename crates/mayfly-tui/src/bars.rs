//! The title above and the footer below.

use crate::app::{App, SPEEDS};
use crate::commands::TABLE;
use crate::pen::Pen;
use crate::theme::Role;
use mayfly_session::session::At;
use ratatui::layout::Rect;
use unicode_width::UnicodeWidthStr;

/// The level's name on the left, what the flight does on the right.
pub fn title(app: &App, pen: &mut Pen, area: Rect) {
    let bar = pen.style(Role::Bar);
    pen.tint(area.x, area.y, area.width, bar);
    let s = &app.session;
    let found = match s.findings.len() {
        0 => String::new(),
        1 => "  1 finding (!)".into(),
        n => format!("  {n} findings (!)"),
    };
    let wrong = match s.problems.len() {
        0 => String::new(),
        1 => "  1 problem on disk (!)".into(),
        n => format!("  {n} problems on disk (!)"),
    };
    pen.run(
        area.x + 1,
        area.y,
        area.width / 2,
        &[
            ("mayfly", Role::Key),
            ("  ", Role::Dim),
            (&s.level.title, Role::Strong),
            (&wrong, Role::Fault),
            (&found, Role::Held),
        ],
    );
    let live = s.is_live();
    let ended = s.history.live().ended.as_ref().filter(|_| live);
    let ended = ended.map(|e| format!("{} at tick {}", if e.win { "won" } else { "lost" }, e.tick));
    let state = match (app.play.running, ended.is_some()) {
        (_, true) => ended.as_deref().unwrap_or_default(),
        (true, _) if live => "running",
        (true, _) => "replaying",
        _ if app.play.seeking.is_some() => "on the way",
        _ if live => "paused at the live edge",
        _ => "paused in the past",
    };
    let driving =
        app.play.driving.map_or(String::new(), |a| format!("driving {}  ", s.now.world.actors[a.index()].name));
    let parts = crate::flight::compare::badge(s, app.parts_at);
    let parts = if parts.is_empty() { parts } else { format!("   {parts}") };
    let short = |name: &str| match name.char_indices().nth(26) {
        Some((i, _)) => format!("{}…", &name[..i]),
        None => name.to_string(),
    };
    let courses = match s.courses.len() {
        0 => String::new(),
        n => format!("   branch \"{}\", 1 of {}", short(&s.course), n + 1),
    };
    let speed = SPEEDS[app.play.speed].0;
    let rest = format!("   {speed}   {}/s   seed {}{courses}{parts} ", s.level.rate.0, s.history.seed);
    let fixed = pen.plain(&driving).width() + state.width();
    // Where there is much to say, what never changes gives way.
    let room = (area.width - area.width / 3) as usize;
    let rest = if fixed + pen.plain(&rest).width() > room { format!("   {speed}{parts}{courses} ") } else { rest };
    let width = (fixed + pen.plain(&rest).width()) as u16;
    let x = area.right().saturating_sub(width).max(area.x + area.width / 3);
    let role = if app.play.running || ended.is_some() { Role::Fired } else { Role::Text };
    pen.run(x, area.y, area.right() - x, &[(&driving, Role::Outside), (state, role), (&rest, Role::Dim)]);
}

/// Where the moment stands, in words.
pub fn position(app: &App) -> Vec<(String, Role)> {
    let s = &app.session;
    let t = s.moment.tick;
    let c = &s.now.cascade;
    let mut out = vec![("step size ".to_string(), Role::Dim), (s.step_size.name().to_string(), Role::Strong)];
    let seconds = t as f64 / f64::from(s.level.rate.0);
    let tick = if s.moment.at == At::Start { format!("before {t}") } else { t.to_string() };
    out.extend([("  tick ".into(), Role::Dim), (tick, Role::Fired), (format!("  {seconds:.2}s"), Role::Dim)]);
    if let Some(rung) = s.rung_here().and_then(|n| c.rung(n)) {
        let all = c.rungs().count();
        out.extend([
            ("  round ".into(), Role::Dim),
            (rung.round.to_string(), Role::Strong),
            (format!(" of {}  rung ", c.rounds), Role::Dim),
            (rung.number.to_string(), Role::Fired),
            (format!(" of {all}"), Role::Dim),
        ]);
    }
    out
}

/// The few keys that matter now, and what just happened.
pub fn footer(app: &App, pen: &mut Pen, area: Rect) {
    let bar = pen.style(Role::Bar);
    pen.tint(area.x, area.y, area.width, bar);
    let (text, bad) = &app.message;
    let mut room = area.width - 2;
    if !text.is_empty() {
        let wanted = pen.plain(text).width() as u16 + 1;
        let width = if wanted > area.width * 3 / 5 { area.width - 2 } else { wanted };
        let role = if *bad { Role::Fault } else { Role::Text };
        pen.say(area.right() - width - 1, area.y, width, text, role);
        room = room.saturating_sub(width + 2);
    }
    let mut rows: Vec<(u8, &str, String)> = TABLE
        .iter()
        .filter(|r| r.footer > 0 && r.command.applies(app))
        .map(|r| {
            let word = if r.footer == 1 && app.play.running { "pause" } else { r.short };
            (r.footer, word, app.keys.of(r).first().map_or(String::new(), ToString::to_string))
        })
        .collect();
    if app.play.driving.is_some() {
        rows.retain(|(_, w, _)| matches!(*w, "run" | "pause" | "next" | "back" | "commands" | "keys"));
        rows.push((0, "walk", pen.theme.glyph("←↑↓→", "arrows").to_string()));
        for i in app.session.level.inputs.iter().skip(4).take(3) {
            rows.push((0, &i.name, i.key.clone()));
        }
        rows.push((5, "close", "Esc".into()));
    }
    if app.is_folded {
        rows.push((6, "panes", "Tab".into()));
    }
    rows.sort_by_key(|(at, _, _)| *at);
    let width_of = |pen: &Pen, word: &str, key: &str| (pen.plain(key).width() + word.width() + 1) as u16;
    // The way to all other keys stays, whatever else finds no room.
    let last: u16 = rows.iter().filter(|(at, _, _)| *at >= 12).map(|(_, w, k)| width_of(pen, w, k) + 2).sum();
    let mut at = area.x + 1;
    for (place, word, key) in rows {
        let width = width_of(pen, word, &key);
        let kept = if place >= 12 { 0 } else { last };
        if at - area.x - 1 + width + kept > room {
            continue;
        }
        at = pen.run(at, area.y, width, &[(&key, Role::Key), (" ", Role::Dim), (word, Role::Dim)]) + 2;
    }
}
