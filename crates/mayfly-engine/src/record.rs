//! What happened, in order: the trace of a tick.
//!
//! A recorder is a type parameter of the tick, so that where nothing is recorded nothing is paid.
//! Whoever needs the state at a record asks for it by its number: [`Snapshot`] keeps a copy of the
//! world at that very record.
//!
//! Invariant: records are numbered from 0 in each tick, the same numbers with every recorder that is
//! on; a record of a write comes right after the write, one of an evaluation right before what it does.

pub use crate::actor::Motion;
pub use crate::cause::{Cause, Target};
use crate::fault::Fault;
use crate::world::{Destination, World};
use mayfly_base::*;
use std::sync::Arc;

/// Something that happened, as rules may await it.
#[derive(Clone, Debug, PartialEq)]
pub enum EventInstance {
    Start,
    /// `tick`, `every` and `after` that are due.
    Time,
    Enters(ActorId, ZoneId, Option<ActorId>),
    Leaves(ActorId, ZoneId, Option<ActorId>),
    /// With the ticks since entry.
    In(ActorId, ZoneId, Option<ActorId>, u64),
    MovesIn(ActorId, ZoneId, Option<ActorId>),
    Touches(ActorId, ActorId),
    Parts(ActorId, ActorId),
    Touching(ActorId, ActorId, u64),
    Nears(u32, ActorId, ActorId),
    Strays(u32, ActorId, ActorId),
    Near(u32, ActorId, ActorId, u64),
    Press(ActorId, InputId),
    Pressing(ActorId, InputId, u64),
    /// What it was, what it is, and which of its forms came true.
    Watched {
        watch: WatchId,
        actor: Option<ActorId>,
        old: Value,
        new: Value,
        forms: u64,
    },
    /// Sent to these alone where there is a list.
    Message {
        message: MessageId,
        args: Vec<Value>,
        to: Option<Vec<ActorId>>,
    },
    TimerEnds(TimerId),
    /// The first sees the second.
    Sees(ActorId, ActorId),
    Loses(ActorId, ActorId),
    Seeing(ActorId, ActorId, u64),
    Treads(ActorId, TileId),
    /// At the end of its order, or at a point of the path along which it goes on.
    Arrives(ActorId, Point, bool),
    Stuck(ActorId),
    Comes(ActorId, AreaId),
    /// A clock's unit, and its new value.
    Passes(ClockId, u16, u32),
    /// The machines' first states are entered: of all, or of a spawned actor.
    MachinesBegin(Option<ActorId>),
    MachineEnters(Option<ActorId>, StateId),
    MachineLeaves(Option<ActorId>, StateId),
    /// A transition without an event that a notice found true.
    Transits(RuleId, Option<ActorId>),
    Spawns(ActorId),
    Removed(ActorId),
    BumpsActor(ActorId, ActorId),
    BumpsTile(ActorId, TileId),
    BumpsEdge(ActorId),
    /// A run goes on.
    Resumes(u64),
    /// An event that `again later` kept is evaluated now.
    Later(u64),
}

/// How a rule was evaluated.
#[derive(Clone, Debug, PartialEq)]
pub enum Verdict {
    Fired,
    /// The clause that failed first, and whether an `else` ran.
    Held {
        clause: u16,
        otherwise: bool,
    },
    Spent(Spent),
    /// Another of its group fired for this event.
    PassedOver,
    /// Switched off, or its `while` is false.
    Asleep,
}

/// Why a rule was spent.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Spent {
    /// `once` or `at most` is used up.
    UsedUp(u64),
    /// It rests until that tick.
    Resting(u64),
    /// An earlier run still waits.
    Waiting,
    /// An earlier run still waits; the event is kept for later.
    Kept,
}

