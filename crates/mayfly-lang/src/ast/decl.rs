//! Declarations, and the rows inside them.

use super::{AstNode, forms};
use crate::syntax::Node;

forms! {
    /// `kind NAME [like KIND | of zone] { … }`
    KindDecl = KIND_DECL {
        /// The kind from which it derives.
        like: value "like" -> Option<Node>,
        /// `zone`, where zones are of it.
        of: value "of" -> Option<Node>,
    }
    /// `place [NAME:] KIND [in AREA] at POINT, … [facing D] { … }`
    PlaceDecl = PLACE_DECL {
        /// Where they stand.
        points: values "at" -> Vec<Node>,
        /// `at` and the points, whole.
        at: part "at" -> Option<Node>,
        /// Where they look.
        facing: value "facing" -> Option<Node>,
        /// The area in which bare points lie.
        area: value "in" -> Option<Node>,
    }
    /// `zone NAME [in AREA] = SHAPE …`
    ZoneDecl = ZONE_DECL {
        /// The area in which it lies.
        area: value "in" -> Option<Node>,
    }
    /// `path NAME [in AREA] = POINT …`
    PathDecl = PATH_DECL {
        /// The area in which it lies.
        area: value "in" -> Option<Node>,
    }
    /// A unit of a clock, or its speed: `speed 1 hour per 2s`.
    ClockItem = CLOCK_ITEM {
        /// How long that takes.
        per: value "per" -> Option<Node>,
    }
    /// `machine NAME [for KIND] { … }`
    MachineDecl = MACHINE_DECL {
        /// The kind each of whose actors has one.
        of: value "for" -> Option<Node>,
        /// `start STATE`, whole.
        start: part "start" -> Option<Node>,
    }
    /// `state NAME { … }`
    StateDecl = STATE_DECL {
        /// `start STATE`, whole, of the states in it.
        start: part "start" -> Option<Node>,
    }
    /// `to STATE …`
    Transition = TRANSITION {
        /// How long after entering the state.
        after: value "after" -> Option<Node>,
        /// What must be true for it.
        tests: each "if" -> Vec<Node>,
    }
    /// `STATE WEIGHT [if TEST]`
    OneOfRow = ONE_OF_ROW {
        /// What must be true for it.
        test: value "if" -> Option<Node>,
    }
    /// `once`, `once per WHO`, `cooldown 2s` …
    Limiter = LIMITER {
        /// For each of whom.
        per: value "per" -> Option<Node>,
    }
}

/// The area that a declaration's `in` names.
pub fn area_of(n: &Node) -> Option<Node> {
    let place = PlaceDecl::cast(n).and_then(|d| d.area());
    let zone = || ZoneDecl::cast(n).and_then(|d| d.area());
    place.or_else(zone).or_else(|| PathDecl::cast(n).and_then(|d| d.area()))
}

/// `start STATE` of a machine or of a state with states in it, whole.
pub fn start_of(n: &Node) -> Option<Node> {
    MachineDecl::cast(n).and_then(|d| d.start()).or_else(|| StateDecl::cast(n).and_then(|d| d.start()))
}
