//! What a rule can do.
//!
//! Not here: what a form does (`mayfly_engine`).
//!
//! Invariant: as in [`crate::code`], every id stands in its table and every local in its frame.

use super::*;

/// What can be written.
#[derive(Clone, Debug, PartialEq)]
pub enum Place {
    Var(VarId),
    Local(Slot),
    Field(Expr, FieldId),
    Attr(Expr, Attr),
    /// One place of a list or a tally.
    Entry(Box<Place>, Expr),
    /// The factor on a clock's declared speed.
    ClockSpeed(ClockId),
}

/// First values and attributes that a placed or spawned actor has of its own.
#[derive(Clone, Debug, PartialEq)]
pub enum Override {
    Field(FieldId, Expr),
    Attr(Attr, Expr),
}

/// What an action does at once. Waits and control flow are not actions.
#[derive(Clone, Debug, PartialEq)]
pub enum Action {
    /// `op` is the operator of `+=` and its like.
    Assign {
        place: Place,
        op: Option<BinOp>,
        value: Expr,
    },
    Send {
        message: Expr,
        args: Vec<Expr>,
        to: Option<SendTo>,
        after: Option<Expr>,
    },
    Tell {
        text: Expr,
        to: Option<Expr>,
        from: Option<Expr>,
    },
    Cue(Expr),
    /// The words before ` = ` are the expression's text; none where it is a text itself.
    Log(Option<String>, Expr),
    Prompt {
        text: Expr,
        on: Option<Expr>,
        sustain: Option<Expr>,
        /// How long it stands at most.
        lasts: Option<Expr>,
    },
    Board {
        text: Expr,
        sustain: Option<Expr>,
    },
    Spawn {
        kind: Expr,
        at: Expr,
        bind: Option<Slot>,
        overrides: Vec<Override>,
    },
    Remove(Expr),
    Move {
        who: Expr,
        to: Expr,
    },
    Face {
        who: Expr,
        to: Expr,
        toward: bool,
    },
    Halt(Expr),
    /// `enable`, `disable`, `show`, `hide` of actors or zones.
    Switch {
        what: Switch,
        on: bool,
        thing: Expr,
    },
    SwitchRule {
        rule: RuleId,
        on: bool,
    },
    Timer {
        timer: Expr,
        order: TimerOrder,
    },
    /// On by so many of each unit, or to these values.
    Advance(ClockId, Vec<(u16, Expr)>),
    SetClock(ClockId, Vec<(u16, Expr)>),
    PauseClock(ClockId, bool),
    Lay {
        tile: Expr,
        at: Expr,
    },
    Walk(Box<Walk>),
    Reset(Expr),
    Restart,
    /// Writes what is kept between runs.
    Save,
    /// To a state of a machine, of an actor or of the level.
    Go {
        machine: MachineId,
        of: Option<Expr>,
        state: StateId,
    },
    Push {
        list: Place,
        value: Expr,
    },
    Clear(Place),
    /// Adds one to a bag, or takes one out.
    Bag {
        bag: Place,
        add: bool,
        value: Expr,
    },
    Tag {
        who: Expr,
        tag: Expr,
        on: bool,
    },
    /// As far as solids let it, at once.
    Shove {
        who: Expr,
        by: Expr,
    },
    /// Whether an actor's inputs are taken.
    Freeze {
        who: Expr,
        on: bool,
    },
    Checkpoint(Expr),
    Recall(Expr),
    /// Moves a value over so many ticks, or by so much a tick.
    Ramp {
        place: Place,
        to: Expr,
        over: RampTime,
        smooth: bool,
        /// An actor's way, which solids stop.
        slide: bool,
    },
    Win(Expr),
    Lose(Expr),
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Switch {
    Enabled,
    Visible,
}

#[derive(Clone, Debug, PartialEq)]
pub enum SendTo {
    One(Expr),
    All(WhoSet),
}

#[derive(Clone, Debug, PartialEq)]
pub enum TimerOrder {
    /// From the beginning; for so long this once.
    Start(Option<Expr>),
    Stop,
    Pause,
    Resume,
}

/// An order to walk.
#[derive(Clone, Debug, PartialEq)]
pub struct Walk {
    pub who: Expr,
    pub goal: WalkGoal,
    /// Cells a second; the actor's own speed where none is named.
    pub speed: Option<Expr>,
    pub straight: bool,
    pub lasts: Option<Expr>,
    /// Along a path from the point that is nearest by way.
    pub nearest: bool,
}

#[derive(Clone, Debug, PartialEq)]
pub enum WalkGoal {
    To(Expr),
    Along(Expr),
    After(Expr),
    AwayFrom(Expr),
}
