//! Places and numbers after an edit: what stands behind it lies elsewhere, what is declared behind it has another number, and
//! all is otherwise the same.
//!
//! The forms of rules are in [`code`], the numbers in [`numbers`]. Not here: what the edited piece itself becomes
//! ([`crate::check`] reads it again).
//!
//! Invariant: every place of a [`Level`] is moved, and every number in what belongs to a rule. (What is declared is read again
//! where numbers change.) Each struct is taken apart without `..`, so that a new field does not compile before it is said
//! whether it moves; a property test holds a moved level against one that is read for the first time.

mod code;
mod numbers;

use crate::diagnostic::{Diagnostic, Fix};
use crate::level::*;
use mayfly_base::Span;
use mayfly_base::code::*;
pub(crate) use numbers::{Numbers, Renumbered};

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

/// What becomes of places, and of numbers where they change.
#[derive(Clone, Copy)]
pub(crate) struct Change<'a> {
    pub shift: Shift,
    pub numbers: Option<&'a Numbers>,
}

impl Change<'_> {
    /// Places alone change.
    pub fn of(shift: &Shift) -> Self {
        Self { shift: *shift, numbers: None }
    }
}

/// What has places, or numbers.
pub(crate) trait Moves {
    /// Moves all its places, and gives all things their new numbers.
    fn moves(&mut self, by: &Change);
}

impl Moves for Span {
    fn moves(&mut self, by: &Change) {
        *self = by.shift.of(*self);
    }
}

impl<T: Moves> Moves for Vec<T> {
    fn moves(&mut self, by: &Change) {
        self.iter_mut().for_each(|x| x.moves(by));
    }
}

impl<T: Moves> Moves for Option<T> {
    fn moves(&mut self, by: &Change) {
        self.iter_mut().for_each(|x| x.moves(by));
    }
}

impl<T: Moves + ?Sized> Moves for Box<T> {
    fn moves(&mut self, by: &Change) {
        (**self).moves(by);
    }
}

impl<A: Moves, B: Moves> Moves for (A, B) {
    fn moves(&mut self, by: &Change) {
        self.0.moves(by);
        self.1.moves(by);
    }
}

/// What of a struct moves, and what has no places and no numbers that change.
macro_rules! moving {
    ($($t:ident { $($moves:ident)* } still { $($still:ident)* })*) => {
        $(impl Moves for $t {
            fn moves(&mut self, by: &Change) {
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
    Watch { expr over } still { text }
    Table { rows } still { name of }
    Machine { span } still { name of start }
    State { span } still { name machine outer start }
    Rule { owner part span whens clauses elses limits then otherwise slots } still { title group doc bound }
    When { event span } still { }
    Clause { test } still { otherwise }
    Stmt { kind span } still { }
    Expr { kind span } still { }
    Range { a b of } still { within until }
    Over { of test value } still { what slot }
    Who { set } still { bind }
    Walk { who goal speed lasts } still { straight nearest }
    Press { who input near facing zone held } still { }
    Diagnostic { span also fix } still { code severity message help twice rule }
    Fix { edits } still { label }
}
