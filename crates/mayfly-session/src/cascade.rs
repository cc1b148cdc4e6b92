//! The firing order of one tick as a ladder: rounds, what was taken up, every evaluation, what it did.
//!
//! It is a complete account: everything that was evaluated stands in it, in the order of evaluation.
//!
//! Invariant: rungs are numbered through the tick from 1; each knows the records that belong to it, so
//! that any moment of the tick lies in at most one rung.

use crate::explain::{ClauseSeen, ExplainedTrace};
pub use crate::ladder::*;
use crate::words::Words;
use mayfly_base::*;
use mayfly_engine::program::{Op, Program};
use mayfly_engine::record::{Cause, EventInstance, Spent, SwitchedWhat, Target, TraceEvent, Verdict};
use mayfly_engine::world::World;
use std::collections::BTreeMap;

/// Reads a trace. `world` is one of the tick's end, for names.
pub fn read(program: &Program, world: &World, tick: u64, explained: &ExplainedTrace) -> Cascade {
    let words = Words::new(program, world);
    let records = &explained.trace.records;
    let mut c = Cascade { tick, records: records.len() as u32, ..Cascade::default() };
    let mut round = 0;
    let mut number = 0;
    let mut draws: Vec<Line> = vec![];
    let places = places(records);
    for (i, r) in records.iter().enumerate() {
        let at = i as u32;
        match r {
            TraceEvent::Round(n) => (round, c.rounds) = (*n, *n),
            TraceEvent::Event { what, cause } => {
                c.groups.push(group(&words, (records, &places), round, at, what, *cause, false))
            }
            TraceEvent::Dropped { what, cause } => {
                c.groups.push(group(&words, (records, &places), round, at, what, *cause, true))
            }
            TraceEvent::Evaluated { rule, when, me, locals, verdict } => {
                number += 1;
                let clauses = explained.clauses.get(&at).cloned().unwrap_or_default();
                let (mark, note) = verdict_words(program, verdict, &clauses, tick);
                match mark {
                    Mark::Fired => c.fired += 1,
                    Mark::Held => c.held += 1,
                    // One that is kept is evaluated once more.
                    Mark::Spent if !matches!(verdict, Verdict::Spent(Spent::Kept)) => c.spent += 1,
                    _ => {}
                }
                let title = rung_title(program, &words, *rule, *me, locals);
                let lines = std::mem::take(&mut draws);
                let rung = Rung {
                    number,
                    round,
                    at,
                    end: at,
                    rule: *rule,
                    when: *when,
                    me: *me,
                    title,
                    mark,
                    note,
                    clauses,
                    locals: locals.clone(),
                    lines,
                };
                match c.groups.last_mut() {
                    Some(g) if g.round == round => g.rungs.push(rung),
                    // What a poke brings about runs before the rounds; else it is an event that was kept.
                    _ => c.groups.push(Group {
                        round,
                        at,
                        title: if round == 0 { "by hand" } else { "an event kept for later" }.into(),
                        cause: Cause::NONE,
                        source: if round == 0 { Origin::Hand } else { Origin::Clock },
                        rungs: vec![rung],
                        unheard: false,
                        dropped: false,
                    }),
                }
            }
            TraceEvent::GoesOn { rule, me, cause, by_event, .. } => {
                number += 1;
                let title = rung_title(program, &words, *rule, *me, &[]);
                let begun = if cause.tick == tick { String::new() } else { format!(", begun at tick {}", cause.tick) };
                let note = format!("goes on{begun}");
                let rung = Rung {
                    number,
                    round,
                    at,
                    end: at,
                    rule: *rule,
                    when: 0,
                    me: *me,
                    title,
                    mark: Mark::GoesOn,
                    note,
                    clauses: vec![],
                    locals: vec![],
                    lines: vec![],
                };
                if let (true, Some(g)) = (*by_event, c.groups.last_mut()) {
                    g.rungs.push(rung);
                    continue;
                }
                c.groups.push(Group {
                    round,
                    at,
                    title: "a wait is over".into(),
                    cause: *cause,
                    source: Origin::Earlier(cause.tick),
                    rungs: vec![rung],
                    unheard: false,
                    dropped: false,
                });
            }
            TraceEvent::Closed => {}
            TraceEvent::Faulted { rule: Some(rule), fault, cause } if !is_of_last_rung(&c, *rule) => {
                number += 1;
                let source = match *cause {
                    Cause::NONE => Origin::Noticed,
                    cause => origin(tick, records, &places, cause),
                };
                let mut group = faulty_wait(program, &words, (round, number, at), *rule, fault);
                (group.cause, group.source) = (*cause, source);
                c.groups.push(group);
            }
            _ => {
                let rung = c.groups.last().and_then(|g| g.rungs.last());
                let Some(what) = done(program, &words, r, rung) else { continue };
                let line = Line { at, what };
                match c.groups.last_mut().and_then(|g| g.rungs.last_mut()) {
                    None if round == 0 => c.before.push(line),
                    // Draws come before the evaluation that they are of.
                    _ if matches!(r, TraceEvent::Drew { ahead: true, .. }) => draws.push(line),
                    Some(rung) => {
                        rung.end = at;
                        // A fault that is no rule's does not make this one faulty.
                        match r {
                            TraceEvent::Faulted { rule: None, .. } => rung.lines.push(line),
                            _ => add(rung, line),
                        }
                    }
                    None => c.before.push(line),
                }
            }
        }
    }
    for g in &mut c.groups {
        g.unheard = g.rungs.is_empty() && !g.dropped;
    }
    link_overwrites(program, &mut c, records);
    c
}

