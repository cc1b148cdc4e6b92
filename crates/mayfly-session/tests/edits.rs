//! Every edit of the map's library, on every level there is, with its layout shaken and comments strewn in: what is taken back
//! leaves the text as it was byte for byte, no comment is lost, the text still parses, and there and back means the same.

use crate::levels::levels;
use mayfly_lang::analysis::{Analysis, Symbol, SymbolId, SymbolKind};
use mayfly_lang::edit::facts::{self, FileChange};
use mayfly_lang::edit::{EditError, laying, maps};
use mayfly_lang::level::Level;
use mayfly_lang::{lexer, syntax::Kind};
use mayfly_session::laid::Laid;
use proptest::prelude::*;
use proptest::test_runner::FileFailurePersistence;
use std::sync::OnceLock;

/// The levels, read once.
fn all() -> &'static [(String, String)] {
    static ALL: OnceLock<Vec<(String, String)>> = OnceLock::new();
    ALL.get_or_init(levels)
}

fn read(text: &str) -> Analysis {
    Analysis::of("level.may", text, &mut |_| Err(mayfly_lang::check::LoadError::Missing))
}

/// A level in which places of the text stand for nothing.
fn meaning(level: &Level) -> String {
    let text = format!("{level:#?}");
    let mut skip = 0;
    let keep = |l: &&str| {
        if l.trim_end().ends_with("Span {") {
            skip = 5;
        }
        skip = i32::max(skip - 1, -1);
        skip < 0
    };
    text.lines().filter(keep).collect::<Vec<_>>().join("\n")
}

fn comments(text: &str) -> Vec<String> {
    let all = lexer::lex(text).into_iter().filter(|t| matches!(t.kind, Kind::COMMENT | Kind::DOC));
    let mut all: Vec<String> = all.map(|t| text[t.start..t.end].trim().to_string()).collect();
    all.sort();
    all
}

/// The same level with other spaces, empty lines and comments at the ends of lines.
fn shaken(text: &str, sizes: &[usize]) -> String {
    let tokens = lexer::lex(text);
    let mut out = String::new();
    for (i, t) in tokens.iter().enumerate() {
        let word = &text[t.start..t.end];
        let size = sizes[i % sizes.len()];
        let before_comment = tokens.get(i + 1).is_some_and(|n| matches!(n.kind, Kind::COMMENT | Kind::DOC));
        let after_comment = i > 0 && matches!(tokens[i - 1].kind, Kind::COMMENT | Kind::DOC);
        match t.kind {
            Kind::SPACE if !before_comment => out.push_str(&" ".repeat(size.max(1))),
            Kind::NEWLINE if size == 3 && !after_comment && !before_comment => {
                out.push_str(&format!("  // é {i}{word}"));
            }
            Kind::NEWLINE if size == 4 => {
                out.push_str(word);
                out.push_str(if after_comment { "" } else { "\n" });
                out.push_str(&"\t".repeat(i % 2));
            }
            _ => out.push_str(word),
        }
    }
    out
}

/// What an edit promises.
#[derive(Clone, Copy, PartialEq)]
enum Promise {
    /// Nothing but that the text still parses.
    Parses,
    /// No comment is lost by it.
    KeepsComments,
    /// It means the same as before.
    Same,
}

type Done = Result<Vec<FileChange>, EditError>;

fn one(c: Result<FileChange, EditError>) -> Done {
    c.map(|c| vec![c])
}

