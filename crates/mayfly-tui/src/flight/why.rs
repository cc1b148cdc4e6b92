//! The drawer: why the selected rung did what it did, why a rule did not fire, or who wrote a value.
//!
//! Invariant: it shows the answer that the application keeps; it asks nothing itself.

use super::links;
use crate::app::{Answer, App, Asked, Drawer, Pane};
use crate::pen::{Hit, Pen};
use crate::theme::Role;
use crate::wrapping::{Pieces, wrap, wrapped};
use mayfly_base::{RuleId, Span};
use mayfly_session::cascade::Mark;
use mayfly_session::explain::ClauseSeen;
use mayfly_session::session::Session;
use mayfly_session::things::Thing;
use mayfly_session::why::{Link, LinkKind, Why};
use mayfly_session::why_not::WhyNot;
use ratatui::layout::Rect;
use ratatui::style::Modifier;
use unicode_width::UnicodeWidthStr;

/// A line of pieces, each with its role.
type Said = Pieces;

/// The drawer is parted in two where it is as wide as this.
const TWO_COLUMNS: u16 = 110;

fn answer(app: &App) -> &Answer {
    app.flight.answer.as_ref().map_or(&Answer::Nothing, |(_, _, a)| a)
}

pub fn title(app: &App) -> (&'static str, String) {
    match app.flight.drawer {
        Drawer::Lanes => return ("Lanes", super::lanes::facts(app)),
        Drawer::Machine => return ("Machine", super::machine::facts(app)),
        Drawer::Why => {}
    }
    if shows_changes(app) {
        return ("Changed lines", "of the text, since the last edit".into());
    }
    match answer(app) {
        Answer::Why(w) => ("Why", format!("{} {}  {}", w.label, w.title, w.mark.word())),
        // What was evaluated here is told, not denied.
        Answer::WhyNot(w) => match &w.here {
            Some(here) => ("Why", format!("{}  {} here, as {}", w.title, here.mark.word(), w.here_as.join(", "))),
            None => ("Why not", w.title.clone()),
        },
        Answer::Watch(i) => ("Why", app.session.watches.get(*i).map_or(String::new(), |w| w.text.clone())),
        Answer::About(name, _) => ("Why", name.clone()),
        Answer::Nothing => match (last(app), app.last_before()) {
            (Some(w), Some(l)) => {
                ("Why", format!("{} {}  {} at tick {}, {}", w.label, w.title, w.mark.word(), l.tick, app.ago(l.tick)))
            }
            _ => ("Why", String::new()),
        },
    }
}

/// Two texts are compared, and nothing else is asked: their lines are shown.
fn shows_changes(app: &App) -> bool {
    app.flight.comparing && app.flight.asked.is_none() && app.session.beside.is_none()
}

/// The last firing before a quiet tick.
fn last(app: &App) -> Option<&Why> {
    app.last_before().filter(|_| app.is_quiet()).and_then(|l| l.why.as_ref())
}

/// The role of what is no longer so.
fn past(role: Role) -> Role {
    match role {
        Role::Text | Role::Strong => Role::Dim,
        Role::Dim => Role::Faint,
        other => other,
    }
}

pub fn draw(app: &App, pen: &mut Pen, area: Rect) {
    match app.flight.drawer {
        Drawer::Lanes => return super::lanes::draw(app, pen, area),
        Drawer::Machine => return super::machine::draw(app, pen, area),
        Drawer::Why => {}
    }
    let left = Rect { width: column(app, area.width), ..area };
    let top = area.y + u16::from(area.height > 8);
    let height = area.bottom().saturating_sub(top) as usize;
    let (rows, _) = links::linked(app, lines(app, left.width));
    let from = (app.flight.why_scroll as usize).min(rows.len().saturating_sub(height));
    let focus = app.flight.focus == Pane::Why;
    for (i, row) in rows.iter().skip(from).take(height).enumerate() {
        let y = top + i as u16;
        let mut x = area.x;
        for (text, role, link) in row {
            let begins = x;
            let mut style = pen.style(*role);
            if focus && link.is_some() {
                style = style.add_modifier(Modifier::UNDERLINED);
            }
            if focus && link.is_some() && *link == app.flight.link_at {
                style = style.patch(pen.style(Role::Selected)).add_modifier(Modifier::BOLD);
            }
            x = pen.put(x, y, left.right().saturating_sub(x), text, style);
            if let Some(n) = link {
                pen.hits.push((Rect { x: begins, y, width: x - begins, height: 1 }, Hit::Link(*n)));
            }
        }
    }
    pen.more_below(area, rows.len().saturating_sub(from + height));
    if left.width < area.width {
        let x = left.right() + 2;
        own_text(app, pen, Rect { x, y: top, width: area.right().saturating_sub(x), height: height as u16 });
    }
}

