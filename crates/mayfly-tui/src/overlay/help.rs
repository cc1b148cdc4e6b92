//! The help: signs and words first, then the keys, then the language. One finds in it by typing.
//!
//! Invariant: it tells what is built: keys come from the table of commands, the language from the table of its words.

use crate::app::App;
use crate::app::Kind;
use crate::app::Overlay;
use crate::command::{Group, TABLE};
use crate::theme::Role;
use crate::view::View;
use mayfly_lang::services::words::{Place, at};

/// By section: a word or a sign, and what it is.
const SIGNS: &[(&str, &[(&str, &str)])] = &[
    (
        "Words",
        &[
            ("flight", "a recorded run, from its first tick; always kept"),
            ("moment", "where one stands in it: a tick, and a round, a firing or an action inside it"),
            ("cascade", "the firing order of one tick: what was evaluated, in order, and what caused what"),
            ("rung", "one evaluation in the cascade: of a rule, a transition, what goes on after a wait"),
            ("poke", "an action by hand, at the next tick; in the past it begins another branch"),
            ("branch", "a flight that goes on otherwise from some tick; the other one is kept"),
            ("lanes", "rules and values side by side, over time"),
            ("held back", "a clause was false, so the rule did not fire"),
            ("spent", "once, at most, cooldown or a run that still waits has used the rule up"),
            ("asleep", "the rule is switched off, or its while is false"),
        ],
    ),
    (
        "Signs of the cascade",
        &[
            ("◆", "fired"),
            ("◇", "held back: a clause was false"),
            ("◌", "spent"),
            ("·", "asleep"),
            ("▸", "goes on, after a wait or a machine's parts"),
            ("○", "heard by nobody"),
            ("✶", "a fault"),
            ("⇄", "one write replaces another of the same tick"),
            ("✓ ✗", "a clause that was true, or false"),
        ],
    ),
    (
        "Signs of the timeline",
        &[
            ("▾", "the moment"),
            ("▂▅█", "how much fired"),
            ("┊", "the live edge: the last tick that was run"),
            ("'", "a key"),
            ("⌃", "a poke"),
            ("■", "a stop that was hit"),
            ("✶", "a fault"),
            ("✓ ✗", "won, or lost"),
        ],
    ),
    (
        "Signs of the map",
        &[
            ("██", "solid ground that hides what is behind it"),
            ("⢸⡇", "ground that hides and does not stop: reeds, bushes"),
            ("≈ ─", "water: solid ground that one sees over, whose sign is ~; other such ground has its own sign"),
            ("·", "ground to walk on"),
            ("┌╌┐", "a zone, with its name; a bright one has somebody in it"),
            ("⌜ ⌟", "the corners of a zone that has no room for its name: the cursor tells it"),
            ("∶", "two zones of the level lie here"),
            ("░", "the edge of a zone, where the theme has no shade for it"),
            ("[ ]", "whom the selected rung is about: the bright brackets the first one"),
            ("◦", "an actor that is disabled or hidden: the cursor tells which"),
            ("+ †", "came, or went, in this tick"),
            ("˙", "where the one that the map follows came from"),
            ("∘", "where it walks to; and what `v` paints: lines of sight, seen cells, paths"),
            ("╳", "in sight, but hidden by something; nobody was ever here"),
            ("1 .. 9", "how often a cell was entered, in powers of two"),
            ("underlined", "a rule of this actor fired in this tick"),
        ],
    ),
    (
        "The views",
        &[
            ("1 Site", "the map as it was laid, and everything on the cell under the cursor; laying and changing it"),
            ("2 Script", "the text; while one reads, letters are commands, Enter types, Esc reads again"),
            ("3 Flight", "running, steering, stepping, the firing order, the values, and why"),
            ("ghosts", "in Site, slanted and faint: where somebody stands at the moment, laid elsewhere"),
            ("Space", "in a tool of Site: pen down and up, a corner, a point, a cell in or out"),
            ("arrows", "in Script: with Ctrl by words, with Shift they select; Ctrl+Home and Ctrl+End go to the ends"),
            ("Tab", "while one types: takes the proposal; Ctrl+n and Ctrl+p choose another"),
        ],
    ),
    (
        "Signs beside the text",
        &[
            ("▎", "this line is not on the disk as it is here"),
            ("✗ !", "an error, a finding: F8 goes to the next, F9 takes what mends it"),
            ("■", "running stops here"),
            ("▃ 4 ◇2", "the rule that begins here fired four times and was held twice, up to the moment"),
            ("2 → 3", "what the line wrote at the moment's tick; ✓ ✗ what a clause saw"),
        ],
    ),
];

/// The sections of the language's words.
const PLACES: &[(Place, &str)] = &[
    (Place::Level, "The language: what a level declares"),
    (Place::Kind, "The language: in a kind"),
    (Place::Rule, "The language: in a rule"),
    (Place::Event, "The language: after when"),
    (Place::Verb, "The language: after whoever an event is about"),
    (Place::Action, "The language: actions"),
    (Place::Value, "The language: values"),
    (Place::Test, "The language: how a value is asked"),
    (Place::Machine, "The language: in a machine"),
    (Place::State, "The language: in a state"),
    (Place::Type, "The language: types"),
];

impl Overlay {
    pub fn help(app: &App) -> Self {
        let mut lines: Vec<Vec<(String, Role)>> = vec![];
        let head = |lines: &mut Vec<Vec<(String, Role)>>, name: &str| {
            if !lines.is_empty() {
                lines.push(vec![]);
            }
            lines.push(vec![(name.to_string(), Role::Strong)]);
        };
        // What belongs to the present view comes first; its keys are those that are told.
        let own = |name: &str| match app.view {
            View::Flight => false,
            View::Site => matches!(name, "The views" | "Signs of the map"),
            View::Script => matches!(name, "The views" | "Signs beside the text"),
        };
        let (first, rest): (Vec<_>, Vec<_>) = SIGNS.iter().partition(|(name, _)| own(name));
        for (name, signs) in first.into_iter().chain(rest) {
            head(&mut lines, name);
            for (sign, word) in signs.iter() {
                lines.push(vec![(format!("  {sign:<12}"), Role::Fired), ((*word).to_string(), Role::Text)]);
            }
        }
        for (group, name) in Group::ALL {
            if !TABLE.iter().any(|r| r.group == group && r.views.contains(&app.view)) {
                continue;
            }
            head(&mut lines, &format!("Keys of {}: {}", app.view.name(), name.to_lowercase()));
            for r in TABLE.iter().filter(|r| r.group == group && r.views.contains(&app.view)) {
                lines.push(vec![
                    (format!("  {:<12}", app.keys.of(r).join(" ")), Role::Key),
                    (format!("{:<24}", r.name), Role::Text),
                    (r.help.to_string(), Role::Dim),
                ]);
            }
        }
        for (place, name) in PLACES {
            head(&mut lines, name);
            for w in at(*place) {
                let example = w.example.lines().next().unwrap_or_default();
                let example = if w.example.contains('\n') { format!("{example} …") } else { example.to_string() };
                lines.push(vec![
                    (format!("  {:<12}", w.word), Role::Key),
                    (format!("{}   ", w.about), Role::Text),
                    (example, Role::Dim),
                ]);
            }
        }
        Self {
            title: "Help",
            hint: "type to find; arrows scroll, Esc closes",
            typed: String::new(),
            proposed: false,
            cursor: None,
            sorted: None,
            again: None,
            kind: Kind::Page { lines, from: 0, finds: true },
        }
    }
}
