//! Places for the vertices of a directed graph, in layers from left to right, and the points by which its arcs pass between
//! them.
//!
//! Not here: what a vertex is and how it looks ([`crate::machine`]).
//!
//! Source: Sugiyama, Tagawa and Toda 1981: arcs that close a circle are turned round, each layer lies behind those that lead
//! to it, an arc over several layers gets a vertex in each (so that it passes beside what stands there), and layers are sorted
//! by the mean place of their neighbours. Heights within a layer are the least squares under the wanted distances (pool adjacent
//! violators, Barlow et al. 1972).
//!
//! Invariant: two vertices of a layer never overlap, the points of an arc lie within the gaps; the same graph gives the same
//! places.

use std::collections::BTreeMap;

/// The most vertices that stand for arcs; beyond it long arcs go straight.
const MAX_DUMMIES: usize = 30_000;
/// How often layers are sorted, and heights smoothed.
const SORTS: usize = 24;
const SMOOTHINGS: usize = 32;
/// Free room between two neighbours of a layer.
const GAP: f64 = 20.0;

/// A vertex that has to be in the first or the last layer.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Pin {
    First,
    Last,
}

/// An arc between two vertices, by their numbers.
#[derive(Clone, Copy, Debug)]
pub struct Arc {
    pub from: usize,
    pub to: usize,
    /// A sign stands on it.
    pub signed: bool,
    /// How many layers it takes at least: 2, or 1 where it goes to the next one at once.
    pub span: i32,
    /// How far above or below its vertex's line it begins and ends; none: wherever there is room.
    pub from_offset: Option<f64>,
    pub to_offset: Option<f64>,
}

/// A vertex: its width, and how far it goes above and below its line.
#[derive(Clone, Copy, Debug, Default)]
pub struct Size {
    pub width: f64,
    pub above: f64,
    pub below: f64,
}

/// In which layer each vertex stands, and which arcs lead from left to right.
#[derive(Clone, Debug)]
pub struct Layers {
    pub layer: Vec<i32>,
    pub forward: Vec<bool>,
}

/// A vertex's left edge and line; an arc's points from its first vertex to its last; where its sign stands.
#[derive(Clone, Debug, Default)]
pub struct Placed {
    pub left: Vec<f64>,
    pub line: Vec<f64>,
    pub points: Vec<Vec<(f64, f64)>>,
    pub sign: Vec<Option<(f64, f64)>>,
    pub width: f64,
    pub height: f64,
}

/// Layers by the longest way, from `root` on and then from each vertex that is not reached.
pub fn layers(pins: &[Option<Pin>], arcs: &[Arc], root: usize) -> Layers {
    let n = pins.len();
    let forward = directions(pins, arcs, root);
    let ends = |i: usize| if forward[i] { (arcs[i].from, arcs[i].to) } else { (arcs[i].to, arcs[i].from) };
    let mut layer = vec![0; n];
    let (mut before, mut after) = (vec![0usize; n], vec![vec![]; n]);
    for i in 0..arcs.len() {
        before[ends(i).1] += 1;
        after[ends(i).0].push(i);
    }
    let has_before: Vec<bool> = before.iter().map(|b| *b > 0).collect();
    let mut ready: Vec<usize> = (0..n).rev().filter(|v| before[*v] == 0).collect();
    let mut sorted = vec![];
    while let Some(v) = ready.pop() {
        sorted.push(v);
        for i in &after[v] {
            let to = ends(*i).1;
            // A sign of where one begins moves nothing: it is put before it below.
            if arcs[*i].span > 1 {
                layer[to] = layer[to].max(layer[v] + arcs[*i].span);
            }
            before[to] -= 1;
            if before[to] == 0 {
                ready.push(to);
            }
        }
    }
    // What nothing leads to stands right before what it leads to.
    for v in sorted.iter().rev().filter(|v| !has_before[**v] && pins[**v].is_none()) {
        if let Some(near) = after[*v].iter().map(|i| layer[ends(*i).1] - arcs[*i].span).min() {
            layer[*v] = near;
        }
    }
    let last = layer.iter().copied().max().unwrap_or(0);
    for (v, pin) in pins.iter().enumerate() {
        if *pin == Some(Pin::Last) {
            layer[v] = last;
        }
    }
    let first = layer.iter().copied().min().unwrap_or(0);
    layer.iter_mut().for_each(|l| *l -= first);
    Layers { layer, forward }
}

