//! Places after an edit: what stands behind it lies elsewhere, and is otherwise the same.
//!
//! Not here: what the edited piece itself becomes ([`crate::check`] reads it again).
//!
//! Invariant: every place of a [`Level`] is moved. Each struct is taken apart without `..`, so that a new field does not
//! compile before it is said whether it moves; a property test holds a moved level against one that is read for the first time.

use crate::diagnostic::{Diagnostic, Fix};
use crate::level::*;
use mayfly_base::Span;
use mayfly_base::code::*;

/// One change of one file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Shift {
    pub file: u16,
    /// The first byte that was replaced, and the byte after the last.
    pub start: u32,
    pub end: u32,
    /// By how many bytes the text grew.
    pub by: i64,
}

impl Shift {
    /// Where a stretch of the text before lies now. What is put in right behind it does not belong to it.
    pub fn of(&self, at: Span) -> Span {
        if at.file != self.file || at.end <= self.start && at.start < self.start {
            return at;
        }
        let moved =
            |at: u32| if at < self.end { at } else { u32::try_from(i64::from(at) + self.by).unwrap_or(u32::MAX) };
        Span { start: moved(at.start), end: moved(at.end), ..at }
    }
}

/// What has places.
pub(crate) trait Moves {
    /// Moves all its places.
    fn moves(&mut self, by: &Shift);
}

impl Moves for Span {
    fn moves(&mut self, by: &Shift) {
        *self = by.of(*self);
    }
}

impl<T: Moves> Moves for Vec<T> {
    fn moves(&mut self, by: &Shift) {
        self.iter_mut().for_each(|x| x.moves(by));
    }
}

impl<T: Moves> Moves for Option<T> {
    fn moves(&mut self, by: &Shift) {
        self.iter_mut().for_each(|x| x.moves(by));
    }
}

impl<T: Moves + ?Sized> Moves for Box<T> {
    fn moves(&mut self, by: &Shift) {
        (**self).moves(by);
    }
}

impl<A: Moves, B: Moves> Moves for (A, B) {
    fn moves(&mut self, by: &Shift) {
        self.0.moves(by);
        self.1.moves(by);
    }
}

/// What of a struct moves, and what has no places.
macro_rules! moving {
    ($($t:ident { $($moves:ident)* } still { $($still:ident)* })*) => {
        $(impl Moves for $t {
            fn moves(&mut self, by: &Shift) {
                let Self { $($moves,)* $($still: _,)* } = self;
                $($moves.moves(by);)*
            }
        })*
    };
}

moving! {
    Level {
        vars defines messages timers clocks paths records routines kinds actors zones watches tables machines states rules
    } still {
        title rate seed edges tiles areas enums tags consts listed inputs ranges draws shared_draws draw_forms file_order
    }
    Var { first span } still { name ty bounds keep doc }
    Define { expr span } still { name of ty }
    Message { span } still { name params }
    Timer { span } still { name length repeating running }
    Clock { span } still { name units speed starts }
    Path { span } still { name points end }
    Records { span } still { name columns rows }
    Routine { body span } still { name params gives pure slots doc }
    Kind { attrs fields span } still {
        name of_zones like steered tags zones machines passes sights carries falls defines listed doc
    }
    Actor { overrides span } still { name kind at facing }
    Zone { overrides notices span } still { name of kind area shape doc }
    Watch { expr } still { over text }
    Table { rows } still { name of }
    Machine { span } still { name of start }
    State { span } still { name machine outer start }
    Rule { part span whens clauses elses limits then otherwise } still { title owner group doc slots bound }
    When { event span } still { }
    Clause { test } still { otherwise }
    Limits { awake } still { at_most keep cooldown off priority again }
    Stmt { kind span } still { }
    Expr { kind span } still { }
    Over { of test value } still { what slot }
    Who { set } still { bind }
    Walk { who goal speed lasts } still { straight nearest }
    Press { who near facing zone } still { input held }
    Diagnostic { span also fix } still { code severity message help twice rule }
    Fix { edits } still { label }
}

/// Words and names have no places.
macro_rules! still {
    ($($t:ty)*) => { $(impl Moves for $t { fn moves(&mut self, _: &Shift) {} })* };
}

still! { String Attr }

impl Moves for ExprKind {
    fn moves(&mut self, by: &Shift) {
        match self {
            Self::Const(_)
            | Self::Var(_)
            | Self::Define(_)
            | Self::Local(_)
            | Self::Myself
            | Self::Called(_)
            | Self::ClockShows(..)
            | Self::ClockRun(..)
            | Self::ClockSpeed(_)
            | Self::Time
            | Self::Tick => {}
            Self::Text(pieces) => pieces.moves(by),
            Self::As(a, _)
            | Self::Field(a, _)
            | Self::Attr(a, _)
            | Self::ZoneOf(a, _)
            | Self::Axis(a, _)
            | Self::Not(a)
            | Self::Negate(a)
            | Self::Exists(a)
            | Self::Ramping(a)
            | Self::First(a)
            | Self::Halted(a)
            | Self::Pressing(a, _)
            | Self::TimerLeft(a)
            | Self::TimerRunning(a)
            | Self::DefineOf(a, _) => a.moves(by),
            Self::Point(a, b, _)
            | Self::Index(a, b)
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
            Self::List(all) | Self::Call(_, all) | Self::Draw(_, _, all) | Self::Routine(_, all) => all.moves(by),
            Self::Over(over) => over.moves(by),
            Self::MachineState(_, of) => of.moves(by),
            Self::InState(_, of, _, long) => {
                of.moves(by);
                long.moves(by);
            }
        }
    }
}

