//! The reedbed: zones of 3 x 3 on a map of 256 x 256, walkers that go to one random place after another,
//! and a rule for each coming and going. As a level, and as plain data for the ways written by hand.
//!
//! Invariant: all ways see the same zones, places and goals, so their counters must end the same.

use mayfly_base::random::Stream;
use mayfly_engine::renew::Kept;
use mayfly_engine::world::Destination;
use mayfly_engine::{Engine, TraceEvent, Trace};
use mayfly_lang::check;
use std::fmt::Write;

pub const SIZE: i64 = 256;
pub const RATE: u32 = 60;

pub struct Reedbed {
    /// Column and row of each zone's top left cell.
    pub zones: Vec<(i64, i64)>,
    pub places: Vec<(i64, i64)>,
    pub text: String,
}

impl Reedbed {
    pub fn new(zones: usize, walkers: usize, rules: usize, size: i64) -> Self {
        let mut s = Stream::new(5, "reedbed");
        let mut spot = |most: i64| (s.below(most as u64) as i64, s.below(most as u64) as i64);
        let zones: Vec<(i64, i64)> = (0..zones).map(|_| spot(size - 2)).collect();
        let places: Vec<(i64, i64)> = (0..walkers).map(|_| spot(size)).collect();
        let mut t = format!("level \"Reedbed\" {{ rate {RATE}; seed 11 }}\ntiles {{ '_' mud }}\nmap \"\"\"\n");
        for _ in 0..size {
            t.push_str(&"_".repeat(size as usize));
            t.push('\n');
        }
        t.push_str("\"\"\"\nvar entered = 0\nvar left = 0\nvar tenths = 0\nmessage tenth(n: number)\ntag nobody\n");
        let _ = writeln!(t, "zone bed = rect (0, 0) {size} x {size} for nobody");
        t.push_str(
            "kind walker {\n  speed 4\n  rule \"first\" { when start; then { walk self to random_point(bed) } }\n  \
             rule \"next\" { when self arrives; then { walk self to random_point(bed) } }\n}\n",
        );
        let at: Vec<String> = places.iter().map(|(x, y)| format!("({x}, {y})")).collect();
        let _ = writeln!(t, "place walker at {}", at.join(", "));
        for (i, (x, y)) in zones.iter().enumerate() {
            let _ = writeln!(t, "zone z{i} = rect ({x}, {y}) 3 x 3");
            for (verb, n) in [("enters", "entered"), ("leaves", "left")] {
                let _ = writeln!(
                    t,
                    "rule \"{verb} {i}\" {{ when walker {verb} z{i}; then {{ {n} += 1; if {n} mod 10 == 0 {{ send tenth({n}) }} }} }}"
                );
            }
        }
        t.push_str("rule \"tenths\" { when hears tenth(n); then { tenths += 1 } }\n");
        for i in 0..rules.saturating_sub(zones.len() * 2) {
            let _ = writeln!(t, "message never{i}\nrule \"never {i}\" {{ when hears never{i}; then {{ left += 1 }} }}");
        }
        Self { zones, places, text: t }
    }

    pub fn engine(&self) -> Engine {
        let c = check::check("reedbed", &self.text);
        Engine::new(mayfly_session::lower::lower(&c.level.expect("the reedbed loads")))
    }

    /// Where each walker is sent, one goal after the other.
    pub fn goals(&self, engine: &Engine, ticks: u64) -> Vec<Vec<(i64, i64)>> {
        let mut goals = vec![vec![]; self.places.len()];
        let (mut w, _) = engine.start(engine.program.seed, &Kept::default());
        for _ in 0..ticks {
            let mut trace = Trace::default();
            engine.tick(&mut w, &[], &[], &mut trace);
            for r in trace.records {
                if let TraceEvent::Ordered { actor, goal: Destination::To(p), .. } = r {
                    goals[actor.index()].push(p.cell());
                }
            }
        }
        goals
    }
}

/// The three counters.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Counts {
    pub entered: u64,
    pub left: u64,
    pub tenths: u64,
}

