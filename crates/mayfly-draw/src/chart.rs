//! Values over time: step lines for numbers and durations, bars for states, flags and all else; several below each other, over
//! one time axis on which stops and pokes are marked.
//!
//! Invariant: however long the flight, a value has two points a column at most, and none of its extremes is lost.

use crate::error::DrawError;
use crate::scene::{Anchor, Dash, Item, MARGIN, Role, SIZE, Scene, text_width};
use mayfly_base::Value;
use mayfly_engine::Input;
use mayfly_engine::names::Named;
use mayfly_session::session::Session;

/// How wide the time axis is.
const ACROSS: f64 = 900.0;
const TALL: f64 = 90.0;
const BAND: f64 = 26.0;

/// One value over time: what it is called, and where it changed.
pub struct Series {
    pub name: String,
    pub points: Vec<(u64, Value)>,
}

/// The expressions as series over the flight.
///
/// # Errors
/// What is wrong with one of them.
pub fn series(s: &mut Session, texts: &[String]) -> Result<Vec<Series>, DrawError> {
    let mut out = vec![];
    for text in texts {
        let i = s.watch(text).map_err(|why| DrawError::Wrong { text: text.clone(), why })?;
        out.push(Series { name: text.clone(), points: s.watches[i].series.clone() });
    }
    Ok(out)
}

/// How often a rule fired, summed up.
///
/// # Errors
/// There is no rule of that name.
pub fn count(s: &Session, rule: &str) -> Result<Series, DrawError> {
    let id = s.rule_named(rule).ok_or_else(|| DrawError::NoRule(rule.into()))?;
    let ticks = s.index.fired.get(&id).cloned().unwrap_or_default();
    let sums = ticks.iter().enumerate().map(|(i, t)| (*t, Value::Number((i + 1) as f64)));
    let points = std::iter::once((0, Value::Number(0.0))).chain(sums).collect();
    Ok(Series { name: format!("firings of \"{rule}\""), points })
}

/// A span of ticks over the width of a drawing.
pub struct Axis {
    pub from: u64,
    pub to: u64,
    pub left: f64,
    pub width: f64,
}

impl Axis {
    pub fn x(&self, tick: u64) -> f64 {
        let span = (self.to - self.from).max(1) as f64;
        self.left + (tick.saturating_sub(self.from).min(self.to - self.from)) as f64 / span * self.width
    }

    /// The axis itself, with times and ticks, at a height.
    pub fn draw(&self, scene: &mut Scene, s: &Session, y: f64) {
        scene.line(&[(self.left, y), (self.left + self.width, y)], Role::Dim, Dash::Solid, 1.0);
        let rate = f64::from(s.level.rate.0);
        let seconds = (self.to - self.from) as f64 / rate;
        let step = [0.05, 0.1, 0.25, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 30.0, 60.0, 120.0, 300.0, 600.0, 1800.0, 3600.0];
        let step = step.iter().copied().find(|t| seconds / t <= 12.0).unwrap_or(seconds / 12.0);
        let mut at = (self.from as f64 / rate / step).ceil() * step;
        while at * rate <= self.to as f64 + 0.5 {
            let x = self.x((at * rate).round() as u64);
            scene.line(&[(x, y), (x, y + 4.0)], Role::Dim, Dash::Solid, 1.0);
            let text = if step < 1.0 { format!("{at:.2}s") } else { format!("{at:.0}s") };
            scene.text(x, y + 16.0, 10.0, &text, Role::Dim, Anchor::Middle, false);
            at += step;
        }
        let ticks = format!("ticks {} to {}", self.from, self.to);
        scene.text(self.left + self.width, y + 30.0, 10.0, &ticks, Role::Dim, Anchor::End, false);
    }

    /// Pokes, keys and stops as signs above a height.
    pub fn marks(&self, scene: &mut Scene, s: &Session, y: f64) {
        let inside = |t: &u64| (self.from..=self.to).contains(t);
        for (tick, list) in s.history.inputs().iter().filter(|(t, _)| inside(t)) {
            let is_poke = list.iter().any(|i| matches!(i, Input::Poke(_) | Input::Fix { .. }));
            let x = self.x(*tick);
            let sign = if is_poke { "^" } else { "'" };
            scene.text(x, y, 10.0, sign, Role::Outside, Anchor::Middle, false);
        }
        for tick in s.stops.all.iter().flat_map(|m| &m.hits).filter(|t| inside(t)) {
            let x = self.x(*tick);
            scene.rect(x - 3.0, y - 7.0, 6.0, 6.0, Some(Role::Fired), None);
        }
        for f in s.index.faults.iter().filter(|f| inside(&f.tick)) {
            scene.text(self.x(f.tick), y, 10.0, "!", Role::Fault, Anchor::Middle, true);
        }
    }
}

/// Draws them from one tick to another.
pub fn draw(s: &Session, all: &[Series], from: u64, to: u64) -> Scene {
    let names: Vec<&str> = all.iter().map(|x| x.name.as_str()).collect();
    let level = if s.level.title.is_empty() { "a level" } else { s.level.title.as_str() };
    let mut scene = Scene::new(
        format!("{level}: {}", names.join(", ")),
        format!("values from tick {from} to {to}: {}", names.join(", ")),
    );
    let widest = all.iter().map(|x| text_width(&x.name, SIZE)).fold(60.0, f64::max).min(260.0);
    let axis = Axis { from, to: to.max(from + 1), left: MARGIN + widest + 70.0, width: ACROSS };
    let mut y = MARGIN + SIZE;
    scene.text(MARGIN, y, SIZE + 3.0, level, Role::Strong, Anchor::Start, true);
    y += 30.0;
    for one in all {
        let numbers = one.points.iter().all(|(_, v)| matches!(v, Value::Number(_) | Value::Duration(_)));
        let height = if numbers { TALL } else { BAND };
        scene.text(MARGIN, y + height / 2.0 + 4.0, SIZE, &one.name, Role::Text, Anchor::Start, false);
        if numbers {
            line(&mut scene, s, &axis, one, y)
        } else {
            bars(&mut scene, s, &axis, one, y)
        }
        y += height + 22.0;
    }
    axis.marks(&mut scene, s, y);
    axis.draw(&mut scene, s, y + 4.0);
    scene.reach(axis.left + axis.width + 20.0, y + 30.0);
    scene
}

