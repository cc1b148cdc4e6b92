//! Who moves how far and what is sensed of it, by the words of the contract alone: everybody against everything, each tick.
//!
//! Invariant: nothing of the engine is used.

use super::form::*;
use super::orders::Order;
use super::plane::{NEAR, Point, distance_to, meets_box};
use std::collections::VecDeque;

/// What was sensed, by phase, subject, sense, object, and which of two.
type Sensed = ((u8, usize, u8, usize, u8), String);

/// What is told after the rules of a tick: of whom, if it is dropped with its removal.
pub(super) type Caused = Vec<(Option<usize>, String)>;

#[derive(Clone, Debug)]
pub(super) struct Actor {
    pub(super) at: Point,
    /// Where it was when it was sensed last, or was put since: from there it went on foot.
    before: Point,
    pub(super) facing: usize,
    pub(super) enabled: bool,
    visible: bool,
    tangible: bool,
    pub(super) gone: bool,
    /// The centre to which the step under way leads.
    step: Option<Point>,
    pressed: VecDeque<usize>,
    pub(super) order: Option<Order>,
    /// By what its last move was stopped, and where both were then.
    stopped: Option<(By, Point, usize, Point)>,
    sensed: Option<Cell>,
    /// It was in the cellar when it was sensed last.
    below: bool,
    inside: Vec<Option<u64>>,
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum By {
    Wall,
    Edge,
    Actor(usize),
}

pub struct Play<'a> {
    pub(super) ground: &'a Ground,
    pub(super) tick: u64,
    pub(super) all: Vec<Actor>,
    zone_on: Vec<bool>,
    touching: Vec<(usize, usize)>,
    near: Vec<(usize, usize)>,
    within_beyond: Vec<(usize, usize)>,
    /// Who sees whom, since when.
    seen: Vec<((usize, usize), u64)>,
    /// What stops actors changed in this tick.
    pub(super) changed: bool,
    pub told: Vec<String>,
}

pub(super) fn cell((x, y): Point) -> Cell {
    ((x + 0.5).floor() as i64, (y + 0.5).floor() as i64)
}

pub(super) fn centre((x, y): Cell) -> Point {
    (x as f64, y as f64)
}

impl<'a> Play<'a> {
    pub fn new(ground: &'a Ground) -> Self {
        let actor = |c: &Cell| Actor {
            at: centre(*c),
            before: centre(*c),
            facing: 2,
            enabled: true,
            visible: true,
            tangible: true,
            gone: false,
            step: None,
            pressed: VecDeque::new(),
            order: None,
            stopped: None,
            sensed: None,
            below: false,
            inside: vec![None; ground.zones.len()],
        };
        Self {
            ground,
            tick: 0,
            all: ground.places.iter().map(actor).collect(),
            zone_on: vec![true; ground.zones.len()],
            touching: vec![],
            near: vec![],
            within_beyond: vec![],
            seen: vec![],
            changed: false,
            told: vec![],
        }
    }

    pub(super) fn tell(&mut self, text: String) {
        self.told.push(format!("{} {text}", self.tick));
    }

    pub fn step(&mut self) {
        let (ground, tick) = (self.ground, self.tick);
        for (_, way) in ground.keys.iter().filter(|(t, _)| *t == tick) {
            self.press(*way);
        }
        if tick > 0 {
            for a in 0..NAMES.len() {
                if !self.all[a].enabled {
                    continue;
                }
                if a == 0 {
                    self.go_by_keys();
                } else if self.all[a].order.is_some() {
                    self.walk(a);
                }
            }
        }
        self.sense();
        // The rules of the level's time, in the order in which they stand; then what they caused.
        let mut caused: Caused = vec![];
        for (_, deed) in ground.deeds.iter().filter(|(t, _)| *t == tick) {
            self.carry_out(*deed, &mut caused);
        }
        self.look_for_ways(&mut caused);
        // What is about one that is gone is dropped, but for its end.
        caused.retain(|(a, _)| a.is_none_or(|a| !self.all[a].gone));
        caused.into_iter().for_each(|(_, text)| self.tell(text));
        self.tick += 1;
    }

