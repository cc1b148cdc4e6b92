//! Expressions to values, in a world that they do not change.
//!
//! Random draws go on in the world's streams; nothing else moves.
//!
//! Invariant: no expression panics or runs without bound: a value that cannot be is a
//! [`Fault`], and asking each of many actors counts as a step.

use crate::fault::*;
use crate::program::Program;
use crate::record::Target;
use crate::world::{Actor, MachineState, World};
use mayfly_base::arith;
use mayfly_base::code::*;
use mayfly_base::*;
use rustc_hash::FxHashMap;
use std::cell::{Cell, RefCell};
use std::sync::Arc;

/// A draw that was made, with its odds in words.
#[derive(Clone, Debug, PartialEq)]
pub struct Drawn {
    pub draw: DrawId,
    pub value: Value,
    pub odds: String,
}

/// What an expression sees.
pub struct Scope<'a> {
    pub program: &'a Program,
    pub world: &'a World,
    pub me: Option<ActorId>,
    /// The rule that asks: routines draw in its streams.
    pub rule: Option<RuleId>,
    /// Steps made so far in this run.
    pub steps: &'a Cell<u64>,
    /// How many routines that compute stand inside each other.
    pub deep: u32,
    /// Where draws are noted, if they are.
    pub draws: Option<&'a RefCell<Vec<Drawn>>>,
    /// False where somebody only asks: then nothing is drawn.
    pub may_draw: bool,
    /// Defined values that were found already while nothing changed.
    pub known: &'a RefCell<Known>,
}

/// Defined values by their number and `self`.
pub type Known = FxHashMap<(DefineId, Option<ActorId>), Value>;

/// A value, or why there is none.
pub type EvalResult = Result<Value, Fault>;

