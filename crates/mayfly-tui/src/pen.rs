//! Putting text on the screen: clipped, escaped, in columns.
//!
//! Invariant: nothing from a level reaches the terminal raw, and nothing is drawn outside its place.

use crate::theme::{Role, Theme};
use mayfly_base::ActorId;
use mayfly_lang::diagnostic::safe;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};
use unicode_width::UnicodeWidthStr;

/// What lies under a place of the screen.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Hit {
    Rung(u32),
    Watch(usize),
    /// A name in the drawer.
    Link(usize),
    /// A line of the log.
    Log(usize),
    /// A tick to go to.
    Tick(u64),
    Actor(ActorId),
    /// What is open over the view, and one entry of it.
    Overlay,
    Entry(usize),
    /// A proposal beside the text.
    Next(usize),
    View(crate::view::View),
    /// The map as laid, and a row of its list.
    Site,
    SiteRow(usize),
}

/// A screen under the pen.
pub struct Pen<'a> {
    pub buf: &'a mut Buffer,
    pub theme: Theme,
    /// Where what was drawn, for the mouse; what was drawn last lies on top.
    pub hits: Vec<(Rect, Hit)>,
}

/// Characters that only fine fonts have, and what stands for each in plain text.
const PLAIN: &[(&str, &str)] = &[
    ("◆", "*"),
    ("◇", "-"),
    ("◌", "."),
    ("▸", ">"),
    ("✶", "!"),
    ("○", "o"),
    ("→", "->"),
    ("←", "<-"),
    ("↑", "^"),
    ("↓", "v"),
    ("›", ">"),
    ("✓", "+"),
    ("✗", "x"),
    ("⇄", "<>"),
    ("↘", ">"),
    ("×", "x"),
    ("·", "."),
    ("…", "~"),
    ("─", "-"),
    ("│", "|"),
    ("┬", "+"),
    ("├", "+"),
    ("└", "+"),
    ("┴", "+"),
    ("┼", "+"),
    ("▾", "v"),
    ("┊", ":"),
    ("●", "o"),
    ("▏", "|"),
    ("¼", "1/4"),
    ("½", "1/2"),
    ("≥", ">="),
];

impl Pen<'_> {
    pub fn style(&self, role: Role) -> Style {
        self.theme.style(role)
    }

    /// Text as this theme can show it.
    pub fn plain(&self, text: &str) -> String {
        let text = safe(&text.replace(['\n', '\t'], " "));
        if !self.theme.ascii {
            return text;
        }
        let mut out = text;
        for (fine, plain) in PLAIN {
            if out.contains(fine) {
                out = out.replace(fine, plain);
            }
        }
        out.chars().map(|c| if c.is_ascii() || c.is_alphabetic() { c } else { '?' }).collect()
    }

    /// Puts text at a place of at most `width` columns; what is too long ends in `…`. Gives the column
    /// after it.
    pub fn put(&mut self, x: u16, y: u16, width: u16, text: &str, style: Style) -> u16 {
        let area = self.buf.area;
        if y < area.top() || y >= area.bottom() || x >= area.right() || width == 0 {
            return x;
        }
        let width = width.min(area.right() - x);
        let text = self.plain(text);
        if text.width() <= width as usize {
            let (end, _) = self.buf.set_stringn(x, y, &text, width as usize, style);
            return end;
        }
        let mut short = String::new();
        for c in text.chars() {
            if short.width() + unicode_width::UnicodeWidthChar::width(c).unwrap_or(0) + 1 > width as usize {
                break;
            }
            short.push(c);
        }
        short.push_str(self.theme.glyph("…", "~"));
        let (end, _) = self.buf.set_stringn(x, y, &short, width as usize, style);
        end
    }

    /// Puts a role's text.
    pub fn say(&mut self, x: u16, y: u16, width: u16, text: &str, role: Role) -> u16 {
        let style = self.style(role);
        self.put(x, y, width, text, style)
    }

    /// Puts text so that it ends before column `right`.
    pub fn say_right(&mut self, right: u16, y: u16, width: u16, text: &str, role: Role) -> u16 {
        let w = self.plain(text).width().min(width as usize) as u16;
        let x = right.saturating_sub(w);
        self.say(x, y, w, text, role);
        x
    }

    /// Several pieces one after the other; gives the column after them.
    pub fn run(&mut self, x: u16, y: u16, width: u16, pieces: &[(&str, Role)]) -> u16 {
        let right = x.saturating_add(width);
        let mut at = x;
        for (text, role) in pieces {
            if at >= right {
                break;
            }
            at = self.say(at, y, right - at, text, *role);
        }
        at
    }

    /// Marks cells as those under the cursor: turned round, a full block in the cursor's own colour.
    pub fn turn(&mut self, x: u16, y: u16, width: u16) {
        let key = self.style(Role::Key);
        for x in x..x.saturating_add(width) {
            let is_block = self.buf.cell((x, y)).is_some_and(|c| c.symbol() == "█");
            let turned = key.add_modifier(Modifier::REVERSED);
            self.tint(x, y, 1, if is_block && !self.theme.is_flat() { key } else { turned });
        }
    }

    /// Gives a stretch of a row a style, the text as it is.
    pub fn tint(&mut self, x: u16, y: u16, width: u16, style: Style) {
        let area = Rect { x, y, width, height: 1 }.intersection(self.buf.area);
        self.buf.set_style(area, style);
    }

    /// A thin line with a title in it: `─ Cascade 5 fired ───`.
    pub fn title(&mut self, area: Rect, name: &str, facts: &str, focus: bool) {
        let line = self.theme.glyph("─", "-").repeat(area.width as usize);
        self.say(area.x, area.y, area.width, &line, Role::Line);
        let right = area.right().saturating_sub(1);
        let mut at = area.x + 1;
        at = self.say(at, area.y, right.saturating_sub(at), " ", Role::Line);
        at = self.say(at, area.y, right.saturating_sub(at), name, if focus { Role::Focus } else { Role::Strong });
        if !facts.is_empty() {
            at = self.say(at, area.y, right.saturating_sub(at), "  ", Role::Line);
            at = self.say(at, area.y, right.saturating_sub(at), facts, Role::Dim);
        }
        self.say(at, area.y, right.saturating_sub(at), " ", Role::Line);
    }

    /// Says in a pane's title line how many lines there are below what is shown; over what stands in the title only where
    /// that leaves no room at all. `inside` is the pane without its title.
    pub fn more_below(&mut self, inside: Rect, count: usize) {
        if count == 0 {
            return;
        }
        let (right, y) = (inside.right(), inside.y.saturating_sub(1));
        let line = self.theme.glyph("─", "-");
        let is_free = |x: &u16| self.buf.cell((*x, y)).is_some_and(|c| c.symbol() == line);
        let free = (inside.x..right).rev().take_while(is_free).count();
        let forms = [format!(" {count} more below "), format!(" {count} more "), format!(" +{count} ")];
        let text = forms.iter().find(|t| t.len() < free).unwrap_or(&forms[2]);
        self.say_right(right, y, text.len() as u16, text, Role::Dim);
    }

    /// A thin line from top to bottom.
    pub fn upright(&mut self, x: u16, top: u16, bottom: u16) {
        for y in top..bottom {
            self.say(x, y, 1, "│", Role::Line);
        }
    }
}
