//! Who sends and hears which message, which rule writes and reads which variable: whoever gives on the left, what is given in
//! the middle, whoever takes on the right; the whole level, or what lies round one thing.
//!
//! Invariant: every link of the text is drawn, or counted as left out; no text lies over another.

use crate::error::DrawError;
use crate::scene::{Anchor, Dash, Item, MARGIN, Role, SIZE, Scene, text_width};
use mayfly_base::*;
use mayfly_session::links::{How, Linked, links};
use mayfly_session::session::Session;
use std::collections::{BTreeMap, BTreeSet};

const ROW: f64 = 22.0;
const BETWEEN: f64 = 150.0;
/// Rows of a column.
const MAX: usize = 300;

fn name(s: &Session, what: Linked) -> String {
    match what {
        Linked::Message(m) => s.level.messages[m.index()].name.clone(),
        Linked::Variable(v) => s.level.vars[v.index()].name.clone(),
    }
}

/// Draws them.
///
/// # Errors
/// There is nothing of that name, or nothing to draw.
pub fn draw(s: &Session, of: Option<&str>) -> Result<Scene, DrawError> {
    let mut all = links(s);
    if let Some(of) = of {
        let rule = s.rule_named(of);
        let is_thing = all.iter().any(|(_, _, x)| name(s, *x) == of);
        if rule.is_none() && !is_thing {
            return Err(DrawError::NotLinked(of.into()));
        }
        // What lies right round it: its things and theirs, or its rules and their things.
        let near: BTreeSet<Linked> =
            all.iter().filter(|(r, _, x)| Some(*r) == rule || name(s, *x) == of).map(|(_, _, x)| *x).collect();
        all.retain(|(_, _, x)| near.contains(x));
    }
    if all.is_empty() {
        return Err(DrawError::NoLinks);
    }
    let gives = |h: How| matches!(h, How::Sends | How::Writes);
    let mut things: Vec<Linked> = all.iter().map(|(_, _, x)| *x).collect::<BTreeSet<_>>().into_iter().collect();
    let left_out = things.len().saturating_sub(MAX);
    things.truncate(MAX);
    let middle: BTreeMap<Linked, usize> = things.iter().enumerate().map(|(i, x)| (*x, i)).collect();
    // Each side by the mean place of what it is linked to: few lines cross.
    let side = |giving: bool| -> Vec<RuleId> {
        let mut rules: BTreeMap<RuleId, Vec<usize>> = BTreeMap::new();
        for (r, h, x) in all.iter().filter(|(_, h, _)| gives(*h) == giving) {
            let _ = h;
            rules.entry(*r).or_default().extend(middle.get(x));
        }
        let mut order: Vec<(f64, RuleId)> = rules
            .into_iter()
            .filter(|(_, at)| !at.is_empty())
            .map(|(r, at)| (at.iter().sum::<usize>() as f64 / at.len() as f64, r))
            .collect();
        order.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        order.into_iter().map(|(_, r)| r).take(MAX).collect()
    };
    let (left, right) = (side(true), side(false));
    let p = &s.engine.program;
    let wide = |list: &[RuleId]| list.iter().map(|r| text_width(&p.rule_in_full(*r), SIZE)).fold(120.0, f64::max);
    let widest = things.iter().map(|x| text_width(&name(s, *x), SIZE)).fold(40.0, f64::max) + 20.0;
    let level = if s.level.title.is_empty() { "a level" } else { s.level.title.as_str() };
    let round = of.map_or(String::new(), |o| format!(" round {o}"));
    let mut scene = Scene::new(
        format!("{level}: messages and variables{round}"),
        format!(
            "rules that give: {}; that take: {}; messages and variables: {}",
            left.len(),
            right.len(),
            things.len()
        ),
    );
    let mut y = MARGIN + SIZE;
    scene.text(MARGIN, y, SIZE + 3.0, level, Role::Strong, Anchor::Start, true);
    y += 28.0;
    let x0 = MARGIN + wide(&left);
    let x1 = x0 + BETWEEN;
    let x2 = x1 + widest;
    let x3 = x2 + BETWEEN;
    scene.text(x0, y, SIZE, "sends, writes", Role::Dim, Anchor::End, false);
    scene.text(x1 + widest / 2.0, y, SIZE, "what", Role::Dim, Anchor::Middle, false);
    scene.text(x3, y, SIZE, "hears, reads", Role::Dim, Anchor::Start, false);
    y += 26.0;
    let tallest = left.len().max(right.len()).max(things.len()) as f64;
    // Shorter columns stand spread over the height of the tallest.
    let place = |i: usize, n: usize| y + (i as f64 + 0.5) * tallest / n.max(1) as f64 * ROW;
    for (r, h, x) in &all {
        let Some(m) = middle.get(x).copied() else { continue };
        let at = place(m, things.len());
        let (list, from, to) = if gives(*h) { (&left, x0 + 6.0, x1) } else { (&right, x3 - 6.0, x2) };
        let Some(i) = list.iter().position(|l| l == r) else { continue };
        let side = place(i, list.len());
        let is_message = matches!(x, Linked::Message(_));
        let (role, dash) = if is_message { (Role::Outside, Dash::Dashed) } else { (Role::Written, Dash::Solid) };
        // A line goes the way that what is given goes: into the middle, and out of it.
        let (a, b) =
            if gives(*h) { ((from, side - 4.0), (to, at - 4.0)) } else { ((to, at - 4.0), (from, side - 4.0)) };
        let bend = (b.0 - a.0) / 2.0;
        let points = vec![a, (a.0 + bend, a.1), (b.0 - bend, b.1), b];
        scene.items.push(Item::Curve { points, arrow: true, role, dash, width: 1.0 });
    }
    for (i, r) in left.iter().enumerate() {
        scene.text(x0, place(i, left.len()), SIZE, &p.rule_in_full(*r), Role::Text, Anchor::End, false);
    }
    for (i, r) in right.iter().enumerate() {
        scene.text(x3, place(i, right.len()), SIZE, &p.rule_in_full(*r), Role::Text, Anchor::Start, false);
    }
    for (i, x) in things.iter().enumerate() {
        let at = place(i, things.len());
        let is_message = matches!(x, Linked::Message(_));
        let line = Some((
            if is_message { Role::Outside } else { Role::Written },
            if is_message { Dash::Dashed } else { Dash::Solid },
        ));
        scene.items.push(Item::Box {
            x: x1,
            y: at - 14.0,
            width: widest,
            height: 19.0,
            fill: Some(Role::Floor),
            line,
            round: if is_message { 9.0 } else { 2.0 },
        });
        scene.text(x1 + widest / 2.0, at, SIZE, &name(s, *x), Role::Strong, Anchor::Middle, false);
    }
    let y = y + tallest * ROW + 20.0;
    scene.reach(x3, y + 10.0);
    if left_out > 0 {
        scene.say(MARGIN, y, &format!("{left_out} more messages and variables"), Role::Dim);
    }
    Ok(scene)
}
