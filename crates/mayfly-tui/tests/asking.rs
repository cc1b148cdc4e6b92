//! What is asked on the screen: find and look into, names that lead on, findings and faults, the rules, branches beside each
//! other, watches in groups. Each test goes as a person would.

use crate::desk::{Desk, LEVEL};
use crossterm::event::KeyCode;
use mayfly_lang::check;
use mayfly_tui::app::{Asked, Pane};
use std::time::Instant;

/// The rows of the drawer.
fn drawer(d: &mut Desk) -> String {
    let text = d.text();
    let from = text.lines().position(|l| l.contains("─ Why") || l.contains("─ Changed lines")).unwrap_or(0);
    text.lines().skip(from).map(|l| format!("{l}\n")).collect()
}

fn entries(d: &mut Desk) -> Vec<String> {
    d.shown();
    d.app
        .overlays
        .last()
        .map(|o| o.found().iter().map(|e| format!("{}|{}", e.text, e.note)).collect())
        .unwrap_or_default()
}

#[test]
fn find_puts_exact_names_first_leaves_weak_ones_out_and_leads_there() {
    let mut d = Desk::of(LEVEL);
    d.says('g', "3s");
    d.press("f");
    d.press("flood");
    assert_eq!(entries(&mut d), ["flood|timer  57s left"], "letters in order alone are no match");
    d.key(KeyCode::Enter);
    assert!(drawer(&mut d).contains("timer, of 1m"), "{}", drawer(&mut d));
    // A text that is told is found by its words, and leads to its rule.
    d.press("f");
    d.press("mind the");
    assert!(entries(&mut d)[0].contains("told by at the jetty"), "{:?}", entries(&mut d));
    d.key(KeyCode::Enter);
    assert!(drawer(&mut d).contains("at the jetty") && drawer(&mut d).contains("keeper is"), "{}", drawer(&mut d));
    // Nothing is found: nothing happens.
    d.press("f");
    d.press("zzzz");
    assert!(entries(&mut d).is_empty());
    d.key(KeyCode::Enter);
    assert!(d.app.overlays.is_empty());
}

#[test]
fn names_in_the_drawer_lead_on_by_keys_and_by_the_mouse() {
    let mut d = Desk::of(LEVEL);
    d.says('g', "3s");
    d.press("f");
    d.press("bell");
    d.key(KeyCode::Enter);
    assert!(drawer(&mut d).contains("sent by") && drawer(&mut d).contains("light a lamp"));
    d.app.flight.focus = Pane::Why;
    d.key(KeyCode::Down);
    d.shown();
    let links = d.app.drawer_links();
    assert!(!links.is_empty() && d.app.flight.link_at == Some(0));
    // Down goes on along them and stays at the last.
    for _ in 0..links.len() + 3 {
        d.key(KeyCode::Down);
    }
    assert_eq!(d.app.flight.link_at, Some(links.len() - 1));
    while d.app.flight.link_at != Some(0) {
        d.key(KeyCode::Up);
    }
    d.key(KeyCode::Enter);
    assert!(matches!(d.app.flight.asked, Some(Asked::WhyNot(_) | Asked::Thing(_))), "{:?}", d.app.flight.asked);
    // A tick that is named leads to the tick.
    d.press("f");
    d.press("warmth");
    d.key(KeyCode::Enter);
    d.shown();
    let at = drawer(&mut d);
    assert!(at.contains("3 × by the cold, -3 in all, last at tick 60"), "{at}");
    let text = d.text();
    let row = text.lines().position(|l| l.contains("last at tick 60")).expect("a row");
    let line: Vec<char> = text.lines().nth(row).expect("it").trim_matches('"').chars().collect();
    let column = line.windows(7).position(|w| w.iter().collect::<String>() == "tick 60").expect("it") + 5;
    d.mouse(crossterm::event::MouseEventKind::Down(crossterm::event::MouseButton::Left), (column as u16, row as u16));
    assert_eq!(d.app.session.moment.tick, 60);
}

