//! A megabyte of text of each of many shapes, refused or checked and told: what takes longest.
//!
//! Each shape repeats one piece until the text is a megabyte long: `#` in it is the number of the piece.

use mayfly_lang::check;
use std::time::{Duration, Instant};

const LENGTH: usize = 1_000_000;

/// Name, what stands before, the piece that is repeated, what stands behind.
type Shape = (&'static str, &'static str, &'static str, &'static str);

const SHAPES: &[Shape] = &[
    ("or", "var a = true\ndefine d = a", " or a", "\n"),
    ("plus", "var a = 1\ndefine d = a", " + 1", "\n"),
    ("compare", "var a = 1\ndefine d = a == 1", " and a == #", "\n"),
    ("members", "define d = a", ".b", "\n"),
    ("open round", "define d = ", "(", "\n"),
    ("open square", "define d = ", "[", "\n"),
    ("open braces", "define d = ", "{", "\n"),
    ("closed round", "", ")", "\n"),
    ("not", "define d = ", "not ", "true\n"),
    ("minus", "define d = ", "-", "1\n"),
    ("list of", "var a: ", "list of ", "number = []\n"),
    ("list items", "var a = [1", ", #", "]\n"),
    ("texts in texts", "define d = ", "\"{", "\n"),
    ("one long text", "var t = \"", "mud and reeds ", "\"\n"),
    ("fillings", "var n = 1\nrule \"r\" { when start; then { log \"", "{n} ", "\" } }\n"),
    ("enum values", "enum fish { a", ", v#", " }\n"),
    ("enums", "", "enum e# { a#, b# }\n", ""),
    ("vars", "", "var v# = #\n", ""),
    ("defines in a row", "define d0 = 1\n", "define e# = d0 + 1\n", ""),
    ("constants", "", "const c# = #\n", ""),
    ("tags", "", "tag t#\n", ""),
    ("messages", "", "message m#\n", ""),
    ("timers", "", "timer t# = 3s\n", ""),
    ("kinds", "", "kind k# { var a = 1 }\n", ""),
    ("places", "kind k\n", "place p#: k at (1, 1)\n", ""),
    ("unnamed places", "kind k\nplace k at (0, 0)", ", (1, 1)", "\n"),
    ("zones", "", "zone z# = rect (1, 1) 2 x 2\n", ""),
    ("zones of a kind", "kind k of zones { var n = 0\nrule \"r\" { when start; then { self.n += 1 } } }\n", "zone z#: k = rect (1, 1) 2 x 2\n", ""),
    ("named actors", "kind k { var n = 0 }\n", "place p#: k at (1, 1)\nrule \"r#\" { when start; then { p#.n += 1 } }\n", ""),
    ("zone sum", "zone z = rect (1, 1) 2 x 2", " + rect (1, 1) 2 x 2", "\n"),
    ("cells", "zone z = cells { ", "1: 2, 3..5; ", "}\n"),
    ("paths", "", "path p# = (0, 0) (1, 1)\n", ""),
    ("path points", "path p = (0, 0)", " (1, 1)", "\n"),
    ("rules", "var n = 0\n", "rule \"r#\" { when tick; then { n += 1 } }\n", ""),
    ("rules of one name", "var n = 0\n", "rule \"r\" { when tick; then { n += 1 } }\n", ""),
    ("clauses", "var n = 0\nrule \"r\" { when tick; ", "if n > #; ", "then { n = 1 } }\n"),
    ("statements", "var n = 0\nrule \"r\" { when tick; then { ", "n += 1; ", "} }\n"),
    ("machines", "", "machine m# { start a; state a { to b after 1s } state b { to a after 1s } }\n", ""),
    ("states", "machine m { start s0; state s0\n", "state s# { to s0 after 1s }\n", "}\n"),
    ("unknown names", "rule \"r\" { when tick; then { ", "n# = 1; ", "} }\n"),
    ("nonsense", "", "? ! % & ", "\n"),
    ("line ends", "", "\n", ""),
    ("rules on a line", "", "rule \"a\" { when start then { x } } ", "\n"),
    ("machines without an end", "", "machine m# {\n state a { to b when hears x(n) if from = 3 }\n", ""),
    ("closing braces", "", "} ", "\n"),
    ("words of a rule", "rule \"r\" { ", "then ", "}\n"),
    ("messages misspelt", "", "message m#(n: numbr)\n", ""),
    ("tags misspelt", "", "tag t#\nkind k# { tags s# }\n", ""),
    ("kinds misspelt", "", "kind k#\nplace p#: j# at (1, 1)\n", ""),
    ("values misspelt", "enum fish { a }\n", "const c# = fish.b#\n", ""),
    ("states misspelt", "machine m { start s1;\n", "state s# { to r# after 1s }\n", "}\n"),
    ("rules misspelt", "", "rule \"r#\" { when start; then { disable rule \"s#\" } }\n", ""),
    ("kinds without an end", "", "kind k# {\n", ""),
    ("stray lines", "", " v# = 3\n", ""),
    ("unknown names behind a mistake", "var v = = 1\nrule \"r\" { when tick; then {\n", "n# = 1; ", "} }\n"),
    ("tiles misspelt", "tiles { ", "zz '#' x; ", "}\n"),
    ("events misspelt", "kind k\n", "rule \"r#\" { when k toches k; then { k.x = 1 } }\n", ""),
];

fn text((_, before, piece, behind): &Shape) -> String {
    let mut t = String::from(*before);
    let mut n = 1;
    while t.len() < LENGTH {
        t.push_str(&piece.replace('#', &n.to_string()));
        n += 1;
    }
    t.push_str(behind);
    t
}

/// Checks and prints every shape: the slowest are named.
pub fn shapes() {
    let mut times: Vec<(Duration, &str)> = SHAPES
        .iter()
        .map(|s| {
            let text = text(s);
            let t = Instant::now();
            let c = check::check("long", &text);
            let told: usize = c.diagnostics.iter().map(|d| d.print(&c.sources, false).len()).sum();
            assert!(told < 10_000_000, "{} tells {told} bytes", s.0);
            (t.elapsed(), s.0)
        })
        .collect();
    times.sort();
    for (time, name) in times.iter().rev().take(6) {
        println!("  1 MB, {name:<66} {:>9.2} s   at most 1", time.as_secs_f64());
    }
    println!("  1 MB, the median of {} shapes {:>50.2} s", times.len(), times[times.len() / 2].0.as_secs_f64());
}
