//! Handles to the nodes and tokens of a tree.
//!
//! Not here: how a tree is kept ([`super`]).
//!
//! Invariant: a handle is to what is there; two are equal where they are to the same branch at the same place.

use super::branch::Entry;
use super::{At, Placed, ROOT, Through, Tree, Within};
use crate::syntax::kind::Kind;
use std::borrow::Cow;
use std::ops::{Deref, Range};
use std::rc::Rc;
use std::sync::Arc;
use std::{fmt, iter};

/// A tree as one thread has it: a file's tree is shared between threads, and a handle to it is made and left at each step.
struct Shared(Arc<Tree>);

impl Deref for Shared {
    type Target = Tree;

    fn deref(&self) -> &Tree {
        &self.0
    }
}

/// A node of a tree.
#[derive(Clone)]
pub struct Node {
    tree: Rc<Shared>,
    at: At,
}

/// A token of a tree.
#[derive(Clone)]
pub struct Token {
    tree: Rc<Shared>,
    at: At,
}

/// A node or a token.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Element {
    Node(Node),
    Token(Token),
}

impl Node {
    /// The root of a tree.
    pub(crate) fn root(tree: Arc<Tree>) -> Self {
        Self { tree: Rc::new(Shared(tree)), at: At { branch: ROOT, at: 0 } }
    }

    fn with(&self, at: At) -> Self {
        Self { tree: self.tree.clone(), at }
    }

    fn token(&self, at: At) -> Token {
        Token { tree: self.tree.clone(), at }
    }

    /// What lies right in it, without a handle for each.
    fn own(&self) -> impl Iterator<Item = (At, Kind)> {
        let mut within = Within::of(&self.tree, self.at);
        iter::from_fn(move || within.next(&self.tree))
    }

    /// What of some kinds lies anywhere in it, itself included, without a handle for each.
    fn inside<F: Fn(Kind) -> bool>(&self, is_one: F) -> impl Iterator<Item = At> + use<F> {
        let (tree, mut through) = (self.tree.clone(), Through::of(&self.tree, self.at));
        iter::from_fn(move || iter::from_fn(|| through.next(&tree)).find(|at| is_one(tree.kind(*at))))
    }

    fn own_text(&self, at: At) -> &str {
        text_at(&self.tree, at)
    }

    pub fn kind(&self) -> Kind {
        self.tree.kind(self.at)
    }

    /// Its bytes, trivia at both ends included.
    pub fn range(&self) -> Range<usize> {
        self.tree.range(self.at)
    }

    /// First and last byte, trivia at both ends left out. A broken text has nodes with nothing in them.
    pub fn bytes(&self) -> Range<usize> {
        let Some(p) = self.tree.branches.get(self.at.branch as usize) else {
            let solid = |p: &Placed| (p.solid.0 < p.solid.1).then_some(p.solid);
            let first = self.tree.branches.iter().find_map(solid).unwrap_or((0, 0));
            let last = self.tree.branches.iter().rev().find_map(solid).unwrap_or((0, 0));
            return first.0 as usize..last.1 as usize;
        };
        if self.at.at == 0 {
            return p.solid.0 as usize..p.solid.1 as usize;
        }
        let e = &p.branch.entries[self.at.at as usize];
        (p.start + e.solid.0) as usize..(p.start + e.solid.1) as usize
    }

    pub fn parent(&self) -> Option<Self> {
        self.tree.parent(self.at).map(|at| self.with(at))
    }

    /// It itself, its parent, and so on up to the root.
    pub fn ancestors(&self) -> impl Iterator<Item = Self> + use<> {
        iter::successors(Some(self.clone()), Self::parent)
    }

    /// The nodes right in it.
    pub fn children(&self) -> impl Iterator<Item = Self> + use<> {
        let (tree, mut within) = (self.tree.clone(), Within::of(&self.tree, self.at));
        iter::from_fn(move || {
            loop {
                let (at, kind) = within.next(&tree)?;
                if !kind.is_token() {
                    return Some(Self { tree: tree.clone(), at });
                }
            }
        })
    }

    /// The nodes and tokens right in it.
    pub fn children_with_tokens(&self) -> impl Iterator<Item = Element> + use<> {
        let (tree, mut within) = (self.tree.clone(), Within::of(&self.tree, self.at));
        iter::from_fn(move || within.next(&tree).map(|(at, _)| element(&tree, at)))
    }

    /// The tokens right in it.
    pub fn own_tokens(&self) -> impl Iterator<Item = Token> + use<> {
        self.children_with_tokens().filter_map(Element::into_token)
    }

    /// It itself and the nodes inside it, in the order of the text.
    pub fn descendants(&self) -> impl Iterator<Item = Self> + use<> {
        let (tree, inside) = (self.tree.clone(), self.inside(|k| !k.is_token()));
        inside.map(move |at| Self { tree: tree.clone(), at })
    }

