//! The cascade as text: for a terminal, a file, the clipboard, or a test.
//!
//! Invariant: a pure function of the cascade.

use crate::cascade::{Cascade, Done, Origin};

impl Cascade {
    /// As text, one line each: for a terminal, a file, or a test.
    pub fn text(&self, ascii: bool) -> String {
        let mut out = format!("tick {} · {} fired, {} held, {} spent\n", self.tick, self.fired, self.held, self.spent);
        let arrow = if ascii { "->" } else { "→" };
        for l in &self.before {
            out.push_str(&format!("    {}\n", line_text(&l.what, arrow)));
        }
        let mut round = 0;
        for g in &self.groups {
            let label = if g.round == round { "  ".into() } else { format!("{:>2}", g.round) };
            round = g.round;
            let from = match g.source {
                Origin::Rung(r, n) => format!("  from {r}.{n}"),
                Origin::Earlier(t) => format!("  from tick {t}"),
                _ => String::new(),
            };
            let unheard = if g.dropped {
                "  dropped: it is gone"
            } else if g.unheard {
                "  heard by nobody"
            } else {
                ""
            };
            out.push_str(&format!("{label}  {}{from}{unheard}\n", g.title));
            for r in &g.rungs {
                let sign = if ascii { r.mark.plain() } else { r.mark.sign() };
                let note = if r.note.is_empty() { String::new() } else { format!("  ({})", r.note) };
                out.push_str(&format!("    {} {sign} {}{note}\n", r.number, r.title));
                for l in &r.lines {
                    out.push_str(&format!("        {}\n", line_text(&l.what, arrow)));
                }
            }
        }
        out
    }
}

/// One line of what was done.
pub fn line_text(what: &Done, arrow: &str) -> String {
    match what {
        Done::Wrote { name, old, new, kept_in, overwritten_by, undoes, .. } => {
            let mut s = if old.is_empty() { format!("{name} {new}") } else { format!("{name} {old} {arrow} {new}") };
            if *kept_in {
                s.push_str(", stopped at its bound");
            }
            if let Some((r, n)) = overwritten_by {
                s.push_str(&format!("  overwritten by {r}.{n}"));
            }
            if let Some((r, n)) = undoes {
                s.push_str(&format!("  overwrites {r}.{n}"));
            }
            s
        }
        Done::Sent { text, after: 0 } => format!("sends {text}"),
        Done::Sent { text, after } => format!("sends {text} in {}", crate::words::ticks(*after)),
        Done::Said { verb, text } => format!("{verb} {text}"),
        Done::Drew { text, odds } => format!("draws {text}: {odds}"),
        Done::Turns { count, .. } => format!("loop × {count}"),
        Done::Other(s) => s.clone(),
        Done::Fault(s) => format!("fault {s}"),
    }
}