/// Which arcs lead forward once those that close a circle are turned round.
fn directions(pins: &[Option<Pin>], arcs: &[Arc], root: usize) -> Vec<bool> {
    let n = pins.len();
    let mut forward = vec![true; arcs.len()];
    let mut out = vec![vec![]; n];
    for (i, a) in arcs.iter().enumerate() {
        if pins[a.to] == Some(Pin::First) || pins[a.from] == Some(Pin::Last) {
            forward[i] = false;
        } else if pins[a.from].is_none() && pins[a.to].is_none() && a.span > 1 {
            out[a.from].push(i);
        }
    }
    // 0: not seen, 1: on the way, 2: done. The way is a stack of its own: a machine may be a long chain.
    // What is only reached from elsewhere stands behind what it leads to, not before the root.
    let mut seen = vec![0u8; n];
    let mut tree = vec![0usize; n];
    for (number, root) in std::iter::once(root).filter(|r| *r < n).chain(0..n).enumerate() {
        if seen[root] != 0 {
            continue;
        }
        (seen[root], tree[root]) = (1, number);
        let mut way = vec![(root, 0)];
        while let Some((v, next)) = way.last_mut() {
            match out[*v].get(*next) {
                Some(i) => {
                    *next += 1;
                    let to = arcs[*i].to;
                    match seen[to] {
                        0 => {
                            (seen[to], tree[to]) = (1, number);
                            way.push((to, 0));
                        }
                        1 => forward[*i] = false,
                        _ if tree[to] != number => forward[*i] = false,
                        _ => {}
                    }
                }
                None => {
                    seen[*v] = 2;
                    way.pop();
                }
            }
        }
    }
    forward
}

/// A piece of an arc between two neighbouring layers, with how far off their lines it meets the two.
#[derive(Clone, Copy)]
struct Piece {
    to: usize,
    here: f64,
    there: f64,
    weight: f64,
}

/// The graph with a vertex for each layer that an arc passes.
struct Full {
    sizes: Vec<Size>,
    layer: Vec<usize>,
    before: Vec<Vec<Piece>>,
    after: Vec<Vec<Piece>>,
    /// Each arc from its left vertex to its right one.
    chains: Vec<Vec<usize>>,
    signs: Vec<Option<usize>>,
    rows: Vec<Vec<usize>>,
}

impl Full {
    fn new(layers: &Layers, sizes: &[Size], arcs: &[Arc]) -> Self {
        let mut layer: Vec<usize> = layers.layer.iter().map(|l| *l as usize).collect();
        let mut sizes = sizes.to_vec();
        let long = |a: &Arc| layer[a.from].abs_diff(layer[a.to]);
        let passes = arcs.iter().map(|a| long(a).saturating_sub(1)).sum::<usize>() <= MAX_DUMMIES;
        let (mut chains, mut signs) = (vec![], vec![]);
        for (i, a) in arcs.iter().enumerate() {
            let (from, to) = if layers.forward[i] { (a.from, a.to) } else { (a.to, a.from) };
            let mut chain = vec![from];
            let (low, high) = (layer[from], layer[to]);
            // Signs stand in the layers between those of states, near the middle.
            let middle = low + 1 + (high.saturating_sub(low + 1) / 2) / 2 * 2;
            let mut sign = None;
            for at in low + 1..high {
                let is_sign = a.signed && at == middle;
                if passes || is_sign {
                    let size = if is_sign { 9.0 } else { 3.0 };
                    layer.push(at);
                    sizes.push(Size { width: if is_sign { 18.0 } else { 0.0 }, above: size, below: size });
                    chain.push(sizes.len() - 1);
                    if is_sign {
                        sign = Some(sizes.len() - 1);
                    }
                }
            }
            chain.push(to);
            chains.push(chain);
            signs.push(sign);
        }
        let n = sizes.len();
        let mut rows = vec![vec![]; layer.iter().max().map_or(0, |l| l + 1)];
        let mut out =
            Self { sizes, layer, before: vec![vec![]; n], after: vec![vec![]; n], chains, signs, rows: vec![] };
        let real = layers.layer.len();
        for (i, a) in arcs.iter().enumerate() {
            let chain = out.chains[i].clone();
            let (first, last) =
                if layers.forward[i] { (a.from_offset, a.to_offset) } else { (a.to_offset, a.from_offset) };
            for (k, w) in chain.windows(2).enumerate() {
                let here = if k == 0 { first.unwrap_or(0.0) } else { 0.0 };
                let there = if k + 2 == chain.len() { last.unwrap_or(0.0) } else { 0.0 };
                let weight = [1.0, 2.0, 8.0][usize::from(w[0] >= real) + usize::from(w[1] >= real)];
                out.after[w[0]].push(Piece { to: w[1], here, there, weight });
                out.before[w[1]].push(Piece { to: w[0], here: there, there: here, weight });
            }
        }
        out.first_order(&mut rows);
        out.rows = rows;
        out
    }

