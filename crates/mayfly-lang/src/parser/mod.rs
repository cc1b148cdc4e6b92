//! Tokens to a lossless tree. Every text has a tree, and the tree's text is that text.
//!
//! A parser by hand, recursive, with recovery at line ends and closing braces; one mistake gives one
//! error. The grammar of declarations is in [`decl`], of rules, events and machines in [`rule`], of
//! actions in [`stmt`], of expressions in [`expr`].
//!
//! Not here: what names mean. Forms that the language has but the application does not build yet are
//! parsed all the same; [`crate::check`] says so.
//!
//! Invariant: every token is put into the tree exactly once, and each loop eats a token or ends.

mod again;
mod decl;
mod expr;
pub(crate) mod habits;
mod recovery;
mod rule;
mod shape;
mod stmt;
mod text;
mod things;

use crate::diagnostic::{Diagnostic, Fix};
use crate::lexer::{self, Lexeme};
use crate::syntax::Kind::{self, *};
use crate::syntax::Node;
use crate::syntax::tree::{Branch, Builder, Checkpoint, Tree};
pub(crate) use again::{Edited, again};
use mayfly_base::Span;
use std::cell::Cell;
use std::sync::Arc;
pub(crate) use text::MAX_TEXTS;

/// Something wrong with the text itself.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SyntaxError {
    pub start: usize,
    pub end: usize,
    pub message: String,
    pub help: String,
    /// What takes the place of which bytes, where that mends it.
    pub fix: Option<(std::ops::Range<usize>, String)>,
    pub breaks: Breaks,
}

/// What else is not as it was meant where the grammar is wrong.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Default)]
pub enum Breaks {
    /// Its line alone.
    #[default]
    Line,
    /// Where something begins or ends.
    Structure,
    /// It begins no declaration: it may be a piece of one that was left behind.
    Stray,
    /// A name is missing, so that it is declared nowhere.
    Name,
}

impl SyntaxError {
    /// As it is told of a file.
    pub fn diagnostic(&self, file: u16) -> Diagnostic {
        let span = Span::new(file, self.start, self.end);
        let d = Diagnostic::error("syntax", span, self.message.clone(), self.help.clone());
        match &self.fix {
            Some((r, text)) => d.fixed_by(Fix::replace(Span::new(file, r.start, r.end), text.clone())),
            None => d,
        }
    }
}

/// A text's tree and what is wrong with it.
#[derive(Clone, Debug)]
pub struct Parse {
    tree: Arc<Tree>,
    pub errors: Vec<SyntaxError>,
    /// The tokens of the text, trivia too.
    pub(crate) tokens: Vec<Lexeme>,
}

impl Parse {
    /// Its declarations, and the tokens between them, to be shared by others.
    pub(crate) fn branches(&self) -> impl DoubleEndedIterator<Item = &Arc<Branch>> + ExactSizeIterator {
        self.tree.branches()
    }

    /// The tree's root.
    pub fn tree(&self) -> Node {
        Node::root(self.tree.clone())
    }
}

/// Parses a whole level.
pub fn parse(text: &str) -> Parse {
    let mut p = Parser::new(text);
    p.builder.begin(ROOT);
    decl::file(&mut p);
    p.rest();
    p.builder.end();
    p.done()
}

/// Parses one expression (inside the braces of a text, a watch, a stop mark).
pub fn parse_expression(text: &str) -> Parse {
    whole(text, |p| {
        expr::expr(p);
    })
}

/// Parses one action (a poke).
pub fn parse_action(text: &str) -> Parse {
    whole(text, |p| {
        stmt::statement(p);
    })
}

fn whole(text: &str, what: impl FnOnce(&mut Parser)) -> Parse {
    let mut p = Parser::new(text);
    p.builder.begin(ROOT);
    p.only(what);
    p.builder.end();
    p.done()
}

/// How deep blocks and expressions may nest.
const DEPTH: usize = 120;

/// How high the tree of one expression may be: a chain of operators is as high as it has operators.
pub(crate) const HEIGHT: usize = 250;