impl Scope<'_> {
    pub fn step(&self, n: u64, span: Span) -> Result<(), Fault> {
        let steps = self.steps.get() + n;
        self.steps.set(steps);
        if steps > MAX_STEPS {
            return Err(Fault::new(FaultKind::RunawayLoop, "more than 1,000,000 steps without a wait", span));
        }
        Ok(())
    }

    /// The value of an expression.
    ///
    /// # Errors
    /// A [`Fault`] where it has none.
    pub fn eval(&self, e: &Expr, locals: &mut [Value]) -> EvalResult {
        use ExprKind as K;
        Ok(match &e.kind {
            K::Const(v) => v.clone(),
            K::Var(v) => self.world.vars[v.index()].clone(),
            K::Local(s) => locals[*s as usize].clone(),
            K::Called(name) => {
                self.step((self.world.actors.len() / ITEM_STEP) as u64, e.span)?;
                let found = self.world.living().find(|(_, a)| a.name == *name).map(|(id, _)| Value::Actor(id));
                found.ok_or_else(|| Fault::new(FaultKind::Absent, format!("there is no `{name}` now"), e.span))?
            }
            K::Myself => self.me.map_or(Value::None, |a| self.world.as_value(a)),
            K::As(a, kind) => {
                let v = self.eval(a, locals)?;
                let id = self.id(a, locals)?;
                if !self.program.is_kind(self.world.actors[id.index()].kind, *kind) {
                    let name = &self.program.kinds[kind.index()].name;
                    let text = format!("{} is no {name}", v.show(&crate::names::Named(self.program, self.world), None));
                    return Err(Fault::new(FaultKind::None, text, e.span));
                }
                v
            }
            K::Field(a, f) => {
                let actor = self.actor(a, locals)?;
                actor
                    .fields
                    .get(f.index())
                    .cloned()
                    .ok_or_else(|| Fault::new(FaultKind::Gone, "this actor has no such variable", e.span))?
            }
            K::Binary(op, a, b) => {
                let (a, b) = (self.eval(a, locals)?, self.eval(b, locals)?);
                self.charge_for(*op, &a, &b, e.span)?;
                arith::binary(*op, &a, &b).map_err(|w| self.sum_fault(w, *op, &a, &b, e.span))?
            }
            K::And(a, b) => Value::Flag(self.flag(a, locals)? && self.flag(b, locals)?),
            K::Or(a, b) => Value::Flag(self.flag(a, locals)? || self.flag(b, locals)?),
            K::Not(a) => Value::Flag(!self.flag(a, locals)?),
            K::Negate(a) => {
                let a = self.eval(a, locals)?;
                arith::negate(&a).map_err(|w| Fault::of(w, e.span))?
            }
            K::If(c, a, b) => {
                if self.flag(c, locals)? {
                    self.eval(a, locals)?
                } else {
                    self.eval(b, locals)?
                }
            }
            K::Between(x, a, b) => {
                let (x, a, b) = (self.eval(x, locals)?, self.eval(a, locals)?, self.eval(b, locals)?);
                let ge = arith::binary(BinOp::Ge, &x, &a).map_err(|w| Fault::of(w, e.span))?;
                let le = arith::binary(BinOp::Le, &x, &b).map_err(|w| Fault::of(w, e.span))?;
                Value::Flag(ge == Value::Flag(true) && le == Value::Flag(true))
            }
            K::Per(n, d) => {
                let (n, d) = (self.number(n, locals)?, self.duration(d, locals)?);
                if d == 0 {
                    return Err(Fault::new(FaultKind::DivisionByZero, "a number per no time at all", e.span));
                }
                let share = n * 1e6 / (d as f64 * f64::from(self.program.rate.0));
                if !share.is_finite() {
                    return Err(Fault::of(ArithError::NotANumber, e.span));
                }
                Value::Number(share)
            }
            K::Text(pieces) => self.text(pieces, locals, e.span)?,
            K::Define(d) => self.define(*d, None, e.span)?,
            K::First(x) => self.first(x, locals)?,
            K::Attr(a, attr) => match self.eval(a, locals)? {
                Value::Zone(z, of) => Value::Flag(match of {
                    Some(owner) => self.world.actor(owner).is_some_and(|a| a.enabled),
                    None => !self.world.zone_off[z.index()],
                }),
                _ => self.attr(a, *attr, locals)?,
            },
            K::ZoneOf(a, z) => Value::Zone(*z, Some(self.id(a, locals)?)),
            K::Axis(p, y) => {
                let p = self.point(p, locals)?;
                Value::Number(if *y { p.y } else { p.x })
            }
            K::Point(x, y, area) => {
                Value::Point(Point { x: self.number(x, locals)?, y: self.number(y, locals)?, area: *area })
            }
            K::List(items) => {
                let items: Result<Items<Value>, Fault> = items.iter().map(|i| self.eval(i, locals)).collect();
                Value::List(Arc::new(items?))
            }
            K::Index(l, i) => self.index(l, i, locals, e.span)?,
            K::Relation(r, a, b) => Value::Flag(self.relation(*r, a, b, locals)?),
            K::Near(a, b, d) => {
                let d = self.number(d, locals)?;
                let (a, b) = (self.eval(a, locals)?, self.eval(b, locals)?);
                let there = |v: &Value| match v {
                    Value::Actor(id) => self.world.actor(*id).is_some_and(|a| a.enabled),
                    _ => true,
                };
                let near = match (self.place(&a, e.span), self.place(&b, e.span)) {
                    (Ok(p), Ok(q)) => p.area == q.area && (p.x - q.x).hypot(p.y - q.y) <= d + number::NEAR,
                    (Err(f), _) | (_, Err(f)) if f.kind == FaultKind::None => return Err(f),
                    _ => false,
                };
                Value::Flag(near && there(&a) && there(&b))
            }
            K::Exists(a) => Value::Flag(match self.eval(a, locals)? {
                Value::None => false,
                Value::Actor(id) => self.world.actor(id).is_some(),
                _ => true,
            }),
            K::Ramping(p) => {
                let target = match &p.kind {
                    K::Var(v) => Some(Target::Var(*v)),
                    K::Field(a, f) => Some(Target::Field(self.id(a, locals)?, *f)),
                    K::Attr(a, attr) => Some(Target::Attr(self.id(a, locals)?, *attr)),
                    _ => None,
                };
                Value::Flag(self.world.ramps.iter().any(|r| Some(r.target) == target))
            }
            K::Pressing(a, input) => {
                let id = self.id(a, locals)?;
                Value::Flag(self.world.down.contains_key(&(id, *input)))
            }
            K::Call(f, args) => self.call(*f, args, locals, e.span)?,
            K::Draw(draw, id, args) => self.draw(*draw, *id, args, locals, e.span)?,
            K::Over(o) => self.over(o, locals, e.span)?,
            K::TimerLeft(t) => {
                let t = self.timer(t, locals)?;
                Value::Duration(self.program.rate.micros(self.world.timer_left(t)))
            }
            K::TimerRunning(t) => Value::Flag(self.world.timers[self.timer(t, locals)?.index()].running),
            K::ClockShows(c, u) => {
                let clock = &self.program.clocks[c.index()];
                let n = self.world.clocks[c.index()].unit(clock, *u as usize);
                match clock.units[*u as usize].2 {
                    Some(e) => Value::Enum(e, n as u32),
                    None => Value::Number(n as f64),
                }
            }
            K::ClockRun(c, u) => {
                let size = self.program.clocks[c.index()].sizes[*u as usize];
                Value::Number((self.world.clocks[c.index()].run / size) as f64)
            }
            K::ClockSpeed(c) => Value::Number(self.world.clocks[c.index()].speed),
            K::DefineOf(a, d) => {
                let me = Some(self.id(a, locals)?);
                Scope { me, ..*self }.define(*d, me, e.span)?
            }
            K::Routine(r, args) => self.routine(*r, args, locals, e.span)?,
            K::Halted(a) => {
                let id = self.id(a, locals)?;
                let a = &self.world.actors[id.index()];
                let slides = self
                    .world
                    .ramps
                    .iter()
                    .any(|r| r.slide && r.target == Target::Attr(id, mayfly_base::code::Attr::At));
                Value::Flag(a.step.is_none() && a.pressed.is_none() && a.walk.is_none() && !slides)
            }
            K::MachineState(m, of) => Value::State(self.machine(*m, of.as_deref(), locals)?.state),
            K::InState(m, of, state, long) => {
                let since = self.machine(*m, of.as_deref(), locals)?.since(*state);
                let Some(since) = since else { return Ok(Value::Flag(false)) };
                match long {
                    None => Value::Flag(true),
                    Some(d) => Value::Flag(self.world.tick.saturating_sub(since) >= self.ticks(d, locals)?),
                }
            }
            K::Time => Value::Duration(self.program.rate.micros(self.world.age())),
            K::Tick => Value::Number(self.world.age() as f64),
        })
    }

    /// A defined value: found once while nothing changes, however often it is read.
    fn define(&self, d: DefineId, me: Option<ActorId>, span: Span) -> EvalResult {
        self.step(1, span)?;
        let of = self.program.defines[d.index()].of.and(me.or(self.me));
        if let Some(v) = self.known.borrow().get(&(d, of)) {
            return Ok(v.clone());
        }
        let define = &self.program.defines[d.index()];
        let v = self.eval_in(&define.expr, define.frame)?;
        self.known.borrow_mut().insert((d, of), v.clone());
        Ok(v)
    }

    /// The value that a variable began with: the level's or the actor's own first one.
    fn first(&self, x: &Expr, locals: &mut [Value]) -> EvalResult {
        match &x.kind {
            ExprKind::Var(v) => Ok(self.world.first_vars[v.index()].clone()),
            ExprKind::Field(a, f) => {
                let actor = self.actor(a, locals)?;
                let fields = actor.first.as_ref().map_or(&actor.fields, |first| &first.fields);
                let gone = || Fault::new(FaultKind::Gone, "this actor has no such variable", x.span);
                fields.get(f.index()).cloned().ok_or_else(gone)
            }
            _ => self.eval(x, locals),
        }
    }

    /// Work on texts and lists counts by their size, where it is more than a few items.
    fn charge_for(&self, op: BinOp, a: &Value, b: &Value, span: Span) -> Result<(), Fault> {
        let size = |v: &Value| match v {
            Value::Text(t) => t.len() / TEXT_STEP,
            Value::List(l) | Value::Set(l) => l.len() / ITEM_STEP,
            Value::Tally(l) => l.len() / ITEM_STEP,
            _ => 0,
        };
        let (x, y) = (size(a), size(b));
        // What is joined is as long as both, what is compared as the shorter.
        let n = if op == BinOp::Add { x + y } else { x.min(y) };
        if n > 0 { self.step(n as u64, span) } else { Ok(()) }
    }

    /// The value of an expression with a frame of its own.
    ///
    /// # Errors
    /// A [`Fault`] where it has none.
    pub fn eval_alone(&self, e: &Expr) -> EvalResult {
        self.eval_in(e, e.frame())
    }

    /// As [`Scope::eval_alone`], where it is known how many slots the frame has.
    ///
    /// # Errors
    /// A [`Fault`] where it has none.
    pub fn eval_in(&self, e: &Expr, frame: usize) -> EvalResult {
        let mut few: [Value; 2] = [Value::None, Value::None];
        match few.get_mut(..frame) {
            Some(locals) => self.eval(e, locals),
            None => self.eval(e, &mut vec![Value::None; frame]),
        }
    }

    fn sum_fault(&self, w: ArithError, op: BinOp, a: &Value, b: &Value, span: Span) -> Fault {
        let mut f = Fault::of(w, span);
        let shown = |v: &Value| crate::contents::shown(v, &crate::names::Named(self.program, self.world));
        f.text = format!("{}: {} {} {}", f.text, shown(a), op.sign(), shown(b));
        f
    }

    /// A flag.
    ///
    /// # Errors
    /// A fault of the expression, or the use of none.
    pub fn flag(&self, e: &Expr, locals: &mut [Value]) -> Result<bool, Fault> {
        match self.eval(e, locals)? {
            Value::Flag(b) => Ok(b),
            _ => Err(Fault::new(FaultKind::None, "none is used as a flag", e.span)),
        }
    }

    /// A flag with a frame of its own.
    ///
    /// # Errors
    /// A [`Fault`] where it has no value.
    pub fn flag_alone(&self, e: &Expr) -> Result<bool, Fault> {
        self.flag(e, &mut vec![Value::None; e.frame()])
    }

    pub fn number(&self, e: &Expr, locals: &mut [Value]) -> Result<f64, Fault> {
        match self.eval(e, locals)? {
            Value::Number(n) => Ok(n),
            _ => Err(Fault::new(FaultKind::None, "none is used as a number", e.span)),
        }
    }

    pub fn duration(&self, e: &Expr, locals: &mut [Value]) -> Result<Micros, Fault> {
        match self.eval(e, locals)? {
            Value::Duration(d) => Ok(d),
            _ => Err(Fault::new(FaultKind::None, "none is used as a duration", e.span)),
        }
    }

    /// A wait in whole ticks.
    ///
    /// # Errors
    /// A negative duration is a fault.
    pub fn ticks(&self, e: &Expr, locals: &mut [Value]) -> Result<u64, Fault> {
        let d = self.duration(e, locals)?;
        if d < 0 {
            return Err(Fault::new(
                FaultKind::NotANumber,
                format!("a duration below nothing: {}", time::show(d, None)),
                e.span,
            ));
        }
        Ok(self.program.rate.ticks(d))
    }

    pub fn point(&self, e: &Expr, locals: &mut [Value]) -> Result<Point, Fault> {
        let v = self.eval(e, locals)?;
        self.place(&v, e.span)
    }

    /// Where a value is: a point itself, or an actor's centre.
    ///
    /// # Errors
    /// The use of none, or of an actor that is gone.
    pub fn place(&self, v: &Value, span: Span) -> Result<Point, Fault> {
        match v {
            Value::Point(p) => Ok(*p),
            Value::Actor(id) => Ok(self.world.actors[id.index()].at).and_then(|p| self.there(*id, span).map(|()| p)),
            _ => Err(Fault::new(FaultKind::None, "none is nowhere", span)),
        }
    }

    pub(crate) fn there(&self, id: ActorId, span: Span) -> Result<(), Fault> {
        if self.world.actors.get(id.index()).is_some_and(|a| !a.is_tombstone) {
            return Ok(());
        }
        let name = self.world.actors.get(id.index()).map_or("an actor".into(), |a| a.name.to_string());
        Err(Fault::new(FaultKind::Gone, format!("{name} is gone"), span))
    }

    /// The actor that an expression names.
    ///
    /// # Errors
    /// The use of none, or of an actor that is gone.
    pub fn id(&self, e: &Expr, locals: &mut [Value]) -> Result<ActorId, Fault> {
        match self.eval(e, locals)? {
            Value::Actor(id) => self.there(id, e.span).map(|()| id),
            Value::Zone(z, None) if self.program.zones[z.index()].stand_in.is_some() => {
                Ok(self.program.zones[z.index()].stand_in.unwrap_or(ActorId(0)))
            }
            _ => Err(Fault::new(FaultKind::None, "there is no actor here: it is none", e.span)),
        }
    }

    fn timer(&self, e: &Expr, locals: &mut [Value]) -> Result<TimerId, Fault> {
        match self.eval(e, locals)? {
            Value::Timer(t) => Ok(t),
            _ => Err(Fault::new(FaultKind::None, "none is no timer", e.span)),
        }
    }

    fn machine(&self, m: MachineId, of: Option<&Expr>, locals: &mut [Value]) -> Result<&MachineState, Fault> {
        let span = of.map_or(Span::default(), |e| e.span);
        let id = of.map(|e| self.id(e, locals)).transpose()?;
        self.world
            .machines
            .get(&(m, id))
            .ok_or_else(|| Fault::new(FaultKind::Gone, "this actor has no such machine", span))
    }

    fn actor(&self, e: &Expr, locals: &mut [Value]) -> Result<&Actor, Fault> {
        let id = self.id(e, locals)?;
        Ok(&self.world.actors[id.index()])
    }

    fn text(&self, pieces: &[Piece], locals: &mut [Value], span: Span) -> EvalResult {
        let mut out = String::new();
        let names = crate::names::Named(self.program, self.world);
        for p in pieces {
            match p {
                Piece::Words(w) => out.push_str(w),
                Piece::Value(e, decimals) => {
                    let v = self.eval(e, locals)?;
                    if let Value::Text(t) = &v {
                        out.push_str(t);
                    } else {
                        // Each item costs more to print than its bytes tell.
                        self.step((v.weight() / 24) as u64, span)?;
                        out.push_str(&v.show(&names, *decimals));
                    }
                }
            }
            if out.len() > MAX_TEXT {
                return Err(Fault::new(FaultKind::Limit, "a text of more than 1 MiB", span));
            }
        }
        self.step((out.len() / TEXT_STEP) as u64, span)?;
        Ok(Value::text(out))
    }

    fn attr(&self, a: &Expr, attr: Attr, locals: &mut [Value]) -> EvalResult {
        let actor = self.actor(a, locals)?;
        Ok(attr_of(actor, attr))
    }

    fn index(&self, l: &Expr, i: &Expr, locals: &mut [Value], span: Span) -> EvalResult {
        let list = self.eval(l, locals)?;
        let i = self.eval(i, locals)?;
        match (&list, &i) {
            (Value::List(items), Value::Number(n)) => {
                Ok(items[crate::contents::index_of(*n, items.len(), span)?].clone())
            }
            (Value::Path(p), Value::Number(n)) => {
                let points = &self.program.paths[p.index()].points;
                let at = n.round();
                if (at - n).abs() > number::NEAR || at < 0.0 || at as usize >= points.len() {
                    let text = format!("there is no point {} in a path of {}", number::show_short(*n), points.len());
                    return Err(Fault::new(FaultKind::Index, text, span));
                }
                Ok(Value::Point(points[at as usize]))
            }
            (Value::Tally(items), key) => {
                self.step(crate::contents::seek_steps(items.len(), key), span)?;
                Ok(Value::Number(crate::contents::place_in(items, key, |(k, _)| k).map_or(0.0, |i| items[i].1)))
            }
            _ => Err(Fault::new(FaultKind::None, "none has no places", span)),
        }
    }
}

/// An attribute's value.
pub fn attr_of(a: &Actor, attr: Attr) -> Value {
    match attr {
        Attr::At => Value::Point(a.at),
        Attr::X => Value::Number(a.at.x),
        Attr::Y => Value::Number(a.at.y),
        Attr::Facing => Value::direction(a.facing),
        Attr::Speed => Value::Number(a.speed),
        Attr::Solid => Value::Flag(a.solid),
        Attr::Opaque => Value::Flag(a.opaque),
        Attr::Visible => Value::Flag(a.visible),
        Attr::Tangible => Value::Flag(a.tangible),
        Attr::Enabled => Value::Flag(a.enabled),
        Attr::Look => Value::Text(a.look.clone()),
        Attr::Colour => Value::Enum(EnumId::COLOUR, a.colour),
        Attr::Size => Value::Point(Point::main(a.size.0, a.size.1)),
    }
}
