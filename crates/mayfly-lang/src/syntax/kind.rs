//! The kinds of tokens and nodes of a tree.
//!
//! Invariant: every token's kind comes before every node's.

/// A token's or node's kind. Tokens come first.
#[allow(non_camel_case_types)]
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
#[repr(u16)]
pub enum Kind {
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

    /// What is no node.
    pub fn is_token(self) -> bool {
        self <= Self::EOF
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
