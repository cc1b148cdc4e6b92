//! One mistake, one error: every level that there is, with one name misspelt, or one word left out, doubled or put in.

use crate::levels::levels;
use mayfly_lang::analysis::Analysis;
use mayfly_lang::check;
use mayfly_lang::diagnostic::Severity;
use mayfly_lang::lexer;

/// The errors of a text, each with its line.
fn errors(text: &str) -> Vec<String> {
    let c = check::check("t.may", text);
    let all = c.diagnostics.iter().filter(|d| d.severity == Severity::Error);
    all.map(|d| format!("line {}: {}", d.place(&c.sources).0, d.message)).collect()
}

/// More of them where `MAYFLY_MISTAKES` says of how many one is tried: 1 for all.
fn one_of(n: usize) -> usize {
    std::env::var("MAYFLY_MISTAKES").ok().and_then(|n| n.parse().ok()).unwrap_or(n)
}

#[test]
fn a_name_that_is_misspelt_is_one_error() {
    let (mut tried, mut wrong) = (0, vec![]);
    for (name, text) in levels() {
        let a = Analysis::of("t.may", &text, &mut |_| Err(mayfly_lang::check::LoadError::Missing));
        let is_name = |t: &str| t.chars().all(|c| c.is_alphanumeric() || c == '_');
        let uses = a.uses().iter().filter(|u| !u.declares && is_name(&text[u.at.range()]));
        for u in uses.step_by(one_of(1)) {
            let mut other = text.clone();
            other.insert_str(u.at.end as usize, "xq");
            let told = errors(&other);
            tried += 1;
            if told.len() != 1 {
                wrong.push(format!("{name}: `{}xq`: {told:?}", &text[u.at.range()]));
            }
        }
    }
    assert!(tried > 900, "{tried}");
    assert!(wrong.is_empty(), "{} of {tried}:\n{}", wrong.len(), wrong.join("\n"));
}

#[test]
fn a_word_too_few_or_too_many_is_seldom_more_than_one_error() {
    let (mut tried, mut wrong) = (0, vec![]);
    for (name, text) in levels() {
        let tokens = lexer::lex(&text);
        for (i, t) in tokens.iter().filter(|t| !t.kind.is_trivia()).enumerate().step_by(one_of(7)) {
            let word = &text[t.start..t.end];
            let instead = [String::new(), format!("{word} {word}"), format!("{word} zz")][i % 3].clone();
            let told = errors(&format!("{}{instead}{}", &text[..t.start], &text[t.end..]));
            tried += 1;
            if told.len() > 1 {
                wrong.push(format!("{name}: `{word}` became `{instead}`: {told:?}"));
            }
        }
    }
    assert!(tried > 1000, "{tried}");
    // What is left means something else altogether, such as a name that has grown together with the next word.
    let share = wrong.len() as f64 / f64::from(tried);
    assert!(share < 0.005, "{} of {tried}:\n{}", wrong.len(), wrong.join("\n"));
}
