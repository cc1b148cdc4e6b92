//! The words of the language: where each can stand, one line about it, an example.
//!
//! Invariant: every example parses where its word stands, and holds it (a test reads them all).

/// Where a word can begin something.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Place {
    /// At the level's outside.
    Level,
    /// In a kind's braces.
    Kind,
    /// In a rule's braces.
    Rule,
    /// In a machine's braces.
    Machine,
    /// In a state's braces.
    State,
    /// After `when`, without anybody before it.
    Event,
    /// After whoever an event is about.
    Verb,
    /// A statement.
    Action,
    /// A value: functions and what begins one.
    Value,
    /// After a value: how it is asked.
    Test,
    /// After a type's colon.
    Type,
}

/// A word of the language.
#[derive(Clone, Copy, Debug)]
pub struct WordInfo {
    pub place: Place,
    pub word: &'static str,
    pub about: &'static str,
    pub example: &'static str,
}

const fn w(place: Place, word: &'static str, about: &'static str, example: &'static str) -> WordInfo {
    WordInfo { place, word, about, example }
}

use Place as P;

/// All of them, by place.
pub const WORDS: &[WordInfo] = &[
    w(P::Level, "level", "the level's title, its ticks a second, its seed, its edges", "level \"Weir\" { rate 20; seed 7 }"),
    w(P::Level, "tiles", "what a sign of the map is: its name, solid, opaque, its tags", "tiles { 'H' piles solid opaque }"),
    w(P::Level, "map", "the main map, a sign a cell", "map \"\"\"\nHHHH\n\"\"\""),
    w(P::Level, "area", "a further map", "area cellar map \"\"\"\n##\n\"\"\""),
    w(P::Level, "use", "another file of this level", "use \"wheels.may\""),
    w(P::Level, "private", "keeps a declaration to its file", "private var n = 0"),
    w(P::Level, "enum", "a type with named values", "enum mood { calm, wary }"),
    w(P::Level, "tag", "a mark that actors and tiles carry", "tag floats"),
    w(P::Level, "const", "a value that never changes", "const lamp_goal = 5"),
    w(P::Level, "var", "a variable of the level", "var warmth = 100 within 0 to 100"),
    w(P::Level, "keep", "before `var`: kept between runs", "keep var best = 0"),
    w(P::Level, "define", "a value computed from others", "define late = warmth < 20"),
    w(P::Level, "table", "values with weights, drawn by `roll`", "table catch: fish { eel 9; perch 4 }"),
    w(P::Level, "records", "rows of constants", "records wave(amount: number) { (8); (3) }"),
    w(P::Level, "message", "what rules send and hear", "message bell(pitch: number)"),
    w(P::Level, "input", "a key that a steered actor can press", "input wind = \"e\""),
    w(P::Level, "timer", "counts down once started", "timer flood = 30s"),
    w(P::Level, "clock", "units that carry, such as hours and days", "clock tide { minute 60; hour 24; speed 1 minute per 500ms }"),
    w(P::Level, "path", "points to walk along", "path rounds = (0, 0) (4, 0) loop"),
    w(P::Level, "kind", "what actors of one sort share", "kind lamp { var lit = false }"),
    w(P::Level, "place", "puts actors on the map", "place keeper: person at (2, 1)"),
    w(P::Level, "zone", "cells that notice who is in them", "zone jetty = rect (2, 1) 3 x 2 for person"),
    w(P::Level, "rule", "when something happens, if it is so, then do", "rule \"ring\" { when start; then { cue \"bell\" } }"),
    w(P::Level, "first of", "rules of which at most one fires for one event", "first of \"greetings\" { rule \"a\" { when start; then { log 1 } } }"),
    w(P::Level, "routine", "shared actions, or a shared computation", "routine haul(n: number) -> number { return n * 2 }"),
    w(P::Level, "machine", "states, and what leads from one to another", "machine gate for sluice { start shut; state shut { to open after 2s } state open { } }"),
    w(P::Kind, "var", "a variable that each of them has", "var oil = 3"),
    w(P::Kind, "keep", "before `var`: kept between runs, by the placed one's name", "keep var visits = 0"),
    w(P::Kind, "define", "a value computed for each of them", "define tired = self.visits > 9"),
    w(P::Kind, "tags", "marks that each of them has", "tags floats"),
    w(P::Kind, "zone", "a zone that moves with each of them", "zone glow = disc 3"),
    w(P::Kind, "rule", "a rule of each of them; `self` is the one", "rule \"drip\" { when every 1s; then { self.oil -= 1 } }"),
    w(P::Kind, "machine", "a machine that each of them has", "machine mood { start calm; state calm { } }"),
    w(P::Kind, "steered", "can be driven by keys", "steered"),
    w(P::Kind, "look", "its sign and its colour", "look \"◉\" amber"),
    w(P::Kind, "colour", "its colour", "colour amber"),
    w(P::Kind, "speed", "cells a second", "speed 6"),
    w(P::Kind, "size", "its width and height in cells", "size (2, 1)"),
    w(P::Kind, "solid", "stops others", "solid"),
    w(P::Kind, "opaque", "hides what is behind it", "opaque"),
    w(P::Kind, "visible", "can be seen", "visible false"),
    w(P::Kind, "tangible", "touches and is stopped", "tangible false"),
    w(P::Kind, "enabled", "is there at all", "enabled false"),
    w(P::Kind, "sight", "what it sees: a wedge, cells, or all round", "sight wedge 90 reach 6"),
    w(P::Kind, "passes", "tiles, kinds and tags that do not stop it", "passes water"),
    w(P::Kind, "carries", "whom it takes along", "carries person"),
    w(P::Kind, "falls", "cells a second at which it sinks", "falls 9"),
    w(P::Rule, "when", "the event that starts it", "when person enters jetty"),
    w(P::Rule, "if", "a clause that must be true", "if lamps_lit > 0"),
    w(P::Rule, "then", "what it does", "then { n += 1 }"),
    w(P::Rule, "else", "what it does where a clause is false", "else { tell \"Dark.\" }"),
    w(P::Rule, "once", "fires once, ever or for each", "once per lamp"),
    w(P::Rule, "keep once", "fires once over all runs", "keep once"),
    w(P::Rule, "at most", "fires so many times", "at most 3"),
    w(P::Rule, "cooldown", "rests after it fired", "cooldown 500ms per lamp"),
    w(P::Rule, "while", "asleep where this is false", "while lamps_lit < 3"),
    w(P::Rule, "off", "asleep until it is enabled", "off"),
    w(P::Rule, "priority", "before rules of a lower number", "priority 2"),
    w(P::Rule, "again", "what an event does while it still runs: skip, anew, later, beside", "again later"),
    w(P::Machine, "start", "the state in which it begins", "start shut"),
    w(P::Machine, "state", "a state, and what it does", "state shut { to open after 2s }"),
    w(P::Machine, "needs", "a variable that its kind must have", "needs silted: flag"),
    w(P::Machine, "wherever", "transitions out of every state", "wherever { to shut when hears alarm }"),
    w(P::State, "to", "a transition to another state", "to open when person presses wind"),
    w(P::State, "enter", "what it does as it is entered", "enter { cue \"thud\" }"),
    w(P::State, "leave", "what it does as it is left", "leave { log \"up\" }"),
    w(P::State, "loop", "what it does over and over while it lasts", "loop { tell \"Roaring.\"; wait 5s }"),
    w(P::State, "start", "the inner state in which it begins", "start still"),
    w(P::State, "state", "an inner state", "state still { }"),
    w(P::State, "rule", "a rule that is awake while it lasts", "rule \"count\" { when every 1s; then { n += 1 } }"),
    w(P::Event, "start", "once, in tick 0", "start"),
    w(P::Event, "tick", "in every tick", "tick"),
    w(P::Event, "every", "again and again", "every 500ms"),
    w(P::Event, "after", "once, so long after the start", "after 3s"),
    w(P::Event, "hears", "a message was sent", "hears bell(p)"),
    w(P::Verb, "enters", "comes into a zone, or a machine into a state", "enters jetty"),
    w(P::Verb, "leaves", "goes out of a zone, or a machine of a state", "leaves jetty"),
    w(P::Verb, "in", "is in a zone, every so often", "in jetty every 1s"),
    w(P::Verb, "moves in", "moves while it is in a zone", "moves in jetty"),
    w(P::Verb, "touches", "comes into contact with another", "touches wheel"),
    w(P::Verb, "parts from", "is no longer in contact", "parts from wheel"),
    w(P::Verb, "touching", "is in contact, every so often", "touching wheel every 1s"),
    w(P::Verb, "nears", "comes near another", "nears wheel within 3"),
    w(P::Verb, "strays from", "goes far from another", "strays from wheel beyond 4"),
    w(P::Verb, "near", "is near another, every so often", "near wheel within 3 every 1s"),
    w(P::Verb, "sees", "begins to see another", "sees person"),
    w(P::Verb, "loses", "no longer sees another", "loses person"),
    w(P::Verb, "seeing", "sees another, every so often", "seeing person every 1s"),
    w(P::Verb, "presses", "a key is pressed", "presses wind"),
    w(P::Verb, "pressing", "a key is held, every so often", "pressing wind every 1s"),
    w(P::Verb, "bumps", "is stopped on its way", "bumps wheel"),
    w(P::Verb, "treads", "its centre comes to a cell of a tile or a tag", "treads reeds"),
    w(P::Verb, "arrives", "comes to the end of its way", "arrives"),
    w(P::Verb, "arrives at", "comes to a point of its way", "arrives at (4, 0)"),
    w(P::Verb, "is stuck", "finds no way", "is stuck"),
    w(P::Verb, "comes to", "comes into an area", "comes to cellar"),
    w(P::Verb, "spawns", "one is made", "spawns"),
    w(P::Verb, "is removed", "one is removed", "is removed"),
    w(P::Verb, "changes", "a value is another than before", "changes"),
    w(P::Verb, "turns true", "a test is true and was not", "turns true"),
    w(P::Verb, "reaches", "a number comes to this or more", "reaches 5"),
    w(P::Verb, "drops to", "a number comes to this or less", "drops to 0"),
    w(P::Verb, "ends", "a timer runs out", "ends"),
    w(P::Verb, "passes", "a clock comes to a unit's next value", "passes hour 6"),
    w(P::Action, "let", "a local name for a value", "let m = 3"),
    w(P::Action, "if", "does one thing or another", "if n > 3 { n = 3 } else { n = 1 }"),
    w(P::Action, "match", "one of several blocks, by a value", "match n { 1, 2 => { n = 1 } else => { n = 9 } }"),
    w(P::Action, "for", "for each of a list, or of a range", "for l in all lamp { l.lit = true }"),
    w(P::Action, "while", "as long as something is true", "while n < 20 { n += 1 }"),
    w(P::Action, "repeat", "so many times", "repeat 3 { n += 1 }"),
    w(P::Action, "lot", "one of several blocks, by weight", "lot { 6 => { n = 6 } 1 => { n = 1 } }"),
    w(P::Action, "break", "ends the loop", "break"),
    w(P::Action, "continue", "goes to the loop's next round", "continue"),
    w(P::Action, "return", "ends the routine or the rule", "return"),
    w(P::Action, "send", "sends a message, now or later", "send bell(3) after 1s"),
    w(P::Action, "start", "starts a timer", "start flood for 5s"),
    w(P::Action, "stop", "stops a timer", "stop flood"),
    w(P::Action, "pause", "pauses a timer or a clock", "pause flood"),
    w(P::Action, "resume", "goes on with a timer or a clock", "resume flood"),
    w(P::Action, "advance", "moves a clock on", "advance tide by 2 hour"),
    w(P::Action, "set", "sets a clock", "set tide to hour 6"),
    w(P::Action, "spawn", "makes an actor", "spawn crate at (3, 4) as c { weight = 2 }"),
    w(P::Action, "remove", "takes an actor out", "remove c"),
    w(P::Action, "move", "puts an actor somewhere", "move c to (4, 4)"),
    w(P::Action, "push", "moves an actor by so much, as far as it can", "push c by (1, 0)"),
    w(P::Action, "slide", "moves an actor over time", "slide keeper to (3, 0) over 1s"),
    w(P::Action, "walk", "orders an actor to walk", "walk keeper to (3, 1) and wait"),
    w(P::Action, "halt", "ends an order to walk", "halt keeper"),
    w(P::Action, "face", "turns an actor", "face c west"),
    w(P::Action, "ramp", "moves a number to a goal over time", "ramp n to 40 over 2.4s"),
    w(P::Action, "tag", "gives a mark", "tag c as floats"),
    w(P::Action, "untag", "takes a mark", "untag c as floats"),
    w(P::Action, "show", "makes visible", "show c"),
    w(P::Action, "hide", "makes invisible", "hide c"),
    w(P::Action, "enable", "switches an actor, a zone or a rule on", "enable rule \"a\""),
    w(P::Action, "disable", "switches an actor, a zone or a rule off", "disable c"),
    w(P::Action, "freeze", "keys move it no more", "freeze keeper"),
    w(P::Action, "unfreeze", "keys move it again", "unfreeze keeper"),
    w(P::Action, "checkpoint", "remembers where an actor is", "checkpoint keeper"),
    w(P::Action, "recall", "puts it back there", "recall keeper"),
    w(P::Action, "reset", "makes an actor as at first", "reset keeper"),
    w(P::Action, "lay", "lays a tile", "lay piles at (4, 1)"),
    w(P::Action, "tell", "a line for the player", "tell \"Bring oil.\""),
    w(P::Action, "cue", "names a sound or an effect", "cue \"bell\""),
    w(P::Action, "log", "a line for the designer", "log n"),
    w(P::Action, "prompt", "a line over an actor, while a test is true", "prompt \"Wind it\" on keeper while n > 0"),
    w(P::Action, "board", "a line on the screen, while a test is true", "board \"n is {n}\" while n > 0"),
    w(P::Action, "wait", "goes on later", "wait 2s"),
    w(P::Action, "wait until", "goes on when a test is true", "wait until n >= 40 for at most 5s"),
    w(P::Action, "wait for", "goes on at an event", "wait for flood ends for at most 1s"),
    w(P::Action, "meanwhile", "does something beside the rest", "meanwhile { wait 500ms; log \"beside\" }"),
    w(P::Action, "go", "sends a machine to a state", "go gate to shut"),
    w(P::Action, "save", "writes what is kept", "save"),
    w(P::Action, "win", "the run is won", "win \"The weir held.\""),
    w(P::Action, "lose", "the run is lost", "lose \"Flooded.\""),
    w(P::Action, "restart", "everything begins again", "restart"),
    w(P::Value, "all", "the list of all of a kind", "all lamp"),
    w(P::Value, "count", "how many of a kind", "count(lamp where lamp.lit)"),
    w(P::Value, "some", "whether there is one", "some(lamp where lamp.lit)"),
    w(P::Value, "every", "whether all are so", "every(lamp where lamp.lit)"),
    w(P::Value, "sum", "the sum of a number over all of a kind", "sum(lamp: lamp.oil)"),
    w(P::Value, "nearest", "the nearest of a kind, or none", "nearest(lamp to keeper)"),
    w(P::Value, "random", "a number by chance", "random(1, 6)"),
    w(P::Value, "chance", "true so often", "chance(20%)"),
    w(P::Value, "roll", "a value of a table, by weight", "roll(catch)"),
    w(P::Value, "distance", "how far two are from each other", "distance(keeper, wheel)"),
    w(P::Value, "min", "the smaller", "min(a, b)"),
    w(P::Value, "max", "the larger", "max(a, b)"),
    w(P::Value, "floor", "rounded down", "floor(a)"),
    w(P::Value, "len", "how many are in a list, or letters in a text", "len(list)"),
    w(P::Value, "first", "the value with which a variable began", "first(n)"),
    w(P::Value, "tile_at", "the tile at a point, or none", "tile_at((1, 1))"),
    w(P::Value, "not", "the opposite", "not lit"),
    w(P::Value, "time", "how long it has run", "time"),
    w(P::Value, "tick", "the number of this tick", "tick"),
    w(P::Value, "true", "a flag that is set", "true"),
    w(P::Value, "false", "a flag that is not set", "false"),
    w(P::Value, "none", "no value at all", "none"),
    w(P::Test, "and", "both must be true", "a and b"),
    w(P::Test, "or", "one must be true", "a or b"),
    w(P::Test, "is", "is of a kind, or a machine in a state", "gate is open"),
    w(P::Test, "has been", "a machine is in a state for so long", "gate has been open for 3s"),
    w(P::Test, "exists", "there is one", "who exists"),
    w(P::Test, "between", "lies between two", "n between 3 and 8"),
    w(P::Test, "in", "is in a zone or a list", "keeper in jetty"),
    w(P::Test, "has", "a set, a list or a tally holds it", "bag has \"wick\""),
    w(P::Test, "near", "is near another", "keeper near wheel within 3"),
    w(P::Test, "touching", "is in contact with another", "keeper touching wheel"),
    w(P::Test, "sees", "sees another, or a point", "heron sees keeper"),
    w(P::Test, "facing", "looks at another, or in a direction", "keeper facing north"),
    w(P::Test, "tagged", "carries a mark", "crate tagged floats"),
    w(P::Test, "pressing", "holds a key", "keeper pressing wind"),
    w(P::Test, "behind", "stands behind another", "keeper behind wheel"),
    w(P::Test, "covers", "a zone lies over a point", "jetty covers (2, 1)"),
    w(P::Test, "mod", "the remainder", "n mod 3"),
    w(P::Type, "number", "a number", "number"),
    w(P::Type, "flag", "true or false", "flag"),
    w(P::Type, "text", "words", "text"),
    w(P::Type, "duration", "a length of time", "duration"),
    w(P::Type, "point", "a place", "point"),
    w(P::Type, "direction", "north, east, south or west", "direction"),
    w(P::Type, "actor", "any actor", "actor"),
    w(P::Type, "zone", "a zone", "zone"),
    w(P::Type, "list of", "several in order", "list of number"),
    w(P::Type, "set of", "several, each once", "set of text"),
    w(P::Type, "tally of", "how many of each", "tally of fish"),
    w(P::Type, "table of", "values with weights", "table of fish"),
];

