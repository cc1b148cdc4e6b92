//! What each command does to the application's state.
//!
//! Not here: the state itself ([`crate::app`]), what is seen of it ([`crate::screen`]); reading keys and the clock
//! is [`crate::run`]'s.
//!
//! Invariant: nothing here draws, sleeps or reads a file; the session alone says what is true.

use crate::app::Answer;
use crate::app::App;
use crate::app::Asked;
use crate::app::Drawer;
use crate::app::Effect;
use crate::app::Overlay;
use crate::app::Writing;
use crate::command::Command;
use crate::sizes::Pane;
use crate::view::View;
use mayfly_session::moment::{At, Moment};
use mayfly_session::step::Step;
use ratatui::layout::Rect;

impl App {
    /// What the drawer shows; worked out when first asked.
    pub fn ask(&mut self) -> &Answer {
        let key = (self.session.moment, self.selected_rung());
        let fresh = self.flight.answer.as_ref().is_some_and(|(m, r, _)| (*m, *r) == key);
        if !fresh {
            let answer = match &self.flight.asked {
                Some(Asked::WhyNot(r)) => Answer::WhyNot(Box::new(self.session.why_not(*r))),
                Some(Asked::Watch(i)) => Answer::Watch(*i),
                Some(Asked::Thing(thing)) => {
                    let thing = *thing;
                    let name = format!("{}  {}", self.session.thing_name(thing), thing.sort());
                    Answer::About(name, self.session.about(thing))
                }
                None => match key.1.and_then(|n| self.session.why(n)) {
                    Some(w) => Answer::Why(Box::new(w)),
                    None => Answer::Nothing,
                },
            };
            self.flight.answer = Some((key.0, key.1, answer));
            self.flight.link_at = None;
        }
        self.flight.answer.as_ref().map_or(&Answer::Nothing, |(_, _, a)| a)
    }

    /// Carries a command out.
    pub fn update(&mut self, command: Command) -> Effect {
        self.message = (String::new(), false);
        self.bring_selection(command);
        let stood = (self.session.branch.clone(), self.session.moment);
        let version = self.work.docs.version();
        let effect = self.carry_out(command);
        self.begun_on_site(version);
        let moved = self.session.moment != stood.1;
        if command.jumps() {
            self.remember(stood);
        }
        if self.view == View::Script && moved {
            self.follow_in_text();
        }
        crate::overlay::opened(self);
        effect
    }

