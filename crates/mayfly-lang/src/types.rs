//! The types of the language, how they fit each other, and how they are called.
//!
//! Invariant: [`Ty::Broken`] fits everything, so that one mistake gives one error.

use mayfly_base::{EnumId, KindId, MachineId, MessageId};

/// A type.
#[derive(Clone, Debug, PartialEq)]
pub enum Ty {
    Number,
    Flag,
    Text,
    Duration,
    Point,
    Enum(EnumId),
    /// One actor, of that kind where it is known.
    Actor(Option<KindId>),
    /// A zone, of that kind where it is known.
    Zone(Option<KindId>),
    Timer,
    /// A weighted table of values of that type.
    Table(Box<Ty>),
    Tag,
    /// A kind itself.
    Kind,
    Tile,
    Path,
    /// A message, with the parameters of that one where it is known.
    Message(Option<MessageId>),
    /// One row of the records of that number.
    Record(u32),
    /// A state of that machine.
    State(MachineId),
    List(Box<Ty>),
    Set(Box<Ty>),
    Tally(Box<Ty>),
    /// `T or none`.
    Maybe(Box<Ty>),
    /// `none` alone.
    Nothing,
    /// Wrong already; nothing more is said of it.
    Broken,
}

/// Gives types their names.
pub trait TypeNames {
    fn enum_name(&self, id: EnumId) -> String;
    fn kind_name(&self, id: KindId) -> String;
    fn derives(&self, kind: KindId, of: KindId) -> bool;
    fn record_name(&self, id: u32) -> String;
    /// True where two messages have the same parameters.
    fn same_params(&self, a: MessageId, b: MessageId) -> bool;
}

impl Ty {
    /// `T or none`, without doubling.
    pub fn or_none(self) -> Self {
        match self {
            Self::Maybe(_) | Self::Nothing | Self::Broken => self,
            other => Self::Maybe(Box::new(other)),
        }
    }

    /// Without `or none`.
    pub fn inner(&self) -> &Self {
        match self {
            Self::Maybe(t) => t,
            other => other,
        }
    }

    /// True where a value of this type may stand where `want` is asked for. What may be none fits what
    /// may not: its use is a fault at run time and a finding while reading, not an error.
    pub fn fits(&self, want: &Ty, names: &dyn TypeNames) -> bool {
        match (self, want) {
            (Self::Broken, _) | (_, Self::Broken) => true,
            (Self::Nothing, Self::Maybe(_) | Self::Nothing) => true,
            (a, Self::Maybe(b)) => a.inner().fits(b, names),
            (Self::Maybe(a), b) => a.fits(b, names),
            (Self::Actor(_), Self::Actor(None)) => true,
            (Self::Actor(Some(a)), Self::Actor(Some(b))) => names.derives(*a, *b),
            (Self::Message(_), Self::Message(None)) | (Self::Message(None), Self::Message(_)) => true,
            (Self::Message(Some(a)), Self::Message(Some(b))) => names.same_params(*a, *b),
            (Self::Zone(_), Self::Zone(None)) => true,
            (Self::Zone(Some(a)), Self::Zone(Some(b))) => names.derives(*a, *b),
            (Self::Table(a), Self::Table(b))
            | (Self::List(a), Self::List(b))
            | (Self::Set(a), Self::Set(b))
            | (Self::Tally(a), Self::Tally(b)) => a.fits(b, names),
            (a, b) => a == b,
        }
    }

    /// As a person calls it.
    pub fn show(&self, names: &dyn TypeNames) -> String {
        match self {
            Self::Number => "a number".into(),
            Self::Flag => "a flag".into(),
            Self::Text => "a text".into(),
            Self::Duration => "a duration".into(),
            Self::Point => "a point".into(),
            Self::Enum(e) => format!("a value of `{}`", names.enum_name(*e)),
            Self::Actor(None) => "an actor".into(),
            Self::Actor(Some(k)) => format!("a `{}`", names.kind_name(*k)),
            Self::Zone(None) => "a zone".into(),
            Self::Zone(Some(k)) => format!("a `{}`", names.kind_name(*k)),
            Self::Record(r) => format!("a row of `{}`", names.record_name(*r)),
            Self::Timer => "a timer".into(),
            Self::Table(t) => format!("a table of {}", t.plain(names)),
            Self::Tag => "a tag".into(),
            Self::Kind => "a kind".into(),
            Self::Tile => "a tile".into(),
            Self::Path => "a path".into(),
            Self::Message(_) => "a message".into(),
            Self::State(_) => "a state".into(),
            Self::List(t) => format!("a list of {}", t.plain(names)),
            Self::Set(t) => format!("a set of {}", t.plain(names)),
            Self::Tally(t) => format!("a tally of {}", t.plain(names)),
            Self::Maybe(t) => format!("{} or none", t.show(names)),
            Self::Nothing => "none".into(),
            Self::Broken => "something unknown".into(),
        }
    }

    /// As it is written in a declaration.
    pub fn plain(&self, names: &dyn TypeNames) -> String {
        match self {
            Self::Enum(e) => names.enum_name(*e),
            Self::Actor(Some(k)) | Self::Zone(Some(k)) => names.kind_name(*k),
            Self::Maybe(t) => format!("{} or none", t.plain(names)),
            other => {
                let s = other.show(names);
                s.trim_start_matches("a ").trim_start_matches("an ").to_string()
            }
        }
    }
}
