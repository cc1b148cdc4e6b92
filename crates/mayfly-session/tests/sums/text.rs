//! The text of made-up actions.
//!
//! Invariant: a local is named only where it stands.

use super::form::*;

/// The names of the locals that stand round a place, and what they hold.
#[derive(Clone, Default)]
struct Names {
    numbers: Vec<String>,
    texts: Vec<String>,
    /// In a loop `break` and `continue` can stand.
    in_loop: bool,
    /// How many names there were: none is given twice.
    given: usize,
}

/// The innermost but so many, counted round.
pub fn innermost<T>(all: &[T], n: usize) -> Option<&T> {
    if all.is_empty() { None } else { all.get(all.len() - 1 - n % all.len()) }
}

impl Names {
    fn new_name(&mut self) -> String {
        self.given += 1;
        format!("x{}", self.given)
    }

    fn num(&self, n: &Num) -> String {
        match n {
            Num::Lit(n) => format!("{n}"),
            Num::Var(v) => format!("n{v}"),
            Num::Local(n) => innermost(&self.numbers, *n).map_or("1".into(), String::clone),
            Num::LenText(t) => format!("len({})", self.text(t)),
            Num::LenList(l) => format!("len(l{l})"),
            Num::LenSet(e) => format!("len(e{e})"),
            Num::LenTally => "len(t)".into(),
            Num::At(l, i) => format!("l{l}[{}]", self.num(i)),
            Num::Count(t) => format!("t[{}]", self.text(t)),
            Num::Two(Calc::Add, a, b) => format!("({} + {})", self.num(a), self.num(b)),
            Num::Two(Calc::Sub, a, b) => format!("({} - {})", self.num(a), self.num(b)),
            Num::Two(Calc::Max, a, b) => format!("max({}, {})", self.num(a), self.num(b)),
            Num::Two(Calc::Quotient, a, b) => format!("floor({} / {})", self.num(a), self.num(b)),
            Num::Tenths(d) => format!("({} / 100ms)", self.long(d)),
            Num::Times(a, b) => format!("floor({} / {})", self.long(a), self.long(b)),
            Num::X(p) => format!("({}).x", self.spot(p)),
            Num::Y(p) => format!("({}).y", self.spot(p)),
            Num::Mod(a, by) => format!("({} mod {by})", self.num(a)),
            Num::If(t, a, b) => format!("(if {} then {} else {})", self.test(t), self.num(a), self.num(b)),
        }
    }

    fn long(&self, d: &Long) -> String {
        match d {
            Long::Lit(n) if n % 10 == 0 => format!("{}s", n / 10),
            Long::Lit(n) => format!("{n}00ms"),
            Long::Var => "d".into(),
            Long::Sum(a, b) => format!("({} + {})", self.long(a), self.long(b)),
            Long::Less(a, b) => format!("({} - {})", self.long(a), self.long(b)),
            Long::Much(a, n) => format!("({} * {})", self.long(&Long::Lit(*a)), self.num(n)),
        }
    }

    fn spot(&self, p: &Spot) -> String {
        match p {
            Spot::Lit(x, y) => format!("({x}, {y})"),
            Spot::Var => "p".into(),
            Spot::Sum(a, b) => format!("({} + {})", self.spot(a), self.spot(b)),
            Spot::Off(p, way, false, n) => format!("({} + {} * {})", self.spot(p), WAYS[*way], self.num(n)),
            Spot::Off(p, way, true, n) => format!("({} + opposite({}) * {})", self.spot(p), WAYS[*way], self.num(n)),
        }
    }

    /// A number that is kept: between the bounds.
    fn kept(&self, n: &Num) -> String {
        format!("clamp({}, {}, {BOUND})", self.num(n), -BOUND)
    }

    fn text(&self, t: &Text) -> String {
        match t {
            Text::Lit(w) => format!("{w:?}"),
            Text::Var(v) => format!("s{v}"),
            Text::Local(n) => innermost(&self.texts, *n).map_or("\"a\"".into(), String::clone),
            Text::Joined(w, n) => format!("\"{w}{{{}}}\"", self.num(n)),
        }
    }

