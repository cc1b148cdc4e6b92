//! Lines, lists and pages over the view: what is proposed, how it is taken, how one gets back and out.

use crate::desk::{Desk, LEVEL};
use crossterm::event::{KeyCode, KeyModifiers, MouseButton, MouseEventKind};
use mayfly_lang::check;
use mayfly_session::moment::{At, Moment};
use mayfly_tui::app::{Effect, Writing};
use mayfly_tui::app::{Kind, Offers};
use std::time::{Duration, Instant};

/// What is proposed in the line that is open: names and values.
fn offers(d: &mut Desk) -> Vec<(String, String)> {
    d.shown();
    match d.app.overlays.last().map(|o| &o.kind) {
        Some(Kind::Line { offers: Offers { all, .. }, .. }) => {
            all.iter().map(|o| (o.text.clone(), o.note.clone())).collect()
        }
        other => panic!("no line is open: {other:?}"),
    }
}

fn typed(d: &Desk) -> String {
    d.app.overlays.last().map_or(String::new(), |o| o.typed.clone())
}

#[test]
fn a_prompt_proposes_names_with_their_values_and_takes_them() {
    let mut d = Desk::of(LEVEL);
    d.press("p");
    d.press("war");
    assert_eq!(offers(&mut d)[0], ("warmth".to_string(), "90".to_string()));
    d.key(KeyCode::Tab);
    assert_eq!(typed(&d), "warmth");
    d.press(" = kee");
    assert_eq!(offers(&mut d)[0], ("keeper".into(), "(1, 1)".into()));
    d.key(KeyCode::Down);
    d.key(KeyCode::Enter);
    assert_eq!(typed(&d), "warmth = keeper", "an action is not over with a name");
    d.press(".o");
    assert_eq!(offers(&mut d)[0], ("oil".into(), "3".into()));
    d.key(KeyCode::Tab);
    // Numbers propose nothing; what was taken is done with Enter.
    d.press(" + 4");
    assert!(offers(&mut d).is_empty(), "{:?}", offers(&mut d));
    d.key(KeyCode::Enter);
    assert!(d.app.overlays.is_empty() && d.app.message.0.contains("waits for tick"), "{:?}", d.app.message);
    d.press("n");
    assert!(d.text().contains("warmth") && d.app.session.now.world.vars[1] == mayfly_base::Value::Number(7.0));
}

#[test]
fn a_chosen_name_is_watched_and_stopped_at_with_one_key_and_escape_gives_it_back() {
    let mut d = Desk::of(LEVEL);
    d.press("w");
    d.press("weir.");
    let all = offers(&mut d);
    assert!(
        all.contains(&("gate".into(), "shut".into())) && all.contains(&("facing".into(), "south".into())),
        "{all:?}"
    );
    d.key(KeyCode::Down);
    d.key(KeyCode::Esc);
    assert_eq!((d.app.overlays.len(), typed(&d).as_str()), (1, "weir."), "Esc lets go of what is chosen, first");
    d.press("ga");
    d.key(KeyCode::Down);
    d.key(KeyCode::Enter);
    assert!(d.app.overlays.is_empty() && d.app.session.watches.iter().any(|w| w.text == "weir.gate"));
    // A stop on a rule is found by letters of its title.
    d.press("s");
    d.press("cold");
    assert_eq!(offers(&mut d)[0], ("rule \"the cold\"".into(), "fired 0".into()));
    d.key(KeyCode::Down);
    d.key(KeyCode::Enter);
    assert_eq!(d.app.session.stops.all[0].text, "rule \"the cold\"");
}

#[test]
fn errors_of_a_line_say_what_was_meant_and_lose_nothing() {
    let mut d = Desk::of(LEVEL);
    for (key, line, said) in [
        ('g', "lamps_lit = 3", "to compare, write `lamps_lit == 3`"),
        ('w', "lamps_lit = 3", "to compare, write `lamps_lit == 3`"),
        ('p', "warmth = 1; lamps_lit = 2", "one action at a time: `warmth = 1` first"),
        ('p', "wramth = 1", "did you mean `warmth`?"),
        ('g', "lamps_lit", "something that is true or false"),
        ('s', "no such thing", ""),
    ] {
        d.press(&key.to_string());
        d.key(KeyCode::Delete);
        while !typed(&d).is_empty() {
            d.key(KeyCode::Backspace);
        }
        d.press(line);
        d.key(KeyCode::Enter);
        let text = d.text();
        assert!(text.contains(said), "{line}: {said} is not on\n{text}");
        assert_eq!(typed(&d), line);
        d.key(KeyCode::Esc);
        assert!(d.app.overlays.is_empty(), "{line}");
    }
    assert!(d.app.session.history.inputs().is_empty() && d.app.session.watches.iter().all(|w| !w.text.contains("= 3")));
}

