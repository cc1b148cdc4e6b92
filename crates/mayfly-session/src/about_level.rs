//! What is to be said of a zone, a message, a timer, a clock, a tile, a variable or a computed value at the moment.
//!
//! Actors and machines are in [`crate::about`].
//!
//! Invariant: every fact is of the moment's world, or of a tick up to the moment that it names.

use crate::about::{Said, listed, said};
use crate::explain::{self, source};
use crate::index::{Index, TimerDid};
use crate::session::Session;
use crate::things::Thing;
use crate::values;
use crate::values::target_of;
use crate::words::{Words, ticks};
use crate::writers::doers;
use mayfly_base::code::*;
use mayfly_base::*;
use mayfly_engine::Target;
use mayfly_engine::space;
use mayfly_engine::world::ZoneKey;

/// Steps of a timer, and writes, that are told.
const MAX_STEPS: usize = 5;
/// Cells of a zone that are counted one by one.
const MAX_CELLS: u64 = 1_000_000;

impl Session {
    /// What is to be said of anything but a rule.
    pub fn about(&mut self, thing: Thing) -> Vec<Said> {
        match thing {
            Thing::Actor(a) => self.about_actor(a),
            Thing::Machine(key) => self.about_machine(key),
            Thing::Zone(key) => self.about_zone(key),
            Thing::Message(m) => self.about_message(m),
            Thing::Timer(t) => self.about_timer(t),
            Thing::Clock(c) => self.about_clock(c),
            Thing::Tile(t) => self.about_tile(t),
            Thing::Value(t) => self.about_value(t),
            Thing::Define(d) => {
                let e = self.engine.program.defines[d.index()].expr.clone();
                self.about_computed(&e)
            }
            Thing::Rule(_) => vec![],
        }
    }

    fn line_of(&self, span: Span) -> String {
        format!("line {}", span::line_column(self.source(span), span.start as usize).0)
    }

    /// The names of the rules whose `when` fits.
    fn waiting(&self, fits: impl Fn(&Event) -> bool) -> Vec<String> {
        let rules = self.level.rules.iter().enumerate().filter(|(_, r)| r.whens.iter().any(|w| fits(&w.event)));
        rules.map(|(i, _)| self.engine.program.rule_name(RuleId::at(i))).collect()
    }

    fn about_zone(&self, key: ZoneKey) -> Vec<Said> {
        let (p, w) = (&self.engine.program, &self.now.world);
        let words = Words::new(p, w);
        let (z, of) = key;
        let info = &p.zones[z.index()];
        let shape = w.shape(p, z);
        let o = of.and_then(|a| w.actor(a)).map_or((0.0, 0.0), |a| (a.at.x, a.at.y));
        // A zone of a size that cannot be counted at once is told by its box.
        let cells = match space::area_of(shape, o, None) {
            n if n > MAX_CELLS => n,
            _ => space::cells_within(shape, o, None).len() as u64,
        };
        let whom = info.notices.iter().map(|s| words.set(s)).collect::<Vec<_>>();
        let whom = if whom.is_empty() { "everybody".into() } else { whom.join(", ") };
        let area = &p.maps[info.area.index()].name;
        let place = match space::bounds(shape) {
            Some((x0, y0, x1, y1)) if of.is_none() => format!("from ({x0}, {y0}) to ({x1}, {y1})"),
            _ => "moves with its actor".into(),
        };
        let text = self.level.zones.get(z.index()).map(|z| format!(", {}", self.line_of(z.span))).unwrap_or_default();
        let noun = if cells == 1 { "cell" } else { "cells" };
        let mut out = vec![said("about", format!("zone of {cells} {noun}, {place} in {area}, for {whom}{text}"))];
        if w.zone_off[z.index()] {
            out.push(self.switched(|s| matches!(s, mayfly_engine::record::SwitchedWhat::Zone(x, _) if *x == z), "off"));
        }
        let inside = w.living().filter_map(|(id, a)| {
            let (_, since) = a.inside.iter().find(|(k, _)| *k == key)?;
            Some(format!("{} since tick {since}", words.actor(id)))
        });
        out.push(said("inside", listed(inside.collect(), "nobody")));
        let rules = self.waiting(|e| match e {
            Event::Zone { zone, .. } => match zone {
                ZoneWhich::Level(x) | ZoneWhich::Of(x, _) => *x == z,
                ZoneWhich::Kind(k, _) => info.kind.is_some_and(|x| p.is_kind(x, *k)),
                _ => false,
            },
            _ => false,
        });
        out.push(said("needed by", listed(rules, "no rule waits for it")));
        out
    }

