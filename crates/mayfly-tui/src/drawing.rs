//! What is shown, as a drawing for others: the plan, the machine, the firing order, the lanes, the chosen value.
//!
//! How each is drawn is in `mayfly-draw`; where the file goes is the binary's.
//!
//! Invariant: a drawing that stands in the list can be made at this moment.

use crate::app::Drawing;
use crate::app::Form;
use crate::app::Shown;
use crate::app::{App, Writing};
use mayfly_draw::svg::Look;
use mayfly_draw::{cascade, chart, lanes, machine, plan, svg, vcd};
use mayfly_session::moment::{At, Moment};

impl Shown {
    const ALL: [(Self, &'static str, &'static str); 6] = [
        (Self::Plan, "the plan of this area at this moment, a drawing", "plan"),
        (Self::Machine, "the machine that is shown, a drawing", "machine"),
        (Self::Cascade, "the firing order of this tick, a drawing", "cascade"),
        (Self::Lanes, "the lanes of the last minute, a drawing", "lanes"),
        (Self::Value, "the selected watch over the flight, a chart", "chart"),
        (Self::Wave, "values, states and firings of the flight, for a wave viewer", ""),
    ];

    fn forms(self) -> &'static [Form] {
        if self == Self::Wave { &[Form::Vcd] } else { &[Form::Svg, Form::Pdf] }
    }
}

impl Drawing {
    /// How its file's name ends.
    pub fn ending(self) -> String {
        let name = Shown::ALL.iter().find(|(s, ..)| *s == self.shown).map_or("", |(_, _, name)| name);
        match self.form {
            Form::Svg => format!("{name}.svg"),
            Form::Pdf => format!("{name}.pdf"),
            Form::Vcd => "vcd".into(),
        }
    }
}

impl App {
    /// Those that can be made now: what each is, and how its file's name ends.
    pub fn drawings(&self) -> Vec<(Drawing, String, String)> {
        let can = |d: Shown| match d {
            Shown::Machine => self.machine_here().is_some(),
            Shown::Value => self.selected_watch().is_some(),
            _ => true,
        };
        let all = Shown::ALL.into_iter().filter(|(s, ..)| can(*s));
        let each = all.flat_map(|(shown, text, _)| shown.forms().iter().map(move |form| (shown, *form, text)));
        each.map(|(shown, form, text)| {
            let d = Drawing { shown, form };
            let format = match form {
                Form::Svg => "SVG",
                Form::Pdf => "PDF",
                Form::Vcd => "VCD",
            };
            (d, format!("{text} ({format})"), d.ending())
        })
        .collect()
    }

    /// Makes one, to be written.
    pub(crate) fn make_drawing(&mut self, what: Drawing) {
        let tick = self.session.moment.tick;
        let last = self.session.last_tick();
        // A drawing is of a whole tick; one stands where one stood afterwards.
        let stood = self.session.moment;
        self.session.go(Moment { tick, at: At::End });
        let scene = match what.shown {
            Shown::Plan => {
                let area = self.map_area();
                let trails = 5 * u64::from(self.session.level.rate.0);
                Some(plan::draw(&mut self.session, area, Some(trails)))
            }
            Shown::Machine => self.machine_here().and_then(|k| machine::draw(&self.session, k)),
            Shown::Cascade => Some(cascade::draw(&self.session)),
            Shown::Lanes => {
                let span = 60 * u64::from(self.session.level.rate.0);
                Some(lanes::draw(&self.session, tick.saturating_sub(span), tick.max(1)))
            }
            Shown::Value => {
                let watch = self.selected_watch();
                let series = watch.map(|w| chart::Series { name: w.text.clone(), points: w.series.clone() });
                series.map(|s| chart::draw(&self.session, &[s], 0, last.max(1)))
            }
            Shown::Wave => None,
        };
        self.session.go(stood);
        let text = match (scene, what.shown) {
            (Some(scene), _) => svg::write(&scene, Look::Light, None),
            (None, Shown::Wave) => {
                let mut out = vec![];
                if let Err(e) = vcd::write(&self.session, &mut out) {
                    return self.say_error(format!("the dump was not made: {e}"));
                }
                String::from_utf8_lossy(&out).into_owned()
            }
            (None, _) => return self.say_error("there is nothing to draw at this moment"),
        };
        self.disk.to_write.push((Writing::Drawing(what), text));
    }
}
