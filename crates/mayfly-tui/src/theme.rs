//! Styles are roles; a theme gives them colours.
//!
//! Invariant: no role is told by colour alone: whatever has one also has a sign, a word or a weight,
//! so that the screen reads the same without colours.

use ratatui::style::{Color, Modifier, Style};

/// What a piece of the screen means.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Role {
    Text,
    /// What is not looked at now.
    Dim,
    /// Text that can wait: what is yet to come in this tick, facts that nobody asked for.
    Faint,
    /// What is hardly there: rules between panes, empty floor.
    Line,
    /// A pane's title, a name that matters.
    Strong,
    /// What fired, and the moment.
    Fired,
    True,
    /// Held, and false.
    Held,
    /// From outside: keys, sensing, time.
    Outside,
    Written,
    Fault,
    /// The bars above and below.
    Bar,
    /// A key in the footer or the help.
    Key,
    /// What is selected.
    Selected,
    /// A pane's title where the keys go.
    Focus,
    Wall,
    Water,
    Reeds,
    Floor,
    Zone,
    /// What fired at other moments.
    Ember,
    /// On the timeline: what is yet to come.
    Ahead,
    /// A text in quotes.
    Quoted,
    /// What is looked for.
    Found,
    /// The caret while one types.
    Caret,
}

/// How much colour there is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Palette {
    Dusk,
    Noon,
    Sixteen,
    None,
}

/// A palette, and whether only plain characters are drawn.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Theme {
    pub palette: Palette,
    pub ascii: bool,
}

struct Colours {
    ink: Color,
    bar: Color,
    select: Color,
    line: Color,
    text: Color,
    dim: Color,
    faint: Color,
    amber: Color,
    moss: Color,
    clay: Color,
    blue: Color,
    heather: Color,
    flare: Color,
    wall: Color,
    water: Color,
    wave: Color,
    reeds: Color,
    zone: Color,
    floor: Color,
    quoted: Color,
    ember: Color,
    zone_ground: Color,
    zone_busy: Color,
    zone_water: Color,
}

const fn rgb(hex: u32) -> Color {
    Color::Rgb((hex >> 16) as u8, (hex >> 8) as u8, hex as u8)
}

const DUSK: Colours = Colours {
    ink: rgb(0x14181b),
    bar: rgb(0x191f22),
    select: rgb(0x1e2629),
    line: rgb(0x3a4a45),
    text: rgb(0xd6dcd2),
    dim: rgb(0x7d8a84),
    faint: rgb(0x77847e),
    amber: rgb(0xf2b34b),
    moss: rgb(0x8fbf6a),
    clay: rgb(0xc9694f),
    blue: rgb(0x6fb7c9),
    heather: rgb(0xb79bd6),
    flare: rgb(0xff5d6c),
    wall: rgb(0x3a4a45),
    water: rgb(0x1b3a4b),
    wave: rgb(0x2f5d74),
    reeds: rgb(0x4f7a3c),
    zone: rgb(0x5b8f9c),
    floor: rgb(0x36413d),
    quoted: rgb(0xb5a78c),
    ember: rgb(0x8a6a35),
    zone_ground: rgb(0x1b2427),
    zone_busy: rgb(0x22323a),
    zone_water: rgb(0x21455a),
};

const NOON: Colours = Colours {
    ink: rgb(0xf3f2ea),
    bar: rgb(0xe4e5da),
    select: rgb(0xdcdfd0),
    line: rgb(0xb4beb2),
    text: rgb(0x1f2a27),
    dim: rgb(0x586460),
    faint: rgb(0x636e68),
    amber: rgb(0x8f5400),
    moss: rgb(0x3e6819),
    clay: rgb(0xa33e22),
    blue: rgb(0x1b6980),
    heather: rgb(0x66458f),
    flare: rgb(0xc4102b),
    wall: rgb(0x8f9b92),
    water: rgb(0xbcd8e2),
    wave: rgb(0x7fb0c2),
    reeds: rgb(0x6f9a4f),
    zone: rgb(0x2c6d80),
    floor: rgb(0xc3cabd),
    quoted: rgb(0x6a5a36),
    ember: rgb(0xa87a35),
    zone_ground: rgb(0xe6e9dc),
    zone_busy: rgb(0xd3e4e6),
    zone_water: rgb(0xa9ccd9),
};