/// The edits that a thing of that sort has, by number; none beyond them.
fn edit(a: &Analysis, id: SymbolId, s: &Symbol, n: usize, by: (i64, i64)) -> Option<(Done, Promise)> {
    use Promise::*;
    let (x, y) = (by.0 as f64, by.1 as f64);
    let name = laying::free_name(a, &s.name);
    let of_level = s.of.is_none();
    let row: Vec<(Done, Promise)> = match s.kind {
        SymbolKind::Zone => {
            let shape = laying::shape_text(a, id).unwrap_or_default();
            vec![
                (one(facts::move_zone(a, id, by)), KeepsComments),
                (one(facts::resize_zone(a, id, (x.abs() + 1.0, y.abs() + 1.0))), KeepsComments),
                (one(laying::set_shape(a, id, &shape)), Same),
                (one(facts::set_for(a, id, &[])), Parses),
                (facts::copy(a, id, &name, true), KeepsComments),
                (one(laying::copy_zone(a, id, &name, by)), KeepsComments),
                (facts::first_rule(a, id).map(|(c, _)| vec![c]), KeepsComments),
                (laying::remove_all(a, id), Parses),
            ]
        }
        SymbolKind::Actor => vec![
            (one(facts::set_place(a, &s.name, x, y)), KeepsComments),
            (one(facts::set_facing(a, &s.name, "west")), KeepsComments),
            (one(facts::set_given(a, &s.name, "speed", "3")), KeepsComments),
            (one(laying::copy_actor(a, &s.name, &name, (x, y))), KeepsComments),
            (laying::remove_actors(a, &[&s.name]), Parses),
            (laying::remove_all(a, id), Parses),
        ],
        SymbolKind::Kind => vec![
            (one(facts::set_attribute(a, id, "speed", Some("3"))), KeepsComments),
            (facts::first_rule(a, id).map(|(c, _)| vec![c]), KeepsComments),
            (one(laying::place_one(a, &s.name, &format!("({x}, {y})"))), KeepsComments),
            (laying::remove_all(a, id), Parses),
        ],
        SymbolKind::Path => vec![
            (one(laying::set_point(a, id, 0, (x, y))), KeepsComments),
            (one(laying::insert_point(a, id, 0, (x, y))), KeepsComments),
            (one(laying::remove_point(a, id, 1)), Parses),
            (one(laying::move_path(a, id, by)), KeepsComments),
            (one(laying::set_path_end(a, id, "bounce")), KeepsComments),
        ],
        SymbolKind::Variable => vec![(one(facts::set_first(a, id, "7")), KeepsComments)],
        SymbolKind::Rule if of_level => vec![(facts::copy(a, id, "quite another title", false), KeepsComments)],
        _ => vec![(one(facts::add(a, "tag zz_shaken // here")), KeepsComments)],
    };
    row.into_iter().nth(n)
}

/// The text with the changes made, once they were taken back and that gave the text as it was.
fn made(text: &str, changes: &[FileChange]) -> Result<String, TestCaseError> {
    let [(0, change)] = changes else {
        prop_assert!(changes.is_empty(), "{changes:?}");
        return Ok(text.to_string());
    };
    let (new, back) = change.apply(text).map_err(|e| TestCaseError::fail(format!("{e}")))?;
    prop_assert_eq!(&back.apply(&new).expect("its inverse lies in it").0, text);
    Ok(new)
}

