//! What overlays hold: lists of commands, rules, marks, courses and things, lines to type into, pages.
//!
//! What their keys do is in [`crate::overlay`].
//!
//! Invariant: an entry that stands in a list can be chosen.

use super::{Choice, Entry, Kind, LineFor, Offers, Overlay};
use crate::app::{App, Pane};
use crate::commands::{Command, Group, TABLE};
use crate::theme::Role;
use mayfly_base::{ActorId, RuleId};
use mayfly_lab::export::Export;
use nucleo_matcher::pattern::{CaseMatching, Normalization, Pattern};
use nucleo_matcher::{Config, Matcher};

impl Kind {
    /// An empty line, before anything is proposed.
    fn line(what: LineFor) -> Self {
        Self::Line { what, error: String::new(), offers: Offers::default() }
    }
}

impl Overlay {
    pub fn go_to() -> Self {
        Self {
            title: "Go to",
            hint: "634, 31.7s, +50h, loop 17, or a test to be true",
            typed: String::new(),
            proposed: false,
            cursor: None,
            kind: Kind::line(LineFor::GoTo),
        }
    }

    pub fn watch(typed: String) -> Self {
        Self {
            title: "Watch",
            hint: "a variable or an expression; Tab takes a proposal",
            typed,
            proposed: true,
            cursor: None,
            kind: Kind::line(LineFor::Watch),
        }
    }

    /// A poke; where its beginning is only a guess, the first letter takes its place.
    pub fn poke((typed, proposed): (String, bool)) -> Self {
        Self {
            title: "Poke",
            hint: "one action, at the next tick; Tab takes a proposal",
            typed,
            proposed,
            cursor: None,
            kind: Kind::line(LineFor::Poke),
        }
    }

    pub fn stop(typed: String) -> Self {
        Self {
            title: "Stop",
            hint: "a rule, a value, a zone, a message; if TEST, times 3",
            typed,
            proposed: true,
            cursor: None,
            kind: Kind::line(LineFor::Stop),
        }
    }

    pub fn stops(app: &App) -> Self {
        let entry = |(i, s): (usize, &mayfly_lab::stops::Stop)| Entry {
            text: format!("{} {}", if s.is_on { "■" } else { "□" }, s.text),
            note: format!("{} hits", s.hits.len()),
            choice: Choice::Stop(i),
        };
        let mut entries: Vec<Entry> = app.session.stops.all.iter().enumerate().map(entry).collect();
        entries.extend(app.session.unfit_stops.iter().map(|text| Entry {
            text: format!("· {text}"),
            note: "does not fit this text".into(),
            choice: Choice::None,
        }));
        Self::list("Stops", "Enter switches one off and on; Del takes it away", entries)
    }

    /// Asked before a flight with inputs of one's own is left.
    pub fn quit() -> Self {
        let entry = |text: &str, note: &str, choice| Entry { text: text.into(), note: note.into(), choice };
        let entries = vec![
            entry("save the flight, then quit", "NAME.flight", Choice::SaveAndQuit),
            entry("quit without saving it", "", Choice::Quit),
            entry("stay", "Esc", Choice::None),
        ];
        Self::list("Quit", "this flight has keys or pokes of yours that are not saved", entries)
    }

    /// Asked before the level is run on for a test that the flight does not hold.
    pub fn run_on(text: &str) -> Self {
        let entries = vec![
            Entry {
                text: "run the level on until it is true".into(),
                note: text.into(),
                choice: Choice::SeekOn(text.into()),
            },
            Entry { text: "stay here".into(), note: "Esc".into(), choice: Choice::None },
        ];
        Self::list("Not true in this flight", "it was looked through both ways", entries)
    }

    pub fn export() -> Self {
        let entry = |(e, text, ending): (Export, &str, &str)| Entry {
            text: text.to_string(),
            note: format!("NAME.{ending}"),
            choice: Choice::Export(e),
        };
        Self::list("Export", "Enter writes it beside the level", Export::ALL.map(entry).into())
    }

    pub fn name_course(app: &App) -> Self {
        Self {
            title: "Name this branch",
            hint: "O lists the branches",
            typed: app.session.course.clone(),
            proposed: true,
            cursor: None,
            kind: Kind::line(LineFor::NameCourse),
        }
    }

    pub fn filter(app: &App) -> Self {
        let watches = app.focus == Pane::Watches;
        Self {
            title: if watches { "Find in the watches" } else { "Find in the cascade" },
            hint: "letters of a rule, an actor, a value; nothing shows all again",
            typed: app.filter[usize::from(watches)].clone(),
            proposed: true,
            cursor: None,
            kind: Kind::line(LineFor::Filter),
        }
    }

    pub fn courses(app: &App) -> Self {
        let entry = |(i, c): (usize, &mayfly_lab::courses::Course)| Entry {
            text: c.name.clone(),
            note: format!("to tick {}", c.history.live_tick().saturating_sub(1)),
            choice: Choice::Course(i),
        };
        let mut entries = vec![Entry {
            text: format!("{}  (here)", app.session.course),
            note: format!("to tick {}", app.session.last_tick()),
            choice: Choice::None,
        }];
        entries.extend(app.session.courses.iter().enumerate().rev().map(entry));
        Self::list("Branches", "Enter goes on with one; F3 names the present one", entries)
    }

