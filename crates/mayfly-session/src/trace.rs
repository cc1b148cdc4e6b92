//! A tick's cascade as one JSON object, for programs: one line a tick in `mayfly fly --print trace`.
//!
//! Invariant: everything that was evaluated stands in it, in its order; the keys are those of `docs/formats.md`.

use crate::cascade::{Cascade, Done, Line, Mark, Origin, Rung};
use crate::cascade_text::line_text;
use crate::words::Words;
use serde_json::{Value as Json, json};

/// The verdict as one word.
fn verdict(m: Mark) -> &'static str {
    match m {
        Mark::Fired => "fired",
        Mark::Held => "held",
        Mark::Spent => "spent",
        Mark::Passed => "passed",
        Mark::Asleep => "asleep",
        Mark::GoesOn => "goes-on",
        Mark::Fault => "fault",
    }
}

/// One tick.
pub fn tick(c: &Cascade, words: &Words) -> Json {
    json!({
        "tick": c.tick,
        "before": c.before.iter().map(line).collect::<Vec<_>>(),
        "events": c.groups.iter().map(|g| {
            let mut event = json!({
                "round": g.round,
                "event": g.title,
                "from": origin(g.source),
                "rungs": g.rungs.iter().map(|r| rung(r, words)).collect::<Vec<_>>(),
            });
            if g.unheard {
                event["unheard"] = json!(true);
            }
            if g.dropped {
                event["dropped"] = json!(true);
            }
            event
        }).collect::<Vec<_>>(),
    })
}

/// Where an event came from: a word, a rung of this tick, or an earlier tick.
fn origin(o: Origin) -> Json {
    match o {
        Origin::Sensed => json!("sensed"),
        Origin::Noticed => json!("noticed"),
        Origin::Key => json!("key"),
        Origin::Clock => json!("time"),
        Origin::Start => json!("start"),
        Origin::Hand => json!("hand"),
        Origin::Rung(_, n) => json!({"rung": n}),
        Origin::Earlier(t) => json!({"tick": t}),
    }
}

fn rung(r: &Rung, words: &Words) -> Json {
    json!({
        "number": r.number,
        "rule": words.program.rule_in_full(r.rule),
        "self": r.me.map(|a| words.actor(a)),
        "verdict": verdict(r.mark),
        "note": r.note,
        "clauses": r.clauses.iter().map(|c| json!({
            "text": c.text,
            "true": c.held,
            "values": c.values.iter().map(|(n, v)| json!([n, v])).collect::<Vec<_>>(),
        })).collect::<Vec<_>>(),
        "did": r.lines.iter().map(line).collect::<Vec<_>>(),
    })
}

fn line(l: &Line) -> Json {
    match &l.what {
        Done::Wrote { name, old, new, overwritten_by, undoes, .. } => {
            let mut wrote = json!({"wrote": name, "old": old, "new": new});
            if let Some((_, n)) = overwritten_by {
                wrote["overwritten_by"] = json!(n);
            }
            if let Some((_, n)) = undoes {
                wrote["overwrites"] = json!(n);
            }
            wrote
        }
        Done::Sent { text, after } => json!({"sent": text, "after_ticks": after}),
        Done::Said { verb, text } => json!({"said": text, "how": verb}),
        Done::Drew { text, odds } => json!({"drew": text, "odds": odds}),
        Done::Turns { count, .. } => json!({"loop": count}),
        Done::Fault(text) => json!({"fault": text}),
        Done::Other(_) => json!({"did": line_text(&l.what, "->")}),
    }
}
