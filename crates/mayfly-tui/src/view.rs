//! The views of one moment.
//!
//! Not here: going from one to another ([`crate::across`]).
//!
//! Invariant: their order is that of their keys.

/// A view: the keys 1, 2 and 3.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Default)]
pub enum View {
    /// The map as it was laid, and changing it.
    Site,
    /// The text of the level.
    Script,
    /// Running, steering and stepping.
    #[default]
    Flight,
}

impl View {
    pub const ALL: [Self; 3] = [Self::Site, Self::Script, Self::Flight];

    pub fn name(self) -> &'static str {
        match self {
            Self::Site => "Site",
            Self::Script => "Script",
            Self::Flight => "Flight",
        }
    }
}