    /// Vertices in the order in which one comes to them.
    fn first_order(&self, rows: &mut [Vec<usize>]) {
        let mut seen = vec![false; self.sizes.len()];
        for root in 0..self.sizes.len() {
            let mut way = vec![root];
            while let Some(v) = way.pop() {
                if std::mem::replace(&mut seen[v], true) {
                    continue;
                }
                rows[self.layer[v]].push(v);
                way.extend(self.before[v].iter().chain(&self.after[v]).rev().map(|p| p.to).filter(|t| !seen[*t]));
            }
        }
    }

    /// Sorts the layers so that few arcs cross.
    fn sort(&mut self) {
        let mut at = vec![0usize; self.sizes.len()];
        let number = |rows: &[Vec<usize>], at: &mut [usize]| {
            for row in rows {
                row.iter().enumerate().for_each(|(i, v)| at[*v] = i);
            }
        };
        number(&self.rows, &mut at);
        let mut best = (self.crossings(&at), self.rows.clone());
        for turn in 0..SORTS {
            let down = turn % 2 == 0;
            let order: Vec<usize> =
                if down { (0..self.rows.len()).collect() } else { (0..self.rows.len()).rev().collect() };
            for r in order {
                let mut keyed: Vec<(f64, usize)> = self.rows[r]
                    .iter()
                    .map(|v| {
                        let near = if down { &self.before[*v] } else { &self.after[*v] };
                        let sum: f64 = near.iter().map(|p| self.key(p.to, p.there, &at)).sum();
                        (if near.is_empty() { at[*v] as f64 } else { sum / near.len() as f64 }, *v)
                    })
                    .collect();
                keyed.sort_by(|a, b| a.0.total_cmp(&b.0));
                self.rows[r] = keyed.into_iter().map(|(_, v)| v).collect();
                self.rows[r].iter().enumerate().for_each(|(i, v)| at[*v] = i);
            }
            let now = self.crossings(&at);
            if now < best.0 {
                best = (now, self.rows.clone());
            }
            if best.0 == 0 {
                break;
            }
        }
        self.rows = best.1;
        number(&self.rows, &mut at);
        self.exchange(&mut at);
    }

    /// A place within a layer, finer where an arc meets its vertex off its line.
    fn key(&self, v: usize, off: f64, at: &[usize]) -> f64 {
        let tall = (self.sizes[v].above + self.sizes[v].below).max(1.0);
        at[v] as f64 + (off / tall).clamp(-0.45, 0.45)
    }

    /// Neighbours change places as long as fewer arcs cross by it.
    fn exchange(&mut self, at: &mut [usize]) {
        for _ in 0..8 {
            let mut better = false;
            for r in 0..self.rows.len() {
                for i in 1..self.rows[r].len() {
                    let (a, b) = (self.rows[r][i - 1], self.rows[r][i]);
                    let cross = |x: usize, y: usize| {
                        let pairs = |x: &[Piece], y: &[Piece]| {
                            let over = |p: &Piece| self.key(p.to, p.there, at);
                            x.iter().map(|p| y.iter().filter(|q| over(q) < over(p)).count()).sum::<usize>()
                        };
                        pairs(&self.before[x], &self.before[y]) + pairs(&self.after[x], &self.after[y])
                    };
                    if cross(b, a) < cross(a, b) {
                        self.rows[r].swap(i - 1, i);
                        (at[a], at[b]) = (i, i - 1);
                        better = true;
                    }
                }
            }
            if !better {
                return;
            }
        }
    }

