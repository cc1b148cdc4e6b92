//! The whole level read again after a change of what is declared, without those rules that mean what they meant.
//!
//! All that is declared is read. A rule is taken as it was where its text is the same and names nothing that may mean
//! something else now: no word by which others know the changed piece, before or after, and no word by which they know what
//! names such a word in its turn.
//!
//! Not here: a change that means nothing for others ([`super::again`]); what is kept ([`super::kept`]).
//!
//! Invariant: what comes out is what reading all rules gives. Where it is not sure what a change means for others, nothing is
//! taken over; a property test holds what comes out against a level that is read for the first time.

use super::again::{grown, item_of};
use super::again_declaration::names_in;
use super::findings::words_in_text;
use super::kept::{Kept, Unit};
use super::rules::Todo;
use super::{Before, Checker, Found};
use crate::level::{Kind, Level, Rule, Watch};
use crate::moved::{Moves, Shift};
use crate::syntax::{Kind as K, Node, NodeExt, Token, node_at};
use mayfly_base::{KindId, RuleId, Span, WatchId};
use rustc_hash::FxHashSet;
use std::ops::Range;

/// The rules as they were, and which of them are read all the same.
pub(super) struct Unchanged<'a> {
    found: &'a Found,
    kept: &'a Kept,
    shift: Shift,
    /// For each rule or part of a machine.
    again: Vec<bool>,
}

