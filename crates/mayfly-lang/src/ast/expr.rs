//! Expressions that have parts with words of their own.

use super::forms;
use crate::syntax::Node;

forms! {
    /// `sum(KIND where TEST: VALUE)`, `nearest(KIND to WHO)`, `count(KIND where TEST)` and their like.
    OverExpr = OVER_EXPR {
        /// To whom `nearest` is.
        to: value "to" -> Option<Node>,
        /// What stands behind the colon.
        value: value ":" -> Option<Node>,
        /// Which of them count.
        test: value "where" -> Option<Node>,
    }
    /// `all KIND where TEST`
    AllExpr = ALL_EXPR {
        /// Which of them count.
        test: value "where" -> Option<Node>,
    }
    /// `gate has been open for 2s`
    BeenExpr = BEEN_EXPR {
        /// How long.
        lasts: value "for" -> Option<Node>,
    }
    /// `a OPERATOR b`; `a near b within 2`
    BinaryExpr = BINARY_EXPR {
        /// How close.
        within: value "within" -> Option<Node>,
    }
}
