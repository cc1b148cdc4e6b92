//! What overlays hold: lists of commands, rules, marks, branches and things, lines to type into, pages.
//!
//! What their keys do is in [`crate::overlay`].
//!
//! Invariant: an entry that stands in a list can be chosen.

use crate::app::Choice;
use crate::app::Entry;
use crate::app::Kind;
use crate::app::LineFor;
use crate::app::Offers;
use crate::app::Overlay;
use crate::app::{App, Pane};
use crate::command::{Command, Group, TABLE};
use crate::theme::Role;
use mayfly_base::{ActorId, RuleId};
use mayfly_lang::diagnostic::{Diagnostic, Severity, Source};
use mayfly_session::export::Export;
use mayfly_session::index::Index;
use mayfly_session::things::{Found, Thing};
use nucleo_matcher::pattern::{CaseMatching, Normalization, Pattern};
use nucleo_matcher::{Config, Matcher};
use std::cmp::Reverse;

impl Kind {
    /// An empty line, before anything is proposed.
    pub(super) fn line(what: LineFor) -> Self {
        Self::Line { what, error: String::new(), offers: Offers::default() }
    }
}

impl App {
    /// Lists that are open speak of what is flown: where that is another now, they are made once more.
    pub(crate) fn renew_lists(&mut self) {
        if self.overlays.is_empty() {
            return;
        }
        let old = std::mem::take(&mut self.overlays);
        self.overlays = old.into_iter().map(|o| o.renewed(self)).collect();
        // What the last frame showed at a place is another's.
        self.hits.clear();
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
            sorted: None,
            again: None,
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
            sorted: None,
            again: None,
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
            sorted: None,
            again: None,
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
            sorted: None,
            again: None,
            kind: Kind::line(LineFor::Stop),
        }
    }

    pub fn stops(app: &App) -> Self {
        let entry = |(i, s): (usize, &mayfly_session::stops::Stop)| Entry {
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
        Self::list("Stops", "Enter switches one off and on; Del takes it away", entries).made_by(Self::stops)
    }

    /// Asked at the start, where a flight with inputs of one's own was left unsaved.
    pub fn recover(ticks: u64) -> Self {
        let entry = |text: &str, note: String, choice| Entry { text: text.into(), note, choice };
        let entries = vec![
            entry("take it up where it was left", format!("to tick {}", ticks.saturating_sub(1)), Choice::Recover),
            entry("put it away", String::new(), Choice::Forget),
            entry("decide at the next start", "Esc".into(), Choice::None),
        ];
        Self::list("A flight was left", "it has keys or pokes of yours that were not saved", entries)
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

    pub fn export(app: &App) -> Self {
        let entry =
            |text: &str, ending: &str, choice| Entry { text: text.into(), note: format!("NAME.{ending}"), choice };
        let tables = Export::ALL.map(|(e, text, ending)| entry(text, ending, Choice::Export(e)));
        let drawings = app.drawings().into_iter().map(|(d, text, ending)| entry(&text, &ending, Choice::Draw(d)));
        let all = tables.into_iter().chain(drawings).collect();
        Self::list("Export", "Enter writes it beside the level, over nothing that is there", all)
    }

    pub fn name_branch(app: &App) -> Self {
        Self {
            title: "Name this branch",
            hint: "O lists the branches",
            typed: app.session.branch.clone(),
            proposed: true,
            cursor: None,
            sorted: None,
            again: None,
            kind: Kind::line(LineFor::NameBranch),
        }
    }

    pub fn filter(app: &App) -> Self {
        let watches = app.flight.focus == Pane::Watches;
        Self {
            title: if watches { "Find in the watches" } else { "Find in the cascade" },
            hint: "letters of a rule, an actor, a value; nothing shows all again",
            typed: app.flight.filter[usize::from(watches)].clone(),
            proposed: true,
            cursor: None,
            sorted: None,
            again: None,
            kind: Kind::line(LineFor::Filter),
        }
    }

    pub fn branches(app: &App) -> Self {
        let entry = |(i, c): (usize, &mayfly_session::branch::Branch)| Entry {
            text: c.name.clone(),
            note: format!("to tick {}", c.history.live_tick().saturating_sub(1)),
            choice: Choice::Branch(i),
        };
        let mut entries = vec![Entry {
            text: format!("{}  (here)", app.session.branch),
            note: format!("to tick {}", app.session.last_tick()),
            choice: Choice::None,
        }];
        entries.extend(app.session.branches.iter().enumerate().rev().map(entry));
        Self::list("Branches", "Enter goes on with one; Tab compares it; F3 names the present one", entries)
            .made_by(Self::branches)
    }

    /// Actors and machines first, whoever is steered before all; then all else that can be asked about.
    pub fn inspect(app: &App) -> Self {
        let s = &app.session;
        let (p, w) = (&s.engine.program, &s.now.world);
        let steered = |a: ActorId| p.kinds[w.actors[a.index()].kind.index()].steered;
        let mut all: Vec<Found> =
            s.things().into_iter().filter(|f| !matches!(f.thing, Thing::Rule(_) | Thing::Value(_))).collect();
        // A machine is there by its own name once, and by each of its states when one looks for anything.
        let mut seen: Vec<Thing> = vec![];
        all.retain(|f| {
            let new = !seen.contains(&f.thing);
            seen.push(f.thing);
            new
        });
        all.sort_by_key(|f| match f.thing {
            Thing::Actor(a) if steered(a) => 0,
            Thing::Actor(_) => 1,
            Thing::Machine(_) => 2,
            Thing::Zone(_) => 3,
            _ => 4,
        });
        let entries = all.into_iter().map(entry_of).collect();
        Self::list("Look into", "what it is, why it is so, who sets it", entries).made_by(Self::inspect)
    }

    /// Everything that one sees or knows.
    pub fn find(app: &App) -> Self {
        let all = app.session.things().into_iter().map(entry_of).collect();
        Self::list("Find", "a name, a text that is told, a state: Enter says what it is", all).made_by(Self::find)
    }

    pub(super) fn list(title: &'static str, hint: &'static str, entries: Vec<Entry>) -> Self {
        Self {
            title,
            hint,
            typed: String::new(),
            proposed: false,
            cursor: None,
            sorted: None,
            again: None,
            kind: Kind::List { entries, at: 0 },
        }
    }

    fn made_by(self, again: fn(&App) -> Self) -> Self {
        Self { again: Some(again), ..self }
    }

    /// The same for what is flown now: what was typed stays, and what was chosen, by its name.
    fn renewed(mut self, app: &App) -> Self {
        if let Kind::Line { offers, .. } = &mut self.kind {
            offers.stale = true;
        }
        let Some(again) = self.again else { return self };
        let at = |o: &Self| if let Kind::List { at, .. } = &o.kind { *at } else { 0 };
        let chosen = self.found().get(at(&self)).map(|e| e.text.clone());
        let mut new = again(app);
        (new.typed, new.proposed, new.cursor) = (self.typed.clone(), self.proposed, self.cursor);
        let found = new.found();
        let same = found.iter().position(|e| Some(&e.text) == chosen.as_ref());
        let to = same.unwrap_or(at(&self)).min(found.len().saturating_sub(1));
        if let Kind::List { at, .. } = &mut new.kind {
            *at = to;
        }
        new
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
        entries.extend(rule_entries(app, 0).into_iter().map(|e| Entry { text: format!("why not: {}", e.text), ..e }));
        for v in &app.session.level.vars {
            entries.push(Entry {
                text: format!("watch: {}", v.name),
                note: String::new(),
                choice: Choice::Watch(v.name.clone()),
            });
        }
        Self::list("Commands", "type a few letters; Enter does it", entries).made_by(Self::palette)
    }

    pub fn rules(app: &App) -> Self {
        let sort = app.flight.rules_sort % SORTS.len();
        let mut list =
            Self::list("Rules", "Enter: why, or why not, at this moment; Tab sorts", rule_entries(app, sort));
        list.sorted = Some(SORTS[sort]);
        list.made_by(Self::rules)
    }

    /// Errors of the text on disk, faults of the flight, and findings: Enter shows one whole, with its lines.
    pub fn problems(app: &App) -> Self {
        let s = &app.session;
        let line = |d: &Diagnostic, sources: &[Source]| format!("line {}", d.place(sources).0);
        let mut entries: Vec<Entry> = vec![];
        for (i, d) in s.problems.iter().enumerate() {
            let sign = if d.severity == Severity::Error { "error" } else { "finding" };
            entries.push(Entry {
                text: format!("{sign}  {}", d.message),
                note: format!("on disk, {}", line(d, &s.problem_sources)),
                choice: Choice::Problem(i),
            });
        }
        let faults = s.index.faults.iter().rev();
        entries.extend(faults.map(|f| Entry {
            text: format!("fault  {}", f.fault.text),
            note: format!(
                "tick {}{}",
                f.tick,
                f.rule.map_or(String::new(), |r| { format!(", {}", s.engine.program.rule_name(r)) })
            ),
            choice: Choice::Tick(f.tick),
        }));
        entries.extend(s.findings.iter().enumerate().map(|(i, d)| Entry {
            text: format!("finding  {}", d.message),
            note: line(d, &s.sources),
            choice: Choice::Finding(i),
        }));
        Self::list("Findings and faults", "Enter shows one whole; a fault leads to its tick", entries)
            .made_by(Self::problems)
    }

    /// One of them whole, and the text round it.
    pub fn diagnostic(d: &Diagnostic, sources: &[Source]) -> Self {
        let mut lines: Vec<Vec<(String, Role)>> = vec![];
        for l in d.print(sources, false).lines() {
            let role = match l {
                l if l.starts_with("error") => Role::Fault,
                l if l.starts_with("finding") => Role::Held,
                _ => Role::Text,
            };
            lines.push(vec![(l.to_string(), role)]);
        }
        lines.push(vec![]);
        let text = sources.get(d.span.file as usize).map_or("", |s| s.text.as_str());
        let n = d.place(sources).0;
        let from = n.saturating_sub(8);
        for (i, l) in text.lines().enumerate().skip(from).take(20) {
            let here = i + 1 == n;
            lines.push(vec![
                (format!("{:>5}  ", i + 1), if here { Role::Fired } else { Role::Faint }),
                (l.to_string(), if here { Role::Text } else { Role::Dim }),
            ]);
        }
        Self {
            title: "Finding",
            hint: "arrows scroll, Esc closes",
            typed: String::new(),
            proposed: false,
            cursor: None,
            sorted: None,
            again: None,
            kind: Kind::Page { lines, from: 0, finds: false },
        }
    }

    /// The entries that the typed letters find, best first.
    pub fn found(&self) -> Vec<&Entry> {
        let Kind::List { entries, .. } = &self.kind else { return vec![] };
        if self.typed.trim().is_empty() {
            return entries.iter().collect();
        }
        let mut held: Vec<((u8, usize), &Entry)> =
            entries.iter().filter_map(|e| fit(&e.text, &self.typed).map(|f| (f, e))).collect();
        if !held.is_empty() {
            held.sort_by_key(|(f, _)| *f);
            return held.into_iter().map(|(_, e)| e).collect();
        }
        // Only where nothing holds the letters, those that have them in order.
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

fn entry_of(f: Found) -> Entry {
    Entry { text: f.name, note: f.note, choice: Choice::About(f.thing) }
}

/// How well an entry fits what is typed, the smaller the better; none where it does not hold it.
fn fit(text: &str, typed: &str) -> Option<(u8, usize)> {
    let (text, typed) = (text.to_lowercase(), typed.trim().to_lowercase());
    if text == typed {
        return Some((0, 0));
    }
    if text.starts_with(&typed) {
        return Some((1, text.len()));
    }
    if let Some(at) = text.find(&typed) {
        // At a word's beginning, or in the midst of one.
        let begins = !text[..at].ends_with(|c: char| c.is_alphanumeric());
        return Some((if begins { 2 } else { 3 }, at));
    }
    typed.split_whitespace().all(|w| text.contains(w)).then_some((4, text.len()))
}

/// How the rules are sorted.
const SORTS: [&str; 4] = ["as written", "by name", "fired last first", "fired most first"];

/// Every rule, with what it did so far: those of the level first, then the parts of each machine.
fn rule_entries(app: &App, sort: usize) -> Vec<Entry> {
    let s = &app.session;
    let (p, w) = (&s.engine.program, &s.now.world);
    // A poke is a rule by hand, which the world counts nothing of.
    let mut all: Vec<RuleId> =
        (0..p.rules.len()).map(RuleId::at).filter(|r| !p.rules[r.index()].is_by_hand()).collect();
    let ticks = |list: Option<&Vec<u64>>| list.map_or(0, |l| l.partition_point(|t| *t <= s.moment.tick));
    let fired = |r: &RuleId| {
        // What enters, leaves and loops is counted by the flight alone.
        let counted = w.rules.get(r.index()).map_or(0, |c| c.fired);
        counted.max(ticks(s.index.fired.get(r)) as u64)
    };
    let last = |r: &RuleId| Index::last(s.index.fired.get(r), s.moment.tick);
    // The level's own first, then those of kinds, then the parts of machines.
    let rank = |r: &RuleId| (p.rules[r.index()].part.is_some(), p.rules[r.index()].owner.is_some());
    match sort {
        0 => all.sort_by_key(|r| (rank(r), *r)),
        1 => all.sort_by_key(|r| (rank(r), p.rule_in_full(*r).to_lowercase())),
        2 => all.sort_by_key(|r| (Reverse(last(r)), *r)),
        _ => all.sort_by_key(|r| (Reverse(fired(r)), *r)),
    }
    // Numbers stand under each other.
    let counts = |r: &RuleId| {
        let (held, spent) = w.rules.get(r.index()).map_or((0, 0), |c| (c.held, c.spent));
        let at = last(r).map_or(String::new(), |t| format!("last at {t}"));
        [fired(r).to_string(), held.to_string(), spent.to_string(), at]
    };
    let wide: [usize; 4] = std::array::from_fn(|i| all.iter().map(|r| counts(r)[i].len()).max().unwrap_or(0));
    let entry = |r: RuleId| {
        let when = match (&p.rules[r.index()].part, s.level.rules.get(r.index())) {
            (Some(_), Some(l)) => l.whens.first(),
            _ => None,
        };
        let when = when.map_or(String::new(), |w| {
            let word = if matches!(w.event, mayfly_base::code::Event::After(_)) { "after" } else { "when" };
            match s.text_of(w.span) {
                text if text.is_empty() => text,
                text => format!("  {word} {text}"),
            }
        });
        let mark = if s.findings_of(Thing::Rule(r)).is_empty() { "" } else { "  !" };
        let [fired, held, spent, at] = counts(&r);
        let [f, h, s, l] = wide;
        let gap = if l > 0 { "  " } else { "" };
        Entry {
            text: format!("{}{when}{mark}", p.rule_in_full(r)),
            note: format!("{fired:>f$} fired  {held:>h$} held  {spent:>s$} spent{gap}{at:<l$}"),
            choice: Choice::WhyNot(r),
        }
    };
    all.iter().copied().map(entry).collect()
}
