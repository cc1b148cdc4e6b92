//! Made-up actions on numbers, texts, durations, points, lists, sets and a tally, with branches and loops: as data and as a strategy.
//!
//! Not here: their text ([`super::text`]), and what comes of them ([`super::play`]).
//!
//! Invariant: every loop ends, and every number is whole.

use proptest::prelude::*;

pub const NUMBERS: usize = 3;
pub const TEXTS: usize = 2;
pub const LISTS: usize = 2;
pub const SETS: usize = 2;
/// Every number that is kept lies between it and its opposite.
pub const BOUND: i64 = 50;
/// A list of so many items is pushed nothing more.
pub const LONGEST: usize = 9;
/// A `while` that goes on turns so many times.
pub const TURNS: i64 = 4;

#[derive(Clone, Debug)]
pub enum Num {
    Lit(i64),
    Var(usize),
    /// The innermost local of a number but so many, counted round; 1 where there is none.
    Local(usize),
    LenText(Box<Text>),
    LenList(usize),
    LenSet(usize),
    LenTally,
    /// An item of a list, from 0: a fault where there is none.
    At(usize, Box<Num>),
    /// How many the tally has of it.
    Count(Box<Text>),
    Two(Calc, Box<Num>, Box<Num>),
    /// The rest of a division by a number above 0.
    Mod(Box<Num>, i64),
    If(Box<Test>, Box<Num>, Box<Num>),
    /// How many tenths of a second.
    Tenths(Box<Long>),
    /// How often one goes into another, whole times: a fault where that has no length.
    Times(Box<Long>, Box<Long>),
    X(Box<Spot>),
    Y(Box<Spot>),
}

/// A duration, in tenths of a second.
#[derive(Clone, Debug)]
pub enum Long {
    Lit(i64),
    Var,
    Sum(Box<Long>, Box<Long>),
    Less(Box<Long>, Box<Long>),
    /// So many times so long.
    Much(i64, Num),
}

