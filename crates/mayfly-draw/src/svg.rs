//! A scene as SVG 1.1: text as text, a title and a description inside, no style sheet, no script, nothing from elsewhere.
//!
//! Invariant: the same scene gives the same bytes; nothing in a text can end its element.

use crate::scene::{Anchor, Dash, Item, Role, Scene};
use mayfly_lang::diagnostic::safe;
use svg::node::element::path::Data;
use svg::node::element::{
    Circle, Definitions, Description, Line, Marker, Path, Pattern, Polygon, Polyline, Rectangle, Text, Title,
};

/// On paper, or on a dark screen.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Look {
    Light,
    Dark,
}

impl Look {
    fn colour(self, role: Role) -> &'static str {
        let (light, dark) = match role {
            Role::Text => ("#1f2a27", "#d6dcd2"),
            Role::Dim => ("#586460", "#8a9791"),
            Role::Strong => ("#101614", "#f2f5ee"),
            Role::Line => ("#b4beb2", "#3a4a45"),
            Role::Fired => ("#8f5400", "#f2b34b"),
            Role::Held => ("#a33e22", "#c9694f"),
            Role::Outside => ("#1b6980", "#6fb7c9"),
            Role::Written => ("#66458f", "#b79bd6"),
            Role::Fault => ("#c4102b", "#ff5d6c"),
            Role::Zone => ("#2c6d80", "#5b8f9c"),
            Role::Wall => ("#77837a", "#4a5c56"),
            Role::Water => ("#bcd8e2", "#1b3a4b"),
            Role::Reeds => ("#4f7a3c", "#6f9a4f"),
            Role::Floor => ("#f3f2ea", "#14181b"),
        };
        if self == Self::Light { light } else { dark }
    }
}

fn round(n: f64) -> f64 {
    (n * 100.0).round() / 100.0
}

fn dashes(dash: Dash) -> &'static str {
    match dash {
        Dash::Solid => "none",
        Dash::Dashed => "6 4",
        Dash::Dotted => "1.5 4",
    }
}

/// The file's text. `width`: how wide it is shown, in pixels; as wide as it is drawn where none is given.
pub fn write(scene: &Scene, look: Look, width: Option<f64>) -> String {
    let (w, h) = (round(scene.width.max(40.0)), round(scene.height.max(40.0)));
    let shown = width.unwrap_or(w);
    let mut doc = svg::Document::new()
        .set("viewBox", (0.0, 0.0, w, h))
        .set("width", round(shown))
        .set("height", round(h * shown / w))
        .set("role", "img")
        .set("font-family", "DejaVu Sans Mono, Menlo, Consolas, monospace")
        .add(Title::new(plain(&scene.title)))
        .add(Description::new().add(svg::node::Text::new(plain(&scene.description))))
        .add(definitions(look))
        .add(Rectangle::new().set("width", w).set("height", h).set("fill", look.colour(Role::Floor)));
    for item in &scene.items {
        doc = add(doc, item, look);
    }
    format!("{doc}\n")
}

/// A text without what could steer a terminal or break XML.
fn plain(text: &str) -> String {
    safe(text)
}

fn definitions(look: Look) -> Definitions {
    let hatch = |id: &str, role: Role| {
        Pattern::new()
            .set("id", id)
            .set("width", 6)
            .set("height", 6)
            .set("patternUnits", "userSpaceOnUse")
            .add(Path::new().set("d", "M0 6 L6 0").set("stroke", look.colour(role)).set("stroke-width", 1.2))
    };
    let waves = Pattern::new()
        .set("id", "water")
        .set("width", 16)
        .set("height", 10)
        .set("patternUnits", "userSpaceOnUse")
        .add(Rectangle::new().set("width", 16).set("height", 10).set("fill", look.colour(Role::Water)))
        .add(
            Path::new()
                .set("d", "M2 6 q2 -2 4 0 t4 0")
                .set("stroke", look.colour(Role::Zone))
                .set("stroke-width", 0.7)
                .set("fill", "none"),
        );
    let marker = |id: &str, role: Role| {
        Marker::new()
            .set("id", id)
            .set("viewBox", "0 0 8 8")
            .set("refX", 7)
            .set("refY", 4)
            .set("markerWidth", 7)
            .set("markerHeight", 7)
            .set("orient", "auto")
            .add(Path::new().set("d", "M0 0 L8 4 L0 8 z").set("fill", look.colour(role)))
    };
    Definitions::new()
        .add(hatch("reeds", Role::Reeds))
        .add(waves)
        .add(marker("arrow", Role::Dim))
        .add(marker("arrow-fired", Role::Fired))
}

