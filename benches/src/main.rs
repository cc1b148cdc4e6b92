//! Every figure of speed, as ratios measured side by side in one run: `cargo run --release`.
//!
//! Each pair is measured in turns, several times; the ratio of the medians is printed with what is wanted.

mod reedbed;
mod screens;
mod shapes;
mod writing;

use mayfly_engine::hash::state_hash;
use mayfly_engine::history::History;
use mayfly_engine::record::Nothing;
use mayfly_engine::renew::Kept;
use mayfly_engine::run::{RunSpec, run};
use mayfly_engine::{Engine, World};
use mayfly_session::index::{Index, Indexing};
use mayfly_lang::analysis::Analysis;
use mayfly_lang::check;
use mayfly_lang::format::format;
use mayfly_lang::services::complete::complete;
use reedbed::{Counts, LUA, RATE, Reedbed, SIZE};
use std::fmt::Write;
use std::time::{Duration, Instant};

const TURNS: usize = 5;

fn timed<T>(f: impl FnOnce() -> T) -> (Duration, T) {
    let t = Instant::now();
    let got = f();
    (t.elapsed(), got)
}

fn median(mut all: Vec<Duration>) -> f64 {
    all.sort();
    all[all.len() / 2].as_secs_f64()
}

fn say(what: &str, got: f64, unit: &str, wanted: &str) {
    println!("{what:<72} {got:>9.2}{unit}   {wanted}");
}

/// Flies with nothing recorded.
fn silent(engine: &Engine, ticks: u64) -> World {
    let (mut w, _) = engine.start(engine.program.seed, &Kept::default());
    while w.next < ticks {
        if engine.skip(&mut w, ticks) == 0 {
            engine.tick(&mut w, &[], &[], &mut Nothing);
        }
    }
    w
}

/// Flies as the application does: causes and writes recorded and indexed, keyframes kept.
fn recorded(engine: &Engine, ticks: u64) -> History {
    let mut h = History::new(engine, engine.program.seed, Kept::default());
    let mut index = Index::default();
    let names = mayfly_session::digest::Names::of(&engine.program);
    let names = Some((&names, &engine.program));
    while h.live_tick() < ticks {
        if h.skip(engine, ticks) == 0 {
            h.advance(engine, vec![], &mut Indexing { index: &mut index, count: 0, stops: None, names });
        }
    }
    h
}

fn counts(w: &World) -> Counts {
    let n = |i: usize| if let mayfly_base::Value::Number(n) = w.vars[i] { n as u64 } else { 0 };
    Counts { entered: n(0), left: n(1), tenths: n(2) }
}

fn four_ways() {
    let ticks = 1200;
    let bed = Reedbed::new(1000, 200, 3000, SIZE);
    let engine = bed.engine();
    let goals = bed.goals(&engine, ticks);
    let lua = mlua::Lua::new();
    lua.load(LUA).exec().expect("the Lua loads");
    let table = |list: &[(i64, i64)]| list.iter().map(|(x, y)| vec![*x, *y]).collect::<Vec<_>>();
    let (zones, places) = (table(&bed.zones), table(&bed.places));
    let aims: Vec<Vec<Vec<i64>>> = goals.iter().map(|g| table(g)).collect();
    let in_lua = |name: &str| {
        let f: mlua::Function = lua.globals().get(name).expect("a function");
        let got: (u64, u64, u64) =
            f.call((zones.clone(), places.clone(), aims.clone(), ticks, RATE, SIZE)).expect("it runs");
        Counts { entered: got.0, left: got.1, tenths: got.2 }
    };
    let mut times: [Vec<Duration>; 5] = Default::default();
    for _ in 0..TURNS {
        let runs = [
            timed(|| counts(recorded(&engine, ticks).live())),
            timed(|| counts(&silent(&engine, ticks))),
            timed(|| reedbed::by_hand(&bed, &goals, ticks, SIZE)),
            timed(|| in_lua("indexed")),
            timed(|| in_lua("polled")),
        ];
        for (list, (time, got)) in times.iter_mut().zip(runs) {
            assert_eq!(got, runs_first(&engine, ticks), "all ways end with the same counters");
            list.push(time);
        }
    }
    let [on, off, hand, indexed, polled] = times.map(median);
    println!("reedbed(1000, 200, 3000), {ticks} ticks: {:?}", counts(&silent(&engine, ticks)));
    say("  polled LuaJIT / Mayfly, recording on", polled / on, "x", "at least 20");
    say("  indexed LuaJIT / Mayfly, recording on", indexed / on, "x", "at least 1.5");
    say("  Mayfly, recording off / Rust by hand", off / hand, "x", "at most 1.6");
    say("  Mayfly, recording on / off", on / off, "x", "at most 1.3");
    println!("  per tick: recorded {:.1} us, silent {:.1} us, by hand {:.1} us", on / ticks as f64 * 1e6, off / ticks as f64 * 1e6, hand / ticks as f64 * 1e6);
}