/// One record.
#[derive(Clone, Debug, PartialEq)]
pub enum TraceEvent {
    Pressed(ActorId, InputId),
    /// A value or an action by hand; its text is in the inputs.
    Poked(u32),
    /// An actor went from there to here, because of that.
    Moved {
        actor: ActorId,
        from: Point,
        to: Point,
        cause: Cause,
    },
    Turned {
        actor: ActorId,
        from: u32,
        to: u32,
        cause: Cause,
    },
    Round(u32),
    /// An event is taken up.
    Event {
        what: EventInstance,
        cause: Cause,
    },
    /// An event was dropped, since who it was about is gone.
    Dropped {
        what: EventInstance,
        cause: Cause,
    },
    Evaluated {
        rule: RuleId,
        when: u16,
        me: Option<ActorId>,
        locals: Vec<Value>,
        verdict: Verdict,
    },
    /// A run goes on after a wait, or after parts of a machine that were carried out in its midst; the cause is the evaluation
    /// that began it.
    GoesOn {
        rule: RuleId,
        me: Option<ActorId>,
        pc: u32,
        cause: Cause,
        /// The event taken up last is what it waited for.
        by_event: bool,
    },
    Wrote {
        target: Target,
        old: Value,
        new: Value,
        pc: u32,
        kept_in: bool,
    },
    Sent {
        message: MessageId,
        args: Vec<Value>,
        to: Option<Vec<ActorId>>,
        after: u64,
        pc: u32,
    },
    Told {
        text: Arc<str>,
        to: Option<ActorId>,
        from: Option<ActorId>,
        pc: u32,
    },
    Cued {
        text: Arc<str>,
        pc: u32,
    },
    Logged {
        text: Arc<str>,
        pc: u32,
    },
    Signed {
        text: Arc<str>,
        on: Option<ActorId>,
        board: bool,
        pc: u32,
    },
    /// A value begins to move.
    RampSet {
        target: Target,
        from: Value,
        to: Value,
        ticks: u64,
        pc: u32,
    },
    /// A machine went from a state to another.
    WentTo {
        machine: MachineId,
        of: Option<ActorId>,
        from: StateId,
        to: StateId,
    },
    Spawned {
        actor: ActorId,
        pc: u32,
    },
    Removed {
        actor: ActorId,
        pc: u32,
    },
    Put {
        actor: ActorId,
        from: Point,
        to: Point,
        pc: u32,
    },
    Switched {
        what: SwitchedWhat,
        on: bool,
        pc: u32,
    },
    /// A timer was set: whether it ran before with how many ticks left, and how it stands after.
    TimerSet {
        timer: TimerId,
        was: (bool, u64),
        running: bool,
        left: u64,
        pc: u32,
    },
    /// A clock was set, moved on, paused or made to go on: what it showed and shows, in its smallest unit.
    ClockSet {
        clock: ClockId,
        from: u64,
        to: u64,
        paused: bool,
        pc: u32,
    },
    Laid {
        at: Point,
        from: Option<TileId>,
        to: TileId,
        pc: u32,
    },
    /// An order to walk was given.
    Ordered {
        actor: ActorId,
        goal: Destination,
        pc: u32,
    },
    /// An order ended otherwise than by arriving.
    OrderEnds {
        actor: ActorId,
        goal: Destination,
        why: EndWhy,
    },
    /// A ramp or a slide ended before its goal.
    RampEnds {
        target: Target,
        to: Value,
        why: EndWhy,
    },
    /// Place and facing are remembered.
    Remembered {
        actor: ActorId,
        pc: u32,
    },
    /// An actor is as it was first.
    Reset {
        actor: ActorId,
        pc: u32,
    },
    /// What is kept between runs is to be written.
    Saved {
        pc: u32,
    },
    /// The level begins again with the next tick.
    Restarts {
        pc: u32,
    },
    /// A routine is called.
    Called {
        routine: RoutineId,
        args: Vec<Value>,
        pc: u32,
    },
    Drew {
        draw: DrawId,
        value: Value,
        odds: String,
        /// It belongs to the evaluation that is recorded next.
        ahead: bool,
    },
    /// One more turn of a loop, and the value that it is for.
    LoopTurn {
        pc: u32,
        held: Option<(u16, Value)>,
    },
    Waits {
        pc: u32,
        until: Option<u64>,
    },
    EndedRun {
        rule: RuleId,
    },
    /// `cause` is known where no evaluation was under way: of an awaited line that has no value.
    Faulted {
        rule: Option<RuleId>,
        fault: Box<Fault>,
        cause: Cause,
    },
    Ended {
        win: bool,
        text: String,
        pc: u32,
    },
    /// The tick is closed.
    Closed,
}