    /// It itself and the nodes and tokens inside it, in the order of the text.
    pub fn descendants_with_tokens(&self) -> impl Iterator<Item = Element> + use<> {
        let (tree, inside) = (self.tree.clone(), self.inside(|_| true));
        inside.map(move |at| element(&tree, at))
    }

    /// Of these, what is of some kinds.
    pub fn descendants_of<F: Fn(Kind) -> bool>(&self, is_one: F) -> impl Iterator<Item = Element> + use<F> {
        let (tree, inside) = (self.tree.clone(), self.inside(is_one));
        inside.map(move |at| element(&tree, at))
    }

    /// All tokens inside it.
    pub fn tokens(&self) -> impl Iterator<Item = Token> + use<> {
        let (tree, inside) = (self.tree.clone(), self.inside(Kind::is_token));
        inside.map(move |at| Token { tree: tree.clone(), at })
    }

    /// The next node beside it.
    pub fn next_sibling(&self) -> Option<Self> {
        let mut at = self.at;
        loop {
            at = self.tree.next(at)?;
            if !self.tree.kind(at).is_token() {
                return Some(self.with(at));
            }
        }
    }

    /// What stands before it in the same node.
    pub fn previous(&self) -> Option<Element> {
        self.tree.previous(self.at).map(|at| element(&self.tree, at))
    }

    /// The first child node of that kind.
    pub fn child(&self, kind: Kind) -> Option<Self> {
        self.own().find(|(_, k)| *k == kind).map(|(at, _)| self.with(at))
    }

    /// All child nodes of that kind.
    pub fn all(&self, kind: Kind) -> Vec<Self> {
        self.own().filter(|(_, k)| *k == kind).map(|(at, _)| self.with(at)).collect()
    }

    /// The child expressions, in order.
    pub fn exprs(&self) -> Vec<Self> {
        self.own().filter(|(_, k)| k.is_expr()).map(|(at, _)| self.with(at)).collect()
    }

    /// The first of them.
    pub fn expr(&self) -> Option<Self> {
        self.own().find(|(_, k)| k.is_expr()).map(|(at, _)| self.with(at))
    }

    /// The first own token of that kind.
    pub fn tok(&self, kind: Kind) -> Option<Token> {
        self.own().find(|(_, k)| *k == kind).map(|(at, _)| self.token(at))
    }

    /// The texts of the own tokens, trivia apart.
    pub fn words(&self) -> Vec<&str> {
        self.own_words().collect()
    }

    fn own_words(&self) -> impl Iterator<Item = &str> {
        let solid = self.own().filter(|(_, k)| k.is_token() && !k.is_trivia());
        solid.map(|(at, _)| self.own_text(at))
    }

    /// Those texts with single spaces between them.
    pub fn phrase(&self) -> Cow<'_, str> {
        let mut words = self.own_words();
        match (words.next(), words.next()) {
            (first, None) => first.unwrap_or_default().into(),
            _ => self.words().join(" ").into(),
        }
    }

    /// The child expressions, where there are two.
    pub fn two_exprs(&self) -> Option<[Self; 2]> {
        let mut all = self.own().filter(|(_, k)| k.is_expr()).map(|(at, _)| self.with(at));
        let two = [all.next()?, all.next()?];
        all.next().is_none().then_some(two)
    }

    /// The first own token's text.
    pub fn word(&self) -> &str {
        self.own_words().next().unwrap_or_default()
    }

    /// True where an own token has that text.
    pub fn has_word(&self, word: &str) -> bool {
        self.own().any(|(at, k)| k.is_token() && self.own_text(at) == word)
    }

    /// The token that holds a byte; the last one at the end of the text.
    pub fn token_at(&self, byte: usize) -> Option<Token> {
        let byte = if byte < self.tree.len as usize { byte } else { byte.checked_sub(1)? };
        let branch = self.tree.branch_at(byte)?;
        let p = &self.tree.branches[branch as usize];
        let at = byte as u32 - p.start;
        let holds = |e: &Entry| e.kind.is_token() && e.start <= at && at < e.end;
        let behind = p.branch.entries.partition_point(|e| e.start <= at);
        let at = p.branch.entries[..behind].iter().rposition(holds)? as u32;
        Some(self.token(At { branch, at }))
    }

    /// The outermost node that stands exactly there, spaces round it left out.
    pub(crate) fn node_at(&self, bytes: Range<usize>) -> Option<Self> {
        if self.bytes() == bytes {
            return Some(self.clone());
        }
        let branch = self.tree.branch_at(bytes.start)?;
        let top = self.with(At { branch, at: 0 });
        top.descendants().find(|n| n.bytes() == bytes)
    }

    /// True where both are made of the same text and in the same way, wherever they stand; of roots it is not known.
    pub(crate) fn is_like(&self, other: &Self) -> bool {
        let of = |n: &Self| n.tree.branches.get(n.at.branch as usize).map(|p| p.branch.clone());
        let (Some(a), Some(b)) = (of(self), of(other)) else { return false };
        a.is_like(self.at.at, &b, other.at.at)
    }
}