fn runs_first(engine: &Engine, ticks: u64) -> Counts {
    use std::sync::OnceLock;
    static FIRST: OnceLock<(u64, u64, u64)> = OnceLock::new();
    let f = FIRST.get_or_init(|| {
        let c = counts(&silent(engine, ticks));
        (c.entered, c.left, c.tenths)
    });
    Counts { entered: f.0, left: f.1, tenths: f.2 }
}

fn engine_of(text: &str) -> Engine {
    let c = check::check("bench", text);
    let said: Vec<&str> = c.diagnostics.iter().map(|d| d.message.as_str()).collect();
    Engine::new(mayfly_session::lower::lower(&c.level.unwrap_or_else(|| panic!("{said:?}"))))
}

/// Two engines in turns: the ratio of their medians.
fn ratio(a: &Engine, b: &Engine, ticks: u64) -> f64 {
    let (mut x, mut y) = (vec![], vec![]);
    for _ in 0..TURNS {
        x.push(timed(|| silent(a, ticks)).0);
        y.push(timed(|| silent(b, ticks)).0);
    }
    let (x, y) = (median(x), median(y));
    println!("  per tick: {:.2} us, and {:.2} us", x / ticks as f64 * 1e6, y / ticks as f64 * 1e6);
    x / y
}

fn cost_follows_what_happens() {
    let level = |others: usize| {
        let mut t = String::from("var n = 0\n");
        for i in 0..50 {
            let _ = writeln!(t, "rule \"fires {i}\" {{ when tick; then {{ n += 1 }} }}");
        }
        for i in 0..others {
            let _ = writeln!(t, "message m{i}\nrule \"rests {i}\" {{ when hears m{i}; then {{ n -= 1 }} }}");
        }
        engine_of(&t)
    };
    say("50 rules fire a tick: among 100,000 / among 100", ratio(&level(99_950), &level(50), 2000), "x", "at most 1.2");
    let small = Reedbed::new(100, 200, 300, 81).engine();
    let large = Reedbed::new(1000, 2000, 3000, SIZE).engine();
    say("ten times the actors, the same density", ratio(&large, &small, 600), "x", "at most 11");
}

fn quiet_ticks() {
    let e = engine_of("clock tide { minute 60; hour 24; day 7; speed 1 minute per 500ms }\nvar days = 0\nrule \"day\" { when tide passes day; then { days += 1 } }\n");
    let (time, h) = timed(|| recorded(&e, 3_600_000));
    assert_eq!(h.live_tick(), 3_600_000);
    say("3,600,000 ticks of one clock and nothing moving", time.as_secs_f64() * 1e3, " ms", "under 50");
}

fn seeking() {
    let text = std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../examples/weir-house.may")).expect("the demo");
    // The demo ends when the flood comes; here it never does.
    let text = text.replace("lose ", "log ").replace("win ", "log ");
    let e = engine_of(&text);
    let ticks = 1_000_000;
    let before = resident();
    let (time, mut h) = timed(|| recorded(&e, ticks));
    say("a flight of 1,000,000 ticks of the demo: flown in", time.as_secs_f64(), " s", "");
    say("  its memory", (resident() - before) as f64 / 1024.0, " MB", "at most 300");
    let mut s = mayfly_base::random::Stream::new(3, "seek");
    let mut times = vec![];
    for _ in 0..200 {
        let to = s.below(ticks);
        let (time, w) = timed(|| h.world_at(&e, to));
        assert_eq!(w.next, to);
        times.push(time);
    }
    times.sort();
    say("  to any tick of it, 99th percentile", times[197].as_secs_f64() * 1e3, " ms", "at most 50");
    let w = h.world_at(&e, 777_777);
    let again = h.world_at(&e, 777_777);
    assert_eq!(state_hash(&w), state_hash(&again));
}

/// Many runs of the demo's first minute with other seeds, on one, two and four threads: the same each time.
fn many_runs() {
    let text = std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../examples/weir-house.may")).expect("the demo");
    let e = engine_of(&text);
    let (runs, ticks) = (1000u64, 1200);
    let (kept, inputs) = (Kept::default(), Default::default());
    let mut seen = vec![];
    for threads in [1, 2, 4] {
        let (time, sum) = timed(|| {
            let part = |n: u64| {
                let spec = |seed| RunSpec { seed, kept: &kept, inputs: &inputs, ticks };
                let all = (n..runs).step_by(threads);
                all.map(|seed| state_hash(&run(&e, &spec(seed), &mut Nothing).world)).fold(0u64, |a, h| a ^ h)
            };
            std::thread::scope(|s| {
                let all: Vec<_> = (0..threads as u64).map(|n| s.spawn(move || part(n))).collect();
                all.into_iter().map(|t| t.join().expect("it ends")).fold(0, |a, h| a ^ h)
            })
        });
        seen.push(sum);
        say(&format!("10,000 runs of the demo's first 60 s, {threads} threads (from 1000)"), time.as_secs_f64() * 10.0, " s", "at most 10 on two");
    }
    assert!(seen.iter().all(|s| *s == seen[0]), "the same for any number of threads");
}

