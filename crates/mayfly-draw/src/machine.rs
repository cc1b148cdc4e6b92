//! A machine: its states in layers from the start, its transitions as numbered curves with what each awaits beside them, the
//! active state and the way to it lit, how often each was taken.
//!
//! Source: layers by the shortest way from the start; within a layer states stand by the mean place of their neighbours
//! (Sugiyama, Tagawa and Toda 1981, the barycentre step), which leaves few crossings.
//!
//! Invariant: no text lies over another: a curve carries a number alone, and its words stand in a list of their own.

use crate::scene::{Anchor, Dash, Item, MARGIN, Role, SIZE, Scene, text_width};
use mayfly_engine::world::MachineKey;
use mayfly_session::machines::{Picture, Way};
use mayfly_session::session::Session;
use std::collections::BTreeMap;

const HEIGHT: f64 = 34.0;
const BETWEEN: f64 = 34.0;
const LAYER: f64 = 110.0;

/// The machine of that name: `night`, `sluice.gate` of an actor, or `gate` where there is one alone.
///
/// # Errors
/// The machines that there are, where it is none of them.
pub fn named(s: &Session, name: &str) -> Result<MachineKey, String> {
    let words = mayfly_session::words::Words::new(&s.engine.program, &s.now.world);
    let full = |k: &MachineKey| s.now.world.machines.get(k).map_or(String::new(), |m| words.machine(k.1, m.state));
    let keys = s.machine_keys();
    if let Some(k) = keys.iter().find(|k| full(k) == name) {
        return Ok(*k);
    }
    let bare: Vec<&MachineKey> = keys.iter().filter(|k| s.engine.program.machines[k.0.index()].name == name).collect();
    match (bare.as_slice(), keys.is_empty()) {
        ([first, ..], _) => Ok(**first),
        ([], true) => Err("this level has no machine".into()),
        ([], false) => {
            let names: Vec<String> = keys.iter().map(full).take(20).collect();
            Err(format!("there is no machine `{name}`; there is {}", names.join(", ")))
        }
    }
}

/// One state's box.
struct Place {
    x: f64,
    y: f64,
    width: f64,
}

/// What a numbered way is: its number, from where to where, what it awaits and how often it was taken, and whether it was
/// taken last.
pub type Listed = (usize, (String, String), bool);

/// Draws it as it is at the session's moment; none where its actor is gone.
pub fn draw(s: &Session, key: MachineKey) -> Option<Scene> {
    let p = s.picture(key)?;
    let mut scene = Scene::new(
        format!("machine {}", p.name),
        format!("{} states; {} since tick {}", p.cards.len(), p.state, p.since),
    );
    let top = MARGIN + SIZE;
    scene.text(MARGIN, top, SIZE + 3.0, &p.name, Role::Strong, Anchor::Start, true);
    let after = MARGIN + text_width(&p.name, SIZE + 3.0) + SIZE;
    let said = format!("{} since tick {}, at tick {}", p.state, p.since, s.moment.tick);
    scene.text(after, top, SIZE, &said, Role::Dim, Anchor::Start, false);
    let listed = states_and_ways(&mut scene, &p, top + 30.0);
    list(&mut scene, &listed);
    Some(scene)
}

/// Its states and ways alone, and what each number of a way stands for: for a screen, which says the rest in its own words.
pub fn drawing(p: &Picture) -> (Scene, Vec<Listed>) {
    let mut scene = Scene::new(format!("machine {}", p.name), String::new());
    let listed = states_and_ways(&mut scene, p, 40.0);
    (scene, listed)
}

