//! The forms that rules are made of, after an edit.
//!
//! Not here: what is declared ([`super`]).
//!
//! Invariant: as in [`super`]; every form is named, so that a new one does not compile before it is said what of it moves.

use super::{Change, Moves};
use crate::level::*;
use crate::types::Ty;
use mayfly_base::Value;
use mayfly_base::code::*;

/// Words have no places, numbers that count or measure are not numbers of things.
macro_rules! still {
    ($($t:ty)*) => { $(impl Moves for $t { fn moves(&mut self, _: &Change) {} })* };
}

still! { String Attr f64 u16 u64 }

impl Moves for () {
    fn moves(&mut self, _: &Change) {}
}

impl Moves for ExprKind {
    fn moves(&mut self, by: &Change) {
        match self {
            Self::Local(_) | Self::Myself | Self::Called(_) | Self::Time | Self::Tick => {}
            Self::Const(v) => v.moves(by),
            Self::Var(id) => id.moves(by),
            Self::Define(id) => id.moves(by),
            Self::ClockShows(clock, _) | Self::ClockRun(clock, _) | Self::ClockSpeed(clock) => clock.moves(by),
            Self::Text(pieces) => pieces.moves(by),
            Self::As(a, kind) => {
                a.moves(by);
                kind.moves(by);
            }
            Self::Field(a, field) => {
                a.moves(by);
                field.moves(by);
            }
            Self::ZoneOf(a, zone) => {
                a.moves(by);
                zone.moves(by);
            }
            Self::Pressing(a, input) => {
                a.moves(by);
                input.moves(by);
            }
            Self::DefineOf(a, define) => {
                a.moves(by);
                define.moves(by);
            }
            Self::Attr(a, _)
            | Self::Axis(a, _)
            | Self::Not(a)
            | Self::Negate(a)
            | Self::Exists(a)
            | Self::Ramping(a)
            | Self::First(a)
            | Self::Halted(a)
            | Self::TimerLeft(a)
            | Self::TimerRunning(a) => a.moves(by),
            Self::Point(a, b, area) => {
                a.moves(by);
                b.moves(by);
                area.moves(by);
                by.lies_somewhere();
            }
            Self::Index(a, b)
            | Self::Binary(_, a, b)
            | Self::And(a, b)
            | Self::Or(a, b)
            | Self::Per(a, b)
            | Self::Relation(_, a, b) => {
                a.moves(by);
                b.moves(by);
            }
            Self::If(a, b, c) | Self::Between(a, b, c) | Self::Near(a, b, c) => {
                a.moves(by);
                b.moves(by);
                c.moves(by);
            }
            Self::List(all) | Self::Call(_, all) => all.moves(by),
            Self::Draw(_, draw, all) => {
                draw.moves(by);
                all.moves(by);
            }
            Self::Routine(routine, all) => {
                routine.moves(by);
                all.moves(by);
            }
            Self::Over(over) => over.moves(by),
            Self::MachineState(machine, of) => {
                machine.moves(by);
                of.moves(by);
            }
            Self::InState(machine, of, state, long) => {
                machine.moves(by);
                of.moves(by);
                state.moves(by);
                long.moves(by);
            }
        }
    }
}

impl Moves for Piece {
    fn moves(&mut self, by: &Change) {
        match self {
            Self::Words(_) => {}
            Self::Value(e, _) => e.moves(by),
        }
    }
}

impl Moves for WhoSet {
    fn moves(&mut self, by: &Change) {
        match self {
            Self::Any | Self::Myself => {}
            Self::Actor(id) => id.moves(by),
            Self::Kind(id) => id.moves(by),
            Self::Tag(id) => id.moves(by),
            Self::Held(e) => e.moves(by),
        }
    }
}

impl Moves for Part {
    fn moves(&mut self, by: &Change) {
        match self {
            Self::Transition { machine, from, to } => {
                machine.moves(by);
                from.moves(by);
                match to {
                    Goal::State(state) => state.moves(by),
                    Goal::Previous => {}
                    Goal::OneOf(draw, rows) => {
                        draw.moves(by);
                        rows.iter_mut().for_each(|(state, weight, test)| {
                            state.moves(by);
                            weight.moves(by);
                            test.moves(by);
                        });
                    }
                }
            }
            Self::Enter(state) | Self::Leave(state) | Self::Loop(state) | Self::In(state) => state.moves(by),
            Self::Wait => {}
        }
    }
}

impl Moves for Override {
    fn moves(&mut self, by: &Change) {
        match self {
            Self::Field(field, e) => {
                field.moves(by);
                e.moves(by);
            }
            Self::Attr(_, e) => e.moves(by),
        }
    }
}

impl Moves for Place {
    fn moves(&mut self, by: &Change) {
        match self {
            Self::Local(_) => {}
            Self::Var(id) => id.moves(by),
            Self::ClockSpeed(id) => id.moves(by),
            Self::Field(e, field) => {
                e.moves(by);
                field.moves(by);
            }
            Self::Attr(e, _) => e.moves(by),
            Self::Entry(place, e) => {
                place.moves(by);
                e.moves(by);
            }
        }
    }
}