    /// How many arcs cross, layer by layer.
    fn crossings(&self, at: &[usize]) -> usize {
        let mut sum = 0;
        for row in &self.rows {
            let mut pieces: Vec<(f64, f64)> = vec![];
            for v in row {
                pieces.extend(self.after[*v].iter().map(|p| (self.key(*v, p.here, at), self.key(p.to, p.there, at))));
            }
            pieces.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.total_cmp(&b.1)));
            let mut seen: Vec<f64> = vec![];
            for (_, to) in pieces {
                let place = seen.partition_point(|s| *s <= to);
                sum += seen.len() - place;
                seen.insert(place, to);
            }
        }
        sum
    }

    /// Heights: each vertex near its neighbours, none over another.
    fn heights(&self) -> Vec<f64> {
        let mut line = vec![0.0; self.sizes.len()];
        for row in &self.rows {
            let mut y = 0.0;
            for v in row {
                line[*v] = y + self.sizes[*v].above;
                y += self.sizes[*v].above + self.sizes[*v].below + GAP;
            }
            row.iter().for_each(|v| line[*v] -= y / 2.0);
        }
        for turn in 0..SMOOTHINGS {
            let order: Vec<usize> =
                if turn % 2 == 0 { (0..self.rows.len()).collect() } else { (0..self.rows.len()).rev().collect() };
            for r in order {
                self.smooth(&self.rows[r], &mut line);
            }
        }
        line
    }

    fn smooth(&self, row: &[usize], line: &mut [f64]) {
        let mut offset = 0.0;
        // Pools of neighbours that touch: what they want together, with what weight, and how many they are.
        let mut pools: Vec<(f64, f64, usize)> = vec![];
        let mut offsets = vec![];
        for (i, v) in row.iter().enumerate() {
            if i > 0 {
                offset += self.sizes[row[i - 1]].below + GAP + self.sizes[*v].above;
            }
            offsets.push(offset);
            let near = || self.before[*v].iter().chain(&self.after[*v]);
            let weight: f64 = near().map(|p| p.weight).sum();
            let wish: f64 = near().map(|p| (line[p.to] + p.there - p.here) * p.weight).sum();
            let (wish, weight) = if weight > 0.0 { (wish / weight, weight) } else { (line[*v], 0.1) };
            pools.push((wish - offset, weight, 1));
            while let [.., a, b] = pools.as_slice()
                && a.0 > b.0
            {
                let weight = a.1 + b.1;
                let one = ((a.0 * a.1 + b.0 * b.1) / weight, weight, a.2 + b.2);
                pools.truncate(pools.len() - 2);
                pools.push(one);
            }
        }
        let each = pools.iter().flat_map(|(wish, _, n)| std::iter::repeat_n(*wish, *n));
        for ((v, offset), wish) in row.iter().zip(offsets).zip(each) {
            line[*v] = wish + offset;
        }
    }
}

/// Where an arc meets its two vertices when nothing fixes it: spread over their sides by where it goes.
fn spread(full: &Full, arcs: &[Arc], layers: &Layers, line: &[f64]) -> Vec<(f64, f64)> {
    let mut meets = vec![(0.0, 0.0); arcs.len()];
    // By vertex and side: where to, which arc, and whether it is the arc's left end.
    let mut sides: BTreeMap<(usize, bool), Vec<(f64, usize)>> = BTreeMap::new();
    for (i, a) in arcs.iter().enumerate() {
        let chain = &full.chains[i];
        let (Some(first), Some(last)) = (chain.first(), chain.last()) else { continue };
        let (left, right) = if layers.forward[i] { (a.from_offset, a.to_offset) } else { (a.to_offset, a.from_offset) };
        match left {
            Some(off) => meets[i].0 = off,
            None => sides.entry((*first, true)).or_default().push((line[chain[1]], i)),
        }
        match right {
            Some(off) => meets[i].1 = off,
            None => sides.entry((*last, false)).or_default().push((line[chain[chain.len() - 2]], i)),
        }
    }
    for ((v, is_left_end), mut list) in sides {
        list.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        let room = full.sizes[v].above.min(15.0) * 2.0 - 8.0;
        let step = (room / (list.len() as f64).max(1.0)).clamp(0.0, 11.0);
        for (k, (_, i)) in list.iter().enumerate() {
            let off = (k as f64 - (list.len() - 1) as f64 / 2.0) * step;
            if is_left_end {
                meets[*i].0 = off;
            } else {
                meets[*i].1 = off;
            }
        }
    }
    meets
}