    fn about_message(&self, m: MessageId) -> Vec<Said> {
        let p = &self.engine.program;
        let info = &p.messages[m.index()];
        let params = if info.params.is_empty() { "no value".to_string() } else { info.params.join(", ") };
        let text = self.level.messages.get(m.index()).map(|m| format!(", {}", self.line_of(m.span)));
        let mut out = vec![said("about", format!("message with {params}{}", text.unwrap_or_default()))];
        let sent = self.index.sent.get(&m);
        let until = sent.map_or(0, |l| l.partition_point(|t| *t <= self.moment.tick));
        out.push(said(
            "sent",
            match Index::last(sent, self.moment.tick) {
                Some(t) => format!("in {until} tick{} so far, last at tick {t}", if until == 1 { "" } else { "s" }),
                None => "not yet".into(),
            },
        ));
        out.push(said("sent by", listed(crate::writers::senders(&self.level, p, m), "no rule sends it")));
        let heard = self.waiting(|e| match e {
            Event::Hears { message: Heard::One(x), .. } => *x == m,
            Event::Hears { .. } => true,
            _ => false,
        });
        out.push(said("heard by", listed(heard, "nobody: it is sent into the void")));
        out
    }

    fn about_timer(&self, t: TimerId) -> Vec<Said> {
        let p = &self.engine.program;
        let info = &p.timers[t.index()];
        let show = |n: u64| time::show(p.rate.micros(n), None);
        let sort = if info.repeating { "repeats every" } else { "of" };
        let mut out = vec![said("about", format!("timer, {sort} {}", show(info.ticks)))];
        out.push(said("is", self.timer_word(t).trim_start_matches("timer").trim().to_string()));
        let all = self.index.timers.get(&t).map_or(&[][..], Vec::as_slice);
        let past = &all[..all.partition_point(|s| s.tick <= self.moment.tick)];
        let count = |what: TimerDid| past.iter().filter(|s| s.what == what).count();
        let first = if info.running { "runs from the start, " } else { "" };
        out.push(said(
            "so far",
            format!(
                "{first}started {}, restarted while it ran {}, stopped {}, ended {}",
                count(TimerDid::Started),
                count(TimerDid::Restarted),
                count(TimerDid::Stopped),
                count(TimerDid::Ended)
            ),
        ));
        for (i, s) in past.iter().rev().take(MAX_STEPS).enumerate() {
            let by = match (s.rule, s.what) {
                (Some(r), _) => format!(" by {}", p.rule_name(r)),
                (None, TimerDid::Ended) => String::new(),
                (None, _) => " by hand".into(),
            };
            let did = match s.what {
                TimerDid::Started => format!("started{by} with {}", show(s.left.1)),
                TimerDid::Restarted => {
                    format!("restarted{by} with {}, when {} was left", show(s.left.1), show(s.left.0))
                }
                TimerDid::Stopped => format!("stopped{by} with {} left", show(s.left.0)),
                TimerDid::Ended => "ended".into(),
            };
            out.push(said(if i == 0 { "last" } else { "" }, format!("tick {}: {did}", s.tick)));
        }
        let could = doers(&self.level, p, |a| match a {
            Action::Timer { timer, .. } => match &timer.kind {
                ExprKind::Const(Value::Timer(x)) => *x == t,
                _ => true,
            },
            _ => false,
        });
        out.push(said("set by", listed(could, "no rule sets it")));
        let ends = self.waiting(|e| match e {
            Event::TimerEnds(e) => match &e.kind {
                ExprKind::Const(Value::Timer(x)) => *x == t,
                _ => true,
            },
            _ => false,
        });
        out.push(said("needed by", listed(ends, "no rule waits for its end")));
        out
    }