fn states_and_ways(scene: &mut Scene, p: &Picture, top: f64) -> Vec<Listed> {
    let places = places(p, top);
    let newest = p.cards.iter().flat_map(|c| &c.ways).chain(&p.wherever).filter_map(|w| w.last).max();
    let mut listed: Vec<Listed> = vec![];
    let mut drawn: BTreeMap<(usize, usize), usize> = BTreeMap::new();
    // Curves first, so that states lie over their ends.
    for (i, card) in p.cards.iter().enumerate() {
        for w in &card.ways {
            let is_last = w.last.is_some() && w.last == newest && w.last == Some(p.since);
            let n = listed.len() + 1;
            for goal in &w.goals {
                if let Some(to) = p.cards.iter().position(|c| c.id == *goal) {
                    // Ways between the same two states lie beside each other.
                    let beside = drawn.entry((i, to)).or_insert(0);
                    curve(scene, (&places[i], &places[to]), (i == to, n, *beside), is_last);
                    *beside += 1;
                }
            }
            listed.push((n, line(&card.name, w), is_last));
        }
    }
    for w in &p.wherever {
        listed.push((listed.len() + 1, line("wherever it is", w), false));
    }
    for (i, card) in p.cards.iter().enumerate() {
        state(scene, &places[i], card.active, card.previous, &card.name, card.entered);
    }
    if let Some(i) = p.cards.iter().position(|c| c.rank == 0) {
        let at = &places[i];
        let y = at.y + HEIGHT / 2.0;
        scene.items.push(Item::Circle { x: at.x - 22.0, y, radius: 5.0, fill: Some(Role::Text), line: None });
        scene.arrow(&[(at.x - 17.0, y), (at.x - 1.0, y)], Role::Dim, Dash::Solid, 1.2);
    }
    listed
}

/// What each number stands for, in as many columns as the drawing above carries.
fn list(scene: &mut Scene, listed: &[Listed]) {
    let top = scene.height + 10.0;
    let wide = |l: &Listed| text_width(&l.1.0, SIZE) + text_width(&l.1.1, SIZE);
    let widest = listed.iter().map(wide).fold(0.0, f64::max) + 34.0 + SIZE * 4.0;
    let columns = ((scene.width - MARGIN) / widest).floor().clamp(1.0, 4.0) as usize;
    let rows = listed.len().div_ceil(columns).max(6);
    for (i, (n, (way, what), is_last)) in listed.iter().enumerate() {
        let (x, y) = (MARGIN + (i / rows) as f64 * widest, top + (i % rows) as f64 * 19.0);
        let role = if *is_last { Role::Fired } else { Role::Text };
        scene.text(x + 24.0, y, SIZE, &n.to_string(), Role::Dim, Anchor::End, false);
        let end = scene.say(x + 34.0, y, way, role);
        scene.say(end + SIZE, y, what, if *is_last { Role::Fired } else { Role::Dim });
    }
}

fn line(from: &str, w: &Way) -> (String, String) {
    let word =
        if w.label.is_empty() || w.label.starts_with("after ") || w.label.starts_with("if ") { "" } else { "when " };
    let taken = if w.taken > 0 { format!(", taken {}×", w.taken) } else { String::new() };
    (format!("{from} → {}", w.to), format!("{word}{}{taken}", w.label))
}

/// Layers from left to right; in each, states by the mean place of those before them.
fn places(p: &Picture, top: f64) -> Vec<Place> {
    let width = |name: &str| (text_width(name, SIZE) + 40.0).max(90.0);
    let mut layers: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    for (i, c) in p.cards.iter().enumerate() {
        layers.entry(c.rank).or_default().push(i);
    }
    // Layers that are as tall as the others are wide are parted.
    let mut columns: Vec<Vec<usize>> = vec![];
    for states in layers.into_values() {
        columns.extend(states.chunks(8).map(<[usize]>::to_vec));
    }
    let mut row: Vec<f64> = vec![0.0; p.cards.len()];
    for c in 0..columns.len() {
        let before: Vec<usize> = columns[..c].iter().flatten().copied().collect();
        let mean = |i: usize| {
            let near: Vec<f64> = before
                .iter()
                .filter(|b| {
                    let leads = |x: usize, y: usize| p.cards[x].ways.iter().any(|w| w.goals.contains(&p.cards[y].id));
                    leads(**b, i) || leads(i, **b)
                })
                .map(|b| row[*b])
                .collect();
            if near.is_empty() { i as f64 } else { near.iter().sum::<f64>() / near.len() as f64 }
        };
        let mut states = columns[c].clone();
        states.sort_by(|a, b| mean(*a).total_cmp(&mean(*b)).then(a.cmp(b)));
        for (n, i) in states.iter().enumerate() {
            row[*i] = n as f64;
        }
        columns[c] = states;
    }
    let tallest = columns.iter().map(Vec::len).max().unwrap_or(1) as f64 * (HEIGHT + BETWEEN) - BETWEEN;
    let mut out: Vec<Place> = p.cards.iter().map(|_| Place { x: 0.0, y: 0.0, width: 0.0 }).collect();
    let mut x = MARGIN + 34.0;
    for states in &columns {
        let widest = states.iter().map(|i| width(&p.cards[*i].name)).fold(0.0, f64::max);
        let tall = states.len() as f64 * (HEIGHT + BETWEEN) - BETWEEN;
        for (n, i) in states.iter().enumerate() {
            let y = top + (tallest - tall) / 2.0 + n as f64 * (HEIGHT + BETWEEN);
            out[*i] = Place { x, y, width: widest };
        }
        x += widest + LAYER;
    }
    out
}

