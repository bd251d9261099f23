//! Performance against a grid: the tempo of a click or of a steady track, and how tracks stand to it.
//!
//! `click`, `steady` → tempo maps; [`against`] holds strokes against beats, [`beside`] against another track's.

mod against;
mod beside;
mod click;
mod steady;

pub use against::{Against, against, nothing};
pub use beside::beside;
pub use click::{Clicks, clicks};
pub use steady::{Steadied, steady};
