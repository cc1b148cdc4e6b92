//! The plan of an area: tiles, zones with whom they notice, actors, paths, sight; as laid, or at the session's moment.
//!
//! Invariant: no name lies over another or over an actor's sign; what has no room for its name is numbered in the legend.

use crate::error::DrawError;
use crate::scene::{Anchor, Dash, Item, MARGIN, Role, SIZE, Scene, text_width};
use mayfly_base::code::{Shape, Sight};
use mayfly_base::*;
use mayfly_engine::world::World;
use mayfly_engine::{program, space};
use mayfly_session::session::Session;
use mayfly_session::words::Words;

/// Boxes of texts that are there already: left, top, right, bottom.
type Taken = Vec<(f64, f64, f64, f64)>;

/// The largest map whose cells are drawn one by one, in cells.
const MAX_CELLS: i64 = 4_000_000;

/// The area of that name; the main one where none is given.
///
/// # Errors
/// The areas that there are, where it is none of them.
pub fn area(s: &Session, name: Option<&str>) -> Result<AreaId, DrawError> {
    let maps = &s.engine.program.maps;
    let Some(name) = name else { return Ok(AreaId::MAIN) };
    match maps.iter().position(|m| m.name == name) {
        Some(i) => Ok(AreaId::at(i)),
        None => {
            let known = maps.iter().map(|m| m.name.clone()).filter(|n| !n.is_empty()).collect();
            Err(DrawError::NoArea { name: name.into(), known })
        }
    }
}

/// Draws the area as it is at the session's moment. `trails`: ticks for which actors show where they came from; none: as
/// laid, with nothing of the flight.
pub fn draw(s: &mut Session, area: AreaId, trails: Option<u64>) -> Scene {
    let trailing: Vec<(ActorId, Vec<Point>)> = match trails {
        Some(ticks) => {
            let who: Vec<ActorId> = s.now.world.living().filter(|(_, a)| a.at.area == area).map(|(id, _)| id).collect();
            who.into_iter().take(40).map(|id| (id, s.trail_of(id, ticks))).collect()
        }
        None => vec![],
    };
    let (p, w) = (&s.engine.program, &s.now.world);
    let map = &p.maps[area.index()];
    let (across, down) = size(map, w, area);
    let cell = if across.max(down) > 120 {
        6.0
    } else if across.max(down) > 60 {
        12.0
    } else {
        24.0
    };
    let level = if s.level.title.is_empty() { "a level" } else { s.level.title.as_str() };
    let name = if map.name.is_empty() { "the map".to_string() } else { map.name.clone() };
    let at = match trails {
        Some(_) => format!("at tick {}", s.moment.tick),
        None => "as laid".into(),
    };
    let mut scene = Scene::new(
        format!("{level}: plan of {name}, {at}"),
        format!(
            "{across} by {down} cells, {}, {}",
            mayfly_base::number::counted(p.zones.len(), "zone"),
            mayfly_base::number::counted(w.living().count(), "actor")
        ),
    );
    let mut top = MARGIN + SIZE;
    scene.text(MARGIN, top, SIZE + 3.0, level, Role::Strong, Anchor::Start, true);
    let after = MARGIN + text_width(level, SIZE + 3.0) + SIZE;
    scene.text(after, top, SIZE, &format!("{name}, {at}, {across} x {down} cells"), Role::Dim, Anchor::Start, false);
    top += SIZE + 14.0;
    // Room for the numbers of columns and rows.
    let (left, top) = (MARGIN + 34.0, top + SIZE);
    let g = Ground { left, top, cell };
    g.grid(&mut scene, across, down);
    g.tiles(&mut scene, s, area, across, down);
    let mut taken: Taken = vec![];
    for (_, a) in w.living().filter(|(_, a)| a.at.area == area) {
        let (x, y) = g.middle(a.at.x, a.at.y);
        taken.push((x - cell / 2.0, y - cell / 2.0, x + cell / 2.0, y + cell / 2.0));
    }
    g.sights(&mut scene, s, area);
    g.paths(&mut scene, s, area, &mut taken);
    let unnamed = g.zones(&mut scene, s, area, &mut taken);
    g.trails(&mut scene, &trailing, area);
    g.actors(&mut scene, s, area, &mut taken);
    legend(&mut scene, s, top + down as f64 * cell + 30.0, &unnamed);
    scene
}

