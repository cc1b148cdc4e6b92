//! §2 and §5: declarations, types, scopes and expressions, beyond the table of `expressions.rs`.

use super::{codes, flown, says};

#[test]
fn what_derives_has_all_of_its_base_and_counts_under_who_wrote_it() {
    let text = r#"
message m
kind a { var n = 1; speed 7; rule "r" { when hears m; then { log "a.r {self}" } }
rule "q" { when hears m; then { log "a.q {self}" } } }
kind b like a { rule "q" { when hears m; then { log "b.q {self}" } } }
place a at (0, 0)
place b at (0, 0)
rule "s" { when start; then { log "{b#1.n} {b#1.speed} {b#1 is a} {a#1 is b}"; send m } }
"#;
    says(text, &[], 1, "0 1 7 true false; 0 a.r a#1; 0 a.r b#1; 0 a.q a#1; 0 b.q b#1");
    let f = flown(text, &[], 1);
    let p = &f.engine.program;
    let counts: Vec<(String, u64)> = (0..p.rules.len())
        .map(|i| (p.rule_name(mayfly_base::RuleId::at(i)), f.history.live().rules[i].fired))
        .collect();
    assert!(
        counts.contains(&("a / r".into(), 2))
            && counts.contains(&("a / q".into(), 1))
            && counts.contains(&("b / q".into(), 1)),
        "{counts:?}"
    );
}

#[test]
fn defines_follow_are_watched_and_are_no_circle() {
    says(
        r#"
var x = 1
define twice = x * 2
define big = twice > 5
kind k { var n = 1; define m = self.n + x }
place a: k at (0, 0)
rule "b" { when big turns true; then { log "big {twice}" } }
rule "m" { when k.m reaches 5; then { log "{k} {a.m}" } }
rule "s" { when start; then { x = 3; wait 1 ticks; a.n = 2 } }
"#,
        &[],
        3,
        "0 big 6; 1 a 5",
    );
    assert!(codes("define a = b + 1\ndefine b = a").contains(&"circle"));
    assert!(codes("define a = random(1, 2)").contains(&"define-draws"));
}

#[test]
fn attributes_are_variables_and_overrides() {
    says(
        r#"
kind k { speed 6; size (2, 1); solid; look "x" amber }
place a: k at (1, 2) facing west { solid false; speed 9; visible false }
rule "s" { when start; then { log "{a.speed} {a.size} {a.solid} {a.visible} {a.tangible} {a.enabled} {a.opaque} {a.look} {a.colour} {a.facing}"; a.x += 1; a.facing = north; a.colour = moss; a.size = (1, 1); log "{a.at} {a.facing} {a.colour} {a.size.x}" } }
rule "w" { when a.x changes; then { log "moved" } }
rule "v" { when a.facing == north turns true; then { log "turned" } }
"#,
        &[],
        1,
        "0 9 (2, 1) false false true true false x amber west; 0 (2, 2) north moss 1; 0 moved; 0 turned",
    );
}

#[test]
fn zones_of_a_kind_have_variables_rules_and_machines() {
    says(
        r#"
kind p
kind pool of zone { var n = 0; var says: text = "wet"; define full = self.n >= 2
 rule "in" { when p enters self; then { self.n += 1; log "{self} {self.says} {self.n}" } }
 machine m { start dry
 state dry { to wet when p enters self } state wet { } } }
place a: p at (0, 0)
place b: p at (0, 0)
zone one: pool = rect (0, 0) 1 x 1
zone two: pool = rect (5, 0) 1 x 1 { says = "cold" }
rule "any" { when p enters pool; then { log "any {pool} {p}" } }
rule "f" { when pool.full turns true; then { log "full {pool}" } }
rule "s" { when after 1 ticks; then { log count(pool where pool.n > 0); log one.m is wet; log two.m; move a to (5, 0); log all pool } }
"#,
        &[],
        3,
        "0 one wet 1; 0 any one a; 0 one wet 2; 0 any one b; 0 full one; 1 count(pool where pool.n > 0) = 1; 1 one.m is wet = true; 1 two.m = dry; 1 all pool = [one, two]; 2 two cold 1; 2 any two a",
    );
}

#[test]
fn tables_and_records() {
    says(
        r#"
enum fish { eel, perch }
table t: fish { eel 1; perch 0 }
table texts { "a" 1 }
kind crate
kind barrel
records wave(what: kind, amount: number, gap: duration) { (crate, 8, 700ms); (barrel, 3, 1s) }
var held: table of fish = t
rule "s" { when start; then { log roll(t); log roll(texts); log roll(held); log "{wave[0].amount} {wave[1].what} {wave[1].gap} {len(wave)}"; for r in wave where r.amount > 3 { log r.what; spawn r.what at (0, 0) as c; log c is crate }; log wave[2].amount } }
"#,
        &[],
        1,
        "0 roll(t) = eel; 0 roll(texts) = a; 0 roll(held) = eel; 0 8 barrel 1s 2; 0 r.what = crate; 0 c is crate = true; 0 ! index",
    );
}

#[test]
fn none_is_a_fault_where_it_is_used_and_known_after_exists() {
    says(
        r#"
kind k { var n = 1 }
place a: k at (0, 0)
var who: k or none = none
var list: list of number = []
rule "s" { when start; then { log who exists; if who exists { log who.n }; who = a; if who exists { log who.n }; who = none; log pick(list); log nearest(k to a where k.n > 5); log who.n; log "never" } }
"#,
        &[],
        1,
        "0 who exists = false; 0 who.n = 1; 0 pick(list) = none; 0 nearest(k to a where k.n > 5) = none; 0 ! none",
    );
    assert_eq!(
        codes(
            r#"
kind k { var n = 1 }
place a: k at (0, 0)
var who: k or none = a
rule "s" { when start; then { who.n = 2; log who.n; who = none } }
"#
        ),
        ["unguarded"]
    );
}

