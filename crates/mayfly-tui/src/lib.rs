//! The screens: one moment of one flight, on a terminal.
//!
//! [`app::App`] is the state, [`command`] the one table of what can be done, [`update`] what each does, [`screen`] what is seen,
//! [`run`] the loop. A new view is a folder beside [`flight`].
//!
//! Invariant: drawing shows the session and changes nothing of it.

mod across;
pub mod app;
pub mod applies;
mod bars;
pub mod budget;
pub mod command;
mod drawer;
pub mod drawing;
mod drive;
mod editing;
mod flight;
pub mod input;
mod jumps;
pub mod keys;
mod marks;
pub mod mouse;
pub mod overlay;
mod pen;
mod play;
mod reader;
pub mod refusal;
pub mod refused;
pub mod run;
pub mod screen;
pub mod script;
pub mod seek;
mod selection;
mod sequence;
pub mod site;
pub mod sizes;
pub mod terminal;
mod texts;
pub mod theme;
mod timeline;
mod update;
pub mod view;
pub mod workspace;
mod wrapping;
