//! Actions that have parts with words of their own.

use super::forms;
use crate::syntax::Node;

forms! {
    /// `tell TEXT [to WHO] [from WHO]`
    Tell = STMT "tell" {
        /// Who hears it.
        to: value "to" -> Option<Node>,
        /// Who says it.
        from: value "from" -> Option<Node>,
    }
    /// `prompt TEXT [on WHO] [while TEST] [for D]`
    Prompt = STMT "prompt" {
        /// Over whom it stands.
        on: value "on" -> Option<Node>,
        /// It stands while that is true.
        sustain: value "while" -> Option<Node>,
        /// How long it stands.
        lasts: value "for" -> Option<Node>,
    }
    /// `board TEXT [while TEST]`
    Board = STMT "board" {
        /// It stands while that is true.
        sustain: value "while" -> Option<Node>,
    }
    /// `tag WHO as TAG`, `untag WHO as TAG`
    Tag = STMT "tag" "untag" {
        /// The tag.
        tag: value "as" -> Option<Node>,
    }
    /// `push WHO by POINT`
    Push = STMT "push" {
        /// How far.
        by: value "by" -> Option<Node>,
    }
    /// `move WHO to POINT`
    Move = STMT "move" {
        /// Where to.
        to: value "to" -> Option<Node>,
    }
    /// `face WHO DIRECTION`, `face WHO to POINT`
    Face = STMT "face" {
        /// What it looks at.
        to: value "to" -> Option<Node>,
    }
    /// `start TIMER [for D]`
    StartTimer = STMT "start" {
        /// How long, where not as declared.
        lasts: value "for" -> Option<Node>,
    }
    /// `go MACHINE to STATE`
    Go = STMT "go" {
        /// The state.
        to: value "to" -> Option<Node>,
    }
    /// `lay TILE at POINT`
    Lay = STMT "lay" {
        /// The cell.
        at: value "at" -> Option<Node>,
    }
    /// `wait D`, `wait until TEST [for at most D]`, `wait for EVENT [for at most D]`
    Wait = STMT "wait" {
        /// What is waited for.
        until: value "until" -> Option<Node>,
        /// The time behind `for at most`, of a test.
        at_most: value "for" -> Option<Node>,
        /// `for` and what follows, whole.
        for_part: part "for" -> Option<Node>,
    }
    /// `walk WHO to POINT | along PATH | after WHO | away from WHO …`
    Walk = STMT "walk" {
        /// Where to.
        to: value "to" -> Option<Node>,
        /// Along which path.
        along: value "along" -> Option<Node>,
        /// After whom.
        after: value "after" -> Option<Node>,
        /// Away from whom.
        away: value "away" -> Option<Node>,
        /// How fast, in cells a second.
        speed: value "at" -> Option<Node>,
        /// How long at most.
        lasts: value "for" -> Option<Node>,
        /// `from nearest`: it begins at the path's nearest point.
        from_nearest: has "from" -> bool,
        /// It takes the straight line.
        straight: flag "straight" -> bool,
        /// `and wait`
        and_wait: has "and" -> bool,
    }
    /// `ramp PLACE to VALUE over D | at SPEED …`, and `slide`
    Ramp = STMT "ramp" "slide" {
        /// Its last value.
        to: value "to" -> Option<Node>,
        /// How long it takes.
        over: value "over" -> Option<Node>,
        /// How fast, a second.
        speed: value "at" -> Option<Node>,
        /// It begins and ends slowly.
        smooth: flag "smooth" -> bool,
        /// `and wait`
        and_wait: has "and" -> bool,
    }
    /// `send MESSAGE [to WHO] [after D]`
    Send = STMT "send" {
        /// Who hears it.
        to: value "to" -> Option<Node>,
        /// How long later.
        after: value "after" -> Option<Node>,
    }
    /// `spawn KIND at POINT [as NAME] { … }`
    Spawn = STMT "spawn" {
        /// Where.
        at: value "at" -> Option<Node>,
    }
    /// `for NAME in VALUES [where TEST] { … }`
    For = FOR_STMT {
        /// Which of them.
        test: value "where" -> Option<Node>,
    }
}
