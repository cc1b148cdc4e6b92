//! Flights as files: JSON Lines (language.md §12).
//!
//! ```text
//! {"version":1,"level":"Weir House","text":"9f…","seed":7,"rate":20,"kept":{…}}
//! {"t":40,"in":[["keeper","wind"]]}
//! {"t":41,"down":[["keeper","east"]]}
//! {"t":52,"up":[["keeper","east"]],"poke":["keeper.oil = 9"]}
//! {"end":634,"state":"3c…"}
//! ```
//!
//! Invariant: what is read is what was written; the lines of a tick give its inputs in their order.

use crate::script::InputError;
use mayfly_base::random::{FNV_START, fnv};
use mayfly_base::*;
use mayfly_engine::hash::state_hash;
use mayfly_engine::history::History;
use mayfly_engine::names::Named;
use mayfly_engine::program::Program;
use mayfly_engine::renew::Kept;
use mayfly_engine::{Engine, Input, World};
use mayfly_lang::diagnostic::Source;
use mayfly_lang::level::Level;
use serde_json::{Value as Json, json};
use std::collections::BTreeMap;

const VERSION: u64 = 1;
/// Ticks that a flight may have.
pub const MAX_TICKS: u64 = 10_000_000;

/// The run of a flight that is written.
#[derive(Clone, Copy)]
pub struct Run<'a> {
    pub seed: u64,
    pub kept: &'a Kept,
    pub inputs: &'a BTreeMap<u64, Vec<Input>>,
    /// The world behind its last tick.
    pub end: &'a World,
}

impl<'a> From<&'a History> for Run<'a> {
    fn from(h: &'a History) -> Self {
        Self { seed: h.seed, kept: &h.kept, inputs: h.inputs(), end: h.live() }
    }
}

/// A flight that was read.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Flight {
    pub level: String,
    pub text: String,
    pub seed: u64,
    pub rate: u32,
    pub kept: Json,
    /// Inputs by tick, as they stand.
    pub ticks: BTreeMap<u64, Vec<Said>>,
    /// How many ticks it has, and the hash of its last state; none where it was cut off.
    pub end: Option<(u64, String)>,
}

/// One input in words.
#[derive(Clone, Debug, PartialEq)]
pub enum Said {
    Tap(String, String),
    Down(String, String),
    Up(String, String),
    Poke(String),
}

/// A hash of a level's text, all its files.
pub fn text_hash(sources: &[Source]) -> String {
    let hash = sources.iter().fold(FNV_START, |h, s| fnv(fnv(h, s.text.as_bytes()), b"\0"));
    format!("{hash:016x}")
}

/// The text of a flight file.
pub fn write(level: &Level, sources: &[Source], engine: &Engine, run: &Run) -> String {
    let p = &engine.program;
    let first = engine.start(run.seed, run.kept).0;
    let head = json!({
        "version": VERSION, "level": level.title, "text": text_hash(sources), "seed": run.seed,
        "rate": level.rate.0, "kept": crate::kept::to_json(p, &first),
    });
    let mut out = format!("{head}\n");
    for (tick, list) in run.inputs {
        let (mut line, mut last) = (serde_json::Map::new(), 0);
        for input in list {
            let (rank, key, what) = said(level, p, &first, input).row();
            // Keys stand before pokes in a line; another order takes another line.
            if rank < last {
                line.insert("t".into(), json!(tick));
                out.push_str(&format!("{}\n", Json::Object(std::mem::take(&mut line))));
            }
            last = rank;
            let list = line.entry(key).or_insert_with(|| json!([]));
            if let Json::Array(l) = list {
                l.push(what);
            }
        }
        let mut whole = serde_json::Map::new();
        whole.insert("t".into(), json!(tick));
        whole.append(&mut line);
        out.push_str(&format!("{}\n", Json::Object(whole)));
    }
    let state = format!("{:016x}", state_hash(run.end));
    out.push_str(&format!("{}\n", json!({"end": run.end.next, "state": state})));
    out
}