fn fill(role: Option<Role>, look: Look) -> String {
    match role {
        None => "none".into(),
        Some(Role::Water) => "url(#water)".into(),
        Some(Role::Reeds) => "url(#reeds)".into(),
        Some(role) => look.colour(role).into(),
    }
}

fn add(doc: svg::Document, item: &Item, look: Look) -> svg::Document {
    let stroke = |line: &Option<(Role, Dash)>| match line {
        Some((role, dash)) => (look.colour(*role), dashes(*dash)),
        None => ("none", "none"),
    };
    let points = |list: &[(f64, f64)]| {
        list.iter().map(|(x, y)| format!("{},{}", round(*x), round(*y))).collect::<Vec<_>>().join(" ")
    };
    match item {
        Item::Box { x, y, width, height, fill: inside, line, round: r } => {
            let (colour, dash) = stroke(line);
            let node = Rectangle::new()
                .set("x", round(*x))
                .set("y", round(*y))
                .set("width", round(*width))
                .set("height", round(*height))
                .set("fill", fill(*inside, look))
                .set("stroke", colour)
                .set("stroke-dasharray", dash);
            doc.add(if *r > 0.0 { node.set("rx", *r) } else { node })
        }
        Item::Circle { x, y, radius, fill: inside, line } => {
            let (colour, dash) = stroke(line);
            doc.add(
                Circle::new()
                    .set("cx", round(*x))
                    .set("cy", round(*y))
                    .set("r", round(*radius))
                    .set("fill", fill(*inside, look))
                    .set("stroke", colour)
                    .set("stroke-dasharray", dash),
            )
        }
        Item::Line { points: list, role, dash, width, arrow } => {
            let end = if *role == Role::Fired { "url(#arrow-fired)" } else { "url(#arrow)" };
            let end = if *arrow { end } else { "none" };
            let (colour, dash) = (look.colour(*role), dashes(*dash));
            match list.as_slice() {
                [a, b] => doc.add(
                    Line::new()
                        .set("x1", round(a.0))
                        .set("y1", round(a.1))
                        .set("x2", round(b.0))
                        .set("y2", round(b.1))
                        .set("stroke", colour)
                        .set("stroke-width", *width)
                        .set("stroke-dasharray", dash)
                        .set("marker-end", end),
                ),
                _ => doc.add(
                    Polyline::new()
                        .set("points", points(list))
                        .set("fill", "none")
                        .set("stroke", colour)
                        .set("stroke-width", *width)
                        .set("stroke-dasharray", dash)
                        .set("marker-end", end),
                ),
            }
        }
        Item::Curve { points: list, arrow, role, dash, width } => {
            let at = |p: &(f64, f64)| (round(p.0), round(p.1));
            let mut data = Data::new().move_to(list.first().map_or((0.0, 0.0), at));
            for piece in list[1..].chunks_exact(3) {
                data = data.cubic_curve_to((at(&piece[0]), at(&piece[1]), at(&piece[2])));
            }
            let end = if *role == Role::Fired { "url(#arrow-fired)" } else { "url(#arrow)" };
            doc.add(
                Path::new()
                    .set("d", data)
                    .set("fill", "none")
                    .set("stroke", look.colour(*role))
                    .set("stroke-width", *width)
                    .set("stroke-dasharray", dashes(*dash))
                    .set("marker-end", if *arrow { end } else { "none" }),
            )
        }
        Item::Shape { points: list, fill: inside, line } => doc.add(
            Polygon::new()
                .set("points", points(list))
                .set("fill", fill(*inside, look))
                .set("stroke", line.map_or("none", |r| look.colour(r))),
        ),
        Item::Text { x, y, size, text, role, anchor, bold } => {
            let anchor = match anchor {
                Anchor::Start => "start",
                Anchor::Middle => "middle",
                Anchor::End => "end",
            };
            let node = Text::new(plain(text))
                .set("x", round(*x))
                .set("y", round(*y))
                .set("font-size", *size)
                .set("text-anchor", anchor)
                .set("fill", look.colour(*role));
            doc.add(if *bold { node.set("font-weight", "bold") } else { node })
        }
    }
}
