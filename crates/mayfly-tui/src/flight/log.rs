//! The log: what was told, cued, logged, won or lost, and what failed, the latest first; what came several times in a row is
//! one line.
//!
//! Invariant: what has not happened at the moment is not in it; a line that is chosen leads to the record that made it.

use crate::app::{App, Pane};
use crate::pen::{Hit, Pen};
use crate::theme::Role;
use crate::wrapping::wrapped;
use mayfly_session::moment::{At, Moment};
use ratatui::layout::Rect;
use unicode_width::UnicodeWidthStr;

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

pub fn draw(app: &App, pen: &mut Pen, inside: Rect) {
    // Where it has a screen of its own, it does not lie right under the names of the panes.
    let down = u16::from(app.is_folded);
    let area = Rect { y: inside.y + down, height: inside.height.saturating_sub(down), ..inside };
    let all = entries(app);
    if all.is_empty() {
        pen.say(area.x, area.y, area.width, "Nothing was told, cued or logged yet.", Role::Faint);
        return;
    }
    let at = app.flight.log_at.min(all.len() - 1);
    let is_chosen = |i: usize| app.flight.focus == Pane::Log && i == at;
    // Texts stand in several lines where there is room for all of them; else the chosen one alone.
    let room = usize::from(area.height);
    let roomy = all.len() <= room && all.iter().map(|e| lines(pen, e, area.width).len()).sum::<usize>() <= room;
    let lines = |pen: &Pen, i: usize| match roomy || is_chosen(i) {
        true => lines(pen, &all[i], area.width),
        false => vec![all[i].text.clone()],
    };
    let from = if app.flight.focus == Pane::Log { first_shown(at, room, |i| lines(pen, i).len()) } else { 0 };
    let mut y = area.y;
    let mut drawn = from;
    for (i, e) in all.iter().enumerate().skip(from) {
        if y >= area.bottom() {
            break;
        }
        let here = e.moment.tick == app.session.moment.tick;
        let chosen = is_chosen(i);
        let word = match e.word {
            "WON" => Role::True,
            "LOST" => Role::Held,
            "fault" => Role::Fault,
            _ => Role::Dim,
        };
        let text = match e.word {
            "WON" | "LOST" => Role::Strong,
            "fault" => Role::Fault,
            _ if here => Role::Strong,
            _ => Role::Dim,
        };
        let lines = lines(pen, i);
        // One that is not seen whole is not begun, but for the first.
        if drawn > from && lines.len() > usize::from(area.bottom() - y) {
            break;
        }
        let begins = y;
        for (n, line) in lines.iter().enumerate().take(usize::from(area.bottom() - y)) {
            if chosen {
                let style = pen.style(Role::Selected);
                pen.tint(area.x, y, area.width, style);
            }
            if n == 0 {
                let tick = format!("{:>6}  ", e.moment.tick);
                let tick = (&*tick, if here { Role::Fired } else { Role::Dim });
                pen.run(area.x, y, area.width, &[(&*format!("{:<7}", e.word), word), tick]);
            }
            let times = if n + 1 == lines.len() { times(e) } else { String::new() };
            let room = area.width.saturating_sub(TEXT + times.width() as u16);
            let x = pen.say(area.x + TEXT, y, room, line, text);
            pen.say(x, y, area.right().saturating_sub(x), &times, Role::Dim);
            y += 1;
        }
        pen.hits.push((Rect { y: begins, height: y - begins, ..area }, Hit::Log(i)));
        drawn += 1;
    }
    pen.more_below(inside, all.len() - drawn);
}

/// The column in which the text of a line begins.
const TEXT: u16 = 15;

fn times(e: &Entry) -> String {
    if e.times > 1 { format!("  × {}", e.times) } else { String::new() }
}

/// The text of an entry in as many lines as it needs.
fn lines(pen: &Pen, e: &Entry, width: u16) -> Vec<String> {
    let room = usize::from(width.saturating_sub(TEXT)).saturating_sub(times(e).width());
    wrapped(&pen.plain(&e.text), room)
}

/// The entry with which a pane of so many lines begins, so that the chosen one is seen to its end.
fn first_shown(at: usize, room: usize, height: impl Fn(usize) -> usize) -> usize {
    let mut used = height(at);
    let mut from = at;
    while from > 0 && used + height(from - 1) <= room {
        from -= 1;
        used += height(from);
    }
    from
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
