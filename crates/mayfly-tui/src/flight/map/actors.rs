//! Actors on the map: their looks, where they came from and go to, whom the selected rung is about, who came and went.
//!
//! Invariant: whoever is disabled or hidden is drawn too, as a hollow sign, and never as one that acts.

use super::Taken;
use super::view::View;
use super::zones::on_floor;
use crate::app::App;
use crate::pen::{Hit, Pen};
use crate::theme::Role;
use mayfly_base::*;
use mayfly_engine::TraceEvent;
use mayfly_engine::space;
use mayfly_engine::world::Actor;
use mayfly_session::cascade::Mark;
use ratatui::layout::Rect;
use ratatui::style::Modifier;
use std::collections::BTreeSet;

/// `, disabled`, `, hidden`: what is to be said of one that does not act as others do.
pub fn state_word(a: &Actor) -> &'static str {
    match (a.enabled, a.visible) {
        (false, false) => ", disabled and hidden",
        (false, true) => ", disabled",
        (true, false) => ", hidden",
        (true, true) => "",
    }
}

/// The character of an actor; with plain characters alone, the first letter of its name.
pub fn look_of(pen: &Pen, a: &Actor) -> String {
    if pen.theme.ascii && !a.look.is_ascii() {
        return a.name.chars().next().map_or("o".into(), |c| c.to_string());
    }
    a.look.to_string()
}

fn here<'a>(app: &'a App, view: &View) -> impl Iterator<Item = (ActorId, &'a Actor)> {
    let area = view.area;
    app.session.now.world.living().filter(move |(_, a)| a.at.area == area)
}

/// The actors that the selected rung is about, the first one first.
fn subjects(app: &App) -> Vec<ActorId> {
    let rung = app.selected_rung().and_then(|n| app.session.now.cascade.rung(n)).filter(|_| !app.play.running);
    rung.map(|r| app.session.subjects_of(r).0).unwrap_or_default()
}

/// Places of the screen that actors and their brackets take.
pub fn places(app: &App, view: &View) -> Taken {
    let chosen = subjects(app);
    let mut out = Taken::new();
    for (id, a) in here(app, view) {
        let (x, y) = view.at(a.at.x, a.at.y);
        out.insert((x, y));
        if chosen.contains(&id) {
            out.extend([(x - 1, y), (x + 1, y)]);
        }
    }
    out
}

/// Where the one that is followed came from, and where it and those of the selected rung walk to.
pub fn ways(app: &App, pen: &mut Pen, view: &View) {
    let trail = &app.flight.map.trail;
    let sign = pen.theme.glyph("˙", "`");
    // One that was found for another moment says nothing of this one.
    let is_fresh = trail.of.is_some_and(|(_, t)| t == app.session.moment.tick);
    let n = if is_fresh { trail.points.len() } else { 0 };
    for (i, p) in trail.points.iter().take(n).enumerate().filter(|(_, p)| p.area == view.area) {
        on_floor(pen, view, p.cell(), sign, if i + 4 >= n { Role::Fired } else { Role::Ember });
    }
    let mut who = subjects(app);
    who.extend(app.followed());
    let sign = pen.theme.glyph("∘", "\"");
    for (_, a) in here(app, view).filter(|(id, _)| who.contains(id)) {
        let Some(order) = a.walk.as_deref() else { continue };
        let mut from = (a.at.x, a.at.y);
        let way = order.way.iter().flat_map(|w| w[..order.left.min(w.len())].iter().rev());
        let aim = order.aim.as_ref().filter(|_| order.way.is_none());
        for p in way.chain(aim).take(200) {
            for c in space::cells_between(from, (p.x, p.y)).take(400) {
                on_floor(pen, view, c, sign, Role::Outside);
            }
            from = (p.x, p.y);
        }
    }
}

