//! What stands in the cascade and in the drawer where nothing is evaluated: the last firings, and the last tick in which
//! anything was evaluated, dim, with how long ago.
//!
//! Not here: the cascade of the moment's own tick ([`super::cascade`]).
//!
//! Invariant: what is shown here was recorded before the moment, on the branch that is flown.

use crate::app::LastTick;
use crate::app::{App, SPEEDS};
use crate::command::Command;
use crate::pen::{Hit, Pen};
use crate::theme::Role;
use mayfly_base::time;
use mayfly_session::cascade::Mark;
use ratatui::layout::Rect;
use std::sync::Arc;

/// Firings below the last tick at most.
const MAX_LISTED: usize = 12;

impl App {
    /// True where the moment's tick has nothing to show in the cascade.
    pub fn is_quiet(&self) -> bool {
        self.session.now.cascade.groups.is_empty()
    }

    /// What takes longer than a frame may, after a frame: the last tick before a quiet one, where the one that is followed came
    /// from, which cells were entered. True where the next frame shows more for it.
    pub fn catch_up(&mut self) -> bool {
        let last = self.recall_last();
        let map = self.prepare_map();
        last || map
    }

    fn recall_last(&mut self) -> bool {
        if !self.is_quiet() {
            return false;
        }
        let s = &mut self.session;
        let Some(tick) = s.moment.tick.checked_sub(1).and_then(|t| s.last_evaluated(t)) else {
            return self.flight.last_tick.take().is_some();
        };
        let of = (s.branch.clone(), Arc::as_ptr(&s.engine) as usize);
        if self.flight.last_tick.as_ref().is_some_and(|l| l.tick == tick && l.of == of) {
            return false;
        }
        // Flat out, each frame would want another one: the one that is known stays, with how long ago it was.
        if self.play.running
            && SPEEDS[self.play.speed].1 == 0.0
            && self.flight.last_tick.as_ref().is_some_and(|l| l.of == of)
        {
            return false;
        }
        let (cascade, why) = s.as_of(tick, |s| {
            let cascade = s.now.cascade.clone();
            let fired = cascade.rungs().find(|r| r.mark == Mark::Fired).or(cascade.rungs().last());
            let why = fired.and_then(|r| s.why(r.number));
            (cascade, why)
        });
        self.flight.last_tick = Some(LastTick { tick, cascade, why, of });
        true
    }

    /// What stands where the moment's tick is quiet: nothing that is of later or of another branch.
    pub fn last_before(&self) -> Option<&LastTick> {
        self.flight.last_tick.as_ref().filter(|l| l.tick < self.session.moment.tick && l.of.0 == self.session.branch)
    }

    /// How long before the moment a tick was: `0.60s ago`.
    pub fn ago(&self, tick: u64) -> String {
        let s = &self.session;
        match s.moment.tick.saturating_sub(tick) {
            0 => "now".into(),
            n => format!("{} ago", time::show(s.level.rate.micros(n), Some(2))),
        }
    }
}

/// What stands above the last tick: when it was, and the key that goes there.
pub fn heading(app: &App, pen: &mut Pen, area: Rect, last: &LastTick) {
    let key = app.keys.of_command(Command::AlongBack);
    let at = format!("tick {}", last.tick);
    let ago = format!(", {}: ", app.ago(last.tick));
    pen.hits.push((area, Hit::Tick(last.tick)));
    let pieces = [
        ("Last at ", Role::Dim),
        (&*at, Role::Text),
        (&*ago, Role::Dim),
        (&*key, Role::Key),
        (" goes there", Role::Dim),
    ];
    pen.run(area.x, area.y, area.width, &pieces);
}

/// The last firings up to a tick, the latest first; gives how many it had to list.
pub fn firings(app: &App, pen: &mut Pen, area: Rect, until: u64, most: Option<usize>) -> usize {
    let room = (area.height as usize).min(most.unwrap_or(MAX_LISTED));
    let fired = app.session.last_firings(until, room);
    let rate = u64::from(app.session.level.rate.0);
    for (i, (tick, rule)) in fired.iter().enumerate() {
        let y = area.y + i as u16;
        let age = app.session.moment.tick - tick;
        let (sign, name) = match age {
            0 => (Role::Fired, Role::Strong),
            n if n <= rate => (Role::Ember, Role::Text),
            _ => (Role::Dim, Role::Dim),
        };
        let title = app.session.engine.program.rule_name(*rule);
        let row = [
            (&*format!("{:>12}", app.ago(*tick)), Role::Faint),
            ("  ", Role::Dim),
            (pen.theme.glyph("◆", "*"), sign),
            (" ", Role::Dim),
            (&*title, name),
        ];
        pen.hits.push((Rect { y, height: 1, ..area }, Hit::Tick(*tick)));
        pen.run(area.x, y, area.width, &row);
    }
    fired.len()
}