    pub fn inspect(app: &App) -> Self {
        let s = &app.session;
        let (p, w) = (&s.engine.program, &s.now.world);
        let words = mayfly_lab::words::Words::new(p, w);
        let mut entries: Vec<Entry> = vec![];
        for (m, of) in s.machine_keys() {
            if let Some(now) = w.machines.get(&(m, of)) {
                entries.push(Entry {
                    text: words.machine(of, now.state),
                    note: p.states[now.state.index()].name.clone(),
                    choice: Choice::Machine((m, of)),
                });
            }
        }
        let mut actors: Vec<(ActorId, Entry)> = w
            .living()
            .filter(|(_, a)| !a.is_zone)
            .map(|(id, a)| {
                let note = mayfly_base::Value::Point(a.at).show(&mayfly_engine::names::Named(p, w), Some(1));
                (id, Entry { text: a.name.to_string(), note, choice: Choice::Actor(id) })
            })
            .collect();
        // Whoever is driven is asked about most.
        actors.sort_by_key(|(id, _)| !p.kinds[w.actors[id.index()].kind.index()].steered);
        let mut all: Vec<Entry> = actors.into_iter().map(|(_, e)| e).collect();
        all.append(&mut entries);
        Self::list("Look into", "an actor or a machine: why it is as it is", all)
    }

    /// The text round the selected thing.
    pub fn text(app: &App) -> Self {
        let span = app.selected_span().unwrap_or_default();
        let text = app.session.source(span);
        let (first, _) = mayfly_base::span::line_column(text, span.start as usize);
        let (last, _) = mayfly_base::span::line_column(text, span.end.saturating_sub(1) as usize);
        let line = |(i, l): (usize, &str)| {
            let n = i + 1;
            let here = (first..=last).contains(&n);
            vec![
                (format!("{n:>5}  "), if here { Role::Fired } else { Role::Faint }),
                (l.to_string(), if here { Role::Text } else { Role::Dim }),
            ]
        };
        let lines = text.lines().enumerate().map(line).collect();
        Self {
            title: "Its text",
            hint: "arrows scroll, Esc closes; what you save in your editor is flown at once",
            typed: String::new(),
            proposed: false,
            cursor: None,
            kind: Kind::Page { lines, from: first.saturating_sub(6), finds: false },
        }
    }

    fn list(title: &'static str, hint: &'static str, entries: Vec<Entry>) -> Self {
        Self { title, hint, typed: String::new(), proposed: false, cursor: None, kind: Kind::List { entries, at: 0 } }
    }

    pub fn palette(app: &App) -> Self {
        let mut entries: Vec<Entry> = TABLE
            .iter()
            .filter(|r| {
                r.command.applies(app) && r.command != Command::Palette && r.group != Group::Screen
                    || matches!(r.command, Command::Help | Command::Quit | Command::ZoomIn | Command::ZoomOut)
            })
            .filter(|r| r.command.applies(app))
            .map(|r| Entry {
                text: format!("{}: {}", r.name, r.help),
                note: app.keys.of(r).join(" "),
                choice: Choice::Do(r.command),
            })
            .collect();
        entries.extend(rule_entries(app).into_iter().map(|e| Entry { text: format!("why not: {}", e.text), ..e }));
        for v in &app.session.level.vars {
            entries.push(Entry {
                text: format!("watch: {}", v.name),
                note: String::new(),
                choice: Choice::Watch(v.name.clone()),
            });
        }
        Self::list("Commands", "type a few letters; Enter does it", entries)
    }

    pub fn rules(app: &App) -> Self {
        Self::list("Rules", "Enter says why one did not fire at this moment", rule_entries(app))
    }

    pub fn problems(app: &App) -> Self {
        let s = &app.session;
        let mut lines = vec![];
        for d in &s.problems {
            for l in d.print(&s.problem_sources, false).lines() {
                let role = if l.starts_with("error") { Role::Fault } else { Role::Text };
                lines.push(vec![(l.to_string(), role)]);
            }
            lines.push(vec![]);
        }
        Self {
            title: "Problems",
            hint: "the text on disk has these; the old run stays until it is mended",
            typed: String::new(),
            proposed: false,
            cursor: None,
            kind: Kind::Page { lines, from: 0, finds: false },
        }
    }

    /// The entries that the typed letters find, best first.
    pub fn found(&self) -> Vec<&Entry> {
        let Kind::List { entries, .. } = &self.kind else { return vec![] };
        if self.typed.trim().is_empty() {
            return entries.iter().collect();
        }
        let mut matcher = Matcher::new(Config::DEFAULT);
        let pattern = Pattern::parse(&self.typed, CaseMatching::Ignore, Normalization::Smart);
        let mut buf = vec![];
        let mut scored: Vec<(u32, &Entry)> = entries
            .iter()
            .filter_map(|e| {
                pattern.score(nucleo_matcher::Utf32Str::new(&e.text, &mut buf), &mut matcher).map(|s| (s, e))
            })
            .collect();
        scored.sort_by_key(|(s, _)| std::cmp::Reverse(*s));
        scored.into_iter().map(|(_, e)| e).collect()
    }
}

/// Every rule, with what it did so far.
fn rule_entries(app: &App) -> Vec<Entry> {
    let p = &app.session.engine.program;
    let w = &app.session.now.world;
    // A poke is a rule by hand, which the world counts nothing of.
    let counted = w.rules.iter().enumerate().filter(|(r, _)| !p.rules[*r].is_by_hand());
    counted
        .map(|(r, s)| {
            let note = format!("{} fired  {} held  {} spent", s.fired, s.held, s.spent);
            Entry { text: p.rule_in_full(RuleId::at(r)), note, choice: Choice::WhyNot(RuleId::at(r)) }
        })
        .collect()
}
