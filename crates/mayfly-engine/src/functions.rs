//! The built-in functions, and questions about all actors of a set.
//!
//! Invariant: asking each of many actors counts as a step for each, so that no question runs without
//! bound.

use crate::eval::{EvalResult, Scope};
use crate::fault::*;
use crate::space;
use mayfly_base::arith;
use mayfly_base::code::*;
use mayfly_base::*;

impl Scope<'_> {
    pub fn call(&self, f: Builtin, args: &[Expr], locals: &mut [Value], span: Span) -> EvalResult {
        let number =
            |v: f64| if v.is_finite() { Ok(Value::Number(v)) } else { Err(Fault::of(ArithError::NotANumber, span)) };
        match f {
            Builtin::Floor | Builtin::Ceil | Builtin::Round | Builtin::Sign | Builtin::Sqrt => {
                let n = self.number(&args[0], locals)?;
                // A number that counts as whole is that number.
                let near = if (n - n.round()).abs() < number::NEAR { n.round() } else { n };
                match f {
                    Builtin::Floor => number(near.floor()),
                    Builtin::Ceil => number(near.ceil()),
                    Builtin::Round => number(number::round(n)),
                    Builtin::Sign => number(if n.abs() < number::NEAR { 0.0 } else { n.signum() }),
                    _ if n < 0.0 && n.abs() < number::NEAR => number(0.0),
                    _ if n < 0.0 => Err(Fault::new(
                        FaultKind::NotANumber,
                        format!("the square root of {}", number::show_number(n)),
                        span,
                    )),
                    _ => number(n.sqrt()),
                }
            }
            Builtin::Abs => match self.eval(&args[0], locals)? {
                Value::Number(n) => number(n.abs()),
                Value::Duration(d) => Ok(Value::Duration(d.saturating_abs())),
                _ => Err(Fault::of(ArithError::NoneUsed, span)),
            },
            Builtin::Min | Builtin::Max | Builtin::Clamp => {
                let values: Result<Vec<Value>, Fault> = args.iter().map(|a| self.eval(a, locals)).collect();
                let values = values?;
                if values.iter().any(|v| matches!(v, Value::None)) {
                    return Err(Fault::of(ArithError::NoneUsed, span));
                }
                let less = |a: &Value, b: &Value| a.order(b).is_lt();
                let pick = |max: bool, a: Value, b: Value| if less(&b, &a) == max { a } else { b };
                Ok(match f {
                    Builtin::Clamp => {
                        let [x, lo, hi] = values.as_slice() else { return Err(Fault::of(ArithError::Types, span)) };
                        pick(false, pick(true, x.clone(), lo.clone()), hi.clone())
                    }
                    _ => values.into_iter().reduce(|a, b| pick(f == Builtin::Max, a, b)).unwrap_or(Value::None),
                })
            }
            Builtin::Distance | Builtin::DirectionTo => {
                let (p, q) = (self.point(&args[0], locals)?, self.point(&args[1], locals)?);
                if p.area != q.area {
                    return Err(Fault::new(FaultKind::NotANumber, "there is no distance between two areas", span));
                }
                if f == Builtin::Distance {
                    return number((p.x - q.x).hypot(p.y - q.y));
                }
                Ok(Value::direction(space::quarter(q.x - p.x, q.y - p.y).unwrap_or(2)))
            }
            Builtin::Opposite => match self.eval(&args[0], locals)? {
                Value::Enum(_, d) => Ok(Value::direction(d + 2)),
                _ => Err(Fault::of(ArithError::NoneUsed, span)),
            },
            Builtin::AheadOf => {
                let v = self.eval(&args[0], locals)?;
                let facing = if let Value::Actor(id) = v { self.world.actors[id.index()].facing } else { 2 };
                let (p, n) = (self.place(&v, span)?, self.number(&args[1], locals)?);
                let (x, y) = arith::step(facing);
                Ok(Value::Point(Point { x: p.x + x * n, y: p.y + y * n, area: p.area }))
            }
            Builtin::TileAt => {
                let p = self.point(&args[0], locals)?;
                Ok(self.world.tile(self.program, p.area, p.cell()).map_or(Value::None, Value::Tile))
            }
            Builtin::FreeAt => {
                let p = self.point(&args[0], locals)?;
                Ok(Value::Flag(self.free_at(p)))
            }
            Builtin::ActorsIn => match self.eval(&args[0], locals)? {
                Value::Zone(z, of) => {
                    self.step(self.world.actors.len() as u64, span)?;
                    let inside =
                        self.world.living().filter(|(id, a)| a.enabled && self.in_zone((z, of), a.at, Some(*id)));
                    Ok(Value::list(inside.map(|(id, _)| Value::Actor(id))))
                }
                _ => Err(Fault::of(ArithError::NoneUsed, span)),
            },
            Builtin::Center => match self.eval(&args[0], locals)? {
                Value::Zone(z, of) => {
                    let area = self.program.zones[z.index()].area;
                    let o = of.map_or(Point { x: 0.0, y: 0.0, area }, |a| self.world.actors[a.index()].at);
                    let shape = self.world.shape(self.program, z);
                    let Some((x0, y0, x1, y1)) = space::bounds(shape) else {
                        return Err(Fault::new(FaultKind::None, "this zone holds no cells", span));
                    };
                    let (cx, cy) = match shape {
                        Shape::Disc { x, y, .. } => (*x, *y),
                        _ => ((x0 + x1) as f64 / 2.0, (y0 + y1) as f64 / 2.0),
                    };
                    Ok(Value::Point(Point { x: o.x + cx, y: o.y + cy, area: o.area }))
                }
                _ => Err(Fault::of(ArithError::NoneUsed, span)),
            },
            Builtin::Ray => {
                let v = self.eval(&args[0], locals)?;
                let from = if let Value::Actor(id) = v { Some(id) } else { None };
                let p = self.place(&v, span)?;
                let Value::Enum(_, d) = self.eval(&args[1], locals)? else {
                    return Err(Fault::of(ArithError::NoneUsed, span));
                };
                let length = self.number(&args[2], locals)?;
                self.step(self.world.actors.len() as u64 / 4, span)?;
                Ok(self.ray(from, p, d, length).map_or(Value::None, Value::Actor))
            }
            Builtin::SetOf => {
                let items: Result<Vec<Value>, Fault> = args.iter().map(|a| self.eval(a, locals)).collect();
                Ok(Value::set(items?))
            }
            Builtin::Len => Ok(Value::Number(match self.eval(&args[0], locals)? {
                Value::List(l) | Value::Set(l) => l.len() as f64,
                Value::Tally(l) => l.len() as f64,
                Value::Text(t) => {
                    self.step((t.len() / (TEXT_STEP * 4)) as u64, span)?;
                    t.chars().count() as f64
                }
                Value::Path(p) => self.program.paths[p.index()].points.len() as f64,
                _ => return Err(Fault::of(ArithError::NoneUsed, span)),
            })),
        }
    }

    /// On the map, and nothing solid there.
    pub fn free_at(&self, p: Point) -> bool {
        let map = &self.program.maps[p.area.index()];
        if map.is_off(p.cell())
            || self.world.tile(self.program, p.area, p.cell()).is_some_and(|t| self.program.tiles[t.index()].solid)
        {
            return false;
        }
        !self.world.solids.iter().any(|id| {
            let a = &self.world.actors[id.index()];
            a.at.area == p.area && space::overlap((a.at.x, a.at.y), a.size, (p.x, p.y), (0.0, 0.0))
        })
    }

    pub fn over(&self, o: &Over, locals: &mut [Value], span: Span) -> EvalResult {
        let held = match &o.of {
            WhoSet::Held(e) => Some(self.eval(e, locals)?),
            _ => None,
        };
        let origin = match (&o.value, o.what) {
            (Some(v), OverWhat::Nearest) => Some(self.eval(v, locals)?),
            _ => None,
        };
        let from = match &origin {
            Some(v) => Some(self.place(v, span)?),
            None => None,
        };
        let slot = o.slot as usize;
        let before = std::mem::replace(&mut locals[slot], Value::None);
        let mut found = vec![];
        let (mut count, mut sum, mut every, mut some) = (0u64, 0.0, true, false);
        let mut best: Option<(f64, ActorId)> = None;
        for (id, a) in self.world.ones() {
            self.step(1, span)?;
            // Who is disabled is as if absent.
            if !a.is_zone && !a.enabled {
                continue;
            }
            if a.zone.is_some() && !matches!(o.of, WhoSet::Kind(_) | WhoSet::Held(_)) {
                continue;
            }
            let fits = match &held {
                Some(Value::Kind(k)) => self.program.is_kind(a.kind, *k),
                Some(Value::Tag(t)) => a.tags.contains(t),
                Some(_) => false,
                None => self.world.is_one_of(self.program, id, &o.of, self.me),
            };
            if !fits {
                continue;
            }
            let one = self.world.as_value(id);
            locals[slot] = one.clone();
            let true_of = match &o.test {
                Some(t) => self.flag(t, locals)?,
                None => true,
            };
            every &= true_of;
            some |= true_of;
            if !true_of {
                continue;
            }
            count += 1;
            match o.what {
                OverWhat::All => found.push(one),
                OverWhat::Sum => {
                    if let Some(v) = &o.value {
                        sum += self.number(v, locals)?;
                    }
                }
                OverWhat::Nearest => {
                    if let Some(p) = from.filter(|p| p.area == a.at.area && origin != Some(Value::Actor(id))) {
                        let d = (p.x - a.at.x).hypot(p.y - a.at.y);
                        if best.is_none_or(|(b, _)| d < b - number::NEAR) {
                            best = Some((d, id));
                        }
                    }
                }
                _ => {}
            }
        }
        locals[slot] = before;
        Ok(match o.what {
            OverWhat::All => Value::list(found),
            OverWhat::Count => Value::Number(count as f64),
            OverWhat::Some => Value::Flag(some),
            OverWhat::Every => Value::Flag(every),
            OverWhat::Sum if sum.is_finite() => Value::Number(sum),
            OverWhat::Sum => return Err(Fault::of(ArithError::NotANumber, span)),
            OverWhat::Nearest => best.map_or(Value::None, |(_, id)| self.world.as_value(id)),
        })
    }
}
