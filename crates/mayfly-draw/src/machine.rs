//! A machine: its states in layers from the start, its transitions as numbered curves with what each awaits beside them, the
//! active state and the way to it lit, how often each was taken.
//!
//! Not here: where things stand ([`crate::machine_layout`]).
//!
//! Invariant: no text lies over another: a curve carries a number alone, and its words stand in a list of their own.

use crate::error::DrawError;
use crate::machine_layout::{Drawn, Layout};
use crate::scene::{Anchor, MARGIN, Role, SIZE, Scene, text_width};
use mayfly_engine::world::MachineKey;
use mayfly_session::machines::{Picture, Way};
use mayfly_session::session::Session;

/// The height of a line of the list.
const ROW: f64 = 19.0;

/// The machine of that name: `night`, `sluice.gate` of an actor, or `gate` where there is one alone.
///
/// # Errors
/// The machines that there are, where it is none of them.
pub fn named(s: &Session, name: &str) -> Result<MachineKey, DrawError> {
    let words = mayfly_session::words::Words::new(&s.engine.program, &s.now.world);
    let full = |k: &MachineKey| s.now.world.machines.get(k).map_or(String::new(), |m| words.machine(k.1, m.state));
    let keys = s.machine_keys();
    if let Some(k) = keys.iter().find(|k| full(k) == name) {
        return Ok(*k);
    }
    let bare: Vec<&MachineKey> = keys.iter().filter(|k| s.engine.program.machines[k.0.index()].name == name).collect();
    match (bare.as_slice(), keys.is_empty()) {
        ([first, ..], _) => Ok(**first),
        ([], true) => Err(DrawError::NoMachines),
        ([], false) => {
            let names: Vec<String> = keys.iter().map(full).take(20).collect();
            Err(DrawError::NoMachine { name: name.into(), known: names })
        }
    }
}

/// What a numbered way is: its number, from where to where, what it awaits and how often it was taken, and whether it was
/// taken last.
pub type Listed = (usize, (String, String), bool);

/// Draws it as it is at the session's moment; none where its actor is gone.
pub fn draw(s: &Session, key: MachineKey) -> Option<Scene> {
    let p = s.picture(key)?;
    let mut scene = Scene::new(
        format!("machine {}", p.name),
        format!("{}; {} since tick {}", mayfly_base::number::counted(p.cards.len(), "state"), p.state, p.since),
    );
    let top = MARGIN + SIZE;
    scene.text(MARGIN, top, SIZE + 3.0, &p.name, Role::Strong, Anchor::Start, true);
    let after = MARGIN + text_width(&p.name, SIZE + 3.0) + SIZE;
    let said = format!("{} since tick {}, at tick {}", p.state, p.since, s.moment.tick);
    scene.text(after, top, SIZE, &said, Role::Dim, Anchor::Start, false);
    let listed = states_and_ways(&mut scene, &p, top + 30.0, false);
    list(&mut scene, &listed, top + 30.0);
    Some(scene)
}

/// Its states and ways alone, from left to right or from above down, and what each number of a way stands for: for a screen,
/// which says the rest in its own words.
pub fn drawing(p: &Picture, down: bool) -> (Scene, Vec<Listed>) {
    let mut scene = Scene::new(format!("machine {}", p.name), String::new());
    let listed = states_and_ways(&mut scene, p, 8.0, down);
    (scene, listed)
}

fn states_and_ways(scene: &mut Scene, p: &Picture, top: f64, down: bool) -> Vec<Listed> {
    let newest = p.cards.iter().flat_map(|c| &c.ways).chain(&p.wherever).filter_map(|w| w.last).max();
    let mut listed: Vec<Listed> = vec![];
    let mut ways = vec![];
    for (from, card) in p.cards.iter().enumerate() {
        for w in &card.ways {
            let is_last = w.last.is_some() && w.last == newest && w.last == Some(p.since);
            let number = listed.len() + 1;
            let goals = w.goals.iter().filter_map(|g| p.cards.iter().position(|c| c.id == *g));
            ways.extend(goals.map(|to| Drawn { from, to, number, is_last }));
            listed.push((number, line(&card.name, w), is_last));
        }
    }
    for w in &p.wherever {
        listed.push((listed.len() + 1, line("wherever it is", w), false));
    }
    // What was taken last lies over the others.
    ways.sort_by_key(|w| w.is_last);
    Layout { p, ways: &ways, down }.draw(scene, top);
    listed
}

/// What each number stands for: under the drawing in as many columns as it carries, or beside one that is tall.
fn list(scene: &mut Scene, listed: &[Listed], top: f64) {
    let wide = |l: &Listed| text_width(&l.1.0, SIZE) + text_width(&l.1.1, SIZE);
    let widest = listed.iter().map(wide).fold(0.0, f64::max) + 34.0 + SIZE * 4.0;
    let under = scene.height + 10.0;
    let is_tall = scene.height > scene.width && listed.len() as f64 * ROW < scene.height * 2.0;
    let (left, top) = if is_tall { (scene.width + MARGIN, top + SIZE) } else { (MARGIN, under) };
    let rows = match is_tall {
        true => (((scene.height - top) / ROW) as usize).max(1),
        false => {
            let columns = ((scene.width - MARGIN) / widest).floor().clamp(1.0, 4.0) as usize;
            listed.len().div_ceil(columns).max(6)
        }
    };
    for (i, (n, (way, what), is_last)) in listed.iter().enumerate() {
        let (x, y) = (left + (i / rows) as f64 * widest, top + (i % rows) as f64 * ROW);
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
