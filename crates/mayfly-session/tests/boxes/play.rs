//! Where boxes come to that slide, fall, are pushed and go straight, by the words of the contract alone.
//!
//! Invariant: nothing of the engine is used.

use super::form::*;
use crate::ground::plane::{NEAR, Point, meets_box};

#[derive(Clone, Debug)]
struct Body {
    at: Point,
    /// Where it was when it was sensed last, or was put since.
    before: Point,
    size: Point,
    facing: usize,
    solid: bool,
    tangible: bool,
    enabled: bool,
    gone: bool,
    falls: Option<f64>,
    walk: Option<Walk>,
    /// By what its last move was stopped, and where and how both were then.
    stopped: Option<Stop>,
}

#[derive(Clone, Copy, Debug)]
struct Walk {
    goal: Point,
    speed: f64,
    /// It counted already: that of a disabled one waits until it is enabled.
    taken_up: bool,
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum By {
    Wall,
    Edge,
    Actor(usize),
}

/// By what, where and facing where; and the other, too.
type Stop = (By, Point, usize, Point, usize);

#[derive(Clone, Debug)]
struct Slide {
    of: usize,
    from: Point,
    to: Point,
    ticks: u64,
    done: u64,
    smooth: bool,
}

/// What was sensed: ends before beginnings, then by subject and object.
type Sensed = ((u8, usize, usize, u8), String);

/// What is told after the rules of a tick: about whom, with whose removal it is dropped.
type Caused = Vec<(Vec<usize>, String)>;

pub struct Play<'a> {
    boxes: &'a Boxes,
    tick: u64,
    all: Vec<Body>,
    /// In the order in which they were begun.
    slides: Vec<Slide>,
    touching: Vec<(usize, usize)>,
    pub told: Vec<String>,
}

const FACINGS: [&str; 4] = ["north", "east", "south", "west"];

/// Which of four ways a way leads; exact diagonals belong to north and south.
fn quarter((dx, dy): Point) -> Option<usize> {
    match (dx.abs() < NEAR && dy.abs() < NEAR, dx.abs() > dy.abs() + NEAR) {
        (true, _) => None,
        (_, true) => Some(if dx > 0.0 { 1 } else { 3 }),
        _ => Some(if dy > 0.0 { 2 } else { 0 }),
    }
}

/// True of two points that are the same.
fn is_at(p: Point, q: Point) -> bool {
    (p.0 - q.0).abs() < NEAR && (p.1 - q.1).abs() < NEAR
}

impl<'a> Play<'a> {
    pub fn new(boxes: &'a Boxes) -> Self {
        let body = |(kind, at, size): &(Kind, Point, Point)| Body {
            at: *at,
            before: *at,
            size: *size,
            facing: 2,
            solid: kind.is_solid(),
            tangible: true,
            enabled: true,
            gone: false,
            falls: kind.falls(),
            walk: None,
            stopped: None,
        };
        let all = boxes.all.iter().map(body).collect();
        Self { boxes, tick: 0, all, slides: vec![], touching: vec![], told: vec![] }
    }

    fn tell(&mut self, text: String) {
        self.told.push(format!("{} {text}", self.tick));
    }

    pub fn step(&mut self) {
        if self.tick > 0 {
            for a in 0..self.all.len() {
                if self.all[a].enabled {
                    self.walk(a);
                    self.fall(a);
                }
            }
            self.slide();
        }
        self.sense();
        let there: Vec<(usize, Point, usize)> = (0..self.all.len())
            .filter(|a| self.all[*a].enabled)
            .map(|a| (a, self.all[a].at, self.all[a].facing))
            .collect();
        for (a, (x, y), facing) in there {
            self.tell(format!("{} at {x} {y} {}", NAMES[a], FACINGS[facing]));
        }
        let (boxes, tick) = (self.boxes, self.tick);
        let mut caused: Caused = vec![];
        for (_, deed) in boxes.deeds.iter().filter(|(t, _)| *t == tick) {
            self.carry_out(*deed, &mut caused);
        }
        caused.retain(|(about, _)| about.iter().all(|a| !self.all[*a].gone));
        caused.into_iter().for_each(|(_, text)| self.tell(text));
        self.tick += 1;
    }

    /// All that may stop a body, each with its box: cells row by row, then actors in order of creation. What it lies in
    /// already does not.
    fn stoppers(&self, a: usize, to: Point) -> Vec<(By, Point, Point)> {
        let me = &self.all[a];
        let by = |c| if self.boxes.is_off(c) { By::Edge } else { By::Wall };
        let cells =
            self.boxes.solid_cells(me.at, to).into_iter().map(|(x, y)| (by((x, y)), (x as f64, y as f64), (1.0, 1.0)));
        let others = self
            .all
            .iter()
            .enumerate()
            .filter(|(b, other)| *b != a && me.tangible && other.solid && other.enabled && other.tangible);
        let others = others.map(|(b, other)| (By::Actor(b), other.at, other.size));
        cells.chain(others).filter(|(_, at, size)| !overlap((me.at, me.size), (*at, *size))).collect()
    }