/// How often the text may be looked at without a token taken, for each token there is: a loop that looks more
/// often would never end.
const LOOKS: u32 = 64;

pub(crate) struct Parser<'t> {
    text: &'t str,
    tokens: Vec<Lexeme>,
    /// For each token, whether a line end stands before it.
    fresh: Vec<bool>,
    /// The tokens that are no trivia, and for each token how many of them stand before it.
    solid: Vec<u32>,
    before: Vec<u32>,
    /// Where a `{` stands that no `}` closes, in order, and where the last `}` stands that closes none.
    unclosed: Vec<usize>,
    unopened: Option<usize>,
    /// Looks since the last token was taken; past their bound the text counts as ended.
    looks: Cell<u32>,
    pos: usize,
    pub(crate) parens: usize,
    depth: usize,
    /// The first token of the statement that is read: it may stand at a line's beginning.
    statement_at: Option<usize>,
    /// Texts round the expression that is read.
    texts: usize,
    builder: Builder,
    errors: Vec<SyntaxError>,
}

impl<'t> Parser<'t> {
    fn new(text: &'t str) -> Self {
        let tokens = lexer::lex(text);
        let mut fresh = Vec::with_capacity(tokens.len());
        let mut nl = true;
        let (mut solid, mut before) = (vec![], Vec::with_capacity(tokens.len() + 1));
        for (i, t) in tokens.iter().enumerate() {
            before.push(solid.len() as u32);
            if !t.kind.is_trivia() {
                solid.push(i as u32);
            }
            fresh.push(nl);
            match t.kind {
                NEWLINE => nl = true,
                k if k.is_trivia() => {}
                _ => nl = false,
            }
        }
        before.push(solid.len() as u32);
        let (unclosed, unopened) = unmatched(&tokens);
        Self {
            text,
            tokens,
            fresh,
            solid,
            before,
            unclosed,
            unopened,
            looks: Cell::new(0),
            pos: 0,
            parens: 0,
            depth: 0,
            statement_at: None,
            texts: 0,
            builder: Builder::default(),
            errors: vec![],
        }
    }

    /// Reads one thing, which is all there is.
    fn only(&mut self, what: impl FnOnce(&mut Parser)) {
        self.begin_statement();
        what(self);
        if !self.at(EOF) {
            self.error_here("there is more text than one thing", "take away what follows");
            while !self.at(EOF) {
                self.bump();
            }
        }
        self.rest();
    }

    /// Marks the next token as the first of a statement.
    fn begin_statement(&mut self) {
        self.statement_at = self.index(0);
    }

    /// True where the next token is the first of its statement.
    pub(crate) fn at_statement(&self) -> bool {
        self.index(0) == self.statement_at
    }

    /// The first word of the statement under way.
    pub(crate) fn first_word(&self) -> &str {
        self.statement_at.map_or("", |i| self.text_of(self.tokens[i]))
    }

    fn done(self) -> Parse {
        let tree = Arc::new(self.builder.finish(self.text));
        Parse { tree, errors: self.errors, tokens: self.tokens }
    }

    fn index(&self, n: usize) -> Option<usize> {
        let looks = self.looks.get().saturating_add(1);
        self.looks.set(looks);
        if looks as usize > LOOKS as usize * (self.solid.len() + LOOKS as usize) {
            return None;
        }
        let at = self.before[self.pos.min(self.tokens.len())] as usize + n;
        self.solid.get(at).map(|i| *i as usize)
    }

    /// The place of the last token taken, trivia apart.
    pub(crate) fn last_taken(&self) -> Option<Lexeme> {
        let n = self.before[self.pos.min(self.tokens.len())] as usize;
        n.checked_sub(1).map(|n| self.tokens[self.solid[n] as usize])
    }

    /// True where the last token but one that was taken is of that kind.
    pub(crate) fn before_last(&self, kind: Kind) -> bool {
        let n = self.before[self.pos.min(self.tokens.len())] as usize;
        n.checked_sub(2).is_some_and(|n| self.tokens[self.solid[n] as usize].kind == kind)
    }