const SIXTEEN: Colours = Colours {
    ink: Color::Reset,
    bar: Color::Reset,
    select: Color::Reset,
    line: Color::DarkGray,
    text: Color::Reset,
    dim: Color::DarkGray,
    faint: Color::DarkGray,
    amber: Color::Yellow,
    moss: Color::Green,
    clay: Color::Red,
    blue: Color::Cyan,
    heather: Color::Magenta,
    flare: Color::LightRed,
    wall: Color::DarkGray,
    water: Color::Blue,
    wave: Color::Cyan,
    reeds: Color::Green,
    zone: Color::Cyan,
    floor: Color::DarkGray,
    quoted: Color::Reset,
    ember: Color::Yellow,
    zone_ground: Color::Reset,
    zone_busy: Color::Reset,
    zone_water: Color::Reset,
};

impl Theme {
    /// The theme for a terminal: `NO_COLOR` and what the terminal says of its colours decide.
    pub fn for_terminal(no_colour: bool, true_colour: bool, ascii: bool) -> Self {
        let palette = match (no_colour, true_colour) {
            (true, _) => Palette::None,
            (_, true) => Palette::Dusk,
            _ => Palette::Sixteen,
        };
        Self { palette, ascii }
    }

    fn colours(&self) -> Option<&'static Colours> {
        match self.palette {
            Palette::Dusk => Some(&DUSK),
            Palette::Noon => Some(&NOON),
            Palette::Sixteen => Some(&SIXTEEN),
            Palette::None => None,
        }
    }

    /// The ground on which everything is drawn.
    pub fn ground(&self) -> Style {
        self.colours().map_or(Style::reset(), |c| Style::reset().fg(c.text).bg(c.ink))
    }

    /// A role's style.
    pub fn style(&self, role: Role) -> Style {
        let s = Style::new();
        let bold = s.add_modifier(Modifier::BOLD);
        let Some(c) = self.colours() else {
            return match role {
                Role::Strong | Role::Fired | Role::Fault | Role::Written | Role::Key => bold,
                Role::Focus => bold.add_modifier(Modifier::UNDERLINED),
                Role::Selected | Role::Found | Role::Caret => s.add_modifier(Modifier::REVERSED),
                Role::Bar => s,
                Role::Dim | Role::Faint | Role::Line | Role::Floor | Role::Ahead => s.add_modifier(Modifier::DIM),
                _ => s,
            };
        };
        let sixteen = self.palette == Palette::Sixteen;
        match role {
            Role::Text => s.fg(c.text),
            Role::Dim => s.fg(c.dim),
            Role::Faint => s.fg(c.faint),
            Role::Line => s.fg(c.line),
            Role::Strong => bold.fg(c.text),
            Role::Fired => bold.fg(c.amber),
            Role::True => s.fg(c.moss),
            Role::Held => s.fg(c.clay),
            Role::Outside => s.fg(c.blue),
            Role::Written => s.fg(c.heather),
            Role::Fault => bold.fg(c.flare),
            Role::Bar if sixteen => s,
            Role::Bar => s.fg(c.dim).bg(c.bar),
            Role::Key => bold.fg(c.amber),
            Role::Selected if sixteen => s.add_modifier(Modifier::REVERSED),
            Role::Selected => s.bg(c.select),
            Role::Focus => bold.fg(c.amber),
            Role::Wall => s.fg(c.wall),
            Role::Water if sixteen => s.fg(c.water),
            Role::Water => s.fg(c.wave).bg(c.water),
            Role::Reeds => s.fg(c.reeds),
            Role::Floor => s.fg(c.floor),
            Role::Zone => s.fg(c.zone),
            Role::Ember => s.fg(c.ember),
            Role::Ahead => s.fg(c.faint),
            Role::Quoted => s.fg(c.quoted),
            Role::Found | Role::Caret if sixteen => s.add_modifier(Modifier::REVERSED),
            Role::Found => s.bg(c.zone_busy).add_modifier(Modifier::UNDERLINED),
            Role::Caret => s.fg(c.ink).bg(c.amber),
        }
    }

    /// The style of one of the language's colours: mist, amber, moss, clay, blue, heather, silt.
    pub fn look(&self, colour: u32) -> Style {
        let bold = Style::new().add_modifier(Modifier::BOLD);
        let Some(c) = self.colours() else { return bold };
        bold.fg([c.text, c.amber, c.moss, c.clay, c.blue, c.heather, c.dim][colour as usize % 7])
    }

    /// The style of a tile in one of the language's colours: never as heavy as an actor's.
    pub fn tile(&self, colour: u32) -> Style {
        self.look(colour).remove_modifier(Modifier::BOLD)
    }

    /// The ground of a zone; none where the theme has no such shades, and dots must do.
    pub fn zone_ground(&self, busy: bool, on_water: bool) -> Option<Style> {
        let c = self.colours().filter(|_| matches!(self.palette, Palette::Dusk | Palette::Noon))?;
        Some(Style::new().bg(match (on_water, busy) {
            (true, _) => c.zone_water,
            (_, true) => c.zone_busy,
            _ => c.zone_ground,
        }))
    }

    /// True where water and zones have no shades of their own and must be drawn with signs.
    pub fn is_flat(&self) -> bool {
        matches!(self.palette, Palette::Sixteen | Palette::None)
    }

    /// One of two drawings: the second holds plain characters alone.
    pub fn glyph(&self, fine: &'static str, plain: &'static str) -> &'static str {
        if self.ascii { plain } else { fine }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The relative luminance of WCAG 2.1.
    fn luminance(c: Color) -> f64 {
        let Color::Rgb(r, g, b) = c else { panic!("a colour of the terminal's own") };
        let part = |v: u8| {
            let v = f64::from(v) / 255.0;
            if v <= 0.039_28 { v / 12.92 } else { ((v + 0.055) / 1.055).powf(2.4) }
        };
        0.2126 * part(r) + 0.7152 * part(g) + 0.0722 * part(b)
    }

    fn contrast(a: Color, b: Color) -> f64 {
        let (a, b) = (luminance(a), luminance(b));
        (a.max(b) + 0.05) / (a.min(b) + 0.05)
    }

    #[test]
    fn text_and_bars_stand_out_from_the_ground() {
        for (name, c) in [("dusk", DUSK), ("noon", NOON)] {
            let text = [
                ("text", c.text),
                ("dim", c.dim),
                ("faint", c.faint),
                ("amber", c.amber),
                ("moss", c.moss),
                ("clay", c.clay),
                ("blue", c.blue),
                ("heather", c.heather),
                ("flare", c.flare),
                ("zone", c.zone),
                ("quoted", c.quoted),
            ];
            for (role, colour) in text {
                let found = contrast(colour, c.ink);
                assert!(found >= 4.5, "{name}: {role} on the ground has {found:.2}");
            }
            for (role, colour) in [("text", c.text), ("dim", c.dim), ("key", c.amber), ("fault", c.flare)] {
                let found = contrast(colour, c.bar);
                assert!(found >= 4.5, "{name}: {role} in the bars has {found:.2}");
            }
            for (role, colour) in [("what fired", c.ember), ("what is to come", c.faint)] {
                let found = contrast(colour, c.ink);
                assert!(found >= 3.0, "{name}: {role} has {found:.2}");
            }
        }
    }
}