pub fn draw(app: &App, pen: &mut Pen, view: &View) {
    let s = &app.session;
    let moved = |id: ActorId, a: &Actor| s.now.before.actor(id).is_none_or(|b| b.at != a.at);
    let chosen = subjects(app);
    let came: BTreeSet<ActorId> = s
        .now
        .records
        .iter()
        .filter_map(|r| match r {
            TraceEvent::Spawned { actor, .. } => Some(*actor),
            _ => None,
        })
        .collect();
    let fired: BTreeSet<ActorId> =
        s.now.cascade.rungs().filter(|r| matches!(r.mark, Mark::Fired | Mark::GoesOn)).filter_map(|r| r.me).collect();
    went(app, pen, view);
    let mut all: Vec<(ActorId, &Actor)> = here(app, view).collect();
    // Whoever is driven, and whoever moved, is drawn last; who does not act lies below.
    let first = app.play.driving.or_else(|| s.steered());
    all.sort_by_key(|(id, a)| (a.enabled && a.visible, Some(*id) == first || chosen.contains(id), moved(*id, a), *id));
    for (id, a) in all {
        let at = view.at(a.at.x, a.at.y);
        if !view.holds(at) {
            continue;
        }
        let (x, y) = (at.0 as u16, at.1 as u16);
        let acts = a.enabled && a.visible;
        let mut style = if acts { pen.theme.look(a.colour) } else { pen.style(Role::Dim) };
        if fired.contains(&id) {
            style = style.add_modifier(Modifier::UNDERLINED);
        }
        let look = if acts { look_of(pen, a) } else { pen.theme.glyph("◦", "_").to_string() };
        pen.put(x, y, 1, &look, style);
        beside(pen, view, at, chosen.iter().position(|c| *c == id), came.contains(&id));
        let place = Rect { x, y, width: (view.columns as u16 / 2).max(1), height: 1 };
        pen.hits.push((place, Hit::Actor(id)));
    }
}

/// Beside an actor: brackets where the selected rung is about it, a sign where it came in this tick. `at`: its place among
/// those that the rung is about.
fn beside(pen: &mut Pen, view: &View, (x, y): (i32, i32), at: Option<usize>, came: bool) {
    let role = if at == Some(0) { Role::Fired } else { Role::Outside };
    let signs: [(i32, &str, Role); 2] = match (at, came) {
        (Some(_), false) => [(x - 1, "[", role), (x + 1, "]", role)],
        (Some(_), true) => [(x - 1, "[", role), (x + 1, "+", Role::True)],
        (None, true) => [(x + 1, "+", Role::True), (x + 1, "+", Role::True)],
        (None, false) => return,
    };
    for (x, sign, role) in signs {
        if view.columns >= 2 && view.holds((x, y)) {
            pen.say(x as u16, y as u16, 1, sign, role);
        }
    }
    if view.columns == 1 && at.is_some() {
        let style = pen.style(Role::Selected);
        pen.tint(x as u16, y as u16, 1, style);
    }
}

/// Where somebody was removed in this tick: in its cell, beside whoever stands there now.
fn went(app: &App, pen: &mut Pen, view: &View) {
    let s = &app.session;
    let taken = places(app, view);
    for r in &s.now.records {
        let TraceEvent::Removed { actor, .. } = r else { continue };
        let Some(a) = s.now.before.actor(*actor).filter(|a| a.at.area == view.area) else { continue };
        if s.now.world.actor(*actor).is_some() {
            continue;
        }
        let (x, y) = view.at(a.at.x, a.at.y);
        let right = (1..=view.columns / 2).map(|n| (x + n, y));
        let below = (1..=view.rows / 2).map(|n| (x, y + n));
        let free = |at: &(i32, i32)| view.holds(*at) && !taken.contains(at);
        if let Some((x, y)) = [(x, y)].into_iter().chain(right).chain(below).find(free) {
            pen.say(x as u16, y as u16, 1, pen.theme.glyph("†", "t"), Role::Held);
        }
    }
}
