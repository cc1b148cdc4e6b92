//! A tree of actions to a row of ops.
//!
//! What a level is made of beside its actions is lowered in [`crate::lower`].
//!
//! Invariant: every op has a span; a jump leads to an op of the same rule.

use mayfly_base::code::*;
use mayfly_base::*;
use mayfly_engine::program::Op;
use mayfly_lang::level::*;

/// The row of ops under construction.
#[derive(Default)]
pub struct Code {
    pub ops: Vec<Op>,
    pub spans: Vec<Span>,
}

impl Code {
    fn put(&mut self, op: Op, span: Span) -> u32 {
        self.ops.push(op);
        self.spans.push(span);
        (self.ops.len() - 1) as u32
    }

    /// Where the next op comes to stand.
    pub fn here(&self) -> u32 {
        self.ops.len() as u32
    }

    /// A block with its end; gives where it begins.
    pub fn block(&mut self, block: &Block, slots: &mut Slots) -> u32 {
        let at = self.here();
        let mut loops = vec![];
        self.stmts(block, slots, &mut loops);
        let span = block.last().map_or(Span::default(), |s| s.span);
        self.put(Op::End, Span { start: span.end, ..span });
        at
    }

    /// A state's loop: again and again.
    pub fn looping(&mut self, block: &Block, slots: &mut Slots, span: Span) -> u32 {
        let slot = slots.more();
        slots.loops.push(slot);
        let at = self.put(Op::WhileBegin(slot), span);
        let turn = self.put(Op::LoopTurn(slot), span);
        let mut loops = vec![Loop { turn, breaks: vec![] }];
        self.stmts(block, slots, &mut loops);
        self.put(Op::Jump(turn), span);
        let end = self.put(Op::End, span);
        loops.into_iter().flat_map(|l| l.breaks).for_each(|j| self.aim(j, end));
        at
    }

    fn stmts(&mut self, block: &Block, slots: &mut Slots, loops: &mut Vec<Loop>) {
        for s in block {
            self.stmt(s, slots, loops);
        }
    }

    fn stmt(&mut self, s: &Stmt, slots: &mut Slots, loops: &mut Vec<Loop>) {
        let span = s.span;
        match &s.kind {
            StmtKind::Do(a) => {
                self.put(Op::Do(a.clone()), span);
            }
            StmtKind::Let(slot, e) => {
                self.put(Op::Set(*slot, e.clone()), span);
            }
            StmtKind::If(arms, otherwise) => {
                let mut ends = vec![];
                for (i, (test, body)) in arms.iter().enumerate() {
                    let unless = self.put(Op::Unless(test.clone(), 0), test.span);
                    self.stmts(body, slots, loops);
                    if i + 1 < arms.len() || otherwise.is_some() {
                        ends.push(self.put(Op::Jump(0), span));
                    }
                    let here = self.here();
                    self.aim(unless, here);
                }
                if let Some(body) = otherwise {
                    self.stmts(body, slots, loops);
                }
                let here = self.here();
                ends.into_iter().for_each(|j| self.aim(j, here));
            }
            StmtKind::Repeat(slot, n, body) => {
                self.put(Op::RepeatBegin(*slot, n.clone()), n.span);
                let turn = self.put(Op::RepeatTurn(*slot, 0), span);
                self.looped(turn, body, slots, loops);
            }
            StmtKind::While(test, body) => {
                let slot = slots.more();
                slots.loops.push(slot);
                self.put(Op::WhileBegin(slot), span);
                let turn = self.put(Op::WhileTurn(slot, test.clone(), 0), test.span);
                self.looped(turn, body, slots, loops);
            }
            StmtKind::For { slot, list, at, over, test, body } => {
                match over {
                    ForOver::Range(from, to) => {
                        self.put(Op::ForRange { list: *list, at: *at, from: from.clone(), to: to.clone() }, span)
                    }
                    ForOver::Each(e) => self.put(Op::ForEach { list: *list, at: *at, over: e.clone() }, e.span),
                };
                let turn =
                    self.put(Op::ForTurn { slot: *slot, list: *list, at: *at, test: test.clone(), exit: 0 }, span);
                self.looped(turn, body, slots, loops);
            }
            StmtKind::Seq(body) => self.stmts(body, slots, loops),
            StmtKind::WaitRamp => {
                self.put(Op::WaitRamp, span);
            }
            StmtKind::WeightedChoice(draw, arms) => {
                let rows = arms.iter().map(|(w, _)| (w.clone(), 0)).collect();
                let lot = self.put(Op::WeightedChoice(*draw, rows), span);
                // Where none is drawn the run goes on after all of them.
                let mut ends = vec![self.put(Op::Jump(0), span)];
                let mut begins = vec![];
                for (_, body) in arms {
                    begins.push(self.here());
                    self.stmts(body, slots, loops);
                    ends.push(self.put(Op::Jump(0), span));
                }
                if let Op::WeightedChoice(_, rows) = &mut self.ops[lot as usize] {
                    rows.iter_mut().zip(begins).for_each(|(r, b)| r.1 = b);
                }
                let here = self.here();
                ends.into_iter().for_each(|j| self.aim(j, here));
            }
            StmtKind::Break => {
                let jump = self.put(Op::Jump(0), span);
                if let Some(l) = loops.last_mut() {
                    l.breaks.push(jump);
                }
            }
            StmtKind::Continue => {
                let turn = loops.last().map_or(0, |l| l.turn);
                self.put(Op::Jump(turn), span);
            }
            StmtKind::Return(value) => {
                self.put(Op::Return(value.clone()), span);
            }
            StmtKind::WaitWalk => {
                self.put(Op::WaitWalk, span);
            }
            StmtKind::WaitFor { event, at_most } => {
                self.put(Op::WaitFor { event: *event, at_most: at_most.clone() }, span);
            }
            StmtKind::Meanwhile(body) => {
                let fork = self.put(Op::Fork(0), span);
                self.stmts(body, slots, &mut vec![]);
                self.put(Op::End, span);
                let here = self.here();
                self.aim(fork, here);
            }
            StmtKind::Routine { routine, args, into } => {
                self.put(Op::Call { routine: *routine, args: args.clone(), into: *into }, span);
            }
            StmtKind::Wait(d) => {
                self.put(Op::Wait(d.clone()), span);
            }
            StmtKind::WaitUntil { test, at_most } => {
                self.put(Op::WaitUntil { test: test.clone(), at_most: at_most.clone() }, span);
            }
        }
    }

    fn looped(&mut self, turn: u32, body: &Block, slots: &mut Slots, loops: &mut Vec<Loop>) {
        loops.push(Loop { turn, breaks: vec![turn] });
        self.stmts(body, slots, loops);
        let span = self.spans[turn as usize];
        self.put(Op::Jump(turn), span);
        let here = self.here();
        let done = loops.pop().map(|l| l.breaks).unwrap_or_default();
        done.into_iter().for_each(|j| self.aim(j, here));
    }

    fn aim(&mut self, op: u32, to: u32) {
        match &mut self.ops[op as usize] {
            Op::Unless(_, t) | Op::Jump(t) | Op::Fork(t) | Op::RepeatTurn(_, t) | Op::WhileTurn(_, _, t) => *t = to,
            Op::ForTurn { exit, .. } => *exit = to,
            _ => {}
        }
    }
}

struct Loop {
    turn: u32,
    breaks: Vec<u32>,
}

/// A frame's size, while a rule is lowered.
pub struct Slots {
    pub count: usize,
    pub loops: Vec<Slot>,
}

impl Slots {
    fn more(&mut self) -> Slot {
        self.count += 1;
        (self.count - 1) as Slot
    }
}
