//! The kinds of tokens and nodes of the lossless tree, and the tree's types.
//!
//! It says nothing about how text becomes a tree ([`crate::lexer`], [`crate::parser`]) or what a tree
//! means ([`crate::check`]).
//!
//! Invariant: the text of a tree is the text it was made from, byte for byte.

/// Declares every kind once: the enum, and the list of all in the order of their numbers.
macro_rules! kinds {
    ($($(#[$doc:meta])* $kind:ident,)*) => {
        /// A token's or node's kind. Tokens come first.
        #[allow(non_camel_case_types)]
        #[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
        #[repr(u16)]
        pub enum Kind {
            $($(#[$doc])* $kind,)*
        }

        /// Every kind in order of its number.
        static KINDS: &[Kind] = &[$(Kind::$kind,)*];
    };
}

kinds! {
    // Trivia.
    SPACE,
    NEWLINE,
    COMMENT,
    DOC,
    // Tokens.
    IDENT,
    ACTOR_REF,
    NUMBER,
    PERCENT,
    DURATION,
    TEXT,
    /// What stands before, between and behind the expressions of a text, quotes included.
    TEXT_PART,
    /// With how many decimals a number is shown in a text: `:2`.
    DECIMALS,
    RAW_TEXT,
    CHAR,
    L_BRACE,
    R_BRACE,
    L_PAREN,
    R_PAREN,
    L_BRACKET,
    R_BRACKET,
    COMMA,
    SEMI,
    COLON,
    DOT,
    DOT_DOT,
    PLUS,
    MINUS,
    STAR,
    SLASH,
    EQ,
    EQ_EQ,
    NOT_EQ,
    LESS,
    LESS_EQ,
    GREATER,
    GREATER_EQ,
    PLUS_EQ,
    MINUS_EQ,
    STAR_EQ,
    SLASH_EQ,
    FAT_ARROW,
    ARROW,
    ERROR,
    EOF,
    // Declarations.
    ROOT,
    LEVEL_DECL,
    USE_DECL,
    TILES_DECL,
    TILE_ROW,
    MAP_DECL,
    AREA_DECL,
    ENUM_DECL,
    TAG_DECL,
    CONST_DECL,
    VAR_DECL,
    DEFINE_DECL,
    TABLE_DECL,
    TABLE_ROW,
    RECORDS_DECL,
    RECORD_ROW,
    MESSAGE_DECL,
    INPUT_DECL,
    TIMER_DECL,
    CLOCK_DECL,
    CLOCK_ITEM,
    KIND_DECL,
    PLACE_DECL,
    ZONE_DECL,
    PATH_DECL,
    CHECK_DECL,
    ROUTINE_DECL,
    MACHINE_DECL,
    STATE_DECL,
    WHEREVER,
    TRANSITION,
    ENTER_BLOCK,
    LEAVE_BLOCK,
    LOOP_BLOCK,
    NEEDS,
    ONE_OF,
    ONE_OF_ROW,
    TAGS_ITEM,
    SIGHT_ITEM,
    ATTRIBUTE,
    NAME,
    TYPE,
    PARAMS,
    PARAM,
    BOUNDS,
    FOR_WHOM,
    BODY,
    // Shapes.
    SHAPE_RECT,
    SHAPE_DISC,
    SHAPE_CELLS,
    SHAPE_TILES,
    SHAPE_POLY,
    SHAPE_NAME,
    SHAPE_SUM,
    SHAPE_LESS,
    SHAPE_PAREN,
    CELL_ROW,
    CELL_RANGE,
    // Rules.
    RULE,
    FIRST_OF,
    WHEN,
    EVENT,
    EVENT_EXPR,
    VERB,
    WHO,
    EV_MESSAGE,
    CLAUSE,
    THEN,
    ELSE,
    LIMITER,
    // Statements.
    BLOCK,
    STMT,
    ASSIGN_STMT,
    EXPR_STMT,
    LET_STMT,
    IF_STMT,
    FOR_STMT,
    MATCH_STMT,
    MATCH_ARM,
    LOT_STMT,
    LOT_ARM,
    PART,
    /// An expression in a text, with its braces.
    INTERPOLATION,
    // Expressions.
    NAME_EXPR,
    LITERAL,
    DURATION_EXPR,
    TEXT_EXPR,
    TUPLE_EXPR,
    PAREN_EXPR,
    LIST_EXPR,
    BRACES_EXPR,
    MEMBER_EXPR,
    INDEX_EXPR,
    CALL_EXPR,
    ARGS,
    UNARY_EXPR,
    BINARY_EXPR,
    BETWEEN_EXPR,
    EXISTS_EXPR,
    BEEN_EXPR,
    IF_EXPR,
    RANGE_EXPR,
    ALL_EXPR,
    OVER_EXPR,
    BROKEN,
}

impl Kind {
    /// Space, line ends and comments.
    pub fn is_trivia(self) -> bool {
        self <= Self::DOC
    }

    /// Any expression node.
    pub fn is_expr(self) -> bool {
        self >= Self::NAME_EXPR && self != Self::ARGS
    }

    /// Signs behind which an expression may go on in the next line.
    pub fn goes_on(self) -> bool {
        use Kind::*;
        matches!(self, PLUS | MINUS | STAR | SLASH | EQ_EQ | NOT_EQ | LESS | LESS_EQ | GREATER | GREATER_EQ)
            || matches!(self, PLUS_EQ | MINUS_EQ | STAR_EQ | SLASH_EQ)
            || matches!(self, COMMA | EQ | FAT_ARROW | ARROW | L_PAREN | L_BRACKET)
    }

    /// Any zone shape node.
    pub fn is_shape(self) -> bool {
        (Self::SHAPE_RECT..=Self::SHAPE_PAREN).contains(&self)
    }
}

/// The language, for rowan.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub enum Mayfly {}

impl rowan::Language for Mayfly {
    type Kind = Kind;

    fn kind_from_raw(raw: rowan::SyntaxKind) -> Kind {
        KINDS[(raw.0 as usize).min(KINDS.len() - 1)]
    }

    fn kind_to_raw(kind: Kind) -> rowan::SyntaxKind {
        rowan::SyntaxKind(kind as u16)
    }
}

/// A node of the tree.
pub type Node = rowan::SyntaxNode<Mayfly>;
/// A token of the tree.
pub type Token = rowan::SyntaxToken<Mayfly>;

/// Short ways through a tree, for whoever reads one.
pub trait NodeExt {
    /// The first child node of that kind.
    fn child(&self, kind: Kind) -> Option<Node>;
    /// All child nodes of that kind.
    fn all(&self, kind: Kind) -> Vec<Node>;
    /// The child expressions, in order.
    fn exprs(&self) -> Vec<Node>;
    /// The first own token of that kind.
    fn tok(&self, kind: Kind) -> Option<Token>;
    /// The texts of the own tokens, trivia apart.
    fn words(&self) -> Vec<String>;
    /// The first own token's text.
    fn word(&self) -> String;
    /// True where an own token has that text.
    fn has_word(&self, word: &str) -> bool;
    /// First and last byte, trivia at both ends left out.
    fn bytes(&self) -> std::ops::Range<usize>;
}

impl NodeExt for Node {
    fn child(&self, kind: Kind) -> Option<Node> {
        self.children().find(|n| n.kind() == kind)
    }

    fn all(&self, kind: Kind) -> Vec<Node> {
        self.children().filter(|n| n.kind() == kind).collect()
    }

    fn exprs(&self) -> Vec<Node> {
        self.children().filter(|n| n.kind().is_expr()).collect()
    }

    fn tok(&self, kind: Kind) -> Option<Token> {
        self.children_with_tokens().filter_map(|e| e.into_token()).find(|t| t.kind() == kind)
    }

    fn words(&self) -> Vec<String> {
        self.children_with_tokens()
            .filter_map(|e| e.into_token())
            .filter(|t| !t.kind().is_trivia())
            .map(|t| t.text().to_string())
            .collect()
    }

    fn word(&self) -> String {
        self.children_with_tokens()
            .filter_map(|e| e.into_token())
            .find(|t| !t.kind().is_trivia())
            .map_or(String::new(), |t| t.text().to_string())
    }

    fn has_word(&self, word: &str) -> bool {
        self.children_with_tokens().filter_map(|e| e.into_token()).any(|t| t.text() == word)
    }

    fn bytes(&self) -> std::ops::Range<usize> {
        // A broken text has nodes with nothing in them.
        let range: std::ops::Range<usize> = self.text_range().into();
        match (trivia_at(&self.green(), false), trivia_at(&self.green(), true)) {
            (Ok(before), Ok(after)) => range.start + before..range.end - after,
            _ => range.start..range.start,
        }
    }
}

/// How many bytes of trivia lie at a node's beginning or end, looked at from that end inward; the error is
/// the length of a node in which there is nothing else. The bare tree is asked: no node is made for it.
fn trivia_at(n: &rowan::GreenNodeData, from_end: bool) -> Result<usize, usize> {
    let mut children = n.children();
    let mut trivia = 0;
    while let Some(child) = if from_end { children.next_back() } else { children.next() } {
        match child {
            rowan::NodeOrToken::Token(t) if !<Mayfly as rowan::Language>::kind_from_raw(t.kind()).is_trivia() => {
                return Ok(trivia);
            }
            rowan::NodeOrToken::Token(t) => trivia += usize::from(t.text_len()),
            rowan::NodeOrToken::Node(n) => match trivia_at(n, from_end) {
                Ok(inner) => return Ok(trivia + inner),
                Err(all) => trivia += all,
            },
        }
    }
    Err(trivia)
}

/// The outermost node that stands exactly there, spaces round it left out.
pub(crate) fn node_at(tree: &Node, bytes: std::ops::Range<usize>) -> Option<Node> {
    let size = |n: usize| rowan::TextSize::try_from(n).ok();
    let range = rowan::TextRange::new(size(bytes.start)?, size(bytes.end)?);
    let node = tree.text_range().contains_range(range).then(|| tree.covering_element(range))?.into_node()?;
    node.ancestors().filter(|n| n.bytes() == bytes).last()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn kinds_stand_at_their_own_numbers() {
        for (i, k) in KINDS.iter().enumerate() {
            assert_eq!(*k as usize, i, "{k:?}");
        }
    }
}