/// Columns of what is said; the rest is the rule's own text.
fn column(app: &App, width: u16) -> u16 {
    if width >= TWO_COLUMNS && rule_shown(app).is_some() { width * 62 / 100 } else { width }
}

/// The columns that the last frame gave to what is said.
pub fn width(app: &App) -> u16 {
    let whole = Rect { x: 0, y: 0, width: app.size.0, height: app.size.1 };
    let place = crate::flight::places(app, whole).into_iter().find(|(p, _)| *p == Pane::Why).map_or(whole, |(_, r)| r);
    column(app, place.width.saturating_sub(2))
}

/// The rule that the drawer is about, and the clause that held it back.
fn rule_shown(app: &App) -> Option<(RuleId, Option<Span>)> {
    if shows_changes(app) {
        return None;
    }
    let failed = |list: &[ClauseSeen]| list.iter().find(|c| c.held == Some(false)).map(|c| c.span);
    let of_why = |w: &Why| {
        let rung = app.session.now.cascade.rungs().find(|r| format!("{}.{}", r.round, r.number) == w.label);
        rung.map(|r| (r.rule, failed(&w.clauses)))
    };
    match answer(app) {
        Answer::Why(w) => of_why(w),
        Answer::WhyNot(w) => match &w.here {
            Some(here) => app.asked_rule().map(|r| (r, failed(&here.clauses))),
            None => app.asked_rule().map(|r| (r, failed(&w.clauses))),
        },
        _ => None,
    }
}

/// The rule's own lines, with the place that held it back marked.
fn own_text(app: &App, pen: &mut Pen, area: Rect) {
    let Some((rule, failed)) = rule_shown(app) else { return };
    let Some(span) = app.session.level.rules.get(rule.index()).map(|r| r.span) else { return };
    let text = app.session.source(span);
    let line_at = |byte: u32| mayfly_base::span::line_column(text, byte as usize).0;
    let end = mayfly_lang::lexer::declaration_end(text, span.start as usize);
    let (first, last) = (line_at(span.start), line_at(end.saturating_sub(1).max(span.start as usize) as u32));
    let marked = failed.map(|f| line_at(f.start));
    let lines: Vec<&str> = text.lines().skip(first - 1).take(last + 1 - first).collect();
    let height = area.height as usize;
    // The marked line is seen, wherever in a long rule it stands.
    let from = match marked {
        Some(m) if lines.len() > height => (m - first).saturating_sub(height / 2).min(lines.len() - height),
        _ => 0,
    };
    let indent =
        lines.iter().filter(|l| !l.trim().is_empty()).map(|l| l.len() - l.trim_start().len()).min().unwrap_or(0);
    let mut y = area.y;
    for (i, line) in lines.iter().enumerate().skip(from) {
        let n = first + i;
        let is_marked = marked == Some(n);
        let (sign, role) = if is_marked { ("✗", Role::Held) } else { (" ", Role::Dim) };
        let line = line.get(indent..).unwrap_or_else(|| line.trim_start());
        for (part, piece) in wrapped(&pen.plain(line), area.width.saturating_sub(8) as usize).into_iter().enumerate() {
            if y >= area.bottom() {
                return;
            }
            let number = if part == 0 { format!("{n:>4} ") } else { " ".repeat(5) };
            let sign = if part == 0 { sign } else { " " };
            pen.run(area.x, y, area.width, &[(&number, Role::Faint), (sign, role), (" ", Role::Dim), (&piece, role)]);
            y += 1;
        }
    }
}

/// What the drawer says, in rows of that width.
pub fn lines(app: &App, width: u16) -> Vec<Said> {
    let mut lines: Vec<Said> = match answer(app) {
        _ if shows_changes(app) => super::compare::changed(app),
        Answer::Why(w) => why(w, width),
        Answer::WhyNot(w) => match &w.here {
            Some(here) => {
                let mut lines = why(here, width);
                lines.extend(history(w));
                lines
            }
            None => why_not(w),
        },
        Answer::Watch(i) => writers(&app.session, *i),
        Answer::About(_, said) => about(said),
        // What fired last stays, dim, where nothing is evaluated now.
        Answer::Nothing if last(app).is_some() => {
            let lines = last(app).map_or(vec![], |w| why(w, width));
            lines.into_iter().map(|l| l.into_iter().map(|(t, r)| (t, past(r))).collect()).collect()
        }
        Answer::Nothing => vec![vec![
            ("Select a rung of the cascade to see why it fired or did not; ".into(), Role::Dim),
            ("r".into(), Role::Key),
            (" lists every rule, ".into(), Role::Dim),
            ("f".into(), Role::Key),
            (" finds anything.".into(), Role::Dim),
        ]],
    };
    let about = match (&app.flight.asked, rule_shown(app)) {
        (_, Some((r, _))) => Some(Thing::Rule(r)),
        (Some(Asked::Thing(t)), _) => Some(*t),
        (Some(Asked::Watch(i)), _) => app.session.watches.get(*i).and_then(|w| w.target).map(Thing::Value),
        _ => None,
    };
    for d in about.map(|t| app.session.findings_of(t)).unwrap_or_default() {
        let line = app.session.line_of_finding(d);
        lines.push(vec![label("finding"), (format!("! {} (line {line})", d.message), Role::Held)]);
    }
    if app.is_folded {
        let (name, facts) = title(app);
        lines.insert(0, vec![(format!("{name} "), Role::Strong), (facts, Role::Text)]);
        lines.insert(1, vec![]);
    }
    let mut out = vec![];
    lines.iter().for_each(|l| wrap(l, width as usize, &mut out));
    out
}

