//! What a person chose of the map as laid, and what is kept of it between frames.
//!
//! Not here: what is done with it ([`crate::site`]).
//!
//! Invariant: as in [`super`].

use super::Entered;
use mayfly_base::*;
use mayfly_lang::analysis::{Analysis, SymbolId};
use mayfly_session::laid::Laid;
use mayfly_session::laid::facts::{Edit, Fact, Item};
use std::collections::BTreeSet;
use std::sync::Arc;

/// What is painted over the map.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum SiteLayer {
    #[default]
    Zones,
    Notices,
    Paths,
    Heat,
    Never,
}

impl SiteLayer {
    pub(crate) const ALL: [(Self, &'static str); 5] = [
        (Self::Zones, "zones"),
        (Self::Notices, "what notices this cell"),
        (Self::Paths, "paths"),
        (Self::Heat, "where anybody went in the last 5000 ticks"),
        (Self::Never, "where nobody went in the last 5000 ticks"),
    ];

    pub fn name(self) -> &'static str {
        Self::ALL[self as usize].1
    }
}

/// What a person chose of the map as laid, and what is kept of it between frames.
pub struct SiteView {
    pub area: AreaId,
    pub cursor: (i64, i64),
    /// The cell in the middle, where the map is larger than the pane.
    pub middle: Option<(i64, i64)>,
    /// An index into `SCALES`; none: as large as the pane carries.
    pub scale: Option<usize>,
    /// The keys go to the list.
    pub in_list: bool,
    /// Nobody has moved the cursor yet: it stands at whoever is steered.
    pub is_new: bool,
    /// The row of the list that is chosen.
    pub at: usize,
    pub tool: Tool,
    pub layer: SiteLayer,
    /// A count that is typed before an arrow.
    pub count: Option<u32>,
    /// A rectangle of cells that is marked.
    pub mark: Option<((i64, i64), (i64, i64))>,
    /// What the line that is open asks.
    pub ask: Option<Ask>,
    /// The version of the texts for which the tool, the line or the list was begun: what they name is known in it alone.
    pub(crate) of_version: u64,
    /// What the text lays, and for which version of the texts.
    pub(crate) laid: Option<(u64, Arc<Analysis>, Arc<Laid>)>,
    /// The rows of the list, and what they were found for.
    pub(crate) rows: (Option<RowsOf>, Vec<SiteRow>),
    /// Cells that were entered: of which area up to which tick.
    pub(crate) entered: Option<((AreaId, u64), Entered)>,
}

impl Default for SiteView {
    fn default() -> Self {
        Self {
            area: AreaId::MAIN,
            cursor: (0, 0),
            middle: None,
            scale: None,
            in_list: false,
            is_new: true,
            at: 0,
            tool: Tool::None,
            layer: SiteLayer::default(),
            count: None,
            mark: None,
            ask: None,
            of_version: 0,
            laid: None,
            rows: (None, vec![]),
            entered: None,
        }
    }
}

/// For which version of the texts, area, cell, moment and length of the flight rows were found.
pub(crate) type RowsOf = (u64, AreaId, (i64, i64), mayfly_session::moment::Moment, u64);

/// One row, and the item that it belongs to.
#[derive(Clone, Debug, PartialEq)]
pub struct SiteRow {
    pub item: Item,
    pub of: RowOf,
}

/// A cell of the map.
pub type Cell = (i64, i64);

/// How tiles are painted.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum How {
    Brush,
    Line,
    Rectangle,
    Fill,
}

impl How {
    pub const ALL: [(Self, &'static str); 4] =
        [(Self::Brush, "brush"), (Self::Line, "line"), (Self::Rectangle, "rectangle"), (Self::Fill, "fill")];

    pub fn name(self) -> &'static str {
        Self::ALL[self as usize].1
    }
}

/// The tool that has the keys.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum Tool {
    #[default]
    None,
    /// A zone between two corners.
    Rect {
        from: Cell,
    },
    Disc {
        at: Cell,
    },
    /// A zone of cells that are put in one by one.
    Cells {
        cells: BTreeSet<Cell>,
    },
    /// A zone with corners.
    Poly {
        points: Vec<Cell>,
    },
    Path {
        points: Vec<Cell>,
    },
    /// A mark over a rectangle of cells.
    Mark {
        from: Cell,
    },
    Paint {
        sign: char,
        name: String,
        how: How,
        down: bool,
        from: Option<Cell>,
    },
    /// Things, or a marked part of the map, that are moved; with the ground where that is wanted.
    Move {
        from: Cell,
        what: Moved,
    },
    /// Another size for a zone of one rect or disc, whose corner or middle is here.
    Size {
        zone: SymbolId,
        from: Cell,
        round: bool,
    },
    /// Further actors like that one, or of that kind.
    Put {
        what: Put,
    },
}

/// What is moved.
#[derive(Clone, Debug, PartialEq)]
pub enum Moved {
    Item(Item),
    Marked { things: bool, ground: bool, copies: bool },
}

/// What is put down.
#[derive(Clone, Debug, PartialEq)]
pub enum Put {
    Kind(String),
    Like(String),
}

/// What the line that is open asks.
#[derive(Clone, Debug, PartialEq)]
pub enum Ask {
    /// Another value for a fact; its label.
    Fact(String, Edit),
    /// The name of a zone with that shape.
    NewZone(String),
    /// The name of a path with these points.
    NewPath(String),
    NewArea,
    NewTile,
    NewKind,
    /// The name of a further actor of that kind, put where the cursor is.
    NewActor(String),
    /// The name of a copy; of a zone.
    Copy(SymbolId),
    /// The name of a copy of an actor.
    CopyActor(String),
    MapSize,
}

/// What a choice of a list does on the map.
#[derive(Clone, Debug, PartialEq)]
pub enum SiteChoice {
    AddRect,
    AddDisc,
    AddCells,
    AddPoly,
    AddActor,
    AddPath,
    AddArea,
    AddTile,
    AddKind,
    /// An actor of that kind.
    Put(String),
    /// A further actor of that kind with a name.
    PutNamed(String),
    /// A tile to paint with; or for the cell under the cursor alone.
    Paint(char, String),
    TileHere(char),
    Fact(Edit, String),
    /// A path with that name and these points.
    Path(String, String, &'static str),
    /// Copies of a symbol under that name, with the rules that name it.
    Copy(SymbolId, String, bool),
    Delete(Deletion),
    MoveMarked(bool, bool),
    CopyMarked(bool, bool),
    /// A colour and a kind's sign are chosen in the text.
    None,
}

/// What is deleted.
#[derive(Clone, Debug, PartialEq)]
pub enum Deletion {
    Symbol(SymbolId),
    /// With the declarations and rules that name it.
    All(SymbolId),
    Actor(String),
    Point(SymbolId, usize),
    Marked,
}

/// What a row does.
#[derive(Clone, Debug, PartialEq)]
pub enum RowOf {
    /// The name of the item, with its sort.
    Heading(String, String),
    Fact(Fact),
    /// A first rule for it.
    FirstRule,
    /// How often rules about it fired and were held in this flight.
    Counts(u64, u64),
}