    fn carry_out(&mut self, command: Command) -> Effect {
        match command {
            Command::Quit if self.has_unsaved() || self.work.docs.is_changed() => {
                self.play.running = false;
                self.overlays.push(Overlay::quit(self));
            }
            Command::Quit => return Effect::Quit,
            Command::JumpBack if self.view == View::Script && self.text_back() => {}
            Command::JumpBack => self.jump_back(),
            Command::Run => {
                self.play.running = !self.play.running;
                self.play.owed = 0.0;
            }
            Command::Forward => {
                self.play.running = false;
                let step = self.session.step_forward();
                self.say_step(&step);
                self.follow();
            }
            Command::Back => {
                self.play.running = false;
                let step = self.session.step_back();
                self.say_step(&step);
                self.follow();
            }
            Command::Finer => self.session.step_size = self.session.step_size.finer(),
            Command::Coarser => self.session.step_size = self.session.step_size.coarser(),
            Command::Slower => self.play.speed -= 1,
            Command::Faster => self.play.speed += 1,
            Command::Start => self.go(Moment { tick: 0, at: At::Start }),
            Command::Live => self.go(Moment { tick: self.session.last_tick(), at: At::End }),
            Command::AlongForward | Command::AlongBack => self.along(command == Command::AlongForward),
            Command::Drive => {
                self.play.driving = self.session.steered();
                self.say_driving();
            }
            Command::NextDriven => {
                let all = self.steered();
                let at =
                    all.iter().position(|a| Some(*a) == self.play.driving).map_or(0, |i| (i + 1) % all.len().max(1));
                self.play.driving = all.get(at).copied();
                self.say_driving();
            }
            Command::Leave if self.view == View::Script => self.leave_typing(),
            Command::Leave if self.view == View::Site => {
                if !std::mem::take(&mut self.site.in_list) {
                    self.site.mark = None;
                    self.site.count = None;
                }
            }
            Command::NextArea | Command::Layer | Command::ZoomIn | Command::ZoomOut if self.view == View::Site => {
                self.look_on_site(command);
            }
            Command::NextPane | Command::PreviousPane if self.view == View::Site => {
                self.site.in_list = !self.site.in_list;
            }
            Command::Left | Command::Right | Command::Up | Command::Down if self.view == View::Site => {
                self.arrow_on_site(command);
            }
            Command::FarLeft | Command::FarRight | Command::PageUp | Command::PageDown if self.view == View::Site => {
                self.arrow_on_site(command);
            }
            Command::Leave => {
                if self.play.driving.take().is_some() {
                    self.let_go_of_keys();
                } else if self.flight.comparing {
                    self.flight.comparing = false;
                    self.session.put_beside(None);
                    self.flight.differing.clear();
                    self.rerun.parts_at = self.session.parts_at();
                } else if self.flight.drawer != Drawer::Why {
                    self.flight.drawer = Drawer::Why;
                } else {
                    self.flight.asked = None;
                }
                self.flight.answer = None;
            }
            Command::Unwatch => self.remove_watch(),
            Command::Undo if self.undoes_watch() => self.bring_back_watch(),
            Command::WatchUp | Command::WatchDown => {
                self.flight.watch_at = self.session.move_watch(self.flight.watch_at, command == Command::WatchDown);
                self.keep_watches();
                self.flight.answer = None;
            }
            Command::Wider | Command::Narrower => {
                let area = Rect { x: 0, y: 0, width: self.size.0, height: self.size.1 };
                self.flight.sizes.grow(self.flight.focus, if command == Command::Wider { 2 } else { -2 }, area);
            }
            Command::Export => self.overlays.push(Overlay::export(self)),
            Command::OnlyChanged => {
                self.flight.only_changed = !self.flight.only_changed;
                self.select_shown_watch();
                self.say(if self.flight.only_changed { "watches: only what changed here" } else { "watches: all" });
            }
            Command::OnlyFired => {
                self.flight.only_fired = !self.flight.only_fired;
                self.say(if self.flight.only_fired {
                    "cascade: only what fired"
                } else {
                    "cascade: everything that was evaluated"
                });
            }
            Command::Why => self.why(),
            Command::FirstCause => self.first_cause(),
            Command::FirstEffect => self.first_effect(),
            Command::Branches => self.overlays.push(Overlay::branches(self)),
            Command::NameBranch => self.overlays.push(Overlay::name_branch(self)),
            Command::ThenAndNow => self.then_and_now(),
            Command::Lanes => self.turn_drawer(Drawer::Lanes),
            Command::Machine => self.turn_drawer(Drawer::Machine),
            Command::NextMachine => self.next_machine(),
            Command::Pin => self.pin(),
            Command::Inspect => self.overlays.push(Overlay::inspect(self)),
            Command::Find => self.overlays.push(Overlay::find(self)),
            Command::NextFault => self.next_fault(),
            Command::Editor => self.open_editor(),
            Command::ShowText => self.show_view(View::Script),
            Command::Filter => self.overlays.push(Overlay::filter(self)),
            Command::Copy => {
                let text = self.session.now.cascade.text(self.theme.ascii);
                self.disk.to_write.push((Writing::Clipboard, text));
            }
            Command::Fold if self.flight.focus == Pane::Log => self.follow_log(),
            Command::Fold if self.flight.focus == Pane::Why => {
                let at = self.flight.link_at.unwrap_or(0);
                self.follow_link(at);
            }
            Command::Fold => {
                if let Some(n) = self.selected_rung()
                    && !self.flight.toggled.remove(&n)
                {
                    self.flight.toggled.insert(n);
                }
            }
            Command::NextPane | Command::PreviousPane => {
                let all = self.panes();
                let i = all.iter().position(|p| *p == self.flight.focus).unwrap_or(0);
                let by = if command == Command::NextPane { 1 } else { all.len() - 1 };
                self.flight.focus = all[(i + by) % all.len()];
            }
            Command::Centre => self.centre_map(),
            Command::NextArea => self.next_area(),
            Command::Layer => self.next_layer(),
            Command::Left => self.move_cursor(-1, 0),
            Command::Right => self.move_cursor(1, 0),
            Command::FarLeft => self.move_cursor(-10, 0),
            Command::FarRight => self.move_cursor(10, 0),
            Command::Up => self.move_in_pane(-1),
            Command::Down => self.move_in_pane(1),
            Command::PageUp => self.move_in_pane(-10),
            Command::PageDown => self.move_in_pane(10),
            Command::ZoomIn if self.zooms_lanes() => self.flight.lane_scale = (self.flight.lane_scale / 2).max(1),
            Command::ZoomOut if self.zooms_lanes() => {
                self.flight.lane_scale = (self.flight.lane_scale * 2).min(1 << 20)
            }
            Command::ZoomIn | Command::ZoomOut if self.flight.focus == Pane::Map => {
                self.scale_map(command == Command::ZoomIn);
            }
            Command::ZoomIn => self.zoom = (self.zoom + 1).min(16),
            Command::ZoomOut => self.zoom -= 1,
            Command::OtherBranch => {
                self.play.running = false;
                let here = self.session.moment;
                if self.session.swap_branch() {
                    // One stands where one stood, as far as the other branch goes.
                    self.session.go(here);
                    self.leave_comparison();
                    let (name, last) = (self.session.branch.clone(), self.session.last_tick());
                    self.say(format!("branch \"{name}\", to tick {last}; o goes back"));
                }
                self.follow();
            }
            Command::StartOver => self.start_over(),
            Command::GoTo => self.overlays.push(Overlay::go_to()),
            Command::Watch => self.overlays.push(Overlay::watch(self.watch_suggestion())),
            Command::Poke => self.overlays.push(Overlay::poke(self.poke_suggestion())),
            Command::Stop => self.overlays.push(Overlay::stop(self.stop_suggestion())),
            Command::Stops => self.overlays.push(Overlay::stops(self)),
            Command::SaveFlight => self.save_flight(),
            Command::Rules => self.overlays.push(Overlay::rules(self)),
            Command::Problems => self.overlays.push(Overlay::problems(self)),
            Command::Palette => self.overlays.push(Overlay::palette(self)),
            Command::Help => self.overlays.push(Overlay::help(self)),
            other => self.carry_out_on_text(other),
        }
        Effect::None
    }

