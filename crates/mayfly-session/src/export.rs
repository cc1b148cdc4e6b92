//! What is shown, as files for others: the cascade of a tick and the log as text, the watches over the whole
//! flight as a table.
//!
//! Not here: drawings; where the files go (the binary).
//!
//! Invariant: a table has one row for each tick in which a watched value changed, and a column for each watch;
//! text from a level stands in it as it is, quoted where the table's own signs are in it, but for what could steer a
//! terminal (an escape stands there) or be read as a formula (`'` stands before it).

use crate::session::Session;
use crate::words::Words;
use mayfly_base::Value;
use mayfly_engine::names::Named;
use mayfly_engine::{Target, TraceEvent, Verdict};
use mayfly_lang::diagnostic::safe;

/// Rows of a table of the whole flight.
const MAX_ROWS: usize = 500_000;

/// What can be written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Export {
    /// This tick's firing order, as text.
    Cascade,
    /// Every watch over the whole flight, as CSV.
    Watches,
    /// What was told, cued and logged, as CSV.
    Log,
    /// Every evaluation of the flight, as CSV.
    Evaluations,
    /// Every write of the flight, as CSV.
    Writes,
}

impl Export {
    pub const ALL: [(Self, &'static str, &'static str); 5] = [
        (Self::Cascade, "the cascade of this tick, as text", "cascade.txt"),
        (Self::Watches, "the watches over the flight, a table (CSV)", "watches.csv"),
        (Self::Log, "what was told, cued and logged, a table (CSV)", "log.csv"),
        (Self::Evaluations, "every evaluation of the flight, a table (CSV)", "evaluations.csv"),
        (Self::Writes, "every write of the flight, a table (CSV)", "writes.csv"),
    ];

    /// How its file's name ends.
    pub fn ending(self) -> &'static str {
        Self::ALL.iter().find(|(e, _, _)| *e == self).map_or("txt", |(_, _, ending)| ending)
    }
}

impl Session {
    /// The text of a file.
    pub fn export(&mut self, what: Export, ascii: bool) -> String {
        match what {
            Export::Cascade => safe(&self.now.cascade.text(ascii)),
            Export::Watches => self.watches_table(),
            Export::Log => self.log_table(),
            Export::Evaluations => self.evaluations_table(),
            Export::Writes => self.writes_table(),
        }
    }

    /// One row for each evaluation: when, in which round, which rule of whom, and what came of it.
    fn evaluations_table(&mut self) -> String {
        let mut rows = vec![["tick", "round", "rule", "self", "verdict"].map(String::from).to_vec()];
        self.each_record(
            |rows_of, words, round, r| {
                let (rule, me, verdict) = match r {
                    TraceEvent::Evaluated { rule, me, verdict, .. } => (*rule, *me, word(verdict)),
                    TraceEvent::GoesOn { rule, me, .. } => (*rule, *me, "goes-on"),
                    _ => return None,
                };
                let who = me.map_or(String::new(), |a| words.actor(a));
                Some(vec![
                    rows_of.to_string(),
                    round.to_string(),
                    words.program.rule_in_full(rule),
                    who,
                    verdict.into(),
                ])
            },
            &mut rows,
        );
        table(rows)
    }

    /// One row for each write: when, what, from and to, and by which rule.
    fn writes_table(&mut self) -> String {
        let mut rows = vec![["tick", "round", "what", "old", "new", "by"].map(String::from).to_vec()];
        let mut by = String::new();
        self.each_record(
            |tick, words, round, r| match r {
                TraceEvent::Round(_) | TraceEvent::Event { .. } | TraceEvent::Poked(_) => {
                    by = if matches!(r, TraceEvent::Poked(_)) { "a poke".into() } else { String::new() };
                    None
                }
                TraceEvent::Evaluated { rule, .. } | TraceEvent::GoesOn { rule, .. } => {
                    by = words.program.rule_in_full(*rule);
                    None
                }
                TraceEvent::Wrote { target, old, new, .. } if !matches!(target, Target::Local(_)) => {
                    let names = Named(words.program, words.world);
                    let what = words.target(*target, &[]);
                    Some(vec![
                        tick.to_string(),
                        round.to_string(),
                        what,
                        cell(old, &names),
                        cell(new, &names),
                        by.clone(),
                    ])
                }
                _ => None,
            },
            &mut rows,
        );
        table(rows)
    }

