//! What keeps a rule from firing beside its event and its clauses: it is switched off, asleep, used up, resting, waits, or
//! whom it is about is disabled.
//!
//! Invariant: every fact is of the moment's world; a tick that is named lies in the flight.

use crate::explain::source;
use crate::session::Session;
use crate::why_not::Fact;
use crate::words::Words;
use mayfly_base::code::*;
use mayfly_base::*;
use mayfly_engine::record::SwitchedWhat;
use mayfly_engine::world::{Run, Wait};

impl Session {
    /// Switched off, asleep, in another state, used up, resting, waiting.
    pub(crate) fn limits(&self, rule: RuleId) -> Vec<Fact> {
        let (w, r) = (&self.now.world, &self.engine.program.rules[rule.index()]);
        let mut out = vec![];
        let bad = |text: String| Fact { text, good: Some(false) };
        if w.rules.get(rule.index()).is_some_and(|r| !r.on) {
            let by = self.switched(|s| *s == SwitchedWhat::Rule(rule), "off");
            out.push(bad(format!("it is switched {}", by.fact.text)));
            let on = crate::writers::doers(
                &self.level,
                &self.engine.program,
                |a| matches!(a, Action::SwitchRule { rule: r, on: true } if *r == rule),
            );
            let text = if on.is_empty() {
                "no rule switches it on".into()
            } else {
                format!("switched on by {}", on.join(", "))
            };
            out.push(Fact { text, good: None });
        }
        let sleeps = |test: &Expr, me| crate::values::of(&self.engine, w, test, me, &[]) != Ok(Value::Flag(true));
        let all_sleep = |test: &Expr| match r.owner {
            None => sleeps(test, None),
            // A rule of a kind sleeps where it does for each of them.
            Some(_) => {
                let mut all = w.living().filter(|(_, a)| r.kinds.contains(&a.kind)).peekable();
                all.peek().is_some() && all.all(|(a, _)| sleeps(test, Some(a)))
            }
        };
        if let Some(test) = &r.limits.awake
            && all_sleep(test)
        {
            out.push(bad(format!("it is asleep: not {}", source(&self.sources, test.span))));
        }
        let machine = match &r.part {
            Some(Part::Transition { machine, from: Some(s), .. }) => Some((*machine, *s)),
            Some(Part::In(s)) => Some((self.engine.program.states[s.index()].machine, *s)),
            _ => None,
        };
        if let Some((machine, state)) = machine {
            for ((_, of), now) in w.machines.iter().filter(|((m, _), _)| *m == machine).take(3) {
                let p = &self.engine.program;
                let name = Words::new(p, w).machine(*of, state);
                let is = now.since(state).is_some();
                let text = if is {
                    format!("{name} is {} since tick {}", p.states[state.index()].name, now.since(state).unwrap_or(0))
                } else {
                    format!("{name} is {}, not {}", p.states[now.state.index()].name, p.states[state.index()].name)
                };
                out.push(Fact { text, good: Some(is) });
            }
        }
        let whose = |a: Option<ActorId>| {
            a.map_or(String::new(), |a| format!(" for {}", Words::new(&self.engine.program, w).actor(a)))
        };
        for (key, n) in w.uses.iter().filter(|(k, _)| k.0 == rule) {
            let most = r.limits.at_most.get(key.1 as usize).map_or(0, |(m, _)| *m);
            if *n >= most {
                let text = if most == 1 { "`once` is used up".into() } else { format!("`at most {most}` is used up") };
                out.push(bad(format!("{text}{}", whose(key.3))));
            }
        }
        for (key, until) in w.rests.iter().filter(|(k, until)| k.0 == rule && **until > w.tick) {
            out.push(bad(format!("it rests{} until tick {until}", whose(key.3))));
        }
        out.extend(self.waiting_runs(rule));
        out
    }

    /// The earlier runs of a rule that still wait: since when, and until what.
    fn waiting_runs(&self, rule: RuleId) -> Vec<Fact> {
        let (p, w) = (&self.engine.program, &self.now.world);
        let words = Words::new(p, w);
        let runs: Vec<&Run> = w.runs.iter().filter(|r| r.rule == rule).collect();
        let again = match &p.rules[rule.index()].limits.again {
            Again::Skip => "`again skip` passes other events over",
            Again::Later => "`again later` keeps each event",
            Again::Anew => "with `again anew` another event ends it and begins a new one",
            Again::Beside => "with `again beside` another event begins one more",
        };
        let until = |run: &Run| match &run.wait {
            Wait::Until(t) | Wait::Test(Some(t)) | Wait::Event(_, Some(t)) => format!("until tick {t} at the latest"),
            Wait::Test(None) => match p.spans.get(run.pc as usize) {
                Some(s) => format!("at `{}`", source(&self.sources, *s)),
                None => "until its test is true".into(),
            },
            Wait::Event(r, None) => format!("until: {}", p.rule_name(*r)),
            Wait::Walk(a, _) => format!("until the walk of {} ends", words.actor(*a)),
            Wait::Ramp(_) => "until its ramp ends".into(),
        };
        let one = |run: &&Run| {
            let whose = run.me.map_or(String::new(), |a| format!(" of {}", words.actor(a)));
            let text = format!("a run{whose} waits since tick {}, {}; {again}", run.cause.tick, until(run));
            Fact { text, good: Some(false) }
        };
        let mut out: Vec<Fact> = runs.iter().take(3).map(one).collect();
        if runs.len() > 3 {
            out.push(Fact { text: format!("{} more runs of it wait", runs.len() - 3), good: None });
        }
        out
    }

    /// Actors that the rule could be about and of which nothing is noticed, since they are disabled.
    pub(crate) fn unnoticed(&self, rule: RuleId, who: &[(Slot, ActorId)], me: Option<ActorId>) -> Vec<Fact> {
        let (p, w) = (&self.engine.program, &self.now.world);
        let words = Words::new(p, w);
        let mut out = vec![];
        for id in who.iter().map(|(_, a)| *a).chain(me) {
            if w.actor(id).is_some_and(|a| !a.enabled) {
                let by = self.switched(|s| *s == SwitchedWhat::Actor(id), "disabled");
                let text = format!("{} is {}: what becomes of it goes unnoticed", words.actor(id), by.fact.text);
                out.push(Fact { text, good: Some(false) });
            }
        }
        for k in &p.rules[rule.index()].kinds {
            let off = w.living().filter(|(id, a)| a.kind == *k && !a.enabled && Some(*id) != me).count();
            if off > 0 {
                let name = &p.kinds[k.index()].name;
                let text =
                    if off == 1 { format!("1 {name} is disabled") } else { format!("{off} {name}s are disabled") };
                out.push(Fact { text, good: None });
            }
        }
        out
    }
}