    fn about_clock(&self, c: ClockId) -> Vec<Said> {
        let (p, w) = (&self.engine.program, &self.now.world);
        let (info, state) = (&p.clocks[c.index()], &w.clocks[c.index()]);
        let units = info.units.iter().enumerate().rev().map(|(u, (name, _, named))| {
            let n = state.unit(info, u);
            let word = named.and_then(|e| p.enums[e.index()].1.get(n as usize).cloned());
            format!("{name} {}", word.unwrap_or_else(|| n.to_string()))
        });
        let shows: Vec<String> = units.collect();
        let paused = if state.paused { ", paused" } else { "" };
        let mut out = vec![said("about", format!("clock, shows {}{paused}", shows.join(", ")))];
        let set = doers(
            &self.level,
            p,
            |a| matches!(a, Action::SetClock(x, _) | Action::Advance(x, _) | Action::PauseClock(x, _) if *x == c),
        );
        out.push(said("set by", listed(set, "no rule sets it")));
        let needed = self.waiting(|e| matches!(e, Event::Passes { clock, .. } if *clock == c));
        out.push(said("needed by", listed(needed, "no rule waits for it")));
        out
    }

    fn about_tile(&self, t: TileId) -> Vec<Said> {
        let (p, w) = (&self.engine.program, &self.now.world);
        let info = &p.tiles[t.index()];
        let mut does = vec![];
        does.push(if info.solid { "solid" } else { "open" });
        does.push(if info.opaque { "hides what is behind it" } else { "one sees over it" });
        let tags: Vec<String> = info.tags.iter().map(|x| format!("tagged {}", p.tags[x.index()])).collect();
        let count: usize = p
            .maps
            .iter()
            .enumerate()
            .map(|(a, m)| {
                let cells = (0..m.height).flat_map(|y| (0..m.width).map(move |x| (x, y)));
                cells.filter(|c| w.tile(p, AreaId::at(a), *c) == Some(t)).count()
            })
            .sum();
        let tags = if tags.is_empty() { String::new() } else { format!(", {}", tags.join(", ")) };
        let mut out = vec![said("about", format!("tile, {}{tags}", does.join(", ")))];
        out.push(said("lies on", format!("{count} cell{} now", if count == 1 { "" } else { "s" })));
        let on = w.living().filter(|(_, a)| w.tile(p, a.at.area, a.at.cell()) == Some(t));
        let who: Vec<String> = on.take(8).map(|(id, _)| Words::new(p, w).actor(id)).collect();
        out.push(said("stands on", listed(who, "nobody")));
        let laid = doers(&self.level, p, |a| matches!(a, Action::Lay { .. }));
        out.push(said("laid by", listed(laid, "no rule lays tiles")));
        out
    }

    /// Who wrote a variable, how often, by how much, and who could.
    fn about_value(&self, target: Target) -> Vec<Said> {
        let (p, w) = (&self.engine.program, &self.now.world);
        let words = Words::new(p, w);
        let mut out = vec![];
        if let Target::Var(v) = target {
            let var = &self.level.vars[v.index()];
            if !var.doc.is_empty() {
                out.push(said("about", var.doc.clone()));
            }
            out.push(said("is", words.value(&w.vars[v.index()])));
        }
        if let Target::Field(a, f) = target
            && let Some(value) = w.actors.get(a.index()).and_then(|a| a.fields.get(f.index()))
        {
            out.push(said("is", words.value(value)));
        }
        if let Target::Attr(a, attr) = target
            && let Some(a) = w.actors.get(a.index())
        {
            out.push(said("is", words.value(&mayfly_engine::eval::attr_of(a, attr))));
        }
        out.push(said(
            "written",
            match self.writer(target) {
                Some((by, tick)) if !by.is_empty() => format!("by {by}, here at tick {tick}"),
                Some((_, tick)) => match self.wrote_at(target, tick) {
                    Some(by) => format!("by {}, at tick {tick}", by.name(p)),
                    None => format!("last at tick {tick}"),
                },
                None => crate::watching::unwritten(target).into(),
            },
        ));
        let wrote = self.wrote(target);
        for (i, one) in wrote.iter().take(MAX_STEPS).enumerate() {
            let gained = if one.gained == 0.0 {
                String::new()
            } else {
                let sign = if one.gained > 0.0 { "+" } else { "" };
                format!(", {sign}{} in all", number::show_number((one.gained * 1e3).round() / 1e3))
            };
            let text = format!("{} × by {}{gained}, last at tick {}", one.times, one.by.name(p), one.last);
            out.push(said(if i == 0 { "so far" } else { "" }, text));
        }
        let so_far: Vec<String> = wrote.iter().map(|w| w.by.name(p)).collect();
        let others: Vec<String> = self.could_write(target).into_iter().filter(|r| !so_far.contains(r)).collect();
        let none = if so_far.is_empty() { "no rule" } else { "nobody else" };
        out.push(said("could be", format!("written by {}", listed(others, none))));
        out
    }

