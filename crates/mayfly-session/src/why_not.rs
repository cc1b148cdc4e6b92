//! Why a rule did not fire at the moment: what it awaits and how near that came, what would have held
//! it, and when it was last evaluated.
//!
//! Invariant: every fact is of the moment's world; a number with its unit, in the level's own words.

use crate::cascade::Mark;
use crate::explain::{self, ClauseSeen, source};
use crate::index::Index;
use crate::moment::Moment;
use crate::session::Session;
use crate::why::Why;
use crate::words::Words;
use mayfly_base::code::*;
use mayfly_base::*;
use mayfly_engine::space;
use mayfly_engine::world::World;

/// One fact, and whether it speaks for firing.
#[derive(Clone, Debug, PartialEq)]
pub struct Fact {
    pub text: String,
    pub good: Option<bool>,
}

/// Why a rule did not fire.
#[derive(Clone, Debug, Default)]
pub struct WhyNot {
    pub title: String,
    pub doc: String,
    /// Each `when` line, and how near it came.
    pub awaits: Vec<(String, Vec<Fact>)>,
    /// Switched off, used up, resting.
    pub limits: Vec<Fact>,
    /// The clauses as they would be evaluated now, for whom they were asked.
    pub clauses: Vec<ClauseSeen>,
    pub about: String,
    /// Its evaluation in the moment's tick, where there is one, the one that fired first; and how all of them are numbered.
    pub here: Option<Box<Why>>,
    pub here_as: Vec<String>,
    /// What came of it when it was last evaluated.
    pub outcome: String,
    /// When it was last evaluated, and last fired.
    pub last: Option<Moment>,
    pub last_fired: Option<u64>,
}

/// Whoever an event could be about, to ask its clauses: locals by slot.
type Candidate = Vec<(Slot, ActorId)>;

fn cells(d: f64) -> String {
    let d = (d * 10.0).round() / 10.0;
    format!("{} cell{}", number::show_number(d), if d == 1.0 { "" } else { "s" })
}

impl Session {
    /// Why this rule did not fire at the moment.
    pub fn why_not(&mut self, rule: RuleId) -> WhyNot {
        self.why_not_for(rule, None)
    }

    /// Why this rule did not fire for that `self`; for the first who has it where none is given.
    pub fn why_not_for(&mut self, rule: RuleId, of: Option<ActorId>) -> WhyNot {
        let Some(l) = self.level.rules.get(rule.index()).cloned() else {
            let title = self.engine.program.rule_name(rule);
            return WhyNot { title, ..WhyNot::default() };
        };
        let sources = self.sources.clone();
        let mut awaits = vec![];
        let mut candidate: Candidate = vec![];
        let me = of.or_else(|| {
            l.owner.and_then(|_| {
                let kinds = &self.engine.program.rules[rule.index()].kinds;
                self.now.world.ones().find(|(_, a)| kinds.contains(&a.kind)).map(|(id, _)| id)
            })
        });
        for (i, w) in l.whens.iter().enumerate() {
            let (mut facts, who) = self.how_near(rule, i, &w.event, self.counts_from(rule, me));
            if let Event::Watched { watch, form, .. } = &w.event {
                facts.extend(self.past_of(*watch, form));
            }
            awaits.push((source(&sources, w.span), facts));
            if candidate.is_empty() {
                candidate = who;
            }
        }
        let mut locals = vec![Value::None; self.engine.program.rules[rule.index()].slots];
        for (slot, a) in &candidate {
            locals[*slot as usize] = self.now.world.as_value(*a);
        }
        let clauses = explain::clauses(&self.engine, &self.now.world, &sources, rule, me, &locals, None);
        let own = |r: &&crate::cascade::Rung| r.rule == rule && of.is_none_or(|me| r.me == Some(me));
        let rungs: Vec<(u32, u32, Mark)> =
            self.now.cascade.rungs().filter(own).map(|r| (r.number, r.round, r.mark)).collect();
        let shown = rungs.iter().find(|(.., m)| *m == Mark::Fired).or(rungs.last()).map(|(n, ..)| *n);
        let here = shown.and_then(|n| self.why(n)).map(Box::new);
        let here_as = rungs.iter().map(|(n, round, _)| format!("{round}.{n}")).collect();
        let last = Index::last(self.index.evaluated.get(&rule), self.moment.tick);
        let outcome = last.map_or(String::new(), |tick| self.outcome_at(rule, of, tick));
        let words = Words::new(&self.engine.program, &self.now.world);
        let named: Vec<String> =
            candidate.iter().map(|(_, a)| words.actor(*a)).chain(me.map(|m| words.actor(m))).collect();
        let tick = self.moment.tick;
        WhyNot {
            title: self.engine.program.rule_name(rule),
            doc: l.doc,
            awaits,
            limits: self.limits(rule).into_iter().chain(self.unnoticed(rule, &candidate, me)).collect(),
            clauses,
            about: named.join(" and "),
            here,
            here_as,
            outcome,
            last: last.map(|t| Moment { tick: t, at: crate::moment::At::End }),
            last_fired: Index::last(self.index.fired.get(&rule), tick),
        }
    }

