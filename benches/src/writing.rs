//! The figures of laying and writing: a key in a long text, what is wrong told after it, a frame of a large map, an edit of the
//! demo until it is told where the flight differs.

use crate::screens::{DEMO, draw, in_memory, opened};
use crate::{TURNS, median, say, timed};
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use mayfly_tui::app::App;
use mayfly_tui::run;
use mayfly_tui::view::View;
use std::fmt::Write as _;
use std::time::{Duration, Instant};

/// A level of so many lines.
pub fn long(lines: usize) -> String {
    let mut t = String::from("var n = 0\nkind person { steered; var oil = 1 }\nplace keeper: person at (0, 0)\n");
    let mut i = 0;
    while i * 10 + 3 < lines {
        let _ = write!(
            t,
            "zone z{i} = rect ({}, {}) 3 x 3\nrule \"rule {i}\" {{\n  when person enters z{i}\n  if person.oil > 0 and n < {i}\n  cooldown 500ms per person\n  then {{\n    n += 1\n    person.oil -= 1\n  }}\n}}\n",
            i % 200,
            i / 200
        );
        i += 1;
    }
    t
}

fn press(app: &mut App, code: KeyCode) {
    run::key(app, &KeyEvent::new(code, KeyModifiers::NONE), Instant::now());
}

/// Reads on until all is known.
fn wait(app: &mut App) {
    while !app.work.is_fresh() {
        app.work.go_on();
        std::thread::sleep(Duration::from_micros(200));
    }
}

pub fn typing() {
    let text = long(20_000);
    let lines = text.lines().count();
    let mut app = opened(&text);
    let mut t = in_memory();
    draw(&mut t, &mut app);
    app.show_view(View::Script);
    draw(&mut t, &mut app);
    let middle = text.lines().take(lines - 20).map(|l| l.len() + 1).sum::<usize>();
    app.show_text(0, middle);
    app.script.typing = true;
    draw(&mut t, &mut app);
    let mut times = vec![];
    for c in "rule \"one more\" { when person enters z7; if n > 3; then { n += 2 } } ".chars().cycle().take(300) {
        let time = timed(|| {
            press(&mut app, KeyCode::Char(c));
            app.go_on_with_texts(Instant::now());
            draw(&mut t, &mut app);
        });
        times.push(time.0);
    }
    times.sort();
    let worst = times[times.len() * 99 / 100].as_secs_f64() * 1e3;
    say(&format!("a key in a text of {lines} lines is seen, 99th percentile"), worst, " ms", "at most 16");
    let mut told = vec![];
    for _ in 0..TURNS {
        wait(&mut app);
        press(&mut app, KeyCode::Char('x'));
        told.push(
            timed(|| {
                while !app.work.is_told() {
                    app.work.go_on();
                    std::thread::sleep(Duration::from_micros(200));
                }
            })
            .0,
        );
    }
    say("  what is wrong is told after it", median(told) * 1e3, " ms", "at most 100");
}

pub fn site() {
    let mut map = String::from("level \"wide\" { rate 20 }\ntiles { '#' wall solid opaque; '.' floor; '~' water solid }\nmap \"\"\"\n");
    for y in 0..512 {
        let row: String = (0..512).map(|x| if x % 37 == 0 { '#' } else if (x + y) % 23 == 0 { '~' } else { '.' }).collect();
        map.push_str(&row);
        map.push('\n');
    }
    map.push_str("\"\"\"\nkind person { steered }\nplace keeper: person at (3, 3)\n");
    for i in 0..500 {
        let _ = writeln!(map, "zone z{i} = rect ({}, {}) 6 x 4", (i * 97) % 500, (i * 61) % 500);
    }
    let mut app = opened(&map);
    let mut t = in_memory();
    app.show_view(View::Site);
    draw(&mut t, &mut app);
    let mut times = vec![];
    for i in 0..200 {
        app.show_cell(((i * 53) % 512, (i * 31) % 512));
        times.push(timed(|| draw(&mut t, &mut app)).0);
    }
    times.sort();
    let worst = times[198].as_secs_f64() * 1e3;
    say("a frame of Site, 512 x 512 cells and 500 zones, 99th percentile", worst, " ms", "at most 8");
}

pub fn badge() {
    let mut times = vec![];
    for _ in 0..TURNS {
        let mut app = opened(&DEMO.replace("lose ", "log ").replace("win ", "log "));
        app.session.run_ticks(9_999, || true);
        let mut t = in_memory();
        app.show_view(View::Script);
        draw(&mut t, &mut app);
        let at = app.script_text().find("lamps_lit += 1").expect("it is in the demo") + "lamps_lit += ".len();
        app.show_text(0, at);
        app.script.typing = true;
        press(&mut app, KeyCode::Char('2'));
        // Without the time for which a text must stand.
        app.work.changed_at = None;
        times.push(
            timed(|| {
                while app.texts_wait() || app.rerun.refly.is_some() {
                    app.go_on_with_texts(Instant::now());
                    app.fly_again(Instant::now() + Duration::from_millis(8));
                }
                draw(&mut t, &mut app);
            })
            .0,
        );
    }
    say("an edit of the demo to the badge, 10,000 ticks", median(times) * 1e3, " ms", "at most 200");
}