    /// How far a body comes on a straight way, and what stops it there: it stands where the boxes meet.
    fn sweep(&self, a: usize, to: Point) -> (Point, Option<By>) {
        let me = &self.all[a];
        let d = (to.0 - me.at.0, to.1 - me.at.1);
        let longest = d.0.abs().max(d.1.abs());
        if longest < NEAR {
            return (to, None);
        }
        let mut first: Option<(f64, By)> = None;
        for (by, at, size) in self.stoppers(a, to) {
            let half = ((me.size.0 + size.0) / 2.0, (me.size.1 + size.1) / 2.0);
            // From when to when both sides overlap, in parts of the way.
            let during = |p: f64, d: f64, half: f64| match d.abs() < NEAR {
                true if p.abs() < half - NEAR => (f64::NEG_INFINITY, f64::INFINITY),
                true => (1.0, 0.0),
                false => (((-half * d.signum()) - p) / d, ((half * d.signum()) - p) / d),
            };
            let (x, y) = (during(me.at.0 - at.0, d.0, half.0), during(me.at.1 - at.1, d.1, half.1));
            let (from, until) = (x.0.max(y.0), x.1.min(y.1));
            let is_met = (until - from) * longest > NEAR && until * longest > NEAR && from * longest < longest - NEAR;
            // Of what is met at once the first counts.
            if is_met && first.is_none_or(|(t, _)| (t - from.max(0.0)) * longest > NEAR) {
                first = Some((from.max(0.0), by));
            }
        }
        match first {
            None => (to, None),
            Some((t, by)) if t * longest < NEAR => (me.at, Some(by)),
            Some((t, by)) => ((me.at.0 + d.0 * t, me.at.1 + d.1 * t), Some(by)),
        }
    }

    fn walk(&mut self, a: usize) {
        let Some(walk) = self.all[a].walk else { return };
        let at = self.all[a].at;
        let d = (walk.goal.0 - at.0, walk.goal.1 - at.1);
        let (left, by) = (d.0.hypot(d.1), walk.speed / RATE);
        let arrives = left <= by + NEAR;
        let to = if arrives { walk.goal } else { (at.0 + d.0 / left * by, at.1 + d.1 / left * by) };
        self.all[a].facing = quarter(d).unwrap_or(self.all[a].facing);
        let (to, by) = self.sweep(a, to);
        self.all[a].at = to;
        if let Some(by) = by {
            self.stop(a, by);
        } else if arrives {
            self.all[a].walk = None;
            self.tell(format!("{} arrives", NAMES[a]));
        }
    }

    /// Sinks until something solid below stops it; where it lands exactly, that stops it too. Below the map nobody sinks.
    fn fall(&mut self, a: usize) {
        let Some(speed) = self.all[a].falls else { return };
        let (at, most) = (self.all[a].at, speed / RATE);
        if at.1 + self.all[a].size.1 / 2.0 > HEIGHT as f64 - 0.5 + NEAR {
            return;
        }
        let (to, by) = self.sweep(a, (at.0, at.1 + most + 3.0 * NEAR));
        let to = (at.0, to.1.min(at.1 + most));
        if to.1 - at.1 <= NEAR {
            return;
        }
        self.all[a].at = to;
        if let Some(by) = by {
            self.stop(a, by);
        }
    }

    /// The k-th of n values stands after k ticks, as far as solids let it; where one stops it, it ends.
    fn slide(&mut self) {
        for mut s in std::mem::take(&mut self.slides) {
            let a = s.of;
            if self.all[a].enabled {
                s.done += 1;
                let u = s.done as f64 / s.ticks as f64;
                let u = if s.smooth { 3.0 * u * u - 2.0 * u * u * u } else { u };
                let to = (s.from.0 + (s.to.0 - s.from.0) * u, s.from.1 + (s.to.1 - s.from.1) * u);
                let (to, by) = self.sweep(a, to);
                self.all[a].at = to;
                if let Some(by) = by {
                    self.stop(a, by);
                    continue;
                }
            }
            if s.done < s.ticks {
                self.slides.push(s);
            }
        }
    }

    /// A move was stopped: told once while that contact lasts. Gives what is told.
    fn note_stop(&mut self, a: usize, by: By) -> Option<String> {
        let me = &self.all[a];
        let (at, facing) = if let By::Actor(b) = by { (self.all[b].at, self.all[b].facing) } else { ((0.0, 0.0), 0) };
        let now = (by, me.at, me.facing, at, facing);
        let same = |s: Stop| s.0 == by && is_at(s.1, now.1) && s.2 == now.2 && is_at(s.3, at) && s.4 == facing;
        if me.stopped.is_some_and(same) {
            return None;
        }
        self.all[a].stopped = Some(now);
        match by {
            By::Wall => Some(format!("{} bumps a wall", NAMES[a])),
            By::Actor(b) => Some(format!("{} bumps {}", NAMES[a], NAMES[b])),
            By::Edge => None,
        }
    }

    fn stop(&mut self, a: usize, by: By) {
        if let Some(text) = self.note_stop(a, by) {
            self.tell(text);
        }
    }