fn number(v: &Value) -> f64 {
    match v {
        Value::Number(n) => *n,
        Value::Duration(d) => *d as f64 / 1e6,
        _ => 0.0,
    }
}

/// The value at a tick, and every change within the span.
fn within(one: &Series, axis: &Axis) -> Vec<(u64, Value)> {
    let first = one.points.partition_point(|(t, _)| *t <= axis.from).checked_sub(1);
    let mut out: Vec<(u64, Value)> = first.map(|i| (axis.from, one.points[i].1.clone())).into_iter().collect();
    out.extend(one.points.iter().filter(|(t, _)| *t > axis.from && *t <= axis.to).cloned());
    out
}

fn line(scene: &mut Scene, s: &Session, axis: &Axis, one: &Series, top: f64) {
    let points = within(one, axis);
    let numbers: Vec<f64> = points.iter().map(|(_, v)| number(v)).filter(|n| n.is_finite()).collect();
    let (lo, hi) = numbers.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), n| (l.min(*n), h.max(*n)));
    let bottom = top + TALL;
    scene.line(&[(axis.left, bottom), (axis.left + axis.width, bottom)], Role::Line, Dash::Solid, 1.0);
    scene.line(&[(axis.left, top), (axis.left + axis.width, top)], Role::Line, Dash::Dotted, 1.0);
    if points.is_empty() {
        return;
    }
    let y = |n: f64| if hi > lo { bottom - (n - lo) / (hi - lo) * TALL } else { bottom - TALL / 2.0 };
    let names = Named(&s.engine.program, s.history.live());
    let show = |n: f64| {
        let is_time = matches!(points[0].1, Value::Duration(_));
        let v = if is_time { Value::Duration((n * 1e6) as i64) } else { Value::Number((n * 1e3).round() / 1e3) };
        v.show(&names, None)
    };
    scene.text(axis.left - 6.0, top + 8.0, 10.0, &show(hi), Role::Dim, Anchor::End, false);
    if hi > lo {
        scene.text(axis.left - 6.0, bottom, 10.0, &show(lo), Role::Dim, Anchor::End, false);
    }
    // One column at a time: its first, smallest, largest and last value, so that no extreme is lost.
    let mut steps: Vec<(f64, f64)> = vec![];
    let mut i = 0;
    let mut last = number(&points[0].1);
    steps.push((axis.left, y(last)));
    while i < points.len() {
        let column = axis.x(points[i].0).floor();
        let begin = i;
        while i < points.len() && axis.x(points[i].0).floor() <= column {
            i += 1;
        }
        let here: Vec<f64> = points[begin..i].iter().map(|(_, v)| number(v)).filter(|n| n.is_finite()).collect();
        let x = axis.x(points[begin].0);
        steps.push((x, y(last)));
        if here.len() > 2 {
            let (l, h) = here.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), n| (l.min(*n), h.max(*n)));
            steps.extend([(x, y(l)), (x, y(h))]);
        }
        if let Some(n) = here.last() {
            last = *n;
            steps.push((x, y(last)));
        }
    }
    steps.push((axis.left + axis.width, y(last)));
    steps.dedup();
    scene.line(&steps, Role::Written, Dash::Solid, 1.5);
}

fn bars(scene: &mut Scene, s: &Session, axis: &Axis, one: &Series, top: f64) {
    let points = within(one, axis);
    let names = Named(&s.engine.program, s.history.live());
    let mut i = 0;
    let mut shade = false;
    while i < points.len() {
        let from = axis.x(points[i].0);
        // What is shorter than a pixel goes together.
        let mut next = i + 1;
        while next < points.len() && axis.x(points[next].0) - from < 1.0 {
            next += 1;
        }
        let to = points.get(next).map_or(axis.left + axis.width, |(t, _)| axis.x(*t));
        let value = &points[next - 1].1;
        let is_on = !matches!(value, Value::Flag(false) | Value::None);
        shade = !shade;
        let fill = match (is_on, shade) {
            (false, _) => None,
            (true, true) => Some(Role::Water),
            (true, false) => Some(Role::Reeds),
        };
        scene.rect(from, top, (to - from).max(0.6), BAND, fill, Some((Role::Line, Dash::Solid)));
        let text = value.show(&names, None);
        if text_width(&text, 10.0) + 6.0 <= to - from {
            let wide = text_width(&text, 10.0);
            let x = (from + to) / 2.0;
            let ground = Some(Role::Floor);
            scene.items.push(Item::Box {
                x: x - wide / 2.0 - 2.0,
                y: top + BAND / 2.0 - 6.0,
                width: wide + 4.0,
                height: 12.0,
                fill: ground,
                line: None,
                round: 2.0,
            });
            scene.text(x, top + BAND / 2.0 + 3.5, 10.0, &text, Role::Text, Anchor::Middle, false);
        }
        i = next;
    }
}