/// The words that can stand at a place.
pub fn at(place: Place) -> impl Iterator<Item = &'static WordInfo> {
    WORDS.iter().filter(move |w| w.place == place)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::parser;

    #[test]
    fn every_example_parses_where_its_word_stands() {
        for w in WORDS {
            let e = w.example;
            let text = match w.place {
                P::Level => e.to_string(),
                P::Kind => format!("kind k {{ {e} }}"),
                P::Rule => format!("rule \"r\" {{ {e} }}"),
                P::Machine => format!("machine m {{ {e} }}"),
                P::State => format!("machine m {{ state s {{ {e} }} }}"),
                P::Event => format!("rule \"r\" {{ when {e} }}"),
                P::Verb if matches!(w.word, "reaches" | "drops to") => format!("rule \"r\" {{ when n {e} }}"),
                P::Verb => format!("rule \"r\" {{ when person {e} }}"),
                P::Action => format!("rule \"r\" {{ then {{ {e} }} }}"),
                P::Value | P::Test => format!("define d = {e}"),
                P::Type => format!("routine r(a: {e}) {{ }}"),
            };
            let errors = parser::parse(&text).errors;
            assert!(errors.is_empty(), "{text}: {errors:?}");
            assert!(e.contains(w.word), "{} is not in {e}", w.word);
            assert!(w.about.len() < 80, "{} is told too long", w.word);
        }
    }
}