    /// What came of a rule in a tick in which it was evaluated: `held back, lamps_lit > 4 with 2 and 4`.
    fn outcome_at(&mut self, rule: RuleId, of: Option<ActorId>, tick: u64) -> String {
        let c = self.cascade_of(tick);
        let own = |r: &&crate::cascade::Rung| r.rule == rule && of.is_none_or(|me| r.me == Some(me));
        let Some(r) = c.rungs().filter(own).find(|r| r.mark == Mark::Fired).or(c.rungs().filter(own).last()) else {
            return String::new();
        };
        let failed = r.clauses.iter().find(|c| c.held == Some(false));
        match (r.mark, failed) {
            (Mark::Held, Some(c)) => format!("held back, {} with {}", c.text, c.shown()),
            (Mark::Fired | Mark::GoesOn, _) => r.mark.word().to_string(),
            _ if r.note.is_empty() => r.mark.word().to_string(),
            _ => format!("{}: {}", r.mark.word(), r.note),
        }
    }

    /// The tick from which a rule's `every` and `after` count: the entry of its state, its actor's creation, or
    /// the level's beginning.
    fn counts_from(&self, rule: RuleId, me: Option<ActorId>) -> u64 {
        let (w, p) = (&self.now.world, &self.engine.program);
        let state = match &p.rules[rule.index()].part {
            Some(Part::Transition { from: Some(s), .. } | Part::In(s)) => Some(*s),
            _ => None,
        };
        let stay = state.and_then(|s| {
            let machine = p.states[s.index()].machine;
            let of = w.machines.iter().find(|((m, of), now)| {
                *m == machine && now.since(s).is_some() && (me.is_none() || *of == me || of.is_none())
            });
            of.and_then(|(_, now)| now.since(s))
        });
        stay.or_else(|| me.and_then(|a| w.actors.get(a.index())).map(|a| a.created)).unwrap_or(w.base)
    }

