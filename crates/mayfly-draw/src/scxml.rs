//! Machines as SCXML (W3C), out and in.
//!
//! Out: states, nested ones in their parents, with each transition as an event and its goal. What a transition awaits in our
//! language stands beside it in a namespace of our own, so that it comes back as it was. In: what SCXML says and our language
//! can say becomes a `machine`; what it cannot is listed, place by place.
//!
//! Source: State Chart XML (SCXML), W3C Recommendation, 1 September 2015.
//!
//! Invariant: what is written is read back with the same states and transitions; a text without a machine is an error with a
//! line.

use mayfly_base::code::{Event, Goal, Heard, Part};
use mayfly_base::*;
use mayfly_lang::lexer;
use mayfly_lang::syntax::Kind;
use mayfly_session::session::Session;
use std::collections::BTreeSet;
use std::fmt::Write;

const SCXML: &str = "http://www.w3.org/2005/07/scxml";
/// Of what our own attributes are.
const OWN: &str = "https://mayfly.invalid/machine";
/// The largest text that is read, and how deep its elements may lie.
const MAX_BYTES: usize = 4 << 20;
const DEEPEST: usize = 200;

fn escape(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\n' | '\t' => out.push(' '),
            c if c.is_control() => {}
            c => out.push(c),
        }
    }
    out
}

/// The machine as a file.
pub fn write(s: &Session, machine: MachineId) -> String {
    let level = &s.level;
    let m = &level.machines[machine.index()];
    let mut out = String::from("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n");
    let _ = writeln!(
        out,
        "<scxml xmlns=\"{SCXML}\" xmlns:mayfly=\"{OWN}\" version=\"1.0\" datamodel=\"null\" name=\"{}\" initial=\"{}\"{}>",
        escape(&m.name),
        escape(&id_of(s, m.start)),
        m.of.map_or(String::new(), |k| format!(" mayfly:for=\"{}\"", escape(&level.kinds[k.index()].name)))
    );
    for need in needs(s, m.span) {
        own("", "needs", &need, &mut out);
    }
    let top = states_in(s, machine, None);
    for state in top {
        one_state(s, machine, state, 1, &mut out);
    }
    out.push_str("</scxml>\n");
    out
}

/// What a machine needs of its kind, as its text says it: `silted: flag`. The level has no more of it: it was checked.
fn needs(s: &Session, span: mayfly_base::Span) -> Vec<String> {
    let a = s.analysis();
    let whole = a.symbols.iter().find(|(_, x)| x.at == span).map(|(_, x)| x.whole);
    let text = whole.map_or("", |w| a.text(w));
    let tree = mayfly_lang::parser::parse(text).tree();
    let all = tree.descendants().filter(|n| n.kind() == Kind::NEEDS);
    all.map(|n| n.to_string().trim().trim_start_matches("needs").trim().to_string()).collect()
}

/// True of what can stand behind `needs`, and nothing else.
fn is_need(text: &str) -> bool {
    let parsed = mayfly_lang::parser::parse(&format!("machine m {{\n  needs {text}\n  start s\n  state s {{ }}\n}}\n"));
    let of = |kind: Kind| parsed.tree().descendants().filter(|n| n.kind() == kind).count();
    parsed.errors.is_empty() && of(Kind::NEEDS) == 1 && !text.contains(['\n', ';'])
}

/// A state's name as an id: its own, and its parents' where it has some.
fn id_of(s: &Session, state: StateId) -> String {
    let states = &s.level.states;
    let mut names = vec![states[state.index()].name.clone()];
    let mut at = states[state.index()].outer;
    while let Some(outer) = at {
        names.push(states[outer.index()].name.clone());
        at = states[outer.index()].outer;
    }
    names.reverse();
    names.join(".")
}

fn states_in(s: &Session, machine: MachineId, outer: Option<StateId>) -> Vec<StateId> {
    let all = s.level.states.iter().enumerate();
    all.filter(|(_, x)| x.machine == machine && x.outer == outer).map(|(i, _)| StateId::at(i)).collect()
}

