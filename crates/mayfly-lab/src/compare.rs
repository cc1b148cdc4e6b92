//! Then and now: the flight of the text before the last edit beside the flight of the present one.
//!
//! Invariant: both flights had the same inputs; what is shown of a tick is what its cascade says.

use crate::cascade::Done;
use crate::cascade_text::line_text;
use crate::digest;
use crate::session::Session;
use similar::{Algorithm, DiffTag, capture_diff_slices};

/// One row of the comparison.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Row {
    pub then: Option<String>,
    pub now: Option<String>,
    /// 0: an event, 1: a rung, 2: what a rung did.
    pub depth: u8,
}

impl Row {
    /// True where only one of the two has it.
    pub fn differs(&self) -> bool {
        self.then != self.now
    }
}

/// Two cascades of one tick, beside each other.
#[derive(Clone, Debug, Default)]
pub struct Comparison {
    pub rows: Vec<Row>,
    /// What the two say of the tick in a few words.
    pub then: String,
    pub now: String,
}

impl Session {
    /// Ticks that both flights have.
    fn shared_ticks(&self) -> Option<u64> {
        self.then.as_ref().map(|t| t.history.live_tick().min(self.history.live_tick()))
    }

    /// The first tick in which this flight differs from the one before the last edit.
    pub fn parts_at(&self) -> Option<u64> {
        let then = self.then.as_ref()?;
        digest::first_difference(&then.index.digests, &self.index.digests, self.shared_ticks()?)
    }

    /// The next tick at which the two differ, or the one before.
    pub fn next_difference(&self, forward: bool) -> Option<u64> {
        let (then, until) = (self.then.as_ref()?, self.shared_ticks()?);
        let here = self.moment.tick;
        let range = if forward { (here + 1).min(until)..until } else { 0..here.min(until) };
        let within = |l: &[(u64, u64)]| -> Vec<(u64, u64)> {
            l[l.partition_point(|(t, _)| *t < range.start)..l.partition_point(|(t, _)| *t < range.end)].to_vec()
        };
        let (a, b) = (within(&then.index.digests), within(&self.index.digests));
        if forward {
            return digest::first_difference(&a, &b, until);
        }
        let here: std::collections::BTreeSet<_> = a.iter().collect();
        let there: std::collections::BTreeSet<_> = b.iter().collect();
        here.symmetric_difference(&there).map(|(t, _)| *t).max()
    }

    /// Both cascades of the moment's tick.
    pub fn compare(&mut self) -> Option<Comparison> {
        let tick = self.now.tick;
        let mut then = self.then.take()?;
        let past = (tick < then.history.live_tick()).then(|| then.cascade_of(tick));
        self.then = Some(then);
        let now = &self.now.cascade;
        let facts = |c: &crate::cascade::Cascade| format!("{} fired, {} held, {} spent", c.fired, c.held, c.spent);
        let (a, b) = (past.as_ref().map(lines).unwrap_or_default(), lines(now));
        Some(Comparison {
            rows: pair(&a, &b),
            then: past.as_ref().map_or("had ended before".into(), facts),
            now: facts(now),
        })
    }
}

fn lines(c: &crate::cascade::Cascade) -> Vec<(u8, String)> {
    let mut out: Vec<(u8, String)> = c.before.iter().map(|l| (2, line_text(&l.what, "→"))).collect();
    for g in &c.groups {
        out.push((0, g.title.clone()));
        for r in &g.rungs {
            let note = if r.note.is_empty() { String::new() } else { format!("  {}", r.note) };
            out.push((1, format!("{} {}{note}", r.mark.sign(), r.title)));
            // Which rung replaced a write is told by the cascade; its number alone is no difference.
            let plain = |d: &Done| match d {
                Done::Wrote { name, old, new, .. } if !old.is_empty() => format!("{name} {old} → {new}"),
                d => line_text(d, "→"),
            };
            out.extend(r.lines.iter().map(|l| (2, plain(&l.what))));
        }
    }
    out
}

fn pair(a: &[(u8, String)], b: &[(u8, String)]) -> Vec<Row> {
    let mut rows = vec![];
    let one = |x: Option<&(u8, String)>, y: Option<&(u8, String)>| Row {
        depth: x.or(y).map_or(0, |l| l.0),
        then: x.map(|l| l.1.clone()),
        now: y.map(|l| l.1.clone()),
    };
    for op in capture_diff_slices(Algorithm::Patience, a, b) {
        let (x, y) = (&a[op.old_range()], &b[op.new_range()]);
        if op.tag() == DiffTag::Equal {
            rows.extend(x.iter().zip(y).map(|(x, y)| one(Some(x), Some(y))));
        } else {
            rows.extend((0..x.len().max(y.len())).map(|i| one(x.get(i), y.get(i))));
        }
    }
    rows
}
