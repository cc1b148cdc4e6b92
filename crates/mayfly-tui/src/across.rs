//! From one view to another, with what is selected in all of them.
//!
//! Not here: what each shows ([`crate::site`], [`crate::script`], [`crate::flight`]).
//!
//! Invariant: going to another view changes neither the moment nor what is selected: what one selected is found there.

use crate::app::{App, Asked, Pane};
use crate::command::Command;
use crate::view::View;
use mayfly_base::*;
use mayfly_lang::analysis::{Analysis, SymbolId, SymbolKind};
use mayfly_session::laid::facts::symbol as named;
use mayfly_session::things::Thing;

impl App {
    /// Shows a view, with what is selected in the present one.
    pub fn show_view(&mut self, to: View) {
        if self.view == to {
            return;
        }
        let from = self.view;
        if to != View::Flight {
            self.read_texts();
        }
        match (from, to) {
            (View::Flight, View::Script) => {
                if let Some((file, at)) = self.place_of_flight() {
                    self.show_text(file, at);
                } else {
                    self.reveal_caret();
                }
            }
            (View::Site, View::Script) => {
                if let Some((file, at)) = self.place_of_site() {
                    self.show_text(file, at);
                }
            }
            (View::Script, View::Flight) => self.take_selection(self.symbol_at_caret()),
            (View::Site, View::Flight) => self.take_selection(self.symbol_of_site()),
            (View::Script, View::Site) => {
                let id = self.symbol_at_caret();
                self.show_on_site(id);
            }
            (View::Flight, View::Site) => {
                let id = self.symbol_of_flight();
                self.show_on_site(id);
            }
            _ => {}
        }
        self.script.typing &= to == View::Script;
        self.view = to;
        if to == View::Flight {
            self.fly_texts_now();
        }
        if to != View::Flight {
            self.let_go();
        }
    }

    /// Ends driving.
    fn let_go(&mut self) {
        if self.play.driving.take().is_some() {
            self.let_go_of_keys();
        }
    }

    /// Where the text of what is selected in the flight view begins, in the texts as they are.
    fn place_of_flight(&mut self) -> Option<(usize, usize)> {
        if let Some(id) = self.symbol_of_flight() {
            return self.place_of(id);
        }
        let span = self.selected_span()?;
        let name = &self.session.sources.get(span.file as usize)?.name;
        Some((self.work.docs.number(name)?, span.start as usize))
    }

    /// Where a symbol is declared.
    pub(crate) fn place_of(&self, id: SymbolId) -> Option<(usize, usize)> {
        let a = self.work.known()?;
        let s = a.symbols.get(id);
        Some((self.work.file_of(a, s.at.file)?, s.at.start as usize))
    }

    /// The symbol of what is asked about, or of the selected rung, in the flight view.
    fn symbol_of_flight(&self) -> Option<SymbolId> {
        let a = self.work.known()?;
        if self.flight.asked.is_none() && self.flight.focus == Pane::Watches {
            let target = self.session.watches.get(self.flight.watch_at)?.target?;
            return self.symbol_of_thing(a, Thing::Value(target));
        }
        // In a quiet tick what fired last stands in the drawer.
        let last = || {
            let last = self.last_before().filter(|_| self.is_quiet())?;
            let fired = last.cascade.rungs().find(|r| r.mark == mayfly_session::cascade::Mark::Fired);
            fired.or(last.cascade.rungs().next()).map(|r| r.rule)
        };
        let selected = || self.selected_rung().and_then(|n| self.session.now.cascade.rung(n)).map(|r| r.rule);
        let of_rung = || selected().or_else(last);
        let thing = match self.flight.asked {
            Some(Asked::Thing(t)) => t,
            Some(Asked::WhyNot(r)) => Thing::Rule(r),
            Some(Asked::Watch(i)) => Thing::Value(self.session.watches.get(i)?.target?),
            None => Thing::Rule(of_rung()?),
        };
        self.symbol_of_thing(a, thing)
    }

