//! The firing order of one tick as a ladder: rounds, events with their causes, evaluations with a shape for each verdict, and
//! what each did.
//!
//! Invariant: everything that was evaluated in the tick stands in it, in its order.

use crate::scene::{Anchor, Dash, Item, MARGIN, Role, SIZE, Scene, text_width};
use mayfly_session::cascade::{Cascade, Mark, Origin};
use mayfly_session::cascade_text::line_text;
use mayfly_session::session::Session;

const ROW: f64 = 20.0;

/// Draws the cascade of the session's moment.
pub fn draw(s: &Session) -> Scene {
    let c: &Cascade = &s.now.cascade;
    let level = if s.level.title.is_empty() { "a level" } else { s.level.title.as_str() };
    let facts = format!("tick {}: {} fired, {} held, {} spent", c.tick, c.fired, c.held, c.spent);
    let mut scene = Scene::new(format!("{level}: the firing order of tick {}", c.tick), facts.clone());
    let mut y = MARGIN + SIZE;
    scene.text(MARGIN, y, SIZE + 3.0, level, Role::Strong, Anchor::Start, true);
    scene.say(MARGIN + text_width(level, SIZE + 3.0) + SIZE, y, &facts, Role::Dim);
    y += 30.0;
    for l in &c.before {
        scene.say(MARGIN + 40.0, y, &line_text(&l.what, "→"), Role::Outside);
        y += ROW;
    }
    if c.groups.is_empty() {
        scene.say(MARGIN + 40.0, y, "Nothing was evaluated in this tick.", Role::Dim);
        return scene;
    }
    let spine = MARGIN + 30.0;
    let mut round = 0;
    let mut begin = y;
    for g in &c.groups {
        if g.round != round {
            if round != 0 {
                scene.line(&[(spine, begin), (spine, y - ROW)], Role::Line, Dash::Solid, 1.5);
                y += 10.0;
            }
            round = g.round;
            begin = y;
            scene.text(spine - 12.0, y, SIZE, &round.to_string(), Role::Strong, Anchor::End, true);
        }
        let end = scene.say(spine + 14.0, y, &g.title, Role::Outside);
        scene.say(end + 24.0, y, &origin(g.source, g.unheard, g.dropped), Role::Dim);
        scene.line(&[(spine, y - 4.0), (spine + 10.0, y - 4.0)], Role::Line, Dash::Solid, 1.5);
        y += ROW;
        for r in &g.rungs {
            shape(&mut scene, spine + 44.0, y - 4.0, r.mark);
            scene.text(spine + 30.0, y, 10.0, &r.number.to_string(), Role::Dim, Anchor::End, false);
            let role = if matches!(r.mark, Mark::Fired | Mark::GoesOn) { Role::Strong } else { Role::Text };
            let end = scene.say(spine + 58.0, y, &r.title, role);
            let note =
                if r.note.is_empty() { r.mark.word().to_string() } else { format!("{}: {}", r.mark.word(), r.note) };
            let role = if r.mark == Mark::Held { Role::Held } else { Role::Dim };
            scene.say(end + 24.0, y, &note, role);
            y += ROW;
            for l in &r.lines {
                scene.say(spine + 76.0, y, &line_text(&l.what, "→"), Role::Written);
                y += ROW;
            }
        }
    }
    scene.line(&[(spine, begin), (spine, y - ROW)], Role::Line, Dash::Solid, 1.5);
    scene
}

fn origin(o: Origin, unheard: bool, dropped: bool) -> String {
    match o {
        _ if unheard => "heard by nobody".into(),
        _ if dropped => "dropped: it is gone".into(),
        Origin::Sensed => "sensed".into(),
        Origin::Noticed => "noticed".into(),
        Origin::Key => "a key".into(),
        Origin::Clock => "due in this tick".into(),
        Origin::Start => "the start".into(),
        Origin::Hand => "by hand".into(),
        Origin::Rung(r, n) => format!("from {r}.{n}"),
        Origin::Earlier(t) => format!("from tick {t}"),
    }
}

/// A shape for each verdict: full, hollow, dotted, barred.
fn shape(scene: &mut Scene, x: f64, y: f64, mark: Mark) {
    let r = 5.0;
    let diamond = vec![(x, y - r), (x + r, y), (x, y + r), (x - r, y)];
    let circle = |fill, dash| Item::Circle { x, y, radius: r, fill, line: Some((Role::Dim, dash)) };
    scene.items.push(match mark {
        Mark::Fired => Item::Shape { points: diamond, fill: Some(Role::Fired), line: Some(Role::Fired) },
        Mark::Held => Item::Shape { points: diamond, fill: None, line: Some(Role::Held) },
        Mark::GoesOn => {
            let points = vec![(x - r, y - r), (x + r, y), (x - r, y + r)];
            Item::Shape { points, fill: Some(Role::Fired), line: Some(Role::Fired) }
        }
        Mark::Fault => {
            let points = vec![(x - r, y - r), (x + r, y - r), (x + r, y + r), (x - r, y + r)];
            Item::Shape { points, fill: Some(Role::Fault), line: Some(Role::Fault) }
        }
        Mark::Spent | Mark::Passed => circle(None, Dash::Dotted),
        Mark::Asleep => circle(None, Dash::Solid),
    });
}
