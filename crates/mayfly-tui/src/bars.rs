//! The title above and the footer below.

use crate::app::{App, SPEEDS};
use crate::command::{Command, TABLE};
use crate::pen::{Hit, Pen};
use crate::theme::Role;
use crate::view::View;
use mayfly_lang::level::Level;
use ratatui::layout::Rect;
use ratatui::style::Modifier;
use unicode_width::UnicodeWidthStr;

/// The level that is flown; where nothing could be flown yet, as the text has it.
fn level(app: &App) -> &Level {
    let flown = &app.session.level;
    let text = app.work.known().filter(|_| flown.is_empty());
    text.map_or(flown, |a| a.draft())
}

/// The level's name and the views on the left, what the flight does on the right.
pub fn title(app: &App, pen: &mut Pen, area: Rect) {
    let bar = pen.style(Role::Bar);
    pen.tint(area.x, area.y, area.width, bar);
    let s = &app.session;
    // A long name takes a third at first, and then what is left.
    let name = pen.plain(&level(app).title).width() as u16 + NAME;
    let first = name.min(area.width / 3);
    let left = area.x + 1 + first + views_width(app, area);
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
    let count = |n: usize, word: &str| match n {
        0 => String::new(),
        1 => format!("1 {word} (!)  "),
        n => format!("{n} {word}s (!)  "),
    };
    let wrong = count(if app.work.is_told() { app.work.errors() } else { s.problems.len() }, "error");
    let found = count(s.findings.len(), "finding");
    let edited = if app.work.docs.is_changed() { "edited  " } else { "" };
    let driving = app.play.driving.map(|a| format!("driving {}  ", s.now.world.actors[a.index()].name));
    let driving = driving.unwrap_or_default();
    let parts = crate::flight::compare::badge(s, app.rerun.parts_at);
    let parts = if parts.is_empty() { parts } else { format!("   {parts}") };
    let short = |name: &str| match name.char_indices().nth(26) {
        Some((i, _)) => format!("{}…", &name[..i]),
        None => name.to_string(),
    };
    let branches = match s.branches.len() {
        0 => String::new(),
        n => format!("   branch \"{}\", 1 of {}", short(&s.branch), n + 1),
    };
    let speed = SPEEDS[app.play.speed].0;
    let room = area.right().saturating_sub(left + 2) as usize;
    let before = [&wrong, &found, edited, &driving, state].map(|t| pen.plain(t).width()).iter().sum::<usize>();
    // Where there is much to say, what never changes gives way, then what is told elsewhere too.
    let level = level(app);
    let seed = if s.history.seed == s.level.seed { level.seed } else { s.history.seed };
    let full = format!("   {speed}   {}/s   seed {seed}{branches}{parts} ", level.rate.0);
    let rests =
        [full, format!("   {speed}{parts}{branches} "), format!("{parts}{branches} "), format!("{parts} "), " ".into()];
    let fits = |r: &&String| before + pen.plain(r).width() <= room;
    let rest = rests.iter().find(fits).cloned().unwrap_or_else(|| " ".into());
    let rest_width = pen.plain(&rest).width();
    let found = if before + rest_width > room { String::new() } else { found };
    let width = [&wrong, &found, edited, &driving, state, &rest].map(|t| pen.plain(t).width()).iter().sum::<usize>();
    let spare = area.right().saturating_sub(width as u16 + left + 1);
    let named = first + spare.min(name - first);
    let pieces = [("mayfly", Role::Key), ("  ", Role::Dim), (&*level.title, Role::Strong), ("  ", Role::Dim)];
    let left = pen.run(area.x + 1, area.y, named, &pieces);
    let left = views(app, pen, left, area);
    let x = area.right().saturating_sub(width as u16).max(left + 1);
    let role = if app.play.running || ended.is_some() { Role::Fired } else { Role::Text };
    let pieces = [
        (wrong.as_str(), Role::Fault),
        (&found, Role::Held),
        (edited, Role::Written),
        (&driving, Role::Outside),
        (state, role),
        (&rest, Role::Dim),
    ];
    pen.run(x, area.y, area.right() - x, &pieces);
}

/// Columns from which on each view stands with its name.
const WIDE: u16 = 110;
/// Columns before the level's name and behind it.
const NAME: u16 = 10;

/// How many columns [`views`] takes.
fn views_width(app: &App, area: Rect) -> u16 {
    let wide = area.width >= WIDE;
    let one = |v: View| {
        let name = if wide || v == app.view { v.name().len() + 1 } else { 0 };
        view_key(app, v).len() + name + 2
    };
    View::ALL.into_iter().map(one).sum::<usize>() as u16 + u16::from(wide)
}

fn view_key(app: &App, v: View) -> String {
    app.keys.of_command(match v {
        View::Site => Command::ViewSite,
        View::Script => Command::ViewScript,
        View::Flight => Command::ViewFlight,
    })
}