/// Written by hand: flat arrays and a grid from cell to zones.
pub fn by_hand(bed: &Reedbed, goals: &[Vec<(i64, i64)>], ticks: u64, size: i64) -> Counts {
    let mut grid: Vec<Vec<u32>> = vec![vec![]; (size * size) as usize];
    for (z, (x, y)) in bed.zones.iter().enumerate() {
        for cy in *y..y + 3 {
            for cx in *x..x + 3 {
                grid[(cy * size + cx) as usize].push(z as u32);
            }
        }
    }
    struct Walker {
        x: f64,
        y: f64,
        cell: usize,
        goal: usize,
    }
    let mut c = Counts { entered: 0, left: 0, tenths: 0 };
    let enter = |c: &mut Counts| {
        c.entered += 1;
        c.tenths += u64::from(c.entered % 10 == 0);
    };
    let leave = |c: &mut Counts| {
        c.left += 1;
        c.tenths += u64::from(c.left % 10 == 0);
    };
    let mut walkers: Vec<Walker> = bed
        .places
        .iter()
        .map(|(x, y)| Walker { x: *x as f64, y: *y as f64, cell: (y * size + x) as usize, goal: 0 })
        .collect();
    for w in &walkers {
        grid[w.cell].iter().for_each(|_| enter(&mut c));
    }
    let budget = 4.0 / f64::from(RATE);
    for _ in 1..ticks {
        for (i, w) in walkers.iter_mut().enumerate() {
            // A goal where one already stands is reached at once.
            while goals[i].get(w.goal).is_some_and(|(x, y)| *x as f64 == w.x && *y as f64 == w.y) {
                w.goal += 1;
            }
            let Some((gx, gy)) = goals[i].get(w.goal) else { continue };
            let (gx, gy) = (*gx as f64, *gy as f64);
            let mut left = budget;
            while left > 1e-9 {
                // North, east, south, west.
                let (axis, goal, sign) = if gy < w.y {
                    (&mut w.y, gy, -1.0)
                } else if gx > w.x {
                    (&mut w.x, gx, 1.0)
                } else if gy > w.y {
                    (&mut w.y, gy, 1.0)
                } else if gx < w.x {
                    (&mut w.x, gx, -1.0)
                } else {
                    break;
                };
                let next = if sign > 0.0 { axis.floor() + 1.0 } else { axis.ceil() - 1.0 };
                let far = (next - *axis).abs();
                let _ = goal;
                if far <= left + 1e-9 {
                    *axis = next;
                    left -= far;
                } else {
                    *axis += sign * left;
                    left = 0.0;
                }
            }
            if w.x == gx && w.y == gy {
                w.goal += 1;
            }
            let cell = ((w.y + 0.5) as i64 * size + (w.x + 0.5) as i64) as usize;
            if cell != w.cell {
                let (old, new) = (&grid[w.cell], &grid[cell]);
                old.iter().filter(|z| !new.contains(z)).for_each(|_| leave(&mut c));
                new.iter().filter(|z| !old.contains(z)).for_each(|_| enter(&mut c));
                w.cell = cell;
            }
        }
    }
    c
}

/// The same in Lua, polled as one would write it first, or with the same grid.
pub const LUA: &str = r#"
local floor, ceil, abs = math.floor, math.ceil, math.abs
local function step(w, goals, budget)
  local g = goals[w.goal]
  while g and g[1] == w.x and g[2] == w.y do w.goal = w.goal + 1; g = goals[w.goal] end
  if not g then return end
  local gx, gy, left = g[1], g[2], budget
  while left > 1e-9 do
    local axis, sign
    if gy < w.y then axis, sign = "y", -1
    elseif gx > w.x then axis, sign = "x", 1
    elseif gy > w.y then axis, sign = "y", 1
    elseif gx < w.x then axis, sign = "x", -1
    else break end
    local at = w[axis]
    local nxt = sign > 0 and floor(at) + 1 or ceil(at) - 1
    local far = abs(nxt - at)
    if far <= left + 1e-9 then w[axis] = nxt; left = left - far
    else w[axis] = at + sign * left; left = 0 end
  end
  if w.x == gx and w.y == gy then w.goal = w.goal + 1 end
end
local function counters()
  local c = { entered = 0, left = 0, tenths = 0 }
  function c.enter() c.entered = c.entered + 1; if c.entered % 10 == 0 then c.tenths = c.tenths + 1 end end
  function c.leave() c.left = c.left + 1; if c.left % 10 == 0 then c.tenths = c.tenths + 1 end end
  return c
end
function polled(zones, places, goals, ticks, rate)
  local c, walkers = counters(), {}
  for i, p in ipairs(places) do walkers[i] = { x = p[1], y = p[2], goal = 1, inside = {} } end
  for tick = 0, ticks - 1 do
    for i, w in ipairs(walkers) do
      if tick > 0 then step(w, goals[i], 4 / rate) end
      local cx, cy = floor(w.x + 0.5), floor(w.y + 0.5)
      for z, zone in ipairs(zones) do
        local is = cx >= zone[1] and cx < zone[1] + 3 and cy >= zone[2] and cy < zone[2] + 3
        if is ~= (w.inside[z] or false) then
          w.inside[z] = is
          if is then c.enter() else c.leave() end
        end
      end
    end
  end
  return c.entered, c.left, c.tenths
end
function indexed(zones, places, goals, ticks, rate, size)
  local c, walkers, grid = counters(), {}, {}
  for i = 0, size * size - 1 do grid[i] = false end
  for z, zone in ipairs(zones) do
    for y = zone[2], zone[2] + 2 do for x = zone[1], zone[1] + 2 do
      local at = y * size + x
      grid[at] = grid[at] or {}
      grid[at][z] = true
    end end
  end
  local none = {}
  for i, p in ipairs(places) do
    local w = { x = p[1], y = p[2], goal = 1, cell = p[2] * size + p[1] }
    walkers[i] = w
    for _ in pairs(grid[w.cell] or none) do c.enter() end
  end
  for tick = 1, ticks - 1 do
    for i, w in ipairs(walkers) do
      step(w, goals[i], 4 / rate)
      local cell = floor(w.y + 0.5) * size + floor(w.x + 0.5)
      if cell ~= w.cell then
        local old, new = grid[w.cell] or none, grid[cell] or none
        for z in pairs(old) do if not new[z] then c.leave() end end
        for z in pairs(new) do if not old[z] then c.enter() end end
        w.cell = cell
      end
    end
  end
  return c.entered, c.left, c.tenths
end
"#;