#[test]
fn a_kind_that_is_not_known_can_be_asked_for() {
    says(
        r#"
kind lamp { var oil = 3 }
kind wet like lamp { var damp = true }
kind post { }
place l: wet at (0, 0)
place p: post at (0, 0)
var who: actor = p
message hit(what: actor)
rule "h" { when hears hit(what); if what is lamp; then { log "oil {what.oil}"; what.oil -= 1; if what is wet { log "damp {what.damp}" } } else { log "{what} is none" } }
rule "a" { when hears hit(what); if what is lamp and what.oil > 9 or what is post; then { log "or" } }
rule "s" { when start; then { send hit(l); send hit(p); who = l; log who.oil; who = p; log who.oil } }
"#,
        &[],
        1,
        "0 who.oil = 3; 0 oil 3; 0 damp true; 0 p is none; 0 or; 0 ! none",
    );
    assert!(
        codes(
            r#"
kind a { var n = 1 }
kind b { var n = true }
place a at (0, 0)
place b at (0, 0)
var who: actor = a#1
rule "s" { when start; then { log who.n } }
"#
        )
        .contains(&"unknown-kind")
    );
}

#[test]
fn a_name_that_is_taken_or_hidden_is_an_error_that_shows_both() {
    for (text, code) in [
        ("var x = 1\nvar x = 2", "name-taken"),
        ("kind k { var a = 1; var a = 2 }", "name-taken"),
        (
            r#"
var x = 1
rule "r" { when start; then { let x = 2; log x } }
"#,
            "name-hidden",
        ),
        ("rule \"r\" { when start; then { let x = 2; if true { let x = 3; log x } } }", "name-hidden"),
        (
            r#"
rule "r" { when start; then { } }
rule "r" { when start; then { } }
"#,
            "title-taken",
        ),
    ] {
        let c = mayfly_lang::check::check("t.may", text);
        let d = c.diagnostics.iter().find(|d| d.code == code).unwrap_or_else(|| panic!("{text}: {:?}", codes(text)));
        assert!(!d.also.is_empty(), "{text} shows both");
    }
}

#[test]
fn an_enums_value_is_bare_where_its_type_is_expected() {
    says(
        r#"
enum mood { calm, wary }
enum sea { calm, rough }
var m = mood.calm
var s: sea = rough
kind k { var m: mood = wary }
place a: k at (0, 0) { m = calm }
rule "r" { when start; then { m = wary; log m == wary; s = calm; log s == calm; log a.m; log [mood.calm, wary] has wary; if m == calm { log "no" } else { log "yes" } } }
"#,
        &[],
        1,
        "0 m == wary = true; 0 s == calm = true; 0 a.m = calm; 0 [mood.calm, wary] has wary = true; 0 yes",
    );
}

#[test]
fn tiles_areas_and_what_lies_where() {
    says(
        r#"
tiles { '#' wall solid; '_' boards tagged footing; 'w' water }
map """
#__w
"""
area cellar map """
w_
"""
kind k { zone feet = rect (0, 1) 1 x 1 }
place a: k at (2, -0.4)
place b: k in cellar at (1, 0)
zone vat in cellar = rect (0, 0) 1 x 1
rule "s" { when start; then { log tile_at((3, 0)); log tile_at(cellar (0, 0)); log tile_at((9, 9)); log free_at((0, 0)); log free_at((1, 0)); log free_at((-1, 0)); lay wall at (1, 0); log free_at((1, 0)); move a to (2, -1); log a.feet covers footing; log a.feet covers water; log a.feet covers boards; log b.at; log center(vat); log random_point(vat) } }
"#,
        &[],
        1,
        "0 tile_at((3, 0)) = water; 0 tile_at(cellar (0, 0)) = water; 0 tile_at((9, 9)) = none; 0 free_at((0, 0)) = false; 0 free_at((1, 0)) = true; 0 free_at((-1, 0)) = false; 0 free_at((1, 0)) = false; \
         0 a.feet covers footing = true; 0 a.feet covers water = false; 0 a.feet covers boards = true; 0 b.at = cellar (1, 0); 0 center(vat) = cellar (0, 0); 0 random_point(vat) = cellar (0, 0)",
    );
}

#[test]
fn rays_find_the_first_tangible_actor() {
    says(
        r#"
kind k { }
place a: k at (0, 0)
place b: k at (3, 0)
place c: k at (5, 0)
rule "s" { when start; then { log ray((0, 0.6), east, 9); log ray(a, east, 9); log ray(a, east, 2); b.tangible = false; log ray(a, east, 9); log ray(a, west, 9) exists } }
"#,
        &[],
        1,
        "0 ray((0, 0.6), east, 9) = none; 0 ray(a, east, 9) = b; 0 ray(a, east, 2) = none; 0 ray(a, east, 9) = c; 0 ray(a, west, 9) exists = false",
    );
}

#[test]
fn and_or_stop_at_the_side_that_decides() {
    says(
        r#"
var n = 0
rule "s" { when start; then { log false and 1 / n > 0; log true or 1 / n > 0; log if true then 1 else 1 / n; log not false and true; log 2 + 3 * 4 mod 5 - 1; log -2 * -3; log 1 < 2 and 2 > 1 or false } }
"#,
        &[],
        1,
        "0 false and 1 / n > 0 = false; 0 true or 1 / n > 0 = true; 0 if true then 1 else 1 / n = 1; 0 not false and true = true; 0 2 + 3 * 4 mod 5 - 1 = 3; 0 -2 * -3 = 6; 0 1 < 2 and 2 > 1 or false = true",
    );
}