fn label(word: &str) -> (String, Role) {
    (format!("{word:<12}"), Role::Dim)
}

fn clause(c: &ClauseSeen) -> Said {
    let (sign, role) = match c.held {
        Some(true) => ("✓ ", Role::True),
        Some(false) => ("✗ ", Role::Held),
        None => ("  ", Role::Dim),
    };
    let text = format!("{:<29}  ", c.text);
    let seen = match c.held {
        None => "not asked".to_string(),
        Some(_) => c.shown(),
    };
    vec![
        label("if"),
        (sign.into(), role),
        (text, if c.held.is_some() { Role::Text } else { Role::Dim }),
        (seen, Role::Dim),
    ]
}

/// Links one after the other, over as many lines as they need.
fn links(word: &str, list: &[Link], width: u16, join: &str) -> Vec<Said> {
    let mut out: Vec<Said> = vec![];
    let mut line: Said = vec![label(word)];
    let mut used = 12;
    for (i, l) in list.iter().enumerate() {
        let w = l.text.width() + join.width();
        if used + w > width as usize && line.len() > 1 {
            out.push(std::mem::replace(&mut line, vec![label("")]));
            used = 12;
        }
        if i > 0 {
            line.push((join.to_string(), Role::Line));
        }
        let role = match l.kind {
            LinkKind::Outside => Role::Outside,
            LinkKind::Rule => Role::Text,
            LinkKind::Written => Role::Written,
        };
        line.push((l.text.clone(), role));
        used += w;
    }
    out.push(line);
    out
}

fn why(w: &Why, width: u16) -> Vec<Said> {
    let mut out = vec![];
    if w.mark == Mark::GoesOn {
        out.push(vec![label("goes on"), (w.note.clone(), Role::Text)]);
    } else {
        out.push(vec![
            label("when"),
            if w.came { ("✓ ".into(), Role::True) } else { ("✶ ".into(), Role::Fault) },
            (format!("{:<29}  ", w.when.0), Role::Text),
            (w.when.1.clone(), Role::Outside),
        ]);
    }
    out.extend(w.clauses.iter().map(clause));
    match w.mark {
        Mark::Spent | Mark::Passed | Mark::Asleep => out.push(vec![label(w.mark.word()), (w.note.clone(), Role::Held)]),
        Mark::Fault => out.push(vec![label("fault"), (w.note.clone(), Role::Fault)]),
        _ => {}
    }
    out.extend(w.later.iter().map(|l| vec![label("but"), (l.clone(), Role::Written)]));
    out.push(vec![]);
    out.extend(links("because", &w.because, width, "  ›  "));
    if !w.led_to.is_empty() {
        out.extend(links("led to", &w.led_to, width, "   "));
    }
    if let Some(order) = &w.order {
        out.push(vec![label("order"), (order.clone(), Role::Dim)]);
    }
    let doc = if w.doc.is_empty() { String::new() } else { format!("   {}", w.doc) };
    out.push(vec![label("text"), (format!("line {}", w.line), Role::Dim), (doc, Role::Dim)]);
    out
}

/// What is to be said of an actor or a machine.
fn about(list: &[mayfly_session::about::Said]) -> Vec<Said> {
    list.iter()
        .map(|s| {
            let role = match s.fact.good {
                Some(true) => Role::True,
                Some(false) => Role::Held,
                None => Role::Text,
            };
            vec![label(s.label), (s.fact.text.clone(), role)]
        })
        .collect()
}