impl Said {
    /// In which order it stands in a line, under which key, and how.
    fn row(&self) -> (u8, &'static str, Json) {
        match self {
            Self::Tap(a, i) => (0, "in", json!([a, i])),
            Self::Down(a, i) => (1, "down", json!([a, i])),
            Self::Up(a, i) => (2, "up", json!([a, i])),
            Self::Poke(text) => (3, "poke", json!(text)),
        }
    }
}

/// An input in words.
fn said(level: &Level, p: &Program, world: &mayfly_engine::World, input: &Input) -> Said {
    let names =
        |a: &ActorId, i: &InputId| (world.actors[a.index()].name.to_string(), level.inputs[i.index()].name.clone());
    let key = |a, i, said: fn(String, String) -> Said| {
        let (a, i) = names(a, i);
        said(a, i)
    };
    match input {
        Input::Tap(a, i) => key(a, i, Said::Tap),
        Input::Down(a, i) => key(a, i, Said::Down),
        Input::Up(a, i) => key(a, i, Said::Up),
        Input::Poke(rule) => Said::Poke(p.rules[rule.index()].title.clone()),
        Input::Fix { draw, value } => {
            let place = &level.draws[draw.index()];
            let (title, nth) = place.rsplit_once('/').unwrap_or((place, "0"));
            let nth = nth.parse::<u32>().unwrap_or(0) + 1;
            let shown = match value {
                Value::Text(t) => format!("\"{t}\""),
                v => v.show(&Named(p, world), None),
            };
            Said::Poke(format!("next draw \"{title}\" {nth} = {shown}"))
        }
    }
}

/// Why a text is no flight.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum FlightError {
    #[error("line {line}: {why}")]
    Line { line: usize, why: LineError },
    #[error("this is no flight: it is empty")]
    Empty,
}

/// What is wrong with a line of a flight.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum LineError {
    /// With the words of the reader of JSON.
    #[error("this is no JSON: {0}")]
    NoJson(String),
    #[error("a flight begins with its version, level and seed")]
    NoHead,
    #[error("this flight is of version {0}; {VERSION} can be read")]
    OtherVersion(u64),
    #[error("the seed is missing")]
    NoSeed,
    #[error("something stands after the end")]
    AfterEnd,
    #[error("a flight of {0} ticks is too long: it has 10,000,000 at most")]
    TooLong(u64),
    #[error("its tick `t` is missing")]
    NoTick,
    #[error("tick {0} lies too far: a flight has 10,000,000 ticks at most")]
    TooFar(u64),
    #[error("its tick lies before that of the line before")]
    NotInOrder,
    #[error("`{0}` is a list: `\"{0}\":[…]`")]
    NoList(&'static str),
    #[error("an input is an actor and an input: `[\"keeper\",\"wind\"]`")]
    NoInput,
    #[error("a poke is one action in quotes")]
    NoPoke,
}

