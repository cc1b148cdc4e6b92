//! Sensing by the grid against a look at everything: zones, contact and nearness after random walks.

use mayfly_base::{ActorId, Value, ZoneId};
use mayfly_engine::crowd::Crowd;
use mayfly_engine::world::World;
use mayfly_engine::{Engine, space};
use mayfly_lang::check;
use mayfly_session::headless::{self, Order};
use mayfly_session::lower::lower;
use mayfly_session::script::Script;
use proptest::prelude::*;
use proptest::test_runner::FileFailurePersistence;

/// A shape of a zone, as text.
fn shape() -> impl Strategy<Value = String> {
    let at = (0i32..9, 0i32..6);
    prop_oneof![
        (at.clone(), 1i32..4, 1i32..4).prop_map(|((x, y), w, h)| format!("rect ({x}, {y}) {w} x {h}")),
        (at.clone(), 1i32..25).prop_map(|((x, y), r)| format!("disc ({x}, {y}) {}.{}", r / 10, r % 10)),
        (at.clone(), at.clone(), at.clone())
            .prop_map(|(a, b, c)| format!("poly ({}, {}) ({}, {}) ({}, {})", a.0, a.1, b.0, b.1, c.0, c.1)),
        (at.clone(), 1i32..4, at)
            .prop_map(|((x, y), w, (u, v))| format!("rect ({x}, {y}) {w} x 3 - disc ({u}, {v}) 1")),
    ]
}

/// A level: walkers on a map with some walls, zones, a kind's zone, and rules that make everything sensed.
fn level() -> impl Strategy<Value = String> {
    let zones = prop::collection::vec(shape(), 1..6);
    let places = prop::collection::vec((0i32..10, 0i32..7, prop::bool::ANY), 1..5);
    (zones, places, 1u32..20).prop_map(|(zones, places, speed)| {
        let mut text = format!(
            "level \"T\" {{ rate 10 }}\ntiles {{ '_' boards; '#' piles solid }}\nmap \"\"\"\n__________\n__#_______\n__________\n_____#____\n__________\n__________\n__________\n\"\"\"\n\
             kind person {{ steered; speed {speed}; zone aura = disc 1.5 }}\nkind rock {{ solid }}\nvar n = 0\n"
        );
        for (i, (x, y, rock)) in places.iter().enumerate() {
            text.push_str(&format!("place a{i}: {} at ({x}, {y})\n", if *rock && i > 0 { "rock" } else { "person" }));
        }
        for (i, z) in zones.iter().enumerate() {
            text.push_str(&format!("zone z{i} = {z}\nrule \"e{i}\" {{ when any enters z{i}; then {{ n += 1 }} }}\n"));
            text.push_str(&format!("rule \"l{i}\" {{ when any leaves z{i}; then {{ n -= 1 }} }}\n"));
        }
        text.push_str("rule \"t\" { when any as x touches any as y; then { log x } }\n");
        text.push_str("rule \"u\" { when any as x nears any as y within 2; then { log x } }\n");
        text
    })
}

/// Who is in which zone of whom.
type Stays = Vec<(ActorId, ZoneId, Option<ActorId>)>;
type Pairs = Vec<(ActorId, ActorId)>;

/// What a look at every zone and every pair gives.
fn naive(engine: &Engine, w: &World) -> (Stays, Pairs, Pairs) {
    let p = &engine.program;
    let (mut inside, mut touch, mut near) = (vec![], vec![], vec![]);
    for (a, actor) in w.living() {
        for (z, zone) in p.zones.iter().enumerate() {
            let owners: Vec<Option<ActorId>> = match zone.of {
                None => vec![None],
                Some(k) => w.living().filter(|(o, x)| *o != a && p.is_kind(x.kind, k)).map(|(o, _)| Some(o)).collect(),
            };
            for o in owners {
                let origin = o.map_or((0.0, 0.0), |o| (w.actors[o.index()].at.x, w.actors[o.index()].at.y));
                if space::contains(&zone.shape, origin, (actor.at.x, actor.at.y)) {
                    inside.push((a, ZoneId::at(z), o));
                }
            }
        }
        for (b, other) in w.living().filter(|(b, _)| *b > a) {
            let (m, n) = ((actor.at.x, actor.at.y), (other.at.x, other.at.y));
            if space::overlap(m, actor.size, n, other.size) || w.stopped_by(a, b) || w.stopped_by(b, a) {
                touch.push((a, b));
            }
            if (m.0 - n.0).hypot(m.1 - n.1) <= 2.0 + 1e-9 {
                near.push((a, b));
            }
        }
    }
    (inside, touch, near)
}