impl Moves for Piece {
    fn moves(&mut self, by: &Shift) {
        match self {
            Self::Words(_) => {}
            Self::Value(e, _) => e.moves(by),
        }
    }
}

impl Moves for WhoSet {
    fn moves(&mut self, by: &Shift) {
        match self {
            Self::Any | Self::Myself | Self::Actor(_) | Self::Kind(_) | Self::Tag(_) => {}
            Self::Held(e) => e.moves(by),
        }
    }
}

impl Moves for Part {
    fn moves(&mut self, by: &Shift) {
        match self {
            Self::Transition { to: Goal::OneOf(_, rows), .. } => rows.iter_mut().for_each(|(_, weight, test)| {
                weight.moves(by);
                test.moves(by);
            }),
            Self::Transition { to: Goal::State(_) | Goal::Previous, .. }
            | Self::Enter(_)
            | Self::Leave(_)
            | Self::Loop(_)
            | Self::In(_)
            | Self::Wait => {}
        }
    }
}

impl Moves for Override {
    fn moves(&mut self, by: &Shift) {
        let (Self::Field(_, e) | Self::Attr(_, e)) = self;
        e.moves(by);
    }
}

impl Moves for Place {
    fn moves(&mut self, by: &Shift) {
        match self {
            Self::Var(_) | Self::Local(_) | Self::ClockSpeed(_) => {}
            Self::Field(e, _) | Self::Attr(e, _) => e.moves(by),
            Self::Entry(place, e) => {
                place.moves(by);
                e.moves(by);
            }
        }
    }
}

impl Moves for StmtKind {
    fn moves(&mut self, by: &Shift) {
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
            Self::WeightedChoice(_, arms) => arms.moves(by),
            Self::Break | Self::Continue | Self::WaitRamp | Self::WaitWalk => {}
            Self::Return(e) => e.moves(by),
            Self::WaitUntil { test, at_most } => {
                test.moves(by);
                at_most.moves(by);
            }
            Self::WaitFor { event: _, at_most } => at_most.moves(by),
            Self::Routine { routine: _, args, into: _ } => args.moves(by),
        }
    }
}

impl Moves for Action {
    fn moves(&mut self, by: &Shift) {
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
            Self::Advance(_, parts) | Self::SetClock(_, parts) => parts.iter_mut().for_each(|(_, e)| e.moves(by)),
            Self::Walk(w) => w.moves(by),
            Self::Go { machine: _, of, state: _ } => of.moves(by),
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
            Self::SwitchRule { .. } | Self::PauseClock(..) | Self::Restart | Self::Save => {}
        }
    }
}

impl Moves for WalkGoal {
    fn moves(&mut self, by: &Shift) {
        let (Self::To(e) | Self::Along(e) | Self::After(e) | Self::AwayFrom(e)) = self;
        e.moves(by);
    }
}

impl Moves for ZoneWhich {
    fn moves(&mut self, by: &Shift) {
        match self {
            Self::Level(_) | Self::Kind(..) | Self::Myself => {}
            Self::Of(_, who) => who.moves(by),
            Self::Held(e) => e.moves(by),
        }
    }
}

impl Moves for Event {
    fn moves(&mut self, by: &Shift) {
        match self {
            Self::Start
            | Self::Tick
            | Self::Every { .. }
            | Self::After(_)
            | Self::Machine { who: None, .. }
            | Self::Passes { .. } => {}
            Self::Zone { verb: _, who, zone } => {
                who.moves(by);
                zone.moves(by);
            }
            Self::Pair { verb: _, a, b } => {
                a.moves(by);
                b.moves(by);
            }
            Self::Press(press) => press.moves(by),
            Self::Watched { watch: _, form, bind: _ } => match form {
                WatchForm::Changes | WatchForm::TurnsTrue | WatchForm::TurnsFalse => {}
                WatchForm::Reaches(e) | WatchForm::DropsTo(e) => e.moves(by),
            },
            Self::Hears { message, slots: _ } => match message {
                Heard::One(_) => {}
                Heard::Held(e, _) => e.moves(by),
            },
            Self::TimerEnds(e) => e.moves(by),
            Self::Bumps { who, into } => {
                who.moves(by);
                match into {
                    BumpWhat::Actor(other) => other.moves(by),
                    BumpWhat::Tile(_) => {}
                }
            }
            Self::Arrives { who, at } => {
                who.moves(by);
                at.moves(by);
            }
            Self::Machine { who: Some(who), .. }
            | Self::Spawns(who)
            | Self::Removed(who)
            | Self::Stuck(who)
            | Self::Treads { who, on: _ }
            | Self::Comes { who, area: _ } => who.moves(by),
        }
    }
}