fn state(scene: &mut Scene, at: &Place, active: bool, previous: bool, name: &str, entered: usize) {
    let role = if active { Role::Fired } else { Role::Text };
    scene.reach(at.x + at.width, at.y + HEIGHT);
    scene.items.push(Item::Box {
        x: at.x,
        y: at.y,
        width: at.width,
        height: HEIGHT,
        fill: Some(Role::Floor),
        line: Some((role, if previous { Dash::Dashed } else { Dash::Solid })),
        round: 8.0,
    });
    if active {
        // A second border: the active state is told without colour.
        scene.items.push(Item::Box {
            x: at.x + 3.0,
            y: at.y + 3.0,
            width: at.width - 6.0,
            height: HEIGHT - 6.0,
            fill: None,
            line: Some((role, Dash::Solid)),
            round: 6.0,
        });
    }
    scene.text(at.x + at.width / 2.0, at.y + 21.0, SIZE, name, role, Anchor::Middle, active);
    if entered > 0 {
        let text = format!("entered {entered}×");
        scene.text(at.x + at.width / 2.0, at.y + HEIGHT + 11.0, 9.0, &text, Role::Dim, Anchor::Middle, false);
    }
}

/// From one state to another; `n`: its number, drawn on it; `beside`: how many ways between the same two were drawn before.
fn curve(scene: &mut Scene, (a, b): (&Place, &Place), (is_loop, n, beside): (bool, usize, usize), is_last: bool) {
    let role = if is_last { Role::Fired } else { Role::Dim };
    let width = if is_last { 2.0 } else { 1.2 };
    let (ay, by) = (a.y + HEIGHT / 2.0, b.y + HEIGHT / 2.0);
    // The first one is straight, those after it bend away by turns.
    let bend = (beside as f64 / 2.0).ceil() * if beside % 2 == 1 { -34.0 } else { 34.0 };
    let points = if is_loop {
        let x = a.x + a.width * 0.7;
        {
            let up = 30.0 + 22.0 * beside as f64;
            [(x, a.y), (x + 10.0, a.y - up), (x - 40.0, a.y - up), (x - 24.0, a.y - 1.0)]
        }
    } else if b.x > a.x + a.width {
        let (x0, x1) = (a.x + a.width, b.x - 2.0);
        [(x0, ay), (x0 + 45.0, ay + bend), (x1 - 45.0, by + bend), (x1, by)]
    } else if b.x + b.width < a.x {
        // Back, under the row.
        let (x0, x1) = (a.x, b.x + b.width + 2.0);
        {
            let down = 46.0 + 26.0 * beside as f64;
            [(x0, ay + 8.0), (x0 - 45.0, ay + down), (x1 + 45.0, by + down), (x1, by + 8.0)]
        }
    } else {
        // In one layer, beside it.
        let (x0, x1) = (a.x + a.width, b.x + b.width + 2.0);
        {
            let out = 48.0 + 24.0 * beside as f64;
            [(x0, ay), (x0 + out, ay), (x1 + out, by), (x1, by)]
        }
    };
    points.iter().for_each(|(x, y)| scene.reach(*x, *y));
    scene.items.push(Item::Curve { points, role, dash: Dash::Solid, width });
    // A point on the curve, on its first half; numbers of neighbours lie apart.
    let t = 0.3 + (n % 3) as f64 * 0.14;
    let u = 1.0 - t;
    let at = |f: fn(&(f64, f64)) -> f64| {
        u * u * u * f(&points[0])
            + 3.0 * u * u * t * f(&points[1])
            + 3.0 * u * t * t * f(&points[2])
            + t * t * t * f(&points[3])
    };
    let (x, y) = (at(|p| p.0), at(|p| p.1));
    scene.items.push(Item::Circle { x, y, radius: 8.0, fill: Some(Role::Floor), line: Some((role, Dash::Solid)) });
    scene.text(x, y + 3.5, 9.5, &n.to_string(), role, Anchor::Middle, is_last);
}
