//! The whole level read again after a change of what is declared, without those rules that mean what they meant.
//!
//! All that is declared is read. A rule is taken as it was where its text is the same and names nothing that may mean
//! something else now: no word by which others know the changed piece, before or after, and no word by which they know what
//! names such a word in its turn.
//!
//! What it speaks of may have another number than before ([`Numbers`]).
//!
//! Not here: a change that means nothing for others ([`super::again`]); which words are changed ([`super::changed_words`]); what
//! is kept ([`super::kept`]).
//!
//! Invariant: what comes out is what reading all rules gives. Where it is not sure what a change means for others, nothing is
//! taken over; a property test holds what comes out against a level that is read for the first time.

use super::changed_words::{NUMBERED, changed_words, known_through};
use super::kept::{Kept, Pools, Unit};
use super::todo::Todo;
use super::used::words_in_text;
use super::{Before, Checker, Found};
use crate::level::{Level, Rule, Watch};
use crate::moved::{Change, Moves, Numbers, Renumbered, Shift};
use crate::placed::Stretches;
use crate::syntax::{Kind as K, Node};
use mayfly_base::{KindId, RuleId, Span, WatchId};
use rustc_hash::{FxHashMap, FxHashSet};

/// The rules as they were, and which of them are read all the same.
pub(super) struct Unchanged<'a> {
    found: &'a Found,
    kept: &'a Kept,
    shift: Shift,
    numbers: Numbers,
    /// For each rule or part of a machine, which one it was.
    was: Vec<Option<usize>>,
    /// For each as it was, whether it is read all the same.
    again: Vec<bool>,
    /// Those that were taken as they were.
    taken: Vec<usize>,
}

impl<'a> Unchanged<'a> {
    /// What can be kept of the rules, once all that is declared was read, and the titles of all rules; none where that is not sure.
    pub fn of(c: &Checker, before: &'a Before, root: &Node, todo: &[Todo]) -> Option<Self> {
        let (found, edited) = (before.found, &before.edited);
        let kept = found.kept.as_ref()?;
        if !c.project.diagnostics.is_empty() || c.project.has("private") {
            return None;
        }
        let (old, new) = (&*found.draft, &c.level);
        let mut numbers = Numbers::of(old, new);
        if !(numbers.known_ones_hold() || kept.gaps.are_none() && c.gaps.are_none()) || sees(old) != sees(new) {
            return None;
        }
        let lost = c.gaps.more_than(&kept.gaps, &c.level)?;
        let shift = edited.shift(before.file);
        let places = Places::of(kept, &shift)?;
        let spans: Vec<Span> = todo.iter().map(|t| c.span(t.node())).collect();
        let was: Vec<Option<usize>> = spans.iter().map(|at| places.unit_of(*at)).collect();
        was.iter().enumerate().filter_map(|(i, was)| was.map(|was| (was, i))).for_each(|(was, i)| {
            numbers.rules.set(was, Some(i));
        });
        let mut again: Vec<bool> = kept.units.iter().map(|u| !u.told.is_empty()).collect();
        // The change itself.
        let changed = Span::new(before.file, edited.old.start, edited.old.end);
        let touches = |u: &Unit| u.at.file == changed.file && u.at.start <= changed.end && changed.start <= u.at.end;
        kept.units.iter().zip(&mut again).for_each(|(u, again)| *again |= touches(u));
        let holds = |u: &Unit| u.at.file == changed.file && u.at.start < changed.start && changed.end < u.at.end;
        let unit = kept.units.iter().position(holds).filter(|i| {
            let now = was.iter().position(|w| *w == Some(*i));
            let kind = before.tree.node_at(kept.units[*i].at.range()).map(|n| n.kind());
            edited.in_one && now.is_some_and(|now| Some(todo[now].node().kind()) == kind)
        });
        let mut words = match unit {
            Some(_) => vec![],
            None => changed_words(c, before, root)?,
        };
        words.extend(other_titles(&old.rules[..kept.units.len()], &new.rules));
        // What a rule of a kind draws is called by the kind.
        let is_other = |k: KindId| {
            let now = numbers.kind(k.index());
            now.is_none_or(|now| new.kinds[now].name != old.kinds[k.index()].name)
        };
        kept.units.iter().zip(&mut again).for_each(|(u, again)| *again |= u.owner.is_some_and(is_other));
        // What names a word that may mean something else may mean something else itself.
        words.extend(lost);
        // Who hears what a variable holds hears all messages that take the same values.
        let types = |l: &Level| {
            l.messages.iter().map(|m| m.params.iter().map(|(_, t)| t.clone()).collect()).collect::<Vec<Vec<_>>>()
        };
        if types(new) != types(old) {
            words.push("hears".into());
        }
        // How long a tick lasts is told where a duration is written in ticks; each period knows its own.
        if numbers.rate().is_some() {
            words.extend(["tick".into(), "ticks".into()]);
        }
        let mut all: FxHashSet<String> = words.iter().cloned().collect();
        while !words.is_empty() {
            let mut further = vec![];
            for at in mentions(c, &words) {
                match places.unit_at(at) {
                    Some(i) => again[i] = true,
                    None => further.extend(known_through(c, root, at)?),
                }
            }
            words = further.into_iter().filter(|w| all.insert(w.clone())).collect();
        }
        Some(Self { found, kept, shift, numbers, was, again, taken: vec![] })
    }