    /// How near an event came, and who it could be about.
    fn how_near(&self, rule: RuleId, when: usize, event: &Event, since: u64) -> (Vec<Fact>, Candidate) {
        let (w, p) = (&self.now.world, &self.engine.program);
        let words = Words::new(p, w);
        let tick = self.moment.tick;
        let plain = |text: String| (vec![Fact { text, good: None }], vec![]);
        match event {
            Event::Start => plain("it happens in tick 0 alone".into()),
            Event::Tick => plain("it happens in every tick".into()),
            Event::Every { first, period } => {
                let (first, period) = (since + first.ticks, period.ticks);
                let next = if tick < first { first } else { tick + period - (tick - first) % period };
                plain(format!("next at tick {next}, in {}", crate::words::ticks(next - tick)))
            }
            Event::After(p) => {
                let t = since + p.ticks;
                plain(if t > tick {
                    format!("due at tick {t}, in {}", crate::words::ticks(t - tick))
                } else {
                    format!("it was due at tick {t}, once")
                })
            }
            Event::Zone { verb, who, zone } => self.zone_near(rule, *verb, who, zone),
            Event::Pair { verb: PairVerb::Sees | PairVerb::Loses | PairVerb::Seeing(_), a, b } => {
                self.sight_near(rule, a, b)
            }
            Event::Pair { verb, a, b } => {
                let reach = match verb {
                    PairVerb::Nears(r) | PairVerb::Near(r, _) => Some(p.ranges[r.0 as usize].within),
                    _ => None,
                };
                self.pair_near(rule, a, b, reach)
            }
            Event::Press(press) => {
                let mut facts = vec![];
                let name = &p.inputs[press.input.index()];
                let last = self.history.inputs().range(..=tick).rev().find(|(_, list)| {
                    list.iter().any(|i| matches!(i, mayfly_engine::Input::Tap(_, x) | mayfly_engine::Input::Down(_, x) if *x == press.input))
                });
                facts.push(Fact {
                    text: last.map_or(format!("{name} was not pressed yet"), |(t, _)| {
                        format!("{name} was last pressed at tick {t}")
                    }),
                    good: None,
                });
                let mut who = vec![];
                if let Some((near, within)) = &press.near {
                    let reach = within.as_ref().and_then(|e| crate::values::of(&self.engine, w, e, None, &[]).ok());
                    let reach = if let Some(Value::Number(n)) = reach { Some(n) } else { None };
                    let (more, c) = self.pair_near(rule, &press.who, near, reach);
                    facts.extend(more);
                    who = c;
                }
                (facts, who)
            }
            Event::Watched { watch, form, bind } => {
                let x = &p.watches[watch.index()];
                let states = &w.watched[watch.index()];
                let mut facts = vec![];
                for s in states.iter().take(3) {
                    let v = crate::values::of(&self.engine, w, &x.expr, s.actor, &[]).unwrap_or(Value::None);
                    let name = s.actor.map_or(x.text.clone(), |a| x.text.replace("self", &words.actor(a)));
                    let needs = match form {
                        WatchForm::Changes => "it has to change".to_string(),
                        WatchForm::TurnsTrue if v == Value::Flag(true) => {
                            "it has to turn false first, since it is that already".into()
                        }
                        WatchForm::TurnsTrue => "it has to turn true".into(),
                        WatchForm::TurnsFalse if v == Value::Flag(false) => {
                            "it has to turn true first, since it is that already".into()
                        }
                        WatchForm::TurnsFalse => "it has to turn false".into(),
                        WatchForm::Reaches(n) | WatchForm::DropsTo(n) => {
                            let bound = crate::values::of(&self.engine, w, n, s.actor, &[])
                                .map_or(String::new(), |v| words.value(&v));
                            let below = v
                                .order(&crate::values::of(&self.engine, w, n, s.actor, &[]).unwrap_or(Value::None))
                                .is_lt();
                            match (form, below) {
                                (WatchForm::Reaches(_), true) => format!("it has to reach {bound}"),
                                (WatchForm::Reaches(_), false) => {
                                    format!("it is {bound} or more already: it has to fall below first")
                                }
                                (_, true) => format!("it is {bound} or less already: it has to rise above first"),
                                _ => format!("it has to drop to {bound}"),
                            }
                        }
                    };
                    facts.push(Fact { text: format!("{name} is {}: {needs}", words.value(&v)), good: Some(false) });
                    // Of what follows from others, each part as it stands.
                    for part in explain::parts(&self.engine, w, &self.sources, &x.expr, s.actor) {
                        facts.push(Fact { text: format!("  {}   {}", part.text, part.shown()), good: part.held });
                    }
                }
                let who = bind.zip(states.first().and_then(|s| s.actor)).into_iter().collect();
                (facts, who)
            }
            Event::Hears { message, .. } => {
                let message = match message {
                    Heard::One(m) => *m,
                    Heard::Held(e, _) => match crate::values::of(&self.engine, w, e, None, &[]) {
                        Ok(Value::Message(m)) => m,
                        _ => return plain("the variable names no message".into()),
                    },
                };
                let name = &p.messages[message.index()].name;
                let (mut facts, who) = plain(
                    Index::last(self.index.sent.get(&message), tick)
                        .map_or(format!("{name} was not sent yet"), |t| format!("{name} was last sent at tick {t}")),
                );
                let senders = crate::writers::senders(&self.level, p, message);
                let text = if senders.is_empty() {
                    "no rule sends it".into()
                } else {
                    format!("it is sent by {}", senders.join(", "))
                };
                facts.push(Fact { text, good: if senders.is_empty() { Some(false) } else { None } });
                (facts, who)
            }
            Event::TimerEnds(e) => {
                let Ok(Value::Timer(t)) = crate::values::of(&self.engine, w, e, None, &[]) else {
                    return plain("the variable names no timer".into());
                };
                let name = &p.timers[t.index()].name;
                let state = &w.timers[t.index()];
                let left = w.timer_left(t);
                plain(if state.running {
                    format!("{name} has {} left", time::show(p.rate.micros(left), None))
                } else if state.left > 0 {
                    format!("{name} is paused with {} left", time::show(p.rate.micros(state.left), None))
                } else {
                    format!("{name} is at rest")
                })
            }
            Event::Machine { who, state, enters } => {
                let machine = p.states[state.index()].machine;
                let now: Vec<String> = w
                    .machines
                    .iter()
                    .filter(|((m, _), _)| *m == machine)
                    .take(3)
                    .map(|((_, of), s)| {
                        format!("{} is {}", words.machine(*of, s.state), p.states[s.state.index()].name)
                    })
                    .collect();
                let _ = (who, enters);
                plain(now.join(", "))
            }
            Event::Spawns(_) => plain("it happens when one is spawned during the run".into()),
            Event::Removed(_) => plain("it happens when one is taken away".into()),
            Event::Passes { clock, unit, value } => {
                let (c, state) = (&p.clocks[clock.index()], &w.clocks[clock.index()]);
                let (name, _, named) = &c.units[*unit as usize];
                let word = |n: u64| {
                    named.and_then(|e| p.enums[e.index()].1.get(n as usize).cloned()).unwrap_or_else(|| n.to_string())
                };
                let now = word(state.unit(c, *unit as usize));
                let paused = if state.paused { ", and is paused" } else { "" };
                plain(match value {
                    Some(v) => {
                        format!("{} shows {name} {now}{paused}; it has to come to {}", c.name, word(u64::from(*v)))
                    }
                    None => format!("{} shows {name} {now}{paused}", c.name),
                })
            }
            Event::Treads { who, .. } => {
                let found = self.fitting(rule, who);
                let on = |a: &ActorId| {
                    let a = &w.actors[a.index()];
                    let tile =
                        w.tile(p, a.at.area, a.at.cell()).map_or("nothing".into(), |t| p.tiles[t.index()].name.clone());
                    format!("{} stands on {tile}", a.name)
                };
                plain(found.iter().take(3).map(on).collect::<Vec<_>>().join(", "))
            }
            Event::Arrives { who, .. } | Event::Stuck(who) => {
                let found = self.fitting(rule, who);
                let order = |a: &ActorId| match w.actors[a.index()].walk.as_deref() {
                    Some(o) => {
                        let stuck = if o.stuck { ", and is stuck" } else { "" };
                        format!("{} walks {}{stuck}", words.actor(*a), words.destination(o.goal))
                    }
                    None => format!("{} has no order to walk", words.actor(*a)),
                };
                plain(found.iter().take(3).map(order).collect::<Vec<_>>().join(", "))
            }
            Event::Comes { who, .. } => {
                let found = self.fitting(rule, who);
                let place = |a: &ActorId| {
                    let at = w.actors[a.index()].at.area;
                    format!("{} is in {}", words.actor(*a), p.maps[at.index()].name)
                };
                plain(found.iter().take(3).map(place).collect::<Vec<_>>().join(", "))
            }
            Event::Bumps { who, .. } => {
                let _ = when;
                let found = self.fitting(rule, who);
                plain(format!("{} could bump", found.iter().map(|a| words.actor(*a)).collect::<Vec<_>>().join(", ")))
            }
        }
    }

