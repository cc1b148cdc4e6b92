//! Whether an event is one that a rule awaits, and which names it binds (language.md §4).
//!
//! What becomes of a rule that fits is in [`crate::judge`].
//!
//! Invariant: fitting changes nothing but the locals that are handed in; a name given twice is the same actor.

use crate::fault::{Fault, FaultKind};
use crate::judge::is_due;
use crate::record::*;
use crate::space;
use crate::tick_context::TickContext;
use crate::world::*;
use mayfly_base::code::*;
use mayfly_base::*;

impl<R: Recorder> TickContext<'_, R> {
    /// True where this `when` awaits what happened; binds its names.
    pub fn fits(
        &self,
        rule: RuleId,
        event: &Event,
        what: &EventInstance,
        me: Option<ActorId>,
        locals: &mut [Value],
    ) -> bool {
        match (event, what) {
            (Event::Start, EventInstance::Start) => true,
            (Event::Tick, EventInstance::Time) => self.is_due_for(rule, me, 0, 1),
            (Event::Every { first, period }, EventInstance::Time) => {
                self.is_due_for(rule, me, first.ticks, period.ticks)
            }
            (Event::After(p), EventInstance::Time) => self.is_due_for(rule, me, p.ticks, 0),
            (Event::Zone { verb, who, zone }, _) => {
                let (a, z, of) = match (verb, what) {
                    (ZoneVerb::Enters, EventInstance::Enters(a, z, of))
                    | (ZoneVerb::Leaves, EventInstance::Leaves(a, z, of))
                    | (ZoneVerb::MovesIn, EventInstance::MovesIn(a, z, of)) => (*a, *z, *of),
                    (ZoneVerb::In(every), EventInstance::In(a, z, of, since)) if since % every.ticks() == 0 => {
                        (*a, *z, *of)
                    }
                    _ => return false,
                };
                self.is_zone(zone, (z, of), me, locals) && self.bind(who, a, me, locals)
            }
            (Event::Pair { verb, a: x, b: y }, _) => {
                use PairVerb as V;
                let (a, b) = match (verb, what) {
                    (V::Touches, EventInstance::Touches(a, b)) | (V::Parts, EventInstance::Parts(a, b)) => (*a, *b),
                    (V::Touching(every), EventInstance::Touching(a, b, since)) if since % every.ticks() == 0 => {
                        (*a, *b)
                    }
                    (V::Nears(r), EventInstance::Nears(s, a, b)) | (V::Strays(r), EventInstance::Strays(s, a, b))
                        if r.0 == *s =>
                    {
                        (*a, *b)
                    }
                    (V::Near(r, every), EventInstance::Near(s, a, b, since))
                        if r.0 == *s && since % every.ticks() == 0 =>
                    {
                        (*a, *b)
                    }
                    (V::Sees, EventInstance::Sees(a, b)) | (V::Loses, EventInstance::Loses(a, b)) => {
                        return self.bind(x, *a, me, locals) && self.bind(y, *b, me, locals);
                    }
                    (V::Seeing(every), EventInstance::Seeing(a, b, since)) => {
                        return since % every.ticks() == 0
                            && self.bind(x, *a, me, locals)
                            && self.bind(y, *b, me, locals);
                    }
                    _ => return false,
                };
                let before = locals.to_vec();
                if self.bind(x, a, me, locals) && self.bind(y, b, me, locals) {
                    return true;
                }
                locals.clone_from_slice(&before);
                self.bind(x, b, me, locals) && self.bind(y, a, me, locals)
            }
            (Event::Press(p), EventInstance::Press(a, i)) => {
                p.held.is_none() && *i == p.input && self.press_fits(p, *a, me, locals)
            }
            (Event::Press(p), EventInstance::Pressing(a, i, since)) => {
                p.held.is_some_and(|every| since % every.ticks() == 0)
                    && *i == p.input
                    && self.press_fits(p, *a, me, locals)
            }
            (Event::Watched { watch, form, bind }, EventInstance::Watched { watch: w, actor, forms, .. }) => {
                let forms_of = &self.program.watches[watch.index()].forms;
                let wanted = forms_of.iter().position(|f| f == form).is_some_and(|i| forms & (1 << i) != 0);
                if watch != w || !wanted {
                    return false;
                }
                match (bind, actor) {
                    (Some(slot), Some(a)) => self.bind_name(*slot, *a, locals),
                    (None, Some(a)) => me == Some(*a),
                    _ => true,
                }
            }
            (Event::Hears { message, slots }, EventInstance::Message { message: m, args, to }) => {
                let mine = match to {
                    None => true,
                    Some(list) => me.is_some_and(|me| list.contains(&me)),
                };
                let meant = match message {
                    Heard::One(x) => x == m,
                    Heard::Held(e, _) => self.scope(me).eval(e, locals).is_ok_and(|v| v == Value::Message(*m)),
                };
                if !meant || !mine || slots.len() > args.len() {
                    return false;
                }
                for (slot, v) in slots.iter().zip(args) {
                    locals[*slot as usize] = v.clone();
                }
                true
            }
            (Event::TimerEnds(e), EventInstance::TimerEnds(t)) => {
                let v = self.scope(me).eval(e, locals);
                self.met(v) == Some(Value::Timer(*t))
            }
            (Event::Passes { clock, unit, value }, EventInstance::Passes(c, u, v)) => {
                clock == c && unit == u && value.is_none_or(|w| w == *v)
            }
            (Event::Treads { who, on }, EventInstance::Treads(a, t)) => {
                self.is_tile(*on, *t) && self.bind(who, *a, me, locals)
            }
            (Event::Arrives { who, at }, EventInstance::Arrives(a, p, end)) => {
                (*end || at.is_some())
                    && self.bind(who, *a, me, locals)
                    && at.as_ref().is_none_or(|e| {
                        let q = self.scope(me).point(e, locals);
                        self.met(q).is_some_and(|q| {
                            let (x, y) = self.went(*p, q);
                            q.area == p.area && x.hypot(y) < 1e-6
                        })
                    })
            }
            (Event::Stuck(who), EventInstance::Stuck(a)) => self.bind(who, *a, me, locals),
            (Event::Comes { who, area }, EventInstance::Comes(a, b)) => area == b && self.bind(who, *a, me, locals),
            (Event::Machine { who, state, enters: true }, EventInstance::MachineEnters(of, s))
            | (Event::Machine { who, state, enters: false }, EventInstance::MachineLeaves(of, s)) => {
                state == s
                    && match (who, of) {
                        (Some(w), Some(a)) => self.bind(w, *a, me, locals),
                        (None, None) => true,
                        _ => false,
                    }
            }
            (Event::Spawns(w), EventInstance::Spawns(a)) | (Event::Removed(w), EventInstance::Removed(a)) => {
                self.bind(w, *a, me, locals)
            }
            (Event::Bumps { who, into }, _) => match (into, what) {
                (BumpWhat::Actor(w), EventInstance::BumpsActor(a, b)) => {
                    self.bind(who, *a, me, locals) && self.bind(w, *b, me, locals)
                }
                (BumpWhat::Tile(t), EventInstance::BumpsTile(a, u)) => {
                    self.is_tile(*t, *u) && self.bind(who, *a, me, locals)
                }
                _ => false,
            },
            _ => false,
        }
    }

    /// What an event asks, where it has a value; a fault of it counts for the rule. That a variable names nobody is none.
    fn met<T>(&self, got: Result<T, Fault>) -> Option<T> {
        match got {
            Ok(v) => Some(v),
            Err(f) => {
                if !matches!(f.kind, FaultKind::None | FaultKind::Gone) {
                    self.met.borrow_mut().push(f);
                }
                None
            }
        }
    }

    fn is_due_for(&self, rule: RuleId, me: Option<ActorId>, first: u64, period: u64) -> bool {
        let since = match self.stay_since(rule, me) {
            Some(since) => since,
            None => me.map_or(self.world.base, |a| self.world.actors[a.index()].created),
        };
        self.world.tick.checked_sub(since).is_some_and(|age| is_due(first, period, age))
    }

    /// Binds an actor to WHO; false where it is not one of them, or the name is another already.
    fn bind(&self, who: &Who, a: ActorId, me: Option<ActorId>, locals: &mut [Value]) -> bool {
        let one = match &who.set {
            WhoSet::Held(e) => {
                let v = self.scope(me).eval(e, locals);
                match self.met(v) {
                    Some(Value::Actor(x)) => x == a,
                    Some(Value::Kind(k)) => self.program.is_kind(self.world.actors[a.index()].kind, k),
                    Some(Value::Tag(t)) => self.world.is_tagged(a, t),
                    _ => false,
                }
            }
            set => self.world.is_one_of(self.program, a, set, me),
        };
        if !one {
            return false;
        }
        who.bind.is_none_or(|slot| self.bind_name(slot, a, locals))
    }

    /// Gives a name to an actor, or to the zone for which it stands; false where the name has another.
    fn bind_name(&self, slot: Slot, a: ActorId, locals: &mut [Value]) -> bool {
        let value = self.world.as_value(a);
        let old = &mut locals[slot as usize];
        if matches!(old, Value::Actor(_) | Value::Zone(..)) && *old != value {
            return false;
        }
        *old = value;
        true
    }

    fn is_tile(&self, wanted: TileWhat, tile: TileId) -> bool {
        match wanted {
            TileWhat::Tile(t) => t == tile,
            TileWhat::Tag(tag) => self.program.tiles[tile.index()].tags.contains(&tag),
        }
    }

    /// True where that is the zone which is meant; binds its names.
    fn is_zone(&self, wanted: &ZoneWhich, (z, of): ZoneKey, me: Option<ActorId>, locals: &mut [Value]) -> bool {
        let zone = &self.program.zones[z.index()];
        match (wanted, of) {
            (ZoneWhich::Level(w), None) => *w == z,
            (ZoneWhich::Of(w, who), Some(o)) => *w == z && self.bind(who, o, me, locals),
            (ZoneWhich::Kind(k, slot), None) => {
                let value = Value::Zone(z, None);
                let old = &mut locals[*slot as usize];
                let free = *old == Value::None || *old == value;
                let is = free && zone.kind.is_some_and(|x| self.program.is_kind(x, *k));
                if is {
                    *old = value;
                }
                is
            }
            (ZoneWhich::Myself, None) => me.is_some() && zone.stand_in == me,
            (ZoneWhich::Held(e), _) => self.scope(me).eval(e, locals).is_ok_and(|v| v == Value::Zone(z, of)),
            _ => false,
        }
    }

    /// `presses … near … facing … in …`: the nearest one that fits is bound.
    fn press_fits(&self, p: &Press, a: ActorId, me: Option<ActorId>, locals: &mut [Value]) -> bool {
        if !self.bind(&p.who, a, me, locals) {
            return false;
        }
        if let Some(zone) = &p.zone {
            let keys: Vec<ZoneKey> = match zone {
                ZoneWhich::Level(z) => vec![(*z, None)],
                _ => self.world.actors[a.index()].inside.iter().map(|(k, _)| *k).collect(),
            };
            let at = self.world.actors[a.index()].at;
            let in_one = keys.into_iter().any(|k| {
                self.scope(me).in_zone(k, at, Some(a)) && self.is_zone(zone, k, me, &mut locals.to_vec()) && {
                    self.is_zone(zone, k, me, locals)
                }
            });
            if !in_one {
                return false;
            }
        }
        let faces = |b: ActorId| {
            let (x, y) = (&self.world.actors[a.index()], &self.world.actors[b.index()]);
            x.at.area == y.at.area && space::side(x.facing, y.at.x - x.at.x, y.at.y - x.at.y) == Some(0)
        };
        let Some((who, within)) = &p.near else {
            return match &p.facing {
                None => true,
                Some(f) => {
                    let found = self
                        .world
                        .living()
                        .map(|(id, _)| id)
                        .filter(|id| *id != a && faces(*id))
                        .find(|id| self.bind(f, *id, me, &mut locals.to_vec()));
                    found.is_some_and(|id| self.bind(f, id, me, locals))
                }
            };
        };
        let reach = match within {
            Some(e) => {
                let n = self.scope(me).number(e, locals);
                match self.met(n) {
                    Some(n) => n,
                    None => return false,
                }
            }
            None => f64::INFINITY,
        };
        // In a kind's rule `self` stands for every actor of the kind while the nearest is sought.
        let seeks_self = who.set == WhoSet::Myself;
        let rule_kind = me.map(|m| self.world.actors[m.index()].kind);
        let from = self.world.actors[a.index()].at;
        let mut best: Option<(f64, ActorId)> = None;
        for (id, b) in self.world.living() {
            if id == a || !b.enabled || b.at.area != from.area {
                continue;
            }
            let d = (b.at.x - from.x).hypot(b.at.y - from.y);
            if d > reach + number::NEAR || best.is_some_and(|(n, _)| d >= n - number::NEAR) {
                continue;
            }
            let mut trial = locals.to_vec();
            let fits = if seeks_self {
                rule_kind.is_some_and(|k| self.shares_rule(b.kind, k, p))
            } else {
                self.bind(who, id, me, &mut trial)
            };
            let turned = match &p.facing {
                None => true,
                Some(f) if f.set == WhoSet::Myself && seeks_self => faces(id),
                Some(f) if f.set == who.set => faces(id),
                Some(f) => self.world.living().any(|(o, _)| faces(o) && self.bind(f, o, me, &mut trial.clone())),
            };
            if fits && turned {
                best = Some((d, id));
            }
        }
        match best {
            Some((_, id)) if seeks_self => me == Some(id),
            Some((_, id)) => self.bind(who, id, me, locals),
            None => false,
        }
    }

    /// True where an actor of `kind` has the same rule as one of `of`: they share an ancestor that
    /// declares it. Asked while the nearest `self` is sought.
    fn shares_rule(&self, kind: KindId, of: KindId, p: &Press) -> bool {
        self.program.rules.iter().any(|r| {
            r.kinds.contains(&kind)
                && r.kinds.contains(&of)
                && r.whens.iter().any(|w| matches!(w, Event::Press(q) if std::ptr::eq(q.as_ref(), p)))
        })
    }
}
