//! The log: what was told, cued, logged, won or lost, and what failed, the latest first; what came several times in a row is
//! one line.
//!
//! Invariant: what has not happened at the moment is not in it; a line that is chosen leads to the record that made it.

use crate::app::{App, Pane};
use crate::pen::{Hit, Pen};
use crate::theme::Role;
use mayfly_session::moment::{At, Moment};
use ratatui::layout::Rect;

/// One line of the log.
pub struct Entry {
    pub moment: Moment,
    pub word: &'static str,
    pub text: String,
    /// How often it came in a row.
    pub times: usize,
}

/// Lines that are made at most.
const MAX: usize = 2_000;

/// What stands in the log at the moment, the latest first.
pub fn entries(app: &App) -> Vec<Entry> {
    let s = &app.session;
    let is_past = |tick: u64, at: u32| match s.moment.at {
        At::End => tick <= s.moment.tick,
        At::Record(i) => (tick, at) <= (s.moment.tick, i),
        At::Start => tick < s.moment.tick,
    };
    let word = |what: &str| match what {
        "tell" => "told",
        "cue" => "cued",
        "win" => "WON",
        "lose" => "LOST",
        _ => "logged",
    };
    let told = s.index.log.iter().filter(|l| is_past(l.tick, l.at)).map(|l| {
        let moment = Moment { tick: l.tick, at: At::Record(l.at) };
        Entry { moment, word: word(l.what), text: l.text.clone(), times: 1 }
    });
    let faults = s.index.faults.iter().filter(|f| is_past(f.tick, 0)).map(|f| {
        let by = f.rule.map_or(String::new(), |r| format!("{}: ", s.engine.program.rule_name(r)));
        let moment = Moment { tick: f.tick, at: At::End };
        Entry { moment, word: "fault", text: format!("{by}{}", f.fault.text), times: 1 }
    });
    let mut all: Vec<Entry> = told.chain(faults).collect();
    all.sort_by_key(|e| e.moment);
    let extra = all.len().saturating_sub(MAX);
    let mut out: Vec<Entry> = vec![];
    for e in all.into_iter().skip(extra) {
        match out.last_mut().filter(|l| l.word == e.word && l.text == e.text) {
            Some(last) => (last.times, last.moment) = (last.times + 1, e.moment),
            None => out.push(e),
        }
    }
    out.reverse();
    out
}

/// `12 lines`.
pub fn facts(app: &App) -> String {
    match entries(app).len() {
        0 => String::new(),
        1 => "1 line".into(),
        n => format!("{n} lines"),
    }
}

pub fn draw(app: &App, pen: &mut Pen, area: Rect) {
    let all = entries(app);
    if all.is_empty() {
        pen.say(area.x, area.y, area.width, "Nothing was told, cued or logged yet.", Role::Faint);
        return;
    }
    let height = area.height as usize;
    let at = app.flight.log_at.min(all.len() - 1);
    let from = if app.flight.focus == Pane::Log { at.saturating_sub(height.saturating_sub(1)) } else { 0 };
    for (i, e) in all.iter().enumerate().skip(from).take(height) {
        let y = area.y + (i - from) as u16;
        let here = e.moment.tick == app.session.moment.tick;
        if app.flight.focus == Pane::Log && i == at {
            let style = pen.style(Role::Selected);
            pen.tint(area.x, y, area.width, style);
        }
        let (word, text) = match e.word {
            "WON" => (Role::True, Role::Strong),
            "LOST" => (Role::Held, Role::Strong),
            "fault" => (Role::Fault, Role::Fault),
            _ if here => (Role::Dim, Role::Strong),
            _ => (Role::Dim, Role::Dim),
        };
        let times = if e.times > 1 { format!("  × {}", e.times) } else { String::new() };
        let row = [
            (&*format!("{:<7}", e.word), word),
            (&*format!("{:>6}  ", e.moment.tick), if here { Role::Fired } else { Role::Dim }),
            (&*e.text, text),
            (&*times, Role::Dim),
        ];
        pen.run(area.x, y, area.width, &row);
        pen.hits.push((Rect { y, height: 1, ..area }, Hit::Log(i)));
    }
}

impl App {
    /// To the record that made the chosen line.
    pub(crate) fn follow_log(&mut self) {
        let Some((moment, text)) = entries(self).get(self.flight.log_at).map(|e| (e.moment, e.text.clone())) else {
            return;
        };
        self.about_to_jump();
        self.go(moment);
        // The line stays chosen, although the log is shorter in the past.
        self.flight.log_at = entries(self).iter().position(|e| e.moment == moment && e.text == text).unwrap_or(0);
        self.say(format!("tick {}: {text}", moment.tick));
    }
}
