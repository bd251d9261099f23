//! Performance against a grid: the tempo of a click or of a steady track, and how tracks stand to it.
//!
//! `click`, `steady` → tempo maps; [`against`] holds strokes against beats.

mod against;
mod click;
mod steady;

pub use against::{Against, against};
pub use click::{Clicks, clicks};
pub use steady::{Steadied, steady};
