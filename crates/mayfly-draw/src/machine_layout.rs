//! Where the states and ways of a machine stand: each state that holds others is a frame with a drawing of its own inside, and
//! what leads in or out of it passes through its border.
//!
//! Not here: layers and heights of one such drawing ([`crate::layers`]); titles and lists ([`crate::machine`]).
//!
//! Invariant: every state is drawn once, inside the one that holds it; a way begins at its state and ends with an arrow at its
//! goal.

use crate::layers::{self, Arc, Pin, Size};
use crate::scene::{Anchor, Dash, Item, MARGIN, Role, SIZE, Scene, text_width};
use mayfly_session::machines::{Card, Picture};
use std::collections::BTreeMap;

const HEIGHT: f64 = 34.0;
/// Room for each way from a state to itself, above it.
const LOOP: f64 = 26.0;
/// Room for small words under a state.
const WORDS: f64 = 13.0;
/// Free room inside a frame, and for its name.
const PAD: f64 = 14.0;
const NAME: f64 = 24.0;
/// The sign of where one begins.
const DOT: f64 = 22.0;

/// One way from a state to a goal, by their numbers in the picture.
pub struct Drawn {
    pub from: usize,
    pub to: usize,
    pub number: usize,
    pub is_last: bool,
}

/// What is laid out: from left to right, or from above down.
pub struct Layout<'a> {
    pub p: &'a Picture,
    pub ways: &'a [Drawn],
    pub down: bool,
}

/// A state, placed: its number, left edge, line, width, its own drawing where it holds others.
struct State {
    card: usize,
    left: f64,
    line: f64,
    width: f64,
    inner: Option<Group>,
}

/// A piece of a way inside one drawing.
struct Piece {
    way: usize,
    points: Vec<(f64, f64)>,
    sign: Option<(f64, f64)>,
    ends: bool,
}

/// The drawing inside a state, or that of the machine.
#[derive(Default)]
struct Group {
    width: f64,
    height: f64,
    states: Vec<State>,
    pieces: Vec<Piece>,
    /// From a state to itself: which way, which state, how many lie under it.
    loops: Vec<(usize, usize, usize)>,
    start: Option<(f64, f64)>,
    /// At which height a way passes its border.
    ports: BTreeMap<usize, f64>,
}

/// On which side of its frame a way passes.
type Sides = BTreeMap<usize, Pin>;