    fn test(&self, t: &Test) -> String {
        match t {
            Test::Less(a, b) => format!("({} < {})", self.num(a), self.num(b)),
            Test::Same(a, b) => format!("({} == {})", self.num(a), self.num(b)),
            Test::SameText(a, b) => format!("({} == {})", self.text(a), self.text(b)),
            Test::Shorter(a, b) => format!("({} < {})", self.long(a), self.long(b)),
            Test::SameSpot(a, b) => format!("({} == {})", self.spot(a), self.spot(b)),
            Test::InList(n, l) => format!("({} in l{l})", self.num(n)),
            Test::InSet(t, e) => format!("(e{e} has {})", self.text(t)),
            Test::InTally(t) => format!("({} in t)", self.text(t)),
            Test::SameList(a, b) => format!("(l{a} == l{b})"),
            Test::SameSet(a, b) => format!("(e{a} == e{b})"),
            Test::Not(t) => format!("(not {})", self.test(t)),
            Test::And(a, b) => format!("({} and {})", self.test(a), self.test(b)),
            Test::Or(a, b) => format!("({} or {})", self.test(a), self.test(b)),
        }
    }

    /// A block; `inside` gives the names that stand in it alone.
    fn block(&mut self, b: &Block, inside: impl FnOnce(&mut Self)) -> String {
        let mut names = self.clone();
        inside(&mut names);
        let lines: Vec<String> = b.iter().map(|s| names.statement(s)).collect();
        self.given = names.given;
        format!("{{ {} }}", lines.into_iter().filter(|l| !l.is_empty()).collect::<Vec<_>>().join("; "))
    }

    fn looped(&mut self, b: &Block, inside: impl FnOnce(&mut Self)) -> String {
        self.block(b, |names| {
            names.in_loop = true;
            inside(names);
        })
    }

    fn statement(&mut self, s: &Statement) -> String {
        use Statement as S;
        match s {
            S::Set(v, n) => format!("n{v} = {}", self.num(n)),
            S::Add(v, n) => format!("n{v} += {}", self.num(n)),
            S::SetText(v, t) => format!("s{v} = {}", self.text(t)),
            S::SetLong(d) => format!("d = {}", self.long(d)),
            S::MoreLong(d) => format!("d += {}", self.long(d)),
            S::SetSpot(p) => format!("p = {}", self.spot(p)),
            S::Let(n) => {
                let value = self.kept(n);
                let name = self.new_name();
                self.numbers.push(name.clone());
                format!("let {name} = {value}")
            }
            S::AddLocal(n, x) => match innermost(&self.numbers, *n) {
                Some(name) => format!("{name} = clamp({name} + {}, {}, {BOUND})", self.num(x), -BOUND),
                None => String::new(),
            },
            S::SetList(l, all) => {
                let all: Vec<String> = all.iter().map(|n| self.kept(n)).collect();
                format!("l{l} = [{}]", all.join(", "))
            }
            S::CopyList(l, m) => format!("l{l} = l{m}"),
            S::Push(l, n) => format!("if len(l{l}) < {LONGEST} {{ l{l}.push({}) }}", self.kept(n)),
            S::Put(l, i, n) => format!("l{l}[{}] = {}", self.num(i), self.kept(n)),
            S::ClearList(l) => format!("l{l}.clear()"),
            S::SetAdd(e, t) => format!("e{e}.add({})", self.text(t)),
            S::SetRemove(e, t) => format!("e{e}.remove({})", self.text(t)),
            S::CopySet(e, d) => format!("e{e} = e{d}"),
            S::TallyAdd(t) => format!("t.add({})", self.text(t)),
            S::TallyRemove(t) => format!("t.remove({})", self.text(t)),
            S::TallyPut(t, n) => format!("t[{}] = {}", self.text(t), self.kept(n)),
            S::TallyMore(t, n) => format!("t[{}] += {}", self.text(t), self.kept(n)),
            S::If(t, a, b) => {
                let test = self.test(t);
                format!("if {test} {} else {}", self.block(a, |_| {}), self.block(b, |_| {}))
            }
            S::Match(n, arms, other) => {
                let of = self.num(n);
                let arms: Vec<String> = arms.iter().map(|(n, b)| format!("{n} => {}", self.block(b, |_| {}))).collect();
                format!("match {of} {{ {}; else => {} }}", arms.join("; "), self.block(other, |_| {}))
            }
            S::MatchText(t, w, a, b) => {
                let of = self.text(t);
                format!("match {of} {{ {w:?} => {}; else => {} }}", self.block(a, |_| {}), self.block(b, |_| {}))
            }
            S::Repeat(n, b) => format!("repeat {n} {}", self.looped(b, |_| {})),
            S::Range(from, to, b) => {
                let name = self.new_name();
                format!("for {name} in {from}..{to} {}", self.looped(b, |names| names.numbers.push(name.clone())))
            }
            S::EachOf(l, b) => {
                let name = self.new_name();
                format!("for {name} in l{l} {}", self.looped(b, |names| names.numbers.push(name.clone())))
            }
            S::EachIn(e, b) => {
                let name = self.new_name();
                format!("for {name} in e{e} {}", self.looped(b, |names| names.texts.push(name.clone())))
            }
            S::While(t, b) => {
                let (test, turns) = (self.test(t), self.new_name());
                let body = self.looped(b, |_| {});
                let first = format!("{turns} += 1; if {turns} > {TURNS} {{ break }};");
                format!("let {turns} = 0; while {test} {}", body.replacen('{', &format!("{{ {first}"), 1))
            }
            S::Break if self.in_loop => "break".into(),
            S::Continue if self.in_loop => "continue".into(),
            S::Break | S::Continue => String::new(),
            S::Return => "return".into(),
            S::Log(n) => format!("log \"{{{}}}\"", self.num(n)),
            S::LogText(t) => format!("log \"says {{{}}}\"", self.text(t)),
        }
    }
}

