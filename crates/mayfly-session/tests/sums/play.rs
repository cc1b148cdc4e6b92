//! What comes of made-up actions, by the words of the contract alone.
//!
//! Invariant: nothing of the engine is used.

use super::form::*;
use super::text::innermost;
use std::collections::{BTreeMap, BTreeSet};

/// An action that cannot be done: it ends its run, and what was done before it stays.
struct Fault;

type Or<T> = Result<T, Fault>;

/// How a block ended.
#[derive(Clone, Copy, PartialEq)]
enum Flow {
    On,
    Break,
    Continue,
    Return,
}

#[derive(Clone, Default)]
struct Held {
    numbers: [i64; NUMBERS],
    texts: [String; TEXTS],
    lists: [Vec<i64>; LISTS],
    sets: [BTreeSet<String>; SETS],
    tally: BTreeMap<String, i64>,
    /// In tenths of a second.
    long: i64,
    spot: (i64, i64),
}

#[derive(Default)]
struct Locals {
    numbers: Vec<i64>,
    texts: Vec<String>,
}

#[derive(Default)]
pub struct Play {
    tick: u64,
    held: Held,
    locals: Locals,
    loops: u32,
    pub told: Vec<String>,
}

fn kept(n: i64) -> i64 {
    n.clamp(-BOUND, BOUND)
}

fn shown<T: ToString>(all: impl IntoIterator<Item = T>, (open, close): (char, char)) -> String {
    let all: Vec<String> = all.into_iter().map(|x| x.to_string()).collect();
    format!("{open}{}{close}", all.join(", "))
}

impl Held {
    fn count(&self, of: &str) -> i64 {
        self.tally.get(of).copied().unwrap_or(0)
    }

    /// Of what there is none, nothing is kept.
    fn put(&mut self, of: String, n: i64) {
        if n == 0 {
            self.tally.remove(&of);
        } else {
            self.tally.insert(of, n);
        }
    }

    fn list(&self, l: usize) -> String {
        shown(&self.lists[l], ('[', ']'))
    }

    fn set(&self, e: usize) -> String {
        shown(&self.sets[e], ('{', '}'))
    }

    fn all(&self) -> String {
        let [a, b, c] = self.numbers;
        let tally = shown(self.tally.iter().map(|(t, n)| format!("{t} {n}")), ('{', '}'));
        let (texts, lists) = (self.texts.join(","), format!("{} {}", self.list(0), self.list(1)));
        format!("{a} {b} {c} {texts} {lists} {} {} {tally} {} {:?}", self.set(0), self.set(1), self.long, self.spot)
    }

    /// What the watches tell that were of another state before, in their order.
    fn changes(&self, before: &Self) -> Vec<String> {
        let (new, old) = (self, before);
        let twice = |h: &Self| h.count("a") > 1;
        let told = [
            (new.numbers[0] != old.numbers[0]).then(|| format!("n0 {}", new.numbers[0])),
            (old.numbers[1] < 2 && new.numbers[1] >= 2).then(|| "n1 at 2".into()),
            (old.numbers[2] > 0 && new.numbers[2] <= 0).then(|| "n2 at 0".into()),
            (new.lists[0] != old.lists[0]).then(|| format!("l0 {}", new.list(0))),
            (new.sets[0].len() != old.sets[0].len()).then(|| format!("e0 {}", new.set(0))),
            (twice(new) && !twice(old)).then(|| "a twice".into()),
            (new.texts[0] != old.texts[0]).then(|| format!("s0 {}", new.texts[0])),
            (new.long >= 20 && old.long < 20).then(|| format!("d {}", new.long)),
            (new.spot != old.spot).then(|| format!("p {:?}", new.spot)),
        ];
        told.into_iter().flatten().collect()
    }
}

impl Play {
    pub fn of(sums: &Sums) -> Self {
        Self { held: Held { lists: sums.lists.clone(), ..Held::default() }, ..Self::default() }
    }

    fn tell(&mut self, text: String) {
        self.told.push(format!("{} {text}", self.tick));
    }

    pub fn step(&mut self, sums: &Sums) {
        self.tell(self.held.all());
        let (before, tick) = (self.held.clone(), self.tick);
        for (_, block) in sums.steps.iter().filter(|(t, _)| *t == tick) {
            self.locals = Locals::default();
            if self.run(block).is_err() {
                self.tell("fault".into());
            }
        }
        self.held.changes(&before).into_iter().for_each(|t| self.tell(t));
        self.tick += 1;
    }