#[test]
fn lines_that_were_entered_come_back_and_the_mouse_takes_what_is_proposed() {
    let mut d = Desk::of(LEVEL);
    d.says('w', "lamps_lit + 1");
    d.press("w");
    d.key(KeyCode::Up);
    assert_eq!(typed(&d), "lamps_lit + 1");
    d.key(KeyCode::Esc);
    d.press("w");
    d.press("lam");
    let at = d.find("lamp#2");
    d.mouse(MouseEventKind::Down(MouseButton::Left), at);
    assert_eq!(typed(&d), "lamp#2");
    // Beside what is open a click closes it; on it, it does not.
    let title = d.find("a variable or an expression");
    d.mouse(MouseEventKind::Down(MouseButton::Left), title);
    assert_eq!(d.app.overlays.len(), 1);
    d.mouse(MouseEventKind::Down(MouseButton::Left), (1, 44));
    assert!(d.app.overlays.is_empty());
    // The wheel moves in a list, a click takes an entry.
    d.press("r");
    d.mouse(MouseEventKind::ScrollDown, (60, 10));
    assert!(matches!(d.app.overlays.last().map(|o| &o.kind), Some(Kind::List { at: 1, .. })));
    let rule = d.find("the cold");
    d.mouse(MouseEventKind::Down(MouseButton::Left), rule);
    assert!(d.app.overlays.is_empty() && d.text().contains("Why not") && d.text().contains("every 1s"));
}

#[test]
fn lists_and_pages_go_by_pages_and_to_their_ends() {
    let mut d = Desk::of(LEVEL);
    d.press(";");
    let found = d.app.overlays.last().map_or(0, |o| o.found().len());
    assert!(found > 20);
    let at = |d: &Desk| match d.app.overlays.last().map(|o| &o.kind) {
        Some(Kind::List { at, .. }) => *at,
        Some(Kind::Page { from, .. }) => *from,
        other => panic!("{other:?}"),
    };
    for (key, want) in [
        (KeyCode::PageDown, 10),
        (KeyCode::End, found - 1),
        (KeyCode::Down, found - 1),
        (KeyCode::PageUp, found - 11),
        (KeyCode::Home, 0),
        (KeyCode::Up, 0),
    ] {
        d.key(key);
        assert_eq!(at(&d), want, "{key:?}");
    }
    d.key(KeyCode::Esc);
    // The help at 80 columns: nothing is cut, all of it can be found.
    let mut d = Desk::of(LEVEL).sized(80, 24);
    d.press("?");
    assert!(d.text().contains("a recorded run"), "{}", d.text());
    d.press("timeline shows");
    let text = d.text();
    assert!(text.contains("the timeline shows more") && !text.contains('…'), "{text}");
    d.key(KeyCode::Esc);
    d.press("at the next tick; in the past");
    assert!(d.text().contains("poke") && d.text().contains("begins another branch"), "{}", d.text());
    d.key(KeyCode::Esc);
    d.press("qqqqq");
    assert!(d.text().contains("nothing holds these letters") && !d.app.overlays.is_empty());
    d.key(KeyCode::Esc);
    d.key(KeyCode::Esc);
    assert!(d.app.overlays.is_empty());
    // Where there are plain characters alone, signs are shown as they stand there.
    d.app.theme.ascii = true;
    d.press("?");
    let text = d.text();
    assert!(text.is_ascii(), "{:?} in\n{text}", text.chars().filter(|c| !c.is_ascii()).collect::<String>());
}