impl TraceEvent {
    /// Where the action stands in the code that did it; none of what no action did.
    pub fn pc(&self) -> Option<u32> {
        match self {
            Self::Wrote { pc, .. }
            | Self::Sent { pc, .. }
            | Self::Told { pc, .. }
            | Self::Cued { pc, .. }
            | Self::Logged { pc, .. }
            | Self::Signed { pc, .. }
            | Self::RampSet { pc, .. }
            | Self::Spawned { pc, .. }
            | Self::Removed { pc, .. }
            | Self::Put { pc, .. }
            | Self::Remembered { pc, .. }
            | Self::Switched { pc, .. }
            | Self::TimerSet { pc, .. }
            | Self::ClockSet { pc, .. }
            | Self::Laid { pc, .. }
            | Self::Ordered { pc, .. }
            | Self::Reset { pc, .. }
            | Self::Saved { pc }
            | Self::Restarts { pc }
            | Self::Called { pc, .. }
            | Self::LoopTurn { pc, .. }
            | Self::Waits { pc, .. }
            | Self::Ended { pc, .. } => Some(*pc),
            _ => None,
        }
    }
}

/// What ended an order or a ramp before its time.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum EndWhy {
    /// `halt`.
    Halted,
    /// A newer order, or a newer ramp.
    Replaced,
    /// Another write to the variable.
    Written,
    /// A key.
    Key,
    /// The state that gave it was left.
    Left,
    /// The actor is as at first.
    Reset,
    /// The actor was removed.
    Removed,
    /// A solid stopped a slide.
    Stopped,
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub enum SwitchedWhat {
    Actor(ActorId),
    Shown(ActorId),
    Zone(ZoneId, Option<ActorId>),
    Rule(RuleId),
    Tag(ActorId, TagId),
    Frozen(ActorId),
}

/// Takes what happens, in order.
pub trait Recorder {
    /// Whether anything is recorded at all; the number of a record is 0 where it is not.
    const ON: bool;

    /// Whether what a rule's names stood for is kept of its evaluations.
    const KEEPS_LOCALS: bool = Self::ON;

    /// Takes a record; gives its number in this tick. The world is as it is right then.
    fn take(&mut self, world: &World, rec: impl FnOnce() -> TraceEvent) -> u32;

    /// A tick begins: its records count from 0. Called by [`crate::run::run`].
    fn begins(&mut self, _tick: u64) {}

    /// Takes a motion: most of what is recorded. For whoever keeps less of it than a record.
    #[inline]
    fn moved(&mut self, world: &World, m: Motion) -> u32 {
        self.take(world, || TraceEvent::Moved { actor: m.actor, from: m.from, to: m.to, cause: m.cause })
    }
}

/// Records nothing.
pub struct Nothing;

impl Recorder for Nothing {
    const ON: bool = false;

    fn take(&mut self, _: &World, _: impl FnOnce() -> TraceEvent) -> u32 {
        0
    }
}

/// Everything that happened in one tick.
#[derive(Clone, Debug, Default)]
pub struct Trace {
    pub records: Vec<TraceEvent>,
}

impl Recorder for Trace {
    const ON: bool = true;

    fn take(&mut self, _: &World, rec: impl FnOnce() -> TraceEvent) -> u32 {
        self.records.push(rec());
        (self.records.len() - 1) as u32
    }
}

/// Keeps the world as it was at one record.
pub struct Snapshot {
    pub wanted: u32,
    pub count: u32,
    pub world: Option<Box<World>>,
}

impl Snapshot {
    /// Waits for that record.
    pub fn at(wanted: u32) -> Self {
        Self { wanted, count: 0, world: None }
    }
}

impl Recorder for Snapshot {
    const ON: bool = true;

    fn take(&mut self, world: &World, _: impl FnOnce() -> TraceEvent) -> u32 {
        if self.count == self.wanted {
            self.world = Some(Box::new(world.clone()));
        }
        self.count += 1;
        self.count - 1
    }
}