/// True where the last rung is an evaluation of that rule.
fn is_of_last_rung(c: &Cascade, rule: RuleId) -> bool {
    c.groups.last().and_then(|g| g.rungs.last()).is_some_and(|r| r.rule == rule)
}

/// What a rule awaits, or tests without an event, has no value: nothing was evaluated of the rule, and yet it is named.
fn faulty_wait(
    program: &Program,
    words: &Words,
    (round, number, at): (u32, u32, u32),
    rule: RuleId,
    fault: &mayfly_engine::fault::Fault,
) -> Group {
    let title = rung_title(program, words, rule, None, &[]);
    let text = format!("{}: {}", fault.kind.name(), fault.text);
    let rung = Rung {
        number,
        round,
        at,
        end: at,
        rule,
        when: 0,
        me: None,
        title: title.clone(),
        mark: Mark::Fault,
        note: text.clone(),
        clauses: vec![],
        locals: vec![],
        lines: vec![Line { at, what: Done::Fault(text) }],
    };
    Group {
        round,
        at,
        title: format!("the test of \"{title}\" has no value"),
        cause: Cause::NONE,
        source: Origin::Noticed,
        rungs: vec![rung],
        unheard: false,
        dropped: false,
    }
}

fn add(rung: &mut Rung, line: Line) {
    if let Done::Fault(text) = &line.what {
        rung.mark = Mark::Fault;
        rung.note.clone_from(text);
    }
    // A loop's turns are one line that counts.
    if let Done::Turns { pc, .. } = line.what
        && let Some(Line { what: Done::Turns { count, .. }, .. }) =
            rung.lines.iter_mut().find(|l| matches!(&l.what, Done::Turns { pc: p, .. } if *p == pc))
    {
        *count += 1;
        return;
    }
    if folds(rung, &line) {
        return;
    }
    rung.lines.push(line);
}

/// Lines of one loop that stand apart; what it says more is folded.
const MAX_LOOP_LINES: usize = 12;

