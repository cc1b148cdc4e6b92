//! Texts that nobody would write: the examples and the cases, cut, spliced and filled with extremes.
//!
//! Whatever comes of one: it is checked within two seconds, what is said of it holds no raw control character, and
//! where it loads it flies, is asked everything at any moment, and is read again in another text. Nothing panics.
//!
//! Hundreds with every run, a million with
//! `MAYFLY_FUZZ_COUNT=1000000 cargo test --release -p mayfly-session --test all fuzz::`.

use mayfly_base::*;
use mayfly_lang::check;
use mayfly_lang::diagnostic::is_unsafe;
use mayfly_session::headless::{self, Order};
use mayfly_session::moment::{At, Moment};
use mayfly_session::script::Script;
use mayfly_session::session::Session;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::time::{Duration, Instant};

/// A stream of numbers, the same for the same seed.
struct Chance(u64);

impl Chance {
    fn next(&mut self) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0
    }

    fn below(&mut self, n: usize) -> usize {
        (self.next() % n.max(1) as u64) as usize
    }

    fn of<'t, T>(&mut self, list: &'t [T]) -> &'t T {
        &list[self.below(list.len())]
    }
}

/// What stands where something else stood.
const EXTREMES: &[&str] = &[
    "0",
    "-1",
    "0.000001",
    "999999999999999999999999",
    "1000000",
    "0s",
    "9999999h",
    "1 tick",
    "none",
    "self",
    "{",
    "}",
    "(",
    ")",
    "[",
    "]",
    "\"",
    ";",
    ",",
    ".",
    "=",
    "==",
    "else",
    "if",
    "then",
    "to",
    "and",
    "not",
    "any",
    "all",
    "count(",
    "some(",
    "first(",
    "in",
    "is",
    "when",
    "rule \"x\" {",
    "wait 1s",
    "loop { }",
    "while true { }",
    "repeat 9999 {",
    "push keeper by (1000000, 0)",
    "walk keeper to (999999, 0)",
    "slide keeper to (999999, 3) over 1s",
    "falls 1000000",
    "size (1000, 1000)",
    "speed 1000000",
    "disc 10000",
    "spawn crate at (1, 1)",
    "remove self",
    "reset self",
    "restart",
    "win \"w\"",
    "lay boards at (1, 1)",
    "random(1, 6)",
    "chance(50%)",
    "\u{202e}",
    "\u{1b}[31m",
    "e\u{301}",
    "\t",
    "\n",
    "1 / 0",
    "x mod 0",
    "text",
    "list of list of",
    "meanwhile { }",
    "ramp",
    "go",
    "every 1 tick",
    "tick",
    "start",
];

fn texts() -> Vec<String> {
    let root = std::path::Path::new(env!("CARGO_MANIFEST_DIR"));
    let folders = [root.join("tests/cascades"), root.join("../../examples")];
    let files = folders.iter().flat_map(|f| std::fs::read_dir(f).expect("a folder")).flatten();
    let mut paths: Vec<_> = files.map(|f| f.path()).collect();
    paths.sort();
    let read = |p: &std::path::PathBuf| std::fs::read_to_string(p).expect("a file");
    paths.iter().map(read).map(|t| t.split("--- ").next().unwrap_or_default().to_string()).collect()
}

/// Words, numbers and signs, with what stands between them.
fn pieces(text: &str) -> Vec<&str> {
    let mut out = vec![];
    let mut from = 0;
    let class = |c: char| if c.is_alphanumeric() || c == '_' { 1 } else { 2 };
    let mut last = 0;
    for (i, c) in text.char_indices() {
        if i > from && (class(c) == 2 || class(c) != last) {
            out.push(&text[from..i]);
            from = i;
        }
        last = class(c);
    }
    out.push(&text[from..]);
    out
}

fn mutated(texts: &[String], chance: &mut Chance) -> String {
    let text = chance.of(texts).clone();
    let mut all: Vec<String> = pieces(&text).into_iter().map(String::from).collect();
    for _ in 0..1 + chance.below(4) {
        let at = chance.below(all.len());
        match chance.below(7) {
            0 => drop(all.remove(at)),
            1 => all.insert(at, (*chance.of(EXTREMES)).into()),
            2 => all[at] = format!(" {} ", chance.of(EXTREMES)),
            3 => {
                let other = chance.below(all.len());
                all.swap(at, other);
            }
            4 => {
                let to = (at + 1 + chance.below(30)).min(all.len());
                let part: Vec<String> = all[at..to].to_vec();
                all.splice(at..at, part);
            }
            5 => {
                let to = (at + 1 + chance.below(12)).min(all.len());
                all.drain(at..to);
            }
            _ => {
                let other = chance.of(texts);
                let theirs = pieces(other);
                let from = chance.below(theirs.len());
                let to = (from + chance.below(40)).min(theirs.len());
                all.splice(at..at, theirs[from..to].iter().map(|s| (*s).to_string()));
            }
        }
        if all.is_empty() {
            break;
        }
    }
    all.concat()
}

const POKES: &[&str] =
    &["move keeper to (3, 3)", "keeper.oil = 4", "remove keeper", "restart", "log 1", "spawn crate at (2, 2)"];

