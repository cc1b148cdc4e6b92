//! What is shown, as a drawing for others: the plan, the machine, the firing order, the lanes, the chosen value.
//!
//! How each is drawn is in `mayfly-draw`; where the file goes is the binary's.
//!
//! Invariant: a drawing that stands in the list can be made at this moment.

use crate::app::{App, Writing};
use mayfly_draw::svg::Look;
use mayfly_draw::{cascade, chart, lanes, machine, plan, svg, vcd};
use mayfly_lab::session::{At, Moment};

/// A drawing, or a dump.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Drawing {
    Plan,
    Machine,
    Cascade,
    Lanes,
    Value,
    Wave,
}

impl Drawing {
    const ALL: [(Self, &'static str, &'static str); 6] = [
        (Self::Plan, "the plan of this area at this moment, a drawing (SVG)", "plan.svg"),
        (Self::Machine, "the machine that is shown, a drawing (SVG)", "machine.svg"),
        (Self::Cascade, "the firing order of this tick, a drawing (SVG)", "cascade.svg"),
        (Self::Lanes, "the lanes of the last minute, a drawing (SVG)", "lanes.svg"),
        (Self::Value, "the selected watch over the flight, a chart (SVG)", "chart.svg"),
        (Self::Wave, "values, states and firings of the flight, for a wave viewer (VCD)", "vcd"),
    ];

    /// How its file's name ends.
    pub fn ending(self) -> &'static str {
        Self::ALL.iter().find(|(d, ..)| *d == self).map_or("svg", |(_, _, ending)| ending)
    }
}

impl App {
    /// Those that can be made now: what each is, and how its file's name ends.
    pub fn drawings(&self) -> Vec<(Drawing, &'static str, &'static str)> {
        let can = |d: Drawing| match d {
            Drawing::Machine => self.machine_here().is_some(),
            Drawing::Value => self.selected_watch().is_some(),
            _ => true,
        };
        Drawing::ALL.into_iter().filter(|(d, ..)| can(*d)).collect()
    }

    /// Makes one, to be written.
    pub(crate) fn make_drawing(&mut self, what: Drawing) {
        let tick = self.session.moment.tick;
        let last = self.session.last_tick();
        // A drawing is of a whole tick; one stands where one stood afterwards.
        let stood = self.session.moment;
        self.session.go(Moment { tick, at: At::End });
        let scene = match what {
            Drawing::Plan => {
                let area = self.map_area();
                let trails = 5 * u64::from(self.session.level.rate.0);
                Some(plan::draw(&mut self.session, area, Some(trails)))
            }
            Drawing::Machine => self.machine_here().and_then(|k| machine::draw(&self.session, k)),
            Drawing::Cascade => Some(cascade::draw(&self.session)),
            Drawing::Lanes => {
                let span = 60 * u64::from(self.session.level.rate.0);
                Some(lanes::draw(&self.session, tick.saturating_sub(span), tick.max(1)))
            }
            Drawing::Value => {
                let watch = self.selected_watch();
                let series = watch.map(|w| chart::Series { name: w.text.clone(), points: w.series.clone() });
                series.map(|s| chart::draw(&self.session, &[s], 0, last.max(1)))
            }
            Drawing::Wave => None,
        };
        self.session.go(stood);
        let text = match (scene, what) {
            (Some(scene), _) => svg::write(&scene, Look::Light, None),
            (None, Drawing::Wave) => {
                let mut out = vec![];
                if let Err(e) = vcd::write(&self.session, &mut out) {
                    return self.say_error(format!("the dump was not made: {e}"));
                }
                String::from_utf8_lossy(&out).into_owned()
            }
            (None, _) => return self.say_error("there is nothing to draw at this moment"),
        };
        self.to_write.push((Writing::Drawing(what), text));
    }
}