/// Inside a loop, writes of one place are one line from the first value to the last.
fn folds(rung: &mut Rung, line: &Line) -> bool {
    let Some(turns) = rung.lines.iter().position(|l| matches!(l.what, Done::Turns { .. })) else { return false };
    let inside = &mut rung.lines[turns + 1..];
    if let Done::Wrote { target, new, .. } = &line.what
        && let Some(l) = inside.iter_mut().find(|l| matches!(&l.what, Done::Wrote { target: t, .. } if t == target))
    {
        if let Done::Wrote { new: last, .. } = &mut l.what {
            last.clone_from(new);
        }
        l.at = line.at;
        return true;
    }
    if inside.len() < MAX_LOOP_LINES || matches!(line.what, Done::Fault(_)) {
        return false;
    }
    let more = Done::Other("and so on".into());
    if inside.last().is_some_and(|l| l.what != more) {
        rung.lines.push(Line { at: line.at, what: more });
    }
    true
}

/// For each record, the round and the rung to which it belongs.
fn places(records: &[TraceEvent]) -> Vec<(u32, u32)> {
    let (mut round, mut rung) = (0, 0);
    let place = |r: &TraceEvent| {
        match r {
            TraceEvent::Round(n) => round = *n,
            TraceEvent::Evaluated { .. } | TraceEvent::GoesOn { .. } => rung += 1,
            _ => {}
        }
        (round, rung)
    };
    records.iter().map(place).collect()
}

fn group(
    words: &Words,
    (records, places): (&[TraceEvent], &[(u32, u32)]),
    round: u32,
    at: u32,
    what: &EventInstance,
    cause: Cause,
    dropped: bool,
) -> Group {
    let title = words.event(what);
    let source = match what {
        EventInstance::Start | EventInstance::MachinesBegin(None) => Origin::Start,
        EventInstance::Watched { .. } | EventInstance::Transits(..) if cause == Cause::NONE => Origin::Noticed,
        EventInstance::Time => Origin::Clock,
        EventInstance::Press(..) | EventInstance::Pressing(..) => Origin::Key,
        _ => origin(words.world.tick, records, places, cause),
    };
    Group { round, at, title, cause, source, rungs: vec![], unheard: false, dropped }
}

/// Where a cause lies: in a rung of this tick, before its rounds, or in an earlier tick.
fn origin(tick: u64, records: &[TraceEvent], places: &[(u32, u32)], cause: Cause) -> Origin {
    if cause == Cause::NONE {
        return Origin::Sensed;
    }
    if cause.tick != tick {
        return Origin::Earlier(cause.tick);
    }
    let (round, rung) = places.get(cause.at as usize).copied().unwrap_or_default();
    match records.get(cause.at as usize) {
        Some(TraceEvent::Poked(_)) => Origin::Hand,
        // First states are entered by whatever began their machine.
        Some(TraceEvent::Event { what: EventInstance::MachinesBegin(None), .. }) => Origin::Start,
        Some(TraceEvent::Event { what: EventInstance::MachinesBegin(Some(_)), cause }) => {
            origin(tick, records, places, *cause)
        }
        Some(TraceEvent::Pressed(..)) if round == 0 => Origin::Key,
        _ if rung == 0 => Origin::Sensed,
        _ => Origin::Rung(round, rung),
    }
}

fn rung_title(program: &Program, words: &Words, rule: RuleId, me: Option<ActorId>, _: &[Value]) -> String {
    let title = &program.rules[rule.index()].title;
    match me {
        Some(a) => format!("{}: {title}", words.actor(a)),
        None => title.clone(),
    }
}

fn verdict_words(_: &Program, verdict: &Verdict, clauses: &[ClauseSeen], tick: u64) -> (Mark, String) {
    match verdict {
        Verdict::Fired => (Mark::Fired, String::new()),
        Verdict::Held { clause, otherwise } => {
            let c = clauses.get(*clause as usize);
            let why =
                c.map_or(String::new(), |c| if c.values.is_empty() { format!("not: {}", c.text) } else { c.shown() });
            (Mark::Held, if *otherwise { format!("{why}, else") } else { why })
        }
        Verdict::Spent(Spent::UsedUp(1)) => (Mark::Spent, "once, used up".into()),
        Verdict::Spent(Spent::UsedUp(n)) => (Mark::Spent, format!("at most {n}, used up")),
        Verdict::Spent(Spent::Resting(until)) => {
            (Mark::Spent, format!("rests {} more", crate::words::ticks(until.saturating_sub(tick))))
        }
        Verdict::Spent(Spent::Waiting) => (Mark::Spent, "an earlier run waits".into()),
        Verdict::Spent(Spent::Kept) => (Mark::Spent, "kept for later".into()),
        Verdict::PassedOver => (Mark::Passed, "passed over".into()),
        Verdict::Asleep => (Mark::Asleep, "asleep".into()),
    }
}

