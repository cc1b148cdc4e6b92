//! What came first: a lane for each rule that was evaluated in a span, one for each machine that changed; and the time below.
//!
//! Invariant: a lane shows every tick of the span in which something happened in it, or, where several fall on one column,
//! that something did.

use crate::chart::Axis;
use crate::scene::{Anchor, Dash, Item, MARGIN, Role, SIZE, Scene, text_width};
use mayfly_base::*;
use mayfly_session::session::Session;
use mayfly_session::words::Words;

const TALL: f64 = 22.0;
/// Lanes at most.
const MAX: usize = 200;

/// The ticks of one rule.
struct Lane {
    name: String,
    evaluated: Vec<u64>,
    fired: Vec<u64>,
    went_on: Vec<u64>,
}

/// Draws the lanes from one tick to another.
pub fn draw(s: &Session, from: u64, to: u64) -> Scene {
    let p = &s.engine.program;
    let inside = |t: &u64| (from..=to).contains(t);
    let mut lanes: Vec<Lane> = vec![];
    for (i, ticks) in s.index.evaluated.values().enumerate() {
        let rule = RuleId::at(i);
        let here: Vec<u64> = ticks.iter().copied().filter(inside).collect();
        if here.is_empty() {
            continue;
        }
        let fired: Vec<u64> = s.index.fired.get(&rule).into_iter().flatten().copied().filter(inside).collect();
        let went_on = s.index.went_on.get(&rule).into_iter().flatten().copied().filter(inside).collect();
        lanes.push(Lane { name: p.rule_in_full(rule), evaluated: here, fired, went_on });
    }
    lanes.sort_by_key(|l| l.evaluated[0]);
    let left_out = lanes.len().saturating_sub(MAX);
    lanes.truncate(MAX);
    let level = if s.level.title.is_empty() { "a level" } else { s.level.title.as_str() };
    let mut scene = Scene::new(
        format!("{level}: lanes from tick {from} to {to}"),
        format!("{}, by when each was first evaluated", mayfly_base::number::counted(lanes.len(), "rule")),
    );
    let widest = lanes.iter().map(|l| text_width(&l.name, SIZE)).fold(80.0, f64::max).min(420.0);
    let axis = Axis { from, to: to.max(from + 1), left: MARGIN + widest + 20.0, width: 900.0 };
    let mut y = MARGIN + SIZE;
    scene.text(MARGIN, y, SIZE + 3.0, level, Role::Strong, Anchor::Start, true);
    let key = MARGIN + text_width(level, SIZE + 3.0) + 24.0;
    diamond(&mut scene, key, y - 4.0, true);
    let at = scene.say(key + 10.0, y, "fired", Role::Dim) + 24.0;
    diamond(&mut scene, at, y - 4.0, false);
    let at = scene.say(at + 10.0, y, "evaluated, and did not", Role::Dim) + 24.0;
    triangle(&mut scene, at, y - 4.0);
    scene.say(at + 10.0, y, "went on after a wait", Role::Dim);
    y += 24.0;
    for Lane { name, evaluated, fired, went_on } in &lanes {
        scene.text(MARGIN, y + 4.0, SIZE, name, Role::Text, Anchor::Start, false);
        scene.line(&[(axis.left, y), (axis.left + axis.width, y)], Role::Line, Dash::Solid, 0.6);
        let mut last = f64::NEG_INFINITY;
        for t in evaluated {
            let x = axis.x(*t);
            let is_fired = fired.binary_search(t).is_ok();
            if !is_fired && went_on.binary_search(t).is_ok() {
                triangle(&mut scene, x, y);
                last = x;
            } else if x - last >= 1.0 || is_fired {
                diamond(&mut scene, x, y, is_fired);
                last = x;
            }
        }
        y += TALL;
    }
    y = machines(&mut scene, s, &axis, y);
    if left_out > 0 {
        scene.say(MARGIN, y + 4.0, &format!("{left_out} more rules"), Role::Dim);
        y += TALL;
    }
    axis.marks(&mut scene, s, y + 4.0);
    axis.draw(&mut scene, s, y + 8.0);
    scene.reach(axis.left + axis.width + 20.0, y + 34.0);
    scene
}

/// Full where it fired, hollow where it was only evaluated.
fn diamond(scene: &mut Scene, x: f64, y: f64, full: bool) {
    let r = 5.0;
    let (fill, line) = if full { (Some(Role::Fired), Some(Role::Fired)) } else { (Some(Role::Floor), Some(Role::Dim)) };
    scene.items.push(Item::Shape { points: vec![(x, y - r), (x + r, y), (x, y + r), (x - r, y)], fill, line });
}

/// A run that went on.
fn triangle(scene: &mut Scene, x: f64, y: f64) {
    let points = vec![(x - 4.0, y - 5.0), (x + 5.0, y), (x - 4.0, y + 5.0)];
    scene.items.push(Item::Shape { points, fill: Some(Role::Floor), line: Some(Role::Fired) });
}

/// A lane for each machine that changed in the span: its states, one after the other.
fn machines(scene: &mut Scene, s: &Session, axis: &Axis, mut y: f64) -> f64 {
    let (p, w) = (&s.engine.program, &s.now.world);
    let words = Words::new(p, w);
    for key in s.machine_keys() {
        let went = s.index.went.get(&key).map_or(&[][..], Vec::as_slice);
        let changes: Vec<_> = went.iter().filter(|c| c.tick > axis.from && c.tick <= axis.to).collect();
        let (Some(first), Some(now)) = (changes.first(), w.machines.get(&key)) else { continue };
        scene.text(MARGIN, y + 4.0, SIZE, &words.machine(key.1, now.state), Role::Text, Anchor::Start, false);
        let mut from = axis.left;
        let mut state = first.from;
        let ends = changes.iter().map(|c| (axis.x(c.tick), c.to)).chain([(axis.left + axis.width, first.to)]);
        for (to, next) in ends {
            scene.rect(from, y - 8.0, (to - from).max(0.6), 16.0, None, Some((Role::Zone, Dash::Solid)));
            let name = &p.states[state.index()].name;
            if text_width(name, 10.0) + 6.0 < to - from {
                scene.text(from + 4.0, y + 3.5, 10.0, name, Role::Text, Anchor::Start, false);
            }
            (from, state) = (to, next);
        }
        y += TALL;
    }
    y
}