    /// The text of a token.
    pub(crate) fn text_of(&self, t: Lexeme) -> &'t str {
        &self.text[t.start..t.end]
    }

    /// The kind of the next token but `n`, trivia apart.
    pub(crate) fn nth(&self, n: usize) -> Kind {
        self.index(n).map_or(EOF, |i| self.tokens[i].kind)
    }

    /// Its text.
    pub(crate) fn nth_text(&self, n: usize) -> &'t str {
        self.index(n).map_or("", |i| &self.text[self.tokens[i].start..self.tokens[i].end])
    }

    /// True where it is the first of its line.
    pub(crate) fn nth_fresh(&self, n: usize) -> bool {
        self.index(n).is_none_or(|i| self.fresh[i])
    }

    /// True where nothing stands between the next two tokens.
    pub(crate) fn is_joined(&self) -> bool {
        let (Some(a), Some(b)) = (self.index(0), self.index(1)) else { return false };
        self.tokens[a].end == self.tokens[b].start
    }

    pub(crate) fn at(&self, kind: Kind) -> bool {
        self.nth(0) == kind
    }

    /// True where the next token is this word.
    pub(crate) fn at_word(&self, word: &str) -> bool {
        self.at(IDENT) && self.nth_text(0) == word
    }

    /// True where the statement goes on: not at a line's end (outside parentheses), `;`, `}` or the end.
    pub(crate) fn goes_on(&self) -> bool {
        !matches!(self.nth(0), EOF | SEMI | R_BRACE) && (self.parens > 0 || !self.nth_fresh(0))
    }

    fn trivia(&mut self) {
        while let Some(t) = self.tokens.get(self.pos).filter(|t| t.kind.is_trivia()) {
            self.builder.take(t.kind, t.end - t.start);
            self.pos += 1;
        }
    }

    /// Puts the next token into the tree.
    pub(crate) fn bump(&mut self) {
        self.trivia();
        if let Some(t) = self.tokens.get(self.pos).copied() {
            let text = &self.text[t.start..t.end];
            if !lexer::is_closed(t.kind, text) {
                let help = "end it with the same quotes with which it begins";
                self.tell(t.start..t.end, "this text is not closed", help);
            }
            self.builder.take(t.kind, text.len());
            self.taken();
        }
    }

    /// The next token is in the tree.
    fn taken(&mut self) {
        self.pos += 1;
        self.looks.set(0);
    }

    /// Puts what is left into the tree, where reading was given up.
    fn rest(&mut self) {
        self.trivia();
        if self.pos < self.tokens.len() {
            self.looks.set(0);
            self.error_at_token("this cannot be read any further", "correct what stands before it");
            while self.pos < self.tokens.len() {
                self.bump();
                self.trivia();
            }
        }
    }

    pub(crate) fn eat(&mut self, kind: Kind) -> bool {
        let is = self.at(kind);
        if is {
            self.bump();
        }
        is
    }

    pub(crate) fn eat_word(&mut self, word: &str) -> bool {
        let is = self.at_word(word);
        if is {
            self.bump();
        }
        is
    }

    pub(crate) fn start(&mut self, kind: Kind) {
        self.trivia();
        self.builder.begin(kind);
    }

    pub(crate) fn finish(&mut self) {
        self.builder.end();
    }

    pub(crate) fn checkpoint(&mut self) -> Checkpoint {
        self.trivia();
        self.builder.checkpoint()
    }

    pub(crate) fn start_at(&mut self, c: Checkpoint, kind: Kind) {
        self.builder.begin_at(c, kind);
    }

    /// Enters one more level of nesting; false where the text is nested too deep.
    pub(crate) fn deeper(&mut self) -> bool {
        self.depth += 1;
        if self.depth == DEPTH {
            self.error_here("this is nested too deep", "part it into routines or steps of its own");
        }
        self.depth < DEPTH
    }

    pub(crate) fn shallower(&mut self) {
        self.depth -= 1;
    }

    /// A `PART`: a word and an expression.
    pub(crate) fn part(&mut self, word: &str) -> bool {
        if !self.at_word(word) || !self.goes_on() {
            return false;
        }
        self.start(PART);
        self.bump();
        expr::expr(self);
        self.finish();
        true
    }
}

