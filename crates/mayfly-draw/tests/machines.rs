//! Machines of every shape, drawn: no state lies over another, no way passes through a state that it has nothing to do with, no
//! number lies over a state or another number, every way begins and ends where it says.

use mayfly_draw::machine;
use mayfly_draw::scene::{Item, Scene};
use mayfly_lang::check;
use mayfly_session::session::Session;
use proptest::prelude::*;
use proptest::test_runner::FileFailurePersistence;

/// A machine: for each state which of the earlier ones holds it, and its ways.
fn level(holders: &[Option<usize>], ways: &[(usize, usize)]) -> String {
    let mut children: Vec<Vec<usize>> = vec![vec![]; holders.len() + 1];
    for (i, h) in holders.iter().enumerate() {
        children[h.map_or(holders.len(), |h| h)].push(i);
    }
    fn state(i: usize, children: &[Vec<usize>], ways: &[(usize, usize)], out: &mut String) {
        out.push_str(&format!("state s{i} {{\n"));
        if let Some(first) = children[i].first() {
            out.push_str(&format!("start s{first}\n"));
        }
        for (n, (_, to)) in ways.iter().enumerate().filter(|(_, w)| w.0 == i) {
            out.push_str(&format!("to s{to} when hears bell(p) if p > {n}\n"));
        }
        children[i].iter().for_each(|c| state(*c, children, ways, out));
        out.push_str("}\n");
    }
    let mut out = String::from("tiles { '_' boards }\nmap \"\"\"\n__\n\"\"\"\nmessage bell(p: number)\n");
    out.push_str("machine m {\nstart s0\n");
    children[holders.len()].iter().for_each(|c| state(*c, &children, ways, &mut out));
    out + "}\nrule \"r\" { when every 1s; then { send bell(3) } }\n"
}

fn drawn(text: &str) -> Scene {
    let c = check::check("m.may", text);
    let errors: Vec<String> = c.diagnostics.iter().map(|d| d.print(&c.sources, false)).collect();
    let mut s = Session::new(c.sources, c.level.unwrap_or_else(|| panic!("{}\n{text}", errors.join("\n"))));
    s.run_ticks(50, || true);
    machine::draw(&s, machine::named(&s, "m").expect("the machine")).expect("a drawing")
}

type Frame = (f64, f64, f64, f64);

fn inside(p: (f64, f64), f: &Frame, by: f64) -> bool {
    p.0 > f.0 + by && p.0 < f.0 + f.2 - by && p.1 > f.1 + by && p.1 < f.1 + f.3 - by
}

/// A curve in small steps.
fn steps(points: &[(f64, f64)]) -> Vec<(f64, f64)> {
    let of = |p: &[(f64, f64)], t: f64, f: fn(&(f64, f64)) -> f64| {
        let u = 1.0 - t;
        u * u * u * f(&p[0]) + 3.0 * u * u * t * f(&p[1]) + 3.0 * u * t * t * f(&p[2]) + t * t * t * f(&p[3])
    };
    let pieces = points.windows(4).step_by(3);
    pieces
        .flat_map(|p| (0..=20).map(move |i| f64::from(i) / 20.0).map(move |t| (of(p, t, |x| x.0), of(p, t, |x| x.1))))
        .collect()
}

fn config() -> ProptestConfig {
    let file = FileFailurePersistence::Direct(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/machines.regressions"));
    ProptestConfig { failure_persistence: Some(Box::new(file)), ..ProptestConfig::with_cases(160) }
}

proptest! {
    #![proptest_config(config())]
    #[test]
    fn nothing_lies_over_another(
        shape in prop::collection::vec(0usize..100, 1..14),
        ways in prop::collection::vec((0usize..100, 0usize..100), 0..30),
    ) {
        let n = shape.len();
        // About a third of the states lie in an earlier one, at most three deep.
        let mut holders: Vec<Option<usize>> = vec![None];
        for (i, x) in shape.iter().enumerate().skip(1) {
            let holder = (x % 3 == 0).then(|| x / 3 % i);
            let deep = holder.is_some_and(|h| holders[h].is_some_and(|g| holders[g].is_some()));
            holders.push(if deep { None } else { holder });
        }
        let ways: Vec<(usize, usize)> = ways.iter().map(|(a, b)| (a % n, b % n)).collect();
        let text = level(&holders, &ways);
        let scene = drawn(&text);
        let same = drawn(&text);
        prop_assert_eq!(&scene, &same);

        // The second border of the active one apart, each state has one box.
        let boxes: Vec<Frame> = scene.items.iter().filter_map(|i| match i {
            Item::Box { x, y, width, height, fill: Some(_), .. } => Some((*x, *y, *width, *height)),
            _ => None,
        }).collect();
        prop_assert_eq!(boxes.len(), n, "{}", text);
        let holds = |a: &Frame, b: &Frame| inside((b.0, b.1), a, 0.0) && inside((b.0 + b.2, b.1 + b.3), a, 0.0);
        for (i, a) in boxes.iter().enumerate() {
            for b in &boxes[i + 1..] {
                let apart = a.0 + a.2 <= b.0 || b.0 + b.2 <= a.0 || a.1 + a.3 <= b.1 || b.1 + b.3 <= a.1;
                prop_assert!(apart || holds(a, b) || holds(b, a), "{:?} {:?}\n{}", a, b, text);
            }
        }
        let held = (0..n).filter(|i| holders[*i].is_some()).count();
        let within = boxes.iter().filter(|b| boxes.iter().any(|a| holds(a, b))).count();
        prop_assert_eq!(within, held, "{}", text);

        // No curve passes through a state that holds no other, and none crosses a frame's name.
        let leaves: Vec<&Frame> = boxes.iter().filter(|b| !boxes.iter().any(|o| holds(b, o))).collect();
        let mut arrows = 0;
        for item in &scene.items {
            if let Item::Curve { points, arrow, .. } = item {
                arrows += usize::from(*arrow);
                for p in steps(points) {
                    prop_assert!(!leaves.iter().any(|b| inside(p, b, 1.5)), "{:?} at {:?}\n{}", points, p, text);
                }
            }
        }
        prop_assert_eq!(arrows, ways.len(), "{}", text);
        let signs: Vec<(f64, f64)> = scene.items.iter().filter_map(|i| match i {
            Item::Circle { x, y, radius, line: Some(_), .. } if *radius == 8.0 => Some((*x, *y)),
            _ => None,
        }).collect();
        prop_assert_eq!(signs.len(), ways.len(), "{}", text);
        for (i, a) in signs.iter().enumerate() {
            prop_assert!(!leaves.iter().any(|b| inside(*a, b, -6.0)), "a number at {:?} in a state\n{}", a, text);
            for b in &signs[i + 1..] {
                prop_assert!((a.0 - b.0).hypot(a.1 - b.1) >= 15.9, "numbers at {:?} and {:?}\n{}", a, b, text);
            }
        }
    }
}