/// Reads a flight file.
///
/// # Errors
/// The line that is wrong, and why.
pub fn read(text: &str) -> Result<Flight, FlightError> {
    let mut f = Flight::default();
    for (i, line) in text.lines().enumerate().filter(|(_, l)| !l.trim().is_empty()) {
        let bad = |why: LineError| FlightError::Line { line: i + 1, why };
        let json: Json = match serde_json::from_str(line) {
            Ok(j) => j,
            // A process that was killed leaves half a line at the end.
            Err(_) if i > 0 && text.lines().count() == i + 1 => break,
            Err(e) => return Err(bad(LineError::NoJson(e.to_string()))),
        };
        if i == 0 {
            let version = json["version"].as_u64().ok_or_else(|| bad(LineError::NoHead))?;
            if version != VERSION {
                return Err(bad(LineError::OtherVersion(version)));
            }
            f.level = json["level"].as_str().unwrap_or_default().into();
            f.text = json["text"].as_str().unwrap_or_default().into();
            f.seed = json["seed"].as_u64().ok_or_else(|| bad(LineError::NoSeed))?;
            f.rate = json["rate"].as_u64().unwrap_or(0) as u32;
            f.kept = json["kept"].clone();
            continue;
        }
        if f.end.is_some() {
            return Err(bad(LineError::AfterEnd));
        }
        if let Some(end) = json["end"].as_u64() {
            if end > MAX_TICKS {
                return Err(bad(LineError::TooLong(end)));
            }
            f.end = Some((end, json["state"].as_str().unwrap_or_default().into()));
            continue;
        }
        let tick = json["t"].as_u64().ok_or_else(|| bad(LineError::NoTick))?;
        if tick >= MAX_TICKS {
            return Err(bad(LineError::TooFar(tick)));
        }
        if f.ticks.keys().last().is_some_and(|last| *last > tick) {
            return Err(bad(LineError::NotInOrder));
        }
        let list = f.ticks.entry(tick).or_default();
        let list_of = |key: &'static str| match &json[key] {
            Json::Null => Ok(&[][..]),
            Json::Array(list) => Ok(list.as_slice()),
            _ => Err(bad(LineError::NoList(key))),
        };
        for key in ["in", "down", "up"] {
            for pair in list_of(key)? {
                let (Some(a), Some(i)) = (pair[0].as_str(), pair[1].as_str()) else {
                    return Err(bad(LineError::NoInput));
                };
                let (a, i) = (a.to_string(), i.to_string());
                list.push(match key {
                    "in" => Said::Tap(a, i),
                    "down" => Said::Down(a, i),
                    _ => Said::Up(a, i),
                });
            }
        }
        for poke in list_of("poke")? {
            let poke = poke.as_str().ok_or_else(|| bad(LineError::NoPoke))?;
            list.push(Said::Poke(poke.into()));
        }
    }
    if f.rate == 0 {
        return Err(FlightError::Empty);
    }
    Ok(f)
}

impl Flight {
    /// How many ticks it has: to its end, or to its last input where it was cut off.
    pub fn ticks(&self) -> u64 {
        self.end.as_ref().map_or_else(|| self.ticks.keys().last().map_or(0, |t| t + 1), |(t, _)| *t)
    }

    /// Its inputs in a level; what no longer exists is told, line by line.
    pub fn resolve(&self, level: &Level, program: &mut Program) -> (BTreeMap<u64, Vec<Input>>, Vec<String>) {
        let (mut out, mut lost) = (BTreeMap::new(), vec![]);
        for (tick, list) in &self.ticks {
            let mut now = vec![];
            for said in list {
                match resolve(level, program, said) {
                    Ok(input) => now.push(input),
                    Err(why) => lost.push(format!("tick {tick}: {why}")),
                }
            }
            out.insert(*tick, now);
        }
        (out, lost)
    }
}

fn resolve(level: &Level, program: &mut Program, said: &Said) -> Result<Input, InputError> {
    let key = |a: &str, i: &str| crate::script::key(level, a, i);
    Ok(match said {
        Said::Tap(a, i) => key(a, i).map(|(a, i)| Input::Tap(a, i))?,
        Said::Down(a, i) => key(a, i).map(|(a, i)| Input::Down(a, i))?,
        Said::Up(a, i) => key(a, i).map(|(a, i)| Input::Up(a, i))?,
        Said::Poke(text) => crate::script::poke(level, program, text)?,
    })
}

/// The inputs of a flight in words, so that they can be flown in another text.
pub fn in_words(level: &Level, engine: &Engine, history: &History) -> Flight {
    let p = &engine.program;
    let first = engine.start(history.seed, &history.kept).0;
    let words = |list: &Vec<Input>| list.iter().map(|i| said(level, p, &first, i)).collect();
    Flight {
        level: level.title.clone(),
        seed: history.seed,
        rate: level.rate.0,
        kept: crate::kept::to_json(p, &first),
        ticks: history.inputs().iter().map(|(tick, list)| (*tick, words(list))).collect(),
        ..Flight::default()
    }
}
