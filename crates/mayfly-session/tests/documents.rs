//! Changes of a level's texts: undone whatever came between, kept over changes on the disk, found again in the journal.

use mayfly_lang::edit::{Change, TextEdit};
use mayfly_session::documents::{Documents, FromDisk, Group};
use mayfly_session::journal;
use proptest::prelude::*;

const TEXT: &str = "level \"Weir\" {}\nvar a = 0\nvar b = 0\r\n// the boards é\nvar c = 0\n";

fn two() -> Documents {
    Documents::new([("weir.may", TEXT), ("parts.may", "var d = 1\n")])
}

fn floor(text: &str, at: usize) -> usize {
    (0..=at.min(text.len())).rev().find(|i| text.is_char_boundary(*i)).unwrap_or(0)
}

fn replace(d: &Documents, file: usize, old: &str, new: &str) -> Change {
    let text = d.file(file).expect("a file").text();
    let at = text.find(old).unwrap_or_else(|| panic!("`{old}` is not in {text:?}"));
    Change::one(TextEdit { range: at..at + old.len(), text: new.into() })
}

fn edit(d: &mut Documents, file: usize, old: &str, new: &str) {
    let change = replace(d, file, old, new);
    d.change(&[(file, change)], "edit", Group::Alone).expect("it fits");
}

#[test]
fn letters_are_undone_together_and_one_history_holds_all_files() {
    let mut d = two();
    for (i, c) in "xyz".chars().enumerate() {
        d.change(&[(0, Change::one(TextEdit::insert(i, c)))], "typing", Group::Typed).expect("it fits");
    }
    d.part();
    d.change(&[(0, Change::one(TextEdit::insert(3, "!")))], "typing", Group::Typed).expect("it fits");
    let both = [(0, replace(&d, 0, "var a", "var first")), (1, replace(&d, 1, "var d", "var fourth"))];
    d.change(&both, "rename", Group::Alone).expect("it fits");
    assert_eq!(d.labels(), (Some("rename"), None));
    d.undo();
    assert_eq!(d.file(1).expect("a file").text(), "var d = 1\n");
    d.undo();
    assert!(d.file(0).expect("a file").text().starts_with("xyzlevel"));
    d.undo();
    assert_eq!(d.file(0).expect("a file").text(), TEXT);
    assert!(d.undo().is_none() && !d.is_changed());
    d.redo();
    d.redo();
    assert_eq!(d.redo().expect("undone").0, "rename");
    assert_eq!(d.file(1).expect("a file").text(), "var fourth = 1\n");
}

#[test]
fn a_change_on_the_disk_is_taken_in_where_nothing_stands_against_it() {
    let mut d = two();
    edit(&mut d, 0, "var a = 0", "var a = 5");
    let mine = d.file(0).expect("a file").text().to_string();
    d.was_saved(0, &mine);
    // What was just saved is no news; what another wrote below it is taken in, and one's own change is still undone.
    assert_eq!(d.found_on_disk("weir.may", &mine), FromDisk::Known);
    assert_eq!(d.found_on_disk("weir.may", &mine.replace("var c = 0", "var c = 9")), FromDisk::Taken);
    d.undo();
    assert_eq!(d.file(0).expect("a file").text(), TEXT.replace("var c = 0", "var c = 9"));
    d.redo();
    // Where both touch one place the history ends there, and what came later stays.
    edit(&mut d, 0, "var b = 0", "var b = 1");
    let now = d.file(0).expect("a file").text().to_string();
    d.was_saved(0, &now);
    assert_eq!(d.found_on_disk("weir.may", &now.replace("var a = 5", "var a = 7")), FromDisk::Taken);
    d.undo();
    assert!(d.file(0).expect("a file").text().contains("var b = 0\r\n"));
    assert!(d.undo().is_none());
    // Edits that are not saved are never written over without a word.
    edit(&mut d, 0, "var c = 9", "var c = 10");
    let own = d.file(0).expect("a file").text().to_string();
    assert_eq!(d.found_on_disk("weir.may", "var other = 1\n"), FromDisk::Asks);
    assert_eq!(d.file(0).expect("a file").text(), own);
    d.take_in(0, "var other = 1\n");
    assert!(!d.file(0).expect("a file").is_changed());
}

