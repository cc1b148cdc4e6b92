//! Which keys a command has: those of the table, or those that a person gave it in their settings.
//!
//! Invariant: a key that was given to one command is no other's, except where two can never both be
//! used, as the table has it.

use crate::command::{Command, Row, TABLE};
use crate::refused::KeyError;
use std::collections::BTreeMap;

/// Names that commands had before: settings with them still read.
const OLD_NAMES: &[(&str, &str)] = &[
    ("finer gear", "smaller steps"),
    ("coarser gear", "larger steps"),
    ("next doing", "next occurrence"),
    ("previous doing", "previous occurrence"),
    ("stop mark", "stop"),
    ("stop marks", "stops"),
    ("fly anew", "start over"),
    ("other course", "last branch"),
    ("courses", "branches"),
    ("name this course", "name this branch"),
    ("its text", "source"),
    ("leave", "quit"),
    ("let go", "close"),
];

/// Keys of a person's own, by the command's name.
#[derive(Clone, Debug, Default)]
pub struct Keys {
    own: BTreeMap<&'static str, Vec<String>>,
}

impl Keys {
    /// Takes a person's keys over.
    ///
    /// # Errors
    /// A command that does not exist, no key at all, or a key that another command has.
    pub fn read(wanted: &BTreeMap<String, Vec<String>>) -> Result<Self, KeyError> {
        let mut own = BTreeMap::new();
        for (name, keys) in wanted {
            let name = OLD_NAMES.iter().find(|(old, _)| old == name).map_or(name.as_str(), |(_, new)| *new);
            let Some(row) = TABLE.iter().find(|r| r.name == name) else {
                let near = mayfly_lang::near::nearest(name, TABLE.iter().map(|r| r.name));
                return Err(KeyError::NoCommand { name: name.into(), near });
            };
            if keys.is_empty() {
                return Err(KeyError::NoKey(name.into()));
            }
            own.insert(row.name, keys.clone());
        }
        let keys = Self { own };
        for (i, r) in TABLE.iter().enumerate() {
            for k in keys.of(r) {
                let changed = |r: &Row| keys.own.contains_key(r.name);
                // Two commands of two views may have one key.
                let meets = |o: &&Row| o.views.iter().any(|v| r.views.contains(v));
                let has = |o: &&Row| keys.of(o).contains(&k) && (changed(r) || changed(o));
                let other = TABLE[i + 1..].iter().filter(meets).find(has);
                if let Some(o) = other {
                    return Err(KeyError::Shared { key: k.into(), first: r.name, second: o.name });
                }
            }
        }
        Ok(keys)
    }

    /// The first key of a command, for a line that names it.
    pub fn of_command(&self, command: Command) -> String {
        let row = TABLE.iter().find(|r| r.command == command);
        row.and_then(|r| self.of(r).first().map(|k| (*k).to_string())).unwrap_or_default()
    }

    /// True where a row has that key.
    pub fn has(&self, row: &Row, key: &str) -> bool {
        match self.own.get(row.name) {
            Some(keys) => keys.iter().any(|k| k == key),
            None => row.keys.contains(&key),
        }
    }

    /// The keys of a row, the first of them for the footer.
    pub fn of<'k>(&'k self, row: &Row) -> Vec<&'k str> {
        match self.own.get(row.name) {
            Some(keys) => keys.iter().map(String::as_str).collect(),
            None => row.keys.to_vec(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(name: &str, keys: &[&str]) -> Result<Keys, KeyError> {
        Keys::read(&BTreeMap::from([(name.to_string(), keys.iter().map(|k| k.to_string()).collect())]))
    }

    #[test]
    fn a_key_is_taken_over_or_refused_with_the_reason() {
        let keys = read("step forward", &["j", "F11"]).expect("free keys");
        let row = TABLE.iter().find(|r| r.name == "step forward").expect("a command");
        assert_eq!(keys.of(row), ["j", "F11"]);
        assert_eq!(
            read("step forwards", &["j"]).expect_err("no such").to_string(),
            "there is no command `step forwards`; did you mean `step forward`?"
        );
        assert_eq!(
            read("step back", &["n"]).expect_err("taken").to_string(),
            "`n` is the key of `step forward` and of `step back`"
        );
        assert_eq!(read("why", &[]).expect_err("none").to_string(), "`why` must have a key");
    }
}