/// KiB that this process holds.
fn resident() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find(|l| l.starts_with("VmRSS")).unwrap_or("");
    line.split_whitespace().nth(1).and_then(|n| n.parse().ok()).unwrap_or(0)
}

fn reading() {
    let t = writing::long(20_000);
    let lines = t.lines().count();
    let times: Vec<Duration> = (0..TURNS).map(|_| timed(|| check::check("long", &t)).0).collect();
    say(&format!("a level of {lines} lines is checked in"), median(times) * 1e3, " ms", "at most 100");
    let none = |_: &str| Err(mayfly_lang::check::LoadError::Missing);
    let times: Vec<Duration> = (0..TURNS).map(|_| timed(|| Analysis::of("long", &t, &mut none.clone())).0).collect();
    say("  with every use of every name", median(times) * 1e3, " ms", "");
    for (what, from, to) in [
        ("in a rule", "n < 7", "n < 8"),
        ("of a zone's place", "z1000 = rect (0, 5)", "z1000 = rect (0, 6)"),
        ("of a variable's first value", "var n = 0", "var n = 1"),
        ("in a kind", "oil = 1", "oil = 2"),
        ("of where an actor stands", "(0, 0)\n", "(0, 1)\n"),
        ("in a title", "\"rule 7\"", "\"rule x\""),
        ("of a declared name", "zone z7 ", "zone zx "),
        ("of a type", "zone z7 =", "zone z7 : spot ="),
        ("of a value by a mistake", "zone z7 = rect (7", "zone z7 = rect (7x"),
        ("of a name that nobody else writes", "var n2 = 0", "var n3 = 0"),
        ("of a declaration's word", "zone z7 = ", "zne z7 = "),
        ("that mends it", "vr n4 = 0", "var n4 = 0"),
        ("that takes away a declaration", "var n2 = 0", "//var n2 = 0"),
        ("that adds one to a list", "tag ripe", "tag ripe, far"),
        ("that takes a brace away", "oil = 1 }", "oil = 1 "),
        ("that adds a brace", "then {\n    n += 1", "then {{\n    n += 1"),
        ("that adds a draw", "n += 1", "n += random(1, 2)"),
        ("of a name that stands in all rules", "var n = 0", "var nx = 0"),
        ("of a variable's name that stands in all rules", "var oil", "var ail"),
        ("of a kind's name that stands in all rules", "kind person {", "kind persn {"),
        ("of that kind's base", "kind person {", "kind person like x {"),
        ("of a setting", "level \"long\" { rate 20 }", "level \"long\" { rate 21 }"),
    ] {
        let t = if t.contains(from) { t.clone() } else { format!("{from}\n{t}") };
        let a = Analysis::of("long", &t, &mut none.clone());
        let other = t.replacen(from, to, 1);
        let (mut told, mut all) = (vec![], vec![]);
        for _ in 0..TURNS {
            let begun = Instant::now();
            let mut tell = |_: &check::Checked| told.push(begun.elapsed());
            let _ = Analysis::telling("long", &other, &mut none.clone(), Some(&a), &mut tell);
            all.push(begun.elapsed());
        }
        say(&format!("  again after a one-letter edit {what}"), median(told) * 1e3, " ms", "at most 30");
        say("    with every use of every name", median(all) * 1e3, " ms", "");
    }
    let a = Analysis::of("long", &t, &mut none.clone());
    let times: Vec<Duration> = (0..TURNS).map(|_| timed(|| complete(&a, 0, t.len() / 2)).0).collect();
    say("  what can stand in the midst of it", median(times) * 1e3, " ms", "at most 16");
    let times: Vec<Duration> = (0..TURNS).map(|_| timed(|| format(&t).map(|c| c.edits().len())).0).collect();
    say("  formatted", median(times) * 1e3, " ms", "");
}

fn main() {
    // `profile [recorded|many]`: one flight, to be looked at by a profiler.
    if std::env::args().nth(1).as_deref() == Some("profile") {
        let how = std::env::args().nth(2);
        let many = if how.as_deref() == Some("many") { 10 } else { 1 };
        let e = Reedbed::new(1000, 200 * many, 3000, SIZE).engine();
        match how {
            Some(how) if how == "many" => println!("{:?}", counts(&silent(&e, 20_000))),
            Some(_) => println!("{:?}", counts(recorded(&e, 200_000).live())),
            None => println!("{:?}", counts(&silent(&e, 200_000))),
        }
        return;
    }
    // One part alone, by its name; all without one.
    let only = std::env::args().nth(1);
    let parts: [(&str, fn()); 12] = [
        ("reedbed", four_ways),
        ("cost", cost_follows_what_happens),
        ("quiet", quiet_ticks),
        ("seek", seeking),
        ("runs", many_runs),
        ("read", reading),
        ("shapes", shapes::shapes),
        ("frame", screens::frames),
        ("refly", screens::reflying),
        ("typing", writing::typing),
        ("site", writing::site),
        ("badge", writing::badge),
    ];
    for (_, part) in parts.iter().filter(|(name, _)| only.as_deref().is_none_or(|o| o == *name)) {
        part();
    }
}