    /// The actors that WHO could mean.
    fn fitting(&self, rule: RuleId, who: &Who) -> Vec<ActorId> {
        let (w, r) = (&self.now.world, &self.engine.program.rules[rule.index()]);
        w.living()
            .filter(|(id, a)| match &who.set {
                WhoSet::Myself => r.kinds.contains(&a.kind),
                set => w.is_one_of(&self.engine.program, *id, set, None),
            })
            .map(|(id, _)| id)
            .collect()
    }

    fn zone_near(&self, rule: RuleId, verb: ZoneVerb, who: &Who, zone: &ZoneWhich) -> (Vec<Fact>, Candidate) {
        let (w, p) = (&self.now.world, &self.engine.program);
        let words = Words::new(p, w);
        let every = || (0..p.zones.len()).map(ZoneId::at);
        let of_kind = |k: &KindId| {
            every().filter(|z| p.zones[z.index()].kind.is_some_and(|x| p.is_kind(x, *k))).map(|z| (z, None)).collect()
        };
        let zones: Vec<(ZoneId, Option<ActorId>)> = match zone {
            ZoneWhich::Level(z) => vec![(*z, None)],
            ZoneWhich::Of(z, o) => self.fitting(rule, o).into_iter().map(|a| (*z, Some(a))).collect(),
            ZoneWhich::Kind(k, _) => of_kind(k),
            ZoneWhich::Myself => p.rules[rule.index()].kinds.iter().flat_map(of_kind).collect::<Vec<_>>(),
            ZoneWhich::Held(e) => match crate::values::of(&self.engine, w, e, None, &[]) {
                Ok(Value::Zone(z, of)) => vec![(z, of)],
                _ => vec![],
            },
        };
        let mut best: Vec<(f64, ActorId, Option<ActorId>, Fact)> = vec![];
        for (z, owner) in zones {
            let info = &p.zones[z.index()];
            let name = words.zone(z, owner);
            for a in self.fitting(rule, who) {
                if Some(a) == owner {
                    continue;
                }
                let actor = &w.actors[a.index()];
                let noticed = info.notices.is_empty() || info.notices.iter().any(|s| w.is_one_of(p, a, s, None));
                let inside = actor.inside.iter().find(|(k, _)| *k == (z, owner));
                let d = zone_distance(w, w.shape(p, z), owner, actor.at);
                let who = words.actor(a);
                let fact = if !noticed {
                    Fact { text: format!("{name} does not notice {who}"), good: Some(false) }
                } else if let Some((_, since)) = inside {
                    let text = match verb {
                        ZoneVerb::Enters => format!("{who} is in {name} since tick {since}: it has to leave first"),
                        _ => format!("{who} is in {name} since tick {since}"),
                    };
                    Fact { text, good: Some(!matches!(verb, ZoneVerb::Enters)) }
                } else {
                    let text = match verb {
                        ZoneVerb::Leaves => format!("{who} is not in {name}: {} away", cells(d)),
                        _ => format!("{who} is {} from {name}", cells(d)),
                    };
                    Fact { text, good: Some(false) }
                };
                best.push((d, a, owner, fact));
            }
        }
        best.sort_by(|a, b| a.0.total_cmp(&b.0));
        if best.is_empty() {
            return (vec![Fact { text: "there is nobody whom it could be about".into(), good: Some(false) }], vec![]);
        }
        let mut candidate: Candidate = who.bind.map(|s| (s, best[0].1)).into_iter().collect();
        if let (ZoneWhich::Of(_, Who { bind: Some(s), .. }), Some(o)) = (zone, best[0].2) {
            candidate.push((*s, o));
        }
        (best.into_iter().take(3).map(|b| b.3).collect(), candidate)
    }