impl Moves for StmtKind {
    fn moves(&mut self, by: &Change) {
        match self {
            Self::Do(a) => a.moves(by),
            Self::Let(_, e) | Self::Wait(e) => e.moves(by),
            Self::If(arms, other) => {
                arms.moves(by);
                other.moves(by);
            }
            Self::Repeat(_, e, body) | Self::While(e, body) => {
                e.moves(by);
                body.moves(by);
            }
            Self::For { slot: _, list: _, at: _, over, test, body } => {
                match over {
                    ForOver::Range(a, b) => {
                        a.moves(by);
                        b.moves(by);
                    }
                    ForOver::Each(e) => e.moves(by),
                }
                test.moves(by);
                body.moves(by);
            }
            Self::Seq(body) | Self::Meanwhile(body) => body.moves(by),
            Self::WeightedChoice(draw, arms) => {
                draw.moves(by);
                arms.moves(by);
            }
            Self::Break | Self::Continue | Self::WaitRamp | Self::WaitWalk => {}
            Self::Return(e) => e.moves(by),
            Self::WaitUntil { test, at_most } => {
                test.moves(by);
                at_most.moves(by);
            }
            Self::WaitFor { event, at_most } => {
                event.moves(by);
                at_most.moves(by);
            }
            Self::Routine { routine, args, into: _ } => {
                routine.moves(by);
                args.moves(by);
            }
        }
    }
}

impl Moves for Action {
    fn moves(&mut self, by: &Change) {
        match self {
            Self::Assign { place, op: _, value } | Self::Push { list: place, value } => {
                place.moves(by);
                value.moves(by);
            }
            Self::Bag { bag, add: _, value } => {
                bag.moves(by);
                value.moves(by);
            }
            Self::Send { message, args, to, after } => {
                message.moves(by);
                args.moves(by);
                match to {
                    Some(SendTo::One(e)) => e.moves(by),
                    Some(SendTo::All(set)) => set.moves(by),
                    None => {}
                }
                after.moves(by);
            }
            Self::Tell { text, to, from } => {
                text.moves(by);
                to.moves(by);
                from.moves(by);
            }
            Self::Prompt { text, on, sustain, lasts } => {
                text.moves(by);
                on.moves(by);
                sustain.moves(by);
                lasts.moves(by);
            }
            Self::Board { text, sustain } => {
                text.moves(by);
                sustain.moves(by);
            }
            Self::Spawn { kind, at, bind: _, overrides } => {
                kind.moves(by);
                at.moves(by);
                overrides.moves(by);
            }
            Self::Move { who: a, to: b }
            | Self::Face { who: a, to: b, toward: _ }
            | Self::Shove { who: a, by: b }
            | Self::Tag { who: a, tag: b, on: _ }
            | Self::Lay { tile: a, at: b } => {
                a.moves(by);
                b.moves(by);
            }
            Self::Timer { timer, order } => {
                timer.moves(by);
                match order {
                    TimerOrder::Start(long) => long.moves(by),
                    TimerOrder::Stop | TimerOrder::Pause | TimerOrder::Resume => {}
                }
            }
            Self::Advance(clock, parts) | Self::SetClock(clock, parts) => {
                clock.moves(by);
                parts.iter_mut().for_each(|(_, e)| e.moves(by));
            }
            Self::Walk(w) => w.moves(by),
            Self::Go { machine, of, state } => {
                machine.moves(by);
                of.moves(by);
                state.moves(by);
            }
            Self::Ramp { place, to, over, smooth: _, slide: _ } => {
                place.moves(by);
                to.moves(by);
                let (RampTime::Over(e) | RampTime::At(e)) = over;
                e.moves(by);
            }
            Self::Clear(place) => place.moves(by),
            Self::Cue(e)
            | Self::Log(_, e)
            | Self::Remove(e)
            | Self::Halt(e)
            | Self::Switch { what: _, on: _, thing: e }
            | Self::Reset(e)
            | Self::Freeze { who: e, on: _ }
            | Self::Checkpoint(e)
            | Self::Recall(e)
            | Self::Win(e)
            | Self::Lose(e) => e.moves(by),
            Self::SwitchRule { rule, on: _ } => rule.moves(by),
            Self::PauseClock(clock, _) => clock.moves(by),
            Self::Restart | Self::Save => {}
        }
    }
}

impl Moves for WalkGoal {
    fn moves(&mut self, by: &Change) {
        let (Self::To(e) | Self::Along(e) | Self::After(e) | Self::AwayFrom(e)) = self;
        e.moves(by);
    }
}

impl Moves for ZoneWhich {
    fn moves(&mut self, by: &Change) {
        match self {
            Self::Myself => {}
            Self::Level(zone) => zone.moves(by),
            Self::Kind(kind, _) => kind.moves(by),
            Self::Of(zone, who) => {
                zone.moves(by);
                who.moves(by);
            }
            Self::Held(e) => e.moves(by),
        }
    }
}