fn one_state(s: &Session, machine: MachineId, state: StateId, depth: usize, out: &mut String) {
    let pad = "  ".repeat(depth);
    let info = &s.level.states[state.index()];
    let inner = states_in(s, machine, Some(state));
    let initial = info.start.map(|i| format!(" initial=\"{}\"", escape(&id_of(s, i)))).unwrap_or_default();
    let _ = writeln!(out, "{pad}<state id=\"{}\"{initial}>", escape(&id_of(s, state)));
    // Its parts and the states in it, in the order of the text: in that order they are asked.
    let parts = s.level.rules.iter().enumerate().filter_map(|(i, r)| {
        let part = r.part.as_ref().filter(|p| state_of(p) == Some(state))?;
        Some((r.span.start, Item::Part(i, part)))
    });
    let states = inner.into_iter().map(|x| (s.level.states[x.index()].span.start, Item::State(x)));
    let mut items: Vec<(u32, Item)> = parts.chain(states).collect();
    items.sort_by_key(|(at, _)| *at);
    for (_, item) in items {
        match item {
            Item::State(x) => one_state(s, machine, x, depth + 1, out),
            Item::Part(i, part) => one_part(s, i, part, &pad, out),
        }
    }
    // What leads out of every state is asked after a state's own. It stands in each outermost one, and never leads from a
    // state to itself: there it takes the event up and leads nowhere.
    for (i, r) in s.level.rules.iter().enumerate() {
        let Some(Part::Transition { machine: m, from: None, to }) = &r.part else { continue };
        let home = matches!(to, Goal::State(g) if *g == state);
        if *m == machine && (home || info.outer.is_none()) {
            let leads = if home { Leads::Nowhere } else { Leads::FromEach };
            transition(s, i, to, leads, &s.text_of(r.span), &pad, out);
        }
    }
    let _ = writeln!(out, "{pad}</state>");
}

/// What stands in a state: a part of its own, with its number among the rules, or another state.
enum Item<'l> {
    Part(usize, &'l Part),
    State(StateId),
}

/// The state in which a part stands.
fn state_of(part: &Part) -> Option<StateId> {
    match part {
        Part::Enter(x) | Part::Leave(x) | Part::Loop(x) | Part::In(x) => Some(*x),
        Part::Transition { from, .. } => *from,
        Part::Wait => None,
    }
}

fn one_part(s: &Session, i: usize, part: &Part, pad: &str, out: &mut String) {
    let span = s.level.rules[i].span;
    let text = s.text_of(span);
    match part {
        Part::Enter(_) => own(pad, "enter", &text, out),
        Part::Leave(_) => own(pad, "leave", &text, out),
        Part::Loop(_) => own(pad, "loop", &text, out),
        Part::In(_) => {
            // Its place is that of its title: the word before it and its block belong to it.
            let end = lexer::declaration_end(s.source(span), span.start as usize);
            let text = s.text_of(Span { end: end as u32, ..span });
            own(pad, "rule", &format!("rule {text}"), out);
        }
        Part::Transition { to, .. } => transition(s, i, to, Leads::From, &text, pad, out),
        Part::Wait => {}
    }
}

/// What a state does, in our own words.
fn own(pad: &str, what: &str, text: &str, out: &mut String) {
    let _ = writeln!(out, "{pad}  <mayfly:{what}>{}</mayfly:{what}>", escape(text));
}

/// From where a transition leads.
#[derive(Clone, Copy, PartialEq)]
enum Leads {
    /// Out of its state.
    From,
    /// Out of each state.
    FromEach,
    /// Out of each state, and this is the one that it leads to.
    Nowhere,
}

fn transition(s: &Session, rule: usize, to: &Goal, leads: Leads, text: &str, pad: &str, out: &mut String) {
    let r = &s.level.rules[rule];
    let goals: Vec<StateId> = match to {
        Goal::State(_) if leads == Leads::Nowhere => vec![],
        Goal::State(x) => vec![*x],
        Goal::OneOf(_, list) => list.iter().map(|(x, ..)| *x).collect(),
        Goal::Previous => vec![],
    };
    let clause = if r.clauses.is_empty() { String::new() } else { format!(".guarded{rule}") };
    let names: Vec<String> = r.whens.iter().map(|w| event_name(s, &w.event, rule)).collect();
    let event = match names.as_slice() {
        [] => format!(" event=\"noticed{rule}{clause}\""),
        names => {
            let all: Vec<String> = names.iter().map(|n| escape(&format!("{n}{clause}"))).collect();
            format!(" event=\"{}\"", all.join(" "))
        }
    };
    let anywhere = if leads != Leads::From { " mayfly:wherever=\"true\"" } else { "" };
    // Of several goals one is drawn: each stands as a transition of its own; `previous` has none that can be named.
    let targets: Vec<String> = goals.iter().map(|g| format!(" target=\"{}\"", escape(&id_of(s, *g)))).collect();
    let targets = if targets.is_empty() { vec![String::new()] } else { targets };
    for (n, target) in targets.iter().enumerate() {
        let again = if n > 0 { " mayfly:again=\"true\"" } else { "" };
        let _ = writeln!(out, "{pad}  <transition{event}{target}{anywhere}{again} mayfly:text=\"{}\"/>", escape(text));
    }
}