    /// A computed value: its expression, each part with what it sees, and the write that last turned it.
    pub fn about_computed(&self, e: &Expr) -> Vec<Said> {
        let w = &self.now.world;
        let mut out = vec![];
        let words = Words::new(&self.engine.program, w);
        if let Ok(v) = values::of(&self.engine, w, e, None, &[]) {
            out.push(said("is", words.value(&v)));
        }
        let text = source(&self.sources, e.span);
        if !text.is_empty() {
            out.push(said("computed", text));
        }
        for part in explain::parts(&self.engine, w, &self.sources, e, None) {
            let mut s = said("part", format!("{}   {}", part.text, part.shown()));
            s.fact.good = part.held;
            out.push(s);
        }
        let reads = self.reads(e, None, &[]);
        let last = reads.iter().filter_map(|t| Some((self.writer(*t)?, *t))).max_by_key(|((_, tick), _)| *tick);
        for (name, value) in explain::leaves(&self.engine, w, &self.sources, e, None, &[]) {
            out.push(said("reads", format!("{name} = {value}")));
        }
        out.push(said(
            "turned by",
            match last {
                Some(((by, tick), t)) => {
                    let by = Some(by).filter(|by| !by.is_empty());
                    let by = by.or_else(|| Some(self.wrote_at(t, tick)?.name(&self.engine.program)));
                    let by = by.map_or(String::new(), |by| format!(" by {by}"));
                    format!("the write of {}{by} at tick {tick}", words.target(t, &[]))
                }
                None if reads.is_empty() => "the state of the level: it reads no variable".into(),
                None => "nothing that a rule wrote yet in this flight".into(),
            },
        ));
        out
    }

    /// The variables that an expression reads, through computed values too: those of the level, and those of whoever its
    /// `self`, its names and its actors stand for now.
    pub(crate) fn reads(&self, e: &Expr, me: Option<ActorId>, locals: &[Value]) -> Vec<Target> {
        let actor = |e: &Expr, me, locals: &[Value]| match values::of(&self.engine, &self.now.world, e, me, locals) {
            Ok(Value::Actor(a)) => Some(a),
            _ => None,
        };
        let mut out = vec![];
        let mut seen: Vec<(DefineId, Option<ActorId>)> = vec![];
        let mut open = vec![(e, me, locals)];
        while let Some((e, me, locals)) = open.pop() {
            e.walk(&mut |x| {
                let computed = match &x.kind {
                    ExprKind::Define(d) => Some((*d, me)),
                    ExprKind::DefineOf(of, d) => Some((*d, actor(of, me, locals))),
                    _ => None,
                };
                if let Some(key) = computed.filter(|key| !seen.contains(key)) {
                    seen.push(key);
                    open.push((&self.engine.program.defines[key.0.index()].expr, key.1, &[]));
                }
                let read = match &x.kind {
                    ExprKind::Field(of, f) => actor(of, me, locals).map(|a| Target::Field(a, *f)),
                    ExprKind::Attr(of, attr) => actor(of, me, locals).map(|a| Target::Attr(a, *attr)),
                    _ => target_of(x),
                };
                out.extend(read.filter(|t| !out.contains(t)));
            });
        }
        out
    }

    /// Who switched something last, and when.
    pub(crate) fn switched(&self, fits: impl Fn(&mayfly_engine::record::SwitchedWhat) -> bool, state: &str) -> Said {
        let list = &self.index.switched;
        let past = &list[..list.partition_point(|s| s.tick <= self.moment.tick)];
        let text = match past.iter().rev().find(|s| fits(&s.what)) {
            Some(s) => {
                let by = s.rule.map_or("by hand".into(), |r| format!("by {}", self.engine.program.rule_name(r)));
                let ago = ticks(self.moment.tick.saturating_sub(s.tick));
                format!("{state} since tick {}, {by}, {ago} ago", s.tick)
            }
            None => format!("{state} from the start"),
        };
        let mut out = said("switched", text);
        out.fact.good = Some(false);
        out
    }
}