    /// Where no step is under way the first of a tick begins one; the last one is remembered behind it.
    fn press(&mut self, way: usize) {
        let p = &mut self.all[0];
        if !p.enabled {
            return;
        }
        let most = if p.step.is_none() { 2 } else { 1 };
        if p.pressed.len() >= most {
            p.pressed.pop_back();
        }
        p.pressed.push_back(way);
    }

    /// What stops somebody on a cell, if anything.
    pub(super) fn stops(&self, who: usize, c: Cell) -> Option<By> {
        if self.ground.is_off(c) {
            return Some(By::Edge);
        }
        if self.ground.is_wall(c) {
            return Some(By::Wall);
        }
        let mut stones = STONES.into_iter().filter(|_| !self.ground.plain);
        let stone = stones.find(|s| *s != who && self.is_in_the_way(*s) && cell(self.all[*s].at) == c);
        stone.map(By::Actor)
    }

    fn is_in_the_way(&self, stone: usize) -> bool {
        self.all[stone].enabled && self.all[stone].tangible
    }

    fn go_by_keys(&mut self) {
        if self.all[0].step.is_none() {
            let Some(way) = self.all[0].pressed.pop_front() else { return };
            let (x, y) = cell(self.all[0].at);
            let next = (x + WAYS[way].0, y + WAYS[way].1);
            self.all[0].facing = way;
            match self.stops(0, next) {
                Some(by) => return self.stopped(0, by),
                None => self.all[0].step = Some(centre(next)),
            }
        }
        let p = &mut self.all[0];
        let Some((x, y)) = p.step else { return };
        let by = 1.0 / self.ground.parts as f64;
        let (dx, dy) = (x - p.at.0, y - p.at.1);
        let left = dx.hypot(dy);
        if left <= by + NEAR {
            (p.at, p.step) = ((x, y), None);
        } else {
            p.at = (p.at.0 + dx / left * by, p.at.1 + dy / left * by);
        }
    }

    /// A move was stopped: told once while that contact lasts.
    fn stopped(&mut self, who: usize, by: By) {
        let other = if let By::Actor(b) = by { self.all[b].at } else { (0.0, 0.0) };
        let (at, facing) = (self.all[who].at, self.all[who].facing);
        let now = Some((by, at, facing, other));
        if self.all[who].stopped == now {
            return;
        }
        self.all[who].stopped = now;
        if self.ground.plain {
            return;
        }
        match by {
            By::Wall => self.tell(format!("{} bumps a wall", NAMES[who])),
            By::Actor(b) => self.tell(format!("{} bumps {}", NAMES[who], NAMES[b])),
            By::Edge => {}
        }
    }

    /// A stone was put on a cell, or taken away.
    fn ground_changes(&mut self, c: Cell, closed: bool) {
        if self.ground.plain {
            return;
        }
        self.changed = true;
        self.all.iter_mut().filter_map(|a| a.order.as_mut()).for_each(|o| o.changes.push((c, closed)));
    }

    fn carry_out(&mut self, deed: Deed, caused: &mut Caused) {
        match deed {
            Deed::Walk(a, goal, lasts) => self.order(a, goal, lasts, caused),
            Deed::Halt(a) => self.all[a].order = None,
            Deed::Switch(a, on) => {
                let was = std::mem::replace(&mut self.all[a].enabled, on);
                if was == on {
                    return;
                }
                if STONES.contains(&a) && self.all[a].tangible {
                    self.ground_changes(cell(self.all[a].at), on);
                }
                self.take_up(a, caused);
            }
            Deed::Put(a, c) => {
                let (from, stops) = (cell(self.all[a].at), STONES.contains(&a) && self.is_in_the_way(a));
                let actor = &mut self.all[a];
                (actor.at, actor.before, actor.step) = (centre(c), centre(c), None);
                actor.pressed.clear();
                actor.order.iter_mut().for_each(|o| o.displaced = true);
                if stops && from != c {
                    self.ground_changes(from, false);
                    self.ground_changes(c, true);
                }
            }
            Deed::ZoneSwitch(z, on) => self.zone_on[z] = on,
            Deed::Show(a, on) => self.all[a].visible = on,
            Deed::Tangible(a, on) => {
                if std::mem::replace(&mut self.all[a].tangible, on) != on && self.all[a].enabled {
                    self.ground_changes(cell(self.all[a].at), on);
                }
            }
            Deed::Remove(a) => self.remove(a, caused),
        }
    }