#[test]
fn one_comes_back_to_where_one_stood_before_each_jump() {
    let mut d = Desk::of(LEVEL);
    d.key(KeyCode::Backspace);
    assert!(d.app.message.0.contains("no jump was made yet"), "{:?}", d.app.message);
    d.app.session.run_ticks(100, || true);
    d.app.go(Moment { tick: 40, at: At::End });
    d.says('g', "90");
    d.key(KeyCode::Home);
    d.press("N");
    let far = d.app.session.moment;
    assert!(far.tick > 0 && far.tick != 40);
    // A step is no jump.
    d.press("n");
    let mut been = vec![];
    for _ in 0..3 {
        d.key(KeyCode::Backspace);
        been.push(d.app.session.moment);
    }
    let at = |tick, at| Moment { tick, at };
    assert_eq!(been, [at(0, At::Start), at(90, At::End), at(40, At::End)]);
    d.key(KeyCode::Backspace);
    assert!(d.app.message.0.contains("no jump"), "{:?}", d.app.message);
    // Also into the branch that was left.
    let stood = d.app.session.moment;
    d.says('p', "warmth = 3");
    d.press("n");
    d.press("o");
    assert_eq!(d.app.session.branch, "the first");
    d.key(KeyCode::Backspace);
    assert_ne!(d.app.session.branch, "the first");
    assert_eq!(d.app.session.moment.tick, stood.tick + 1);
    // A click on the timeline is one as well.
    let before = d.app.session.moment;
    d.mouse(MouseEventKind::Down(MouseButton::Left), (3, 2));
    assert_ne!(d.app.session.moment, before);
    d.key(KeyCode::Backspace);
    assert_eq!(d.app.session.moment, before);
}

#[test]
fn a_test_is_sought_both_ways_and_the_level_runs_on_only_when_told() {
    let mut d = Desk::of(LEVEL);
    d.app.session.run_ticks(60, || true);
    d.app.go(Moment { tick: 50, at: At::End });
    // It was true only before.
    d.says('g', "warmth == 89");
    assert!((20..40).contains(&d.app.session.moment.tick), "tick {}", d.app.session.moment.tick);
    // Where it is true here and nowhere else, that is said.
    d.app.go(Moment { tick: 33, at: At::End });
    d.says('g', "tick == 33");
    assert!(d.app.overlays.is_empty() && d.app.message.0.contains("true at the end of tick 33"), "{:?}", d.app.message);
    let last = d.app.session.last_tick();
    d.says('g', "warmth == 80");
    assert!(d.text().contains("Not true in this flight") && d.app.session.last_tick() == last);
    d.key(KeyCode::Down);
    d.key(KeyCode::Enter);
    assert_eq!((d.app.session.last_tick(), d.app.overlays.len()), (last, 0), "one stays");
    d.says('g', "warmth == 80");
    d.key(KeyCode::Enter);
    while d.app.play.seeking.is_some() {
        d.app.seek_for(std::time::Instant::now() + std::time::Duration::from_millis(50));
    }
    assert_eq!(d.app.session.moment.tick, 200);
    assert!(d.app.message.0.contains("true at the end of tick 200"), "{:?}", d.app.message);
}

#[test]
fn a_flight_of_ones_own_is_not_left_without_asking() {
    let mut d = Desk::of(LEVEL);
    assert_eq!(d.key(KeyCode::Char('q')), Effect::Quit, "nothing was done");
    d.says('p', "warmth = 3");
    d.press("n");
    assert_eq!(d.key(KeyCode::Char('q')), Effect::None);
    assert!(d.text().contains("keys or pokes of yours that are not saved"), "{}", d.text());
    d.key(KeyCode::Esc);
    d.key(KeyCode::Char('q'));
    d.key(KeyCode::End);
    assert_eq!((d.key(KeyCode::Enter), d.app.overlays.len()), (Effect::None, 0), "one stays");
    // Twice Ctrl+C leaves at once.
    let control = |d: &mut Desk| {
        let k = crossterm::event::KeyEvent::new(KeyCode::Char('c'), KeyModifiers::CONTROL);
        mayfly_tui::run::key(&mut d.app, &k, std::time::Instant::now())
    };
    assert_eq!((control(&mut d), control(&mut d)), (Effect::None, Effect::Quit));
    d.app.overlays.clear();
    d.key(KeyCode::Char('q'));
    assert_eq!(d.key(KeyCode::Enter), Effect::SaveAndQuit);
    let flight = d.app.disk.to_write.iter().find(|(w, _)| *w == Writing::Flight).expect("it is written");
    assert!(flight.1.contains("warmth = 3"));
    // Only what was written is saved: with a full disk one stays, and is asked again.
    assert_eq!(d.key(KeyCode::Char('q')), Effect::None);
    d.key(KeyCode::Esc);
    d.app.flight_is_saved();
    assert_eq!(d.key(KeyCode::Char('q')), Effect::Quit);
    d.says('p', "warmth = 4");
    d.press("n");
    assert_eq!(d.key(KeyCode::Char('q')), Effect::None);
    d.key(KeyCode::Esc);
    // Another flight with as many inputs is another one.
    d.app.flight_is_saved();
    d.key(KeyCode::F(5));
    for line in ["warmth = 7", "warmth = 8"] {
        d.says('p', line);
        d.press("n");
    }
    assert_eq!(d.key(KeyCode::Char('q')), Effect::None);
}

