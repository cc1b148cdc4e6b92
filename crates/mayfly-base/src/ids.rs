//! Numbers that name things, each of its own type, so that a rule's number cannot index a zone.
//!
//! Invariant: an id is an index into the one table that made it, in order of declaration or creation.

macro_rules! ids {
    ($($(#[$doc:meta])* $name:ident;)*) => {$(
        $(#[$doc])*
        #[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
        pub struct $name(pub u32);

        impl $name {
            /// The place in the table that this id belongs to.
            pub fn index(self) -> usize {
                self.0 as usize
            }

            /// The id of the `index`th entry. Tables stay below 2^32 entries by the limits of §9.
            pub fn at(index: usize) -> Self {
                Self(u32::try_from(index).expect("tables are bounded far below 2^32"))
            }
        }
    )*};
}

ids! {
    /// A level variable.
    VarId;
    /// A value that follows from others (`define`).
    DefineId;
    /// A variable of a kind or of a zone kind; the number counts within that kind, inherited ones first.
    FieldId;
    /// A kind of actor.
    KindId;
    /// An actor, in order of creation; a removed actor's number is never given again.
    ActorId;
    /// A declared zone: of the level, or of a kind (then each of its actors has one).
    ZoneId;
    /// A rule as written; a kind's rule has one id for all its actors.
    RuleId;
    /// A declared message.
    MessageId;
    /// A named input; the four arrows come first.
    InputId;
    /// An enum; [`EnumId::DIRECTION`] is built in.
    EnumId;
    /// A tag.
    TagId;
    /// A sort of tile.
    TileId;
    /// A map; 0 is the main one.
    AreaId;
    /// A path.
    PathId;
    /// A timer.
    TimerId;
    /// A clock.
    ClockId;
    /// A weighted table.
    TableId;
    /// A machine as written.
    MachineId;
    /// A state as written, numbered over all machines.
    StateId;
    /// A routine.
    RoutineId;
    /// A watched expression as written.
    WatchId;
    /// One place in the text that draws a random number.
    DrawId;
}

impl EnumId {
    /// `direction { north, east, south, west }`.
    pub const DIRECTION: Self = Self(0);
    /// `colour { mist, amber, moss, clay, blue, heather, silt }`.
    pub const COLOUR: Self = Self(1);
}

impl AreaId {
    /// The main map.
    pub const MAIN: Self = Self(0);
}

/// The names of the built-in enum of directions, in order.
pub const DIRECTIONS: [&str; 4] = ["north", "east", "south", "west"];

/// The names of the built-in enum of colours, in order.
pub const COLOURS: [&str; 7] = ["mist", "amber", "moss", "clay", "blue", "heather", "silt"];