    fn sense(&mut self) {
        for a in 0..self.all.len() {
            let Some((by, at, facing, other_at, other_facing)) = self.all[a].stopped else { continue };
            let me = &self.all[a];
            let stays = match by {
                By::Actor(b) => {
                    let b = &self.all[b];
                    is_at(b.at, other_at) && b.facing == other_facing && b.enabled && b.tangible
                }
                _ => true,
            };
            if !is_at(me.at, at) || me.facing != facing || !me.enabled || !stays {
                self.all[a].stopped = None;
            }
        }
        let mut sensed: Vec<Sensed> = vec![];
        for a in 0..self.all.len() {
            for b in a + 1..self.all.len() {
                self.sense_pair(a, b, &mut sensed);
            }
        }
        for b in &mut self.all {
            b.before = b.at;
        }
        sensed.sort_by_key(|(key, _)| *key);
        sensed.into_iter().for_each(|(_, text)| self.tell(text));
    }

    fn sense_pair(&mut self, a: usize, b: usize, sensed: &mut Vec<Sensed>) {
        let (x, y) = (&self.all[a], &self.all[b]);
        let there = x.enabled && y.enabled && x.tangible && y.tangible;
        let by_stop = |me: &Body, other: usize| matches!(me.stopped, Some((By::Actor(o), ..)) if o == other);
        let touches = there && (overlap((x.at, x.size), (y.at, y.size)) || by_stop(x, b) || by_stop(y, a));
        let from = (x.before.0 - y.before.0, x.before.1 - y.before.1);
        let to = (x.at.0 - y.at.0, x.at.1 - y.at.1);
        let half = ((x.size.0 + y.size.0) / 2.0, (x.size.1 + y.size.1) / 2.0);
        let mut say = |phase: u8, n: u8, verb: &str| {
            sensed.push(((phase, a, b, n), format!("{} {verb} {}", NAMES[a], NAMES[b])));
        };
        match (self.touching.contains(&(a, b)), touches) {
            (true, false) => say(0, 0, "parts from"),
            (false, true) => say(1, 0, "touches"),
            (false, false) if there && from != to && meets_box((from, to), half) => {
                say(1, 0, "touches");
                say(1, 1, "parts from");
            }
            _ => {}
        }
        self.touching.retain(|pair| *pair != (a, b));
        if touches {
            self.touching.push((a, b));
        }
    }

    fn carry_out(&mut self, deed: Deed, caused: &mut Caused) {
        let a = deed.of();
        match deed {
            Deed::Slide(_, to, ticks, smooth) => {
                self.slides.retain(|s| s.of != a);
                self.slides.push(Slide { of: a, from: self.all[a].at, to, ticks, done: 0, smooth });
            }
            Deed::Push(_, by) => {
                let at = self.all[a].at;
                let (to, by) = self.sweep(a, (at.0 + by.0, at.1 + by.1));
                self.put(a, to);
                let other = by.and_then(|by| if let By::Actor(b) = by { Some(b) } else { None });
                if let Some(text) = by.and_then(|by| self.note_stop(a, by)) {
                    caused.push(([a].into_iter().chain(other).collect(), text));
                }
            }
            Deed::Put(_, to) => self.put(a, to),
            Deed::Walk(_, goal, speed) => {
                self.all[a].walk = Some(Walk { goal, speed, taken_up: false });
                self.take_up(a, caused);
            }
            Deed::Halt(_) => {
                self.all[a].walk = None;
                self.slides.retain(|s| s.of != a);
            }
            Deed::Switch(_, on) => {
                self.all[a].enabled = on;
                self.take_up(a, caused);
            }
            Deed::Tangible(_, on) => self.all[a].tangible = on,
            Deed::Solid(_, on) => self.all[a].solid = on,
            Deed::Size(_, size) => self.all[a].size = size,
            Deed::Remove(_) => {
                let body = &mut self.all[a];
                (body.gone, body.enabled, body.walk) = (true, false, None);
                self.slides.retain(|s| s.of != a);
                self.touching.sort_unstable();
                for (x, y) in std::mem::take(&mut self.touching) {
                    if x == a || y == a {
                        caused.push((vec![], format!("{} parts from {}", NAMES[x], NAMES[y])));
                    } else {
                        self.touching.push((x, y));
                    }
                }
            }
        }
    }

    /// It is elsewhere at once: it did not cross what lies between, and no slide of it goes on.
    fn put(&mut self, a: usize, to: Point) {
        self.slides.retain(|s| s.of != a);
        let body = &mut self.all[a];
        (body.at, body.before) = (to, to);
        if let Some(walk) = &mut body.walk {
            walk.taken_up = false;
        }
    }

    /// An order counts at once: it is fulfilled where one stands.
    fn take_up(&mut self, a: usize, caused: &mut Caused) {
        let body = &mut self.all[a];
        let Some(walk) = body.walk.as_mut().filter(|w| body.enabled && !w.taken_up) else { return };
        walk.taken_up = true;
        if (walk.goal.0 - body.at.0).hypot(walk.goal.1 - body.at.1) < NEAR {
            body.walk = None;
            caused.push((vec![a], format!("{} arrives", NAMES[a])));
        }
    }
}