fn size(map: &program::Map, w: &World, area: AreaId) -> (i64, i64) {
    if map.width > 0 {
        return (map.width, map.height);
    }
    let here = w.living().filter(|(_, a)| a.at.area == area).map(|(_, a)| a.at.cell());
    let far = here.fold((8, 4), |m, c| (m.0.max(c.0), m.1.max(c.1)));
    ((far.0 + 2).min(400), (far.1 + 2).min(200))
}

/// Where cells lie.
struct Ground {
    left: f64,
    top: f64,
    cell: f64,
}

impl Ground {
    /// The upper left of a cell.
    fn corner(&self, x: f64, y: f64) -> (f64, f64) {
        (self.left + x * self.cell, self.top + y * self.cell)
    }

    /// The middle of the cell round a point.
    fn middle(&self, x: f64, y: f64) -> (f64, f64) {
        self.corner(x + 0.5, y + 0.5)
    }

    fn grid(&self, scene: &mut Scene, across: i64, down: i64) {
        let (w, h) = (across as f64 * self.cell, down as f64 * self.cell);
        scene.rect(self.left, self.top, w, h, None, Some((Role::Line, Dash::Solid)));
        // A number at each tenth cell, at each fifth of a small map.
        let step = if self.cell > 20.0 { 5 } else { 10 };
        let step = if self.cell < 10.0 { 50 } else { step };
        for x in (0..across).step_by(step) {
            let (cx, _) = self.middle(x as f64, 0.0);
            scene.text(cx, self.top - 6.0, 9.0, &x.to_string(), Role::Dim, Anchor::Middle, false);
        }
        for y in (0..down).step_by(step) {
            let (_, cy) = self.middle(0.0, y as f64);
            scene.text(self.left - 6.0, cy + 3.0, 9.0, &y.to_string(), Role::Dim, Anchor::End, false);
        }
    }

    /// Runs of equal tiles, row by row.
    fn tiles(&self, scene: &mut Scene, s: &Session, area: AreaId, across: i64, down: i64) {
        let (p, w) = (&s.engine.program, &s.now.world);
        if across * down > MAX_CELLS {
            return;
        }
        for y in 0..down {
            let mut x = 0;
            while x < across {
                let tile = w.tile(p, area, (x, y));
                let mut end = x + 1;
                while end < across && w.tile(p, area, (end, y)) == tile {
                    end += 1;
                }
                if let Some(role) = tile.and_then(|t| tile_role(&p.tiles[t.index()])) {
                    let (px, py) = self.corner(x as f64, y as f64);
                    scene.rect(px, py, (end - x) as f64 * self.cell, self.cell, Some(role), None);
                }
                x = end;
            }
        }
    }

    fn sights(&self, scene: &mut Scene, s: &Session, area: AreaId) {
        let (p, w) = (&s.engine.program, &s.now.world);
        for (_, a) in w.living().filter(|(_, a)| a.at.area == area && a.enabled) {
            let (x, y) = self.middle(a.at.x, a.at.y);
            for sight in &p.kinds[a.kind.index()].sights {
                match sight {
                    Sight::All { reach } => scene.items.push(Item::Circle {
                        x,
                        y,
                        radius: reach * self.cell,
                        fill: None,
                        line: Some((Role::Outside, Dash::Dotted)),
                    }),
                    Sight::Wedge { degrees, reach } => {
                        let (fx, fy) = arith::step(a.facing);
                        let facing = fy.atan2(fx);
                        let half = degrees.to_radians() / 2.0;
                        let steps = 12;
                        let arc = (0..=steps).map(|i| facing - half + 2.0 * half * f64::from(i) / f64::from(steps));
                        let mut points = vec![(x, y)];
                        points.extend(arc.map(|t| (x + t.cos() * reach * self.cell, y + t.sin() * reach * self.cell)));
                        points.push((x, y));
                        scene.items.push(Item::Line {
                            points,
                            role: Role::Outside,
                            dash: Dash::Dotted,
                            width: 1.0,
                            arrow: false,
                        });
                    }
                    Sight::Cells { ahead, left, right } => {
                        let (fx, fy) = arith::step(a.facing);
                        let corner = |along: f64, aside: f64| {
                            (x + (along * fx - aside * fy) * self.cell, y + (along * fy + aside * fx) * self.cell)
                        };
                        let (l, r, far) = (-(*left as f64) - 0.5, *right as f64 + 0.5, *ahead as f64 + 0.5);
                        let points =
                            vec![corner(0.5, l), corner(far, l), corner(far, r), corner(0.5, r), corner(0.5, l)];
                        scene.items.push(Item::Line {
                            points,
                            role: Role::Outside,
                            dash: Dash::Dotted,
                            width: 1.0,
                            arrow: false,
                        });
                    }
                }
            }
        }
    }