impl Moves for Event {
    fn moves(&mut self, by: &Change) {
        match self {
            Self::Start | Self::Tick => {}
            Self::Every { first, period } => {
                first.moves(by);
                period.moves(by);
            }
            Self::After(period) => period.moves(by),
            Self::Zone { verb, who, zone } => {
                if let ZoneVerb::In(every) = verb {
                    every.moves(by);
                }
                who.moves(by);
                zone.moves(by);
            }
            Self::Pair { verb, a, b } => {
                match verb {
                    PairVerb::Touches | PairVerb::Parts | PairVerb::Sees | PairVerb::Loses => {}
                    PairVerb::Touching(every) | PairVerb::Seeing(every) => every.moves(by),
                    PairVerb::Nears(range) | PairVerb::Strays(range) => range.moves(by),
                    PairVerb::Near(range, every) => {
                        range.moves(by);
                        every.moves(by);
                    }
                }
                a.moves(by);
                b.moves(by);
            }
            Self::Press(press) => press.moves(by),
            Self::Watched { watch, form, bind: _ } => {
                watch.moves(by);
                match form {
                    WatchForm::Changes | WatchForm::TurnsTrue | WatchForm::TurnsFalse => {}
                    WatchForm::Reaches(e) | WatchForm::DropsTo(e) => e.moves(by),
                }
            }
            Self::Hears { message, slots: _ } => match message {
                Heard::One(id) => id.moves(by),
                Heard::Held(e, all) => {
                    e.moves(by);
                    all.moves(by);
                }
            },
            Self::TimerEnds(e) => e.moves(by),
            Self::Machine { who, state, enters: _ } => {
                who.moves(by);
                state.moves(by);
            }
            Self::Bumps { who, into } => {
                who.moves(by);
                match into {
                    BumpWhat::Actor(other) => other.moves(by),
                    BumpWhat::Tile(what) => what.moves(by),
                }
            }
            Self::Treads { who, on } => {
                who.moves(by);
                on.moves(by);
            }
            Self::Arrives { who, at } => {
                who.moves(by);
                at.moves(by);
            }
            Self::Passes { clock, unit: _, value: _ } => clock.moves(by),
            Self::Comes { who, area } => {
                who.moves(by);
                area.moves(by);
            }
            Self::Spawns(who) | Self::Removed(who) | Self::Stuck(who) => who.moves(by),
        }
    }
}

impl Moves for TileWhat {
    fn moves(&mut self, by: &Change) {
        match self {
            Self::Tile(id) => id.moves(by),
            Self::Tag(id) => id.moves(by),
        }
    }
}

impl Moves for Limits {
    fn moves(&mut self, by: &Change) {
        let Self { at_most: _, keep: _, cooldown, awake, off: _, priority: _, again: _ } = self;
        cooldown.iter_mut().for_each(|(period, _)| period.moves(by));
        awake.moves(by);
    }
}

impl Moves for Period {
    fn moves(&mut self, by: &Change) {
        let Self { lasts, ticks, span } = self;
        span.moves(by);
        if let Some(rate) = by.rate() {
            *ticks = rate.ticks(*lasts);
        }
    }
}

impl Moves for Interval {
    fn moves(&mut self, by: &Change) {
        self.0.moves(by);
    }
}

impl Moves for Value {
    fn moves(&mut self, by: &Change) {
        match self {
            Self::None | Self::Number(_) | Self::Flag(_) | Self::Text(_) | Self::Duration(_) => {}
            Self::Point(p) => {
                p.area.moves(by);
                by.lies_somewhere();
            }
            Self::Enum(id, value) => by.enum_value(id, value),
            Self::Actor(id) => id.moves(by),
            Self::Kind(id) => id.moves(by),
            Self::Tag(id) => id.moves(by),
            Self::Zone(id, of) => {
                id.moves(by);
                of.moves(by);
            }
            Self::Message(id) => id.moves(by),
            Self::Tile(id) => id.moves(by),
            Self::Path(id) => id.moves(by),
            Self::Timer(id) => id.moves(by),
            Self::Table(id) => id.moves(by),
            Self::State(id) => id.moves(by),
            // Sets are sorted by what they hold.
            Self::List(all) | Self::Set(all) => all.iter().for_each(|v| by.holds(v)),
            Self::Tally(all) => all.iter().for_each(|(v, _)| by.holds(v)),
        }
    }
}

impl Moves for Ty {
    fn moves(&mut self, by: &Change) {
        match self {
            Self::Number
            | Self::Flag
            | Self::Text
            | Self::Duration
            | Self::Point
            | Self::Timer
            | Self::Tag
            | Self::Kind
            | Self::Tile
            | Self::Path
            | Self::Nothing
            | Self::Broken => {}
            Self::Enum(id) => id.moves(by),
            Self::Actor(kind) | Self::Zone(kind) => kind.moves(by),
            Self::Message(id) => id.moves(by),
            Self::Record(id) => by.record(id),
            Self::State(id) => id.moves(by),
            Self::Table(of) | Self::List(of) | Self::Set(of) | Self::Tally(of) | Self::Maybe(of) => of.moves(by),
        }
    }
}