#[test]
fn a_journal_that_was_cut_off_anywhere_gives_the_last_whole_text() {
    let mut d = two();
    let mut written = String::new();
    let mut texts = vec![(0, TEXT.to_string())];
    for (old, new) in [("var a", "var ä"), ("0\r\n", "1\r\n"), ("level", "\"\n"), ("boards é", "")] {
        edit(&mut d, 0, old, new);
        written.push_str(&d.take_journal());
        texts.push((written.len(), d.file(0).expect("a file").text().to_string()));
    }
    d.undo();
    written.push_str(&d.take_journal());
    texts.push((written.len(), d.file(0).expect("a file").text().to_string()));
    for cut in (0..=written.len()).filter(|i| written.is_char_boundary(*i)) {
        let found = journal::read(&written[..cut]);
        let whole = texts.iter().rev().find(|(at, _)| *at <= cut).map(|(_, t)| t.as_str());
        if let Some((name, text)) = found.first() {
            assert_eq!((name.as_str(), Some(text.as_str())), ("weir.may", whole), "cut at {cut}");
        }
    }
    // When all is saved nothing is left to write; the next change begins with the text again.
    let now = d.file(0).expect("a file").text().to_string();
    d.was_saved(0, &now);
    assert_eq!(d.take_journal(), "");
    edit(&mut d, 1, "1", "2");
    assert_eq!(journal::read(&d.take_journal()), [("parts.may".to_string(), "var d = 2\n".to_string())]);
    for broken in [
        "{}\n",
        "x\n",
        "{\"file\":\"a\",\"edits\":[[5,1,\"\"]]}\n",
        "{\"file\":\"a\",\"base\":\"x\"}\n{\"file\":\"a\",\"edits\":[[5,9,\"\"]]}\n",
    ] {
        assert!(journal::read(broken).iter().all(|(_, t)| t == "x"), "{broken}");
    }
}

proptest! {
    /// Any changes, saves and changes of others in any order: undoing all gives the first text where nobody else wrote,
    /// redoing all the last; the journal leads to the text as it is.
    #[test]
    fn undoing_all_gives_the_first_text(
        deeds in prop::collection::vec((0usize..60, 0usize..6, "[a-zé\n]{0,4}", 0u8..10), 1..30),
    ) {
        let mut d = two();
        let mut written = String::new();
        let mut others = false;
        for (at, len, text, what) in deeds {
            let now = d.file(0).expect("a file").text().to_string();
            match what {
                0 => {
                    d.was_saved(0, &now);
                    written.clear();
                }
                1 => {
                    let at = floor(&now, at);
                    let theirs = format!("{}{text}{}", &now[..at], &now[at..]);
                    if !d.file(0).expect("a file").is_changed() && d.found_on_disk("weir.may", &theirs) == FromDisk::Taken {
                        others = true;
                        prop_assert_eq!(d.file(0).expect("a file").text(), theirs);
                    }
                }
                2 => drop(d.undo()),
                3 => drop(d.redo()),
                _ => {
                    let (from, to) = (floor(&now, at), floor(&now, at + len));
                    let group = if what > 6 { Group::Typed } else { Group::Alone };
                    let change = Change::one(TextEdit { range: from..to, text });
                    d.change(&[(0, change)], "typing", group).expect("it fits");
                }
            }
            written.push_str(&d.take_journal());
            let found = journal::read(&written);
            let text = d.file(0).expect("a file").text().to_string();
            prop_assert!(found.iter().all(|(n, t)| n != "weir.may" || *t == text));
            prop_assert_eq!(d.file(0).expect("a file").lines.lines(), text.matches('\n').count() + 1);
        }
        let last = d.file(0).expect("a file").text().to_string();
        let mut n = 0;
        while d.undo().is_some() {
            n += 1;
        }
        if !others {
            prop_assert_eq!(d.file(0).expect("a file").text(), TEXT);
        }
        while n > 0 && d.redo().is_some() {
            n -= 1;
        }
        prop_assert_eq!(d.file(0).expect("a file").text(), last);
    }
}