#[test]
fn what_was_evaluated_in_this_tick_is_told_and_not_denied() {
    let mut d = Desk::of(LEVEL);
    d.app.session.run_ticks(30, || true);
    d.app.go(Moment { tick: 20, at: At::End });
    d.press("r");
    d.press("the cold");
    d.key(KeyCode::Enter);
    let text = d.text();
    assert!(text.contains("the cold  fired here, as 1.1") && !text.contains("Why not"), "{text}");
    assert!(text.contains("last fired at tick 20"), "{text}");
    // A tick later it is asked why not, with what came of it when it was evaluated last.
    d.says('p', "keeper.oil = 0");
    d.says('p', "move keeper to (3, 1)");
    d.says('p', "walk keeper to (8, 1)");
    for _ in 0..20 {
        d.press("n");
    }
    d.press("r");
    d.press("light a lamp");
    d.key(KeyCode::Enter);
    let text = d.text();
    assert!(text.contains("Why not") && text.contains("held back, person.oil > 0 with person.oil = 0"), "{text}");
}

/// Another program wrote this text, and it is flown.
fn take(d: &mut Desk, text: &str) {
    d.app.take_text(check::check("landing.may", text));
    while d.app.rerun.refly.is_some() {
        d.app.fly_again(Instant::now() + Duration::from_secs(1));
    }
}

#[test]
fn a_list_that_is_open_speaks_of_the_text_that_is_flown_whatever_becomes_of_it() {
    let few = "level \"Few\" {}\nkind person\nplace keeper: person at (1, 1)\n";
    let other = LEVEL.replacen(
        "rule \"the cold\"",
        "rule \"a first one\" { when start; then { log 1 } }\nrule \"the chill\"",
        1,
    );
    for list in ["r", "f", "i", ";", "!", "S", "O"] {
        for text in [few, &other, "level \"Broken\" {", LEVEL] {
            for (chosen, clicks) in [(0, false), (5, false), (15, false), (2, true)] {
                let mut d = Desk::of(LEVEL);
                take(&mut d, &format!("{LEVEL}var idle = 1\n"));
                d.press("nnn");
                d.says('s', "warmth");
                // A second branch, so that there is a choice.
                d.press("b");
                d.says('p', "warmth = 3");
                d.press(list);
                assert_eq!(d.app.overlays.len(), 1, "{list} opens a list");
                d.shown();
                for _ in 0..chosen {
                    d.key(KeyCode::Down);
                }
                take(&mut d, text);
                if clicks {
                    d.mouse(MouseEventKind::Down(MouseButton::Left), (60, 8));
                }
                for _ in 0..3 {
                    d.key(KeyCode::Enter);
                    d.shown();
                }
            }
        }
    }
    // What was typed and chosen is kept, by its name.
    let mut d = Desk::of(LEVEL);
    d.press("r");
    d.press("jetty");
    take(&mut d, &other);
    assert_eq!(typed(&d), "jetty");
    d.key(KeyCode::Enter);
    let screen = d.text();
    assert!(screen.contains("Why not  at the jetty"), "{screen}");
}
