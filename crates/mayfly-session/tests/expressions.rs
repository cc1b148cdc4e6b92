//! What expressions come to, as a designer reads them: one table.

use mayfly_lang::check;
use mayfly_session::headless::{self, Order};

const GROUND: &str = "level \"T\" { rate 20; seed 5 }\ntiles { '#' piles solid; '_' boards }\nmap \"\"\"\n____#\n_____\n\"\"\"\n\
enum mood { calm, wary }\ntag floats\nkind person { steered; var oil = 3 }\nkind lamp { var lit = false; var oil = 2; tags floats; zone glow = disc 1 }\n\
kind wet like lamp { var damp = true }\nplace keeper: person at (1, 0) facing east\nplace lamp at (2, 0)\nplace w: wet at (0, 1) { lit = true }\n\
zone left = rect (0, 0) 2 x 2\nvar list = [4, 5, 6]\nvar bag: tally of text = {}\nvar who: actor or none = none\nconst three = 3\ntimer flood = 3s running\n";

/// The text that an expression is printed as, or its fault.
fn shown(expr: &str) -> String {
    let text = format!("{GROUND}rule \"t\" {{ when after 100ms; then {{ log \"{{{expr}}}\" }} }}\n");
    let c = check::check("t.may", &text);
    let Some(level) = c.level else {
        return c.diagnostics.first().map_or(String::new(), |d| format!("error {}", d.code));
    };
    let flown = headless::fly(&level, &Order::ticks(3)).expect("it flies");
    match (flown.log.first(), flown.faults.first()) {
        (Some(l), _) => l.text.clone(),
        (None, Some(f)) => format!("fault {}", f.fault.kind.name()),
        _ => "nothing".into(),
    }
}

#[test]
fn expressions_come_to_what_they_say() {
    let table = [
        // numbers
        ("1 + 2 * 3", "7"),
        ("(1 + 2) * 3", "9"),
        ("-2 * -3", "6"),
        ("7 mod 3", "1"),
        ("-7 mod 3", "2"),
        ("10 / 4", "2.5"),
        ("1 / 3", "0.333333"),
        ("1 / 3:2", "0.33"),
        ("15%", "0.15"),
        ("1_000", "1000"),
        ("0.1 + 0.2 == 0.3", "true"),
        ("0.1 + 0.2 > 0.3", "false"),
        ("5 between 3 and 5", "true"),
        ("three * 2", "6"),
        ("1 / 0", "fault division_by_zero"),
        ("sqrt(0 - 4)", "fault not_a_number"),
        ("floor(0 - 2.5)", "-3"),
        ("round(2.5)", "3"),
        ("round(0 - 2.5)", "-3"),
        ("ceil(2.1) + sign(-4)", "2"),
        ("clamp(12, 0, 10)", "10"),
        ("max(1, 7, 3)", "7"),
        ("0.2 per 1s", "0.01"),
        ("12 per 1s * 2", "0.3"),
        // durations
        ("1m 30s", "1m 30s"),
        ("2.4s + 100ms", "2.5s"),
        ("3s / 1s", "3"),
        ("4 ticks", "0.2s"),
        ("2s * 3", "6s"),
        ("flood.left", "2.9s"),
        ("flood.running", "true"),
        ("time", "0.1s"),
        ("tick", "2"),
        // flags and choices
        ("not true or true", "true"),
        ("1 < 2 and 2 < 1", "false"),
        ("if 1 < 2 then \"yes\" else \"no\"", "yes"),
        ("true and 1 / 0 > 1", "fault division_by_zero"),
        ("false and 1 / 0 > 1", "false"),
        // points and directions
        ("(1, 2) + east * 2", "(3, 2)"),
        ("(1, 2) - (1, 1)", "(0, 1)"),
        ("keeper.at.x", "1"),
        ("opposite(north)", "south"),
        ("keeper.facing", "east"),
        ("direction_to(keeper, w)", "south"),
        ("ahead(keeper, 2)", "(3, 0)"),
        ("distance(keeper, lamp#1)", "1"),
        // the world
        ("keeper in left", "true"),
        ("lamp#1 in left", "false"),
        ("keeper in lamp#1.glow", "true"),
        ("lamp#1 in lamp#1.glow", "false"),
        ("keeper near lamp#1 within 1", "true"),
        ("keeper facing lamp#1", "true"),
        ("lamp#1 ahead of keeper", "true"),
        ("w behind keeper", "true"),
        ("w right of keeper", "false"),
        ("keeper touching lamp#1", "false"),
        ("w is lamp", "true"),
        ("lamp#1 is wet", "false"),
        ("w tagged floats", "true"),
        ("tile_at((4, 0))", "piles"),
        ("tile_at((9, 9))", "none"),
        ("free_at((4, 0))", "false"),
        ("free_at((3, 1))", "true"),
        ("center(left)", "(0.5, 0.5)"),
        ("actors_in(left)", "[keeper, w]"),
        // all of a kind
        ("count(lamp where lamp.lit)", "1"),
        ("some(lamp where lamp.oil > 2)", "false"),
        ("every(lamp where lamp.oil == 2)", "true"),
        ("sum(lamp where true: lamp.oil)", "4"),
        ("nearest(lamp to keeper)", "lamp#1"),
        ("nearest(lamp to keeper where lamp.oil > 9)", "none"),
        ("all lamp", "[lamp#1, w]"),
        ("all floats where floats.x > 1", "[lamp#1]"),
        ("count(any)", "3"),
        // lists, none
        ("list[1]", "5"),
        ("list[3]", "fault index"),
        ("len(list)", "3"),
        ("5 in list", "true"),
        ("list has 9", "false"),
        ("bag[\"wick\"]", "0"),
        ("bag", "{}"),
        ("set(2, 1, 2)", "{1, 2}"),
        ("who exists", "false"),
        ("who.x", "fault none"),
        ("pick([7])", "7"),
        ("random(3, 3)", "3"),
        ("random(4, 3)", "fault not_a_number"),
        ("chance(100%)", "true"),
        ("w.damp", "true"),
        ("lamp#1.damp", "error unknown-name"),
        ("mood.wary", "wary"),
    ];
    let wrong: Vec<String> = table
        .iter()
        .filter(|(e, want)| shown(e) != *want)
        .map(|(e, want)| format!("{e}: wanted {want}, got {}", shown(e)))
        .collect();
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