/// A name for an event: a message's own, a word for all others.
fn event_name(s: &Session, e: &Event, rule: usize) -> String {
    match e {
        Event::Hears { message: Heard::One(m), .. } => s.level.messages[m.index()].name.clone(),
        Event::After(p) => format!("after.{}ticks", p.ticks),
        Event::Zone { .. } => format!("zone{rule}"),
        Event::Press(_) => format!("press{rule}"),
        Event::TimerEnds(_) => format!("timer{rule}"),
        Event::Watched { .. } => format!("changes{rule}"),
        _ => format!("event{rule}"),
    }
}

/// A machine that was read: its text in our language, and what could not be said in it, each with its line.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Taken {
    pub text: String,
    pub left: Vec<String>,
}

/// Why a text is no machine.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ScxmlError {
    #[error("this is larger than {} MiB", MAX_BYTES >> 20)]
    TooLarge,
    /// With the words of the reader of XML.
    #[error("line {line}: {why}")]
    NoXml { line: u32, why: String },
    #[error("line {line}: the outermost element is no `scxml` of {SCXML}")]
    NoScxml { line: u32 },
    #[error("its elements lie deeper than {DEEPEST}")]
    TooDeep,
    #[error("line {line}: there is no state in it")]
    NoState { line: u32 },
}

/// Reads a file.
///
/// # Errors
/// What is wrong with it, with its line: no XML, a document type, no machine in it, too large or too deep.
pub fn read(text: &str) -> Result<Taken, ScxmlError> {
    if text.len() > MAX_BYTES {
        return Err(ScxmlError::TooLarge);
    }
    let options = roxmltree::ParsingOptions { allow_dtd: false, nodes_limit: 200_000, ..Default::default() };
    let doc = roxmltree::Document::parse_with_options(text, options)
        .map_err(|e| ScxmlError::NoXml { line: e.pos().row, why: e.to_string() })?;
    let root = doc.root_element();
    let line = |n: roxmltree::Node| doc.text_pos_at(n.range().start).row;
    if root.tag_name().name() != "scxml" || root.tag_name().namespace() != Some(SCXML) {
        return Err(ScxmlError::NoScxml { line: line(root) });
    }
    if doc.descendants().any(|n| n.ancestors().take(DEEPEST + 1).count() > DEEPEST) {
        return Err(ScxmlError::TooDeep);
    }
    let mut r = Reader { doc: &doc, left: vec![], messages: BTreeSet::new(), ids: BTreeSet::new(), loose: vec![] };
    let states: Vec<roxmltree::Node> = root.children().filter(is_state).collect();
    if states.is_empty() {
        return Err(ScxmlError::NoState { line: line(root) });
    }
    r.names(root);
    let name = ident(root.attribute("name").unwrap_or("machine"), "machine");
    let first = states[0].attribute("id").unwrap_or("");
    let initial = root.attribute("initial").and_then(|i| i.split_whitespace().next()).unwrap_or(first);
    let mut body = String::new();
    let top = initial.split('.').next().unwrap_or(initial);
    let start = if states.iter().any(|s| s.attribute("id") == Some(initial)) { initial } else { top };
    let _ = writeln!(body, "  start {}", ident(short(start), "start"));
    // What leads out of every outermost state is said once.
    let mut wherever: Vec<String> = vec![];
    for s in &states {
        r.state(*s, 1, &mut body, &mut wherever);
    }
    let lines: String = wherever.iter().map(|w| format!("  wherever {{ {w} }}\n")).collect();
    let mut needed = String::new();
    for n in root.children().filter(|n| n.is_element() && !is_state(n)) {
        let text = n.text().unwrap_or("").trim();
        if n.tag_name().name() == "needs" && n.tag_name().namespace() == Some(OWN) && is_need(text) {
            let _ = writeln!(needed, "  needs {text}");
        } else {
            r.leave(n, "has no place in a machine of ours");
        }
    }
    let heads: String = r.messages.iter().map(|m| format!("message {m}\n")).collect();
    let of = root.attribute((OWN, "for")).map_or(String::new(), |k| format!(" for {}", ident(k, "kind")));
    let text = format!("{heads}machine {name}{of} {{\n{needed}{body}{lines}}}\n");
    let mut left = r.left;
    left.extend(r.loose);
    Ok(Taken { text, left })
}