#[test]
fn occurrences_of_a_timer_and_a_message_are_gone_along_and_lit() {
    let mut d = Desk::of(&format!("{LEVEL}\nrule \"again\" {{ when every 2s; then {{ start flood; send bell(3) }} }}"));
    d.says('g', "10s");
    d.press("f");
    d.press("flood");
    d.key(KeyCode::Enter);
    d.press("B");
    assert_eq!(d.app.session.moment.tick, 200, "within the tick first");
    d.press("B");
    assert_eq!(d.app.session.moment.tick, 160);
    d.press("N");
    assert_eq!(d.app.session.moment.tick, 200);
    d.press("f");
    d.press("bell");
    d.key(KeyCode::Enter);
    d.shown();
    assert_eq!(d.app.selected_ticks().len(), 5, "sent at 40, 80, 120, 160 and 200");
    // The timer was set before the message was sent: the one of this tick is yet to come.
    d.press("BB");
    assert_eq!(d.app.session.moment.tick, 120);
}

#[test]
fn findings_and_faults_are_counted_listed_and_stand_where_they_bear() {
    let text = "var n = 0\nvar lost = 1\nmessage nobody()\nrule \"bad\" { when every 1s; then { n = 1 / n; send nobody() } }\nrule \"never\" { off; when start; then { log \"never\" } }";
    let c = check::check("bad.may", text);
    let mut d = Desk::of(text);
    d.app.session.findings = c.diagnostics;
    assert!(!d.app.session.findings.is_empty());
    let count = d.app.session.findings.len();
    let said = if count == 1 { "1 finding (!)".to_string() } else { format!("{count} findings (!)") };
    assert!(d.text().contains(&said), "{}", d.text());
    d.says('g', "3s");
    d.press("!");
    let all = entries(&mut d);
    assert!(all[0].starts_with("fault  ") && all[0].contains("tick 60, bad"), "{all:?}");
    assert!(all.iter().any(|e| e.starts_with("finding  ") && e.contains("line 2")), "{all:?}");
    d.key(KeyCode::Enter);
    assert_eq!(d.app.session.moment.tick, 60, "a fault leads to its tick");
    d.press("!");
    d.press("lost");
    d.key(KeyCode::Enter);
    assert!(d.text().contains("finding[") && d.text().contains("var lost = 1"), "{}", d.text());
    d.key(KeyCode::Esc);
    // From the last fault to the first, and on.
    d.press("X");
    assert_eq!(d.app.session.moment.tick, 20);
    d.press("X");
    assert_eq!(d.app.session.moment.tick, 40);
    // In the list of rules and in the drawer of what it bears on.
    d.press("r");
    assert!(entries(&mut d).iter().any(|e| e.starts_with("never  !")), "{:?}", entries(&mut d));
    d.key(KeyCode::Esc);
    d.press("f");
    d.press("lost");
    d.key(KeyCode::Enter);
    assert!(drawer(&mut d).contains("finding") && drawer(&mut d).contains("(line 2)"), "{}", drawer(&mut d));
}

#[test]
fn rules_are_sorted_counted_and_told_by_their_events() {
    let mut d = Desk::of(LEVEL);
    d.press("p");
    d.press("send bell(2)");
    d.key(KeyCode::Enter);
    d.press("n");
    d.says('g', "3s");
    d.press("r");
    let all = entries(&mut d);
    assert!(all[0].starts_with("light a lamp|"), "the level's own first: {all:?}");
    let way = all.iter().find(|e| e.contains("shut → open")).expect("a transition");
    assert!(way.contains("when hears bell(pitch)") && way.contains("1 fired"), "{way}");
    assert!(all.iter().any(|e| e.contains("after 2s")), "{all:?}");
    d.key(KeyCode::Tab);
    d.key(KeyCode::Tab);
    assert!(d.text().contains("fired last first"));
    assert!(entries(&mut d)[0].starts_with("the cold|3 fired"), "{:?}", entries(&mut d));
    d.key(KeyCode::Esc);
    d.press("r");
    assert!(d.text().contains("fired last first"), "the order is kept");
}

