//! Events: what a `when` line waits for, and which names it binds.
//!
//! Invariant: a name given twice in one event is the same actor, so it has one slot; a rule's `when`
//! lines share their slots by name.

use super::names::Def;
use super::proposals::Declared;
use super::{Checker, Frame, Watching};
use crate::ast::{self, AstNode};
use crate::level::*;
use crate::parser::is_reserved;
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;

/// The names that one event binds.
#[derive(Default)]
pub(crate) struct Bound {
    pub names: Vec<(String, Ty, Span)>,
}

impl Checker {
    /// A period that is known beforehand; of one that is wrong, one tick.
    pub fn period(&mut self, e: &Node) -> Period {
        let span = self.span(e);
        let one_tick = Period { lasts: self.level.rate.micros(1), ticks: 1, span };
        match self.constant(e, &Ty::Duration) {
            Some(Value::Duration(d)) if d < 0 => {
                self.error(
                    "bad-duration",
                    span,
                    "a period cannot be shorter than nothing",
                    "write a duration such as `500ms`",
                );
                one_tick
            }
            Some(Value::Duration(lasts)) => Period::new(lasts, self.level.rate, span),
            _ => one_tick,
        }
    }

    /// An event, and what it binds.
    pub fn event(&mut self, n: &Node, f: &mut Frame, bound: &mut Bound) -> Option<Event> {
        if n.kind() == K::EVENT_EXPR {
            return self.watched_event(n, f, bound);
        }
        let form = ast::Event::cast(n)?;
        let verb = n.child(K::VERB);
        let verb = verb.as_ref().map(Node::phrase).unwrap_or_default();
        let whos = n.all(K::WHO);
        match &*verb {
            "start" => return Some(Event::Start),
            "tick" => return Some(Event::Tick),
            "every" => {
                let e = n.expr()?;
                let period = self.period(&e);
                let first = form.from().map_or(period, |e| self.period(&e));
                return Some(Event::Every { first, period });
            }
            "after" => {
                let e = n.expr()?;
                return Some(Event::After(self.period(&e)));
            }
            "hears" => return self.hears(n, f, bound),
            _ => {}
        }
        let subject = whos.first()?.clone();
        let every = |c: &mut Self| Interval(form.every().map(|e| c.period(&e)));
        match &*verb {
            "ends" => {
                let e = subject.expr()?;
                let (name, at) = (Self::text_of(&e), self.span(&subject));
                if e.kind() == K::NAME_EXPR && !self.names.contains_key(&name) && f.find(&name).is_none() {
                    self.error("no-timer", at, format!("`{name}` is no timer"), "declare one: `timer flood = 30s`");
                    return None;
                }
                match self.expr(&e, Some(&Ty::Timer), f) {
                    (e, ty) if *ty.inner() == Ty::Timer => Some(Event::TimerEnds(e)),
                    (_, Ty::Broken) => None,
                    _ => {
                        self.error("no-timer", at, format!("`{name}` is no timer"), "declare one: `timer flood = 30s`");
                        None
                    }
                }
            }
            "passes" => self.passes(n, &subject),
            "treads" => {
                let who = self.who(&subject, f, bound);
                let object = whos.get(1)?.clone();
                let (name, at) = (object.exprs().first().map(Self::text_of).unwrap_or_default(), self.span(&object));
                let on = self.tile_what(&name);
                if on.is_none() {
                    let l = &self.level;
                    let tags = l.tiles.iter().flat_map(|t| &t.tags).map(|t| l.tags[t.index()].as_str());
                    let near = self.near(&name, l.tiles.iter().map(|t| t.name.as_str()).chain(tags));
                    self.no_such(
                        "no-tile",
                        at,
                        format!("`{name}` is no tile and no tile's tag"),
                        near,
                        "declare it in `tiles { }`".into(),
                    );
                }
                Some(Event::Treads { who, on: on? })
            }
            "arrives" => {
                let who = self.who(&subject, f, bound);
                let at = form.at().map(|e| self.expect(&e, &Ty::Point, f));
                Some(Event::Arrives { who, at })
            }
            "is stuck" => Some(Event::Stuck(self.who(&subject, f, bound))),
            "comes to" => {
                let who = self.who(&subject, f, bound);
                let (name, at) = self.declared(n)?;
                Some(Event::Comes { who, area: self.area_named(&name, at)? })
            }
            "enters" | "leaves" | "in" | "moves in" => {
                let object = whos.get(1)?.clone();
                if let Some(event) = self.machine_event(&subject, &object, &verb, f, bound) {
                    return event;
                }
                let who = self.who(&subject, f, bound);
                let zone = self.which_zone(&object, f, bound)?;
                let verb = match &*verb {
                    "enters" => ZoneVerb::Enters,
                    "leaves" => ZoneVerb::Leaves,
                    "in" => ZoneVerb::In(every(self)),
                    _ => ZoneVerb::MovesIn,
                };
                Some(Event::Zone { verb, who, zone })
            }
            "touches" | "parts from" | "touching" | "nears" | "near" | "strays from" | "sees" | "loses" | "seeing" => {
                let object = whos.get(1)?.clone();
                self.both_named(&subject, &object);
                let (a, b) = (self.who(&subject, f, bound), self.who(&object, f, bound));
                if matches!(&*verb, "sees" | "loses" | "seeing") {
                    self.needs_sight(&a.set, self.span(&subject), f.me);
                }
                let verb = match &*verb {
                    "sees" => PairVerb::Sees,
                    "loses" => PairVerb::Loses,
                    "seeing" => PairVerb::Seeing(every(self)),
                    "touches" => PairVerb::Touches,
                    "parts from" => PairVerb::Parts,
                    "touching" => PairVerb::Touching(every(self)),
                    word => {
                        let within = form.within().or_else(|| form.beyond())?;
                        let within = match self.constant(&within, &Ty::Number) {
                            Some(Value::Number(d)) => d,
                            _ => return None,
                        };
                        let until = match form.until().map(|u| self.constant(&u, &Ty::Number)) {
                            Some(Some(Value::Number(u))) => u.max(within),
                            _ => within,
                        };
                        let range = self.range(&a.set, &b.set, within, until, f.me);
                        match word {
                            "nears" => PairVerb::Nears(range),
                            "near" => PairVerb::Near(range, every(self)),
                            _ => PairVerb::Strays(range),
                        }
                    }
                };
                Some(Event::Pair { verb, a, b })
            }
            "presses" | "pressing" => self.press(n, &subject, &verb, f, bound),
            "spawns" => Some(Event::Spawns(self.who(&subject, f, bound))),
            "is removed" => Some(Event::Removed(self.who(&subject, f, bound))),
            "bumps" => {
                let who = self.who(&subject, f, bound);
                let object = whos.get(1)?.clone();
                let name = object.exprs().first().map(Self::text_of).unwrap_or_default();
                let into = match self.tile_what(&name) {
                    Some(t) => BumpWhat::Tile(t),
                    None => BumpWhat::Actor(self.who(&object, f, bound)),
                };
                Some(Event::Bumps { who, into })
            }
            _ => None,
        }
    }