/// The views with their keys, the present one lit; gives the column behind them.
fn views(app: &App, pen: &mut Pen, x: u16, area: Rect) -> u16 {
    let wide = area.width >= WIDE;
    let mut at = x + u16::from(wide);
    for v in View::ALL {
        let here = v == app.view;
        let begins = at;
        let key = view_key(app, v);
        let name = format!("{key} {}", v.name());
        if here {
            let (l, r) = (pen.theme.glyph("▐", "["), pen.theme.glyph("▌", "]"));
            at = pen.say(at, area.y, 1, l, Role::Key);
            let style = pen.style(Role::Key).add_modifier(Modifier::REVERSED);
            at = pen.put(at, area.y, name.len() as u16, &name, style);
            at = pen.say(at, area.y, 1, r, Role::Key);
        } else {
            let shown = if wide { format!(" {name} ") } else { format!(" {key} ") };
            at = pen.say(at, area.y, shown.len() as u16, &shown, Role::Dim);
        }
        pen.hits.push((Rect { x: begins, y: area.y, width: at - begins, height: 1 }, Hit::View(v)));
    }
    at
}

/// The keys that matter while one reads, or types.
fn script_rows(app: &App, rows: &mut Vec<(u8, &str, String)>) {
    let of = |c: Command| app.keys.of_command(c);
    if app.script.typing {
        rows.clear();
        rows.extend([(1, "reads", of(Command::Leave)), (2, "takes the proposal", "Tab".into())]);
        rows.extend([
            (3, "other", "Ctrl+n p".into()),
            (5, "undo", of(Command::Undo)),
            (6, "find", of(Command::FindText)),
        ]);
        rows.push((7, "copy, cut, paste", "Ctrl+c x v".into()));
    } else {
        rows.retain(|(_, w, _)| matches!(*w, "type" | "run" | "pause" | "next" | "back" | "why" | "commands" | "keys"));
        rows.extend([(8, "definition", of(Command::Definition)), (9, "uses", of(Command::Uses))]);
        rows.push((9, "rename", of(Command::Rename)));
    }
    if app.work.docs.is_changed() {
        rows.push((4, "save", of(Command::Save)));
    }
    if app.problem_here().is_some_and(|p| p.what.fix.is_some()) {
        rows.push((0, "fix", of(Command::TakeFix)));
    } else if app.work.errors() > 0 {
        rows.push((0, "next error", of(Command::NextProblem)));
    }
}

/// The few keys that matter now, and what just happened.
pub fn footer(app: &App, pen: &mut Pen, area: Rect) {
    let bar = pen.style(Role::Bar);
    pen.tint(area.x, area.y, area.width, bar);
    // What is wrong in the line of the caret is said where nothing else is.
    let wrong = app.problem_here().filter(|_| app.view == View::Script && app.message.0.is_empty());
    let wrong = wrong.map(|p| (format!("{}; {}", p.what.message, p.what.help), p.is_error()));
    let (text, bad) = wrong.as_ref().unwrap_or(&app.message);
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
    if app.is_folded && app.view == View::Flight {
        rows.push((6, "panes", "Tab".into()));
    }
    if app.view == View::Script {
        script_rows(app, &mut rows);
    }
    let tool = app.site.tool.hint().filter(|_| app.view == View::Site);
    if let Some((_, keys)) = &tool {
        rows.clear();
        rows.extend(keys.iter().enumerate().map(|(i, (key, word))| (i as u8 + 1, *word, (*key).to_string())));
    } else if app.view == View::Site {
        rows.retain(|(at, w, _)| {
            matches!(*w, "change" | "add" | "lay tiles" | "move" | "copy" | "first rule") || *at >= 11
        });
        if app.work.docs.is_changed() {
            rows.extend([
                (7, "undo", app.keys.of_command(Command::Undo)),
                (8, "save", app.keys.of_command(Command::Save)),
            ]);
        }
    }
    rows.sort_by_key(|(at, _, _)| *at);
    let width_of = |pen: &Pen, word: &str, key: &str| (pen.plain(key).width() + word.width() + 1) as u16;
    // The way to all other keys stays, whatever else finds no room.
    let last: u16 = rows.iter().filter(|(at, _, _)| *at >= 12).map(|(_, w, k)| width_of(pen, w, k) + 2).sum();
    let mut at = area.x + 1;
    if let Some((what, _)) = &tool {
        at = pen.say(at, area.y, room, what, Role::Fired) + 3;
    }
    for (place, word, key) in rows {
        let width = width_of(pen, word, &key);
        let kept = if place >= 12 { 0 } else { last };
        if at - area.x - 1 + width + kept > room {
            continue;
        }
        at = pen.run(at, area.y, width, &[(&key, Role::Key), (" ", Role::Dim), (word, Role::Dim)]) + 2;
    }
}