    /// A row for each record that has one, over the whole flight; past the bound a last row says so.
    fn each_record(
        &mut self,
        mut row: impl FnMut(u64, &Words, u32, &TraceEvent) -> Option<Vec<String>>,
        rows: &mut Vec<Vec<String>>,
    ) {
        let engine = self.engine.clone();
        let until = self.history.live_tick();
        self.history.scan(&engine, 0, until, |tick, trace, world| {
            let words = Words::new(&engine.program, world);
            let mut round = 0;
            for r in &trace.records {
                if let TraceEvent::Round(n) = r {
                    round = *n;
                }
                rows.extend(row(tick, &words, round, r));
            }
            rows.len() > MAX_ROWS
        });
        if rows.len() > MAX_ROWS {
            let columns = rows[0].len();
            rows.truncate(MAX_ROWS);
            let mut last = vec![String::new(); columns];
            last[columns - 1] = format!("the table ends after {MAX_ROWS} rows, the flight goes on");
            rows.push(last);
        }
    }

    fn watches_table(&self) -> String {
        let watches: Vec<_> = self.watches.iter().filter(|w| !w.heading).collect();
        let mut ticks: Vec<u64> = watches.iter().flat_map(|w| w.series.iter().map(|(t, _)| *t)).collect();
        ticks.sort_unstable();
        ticks.dedup();
        let names = Named(&self.engine.program, self.history.live());
        let mut rows = vec![];
        rows.push(
            ["tick", "seconds"].into_iter().chain(watches.iter().map(|w| w.text.as_str())).map(String::from).collect(),
        );
        for t in ticks {
            let seconds = t as f64 / f64::from(self.level.rate.0);
            let mut row = vec![t.to_string(), format!("{seconds:.3}")];
            row.extend(watches.iter().map(|w| w.at(t).map_or(String::new(), |v| cell(v, &names))));
            rows.push(row);
        }
        table(rows)
    }

    fn log_table(&self) -> String {
        let mut rows = vec![vec!["tick".to_string(), "what".into(), "text".into()]];
        rows.extend(self.index.log.iter().map(|l| vec![l.tick.to_string(), l.what.to_string(), l.text.clone()]));
        table(rows)
    }
}

/// A verdict in a word.
fn word(v: &Verdict) -> &'static str {
    match v {
        Verdict::Fired => "fired",
        Verdict::Held { .. } => "held",
        Verdict::Spent(_) => "spent",
        Verdict::PassedOver => "passed",
        Verdict::Asleep => "asleep",
    }
}

/// A duration is its seconds, all else as it is printed.
fn cell(v: &Value, names: &Named) -> String {
    match v {
        Value::Duration(d) => mayfly_base::number::show_number(*d as f64 / 1e6),
        v => v.show(names, None),
    }
}

/// A cell that no spreadsheet reads as a formula and no terminal as a command; numbers stay numbers.
pub fn safe_cell(text: &str) -> String {
    let text = safe(text);
    let is_number = text.parse::<f64>().is_ok();
    if text.starts_with(['=', '+', '-', '@', '\t', '\r']) && !is_number { format!("'{text}") } else { text }
}

fn table(rows: Vec<Vec<String>>) -> String {
    let mut w = csv::Writer::from_writer(vec![]);
    for r in &rows {
        // Every row is as long as the first, and memory does not fail to be written to.
        let _ = w.write_record(r.iter().map(|c| safe_cell(c)));
    }
    w.into_inner().ok().and_then(|b| String::from_utf8(b).ok()).unwrap_or_default()
}
