//! The contract of the language, sentence by sentence: small levels, and what they say when they are flown.
//!
//! Each test names its sentence. What a level says is one line for each text that it tells, cues or logs,
//! `TICK TEXT`, and `TICK ! KIND` for a fault; most levels would say something else if the opposite held.

mod actions;
mod bounds;
mod events;
mod faults;
mod files;
mod findings;
mod flights;
mod interplay;
mod machines;
mod order;
mod revised;
mod rules;
mod sensing;
mod text;
mod time;
mod values;
mod walking;

use mayfly_lang::check;
use mayfly_lang::level::Level;
use mayfly_session::headless::{self, Flown, Order};
use mayfly_session::script::Script;
use std::sync::Arc;

/// Ground on which the levels below stand: a wall round two rows, with reeds and water in them.
pub const GROUND: &str = "level \"T\" { rate 20; seed 5 }\n\
tiles { '#' wall solid opaque; '_' boards tagged footing; 'r' reeds opaque tagged cover; 'w' water solid }\n\
map \"\"\"\n############\n#____r___w_#\n#__________#\n############\n\"\"\"\n";

/// A checked level; panics with its diagnostics where it has errors.
pub fn level(text: &str) -> Arc<Level> {
    let c = check::check("t.may", text);
    let said: Vec<String> = c.diagnostics.iter().map(|d| d.print(&c.sources, false)).collect();
    c.level.unwrap_or_else(|| panic!("{}", said.join("\n")))
}

/// Flies a level with these inputs.
pub fn flown(text: &str, inputs: &[&str], ticks: u64) -> Flown {
    let mut script = Script::default();
    inputs.iter().for_each(|i| script.add(i).expect("an input"));
    headless::fly(&level(text), &Order { script, ..Order::ticks(ticks) }).expect("it flies")
}

/// What a level says, a line each.
pub fn said(text: &str, inputs: &[&str], ticks: u64) -> Vec<String> {
    let f = flown(text, inputs, ticks);
    let mut lines: Vec<(u64, String)> = f.log.iter().map(|l| (l.tick, format!("{} {}", l.tick, l.text))).collect();
    lines.extend(f.faults.iter().map(|x| (x.tick, format!("{} ! {}", x.tick, x.fault.kind.name()))));
    lines.sort_by_key(|(tick, _)| *tick);
    lines.into_iter().map(|(_, l)| l).collect()
}

/// Holds what a level says against what it must say; a line of `want` may hold several, parted by `;`.
#[track_caller]
pub fn says(text: &str, inputs: &[&str], ticks: u64, want: &str) {
    let want: Vec<String> = want.split([';', '\n']).map(|l| l.trim().to_string()).filter(|l| !l.is_empty()).collect();
    let got = said(text, inputs, ticks);
    assert!(got == want, "wanted\n  {}\ngot\n  {}", want.join("\n  "), got.join("\n  "));
}

/// As [`says`], on [`GROUND`] with the keeper `k` on it.
#[track_caller]
pub fn on_ground(rest: &str, inputs: &[&str], ticks: u64, want: &str) {
    says(
        &format!(
            r#"{GROUND}kind person {{ steered; speed 4 }}
place k: person at (1, 1)
{rest}
"#
        ),
        inputs,
        ticks,
        want,
    );
}

/// The codes of all diagnostics of a text, in order.
pub fn codes(text: &str) -> Vec<&'static str> {
    check::check("t.may", text).diagnostics.iter().map(|d| d.code).collect()
}
