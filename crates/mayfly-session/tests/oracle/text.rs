//! The text of a made-up level.
//!
//! Not here: what it consists of ([`super::form`]).
//!
//! Invariant: no name is given twice.

use super::form::*;
use std::fmt::{self, Display, Write};
use std::rc::Rc;

impl Watch {
    /// Its text: in a rule of the kind, or elsewhere.
    pub fn text(&self, in_kind: bool) -> String {
        let scope = Scope { own: if in_kind { "self" } else { "a0" }, ..Scope::default() };
        match self {
            Self::Number(n) => scope.num(n),
            Self::Test(t) => scope.test(t),
        }
    }
}

/// Whose `w` is meant, and which locals there are.
#[derive(Clone, Default)]
struct Scope {
    own: &'static str,
    locals: Vec<String>,
    in_loop: bool,
    /// Numbers of locals, so that no name is given twice.
    made: Rc<std::cell::Cell<u32>>,
}

impl Scope {
    fn num(&self, n: &Num) -> String {
        match n {
            Num::Lit(n) => n.to_string(),
            Num::Var(v) => format!("n{}", v % NUMBERS),
            Num::Own => format!("{}.w", self.own),
            Num::Of(a) => format!("a{}.w", a % ACTORS),
            Num::Local(back) => match self.locals.len() {
                0 => "1".into(),
                len => self.locals[len - 1 - back % len].clone(),
            },
            Num::Ramped => "floor(ramped)".into(),
            Num::Define => "defined".into(),
            Num::Count(v) => format!("count(crate as c where c.w > n{})", v % NUMBERS),
            Num::Call(n) => format!("work_out({})", self.num(n)),
            Num::Two(calc, a, b) => {
                let (a, b) = (self.num(a), self.num(b));
                match calc {
                    Calc::Add => format!("({a} + {b})"),
                    Calc::Sub => format!("({a} - {b})"),
                    Calc::Mul => format!("({a} * {b})"),
                    Calc::Min => format!("min({a}, {b})"),
                    Calc::Max => format!("max({a}, {b})"),
                    Calc::Quotient => format!("floor({a} / {b})"),
                    Calc::Mod => format!("({a} mod {b})"),
                }
            }
            Num::If(c, a, b) => format!("(if {} then {} else {})", self.test(c), self.num(a), self.num(b)),
        }
    }

    fn test(&self, t: &Test) -> String {
        match t {
            Test::Flag(f) => format!("f{}", f % FLAGS),
            Test::Less(a, b) => format!("({} < {})", self.num(a), self.num(b)),
            Test::AtLeast(a, b) => format!("({} >= {})", self.num(a), self.num(b)),
            Test::Same(a, b) => format!("({} == {})", self.num(a), self.num(b)),
            Test::Not(t) => format!("(not {})", self.test(t)),
            Test::And(a, b) => format!("({} and {})", self.test(a), self.test(b)),
            Test::Or(a, b) => format!("({} or {})", self.test(a), self.test(b)),
            Test::Running(t) => format!("t{}.running", t % TIMERS.len()),
            Test::In(a, z) => format!("(a{} in z{})", a % ACTORS, z % ZONES.len()),
            Test::State(s) => format!("(night is s{})", s % STATES),
            Test::Glow(s) => format!("({}.glow is g{})", self.own, s % GLOWS),
            Test::Enabled(a) => format!("a{}.enabled", a % ACTORS),
        }
    }

    fn new_local(&mut self) -> String {
        self.made.set(self.made.get() + 1);
        let name = format!("x{}", self.made.get());
        self.locals.push(name.clone());
        name
    }

    fn block(&self, b: &[Statement]) -> String {
        let mut s = self.clone();
        let lines: Vec<String> = b.iter().filter_map(|st| s.statement(st)).collect();
        if lines.is_empty() { "{ }".into() } else { format!("{{ {} }}", lines.join("; ")) }
    }

    fn looped(&self) -> Self {
        Self { in_loop: true, ..self.clone() }
    }