    fn paths(&self, scene: &mut Scene, s: &Session, area: AreaId, taken: &mut Taken) {
        for path in &s.engine.program.paths {
            let here: Vec<(f64, f64)> =
                path.points.iter().filter(|p| p.area == area).map(|p| self.middle(p.x, p.y)).collect();
            let Some(first) = here.first().copied() else { continue };
            scene.arrow(&here, Role::Dim, Dash::Dashed, 1.5);
            self.name(scene, &path.name, first, Role::Dim, taken);
        }
    }

    /// Outlines, and names with whom they notice; gives those that found no room for a name.
    fn zones(&self, scene: &mut Scene, s: &Session, area: AreaId, taken: &mut Taken) -> Vec<String> {
        let (p, w) = (&s.engine.program, &s.now.world);
        let words = Words::new(p, w);
        let mut unnamed = vec![];
        for (i, z) in p.zones.iter().enumerate() {
            let id = ZoneId::at(i);
            let shape = w.shape(p, id);
            match z.of {
                None if z.area == area => {
                    self.outline(scene, shape, (0.0, 0.0), Role::Zone);
                    let whom: Vec<String> = z.notices.iter().map(|n| words.set(n)).collect();
                    let whom = if whom.is_empty() { String::new() } else { format!(" for {}", whom.join(", ")) };
                    let name = format!("{}{whom}", z.name);
                    let Some((x0, y0, _, _)) = space::bounds(shape) else { continue };
                    let (x, y) = self.corner(x0 as f64, y0 as f64);
                    if !self.name(scene, &name, (x + 3.0, y - self.cell / 2.0), Role::Zone, taken) {
                        unnamed.push(format!("({x0}, {y0})  {name}"));
                    }
                }
                None => {}
                Some(k) => {
                    for (_, a) in w.living().filter(|(_, a)| a.at.area == area && p.is_kind(a.kind, k)) {
                        self.outline(scene, shape, (a.at.x, a.at.y), Role::Line);
                    }
                }
            }
        }
        unnamed
    }

    fn outline(&self, scene: &mut Scene, shape: &Shape, o: (f64, f64), role: Role) {
        match shape {
            Shape::Rect { x, y, w, h } => {
                let (ox, oy) = space::cell(o.0, o.1);
                let (px, py) = self.corner((ox + x) as f64, (oy + y) as f64);
                scene.rect(px, py, *w as f64 * self.cell, *h as f64 * self.cell, None, Some((role, Dash::Dashed)));
            }
            Shape::Disc { x, y, r } => {
                let (cx, cy) = self.middle(o.0 + x, o.1 + y);
                let line = Some((role, Dash::Dashed));
                scene.items.push(Item::Circle { x: cx, y: cy, radius: r * self.cell, fill: None, line });
            }
            _ => {
                // The edges between cells of the zone and others.
                let cells = space::cells_within(shape, o, None);
                let inside: std::collections::BTreeSet<(i64, i64)> = cells.iter().copied().collect();
                for (x, y) in cells {
                    let (l, t) = self.corner(x as f64, y as f64);
                    let (r, b) = (l + self.cell, t + self.cell);
                    let sides = [
                        ((x, y - 1), (l, t), (r, t)),
                        ((x, y + 1), (l, b), (r, b)),
                        ((x - 1, y), (l, t), (l, b)),
                        ((x + 1, y), (r, t), (r, b)),
                    ];
                    for (next, from, to) in sides {
                        if !inside.contains(&next) {
                            scene.line(&[from, to], role, Dash::Dashed, 1.0);
                        }
                    }
                }
            }
        }
    }

    fn trails(&self, scene: &mut Scene, trails: &[(ActorId, Vec<Point>)], area: AreaId) {
        for (_, points) in trails {
            let here: Vec<(f64, f64)> =
                points.iter().filter(|p| p.area == area).map(|p| self.middle(p.x, p.y)).collect();
            if here.len() > 1 {
                scene.line(&here, Role::Fired, Dash::Dotted, 2.0);
            }
        }
    }