    fn num(&self, n: &Num) -> Or<i64> {
        Ok(match n {
            Num::Lit(n) => *n,
            Num::Var(v) => self.held.numbers[*v],
            Num::Local(n) => innermost(&self.locals.numbers, *n).copied().unwrap_or(1),
            Num::LenText(t) => self.text(t)?.chars().count() as i64,
            Num::LenList(l) => self.held.lists[*l].len() as i64,
            Num::LenSet(e) => self.held.sets[*e].len() as i64,
            Num::LenTally => self.held.tally.len() as i64,
            Num::At(l, i) => {
                let at = usize::try_from(self.num(i)?).map_err(|_| Fault)?;
                self.held.lists[*l].get(at).copied().ok_or(Fault)?
            }
            Num::Count(t) => self.held.count(&self.text(t)?),
            Num::Two(calc, a, b) => {
                let (a, b) = (self.num(a)?, self.num(b)?);
                match calc {
                    Calc::Add => a + b,
                    Calc::Sub => a - b,
                    Calc::Max => a.max(b),
                    Calc::Quotient if b == 0 => return Err(Fault),
                    Calc::Quotient => (a * b.signum()).div_euclid(b.abs()),
                }
            }
            Num::Tenths(d) => self.long(d)?,
            Num::Times(a, b) => match (self.long(a)?, self.long(b)?) {
                (_, 0) => return Err(Fault),
                (a, b) => (a * b.signum()).div_euclid(b.abs()),
            },
            Num::X(p) => self.spot(p)?.0,
            Num::Y(p) => self.spot(p)?.1,
            Num::Mod(a, by) => self.num(a)?.rem_euclid(*by),
            Num::If(t, a, b) => self.num(if self.test(t)? { a } else { b })?,
        })
    }

    fn long(&self, d: &Long) -> Or<i64> {
        Ok(match d {
            Long::Lit(n) => *n,
            Long::Var => self.held.long,
            Long::Sum(a, b) => self.long(a)? + self.long(b)?,
            Long::Less(a, b) => self.long(a)? - self.long(b)?,
            Long::Much(a, n) => a * self.num(n)?,
        })
    }

    fn spot(&self, p: &Spot) -> Or<(i64, i64)> {
        Ok(match p {
            Spot::Lit(x, y) => (*x, *y),
            Spot::Var => self.held.spot,
            Spot::Sum(a, b) => {
                let (a, b) = (self.spot(a)?, self.spot(b)?);
                (a.0 + b.0, a.1 + b.1)
            }
            Spot::Off(p, way, back, n) => {
                let ((x, y), n) = (self.spot(p)?, self.num(n)? * if *back { -1 } else { 1 });
                let (dx, dy) = [(0, -1), (1, 0), (0, 1), (-1, 0)][*way];
                (x + dx * n, y + dy * n)
            }
        })
    }

    fn text(&self, t: &Text) -> Or<String> {
        Ok(match t {
            Text::Lit(w) => w.to_string(),
            Text::Var(v) => self.held.texts[*v].clone(),
            Text::Local(n) => innermost(&self.locals.texts, *n).map_or("a".into(), String::clone),
            Text::Joined(w, n) => format!("{w}{}", self.num(n)?),
        })
    }

    fn test(&self, t: &Test) -> Or<bool> {
        Ok(match t {
            Test::Less(a, b) => self.num(a)? < self.num(b)?,
            Test::Same(a, b) => self.num(a)? == self.num(b)?,
            Test::SameText(a, b) => self.text(a)? == self.text(b)?,
            Test::Shorter(a, b) => self.long(a)? < self.long(b)?,
            Test::SameSpot(a, b) => self.spot(a)? == self.spot(b)?,
            Test::InList(n, l) => self.held.lists[*l].contains(&self.num(n)?),
            Test::InSet(t, e) => self.held.sets[*e].contains(&self.text(t)?),
            Test::InTally(t) => self.held.count(&self.text(t)?) > 0,
            Test::SameList(a, b) => self.held.lists[*a] == self.held.lists[*b],
            Test::SameSet(a, b) => self.held.sets[*a] == self.held.sets[*b],
            Test::Not(t) => !self.test(t)?,
            Test::And(a, b) => self.test(a)? && self.test(b)?,
            Test::Or(a, b) => self.test(a)? || self.test(b)?,
        })
    }

    /// A block has its own locals.
    fn run(&mut self, b: &Block) -> Or<Flow> {
        let (numbers, texts) = (self.locals.numbers.len(), self.locals.texts.len());
        let mut flow = Ok(Flow::On);
        for s in b {
            flow = self.statement(s);
            if !matches!(flow, Ok(Flow::On)) {
                break;
            }
        }
        self.locals.numbers.truncate(numbers);
        self.locals.texts.truncate(texts);
        flow
    }

    /// One turn of a loop, with a local of its own; how the loop goes on.
    fn turn(&mut self, b: &Block, number: Option<i64>, text: Option<String>) -> Or<Flow> {
        let (numbers, texts) = (self.locals.numbers.len(), self.locals.texts.len());
        self.locals.numbers.extend(number);
        self.locals.texts.extend(text);
        self.loops += 1;
        let flow = self.run(b);
        self.loops -= 1;
        self.locals.numbers.truncate(numbers);
        self.locals.texts.truncate(texts);
        flow
    }

