//! A drawing before it is written: shapes and texts with roles, on a ground of a size.
//!
//! Not here: colours and bytes ([`crate::svg`]).
//!
//! Invariant: every text lies within the scene's size, as far as its width is estimated: a column of a fixed-width font takes
//! six tenths of its height.

use unicode_width::UnicodeWidthStr;

/// What a shape or a text means; the writer gives it its look.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Role {
    Text,
    Dim,
    Strong,
    /// Thin rules, grids.
    Line,
    /// What fired, and what is active.
    Fired,
    Held,
    /// From outside: sensing, keys, time.
    Outside,
    Written,
    Fault,
    Zone,
    Wall,
    Water,
    Reeds,
    Floor,
}

/// How a line is drawn.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Dash {
    Solid,
    Dashed,
    Dotted,
}

/// Where a text's place is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Anchor {
    Start,
    Middle,
    End,
}

/// One thing of a scene, in its units from the upper left.
#[derive(Clone, Debug, PartialEq)]
pub enum Item {
    Box {
        x: f64,
        y: f64,
        width: f64,
        height: f64,
        fill: Option<Role>,
        line: Option<(Role, Dash)>,
        round: f64,
    },
    Circle {
        x: f64,
        y: f64,
        radius: f64,
        fill: Option<Role>,
        line: Option<(Role, Dash)>,
    },
    /// Straight from point to point.
    Line {
        points: Vec<(f64, f64)>,
        role: Role,
        dash: Dash,
        width: f64,
        arrow: bool,
    },
    /// From the first point on in pieces of three: drawn to the first two, through the third. It ends in an arrow or not.
    Curve {
        points: Vec<(f64, f64)>,
        arrow: bool,
        role: Role,
        dash: Dash,
        width: f64,
    },
    /// A closed shape.
    Shape {
        points: Vec<(f64, f64)>,
        fill: Option<Role>,
        line: Option<Role>,
    },
    Text {
        x: f64,
        y: f64,
        size: f64,
        text: String,
        role: Role,
        anchor: Anchor,
        bold: bool,
    },
}

/// A drawing.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Scene {
    pub width: f64,
    pub height: f64,
    /// For those who do not see it.
    pub title: String,
    pub description: String,
    pub items: Vec<Item>,
}

/// The height of a text that is read.
pub const SIZE: f64 = 13.0;

/// How wide a text is.
pub fn text_width(text: &str, size: f64) -> f64 {
    text.width() as f64 * size * 0.602
}

impl Scene {
    pub fn new(title: impl Into<String>, description: impl Into<String>) -> Self {
        Self { title: title.into(), description: description.into(), ..Self::default() }
    }

    /// A text that begins there, on that line; gives where it ends.
    pub fn say(&mut self, x: f64, y: f64, text: &str, role: Role) -> f64 {
        self.text(x, y, SIZE, text, role, Anchor::Start, role == Role::Strong);
        x + text_width(text, SIZE)
    }

    #[allow(clippy::too_many_arguments, reason = "a text has these")]
    pub fn text(&mut self, x: f64, y: f64, size: f64, text: &str, role: Role, anchor: Anchor, bold: bool) {
        if text.is_empty() {
            return;
        }
        let wide = text_width(text, size);
        let right = match anchor {
            Anchor::Start => x + wide,
            Anchor::Middle => x + wide / 2.0,
            Anchor::End => x,
        };
        self.reach(right, y + size * 0.4);
        self.items.push(Item::Text { x, y, size, text: text.into(), role, anchor, bold });
    }

    pub fn line(&mut self, points: &[(f64, f64)], role: Role, dash: Dash, width: f64) {
        points.iter().for_each(|(x, y)| self.reach(*x, *y));
        self.items.push(Item::Line { points: points.into(), role, dash, width, arrow: false });
    }

    pub fn arrow(&mut self, points: &[(f64, f64)], role: Role, dash: Dash, width: f64) {
        points.iter().for_each(|(x, y)| self.reach(*x, *y));
        self.items.push(Item::Line { points: points.into(), role, dash, width, arrow: true });
    }

    #[allow(clippy::too_many_arguments, reason = "a box has these")]
    pub fn rect(&mut self, x: f64, y: f64, width: f64, height: f64, fill: Option<Role>, line: Option<(Role, Dash)>) {
        self.reach(x + width, y + height);
        self.items.push(Item::Box { x, y, width, height, fill, line, round: 0.0 });
    }

    /// The scene is at least as large as that place.
    pub fn reach(&mut self, x: f64, y: f64) {
        self.width = self.width.max(x + MARGIN);
        self.height = self.height.max(y + MARGIN);
    }
}

/// Free room round a scene.
pub const MARGIN: f64 = 16.0;