    fn change(&self) -> Change<'_> {
        Change { shift: self.shift, numbers: Some(&self.numbers) }
    }

    /// The rule of that number as it was, put where it lies now; none where it has to be read.
    pub fn take(&mut self, c: &mut Checker, id: RuleId, t: &Todo) -> Option<Unit> {
        let i = self.was[id.index()].filter(|i| !self.again[*i])?;
        let (found, kept) = (self.found, self.kept);
        let (old, level) = (&kept.units[i], &found.draft);
        let (n, owner, part) = match t {
            Todo::Rule(n, owner) | Todo::Grouped(n, owner, _) => (n, *owner, None),
            Todo::Part(p) => (&p.node, p.owner, Some((p.title.clone(), p.part))),
        };
        let (at, from) = (c.span(n), c.pools());
        let (was, now) = (&level.rules[i], &c.level.rules[id.index()]);
        if was.title != now.title || was.group.is_some() != now.group.is_some() {
            return None;
        }
        let mut watches = level.watches[old.from.watches..old.to.watches].to_vec();
        let mut ranges = level.ranges[old.from.ranges..old.to.ranges].to_vec();
        let mut waits = level.rules[old.from.rules..old.to.rules].to_vec();
        let mut forms = level.draw_forms[old.from.draws..old.to.draws].to_vec();
        let mut rule = was.clone();
        let (mut old_owner, mut old_part) = (old.owner, old.part.clone());
        self.number_added(old, Some(from));
        let change = self.change();
        rule.moves(&change);
        watches.moves(&change);
        ranges.moves(&change);
        waits.moves(&change);
        forms.moves(&change);
        old_owner.moves(&change);
        old_part.moves(&change);
        let is_new = |w: &Watch| !c.watch_keys.contains_key(&(w.text.clone(), w.over));
        let is_same = !self.numbers.lost() && old_owner == owner && old_part == part;
        if !is_same || !watches.iter().all(is_new) || ranges.iter().any(|r| c.level.ranges.contains(r)) {
            self.number_added(old, None);
            return None;
        }
        (rule.span, rule.doc, rule.group) = (now.span, now.doc.clone(), now.group);
        for (k, w) in (from.watches..).zip(&watches) {
            c.watch_keys.insert((w.text.clone(), w.over), WatchId::at(k));
        }
        c.level.rules[id.index()] = rule;
        c.level.rules.extend(waits);
        c.level.watches.extend(watches);
        c.level.ranges.extend(ranges);
        let draws = old.from.draws..old.to.draws;
        c.level.draws.extend_from_slice(&level.draws[draws.clone()]);
        c.level.shared_draws.extend_from_slice(&level.shared_draws[draws]);
        c.level.draw_forms.extend(forms);
        self.taken.push(i);
        let told = c.diagnostics.len();
        Some(Unit { at, owner, part, told: told..told, from, to: c.pools() })
    }

    /// Tells where in the tables that lies which a rule adds; none where it is not known.
    fn number_added(&mut self, old: &Unit, new: Option<Pools>) {
        let set = |table: &mut Renumbered, from: usize, to: usize, new: Option<usize>| {
            (from..to).for_each(|i| table.set(i, new.map(|n| n + i - from)));
        };
        let (n, from, to) = (&mut self.numbers, old.from, old.to);
        set(&mut n.watches, from.watches, to.watches, new.map(|p| p.watches));
        set(&mut n.ranges, from.ranges, to.ranges, new.map(|p| p.ranges));
        set(&mut n.rules, from.rules, to.rules, new.map(|p| p.rules));
        set(&mut n.draws, from.draws, to.draws, new.map(|p| p.draws));
    }

    /// Takes note of what a rule added that was read: others speak of it by its number.
    pub fn note(&mut self, c: &Checker, id: RuleId, new: &Unit) {
        if !self.numbers.known_ones_hold() {
            return;
        }
        for (w, now) in c.level.watches[new.from.watches..new.to.watches].iter().zip(new.from.watches..) {
            if let Some(was) = self.kept.watch_keys.get(&(w.text.clone(), w.over)) {
                self.numbers.watches.set(was.index(), Some(now));
            }
        }
        // Those that the same rule added before.
        let Some(old) = self.was[id.index()].map(|i| &self.kept.units[i]) else { return };
        for was in old.from.ranges..old.to.ranges {
            let mut range = self.found.draft.ranges[was].clone();
            range.moves(&self.change());
            let is_known = !self.numbers.lost();
            let mut added = new.from.ranges..new.to.ranges;
            let now = added.find(|now| is_known && c.level.ranges[*now] == range);
            self.numbers.ranges.set(was, now);
        }
    }

    /// What was found out in the rules that were taken as they were.
    pub fn take_known(&self, c: &mut Checker) {
        let mut taken = Stretches::of(self.taken.iter().map(|i| self.kept.units[*i].at).collect());
        if let Some(types) = &mut c.types {
            types.take(&self.found.types, &self.change(), |at| taken.hold(at));
        }
        c.used.take(&self.kept.used, &self.change(), &mut |at| taken.hold(at));
        c.titles_named.extend(self.kept.titles_named.iter().cloned());
    }
}