    fn statement(&mut self, st: &Statement) -> Option<String> {
        let at_most = |n: &Option<u64>| n.map_or(String::new(), |n| format!(" for at most {n} ticks"));
        Some(match st {
            Statement::Set(v, n) => format!("n{} = {}", v % NUMBERS, self.num(n)),
            Statement::Add(v, n) => format!("n{} += {}", v % NUMBERS, self.num(n)),
            Statement::SetFlag(f, t) => format!("f{} = {}", f % FLAGS, self.test(t)),
            Statement::SetOwn(n) => format!("{}.w = {}", self.own, self.num(n)),
            Statement::SetOf(a, n) => format!("a{}.w = {}", a % ACTORS, self.num(n)),
            Statement::Ramp { to, ticks, waits } => {
                format!("ramp ramped to {to} over {ticks} ticks{}", if *waits { " and wait" } else { "" })
            }
            Statement::SetRamped(n) => format!("ramped = {n}"),
            Statement::Send { message, value, after } => {
                let after = after.map_or(String::new(), |n| format!(" after {n} ticks"));
                format!("send m{}({}){after}", message % MESSAGES, self.num(value))
            }
            Statement::Start(t, length) => {
                let length = length.map_or(String::new(), |n| format!(" for {n} ticks"));
                format!("start t{}{length}", t % TIMERS.len())
            }
            Statement::Stop(t) => format!("stop t{}", t % TIMERS.len()),
            Statement::Pause(t) => format!("pause t{}", t % TIMERS.len()),
            Statement::Resume(t) => format!("resume t{}", t % TIMERS.len()),
            Statement::Log(n) => format!("log \"{{{}}}\"", self.num(n)),
            Statement::Wait(n) => format!("wait {n} ticks"),
            Statement::WaitUntil { test, at_most: n, .. } => format!("wait until {}{}", self.test(test), at_most(n)),
            Statement::WaitFor { message, at_most: n, .. } => {
                let name = self.new_local();
                self.locals.pop();
                format!("wait for hears m{}({name}){}", message % MESSAGES, at_most(n))
            }
            Statement::If(t, a, b) => format!("if {} {} else {}", self.test(t), self.block(a), self.block(b)),
            Statement::Repeat(n, b) => format!("repeat {n} {}", self.looped().block(b)),
            Statement::For(n, b) => {
                let mut inner = self.looped();
                let name = inner.new_local();
                format!("for {name} in 1..{n} {}", inner.block(b))
            }
            Statement::Let(n) => {
                let value = self.num(n);
                format!("let {} = {value}", self.new_local())
            }
            Statement::Meanwhile(b) => format!("meanwhile {}", Self { in_loop: false, ..self.clone() }.block(b)),
            Statement::Rule(r, on) => format!("{} rule \"r{r}\"", if *on { "enable" } else { "disable" }),
            Statement::Go(s) => format!("go night to s{}", s % STATES),
            Statement::GoGlow(s) => format!("go {}.glow to g{}", self.own, s % GLOWS),
            Statement::Move(a, x, y) => format!("move a{} to ({x}, {y})", a % ACTORS),
            Statement::Enable(a, on) => format!("{} a{}", if *on { "enable" } else { "disable" }, a % ACTORS),
            Statement::EnableOwn(on) => format!("{} {}", if *on { "enable" } else { "disable" }, self.own),
            Statement::Spawn { x, y, w } => {
                format!("spawn crate at ({x}, {y}) {{ w = {}; extra = true }}", self.num(w))
            }
            Statement::RemoveOwn => format!("if {0}.extra {{ remove {0} }}", self.own),
            Statement::RemoveOldest => {
                let name = self.new_local();
                self.locals.pop();
                format!("for {name} in all crate where crate.extra {{ remove {name}; break }}")
            }
            Statement::Reset(a) => format!("reset a{}", a % ACTORS),
            Statement::ResetOwn => format!("reset {}", self.own),
            Statement::Haul(n) => format!("haul({})", self.num(n)),
            Statement::Break if self.in_loop => "break".into(),
            Statement::Continue if self.in_loop => "continue".into(),
            Statement::Break | Statement::Continue => return None,
            Statement::Return => "return".into(),
        })
    }