fn inputs(chance: &mut Chance) -> Script {
    let mut script = Script::default();
    for _ in 0..chance.below(6) {
        let tick = chance.below(30);
        let deed = match chance.below(2) {
            0 => format!("{tick}: keeper {}", chance.of(&["east", "west", "north", "south", "wind"])),
            _ => format!("{tick}: poke {}", chance.of(POKES)),
        };
        script.add(&deed).expect("an input");
    }
    script
}

/// Everything that can be asked, at some moments of a flight.
fn ask_all(s: &mut Session, chance: &mut Chance) {
    for _ in 0..3 {
        let tick = chance.below(s.history.live_tick() as usize) as u64;
        let records = s.now.records.len().max(1);
        let at = [At::Start, At::End, At::Record(chance.below(records) as u32)][chance.below(3)];
        s.go(Moment { tick, at });
        for rule in 0..s.engine.program.rules.len() {
            s.why_not(RuleId::at(rule));
        }
        let rungs: Vec<u32> = s.now.cascade.rungs().map(|r| r.number).take(20).collect();
        rungs.into_iter().for_each(|n| drop(s.why(n)));
        let actors: Vec<ActorId> = (0..s.history.live().actors.made()).map(ActorId::at).take(30).collect();
        actors.into_iter().for_each(|a| drop(s.about_actor(a)));
        let machines: Vec<_> = s.now.world.machines.keys().copied().take(20).collect();
        machines.into_iter().for_each(|m| drop(s.about_machine(m)));
        s.seen();
        s.here();
    }
}

/// What is wrong with how a text is taken, if anything.
fn trial(text: &str, other: &str, chance: &mut Chance) -> Result<(), String> {
    let began = Instant::now();
    let checked = check::check("t.may", text);
    for d in &checked.diagnostics {
        let said = d.print(&checked.sources, false);
        if said.chars().any(|c| is_unsafe(c) && c != '\n') {
            return Err(format!("raw characters are said: {said:?}"));
        }
    }
    let Some(level) = checked.level else { return within(began, "checking") };
    within(began, "checking")?;
    let began = Instant::now();
    let order = Order { script: inputs(chance), ..Order::ticks(60) };
    if let Ok(flown) = headless::fly(&level, &order) {
        let json =
            mayfly_lang::diagnostic::safe_json(&mayfly_session::report::report(&level, &flown.facts()).to_string());
        if json.chars().any(is_unsafe) {
            return Err("raw characters stand in the JSON".into());
        }
    }
    within(began, "sixty ticks")?;
    let began = Instant::now();
    let mut s = Session::new(checked.sources, level);
    for _ in 0..3 {
        let poke = POKES[chance.below(POKES.len())];
        let _ = s.poke(poke);
        s.run_ticks(8, || true);
    }
    let before = mayfly_engine::hash::state_hash(s.history.live());
    ask_all(&mut s, chance);
    if mayfly_engine::hash::state_hash(s.history.live()) != before {
        return Err("asking changed the flight".into());
    }
    if let mayfly_session::reload::Reloaded::Begun(mut again) = s.reload(check::check("t.may", other)) {
        again.fly(|| true);
        again.finish(&mut s, &mut vec![]);
        ask_all(&mut s, chance);
    }
    within(began, "asking")
}

fn within(began: Instant, what: &str) -> Result<(), String> {
    // An unoptimised build takes some seconds at worst.
    let most = Duration::from_secs(20);
    let took = began.elapsed();
    if took > most { Err(format!("{what} took {took:?}")) } else { Ok(()) }
}

/// `from`: the texts before it are made and not tried, to find one again.
fn try_many(seed: u64, from: u64, count: u64) {
    let texts = texts();
    let mut chance = Chance(seed);
    let mut wrong: Vec<String> = vec![];
    let hook = std::panic::take_hook();
    if from == 0 {
        std::panic::set_hook(Box::new(|_| {}));
    }
    for i in 0..count {
        let text = mutated(&texts, &mut chance);
        let other = mutated(&texts, &mut chance);
        let after = chance.0;
        if i < from {
            continue;
        }
        let said = match catch_unwind(AssertUnwindSafe(|| trial(&text, &other, &mut Chance(after)))) {
            Ok(Ok(())) => continue,
            Ok(Err(why)) => why,
            Err(panic) => {
                let text = panic.downcast_ref::<String>().cloned();
                text.or_else(|| panic.downcast_ref::<&str>().map(|s| (*s).to_string())).unwrap_or_default()
            }
        };
        wrong.push(format!("text {i}: {said}\n{text}\n"));
        if wrong.len() >= 5 {
            break;
        }
    }
    std::panic::set_hook(hook);
    assert!(wrong.is_empty(), "{}", wrong.join("\n=====\n"));
}

/// Hundreds, or as many as `MAYFLY_FUZZ_COUNT` says.
#[test]
fn broken_texts_break_nothing() {
    let set = |name: &str| std::env::var(name).ok().and_then(|s| s.parse().ok());
    let seed = set("MAYFLY_FUZZ_SEED").unwrap_or(0x9e37_79b9_7f4a_7c15);
    let count = set("MAYFLY_FUZZ_COUNT").unwrap_or(400);
    try_many(seed, set("MAYFLY_FUZZ_FROM").unwrap_or(0), count);
}