fn is_state(n: &roxmltree::Node) -> bool {
    n.is_element() && matches!(n.tag_name().name(), "state" | "final") && n.tag_name().namespace() == Some(SCXML)
}

/// The last part of an id: states are named within their parents.
fn short(id: &str) -> &str {
    id.rsplit('.').next().unwrap_or(id)
}

/// A name of our language; what it cannot hold becomes `_`.
fn ident(text: &str, instead: &str) -> String {
    let name: String = text.chars().map(|c| if c.is_alphanumeric() || c == '_' { c } else { '_' }).collect();
    let name = name.trim_matches('_').to_string();
    let name = if name.is_empty() { instead.to_string() } else { name };
    let one = lexer::lex(&name);
    let is_name = one.len() == 1 && one[0].kind == Kind::IDENT;
    if is_name { name } else { format!("{instead}_{name}") }
}

struct Reader<'a, 'd> {
    doc: &'a roxmltree::Document<'d>,
    left: Vec<String>,
    messages: BTreeSet<String>,
    ids: BTreeSet<String>,
    /// Goals that are no state.
    loose: Vec<String>,
}

impl Reader<'_, '_> {
    fn line(&self, n: roxmltree::Node) -> u32 {
        self.doc.text_pos_at(n.range().start).row
    }

    fn leave(&mut self, n: roxmltree::Node, why: &str) {
        let text = format!("line {}: `{}` {why}", self.line(n), n.tag_name().name());
        self.left.push(text);
    }

    fn names(&mut self, n: roxmltree::Node) {
        for s in n.descendants().filter(is_state) {
            if let Some(id) = s.attribute("id") {
                self.ids.insert(id.to_string());
            }
        }
    }

    fn state(&mut self, n: roxmltree::Node, depth: usize, out: &mut String, wherever: &mut Vec<String>) {
        let pad = "  ".repeat(depth);
        let id = n.attribute("id").unwrap_or("");
        if id.is_empty() {
            self.leave(n, "has no id: it got a name of its own");
        }
        let instead = format!("state{}", self.line(n));
        let _ = writeln!(out, "{pad}state {} {{", ident(short(id), &instead));
        let inner: Vec<roxmltree::Node> = n.children().filter(is_state).collect();
        if let Some(first) = inner.first() {
            let initial = n.attribute("initial").or(first.attribute("id")).unwrap_or("");
            let _ = writeln!(out, "{pad}  start {}", ident(short(initial), "start"));
        }
        let delays = self.delays(n);
        for c in n.children().filter(|c| c.is_element()) {
            match (c.tag_name().namespace(), c.tag_name().name()) {
                (Some(OWN), "enter" | "leave" | "loop" | "rule") => {
                    let _ = writeln!(out, "{pad}  {}", c.text().unwrap_or("").trim());
                }
                (Some(SCXML), "transition") => {
                    if let Some((text, anywhere)) = self.transition(c, &delays) {
                        if anywhere {
                            if !wherever.contains(&text) {
                                wherever.push(text);
                            }
                        } else {
                            let _ = writeln!(out, "{pad}  {text}");
                        }
                    }
                }
                _ if is_state(&c) => self.state(c, depth + 1, out, wherever),
                (Some(SCXML), "onentry" | "onexit") => {
                    let word = if c.tag_name().name() == "onentry" { "enter" } else { "leave" };
                    let actions = self.actions(c, &delays);
                    if !actions.is_empty() {
                        let _ = writeln!(out, "{pad}  {word} {{ {} }}", actions.join("; "));
                    }
                }
                _ => self.leave(c, "cannot be said in a state of ours"),
            }
        }
        let _ = writeln!(out, "{pad}}}");
    }