    fn press(&mut self, n: &Node, subject: &Node, verb: &str, f: &mut Frame, bound: &mut Bound) -> Option<Event> {
        let who = self.who(subject, f, bound);
        let (name, at) = self.declared(n)?;
        let input = self.input_named(&name, at)?;
        let form = ast::Event::cast(n)?;
        let near = form.near().map(|w| self.who(&w, f, bound));
        let within = form.within().map(|e| self.expect(&e, &Ty::Number, f));
        if near.is_some() != within.is_some() {
            let span = self.span(n);
            self.error(
                "no-distance",
                span,
                "`near` and `within` belong together",
                "write `presses wind near lamp within 2`",
            );
        }
        let facing = form.facing().map(|w| self.who(&w, f, bound));
        let zone = form.zone().and_then(|w| self.which_zone(&w, f, bound));
        let held = (verb == "pressing").then(|| Interval(form.every().map(|e| self.period(&e))));
        Some(Event::Press(Box::new(Press { who, input, near: near.map(|w| (w, within)), facing, zone, held })))
    }

    fn hears(&mut self, n: &Node, f: &mut Frame, bound: &mut Bound) -> Option<Event> {
        let e = n.child(K::EV_MESSAGE)?.expr()?;
        let callee = if e.kind() == K::CALL_EXPR { e.expr()? } else { e.clone() };
        let (name, at) = (Self::text_of(&callee), self.span(&callee));
        let Some((heard, id)) = self.heard(&callee, &name, at, f) else {
            // The names of its values are named all the same.
            for a in e.child(K::ARGS).map(|a| a.exprs()).unwrap_or_default() {
                let (called, span) = (Self::text_of(&a), self.span(&a));
                if a.kind() == K::NAME_EXPR && !self.names.contains_key(&called) {
                    self.bind(&called, &Ty::Broken, span, f, bound);
                }
            }
            return None;
        };
        let id = id.filter(|id| !self.gaps.messages.contains(id));
        let params = id.map(|id| self.level.messages[id.index()].params.clone());
        let args = e.child(K::ARGS).map(|a| a.exprs()).unwrap_or_default();
        // Of a message that only a variable names, the values' types are not known.
        let params = params.unwrap_or_else(|| args.iter().map(|_| (String::new(), Ty::Broken)).collect());
        if args.len() > params.len() || (args.len() < params.len() && e.kind() == K::CALL_EXPR) {
            let span = self.span(&e);
            let names: Vec<&str> = params.iter().map(|(n, _)| n.as_str()).collect();
            self.error(
                "wrong-count",
                span,
                format!(
                    "`{name}` has {}, and {} named",
                    number::counted(params.len(), "value"),
                    number::are(args.len())
                ),
                format!("write `hears {name}({})`", names.join(", ")),
            );
        }
        let mut slots = vec![];
        for (a, (_, ty)) in args.iter().zip(&params) {
            let (called, span) = (Self::text_of(a), self.span(a));
            if a.kind() != K::NAME_EXPR || is_reserved(&called) {
                self.error(
                    "no-name",
                    span,
                    "a name for the message's value is wanted here",
                    "write `hears bell(pitch)`; test the value with `if`",
                );
                continue;
            }
            if self.names.contains_key(&called) {
                self.name_taken(
                    span,
                    format!("`{called}` is declared already"),
                    "choose another name for the message's value",
                );
                continue;
            }
            slots.push(self.bind(&called, ty, span, f, bound));
        }
        Some(Event::Hears { message: heard, slots })
    }