/// Places everything: heights from 0, widths from 0. `between`: how wide a layer of signs is at least and at most.
pub fn place(layers: &Layers, sizes: &[Size], arcs: &[Arc], between: (f64, f64)) -> Placed {
    let mut full = Full::new(layers, sizes, arcs);
    full.sort();
    let mut line = full.heights();
    let top = line.iter().zip(&full.sizes).map(|(y, s)| y - s.above).fold(f64::INFINITY, f64::min);
    if top.is_finite() {
        line.iter_mut().for_each(|y| *y -= top);
    }
    let height = line.iter().zip(&full.sizes).map(|(y, s)| y + s.below).fold(0.0, f64::max);
    let has_real = |r: usize| full.rows[r].iter().any(|v| *v < sizes.len() && sizes[*v].width > 0.0);
    // A column for each layer: as wide as its widest, or as the curves through it need.
    let mut wide: Vec<f64> =
        full.rows.iter().map(|row| row.iter().map(|v| full.sizes[*v].width).fold(0.0, f64::max)).collect();
    for (r, width) in wide.iter_mut().enumerate() {
        let is_sign = full.signs.iter().flatten().any(|v| full.layer[*v] == r);
        if has_real(r) {
            continue;
        }
        let steep = full.rows[r]
            .iter()
            .flat_map(|v| full.before[*v].iter().chain(&full.after[*v]).map(|p| (line[*v] - line[p.to]).abs()))
            .fold(0.0, f64::max);
        *width = (steep * 0.5).clamp(if is_sign { between.0 } else { 34.0_f64.min(between.0) }, between.1);
    }
    let mut lefts = vec![0.0];
    wide.iter().for_each(|w| lefts.push(lefts.last().copied().unwrap_or(0.0) + w));
    let left = |v: usize| lefts[full.layer[v]] + (wide[full.layer[v]] - full.sizes[v].width) / 2.0;
    let meets = spread(&full, arcs, layers, &line);
    let mut out = Placed { width: lefts.last().copied().unwrap_or(0.0), height, ..Placed::default() };
    for (i, chain) in full.chains.iter().enumerate() {
        let mut points = vec![];
        for (k, v) in chain.iter().enumerate() {
            let (x, width) = (left(*v), full.sizes[*v].width);
            let column = (lefts[full.layer[*v]], wide[full.layer[*v]]);
            // It goes straight as far as its column is wide: what stands above or below may be wider.
            let edge = column.0 + column.1;
            if k == 0 {
                let y = line[*v] + meets[i].0;
                points.push((x + width, y));
                points.extend((edge > x + width + 1.0).then_some((edge, y)));
            } else if k + 1 == chain.len() {
                let y = line[*v] + meets[i].1;
                points.extend((column.0 < x - 1.0).then_some((column.0, y)));
                points.push((x, y));
            } else if has_real(full.layer[*v]) {
                // Past what stands in its column it goes straight.
                points.extend([(column.0, line[*v]), (column.0 + column.1, line[*v])]);
            } else {
                points.push((x + width / 2.0, line[*v]));
            }
        }
        if !layers.forward[i] {
            points.reverse();
        }
        out.sign.push(full.signs[i].map(|v| (left(v) + full.sizes[v].width / 2.0, line[v])));
        out.points.push(points);
    }
    out.left = (0..sizes.len()).map(left).collect();
    out.line = line[..sizes.len()].to_vec();
    out
}