#[test]
fn two_branches_stand_beside_each_other_as_two_texts_do() {
    let mut d = Desk::of(LEVEL);
    d.says('g', "4s");
    d.says('g', "20");
    d.says('p', "warmth = 50");
    d.says('g', "4s");
    d.press("t");
    let text = d.text();
    assert!(
        d.app.flight.comparing && text.contains("the first") && text.contains("warmth =50, from tick 21")
            || text.contains("warmth = 50"),
        "{text}"
    );
    assert_eq!(d.app.session.moment.tick, 21, "where they begin to differ");
    let c = d.app.flight.comparison.as_ref().map(|(_, c)| c.rows.clone()).unwrap_or_default();
    assert!(
        c.iter().any(|r| r.then.is_none() && r.now.as_deref().is_some_and(|t| t.contains("warmth 89 → 50"))),
        "{c:?}"
    );
    assert!(text.contains('≠'), "the ticks in which they differ are marked:\n{text}");
    let ticks = d.app.flight.differing.clone();
    assert!(ticks.len() >= 3, "{ticks:?}");
    // Along the differences, and back out.
    d.press("N");
    assert_eq!(d.app.session.moment.tick, ticks[1]);
    d.press("t");
    assert!(!d.app.flight.comparing && d.app.flight.differing.is_empty());
    // The tick is kept where one goes to the other branch.
    d.says('g', "30");
    d.press("o");
    assert_eq!((d.app.session.moment.tick, d.app.session.branch.as_str()), (30, "the first"));
    assert!(d.text().contains("branch \"the first\", 1 of 2"), "{}", d.text());
    // From the list, by Tab.
    d.press("O");
    d.key(KeyCode::Down);
    d.key(KeyCode::Tab);
    assert!(d.app.flight.comparing && d.app.session.beside.is_some());
    // Another branch is flown: the comparison is over.
    d.press("o");
    assert!(!d.app.flight.comparing && d.app.session.beside.is_none());
}

#[test]
fn a_text_that_differs_shows_its_changed_lines() {
    let mut d = Desk::of(LEVEL);
    d.says('g', "3s");
    d.app.take_text(check::check("landing.may", &LEVEL.replace("warmth -= 1", "warmth -= 2")));
    while d.app.rerun.refly.is_some() {
        d.app.fly_again(Instant::now() + std::time::Duration::from_millis(100));
    }
    d.press("t");
    let text = drawer(&mut d);
    assert!(text.contains("Changed lines") && text.contains("- ") && text.contains("warmth -= 2"), "{text}");
    let left = d.app.session.differing_values();
    assert_eq!(left.len(), 1);
    assert_eq!((left[0].0.as_str(), left[0].1.as_str(), left[0].2.as_str()), ("warmth", "89", "88"));
    for _ in 0..3 {
        d.press("N");
    }
    assert!(
        d.app.message.0.contains("no later tick differs; 1 value of the level differs here"),
        "{:?}",
        d.app.message
    );
}

#[test]
fn watches_stand_in_groups_are_brought_back_and_never_act_on_a_hidden_row() {
    let mut d = Desk::of(LEVEL);
    let texts: Vec<String> = d.app.session.watches.iter().map(|w| w.text.clone()).collect();
    for group in ["// keeper", "keeper.oil", "// timers and clocks", "flood.left", "// machines", "weir.gate"] {
        assert!(texts.iter().any(|t| t == group), "{group}: {texts:?}");
    }
    d.app.flight.focus = Pane::Watches;
    d.says('F', "oil");
    let at = d.app.flight.watch_at;
    assert!(d.app.session.watches[at].text.contains("oil") || d.app.session.watches[at].heading, "{at} {texts:?}");
    d.key(KeyCode::Down);
    let text = d.app.session.watches[d.app.flight.watch_at].text.clone();
    d.press("u");
    assert!(!d.app.session.watches.iter().any(|w| w.text == text));
    d.says('F', "");
    let control = crossterm::event::KeyEvent::new(KeyCode::Char('z'), crossterm::event::KeyModifiers::CONTROL);
    mayfly_tui::run::key(&mut d.app, &control, Instant::now());
    let again: Vec<String> = d.app.session.watches.iter().map(|w| w.text.clone()).collect();
    assert_eq!(again, texts, "it stands where it stood");
}