    fn say_step(&mut self, step: &Step) {
        match step {
            Step::Made => {}
            Step::AtStart => self.say("this is the beginning of the flight"),
            Step::Ended => self.say(format!("the level has ended at tick {}", self.session.last_tick())),
            Step::Nothing(n) => {
                self.say(format!("ran {} on: nothing was evaluated in them", mayfly_session::words::ticks(*n)));
            }
        }
    }

    pub fn go(&mut self, to: Moment) {
        self.play.running = false;
        self.session.go(to);
        self.follow();
    }

    fn why(&mut self) {
        self.flight.why_scroll = 0;
        if self.flight.focus == Pane::Watches && !self.session.watches.is_empty() {
            self.flight.asked = Some(Asked::Watch(self.flight.watch_at));
        } else {
            self.flight.asked = None;
        }
        self.flight.answer = None;
        if self.is_folded {
            self.flight.focus = Pane::Why;
        }
    }

    fn first_cause(&mut self) {
        self.flight.asked = None;
        self.flight.answer = None;
        let link = match self.ask() {
            Answer::Why(w) => w.because.first().cloned(),
            _ => None,
        };
        match link {
            Some(l) => {
                let moment = l.moment;
                self.go(moment);
                self.say(l.text);
            }
            None => self.say("nothing that was recorded came before"),
        }
    }

    fn along(&mut self, forward: bool) {
        self.play.running = false;
        if self.flight.comparing {
            match self.session.next_difference(forward) {
                Some(tick) => self.go(Moment { tick, at: At::End }),
                None => {
                    let way = if forward { "later" } else { "earlier" };
                    let values = match self.session.differing_values().len() {
                        0 => "no value of the level differs here",
                        1 => "1 value of the level differs here",
                        n => return self.say(format!("no {way} tick differs; {n} values of the level differ here")),
                    };
                    self.say(format!("no {way} tick differs; {values}"));
                }
            }
            return;
        }
        let (found, what) = if self.flight.focus == Pane::Watches
            && let Some(w) = self.session.watches.get(self.flight.watch_at).cloned()
        {
            (w.target.is_some_and(|t| self.session.along_write(t, forward)), format!("{} was not written", w.text))
        } else if let Some(Asked::Thing(thing)) = self.flight.asked {
            let name = self.session.thing_name(thing);
            (self.session.along_thing(thing, forward), format!("nothing became of {name}"))
        } else {
            let of_rung = self.selected_rung().and_then(|n| self.session.now.cascade.rung(n)).map(|r| r.rule);
            let Some(rule) = self.asked_rule().or(of_rung) else {
                match self.session.next_evaluated(forward) {
                    Some(tick) => self.go(Moment { tick, at: At::End }),
                    None => {
                        let way = if forward { "later" } else { "earlier" };
                        self.say(format!("nothing was evaluated {way} in this flight"));
                    }
                }
                return;
            };
            let name = self.session.engine.program.rule_name(rule);
            (self.session.along_rule(rule, forward), format!("\"{name}\" was not evaluated"))
        };
        self.follow();
        if !found {
            self.say(format!("{what} {} in this flight", if forward { "later" } else { "earlier" }));
        }
    }
}
