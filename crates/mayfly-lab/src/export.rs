//! What is shown, as files for others: the cascade of a tick and the log as text, the watches over the whole
//! flight as a table.
//!
//! Not here: drawings; where the files go (the binary).
//!
//! Invariant: a table has one row for each tick in which a watched value changed, and a column for each watch;
//! text from a level stands in it as it is, quoted where the table's own signs are in it, but for what could steer a
//! terminal (an escape stands there) or be read as a formula (`'` stands before it).

use crate::session::Session;
use mayfly_base::Value;
use mayfly_engine::names::Named;
use mayfly_lang::diagnostic::safe;

/// What can be written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Export {
    /// This tick's firing order, as text.
    Cascade,
    /// Every watch over the whole flight, as CSV.
    Watches,
    /// What was told, cued and logged, as CSV.
    Log,
}

impl Export {
    pub const ALL: [(Self, &'static str, &'static str); 3] = [
        (Self::Cascade, "the cascade of this tick, as text", "cascade.txt"),
        (Self::Watches, "the watches over the flight, a table (CSV)", "watches.csv"),
        (Self::Log, "what was told, cued and logged, a table (CSV)", "log.csv"),
    ];

    /// How its file's name ends.
    pub fn ending(self) -> &'static str {
        Self::ALL.iter().find(|(e, _, _)| *e == self).map_or("txt", |(_, _, ending)| ending)
    }
}

impl Session {
    /// The text of a file.
    pub fn export(&self, what: Export, ascii: bool) -> String {
        match what {
            Export::Cascade => safe(&self.now.cascade.text(ascii)),
            Export::Watches => self.watches_table(),
            Export::Log => self.log_table(),
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

/// A duration is its seconds, all else as it is printed.
fn cell(v: &Value, names: &Named) -> String {
    match v {
        Value::Duration(d) => mayfly_base::value::show_number(*d as f64 / 1e6),
        v => v.show(names, None),
    }
}

/// A cell that no spreadsheet reads as a formula and no terminal as a command; numbers stay numbers.
fn safe_cell(text: &str) -> String {
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn cells_are_no_formulas_and_no_commands() {
        let cases = [
            ("=1+2", "'=1+2"),
            ("-3.5", "-3.5"),
            ("-x", "'-x"),
            ("+cmd", "'+cmd"),
            ("@a", "'@a"),
            ("plain", "plain"),
            ("a\u{1b}[31m", "a\\u{1b}[31m"),
            ("\u{2028}", "\\u{2028}"),
        ];
        for (text, cell) in cases {
            assert_eq!(safe_cell(text), cell);
        }
    }
}
