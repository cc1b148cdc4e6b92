//! Beside the lines: how often each rule fired and was held, what is wrong, where one stops, what was changed since the last
//! save; and at a line's end what it saw and wrote at the moment.
//!
//! Invariant: what is said of a line is said of the text that was flown: lines that moved since keep what belongs to them,
//! lines that were written since say nothing.

use crate::app::App;
use crate::app::Beside;
use crate::app::Margins;
use crate::theme::Role;
use mayfly_base::*;
use mayfly_engine::TraceEvent;
use mayfly_lang::edit::Change;
use mayfly_session::cascade::{Cascade, Done, Mark, Rung};
use mayfly_session::cascade_text::line_text;
use mayfly_session::moment::At;
use mayfly_session::stops::StopOn;
use std::collections::BTreeMap;

/// Pieces that are said at a line's end.
const MAX_VALUES: usize = 6;

impl App {
    /// Finds what stands beside the lines, where the moment or the texts changed.
    pub(crate) fn refresh_margins(&mut self) {
        let key = (
            self.script.file,
            self.work.docs.version(),
            self.session.moment,
            self.session.stops.all.iter().filter(|s| s.is_on).count(),
            self.session.history.live_tick() + (self.session.engine.program.rules.len() as u64) * 1_000_003,
            self.work.is_told(),
        );
        if self.script.margins.of == Some(key) {
            return;
        }
        let changed = self.work.docs.changed_lines(self.script.file);
        let (lines, most) = self.find_margins();
        let mut wrong: BTreeMap<usize, bool> = BTreeMap::new();
        let end = self.script_text().len();
        for p in self.work.problems.iter().filter(|p| p.file == self.script.file) {
            *wrong.entry(self.line_of(p.range.start.min(end))).or_default() |= p.is_error();
        }
        self.script.margins = Margins { of: Some(key), lines, changed, wrong, most };
    }

    fn find_margins(&self) -> (BTreeMap<usize, Beside>, u64) {
        let mut out: BTreeMap<usize, Beside> = BTreeMap::new();
        let mut most = 1;
        let Some(doc) = self.work.docs.file(self.script.file) else { return (out, most) };
        let s = &self.session;
        let Some(file) = s.sources.iter().position(|x| x.name == doc.name) else { return (out, most) };
        // Lines of the text that was flown, as lines of the text as it is.
        let flown = &s.sources[file].text;
        let change = if flown == doc.text() { Change::default() } else { Change::between(flown, doc.text()) };
        let own = |span: Span| usize::from(span.file) == file && span != Span::default();
        let line = |at: u32| {
            let at = at as usize;
            let touched = change.edits().iter().any(|e| e.range.start <= at && at < e.range.end);
            (!touched).then(|| doc.lines.line(change.moved(at).min(doc.text().len())))
        };
        let (p, w) = (&s.engine.program, &s.now.world);
        let ticks = |list: Option<&Vec<u64>>| list.map_or(0, |l| l.partition_point(|t| *t <= s.moment.tick)) as u64;
        for (i, r) in s.level.rules.iter().enumerate().filter(|(_, r)| own(r.span)) {
            let id = RuleId::at(i);
            if p.rules.get(i).is_none_or(|r| r.is_by_hand()) {
                continue;
            }
            let Some(l) = line(r.span.start) else { continue };
            let counts = w.rules.get(i);
            let fired = counts.map_or(0, |c| c.fired).max(ticks(s.index.fired.get(&id)));
            let held = counts.map_or(0, |c| c.held);
            if fired + held > 0 {
                let c = out.entry(l).or_default().counts.get_or_insert((0, 0));
                *c = (c.0 + fired, c.1 + held);
                most = most.max(c.0);
            }
        }
        for stop in s.stops.all.iter().filter(|s| s.is_on) {
            let span = match &stop.on {
                StopOn::Acts(span) => Some(*span),
                StopOn::Fires(r) => s.level.rules.get(r.index()).map(|r| r.span),
                StopOn::Written(mayfly_engine::Target::Var(v)) => s.level.vars.get(v.index()).map(|v| v.span),
                _ => None,
            };
            if let Some(l) = span.filter(|s| own(*s)).and_then(|s| line(s.start)) {
                out.entry(l).or_default().stop = true;
            }
        }
        self.say_cascade(&s.now.cascade, &own, &line, &mut out);
        (out, most)
    }