    /// A message by its name, or a variable that holds one; with one whose parameters it has.
    fn heard(&mut self, callee: &Node, name: &str, at: Span, f: &mut Frame) -> Option<(Heard, Option<MessageId>)> {
        let held = callee.kind() != K::NAME_EXPR
            || f.find(name).is_some()
            || matches!(self.names.get(name), Some((Def::Var(_), _)));
        if !held {
            let id = self.message_named(name, at)?;
            self.used.hears(at, id);
            return Some((Heard::One(id), Some(id)));
        }
        let (e, ty) = self.expr(callee, Some(&Ty::Message(None)), f);
        let like = match ty.inner() {
            Ty::Message(like) => *like,
            Ty::Broken => return None,
            other => {
                let shown = other.show(self);
                self.error("no-message", at, format!("`{name}` is {shown}, not a message"), "name a message");
                return None;
            }
        };
        let all = (0..self.level.messages.len()).map(MessageId::at);
        let fits: Vec<MessageId> =
            all.filter(|m| like.is_none_or(|l| crate::types::TypeNames::same_params(self, *m, l))).collect();
        fits.iter().for_each(|m| self.used.hears(at, *m));
        Some((Heard::Held(e, fits), like))
    }

    pub fn message_named(&mut self, name: &str, span: Span) -> Option<MessageId> {
        match self.names.get(name).map(|(d, _)| *d) {
            Some(Def::Message(m)) => Some(m),
            Some(other) => {
                self.error(
                    "no-message",
                    span,
                    format!("`{name}` is {}, not a message", other.what()),
                    "declare a message: `message bell(pitch: number)`",
                );
                None
            }
            None => {
                let near = self.near_declared(Declared::Messages, name);
                self.no_such(
                    "unknown-name",
                    span,
                    format!("there is no message `{name}`"),
                    near,
                    format!("declare it: `message {name}`"),
                );
                None
            }
        }
    }