/// What a record says of the rung that did it; none where it says nothing by itself.
pub(crate) fn done(program: &Program, words: &Words, r: &TraceEvent, rung: Option<&Rung>) -> Option<Done> {
    let own = || rung.map_or(&[][..], |r| &program.rules[r.rule.index()].names);
    let locals: &[String] = match r {
        TraceEvent::Wrote { pc, .. } => {
            program.routine_at(*pc).filter(|_| !gives_back(program, *pc)).map_or_else(own, |r| &r.names)
        }
        _ => own(),
    };
    Some(match r {
        // What the language keeps for itself is no one's variable.
        TraceEvent::Wrote { target: Target::Local(s), .. }
            if locals.get(*s as usize).is_some_and(|n| n.starts_with('(')) =>
        {
            return None;
        }
        TraceEvent::Wrote { target, old, new, kept_in, .. } => Done::Wrote {
            target: *target,
            name: words.target(*target, locals),
            old: if matches!(target, Target::Local(_)) && *old == Value::None {
                String::new()
            } else {
                words.value(old)
            },
            new: words.value(new),
            kept_in: *kept_in,
            overwritten_by: None,
            undoes: None,
        },
        TraceEvent::Sent { message, args, to, after, .. } => Done::Sent {
            text: words.event(&EventInstance::Message { message: *message, args: args.clone(), to: to.clone() }),
            after: *after,
        },
        TraceEvent::Told { text, .. } => Done::Said { verb: "tells", text: text.to_string() },
        TraceEvent::Cued { text, .. } => Done::Said { verb: "cues", text: text.to_string() },
        TraceEvent::Logged { text, .. } => Done::Said { verb: "logs", text: text.to_string() },
        TraceEvent::Signed { text, board, .. } => {
            Done::Said { verb: if *board { "board" } else { "prompts" }, text: text.to_string() }
        }
        TraceEvent::Ended { win, text, .. } => {
            Done::Said { verb: if *win { "wins" } else { "loses" }, text: text.clone() }
        }
        TraceEvent::Drew { value, odds, .. } => Done::Drew { text: words.value(value), odds: odds.clone() },
        TraceEvent::LoopTurn { pc, .. } => Done::Turns { pc: *pc, count: 1 },
        TraceEvent::Waits { until: Some(t), .. } => Done::Other(format!("waits until tick {t}")),
        TraceEvent::Waits { until: None, pc } => Done::Other(match &program.code[*pc as usize] {
            Op::WaitFor { event, .. } => {
                program.rules[event.index()].title.rsplit(": ").next().unwrap_or("waits").into()
            }
            Op::WaitWalk => "waits until the walk ends".into(),
            Op::WaitRamp => "waits until the ramp ends".into(),
            _ => "waits until its test is true".into(),
        }),
        TraceEvent::Faulted { fault, .. } => Done::Fault(format!("{}: {}", fault.kind.name(), fault.text)),
        TraceEvent::Switched { what, on, .. } => {
            let thing = match what {
                SwitchedWhat::Actor(a) | SwitchedWhat::Shown(a) => words.actor(*a),
                SwitchedWhat::Zone(z, o) => words.zone(*z, *o),
                SwitchedWhat::Tag(a, t) => {
                    let verb = if *on { "tags" } else { "untags" };
                    return Some(Done::Other(format!("{verb} {} as {}", words.actor(*a), program.tags[t.index()])));
                }
                SwitchedWhat::Frozen(a) => {
                    return Some(Done::Other(format!(
                        "{} {}",
                        if *on { "freezes" } else { "unfreezes" },
                        words.actor(*a)
                    )));
                }
                SwitchedWhat::Rule(r) => format!("rule {}", program.rule_name(*r)),
            };
            Done::Other(format!("{} {thing}", if *on { "enables" } else { "disables" }))
        }
        TraceEvent::Pressed(..)
        | TraceEvent::WentTo { .. }
        | TraceEvent::RampSet { .. }
        | TraceEvent::Poked(_)
        | TraceEvent::Moved { .. }
        | TraceEvent::Turned { .. }
        | TraceEvent::Spawned { .. }
        | TraceEvent::Removed { .. }
        | TraceEvent::Put { .. }
        | TraceEvent::ClockSet { .. }
        | TraceEvent::Laid { .. }
        | TraceEvent::Ordered { .. }
        | TraceEvent::OrderEnds { .. }
        | TraceEvent::RampEnds { .. }
        | TraceEvent::Remembered { .. }
        | TraceEvent::Reset { .. }
        | TraceEvent::Saved { .. }
        | TraceEvent::Restarts { .. }
        | TraceEvent::Called { .. }
        | TraceEvent::TimerSet { .. } => Done::Other(words.record(r)),
        _ => return None,
    })
}