    /// What it was in and touched ends in the round after; then it is told that it is removed.
    fn remove(&mut self, a: usize, caused: &mut Caused) {
        if STONES.contains(&a) && self.is_in_the_way(a) {
            self.ground_changes(cell(self.all[a].at), false);
        }
        let actor = &mut self.all[a];
        (actor.gone, actor.enabled, actor.order) = (true, false, None);
        let inside = std::mem::take(&mut actor.inside);
        actor.inside = vec![None; inside.len()];
        let mut say = |text: String| caused.push((None, text));
        inside
            .iter()
            .enumerate()
            .filter(|(_, i)| i.is_some())
            .for_each(|(z, _)| say(format!("{} leaves {z}", NAMES[a])));
        if self.ground.plain {
            return;
        }
        let is_its = |(x, y): &(usize, usize)| *x == a || *y == a;
        let mut ends = |list: &mut Vec<(usize, usize)>, verb: &str| {
            list.sort_unstable();
            let its: Vec<(usize, usize)> = list.iter().copied().filter(is_its).collect();
            list.retain(|pair| !is_its(pair));
            its.into_iter().for_each(|(x, y)| say(format!("{} {verb} {}", NAMES[x], NAMES[y])));
        };
        ends(&mut self.touching, "parts");
        ends(&mut self.within_beyond, "strays");
        self.near.retain(|pair| !is_its(pair));
        let mut seen: Vec<(usize, usize)> = self.seen.iter().map(|(pair, _)| *pair).collect();
        ends(&mut seen, "loses");
        self.seen.retain(|(pair, _)| !is_its(pair));
        say(format!("{} is removed", NAMES[a]));
    }

    fn is_in(&self, a: usize, z: usize, at: Point) -> bool {
        let there = self.all[a].enabled && self.zone_on[z];
        there
            && match self.ground.zones[z] {
                Zone::Rect(x, y, w, h) => {
                    let c = cell(at);
                    (x..x + w).contains(&c.0) && (y..y + h).contains(&c.1)
                }
                Zone::Disc(x, y, r) => (at.0 - x).hypot(at.1 - y) <= r + NEAR,
            }
    }

    /// The way of this tick, where it was gone on foot.
    fn way(&self, a: usize) -> Option<(Point, Point)> {
        let actor = &self.all[a];
        (actor.enabled && actor.before != actor.at).then_some((actor.before, actor.at))
    }

    /// How one went as seen from another, where both were there.
    fn way_seen(&self, a: usize, b: usize) -> Option<(Point, Point)> {
        let (x, y) = (&self.all[a], &self.all[b]);
        let there = x.enabled && y.enabled;
        let from = (x.before.0 - y.before.0, x.before.1 - y.before.1);
        let to = (x.at.0 - y.at.0, x.at.1 - y.at.1);
        (there && from != to).then_some((from, to))
    }

    pub(super) fn half(&self, a: usize, b: usize) -> f64 {
        let size = |a: usize| if STONES.contains(&a) { 1.0 } else { 0.8 };
        (size(a) + size(b)) / 2.0
    }