    fn actors(&self, scene: &mut Scene, s: &Session, area: AreaId, taken: &mut Taken) {
        let small = self.cell < 10.0;
        for (_, a) in s.now.world.living().filter(|(_, a)| a.at.area == area) {
            let (x, y) = self.middle(a.at.x, a.at.y);
            let acts = a.enabled && a.visible;
            let role = if acts { Role::Strong } else { Role::Dim };
            if small {
                // Its own look, as large as its cell: who it is can still be told apart.
                let size = (self.cell * 1.1).max(4.0);
                scene.text(x, y + size * 0.36, size, &a.look, role, Anchor::Middle, acts);
                continue;
            }
            let line = Some((role, if acts { Dash::Solid } else { Dash::Dotted }));
            scene.items.push(Item::Circle { x, y, radius: self.cell * 0.42, fill: Some(Role::Floor), line });
            let size = self.cell * 0.6;
            scene.text(x, y + size * 0.36, size, &a.look, role, Anchor::Middle, acts);
            self.name(scene, &a.name, (x - text_width(&a.name, 10.0) / 2.0, y + self.cell), Role::Text, taken);
        }
    }

    /// Writes a name near a place where nothing else is written; false where there is no such place.
    fn name(&self, scene: &mut Scene, text: &str, (x, y): (f64, f64), role: Role, taken: &mut Taken) -> bool {
        let size = 10.0;
        let wide = text_width(text, size);
        for (dx, dy) in [(0.0, 0.0), (0.0, -11.0), (0.0, 11.0), (wide / 2.0, 0.0), (-wide / 2.0, 0.0), (0.0, 22.0)] {
            let (l, b) = (x + dx, y + dy);
            let own = (l - 1.0, b - size, l + wide + 1.0, b + 3.0);
            let free = |t: &(f64, f64, f64, f64)| own.2 <= t.0 || own.0 >= t.2 || own.3 <= t.1 || own.1 >= t.3;
            if l >= 2.0 && b >= 12.0 && taken.iter().all(free) {
                taken.push(own);
                // A ground of its own keeps it readable over walls and water.
                scene.rect(own.0, own.1 + 1.0, own.2 - own.0, own.3 - own.1, Some(Role::Floor), None);
                scene.text(l, b, size, text, role, Anchor::Start, false);
                return true;
            }
        }
        false
    }
}

fn tile_role(t: &program::Tile) -> Option<Role> {
    match (t.solid, t.opaque) {
        (true, true) => Some(Role::Wall),
        (true, false) => Some(Role::Water),
        (false, true) => Some(Role::Reeds),
        (false, false) => None,
    }
}

/// What the signs mean, and the names that found no room.
fn legend(scene: &mut Scene, s: &Session, top: f64, unnamed: &[String]) {
    let mut x = MARGIN + 34.0;
    let y = top;
    for t in &s.engine.program.tiles {
        let Some(role) = tile_role(t) else { continue };
        scene.rect(x, y - 11.0, 14.0, 14.0, Some(role), Some((Role::Line, Dash::Solid)));
        x = scene.say(x + 20.0, y, &t.name, Role::Text) + 24.0;
    }
    for (dash, role, word) in
        [(Dash::Dashed, Role::Zone, "zone"), (Dash::Dotted, Role::Outside, "sight"), (Dash::Dashed, Role::Dim, "path")]
    {
        scene.line(&[(x, y - 4.0), (x + 24.0, y - 4.0)], role, dash, 1.5);
        x = scene.say(x + 30.0, y, word, Role::Text) + 24.0;
    }
    // In as many columns as the plan carries.
    let widest = unnamed.iter().map(|n| text_width(n, SIZE)).fold(0.0, f64::max) + 30.0;
    let columns = ((scene.width - MARGIN) / widest).floor().clamp(1.0, 8.0) as usize;
    let rows = unnamed.len().div_ceil(columns);
    let top = y + 18.0;
    for (i, name) in unnamed.iter().enumerate() {
        let x = MARGIN + 34.0 + (i / rows.max(1)) as f64 * widest;
        scene.say(x, top + (i % rows.max(1)) as f64 * 18.0, name, Role::Zone);
    }
}