impl Layout<'_> {
    /// Draws it below `top`.
    pub fn draw(&self, scene: &mut Scene, top: f64) {
        let whole = self.group(None, &Sides::new());
        self.frames(scene, &whole, (MARGIN, top));
        self.curves(scene, &whole, (MARGIN, top));
        self.boxes(scene, &whole, (MARGIN, top));
        scene.reach(MARGIN + whole.width, top + whole.height);
    }

    fn outer(&self, card: usize) -> Option<usize> {
        let id = self.p.cards[card].outer?;
        self.p.cards.iter().position(|c| c.id == id)
    }

    /// Which state right inside `group` is that one, or holds it.
    fn child(&self, group: Option<usize>, mut card: usize) -> Option<usize> {
        loop {
            let outer = self.outer(card);
            if outer == group {
                return Some(card);
            }
            card = outer?;
        }
    }

    fn group(&self, group: Option<usize>, sides: &Sides) -> Group {
        let cards: Vec<usize> = (0..self.p.cards.len()).filter(|c| self.outer(*c) == group).collect();
        let at = |card: usize| cards.iter().position(|c| *c == card);
        let mut pins: Vec<Option<Pin>> = vec![None; cards.len()];
        let arc = |from, to, signed, span| Arc { from, to, signed, span, from_offset: None, to_offset: None };
        let mut arcs = vec![];
        // Which way an arc is a piece of, and whether it reaches the way's goal; the ways that pass the border.
        let mut of: Vec<(usize, bool)> = vec![];
        let mut passing: Vec<(usize, usize)> = vec![];
        let mut loops: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
        let start = cards.iter().position(|c| self.p.cards[*c].is_start);
        for (i, w) in self.ways.iter().enumerate() {
            let from = self.child(group, w.from).and_then(at);
            let to = self.child(group, w.to).and_then(at);
            match (from, to) {
                (Some(a), Some(b)) if a != b => {
                    arcs.push(arc(a, b, true, 2));
                    of.push((i, cards[b] == w.to));
                }
                (Some(a), Some(_)) if w.from == w.to && cards[a] == w.from => loops.entry(a).or_default().push(i),
                (Some(_), Some(_)) | (None, None) => {}
                (Some(a), None) => {
                    // Out of this state: to the state itself that is drawn here, or further.
                    let home = group == Some(w.to);
                    pins.push(Some(sides.get(&i).copied().unwrap_or(Pin::Last)));
                    arcs.push(arc(a, pins.len() - 1, home, 2));
                    of.push((i, home));
                    passing.push((i, pins.len() - 1));
                }
                (None, Some(b)) => {
                    let home = group == Some(w.from);
                    pins.push(Some(sides.get(&i).copied().unwrap_or(Pin::First)));
                    arcs.push(arc(pins.len() - 1, b, home, 2));
                    of.push((i, cards[b] == w.to));
                    passing.push((i, pins.len() - 1));
                }
            }
        }
        if let Some(first) = start {
            pins.push(None);
            arcs.push(arc(pins.len() - 1, first, false, 1));
        }
        // Layers are counted from the state in which it begins.
        let found = layers::layers(&pins, &arcs, start.unwrap_or(0));
        let mut sizes: Vec<Size> = vec![Size { width: 0.0, above: 3.0, below: 3.0 }; pins.len()];
        if start.is_some()
            && let Some(dot) = sizes.last_mut()
        {
            *dot = Size { width: 0.0, above: 6.0, below: 6.0 };
        }
        let mut inners: Vec<Option<Group>> = vec![];
        for (v, card) in cards.iter().enumerate() {
            let inner = self.inner(*card, v, &arcs, &of, &found.forward);
            let up = loops.get(&v).map_or(0, Vec::len) as f64 * LOOP;
            sizes[v] = self.size(*card, inner.as_ref(), up);
            for (i, a) in arcs.iter_mut().enumerate().take(of.len()) {
                let Some(y) = inner.as_ref().and_then(|g| g.ports.get(&of[i].0)) else { continue };
                let off = Some(match (self.down, inner.as_ref()) {
                    (true, Some(g)) => *y - g.width / 2.0,
                    (_, g) => NAME + y - g.map_or(0.0, |g| g.height + NAME + PAD) / 2.0,
                });
                if a.from == v {
                    a.from_offset = off;
                } else if a.to == v {
                    a.to_offset = off;
                }
            }
            inners.push(inner);
        }
        let placed = layers::place(&found, &sizes, &arcs, if self.down { (44.0, 60.0) } else { (78.0, 170.0) });
        // Where the dot stands first it needs room of its own.
        let shift = start.map_or(0.0, |s| (DOT - placed.left[s]).max(0.0));
        let real = |(x, y): (f64, f64)| if self.down { (y, x + shift) } else { (x + shift, y) };
        let (width, height) = real((placed.width, placed.height));
        let mut out = Group { width, height, ..Group::default() };
        for (i, (way, ends)) in of.iter().enumerate() {
            let mut points: Vec<(f64, f64)> = placed.points[i].iter().copied().map(real).collect();
            // A way through the border goes on to it.
            let edge = |pin: Pin, (x, y): (f64, f64)| match (self.down, pin) {
                (true, Pin::First) => (x, -NAME),
                (true, Pin::Last) => (x, out.height + PAD),
                (false, Pin::First) => (-PAD, y),
                (false, Pin::Last) => (out.width + PAD, y),
            };
            if let Some(pin) = pins[arcs[i].from] {
                points.insert(0, edge(pin, points[0]));
            }
            if let (Some(pin), Some(last)) = (pins[arcs[i].to], points.last().copied()) {
                points.push(edge(pin, last));
            }
            out.pieces.push(Piece { way: *way, points, sign: placed.sign[i].map(real), ends: *ends });
        }
        for (way, v) in passing {
            out.ports.insert(way, placed.line[v]);
        }
        for (v, list) in loops {
            out.loops.extend(list.into_iter().enumerate().map(|(n, way)| (way, cards[v], n)));
        }
        out.start = start.map(|s| real((placed.left[s] - DOT, placed.line[s])));
        for ((v, card), inner) in cards.iter().enumerate().zip(inners) {
            let (left, line) = real((placed.left[v], placed.line[v]));
            let (wide, tall) = self.extent(*card, inner.as_ref());
            let (left, line) = if self.down { (left - wide / 2.0, line + tall / 2.0) } else { (left, line) };
            out.states.push(State { card: *card, left, line, width: wide, inner });
        }
        out
    }

    /// The drawing inside a state, with the sides on which its ways leave it; none where it holds no other.
    fn inner(&self, card: usize, v: usize, arcs: &[Arc], of: &[(usize, bool)], forward: &[bool]) -> Option<Group> {
        if !(0..self.p.cards.len()).any(|c| self.outer(c) == Some(card)) {
            return None;
        }
        let mut sides = Sides::new();
        for (i, (way, _)) in of.iter().enumerate() {
            let a = &arcs[i];
            if a.from == v {
                sides.insert(*way, if forward[i] { Pin::Last } else { Pin::First });
            } else if a.to == v {
                sides.insert(*way, if forward[i] { Pin::First } else { Pin::Last });
            }
        }
        Some(self.group(Some(card), &sides))
    }

    /// How wide and tall a state is drawn.
    fn extent(&self, card: usize, inner: Option<&Group>) -> (f64, f64) {
        let c = &self.p.cards[card];
        let name = text_width(short(c), SIZE);
        match inner {
            Some(g) => {
                let least = name + text_width(&self.words(c), 9.0) + PAD * 3.0;
                ((g.width + PAD * 2.0).max(least), g.height + NAME + PAD)
            }
            None => ((name + 40.0).max(90.0), HEIGHT),
        }
    }

    /// What a state takes of its layer, with room for so much on the side of its ways to itself.
    fn size(&self, card: usize, inner: Option<&Group>, up: f64) -> Size {
        let (wide, tall) = self.extent(card, inner);
        if self.down {
            return Size { width: tall, above: wide / 2.0, below: wide / 2.0 + up };
        }
        let has_words = inner.is_none() && !self.words(&self.p.cards[card]).is_empty();
        let below = if has_words { WORDS } else { 0.0 };
        Size { width: wide, above: tall / 2.0 + up, below: tall / 2.0 + below }
    }

    /// Small words at a state; from above down there is no room for them.
    fn words(&self, c: &Card) -> String {
        let entered = if c.entered > 0 { format!("entered {}×", c.entered) } else { String::new() };
        match (entered.is_empty(), c.loops) {
            _ if self.down => String::new(),
            (_, false) => entered,
            (true, true) => "loops".into(),
            (false, true) => format!("{entered}, loops"),
        }
    }

    fn frames(&self, scene: &mut Scene, g: &Group, (x, y): (f64, f64)) {
        for s in &g.states {
            let Some(inner) = &s.inner else { continue };
            let c = &self.p.cards[s.card];
            let tall = inner.height + NAME + PAD;
            let (left, top) = (x + s.left, y + s.line - tall / 2.0);
            let role = if c.active { Role::Fired } else { Role::Text };
            scene.items.push(Item::Box {
                x: left,
                y: top,
                width: s.width,
                height: tall,
                fill: Some(Role::Floor),
                line: Some((role, dash(c))),
                round: 12.0,
            });
            scene.text(left + PAD, top + 16.0, SIZE, short(c), role, Anchor::Start, c.active);
            let after = left + PAD * 1.6 + text_width(short(c), SIZE);
            scene.text(after, top + 16.0, 9.0, &self.words(c), Role::Dim, Anchor::Start, false);
            self.frames(scene, inner, (left + PAD, top + NAME));
        }
    }

    fn curves(&self, scene: &mut Scene, g: &Group, (x, y): (f64, f64)) {
        let mut signs = vec![];
        for piece in &g.pieces {
            let w = &self.ways[piece.way];
            let points: Vec<(f64, f64)> = piece.points.iter().map(|p| (x + p.0, y + p.1)).collect();
            self.curve(scene, &points, piece.ends, w.is_last);
            signs.extend(piece.sign.map(|at| ((x + at.0, y + at.1), w)));
        }
        for (way, card, n) in &g.loops {
            let Some(s) = g.states.iter().find(|s| s.card == *card) else { continue };
            let half = s.inner.as_ref().map_or(HEIGHT, |g| g.height + NAME + PAD) / 2.0;
            let up = 20.0 + LOOP * *n as f64;
            // Above the state, or beside it where ways come from above.
            let (cx, cy) = if self.down {
                (x + s.left + s.width, y + s.line)
            } else {
                (x + s.left + s.width / 2.0, y + s.line - half)
            };
            let at =
                |along: f64, out: f64| if self.down { (cx + out, cy - along / 2.0) } else { (cx + along, cy - out) };
            let w = &self.ways[*way];
            push(scene, vec![at(18.0, 0.0), at(24.0, up * 1.2), at(-24.0, up * 1.2), at(-18.0, 1.0)], true, w.is_last);
            signs.push((at(0.0, up * 0.9), w));
        }
        if let (Some((dx, dy)), Some(first)) = (g.start, g.states.iter().find(|s| self.p.cards[s.card].is_start)) {
            let (cx, cy) = if self.down { (x + dx, y + dy + 5.0) } else { (x + dx + 5.0, y + dy) };
            scene.items.push(Item::Circle { x: cx, y: cy, radius: 5.0, fill: Some(Role::Text), line: None });
            let half = first.inner.as_ref().map_or(HEIGHT, |g| g.height + NAME + PAD) / 2.0;
            let way = match self.down {
                true => [(cx, cy + 5.0), (cx, y + first.line - half - 1.0)],
                false => [(cx + 5.0, cy), (x + first.left - 1.0, cy)],
            };
            scene.arrow(&way, Role::Dim, Dash::Solid, 1.2);
        }
        for ((sx, sy), w) in signs {
            let role = if w.is_last { Role::Fired } else { Role::Dim };
            scene.reach(sx, sy);
            let line = Some((role, Dash::Solid));
            scene.items.push(Item::Circle { x: sx, y: sy, radius: 8.0, fill: Some(Role::Floor), line });
            scene.text(sx, sy + 3.5, 9.5, &w.number.to_string(), role, Anchor::Middle, w.is_last);
        }
        for s in &g.states {
            if let Some(inner) = &s.inner {
                let tall = inner.height + NAME + PAD;
                self.curves(scene, inner, (x + s.left + PAD, y + s.line - tall / 2.0 + NAME));
            }
        }
    }

    /// A smooth way through points that leaves and comes along the layers.
    fn curve(&self, scene: &mut Scene, points: &[(f64, f64)], arrow: bool, is_last: bool) {
        let mut out: Vec<(f64, f64)> = points.first().copied().into_iter().collect();
        for w in points.windows(2) {
            let ((x0, y0), (x1, y1)) = (w[0], w[1]);
            let (x, y) = ((x0 + x1) / 2.0, (y0 + y1) / 2.0);
            let bends = if self.down { [(x0, y), (x1, y)] } else { [(x, y0), (x, y1)] };
            out.extend(bends);
            out.push((x1, y1));
        }
        push(scene, out, arrow, is_last);
    }

    fn boxes(&self, scene: &mut Scene, g: &Group, (x, y): (f64, f64)) {
        for s in &g.states {
            let (left, top) = (x + s.left, y + s.line - HEIGHT / 2.0);
            match &s.inner {
                Some(inner) => {
                    let tall = inner.height + NAME + PAD;
                    self.boxes(scene, inner, (left + PAD, y + s.line - tall / 2.0 + NAME));
                }
                None => {
                    let c = &self.p.cards[s.card];
                    state(scene, c, &self.words(c), (left, top, s.width));
                }
            }
        }
    }
}