    fn symbol_of_thing(&self, a: &Analysis, thing: Thing) -> Option<SymbolId> {
        let p = &self.session.engine.program;
        match thing {
            Thing::Rule(r) => {
                let rule = self.session.level.rules.get(r.index())?;
                let owner = rule.owner.map(|k| self.session.level.kinds[k.index()].name.clone());
                named(a, SymbolKind::Rule, owner.as_deref(), &rule.title)
            }
            Thing::Zone((z, None)) => named(a, SymbolKind::Zone, None, &p.zones.get(z.index())?.name),
            Thing::Zone((z, Some(_))) => {
                let z = p.zones.get(z.index())?;
                let kind = z.of.map(|k| p.kinds[k.index()].name.clone());
                named(a, SymbolKind::Zone, kind.as_deref(), &z.name)
            }
            Thing::Actor(id) => {
                let actor = self.session.now.world.actors.get(id.index())?;
                named(a, SymbolKind::Actor, None, &actor.name)
                    .or_else(|| named(a, SymbolKind::Kind, None, &p.kinds[actor.kind.index()].name))
            }
            Thing::Tile(t) => named(a, SymbolKind::Tile, None, &p.tiles.get(t.index())?.name),
            Thing::Timer(t) => named(a, SymbolKind::Timer, None, &p.timers.get(t.index())?.name),
            Thing::Clock(c) => named(a, SymbolKind::Clock, None, &p.clocks.get(c.index())?.name),
            Thing::Message(m) => named(a, SymbolKind::Message, None, &p.messages.get(m.index())?.name),
            Thing::Machine((m, _)) => {
                let m = self.session.level.machines.get(m.index())?;
                let kind = m.of.map(|k| self.session.level.kinds[k.index()].name.clone());
                named(a, SymbolKind::Machine, kind.as_deref(), &m.name)
            }
            Thing::Define(d) => named(a, SymbolKind::Define, None, &self.session.level.defines.get(d.index())?.name),
            Thing::Value(t) => match t {
                mayfly_engine::Target::Var(v) => named(a, SymbolKind::Variable, None, &p.vars.get(v.index())?.name),
                mayfly_engine::Target::Field(who, f) => {
                    let kind = self.session.now.world.actors.get(who.index())?.kind;
                    let k = &p.kinds[kind.index()];
                    named(a, SymbolKind::Variable, Some(&k.name), &k.fields.get(f.index())?.name)
                }
                _ => None,
            },
        }
    }

    /// What a symbol is in the flight, where it is there.
    pub(crate) fn thing_of(&self, id: SymbolId) -> Option<Thing> {
        let a = self.work.known()?;
        let s = a.symbols.get(id);
        let (p, w, level) = (&self.session.engine.program, &self.session.now.world, &self.session.level);
        let of = s.of.map(|o| a.symbols.get(o));
        let kind = of.filter(|o| o.kind == SymbolKind::Kind).map(|o| o.name.as_str());
        let kind_is = |k: Option<KindId>| k.map(|k| p.kinds[k.index()].name.as_str()) == kind;
        let first = |kind: &str| w.living().find(|(_, x)| p.kinds[x.kind.index()].name == kind).map(|(id, _)| id);
        match s.kind {
            SymbolKind::Rule => {
                let is = |r: &mayfly_lang::level::Rule| r.title == s.name && kind_is(r.owner) && r.part.is_none();
                level.rules.iter().position(is).map(|i| Thing::Rule(RuleId::at(i)))
            }
            SymbolKind::Zone => {
                let i = p.zones.iter().position(|z| z.name == s.name && kind_is(z.of))?;
                let of = kind.map(first);
                match of {
                    Some(None) => None,
                    Some(who) => Some(Thing::Zone((ZoneId::at(i), who))),
                    None => Some(Thing::Zone((ZoneId::at(i), None))),
                }
            }
            SymbolKind::Actor => w.living().find(|(_, x)| *x.name == *s.name).map(|(id, _)| Thing::Actor(id)),
            SymbolKind::Kind => first(&s.name).map(Thing::Actor),
            SymbolKind::Tile => p.tiles.iter().position(|t| t.name == s.name).map(|i| Thing::Tile(TileId::at(i))),
            SymbolKind::Timer => p.timers.iter().position(|t| t.name == s.name).map(|i| Thing::Timer(TimerId::at(i))),
            SymbolKind::Clock => p.clocks.iter().position(|t| t.name == s.name).map(|i| Thing::Clock(ClockId::at(i))),
            SymbolKind::Message => {
                p.messages.iter().position(|t| t.name == s.name).map(|i| Thing::Message(MessageId::at(i)))
            }
            SymbolKind::Define if kind.is_none() => {
                let i = level.defines.iter().position(|d| d.name == s.name && d.of.is_none())?;
                Some(Thing::Define(DefineId::at(i)))
            }
            SymbolKind::Variable if kind.is_none() => {
                let i = p.vars.iter().position(|v| v.name == s.name)?;
                Some(Thing::Value(mayfly_engine::Target::Var(VarId::at(i))))
            }
            SymbolKind::Variable => {
                let who = first(kind?)?;
                let k = &p.kinds[w.actors[who.index()].kind.index()];
                let f = k.fields.iter().position(|f| f.name == s.name)?;
                Some(Thing::Value(mayfly_engine::Target::Field(who, FieldId::at(f))))
            }
            SymbolKind::Machine | SymbolKind::State => {
                let machine = if s.kind == SymbolKind::Machine { s } else { of? };
                let is = |m: &mayfly_lang::level::Machine| m.name == machine.name;
                let m = level.machines.iter().position(is).map(MachineId::at)?;
                self.session.machine_keys().into_iter().find(|(x, _)| *x == m).map(Thing::Machine)
            }
            _ => None,
        }
    }