    fn event(&mut self, e: &Event, who: &str) -> String {
        match e {
            Event::Start => "start".into(),
            Event::Tick => "tick".into(),
            Event::Every(n) => format!("every {n} ticks"),
            Event::After(n) => format!("after {n} ticks"),
            Event::Changes(n) => format!("{} changes", self.num(n)),
            Event::Turns(t, to) => format!("{} turns {to}", self.test(t)),
            Event::Reaches(n, to) => format!("{} reaches {to}", self.num(n)),
            Event::Drops(n, to) => format!("{} drops to {to}", self.num(n)),
            Event::Hears(m) => format!("hears m{}({})", m % MESSAGES, self.new_local()),
            Event::TimerEnds(t) => format!("t{} ends", t % TIMERS.len()),
            Event::Enters(z) => format!("{who} enters z{}", z % ZONES.len()),
            Event::Leaves(z) => format!("{who} leaves z{}", z % ZONES.len()),
            Event::NightEnters(s) => format!("night enters s{}", s % STATES),
            Event::NightLeaves(s) => format!("night leaves s{}", s % STATES),
            Event::GlowEnters(s) => format!("{who}.glow enters g{}", s % GLOWS),
            Event::GlowLeaves(s) => format!("{who}.glow leaves g{}", s % GLOWS),
            Event::Spawns => format!("{who} spawns"),
            Event::Removed => format!("{who} is removed"),
        }
    }
}

impl Rule {
    fn write(&self, f: &mut fmt::Formatter, made: &Rc<std::cell::Cell<u32>>, of_kind: bool) -> fmt::Result {
        let about = self.when.is_about_actor();
        let own = match (of_kind, about) {
            (true, _) => "self",
            (_, true) => "crate",
            _ => "a0",
        };
        let mut scope = Scope { own, made: made.clone(), ..Scope::default() };
        let when = scope.event(&self.when, own);
        writeln!(f, "rule \"{}\" {{\n  when {when}", self.title)?;
        for (test, otherwise) in &self.clauses {
            write!(f, "  if {}", scope.test(test))?;
            writeln!(f, "{}", otherwise.as_ref().map_or(String::new(), |b| format!(" else {}", scope.block(b))))?;
        }
        let per = if self.per && about && !of_kind { " per crate" } else { "" };
        if let Some(n) = self.at_most {
            writeln!(f, "  {}{per}", if n == 1 { "once".into() } else { format!("at most {n}") })?;
        }
        if let Some(n) = self.cooldown {
            writeln!(f, "  cooldown {n} ticks{per}")?;
        }
        if let Some(t) = &self.awake {
            let level = Scope { locals: vec![], own: if of_kind { "self" } else { "a0" }, ..scope.clone() };
            writeln!(f, "  while {}", level.test(t))?;
        }
        if self.off {
            writeln!(f, "  off")?;
        }
        if self.priority != 0 {
            writeln!(f, "  priority {}", self.priority)?;
        }
        let again = ["skip", "anew", "later", "beside"][self.again as usize];
        writeln!(f, "  again {again}\n  then {}", scope.block(&self.then))?;
        if let Some(b) = &self.otherwise {
            writeln!(f, "  else {}", scope.block(b))?;
        }
        writeln!(f, "}}")
    }
}

/// The machine's states: `first` and those beside it.
fn write_states(f: &mut fmt::Formatter, scope: &Scope, states: &[State], letter: char, first: usize) -> fmt::Result {
    let beside = if first == INNER { INNER..STATES } else { 0..states.len().min(INNER) };
    for (i, s) in states.iter().enumerate().filter(|(i, _)| beside.contains(i)) {
        writeln!(f, "state {letter}{i} {{")?;
        writeln!(f, "  enter {}\n  leave {}", scope.block(&s.enter), scope.block(&s.leave))?;
        if let Some(block) = &s.looped {
            writeln!(f, "  loop {}", scope.block(block))?;
        }
        s.ways.iter().take(1).try_for_each(|t| write_way(f, scope, t, letter, states.len()))?;
        s.rules.iter().try_for_each(|r| r.write(f, &scope.made, letter == 'g'))?;
        if letter == 's' && i == HOLDER {
            writeln!(f, "start s{INNER}")?;
            write_states(f, scope, states, letter, INNER)?;
        }
        s.ways.iter().skip(1).try_for_each(|t| write_way(f, scope, t, letter, states.len()))?;
        writeln!(f, "}}")?;
    }
    Ok(())
}