impl<'a> Unchanged<'a> {
    /// What can be kept of the rules, once all that is declared was read, and the titles of all rules; none where that is not sure.
    pub fn of(c: &Checker, before: &'a Before, root: &Node) -> Option<Self> {
        let (found, edited) = (before.found, &before.edited);
        let kept = found.kept.as_ref()?;
        let is_plain = c.project.diagnostics.is_empty() && !c.project.has("private");
        let are_so_many = c.level.rules.len() == kept.units.len() && sizes(&c.level) == sizes(&found.draft);
        if !is_plain || !are_so_many {
            return None;
        }
        let lost = kept.less_is_known(c)?;
        let shift = edited.shift(before.file);
        let places = Places::of(kept, &shift)?;
        let mut again: Vec<bool> = kept.units.iter().map(|u| !u.told.is_empty()).collect();
        // The change itself.
        let changed = Span::new(before.file, edited.old.start, edited.old.end);
        let holds = |u: &Unit| u.at.file == changed.file && u.at.start < changed.start && changed.end < u.at.end;
        let mut words = match kept.units.iter().position(holds) {
            Some(i) => {
                again[i] = true;
                other_titles(&found.draft.rules, &c.level.rules)
            }
            None => changed_words(c, before, root)?,
        };
        // What a rule of a kind draws is called by the kind.
        let is_other = |k: KindId| c.level.kinds[k.index()].name != found.draft.kinds[k.index()].name;
        kept.units.iter().zip(&mut again).for_each(|(u, again)| *again |= u.owner.is_some_and(is_other));
        // What names a word that may mean something else may mean something else itself.
        words.extend(lost);
        // Who hears what a variable holds hears all messages that take the same values.
        let types = |l: &Level| {
            l.messages.iter().map(|m| m.params.iter().map(|(_, t)| t.clone()).collect()).collect::<Vec<Vec<_>>>()
        };
        if types(&c.level) != types(&found.draft) {
            words.push("hears".into());
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
        Some(Self { found, kept, shift, again })
    }

    /// The rule of that number as it was, put where it lies now; none where it has to be read.
    pub fn take(&self, c: &mut Checker, id: RuleId, t: &Todo) -> Option<Unit> {
        let i = id.index();
        let old = Some(&self.kept.units[i]).filter(|_| !self.again[i])?;
        let (n, owner, part) = match t {
            Todo::Rule(n, owner) | Todo::Grouped(n, owner, _) => (n, *owner, None),
            Todo::Part(p) => (&p.node, p.owner, Some((p.title.clone(), p.part))),
        };
        let (at, from) = (c.span(n), c.pools());
        if self.shift.of(old.at) != at || old.owner != owner || old.part != part || old.from != from {
            return None;
        }
        let level = &self.found.draft;
        let (was, now) = (&level.rules[i], &c.level.rules[i]);
        let watches = &level.watches[old.from.watches..old.to.watches];
        let is_new = |w: &Watch| !c.watch_keys.contains_key(&(w.text.clone(), w.over));
        if was.title != now.title || was.group != now.group || !watches.iter().all(is_new) {
            return None;
        }
        let mut rule = was.clone();
        rule.moves(&self.shift);
        (rule.span, rule.doc) = (now.span, now.doc.clone());
        let mut watches = watches.to_vec();
        watches.moves(&self.shift);
        let mut waits = level.rules[old.from.rules..old.to.rules].to_vec();
        waits.moves(&self.shift);
        for (k, w) in (old.from.watches..).zip(&watches) {
            c.watch_keys.insert((w.text.clone(), w.over), WatchId::at(k));
        }
        c.level.rules[i] = rule;
        c.level.rules.extend(waits);
        c.level.watches.extend(watches);
        c.level.ranges.extend_from_slice(&level.ranges[old.from.ranges..old.to.ranges]);
        let draws = old.from.draws..old.to.draws;
        c.level.draws.extend_from_slice(&level.draws[draws.clone()]);
        c.level.shared_draws.extend_from_slice(&level.shared_draws[draws.clone()]);
        c.level.draw_forms.extend_from_slice(&level.draw_forms[draws]);
        let told = c.diagnostics.len();
        Some(Unit { at, owner, part, told: told..told, from, to: c.pools() })
    }

    /// True where a rule that was read added what it had added before: others speak of it by its number.
    pub fn adds_the_same(&self, c: &Checker, id: RuleId, new: &Unit) -> bool {
        let (old, was, now) = (&self.kept.units[id.index()], &self.found.draft, &c.level);
        let named = |w: &Watch| (w.text.clone(), w.over);
        let watches =
            |l: &Level, u: &Unit| l.watches[u.from.watches..u.to.watches].iter().map(named).collect::<Vec<_>>();
        old.from == new.from
            && old.to == new.to
            && watches(was, old) == watches(now, new)
            && was.ranges[old.from.ranges..old.to.ranges] == now.ranges[new.from.ranges..new.to.ranges]
            && was.shared_draws[old.from.draws..old.to.draws] == now.shared_draws[new.from.draws..new.to.draws]
    }

    /// What was found out in the rules that were taken as they were: `taken` tells for each.
    pub fn take_known(&self, c: &mut Checker, taken: &[bool]) {
        let units = self.kept.units.iter().zip(taken);
        let mut at: Vec<Span> = units.filter(|(_, taken)| **taken).map(|(u, _)| u.at).collect();
        at.sort_by_key(|s| (s.file, s.start));
        let is_inside = |s: &Span| {
            let i = at.partition_point(|u| (u.file, u.start) <= (s.file, s.start));
            i.checked_sub(1).is_some_and(|i| at[i].file == s.file && s.end <= at[i].end)
        };
        if let Some(types) = &mut c.types {
            types.reserve(self.found.types.len());
            let inside = self.found.types.iter().filter(|(s, _)| is_inside(s));
            types.extend(inside.map(|(s, ty)| (self.shift.of(*s), ty.clone())));
        }
        c.used.add(self.kept.used.moved(&self.shift, &is_inside));
        c.titles_named.extend(self.kept.titles_named.iter().cloned());
        c.zones_named.extend(self.kept.zones_named.iter().copied());
    }
}

/// How much of everything there is: where it is the same, numbers mean the same.
fn sizes(l: &Level) -> Vec<usize> {
    let tables = [
        l.tiles.len(),
        l.areas.len(),
        l.enums.len(),
        l.tags.len(),
        l.consts.len(),
        l.vars.len(),
        l.defines.len(),
        l.messages.len(),
        l.inputs.len(),
        l.timers.len(),
        l.clocks.len(),
        l.paths.len(),
        l.records.len(),
        l.routines.len(),
        l.kinds.len(),
        l.actors.len(),
        l.zones.len(),
        l.tables.len(),
        l.machines.len(),
        l.states.len(),
    ];
    let of_kind = |k: &Kind| {
        let sees = usize::from(!k.sights.is_empty());
        [k.fields.len(), k.zones.len(), k.machines.len(), k.defines.len(), sees]
    };
    let values = l.enums.iter().map(|e| e.values.len());
    tables.into_iter().chain(values).chain(l.kinds.iter().flat_map(of_kind)).collect()
}

/// The words by which others know the piece that was changed, before and after; none where it means more than its words tell.
fn changed_words(c: &Checker, before: &Before, root: &Node) -> Option<Vec<String>> {
    let (edited, file) = (&before.edited, before.file);
    let start = c.project.parts.iter().find(|p| p.file == file)?.start;
    let whole = grown(Span::new(file, edited.declaration.start, edited.declaration.end), before).range();
    let (mut was, mut now) =
        (whole_in(&before.tree, &edited.declaration)?, whole_in(root, &(whole.start + start..whole.end + start))?);
    if was.kind() == K::KIND_DECL
        && let Some(item) = item_of(&was, &edited.old)
    {
        was = item;
        let range = grown(Span::new(file, was.bytes().start, was.bytes().end), before).range();
        now = node_at(root, range.start + start..range.end + start)?;
    }
    if was.kind() != now.kind() {
        return None;
    }
    if matches!(was.kind(), K::MACHINE_DECL | K::KIND_DECL | K::AREA_DECL) {
        let end = (edited.old.end as i64 + edited.by) as usize;
        let mut words = touched_names(&was, edited.old.clone())?;
        words.extend(touched_names(&now, edited.old.start + start..end + start)?);
        return Some(words);
    }
    let (was, now, kind) = (known_by(&was)?, known_by(&now)?, was.kind());
    if !matches!(kind, K::ENUM_DECL | K::TAG_DECL | K::TILES_DECL) {
        return Some([was, now].concat());
    }
    // Of many names those that are others.
    let both = was.iter().zip(&now).filter(|(a, b)| a != b).flat_map(|(a, b)| [a.clone(), b.clone()]);
    (was.len() == now.len()).then(|| both.collect())
}

/// The one declaration that begins in a stretch, what was left behind it apart.
fn whole_in(tree: &Node, at: &Range<usize>) -> Option<Node> {
    let mut all = tree.children().filter(|n| n.kind() != K::BROKEN && at.contains(&n.bytes().start));
    all.next().filter(|_| all.next().is_none())
}

/// The names of a kind, a machine, a state or an area that a change touches; none where it touches another word of it.
fn touched_names(n: &Node, change: Range<usize>) -> Option<Vec<String>> {
    let is_touched = |t: &Token| {
        let at = t.text_range();
        usize::from(at.start()) <= change.end && change.start <= usize::from(at.end()) && !t.kind().is_trivia()
    };
    let declares = |p: &Node| matches!(p.kind(), K::MACHINE_DECL | K::STATE_DECL | K::KIND_DECL | K::AREA_DECL);
    let is_name = |t: &Token| {
        let name = t.parent().filter(|p| p.kind() == K::NAME);
        name.and_then(|p| p.parent()).is_some_and(|p| declares(&p))
    };
    let tokens = n.descendants_with_tokens().filter_map(|e| e.into_token());
    tokens.filter(is_touched).map(|t| is_name(&t).then(|| t.text().to_string())).collect()
}

/// The titles that a rule had before, or has now, and not both.
fn other_titles(before: &[Rule], now: &[Rule]) -> Vec<String> {
    let both = before.iter().zip(now).filter(|(was, is)| was.title != is.title);
    both.flat_map(|(was, is)| [was.title.clone(), is.title.clone()]).collect()
}

/// The words by which others know a declaration, or an item of a kind; none where it means more than its words tell.
fn known_by(n: &Node) -> Option<Vec<String>> {
    let names = |n: &Node| n.all(K::NAME).iter().map(NodeExt::word).collect::<Vec<_>>();
    match n.kind() {
        K::VAR_DECL | K::CONST_DECL | K::DEFINE_DECL | K::ROUTINE_DECL | K::TABLE_DECL | K::MESSAGE_DECL => {
            Some(names(n))
        }
        K::INPUT_DECL | K::ZONE_DECL | K::PATH_DECL | K::TIMER_DECL | K::ENUM_DECL | K::TAG_DECL => Some(names(n)),
        // Who has no name of its own is called by its kind.
        K::PLACE_DECL if n.child(K::NAME).is_none() => Some(n.exprs().iter().flat_map(names_in).collect()),
        K::PLACE_DECL => Some(names(n)),
        K::RECORDS_DECL => {
            let columns = n.child(K::PARAMS).map(|p| p.all(K::PARAM)).unwrap_or_default();
            Some(columns.iter().chain([n]).flat_map(names).collect())
        }
        K::TILES_DECL => Some(names_in(n)),
        K::ATTRIBUTE | K::SIGHT_ITEM | K::TAGS_ITEM => Some(vec![]),
        _ => None,
    }
}

/// True where what a declaration is may hang on a word in it that is not its name: where it lies, whom it notices and what it
/// holds at first is no matter for others.
fn hangs_on_others(n: &Node) -> bool {
    !matches!(
        n.kind(),
        K::ZONE_DECL
            | K::PLACE_DECL
            | K::PATH_DECL
            | K::TIMER_DECL
            | K::TILES_DECL
            | K::ATTRIBUTE
            | K::SIGHT_ITEM
            | K::TAGS_ITEM
    )
}

/// Where words stand in the files, inside texts too.
fn mentions(c: &Checker, words: &[String]) -> Vec<Span> {
    let is_one = |token: &str| words.iter().any(|w| w == token);
    let mut out = vec![];
    for (file, (source, parse)) in c.project.sources.iter().zip(&c.project.parses).enumerate() {
        for t in &parse.tokens {
            let token = &source.text[t.start..t.end];
            let names = match t.kind {
                K::IDENT => is_one(token),
                K::ACTOR_REF => is_one(token.split('#').next().unwrap_or_default()),
                K::TEXT | K::RAW_TEXT => is_one(token.trim_matches('"')) || words_in_text(token).any(is_one),
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
        units.sort_by_key(|(s, _)| (s.file, s.start));
        let apart = |w: &[(Span, usize)]| w[0].0.file != w[1].0.file || w[0].0.end <= w[1].0.start;
        units.windows(2).all(apart).then_some(Self { units })
    }

    fn unit_at(&self, at: Span) -> Option<usize> {
        let i = self.units.partition_point(|(s, _)| (s.file, s.start) <= (at.file, at.start)).checked_sub(1)?;
        let (s, unit) = self.units[i];
        (s.file == at.file && at.end <= s.end).then_some(unit)
    }
}

/// The words by which others know what stands at a word, where what it means for them may hang on that word; none where it
/// means more than its words tell.
fn known_through(c: &Checker, root: &Node, at: Span) -> Option<Vec<String>> {
    let start = c.project.parts.iter().find(|p| p.file == at.file)?.start;
    let (start, end) = (at.start as usize + start, at.end as usize + start);
    let range = rowan::TextRange::new(rowan::TextSize::try_from(start).ok()?, rowan::TextSize::try_from(end).ok()?);
    let element = root.covering_element(range);
    let name = element.into_token().and_then(|t| t.parent())?;
    // The item of a kind, or the declaration.
    let is_item = |n: &Node| {
        let of = n.parent().filter(|p| p.kind() == K::BODY).and_then(|b| b.parent());
        of.is_some_and(|of| of.kind() == K::KIND_DECL)
    };
    let is_declaration = |n: &Node| n.parent().is_some_and(|p| p.kind() == K::ROOT);
    let n = name.ancestors().find(|n| is_item(n) || is_declaration(n))?;
    let of = name.parent();
    let is_declared = name.kind() == K::NAME
        && n.kind() != K::TAGS_ITEM
        && of.is_some_and(|of| of == n || of.kind() == K::PARAM || n.kind() == K::MACHINE_DECL);
    // What declares that word is what it was; which of several of one name counts, is told by who names it.
    if is_declared || known_by(&n).is_some() && !hangs_on_others(&n) {
        return Some(vec![]);
    }
    known_by(&n)
}