    /// Who sees whom: what hides the nearest ones from each other.
    fn sight_near(&self, rule: RuleId, a: &Who, b: &Who) -> (Vec<Fact>, Candidate) {
        let (mut facts, who) = self.pair_near(rule, a, b, None);
        let (w, p) = (&self.now.world, &self.engine.program);
        let find = |slot: Option<Slot>, set: &Who| {
            slot.and_then(|s| who.iter().find(|(x, _)| *x == s))
                .map(|(_, a)| *a)
                .or_else(|| self.fitting(rule, set).first().copied())
        };
        if let (Some(x), Some(y)) = (find(a.bind, a), find(b.bind, b)) {
            let words = Words::new(p, w);
            let (seer, seen) = (&w.actors[x.index()], &w.actors[y.index()]);
            let sights = &p.kinds[seer.kind.index()].sights;
            let in_sight = sights.iter().any(|s| mayfly_engine::sight::in_sight(s, seer.at, seer.facing, seen.at));
            let (who, whom) = (words.actor(x), words.actor(y));
            let text = match w.seen.get(&(x, y)) {
                Some(t) => format!("{who} sees {whom} since tick {t}: it has to lose sight first"),
                None if sights.is_empty() => format!("{who} has no sight"),
                None if !seen.visible => format!("{whom} is hidden"),
                None if !in_sight => {
                    format!("{whom} is not in {who}'s sight, which looks {}", DIRECTIONS[seer.facing as usize % 4])
                }
                None => {
                    let between = crate::values::within(&self.engine, w, None, |s| s.between(x, seen.at, Some(y)));
                    let what = between.map_or("something opaque".into(), |b| words.between(b));
                    format!("{what} stands between {who} and {whom}")
                }
            };
            facts.insert(0, Fact { text, good: Some(false) });
        }
        (facts, who)
    }