#[test]
fn a_value_that_changed_several_times_shows_every_step_and_counts_as_changed() {
    let text = "var n = 3\nrule \"up\" { when every 1s; then { n = 5; n = 4; n = 3 } }\nrule \"see\" { when n changes; then { log \"n\" } }";
    let mut d = Desk::of(text);
    d.says('g', "20");
    let seen = d.app.session.seen().into_iter().find(|s| s.text == "n").expect("a watch");
    assert_eq!((seen.changed, seen.steps), (true, vec!["5".to_string(), "4".into(), "3".into()]));
    assert!(d.text().contains("5 → 4 → 3"), "{}", d.text());
    d.app.flight.focus = Pane::Watches;
    d.press("y");
    assert!(drawer(&mut d).contains("5 → 4 → 3"), "{}", drawer(&mut d));
    // A level without variables shows what moves.
    let d = Desk::of("kind person { steered }\nplace me: person at (2, 2)");
    assert_eq!(d.app.session.watches.iter().map(|w| w.text.as_str()).collect::<Vec<_>>(), ["me.at"]);
}

#[test]
fn why_says_the_order_and_what_later_in_the_tick_would_have_changed_it() {
    let text = "var lit = 0\nmessage go()\nrule \"first\" { when hears go; if lit >= 1; then { log \"first\" } }\nrule \"second\" { when hears go; then { lit = 3 } }\nrule \"early\" { priority 5; when hears go; then { log \"early\" } }\nrule \"send\" { when every 1s; then { send go() } }";
    let mut d = Desk::of(text);
    d.says('g', "20");
    let s = &mut d.app.session;
    let number = |s: &mayfly_session::session::Session, title: &str| {
        s.now.cascade.rungs().find(|r| r.title == title).map(|r| r.number).unwrap_or_else(|| panic!("{title}"))
    };
    let n = number(s, "first");
    let why = s.why(n).expect("an answer");
    assert_eq!(why.order.as_deref(), Some("after 2.2 early, whose priority 5 is higher than 0"));
    assert_eq!(why.later, ["lit becomes 3 at 2.4, later in this tick"]);
    let n = number(s, "second");
    let why = s.why(n).expect("an answer");
    assert_eq!(why.order.as_deref(), Some("after 2.3 first, which stands before it in the text"));
}

#[test]
fn a_flight_that_was_left_is_taken_up_or_put_away() {
    let mut d = Desk::of(LEVEL);
    d.press("d");
    d.key(KeyCode::Right);
    d.press("nnnn");
    d.key(KeyCode::Esc);
    let now = Instant::now();
    d.app.keep_recovery(now, false);
    let (what, text) = d.app.disk.to_write.last().cloned().expect("a copy is written");
    assert!(what == mayfly_tui::app::Writing::Recovery && !text.is_empty());
    let n = d.app.disk.to_write.len();
    d.app.keep_recovery(now, true);
    assert_eq!(d.app.disk.to_write.len(), n, "the same flight is not written twice");
    // The next start.
    let flight = mayfly_session::flight::read(&text).expect("a flight");
    let mut e = Desk::of(LEVEL);
    e.app.overlays.push(mayfly_tui::app::Overlay::recover(flight.ticks()));
    e.app.disk.recovered = Some(Box::new(flight));
    e.app.keep_recovery(now, true);
    assert!(e.app.disk.to_write.is_empty(), "what waits is not written over");
    e.key(KeyCode::Enter);
    while e.app.rerun.refly.is_some() {
        e.app.fly_again(Instant::now() + std::time::Duration::from_millis(100));
    }
    assert_eq!(e.app.session.moment.tick, d.app.session.last_tick());
    assert!(e.app.has_unsaved(), "it is still unsaved");
}