/// What is watched, and under which words it is told.
pub const WATCHED: [(&str, &str); 9] = [
    ("n0 changes", "n0 {n0}"),
    ("n1 reaches 2", "n1 at 2"),
    ("n2 drops to 0", "n2 at 0"),
    ("l0 changes", "l0 {l0}"),
    ("len(e0) changes", "e0 {e0}"),
    ("t[\"a\"] > 1 turns true", "a twice"),
    ("s0 changes", "s0 {s0}"),
    ("d >= 2s turns true", "d {d / 100ms}"),
    ("p changes", "p {p}"),
];

const WAYS: [&str; 4] = ["north", "east", "south", "west"];

/// The whole level.
pub fn level(sums: &Sums) -> String {
    let mut out = String::from("level \"S\" { rate 10 }\n");
    (0..NUMBERS).for_each(|v| out += &format!("var n{v} = 0 within {} to {BOUND}\n", -BOUND));
    (0..TEXTS).for_each(|v| out += &format!("var s{v} = \"\"\n"));
    sums.lists.iter().enumerate().for_each(|(l, all)| out += &format!("var l{l}: list of number = {all:?}\n"));
    (0..SETS).for_each(|e| out += &format!("var e{e}: set of text = {{}}\n"));
    out += "var t: tally of text = {}\nvar d = 0s\nvar p = (0, 0)\n";
    out += "rule \"all\" { when tick; then { log \"{n0} {n1} {n2} {s0},{s1} {l0} {l1} {e0} {e1} {t} {d / 100ms} {p}\" } }\n";
    for (event, says) in WATCHED {
        out += &format!("rule \"{}\" {{ when {event}; then {{ log \"{says}\" }} }}\n", event.replace('"', ""));
    }
    for (i, (tick, block)) in sums.steps.iter().enumerate() {
        let text = Names::default().block(block, |_| {});
        out += &format!("rule \"step {i}\" {{ when after {tick} ticks; then {text} }}\n");
    }
    out
}
