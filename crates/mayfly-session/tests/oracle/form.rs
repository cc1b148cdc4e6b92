//! A small part of the language as data: levels that are made up.
//!
//! Not here: which ones are made up ([`super::made`]), their text ([`super::text`]), and what they do ([`super::play`]).
//!
//! Invariant: every level that can be written down here loads without an error.

use std::rc::Rc;

pub const NUMBERS: usize = 3;
pub const FLAGS: usize = 2;
pub const MESSAGES: usize = 2;
pub const ACTORS: usize = 3;
/// States of the level's machine: the last ones lie in the state [`HOLDER`].
pub const STATES: usize = 5;
pub const INNER: usize = 3;
pub const HOLDER: usize = 1;
/// States of the machine that each actor has.
pub const GLOWS: usize = 2;
/// Zones as left, top, width, height: they overlap.
pub const ZONES: [(i64, i64, i64, i64); 2] = [(1, 0, 2, 2), (2, 1, 3, 2)];
/// Ticks of the timers; the second one repeats, and runs from the start.
pub const TIMERS: [u64; 2] = [3, 4];
pub const PLACES: [(i64, i64); ACTORS] = [(0, 0), (2, 1), (5, 3)];
/// Between these every variable is kept.
pub const BOUND: f64 = 100.0;