fn why_not(w: &WhyNot) -> Vec<Said> {
    let mut out = vec![];
    for (text, facts) in &w.awaits {
        out.push(vec![label("needs"), (text.clone(), Role::Text)]);
        for f in facts {
            let (sign, role) = match f.good {
                Some(true) => ("✓ ", Role::True),
                Some(false) => ("✗ ", Role::Held),
                None => ("  ", Role::Dim),
            };
            out.push(vec![label(""), (sign.into(), role), (f.text.clone(), role)]);
        }
    }
    for f in &w.limits {
        let (word, sign, role) =
            if f.good == Some(true) { ("and", "✓ ", Role::True) } else { ("but", "✗ ", Role::Held) };
        out.push(vec![label(word), (sign.into(), role), (f.text.clone(), role)]);
    }
    if !w.clauses.is_empty() && !w.about.is_empty() {
        out.push(vec![label(""), (format!("asked now, of {}:", w.about), Role::Dim)]);
    }
    out.extend(w.clauses.iter().map(clause));
    out.extend(history(w));
    out
}

/// When a rule was last evaluated and what came of it, when it last fired, and its own words.
fn history(w: &WhyNot) -> Vec<Said> {
    let mut out = vec![];
    let last = match (&w.last, w.last_fired) {
        (None, _) => "it was not evaluated yet in this flight".to_string(),
        (Some(m), None) => format!("last evaluated at tick {}: {}; never fired", m.tick, w.outcome),
        (Some(m), Some(f)) if m.tick == f => format!("last fired at tick {f}"),
        (Some(m), Some(f)) => format!("last evaluated at tick {}: {}; last fired at tick {f}", m.tick, w.outcome),
    };
    let along = if w.last.is_some() { "   N B go along its evaluations" } else { "" };
    out.push(vec![label("history"), (last, Role::Dim), (along.into(), Role::Faint)]);
    if !w.doc.is_empty() {
        out.push(vec![label("text"), (w.doc.clone(), Role::Dim)]);
    }
    out
}

/// For a variable: every rule that can write it, and how often it was written.
fn writers(s: &Session, i: usize) -> Vec<Said> {
    let Some(w) = s.watches.get(i) else { return vec![] };
    let mut out: Vec<Said> = vec![];
    if let Some(seen) = s.seen().get(i).filter(|_| !w.heading && w.target.is_some()) {
        let value = if seen.steps.len() > 1 { seen.steps.join(" → ") } else { seen.shown.clone() };
        out.push(vec![label("is"), (value, Role::Text)]);
    }
    if !w.doc.is_empty() {
        out.push(vec![label("about"), (w.doc.clone(), Role::Text)]);
    }
    let Some(target) = w.target else {
        out.extend(about(&s.about_computed(&w.expr)));
        return out;
    };
    match s.writer(target) {
        Some((by, tick)) if !by.is_empty() => out.push(vec![
            label("written"),
            ("by ".into(), Role::Dim),
            (by, Role::Strong),
            (format!(", here at tick {tick}"), Role::Dim),
        ]),
        Some((_, tick)) => out.push(vec![
            label("written"),
            (format!("last at tick {tick}"), Role::Text),
            ("   B goes there".into(), Role::Faint),
        ]),
        None => out.push(vec![label("written"), (mayfly_session::watching::unwritten(target).into(), Role::Text)]),
    }
    let wrote = s.wrote(target);
    let named = |w: &mayfly_session::writer::Wrote| w.by.name(&s.engine.program);
    let widest = wrote.iter().map(|w| named(w).width()).max().unwrap_or(0).min(40);
    for (i, w) in wrote.iter().enumerate() {
        let name = named(w);
        let pad = " ".repeat(widest.saturating_sub(name.width()));
        let gained = if w.gained == 0.0 {
            String::new()
        } else {
            let sign = if w.gained > 0.0 { "+" } else { "" };
            format!("{sign}{}", mayfly_base::number::show_number((w.gained * 1e3).round() / 1e3))
        };
        out.push(vec![
            label(if i == 0 { "so far" } else { "" }),
            (format!("{name}{pad}"), Role::Text),
            (format!("{:>7}×", w.times), Role::Dim),
            (format!("{gained:>12}"), Role::Written),
            (format!("   last at tick {}", w.last), Role::Dim),
        ]);
    }
    // Whoever has written it is named above.
    let so_far: Vec<String> = wrote.iter().map(named).collect();
    let rules: Vec<String> = s.could_write(target).into_iter().filter(|r| !so_far.contains(r)).collect();
    let text = match (rules.is_empty(), so_far.is_empty()) {
        (true, true) => "no rule".to_string(),
        (true, false) => "nobody else".to_string(),
        _ => rules.join("   "),
    };
    out.push(vec![label("can be"), ("written by ".into(), Role::Dim), (text, Role::Text)]);
    out
}