fn write_way(f: &mut fmt::Formatter, scope: &Scope, t: &Transition, letter: char, count: usize) -> fmt::Result {
    let mut scope = scope.clone();
    let who = if scope.own == "self" { "self" } else { "crate" };
    let when = t.when.as_ref().map_or(String::new(), |e| match scope.event(e, who) {
        w if w.starts_with("after") => format!(" {w}"),
        w => format!(" when {w}"),
    });
    let to = match t.to {
        To::State(s) => format!("{letter}{}", s % count),
        To::Previous => "previous".into(),
    };
    let test = t.test.as_ref().map_or(String::new(), |t| format!(" if {}", scope.test(t)));
    writeln!(f, "  to {to}{when}{test} then {}", scope.block(&t.then))
}

impl Display for Level {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        let made = Rc::default();
        let scope = Scope { own: "a0", made: Rc::clone(&made), ..Scope::default() };
        writeln!(f, "level \"O\" {{ rate 10; seed 1 }}\ntiles {{ '_' boards }}\nmap \"\"\"")?;
        (0..4).try_for_each(|_| writeln!(f, "________"))?;
        writeln!(f, "\"\"\"\nvar ramped = 0")?;
        (0..NUMBERS).try_for_each(|v| writeln!(f, "var n{v} = {v} within -{BOUND} to {BOUND}"))?;
        (0..FLAGS).try_for_each(|v| writeln!(f, "var f{v} = {}", v == 1))?;
        (0..MESSAGES).try_for_each(|m| writeln!(f, "message m{m}(x: number)"))?;
        writeln!(f, "timer t0 = {} ticks\ntimer t1 = {} ticks repeating running", TIMERS[0], TIMERS[1])?;
        for (i, (x, y, w, h)) in ZONES.iter().enumerate() {
            writeln!(f, "zone z{i} = rect ({x}, {y}) {w} x {h}")?;
        }
        writeln!(f, "define defined = {}", scope.num(&self.define))?;
        let (mut computes, mut hauls) = (scope.clone(), scope.clone());
        let (p, q) = (computes.new_local(), hauls.new_local());
        let (test, a, b) = &self.work_out;
        let (test, a, b) = (computes.test(test), computes.num(a), computes.num(b));
        writeln!(f, "routine work_out({p}: number) -> number {{ if {test} {{ return {a} }}; return {b} }}")?;
        writeln!(f, "routine haul({q}: number) {}", hauls.block(&self.haul))?;
        writeln!(f, "kind crate {{\nvar w = 1 within -{BOUND} to {BOUND}\nvar extra = false")?;
        self.own.iter().try_for_each(|r| r.write(f, &made, true))?;
        let own = Scope { own: "self", ..scope.clone() };
        writeln!(f, "machine glow {{\nstart g0")?;
        write_states(f, &own, &self.glows, 'g', 0)?;
        writeln!(f, "}}")?;
        writeln!(f, "}}")?;
        for (i, (x, y)) in PLACES.iter().enumerate() {
            writeln!(f, "place a{i}: crate at ({x}, {y}) {{ w = {} }}", i + 1)?;
        }
        writeln!(f, "machine night {{\nstart s0")?;
        write_states(f, &scope, &self.states, 's', 0)?;
        if !self.wherever.is_empty() {
            writeln!(f, "wherever {{")?;
            self.wherever.iter().try_for_each(|t| write_way(f, &scope, t, 's', STATES))?;
            writeln!(f, "}}")?;
        }
        writeln!(f, "}}")?;
        let mut text = String::new();
        if self.grouped > 1 {
            writeln!(text, "first of \"group\" {{")?;
        }
        f.write_str(&text)?;
        for (i, r) in self.rules.iter().enumerate() {
            r.write(f, &made, false)?;
            if self.grouped > 1 && i + 1 == self.grouped {
                writeln!(f, "}}")?;
            }
        }
        Ok(())
    }
}