    /// Events that a state sends itself with a delay when it is entered: `after`.
    fn delays(&self, n: roxmltree::Node) -> Vec<(String, String)> {
        let entries = n.children().filter(|c| c.tag_name().name() == "onentry");
        let sends = entries.flat_map(|e| e.children()).filter(|c| c.tag_name().name() == "send");
        sends
            .filter_map(|s| {
                let delay = s.attribute("delay")?;
                let plain = delay.trim_start_matches('+');
                let unit_at = plain.find(|c: char| c.is_alphabetic())?;
                let (number, unit) = plain.split_at(unit_at);
                let number: f64 = number.parse().ok().filter(|n: &f64| n.is_finite() && *n >= 0.0)?;
                let text = match unit {
                    "s" => format!("{}s", number::show_number(number)),
                    "ms" => format!("{}ms", number::show_number(number.round())),
                    "min" | "m" => format!("{}m", number::show_number(number)),
                    _ => return None,
                };
                Some((s.attribute("event")?.to_string(), text))
            })
            .collect()
    }

    /// One transition in our words, and whether it leads out of every state; none where it cannot be said.
    fn transition(&mut self, n: roxmltree::Node, delays: &[(String, String)]) -> Option<(String, bool)> {
        if n.attribute((OWN, "again")).is_some() {
            return None;
        }
        if let Some(text) = n.attribute((OWN, "text")) {
            return Some((text.trim().to_string(), n.attribute((OWN, "wherever")).is_some()));
        }
        let targets: Vec<&str> = n.attribute("target").unwrap_or("").split_whitespace().collect();
        let [target] = targets.as_slice() else {
            let why = if targets.is_empty() { "leads to no other state" } else { "leads to several states at once" };
            self.leave(n, why);
            return None;
        };
        if !self.ids.contains(*target) {
            let text = format!("line {}: there is no state `{target}`", self.line(n));
            self.loose.push(text);
            return None;
        }
        let mut events: Vec<String> = vec![];
        for e in n.attribute("event").unwrap_or("").split_whitespace() {
            let plain = e.trim_end_matches(".*").trim_end_matches('.');
            if let Some((_, delay)) = delays.iter().find(|(x, _)| x == plain) {
                events.push(format!("after {delay}"));
            } else if plain == "*" || plain.is_empty() {
                self.leave(n, "waits for any event, which no transition of ours can");
                return None;
            } else {
                let name = ident(plain, "event");
                self.messages.insert(name.clone());
                events.push(format!("when hears {name}"));
            }
        }
        let cond = match n.attribute("cond").map(str::trim) {
            Some(c) if is_expression(c) => format!(" if {c}"),
            Some(c) => {
                let text = format!("line {}: the condition `{c}` is none of ours and was left out", self.line(n));
                self.left.push(text);
                String::new()
            }
            None => String::new(),
        };
        let actions = self.actions(n, &[]);
        let then = if actions.is_empty() { String::new() } else { format!(" then {{ {} }}", actions.join("; ")) };
        if events.is_empty() && cond.is_empty() {
            self.leave(n, "waits for nothing and asks nothing");
            return None;
        }
        let goal = ident(short(target), "state");
        let each: Vec<String> = match events.is_empty() {
            true => vec![format!("to {goal}{cond}{then}")],
            false => events.iter().map(|e| format!("to {goal} {e}{cond}{then}")).collect(),
        };
        Some((each.join("\n    "), false))
    }

    /// What is done, as far as our actions say it.
    fn actions(&mut self, n: roxmltree::Node, delays: &[(String, String)]) -> Vec<String> {
        let mut out = vec![];
        for c in n.children().filter(|c| c.is_element()) {
            let event = c.attribute("event").unwrap_or("");
            match c.tag_name().name() {
                "raise" if !event.is_empty() => {
                    let name = ident(event, "event");
                    out.push(format!("send {name}"));
                    self.messages.insert(name);
                }
                // It is the `after` of a transition.
                "send" if delays.iter().any(|(x, _)| x == event) => {}
                "send" if !event.is_empty() && c.attribute("delay").is_none() && c.attribute("target").is_none() => {
                    let name = ident(event, "event");
                    out.push(format!("send {name}"));
                    self.messages.insert(name);
                }
                "log" => {
                    let text = c.attribute("label").or(c.attribute("expr")).unwrap_or("");
                    let plain: String =
                        text.chars().filter(|c| !matches!(c, '"' | '{' | '}' | '\\') && !c.is_control()).collect();
                    out.push(format!("log \"{plain}\""));
                }
                _ => self.leave(c, "is no action of ours"),
            }
        }
        out
    }
}

/// True where our own parser takes it for an expression.
fn is_expression(text: &str) -> bool {
    !text.is_empty() && text.len() < 2_000 && mayfly_lang::parser::parse_expression(text).errors.is_empty()
}