proptest! {
    #![proptest_config(ProptestConfig {
        cases: 60,
        failure_persistence: Some(Box::new(FileFailurePersistence::Direct(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/sensing.regressions")))),
        ..ProptestConfig::default()
    })]

    #[test]
    fn the_grid_senses_what_a_look_at_everything_does(text in level(), keys in prop::collection::vec((1u64..40, 0usize..4, 0usize..5), 0..40)) {
        let checked = check::check("t.may", &text);
        let level = checked.level.unwrap_or_else(|| panic!("{:?}\n{text}", checked.diagnostics));
        let mut script = Script::default();
        for (tick, key, who) in keys {
            let who = who % level.actors.len();
            if level.kinds[level.actors[who].kind.index()].steered {
                script.add(&format!("{tick}: a{who} {}", ["north", "east", "south", "west"][key])).expect("an input");
            }
        }
        let mut flown = headless::fly(&level, &Order { script, ..Order::ticks(45) }).expect("it flies");
        for tick in 1..=45 {
            let engine = flown.engine.clone();
            let w = flown.history.world_at(&engine, tick);
            let (inside, touch, near) = naive(&engine, &w);
            let mut got: Vec<(ActorId, ZoneId, Option<ActorId>)> =
                w.living().flat_map(|(a, x)| x.inside.iter().map(move |(k, _)| (a, k.0, k.1))).collect();
            got.sort();
            prop_assert_eq!(&got, &inside, "zones at tick {} of\n{}", tick, text);
            prop_assert_eq!(w.contacts.keys().copied().collect::<Vec<_>>(), touch, "contact at tick {} of\n{}", tick, text);
            prop_assert_eq!(w.near.keys().map(|k| (k.1, k.2)).collect::<Vec<_>>(), near, "nearness at tick {} of\n{}", tick, text);
            // Enters and leaves add up to who is inside now.
            let now = got.iter().filter(|(_, z, _)| engine.program.zones[z.index()].of.is_none()).count() as f64;
            prop_assert_eq!(&w.vars[0], &Value::Number(now), "the count of visitors at tick {} of\n{}", tick, text);
        }
    }
}

#[test]
fn who_is_around_is_found_where_single_precision_tells_none_apart() {
    let xs = [-3.0, 0.0, 1e-9, 7.1, 7.100_000_000_1, 100_000.1, 100_000.100_1, 999_999.0];
    let places: String = xs.iter().rev().map(|x| format!("place mote at ({x:.12}, 0)\n")).collect();
    let checked = check::check("t.may", &format!("kind mote\n{places}"));
    let level = checked.level.unwrap_or_else(|| panic!("it reads: {:?}", checked.diagnostics));
    let world = Engine::new(lower(&level)).start(1, &Default::default()).0;
    let all: Vec<(ActorId, f64)> = world.living().map(|(id, a)| (id, a.at.x)).collect();
    assert!(all.iter().map(|(_, x)| *x).eq(xs.into_iter().rev()));
    let crowd = Crowd::of(&world);
    for x in xs {
        for reach in [0.0, 1e-10, 1e-4, 3.0, 1e6] {
            let mut found: Vec<(ActorId, f64)> = crowd.around((x, 0.0), reach).collect();
            found.sort_by_key(|(id, _)| *id);
            let there = all.iter().filter(|(_, o)| *o >= x - reach && *o <= x + reach);
            let there = there.map(|(id, o)| (*id, (o - x).abs()));
            assert_eq!(found, there.collect::<Vec<_>>(), "{x} {reach}");
        }
    }
}