/// A state's name inside what holds it.
fn short(c: &Card) -> &str {
    c.name.rsplit('.').next().unwrap_or(&c.name)
}

fn dash(c: &Card) -> Dash {
    if c.previous { Dash::Dashed } else { Dash::Solid }
}

fn state(scene: &mut Scene, c: &Card, words: &str, (x, y, width): (f64, f64, f64)) {
    let role = if c.active { Role::Fired } else { Role::Text };
    scene.reach(x + width, y + HEIGHT);
    scene.items.push(Item::Box {
        x,
        y,
        width,
        height: HEIGHT,
        fill: Some(Role::Floor),
        line: Some((role, dash(c))),
        round: 8.0,
    });
    if c.active {
        // A second border: the active state is told without colour.
        scene.items.push(Item::Box {
            x: x + 3.0,
            y: y + 3.0,
            width: width - 6.0,
            height: HEIGHT - 6.0,
            fill: None,
            line: Some((role, Dash::Solid)),
            round: 6.0,
        });
    }
    scene.text(x + width / 2.0, y + 21.0, SIZE, short(c), role, Anchor::Middle, c.active);
    scene.text(x + width / 2.0, y + HEIGHT + 11.0, 9.0, words, Role::Dim, Anchor::Middle, false);
}

fn push(scene: &mut Scene, points: Vec<(f64, f64)>, arrow: bool, is_last: bool) {
    let role = if is_last { Role::Fired } else { Role::Dim };
    points.iter().for_each(|(x, y)| scene.reach(*x, *y));
    scene.items.push(Item::Curve { points, arrow, role, dash: Dash::Solid, width: if is_last { 2.0 } else { 1.2 } });
}