/// A point.
#[derive(Clone, Debug)]
pub enum Spot {
    Lit(i64, i64),
    Var,
    Sum(Box<Spot>, Box<Spot>),
    /// So many cells that way: north, east, south, west; or the opposite way.
    Off(Box<Spot>, usize, bool, Num),
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Calc {
    Add,
    Sub,
    Max,
    /// `floor(a / b)`: a fault where b is 0.
    Quotient,
}

#[derive(Clone, Debug)]
pub enum Text {
    Lit(&'static str),
    Var(usize),
    /// As [`Num::Local`], of a text; "a" where there is none.
    Local(usize),
    Joined(&'static str, Box<Num>),
}

#[derive(Clone, Debug)]
pub enum Test {
    Less(Num, Num),
    Same(Num, Num),
    SameText(Text, Text),
    Shorter(Long, Long),
    SameSpot(Spot, Spot),
    InList(Num, usize),
    InSet(Text, usize),
    InTally(Text),
    SameList(usize, usize),
    SameSet(usize, usize),
    Not(Box<Test>),
    And(Box<Test>, Box<Test>),
    Or(Box<Test>, Box<Test>),
}

pub type Block = Vec<Statement>;

#[derive(Clone, Debug)]
pub enum Statement {
    Set(usize, Num),
    Add(usize, Num),
    SetText(usize, Text),
    SetLong(Long),
    MoreLong(Long),
    SetSpot(Spot),
    Let(Num),
    /// To a local, as [`Num::Local`]; nothing where there is none.
    AddLocal(usize, Num),
    SetList(usize, Vec<Num>),
    CopyList(usize, usize),
    Push(usize, Num),
    Put(usize, Num, Num),
    ClearList(usize),
    SetAdd(usize, Text),
    SetRemove(usize, Text),
    CopySet(usize, usize),
    TallyAdd(Text),
    TallyRemove(Text),
    TallyPut(Text, Num),
    TallyMore(Text, Num),
    If(Test, Block, Block),
    Match(Num, Vec<(i64, Block)>, Block),
    MatchText(Text, &'static str, Block, Block),
    Repeat(i64, Block),
    Range(i64, i64, Block),
    EachOf(usize, Block),
    EachIn(usize, Block),
    While(Test, Block),
    /// These two do nothing outside of loops.
    Break,
    Continue,
    Return,
    Log(Num),
    LogText(Text),
}

/// The blocks of some ticks, in order.
#[derive(Clone, Debug)]
pub struct Sums {
    pub lists: [Vec<i64>; LISTS],
    pub steps: Vec<(u64, Block)>,
}

const WORDS: [&str; 5] = ["", "a", "b", "ab", "é"];

fn word() -> impl Strategy<Value = &'static str> {
    prop::sample::select(WORDS.to_vec())
}

fn small() -> impl Strategy<Value = i64> {
    -3i64..6
}

fn num(depth: u32) -> BoxedStrategy<Num> {
    let leaf = prop_oneof![
        4 => small().prop_map(Num::Lit),
        3 => (0..NUMBERS).prop_map(Num::Var),
        3 => (0..3usize).prop_map(Num::Local),
        1 => (0..LISTS).prop_map(Num::LenList),
        1 => (0..SETS).prop_map(Num::LenSet),
        1 => Just(Num::LenTally),
    ];
    if depth == 0 {
        return leaf.boxed();
    }
    let calc = prop::sample::select(vec![Calc::Add, Calc::Sub, Calc::Max, Calc::Quotient]);
    let inner = move || num(depth - 1).prop_map(Box::new);
    prop_oneof![
        6 => leaf,
        2 => (0..LISTS, inner()).prop_map(|(l, i)| Num::At(l, i)),
        1 => text(depth - 1).prop_map(|t| Num::LenText(Box::new(t))),
        2 => text(depth - 1).prop_map(|t| Num::Count(Box::new(t))),
        3 => (calc, inner(), inner()).prop_map(|(c, a, b)| Num::Two(c, a, b)),
        1 => (inner(), 1i64..5).prop_map(|(a, by)| Num::Mod(a, by)),
        1 => (test(0, depth - 1), inner(), inner()).prop_map(|(t, a, b)| Num::If(Box::new(t), a, b)),
        1 => long(depth).prop_map(|d| Num::Tenths(Box::new(d))),
        1 => (long(1), long(1)).prop_map(|(a, b)| Num::Times(Box::new(a), Box::new(b))),
        1 => spot(depth).prop_map(|p| Num::X(Box::new(p))),
        1 => spot(depth).prop_map(|p| Num::Y(Box::new(p))),
    ]
    .boxed()
}

fn long(depth: u32) -> BoxedStrategy<Long> {
    let leaf = prop_oneof![3 => (0i64..40).prop_map(Long::Lit), 2 => Just(Long::Var)];
    if depth == 0 {
        return leaf.boxed();
    }
    let inner = move || long(depth - 1).prop_map(Box::new);
    // Nothing is doubled, so that it stays small.
    let lit = || (0i64..40).prop_map(|n| Box::new(Long::Lit(n)));
    prop_oneof![
        3 => leaf,
        1 => (inner(), lit()).prop_map(|(a, b)| Long::Sum(a, b)),
        1 => (inner(), lit()).prop_map(|(a, b)| Long::Less(a, b)),
        1 => (0i64..40, num(0)).prop_map(|(a, n)| Long::Much(a, n)),
    ]
    .boxed()
}

fn spot(depth: u32) -> BoxedStrategy<Spot> {
    let leaf = prop_oneof![2 => (small(), small()).prop_map(|(x, y)| Spot::Lit(x, y)), 2 => Just(Spot::Var)];
    if depth == 0 {
        return leaf.boxed();
    }
    let inner = move || spot(depth - 1).prop_map(Box::new);
    let lit = || (small(), small()).prop_map(|(x, y)| Box::new(Spot::Lit(x, y)));
    prop_oneof![
        2 => leaf,
        1 => (inner(), lit()).prop_map(|(a, b)| Spot::Sum(a, b)),
        2 => (inner(), 0..4usize, any::<bool>(), num(0)).prop_map(|(p, way, back, n)| Spot::Off(p, way, back, n)),
    ]
    .boxed()
}

fn text(depth: u32) -> BoxedStrategy<Text> {
    let leaf = prop_oneof![
        3 => word().prop_map(Text::Lit),
        2 => (0..TEXTS).prop_map(Text::Var),
        2 => (0..3usize).prop_map(Text::Local),
    ];
    if depth == 0 {
        return leaf.boxed();
    }
    let joined = (word(), num(depth - 1)).prop_map(|(w, n)| Text::Joined(w, Box::new(n)));
    prop_oneof![3 => leaf, 1 => joined].boxed()
}

/// `of` is how deep its numbers and texts are.
fn test(depth: u32, of: u32) -> BoxedStrategy<Test> {
    let leaf = prop_oneof![
        3 => (num(of), num(of)).prop_map(|(a, b)| Test::Less(a, b)),
        2 => (num(of), num(of)).prop_map(|(a, b)| Test::Same(a, b)),
        1 => (text(of), text(of)).prop_map(|(a, b)| Test::SameText(a, b)),
        1 => (long(of), long(of)).prop_map(|(a, b)| Test::Shorter(a, b)),
        1 => (spot(of), spot(of)).prop_map(|(a, b)| Test::SameSpot(a, b)),
        2 => (num(of), 0..LISTS).prop_map(|(n, l)| Test::InList(n, l)),
        2 => (text(of), 0..SETS).prop_map(|(t, e)| Test::InSet(t, e)),
        1 => text(of).prop_map(Test::InTally),
        1 => (0..LISTS, 0..LISTS).prop_map(|(a, b)| Test::SameList(a, b)),
        1 => (0..SETS, 0..SETS).prop_map(|(a, b)| Test::SameSet(a, b)),
    ];
    if depth == 0 {
        return leaf.boxed();
    }
    let inner = move || test(depth - 1, of).prop_map(Box::new);
    prop_oneof![
        6 => leaf,
        1 => inner().prop_map(Test::Not),
        1 => (inner(), inner()).prop_map(|(a, b)| Test::And(a, b)),
        1 => (inner(), inner()).prop_map(|(a, b)| Test::Or(a, b)),
    ]
    .boxed()
}

/// One that holds no others.
fn plain() -> BoxedStrategy<Statement> {
    use Statement as S;
    let (n, e, l) = (0..NUMBERS, 0..SETS, 0..LISTS);
    let values = prop_oneof![
        (n.clone(), num(2)).prop_map(|(v, x)| S::Set(v, x)),
        (n, num(2)).prop_map(|(v, x)| S::Add(v, x)),
        (0..TEXTS, text(2)).prop_map(|(v, x)| S::SetText(v, x)),
        long(2).prop_map(S::SetLong),
        (0i64..40, num(0)).prop_map(|(a, n)| S::MoreLong(Long::Much(a, n))),
        spot(2).prop_map(S::SetSpot),
        num(2).prop_map(S::Let),
        (0..3usize, num(1)).prop_map(|(v, x)| S::AddLocal(v, x)),
        num(2).prop_map(S::Log),
        text(2).prop_map(S::LogText),
    ];
    let lists = prop_oneof![
        (l.clone(), prop::collection::vec(num(1), 0..4)).prop_map(|(l, x)| S::SetList(l, x)),
        (l.clone(), l.clone()).prop_map(|(l, m)| S::CopyList(l, m)),
        (l.clone(), num(2)).prop_map(|(l, x)| S::Push(l, x)),
        (l.clone(), num(1), num(2)).prop_map(|(l, i, x)| S::Put(l, i, x)),
        l.prop_map(S::ClearList),
    ];
    let bags = prop_oneof![
        (e.clone(), text(1)).prop_map(|(e, x)| S::SetAdd(e, x)),
        (e.clone(), text(1)).prop_map(|(e, x)| S::SetRemove(e, x)),
        (e.clone(), e).prop_map(|(e, d)| S::CopySet(e, d)),
        text(1).prop_map(S::TallyAdd),
        text(1).prop_map(S::TallyRemove),
        (text(1), num(2)).prop_map(|(t, x)| S::TallyPut(t, x)),
        (text(1), num(2)).prop_map(|(t, x)| S::TallyMore(t, x)),
    ];
    let flow = prop_oneof![3 => Just(S::Break), 3 => Just(S::Continue), 1 => Just(S::Return)];
    prop_oneof![9 => values, 6 => lists, 7 => bags, 2 => flow].boxed()
}

fn block(depth: u32) -> BoxedStrategy<Block> {
    prop::collection::vec(statement(depth), 0..5).boxed()
}

fn statement(depth: u32) -> BoxedStrategy<Statement> {
    use Statement as S;
    if depth == 0 {
        return plain();
    }
    let inner = move || block(depth - 1);
    let holding = prop_oneof![
        (test(1, 1), inner(), inner()).prop_map(|(t, a, b)| S::If(t, a, b)),
        (num(1), prop::collection::vec((small(), inner()), 1..3), inner()).prop_map(|(n, mut arms, other)| {
            arms.dedup_by_key(|(n, _)| *n);
            S::Match(n, arms, other)
        }),
        (text(1), word(), inner(), inner()).prop_map(|(t, w, a, b)| S::MatchText(t, w, a, b)),
        (0i64..4, inner()).prop_map(|(n, b)| S::Repeat(n, b)),
        (small(), small(), inner()).prop_map(|(from, to, b)| S::Range(from, to, b)),
        (0..LISTS, inner()).prop_map(|(l, b)| S::EachOf(l, b)),
        (0..SETS, inner()).prop_map(|(e, b)| S::EachIn(e, b)),
        (test(1, 1), inner()).prop_map(|(t, b)| S::While(t, b)),
    ];
    prop_oneof![3 => plain(), 2 => holding].boxed()
}

pub fn sums() -> impl Strategy<Value = Sums> {
    let list = || prop::collection::vec(small(), 0..4);
    ((list(), list()), prop::collection::vec((1u64..5, block(2)), 1..7)).prop_map(|((a, b), mut steps)| {
        // Of the rules of one tick, those that stand first come first.
        steps.sort_by_key(|(tick, _)| *tick);
        Sums { lists: [a, b], steps }
    })
}