/// Which kinds see anything: only of those it can be asked.
fn sees(l: &Level) -> Vec<(&str, bool)> {
    l.kinds.iter().filter(|k| !k.sights.is_empty()).map(|k| (k.name.as_str(), k.of_zones)).collect()
}

/// The titles that rules had before, or have now, and not both.
fn other_titles(before: &[Rule], now: &[Rule]) -> Vec<String> {
    if before.iter().map(|r| &r.title).eq(now.iter().map(|r| &r.title)) {
        return vec![];
    }
    let mut count: FxHashMap<&str, i64> = FxHashMap::default();
    before.iter().for_each(|r| *count.entry(&r.title).or_default() += 1);
    now.iter().for_each(|r| *count.entry(&r.title).or_default() -= 1);
    count.into_iter().filter(|(_, n)| *n != 0).map(|(title, _)| title.to_string()).collect()
}

/// Where words stand in the files, inside texts too.
fn mentions(c: &Checker, words: &[String]) -> Vec<Span> {
    let all: FxHashSet<&str> = words.iter().map(String::as_str).collect();
    let numbered: FxHashSet<&str> = words.iter().filter_map(|w| w.strip_prefix(NUMBERED)).collect();
    // Mostly one word is looked for: to compare it is quicker than to hash each token.
    let is_one = |token: &str| match words {
        [] => false,
        [a] => a == token,
        [a, b] => a == token || b == token,
        _ => all.contains(token),
    };
    let may_be_one = |token: &str| is_one(token) || numbered.contains(token);
    let mut out = vec![];
    for (file, (source, parse)) in c.project.sources.iter().zip(&c.project.parses).enumerate() {
        for t in &parse.tokens {
            let token = &source.text[t.start..t.end];
            let names = match t.kind {
                K::IDENT => is_one(token),
                K::ACTOR_REF => may_be_one(token.split('#').next().unwrap_or_default()),
                K::TEXT | K::RAW_TEXT => is_one(token.trim_matches('"')) || words_in_text(token).any(may_be_one),
                _ => false,
            };
            if names {
                out.push(Span::new(file as u16, t.start, t.end));
            }
        }
    }
    out
}

/// Where the rules and parts of machines lie in the new text.
struct Places {
    /// With their numbers, in order of place.
    units: Vec<(Span, usize)>,
}

impl Places {
    fn of(kept: &Kept, shift: &Shift) -> Option<Self> {
        let mut units: Vec<(Span, usize)> = kept.units.iter().zip(0..).map(|(u, i)| (shift.of(u.at), i)).collect();
        units.sort_unstable_by_key(|(s, _)| (s.file, s.start));
        let apart = |w: &[(Span, usize)]| w[0].0.file != w[1].0.file || w[0].0.end <= w[1].0.start;
        units.windows(2).all(apart).then_some(Self { units })
    }

    /// The one that lies exactly there.
    fn unit_of(&self, at: Span) -> Option<usize> {
        let i = self.units.partition_point(|(s, _)| (s.file, s.start) < (at.file, at.start));
        self.units.get(i).filter(|(s, _)| *s == at).map(|(_, unit)| *unit)
    }

    /// The one that holds a stretch.
    fn unit_at(&self, at: Span) -> Option<usize> {
        let i = self.units.partition_point(|(s, _)| (s.file, s.start) <= (at.file, at.start)).checked_sub(1)?;
        let (s, unit) = self.units[i];
        (s.file == at.file && at.end <= s.end).then_some(unit)
    }
}