    /// The nearest pairs that fit, and how far they are apart; `reach` is how near they must be.
    fn pair_near(&self, rule: RuleId, a: &Who, b: &Who, reach: Option<f64>) -> (Vec<Fact>, Candidate) {
        let (w, p) = (&self.now.world, &self.engine.program);
        let words = Words::new(p, w);
        let mut best: Vec<(f64, ActorId, ActorId)> = vec![];
        for x in self.fitting(rule, a) {
            for y in self.fitting(rule, b).into_iter().filter(|y| *y != x) {
                let (m, n) = (w.actors[x.index()].at, w.actors[y.index()].at);
                if m.area == n.area {
                    best.push(((m.x - n.x).hypot(m.y - n.y), x, y));
                }
            }
        }
        best.sort_by(|a, b| a.0.total_cmp(&b.0));
        let Some((_, x, y)) = best.first().copied() else {
            return (vec![Fact { text: "there is nobody whom it could be about".into(), good: Some(false) }], vec![]);
        };
        let facts = best
            .iter()
            .take(2)
            .map(|(d, x, y)| {
                let since = w.contacts.get(&World::pair(*x, *y));
                match since {
                    Some(c) if reach.is_none() => Fact {
                        text: format!(
                            "{} touches {} since tick {}: no new touch",
                            words.actor(*x),
                            words.actor(*y),
                            c.since
                        ),
                        good: Some(false),
                    },
                    _ => {
                        let far = format!("{} and {} are {} apart", words.actor(*x), words.actor(*y), cells(*d));
                        let (text, good) = match reach {
                            Some(r) if *d <= r + number::NEAR => (format!("{far}, near enough"), true),
                            Some(r) => (format!("{far}: it must be {} or less", number::show_number(r)), false),
                            None => (far, false),
                        };
                        Fact { text, good: Some(good) }
                    }
                }
            })
            .collect();
        (facts, a.bind.map(|s| (s, x)).into_iter().chain(b.bind.map(|s| (s, y))).collect())
    }
}

/// From a point to the nearest cell of a zone.
fn zone_distance(w: &World, shape: &Shape, owner: Option<ActorId>, at: Point) -> f64 {
    let o = owner.map_or((0.0, 0.0), |a| (w.actors[a.index()].at.x, w.actors[a.index()].at.y));
    match shape {
        Shape::Disc { x, y, r } => ((at.x - o.0 - x).hypot(at.y - o.1 - y) - r).max(0.0),
        Shape::Rect { x, y, w, h } => {
            let (ox, oy) = space::cell(o.0, o.1);
            let off = |n: f64, first: i64, count: i64| {
                (first as f64 - n).max(n - (first.saturating_add(count) - 1) as f64).max(0.0)
            };
            off(at.x, ox.saturating_add(*x), *w).hypot(off(at.y, oy.saturating_add(*y), *h))
        }
        _ => space::cells_within(shape, o, None)
            .into_iter()
            .map(|(x, y)| (x as f64 - at.x).hypot(y as f64 - at.y))
            .fold(f64::INFINITY, f64::min),
    }
}
