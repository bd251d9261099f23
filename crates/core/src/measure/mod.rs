//! From signals to measurements. Nothing here decides what to do about them.
//!
//! Constants that name no source were found on simulated sessions, see docs/accuracy.md.

pub mod arrival;
pub mod image;
pub mod lows;
pub mod pair;
pub mod places;
pub mod readings;
pub mod stage;
pub mod table;