    fn sense(&mut self) {
        let mut sensed: Vec<Sensed> = vec![];
        for a in 0..NAMES.len() {
            self.sense_area(a, &mut sensed);
            self.sense_zones(a, &mut sensed);
        }
        self.forget_stops();
        for a in 0..if self.ground.plain { 0 } else { NAMES.len() } {
            for b in a + 1..NAMES.len() {
                self.sense_pair(a, b, &mut sensed);
            }
        }
        for a in WALKERS.into_iter().filter(|_| !self.ground.plain) {
            self.sense_sight(a, &mut sensed);
        }
        for (a, name) in NAMES.iter().enumerate() {
            let actor = &mut self.all[a];
            let here = cell(actor.at);
            if actor.sensed != Some(here) && actor.enabled && !self.ground.plain && self.ground.reeds.contains(&here) {
                sensed.push(((1, a, 5, 0, 0), format!("{name} treads reeds")));
            }
            actor.before = actor.at;
            actor.sensed = actor.enabled.then_some(here);
        }
        sensed.sort_by_key(|(key, _)| *key);
        sensed.into_iter().for_each(|(_, text)| self.tell(text));
    }

    /// It came from the other map.
    fn sense_area(&mut self, a: usize, sensed: &mut Vec<Sensed>) {
        let is_below = is_in_cellar(cell(self.all[a].at).0);
        if !self.all[a].enabled || std::mem::replace(&mut self.all[a].below, is_below) == is_below {
            return;
        }
        if !self.ground.plain {
            sensed.push((
                (1, a, 0, 0, 0),
                format!("{} {}", NAMES[a], if is_below { "comes to the cellar" } else { "comes up" }),
            ));
        }
    }

    fn sense_zones(&mut self, a: usize, sensed: &mut Vec<Sensed>) {
        let (name, at, tick) = (NAMES[a], self.all[a].at, self.tick);
        let elsewhere = self.all[a].sensed != Some(cell(at));
        for z in 0..self.ground.zones.len() {
            let (was, is) = (self.all[a].inside[z], self.is_in(a, z, at));
            let mut say =
                |phase: u8, n: u8, verb: &str| sensed.push(((phase, a, 1, z, n), format!("{name} {verb} {z}")));
            match (was, is) {
                (Some(_), false) => say(0, 0, "leaves"),
                (None, true) => say(1, 0, "enters"),
                (None, false) if self.passes(a, z) => {
                    say(1, 0, "enters");
                    say(1, 1, "leaves");
                }
                _ => {}
            }
            let since = is.then(|| was.unwrap_or(tick));
            // The cell by which it enters counts.
            if is && (elsewhere || was.is_none()) {
                say(2, 0, "moves in");
            }
            if since.is_some_and(|since| (tick - since).is_multiple_of(3)) {
                say(2, 1, "in");
            }
            self.all[a].inside[z] = since;
        }
    }

    /// True where the way of this tick leads through a zone, though it ends outside.
    fn passes(&self, a: usize, z: usize) -> bool {
        let Some(way) = self.way(a).filter(|_| self.zone_on[z]) else { return false };
        match self.ground.zones[z] {
            // Nobody goes further than a cell in one tick: it may only have been there when the zone was switched on.
            Zone::Rect(x, y, w, h) => {
                let c = cell(way.0);
                (x..x + w).contains(&c.0) && (y..y + h).contains(&c.1)
            }
            Zone::Disc(x, y, r) => distance_to(way, (x, y)) <= r + NEAR,
        }
    }

    /// A contact by being stopped lasts until the place or the facing of one of the two changes.
    fn forget_stops(&mut self) {
        for a in 0..NAMES.len() {
            let Some((by, at, facing, other)) = self.all[a].stopped else { continue };
            let me = &self.all[a];
            let stays = match by {
                By::Actor(b) => self.all[b].at == other && self.all[b].enabled && self.all[b].tangible,
                _ => true,
            };
            if me.at != at || me.facing != facing || !me.enabled || !stays {
                self.all[a].stopped = None;
            }
        }
    }