    fn turns(&mut self, b: &Block, all: impl Iterator<Item = (Option<i64>, Option<String>)>) -> Or<Flow> {
        for (number, text) in all {
            match self.turn(b, number, text)? {
                Flow::On | Flow::Continue => {}
                Flow::Break => break,
                Flow::Return => return Ok(Flow::Return),
            }
        }
        Ok(Flow::On)
    }

    fn statement(&mut self, s: &Statement) -> Or<Flow> {
        use Statement as S;
        match s {
            S::Set(v, n) => self.held.numbers[*v] = kept(self.num(n)?),
            S::Add(v, n) => self.held.numbers[*v] = kept(self.held.numbers[*v] + self.num(n)?),
            S::SetText(v, t) => self.held.texts[*v] = self.text(t)?,
            S::SetLong(d) => self.held.long = self.long(d)?,
            S::MoreLong(d) => self.held.long += self.long(d)?,
            S::SetSpot(p) => self.held.spot = self.spot(p)?,
            S::Let(n) => {
                let n = kept(self.num(n)?);
                self.locals.numbers.push(n);
            }
            S::AddLocal(n, x) => {
                let (count, x) = (self.locals.numbers.len(), self.num(x));
                if count > 0 {
                    let local = &mut self.locals.numbers[count - 1 - n % count];
                    *local = kept(*local + x?);
                }
            }
            S::SetList(l, all) => {
                let all: Or<Vec<i64>> = all.iter().map(|n| self.num(n).map(kept)).collect();
                self.held.lists[*l] = all?;
            }
            S::CopyList(l, m) => self.held.lists[*l] = self.held.lists[*m].clone(),
            S::Push(l, _) if self.held.lists[*l].len() >= LONGEST => {}
            S::Push(l, n) => {
                let n = kept(self.num(n)?);
                self.held.lists[*l].push(n);
            }
            S::Put(l, i, n) => {
                let (at, n) = (usize::try_from(self.num(i)?).map_err(|_| Fault)?, kept(self.num(n)?));
                *self.held.lists[*l].get_mut(at).ok_or(Fault)? = n;
            }
            S::ClearList(l) => self.held.lists[*l].clear(),
            S::SetAdd(e, t) => drop(self.held.sets[*e].insert(self.text(t)?)),
            S::SetRemove(e, t) => drop(self.held.sets[*e].remove(&self.text(t)?)),
            S::CopySet(e, d) => self.held.sets[*e] = self.held.sets[*d].clone(),
            S::TallyAdd(t) => {
                let t = self.text(t)?;
                let n = self.held.count(&t);
                self.held.put(t, n + 1);
            }
            // Where there is none, none is taken.
            S::TallyRemove(t) => {
                let t = self.text(t)?;
                let n = self.held.count(&t);
                if n > 0 {
                    self.held.put(t, n - 1);
                }
            }
            S::TallyPut(t, n) => {
                let (t, n) = (self.text(t)?, kept(self.num(n)?));
                self.held.put(t, n);
            }
            S::TallyMore(t, n) => {
                let (t, n) = (self.text(t)?, kept(self.num(n)?));
                let was = self.held.count(&t);
                self.held.put(t, was + n);
            }
            S::If(t, a, b) => {
                let block = if self.test(t)? { a } else { b };
                return self.run(block);
            }
            S::Match(n, arms, other) => {
                let n = self.num(n)?;
                let arm = arms.iter().find(|(of, _)| *of == n).map_or(other, |(_, b)| b);
                return self.run(arm);
            }
            S::MatchText(t, w, a, b) => {
                let arm = if self.text(t)? == *w { a } else { b };
                return self.run(arm);
            }
            S::Repeat(n, b) => return self.turns(b, (0..*n).map(|_| (None, None))),
            S::Range(from, to, b) => return self.turns(b, (*from..=*to).map(|i| (Some(i), None))),
            S::EachOf(l, b) => {
                let all = self.held.lists[*l].clone();
                return self.turns(b, all.into_iter().map(|i| (Some(i), None)));
            }
            S::EachIn(e, b) => {
                let all = self.held.sets[*e].clone();
                return self.turns(b, all.into_iter().map(|t| (None, Some(t))));
            }
            S::While(t, b) => {
                let mut turns = 0;
                while self.test(t)? && turns < TURNS {
                    turns += 1;
                    match self.turn(b, None, None)? {
                        Flow::On | Flow::Continue => {}
                        Flow::Break => break,
                        Flow::Return => return Ok(Flow::Return),
                    }
                }
            }
            S::Break if self.loops > 0 => return Ok(Flow::Break),
            S::Continue if self.loops > 0 => return Ok(Flow::Continue),
            S::Break | S::Continue => {}
            S::Return => return Ok(Flow::Return),
            S::Log(n) => {
                let n = self.num(n)?;
                self.tell(n.to_string());
            }
            S::LogText(t) => {
                let t = self.text(t)?;
                self.tell(format!("says {t}"));
            }
        }
        Ok(Flow::On)
    }
}