    /// Selects in the flight what was selected in another view: a rule's rung where it was evaluated in this tick.
    pub(crate) fn take_selection(&mut self, id: Option<SymbolId>) {
        let Some(thing) = id.and_then(|id| self.thing_of(id)) else { return };
        if let Thing::Rule(r) = thing {
            let rung = self.session.now.cascade.rungs().find(|x| x.rule == r).map(|x| x.number);
            if rung.is_some() {
                self.flight.selected = rung;
                self.flight.asked = None;
            } else {
                self.flight.asked = Some(Asked::WhyNot(r));
            }
        } else {
            self.flight.asked = Some(Asked::Thing(thing));
        }
        self.flight.answer = None;
        self.flight.why_scroll = 0;
    }
}

impl App {
    /// A command about what is selected, given in another view: it is selected in the flight first, and what the flight
    /// view answers is shown there.
    pub(crate) fn bring_selection(&mut self, command: Command) {
        if self.view == View::Flight {
            return;
        }
        use Command as C;
        let shown_there = matches!(command, C::Why | C::Rules | C::ThenAndNow | C::Drive | C::Inspect);
        let about_it = matches!(command, C::AlongForward | C::AlongBack | C::Stop | C::Watch | C::Poke);
        if about_it || shown_there {
            // What one asks about is what was just written.
            self.fly_texts_now();
        }
        if about_it {
            let id = if self.view == View::Script { self.symbol_at_caret() } else { self.symbol_of_site() };
            self.flight.focus = Pane::Cascade;
            self.take_selection(id);
        } else if shown_there {
            self.flight.focus = Pane::Cascade;
            self.show_view(View::Flight);
        }
    }

    /// The last change of the flight view was a watch that was taken out.
    pub(crate) fn undoes_watch(&self) -> bool {
        self.view == View::Flight && !self.flight.removed_watches.is_empty()
    }

    /// Shows what was found where one looks for it: on the map, in the text; what has no place there, in the flight.
    pub(crate) fn show_found(&mut self, thing: Thing) {
        let id = self.work.known().cloned().and_then(|a| self.symbol_of_thing(&a, thing));
        let is_shown = match self.view {
            View::Flight => false,
            View::Script => id.and_then(|id| self.place_of(id)).is_some_and(|(file, at)| {
                self.show_text(file, at);
                true
            }),
            View::Site => {
                let name = match thing {
                    Thing::Actor(a) => self.session.now.world.actors.get(a.index()).map(|x| x.name.to_string()),
                    _ => None,
                };
                match name {
                    Some(name) => self.show_actor_on_site(&name),
                    None => self.show_on_site(id),
                }
            }
        };
        if is_shown {
            return;
        }
        self.show_view(View::Flight);
        self.ask_about(match thing {
            Thing::Rule(r) => Asked::WhyNot(r),
            _ => Asked::Thing(thing),
        });
    }

    /// What is selected in Site or Script, by the name that a watch or a stop takes.
    pub(crate) fn selected_name(&self) -> Option<String> {
        let a = self.work.known()?;
        let id = if self.view == View::Script { self.symbol_at_caret()? } else { self.symbol_of_site()? };
        let s = a.symbols.get(id);
        let of = s.of.map(|o| a.symbols.get(o)).filter(|o| o.kind == SymbolKind::Kind).map(|o| o.name.clone());
        Some(match (s.kind, of) {
            (SymbolKind::Rule, Some(of)) => format!("rule \"{of} / {}\"", s.name),
            (SymbolKind::Rule, None) => format!("rule \"{}\"", s.name),
            (SymbolKind::Message, _) => format!("message {}", s.name),
            (_, Some(of)) => format!("{of}.{}", s.name),
            (_, None) => s.name.clone(),
        })
    }
}
