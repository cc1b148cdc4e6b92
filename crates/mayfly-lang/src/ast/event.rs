//! Events: what stands behind `when`, `on` and `wait for`.

use super::forms;
use crate::syntax::Node;

forms! {
    /// `WHO VERB …`, `every D from D` and their like.
    Event = EVENT {
        /// `every 2s from 1s`: the first time.
        from: value "from" -> Option<Node>,
        /// How often, of what lasts.
        every: value "every" -> Option<Node>,
        /// `arrives at POINT`.
        at: value "at" -> Option<Node>,
        /// How close.
        within: value "within" -> Option<Node>,
        /// How far.
        beyond: value "beyond" -> Option<Node>,
        /// From which distance on it is over.
        until: value "until" -> Option<Node>,
        /// Near whom one presses.
        near: who "near" -> Option<Node>,
        /// Facing whom one presses.
        facing: who "facing" -> Option<Node>,
        /// In which zone one presses.
        zone: who "in" -> Option<Node>,
    }
}