impl Token {
    pub fn kind(&self) -> Kind {
        self.tree.kind(self.at)
    }

    pub fn range(&self) -> Range<usize> {
        self.tree.range(self.at)
    }

    pub fn text(&self) -> &str {
        text_at(&self.tree, self.at)
    }

    /// The node in which it stands.
    pub fn parent(&self) -> Option<Node> {
        self.tree.parent(self.at).map(|at| Node { tree: self.tree.clone(), at })
    }

    /// The kind of that node.
    pub fn parent_kind(&self) -> Option<Kind> {
        self.tree.parent(self.at).map(|at| self.tree.kind(at))
    }

    /// The token behind it, wherever that stands.
    pub fn next_token(&self) -> Option<Self> {
        let mut through = Through { next: Some(self.at), end: None };
        let behind = iter::from_fn(|| through.next(&self.tree)).skip(1);
        let at = behind.into_iter().find(|at| self.tree.kind(*at).is_token())?;
        Some(Self { tree: self.tree.clone(), at })
    }

    /// What stands behind it in the same node.
    pub fn next(&self) -> Option<Element> {
        self.tree.next(self.at).map(|at| element(&self.tree, at))
    }

    /// What stands before it in the same node.
    pub fn previous(&self) -> Option<Element> {
        self.tree.previous(self.at).map(|at| element(&self.tree, at))
    }
}

impl Element {
    pub fn kind(&self) -> Kind {
        match self {
            Self::Node(n) => n.kind(),
            Self::Token(t) => t.kind(),
        }
    }

    pub fn range(&self) -> Range<usize> {
        match self {
            Self::Node(n) => n.range(),
            Self::Token(t) => t.range(),
        }
    }

    /// What stands before it in the same node.
    pub fn previous(&self) -> Option<Self> {
        match self {
            Self::Node(n) => n.previous(),
            Self::Token(t) => t.previous(),
        }
    }

    pub fn into_node(self) -> Option<Node> {
        match self {
            Self::Node(n) => Some(n),
            Self::Token(_) => None,
        }
    }

    pub fn into_token(self) -> Option<Token> {
        match self {
            Self::Token(t) => Some(t),
            Self::Node(_) => None,
        }
    }

    pub fn as_token(&self) -> Option<&Token> {
        match self {
            Self::Token(t) => Some(t),
            Self::Node(_) => None,
        }
    }
}

fn element(tree: &Rc<Shared>, at: At) -> Element {
    match tree.kind(at).is_token() {
        true => Element::Token(Token { tree: tree.clone(), at }),
        false => Element::Node(Node { tree: tree.clone(), at }),
    }
}

/// The text of what is not the root.
fn text_at(tree: &Tree, at: At) -> &str {
    let Some(p) = tree.branches.get(at.branch as usize) else { return "" };
    let e = &p.branch.entries[at.at as usize];
    &p.branch.text[e.start as usize..e.end as usize]
}

/// The same in both trees: trees of one text share their branches.
fn is_same((a, at): (&Tree, At), (b, bt): (&Tree, At)) -> bool {
    std::ptr::eq(a, b) && at == bt
        || at.at == bt.at
            && match (a.branches.get(at.branch as usize), b.branches.get(bt.branch as usize)) {
                (Some(a), Some(b)) => a.start == b.start && Arc::ptr_eq(&a.branch, &b.branch),
                _ => false,
            }
}

impl PartialEq for Node {
    fn eq(&self, other: &Self) -> bool {
        is_same((&self.tree, self.at), (&other.tree, other.at))
    }
}

impl PartialEq for Token {
    fn eq(&self, other: &Self) -> bool {
        is_same((&self.tree, self.at), (&other.tree, other.at))
    }
}

impl Eq for Node {}
impl Eq for Token {}

/// Its text.
impl fmt::Display for Node {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        match self.at.branch {
            ROOT => self.tree.branches.iter().try_for_each(|p| f.write_str(&p.branch.text)),
            _ => f.write_str(self.own_text(self.at)),
        }
    }
}

impl fmt::Display for Element {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        match self {
            Self::Node(n) => n.fmt(f),
            Self::Token(t) => f.write_str(t.text()),
        }
    }
}

/// All that lies in it, in brackets.
impl fmt::Debug for Node {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        write!(f, "{:?}@{:?}", self.kind(), self.range())?;
        f.debug_list().entries(self.children_with_tokens()).finish()
    }
}

impl fmt::Debug for Token {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        write!(f, "{:?}@{:?} {:?}", self.kind(), self.range(), self.text())
    }
}