    /// `EXPR turns true`, `VAR changes`, `EXPR reaches N`, `EXPR drops to N`.
    fn watched_event(&mut self, n: &Node, f: &mut Frame, bound: &mut Bound) -> Option<Event> {
        let exprs = n.exprs();
        let verb = n.child(K::VERB);
        let verb = verb.as_ref().map(Node::phrase).unwrap_or_default();
        let e = exprs.first()?.clone();
        let mut wf = Frame {
            me: f.me,
            title: f.title.clone(),
            draws: f.draws,
            watching: Some(Watching::default()),
            ..Frame::default()
        };
        let (expr, ty) = self.expr(&e, None, &mut wf);
        let wanted_false = n.has_word("false");
        let form = match &*verb {
            "changes" => WatchForm::Changes,
            "turns" => {
                if !matches!(ty.inner(), Ty::Flag | Ty::Broken) {
                    let shown = ty.show(self);
                    self.error(
                        "wrong-type",
                        expr.span,
                        format!("only a flag turns true or false, and this is {shown}"),
                        "write `changes`, or a comparison: `x > 3 turns true`",
                    );
                    return None;
                }
                if wanted_false { WatchForm::TurnsFalse } else { WatchForm::TurnsTrue }
            }
            _ => {
                if !matches!(ty.inner(), Ty::Number | Ty::Duration | Ty::Broken) {
                    let shown = ty.show(self);
                    self.error(
                        "wrong-type",
                        expr.span,
                        format!("only numbers and durations reach a bound, and this is {shown}"),
                        "write `changes` or `turns true`",
                    );
                    return None;
                }
                let bound = exprs.get(1)?.clone();
                let bound = self.expect(&bound, ty.inner(), &mut wf);
                if verb == "reaches" { WatchForm::Reaches(bound) } else { WatchForm::DropsTo(bound) }
            }
        };
        f.draws = wf.draws;
        let watching = wf.watching.unwrap_or_default();
        let mut text = Self::text_of(&e);
        let (over, bind) = match (&watching.kind, watching.me) {
            (Some((k, name)), _) => {
                // The same expression of the same actors is watched once, whatever it calls them.
                text = replace_word(&text, name, "self");
                let span = self.span(&e);
                let ty = self.one_of_kind(*k);
                let slot = self.bind(name, &ty, span, f, bound);
                (Some(*k), Some(slot))
            }
            (None, true) => (f.me, None),
            (None, false) => (None, None),
        };
        if let Ty::Broken = ty {
            return None;
        }
        let key = (text.clone(), over);
        let watch = match self.watch_keys.get(&key) {
            Some(w) => *w,
            None => {
                let id = WatchId::at(self.level.watches.len());
                self.level.watches.push(Watch { expr, over, text });
                self.watch_keys.insert(key, id);
                id
            }
        };
        Some(Event::Watched { watch, form, bind })
    }
}

/// `text` with each whole word `word` replaced.
fn replace_word(text: &str, word: &str, by: &str) -> String {
    let mut out = String::new();
    let mut rest = text;
    let mut before = ' ';
    while let Some(c) = rest.chars().next() {
        let is_word = |c: char| c == '_' || c.is_alphanumeric();
        let len = rest.find(|c| !is_word(c)).unwrap_or(rest.len());
        if is_word(c) && len > 0 {
            let w = &rest[..len];
            out.push_str(if w == word && before != '.' { by } else { w });
            rest = &rest[len..];
            before = 'a';
        } else {
            out.push(c);
            before = c;
            rest = &rest[c.len_utf8()..];
        }
    }
    out
}