/// Where each `{` stands that no `}` closes, and where the last `}` stands that closes none.
fn unmatched(tokens: &[Lexeme]) -> (Vec<usize>, Option<usize>) {
    let (mut open, mut unopened) = (vec![], None);
    for t in tokens {
        match t.kind {
            L_BRACE => open.push(t.start),
            R_BRACE if open.pop().is_none() => unopened = Some(t.start),
            _ => {}
        }
    }
    (open, unopened)
}

/// The first line of a token, cut where it is longer than a name has to be.
pub(crate) fn short(text: &str) -> String {
    const MAX: usize = 40;
    let line = text.lines().next().unwrap_or("");
    // A mark with no letter before it would stand on what is written here.
    if let Some(c) = line.chars().next().filter(|c| lexer::is_mark(*c)) {
        return format!("\\u{{{:x}}}", u32::from(c));
    }
    if line.chars().count() <= MAX { line.into() } else { line.chars().take(MAX).chain(['…']).collect() }
}

/// Every reserved word, with what it means; none of them can be declared.
pub const RESERVED: &[(&str, &str)] = &[
    ("all", "`all lamp` is the list of all lamps"),
    ("and", "both sides must be true"),
    ("any", "stands for every actor in an event"),
    ("as", "gives an actor of an event its name"),
    ("at", "a place or a speed follows"),
    ("after", "a delay follows"),
    ("behind", "`a behind b` asks on which side one stands"),
    ("between", "`x between 3 and 8` asks whether x lies there"),
    ("by", "an offset follows"),
    ("const", "declares a constant"),
    ("covers", "asks what a zone lies over"),
    ("define", "declares a value that follows from others"),
    ("else", "what happens otherwise"),
    ("exists", "asks whether there is one"),
    ("facing", "asks where one looks"),
    ("false", "a flag that is not set"),
    ("for", "a loop, or whom a zone notices"),
    ("from", "a beginning follows"),
    ("has", "asks what a bag holds"),
    ("if", "a condition follows"),
    ("in", "asks where one is"),
    ("is", "asks for a kind or a state"),
    ("kind", "declares a kind"),
    ("let", "declares a local"),
    ("machine", "declares a state machine"),
    ("mod", "the remainder of a division"),
    ("near", "asks how near one is"),
    ("none", "no value at all"),
    ("not", "turns a flag round"),
    ("or", "one side must be true"),
    ("over", "a duration follows"),
    ("per", "a number a duration, or for whom a limit counts"),
    ("place", "puts an actor on the map"),
    ("pressing", "asks whether an input is down"),
    ("repeat", "a loop of so many turns"),
    ("return", "ends a routine"),
    ("routine", "declares a routine"),
    ("rule", "declares a rule"),
    ("sees", "asks whether one is seen"),
    ("self", "the actor of a kind's own rules"),
    ("tagged", "asks for a tag"),
    ("then", "what a rule does"),
    ("tick", "the number of this tick"),
    ("time", "the duration since the start"),
    ("to", "a goal follows"),
    ("touching", "asks for contact"),
    ("true", "a flag that is set"),
    ("var", "declares a variable"),
    ("when", "an event follows"),
    ("where", "a choice follows"),
    ("while", "a loop, or for how long something holds"),
    ("with", "a statement's own word"),
    ("within", "a distance or bounds follow"),
];

/// True of such a word.
pub(crate) fn is_reserved(word: &str) -> bool {
    RESERVED.iter().any(|(w, _)| *w == word)
}

/// The names of the built-in functions; a routine cannot take one.
pub use expr::OVER;
pub(crate) use stmt::begins_action;