    /// What the moment's tick saw and wrote, by lines.
    fn say_cascade(
        &self,
        c: &Cascade,
        own: &dyn Fn(Span) -> bool,
        line: &dyn Fn(u32) -> Option<usize>,
        out: &mut BTreeMap<usize, Beside>,
    ) {
        let s = &self.session;
        let p = &s.engine.program;
        let fine = !self.theme.ascii;
        let mut put = |l: usize, text: String, role: Role| {
            let values = &mut out.entry(l).or_default().values;
            if values.len() < MAX_VALUES && values.last().is_none_or(|v| v.0 != text) {
                values.push((text, role));
            }
        };
        let mut marks: Vec<(usize, Mark)> = vec![];
        let upto = match s.moment.at {
            At::Record(n) => n,
            At::Start => return,
            At::End => u32::MAX,
        };
        for rung in c.rungs().filter(|r| r.at <= upto) {
            if let Some(l) =
                s.level.rules.get(rung.rule.index()).filter(|r| own(r.span)).and_then(|r| line(r.span.start))
            {
                marks.push((l, rung.mark));
                if rung.clauses.is_empty() && !matches!(rung.mark, Mark::Fired | Mark::GoesOn) && !rung.note.is_empty()
                {
                    put(l, rung.note.clone(), Role::Dim);
                }
            }
            for clause in rung.clauses.iter().filter(|c| own(c.span)) {
                let (Some(l), Some(held)) = (line(clause.span.start), clause.held) else { continue };
                let sign = if held { "✓" } else { "✗" };
                let values: Vec<String> = clause.values.iter().map(|(n, v)| format!("{n} = {v}")).collect();
                put(l, format!("{sign} {}", values.join("  ")), if held { Role::True } else { Role::Held });
            }
            for done in rung.lines.iter().filter(|d| d.at <= upto) {
                let pc = s.now.records.get(done.at as usize).and_then(TraceEvent::pc);
                let span = pc.and_then(|pc| p.spans.get(pc as usize)).copied().filter(|s| own(*s));
                let Some(l) = span.and_then(|s| line(s.start)) else { continue };
                match &done.what {
                    Done::Wrote { old, new, .. } => {
                        put(l, format!("{old} {} {new}", if fine { "→" } else { "->" }), Role::Written);
                    }
                    Done::Fault(text) => put(l, text.clone(), Role::Fault),
                    Done::Turns { count, .. } => put(l, format!("× {count}"), Role::Dim),
                    Done::Drew { text, .. } => put(l, text.clone(), Role::Dim),
                    other => put(l, line_text(other, if fine { "→" } else { "->" }), Role::Dim),
                }
            }
        }
        for (l, mark) in marks {
            out.entry(l).or_default().mark = Some(mark);
        }
        if let Some(l) = self.line_of_moment(own, line) {
            out.entry(l).or_default().here = true;
        }
    }

    /// The line of the record at which the moment stands, or of the rung.
    fn line_of_moment(&self, own: &dyn Fn(Span) -> bool, line: &dyn Fn(u32) -> Option<usize>) -> Option<usize> {
        let s = &self.session;
        let At::Record(at) = s.moment.at else { return None };
        let pc = s.now.records.get(at as usize).and_then(TraceEvent::pc);
        let span = pc.and_then(|pc| s.engine.program.spans.get(pc as usize)).copied();
        let of_rung = || {
            let rung: &Rung = s.rung_here().and_then(|n| s.now.cascade.rung(n))?;
            s.level.rules.get(rung.rule.index()).map(|r| r.span)
        };
        let span = span.filter(|s| *s != Span::default()).or_else(of_rung)?;
        if own(span) { line(span.start) } else { None }
    }
}