    /// Whom a heron sees: all that is visible within reach, whatever stands between, for nothing is opaque.
    fn sense_sight(&mut self, a: usize, sensed: &mut Vec<Sensed>) {
        for (b, other) in NAMES.iter().enumerate().filter(|(b, _)| *b != a) {
            let (x, y) = (&self.all[a], &self.all[b]);
            let far = (x.at.0 - y.at.0).hypot(x.at.1 - y.at.1);
            let sees = x.enabled && y.enabled && y.visible && far <= self.ground.reach + NEAR;
            let was = self.seen.iter().find(|(pair, _)| *pair == (a, b)).map(|(_, since)| *since);
            let mut say =
                |phase: u8, verb: &str| sensed.push(((phase, a, 4, b, 0), format!("{} {verb} {other}", NAMES[a])));
            match (was, sees) {
                (Some(_), false) => say(0, "loses"),
                (None, true) => say(1, "sees"),
                _ => {}
            }
            let since = was.unwrap_or(self.tick);
            if sees && (self.tick - since).is_multiple_of(4) {
                say(2, "is seeing");
            }
            self.seen.retain(|(pair, _)| *pair != (a, b));
            if sees {
                self.seen.push(((a, b), since));
            }
        }
    }

    fn sense_pair(&mut self, a: usize, b: usize, sensed: &mut Vec<Sensed>) {
        let (x, y) = (&self.all[a], &self.all[b]);
        let there = x.enabled && y.enabled;
        let (dx, dy) = (x.at.0 - y.at.0, x.at.1 - y.at.1);
        let half = self.half(a, b);
        let by_stop = |me: usize, other: usize| matches!(self.all[me].stopped, Some((By::Actor(o), ..)) if o == other);
        let overlap = dx.abs() < half - NEAR && dy.abs() < half - NEAR;
        let touches = there && x.tangible && y.tangible && (overlap || by_stop(a, b) || by_stop(b, a));
        let way = self.way_seen(a, b);
        let (name, other) = (NAMES[a], NAMES[b]);
        let mut say = |phase: u8, sense: u8, object: usize, n: u8, verb: &str| {
            sensed.push(((phase, a, sense, object, n), format!("{name} {verb} {other}")));
        };
        match (self.touching.contains(&(a, b)), touches) {
            (true, false) => say(0, 2, b, 0, "parts"),
            (false, true) => say(1, 2, b, 0, "touches"),
            (false, false) if x.tangible && y.tangible && way.is_some_and(|w| meets_box(w, (half, half))) => {
                say(1, 2, b, 0, "touches");
                say(1, 2, b, 1, "parts");
            }
            _ => {}
        }
        // The two ranges stand in the order of their rules.
        let far = dx.hypot(dy);
        let (within, until) = self.ground.near;
        let was = self.near.contains(&(a, b));
        let came_within = way.is_some_and(|w| distance_to(w, (0.0, 0.0)) <= within + NEAR);
        let near =
            there && if was { far <= until + NEAR } else { far <= within + NEAR || came_within && far <= until + NEAR };
        if !was && (near || there && came_within) {
            say(1, 3, b, 0, "nears");
        }
        let beyond = self.ground.beyond;
        let was_within = self.within_beyond.contains(&(a, b));
        let is_within = there && far <= beyond + NEAR;
        if was_within && !is_within {
            say(0, 3, NAMES.len() + b, 0, "strays");
        } else if !was_within && !is_within && there && way.is_some_and(|w| distance_to(w, (0.0, 0.0)) <= beyond + NEAR)
        {
            say(1, 3, NAMES.len() + b, 1, "strays");
        }
        let keep = |list: &mut Vec<(usize, usize)>, on: bool| {
            list.retain(|p| *p != (a, b));
            if on {
                list.push((a, b));
            }
        };
        keep(&mut self.touching, touches);
        keep(&mut self.near, near);
        keep(&mut self.within_beyond, is_within);
    }
}
