//! Random draws: each place in the text has a stream of its own in the world.
//!
//! Invariant: what one place draws never depends on what another drew.

use crate::eval::{Drawn, EvalResult, Scope};
use crate::fault::*;
use crate::space;
use mayfly_base::code::*;
use mayfly_base::*;

impl Scope<'_> {
    /// Which of so many is drawn, by weight; none where all weights are 0. `name` says what each is.
    ///
    /// # Errors
    /// Weights that are no finite numbers.
    pub fn weighted(
        &self,
        id: DrawId,
        weights: &[f64],
        name: impl Fn(usize) -> Value,
        span: Span,
    ) -> Result<Option<usize>, Fault> {
        let sum: f64 = weights.iter().sum();
        if !sum.is_finite() {
            return Err(Fault::of(ArithError::NotANumber, span));
        }
        if sum <= 0.0 {
            return Ok(None);
        }
        let mut left = self.with_stream(id, span, |s| s.unit())? * sum;
        if let Some(fixed) = self.fixed(id)
            && let Some(at) = (0..weights.len()).find(|i| name(*i) == fixed)
        {
            if let Some(draws) = self.draws {
                draws.borrow_mut().push(Drawn { draw: id, value: fixed, odds: "set by hand".into() });
            }
            return Ok(Some(at));
        }
        let last = weights.iter().rposition(|w| *w > 0.0).unwrap_or(0);
        let at = weights.iter().position(|w| {
            left -= w;
            left < 0.0
        });
        let at = at.unwrap_or(last);
        if let Some(draws) = self.draws {
            let odds = format!("{} of {}", number::show_number(weights[at]), number::show_number(sum));
            draws.borrow_mut().push(Drawn { draw: id, value: name(at), odds });
        }
        Ok(Some(at))
    }

    /// Draws from the stream of a place: made from the seed, the declaration's name, its ordinal there (in
    /// a routine: with the calling rule) and the actor.
    ///
    /// # Errors
    /// Where somebody only asks: a question draws nothing.
    fn with_stream<T>(&self, id: DrawId, span: Span, draw: impl FnOnce(&mut Stream) -> T) -> Result<T, Fault> {
        if !self.may_draw {
            return Err(Fault::new(FaultKind::Drawn, "drawn at random: there is no value before it is drawn", span));
        }
        let caller = self.rule.filter(|_| self.program.shared_draws[id.index()]);
        let mut random = self.world.random.borrow_mut();
        let stream = random.streams.entry((id, self.me, caller)).or_insert_with(|| {
            let who = self.me.map_or("", |a| &self.world.actors[a.index()].stream);
            let by = caller.map_or(String::new(), |r| format!("/{}", self.program.rule_name(r)));
            Stream::new(self.world.seed, &format!("{}{by}/{who}", self.program.draws[id.index()]))
        });
        Ok(draw(stream))
    }

    /// What was set by hand for this draw.
    fn fixed(&self, id: DrawId) -> Option<Value> {
        let mut random = self.world.random.borrow_mut();
        let list = random.fixed.get_mut(&id)?;
        let next = (!list.is_empty()).then(|| list.remove(0));
        if list.is_empty() {
            random.fixed.remove(&id);
        }
        next
    }

    pub fn draw(&self, draw: Draw, id: DrawId, args: &[Expr], locals: &mut [Value], span: Span) -> EvalResult {
        let values: Result<Vec<Value>, Fault> = args.iter().map(|a| self.eval(a, locals)).collect();
        let values = values?;
        if draw == Draw::Roll {
            let Some(Value::Table(t)) = values.first() else {
                return Err(Fault::new(FaultKind::None, "none is no table", span));
            };
            let mut rows = vec![];
            for (v, w) in &self.program.tables[t.index()].1 {
                rows.push((self.eval_alone(v)?, self.number(w, &mut vec![Value::None; w.frame()])?.max(0.0)));
            }
            let weights: Vec<f64> = rows.iter().map(|(_, w)| *w).collect();
            let at = self.weighted(id, &weights, |i| rows[i].0.clone(), span)?;
            return Ok(at.map_or(Value::None, |i| rows[i].0.clone()));
        }
        if let [Value::List(l) | Value::Set(l)] = values.as_slice()
            && draw == Draw::Shuffled
        {
            self.step((l.len() / ITEM_STEP) as u64, span)?;
        }
        let cells = match (draw, values.as_slice()) {
            (Draw::PointIn, [Value::Zone(z, of)]) => self.cells_to_draw(*z, *of, span)?,
            _ => Cells::None,
        };
        let (value, odds) = self.with_stream(id, span, |stream| self.drawn(stream, draw, &values, &cells, span))??;
        let (value, odds) = match self.fixed(id) {
            Some(fixed) => (fixed, "set by hand".to_string()),
            None => (value, odds),
        };
        if let Some(draws) = self.draws {
            draws.borrow_mut().push(Drawn { draw: id, value: value.clone(), odds });
        }
        Ok(value)
    }

    /// A value and its odds in words.
    fn drawn(
        &self,
        stream: &mut Stream,
        draw: Draw,
        values: &[Value],
        cells: &Cells,
        span: Span,
    ) -> Result<(Value, String), Fault> {
        Ok(match (draw, values) {
            (Draw::Unit, _) => (Value::Number(stream.unit()), "from 0 to below 1".to_string()),
            (Draw::Whole, [Value::Number(a), Value::Number(b)]) => {
                let (lo, hi) = (a.ceil(), b.floor());
                if lo > hi || hi - lo > 9e15 {
                    let text =
                        format!("no whole number lies from {} to {}", number::show_number(*a), number::show_number(*b));
                    return Err(Fault::new(FaultKind::NotANumber, text, span));
                }
                let n = lo + stream.below((hi - lo) as u64 + 1) as f64;
                (
                    Value::Number(n),
                    format!("1 of {} from {} to {}", hi - lo + 1.0, number::show_number(lo), number::show_number(hi)),
                )
            }
            (Draw::Chance, [Value::Number(p)]) => {
                (Value::Flag(stream.unit() < *p), format!("{}% true", number::show_number(p * 100.0)))
            }
            (Draw::Pick, [Value::List(l) | Value::Set(l)]) if l.is_empty() => (Value::None, "of nothing".into()),
            (Draw::Pick, [Value::List(l) | Value::Set(l)]) => {
                let i = stream.below(l.len() as u64) as usize;
                (l[i].clone(), format!("1 of {}", l.len()))
            }
            (Draw::Shuffled, [Value::List(l) | Value::Set(l)]) => {
                let mut items: Vec<Value> = l.iter().cloned().collect();
                for i in (1..items.len()).rev() {
                    items.swap(i, stream.below(i as u64 + 1) as usize);
                }
                (Value::list(items), format!("an order of {}", l.len()))
            }
            (Draw::PointIn, [Value::Zone(..)]) => {
                let count = cells.count();
                if count == 0 {
                    return Err(Fault::new(FaultKind::None, "no cell of this zone lies on the map", span));
                }
                let ((x, y), area) = cells.nth(stream.below(count));
                (
                    Value::Point(Point { x: x as f64, y: y as f64, area }),
                    format!("1 of {}", number::counted(count as usize, "cell")),
                )
            }
            _ => return Err(Fault::new(FaultKind::None, "none is drawn from", span)),
        })
    }

    /// The cells from which a random point is drawn: those of the zone that lie on the map.
    fn cells_to_draw(&self, z: ZoneId, of: Option<ActorId>, span: Span) -> Result<Cells, Fault> {
        let area = self.program.zones[z.index()].area;
        let o = of.map_or(Point { x: 0.0, y: 0.0, area }, |a| self.world.actors[a.index()].at);
        let shape = self.world.shape(self.program, z);
        let map = &self.program.maps[o.area.index()];
        if let Shape::Rect { x, y, w, h } = shape {
            let (ox, oy) = space::cell(o.x, o.y);
            let (mut x0, mut y0, mut x1, mut y1) = (x + ox, y + oy, x + ox + w - 1, y + oy + h - 1);
            if map.width > 0 {
                (x0, y0, x1, y1) = (x0.max(0), y0.max(0), x1.min(map.width - 1), y1.min(map.height - 1));
            }
            return Ok(Cells::Rect { x0, y0, w: (x1 - x0 + 1).max(0), h: (y1 - y0 + 1).max(0), area: o.area });
        }
        Ok(Cells::Listed(self.cells_on_map(shape, o, o.area, span)?, o.area))
    }
}

/// The cells of a zone, row by row.
enum Cells {
    None,
    Rect { x0: i64, y0: i64, w: i64, h: i64, area: AreaId },
    Listed(Vec<(i64, i64)>, AreaId),
}

impl Cells {
    fn count(&self) -> u64 {
        match self {
            Self::None => 0,
            Self::Rect { w, h, .. } => (w * h) as u64,
            Self::Listed(l, _) => l.len() as u64,
        }
    }

    fn nth(&self, n: u64) -> ((i64, i64), AreaId) {
        match self {
            Self::None => ((0, 0), AreaId::MAIN),
            Self::Rect { x0, y0, w, area, .. } => ((x0 + n as i64 % w, y0 + n as i64 / w), *area),
            Self::Listed(l, area) => (l[n as usize], *area),
        }
    }
}