/// True where a routine's result is written into the frame that called it.
fn gives_back(program: &Program, pc: u32) -> bool {
    matches!(program.code[pc as usize], Op::Return(_) | Op::End)
}

/// Marks writes that a later firing of the tick replaces or undoes, on both ends.
fn link_overwrites(program: &Program, c: &mut Cascade, records: &[TraceEvent]) {
    // Where each write stands: group, rung, line.
    let mut writes: Vec<(Target, usize, usize, usize)> = vec![];
    for (g, group) in c.groups.iter().enumerate() {
        for (r, rung) in group.rungs.iter().enumerate() {
            for (l, line) in rung.lines.iter().enumerate() {
                if let Done::Wrote { target, .. } = &line.what
                    && !matches!(target, Target::Local(_))
                {
                    writes.push((*target, g, r, l));
                }
            }
        }
    }
    // For each write the next one of its place in another rung, found from the last on.
    let mut next: Vec<Option<usize>> = vec![None; writes.len()];
    let mut last: BTreeMap<Target, usize> = BTreeMap::new();
    for (i, (target, g, r, _)) in writes.iter().enumerate().rev() {
        next[i] = last
            .insert(*target, i)
            .and_then(|j| if (writes[j].1, writes[j].2) == (*g, *r) { next[j] } else { Some(j) });
    }
    for i in 0..writes.len() {
        let (_, g, r, l) = writes[i];
        let Some((_, g2, r2, l2)) = next[i].map(|j| writes[j]) else { continue };
        let (later_round, later_number) = (c.groups[g2].rungs[r2].round, c.groups[g2].rungs[r2].number);
        let (round, number) = (c.groups[g].rungs[r].round, c.groups[g].rungs[r].number);
        let at = c.groups[g2].rungs[r2].lines[l2].at;
        let adds = match records.get(at as usize) {
            Some(TraceEvent::Wrote { pc, .. }) => {
                matches!(&program.code[*pc as usize], Op::Do(mayfly_base::code::Action::Assign { op: Some(_), .. }))
            }
            _ => false,
        };
        let before = match &c.groups[g].rungs[r].lines[l].what {
            Done::Wrote { old, .. } => old.clone(),
            _ => continue,
        };
        let Done::Wrote { new, undoes, .. } = &mut c.groups[g2].rungs[r2].lines[l2].what else { continue };
        let back = *new == before;
        if adds && !back {
            continue;
        }
        *undoes = Some((round, number));
        if let Done::Wrote { overwritten_by, .. } = &mut c.groups[g].rungs[r].lines[l].what {
            *overwritten_by = Some((later_round, later_number));
        }
    }
}
