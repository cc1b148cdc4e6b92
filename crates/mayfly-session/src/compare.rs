//! Two flights beside each other: that of the text before the last edit and that of the present one, or two branches of one
//! flight.
//!
//! Invariant: two texts had the same inputs, two branches have the same text; what is shown of a tick is what its cascade
//! says.

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
    /// What the two are called, and say of the tick in a few words.
    pub names: (String, String),
    pub then: String,
    pub now: String,
}

/// A line that only one of two texts has.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ChangedLine {
    /// Its number in its own text, from 1.
    pub line: usize,
    pub text: String,
    /// It stands in the present text.
    pub is_new: bool,
}

/// Changed lines that are told.
const MAX_LINES: usize = 200;

impl Session {
    /// The flight that this one is compared with: a branch where one was chosen, else that of the text before the last edit.
    pub fn other(&self) -> Option<&Session> {
        self.beside.as_ref().map(|(_, s)| &**s).or(self.then.as_deref())
    }

    /// A kept branch is compared with this one; without one, the text before the last edit is again.
    pub fn put_beside(&mut self, branch: Option<usize>) {
        self.beside = None;
        let Some(c) = branch.and_then(|i| self.branches.get(i)) else { return };
        let mut other = self.clone();
        (other.history, other.index, other.branch) = (c.history.clone(), c.index.clone(), c.name.clone());
        (other.then, other.branches, other.watches) = (None, vec![], vec![]);
        // What the copy shows is still of the present branch.
        let tick = self.moment.tick.min(other.last_tick());
        other.refresh_at(crate::moment::Moment { tick, at: crate::moment::At::End });
        self.beside = Some((c.name.clone(), Box::new(other)));
    }

    /// Ticks that both flights have.
    fn shared_ticks(&self) -> Option<u64> {
        self.other().map(|t| t.history.live_tick().min(self.history.live_tick()))
    }

    /// Every tick in which the two differ.
    pub fn differing(&self) -> Vec<u64> {
        let (Some(other), Some(until)) = (self.other(), self.shared_ticks()) else { return vec![] };
        let here: std::collections::BTreeSet<_> = self.index.digests.iter().collect();
        let there: std::collections::BTreeSet<_> = other.index.digests.iter().collect();
        let mut ticks: Vec<u64> = here.symmetric_difference(&there).map(|(t, _)| *t).filter(|t| *t < until).collect();
        ticks.dedup();
        ticks
    }

    /// Variables of the level whose values differ at the end of the moment's tick, with both values.
    pub fn differing_values(&mut self) -> Vec<(String, String, String)> {
        let tick = self.moment.tick;
        let engine = self.other().map(|o| o.engine.clone());
        let (Some(engine), true) = (engine, self.shared_ticks().is_some_and(|t| tick < t)) else { return vec![] };
        let other = match &mut self.beside {
            Some((_, s)) => s,
            None => match &mut self.then {
                Some(s) => s,
                None => return vec![],
            },
        };
        let world = other.history.world_at(&engine, tick + 1);
        let p = &engine.program;
        let words = crate::words::Words::new(p, &world);
        let here = crate::words::Words::new(&self.engine.program, &self.now.world);
        let mut out = vec![];
        for (i, v) in self.engine.program.vars.iter().enumerate() {
            let Some(j) = p.vars.iter().position(|x| x.name == v.name) else { continue };
            if let (Some(a), Some(b)) = (world.vars.get(j), self.now.world.vars.get(i))
                && !a.same(b)
            {
                out.push((v.name.clone(), words.value(a), here.value(b)));
            }
        }
        out
    }

    /// The lines that differ between the text before the last edit and the present one.
    pub fn changed_lines(&self) -> Vec<ChangedLine> {
        let Some(then) = self.then.as_ref() else { return vec![] };
        let mut out = vec![];
        for s in self.sources.iter() {
            let old = then.sources.iter().find(|o| o.name == s.name).map_or("", |o| o.text.as_str());
            let (a, b): (Vec<&str>, Vec<&str>) = (old.lines().collect(), s.text.lines().collect());
            for op in capture_diff_slices(Algorithm::Patience, &a, &b) {
                if op.tag() == DiffTag::Equal {
                    continue;
                }
                let line = |list: &[&str], n: usize, is_new| ChangedLine { line: n + 1, text: list[n].into(), is_new };
                out.extend(op.old_range().map(|n| line(&a, n, false)));
                out.extend(op.new_range().map(|n| line(&b, n, true)));
            }
        }
        out.truncate(MAX_LINES);
        out
    }

    /// The first tick in which this flight differs from the one before the last edit.
    pub fn parts_at(&self) -> Option<u64> {
        let then = self.other()?;
        digest::first_difference(&then.index.digests, &self.index.digests, self.shared_ticks()?)
    }

    /// The next tick at which the two differ, or the one before.
    pub fn next_difference(&self, forward: bool) -> Option<u64> {
        let (then, until) = (self.other()?, self.shared_ticks()?);
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
        let of = |s: &mut Session| (tick < s.history.live_tick()).then(|| s.cascade_of(tick));
        let (names, past) = match (&mut self.beside, &mut self.then) {
            (Some((name, s)), _) => ((name.clone(), self.branch.clone()), of(s)),
            (None, Some(s)) => (("then".to_string(), "now".to_string()), of(s)),
            (None, None) => return None,
        };
        let now = &self.now.cascade;
        let facts = |c: &crate::cascade::Cascade| format!("{} fired, {} held, {} spent", c.fired, c.held, c.spent);
        let (a, b) = (past.as_ref().map(lines).unwrap_or_default(), lines(now));
        Some(Comparison {
            rows: pair(&a, &b),
            names,
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
