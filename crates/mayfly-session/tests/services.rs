//! What an editor asks of a text, over every level there is: names lead to what they mean, and another name changes nothing
//! else.

use crate::levels::levels;
use mayfly_engine::hash::state_hash;
use mayfly_lang::analysis::{Analysis, SymbolKind};
use mayfly_lang::level::Level;
use mayfly_session::headless::{self, Order};

use mayfly_lang::services::complete::complete;
use mayfly_lang::services::outline;
use mayfly_lang::services::rename::rename;

fn alone(name: &str, text: &str) -> Analysis {
    Analysis::of(name, text, &mut |_| Err(mayfly_lang::check::LoadError::Missing))
}

fn hash(level: &Level) -> u64 {
    let f = headless::fly(level, &Order::ticks(60)).expect("it flies");
    // Names are no part of what happens: how often each rule fired and where each actor is.
    let w = f.history.live();
    let fired: u64 = w.rules.iter().fold(7, |h, r| h.wrapping_mul(31) ^ r.fired.wrapping_mul(1009) ^ r.held);
    let vars = w.vars.iter().map(|v| format!("{v:?}")).collect::<Vec<_>>().join(" ");
    let places = w.living().map(|(_, a)| format!("{:?}", a.at)).collect::<Vec<_>>().join(" ");
    let _ = state_hash(w);
    format!("{vars} {places}").bytes().fold(fired, |h, b| h.wrapping_mul(131) ^ u64::from(b))
}

#[test]
fn every_name_of_every_level_is_known() {
    let mut unknown = vec![];
    for (name, text) in levels() {
        let a = alone(&name, &text);
        for (range, word) in outline::words(&a, 0) {
            if word == outline::Word::Unknown {
                let (line, _) = a.checked.sources[0].place(range.start);
                unknown.push(format!("{name}:{line}: {} in `{}`", &text[range], a.checked.sources[0].line(line - 1)));
            }
        }
    }
    assert!(unknown.is_empty(), "{} names:\n{}", unknown.len(), unknown.join("\n"));
}

#[test]
fn another_name_changes_no_meaning() {
    let mut wrong = vec![];
    for (name, text) in levels() {
        let a = alone(&name, &text);
        let before = hash(a.level().expect("it reads"));
        for (id, s) in a.symbols.iter() {
            let other =
                if s.kind == SymbolKind::Rule { "quite another title".to_string() } else { format!("zz_{}", s.name) };
            let changes = match rename(&a, id, &other) {
                Ok(c) => c,
                Err(e) => {
                    wrong.push(format!("{name}: {} `{}`: {e}", s.kind.word(), s.name));
                    continue;
                }
            };
            let [(0, change)] = changes.as_slice() else { panic!("one file changes: {changes:?}") };
            let (after, back) = change.apply(&text).expect("it lies in the text");
            assert_eq!(back.apply(&after).expect("its inverse too").0, text);
            let b = alone(&name, &after);
            let Some(level) = b.level() else {
                wrong.push(format!(
                    "{name}: {} `{}`: {:?}",
                    s.kind.word(),
                    s.name,
                    b.diagnostics().first().map(|d| &d.message)
                ));
                continue;
            };
            if s.kind != SymbolKind::Rule && hash(level) != before && !draws(&text) {
                wrong.push(format!("{name}: {} `{}` as `{other}` means something else", s.kind.word(), s.name));
            }
            // Whatever named it names it still, and nothing else does.
            let (id2, _) = b.symbols.iter().find(|(_, t)| t.name == other).expect("the new name");
            assert_eq!(b.uses_of(id2).count(), a.uses_of(id).count(), "{name}: {}", s.name);
        }
    }
    assert!(wrong.is_empty(), "{} of them:\n{}", wrong.len(), wrong.join("\n"));
}

/// A level that draws draws from streams that are called after its rules and actors.
fn draws(text: &str) -> bool {
    ["random", "chance", "roll", "lot", "one of"].iter().any(|w| text.contains(w))
}

#[test]
fn the_word_that_stands_there_is_proposed() {
    let (mut asked, mut missing) = (0, vec![]);
    for (name, text) in levels() {
        let a = alone(&name, &text);
        for (range, word) in outline::words(&a, 0) {
            // What is declared is new; what stands in a text is not typed as code.
            if !matches!(word, outline::Word::Name(_) | outline::Word::Keyword) {
                continue;
            }
            let before = text[..range.start].rsplit('\n').next().unwrap_or("");
            if before.replace("\\\"", "").matches('"').count() % 2 == 1 || text[range.clone()].starts_with('"') {
                continue;
            }
            asked += 1;
            let word = &text[range.clone()];
            // As it is typed: with its first letter there, and without.
            for at in [range.start, range.start + word.chars().next().map_or(0, char::len_utf8)] {
                let (found, place) = complete(&a, 0, at);
                assert_eq!(place.start, range.start, "{name}: {word}");
                let there =
                    |p: &str| p == word || p.split(' ').any(|part| part == word) || p.starts_with(&format!("{word}#"));
                if !found.iter().any(|p| there(&p.text)) {
                    let (line, _) = a.checked.sources[0].place(range.start);
                    missing.push(format!(
                        "{name}:{line}: `{word}` in {}|{}",
                        before,
                        &text[range.start..].lines().next().unwrap_or("")
                    ));
                    break;
                }
            }
        }
    }
    assert!(asked > 2500, "{asked}");
    assert!(missing.is_empty(), "{} of {asked}:\n{}", missing.len(), missing.join("\n"));
}