fn config() -> ProptestConfig {
    let file = FileFailurePersistence::Direct(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/edits.regressions"));
    ProptestConfig {
        cases: 120,
        max_shrink_iters: 60,
        failure_persistence: Some(Box::new(file)),
        ..ProptestConfig::default()
    }
}

proptest! {
    #![proptest_config(config())]

    #[test]
    fn whatever_is_laid_in_whatever_text(
        (pick, which, n) in (0usize..1000, 0usize..1000, 0usize..8),
        sizes in prop::collection::vec(0usize..7, 40),
        by in (-3i64..4, -3i64..4),
    ) {
        let all = all();
        let (name, text) = &all[pick % all.len()];
        let text = shaken(text, &sizes);
        let a = read(&text);
        prop_assert_eq!(a.checked.errors(), 0, "{}: {:?}\n{}", name, a.diagnostics().first(), text);
        let symbols: Vec<(SymbolId, &Symbol)> = a.symbols.iter().collect();
        let (id, s) = symbols[which % symbols.len()];
        let Some((done, promise)) = edit(&a, id, s, n, by) else { return Ok(()) };
        // What cannot be done is refused with a reason.
        let Ok(changes) = done else { return Ok(()) };
        let new = made(&text, &changes)?;
        let told = || format!("{name}: edit {n} of {} `{}` by {by:?}\n{text}\n--- became\n{new}", s.kind.word(), s.name);
        prop_assert!(mayfly_lang::parser::parse(&new).errors.is_empty(), "does not parse: {}", told());
        if promise != Promise::Parses {
            let after = comments(&new);
            for c in comments(&text) {
                prop_assert!(after.contains(&c), "{} is lost: {}", c, told());
            }
        }
        let b = read(&new);
        if promise == Promise::Same {
            prop_assert_eq!(meaning(a.draft()), meaning(b.draft()), "{}", told());
        }
        // A zone that was moved is moved back.
        if (s.kind, n) == (SymbolKind::Zone, 0)
            && let Some((id, _)) = b.symbols.iter().find(|(_, t)| t.name == s.name && t.kind == s.kind && t.of == s.of)
            && let Ok(back) = facts::move_zone(&b, id, (-by.0, -by.1))
        {
            let again = made(&new, &[back])?;
            prop_assert_eq!(meaning(a.draft()), meaning(read(&again).draft()), "{}", told());
        }
    }

    /// Cells that are painted over are those cells alone; another size keeps everything in its place on the map.
    #[test]
    fn maps_are_painted_and_sized_in_whatever_text(
        pick in 0usize..1000,
        sizes in prop::collection::vec(0usize..7, 40),
        cells in prop::collection::vec((0usize..40, 0usize..16), 1..6),
        sides in (0i64..4, 0i64..4, 0i64..4, 0i64..4),
    ) {
        let all = all();
        let (name, text) = &all[pick % all.len()];
        let text = shaken(text, &sizes);
        let a = read(&text);
        let Some(map) = maps::MapText::of(&a, "main") else { return Ok(()) };
        let level = a.level().expect("it reads");
        let Some(sign) = level.tiles.first().map(|t| t.sign) else { return Ok(()) };
        let area = &level.areas[0];
        let inside: Vec<(usize, usize)> = cells.iter().map(|(x, y)| (x % area.width, y % area.height)).collect();
        let signs: Vec<((usize, usize), char)> = inside.iter().map(|c| (*c, sign)).collect();
        let change = map.paint(&text, &signs).expect("cells of the map");
        let new = made(&text, &[(0, change)])?;
        let b = read(&new);
        let painted = &b.level().expect("it reads").areas[0];
        for y in 0..area.height {
            for x in 0..area.width {
                let at = y * area.width + x;
                let want = if inside.contains(&(x, y)) { level.tiles.first().map(|_| mayfly_base::TileId::at(0)) } else { area.cells[at] };
                prop_assert_eq!(painted.cells[at], want, "({}, {}) of {}\n{}", x, y, name, new);
            }
        }
        let (left, top, right, bottom) = sides;
        let sides = maps::Sides { left, top, right, bottom };
        let Ok(sized) = maps::resize(&a, "main", sides, sign) else { return Ok(()) };
        let new = made(&text, &sized.changes)?;
        let b = read(&new);
        prop_assert_eq!(b.checked.errors(), 0, "{}: {:?}\n{}", name, b.diagnostics().first(), new);
        let (before, after) = (Laid::of(level), Laid::of(b.draft()));
        for (x, y) in before.actors.iter().zip(&after.actors) {
            let is_main = x.at.area == mayfly_base::AreaId::MAIN;
            let by = if is_main { (left as f64, top as f64) } else { (0.0, 0.0) };
            let known = sized.unsure.is_empty();
            prop_assert!(!known || (y.at.x, y.at.y) == (x.at.x + by.0, x.at.y + by.1), "{} in {}\n{}", x.name, name, new);
        }
    }
}