/// A number. An index counts round what there is.
#[derive(Clone, Debug)]
pub enum Num {
    Lit(i64),
    Var(usize),
    /// `self.w`, that of the actor that the event is about, or the first actor's.
    Own,
    Of(usize),
    /// The local that was declared last but so many; 1 where there is none.
    Local(usize),
    /// `floor` of the variable that is ramped.
    Ramped,
    Define,
    /// How many actors have a `w` above a variable.
    Count(usize),
    /// What the routine `work_out` gives.
    Call(Box<Num>),
    Two(Calc, Box<Num>, Box<Num>),
    If(Box<Test>, Box<Num>, Box<Num>),
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Calc {
    Add,
    Sub,
    Mul,
    Min,
    Max,
    /// `floor(a / b)`: a fault where b is 0.
    Quotient,
    Mod,
}

#[derive(Clone, Debug)]
pub enum Test {
    Flag(usize),
    Less(Num, Num),
    AtLeast(Num, Num),
    Same(Num, Num),
    Not(Box<Test>),
    And(Box<Test>, Box<Test>),
    Or(Box<Test>, Box<Test>),
    Running(usize),
    In(usize, usize),
    State(usize),
    /// The machine of whose rule it is, as [`Num::Own`].
    Glow(usize),
    Enabled(usize),
}

pub type Block = Rc<Vec<Statement>>;

#[derive(Clone, Debug)]
pub enum Statement {
    Set(usize, Num),
    Add(usize, Num),
    SetFlag(usize, Test),
    SetOwn(Num),
    SetOf(usize, Num),
    Ramp {
        to: i64,
        ticks: u64,
        waits: bool,
    },
    SetRamped(i64),
    Send {
        message: usize,
        value: Num,
        after: Option<u64>,
    },
    Start(usize, Option<u64>),
    Stop(usize),
    Pause(usize),
    Resume(usize),
    Log(Num),
    Wait(u64),
    WaitUntil {
        test: Test,
        at_most: Option<u64>,
        place: u32,
    },
    WaitFor {
        message: usize,
        at_most: Option<u64>,
        place: u32,
    },
    If(Test, Block, Block),
    Repeat(u32, Block),
    For(i64, Block),
    Let(Num),
    Meanwhile(Block),
    Rule(usize, bool),
    Go(usize),
    GoGlow(usize),
    Move(usize, i64, i64),
    Enable(usize, bool),
    EnableOwn(bool),
    Spawn {
        x: i64,
        y: i64,
        w: Num,
    },
    /// One that was spawned: whose rule it is, or the oldest.
    RemoveOwn,
    RemoveOldest,
    Reset(usize),
    ResetOwn,
    /// Calls the routine `haul`.
    Haul(Num),
    Break,
    Continue,
    Return,
}

#[derive(Clone, Debug)]
pub enum Event {
    Start,
    Tick,
    Every(u64),
    After(u64),
    Changes(Num),
    Turns(Test, bool),
    Reaches(Num, i64),
    Drops(Num, i64),
    Hears(usize),
    TimerEnds(usize),
    /// Any actor, or in a rule of the kind its own.
    Enters(usize),
    Leaves(usize),
    NightEnters(usize),
    NightLeaves(usize),
    GlowEnters(usize),
    GlowLeaves(usize),
    Spawns,
    Removed,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Again {
    Skip,
    Anew,
    Later,
    Beside,
}

#[derive(Clone, Debug)]
pub struct Rule {
    pub title: String,
    pub when: Event,
    pub place: u32,
    pub clauses: Vec<(Test, Option<Block>)>,
    pub at_most: Option<u64>,
    pub cooldown: Option<u64>,
    /// Limits count apart for each actor that the event is about.
    pub per: bool,
    pub awake: Option<Test>,
    pub off: bool,
    pub priority: i64,
    pub again: Again,
    pub then: Block,
    pub otherwise: Option<Block>,
}

/// Where a transition leads.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum To {
    State(usize),
    Previous,
}

#[derive(Clone, Debug)]
pub struct Transition {
    pub to: To,
    /// None: looked at at each notice.
    pub when: Option<Event>,
    pub place: u32,
    pub test: Option<Test>,
    pub then: Block,
}

#[derive(Clone, Debug)]
pub struct State {
    pub enter: Block,
    pub leave: Block,
    /// A loop; each of its turns waits at its end.
    pub looped: Option<Block>,
    /// They stand behind the first transition.
    pub rules: Vec<Rule>,
    pub ways: Vec<Transition>,
}

#[derive(Clone, Debug)]
pub struct Level {
    pub define: Num,
    /// The routine `work_out(p)`: the first number where the test is true, else the second.
    pub work_out: (Test, Num, Num),
    /// The routine `haul(p)`.
    pub haul: Block,
    pub own: Vec<Rule>,
    pub glows: Vec<State>,
    pub states: Vec<State>,
    /// Ways of the level's machine from every state.
    pub wherever: Vec<Transition>,
    pub rules: Vec<Rule>,
    /// The first rules of the level, so many, stand in one `first of`.
    pub grouped: usize,
}

/// What an event awaits of an expression.
#[derive(Clone, Debug)]
pub enum Watch {
    Number(Num),
    Test(Test),
}

impl Watch {
    /// What an event awaits of an expression, if it does.
    pub fn of(event: &Event) -> Option<Self> {
        match event {
            Event::Changes(n) | Event::Reaches(n, _) | Event::Drops(n, _) => Some(Self::Number(n.clone())),
            Event::Turns(t, _) => Some(Self::Test(t.clone())),
            _ => None,
        }
    }
}

impl Event {
    /// True where it is about an actor.
    pub fn is_about_actor(&self) -> bool {
        matches!(
            self,
            Self::Enters(_)
                | Self::Leaves(_)
                | Self::GlowEnters(_)
                | Self::GlowLeaves(_)
                | Self::Spawns
                | Self::Removed
        )
    }
}

/// Gives everything that a notice compares its place, in the order of the text.
pub fn number(level: &mut Level) {
    let mut next = 0;
    fn block(b: &mut Block, next: &mut u32) {
        for st in Rc::make_mut(b) {
            match st {
                Statement::WaitUntil { place, .. } | Statement::WaitFor { place, .. } => {
                    *next += 1;
                    *place = *next;
                }
                Statement::If(_, a, b) => {
                    block(a, next);
                    block(b, next);
                }
                Statement::Repeat(_, b) | Statement::For(_, b) | Statement::Meanwhile(b) => block(b, next),
                _ => {}
            }
        }
    }
    fn rule(r: &mut Rule, next: &mut u32) {
        *next += 1;
        r.place = *next;
        r.clauses.iter_mut().filter_map(|(_, b)| b.as_mut()).for_each(|b| block(b, next));
        block(&mut r.then, next);
        r.otherwise.iter_mut().for_each(|b| block(b, next));
    }
    fn way(t: &mut Transition, next: &mut u32) {
        *next += 1;
        t.place = *next;
        block(&mut t.then, next);
    }
    fn state(s: &mut State, next: &mut u32) {
        block(&mut s.enter, next);
        block(&mut s.leave, next);
        s.looped.iter_mut().for_each(|b| block(b, next));
    }
    block(&mut level.haul, &mut next);
    level.own.iter_mut().for_each(|r| rule(r, &mut next));
    for s in &mut level.glows {
        state(s, &mut next);
        s.ways.iter_mut().take(1).for_each(|t| way(t, &mut next));
        s.rules.iter_mut().for_each(|r| rule(r, &mut next));
        s.ways.iter_mut().skip(1).for_each(|t| way(t, &mut next));
    }
    let (outer, inner) = level.states.split_at_mut(INNER);
    for (i, s) in outer.iter_mut().enumerate() {
        state(s, &mut next);
        s.ways.iter_mut().take(1).for_each(|t| way(t, &mut next));
        s.rules.iter_mut().for_each(|r| rule(r, &mut next));
        for s in inner.iter_mut().filter(|_| i == HOLDER) {
            state(s, &mut next);
            s.ways.iter_mut().take(1).for_each(|t| way(t, &mut next));
            s.rules.iter_mut().for_each(|r| rule(r, &mut next));
            s.ways.iter_mut().skip(1).for_each(|t| way(t, &mut next));
        }
        s.ways.iter_mut().skip(1).for_each(|t| way(t, &mut next));
    }
    level.wherever.iter_mut().for_each(|t| way(t, &mut next));
    level.rules.iter_mut().for_each(|r| rule(r, &mut next));
}
